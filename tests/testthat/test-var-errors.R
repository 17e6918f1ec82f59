test_that("the error of a rank is that over all resamples, and its interval has its confidence", {
  x <- c(-0.05, -0.02, 0.01, 0.03, 0.04)
  everyone <- as.matrix(expand.grid(rep(list(x), 5)))
  sorted <- t(apply(everyone, 1, sort))
  for (k in 1:3) {
    found <- var_of(sample_returns(x), 1 - k / 5)
    expect_equal(
      found$var_error,
      sqrt(mean((sorted[, k] - mean(sorted[, k]))^2)),
      tolerance = 1e-10
    )
  }
  # Of uniform numbers the share below an order statistic is known: the ends lie between ranks
  # that cover less and more.
  for (n in c(100, 250, 1000)) {
    for (a in c(0.05, 0.1, 0.5)) {
      found <- var_of(sample_returns((1:n) / n / 10 - 0.5), 1 - a)
      low <- (0.5 - found$var_high) * n * 10
      high <- (0.5 - found$var_low) * n * 10
      covers <- function(l, u) pbinom(u - 1, n, a) - pbinom(l - 1, n, a)
      expect_lte(covers(ceiling(low - 1e-9), floor(high + 1e-9)), 0.95 + 1e-9)
      expect_gte(covers(floor(low + 1e-9), ceiling(high - 1e-9)), 0.95 - 1e-9)
    }
  }
  expect_true(is.na(var_of(sample_returns(rnorm(100) / 100), 0.99)$var_high))
})

test_that("standard errors are as large as estimates stray from sample to sample", {
  set.seed(11)
  cases <- list(
    normal = list("normal", 1),
    "normal-relative" = list("normal-relative", 10),
    historical = list("historical", 1),
    student = list("student", 1),
    hill = list("hill", 1),
    pareto = list("pareto", 1),
    bootstrap = list("bootstrap", 5),
    # At 97.5 % too few blocks are beyond the level for an error.
    block = list("block-bootstrap", 10),
    cf = list("cornish-fisher", 1),
    ewma = list("ewma", 1)
  )
  samples <- sample_returns(matrix(0.01 * rt(500 * 150, 6), 500))
  for (name in names(cases)) {
    found <- var_of(
      samples,
      if (name == "block") 0.95 else 0.975,
      cases[[name]][[2]],
      cases[[name]][[1]],
      draws = 4000,
      decay = 0.98
    )
    for (what in c("var", "es")) {
      ratio <- sqrt(mean(found[[paste0(what, "_error")]]^2, na.rm = TRUE)) /
        sd(found[[what]], na.rm = TRUE)
      # Of 150 samples the deviation is known to 6 %, more where it has fat tails.
      expect_true(ratio > 0.72 && ratio < 1.35, info = sprintf("%s %s %.2f", name, what, ratio))
    }
  }
  for (method in c("garch", "garch-student")) {
    set.seed(4)
    paths <- replicate(60, {
      h <- 1e-4
      vapply(1:800, function(t) {
        e <- sqrt(h) * rnorm(1)
        h <<- 5e-6 + 0.1 * e^2 + 0.85 * h
        e
      }, 0)
    })
    found <- var_of(sample_returns(paths), method = method)
    # The state of each path differs: the true value at risk is 2.326 times its own volatility.
    truth <- apply(paths, 2, function(x) {
      h <- 1e-4
      for (e in x) h <- 5e-6 + 0.1 * e^2 + 0.85 * h
      -qnorm(0.01) * sqrt(h)
    })
    covered <- mean(found$var_low <= truth & truth <= found$var_high, na.rm = TRUE)
    expect_gt(covered, 0.83)
    expect_lt(sum(is.na(found$var_low)), 4)
  }
})

