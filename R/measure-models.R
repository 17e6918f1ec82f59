# The verbs that R has for models, of the results that are estimates.

#' Verbs of models
#'
#' A line of [measure_beta()], a fit of [fit_returns()] and one of [fit_garch()] answer to the
#' verbs that R has for models. `coef()` takes several rows, and gives a matrix of them; the others
#' are of one row: pick it first. [tidy()][generics::tidy] is of every result that has errors.
#'
#' * `coef()`: alpha and beta; the parameters. `confint()`: their intervals, for normal errors on
#'   the scale that `tidy()` takes, by the t-distribution of a line.
#' * `vcov()`: of a line by least squares, or by Newey and West as its errors were; of the others
#'   the standard errors with the correlations of the inverse of the second derivatives of the
#'   likelihood (which are taken numerically), where no parameter is at a limit.
#' * `logLik()`, and so `AIC()` and `BIC()`; of a line that of normal residuals. `nobs()`.
#' * `fitted()`, `residuals()`, [augment()][generics::augment]: of a line the return that its
#'   benchmark explains, and the rest; of GARCH the mean, the rest, and `.sigma`, the volatility of
#'   the period.
#' * `predict()`: of a line the mean return of the security for returns of the benchmark, with the
#'   interval of the mean; of the fits see there.
#'
#' `tidy()` has a row for each estimate: what it is of, `term`, `estimate`, `std.error`, `conf.low`
#' and `conf.high` where there is an interval, `statistic` and `p.value` where there is a test.
#' What has no sound error has none here.
#'
#' @param object,x A result; of all but `coef()` and `tidy()` one row.
#' @param parm Names of parameters; all where absent.
#' @param level The confidence of the intervals.
#' @param newdata Returns of the benchmark, as fractions.
#' @param ... Must be empty.
#' @return As the generic function has it; `fitted()` and `residuals()` are named by date.
#' @section Errors: `imbroglio_error_argument` for several rows, for a rolling result, and for what
#'   a result does not have; `imbroglio_error_working` where a likelihood has no second
#'   derivatives.
#' @family what a result is
#' @examples
#' prices <- read_prices(demo_file("bay.csv"))
#' line <- measure_beta(prices[, c("TARROW", "BAYALL")], "BAYALL")
#' coef(line)
#' confint(line)
#' predict(line, newdata = c(-0.02, 0.02))
#' fit <- fit_returns(prices[, "TARROW"], "student", test_draws = 0)
#' vcov(fit)
#' AIC(fit)
#' generics::tidy(measure_volatility(prices[, c("TARROW", "BAYALL")]))
#' @name models
NULL

# One row, of which there is a model.
one_model <- function(x, what) {
  if (nrow(x) != 1L) {
    fail_in_r(
      "argument",
      sprintf("`%s` is of one row; this has %s.", what, count(nrow(x))),
      remedy = "Pick one, such as x[1, ]."
    )
  }
  if (!is.null(x[["window"]])) {
    fail_in_r("argument", sprintf("A rolling result has no one line for `%s`.", what))
  }
  refuse_without_data(x, sprintf("`%s`", what))
  table_again(x)
}

# The parameters of a row: estimates and errors by their names.
parameters_of_row <- function(x) {
  if (inherits(x, "imbroglio_beta")) {
    return(list(
      estimate = c(alpha = x[["alpha"]], beta = x[["beta"]]),
      error = c(alpha = x[["alpha_error"]], beta = x[["beta_error"]])
    ))
  }
  rows <- as.data.frame(generics::tidy(x))
  list(
    estimate = stats::setNames(rows$estimate, rows$term),
    error = stats::setNames(rows$std.error, rows$term)
  )
}

coef_of <- function(object) {
  if (!is.null(object[["window"]])) fail_in_r("argument", "A rolling result has no one line.")
  object <- table_again(object)
  each <- lapply(seq_len(nrow(object)), function(i) parameters_of_row(object[i, ])$estimate)
  if (length(each) == 1L) return(each[[1L]])
  terms <- unique(unlist(lapply(each, names)))
  of <- intersect(c("benchmark", "family", "innovations", "span"), names(object))
  labels <- do.call(paste, c(as.list(as.data.frame(object)[c("security", of)])))
  table <- t(vapply(each, function(one) one[terms], numeric(length(terms))))
  matrix(table, length(each), dimnames = list(labels, terms))
}

