#' Two periods, two books, two strategies
#'
#' A measure of one sample beside the same of another, the difference, its standard error, and
#' whether it could be chance.
#'
#' Where the two share dates they are compared over the intervals that both have, and drawn
#' together, so that what moves both is no difference (paired). Otherwise, as of two periods, each
#' is drawn by itself. Samples are drawn in blocks of random length (Politis and Romano 1994),
#' which keeps what of one return there is in the next; the standard error is the standard
#' deviation of the differences over the draws, the interval is that of a normal distribution, and
#' `p` is how often a difference as large would come of chance alone.
#'
#' Where the trade has a test of its own, it stands beside: of volatilities that are not paired
#' Levene's, of the distances from the medians (Brown and Forsythe 1974), which fat tails do not
#' mislead; of paired Sharpe ratios that of Jobson and Korkie (1981) with Memmel's (2003)
#' correction, of returns that are independent and normal.
#'
#' All is of simple returns. A drawdown grows with the length of the sample: two of different
#' lengths are no fair comparison, and that is noted.
#'
#' @param a,b Tables of returns or prices, or books (as held then). Of the same securities (two
#'   periods): each with itself. Of one in `b`: each of `a` with it. Without `b`, `at` cuts `a`.
#' @param at A date: the first period ends before it, the second begins with it.
#' @param measures Names, of those of [roll_measures()] but `likeness`.
#' @param benchmark Of `beta`, `correlation` and `tracking_error`: one security of the tables.
#' @param level Of value at risk and expected shortfall.
#' @param target,risk_free A year, as fractions: of `sortino`, and of `sharpe`.
#' @param per_year Periods a year; by default each security's own.
#' @param confidence Of the intervals.
#' @param draws,block,seed How many samples, the mean length of a block (by default the cube root
#'   of n), and where chance begins.
#' @return A table, a row for each pair and measure: `security`, `other` (what it is compared with,
#'   or `"from"` a date), `measure`, `n`, `n_other`, `estimate`, `estimate_other`, `difference`
#'   (the first less the second), `difference_error`, `difference_low`, `difference_high`, `p`,
#'   `paired`, and `test` and `test_p`.
#' @section Errors: `imbroglio_error_argument` for tables that cannot be paired, a measure without
#'   its benchmark, a date outside the sample; `imbroglio_error_too_short` for fewer than ten
#'   returns on either side.
#' @references Ledoit and Wolf (2008), Robust performance hypothesis testing with the Sharpe ratio,
#'   Journal of Empirical Finance 15.
#' @family measures of returns
#' @examples
#' prices <- read_prices(demo_file("bay.csv"))
#' compare_measures(prices[, "TARROW"], at = "2019-01-01", draws = 200)
#' compare_measures(prices[, "TARROW"], prices[, "OSSELL"], c("sharpe", "drawdown"), draws = 200)
#' @export
compare_measures <- function(a, b = NULL, measures = c("volatility", "sharpe"), at = NULL,
                             benchmark = NULL, level = 0.99, target = 0, risk_free = 0,
                             per_year = NULL, confidence = 0.95, draws = 1000L, block = NULL,
                             seed = 1L) {
  if (is_drawn(a) || is_drawn(b)) return(over_drawings())
  known <- setdiff(names(rolling_measures()), "likeness")
  measures <- check_choice(measures, "measures", known, several = TRUE)
  level <- check_fraction(level, "level")
  confidence <- check_fraction(confidence, "confidence")
  beside <- measures[vapply(rolling_measures()[measures], `[[`, NA, "beside")]
  if (length(beside) && is.null(benchmark)) {
    fail("argument", sprintf("%s is against a `benchmark`.", beside[1L]))
  }
  check_one_benchmark(benchmark)
  sides <- two_sides(a, b, at)
  pairs <- pairs_of_sides(sides, if (length(beside)) benchmark)
  ask <- list(
    level = level, draws = check_draws(draws), block = block,
    seed = check_whole(seed, "seed", least = 0L), target = target, risk_free = risk_free,
    reach = stats::qnorm((1 + confidence) / 2), measures = measures, per_year = per_year
  )
  ask$rows_of <- rows_kept(ask)
  compared <- lapply(pairs, compare_pair, ask)
  columns <- row_bound(lapply(compared, `[[`, "columns"))
  returns <- sides$whole %||% sides$a
  made <- new_result(
    columns,
    "compare",
    returns_basis(
      returns,
      sample_of(returns$dates, returns$values),
      choices = c(
        beside = sides$words,
        benchmark = if (length(beside)) pairs[[1L]]$benchmark,
        if (any(c("var", "es") %in% measures)) c(level = format(level)),
        draws = count(ask$draws),
        interval = unit_words(confidence)
      ),
      seed = ask$seed,
      exact = list(confidence = confidence, level = level, per_year = per_year)
    ),
    returns
  )
  attr(made, "pairs") <- stats::setNames(
    lapply(compared, `[[`, "pair"),
    vapply(pairs, function(p) paste(p$name, p$other), "")
  )
  made
}

# The rows that are drawn from samples of one length are drawn once for all of them.
rows_kept <- function(ask) {
  kept <- list()
  function(n, seed) {
    key <- paste(n, seed)
    if (is.null(kept[[key]])) {
      how <- resampling(n, ask$draws, ask$block, seed)
      kept[[key]] <<- days_of_paths(how, seq_len(ask$draws))
    }
    kept[[key]]
  }
}

