# The commands about what may happen: fit, var, backtest.

run_fit <- function(files, options) {
  returns <- input_returns(input_prices(files, options, "fit"), options, "fit")
  # Parameters and quantiles are no tests, unless they are drawn.
  if ((options$parameters || !is.null(options$level)) && is.null(options$figure)) {
    options$test_draws <- 0L
  }
  fit <- call_with(fit_returns, returns, options)
  draw_to(fit, options$figure, view = options$view %||% "distribution")
  options$figure <- NULL
  if (options$parameters) {
    fit <- new_result(parameters_of(fit), "fit_parameters", basis(fit), attr(fit, "source"))
  } else if (!is.null(options$level)) {
    fit <- stats::predict(fit, options$level)
  }
  hand_over_measured(fit, options)
}

run_var <- function(files, options) {
  returns <- keep_measured(
    options, input_returns(input_prices(files, options, "var"), options, "var")
  )
  if (inherits(returns, "imbroglio_book")) {
    # What it is worth is known of the book.
    options["value"] <- list(NULL)
  } else if (options$draw || options$split || !is.null(options$paths)) {
    fail(
      "argument",
      "--draw, --paths and --split are of a book.",
      remedy = "Give --weights A=0.6,B=0.4, --shares A=100,B=50 or --holdings FILE."
    )
  }
  if (options$split) return(hand_over_measured(call_with(split_var, returns, options), options))
  if (options$draw || !is.null(options$paths)) return(run_draws(returns, options))
  if (options$thresholds) {
    if (!is.null(options$level)) options$level <- max(options$level)
    result <- call_with(tail_thresholds, returns, options, but = c("from", "to"))
    draw_to(result, options$figure, tail = options$tail %||% formals(measure_var)$tail)
  } else {
    result <- call_with(measure_var, returns, options)
    draw_to(result, options$figure, view = options$view)
  }
  options$figure <- NULL
  hand_over_measured(result, options)
}

run_draws <- function(book, options) {
  blocks <- block_methods()
  method <- check_choice(options$method %||% names(blocks)[1L], "method", names(blocks))
  options$blocks <- unname(blocks[method])
  if (!is.null(options$paths)) {
    most <- options$draws %||% formals(bootstrap_book)$draws
    check_whole(options$paths, "--paths", most = most)
  }
  drawn <- call_with(bootstrap_book, book, options)
  if (is.null(options$paths)) {
    return(hand_over_measured(drawn, options, extra = book_text(drawn)))
  }
  listed <- drawn_paths(drawn, seq_len(options$paths))
  result <- new_result(as.list(listed), "paths", basis(drawn), attr(drawn, "source"))
  hand_over_measured(result, options, drawn)
}

run_backtest <- function(files, options) {
  returns <- input_returns(input_prices(files, options, "backtest"), options, "backtest")
  tested <- call_with(backtest_var, returns, options)
  listing <- list(
    breaches = backtest_breaches,
    zones = backtest_zones,
    series = backtest_series
  )
  asked <- names(listing)[vapply(names(listing), function(name) isTRUE(options[[name]]), NA)]
  if (!length(asked)) return(hand_over_measured(tested, options))
  if (length(asked) > 1L) {
    fail("argument", sprintf("%s are listed one at a time.", some(paste0("--", asked))))
  }
  hand_over_measured(listing[[asked]](tested), options, tested)
}
