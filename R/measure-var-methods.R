# The methods of value at risk, each a record: what it is called, its formula and source, the
# `ways` it has to a horizon (the first is its own), whether it is `empirical` (knows only what
# was observed, and takes a rank), whether it is `still` between fits, whether `chance` is in it
# ("always", or where it looks "ahead"), what it `doubt`s of its own use, whether it is by a
# likelihood (`likely`), and functions of what is asked (see asked()). slopes(book, whole, found,
# ask): how value at risk and expected shortfall of a book grow with the weight of each holding
# (`var`, `es`), and `by` what that was found; see measure-split.R. whole(values, ask): a row for
# each security and level, levels fastest: n, var, es, their errors, an interval. fit(x, ask):
# what is estimated from one security's returns (none missing). tail(fit, x, a, ask): value at
# risk and expected shortfall of the next period at each a, a row each, from what was fitted and
# the returns up to now. rolling(values, window, least, ask): where there is a fast way, var and
# es of each row from the returns before it (window 0: from all of them).
var_methods <- function() {
  families <- setdiff(names(fit_families()), names(own_var_methods))
  c(
    own_var_methods,
    lapply(stats::setNames(nm = families), family_method),
    as.list(registered_var_methods)
  )
}

registered_var_methods <- new.env(parent = emptyenv())

# Runs one(x, ask) for each column; x has no missing values, ask$rows says where they stand. It
# gives columns with a row for each level, or NULL where there is nothing to tell.
by_security <- function(values, ask, one) {
  parts <- lapply(cli::cli_progress_along(seq_len(ncol(values)), "Measuring"), function(j) {
    ask$rows <- which(!is.na(values[, j]))
    x <- values[ask$rows, j]
    (if (length(x)) one(x, ask)) %||% list(
      n = rep(length(x), length(ask$level)),
      var = rep(NA_real_, length(ask$level))
    )
  })
  as.list(data.table::rbindlist(parts, fill = TRUE))
}

# A method that takes the order of a sample of returns: those of the history, made like today's by
# scenarios(fit, x, ask); `fit` is what that needs. scale_error(x, ask): the relative error of
# what they are scaled by.
sample_method <- function(title, formula, source, fit = function(x, ask) list(), scenarios,
                          scale_error = NULL, slopes = slopes_by_regression) {
  list(
    title = title,
    formula = formula,
    source = source,
    ways = c("sqrt", "overlapping"),
    empirical = TRUE,
    still = FALSE,
    slopes = slopes,
    whole = function(values, ask) {
      by_security(values, ask, function(x, ask) {
        fitted <- fit(x, ask)
        if (is.null(fitted)) return(NULL)
        measured <- tail_of_samples(matrix(scenarios(fitted, x, ask)), ask, ask$scale)
        if (!is.null(scale_error)) {
          measured <- with_scale_error(measured, scale_error(x, ask), ask)
        }
        # What stands there is not what was observed.
        measured[!names(measured) %in% c("worse", "milder", "row", "position")]
      })
    },
    fit = fit,
    tail = function(fit, x, a, ask) {
      if (is.null(fit)) return(matrix(NA_real_, length(a), 2L))
      measured <- core_historical_tail(
        matrix(scenarios(fit, x, ask)),
        1 - a,
        rank_code(ask$rank),
        ask$log,
        1
      )
      cbind(measured$var, measured$es)
    }
  )
}

# Scale and rank err apart from each other: their squares add up.
with_scale_error <- function(measured, relative, ask) {
  z <- stats::qnorm((1 + ask$confidence) / 2)
  add <- function(error, by) sqrt(error^2 + (relative * by)^2)
  measured$var_low <- measured$var - add(measured$var - measured$var_low, z * measured$var)
  measured$var_high <- measured$var + add(measured$var_high - measured$var, z * measured$var)
  measured$var_error <- add(measured$var_error, measured$var)
  measured$es_error <- add(measured$es_error, measured$es)
  measured
}

