# Drawn paths, and the errors of what is measured of them.

block_kinds <- c("none", "fixed", "stationary")

# How paths are drawn from n days.
drawing <- function(n, h, blocks, request) {
  block_length <- if (blocks == "none") 1 else request$block %||% max(1, round(n^(1 / 3)))
  if (blocks == "fixed") block_length <- max(1, round(block_length))
  if (block_length > n) {
    fail(
      "argument",
      sprintf("A block of %s is longer than the history.", format(block_length)),
      where = sprintf("It has %s.", count(n, "return"))
    )
  }
  list(
    days = n,
    horizon = as.integer(h),
    draws = request$draws,
    blocks = blocks,
    code = match(blocks, block_kinds) - 1L,
    length = block_length,
    seed = request$seed
  )
}

days_of_paths <- function(how, paths) {
  core_drawn_days(how$days, how$horizon, as.integer(paths), how$code, how$length, how$seed)
}

# Value at risk by the returns `r` over all drawn paths; `history`: the returns of the days that
# were drawn from.
of_draws <- function(r, how, request, history) {
  n <- length(r)
  most <- max(2 * n * (1 - request$level) + 9 * sqrt(n * (1 - request$level)) + 25)
  losses <- -core_worst(matrix(r), as.integer(min(n, most)))
  z <- stats::qnorm((1 + request$confidence) / 2) * c(-1, 1)
  columns_of_rows(lapply(seq_along(request$level), function(i) {
    a <- 1 - request$level[i]
    k <- core_rank_position(n, request$level[i], rank_code(request$rank))
    estimate <- at_rank(losses, k)
    beyond <- losses[seq_len(floor(k))]
    es <- mean(beyond)
    draw_error <- if (n > 1L) rank_error(losses, n, k) else NA
    es_draw_error <- shortfall_error(beyond, losses[min(n, floor(k) + 1)], a)
    request$level <- request$level[i]
    of_history <- if (how$horizon == 1L) {
      errors_of_history(history, request)
    } else {
      errors_by_days(r, losses, estimate, a, floor(k), how)
    }
    if (too_few_drawn(how, request$level)) of_history[] <- NA_real_
    error <- sqrt(of_history[1:2]^2 + c(draw_error, es_draw_error)^2)
    ends <- if (how$horizon == 1L) {
      estimate + c(-1, 1) * sqrt(of_history[3:4]^2 + (z * draw_error)^2)
    } else {
      interval_above_zero(estimate, error[1L], request$confidence)
    }
    c(
      n = how$days,
      var = estimate,
      es = es,
      var_error = error[1L],
      es_error = error[2L],
      var_low = ends[[1L]],
      var_high = ends[[2L]],
      draw_error = draw_error
    )
  }))
}

# Of one period the paths are the days themselves: their errors, and how far the interval reaches
# to either side.
errors_of_history <- function(history, request) {
  request$log <- FALSE
  tail <- tail_of_samples(matrix(history), request)
  c(tail$var_error, tail$es_error, tail$var - tail$var_low, tail$var_high - tail$var)
}

# Blocks that begin near each other share days. The weights of their covariances are 1 over the
# length of a block, and fall to 0 over another (Politis and Romano 1995); blocks of random length
# are often twice as long as their mean.
lags_of_blocks <- function(how) {
  flat <- c(none = 0, fixed = 1, stationary = 2)[[how$blocks]] * how$length
  lags <- if (flat > 0) seq_len(min(ceiling(2 * flat) - 1, how$days %/% 4)) else integer()
  list(lags = lags, weights = pmin(1, 2 - lags / flat))
}

# The infinitesimal jackknife: had a day of the history (or the block that begins with it) been a
# little more likely, the tail would have grown by how often the paths in it drew that day. What
# is due to the number of draws is taken off, unless nothing were left.
errors_by_days <- function(r, losses, estimate, a, k, how) {
  tail <- which(r <= -estimate)
  n <- how$days
  draws <- length(r)
  if (n < 2L || !length(tail) || length(tail) == draws) return(c(NA_real_, NA_real_))
  begun <- core_begun_days(
    n, how$horizon, tail, -r[tail] - estimate, how$code, how$length, how$seed
  )
  beside <- lags_of_blocks(how)
  lags <- beside$lags
  weights <- beside$weights
  spread <- function(drawn, total, squares) {
    moved <- (n * drawn - total) / draws
    summed <- sum(moved^2) - n^2 * squares / draws^2
    # After the last day comes the first. What the days moved adds up to nothing, which takes as
    # much from the sum of the covariances as these weights are of all.
    for (i in seq_along(lags)) {
      summed <- summed +
        2 * weights[i] * sum(moved * moved[(seq_len(n) + lags[i] - 1L) %% n + 1L])
    }
    sqrt(if (summed > 0) summed / (1 - (1 + 2 * sum(weights)) / n) else sum(moved^2)) / n
  }
  # The density at the quantile, from half as many paths to half as many again.
  ranks <- c(max(1, round(k / 2)), min(length(losses), max(2, round(1.5 * k))))
  per_density <- (losses[ranks[1L]] - losses[ranks[2L]]) / diff(ranks) * draws
  whole <- sum(begun$count)
  es <- if (losses[1L] > estimate) {
    spread(begun$weighed, begun$sum, begun$squares) / a
  } else {
    NA_real_
  }
  c(spread(begun$count, whole, whole) * per_density, es)
}