test_that("errors of the shortfall are as large as it strays; intervals where they can be", {
  set.seed(21)
  samples <- 1500L
  for (n in c(100L, 250L)) {
    x <- matrix(rnorm(n * samples, 0, 0.01), n)
    found <- suppressWarnings(var_of(
      sample_returns(x),
      level = 0.99,
      method = c("historical", "age-weighted")
    ))
    for (method in c("historical", "age-weighted")) {
      at <- found[found$method == method, ]
      expect_gt(min(at$es_error), 0)
      expect_equal(mean(at$es_error) / sd(at$es), 1, tolerance = 0.1, label = paste(method, n))
      expect_true(all(is.na(at$var_high)))
    }
  }
  wide <- matrix(rnorm(500 * samples, 0, 0.01), 500)
  at <- var_of(sample_returns(wide), level = 0.95, method = "age-weighted")
  truth <- -0.01 * qnorm(0.05)
  expect_gt(mean(at$var_low <= truth & truth <= at$var_high), 0.92)
  # Drawn over several periods: what other histories drawn from this one give.
  history <- 0.01 * rt(400, 6)
  again <- cbind(history, replicate(250, sample(history, replace = TRUE)))
  drawn <- var_of(
    sample_returns(again),
    level = 0.95,
    horizon = 8,
    method = "bootstrap",
    draws = 20000
  )
  expect_equal(drawn$es_error[1] / sd(drawn$es[-1]), 1, tolerance = 0.1)
  expect_equal(drawn$var_error[1] / sd(drawn$var[-1]), 1, tolerance = 0.15)
  for (method in c("bootstrap", "block-bootstrap", "stationary-bootstrap")) {
    expect_message(
      few <- measure_var(sample_returns(wide[, 1:2]), 0.99, 10, method, draws = 500),
      "says too little of so rare a loss",
      class = "imbroglio_note_errors"
    )
    expect_true(all(is.na(few$var_error) & is.na(few$var_low)))
    expect_true(all(few$draw_error > 0))
  }
  # Cornish-Fisher far out, of few returns or of fat tails; GARCH by the sandwich.
  for (level in c(0.95, 0.99)) {
    expect_identical(
      is.na(quietly(var_of(sample_returns(wide[, 1:2]), level, 1, "cornish-fisher"))$var_error),
      rep(level > 0.95, 2)
    )
  }
  garch <- quietly(
    var_of(sample_returns(wide[, 1:2]), 0.99, 1, c("garch", "student"), errors = "sandwich")
  )
  expect_identical(is.na(garch$var_error), garch$method == "garch")
  expect_error(
    measure_var(sample_returns(wide[, 1:2]), method = "garch", errors = "sandwich"),
    class = "imbroglio_error_argument"
  )
})

test_that("the sandwich does not take the family as right", {
  set.seed(22)
  x <- rnorm(4000, 0, 0.01)
  returns <- sample_returns(matrix(x))
  # Laplace's family on normal returns: location and scale err apart, by the density at the middle
  # and the spread of |x|. A ninth of the location's density is not told apart by its slope within
  # half an error, so the comparison is rough.
  scale <- mean(abs(x - median(x)))
  true <- sqrt((log(2 * 0.01))^2 * var(abs(x - median(x))) / 4000 + 0.01^2 * 2 * pi / 4 / 4000)
  model <- sqrt((log(2 * 0.01))^2 * scale^2 / 4000 + scale^2 / 4000)
  found <- lapply(c("model", "sandwich"), function(errors) {
    measure_var(returns, method = "laplace", errors = errors)
  })
  expect_equal(found[[1]]$var_error, model, tolerance = 0.05)
  expect_equal(found[[2]]$var_error, true, tolerance = 0.05)
  expect_identical(found[[1]]$var, found[[2]]$var)
  expect_output(print(basis(found[[1]])), "errors of laplace as if the returns were of that kind")
  # Where the family is right both say the same.
  student <- sample_returns(matrix(0.01 * rt(4000, 5)))
  both <- vapply(
    c("model", "sandwich"),
    function(e) measure_var(student, method = "student", errors = e)$var_error,
    0
  )
  expect_equal(both[[1]], both[[2]], tolerance = 0.15)
  expect_error(
    measure_var(returns, method = "hill", errors = "sandwich"),
    class = "imbroglio_error_argument"
  )
})

