# The workings of the worst periods: what was earned over each, how far from the usual, and the
# value at risk of the day before.

#' @export
working_of.imbroglio_worst <- function(result, row) {
  this <- row_of_result(result, row)
  source <- attr(result, "source")
  exact <- basis(result)$exact
  made <- with_row_before(rows_of_security(source, this$security), exact$horizon)
  beside <- beside_of_period(this, source, made$rows)
  value <- this$return_value %||% NA
  list(
    rows = list(made$rows, beside$rows),
    choices = list(
      level_choice(exact$level),
      choice("window", "returns of the value at risk before", exact$window, "count"),
      if (!is.na(value)) {
        choice("value", "what is held, in money", value / this$total_return, "money")
      }
    ),
    steps = c(
      without_kinds(made$steps),
      period_steps(this, source$kind, exact$horizon, made),
      before_steps(this, source, exact),
      beside$steps,
      list(
        if (!is.na(value)) {
          step("return_value", quote(total_return * value), "in money", "money")
        },
        if (!is.na(this$led_part %||% NA)) {
          said <- sprintf("what %s added to the return of the book", this$led_by)
          entered("led_part", this$led_part, said, "points", made_for = "*")
        }
      )
    ),
    main = "total_return"
  )
}

# Returns that were given begin with what was put in: a row before the first, as prices have.
with_row_before <- function(made, horizon) {
  columns <- made$rows$columns
  made$before <- made$rows$priced || any(grepl("price$", names(columns)))
  if (horizon == 1L || made$before) return(made)
  made$rows$columns <- lapply(columns, function(x) c(NA_real_, x))
  made$rows$dates <- c(made$rows$dates[1L] - 1, made$rows$dates)
  made$rows$from <- made$rows$dates[1L]
  made$before <- TRUE
  made
}

# `over`: what each run of so many returns came to, by its last date.
period_steps <- function(this, kind, horizon, made) {
  before <- made$before
  join <- switch(
    kind,
    simple = quote(recursion(1, previous * (1 + return))),
    quote(recursion(0, previous + return))
  )
  over <- if (kind == "simple") {
    bquote(grown / before(grown, .(horizon)) - 1)
  } else {
    bquote(grown - before(grown, .(horizon)))
  }
  one <- horizon == 1L
  lag <- if (before) bquote(row_of(date, to) - .(horizon)) else quote(row_of(date, to))
  list(
    if (!one) step("grown", join, "what was earned so far"),
    step(
      "over",
      if (one) quote(return + 0) else over,
      sprintf("what each run of %s came to", count(horizon, "return")),
      "fraction"
    ),
    date_of_period(this, made, horizon),
    first_of_period(this, made, horizon),
    step("return_over", bquote(value_at(over, .(lag))), "what this one came to", "fraction"),
    step(
      "total_return",
      if (kind == "log") quote(exp(return_over) - 1) else quote(return_over + 0),
      if (kind == "log") "as a simple return" else "the same",
      "fraction"
    ),
    step("usual", quote(sum(over) / count(over)), "mean of all such periods", "fraction"),
    step(
      "deviation",
      quote(sqrt(sum((over - usual)^2) / (count(over) - 1))),
      "their standard deviation",
      "fraction"
    ),
    step("deviations", quote((return_over - usual) / deviation), "how far from the usual")
  )
}

# That a worst period is the worst: it ends where the return over such a run is that much. Of later
# ranks several periods do not overlap, which is a search.
date_of_period <- function(this, made, horizon) {
  said <- "the last date of the period"
  searched <- entered("to", as.numeric(this$to), said, "date")
  dates <- made$rows$dates
  x <- if (!is.null(made$rows$columns$price)) {
    diff(made$rows$columns$price) / utils::head(made$rows$columns$price, -1L)
  }
  if (horizon > 1L || is.null(x) || made$rows$name != "prices") return(searched)
  rank <- if (this$side == "worst") this$rank else length(x) + 1L - this$rank
  day <- dates[-1L][match(sort(x)[rank], x)]
  if (!isTRUE(day == this$to)) return(searched)
  place <- if (this$side == "worst") {
    bquote(nth_smallest(over, .(this$rank)))
  } else {
    bquote(nth_smallest(over, count(over) - .(this$rank - 1)))
  }
  step("to", bquote(value_at(date, row_of(over, .(place)) + 1)), said, "date")
}

first_of_period <- function(this, made, horizon) {
  said <- "the first date of the period"
  dates <- made$rows$dates
  back <- horizon - 1
  at <- match(as.numeric(this$to), as.numeric(dates)) - back
  if (!isTRUE(dates[at] == this$from)) {
    return(entered("from", as.numeric(this$from), said, "date"))
  }
  step("from", bquote(value_at(date, row_of(date, to) - .(back))), said, "date")
}

nearest_of_window <- do.call(
  substitute,
  list(rank_expressions$nearest, list(n = quote(window)))
)

