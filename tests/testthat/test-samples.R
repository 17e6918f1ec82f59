test_that("samples at the edge are measured or said to have no answer", {
  day <- as.Date("2024-01-01")
  prices <- as_prices(data.frame(
    date = day + 0:4,
    FLAT = 5,
    LATE = c(NA, NA, NA, 10, 8),
    GAP = c(100, NA, NA, 50, 60),
    LAST = c(NA, NA, NA, NA, 7)
  ))
  volatility <- measure_volatility(prices)
  expect_identical(volatility$volatility[c(1, 2, 4)], c(0, NA, NA))
  expect_equal(volatility$n, c(4L, 1L, 2L, 0L))
  expect_equal(volatility$volatility[3], sd(c(-0.5, 0.2)))
  expect_equal(basis(volatility)$dropped$n[basis(volatility)$dropped$security == "GAP"], 2L)
  for (data in list(prices, as_returns(prices))) {
    drawdown <- measure_drawdown(data)
    expect_equal(drawdown$max_drawdown[1:3], c(0, -0.2, -0.5))
    expect_equal(drawdown$peak, day + c(NA, 3, 0, NA))
    expect_equal(drawdown$trough, day + c(NA, 4, 3, NA))
    expect_true(all(is.na(drawdown$recovery)))
  }
  # A loss on the first day counts from the capital put in, of which given returns know no date.
  first <- measure_drawdown(as_returns(
    data.frame(date = day + 0:2, A = c(-0.1, 0.05, 0.2)),
    given = "returns"
  ))
  expect_equal(first$max_drawdown, -0.1)
  expect_equal(c(first$peak, first$trough, first$recovery), day + c(NA, 0, 2))
  longer <- list(
    function() measure_volatility(prices, window = 10)$volatility,
    function() measure_return(prices, window = 10)$mean,
    function() measure_drawdown(prices, window = 10)$max_drawdown,
    function() measure_beta(prices, "FLAT", window = 10)$beta,
    function() measure_tracking(prices, "FLAT", window = 10)$tracking_error,
    function() correlate_returns(prices, window = 10)$correlation
  )
  for (f in longer) {
    expect_warning(few <- f(), class = "imbroglio_warning_window")
    expect_true(length(few) > 0 && all(is.na(few)))
  }
  # No return, one return, a benchmark that stands still: no line, and it is said.
  line <- measure_beta(prices, "FLAT")
  expect_equal(line$n, c(1L, 2L, 0L))
  expect_true(all(is.na(line[c("beta", "alpha_error", "r_squared")])))
  expect_match(in_words(line), "too few returns", all = TRUE)
  expect_equal(
    suppressWarnings(measure_tracking(prices, "FLAT"))$tracking_error,
    c(NA, sd(c(-0.5, 0.2)), NA)
  )
  expect_equal(suppressWarnings(measure_var(prices))$var[4], NA_real_)
})

test_that("numbers do not depend on the number of threads or of securities", {
  set.seed(11)
  r <- matrix(
    rnorm(600 * 300, 0, 0.01),
    600,
    dimnames = list(format(as.Date("2020-01-01") + 1:600), sprintf("S%03d", 1:300))
  )
  r[sample(length(r), 2000)] <- NA
  returns <- as_returns(r, given = "returns", every = "day")
  both <- lapply(c(1, 2), function(threads) {
    RcppParallel::setThreadOptions(numThreads = threads)
    list(
      measure_volatility(returns, window = 20, as = "matrix"),
      measure_drawdown(returns),
      measure_var(returns),
      measure_var(returns[, 1:9], method = c("garch", "student", "hill")),
      as.data.frame(backtest_var(returns, 50, 0.9)),
      measure_return(returns),
      measure_return(returns, window = 50),
      measure_beta(returns, "S001", errors = "newey-west"),
      measure_beta(returns, "S001", window = 50),
      measure_tracking(returns, "S001", window = 50),
      drawdown_series(returns),
      drawdown_episodes(returns, worst = 2),
      measure_drawdown(returns, window = 50),
      measure_volatility(returns, method = c("ewma", "garch")),
      measure_summary(returns, "S001"),
      correlate_returns(returns[, 1:40], on = "pairwise")
    )
  })
  RcppParallel::setThreadOptions()
  expect_identical(both[[1]], both[[2]])
  alone <- measure_volatility(returns[, "S123"], window = 20, as = "matrix")
  expect_identical(alone[, 1], both[[1]][[1]][, 123])
})

