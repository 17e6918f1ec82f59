#' Fit GARCH(1,1)
#'
#' Volatility that clusters: \eqn{r_t = \mu + e_t}{r_t = mean + e_t}, where \eqn{e_t}{e_t} has the
#' variance \deqn{h_t = \omega + \alpha e_{t-1}^2 + \beta h_{t-1}}{h_t = omega + alpha e_(t-1)^2 +
#' beta h_(t-1)} given the returns before it, and \eqn{e_t / \sqrt{h_t}}{e_t / sqrt(h_t)} is
#' normal, or of Student's t with \eqn{\nu}{nu} degrees of freedom scaled to variance 1. All
#' parameters by maximum likelihood; \eqn{h_1}{h_1} is the sample's mean squared distance from its
#' mean. The long-run level is \eqn{\sqrt{\omega / (1 - \alpha - \beta)}}{sqrt(omega / (1 - alpha
#' - beta))}, the half-life of a shock \eqn{\ln(1/2) / \ln(\alpha + \beta)}{ln(1/2) / ln(alpha +
#' beta)} periods, the forecast of the variance k periods ahead \eqn{L + (\alpha + \beta)^{k-1}
#' (h_{n+1} - L)}{L + (alpha + beta)^(k-1) (h_(n+1) - L)}, L that of the long run.
#'
#' @section How it is computed: The Broyden-Fletcher-Goldfarb-Shanno method on the likelihood with
#'   its exact gradient, from the best four of a grid of twenty starts, on returns scaled to
#'   variance 1. Standard errors from the observed information.
#'
#' @param returns A returns table, or a price table, whose simple returns are taken.
#' @param innovations `"normal"` or `"student"`, or both.
#' @param per_year Periods a year, of all securities; by default each its own, see
#'   [measure_volatility()].
#' @param object,x A result of `fit_garch()`.
#' @param horizon Up to how many periods, or what time, ahead.
#' @param confidence Of the intervals of `tidy()`: the estimate and as many standard errors to
#'   either side, within the bounds of the parameter.
#' @param ... Must be empty.
#' @return `fit_garch()`: a table, one row for each security and kind of innovations: `security`,
#'   `from`, `to`, `n`, `volatility` and `volatility_annual` (of the period after the last
#'   return), `long_run` and `long_run_annual`, `persistence` (alpha + beta), `half_life`
#'   (periods), `converged`, `log_likelihood`, the estimates `mean`, `omega`, `garch_alpha`,
#'   `garch_beta` and `nu`, `aic`, `bic`, `innovations`, and `state`: `"inside"`; `"at its limit"`
#'   and of what: no clustering (alpha 0), a constant variance, beta 0, omega 0, persistence 1
#'   (then there is no `long_run`), normal innovations (`nu` is infinite); or `"failed: "` and why
#'   (fewer than 20 returns, constant ones, a search without end), with `NA`, `converged` `FALSE`
#'   and a warning. What is fixed at a limit has no error, the others have those of the model that
#'   is left, where the likelihood has any. No fit is less likely than its limits.
#'
#'   `tidy()`: the parameters, a row for each `term`, with `estimate`, `std.error`,
#'   `conf.low` and `conf.high`.
#'   `glance()`: the quality of fit. `predict()`: `volatility` of each period ahead, and
#'   `volatility_over` all of them up to there. [volatility_series()] gives the fitted path.
#' @references Bollerslev (1986), Generalized autoregressive conditional heteroskedasticity,
#'   Journal of Econometrics 31; Bollerslev (1987), Review of Economics and Statistics 69.
#' @eval concepts_in_docs("fit_garch")
#' @family fits
#' @examples
#' returns <- as_returns(read_prices(demo_file("bay.csv")), kind = "log")
#' fit <- fit_garch(returns[, c("BAYALL", "TARROW")], innovations = "student")
#' fit
#' generics::tidy(fit)
#' predict(fit, horizon = 5)
#' @export
fit_garch <- function(returns, innovations = "normal", per_year = NULL) {
  if (is_opened(returns)) return(over_blocks())
  returns <- take_returns(returns, held = "today")
  check_choice(innovations, "innovations", c("normal", "student"), several = TRUE)
  per_year <- check_per_year(per_year, returns)
  sample <- sample_of(returns$dates, returns$values)
  fits <- lapply(stats::setNames(nm = unique(innovations)), function(i) {
    fitted_garch(returns$values, i == "student")
  })
  parts <- Map(function(fit, innovations) {
    garch_columns(returns, sample, per_year, fit, innovations)
  }, fits, names(fits))
  columns <- stacked(unname(parts))
  warn_failed_fits(columns$security, paste0("garch (", columns$innovations, ")"), columns$state)
  result <- new_result(
    columns,
    "garch",
    returns_basis_later(
      returns,
      sample,
      per_year = per_year,
      choices = c(
        innovations = paste(names(fits), collapse = ", "),
        states_choice(columns$state, columns$security)
      )
    ),
    returns
  )
  attr(result, "fits") <- lapply(fits, function(fit) {
    lapply(fit, function(one) {
      if (is.matrix(one)) rownames(one) <- names(returns) else names(one) <- names(returns)
      one
    })
  })
  attr(result, "per_year") <- per_year
  result
}

