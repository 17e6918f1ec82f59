# Are differences that are chance called so, and do the errors of falls, ratios and tracking hold
# what they say? Samples whose truth is known. Run with `make study`; writes bench/chance-study.md.
library(imbroglio)
RcppParallel::setThreadOptions(1L)
cores <- max(1L, parallel::detectCores() - 1L * (parallel::detectCores() > 4L))
drawn_garch <- function(n, k, omega, alpha, beta, nu) {
  x <- matrix(0, n, k)
  h <- rep(omega / (1 - alpha - beta), k)
  for (t in -500:n) {
    e <- sqrt(h) * stats::rt(k, nu) * sqrt((nu - 2) / nu)
    if (t > 0L) x[t, ] <- e
    h <- omega + alpha * e^2 + beta * h
  }
  x
}
worlds <- list(
  normal = function(n, k) matrix(stats::rnorm(n * k, 0, 0.01), n),
  "t(4)" = function(n, k) matrix(0.00707 * stats::rt(n * k, 4), n),
  "leaning by 0.2" = function(n, k) {
    x <- matrix(stats::rnorm((n + 50) * k, 0, 0.01), n + 50)
    apply(x, 2L, stats::filter, 0.2, "recursive")[-(1:50), , drop = FALSE]
  },
  "clustering" = function(n, k) drawn_garch(n, k, 2e-6, 0.08, 0.9, 6),
  "long memory" = function(n, k) drawn_garch(n, k, 1e-6, 0.05, 0.94, 1e6)
)
promised <- names(worlds)[1:4]
measures <- c(
  "volatility", "semi_deviation", "var", "es", "drawdown", "return", "sharpe", "sortino",
  "skewness", "beta", "correlation", "tracking_error"
)
lengths <- c(250L, 1000L, 2500L)
quietly <- function(code) suppressWarnings(suppressMessages(code))
table_of <- function(x) {
  as_returns(
    data.frame(date = as.Date("1990-01-01") + seq_len(nrow(x)), x),
    given = "returns", every = "day"
  )
}

# One pair of samples that do not differ, or whose first moves `stretch` times as much.
compared <- function(world, n, paired, i, stretch = 1, draws = 300L) {
  set.seed(i)
  z <- worlds[[world]](n, 4L)
  market <- z[, 1L]
  if (paired) {
    x <- data.frame(
      A = stretch * (market + 0.8 * z[, 2L]), B = market + 0.8 * z[, 3L],
      M = market + 0.5 * z[, 4L]
    ) + 3e-4
    returns <- table_of(x)
    found <- compare_measures(
      returns[, c("A", "M")], returns[, "B"], measures,
      benchmark = "M", per_year = 252, draws = draws, seed = i
    )
  } else {
    half <- seq_len(n) <= n / 2
    a <- (market + 0.8 * z[, 2L]) * ifelse(half, stretch, 1)
    returns <- table_of(data.frame(A = a, M = market) + 3e-4)
    found <- compare_measures(
      returns, at = returns$dates[n / 2 + 1], measures = measures, benchmark = "M",
      per_year = 252, draws = draws, seed = i
    )
  }
  stats::setNames(found$p, found$measure)
}
found_of_100 <- function(world, n, paired, samples, stretch = 1) {
  p <- parallel::mclapply(seq_len(samples), function(i) {
    quietly(compared(world, n, paired, i, stretch))
  }, mc.cores = cores)
  p <- do.call(rbind, p)
  row <- sprintf(
    "| %s | %s | %s | %s | %.0f |", if (paired) "paired" else "halves", world, n,
    paste(sprintf("%.1f", 100 * colMeans(p <= 0.05 & !is.na(p))), collapse = " | "),
    100 * mean(!is.na(p))
  )
  message(row)
  row
}
head_of <- function(names) {
  c(
    sprintf("| samples | world | returns | %s | with a p |", paste(names, collapse = " | ")),
    sprintf("|%s|", paste(rep("---", length(names) + 4L), collapse = "|"))
  )
}
several <- function(worlds, lengths, samples, stretch = 1) {
  cells <- expand.grid(
    world = worlds, n = lengths, paired = c(FALSE, TRUE), stringsAsFactors = FALSE
  )
  unlist(Map(function(world, n, paired) {
    found_of_100(world, n, paired, samples, stretch)
  }, cells$world, cells$n, cells$paired), use.names = FALSE)
}

