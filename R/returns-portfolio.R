#' Make a portfolio
#'
#' A book of securities as a security of its own, in a returns table beside its parts: every
#' measure takes it like any other. Bought and held, the weights drift; rebalanced, they are brought back at the
#' close of the last date of every period. Rebalanced every period of the prices, the simple return of the book is
#' \eqn{R_t = \sum_i w_i r_{i,t}}{R_t = sum(w_i r_i,t)}.
#'
#' The book lives from the first date on which all its securities have had a price to the last price of the one that
#' ends first. On a date on which one has no price it counts at its last one.
#'
#' @param x A price table, or a returns table.
#' @param weights Shares of the value at the start and at each rebalancing: a named vector (`c(A = 0.6, B = 0.4)`; below
#'   0 for a short position), a data frame with the columns `security` and `weight`, or a file of one, read as
#'   [read_prices()] reads. A
#'   security that is called `cash` and is no security of `x` is cash.
#' @param shares Instead of `weights`: numbers of shares at the start, likewise (column `shares`); `cash` is then an amount of money.
#' @param rebalance `"never"` (bought and held), `"day"` (every date), `"week"`, `"month"`, `"quarter"` or `"year"`.
#' @param cash The weight of cash (or the amount, beside `shares`); `"rest"`: what the weights leave of 1, which is borrowed
#'   where they are more.
#' @param cash_return What cash earns a year, as a fraction.
#' @param normalise Whether weights that do not add up to 1 are divided by their sum. Otherwise they are refused.
#' @param name What the book is called.
#' @param decimal The decimal mark of a file of holdings, `"."` or `","`, where it can be read both ways.
#' @return A returns table of the book and its securities. `holdings` of it is the weights at the start.
#' @section Errors:
#'   `imbroglio_error_weights` for weights that do not add up to 1 (to 1e-6), a security twice, a weight that is no number;
#'   `imbroglio_error_argument` for a security that is not in `x`; `imbroglio_error_too_short` where the securities have
#'   fewer than two dates together; `imbroglio_error_ruin` where the value falls to zero.
#' @examples
#' prices <- read_prices(demo_file("bay.csv"))
#' book <- as_portfolio(prices, weights = c(OSSELL = 0.5, TARROW = 0.3, BAYBOND = 0.2), rebalance = "month")
#' measure_volatility(book)
#' measure_drawdown(book)
#' fund <- as_portfolio(prices, shares = c(OSSELL = 100, TARROW = 50), name = "FUND")
#' measure_tracking(fund, benchmark = "BAYALL", total = FALSE)
#' @export
as_portfolio <- function(x, weights = NULL, shares = NULL, rebalance = "never", cash = NULL, cash_return = 0,
                         normalise = FALSE, name = "PORTFOLIO", decimal = NULL) {
  given <- inherits(x, "imbroglio_returns") && is.null(x$prices)
  returns <- take_returns(x)
  rebalance <- check_choice(rebalance, "rebalance", c("never", names(frequencies)))
  if (is.null(weights) == is.null(shares)) fail("argument", "Give `weights` or `shares`, one of them.")
  if (given && !is.null(shares)) fail("argument", "Numbers of shares need prices; these are given returns.")
  if (!is.character(name) || length(name) != 1L || is.na(name) || name %in% colnames(returns$values)) {
    fail("argument", "`name` must be a name that no security has.", where = sprintf("It is %s.", shown(name)))
  }
  if (!is.numeric(cash_return) || length(cash_return) != 1L || !is.finite(cash_return) || cash_return <= -1) {
    fail("argument", "`cash_return` must be one yearly return, such as 0.02.",
         where = sprintf("It is %s.", shown(cash_return)))
  }
  held <- holdings_of(weights %||% shares, if (is.null(shares)) "weight" else "shares", colnames(returns$values),
                      cash, decimal)
  prices <- if (given) as_if_prices(returns) else returns$prices
  life <- life_of(prices, held$security)
  life <- life_together(prices, held$security, life)
  values <- prices$close[life, held$security, drop = FALSE]
  for (j in seq_len(ncol(values))) values[, j] <- core_carry(values[, j, drop = FALSE], nrow(values))
  dates <- prices$dates[life]
  start <- 100
  if (!is.null(shares)) {
    start <- sum(held$amount * values[1L, ]) + held$cash
    if (!is.finite(start)) {
      fail("weights", "The shares are worth more than a number can hold.", where = sprintf("%s are held.", some(held$amount)))
    }
    if (!(start > 0)) fail("ruin", sprintf("The shares are worth %s at the start.", format(start)))
    held$amount <- held$amount * values[1L, ] / start
    held$cash <- held$cash / start
  }
  held <- whole_weights(held, normalise)
  per_year <- rhythms_of(dates, values[, 1L, drop = FALSE])$per_year[[1L]]
  found <- core_book_value(values, held$amount, held$cash, (1 + cash_return)^(1 / per_year),
                           rebalanced(dates, rebalance), start)
  if (!is.na(found$ruin)) {
    fail("ruin", sprintf("The value of %s falls to zero or below.", name),
         where = sprintf("On %s.", dates[found$ruin]))
  }
  added <- with_book(returns, prices, life, found$value, name, given)
  added$holdings <- c(stats::setNames(held$amount, held$security), if (held$cash != 0) c(cash = held$cash))
  added
}

