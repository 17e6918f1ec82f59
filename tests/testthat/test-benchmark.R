# Base R's sandwich, written out from the definition.
newey_west <- function(fit, lags) {
  x <- model.matrix(fit)
  g <- x * residuals(fit)
  n <- nrow(x)
  meat <- crossprod(g)
  for (j in seq_len(lags)) {
    both <- t(g[(1 + j):n, , drop = FALSE]) %*% g[1:(n - j), , drop = FALSE]
    meat <- meat + (1 - j / (lags + 1)) * (both + t(both))
  }
  bread <- solve(crossprod(x))
  sqrt(diag(bread %*% meat %*% bread))
}

# As given log returns any finite numbers can be measured.
as_given <- function(data) {
  suppressWarnings(as_returns(
    data.frame(date = as.Date("2000-01-01") + seq_len(nrow(data)), data, check.names = FALSE),
    "log",
    every = "day",
    given = "returns"
  ))
}

# Two exchanges whose holidays differ, and a security that starts late.
apart_prices <- function() {
  set.seed(5)
  close <- stocks()[1:400, ]
  close[sample(2:399, 40), "NORTH"] <- NA
  close[sample(2:399, 30), "ISLES"] <- NA
  close[1:60, "ALPINE"] <- NA
  close[350:400, "WESTERN"] <- NA
  as_prices(close)
}

test_that("a line against a benchmark is lm()'s, with its errors, tests and intervals", {
  for (kind in c("simple", "log")) {
    for (rf in list(NULL, 0.05)) {
      returns <- as_returns(stock_prices(), kind = kind)
      r <- as.matrix(returns)
      rate <- if (is.null(rf)) 0 else if (kind == "log") log(1.05) / 252 else 1.05^(1 / 252) - 1
      found <- measure_beta(returns, "ISLES", risk_free = rf, confidence = 0.9)
      robust <- measure_beta(returns, "ISLES", risk_free = rf, errors = "newey-west")
      five <- measure_beta(returns, "ISLES", risk_free = rf, errors = "newey-west", lags = 5)
      expect_equal(found$security, c("NORTH", "ALPINE", "WESTERN"))
      for (s in found$security) {
        x <- r[, "ISLES"] - rate
        y <- r[, s] - rate
        fit <- lm(y ~ x)
        table <- summary(fit)$coefficients
        row <- found[found$security == s, ]
        same_numbers(row[c("alpha", "alpha_error", "alpha_t", "alpha_p")], table[1, ])
        same_numbers(row[c("beta", "beta_error", "beta_t", "beta_p")], table[2, ])
        same_numbers(
          row[c("alpha_low", "alpha_high", "beta_low", "beta_high")],
          t(confint(fit, level = 0.9))
        )
        same_numbers(
          row[c("r_squared", "correlation", "residual_volatility", "alpha_annual")],
          c(summary(fit)$r.squared, cor(x, y), summary(fit)$sigma, table[1, 1] * 252)
        )
        same_numbers(
          row[c("beta_adjusted", "beta_up", "beta_down")],
          c(
            (2 * table[2, 1] + 1) / 3,
            coef(lm(y ~ x, subset = x > 0))[2],
            coef(lm(y ~ x, subset = x < 0))[2]
          )
        )
        same_numbers(
          robust[robust$security == s, c("alpha_error", "beta_error")],
          newey_west(fit, floor(4 * (1859 / 100)^(2 / 9)))
        )
        same_numbers(five[five$security == s, c("alpha_error", "beta_error")], newey_west(fit, 5))
      }
    }
  }
  tidied <- generics::tidy(found)
  expect_equal(tidied$estimate, as.vector(rbind(found$alpha, found$beta)))
  expect_equal(
    tidied$conf.high - tidied$conf.low,
    as.vector(rbind(found$alpha_high - found$alpha_low, found$beta_high - found$beta_low))
  )
  expect_equal(generics::glance(found)$r.squared, found$r_squared)
})

