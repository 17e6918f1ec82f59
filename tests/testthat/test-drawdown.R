# Whole years by R's own steps of a year, and of the year that is left its share.
years_by_hand <- function(from, to) {
  steps <- seq(from, by = "year", length.out = 200)
  whole <- sum(steps <= to) - 1
  whole + as.numeric(to - steps[whole + 1]) / as.numeric(steps[whole + 2] - steps[whole + 1])
}

# Every fall below a high by a plain walk through the series.
falls_by_hand <- function(w) {
  high <- cummax(w)
  below <- w < high
  runs <- rle(below)
  end <- cumsum(runs$lengths)[runs$values]
  start <- end - runs$lengths[runs$values] + 1
  data.frame(
    peak = start - 1,
    trough = mapply(function(a, b) a - 1 + which.min(w[a:b] / high[a:b]), start, end),
    recovery = ifelse(end < length(w), end + 1, NA)
  )
}

test_that("return, spread and Sharpe ratio agree with base R", {
  for (kind in c("simple", "log")) {
    returns <- as_returns(stock_prices(), kind)
    r <- as.matrix(returns)
    found <- measure_return(returns, per_year = 250, risk_free = 0.04)
    rate <- if (kind == "log") log(1.04) / 250 else 1.04^(1 / 250) - 1
    n <- nrow(r)
    for (s in colnames(r)) {
      x <- r[, s]
      row <- found[found$security == s, ]
      total <- stocks()[1860, s] / stocks()[1, s] - 1
      m <- function(k) mean((x - mean(x))^k)
      sharpe <- mean(x - rate) / sd(x)
      wanted <- c(
        total,
        (1 + total)^(250 / n) - 1,
        mean(x),
        sd(x) / sqrt(n),
        sd(x),
        m(3) / m(2)^1.5,
        m(4) / m(2)^2 - 3,
        max(x),
        min(x),
        mean(x > 0),
        sharpe,
        sqrt((1 + sharpe^2 / 2) / n),
        sharpe * sqrt(250)
      )
      expect_equal(
        unlist(row[c(
          "total_return", "return_annual", "mean", "mean_error", "volatility", "skewness",
          "kurtosis", "best", "worst", "rising", "sharpe", "sharpe_error", "sharpe_annual"
        )]),
        unname(wanted),
        tolerance = 1e-10,
        ignore_attr = TRUE
      )
      expect_equal(
        format(c(row$best_date, row$worst_date)),
        names(x)[c(which.max(x), which.min(x))]
      )
    }
  }
  # The errors of skewness and kurtosis are what 20,000 normal samples show.
  set.seed(9)
  x <- matrix(
    rnorm(20 * 20000, 0, 0.01),
    20,
    dimnames = list(format(as.Date("2024-01-01") + 7 * 1:20), 1:20000)
  )
  found <- measure_return(as_returns(x, given = "returns", every = "week"))
  expect_equal(found$skewness_error[1], sd(found$skewness), tolerance = 0.03)
  expect_equal(found$kurtosis_error[1], sd(found$kurtosis), tolerance = 0.04)
  expect_warning(
    edge <- measure_return(as_prices(data.frame(
      date = as.Date("2024-01-01") + 0:3,
      FLAT = 5,
      ONE = c(1, 2, NA, NA),
      NONE = c(NA, NA, NA, 1)
    ))),
    "FLAT has 3 returns over 3 days",
    class = "imbroglio_warning_short_sample"
  )
  expect_equal(edge$total_return, c(0, 1, NA))
  expect_equal(edge$volatility, c(0, NA, NA))
  expect_true(all(is.na(edge[c("skewness", "kurtosis", "sharpe")])))
  expect_match(in_words(edge)[3], "no return")
})

