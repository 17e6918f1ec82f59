# A result is a tibble in class only until it is first printed or cut: loading
# tibble takes longer than the command's whole work, and the command never does
# either.
new_result <- function(columns, measure, basis, source) {
  # Where securities have periods of several lengths, each row says what a period of it is.
  if (length(basis$every) > 1L && !is.null(columns$security) && is.null(columns$every)) {
    every <- list(every = unname(basis$every[columns$security]))
    columns <- append(columns, every, match("security", names(columns)))
  }
  columns <- as.list(columns)
  rows <- length(columns[[1L]])
  if (anyDuplicated(names(columns)) || any(lengths(columns) != rows)) {
    stop("the columns of a result are not alike")
  }
  # A basis that is read later is of the source, which need not be kept twice.
  if (inherits(basis, "imbroglio_basis_later")) {
    if (core_same(basis$of, source)) {
      basis["of"] <- list(NULL)
    } else {
      basis <- basis_read(basis)
    }
  }
  attributes(columns) <- list(
    names = names(columns),
    class = c(paste0("imbroglio_", measure), "imbroglio_result", "tbl_df", "tbl", "data.frame"),
    row.names = .set_row_names(rows),
    measure = measure,
    basis = basis,
    source = source,
    columns = names(columns),
    rows = rows
  )
  columns
}

# What a period of each row is called, where they are not alike.
with_periods <- function(columns, every) {
  columns$every <- NULL
  if (length(unique(every)) < 2L) return(columns)
  append(columns, list(every = every), match("security", names(columns)))
}

#' Results, cut and put together
#'
#' A result is a tibble that knows what it stands on. It stays one as long as that is true: when
#' rows of it are chosen or put in another order, and when columns are added. It becomes a plain
#' tibble when a column of the measure is taken out, renamed or changed, when rows of anything
#' else are bound to it, when rows stand in it twice, and when it is counted, summarised or joined
#' to more rows. So no sentence and no figure is made of numbers that a result was not measured
#' with.
#'
#' Two results are put side by side by binding their plain rows: [dplyr::bind_rows()] gives a
#' plain tibble, also of two results of one measure, whose bases say different things of the same
#' columns; add a column that tells them apart first. What base R's `rbind()` makes of results
#' cannot be read in words, drawn or asked for its basis. Grouped rows (`dplyr::group_by()`) are a
#' result again when they are ungrouped, as far as they are still its rows.
#'
#' @family what a result is
#' @name results
#' @examples
#' found <- measure_volatility(read_prices(demo_file("bay.csv")))
#' in_words(found[found$volatility_annual > 0.3, ])
#' class(found[c("security", "volatility")])
NULL

# Whether what stands in `x` is still what was measured: of functions that keep attributes not all
# can be told.
holds_result <- function(x) all(attr(x, "columns") %in% names(x)) && nrow(x) <= attr(x, "rows")

# `data` as the result that `whole` is, if its rows are some of it, each once: that they are is
# known, or looked up.
part_of_result <- function(data, whole, known = are_rows_of(data, whole)) {
  if (!all(attr(whole, "columns") %in% names(data)) || nrow(data) > nrow(whole) || !known) {
    return(plain_table(data))
  }
  kept <- attributes(whole)
  kept <- kept[!names(kept) %in% c("names", "row.names")]
  if (nrow(data) < nrow(whole)) kept <- with_own_source(kept, data, whole)
  kept$rows <- nrow(data)
  attributes(data) <- c(list(names = names(data), row.names = .set_row_names(nrow(data))), kept)
  data
}

