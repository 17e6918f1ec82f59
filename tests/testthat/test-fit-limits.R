# What a fit says of itself: inside, at a limit, failed.
shapes <- list(
  normal = rnorm,
  t3 = function(n) rt(n, 2.5),
  t4 = function(n) rt(n, 4),
  t8 = function(n) rt(n, 8),
  t30 = function(n) rt(n, 30),
  uniform = runif,
  arcsine = function(n) rbeta(n, 0.5, 0.5),
  beta = function(n) rbeta(n, 2, 5),
  bimodal = function(n) rnorm(n, sample(c(-2, 2), n, TRUE), 0.6),
  skewed = function(n) rgamma(n, 2),
  lognormal = function(n) rlnorm(n, 0, 0.5),
  cauchy = rcauchy,
  ties = function(n) round(4 * rt(n, 5)) / 4,
  outlier = function(n) c(rnorm(n - 1), 15)
)
searched <- c("student", "ged", "johnson-su", "skew-student", "nig")
fit_of <- function(m, families = "all", ...) quiet_fit(as_sample(m), families, test_draws = 0, ...)

# The best of random starts by optim(), with shapes within the bounds and no scale of nothing.
best_of_random <- function(x, name, starts) {
  family <- return_family(name)
  z <- (x - median(x)) / IQR(x)
  terms <- family$parameters
  logs <- terms %in% c("scale", "nu", "shape", "delta", "skew", "alpha")
  at_of <- function(v) {
    v[logs] <- exp(v[logs])
    if (name == "nig") v[4] <- v[3] * tanh(v[4])
    setNames(v, terms)
  }
  loss <- function(v) {
    value <- tryCatch(-sum(family$density(z, at_of(v), log = TRUE)), error = function(e) 1e9)
    if (is.finite(value)) value else 1e9
  }
  found <- vapply(seq_len(starts), function(i) {
    start <- c(sample(z, 1), rnorm(length(terms) - 1, 0, 0.8))
    end <- tryCatch(optim(start, loss, control = list(maxit = 1000)), error = function(e) NULL)
    at <- if (!is.null(end)) at_of(end$par)
    shape <- if (!is.null(at)) at[intersect(terms, c("nu", "shape", "delta"))]
    if (is.null(at) || at[["scale"]] < 1e-2 || any(shape < 0.3) ||
          (name == "skew-student" && abs(log(at[["skew"]])) > 2.9)) {
      return(-Inf)
    }
    -end$value
  }, 0)
  max(found) - length(x) * log(IQR(x))
}

test_that("no fit is less likely than what its family holds, or than random starts find", {
  set.seed(31)
  sizes <- thorough(list(36, 250), as.list(c(36, 60, 120, 250, 1000, 2500)))
  for (n in sizes) {
    samples <- do.call(cbind, lapply(shapes, function(draw) {
      matrix(draw(n * thorough(2L, 60L)) / 100, n)
    }))
    colnames(samples) <- sprintf("S%03d", seq_len(ncol(samples)))
    table <- fit_of(samples)
    likelihood <- function(family) {
      rows <- table[table$family == family, ]
      rows$log_likelihood[match(colnames(samples), rows$security)]
    }
    normal <- colSums(apply(samples, 2, function(x) {
      dnorm(x, mean(x), sqrt(mean((x - mean(x))^2)), log = TRUE)
    }))
    laplace <- colSums(apply(samples, 2, function(x) {
      -abs(x - median(x)) / mean(abs(x - median(x))) - log(2 * mean(abs(x - median(x))))
    }))
    uniform <- -n * log(apply(samples, 2, function(x) diff(range(x))))
    inside <- list(
      student = list(normal, likelihood("cauchy")),
      ged = list(normal, laplace, uniform),
      "johnson-su" = list(normal),
      "skew-student" = list(normal, likelihood("student")),
      nig = list(normal, likelihood("cauchy"))
    )
    for (family in searched) {
      own <- likelihood(family)
      for (held in inside[[family]]) {
        expect_true(all(own - held >= -1e-8 * n, na.rm = TRUE), info = paste(family, n))
      }
      # The state is one of three, and only a failed fit has no likelihood.
      state <- table$state[table$family == family]
      expect_true(all(grepl("^(inside$|at its .* limit$|failed: )", state)))
      expect_equal(is.na(own), startsWith(
        state[match(colnames(samples), table$security[table$family == family])],
        "failed"
      ), ignore_attr = TRUE)
    }
    if (n > 120) next
    for (j in seq(1, ncol(samples), by = thorough(4L, 12L))) {
      for (family in searched) {
        own <- likelihood(family)[j]
        if (is.na(own)) next
        best <- best_of_random(samples[, j], family, thorough(3L, 20L))
        expect_true(own >= best - 1e-6 * n, info = paste(family, n, j, own - best))
      }
    }
  }
})

