record_of_beta <- function() {
  measure_record(
    30,
    title = "Beta",
    asks = "How does it move when the benchmark moves?",
    measure = measure_beta,
    columns = list(
      beta = column("beta", "ratio"),
      beta_error = column("error", "ratio"),
      beta_t = column("t", "two", detail = TRUE),
      beta_p = column("p", "p", detail = TRUE),
      beta_low = column("low", "ratio"),
      beta_high = column("high", "ratio"),
      alpha = column("alpha", "small", detail = TRUE),
      alpha_annual = column("alpha a year", "fraction"),
      alpha_error = column("error", "small", detail = TRUE),
      alpha_t = column("t", "two", detail = TRUE),
      alpha_p = column("p", "p"),
      alpha_low = column("low", "small", detail = TRUE),
      alpha_high = column("high", "small", detail = TRUE),
      r_squared = column("R2", "ratio"),
      residual_volatility = column("residual", "fraction", detail = TRUE),
      residual_volatility_annual = column("residual a year", "fraction"),
      beta_adjusted = column("adjusted", "ratio"),
      beta_up = column("up", "ratio"),
      beta_down = column("down", "ratio"),
      every = column("every", "text"),
      span = column("last", "text")
    ),
    shares = c("security", "benchmark", "from", "to", "n", "correlation", "window"),
    compares = compares(
      "beta", "has the highest beta", "the lowest", " beta against {benchmark}",
      " against {benchmark}", write = "number"
    ),
    command = command_record(
      "Measure", 40,
      says = "alpha and beta against a benchmark, with their errors",
      options = c(
        choose, "benchmark", "every", "spans", "keep-unfinished", "kind", "window", "min-obs",
        "per-year", "risk-free", "errors", "lags", "together", "confidence", book, hand_on
      ),
      trade = list(
        trade(
          c("Jensen alpha", "alpha", "R squared", "downside beta"),
          "the line of a security on its benchmark, with its errors",
          "imbroglio beta FILE --benchmark NAME"
        )
      ),
      help = c(
        errors = "ordinary or newey-west (ordinary)",
        every = paste0(
          "returns by day, week, fortnight, month, quarter, half-year or year; several ",
          "side by side"
        )
      ),
      example = c(
        "imbroglio beta bay.csv --benchmark BAYALL --security TARROW --figure line.png",
        paste0(
          "imbroglio beta bay.csv --benchmark BAYALL --security TARROW --every ",
          "day,week,month --spans \"1 year,5 years\""
        )
      ),
      tries = c(errors = "newey-west"),
      ways = c(
        "--benchmark INDEXX",
        "--benchmark INDEXX --window 40",
        "--benchmark INDEXX --errors newey-west",
        "--benchmark INDEXX --every day,week"
      )
    ),
    parts = list(
      beta = part(
        "benchmark", 10, needs = c("returns", "benchmark"), above = c("lead", "figure", "table"),
        draws = "first"
      )
    ),
    follows = list(
      beta = followed(
        100, "Beta", "two", "[measure_beta()]", column_over_time("beta", measure_beta),
        beside = TRUE
      )
    ),
    cases = quote(list(
      whole = measure_beta(x, b),
      newey_west = measure_beta(x, b, errors = "newey-west", risk_free = 0.01),
      rolling = measure_beta(x, b, window = 4),
      by_hand = measure_beta(
        x, b, risk_free = 0.0123456789012, per_year = 250.5, confidence = 0.9
      ),
      side_by_side = measure_beta(prices, b, every = c("day", "month"), last = "1 year")
    ))
  )
}

