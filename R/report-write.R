#' Write a report
#'
#' One page to send: what is held and worth, the numbers that matter with their intervals, what
#' changed, the limits; then a section for each question, with its figure and table, and the
#' workings of all numbers. It holds all that it needs, is read without a network or a script,
#' and prints to A4.
#'
#' @param x A study file, a study of [read_study()], a price table, a returns table, or a book of
#'   [as_portfolio()].
#' @param file The file to write: `.html`, or `.pdf`, which Chromium prints.
#' @param window,per_year,level,value,benchmark,limits,method What all parts share, where `x` is
#'   no study: see [measure_volatility()], [measure_var()], [measure_beta()], [check_limits()].
#' @param title The title of the page.
#' @param only Names of sections or measures: the others are left out.
#' @param today The day of the report: its head says how many trading days the last price lies
#'   before it.
#' @param path The old name of `file`, until version 1.0.
#' @return A data frame, invisibly: `part`, `state` (`"measured"` or `"failed"`), `detail`. The
#'   file is written whole or not at all. What cannot be measured is a note in the page.
#' @section Errors:
#'   `imbroglio_error_package` where ggplot2, or for a PDF Chromium, is missing;
#'   `imbroglio_error_write` where `file` cannot be written.
#' @seealso [run_study()], which writes tables, figures and workbook too.
#' @eval concepts_in_docs("write_report")
#' @family ways to hand on
#' @examplesIf all(vapply(c("ggplot2", "svglite"), requireNamespace, NA, quietly = TRUE))
#' \donttest{
#' prices <- read_prices(demo_file("bay.csv"))
#' write_report(prices[, c("BAYALL", "TARROW")], tempfile(fileext = ".html"), only = "risk")
#' }
#' @export
write_report <- function(x, file, window = 60L, per_year = NULL, level = 0.99, value = NULL,
                         benchmark = NULL, limits = NULL, method = NULL, title = NULL,
                         only = NULL, today = Sys.Date(), path = NULL) {
  need_ggplot()
  path <- file_named(file, path)
  today <- check_date(today, "today")
  check_page(path)
  check_level(level)
  if (is_opened(x)) x <- take_returns(x)
  study <- inherits(x, "imbroglio_study") ||
    (is.character(x) && length(x) == 1L && grepl("[.]ya?ml$", x, ignore.case = TRUE))
  work <- if (study) {
    study_of <- if (is.character(x)) read_study(x) else x
    study_of$today <- today
    loaded(work_of_study(study_of))
  } else {
    settings <- list(
      benchmark = benchmark, level = level, horizon = 1L, window = check_whole(
        window, "window", 2L
      ),
      per_year = per_year, value = value, method = method %||% usual_method(measure_var)
    )
    measured <- inherits(x, c("imbroglio_book", "imbroglio_returns"))
    new_work(if (measured) x else as_prices(x), settings, title = title, limits = limits,
             today = today)
  }
  run <- measured_parts(work, NULL, "", only)
  write_whole(path, function(part) {
    if (lower_case(tools::file_ext(path)) == "pdf") {
      page <- tempfile(fileext = ".html")
      on.exit(unlink(page))
      write_lines(page_of_run(work, run), page)
      write_pdf(page, part)
    } else {
      write_lines(page_of_run(work, run), part)
    }
  })
  invisible(state_of_run(run$fragments, run$states))
}

check_page <- function(path) {
  if (!is.character(path) || length(path) != 1L || is.na(path) ||
      !lower_case(tools::file_ext(path)) %in% c("html", "htm", "pdf")) {
    fail(
      "argument",
      "A report is a page: .html, or .pdf.",
      where = sprintf("The file is %s.", shown(path)),
      remedy = "Name a file that ends in .html."
    )
  }
}
