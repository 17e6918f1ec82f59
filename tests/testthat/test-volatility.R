test_that("exponentially weighted volatility is its recursion, gaps passed over", {
  prices <- read_prices(demo_file("bay.csv"))[, c("BAYALL", "CORRACK")]
  returns <- as_returns(prices, "log")
  for (d in c(0.94, 0.5, 0.5^(1 / 20))) {
    found <- if (d == 0.5^(1 / 20)) {
      volatility_series(returns, half_life = 20)
    } else {
      volatility_series(returns, decay = d)
    }
    for (s in colnames(returns)) {
      x <- na.omit(as.matrix(returns)[, s])
      by_hand <- Reduce(
        function(v, r) d * v + (1 - d) * r^2,
        x[-1],
        x[[1]]^2,
        accumulate = TRUE
      )
      part <- found[found$security == s, ]
      expect_equal(part$volatility, sqrt(by_hand), tolerance = 1e-12)
      expect_equal(format(part$to), names(x))
      expect_equal(part$volatility_annual, part$volatility * sqrt(252))
    }
  }
  now <- measure_volatility(returns, method = "ewma", decay = 0.9, errors = "normal")
  series <- volatility_series(returns, decay = 0.9, as = "matrix")
  expect_equal(now$volatility, unname(series[nrow(series), ]))
  # Of few returns the first one still weighs much.
  short <- measure_volatility(
    as_returns(prices[1:6, "BAYALL"], "log"),
    method = "ewma",
    decay = 0.9,
    errors = "normal"
  )
  w <- c(0.9^4, 0.1 * 0.9^(3:0))
  expect_equal(
    short$volatility_error,
    short$volatility * sqrt(2 * sum(w^2)) / 2,
    tolerance = 1e-12
  )
  # Its error is that of a weighted mean of squares: the squared weights add up.
  w <- 0.1 * 0.9^(0:2000)
  expect_equal(now$volatility_error, now$volatility * sqrt(2 * sum(w^2)) / 2, tolerance = 1e-10)
})

test_that("errors and intervals of volatility are those of their formulas, and cover", {
  returns <- as_returns(stock_prices())
  r <- as.matrix(returns)
  normal <- measure_volatility(returns, errors = "normal", confidence = 0.9)
  s <- apply(r, 2, sd)
  n <- nrow(r)
  expect_equal(normal$volatility_error, unname(s / sqrt(2 * (n - 1))), tolerance = 1e-12)
  expect_equal(
    cbind(normal$volatility_low, normal$volatility_high),
    unname(cbind(s, s) * sqrt((n - 1) / cbind(rep(qchisq(0.95, n - 1), 4), qchisq(0.05, n - 1)))),
    tolerance = 1e-12
  )
  fat <- measure_volatility(returns)
  k <- apply(r, 2, function(x) mean((x - mean(x))^4) / mean((x - mean(x))^2)^2 - 3)
  expect_equal(fat$volatility_error, unname(s / 2 * sqrt(2 / (n - 1) + k / n)), tolerance = 1e-12)
  expect_equal(
    log(fat$volatility_high / fat$volatility),
    unname(qnorm(0.975) * fat$volatility_error / s),
    tolerance = 1e-12
  )
  # 400 samples of t with 6 degrees of freedom: what normality says is too narrow, kurtosis is
  # not.
  set.seed(8)
  x <- matrix(
    rt(500 * 400, 6) * 0.01 * sqrt(4 / 6),
    500,
    dimnames = list(format(as.Date("2000-01-01") + 1:500), 1:400)
  )
  samples <- as_returns(x, given = "returns", every = "day")
  covers <- function(errors) {
    found <- measure_volatility(samples, errors = errors)
    mean(found$volatility_low < 0.01 & 0.01 < found$volatility_high)
  }
  expect_lt(covers("normal"), 0.88)
  expect_gt(covers("kurtosis"), 0.90)
})

