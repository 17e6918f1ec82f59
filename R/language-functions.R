# The functions of the language in which workings are written, each a record: its value in R, and
# how it reads as text, as mathematics (MathML, LaTeX) and as a formula of a spreadsheet. Nothing
# else can be called in a working.
#
# `shape`: "each" works on numbers or on columns row by row; "one" makes one number of columns;
# "column" makes a column, each row of which may know the row above. `tight`: how strongly its
# text binds, so that brackets stand where they are needed. `whole`: of what works row by row,
# which arguments are whole columns all the same. A reading is made of the readings of
# the arguments, `args`, and may look at what these are, `calls`.
tightest <- 100L

language_function <- function(value, text, math = NULL, latex = NULL, sheet, shape = "each",
                              tight = tightest, wants = 0L) {
  list(
    value = value, shape = shape, tight = tight, wants = wants, text = text, math = math,
    latex = latex, sheet = sheet
  )
}

# Between its two arguments.
between <- function(value, symbol, tight, math = symbol, latex = symbol, sheet = symbol,
                    right = tight + 1L, truth = FALSE) {
  language_function(
    value,
    text = function(args, calls) sprintf("%s %s %s", args[1L], symbol, args[2L]),
    math = function(args, calls) sprintf("%s<mo>%s</mo>%s", args[1L], math, args[2L]),
    latex = function(args, calls) sprintf("%s %s %s", args[1L], latex, args[2L]),
    # What is true counts 1, also where it is only added up.
    sheet = function(args, calls) {
      sprintf(if (truth) "1*(%s%s%s)" else "%s%s%s", args[1L], sheet, args[2L])
    },
    tight = tight,
    wants = c(tight, right)
  )
}

# NAME(a, b) in all readings; `sheet` is the name there, or makes the formula.
called <- function(name, value, sheet, shape = "each", text = name) {
  language_function(
    value,
    text = function(args, calls) sprintf("%s(%s)", text, paste(args, collapse = ", ")),
    math = function(args, calls) {
      sprintf(
        "<mi>%s</mi><mo>(</mo>%s<mo>)</mo>",
        gsub("_", " ", text, fixed = TRUE),
        paste(args, collapse = "<mo>,</mo>")
      )
    },
    latex = function(args, calls) {
      sprintf(
        "\\operatorname{%s}\\left(%s\\right)",
        gsub("_", "\\ ", text, fixed = TRUE),
        paste(args, collapse = ", ")
      )
    },
    sheet = if (is.function(sheet)) {
      sheet
    } else {
      function(args, calls) sprintf("%s(%s)", sheet, paste(args, collapse = ","))
    },
    shape = shape
  )
}

# A sum over rows; what stands in it may be a formula of whole columns.
summed <- function(symbol, value, sheet) {
  made <- called(symbol, value, sheet, "one")
  made$math <- function(args, calls) {
    sprintf("<munder><mo>%s</mo><mi>t</mi></munder>%s", "\u2211", args)
  }
  made$latex <- function(args, calls) sprintf("\\sum_t %s", args)
  made$wants_math <- 30L
  made
}

known_in <- function(x) x[!is.na(x)]

one_or_zero <- function(compare) function(a, b) as.numeric(compare(a, b))

as_array <- function(call) !is.name(call)

language_arithmetic <- list(
  "+" = between(`+`, "+", 20L),
  "-" = local({
    made <- between(`-`, "-", 20L, math = "\u2212")
    # Also of one argument.
    sign_or <- function(with_two, before) {
      force(with_two)
      function(args, calls) {
        if (length(args) == 1L) paste0(before, args) else with_two(args, calls)
      }
    }
    made$text <- sign_or(made$text, "-")
    made$math <- sign_or(made$math, "<mo>\u2212</mo>")
    made$latex <- sign_or(made$latex, "-")
    made$sheet <- sign_or(made$sheet, "-")
    made
  }),
  "*" = between(`*`, "\u00d7", 30L, math = "\u00d7", latex = "\\times", sheet = "*", right = 30L),
  "/" = local({
    made <- between(`/`, "/", 30L)
    made$math <- function(args, calls) {
      sprintf("<mfrac><mrow>%s</mrow><mrow>%s</mrow></mfrac>", args[1L], args[2L])
    }
    made$latex <- function(args, calls) sprintf("\\frac{%s}{%s}", args[1L], args[2L])
    made$wants_math <- c(0L, 0L)
    made
  }),
  "^" = local({
    made <- between(`^`, "^", 50L, right = 51L)
    made$text <- function(args, calls) {
      if (identical(calls[[2L]], 2)) {
        return(paste0(args[1L], "\u00b2"))
      }
      sprintf("%s^%s", args[1L], args[2L])
    }
    made$math <- function(args, calls) {
      sprintf("<msup><mrow>%s</mrow><mrow>%s</mrow></msup>", args[1L], args[2L])
    }
    made$latex <- function(args, calls) sprintf("{%s}^{%s}", args[1L], args[2L])
    made$wants <- c(51L, 51L)
    made$wants_math <- c(51L, 0L)
    made
  }),
  "<" = between(one_or_zero(`<`), "<", 10L, math = "&lt;", truth = TRUE),
  "<=" = between(one_or_zero(`<=`), "\u2264", 10L, latex = "\\le", sheet = "<=", truth = TRUE),
  ">" = between(one_or_zero(`>`), ">", 10L, math = "&gt;", truth = TRUE),
  ">=" = between(one_or_zero(`>=`), "\u2265", 10L, latex = "\\ge", sheet = ">=", truth = TRUE),
  "==" = between(one_or_zero(`==`), "=", 10L, truth = TRUE)
)

