#' Make a book
#'
#' A book is what is held: shares, values or weights of securities, and cash. Every measure takes
#' it in place of a table of returns, and gives numbers of the book.
#'
#' A book has two readings, and every number of it says which one it is.
#' * **As held today**: what is held now, on every past day: \eqn{R_t = \sum_i w_i r_{i,t}}{R_t =
#'   sum(w_i r_i,t)} with today's weights, over the intervals for which all holdings have a
#'   return. It says what may happen from here, and is what [measure_var()], [backtest_var()],
#'   [fit_returns()], [fit_garch()], [tail_thresholds()], [split_var()] and [bootstrap_book()] are
#'   of.
#' * **As held then**: what the book has earned: bought at the start, drifting, and brought back
#'   to its weights at the close of the last date of every period of `rebalance`. It is what
#'   [measure_return()], [measure_volatility()], [measure_beta()], [measure_tracking()],
#'   [measure_drawdown()], [correlate_returns()] and [measure_summary()] are of.
#'
#' `held` turns either round. As held then, the book lives from the first date on which all its
#' securities have had a price to the last price of the one that ends first; on a date on which
#' one has no price it counts at its last one, unless it has prices much less often than the
#' others: see below.
#'
#' A holding that has no price any more, while the others have, ends the book: every number of it
#' says so first, and a warning (`imbroglio_warning_ended`) names the ways on: `carried`,
#' `stand_ins`, or a book without it.
#'
#' @section Holdings that are priced less often: Between its own prices a holding is
#' * **bridged**: its log return of a day is
#'   \eqn{a + b s_t + u_t}{a + b s_t + u_t}, with \eqn{s}{s} the return of what it is bridged by,
#'   \eqn{a}{a} and \eqn{b}{b} from the regression over its own periods (weighted by 1 over their
#'   days), and \eqn{u}{u} a Brownian bridge with the variance of what is left, so that its own
#'   returns come back. Slopes, variance and bridge are drawn `bridges` times by `seed`; a measure
#'   of the book is the mean over the drawings, and its errors hold the spread between them (Rubin
#'   1987): \eqn{\sqrt{\overline{e^2} + (1 + 1/m) B}}{sqrt(mean(e^2) + (1 + 1/m) B)}. What lists
#'   days (worst periods, replays, falls, a backtest, fits) is of the first drawing, and says so.
#'   `bench/bridge-study.md` compares the ways on books whose days are known.
#' * **priced**: the book has the dates that all holdings have. Where that costs more than half of
#'   its returns for less than half of its weight, a warning (`imbroglio_warning_frequency`) says
#'   what the other ways would give.
#' * **carried**: the last price stands, by asking only. It hides how the holding moves with the
#'   others; by how much stands in the basis.
#'
#' The way, and how much of the book's returns it made, stand before every sentence and in every
#' basis. A warning (`imbroglio_warning_bridge`) tells where what a named stand-in leaves of a
#' holding moves with the rest of the book.
#'
#' @references Rubin (1987), Multiple imputation for nonresponse in surveys.
#' @param x A price table, or a returns table.
#' @param weights Shares of the value, today and at each rebalancing: a named vector (`c(A = 0.6,
#'   B = 0.4)`; below 0 for a short position), a data frame with the columns `security` and
#'   `weight`, or a file of one, read as [read_prices()] reads. A security that is called `cash`
#'   and is no security of `x` is cash.
#' @param shares Instead of `weights`: numbers of shares, likewise (column `shares`); `cash` is
#'   then an amount of money.
#' @param values Instead: what each holding is worth, likewise (column `value`).
#' @param holdings Instead: a table or a file that has one of these columns, by the names that
#'   people use (quantity, units, market value, ...); shares are taken before values, values
#'   before weights. A column of dates says of which day they are: values and weights are moved
#'   with the prices from there. Of several dates, the book is what was held on each: see [dated].
#'   Several lots of a security are added up, which is noted.
#' @param value What a book of weights is worth, for losses in money; of shares and values it is
#'   known.
#' @param rebalance `"never"` (bought and held), `"day"` (every date), `"week"`, `"month"`,
#'   `"quarter"` or `"year"`.
#' @param cash The weight of cash (or the amount, beside `shares` and `values`); `"rest"`: what
#'   the weights leave of 1, which is borrowed where they are more.
#' @param cash_return What cash earns a year in the book as held then, as a fraction.
#' @param normalise Whether weights that do not add up to 1 are divided by their sum. Otherwise
#'   they are refused.
#' @param held `NULL`: each measure its own reading; `"today"` or `"then"`: this one.
#' @param parts Whether results show the holdings beside the book: each for itself, one that is
#'   held short as what it earns (`NAME short`: the opposite return of each period).
#' @param stand_ins Series that stand in for holdings before their first price, between prices
#'   where they are bridged, and after their
#'   last, by name: `c(NEWCO = "INDEX")`. The price of the holding is carried back, and on, by the
#'   returns of the other.
#' @param carried Names of holdings that have stopped and whose last price stands on every later
#'   date: their returns are then 0, which hides what they would have moved.
#' @param between How a holding that is priced less often than the others, such as a fund of
#'   Wednesdays, is brought to the days of the others: see below. `NULL`: `"bridged"` where the
#'   book would otherwise lose more than half of its returns for less than half of its weight,
#'   else `"priced"`.
#' @param benchmark The series that such a holding is bridged by, where `stand_ins` names none for
#'   it. If absent, or where what it leaves of the holding moves with the rest of the book: by the
#'   rest of the book.
#' @param bridges How many times what lies between is drawn: more make the mean steadier.
#' @param seed Where chance begins.
#' @param name What the book is called.
#' @param trades Instead of holdings: a table, or a file, of trades with the columns date,
#'   security, shares and, where known, price: see [dated].
#' @param decimal The decimal mark of a file of holdings, `"."` or `","`, where it can be read
#'   both ways.
#' @return A book. `as.data.frame()` gives its holdings today: `security`, `weight`, and `value`
#'   where it is known; [as_returns()] its returns, as held then where `held` does not say
#'   otherwise.
#' @section Errors: `imbroglio_error_weights` for weights that do not add up to 1 (to 1e-6) or a
#'   weight that is no number;
#'   `imbroglio_error_security` for one that is not in `x`; `imbroglio_error_too_short` where the
#'   securities have fewer than two dates together; `imbroglio_error_currency` where they are
#'   quoted in several currencies, see [translate_prices()]; `imbroglio_error_ruin` where the value
#'   falls to zero. A warning (`imbroglio_warning_short_history`) where one holding costs the book
#'   more than a quarter of its history, or holdings of several frequencies have few dates
#'   together.
#' @eval concepts_in_docs("as_portfolio")
#' @family what measures are of
#' @examples
#' prices <- read_prices(demo_file("bay.csv"))
#' weights <- c(OSSELL = 0.5, TARROW = 0.3, BAYBOND = 0.2)
#' book <- as_portfolio(prices, weights = weights, rebalance = "month")
#' measure_drawdown(book)
#' measure_var(book)
#' fund <- as_portfolio(prices, shares = c(OSSELL = 100, TARROW = 50), name = "FUND")
#' measure_tracking(fund, benchmark = "BAYALL", total = FALSE)
#' split_var(fund)
#' @export
as_portfolio <- function(x, weights = NULL, shares = NULL, values = NULL, holdings = NULL,
                         value = NULL,
                         rebalance = c("never", "day", "week", "fortnight", "month", "quarter",
                                       "half-year", "year"),
                         cash = NULL, cash_return = 0, normalise = FALSE, held = NULL,
                         parts = FALSE, stand_ins = NULL, carried = NULL, between = NULL,
                         benchmark = NULL, bridges = 5L, seed = 1L, name = "BOOK",
                         decimal = NULL, trades = NULL) {
  amounts <- weights %||% shares %||% values %||% holdings
  kind <- kind_of_amounts(weights, shares, values, holdings, trades)
  rows <- dated_rows(trades %||% amounts, kind, decimal, !is.null(trades))
  if (!is.null(rows)) {
    return(dated_book(x, rows, !is.null(trades), as.list(environment())))
  }
  beside <- c(benchmark, stand_ins)
  returns <- take_returns(table_of_holdings(x, amounts, kind, cash, decimal, beside))
  bridging <- list(
    between = between, stand_ins = stand_ins, benchmark = one_series(benchmark, returns),
    bridges = check_whole(bridges, "bridges", most = 1000L),
    seed = check_whole(seed, "seed", least = -.Machine$integer.max)
  )
  rebalance <- one_of(rebalance, "rebalance", c("never", names(frequencies)))
  check_choice(held %||% "today", "held", c("today", "then"))
  check_book_name(name, colnames(returns$values))
  check_cash_return(cash_return)
  own <- holdings_of(
    amounts, kind, colnames(returns$values), cash, decimal, base_currency(returns$prices)
  )
  check_book_kind(own$what, is.null(returns$prices), value)
  counted <- in_one_currency(own, returns$prices, name)
  lived <- lives_of_holdings(
    with_foreign_cash(returns, counted$own), carried, stand_ins
  )
  own <- lived$own
  today <- held_today(
    own, if (is.null(lived$returns$prices)) as_if_prices(lived$returns) else lived$returns$prices,
    normalise, name
  )
  if (is.null(today$value)) today$value <- check_value(value, name)
  bridging$stopped <- lived$stopped
  made <- with_between(lived$returns, own$security, today, bridging, name)
  new_book(list(
    name = name, security = own$security, own = own,
    weights = today$weights, cash = today$cash, value = today$value,
    shares = today$shares, money = today$money, net = today$net,
    returns = made$returns,
    priced = if (!core_same(made$returns, lived$returns)) lived$returns,
    given = is.null(lived$returns$prices),
    rebalance = rebalance,
    cash_return = cash_return,
    normalise = normalise,
    held = held,
    parts = isTRUE(parts),
    stand_ins = stand_ins,
    carried = carried,
    begins = lived$begins,
    ended = lived$ended,
    between = made$between,
    bridged_by = bridging$benchmark,
    currency = counted$base,
    seed = bridging$seed
  ), lived$carried)
}

