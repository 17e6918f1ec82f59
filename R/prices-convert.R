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
