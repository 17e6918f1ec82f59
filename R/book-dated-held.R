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
