test_that("autocorrelations are those of base R, and of their formulas by hand", {
  closes <- stocks()
  closes[c(100, 500), 2] <- NA
  for (kind in c("simple", "log")) {
    returns <- as_returns(as_prices(closes), kind)
    found <- measure_autocorrelation(returns, c(7, 1, 3))
    plain <- measure_autocorrelation(returns, c(1, 3, 7), errors = "independent")
    for (name in colnames(closes)) {
      r <- returns$values[!is.na(returns$values[, name]), name]
      n <- length(r)
      own <- found[found$security == name, ]
      rho <- stats::acf(r, 7, plot = FALSE)$acf[-1]
      expect_equal(own$autocorrelation, rho[c(1, 3, 7)], tolerance = 1e-12)
      d <- r - mean(r)
      error <- vapply(1:7, function(k) sqrt(sum((d[-seq_len(k)] * head(d, -k))^2)) / sum(d^2), 0)
      expect_equal(own$autocorrelation_error, error[c(1, 3, 7)], tolerance = 1e-12)
      expect_equal(own$box[3], sum((rho / error)^2), tolerance = 1e-12)
      test <- stats::Box.test(r, 7, "Ljung-Box")
      expect_equal(plain$box[plain$security == name][3], test$statistic[[1]], tolerance = 1e-10)
      expect_equal(plain$box_p[plain$security == name][3], test$p.value, tolerance = 1e-10)
    }
  }
})

test_that("robust errors hold where volatility clusters, those of independent returns do not", {
  set.seed(5)
  n <- 1000
  clustered <- replicate(400, {
    z <- stats::rnorm(n)
    v <- numeric(n)
    r <- numeric(n)
    v[1] <- 1
    r[1] <- z[1]
    for (t in 2:n) {
      v[t] <- 0.05 + 0.15 * r[t - 1]^2 + 0.8 * v[t - 1]
      r[t] <- sqrt(v[t]) * z[t]
    }
    r / 100
  })
  days <- as.Date("2020-01-01") + seq_len(n)
  returns <- as_returns(
    data.frame(date = days, clustered), given = "returns", kind = "simple"
  )
  share <- function(errors) mean(measure_autocorrelation(returns, 5, errors)$box_p < 0.05)
  # Of 400 samples 5 in 100, give or take 1.1.
  expect_lt(abs(share("robust") - 0.05), 0.033)
  expect_gt(share("independent"), 0.12)
})

test_that("what is too short or constant has none, and lags are whole numbers", {
  flat <- as_prices(data.frame(date = as.Date("2024-01-01") + 0:30, A = 100, B = 100 + 0:30 %% 3))
  found <- quietly(measure_autocorrelation(flat, c(1, 9)))
  expect_equal(is.na(found$autocorrelation), c(TRUE, TRUE, FALSE, TRUE))
  expect_match(in_words(found)[1], "too few returns, or only one kind")
  for (lags in list(0, 1.5, NA, "a", numeric())) {
    expect_error(measure_autocorrelation(flat, lags), class = "imbroglio_error_argument")
  }
})
