# Parameters to try, two sets of each family.
tried <- list(
  normal = list(c(mean = 0.3, sd = 2), c(mean = -1, sd = 0.01)),
  student = list(c(location = 1, scale = 0.5, nu = 4.5), c(location = 0, scale = 0.01, nu = 31)),
  cauchy = list(c(location = 1, scale = 3), c(location = 0, scale = 0.01)),
  laplace = list(c(location = 1, scale = 3), c(location = -0.2, scale = 0.01)),
  logistic = list(c(location = 1, scale = 3), c(location = 0, scale = 0.01)),
  ged = list(c(location = 1, scale = 3, shape = 0.8), c(location = 0, scale = 0.01, shape = 1.7)),
  "johnson-su" = list(
    c(location = 1, scale = 3, gamma = 0.8, delta = 1.4),
    c(location = 0, scale = 0.01, gamma = -0.1, delta = 4)
  ),
  "skew-student" = list(
    c(location = 1, scale = 3, skew = 1.4, nu = 4.5),
    c(location = 0, scale = 0.01, skew = 0.7, nu = 12)
  ),
  nig = list(
    c(location = 1, scale = 3, alpha = 1.1, beta = -0.6),
    c(location = 0, scale = 0.01, alpha = 40, beta = 9)
  )
)
# And any other, with four moments where the family has them.
random_at <- function(name) {
  g <- exp(runif(1, log(0.3), log(30)))
  skew <- rnorm(1, 0, 0.6)
  nu <- exp(runif(1, log(4.4), log(60)))
  shapes <- switch(
    name,
    student = nu,
    ged = exp(runif(1, log(0.6), log(8))),
    "johnson-su" = c(skew, exp(runif(1, 0, log(8)))),
    "skew-student" = c(exp(skew), nu),
    nig = g * c(sqrt(1 + skew^2), skew)
  )
  setNames(c(rnorm(1), exp(rnorm(1)), shapes), names(tried[[name]][[1]]))
}
as_sample <- function(x) {
  x <- as.matrix(x)
  dimnames(x) <- list(
    format(as.Date("2000-01-01") + seq_len(nrow(x))),
    if (is.null(colnames(x))) sprintf("S%03d", seq_len(ncol(x))) else colnames(x)
  )
  suppressWarnings(
    as_returns(x, "log", given = "returns", every = "day"),
    "imbroglio_warning_large_returns"
  )
}
quiet_fit <- function(...) suppressWarnings(fit_returns(...))

test_that(
  paste0(
    "densities integrate to one, quantiles invert, moments and random numbers match, ",
    "in both tails"
  ),
  {
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
  }
)

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
    covered <- tapply(terms$low <= at[terms$term] & at[terms$term] <= terms$high, terms$term, sum)
    expect_true(
      all(covered >= 88 & covered <= 100),
      info = paste(name, names(covered), covered, collapse = " ")
    )
  }
})

test_that(
  paste0(
    "all nine families converge on real returns, and no search finds more likely ",
    "parameters"
  ),
  {
    stocks <- as_returns(stock_prices(), "log")
    fit <- fit_returns(stocks, "all", test_draws = 0)
    expect_equal(nrow(fit), 36L)
    expect_true(all(fit$converged))
    set.seed(2)
    skewed <- as_sample(cbind(SKEWED = return_family("skew-student")$random(
      300,
      tried[["skew-student"]][[2]]
    )))
    cases <- list(
      list(fit, as.matrix(stocks)[, "ISLES"], "ISLES"),
      list(quiet_fit(skewed, "all", test_draws = 0), as.matrix(skewed)[, 1], "SKEWED")
    )
    for (case in cases) {
      for (name in names(tried)) {
        x <- case[[2]]
        family <- return_family(name)
        row <- case[[1]][case[[1]]$security == case[[3]] & case[[1]]$family == name, ]
        terms <- generics::tidy(row)
        found <- setNames(terms$estimate, terms$term)
        expect_equal(
          row$log_likelihood,
          sum(family$density(x, found, log = TRUE)),
          tolerance = 1e-9,
          info = name
        )
        above <- which(
          names(found) %in% c("sd", "scale", "nu", "shape", "delta", "skew", "alpha")
        )
        loss <- function(v) {
          v[above] <- exp(v[above])
          if (name == "nig") v[4] <- v[3] * tanh(v[4])
          value <- -sum(family$density(x, setNames(v, names(found)), log = TRUE))
          if (is.finite(value)) value else 1e9
        }
        for (start in 1:5) {
          from <- c(median(x), log(IQR(x) / 1.35), 0.5, 0.5)[seq_along(found)] +
            rnorm(length(found)) * c(sd(x) / 5, 0.5, 0.5, 0.5)[seq_along(found)]
          best <- tryCatch(
            optim(
              from,
              loss,
              control = list(maxit = 600, parscale = c(sd(x), 1, 1, 1)[seq_along(found)])
            ),
            error = function(e) list(value = 1e9)
          )
          expect_gte(row$log_likelihood, -best$value - 1e-5)
        }
      }
    }
    # The normal, the Laplace and the two criteria, written out.
    x <- as.matrix(stocks)[, "NORTH"]
    terms <- generics::tidy(
      fit[fit$security == "NORTH" & fit$family %in% c("normal", "laplace"), ]
    )
    expect_equal(
      setNames(terms$estimate, paste(terms$family, terms$term))[c(
        "normal mean",
        "normal sd",
        "laplace location",
        "laplace scale"
      )],
      c(mean(x), sqrt(mean((x - mean(x))^2)), median(x), mean(abs(x - median(x)))),
      ignore_attr = TRUE,
      tolerance = 1e-12
    )
    expect_equal(
      fit$aic,
      2 * lengths(lapply(fit$family, function(f) return_family(f)$parameters)) -
        2 * fit$log_likelihood
    )
    expect_equal(
      fit$bic - fit$aic,
      (log(1859) - 2) * lengths(lapply(fit$family, function(f) return_family(f)$parameters))
    )
    for (s in colnames(stocks)) expect_equal(order(fit$aic[fit$security == s]), 1:9)
  }
)

