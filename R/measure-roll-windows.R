# How the measures that can be followed through time are measured over windows: see followed() and
# the records.

# A column of a rolling result of a measure, which takes of what is asked what it knows.
column_over_time <- function(column, measure) {
  force(column)
  known <- intersect(
    names(formals(measure)),
    c("benchmark", "window", "min_obs", "target", "risk_free", "per_year")
  )
  rolling <- function(request) {
    do.call(measure, c(list(request$returns), request[intersect(known, names(request))]))
  }
  over <- function(request) {
    found <- rolling(request)
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
  structure(over, column = column, measure = rolling)
}

# The figures of each window that only the core gives.
figure_over_time <- function(name) {
  force(name)
  function(request) {
    returns <- request$returns
    frame <- window_frame(returns)
    found <- core_rolling_figures(
      returns$values,
      grown_of(returns$values, returns$kind),
      rep(0, ncol(returns$values)),
      figures_ask(returns, level = request$level),
      request$window,
      request$min_obs %||% request$window,
      match(name, figure_names) - 1L
    )
    columns <- frame$columns(request$window)
    estimate <- frame$pick(matrix(found[, 1L, ], nrow(returns$values)))
    columns$benchmark <- rep(NA_character_, length(estimate))
    columns$estimate <- estimate
    columns[c("security", "benchmark", "from", "to", "n", "estimate")]
  }
}

# One series for all: the mean correlation of all pairs, on the dates that all have.
mean_correlation_over_time <- function(request) {
  returns <- request$of_holdings %||% request$returns
  benchmark <- if (is.character(request$benchmark)) request$benchmark
  names <- setdiff(colnames(returns$values), benchmark)
  if (length(names) < 2L) {
    fail("argument", "The mean correlation is of two securities or more.")
  }
  both <- returns_together(returns, names)
  n <- length(both$dates)
  inside <- pmin(seq_len(n), request$window)
  least <- request$min_obs %||% request$window
  list(
    security = rep(request$book_name %||% "all", n),
    benchmark = rep(NA_character_, n),
    from = both$dates[seq_len(n) - inside + 1L],
    to = both$dates,
    n = inside,
    estimate = core_rolling_mean_correlation(both$r, request$window, least)
  )
}
