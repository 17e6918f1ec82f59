record_of_compare <- function() {
  measure_record(
    100,
    title = "Compared",
    asks = "Is the difference more than chance?",
    measure = compare_measures,
    columns = list(
      n_other = column("n", "count"),
      estimate_other = column("the other", "number"),
      difference = column("difference", "number"),
      difference_error = column("error", "number"),
      difference_low = column("low", "number"),
      difference_high = column("high", "number"),
      p = column("p", "p"),
      paired = column("paired", "truth", detail = TRUE),
      why = column("why there is no p", "text", optional = TRUE),
      test = column("test", "text", optional = TRUE),
      test_p = column("its p", "p", optional = TRUE)
    ),
    shares = c("security", "other", "measure", "n", "estimate"),
    compares = NULL,
    command = command_record(
      "Compare, through time and with the past", 20,
      says = "two periods, two securities or two books: the difference, and whether it is chance",
      options = c(
        choose, "every", "keep-unfinished", "at", "against", "measures", "benchmark", "level",
        "target", "risk-free", "per-year", "confidence", "draws", "seed",
        setdiff(book, "parts"), hand_on
      ),
      trade = list(
        trade(
          c("Levene test", "difference of Sharpe ratios", "before and after"),
          "two periods, securities or books, and whether they differ by more than chance",
          "imbroglio compare FILE --at DATE, or --against NAME"
        )
      ),
      help = c(
        draws = "samples (1,000)"
      ),
      example = c(
        "imbroglio compare bay.csv --security TARROW,OSSELL --at 2020-01-01 --figure compare.png",
        paste0(
          "imbroglio compare bay.csv --weights TARROW=0.6,BAYBOND=0.4 --against BAYALL ",
          "--measures sharpe,drawdown,var"
        )
      ),
      ways = c(
        "--at 2021-06-01 --draws 30 --measures sharpe,sortino,es,beta --benchmark INDEXX",
        "--weights SHAREX=0.6,NEWXXX=0.4 --against INDEXX --draws 30"
      )
    ),
    parts = list(
      compare = part(
        "more", 20, "whole", above = c("lead", "figure", "table"), usual = FALSE
      )
    ),
    cases = quote(list(
      whole = compare_measures(
        x[, c(colnames(x)[1], b)], at = x$dates[floor(0.9 * nrow(x$close))],
        level = 0.9, target = 0.01, risk_free = 0.02,
        measures = setdiff(followed_names, "mean_correlation"), benchmark = b, draws = 20
      )
    ))
  )
}

