# The methods of value at risk by the moments of the returns: normal, and Cornish and Fisher's.

# Mean, deviation, skewness and excess kurtosis, as measure_return() has them.
moments_fit <- function(x, request = NULL) {
  moments <- core_moments(matrix(x), FALSE, FALSE)
  if (length(x) > 1L) lapply(fitted_moments(moments), `[[`, 1L)
}

# Of returns that are all alike there is no shape, and nothing that errs.
fitted_moments <- function(moments) {
  still <- !(moments$deviation > 0) %in% TRUE
  list(
    mean = moments$mean,
    sd = ifelse(still & moments$n > 1L, 0, moments$deviation),
    skewness = ifelse(still, 0, moments$skewness),
    kurtosis = ifelse(still, 0, moments$kurtosis)
  )
}

# What each return, u deviations from the mean, does to a moment, as a polynomial in u: its
# coefficients from the constant on.
moved_by <- function(at) {
  S <- at$skewness
  K <- at$kurtosis
  list(
    mean = list(0, at$sd, 0, 0, 0),
    sd = list(-at$sd / 2, 0, at$sd / 2, 0, 0),
    skewness = list(S / 2, -3, -1.5 * S, 1, 0),
    kurtosis = list(K + 3, -4 * S, -2 * (K + 3), 0, 1)
  )
}

# The mean of the product of two such polynomials; `powers` are the means of u^0, u^1, ...
mean_product <- function(p, q, powers) {
  total <- 0
  for (i in seq_along(p)) {
    for (j in seq_along(q)) {
      if (!identical(p[[i]], 0) && !identical(q[[j]], 0)) {
        total <- total + p[[i]] * q[[j]] * powers[[i + j - 1L]]
      }
    }
  }
  total
}

# The covariance of some of the moments, by the spread of what each return does to them.
moments_covariance <- function(x, at, which) {
  if (at$sd == 0) return(NULL)
  powers <- core_powers(matrix(x), at$mean, at$sd, 8L)[1L, ]
  moved <- moved_by(at)[which]
  entries <- outer(seq_along(which), seq_along(which), Vectorize(function(a, b) {
    mean_product(moved[[a]], moved[[b]], powers) / length(x)
  }))
  named_square(entries, which)
}

# ---- the losses and how they move ---------------------------------------------------------------
# Each takes one number a security, and gives one; slopes along the parameters by name.

normal_quantile <- function(log_p, at, request) {
  at$mean * request$h + at$sd * sqrt(request$h) * stats::qnorm(log_p, log.p = TRUE)
}

normal_shortfall <- function(a, at, request) {
  deviation <- at$sd * sqrt(request$h)
  z <- stats::qnorm(a)
  if (request$log) {
    beyond <- stats::pnorm(z - deviation, log.p = TRUE)
    -expm1(at$mean * request$h + deviation^2 / 2 + beyond - log(a))
  } else {
    -at$mean * request$h + deviation * stats::dnorm(z) / a
  }
}

normal_slopes <- function(a, at, request) {
  root <- sqrt(request$h)
  z <- stats::qnorm(a)
  # Of 1 - exp(r) as of -r, times exp(r).
  if (!request$log) {
    return(list(
      var = list(mean = -request$h, sd = -root * z),
      es = list(mean = -request$h, sd = root * stats::dnorm(z) / a)
    ))
  }
  deviation <- at$sd * root
  kept <- 1 - as_loss(normal_quantile(log(a), at, request), TRUE)
  kept_beyond <- 1 - normal_shortfall(a, at, request)
  ratio <- exp(
    stats::dnorm(z - deviation, log = TRUE) - stats::pnorm(z - deviation, log.p = TRUE)
  )
  list(
    var = list(mean = -request$h * kept, sd = -root * z * kept),
    es = list(mean = -request$h * kept_beyond, sd = -root * (deviation - ratio) * kept_beyond)
  )
}

