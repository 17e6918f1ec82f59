test_that("short, constant and missing samples, and what a method cannot do, are said", {
  r <- cbind(
    NONE = NA,
    ONE = c(0.01, rep(NA, 99)),
    FLAT = 0.01,
    ZERO = 0,
    UP = (1:100) / 1e4,
    RUIN = c(-1, rep(0.01, 99))
  )
  returns <- sample_returns(r, names = colnames(r))
  expect_warning(
    measure_var(returns[, "UP"], 0.999),
    class = "imbroglio_warning_few_observations"
  )
  expect_warning(
    measure_var(returns[, "UP"], 0.999, method = "bootstrap"),
    "only 100 returns: fewer than one"
  )
  expect_no_warning(measure_var(returns[, "UP"], 0.999, method = "normal"))
  # What is said of too few is true: of sums over several periods, of weights, of what lies
  # between two.
  some <- sample_returns(sin(1:60) / 100)
  expect_no_warning(measure_var(some, 0.99, 5, "bootstrap", draws = 2000))
  expect_warning(
    measure_var(some, 0.999, 5, "bootstrap", draws = 500),
    "Of 500 drawn paths fewer than one"
  )
  expect_warning(
    measure_var(
      sample_returns(c(sin(1:5000) / 100, -0.05)),
      0.999,
      method = "age-weighted",
      decay = 0.97
    ),
    "By their weights"
  )
  expect_warning(measure_var(some, 0.99, rank = "interpolate"), "lies between the two worst")
  # One warning, for the levels that it is true of, and no shortfall below its value at risk.
  skewed <- sample_returns(c(rnorm(300, 0, 0.01), 0.12, 0.1, -0.02))
  said <- capture_warnings(both <- measure_var(skewed, c(0.9, 0.999), method = "cornish-fisher"))
  for (i in 1:2) {
    expect_identical(
      grepl(c("at 0.9$|0.9 and", "0.999")[i], paste(sub("[.]$", "", said), collapse = "")),
      is.na(both$var[i])
    )
  }
  expect_true(all(is.na(both$es) | both$es >= both$var))
  expect_warning(measure_var(returns[, "UP"], method = "hill"), "finds no tail of losses")
  expect_warning(
    measure_var(as_returns(stock_prices()), 0.85, method = "pareto"),
    "knows only what lies beyond"
  )
  expect_warning(
    measure_var(as_returns(stock_prices())[, 1], horizon = 2, method = "cauchy"),
    "no finite variance"
  )
  expect_warning(
    measure_var(returns[, c("UP", "ONE")], method = "garch"),
    "ONE has no value at risk by garch"
  )
  crash <- sample_returns(c(-0.4, rep(c(0.01, -0.01), 200)))
  expect_warning(
    found <- measure_var(crash, 0.95, method = "cornish-fisher"),
    class = "imbroglio_warning_method"
  )
  expect_true(is.na(found$var))
  for (h in 1:2) {
    expect_true(all(is.na(
      var_of(
        returns[, c("ONE", "NONE")],
        0.95,
        h,
        setdiff(all_methods[c(4:12, 16:20)], "ewma")
      )$var
    )))
  }
  all <- var_of(returns, 0.95, method = all_methods, draws = 200)
  expect_true(all(is.na(all$var[all$security == "NONE"])))
  expect_true(all(is.na(
    all$var[all$security == "ONE" &
      all$method %in% c("garch", "student", "hill", "pareto", "nig")]
  )))
  flat <- all[
    all$security == "FLAT" &
      all$method %in% c("historical", "normal", "age-weighted", "volatility-scaled"),
  ]
  expect_equal(flat$var, rep(-0.01, nrow(flat)))
  expect_equal(
    all$var[all$security == "ZERO" & all$method %in% c("ewma", "normal", "volatility-scaled")],
    c(0, 0, 0)
  )
  expect_true(all(is.finite(all$var) | is.na(all$var)))
  said <- in_words(measure_var(as_returns(stock_prices()), method = c("normal", "hill")))
  expect_match(said[1], "^By normal: with 99 % confidence NORTH loses no more than")
})

test_that("what cannot be asked of value at risk, a book or a backtest is refused", {
  prices <- stock_prices()
  returns <- as_returns(prices)
  w <- c(NORTH = 0.5, ALPINE = 0.5)
  wrong <- list(
    function() measure_var(returns, method = c("historical", "gaussian")),
    function() measure_var(returns, seed = 1.5),
    function() measure_var(returns, horizon_by = "paths"),
    function() measure_var(returns, horizon_by = "root"),
    function() measure_var(returns, tail = 0),
    function() measure_var(returns, tail = 20.5),
    function() measure_var(returns, draws = 0, method = "bootstrap"),
    function() measure_var(returns, value = c(1, 2)),
    function() measure_var(returns, confidence = 95),
    function() measure_var(returns, decay = 0.9, half_life = 5),
    function() measure_var(returns, block = 0.5),
    function() measure_var(returns, block = 4000, method = "block-bootstrap"),
    function() bootstrap_book(returns),
    function() bootstrap_book(as_portfolio(returns, w), horizon = 0),
    function() bootstrap_book(as_portfolio(returns, w, value = -5)),
    function() bootstrap_book(as_portfolio(returns, w), seed = "one"),
    function() bootstrap_book(as_portfolio(returns, w), level = 99),
    function() bootstrap_book(as_portfolio(returns, w), blocks = "some"),
    function() bootstrap_book(as_portfolio(returns, shares = c(NORTH = 1), value = 5)),
    function() drawn_paths(returns),
    function() drawn_paths(bootstrap_book(as_portfolio(returns, w), draws = 200), 201),
    function() quantile(bootstrap_book(as_portfolio(returns, w), draws = 200), 2),
    function() {
      drawn_correlation(bootstrap_book(as_portfolio(returns, c(NORTH = 1)), draws = 200))
    },
    function() split_var(as_portfolio(returns, w), method = "mean"),
    function() split_var(as_portfolio(returns, w), horizon = 1.5),
    function() backtest_var(returns, window = 1),
    function() backtest_var(returns, refit = 0),
    function() backtest_var(returns, level = 99),
    function() backtest_var(returns, method = "gaussian"),
    function() backtest_series(returns),
    function() tail_thresholds(returns, to = -1)
  )
  for (f in wrong) expect_error(f(), class = "imbroglio_error_argument", info = deparse(f))
  expect_error(
    bootstrap_book(as_portfolio(returns, c(NORTHX = 1))),
    class = "imbroglio_error_security"
  )
  expect_error(
    split_var(as_portfolio(returns, c(NORTH = 0.9))),
    class = "imbroglio_error_weights"
  )
  expect_error(backtest_var(returns, window = 2000), class = "imbroglio_error_too_short")
  expect_error(
    tail_thresholds(window(prices, end = "1991-07-20")),
    class = "imbroglio_error_too_short"
  )
})
