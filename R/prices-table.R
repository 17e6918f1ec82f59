#' Make a price table
#'
#' A price table holds one price for each date and security, on the calendar that
#' its securities share; where a security has no price on a date it is missing. It
#' is what [read_prices()] returns and what [as_returns()] takes.
#'
#' @param x A data frame, wide (a date column and one numeric column for each security)
#'   or long (one row for each date and security); a numeric matrix with one
#'   column for each security; a `zoo` series, or one of a class that is built on it; or a `ts`
#'   of months, quarters or years; or a list of such, each by its name: tables of open, high, low,
#'   close, or of one column. A moment has the day of its own time zone; months, quarters
#'   and years without days have their last.
#' @param dates The dates of a matrix's rows, or of a `ts`: `Date`, moments, or text as
#'   2024-12-31; if absent, the row names. Of a data frame: `"day-first"` or `"month-first"`,
#'   where its dates can be read both ways.
#' @param price The column that holds the price in a long data frame. If absent,
#'   the first of `adjusted` and `close` (or `price`) that is there, or the only
#'   numeric column.
#' @param decimal The decimal mark of numbers that came as text, `"."` or `","`,
#'   where they can be read both ways.
#' @param name The security of a table that holds one, with columns such as `open`
#'   and `close`, and does not say which.
#' @param origin A few words on where the prices came from, for the basis.
#' @param ... For methods; nothing else is taken.
#' @return A price table. `prices[, c("A", "B")]` picks securities,
#'   [window()][window.imbroglio_prices] dates; `dim()`, `as.matrix()` and
#'   `as.data.frame()` work as on a wide table.
#' @section What it refuses:
#'   Each with a class of its own under `imbroglio_error`: no date column
#'   (`imbroglio_error_no_date`), a date that is none (`imbroglio_error_date`), a price
#'   that is no number (`imbroglio_error_price`), a price of zero or below
#'   (`imbroglio_error_not_positive`), a security without any price
#'   (`imbroglio_error_all_missing`), two prices that differ for one date and security
#'   (`imbroglio_error_duplicate`), no date at all (`imbroglio_error_empty`).
#'   Rows that are newest first or unsorted are put in order, and rows that say the same twice are
#'   dropped; both are said.
#' @family ways to get prices
#' @examples
#' as_prices(data.frame(date = as.Date("2024-01-01") + 0:3, SALTERN = c(100, 102, 99, 101)))
#' @export
as_prices <- function(x, ...) UseMethod("as_prices")

#' @rdname as_prices
#' @export
as_prices.imbroglio_prices <- function(x, ...) {
  refuse_others(...)
  x
}

#' @rdname as_prices
#' @export
as_prices.data.frame <- function(x, price = NULL, dates = NULL, decimal = NULL, name = NULL,
                                 origin = "a data frame", ...) {
  refuse_others(...)
  delivery <- delivery_of(
    grid_of_frame(x, origin),
    list(price = price, dates = dates, decimal = decimal, name = name)
  )
  note_delivery(delivery)
  table_of(delivery)
}

#' @rdname as_prices
#' @export
as_prices.matrix <- function(x, dates = NULL, origin = "a matrix", ...) {
  refuse_others(...)
  prices_of_series(x, dates, origin)
}

#' @rdname as_prices
#' @exportS3Method as_prices zoo
as_prices.zoo <- function(x, origin = "a zoo series", ...) {
  refuse_others(...)
  prices_of_series(x, NULL, origin)
}

#' @rdname as_prices
#' @export
as_prices.ts <- function(x, dates = NULL, origin = "a time series", ...) {
  refuse_others(...)
  prices_of_series(x, dates, origin)
}

prices_of_series <- function(x, dates, origin) {
  table_of(delivery_of(grid_of_frame(frame_of_series(x, dates, origin), origin), list()))
}

#' @rdname as_prices
#' @export
as_prices.default <- function(x, ...) {
  refuse_others(...)
  fail(
    "argument",
    sprintf("Prices cannot be made of an object %s.", shown(x)),
    remedy = "Hand in a data frame or a matrix, or read a file with read_prices()."
  )
}

