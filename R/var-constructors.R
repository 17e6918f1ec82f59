# The constructors of the methods of value at risk, which need no formula: by the order of a
# sample, by a quantile function, by the tail, by draws.

# Runs one(x, request) for each column; x has no missing values, request$rows says where they
# stand. It gives columns with a row for each level; where there is nothing to tell NULL, or a
# `state` that says why.
by_security <- function(values, request, one) {
  parts <- lapply(progress_along(seq_len(ncol(values)), "Measuring"), function(j) {
    request$column <- j
    request$rows <- which(!is.na(values[, j]))
    x <- values[request$rows, j]
    found <- if (length(x)) one(x, request)
    if (!is.null(found$var)) return(found)
    list(
      n = rep(length(x), length(request$level)),
      var = rep(NA_real_, length(request$level)),
      state = rep(found$state %||% NA_character_, length(request$level))
    )
  })
  stacked(parts, ragged = TRUE)
}

# What fits the sample x of column j, as they are asked for one after the other. Where many can be
# fitted at once, fits(values, request), some are fitted ahead, of a matrix columns(j).
fits_ahead <- function(method, values, request, n = ncol(values),
                       columns = function(j) values[, j, drop = FALSE]) {
  if (is.null(method$fits)) return(function(j, x) method$fit(x, request))
  before <- 0L
  known <- list()
  function(j, x) {
    if (j > before + length(known)) {
      before <<- j - 1L
      known <<- method$fits(columns(j:min(before + 64L, n)), request)
    }
    known[[j - before]]
  }
}

# A method that takes the order of a sample of returns: those of the history, made like today's by
# scenarios(fit, x, request); `fit` is what that needs. scale_error(x, request): the relative
# error of what they are scaled by.
sample_method <- function(title, formula, source, fit = function(x, request) list(), fits = NULL,
                          why = NULL, scenarios, scale_error = NULL,
                          slopes = slopes_by_regression) {
  list(
    title = title,
    formula = formula,
    source = source,
    ways = c("sqrt", "overlapping"),
    empirical = TRUE,
    still = FALSE,
    slopes = slopes,
    whole = function(values, request) {
      fit_of <- fits_ahead(list(fit = fit, fits = fits), values, request)
      by_security(values, request, function(x, request) {
        fitted <- fit_of(request$column, x)
        if (is.null(fitted)) return(list(state = if (!is.null(why)) why(x, request)))
        measured <- tail_of_samples(matrix(scenarios(fitted, x, request)), request, request$scale)
        measured$state <- with_state(fitted, request)
        if (!is.null(scale_error)) {
          measured <- with_scale_error(measured, scale_error(x, request), request)
        }
        # What stands there is not what was observed.
        measured[!names(measured) %in% c("worse", "milder", "row", "position")]
      })
    },
    fit = fit,
    fits = fits,
    tail = function(fit, x, a, request) {
      if (is.null(fit)) return(matrix(NA_real_, length(a), 2L))
      measured <- core_historical_tail(
        matrix(scenarios(fit, x, request)),
        1 - a,
        rank_code(request$rank),
        request$log,
        1
      )
      cbind(measured$var, measured$es)
    }
  )
}

# How the fit ended, for each level.
with_state <- function(fitted, request) {
  rep(attr(fitted, "state") %||% NA_character_, length(request$level))
}

# Scale and rank err apart from each other: their squares add up.
with_scale_error <- function(measured, relative, request) {
  z <- stats::qnorm((1 + request$confidence) / 2)
  add <- function(error, by) sqrt(error^2 + (relative * by)^2)
  measured$var_low <- measured$var - add(measured$var - measured$var_low, z * measured$var)
  measured$var_high <- measured$var + add(measured$var_high - measured$var, z * measured$var)
  measured$var_error <- add(measured$var_error, measured$var)
  measured$es_error <- add(measured$es_error, measured$es)
  measured
}

