# What R's own functions say of tables of prices and of returns.

#' Tables in R's own words
#'
#' Tables of prices and of returns answer to what one types of a data frame with a column for each
#' security, and where an answer would mislead they refuse and say how.
#'
#' * `x$TARROW`, `x[["TARROW"]]`: the numbers of one security, on the dates of `time(x)`;
#'   `as.list(x)`, `lapply(x, ...)`: of each; `names(x)`, `length(x)`: the securities, and how
#'   many.
#' * `x["TARROW"]`, `x[, c("TARROW", "OSSELL")]`, `x[1:250, ]`, `x[as.Date(...), ]`, `head(x)`,
#'   `tail(x)`: a table of some. Rows of returns are those that follow each other.
#' * `time(x)`, `start(x)`, `end(x)`: the dates; `frequency(x)`: how many a year, where that is
#'   one number; `range(x)`, `min(x)`, `max(x)`: of the numbers that are there.
#' * `mean(x)`, `median(x)`, `quantile(x)`, `as.numeric(x)`: of a table of one security;
#'   `summary(x)`, `with(x, ...)`, `str(x)`, `is.na(x)`: as of a data frame; `na.omit(x)`: the
#'   dates that all have; `subset(x, date > as.Date(...) & TARROW > 100)`: some dates.
#' * `c(x, y)`, `x * 2`, `log(x)`, `diff(x)`, `unique(x)`: refused. See [together] for `cbind()`,
#'   `rbind()` and `merge()`, [conversions] for `as.ts()` and `as.zoo()`.
#'
#' A security whose name is also that of a part of the table, such as `dates`, is meant by it from
#' outside of the package.
#'
#' @param x,object,data A price table, or a returns table.
#' @param name,i The name of a security; or its number.
#' @param n How many dates; below 0: all but so many.
#' @param exact Names are always whole.
#' @param subset A condition on the dates and the numbers of a date.
#' @param expr Something to compute with the securities as variables.
#' @param lag Refused.
#' @param ... Passed on where the function takes more.
#' @return See above. An `imbroglio_error_security` for a security that is not there; an
#'   `imbroglio_error_argument` for what a table does not answer to.
#' @family what measures are of
#' @examples
#' prices <- read_prices(demo_file("bay.csv"))
#' tail(prices$TARROW, 3)
#' range(time(prices))
#' head(prices, 5)
#' sapply(as_returns(prices), sd, na.rm = TRUE)
#' @name tables
NULL

panel_values <- function(x) .subset2(x, "close") %||% .subset2(x, "values")

# What a table may have, and not each has.
parts_of_tables <- c(
  "about", "actions", "beside", "block", "book", "converted", "ends_before", "first", "layout",
  "money", "others", "prices", "read", "repairs", "shown_from", "stated", "then", "today"
)

# The package itself asks for the parts of a table; others may mean a security.
part_or_series <- function(x, name, from) {
  part <- .subset2(x, name)
  if (identical(topenv(from), topenv())) return(part)
  securities <- colnames(panel_values(x))
  if ((!is.null(part) || name %in% parts_of_tables) && !name %in% securities) return(part)
  panel_values(x)[, pick_securities(name, securities)]
}

#' @rdname tables
#' @export
`$.imbroglio_panel` <- function(x, name) part_or_series(x, name, parent.frame())

#' @rdname tables
#' @export
`[[.imbroglio_panel` <- function(x, i, exact = TRUE) {
  if (is.character(i) && length(i) == 1L) return(part_or_series(x, i, parent.frame()))
  if (length(i) != 1L) {
    fail_in_r(
      "argument", "`[[` picks one security.", remedy = "x[, c(\"A\", \"B\")] picks several."
    )
  }
  panel_values(x)[, pick_securities(i, colnames(panel_values(x)))]
}

#' @export
names.imbroglio_panel <- function(x) colnames(panel_values(x))

#' @export
length.imbroglio_panel <- function(x) ncol(panel_values(x))

#' @rdname tables
#' @export
as.list.imbroglio_panel <- function(x, ...) {
  values <- panel_values(x)
  lapply(stats::setNames(seq_len(ncol(values)), colnames(values)), function(j) values[, j])
}

# A table on some of its dates.
table_on_dates <- function(x, dates) {
  if (!length(dates)) fail_in_r("empty", "No date is picked.")
  if (inherits(x, "imbroglio_prices")) return(x[match(dates, x$dates), ])
  rows <- match(dates, x$dates)
  if (any(diff(rows) != 1L)) {
    fail_in_r(
      "argument",
      "Rows of a returns table follow each other: each return is from the price before.",
      remedy = "Choose dates of the prices, then take returns."
    )
  }
  stats::window(x, start = dates[1L], end = dates[length(dates)])
}

# Which rows `i` picks: by number, by truth, or by date.
picked_rows <- function(i, dates) {
  if (inherits(i, c("Date", "POSIXt")) || is.character(i)) {
    day <- if (is.character(i)) parse_iso_dates(i) else column_days(i, NULL, "i", "i")$days
    rows <- match(as.numeric(day), as.numeric(dates))
    if (anyNA(rows)) {
      fail_in_r(
        "argument",
        sprintf("There is no date %s.", some(format(i[is.na(rows)]))),
        remedy = "window() takes a span, a month or a year."
      )
    }
  } else {
    rows <- seq_along(dates)[i]
  }
  if (anyNA(rows)) {
    fail_in_r("argument", sprintf("There are only %s to pick from.", count(length(dates), "date")))
  }
  sort(rows)
}

