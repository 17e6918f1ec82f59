#' How a number came about
#'
#' Every number of a result, derived step by step from the prices or returns that it stands on:
#' what was chosen, and what else would have given; the data; the steps, each a formula with its
#' numbers put in; the observations that decided; and the number itself, with the difference of
#' the working's own arithmetic from it.
#'
#' A working is one description with several readings: as text when it is printed, as data (a
#' tibble whose column `expression` holds R calls over the names of earlier steps and of columns
#' of data, exported by [working_json()]), as mathematics ([working_page()]), and as live formulas
#' of a spreadsheet ([write_workbook()]). It is evaluated by a small language of its own that
#' knows some forty functions and nothing else; the core that measures is not asked again, so that
#' the two check each other.
#'
#' What was searched (a likelihood) or drawn (a bootstrap) is entered as a value, and proved by
#' steps beside it: the likelihood there and a step to each side, the draws that decided.
#'
#' Of a price table it is the working of a price: what was delivered, what [repair_prices()] put
#' right in it, and the splits and dividends that [adjust_prices()] took into it.
#'
#' Of a book it is that of what is held: the weight, price and value of one holding.
#'
#' @param result The result of a `measure_*()` function or another that gives results; or a price
#'   table, or a book.
#' @param security,method,benchmark,family,level,window,horizon Which row, where the result has
#'   several; the first that is left is taken, and said.
#' @param date Of a rolling result, a series or a price the date: the last on or before it. By
#'   default the last.
#' @param number Which column of the row; by default the measure's own. `"all"`: all that have a
#'   working.
#' @return An `imbroglio_working`: a tibble with a row for each step and the columns `step`,
#'   `words`, `expression` (a list of calls; `NULL` where a value is entered), `value` (a list: a
#'   number, or a value for each row), `unit` and `source`.
#' @section Errors: `imbroglio_error_argument` for a row or column that is not there;
#'   `imbroglio_error_working` for a number that has no working.
#' @eval concepts_in_docs("show_working")
#' @family what a result is
#' @family ways to hand on
#' @examples
#' prices <- read_prices(demo_file("bay.csv"))
#' show_working(measure_volatility(prices), security = "TARROW")
#' show_working(measure_var(prices), security = "BAYALL")
#' traded <- read_prices(demo_file("bay-daily.csv.xz"), price = "close")
#' adjusted <- adjust_prices(traded, demo_file("bay-actions.csv"))
#' show_working(adjusted, security = "TARROW", date = "2020-03-20")
#' show_working(as_portfolio(prices, shares = c(OSSELL = 100, TARROW = 50)), security = "TARROW")
#' @export
show_working <- function(result, security = NULL, date = NULL, method = NULL, number = NULL,
                         benchmark = NULL, family = NULL, level = NULL, window = NULL,
                         horizon = NULL) {
  picks <- list(
    security = security, method = method, benchmark = benchmark, family = family, level = level,
    window = window, horizon = horizon
  )
  if (inherits(result, "imbroglio_prices")) {
    refuse_picks(c(picks[-1L], list(number = number)))
    return(price_working(result, security, date))
  }
  if (inherits(result, "imbroglio_book")) result <- holdings_table(result)
  # What is no result any more is told.
  basis(result)
  refuse_without_data(result, "A working")
  row <- row_to_show(result, picks, date)
  working <- working_of_row(result, row, number)
  if (is.null(working)) fail("working", "No number of that row is known.")
  working
}

working_of_row <- function(result, row, number = NULL) {
  if (!inherits(result, "imbroglio_result")) {
    fail("argument", "A working is of a result.", where = sprintf("This is %s.", shown(result)))
  }
  made <- with_span(working_of(result, row), row_of_result(result, row))
  if (!is.null(number) && !any(vapply(made$steps, function(s) identical(s$name, number), NA))) {
    made <- with_more(made)
  }
  if (identical(number, "all")) return(whole_working(result, row, made))
  asked <- number_to_show(result, made, number)
  if (is.na(asked)) {
    fail("working", sprintf("No number of row %s is known.", count(row)))
  }
  if (is.na(result[[asked]][row])) {
    fail(
      "working",
      sprintf("%s is not known there, so there is nothing to show.", asked),
      where = sprintf("Row %s of the result.", count(row))
    )
  }
  written <- written_working(asked, made$rows, made$choices, made$steps)
  new_working(made, written, asked, about_row(result, row, asked))
}