test_that("estimates by moments and quantiles have the sample's moments and quantiles", {
  x <- as.matrix(as_returns(stock_prices(), "log"))[, "NORTH"]
  fit <- fit_returns(
    as_sample(cbind(NORTH = x)),
    setdiff(names(tried), "skew-student"),
    by = "moments",
    test_draws = 0
  )
  terms <- generics::tidy(fit)
  m <- mean(x)
  sample <- c(
    m,
    var(x),
    mean((x - m)^3) / mean((x - m)^2)^1.5,
    mean((x - m)^4) / mean((x - m)^2)^2 - 3
  )
  matched <- c(normal = 2, student = 4, laplace = 2, logistic = 2, ged = 4, nig = 4)
  for (name in names(matched)) {
    part <- terms[terms$family == name, ]
    got <- return_family(name)$moments(setNames(part$estimate, part$term))
    which <- setdiff(seq_len(matched[[name]]), if (name %in% c("student", "ged")) 3)
    expect_equal(unname(got[which]), sample[which], tolerance = 1e-6, info = name)
  }
  expect_equal(terms$estimate[terms$family == "cauchy"], c(median(x), IQR(x) / 2))
  # The spacings of four quantiles, which is what Johnson's are made of.
  part <- terms[terms$family == "johnson-su", ]
  at <- setNames(part$estimate, part$term)
  spacing <- function(q) diff(q) / (q[3] - q[2])
  four <- pnorm(c(-3, -1, 1, 3) * 0.524)
  expect_equal(
    spacing(return_family("johnson-su")$quantile(four, at)),
    spacing(unname(quantile(x, four))),
    tolerance = 1e-9
  )
  expect_true(all(is.na(terms$error)))
  expect_error(
    fit_returns(as_sample(x), "skew-student", by = "moments"),
    class = "imbroglio_error_argument"
  )
  # Thinner tails than the normal's have no Student t.
  set.seed(1)
  expect_warning(
    fit_returns(as_sample(runif(100)), "student", by = "moments", test_draws = 0),
    class = "imbroglio_warning_not_converged"
  )
})

