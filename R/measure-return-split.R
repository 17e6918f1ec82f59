record_of_return_split <- function() {
  measure_record(
    240,
    title = "Return by holding",
    asks = "What did each holding add, to the return and to the money?",
    measure = split_return,
    columns = list(
      local_value = column("by price, money", "money"),
      rate_value = column("by rate, money", "money")
    ),
    shares = c(
      "security", "over", "from", "to", "n", "weight", "total_return", "component",
      "component_value"
    ),
    compares = NULL,
    command = NULL,
    parts = list(
      return_split = part(
        "returns", 40, "whole", "book", c("lead", "figure", "table"),
        with = function(work) list(over = c("day", "month to date", "year to date"))
      )
    ),
    cases = quote(list(
      whole = split_return(book, over = c("day", "month")),
      of_shares = split_return(book_of_shares, over = c("day", "month to date")),
      by_currency = split_return(book_of_currencies, by = "currency")
    ))
  )
}

#' Split the return of a book among its holdings
#'
#' What each holding added to the return of a book, and to its money: yesterday, in a week, a
#' month, a year to date, or any span. It is what did happen, so of the book as it was held then; a
#' holding without a price on a day counts at its last one, which is noted.
#'
#' Of a day the part of a holding is its shares at the close before times the change of its price,
#' \eqn{h_{i,t-1} (P_{i,t} - P_{i,t-1})}{h_i,t-1 (P_i,t - P_i,t-1)}, in money; over the worth of
#' the book at the close before, \eqn{V_{t-1}}{V_t-1}, it is its part of the return. Over several
#' days money adds up, and each day's part counts as often as the book had grown until then, so
#' that parts add up to the return of the span exactly. Of prices that were converted the money is
#' parted again: what the price in its own currency made, at the rate of the day before, and what
#' the rate made.
#'
#' Holdings by date say what was held when: what changes hands does so at the close of its day, and
#' what cash does not explain it by came from outside, or went there; that is no return.
#'
#' @param book A book, see [as_portfolio()].
#' @param over Spans that end on the last date: `"day"`, `"week"`, `"month"`, `"quarter"`, `"year"`
#'   (back to the same day), a time such as `"10 days"` (so many of the book's days),
#'   `"week to date"`, `"month to date"`, `"quarter to date"`, `"year to date"`; several side by
#'   side.
#' @param from,to Instead: from the close of one date to that of another.
#' @param by `"security"`, `"group"` (of [read_securities()]) or `"currency"`.
#' @param holdings Holdings by date: a table, or a file, with the columns date, security and
#'   shares; what is not named on a date of it is not held from there. `cash` is an amount.
#' @return A table, for each span a row for each holding (the largest part first), one for cash
#'   that earned or is held, and one for the book (last): `security`, `over`, `from` and `to` (the
#'   closes), `n` (days), `weight` (at the start), `total_return` (its own), `component` (its part
#'   of the return), and where money is known `component_value`, of converted prices
#'   `local_value` and `rate_value`. `autoplot()` draws it.
#' @eval columns_in_docs("return_split")
#' @section Errors: `imbroglio_error_argument` for what is no book, a span that is not known;
#'   `imbroglio_error_too_short` for one that begins before the book.
#' @eval concepts_in_docs("split_return")
#' @family measures of a book
#' @family measures of returns
#' @examples
#' prices <- read_prices(demo_file("bay.csv"))
#' book <- as_portfolio(prices, shares = c(OSSELL = 2000, TARROW = 500, BAYBOND = 1000))
#' found <- split_return(book, over = c("day", "month", "year to date"))
#' in_words(found)[found$security == "BOOK"]
#' split_return(book, from = "2025-11-28", to = "2025-12-31")
#' @export
split_return <- function(book, over = "day", from = NULL, to = NULL,
                         by = c("security", "group", "currency"), holdings = NULL) {
  if (!inherits(book, "imbroglio_book")) refuse_no_book(book)
  by <- one_of(by, "by", c("security", "group", "currency"))
  carried <- carried_book(book)
  held <- if (is.null(holdings)) book$dated else held_by_date(holdings, book)
  days <- if (is.null(held) && !in_fixed_shares(book)) {
    days_by_weights(carried)
  } else {
    days_by_shares(carried, held)
  }
  spans <- if (is.null(from) && is.null(to)) {
    lapply(check_over(over), function(one) span_over(one, days$dates))
  } else {
    list(named_span(from, to, days$dates))
  }
  parts <- lapply(spans, function(span) split_over(span, days, carried, by))
  days$said <- c(days$said, flow_words(days, spans))
  columns <- stacked(parts)
  returns <- suppressMessages(
    suppressWarnings(book_returns(carried, "then"), classes = "imbroglio_warning"),
    classes = "imbroglio_note"
  )
  if (!is.null(holdings)) {
    returns$book$held <- "as it was held"
    returns$book$text <- "by the holdings of each date"
  }
  made <- new_result(
    columns,
    "return_split",
    returns_basis(
      returns, sample_of(returns$dates, returns$values[, book$name, drop = FALSE]),
      securities = book$name, every = returns$frequency$every[[book$name]],
      choices = c("split by" = by, days$said)
    ),
    book$returns
  )
  attr(made, "days") <- days
  made
}

