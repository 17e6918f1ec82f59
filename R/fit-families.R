# The families of distributions, each a record: what it is called, its parameters with their
# bounds, its formula and source, and its functions. `at` holds the parameters by name. All
# probabilities are logarithms inside, so that both tails are right as far out as numbers go.
# `fit` gives what core_fit_family() gives, for each column of returns; `refitted` the distances
# of draws of n from the family, or from a limit of it, each fitted again.
fit_families <- function() c(own_families, as.list(registered_families))

registered_families <- new.env(parent = emptyenv())

# A family by its standard form: location 0 and scale 1.
# `mean_of(z, log_p, shapes)`: the mean of what lies below z, where the probability is exp(log_p).
location_scale <- function(name, title, formula, source, density_of, tail, quantile_of, random,
                           moments, parameters = NULL, low = NULL, moments_by = "moments",
                           mean_of = NULL, limits = NULL, more = list()) {
  shapes <- parameters[-(1:2)]
  given <- function(f, x, at, ...) do.call(f, c(list(x), unname(as.list(at)[shapes]), list(...)))
  record <- list(
    title = title,
    parameters = parameters,
    low = low,
    high = rep(Inf, length(parameters)),
    formula = formula,
    source = source,
    moments_by = moments_by,
    limits = limits,
    in_words = family_in_words(title),
    log_density = function(x, at) {
      given(density_of, (x - at[[1L]]) / at[[2L]], at) - log(at[[2L]])
    },
    scores = function(x, at) {
      found <- core_scores(name, x, at[[1L]], at[[2L]], c(unlist(at[shapes]), 0, 0)[1:2])
      `colnames<-`(found[, seq_along(parameters), drop = FALSE], parameters)
    },
    log_tail = function(x, at, lower = TRUE) {
      given(tail, (x - at[[1L]]) / at[[2L]], at, lower = lower)
    },
    quantile = function(log_p, at, lower = TRUE) {
      at[[1L]] + at[[2L]] * given(quantile_of, log_p, at, lower = lower)
    },
    # The mean of centre + stretch z (`in_logs`: of exp(that) - 1), z the standard form, of what
    # lies below the quantile of exp(log_p): in closed form where there is one.
    mean_below = function(log_p, at, centre, stretch, in_logs) {
      z <- given(quantile_of, log_p, at, lower = TRUE)
      if (!in_logs && !is.null(mean_of)) return(centre + stretch * given(mean_of, z, at, log_p))
      core_mean_below(name, c(unlist(at[shapes]), 0, 0)[1:2], z, log_p, centre, stretch, in_logs)
    },
    random = function(n, at) at[[1L]] + at[[2L]] * given(random, n, at),
    moments = function(at) {
      shape_moments <- do.call(moments, unname(as.list(at)[shapes]))
      c(
        mean = at[[1L]] + at[[2L]] * shape_moments[1L],
        variance = at[[2L]]^2 * shape_moments[2L],
        skewness = shape_moments[3L],
        kurtosis = shape_moments[4L]
      )
    },
    fit = function(values, by) core_fit_family(values, name, by == "moments"),
    # The path of its search: parameters, the log-likelihood, the steepest slope.
    search = function(x) core_fit_search(x, name)[, c(seq_along(parameters), 5:6), drop = FALSE],
    refitted = function(at, n, by, first, draws, seed, limit = 0L) {
      shape <- c(unlist(at)[-(1:2)], 0, 0)[1:2]
      core_refitted(name, limit, shape, n, by == "moments", first, draws, seed)
    }
  )
  c(record, more)
}

# As it stands within a sentence; Cauchy is a name.
family_in_words <- function(title) {
  if (title == "Cauchy") return(title)
  sub(" with an end$", "", paste0(tolower(substr(title, 1L, 1L)), substring(title, 2L)))
}

# ln(1 - exp(x)), exact at both ends.
log_rest <- function(x) ifelse(x > -log(2), log(-expm1(x)), log1p(-exp(x)))

# The quantile by that of the smaller tail, which is negative.
mirrored <- function(p, lower, small_tail) {
  small <- p <= -log(2)
  z <- small_tail(ifelse(small, p, log_rest(p)))
  ifelse(small == lower, z, -z)
}

student_size <- function(r, nu) {
  ifelse(
    nu > r,
    exp(r / 2 * log(nu) + lgamma((r + 1) / 2) + lgamma((nu - r) / 2) - lgamma(nu / 2)) / sqrt(pi),
    Inf
  )
}

# Mean, variance, skewness and excess kurtosis from the first four moments about 0; a moment that
# is not finite leaves the ones above it without a value.
from_raw <- function(m) {
  variance <- m[2L] - m[1L]^2
  third <- m[3L] - 3 * m[1L] * m[2L] + 2 * m[1L]^3
  fourth <- m[4L] - 4 * m[1L] * m[3L] + 6 * m[1L]^2 * m[2L] - 3 * m[1L]^4
  c(m[1L], variance, third / variance^1.5, fourth / variance^2 - 3)
}

