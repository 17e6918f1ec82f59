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
#' Nothing is guessed from a part of a file: each column is understood from all of its values, and
#' what two readings fit is refused, with how to say which. What was decided is told in a note of
#' class `imbroglio_note_reading`.
#'
#' * **Headers** are known in nine languages, see [headings].
#' * **Numbers** may have thousands parted by comma, point, space or apostrophe, a decimal comma,
#'   a currency's sign or code, brackets for a negative, or percent signs. All of a column are of
#'   one unit; the decimal mark is one for the table.
#' * **Dates** may be ISO, day-first, month-first or, with years of two digits, year-first; with
#'   the month's name in the languages of [headings]; `20240131`; months (`2024-01`), quarters
#'   (`2024-Q1`), ISO weeks (`2024-W05`) and years, which are dated by their last day; a
#'   spreadsheet's day numbers and Unix times in a column that is called a date. A time of the day
#'   is left out and a zone never moves the day: the date is the one that is written. Years run
#'   from 1800 to 2100.
#' * **Names** of securities are text, also `0700` and `1E5`; spaces around them are no part of
#'   them.
#' * **Lines** all have as many cells as the header. Empty lines, titles above the header, and
#'   lines of one cell below the table and an empty line are left out, and told.
#'
#' A store holds closes as they were traded beside splits and dividends: their adjusted closes are
#' measured, unless `price = "close"`.
#'
#' Splits and dividends among the prices become the table's `actions`, each of them named in a note
#' of class `imbroglio_note_actions`, where they stand in the cell of a price ("Dividend 0.47",
#' "Split 4:1"), in a row of which a column `type` or `kind` says that it is one, or in columns
#' `split` and `dividend`. A word elsewhere takes nothing away. Closes that still move by a split
#' that is known are measured with a warning (`imbroglio_warning_unadjusted`), see
#' [adjust_prices()]. A workbook's formula without a stored value is missing, with a warning
#' (`imbroglio_warning_formula`) that names the cell.
#'
#' @param source A file, `"-"` for standard input, a pipe, a folder of files, several files or
#'   folders, a sources file that says how each file is read (see [draft_sources()]), a price
#'   store (see [store_prices()]: a file of it, `"sqlite:FILE"` or `"postgresql://..."`) or
#'   a `DBI` connection. Text files are separated by comma, semicolon, tab or `|`, in UTF-8,
#'   UTF-16 or Windows-1252, also packed by gzip or xz; `.xlsx` and `.xls` need readxl (one sheet,
#'   or a sheet for each security; of a workbook that [write_prices()] made the prices),
#'   `.parquet` needs nanoparquet. Empty cells, `NA`, `null`, `n/a` and the like are missing
#'   prices.
#'
#'   Of a Parquet file the library tests its structure only: a bit that flipped within a page of
#'   numbers reads as another number. What is no date between 1800 and 2100 and no price above 0
#'   is refused; [check_prices()] finds jumps.
#' @param price The column that holds the price in a long file. If absent, the
#'   first of `adjusted` and `close` (or `price`) that is there.
#' @param dates `"day-first"`, `"month-first"` or `"year-first"`, where dates can be read in
#'   several ways.
#' @param decimal The decimal mark, `"."` or `","`, where numbers can be read both ways.
#' @param securities A table of securities, or a file of one, see [read_securities()]: only
#'   those in it are kept, and
#'   it gives them names, currencies and groups.
#' @param table The table of a database to read, or
#' @param query a query that gives one, with `?` for
#' @param parameters its values, which are bound and never pasted in.
#' @param as_of Of a price store: its state at an earlier time, by a date (to its end, in UTC), a
#'   time in UTC, or the number of an addition, see [store_additions()].
#' @return A price table, see [as_prices()].
#' @param sheet Of a workbook: the name of the sheet to read; several names, several sheets.
#'   `NULL`: all.
#' @param strict Of several files, or a folder: whether one that cannot be read stops the reading.
#'   If not, it is left out with a warning (`imbroglio_warning_skipped`) that gives the reason.
#' @inheritSection as_prices What it refuses
#' @section Errors:
#'   Each error names the file and the line. Besides those of [as_prices()]: no such file
#'   (`imbroglio_error_file`), nothing in it (`imbroglio_error_empty`), lines that do not
#'   have the header's columns (`imbroglio_error_layout`), dates or decimal marks that can be
#'   read two ways
#'   (`imbroglio_error_ambiguous`), a file that is not text (`imbroglio_error_encoding`).
#' @family ways to get prices
#' @examples
#' read_prices(demo_file("bay.csv"))
#' about <- demo_file("bay-securities.csv")
#' read_prices(demo_file("bay-daily.csv.xz"), price = "close", securities = about)
#' @export
read_prices <- function(source, price = NULL, dates = NULL, decimal = NULL, securities = NULL,
                        table = NULL, query = NULL, parameters = list(), as_of = NULL,
                        sheet = NULL, strict = TRUE) {
  how <- list(
    price = price, dates = dates, decimal = decimal, table = table, query = query,
    parameters = parameters, as_of = as_of, sheet = sheet, strict = strict
  )
  prices <- if (is_price_folder(source)) {
    read_price_folder(source, how)
  } else {
    table_told(read_delivery(source, how))
  }
  if (is.null(securities)) prices else with_securities(prices, securities)
}

