# The commands of the measures.

run_measure <- function(name) {
  force(name)
  function(files, options) {
    returns <- keep_measured(
      options, input_returns(input_prices(files, options, name), options, name)
    )
    options["sort_by"] <- list(options[["sort"]])
    hand_over_measured(call_with(measures()[[name]]$measure, returns, options), options)
  }
}

run_volatility <- function(files, options) {
  returns <- keep_measured(
    options, input_returns(input_prices(files, options, "volatility"), options, "volatility")
  )
  if (options$split) return(split_of_volatility(returns, options))
  if (options$parameters || !is.null(options$horizon)) {
    return(hand_over_measured(garch_of(returns, options), options))
  }
  if (options$series) {
    return(hand_over_measured(call_with(volatility_series, returns, options), options))
  }
  if (!options$by_window) {
    return(hand_over_measured(call_with(measure_volatility, returns, options), options))
  }
  result <- call_with(measure_volatility, returns, options)
  draw_to(result, options$figure, by_window = TRUE)
  options$figure <- NULL
  hand_over_measured(result, options)
}

split_of_volatility <- function(book, options) {
  hand_over_measured(call_with(split_volatility, book, options), options)
}

# GARCH with its parameters, or what it foretells.
garch_of <- function(returns, options) {
  method <- options$method %||% garch_methods()[1L]
  if (!all(method %in% garch_methods())) {
    ways <- paste(garch_methods(), collapse = " and ")
    fail("argument", sprintf("--parameters and --horizon are of --method %s.", ways))
  }
  innovations <- vapply(volatility_estimators()[method], `[[`, "", "innovations")
  fit <- fit_garch(returns, innovations = unname(innovations), per_year = options$per_year)
  if (is.null(options$horizon)) fit else stats::predict(fit, options$horizon)
}

run_beta <- function(files, options) {
  side_by_side <- length(options$every) > 1L || !is.null(options$spans)
  once <- options
  if (side_by_side) once["every"] <- list(NULL)
  returns <- keep_measured(
    options, input_returns(input_prices(files, once, "beta"), once, "beta")
  )
  # --last cuts the prices; --spans are what the function calls so.
  options["last"] <- list(options$spans)
  but <- if (!side_by_side) c("every", "last") else character()
  hand_over_measured(call_with(measure_beta, returns, options, but = but), options)
}

# Drawdown is of prices, unless a frequency is asked for.
run_drawdown <- function(files, options) {
  data <- input_prices(files, options, "drawdown")
  if (!is.null(options$every) || has_book(options)) {
    data <- input_returns(data, options, "drawdown")
  }
  keep_measured(options, data)
  if (options$series) {
    return(hand_over_measured(drawdown_series(data), options, measure_drawdown(data)))
  }
  if (!is.null(options$episodes)) {
    episodes <- drawdown_episodes(data, worst = options$episodes)
    return(hand_over_measured(episodes, options, measure_drawdown(data)))
  }
  hand_over_measured(call_with(measure_drawdown, data, options), options)
}

run_returns <- function(files, options) {
  if (options$split) return(split_of_returns(files, options))
  returns <- input_returns(input_prices(files, options, "returns"), options, "returns")
  if (options$measured || !is.null(options$window)) {
    return(hand_over_measured(call_with(measure_return, returns, options), options))
  }
  returns <- take_returns(returns, profits = TRUE)
  ending <- lower_case(tools::file_ext(options$out %||% ""))
  with_prices <- !is.null(returns$prices)
  if (is.null(options$format) && ending %in% c("xlsx", "parquet") && with_prices) {
    return(hand_over_workbook(returns, options))
  }
  result <- listed_returns(returns)
  hand_over(
    result,
    options,
    text = returns_text(returns, result),
    table = as.data.frame(result),
    plot = returns
  )
}

# --from and --to are the closes that it is split between, not a cut of the prices: what is held is
# worth what it is on the last date.
split_of_returns <- function(files, options) {
  span <- options[c("from", "to")]
  options[c("from", "to")] <- list(NULL)
  book <- input_returns(input_prices(files, options, "returns"), options, "returns")
  found <- do.call(split_return, c(list(book), Filter(Negate(is.null), list(
    over = options$over, from = span$from, to = span$to, by = options$by,
    holdings = options$held_by_date
  ))))
  hand_over_measured(found, options)
}

hand_over_workbook <- function(returns, options) {
  if (keep_result(options, listed_returns(returns))) return(0L)
  write_prices(returns$prices, options$out, returns$kind, returns$stated)
  say("Wrote ", options$out)
  draw_to(returns, options$figure)
  0L
}

listed_returns <- function(returns) {
  there <- which(!is.na(returns$values), arr.ind = TRUE)
  new_result(
    list(
      security = colnames(returns)[there[, 2L]],
      date = returns$dates[there[, 1L]],
      return = returns$values[there]
    ),
    "return_list",
    returns_basis(returns, sample_of(returns$dates, returns$values)),
    returns
  )
}

run_tracking <- function(files, options) {
  if (!options$split) return(run_measure("tracking")(files, options))
  if (is.null(options$benchmark)) {
    fail("argument", "A tracking error is against a benchmark.", remedy = "Give --benchmark NAME.")
  }
  book <- input_returns(input_prices(files, options, "tracking"), options, "tracking")
  split_of_volatility(book, options)
}

# The commands about the falls, and about measures through time: downside, ratios, capture, roll.

# The commands about what happened, and what of it would do today: worst, replay.

run_worst <- function(files, options) {
  returns <- input_returns(input_prices(files, options, "worst"), options, "worst")
  found <- call_with(worst_periods, returns, options)
  hand_over_measured(if (options$split) split_periods(found) else found, options)
}

run_replay <- function(files, options) {
  # A span is what is replayed; the book is as it is held today.
  span <- options[intersect(c("from", "to", "last", "during"), names(options))]
  if (length(span) && is.null(options$shock)) {
    options[names(span)] <- NULL
  }
  book <- input_returns(input_prices(files, options, "replay"), options, "replay")
  if (!inherits(book, "imbroglio_book")) {
    fail(
      "argument",
      "A book is replayed.",
      remedy = "Give --weights A=0.6,B=0.4, --shares A=100,B=50 or --holdings FILE."
    )
  }
  if (!is.null(options$shock)) {
    options$moves <- options$shock
    options$by <- options$carried_by
    return(hand_over_measured(call_with(shock_book, book, options), options))
  }
  if (length(span)) {
    dates <- book$returns$dates
    asked <- span_of(dates, span$from, span$to, span$last, span$during)
    options$periods <- stats::setNames(
      sprintf("%s:%s", asked$from, asked$to), sprintf("%s to %s", asked$from, asked$to)
    )
  }
  found <- call_with(replay, book, options)
  if (options$series) return(hand_over_measured(replay_series(found), options, found))
  hand_over_measured(if (options$split) split_replay(found) else found, options)
}
