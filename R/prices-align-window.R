#' Choose a span of dates
#'
#' The price before the span is kept for each security, so that a span from 1 January has its
#' first return, and with monthly returns the whole of January. Nothing else before it is: cells
#' that are not the last price of their security are left empty there.
#'
#' @param x A price table, or a returns table.
#' @param start,end First and last date, both included: text as 2024-12-31, 2024-12 (its first or
#'   last day) or 2024, or a `Date`. Without one, the span is open on that side.
#' @param last Instead of `start`: a span that ends with the last date, such as `"2 years"`, `"6
#'   months"`, `"10 weeks"` or `"90 days"`, `"250 trading days"` (dates of the table) or `"250
#'   returns"`.
#' @param during Instead of `start` and `end`: a year or a month, such as `"2023"` or `"2023-04"`.
#' @param before How many returns before the span are kept, of each security, for windows that are
#'   to be full from its first date on.
#' @param ... Must be empty.
#' @return The table, shorter. Securities without a price in the span are dropped, and said.
#' @family what measures are of
#' @examples
#' prices <- read_prices(demo_file("bay.csv"))
#' window(prices, start = "2019-01-01", end = "2023-12-31")
#' window(prices, last = "2 years")
#' window(prices, during = "2023")
#' measure_return(window(as_returns(prices[, "TARROW"], every = "month"), last = "24 returns"))
#' @export
window.imbroglio_prices <- function(x, start = NULL, end = NULL, last = NULL, during = NULL,
                                    before = 0L, ...) {
  refuse_others(...)
  span <- span_of(x$dates, start, end, last, during)
  before <- check_whole(before, "before", least = 0L)
  inside <- x$dates >= span$from & x$dates <= span$to
  asked <- span$asked
  if (!any(inside)) {
    fail(
      "too_short",
      sprintf("There is no date in the window from %s.", asked),
      where = sprintf("The prices run from %s to %s.", x$dates[1L], x$dates[length(x$dates)])
    )
  }
  there <- core_observed(x$close[inside, , drop = FALSE]) > 0L
  if (!all(there) && any(there)) {
    note(
      "dropped",
      sprintf(
        "%s %s no price from %s and %s left out.",
        some(colnames(x$close)[!there]),
        if (sum(!there) == 1L) "has" else "have",
        asked,
        if (sum(!there) == 1L) "is" else "are"
      )
    )
  }
  if (!any(there) && !is.null(x$block)) signal_empty_block()
  columns <- which(there | !any(there))
  earlier <- which(x$dates < span$from)
  kept <- lapply(columns, function(j) {
    utils::tail(earlier[!is.na(x$close[earlier, j])], before + 1L)
  })
  rows <- sort(unique(c(unlist(kept), which(inside))))
  if (length(rows) < 2L) {
    fail(
      "too_short",
      sprintf("There is only one date in the window from %s.", asked),
      where = sprintf("The prices run from %s to %s.", x$dates[1L], x$dates[length(x$dates)])
    )
  }
  part <- part_of(x, rows, columns)
  before_it <- rows[rows < which(inside)[1L]]
  off <- do.call(
    rbind,
    lapply(seq_along(columns), function(k) {
      cbind(
        match(setdiff(before_it, kept[[k]]), rows),
        rep(k, length(setdiff(before_it, kept[[k]])))
      )
    })
  )
  blanked <- function(m) replace(m, off, NA)
  altered(part, close = blanked(part$close), fields = lapply(part$fields, blanked))
}

span_of <- function(dates, start, end, last, during) {
  if (!is.null(during)) {
    if (!is.null(start) || !is.null(end) || !is.null(last)) {
      fail("argument", "Give `during`, or `start` and `end`, or `last`.")
    }
    start <- end <- during
  }
  named <- function(usual) if (is.null(during)) usual else "during"
  start <- check_date(start, named("start"))
  end <- check_date(end, named("end"), last = TRUE)
  to <- end %||% dates[length(dates)]
  if (!is.null(last)) {
    if (!is.null(start)) fail("argument", "Give `start` or `last`, not both.")
    held <- dates[dates <= to]
    if (length(held)) start <- first_of_last(held, last)
  }
  list(
    from = start %||% dates[1L],
    to = to,
    asked = sprintf("%s to %s", start %||% "the first date", end %||% "the last")
  )
}