test_that("distances and textbook p-values are those of their formulas and tables", {
  stocks <- as_returns(stock_prices(), "log")
  fit <- fit_returns(stocks[, "ALPINE"], "all", test_draws = 0)
  x <- sort(as.matrix(stocks)[, "ALPINE"])
  n <- length(x)
  i <- seq_len(n)
  terms <- generics::tidy(fit)
  for (name in fit$family) {
    row <- fit[fit$family == name, ]
    part <- terms[terms$family == name, ]
    family <- return_family(name)
    at <- setNames(part$estimate, part$term)
    u <- family$distribution(x, at)
    base <- suppressWarnings(ks.test(x, function(q) family$distribution(q, at)))
    expect_equal(
      c(row$ks, row$ks_p_textbook),
      unname(c(base$statistic, base$p.value)),
      tolerance = 1e-9
    )
    expect_equal(
      row$ad,
      -n - mean((2 * i - 1) * (log(u) + log(rev(family$distribution(x, at, lower = FALSE))))),
      tolerance = 1e-9
    )
    expect_equal(row$cvm, 1 / 12 / n + sum((u - (2 * i - 1) / 2 / n)^2), tolerance = 1e-9)
    expect_equal(row$tail, -1.5 * n + 2 * sum(u) - mean((2 * i - 1) * log(u)), tolerance = 1e-8)
    expect_equal(c(row$quantile_1, row$quantile_01), family$quantile(c(0.01, 0.001), at))
  }
  expect_equal(
    unlist(fit[1, c("observed_1", "observed_01")], use.names = FALSE),
    unname(x[c(19, 2)])
  )
  # The usual tables: 10, 5 and 1 %.
  expect_equal(
    vapply(c(1.933, 2.492, 3.857), imbroglio:::ad_textbook, 0),
    c(0.1, 0.05, 0.01),
    tolerance = 2e-3
  )
  expect_equal(
    vapply(c(0.34730, 0.46136, 0.74346), imbroglio:::cvm_textbook, 0),
    c(0.1, 0.05, 0.01),
    tolerance = 1e-4
  )
  d <- x - mean(x)
  size <- n / 6 * (mean(d^3)^2 / mean(d^2)^3 + (mean(d^4) / mean(d^2)^2 - 3)^2 / 4)
  normal <- fit[fit$family == "normal", ]
  expect_equal(
    c(normal$jarque_bera, normal$jarque_bera_p),
    c(size, pchisq(size, 2, lower.tail = FALSE))
  )
})

test_that("a test by draws rejects as often as it says, the textbook's almost never", {
  set.seed(21)
  shapes <- list(normal = c(mean = 0, sd = 0.01), student = c(location = 0, scale = 0.01, nu = 5))
  for (name in names(shapes)) {
    x <- as_sample(matrix(return_family(name)$random(100 * 200, shapes[[name]]), 100))
    fit <- quiet_fit(x, name, test_draws = 99, stop_after = 20)
    fit <- fit[fit$converged, ]
    # 10 % of 200: as many as come in 998 of 1,000 such trials.
    within <- qbinom(c(0.001, 0.999), nrow(fit), 0.1)
    for (p in c("ks_p", "ad_p", "cvm_p")) {
      rejected <- sum(fit[[p]] <= 0.1)
      expect_true(rejected >= within[1] && rejected <= within[2], info = paste(name, p, rejected))
      expect_lte(sum(fit[[paste0(p, "_textbook")]] <= 0.1), 2)
    }
  }
  # Ended early or not: by hand from the same draws.
  stocks <- as_returns(stock_prices(), "log")[, "ISLES"]
  at <- generics::tidy(fit_returns(stocks, "student", test_draws = 0))$estimate
  draws <- imbroglio:::core_refitted(
    "student",
    c(at[3], 0),
    1859L,
    FALSE,
    0L,
    300L,
    digest::digest2int("ISLES student", 5L)
  )
  for (stop_after in c(10, Inf)) {
    fit <- fit_returns(stocks, "student", test_draws = 300, stop_after = stop_after, seed = 5)
    for (test in 1:3) {
      far <- cumsum(draws[, test] >= fit[[c("ks", "ad", "cvm")[test]]])
      ended <- which(far >= stop_after)[1]
      expect_equal(
        fit[[c("ks_p", "ad_p", "cvm_p")[test]]],
        if (is.na(ended)) (far[300] + 1) / 301 else stop_after / ended
      )
    }
  }
  RcppParallel::setThreadOptions(numThreads = 1)
  on.exit(RcppParallel::setThreadOptions(numThreads = RcppParallel::defaultNumThreads()))
  for (name in names(tried)) {
    shape <- c(tried[[name]][[1]][-(1:2)], 0, 0)[1:2]
    RcppParallel::setThreadOptions(numThreads = 1)
    one <- imbroglio:::core_refitted(name, shape, 1000L, FALSE, 0L, 12L, 7L)
    RcppParallel::setThreadOptions(numThreads = 2)
    expect_identical(imbroglio:::core_refitted(name, shape, 1000L, FALSE, 0L, 12L, 7L), one)
    # The draws of a seed do not depend on where one begins.
    expect_identical(
      imbroglio:::core_refitted(name, shape, 1000L, FALSE, 4L, 8L, 7L),
      one[5:12, ]
    )
    expect_false(anyNA(one))
  }
  verdicts <- fit_returns(
    stocks,
    c("normal", "student"),
    test_draws = 99,
    reject_at = 0.05
  )$verdict
  expect_equal(verdicts[2], "rejected at 5 % by all")
  expect_equal(basis(fit)$seed, 5L)
})

