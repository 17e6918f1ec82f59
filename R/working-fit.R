# The workings of what is fitted: parameters are entered as they were found, and the likelihood
# there and a step to each side proves that none beside them is likelier.

# For each parameter the log-likelihood a step below and above. likelihood_at(at, suffix): the
# steps that give the log-likelihood named "likelihood" with that suffix, where `at` stands for
# the parameters: expressions by name.
likelihood_proof <- function(parameters, sizes, likelihood_at) {
  plain <- stats::setNames(lapply(parameters, as.name), parameters)
  there <- likelihood_at(plain, "")
  beside <- lapply(seq_along(parameters), function(i) {
    name <- parameters[i]
    lapply(c(below = "-", above = "+"), function(side) {
      at <- plain
      at[[name]] <- call("(", call(side, as.name(name), sizes[[i]]))
      likelihood_at(at, sprintf("_%s_%s", if (side == "-") "below" else "above", name))
    })
  })
  c(there, unlist(unlist(beside, recursive = FALSE), recursive = FALSE))
}

proof_names <- function(parameters) {
  c(
    "likelihood",
    paste0(
      "likelihood_",
      rep(c("below", "above"), length(parameters)),
      "_",
      rep(parameters, each = 2L)
    )
  )
}

# The log-likelihood about the estimate: less on both sides, and nearly level between them.
slopes_shown <- function(parameters, sizes) {
  list(
    title = "The log-likelihood a step from the estimate, and its slope there",
    table = function(values) {
      at <- function(names) unlist(values[names], use.names = FALSE)
      below <- at(paste0("likelihood_below_", parameters))
      above <- at(paste0("likelihood_above_", parameters))
      if (!length(below)) return(NULL)
      size <- unlist(sizes, use.names = FALSE)
      data.frame(
        parameter = parameters,
        estimate = at(parameters),
        step = size,
        below = below - values$likelihood,
        above = above - values$likelihood,
        slope = (above - below) / (2 * size)
      )
    }
  )
}

# Where a search for the likeliest stood after each of its steps. `path`: a column for each
# parameter, then the log-likelihood and the steepest slope.
search_shown <- function(path, parameters) {
  if (!NROW(path)) return(NULL)
  found <- as.data.frame(path[, seq_along(parameters), drop = FALSE])
  names(found) <- parameters
  k <- ncol(path)
  list(
    title = sprintf(
      "The search for the likeliest, from the best start on: %s",
      count(nrow(path) - 1L, "step")
    ),
    table = data.frame(
      step = seq_len(nrow(path)) - 1L,
      found,
      log_likelihood = format(path[, k - 1L], digits = 12L),
      "steepest slope" = path[, k],
      check.names = FALSE
    )
  )
}

# A step so large that the likelihood falls by far more than its rounding: a hundredth of the
# error where that is known.
proof_size <- function(value, error = NULL) {
  size <- if (!is.null(error) && is.finite(error) && error > 0) {
    error / 100
  } else {
    1e-3 * max(abs(value), 1e-8)
  }
  signif(min(size, abs(value) / 2 + (value == 0)), 2L)
}

family_sizes <- function(at, errors = NULL) {
  lapply(seq_along(at), function(i) {
    proof_size(if (i == 1L) at[[2L]] else at[[i]], errors[[i]])
  })
}

# How a family was found: its search, and the likelihood about the end of it.
family_shown <- function(record, x, at, errors = NULL) {
  if (!is.null(record$estimates)) return(NULL)
  list(
    if (!is.null(record$search)) search_shown(record$search(x), record$parameters),
    if (is.null(record$density)) {
      slopes_by_density(record, x, at, family_sizes(at, errors))
    } else {
      slopes_shown(record$parameters, family_sizes(at, errors))
    }
  )
}

# Of a density that the language has not: the same, by R.
slopes_by_density <- function(record, x, at, sizes) {
  likelihood <- function(i = 1L, by = 0) {
    moved <- replace(at, i, at[[i]] + by)
    sum(record$log_density(x, as.list(stats::setNames(moved, record$parameters))))
  }
  values <- c(
    list(likelihood = likelihood()),
    stats::setNames(as.list(at), record$parameters)
  )
  for (i in seq_along(at)) {
    name <- record$parameters[i]
    values[[paste0("likelihood_below_", name)]] <- likelihood(i, -sizes[[i]])
    values[[paste0("likelihood_above_", name)]] <- likelihood(i, sizes[[i]])
  }
  shown <- slopes_shown(record$parameters, sizes)
  shown$table <- shown$table(values)
  shown
}

