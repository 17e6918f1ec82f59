# The workings of drawdowns: wealth, its high so far, how far below.

#' @export
working_of.imbroglio_drawdown <- function(result, row) {
  this <- row_of_result(result, row)
  made <- wealth_working(result, this)
  if (is.null(this$window)) {
    made$choices <- list(drawdown_year(result, this), level_choice(basis(result)$exact$level))
  }
  made$steps <- c(made$steps, drawdown_number_steps(result, this, made$rows[[1L]]))
  made$shows <- if (is.null(this$window)) list(turning_points(this, made$rows[[1L]]))
  made$main <- "max_drawdown"
  made
}

# Wealth from prices, or from returns with what was put in before them.
wealth_working <- function(result, this) {
  source <- attr(result, "source")
  additive <- identical(basis(result)$kind, "profit")
  span <- c(if (!is.null(this$window) || !is.null(this$date)) as.Date(this$to))
  if (inherits(source, "imbroglio_prices")) {
    there <- which(!is.na(source$close[, this$security]))
    dates <- source$dates[there]
    start <- if (is.null(this$window)) 1L else row_before(this$from, dates)
    held <- held_then(list(prices = source), this$security, dates, start)
    rows <- rows_of_prices(
      closes_text(this$security, held),
      held$columns %||% list(price = unname(source$close[there, this$security])),
      dates,
      dates[1L],
      dates[length(dates)],
      window = FALSE
    )
    rows <- with_sources(rows, list(prices = source), held$of %||% c(price = this$security))
    first <- c(
      held$steps, list(step("wealth", quote(price), "wealth: the price itself"))
    )
  } else {
    sample <- rows_of_security(source, this$security, if (!is.null(this$window)) this$from)
    rows <- sample$rows
    if (isTRUE(rows$priced)) {
      wealth <- step("wealth", quote(price / value_at(price, 1)), "wealth, of 1 put in")
      first <- c(sample$steps, list(wealth))
    } else {
      # Holdings that have prices have a row before the first return.
      if (!any(grepl("price$", names(rows$columns)))) {
        start <- source$start[match(this$security, colnames(source$values))]
        rows$columns <- lapply(rows$columns, function(x) c(NA_real_, x))
        rows$dates <- c(if (is.na(start)) rows$dates[1L] - 1L else start, rows$dates)
        rows$from <- rows$dates[1L]
        rows$put_in <- TRUE
      }
      grown <- if (additive) {
        quote(recursion(0, previous + return))
      } else if (source$kind == "log") {
        quote(recursion(1, previous * exp(return)))
      } else {
        quote(recursion(1, previous * (1 + return)))
      }
      first <- c(sample$steps, list(step("wealth", grown, "wealth, of what was put in")))
    }
  }
  if (!is.null(this$window)) rows$from <- rows$dates[row_before(this$from, rows$dates)]
  if (length(span)) rows$to <- span
  rows$window <- length(span) > 0L
  list(
    rows = list(rows),
    choices = list(),
    steps = c(first, below_steps(additive, isTRUE(rows$priced)))
  )
}

# The value before the first return of a window is where it starts from.
row_before <- function(from, dates) max(1L, match(as.numeric(from), as.numeric(dates)) - 1L)

# Of returns without prices what was put in stands before the first.
wealth_steps_of_rows <- function(rows, kind) {
  first <- if (isTRUE(rows$priced)) {
    quote(price / value_at(price, 1))
  } else if (kind == "log") {
    quote(recursion(exp(return), previous * exp(return)))
  } else {
    quote(recursion(1 + return, previous * (1 + return)))
  }
  high <- if (!isTRUE(rows$priced)) {
    quote(recursion(higher_of(1, wealth), higher_of(previous, wealth)))
  } else {
    quote(recursion(wealth, higher_of(previous, wealth)))
  }
  c(
    list(step("wealth", first, "wealth, of 1 put in")),
    below_steps(FALSE, isTRUE(rows$priced), high)
  )
}

below_steps <- function(additive, priced,
                        high = quote(recursion(wealth, higher_of(previous, wealth)))) {
  list(
    step("high", high, "the highest so far"),
    step(
      "below",
      if (additive) {
        quote(wealth - high)
      } else if (priced) {
        quote(wealth / high - 1)
      } else {
        # What was multiplied out is back at a high but for rounding.
        quote(if_else(wealth >= high * (1 - 2^-40), 0, wealth / high - 1))
      },
      "how far below that",
      "fraction"
    )
  )
}