# What is held, from a vector, a table or a file: names, amounts and cash.
holdings_of <- function(x, what, securities, cash, decimal = NULL) {
  if (is.data.frame(x) || (is.character(x) && length(x) == 1L && is.null(names(x)))) x <- read_holdings(x, what, decimal)
  if (!is.numeric(x) || is.null(names(x)) || !length(x) || any(!is.finite(x))) {
    fail("weights", "Holdings are a number for each security, by its name.",
         remedy = "Such as c(A = 0.6, B = 0.4), or a table with the columns security and weight.")
  }
  twice <- names(x)[duplicated(names(x))]
  if (length(twice)) fail("weights", sprintf("%s stands twice in the holdings.", some(twice)))
  is_cash <- lower_case(names(x)) == "cash" & !names(x) %in% securities
  if (any(is_cash)) {
    if (!is.null(cash)) fail("weights", "Cash stands in the holdings and in `cash`.")
    cash <- unname(x[is_cash])
    x <- x[!is_cash]
  }
  if (identical(cash, "rest")) cash <- if (what == "weight") 1 - sum(x) else 0
  cash <- cash %||% 0
  if (!is.numeric(cash) || length(cash) != 1L || !is.finite(cash)) {
    fail("weights", "`cash` must be one number, or \"rest\".", where = sprintf("It is %s.", shown(cash)))
  }
  if (!length(x)) fail("weights", "There is no security among the holdings, only cash.")
  columns <- pick_securities(names(x), securities)
  list(security = securities[columns], amount = as.numeric(x), cash = cash)
}

whole_weights <- function(held, normalise) {
  sum <- sum(held$amount) + held$cash
  if (!is.finite(sum)) fail("weights", "The weights add up to more than a number can hold.")
  if (abs(sum - 1) <= 1e-6) return(held)
  if (!normalise || sum <= 0) {
    fail("weights", sprintf("The weights add up to %s, not to 1.", format(round(sum, 6))),
         remedy = "normalise = TRUE divides them by their sum; cash = \"rest\" makes up the difference.")
  }
  held$amount <- held$amount / sum
  held$cash <- held$cash / sum
  held
}

life_of <- function(prices, securities) {
  span <- core_span(prices$close[, securities, drop = FALSE])
  from <- max(span$first)
  to <- min(span$last)
  if (to - from < 1L) {
    fail("too_short", "The securities of the book have fewer than two dates together.",
         where = sprintf("%s starts on %s.", securities[which.max(span$first)], prices$dates[from]))
  }
  if (from > min(span$first) || to < max(span$last)) {
    note("book_life", sprintf("The book lives from %s to %s, between the first price of %s and the last of %s.",
                              prices$dates[from], prices$dates[to], securities[which.max(span$first)],
                              securities[which.min(span$last)]))
  }
  from:to
}

# Where a holding has prices less often than the others, the book is valued only when it has one: in between it would
# stand still while the others move.
life_together <- function(prices, securities, life) {
  close <- prices$close[life, securities, drop = FALSE]
  rhythm <- rhythms_of(prices$dates[life], close)
  rare <- rhythm$per_year < max(rhythm$per_year) * 0.6
  if (!any(rare)) return(life)
  kept <- life[rowSums(is.na(close[, rare, drop = FALSE])) == 0L]
  if (length(kept) < 2L) {
    fail("too_short", sprintf("%s have fewer than two dates together.", some(securities[rare])),
         where = sprintf("They are %s.", some(adverb_of(unique(rhythm$every[rare])))))
  }
  note("frequency", sprintf("The book is valued on %s of its %s, those on which %s a price: it is %s.", count(length(kept)),
                            count(length(life), "date"), paste(some(securities[rare]), if (sum(rare) == 1L) "has" else "have"),
                            adverb_of(calendar_every(prices$dates[kept]))),
       remedy = "Take returns by a longer period, or carry prices forward, for another calendar.")
  kept
}

rebalanced <- function(dates, rebalance) {
  if (rebalance == "never") return(logical(length(dates)))
  period <- frequencies[[rebalance]]$period(dates)
  c(period[-1L] != period[-length(period)], FALSE)
}

# Given returns as prices from 1; where a return is missing, so is the price.
as_if_prices <- function(returns) {
  values <- core_wealth(returns$values, returns$kind)
  colnames(values) <- colnames(returns$values)
  before <- returns$dates[1L] - stats::median(diff(as.numeric(returns$dates)))
  list(dates = c(before, returns$dates), close = values)
}

with_book <- function(returns, prices, life, value, name, given) {
  book <- rep(NA_real_, length(prices$dates))
  book[life] <- value
  held <- `colnames<-`(cbind(book, prices$close), c(name, colnames(prices$close)))
  if (!given) {
    made <- new_prices(prices$dates, held, prices$origin, layout = prices$layout)
    made$universe <- c(prices$universe, name)
    made$repairs <- prices$repairs
    return(as_returns(made, kind = returns$kind, every = returns$stated))
  }
  values <- cbind(core_returns(held[, 1L, drop = FALSE], returns$kind == "log"), returns$values)
  colnames(values) <- colnames(held)
  made <- new_returns(returns$dates, values, returns$kind, with_first(returns$rhythm, name, returns$dates, values), start = rep(as.Date(NA), ncol(values)),
                      prices = NULL, origin = returns$origin, digest = digest_of(returns$dates, values))
  made$universe <- c(returns$universe, name)
  made
}

with_first <- function(rhythm, name, dates, values) {
  Map(c, rhythms_of(dates, values[, name, drop = FALSE]), rhythm)
}