# The first date of a span that ends with the last one; what lies that far back is the price
# before its first return.
first_of_last <- function(dates, span) {
  rows <- if (is.character(span) && length(span) == 1L) {
    regmatches(span, regexec("^\\s*([0-9]+)\\s*(trading days?|returns?)\\s*$", span))[[1L]]
  }
  if (length(rows)) {
    n <- as.numeric(rows[2L])
    if (n < 1) {
      fail(
        "argument",
        "`last` must be one return or more.",
        where = sprintf("It is %s.", shown(span))
      )
    }
    return(dates[max(1, length(dates) - n + 1)])
  }
  back <- span_before(dates[length(dates)], span)
  held <- dates[dates <= back]
  if (length(held)) held[length(held)] + 1 else dates[1L]
}

span_before <- function(day, span) {
  parts <- if (is.character(span) && length(span) == 1L) {
    regmatches(span, regexec("^\\s*([0-9]+)\\s*(day|week|month|quarter|year)s?\\s*$", span))[[1L]]
  }
  if (length(parts) != 3L || as.numeric(parts[2L]) > 1e5) {
    fail(
      "argument",
      paste0(
        "`last` must be a number and a unit, such as \"2 years\", \"90 days\" or \"250 ",
        "returns\", of 100,000 at most."
      ),
      where = sprintf("It is %s.", shown(span))
    )
  }
  n <- as.integer(parts[2L])
  back <- seq(day, by = sprintf("-%d %s", n, parts[3L]), length.out = 2L)[2L]
  # 31 March less a month is 31 February, which R counts on into March.
  wanted <- as.POSIXlt(day)$mday
  if (parts[3L] %in% c("month", "quarter", "year") && as.POSIXlt(back)$mday != wanted) {
    back <- back - as.POSIXlt(back)$mday
  }
  back
}

#' Line securities up on dates
#'
#' @param prices A price table.
#' @param on `"common"`: only dates on which every security has a price; `"all"`: every
#'   date of any (as tables are by
#'   themselves), without dates on which none has one; `"carry"`: every date, a missing price
#'   being carried forward
#'   from the last one, up to `most` dates in a row.
#' @param most For `"carry"`: how many dates at most.
#' @return The price table. What was dropped or carried is counted in a note and in
#'   `basis(...)$repairs` of what is measured on it.
#' @family ways to put prices right
#' @examples
#' prices <- read_prices(demo_file("bay.csv"))[, c("BAYALL", "BAYBOND", "CORRACK")]
#' align_prices(prices, "common")
#' align_prices(prices, "carry", most = 1)
#' @export
align_prices <- function(prices, on = c("common", "all", "carry"), most = 1L) {
  prices <- as_prices(prices)
  on <- one_of(on, "on", c("common", "all", "carry"))
  known <- !is.na(prices$close)
  if (on == "carry") {
    most <- check_whole(most, "most")
    filled <- core_carry(prices$close, most)
    n <- sum(!is.na(filled)) - sum(known)
    carried <- altered(prices, close = `dimnames<-`(filled, dimnames(prices$close)))
    return(said_of(
      carried,
      sprintf(
        "%s carried forward from the date before, at most %s running",
        count(n, "price"),
        count(most)
      )
    ))
  }
  keep <- if (on == "common") rowSums(known) == ncol(known) else rowSums(known) > 0L
  if (sum(keep) < 2L) {
    fail(
      "too_short",
      sprintf("The securities have only %s in common.", count(sum(keep), "date")),
      remedy = "Leave out the one that starts late or ends early."
    )
  }
  said_of(
    part_of(prices, which(keep), seq_len(ncol(prices))),
    sprintf(
      "%s dropped: not of %s",
      count(sum(!keep), "date"),
      if (on == "common") "all securities" else "any security"
    )
  )
}

said_of <- function(prices, what) {
  note("aligned", paste0(what, "."))
  prices$repairs <- c(prices$repairs, what)
  prices
}
