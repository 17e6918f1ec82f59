# The working of what was earned: of a whole sample or a window.

#' @export
working_of.imbroglio_return <- function(result, row) {
  returns <- attr(result, "source")
  this <- row_of_result(result, row)
  rolling <- !is.null(this$window)
  sample <- rows_of_security(
    returns,
    this$security,
    if (rolling) this$from,
    if (rolling) this$to
  )
  free <- risk_free_working(result, returns, this)
  inside <- in_window(returns$dates, this)
  own <- returns$values[inside, this$security]
  list(
    rows = c(list(sample$rows), free$rows),
    choices = c(list(year_choice(result, returns, this)), free$choices),
    steps = c(
      sample$steps,
      growth_steps(result, returns, sample$rows),
      moment_steps(),
      free$steps,
      ratio_steps()
    ),
    shows = list(
      list(
        title = "The days that moved it most",
        table = days_by(returns$dates[inside], abs(own), return = own)
      )
    )
  )
}

# `total_return` and that a year: by the calendar where the dates of the prices are known.
growth_steps <- function(result, returns, rows) {
  adds <- returns$kind == "profit"
  priced <- rows$priced
  # With periods a year given by hand, years are as many of them.
  dated <- rows$name == "prices" && is.null(basis(result)$exact$per_year)
  total <- if (adds) {
    quote(sum(return))
  } else if (priced) {
    quote(value_at(price, count(price)) / value_at(price, 1) - 1)
  } else if (returns$kind == "log") {
    quote(exp(sum(return)) - 1)
  } else {
    quote(exp(sum(ln(1 + return))) - 1)
  }
  c(
    list(
      step("n", quote(count(return)), "how many returns", "count"),
      step("total_return", total, "earned from the first to the last", "fraction")
    ),
    list(
      if (dated) {
        step(
          "years",
          quote(years_between(value_at(date, 1), value_at(date, count(date)))),
          "years from the first price to the last, by the calendar",
          others = list("by the number of returns" = quote(n / per_year))
        )
      } else {
        step("years", quote(n / per_year), "years, by the number of returns")
      },
      step(
        "return_annual",
        if (adds) quote(total_return / years) else quote((1 + total_return)^(1 / years) - 1),
        "as much a year",
        "fraction"
      )
    )
  )
}

moment_steps <- function() {
  list(
    step("mean", quote(sum(return) / n), "mean of the returns", "fraction"),
    step("apart", quote(return - mean), "distance of each from the mean", "fraction"),
    step(
      "volatility",
      quote(sqrt(sum(apart^2) / (n - 1))),
      "sample standard deviation",
      "fraction",
      list("divisor n" = quote(sqrt(sum(apart^2) / n)))
    ),
    step("mean_error", quote(volatility / sqrt(n)), "standard error of the mean", "fraction"),
    step("moment_2", quote(sum(apart^2) / n), "mean square about the mean"),
    step("moment_3", quote(sum(apart^3) / n), "mean cube about the mean"),
    step("moment_4", quote(sum(apart^4) / n), "mean fourth power about the mean"),
    step("skewness", quote(moment_3 / moment_2^1.5), "skewness"),
    step("kurtosis", quote(moment_4 / moment_2^2 - 3), "excess kurtosis, 0 of a normal one"),
    step(
      "skewness_error",
      quote(sqrt(6 * (n - 2) / ((n + 1) * (n + 3)))),
      "its standard error, of normal returns"
    ),
    step(
      "kurtosis_error",
      quote(sqrt(24 * n * (n - 2) * (n - 3) / ((n + 1)^2 * (n + 3) * (n + 5)))),
      "its standard error, of normal returns"
    ),
    step("best", quote(maximum(return)), "the best", "fraction"),
    step("worst", quote(minimum(return)), "the worst", "fraction"),
    row_of_day("best"),
    day_of("best"),
    row_of_day("worst"),
    day_of("worst"),
    step("rising", quote(sum(return > 0) / n), "share of those above 0", "share")
  )
}

# Prices have a row before the first return.
row_of_day <- function(name) {
  step(
    paste0(name, "_row"),
    bquote(row_of(return, .(as.name(name))) + count(date) - count(return)),
    paste("the row of the", name), "count"
  )
}

day_of <- function(name) {
  row <- as.name(paste0(name, "_row"))
  step(
    paste0(name, "_date"), bquote(value_at(date, .(row))), paste("the day of the", name), "date"
  )
}

ratio_steps <- function() {
  list(
    step(
      "sharpe",
      quote(excess_mean / excess_deviation),
      "Sharpe ratio, a period",
      "ratio",
      source = "Sharpe (1994)"
    ),
    step(
      "sharpe_error",
      quote(sqrt((1 + sharpe^2 / 2) / excess_n)),
      "its standard error",
      source = "Lo (2002)"
    ),
    step("sharpe_annual", quote(sharpe * sqrt(per_year)), "Sharpe ratio, a year"),
    step(
      "sharpe_annual_error",
      quote(sharpe_error * sqrt(per_year)),
      "its standard error, a year"
    )
  )
}

# Returns above the risk-free ones: a rate that is the same each period, or a series, over the
# intervals that both have.
risk_free_working <- function(result, returns, this) {
  free <- choice_of(basis(result), "risk-free")
  as_they_are <- function(less, others = NULL) {
    list(
      step("excess_mean", less, "mean above the risk-free return", "fraction", others),
      step("excess_deviation", quote(volatility), "deviation of that", "fraction"),
      step("excess_n", quote(n), "how many", "count")
    )
  }
  if (is.na(free)) return(list(steps = as_they_are(quote(mean))))
  rate <- basis(result)$exact$risk_free
  if (!is.null(rate)) {
    less <- of_kind(
      returns$kind,
      quote(mean - ((1 + risk_free)^(1 / per_year) - 1)),
      quote(mean - ln(1 + risk_free) / per_year)
    )
    return(list(
      choices = list(choice("risk_free", "risk-free return a year", rate, "fraction")),
      steps = as_they_are(less$taken, less$others)
    ))
  }
  both <- risk_free_of(returns, free)
  beside <- rows_of_several(both, c(shared_ = this$security, risk_free_ = free))
  if (!is.null(this$window)) {
    beside$rows$from <- beside$rows$dates[
      max(1L, match(as.numeric(this$to), as.numeric(beside$rows$dates)) - this$n)
    ]
    beside$rows$to <- this$to
  }
  list(
    rows = list(replace(beside$rows, "name", list("shared"))),
    steps = c(
      beside$steps,
      list(
        step(
          "excess",
          quote(shared_return - risk_free_return),
          "above the risk-free return",
          "fraction"
        ),
        step("excess_n", quote(count(excess)), "how many", "count"),
        step("excess_mean", quote(sum(excess) / excess_n), "their mean", "fraction"),
        step(
          "excess_deviation",
          quote(sqrt(sum((excess - excess_mean)^2) / (excess_n - 1))),
          "their deviation",
          "fraction"
        )
      )
    )
  )
}

# The table that holds the risk-free series; where it was another, it is not known any more.
risk_free_of <- function(returns, free) {
  if (!free %in% colnames(returns$values)) {
    fail(
      "working",
      sprintf("The prices of %s are not among those that were measured.", free),
      remedy = "Measure with them in the table, for a working."
    )
  }
  returns
}