# Of an opened source what a book is made of: its holdings, and what stands in for them.
table_of_holdings <- function(x, amounts, kind, cash, decimal, beside) {
  if (!is_opened(x)) return(x)
  own <- holdings_of(amounts, kind, colnames(x), cash, decimal, base_currency(x))
  named <- Filter(is.character, as.list(beside))
  whole_table(x[, unique(c(own$security, unlist(named, use.names = FALSE)))])
}

# When each holding begins and ends, and what stands before and after: `returns` with what was made
# for it.
lives_of_holdings <- function(held, carried, stand_ins) {
  own <- held$own
  returns <- held$returns
  if (is.null(returns$prices) &&
      any(rarer_than_most(frequency_part(returns$frequency, own$security)))) {
    returns <- spanning_returns(returns)
  }
  begins <- begins_of(returns, own$security)
  carried_on <- carried_words(returns, intersect(carried, own$security))
  stopped <- ended_holdings(returns, own$security)$security
  returns <- with_stand_ins(
    with_carried(returns, carried, own$security), stand_ins, own$security, stopped
  )
  list(
    own = own, returns = returns, begins = begins, carried = carried_on, stopped = stopped,
    ended = ended_holdings(returns, own$security, among = stopped)
  )
}

new_book <- function(parts, carried_on) {
  book <- structure(parts, class = "imbroglio_book")
  book$holdings <- c(
    stats::setNames(book$weights, book$security),
    if (book$cash != 0) c(cash = book$cash)
  )
  book$history <- c(history_of(book), carried_on)
  warn_ended(book$ended, book$name)
  say_neutral(book)
  book
}