#' @rdname tables
#' @importFrom utils head
#' @export
head.imbroglio_panel <- function(x, n = 6L, ...) {
  table_on_dates(x, utils::head(x$dates, n))
}

#' @rdname tables
#' @importFrom utils tail
#' @export
tail.imbroglio_panel <- function(x, n = 6L, ...) {
  table_on_dates(x, utils::tail(x$dates, n))
}

#' @rdname tables
#' @importFrom stats time
#' @export
time.imbroglio_panel <- function(x, ...) x$dates

#' @rdname tables
#' @importFrom stats start
#' @export
start.imbroglio_panel <- function(x, ...) x$dates[1L]

#' @rdname tables
#' @importFrom stats end
#' @export
end.imbroglio_panel <- function(x, ...) x$dates[length(x$dates)]

#' @exportS3Method zoo::index
index.imbroglio_panel <- function(x, ...) x$dates

#' @rdname tables
#' @importFrom stats frequency
#' @export
frequency.imbroglio_panel <- function(x, ...) {
  found <- (x$frequency %||% frequencies_of(x$dates, x$close))$per_year
  if (length(unique(found)) > 1L) {
    fail_in_r(
      "argument",
      "The securities have several frequencies.",
      where = sprintf("They are %s a year.", some(unique(format(round(found, 1L), trim = TRUE))))
    )
  }
  found[[1L]]
}

#' @export
Summary.imbroglio_panel <- function(..., na.rm = FALSE) {
  if (!.Generic %in% c("range", "min", "max")) refuse_sum(.Generic)
  given <- lapply(list(...), function(x) {
    if (inherits(x, "imbroglio_panel")) panel_values(x) else x
  })
  # A date without a price is no number that is unknown.
  do.call(.Generic, c(given, na.rm = TRUE))
}

#' @export
Ops.imbroglio_panel <- function(e1, e2) refuse_sum(.Generic)

#' @export
Math.imbroglio_panel <- function(x, ...) refuse_sum(.Generic)

refuse_sum <- function(what, remedy = NULL) {
  fail_in_r(
    "argument",
    sprintf("A table of prices or returns is not calculated with: `%s`.", what),
    remedy = remedy %||% paste(
      "as.matrix() and as.data.frame() give its numbers, as_returns() its returns;",
      "as_prices() and as_returns(given = ) make a table again."
    )
  )
}

#' @export
diff.imbroglio_panel <- function(x, ...) refuse_sum("diff")

#' @rdname tables
#' @importFrom stats lag
#' @export
lag.imbroglio_panel <- function(x, ...) refuse_sum("lag")

#' @export
c.imbroglio_panel <- function(...) {
  refuse_sum("c", "cbind() sets securities beside each other, rbind() dates below each other.")
}

#' @export
unique.imbroglio_panel <- function(x, ...) refuse_sum("unique")

#' @export
duplicated.imbroglio_panel <- function(x, ...) refuse_sum("duplicated")

# The numbers of a table of one security.
one_of_them <- function(x, what) {
  values <- panel_values(x)
  if (ncol(values) > 1L) {
    fail_in_r(
      "argument",
      sprintf("`%s` is of one security; the table has %s.", what, count(ncol(values))),
      remedy = sprintf("Pick one, or sapply(x, %s).", what)
    )
  }
  as.vector(values)
}

#' @rdname tables
#' @export
as.double.imbroglio_panel <- function(x, ...) one_of_them(x, "as.numeric")

#' @rdname tables
#' @export
mean.imbroglio_panel <- function(x, ...) mean(one_of_them(x, "mean"), ...)

#' @rdname tables
#' @importFrom stats median
#' @export
median.imbroglio_panel <- function(x, ...) stats::median(one_of_them(x, "median"), ...)

#' @rdname tables
#' @export
quantile.imbroglio_panel <- function(x, ...) stats::quantile(one_of_them(x, "quantile"), ...)

#' @rdname tables
#' @export
is.na.imbroglio_panel <- function(x) is.na(as.matrix(x))

#' @export
anyNA.imbroglio_panel <- function(x, recursive = FALSE) anyNA(panel_values(x))

#' @rdname tables
#' @importFrom stats na.omit
#' @export
na.omit.imbroglio_panel <- function(object, ...) {
  if (inherits(object, "imbroglio_prices")) {
    return(if (anyNA(panel_values(object))) align_prices(object, "common") else object)
  }
  refuse_sum("na.omit", "Leave out dates of the prices by align_prices(), then take returns.")
}

#' @rdname tables
#' @export
subset.imbroglio_panel <- function(x, subset, ...) {
  refuse_others(...)
  if (missing(subset)) return(x)
  dates <- eval(substitute(subset), as.data.frame(x), parent.frame())
  if (!is.logical(dates)) refuse_sum("subset", "Its condition is TRUE or FALSE for each date.")
  x[which(dates), ]
}

#' @rdname tables
#' @export
summary.imbroglio_panel <- function(object, ...) summary(as.data.frame(object), ...)

#' @rdname tables
#' @importFrom utils str
#' @export
str.imbroglio_panel <- function(object, ...) utils::str(as.data.frame(object), ...)

#' @rdname tables
#' @export
with.imbroglio_panel <- function(data, expr, ...) {
  eval(substitute(expr), as.data.frame(data), enclos = parent.frame())
}
