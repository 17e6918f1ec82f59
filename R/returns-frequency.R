# The frequencies of returns: how many a year by default, what one is called, and
# which period a date belongs to.
frequencies <- list(
  day = list(per_year = 252, adverb = "daily", period = function(d) as.numeric(d)),
  week = list(per_year = 52, adverb = "weekly", period = function(d) (as.numeric(d) + 3) %/% 7),
  month = list(per_year = 12, adverb = "monthly", period = function(d) month_number(d)),
  quarter = list(per_year = 4, adverb = "quarterly", period = function(d) month_number(d) %/% 3),
  year = list(per_year = 1, adverb = "yearly", period = function(d) month_number(d) %/% 12)
)

month_number <- function(dates) {
  parts <- as.POSIXlt(dates)
  parts$year * 12 + parts$mon
}

frequency_of <- function(dates) frequency_by_gap(as.numeric(dates))

# The last row of each period; a last period in which a weekday is still to come
# is not finished.
period_ends <- function(dates, every, keep_unfinished) {
  period <- frequencies[[every]]$period
  id <- period(dates)
  ends <- which(!duplicated(id, fromLast = TRUE))
  last <- dates[length(dates)]
  ahead <- last + seq_len(6L)
  weekday <- !as.POSIXlt(ahead)$wday %in% c(0L, 6L)
  unfinished <- period(min(ahead[weekday])) == id[length(id)]
  if (unfinished && !keep_unfinished) {
    ends <- ends[-length(ends)]
    note("unfinished", sprintf("The last %s ends after the last price, of %s, and was left out.", every, last))
  }
  ends
}

# The last price of each security in each period.
at_period_ends <- function(prices, every, keep_unfinished) {
  ends <- period_ends(prices$dates, every, keep_unfinished)
  if (length(ends) < 2L) {
    fail("too_short", sprintf("There are not two whole %ss in the prices.", every),
         where = sprintf("They run from %s to %s.", prices$dates[1L], prices$dates[length(prices$dates)]))
  }
  close <- core_last_of(prices$close, ends)
  dimnames(close) <- dimnames(prices$close)
  list(dates = prices$dates[ends], close = close)
}