# What was delivered, before what lies between prices was drawn.
priced_of <- function(book) book$priced %||% book$returns

# The benchmark, where it is one series of the table.
one_series <- function(benchmark, returns) {
  if (is.character(benchmark) && length(benchmark) == 1L &&
      benchmark %in% colnames(returns$values)) {
    benchmark
  }
}

# Given returns of unlike frequency: each is what was earned since the one before.
spanning_returns <- function(returns) {
  note("frequency", paste(
    "The returns are of several lengths: each is taken as what was earned since the one before",
    "of its security."
  ))
  prices <- as_if_prices(returns)
  as_returns(new_prices(prices$dates, prices$close, returns$origin), kind = returns$kind)
}

# What the amounts are that were given; NULL where their table says so itself.
kind_of_amounts <- function(weights, shares, values, holdings, trades) {
  given <- !vapply(list(weights, shares, values, holdings, trades), is.null, NA)
  if (sum(given) != 1L) {
    fail("argument", "Give `weights`, `shares`, `values`, `holdings` or `trades`, one of them.")
  }
  if (given[5L]) return("shares")
  if (!given[4L]) c("weight", "shares", "value")[given[1:3]]
}

# The first date of each holding itself, before anything stands in for it.
begins_of <- function(returns, securities) {
  priced <- returns$prices
  values <- if (is.null(priced)) returns$values else priced$close
  dates <- if (is.null(priced)) returns$dates else priced$dates
  stats::setNames(dates[core_span(values[, securities, drop = FALSE])$first], securities)
}

