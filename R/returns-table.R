#' Take returns
#'
#' Simple returns \eqn{r_t = P_t / P_{t-1} - 1} or log returns
#' \eqn{x_t = \ln(P_t / P_{t-1})}; \eqn{r = e^x - 1}. The first price has no return:
#' there is one row less than there are dates.
#'
#' A period is time, not a row: a security that is priced on Wednesdays beside daily ones has
#' weekly returns, and whatever is said of it a period, or multiplied out to a year, goes by its
#' own. Two of them are measured between the dates on which both have a price; where these are few,
#' as of a fund of months beside one of weeks, over the periods of the coarser one, with the last
#' price of the other in each. A book of both is brought to days, see [as_portfolio()].
#'
#' Where a price is missing there is no return, and the next return spans the gap, so that growth
#' is kept; the basis of every result counts both. Weekly, monthly, quarterly and yearly returns
#' are taken between the last prices of ISO weeks and of calendar months, quarters and years,
#' dated by the last trading day of the period; a last period is left out, and said, where a date
#' is still to come in it by the table's own calendar: its days of the week, less the days of the
#' year on which it never has a price.
#'
#' @param x A price table, a book of [as_portfolio()], or what [as_prices()] takes. For `given =
#'   "returns"`, a data frame with a date column and one column of returns for each security (or
#'   a long one), a matrix with dates as row names, a `zoo` series or a `ts`, or the path of a
#'   file of such a table.
#' @param kind `"simple"` or `"log"`.
#' @param every `"day"`, `"week"`, `"fortnight"`, `"month"`, `"quarter"`, `"half-year"` or
#'   `"year"`. If absent, each security as often as it has prices. Given returns of a shorter
#'   period are gathered too: compounded, profits added up.
#' @param keep_unfinished Whether to keep a last period that the prices do not finish.
#' @param given What `x` holds: `"prices"`; `"returns"` of the kind and frequency that are named;
#'   or `"profits"`, amounts of money that add and are not compounded: return, volatility,
#'   drawdown, value at risk and its backtest are then in money.
#' @param origin A few words on where the returns came from, for the basis; of a file, its name.
#' @param ... For the path of a file: what [read_prices()] takes to read it, such as `decimal`,
#'   `dates` and `sheet`.
#' @return A returns table: a return (a fraction: 0.012 is 1.2 %) for each date and security.
#'   `dim()`, `as.matrix()`, `as.data.frame()` and `[, securities]` work as on a wide table.
#' @section Errors:
#'   `imbroglio_error_argument` where `every` is finer than the prices;
#'   `imbroglio_error_too_short` where there are not two periods; `imbroglio_error_return`
#'   for a given
#'   simple return below -1, or one that is not finite; those of [as_prices()].
#' @eval concepts_in_docs("as_returns")
#' @family what measures are of
#' @examples
#' prices <- read_prices(demo_file("bay.csv"))
#' as_returns(prices)
#' as_returns(prices, kind = "log", every = "month")
#' @export
as_returns <- function(x, kind = c("simple", "log"), every = NULL, keep_unfinished = FALSE,
                       given = c("prices", "returns", "profits"), origin = NULL, ...) {
  as_they_are <- missing(kind) && is.null(every)
  if (inherits(x, "imbroglio_book")) {
    book <- book_returns(first_drawing(x), "then")
    return(if (as_they_are) book else as_returns(book, kind, every, keep_unfinished))
  }
  if (inherits(x, "imbroglio_returns")) {
    return(if (as_they_are) x else returns_again(x, kind, every, keep_unfinished))
  }
  if (is_opened(x)) {
    refuse_one_date(x)
    return(returns_later(x, kind, every, keep_unfinished))
  }
  kind <- one_of(kind, "kind", c("simple", "log"))
  given <- one_of(given, "given", c("prices", "returns", "profits"))
  if (given != "prices") {
    return(given_returns(x, if (given == "profits") "profit" else kind, every, origin, ...))
  }
  refuse_others(...)
  prices <- as_prices(x)
  refuse_one_date(prices)
  warn_unadjusted(prices)
  frequency <- frequencies_of(prices$dates, prices$close, others = prices$others)
  at <- prices
  if (!is.null(every)) {
    check_every(every, frequency)
    differ <- any(frequency$every != every)
    if (every != "day" && (differ || calendar_every(prices$dates) != every)) {
      at <- at_period_ends(prices, every, keep_unfinished)
    }
    if (differ) {
      own <- if (every == "day") frequency$own
      frequency <- stated_frequency(every, colnames(prices$close), own)
    }
  }
  values <- core_returns(at$close, kind == "log")
  dimnames(values) <- list(NULL, colnames(at$close))
  made <- new_returns(
    at$dates[-1L],
    values,
    kind,
    frequency,
    start = at$dates[core_span(at$close)$first],
    prices = prices,
    origin = prices$origin,
    digest = prices$digest
  )
  made$first <- at$dates[1L]
  made$stated <- every
  made$keep_unfinished <- keep_unfinished
  made$shown_from <- prices$shown_from
  made
}

