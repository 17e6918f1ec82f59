# Rolling windows: what is asked of them, and the rows and dates that they give.

# The rows of a rolling measure: one for each value that is there, in the order of the
# columns. `place` is how many values there are up to each cell, where these are not
# the security's own returns. `columns()` names security, window, from, to and n; `pick()`
# takes the same cells out of a matrix; `each()` repeats what every security has one of, and
# `scaled()` multiplies by it.
window_frame <- function(returns, place = NULL, securities = colnames(returns$values)) {
  days <- as.numeric(returns$dates)
  cells <- place %||% returns$values
  stopifnot(is.null(place) || is.integer(place))
  present <- if (is.null(place)) core_observed(cells) else as.integer(colSums(place > 0L))
  each <- function(x) {
    if (is.character(x)) core_repeated(x, present) else rep(unname(x), present)
  }
  list(
    n = present,
    pick = function(m) core_picked(m, cells, present),
    each = each,
    scaled = function(x, by) x * (if (length(unique(by)) == 1L) by[[1L]] else each(by)),
    columns = function(window) {
      c(list(security = each(securities)), core_window_rows(cells, present, days, window))
    },
    # The date of the price before the first return of each window.
    price_before = function(window) {
      # Of a window longer than the data the one before its first return is never there.
      window <- min(window, length(days))
      first <- core_window_rows(cells, present, days, window + 1L)
      start <- as.numeric(returns$start)[match(securities, colnames(returns$values))]
      .Date(ifelse(first$n > window, as.numeric(first$from), each(start)))
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

# How many values the column that has most of them has; or one with `enough`, which most often is
# the first.
most_observed <- function(values, enough) {
  first <- core_observed(values[, 1L, drop = FALSE])
  if (first >= enough) first else max(core_observed(values))
}

row_bound <- function(parts) {
  if (length(parts) == 1L) parts[[1L]] else as.list(data.table::rbindlist(parts))
}
