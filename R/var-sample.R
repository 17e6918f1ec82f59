# Value at risk of a sample of returns by its order: what all empirical methods come down to.

rank_conventions <- c("nearest", "up", "down", "interpolate")

rank_code <- function(rank) match(rank, rank_conventions) - 1L

# A row for each column and level, levels fastest: value at risk, expected shortfall, their errors
# and the interval, the observation and its neighbours. `scale` stretches each return to the
# horizon.
tail_of_samples <- function(values, request, scale = 1) {
  measured <- core_historical_tail(
    values, request$level, rank_code(request$rank), request$log, scale
  )
  n <- measured$n[seq(1L, length(measured$n), length(request$level))]
  reach <- max(n) * max(1 - request$level)
  worst <- core_worst(values, as.integer(min(max(n, 1L), ceiling(reach + 9 * sqrt(reach)) + 25)))
  losses <- if (request$log) -expm1(worst * scale) else -worst * scale
  errors <- lapply(seq_along(request$level), function(i) {
    these <- seq(i, length(measured$n), length(request$level))
    errors_by_order(losses, n, 1 - request$level[i], measured$position[these], request$confidence)
  })
  # Levels fastest.
  errors <- lapply(stats::setNames(nm = names(errors[[1L]])), function(name) {
    as.vector(t(matrix(vapply(errors, `[[`, n + 0, name), length(n))))
  })
  c(
    measured[c("n", "var", "es", "position", "worse", "milder")],
    list(row = measured$row),
    errors
  )
}

# Of the k-th worst of n: the exact standard error over all resamples (Hutson and Ernst 2000), in
# which each order statistic has a weight of the beta distribution. `L` holds the largest of each
# column, the largest first, as many as have a weight.
rank_error <- function(L, n, k) {
  weight <- diff(stats::pbeta(0:nrow(L) / n, k, n - k + 1))
  sqrt(colSums(weight * (L - rep(colSums(weight * L), each = nrow(L)))^2))
}

# That, the interval between order statistics, and the least and the most that the conventions of
# rank give.
errors_by_order <- function(losses, n, a, position, confidence) {
  out <- matrix(NA_real_, length(n), 6L)
  for (size in unique(n[n > 1L])) {
    these <- which(n == size)
    m <- min(size, nrow(losses))
    L <- losses[seq_len(m), these, drop = FALSE]
    k <- position[these[1L]]
    out[these, 1L] <- rank_error(L, size, k)
    whole <- seq_len(floor(k))
    out[these, 2L] <- shortfall_error(
      L[whole, , drop = FALSE],
      if (floor(k) < m) L[floor(k) + 1, ],
      a
    )
    ends <- interval_ranks(size, a, confidence)
    for (side in 1:2) out[these, 2L + side] <- at_rank(L, ends[side])
    by_rank <- vapply(
      rank_conventions,
      function(rank) at_rank(L, core_rank_position(size, 1 - a, rank_code(rank))),
      numeric(length(these))
    )
    by_rank <- matrix(by_rank, length(these))
    out[these, 5L] <- do.call(pmin, as.list(as.data.frame(by_rank)))
    out[these, 6L] <- do.call(pmax, as.list(as.data.frame(by_rank)))
  }
  list(
    var_error = out[, 1L],
    es_error = out[, 2L],
    var_low = out[, 3L],
    var_high = out[, 4L],
    rank_least = out[, 5L],
    rank_most = out[, 6L]
  )
}

# Of the mean of the k worst losses (rows of `beyond`): given the next loss they are k draws from
# beyond it, whose variance has the divisor k - 1, and with the next loss their mean moves by as
# much as it is above it. Of a single one the tail is taken as exponential.
shortfall_error <- function(beyond, after, a, weight = rep(1, NROW(beyond))) {
  beyond <- as.matrix(beyond)
  weight <- weight / sum(weight)
  # How many equally weighted ones they are worth.
  k <- 1 / sum(weight^2)
  es <- colSums(weight * beyond)
  excess <- if (is.null(after)) 0 else es - after
  variance <- if (nrow(beyond) > 1L) {
    colSums(weight * (beyond - rep(es, each = nrow(beyond)))^2) * k / (k - 1)
  } else {
    excess^2 / 2
  }
  sqrt((variance + (1 - a) * excess^2) / k)
}