# The value at risk of the window before the period: what lies outside is set out of the way.
before_steps <- function(this, source, exact) {
  if (is.na(this$var_before)) return(NULL)
  there <- which(!is.na(source$values[, this$security]))
  first <- match(as.numeric(this$from), as.numeric(source$dates[there]))
  line <- quote(-nth_smallest(window_return, k))
  if (exact$horizon > 1L) line <- bquote(.(line) * sqrt(.(exact$horizon)))
  list(
    entered(
      "window_from",
      as.numeric(source$dates[there[first - exact$window]]),
      "the first date of the window before it",
      "date",
      made_for = "window"
    ),
    step(
      "window_return",
      quote(if_else((date < from) * (date >= window_from), return, 1e9)),
      "returns of the window; all others out of the way",
      "fraction"
    ),
    step(
      "expected",
      quote(round_half_up(window * (1 - level) * 1e9) / 1e9),
      "so many of them are beyond the level, freed of rounding"
    ),
    step("k", nearest_of_window, "which of the worst stands for it"),
    step("line", line, "the loss at it", "fraction"),
    step(
      "var_before",
      if (source$kind == "log") quote(1 - exp(-line)) else quote(line + 0),
      "value at risk of the day before",
      "fraction"
    )
  )
}

# The benchmark from the same close to the same close.
beside_of_period <- function(this, source, rows) {
  if (is.null(this$benchmark) || is.na(this$benchmark_return)) return(NULL)
  own <- source$dates[!is.na(source$values[, this$security])]
  if (is.null(source$prices)) {
    there <- source$dates >= this$from & source$dates <= this$to
    total <- if (source$kind == "simple") {
      quote(exp(sum(ln(1 + beside_return))) - 1)
    } else if (source$kind == "log") {
      quote(exp(sum(beside_return)) - 1)
    } else {
      quote(sum(beside_return))
    }
    columns <- list(beside_return = unname(source$values[there, this$benchmark]))
    dates <- source$dates[there]
  } else {
    first <- match(as.numeric(this$from), as.numeric(own))
    start <- source$start[match(this$security, colnames(source$values))]
    dates <- c(c(start, own)[first], this$to)
    at <- match(as.numeric(dates), as.numeric(source$prices$dates))
    columns <- list(beside_price = unname(source$prices$close[at, this$benchmark]))
    total <- quote(value_at(beside_price, 2) / value_at(beside_price, 1) - 1)
  }
  list(
    rows = with_sources(
      rows_of_working("beside", paste(this$benchmark, "over the period"), columns, dates),
      source, stats::setNames(this$benchmark, names(columns)),
      if (is.null(source$prices)) source$kind else "close"
    ),
    steps = list(step("benchmark_return", total, paste(this$benchmark, "beside"), "fraction"))
  )
}

#' @export
working_of.imbroglio_worst_split <- function(result, row) {
  this <- row_of_result(result, row)
  table <- as.data.frame(result)
  period <- table[table$side == this$side & table$rank == this$rank, ]
  of_book <- period$security == basis(result)$book$name
  apart <- sum(period$component[!of_book]) - sum(period$component[of_book])
  if (sum(of_book) != 1L || abs(apart) > 1e-9) {
    fail(
      "working",
      "The parts of a period are shown beside each other, and rows of this one are missing.",
      remedy = "Ask the whole result."
    )
  }
  short <- unique_names(period$security[!of_book])
  names <- paste0(short, "_part")
  own <- match(this$security, period$security[!of_book])
  list(
    rows = list(),
    choices = list(),
    steps = c(
      unlist(lapply(seq_along(short), part_steps, short, period[!of_book, ]), recursive = FALSE),
      list(
        step("in_all", sum_of(names), "all parts added up", "fraction"),
        entered("whole", period$component[of_book], "what the book did, measured", "fraction"),
        step("left", quote(in_all - whole), "what is left between them"),
        step(
          "component",
          if (is.na(own)) quote(in_all + 0) else as.name(names[own]),
          "the part asked for",
          "fraction"
        ),
        step("share", quote(component / in_all), "its share of the whole", "share"),
        entered("total_return", this$total_return, "what it returned itself", "fraction"),
        entered("weight", this$weight, "its weight at the close before", "share"),
        entered("from", as.numeric(this$from), "the first date of the period", "date"),
        entered("to", as.numeric(this$to), "the last", "date")
      )
    ),
    main = "component"
  )
}

# Weight times return, where nothing was brought back to its weight on the way.
part_steps <- function(j, short, period) {
  of <- function(suffix) paste0(short[j], "_", suffix)
  plain <- abs(period$weight[j] * period$total_return[j] - period$component[j]) < 1e-12
  said <- paste("what", period$security[j], "added")
  if (!plain) {
    return(list(entered(
      of("part"), period$component[j], paste(said, "on its days, earned on"), "fraction",
      proof = "left"
    )))
  }
  list(
    entered(of("weight"), period$weight[j], paste("weight of", period$security[j]), "share"),
    entered(
      of("return"), period$total_return[j], paste("return of", period$security[j]), "fraction"
    ),
    step(
      of("part"), call("*", as.name(of("weight")), as.name(of("return"))), said, "fraction"
    )
  )
}
