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

garch_parameter_steps <- function(at) {
  words <- c(
    mean = "mean",
    omega = "omega, what each variance begins with",
    alpha = "weight of the last square",
    beta = "weight of the last variance",
    nu = "degrees of freedom of Student's t"
  )
  lapply(names(at), function(name) {
    entered(
      paste0("garch_", name),
      at[[name]],
      paste0(words[[name]], ", by maximum likelihood"),
      proof = proof_names(paste0("garch_", names(at))),
      source = "Bollerslev (1986)"
    )
  })
}

# e_t and the variance of each as it was known before it, with the likelihood of all.
garch_path_steps <- function(at, student, first = NULL) {
  parameters <- paste0("garch_", names(at))
  sizes <- lapply(at, proof_size)
  sizes$mean <- signif(1e-3 * sqrt(at$omega / max(1e-8, 1 - at$alpha - at$beta)), 2L)
  c(
    list(
      step("n", quote(count(return)), "how many returns", "count"),
      step("average", quote(sum(return) / n), "their mean", "fraction"),
      if (is.null(first)) {
        step(
          "first_variance",
          quote(sum((return - average)^2) / n),
          "the variance of the first: the mean square about the mean"
        )
      } else {
        entered(
          "first_variance",
          first,
          "the variance of the first: the mean square of all returns"
        )
      }
    ),
    garch_parameter_steps(at),
    likelihood_proof(parameters, sizes, function(p, suffix) garch_likelihood(p, suffix, student)),
    list(
      step(
        "next_variance",
        quote(garch_omega + garch_alpha * value_at(e, n)^2 + garch_beta * value_at(variance, n)),
        "variance of the period after the last"
      )
    )
  )
}

garch_likelihood <- function(p, suffix, student) {
  e <- as.name(paste0("e", suffix))
  variance <- as.name(paste0("variance", suffix))
  log_density <- if (student) {
    bquote(
      ln_gamma((.(p$garch_nu) + 1) / 2) -
        ln_gamma(.(p$garch_nu) / 2) - ln(pi * (.(p$garch_nu) - 2)) / 2 - ln(.(variance)) / 2 -
        (.(p$garch_nu) + 1) / 2 * ln(1 + .(e)^2 / .(variance) / (.(p$garch_nu) - 2))
    )
  } else {
    bquote(-(ln(2 * pi) + ln(.(variance)) + .(e)^2 / .(variance)) / 2)
  }
  words <- if (nzchar(suffix)) gsub("_", " ", sub("_garch", "", suffix)) else " of the fit"
  list(
    step(
      paste0("e", suffix),
      bquote(return - .(p$garch_mean)),
      paste0("return less the mean,", words)
    ),
    step(
      paste0("variance", suffix),
      bquote(recursion(
        first_variance + 0 * return,
        .(p$garch_omega) + .(p$garch_alpha) * before(.(e))^2 + .(p$garch_beta) * previous
      )),
      paste0("variance of each as known before it,", words)
    ),
    step(
      paste0("likelihood", suffix),
      bquote(sum(.(log_density))),
      paste0("log-likelihood,", words),
      "likelihood"
    )
  )
}

garch_volatility_working <- function(about, student) {
  returns <- about$returns
  x <- returns$values[!is.na(returns$values[, about$this$security]), about$this$security]
  at <- garch_fit(x, student)
  if (is.null(at)) return(list())
  steps <- garch_path_steps(
    at,
    student,
    if (isTRUE(about$fitted_on_all)) mean((x - mean(x))^2)
  )
  # Of a date before the last, the likelihood of the rows up to it proves nothing.
  list(steps = c(
    if (isTRUE(about$fitted_on_all)) without_proof(steps) else steps,
    list(step("volatility", quote(sqrt(next_variance)), "its root", "fraction"))
  ))
}

without_proof <- function(steps) {
  lapply(steps[!vapply(steps, is.null, NA)], function(s) {
    s$proof <- character()
    s
  })
}