# Of an opened source: what is to be done to each of its blocks.
returns_later <- function(x, kind, every, keep_unfinished) {
  if (!is.null(x$kind) && length(kind) > 1L && is.null(every)) return(x)
  kind <- one_of(kind, "kind", c("simple", "log"))
  force(keep_unfinished)
  then_done(x, function(table) {
    as_returns(table, kind = kind, every = every, keep_unfinished = keep_unfinished)
  }, kind = kind, every = every)
}

# Of returns: the same prices by another kind or period.
returns_again <- function(x, kind, every, keep_unfinished) {
  if (is.null(x$prices)) {
    fail(
      "argument",
      paste0(
        "These returns were given without prices; their kind and frequency cannot be ",
        "changed."
      )
    )
  }
  taken <- as_returns(x$prices, kind, every, keep_unfinished)
  taken$book <- x$book
  taken$beside <- beside_of(x)
  taken
}

check_every <- function(every, frequency) {
  check_choice(every, "every", names(frequencies))
  coarser <- which(!is.na(frequency$usual) & frequency$usual > frequencies[[every]]$longest)
  if (!length(coarser)) return(invisible())
  known <- names(frequency$every)
  fail(
    "argument",
    sprintf("No %s returns can be taken from these prices.", adverb_of(every)),
    where = if (length(coarser) == length(known)) {
      sprintf("They are %s.", adverb_of(every_of_all(frequency)))
    } else {
      sprintf("%s is %s.", known[coarser[1L]], adverb_of(frequency$every[coarser[1L]]))
    },
    remedy = if (length(coarser) < length(known)) {
      sprintf(
        "Leave `every` out for returns of each security's own frequency, or %s out.",
        some(known[coarser])
      )
    }
  )
}

new_returns <- function(dates, values, kind, frequency, start, prices, origin, digest) {
  structure(
    list(
      dates = dates,
      values = values,
      kind = kind,
      every = every_of_all(frequency),
      frequency = frequency,
      start = start,
      prices = prices,
      origin = origin,
      digest = digest,
      universe = if (is.null(prices)) colnames(values) else prices$universe
    ),
    class = c("imbroglio_returns", "imbroglio_panel")
  )
}

# What a measure takes: returns, prices from which simple returns are taken, or a book, in the
# reading that the measure is of.
take_returns <- function(x, profits = FALSE, held = "then") {
  if (inherits(x, "imbroglio_book")) {
    if (!profits) refuse_neutral(x, "this measure is in percent")
    return(book_returns(first_drawing(x), held))
  }
  if (inherits(x, "imbroglio_returns")) {
    if (x$kind == "profit" && !profits) {
      fail(
        "argument",
        "This measure takes returns, not profits that add.",
        remedy = paste0(
          "Return, volatility, drawdown, value at risk and its backtest can be measured of ",
          "profits; returns are profits over what was put in."
        )
      )
    }
    return(x)
  }
  if (inherits(x, "imbroglio_prices")) return(as_returns(x))
  if (is_opened(x)) {
    table <- whole_table(x)
    return(if (inherits(table, "imbroglio_prices")) as_returns(table) else table)
  }
  fail(
    "argument",
    "This measure takes a price table, a returns table or a book.",
    where = sprintf("This is %s.", shown(x)),
    remedy = "Make one with read_prices(), as_prices(), as_returns() or as_portfolio()."
  )
}

