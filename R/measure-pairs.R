# What measures beside a benchmark share: the columns and the basis of a table of pairs.

named_by_date <- function(m, returns, rows) {
  `dimnames<-`(m, list(core_iso_days(returns$dates), colnames(returns$values)[rows]))
}

# Of a rolling result beside a benchmark: what comes before the numbers.
pair_columns <- function(frame, window, benchmark, shared_by) {
  columns <- frame$columns(window)
  c(
    columns[1L],
    list(
      benchmark = rep(benchmark, length(columns$security)),
      every = frame$each(shared_by$every),
      per_year = frame$each(shared_by$per_year)
    ),
    columns[-1L]
  )
}

# A comparison: what a period of it is stands in the basis where that is one for all rows, in a
# column where not.
pair_result <- function(columns, measure, returns, rows, per_year, words, exact = list(),
                          seed = NA_integer_) {
  columns$per_year <- NULL
  every <- columns$every
  columns <- with_periods(columns, every)
  new_result(
    columns,
    measure,
    pair_basis(returns, rows, columns, every, per_year, words, exact, seed = seed),
    returns
  )
}

# The basis of a comparison: what each security shares with the benchmark.
pair_basis <- function(returns, rows, columns, every, per_year, choices, exact,
                         rolling = !is.null(columns$window), seed = NA_integer_) {
  each <- !duplicated(columns$security)
  every <- stats::setNames(every[each], columns$security[each])
  per_year <- stats::setNames(per_year[each], columns$security[each])
  securities <- colnames(returns$values)[rows]
  sample <- sample_of_some(returns, rows, if (rolling) NULL else columns)
  made <- returns_basis(
    returns, sample, per_year = per_year, choices = choices, securities = securities,
    every = every, exact = exact, seed = seed
  )
  if (rolling) return(made)
  for (b in unique(columns$benchmark)) {
    here <- columns$benchmark == b
    made$dropped <- rbind(
      made$dropped,
      not_shared(columns$security[here], sample$n, columns$n[here], b)
    )
  }
  most <- columns$n
  if (length(most) > length(securities)) {
    most <- as.vector(tapply(most, factor(columns$security, securities), max))
  }
  made$observations <- stats::setNames(most, securities)
  made
}

# A security that shares every date with a benchmark has none missing, and need not be
# looked through again.
sample_of_some <- function(returns, rows, columns) {
  dates <- returns$dates
  whole <- !is.null(columns) &
    colnames(returns$values)[rows] %in% columns$security[columns$n == length(dates)]
  if (!any(whole)) return(lapply(sample_of(dates, returns$values), `[`, rows))
  sample <- list(
    from = dates[rep(1L, length(rows))],
    to = dates[rep(length(dates), length(rows))],
    n = rep(length(dates), length(rows))
  )
  sample[c("inside", "before", "after")] <- list(integer(length(rows)))
  if (all(whole)) return(sample)
  Map(
    function(every_date, part) replace(every_date, !whole, part),
    sample,
    sample_of(dates, returns$values[, rows[!whole], drop = FALSE])[names(sample)]
  )
}
