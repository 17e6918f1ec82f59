# The families that others come to at an end of their shapes, beside the normal and Cauchy's: what
# is fitted there is theirs, with their parameters. Each family names its own, `limits`, in the
# order of LimitsOf in src/core/fit.h.

# ln of a sum of two, from their logarithms.
log_sum <- function(a, b) pmax(a, b) + log1p(exp(-abs(a - b)))

limit_families <- list(
  uniform = location_scale(
    "uniform",
    "Uniform",
    "1 / (2 scale) between location - scale and location + scale",
    "",
    parameters = c("location", "scale"),
    low = c(-Inf, 0),
    moments_by = NA_character_,
    density_of = function(z) ifelse(abs(z) <= 1 + 1e-12, -log(2), -Inf),
    tail = function(z, lower) {
      log(pmin(pmax((1 + if (lower) z else -z) / 2, 0), 1))
    },
    quantile_of = function(p, lower) (if (lower) 1 else -1) * (2 * exp(p) - 1),
    random = function(n) stats::runif(n, -1, 1),
    mean_of = function(z, log_p) (z - 1) / 2,
    moments = function() c(0, 1 / 3, 0, -1.2),
    more = list(
      estimates = list(
        location = quote((nth_smallest(return, 1) + nth_smallest(return, n)) / 2),
        scale = quote((nth_smallest(return, n) - nth_smallest(return, 1)) / 2)
      ),
      at_level = quote(2 * (1 - level) - 1),
      # Of the middle and half the range of n, which the scores do not tell.
      covariance = function(at, n) {
        variance <- 2 * at$scale^2 / (n + 2) * c(1 / (n + 1), (n - 1) / (n + 1)^2)
        named_square(diag(variance), c("location", "scale"))
      }
    )
  ),
  "two-piece-normal" = location_scale(
    "two-piece-normal",
    "Two-piece normal",
    "2 / (skew + 1 / skew) n(z / skew) above the location, n(z skew) below, n the normal density",
    "Fernandez and Steel (1998)",
    parameters = c("location", "scale", "skew"),
    low = c(-Inf, 0, 0),
    moments_by = NA_character_,
    density_of = function(z, skew) {
      log(2 / (skew + 1 / skew)) + stats::dnorm(ifelse(z < 0, z * skew, z / skew), log = TRUE)
    },
    tail = function(z, skew, lower) {
      left <- z < 0
      share <- log(2) - log1p(ifelse(left, skew^2, skew^-2))
      beyond <- share + stats::pnorm(-abs(ifelse(left, z * skew, z / skew)), log.p = TRUE)
      ifelse(left == lower, beyond, log_rest(beyond))
    },
    quantile_of = function(p, skew, lower) {
      below <- if (lower) p else log_rest(p)
      above <- if (lower) log_rest(p) else p
      left <- below < -log1p(skew^2)
      beyond <- ifelse(left, below + log1p(skew^2), above + log1p(skew^-2)) - log(2)
      size <- -stats::qnorm(beyond, log.p = TRUE)
      ifelse(left, -size / skew, size * skew)
    },
    random = function(n, skew) {
      size <- abs(stats::rnorm(n))
      ifelse(stats::runif(n) < skew^2 / (1 + skew^2), size * skew, -size / skew)
    },
    mean_of = function(z, skew, log_p) {
      beyond <- function(u, by) 2 / (skew + 1 / skew) * by^2 * stats::dnorm(u)
      whole <- sqrt(2 / pi) * (skew^2 - skew^-2) / (skew + 1 / skew)
      below <- if (z <= 0) -beyond(z * skew, 1 / skew) else whole - beyond(z / skew, skew)
      below / exp(log_p)
    },
    moments = function(skew) {
      r <- 1:4
      size <- 2^(r / 2) * gamma((r + 1) / 2) / sqrt(pi)
      from_raw(size * (skew^(r + 1) + (-1)^r * skew^-(r + 1)) / (skew + 1 / skew))
    },
    more = list(
      density = quote(
        ln(2 / (skew + 1 / skew)) -
          ln(2 * pi) / 2 - (z * ((z < 0) * skew + (z >= 0) / skew))^2 / 2
      ),
      at_level = quote(normal_quantile((1 - level) * (1 + skew^2) / 2) / skew)
    )
  ),
  lognormal = location_scale(
    "lognormal",
    "Lognormal with an end",
    "ln(1 + tau z) / tau is standard normal",
    "",
    parameters = c("location", "scale", "tau"),
    low = c(-Inf, 0, -Inf),
    moments_by = NA_character_,
    density_of = function(z, tau) {
      y <- normal_of_lognormal(z, tau)
      ifelse(
        is.finite(y),
        stats::dnorm(y, log = TRUE) - suppressWarnings(log1p(tau * z)),
        -Inf
      )
    },
    tail = function(z, tau, lower) {
      stats::pnorm(normal_of_lognormal(z, tau), lower.tail = lower, log.p = TRUE)
    },
    quantile_of = function(p, tau, lower) {
      z <- stats::qnorm(p, lower.tail = lower, log.p = TRUE)
      if (tau == 0) z else expm1(tau * z) / tau
    },
    random = function(n, tau) {
      z <- stats::rnorm(n)
      if (tau == 0) z else expm1(tau * z) / tau
    },
    mean_of = function(z, tau, log_p) {
      y <- stats::qnorm(log_p, log.p = TRUE)
      if (tau == 0) return(-exp(stats::dnorm(y, log = TRUE) - log_p))
      expm1(tau^2 / 2 + stats::pnorm(y - tau, log.p = TRUE) - log_p) / tau
    },
    moments = function(tau) {
      if (tau == 0) return(c(0, 1, 0, 0))
      w <- exp(tau^2)
      c(
        expm1(tau^2 / 2) / tau,
        w * expm1(tau^2) / tau^2,
        sign(tau) * (w + 2) * sqrt(expm1(tau^2)),
        w^4 + 2 * w^3 + 3 * w^2 - 6
      )
    },
    more = list(
      density = quote(-((ln(1 + tau * z) / tau)^2 + ln(2 * pi)) / 2 - ln(1 + tau * z)),
      at_level = quote((exp(tau * normal_quantile(1 - level)) - 1) / tau)
    )
  ),
  "inverse-gaussian" = location_scale(
    "inverse-gaussian",
    "Inverse Gaussian with an end",
    "z + 1 / tau is inverse Gaussian, of mean 1 / tau and variance 1",
    "Tweedie (1957)",
    parameters = c("location", "scale", "tau"),
    low = c(-Inf, 0, -Inf),
    moments_by = NA_character_,
    density_of = function(z, tau) {
      u <- pmax(1 + tau * z, 0)
      ifelse(u > 0, -0.5 * (log(2 * pi) + z^2 / u) - 1.5 * log(u), -Inf)
    },
    tail = function(z, tau, lower) core_beyond("inverse-gaussian", c(tau, 0), z, lower),
    quantile_of = function(p, tau, lower) {
      core_quantile("inverse-gaussian", c(tau, 0), p, lower)
    },
    random = function(n, tau) {
      if (tau == 0) return(stats::rnorm(n))
      # Michael, Schucany and Haas (1976).
      m <- 1 / abs(tau)
      y <- stats::rnorm(n)^2 / m
      x <- m / (1 + (y / m + sqrt(y / m * (4 + y / m))) / 2)
      sign(tau) * (ifelse(stats::runif(n) * (m + x) <= m, x, m^2 / x) - m)
    },
    moments = function(tau) c(0, 1, 3 * tau, 15 * tau^2),
    more = list(
      density = quote(-(ln(2 * pi) + z^2 / (1 + tau * z)) / 2 - 1.5 * ln(1 + tau * z))
    )
  )
)

normal_of_lognormal <- function(z, tau) {
  if (tau == 0) return(z)
  u <- pmax(1 + tau * z, 0)
  y <- ifelse(abs(tau * z) < 0.5, suppressWarnings(log1p(tau * z)), log(u)) / tau
  y
}

# A family, or what others come to.
family_record <- function(name) limit_families[[name]] %||% fit_families()[[name]]
