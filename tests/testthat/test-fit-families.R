test_that("densities integrate to one, quantiles invert, moments and draws match", {
  p <- c(1e-12, 1e-9, 1e-6, 1e-3, 0.01, 0.1, 0.3, 0.5, 0.7, 0.9, 0.99, 1 - 1e-6, 1 - 1e-12)
  set.seed(11)
  for (name in names(tried)) {
    for (at in c(tried[[name]], replicate(3, random_at(name), simplify = FALSE))) {
      family <- return_family(name)
      for (lower in c(TRUE, FALSE)) {
        q <- family$quantile(p, at, lower = lower)
        back <- family$distribution(q, at, lower = lower)
        expect_true(all(abs(back / p - 1) < 1e-9), info = name)
        expect_false(is.unsorted(if (lower) q else -q), info = name)
        expect_equal(
          exp(family$distribution(q, at, lower = lower, log = TRUE)),
          back,
          tolerance = 1e-12
        )
        # The mass of each step between quantiles; the tails are what is left.
        steps <- family$quantile(c(1e-9, 1e-6, 1e-3, 0.1, 0.5), at, lower = lower)
        mass <- mapply(
          function(a, b) {
            integrate(
              family$density,
              min(a, b),
              max(a, b),
              at = at,
              rel.tol = 1e-11,
              subdivisions = 2000L
            )$value
          },
          steps[-5],
          steps[-1]
        )
        expect_equal(mass, diff(c(1e-9, 1e-6, 1e-3, 0.1, 0.5)), tolerance = 1e-8, info = name)
      }
      # A thousand scales out the logarithms still fall, and the density is their slope.
      far <- at[[1]] - 1000 * at[[2]] * c(1, 1 + 1e-6)
      slope <- diff(family$distribution(far, at, log = TRUE)) / diff(far)
      hazard <- exp(
        family$density(mean(far), at, log = TRUE) - family$distribution(
          mean(far),
          at,
          log = TRUE
        )
      )
      expect_equal(slope, hazard, tolerance = 1e-4, info = name)
      x <- family$random(4000, at)
      expect_gt(suppressWarnings(ks.test(family$distribution(x, at), "punif")$p.value), 1e-3)
      moments <- family$moments(at)
      if (name == "cauchy") {
        expect_true(all(is.nan(moments)))
      } else {
        # By integrals over the quantiles, far into the tails.
        raw <- vapply(1:4, function(r) {
          part <- function(lower) {
            integrate(function(s) {
              ((family$quantile(-exp(s), at, lower, log = TRUE) - at[[1]]) / at[[2]])^r *
                exp(s - exp(s))
            }, log(log(2)), log(700), rel.tol = 1e-9, subdivisions = 2000L)$value
          }
          part(TRUE) + part(FALSE)
        }, 0)
        centred <- c(
          raw[1],
          raw[2] - raw[1]^2,
          raw[3] - 3 * raw[1] * raw[2] + 2 * raw[1]^3,
          raw[4] - 4 * raw[1] * raw[3] + 6 * raw[1]^2 * raw[2] - 3 * raw[1]^4
        )
        expect_equal(
          unname(moments),
          c(
            at[[1]] + at[[2]] * centred[1],
            at[[2]]^2 * centred[2],
            centred[3] / centred[2]^1.5,
            centred[4] / centred[2]^2 - 3
          ),
          tolerance = 1e-5,
          info = name
        )
      }
    }
  }
})

test_that("what base R has agrees with base R, and the others with their formulas", {
  x <- c(-40, -5, -1, -0.1, 0, 0.5, 3, 90)
  check <- function(name, at, density, distribution) {
    family <- return_family(name)
    expect_equal(family$density(x, at, log = TRUE), density, tolerance = 1e-12)
    expect_equal(
      family$distribution(x, at, lower = FALSE, log = TRUE),
      distribution,
      tolerance = 1e-12
    )
  }
  z <- (x - 1) / 2
  check("normal", c(mean = 1, sd = 2), dnorm(x, 1, 2, TRUE), pnorm(x, 1, 2, FALSE, TRUE))
  check(
    "student",
    c(nu = 3, location = 1, scale = 2),
    dt(z, 3, log = TRUE) - log(2),
    pt(z, 3, lower.tail = FALSE, log.p = TRUE)
  )
  check(
    "cauchy",
    c(location = 1, scale = 2),
    dcauchy(x, 1, 2, TRUE),
    pcauchy(x, 1, 2, FALSE, TRUE)
  )
  check(
    "logistic",
    c(location = 1, scale = 2),
    dlogis(x, 1, 2, TRUE),
    plogis(x, 1, 2, FALSE, TRUE)
  )
  check(
    "johnson-su",
    c(location = 1, scale = 2, gamma = 0.3, delta = 1.2),
    dnorm(0.3 + 1.2 * asinh(z), log = TRUE) + log(1.2 / 2 / sqrt(1 + z^2)),
    pnorm(0.3 + 1.2 * asinh(z), lower.tail = FALSE, log.p = TRUE)
  )
  # The ends of the generalised error are Laplace's and the normal; an even skew is Student's t.
  laplace <- return_family("laplace")
  at <- c(location = 1, scale = 2)
  check(
    "ged",
    c(at, shape = 1),
    laplace$density(x, at, TRUE),
    laplace$distribution(x, at, FALSE, TRUE)
  )
  check("ged", c(at, shape = 2), dnorm(x, 1, sqrt(2), TRUE), pnorm(x, 1, sqrt(2), FALSE, TRUE))
  check(
    "skew-student",
    c(at, skew = 1, nu = 3),
    dt(z, 3, log = TRUE) - log(2),
    pt(z, 3, lower.tail = FALSE, log.p = TRUE)
  )
  w <- sqrt(1 + z^2)
  nig <- return_family("nig")
  at <- c(location = 1, scale = 2, alpha = 1.5, beta = 0.5)
  expect_equal(
    nig$density(x, at, log = TRUE),
    log(1.5 / pi / 2) + sqrt(2) + 0.5 * z + log(besselK(1.5 * w, 1, TRUE)) - 1.5 * w - log(w),
    tolerance = 1e-12
  )
  for (q in c(-60, -8, 1, 30)) {
    expect_equal(
      nig$distribution(q, at),
      integrate(nig$density, -Inf, q, at = at, rel.tol = 1e-10, subdivisions = 1000L)$value,
      tolerance = 1e-7
    )
  }
  expect_equal(nig$quantile(c(0, 1, NA, 2), at), c(-Inf, Inf, NA, NaN))
  # What is asked in any order is the same as in order.
  expect_equal(
    nig$distribution(rev(x), at, log = TRUE),
    rev(nig$distribution(x, at, log = TRUE)),
    tolerance = 1e-13
  )
  for (wrong in list(
    c(location = 0, scale = 1),
    c(location = 0, scale = -1, alpha = 1, beta = 0),
    c(location = 0, scale = 1, alpha = 1, beta = 2),
    1:4
  )) {
    expect_error(nig$density(0, wrong), class = "imbroglio_error_argument")
  }
  expect_error(return_family("gauss"), class = "imbroglio_error_argument")
})