language_each <- list(
  sqrt = local({
    made <- called("sqrt", sqrt, "SQRT")
    made$text <- function(args, calls) {
      sprintf(if (is.call(calls[[1L]])) "\u221a(%s)" else "\u221a%s", args)
    }
    made$math <- function(args, calls) sprintf("<msqrt>%s</msqrt>", args)
    made$latex <- function(args, calls) sprintf("\\sqrt{%s}", args)
    made
  }),
  ln = called("ln", log, "LN"),
  exp = called("exp", exp, "EXP"),
  sinh = called("sinh", sinh, "SINH"),
  asinh = called("asinh", asinh, "ASINH"),
  tanh = called("tanh", tanh, "TANH"),
  atanh = called("atanh", atanh, "ATANH"),
  tan = called("tan", tan, "TAN"),
  ln_gamma = called("ln_gamma", lgamma, "GAMMALN", text = "ln \u0393"),
  abs = local({
    made <- called("abs", abs, "ABS")
    made$text <- function(args, calls) sprintf("|%s|", args)
    made$math <- function(args, calls) sprintf("<mo>|</mo>%s<mo>|</mo>", args)
    made$latex <- function(args, calls) sprintf("\\left|%s\\right|", args)
    made
  }),
  round_down = called("round_down", floor, "INT"),
  round_up = called("round_up", ceiling, function(args, calls) sprintf("-INT(-(%s))", args)),
  round_half_up = called(
    "round_half_up",
    function(x) floor(x + 0.5),
    function(args, calls) sprintf("INT(%s+0.5)", args)
  ),
  if_else = called(
    "if_else",
    function(test, yes, no) ifelse(test != 0, yes, no),
    "IF"
  ),
  # Else unknown.
  only_if = called(
    "only_if",
    function(test, x) ifelse(test != 0, x, NA_real_),
    function(args, calls) sprintf("IF(%s,%s,NA())", args[1L], args[2L])
  ),
  # By the calendar: whole years, and of the one that is left its share.
  years_between = called(
    "years_between",
    function(from, to) years_between(.Date(from), .Date(to)),
    function(args, calls) {
      whole <- sprintf(
        "(YEAR(%2$s)-YEAR(%1$s)-1*(100*MONTH(%2$s)+DAY(%2$s)<100*MONTH(%1$s)+DAY(%1$s)))",
        args[1L],
        args[2L]
      )
      later <- function(by) {
        sprintf("DATE(YEAR(%1$s)+%2$s+%3$s,MONTH(%1$s),DAY(%1$s))", args[1L], whole, by)
      }
      sprintf("%s+(%s-%s)/(%s-%s)", whole, args[2L], later(0), later(1), later(0))
    }
  ),
  lower_of = called("lower_of", pmin, "MIN"),
  higher_of = called("higher_of", pmax, "MAX"),
  # Of a whole column, by a place in each row.
  in_order = local({
    made <- called("in_order", function(x, place) smallest(x, place), "SMALL")
    made$whole <- 1L
    made
  })
)