test_that("a fit at its limit is that of the plainer family, errors and all", {
  set.seed(32)
  x <- sort(rnorm(250) / 100)
  thin <- qnorm(ppoints(250)) / 100
  sample <- cbind(THIN = thin, WIDE = seq(-0.01, 0.01, length.out = 250), DRAWN = x)
  table <- fit_of(sample)
  terms <- generics::tidy(table)
  of <- function(security, family) {
    part <- terms[terms$security == security & terms$family == family, ]
    data.frame(part[c("term", "estimate", "std.error", "conf.low", "conf.high")])
  }
  state <- function(security, family) {
    table$state[table$security == security & table$family == family]
  }
  expect_equal(state("THIN", "student"), "at its normal limit")
  expect_equal(of("THIN", "student"), of("THIN", "normal"), tolerance = 1e-6)
  expect_equal(state("WIDE", "ged"), "at its uniform limit")
  expect_equal(of("WIDE", "ged")$estimate, c(0, 0.01))
  expect_equal(state("THIN", "johnson-su"), "at its normal limit")
  # Errors of Student's limit in value at risk: those of the normal by the same way.
  var <- suppressWarnings(measure_var(as_sample(sample), method = c(searched, "normal")))
  thin_rows <- var[var$security == "THIN", ]
  expect_equal(
    thin_rows$var[thin_rows$method %in% c("student", "johnson-su")],
    rep(-expm1(sd(thin) * sqrt(249 / 250) * qnorm(0.01)), 2),
    tolerance = 1e-6
  )
  expect_true(all(is.finite(var$var_error) & var$var_error > 0))
  expect_true(all(var$var_high / var$var_low < 3, na.rm = TRUE))
  # A sentence, a basis and a working for each.
  expect_match(in_words(var)[var$state %in% "at its uniform limit"], "Its fit \\(ged\\) is at its")
  expect_match(basis(var)$choices[["fits"]], "at a limit")
  for (i in which(var$method %in% searched)) {
    expect_equal(value_of_working(var[i, ], "var"), var$var[i], tolerance = 1e-6)
  }
  for (i in seq_len(nrow(table))) {
    if (!table$converged[i]) next
    for (number in c("log_likelihood", "aic", "ks", "quantile_1")) {
      expect_equal(
        value_of_working(table[i, ], number),
        table[[number]][i],
        tolerance = 1e-8,
        info = paste(table$security[i], table$family[i], number)
      )
    }
  }
})

test_that("the families at limits have the mass, quantiles, means and moments they say", {
  cases <- list(
    uniform = c(location = 1, scale = 2),
    "two-piece-normal" = c(location = 1, scale = 2, skew = 1.4),
    "two-piece-normal" = c(location = 0, scale = 0.01, skew = 0.6),
    lognormal = c(location = 1, scale = 2, tau = 0.3),
    lognormal = c(location = 0, scale = 0.01, tau = -0.1),
    lognormal = c(location = 0, scale = 0.01, tau = 1e-7),
    "inverse-gaussian" = c(location = 1, scale = 2, tau = 0.3),
    "inverse-gaussian" = c(location = 0, scale = 0.01, tau = -0.8),
    "inverse-gaussian" = c(location = 0, scale = 0.01, tau = 1e-4)
  )
  set.seed(33)
  p <- c(1e-5, 1e-3, 0.05, 0.3, 0.5, 0.8, 0.99)
  for (i in seq_along(cases)) {
    name <- names(cases)[i]
    at <- cases[[i]]
    family <- return_family(name)
    for (lower in c(TRUE, FALSE)) {
      q <- family$quantile(p, at, lower = lower)
      expect_equal(family$distribution(q, at, lower = lower) / p, rep(1, 7), tolerance = 1e-8)
      steps <- range(family$quantile(c(0.02, 0.6), at, lower = lower))
      mass <- integrate(family$density, steps[1], steps[2], at = at, rel.tol = 1e-10)$value
      expect_equal(mass, 0.58, tolerance = 1e-8, info = name)
    }
    z <- (family$random(2e4, at) - at[[1]]) / at[[2]]
    expect_gt(ks.test(family$distribution(at[[1]] + at[[2]] * z, at), "punif")$p.value, 1e-3)
    raw <- vapply(1:4, function(r) {
      integrate(function(u) {
        ((family$quantile(u, at) - at[[1]]) / at[[2]])^r
      }, 0, 1, rel.tol = 1e-9, subdivisions = 2000L)$value
    }, 0)
    centred <- c(raw[1], raw[2] - raw[1]^2)
    centred[3] <- (raw[3] - 3 * raw[1] * raw[2] + 2 * raw[1]^3) / centred[2]^1.5
    centred[4] <- (raw[4] - 4 * raw[1] * raw[3] + 6 * raw[1]^2 * raw[2] - 3 * raw[1]^4) /
      centred[2]^2 - 3
    moments <- family$moments(at)
    said <- c((moments[1] - at[[1]]) / at[[2]], moments[2] / at[[2]]^2, moments[3:4])
    expect_equal(unname(said), centred, tolerance = 1e-4, info = name)
    below <- imbroglio:::family_record(name)$mean_below
    for (in_logs in c(FALSE, TRUE)) {
      by_integral <- integrate(function(s) {
        r <- family$quantile(log(0.05) - s, at, log = TRUE)
        (if (in_logs) expm1(r) else r) * exp(-s)
      }, 0, 40, rel.tol = 1e-9)$value
      expect_equal(
        below(log(0.05), as.list(at), at[[1]], at[[2]], in_logs),
        by_integral,
        tolerance = 1e-6,
        info = paste(name, in_logs)
      )
    }
  }
})

