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
  profits_of(book, today$dates, profits, today$frequency)
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
  profits_of(book, dates[-1L], profits, frequencies_of(dates, close[, 1L, drop = FALSE]))
}

profits_of <- function(book, dates, profits, frequency) {
  values <- matrix(profits, ncol = 1L, dimnames = list(NULL, book$name))
  made <- new_returns(
    dates, values, "profit", lapply(frequency, function(x) stats::setNames(x[1L], book$name)),
    start = as.Date(NA), prices = NULL, origin = book$returns$origin, digest = book_digest(book)
  )
  made$universe <- c(book$returns$universe, book = book$name)
  made
}

# What is held short earns when its security falls: as a series of its own it is that.

short_name <- function(security) paste(security, "short")

names_of_parts <- function(book) {
  ifelse(book$weights < 0, short_name(book$security), book$security)
}

# A path from 100 that returns the opposite, each period anew; it ends where nothing is left.
short_path <- function(close) {
  there <- which(!is.na(close))
  if (length(there) < 2L) return(close)
  earned <- -diff(close[there]) / close[there][-length(there)]
  path <- 100 * cumprod(c(1, 1 + earned))
  ruined <- which(path <= 0)[1L]
  if (!is.na(ruined)) path[ruined:length(path)] <- NA_real_
  replace(close, there, path)
}

# Closes of the parts of a book, as they are held.
held_closes <- function(close, book) {
  for (j in which(book$weights < 0)) close[, j] <- short_path(close[, j])
  `colnames<-`(close, names_of_parts(book))
}

# One security of a table, as it is held: short.
held_short <- function(returns, security) {
  if (is.null(returns$prices)) {
    values <- returns$values
    values[, security] <- if (returns$kind == "log") {
      log1p(pmax(-expm1(values[, security]), -1))
    } else {
      -values[, security]
    }
    return(altered(returns, values = values))
  }
  close <- returns$prices$close
  close[, security] <- short_path(close[, security])
  as_returns(
    with_other_closes(returns$prices, close),
    kind = returns$kind, every = returns$stated,
    keep_unfinished = isTRUE(returns$keep_unfinished)
  )
}
