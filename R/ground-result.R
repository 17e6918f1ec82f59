# A result is a tibble in class only until it is first printed or cut: loading
# tibble takes longer than the command's whole work, and the command never does
# either.
new_result <- function(columns, measure, basis, source) {
  structure(
    columns,
    class = c(paste0("imbroglio_", measure), "imbroglio_result", "tbl_df", "tbl", "data.frame"),
    row.names = .set_row_names(length(columns[[1L]])),
    measure = measure, basis = basis, source = source
  )
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