test_that("the range estimators are their formulas on each day, whole and rolling", {
  daily <- suppressMessages(read_prices(demo_file("bay-daily.csv.xz")))[, c("TARROW", "CORRACK")]
  field <- function(name, s) daily$fields[[name]][, s]
  methods <- c("parkinson", "garman-klass", "rogers-satchell", "yang-zhang")
  yang_zhang <- function(night, day, rs) {
    n <- length(night)
    k <- 0.34 / (1.34 + (n + 1) / (n - 1))
    sqrt(var(night) + k * var(day) + (1 - k) * mean(rs))
  }
  found <- measure_volatility(daily, method = methods)
  rolled <- measure_volatility(daily, method = methods, window = 40, min_obs = 10)
  for (s in colnames(daily)) {
    o <- log(field("open", s))
    h <- log(field("high", s))
    l <- log(field("low", s))
    c <- log(field("close", s))
    # The night by the adjusted close: that of a day without dividend or split is ln(O_t /
    # C_(t-1)).
    seen <- which(!is.na(daily$close[, s]))
    x <- c(NA, diff(log(daily$close[seen, s])))
    night <- x - (c - o)[seen]
    raw <- (o[seen][-1] - c[seen][-length(seen)])
    expect_gt(mean(abs(night[-1] - raw) < 5e-4), 0.95)
    pick <- seen[-1]
    terms <- cbind(
      parkinson = (h - l)^2 / 4 / log(2),
      "garman-klass" = (h - l)^2 / 2 - (2 * log(2) - 1) * (c - o)^2,
      "rogers-satchell" = (h - c) * (h - o) + (l - c) * (l - o)
    )[pick, ]
    night <- night[-1]
    day <- (c - o)[pick]
    row <- found[found$security == s, ]
    expect_equal(
      row$volatility,
      unname(c(sqrt(colMeans(terms)), yang_zhang(night, day, terms[, 3]))),
      tolerance = 1e-11
    )
    n <- length(pick)
    expect_equal(
      row$volatility_error[1:3],
      unname(apply(terms, 2, sd) / sqrt(n) / 2 / sqrt(colMeans(terms))),
      tolerance = 1e-11
    )
    for (t in c(9, 10, 39, 40, 41, n)) {
      part <- max(1, t - 39):t
      wanted <- if (t < 10) {
        rep(NA_real_, 4)
      } else {
        c(sqrt(colMeans(terms[part, ])), yang_zhang(night[part], day[part], terms[part, 3]))
      }
      got <- vapply(methods, function(m) {
        rolled$volatility[rolled$security == s & rolled$method == m][t]
      }, 0)
      expect_equal(unname(got), unname(wanted), tolerance = 1e-10, info = paste(s, t))
    }
  }
  # A random walk of many steps a day has the volatility that it was given.
  set.seed(4)
  steps <- 2500
  day <- apply(matrix(rnorm(500 * steps, 0, 0.02 / sqrt(steps)), steps), 2, cumsum)
  night <- rnorm(500, 0, 0.01)
  last <- cumsum(night + day[steps, ])
  open <- last - day[steps, ]
  walk <- as_prices(data.frame(
    date = as.Date("2000-01-01") + 1:500,
    security = "WALK",
    open = exp(open),
    high = exp(open + pmax(0, apply(day, 2, max))),
    low = exp(open + pmin(0, apply(day, 2, min))),
    close = exp(last)
  ))
  got <- measure_volatility(walk, method = methods)$volatility
  expect_true(all(abs(got[1:3] / 0.02 - 1) < 0.05))
  expect_lt(abs(got[4] / sqrt(0.02^2 + 0.01^2) - 1), 0.05)
  expect_error(
    measure_volatility(stock_prices(), method = "parkinson"),
    class = "imbroglio_error_no_range"
  )
  expect_error(
    measure_volatility(
      as_returns(daily, every = "month", keep_unfinished = TRUE),
      method = "parkinson"
    ),
    class = "imbroglio_error_argument"
  )
  daily$fields$high[5, 1] <- daily$fields$low[5, 1] * 0.9
  expect_error(measure_volatility(daily, method = "parkinson"), class = "imbroglio_error_range")
})

test_that("an estimator of one's own is measured, rolled and named like the others", {
  forget_registered()
  returns <- as_returns(stock_prices())
  register_volatility("absolute", function(r) {
    sqrt(pi / 2) * mean(abs(r))
  }, formula = "sqrt(pi / 2) mean |r|")
  by_hand <- function(x) sqrt(pi / 2) * mean(abs(x))
  r <- as.matrix(returns)
  found <- measure_volatility(returns, method = c("deviation", "absolute"))
  expect_equal(found$volatility[found$method == "absolute"], unname(apply(r, 2, by_hand)))
  rolled <- measure_volatility(returns[, "NORTH"], window = 50, min_obs = 10, method = "absolute")
  expect_equal(
    rolled$volatility[c(9, 10, 50, 900)],
    c(NA, by_hand(r[1:10, "NORTH"]), by_hand(r[1:50, "NORTH"]), by_hand(r[851:900, "NORTH"]))
  )
  expect_match(in_words(found)[5], "(absolute)", fixed = TRUE)
  expect_error(register_volatility("ewma", mean), class = "imbroglio_error_argument")
  register_volatility("absolute", function(r) "much")
  expect_error(
    measure_volatility(returns, method = "absolute"),
    "The estimator absolute",
    class = "imbroglio_error_own"
  )
})
