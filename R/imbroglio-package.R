#' Imbroglio: measure risk from historical security prices
#'
#' The work goes in this order: [read_prices()] brings prices in, [as_returns()]
#' turns them into returns, a `measure_*()` function measures, [in_words()] reads
#' the number aloud, [write_report()] hands it on. Every result is a table that
#' carries its [basis()].
#'
#' Loops over observations run on as many threads as
#' `RcppParallel::setThreadOptions()` allows; the numbers do not depend on it.
#'
#' @section Options:
#'   * `imbroglio.progress`: whether progress is shown (`TRUE` or `FALSE`); if it is not set, in an
#'     interactive session and not in a document that is knitted.
#'   * `imbroglio.figure_width`: how wide figures are drawn, in inches, by which their words are
#'     broken; if it is not set, what a document that is knitted says, else 12.8.
#'
#' Warnings, notes and errors have classes: `suppressWarnings(..., classes =
#' "imbroglio_warning_short_sample")` and `suppressMessages(..., classes = "imbroglio_note")` leave
#' out those of one kind, in a loop over many series, too.
#'
#' @useDynLib imbroglio, .registration = TRUE
#' @importFrom Rcpp evalCpp
#' @importFrom RcppParallel RcppParallelLibs
#' @importFrom stats as.ts window
#' @keywords internal
"_PACKAGE"

# The pronoun of ggplot2's aes(), found in its data mask. Importing it would load rlang with
# every start of the command.
utils::globalVariables(".data")