# z with the sample's skewness S and excess kurtosis K, which fade with the horizon: a sum of
# powers of z, whose coefficients, and those of its slopes along S and K, are these.
cornish_fisher_powers <- function(at, h) {
  S <- at$skewness / sqrt(h)
  K <- at$kurtosis / h
  list(
    z = list(-S / 6, 1 - K / 8 + 5 * S^2 / 36, S / 6, K / 24 - S^2 / 18),
    skewness = list(-1 / 6, 5 * S / 18, 1 / 6, -S / 9),
    kurtosis = list(0, -1 / 8, 0, 1 / 24)
  )
}

cornish_fisher <- function(z, at, h) {
  sum_of_powers(cornish_fisher_powers(at, h)$z, list(1, z, z^2, z^3))
}

# How it grows with z: where it falls it is no quantile function.
cornish_fisher_slope <- function(z, at, h) {
  S <- at$skewness / sqrt(h)
  K <- at$kurtosis / h
  1 + z * S / 3 + (z^2 - 1) * K / 8 - (6 * z^2 - 5) * S^2 / 36
}

cornish_fisher_quantile <- function(log_p, at, request) {
  z <- stats::qnorm(log_p, log.p = TRUE)
  at$mean * request$h + at$sd * sqrt(request$h) * cornish_fisher(z, at, request$h)
}

# The means of z^0 to z^3 below the quantile at a, z standard normal.
powers_below <- function(a) {
  z <- stats::qnorm(a)
  density <- stats::dnorm(z) / a
  list(1, -density, 1 - z * density, -(z^2 + 2) * density)
}

sum_of_powers <- function(coefficients, powers) Reduce(`+`, Map(`*`, coefficients, powers))

# Of log returns the mean of exp(r) has no closed form: it is summed over places all along the
# tail.
along_tail <- function(a, at, request, what) {
  places <- places_beyond()
  z <- stats::qnorm(log(a) - places$depth, log.p = TRUE)
  stretch <- at$sd * sqrt(request$h)
  total <- 0
  for (i in seq_along(z)) {
    moved <- at$mean * request$h + stretch * cornish_fisher(z[i], at, request$h)
    total <- total + places$weight[i] * what(moved, z[i])
  }
  total
}

cornish_fisher_shortfall <- function(a, at, request) {
  if (request$log) return(along_tail(a, at, request, function(r, z) -expm1(r)))
  mean_z <- sum_of_powers(cornish_fisher_powers(at, request$h)$z, powers_below(a))
  -at$mean * request$h - at$sd * sqrt(request$h) * mean_z
}

cornish_fisher_moves <- function(a, at, request) {
  h <- request$h
  root <- sqrt(h)
  coefficients <- cornish_fisher_powers(at, h)
  # How a return of which z is the normal moves, along each moment; linear in the powers of z.
  moves <- function(powers) {
    of <- function(which) sum_of_powers(coefficients[[which]], powers)
    list(
      mean = h,
      sd = root * of("z"),
      skewness = at$sd * of("skewness"),
      kurtosis = at$sd * of("kurtosis") / root
    )
  }
  z <- stats::qnorm(a)
  at_level <- lapply(moves(list(1, z, z^2, z^3)), `-`)
  if (!request$log) return(list(var = at_level, es = lapply(moves(powers_below(a)), `-`)))
  kept <- exp(cornish_fisher_quantile(log(a), at, request))
  beyond <- lapply(stats::setNames(nm = names(at_level)), function(name) {
    along_tail(a, at, request, function(r, z) -exp(r) * moves(list(1, z, z^2, z^3))[[name]])
  })
  list(var = lapply(at_level, `*`, kept), es = beyond)
}

# ---- the methods --------------------------------------------------------------------------------

