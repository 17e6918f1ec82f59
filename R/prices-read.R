#' Read prices
#'
#' Reads prices from wherever they live, and finds out by itself how they are laid out;
#' printing the table says what was found.
#'
#' * **wide**: a date column and one column for each security;
#' * **long**: one row for each date and security, with `security` (or `symbol`) and
#'   `close`, `price` or
#'   `adjusted`, and if they are there `open`, `high`, `low` and `volume`;
#' * **single**: the same columns without a security; the name of the file (or sheet) is
#'   the security.
#'
#' Numbers may have thousands separators, a decimal comma, currency signs, percent signs or
#' quotes; dates may be ISO,
#' day-first or month-first (decided on the whole column), with the month's English name,
#' day numbers of a spreadsheet or Unix
#' seconds. What can be read two ways is refused, with how to say which.
#'
#' A store holds closes as they were traded beside splits and dividends: their adjusted closes are measured, unless
#' `price = "close"`.
#'
#' A line that tells a dividend or a split among the prices ("Dividend 0.47", "Split 4:1")
#' is taken out into the
#' table's `actions`.
#'
#' @param source A file, a folder of files, several files, a price store (see [store_prices()]: a file of it,
#'   `"sqlite:FILE"` or `"postgresql://..."`) or a `DBI` connection. Text
#'   files are separated by comma, semicolon, tab or
#'   `|` (`.csv`, `.tsv`, `.txt`, also `.gz`), in UTF-8 or Latin-1; `.xlsx` and `.xls` need
#'   readxl (one sheet, or a sheet for each security), `.parquet` needs nanoparquet. Empty
#'   cells and `NA` are missing prices.
#' @param price The column that holds the price in a long file. If absent, the
#'   first of `adjusted` and `close` (or `price`) that is there.
#' @param dates `"day-first"` or `"month-first"`, where dates can be read both ways.
#' @param decimal The decimal mark, `"."` or `","`, where numbers can be read both ways.
#' @param securities A table of securities, or a file of one, see [read_securities()]: only
#'   those in it are kept, and
#'   it gives them names, currencies and groups.
#' @param table The table of a database to read, or
#' @param query a query that gives one, with `?` for
#' @param parameters its values, which are bound and never pasted in.
#' @param as_of Of a price store: its state at an earlier time, by a date (to its end, in UTC), a time in UTC, or the
#'   number of an addition, see [store_additions()].
#' @return A price table, see [as_prices()].
#' @inheritSection as_prices What it refuses
#' @section Errors:
#'   Each error names the file and the line. Besides those of [as_prices()]: no such file
#'   (`imbroglio_error_file`), nothing in it (`imbroglio_error_empty`), lines that do not
#'   have the header's columns (`imbroglio_error_layout`), dates or decimal marks that can be
#'   read two ways
#'   (`imbroglio_error_ambiguous`), a file that is not text (`imbroglio_error_encoding`).
#' @examples
#' read_prices(demo_file("bay.csv"))
#' read_prices(demo_file("bay-daily.csv.gz"), price = "close", securities = demo_file("bay-securities.csv"))
#' @export
read_prices <- function(source, price = NULL, dates = NULL, decimal = NULL, securities = NULL,
                        table = NULL, query = NULL, parameters = list(), as_of = NULL) {
  how <- list(price = price, dates = dates, decimal = decimal, table = table, query = query, parameters = parameters,
              as_of = as_of)
  prices <- table_told(read_delivery(source, how))
  if (is.null(securities)) prices else with_securities(prices, securities)
}

read_delivery <- function(source, how) {
  if (holds_store(source, how)) return(read_store(source, how))
  if (!is.null(how$as_of)) {
    fail("argument", "Only a price store knows an earlier state of its prices; `as_of` is of one.")
  }
  if (inherits(source, "DBIConnection")) return(read_database(source, how))
  if (!is.character(source) || !length(source) || anyNA(source)) {
    fail("argument", "`source` must be a file, a folder, several files or a DBI connection.",
         where = sprintf("It is %s.", shown(source)))
  }
  files <- source
  if (length(source) == 1L && dir.exists(source)) {
    files <- list.files(source, paste0("\\.(", paste(names(readers), collapse = "|"), ")(\\.gz)?$"),
                        full.names = TRUE)
    if (!length(files)) fail("file", sprintf("%s is a folder without a file of prices.", source))
  }
  joined(unlist(lapply(files, read_file, how), recursive = FALSE),
         if (length(source) == 1L) paste("folder", basename(source))
                                                                 else count(length(source), "file"))
}

# An address, a file that begins like a database, or a connection of which no table is asked for.
holds_store <- function(source, how) {
  if (inherits(source, "DBIConnection")) return(is.null(how$table) && is.null(how$query) && has_store(source))
  is.character(source) && length(source) == 1L && !is.na(source) &&
    (is_store_address(source) || (file.exists(source) && !dir.exists(source) && is_sqlite(source)))
}

# The deliveries of one file: one, but for a workbook with a sheet for each security.
read_file <- function(path, how) {
  if (!file.exists(path)) {
    fail("file", sprintf("There is no file %s.", path),
         remedy = did_you_mean(basename(path), list.files(dirname(path))))
  }
  if (dir.exists(path)) fail("file", sprintf("%s is a folder.", path), remedy = "Name a file in it.")
  origin <- paste("file", basename(path))
  if (file.access(path, 4L) != 0L) fail("file", sprintf("You may not read %s.", origin))
  if (is.null(how$name)) how$name <- sub("\\.[A-Za-z]+(\\.gz)?$", "", basename(path))
  if (grepl("\\.gz$", path)) {
    packed <- path
    path <- unpack(path, origin)
    on.exit(unlink(path))
    ending <- tools::file_ext(sub("\\.gz$", "", packed))
  } else {
    ending <- tools::file_ext(path)
  }
  (readers[[tolower(ending)]] %||% read_text)(path, origin, how)
}

