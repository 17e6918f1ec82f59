test_that("volatility, drawdown and value at risk of real prices agree with base R", {
  prices <- stock_prices()
  for (kind in c("simple", "log")) {
    returns <- as_returns(prices, kind = kind)
    by_hand <- if (kind == "log") diff(log(stocks())) else stocks()[-1, ] / stocks()[-1860, ] - 1
    expect_equal(as.matrix(returns), by_hand, tolerance = 1e-12)
    volatility <- measure_volatility(returns)
    expect_equal(volatility$volatility, unname(apply(by_hand, 2, sd)), tolerance = 1e-12)
    expect_equal(
      volatility$volatility_annual,
      volatility$volatility * sqrt(252),
      tolerance = 1e-15
    )
    var <- measure_var(returns, level = 0.99)
    loss <- if (kind == "log") 1 - exp(by_hand) else -by_hand
    expect_equal(
      var$var,
      unname(apply(loss, 2, function(l) sort(l, decreasing = TRUE)[19])),
      tolerance = 1e-12
    )
    expect_equal(
      var$es,
      unname(apply(loss, 2, function(l) mean(sort(l, decreasing = TRUE)[1:19]))),
      tolerance = 1e-12
    )
    expect_equal(
      unname(by_hand[cbind(format(var$observed), var$security)]),
      unname(apply(by_hand, 2, function(r) sort(r)[19]))
    )
  }
  for (drawdown in list(
    measure_drawdown(prices),
    measure_drawdown(as_returns(prices)),
    measure_drawdown(as_returns(prices, "log"))
  )) {
    for (s in colnames(prices)) {
      p <- stocks()[, s]
      depth <- p / cummax(p) - 1
      low <- which.min(depth)
      high <- which.max(p[1:low])
      back <- which(seq_along(p) > low & p >= p[high])[1]
      row <- drawdown[drawdown$security == s, ]
      expect_equal(row$max_drawdown, min(depth), tolerance = 1e-12)
      expect_equal(c(row$peak, row$trough, row$recovery), stock_dates()[c(high, low, back)])
    }
  }
})

test_that("every rolling result is the whole-sample measure of its window", {
  returns <- as_returns(read_prices(demo_file("bay.csv")))[, c("BAYALL", "CORRACK", "PELLAN")]
  rolling <- measure_volatility(returns, window = c(20, 250), min_obs = 5, per_year = 260)
  for (w in c(20, 250)) {
    for (s in colnames(returns)) {
      r <- na.omit(as.matrix(returns)[, s])
      part <- rolling[rolling$window == w & rolling$security == s, ]
      at <- c(1, 4, 5, w - 1, w, w + 1, 700, length(r))
      expect_equal(
        part$volatility[at],
        vapply(at, function(t) if (t < 5) NA_real_ else sd(r[max(1, t - w + 1):t]), 0),
        tolerance = 1e-13
      )
      expect_equal(format(part$from[at]), names(r)[pmax(1, at - w + 1)])
      expect_equal(format(part$to), names(r))
      expect_equal(part$n[at], pmin(at, w))
    }
  }
  expect_equal(rolling$volatility_annual, rolling$volatility * sqrt(260))
  bare <- measure_volatility(returns, window = 20, as = "matrix")
  full <- measure_volatility(returns, window = 20)
  expect_equal(bare[cbind(format(full$to), full$security)], full$volatility)
  expect_true(is.na(bare["2021-03-10", "CORRACK"]))
})

test_that("the rolling deviation of stored numbers is exact to ten digits at any level", {
  skip_if_not_installed("gmp")
  set.seed(3)
  n <- 1001
  series <- cbind(
    LEVEL = 1e7 + 0.2 + 0.1 * rep_len(c(1, -1, 1), n),
    DRIFT = 10^seq(-3, 3, length.out = n) * (1 + 1e-3 * rnorm(n)),
    FALLING = 10^seq(3, -3, length.out = n) * (1 + 1e-3 * rnorm(n))
  )
  rownames(series) <- format(as.Date("2020-01-01") + seq_len(n))
  for (w in c(10, 60)) {
    got <- measure_volatility(
      suppressWarnings(as_returns(series, "log", given = "returns")),
      window = w,
      as = "matrix"
    )
    for (s in colnames(series)) {
      # Doubles are rational numbers, so sums of them and of their squares can be had exactly.
      x <- gmp::as.bigq(series[, s])
      sums <- c(gmp::as.bigq(0), cumsum(x))
      squares <- c(gmp::as.bigq(0), cumsum(x * x))
      last <- (w + 1):(n + 1)
      first <- last - w
      variance <- ((squares[last] - squares[first]) - (sums[last] - sums[first])^2 / w) / (w - 1)
      expect_lt(max(abs(got[w:n, s] / sqrt(as.numeric(variance)) - 1)), 1e-10)
      expect_true(all(is.na(got[seq_len(w - 1), s])))
    }
  }
})

