# The working of how far a security strays from its benchmark.

#' @export
working_of.imbroglio_tracking <- function(result, row) {
  this <- row_of_result(result, row)
  returns <- attr(result, "source")
  beside <- rows_of_pair(returns, this, basis(result))
  inside <- in_window(beside$dates, this)
  both <- beside$values[inside, , drop = FALSE]
  active <- both[, 1L] - both[, 2L]
  draws <- attr(result, "draws")[[this$benchmark]]
  drawn <- drawn_error_working(result, list(tracking = draws[[this$security]]))
  list(
    rows = c(list(beside$rows), drawn$rows),
    choices = list(year_choice(result, returns, this, beside$frequency)),
    steps = c(
      beside$steps, line_steps()[1:6], tracking_steps(), ahead_steps(returns$kind),
      if (is.null(this$window)) tracking_error_steps(result, this, active),
      drawn$steps
    ),
    shows = list(
      list(
        title = "The days on which it strayed furthest",
        table = days_by(
          beside$dates[inside],
          abs(active),
          security = both[, 1L],
          benchmark = both[, 2L],
          active = active
        )
      )
    ),
    main = "tracking_error_annual"
  )
}

tracking_steps <- function() {
  list(
    step("correlation", quote(products / sqrt(squares_x * squares_y)), "correlation", "ratio"),
    step("active", quote(y - x), "return above that of the benchmark", "fraction"),
    step("active_return", quote(sum(active) / n), "its mean", "fraction"),
    step("active_return_annual", quote(active_return * per_year), "as much a year", "fraction"),
    step(
      "tracking_error",
      quote(sqrt(sum((active - active_return)^2) / (n - 1))),
      "tracking error a period: its sample standard deviation",
      "fraction",
      list("divisor n" = quote(sqrt(sum((active - active_return)^2) / n)))
    ),
    step(
      "tracking_error_annual",
      quote(tracking_error * sqrt(per_year)),
      "tracking error a year",
      "fraction"
    ),
    step(
      "information_ratio",
      quote(active_return_annual / tracking_error_annual),
      "information ratio: both a year"
    )
  )
}

# What hangs on the deviation alone is drawn.
tracking_error_steps <- function(result, this, active) {
  if (basis(result)$exact$errors != "dependent") return(NULL)
  c(
    if (!is.na(this$active_annual_error)) {
      leaning_error_steps(
        "active_annual_error", quote(active - active_return), active - mean(active), this,
        quote(per_year)
      )
    },
    if (!is.na(this$information_ratio_error)) {
      c(
        list(step(
          "spread_active", quote(sqrt(sum((active - active_return)^2) / n)),
          "their deviation, divisor n", "fraction"
        )),
        leaning_error_steps(
          "information_ratio_error",
          quote(
            (active - active_return) / spread_active - active_return / (2 * spread_active^3) *
              ((active - active_return)^2 - spread_active^2)
          ),
          added_to_ratio(active), this, quote(sqrt(per_year))
        )
      )
    }
  )
}

# Who was ahead, how often and by how much in all.
ahead_steps <- function(kind) {
  growth <- function(name, column, words) {
    made <- of_kind(
      kind, bquote(exp(sum(ln(1 + .(column)))) - 1), bquote(exp(sum(.(column))) - 1)
    )
    step(name, made$taken, words, "fraction", made$others)
  }
  list(
    step(
      "ahead",
      quote(sum(active > 0) / n),
      "share of the periods in which it was ahead",
      "share"
    ),
    growth("growth", quote(return), "earned by the security in all"),
    growth("growth_of_benchmark", quote(benchmark_return), "by the benchmark"),
    step(
      "active_return_total",
      quote(growth - growth_of_benchmark),
      "the difference",
      "fraction"
    ),
    step(
      "information_ratio_total",
      quote(active_return_total / tracking_error_annual),
      "the difference in all over the tracking error of a year"
    )
  )
}
