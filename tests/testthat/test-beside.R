test_that("every rolling result is the whole-sample function applied window by window", {
  prices <- read_prices(demo_file("bay.csv"))[, c("BAYBOND", "CORRACK", "PELLAN")]
  # Of one security: prices on its own dates. Of two: on the dates of both.
  windows_of <- function(table, s, dates, w, at) {
    rows <- which(table$security == s)[at]
    lapply(rows, function(i) {
      end <- match(table$to[i], dates)
      list(row = as.data.frame(table)[i, ], dates = dates[max(1, end - w):end])
    })
  }
  cases <- list(
    return = list(
      roll = function(p, w) measure_return(p, window = w, min_obs = 5, risk_free = 0.01),
      whole = function(p) measure_return(p, risk_free = 0.01)
    ),
    drawdown = list(
      roll = function(p, w) measure_drawdown(p, window = w, min_obs = 5),
      whole = function(p) measure_drawdown(as_returns(p))
    ),
    beta = list(
      roll = function(p, w) measure_beta(p, "BAYBOND", window = w, min_obs = 5, risk_free = 0.01),
      whole = function(p) measure_beta(p, "BAYBOND", risk_free = 0.01),
      pair = TRUE
    ),
    tracking = list(
      roll = function(p, w) measure_tracking(p, "BAYBOND", window = w, min_obs = 5),
      whole = function(p) measure_tracking(p, "BAYBOND", total = FALSE),
      pair = TRUE
    ),
    correlation = list(
      roll = function(p, w) correlate_returns(p, window = w, min_obs = 5),
      whole = function(p) correlate_returns(p),
      pair = TRUE
    )
  )
  for (name in names(cases)) {
    for (w in c(30, 250)) {
      case <- cases[[name]]
      rolled <- case$roll(prices, w)
      for (s in c("CORRACK", "PELLAN")) {
        known <- !is.na(prices$close[, s]) &
          (is.null(case$pair) | !is.na(prices$close[, "BAYBOND"]))
        dates <- prices$dates[known]
        columns <- if (is.null(case$pair)) s else c("BAYBOND", s)
        n <- sum(rolled$security == s)
        expect_equal(n, length(dates) - 1L, info = name)
        for (part in windows_of(rolled, s, dates, w, c(5, w - 1, w, w + 1, 700, n))) {
          close <- prices[, columns]$close[match(part$dates, prices$dates), , drop = FALSE]
          whole <- as.data.frame(suppressWarnings(
            case$whole(as_prices(close, dates = part$dates)),
            classes = "imbroglio_warning_short_sample"
          ))
          both <- setdiff(intersect(names(whole), names(part$row)), c("security", "benchmark"))
          expect_gt(length(both), if (name == "correlation") 1 else 3)
          expect_equal(
            part$row[both],
            whole[both],
            tolerance = 1e-10,
            ignore_attr = TRUE,
            info = paste(name, w, s)
          )
        }
        expect_true(
          all(is.na(rolled[[ncol(rolled)]][which(rolled$security == s)[1:4]])),
          info = name
        )
      }
    }
  }
  # The bare matrices are the same numbers.
  returns <- as_returns(prices)
  rolled <- measure_beta(returns, "BAYBOND", window = 60)
  bare <- measure_beta(returns, "BAYBOND", window = 60, as = "matrix")
  expect_identical(bare[cbind(format(rolled$to), rolled$security)], rolled$beta)
  rolled <- measure_tracking(returns, "BAYBOND", window = 60)
  bare <- measure_tracking(returns, "BAYBOND", window = 60, as = "matrix")
  expect_identical(bare[cbind(format(rolled$to), rolled$security)], rolled$tracking_error)
  # A risk-free series rolls over the dates of both.
  rolled <- measure_return(returns[, "CORRACK"], window = 60, risk_free = prices[, "BAYBOND"])
  d <- measure_tracking(returns[, c("CORRACK", "BAYBOND")], "BAYBOND", window = 60)
  same_numbers(rolled$sharpe[match(d$to, rolled$to)], d$active_return / d$tracking_error)
})

test_that("frequencies and spans stand side by side, each as measured alone", {
  prices <- stock_prices()
  both <- suppressMessages(measure_beta(
    prices,
    "ISLES",
    every = c("day", "week", "month"),
    last = c("1 year", "5 years")
  ))
  expect_equal(nrow(both), 18L)
  for (i in seq_len(nrow(both))) {
    part <- window(prices, last = both$span[i])[, c(both$security[i], "ISLES")]
    alone <- suppressMessages(measure_beta(as_returns(part, every = both$every[i]), "ISLES"))
    shared <- intersect(names(alone), names(both))
    expect_equal(as.data.frame(both)[i, shared], as.data.frame(alone)[shared], ignore_attr = TRUE)
  }
})

