# What is shown of a result of an opened source: its rows, measured again as a table of their
# securities.

# The result with the table that it was measured on.
table_again <- function(result) {
  called <- attr(result, "measured_by")
  if (is.null(called)) return(result)
  at <- which(vapply(called$given, is_opened, NA))
  x <- called$given[[at[1L]]]
  wanted <- c(unique(result$security), securities_beside(x, called$given))
  called$given[[at[1L]]] <- whole_table(
    x[, intersect(x$chosen, wanted)], others = called$others, of = length(x$chosen)
  )
  called$given[at[-1L]] <- lapply(called$given[at[-1L]], as_prices)
  again <- suppressWarnings(
    suppressMessages(do.call(called$measure, called$given), classes = "imbroglio_note"),
    classes = "imbroglio_warning"
  )
  columns <- intersect(attr(result, "columns"), names(again))
  rows <- vctrs::vec_match(
    plain_table(result)[columns], plain_table(again)[columns]
  )
  if (anyNA(rows)) {
    fail(
      "source", sprintf("%s is another now than when it was measured.", sentence_case(x$origin)),
      remedy = "Open it and measure again."
    )
  }
  again[rows, ]
}

#' @export
working_of.imbroglio_in_blocks <- function(result, row) {
  working_of(table_again(result[row, ]), 1L)
}

#' @export
predict.imbroglio_in_blocks <- function(object, ...) stats::predict(table_again(object), ...)

#' @exportS3Method generics::tidy
tidy.imbroglio_in_blocks <- function(x, ...) generics::tidy(table_again(x), ...)
