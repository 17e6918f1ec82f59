# Series of unlike rhythm beside each other: over the periods of the one that has fewer prices, of
# the other its last price in each of them.

# Whether these have much fewer returns together than the one that has fewest.
are_unlike <- function(returns, names) {
  columns <- match(names, colnames(returns$values))
  rhythm <- rhythm_part(returns$rhythm, columns)
  if (is.null(returns$prices) || !any(rarer_than_most(rhythm))) return(FALSE)
  span <- core_span(returns$values[, columns, drop = FALSE])
  if (anyNA(span$first)) return(FALSE)
  alive <- seq_len(nrow(returns$values)) >= max(span$first) &
    seq_len(nrow(returns$values)) <= min(span$last)
  own <- core_observed(returns$values[alive, columns, drop = FALSE])
  shared_returns(returns, columns) < 0.75 * min(own)
}

# Of all but the rarest the last price in each of its periods stands on its date.
on_rarest <- function(returns, names) {
  close <- returns$prices$close[, names, drop = FALSE]
  observed <- core_observed(close)
  rarest <- names[which.min(observed)]
  ends <- which(!is.na(close[, rarest]))
  others <- setdiff(names, rarest)
  whole <- returns$prices$close
  for (name in others) {
    own <- which(!is.na(close[, name]))
    at <- findInterval(ends, own)
    last <- own[pmax(at, 1L)]
    inside <- at > 0L & last > c(0L, ends[-length(ends)])
    lacking <- inside & is.na(whole[ends, name])
    whole[ends[lacking], name] <- close[last[lacking], name]
  }
  made <- with_closes(returns, whole, others)
  note("rhythm", sprintf(
    paste(
      "%s and %s have few dates together: they are compared over the %s periods of %s, with the",
      "last price of the %s in each."
    ),
    rarest, some(others), adverb_of(returns$rhythm$every[[rarest]]), rarest,
    if (length(others) == 1L) "other" else "others"
  ))
  made
}

beside_on_rarest <- function(returns, names) {
  if (are_unlike(returns, names)) on_rarest(returns, names) else returns
}

# Given returns of several lengths are what was earned since the one before.
spanned_beside <- function(returns) {
  if (is.null(returns$prices) && returns$kind != "profit" && returns$every == "mixed" &&
      any(rarer_than_most(returns$rhythm))) {
    return(spanning_returns(returns))
  }
  returns
}
