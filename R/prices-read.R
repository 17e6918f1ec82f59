#' Read prices from a file
#'
#' Reads the two commonest layouts and finds out by itself which it is: **wide**,
#' a date column and one column for each security, or **long**, one row for each
#' date and security. The names of the columns decide: `date`, and in a long file
#' `security` and `adjusted`, `close` or `price`.
#'
#' @param path A text file with a header line, separated by comma, semicolon, tab or `|`; may be
#'   compressed with gzip (`.gz`). Empty cells and `NA` are missing prices.
#' @param price The column that holds the price in a long file. If absent, the
#'   first of `adjusted`, `close` and `price` that is there.
#' @return A price table, see [as_prices()].
#' @inheritSection as_prices What it refuses
#' @section Errors:
#'   Each error names the file and the line. Besides those of [as_prices()]: no such file
#'   (`imbroglio_error_file`), nothing in it (`imbroglio_error_empty`), lines that do not
#'   have the header's columns (`imbroglio_error_layout`).
#' @examples
#' read_prices(demo_file("bay.csv"))
#' read_prices(demo_file("bay-daily.csv.gz"), price = "close")
#' @export
read_prices <- function(path, price = NULL) {
  if (!is.character(path) || length(path) != 1L || is.na(path)) {
    fail("argument", "`path` must be the name of one file.", where = sprintf("It is %s.", shown(path)))
  }
  if (!file.exists(path)) {
    fail("file", sprintf("There is no file %s.", path),
         remedy = did_you_mean(basename(path), list.files(dirname(path))))
  }
  if (dir.exists(path)) fail("file", sprintf("%s is a folder.", path), remedy = "Name a file in it.")
  origin <- paste("file", basename(path))
  if (file.access(path, 4L) != 0L) fail("file", sprintf("You may not read %s.", origin))
  if (grepl("\\.gz$", path)) {
    path <- unpack(path, origin)
    on.exit(unlink(path))
  }
  as_prices(read_columns(path, origin), price = price, origin = origin)
}

read_columns <- function(path, origin) {
  first <- readLines(path, n = 1L, warn = FALSE)
  if (!length(first) || !nzchar(trimws(first))) {
    fail("empty", if (file.size(path) == 0) sprintf("There is nothing in %s.", origin)
                  else sprintf("The first line of %s is empty; it should name the columns.", origin))
  }
  # fread is let finish before its first complaint is made an error: it cleans up behind itself.
  complaint <- NULL
  columns <- withCallingHandlers(
    tryCatch(
      data.table::fread(file = path, header = TRUE, skip = 0L, na.strings = c("", "NA"), strip.white = TRUE,
                        integer64 = "double", check.names = FALSE, data.table = FALSE, showProgress = FALSE),
      error = function(e) complaint <<- complaint %||% conditionMessage(e)
    ),
    warning = function(w) {
      complaint <<- complaint %||% conditionMessage(w)
      invokeRestart("muffleWarning")
    }
  )
  if (!is.null(complaint)) {
    fail("layout", sprintf("The lines of %s do not all have the same columns.", origin),
         where = gsub("\\s+", " ", complaint))
  }
  # It leaves quotes within quotes doubled.
  names(columns) <- single_quotes(names(columns))
  textual <- vapply(columns, is.character, NA)
  columns[textual] <- lapply(columns[textual], single_quotes)
  if (!nrow(columns)) {
    fail("empty", sprintf("There are no prices in %s.", origin), where = "It has a header line only.")
  }
  columns
}

single_quotes <- function(text) gsub('""', '"', text, fixed = TRUE)

unpack <- function(path, origin) {
  to <- tempfile(fileext = ".csv")
  from <- gzfile(path, "rb")
  into <- file(to, "wb")
  on.exit({
    close(from)
    close(into)
  })
  damaged <- function(condition) {
    fail("file", sprintf("%s is damaged: it cannot be decompressed.", sentence_case(origin)))
  }
  tryCatch(
    while (length(piece <- readBin(from, "raw", 2^22))) writeBin(piece, into),
    warning = damaged, error = damaged
  )
  to
}