test_that("several benchmarks go into one regression as in lm()", {
  returns <- as_returns(stock_prices())
  r <- as.data.frame(as.matrix(returns))
  fit <- lm(NORTH ~ ALPINE + WESTERN + ISLES, r)
  for (errors in c("ordinary", "newey-west")) {
    found <- measure_beta(
      returns,
      c("ALPINE", "WESTERN", "ISLES"),
      together = TRUE,
      errors = errors
    )
    expect_equal(found$benchmark, c("ALPINE", "WESTERN", "ISLES"))
    se <- if (errors == "ordinary") {
      sqrt(diag(vcov(fit)))
    } else {
      newey_west(fit, floor(4 * (1859 / 100)^(2 / 9)))
    }
    same_numbers(found$beta, coef(fit)[-1])
    same_numbers(found$beta_error, se[-1])
    same_numbers(
      found[1, c("alpha", "alpha_error", "r_squared", "residual_volatility")],
      c(coef(fit)[1], se[1], summary(fit)$r.squared, summary(fit)$sigma)
    )
    same_numbers(found$beta_p, 2 * pt(-abs(coef(fit) / se), 1855)[-1])
  }
  # One at a time they are the single lines.
  single <- measure_beta(returns, c("ALPINE", "WESTERN"))
  same_numbers(
    single$beta[single$security == "NORTH"],
    c(coef(lm(NORTH ~ ALPINE, r))[2], coef(lm(NORTH ~ WESTERN, r))[2])
  )
})

test_that("regression gives the certified values, and exact ones of ill-conditioned data", {
  # NIST's certified values for Longley's data, in its units.
  data <- with(
    longley,
    data.frame(
      y = Employed * 1000,
      x1 = GNP.deflator,
      x2 = GNP * 1000,
      x3 = Unemployed * 10,
      x4 = Armed.Forces * 10,
      x5 = Population * 1000,
      x6 = Year
    )
  )
  found <- measure_beta(as_given(data), paste0("x", 1:6), together = TRUE)
  same_numbers(
    found$beta,
    c(
      15.0618722713733, -0.0358191792925910, -2.02022980381683, -1.03322686717359,
      -0.0511041056535807, 1829.15146461355
    ),
    1e-9
  )
  same_numbers(
    found$beta_error,
    c(
      84.9149257747669, 0.0334910077722432, 0.488399681651699, 0.214274163161675,
      0.226073200069370, 455.478499142212
    ),
    1e-9
  )
  same_numbers(
    found[1, c("alpha", "alpha_error", "residual_volatility", "r_squared")],
    c(-3482258.63459582, 890420.383607373, 304.854073561965, 0.995479004577296),
    1e-9
  )
  # The pattern +--+ is orthogonal to a constant and to a line: the estimates are exact.
  for (level in c(0, 1e3, 1e6)) {
    n <- 400
    x <- level + seq_len(n)
    e <- rep(c(1, -1, -1, 1), n / 4)
    found <- measure_beta(as_given(data.frame(x = x, y = -262.25 + 1.5 * x + e)), "x")
    sxx <- n * (n^2 - 1) / 12
    sigma <- sqrt(n / (n - 2))
    same_numbers(
      found[c("beta", "residual_volatility", "beta_error", "alpha")],
      c(1.5, sigma, sigma / sqrt(sxx), -262.25),
      1e-11 * max(1, level / 1e2)
    )
    same_numbers(found$alpha_error, sigma * sqrt(1 / n + mean(x)^2 / sxx))
  }
  still <- measure_beta(as_given(data.frame(x = rep(0.01, 9), y = 1:9)), "x")
  expect_true(all(is.na(still[c("beta", "alpha", "beta_error", "r_squared")])))
  alike <- as_given(data.frame(x = 1:9, z = 2 * 1:9, y = c(3, 1, 4, 1, 5, 9, 2, 6, 5)))
  expect_true(all(is.na(measure_beta(alike, c("x", "z"), together = TRUE)$beta)))
})

