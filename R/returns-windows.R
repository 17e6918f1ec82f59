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
      # Of given returns there is none, and their years are counted by their number.
      .Date(ifelse(
        is.na(each(start)) | first$n <= window, each(start), as.numeric(first$from)
      ))
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

# The last row of each period. A last period is not finished where, by the calendar of the table
# itself, a date is still to come in it.
period_ends <- function(dates, every, keep_unfinished) {
  period <- frequencies[[every]]$period
  id <- period(dates)
  ends <- which(!duplicated(id, fromLast = TRUE))
  last <- dates[length(dates)]
  unfinished <- isTRUE(period(next_date(dates)) == id[length(id)])
  if (unfinished && !keep_unfinished) {
    ends <- ends[-length(ends)]
    note(
      "unfinished",
      sprintf("The last %s ends after the last price, of %s, and was left out.", every, last),
      remedy = "`keep_unfinished = TRUE` keeps it."
    )
  }
  ends
}

# The next date that the table would have: of daily ones the next of its own days of the week that
# is no holiday in it, else a usual gap away.
next_date <- function(dates) {
  last <- dates[length(dates)]
  usual <- stats::median(diff(as.numeric(dates)))
  if (usual > 4) return(last + usual)
  expected_days(dates, last + seq_len(31L))[1L]
}

# The last price of each security in each period.
at_period_ends <- function(prices, every, keep_unfinished) {
  ends <- period_ends(prices$dates, every, keep_unfinished)
  if (length(ends) < 2L) {
    fail(
      "too_short",
      sprintf("There are not two whole %ss in the prices.", every),
      where = sprintf(
        "They run from %s to %s.",
        prices$dates[1L],
        prices$dates[length(prices$dates)]
      )
    )
  }
  close <- core_last_of(prices$close, ends)
  dimnames(close) <- dimnames(prices$close)
  list(dates = prices$dates[ends], close = close)
}