# The limits at which a fit may end, by their bits in src/core/garch.h.
garch_limits <- c(alpha = 1L, beta = 2L, persistence = 4L, omega = 8L, normal = 16L)
limits_of <- function(bits) names(garch_limits)[bitwAnd(bits, garch_limits) > 0L]

# A fit of each column, with how it ended; what failed has no numbers.
fitted_garch <- function(values, student) {
  fit <- core_garch(values, student)
  fit$state <- garch_states(fit, values)
  failed <- has_failed(fit$state)
  fit$estimate[failed, ] <- NA_real_
  fit$log_likelihood[failed] <- NA_real_
  fit
}

# How each fit ended.
garch_states <- function(fit, values) {
  n <- colSums(!is.na(values))
  vapply(seq_along(fit$converged), function(j) {
    if (!fit$converged[j]) {
      return(paste(
        "failed:",
        if (n[j] < 20L) {
          sprintf("%s, 20 are wanted", count(n[[j]], "return"))
        } else if (is.na(fit$log_likelihood[j])) {
          "the returns do not differ"
        } else {
          "the search came to no end"
        }
      ))
    }
    bits <- limits_of(fit$limits[j])
    if (!length(bits)) return("inside")
    said <- c(
      if (all(c("alpha", "beta") %in% bits)) {
        "of a constant variance"
      } else {
        c(
          alpha = "of no clustering (alpha 0)",
          beta = "of beta 0"
        )[intersect(bits, c("alpha", "beta"))]
      },
      c(
        persistence = "of persistence 1",
        omega = "of omega 0",
        normal = "of normal innovations"
      )[intersect(bits, c("persistence", "omega", "normal"))]
    )
    sprintf("at its limit %s", paste(said, collapse = ", "))
  }, "")
}

# Of parameters at limits: those that are fixed there, and all from those that are free.
garch_fixed <- function(limits) {
  bits <- limits_of(limits)
  c(
    intersect(bits, c("alpha", "beta", "omega")),
    if ("persistence" %in% bits) if ("beta" %in% bits) "alpha" else "beta"
  )
}
garch_from_free <- function(limits) {
  bits <- limits_of(limits)
  function(free) {
    free <- as.list(free)
    for (name in intersect(bits, c("alpha", "beta", "omega"))) free[[name]] <- 0
    if ("persistence" %in% bits) {
      if ("beta" %in% bits) free$alpha <- 1 else free$beta <- 1 - free$alpha
    }
    free[intersect(garch_terms, names(free))]
  }
}