#' Alpha and beta against a benchmark
#'
#' Ordinary least squares of a security's returns (y) on a benchmark's (x), \eqn{r_i = \alpha +
#' \beta r_b + e}{r_i = alpha + beta r_b + e}, both less the risk-free return where one is given,
#' over the same intervals: from one date on which both have a price to the next.
#'
#' @section Errors of the estimates: `errors = "ordinary"` takes the \eqn{e}{e} as independent and
#'   of one size. `"newey-west"` allows for changing size and for correlation over `lags` periods,
#'   by the weights \eqn{1 - j / (lags + 1)}{1 - j / (lags + 1)} (Newey and West), without a
#'   correction for small samples; by default \eqn{\lfloor 4 (n/100)^{2/9} \rfloor}{floor(4
#'   (n/100)^(2/9))} lags. p-values and intervals by Student's t with n - 2 degrees of freedom (n
#'   less the number of estimates, of several benchmarks together).
#'
#' @param returns A returns table, or a price table, whose simple returns are taken.
#' @param benchmark The name of a security in the table, or several; or a table of prices or
#'   returns with the benchmarks, whose dates may differ.
#' @param window The number of shared intervals in a rolling window, or several such numbers.
#'   `NULL`: the whole sample.
#' @param min_obs How many will do before the window is full, at least 3. By default the whole
#'   window.
#' @param per_year Periods a year, of all securities; by default each its own, see
#'   [measure_volatility()].
#' @param risk_free The risk-free return, a number a year or a series, see [measure_return()].
#' @param errors `"ordinary"` or `"newey-west"`; `lags` of the latter.
#' @param lags A whole number, or `NULL`.
#' @param together Whether several benchmarks go into one regression, so that each beta is beside
#'   the others.
#' @param every Several frequencies to measure side by side, such as `c("day", "week", "month")`.
#' @param last Several spans of time that end with the last price, such as `c("1 year", "5
#'   years")`.
#' @param confidence Of the intervals.
#' @param as `"table"`, or for one rolling window and benchmark `"matrix"`: the bare betas, dates
#'   in rows.
#' @param x A result of `measure_beta()`.
#' @param ... Must be empty.
#' @return A table, one row for each security that is no benchmark, and benchmark (frequency,
#'   span): `security`, `benchmark`, `every` and `span` (if asked for), `from`, `to` (the dates of
#'   the first and last shared return), `n`; `beta` with `beta_error`, `beta_t`, `beta_p`,
#'   `beta_low`, `beta_high`; `alpha` (a period) with `alpha_annual` (alpha m) and the same;
#'   `r_squared`, `correlation`; `residual_volatility` (a period, with n - 2) and
#'   `residual_volatility_annual`; `beta_adjusted` \eqn{(2 \beta + 1) / 3}{(2 beta + 1) / 3};
#'   `beta_up` and `beta_down`, the slopes over the periods in which x was above, and below, 0.
#'   Together, the last three and `correlation` are left out. Rolling: `security`, `benchmark`,
#'   `window`, `from`, `to`, `n`, `beta`, `alpha`, `alpha_annual`, `r_squared`,
#'   `residual_volatility`, a row for each shared return.
#'
#'   `tidy()`: a row for each `term` of each line, with `estimate`, `std.error`, `statistic`,
#'   `p.value`, `conf.low` and `conf.high`. `glance()`: `r.squared`, `sigma` and `nobs` of each
#'   line. See [models].
#' @eval columns_in_docs("beta")
#' @section Errors: `imbroglio_error_argument` for a benchmark that is not there, frequencies
#'   finer than the prices, or a window that cannot be; a warning (`imbroglio_warning_window`)
#'   where no security shares as many returns as the window has.
#' @references Newey and West (1987), A simple, positive semi-definite, heteroskedasticity and
#'   autocorrelation consistent covariance matrix, Econometrica 55.
#' @eval concepts_in_docs("measure_beta")
#' @family measures beside others
#' @examples
#' prices <- read_prices(demo_file("bay.csv"))
#' measure_beta(prices, benchmark = "BAYALL", errors = "newey-west")
#' two <- prices[, c("BAYALL", "TARROW")]
#' measure_beta(two, "BAYALL", every = c("day", "week", "month"), last = c("1 year", "5 years"))
#' three <- prices[, c("BAYALL", "BAYBOND", "TARROW")]
#' measure_beta(three, c("BAYALL", "BAYBOND"), together = TRUE)
#' measure_beta(prices[, c("BAYALL", "TARROW")], "BAYALL", window = 250)
#' @export
measure_beta <- function(returns, benchmark, window = NULL, min_obs = NULL, per_year = NULL,
                         risk_free = NULL, errors = c("ordinary", "newey-west"), lags = NULL,
                         confidence = 0.95, together = FALSE, every = NULL, last = NULL,
                         as = c("table", "matrix")) {
  if (is_drawn(returns)) return(over_drawings())
  if (is_opened(returns)) return(over_blocks_unlike())
  apart <- if (is.null(every)) over_unlike(returns, if (missing(benchmark)) NULL else benchmark)
  if (!is.null(apart)) return(apart)
  as <- one_of(as, "as", c("table", "matrix"))
  choices <- list(
    errors = one_of(errors, "errors", c("ordinary", "newey-west")),
    lags = lags,
    confidence = check_fraction(confidence, "confidence"),
    risk_free = risk_free
  )
  if (!is.null(lags)) choices$lags <- check_whole(lags, "lags", least = 0L)
  beside <- paired_with(take_returns(returns), if (missing(benchmark)) NULL else benchmark)
  if (!is.null(every) || !is.null(last)) {
    if (!is.null(window)) fail("argument", "Give `window`, or `every` and `last`.")
    return(beta_side_by_side(beside, every, last, per_year, choices, together))
  }
  if (!is.null(window)) {
    windows <- check_windows(window, min_obs, least = 3L, several = as == "table")
    if (together) {
      fail(
        "argument",
        "A rolling window is of one benchmark at a time.",
        remedy = "Leave `together` out."
      )
    }
    return(rolling_beta_of(beside, windows, per_year, choices, as))
  }
  refuse_without_window(min_obs, as)
  lines_of(beside, per_year, choices, together)
}