compare_pair <- function(pair, ask) {
  n <- c(length(pair$a$x), length(pair$b$x))
  if (any(n < 10L)) {
    fail(
      "too_short",
      sprintf("%s has fewer than ten returns on one side.", pair$name),
      where = sprintf("It has %s and %s.", count(n[1L]), count(n[2L]))
    )
  }
  m <- c(periods_a_year(pair$a$dates, ask$per_year), periods_a_year(pair$b$dates, ask$per_year))
  rows <- ask$rows_of(n[1L], ask$seed)
  rows_b <- if (pair$paired) rows else ask$rows_of(n[2L], ask$seed + 1L)
  a <- compared_figures(pair$a, rows, m[1L], ask)
  b <- compared_figures(pair$b, rows_b, m[2L], ask)
  if ("drawdown" %in% ask$measures && max(n) > 1.2 * min(n)) {
    note("lengths", sprintf(
      "The samples of %s have %s and %s returns: a drawdown grows with the length.",
      pair$name, count(n[1L]), count(n[2L])
    ))
  }
  k <- length(ask$measures)
  difference <- a$now - b$now
  error <- vapply(seq_len(k), function(i) {
    apart <- a$drawn[i, ] - b$drawn[i, ]
    stats::sd(apart[is.finite(apart)])
  }, 0)
  tests <- lapply(ask$measures, own_test, pair, n, ask)
  list(pair = c(pair, list(per_year = m, ask = ask[names(ask) != "rows_of"])), columns = list(
    security = rep(pair$name, k),
    other = rep(pair$other, k),
    measure = ask$measures,
    n = rep(n[1L], k),
    n_other = rep(n[2L], k),
    estimate = a$now,
    estimate_other = b$now,
    difference = difference,
    difference_error = error,
    difference_low = difference - ask$reach * error,
    difference_high = difference + ask$reach * error,
    p = ifelse(error > 0, 2 * stats::pnorm(-abs(difference / error)), NA_real_),
    paired = rep(pair$paired, k),
    test = vapply(tests, `[[`, "", "test"),
    test_p = vapply(tests, `[[`, 0, "p")
  ))
}

periods_a_year <- function(dates, per_year) {
  if (!is.null(per_year)) return(check_positive(per_year, "per_year"))
  rhythms_of(dates, matrix(1, length(dates), 1L))$per_year[[1L]]
}

# Each measure of one side: now, and of each draw.
compared_figures <- function(side, rows, per_year, ask) {
  core_ask <- list(
    order = 1, additive = 0L, log = 0L, deepest = 3L, level = ask$level
  )
  x <- matrix(side$x)
  target <- target_a_period(ask$target, per_year, "simple")
  found <- function(of) {
    core_figures_drawn(x, grown_of(x, "simple"), side$beside %||% numeric(), of, target, core_ask)
  }
  years <- length(side$x) / per_year
  make <- function(figures) {
    f <- stats::setNames(lapply(seq_along(figure_names), function(i) figures[i, ]), figure_names)
    do.call(rbind, lapply(ask$measures, function(name) {
      compared_number(name, f, per_year, years, target, ask)
    }))
  }
  as_is <- matrix(seq_along(side$x))
  now <- make(matrix(found(as_is), length(figure_names)))
  drawn <- make(matrix(found(rows), length(figure_names)))
  list(now = as.vector(now), drawn = drawn)
}

compared_number <- function(name, f, per_year, years, target, ask) {
  year <- sqrt(per_year)
  rate <- target_a_period(ask$risk_free, per_year, "simple")
  switch(
    name,
    volatility = f$deviation * year,
    drawdown = f$max_drawdown,
    semi_deviation = f$semi_deviation * year,
    return = expm1(log1p(f$growth) / years),
    sharpe = ifelse(f$deviation > 0, (f$mean - rate) / f$deviation * year, NA_real_),
    sortino = ifelse(
      f$downside_deviation > 0, (f$mean - target) / f$downside_deviation * year, NA_real_
    ),
    tracking_error = f$tracking_error * year,
    f[[name]]
  )
}

# What the trade tests it by, where that is known.
own_test <- function(name, pair, n, ask) {
  if (name == "volatility" && !pair$paired) {
    z <- c(abs(pair$a$x - stats::median(pair$a$x)), abs(pair$b$x - stats::median(pair$b$x)))
    side <- rep(1:2, n)
    centre <- tapply(z, side, mean)
    between <- sum(n * (centre - mean(z))^2)
    within <- sum((z - centre[side])^2) / (sum(n) - 2)
    return(list(
      test = "Levene", p = stats::pf(between / within, 1, sum(n) - 2, lower.tail = FALSE)
    ))
  }
  if (name == "sharpe" && pair$paired) {
    return(list(test = "Jobson and Korkie", p = sharpe_test(pair, ask)))
  }
  list(test = NA_character_, p = NA_real_)
}

# Of the difference of two paired Sharpe ratios a period.
sharpe_test <- function(pair, ask) {
  m <- periods_a_year(pair$a$dates, ask$per_year)
  rate <- target_a_period(ask$risk_free, m, "simple")
  x <- pair$a$x - rate
  y <- pair$b$x - rate
  s <- c(mean(x) / stats::sd(x), mean(y) / stats::sd(y))
  rho <- stats::cor(x, y)
  variance <- (2 - 2 * rho + (s[1L]^2 + s[2L]^2) / 2 - s[1L] * s[2L] * rho^2) / length(x)
  2 * stats::pnorm(-abs(s[1L] - s[2L]) / sqrt(variance))
}
