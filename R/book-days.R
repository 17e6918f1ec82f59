# Each day of a book by its shares: what each holding made in money.

# `held`: what was held by date, where that is known; else the book's shares on every day.
days_by_shares <- function(book, held = book$dated) {
  prices <- if (book$given) as_if_prices(book$returns) else book$returns$prices
  security <- held$security %||% book$security
  rows <- rows_alive(prices, security, book, held)
  dates <- prices$dates[rows]
  close <- carried_to(prices$close[, security, drop = FALSE], rows)
  n <- length(dates)
  growth <- (1 + book$cash_return)^(1 / frequencies_of(dates, matrix(1, n, 1L))$per_year[[1L]]) - 1
  at_close <- if (is.null(held)) {
    list(
      shares = matrix(book$shares, n, length(security), byrow = TRUE),
      cash = book$money * (1 + growth)^(seq_len(n) - 1L)
    )
  } else {
    held_at_closes(held, dates, close, growth)
  }
  shares <- at_close$shares
  # What was not held yet need have no price.
  unpriced <- which(shares != 0 & is.na(close), arr.ind = TRUE)
  if (nrow(unpriced)) {
    fail("weights", sprintf(
      "%s has no price yet on %s.", security[unpriced[1L, 2L]], dates[unpriced[1L, 1L]]
    ))
  }
  close[is.na(close)] <- 0
  traded <- if (!is.null(held$trades)) made_by_trades(held$trades, security, dates, close)
  cash <- at_close$cash
  if (!is.null(held$paid_from)) {
    for (i in seq_len(n)) {
      before <- if (i == 1L) held$paid_from else cash[i - 1L] * (1 + growth)
      cash[i] <- before - traded$cost[i]
    }
  }
  before <- shares[-n, , drop = FALSE]
  made <- before * diff(close)
  worth <- rowSums(shares * close) + cash
  cash_made <- cash[-n] * growth
  over <- function(money, base) replace(money / base, rep_len(base <= 0, length(money)), 0)
  part <- over(made, worth[-n])
  if (!is.null(traded)) {
    # What was put in on a day earns on it, from its price.
    put <- if (is.null(held$paid_from)) pmax(traded$put[-1L], 0) else 0
    part <- part + over(traded$made[-1L, , drop = FALSE], worth[-n] + put)
    made <- made + traded$made[-1L, , drop = FALSE]
  }
  flow <- if (!is.null(held)) c(0, diff(worth) - rowSums(made) - cash_made)
  list(
    dates = dates, security = security, made = made, cash_made = cash_made,
    rate_made = rates_made(prices, security, rows, before), worth = worth,
    # Of each day's return, where holdings are known by date.
    part = if (!is.null(held)) part, cash_part = if (!is.null(held)) over(cash_made, worth[-n]),
    weight = shares * close / worth, cash = cash, close = close, shares = shares,
    in_money = is.null(held) || held$what != "weight", said = held$said,
    # What came from outside at each close: what cash and trades do not explain.
    flow = flow
  )
}

# From the first date on which all have a price to the last that is known.
rows_alive <- function(prices, security, book, held) {
  close <- prices$close[, security, drop = FALSE]
  span <- core_span(close)
  end <- if (is.null(book$ended)) {
    nrow(close)
  } else {
    match(as.numeric(book$ended$last[1L]), as.numeric(prices$dates))
  }
  start <- if (is.null(held)) max(span$first) else min(span$first)
  if (!is.null(held)) {
    first <- findInterval(as.numeric(held$from), as.numeric(prices$dates))
    # What a first trade made on its own day is of the day that begins with the close before; of
    # one without a price nothing is known of that day.
    on_first <- held$trades$day == min(held$trades$day, Inf)
    start <- max(start, first - any(!is.na(held$trades$price[on_first])))
  }
  rows <- start:end
  if (length(rows) < 2L) {
    fail("too_short", "The book has fewer than two dates.",
         where = sprintf("It begins on %s.", prices$dates[start]))
  }
  rows[rowSums(!is.na(close[rows, , drop = FALSE])) > 0L | rows == start]
}

carried_to <- function(close, rows) {
  for (j in seq_len(ncol(close))) {
    close[, j] <- core_carry(close[, j, drop = FALSE], nrow(close))
  }
  close[rows, , drop = FALSE]
}

# Of converted prices what the rate made: the new price in its own currency times its change.
rates_made <- function(prices, security, rows, before) {
  made <- prices$converted
  if (is.null(made$rates) || !all(security %in% colnames(made$local))) return(NULL)
  at <- match(as.numeric(prices$dates), as.numeric(made$dates))
  own <- function(x) {
    x <- x[at, security, drop = FALSE]
    x[is.na(prices$close[, security, drop = FALSE])] <- NA
    carried_to(x, rows)
  }
  local <- own(made$local)
  moved <- before * local[-1L, , drop = FALSE] * diff(own(made$rate))
  moved[is.na(moved)] <- 0
  moved
}

# What a book of dated holdings returned on each day; nothing where nothing was held.
returns_of_days <- function(days) {
  r <- rowSums(days$part) + days$cash_part
  lost <- days$worth < 0 | c(FALSE, r <= -1)
  if (any(lost)) {
    fail("ruin", "The value of the book falls to zero or below.",
         where = sprintf("On %s.", days$dates[which(lost)[1L]]))
  }
  r
}

# What came from outside, in words; nothing where nothing did.
outside_words <- function(days) {
  if (is.null(days$flow) || !days$in_money) return(NULL)
  there <- abs(days$flow) > 1e-9 * max(abs(days$worth))
  if (!any(there)) return(NULL)
  c("from outside" = sprintf(
    "%s on %s, which is no return",
    format(round(sum(days$flow), 2L), big.mark = ",", nsmall = 2L, scientific = FALSE),
    count(sum(there), "date")
  ))
}

# What is held at the last close of a book of dated holdings, as amounts by name.
held_at_last <- function(days, kind, name) {
  n <- length(days$dates)
  amounts <- stats::setNames(
    if (kind == "weight") days$weight[n, ] else days$shares[n, ], days$security
  )
  amounts <- amounts[abs(amounts) > 1e-12 * max(abs(amounts), 1e-300)]
  if (!length(amounts)) {
    fail("weights", sprintf("%s holds nothing on %s, its last date.", name, days$dates[n]),
         remedy = "End the prices while something was held.")
  }
  cash <- if (kind == "weight") 1 - sum(amounts) else days$cash[n]
  list(amounts = amounts, cash = if (abs(cash) > 1e-12) cash)
}