test_that("the four conventions of rank pick the observation they say", {
  one <- function(n, level, rank) {
    r <- matrix(-(n:1) / 10000, dimnames = list(format(as.Date("2020-01-01") + 1:n), "A"))
    suppressWarnings(measure_var(as_returns(r, given = "returns"), level = level, rank = rank))
  }
  cases <- read.table(
    header = TRUE,
    text = "
    n     level   nearest up  down
    100   0.99    1       1   1
    250   0.99    3       3   2
    250   0.95    13      13  12
    249   0.99    2       3   2
    1000  0.975   25      25  25
    1000  0.999   1       1   1
    30    0.99    1       1   1
    2572  0.99    26      26  25"
  )
  for (i in seq_len(nrow(cases))) {
    for (rank in c("nearest", "up", "down")) {
      found <- one(cases$n[i], cases$level[i], rank)
      expect_equal(found$position, cases[i, rank], info = paste(rank, cases$n[i], cases$level[i]))
      expect_equal(found$var, (cases$n[i] + 1 - found$position) / 10000)
    }
  }
  returns <- as_returns(stock_prices())
  both <- measure_var(returns, level = c(0.9, 0.95, 0.99, 0.995), rank = "interpolate")
  expect_equal(
    both$var,
    -as.vector(apply(as.matrix(returns), 2, quantile, 1 - c(0.9, 0.95, 0.99, 0.995), type = 7)),
    tolerance = 1e-12
  )
  expect_true(all(is.na(both$observed) == (both$position %% 1 != 0)))
  expect_true(all(both$worse >= both$var & both$var >= both$milder))
  expect_warning(
    one2 <- measure_var(window(stock_prices(), end = "1991-08-01"), level = 0.999),
    class = "imbroglio_warning_few_observations"
  )
  expect_equal(one2$position, rep(1, 4))
})

test_that("a horizon is reached by the root of time or by overlapping runs", {
  prices <- stock_prices()
  for (kind in c("simple", "log")) {
    returns <- as_returns(prices, kind)
    loss <- function(r) if (kind == "log") 1 - exp(r) else -r
    worst <- apply(as.matrix(returns), 2, function(r) sort(r)[19])
    expect_equal(
      measure_var(returns, horizon = 10)$var,
      unname(loss(worst * sqrt(10))),
      tolerance = 1e-12
    )
    ten <- stocks()[11:1860, ] / stocks()[1:1850, ] - 1
    overlapping <- measure_var(
      returns,
      horizon = 10,
      horizon_by = "overlapping",
      value = c(1e6, 1, 2, 3)
    )
    expect_equal(overlapping$n, rep(1850L, 4))
    expect_equal(
      overlapping$var,
      unname(apply(ten, 2, function(r) -sort(r)[19])),
      tolerance = 1e-11
    )
    expect_equal(overlapping$var_value, overlapping$var * c(1e6, 1, 2, 3))
  }
})

test_that("returns by period are between the last prices of calendar periods", {
  prices <- stock_prices()
  cases <- list(week = "%G-%V", month = "%Y-%m", year = "%Y")
  for (every in names(cases)) {
    period <- format(stock_dates(), cases[[every]])
    ends <- which(!duplicated(period, fromLast = TRUE))
    # The prices end on a Friday, 14 August: the week is finished, the month and the year are not.
    unfinished <- every != "week"
    said <- testthat::capture_messages(returns <- as_returns(prices, every = every, kind = "log"))
    expect_equal(grepl("was left out", said), rep(TRUE, unfinished))
    whole <- if (unfinished) ends[-length(ends)] else ends
    expect_equal(as.matrix(returns), diff(log(stocks()[whole, ])), tolerance = 1e-12)
    kept <- as_returns(prices, every = every, keep_unfinished = TRUE)
    expect_equal(nrow(kept), length(ends) - 1L)
    expect_equal(
      measure_volatility(kept)$volatility_annual,
      measure_volatility(kept)$volatility * sqrt(c(week = 52, month = 12, year = 1)[[every]])
    )
  }
  # A month that ends on a weekend is finished by its last Friday.
  expect_no_message(monthly <- as_returns(window(prices, end = "1992-01-31"), every = "month"))
  expect_equal(
    as_returns(as_prices(data.frame(
      date = c("2024-01-31", "2024-02-29", "2024-03-29", "2024-04-30"),
      A = 1:4
    )))$every,
    "month"
  )
})
