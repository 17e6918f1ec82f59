# What a fit says: its parameters, its criteria, its quantiles.

#' @rdname fit_returns
#' @exportS3Method generics::tidy
tidy.imbroglio_fit <- function(x, confidence = 0.95, ...) {
  refuse_others(...)
  rows <- parameters_of(x, confidence)
  names(rows) <- c(
    "security", "family", "term", "estimate", "std.error", "conf.low", "conf.high"
  )
  tibble::as_tibble(rows)
}

parameters_of <- function(x, confidence = 0.95) {
  x <- table_again(x)
  z <- stats::qnorm(1 - (1 - check_fraction(confidence, "confidence")) / 2)
  records <- fit_families()
  rows <- lapply(seq_len(nrow(x)), function(i) {
    fit <- fit_of_security(
      attr(x, "fits")[[x$family[i]]],
      records[[x$family[i]]],
      x$security[i]
    )
    estimate <- fit$at
    error <- fit$error
    above_zero <- fit$record$low %in% 0
    reach <- function(side) {
      unname(ifelse(
        above_zero,
        estimate * exp(side * z * error / estimate),
        estimate + side * z * error
      ))
    }
    list(
      security = rep(x$security[i], length(estimate)),
      family = rep(x$family[i], length(estimate)),
      term = names(estimate),
      estimate = unname(estimate),
      error = unname(error),
      low = reach(-1),
      high = reach(1)
    )
  })
  stacked(rows)
}

#' @rdname fit_returns
#' @exportS3Method generics::glance
glance.imbroglio_fit <- function(x, ...) {
  refuse_others(...)
  table <- as.data.frame(x)
  tibble::as_tibble(c(
    table[c("security", "family")], glanced(table),
    table[c("converged", "state", "ks", "ks_p", "ad", "ad_p", "cvm", "cvm_p")]
  ))
}

glanced <- function(table) {
  list(
    logLik = table$log_likelihood, AIC = table$aic, BIC = table$bic, nobs = table$n
  )
}

#' @rdname fit_returns
#' @export
predict.imbroglio_fit <- function(object, level = 0.99, ...) {
  refuse_others(...)
  level <- check_level(level)
  in_logs <- attr(object, "source")$kind == "log"
  records <- fit_families()
  rows <- rep(seq_len(nrow(object)), each = length(level))
  a <- 1 - rep(level, nrow(object))
  quantiles <- mapply(function(i, a) {
    fit <- fit_of_security(
      attr(object, "fits")[[object$family[i]]],
      records[[object$family[i]]],
      object$security[i]
    )
    if (anyNA(fit$at)) return(c(NA_real_, NA_real_))
    lower_tail(fit$record, as.list(fit$at), a, in_logs)
  }, rows, a)
  loss <- function(r) if (in_logs) -expm1(r) else -r
  new_result(
    list(
      security = object$security[rows],
      family = object$family[rows],
      level = 1 - a,
      quantile = quantiles[1L, ],
      var = loss(quantiles[1L, ]),
      es = quantiles[2L, ]
    ),
    "fit_quantiles",
    basis(object),
    attr(object, "source")
  )
}

# The quantile at a, and the mean loss of the returns from there down.
lower_tail <- function(record, at, a, in_logs) {
  centre <- record$moments(at)[[1L]]
  # The loss of a log return is below 1 whatever the tail.
  es <- if (!in_logs && !is.finite(centre)) {
    Inf
  } else if (!is.null(record$mean_below)) {
    -record$mean_below(log(a), at, at[[1L]], at[[2L]], in_logs)
  } else {
    mean_beyond(function(log_p) record$quantile(log_p, at), a, in_logs)
  }
  c(record$quantile(log(a), at), es)
}

# The mean loss beyond the quantile at a: the integral over s > 0 of the loss at the quantile of a
# exp(-s), times exp(-s).
mean_beyond <- function(quantile_of, a, in_logs) {
  loss <- function(s) {
    r <- quantile_of(log(a) - s)
    (if (in_logs) -expm1(r) else -r) * exp(-s)
  }
  pieces <- c(0, 1, 4, 16, 64, 256, 600)
  parts <- mapply(
    function(from, to) {
      stats::integrate(
        loss, from, to, rel.tol = 1e-10, subdivisions = 400L, stop.on.error = FALSE
      )$value
    },
    pieces[-length(pieces)],
    pieces[-1L]
  )
  sum(parts)
}
