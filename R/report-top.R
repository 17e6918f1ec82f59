# The top of a report: what is held and worth, the numbers that matter with their intervals, what
# changed since the date before, and the limits that are near or broken.

top_fragment <- function(work) {
  numbers <- heard(top_numbers(work))
  changes <- heard(top_changes(work))
  failed <- c(numbers$failed, changes$failed)
  made <- list(
    name = "top",
    section = "top",
    title = "At a glance",
    age = age_said(work),
    late = work_age(work)$missed > 1L || !is.null(work$book$ended),
    held = if (!is.null(work$book)) lead_of(holdings_table(work$book), work),
    made = made_said(work),
    added = added_said(work),
    sentences = numbers$value$sentences,
    limits = limits_said(work),
    notes = unique(c(numbers$notes, changes$notes)),
    failed = if (length(failed)) paste(failed, collapse = " "),
    workings = c(numbers$value$workings, changes$value$workings),
    sums = sums_together(c(list(numbers$value$sums), changes$value$sums))
  )
  c(made, changes$value[setdiff(names(changes$value), c("workings", "sums"))])
}

# How old the prices are, and that a book ends before them.
work_age <- function(work) age_of(work$returns$dates, work$today)

age_said <- function(work) {
  ended <- until_words(work$book$ended)
  paste0(
    sprintf("The last price is of %s.", work_age(work)$text),
    if (!is.null(ended)) {
      sprintf(" %s goes %s.", work$book$name, sub(": $", "", sub("^Up", "up", ended)))
    }
  )
}

# What of the book's returns was made, and how; once, for all that the page says.
made_said <- function(work) {
  opening <- work$book$between$opening
  if (!is.null(opening)) sub(": $", ".", opening)
}

# What each holding added on the last date.
added_said <- function(work) {
  if (is.null(work$book)) return(NULL)
  found <- heard(split_return(work$book))$value
  if (!is.null(found)) headline(found)
}

# What is asked first of anything: the loss, the movement, the fall.
top_numbers <- function(work) {
  whole <- work$whole
  asked <- c(one_period_loss(work), work$settings[intersect(
    c("value", "per_year", "seed", "confidence"), names(work$settings)
  )])
  results <- list(
    "top-var" = call_taking(measure_var, whole, asked),
    "top-volatility" = call_taking(measure_volatility, whole, asked["per_year"]),
    "top-drawdown" = measure_drawdown(whole)
  )
  single <- length(work$own) == 1L
  if (!single) return(list(sentences = vapply(results, function(r) escaped(headline(r)), "")))
  own <- lapply(results, function(r) r[r$security == work$own, ])
  workings <- Map(workings_of_part, own, names(own))
  linked <- function(name, column, text) {
    sprintf("<a href=\"#%s\"><b>%s</b></a>", workings[[name]]$rows[1L], escaped(text))
  }
  list(
    sentences = c(
      risk_sentence(own[["top-var"]], linked),
      movement_sentence(own[["top-volatility"]], linked),
      fall_sentence(own[["top-drawdown"]], work, linked)
    ),
    workings = unlist(lapply(workings, `[[`, "html")),
    sums = sums_together(lapply(workings, `[[`, "sums"))
  )
}

call_taking <- function(f, x, arguments) {
  arguments <- arguments[intersect(names(arguments), names(formals(f)))]
  do.call(f, c(list(x), arguments[!vapply(arguments, is.null, NA)]))
}

risk_sentence <- function(result, linked) {
  row <- as.list(as.data.frame(result))
  shown_as <- writer_of(result)
  every <- every_in_all(result)
  worth <- if (is.null(row$var_value) || is.na(row$var_value)) {
    ""
  } else {
    sprintf(" (%s)", money(row$var_value, basis(result)$currency))
  }
  interval <- if (row$n * (1 - row$level) < 1) {
    sprintf(
      " Of %s that is no more than a guess: it wants at least %s.",
      count(row$n, "return"), count(ceiling(1 / (1 - row$level) - 1e-9))
    )
  } else if (is.na(row$var_low) || is.na(row$var_high)) {
    ""
  } else {
    sprintf(
      " Chance of the sample leaves it between %s and %s.",
      shown_as(row$var_low),
      shown_as(row$var_high)
    )
  }
  sprintf(
    paste0(
      "<strong>What may be lost.</strong> One %s in %s %s loses more than %s, and then %s on ",
      "average.%s"
    ),
    every,
    count(round(1 / (1 - row$level))),
    escaped(with_held(row$security, result)),
    linked("top-var", "var", paste0(shown_as(row$var), worth)),
    escaped(shown_as(row$es)),
    escaped(interval)
  )
}