held_by_date <- function(source, book) {
  rows <- dated_rows(source, "shares", NULL, least = 1L)
  if (is.null(rows)) {
    fail("weights", "The holdings by date have no date.",
         remedy = "A table of them has the columns date, security and shares.")
  }
  dated_holdings(rows, colnames(book$returns$values))
}

# What did happen is at prices that were known: between its own a holding counts at its last one.
carried_book <- function(book) {
  if (is.null(book$between)) return(book)
  book$returns <- book$between$carried()
  rare <- book$between$rare
  book$between <- list(
    words = sprintf("%s at the last price that was known", some(rare)), number = 0L
  )
  note("carried", sprintf(
    if (length(rare) == 1L) {
      "%s counts at its last price until the next."
    } else {
      "%s count at their last prices until the next."
    }, some(rare)
  ))
  book
}

in_fixed_shares <- function(book) {
  !is.null(book$shares) && book$rebalance == "never" && !identical(book$held, "today")
}

# What came from outside, or went there, in the longest of the spans.
flow_words <- function(days, spans) {
  if (is.null(days$flow)) return(NULL)
  first <- min(vapply(spans, `[[`, 0L, "first"))
  flow <- days$flow[(first + 1L):max(vapply(spans, `[[`, 0L, "last"))]
  there <- abs(flow) > 1e-9 * max(abs(days$worth))
  if (!any(there)) return(NULL)
  c("from outside" = sprintf(
    "%s at the close of %s, which is no return",
    format(round(sum(flow), 2L), big.mark = ",", nsmall = 2L, scientific = FALSE),
    count(sum(there), "date")
  ))
}

# Each day of a book of weights: in parts of its worth, which is known today, if at all.
days_by_weights <- function(book) {
  parts <- parts_of_book(book)
  n <- length(parts$dates)
  grown <- cumprod(c(1, 1 + parts$whole))
  worth <- if (!is.null(book$value)) grown * book$value / grown[n + 1L]
  made <- parts$part * if (is.null(worth)) grown[-(n + 1L)] else worth[-(n + 1L)]
  list(
    dates = c(parts$start, parts$dates), security = parts$security, made = made,
    cash_made = cash_of_weights(
      parts$whole * (worth %||% grown)[-(n + 1L)] - rowSums(made), worth
    ),
    worth = worth %||% grown, weight = rbind(parts$weight, NA), own = parts$own,
    cash = (1 - rowSums(rbind(parts$weight, NA))) * (worth %||% grown),
    in_money = !is.null(worth)
  )
}

# What is left of the return is of cash, but for rounding.
cash_of_weights <- function(left, worth) {
  size <- max(abs(worth %||% 1))
  ifelse(abs(left) < 1e-12 * size, 0, left)
}

