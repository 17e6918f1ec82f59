# r_t = mean + e_t, e_t of variance h_t; nu Inf is the normal.
garch_sample <- function(n, at, seed) {
  set.seed(seed)
  z <- if (is.finite(at[["nu"]])) {
    rt(n + 500, at[["nu"]]) * sqrt((at[["nu"]] - 2) / at[["nu"]])
  } else {
    rnorm(n + 500)
  }
  h <- at[["omega"]] / (1 - at[["alpha"]] - at[["beta"]])
  e <- numeric(n + 500)
  for (t in seq_along(e)) {
    e[t] <- sqrt(h) * z[t]
    h <- at[["omega"]] + at[["alpha"]] * e[t]^2 + at[["beta"]] * h
  }
  at[["mean"]] + e[-(1:500)]
}

# The likelihood from its definition, in R.
garch_likelihood <- function(x, mean, omega, alpha, beta, nu = Inf) {
  e <- x - mean
  h <- Reduce(
    function(h, e) omega + alpha * e^2 + beta * h,
    e[-length(e)],
    mean((x - base::mean(x))^2),
    accumulate = TRUE
  )
  if (is.finite(nu)) {
    sum(
      dt(e / sqrt(h) * sqrt(nu / (nu - 2)), nu, log = TRUE) + log(nu / (nu - 2)) / 2 - log(h) / 2
    )
  } else {
    sum(dnorm(e, 0, sqrt(h), log = TRUE))
  }
}

test_that("GARCH intervals cover the truth of simulated returns", {
  truth <- c(mean = 4e-4, omega = 2e-6, alpha = 0.08, beta = 0.9, nu = 6)
  for (kind in c("normal", "student")) {
    at <- if (kind == "normal") replace(truth, "nu", Inf) else truth
    x <- vapply(1:100, function(seed) garch_sample(2000, at, seed), numeric(2000))
    dimnames(x) <- list(format(as.Date("2000-01-01") + 1:2000), 1:100)
    fit <- fit_garch(as_returns(x, "log", given = "returns", every = "day"), innovations = kind)
    expect_true(all(fit$converged))
    terms <- generics::tidy(fit)
    expect_equal(nrow(terms), if (kind == "normal") 400L else 500L)
    inside <- terms$conf.low <= at[terms$term] & at[terms$term] <= terms$conf.high
    covered <- tapply(inside, terms$term, sum)
    expect_true(
      all(covered >= 88 & covered <= 100),
      info = paste(kind, names(covered), covered, collapse = " ")
    )
  }
})

test_that("no search finds a higher GARCH likelihood; path and forecast follow from it", {
  stocks <- as_returns(stock_prices(), "log")
  for (kind in c("normal", "student")) {
    fit <- fit_garch(stocks, innovations = kind)
    terms <- generics::tidy(fit)
    path <- volatility_series(
      stocks,
      method = c(normal = "garch", student = "garch-student")[[kind]]
    )
    ahead <- predict(fit, horizon = 30)
    for (s in colnames(stocks)[seq_len(thorough(2, 4))]) {
      x <- as.matrix(stocks)[, s]
      at <- with(terms[terms$security == s, ], setNames(estimate, term))
      ours <- do.call(garch_likelihood, c(list(x), as.list(at)))
      row <- fit[fit$security == s, ]
      expect_equal(row$log_likelihood, ours, tolerance = 1e-10)
      # A grid of persistence, share of the last shock and tail, then optim() from its best.
      free <- function(p) {
        share <- plogis(p[3])
        with_tail <- if (kind == "student") 2 + exp(p[5]) else Inf
        -garch_likelihood(
          x,
          p[1],
          exp(p[2]),
          plogis(p[4]) * share,
          plogis(p[4]) * (1 - share),
          with_tail
        )
      }
      grid <- expand.grid(
        mean(x),
        NA,
        qlogis(c(0.02, 0.05, 0.1, 0.2, 0.4)),
        qlogis(c(0.5, 0.8, 0.9, 0.96, 0.99)),
        if (kind == "student") log(c(2, 4, 8)) else 0
      )
      grid[[2]] <- log(var(x) * (1 - plogis(grid[[4]])))
      start <- unlist(grid[which.min(apply(grid, 1, free)), ])
      best <- optim(
        start,
        free,
        method = "Nelder-Mead",
        control = list(maxit = 1500, reltol = 1e-13, parscale = pmax(abs(start), 1e-3))
      )
      expect_gte(ours, -best$value - 1e-6)
      # The path by the recursion, the long run by its fixed point.
      h <- Reduce(
        function(h, e) at[["omega"]] + at[["alpha"]] * e^2 + at[["beta"]] * h,
        x - at[["mean"]],
        mean((x - mean(x))^2),
        accumulate = TRUE
      )
      expect_equal(
        path$volatility[path$security == s],
        sqrt(h[-1]),
        tolerance = 1e-10,
        ignore_attr = TRUE
      )
      p <- at[["alpha"]] + at[["beta"]]
      expect_equal(row$volatility, sqrt(h[[length(h)]]), tolerance = 1e-10)
      expect_equal(row$long_run^2, at[["omega"]] + p * row$long_run^2, tolerance = 1e-10)
      expect_equal(p^row$half_life, 0.5, tolerance = 1e-10)
      next30 <- Reduce(
        function(h, i) at[["omega"]] + p * h,
        2:30,
        h[[length(h)]],
        accumulate = TRUE
      )
      forecast <- ahead[ahead$security == s, ]
      expect_equal(forecast$volatility, sqrt(next30), tolerance = 1e-9)
      expect_equal(forecast$volatility_over, sqrt(cumsum(next30)), tolerance = 1e-9)
    }
    expect_equal(
      measure_volatility(stocks, method = unique(path$method))$volatility,
      fit$volatility
    )
  }
  expect_equal(generics::glance(fit)$AIC, 10 - 2 * fit$log_likelihood)
  # What cannot be fitted says so: constant, too short, without any clustering.
  day <- as.Date("2024-01-01")
  set.seed(6)
  dull <- as_returns(
    data.frame(
      date = day + 1:300,
      FLAT = 0.001,
      SHORT = c(rnorm(15), rep(NA, 285)) / 100,
      EVEN = rep(c(0.01, -0.01, -0.01, 0.01), 75)
    ),
    given = "returns"
  )
  expect_warning(fit <- fit_garch(dull), class = "imbroglio_warning_not_converged")
  expect_equal(fit$converged, c(FALSE, FALSE, TRUE))
  expect_match(fit$state[3], "at its limit of no clustering|constant variance")
  expect_true(all(is.na(fit$log_likelihood[1:2])))
  expect_match(in_words(fit)[1], "failed: the returns do not differ")
})
