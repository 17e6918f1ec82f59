# The measures that can be followed through time, each once: what it is called, its unit, which
# side of a limit is the wrong one, what it needs, and how it is measured over windows.

# Of a rolling result of a measure, one of its columns.
column_over_time <- function(column, measure) {
  force(column)
  force(measure)
  over <- function(ask) {
    found <- measure(ask)
    list(
      security = found$security,
      benchmark = found[["benchmark"]] %||% rep(NA_character_, length(found$security)),
      from = found$from,
      to = found$to,
      n = found$n,
      estimate = found[[column]]
    )
  }
  # For its working: the result that it is a column of.
  structure(over, column = column, measure = measure)
}

measured_volatility <- function(ask) {
  measure_volatility(ask$returns, ask$window, ask$min_obs, ask$per_year)
}
measured_return <- function(ask) {
  measure_return(ask$returns, ask$window, ask$min_obs, ask$per_year, ask$risk_free)
}
measured_downside <- function(ask) {
  measure_downside(ask$returns, ask$target, 1, ask$window, ask$min_obs, ask$per_year)
}
measured_ratios <- function(ask) {
  measure_ratios(ask$returns, ask$target, 3L, ask$window, ask$min_obs, ask$per_year)
}
measured_drawdown <- function(ask) measure_drawdown(ask$returns, ask$window, ask$min_obs)
measured_beta <- function(ask) {
  measure_beta(
    ask$returns, ask$benchmark, ask$window, ask$min_obs,
    per_year = ask$per_year, risk_free = ask$risk_free
  )
}
measured_tracking <- function(ask) {
  measure_tracking(ask$returns, ask$benchmark, ask$window, ask$min_obs, ask$per_year)
}

# The figures of each window that only the core gives.
measured_figure <- function(name) {
  force(name)
  function(ask) {
    returns <- ask$returns
    frame <- window_frame(returns)
    found <- core_rolling_figures(
      returns$values,
      grown_of(returns$values, returns$kind),
      rep(0, ncol(returns$values)),
      figures_ask(returns, level = ask$level),
      ask$window,
      ask$min_obs %||% ask$window,
      match(name, figure_names) - 1L
    )
    columns <- frame$columns(ask$window)
    estimate <- frame$pick(matrix(found[, 1L, ], nrow(returns$values)))
    columns$benchmark <- rep(NA_character_, length(estimate))
    columns$estimate <- estimate
    columns[c("security", "benchmark", "from", "to", "n", "estimate")]
  }
}

# One series for all: the mean correlation of all pairs, on the dates that all have.
measured_likeness <- function(ask) {
  returns <- ask$of_holdings %||% ask$returns
  names <- setdiff(colnames(returns$values), if (is.character(ask$benchmark)) ask$benchmark)
  if (length(names) < 2L) {
    fail("argument", "The mean correlation is of two securities or more.")
  }
  both <- returns_together(returns, names)
  n <- length(both$dates)
  inside <- pmin(seq_len(n), ask$window)
  list(
    security = rep(ask$book_name %||% "all", n),
    benchmark = rep(NA_character_, n),
    from = both$dates[seq_len(n) - inside + 1L],
    to = both$dates,
    n = inside,
    estimate = core_rolling_likeness(both$r, ask$window, ask$min_obs %||% ask$window)
  )
}

# `wrong`: on which side of a limit it is broken. `depth`: it is told below 0, and limited by size.
# `positive`: it is never below 0, and so is no limit on it.
rolled <- function(title, unit, over, wrong = "above", beside = FALSE, depth = FALSE,
                   positive = unit == "fraction" && wrong == "above" && !depth) {
  list(
    title = title, unit = unit, over = over, wrong = wrong, beside = beside, depth = depth,
    positive = positive
  )
}

rolling_measures <- function() {
  list(
    volatility = rolled(
      "Volatility, a year", "fraction",
      column_over_time("volatility_annual", measured_volatility)
    ),
    var = rolled("Value at risk", "fraction", measured_figure("var")),
    es = rolled("Expected shortfall", "fraction", measured_figure("es")),
    drawdown = rolled(
      "Deepest fall", "fraction", column_over_time("max_drawdown", measured_drawdown),
      depth = TRUE
    ),
    semi_deviation = rolled(
      "Semi-deviation, a year", "fraction",
      column_over_time("semi_deviation_annual", measured_downside)
    ),
    return = rolled(
      "Return, a year", "fraction", column_over_time("return_annual", measured_return), "below"
    ),
    sharpe = rolled(
      "Sharpe ratio, a year", "two", column_over_time("sharpe_annual", measured_return), "below"
    ),
    sortino = rolled(
      "Sortino ratio, a year", "two", column_over_time("sortino_annual", measured_ratios), "below"
    ),
    skewness = rolled("Skewness", "two", measured_figure("skewness"), "below"),
    beta = rolled("Beta", "two", column_over_time("beta", measured_beta), beside = TRUE),
    correlation = rolled(
      "Correlation", "two", column_over_time("correlation", measured_tracking), beside = TRUE
    ),
    tracking_error = rolled(
      "Tracking error, a year", "fraction",
      column_over_time("tracking_error_annual", measured_tracking), beside = TRUE
    ),
    likeness = rolled("Mean correlation of all pairs", "two", measured_likeness)
  )
}
