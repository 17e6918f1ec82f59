#' A working for programs and for a page
#'
#' `working_json()`: all of a working, so that a program can recompute it: the data, the choices
#' and the steps with their expressions as text. `working_page()`: the same for people, as one
#' page of HTML with formulas in MathML, which needs no script and no network. `working_latex()`:
#' the formulas for a document.
#'
#' @param working The result of [show_working()].
#' @param file A file to write, `.json` or `.html`; `NULL`: give the text.
#' @return The text, or `file`, invisibly. `working_latex()`: a character vector, named by the
#'   steps.
#' @family ways to hand on
#' @examples
#' prices <- read_prices(demo_file("bay.csv"))
#' working <- show_working(measure_var(prices[, "BAYALL"], method = "normal"))
#' working_latex(working)
#' working_page(working, tempfile(fileext = ".html"))
#' @export
working_json <- function(working, file = NULL) {
  check_working(working)
  written <- attr(working, "written")
  about <- attr(working, "basis")
  row <- attr(working, "row")
  picked <- row[intersect(c("security", "method", "benchmark", "family"), names(row))]
  text <- object_json(
    c(
      list(
        imbroglio = object_json(list(
          version = text_json(about$version),
          measure = text_json(attr(working, "measure"))
        )),
        question = text_json(attr(working, "asks"))
      ),
      lapply(picked, function(x) text_json(as.character(x))),
      list(
        number = text_json(attr(working, "asked")),
        measured = numbers_json(attr(working, "measured"), FALSE),
        difference = numbers_json(attr(working, "difference"), FALSE),
        data = object_json(lapply(written$rows, rows_json)),
        choices = array_json(lapply(written$choices, choice_json)),
        steps = array_json(lapply(written$steps, step_json, attr(working, "values"))),
        otherwise = array_json(others_json(other_choices(working))),
        basis = text_json(format(about))
      )
    ),
    lines = TRUE
  )
  if (is.null(file)) return(text)
  write_whole(file, function(part) write_lines(text, part))
}

rows_json <- function(r) {
  used <- rows_used(r)
  object_json(c(
    list(words = text_json(r$words)),
    if (!is.null(r$dates)) list(dates = numbers_json(as.numeric(r$dates[used]))),
    list(columns = object_json(lapply(r$columns, function(x) numbers_json(x[used]))))
  ))
}

choice_json <- function(choice) {
  object_json(list(
    name = text_json(choice$name),
    words = text_json(choice$words),
    value = numbers_json(choice$value, FALSE),
    unit = text_json(choice$unit)
  ))
}

step_json <- function(s, values) {
  value <- values[[s$name]]
  object_json(list(
    name = text_json(s$name),
    words = text_json(s$words),
    expression = if (is.null(s$expression)) "null" else text_json(one_line(s$expression)),
    value = numbers_json(value, length(value) > 1L),
    unit = text_json(s$unit),
    source = text_json(s$source)
  ))
}

others_json <- function(others) {
  lapply(seq_len(NROW(others)), function(i) {
    object_json(list(
      choice = text_json(others$choice[i]),
      otherwise = text_json(others$otherwise[i]),
      number = numbers_json(others$number[i], FALSE)
    ))
  })
}

one_line <- function(expression) {
  paste(trimws(deparse(expression, width.cutoff = 500L)), collapse = " ")
}

text_json <- function(x) as.character(jsonlite::toJSON(x, auto_unbox = TRUE))

numbers_json <- function(x, array = TRUE) {
  text <- core_shortest(as.numeric(x))
  text[!is.finite(x)] <- "null"
  if (array) sprintf("[%s]", paste(text, collapse = ", ")) else text
}

object_json <- function(fields, lines = FALSE) {
  if (!length(fields)) return("{}")
  between <- if (lines) ",\n  " else ", "
  parts <- paste0(vapply(names(fields), text_json, ""), ": ", unlist(fields), collapse = between)
  if (lines) sprintf("{\n  %s\n}", parts) else sprintf("{%s}", parts)
}

array_json <- function(items) {
  if (length(items)) {
    sprintf("[\n    %s\n  ]", paste(unlist(items), collapse = ",\n    "))
  } else {
    "[]"
  }
}

check_working <- function(working) {
  if (!inherits(working, "imbroglio_working")) {
    fail(
      "argument",
      "This is asked of a working.",
      where = sprintf("This is %s.", shown(working)),
      remedy = "show_working(result) makes one."
    )
  }
}

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

choices_part <- function(working) {
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
  c("<h2>Choices, and what others would have given</h2>", table_part(table))
}

steps_part <- function(working) {
  values <- attr(working, "values")
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
    filled <- if (!is.null(expression)) numbers_put_in(expression, values)
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
