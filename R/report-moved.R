# What moved since the date, the week and the month before: a table of the numbers then and now,
# and a sentence of each that says why.

# The numbers at the top: each by what it is `of` a book or a table (the row of a result, or a
# number), its unit, and by which measure it is explained, see parts_of_move().
numbers_of_top <- function(work) {
  made <- c(values_of_top(work), measures_of_top(work))
  made <- Filter(Negate(is.null), made)
  Map(function(one, name) c(one, list(name = name)), made, names(made))
}

# What it is worth, or its price.
values_of_top <- function(work) {
  book <- work$book
  list(
    worth = if (has_worth(work)) list(
      label = paste(c("worth", book$currency), collapse = ", "), unit = "money", column = "worth",
      of = function(x) holdings_table(x)[1L, ], each = value_of_each
    ),
    price = if (is.null(book) && !is.null(work$prices)) list(
      label = "price", unit = "price", of = function(x) {
        price <- x$prices$close[, work$own]
        utils::tail(price[!is.na(price)], 1L)
      }
    )
  )
}

has_worth <- function(work) !is.null(work$book$value)

measures_of_top <- function(work) {
  book <- work$book
  asked <- Filter(Negate(is.null), c(one_period_loss(work), work$settings["per_year"]))
  usual <- Filter(Negate(is.null), work$settings["per_year"])
  window <- count(work$settings$window, "return")
  benchmark <- work$settings$benchmark[1L]
  own <- function(result) result[result$security == work$own, ]
  last <- function(result) utils::tail(own(result), 1L)
  loss <- function(x) own(call_taking(measure_var, x, asked))
  moved <- function(x, ...) call_taking(measure_volatility, x, c(list(...), usual))
  # A book without a worth has no percentages of it, and profits have none.
  in_money <- work$returns$kind == "profit" || (!is.null(book) && is_neutral(book))
  of_worth <- if (in_money) "money" else "fraction"
  explained <- function(measure, choices = usual, ...) {
    if (in_money) return(NULL)
    list(security = work$own, measure = measure, choices = choices, ...)
  }
  # What did happen is of the book as it was held then, where nothing else is said; of several
  # drawings that is no series.
  moves <- function(...) {
    if (!is_drawn(book)) explained("volatility", held = book$held %||% "then", ...)
  }
  # Beside a benchmark a book as it was held is no series of its own.
  alone <- is.null(book) || identical(book$held, "today")
  by_loss <- explained("var", asked)
  list(
    var = list(
      label = sprintf("value at risk, %s", unit_text$level(top_level(work))), unit = of_worth,
      column = "var", of = loss, explain = by_loss
    ),
    var_money = if (has_worth(work) && !in_money) list(
      label = sprintf("the same in %s", book$currency %||% "money"), unit = "money",
      column = "var_value", of = loss, explain = c(by_loss, money = TRUE)
    ),
    recent = list(
      label = sprintf("volatility a year, last %s", window), unit = of_worth,
      column = "volatility_annual",
      of = function(x) last(moved(x, window = work$settings$window)),
      explain = moves(last = window)
    ),
    volatility = list(
      label = "volatility a year, all", unit = of_worth, column = "volatility_annual",
      of = function(x) own(moved(x)), explain = moves()
    ),
    fall = list(
      label = "from its high", unit = of_worth, column = "drawdown",
      of = function(x) last(drawdown_series(x))
    ),
    beta = if (length(benchmark)) list(
      label = sprintf("beta against %s", benchmark), unit = "ratio", column = "beta",
      of = function(x) own(measure_beta(x, benchmark = benchmark)),
      explain = if (alone) explained("beta", list(), benchmark = benchmark)
    )
  )
}

value_of_each <- function(x) {
  held <- as.data.frame(holdings_table(x))
  stats::setNames(held$value, held$security)
}

# The dates that the last is compared with: the one before it, and those a week and a month before.
dates_before <- function(dates) {
  last <- dates[length(dates)]
  asked <- c(
    "the date before" = dates[max(1L, length(dates) - 1L)],
    "a week before" = span_before(last, "1 week"),
    "a month before" = span_before(last, "1 month")
  )
  at <- vapply(asked, function(day) max(0, which(dates <= day)), 0)
  at <- at[at > 2L & !duplicated(at)]
  stats::setNames(dates[at], names(at))
}