test_that("drawdown series and episodes are those of a walk by hand, in every form", {
  prices <- stock_prices()
  returns <- as_returns(prices)
  for (s in colnames(prices)) {
    w <- unname(stocks()[, s])
    d <- w / cummax(w) - 1
    ahead <- rev(cummin(rev(w))) / w - 1
    series <- drawdown_series(prices[, s])
    expect_equal(series$drawdown, d, tolerance = 1e-12)
    expect_equal(series$drawdown_ahead, ahead, tolerance = 1e-12)
    expect_equal(series$date, stock_dates())
    # The worst of either form is the maximum drawdown.
    whole <- measure_drawdown(prices[, s], level = 0.9)
    expect_equal(
      c(min(series$drawdown), min(series$drawdown_ahead)),
      rep(whole$max_drawdown, 2),
      tolerance = 1e-14
    )
    expect_equal(drawdown_series(returns[, s])$drawdown, d, tolerance = 1e-12)
    by_hand <- falls_by_hand(w)
    depth <- w[by_hand$trough] / w[by_hand$peak] - 1
    found <- drawdown_episodes(prices[, s])
    order <- order(depth)
    expect_equal(found$drawdown, depth[order], tolerance = 1e-12)
    expect_equal(found$rank, seq_along(depth))
    for (mark in c("peak", "trough", "recovery")) {
      expect_equal(found[[mark]], stock_dates()[by_hand[[mark]][order]])
    }
    expect_equal(found$days_down, as.integer(found$trough - found$peak))
    expect_equal(nrow(drawdown_episodes(prices[, s], worst = 3)), 3L)
    expect_equal(
      drawdown_episodes(prices[, s], least = 0.1)$drawdown,
      depth[order][depth[order] <= -0.1]
    )
    after <- d[-1]
    growth <- (w[1860] / w[1])^(1 / years_by_hand(stock_dates()[1], stock_dates()[1860])) - 1
    expect_equal(
      unlist(whole[c(
        "average_drawdown", "under_water", "pain", "ulcer", "drawdown_at_risk",
        "return_over_drawdown"
      )]),
      c(
        mean(depth),
        mean(after < 0),
        mean(-after),
        sqrt(mean(after^2)),
        quantile(-after, 0.9, names = FALSE),
        growth / -min(d)
      ),
      tolerance = 1e-12,
      ignore_attr = TRUE
    )
  }
  bare <- drawdown_series(prices, as = "matrix", form = "still-ahead")
  expect_equal(bare[, "ISLES"], ahead, ignore_attr = TRUE, tolerance = 1e-12)
  # Prices and their returns tell the same, month by month too.
  monthly <- suppressMessages(as_returns(prices, every = "month"))
  ends <- which(!duplicated(format(stock_dates(), "%Y-%m"), fromLast = TRUE))
  ends <- ends[-length(ends)]
  expect_equal(
    measure_drawdown(monthly)$max_drawdown,
    unname(apply(stocks()[ends, ], 2, function(w) min(w / cummax(w) - 1))),
    tolerance = 1e-12
  )
  both <- list(measure_drawdown(prices), measure_drawdown(returns))
  expect_equal(
    as.data.frame(both[[1]])[-(2:4)],
    as.data.frame(both[[2]])[-(2:4)],
    tolerance = 1e-10
  )
})

test_that("profits add, and their drawdowns are in their own units", {
  day <- as.Date("2024-01-01")
  data <- data.frame(date = day + 0:5, BOOK = c(-30, 50, -20, -40, 100, -5), FINE = 1:6)
  profits <- as_returns(data, given = "profits")
  found <- measure_drawdown(profits, per_year = 6)
  expect_equal(found$max_drawdown, c(-60, 0))
  expect_equal(c(found$peak[1], found$trough[1], found$recovery[1]), day + c(1, 3, 4))
  series <- drawdown_series(profits[, "BOOK"])
  s <- cumsum(c(0, data$BOOK))
  expect_equal(series$drawdown, s - cummax(s))
  expect_equal(series$drawdown_ahead, rev(cummin(rev(s))) - s)
  expect_equal(drawdown_episodes(profits, least = 10)$drawdown, c(-60, -30))
  expect_equal(found$return_over_drawdown, c(55 / 60, NA))
  expect_equal(found$pain[1], mean(cummax(s)[-1] - s[-1]))
  expect_match(in_words(found)[1], "BOOK fell 60.00 from its high on 2024-01-02", fixed = TRUE)
  expect_output(print(basis(found)), "6 daily profits")
  rolled <- measure_drawdown(profits, window = 2)
  expect_equal(rolled$max_drawdown[1:6], c(NA, -30, -20, -60, -40, -5))
  expect_error(measure_beta(profits, benchmark = "FINE"), class = "imbroglio_error_argument")
  expect_error(
    as_returns(transform(data, BOOK = c(1, Inf, 1, 1, 1, 1)), given = "profits"),
    class = "imbroglio_error_return"
  )
})

test_that("a price that comes back exactly to its high is back, of its returns too", {
  set.seed(4)
  # On a grid of tenths a price meets its high and its low again and again.
  path <- round(20 + cumsum(sample(c(-0.1, 0, 0.1), 4000, TRUE)) %% 3, 1)
  prices <- as_prices(matrix(
    path,
    dimnames = list(format(as.Date("2001-01-01") + 0:3999), "A")
  ))
  for (kind in c("simple", "log")) {
    returns <- as_returns(prices, kind)
    given <- as_returns(as.data.frame(returns), kind, given = "returns")
    of_prices <- as.data.frame(measure_drawdown(prices))
    for (found in list(measure_drawdown(returns), measure_drawdown(given))) {
      found <- as.data.frame(found)
      expect_identical(
        found[c("trough", "recovery", "under_water")],
        of_prices[c("trough", "recovery", "under_water")]
      )
      expect_equal(found$average_drawdown, of_prices$average_drawdown, tolerance = 1e-10)
    }
    expect_identical(
      as.data.frame(drawdown_episodes(returns))[c("rank", "peak", "trough", "recovery")],
      as.data.frame(drawdown_episodes(prices))[c("rank", "peak", "trough", "recovery")]
    )
  }
  high <- cummax(path)
  expect_equal(of_prices$under_water, mean(path[-1] < high[-1]))
  # A fall of a billionth is a fall.
  expect_lt(
    measure_drawdown(as_prices(matrix(
      c(1, 1 - 1e-9, 1),
      dimnames = list(format(as.Date("2001-01-01") + 0:2), "A")
    )))$max_drawdown,
    0
  )
})