# By its name, or as the only column of names beside numbers; a wide table has no text but where a
# price is none.
find_security_column <- function(x, date_column, origin) {
  rest <- setdiff(names(x), date_column)
  rank <- match(plain_name(rest), security_names)
  weak <- security_names[rank] %in% weak_security_names & vapply(x[rest], holds_amounts, NA)
  rank[weak] <- NA
  if (any(!is.na(rank))) return(rest[which.min(rank)])
  currency <- rest[plain_name(rest) %in% currency_names]
  if (length(currency) == 1L && prices_currencies(x, date_column, currency)) return(currency)
  textual <- rest[vapply(x[rest], is.factor, NA) &
    !plain_name(rest) %in% c(date_names, other_names, kind_names) &
    is.na(field_of(rest))]
  of_numbers <- any(vapply(x[rest], holds_numbers, NA))
  names_only <- textual[vapply(x[textual], names_securities, NA, x[[date_column]])]
  if (!of_numbers || !length(names_only)) return(NULL)
  if (length(names_only) > 1L) {
    fail(
      "layout",
      sprintf("It is not clear which column of %s names the securities.", origin),
      where = sprintf("There are %s.", some(names_only)),
      remedy = "Name it `security`."
    )
  }
  names_only
}

# Of a table of rates the currencies are what is priced: by the word for a rate, or since each day
# has one row for each of them and nothing else tells the rows apart.
prices_currencies <- function(x, date_column, currency) {
  codes <- x[[currency]]
  if (nlevels(codes) < 2L) return(FALSE)
  if (any(plain_name(names(x)) %in% heading_names$rate)) return(TRUE)
  text <- vapply(x[setdiff(names(x), c(date_column, currency))], is.factor, NA)
  days <- x[[date_column]]
  2L * length(unique(days)) <= length(days) && !anyDuplicated(data.frame(days, codes)) &&
    sum(!text | vapply(x[names(text)], holds_numbers, NA)) == length(text)
}

# Whether a column of text can name the securities of a long table. What differs from row to row
# while the dates do too, or is mostly written like amounts, is a column of prices gone wrong.
names_securities <- function(v, dates) {
  known <- core_written_numbers(levels(v))
  if (any(known$number) || any(known$word) || anyNA(v)) return(FALSE)
  if (mean(grepl("[0-9][.,][0-9]", levels(v))) >= 0.5) return(FALSE)
  2L * nlevels(v) <= length(v) || 2L * length(unique(dates)) <= length(v) || nlevels(v) == 1L
}

# Numbers that are no names: of a type of their own, or all with a fraction, a percent sign or a
# currency among them.
holds_amounts <- function(v) {
  if (!is.factor(v)) return(TRUE)
  known <- core_written_numbers(levels(v))
  numbers <- known$number & !known$word
  any(numbers) &&
    all(known$number | known$word) &&
    any(
      known$percent[numbers] |
        nzchar(known$unit[numbers]) |
        (known$point[numbers] %% 1 != 0) %in% TRUE
    )
}

same <- function(a, b) (is.na(a) & is.na(b)) | (!is.na(a) & !is.na(b) & a == b)

note_order <- function(newest_first, origin) {
  note(
    "order",
    sprintf(
      "The rows of %s are %s; they were put in date order.",
      origin,
      if (newest_first) "newest first" else "not in date order"
    )
  )
}

# `close` is what is measured; `fields` are the other columns of the same shape.
# Other closes on the same dates: drawn, carried, of what stands in. What was read is kept beside.
with_other_closes <- function(prices, close) {
  made <- altered(prices, close = close)
  made$read <- read_of(prices)
  made
}

# The tables that were read, of which a table of prices was made; its own where it is one.
read_of <- function(prices) {
  prices$read %||% list(list(dates = prices$dates, values = prices$close))
}

refuse_without_price <- function(securities, origin) {
  fail(
    "all_missing",
    sprintf(
      "%s %s no price at all in %s.",
      some(securities),
      if (length(securities) == 1L) "has" else "have",
      origin
    ),
    remedy = "Take the column out, or fill it."
  )
}

