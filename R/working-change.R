# The working of a change: what was measured of each mixture of before and after, and how much each
# counts for a cause.

#' @export
working_of.imbroglio_change <- function(result, row) {
  this <- row_of_result(result, row)
  made <- attr(result, "changes")[[this$security]]
  if (!is.null(made$steps)) return(working_of_days(made, this))
  k <- if (identical(made$causes, "none")) 0L else length(made$causes)
  if (!k) fail("working", "Nothing moved it, so there is nothing to show.")
  cause <- match(this$cause, made$said)
  masks <- seq_len(2^k) - 1L
  after <- vapply(seq_len(k), function(j) as.numeric(bitwAnd(masks, 2^(j - 1L)) > 0), masks + 0)
  after <- matrix(after, ncol = k)
  short <- unique_names(made$causes)
  columns <- c(
    stats::setNames(lapply(seq_len(k), function(j) after[, j]), paste0(short, "_after")),
    list(measured = made$values[, "number"])
  )
  in_money <- !is.na(this$moved_value)
  if (in_money) columns$measured_money <- made$values[, "money"]
  own <- as.name(paste0(short[cause], "_after"))
  others <- added_up(lapply(paste0(short[-cause], "_after"), as.name))
  list(
    rows = list(rows_of_working(
      "mixtures",
      sprintf(
        "%s of before and after, each measured; 1 where a cause is as after", count(2^k, "mixture")
      ),
      columns
    )),
    steps = c(
      list(
        entered("causes", k, "how many causes there are", "count", of_data = FALSE),
        step("others", if (k > 1L) others else bquote(0 * .(own)), "how many others are as after"),
        step(
          "counts",
          quote(exp(ln_gamma(others + 1) + ln_gamma(causes - others) - ln_gamma(causes + 1))),
          "share of the orders in which just these went before it",
          source = "Shapley (1953)"
        ),
        step(
          "moved", bquote(sum((2 * .(own) - 1) * counts * measured)),
          paste("what it does:", made$said[cause])
        ),
        step("number_before", quote(value_at(measured, 1)), "before"),
        step("number_after", bquote(value_at(measured, .(2^k))), "after")
      ),
      if (in_money) {
        list(step(
          "moved_value", bquote(sum((2 * .(own) - 1) * counts * measured_money)),
          "in money", "money"
        ))
      }
    ),
    main = "moved"
  )
}

# Between records of days: what was recorded of each, added up.
working_of_days <- function(made, this) {
  if (!length(made$causes)) fail("working", "Nothing moved it, so there is nothing to show.")
  dates <- unique(made$steps$date)
  by_day <- function(cause) {
    own <- made$steps[made$steps$cause == cause, ]
    vapply(dates, function(date) sum(own$moved[own$date == date]), 0)
  }
  columns <- stats::setNames(lapply(made$causes, by_day), unique_names(made$causes))
  own <- as.name(names(columns)[match(this$cause, made$said)])
  list(
    rows = list(rows_of_working(
      "days", "what each cause did from each record to the next", columns, dates = dates
    )),
    steps = list(
      entered("number_before", this$number_before, "as it was recorded first"),
      step("moved", bquote(sum(.(own))), paste("what it did over all days:", this$cause)),
      step(
        "number_after",
        bquote(number_before + .(added_up(lapply(names(columns), function(name) {
          bquote(sum(.(as.name(name))))
        })))),
        "with all causes"
      )
    ),
    main = "moved"
  )
}
