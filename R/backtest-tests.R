# The tests of a value at risk that was breached so many times. `a` is the chance of a breach on
# one day.

log_share <- function(count, of, share) {
  ifelse(count == 0, 0, count * log(share)) + ifelse(count == of, 0, (of - count) * log1p(-share))
}

# Twice the difference of log-likelihoods: breaches as often as they were, or as they should be.
kupiec_ratio <- function(breaches, n, a) {
  2 * (log_share(breaches, n, breaches / n) - log_share(breaches, n, a))
}

# All numbers of breaches that are no likelier than the one seen.
exact_p <- function(breaches, n, a) {
  p <- rep(NA_real_, length(n))
  for (size in unique(n[n > 0])) {
    chance <- stats::dbinom(0:size, size, a)
    these <- which(n == size)
    seen <- unique(breaches[these])
    of_seen <- vapply(seen, function(x) {
      min(1, sum(chance[chance <= chance[x + 1] * (1 + 1e-7)]))
    }, 0)
    p[these] <- of_seen[match(breaches[these], seen)]
  }
  p
}

# The chance that a line with three times as many breaches is rejected at 5 %.
told_of_thrice <- function(n, a) {
  mapply(function(n, a) {
    if (is.na(n) || n < 1L) return(0)
    most <- min(n, stats::qbinom(1 - 1e-9, n, min(3 * a, 1)) + 1L)
    seen <- 0:most
    sum(stats::dbinom(seen, n, min(3 * a, 1))[exact_p(seen, rep(n, length(seen)), a) < 0.05])
  }, n, a)
}

# Breaches after a breach as often as after none. `follow`: none-none, none-breach, breach-none,
# breach-breach.
independence_ratio <- function(follow) {
  calm <- follow[, 1L] + follow[, 2L]
  after <- follow[, 3L] + follow[, 4L]
  every_day <- follow[, 2L] + follow[, 4L]
  ratio <- 2 *
    (log_share(follow[, 2L], calm, follow[, 2L] / calm) +
      log_share(follow[, 4L], after, follow[, 4L] / after) -
      log_share(every_day, calm + after, every_day / (calm + after)))
  # Without a breach that could be followed there is nothing to tell apart.
  ifelse(calm + after > 0, ifelse(after == 0 | calm == 0, 0, pmax(ratio, 0)), NA_real_)
}

by_chi_squared <- function(ratio, degrees) stats::pchisq(ratio, degrees, lower.tail = FALSE)

# Breaches of a run from which it is yellow, and red: 5 and 10 of 250 days at 99 %.
zone_limits <- function(days, a) as.integer(stats::qbinom(c(0.95, 0.9999), days, a))

zone_names <- c("green", "yellow", "red")

# How likely losses beyond the value at risk as large as were seen are, where each breach has the
# chance a, and its excess over the value at risk is exponential with the mean that the expected
# shortfall gives it: then the sum of k of them is of the gamma distribution. `sum`: of loss over
# expected shortfall.
shortfall_p <- function(total, n, a, var_to_es) {
  mapply(function(total, n, v) {
    if (!is.finite(total) || !is.finite(v) || v < 0 || v >= 1 || n == 0) return(NA_real_)
    if (total <= 0) return(1)
    most <- stats::qbinom(1e-14, n, a, lower.tail = FALSE)
    k <- seq_len(max(most, ceiling(total / v)))
    k <- k[k <= n]
    sum(
      stats::dbinom(k, n, a) * stats::pgamma(
        pmax(0, (total - v * k) / (1 - v)),
        k,
        lower.tail = FALSE
      )
    )
  }, total, n, var_to_es)
}
