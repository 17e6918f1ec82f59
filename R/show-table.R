# Results as text for a terminal.

# `columns`: those to show, in their order; otherwise those that people read.
measure_text <- function(result, extra = NULL, columns = NULL) {
  told <- table_of_record(attr(result, "measure"))
  read <- rows_to_read(result, told$shows)
  table <- read$table
  if (!is.null(table[["measure"]])) table <- written_by_measure(table)
  crossed <- is.null(columns) && is_crossed(table)
  if (crossed) table <- crossed_table(table)
  kind <- basis(result)$kind
  # What each holding returned, what each level comes to.
  if (crossed || isTRUE(told$wide)) kind <- if (kind == "profit") "amounts" else "fractions"
  ends <- sentences_to_read(result, told)
  c(
    folded(paste(c(paste0(title_of(result), "."), told$asks), collapse = " ")),
    "",
    if (is.null(columns) && reads_as_matrix(result)) {
      matrix_lines(result)
    } else {
      text_table(table, kind, columns %||% columns_to_show(table), basis(result)$currency)
    },
    if (read$hidden) {
      sprintf("and %s before. --out FILE.csv writes all.", count(read$hidden, "row"))
    },
    "",
    folded(ends),
    if (length(ends)) "",
    extra,
    folded(paste("Basis:", format(basis(result))))
  )
}

# Of a rolling measure or a series people read where it stands now, of a long list how it ends, of
# a tail some sizes of it; the files have all.
rows_to_read <- function(result, shows) {
  table <- as.data.frame(result)
  hidden <- 0L
  if (!is.null(table$window) || identical(shows, "now")) {
    table <- table[!duplicated(table[series_keys(table)], fromLast = TRUE), ]
  }
  if (is.numeric(shows)) {
    hidden <- max(0L, nrow(table) - shows)
    if (hidden) table <- utils::tail(table, shows)
  }
  if (identical(shows, "sizes") && nrow(table) > 24L) {
    table <- table[seq(1L, nrow(table), ceiling(nrow(table) / 20)), ]
  }
  list(table = table, hidden = hidden)
}

# All sentences where they are few, else the finding.
sentences_to_read <- function(result, told) {
  said <- if (length(words_of(result))) in_words(result)
  if (length(said) <= 4L && !isTRUE(told$one_sentence)) return(opened_once(said, result))
  headline(result)
}

# The last few dates, as many securities as a line holds.
returns_text <- function(returns, result, rows = 8L, most = 8L) {
  last <- utils::tail(seq_along(returns$dates), rows)
  shown <- seq_len(min(most, ncol(returns)))
  writer <- writer_of(result)
  cells <- lapply(shown, function(j) c(colnames(returns)[j], writer(returns$values[last, j])))
  body <- c(list(c("date", format(returns$dates[last]))), cells)
  lines <- do.call(
    paste,
    c(lapply(body, function(v) formatC(v, width = max(nchar(v)))), sep = "  ")
  )
  every <- some(adverb_of(unique(returns$frequency$every)))
  hidden <- c(
    if (nrow(returns) > rows) count(nrow(returns) - rows, "earlier date"),
    if (ncol(returns) > most) count(ncol(returns) - most, "more security", "more securities")
  )
  c(
    sprintf(
      "%s %s, the last %s",
      sentence_case(every),
      if (returns$kind == "profit") "profits" else paste(returns$kind, "returns"),
      count(length(last), "date")
    ),
    "",
    lines,
    "",
    if (length(hidden)) {
      sprintf("Not shown: %s. --out FILE.csv writes all.", paste(hidden, collapse = " and "))
    },
    folded(paste("Basis:", format(basis(result))))
  )
}

findings_text <- function(findings, whole = FALSE) {
  last <- choice_of(basis(findings), "last price")
  table <- as.data.frame(findings)
  kinds <- kinds_of_findings(table)
  brief <- !whole && nrow(table) > most_findings && nrow(kinds) < nrow(table)
  c(
    in_words(findings),
    if (!is.na(last)) sprintf("The last price is of %s.", last),
    first_to_do(kinds),
    "",
    if (brief) {
      c(
        text_table(kinds), "",
        sprintf("The first of each kind, of %s; --all lists them.", count(nrow(table), "finding")),
        ""
      )
    } else if (nrow(table)) {
      c(text_table(table), "")
    },
    strwrap(paste("Basis:", format(basis(findings))), 110, exdent = 2)
  )
}

# More are not read one by one.
most_findings <- 60L

# The first finding of each kind, and how many there are, the worst and most frequent first.
kinds_of_findings <- function(table) {
  key <- paste(table$severity, table$finding, table$remedy, sep = "\r")
  first <- match(unique(key), key)
  kinds <- table[first, c("finding", "severity", "remedy", "security", "date", "detail")]
  rows <- match(key, unique(key))
  number <- tabulate(rows, length(first))
  of <- tapply(table$security, factor(rows, seq_along(first)), function(x) length(unique(x)))
  kinds <- data.frame(
    kinds[c("finding", "severity", "remedy")], times = number, securities = as.integer(of),
    kinds[c("security", "date", "detail")]
  )
  kinds[order(match(kinds$severity, c("error", "warning", "note")), -number), ]
}

