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
#' @useDynLib imbroglio, .registration = TRUE
#' @importFrom Rcpp evalCpp
#' @importFrom RcppParallel RcppParallelLibs
#' @importFrom stats as.ts window
#' @keywords internal
"_PACKAGE"

# The pronoun of ggplot2's aes(), found in its data mask. Importing it would load rlang with
# every start of the command.
utils::globalVariables(".data")
