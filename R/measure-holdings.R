# What a book holds today, as a table: how much of each, at which price, and what it weighs.

record_of_holdings <- function() {
  table_record(
    "What is held",
    columns = list(worth = column("worth", "money", detail = TRUE)),
    shares = c("security", "date", "shares", "price", "value", "weight"),
    parts = list(holdings = part(
      "book", 10, "book", "book", "table", runs = holdings_table, draws = NULL, says = FALSE
    ))
  )
}

# The heaviest first. Of returns that were given there is no price, of weights alone no value.
holdings_table <- function(book) {
  # What is held is the same in all drawings.
  if (is_drawn(book)) book <- drawing_of(book, 1L)
  holdings <- book$holdings
  prices <- priced_of(book)$prices
  row <- rep(NA_integer_, length(holdings))
  price <- rep(NA_real_, length(holdings))
  if (!is.null(prices)) {
    close <- prices$close[, book$security, drop = FALSE]
    held <- seq_along(book$security)
    row[held] <- core_span(close)$last
    price[held] <- close[cbind(row[held], held)]
  }
  worth <- book$value %||% NA_real_
  value <- unname(holdings) * worth
  shares <- rep(NA_real_, length(holdings))
  if (!is.null(book$shares)) {
    shares[seq_along(book$shares)] <- book$shares
    value <- shares * price
    value[is.na(value)] <- book$money
  }
  columns <- list(
    security = names(holdings),
    date = if (is.null(prices)) as.Date(rep(NA, length(holdings))) else prices$dates[row],
    shares = shares,
    price = price,
    value = value,
    weight = unname(holdings),
    worth = rep(worth, length(holdings))
  )
  heaviest <- order(-abs(holdings))
  today <- sample_today(book)
  source <- priced_of(book)
  source$today <- today
  new_result(lapply(columns, `[`, heaviest), "holdings", book_basis(today, character()), source)
}
