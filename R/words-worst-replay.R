# Sentences of the worst periods, of periods replayed and of shocks.

#' @export
words_of.imbroglio_worst <- function(result) {
  profits <- identical(basis(result)$kind, "profit")
  said <- sprintf(
    "%s %s %s%s %s, its %s%s, %s deviations from the usual",
    result$security,
    ifelse(
      result$total_return < 0,
      if (profits) "lost" else "fell",
      if (profits) "made" else "rose"
    ),
    writer_of(result)(abs(result$total_return), 1L),
    money_words(result),
    period_words(result),
    ordinal_words(result$rank),
    result$side,
    unit_text$one(abs(result$deviations))
  )
  said <- paste0(said, pair_words(result), led_words(result))
  paste0(said, ifelse(
    result$breach %in% TRUE,
    "; more than the value at risk of the day before.",
    "."
  ))
}

ordinal_words <- function(rank) {
  first <- c("", "second ", "third ")
  ifelse(rank <= 3L, first[pmin(rank, 3L)], sprintf("%sth ", rank))
}

money_words <- function(result) {
  if (is.null(result[["return_value"]])) return("")
  ifelse(
    is.na(result$return_value),
    "",
    sprintf(" (%s of what is held today)", money(abs(result$return_value), basis(result)$currency))
  )
}

# Of several securities, whose first was the worst.
#' @export
headline_of.imbroglio_worst <- function(result) {
  table <- as.data.frame(result)
  said <- words_of(result)
  first <- which(table$rank == 1L & table$side == table$side[1L])
  if (length(first) < 2L) return(said[1L])
  least <- first[which.max(abs(table$total_return[first]))]
  sprintf(
    "%s Of %s it was the %s.",
    said[least],
    count(length(first), "security", "securities"),
    if (table$side[1L] == "worst") "deepest" else "highest"
  )
}

# When it was: a day, a week, a run of them.
period_words <- function(result, horizon = basis(result)$exact$horizon) {
  every <- every_by_row(result)
  if (horizon > 1L) {
    return(ifelse(
      every == "day",
      sprintf("from %s to %s", result$from, result$to),
      sprintf("over %s to %s", count(horizon, every), result$to)
    ))
  }
  ifelse(
    every == "day",
    sprintf("on %s", result$to),
    sprintf("in the %s to %s", every, result$to)
  )
}

pair_words <- function(result) {
  if (is.null(result[["benchmark"]])) return("")
  moved <- result$benchmark_return
  if (identical(basis(result)$kind, "profit")) return("")
  ifelse(
    is.na(moved),
    "",
    sprintf(
      "; %s %s %s",
      result$benchmark,
      ifelse(moved < 0, "fell", "rose"),
      percent(abs(moved), 1L)
    )
  )
}

led_words <- function(result) {
  if (is.null(result[["led_by"]])) return("")
  ifelse(
    is.na(result$led_by),
    "",
    sprintf("; most of it %s (%s)", result$led_by, points(abs(result$led_part), 1L))
  )
}

#' @export
words_of.imbroglio_worst_split <- function(result) {
  table <- as.data.frame(result)
  table$when <- period_words(result)
  name <- basis(result)$book$name
  key <- paste(table$side, table$rank)
  unname(vapply(split(table, factor(key, unique(key))), function(period) {
    of <- period[period$security != name, ]
    whole <- period[period$security == name, ]
    sprintf(
      "%s %s %s %s, its %s%s: %s.",
      name,
      if (whole$component < 0) "fell" else "rose",
      percent(abs(whole$component), 1L),
      whole$when,
      ordinal_words(whole$rank),
      whole$side,
      some(paste(of$security, unit_text$points(of$component)), 6L)
    )
  }, ""))
}