test_that("intervals of the parameters cover the truth, for each family", {
  for (name in names(tried)) {
    # Ranges that returns have; a heavier tail than those above for the generalised error.
    at <- switch(
      name,
      ged = c(location = 4e-4, scale = 0.009, shape = 1.3),
      nig = c(location = 4e-4, scale = 0.01, alpha = 1.2, beta = -0.2),
      tried[[name]][[1]]
    )
    family <- return_family(name)
    x <- vapply(1:100, function(seed) {
      set.seed(seed)
      family$random(1000, at)
    }, numeric(1000))
    fit <- fit_returns(as_sample(x), name, test_draws = 0)
    expect_true(all(fit$converged), info = name)
    terms <- generics::tidy(fit)
    inside <- terms$conf.low <= at[terms$term] & at[terms$term] <= terms$conf.high
    covered <- tapply(inside, terms$term, sum)
    expect_true(
      all(covered >= 88 & covered <= 100),
      info = paste(name, names(covered), covered, collapse = " ")
    )
  }
})

test_that("a family of one's own is fitted, tested and ranked like the others", {
  forget_registered()
  secant <- list(
    density = function(x, at) {
      1 / (2 * at[["scale"]] * cosh(pi / 2 * (x - at[["location"]]) / at[["scale"]]))
    },
    distribution = function(x, at) {
      2 / pi * atan(exp(pi / 2 * (x - at[["location"]]) / at[["scale"]]))
    },
    start = function(x) c(location = median(x), scale = sd(x)),
    low = c(-Inf, 0)
  )
  do.call(register_family, c("hyperbolic-secant", secant))
  family <- return_family("hyperbolic-secant")
  at <- c(location = 1, scale = 2)
  expect_equal(
    family$distribution(family$quantile(c(0.001, 0.4, 0.99), at), at),
    c(0.001, 0.4, 0.99),
    tolerance = 1e-9
  )
  expect_equal(unname(family$moments(at)), c(1, 4, 0, 2), tolerance = 1e-4)
  # Laplace's family once more, by optim().
  register_family(
    "two-sided",
    function(x, at) exp(-abs(x - at[["m"]]) / at[["s"]]) / 2 / at[["s"]],
    function(x, at) {
      exp(return_family("laplace")$distribution(
        x,
        c(location = at[["m"]], scale = at[["s"]]),
        log = TRUE
      ))
    },
    function(x) c(m = mean(x), s = mean(abs(x))),
    c(-Inf, 0)
  )
  stocks <- as_returns(stock_prices()[1:200, "ALPINE"], "log")
  fit <- fit_returns(stocks, c("laplace", "two-sided", "hyperbolic-secant"), test_draws = 9)
  expect_true(all(fit$converged))
  expect_equal(
    fit$log_likelihood[fit$family == "two-sided"],
    fit$log_likelihood[fit$family == "laplace"],
    tolerance = 1e-7
  )
  expect_true(all(fit$ks_p >= 0.1 & fit$ks_p <= 1))
  expect_equal(names(which.min(setNames(fit$aic, fit$family))), fit$family[1])
  again <- fit_returns(stocks, "two-sided", test_draws = 9)
  expect_equal(again$ks_p, fit$ks_p[fit$family == "two-sided"])
  expect_error(register_family("nig", dnorm, pnorm, mean, 0), class = "imbroglio_error_argument")
  expect_error(
    register_family("own", dnorm, pnorm, function(x) mean(x), 0),
    class = "imbroglio_error_argument"
  )
  expect_error(
    register_family("own", dnorm, "pnorm", mean, 0),
    class = "imbroglio_error_argument"
  )
})
