# The workings of how far below its high a series is, of what lay ahead, and of falls by rank.

#' @export
working_of.imbroglio_drawdown_series <- function(result, row) {
  this <- row_of_result(result, row)
  # The capital at the start has no date of its own where returns were given.
  if (is.na(this$date)) this$date <- attr(result, "source")$dates[1L] - 1L
  this$to <- this$date
  made <- wealth_working(result, this)
  made$steps <- c(
    made$steps,
    list(
      step("drawdown_then", quote(value_at(below, count(below))), "on the date", "fraction")
    )
  )
  made$steps[[length(made$steps)]]$name <- "drawdown"
  made$more <- function() ahead_working(attr(result, "source"), this)
  made$main <- "drawdown"
  made
}

# The lowest that still lay ahead of a date: on or behind it.
ahead_working <- function(source, this) {
  made <- function(rows, steps, expression) {
    list(rows = list(rows), steps = c(steps, list(
      step("drawdown_ahead", expression, "the worst that still lay ahead", "fraction")
    )))
  }
  if (inherits(source, "imbroglio_prices")) {
    there <- which(!is.na(source$close[, this$security]) & source$dates >= this$date)
    rows <- rows_of_working(
      "ahead", sprintf("closes of %s from that date on", this$security),
      list(ahead_price = unname(source$close[there, this$security])), source$dates[there]
    )
    return(made(
      with_sources(rows, list(prices = source), c(ahead_price = this$security)), NULL,
      quote(minimum(ahead_price) / value_at(ahead_price, 1) - 1)
    ))
  }
  there <- which(!is.na(source$values[, this$security]) & source$dates > this$date)
  if (!length(there)) {
    return(list(steps = list(step("drawdown_ahead", quote(0), "nothing lies ahead", "fraction"))))
  }
  rows <- rows_of_working(
    "ahead", sprintf("returns of %s after that date", this$security),
    list(ahead_return = unname(source$values[there, this$security])), source$dates[there]
  )
  grown <- switch(
    source$kind,
    simple = quote(recursion(1 + ahead_return, previous * (1 + ahead_return))),
    log = quote(recursion(exp(ahead_return), previous * exp(ahead_return))),
    quote(recursion(1 + ahead_return, previous + ahead_return))
  )
  made(
    with_sources(rows, source, c(ahead_return = this$security), source$kind),
    list(step("ahead_wealth", grown, "what 1 comes to from then on")),
    quote(lower_of(0, minimum(ahead_wealth) - 1))
  )
}

#' @export
working_of.imbroglio_drawdown_episodes <- function(result, row) {
  this <- row_of_result(result, row)
  made <- wealth_working(result, this)
  made$steps <- c(
    made$steps,
    fall_of_rank_steps(this, attr(result, "source")[, this$security]),
    list(
      step("drawdown", quote(value_at(below, trough_row)), "how far below the high", "fraction"),
      step("days_down", quote(trough - peak), "days from the one to the other", "count"),
      if (!is.na(this$recovery)) recovery_steps()[[2L]],
      if (!is.na(this$recovery)) recovery_steps()[[3L]],
      if (!is.na(this$recovery)) {
        step("days_to_recover", quote(recovery - trough), "days that took", "count")
      }
    )
  )
  made$main <- "drawdown"
  made
}

# One of all falls by its rank, of those that ended and of one that goes on. Of falls as deep,
# which have their rank by their dates, the dates are entered.
fall_of_rank_steps <- function(this, source) {
  depths <- drawdown_episodes(source)$drawdown
  if (sum(abs(depths - this$drawdown) <= 1e-9 * max(-depths)) > 1L) {
    return(list(
      recovery_steps()[[1L]],
      entered("peak", as.numeric(this$peak), "date of the high that it fell from", "date"),
      entered("trough", as.numeric(this$trough), "date of the least before it was back", "date"),
      step("trough_row", quote(row_of(date, trough)), "the row on which that stands", "count")
    ))
  }
  c(
    average_fall_steps()[1L],
    recovery_steps()[1L],
    list(
      step(
        "fall",
        quote(if_else(below < 0, if_else(row_here == count(below), deepest, 0), before(deepest))),
        "the deepest of each fall, where it ended or goes on", "fraction"
      ),
      step("fall_depth", bquote(nth_smallest(fall, .(this$rank))), "of this rank", "fraction"),
      step("trough_row", quote(row_of(below, fall_depth)), "the row on which it stands", "count")
    ),
    deepest_steps()[-(1:2)]
  )
}