# What stands in the way of measuring, and what helps.
first_to_do <- function(kinds) {
  errors <- kinds[kinds$severity == "error", ]
  if (!nrow(errors)) return(NULL)
  first <- errors[1L, ]
  sprintf(
    "First: %s%s (%s%s).",
    if (first$times > 1L) paste0(count(first$times), " x ") else "", first$finding,
    if (first$remedy == "none") {
      "put it right in the file, or have it delivered again; the first is "
    } else {
      sprintf("--repair FILE.csv would %s it; the first is ", first$remedy)
    },
    paste(stats::na.omit(c(first$security, format(first$date))), collapse = " ")
  )
}

# Percentiles of the final value, and how the holdings move together.
book_text <- function(drawn) {
  at <- as.list(stats::quantile(drawn))
  together <- if (length(basis(drawn)$observations) &&
      length(attr(drawn, "drawn")$book$security) > 1L) {
    drawn_correlation(drawn)
  }
  percentiles <- sprintf(
    "%s %%: %s",
    format(100 * at$prob, trim = TRUE),
    if (is.null(drawn[["var_value"]])) {
      percent(at$return)
    } else {
      money(at$value, basis(drawn)$currency)
    }
  )
  c(
    folded(paste0("Percentiles of the final value: ", paste(percentiles, collapse = "; "), ".")),
    if (!is.null(together)) {
      c(
        "",
        "Correlation of the holdings, in the history and in the drawn days:",
        text_table(as.data.frame(together))
      )
    },
    ""
  )
}

# The table as text: a header, whose labels are broken where they are longer than what
# stands below them, then a line a row. Numbers to the right. What is wider than the terminal is
# parted into tables below each other, each with the columns that say which row it is.
text_table <- function(table, kind = NULL, names_shown = columns_to_show(table),
                       currency = NULL, width = getOption("imbroglio.table_width", Inf)) {
  shown <- lapply(stats::setNames(nm = names_shown), function(name) {
    column <- column_of(name, table[[name]], kind, currency)
    cells <- unit_text[[column$unit]](table[[name]])
    cells[is.na(cells)] <- "-"
    list(
      header = strwrap(column$label, max(nchar(cells), 10L) + 1L),
      cells = cells,
      side = if (column$unit %in% c("text", "date")) -1L else 1L
    )
  })
  deep <- max(1L, lengths(lapply(shown, `[[`, "header")))
  keys <- names_shown %in% c("security", "other", "method", "measure", "level", "family", "rank")
  shown <- lapply(shown, function(column) {
    cells <- c(rep("", deep - length(column$header)), column$header, column$cells)
    formatC(cells, width = column$side * max(nchar(cells)))
  })
  parts <- columns_by_width(vapply(shown, function(x) nchar(x[1L]), 0L), keys, width)
  lines <- lapply(parts, function(part) {
    sub(" +$", "", do.call(paste, c(unname(shown[part]), sep = "  ")))
  })
  unlist(lapply(seq_along(lines), function(i) c(if (i > 1L) "", lines[[i]])))
}

# Which columns stand together: as many as fit, with the keys in front of each part.
columns_by_width <- function(widths, keys, width) {
  everything <- seq_along(widths)
  if (sum(widths + 2L) - 2L <= width) return(list(everything))
  fixed <- everything[keys]
  if (sum(widths[fixed] + 2L) > width / 2) fixed <- utils::head(fixed, 1L)
  parts <- list()
  part <- fixed
  for (i in setdiff(everything, fixed)) {
    if (length(part) > length(fixed) && sum(widths[c(part, i)] + 2L) - 2L > width) {
      parts <- c(parts, list(part))
      part <- fixed
    }
    part <- c(part, i)
  }
  c(parts, list(part))
}

# Text from a file in Markdown: no mark-up, no link, no tag of HTML.
as_markdown_text <- function(text) {
  text <- gsub("[\r\n]+", " ", text)
  text <- gsub("([\\\\`*_{}\\[\\]()#|~!])", "\\\\\\1", text, perl = TRUE)
  text <- gsub("&", "&amp;", text, fixed = TRUE)
  text <- gsub("<", "&lt;", gsub(">", "&gt;", text, fixed = TRUE), fixed = TRUE)
  # What would be made a link by itself.
  text <- gsub("://", "&#58;//", text, fixed = TRUE)
  gsub("(?i)\\bwww\\.", "www&#46;", gsub("@", "&#64;", text, fixed = TRUE), perl = TRUE)
}

