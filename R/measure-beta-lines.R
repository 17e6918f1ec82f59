# The lines themselves: of one benchmark, or of several at once, with their errors.

lines_of <- function(beside, per_year, choices, together) {
  free <- paired_risk_free(beside$returns, choices$risk_free)
  returns <- free$returns
  rows <- besides(returns, c(beside$names, if (free$series) free$name))
  measure <- if (together && length(beside$names) > 1L) joint_lines else single_lines
  columns <- measure(returns, beside$names, rows, free, choices, per_year)
  exact <- list(
    risk_free = yearly_rate(choices$risk_free),
    confidence = choices$confidence,
    per_year = per_year
  )
  per_year <- columns$per_year
  n <- columns$n
  degrees <- n - if (together) length(beside$names) + 1L else 2L
  columns <- c(
    columns[c("security", "benchmark", "every", "from", "to", "n")],
    inference("beta", columns$beta, columns$beta_error, degrees, choices$confidence),
    list(alpha = columns$alpha, alpha_annual = columns$alpha * per_year),
    inference("alpha", columns$alpha, columns$alpha_error, degrees, choices$confidence)[-1L],
    list(
      r_squared = columns$r_squared,
      correlation = columns$correlation,
      residual_volatility = columns$residual,
      residual_volatility_annual = columns$residual * sqrt(per_year)
    ),
    if (!is.null(columns$up)) {
      list(
        beta_adjusted = (2 * columns$beta + 1) / 3,
        beta_up = columns$up,
        beta_down = columns$down
      )
    }
  )
  words <- c(
    benchmark = paste(beside$names, collapse = ", "),
    errors = choices$errors,
    if (choices$errors == "newey-west") c(lags = format(choices$lags %||% "by sample")),
    if (!is.null(free$name)) c("risk-free" = free$name),
    if (together) c(together = "yes")
  )
  result <- pair_result(
    Filter(Negate(is.null), columns),
    "beta",
    returns,
    rows,
    per_year,
    words,
    exact
  )
  attr(result, "line") <- c(
    free[c("rates", "series", "name", "rate_of")],
    choices["confidence"],
    list(per_year = per_year)
  )
  result
}

inference <- function(name, estimate, error, degrees, confidence) {
  degrees <- ifelse(degrees > 0, degrees, NA_real_)
  statistic <- estimate / error
  reach <- stats::qt(1 - (1 - confidence) / 2, degrees) * error
  stats::setNames(
    list(
      estimate,
      error,
      statistic,
      2 * stats::pt(-abs(statistic), degrees),
      estimate - reach,
      estimate + reach
    ),
    paste0(name, c("", "_error", "_t", "_p", "_low", "_high"))
  )
}

single_lines <- function(returns, benchmarks, rows, free, choices, per_year) {
  lags <- if (choices$errors == "ordinary") -1L else choices$lags %||% -2L
  parts <- lapply(benchmarks, function(b) {
    shared <- shared_frequency(returns, rows, b, per_year)
    line <- by_rate(free, shared$per_year, function(rates, those) {
      core_line(
        returns$values,
        starts_of(returns),
        match(b, colnames(returns$values)) - 1L,
        rows[those],
        rates,
        free$start,
        spans_gaps(returns),
        returns$kind == "log",
        lags
      )
    })
    list(
      security = colnames(returns$values)[rows],
      benchmark = rep(b, length(rows)),
      every = unname(shared$every),
      per_year = unname(shared$per_year),
      from = returns$dates[line$first],
      to = returns$dates[line$last],
      n = line$n,
      beta = line$beta,
      beta_error = line$beta_error,
      alpha = line$alpha,
      alpha_error = line$alpha_error,
      r_squared = line$correlation^2,
      correlation = line$correlation,
      residual = line$residual,
      up = line$up,
      down = line$down
    )
  })
  stacked(parts)
}

# Runs work(rates, rows) on the rows of each number of periods a year, which have a risk-free
# return a period of their own.
by_rate <- function(free, per_year, work) {
  if (is.null(free$name) || free$series) return(work(free$rates, seq_along(per_year)))
  groups <- split(seq_along(per_year), per_year)
  if (length(groups) == 1L) return(work(free$rate_of(per_year[[1L]]), seq_along(per_year)))
  parts <- lapply(groups, function(those) work(free$rate_of(per_year[[those[1L]]]), those))
  in_order <- order(unlist(groups, use.names = FALSE))
  each <- stats::setNames(nm = names(parts[[1L]]))
  lapply(each, function(name) {
    columns <- lapply(parts, `[[`, name)
    if (is.matrix(columns[[1L]])) {
      do.call(cbind, columns)[, in_order, drop = FALSE]
    } else {
      unlist(columns, use.names = FALSE)[in_order]
    }
  })
}

