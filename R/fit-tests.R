# How far returns lie from a fitted family, and whether they lie further than draws from it do.
distance_names <- c(KS = "ks", AD = "ad", CvM = "cvm")

# What is measured of each fit on the returns it was fitted to, and by draws; a list of columns.
tests_of <- function(records, fits, values, by, test_draws, stop_after, seed) {
  columns <- c(
    outer(c("", "_p", "_p_textbook"), distance_names, function(a, b) paste0(b, a)),
    "tail",
    "jarque_bera",
    "jarque_bera_p",
    "quantile_1",
    "observed_1",
    "quantile_01",
    "observed_01",
    "draws"
  )
  cells <- length(records) * ncol(values)
  tested <- matrix(NA_real_, cells, length(columns), dimnames = list(NULL, columns))
  bar <- progress_bar("Testing fits", total = cells, clear = TRUE)
  sorted <- lapply(seq_len(ncol(values)), function(j) sort(values[, j]))
  for (f in seq_along(records)) {
    for (j in seq_along(sorted)) {
      row <- (f - 1L) * ncol(values) + j
      fit <- fit_of_security(fits[[f]], records[[f]], j)
      at <- as.list(fit$at)
      x <- sorted[[j]]
      if (!has_failed(fit$state)) {
        observed <- distances_at(fit$record, x, at)
        tested[row, c(distance_names, "tail")] <- observed$distance
        tested[row, paste0(distance_names, "_p_textbook")] <- observed$textbook
        tested[row, c("quantile_1", "quantile_01")] <- fit$record$quantile(
          log(c(0.01, 0.001)),
          at
        )
        tested[row, c("observed_1", "observed_01")] <- x[pmax(
          1,
          floor(length(x) * c(0.01, 0.001) + 0.5)
        )]
        if (isTRUE(records[[f]]$jarque_bera)) {
          tested[row, c("jarque_bera", "jarque_bera_p")] <- jarque_bera(x)
        }
        if (test_draws) {
          own_seed <- seed_of_fit(
            list(security = colnames(values)[j], family = names(records)[f]),
            seed
          )
          again <- function(first, draws) {
            records[[f]]$refitted(at, length(x), by, first, draws, own_seed, fit$limit)
          }
          simulated <- p_by_draws(again, observed$distance[1:3], test_draws, stop_after)
          tested[row, c(paste0(distance_names, "_p"), "draws")] <- c(simulated$p, simulated$draws)
        }
      }
      progress_step(bar)
    }
  }
  progress_done(bar)
  columns <- lapply(stats::setNames(nm = columns), function(name) unname(tested[, name]))
  columns$draws <- as.integer(columns$draws)
  columns
}

# Each fit draws from a stream of its own.
seed_of_fit <- function(fit, seed) digest::digest2int(paste(fit$security, fit$family), seed)

distances_at <- function(record, x, at) {
  below <- record$log_tail(x, at, TRUE)
  # The other side from this one, but where this one is rounded to 1.
  above <- log_rest(below)
  high <- below > -log(2)
  above[high] <- record$log_tail(x[high], at, FALSE)
  # The ends of a density that has some, as near to 0 and 1 as those of draws are taken.
  below[below == -Inf] <- log(1e-300)
  above[above == -Inf] <- log(1e-16)
  distance <- core_distances(below, above)
  u <- exp(below)
  list(
    distance = distance,
    textbook = c(
      suppressWarnings(stats::ks.test(u, stats::punif)$p.value),
      ad_textbook(distance[2L]),
      cvm_textbook(distance[3L])
    )
  )
}

# Of a distribution known beforehand, for long samples: Marsaglia and Marsaglia (2004).
ad_textbook <- function(z) {
  by_powers <- function(coefficients, z) sum(coefficients * z^(seq_along(coefficients) - 1))
  if (z <= 0) return(1)
  below <- if (z < 2) {
    exp(-1.2337141 / z) / sqrt(z) * by_powers(
      c(2.00012, 0.247105, -0.0649821, 0.0347962, -0.011672, 0.00168691),
      z
    )
  } else {
    exp(
      -exp(by_powers(c(1.0776, -2.30695, 0.43424, -0.082433, 0.008056, -0.0003146), min(z, 32)))
    )
  }
  max(0, 1 - below)
}

# Csorgo and Faraway (1996).
cvm_textbook <- function(x) {
  j <- 0:20
  y <- (4 * j + 1)^2 / (16 * x)
  series <- exp(lgamma(j + 0.5) - lgamma(0.5) - lgamma(j + 1) - 2 * y) *
    sqrt(4 * j + 1) *
    besselK(y, 0.25, expon.scaled = TRUE)
  min(1, max(0, 1 - sum(series) / (pi * sqrt(x))))
}

jarque_bera <- function(x) {
  moments <- core_moments(matrix(x), FALSE, FALSE)
  size <- length(x) / 6 * (moments$skewness^2 + moments$kurtosis^2 / 4)
  c(size, stats::pchisq(size, 2, lower.tail = FALSE))
}

# The share of draws as far as observed, one test for each distance; Besag and Clifford's (1991)
# end of each when `stop_after` were.
p_by_draws <- function(again, observed, most, stop_after) {
  p <- rep(NA_real_, length(observed))
  as_far <- rep(0L, length(observed))
  made <- used <- 0L
  while (made < most && anyNA(p)) {
    draws <- min(128L, most - made)
    distances <- again(made, draws)[, seq_along(observed), drop = FALSE]
    made <- made + draws
    distances <- distances[!is.na(distances[, 1L]), , drop = FALSE]
    for (test in which(is.na(p))) {
      far <- as_far[test] + cumsum(distances[, test] >= observed[test])
      ended <- which(far >= stop_after)
      if (length(ended)) {
        p[test] <- stop_after / (used + ended[1L])
      } else if (length(far)) {
        as_far[test] <- far[length(far)]
      }
    }
    used <- used + nrow(distances)
  }
  open <- is.na(p)
  if (used) p[open] <- (as_far[open] + 1) / (used + 1)
  list(p = p, draws = used)
}

# Where a sample that ascends and a fitted distribution function are furthest apart, on either
# side of a step.
largest_distance <- function(record, x, at) {
  n <- length(x)
  u <- exp(record$log_tail(x, at))
  above <- seq_len(n) / n - u
  below <- u - (seq_len(n) - 1) / n
  up <- max(above) > max(below)
  k <- if (up) which.max(above) else which.max(below)
  data.frame(x = x[k], fitted = u[k], observed = if (up) k / n else (k - 1) / n)
}

# For the ranks `places` of n uniform numbers: the logarithms of the bounds within which 95 of 100
# samples stay at all of these ranks, by 1,000 samples.
joint_band <- function(n, places, seed) {
  draws <- with_seed(
    if (is.na(seed)) 1L else seed,
    vapply(seq_len(1000L), function(i) {
      u <- sort(stats::runif(n))[places]
      p <- stats::pbeta(u, places, n + 1 - places)
      min(p, 1 - p)
    }, 0)
  )
  each <- stats::quantile(draws, 0.05, names = FALSE)
  list(
    low = log(stats::qbeta(each, places, n + 1 - places)),
    high = log(stats::qbeta(1 - each, places, n + 1 - places))
  )
}
