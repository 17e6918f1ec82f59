# Holdings that stop: a book as a whole ends with the first of them, however far the others go.

# The holdings whose prices end before those of the others, by their own frequency: `last`, how
# many of the others' dates come after it (`missed`), and the last of those (`known`). `among`:
# those that may have, where series that stand in have changed how often the others have prices.
ended_holdings <- function(returns, securities, among = securities) {
  priced <- returns$prices
  dates <- if (is.null(priced)) returns$dates else priced$dates
  values <- (if (is.null(priced)) returns$values else priced$close)[, securities, drop = FALSE]
  last <- core_span(values)$last
  beside <- if (length(securities) > 1L) values else priced$close %||% returns$values
  found <- lapply(which(last < length(dates) & securities %in% among), function(j) {
    others <- beside[, setdiff(colnames(beside), securities[j]), drop = FALSE]
    after <- seq.int(last[j] + 1L, length(dates))
    there <- after[rowSums(!is.na(others[after, , drop = FALSE])) > 0L]
    # On a weekend of its own another may have prices where this one never has.
    own <- tabulate(as.POSIXlt(dates[!is.na(values[, j])])$wday + 1L, 7L)
    there <- there[own[as.POSIXlt(dates[there])$wday + 1L] > 0.05 * sum(own) / 5]
    if (!length(there)) return(NULL)
    known <- dates[there[length(there)]]
    away <- as.numeric(known - dates[last[j]])
    # By its own prices, whatever period the returns are of.
    usual <- stats::median(diff(as.numeric(dates[!is.na(values[, j])])))
    if (!is.na(usual) && usual > 4 && away < 1.9 * usual) return(NULL)
    data.frame(
      security = securities[j], last = dates[last[j]], missed = length(there), known = known
    )
  })
  found <- do.call(rbind, found)
  if (is.null(found)) return(NULL)
  found[order(found$last), ]
}

# What every number of a book says first whose holdings end before what is known.
until_words <- function(ended) {
  if (is.null(ended)) return(NULL)
  first <- ended$last == ended$last[1L]
  sprintf(
    "Up to %s only, the last price of %s: ", ended$last[1L], some(ended$security[first], 3L)
  )
}

warn_ended <- function(ended, name) {
  if (is.null(ended)) return(invisible())
  caution(
    "ended",
    sprintf(
      "Numbers of %s end on %s, before the last date, %s: %s.",
      name, ended$last[1L], max(ended$known),
      paste(
        sprintf(
          "%s has no price after %s (%s)", utils::head(ended$security, 5L),
          utils::head(ended$last, 5L),
          count(utils::head(ended$missed, 5L), "trading day")
        ),
        collapse = ", "
      )
    ),
    remedy = sprintf(
      paste(
        "Three ways on: `carried = \"%1$s\"` carries its last price on,",
        "`stand_ins = c(%1$s = \"INDEX\")` lets a series stand in, or leave it out."
      ),
      ended$security[1L]
    )
  )
}

# The last price of a holding stands on every later date.
with_carried <- function(returns, carried, securities) {
  if (is.null(carried)) return(returns)
  if (!is.character(carried) || anyNA(carried)) {
    fail("argument", "`carried` are names of holdings.", where = sprintf(
      "They are %s.", shown(carried)
    ))
  }
  other <- setdiff(carried, securities)
  if (length(other)) fail("argument", sprintf("%s is no holding of the book.", some(other)))
  values <- if (is.null(returns$prices)) returns$values else returns$prices$close
  going <- carried[core_span(values[, carried, drop = FALSE])$last == nrow(values)]
  if (length(going)) {
    note("carried", sprintf(
      "%s %s a value on the last date: nothing is carried.", some(going),
      if (length(going) == 1L) "has" else "have"
    ))
  }
  after_last(returns, carried, function(close, name, last, after) {
    # Of given returns: none.
    if (is.null(returns$prices)) 0 else close[last, name]
  })
}

# Values after the last of each series that is named, given by `values(matrix, name, last, after)`.
after_last <- function(returns, names_of, values) {
  given <- is.null(returns$prices)
  close <- if (given) returns$values else returns$prices$close
  for (name in names_of) {
    last <- core_span(close[, name, drop = FALSE])$last
    after <- seq_len(nrow(close))[-seq_len(last)]
    if (length(after)) close[after, name] <- values(close, name, last, after)
  }
  if (given) return(altered(returns, values = close))
  as_returns(
    with_other_closes(returns$prices, close),
    kind = returns$kind, every = returns$stated,
    keep_unfinished = isTRUE(returns$keep_unfinished)
  )
}

carried_words <- function(returns, carried) {
  if (!length(carried)) return(NULL)
  close <- if (is.null(returns$prices)) returns$values else returns$prices$close
  dates <- if (is.null(returns$prices)) returns$dates else returns$prices$dates
  last <- core_span(close[, carried, drop = FALSE])$last
  after <- length(dates) - last
  sprintf(
    "last price of %s, of %s, carried over %s, which hides what it would have moved",
    carried, dates[last], count(after, "date")
  )[after > 0L]
}
