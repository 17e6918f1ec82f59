# The methods of value at risk of GARCH and of the families, and what weights returns by their age.

# The newest return is the last, and weighs most.
age_weights <- function(n, decay) {
  weight <- (decay %||% 0.99)^((n - 1):0)
  weight / sum(weight)
}

# The volatility of each return as it was known before it, and after the last; exponential weights
# from the mean square on.
weighted_path <- function(x, decay) {
  core_decayed_from(x, decay, mean(x^2))
}

garch_fits <- function(values, student) {
  names <- c("mean", "omega", "alpha", "beta", if (student) "nu")
  fits_of(core_garch(values, student)$estimate, names)
}
garch_fit <- function(x, student) garch_fits(matrix(x), student)[[1L]]

# A row each; NULL where there is none.
fits_of <- function(estimate, names) {
  lapply(seq_len(nrow(estimate)), function(i) {
    at <- stats::setNames(estimate[i, seq_along(names)], names)
    if (!anyNA(at)) as.list(at)
  })
}

# The variance of each return as it was known before it, and after the last.
garch_variances <- function(at, x) {
  m <- matrix(unlist(at)[c("mean", "omega", "alpha", "beta", "nu")], 1L)
  c(mean((x - mean(x))^2), core_garch_path(matrix(x), m)[, 1L]^2)
}

# Over h periods: the variance ahead returns to its long run by the persistence.
variance_over <- function(at, h) {
  variance <- at$variance
  total <- variance
  for (i in seq_len(h - 1)) {
    variance <- at$omega + at$persistence * variance
    total <- total + variance
  }
  total
}

garch_method <- function(title, formula, source, student) {
  method <- smooth_method(
    title,
    formula,
    source,
    ways = "forecast",
    fits = function(values, ask) garch_fits(values, student),
    now = garch_now,
    likely = TRUE,
    covariance = function(fit, x, at, sandwich) garch_covariance(fit, x, names(at), sandwich),
    quantile_of = function(log_p, at, ask) {
      z <- if (student) {
        stats::qt(log_p, at$nu, log.p = TRUE) * sqrt((at$nu - 2) / at$nu)
      } else {
        stats::qnorm(log_p, log.p = TRUE)
      }
      at$mean * ask$h + sqrt(variance_over(at, ask$h)) * z
    },
    shortfall = function(a, at, ask) {
      whole <- list(mean = at$mean * ask$h, sd = sqrt(variance_over(at, ask$h)))
      if (student) {
        stretch <- whole$sd * sqrt((at$nu - 2) / at$nu)
        standard <- list(location = 0, scale = 1, nu = at$nu)
        return(-own_families$student$mean_below(log(a), standard, whole$mean, stretch, ask$log))
      }
      ask$h <- 1
      normal_shortfall(a, whole, ask)
    }
  )
  method$working <- function(about) garch_var_working(about, student)
  method
}

# What the next period depends on.
garch_now <- function(fit, x) {
  c(
    list(
      mean = fit$mean,
      variance = garch_variances(fit, x)[length(x) + 1L],
      omega = fit$omega,
      persistence = fit$alpha + fit$beta
    ),
    if (!is.null(fit$nu)) list(nu = fit$nu)
  )
}

# The covariance of the parameters, carried to what the next period depends on.
garch_covariance <- function(fit, x, names, sandwich) {
  student <- !is.null(fit$nu)
  log_terms <- function(fit) {
    h <- garch_variances(fit, x)[seq_along(x)]
    e <- (x - fit[["mean"]]) / sqrt(h)
    if (!student) return(-0.5 * (log(h) + e^2))
    nu <- fit[["nu"]]
    stats::dt(e * sqrt(nu / (nu - 2)), nu, log = TRUE) + 0.5 * log(nu / (nu - 2)) - 0.5 * log(h)
  }
  covariance <- covariance_by_scores(fit, scores_by_differences(log_terms), "nu", sandwich)
  if (is.null(covariance)) return(NULL)
  now <- function(fit) unlist(garch_now(fit, x), use.names = FALSE)
  slope <- vapply(rownames(covariance), function(name) {
    step <- min(1e-4 * sqrt(covariance[name, name]), 1e-3 * max(abs(fit[[name]]), 1e-4))
    up <- replace(fit, name, fit[[name]] + step)
    down <- replace(fit, name, fit[[name]] - step)
    (now(up) - now(down)) / (2 * step)
  }, now(fit))
  named_square(slope %*% covariance %*% t(slope), names)
}

# A family of distributions, fitted by maximum likelihood. Over a horizon the mean grows with it
# and what is about the mean with its root; where there is no mean, the location stands for it.
family_method <- function(name) {
  record <- fit_families()[[name]]
  centre_of <- function(at) {
    mean_of <- record$moments(at)[["mean"]]
    if (is.finite(mean_of)) mean_of else at[[1L]]
  }
  quantile_of <- function(log_p, at, ask) {
    q <- record$quantile(log_p, at)
    if (ask$h == 1) return(q)
    centre <- centre_of(at)
    centre * ask$h + (q - centre) * sqrt(ask$h)
  }
  fits <- function(values, ask) {
    fits_of(record$fit(values, "likelihood")$estimate, record$parameters)
  }
  method <- smooth_method(
    record$title,
    record$formula,
    record$source,
    fits = fits,
    likely = TRUE,
    covariance = function(fit, x, at, sandwich) {
      covariance_by_scores(
        at,
        if (is.null(record$scores)) {
          scores_by_differences(function(at) record$log_density(x, at))
        } else {
          function(at) record$scores(x, at)
        },
        setdiff(record$parameters[record$low %in% 0], "scale"),
        sandwich
      )
    },
    quantile_of = quantile_of,
    shortfall = function(a, at, ask) {
      if (!ask$log && !is.finite(record$moments(at)[["mean"]])) return(Inf)
      if (is.null(record$mean_below)) {
        return(mean_beyond(function(log_p) quantile_of(log_p, at, ask), a, ask$log))
      }
      # A return over the horizon is linear in the standard form.
      centre <- if (ask$h == 1) at[[1L]] else centre_of(at)
      -record$mean_below(
        log(a),
        at,
        centre * ask$h + (at[[1L]] - centre) * sqrt(ask$h),
        at[[2L]] * sqrt(ask$h),
        ask$log
      )
    },
    doubt = function(x, ask) {
      at <- if (ask$h > 1) fits(matrix(x), ask)[[1L]]
      if (!is.null(at) && !is.finite(record$moments(at)[["variance"]])) {
        "has no finite variance there, so the root of time is no rule for it"
      }
    }
  )
  method$working <- function(about) family_working(about, name)
  method
}