test_that("series with different holidays are compared over the same intervals", {
  prices <- apart_prices()
  for (kind in c("simple", "log")) {
    returns <- as_returns(prices, kind)
    found <- measure_beta(returns, "ISLES")
    apart <- measure_tracking(returns, "ISLES", total = FALSE)
    pairs <- correlate_returns(returns, on = "pairwise", as = "correlation")
    for (s in found$security) {
      close <- na.omit(prices$close[, c(s, "ISLES")])
      r <- if (kind == "log") diff(log(close)) else close[-1, ] / close[-nrow(close), ] - 1
      fit <- lm(r[, 1] ~ r[, 2])
      row <- found[found$security == s, ]
      same_numbers(
        row[c("alpha", "beta", "residual_volatility", "n")],
        c(coef(fit), summary(fit)$sigma, nrow(r))
      )
      d <- apart[apart$security == s, ]
      same_numbers(
        d[c("active_return", "tracking_error", "correlation", "ahead", "n")],
        c(
          mean(r[, 1] - r[, 2]),
          sd(r[, 1] - r[, 2]),
          cor(r)[1, 2],
          mean(r[, 1] > r[, 2]),
          nrow(r)
        )
      )
      same_numbers(pairs[s, "ISLES"], cor(r)[1, 2])
      # By row the dates of the two would not be the same.
      own <- function(x) diff(log(na.omit(prices$close[, x])))
      k <- min(length(own(s)), length(own("ISLES")))
      by_row <- coef(lm(head(own(s), k) ~ head(own("ISLES"), k)))[2]
      expect_gt(abs(row$beta - by_row), 0.01)
    }
    # With a risk-free series there are three to line up, here from another table.
    three <- na.omit(prices$close[, c("NORTH", "ISLES", "ALPINE")])
    r <- if (kind == "log") diff(log(three)) else three[-1, ] / three[-nrow(three), ] - 1
    free <- measure_beta(returns[, c("NORTH", "ISLES")], "ISLES", risk_free = prices[, "ALPINE"])
    fit <- lm(I(r[, "NORTH"] - r[, "ALPINE"]) ~ I(r[, "ISLES"] - r[, "ALPINE"]))
    same_numbers(free[c("alpha", "beta", "n")], c(coef(fit), nrow(r)))
    excess <- measure_return(returns[, "NORTH"], risk_free = prices[, "ALPINE"])
    both <- na.omit(prices$close[, c("NORTH", "ALPINE")])
    d <- if (kind == "log") diff(log(both)) else both[-1, ] / both[-nrow(both), ] - 1
    d <- d[, 1] - d[, 2]
    same_numbers(
      excess[c("sharpe", "sharpe_error")],
      c(mean(d) / sd(d), sqrt((1 + (mean(d) / sd(d))^2 / 2) / length(d)))
    )
    # A benchmark in a table of its own, in whatever order its dates come.
    outside <- measure_beta(
      returns[, "NORTH"],
      suppressMessages(as_prices(
        as.data.frame(prices)[400:1, c("date", "ISLES")]
      ))
    )
    same_numbers(
      outside[c("beta", "alpha", "n")],
      found[found$security == "NORTH", c("beta", "alpha", "n")]
    )
  }
  # Common dates of all four.
  close <- na.omit(prices$close)
  r <- close[-1, ] / close[-nrow(close), ] - 1
  expect_equal(correlate_returns(prices, as = "correlation"), cor(r), tolerance = 1e-12)
  expect_equal(correlate_returns(prices, as = "covariance"), cov(r), tolerance = 1e-12)
  kept <- basis(correlate_returns(prices))
  expect_equal(unname(kept$observations), rep(nrow(r), 4))
  expect_true("not on a date of all the others" %in% kept$dropped$reason)
  # Given returns know of no interval to span: rows that both have.
  given <- as_returns(
    data.frame(
      date = as.Date("2024-01-01") + 0:5,
      A = c(1, NA, 3, 2, 5, 4) / 100,
      B = c(2, 1, NA, 5, 3, 1) / 100
    ),
    given = "returns"
  )
  same_numbers(
    measure_beta(given, "B")[c("beta", "n")],
    c(coef(lm(c(1, 2, 5, 4) ~ c(2, 5, 3, 1)))[2], 4)
  )
})

test_that("tracking error and information ratio are a year's; their mixture is warned of", {
  returns <- as_returns(stock_prices())
  r <- as.matrix(returns)
  expect_warning(
    found <- measure_tracking(returns, "NORTH", per_year = 250),
    class = "imbroglio_warning_not_a_year"
  )
  for (s in found$security) {
    d <- r[, s] - r[, "NORTH"]
    row <- found[found$security == s, ]
    same_numbers(
      row[c(
        "active_return", "tracking_error", "active_return_annual", "tracking_error_annual",
        "information_ratio"
      )],
      c(mean(d), sd(d), mean(d) * 250, sd(d) * sqrt(250), mean(d) / sd(d) * sqrt(250))
    )
    total <- prod(1 + r[, s]) - prod(1 + r[, "NORTH"])
    same_numbers(
      row[c("active_return_total", "information_ratio_total")],
      c(total, total / sd(d) / sqrt(250))
    )
  }
  expect_no_warning(measure_tracking(returns, "NORTH", total = FALSE))
  expect_no_warning(measure_tracking(window(stock_prices(), last = "1 year"), "NORTH"))
})