test_that("the shape of what is handed in does not change the numbers", {
  prices <- stock_prices()
  returns <- as_returns(prices)
  # Returns that were given are those that were taken, but for the date of the capital put in.
  given <- as_returns(as.data.frame(returns), given = "returns")
  expect_equal(measure_volatility(given)$volatility, measure_volatility(returns)$volatility)
  expect_equal(measure_drawdown(given)$trough, measure_drawdown(prices)$trough)
  expect_message(
    upside_down <- as_returns(as.data.frame(returns)[1859:1, ], given = "returns"),
    class = "imbroglio_note_order"
  )
  expect_equal(as.matrix(upside_down), as.matrix(given))
  # A measure takes simple returns of prices; the kind can be changed as long as there are prices.
  expect_equal(measure_var(prices)$var, measure_var(returns)$var)
  expect_equal(
    as.matrix(as_returns(returns, kind = "log")),
    log1p(as.matrix(returns)),
    tolerance = 1e-12
  )
  expect_error(as_returns(given, kind = "log"), class = "imbroglio_error_argument")
  # Scale, order and company: a price in another unit, another column order, fewer columns.
  expect_equal(
    measure_volatility(as_prices(stocks() * 1000))$volatility,
    measure_volatility(prices)$volatility,
    tolerance = 1e-12
  )
  for (columns in list(4:1, 2L, c("ISLES", "NORTH"))) {
    part <- measure_drawdown(prices[, columns])
    expect_identical(
      as.data.frame(part),
      as.data.frame(measure_drawdown(prices))[match(part$security, colnames(prices)), ],
      ignore_attr = "row.names"
    )
  }
  expect_identical(prices["NORTH"]$close, prices[, "NORTH"]$close)
  expect_equal(dim(prices[1:100, ]), c(100L, 4L))
  # Value at risk grows with the level, and the shortfall is beyond it.
  var <- measure_var(returns, level = seq(0.9, 0.999, 0.001))
  for (s in colnames(returns)) expect_false(is.unsorted(var$var[var$security == s]))
  expect_true(all(var$es >= var$var))
  named <- measure_var(returns, value = c(ISLES = 4, NORTH = 1, ALPINE = 2, WESTERN = 3))
  expect_equal(
    named$var_value / named$var,
    c(NORTH = 1, ALPINE = 2, WESTERN = 3, ISLES = 4)[named$security],
    ignore_attr = TRUE
  )
})

test_that("five thousand securities are measured as one is", {
  set.seed(5)
  many <- 5000L
  r <- matrix(
    rnorm(300 * many, 0, 0.01),
    300,
    dimnames = list(format(as.Date("2024-01-01") + 1:300), sprintf("S%04d", 1:many))
  )
  r[1:100, 4001:5000] <- NA
  returns <- as_returns(r, "log", given = "returns", every = "day")
  volatility <- measure_volatility(returns)
  expect_equal(
    volatility$volatility,
    apply(r, 2, sd, na.rm = TRUE),
    ignore_attr = TRUE,
    tolerance = 1e-12
  )
  expect_equal(volatility$n, rep(c(300L, 200L), c(4000, 1000)))
  wealth <- exp(apply(rbind(0, ifelse(is.na(r), 0, r)), 2, cumsum))
  expect_equal(
    measure_drawdown(returns)$max_drawdown,
    apply(wealth, 2, function(w) min(w / cummax(w) - 1)),
    ignore_attr = TRUE,
    tolerance = 1e-12
  )
  expect_equal(
    measure_var(returns, 0.95)$var,
    apply(r, 2, function(x) 1 - exp(sort(x)[round(length(na.omit(x)) * 0.05)])),
    ignore_attr = TRUE,
    tolerance = 1e-12
  )
  expect_output(print(returns), "and 4,980 more securities")
})

