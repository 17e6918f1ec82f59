#' A working for programs and for a page
#'
#' `working_json()`: all of a working, so that a program can recompute it: the data, the choices
#' and the steps with their expressions as text, and what each function in them means. Dates are
#' written as `"2024-01-31"`; in an expression a date is its days since 1970-01-01. What is unknown
#' or endless is `null`. The schema ships: `system.file("working", "working.schema.json", package =
#' "imbroglio")`. [verify_working()] computes such a file again. `working_page()`: the same for
#' people, as one page of HTML with formulas in MathML, which needs no script and no network.
#' `working_latex()`: the formulas for a document.
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
  data <- vapply(written$rows, rows_json, "")
  text <- object_json(
    c(
      json_of_working(working),
      list(
        steps = array_json(steps_json(
          written$steps, attr(working, "values"), attr(working, "row")
        )),
        data = object_json(data),
        functions = functions_json(written$steps),
        otherwise = array_json(others_json(other_choices(working))),
        basis = text_json(format(attr(working, "basis")))
      )
    ),
    lines = TRUE
  )
  if (is.null(file)) return(text)
  write_whole(file, function(part) write_lines(text, part))
}

# The form of the file: a number that grows when what stands in it is understood otherwise.
form_of_working <- 2L

# Columns as text, by their digests, while a report is made: the same one stands in many workings.
columns_written <- new.env(parent = emptyenv())

# What a record of a study keeps of a working: its numbers; its steps and its columns are kept by
# their digests, so that what several workings stand on is kept once.
sums_of_record <- function(working, row) {
  data <- character()
  put <- function(x, written) {
    own <- digest::digest(x, algo = "xxhash64")
    if (is.null(columns_written[[own]])) {
      text <- written(x)
      columns_written[[own]] <- list(
        key = digest::digest(text, algo = "xxhash64", serialize = FALSE), text = text
      )
    }
    one <- columns_written[[own]]
    data[one$key] <<- one$text
    text_json(one$key)
  }
  written <- attr(working, "written")
  parts <- c("name", "words", "expression", "unit", "source", "proof")
  steps <- lapply(unname(written$steps), `[`, parts)
  whole <- object_json(c(
    json_of_working(working),
    list(steps = put(steps, function(steps) array_json(steps_json(steps)))),
    numbers_of_steps(written$steps, attr(working, "values"), attr(working, "row")),
    list(row = row, data = object_json(vapply(written$rows, rows_json, "", put = put)))
  ))
  list(workings = whole, data = data)
}

# The values of steps that are one number, and what was measured; of columns how many rows there
# are, and how many before the first that is known.
numbers_of_steps <- function(steps, values, row) {
  of <- lapply(steps, function(s) as.numeric(values[[s$name]]))
  columns <- lengths(of) != 1L
  single <- rep(NA_real_, length(of))
  single[!columns] <- unlist(of[!columns])
  begins <- vapply(of, function(x) match(FALSE, is.na(x), 1L) - 1L, 0L)
  measured <- vapply(steps, function(s) {
    number <- as.numeric(row[[s$name]])
    if (length(number) == 1L) number else NA_real_
  }, 0)
  lapply(list(
    values = single, rows = ifelse(columns, lengths(of), NA), begins = ifelse(columns, begins, NA),
    measured_steps = measured
  ), numbers_json)
}

json_of_working <- function(working) {
  written <- attr(working, "written")
  row <- attr(working, "row")
  picked <- row[intersect(c("security", "method", "benchmark", "family"), names(row))]
  picked <- picked[!vapply(picked, is.na, NA)]
  c(
    list(
      imbroglio = object_json(list(
        form = form_of_working,
        version = text_json(attr(working, "basis")$version),
        measure = text_json(attr(working, "measure")),
        kind = text_json(attr(working, "basis")$kind)
      )),
      question = text_json(attr(working, "asks"))
    ),
    lapply(picked, function(x) text_json(as.character(x))),
    list(
      number = text_json(attr(working, "asked")),
      measured = numbers_json(attr(working, "measured"), FALSE),
      difference = numbers_json(attr(working, "difference"), FALSE),
      choices = array_json(vapply(written$choices, choice_json, ""))
    )
  )
}

