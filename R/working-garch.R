# The workings of volatility that clusters: e_t and the variance of each as it was known before it,
# with the parameters entered as they were found.

# What is fixed at a limit is entered as it is there, without a proof; where nothing of a shock is
# lost, beta is what alpha leaves.
garch_parameter_steps <- function(at, free) {
  words <- c(
    mean = "mean",
    omega = "omega, what each variance begins with",
    alpha = "weight of the last square",
    beta = "weight of the last variance",
    nu = "degrees of freedom of Student's t"
  )
  lapply(names(at), function(name) {
    if (garch_tied(at) && name == "beta") {
      return(step("garch_beta", quote(1 - garch_alpha), "weight of the last variance"))
    }
    fixed <- !name %in% free
    entered(
      paste0("garch_", name),
      at[[name]],
      paste0(words[[name]], if (fixed) ", at its limit" else ", by maximum likelihood"),
      proof = if (!fixed) proof_names(paste0("garch_", free)),
      source = "Bollerslev (1986)"
    )
  })
}

garch_free <- function(at) setdiff(names(at), garch_fixed(attr(at, "limits")))
garch_tied <- function(at) "persistence" %in% limits_of(attr(at, "limits")) && at$beta > 0

garch_sizes <- function(at) {
  sizes <- lapply(at, proof_size)
  sizes$mean <- signif(1e-3 * sqrt(at$omega / max(1e-8, 1 - at$alpha - at$beta)), 2L)
  sizes
}

# How the parameters were found: the search, and the likelihood about the end of it.
garch_shown <- function(x, at, student) {
  used <- c(seq_along(at), length(garch_terms) + 1:2)
  free <- garch_free(at)
  list(
    search_shown(core_garch_search(x, student)[, used, drop = FALSE], names(at)),
    slopes_shown(paste0("garch_", free), garch_sizes(at)[free])
  )
}

# e_t and the variance of each as it was known before it, with the likelihood of all.
garch_path_steps <- function(at, student, first = NULL) {
  free <- garch_free(at)
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
    garch_parameter_steps(at, free),
    likelihood_proof(paste0("garch_", free), garch_sizes(at)[free], function(p, suffix) {
      fixed <- paste0("garch_", setdiff(names(at), free))
      p <- c(p, stats::setNames(lapply(fixed, as.name), fixed))
      if (garch_tied(at)) p$garch_beta <- bquote((1 - .(p$garch_alpha)))
      garch_likelihood(p, suffix, student)
    }),
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
  student <- !is.null(at$nu)
  steps <- garch_path_steps(
    at,
    student,
    if (isTRUE(about$fitted_on_all)) mean((x - mean(x))^2)
  )
  # Of a date before the last, the likelihood of the rows up to it proves nothing.
  list(
    steps = c(
      if (isTRUE(about$fitted_on_all)) without_proof(steps) else steps,
      list(step("volatility", quote(sqrt(next_variance)), "its root", "fraction"))
    ),
    shows = if (!isTRUE(about$fitted_on_all)) garch_shown(x, at, student)
  )
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
  x <- unname(returns$values[!is.na(returns$values[, this$security]), this$security])
  at <- list(
    mean = this$mean,
    omega = this$omega,
    alpha = this$garch_alpha,
    beta = this$garch_beta
  )
  free <- if (student) 5L else 4L
  student <- student && is.finite(this$nu)
  if (student) at$nu <- this$nu
  fit <- attr(result, "fits")[[this$innovations]]
  attr(at, "limits") <- fit$limits[[this$security]]
  lasts <- this$persistence < 1
  list(
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
        if (lasts) {
          step("long_run", quote(sqrt(garch_omega / (1 - persistence))), "long run", "fraction")
        },
        if (lasts) {
          step("long_run_annual", quote(long_run * sqrt(per_year)), "long run a year", "fraction")
        },
        if (lasts && this$persistence > 0) {
          step("half_life", quote(ln(0.5) / ln(persistence)), "periods until half of it is gone")
        },
        step("log_likelihood", quote(likelihood), "log-likelihood"),
        step("aic", bquote(2 * .(free) - 2 * log_likelihood), "Akaike's criterion"),
        step("bic", bquote(ln(n) * .(free) - 2 * log_likelihood), "Schwarz's criterion")
      )
    ),
    shows = garch_shown(x, at, student),
    main = "volatility_annual"
  )
}
