# What each security's sample is: the dates of its first and last observation,
# how many there are, and what is not there.
sample_of <- function(dates, values) {
  span <- core_span(values)
  n <- core_observed(values)
  inside <- ifelse(n > 0L, span$last - span$first + 1L - n, 0L)
  list(from = dates[span$first], to = dates[span$last], n = n, inside = inside,
       before = ifelse(n > 0L, span$first - 1L, length(dates)),
       after = ifelse(n > 0L, length(dates) - span$last, 0L))
}

dropped_of <- function(securities, sample, inside) {
  reasons <- list("before the first price" = sample$before, "after the last price" = sample$after)
  reasons[[inside]] <- sample$inside
  rows <- lapply(names(reasons), function(reason) {
    some <- reasons[[reason]] > 0L
    data.frame(security = securities[some], reason = rep(reason, sum(some)), n = as.integer(reasons[[reason]][some]))
  })
  do.call(rbind, rows)
}

# The basis of a measure of returns.
returns_basis <- function(returns, sample, ...) {
  securities <- colnames(returns$values)
  # all() of no dates is missing, and min() of none is an error of R's own.
  ends <- range(sample$from, sample$to, na.rm = TRUE)
  new_basis(
    from = ends[1L], to = ends[2L], observations = stats::setNames(sample$n, securities),
    dropped = dropped_of(securities, sample, if (is.null(returns$prices)) "without a return"
                                             else "without a price, spanned by the next return"),
    kind = returns$kind, every = returns$every, repairs = returns$prices$repairs, origin = returns$origin,
    digest = returns$digest, ...
  )
}
