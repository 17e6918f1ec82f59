#' Write rows as they are measured
#'
#' The table of a measure as CSV. Of an opened source, see [open_prices()], rows are written block
#' by block and kept nowhere, so that a rolling table of thousands of securities, which is many
#' times its prices, takes no more memory than a block of it: give the call itself, as in the
#' example, and not its result.
#'
#' @param result A result, or the call that gives it.
#' @param file The file, `.csv`.
#' @param columns Which columns; `NULL`: all.
#' @return How many rows were written, invisibly. The file is whole or as it was.
#' @section Errors: `imbroglio_error_argument` for another form, and for several methods, windows
#'   or levels of an opened source, whose rows would come in another order than in the table; for
#'   securities of unlike frequency, which take returns by one period (`every`).
#' @family ways to hand on
#' @examplesIf requireNamespace("nanoparquet", quietly = TRUE)
#' folder <- file.path(tempdir(), "bay-by-column")
#' write_prices(read_prices(demo_file("bay.csv")), folder)
#' opened <- open_prices(folder, memory = "100MB")
#' rolling <- file.path(tempdir(), "rolling.csv")
#' write_rows(measure_volatility(opened, window = 60), rolling)
#' head(read.csv(rolling))
#' unlink(c(folder, rolling), recursive = TRUE)
#' @export
write_rows <- function(result, file, columns = NULL) {
  if (!identical(lower_case(tools::file_ext(file)), "csv")) {
    fail("argument", "Rows are written as .csv.", where = sprintf("The file is %s.", file))
  }
  written <- new.env()
  written$rows <- 0
  write_whole(file, function(part) {
    was <- under_way$sink
    on.exit(under_way$sink <- was)
    under_way$sink <- function(table, x) append_rows(written, rows_shown(table, x), part, columns)
    done <- result
    under_way$sink <- was
    if (is.null(written$header)) append_rows(written, as.list(as.data.frame(done)), part, columns)
  })
  invisible(written$rows)
}

# Those of the span that was asked for, of windows that began before it.
rows_shown <- function(table, x) {
  if (is.null(x$shown_from) || is.null(table$window)) return(table)
  lapply(table, `[`, table$to >= x$shown_from)
}

rows_of_piece <- 50000L

append_rows <- function(written, table, part, columns) {
  if (!is.null(columns)) table <- table[check_choice(columns, "columns", names(table), TRUE)]
  if (is.null(written$header)) {
    written$header <- names(table)
    write_lines(as_csv(lapply(table, `[`, 0L)), part)
  } else if (!identical(written$header, names(table))) {
    fail(
      "argument",
      "Not all securities have the same columns, and rows are written as they come.",
      remedy = "Take returns by one period that all have (`every`), or securities that are alike."
    )
  }
  n <- length(table[[1L]])
  for (rows in split(seq_len(n), (seq_len(n) - 1L) %/% rows_of_piece)) {
    why <- write_bytes(part, text_bytes(as_csv(lapply(table, `[`, rows))[-1L]), TRUE)
    if (nzchar(why)) fail("write", "The rows could not be written.", where = why)
  }
  written$rows <- written$rows + n
}