# `put`: what stands where a column would, or the dates.
rows_json <- function(r, put = function(x, written) written(x)) {
  used <- rows_used(r)
  of <- r$of[intersect(names(r$of), names(r$columns))]
  object_json(c(
    list(words = text_json(r$words)),
    if (!is.null(r$dates)) list(dates = put(r$dates[used], dates_json)),
    list(columns = object_json(lapply(r$columns, function(x) {
      put(as.numeric(x[used]), numbers_json)
    }))),
    if (length(of)) {
      list(of = object_json(stats::setNames(text_json(of), names(of))), holds = text_json(r$holds))
    },
    if (length(r$left_out)) list(left_out = object_json(as.list(r$left_out)))
  ))
}

choice_json <- function(choice) {
  object_json(list(
    name = text_json(choice$name),
    words = text_json(choice$words),
    value = value_json(choice$value, choice$unit),
    unit = text_json(choice$unit)
  ))
}

# `row`: the result's, of which some steps are numbers. Without `values`: the steps alone.
steps_json <- function(steps, values = NULL, row = NULL) {
  if (!length(steps)) return(character())
  of <- function(part) text_json(vapply(steps, `[[`, "", part))
  value <- measured <- ""
  if (!is.null(values)) {
    value <- vapply(steps, function(s) {
      value <- values[[s$name]]
      sprintf("\"value\": %s, ", value_json(value, s$unit, length(value) != 1L))
    }, "")
    measured <- vapply(steps, function(s) {
      number <- row[[s$name]]
      single <- length(number) == 1L && is.finite(as.numeric(number))
      if (single) sprintf(", \"measured\": %s", value_json(as.numeric(number), s$unit)) else ""
    }, "")
  }
  proof <- vapply(steps, function(s) {
    if (!length(s$proof)) return("")
    sprintf(", \"proof\": [%s]", paste(text_json(s$proof), collapse = ", "))
  }, "")
  sprintf(
    paste0(
      "{\"name\": %s, \"words\": %s, \"expression\": %s, %s\"unit\": %s, ",
      "\"source\": %s%s%s}"
    ),
    of("name"), of("words"),
    vapply(steps, function(s) {
      if (is.null(s$expression)) "null" else text_json(one_line(s$expression))
    }, ""),
    value, of("unit"), of("source"), measured, proof
  )
}

functions_json <- function(steps) {
  meanings <- meanings_of(lapply(steps, `[[`, "expression"))
  object_json(stats::setNames(as.list(text_json(meanings)), names(meanings)))
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
  lines <- deparse(expression, width.cutoff = 500L)
  if (length(lines) > 1L) paste(trimws(lines), collapse = " ") else lines
}

# Quoted, of many at once; what is rare is left to jsonlite.
text_json <- function(x) {
  if (!length(x)) return(character())
  x <- enc2utf8(as.character(x))
  quoted <- paste0("\"", gsub("([\"\\\\])", "\\\\\\1", x), "\"")
  rare <- grepl("[[:cntrl:]]", x)
  quoted[rare] <- vapply(x[rare], function(one) {
    as.character(jsonlite::toJSON(one, auto_unbox = TRUE))
  }, "")
  quoted
}

value_json <- function(x, unit, array = FALSE) {
  if (unit != "date") return(numbers_json(x, array))
  text <- dates_json(x)
  if (array) text else substring(text, 2L, nchar(text) - 1L)
}

dates_json <- function(x) {
  text <- sprintf("\"%s\"", core_iso_days(.Date(as.numeric(x))))
  text[!is.finite(x)] <- "null"
  sprintf("[%s]", paste(text, collapse = ", "))
}

numbers_json <- function(x, array = TRUE) {
  text <- core_shortest(as.numeric(x))
  text[!is.finite(x)] <- "null"
  if (array) sprintf("[%s]", paste(text, collapse = ", ")) else text
}

object_json <- function(fields, lines = FALSE) {
  if (!length(fields)) return("{}")
  between <- if (lines) ",\n  " else ", "
  # A text that is not there is an empty one.
  fields[lengths(fields) == 0L] <- "\"\""
  parts <- paste0(text_json(names(fields)), ": ", unlist(fields), collapse = between)
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