test_that("one security that cannot be fitted leaves the others as they are alone, everywhere", {
  set.seed(13)
  good <- cbind(A = rnorm(60), B = rt(60, 4), C = runif(60) - 0.5) / 100
  hopeless <- list(
    constant = rep(0.001, 60),
    short = c(rnorm(12) / 100, rep(NA, 48)),
    none = rep(NA_real_, 60),
    zeros = c(rep(0, 48), rnorm(12) / 100),
    two = rep(c(-0.01, 0.01), 30)
  )
  fitted_ways <- c(searched, "cauchy", "laplace", "logistic", "garch", "garch-student", "filtered")
  measures <- list(
    function(r) measure_var(r, method = fitted_ways),
    function(r) measure_volatility(r, method = c("garch", "garch-student")),
    function(r) fit_returns(r, "all", test_draws = 9),
    function(r) fit_garch(r, c("normal", "student"))
  )
  for (measure in measures) {
    quietly <- function(m) {
      found <- as.data.frame(suppressWarnings(measure(as_sample(m))))
      found[order(found$security), ]
    }
    alone <- quietly(good)
    for (name in names(hopeless)) {
      for (place in 0:3) {
        m <- cbind(good[, seq_len(place)], X = hopeless[[name]], good[, seq_len(3) > place])
        colnames(m) <- append(colnames(good), "X", place)
        found <- quietly(m)
        expect_equal(
          found[found$security != "X", ],
          alone,
          ignore_attr = TRUE,
          tolerance = 1e-12,
          info = paste(name, place)
        )
        lost <- found[found$security == "X", ]
        number <- intersect(c("var", "volatility", "log_likelihood"), names(lost))[1]
        expect_equal(is.na(lost[[number]]), !startsWith(lost$state, "failed") %in% FALSE)
      }
    }
  }
  expect_warning(
    measure_var(as_sample(cbind(good, X = hopeless$zeros)), method = "nig"),
    "X has no value at risk by nig: its fit failed, too many returns are alike",
    class = "imbroglio_warning_method"
  )
})