drawdown_number_steps <- function(result, this, rows) {
  known <- function(name) !is.na(this[[name]] %||% NA)
  c(
    deepest_steps(),
    list(
      step("m", quote(count(below) - 1), "dates after the first", "count"),
      step("under_water", quote(sum(below < 0) / m), "share of them below a high", "share"),
      step("pain", quote(-sum(below) / m), "mean depth", "fraction"),
      step("ulcer", quote(sqrt(sum(below^2) / m)), "root of the mean square", "fraction")
    ),
    average_fall_steps(),
    if (known("recovery")) recovery_steps(),
    if (known("drawdown_at_risk")) at_risk_steps(),
    if (known("return_over_drawdown") && rows$name == "prices") {
      over_drawdown_steps(is.null(basis(result)$exact$per_year))
    }
  )
}

deepest_steps <- function() {
  list(
    step("max_drawdown", quote(minimum(below)), "the deepest", "fraction"),
    step("trough_row", quote(row_of(below, max_drawdown)), "the row on which it stands", "count"),
    step("trough", quote(value_at(date, trough_row)), "its date", "date"),
    step(
      "since",
      quote(recursion(0, if_else(wealth < high, previous + 1, 0))),
      "rows since the high",
      "count"
    ),
    step(
      "peak_row",
      quote(trough_row - value_at(since, trough_row)),
      "the row of the high",
      "count"
    ),
    step("peak", quote(value_at(date, peak_row)), "its date", "date")
  )
}

# The first row behind the deepest that is no more below the high.
recovery_steps <- function() {
  list(
    step("row_here", quote(recursion(1 + 0 * below, previous + 1)), "which row", "count"),
    step(
      "back", quote(if_else((row_here > trough_row) * (below >= 0), row_here, 1e9)),
      "rows at a high behind the deepest; all others out of the way", "count"
    ),
    step("recovery", quote(value_at(date, minimum(back))), "the first of them", "date")
  )
}

average_fall_steps <- function() {
  list(
    step(
      "deepest",
      quote(recursion(0, if_else(below < 0, lower_of(previous, below), 0))),
      "the deepest of a fall so far",
      "fraction"
    ),
    step(
      "ended",
      quote(if_else(below < 0, 0, before(deepest))),
      "and where a fall ended",
      "fraction"
    ),
    step("last_fall", quote(value_at(deepest, m + 1)), "the fall that goes on", "fraction"),
    step("fallen", quote(sum(ended < 0) + (last_fall < 0)), "how many falls there were", "count"),
    step(
      "average_drawdown",
      quote((sum(ended) + last_fall) / higher_of(fallen, 1)),
      "mean of the deepest of all falls; 0 where there was none",
      "fraction"
    )
  )
}

at_risk_steps <- function() {
  list(
    step("depth", quote(-below), "depth", "fraction"),
    step("place", quote((m - 1) * level + 2), "place of the quantile among the depths"),
    step(
      "drawdown_at_risk",
      quote(
        nth_smallest(depth, round_down(place)) +
          (place - round_down(place)) *
            (nth_smallest(depth, lower_of(round_down(place) + 1, m + 1)) -
              nth_smallest(depth, round_down(place)))
      ),
      "depth that is not exceeded with that chance",
      "fraction"
    )
  )
}

over_drawdown_steps <- function(dated) {
  list(
    if (dated) {
      step(
        "years",
        quote(years_between(value_at(date, 1), value_at(date, count(date)))),
        "years by the calendar"
      )
    } else {
      step("years", quote(m / per_year), "years, by the periods a year that were given")
    },
    step(
      "return_over_drawdown",
      quote(((value_at(wealth, m + 1) / value_at(wealth, 1))^(1 / years) - 1) / -max_drawdown),
      "return a year over it"
    )
  )
}

# The high that it fell from, the low, and where it was back.
turning_points <- function(this, rows) {
  dates <- c(peak = this$peak, trough = this$trough, recovery = this$recovery)
  dates <- dates[!is.na(dates)]
  if (!length(dates) || is.null(rows$columns$price)) return(NULL)
  list(
    title = if (is.na(this$recovery)) {
      "The high that it fell from, and the low; it is not back yet"
    } else {
      "The high that it fell from, the low, and where it was back"
    },
    table = data.frame(
      what = names(dates),
      date = unname(dates),
      price = rows$columns$price[match(as.numeric(dates), as.numeric(rows$dates))]
    )
  )
}

drawdown_year <- function(result, this) {
  taken <- basis(result)$exact$per_year
  if (!is.null(taken)) choice("per_year", "periods a year", taken)
}
