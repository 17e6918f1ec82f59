# The rows of several tables or lists of columns, one after the other, as a list of columns. Where
# one lacks a column it is missing there if they may be `ragged`, and else an error.
stacked <- function(parts, ragged = FALSE) {
  if (length(parts) == 1L) return(as.list(parts[[1L]]))
  as.list(data.table::rbindlist(parts, use.names = TRUE, fill = ragged))
}

# A table of a text of comma separated values, of which some columns are `textual` whatever they
# hold; what is said of the text is an error.
table_of_text <- function(text, textual) {
  withCallingHandlers(
    data.table::fread(
      text = text,
      header = TRUE,
      na.strings = "",
      colClasses = list(character = textual),
      data.table = FALSE,
      showProgress = FALSE,
      strip.white = FALSE,
      encoding = "UTF-8",
      integer64 = "double"
    ),
    warning = function(w) stop(conditionMessage(w))
  )
}

# Tables of prices and of returns are not changed from outside, where their digest would go on to
# say what they were; the package itself changes them by altered().
altered <- function(x, ...) {
  plain <- unclass(x)
  changes <- list(...)
  plain[names(changes)] <- changes
  structure(plain, class = class(x))
}

refuse_change <- function(what) {
  fail(
    "argument",
    sprintf(
      paste0(
        "A table of %s is not changed in place: what is measured would not be what its ",
        "digest says."
      ),
      what
    ),
    remedy = sprintf("Change as.data.frame() of it, and make a table again by as_%s().", what)
  )
}

kept_whole <- list(
  prices = c("dates", "close", "measured", "digest"),
  returns = c("dates", "values", "digest")
)

#' @export
`$<-.imbroglio_prices` <- function(x, name, value) {
  if (name %in% kept_whole$prices) refuse_change("prices")
  NextMethod()
}

#' @export
`$<-.imbroglio_returns` <- function(x, name, value) {
  if (name %in% kept_whole$returns) refuse_change("returns")
  NextMethod()
}

#' @export
`[[<-.imbroglio_prices` <- function(x, i, value) {
  if (!is.character(i) || i %in% kept_whole$prices) refuse_change("prices")
  NextMethod()
}

#' @export
`[[<-.imbroglio_returns` <- function(x, i, value) {
  if (!is.character(i) || i %in% kept_whole$returns) refuse_change("returns")
  NextMethod()
}

#' @export
`[<-.imbroglio_prices` <- function(x, ..., value) refuse_change("prices")

#' @export
`[<-.imbroglio_returns` <- function(x, ..., value) refuse_change("returns")

#' @export
`dimnames<-.imbroglio_prices` <- function(x, value) refuse_change("prices")

#' @export
`dimnames<-.imbroglio_returns` <- function(x, value) refuse_change("returns")

#' @export
`names<-.imbroglio_prices` <- function(x, value) refuse_change("prices")

#' @export
`names<-.imbroglio_returns` <- function(x, value) refuse_change("returns")
