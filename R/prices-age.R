# How old the last price is, by the calendar of the table itself.

# Of these days those on which a table of daily dates would have one: its own days of the week that
# are no holiday in it.
expected_days <- function(dates, days) {
  last <- dates[length(dates)]
  parts <- as.POSIXlt(dates)
  traded <- tabulate(parts$wday + 1L, 7L) > 0.1 * length(dates) / 7
  # Of a few dates the days of the week are not to be known yet.
  if (length(dates) < 10L) traded[2:6] <- TRUE
  # Days of the year on which the table never had a date, though it was a day of the week that it
  # has, twice or more.
  span <- seq(dates[1L], last, by = "day")
  missed <- span[!span %in% dates]
  of_year <- function(d) format(d, "%m-%d")
  weekday <- function(d) traded[as.POSIXlt(d)$wday + 1L]
  holidays <- names(which(table(of_year(missed[weekday(missed)])) >= 2L))
  holidays <- setdiff(holidays, of_year(dates))
  days[weekday(days) & !of_year(days) %in% holidays]
}

# The dates that lie between the last one and today, today's own among them.
age_of <- function(dates, today) {
  # A date that has not come yet is a slip, and hides no age.
  if (any(dates <= today)) dates <- dates[dates <= today]
  last <- dates[length(dates)]
  away <- as.numeric(today - last)
  usual <- if (length(dates) > 1L) stats::median(diff(as.numeric(dates))) else 1
  missed <- if (away <= 0) {
    0L
  } else if (usual > 4) {
    as.integer(away %/% usual)
  } else {
    length(expected_days(dates, last + seq_len(away)))
  }
  unit <- if (usual > 4) "date of its own" else "trading day"
  list(
    last = last, today = today, missed = missed,
    text = sprintf(
      "%s, %s before %s", last,
      count(missed, unit, if (usual > 4) "dates of its own" else "trading days"), today
    )
  )
}

check_stale <- function(stale) {
  if (is.null(stale)) NULL else check_whole(stale, "stale", least = 0L)
}

is_stale <- function(age, stale) !is.null(stale) && age$missed > stale

stale_words <- function(age, stale) {
  sprintf("The last price is of %s; no more than %s is asked for.", age$text, count(stale))
}
