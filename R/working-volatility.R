# The working of a volatility: how each number of a row came about.

#' @export
working_of.imbroglio_volatility <- function(result, row) {
  returns <- attr(result, "source")
  this <- row_of_result(result, row)
  sample <- rows_of_security(
    returns,
    this$security,
    if (!is.null(this$window)) this$from,
    if (!is.null(this$window)) this$to
  )
  record <- volatility_estimators()[[this$method %||% usual_method(measure_volatility)]]
  about <- list(returns = returns, this = this, basis = basis(result), sample = sample)
  made <- estimator_working(record, about)
  list(
    rows = made$rows %||% list(sample$rows),
    choices = c(
      list(year_choice(result, returns, this), confidence_choice(result)),
      made$choices
    ),
    steps = c(
      sample_steps(sample, made$rows %||% list(sample$rows)),
      made$steps,
      volatility_interval_steps(record, this, errors_by(about)),
      list(step(
        "volatility_annual",
        quote(volatility * sqrt(per_year)),
        "volatility a year: as variances of separate periods add up",
        "fraction"
      ))
    ),
    shows = made$shows
  )
}

deviation_working <- function(about) {
  list(
    steps = c(
      list(
        step("n", quote(count(return)), "how many returns", "count"),
        step("mean", quote(sum(return) / n), "their mean", "fraction"),
        step(
          "volatility",
          quote(sqrt(sum((return - mean)^2) / (n - 1))),
          "volatility a period: the sample standard deviation",
          "fraction",
          list("divisor n" = quote(sqrt(sum((return - mean)^2) / n)))
        )
      ),
      volatility_error_steps(
        about,
        if (errors_by(about) %in% "kurtosis") {
          quote(sqrt(2 / (n - 1) + kurtosis / n))
        } else {
          quote(sqrt(2 / (n - 1)))
        }
      )
    )
  )
}

# The interval: of normal returns by the chi-squared distribution, else on the logarithm.
volatility_interval_steps <- function(record, this, by) {
  if (is.na(this$volatility_low %||% NA)) return(NULL)
  if (by %in% "normal" && isTRUE(record$chi_squared)) {
    return(list(
      step(
        "volatility_low",
        quote(volatility * sqrt((n - 1) / chi_squared_quantile((1 + confidence) / 2, n - 1))),
        "from",
        "fraction"
      ),
      step(
        "volatility_high",
        quote(volatility * sqrt((n - 1) / chi_squared_quantile((1 - confidence) / 2, n - 1))),
        "to",
        "fraction"
      )
    ))
  }
  list(
    step("room", quote(exp(normal_quantile((1 + confidence) / 2) * spread / 2)), "so many times"),
    step("volatility_low", quote(volatility / room), "from", "fraction"),
    step("volatility_high", quote(volatility * room), "to", "fraction")
  )
}

# Errors and the interval of a whole sample's volatility. `spread`: of its square, over that.
volatility_error_steps <- function(about, spread) {
  errors <- errors_by(about)
  if (is.na(errors)) return(NULL)
  kurtosis <- list(
    step("moment_2", quote(sum((return - mean)^2) / n), "mean square about the mean"),
    step("moment_4", quote(sum((return - mean)^4) / n), "mean fourth power about the mean"),
    step(
      "kurtosis",
      quote(moment_4 / moment_2^2 - 3),
      "excess kurtosis, 0 of a normal distribution"
    )
  )
  if (errors == "dependent" && is.na(about$this$volatility_error)) return(NULL)
  c(
    if (errors == "kurtosis") kurtosis,
    list(
      if (errors == "dependent") {
        entered(
          "spread", 2 * about$this$volatility_error / about$this$volatility,
          sprintf(
            "twice the spread of its logarithm over samples drawn from returns as %s",
            sprintf("they are taken here, with seed %s", about$basis$seed)
          ),
          source = "Bollerslev (1987)", made_for = "*"
        )
      } else {
        step("spread", spread, "standard error of the variance, over the variance")
      },
      step(
        "volatility_error",
        quote(volatility * spread / 2),
        "standard error: of a root it is half",
        "fraction"
      )
    )
  )
}

errors_by <- function(about) choice_of(about$basis, "errors by")

# Exponential weights from the first square on: what is known at the close of each row.
ewma_steps <- function() {
  list(
    step("n", quote(count(return)), "how many returns", "count"),
    step(
      "squares",
      quote(recursion(return^2, decay * previous + (1 - decay) * return^2)),
      "squares of the returns, weighted exponentially"
    )
  )
}

decay_choice <- function(about, usual = 0.94) {
  taken <- about$basis$exact$decay %||% usual
  others <- setdiff(c(0.94, 0.97, 0.99), taken)
  choice(
    "decay",
    "decay of the weights",
    taken,
    others = stats::setNames(
      as.list(others),
      others
    )
  )
}