own_families <- list(
  normal = location_scale(
    "normal",
    "Normal",
    "exp(-z^2 / 2) / (sd sqrt(2 pi)), z = (x - mean) / sd",
    "",
    parameters = c("mean", "sd"),
    low = c(-Inf, 0),
    density_of = function(z) stats::dnorm(z, log = TRUE),
    tail = function(z, lower) stats::pnorm(z, lower.tail = lower, log.p = TRUE),
    quantile_of = function(p, lower) stats::qnorm(p, lower.tail = lower, log.p = TRUE),
    random = function(n) stats::rnorm(n),
    mean_of = function(z, log_p) -exp(stats::dnorm(z, log = TRUE) - log_p),
    moments = function() c(0, 1, 0, 0),
    more = list(
      jarque_bera = TRUE,
      density = quote(-(z^2) / 2 - ln(2 * pi) / 2),
      at_level = quote(normal_quantile(1 - level))
    )
  ),
  student = location_scale(
    "student",
    "Student t",
    paste0(
      "(1 + z^2 / nu)^(-(nu + 1) / 2) Gamma((nu + 1) / 2) / (Gamma(nu / 2) sqrt(nu pi) ",
      "scale)"
    ),
    "Student (1908)",
    parameters = c("location", "scale", "nu"),
    low = c(-Inf, 0, 0),
    limits = "normal",
    density_of = function(z, nu) stats::dt(z, nu, log = TRUE),
    tail = function(z, nu, lower) stats::pt(z, nu, lower.tail = lower, log.p = TRUE),
    # The upper tail of qt() is less exact than the lower.
    quantile_of = function(p, nu, lower) {
      mirrored(p, lower, function(p) stats::qt(p, nu, log.p = TRUE))
    },
    random = function(n, nu) stats::rt(n, nu),
    mean_of = function(z, nu, log_p) {
      -(nu + z^2) / (nu - 1) * exp(stats::dt(z, nu, log = TRUE) - log_p)
    },
    moments = function(nu) {
      c(
        if (nu > 1) 0 else NaN,
        if (nu > 2) nu / (nu - 2) else if (nu > 1) Inf else NaN,
        if (nu > 3) 0 else NaN,
        if (nu > 4) 6 / (nu - 4) else if (nu > 2) Inf else NaN
      )
    },
    more = list(
      density = quote(
        ln_gamma((nu + 1) / 2) -
          ln_gamma(nu / 2) - ln(nu * pi) / 2 - (nu + 1) / 2 * ln(1 + z^2 / nu)
      ),
      at_level = quote(student_quantile(1 - level, nu))
    )
  ),
  cauchy = location_scale(
    "cauchy",
    "Cauchy",
    "1 / (pi scale (1 + z^2))",
    "",
    parameters = c("location", "scale"),
    low = c(-Inf, 0),
    moments_by = "median and half the interquartile range",
    density_of = function(z) stats::dcauchy(z, log = TRUE),
    tail = function(z, lower) stats::pcauchy(z, lower.tail = lower, log.p = TRUE),
    quantile_of = function(p, lower) stats::qcauchy(p, lower.tail = lower, log.p = TRUE),
    random = function(n) stats::rcauchy(n),
    mean_of = function(z, log_p) -Inf,
    moments = function() rep(NaN, 4L),
    more = list(
      density = quote(-ln(pi) - ln(1 + z^2)),
      at_level = quote(-1 / tan(pi * (1 - level)))
    )
  ),
  laplace = location_scale(
    "laplace",
    "Laplace",
    "exp(-|z|) / (2 scale)",
    "Laplace (1774)",
    parameters = c("location", "scale"),
    low = c(-Inf, 0),
    density_of = function(z) -abs(z) - log(2),
    tail = function(z, lower) {
      beyond <- -abs(z) - log(2)
      ifelse((z <= 0) == lower, beyond, log_rest(beyond))
    },
    quantile_of = function(p, lower) mirrored(p, lower, function(p) p + log(2)),
    random = function(n) stats::rexp(n) - stats::rexp(n),
    mean_of = function(z, log_p) if (z <= 0) z - 1 else -(z + 1) * exp(-z - log(2) - log_p),
    moments = function() c(0, 2, 0, 3),
    more = list(
      density = quote(-abs(z) - ln(2)),
      at_level = quote(ln(2 * (1 - level)))
    )
  ),
  logistic = location_scale(
    "logistic",
    "Logistic",
    "exp(-z) / (scale (1 + exp(-z))^2)",
    "",
    parameters = c("location", "scale"),
    low = c(-Inf, 0),
    density_of = function(z) stats::dlogis(z, log = TRUE),
    tail = function(z, lower) stats::plogis(z, lower.tail = lower, log.p = TRUE),
    quantile_of = function(p, lower) stats::qlogis(p, lower.tail = lower, log.p = TRUE),
    random = function(n) stats::rlogis(n),
    mean_of = function(z, log_p) log_p + exp(log_rest(log_p) - log_p) * log_rest(log_p),
    moments = function() c(0, pi^2 / 3, 0, 1.2),
    more = list(
      density = quote(-z - 2 * ln(1 + exp(-z))),
      at_level = quote(ln((1 - level) / level))
    )
  ),
  ged = location_scale(
    "ged",
    "Generalised error",
    "shape / (2 scale Gamma(1 / shape)) exp(-|z|^shape)",
    "Subbotin (1923)",
    parameters = c("location", "scale", "shape"),
    low = c(-Inf, 0, 0),
    limits = "uniform",
    density_of = function(z, shape) log(shape / 2) - lgamma(1 / shape) - abs(z)^shape,
    tail = function(z, shape, lower) {
      beyond <- stats::pgamma(abs(z)^shape, 1 / shape, lower.tail = FALSE, log.p = TRUE) - log(2)
      ifelse((z <= 0) == lower, beyond, log_rest(beyond))
    },
    quantile_of = function(p, shape, lower) {
      mirrored(p, lower, function(p) {
        -stats::qgamma(
          pmin(p + log(2), 0),
          1 / shape,
          lower.tail = FALSE,
          log.p = TRUE
        )^(1 / shape)
      })
    },
    random = function(n, shape) {
      stats::rgamma(n, 1 / shape)^(1 / shape) * sample(c(-1, 1), n, TRUE)
    },
    mean_of = function(z, shape, log_p) {
      beyond <- stats::pgamma(abs(z)^shape, 2 / shape, lower.tail = FALSE, log.p = TRUE)
      -exp(beyond + lgamma(2 / shape) - lgamma(1 / shape) - log(2) - log_p)
    },
    moments = function(shape) {
      a <- 1 / shape
      variance <- exp(lgamma(3 * a) - lgamma(a))
      c(0, variance, 0, exp(lgamma(5 * a) - lgamma(a)) / variance^2 - 3)
    },
    more = list(
      density = quote(ln(shape / 2) - ln_gamma(1 / shape) - abs(z)^shape),
      at_level = quote(-(gamma_quantile(1 - 2 * (1 - level), 1 / shape)^(1 / shape)))
    )
  ),
  "johnson-su" = location_scale(
    "johnson-su",
    "Johnson SU",
    "gamma + delta asinh(z) is standard normal",
    "Johnson (1949)",
    parameters = c("location", "scale", "gamma", "delta"),
    low = c(-Inf, 0, -Inf, 0),
    moments_by = "four quantiles (Slifker and Shapiro 1980)",
    limits = c("normal", "lognormal"),
    density_of = function(z, gamma, delta) {
      stats::dnorm(gamma + delta * asinh(z), log = TRUE) + log(delta) - 0.5 * log1p(z^2)
    },
    tail = function(z, gamma, delta, lower) {
      stats::pnorm(gamma + delta * asinh(z), lower.tail = lower, log.p = TRUE)
    },
    quantile_of = function(p, gamma, delta, lower) {
      sinh((stats::qnorm(p, lower.tail = lower, log.p = TRUE) - gamma) / delta)
    },
    random = function(n, gamma, delta) sinh((stats::rnorm(n) - gamma) / delta),
    mean_of = function(z, gamma, delta, log_p) {
      # exp of a normal below its own quantile, up and down.
      normal <- stats::qnorm(log_p, log.p = TRUE)
      half <- function(sign) {
        exp(
          0.5 / delta^2 -
            sign * gamma / delta +
            stats::pnorm(normal - sign / delta, log.p = TRUE) -
            log(2) -
            log_p
        )
      }
      half(1) - half(-1)
    },
    moments = function(gamma, delta) {
      w <- exp(1 / delta^2)
      g <- gamma / delta
      variance <- (w - 1) * (w * cosh(2 * g) + 1) / 2
      third <- -sqrt(w) * (w - 1)^2 * (w * (w + 2) * sinh(3 * g) + 3 * sinh(g)) / 4
      fourth <- (w - 1)^2 *
        (w^2 * (w^4 + 2 * w^3 + 3 * w^2 - 3) * cosh(4 * g) +
          4 * w^2 * (w + 2) * cosh(2 * g) +
          3 * (2 * w + 1)) /
        8
      c(-sqrt(w) * sinh(g), variance, third / variance^1.5, fourth / variance^2 - 3)
    },
    more = list(
      density = quote(
        ln(delta) - (gamma + delta * asinh(z))^2 / 2 - ln(2 * pi) / 2 - ln(1 + z^2) / 2
      ),
      at_level = quote(sinh((normal_quantile(1 - level) - gamma) / delta))
    )
  ),
  "skew-student" = location_scale(
    "skew-student",
    "Skewed Student t",
    paste0(
      "2 / (skew + 1 / skew) t(z / skew) above the location, 2 / (skew + 1 / skew) t(z ",
      "skew) below, t Student's density"
    ),
    "Fernandez and Steel (1998)",
    parameters = c("location", "scale", "skew", "nu"),
    low = c(-Inf, 0, 0, 0),
    moments_by = NA_character_,
    limits = c("normal", "two-piece-normal"),
    density_of = function(z, skew, nu) {
      log(2 / (skew + 1 / skew)) + stats::dt(ifelse(z < 0, z * skew, z / skew), nu, log = TRUE)
    },
    tail = function(z, skew, nu, lower) {
      left <- z < 0
      share <- log(2) - log1p(ifelse(left, skew^2, skew^-2))
      beyond <- share + stats::pt(-abs(ifelse(left, z * skew, z / skew)), nu, log.p = TRUE)
      ifelse(left == lower, beyond, log_rest(beyond))
    },
    quantile_of = function(p, skew, nu, lower) {
      below <- if (lower) p else log_rest(p)
      above <- if (lower) log_rest(p) else p
      left <- below < -log1p(skew^2)
      beyond <- ifelse(left, below + log1p(skew^2), above + log1p(skew^-2)) - log(2)
      size <- -stats::qt(beyond, nu, log.p = TRUE)
      ifelse(left, -size / skew, size * skew)
    },
    random = function(n, skew, nu) {
      size <- abs(stats::rt(n, nu))
      ifelse(stats::runif(n) < skew^2 / (1 + skew^2), size * skew, -size / skew)
    },
    mean_of = function(z, skew, nu, log_p) {
      # Of either half the mean is Student's, and the upper is what is left of the whole.
      beyond <- function(u, by) {
        2 / (skew + 1 / skew) * by^2 * (nu + u^2) / (nu - 1) * stats::dt(u, nu)
      }
      whole <- student_size(1, nu) * (skew^2 - skew^-2) / (skew + 1 / skew)
      below <- if (z <= 0) -beyond(z * skew, 1 / skew) else whole - beyond(z / skew, skew)
      below / exp(log_p)
    },
    moments = function(skew, nu) {
      r <- 1:4
      from_raw(student_size(r, nu) * (skew^(r + 1) + (-1)^r * skew^-(r + 1)) / (skew + 1 / skew))
    },
    more = list(
      density = quote(
        ln(2 / (skew + 1 / skew)) +
          ln_gamma((nu + 1) / 2) - ln_gamma(nu / 2) - ln(nu * pi) / 2 -
          (nu + 1) / 2 * ln(1 + (z * ((z < 0) * skew + (z >= 0) / skew))^2 / nu)
      ),
      at_level = quote(student_quantile((1 - level) * (1 + skew^2) / 2, nu) / skew)
    )
  ),
  nig = location_scale(
    "nig",
    "Normal inverse Gaussian",
    paste0(
      "alpha K1(alpha w) exp(sqrt(alpha^2 - beta^2) + beta z) / (pi scale w), w = ",
      "sqrt(1 + z^2)"
    ),
    "Barndorff-Nielsen (1997)",
    parameters = c("location", "scale", "alpha", "beta"),
    low = c(-Inf, 0, 0, -Inf),
    limits = c("normal", "cauchy", "inverse-gaussian"),
    density_of = function(z, alpha, beta) core_nig_density(z, alpha, beta),
    tail = function(z, alpha, beta, lower) core_nig_beyond(z, alpha, beta, lower),
    quantile_of = function(p, alpha, beta, lower) core_nig_quantile(p, alpha, beta, lower),
    random = function(n, alpha, beta) {
      # Michael, Schucany and Haas (1976): the inverse Gaussian of mean 1 / g and shape 1.
      m <- 1 / sqrt(alpha^2 - beta^2)
      y <- m * stats::rnorm(n)^2
      x <- m / (1 + (y + sqrt(y * (4 + y))) / 2)
      x <- ifelse(stats::runif(n) * (m + x) <= m, x, m^2 / x)
      beta * x + sqrt(x) * stats::rnorm(n)
    },
    moments = function(alpha, beta) {
      g <- sqrt(alpha^2 - beta^2)
      c(beta / g, alpha^2 / g^3, 3 * beta / (alpha * sqrt(g)), 3 * (1 + 4 * beta^2 / alpha^2) / g)
    },
    # Beside alpha there is room for beta.
    more = list(no_room = function(at) if (abs(at[["beta"]]) >= at[["alpha"]]) 4L)
  )
)
