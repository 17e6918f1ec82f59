#' @rdname working_json
#' @export
working_latex <- function(working) {
  check_working(working)
  has <- !vapply(working$expression, is.null, NA)
  left <- vapply(working$step[has], function(name) expression_latex(as.name(name)), "")
  right <- vapply(working$expression[has], expression_latex, "")
  stats::setNames(paste(left, "=", right), working$step[has])
}

#' @rdname working_json
#' @export
working_page <- function(working, file = NULL) {
  check_working(working)
  page <- html_document(
    working_title(working),
    report_file("working.css"),
    c("<main>", working_part(working), "</main>")
  )
  text <- paste(page, collapse = "\n")
  if (is.null(file)) return(text)
  write_whole(file, function(part) write_lines(text, part))
}

# The part of a page that is one working.
working_part <- function(working) {
  c(
    sprintf("<h1>%s</h1>", escaped(working_title(working))),
    sprintf("<p class=\"number\">%s</p>", escaped(working_numbers(working))),
    "<h2>Data</h2>",
    sprintf("<p>%s</p>", escaped(data_words(working))),
    choices_part(working),
    "<h2>Steps</h2>",
    "<ol class=\"steps\">",
    steps_part(working),
    "</ol>",
    unlist(lapply(attr(working, "shows"), function(one) {
      c(sprintf("<h2>%s</h2>", escaped(one$title)), table_part(one$table))
    })),
    "<h2>The number</h2>",
    table_part(data.frame(
      what = c("measured", "by this working", "apart by"),
      number = c(
        number_exact(attr(working, "measured")),
        number_exact(attr(working, "values")[[attr(working, "asked")]]),
        format(attr(working, "difference"), digits = 2L)
      )
    )),
    disagrees_part(working),
    sprintf("<p class=\"basis\">Basis: %s</p>", escaped(format(attr(working, "basis"))))
  )
}

disagrees_part <- function(working) {
  if (!length(attr(working, "disagrees"))) return(NULL)
  sprintf(
    "<p class=\"disagrees\">The working disagrees: %s.</p>",
    escaped(some(attr(working, "disagrees")))
  )
}

choices_part <- function(working, head = "h2") {
  written <- attr(working, "written")
  others <- other_choices(working)
  asked <- attr(working, "asked")
  if (!length(written$choices) && !NROW(others)) return(NULL)
  taken <- c(names(written$choices), setdiff(unique(others$choice), names(written$choices)))
  table <- data.frame(
    choice = vapply(taken, function(name) {
      (written$choices[[name]] %||% written$steps[[name]])$words
    }, ""),
    taken = vapply(taken, function(name) {
      choice <- written$choices[[name]]
      if (is.null(choice)) {
        expression_text(written$steps[[name]]$expression)
      } else {
        value_text(choice$value, choice$unit)
      }
    }, ""),
    otherwise = vapply(taken, function(name) {
      these <- others[others$choice == name, , drop = FALSE]
      if (!NROW(these)) return("")
      numbers <- vapply(these$number, unit_value, "", name = asked, working = working)
      paste(these$otherwise, numbers, sep = ": ", collapse = "; ")
    }, "")
  )
  said <- "Choices, and what others would have given"
  c(sprintf("<%1$s>%2$s</%1$s>", head, said), table_part(table))
}

steps_part <- function(working) {
  values <- attr(working, "values")
  scope <- list2env(values, language_scope())
  is_column <- function(name) name == "date" || length(values[[name]]) > 1L
  vapply(seq_len(nrow(working)), function(i) {
    name <- working$step[i]
    value <- values[[name]]
    expression <- working$expression[[i]]
    shown <- if (length(value) == 1L) value_text(value, working$unit[i]) else column_text(value)
    formula <- if (is.null(expression)) {
      "<span class=\"entered\">entered</span>"
    } else {
      paste0(
        expression_math(as.name(name), is_column),
        " = ",
        expression_math(expression, is_column)
      )
    }
    filled <- if (!is.null(expression)) numbers_put_in(expression, values, scope)
    numbers <- paste0(c(if (!is.null(filled) && filled != shown) filled, shown), collapse = " = ")
    sprintf(
      "<li><p>%s%s</p><p class=\"formula\">%s</p><p class=\"value\">= %s</p></li>",
      escaped(working$words[i]),
      if (nzchar(working$source[i])) {
        sprintf(" <cite>%s</cite>", escaped(working$source[i]))
      } else {
        ""
      },
      formula,
      escaped(numbers)
    )
  }, "")
}

table_part <- function(table) {
  numeric <- vapply(table, is.numeric, NA)
  cells <- lapply(table, function(x) escaped(if (is.numeric(x)) number_text(x) else format(x)))
  side <- ifelse(numeric, " class=\"right\"", "")
  rows <- do.call(paste0, Map(function(x, s) sprintf("<td%s>%s</td>", s, x), cells, side))
  c(
    "<div class=\"wide\"><table>",
    sprintf(
      "<thead><tr>%s</tr></thead>",
      paste0("<th", side, ">", escaped(names(table)), "</th>", collapse = "")
    ),
    "<tbody>",
    sprintf("<tr>%s</tr>", rows),
    "</tbody>",
    "</table></div>"
  )
}
