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
    tail = function(z, tau, lower) inverse_gaussian_tail(z, tau, lower),
    quantile_of = function(p, tau, lower) {
      vapply(p, inverse_gaussian_quantile, 0, tau, lower)
    },
    random = function(n, tau) {
      if (tau == 0) return(stats::rnorm(n))
      # Michael, Schucany and Haas (1976).
      m <- 1 / abs(tau)
      y <- stats::rnorm(n)^2 / m
      x <- m / (1 + (y / m + sqrt(y / m * (4 + y / m))) / 2)
      sign(tau) * (ifelse(stats::runif(n) * (m + x) <= m, x, m^2 / x) - m)
    },
    mean_of = function(z, tau, log_p) {
      if (tau == 0) return(-exp(stats::dnorm(z, log = TRUE) - log_p))
      root <- sqrt(1 + tau * z)
      far <- log_mills((2 + tau * z) / (abs(tau) * root))
      -2 / abs(tau) * exp(stats::dnorm(z / root, log = TRUE) + far - log_p)
    },
    moments = function(tau) c(0, 1, 3 * tau, 15 * tau^2),
    more = list(
      density = quote(-(ln(2 * pi) + z^2 / (1 + tau * z)) / 2 - 1.5 * ln(1 + tau * z))
    )
  )
)

# ln of the normal tail beyond v over the density there.
log_mills <- function(v) {
  q <- 1 / v^2
  ifelse(
    v > 50,
    log1p(-q * (1 - q * (3 - 15 * q))) - log(abs(v)),
    stats::pnorm(v, lower.tail = FALSE, log.p = TRUE) - stats::dnorm(v, log = TRUE)
  )
}

# In closed form; what ends to the right is the mirror of what ends to the left.
inverse_gaussian_tail <- function(z, tau, lower) {
  if (tau == 0) return(stats::pnorm(z, lower.tail = lower, log.p = TRUE))
  if (tau < 0) return(inverse_gaussian_tail(-z, -tau, !lower))
  u <- pmax(1 + tau * z, 0)
  w <- z / sqrt(u)
  far <- log_mills((2 + tau * z) / (tau * sqrt(u)))
  density <- stats::dnorm(w, log = TRUE)
  found <- if (lower) {
    density + log_sum(log_mills(-w), far)
  } else {
    near <- log_mills(w)
    density + near + log_rest(pmin(far - near, 0))
  }
  ifelse(u > 0, found, if (lower) -Inf else 0)
}

inverse_gaussian_quantile <- function(log_p, tau, lower) {
  if (is.na(log_p)) return(log_p)
  ends <- sort(c(-1 / tau, sign(tau) * Inf))
  if (tau == 0) ends <- c(-Inf, Inf)
  if (log_p == -Inf || log_p == 0) return(ends[1L + ((log_p == 0) == lower)])
  # The smaller tail is the one that is told exactly.
  if (log_p > -log(2)) {
    log_p <- log_rest(log_p)
    lower <- !lower
  }
  off <- function(z) {
    found <- inverse_gaussian_tail(z, tau, lower)
    if (is.finite(found)) found - log_p else if (found == -Inf) -1e4 else 1e4
  }
  reach <- c(-2, 2)
  while (off(reach[1L]) * off(reach[2L]) > 0) reach <- 2 * reach
  stats::uniroot(off, reach, tol = 1e-14)$root
}

normal_of_lognormal <- function(z, tau) {
  if (tau == 0) return(z)
  u <- pmax(1 + tau * z, 0)
  ifelse(abs(tau * z) < 0.5, suppressWarnings(log1p(tau * z)), log(u)) / tau
}

# A family, or what others come to.
family_record <- function(name) limit_families[[name]] %||% fit_families()[[name]]
