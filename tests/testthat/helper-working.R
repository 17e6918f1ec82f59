# A working read back from its JSON and computed again, by R's own functions and by what these
# lines say; nothing of the package's language is used.
again_functions <- local({
  there <- function(x) x[!is.na(x)]
  list(
    ln = log,
    ln_gamma = lgamma,
    round_down = floor,
    round_up = ceiling,
    round_half_up = function(x) trunc(x + 0.5),
    if_else = function(test, yes, no) {
      n <- max(length(test), length(yes), length(no))
      pick <- rep_len(as.logical(test), n)
      out <- rep_len(no, n)
      out[which(pick)] <- rep_len(yes, n)[which(pick)]
      out[is.na(pick)] <- NA
      out
    },
    only_if = function(test, x) if (as.logical(test)) x else NA_real_,
    lower_of = pmin,
    higher_of = pmax,
    years_between = function(from, to) {
      birthdays <- as.numeric(seq(.Date(from), by = "year", length.out = 200))
      whole <- base::sum(birthdays <= to) - 1
      whole + (to - birthdays[whole + 1]) / (birthdays[whole + 2] - birthdays[whole + 1])
    },
    normal_quantile = stats::qnorm,
    normal_below = stats::pnorm,
    normal_density = function(z) exp(-z^2 / 2) / sqrt(2 * base::pi),
    student_quantile = function(p, nu) {
      x <- stats::qbeta(2 * min(p, 1 - p), nu / 2, 0.5)
      sign(p - 0.5) * sqrt(nu * (1 / x - 1))
    },
    student_beyond = function(x, nu) stats::pbeta(nu / (nu + x^2), nu / 2, 0.5),
    chi_squared_beyond = function(x, k) stats::pgamma(x / 2, k / 2, lower.tail = FALSE),
    chi_squared_quantile = function(p, k) 2 * stats::qgamma(p, k / 2),
    binomial_at = function(k, n, p) {
      exp(lgamma(n + 1) - lgamma(k + 1) - lgamma(n - k + 1) + k * log(p) + (n - k) * log1p(-p))
    },
    binomial_below = function(k, n, p) {
      if (k < 0) 0 else if (k >= n) 1 else stats::pbeta(1 - p, n - k, k + 1)
    },
    binomial_quantile = function(p, n, q) {
      sum(cumsum(stats::dbinom(0:n, n, q)) < p * (1 - 64 * .Machine$double.eps))
    },
    beta_below = function(x, a, b) stats::pf(x * b / ((1 - x) * a), 2 * a, 2 * b),
    beta_quantile = function(p, a, b) {
      f <- stats::qf(p, 2 * a, 2 * b)
      a * f / (b + a * f)
    },
    gamma_quantile = function(p, shape) stats::qchisq(p, 2 * shape) / 2,
    sum = function(x) base::sum(there(x)),
    count = function(x) length(there(x)),
    minimum = function(x) base::min(there(x)),
    maximum = function(x) base::max(there(x)),
    nth_smallest = function(x, k) sort(there(x), partial = k)[k],
    mean_of_smallest = function(x, k) mean(sort(there(x))[1:k]),
    value_at = function(x, i) there(x)[i],
    row_of = function(x, v) which(there(x) == v)[1],
    in_order = function(x, place) sort(there(x))[place],
    before = function(x, rows = 1) c(rep(NA, rows), x)[seq_along(x)]
  )
})

computed_again <- function(json, choices = list()) {
  read <- jsonlite::fromJSON(json, simplifyDataFrame = FALSE)
  scope <- list2env(again_functions, parent = baseenv())
  as_numbers <- function(x) {
    vapply(x, function(v) {
      if (is.null(v)) NA_real_ else as.numeric(if (is.character(v)) as.Date(v) else v)
    }, 0)
  }
  for (rows in read$data) {
    for (name in names(rows$columns)) {
      assign(name, as_numbers(as.list(rows$columns[[name]])), scope)
    }
    if (!is.null(rows$dates) && !exists("date", scope, inherits = FALSE)) {
      assign("date", as_numbers(as.list(rows$dates)), scope)
    }
  }
  for (choice in read$choices) {
    assign(choice$name, as_numbers(list(choices[[choice$name]] %||% choice$value)), scope)
  }
  values <- list()
  for (step in read$steps) {
    given <- as_numbers(as.list(step$value))
    value <- given
    if (!is.null(step$expression)) {
      tree <- str2lang(step$expression)
      value <- if (is.call(tree) && identical(tree[[1]], quote(recursion))) {
        row_by_row(tree[[2]], tree[[3]], length(given), scope)
      } else {
        eval(tree, scope)
      }
    }
    values[[step$name]] <- list(value = as.numeric(value), given = given)
    assign(step$name, as.numeric(value), scope)
  }
  list(read = read, values = values)
}

# A column each row of which knows the one above: read at each row as if that were all there is.
row_by_row <- function(first, then, n, scope) {
  start <- rep_len(eval(first, scope), n)
  at <- which(!is.na(start))[1]
  out <- rep(NA_real_, n)
  out[at] <- start[at]
  names_of <- setdiff(all.vars(then), "previous")
  long <- Filter(function(name) length(scope[[name]]) == n && n > 1, names_of)
  place <- function(e, lag) {
    if (is.name(e) && as.character(e) %in% long) {
      return(call("[", as.name(paste0(e, if (lag) "_lagged_")), quote(row_)))
    }
    if (!is.call(e)) return(e)
    if (identical(e[[1]], quote(before))) return(place(e[[2]], TRUE))
    e[-1] <- lapply(as.list(e)[-1], place, lag)
    e
  }
  inner <- new.env(parent = scope)
  for (name in long) assign(paste0(name, "_lagged_"), c(NA, scope[[name]][-n]), inner)
  body <- place(then, FALSE)
  for (row in seq_len(n)[seq_len(n) > at]) {
    assign("row_", row, inner)
    assign("previous", out[row - 1], inner)
    out[row] <- eval(body, inner)
  }
  out
}

