#' Write a report
#'
#' One self-contained HTML page: what was measured in sentences, the tables, and the
#' pictures, with the basis of each. Nothing in it is loaded from elsewhere.
#'
#' @param prices A price table, or a book of [as_portfolio()].
#' @param path The file to write.
#' @param window The rolling window of the volatility picture, in returns.
#' @param per_year Periods a year, see [measure_volatility()].
#' @param level Confidence levels of value at risk.
#' @param value The value of each position in money, see [measure_var()].
#' @return `path`, invisibly. The file is written whole or not at all.
#' @section Errors:
#'   `imbroglio_error_package` where rmarkdown, knitr, ggplot2 or pandoc is missing;
#'   `imbroglio_error_file` where `path`
#'   cannot be written.
#' @examplesIf requireNamespace("rmarkdown", quietly = TRUE) && rmarkdown::pandoc_available()
#' \donttest{
#' prices <- read_prices(demo_file("bay.csv"))
#' write_report(prices[, c("BAYALL", "TARROW")], tempfile(fileext = ".html"))
#' }
#' @export
write_report <- function(prices, path, window = 60L, per_year = NULL, level = 0.99,
                         value = NULL) {
  book <- if (inherits(prices, "imbroglio_book")) prices
  if (is.null(book)) prices <- as_prices(prices)
  for (package in c("rmarkdown", "knitr", "ggplot2", "scales")) need_package(package, "A report")
  # pandoc wants a home, whoever runs it.
  if (!nzchar(Sys.getenv("HOME"))) {
    Sys.setenv(HOME = tempdir())
    on.exit(Sys.unsetenv("HOME"))
  }
  if (!rmarkdown::pandoc_available()) {
    fail(
      "package",
      "A report needs pandoc, which is not installed.",
      remedy = "Install it: it is a Debian package, and comes with many editors."
    )
  }
  returns <- take_returns(prices)
  if (!is.null(book)) prices <- returns$prices
  # All is measured before anything is written: bad arguments leave no file.
  parts <- list(
    volatility = measure_volatility(returns, per_year = per_year),
    drawdown = measure_drawdown(book %||% prices),
    var = measure_var(book %||% returns, level = level, value = value)
  )
  rolling <- measure_volatility(returns, window = window, per_year = per_year)
  if (all(is.na(rolling$volatility))) rolling <- parts$volatility
  write_whole(path, function(part) {
    work <- tempfile("report-")
    dir.create(work)
    on.exit(unlink(work, recursive = TRUE))
    source <- file.path(work, "report.Rmd")
    file.copy(system.file("report", c("report.Rmd", "report.css"), package = "imbroglio"), work)
    made <- rmarkdown::render(
      source,
      page_format(),
      output_file = "report.html",
      quiet = TRUE,
      envir = list2env(
        list(prices = prices, parts = parts, rolling = rolling),
        parent = asNamespace("imbroglio")
      )
    )
    pictures <- list.files(work, "[.]png$", recursive = TRUE, full.names = TRUE)
    copied <- made_whole(made, "html") &&
      all(vapply(pictures, made_whole, NA, "png")) &&
      file.copy(made, part)
    if (!isTRUE(copied)) {
      fail(
        "write",
        "The report came out cut off.",
        where = sprintf("There may be no room in %s.", tempdir())
      )
    }
  })
}

# A bare page: rmarkdown's own HTML formats put scripts into it.
page_format <- function() {
  picture <- if (requireNamespace("ragg", quietly = TRUE)) "ragg_png" else "png"
  rmarkdown::output_format(
    knitr = rmarkdown::knitr_options(opts_chunk = list(
      dev = picture,
      dpi = 160,
      fig.width = 11,
      fig.height = 6.4
    )),
    pandoc = rmarkdown::pandoc_options(
      to = "html5",
      ext = ".html",
      args = c(
        "--standalone", "--self-contained", "--css", "report.css", "--metadata",
        "document-css=false"
      )
    )
  )
}

# A table of a result in HTML, every cell escaped.
html_table <- function(result) {
  table <- as.data.frame(result)
  names <- columns_to_show(table)
  columns <- lapply(names, function(n) column_of(n, table[[n]], basis(result)$kind))
  right <- !vapply(columns, function(column) column$unit %in% c("text", "date"), NA)
  shown <- Map(function(column, values) unit_text[[column$unit]](values), columns, table[names])
  knitr::kable(
    as.data.frame(shown),
    format = "html",
    escape = TRUE,
    align = ifelse(right, "r", "l"),
    row.names = FALSE,
    col.names = vapply(columns, `[[`, "", "label")
  )
}
