# A sources file, drafted from what was understood of each file.

#' How files are read
#'
#' Files of several providers are written differently. A small file of sources says how each of
#' them is read, and stands wherever a file of prices does: in [read_prices()],
#' `as_returns(given =)` and [check_prices()], in the command and in a study. `draft_sources()`
#' drafts it from what was understood, with a remark beside each line.
#'
#' A sources file is YAML: `files`, a list of entries. Each names its `file`, or several, from the
#' folder of the sources file on; `*` stands for any letters. A file is read by the first entry
#' that names it.
#'
#' @eval entry_in_docs()
#' @param source Files, or a folder, of prices.
#' @param file The sources file to write, ending in `.yml`, which is not there yet; if absent,
#'   nothing is written.
#' @return A data frame, invisibly where a file is written: a row for each `file`, with its
#'   `securities`, `from`, `to`, `rows`, and what was `understood`, or the `problem` with it.
#' @section Errors: `imbroglio_error_sources` for a sources file that cannot be read, or says what
#'   there is not; `imbroglio_error_file` for a file that it names and that is not there.
#' @eval concepts_in_docs("draft_sources")
#' @family ways to get prices
#' @examples
#' folder <- tempfile()
#' dir.create(folder)
#' writeLines(
#'   c("Datum;Wertpapier;Kurs", "15.01.2024;A;10,5", "16.01.2024;A;11,5"),
#'   file.path(folder, "one.csv")
#' )
#' draft_sources(folder, file.path(folder, "sources.yml"))
#' cat(readLines(file.path(folder, "sources.yml")), sep = "\n")
#' read_prices(file.path(folder, "sources.yml"))
#' @export
draft_sources <- function(source, file = NULL) {
  if (any(is_sources_file(source))) fail("argument", "A sources file is drafted from files.")
  paths <- files_of_source(source)
  gone <- paths[!file.exists(paths)]
  if (length(gone)) fail("file", sprintf("There is no file %s.", some(visible(gone))))
  looked <- lapply(paths, look_at_file)
  table <- data.frame(
    file = basename(paths), stacked(lapply(looked, `[[`, "row"))
  )
  if (is.null(file)) return(table)
  if (!is_sources_file(file)) {
    fail("argument", "A sources file ends in .yml.", where = sprintf("It is %s.", shown(file)))
  }
  if (file.exists(file)) {
    fail(
      "write", sprintf("%s is there, and may have been changed by hand.", visible(basename(file))),
      remedy = "Name another file, or take it away first."
    )
  }
  write_lines(sources_text(looked, path_from(paths, dirname(file))), file)
  invisible(table)
}

# What was understood of a file, or why it was not.
look_at_file <- function(path) {
  found <- tryCatch(
    suppressMessages(read_file(path, list())), imbroglio_error = function(e) e
  )
  if (inherits(found, "condition")) {
    said <- trimws(sub("^[^[:alnum:]] ", "", message_lines(found)))
    other <- table_of_another_kind(headings_of(path))
    if (!is.null(other)) said <- other
    return(list(
      other = !is.null(other), row = list(
        securities = NA_integer_, from = as.Date(NA), to = as.Date(NA), rows = NA_integer_,
        understood = NA_character_, problem = said[1L]
      ),
      problem = said, asks = what_to_say(found), columns = headings_of(path)
    ))
  }
  one <- found[[1L]]
  whole <- lapply(found, in_rows)
  days <- unlist(lapply(whole, `[[`, "day"))
  days <- days[!is.na(days)]
  securities <- unique(unlist(lapply(found, `[[`, "securities")))
  list(
    row = list(
      securities = length(securities), from = .Date(min(days, Inf)), to = .Date(max(days, -Inf)),
      rows = length(days),
      understood = paste(unique(c(one$layout, said_besides(one$remarks))), collapse = "; "),
      problem = NA_character_
    ),
    understood = c(one$understood, list(
      securities = securities, currency = unique(stats::na.omit(one$about$currency)),
      sheets = length(found)
    )),
    remarks = c(
      if (grepl("not used: ", one$layout)) sub(".*(not used: .*)", "\\1", one$layout),
      if (length(found) > 1L) sprintf("%s, each a table", count(length(found), "sheet")),
      said_besides(one$remarks)
    )
  )
}

# A table that is no prices, by its headers.
table_of_another_kind <- function(headings) {
  plain <- plain_name(headings)
  has <- function(role) any(plain %in% limit_columns[[role]])
  amounts <- any(plain %in% unlist(holding_columns, use.names = FALSE))
  about <- any(plain %in% heading_names$currency) || any(plain %in% heading_names$group)
  if (any(plain %in% date_names)) return(NULL)
  if (has("measure") && has("limit")) return("It is a table of limits, not of prices: --limits.")
  if (any(plain %in% security_names) && amounts) {
    return("It is a table of holdings, not of prices: --holdings.")
  }
  if (any(plain %in% security_names) && about) {
    return("It is a table of securities, not of prices: --securities.")
  }
}