# One span: money of each day added up, parts of the return as often as the book had grown.
split_over <- function(span, days, book, by) {
  steps <- span$first:(span$last - 1L)
  worth <- days$worth[steps]
  neutral <- is_neutral(book) || any(worth <= 0)
  earned <- rowSums(days$made[steps, , drop = FALSE]) + days$cash_made[steps]
  # Of dated holdings the part of each day's return is known, of others it is over the worth.
  part <- (days$part %||% (days$made / days$worth[-length(days$worth)]))[steps, , drop = FALSE]
  cash_part <- (days$cash_part %||% (days$cash_made / days$worth[-length(days$worth)]))[steps]
  grown <- cumprod(c(1, 1 + rowSums(part) + cash_part))
  scale <- grown[-length(grown)]
  made <- days$made[steps, , drop = FALSE]
  own <- list(component = colSums(part * scale), value = colSums(made))
  rate <- if (!is.null(days$rate_made)) colSums(days$rate_made[steps, , drop = FALSE])
  returned <- if (is.null(days$own)) {
    days$close[span$last, ] / days$close[span$first, ] - 1
  } else {
    apply(1 + days$own[steps, , drop = FALSE], 2L, prod) - 1
  }
  cash <- sum(days$cash_made[steps])
  table <- list(
    security = days$security, weight = unname(days$weight[span$first, ]),
    total_return = unname(returned), component = unname(own$component),
    component_value = unname(own$value), rate_value = unname(rate)
  )
  if (by != "security") table <- in_groups_of(table, by, book)
  in_order <- order(-abs(table$component_value))
  table <- lapply(table[!vapply(table, is.null, NA)], `[`, in_order)
  has_cash <- abs(days$cash[span$first]) > 1e-9 * abs(days$worth[span$first]) || cash != 0
  if (has_cash && by == "currency") has_cash <- cash != 0
  whole <- list(
    security = book$name, weight = 1, total_return = grown[length(grown)] - 1,
    component = grown[length(grown)] - 1, component_value = sum(earned),
    rate_value = if (!is.null(rate)) sum(rate)
  )
  in_cash <- if (has_cash) list(
    security = "cash", weight = days$cash[span$first] / days$worth[span$first],
    total_return = if (days$cash[span$first] != 0) cash / days$cash[span$first] else NA_real_,
    component = sum(cash_part * scale), component_value = cash,
    rate_value = if (!is.null(rate)) 0
  )
  known <- function(columns) Filter(Negate(is.null), columns)
  rows <- stacked(known(list(table, if (has_cash) known(in_cash), known(whole))))
  spanned_rows(rows, span, days, neutral, book$security)
}

spanned_rows <- function(rows, span, days, neutral, held) {
  rate <- rows$rate_value
  k <- length(rows$security)
  made <- c(
    rows["security"],
    list(
      over = rep(span$over, k), from = rep(days$dates[span$first], k),
      to = rep(days$dates[span$last], k), n = rep(span$last - span$first, k)
    ),
    rows[c("weight", "total_return", "component")],
    if (days$in_money) {
      c(rows["component_value"], if (!is.null(rate)) {
        list(local_value = rows$component_value - rows$rate_value, rate_value = rows$rate_value)
      })
    }
  )
  # Of next to nothing nothing is a part.
  if (neutral) {
    own_rows <- made$security %in% held
    made$component[] <- NA_real_
    made$weight[] <- NA_real_
    made$total_return[!own_rows] <- NA_real_
  }
  made
}

# Members of a group, or of a currency, as one.
in_groups_of <- function(table, by, book) {
  prices <- book$returns$prices
  about <- prices$about
  of <- if (by == "group") {
    if (is.null(about)) {
      fail("argument", "The prices have no groups.", remedy = "Read them with `securities =`.")
    }
    about$group[match(table$security, about$security)]
  } else {
    unname(prices$converted$currency[table$security]) %||%
      about$currency[match(table$security, about$security)]
  }
  if (is.null(of) || all(is.na(of))) {
    fail("argument", sprintf("No %s of the holdings is known.", by))
  }
  of[is.na(of)] <- paste("no", by)
  groups <- unique(of)
  sums <- function(x) if (length(x)) as.vector(rowsum(x, factor(of, groups)))
  weight <- sums(table$weight)
  component <- sums(table$component)
  list(
    security = groups, weight = weight,
    total_return = ifelse(abs(weight) > 1e-9, component / weight, NA_real_),
    component = component, component_value = sums(table$component_value),
    rate_value = sums(table$rate_value)
  )
}