test_that("correlations are weighted, shrunk and bounded as their formulas say", {
  returns <- as_returns(stock_prices(), "log")
  r <- as.matrix(returns)
  n <- nrow(r)
  found <- correlate_returns(returns)
  test <- cor.test(r[, "NORTH"], r[, "ALPINE"])
  same_numbers(
    found[1, c("correlation", "correlation_low", "correlation_high")],
    c(test$estimate, test$conf.int)
  )
  # The recursion's weights: (1 - d) d^k going back, and the first one's d^(n - 1).
  d <- 0.5^(1 / 30)
  w <- c(d^(n - 1), (1 - d) * d^((n - 2):0))
  expect_equal(
    correlate_returns(returns, half_life = 30, as = "covariance"),
    crossprod(r * sqrt(w)),
    tolerance = 1e-12
  )
  # Ledoit and Wolf's estimators, written out term by term on few dates.
  few <- as_returns(read_prices(demo_file("bay.csv"))[1:60, 1:6])
  x <- scale(as.matrix(few), scale = FALSE)
  t <- nrow(x)
  s <- crossprod(x) / t
  pi <- Reduce(`+`, lapply(1:t, function(k) (tcrossprod(x[k, ]) - s)^2)) / t
  rbar <- mean(cov2cor(s)[upper.tri(s)])
  target <- rbar * tcrossprod(sqrt(diag(s)))
  diag(target) <- diag(s)
  rho <- sum(diag(pi))
  for (i in 1:6) {
    for (j in setdiff(1:6, i)) {
      theta <- function(k) mean((x[, k]^2 - s[k, k]) * (x[, i] * x[, j] - s[i, j]))
      rho <- rho +
        rbar / 2 * (sqrt(s[j, j] / s[i, i]) * theta(i) + sqrt(s[i, i] / s[j, j]) * theta(j))
    }
  }
  aims <- list(
    "constant-correlation" = list(target, rho),
    identity = list(diag(mean(diag(s)), 6), 0)
  )
  for (shrink in names(aims)) {
    aim <- aims[[shrink]]
    delta <- min(1, max(0, (sum(pi) - aim[[2]]) / sum((s - aim[[1]])^2) / t))
    expect_equal(
      correlate_returns(few, shrink = shrink, as = "covariance"),
      delta * aim[[1]] + (1 - delta) * s,
      tolerance = 1e-12,
      ignore_attr = TRUE
    )
    expect_equal(
      as.numeric(basis(correlate_returns(few, shrink = shrink))$choices[["share"]]),
      delta,
      tolerance = 1e-3
    )
    expect_true(delta > 0 && delta < 1)
  }
  # More securities than dates: the sample's covariance is singular, the shrunk one is not.
  set.seed(2)
  wide <- matrix(
    rnorm(20 * 50, 0, 0.01),
    20,
    dimnames = list(format(as.Date("2024-01-01") + 1:20), sprintf("S%02d", 1:50))
  )
  wide <- as_returns(wide, given = "returns")
  lowest <- function(shrink) {
    min(eigen(correlate_returns(wide, shrink = shrink, as = "covariance"), TRUE, TRUE)$values)
  }
  expect_lt(abs(lowest("none")), 1e-12)
  for (shrink in names(aims)) expect_gt(lowest(shrink), 1e-6)
})

test_that("who costs the others much of what they share is named", {
  prices <- read_prices(demo_file("bay.csv"))
  names <- c("OSSELL", "TARROW", "PELLAN")
  expect_warning(
    correlate_returns(prices[, names]), "PELLAN costs the others much",
    class = "imbroglio_warning_few_common"
  )
  expect_no_warning(correlate_returns(prices[, names], on = "pairwise"))
  expect_no_warning(correlate_returns(prices[, names[1:2]]))
  # Two that came late together cost nothing one by one.
  both <- prices$close[, names]
  both <- cbind(both, LATE = both[, "PELLAN"] * 2)
  late <- as_prices(both, dates = prices$dates)
  expect_warning(
    correlate_returns(late), "PELLAN and LATE cost", class = "imbroglio_warning_few_common"
  )
  expect_warning(
    as_portfolio(late, weights = c(OSSELL = 0.4, TARROW = 0.2, PELLAN = 0.2, LATE = 0.2)),
    "PELLAN and LATE cost", class = "imbroglio_warning_short_history"
  )
})
