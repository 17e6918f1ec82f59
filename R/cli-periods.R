# The commands about what happened, and what of it would do today: worst, replay.

run_worst <- function(files, options) {
  returns <- chosen_returns(chosen_prices(files, options, "worst"), options, "worst")
  found <- call_with(worst_periods, returns, options)
  hand_over_measured(if (options$split) split_periods(found) else found, options)
}

run_replay <- function(files, options) {
  # A span is what is replayed; the book is as it is held today.
  span <- options[intersect(c("from", "to", "last", "during"), names(options))]
  if (length(span) && is.null(options$shock)) {
    options[names(span)] <- NULL
  }
  book <- chosen_returns(chosen_prices(files, options, "replay"), options, "replay")
  if (!inherits(book, "imbroglio_book")) {
    fail(
      "argument",
      "A book is replayed.",
      remedy = "Give --weights A=0.6,B=0.4, --shares A=100,B=50 or --holdings FILE."
    )
  }
  if (!is.null(options$shock)) {
    options$moves <- options$shock
    options$by <- options$carried_by
    return(hand_over_measured(call_with(shock_book, book, options), options))
  }
  if (length(span)) {
    dates <- book$returns$dates
    asked <- span_of(dates, span$from, span$to, span$last, span$during)
    options$periods <- stats::setNames(
      sprintf("%s:%s", asked$from, asked$to), sprintf("%s to %s", asked$from, asked$to)
    )
  }
  found <- call_with(replay, book, options)
  if (options$series) return(hand_over_measured(replay_series(found), options, found))
  hand_over_measured(if (options$split) split_replay(found) else found, options)
}
