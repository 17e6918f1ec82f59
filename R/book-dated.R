# A book whose holdings are known by date: what was held at each close, from a table of holdings,
# or of trades.

#' Holdings and trades by date
#'
#' Where the holdings of [as_portfolio()] are of several dates, or are `trades`, what was held then
#' is what was held: each day has its own shares, and money that came from outside, or went there,
#' is no return.
#'
#' @section Holdings by date:
#' A table with a column of dates, one of securities and one of `shares`, `values` or `weights`; or
#' one with a column of dates and a column for each security (a data frame, a matrix, a `zoo` or a
#' `ts`), given as one of these three. On a date of it everything is listed: what is not is not
#' held from there. Shares stand until the next date, values and weights drift with the prices
#' from their date. Of shares and values
#' \deqn{r_t = \frac{\sum_i h_{i,t-1} (P_{i,t} - P_{i,t-1}) + c_{t-1}}{V_{t-1}}}{r_t =
#'   (sum(h_i,t-1 (P_i,t - P_i,t-1)) + c_t-1) / V_t-1}
#' with \eqn{h}{h} the shares at the close before, \eqn{c}{c} what cash earned and \eqn{V}{V} what
#' the book was worth: changes of the holdings are at the close of their date, and what cash does
#' not explain of them came from outside. A date between two dates of the prices is that of the
#' earlier.
#'
#' @section Trades:
#' A table with the columns date, security and shares (below 0 for a sale, or a column `side` of
#' buy and sell), and the price where it is known. What a trade made from its price to the close
#' is earned on its day, over the worth at the close before and what was put in on the day:
#' \deqn{r_t = \frac{\sum_i h_{i,t-1} (P_{i,t} - P_{i,t-1}) + c_{t-1}}{V_{t-1}} +
#'   \frac{\sum_k q_k (P_{k,t} - p_k)}{V_{t-1} + \max(F_t, 0)}}{r_t =
#'   (sum(h_i,t-1 (P_i,t - P_i,t-1)) + c_t-1) / V_t-1 + sum(q_k (P_k,t - p_k)) /
#'   (V_t-1 + max(F_t, 0))}
#' with \eqn{F}{F} the money that the trades took from outside. Without `cash` each trade is paid
#' from outside; with `cash`, the money there was at the start, trades are paid out of it.
#'
#' As held today, such a book is what is held at the last date. [split_return()] tells what each
#' holding added and what came from outside.
#'
#' @eval concepts_in_docs("dated")
#' @family what measures are of
#' @examples
#' prices <- read_prices(demo_file("bay.csv"))
#' trades <- data.frame(
#'   date = as.Date(c("2024-01-15", "2024-06-03", "2025-02-10")),
#'   security = c("OSSELL", "TARROW", "OSSELL"), shares = c(1000, 300, -400),
#'   price = c(58.1, 70.2, 61.5)
#' )
#' book <- as_portfolio(prices, trades = trades)
#' measure_return(book)
#' split_return(book, over = "year to date")
#' @name dated
NULL

# What was held, by date: `table` of dates by securities, and cash. `known`: the securities that
# there are.
dated_holdings <- function(rows, known) {
  is_cash <- lower_case(rows$security) == "cash" & !rows$security %in% known
  rows$security[!is_cash] <- known[held_among(rows$security[!is_cash], known)]
  told <- sort(unique(rows$day))
  security <- unique(rows$security[!is_cash])
  if (!length(security)) fail("weights", "There is no security among the holdings, only cash.")
  # Lots of one security on one date are one holding.
  lots <- duplicated(data.frame(rows$day, rows$security))
  if (any(lots)) say_lots(rows$security[lots])
  sums <- function(of, columns) {
    table <- matrix(0, length(told), length(columns), dimnames = list(NULL, columns))
    for (i in which(of)) {
      at <- cbind(match(rows$day[i], told), match(rows$security[i], columns))
      table[at] <- table[at] + rows$number[i]
    }
    table
  }
  rows$security[is_cash] <- "cash"
  list(
    what = rows$what, told = told, security = security, from = .Date(told[1L]),
    table = sums(!is_cash, security),
    cash = if (any(is_cash)) sums(is_cash, "cash")[, 1L],
    said = c("holdings by date" = sprintf(
      "%s%s, the first of %s", count(length(told), "date"), of_file(rows$origin),
      .Date(told[1L])
    )), rows = rows
  )
}