near <- function(a, b, digits = 1e-10) {
  same_holes <- identical(is.na(a), is.na(b))
  known <- !is.na(a) & !is.na(b)
  same_holes && all(
    abs(a[known] - b[known]) <= digits * pmax(abs(b[known]), 1e-12) | a[known] == b[known]
  )
}

demo_prices <- function() quietly(read_prices(demo_file("bay.csv")))

file_of_working <- function(working) {
  file <- tempfile(fileext = ".json")
  working_json(working, file)
  file
}

quietly <- function(expr) suppressWarnings(suppressMessages(expr))

# Another value of a choice that could have been taken.
another <- function(choice) {
  switch(
    choice$name,
    level = , confidence = 0.925,
    decay = 0.95,
    horizon = choice$value + 2,
    window = choice$value - 1,
    risk_free = , target_annual = choice$value + 0.01,
    value = choice$value * 2,
    choice$value * 1.25
  )
}

# How each number of some rows comes about, by its measure and column: the least of all of them.
worst_kinds <- c("none", "entered", "proved", "in part", "derived")
chosen_columns <- c(
  "window", "level", "horizon", "lag", "rank", "draws", "limit", "lookback", "since",
  "k"
)

kinds_of_numbers <- function(result, row, working) {
  written <- attr(working, "written")
  entered <- vapply(written$steps, function(s) is.null(s$expression), NA)
  plain <- written
  plain$steps <- lapply(plain$steps, function(s) {
    s[c("others", "proof")] <- list(list(), character())
    s
  })
  numbers <- Filter(function(name) {
    x <- result[[name]]
    (is.numeric(x) || inherits(x, "Date")) && is.finite(as.numeric(x[row]))
  }, setdiff(names(result), chosen_columns))
  kinds <- vapply(numbers, function(name) {
    s <- written$steps[[name]]
    if (is.null(s)) return("none")
    if (is.null(s$expression)) return(if (length(s$proof)) "proved" else "entered")
    needed <- imbroglio:::needed_for(name, plain)
    if (any(entered[intersect(needed, names(entered))])) "in part" else "derived"
  }, "")
  data.frame(measure = rep(attr(result, "measure"), length(kinds)), column = numbers, kind = kinds)
}

# The page of the docs that says so, a line a measure.
lines_of_kinds <- function(found) {
  found$kind <- factor(found$kind, worst_kinds)
  least <- stats::aggregate(as.integer(kind) ~ measure + column, found, min)
  names(least)[3] <- "kind"
  counts <- tabulate(least$kind, length(worst_kinds))
  cells <- function(measure, kind) {
    of <- least$column[least$measure == measure & least$kind == kind]
    paste(sort(sprintf("`%s`", of)), collapse = " ")
  }
  measures <- sort(unique(least$measure))
  order <- rev(seq_along(worst_kinds))
  c(
    "# What each number is shown by",
    "",
    "Made by `make workings` of all cases of all measures, and tested against them. A number is",
    "*derived* where every step goes back to the data and the choices; *in part* where a step on",
    "the way was entered (a weight, a fitted parameter); *proved* where it is entered with the",
    "steps by which a reader can check it; *entered* where it is shown as measured; *none* where",
    "it has no working in some case. Of several cases the least counts. What was chosen is no",
    "number.",
    "",
    sprintf("%s.", paste(sprintf("%d %s", counts[order], worst_kinds[order]), collapse = ", ")),
    "",
    sprintf("| measure | %s |", paste(worst_kinds[order], collapse = " | ")),
    "|---|---|---|---|---|---|",
    vapply(measures, function(measure) {
      columns <- vapply(order, cells, "", measure = measure)
      sprintf("| %s | %s |", measure, paste(columns, collapse = " | "))
    }, "", USE.NAMES = FALSE)
  )
}

# All cases, the first and the last row of each, with what is asked of each working.
each_working <- function(asked) {
  about <- case_data()
  for (case in names(case_calls())) {
    result <- quietly(eval(case_calls()[[case]], about))
    for (row in unique(c(1L, nrow(result)))) {
      working <- tryCatch(
        quietly(imbroglio:::working_of_row(result, row, "all")),
        imbroglio_error_working = function(e) NULL
      )
      if (!is.null(working)) asked(working, result, row, paste(case, row))
    }
  }
}

# What of an expression a spreadsheet would not take for a column: a function of a whole column
# wants one that stands in a sheet; within a sum nothing chooses row by row.
not_for_a_sheet <- function(e) {
  if (!is.call(e)) return(NULL)
  shape_of <- function(x) imbroglio:::language_functions[[as.character(x[[1]])]]$shape
  inside <- function(x) {
    if (!is.call(x) || identical(shape_of(x), "one")) return(NULL)
    c(as.character(x[[1]]), unlist(lapply(as.list(x)[-1], inside)))
  }
  name <- as.character(e[[1]])
  here <- if (!identical(shape_of(e), "one")) {
    NULL
  } else if (name == "sum") {
    intersect(inside(e[[2]]), c("if_else", "lower_of", "higher_of", "only_if", "recursion"))
  } else if (!is.name(e[[2]])) {
    name
  }
  c(here, unlist(lapply(as.list(e)[-1], not_for_a_sheet)))
}
