# What hangs on the choices, in words.

#' @export
words_of.imbroglio_choices <- function(result) {
  table <- as.data.frame(result)
  unit <- limit_measures()[[table$measure[1L]]]$unit
  writer <- unit_text[[unit]]
  alone <- ifelse(
    table$swing == 0, "another alone is the same number", sprintf(
      "alone it goes from %s (%s) to %s (%s)", writer(table$swing_low), table$least_at,
      writer(table$swing_high), table$most_at
    )
  )
  sprintf(
    "%s. %s: %s as taken (%s); %s, and it makes %s of the variance%s.", table$security,
    sentence_case(gsub("_", " ", table$choice)), writer(table$estimate), table$taken, alone,
    unit_text$share(table$share_alone),
    ifelse(
      table$share_together - table$share_alone > 0.005,
      sprintf(", %s together with others", unit_text$share(table$share_together)), ""
    )
  )
}

# Of several securities the one of which most hangs on the choices.
#' @export
headline_of.imbroglio_choices <- function(result) {
  table <- as.data.frame(result)
  spread <- (table$grid_most - table$grid_least) / abs(table$estimate)
  first <- table$security[which.max(spread)]
  one <- table[table$security == first, ]
  record <- limit_measures()[[one$measure[1L]]]
  writer <- unit_text[[record$unit]]
  led <- one[which.max(one$share_together), ]
  error <- one$chance_error[1L]
  width <- one$grid_most[1L] - one$grid_least[1L]
  several <- length(unique(table$security))
  paste0(
    sprintf(
      "%s. %s: %s as chosen, %s to %s over %s; ", first, title_at_level(result),
      writer(one$estimate[1L]),
      writer(one$grid_least[1L]), writer(one$grid_most[1L]),
      count(nrow(attr(result, "grid")$table %||% data.frame(1)), "combination")
    ),
    if (nrow(led)) {
      sprintf(
        "most hangs on %s (%s of the variance)", gsub("_", " ", led$choice),
        unit_text$share(led$share_together)
      )
    } else {
      "nothing moves it"
    },
    if (is.na(error) || !(error > 0)) {
      "."
    } else {
      sprintf(". The spread is %s standard errors of the sample.", fixed_digits(width / error, 1L))
    },
    if (several > 1L) {
      sprintf(" Of %s most hangs on them there.", count(several, "security", "securities"))
    }
  )
}