ewma_working <- function(about) {
  mean_steps <- deviation_working(list(basis = list(choices = c("errors by" = NA))))$steps[2L]
  by_kurtosis <- errors_by(about) %in% "kurtosis"
  list(
    choices = list(decay_choice(about)),
    steps = c(
      ewma_steps(),
      list(step(
        "volatility",
        quote(sqrt(value_at(squares, n))),
        "volatility of the period after the last",
        "fraction"
      )),
      mean_steps,
      list(
        step("first_weight", quote(decay^(2 * (n - 1))), "square of the weight of the first"),
        step(
          "weights",
          quote((1 - decay) / (1 + decay) * (1 - first_weight) + first_weight),
          "sum of the squares of all weights: stands for 1/n"
        )
      ),
      volatility_error_steps(
        about,
        if (by_kurtosis) quote(sqrt((2 + kurtosis) * weights)) else quote(sqrt(2 * weights))
      )
    )
  )
}

# The four that read the day's range, from its open, high, low and close.
range_rows <- function(about) {
  returns <- about$returns
  this <- about$this
  ranges <- ranges_of(returns)
  night <- ranges$night[, this$security]
  there <- which(!is.na(night))
  prices <- returns$prices
  of <- function(field) unname(prices$fields[[field]][-1L, this$security])[there]
  traded <- if (is.null(prices$fields$close)) {
    unname(prices$close[-1L, this$security])[there]
  } else {
    of("close")
  }
  dates <- returns$dates[there]
  windowed <- !is.null(this$window)
  rows <- rows_of_working(
    "days",
    sprintf("days of %s with open, high, low, close and return", this$security),
    list(
      open = of("open"),
      high = of("high"),
      low = of("low"),
      close = traded,
      return = unname(returns$values[there, this$security])
    ),
    dates,
    if (windowed) this$from else dates[1L],
    if (windowed) this$to else dates[length(dates)],
    window = windowed
  )
  with_sources(rows, returns, c(return = this$security), returns$kind)
}

range_working <- function(about, terms, words) {
  log <- about$returns$kind == "log"
  list(
    rows = list(range_rows(about)),
    steps = c(
      list(
        step("n", quote(count(open)), "how many days", "count"),
        step("up", quote(ln(high / open)), "from open to high"),
        step("down", quote(ln(low / open)), "from open to low"),
        step("day", quote(ln(close / open)), "from open to close"),
        step(
          "night",
          if (log) quote(return - day) else quote(ln(1 + return) - day),
          "from the close before to open"
        )
      ),
      terms,
      list(
        step("variance", quote(sum(term) / n), words),
        step("volatility", quote(sqrt(variance)), "volatility a period", "fraction"),
        step(
          "spread",
          quote(sqrt(sum((term - variance)^2) / (n - 1)) / sqrt(n) / variance),
          "standard error of the variance, over the variance"
        ),
        if (is.null(about$this$window)) {
          step(
            "volatility_error",
            quote(volatility * spread / 2),
            "standard error: of a root it is half",
            "fraction"
          )
        }
      )
    )
  )
}

parkinson_working <- function(about) {
  range_working(
    about,
    list(step("term", quote((up - down)^2 / (4 * ln(2))), "variance by a day's range")),
    "mean of the days"
  )
}

garman_klass_working <- function(about) {
  range_working(
    about,
    list(step(
      "term",
      quote((up - down)^2 / 2 - (2 * ln(2) - 1) * day^2),
      "variance by a day's range"
    )),
    "mean of the days"
  )
}

rogers_satchell_term <- quote((up - day) * up + (down - day) * down)

rogers_satchell_working <- function(about) {
  range_working(
    about,
    list(step("term", rogers_satchell_term, "variance by a day's range")),
    "mean of the days"
  )
}

yang_zhang_working <- function(about) {
  range_working(
    about,
    list(
      step("share", quote(0.34 / (1.34 + (n + 1) / (n - 1))), "share of open to close"),
      step("mean_night", quote(sum(night) / n), "mean of the nights"),
      step("mean_day", quote(sum(day) / n), "mean of open to close"),
      step(
        "term",
        bquote(
          n / (n - 1) * ((night - mean_night)^2 + share * (day - mean_day)^2) +
            (1 - share) * .(call("(", rogers_satchell_term))
        ),
        "variance by a night and a day's range"
      )
    ),
    "mean of the days"
  )
}

#' @export
working_of.imbroglio_volatility_series <- function(result, row) {
  returns <- attr(result, "source")
  this <- row_of_result(result, row)
  whole <- rows_of_security(returns, this$security)
  whole$rows$to <- this$to
  about <- list(
    returns = returns,
    this = this,
    basis = basis(result),
    fitted_on_all = TRUE
  )
  record <- volatility_estimators()[[this$method]]
  made <- estimator_working(record, about)
  list(
    rows = list(whole$rows),
    choices = c(list(year_choice(result, returns, this)), made$choices),
    steps = c(
      whole$steps,
      made$steps,
      list(step(
        "volatility_annual",
        quote(volatility * sqrt(per_year)),
        "volatility a year",
        "fraction"
      ))
    )
  )
}

estimator_working <- function(record, about) {
  if (is.null(record$working)) {
    own_working(about$this["volatility"], record)
  } else {
    record$working(about)
  }
}