# A method with a quantile function of returns: fit(x, request) is NULL where it cannot be, and
# fits(values, request) fits many columns at once, and why(x, request) says what one failed of;
# now(fit, x) gives the parameters of the next period; covariance(fit, x, at, sandwich) theirs,
# NULL where not known, `sandwich` where they are not to take the likelihood as right, which only
# a `likely` method knows; quantile(log_p, at, request) of request$h periods; shortfall(a, at,
# request), where there is a closed form; knows(a, at, request) whether it says anything at a;
# moves(a, at, request) how both move with each parameter, where that is known and need not be
# found by differences. The errors are by the delta method, the interval on the logarithm of the
# loss.
smooth_method <- function(title, formula, source, ways = c("sqrt", "overlapping"),
                          fit = function(x, request) fits(matrix(x), request)[[1L]], fits = NULL,
                          why = NULL, grows = "whole", now = NULL, covariance, quantile_of,
                          shortfall = NULL,
                          knows = function(a, at, request) TRUE, doubt = NULL, likely = FALSE,
                          moves = NULL, slopes = slopes_by_regression) {
  still <- is.null(now)
  if (still) now <- function(fit, x) fit
  tail_at <- function(at, a, request) {
    if (!knows(a, at, request)) return(c(NA_real_, NA_real_))
    es <- if (!is.null(shortfall)) {
      shortfall(a, at, request)
    } else {
      mean_beyond(function(log_p) quantile_of(log_p, at, request), a, request$log)
    }
    c(as_loss(quantile_of(log(a), at, request), request$log), es)
  }
  covariance_at <- function(fitted, x, at, request) {
    if (request$errors != "none") covariance(fitted, x, at, request$errors == "sandwich")
  }
  list(
    title = title,
    formula = formula,
    source = source,
    ways = ways,
    grows = grows,
    empirical = FALSE,
    still = still,
    # For the working: the quantiles beyond the level, and what the errors are made of.
    quantiles = function(x, request) {
      at <- now(fit(x, request), x)
      function(log_p) quantile_of(log_p, at, request)
    },
    error_parts = function(x, request, a) {
      fitted <- fit(x, request)
      at <- now(fitted, x)
      spread <- covariance_at(fitted, x, at, request)
      if (is.null(spread) || anyNA(spread)) return(NULL)
      list(
        slope = slopes_of(moves, a, at, spread, request, tail_at),
        covariance = spread
      )
    },
    doubt = doubt,
    likely = likely,
    slopes = slopes,
    whole = function(values, request) {
      known <- list(fit = fit, fits = fits, why = why)
      whole_of_smooth(values, request, known, function(fitted, x) {
        at <- now(fitted, x)
        spread <- covariance_at(fitted, x, at, request)
        lapply(1 - request$level, function(a) {
          c(n = length(x), with_errors(function(at) tail_at(at, a, request), at, spread, request))
        })
      })
    },
    fit = fit,
    fits = fits,
    tail = function(fit, x, a, request) {
      if (is.null(fit)) return(matrix(NA_real_, length(a), 2L))
      at <- now(fit, x)
      t(vapply(a, function(a) tail_at(at, a, request), c(0, 0)))
    }
  )
}

# Columns of all securities by rows(fitted, x), one for each level, with the state of the fits.
whole_of_smooth <- function(values, request, method, rows) {
  fit_of <- fits_ahead(method, values, request)
  by_security(values, request, function(x, request) {
    fitted <- fit_of(request$column, x)
    if (is.null(fitted)) return(list(state = if (!is.null(method$why)) method$why(x, request)))
    c(columns_of_rows(rows(fitted, x)), list(state = with_state(fitted, request)))
  })
}

# Value at risk and expected shortfall by the parameters, with what they err by.
with_errors <- function(tail_at, at, spread, request) {
  tail <- tail_at(at)
  error <- by_delta(at, spread, tail_at)
  ends <- interval_above_zero(tail[1L], error[1L], request$confidence)
  c(
    var = tail[1L],
    es = tail[2L],
    var_error = error[1L],
    es_error = error[2L],
    var_low = ends$low,
    var_high = ends$high
  )
}

# A loss above 0 stays above it: even steps of its logarithm to either side.
interval_above_zero <- function(loss, error, confidence) {
  z <- stats::qnorm((1 + confidence) / 2)
  above <- (loss > 0) %in% TRUE
  side <- function(z) ifelse(above, loss * exp(z * error / loss), loss + z * error)
  list(low = side(-z), high = side(z))
}

# The errors of f(at) by its slope along each parameter that has one, and their covariance.
by_delta <- function(at, covariance, f) {
  if (is.null(covariance) || anyNA(covariance)) return(c(NA_real_, NA_real_))
  slope <- slopes_along(at, covariance, f)
  errors <- sqrt(pmax(0, rowSums((slope %*% covariance) * slope)))
  ifelse(is.nan(errors), NA_real_, errors)
}

# Of value at risk and of expected shortfall, a row each, along each parameter.
slopes_along <- function(at, covariance, f) {
  vapply(rownames(covariance), function(name) {
    # Far less than the parameter itself, however little is known of it.
    step <- min(1e-4 * sqrt(covariance[name, name]), 1e-3 * max(abs(at[[name]]), 1e-4))
    up <- down <- at
    up[[name]] <- at[[name]] + step
    down[[name]] <- at[[name]] - step
    if (step > 0) (f(up) - f(down)) / (2 * step) else c(0, 0)
  }, c(0, 0))
}

