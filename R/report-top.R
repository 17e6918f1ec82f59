# The top of a report: what is held and worth, the numbers that matter with their intervals, what
# changed since the date before, and the limits that are near or broken.

top_fragment <- function(work) {
  numbers <- heard(top_numbers(work))
  changes <- heard(top_changes(work))
  showing <- heard(shown_of_top(numbers$value, changes$value$table))
  shown <- showing$value
  failed <- c(numbers$failed, changes$failed, showing$failed)
  limits <- limits_of_top(work)
  made <- list(
    name = "top",
    section = "top",
    title = "At a glance",
    age = age_said(work),
    late = work_age(work)$missed > 1L || !is.null(work$book$ended),
    held = if (!is.null(work$book)) lead_of(holdings_table(work$book), work),
    made = made_said(work),
    added = added_said(work),
    sentences = shown$sentences,
    limits = limits_said(limits),
    notes = unique(c(numbers$notes, changes$notes, showing$notes)),
    failed = if (length(failed)) paste(failed, collapse = " "),
    workings = shown$workings,
    sums = shown$sums,
    date = format(work_age(work)$last),
    day = day_as_json(work, changes$value$day, limits)
  )
  c(made, shown$changes, changes$value[setdiff(names(changes$value), c("table", "day"))])
}

# The sentences and the table, each number with its working: what is the same in both has one, and
# those of one measure stand together.
shown_of_top <- function(numbers, table) {
  cells <- unlist(table$cells, FALSE)
  rows <- c(numbers$results, lapply(cells, `[[`, "result"))
  names(rows) <- c(names(numbers$results), vapply(cells, `[[`, "", "id"))
  # What is the same but for its date is called by that.
  dates <- if (identical(table$of, "measure")) format(table$days)
  called <- c(rep(NA, length(numbers$results)), rep_len(dates %||% NA, length(cells)))
  has <- vapply(rows, NROW, 0L) > 0L
  rows <- rows[has]
  keys <- vapply(rows, function(one) {
    digest::digest(list(attr(one, "measure"), as.list(as.data.frame(one))), algo = "xxhash64")
  }, "")
  first <- !duplicated(keys)
  made <- workings_together(Map(function(row, name, called) {
    list(result = row, row = 1L, anchor = sprintf("w-%s-1", name), called = called)
  }, rows[first], names(rows)[first], called[has][first]))
  anchors <- stats::setNames(made$anchors[match(keys, keys[first])], names(rows))
  linked <- function(id, column, text) {
    anchor <- anchors[id]
    if (is.na(anchor) || !column %in% made$columns_of[[anchor]]) return(text)
    sprintf("<a href=\"#%s\">%s</a>", anchor, text)
  }
  list(
    sentences = if (!is.null(numbers)) numbers$sentences(function(name, column, text) {
      linked(name, column, sprintf("<b>%s</b>", escaped(text)))
    }),
    changes = if (!is.null(table)) changes_shown(table, linked),
    workings = made$html,
    sums = made$sums
  )
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
  if (length(work$own) != 1L) {
    said <- vapply(results, function(r) escaped(headline(r)), "")
    return(list(sentences = function(linked) said))
  }
  own <- lapply(results, function(r) r[r$security == work$own, ])
  list(results = own, sentences = function(linked) {
    c(
      risk_sentence(own[["top-var"]], linked),
      movement_sentence(own[["top-volatility"]], linked),
      fall_sentence(own[["top-drawdown"]], work, linked)
    )
  })
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

# The state of the limits, and of those that are broken whether the market or a trade did it.
limits_of_top <- function(work) {
  if (is.null(work$limits)) return(NULL)
  heard(do.call(
    check_limits,
    c(list(work$whole), arguments_of(work, report_parts()$limits))
  ))$value
}

# Those that are near or broken, or were broken the day before, each in its sentence.
limits_said <- function(result) {
  if (is.null(result)) return(NULL)
  at <- !result$state %in% "within" | result$was %in% "broken"
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