# With the first and the last date and how many lie between, where no step of it says so.
with_span <- function(made, this) {
  have <- vapply(Filter(Negate(is.null), made$steps), `[[`, "", "name")
  dated <- Find(function(r) !is.null(r$dates), made$rows)
  if (is.null(dated)) return(made)
  used <- dated$dates[rows_used(dated)]
  if (!isTRUE(used[length(used)] == this$to)) return(made)
  # A return begins with the price before it.
  at <- match(this$from %||% NA, used)
  span <- list(
    if (at %in% 1:2) step(
      "from", bquote(value_at(date, .(at))),
      if (at == 2L) "the first date, behind the price that is before" else "the first date", "date"
    ),
    step("to", quote(value_at(date, count(date))), "the last date", "date"),
    if (at %in% 1:2 && isTRUE(length(used) - this$n == at - 1)) {
      step("n", if (at == 2L) quote(count(date) - 1) else quote(count(date)), "how many", "count")
    } else if (identical(at, 1L) && isTRUE(length(used) - this$n == 1)) {
      step("n", quote(count(date) - 1), "how many from one date to the next", "count")
    }
  )
  columns <- unlist(lapply(made$rows, function(r) names(r$columns)))
  taken <- c(have, columns)
  span <- Filter(function(s) !is.null(s) && !s$name %in% taken, span)
  made$steps <- c(made$steps, span)
  # What says on what a number stands is none that is asked for.
  made$span <- vapply(span, `[[`, "", "name")
  made
}

# With what is made only where it is asked for.
with_more <- function(made) {
  more <- if (!is.null(made$more)) made$more()
  for (part in c("rows", "choices", "steps")) made[[part]] <- c(made[[part]], more[[part]])
  made
}

# With all numbers of the row that are known and have a working; NULL where none is.
whole_working <- function(result, row, made) {
  known <- numbers_with_working(result, made)
  finite <- vapply(known, function(name) is.finite(as.numeric(result[[name]][row])), NA)
  known <- known[finite]
  if (!length(setdiff(known, made$span))) return(NULL)
  main <- intersect(c(made$main, readings_column(result), rev(known)), known)[1L]
  written <- written_working(known, made$rows, made$choices, made$steps)
  new_working(made, written, main, about_row(result, row, main))
}

numbers_with_working <- function(result, made) {
  steps <- made$steps[!vapply(made$steps, is.null, NA)]
  intersect(names(result), vapply(steps, `[[`, "", "name"))
}

# Whether a result has a row for each date.
through_time <- function(result) {
  !is.null(result[["window"]]) ||
    attr(result, "measure") %in% c("volatility_series", "drawdown_series", "history")
}

refuse_picks <- function(picks) {
  taken <- names(Filter(Negate(is.null), picks))
  if (length(taken)) {
    fail("argument", sprintf("A price has no `%s` to pick.", taken[1L]))
  }
}

# The row that is meant.
row_to_show <- function(result, picks, date) {
  table <- as.data.frame(result)
  if (!nrow(table)) fail("argument", "The result has no row to show the working of.")
  rows <- seq_len(nrow(table))
  for (name in names(picks)) {
    wanted <- picks[[name]]
    if (is.null(wanted)) next
    if (is.null(table[[name]])) {
      fail("argument", sprintf("A result of this measure has no `%s` to pick.", name))
    }
    if (length(wanted) != 1L) fail("argument", sprintf("`%s` must be one.", name))
    rows <- rows[table[[name]][rows] %in% wanted]
    if (!length(rows)) {
      fail(
        "argument",
        sprintf("The result has no row of %s %s.", name, shown(wanted)),
        remedy = sprintf("It has %s.", some(unique(table[[name]])))
      )
    }
  }
  last <- if (through_time(result)) table$date %||% table$to
  if (is.null(date)) {
    # The capital at the start of given returns has no date.
    dated <- rows[!is.na(last[rows])]
    if (!length(dated)) rows[1L] else dated[last[dated] == max(last[dated])][1L]
  } else {
    if (is.null(last)) {
      fail(
        "argument",
        "This result is of the whole sample, and has one date only.",
        remedy = "A rolling result, by `window`, has one on each date."
      )
    }
    day <- check_date(date, "date", last = TRUE)
    before <- rows[(last[rows] <= day) %in% TRUE]
    if (!length(before)) {
      fail("argument", sprintf("The result begins on %s.", min(last[rows], na.rm = TRUE)))
    }
    before[which.max(last[before])]
  }
}

number_to_show <- function(result, made, number) {
  known <- numbers_with_working(result, made)
  if (is.null(number)) {
    known <- setdiff(known, made$span)
    return(intersect(c(made$main, readings_column(result), rev(known)), known)[1L])
  }
  if (!number %in% names(result)) {
    fail(
      "argument",
      sprintf("The result has no column %s.", shown(number)),
      remedy = did_you_mean(number, known)
    )
  }
  if (!number %in% known) {
    fail(
      "working",
      sprintf("%s has no working of its own.", number),
      remedy = sprintf("There is one of %s.", some(known, 40L))
    )
  }
  number
}

readings_column <- function(result) {
  tryCatch(readings(result)$column, error = function(e) NULL)
}

# What a working is of: a number of a row of a result.
about_row <- function(result, row, asked) {
  list(
    measured = as.numeric(result[[asked]][row]),
    row = lapply(as.list(as.data.frame(result)), `[`, row),
    measure = attr(result, "measure"),
    title = title_of(result),
    basis = basis(result)
  )
}