# Of a part of the rows the series that they are of: their own, and what they were measured beside.
# A book's are its holdings, all of them.
with_own_source <- function(kept, data, whole) {
  source <- kept$source
  if (!inherits(source, "imbroglio_panel") || !is.null(source$book)) return(kept)
  # What is measured across all securities is of all, such as on the dates that they share.
  if (isTRUE(record_of(kept$measure)$across)) return(kept)
  # What is said of all the rows is read while they are all there.
  about <- basis_read(kept$basis, source)
  known <- names(source)
  told <- c(
    unlist(Filter(is.character, as.list(data)), use.names = FALSE),
    as.character(unlist(about$choices)), unlist(Filter(is.character, about$exact))
  )
  own <- known %in% c(told, unlist(strsplit(as.character(told), "[ ,;:]+")))
  if (all(own) || !any(own)) return(kept)
  kept$basis <- about
  kept$source <- source[, known[own]]
  for (name in intersect(c("fits", "lines"), names(kept))) {
    kept[[name]] <- of_names(kept[[name]], known[own])
  }
  kept
}

# Whatever goes by the names of securities, of some of them.
of_names <- function(x, own) {
  if (is.list(x)) {
    x[] <- lapply(x, of_names, own)
    x
  } else if (is.matrix(x)) {
    if (all(own %in% rownames(x))) x <- x[own, , drop = FALSE]
    if (all(own %in% colnames(x))) x <- x[, own, drop = FALSE]
    x
  } else if (is.atomic(x) && !is.null(names(x)) && all(own %in% names(x))) {
    x[own]
  } else {
    x
  }
}

#' Leave out the data of a result
#'
#' A result keeps the prices or returns of its securities, so that its working can be shown and its
#' figure drawn; rows that are picked keep those of their own securities. In memory results share
#' them with the table that they were measured on; in a file each has its own. `drop_data()` gives
#' the result without: numbers, sentences and basis are what they were, [show_working()] and
#' [autoplot()][figures] say that the data were left out. [as_tibble()][tibble::as_tibble] and
#' [as.data.frame()] leave out the basis, too.
#'
#' Kept in a file (without compression), of 200 securities over 2,520 days:
#'
#' | | whole | one row | without data |
#' |---|---|---|---|
#' | volatility | 7,977 KB | 90 KB | 25 KB |
#' | a figure of it | 784 KB | 741 KB | |
#' | value at risk of a book of them | 15,976 KB | 15,976 KB | 12 KB |
#' | a figure of it | 855 KB | | |
#'
#' (A figure of one point is 588 KB: what the library for figures keeps with it.)
#'
#' @param result A result of a measure.
#' @return The result, without its data.
#' @family what a result is
#' @examples
#' found <- measure_volatility(read_prices(demo_file("bay.csv")))
#' object.size(found)
#' object.size(drop_data(found))
#' in_words(drop_data(found))[1]
#' @export
drop_data <- function(result) {
  attr(result, "basis") <- basis(result)
  source <- attr(result, "source")
  attr(result, "source") <- list(universe = source$universe, kind = source$kind)
  for (name in c("fits", "lines", "parts", "days", "line", "draws")) attr(result, name) <- NULL
  attr(result, "without_data") <- TRUE
  result
}

# What is asked of the data of a result that was left without.
refuse_without_data <- function(result, what) {
  if (is.null(attr(result, "without_data", exact = TRUE))) return(invisible())
  fail_in_r(
    "argument",
    sprintf("%s needs the data that the result was measured on, which were left out.", what),
    remedy = "Measure it again, or keep the result before drop_data()."
  )
}

are_rows_of <- function(data, whole) {
  columns <- attr(whole, "columns")
  if (!all(columns %in% names(data))) return(FALSE)
  own <- plain_table(data)[columns]
  measured <- plain_table(whole)[columns]
  identical(lapply(own, class), lapply(measured, class)) &&
    all(vctrs::vec_in(own, measured)) &&
    !vctrs::vec_duplicate_any(own)
}

plain_table <- function(x) {
  attributes(x) <- list(
    names = names(x),
    row.names = .set_row_names(if (length(x)) NROW(x[[1L]]) else 0L),
    class = c("tbl_df", "tbl", "data.frame")
  )
  x
}

