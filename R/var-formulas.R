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

# A fit of each column: its free parameters by name, with the state it ended in; NULL where it
# failed. At a limit what is fixed there is not free.
garch_fits <- function(values, student) {
  found <- fitted_garch(values, student)
  lapply(seq_len(ncol(values)), function(j) {
    if (has_failed(found$state[j])) return(NULL)
    at <- stats::setNames(found$estimate[j, ], garch_terms)
    fit <- as.list(at[if (student && is.finite(at[["nu"]])) 1:5 else 1:4])
    structure(fit, state = found$state[j], limits = found$limits[j])
  })
}
garch_fit <- function(x, student) garch_fits(matrix(x), student)[[1L]]

# What the fit of one sample failed of, where it did.
why_no_garch <- function(x, student) fitted_garch(matrix(x), student)$state

# Of a family's fits, one for each column: its parameters, or those of its limit, by name, with
# the record they belong to and the state; NULL where it failed.
family_fits <- function(values, record) {
  fit <- record$fit(values, "likelihood")
  fit$state <- state_of_ended(record, fit$ended, as.integer(colSums(!is.na(values))))
  lapply(seq_len(ncol(values)), function(j) {
    if (has_failed(fit$state[j])) return(NULL)
    own <- fit_of_security(fit, record, j)
    structure(as.list(own$at), state = own$state, record = own$record)
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
    fits = function(values, request) garch_fits(values, student),
    why = function(x, request) why_no_garch(x, student),
    now = garch_now,
    likely = TRUE,
    covariance = function(fit, x, at, sandwich) {
      if (!sandwich) garch_covariance(fit, x, names(at))
    },
    quantile_of = function(log_p, at, request) {
      z <- if (!is.null(at$nu)) {
        stats::qt(log_p, at$nu, log.p = TRUE) * sqrt((at$nu - 2) / at$nu)
      } else {
        stats::qnorm(log_p, log.p = TRUE)
      }
      at$mean * request$h + sqrt(variance_over(at, request$h)) * z
    },
    shortfall = function(a, at, request) {
      whole <- list(mean = at$mean * request$h, sd = sqrt(variance_over(at, request$h)))
      if (!is.null(at$nu)) {
        stretch <- whole$sd * sqrt((at$nu - 2) / at$nu)
        standard <- list(location = 0, scale = 1, nu = at$nu)
        return(-own_families$student$mean_below(
          log(a), standard, whole$mean, stretch, request$log
        ))
      }
      request$h <- 1
      normal_shortfall(a, whole, request)
    }
  )
  method$working <- function(about) garch_var_working(about, student)
  method$sandwich <- FALSE
  method$no_errors <- "has none by the sandwich, whose intervals hold too few of the true losses"
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

# The covariance of the free parameters, carried to what the next period depends on.
garch_covariance <- function(fit, x, terms) {
  log_terms <- function(fit) {
    h <- garch_variances(fit, x)[seq_along(x)]
    e <- (x - fit[["mean"]]) / sqrt(h)
    nu <- fit[["nu"]]
    if (is.null(nu)) return(-0.5 * (log(h) + e^2))
    stats::dt(e * sqrt(nu / (nu - 2)), nu, log = TRUE) + 0.5 * log(nu / (nu - 2)) - 0.5 * log(h)
  }
  whole <- garch_from_free(attr(fit, "limits"))
  free <- fit[setdiff(names(fit), garch_fixed(attr(fit, "limits")))]
  covariance <- covariance_by_scores(
    free,
    scores_by_differences(function(free) log_terms(whole(free))),
    "nu"
  )
  if (is.null(covariance)) return(NULL)
  now <- function(free) unlist(garch_now(whole(free), x), use.names = FALSE)
  slope <- vapply(rownames(covariance), function(name) {
    step <- min(1e-4 * sqrt(covariance[name, name]), 1e-3 * max(abs(free[[name]]), 1e-4))
    up <- replace(free, name, free[[name]] + step)
    down <- replace(free, name, free[[name]] - step)
    (now(up) - now(down)) / (2 * step)
  }, now(free))
  named_square(slope %*% covariance %*% t(slope), terms)
}

family_covariance <- function(x, at, sandwich) {
  record <- attr(at, "record")
  if (!is.null(record$covariance)) return(record$covariance(at, length(x)))
  covariance_by_scores(
    at,
    if (is.null(record$scores)) {
      scores_by_differences(function(at) record$log_density(x, at))
    } else {
      function(at) record$scores(x, at)
    },
    setdiff(record$parameters[record$low %in% 0], c("scale", "sd")),
    sandwich
  )
}

# A family of distributions, fitted by maximum likelihood. Over a horizon the mean grows with it
# and what is about the mean with its root; where there is no mean, the location stands for it.
family_method <- function(name) {
  family <- fit_families()[[name]]
  # What was fitted may be its limit.
  record_of <- function(at) attr(at, "record")
  centre_of <- function(at) {
    mean_of <- record_of(at)$moments(at)[["mean"]]
    if (is.finite(mean_of)) mean_of else at[[1L]]
  }
  quantile_of <- function(log_p, at, request) {
    q <- record_of(at)$quantile(log_p, at)
    if (request$h == 1) return(q)
    centre <- centre_of(at)
    centre * request$h + (q - centre) * sqrt(request$h)
  }
  fits <- function(values, request) family_fits(values, family)
  method <- smooth_method(
    family$title,
    family$formula,
    family$source,
    grows = "mean",
    fits = fits,
    why = function(x, request) {
      state_of_ended(family, family$fit(matrix(x), "likelihood")$ended, length(x))
    },
    likely = TRUE,
    covariance = function(fit, x, at, sandwich) family_covariance(x, at, sandwich),
    quantile_of = quantile_of,
    shortfall = function(a, at, request) {
      record <- record_of(at)
      if (!request$log && !is.finite(record$moments(at)[["mean"]])) return(Inf)
      if (is.null(record$mean_below)) {
        return(mean_beyond(function(log_p) quantile_of(log_p, at, request), a, request$log))
      }
      # A return over the horizon is linear in the standard form.
      centre <- if (request$h == 1) at[[1L]] else centre_of(at)
      -record$mean_below(
        log(a),
        at,
        centre * request$h + (at[[1L]] - centre) * sqrt(request$h),
        at[[2L]] * sqrt(request$h),
        request$log
      )
    },
    doubt = function(x, request) {
      at <- if (request$h > 1) fits(matrix(x), request)[[1L]]
      if (!is.null(at) && !is.finite(record_of(at)$moments(at)[["variance"]])) {
        "has no finite variance there, so the root of time is no rule for it"
      }
    }
  )
  method$working <- function(about) family_working(about, name)
  method
}
