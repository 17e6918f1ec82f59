record_of_capture <- function() {
  measure_record(
    80,
    title = "Up and down with the benchmark",
    asks = "How much of its rises and falls does it take?",
    measure = measure_capture,
    columns = list(
      up_capture = column("up capture", "share"),
      up_capture_error = column("error", "points"),
      down_capture = column("down capture", "share"),
      down_capture_error = column("error", "points"),
      capture_ratio = column("up / down", "two"),
      up_capture_mean = column("up, by means", "share", detail = TRUE),
      down_capture_mean = column("down, by means", "share", detail = TRUE),
      up_periods = column("up", "count", detail = TRUE),
      down_periods = column("down", "count", detail = TRUE),
      ahead_up = column("ahead when up", "share"),
      ahead_down = column("ahead when down", "share")
    ),
    shares = c("security", "benchmark", "from", "to", "n", "ahead", "window"),
    compares = compares(
      "up_capture", "takes most of the rises", "least", " of its rises",
      " of those of {benchmark}"
    ),
    command = command_record(
      "Measure", 60,
      says = paste(
        "how much of a benchmark's rises and falls a security takes, and how often it is ahead"
      ),
      options = c(
        choose, "benchmark", "every", "keep-unfinished", "kind", "window", "min-obs", book, hand_on
      ),
      trade = list(
        trade(
          c("Up capture", "down capture", "batting average"),
          "how much of a benchmark's rises and falls a security takes",
          "imbroglio capture FILE --benchmark NAME"
        )
      ),
      example = "imbroglio capture bay.csv --benchmark BAYALL --every month --figure capture.png",
      ways = c(
        "--benchmark INDEXX",
        "--benchmark INDEXX --window 40",
        "--benchmark INDEXX BOOK"
      )
    ),
    parts = list(capture = part(
      "benchmark", 30, needs = c("returns", "benchmark"), keeps = "window"
    )),
    cases = quote(list(
      whole = measure_capture(x, b),
      rolling = measure_capture(as_returns(x, "log"), b, window = 40)
    ))
  )
}

#' Up and down with the benchmark
#'
#' How much of a benchmark's rises and falls a security took, and how often it did better.
#'
#' Over the periods in which the benchmark rose, the up capture is the geometric mean of the
#' security's simple returns over that of the benchmark's, \deqn{\frac{\prod (1 + r_t)^{1/k} -
#' 1}{\prod (1 + b_t)^{1/k} - 1};}{(prod(1 + r)^(1/k) - 1) / (prod(1 + b)^(1/k) - 1);} the down
#' capture is the same over those in which it fell. Others take arithmetic means: `up_capture_mean`
#' and `down_capture_mean`. Periods in which the benchmark did not move count to neither. The
#' capture ratio is the up over the down capture, `NA` where that is not above 0. Returns are over
#' the intervals that both have.
#'
#' Standard errors are by what each return adds to the capture, and the long-run variance of that
#' (prewhitened, Andrews and Monahan 1992): returns may lean on those before them.
#'
#' @inheritParams measure_tracking
#' @return A table, one row for each security that is no benchmark, and benchmark: `security`,
#'   `benchmark`, `from`, `to`, `n`, `up_capture`, `up_capture_error`, `down_capture`,
#'   `down_capture_error`, `capture_ratio`, `up_capture_mean`, `down_capture_mean`, `up_periods`,
#'   `down_periods`, `ahead` (the share of periods in which the security did better, its batting
#'   average), `ahead_up` and `ahead_down` (of those in which the benchmark rose, fell). `NA` where
#'   there is none. Rolling: `window` too, and the captures, their ratio and `ahead` only.
#' @eval columns_in_docs("capture")
#' @section Errors: Those of [measure_beta()].
#' @eval concepts_in_docs("measure_capture")
#' @family measures beside others
#' @examples
#' prices <- read_prices(demo_file("bay.csv"))
#' measure_capture(as_returns(prices, every = "month"), benchmark = "BAYALL")
#' @export
measure_capture <- function(returns, benchmark, window = NULL, min_obs = NULL) {
  if (is_drawn(returns)) return(over_drawings())
  if (is_opened(returns)) return(over_blocks_unlike())
  apart <- over_unlike(returns, if (missing(benchmark)) NULL else benchmark)
  if (!is.null(apart)) return(apart)
  beside <- paired_with(take_returns(returns), if (missing(benchmark)) NULL else benchmark)
  returns <- beside$returns
  rows <- besides(returns, beside$names)
  windows <- if (!is.null(window)) check_windows(window, min_obs)
  if (is.null(window)) refuse_without_window(min_obs)
  securities <- colnames(returns$values)[rows]
  pairs <- unlist(lapply(beside$names, function(b) lapply(securities, c, b)), recursive = FALSE)
  longest <- 0L
  columns <- stacked(unname(lapply(pairs, function(pair) {
    both <- returns_together(returns, pair)
    longest <<- max(longest, length(both$dates))
    made <- if (is.null(windows)) {
      capture_of(pair, both)
    } else {
      rolling_capture(pair, both, windows)
    }
    row <- match(pair[1L], colnames(returns$values))
    every <- shared_frequency(returns, row, pair[2L], NULL)$every
    c(made, list(every = rep(unname(every), length(made$n))))
  })))
  if (!is.null(windows)) warn_short(longest, min(windows$least))
  pair_result(
    columns,
    "capture",
    returns,
    rows,
    rep(NA_real_, length(columns$n)),
    c(benchmark = paste(beside$names, collapse = ", "), windows$words),
    list()
  )
}