test_that("value at risk of a fit is that of its closed form", {
  stocks <- as_returns(stock_prices())[, "NORTH"]
  fit <- fit_returns(stocks, c("normal", "student", "laplace", "cauchy", "nig"), test_draws = 0)
  terms <- generics::tidy(fit)
  at <- lapply(split(terms, terms$family), function(t) setNames(t$estimate, t$term))
  level <- c(0.95, 0.999)
  found <- predict(fit, level)
  a <- 1 - level
  of <- function(name) found[found$family == name, ]
  z <- qnorm(a)
  expect_equal(of("normal")$var, -(at$normal[["mean"]] + z * at$normal[["sd"]]))
  expect_equal(
    of("normal")$es,
    dnorm(z) / a * at$normal[["sd"]] - at$normal[["mean"]],
    tolerance = 1e-9
  )
  nu <- at$student[["nu"]]
  z <- qt(a, nu)
  expect_equal(
    of("student")$es,
    at$student[["scale"]] * dt(z, nu) / a * (nu + z^2) / (nu - 1) - at$student[["location"]],
    tolerance = 1e-8
  )
  expect_equal(
    of("laplace")$es,
    at$laplace[["scale"]] * (1 - log(2 * a)) - at$laplace[["location"]],
    tolerance = 1e-9
  )
  expect_equal(of("cauchy")$es, c(Inf, Inf))
  expect_match(in_words(of("cauchy"))[1], "the mean of such losses is infinite")
  nig <- return_family("nig")
  tail <- integrate(
    function(x) -x * nig$density(x, at$nig),
    -Inf,
    of("nig")$quantile[1],
    rel.tol = 1e-9
  )$value
  expect_equal(of("nig")$es[1], tail / a[1], tolerance = 1e-6)
  # Of log returns a loss is 1 - exp(r), bounded whatever the tail.
  logs <- predict(
    fit_returns(
      as_returns(stock_prices(), "log")[, "NORTH"],
      c("normal", "cauchy"),
      test_draws = 0
    ),
    level
  )
  expect_equal(logs$var, -expm1(logs$quantile))
  expect_true(all(logs$es > logs$var & logs$es < 1))
})

test_that("what cannot be fitted says so", {
  set.seed(5)
  x <- rnorm(300) / 100
  cases <- cbind(
    constant = 0.001,
    two = rep(c(0.01, -0.01), 150),
    ten = c(x[1:10], rep(NA, 290)),
    none = NA,
    zeros = c(rep(0, 250), x[1:50]),
    outlier = c(x[-1], 0.9),
    gaps = replace(x, 2:150 * 2, NA)
  )
  expect_warning(
    fit_returns(as_sample(cases), "all", test_draws = 19),
    "did not converge: ",
    class = "imbroglio_warning_not_converged"
  )
  fit <- quiet_fit(as_sample(cases), "all", test_draws = 19)
  lost <- fit[fit$security %in% c("constant", "two", "ten", "none"), ]
  expect_true(all(
    !lost$converged & is.na(lost$log_likelihood) & is.na(lost$ks_p) & is.na(lost$quantile_1)
  ))
  expect_equal(unique(lost$verdict), "did not converge")
  # Many alike: families with a peak have no most likely scale.
  zeros <- fit[fit$security == "zeros", ]
  expect_setequal(zeros$family[zeros$converged], c("normal", "laplace", "logistic"))
  expect_true(all(fit$converged[fit$security == "outlier"]))
  gaps <- fit[fit$security == "gaps", ]
  alone <- quiet_fit(as_sample(cbind(gaps = c(na.omit(cases[, "gaps"])))), "all", test_draws = 19)
  expect_equal(gaps$ks, alone$ks)
  expect_equal(gaps$ks_p, alone$ks_p)
  expect_true(all(is.na(generics::tidy(fit[!fit$converged, ])$error)))
  expect_true(all(is.na(predict(lost)$var)))
  expect_match(in_words(lost)[1], "the fit did not converge")
  for (wrong in list(
    list(families = "gauss"),
    list(by = "eye"),
    list(seed = 1.5),
    list(test_draws = -1),
    list(stop_after = 0),
    list(reject_at = 10),
    list(rank_by = "luck")
  )) {
    expect_error(
      do.call(fit_returns, c(list(as_sample(x)), wrong)),
      class = "imbroglio_error_argument"
    )
  }
})

