# Two periods, two series, two books: against base R, errors against resampling and simulation.

test_that("two periods and two series are what base R has, and the trade's tests with them", {
  prices <- stock_prices()
  r <- apply(as.matrix(as.data.frame(prices)[-1]), 2, function(p) diff(p) / head(p, -1))
  at <- prices$dates[1001]
  measures <- c("volatility", "drawdown", "var", "beta", "skewness")
  found <- quietly(compare_measures(
    prices,
    at = at, measures = measures, benchmark = "ISLES", level = 0.95, per_year = 250, draws = 50
  ))
  of <- found[found$security == "NORTH", ]
  x <- r[1:999, 1]
  y <- r[1000:nrow(r), 1]
  b <- r[, 4]
  path <- cumprod(c(1, 1 + x))
  expect_equal(of$n, rep(999L, 5))
  expect_equal(of$estimate, c(
    sd(x) * sqrt(250), min(path / cummax(path) - 1), -sort(x)[50],
    cov(x, b[1:999]) / var(b[1:999]), mean((x - mean(x))^3) / mean((x - mean(x))^2)^1.5
  ), tolerance = 1e-10)
  expect_equal(of$difference[1], (sd(x) - sd(y)) * sqrt(250), tolerance = 1e-10)
  expect_false(any(of$paired))
  # Both cluster: no test that takes returns as independent stands beside.
  expect_true(all(is.na(of$test_p)))
})

drawn_pair <- function(n, sd_b = 1) {
  common <- rnorm(n, sd = 0.01)
  as_returns(
    data.frame(
      date = as.Date("2010-01-01") + seq_len(n),
      A = common + rnorm(n, sd = 0.01), B = sd_b * (common + rnorm(n, sd = 0.01)) + 0.0005
    ),
    given = "returns"
  )
}

test_that("independent returns: errors are those of the closed forms, and the trade's tests", {
  set.seed(3)
  returns <- drawn_pair(1000)
  x <- returns$values[, "A"]
  y <- returns$values[, "B"]
  found <- compare_measures(
    returns[, "A"], returns[, "B"], c("volatility", "sharpe", "return"),
    per_year = 1, draws = 4000
  )
  s <- c(mean(x) / sd(x), mean(y) / sd(y))
  rho <- cor(x, y)
  v <- (2 * (1 - rho) + (s[1]^2 + s[2]^2 - 2 * s[1] * s[2] * rho^2) / 2) / 1000
  expect_equal(found$difference[2], s[1] - s[2], tolerance = 1e-10)
  expect_equal(found$test_p[2], 2 * pnorm(-abs(s[1] - s[2]) / sqrt(v)), tolerance = 1e-8)
  expect_true(all(found$paired))
  expect_equal(
    found$difference_error,
    c((sd(x) + sd(y)) / 2 * sqrt((1 - rho^2) / 1000), sqrt(v), sd(x - y) / sqrt(1000)),
    tolerance = 0.08
  )
  # The interval crosses 0 where p is above 5 %, and is even about the log of the ratio.
  expect_identical(found$difference_low <= 0 & found$difference_high >= 0, found$p > 0.05)
  halves <- compare_measures(returns, at = returns$dates[401], per_year = 1, draws = 4000)
  one <- halves[halves$security == "A", ][1, ]
  expect_equal(one$difference_error, sd(x) * sqrt(1 / 800 + 1 / 1200), tolerance = 0.08)
  apart <- c(abs(x[1:400] - median(x[1:400])), abs(x[401:1000] - median(x[401:1000])))
  side <- factor(rep(1:2, c(400, 600)))
  expect_equal(one$test_p, anova(lm(apart ~ side))[["Pr(>F)"]][1], tolerance = 1e-8)
  # Alike on any number of threads.
  RcppParallel::setThreadOptions(1)
  again <- compare_measures(returns, at = returns$dates[401], per_year = 1, draws = 4000)
  RcppParallel::setThreadOptions("auto")
  expect_identical(again$p, halves$p)
})