# A book by its name, with which reading of it is meant.
with_held <- function(name, result) {
  held <- basis(result)$book$held
  if (is.null(held)) name else sprintf("%s, %s,", name, held)
}

movement_sentence <- function(result, linked) {
  row <- as.list(as.data.frame(result))
  shown_as <- writer_of(result)
  every <- every_in_all(result)
  interval <- if (is.na(row$volatility_low)) {
    ""
  } else {
    sprintf("; with 95 %% confidence between %s and %s",
            shown_as(row$volatility_low), shown_as(row$volatility_high))
  }
  sprintf(
    "<strong>How much it moves.</strong> %s a year%s; from %s to %s it strays by %s%s.",
    linked("top-volatility", "volatility_annual", shown_as(row$volatility_annual)),
    escaped(sub("^[^,]*", "", sub(",$", "", with_held("", result)))),
    every,
    every,
    escaped(shown_as(row$volatility)),
    escaped(interval)
  )
}

fall_sentence <- function(result, work, linked) {
  row <- as.list(as.data.frame(result))
  shown_as <- writer_of(result)
  path <- drawdown_series(work$whole)
  now <- as.data.frame(path)
  now <- now[now$security == work$own & !is.na(now$drawdown), ]
  when <- now$date[nrow(now)]
  now <- now$drawdown[nrow(now)]
  if (is.na(row$max_drawdown) || is.na(row$peak)) {
    return("<strong>How far it fell.</strong> It was never below its high.")
  }
  sprintf(
    "<strong>How far it fell.</strong> %s%s from %s to %s, %s. %s %s.",
    linked("top-drawdown", "max_drawdown", shown_as(-row$max_drawdown)),
    escaped(sub("^[^,]*", "", with_held("", result))),
    format(row$peak),
    format(row$trough),
    if (is.na(row$recovery)) "and is not back yet" else paste("back on", format(row$recovery)),
    # Of a book that has stopped it is not known where it stands.
    if (is.null(work$book$ended)) "Now it stands" else sprintf("On %s it stood", when),
    escaped(if (now < 0) paste(shown_as(-now), "below its high") else "at its high")
  )
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

# Each of what is measured on the last date, beside the same of the dates before: today's holdings
# at the prices known then.
top_changes <- function(work) {
  if (is.null(work$prices)) return(NULL)
  last <- work$prices$dates[length(work$prices$dates)]
  days <- c(now = last, dates_before(work$prices$dates))
  if (length(work$own) != 1L) return(changes_of_many(work, days))
  measured <- lapply(seq_along(days), function(i) {
    if (i == 1L) return(measured_at(work$whole, work))
    then <- heard(measured_at(as_of(work, days[i]), work))
    if (!is.null(then$failed)) {
      note("report", sprintf("%s: %s", sentence_case(names(days)[i]), then$failed))
    }
    then$value
  })
  known <- names(measured[[1L]])
  cells <- lapply(known, function(name) {
    lapply(seq_along(days), function(i) {
      change_of(measured[[i]][[name]], sprintf("change-%s-%d", name, i))
    })
  })
  labels <- vapply(measured[[1L]], `[[`, "", "label")
  made <- changes_made(labels, days, cells)
  made$said <- if (is.null(work$book)) {
    "As it was measured with the prices up to each date."
  } else {
    "Today's holdings, measured with the prices up to each date."
  }
  made
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
  made <- changes_made(work$own, days, cells, "security")
  made$said <- "The price now, and the return since the close of each date."
  made
}

changes_made <- function(labels, days, cells, of = "measure") {
  values <- t(vapply(cells, function(row) vapply(row, `[[`, 0, "value"), numeric(length(days))))
  list(
    changes = changes_table(labels, days, cells, of),
    workings = unlist(lapply(cells, function(row) lapply(row, `[[`, "working"))),
    sums = unlist(lapply(cells, function(row) lapply(row, `[[`, "sums")), FALSE),
    units = c("text", rep("number", length(days))),
    csv = as_csv(data.frame(
      what = unname(labels),
      stats::setNames(as.data.frame(values), format(days)),
      check.names = FALSE
    ))
  )
}

# A number of a row of a result, with its working.
change_of <- function(one, id) {
  if (is.null(one)) return(list(value = NA_real_, html = "-", working = NULL))
  value <- if (is.null(one$result)) one$value else as.numeric(one$result[[one$column]])
  shown <- escaped(unbroken(trimws(unit_text[[one$unit]](value))))
  made <- if (!is.null(one$result)) workings_of_part(one$result, id)
  if (one$column %in% made$columns && is.finite(value)) {
    shown <- sprintf("<a href=\"#%s\">%s</a>", made$rows[1L], shown)
  }
  list(value = value, html = shown, working = made$html, sums = made$sums)
}

# What is measured, as it was on an earlier date.
as_of <- function(work, day) {
  prices <- stats::window(work$prices, end = day)
  book <- work$book
  returns <- as_returns(prices, kind = work$returns$kind, every = work$returns$stated)
  if (is.null(book)) return(returns)
  held_on(book, returns, stopped_by(prices, book$carried))
}

measured_at <- function(x, work) {
  own <- function(result) result[result$security == work$own, ]
  last <- function(result) {
    result <- own(result)
    result[nrow(result), ]
  }
  one <- function(label, unit, column, result = NULL, value = NULL) {
    list(label = label, unit = unit, column = column, result = result, value = value)
  }
  loss <- own(call_taking(measure_var, x, c(one_period_loss(work), work$settings["per_year"])))
  moved <- function(...) {
    call_taking(measure_volatility, x, c(list(...), work$settings["per_year"]))
  }
  book <- inherits(x, "imbroglio_book")
  price <- if (!book) x$prices$close[, work$own]
  made <- list(
    worth = if (book && !is.null(x$value)) one(
      paste(c("worth", x$currency), collapse = ", "), "money", "worth", holdings_table(x)[1L, ]
    ),
    price = if (!book) one(
      "price", "price", "price", value = utils::tail(price[!is.na(price)], 1L)
    ),
    var = one(
      sprintf("value at risk, %s", unit_text$level(top_level(work))), "fraction", "var", loss
    ),
    loss = if (!is.null(loss[["var_value"]])) one(
      sprintf("the same in %s", basis(loss)$currency %||% "money"), "money", "var_value", loss
    ),
    recent = one(
      sprintf("volatility a year, last %s", count(work$settings$window)), "fraction",
      "volatility_annual", last(moved(window = work$settings$window))
    ),
    volatility = one("volatility a year, all", "fraction", "volatility_annual", own(moved())),
    fall = one("from its high", "fraction", "drawdown", last(drawdown_series(x))),
    beta = if (!is.null(work$settings$benchmark)) {
      one(
        sprintf("beta against %s", work$settings$benchmark[1L]), "ratio", "beta",
        own(measure_beta(x, benchmark = work$settings$benchmark[1L]))
      )
    }
  )
  made[!vapply(made, is.null, NA)]
}

changes_table <- function(labels, days, cells, of = "measure") {
  heads <- sprintf(
    "<th scope=\"col\" class=\"r\">%s<br><small>%s</small></th>",
    escaped(c("now", names(days)[-1L])),
    format(days)
  )
  rows <- vapply(seq_along(labels), function(i) {
    values <- vapply(cells[[i]], `[[`, 0, "value")
    paste0(
      "<tr><th scope=\"row\">", escaped(unbroken(labels[i])), "</th>",
      paste0(
        "<td class=\"r\" data-v=\"", ifelse(is.na(values), "", core_shortest(values)), "\">",
        vapply(cells[[i]], `[[`, "", "html"), "</td>",
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

# The limits that are near or broken, each in its sentence.
limits_said <- function(work) {
  if (is.null(work$limits)) return(NULL)
  result <- heard(do.call(
    check_limits,
    c(list(work$whole), arguments_of(work, report_parts()$limits))
  ))$value
  if (is.null(result)) return(NULL)
  at <- !result$state %in% "within"
  list(
    states = as.list(table(factor(result$state, limit_states))),
    sentences = sub(basis(result)$book$opening %||% "^$", "", in_words(result)[at], fixed = TRUE),
    broken = result$state[at] == "broken",
    of = sprintf(
      "Measured over the last %s returns, where a limit is of what changes from day to day.",
      choice_of(basis(result), "window")
    )
  )
}
