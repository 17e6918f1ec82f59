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
  apart <- c(abs(x - median(x)), abs(y - median(y)))
  side <- factor(rep(1:2, c(length(x), length(y))))
  expect_equal(of$test_p[1], anova(lm(apart ~ side))[["Pr(>F)"]][1], tolerance = 1e-8)

  both <- compare_measures(
    prices[, "NORTH"], prices[, "ALPINE"], "sharpe", per_year = 1, draws = 50
  )
  s <- c(mean(r[, 1]) / sd(r[, 1]), mean(r[, 2]) / sd(r[, 2]))
  rho <- cor(r[, 1], r[, 2])
  v <- (2 * (1 - rho) + (s[1]^2 + s[2]^2 - 2 * s[1] * s[2] * rho^2) / 2) / nrow(r)
  expect_equal(both$difference, s[1] - s[2], tolerance = 1e-10)
  expect_equal(both$test_p, 2 * pnorm(-abs(s[1] - s[2]) / sqrt(v)), tolerance = 1e-8)
  expect_true(both$paired)
})

test_that("paired errors keep what moves both, and p is what it says", {
  set.seed(11)
  common <- rnorm(600, sd = 0.01)
  values <- data.frame(
    date = as.Date("2020-01-01") + 0:599,
    A = common + rnorm(600, sd = 0.003),
    B = common + rnorm(600, sd = 0.003)
  )
  returns <- as_returns(values, given = "returns")
  found <- compare_measures(
    returns[, "A"], returns[, "B"], c("volatility", "sharpe"),
    per_year = 1, block = 1, draws = 3000
  )
  drawn <- replicate(3000, {
    i <- sample(600, replace = TRUE)
    a <- values$A[i]
    b <- values$B[i]
    c(sd(a) - sd(b), mean(a) / sd(a) - mean(b) / sd(b))
  })
  expect_equal(found$difference_error, apply(drawn, 1, sd), tolerance = 0.07)
  expect_equal(found$p, 2 * pnorm(-abs(found$difference / found$difference_error)))
  # Of two samples of one kind, about one in twenty is found to differ at 5 %.
  p <- vapply(seq_len(thorough(120, 600)), function(i) {
    x <- as_returns(
      data.frame(date = as.Date("2020-01-01") + 0:299, A = 0.01 * rt(300, 5)), given = "returns"
    )
    at <- as.Date("2020-05-30")
    compare_measures(x, at = at, measures = "volatility", per_year = 1, draws = 150, seed = i)$p
  }, 0)
  expect_lt(abs(mean(p < 0.05) - 0.05), 3.5 * sqrt(0.05 * 0.95 / length(p)))
  same <- compare_measures(returns[, "A"], returns[, "B"], "sharpe", draws = 50)
  expect_identical(
    same$difference_error,
    compare_measures(returns[, "A"], returns[, "B"], "sharpe", draws = 50)$difference_error
  )
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
