# The commands of the measures.

run_measure <- function(name) {
  force(name)
  function(files, options) {
    returns <- chosen_returns(chosen_prices(files, options, name), options, name)
    options["sort_by"] <- list(options[["sort"]])
    hand_over_measured(call_with(measures()[[name]]$measure, returns, options), options)
  }
}

volatility_command <- function() {
  list(
    says = "volatility, of the whole sample or rolling, by many methods",
    takes = "FILE...",
    options = c(
      choose, "every", "keep-unfinished", "kind", "window", "min-obs", "per-year", "method",
      "decay", "half-life", "errors", "draws", "seed", "confidence", "series", "parameters",
      "horizon", "by-window", "split", "by", book, hand_on
    ),
    example = c(
      paste0(
        "imbroglio volatility bay.csv bay-fund.csv --holdings bay-holdings.csv --split ",
        "--figure split.png"
      ),
      "imbroglio volatility bay.csv --security TARROW --window 20,60 --figure tarrow.png",
      "imbroglio volatility bay.csv bay-fund.csv --security TARROW,REEFFUND --during 2024",
      "imbroglio volatility bay-daily.csv.gz --method deviation,yang-zhang,garch",
      paste0(
        "imbroglio volatility bay.csv --security TARROW --window 6,20,40,250 --by-window ",
        "--figure now.png"
      )
    ),
    run = run_volatility
  )
}

