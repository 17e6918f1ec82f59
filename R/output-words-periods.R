# Sentences of what happened in some periods: the worst of them.

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
  said <- paste0(said, beside_words(result), led_words(result))
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
    sprintf(" (%s of what is held today)", money(abs(result$return_value)))
  )
}

# Of several securities, whose first was the worst.
worst_headline <- function(result) {
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

beside_words <- function(result) {
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
