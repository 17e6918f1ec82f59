# What the shares of a split err by: the book's days drawn anew, in blocks that keep what leans on
# the days before, and each share measured again.

share_columns <- c(
  "share_error", "share_low", "share_high", "share_near_low", "share_near_high", "share_smooth"
)
split_draws <- 200L

# A row for each holding.
shares_drawn <- function(book, record, request) {
  X <- book$r
  n <- nrow(X)
  k <- ncol(X)
  nothing <- list(
    error = rep(NA_real_, k),
    low = rep(NA_real_, k),
    high = rep(NA_real_, k)
  )
  if (n < 40L || k < 2L) return(nothing)
  # Fewer paths for each, where paths are drawn: what the share errs by is mostly of the days.
  request$draws <- min(request$draws, 2000L)
  request$column <- 1L
  size <- ceiling(n^(1 / 3))
  shares <- with_seed(request$seed, {
    vapply(seq_len(split_draws), function(i) {
      starts <- sample.int(n, ceiling(n / size), replace = TRUE)
      days <- (rep(starts, each = size) + seq_len(size) - 2L) %% n + 1L
      again <- book
      again$r <- X[days[seq_len(n)], , drop = FALSE]
      shares_of(again, record, request)
    }, numeric(k))
  })
  shares <- matrix(shares, k)
  known <- colSums(!is.finite(shares)) == 0L
  if (sum(known) < split_draws / 2) return(nothing)
  ends <- apply(shares[, known, drop = FALSE], 1L, stats::quantile, c(0.025, 0.975), names = FALSE)
  list(
    error = apply(shares[, known, drop = FALSE], 1L, stats::sd),
    low = ends[1L, ],
    high = ends[2L, ]
  )
}

shares_of <- function(book, record, request) {
  measured <- suppressWarnings(measured_held(book, record, request, matrix(book$weights)))
  whole <- c(measured$var[1L], measured$es[1L])
  if (!isTRUE(whole[1L] > 0)) return(rep(NA_real_, length(book$weights)))
  book$weights * record$slopes(book, whole, measured, request)$var / whole[1L]
}

# Of a split that rests on one day: what the five days on either side of it in rank give, and what
# the normal's formula does.
shares_near <- function(book, whole, request) {
  w <- book$weights
  R <- as.vector(book$r %*% w)
  worst <- order(R)
  at <- which.min(abs(-R[worst] * request$scale - whole[1L]))
  near <- worst[seq(max(1L, at - 5L), min(length(R), at + 5L))]
  near <- near[R[near] < 0]
  parts <- t(book$r[near, , drop = FALSE]) * w
  shares <- sweep(parts, 2L, R[near], `/`)
  smooth <- w * by_regression(book, whole, request$h)$var / whole[1L]
  list(
    low = if (length(near)) apply(shares, 1L, min) else rep(NA_real_, length(w)),
    high = if (length(near)) apply(shares, 1L, max) else rep(NA_real_, length(w)),
    smooth = smooth
  )
}