#' @export
`[.imbroglio_returns` <- function(x, i, j, ...) {
  if (nargs() == 2L && !missing(i)) return(x[, i])
  if (!missing(i)) x <- table_on_dates(x, x$dates[picked_rows(i, x$dates)])
  if (missing(j)) return(x)
  columns <- pick_securities(expand_groups(j, x$prices), colnames(x$values))
  x <- altered(x, values = x$values[, columns, drop = FALSE])
  x$start <- x$start[columns]
  x$frequency <- frequency_part(x$frequency, columns)
  x$every <- every_of_all(x$frequency)
  if (!is.null(x$prices)) x$prices <- x$prices[, columns]
  x
}

#' @export
dim.imbroglio_returns <- function(x) dim(x$values)

#' @export
dimnames.imbroglio_returns <- function(x) list(core_iso_days(x$dates), colnames(x$values))

#' @export
as.matrix.imbroglio_returns <- function(x, ...) `dimnames<-`(x$values, dimnames(x))

#' @export
as.data.frame.imbroglio_returns <- function(x, ...) {
  data.frame(date = x$dates, x$values, check.names = FALSE)
}

#' @rdname conversions
#' @export
as.ts.imbroglio_returns <- function(x, ...) time_series(as.matrix(x), x$dates, x$every)

#' @rdname conversions
#' @exportS3Method zoo::as.zoo
as.zoo.imbroglio_returns <- function(x, ...) zoo::zoo(x$values, x$dates)

#' @rdname conversions
#' @exportS3Method tibble::as_tibble
as_tibble.imbroglio_returns <- function(x, ...) tibble::as_tibble(as.data.frame(x), ...)

#' @rdname window.imbroglio_prices
#' @export
window.imbroglio_returns <- function(x, start = NULL, end = NULL, last = NULL, during = NULL,
                                     before = 0L, ...) {
  refuse_others(...)
  span <- span_of(x$dates, start, end, last, during)
  if (!is.null(x$prices) && is.null(x$book)) {
    # A return of the span is whole: it begins with the price at the end of the one before.
    row <- which(x$dates >= span$from)[1L]
    from <- if (is.na(row)) {
      span$from
    } else if (row > 1L) {
      x$dates[row - 1L] + 1
    } else {
      x$prices$dates[1L]
    }
    chosen <- window(x$prices, start = from, end = span$to, before = before)
    return(as_returns(
      chosen,
      kind = x$kind,
      every = x$stated,
      keep_unfinished = isTRUE(x$keep_unfinished)
    ))
  }
  first <- max(1L, which(x$dates >= span$from)[1L] - check_whole(before, "before", least = 0L))
  keep <- seq_along(x$dates) >= first & x$dates <= span$to
  if (!any(keep %in% TRUE)) {
    fail(
      "too_short",
      sprintf("There is no return in the window from %s.", span$asked),
      where = sprintf("The returns run from %s to %s.", x$dates[1L], x$dates[length(x$dates)])
    )
  }
  if (first > 1L) x$start[] <- x$dates[first - 1L]
  x$prices <- NULL
  # What paths are drawn from, and what a working begins with, is cut alike.
  if (!is.null(x$today)) {
    days <- x$today$dates %in% x$dates[keep]
    x$today$r <- x$today$r[days, , drop = FALSE]
    x$today$dates <- x$today$dates[days]
    if (first > 1L) x$today$start <- x$dates[first - 1L]
  }
  altered(x, dates = x$dates[keep], values = x$values[keep, , drop = FALSE])
}