#' @export
`[.imbroglio_result` <- function(x, i, j, ..., drop = FALSE) {
  loadNamespace("tibble")
  rows <- nargs() - !missing(drop) > 2L && !missing(i)
  data <- NextMethod()
  if (!is.data.frame(data)) return(data)
  part_of_result(data, x, known = !rows || (!anyNA(i) && (is.logical(i) || !anyDuplicated(i))))
}

#' @export
`names<-.imbroglio_result` <- function(x, value) {
  changed <- plain_table(x)
  names(changed) <- value
  part_of_result(changed, x, known = TRUE)
}

#' @export
`$<-.imbroglio_result` <- function(x, name, value) {
  changed <- plain_table(x)
  changed[[name]] <- value
  part_of_result(changed, x, known = !name %in% attr(x, "columns"))
}

#' @export
`[[<-.imbroglio_result` <- function(x, i, ..., value) {
  changed <- plain_table(x)
  changed[[i, ...]] <- value
  part_of_result(changed, x)
}

#' @export
`[<-.imbroglio_result` <- function(x, ..., value) {
  loadNamespace("tibble")
  changed <- plain_table(x)
  changed[...] <- value
  part_of_result(changed, x)
}

#' @exportS3Method dplyr::dplyr_reconstruct
dplyr_reconstruct.imbroglio_result <- function(data, template) part_of_result(data, template)

#' @exportS3Method dplyr::dplyr_row_slice
dplyr_row_slice.imbroglio_result <- function(data, i, ...) data[i, ]

#' @exportS3Method dplyr::dplyr_col_modify
dplyr_col_modify.imbroglio_result <- function(data, cols) {
  changed <- plain_table(data)
  for (name in names(cols)) changed[[name]] <- cols[[name]]
  part_of_result(changed, data, known = !any(names(cols) %in% attr(data, "columns")))
}

# Grouped rows remember the result that they are of, which they are again when ungrouped.
grouped_of <- function(made, whole) {
  if (!inherits(made, "grouped_df")) return(part_of_result(plain_table(made), whole))
  class(made) <- union("imbroglio_grouped", class(made))
  attr(made, "whole") <- whole
  made
}

#' @exportS3Method dplyr::group_by
group_by.imbroglio_result <- function(.data, ...) grouped_of(NextMethod(), .data)

#' @exportS3Method dplyr::ungroup
ungroup.imbroglio_grouped <- function(x, ...) grouped_of(NextMethod(), attr(x, "whole"))

#' @export
`[.imbroglio_grouped` <- function(x, ...) grouped_of(NextMethod(), attr(x, "whole"))

#' @exportS3Method dplyr::dplyr_reconstruct
dplyr_reconstruct.imbroglio_grouped <- function(data, template) {
  grouped_of(NextMethod(), attr(template, "whole"))
}

#' @exportS3Method dplyr::dplyr_row_slice
dplyr_row_slice.imbroglio_grouped <- function(data, i, ...) {
  grouped_of(NextMethod(), attr(data, "whole"))
}

#' @exportS3Method dplyr::dplyr_col_modify
dplyr_col_modify.imbroglio_grouped <- function(data, cols) {
  grouped_of(NextMethod(), attr(data, "whole"))
}

# Rows that stand on so little beside the others that no ranking begins with them.
stands_on_little <- function(table) {
  if (is.null(table$n) || !any(table$n > 0L, na.rm = TRUE)) return(logical(length(table[[1L]])))
  table$n < 20L & table$n < 0.1 * max(table$n, na.rm = TRUE)
}

#' @export
as.data.frame.imbroglio_result <- function(x, ...) {
  attributes(x) <- list(
    names = names(x),
    class = "data.frame",
    row.names = .set_row_names(length(x[[1L]]))
  )
  x
}

#' @exportS3Method tibble::as_tibble
as_tibble.imbroglio_result <- function(x, ...) tibble::as_tibble(as.data.frame(x), ...)
