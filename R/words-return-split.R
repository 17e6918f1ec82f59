# Sentences of what each holding added to the return of a book.

#' @export
words_of.imbroglio_return_split <- function(result) {
  table <- as.data.frame(result)
  name <- basis(result)$book$name
  whole <- table$security == name
  amount <- added_writer(result)
  said <- sprintf(
    "%s: %s %s.", table$security, amount(table), sub(",$", "", when_added(table))
  )
  for (i in which(whole)) {
    parts <- table[table$over == table$over[i] & table$from == table$from[i] & !whole, ]
    said[i] <- book_added(table[i, ], parts, amount, basis(result)$currency)
  }
  said
}

# Money where it is known, else percentage points.
added_writer <- function(result) {
  if (is.null(result[["component_value"]])) {
    return(function(rows) paste(signed(100 * rows$component, 2L), "pp"))
  }
  digits <- if (any(abs(result$component_value) >= 1000, na.rm = TRUE)) 0L else 2L
  function(rows) signed(rows$component_value, digits)
}

signed <- function(x, digits) {
  text <- formatC(abs(x), format = "f", digits = digits, big.mark = ",")
  zero <- !grepl("[1-9]", text)
  paste0(ifelse(zero, "", ifelse(x < 0, "-", "+")), text)
}

when_added <- function(table) {
  ifelse(
    table$over == "day", sprintf("on %s", table$to),
    ifelse(
      table$over == "span", sprintf("from %s to %s", table$from, table$to),
      ifelse(
        endsWith(table$over, " to date"),
        sprintf("so far this %s, to %s,", sub(" to date$", "", table$over), table$to),
        sprintf("in the %s to %s", table$over, table$to)
      )
    )
  )
}

# The book in one sentence: what it lost or earned, and the largest parts of it.
book_added <- function(row, parts, amount, currency, most = 4L) {
  in_money <- !is.null(row$component_value)
  size <- if (in_money) row$component_value else row$component
  what <- if (in_money) {
    plain <- sub("^[-+]", "", amount(row))
    paste0(
      plain, if (!is.null(currency)) paste0(" ", currency),
      if (!is.na(row$component)) sprintf(" (%s)", percent(abs(row$component)))
    )
  } else {
    percent(abs(row$component))
  }
  # Cash that earned nothing added nothing.
  parts <- parts[parts$security != "cash" | (if (in_money) parts$component_value else
    parts$component) != 0, ]
  shown <- utils::head(parts, most)
  rest <- parts[-seq_len(nrow(shown)), ]
  each <- sprintf("%s %s", shown$security, amount(shown))
  if (nrow(rest) == 1L) each <- c(each, sprintf("%s %s", rest$security, amount(rest)))
  if (nrow(rest) > 1L) {
    together <- rest[1L, ]
    for (column in intersect(c("component", "component_value"), names(rest))) {
      together[[column]] <- sum(rest[[column]])
    }
    each <- c(each, sprintf("%s more %s", count(nrow(rest)), amount(together)))
  }
  sprintf(
    "%s %s %s %s%s.", sentence_case(when_added(row)), row$security,
    if (size < 0) "lost" else "earned", what,
    if (length(each)) paste0(": ", some(each, most + 1L)) else ""
  )
}

#' @export
headline_of.imbroglio_return_split <- function(result) {
  said <- words_of(result)
  whole <- result$security == basis(result)$book$name
  said[whole][1L]
}
