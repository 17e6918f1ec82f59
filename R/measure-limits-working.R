# The working of a limit: that of the measure, and how far it is from the limit.

#' @export
working_of.imbroglio_limits <- function(result, row) {
  this <- row_of_result(result, row)
  ask <- attr(result, "ask")
  line <- list(of = this$security, measure = this$measure)
  made <- limit_steps(line, ask, this)
  made$steps <- estimate_over_drawings(made$steps, line, ask)
  record <- limit_measures()[[this$measure]]
  size <- if (record$depth) {
    quote(-estimate)
  } else if (this$measure == "weight") {
    quote(abs(estimate))
  } else {
    quote(estimate)
  }
  list(
    asks = measures()$limits$asks,
    rows = made$rows,
    choices = c(
      made$choices,
      list(
        chosen("limit", "limit", this$limit),
        if (!is.na(this$warn)) chosen("warn", "where it warns", this$warn)
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
    )),
    main = "estimate"
  )
}

estimate_over_drawings <- function(steps, line, ask) {
  if (length(ask$books) < 2L) return(steps)
  each <- lapply(ask$books, function(book) {
    ask$book <- book
    ask$returns <- book$returns
    series <- limited_series(line, ask)$estimate
    series[length(series)]
  })
  if (length(unique(each)) < 2L) return(steps)
  with_drawings(steps, "estimate", list(
    first = data.frame(estimate = each[[1L]]), each = list(estimate = each)
  ), 1L)
}

limit_steps <- function(line, ask, this) {
  if (line$measure %in% of_book_only) {
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
  returns <- limited_returns(line, ask)
  if (line$measure == "loss") {
    sample <- rows_of_security(returns, colnames(returns$values)[1L])
    last <- quote(value_at(return, count(return)))
    loss <- if (returns$kind == "log") bquote(1 - exp(.(last))) else bquote(0 - .(last))
    return(list(
      rows = list(sample$rows),
      steps = c(sample$steps, list(step("estimate", loss, "loss of the last period", "fraction")))
    ))
  }
  if (line$measure == "fall") {
    found <- drawdown_series(returns)
    made <- working_of(found, nrow(found))
    made$steps <- named_estimate(made$steps, "drawdown")
    return(made)
  }
  found <- suppressWarnings(roll_measures(
    returns, line$measure, ask$window,
    benchmark = if (rolling_measures()[[line$measure]]$beside) ask$benchmark,
    level = ask$level
  ), classes = "imbroglio_warning")
  working_of(found, nrow(found))
}
