# What moved a number, in words.

#' @export
words_of.imbroglio_change <- function(result) {
  table <- as.data.frame(result)
  unit <- units_of_rows(table)[1L]
  writer <- unit_text[[unit]]
  ends <- sprintf(
    "%s: %s, and was %s. ", title_at_level(result), writer(table$number_after),
    writer(table$number_before)
  )
  ends[duplicated(table$security)] <- ""
  amounts <- money(table$moved_value, basis(result)$currency)
  money_said <- ifelse(
    is.na(table$moved_value), "", sprintf(" (%s)", with_sign(amounts, table$moved_value))
  )
  sprintf(
    "%s. %s%s: %s%s%s.", table$security, ends, sentence_case(table$cause),
    signed_difference(table$moved, unit), money_said,
    ifelse(is.na(table$mattered), "", paste0("; above all ", table$mattered))
  )
}

title_at_level <- function(result) {
  level <- basis(result)$choices["level"]
  title <- told_measures()[[result$measure[1L]]]$title
  if (!result$measure[1L] %in% c("var", "es")) return(title)
  if (length(level) && !is.na(level)) paste(title, "at", level) else title
}

with_sign <- function(text, x) paste0(ifelse(x > 0, "+", ""), trimws(text))

# Of several securities the one that moved most.
#' @export
headline_of.imbroglio_change <- function(result) {
  table <- as.data.frame(result)
  sizes <- abs(table$number_after - table$number_before)
  first <- table$security[which.max(sizes)]
  one <- table[table$security == first, ]
  unit <- units_of_rows(one)[1L]
  writer <- unit_text[[unit]]
  about <- basis(result)
  before <- one$number_before[1L]
  after <- one$number_after[1L]
  moved <- sum(one$moved)
  worth <- sum(one$moved_value)
  said <- sprintf(
    "%s. %s: %s, and was %s", first, title_at_level(result), writer(after), writer(before)
  )
  if (moved == 0 && all(one$moved == 0)) return(paste0(said, "; nothing moved it."))
  parts <- one[order(-abs(one$moved)), ]
  parts <- parts[grepl("[1-9]", signed_difference(parts$moved, unit)), ]
  if (!nrow(parts)) return(paste0(said, "; no cause by as much as is written."))
  several <- length(unique(table$security))
  paste0(
    said, sprintf(
      " (%s%s): ", signed_difference(moved, unit),
      if (is.na(worth)) "" else paste(",", with_sign(money(worth, about$currency), worth))
    ),
    some(sprintf(
      "%s %s", sub(", [0-9].*$", "", parts$cause), signed_difference(parts$moved, unit)
    ), 4L), ".",
    if (several > 1L) sprintf(" Of %s it moved most.", count(several, "security", "securities"))
  )
}