# A method with a quantile function of returns: fit(x, ask) is NULL where it cannot be; now(fit,
# x) gives the parameters of the next period; covariance(fit, x, at, sandwich) theirs, NULL where
# not known, `sandwich` where they are not to take the likelihood as right, which only a `likely`
# method knows; quantile(log_p, at, ask) of ask$h periods; shortfall(a, at, ask), where there is a
# closed form; knows(a, at, ask) whether it says anything at a. The errors are by the delta
# method, the interval on the logarithm of the loss.
smooth_method <- function(title, formula, source, ways = c("sqrt", "overlapping"), fit,
                          now = NULL, covariance, quantile_of, shortfall = NULL,
                          knows = function(a, at, ask) TRUE, doubt = NULL, likely = FALSE,
                          slopes = slopes_by_regression) {
  still <- is.null(now)
  if (still) now <- function(fit, x) fit
  tail_at <- function(at, a, ask) {
    if (!knows(a, at, ask)) return(c(NA_real_, NA_real_))
    es <- if (!is.null(shortfall)) {
      shortfall(a, at, ask)
    } else {
      mean_beyond(function(log_p) quantile_of(log_p, at, ask), a, ask$log)
    }
    c(as_loss(quantile_of(log(a), at, ask), ask$log), es)
  }
  list(
    title = title,
    formula = formula,
    source = source,
    ways = ways,
    empirical = FALSE,
    still = still,
    doubt = doubt,
    likely = likely,
    slopes = slopes,
    whole = function(values, ask) {
      by_security(values, ask, function(x, ask) {
        fitted <- fit(x, ask)
        if (is.null(fitted)) return(NULL)
        at <- now(fitted, x)
        spread <- if (ask$errors != "none") covariance(fitted, x, at, ask$errors == "sandwich")
        z <- stats::qnorm((1 + ask$confidence) / 2) * c(-1, 1)
        columns_of_rows(lapply(1 - ask$level, function(a) {
          tail <- tail_at(at, a, ask)
          error <- by_delta(at, spread, function(at) tail_at(at, a, ask))
          ends <- if (isTRUE(tail[1L] > 0)) {
            tail[1L] * exp(z * error[1L] / tail[1L])
          } else {
            tail[1L] + z * error[1L]
          }
          c(
            n = length(x),
            var = tail[1L],
            es = tail[2L],
            var_error = error[1L],
            es_error = error[2L],
            var_low = ends[1L],
            var_high = ends[2L]
          )
        }))
      })
    },
    fit = fit,
    tail = function(fit, x, a, ask) {
      if (is.null(fit)) return(matrix(NA_real_, length(a), 2L))
      at <- now(fit, x)
      t(vapply(a, function(a) tail_at(at, a, ask), c(0, 0)))
    }
  )
}

# The errors of f(at) by its slope along each parameter that has one, and their covariance.
by_delta <- function(at, covariance, f) {
  if (is.null(covariance) || anyNA(covariance)) return(c(NA_real_, NA_real_))
  slope <- vapply(rownames(covariance), function(name) {
    # Far less than the parameter itself, however little is known of it.
    step <- min(1e-4 * sqrt(covariance[name, name]), 1e-3 * max(abs(at[[name]]), 1e-4))
    up <- down <- at
    up[[name]] <- at[[name]] + step
    down[[name]] <- at[[name]] - step
    if (step > 0) (f(up) - f(down)) / (2 * step) else c(0, 0)
  }, c(0, 0))
  errors <- sqrt(pmax(0, rowSums((slope %*% covariance) * slope)))
  ifelse(is.nan(errors), NA_real_, errors)
}

named_square <- function(m, names) `dimnames<-`(m, list(names, names))