test_that("arguments that cannot be are refused, with what is wrong", {
  returns <- as_returns(stock_prices())
  wrong <- list(
    function() measure_var(returns, level = 95),
    function() measure_var(returns, level = 0),
    function() measure_var(returns, level = NA),
    function() measure_var(returns, horizon = 0),
    function() measure_var(returns, horizon = 1.5),
    function() measure_var(returns, value = -1),
    function() measure_var(returns, rank = "middle"),
    function() measure_var(returns, method = "historcal"),
    function() measure_volatility(returns, window = 1),
    function() measure_volatility(returns, window = 10, min_obs = 11),
    function() measure_volatility(returns, min_obs = 11),
    function() measure_volatility(returns, per_year = 0),
    function() measure_volatility(1:10),
    function() as_returns(stock_prices(), every = "decade"),
    function() basis(mtcars),
    function() window(stock_prices(), start = "1992-13-01"),
    function() window(stock_prices(), last = "soon"),
    function() returns[c(1, 5), ],
    function() measure_return(returns, risk_free = c(0.01, 0.02)),
    function() measure_return(returns, risk_free = -1),
    function() measure_return(returns, min_obs = 3),
    function() measure_volatility(returns, method = "arch"),
    function() measure_volatility(returns, method = "ewma", window = 20),
    function() measure_volatility(returns, method = "ewma", decay = 1),
    function() measure_volatility(returns, method = "ewma", decay = 0.9, half_life = 10),
    function() measure_volatility(returns, confidence = 95),
    function() volatility_series(returns, method = "deviation"),
    function() fit_garch(returns, innovations = "cauchy"),
    function() measure_beta(returns),
    function() measure_beta(returns[, "NORTH"], "NORTH"),
    function() measure_beta(returns, "NORTH", window = 2),
    function() measure_beta(returns, "NORTH", window = 50, every = "week"),
    function() measure_beta(returns, c("NORTH", "ALPINE"), together = TRUE, window = 50),
    function() measure_beta(returns, c("NORTH", "ALPINE"), window = 50, as = "matrix"),
    function() measure_beta(returns, "NORTH", errors = "newey-west", lags = -1),
    function() measure_beta(returns, "NORTH", every = "hour"),
    function() measure_beta(returns, stock_prices()[, "NORTH"]),
    function() {
      measure_beta(returns, as_returns(as.data.frame(returns)[, 1:2], given = "returns"))
    },
    function() measure_tracking(returns, benchmark = NULL),
    function() measure_drawdown(returns, level = 95),
    function() drawdown_episodes(returns, worst = 0),
    function() drawdown_episodes(returns, least = -0.1),
    function() correlate_returns(returns[, "NORTH"]),
    function() correlate_returns(returns, on = "pairwise", shrink = "identity"),
    function() correlate_returns(returns, window = 50, decay = 0.9)
  )
  for (f in wrong) expect_error(f(), class = "imbroglio_error_argument")
  expect_error(measure_var(returns, level = 95), "0.95")
  for (f in list(function() measure_beta(returns, "NORTHX"), function() {
    measure_return(returns, risk_free = "NORTHX")
  })) {
    expect_error(f(), class = "imbroglio_error_security")
  }
  monthly <- as_prices(data.frame(date = as.Date("2024-01-31") + c(0, 29, 60), A = 1:3))
  expect_error(as_returns(monthly, every = "week"), class = "imbroglio_error_argument")
  expect_error(
    as_returns(data.frame(date = as.Date("2024-01-01"), A = -1.5), given = "returns"),
    class = "imbroglio_error_return"
  )
})