# The table for a document: as people read it, a row a line.
as_markdown <- function(table, result, columns = NULL) {
  result_kind <- if (inherits(result, "imbroglio_result")) basis(result)$kind
  if (!is.null(table[["measure"]])) table <- written_by_measure(table)
  names_shown <- columns %||% columns_to_show(table)
  currency <- currency_of_result(result)
  known <- lapply(names_shown, function(name) {
    column_of(name, table[[name]], result_kind, currency)
  })
  cells <- Map(function(name, column) {
    safe <- if (column$unit %in% c("text", "words")) as_markdown_text else identity
    safe(trimws(unit_text[[column$unit]](table[[name]])))
  }, names_shown, known)
  row_of <- function(x) paste0("| ", paste(x, collapse = " | "), " |")
  right <- !vapply(known, function(column) column$unit %in% c("text", "date"), NA)
  c(
    row_of(as_markdown_text(vapply(known, `[[`, "", "label"))),
    row_of(ifelse(right, "---:", "---")),
    if (nrow(table)) paste0("| ", do.call(paste, c(unname(cells), sep = " | ")), " |")
  )
}

# Several horizons and levels of value at risk: a row for each horizon, a column for each level.
is_crossed <- function(table) {
  all(c("horizon", "level", "var", "rank") %in% names(table)) &&
    length(unique(table$horizon)) > 1L && nrow(table) > 12L
}

crossed_table <- function(table) {
  keys <- table[c("security", "method", "rank", "horizon")]
  keys <- keys[vapply(keys, function(v) length(unique(stats::na.omit(v))) > 1L, NA)]
  key <- do.call(paste, c(unname(as.list(keys)), sep = "\r"))
  rows <- which(!duplicated(key))
  rows <- rows[do.call(
    order,
    c(lapply(keys[rows, , drop = FALSE], function(v) match(v, unique(v))))
  )]
  shown <- keys[rows, , drop = FALSE]
  for (level in sort(unique(table$level))) {
    at <- table$level == level
    shown[[unit_text$level(level)]] <- table$var[at][match(key[rows], key[at])]
  }
  shown
}

# Lines of a text; a number and its unit stay on one.
folded <- function(text, width = getOption("imbroglio.width", 120L)) {
  gsub(
    "\u00a0%",
    " %",
    strwrap(gsub(" %", "\u00a0%", text, fixed = TRUE), width, exdent = 2L),
    fixed = TRUE
  )
}

# How a column of a result is shown.

# `currency`: what money is counted in, where that is known.
column_of <- function(name, values, kind = NULL, currency = NULL) {
  column <- known_columns()[[name]] %||% list(
    label = name,
    unit = if (is.numeric(values)) "number" else "text"
  )
  # Numbers that were written already.
  if (is.character(values) && !column$unit %in% c("text", "moment")) column$unit <- "written"
  if (is.null(known_columns()[[name]]) && any(kind == c("fractions", "amounts"))) {
    column$unit <- c(fractions = "fraction", amounts = "money")[[kind]]
  }
  # Of profits everything is in their own units.
  if (identical(kind, "profit") &&
      column$unit %in% c("fraction", "small", "points", "small_points")) {
    column$unit <- "money"
  }
  if (identical(kind, "profit")) {
    column$label <- sub("return", "profit", column$label, fixed = TRUE)
  }
  if (column$unit == "money" && !is.null(currency) && name != "volume") {
    column$label <- counted_label(column$label, currency)
  }
  column
}

# Estimates of several measures in one column, each in its own unit, as text.
written_columns <- c(
  "estimate", "warn", "limit", "over", "after", "estimate_other", "difference", "difference_error",
  "difference_low", "difference_high", "moved", "number_before", "number_after",
  "swing_low", "swing_high", "swing", "grid_least", "grid_most", "chance_error", "untraded",
  "of_market", "of_trades", "by_market", "by_trades", "by_neither", "untraded_since"
)

# Those of one unit by the same number of digits.
signed_by_unit <- function(x, unit) {
  said <- rep("-", length(x))
  for (one in unique(unit)) {
    here <- unit == one & !is.na(x)
    said[here] <- unname(signed_difference(x[here], one))
  }
  said
}

written_by_measure <- function(table) {
  in_rows <- units_of_rows(table)
  for (name in intersect(written_columns, names(table))) {
    unit <- in_rows
    # Differences of percentages.
    if (startsWith(name, "difference")) unit[unit %in% c("fraction", "share")] <- "points"
    if (name == "swing") unit[unit %in% c("fraction", "share")] <- "points"
    if (name %in% c("moved", "of_market", "of_trades", "by_market", "by_trades", "by_neither")) {
      table[[name]] <- signed_by_unit(table[[name]], unit)
      next
    }
    table[[name]] <- vapply(seq_along(unit), function(i) {
      unit_text[[unit[i]]](table[[name]][i])
    }, "")
  }
  table
}