# The inverse of the sum of squares of the scores, which are by differences of each return's
# log-likelihood. A `shape` of which the returns say nothing, as of Student's degrees of freedom
# where the normal does as well, is taken as known. `sandwich`: between two of the information, by
# how the scores change half an error to either side (White 1982), an error along the location,
# where some jump from one return to the next; it is not known where they hardly change.
covariance_by_scores <- function(at, log_terms, shapes, sandwich = FALSE) {
  scores_at <- function(at) {
    vapply(names(at), function(name) {
      step <- 1e-5 * max(abs(at[[name]]), 1e-6)
      (log_terms(replace(at, name, at[[name]] + step)) - log_terms(replace(
        at,
        name,
        at[[name]] - step
      ))) /
        (2 * step)
    }, log_terms(at))
  }
  scores <- scores_at(at)
  told <- sqrt(colSums(scores^2)) * abs(unlist(at)) > 0.2 | !names(at) %in% shapes
  squares <- crossprod(scores[, told, drop = FALSE])
  inverse <- function(m) tryCatch(solve(m, tol = 1e-25), error = function(e) NULL)
  covariance <- inverse(squares)
  if (sandwich && !is.null(covariance)) {
    step <- stats::setNames(sqrt(diag(covariance)), names(at)[told]) *
      c(1, rep(0.5, sum(told) - 1L))
    information <- vapply(names(step), function(name) {
      moved <- function(by) colSums(scores_at(replace(at, name, at[[name]] + by)))[told]
      (moved(-step[[name]]) - moved(step[[name]])) / (2 * step[[name]])
    }, step)
    bread <- inverse((information + t(information)) / 2)
    known <- !is.null(bread) && !anyNA(bread) && all(
      diag(bread) > 0 & diag(bread) < 25 * diag(covariance)
    )
    covariance <- if (known) bread %*% squares %*% bread
  }
  if (!is.null(covariance)) named_square(covariance, names(at)[told])
}

# Mean, deviation, skewness and excess kurtosis, as measure_return() has them, and their
# covariance by the spread of what each return does to them.
moments_fit <- function(x, ask = NULL) {
  moments <- core_moments(matrix(x), FALSE)
  if (!isTRUE(moments$deviation > 0)) {
    return(if (length(x) > 1L) list(mean = moments$mean, sd = 0, skewness = 0, kurtosis = 0))
  }
  list(
    mean = moments$mean,
    sd = moments$deviation,
    skewness = moments$skewness,
    kurtosis = moments$kurtosis
  )
}

moments_covariance <- function(x, at, which) {
  if (at$sd == 0) return(NULL)
  u <- (x - at$mean) / at$sd
  moved <- cbind(
    mean = at$sd * u,
    sd = at$sd * (u^2 - 1) / 2,
    skewness = u^3 - at$skewness - 3 * u - 1.5 * at$skewness * (u^2 - 1),
    kurtosis = u^4 - 3 - at$kurtosis - 4 * at$skewness * u - 2 * (at$kurtosis + 3) * (u^2 - 1)
  )
  named_square(crossprod(moved[, which, drop = FALSE]) / length(x)^2, which)
}

normal_quantile <- function(log_p, at, ask) {
  at$mean * ask$h + at$sd * sqrt(ask$h) * stats::qnorm(log_p, log.p = TRUE)
}

normal_shortfall <- function(a, at, ask) {
  deviation <- at$sd * sqrt(ask$h)
  z <- stats::qnorm(a)
  if (ask$log) {
    -expm1(at$mean * ask$h + deviation^2 / 2 + stats::pnorm(z - deviation, log.p = TRUE) - log(a))
  } else {
    -at$mean * ask$h + deviation * stats::dnorm(z) / a
  }
}

normal_method <- function(title, formula, relative) {
  fit <- function(x, ask) {
    at <- moments_fit(x, ask)
    if (relative && !is.null(at)) at$mean <- 0
    at
  }
  method <- smooth_method(
    title,
    formula,
    "",
    fit = fit,
    quantile_of = normal_quantile,
    shortfall = normal_shortfall,
    covariance = function(fit, x, at, sandwich) {
      moments_covariance(x, moments_fit(x), if (relative) "sd" else c("mean", "sd"))
    },
    # Of these the regression is the derivative.
    slopes = function(book, whole, moments, ask) {
      c(by_regression(book, whole, ask$h, relative), by = "derivative")
    }
  )
  method$rolling <- function(values, window, least, ask) {
    if (!window) window <- nrow(values)
    deviation <- core_rolling_deviation(values, window, least)
    centre <- if (relative) 0 else core_rolling_mean(values, window, least)
    tail_of_paths(
      if (relative) 0 else core_before(centre, values),
      core_before(deviation, values),
      ask
    )
  }
  method
}

tail_of_paths <- function(centre, deviation, ask) {
  at <- list(mean = centre, sd = deviation)
  list(
    var = as_loss(normal_quantile(log(1 - ask$level), at, ask), ask$log),
    es = normal_shortfall(1 - ask$level, at, ask)
  )
}

