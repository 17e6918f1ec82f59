#' Moving averages, and all from 100
#'
#' `average_prices()` gives the mean of the last `window` prices of each security,
#' `rebase_prices()` multiplies each so that it is
#' `to` at its first price, or on the date `at`. Both are price tables, for a figure or for
#' more sums.
#'
#' @param prices A price table.
#' @param window How many prices of the security itself; before there are as many there is
#'   no average.
#' @param to The value to start from.
#' @param at A date, or `NULL` for each security's first price; without a price on it, the
#'   last one before counts.
#' @return A price table.
#' @family ways to put prices right
#' @examples
#' prices <- read_prices(demo_file("bay.csv"))[, c("BAYALL", "TARROW")]
#' average_prices(prices, 250)
#' rebase_prices(prices, at = "2018-10-11")
#' @export
average_prices <- function(prices, window) {
  prices <- as_prices(prices)
  window <- check_whole(window, "window")
  longest <- max(core_observed(prices$close))
  if (window > longest) {
    fail(
      "too_short",
      sprintf("No security has as many as %s.", count(window, "price")),
      where = sprintf("The longest has %s.", count(longest))
    )
  }
  with_close(prices, core_rolling_mean(prices$close, window, window))
}

#' @rdname average_prices
#' @export
rebase_prices <- function(prices, to = 100, at = NULL) {
  prices <- as_prices(prices)
  to <- check_positive(to, "to")
  at <- check_date(at, "at")
  row <- if (is.null(at)) {
    core_span(prices$close)$first
  } else {
    rows <- which(prices$dates <= at)
    vapply(
      seq_len(ncol(prices)),
      function(j) utils::tail(rows[!is.na(prices$close[rows, j])], 1L)[1L],
      0L
    )
  }
  if (anyNA(row)) {
    fail(
      "too_short",
      sprintf(
        "%s has no price on or before %s.",
        some(colnames(prices)[is.na(row)]),
        at %||% "any date"
      )
    )
  }
  with_close(prices, sweep(prices$close, 2L, to / prices$close[cbind(row, seq_along(row))], `*`))
}

# Other prices in the same table; its other fields belong to the old ones. Securities
# that have none are left out.
with_close <- function(prices, close) {
  there <- core_observed(close) > 0L
  made <- new_prices(
    prices$dates,
    `colnames<-`(close, colnames(prices))[, there, drop = FALSE],
    prices$origin,
    layout = prices$layout
  )
  made$universe <- prices$universe
  made$repairs <- prices$repairs
  made
}

#' Prices and returns as other classes
#'
#' `as.data.frame()`, `tibble::as_tibble()`, `as.matrix()`, `zoo::as.zoo()` and `as.ts()`
#' take price and returns tables; [as_prices()]
#' takes `zoo` and `ts`. A time series of months, quarters or years has the calendar of its
#' dates; of days and weeks it counts the dates.
#'
#' @param x A price or returns table.
#' @param ... Must be empty.
#' @return An object of the class asked for.
#' @family what measures are of
#' @examples
#' prices <- read_prices(demo_file("bay.csv"))
#' tail(as.matrix(prices)[, 1:3], 2)
#' @name conversions
NULL

#' @rdname conversions
#' @export
as.ts.imbroglio_prices <- function(x, ...) {
  time_series(as.matrix(x), x$dates, calendar_every(x$dates))
}

time_series <- function(values, dates, every) {
  first <- as.POSIXlt(dates[1L])
  a_year <- c(month = 12, quarter = 4, year = 1)[every]
  rownames(values) <- NULL
  if (is.na(a_year)) return(stats::ts(values))
  start <- c(first$year + 1900, if (a_year > 1) first$mon %/% (12 / a_year) + 1)
  stats::ts(values, start = start, frequency = unname(a_year))
}

#' @rdname conversions
#' @exportS3Method zoo::as.zoo
as.zoo.imbroglio_prices <- function(x, ...) zoo::zoo(x$close, x$dates)

#' @rdname conversions
#' @exportS3Method tibble::as_tibble
as_tibble.imbroglio_prices <- function(x, ...) tibble::as_tibble(as.data.frame(x), ...)
