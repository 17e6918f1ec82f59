# The spans that a return is split over.

over_pattern <- "^(week|month|quarter|year) to date$"

check_over <- function(over) {
  if (!is.character(over) || !length(over) || anyNA(over)) {
    fail("argument", "`over` is a span, such as \"day\" or \"year to date\".", where = sprintf(
      "It is %s.", shown(over)
    ))
  }
  known <- c("day", "week", "month", "quarter", "year")
  plain <- lower_case(over)
  ok <- plain %in% known | grepl(over_pattern, plain) | is_time(plain)
  if (!all(ok)) {
    fail(
      "argument", sprintf("`over` does not know %s.", shown(over[!ok][1L])),
      remedy = sprintf(
        "It takes %s, a time such as \"10 days\", \"month to date\", \"year to date\".",
        some(known)
      )
    )
  }
  unique(plain)
}

# The rows of the first and the last close.
span_over <- function(over, dates) {
  last <- length(dates)
  begins <- if (grepl(over_pattern, over)) {
    period <- frequencies[[sub(" to date$", "", over)]]$period(dates)
    which(period == period[last])[1L] - 1L
  } else {
    time <- parts_of_time(over)
    if (time$unit %in% c("day", "period")) {
      last - as.integer(time$number)
    } else if (time$unit %in% c("week", "fortnight")) {
      back <- c(week = 7, fortnight = 14)[[time$unit]] * time$number
      findInterval(as.numeric(dates[last]) - back, as.numeric(dates))
    } else {
      months <- 12 / frequencies[[time$unit]]$per_year * time$number
      findInterval(as.numeric(months_before(dates[last], months)), as.numeric(dates))
    }
  }
  if (is.na(begins) || begins < 1L) {
    fail(
      "too_short", sprintf("The book begins on %s, after what %s asks for.", dates[1L], over)
    )
  }
  list(over = over, first = begins, last = last)
}

# The same day of an earlier month, or its last.
months_before <- function(date, months) {
  parts <- as.POSIXlt(date)
  month <- parts$year * 12 + parts$mon - months
  first <- day_number(month %/% 12 + 1900, month %% 12 + 1, 1)
  after <- day_number((month + 1) %/% 12 + 1900, (month + 1) %% 12 + 1, 1)
  .Date(pmin(first + parts$mday - 1, after - 1))
}

named_span <- function(from, to, dates) {
  from <- if (is.null(from)) dates[1L] else check_date(from, "from")
  to <- if (is.null(to)) dates[length(dates)] else check_date(to, "to", last = TRUE)
  first <- findInterval(as.numeric(from), as.numeric(dates))
  last <- findInterval(as.numeric(to), as.numeric(dates))
  if (first < 1L || last <= first) {
    fail(
      "too_short", sprintf("The book has no return from %s to %s.", from, to),
      where = sprintf("It lives from %s to %s.", dates[1L], dates[length(dates)])
    )
  }
  list(over = "span", first = first, last = last)
}