# The errors: how many of 100 intervals of 1.96 errors hold the truth, and the mean error over what
# the estimates stray by.
errors_held <- function(world, n, samples = 300L) {
  set.seed(99L)
  long <- c(worlds[[world]](1e5, 20L)) + 3e-4
  low <- pmin(long, 0)
  truth <- c(
    semi_deviation = sqrt(mean(pmin(long - mean(long), 0)^2)), downside = sqrt(mean(low^2)),
    moment = -mean(low), sortino = mean(long) / sqrt(mean(low^2)),
    omega = mean(pmax(long, 0)) / -mean(low), pain = mean(long) / -mean(low)
  ) * sqrt(252)^c(1, 1, 0, 1, 0, 0)
  set.seed(n)
  x <- worlds[[world]](n, samples)
  beside <- worlds[[world]](n, samples)
  parts <- parallel::mclapply(split(seq_len(samples), seq_len(samples) %% cores), function(j) {
    returns <- table_of(x[, j] + 3e-4)
    quietly(cbind(
      as.data.frame(measure_downside(returns, per_year = 252, draws = 300L)),
      as.data.frame(measure_ratios(returns, per_year = 252, draws = 300L))[-(1:4)],
      do.call(rbind, lapply(j, function(i) {
        both <- table_of(data.frame(A = x[, i] + beside[, i] + 3e-4, M = beside[, i]))
        cbind(
          as.data.frame(measure_tracking(both, "M", per_year = 252, draws = 300L, total = FALSE))[
            c("active_return_annual", "active_annual_error", "tracking_error_annual",
              "tracking_annual_error", "information_ratio", "information_ratio_error")
          ],
          as.data.frame(measure_capture(both, "M"))[c("up_capture", "up_capture_error")]
        )
      }))
    ))
  }, mc.cores = cores)
  f <- do.call(rbind, parts)
  spread <- stats::sd(long)
  wanted <- list(
    c("semi_deviation_annual", "semi_annual_error", truth[[1L]]),
    c("downside_deviation_annual", "downside_annual_error", truth[[2L]]),
    c("partial_moment", "partial_error", truth[[3L]]),
    c("sortino_annual", "sortino_annual_error", truth[[4L]]),
    c("omega_ratio", "omega_error", truth[[5L]]),
    c("gain_to_pain", "gain_to_pain_error", truth[[6L]]),
    c("active_return_annual", "active_annual_error", 3e-4 * 252),
    c("tracking_error_annual", "tracking_annual_error", spread * sqrt(252)),
    c("information_ratio", "information_ratio_error", 3e-4 / spread * sqrt(252)),
    c("up_capture", "up_capture_error", NA),
    c("calmar", "calmar_error", NA),
    c("sterling", "sterling_error", NA)
  )
  cells <- vapply(wanted, function(w) {
    estimate <- f[[w[1L]]]
    error <- f[[w[2L]]]
    known <- mean(!is.na(error))
    if (known < 0.5) return("-")
    # Of what has no plain truth, the mean of all samples.
    at <- if (is.na(w[3L])) mean(estimate, na.rm = TRUE) else as.numeric(w[3L])
    sprintf(
      "%.0f (%.2f)", 100 * mean(abs(estimate - at) <= 1.96 * error, na.rm = TRUE),
      mean(error, na.rm = TRUE) / stats::sd(estimate[!is.na(error)])
    )
  }, "")
  row <- sprintf(
    "| %s | %d | %s | %.0f |", world, n, paste(cells, collapse = " | "),
    100 * mean(!is.na(f$semi_annual_error))
  )
  message(row)
  row
}

samples <- as.integer(Sys.getenv("SAMPLES", "300"))
sizes <- several(promised, lengths, samples)
beyond <- c(several(promised, 60L, samples), several("long memory", c(250L, 1000L), samples))
power <- several(promised, 1000L, samples %/% 2L, 1.3)
held <- unlist(lapply(names(worlds), function(w) {
  lapply(lengths, function(n) errors_held(w, n, samples))
}))
writeLines(c(
  "Differences and errors, made by `make study`.",
  "",
  sprintf(paste(
    "Of %d pairs of samples that do not differ, how many of 100 `compare_measures()` finds to",
    "differ at 5 %% (300 draws): two halves of one sample, or two series that share a part, on",
    "the same days. Worlds: normal; Student's t with 4 degrees of freedom; each return leaning by",
    "0.2 on the one before; volatility that clusters by GARCH with alpha 0.08, beta 0.9 and t(6).",
    "What has no p is not found to differ; the last column is how many of 100 have one, over all",
    "measures. A share of 5 of %d has a standard error of %.1f."
  ), samples, samples, 100 * sqrt(0.05 * 0.95 / samples)),
  "",
  head_of(measures),
  sizes,
  "",
  paste(
    "The same beyond what is promised: halves of 60, and a memory of 100 returns (GARCH with",
    "alpha 0.05, beta 0.94)."
  ),
  "",
  head_of(measures),
  beyond,
  "",
  "Power: the first moves 1.3 times as much (volatilities, value at risk and drawdowns differ).",
  "",
  head_of(measures),
  power,
  "",
  paste(
    "Errors of `measure_downside()`, `measure_ratios()`, `measure_tracking()` and",
    "`measure_capture()`: of 100 intervals of 1.96 errors to either side how many hold the truth,",
    "and the mean error over what the estimates stray by. A dash: most samples have no error, and",
    "a warning says why; the last column how many of 100 have one of the deviations."
  ),
  "",
  paste(
    "| world | returns | semi-deviation | downside deviation | partial moment | Sortino | Omega |",
    "gain to pain | active return | tracking error | information ratio | up capture | Calmar |",
    "Sterling | with an error |"
  ),
  sprintf("|%s|", paste(rep("---", 15L), collapse = "|")),
  held
), "bench/chance-study.md")