# As they are known, or by differences.
slopes_of <- function(moves, a, at, spread, request, tail_at) {
  if (is.null(moves)) return(slopes_along(at, spread, function(at) tail_at(at, a, request)))
  of <- moves(a, at, request)
  vapply(rownames(spread), function(name) c(of$var[[name]], of$es[[name]]), c(0, 0))
}

named_square <- function(m, names) `dimnames<-`(m, list(names, names))

# The scores of parameters by differences of each return's log-likelihood.
scores_by_differences <- function(log_terms) {
  function(at) {
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
}

# The inverse of the sum of squares of the scores, `scores_at(at)`. A `shape` of which the returns
# say nothing, as of Student's degrees of freedom where the normal does as well, is taken as
# known. `sandwich`: between two of the information, by how the scores change half an error to
# either side (White 1982), an error along the location, where some jump from one return to the
# next; it is not known where they hardly change.
covariance_by_scores <- function(at, scores_at, shapes, sandwich = FALSE) {
  scores <- scores_at(at)
  if (anyNA(scores)) return(NULL)
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

tail_method <- function(title, formula, source, tail_of, quantile_at, covariance_at,
                        slopes = slopes_by_regression) {
  stretch <- function(at, request) {
    if (request$by == "power") request$h^at$shape else sqrt(request$h)
  }
  # A size that is also level - 1 of some returns is often a hair off.
  knows <- function(a, at, request) a <= at$share * (1 + 1e-9)
  smooth_method(
    title,
    formula,
    source,
    ways = c("sqrt", "power", "overlapping"),
    fit = function(x, request) tail_of(x, tail_size(length(x), request$tail)),
    covariance = function(fit, x, at, sandwich) covariance_at(at),
    slopes = slopes,
    quantile_of = function(log_p, at, request) quantile_at(log_p, at) * stretch(at, request),
    shortfall = function(a, at, request) {
      if (request$log) {
        return(mean_beyond(function(log_p) quantile_at(log_p, at) * stretch(at, request), a, TRUE))
      }
      if (at$shape >= 1) return(Inf)
      beyond <- -quantile_at(log(a), at) + if (is.null(at$scale)) {
        0
      } else {
        at$scale - at$shape * at$threshold
      }
      stretch(at, request) * beyond / (1 - at$shape)
    },
    knows = knows,
    doubt = function(x, request) {
      at <- tail_of(x, tail_size(length(x), request$tail))
      if (is.null(at)) return("finds no tail of losses")
      if (!all(knows(1 - request$level, at, request))) {
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
    working = function(about) draw_working(about, blocks),
    blocks = blocks,
    empirical = TRUE,
    still = FALSE,
    chance = "always",
    blocks = blocks,
    options = if (blocks != "none") "block",
    slopes = slopes_of_paths,
    no_errors = "draws several periods of a history that says too little of so rare a loss",
    whole = function(values, request) {
      by_security(values, request, function(x, request) {
        how <- drawing(length(x), request$h, blocks, request)
        of_draws(drawn_returns(x, how, request), how, request, if (request$log) expm1(x) else x)
      })
    },
    fit = function(x, request) list(),
    tail = function(fit, x, a, request) {
      drawn <- drawn_returns(x, drawing(length(x), 1L, blocks, request), request)
      measured <- core_historical_tail(matrix(drawn), 1 - a, rank_code(request$rank), FALSE, 1)
      cbind(measured$var, measured$es)
    }
  )
}

# Whether the history says too little of the tail of several periods: of single days fewer than
# one over the horizon lie beyond the level, of blocks fewer than three.
too_few_drawn <- function(how, level) {
  if (how$horizon == 1L) return(FALSE)
  if (how$blocks == "none") return(how$days * (1 - level) / how$horizon < 1)
  a_path <- if (how$blocks == "fixed") {
    ceiling(how$horizon / how$length)
  } else {
    1 + (how$horizon - 1) / how$length
  }
  how$days / how$length * (1 - level) * a_path < 3
}

# One security is a book of one holding.
drawn_returns <- function(x, how, request) {
  if (request$adds) {
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
  growth <- matrix(if (request$log) exp(x) else 1 + x)
  core_draw_book(growth, 1, 0, how$horizon, how$draws, how$code, how$length, how$seed)$value - 1
}

columns_of_rows <- function(rows) {
  lapply(stats::setNames(nm = names(rows[[1L]])), function(name) {
    vapply(rows, function(r) as.numeric(r[[name]]), 0)
  })
}