check_book_name <- function(name, securities) {
  if (!is.character(name) ||
      length(name) != 1L || is.na(name) || name %in% securities) {
    fail(
      "argument",
      "`name` must be a name that no security has.",
      where = sprintf("It is %s.", shown(name))
    )
  }
}

check_cash_return <- function(cash_return) {
  if (!is.numeric(cash_return) ||
      length(cash_return) != 1L || !is.finite(cash_return) || cash_return <= -1) {
    fail(
      "argument",
      "`cash_return` must be one yearly return, such as 0.02.",
      where = sprintf("It is %s.", shown(cash_return))
    )
  }
}

check_book_kind <- function(what, given, value) {
  if (given && what == "shares") {
    fail("argument", "Numbers of shares need prices; these are given returns.")
  }
  if (what != "weight" && !is.null(value)) {
    known <- if (what == "shares") "shares" else "values"
    fail("argument", sprintf("The value of %s is known: leave `value` out.", known))
  }
}

refuse_no_book <- function(x) {
  fail(
    "argument",
    "This is asked of a book.",
    where = sprintf("This is %s.", shown(x)),
    remedy = paste0(
      "Make one with as_portfolio(prices, weights = c(A = 0.6, B = 0.4)), or shares =, ",
      "values = or holdings =."
    )
  )
}

holdings_text <- function(book) {
  shares <- c(
    stats::setNames(book$weights, book$security),
    if (abs(book$cash) > 1e-12) c(cash = book$cash)
  )
  some(
    sprintf(
      "%s %s %%",
      names(shares),
      format(round(100 * shares, 2), trim = TRUE, drop0trailing = TRUE)
    ),
    12L
  )
}

# The weights that were given, which holdings of an earlier day no longer have today.
weights_then_text <- function(book) {
  held <- whole_weights(book$own, book$normalise)
  holdings_text(list(security = held$security, weights = held$amount, cash = held$cash))
}

shares_text <- function(book) {
  held <- c(
    sprintf(
      "%s %s",
      format(
        round(book$shares, 2L),
        big.mark = ",",
        trim = TRUE,
        drop0trailing = TRUE,
        scientific = FALSE
      ),
      book$security
    ),
    if (book$money != 0) sprintf("%s cash", format(book$money, big.mark = ",", trim = TRUE))
  )
  some(held, 12L)
}

#' @export
as.data.frame.imbroglio_book <- function(x, ...) {
  table <- data.frame(security = names(x$holdings), weight = unname(x$holdings))
  if (!is.null(x$value)) table$value <- table$weight * x$value
  table
}
