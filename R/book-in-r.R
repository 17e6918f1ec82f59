# What R's own functions say of a book.

#' A book in R's own words
#'
#' `names(book)` are its holdings, `as.data.frame(book)` and `head(book)` a table of them,
#' `time(book)` its dates, `window(book, ...)` the same holdings over a span of its prices (weights
#' as they are, shares as many), `plot(book)` and `autoplot(book)` what they are. A holding's
#' numbers are those of the table that the book was made of: `book$TARROW` says so.
#'
#' @param x A book, see [as_portfolio()].
#' @param name,i A part of the book, such as `weights`, `shares`, `value`, `cash`, `security`.
#' @param exact Names are always whole.
#' @param n How many holdings.
#' @param ... For `window()`: `start`, `end`, `last`, `during` as of [window.imbroglio_prices()].
#' @return See above.
#' @family what measures are of
#' @examples
#' prices <- read_prices(demo_file("bay.csv"))
#' book <- as_portfolio(prices, weights = c(OSSELL = 0.6, BAYBOND = 0.4))
#' names(book)
#' measure_return(window(book, during = "2023"))
#' @name books
NULL

part_of_book <- function(x, name, from) {
  part <- .subset2(x, name)
  if (!is.null(part) || identical(topenv(from), topenv())) return(part)
  if (name %in% names(unclass(x))) return(NULL)
  fail_in_r(
    "argument",
    if (name %in% x$security) {
      sprintf("%s is a holding of the book, which keeps no series of it.", name)
    } else {
      sprintf("A book has no part `%s`.", name)
    },
    remedy = paste(
      "as.data.frame() gives its holdings, as_returns() its returns; prices of a holding are in",
      "the table that it was made of."
    )
  )
}

#' @rdname books
#' @export
`$.imbroglio_book` <- function(x, name) part_of_book(x, name, parent.frame())

#' @rdname books
#' @export
`[[.imbroglio_book` <- function(x, i, exact = TRUE) {
  if (is.character(i) && length(i) == 1L) return(part_of_book(x, i, parent.frame()))
  .subset2(x, i)
}

#' @export
names.imbroglio_book <- function(x) x$security

#' @export
length.imbroglio_book <- function(x) length(x$security)

#' @rdname books
#' @export
head.imbroglio_book <- function(x, n = 6L, ...) utils::head(as.data.frame(x), n, ...)

#' @rdname books
#' @export
tail.imbroglio_book <- function(x, n = 6L, ...) utils::tail(as.data.frame(x), n, ...)

#' @rdname books
#' @export
time.imbroglio_book <- function(x, ...) x$returns$dates

#' @rdname books
#' @export
start.imbroglio_book <- function(x, ...) stats::time(x)[1L]

#' @rdname books
#' @export
end.imbroglio_book <- function(x, ...) utils::tail(stats::time(x), 1L)

#' @rdname books
#' @export
window.imbroglio_book <- function(x, ...) {
  priced <- priced_of(x)$prices %||% priced_of(x)
  cut <- stats::window(priced, ...)
  if (!inherits(cut, "imbroglio_returns")) {
    cut <- as_returns(cut, kind = priced_of(x)$kind, every = priced_of(x)$stated)
  }
  made <- held_on(x, cut, if (!is.null(cut$prices)) stopped_by(cut$prices, x$carried))
  made$parts <- x$parts
  made
}

#' @export
Ops.imbroglio_book <- function(e1, e2) refuse_of_book(.Generic)

#' @export
Math.imbroglio_book <- function(x, ...) refuse_of_book(.Generic)

#' @export
Summary.imbroglio_book <- function(..., na.rm = FALSE) refuse_of_book(.Generic)

#' @export
c.imbroglio_book <- function(...) refuse_of_book("c")

#' @export
cbind.imbroglio_book <- function(..., deparse.level = 1) refuse_of_book("cbind")

#' @export
rbind.imbroglio_book <- function(..., deparse.level = 1) refuse_of_book("rbind")

#' @export
mean.imbroglio_book <- function(x, ...) refuse_of_book("mean")

#' @export
`[.imbroglio_book` <- function(x, i, ...) refuse_of_book("[")

refuse_of_book <- function(what) {
  fail_in_r(
    "argument",
    sprintf("A book is not calculated with: `%s`.", what),
    remedy = paste(
      "as.data.frame() gives its holdings, as_returns() its returns; as_portfolio() makes",
      "another."
    )
  )
}
