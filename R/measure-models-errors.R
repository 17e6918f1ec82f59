# The covariance of the parameters of a line, a fit or GARCH.

#' @rdname models
#' @importFrom stats vcov
#' @export
vcov.imbroglio_beta <- function(object, ...) {
  object <- one_model(object, "vcov")
  X <- cbind(alpha = 1, beta = line_points(object)$x)
  e <- stats::residuals(object)
  inverse <- solve(crossprod(X))
  n <- nrow(X)
  made <- if (choice_of(basis(object), "errors") == "ordinary") {
    inverse * sum(e^2) / (n - 2)
  } else {
    inverse %*% bartlett(X * e, lags_of_line(basis(object), n)) %*% inverse
  }
  told <- parameters_of_row(object)$error
  if (!isTRUE(all.equal(sqrt(diag(made)), told, tolerance = 1e-6, check.attributes = FALSE))) {
    fail_in_r("working", "The covariance of the line does not come to its errors.")
  }
  dimnames(made) <- list(names(told), names(told))
  made
}

lags_of_line <- function(about, n) {
  lags <- suppressWarnings(as.integer(choice_of(about, "lags")))
  if (is.na(lags)) floor(4 * (n / 100)^(2 / 9)) else lags
}

# The sum of products of scores with those before them, weighted less the further they lie apart.
bartlett <- function(scores, lags) {
  n <- nrow(scores)
  whole <- crossprod(scores)
  for (lag in seq_len(min(lags, n - 1L))) {
    apart <- crossprod(
      scores[-seq_len(lag), , drop = FALSE], scores[seq_len(n - lag), , drop = FALSE]
    )
    whole <- whole + (1 - lag / (lags + 1)) * (apart + t(apart))
  }
  whole
}

# Standard errors that are known, with the correlations of the likelihood about its top.
covariance_by_likelihood <- function(object, likelihood) {
  told <- parameters_of_row(object)
  if (anyNA(told$error)) {
    fail_in_r(
      "argument", "A fit at a limit, or one that failed, has no covariance of all its parameters.",
      where = sprintf("Its state is \"%s\".", object$state)
    )
  }
  step <- pmax(told$error, 1e-12)
  H <- stats::optimHess(
    told$estimate / step, function(at) -likelihood(at * step), control = list(ndeps = rep(
      1e-3, length(step)
    ))
  )
  inverse <- tryCatch(solve(H), error = function(e) NULL)
  if (is.null(inverse) || any(diag(inverse) <= 0)) {
    fail_in_r("working", "The likelihood has no second derivatives at its top.")
  }
  made <- stats::cov2cor(inverse) * outer(told$error, told$error)
  dimnames(made) <- list(names(told$estimate), names(told$estimate))
  made
}

#' @rdname models
#' @export
vcov.imbroglio_fit <- function(object, ...) {
  object <- one_model(object, "vcov")
  fit <- fit_of_security(
    attr(object, "fits")[[object$family]], fit_families()[[object$family]], object$security
  )
  x <- series_of_row(object)$x
  covariance_by_likelihood(object, function(at) {
    sum(fit$record$log_density(x, as.list(stats::setNames(at, fit$record$parameters))))
  })
}

#' @rdname models
#' @export
vcov.imbroglio_garch <- function(object, ...) {
  object <- one_model(object, "vcov")
  x <- series_of_row(object)$x
  covariance_by_likelihood(object, function(at) {
    at <- c(unname(at), if (length(at) < 5L) Inf)
    sigma <- garch_sigma(x, at)
    z <- (x - at[1L]) / sigma
    nu <- at[5L]
    if (is.finite(nu)) {
      wide <- sqrt(nu / (nu - 2))
      sum(stats::dt(z * wide, nu, log = TRUE) + log(wide) - log(sigma))
    } else {
      sum(stats::dnorm(z, log = TRUE) - log(sigma))
    }
  })
}