# What is measured on the last date, beside the same of the dates before: as it was recorded then,
# or else today's holdings at the prices known then.
top_changes <- function(work) {
  dates <- (work$prices %||% work$returns)$dates
  days <- dates_before(dates)
  if (length(work$own) != 1L) {
    if (is.null(work$prices)) return(NULL)
    return(changes_of_many(work, c(now = dates[length(dates)], days)))
  }
  numbers <- numbers_of_top(work)
  now <- measured_side(work$whole, numbers)
  recorded <- as.Date(names(work$days) %||% character())
  recorded <- recorded[recorded < dates[length(dates)]]
  asked <- c(days, utils::tail(recorded, 1L))
  asked <- asked[!duplicated(asked)]
  moves <- lapply(stats::setNames(asked, format(asked)), moves_since, numbers, now, work)
  for (text in unique(unlist(lapply(moves, `[[`, "failed")))) note("report", text)
  shown <- moves[format(days)]
  cells <- lapply(numbers, function(number) {
    c(
      list(change_of(cell_now(number, now), sprintf("change-%s-1", number$name))),
      Map(function(move, i) {
        change_of(move$cells[[number$name]], sprintf("change-%s-%d", number$name, i))
      }, shown, seq_along(shown) + 1L)
    )
  })
  list(
    table = list(
      labels = vapply(numbers, `[[`, "", "label"), days = c(now = dates[length(dates)], days),
      cells = cells, of = "measure"
    ),
    said = sides_said(work, shown),
    why = why_said(numbers, now, shown),
    day = list(
      numbers = lapply(numbers, function(one) c(cell_now(one, now), name = one$name)),
      move = if (length(recorded)) moves[[format(recorded[length(recorded)])]]
    )
  )
}

cell_now <- function(number, now) {
  cell_of_top(number, heard(now$found[[number$name]])$value, heard(number_on(number, now))$value)
}

cell_of_top <- function(number, row, value) {
  list(
    unit = number$unit, column = number$column %||% "price", label = number$label,
    result = if (is.data.frame(row)) row, value = value
  )
}

recorded_of <- function(record, number) {
  found <- record$numbers$number[match(number$name, record$numbers$name)]
  if (length(found)) found else NA_real_
}

unknown_move <- function(day, numbers, record, failed) {
  list(
    day = day, recorded = !is.null(record), parts = NULL,
    cells = lapply(numbers, function(number) {
      cell_of_top(number, NULL, recorded_of(record, number))
    }),
    failed = sprintf("Since %s: %s", day, failed)
  )
}

# Of each number what it was, and the parts of what it moved by since.
moves_since <- function(day, numbers, now, work) {
  record <- work$days[[format(day)]]
  made <- heard(sides_since(work$whole, function(x) as_of(work, day, x), record$held))
  if (!is.null(made$failed)) {
    then <- heard(as_of(work, day, work$whole))
    # As before all of it was held.
    if (!is.null(then$failed)) return(unknown_move(day, numbers, record, then$failed))
    made$value <- list(then = then$value)
  }
  others <- made$value[names(made$value) != "now"]
  sides <- c(list(now = now), lapply(others, measured_side, numbers))
  otherwise <- other_causes(record, sides$then$x, work)
  known <- new.env(parent = emptyenv())
  each <- lapply(numbers, function(number) {
    recorded <- recorded_of(record, number)
    then <- heard(number_on(number, sides$then))
    parts <- if (is.null(made$failed)) {
      heard(parts_of_move(number, sides, recorded, otherwise, known))
    }
    as_recorded <- is.na(recorded) || isTRUE(recorded == then$value)
    row <- heard(sides$then$found[[number$name]])$value
    list(
      cell = cell_of_top(
        number, if (as_recorded) row, if (is.na(recorded)) then$value else recorded
      ),
      parts = parts$value,
      failed = then$failed %||% parts$failed
    )
  })
  failed <- c(made$failed, unlist(lapply(each, `[[`, "failed")))
  list(
    day = day, recorded = !is.null(record), cells = lapply(each, `[[`, "cell"),
    parts = lapply(each, `[[`, "parts"),
    failed = if (length(failed)) unique(sprintf("Since %s: %s", day, failed))
  )
}

