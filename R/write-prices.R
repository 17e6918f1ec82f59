#' Write prices and returns to a file
#'
#' A folder is the form for many securities: columns in Parquet files of 16 MB, in which a security
#' is one range, beside an index with the span of each and the digest of its numbers, by which
#' whatever is read is tested. [open_prices()] reads it in blocks; [read_prices()], too, takes it.
#'
#' @param prices A price table; for a folder also an opened source.
#' @param file The file, or (without an ending) a folder that is not there yet or empty; the
#'   ending of a file says the form. `.xlsx`: a sheet each for prices, simple
#'   and log returns,
#'   with real dates; `.csv` and `.parquet`: a wide table of what `what` says.
#' @param layout `"wide"`, a column for each security; or `"long"`, a row for each date and
#'   security with whatever is known of it: open, high, low, close, volume, and split and dividend
#'   where actions are known that the prices are not adjusted for. A long workbook has one sheet,
#'   of prices. A wide table has no place for actions, which is noted.
#' @param what `"prices"`, `"simple"` or `"log"`, for CSV and Parquet.
#' @param every The frequency of the returns, see [as_returns()].
#' @param path The old name of `file`, until version 1.0.
#' @return `file`, invisibly. The file is written whole or not at all, never over a database; a
#'   link is followed, a pipe written into, and the mode of a file that was there stays. Names
#'   that a spreadsheet program would run as a formula are text in a workbook, and get an
#'   apostrophe before them in CSV.
#' @family ways to put prices right
#' @family ways to hand on
#' @examples
#' prices <- read_prices(demo_file("bay.csv"))[, c("BAYALL", "TARROW")]
#' write_prices(prices, tempfile(fileext = ".csv"))
#' @export
write_prices <- function(prices, file, what = c("prices", "simple", "log"), every = NULL,
                         layout = c("wide", "long"), path = NULL) {
  path <- file_named(file, path)
  what <- one_of(what, "what", c("prices", "simple", "log"))
  layout <- one_of(layout, "layout", c("wide", "long"))
  if (is_folder_path(path)) {
    if (what != "prices") fail("argument", "A folder is of prices.", remedy = "Leave `what` out.")
    if (!is_opened(prices)) prices <- as_prices(prices)
    if (!is.null(prices$kind)) fail("argument", "A folder is of prices, not of returns.")
    return(write_price_folder(prices, path))
  }
  prices <- as_prices(prices)
  if (layout == "long" && what != "prices") {
    fail("argument", "Returns are written wide.", remedy = "Leave `layout` out.")
  }
  form <- lower_case(tools::file_ext(path))
  writer <- export_forms[[form]]
  if (is.null(writer)) {
    fail(
      "argument",
      sprintf(
        "Prices are written as %s, or into a folder.", some(paste0(".", names(export_forms)))
      ),
      where = sprintf("The file is %s.", path)
    )
  }
  table_of_kind <- function(what) {
    if (what != "prices") return(as.data.frame(as_returns(prices, kind = what, every = every)))
    if (layout == "long") long_table(prices) else as.data.frame(prices)
  }
  if (layout == "wide" && what == "prices" && NROW(open_actions(prices))) {
    note(
      "actions",
      sprintf(
        "The %s of %s have no place in a wide table.",
        count(nrow(open_actions(prices)), "split or dividend", "splits and dividends"),
        basename(path)
      ),
      remedy = "`layout = \"long\"` keeps them."
    )
  }
  # Of one day there are no returns.
  prices_alone <- layout == "long" || length(prices$dates) < 2L
  write_whole(path, function(part) {
    writer(table_of_kind, what, part, if (prices_alone) "prices" else names(written_sheets))
  })
}

is_folder_path <- function(path) {
  is.character(path) && length(path) == 1L && !is.na(path) && nzchar(path) &&
    (dir.exists(path) || !nzchar(tools::file_ext(path)))
}

# A row for each date on which a security has anything.
long_table <- function(prices) {
  fields <- c(stats::setNames(list(prices$close), prices$measured), prices$fields)
  known <- which(Reduce(`|`, lapply(fields, function(m) !is.na(m))))
  row <- (known - 1L) %% nrow(prices$close) + 1L
  in_order <- c("open", "high", "low", "close", "adjusted", "volume")
  fields <- fields[c(intersect(in_order, names(fields)), setdiff(names(fields), in_order))]
  table <- data.frame(
    date = prices$dates[row],
    security = colnames(prices$close)[(known - 1L) %/% nrow(prices$close) + 1L],
    lapply(fields, function(m) m[known]),
    check.names = FALSE
  )
  with_actions(table, open_actions(prices))
}

# Actions that the prices are not adjusted for.
open_actions <- function(prices) {
  if (identical(prices$measured, "adjusted")) return(NULL)
  prices$actions[prices$actions$security %in% colnames(prices$close), ]
}

# Columns of splits and dividends; an action on a date without a price has a row of its own.
with_actions <- function(table, actions) {
  if (!NROW(actions)) return(table)
  place <- function(x) paste(as.numeric(x$date), x$security)
  added <- unique(actions[!place(actions) %in% place(table), c("date", "security")])
  if (nrow(added)) {
    added[setdiff(names(table), names(added))] <- NA
    table <- rbind(table, added[names(table)])
    table <- table[order(match(table$security, unique(table$security)), table$date), ]
  }
  at <- factor(place(actions), unique(place(table)))
  told <- function(x, together) {
    unname(tapply(x, at, function(v) {
      v <- v[!is.na(v)]
      if (length(v)) together(v) else NA_real_
    }))
  }
  table$split <- as.numeric(told(actions$split, prod))
  table$dividend <- as.numeric(told(actions$dividend, sum))
  `rownames<-`(table, NULL)
}

export_forms <- list(
  csv = function(table_of_kind, what, path, sheets) {
    write_lines(as_csv(table_of_kind(what)), path)
  },
  parquet = function(table_of_kind, what, path, sheets) {
    need_package("nanoparquet", "A Parquet file")
    nanoparquet::write_parquet(table_of_kind(what), path)
  },
  xlsx = function(table_of_kind, what, path, sheets) {
    need_package("openxlsx", "A workbook")
    book <- openxlsx::createWorkbook()
    for (sheet in sheets) {
      name <- written_sheets[[sheet]]
      openxlsx::addWorksheet(book, name)
      openxlsx::writeData(
        book,
        name,
        table_of_kind(sheet),
        headerStyle = openxlsx::createStyle(textDecoration = "bold")
      )
      openxlsx::freezePane(book, name, firstRow = TRUE, firstCol = TRUE)
      openxlsx::setColWidths(book, name, 1L, 12)
    }
    save_book(book, path)
    put_cells(path, openxlsx::sheets(book), list())
  }
)