garch_columns <- function(returns, sample, per_year, fit, innovations) {
  at <- fit$estimate
  persistence <- at[, 3L] + at[, 4L]
  long_run <- ifelse(persistence < 1, sqrt(at[, 2L] / (1 - persistence)), NA_real_)
  now <- last_of(core_garch_path(returns$values, at))
  free <- if (innovations == "student") 5 else 4
  list(
    security = colnames(returns$values),
    from = sample$from,
    to = sample$to,
    n = sample$n,
    volatility = now,
    volatility_annual = now * sqrt(unname(per_year)),
    long_run = long_run,
    long_run_annual = long_run * sqrt(unname(per_year)),
    persistence = persistence,
    half_life = ifelse(persistence < 1, log(0.5) / log(pmin(persistence, 1)), Inf),
    converged = fit$converged,
    state = fit$state,
    log_likelihood = fit$log_likelihood,
    mean = at[, 1L],
    omega = at[, 2L],
    garch_alpha = at[, 3L],
    garch_beta = at[, 4L],
    nu = at[, 5L],
    aic = 2 * free - 2 * fit$log_likelihood,
    bic = log(sample$n) * free - 2 * fit$log_likelihood,
    innovations = rep(innovations, length(sample$n))
  )
}

garch_terms <- c("mean", "omega", "alpha", "beta", "nu")

#' @rdname fit_garch
#' @exportS3Method generics::tidy
tidy.imbroglio_garch <- function(x, confidence = 0.95, ...) {
  refuse_others(...)
  z <- stats::qnorm(1 - (1 - check_fraction(confidence, "confidence")) / 2)
  fits <- attr(x, "fits")
  securities <- rownames(fits[[1L]]$estimate)
  lowest <- c(-Inf, 0, 0, 0, 2)
  highest <- c(Inf, Inf, 1, 1, Inf)
  parts <- Map(function(fit, innovations) {
    k <- if (innovations == "student") 5L else 4L
    cells <- as.matrix(expand.grid(
      term = seq_len(k),
      row = seq_along(securities)
    ))[, 2:1, drop = FALSE]
    estimate <- fit$estimate[cells]
    error <- fit$error[cells]
    term <- cells[, 2L]
    list(
      security = securities[cells[, 1L]],
      innovations = rep(innovations, nrow(cells)),
      term = garch_terms[term],
      estimate = estimate,
      std.error = error,
      conf.low = pmax(estimate - z * error, lowest[term]),
      conf.high = pmin(estimate + z * error, highest[term])
    )
  }, fits, names(fits))
  rows <- tibble::as_tibble(stacked(unname(parts)))
  rows[paste(rows$security, rows$innovations) %in% paste(x$security, x$innovations), ]
}

#' @rdname fit_garch
#' @exportS3Method generics::glance
glance.imbroglio_garch <- function(x, ...) {
  refuse_others(...)
  table <- as.data.frame(x)
  tibble::as_tibble(c(
    table[c("security", "innovations")], glanced(table), table[c("converged", "state")]
  ))
}

#' @rdname fit_garch
#' @export
predict.imbroglio_garch <- function(object, horizon = 10L, ...) {
  refuse_others(...)
  horizon <- check_horizon(horizon, list(
    every = basis(object)$every, per_year = attr(object, "per_year")
  ))
  rows <- rep(seq_len(nrow(object)), each = horizon)
  ahead <- rep(seq_len(horizon), nrow(object))
  persistence <- object$persistence[rows]
  # Where nothing is lost of a shock, the variance grows by omega with each period.
  long_run <- ifelse(persistence < 1, object$long_run[rows]^2, 0)
  variance <- long_run + persistence^(ahead - 1) * (object$volatility[rows]^2 - long_run) +
    ifelse(persistence < 1, 0, (ahead - 1) * object$omega[rows])
  over <- stats::ave(variance, rows, FUN = cumsum)
  about <- basis(object)
  new_result(
    list(
      security = object$security[rows],
      innovations = object$innovations[rows],
      horizon = ahead,
      volatility = sqrt(variance),
      volatility_annual = sqrt(
        variance * unname(attr(object, "per_year")[object$security[rows]])
      ),
      volatility_over = sqrt(over)
    ),
    "garch_forecast",
    about,
    attr(object, "source")
  )
}