capture_of <- function(pair, both) {
  r <- both$r[, 1L]
  b <- both$r[, 2L]
  n <- length(r)
  up <- side_of_capture(r, b, b > 0)
  down <- side_of_capture(r, b, b < 0)
  ahead <- function(of) if (any(of)) mean(r[of] > b[of]) else NA_real_
  list(
    security = pair[1L],
    benchmark = pair[2L],
    from = if (n) both$dates[1L] else as.Date(NA),
    to = if (n) both$dates[n] else as.Date(NA),
    n = n,
    up_capture = up$capture,
    up_capture_error = up$error,
    down_capture = down$capture,
    down_capture_error = down$error,
    capture_ratio = over_falls(up$capture, down$capture),
    up_capture_mean = up$by_mean,
    down_capture_mean = down$by_mean,
    up_periods = sum(b > 0),
    down_periods = sum(b < 0),
    ahead = ahead(rep(TRUE, n)),
    ahead_up = ahead(b > 0),
    ahead_down = ahead(b < 0)
  )
}

# Of what rose when the benchmark fell there is no such ratio.
over_falls <- function(up, down) ifelse(!is.na(down) & down > 0, up / down, NA_real_)

side_of_capture <- function(r, b, on) {
  if (!any(on)) return(list(capture = NA_real_, error = NA_real_, by_mean = NA_real_))
  x <- log1p(r[on])
  y <- log1p(b[on])
  capture <- expm1(mean(x)) / expm1(mean(y))
  error <- core_dependent_error(added_to_capture(r, b, on)) * length(r) / sum(on)
  list(
    capture = capture,
    error = if (sum(on) > 1L) error else NA_real_,
    by_mean = mean(r[on]) / mean(b[on])
  )
}

# What each interval adds to it: what lies on the other side adds nothing.
added_to_capture <- function(r, b, on) {
  x <- log1p(r[on])
  y <- log1p(b[on])
  capture <- expm1(mean(x)) / expm1(mean(y))
  whole <- numeric(length(r))
  whole[on] <- (exp(mean(x)) * (x - mean(x)) - capture * exp(mean(y)) * (y - mean(y))) /
    expm1(mean(y))
  whole
}

# The windows of shared intervals: what lies on the other side counts 0, and is not counted.
rolling_capture <- function(pair, both, windows) {
  r <- both$r[, 1L]
  b <- both$r[, 2L]
  n <- length(r)
  stacked(lapply(seq_along(windows$window), function(i) {
    window <- windows$window[i]
    inside <- pmin(seq_len(n), window)
    summed <- function(x) {
      core_rolling_mean(cbind(x), window, windows$least[i])[, 1L] * inside
    }
    side <- function(on) {
      k <- round(summed(as.numeric(on)))
      over <- function(x) expm1(summed(ifelse(on, log1p(x), 0)) / k)
      ifelse(k > 0, over(r) / over(b), NA_real_)
    }
    up <- side(b > 0)
    down <- side(b < 0)
    list(
      security = rep(pair[1L], n),
      benchmark = rep(pair[2L], n),
      window = rep(window, n),
      from = both$dates[seq_len(n) - inside + 1L],
      to = both$dates,
      n = inside,
      up_capture = up,
      down_capture = down,
      capture_ratio = over_falls(up, down),
      ahead = round(summed(as.numeric(r > b))) / inside
    )
  }))
}
