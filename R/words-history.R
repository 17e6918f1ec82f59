# A study's numbers day by day, in words.

# A sentence for each number.
#' @export
words_of.imbroglio_history <- function(result) {
  table <- as.data.frame(result)
  vapply(unique(table$measure), function(name) {
    own <- table[table$measure == name & !is.na(table$estimate), ]
    if (!nrow(own)) return(sprintf("%s. %s is not known.", table$security[1L], name))
    unit <- units_of_rows(own)[1L]
    written <- function(x) {
      if (unit == "money") money(x, basis(result)$currency) else trimws(unit_text[[unit]](x))
    }
    n <- nrow(own)
    said <- sprintf("%s. %s: %s on %s", own$security[1L], sentence_case(own$what[1L]),
                    written(own$estimate[n]), own$date[n])
    if (n == 1L) return(paste0(said, ", the only day that is recorded."))
    moved <- own$estimate[n] - own$estimate[1L]
    known <- function(x) sum(x, na.rm = TRUE)
    parts <- data.frame(
      group = c("market", "trades", "other", "unknown"),
      moved = c(known(own$by_market), known(own$by_trades), known(own$by_neither), 0)
    )
    # Between days that are not linked.
    parts$moved[4L] <- if (anyNA(own$by_market[-1L])) moved - sum(parts$moved) else 0
    found <- moved_by_words(parts[parts$moved != 0, ], unit)
    sprintf(
      "%s, and was %s on %s (%s%s); between %s and %s.", said, written(own$estimate[1L]),
      own$date[1L], signed_difference(moved, unit),
      if (is.null(found)) "" else paste0(": ", found),
      written(min(own$estimate, na.rm = TRUE)), written(max(own$estimate, na.rm = TRUE))
    )
  }, "", USE.NAMES = FALSE)
}

#' @export
headline_of.imbroglio_history <- function(result) {
  first <- if ("var" %in% result$measure) "var" else result$measure[1L]
  words_of(result[result$measure == first, ])
}