#' @export
working_of.imbroglio_garch <- function(result, row) {
  this <- row_of_result(result, row)
  returns <- attr(result, "source")
  sample <- rows_of_security(returns, this$security)
  student <- this$innovations == "student"
  at <- list(
    mean = this$mean,
    omega = this$omega,
    alpha = this$garch_alpha,
    beta = this$garch_beta
  )
  if (student) at$nu <- this$nu
  free <- length(at)
  list(
    asks = measures()$volatility$asks,
    rows = list(sample$rows),
    choices = list(year_choice(result, returns, this)),
    steps = c(
      sample$steps,
      garch_path_steps(at, student),
      list(
        step(
          "volatility",
          quote(sqrt(next_variance)),
          "volatility of the next period",
          "fraction"
        ),
        step("volatility_annual", quote(volatility * sqrt(per_year)), "a year", "fraction"),
        step("mean", quote(garch_mean), "the mean that was found", "fraction"),
      step("omega", quote(garch_omega), "and omega"),
      if (student) step("nu", quote(garch_nu), "and the degrees of freedom"),
      step("persistence", quote(garch_alpha + garch_beta), "how much of a variance goes on"),
        step("long_run", quote(sqrt(garch_omega / (1 - persistence))), "long run", "fraction"),
        step("long_run_annual", quote(long_run * sqrt(per_year)), "long run a year", "fraction"),
        step("half_life", quote(ln(0.5) / ln(persistence)), "periods until half of it is gone"),
        step("log_likelihood", quote(likelihood), "log-likelihood"),
        step("aic", bquote(2 * .(free) - 2 * log_likelihood), "Akaike's criterion"),
        step("bic", bquote(ln(n) * .(free) - 2 * log_likelihood), "Schwarz's criterion")
      )
    ),
    main = "volatility_annual"
  )
}

# The parameters of a family, entered, with their proof where the language has its density.
family_steps <- function(record, at, errors = NULL) {
  parameters <- record$parameters
  proof <- if (!is.null(record$density)) proof_names(parameters)
  entered_steps <- lapply(seq_along(parameters), function(i) {
    entered(
      parameters[i],
      at[[i]],
      paste0(parameters[i], ", by maximum likelihood"),
      proof = proof,
      source = record$source
    )
  })
  if (is.null(record$density)) return(entered_steps)
  sizes <- lapply(seq_along(parameters), function(i) {
    proof_size(if (i == 1L) at[[2L]] else at[[i]], errors[[i]])
  })
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

#' @export
working_of.imbroglio_fit <- function(result, row) {
  this <- row_of_result(result, row)
  returns <- attr(result, "source")
  record <- fit_families()[[this$family]]
  fit <- attr(result, "fits")[[this$family]]
  at <- fit$estimate[this$security, ]
  sample <- rows_of_security(returns, this$security)
  x <- sort(returns$values[!is.na(returns$values[, this$security]), this$security])
  free <- length(at)
  likelihood <- if (is.null(record$density)) {
    list(entered("log_likelihood", this$log_likelihood, "log-likelihood of the fit"))
  } else {
    list(step("log_likelihood", quote(likelihood), "log-likelihood of the fit"))
  }
  list(
    asks = measures()$fit$asks,
    rows = list(
      sample$rows,
      rows_of_working(
        "sorted",
        "the returns in ascending order, and the fitted distribution function of each",
        list(x = unname(x), fitted = exp(record$log_tail(unname(x), as.list(at))))
      )
    ),
    steps = c(
      sample$steps,
      list(step("n", quote(count(return)), "how many returns", "count")),
      family_steps(record, at, fit$error[this$security, ]),
      likelihood,
      list(
        step("aic", bquote(2 * .(free) - 2 * log_likelihood), "Akaike's criterion"),
        step("bic", bquote(ln(n) * .(free) - 2 * log_likelihood), "Schwarz's criterion"),
        step(
          "place",
          quote(recursion(1 + 0 * x, previous + 1)),
          "place of each in that order",
          "count"
        ),
        step(
          "distance",
          quote(higher_of(place / n - fitted, fitted - (place - 1) / n)),
          "distance of what is observed and fitted, on either side of the step"
        ),
        step("ks", quote(maximum(distance)), "the largest: Kolmogorov and Smirnov's distance")
      )
    ),
    main = "aic"
  )
}
