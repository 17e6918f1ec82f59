# Tables of a page: each number beside its full value, by which it is sorted, and with a link to
# its working; the whole as CSV inside the page.

# Text for an attribute of HTML.
quoted_html <- function(text) gsub("\"", "&quot;", escaped(text), fixed = TRUE)

# `workings`: for each row the name of its working, or NA, and for each column whether it has one.
# `exact`: the numbers of columns that are written already.
page_table <- function(table, id, kind = NULL, workings = NULL, caption, exact = table,
                       currency = NULL) {
  names_shown <- columns_to_show(table)
  columns <- lapply(names_shown, function(n) column_of(n, table[[n]], kind, currency))
  text <- vapply(columns, function(column) column$unit %in% c("text", "date"), NA)
  cells <- Map(function(name, column, is_text) {
    page_cells(
      table[[name]], exact[[name]], column, is_text, workings$rows, name %in% workings$columns
    )
  }, names_shown, columns, text)
  picked <- if (is.null(table[["security"]])) {
    ""
  } else {
    sprintf(" data-s=\"%s\"", quoted_html(table$security))
  }
  heads <- sprintf(
    "<th scope=\"col\"%s>%s</th>",
    ifelse(text, "", " class=\"r\""),
    vapply(columns, function(column) escaped(column$label), "")
  )
  rows <- if (nrow(table)) sprintf("<tr%s>%s</tr>", picked, do.call(paste0, unname(cells)))
  c(
    sprintf(
      "<div class=\"wide%s\" tabindex=\"0\" role=\"region\" aria-label=\"%s\">",
      if (nrow(table) > 16L) " tall" else "",
      quoted_html(caption)
    ),
    sprintf("<table id=\"t-%s\"><caption>%s</caption>", id, escaped(caption)),
    sprintf("<thead><tr>%s</tr></thead><tbody>", paste(heads, collapse = "")),
    rows,
    "</tbody></table></div>"
  )
}

page_cells <- function(values, exact, column, is_text, rows, linked) {
  shown <- escaped(unbroken(trimws(unit_text[[column$unit]](values))))
  shown[is.na(values)] <- "-"
  if (is_text) {
    first <- if (identical(column$label, "security")) "th scope=\"row\"" else "td"
    day <- if (identical(column$unit, "date")) " class=\"day\"" else ""
    if (nzchar(day)) shown <- with_link(shown, rows, linked & !is.na(values))
    return(sprintf("<%s%s>%s</%s>", first, day, shown, substr(first, 1L, 2L)))
  }
  number <- if (is.numeric(exact)) as.numeric(exact) else rep(NA_real_, length(values))
  value <- ifelse(is.finite(number), core_shortest(number), "")
  shown <- with_link(shown, rows, linked & is.finite(number))
  sprintf("<td class=\"r\" data-v=\"%s\">%s</td>", value, shown)
}

# To the working of each row that has one.
with_link <- function(shown, rows, linked) {
  ifelse(
    linked & !is.na(rows %||% NA), sprintf("<a href=\"#%s\">%s</a>", rows, shown), shown
  )
}

# A number and its unit stay on one line.
unbroken <- function(text) gsub(" (%|pp)", "\u00a0\\1", text)

# A file inside the page, which needs no network and no script to be saved.
file_link <- function(bytes, name, type, words) {
  sprintf(
    "<a class=\"file\" download=\"%s\" href=\"data:%s;base64,%s\">%s</a>",
    quoted_html(name),
    type,
    gsub("\n", "", jsonlite::base64_enc(bytes), fixed = TRUE),
    escaped(words)
  )
}