test_that("returns that differ by rounding only do not vary", {
  set.seed(23)
  n <- 400
  # Written with 15 digits, as a file has them.
  grown <- function(rate) as.numeric(format(100 * (1 + rate)^(0:n), digits = 15))
  prices <- as_prices(matrix(
    c(grown(0.0003), grown(0.001), 100 * exp(cumsum(rnorm(n + 1, 0, 0.01)))),
    n + 1,
    dimnames = list(format(as.Date("2015-01-01") + 0:n), c("CASH", "STEP", "MOVES"))
  ))
  for (kind in c("simple", "log")) {
    returns <- as_returns(prices, kind)
    expect_gt(max(as.matrix(returns)[, "STEP"]) - min(as.matrix(returns)[, "STEP"]), 0)
    expect_identical(
      as.data.frame(measure_return(returns))[1:2, c("volatility", "sharpe_annual", "skewness")],
      data.frame(volatility = c(0, 0), sharpe_annual = NA_real_, skewness = NA_real_)
    )
    expect_identical(measure_volatility(returns)$volatility[1:2], c(0, 0))
    expect_identical(
      unique(na.omit(c(measure_volatility(returns, window = 30, as = "matrix")[, 1:2]))),
      0
    )
    beta <- measure_beta(returns, benchmark = "CASH")
    expect_true(all(is.na(c(beta$beta, beta$beta_error, beta$correlation))))
    expect_true(all(is.na(measure_beta(returns, benchmark = "CASH", window = 30)$beta)))
    against <- measure_beta(returns[, c("STEP", "MOVES")], benchmark = "MOVES")
    expect_identical(c(against$beta, against$correlation), c(0, NA))
    apart <- measure_tracking(returns[, c("STEP", "CASH")], benchmark = "CASH", total = FALSE)
    expect_identical(c(apart$tracking_error, apart$information_ratio), c(0, NA))
    expect_true(all(is.na(correlate_returns(returns)$correlation)))
    expect_true(all(is.na(suppressWarnings(fit_garch(returns[, 1:2]))$volatility)))
    expect_true(all(is.na(
      suppressWarnings(fit_returns(returns[, 1:2], "normal", test_draws = 0))$ks
    )))
    expect_identical(measure_var(returns[, 1:2], method = "normal-relative")$var, c(0, 0))
  }
})

test_that("closed forms of means beyond a level, and of slopes, are those of the quantiles", {
  inside <- asNamespace("imbroglio")
  at <- list(
    normal = c(0.001, 0.01), student = c(0.001, 0.01, 4), laplace = c(0.001, 0.01),
    logistic = c(0.001, 0.01), ged = c(0.001, 0.01, 1.3), "johnson-su" = c(0.001, 0.01, 0.2, 1.4),
    "skew-student" = c(0.001, 0.01, 0.9, 5), nig = c(0.001, 0.01, 0.8, -0.1)
  )
  for (name in names(at)) {
    family <- inside$fit_families()[[name]]
    here <- as.list(stats::setNames(at[[name]], family$parameters))
    for (a in c(0.001, 0.05, 0.7)) {
      for (in_logs in c(FALSE, TRUE)) {
        along <- stats::integrate(
          function(s) {
            r <- family$quantile(log(a) - s, here)
            (if (in_logs) expm1(r) else r) * exp(-s)
          },
          0, 60, rel.tol = 1e-10, subdivisions = 1000L
        )$value
        found <- family$mean_below(log(a), here, here[[1L]], here[[2L]], in_logs)
        expect_equal(found, along, tolerance = 1e-7, info = paste(name, a, in_logs))
      }
    }
  }
  # Slopes of a loss against the loss a little to either side.
  here <- list(mean = 3e-4, sd = 0.012, skewness = -0.4, kurtosis = 2.1)
  for (in_logs in c(FALSE, TRUE)) {
    ask <- list(h = 5, log = in_logs)
    loss <- function(at) {
      c(
        inside$as_loss(inside$cornish_fisher_quantile(log(0.01), at, ask), in_logs),
        inside$cornish_fisher_shortfall(0.01, at, ask)
      )
    }
    slopes <- inside$cornish_fisher_moves(0.01, here, ask)
    for (name in names(here)) {
      step <- 1e-5 * max(abs(here[[name]]), 1e-3)
      beside <- function(by) loss(replace(here, name, here[[name]] + by))
      expect_equal(
        c(slopes$var[[name]], slopes$es[[name]]),
        (beside(step) - beside(-step)) / (2 * step),
        tolerance = 1e-7
      )
    }
  }
})
