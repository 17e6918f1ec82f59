#' Volatility
#'
#' The sample standard deviation of returns,
#' \deqn{s = \sqrt{\frac{1}{n - 1} \sum_t (r_t - \bar r)^2},}{s = sqrt(sum((r - mean(r))^2)
#' / (n - 1)),}
#' and a year \eqn{s \sqrt{m}}, for the whole sample or for a window that rolls
#' over it.
#'
#' A window is the last `window` returns of the security itself: a day on which it
#' has no return is no part of any. Before the window is full there is no
#' result, unless `min_obs` says that fewer returns will do. One return has no standard deviation.
#'
#' @section How it is computed:
#' The whole sample in two passes. Rolling in time linear in the data: the sample is cut
#' into blocks of the
#' window's length, each window is the tail of one and the head of the next, and the
#' two are joined by the update of Chan, Golub and LeVeque. Nothing is subtracted
#' from a running sum, so the last window is as exact as the first at any level of the data.
#'
#' @param returns A returns table, see [as_returns()]; or a price table, whose simple
#'   returns are taken.
#' @param window The number of returns in a rolling window, or several such numbers.
#'   `NULL`: the whole sample.
#' @param min_obs How many returns will do before the window is full, at least 2. By
#'   default the whole window.
#' @param per_year Periods a year. By default 252 for daily returns, 52, 12, 4 and 1 for
#'   weekly to yearly.
#' @param as `"table"`, or for one rolling window `"matrix"`: the bare volatilities a
#'   period, dates in rows,
#'   which for thousands of securities is several times less to write.
#' @return A table of `security`, `window` (if rolling), `from`, `to` (the dates of the
#'   first and last return used),
#'   `n` (how many), `volatility` (a period) and `volatility_annual`, both fractions. One row
#'   for each security, or
#'   for each security, window and return. Fewer than two returns have `NA`.
#' @section Errors:
#'   `imbroglio_error_argument` for a window, `min_obs` or `per_year` that cannot be; a warning
#'   (`imbroglio_warning_window`) where no security has as many returns as the window.
#' @references Chan, Golub and LeVeque (1983), Algorithms for computing the sample
#'   variance, The American Statistician 37.
#' @examples
#' returns <- as_returns(read_prices(demo_file("bay.csv")))
#' measure_volatility(returns)
#' measure_volatility(returns[, "TARROW"], window = c(20, 250), min_obs = 10)
#' @export
measure_volatility <- function(returns, window = NULL, min_obs = NULL, per_year = NULL, as = c("table", "matrix")) {
  returns <- take_returns(returns)
  as <- check_choice(as[1L], "as", c("table", "matrix"))
  per_year <- if (is.null(per_year)) frequencies[[returns$every]]$per_year else check_positive(per_year, "per_year")
  if (is.null(window)) {
    if (!is.null(min_obs) || as == "matrix") {
      fail("argument", "`min_obs` and `as = \"matrix\"` are for a rolling window.", remedy = "Give `window` too.")
    }
    return(whole_volatility(returns, per_year))
  }
  window <- check_whole(window, "window", least = 2L, several = as == "table")
  least <- if (is.null(min_obs)) window else rep(check_whole(min_obs, "min_obs", least = 2L), length(window))
  if (any(least > window)) {
    fail("argument", "`min_obs` cannot be more than the window.",
         where = sprintf("It is %s, for a window of %s.", max(least), min(window)))
  }
  values <- lapply(seq_along(window), function(i) core_rolling_deviation(returns$values, window[i], least[i]))
  if (nrow(returns) < min(least) || all(is.na(values[[which.min(least)]][nrow(returns), ]))) {
    warn_short(max(core_observed(returns$values)), min(least))
  }
  if (as == "matrix") return(`dimnames<-`(values[[1L]], dimnames(returns)))
  volatility_by_window(returns, window, least, values, per_year)
}

warn_short <- function(longest, least) {
  if (longest >= least) return(invisible())
  caution("window", sprintf("No security has as many as %s; there is no window to measure.", count(least, "return")),
          remedy = sprintf("The longest has %s.", count(longest)))
}

whole_volatility <- function(returns, per_year) {
  sample <- sample_of(returns$dates, returns$values)
  deviation <- core_deviation(returns$values)
  new_result(
    list(security = colnames(returns$values), from = sample$from, to = sample$to, n = sample$n,
         volatility = deviation, volatility_annual = deviation * sqrt(per_year)),
    "volatility", returns_basis(returns, sample, per_year = per_year), returns
  )
}

volatility_by_window <- function(returns, window, least, values, per_year) {
  sample <- sample_of(returns$dates, returns$values)
  days <- as.numeric(returns$dates)
  cells <- if (all(sample$n == nrow(returns))) NULL else which(!is.na(returns$values))
  rows <- if (is.null(cells)) rep(seq_along(days), ncol(returns)) else (cells - 1L) %% length(days) + 1L
  place <- sequence(sample$n)
  security <- rep(colnames(returns$values), sample$n)
  part <- function(i) {
    n <- pmin(place, window[i])
    deviation <- if (is.null(cells)) as.vector(values[[i]]) else values[[i]][cells]
    list(security = security, window = rep(window[i], length(rows)),
         from = .Date(days[rows[seq_along(rows) - n + 1L]]), to = .Date(days[rows]),
         n = n, volatility = deviation, volatility_annual = deviation * sqrt(per_year))
  }
  parts <- lapply(seq_along(window), part)
  columns <- if (length(parts) == 1L) parts[[1L]] else as.list(data.table::rbindlist(parts))
  choices <- c(window = paste(window, collapse = ", "), min_obs = paste(unique(least), collapse = ", "))
  new_result(columns, "volatility", returns_basis(returns, sample, per_year = per_year, choices = choices), returns)
}