# z with the sample's skewness S and excess kurtosis K, which fade with the horizon, and how it
# grows with z: where it falls it is no quantile function.
cornish_fisher <- function(z, at, h) {
  S <- at$skewness / sqrt(h)
  K <- at$kurtosis / h
  z + (z^2 - 1) * S / 6 + (z^3 - 3 * z) * K / 24 - (2 * z^3 - 5 * z) * S^2 / 36
}

cornish_fisher_slope <- function(z, at, h) {
  S <- at$skewness / sqrt(h)
  K <- at$kurtosis / h
  1 + z * S / 3 + (z^2 - 1) * K / 8 - (6 * z^2 - 5) * S^2 / 36
}

# The newest return is the last, and weighs most.
age_weights <- function(n, decay) {
  weight <- (decay %||% 0.99)^((n - 1):0)
  weight / sum(weight)
}

# The volatility of each return as it was known before it, and after the last; exponential weights
# from the mean square on.
weighted_path <- function(x, decay) {
  squares <- x^2
  sqrt(c(
    mean(squares),
    stats::filter((1 - decay) * squares, decay, "recursive", init = mean(squares))
  ))
}

garch_fit <- function(x, student) {
  fit <- core_garch(matrix(x), student)
  at <- as.list(stats::setNames(fit$estimate[1L, ], c("mean", "omega", "alpha", "beta", "nu")))
  if (is.na(at$mean)) NULL else if (student) at else at[1:4]
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
  smooth_method(
    title,
    formula,
    source,
    ways = "forecast",
    fit = function(x, ask) garch_fit(x, student),
    now = function(fit, x) {
      c(
        list(
          mean = fit$mean,
          variance = garch_variances(fit, x)[length(x) + 1L],
          omega = fit$omega,
          persistence = fit$alpha + fit$beta
        ),
        if (student) list(nu = fit$nu)
      )
    },
    likely = TRUE,
    covariance = function(fit, x, at, sandwich) {
      log_terms <- function(fit) {
        h <- garch_variances(fit, x)[seq_along(x)]
        e <- (x - fit[["mean"]]) / sqrt(h)
        if (!student) return(-0.5 * (log(h) + e^2))
        nu <- fit[["nu"]]
        stats::dt(e * sqrt(nu / (nu - 2)), nu, log = TRUE) +
          0.5 * log(nu / (nu - 2)) -
          0.5 * log(h)
      }
      covariance <- covariance_by_scores(fit, log_terms, "nu", sandwich)
      if (is.null(covariance)) return(NULL)
      now <- function(fit) {
        c(
          fit$mean,
          garch_variances(fit, x)[length(x) + 1L],
          fit$omega,
          fit$alpha + fit$beta,
          if (student) fit$nu
        )
      }
      slope <- vapply(rownames(covariance), function(name) {
        step <- min(1e-4 * sqrt(covariance[name, name]), 1e-3 * max(abs(fit[[name]]), 1e-4))
        (now(replace(fit, name, fit[[name]] + step)) - now(replace(
          fit,
          name,
          fit[[name]] - step
        ))) /
          (2 * step)
      }, now(fit))
      named_square(slope %*% covariance %*% t(slope), names(at))
    },
    quantile_of = function(log_p, at, ask) {
      z <- if (student) {
        stats::qt(log_p, at$nu, log.p = TRUE) * sqrt((at$nu - 2) / at$nu)
      } else {
        stats::qnorm(log_p, log.p = TRUE)
      }
      at$mean * ask$h + sqrt(variance_over(at, ask$h)) * z
    },
    shortfall = if (!student) {
      function(a, at, ask) {
        whole <- list(mean = at$mean * ask$h, sd = sqrt(variance_over(at, ask$h)))
        ask$h <- 1
        normal_shortfall(a, whole, ask)
      }
    }
  )
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
  fit <- function(x, ask) {
    at <- record$fit(matrix(x), "likelihood")$estimate[1L, seq_along(record$parameters)]
    if (!anyNA(at)) as.list(stats::setNames(at, record$parameters))
  }
  smooth_method(
    record$title,
    record$formula,
    record$source,
    fit = fit,
    likely = TRUE,
    covariance = function(fit, x, at, sandwich) {
      covariance_by_scores(
        at,
        function(at) record$log_density(x, at),
        setdiff(record$parameters[record$low %in% 0], "scale"),
        sandwich
      )
    },
    quantile_of = quantile_of,
    shortfall = function(a, at, ask) {
      if (!ask$log && !is.finite(record$moments(at)[["mean"]])) return(Inf)
      mean_beyond(function(log_p) quantile_of(log_p, at, ask), a, ask$log)
    },
    doubt = function(x, ask) {
      at <- if (ask$h > 1) fit(x, ask)
      if (!is.null(at) && !is.finite(record$moments(at)[["variance"]])) {
        "has no finite variance there, so the root of time is no rule for it"
      }
    }
  )
}

