#' Write prices and returns to a file
#'
#' @param prices A price table.
#' @param path The file; its ending says the form. `.xlsx`: a sheet each for prices, simple
#'   and log returns,
#'   with real dates; `.csv` and `.parquet`: a wide table of what `what` says.
#' @param what `"prices"`, `"simple"` or `"log"`, for CSV and Parquet.
#' @param every The frequency of the returns, see [as_returns()].
#' @return `path`, invisibly. The file is written whole or not at all, never over a database; a link is followed, a pipe
#'   written into, and the mode of a file that was there stays. Names that a
#'   spreadsheet program would run as a formula
#'   are text in a workbook, and get an apostrophe before them in CSV.
#' @examples
#' prices <- read_prices(demo_file("bay.csv"))[, c("BAYALL", "TARROW")]
#' write_prices(prices, tempfile(fileext = ".csv"))
#' @export
write_prices <- function(prices, path, what = c("prices", "simple", "log"), every = NULL) {
  prices <- as_prices(prices)
  what <- one_of(what, "what", c("prices", "simple", "log"))
  form <- lower_case(tools::file_ext(path))
  write <- export_forms[[form]]
  if (is.null(write)) {
    fail("argument", sprintf("Prices are written as %s.", some(paste0(".", names(export_forms)))),
         where = sprintf("The file is %s.", path))
  }
  table <- function(what) if (what == "prices") prices else as_returns(prices, kind = what, every = every)
  write_whole(path, function(part) write(table, what, part))
}

export_forms <- list(
  csv = function(table, what, path) write_lines(as_csv(as.data.frame(table(what))), path),
  parquet = function(table, what, path) {
    need_package("nanoparquet", "A Parquet file")
    nanoparquet::write_parquet(as.data.frame(table(what)), path)
  },
  xlsx = function(table, what, path) {
    need_package("openxlsx", "A workbook")
    book <- openxlsx::createWorkbook()
    for (sheet in names(written_sheets)) {
      name <- written_sheets[[sheet]]
      openxlsx::addWorksheet(book, name)
      openxlsx::writeData(book, name, as.data.frame(table(sheet)),
                          headerStyle = openxlsx::createStyle(textDecoration = "bold"))
      openxlsx::freezePane(book, name, firstRow = TRUE, firstCol = TRUE)
      openxlsx::setColWidths(book, name, 1L, 12)
    }
    openxlsx::saveWorkbook(book, path, overwrite = TRUE)
  }
)