#' @export
words_of.imbroglio_replay <- function(result) {
  table <- as.data.frame(result)
  value <- table[["return_value"]]
  said <- sprintf(
    "%s would %s %s%s if %s came again (%s to %s), and be %s at the worst, on %s",
    table$security,
    ifelse(table$total_return < 0, "lose", "gain"),
    percent(abs(table$total_return), 1L),
    if (is.null(value)) "" else sprintf(" (%s)", money(abs(value), basis(result)$currency)),
    sub("^fall", "the fall", table$episode),
    table$from,
    table$to,
    sprintf(
      ifelse(table$deepest < 0, "down %s", "up %s"),
      percent(abs(table$deepest), 1L)
    ),
    table$deepest_date
  )
  said <- paste0(said, pair_words(result), led_words(result))
  paste0(said, ifelse(
    is.na(table$stood_in),
    ".",
    sprintf("; stand-ins: %s.", table$stood_in)
  ))
}

#' @export
words_of.imbroglio_replay_series <- function(result) {
  table <- as.data.frame(result)
  ends <- table[!duplicated(table$episode, fromLast = TRUE), ]
  sprintf(
    "%s, %s: %s after %s.",
    ends$security,
    ends$episode,
    percent(ends$total_return, 1L),
    count(ends$step, "day")
  )
}

#' @export
words_of.imbroglio_replay_split <- function(result) {
  table <- as.data.frame(result)
  name <- basis(result)$book$name
  key <- factor(table$episode, unique(table$episode))
  unname(vapply(split(table, key), function(one) {
    of <- one[one$security != name, ]
    whole <- one[one$security == name, ]
    sprintf(
      "%s, %s: %s of the book, of it %s.",
      name,
      whole$episode,
      percent(whole$component, 1L),
      some(paste(of$security, unit_text$points(of$component)), 6L)
    )
  }, ""))
}

#' @export
words_of.imbroglio_shock <- function(result) {
  table <- as.data.frame(result)
  name <- basis(result)$book$name
  at <- table$security == name
  exact <- basis(result)$exact
  given <- some(sprintf(
    "%s %s %s",
    names(exact$moves),
    ifelse(exact$moves < 0, "falls", "rises"),
    percent(abs(exact$moves), 1L)
  ))
  every <- every_in_all(result)
  within <- if (exact$horizon > 1L) count(exact$horizon, every) else paste("one", every)
  value <- table[["component_value"]]
  said <- sprintf(
    "%s: expected to move %s (%s to %s), which is %s of the book.",
    table$security,
    percent(table$move, 1L),
    percent(table$move_low, 1L),
    percent(table$move_high, 1L),
    unit_text$points(table$component)
  )
  said[table$given] <- sprintf(
    "%s: %s as given, which is %s of the book.",
    table$security,
    percent(table$move, 1L),
    unit_text$points(table$component)
  )[table$given]
  usual <- exact$deviations
  bounds <- if (usual[["asked"]] > usual[["most"]]) {
    sprintf(
      paste0(
        ". That is %s deviations of such moves, where the sample saw %s at most: what it ",
        "would do to the rest is not known beyond what usual %ss say, %%s to %%s"
      ),
      unit_text$one(usual[["asked"]]),
      unit_text$one(usual[["most"]]),
      every
    )
  } else {
    sprintf(", and %s of 100 times between %%s and %%s", format(round(100 * exact$confidence, 2L)))
  }
  said[at] <- sprintf(
    paste0("If %s within %s, %s is expected to %s %s%s", bounds, "."),
    given,
    within,
    name,
    ifelse(table$move[at] < 0, "lose", "gain"),
    percent(abs(table$move[at]), 1L),
    if (is.null(value)) "" else sprintf(" (%s)", money(abs(value[at]), basis(result)$currency)),
    percent(table$move_low[at], 1L),
    percent(table$move_high[at], 1L)
  )
  said
}

# The book stands last, and is what was asked.
#' @export
headline_of.imbroglio_shock <- function(result) {
  words_of(result)[match(basis(result)$book$name, result$security, nomatch = 1L)]
}