test_that("what clusters is no difference, what differs is", {
  garch <- function(n) {
    x <- numeric(n)
    h <- 1e-4
    for (t in -300:n) {
      e <- sqrt(h) * rt(1, 6) * sqrt(4 / 6)
      if (t > 0) x[t] <- e
      h <- 2e-6 + 0.08 * e^2 + 0.9 * h
    }
    x
  }
  wanted <- c("volatility", "var", "semi_deviation", "es")
  p <- vapply(seq_len(thorough(40, 300)), function(i) {
    set.seed(i)
    x <- as_returns(
      data.frame(date = as.Date("2010-01-01") + 1:1000, A = garch(1000)), given = "returns"
    )
    compare_measures(x, measures = wanted, at = x$dates[501], draws = 200, seed = i)$p
  }, numeric(4))
  # At 5 % kernels and blocks find half of them to differ.
  expect_true(all(rowMeans(p <= 0.05) <= 0.05 + 3 * sqrt(0.05 * 0.95 / ncol(p))))
  set.seed(5)
  returns <- drawn_pair(1000, 1.5)
  found <- compare_measures(returns[, "A"], returns[, "B"], c("volatility", "es"), draws = 500)
  expect_true(all(found$p < 0.01))
  expect_match(words_of(found)[1], "more than chance")
})

test_that("where no p would be sound there is none, and why", {
  set.seed(8)
  returns <- drawn_pair(300)
  cut <- function(i, ...) compare_measures(returns[, "A"], at = returns$dates[i], draws = 50, ...)
  halved <- function(x, measure = "volatility", level = 0.99) {
    compare_measures(x, measures = measure, at = returns$dates[151], level = level)
  }
  apart <- as_returns(
    data.frame(
      date = returns$dates, A = returns$values[, "A"] + rep(c(-0.01, 0.01), c(150, 150))
    ),
    given = "returns"
  )
  cauchy <- as_returns(
    data.frame(date = returns$dates, A = 0.001 * rcauchy(300)), given = "returns"
  )
  flat <- as_returns(
    data.frame(date = returns$dates, A = rep(c(0.01, 0.02), c(150, 150))), given = "returns"
  )
  cases <- list(
    list(cut(51, measures = "var"), "50 returns are too few to see beyond 99 %"),
    list(cut(51, measures = "drawdown"), "grows with the length"),
    list(halved(apart, "var", 0.5), "not on the same side of 0"),
    list(halved(cauchy), "tails are too fat|could be fitted"),
    list(halved(flat), "do not differ")
  )
  for (case in cases) {
    found <- case[[1]]
    expect_match(found$why, case[[2]])
    expect_true(all(is.na(c(found$p, found$difference_error, found$difference_low))))
    expect_match(words_of(found), "whether it is more than chance cannot be said")
    expect_false(grepl("could be chance", words_of(found)))
    expect_s3_class(ggplot2::autoplot(found), "ggplot")
  }
})

test_that("books are compared, and what cannot be is refused", {
  prices <- stock_prices()
  one <- as_portfolio(prices, weights = c(NORTH = 0.5, ALPINE = 0.5))
  two <- as_portfolio(prices, weights = c(WESTERN = 1), name = "OTHER")
  found <- compare_measures(one, two, "return", draws = 50)
  expect_equal(found$other, "OTHER")
  expect_equal(
    found$estimate, measure_return(one, per_year = 252)$return_annual,
    tolerance = 1e-6
  )
  again <- compare_measures(one, as_portfolio(prices, weights = c(ISLES = 1)), draws = 50)
  expect_equal(again$other[1], "BOOK 2")
  for (wrong in list(
    function() compare_measures(prices),
    function() compare_measures(prices, prices, at = "1995-01-01"),
    function() compare_measures(prices, at = "1890-01-01"),
    function() compare_measures(prices[, 1:2], prices[, 3:4]),
    function() compare_measures(prices, at = "1995-01-01", measures = "beta"),
    function() compare_measures(prices, at = "1995-01-01", measures = "omega"),
    function() {
      compare_measures(
        prices, at = "1995-01-01", measures = "beta", benchmark = c("ISLES", "ALPINE")
      )
    }
  )) {
    expect_error(quietly(wrong()), class = "imbroglio_error_argument")
  }
  expect_error(
    compare_measures(prices[1:12, ], at = prices$dates[6]),
    class = "imbroglio_error_too_short"
  )
})
