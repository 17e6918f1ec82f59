# Tables of holdings by date and of trades, as rows.

# Beside those of a date of prices.
holding_date_names <- c("holdingdate", "valuationdate", "reportdate", "asof", "asofdate")

# Holdings of several dates (`least`), or trades, as rows: the day, the security, the number, of
# trades the price; NULL where `source` is no such table.
dated_rows <- function(source, kind, decimal, trades = FALSE, least = 2L) {
  what <- if (trades) "the trades" else "the holdings"
  if (is.matrix(source) || stats::is.ts(source) || inherits(source, "zoo")) {
    source <- frame_of_series(source, NULL, what)
  }
  if (!trades && !is_table_of_holdings(source)) return(NULL)
  grid <- one_grid(source, what)
  headings <- plain_name(names(grid$columns))
  date <- match(TRUE, headings %in% c(date_names, holding_date_names))
  security <- security_at(grid)
  if (is.na(date)) {
    if (trades) refuse_without_column("The trades", "date", grid)
    return(NULL)
  }
  days <- column_days(grid$columns[[date]], NULL, names(grid$columns)[date], grid$origin)$days
  if (!trades && length(unique(stats::na.omit(days))) < least) return(NULL)
  refuse_undated(days, what, grid)
  rows <- if (trades || !is.na(security)) {
    listed_rows(grid, headings, security, kind, decimal, trades, what)
  } else {
    rows_of_wide(grid, date, kind, decimal)
  }
  told <- match(TRUE, headings %in% currency_names)
  if (!is.na(told) && !is.na(security)) {
    cells <- currency_codes(grid, names(grid$columns)[told])
    rows$currency <- cells$names[cells$code]
  }
  note_idle_columns(grid, c(date, security, rows$taken, told))
  c(list(day = days[rows$row], origin = grid$origin, what = rows$kind), rows[
    c("security", "number", "price", "currency")
  ])
}

note_idle_columns <- function(grid, taken) {
  idle <- names(grid$columns)[setdiff(seq_along(grid$columns), taken)]
  if (length(idle)) note_remarks(sprintf("not used: %s", some(idle, 6L)), grid$origin)
}

refuse_undated <- function(days, what, grid) {
  if (!anyNA(days)) return(invisible())
  fail("weights", sprintf("A row of %s has no date.", what),
       where = sprintf("%s.", sentence_case(grid$place(which(is.na(days))))))
}

refuse_without_column <- function(what, lacking, grid) {
  fail(
    "weights", sprintf("%s have no column %s.", what, some(lacking)),
    where = sprintf("They have %s.", some(names(grid$columns)))
  )
}

listed_rows <- function(grid, headings, security, kind, decimal, trades, what) {
  known <- numbers_at(grid, holding_columns)
  kind <- if (trades) "shares" else kind %||% names(known)[!is.na(known)][1L]
  lacking <- c(
    if (is.na(security)) "security",
    if (is.na(kind)) "shares, value or weight" else if (is.na(known[[kind]])) kind
  )
  if (length(lacking)) refuse_without_column(sentence_case(what), lacking, grid)
  price <- if (trades) numbers_at(grid, list(trade_price_names))
  taken <- c(known[[kind]], if (trades && !is.na(price)) price)
  columns <- names(grid$columns)[taken]
  read <- if_unclear(function(mark) grid_numbers(grid, columns, mark), decimal)$values
  name <- trimmed(as.character(names_as_text(grid, names(grid$columns)[security])))
  bad <- which(is.na(name) | !nzchar(name) | is.na(read[[1L]]))
  if (length(bad)) {
    fail(
      "weights", sprintf("A row of %s is a date, a security and a number.", what),
      where = sprintf("%s.", sentence_case(grid$place(bad)))
    )
  }
  number <- read[[1L]]
  side <- if (trades) match(TRUE, headings %in% heading_names$side) else NA
  if (!is.na(side)) number <- number * sides_of(grid, side, number)
  list(
    row = seq_along(name), security = name, number = number, kind = kind,
    price = if (length(read) > 1L) read[[2L]], taken = c(taken, if (!is.na(side)) side)
  )
}

# 1 of what was bought, -1 of what was sold, as a column says.
sides_of <- function(grid, at, number) {
  said <- plain_name(trimmed(as.character(names_as_text(grid, names(grid$columns)[at]))))
  bought <- said %in% heading_names$buy
  sold <- said %in% heading_names$sell
  bad <- which(!bought & !sold)
  if (length(bad)) {
    fail(
      "weights", sprintf("A trade is a buy or a sell, not \"%s\".", visible(said[bad[1L]])),
      where = sprintf("%s.", sentence_case(grid$place(bad)))
    )
  }
  if (any(number < 0)) {
    fail("weights", "Trades with a column of sides have numbers above 0.",
         where = sprintf("%s.", sentence_case(grid$place(which(number < 0)))))
  }
  ifelse(sold, -1, 1)
}

# A column for each security: an empty cell is none.
rows_of_wide <- function(grid, date, kind, decimal) {
  if (is.null(kind)) {
    fail(
      "weights", "A table with a column for each security does not say what its numbers are.",
      remedy = "Give it as `weights =`, `shares =` or `values =`."
    )
  }
  columns <- names(grid$columns)[-date]
  read <- if_unclear(function(mark) grid_numbers(grid, columns, mark), decimal)$values
  number <- unlist(read, use.names = FALSE)
  n <- length(read[[1L]])
  there <- which(!is.na(number))
  list(
    row = (there - 1L) %% n + 1L, security = rep(columns, each = n)[there],
    number = number[there], kind = kind, taken = seq_along(grid$columns)[-date]
  )
}