# What is measured, as it was on an earlier date.
as_of <- function(work, day, x) as_on_day(x, day, work$uncut, work$last)

# Which of the columns were recorded.
sides_said <- function(work, moves) {
  if (is.null(work$book)) return("As it was measured with the prices up to each date.")
  recorded <- vapply(moves, `[[`, NA, "recorded")
  today <- "today's holdings, measured with the prices up to each date"
  if (!any(recorded)) return(paste0(sentence_case(today), "."))
  if (all(recorded)) return("As they were recorded on each date, of what was held then.")
  sprintf(
    "Of %s as it was recorded, of what was held then; of %s %s.", some(names(moves)[recorded]),
    some(names(moves)[!recorded]), sub("each date", "it", today)
  )
}

# Of many securities the price now, and what each returned since.
changes_of_many <- function(work, days) {
  since <- lapply(days[-1L], function(day) {
    heard(measure_return(stats::window(work$prices, start = day + 1)))$value
  })
  cells <- lapply(seq_along(work$own), function(k) {
    security <- work$own[k]
    close <- work$prices$close[, security]
    price <- list(unit = "price", column = "price", value = utils::tail(close[!is.na(close)], 1L))
    returned <- lapply(seq_along(since), function(i) {
      row <- since[[i]][since[[i]]$security %in% security, ]
      if (!NROW(row)) return(NULL)
      list(unit = "fraction", column = "total_return", result = row)
    })
    Map(change_of, c(list(price), returned), sprintf("since-%d-%d", k, c(0L, seq_along(since))))
  })
  list(
    table = list(labels = work$own, days = days, cells = cells, of = "security"),
    said = "The price now, and the return since the close of each date."
  )
}

# A cell of the table: a number, and of which row of a result it is.
change_of <- function(one, id) {
  value <- one$value %||% one$result[[one$column]]
  value <- if (is.null(value)) NA_real_ else as.numeric(value)
  list(
    value = value, id = id, column = one$column, unit = one$unit,
    result = if (is.finite(value)) one$result
  )
}

changes_shown <- function(table, linked) {
  values <- unlist(lapply(table$cells, function(row) vapply(row, `[[`, 0, "value")))
  values <- matrix(values, length(table$cells), byrow = TRUE)
  html <- lapply(table$cells, function(row) {
    vapply(row, function(one) {
      if (is.na(one$value)) return("-")
      linked(one$id, one$column, escaped(unbroken(trimws(unit_text[[one$unit]](one$value)))))
    }, "")
  })
  list(
    changes = changes_table(table$labels, table$days, values, html, table$of),
    units = c("text", rep("number", length(table$days))),
    csv = as_csv(data.frame(
      what = unname(table$labels),
      stats::setNames(as.data.frame(values), format(table$days)),
      check.names = FALSE
    ))
  )
}

changes_table <- function(labels, days, values, html, of) {
  heads <- sprintf(
    "<th scope=\"col\" class=\"r\">%s<br><small>%s</small></th>",
    escaped(c("now", names(days)[-1L])),
    format(days)
  )
  rows <- vapply(seq_along(labels), function(i) {
    numbers <- values[i, ]
    paste0(
      "<tr><th scope=\"row\">", escaped(unbroken(labels[i])), "</th>",
      paste0(
        "<td class=\"r\" data-v=\"", ifelse(is.na(numbers), "", core_shortest(numbers)), "\">",
        html[[i]], "</td>",
        collapse = ""
      ),
      "</tr>"
    )
  }, "")
  c(
    "<div class=\"wide\" tabindex=\"0\" role=\"region\" aria-label=\"What changed\">",
    "<table class=\"plain\" id=\"t-changes\"><caption>What changed</caption>",
    sprintf("<thead><tr><th scope=\"col\">%s</th>%s</tr></thead><tbody>", of,
            paste(heads, collapse = "")),
    rows,
    "</tbody></table></div>"
  )
}