#' Two periods, two books, two strategies
#'
#' A measure of one sample beside the same of another, the difference, its standard error, and
#' whether it could be chance.
#'
#' Where the two share dates they are compared over the intervals that both have, and drawn
#' together, so that what moves both is no difference (paired). Otherwise, as of two periods, each
#' is measured by itself.
#'
#' @section What chance does: Volatility clusters: two halves of one sample differ by more than
#'   errors for independent returns allow, and so do blocks and kernels, whose memory is too short.
#'   What is fitted to the returns is GARCH with innovations of Student's t, see [fit_garch()], on
#'   what is left where each return leans on the one before it (an autocorrelation beyond two
#'   errors that allow for changing volatility). Twice the log-likelihood ratio to a constant
#'   volatility above 3 finds clustering; of fewer than 250 returns no such test tells, and the fit
#'   stands as it is. `draws` samples are drawn from it and measured. Two periods are fitted as one
#'   sample, as if nothing had changed between them; two series each by itself, and drawn by the
#'   ranks of the innovations of one day, so that they move together as they did; beside a
#'   benchmark, what it makes of each and the rest.
#'
#'   Volatilities, values at risk, shortfalls, tracking errors and drawdowns are compared by the
#'   logarithm of their ratio, all else by the difference. `p` is how often draws are as far apart
#'   (of two series: from the mean of the draws), \eqn{(1 + k) / (1 + draws)}{(1 + k) / (1 +
#'   draws)}; the interval reaches as far as they do at the confidence, `difference_error` is the
#'   root mean square. An interval crosses 0 where p is above 1 less the confidence.
#'
#'   Of 100 pairs of samples that do not differ it finds at 5 %, by `bench/chance-study.md` of the
#'   sources, 4.3 on average, 1 to 8 in nine cells of ten (each measure; two halves of one sample,
#'   and two series that share a part; 250, 1,000 and 2,500 returns that are normal, of Student's t
#'   with 4 degrees of freedom, lean by 0.2 on the one before, or cluster by GARCH with alpha 0.08,
#'   beta 0.9 and t(6)).
#'
#'   Where no p would be sound there is none, no error and no interval, and `why` says so: returns
#'   that nothing could be fitted to; tails fatter than t(2.05); volatility that clusters in fewer
#'   than 500 returns, both sides together, for what hangs on it; a level of value at risk beyond
#'   which less than one return is expected on either side; drawdowns of samples whose lengths
#'   differ by more than a fifth; numbers of which one is not on the same side of 0.
#'
#'   Where returns neither cluster nor lean (of 250 or more), a test of the trade stands beside: of
#'   volatilities that are not paired Levene's, of the distances from the medians (Brown and
#'   Forsythe 1974); of paired Sharpe ratios that of Jobson and Korkie (1981) with Memmel's (2003)
#'   correction, of returns that are independent and normal.
#'
#' All is of simple returns.
#'
#' @param a,b Tables of returns or prices, or books (as held then). Of the same securities (two
#'   periods): each with itself. Of one in `b`: each of `a` with it. Without `b`, `at` cuts `a`.
#' @param at A date: the first period ends before it, the second begins with it.
#' @param measures Names, of those of [roll_measures()] but `mean_correlation`.
#' @param benchmark Of `beta`, `correlation` and `tracking_error`: one security of the tables.
#' @param level Of value at risk and expected shortfall.
#' @param target,risk_free A year, as fractions: of `sortino`, and of `sharpe` (none).
#' @param per_year Periods a year; by default each security's own.
#' @param confidence Of the intervals.
#' @param draws,seed How many samples are drawn, and where chance begins.
#' @return A table, a row for each pair and measure: `security`, `other` (what it is compared with,
#'   or `"from"` a date), `measure`, `n`, `n_other`, `estimate`, `estimate_other`, `difference`
#'   (the first less the second), `difference_error`, `difference_low`, `difference_high`, `p`,
#'   `paired`, `why` there is no p, and `test` and `test_p`.
#' @eval columns_in_docs("compare")
#' @section Errors: `imbroglio_error_argument` for tables that cannot be paired, a measure without
#'   its benchmark, a date outside the sample; `imbroglio_error_too_short` for fewer than ten
#'   returns on either side.
#' @references Bollerslev (1987), Review of Economics and Statistics 69. Brown and Forsythe (1974),
#'   Robust tests for the equality of variances, Journal of the American Statistical Association
#'   69.
#' @eval concepts_in_docs("compare_measures")
#' @family measures of returns
#' @examples
#' prices <- read_prices(demo_file("bay.csv"))
#' compare_measures(prices[, "TARROW"], at = "2019-01-01", draws = 200)
#' compare_measures(prices[, "TARROW"], prices[, "OSSELL"], c("sharpe", "drawdown"), draws = 200)
#' @export
compare_measures <- function(a, b = NULL, measures = c("volatility", "sharpe"), at = NULL,
                             benchmark = NULL, level = 0.99, target = 0, risk_free = NULL,
                             per_year = NULL, confidence = 0.95, draws = 1000L, seed = 1L) {
  if (is_drawn(a) || is_drawn(b)) return(over_drawings())
  known <- setdiff(names(rolling_measures()), "mean_correlation")
  measures <- check_choice(measures, "measures", known, several = TRUE)
  level <- check_fraction(level, "level")
  confidence <- check_fraction(confidence, "confidence")
  of_two <- unname(vapply(rolling_measures()[measures], `[[`, NA, "beside"))
  beside <- measures[of_two]
  if (length(beside) && is.null(benchmark)) {
    fail("argument", sprintf("%s is against a `benchmark`.", beside[1L]))
  }
  check_one_benchmark(benchmark)
  sides <- two_sides(a, b, at)
  pairs <- pairs_of_sides(sides, if (length(beside)) benchmark)
  request <- list(
    level = level, draws = check_draws(draws), seed = check_whole(seed, "seed", least = 0L),
    target = target, risk_free = risk_free %||% 0, confidence = confidence, measures = measures,
    beside = of_two, per_year = per_year
  )
  compared <- lapply(pairs, compare_pair, request)
  columns <- stacked(lapply(compared, `[[`, "columns"))
  returns <- sides$whole %||% sides$a
  made <- new_result(
    columns,
    "compare",
    returns_basis_later(
      returns,
      sample_of(returns$dates, returns$values),
      choices = c(
        beside = sides$words,
        benchmark = if (length(beside)) pairs[[1L]]$benchmark,
        if (any(c("var", "es") %in% measures)) c(level = format(level)),
        draws = count(request$draws),
        "returns taken as" = words_of_chances(chances_of_pairs(compared)),
        interval = unit_words(confidence)
      ),
      seed = request$seed,
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

compare_pair <- function(pair, request) {
  n <- c(length(pair$a$x), length(pair$b$x))
  if (any(n < 10L)) {
    fail(
      "too_short",
      sprintf("%s has fewer than ten returns on one side.", pair$name),
      where = sprintf("It has %s and %s.", count(n[1L]), count(n[2L]))
    )
  }
  m <- vapply(pair[c("a", "b")], function(side) {
    periods_a_year(side$dates, request$per_year)
  }, 0, USE.NAMES = FALSE)
  a <- compared_figures(pair$a, m[1L], request)
  b <- compared_figures(pair$b, m[2L], request)
  k <- length(request$measures)
  # Beside a benchmark returns are drawn with it, all else by itself.
  chances <- lapply(c(FALSE, TRUE), function(beside) {
    if (beside %in% request$beside) chance_of_pair(pair, beside)
  })
  apart <- apart_by_chance(pair, chances, a, b, m, request)
  tests <- lapply(request$measures, own_test, pair, n, chances[[1L]], request)
  kept <- list(per_year = m, request = request, chances = chances, apart = apart)
  list(pair = c(pair, kept), columns = c(
    list(
      security = rep(pair$name, k),
      other = rep(pair$other, k),
      measure = request$measures,
      n = rep(n[1L], k),
      n_other = rep(n[2L], k),
      estimate = a,
      estimate_other = b,
      difference = a - b,
      difference_error = apart$error,
      difference_low = apart$low,
      difference_high = apart$high,
      p = apart$p,
      paired = rep(pair$paired, k),
      why = apart$why,
      test = vapply(tests, `[[`, "", "test"),
      test_p = vapply(tests, `[[`, 0, "p")
    )
  ))
}

periods_a_year <- function(dates, per_year) {
  if (!is.null(per_year)) return(check_positive(per_year, "per_year"))
  frequencies_of(dates, matrix(1, length(dates), 1L))$per_year[[1L]]
}

# Each measure of one side.
compared_figures <- function(side, per_year, request) {
  x <- matrix(side$x)
  target <- target_a_period(request$target, per_year, "simple")
  found <- core_figures_drawn(
    x, grown_of(x, "simple"), side$beside %||% numeric(), matrix(seq_along(side$x)), target,
    compared_ask(request)
  )
  compared_numbers(matrix(found, length(figure_names)), length(side$x), per_year, request)[, 1L]
}

compared_ask <- function(request) {
  list(order = 1, additive = 0L, log = 0L, deepest = 3L, level = request$level)
}

# The measures of figures, a column for each sample of n returns.
compared_numbers <- function(figures, n, per_year, request) {
  f <- stats::setNames(lapply(seq_along(figure_names), function(i) figures[i, ]), figure_names)
  target <- target_a_period(request$target, per_year, "simple")
  do.call(rbind, lapply(request$measures, function(name) {
    compared_number(name, f, per_year, n / per_year, target, request)
  }))
}

compared_number <- function(name, f, per_year, years, target, request) {
  year <- sqrt(per_year)
  rate <- target_a_period(request$risk_free, per_year, "simple")
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
own_test <- function(name, pair, n, chance, request) {
  untested <- list(test = NA_character_, p = NA_real_)
  # Both take returns as independent.
  if (is.null(chance$series) || chance$may_cluster || chance$leans) return(untested)
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
    return(list(test = "Jobson and Korkie", p = sharpe_test(pair, request)))
  }
  untested
}

# Of the difference of two paired Sharpe ratios a period.
sharpe_test <- function(pair, request) {
  m <- periods_a_year(pair$a$dates, request$per_year)
  rate <- target_a_period(request$risk_free, m, "simple")
  x <- pair$a$x - rate
  y <- pair$b$x - rate
  s <- c(mean(x) / stats::sd(x), mean(y) / stats::sd(y))
  rho <- stats::cor(x, y)
  variance <- (2 - 2 * rho + (s[1L]^2 + s[2L]^2) / 2 - s[1L] * s[2L] * rho^2) / length(x)
  2 * stats::pnorm(-abs(s[1L] - s[2L]) / sqrt(variance))
}