# The parameters of a family, entered, with their proof where the language has its density.
# `of`: the family's name and how the fit ended, where that is at its limit.
family_steps <- function(record, at, errors = NULL, of = NULL) {
  parameters <- record$parameters
  if (!is.null(record$estimates)) {
    return(lapply(parameters, function(name) {
      step(
        name,
        record$estimates[[name]],
        sprintf("%s, the likeliest%s", name, if (is.null(of)) "" else paste(",", of))
      )
    }))
  }
  proof <- if (!is.null(record$density)) proof_names(parameters)
  entered_steps <- lapply(seq_along(parameters), function(i) {
    entered(
      parameters[i],
      at[[i]],
      paste0(parameters[i], ", by maximum likelihood", if (!is.null(of)) paste(",", of)),
      proof = proof,
      source = record$source
    )
  })
  if (is.null(record$density)) return(entered_steps)
  sizes <- family_sizes(at, errors)
  likelihood_at <- function(p, suffix) {
    z <- as.name(paste0("z", suffix))
    density_of <- do.call(
      substitute,
      list(record$density, c(list(z = z), p[parameters[-(1:2)]]))
    )
    words <- if (nzchar(suffix)) gsub("_", " ", suffix) else " of the fit"
    list(
      step(
        paste0("z", suffix),
        bquote((return - .(p[[1L]])) / .(p[[2L]])),
        paste0("each return less the location, by the scale,", words)
      ),
      step(
        paste0("likelihood", suffix),
        bquote(sum(.(density_of)) - n * ln(.(p[[2L]]))),
        paste0("log-likelihood,", words),
        "likelihood"
      )
    )
  }
  c(entered_steps, likelihood_proof(parameters, sizes, likelihood_at))
}

refuse_failed_fit <- function(this, fit) {
  if (!has_failed(fit$state)) return(invisible())
  fail(
    "working",
    sprintf("%s for %s has no working: its fit %s.", this$family, this$security, fit$state)
  )
}

#' @export
working_of.imbroglio_fit <- function(result, row) {
  this <- row_of_result(result, row)
  returns <- attr(result, "source")
  family <- fit_families()[[this$family]]
  fit <- fit_of_security(attr(result, "fits")[[this$family]], family, this$security)
  refuse_failed_fit(this, fit)
  record <- fit$record
  at <- fit$at
  errors <- fit$error
  sample <- rows_of_security(returns, this$security)
  x <- unname(sort(returns$values[, this$security]))
  by_moments <- basis(result)$choices[["fitted by"]] == "moments"
  drawn <- drawn_again(result, this, family, fit, length(x))
  placed <- place_among_families(result, this)
  free <- length(family$parameters)
  likelihood <- if (is.null(record$density) || by_moments) {
    with_proof(record$parameters, step(
      "log_likelihood",
      quote(sum(ln_density)),
      "log-likelihood of the fit",
      "likelihood"
    ))
  } else {
    step("log_likelihood", quote(likelihood), "log-likelihood of the fit", "likelihood")
  }
  list(
    rows = c(
      list(sample$rows, sorted_returns(record, x, as.list(at))),
      drawn$rows,
      placed$rows
    ),
    steps = c(
      sample$steps,
      list(step("n", quote(count(return)), "how many returns", "count")),
      if (by_moments) {
        moment_estimates(record, at)
      } else {
        family_steps(
          record,
          at,
          errors,
          if (fit$limit) paste(this$family, fit$state)
        )
      },
      list(
        likelihood,
        step("aic", bquote(2 * .(free) - 2 * log_likelihood), "Akaike's criterion"),
        step("bic", bquote(ln(n) * .(free) - 2 * log_likelihood), "Schwarz's criterion")
      ),
      distance_steps(),
      drawn$steps,
      placed$steps,
      textbook_steps(this),
      quantile_steps(record, at),
      if (isTRUE(record$jarque_bera)) jarque_bera_steps()
    ),
    shows = if (!by_moments) family_shown(record, x, at, errors),
    main = "aic"
  )
}

moment_estimates <- function(record, at) {
  lapply(seq_along(at), function(i) {
    entered(
      record$parameters[i],
      at[[i]],
      sprintf("%s, by %s", record$parameters[i], record$moments_by)
    )
  })
}