#' @rdname models
#' @importFrom stats coef
#' @export
coef.imbroglio_beta <- function(object, ...) coef_of(object)

#' @rdname models
#' @export
coef.imbroglio_fit <- function(object, ...) coef_of(object)

#' @rdname models
#' @export
coef.imbroglio_garch <- function(object, ...) coef_of(object)

confint_of <- function(object, parm, level) {
  object <- one_model(object, "confint")
  check_fraction(level, "level")
  if (inherits(object, "imbroglio_beta")) {
    of <- parameters_of_row(object)
    reach <- stats::qt((1 + level) / 2, object[["n"]] - 2) * of$error
    low <- of$estimate - reach
    high <- of$estimate + reach
  } else {
    rows <- as.data.frame(generics::tidy(object, confidence = level))
    low <- stats::setNames(rows$conf.low, rows$term)
    high <- rows$conf.high
  }
  tail <- (1 - level) / 2
  made <- cbind(low, high)
  dimnames(made) <- list(names(low), paste(format(100 * c(tail, 1 - tail), trim = TRUE), "%"))
  if (is.null(parm)) return(made)
  made[pick_terms(parm, rownames(made)), , drop = FALSE]
}

pick_terms <- function(parm, terms) {
  if (is.character(parm)) check_choice(parm, "parm", terms, several = TRUE)
  parm
}

#' @rdname models
#' @importFrom stats confint
#' @export
confint.imbroglio_beta <- function(object, parm = NULL, level = 0.95, ...) {
  confint_of(object, parm, level)
}

#' @rdname models
#' @export
confint.imbroglio_fit <- function(object, parm = NULL, level = 0.95, ...) {
  confint_of(object, parm, level)
}

#' @rdname models
#' @export
confint.imbroglio_garch <- function(object, parm = NULL, level = 0.95, ...) {
  confint_of(object, parm, level)
}

#' @rdname models
#' @importFrom stats nobs
#' @export
nobs.imbroglio_result <- function(object, ...) {
  if (is.null(object[["n"]])) fail_in_r("argument", "This result has no number of observations.")
  object[["n"]]
}

likelihood_of_row <- function(value, n, free) {
  structure(value, df = free, nobs = n, class = "logLik")
}

#' @rdname models
#' @importFrom stats logLik
#' @export
logLik.imbroglio_fit <- function(object, ...) {
  object <- one_model(object, "logLik")
  # What is at a limit has the parameters of the plainer model, and is ranked so.
  free <- round((object$aic + 2 * object$log_likelihood) / 2)
  likelihood_of_row(object$log_likelihood, object$n, free)
}

#' @rdname models
#' @export
logLik.imbroglio_garch <- function(object, ...) {
  object <- one_model(object, "logLik")
  free <- round((object$aic + 2 * object$log_likelihood) / 2)
  likelihood_of_row(object$log_likelihood, object$n, free)
}

#' @rdname models
#' @export
logLik.imbroglio_beta <- function(object, ...) {
  object <- one_model(object, "logLik")
  e <- stats::residuals(object)
  n <- length(e)
  likelihood_of_row(-n / 2 * (log(2 * pi * sum(e^2) / n) + 1), n, 3)
}

# The returns of a line, less the risk-free one, by date.
line_points <- function(object) {
  if (!is.null(attr(object, "prices")) || isTRUE(choice_of(basis(object), "together") == "yes")) {
    fail_in_r(
      "argument",
      "Of lines that were measured together, or of several frequencies, the points are not kept.",
      remedy = "Measure the one line by itself."
    )
  }
  points <- points_of_line(object, as.list(as.data.frame(object)))
  stats::setNames(points, c("x", "y"))
}

#' @rdname models
#' @importFrom stats fitted
#' @export
fitted.imbroglio_beta <- function(object, ...) {
  object <- one_model(object, "fitted")
  points <- line_points(object)
  stats::setNames(object[["alpha"]] + object[["beta"]] * points$x, rownames(points))
}

#' @rdname models
#' @importFrom stats residuals
#' @export
residuals.imbroglio_beta <- function(object, ...) {
  object <- one_model(object, "residuals")
  points <- line_points(object)
  e <- points$y - object[["alpha"]] - object[["beta"]] * points$x
  stats::setNames(e, rownames(points))
}

series_of_row <- function(object) {
  source <- attr(object, "source")
  x <- source$values[, object$security]
  list(dates = source$dates[!is.na(x)], x = unname(x[!is.na(x)]))
}

