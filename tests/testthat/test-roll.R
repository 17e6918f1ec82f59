# Measures through time: each window against base R, limits, and limits of a file.

test_that("each measure of a window is what base R has of its rows", {
  prices <- stock_prices()[1:400, ]
  closes <- as.matrix(as.data.frame(prices)[-1])
  r <- apply(closes, 2, function(p) diff(p) / head(p, -1))
  b <- r[, 4]
  x <- r[, 1]
  name <- colnames(r)[1]
  measures <- names(imbroglio:::rolling_measures())
  found <- roll_measures(
    prices, measures, 100,
    benchmark = colnames(r)[4], level = 0.95, per_year = 250, min_obs = 50
  )
  at <- function(measure, row) {
    of <- found[found$measure == measure & found$security %in% c(name, "all"), ]
    of$estimate[of$to == prices$dates[row + 1]]
  }
  for (row in c(70, 399)) {
    rows <- max(1, row - 99):row
    y <- x[rows]
    worst <- sort(y)[floor(0.05 * length(y) + 0.5)]
    below <- pmin(y - mean(y), 0)
    path <- cumprod(c(1, 1 + y))
    hand <- c(
      volatility = sd(y) * sqrt(250),
      var = -worst,
      es = -mean(y[y <= worst]),
      drawdown = min(path / cummax(path) - 1),
      semi_deviation = sqrt(mean(below^2)) * sqrt(250),
      return = prod(1 + y)^(250 / length(y)) - 1,
      sharpe = mean(y) / sd(y) * sqrt(250),
      sortino = mean(y) / sqrt(mean(pmin(y, 0)^2)) * sqrt(250),
      skewness = mean((y - mean(y))^3) / mean((y - mean(y))^2)^1.5,
      beta = cov(y, b[rows]) / var(b[rows]),
      correlation = cor(y, b[rows]),
      tracking_error = sd(y - b[rows]) * sqrt(250)
    )
    for (measure in names(hand)) {
      expect_equal(at(measure, row), hand[[measure]], tolerance = 1e-10, info = measure)
    }
  }
  C <- cor(r[300:399, -4])
  expect_equal(at("mean_correlation", 399), mean(C[upper.tri(C)]), tolerance = 1e-10)
  expect_setequal(measures, c(names(hand), "mean_correlation"))
})

test_that("a limit is broken on its wrong side, from the first date on", {
  prices <- stock_prices()[1:500, 1]
  found <- roll_measures(
    prices, c("var", "drawdown", "sharpe"), 100,
    level = 0.95, limits = c(var = 0.015, drawdown = 0.1, sharpe = 1)
  )
  low <- c(var = Inf, drawdown = -0.1, sharpe = 1)[found$measure]
  wrong <- unname(ifelse(found$measure == "var", found$estimate > 0.015, found$estimate < low))
  expect_equal(found$broken, wrong)
  of <- found[found$measure == "var" & found$broken %in% TRUE, ]
  said <- in_words(found)[1]
  expect_match(said, sprintf("first broken on %s, on %s of 400 days", of$to[1], nrow(of)))
  for (f in list(
    function() roll_measures(prices, "beta"),
    function() roll_measures(prices, "sharp"),
    function() roll_measures(prices, "var", limits = c(es = 1)),
    function() roll_measures(prices, "var", limits = 1),
    function() roll_measures(prices, "mean_correlation")
  )) {
    expect_error(f(), class = "imbroglio_error_argument")
  }
})