test_that("GARCH is never less likely than what it holds, and says at which limits it is", {
  set.seed(34)
  clustered <- function(n, alpha, beta, draw = rnorm) {
    h <- 1
    x <- numeric(n)
    for (t in seq_len(n)) {
      x[t] <- sqrt(h) * draw(1)
      h <- (1 - min(alpha + beta, 0.999)) + alpha * x[t]^2 + beta * h
    }
    x / 100
  }
  n <- 500
  kinds <- list(
    function() rnorm(n) / 100,
    function() rt(n, 4) / 100,
    function() runif(n) / 100,
    function() clustered(n, 0.08, 0.9),
    function() clustered(n, 0.4, 0),
    function() clustered(n, 0.06, 0.94),
    function() clustered(n, 0.08, 0.9, function(k) rt(k, 5) * sqrt(0.6)),
    function() rnorm(n) * seq(1, 3, length.out = n) / 100
  )
  samples <- do.call(cbind, lapply(kinds, function(draw) {
    replicate(thorough(3L, 60L), draw())
  }))
  colnames(samples) <- sprintf("S%03d", seq_len(ncol(samples)))
  fit <- suppressWarnings(fit_garch(as_sample(samples), c("normal", "student")))
  expect_true(all(fit$converged))
  normal <- fit[fit$innovations == "normal", ]
  student <- fit[fit$innovations == "student", ]
  constant <- apply(samples, 2, function(x) {
    sum(dnorm(x, mean(x), sqrt(mean((x - mean(x))^2)), log = TRUE))
  })
  expect_true(all(normal$log_likelihood >= constant - 1e-8 * n))
  expect_true(all(student$log_likelihood >= normal$log_likelihood - 1e-8 * n))
  for (j in seq_len(ncol(samples))) {
    x <- samples[, j]
    z <- (x - mean(x)) / sqrt(mean((x - mean(x))^2))
    loss <- function(v) {
      h <- 1
      if (v[1] < 0 || v[2] < 0 || v[3] < 0 || v[2] + v[3] > 1) return(1e9)
      h <- c(stats::filter(v[1] + v[2] * c(0, (z[-n] - v[4])^2), v[3], "recursive", init = 0))
      h <- h + v[3]^(seq_len(n) - 1) - v[1] * v[3]^(seq_len(n) - 1)
      if (any(h <= 0)) return(1e9)
      0.5 * sum(log(h) + (z - v[4])^2 / h)
    }
    starts <- list(c(1e-5, 0, 0.99999, 0), c(0.01, 0, 0.99, 0), c(0.5, 0.2, 0.3, 0))
    best <- min(vapply(starts, function(v) optim(v, loss)$value, 0))
    theirs <- -best - n * log(sd(x) * sqrt((n - 1) / n)) - n / 2 * log(2 * pi)
    expect_true(normal$log_likelihood[j] >= theirs - 1e-6 * n, info = j)
  }
  limits <- c(
    "alpha 0" = "garch_alpha",
    "beta 0" = "garch_beta",
    "omega 0" = "omega",
    constant = "garch_alpha"
  )
  for (said in names(limits)) {
    at <- grepl(said, fit$state, fixed = TRUE)
    expect_true(all(fit[[limits[[said]]]][at] == 0))
  }
  expect_equal(grepl("persistence 1", fit$state), fit$persistence >= 1)
  expect_equal(grepl("normal innovations", fit$state), is.infinite(fit$nu) %in% TRUE)
  # What is fixed has no error, and the working follows.
  terms <- generics::tidy(fit)
  expect_true(all(is.na(terms$std.error[terms$estimate %in% c(0, Inf)])))
  for (i in which(!duplicated(fit$state))) {
    expect_equal(
      value_of_working(fit[i, ], "log_likelihood"),
      fit$log_likelihood[i],
      tolerance = 1e-8
    )
    ahead <- predict(fit[i, ], horizon = 4)
    expect_equal(value_of_working(ahead[4, ], "volatility_over"), ahead$volatility_over[4])
    var <- suppressWarnings(measure_var(
      as_sample(samples[, fit$security[i], drop = FALSE]),
      method = if (fit$innovations[i] == "student") "garch-student" else "garch"
    ))
    expect_equal(value_of_working(var, "var"), var$var, tolerance = 1e-8)
    expect_gt(var$var_error, 0)
  }
})

test_that("what is said of fits at limits is said by every way to it", {
  set.seed(35)
  sample <- cbind(THIN = qnorm(ppoints(250))[sample(250)], WIDE = runif(250) - 0.5) / 100
  returns <- as_sample(sample)
  # The bits of the core are those of the words.
  fit <- imbroglio:::fitted_garch(sample, TRUE)
  bits <- imbroglio:::garch_limits
  at <- cbind(fit$estimate[, 3:4] == 0, rowSums(fit$estimate[, 3:4]) >= 1, fit$estimate[, 2] == 0)
  at <- cbind(at, is.infinite(fit$estimate[, 5]))
  for (j in 1:2) {
    told <- bitwAnd(fit$limits[j], bits) > 0
    expect_equal(unname(told[-2]), unname(at[j, -2]), info = fit$state[j])
  }
  # Its working follows another level as the function does: by the plainer family's quantile.
  for (method in c("student", "ged")) {
    var <- suppressWarnings(measure_var(returns, 0.99, method = method))
    other <- suppressWarnings(measure_var(returns, 0.95, method = method))
    row <- c(student = "THIN", ged = "WIDE")[[method]]
    read <- computed_again(working_json(quietly(show_working(
      var[var$security == row, ],
      number = "var"
    ))), choices = list(level = 0.95))
    expect_equal(
      utils::tail(read$values$var$value, 1L),
      other$var[other$security == row],
      tolerance = 1e-8,
      info = method
    )
  }
})

test_that("a p-value at a limit is as right as inside", {
  # Normal samples: Student's fit is at its limit for half of them.
  set.seed(36)
  many <- thorough(150L, 1000L)
  for (family in c("student", "johnson-su", "ged")) {
    draw <- if (family == "ged") runif else rnorm
    fit <- quiet_fit(
      as_sample(matrix(draw(100 * many) / 100, 100)),
      family,
      test_draws = 99
    )
    limit <- startsWith(fit$state, "at its")
    expect_gt(mean(limit), 0.2)
    reach <- 4 * sqrt(0.09 / sum(fit$converged))
    for (p in c("ks_p", "ad_p", "cvm_p")) {
      expect_lt(abs(mean(fit[[p]][fit$converged] <= 0.1) - 0.1), reach)
    }
  }
})