tail_method <- function(title, formula, source, tail_of, quantile_at, covariance_at,
                        slopes = slopes_by_regression) {
  stretch <- function(at, ask) if (ask$by == "power") ask$h^at$shape else sqrt(ask$h)
  # A size that is also level - 1 of some returns is often a hair off.
  knows <- function(a, at, ask) a <= at$share * (1 + 1e-9)
  smooth_method(
    title,
    formula,
    source,
    ways = c("sqrt", "power", "overlapping"),
    fit = function(x, ask) tail_of(x, tail_size(length(x), ask$tail)),
    covariance = function(fit, x, at, sandwich) covariance_at(at),
    slopes = slopes,
    quantile_of = function(log_p, at, ask) quantile_at(log_p, at) * stretch(at, ask),
    shortfall = function(a, at, ask) {
      if (ask$log) {
        return(mean_beyond(function(log_p) quantile_at(log_p, at) * stretch(at, ask), a, TRUE))
      }
      if (at$shape >= 1) return(Inf)
      beyond <- -quantile_at(log(a), at) + if (is.null(at$scale)) {
        0
      } else {
        at$scale - at$shape * at$threshold
      }
      stretch(at, ask) * beyond / (1 - at$shape)
    },
    knows = knows,
    doubt = function(x, ask) {
      at <- tail_of(x, tail_size(length(x), ask$tail))
      if (is.null(at)) return("finds no tail of losses")
      if (!all(knows(1 - ask$level, at, ask))) {
        sprintf(
          "knows only what lies beyond its threshold, %s of the returns",
          unit_share(at$share)
        )
      }
    }
  )
}

# Paths of drawn days; the securities are drawn each by itself, from the same stream.
draw_method <- function(title, formula, source, blocks) {
  list(
    title = title,
    formula = formula,
    source = source,
    ways = "paths",
    empirical = TRUE,
    still = FALSE,
    chance = "always",
    blocks = blocks,
    slopes = slopes_of_paths,
    doubt = function(x, ask) {
      if (ask$h > 1) doubt_blocks(drawing(length(x), ask$h, blocks, ask), ask)
    },
    whole = function(values, ask) {
      by_security(values, ask, function(x, ask) {
        how <- drawing(length(x), ask$h, blocks, ask)
        of_draws(drawn_returns(x, how, ask), how, ask, if (ask$log) expm1(x) else x)
      })
    },
    fit = function(x, ask) list(),
    tail = function(fit, x, a, ask) {
      drawn <- drawn_returns(x, drawing(length(x), 1L, blocks, ask), ask)
      measured <- core_historical_tail(matrix(drawn), 1 - a, rank_code(ask$rank), FALSE, 1)
      cbind(measured$var, measured$es)
    }
  )
}

# Of few blocks in the tail little is known of how they would have come out otherwise.
doubt_blocks <- function(how, ask) {
  if (how$blocks == "none") return(NULL)
  a_path <- if (how$blocks == "fixed") {
    ceiling(how$horizon / how$length)
  } else {
    1 + (how$horizon - 1) / how$length
  }
  few <- ask$level[how$days / how$length * (1 - ask$level) * a_path < 3]
  if (!length(few)) return(NULL)
  sprintf(
    paste0(
      "draws blocks of %s, of which fewer than three of the history lie beyond the ",
      "level %s: of 100 of its intervals of 95 %% there 75 to 90 hold the true loss"
    ),
    format(how$length),
    format(min(few))
  )
}

# One security is a book of one holding.
drawn_returns <- function(x, how, ask) {
  if (ask$adds) {
    return(
      core_draw_book(
        matrix(x),
        0,
        0,
        how$horizon,
        how$draws,
        how$code,
        how$length,
        how$seed,
        adds = TRUE
      )$value
    )
  }
  growth <- matrix(if (ask$log) exp(x) else 1 + x)
  core_draw_book(growth, 1, 0, how$horizon, how$draws, how$code, how$length, how$seed)$value - 1
}