# All of a folder that write_prices() wrote.
read_price_folder <- function(source, how) {
  if (!is.null(how$as_of)) refuse_as_of()
  refuse_text_choices(how[setdiff(names(how), "strict")], "a folder of prices")
  whole_table(open_prices(source, price = how$price), Inf)
}

refuse_as_of <- function() {
  fail("argument", "Only a price store knows an earlier state of its prices; `as_of` is of one.")
}

# Which files of a folder are read.
price_files <- "\\.(csv|tsv|txt|xlsx|xls|parquet)(\\.[gx]z)?$"

read_delivery <- function(source, how) {
  if (is_price_folder(source)) return(rows_of_table(read_price_folder(source, how)))
  if (holds_store(source, how)) {
    refuse_text_choices(how)
    return(read_store(source, how))
  }
  if (!is.null(how$as_of)) refuse_as_of()
  if (inherits(source, "DBIConnection")) return(read_database(source, how))
  files <- files_of_source(source)
  told <- files_told(files, how)
  read <- if (length(told) > 1L && !isTRUE(how$strict %||% TRUE)) {
    readable_of(told)
  } else {
    lapply(told, function(one) read_file(one$path, one$how))
  }
  delivery <- joined(
    unlist(read, recursive = FALSE),
    if (length(source) == 1L) {
      paste(if (is_sources_file(source)) "sources" else "folder", basename(source))
    } else {
      count(length(source), "file")
    }
  )
  note_delivery(delivery)
  delivery
}

files_of_source <- function(source) {
  if (!is.character(source) || !length(source) || anyNA(source) || !all(nzchar(source))) {
    fail(
      "argument",
      "`source` must be a file, a folder, several files or a DBI connection.",
      where = sprintf("It is %s.", shown(source))
    )
  }
  unlist(lapply(source, function(one) {
    if (!dir.exists(one)) return(one)
    files <- list.files(one, price_files, full.names = TRUE, ignore.case = TRUE)
    if (!length(files)) fail("file", sprintf("%s is a folder without a file of prices.", one))
    files
  }))
}

# A store holds numbers and days, which are written in no way.
refuse_text_choices <- function(how, what = "a price store") {
  given <- Filter(function(name) !is.null(how[[name]]), c("dates", "decimal", "sheet"))
  if (length(given)) {
    fail(
      "argument",
      sprintf("`%s` is of text or a workbook; %s holds neither.", given[1L], what),
      remedy = "Leave it out."
    )
  }
}

# Those of several files that can be read; each of the others is named with its reason.
readable_of <- function(told) {
  read <- lapply(told, function(one) {
    tryCatch(
      {
        deliveries <- read_file(one$path, one$how)
        # What is wrong with a price shows when a table is made of it.
        suppressMessages(lapply(deliveries, table_of))
        deliveries
      },
      imbroglio_error = function(e) {
        caution(
          "skipped",
          sprintf(
            "%s was left out: %s",
            visible(basename(one$path)),
            first_line(conditionMessage(e))
          )
        )
        e
      }
    )
  })
  kept <- !vapply(read, inherits, NA, "condition")
  if (!any(kept)) stop(read[[1L]])
  read[kept]
}

first_line <- function(message) {
  lines <- strsplit(message, "\n", fixed = TRUE)[[1L]]
  ends <- which(grepl("^\\S+ ", lines[-1L]) & !grepl("^[[:alnum:]]", lines[-1L]))
  paste(trimws(lines[seq_len(if (length(ends)) ends[1L] else length(lines))]), collapse = " ")
}

# An address, a file that begins like a database, or a connection of which no table is asked for.
# A pipe can be read only once, and is none.
holds_store <- function(source, how) {
  if (inherits(source, "DBIConnection")) {
    return(is.null(how$table) && is.null(how$query) && has_store(source))
  }
  is.character(source) &&
    length(source) == 1L && !is.na(source) && (is_store_address(source) || is_sqlite(source))
}

# The deliveries of one file: one, but for a workbook with a sheet for each security.
read_file <- function(path, how) {
  lapply(read_grids(path, how$sheet, how$separator), function(grid) {
    how$name <- how$name %||% grid$name
    delivery_of(grid, how)
  })
}

read_database <- function(connection, how) {
  need_package("DBI", "A database")
  if (is.null(how$table) == is.null(how$query)) {
    fail("argument", "Say either `table` or `query` of the database, which is no price store.")
  }
  origin <- if (is.null(how$table)) "a query" else paste("table", how$table)
  rows <- tryCatch(
    {
      if (!is.null(how$table)) {
        DBI::dbReadTable(connection, how$table, check.names = FALSE)
      } else {
        DBI::dbGetQuery(
          connection,
          how$query,
          params = if (length(how$parameters)) as.list(how$parameters)
        )
      }
    },
    error = function(e) {
      fail(
        "file",
        sprintf("%s cannot be read from the database.", sentence_case(origin)),
        where = conditionMessage(e)
      )
    }
  )
  delivery <- delivery_of(grid_of_frame(rows, origin), how)
  note_delivery(delivery)
  delivery
}