# All securities at once: a row for each and level, levels fastest. `wanted` are the moments that
# err; the functions are as those of a smooth_method(), of all securities at once.
whole_by_moments <- function(wanted, fit_of, quantile_of, shortfall, moves, knows,
                             errs = function(a, at, n) TRUE) {
  function(values, request) {
    moments <- core_moments(values, FALSE, FALSE)
    n <- moments$n
    at <- fit_of(moments)
    powers <- if (request$errors != "none") power_means(values, moments, at, wanted)
    by_level <- lapply(1 - request$level, function(a) {
      none <- n < 2L | !knows(a, at, request)
      loss <- as_loss(quantile_of(log(a), at, request), request$log)
      es <- shortfall(a, at, request)
      loss[none] <- es[none] <- NA_real_
      errors <- if (is.null(powers)) {
        list(var = rep(NA_real_, length(n)), es = rep(NA_real_, length(n)))
      } else {
        lapply(moves(a, at, request), function(slopes) {
          error_along(slopes[wanted], at, powers, n, at$sd > 0 & !none & errs(a, at, n))
        })
      }
      ends <- interval_above_zero(loss, errors$var, request$confidence)
      list(
        n = n, var = loss, es = es, var_error = errors$var, es_error = errors$es,
        var_low = ends$low, var_high = ends$high
      )
    })
    lapply(stats::setNames(nm = names(by_level[[1L]])), function(name) {
      as.vector(do.call(rbind, lapply(by_level, `[[`, name)))
    })
  }
}

# The means of the powers of the standardised returns, as far as the moments that err want them;
# up to the fourth they are the moments themselves.
power_means <- function(values, moments, at, wanted) {
  if (any(c("skewness", "kurtosis") %in% wanted)) {
    powers <- core_powers(values, at$mean, at$sd, 8L)
    return(lapply(seq_len(ncol(powers)), function(i) powers[, i]))
  }
  second <- (moments$n - 1) / moments$n
  list(1, 0, second, at$skewness * second^1.5, (at$kurtosis + 3) * second^2)
}

# By the delta method: the spread of what each return does to the loss.
error_along <- function(slopes, at, powers, n, known) {
  moved <- moved_by(at)[names(slopes)]
  whole <- lapply(seq_along(moved[[1L]]), function(i) {
    parts <- Map(function(slope, m) if (identical(m[[i]], 0)) 0 else slope * m[[i]], slopes, moved)
    Reduce(`+`, parts)
  })
  while (identical(whole[[length(whole)]], 0)) whole <- whole[-length(whole)]
  error <- sqrt(pmax(0, mean_product(whole, whole, powers)) / n)
  ifelse(known & is.finite(error), error, NA_real_)
}

normal_method <- function(title, formula, relative) {
  wanted <- if (relative) "sd" else c("mean", "sd")
  about <- function(at) {
    if (relative && !is.null(at)) at$mean <- 0 * at$mean
    at
  }
  method <- smooth_method(
    title,
    formula,
    "",
    grows = if (relative) "whole" else "mean",
    fit = function(x, request) about(moments_fit(x, request)),
    quantile_of = normal_quantile,
    shortfall = normal_shortfall,
    covariance = function(fit, x, at, sandwich) moments_covariance(x, moments_fit(x), wanted),
    moves = normal_slopes,
    # Of these the regression is the derivative.
    slopes = function(book, whole, moments, request) {
      c(by_regression(book, whole, request$h, relative), by = "derivative")
    }
  )
  method$least <- 2L
  method$working <- function(about) normal_working(about, relative)
  method$whole <- whole_by_moments(
    wanted,
    function(moments) about(fitted_moments(moments)),
    normal_quantile,
    normal_shortfall,
    normal_slopes,
    function(a, at, request) TRUE
  )
  method$rolling <- function(values, window, least, request) {
    if (!window) window <- nrow(values)
    deviation <- core_rolling_deviation(values, window, least)
    centre <- if (relative) 0 else core_rolling_mean(values, window, least)
    tail_of_paths(
      if (relative) 0 else core_before(centre, values),
      core_before(deviation, values),
      request
    )
  }
  method
}