# Trades: what they add up to at the close of each of their dates.
dated_trades <- function(rows, known, cash) {
  rows$security <- known[held_among(rows$security, known)]
  in_order <- order(rows$day)
  rows[c("day", "security", "number", "price")] <- lapply(
    rows[c("day", "security", "number", "price")], function(x) x[in_order]
  )
  told <- unique(rows$day)
  security <- unique(rows$security)
  done <- matrix(0, length(told), length(security), dimnames = list(NULL, security))
  for (i in seq_along(rows$day)) {
    at <- cbind(match(rows$day[i], told), match(rows$security[i], security))
    done[at] <- done[at] + rows$number[i]
  }
  list(
    what = "shares", told = told, security = security, from = .Date(told[1L]),
    table = matrix(apply(done, 2L, cumsum), length(told), dimnames = dimnames(done)),
    trades = list(
      day = rows$day, security = rows$security, number = rows$number, price = rows$price
    ),
    paid_from = cash,
    said = c("trades" = sprintf(
      "%s%s, the first of %s", count(length(rows$day), "trade"), of_file(rows$origin),
      .Date(told[1L])
    )), rows = rows
  )
}

of_file <- function(origin) if (startsWith(origin, "file ")) paste(" of", origin) else ""

say_lots <- function(securities) {
  securities <- unique(securities)
  note("lots", sprintf(
    "%s in several lots, which were added up.",
    paste(some(securities), if (length(securities) == 1L) "is held" else "are held")
  ))
}

# On these dates of the prices, at which row each date of the holdings counts: one between two
# dates at the earlier.
rows_told <- function(held, dates) pmax(findInterval(held$told, as.numeric(dates)), 1L)

# The shares and the cash at each close.
held_at_closes <- function(held, dates, close, growth) {
  n <- length(dates)
  at <- rows_told(held, dates)
  of <- findInterval(seq_len(n), at)
  here <- of > 0L
  shares <- matrix(0, n, ncol(close))
  cash <- numeric(n)
  if (held$what == "weight") return(drifting(held, at, close, growth))
  table <- held$table
  if (held$what == "value") {
    priced <- close[at, , drop = FALSE]
    table <- ifelse(table == 0, 0, table / priced)
    if (anyNA(table)) refuse_unpriced(held, which(is.na(table), arr.ind = TRUE)[1L, ])
  }
  shares[here, ] <- table[of[here], , drop = FALSE]
  if (!is.null(held$cash)) cash[here] <- held$cash[of[here]]
  list(shares = shares, cash = cash)
}

refuse_unpriced <- function(held, at) {
  fail("weights", sprintf(
    "%s has no price yet on %s.", held$security[at[2L]], .Date(held$told[at[1L]])
  ))
}

# Weights that are set on their dates and drift between, of a book that begins with 100.
drifting <- function(held, at, close, growth) {
  n <- nrow(close)
  shares <- matrix(0, n, ncol(close))
  cash <- numeric(n)
  worth <- 100
  set <- which(!duplicated(at, fromLast = TRUE))
  for (k in seq_along(set)) {
    row <- at[set[k]]
    last <- if (k < length(set)) at[set[k + 1L]] else n
    weight <- held$table[set[k], ]
    unpriced <- which(weight != 0 & is.na(close[row, ]))
    if (length(unpriced)) refuse_unpriced(held, c(set[k], unpriced[1L]))
    own <- ifelse(weight == 0, 0, weight * worth / close[row, ])
    money <- worth * (1 - sum(weight)) * (1 + growth)^(seq.int(row, last) - row)
    span <- row:last
    shares[span, ] <- rep(own, each = length(span))
    cash[span] <- money
    standing <- close[last, ]
    worth <- sum(ifelse(own == 0, 0, own * standing)) + money[length(money)]
  }
  list(shares = shares, cash = cash)
}

