# Returns beside a benchmark: the securities, the benchmarks and the risk-free return as
# columns of one calendar.

# What the core needs to compare series over the same intervals: the row of each
# security's first price, counted from 0, and whether a return spans the gap before it.
starts_of <- function(returns) {
  # As numbers: match() turns dates into text.
  row <- match(as.numeric(returns$start), as.numeric(returns$dates))
  ifelse(is.na(row), 0L, row)
}

spans_gaps <- function(returns) !is.null(returns$prices)

# `benchmark`: names in the table, or a table of prices or returns. Gives the returns
# with all benchmarks among them, and their names.
paired_with <- function(returns, benchmark) {
  if (is.null(benchmark)) {
    fail(
      "argument",
      "A benchmark is wanted.",
      remedy = sprintf(
        "Name one or several of the securities, such as benchmark = \"%s\".",
        colnames(returns$values)[1L]
      )
    )
  }
  returns <- spanned_beside(returns)
  if (is.character(benchmark) && !is.null(beside_of(returns))) {
    # Of a book, what it is compared with is among the securities it was made of.
    made_of <- beside_of(returns)
    others <- setdiff(expand_groups(benchmark, made_of$prices), colnames(returns$values))
    if (length(others)) returns <- with_columns_of(returns, made_of[, others])
  }
  if (inherits(benchmark, c("imbroglio_prices", "imbroglio_returns"))) {
    names <- colnames(benchmark)
    returns <- with_columns_of(returns, benchmark)
  } else {
    names <- colnames(returns$values)[pick_securities(
      expand_groups(benchmark, returns$prices),
      colnames(returns$values)
    )]
  }
  list(returns = returns, names = unique(names))
}

# The rows of a table that compares: every security but the benchmarks.
besides <- function(returns, benchmarks) {
  rows <- which(!colnames(returns$values) %in% benchmarks)
  if (!length(rows)) {
    fail(
      "argument",
      "There is no security but the benchmark to measure.",
      remedy = "Leave the other securities in the table."
    )
  }
  rows
}

# The securities of another table beside these, on the dates of either.
with_columns_of <- function(returns, other) {
  twice <- intersect(colnames(returns$values), colnames(other))
  if (length(twice)) {
    fail(
      "argument",
      sprintf("%s stands in both tables.", some(twice)),
      remedy = "Name it, or leave it out of one."
    )
  }
  if (spans_gaps(returns) != (inherits(other, "imbroglio_prices") || spans_gaps(other))) {
    fail(
      "argument",
      paste0(
        "Returns that were given and returns of prices cannot be compared over the same ",
        "intervals."
      ),
      remedy = "Hand in both as prices, or both as given returns."
    )
  }
  if (spans_gaps(returns)) {
    return(with_prices_of(returns, other))
  }
  if (other$kind != returns$kind) {
    fail(
      "argument",
      sprintf(
        "The returns are %s, those of %s are %s.",
        returns$kind,
        some(colnames(other)),
        other$kind
      )
    )
  }
  both <- on_dates_of_both(returns, returns$values, other, other$values)
  new_returns(
    both$dates,
    both$values,
    returns$kind,
    Map(c, returns$frequency, other$frequency),
    start = rep(as.Date(NA), ncol(both$values)),
    prices = NULL,
    origin = paste(returns$origin, "and", other$origin),
    digest = digest_of(both$dates, both$values)
  )
}

with_prices_of <- function(returns, other) {
  mine <- returns$prices
  theirs <- if (inherits(other, "imbroglio_prices")) other else other$prices
  both <- on_dates_of_both(mine, mine$close, theirs, theirs$close)
  prices <- new_prices(
    both$dates,
    both$values,
    paste(unique(c(mine$origin, theirs$origin)), collapse = " and ")
  )
  both_known <- c(mine$universe, theirs$universe)
  prices$universe <- both_known[!duplicated(both_known)]
  prices$repairs <- unique(c(mine$repairs, theirs$repairs))
  prices$converted <- mine$converted %||% theirs$converted
  prices$then <- mine$then
  if (!is.null(mine$block)) prices$block <- mine$block + ncol(theirs$close)
  prices$read <- c(read_of(mine), read_of(theirs))
  abouts <- Filter(Negate(is.null), list(mine$about, theirs$about))
  if (length(abouts)) {
    prices$about <- about_of_all(
      lapply(abouts, with_about_columns), colnames(both$values), prices$origin
    )
  }
  both <- as_returns(
    prices,
    kind = returns$kind,
    every = returns$stated,
    keep_unfinished = isTRUE(returns$keep_unfinished)
  )
  both$book <- returns$book
  both$beside <- beside_of(returns)
  both
}

# The simple returns of some securities over the intervals that all of them have.
returns_together <- function(returns, names) {
  columns <- match(names, colnames(returns$values))
  common <- core_common(
    returns$values[, columns, drop = FALSE],
    starts_of(returns)[columns],
    spans_gaps(returns),
    returns$kind == "log"
  )
  r <- if (returns$kind == "log") expm1(common$values) else common$values
  list(r = `colnames<-`(r, names), dates = returns$dates[common$row])
}