tail_of_paths <- function(centre, deviation, request) {
  at <- list(mean = centre, sd = deviation)
  list(
    var = as_loss(normal_quantile(log(1 - request$level), at, request), request$log),
    es = normal_shortfall(1 - request$level, at, request)
  )
}

cornish_fisher_method <- function() {
  fitted <- function(moments) {
    at <- fitted_moments(moments)
    # Of too few returns to have a shape nothing is said.
    lapply(at, function(part) ifelse(is.na(at$skewness + at$kurtosis), NA_real_, part))
  }
  knows <- function(a, at, request) {
    (cornish_fisher_slope(stats::qnorm(a), at, request$h) > 0) %in% TRUE
  }
  method <- smooth_method(
    "Cornish-Fisher",
    paste0(
      "-(mean h + z sd sqrt(h)), z = z_a + (z_a^2 - 1) S / 6 + (z_a^3 - 3 z_a) K / 24 ",
      "- (2 z_a^3 - 5 z_a) S^2 / 36"
    ),
    "Cornish and Fisher (1938)",
    grows = "moments",
    fit = function(x, request) {
      at <- moments_fit(x, request)
      if (!is.null(at) && !anyNA(unlist(at))) at
    },
    covariance = function(fit, x, at, sandwich) moments_covariance(x, at, names(at)),
    slopes = cornish_fisher_slopes,
    quantile_of = cornish_fisher_quantile,
    shortfall = cornish_fisher_shortfall,
    moves = cornish_fisher_moves,
    knows = knows,
    doubt = doubt_cornish_fisher
  )
  method$whole <- whole_by_moments(
    c("mean", "sd", "skewness", "kurtosis"),
    fitted,
    cornish_fisher_quantile,
    cornish_fisher_shortfall,
    cornish_fisher_moves,
    knows,
    # How skewness and kurtosis err is known of many returns, if their tails are not fat.
    function(a, at, n) a >= 0.025 | (n >= 1000L & at$kurtosis <= 2)
  )
  method$no_errors <- paste(
    "hangs on skewness and kurtosis, whose errors are not known of fewer than 1,000 returns or of",
    "fat tails"
  )
  # The slope is a parabola in z: of most it is above 0 at its lowest, and there is nothing to say.
  method$doubtful <- function(values, request) {
    at <- fitted_moments(core_moments(values, FALSE, FALSE))
    S <- at$skewness / sqrt(request$h)
    curve <- at$kurtosis / request$h / 8 - S^2 / 6
    lowest <- ifelse(curve > 0, pmin(pmax(-S / 6 / curve, -4), 4), 4)
    which(!(pmin(
      cornish_fisher_slope(-4, at, request$h),
      cornish_fisher_slope(4, at, request$h),
      cornish_fisher_slope(lowest, at, request$h)
    ) > 1e-6) %in% TRUE)
  }
  c(method, list(says_none = TRUE, working = function(about) cornish_fisher_working(about)))
}

doubt_cornish_fisher <- function(x, request) {
  at <- moments_fit(x, request)
  z <- seq(-4, 4, by = 0.01)
  falls <- if (is.null(at)) {
    numeric()
  } else {
    z[(cornish_fisher_slope(z, at, request$h) <= 0) %in% TRUE]
  }
  if (!length(falls)) return(NULL)
  slope <- cornish_fisher_slope(stats::qnorm(1 - request$level), at, request$h)
  refused <- request$level[slope <= 0]
  sprintf(
    paste0(
      "falls as z rises between %s and %s (skewness %s, excess kurtosis %s), where it ",
      "is no quantile%s"
    ),
    format(round(min(falls), 2)),
    format(round(max(falls), 2)),
    format(signif(at$skewness, 3)),
    format(signif(at$kurtosis, 3)),
    if (length(refused)) {
      sprintf(
        "; %s there, so there is no value at risk at %s",
        if (length(refused) == 1L) "that level lies" else "these levels lie",
        some(refused)
      )
    } else {
      ""
    }
  )
}