# The volatility of each period by the parameters of a row; of the first it is the mean square.
garch_sigma <- function(x, at) {
  path <- core_garch_path(cbind(x), matrix(at, 1L))[, 1L]
  c(sqrt(mean((x - at[1L])^2)), path[-length(path)])
}

garch_at <- function(object) {
  c(object$mean, object$omega, object$garch_alpha, object$garch_beta,
    if (is.na(object$nu)) Inf else object$nu)
}

#' @rdname models
#' @export
fitted.imbroglio_garch <- function(object, ...) {
  object <- one_model(object, "fitted")
  own <- series_of_row(object)
  stats::setNames(rep(object$mean, length(own$x)), format(own$dates))
}

#' @rdname models
#' @export
residuals.imbroglio_garch <- function(object, ...) {
  object <- one_model(object, "residuals")
  own <- series_of_row(object)
  stats::setNames(own$x - object$mean, format(own$dates))
}

#' @rdname models
#' @exportS3Method generics::augment
augment.imbroglio_garch <- function(x, ...) {
  refuse_others(...)
  x <- one_model(x, "augment")
  own <- series_of_row(x)
  sigma <- garch_sigma(own$x, garch_at(x))
  e <- own$x - x$mean
  tibble::tibble(
    security = x$security, date = own$dates, return = own$x, .fitted = x$mean, .resid = e,
    .sigma = sigma, .std.resid = e / sigma
  )
}

#' @rdname models
#' @exportS3Method generics::augment
augment.imbroglio_beta <- function(x, ...) {
  refuse_others(...)
  x <- one_model(x, "augment")
  points <- line_points(x)
  fitted <- unname(stats::fitted(x))
  tibble::tibble(
    security = x$security, benchmark = x$benchmark, date = as.Date(rownames(points)),
    return = points$y, benchmark_return = points$x, .fitted = fitted, .resid = points$y - fitted
  )
}

#' @rdname models
#' @export
predict.imbroglio_beta <- function(object, newdata = NULL, level = 0.95, ...) {
  refuse_others(...)
  object <- one_model(object, "predict")
  check_fraction(level, "level")
  x <- newdata %||% line_points(object)$x
  if (!is.numeric(x) || !length(x)) {
    fail_in_r("argument", "`newdata` are returns of the benchmark, as fractions.",
         where = sprintf("It is %s.", shown(newdata)))
  }
  V <- stats::vcov(object)
  error <- sqrt(V[1L, 1L] + 2 * x * V[1L, 2L] + x^2 * V[2L, 2L])
  fitted <- object[["alpha"]] + object[["beta"]] * x
  reach <- stats::qt((1 + level) / 2, object[["n"]] - 2) * error
  tibble::tibble(
    benchmark_return = x, .fitted = fitted, .se.fit = error, .lower = fitted - reach,
    .upper = fitted + reach
  )
}

#' @rdname models
#' @exportS3Method generics::tidy
tidy.imbroglio_result <- function(x, ...) {
  refuse_others(...)
  table <- as.data.frame(x)
  terms <- sub("_error$", "", grep("_error$", names(table), value = TRUE))
  terms <- intersect(names(table), terms)
  if (!length(terms)) {
    fail_in_r("argument", sprintf("There is no estimate with an error in this: %s.",
                             lower_case(title_of_result(attr(x, "measure")))))
  }
  keys <- names(table)[vapply(names(table), function(n) isTRUE(known_columns()[[n]]$key), NA)]
  tibble::as_tibble(tidy_rows(table, keys, terms))
}

# A row for each term of each row of a table.
tidy_rows <- function(table, keys, terms) {
  of <- c(std.error = "_error", statistic = "_t", p.value = "_p", conf.low = "_low",
          conf.high = "_high")
  parts <- lapply(terms, function(term) {
    there <- of[paste0(term, of) %in% names(table)]
    cbind(
      table[keys],
      data.frame(term = rep(term, nrow(table)), estimate = table[[term]]),
      stats::setNames(table[paste0(term, there)], names(there))
    )
  })
  rows <- stacked(parts, ragged = TRUE)
  in_order <- order(rep(seq_len(nrow(table)), length(terms)))
  known <- intersect(c(keys, "term", "estimate", names(of)), names(rows))
  lapply(rows[known], `[`, in_order)
}