new_prices <- function(dates, close, origin, fields = list(), measured = "close", actions = NULL,
                       layout = NULL) {
  check_securities(colnames(close), origin)
  if (!length(dates)) refuse_no_date(origin)
  empty <- colnames(close)[core_observed(close) == 0L]
  if (length(empty)) refuse_without_price(empty, origin)
  structure(
    list(
      dates = dates,
      close = close,
      origin = origin,
      digest = digest_of(dates, close),
      universe = colnames(close),
      fields = fields,
      measured = measured,
      actions = actions,
      layout = layout
    ),
    class = c("imbroglio_prices", "imbroglio_panel")
  )
}

refuse_no_date <- function(origin) {
  fail("empty", sprintf("There is no date with a price in %s.", origin))
}

# One day can be kept, checked and added to others; measured it cannot be.
refuse_one_date <- function(prices) {
  if (length(prices$dates) > 1L) return(invisible())
  fail(
    "too_short",
    sprintf("There is only one date in %s.", prices$origin),
    where = sprintf("It is %s.", prices$dates),
    remedy = "A return needs two prices; a single day can be added to a store."
  )
}

check_securities <- function(names, origin) {
  bad <- names[is.na(names) | !nzchar(trimws(names)) | grepl("[[:cntrl:]]", names)]
  if (length(bad)) {
    fail(
      "security",
      sprintf(
        "%s of %s %s no name, or one with control characters in it.",
        count(length(bad), "column"),
        origin,
        if (length(bad) == 1L) "has" else "have"
      )
    )
  }
  twice <- unique(names[duplicated(names)])
  if (length(twice)) {
    fail("security", sprintf("%s stands more than once in %s.", some(twice), origin))
  }
}

# Columns by name or number; an unknown one is an error, never an NA.
pick_securities <- function(wanted, names) {
  if (is.character(wanted)) {
    unknown <- setdiff(wanted, names)
    if (length(unknown)) {
      fail(
        "security",
        sprintf("There is no security %s.", some(unknown, 20L)),
        where = sprintf("There are %s.", some(names, 20L)),
        remedy = did_you_mean(unknown, names)
      )
    }
    return(match(wanted, names))
  }
  picked <- tryCatch(stats::setNames(seq_along(names), names)[wanted], error = function(e) NA)
  if (!length(picked) || anyNA(picked)) {
    fail(
      "security",
      sprintf("There are only %s to pick from.", count(length(names), "security", "securities"))
    )
  }
  unname(picked)
}

#' @export
`[.imbroglio_prices` <- function(x, i, j, ...) {
  # x["A"] picks securities, as of a data frame.
  if (nargs() == 2L && !missing(i)) return(x[, i])
  rows <- if (missing(i)) seq_along(x$dates) else picked_rows(i, x$dates)
  columns <- if (missing(j)) {
    seq_len(ncol(x$close))
  } else {
    pick_securities(expand_groups(j, x), colnames(x$close))
  }
  part_of(x, rows, columns)
}

# A part keeps the digest of what was handed in, and the list of all securities,
# by which a figure gives each its colour.
part_of <- function(x, rows, columns) {
  if (!length(rows)) refuse_no_date(x$origin)
  securities <- colnames(x$close)[columns]
  altered(
    x,
    dates = x$dates[rows],
    close = x$close[rows, columns, drop = FALSE],
    fields = lapply(x$fields, function(m) m[rows, columns, drop = FALSE]),
    # What is held at the end of a part is not what is held today.
    ends_before = last_beyond(x, rows, columns) %||% x$ends_before,
    actions = x$actions[x$actions$security %in% securities, ],
    about = x$about[match(securities, x$about$security), ]
  )
}

# The last date with a price behind these rows.
last_beyond <- function(x, rows, columns) {
  beyond <- seq_along(x$dates)[-seq_len(rows[length(rows)])]
  priced <- beyond[rowSums(!is.na(x$close[beyond, columns, drop = FALSE])) > 0L]
  if (length(priced)) x$dates[priced[length(priced)]]
}

#' @export
dim.imbroglio_prices <- function(x) dim(x$close)

#' @export
dimnames.imbroglio_prices <- function(x) list(core_iso_days(x$dates), colnames(x$close))

#' @export
as.matrix.imbroglio_prices <- function(x, ...) `dimnames<-`(x$close, dimnames(x))

#' @export
as.data.frame.imbroglio_prices <- function(x, ...) {
  data.frame(date = x$dates, x$close, check.names = FALSE)
}