on_dates_of_both <- function(a, values_a, b, values_b) {
  dates <- sort(unique(c(a$dates, b$dates)))
  values <- matrix(
    NA_real_,
    length(dates),
    ncol(values_a) + ncol(values_b),
    dimnames = list(NULL, c(colnames(values_a), colnames(values_b)))
  )
  values[match(a$dates, dates), seq_len(ncol(values_a))] <- values_a
  values[match(b$dates, dates), ncol(values_a) + seq_len(ncol(values_b))] <- values_b
  list(dates = dates, values = values)
}

# `risk_free`: nothing; a yearly return as a number; or a series: the name of a security, or a
# table that holds one. Gives the rate a period: for so many periods a year, or a `series` with
# one for each row.
paired_risk_free <- function(returns, risk_free) {
  none <- list(
    returns = returns,
    rates = numeric(),
    series = FALSE,
    start = 0L,
    name = NULL,
    rate_of = rate_in_periods(0, FALSE)
  )
  if (is.null(risk_free)) return(none)
  if (is.numeric(risk_free)) {
    if (length(risk_free) != 1L || !is.finite(risk_free) || risk_free <= -1) {
      fail(
        "argument",
        "`risk_free` must be one yearly return, such as 0.02, or a series of returns.",
        where = sprintf("It is %s.", shown(risk_free))
      )
    }
    none$rate_of <- rate_in_periods(risk_free, returns$kind == "log")
    none$name <- sprintf("%s a year", format(risk_free))
    return(none)
  }
  beside <- paired_with(returns, risk_free)
  if (length(beside$names) != 1L) {
    fail(
      "argument",
      "`risk_free` must be one series.",
      where = sprintf("It is %s.", some(beside$names))
    )
  }
  list(
    returns = beside$returns,
    rates = beside$returns$values[, beside$names],
    series = TRUE,
    start = starts_of(beside$returns)[match(beside$names, colnames(beside$returns))],
    name = beside$names
  )
}

# A yearly rate as that of a period: a function that is kept with results, and keeps no table.
rate_in_periods <- function(yearly, in_logs) {
  force(yearly)
  force(in_logs)
  function(per_year) {
    rate <- log1p(yearly) / unname(per_year)
    if (in_logs) rate else expm1(rate)
  }
}

# The table that a book was made of.
beside_of <- function(returns) returns$beside %||% returns$today$book$returns

# The rate that is the same in every period, where it is one.
yearly_rate <- function(risk_free) if (is.numeric(risk_free)) risk_free

# How often each security of these rows and the benchmarks have a return together: what a period
# of them is called, and how many a year there are.
shared_frequency <- function(returns, rows, benchmarks, per_year) {
  at <- match(benchmarks, colnames(returns$values))
  shared <- frequency_part(returns$frequency, rows)
  # Like all of the benchmarks, which are one most often.
  alike <- function(column) {
    Reduce(`&`, lapply(at, function(one) unname(column[rows] == column[[one]]) %in% TRUE))
  }
  apart <- which(!(alike(returns$frequency$every) & alike(returns$frequency$per_year)))
  if (length(apart)) {
    values <- returns$values[, rows[apart], drop = FALSE]
    values[rowSums(is.na(returns$values[, at, drop = FALSE])) > 0L, ] <- NA
    both <- frequencies_of(returns$dates, values)
    for (part in names(both)) shared[[part]][apart] <- both[[part]]
  }
  if (!is.null(per_year)) shared$per_year[] <- check_positive(per_year, "per_year")
  shared
}

# What is left out when two series are compared: a security's own returns that do not end
# on a date that the other has.
not_shared <- function(securities, own, shared, benchmark) {
  n <- as.integer(own - shared)
  some <- n > 0L
  data.frame(
    security = securities[some],
    reason = rep(sprintf("not on a date of %s", benchmark), sum(some)),
    n = n[some]
  )
}

# Series of unlike frequency beside each other: over the periods of the one that has fewer prices,
# of the other its last price in each of them.

# Whether these have much fewer returns together than the one that has fewest.
are_unlike <- function(returns, names) {
  columns <- match(names, colnames(returns$values))
  frequency <- frequency_part(returns$frequency, columns)
  if (is.null(returns$prices) || !any(rarer_than_most(frequency))) return(FALSE)
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
  note("frequency", sprintf(
    paste(
      "%s and %s have few dates together: they are compared over the %s periods of %s, with the",
      "last price of the %s in each."
    ),
    rarest, some(others), adverb_of(returns$frequency$every[[rarest]]), rarest,
    if (length(others) == 1L) "other" else "others"
  ))
  made
}

pairs_on_rarest <- function(returns, names) {
  if (are_unlike(returns, names)) on_rarest(returns, names) else returns
}

# Given returns of several lengths are what was earned since the one before.
spanned_beside <- function(returns) {
  if (is.null(returns$prices) && returns$kind != "profit" && returns$every == "mixed" &&
      any(rarer_than_most(returns$frequency))) {
    return(spanning_returns(returns))
  }
  returns
}
