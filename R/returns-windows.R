# Rolling windows: what is asked of them, and the rows and dates that they give.

# The rows of a rolling measure: one for each value that is there, in the order of the
# columns. `place` is how many values there are up to each cell, where these are not
# the security's own returns. `columns()` names security, window, from, to and n; `pick()`
# takes the same cells out of a matrix.
window_frame <- function(returns, place = NULL, securities = colnames(returns$values)) {
  days <- as.numeric(returns$dates)
  present <- if (is.null(place)) core_observed(returns$values) else colSums(place > 0L)
  whole <- all(present == length(days))
  cells <- if (whole) NULL else which(if (is.null(place)) !is.na(returns$values) else place > 0L)
  rows <- if (whole) rep(seq_along(days), length(present)) else (cells - 1L) %% length(days) + 1L
  inside <- sequence(present)
  security <- rep(securities, present)
  list(
    n = present,
    pick = function(m) if (whole) as.vector(m) else m[cells],
    columns = function(window) {
      n <- pmin(inside, window)
      list(
        security = security,
        window = rep(window, length(rows)),
        from = .Date(days[rows[seq_along(rows) - n + 1L]]),
        to = .Date(days[rows]),
        n = n
      )
    },
    # The date of the price before the first return of each window.
    price_before = function(window) {
      n <- pmin(inside, window)
      before <- days[rows[pmax(seq_along(rows) - n, 1L)]]
      start <- as.numeric(returns$start)[match(security, colnames(returns$values))]
      .Date(ifelse(inside > n, before, start))
    }
  )
}

check_windows <- function(window, min_obs, least = 2L, several = TRUE) {
  window <- check_whole(window, "window", least = least, several = several)
  enough <- if (is.null(min_obs)) {
    window
  } else {
    rep(check_whole(min_obs, "min_obs", least = least), length(window))
  }
  if (any(enough > window)) {
    fail(
      "argument",
      "`min_obs` cannot be more than the window.",
      where = sprintf("It is %s, for a window of %s.", max(enough), min(window))
    )
  }
  list(
    window = window,
    least = enough,
    words = c(
      window = paste(window, collapse = ", "),
      min_obs = paste(unique(enough), collapse = ", ")
    )
  )
}

refuse_without_window <- function(min_obs, as = "table") {
  if (!is.null(min_obs) || as == "matrix") {
    fail(
      "argument",
      "`min_obs` and `as = \"matrix\"` are for a rolling window.",
      remedy = "Give `window` too."
    )
  }
}

warn_short <- function(longest, least) {
  if (longest >= least) return(invisible())
  caution(
    "window",
    sprintf(
      "No security has as many as %s; there is no window to measure.",
      count(least, "return")
    ),
    remedy = sprintf("The longest has %s.", count(longest))
  )
}

row_bound <- function(parts) {
  if (length(parts) == 1L) parts[[1L]] else as.list(data.table::rbindlist(parts))
}
