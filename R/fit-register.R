#' Add a family of one's own
#'
#' Known to [fit_returns()] until R ends. It is fitted by maximum likelihood with [stats::optim()]
#' from several starts, and its p-values are by draws fitted again in the same way, in R, which
#' takes its time: give fewer `test_draws`.
#'
#' @param name What [fit_returns()] calls it.
#' @param density,distribution Functions of a vector `x` and a vector `at` of the parameters by
#'   name: the density, and the probability of `x` or less.
#' @param start A function of a vector of returns: the parameters by name, from where to search.
#' @param low,high The bounds of the parameters, in the order of `start`.
#' @param quantile A function of a vector `p` and of `at`; by default the distribution function is
#'   inverted.
#' @param random A function of `n` and of `at`; by default quantiles of uniform numbers.
#' @param title,formula,source Words for people.
#' @return The name, invisibly.
#' @section Errors: `imbroglio_error_argument` for a name that is taken by a family of the
#'   package, or for what is no function; `imbroglio_error_own`, with the name, for a density that
#'   does not integrate to 1 or is not that of the distribution function, both here and where it
#'   was fitted. A name that was registered before is noted; [unregister()] forgets it.
#' @family what can be registered
#' @examples
#' register_family("gumbel",
#'   density = function(x, at) {
#'     z <- (x - at[["location"]]) / at[["scale"]]
#'     exp(-z - exp(-z)) / at[["scale"]]
#'   },
#'   distribution = function(x, at) exp(-exp(-(x - at[["location"]]) / at[["scale"]])),
#'   start = function(x) c(location = median(x), scale = sd(x)), low = c(-Inf, 0))
#' returns <- as_returns(read_prices(demo_file("bay.csv"))[, "BAYALL"])
#' fit_returns(returns, families = c("normal", "gumbel"), test_draws = 0)
#' @export
register_family <- function(name, density, distribution, start, low, high = rep(Inf, length(low)),
                            quantile = NULL, random = NULL, title = name, formula = "",
                            source = "") {
  if (!is.character(name) ||
      length(name) != 1L || !nzchar(name) || name %in% names(own_families)) {
    fail("argument", "`name` must be a new name.", where = sprintf("It is %s.", shown(name)))
  }
  given <- list(density = density, distribution = distribution, start = start)
  given <- c(given, Filter(Negate(is.null), list(quantile = quantile, random = random)))
  for (part in names(given)) {
    if (!is.function(given[[part]])) fail("argument", sprintf("`%s` must be a function.", part))
  }
  trial <- start(stats::qnorm(stats::ppoints(50L)))
  if (is.null(names(trial)) ||
      length(trial) != length(low) || length(low) != length(high) || any(low >= high)) {
    fail(
      "argument",
      "`start` must give the parameters by name, one for each of `low` and `high`."
    )
  }
  of_each <- function(run, what, within) {
    own_function(run, sprintf("The %s of %s", what, name), function(moments_given, x, at) {
      is.numeric(moments_given) &&
        length(moments_given) == length(x) &&
        all(moments_given >= 0 & moments_given <= within, na.rm = TRUE)
    }, "a number of 0 or more for each value")
  }
  density <- of_each(density, "density", Inf)
  distribution <- of_each(distribution, "distribution", 1 + 1e-6)
  check_distribution(density, distribution, trial, 0, 1, name)
  say_registered_again(name, registered_families)
  registered_families[[name]] <- registered_record(
    names(trial),
    low,
    high,
    density,
    distribution,
    start,
    quantile,
    random,
    list(title = title, formula = formula, source = source, name = name)
  )
  invisible(name)
}

# Whether a density is one, and that of its distribution function, at some parameters: else its
# likelihood says nothing beside that of others.
check_distribution <- function(density_of, share_below, at, centre, spread, name) {
  # In units of the sample, so that what is narrow is not stepped over.
  area <- function(from, to) {
    tryCatch(
      stats::integrate(
        function(u) spread * density_of(centre + spread * u, at), from, to,
        subdivisions = 2000L, rel.tol = 1e-6
      )$value,
      imbroglio_error = stop, error = function(e) NA_real_
    )
  }
  parts <- c(area(-Inf, 0), area(0, Inf))
  below <- share_below(centre + spread * c(-1e6, 0, 1e6), at)
  refuse <- function(text, ...) {
    fail_in_r(
      "own", sprintf(text, ...),
      where = sprintf("At %s.", paste(names(at), format(at, digits = 4L), collapse = ", "))
    )
  }
  if (anyNA(below)) refuse("The distribution of %s is no number somewhere.", name)
  if (is.unsorted(below)) refuse("The distribution of %s falls somewhere.", name)
  if (!anyNA(parts) && abs(sum(parts) - 1) > 1e-3) {
    refuse("The density of %s integrates to %s, not to 1.", name, format(sum(parts), digits = 4L))
  }
  if (!anyNA(parts) && abs(parts[1L] - below[2L]) > 1e-3) {
    refuse(
      "The density and the distribution of %s do not agree: up to %s they are %s and %s.", name,
      format(centre, digits = 4L), format(parts[1L], digits = 4L), format(below[2L], digits = 4L)
    )
  }
}

