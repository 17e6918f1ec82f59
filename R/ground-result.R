# A result is a tibble in class only until it is first printed or cut: loading
# tibble takes longer than the command's whole work, and the command never does
# either.
new_result <- function(columns, measure, basis, source) {
  # Where securities have periods of several lengths, each row says what a period of it is.
  if (length(basis$every) > 1L && !is.null(columns$security) && is.null(columns$every)) {
    columns <- append(columns, list(every = unname(basis$every[columns$security])), match("security", names(columns)))
  }
  structure(
    columns,
    class = c(paste0("imbroglio_", measure), "imbroglio_result", "tbl_df", "tbl", "data.frame"),
    row.names = .set_row_names(length(columns[[1L]])),
    measure = measure, basis = basis, source = source
  )
}

# Rows that stand on so little beside the others that no ranking begins with them.
stands_on_little <- function(table) {
  if (is.null(table$n) || !any(table$n > 0L, na.rm = TRUE)) return(logical(length(table[[1L]])))
  table$n < 20L & table$n < 0.1 * max(table$n, na.rm = TRUE)
}

#' @export
`[.imbroglio_result` <- function(x, ...) {
  loadNamespace("tibble")
  NextMethod()
}

#' @export
as.data.frame.imbroglio_result <- function(x, ...) {
  attributes(x) <- list(names = names(x), class = "data.frame", row.names = .set_row_names(length(x[[1L]])))
  x
}

#' @exportS3Method tibble::as_tibble
as_tibble.imbroglio_result <- function(x, ...) tibble::as_tibble(as.data.frame(x), ...)
