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