# How each kind of file is read; any other is taken for text.
readers <- list(
  csv = function(path, origin, how) read_text(path, origin, how),
  tsv = function(path, origin, how) read_text(path, origin, how),
  txt = function(path, origin, how) read_text(path, origin, how),
  xlsx = function(path, origin, how) read_workbook(path, origin, how),
  xls = function(path, origin, how) read_workbook(path, origin, how),
  parquet = function(path, origin, how) read_parquet_file(path, origin, how)
)

read_text <- function(path, origin, how) {
  refuse_binary(path, origin)
  columns <- read_columns(path, origin)
  list(delivery_of(columns, origin, how))
}

# A file that is not text would be read as one long wrong line.
refuse_binary <- function(path, origin) {
  if (file.size(path) == 0) fail("empty", sprintf("There is nothing in %s.", origin))
  start <- readBin(path, "raw", min(file.size(path), 2^16))
  if (any(start == 0L)) {
    fail("encoding", sprintf("%s is not a text file in UTF-8 or Latin-1.", sentence_case(origin)),
         remedy = "Save it as CSV in UTF-8.")
  }
  first <- sub("^\xef\xbb\xbf", "", strsplit(rawToChar(start), "[\r\n]", useBytes = TRUE)[[1L]][1L], useBytes = TRUE)
  if (is.na(first) || !nzchar(trimws(gsub("[^ -~]", "x", first, useBytes = TRUE)))) {
    fail("empty", sprintf("The first line of %s is empty; it should name the columns.", origin))
  }
}

read_columns <- function(path, origin) {
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
         where = gsub("\\s+", " ", in_utf8(complaint)))
  }
  names(columns) <- meant(names(columns))
  textual <- vapply(columns, is.character, NA)
  # A factor from here on: a table of millions of rows has few securities.
  columns[textual] <- lapply(columns[textual], function(text) {
    known <- unique(text)
    levels <- unique(stats::na.omit(meant(known)))
    structure(match(meant(known), levels)[data.table::chmatch(text, known)], levels = levels, class = "factor")
  })
  columns
}

# Text as it was meant: fread leaves quotes within quotes doubled, and Latin-1 as it is.
meant <- function(text) gsub('""', '"', in_utf8(text), fixed = TRUE)

in_utf8 <- function(text) {
  strange <- !validUTF8(text)
  text[strange] <- iconv(text[strange], "latin1", "UTF-8")
  text
}

unpack <- function(path, origin) {
  to <- tempfile(fileext = ".csv")
  from <- gzfile(path, "rb")
  into <- file(to, "wb")
  on.exit({
    close(from)
    close(into)
  })
  damaged <- function(condition) {
    unlink(to)
    fail("file", sprintf("%s is damaged: it cannot be decompressed.", sentence_case(origin)))
  }
  tryCatch(
    while (length(piece <- readBin(from, "raw", 2^22))) writeBin(piece, into),
    warning = damaged, error = damaged
  )
  to
}

# A workbook: of several sheets each is a table, its name the security's where the table does not say.
read_workbook <- function(path, origin, how) {
  need_package("readxl", "A workbook")
  unreadable <- function(e) {
    fail("file", sprintf("%s cannot be read as a workbook.", sentence_case(origin)), where = conditionMessage(e))
  }
  sheets <- tryCatch(readxl::excel_sheets(path), error = unreadable)
  tables <- lapply(sheets, function(s) {
    tryCatch(suppressMessages(readxl::read_excel(path, s, .name_repair = "minimal", na = c("", "NA"),
                                                 guess_max = 1e5)),
             error = unreadable)
  })
  filled <- vapply(tables, function(t) nrow(t) > 0L, NA)
  if (!any(filled)) fail("empty", sprintf("There are no prices in %s.", origin))
  Map(function(table, sheet) {
    if (sum(filled) > 1L) how$name <- sheet
    of <- if (sum(filled) > 1L) sprintf("sheet %s of %s", sheet, origin) else origin
    delivery_of(as.data.frame(table), of, how, place = function(rows) sprintf("row %s", some(rows + 1L)))
  }, tables[filled], sheets[filled])
}

read_parquet_file <- function(path, origin, how) {
  need_package("nanoparquet", "A Parquet file")
  table <- tryCatch(as.data.frame(nanoparquet::read_parquet(path)), error = function(e) {
    fail("file", sprintf("%s cannot be read as Parquet.", sentence_case(origin)), where = conditionMessage(e))
  })
  list(delivery_of(table, origin, how, place = function(rows) sprintf("row %s", some(rows))))
}

read_database <- function(connection, how) {
  need_package("DBI", "A database")
  if (is.null(how$table) == is.null(how$query)) {
    fail("argument", "Say either `table` or `query` of the database, which is no price store.")
  }
  origin <- if (is.null(how$table)) "a query" else paste("table", how$table)
  rows <- tryCatch({
    if (!is.null(how$table)) DBI::dbReadTable(connection, how$table, check.names = FALSE)
    else DBI::dbGetQuery(connection, how$query, params = if (length(how$parameters)) as.list(how$parameters))
  }, error = function(e) fail("file", sprintf("%s cannot be read from the database.", sentence_case(origin)),
                              where = conditionMessage(e)))
  delivery_of(rows, origin, how)
}
