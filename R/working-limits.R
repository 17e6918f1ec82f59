# The working of a limit: that of the measure, and how far it is from the limit.

#' @export
working_of.imbroglio_limits <- function(result, row) {
  this <- row_of_result(result, row)
  request <- attr(result, "request")
  # What is held short is called so.
  of <- this$security
  if (!is.null(request$book)) {
    short <- match(of, short_name(request$book$security))
    if (!is.na(short)) of <- request$book$security[short]
  }
  line <- c(list(of = of), this[setdiff(same_limit, c("of", "window", "unit"))])
  line$window <- this$lookback
  line$unit <- this[["unit"]] %||% NA_character_
  made <- limit_steps(line, request, this)
  made$steps <- estimate_over_drawings(made$steps, line, request)
  if (!is.na(line$unit)) {
    made$steps <- c(renamed_steps(made$steps, c(estimate = "fraction")), list(
      entered("worth", worth_of_limit(line, request), "what is held of it", "money"),
      step("estimate", quote(fraction * worth), "in money", "money")
    ))
  }
  record <- limit_measures()[[this$measure]]
  size <- if (record$depth) {
    quote(-estimate)
  } else if (this$measure == "weight") {
    quote(abs(estimate))
  } else {
    quote(estimate)
  }
  list(
    rows = made$rows,
    choices = c(
      made$choices,
      list(
        choice("limit", "limit", this$limit),
        if (!is.na(this$warn)) choice("warn", "where it warns", this$warn)
      )
    ),
    steps = c(made$steps, list(
      step(
        "over",
        if (record$wrong == "above") bquote(.(size) - limit) else bquote(limit - .(size)),
        "how far beyond the limit"
      ),
      if (!is.na(this$after)) {
        entered("after", this$after, paste("after the trade:", this$trade), made_for = "*")
      }
    ), came_of_steps(attr(result, "sides")[[key_of_limit(this)]], this)),
    main = "estimate"
  )
}

# What broke it: the estimates of four sides.
came_of_steps <- function(sides, this) {
  if (is.null(sides) || is.na(this$of_market)) return(NULL)
  on <- sprintf("with the prices and holdings of %s", this$within_on)
  list(
    entered("neither", sides$neither, on, made_for = "*"),
    entered(
      "untraded", sides$market, sprintf("with the holdings of %s, prices of now", this$within_on),
      made_for = "*"
    ),
    entered(
      "trades_alone", sides$trades,
      sprintf("with the prices of %s, holdings of now", this$within_on), made_for = "*"
    ),
    step(
      "of_market", quote(((untraded - neither) + (estimate - trades_alone)) / 2),
      "of the market: the mean of going first and of going last"
    ),
    step(
      "of_trades", quote(((trades_alone - neither) + (estimate - untraded)) / 2),
      "of trades: the mean of going first and of going last"
    )
  )
}

estimate_over_drawings <- function(steps, line, request) {
  if (length(request$books) < 2L) return(steps)
  each <- lapply(request$books, function(book) {
    request$book <- book
    request$returns <- book$returns
    series <- limited_series(line, request)$estimate
    series[length(series)]
  })
  if (length(unique(each)) < 2L) return(steps)
  with_drawings(steps, "estimate", list(
    first = data.frame(estimate = each[[1L]]), each = list(estimate = each)
  ), 1L)
}

limit_steps <- function(line, request, this) {
  record <- limit_measures()[[line$measure]]
  if (record$of_book) {
    said <- switch(
      line$measure,
      weight = "what it is of the book today",
      share = "its share of the volatility, as the split by holding shows",
      "of the book today, as its concentration shows"
    )
    return(list(
      rows = list(),
      steps = list(entered("estimate", this$estimate, said, made_for = "*"))
    ))
  }
  returns <- limited_returns(line, request)
  if (line$measure == "loss") return(lost_steps(line, returns))
  if (line$measure == "fall") {
    found <- drawdown_series(returns)
    made <- working_of(found, nrow(found))
    made$steps <- named_estimate(made$steps, "drawdown")
    return(made)
  }
  if (!is.na(line$period)) {
    returns <- suppressMessages(
      as_returns(returns, kind = returns$kind, every = line$period), classes = "imbroglio_note"
    )
  }
  quiet <- function(e) suppressWarnings(e, classes = "imbroglio_warning")
  periods <- if (record$in_time) periods_of_limit(line, returns) else 1L
  by_root <- line$method %in% "historical" && (periods == 1L || returns$kind != "log")
  if (record$in_time && !by_root) {
    last <- stats::window(returns, last = count(line$window, "return"))
    found <- quiet(measure_var(last, line$level, periods, line$method))
    made <- working_of(found, 1L)
    made$steps <- renamed_steps(made$steps, stats::setNames("estimate", line$measure))
    return(made)
  }
  found <- quiet(roll_measures(
    returns, line$measure, line$window,
    benchmark = if (record$beside) request$benchmark,
    level = if (is.na(line$level)) 0.99 else line$level
  ))
  made <- working_of(found, nrow(found))
  if (periods > 1L) {
    made$choices <- c(made$choices, list(
      choice("horizon", sprintf("periods that %s are", line$horizon), periods, "count")
    ))
    made$steps <- c(renamed_steps(made$steps, c(estimate = "one_period")), list(step(
      "estimate", quote(one_period * sqrt(horizon)), "over the horizon, by its root", "fraction"
    )))
  }
  made
}

# The loss over the time that ends on the last date.
lost_steps <- function(line, returns) {
  there <- which(!is.na(returns$values[, 1L]))
  dates <- returns$dates[there]
  n <- if (grepl(" to date$", line$period)) {
    part <- frequencies[[sub(" to date$", "", line$period)]]$period(dates)
    sum(part == part[length(part)])
  } else {
    periods_of_limit(line, returns, line$period)
  }
  sample <- rows_of_security(
    returns, colnames(returns$values)[1L], from = dates[length(dates) - n + 1L]
  )
  lost <- of_kind(
    returns$kind, quote(1 - exp(sum(ln(1 + return)))), quote(1 - exp(sum(return))),
    quote(0 - sum(return))
  )
  list(
    rows = list(sample$rows),
    steps = c(sample$steps, list(step(
      "estimate", lost$taken, paste("loss of", line$period), "fraction", lost$others
    )))
  )
}
