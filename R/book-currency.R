# The currencies of a book: of what is held, of the prices, of cash.

# The currency that prices count in where it is one for all: what they were converted to.
base_currency <- function(prices) if (!is.null(prices)) prices$converted$base

# Holdings of several currencies do not add; what is said of one twice must agree. Gives the
# holdings with values in the base, and the `base` itself, NULL where it is not known.
in_one_currency <- function(own, prices, name) {
  told <- own$currency
  converted <- prices$converted
  quoted <- if (is.null(converted)) {
    prices$about$currency[match(own$security, prices$about$security)]
  } else {
    unname(converted$currency[own$security])
  }
  if (is.null(quoted)) quoted <- rep(NA_character_, length(own$security))
  told <- told %||% rep(NA_character_, length(own$security))
  base <- converted$base
  of_value <- own$what == "value"
  differ <- which(!is.na(told) & !is.na(quoted) & told != quoted & !(of_value & told %in% base))
  if (length(differ) && !(is.null(base) && of_value)) {
    i <- differ[1L]
    fail(
      "currency",
      sprintf(
        "%s is in %s by the holdings, in %s by its prices.", own$security[i], told[i], quoted[i]
      ),
      remedy = "Correct one of them.",
      security = own$security[i]
    )
  }
  if (is.null(base)) {
    known <- unique(stats::na.omit(c(
      ifelse(is.na(told), quoted, told), quoted, names(own$foreign_cash), own$cash_currency
    )))
    if (length(known) > 1L) refuse_several_currencies(known, own, told, quoted)
    silent <- own$security[is.na(told) & is.na(quoted)]
    if (length(known) == 1L && length(silent)) {
      note("currency", sprintf(
        "%s %s no currency: taken as %s, like the others.", some(silent),
        if (length(silent) == 1L) "says" else "say", known
      ))
    }
    return(list(own = own, base = if (length(known) == 1L) known))
  }
  foreign <- of_value & !is.na(told) & told != base
  for (i in which(foreign)) {
    own$amount[i] <- own$amount[i] * last_rate(converted, told[i], own$security[i])
  }
  list(own = own, base = base)
}

refuse_several_currencies <- function(known, own, told, quoted) {
  of <- ifelse(is.na(told), quoted, told)
  each <- vapply(known, function(unit) {
    in_cash <- unit %in% c(names(own$foreign_cash), own$cash_currency)
    sprintf("%s: %s", unit, some(c(own$security[of %in% unit], if (in_cash) "cash"), 3L))
  }, "")
  fail(
    "currency",
    sprintf("The holdings are quoted in %s, which do not add.", some(known)),
    where = sprintf("%s.", paste(each, collapse = "; ")),
    remedy = "Convert them first: translate_prices(prices, rates, base)."
  )
}

# What a unit of a currency costs in the base on the last date.
last_rate <- function(converted, unit, what) {
  if (unit == converted$base) return(1)
  values <- if (unit %in% colnames(converted$rates$close)) converted$rates$close[, unit]
  values <- values[converted$rates$dates <= max(converted$dates)]
  values <- values[!is.na(values)]
  if (!length(values)) {
    fail(
      "currency", sprintf("There is no rate of %s, which %s is in.", unit, what),
      remedy = sprintf("A column of it, with what a unit costs in %s.", converted$base)
    )
  }
  unname(values[length(values)])
}

# Cash in another currency moves with its rate: a holding of its own, whose price is the rate.
with_foreign_cash <- function(returns, own) {
  foreign <- own$foreign_cash
  converted <- returns$prices$converted
  if (!length(foreign) || is.null(converted)) return(list(returns = returns, own = own))
  called <- sprintf("cash in %s", names(foreign))
  for (unit in names(foreign)) last_rate(converted, unit, "cash")
  on <- function(dates) {
    matrix(vapply(names(foreign), function(unit) {
      rate_on_dates(converted$rates, unit, dates, converted$carry)
    }, numeric(length(dates))), ncol = length(foreign), dimnames = list(NULL, called))
  }
  added <- new_prices(
    returns$prices$dates, on(returns$prices$dates), returns$prices$origin
  )
  own$amount <- c(own$amount, if (own$what == "value") {
    unname(foreign) * vapply(names(foreign), function(u) last_rate(converted, u, "cash"), 0)
  } else {
    unname(foreign)
  })
  own$security <- c(own$security, called)
  if (!is.null(own$currency)) own$currency <- c(own$currency, names(foreign))
  returns <- with_prices_of(returns, added)
  prices <- returns$prices
  made <- prices$converted
  made$currency[called] <- names(foreign)
  # Of the table as it was converted, of which this may be a part.
  rates <- on(made$dates)
  made$local <- cbind(made$local, rates * 0 + 1)
  made$rate <- cbind(made$rate, rates)
  prices$converted <- made
  list(returns = altered(returns, prices = prices), own = own)
}

# The currency of each holding of a file, by the names of the prices: for a conversion.
currency_of_holdings <- function(source, securities, decimal = NULL) {
  if (!is_table_of_holdings(source)) {
    return(list(held = intersect(names(source), securities)))
  }
  read <- suppressMessages(
    read_holdings(source, decimal = decimal, dated = TRUE), classes = "imbroglio_note"
  )
  at <- match(lower_case(names(read$amounts)), lower_case(securities))
  there <- !is.na(at)
  list(
    held = securities[at[there]],
    currency = if (!is.null(read$currency)) {
      stats::setNames(unname(read$currency)[there], securities[at[there]])
    }
  )
}

# Prices in the base, of what is needed: a security whose currency is not known, and that nobody
# asked for, is left out. `held`: what currency_of_holdings() gave.
prices_in_base <- function(prices, rates, base, named, carry, held, wanted) {
  told <- held$currency[!is.na(held$currency)]
  if (is.null(names(named)) && length(named) == 1L) told <- told[0L]
  both <- intersect(names(told), names(named))
  differ <- both[told[both] != named[both]]
  if (length(differ)) {
    fail("currency", sprintf(
      "%s is in %s by the holdings, and is said to be in %s.",
      differ[1L], told[[differ[1L]]], named[[differ[1L]]]
    ))
  }
  own <- prices$about$currency[match(names(told), prices$about$security)]
  differ <- which(!is.na(own) & own != told)
  if (length(differ)) {
    fail("currency", sprintf(
      "%s is in %s by the holdings, in %s by its prices.",
      names(told)[differ[1L]], told[[differ[1L]]], own[differ[1L]]
    ), remedy = "Correct one of them.")
  }
  currency <- c(named, told[setdiff(names(told), names(named))])
  if (!is.null(names(currency)) || is.null(currency)) {
    securities <- colnames(prices$close)
    known <- prices$about$currency[match(securities, prices$about$security)]
    unknown <- setdiff(
      if (is.null(known)) securities else securities[is.na(known)],
      c(names(currency), held$held, wanted)
    )
    if (length(unknown) && length(unknown) < length(securities) && length(c(held$held, wanted))) {
      note("currency", sprintf(
        "Left out, as it is not known which currency %s quoted in: %s.",
        if (length(unknown) == 1L) "it is" else "they are", some(unknown)
      ))
      prices <- prices[, setdiff(securities, unknown)]
    }
  }
  if (!length(currency)) currency <- NULL
  translate_prices(prices, rates, base, currency, carry)
}