# One regression on all benchmarks, by R's own decomposition, of values about their means.
joint_lines <- function(returns, benchmarks, rows, free, choices, per_year) {
  k <- length(benchmarks)
  with_series <- free$series
  parts <- lapply(rows, function(row) {
    columns <- c(
      row,
      match(benchmarks, colnames(returns$values)),
      if (with_series) match(free$name, colnames(returns$values))
    )
    both <- core_common(
      returns$values[, columns, drop = FALSE],
      starts_of(returns)[columns],
      spans_gaps(returns),
      returns$kind == "log"
    )
    shared <- shared_frequency(returns, row, benchmarks, per_year)
    values <- both$values - if (with_series) {
      both$values[, k + 2L]
    } else {
      free$rate_of(shared$per_year)
    }
    fit <- joint_line(values[, 1L], values[, 1L + seq_len(k), drop = FALSE], choices)
    list(
      security = rep(colnames(returns$values)[row], k),
      benchmark = benchmarks,
      every = rep(unname(shared$every), k),
      per_year = rep(unname(shared$per_year), k),
      from = rep(returns$dates[both$row[1L]], k),
      to = rep(returns$dates[both$row[length(both$row)]][1L], k),
      n = rep(nrow(values), k),
      beta = fit$beta,
      beta_error = fit$beta_error,
      alpha = rep(fit$alpha, k),
      alpha_error = rep(fit$alpha_error, k),
      r_squared = rep(fit$r_squared, k),
      residual = rep(fit$residual, k)
    )
  })
  stacked(parts)
}

joint_line <- function(y, x, choices) {
  n <- length(y)
  k <- ncol(x)
  none <- list(
    beta = rep(NA_real_, k),
    beta_error = rep(NA_real_, k),
    alpha = NA_real_,
    alpha_error = NA_real_,
    r_squared = NA_real_,
    residual = NA_real_
  )
  if (n <= k + 1L) return(none)
  means <- colMeans(x)
  off <- sweep(x, 2L, means)
  scale <- sqrt(colSums(off^2))
  fit <- qr(sweep(off, 2L, scale, `/`))
  if (any(scale == 0) || fit$rank < k) return(none)
  slopes <- qr.coef(fit, y - mean(y)) / scale
  e <- qr.resid(fit, y - mean(y))
  inverse <- chol2inv(qr.R(fit))[order(fit$pivot), order(fit$pivot), drop = FALSE] /
    tcrossprod(scale)
  variance <- sum(e^2) / (n - k - 1)
  # Of the intercept at the means, and the slopes.
  bread <- rbind(cbind(1 / n, matrix(0, 1L, k)), cbind(matrix(0, k, 1L), inverse))
  covariance <- variance * bread
  if (choices$errors == "newey-west") {
    g <- e * cbind(1, off)
    lags <- min(choices$lags %||% floor(4 * (n / 100)^(2 / 9)), n - 1)
    meat <- crossprod(g)
    for (lag in seq_len(lags)) {
      both <- crossprod(g[-seq_len(lag), , drop = FALSE], g[seq_len(n - lag), , drop = FALSE])
      meat <- meat + (1 - lag / (lags + 1)) * (both + t(both))
    }
    covariance <- bread %*% meat %*% bread
  }
  at_zero <- c(1, -means)
  list(
    beta = unname(slopes),
    beta_error = sqrt(diag(covariance)[-1L]),
    alpha = mean(y) - sum(slopes * means),
    alpha_error = sqrt(drop(at_zero %*% covariance %*% at_zero)),
    r_squared = 1 - sum(e^2) / sum((y - mean(y))^2),
    residual = sqrt(variance)
  )
}

# What a picture of a line shows: the points, and the band of its mean.
points_of_line <- function(result, line) {
  returns <- attr(result, "source")
  free <- attr(result, "line")
  series <- free$series
  columns <- match(
    c(line$security, line$benchmark, if (series) free$name),
    colnames(returns$values)
  )
  common <- core_common(
    returns$values[, columns, drop = FALSE],
    starts_of(returns)[columns],
    spans_gaps(returns),
    returns$kind == "log"
  )
  both <- common$values
  less <- if (series) both[, 3L] else free$rate_of(free$per_year[1L])
  data.frame(
    x = both[, 2L] - less,
    y = both[, 1L] - less,
    row.names = core_iso_days(returns$dates[common$row])
  )
}

band_of_line <- function(points, line, ends, confidence) {
  x <- seq(ends[1L], ends[2L], length.out = 101L)
  centre <- mean(points$x)
  error <- line$residual_volatility * sqrt(
    1 / line$n + (x - centre)^2 / sum((points$x - centre)^2)
  )
  y <- line$alpha + line$beta * x
  away <- stats::qt(1 - (1 - confidence) / 2, line$n - 2) * error
  data.frame(x = x, y = y, low = y - away, high = y + away)
}