# What trades made from their price to the close of their day, by row and security; what each
# day's cost, and what was put in at prices that are known.
made_by_trades <- function(trades, security, dates, close) {
  made <- matrix(0, length(dates), length(security))
  cost <- put <- numeric(length(dates))
  row <- pmax(findInterval(trades$day, as.numeric(dates)), 1L)
  column <- match(trades$security, security)
  for (i in seq_along(row)) {
    price <- trades$price[i]
    told <- !is.null(price) && !is.na(price)
    if (!told) price <- close[row[i], column[i]]
    made[row[i], column[i]] <- made[row[i], column[i]] +
      trades$number[i] * (close[row[i], column[i]] - price)
    cost[row[i]] <- cost[row[i]] + trades$number[i] * price
    if (told) put[row[i]] <- put[row[i]] + trades$number[i] * price
  }
  list(made = made, cost = cost, put = put)
}

# Weights of each date add up to 1, or cash makes up the rest.
whole_by_date <- function(held, cash, normalise) {
  own_cash <- held$cash %||% (if (is.numeric(cash)) rep(cash, length(held$told)))
  total <- rowSums(held$table) + (own_cash %||% 0)
  off <- which(abs(total - 1) > 1e-6)
  if (length(off) && normalise && all(total > 0)) {
    held$table <- held$table / total
  } else if (length(off) && !identical(cash, "rest")) {
    fail(
      "weights",
      sprintf("The weights of %s add up to %s, not to 1.", .Date(held$told[off[1L]]),
              format(round(total[off[1L]], 6L))),
      where = if (length(off) > 1L) sprintf("So do those of %s.", count(length(off) - 1L,
                                                                        "more date")),
      remedy = paste(
        "normalise = TRUE divides them by their sum; cash = \"rest\" makes up the difference."
      )
    )
  }
  held
}

# A book of these rows: what is held at the last date, and what was held at each.
dated_book <- function(x, rows, of_trades, given) {
  unlike <- c(
    rebalance = length(given$rebalance) == 1L && given$rebalance != "never",
    stand_ins = !is.null(given$stand_ins), carried = !is.null(given$carried)
  )
  if (any(unlike)) {
    fail("argument", sprintf(
      "A book of dated holdings or trades takes no `%s`.", names(unlike)[unlike][1L]
    ), remedy = paste(
      "What is held on each date is told; what has no price on a day counts at its last."
    ))
  }
  if (is_opened(x)) x <- whole_table(x[, intersect(colnames(x), rows$security)])
  returns <- take_returns(x)
  known <- colnames(returns$values)
  check_book_kind(rows$what, is.null(returns$prices), given$value)
  cash <- given$cash
  if (rows$what != "weight" && !is.null(cash) && !is.numeric(cash)) {
    fail("weights", "`cash` beside shares, values and trades is an amount of money.")
  }
  all_rows <- rows
  rows <- rows_until(rows, returns)
  held <- if (of_trades) dated_trades(rows, known, cash) else dated_holdings(rows, known)
  if (rows$what == "weight") {
    held <- whole_by_date(held, cash, given$normalise)
  } else if (!of_trades && is.null(held$cash) && !is.null(cash)) {
    held$cash <- rep(cash, length(held$told))
  }
  refuse_unlike_money(rows, held, returns$prices, given$name)
  check_cash_return(given$cash_return)
  days <- days_by_shares(list(
    returns = returns, cash_return = given$cash_return, given = is.null(returns$prices)
  ), held)
  returns_of_days(days)
  kind <- if (rows$what == "weight") "weight" else "shares"
  today <- held_at_last(days, kind, given$name)
  amounts <- stats::setNames(list(today$amounts), if (kind == "weight") "weights" else "shares")
  book <- do.call(as_portfolio, c(
    list(returns), amounts, list(cash = today$cash),
    given[c("value", "cash_return", "held", "parts", "between", "benchmark", "bridges", "seed",
            "name")]
  ))
  held$rows <- all_rows
  held$said[] <- paste(c(held$said, rare_words(held, returns)), collapse = "; ")
  book$dated <- held
  doubt_trade_prices(held$trades, days)
  say_dated(given$name, held, days)
  book
}