run_volatility <- function(files, options) {
  returns <- chosen_returns(chosen_prices(files, options, "volatility"), options, "volatility")
  if (options$split) return(split_of_volatility(returns, options))
  if (options$parameters || !is.null(options$horizon)) {
    return(hand_over_measured(garch_of(returns, options), options))
  }
  if (options$series) {
    return(hand_over_measured(call_with(volatility_series, returns, options), options))
  }
  result <- call_with(measure_volatility, returns, options)
  if (options$by_window) {
    draw_to(result, options$figure, by_window = TRUE)
    options$figure <- NULL
  }
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

beta_command <- function() {
  list(
    says = "alpha and beta against a benchmark, with their errors",
    takes = "FILE...",
    options = c(
      choose, "benchmark", "every", "spans", "keep-unfinished", "kind", "window", "min-obs",
      "per-year", "risk-free", "errors", "lags", "together", "confidence", book, hand_on
    ),
    example = c(
      "imbroglio beta bay.csv --benchmark BAYALL --security TARROW --figure line.png",
      paste0(
        "imbroglio beta bay.csv --benchmark BAYALL --security TARROW --every ",
        "day,week,month --spans \"1 year,5 years\""
      )
    ),
    run = run_beta
  )
}

run_beta <- function(files, options) {
  side_by_side <- length(options$every) > 1L || !is.null(options$spans)
  once <- options
  if (side_by_side) once["every"] <- list(NULL)
  returns <- chosen_returns(chosen_prices(files, once, "beta"), once, "beta")
  # --last cuts the prices; --spans are what the function calls so.
  options["last"] <- list(options$spans)
  but <- if (!side_by_side) c("every", "last") else character()
  hand_over_measured(call_with(measure_beta, returns, options, but = but), options)
}

drawdown_command <- function() {
  list(
    says = "the deepest fall from a high, and when it was made good",
    takes = "FILE...",
    options = c(
      choose, "every", "keep-unfinished", "window", "min-obs", "level", "episodes", "series",
      book, hand_on
    ),
    example = c(
      "imbroglio drawdown bay.csv --security BAYALL --last \"8 years\" --figure fall.png",
      "imbroglio drawdown bay.csv --security BAYALL --episodes 5"
    ),
    run = run_drawdown
  )
}

# Drawdown is of prices, unless a frequency is asked for.
run_drawdown <- function(files, options) {
  data <- chosen_prices(files, options, "drawdown")
  if (!is.null(options$every) || has_book(options)) {
    data <- chosen_returns(data, options, "drawdown")
  }
  if (options$series) {
    return(hand_over_measured(drawdown_series(data), options, measure_drawdown(data)))
  }
  if (!is.null(options$episodes)) {
    episodes <- drawdown_episodes(data, worst = options$episodes)
    return(hand_over_measured(episodes, options, measure_drawdown(data)))
  }
  hand_over_measured(call_with(measure_drawdown, data, options), options)
}

returns_command <- function() {
  list(
    says = "returns from prices; measured: total, a year, mean, spread, best and worst",
    takes = "FILE...",
    options = c(
      choose, "every", "keep-unfinished", "kind", "measured", "window", "min-obs", "per-year",
      "risk-free", "split", "over", "by", "held-by-date", book, hand_on
    ),
    example = c(
      "imbroglio returns bay.csv --security BAYALL --every month --out monthly.csv",
      paste0(
        "imbroglio returns bay.csv bay-fund.csv --holdings bay-holdings.csv --split --over ",
        "\"day,month,year to date\" --figure added.png"
      )
    ),
    run = run_returns
  )
}

run_returns <- function(files, options) {
  if (options$split) return(split_of_returns(files, options))
  returns <- chosen_returns(chosen_prices(files, options, "returns"), options, "returns")
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
  book <- chosen_returns(chosen_prices(files, options, "returns"), options, "returns")
  found <- do.call(split_return, c(list(book), Filter(Negate(is.null), list(
    over = options$over, from = span$from, to = span$to, by = options$by,
    holdings = options$held_by_date
  ))))
  hand_over_measured(found, options)
}

hand_over_workbook <- function(returns, options) {
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

summary_command <- function() {
  list(
    says = "one page of a whole universe, sorted as you like",
    takes = "FILE...",
    options = c(
      choose, "every", "keep-unfinished", "kind", "benchmark", "level", "per-year", "risk-free",
      "sort", book, hand_on
    ),
    example = paste0(
      "imbroglio summary bay.csv --benchmark BAYALL --sort volatility_annual --out ",
      "universe.csv"
    ),
    run = run_measure("summary")
  )
}

tracking_command <- function() {
  list(
    says = "tracking error and information ratio against a benchmark",
    takes = "FILE...",
    options = c(
      choose, "benchmark", "every", "keep-unfinished", "kind", "window", "min-obs", "per-year",
      "errors", "draws", "seed", "split", "by", book, hand_on
    ),
    example = c(
      "imbroglio tracking bay.csv --benchmark BAYALL --last \"1 year\"",
      paste0(
        "imbroglio tracking bay.csv --securities bay-securities.csv --weights ",
        "OSSELL=0.6,TARROW=0.4 --benchmark BAYALL --split --by group"
      )
    ),
    run = run_tracking
  )
}

run_tracking <- function(files, options) {
  if (!options$split) return(run_measure("tracking")(files, options))
  if (is.null(options$benchmark)) {
    fail("argument", "A tracking error is against a benchmark.", remedy = "Give --benchmark NAME.")
  }
  book <- chosen_returns(chosen_prices(files, options, "tracking"), options, "tracking")
  split_of_volatility(book, options)
}

concentration_command <- function() {
  list(
    says = "how many holdings of one size, and how many bets, a book is",
    takes = "FILE...",
    options = c(
      choose, "every", "keep-unfinished", "window", "min-obs", "per-year", but_how_held, hand_on
    ),
    example = "imbroglio concentration bay.csv bay-fund.csv --holdings bay-holdings.csv",
    run = run_measure("concentration")
  )
}

correlation_command <- function() {
  list(
    says = "which securities move alike; weighted, shrunk or rolling",
    takes = "FILE...",
    options = c(
      choose, "every", "keep-unfinished", "kind", "on", "window", "min-obs", "decay",
      "half-life", "shrink", "confidence", book, hand_on
    ),
    example = "imbroglio correlation bay.csv --on pairwise --figure alike.png",
    run = run_measure("correlation")
  )
}
