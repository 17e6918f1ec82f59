# A book that is nearly neutral: what it is worth is next to nothing beside what it holds, so that
# percentages of it have no meaning. It is measured in money.

nearly_neutral <- function(worth, whole) !(whole > 0.1 * sum(abs(worth)))

is_neutral <- function(book) !is.null(book$net)

refuse_neutral_weights <- function(weights, name) {
  fail(
    "weights",
    sprintf(
      "%s is nearly neutral: %s long, %s short of what it is worth.", name,
      percent_in_all(weights[weights > 0]), percent_in_all(weights[weights < 0])
    ),
    where = "Its percentages would be of next to nothing.",
    remedy = paste(
      "Give `shares` or `values`, which are measured in money; or the cash that stands behind it:",
      "percentages are of that too."
    )
  )
}

percent_in_all <- function(x) {
  sprintf("%s %%", format(round(100 * abs(sum(x))), big.mark = ",", scientific = FALSE))
}

long_and_short <- function(book) {
  amount <- function(x) {
    paste0(
      format(round(abs(sum(x)) * book$value), big.mark = ",", scientific = FALSE),
      if (!is.null(book$currency)) paste0(" ", book$currency)
    )
  }
  sprintf(
    "%s long, %s short", amount(book$weights[book$weights > 0]),
    amount(book$weights[book$weights < 0])
  )
}

say_neutral <- function(book) {
  if (!is_neutral(book)) return(invisible())
  note(
    "neutral",
    sprintf(
      paste(
        "%s is nearly neutral (%s, worth %s): it is measured in money; weights are of long and",
        "short together."
      ),
      book$name, long_and_short(book),
      format(round(book$net), big.mark = ",", scientific = FALSE)
    ),
    remedy = "With the cash that stands behind it percentages are of that."
  )
}

refuse_neutral <- function(book, why) {
  if (!inherits(book, "imbroglio_book") || !is_neutral(book)) return(invisible())
  fail(
    "neutral",
    sprintf("%s is nearly neutral (%s), and %s.", book$name, long_and_short(book), why),
    remedy = paste(
      "Return, volatility, drawdown, value at risk and its backtest are measured in money; or",
      "give the cash that stands behind it: percentages are of that too."
    )
  )
}

# Profits of what is held today, on past days; as held then, of the shares that are held.
profits_today <- function(book) {
  today <- sample_today(book)
  profits <- as.vector(today$r %*% today$weights) * book$value
  profits_of(book, today$dates, profits, today$rhythm)
}

profits_then <- function(book) {
  if (book$rebalance != "never" || is.null(book$shares)) {
    fail(
      "neutral",
      sprintf("%s is nearly neutral: it has no worth to be rebalanced by.", book$name),
      remedy = "Leave `rebalance` out."
    )
  }
  prices <- if (book$given) as_if_prices(book$returns) else book$returns$prices
  life <- life_together(prices, book$security, life_of(prices, book$security))
  close <- prices$close[life, book$security, drop = FALSE]
  for (j in seq_len(ncol(close))) close[, j] <- core_carry(close[, j, drop = FALSE], nrow(close))
  dates <- prices$dates[life]
  profits <- as.vector(diff(close) %*% book$shares)
  profits_of(book, dates[-1L], profits, rhythms_of(dates, close[, 1L, drop = FALSE]))
}

profits_of <- function(book, dates, profits, rhythm) {
  values <- matrix(profits, ncol = 1L, dimnames = list(NULL, book$name))
  made <- new_returns(
    dates, values, "profit", lapply(rhythm, function(x) stats::setNames(x[1L], book$name)),
    start = as.Date(NA), prices = NULL, origin = book$returns$origin, digest = book_digest(book)
  )
  made$universe <- c(book$returns$universe, book = book$name)
  made
}