# The functions of distributions have the names that statistics gives them; those of a
# spreadsheet are the ones that all programs know.
language_distributions <- list(
  normal_quantile = called("normal_quantile", stats::qnorm, "NORMSINV"),
  normal_below = called("normal_below", stats::pnorm, "NORMSDIST", text = "\u03a6"),
  normal_density = called(
    "normal_density",
    stats::dnorm,
    function(args, calls) sprintf("EXP(-((%s)^2)/2)/SQRT(2*PI())", args),
    text = "\u03c6"
  ),
  # T.INV of spreadsheets rounds the degrees of freedom down; the beta distribution does not.
  student_quantile = called(
    "student_quantile",
    stats::qt,
    function(args, calls) {
      sprintf(
        "SIGN((%1$s)-0.5)*SQRT((%2$s)*(1/BETAINV(2*MIN(%1$s,1-(%1$s)),(%2$s)/2,0.5)-1))",
        args[1L],
        args[2L]
      )
    }
  ),
  student_beyond = called(
    "student_beyond",
    function(x, degrees) 2 * stats::pt(-abs(x), degrees),
    function(args, calls) sprintf("TDIST(ABS(%s),%s,2)", args[1L], args[2L])
  ),
  chi_squared_quantile = called(
    "chi_squared_quantile",
    stats::qchisq,
    function(args, calls) sprintf("CHIINV(1-(%s),%s)", args[1L], args[2L])
  ),
  chi_squared_beyond = called(
    "chi_squared_beyond",
    function(x, degrees) stats::pchisq(x, degrees, lower.tail = FALSE),
    "CHIDIST"
  ),
  binomial_at = called(
    "binomial_at",
    stats::dbinom,
    function(args, calls) sprintf("BINOMDIST(%s,%s,%s,0)", args[1L], args[2L], args[3L])
  ),
  binomial_below = called(
    "binomial_below",
    stats::pbinom,
    function(args, calls) sprintf("BINOMDIST(%s,%s,%s,1)", args[1L], args[2L], args[3L])
  ),
  binomial_quantile = called(
    "binomial_quantile",
    stats::qbinom,
    function(args, calls) sprintf("CRITBINOM(%s,%s,%s)", args[2L], args[3L], args[1L])
  ),
  beta_below = called("beta_below", stats::pbeta, "BETADIST"),
  beta_quantile = called("beta_quantile", stats::qbeta, "BETAINV"),
  gamma_quantile = called(
    "gamma_quantile",
    stats::qgamma,
    function(args, calls) sprintf("GAMMAINV(%s,%s,1)", args[1L], args[2L])
  )
)

# Unknown where there are not so many.
at_place <- function(x, k) x[replace(k, k < 1, NA)]

smallest <- function(x, k) at_place(sort(known_in(x)), k)

language_one <- list(
  sum = summed("sum", function(x) sum(known_in(x)), function(args, calls) {
    sprintf(if (as_array(calls[[1L]])) "SUMPRODUCT(%s)" else "SUM(%s)", args)
  }),
  count = called("count", function(x) length(known_in(x)), "COUNT", "one"),
  minimum = called("minimum", function(x) min(known_in(x)), "MIN", "one"),
  maximum = called("maximum", function(x) max(known_in(x)), "MAX", "one"),
  nth_smallest = called("nth_smallest", smallest, "SMALL", "one"),
  # Equal values are as many as there are.
  mean_of_smallest = called(
    "mean_of_smallest",
    function(x, k) mean(smallest(x, seq_len(k))),
    function(args, calls) {
      sprintf(
        paste0(
          "(SUMPRODUCT((%1$s<SMALL(%1$s,%2$s))*%1$s)+(%2$s-SUMPRODUCT(1*(%1$s<SMALL(%1$s,%2$s))))",
          "*SMALL(%1$s,%2$s))/(%2$s)"
        ),
        args[1L],
        args[2L]
      )
    },
    "one"
  ),
  value_at = called("value_at", function(x, row) at_place(known_in(x), row), "INDEX", "one"),
  row_of = called(
    "row_of",
    function(x, value) match(value, known_in(x)),
    function(args, calls) sprintf("MATCH(%s,%s,0)", args[2L], args[1L]),
    "one"
  )
)

# Of a column from the row above it, or `before(x, rows)` so many above. `recursion(first, then)`
# is `first` in the first row in which that is known, and in each later one `then`, in which
# `previous` is the row above.
language_columns <- list(
  before = local({
    earlier <- function(x, rows = 1) c(rep(NA_real_, rows), x)[seq_along(x)]
    made <- called("before", earlier, NULL, "column")
    made$text <- function(args, calls) {
      if (length(args) == 1L) sprintf("%s before", args) else paste(args[1L], args[2L], "before")
    }
    made$tight <- 60L
    made$wants <- 61L
    made$math <- made$latex <- made$sheet <- function(args, calls) args[1L]
    made
  }),
  recursion = local({
    made <- called("recursion", NULL, NULL, "column")
    made$text <- function(args, calls) sprintf("%s, at first %s", args[2L], args[1L])
    made$tight <- 0L
    made$math <- function(args, calls) {
      sprintf("%s<mtext>, at first </mtext>%s", args[2L], args[1L])
    }
    made$latex <- function(args, calls) sprintf("%s \\text{, at first } %s", args[2L], args[1L])
    made
  })
)

language_functions <- c(
  language_arithmetic, language_each, language_distributions, language_one, language_columns
)