beta_side_by_side <- function(beside, every, last, per_year, choices, together) {
  prices <- beside$returns$prices
  if (is.null(prices)) {
    fail(
      "argument",
      "Frequencies and spans side by side are taken from prices; these are given returns."
    )
  }
  if (!is.null(every)) check_choice(every, "every", names(frequencies), several = TRUE)
  parts <- list()
  for (span in if (is.null(last)) list(NULL) else as.list(last)) {
    part <- if (is.null(span)) prices else window(prices, last = span)
    for (frequency in if (is.null(every)) list(NULL) else every) {
      returns <- as_returns(part, kind = beside$returns$kind, every = frequency)
      line <- lines_of(list(returns = returns, names = beside$names), per_year, choices, together)
      columns <- as.list(as.data.frame(line))
      parts[[length(parts) + 1L]] <- list(
        basis = basis(line),
        returns = returns,
        line = attr(line, "line"),
        columns = c(
          columns[1:2],
          list(every = every_by_row(line)),
          if (!is.null(span)) list(span = rep(span, length(columns$n))),
          columns[setdiff(names(columns)[-(1:2)], "every")]
        )
      )
    }
  }
  columns <- stacked(lapply(parts, `[[`, "columns"))
  in_order <- order(
    match(columns$security, columns$security),
    match(columns$benchmark, columns$benchmark)
  )
  about <- parts[[1L]]$basis
  about$from <- min(columns$from, na.rm = TRUE)
  about$to <- max(columns$to, na.rm = TRUE)
  about$digest <- prices$digest
  about$observations <- vapply(
    split(columns$n, factor(columns$security, unique(columns$security))),
    max,
    0L
  )
  if (length(every) > 1L) about$per_year <- NA_real_
  about$choices <- c(
    every = paste(unique(columns$every), collapse = ", "),
    if (!is.null(last)) c(last = paste(last, collapse = ", ")),
    about$choices
  )
  result <- new_result(lapply(columns, `[`, in_order), "beta", about, parts[[1L]]$returns)
  attr(result, "line") <- parts[[1L]]$line
  attr(result, "prices") <- prices
  result
}

rolling_beta_of <- function(beside, windows, per_year, choices, as) {
  free <- paired_risk_free(beside$returns, choices$risk_free)
  returns <- free$returns
  rows <- besides(returns, c(beside$names, if (free$series) free$name))
  if (as == "matrix" && length(beside$names) > 1L) {
    fail("argument", "A bare matrix is of one benchmark.")
  }
  roll <- function(core, benchmark, window, least) {
    per_year <- shared_frequency(returns, rows, benchmark, per_year)$per_year
    place <- match(benchmark, colnames(returns$values)) - 1L
    by_rate(free, per_year, function(rates, those) {
      core(
        returns$values,
        starts_of(returns),
        place,
        rows[those],
        rates,
        free$start,
        spans_gaps(returns),
        returns$kind == "log",
        window,
        least
      )
    })
  }
  if (as == "matrix") {
    slopes <- roll(core_rolling_beta, beside$names, windows$window, windows$least)
    return(named_by_date(slopes, returns, rows))
  }
  parts <- list()
  shared <- 0L
  for (b in beside$names) {
    shared_by <- shared_frequency(returns, rows, b, per_year)
    for (i in seq_along(windows$window)) {
      line <- roll(core_rolling_line, b, windows$window[i], windows$least[i])
      frame <- window_frame(returns, line$place, colnames(returns$values)[rows])
      shared <- max(shared, frame$n)
      columns <- pair_columns(frame, windows$window[i], b, shared_by)
      alpha <- frame$pick(line$alpha)
      parts[[length(parts) + 1L]] <- c(
        columns,
        list(
          beta = frame$pick(line$beta),
          alpha = alpha,
          alpha_annual = alpha * columns$per_year,
          r_squared = frame$pick(line$correlation)^2,
          residual_volatility = frame$pick(line$residual)
        )
      )
    }
  }
  warn_short(shared, min(windows$least))
  columns <- stacked(parts)
  words <- c(
    benchmark = paste(beside$names, collapse = ", "),
    windows$words,
    if (!is.null(free$name)) c("risk-free" = free$name)
  )
  exact <- list(risk_free = yearly_rate(choices$risk_free), per_year = per_year)
  pair_result(columns, "beta", returns, rows, columns$per_year, words, exact)
}

#' @rdname measure_beta
#' @exportS3Method generics::tidy
tidy.imbroglio_beta <- function(x, ...) {
  refuse_others(...)
  if (!is.null(x[["window"]])) fail("argument", "A rolling result has no one line to take apart.")
  table <- as.data.frame(x)
  keys <- intersect(c("security", "benchmark", "every", "span"), names(table))
  tibble::as_tibble(tidy_rows(table, keys, c("alpha", "beta")))
}

#' @rdname measure_beta
#' @exportS3Method generics::glance
glance.imbroglio_beta <- function(x, ...) {
  refuse_others(...)
  table <- as.data.frame(x)
  keys <- intersect(c("security", "benchmark", "every", "span", "window", "to"), names(table))
  tibble::as_tibble(c(table[keys], list(
    r.squared = table$r_squared, sigma = table$residual_volatility, nobs = table$n
  )))
}
