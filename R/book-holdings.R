# The holdings of a book: what is held, at which prices, and what stands in for what has none.

# What is held, from a vector, a table or a file: names, amounts, what they are, and cash.
holdings_of <- function(x, what, securities, cash, decimal = NULL, base = NULL) {
  given <- amounts_given(x, what, decimal)
  parted <- cash_apart(given$amounts, given$currency, securities, base)
  amounts <- parted$amounts
  # Lots of one security are one holding.
  twice <- names(amounts)[duplicated(names(amounts))]
  if (length(twice)) {
    say_lots(twice)
    parted$currency <- currency_of_lots(names(amounts), parted$currency)
    amounts <- tapply(amounts, factor(names(amounts), unique(names(amounts))), sum)
    amounts <- stats::setNames(as.vector(amounts), names(amounts))
  }
  if (!is.null(parted$cash) && !is.null(cash)) {
    fail("weights", "Cash stands in the holdings and in `cash`.")
  }
  cash <- cash_amount(parted$cash %||% cash, given$what, amounts)
  if (!length(amounts)) fail("weights", "There is no security among the holdings, only cash.")
  list(
    security = securities[held_among(names(amounts), securities)],
    amount = as.numeric(amounts),
    cash = cash,
    what = given$what,
    date = given$date,
    currency = parted$currency,
    cash_currency = parted$cash_currency,
    foreign_cash = parted$foreign
  )
}

# Where each holding stands among the securities with prices. Who has none is told beside whose
# prices nobody takes: the two are often the same by other names.
held_among <- function(held, priced) {
  lacking <- setdiff(held, priced)
  if (length(lacking)) {
    free <- setdiff(priced, held)
    fail(
      "security",
      sprintf(
        "%s of %s %s no prices: %s.", count(length(lacking)),
        count(length(unique(held)), "holding"), if (length(lacking) == 1L) "has" else "have",
        some(lacking, 20L)
      ),
      where = if (length(free)) sprintf("Prices that no holding takes: %s.", some(free, 20L)),
      remedy = did_you_mean(lacking, free) %||%
        "Name all files that hold their prices, or take them out of the holdings."
    )
  }
  match(held, priced)
}

# Amounts by name, as they were given or as a table or a file of holdings says.
amounts_given <- function(x, what, decimal) {
  if (is_table_of_holdings(x)) {
    given <- read_holdings(x, what, decimal)
    given$currency <- unname(given$currency)
  } else {
    given <- list(amounts = x, what = what)
  }
  if (is.null(given$what)) {
    fail("argument", paste(
      "`holdings` is a table or a file; amounts by name are `weights`, `shares` or `values`."
    ))
  }
  x <- given$amounts
  if (!is.numeric(x) || is.null(names(x)) || !length(x) || any(!is.finite(x))) {
    fail(
      "weights",
      "Holdings are a number for each security, by its name.",
      remedy = "Such as c(A = 0.6, B = 0.4), or a table with the columns security and weight."
    )
  }
  given
}

currency_of_lots <- function(securities, currency) {
  if (is.null(currency)) return(NULL)
  own <- lapply(split(currency, factor(securities, unique(securities))), function(x) {
    unique(stats::na.omit(x))
  })
  several <- names(own)[lengths(own) > 1L]
  if (length(several)) {
    fail("currency", sprintf("Lots of %s are in several currencies.", some(several)),
         where = sprintf("They are in %s.", some(own[[several[1L]]])))
  }
  vapply(own, function(x) if (length(x)) x else NA_character_, "", USE.NAMES = FALSE)
}

# Cash as a number; "rest" of weights is what is left of 1.
cash_amount <- function(cash, what, amounts) {
  if (identical(cash, "rest")) cash <- if (what == "weight") 1 - sum(amounts) else 0
  cash <- cash %||% 0
  if (!is.numeric(cash) || length(cash) != 1L || !is.finite(cash)) {
    fail(
      "weights", "`cash` must be one number, or \"rest\".",
      where = sprintf("It is %s.", shown(cash))
    )
  }
  cash
}

# Cash apart from securities: that of the base is one sum, of several accounts; that which says
# another currency, than the base or than what else is held, is summed by it.
cash_apart <- function(x, currency, securities, base) {
  is_cash <- lower_case(names(x)) == "cash" & !names(x) %in% securities
  if (is.null(base)) {
    others <- unique(stats::na.omit(currency[!is_cash]))
    base <- if (length(others) == 1L) others else NA_character_
  }
  foreign <- if (is.null(currency)) {
    logical(length(x))
  } else {
    is_cash & !is.na(currency) & !is.na(base) & currency != base
  }
  own_cash <- is_cash & !foreign
  list(
    amounts = x[!is_cash],
    currency = if (!is.null(currency)) currency[!is_cash],
    cash = if (any(own_cash)) sum(x[own_cash]),
    cash_currency = unique(stats::na.omit(currency[own_cash])),
    foreign = if (any(foreign)) tapply(unname(x[foreign]), currency[foreign], sum)
  )
}