# The numbers of the row from which their working is apart by more than rounding.
disagreeing <- function(steps, values, row) {
  both <- intersect(names(row), names(steps))
  both <- both[lengths(values[both]) == 1L]
  Filter(function(name) {
    measured <- as.numeric(row[[name]])
    is.finite(measured) &&
      !isTRUE(abs(values[[name]] - measured) <= 1e-9 * max(abs(measured), 1e-6))
  }, both)
}

warn_disagreeing <- function(names, values, about) {
  if (!length(names)) return(invisible())
  caution(
    "disagrees",
    sprintf(
      "The working of %s disagrees with what was measured: %s%s is %s, by its working %s.",
      some(names),
      names[1L],
      paste(c("", about$row$security), collapse = " of "),
      number_exact(as.numeric(about$row[[names[1L]]])),
      number_exact(values[[names[1L]]])
    ),
    remedy = "One of the two is wrong: use neither, and hand the data to who maintains this."
  )
}

new_working <- function(made, written, asked, about) {
  values <- values_of_working(written)
  apart <- disagreeing(written$steps, values, about$row)
  warn_disagreeing(apart, values, about)
  steps <- written$steps
  table <- tibble::new_tibble(list(
    step = names(steps),
    words = vapply(steps, `[[`, "", "words"),
    expression = lapply(unname(steps), `[[`, "expression"),
    value = unname(values[names(steps)]),
    unit = vapply(steps, `[[`, "", "unit"),
    source = vapply(steps, `[[`, "", "source")
  ), nrow = length(steps))
  structure(
    table,
    class = c("imbroglio_working", class(table)),
    written = written,
    values = values,
    asked = asked,
    measured = about$measured,
    difference = values[[asked]] - about$measured,
    disagrees = apart,
    asks = made$asks %||% record_of(about$measure)$asks,
    shows = tables_shown(made$shows, values),
    row = about$row,
    measure = about$measure,
    title = about$title,
    basis = about$basis
  )
}

price_working <- function(prices, security, date) {
  at <- place_of_price(prices, security, date)
  made <- price_steps(prices, at)
  written <- written_working("price", made$rows, list(), made$steps)
  about <- list(
    measured = prices$close[[at$row, at$security]],
    row = list(security = at$security, date = at$date),
    measure = "price",
    title = "Price",
    basis = new_basis(
      from = at$date,
      to = max(prices$dates),
      observations = stats::setNames(1L, at$security),
      dropped = dropped_rows(),
      kind = "price",
      every = frequencies_of(prices$dates, prices$close[, at$security, drop = FALSE])$every,
      repairs = prices$repairs,
      origin = prices$origin,
      digest = prices$digest
    )
  )
  asks <- "How did this price come about?"
  new_working(list(asks = asks, shows = made$shows), written, "price", about)
}

# A table that is shown may be made of the values of the steps.
tables_shown <- function(shows, values) {
  shows <- lapply(shows, function(one) {
    if (is.function(one$table)) one$table <- one$table(values)
    if (NROW(one$table)) one
  })
  Filter(Negate(is.null), shows)
}

# What each choice would have given otherwise: the choice, what was taken, what else, the number.
# What hangs on a value that was made for the choice is not told.
other_choices <- function(working) {
  written <- attr(working, "written")
  asked <- attr(working, "asked")
  values <- attr(working, "values")
  needed <- needed_for(asked, written)
  written$steps <- written$steps[names(written$steps) %in% needed]
  held <- made_for(written)[[asked]]
  if ("*" %in% held) return(NULL)
  records <- c(written$choices, written$steps)
  of <- function(other) {
    if (any(tokens_of(names(other$instead)) %in% held)) return(NULL)
    number <- as.numeric(values_of_working(written, other$instead, values)[[asked]])
    data.frame(choice = other$choice, otherwise = other$otherwise, number = number)
  }
  others <- do.call(rbind, lapply(others_of(records[names(records) %in% needed]), of))
  rownames(others) <- NULL
  others
}

# What else could be, each with all that it changes: what is called the same in several steps is
# one choice.
others_of <- function(records) {
  others <- list()
  for (record in records) {
    for (otherwise in names(record$others)) {
      other <- record$others[[otherwise]]
      instead <- if (is.list(other)) other else stats::setNames(list(other), record$name)
      key <- paste(if (is.null(record$expression)) record$name, otherwise)
      known <- others[[key]]
      others[[key]] <- list(
        choice = known$choice %||% record$name,
        otherwise = otherwise,
        instead = c(known$instead, instead[setdiff(names(instead), names(known$instead))])
      )
    }
  }
  unname(others)
}

# As what a choice or a step is told of in what was made for it: all returns are one.
tokens_of <- function(names) sub("^.*_return$", "return", names)
