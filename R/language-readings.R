# The readings of an expression: as text, as mathematics, as a formula of a spreadsheet. `named`
# says what a name is called there: named(name, mode, rows_up, inside), `mode` being "range"
# inside what makes one number of columns, "cell" elsewhere, `rows_up` for what stands so many
# rows before, and `inside` the call that makes one number.

expression_text <- function(expression) {
  read_as(expression, "text", function(name, ...) name, number_text)
}

expression_latex <- function(expression) {
  named <- function(name, mode, rows_up, ...) {
    upright <- sprintf("\\mathit{%s}", gsub("_", "\\_", name, fixed = TRUE))
    if (rows_up) sprintf("%s_{t-%d}", upright, rows_up) else upright
  }
  read_as(expression, "latex", named, number_text)
}

# `is_column`: whether a name has a value for each row, and so an index.
expression_math <- function(expression, is_column = function(name) FALSE) {
  named <- function(name, mode, rows_up, ...) {
    plain <- sprintf("<mi>%s</mi>", escaped(gsub("_", " ", name, fixed = TRUE)))
    if (name == "previous") {
      return("<msub><mi>previous</mi><mrow><mi>t</mi><mo>\u2212</mo><mn>1</mn></mrow></msub>")
    }
    if (!is_column(name)) return(plain)
    index <- if (rows_up) {
      sprintf("<mrow><mi>t</mi><mo>\u2212</mo><mn>%d</mn></mrow>", rows_up)
    } else {
      "<mi>t</mi>"
    }
    sprintf("<msub>%s%s</msub>", plain, index)
  }
  inside <- read_as(expression, "math", named, function(x) sprintf("<mn>%s</mn>", number_text(x)))
  sprintf("<math><mrow>%s</mrow></math>", inside)
}

expression_sheet <- function(expression, named) {
  read_as(expression, "sheet", named, number_exact)
}

escaped <- function(text) {
  text <- gsub("&", "&amp;", text, fixed = TRUE)
  text <- gsub("<", "&lt;", text, fixed = TRUE)
  gsub(">", "&gt;", text, fixed = TRUE)
}

# How many rows above `before()` looks.
rows_looked_up <- function(e) if (length(e) > 2L) as.integer(e[[3L]]) else 1L

# For people: six digits, whole numbers whole. As format() writes them, many at once where that is
# plain.
number_text <- function(x) {
  said <- rep("unknown", length(x))
  known <- !is.na(x)
  size <- abs(x)
  whole <- known & x == round(x) & size < 1e15
  said[whole] <- with_commas(sprintf("%.0f", x[whole]))
  plain <- known & !whole & size >= 1e-3 & size < 99999.5
  said[plain] <- with_commas(sprintf("%.6g", signif(x[plain], 6L)))
  rest <- known & !whole & !plain
  said[rest] <- vapply(x[rest], function(one) {
    format(signif(one, 6L), digits = 6L, big.mark = ",")
  }, "")
  stats::setNames(said, names(x))
}

with_commas <- function(text) {
  text <- sub("^-0$", "0", text)
  while (any(long <- grepl("^-?[0-9]{4}", text))) {
    text[long] <- sub("^(-?[0-9]+)([0-9]{3})", "\\1,\\2", text[long])
  }
  text
}

# For programs: as many digits as bring the same number back.
number_exact <- function(x) {
  vapply(x, function(one) {
    short <- sprintf("%.15g", one)
    if (is.na(one)) return("NA")
    if (as.numeric(short) == one) short else sprintf("%.17g", one)
  }, "")
}

read_as <- function(expression, reading, named, numbered) {
  walk <- function(e, mode, rows_up, inside) {
    if (is.numeric(e)) {
      negative <- !is.na(e) && e < 0
      return(list(text = numbered(e), tight = if (negative) 25L else tightest))
    }
    if (is.name(e)) {
      return(list(text = named(as.character(e), mode, rows_up, inside), tight = tightest))
    }
    head <- as.character(e[[1L]])
    # Brackets are put where this reading needs them.
    if (head == "(") return(walk(e[[2L]], mode, rows_up, inside))
    f <- language_of(head)
    if (f$shape == "one") {
      mode <- "range"
      rows_up <- 0L
      inside <- e
    }
    if (head == "before") rows_up <- rows_up + rows_looked_up(e)
    calls <- as.list(e)[-1L]
    args <- lapply(seq_along(calls), function(i) {
      if (i %in% f$whole) return(walk(calls[[i]], "range", 0L, e))
      walk(calls[[i]], mode, rows_up, inside)
    })
    alone <- head == "-" && length(args) == 1L
    tight <- if (alone) 25L else f$tight
    # To a spreadsheet -x^2 is the square of -x.
    wants <- if (!alone) wanted_by(f, reading) else if (reading == "sheet") 60L else 30L
    texts <- vapply(args, `[[`, "", "text")
    loose <- vapply(args, `[[`, 0L, "tight") < rep_len(wants, length(args))
    texts[loose] <- in_brackets(texts[loose], reading)
    list(text = f[[reading]](texts, calls), tight = tight)
  }
  walk(expression, "cell", 0L, NULL)$text
}

wanted_by <- function(f, reading) {
  drawn <- reading %in% c("math", "latex")
  if (drawn && !is.null(f$wants_math)) f$wants_math else f$wants
}

in_brackets <- function(text, reading) {
  switch(
    reading,
    math = sprintf("<mrow><mo>(</mo>%s<mo>)</mo></mrow>", text),
    latex = sprintf("\\left(%s\\right)", text),
    sprintf("(%s)", text)
  )
}

language_of <- function(name) {
  known <- language_functions[[name]]
  if (is.null(known)) {
    fail(
      "argument",
      sprintf("A working knows no function %s.", name),
      remedy = did_you_mean(name, names(language_functions))
    )
  }
  known
}