# The weights of today, and what the whole is worth where that is known; of shares and values also
# how many shares.
held_today <- function(own, prices, normalise, name) {
  close <- prices$close[, own$security, drop = FALSE]
  last <- close[cbind(core_span(close)$last, seq_along(own$security))]
  # Values and weights of an earlier day are moved with the prices to the last.
  grown <- rep(1, length(last))
  if (!is.null(own$date) && own$what != "shares") {
    grown <- last / close_on(close, prices$dates, own$date, own$security)
  }
  if (own$what == "weight") {
    held <- whole_weights(own, normalise)
    worth <- held$amount * grown
    whole <- sum(worth) + held$cash
    if (!(whole > 0)) fail("ruin", sprintf("The value of %s falls to zero or below.", name))
    if (nearly_neutral(worth, whole)) refuse_neutral_weights(worth / whole, name)
    return(list(weights = worth / whole, cash = held$cash / whole))
  }
  worth <- own$amount * if (own$what == "shares") last else grown
  whole <- sum(worth) + own$cash
  if (!is.finite(whole)) {
    fail(
      "weights",
      "The holdings are worth more than a number can hold.",
      where = sprintf("%s are held.", some(own$amount))
    )
  }
  if (nearly_neutral(worth, whole)) {
    gross <- sum(abs(worth))
    if (!(gross > 0)) fail("ruin", sprintf("The holdings are worth %s.", format(whole)))
    return(list(
      weights = worth / gross, cash = own$cash / gross, value = gross, shares = worth / last,
      money = own$cash, net = whole
    ))
  }
  list(
    weights = worth / whole,
    cash = own$cash / whole,
    value = whole,
    shares = worth / last,
    money = own$cash
  )
}

close_on <- function(close, dates, date, securities) {
  row <- findInterval(as.numeric(date), as.numeric(dates))
  if (!row || date > dates[length(dates)] + 7) {
    fail(
      "weights",
      sprintf(
        "The holdings are of %s, the prices run from %s to %s.",
        date,
        dates[1L],
        dates[length(dates)]
      )
    )
  }
  carried <- core_carry(close[seq_len(row), , drop = FALSE], row)[row, ]
  if (anyNA(carried)) {
    fail(
      "weights",
      sprintf(
        "%s has no price yet on %s, of which the holdings are.",
        some(securities[is.na(carried)]),
        date
      )
    )
  }
  carried
}

whole_weights <- function(held, normalise) {
  total <- sum(held$amount) + held$cash
  if (!is.finite(total)) fail("weights", "The weights add up to more than a number can hold.")
  if (abs(total - 1) <= 1e-6) return(held)
  if (!normalise || total <= 0) {
    fail(
      "weights",
      sprintf("The weights add up to %s, not to 1.", format(round(total, 6))),
      remedy = paste(
        paste0(
          "normalise = TRUE divides them by their sum; cash = \"rest\" makes up the ",
          "difference."
        ),
        if (abs(total - 100) < 0.5) "If they are percentages, write them with a %."
      )
    )
  }
  held$amount <- held$amount / total
  held$cash <- held$cash / total
  held
}

# `ended`: the holdings that have stopped; one that is only priced less often than the others has
# not.
with_stand_ins <- function(returns, stand_ins, securities, ended) {
  if (is.null(stand_ins)) return(returns)
  if (!is.character(stand_ins) || is.null(names(stand_ins))) {
    fail(
      "argument",
      paste0(
        "`stand_ins` are names of series by the holdings they stand in for, such as ",
        "c(NEWCO = \"INDEX\")."
      ),
      where = sprintf("They are %s.", shown(stand_ins))
    )
  }
  columns <- colnames(returns$values)
  pick_securities(stand_ins, columns)
  other <- setdiff(names(stand_ins), securities)
  if (length(other)) fail("argument", sprintf("%s is no holding of the book.", some(other)))
  if (is.null(returns$prices)) {
    values <- returns$values
    for (holding in names(stand_ins)) {
      span <- core_span(values[, holding, drop = FALSE])
      outside <- c(
        seq_len(span$first - 1L),
        if (holding %in% ended) seq_len(nrow(values))[-seq_len(span$last)]
      )
      values[outside, holding] <- values[outside, stand_ins[[holding]]]
    }
    return(altered(returns, values = values))
  }
  as_returns(
    with_other_closes(returns$prices, closes_stood_in(returns$prices, stand_ins, ended)),
    kind = returns$kind,
    every = returns$stated,
    keep_unfinished = isTRUE(returns$keep_unfinished)
  )
}

closes_stood_in <- function(prices, stand_ins, ended) {
  close <- prices$close
  for (holding in names(stand_ins)) {
    span <- core_span(close[, holding, drop = FALSE])
    series <- close[, stand_ins[[holding]]]
    sides <- list(
      first = list(at = span$first, rows = seq_len(span$first - 1L)),
      last = list(
        at = span$last, rows = if (holding %in% ended) seq_len(nrow(close))[-seq_len(span$last)]
      )
    )
    for (side in names(sides)) {
      at <- sides[[side]]$at
      rows <- sides[[side]]$rows
      if (!length(rows)) next
      if (is.na(series[at])) {
        fail(
          "argument",
          sprintf(
            "%s has no price on %s, the %s date of %s, to stand in from.",
            stand_ins[[holding]], prices$dates[at], side, holding
          )
        )
      }
      close[rows, holding] <- close[at, holding] * series[rows] / series[at]
    }
  }
  close
}