at_rank <- function(L, rank) {
  if (is.na(rank) || ceiling(rank) > nrow(L)) return(rep(NA_real_, ncol(L)))
  part <- rank - floor(rank)
  low <- L[floor(rank), ]
  if (part == 0) low else low + part * (L[floor(rank) + 1, ] - low)
}

# The ranks between which the a-quantile lies: of the lower loss, then of the higher. Between
# order statistics they are interpolated so that the interval has its confidence (Nyblom 1992).
# NA: beyond the sample.
interval_ranks <- function(n, a, confidence) {
  vapply(c((1 - confidence) / 2, (1 + confidence) / 2), function(p) {
    # P(at least r of n returns lie below the quantile) falls with r.
    r <- n - stats::qbinom(p, n, 1 - a)
    at_least <- function(r) stats::pbinom(r - 1, n, a, lower.tail = FALSE)
    while (r > 0 && at_least(r) < p) r <- r - 1
    while (r < n && at_least(r + 1) >= p) r <- r + 1
    if (r == 0 || r == n) return(NA_real_)
    above <- at_least(r) - p
    below <- p - at_least(r + 1)
    if (above <= 0) return(r)
    r + 1 / (1 + r * (1 - a) / ((n - r) * a) * below / above)
  }, 0)
}

# The same with weights: each return counts for its own, and their spread for how many they are
# worth. `x` is one sample, `weight` adds up to 1.
tail_of_weighted <- function(x, weight, request, scale = 1) {
  worst_first <- weighted_losses(x, weight, request, scale)
  losses <- worst_first$losses
  weight <- worst_first$weight
  total <- worst_first$total
  n <- length(x)
  worth <- 1 / sum(weight^2)
  rows <- lapply(1 - request$level, function(a) {
    tail <- weighted_tail(worst_first, a, request$rank)
    k <- tail[["position"]]
    whole <- seq_len(floor(k))
    at <- max(worth * a, 1e-6)
    share <- diff(stats::pbeta(pmin(c(0, total), 1), at, worth - at + 1))
    ends <- c((1 + request$confidence) / 2, (1 - request$confidence) / 2)
    low <- stats::qbeta(ends, at, worth - at + 1)
    ends <- vapply(low, function(p) losses[min(n, 1L + sum(total < p))], 0)
    # Where more than half of what is left of the confidence lies beyond the sample, nothing there
    # bounds the loss.
    if ((1 - a)^worth > (1 - request$confidence) / 2) ends[2L] <- NA
    c(
      n = n,
      tail,
      worse = if (k > 1) losses[ceiling(k) - 1L] else NA,
      milder = if (k < n) losses[floor(k) + 1L] else NA,
      row = if (k == floor(k)) worst_first$row[k] else NA,
      var_error = sqrt(sum(share * (losses - sum(share * losses))^2)),
      es_error = shortfall_error(
        losses[whole],
        if (floor(k) < n) losses[floor(k) + 1L],
        a,
        weight[whole]
      ),
      var_low = ends[1L],
      var_high = ends[2L]
    )
  })
  columns_of_rows(rows)
}

# `total`: of the weights, from the worst loss on.
weighted_losses <- function(x, weight, request, scale = 1) {
  in_order <- order(x)
  list(
    row = in_order,
    losses = as_loss(x[in_order] * scale, request$log),
    weight = weight[in_order],
    total = cumsum(weight[in_order])
  )
}

weighted_tail <- function(worst_first, a, rank) {
  k <- weighted_rank(worst_first$total, a, rank)
  whole <- seq_len(floor(k))
  c(
    var = at_rank(matrix(worst_first$losses), k),
    es = sum(worst_first$weight[whole] * worst_first$losses[whole]) / worst_first$total[floor(k)],
    position = k
  )
}

# With equal weights these are the four conventions of rank.
weighted_rank <- function(total, a, rank) {
  n <- length(total)
  slack <- 1e-9 * max(a, 1 / n)
  up <- min(n, 1L + sum(total < a - slack))
  down <- max(1L, sum(total <= a + slack))
  if (rank == "up") return(up)
  if (rank == "down") return(down)
  if (rank == "nearest") return(if (a - total[down] < total[up] - a - slack) down else up)
  before <- c(0, total[-n]) / total[n - 1L]
  stats::approx(before, seq_len(n), a, rule = 2, ties = "ordered")$y
}

as_loss <- function(r, in_logs) if (in_logs) -expm1(r) else -r