registered_record <- function(parameters, low, high, density_of, distribution, start_at,
                              quantile_of, random, words) {
  log_density <- function(x, at) log(density_of(x, unlist(at)))
  if (is.null(quantile_of)) {
    quantile_of <- function(p, at) vapply(p, inverse_of, 0, distribution, at)
  }
  if (is.null(random)) random <- function(n, at) quantile_of(stats::runif(n), at)
  likeliest <- function(x, from, starts) {
    likeliest_by_optim(x, from, starts, low, high, log_density)
  }
  c(
    words,
    list(
      parameters = parameters,
      low = low,
      high = high,
      moments_by = NA_character_,
      log_density = log_density,
      log_tail = function(x, at, lower = TRUE) {
        p <- pmin(pmax(distribution(x, unlist(at)), 0), 1)
        if (lower) log(p) else log1p(-p)
      },
      quantile = function(log_p, at, lower = TRUE) {
        quantile_of(if (lower) exp(log_p) else -expm1(log_p), unlist(at))
      },
      random = function(n, at) random(n, unlist(at)),
      moments = function(at) moments_by_quantiles(function(p) quantile_of(p, unlist(at))),
      fit = function(values, by) {
        said_once(fits_of_columns(values, length(low), function(x) {
          found <- likeliest(x, start_at(x), c(0, 0.5, -0.5))
          if (found$converged) {
            check_distribution(
              density_of, distribution, found$estimate, stats::median(x), stats::sd(x), words$name
            )
          }
          found
        }), sprintf("The family %s", words$name))
      },
      refitted = function(at, n, by, first, draws, seed, limit = 0L) {
        t(vapply(first + seq_len(draws), function(i) {
          x <- sort(with_seed(bitwXor(seed, i), random(n, unlist(at))))
          fit <- likeliest(x, unlist(at), 0)
          if (!fit$converged) return(rep(NA_real_, 4L))
          p <- distribution(x, fit$estimate)
          core_distances(log(p), log1p(-p))
        }, numeric(4L)))
      }
    )
  )
}

# The fit of each column, by its own search; too few values, or too few that differ, have none.
fits_of_columns <- function(values, parameters, search_for) {
  missing_each <- rep(NA_real_, parameters)
  none <- list(
    estimate = missing_each,
    error = missing_each,
    log_likelihood = NA_real_,
    ended = -1L
  )
  fits <- lapply(seq_len(ncol(values)), function(j) {
    x <- values[!is.na(values[, j]), j]
    if (length(x) < 20L || length(unique(x)) < 10L) return(none)
    found <- search_for(x)
    if (found$converged) replace(found, "ended", 0L) else replace(none, "ended", -3L)
  })
  list(
    estimate = t(matrix(vapply(fits, `[[`, missing_each, "estimate"), parameters)),
    error = t(matrix(vapply(fits, `[[`, missing_each, "error"), parameters)),
    log_likelihood = vapply(fits, `[[`, 0, "log_likelihood"),
    ended = vapply(fits, `[[`, 0L, "ended")
  )
}

likeliest_by_optim <- function(x, from, starts, low, high, log_density) {
  to_free <- function(at) {
    ifelse(
      is.finite(low) & is.finite(high),
      stats::qlogis((at - low) / (high - low)),
      ifelse(is.finite(low), log(at - low), ifelse(is.finite(high), -log(high - at), at))
    )
  }
  to_natural <- function(v) {
    stats::setNames(
      ifelse(
        is.finite(low) & is.finite(high),
        low + (high - low) * stats::plogis(v),
        ifelse(is.finite(low), low + exp(v), ifelse(is.finite(high), high - exp(-v), v))
      ),
      names(from)
    )
  }
  loss <- function(v) {
    value <- -sum(log_density(x, to_natural(v)))
    if (is.finite(value)) value else 1e100
  }
  # Parameters without a bound are of the size of the returns.
  scale <- ifelse(is.finite(low) | is.finite(high), 1, stats::sd(x))
  searched <- function(v) {
    rough <- stats::optim(v, loss, control = list(maxit = 2000L, parscale = scale))
    stats::optim(
      rough$par,
      loss,
      method = "BFGS",
      control = list(maxit = 500L, parscale = scale, reltol = 1e-12)
    )
  }
  first <- to_free(from)
  tried <- lapply(starts, function(by) searched(first + by * scale))
  best <- tried[[which.min(vapply(tried, `[[`, 0, "value"))]]
  at <- to_natural(best$par)
  information <- tryCatch(
    stats::optimHess(best$par, loss, control = list(parscale = scale)),
    error = function(e) NULL
  )
  spread <- tryCatch(diag(solve(information)), error = function(e) NA_real_)
  step <- 1e-5 * scale
  by_free <- vapply(seq_along(at), function(i) {
    v <- best$par
    (to_natural(replace(v, i, v[i] + step[i]))[i] - to_natural(replace(
      v,
      i,
      v[i] - step[i]
    ))[i]) /
      (2 * step[i])
  }, 0)
  error <- suppressWarnings(sqrt(spread)) * abs(by_free)
  list(
    estimate = at,
    error = rep_len(error, length(at)),
    log_likelihood = -best$value,
    converged = best$convergence == 0L && best$value < 1e99 && all(is.finite(error) & error > 0)
  )
}

inverse_of <- function(p, distribution, at) {
  if (p <= 0 || p >= 1) return(if (p <= 0) -Inf else Inf)
  reach <- 1
  while (reach < 1e300 && (distribution(-reach, at) > p || distribution(reach, at) < p)) {
    reach <- reach * 4
  }
  stats::uniroot(
    function(q) distribution(q, at) - p,
    c(-reach, reach),
    tol = .Machine$double.eps
  )$root
}

moments_by_quantiles <- function(quantile_of) {
  powers <- vapply(1:4, function(r) {
    integral <- tryCatch(
      stats::integrate(function(p) quantile_of(p)^r, 0, 1, subdivisions = 1000L)$value,
      error = function(e) NaN
    )
    integral
  }, 0)
  stats::setNames(from_raw(powers), c("mean", "variance", "skewness", "kurtosis"))
}
