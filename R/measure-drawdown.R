#' Maximum drawdown
#'
#' The deepest fall of wealth below its running high,
#' \deqn{\min_t \left( W_t / \max_{s \le t} W_s - 1 \right),}{min over t of W_t / max(W_s,
#' s <= t) - 1,}
#' with the dates of the high before it, of its low, and of the recovery. Wealth is the price; of
#' returns, it is what one unit put in before the first return becomes, that
#' unit included: a loss on the first day counts.
#'
#' @param x A price table or a returns table.
#' @return A table, one row for each security: `security`, `from`, `to`, `n` (the prices or
#'   returns used),
#'   `max_drawdown` (a fraction, negative; 0 where the price never fell), `peak` (the last
#'   date at the high), `trough` (the first
#'   date at the low), `recovery` (the first date at or above the old high again; `NA` while
#'   still below it). `peak` is `NA` too
#'   where it is the start of returns that were given without prices.
#' @examples
#' prices <- read_prices(demo_file("bay.csv"))
#' measure_drawdown(prices)
#' measure_drawdown(as_returns(prices, every = "month"))
#' @export
measure_drawdown <- function(x) {
  if (inherits(x, "imbroglio_prices")) {
    dates <- x$dates
    wealth <- x$close
    sample <- sample_of(dates, wealth)
    basis <- new_basis(
      from = min(sample$from), to = max(sample$to), observations = stats::setNames(sample$n, colnames(wealth)),
      dropped = dropped_of(colnames(wealth), sample, "without a price"),
      kind = "price", every = frequency_of(dates), repairs = x$repairs, origin = x$origin, digest = x$digest
    )
  } else {
    x <- take_returns(x)
    dates <- c(as.Date(NA), x$dates)
    wealth <- core_wealth(x$values, x$kind == "log")
    sample <- sample_of(x$dates, x$values)
    basis <- returns_basis(x, sample)
  }
  found <- core_max_drawdown(wealth)
  peak <- dates[found$peak]
  if (inherits(x, "imbroglio_returns")) {
    # The first row is the capital put in, at each security's own first price.
    at_start <- which(found$peak == 1L)
    peak[at_start] <- x$start[at_start]
  }
  new_result(
    list(security = colnames(x), from = sample$from, to = sample$to, n = sample$n, max_drawdown = found$depth,
         peak = peak, trough = dates[found$trough], recovery = dates[found$recovery]),
    "drawdown", basis, x
  )
}