# What the lines of an entry say need not be said twice.
said_besides <- function(remarks) {
  own <- c("decimal comma", sub("-", " ", date_orders))
  remarks[!remarks %in% own & !grepl(" between columns$|^a decimal point|columns parted", remarks)]
}

message_lines <- function(condition) {
  c(condition$message, unlist(condition$body), use.names = FALSE)
}

# What an entry would have to say, where a choice is lacking.
what_to_say <- function(condition) {
  text <- paste(message_lines(condition), collapse = " ")
  c(
    if (grepl("comes first in column", text)) {
      orders <- regmatches(text, gregexpr("(day|month|year)-first", text))[[1L]]
      sprintf("dates: %s", unique(c(orders, "day-first"))[1L])
    },
    if (grepl("decimal mark", text)) "decimal: \",\"",
    if (grepl("no column is known to name|which column .* names", text)) {
      column <- regmatches(text, regexec("([^.]+) differs? from row to row", text))[[1L]][2L]
      named <- if (is.na(column)) "HEADER" else yaml_text(trimws(column))
      sprintf("columns: {security: %s}", named)
    },
    if (grepl("which column .* price|is the price", text)) "columns: {price: HEADER}",
    if (grepl("date column|holds the dates", text)) "columns: {date: HEADER}"
  )
}

headings_of <- function(path) {
  grids <- tryCatch(suppressMessages(read_grids(path)), imbroglio_error = function(e) NULL)
  if (length(grids)) names(grids[[1L]]$columns)
}

# Files that are read alike are one entry.
sources_text <- function(looked, paths) {
  entries <- lapply(looked, entry_lines)
  key <- vapply(entries, function(lines) paste(lines$key, collapse = "\n"), "")
  alike <- split(seq_along(key), factor(key, unique(key)))
  c(
    "# How each file of prices is read, drafted from what was understood.",
    "# Change what is wrong. A file is read by the first entry that names it; * stands for any",
    "# letters. What an entry may say: imbroglio read --help.",
    "files:",
    unlist(lapply(alike, function(rows) {
      c(
        if (!isTRUE(looked[[rows[1L]]]$other)) {
          sprintf("- file: %s", listed(yaml_text(paths[rows])))
        },
        entries[[rows[1L]]]$lines,
        unlist(lapply(rows, function(i) entry_remark(looked[[i]], basename(paths[i]))))
      )
    }))
  )
}

entry_lines <- function(look) {
  known <- look$understood
  if (is.null(known)) return(list(lines = character(), key = look$row$problem))
  as_said <- function(word, value, says, depth = 2L) {
    if (!length(value)) return(NULL)
    sprintf("%-34s # %s", paste0(strrep(" ", depth), word, ": ", value), says)
  }
  columns <- known$columns
  lines <- c(
    if (!is.null(known$separator)) {
      as_said("separator", sprintf("\"%s\"", sub("\t", "\\t", known$separator, fixed = TRUE)),
           "between columns")
    },
    as_said("decimal", sprintf("\"%s\"", known$decimal), "the decimal mark"),
    as_said("dates", known$order, "as the dates of the file tell"),
    if (length(columns)) {
      c("  columns:", vapply(names(columns), function(role) {
        as_said(role, yaml_text(columns[[role]]), says_of_column[[role]], 4L)
      }, ""))
    },
    if (length(known$currency) == 1L) {
      as_said("currency", yaml_text(known$currency), "as the file says")
    }
  )
  list(lines = lines, key = lines)
}

says_of_column <- c(
  date = "the days", security = "which security a row is of", price = "what is measured",
  stats::setNames(paste("known as", price_fields), price_fields)
)

entry_remark <- function(look, name) {
  row <- look$row
  if (is.na(row$problem)) {
    by_file <- identical(look$understood$layout, "single") && look$understood$sheets == 1L
    return(paste0("  # ", visible(paste(c(
      sprintf(
        "%s: %s (%s%s), %s to %s, %s", name, count(row$securities, "security", "securities"),
        some(look$understood$securities, 3L), if (by_file) ", by the name of the file" else "",
        row$from, row$to, count(row$rows, "row")
      ),
      look$remarks
    ), collapse = "; "))))
  }
  said <- gsub("\n", " ", look$problem)
  if (isTRUE(look$other)) return(sprintf("# %s: %s", visible(name), said[1L]))
  c(
    paste0("  # ", visible(c(
      sprintf("%s could not be read: %s", name, said[1L]), said[-1L],
      if (length(look$columns)) sprintf("Its columns are %s.", some(look$columns, 12L))
    ))),
    if (length(look$asks)) sprintf("  # Say it here, such as:\n  # %s", look$asks)
  )
}
