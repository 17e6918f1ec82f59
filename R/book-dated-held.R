# A book as it was held by dated holdings: its returns, its words, its parts.

# The returns of a book as it was held, on each of its days.
returns_dated <- function(book) {
  days <- days_by_shares(book)
  worth <- 100 * cumprod(c(1, 1 + returns_of_days(days)))
  if (book$given) {
    values <- `colnames<-`(core_returns(cbind(worth), book$returns$kind == "log"), book$name)
    return(new_returns(
      days$dates[-1L], values, book$returns$kind,
      frequencies_of(days$dates[-1L], values), start = as.Date(NA), prices = NULL,
      origin = book$returns$origin, digest = book_digest(book)
    ))
  }
  prices <- book$returns$prices
  parts <- if (book$parts) {
    rows <- match(as.numeric(days$dates), as.numeric(prices$dates))
    held_closes(prices$close[rows, book$security, drop = FALSE], book)
  }
  as_book_returns(
    book, days$dates, `colnames<-`(cbind(worth, parts), c(book$name, colnames(parts))),
    book$returns$stated
  )
}

# The text of a book as it was held: of which dates, and what came from outside.
dated_text <- function(book) {
  outside <- outside_words(days_by_shares(book))
  paste(c(
    unname(book$dated$said), if (length(outside)) sprintf("from outside %s", outside)
  ), collapse = "; ")
}

# The same holdings by date, or trades, on other returns.
dated_on <- function(book, returns) {
  rows <- book$dated$rows
  table <- data.frame(date = .Date(rows$day), security = rows$security)
  table[[book$dated$what]] <- rows$number
  if (!is.null(rows$price)) table$price <- rows$price
  of <- if (!is.null(book$dated$trades)) {
    "trades"
  } else {
    c(shares = "shares", value = "values", weight = "weights")[[book$dated$what]]
  }
  suppressMessages(do.call(as_portfolio, c(
    list(returns), stats::setNames(list(table), of),
    list(
      cash = book$dated$paid_from, cash_return = book$cash_return, held = book$held,
      name = book$name, between = book$between$way, benchmark = book$bridged_by,
      bridges = book$between$drawings %||% 1L, seed = book$seed, parts = book$parts
    )
  )), classes = c("imbroglio_note_dated", "imbroglio_note_lots"))
}

# What each holding added to each day's return, of a book as it was held.
parts_dated <- function(book) {
  days <- suppressMessages(days_by_shares(book), classes = "imbroglio_note")
  n <- length(days$dates)
  close <- days$close
  list(
    dates = days$dates[-1L],
    start = days$dates[1L],
    security = days$security,
    weight = days$weight[-n, , drop = FALSE],
    own = ifelse(close[-n, ] > 0, close[-1L, ] / close[-n, ] - 1, 0),
    part = days$part,
    whole = returns_of_days(days)
  )
}

# Rows up to the last price. A date soon after it, as of a weekend, is that of the last close, but
# not where the prices were cut there.
rows_until <- function(rows, returns) {
  dates <- (returns$prices %||% returns)$dates
  last <- as.numeric(dates[length(dates)])
  cut <- !is.null(returns$prices$ends_before)
  late <- rows$day > last + if (cut) 0 else 7
  if (all(late)) {
    fail(
      "weights", "The holdings are of dates after the last price.",
      where = sprintf("They begin on %s, the prices end on %s.", .Date(min(rows$day)), .Date(last))
    )
  }
  if (any(late) && !cut) {
    note("dated", sprintf(
      "%s of the holdings after the last price, of %s, and not used.",
      count(sum(late), "row is", "rows are"), .Date(last)
    ))
  }
  each <- lengths(rows) == length(rows$day) & names(rows) != "place"
  rows[each] <- lapply(rows[each], `[`, !late)
  rows
}

# What is held is in the currency of its prices, and cash in that of all: by date there is no rate.
refuse_unlike_money <- function(rows, held, prices, name) {
  is_cash <- !rows$security %in% held$security
  own <- rows$currency[match(held$security, rows$security)]
  counted <- in_one_currency(list(
    security = held$security, amount = held$table[nrow(held$table), ], what = "shares",
    currency = own,
    cash_currency = unique(stats::na.omit(rows$currency[is_cash]))
  ), prices, name)
  others <- setdiff(stats::na.omit(rows$currency[is_cash]), counted$base)
  foreign <- if (rows$what == "value" && !is.null(prices$converted)) {
    setdiff(stats::na.omit(rows$currency), counted$base)
  }
  told <- unique(data.frame(rows$security, rows$currency %||% rep(NA, length(rows$security))))
  if (length(others) || length(foreign) || anyDuplicated(told[[1L]])) {
    fail(
      "currency", sprintf("%s by date is in several currencies.", name),
      where = sprintf("It has %s.", some(unique(stats::na.omit(rows$currency)))),
      remedy = "Give its values and its cash in one currency, the base."
    )
  }
  if (!is.null(held$trades$price) && !is.null(prices$converted$rates)) {
    fail(
      "currency", "Prices of trades are in their own currency, those of the table converted.",
      remedy = "Leave the prices of the trades out: they then count at the close of their day."
    )
  }
}

# A price far from the close of its day is another split, unit or currency more often than a trade.
doubt_trade_prices <- function(trades, days) {
  if (is.null(trades$price)) return(invisible())
  row <- pmax(findInterval(trades$day, as.numeric(days$dates)), 1L)
  close <- days$close[cbind(row, match(trades$security, days$security))]
  off <- which(abs(log(trades$price / close)) > log(1.2))
  if (!length(off)) return(invisible())
  i <- off[1L]
  caution(
    "trade_price",
    sprintf(
      "%s at a price more than a fifth from the close: %s on %s at %s, the close is %s.",
      count(length(off), "trade is", "trades are"), trades$security[i], .Date(trades$day[i]),
      format(trades$price[i]), format(close[i])
    ),
    remedy = paste(
      "Prices that were adjusted, or another unit, make returns of trades that were not made:",
      "trade on prices as traded, or leave the prices of the trades out."
    )
  )
}

# A holding that is priced less often than the others stands at its last price between.
rare_words <- function(held, returns) {
  rare <- rarer_than_most(frequency_part(returns$frequency, held$security))
  if (any(rare)) sprintf("%s at the last price that was known", some(held$security[rare]))
}

say_dated <- function(name, held, days) {
  outside <- outside_words(days)
  owed <- !is.null(held$paid_from) & days$cash < 0
  note("dated", sprintf("%s is what was held on each date: %s.", name, paste(c(
    held$said, if (length(outside)) sprintf("from outside came %s", outside),
    if (any(owed)) sprintf(
      "cash is below 0 on %s, at the lowest %s", count(sum(owed), "date"),
      format(round(min(days$cash), 2L), big.mark = ",", nsmall = 2L)
    )
  ), collapse = "; ")))
}