own_var_methods <- list(
  historical = list(
    title = "Historical",
    formula = "the k-th worst of n returns, k by the convention of rank",
    source = "",
    ways = c("sqrt", "overlapping"),
    empirical = TRUE,
    still = FALSE,
    slopes = function(book, whole, measured, ask) {
      slopes_at_rank(book, rep(1 / nrow(book$r), nrow(book$r)), ask)
    },
    whole = function(values, ask) tail_of_samples(values, ask, ask$scale),
    fit = function(x, ask) list(),
    tail = function(fit, x, a, ask) {
      measured <- core_historical_tail(matrix(x), 1 - a, rank_code(ask$rank), ask$log, 1)
      cbind(measured$var, measured$es)
    },
    rolling = function(values, window, least, ask) {
      core_rolling_tail(values, window, least, ask$level, rank_code(ask$rank), ask$log)
    }
  ),
  "age-weighted" = list(
    title = "Age-weighted",
    formula = "the worst returns whose weights (1 - d) d^age / (1 - d^n) add up to 1 - level",
    source = "Boudoukh, Richardson and Whitelaw (1998)",
    ways = c("sqrt", "overlapping"),
    empirical = TRUE,
    still = FALSE,
    slopes = function(book, whole, measured, ask) {
      slopes_at_rank(book, age_weights(nrow(book$r), ask$decay), ask)
    },
    whole = function(values, ask) {
      by_security(values, ask, function(x, ask) {
        measured <- tail_of_weighted(x, age_weights(length(x), ask$decay), ask, ask$scale)
        measured$row <- ask$rows[measured$row]
        measured
      })
    },
    fit = function(x, ask) list(),
    tail = function(fit, x, a, ask) {
      ask$level <- 1 - a
      measured <- tail_of_weighted(x, age_weights(length(x), ask$decay), ask)
      cbind(measured$var, measured$es)
    }
  ),
  "volatility-scaled" = sample_method(
    "Volatility-scaled",
    "the k-th worst of r_t s_(n+1) / s_t, s exponentially weighted",
    "Hull and White (1998)",
    scenarios = function(fit, x, ask) {
      s <- weighted_path(x, ask$decay %||% 0.94)
      n <- length(x)
      if (any(s == 0)) x else x * s[n + 1L] / s[-(n + 1L)]
    },
    scale_error = function(x, ask) {
      decay <- ask$decay %||% 0.94
      s <- weighted_path(x, decay)[seq_along(x)]
      kurtosis <- if (any(s == 0)) 0 else core_moments(matrix(x / s), FALSE)$kurtosis
      if (is.na(kurtosis)) {
        NA_real_
      } else {
        sqrt(max(0, 2 + kurtosis) * (1 - decay) / (1 + decay)) / 2
      }
    },
    slopes = volatility_scaled_slopes
  ),
  filtered = local({
    # The volatility of a path goes on from its own drawn returns.
    method <- sample_method(
      "GARCH-filtered",
      "the k-th worst of mean + s_(n+1) e_t / s_t, s of GARCH(1,1)",
      "Barone-Adesi, Giannopoulos and Vosper (1999)",
      fit = function(x, ask) garch_fit(x, FALSE),
      scenarios = function(fit, x, ask) {
        s <- sqrt(garch_variances(fit, x))
        n <- length(x)
        fit$mean + s[n + 1L] * (x - fit$mean) / s[-(n + 1L)]
      }
    )
    of_one <- method$whole
    method$ways <- "paths"
    method$chance <- "ahead"
    method$whole <- function(values, ask) {
      measured <- of_one(values, ask)
      if (ask$h == 1) return(measured)
      # The relative error is that of one period.
      relative <- lapply(
        measured[c("var_error", "es_error", "var_low", "var_high")],
        `/`,
        measured$var
      )
      ahead <- by_security(values, ask, function(x, ask) {
        fit <- garch_fit(x, FALSE)
        if (is.null(fit)) return(NULL)
        variance <- garch_variances(fit, x)
        n <- length(x)
        drawn <- core_filtered_paths(
          (x - fit$mean) / sqrt(variance[-(n + 1L)]),
          unlist(fit),
          variance[n + 1L],
          ask$h,
          ask$draws,
          ask$log || ask$adds,
          ask$seed
        )
        measured <- tail_of_samples(matrix(drawn), ask)
        list(
          n = rep(n, length(ask$level)),
          var = measured$var,
          es = measured$es,
          draw_error = measured$var_error
        )
      })
      c(ahead, lapply(relative, `*`, ahead$var))
    }
    method
  }),
  normal = normal_method("Normal", "-(mean h + z_a sd sqrt(h))", FALSE),
  "normal-relative" = normal_method("Normal, about the mean", "-z_a sd sqrt(h)", TRUE),
  "cornish-fisher" = smooth_method(
    "Cornish-Fisher",
    paste0(
      "-(mean h + z sd sqrt(h)), z = z_a + (z_a^2 - 1) S / 6 + (z_a^3 - 3 z_a) K / 24 ",
      "- (2 z_a^3 - 5 z_a) S^2 / 36"
    ),
    "Cornish and Fisher (1938)",
    fit = function(x, ask) {
      at <- moments_fit(x, ask)
      if (!is.null(at) && !anyNA(unlist(at))) at
    },
    covariance = function(fit, x, at, sandwich) {
      moments_covariance(x, at, c("mean", "sd", "skewness", "kurtosis"))
    },
    slopes = cornish_fisher_slopes,
    quantile_of = function(log_p, at, ask) {
      at$mean * ask$h +
        at$sd * sqrt(ask$h) * cornish_fisher(stats::qnorm(log_p, log.p = TRUE), at, ask$h)
    },
    knows = function(a, at, ask) cornish_fisher_slope(stats::qnorm(a), at, ask$h) > 0,
    doubt = function(x, ask) {
      at <- moments_fit(x, ask)
      z <- seq(-4, 4, by = 0.01)
      falls <- if (is.null(at)) numeric() else z[cornish_fisher_slope(z, at, ask$h) <= 0]
      if (!length(falls)) return(NULL)
      refused <- ask$level[cornish_fisher_slope(stats::qnorm(1 - ask$level), at, ask$h) <= 0]
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
  ),
  ewma = local({
    method <- smooth_method(
      "Exponentially weighted",
      "-z_a s sqrt(h), s2_t = d s2_(t-1) + (1 - d) r_t^2",
      "",
      fit = function(x, ask) list(decay = ask$decay %||% 0.94),
      now = function(fit, x) {
        list(
          mean = 0,
          sd = core_decayed_deviation(matrix(x), fit$decay)[length(x), 1L],
          decay = fit$decay
        )
      },
      covariance = function(fit, x, at, sandwich) {
        measured <- own_estimators$ewma$whole(
          matrix(x),
          list(decay = fit$decay, errors = "kurtosis")
        )
        named_square(matrix((at$sd * measured$spread / 2)^2), "sd")
      },
      quantile_of = normal_quantile,
      shortfall = normal_shortfall,
      slopes = ewma_slopes
    )
    method$rolling <- function(values, window, least, ask) {
      if (window) return(NULL)
      deviation <- core_before(core_decayed_deviation(values, ask$decay %||% 0.94), values)
      tail_of_paths(0, deviation, ask)
    }
    method
  }),
  garch = garch_method(
    "GARCH(1,1), normal",
    "-(mean h + z_a sqrt(sum of the variances ahead))",
    "Bollerslev (1986)",
    FALSE
  ),
  "garch-student" = garch_method(
    "GARCH(1,1), Student t",
    "the same with Student's t of variance 1",
    "Bollerslev (1987)",
    TRUE
  ),
  hill = tail_method(
    "Hill",
    "X_(k+1) (k / (n a))^xi, xi = mean(ln(X_i / X_(k+1)), i = 1..k)",
    "Hill (1975)",
    hill_tail,
    hill_quantile,
    function(at) at$covariance,
    slopes = hill_slopes
  ),
  pareto = tail_method(
    "Generalised Pareto",
    paste0(
      "u + (scale / xi) ((n a / k)^-xi - 1), by maximum likelihood of the k losses ",
      "beyond u"
    ),
    "McNeil and Frey (2000)",
    pareto_tail,
    pareto_quantile,
    function(at) {
      covariance <- matrix(0, 3L, 3L)
      covariance[1:2, 1:2] <- pareto_covariance(at)
      covariance[3L, 3L] <- (1 - at$share) * at$share^2 / at$k
      named_square(covariance, c("shape", "scale", "share"))
    }
  ),
  bootstrap = draw_method(
    "Bootstrap",
    "the loss at the level over drawn paths of whole days",
    "Efron (1979)",
    "none"
  ),
  "block-bootstrap" = draw_method(
    "Block bootstrap",
    "the same, days drawn in blocks of a fixed length",
    "Kunsch (1989)",
    "fixed"
  ),
  "stationary-bootstrap" = draw_method(
    "Stationary bootstrap",
    "the same, in blocks of random length",
    "Politis and Romano (1994)",
    "stationary"
  )
)

#' Add a method of value at risk of one's own
#'
#' @param name What [measure_var()] and [backtest_var()] call it as a `method`.
#' @param estimate A function of one security's returns (a vector without missing values) and a
#'   confidence level that gives value at risk of one period as a positive fraction, or that and
#'   the expected shortfall.
#' @param title,formula,source Words for people.
#' @return The name, invisibly. It is known until R ends. Its errors are by 200 resamples of the
#'   returns; over a horizon its losses are stretched by the root of time.
#' @section Errors: `imbroglio_error_argument` for a name that is taken, or an `estimate` that is
#'   no function; where it is used `imbroglio_error_own`, with the name, if it fails or gives
#'   something else.
#' @examples
#' twice_mean <- function(r, level) 2 * mean(-r[r < 0]) / (2 * (1 - level))^0.2
#' register_var_method("twice-mean", twice_mean, title = "Twice the mean loss")
#' prices <- read_prices(demo_file("bay.csv"))
#' measure_var(prices[, "BAYALL"], method = c("historical", "twice-mean"))
#' @export
register_var_method <- function(name, estimate, title = name, formula = "", source = "") {
  taken <- c(names(own_var_methods), names(fit_families()))
  if (!is.character(name) ||
      length(name) != 1L || is.na(name) || !nzchar(name) || name %in% taken) {
    fail("argument", "`name` must be a new name.", where = sprintf("It is %s.", shown(name)))
  }
  if (!is.function(estimate)) {
    fail("argument", "`estimate` must be a function of returns and a level.")
  }
  own <- own_function(estimate, sprintf("The method %s", name), function(measured, x, level) {
    is.numeric(measured) &&
      length(measured) %in% 1:2 && !any(is.nan(measured)) && !is.infinite(measured[1L])
  }, "one number or two")
  tail_of <- function(x, a) t(vapply(a, function(a) c(own(x, 1 - a), NA_real_)[1:2], c(0, 0)))
  registered_var_methods[[name]] <- list(
    title = title,
    formula = formula,
    source = source,
    ways = c("sqrt", "overlapping"),
    empirical = FALSE,
    still = TRUE,
    chance = "always",
    slopes = function(book, whole, measured, ask) {
      slopes_by_change(book, whole, function(r) tail_of(r, 1 - ask$level)[1L, ] * ask$scale, ask)
    },
    whole = function(values, ask) {
      by_security(values, ask, function(x, ask) {
        measured <- tail_of(x, 1 - ask$level)
        columns <- list(
          n = rep(length(x), length(ask$level)),
          var = measured[, 1L] * ask$scale,
          es = measured[, 2L] * ask$scale
        )
        if (ask$errors == "none") return(columns)
        again <- with_seed(
          ask$seed,
          replicate(200L, tail_of(sample(x, replace = TRUE), 1 - ask$level))
        )
        again <- array(again, c(length(ask$level), 2L, 200L))
        error <- apply(again, 1:2, stats::sd)
        z <- stats::qnorm((1 + ask$confidence) / 2)
        lapply(
          c(
            columns,
            list(
              var_error = error[, 1L] * ask$scale,
              es_error = error[, 2L] * ask$scale,
              var_low = (measured[, 1L] - z * error[, 1L]) * ask$scale,
              var_high = (measured[, 1L] + z * error[, 1L]) * ask$scale
            )
          ),
          as.numeric
        )
      })
    },
    fit = function(x, ask) list(found = tail_of(x, 1 - ask$level)),
    tail = function(fit, x, a, ask) if (identical(a, 1 - ask$level)) fit$found else tail_of(x, a)
  )
  invisible(name)
}