test_that("a family of one's own is fitted, tested and ranked like the others", {
  on.exit(rm("hyperbolic-secant", "two-sided", envir = imbroglio:::registered_families))
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

test_that("figures of fits mark the largest distance, and the command hands on what R measures", {
  skip_if_not_installed("ggplot2")
  prices <- read_prices(demo_file("bay.csv"))
  index <- as_returns(prices[, "BAYALL"])
  families <- c("normal", "ged", "cauchy", "nig")
  fit <- fit_returns(index, families, test_draws = 0)
  drawn <- ggplot2::ggplot_build(ggplot2::autoplot(fit))$data
  marks <- drawn[[3]]
  expect_equal(abs(marks$yend - marks$y), fit$ks, tolerance = 1e-9)
  x <- as.matrix(index)[, 1]
  expect_true(all(marks$x %in% x))
  expect_true(all(
    abs(marks$y - vapply(marks$x, function(m) mean(x <= m), 0)) < 1.001 / length(x)
  ))
  # The bars and the curve have the same area; the tail's dots are the losses in order.
  drawn <- ggplot2::ggplot_build(ggplot2::autoplot(fit, view = "density", family = "ged"))$data
  expect_equal(
    sum(diff(drawn[[2]]$x) * drawn[[2]]$y[-1]),
    sum(drawn[[1]]$y) * diff(drawn[[1]]$x[1:2]),
    tolerance = 5e-3
  )
  drawn <- ggplot2::ggplot_build(ggplot2::autoplot(fit, view = "tail"))$data
  expect_equal(drawn[[3]]$x[1:5], unname(-sort(x)[1:5]))
  expect_equal(10^drawn[[3]]$y[1:5], 1:5 / length(x))
  # 95 of 100 samples from the family stay within the band all along.
  n <- 300L
  places <- unique(c(1:40, round(seq(1, n, length.out = 100)), n - 39:0))
  band <- imbroglio:::joint_band(n, places, 1L)
  set.seed(4)
  inside <- replicate(1000, {
    u <- log(sort(runif(n))[places])
    all(u >= band$low & u <= band$high)
  })
  expect_true(abs(mean(inside) - 0.95) < 0.025)
  some <- suppressWarnings(fit_returns(
    prices[, c("BAYALL", "TARROW", "MARRELL")],
    c("normal", "student"),
    test_draws = 19
  ))
  figures <- c(
    lapply(c("distribution", "density", "quantiles", "tail"), function(v) {
      ggplot2::autoplot(fit, view = v)
    }),
    list(
      ggplot2::autoplot(some),
      ggplot2::autoplot(fit[1, ], view = "tail"),
      ggplot2::autoplot(some[some$security == "TARROW", ])
    )
  )
  for (i in seq_along(figures)) {
    expect_no_warning(write_figure(
      figures[[i]],
      path <- tempfile(fileext = c(".png", ".svg")[i %% 2 + 1])
    ))
    expect_gt(file.size(path), 5000)
  }
  expect_error(ggplot2::autoplot(some, view = "tail"), class = "imbroglio_error_argument")
  expect_error(ggplot2::autoplot(fit, view = "box"), class = "imbroglio_error_argument")
  expect_match(
    imbroglio:::headline(some),
    "for [0-9] all families are rejected|each has a family"
  )

  ran <- imbroglio(
    "fit", demo_file("bay.csv"), "--security", "TARROW", "--families", "student,nig",
    "--test-draws", "99", "--seed", "3", "--format", "json"
  )
  expect_equal(list(ran$status, ran$err), list(0L, ""))
  results <- jsonlite::fromJSON(ran$out)
  ours <- fit_returns(prices[, "TARROW"], c("student", "nig"), test_draws = 99, seed = 3)
  for (column in c("family", "aic", "ks", "ks_p", "ad_p", "quantile_01", "verdict")) {
    expect_identical(results$results[[column]], ours[[column]], info = column)
  }
  expect_equal(results$basis$seed, 3L)
  terms <- read.csv(
    text = imbroglio(
      "fit", demo_file("bay.csv"), "--security", "TARROW", "--families", "student",
      "--parameters", "--format", "csv"
    )$out
  )
  expect_equal(
    terms$estimate,
    generics::tidy(ours)$estimate[generics::tidy(ours)$family == "student"],
    tolerance = 1e-12
  )
  text <- imbroglio(
    "fit", demo_file("bay.csv"), "--security", "TARROW,BAYALL", "--families", "student,normal"
  )
  expect_lte(max(nchar(text$out)), 156)
  expect_true(any(grepl("TARROW +student .* not rejected at 10 %$", text$out)))
})
