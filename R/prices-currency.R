#' Prices in one currency, or in the money of one day
#'
#' `translate_prices()` gives the prices of securities that are quoted in several currencies in one
#' of them: \eqn{P_t e_t}{P_t e_t}, with \eqn{e_t}{e_t} what a unit of the security's currency
#' costs on that date in the `base`. Returns of them are those of an investor who counts in the
#' base, \eqn{(1 + r)(1 + r_e) - 1}{(1 + r)(1 + r_e) - 1}; of log returns the two add. A book of
#' them is a book across currencies; one whose holdings are in several is refused before.
#'
#' `deflate_prices()` divides all prices by an index (of consumer prices, of cash), and so gives
#' them in the money of its last date: \eqn{P_t I_T / I_t}{P_t I_T / I_t}.
#'
#' A rate that is missing is never 1: the price of that date is missing too, which is noted with
#' its number, and the next return spans the gap. `carry` says for how many dates of the prices the
#' last rate may stand in. Open, high and low are converted by the rate of the close.
#'
#' @param prices A price table, or what [as_prices()] takes.
#' @param rates A price table, or a file: a column for each foreign currency, by its name, with
#'   what a unit of it costs in the base. `NULL` where all are quoted in the base.
#' @param base The currency to count in, by its name.
#' @param currency `NULL`: as the prices say (from a table of securities, [read_securities()]); or
#'   the currency of all, or a vector by security, which goes before what the prices say.
#' @param carry For how many dates a rate may be carried on.
#' @param index Of `deflate_prices()`: a price table, or a file, of one series.
#' @return A price table. The basis of what is measured on it says what was converted, and over
#'   how many dates a rate was carried on.
#' @section Errors: `imbroglio_error_currency` for a security whose currency is not known, or a
#'   currency without rates. Rates are prices: above 0.
#' @eval concepts_in_docs("translate_prices")
#' @family ways to put prices right
#' @examples
#' prices <- read_prices(demo_file("bay.csv"))
#' rates <- read_prices(demo_file("bay-rates.csv.gz"))
#' abroad <- translate_prices(
#'   prices[, c("TARROW", "BAYMETAL")], rates,
#'   base = "HBC", currency = c(TARROW = "HBC", BAYMETAL = "TMC")
#' )
#' measure_volatility(abroad)
#' @export
translate_prices <- function(prices, rates = NULL, base, currency = NULL, carry = 0L) {
  prices <- as_prices(prices)
  carry <- check_whole(carry, "carry", least = 0L)
  if (!is.character(base) || length(base) != 1L || is.na(base)) {
    fail("argument", "`base` must be the name of one currency.", where = sprintf(
      "It is %s.", shown(base)
    ))
  }
  known <- currencies_of(prices, currency)
  foreign <- setdiff(unique(known), base)
  if (is.null(rates) && length(foreign)) {
    fail(
      "currency",
      sprintf(
        "%s: quoted in %s, which takes rates.", some(names(known)[known != base]), some(foreign)
      ),
      remedy = sprintf("Give `rates`: a column of each, what a unit of it costs in %s.", base)
    )
  }
  rates <- if (is.null(rates)) {
    new_prices(prices$dates, matrix(0, length(prices$dates), 0L), "no rates")
  } else {
    rates_table(rates, "the rates")
  }
  lacking <- setdiff(foreign, colnames(rates))
  if (length(lacking)) {
    fail(
      "currency",
      sprintf("There is no rate of %s.", some(lacking)),
      where = sprintf("There are rates of %s.", some(colnames(rates))),
      remedy = sprintf("A column of each, with what a unit of it costs in %s.", base)
    )
  }
  rate <- matrix(1, length(prices$dates), ncol(prices$close), dimnames = dimnames(prices$close))
  carried <- list()
  for (unit in foreign) {
    own <- names(known)[known == unit]
    on_dates <- rate_on_dates(rates, unit, prices$dates, carry)
    rate[, own] <- on_dates
    used <- rowSums(!is.na(prices$close[, own, drop = FALSE])) > 0L
    told <- rate_on_dates(rates, unit, prices$dates, 0L)
    carried[[unit]] <- sum(used & !is.na(on_dates) & is.na(told))
  }
  rate[is.na(prices$close)] <- NA
  say_missing_rates(prices, rate, known)
  say_carried_rates(unlist(carried))
  made <- rated(prices, rate, NULL, sprintf("in %s", base))
  about <- prices$about %||% data.frame(security = colnames(prices$close))
  about$currency <- base
  made$about <- about
  made$converted <- list(
    dates = prices$dates, local = prices$close, rate = rate, currency = known, base = base,
    carried = unlist(carried), carry = carry, rates = rates
  )
  made
}

# What the basis says of a conversion: from what, and how many rates were carried on.
conversion_words <- function(prices, securities) {
  made <- prices$converted
  if (is.null(made)) return(NULL)
  if (is.null(made$rates)) return(c("in the money of" = made$base))
  own <- made$currency[intersect(securities, names(made$currency))]
  own <- own[own != made$base]
  each <- vapply(unique(own), function(unit) {
    n <- made$carried[[unit]] %||% 0L
    sprintf(
      "%s from %s%s", some(names(own)[own == unit], 3L), unit,
      if (n > 0L) sprintf(", its rate carried over %s", count(n, "date")) else ""
    )
  }, "")
  c(currency = paste0(made$base, if (length(each)) paste0(": ", paste(each, collapse = "; "))))
}

say_carried_rates <- function(carried) {
  some_carried <- carried[carried > 0L]
  if (!length(some_carried)) return(invisible())
  note("rates", sprintf(
    "The last rate stands in on %s.",
    some(sprintf("%s of %s", count(some_carried, "date"), names(some_carried)))
  ))
}

#' @rdname translate_prices
#' @export
deflate_prices <- function(prices, index, carry = 0L) {
  prices <- as_prices(prices)
  carry <- check_whole(carry, "carry", least = 0L)
  index <- rates_table(index, "the index")
  if (ncol(index) != 1L) {
    fail("argument", "`index` must be one series.", where = sprintf(
      "It has %s.", some(colnames(index))
    ))
  }
  name <- colnames(index)
  level <- rate_on_dates(index, name, prices$dates, carry)
  last <- level[!is.na(level)]
  if (!length(last)) fail("currency", sprintf("%s has no value on a date of the prices.", name))
  rate <- matrix(
    last[length(last)] / level, length(prices$dates), ncol(prices$close),
    dimnames = dimnames(prices$close)
  )
  rate[is.na(prices$close)] <- NA
  say_missing_rates(prices, rate, stats::setNames(rep(name, ncol(rate)), colnames(rate)))
  day <- max(prices$dates[!is.na(level)])
  told <- sprintf("in the money of %s, by %s", day, name)
  made <- rated(prices, rate, told, told)
  made$about <- prices$about
  made$converted <- list(
    dates = prices$dates, local = prices$close, rate = rate,
    currency = stats::setNames(rep(name, ncol(rate)), colnames(rate)), base = format(day)
  )
  made
}

rates_table <- function(rates, what) {
  if (is.character(rates)) rates <- read_prices(rates)
  if (is.data.frame(rates)) rates <- as_prices(rates)
  if (!inherits(rates, "imbroglio_prices")) {
    fail("argument", sprintf("%s are a price table or a file.", sentence_case(what)))
  }
  rates
}

# The currency of each security, by its name.
currencies_of <- function(prices, currency) {
  securities <- colnames(prices$close)
  own <- prices$about$currency[match(securities, prices$about$security)]
  own <- if (is.null(own)) rep(NA_character_, length(securities)) else own
  known <- stats::setNames(own, securities)
  if (!is.null(currency)) {
    if (!is.character(currency) || anyNA(currency)) {
      fail("argument", "`currency` is one name, or names by security.", where = sprintf(
        "It is %s.", shown(currency)
      ))
    }
    if (is.null(names(currency)) && length(currency) == 1L) {
      known[] <- currency
    } else {
      known[pick_securities(names(currency), securities)] <- currency
    }
  }
  unknown <- names(known)[is.na(known)]
  if (length(unknown)) {
    fail(
      "currency",
      sprintf("It is not known in which currency %s %s quoted.", some(unknown),
              if (length(unknown) == 1L) "is" else "are"),
      remedy = "Name it: currency = c(A = \"...\"), or read the prices with `securities =`."
    )
  }
  known
}

# The rate on each date of the prices; the last one of before where it may stand in.
rate_on_dates <- function(rates, unit, dates, carry) {
  values <- rates$close[, unit]
  rate <- unname(values[match(as.numeric(dates), as.numeric(rates$dates))])
  if (carry == 0L) return(rate)
  # Of a rate between two dates of the prices too.
  known <- which(!is.na(values))
  at <- findInterval(as.numeric(dates), as.numeric(rates$dates[known]))
  last <- ifelse(at > 0L, unname(values[known][pmax(at, 1L)]), NA_real_)
  told <- as.numeric(rates$dates[known])[pmax(at, 1L)]
  age <- seq_along(dates) - findInterval(told, as.numeric(dates))
  ifelse(is.na(rate) & age <= carry, last, rate)
}

say_missing_rates <- function(prices, rate, known) {
  lost <- colSums(!is.na(prices$close) & is.na(rate))
  some_lost <- lost[lost > 0]
  if (!length(some_lost)) return(invisible())
  worst <- names(which.max(some_lost))
  note(
    "rates",
    sprintf(
      "%s has no rate on %s of %s: %s no price then.",
      known[[worst]],
      count(max(some_lost), "date"),
      worst,
      if (length(some_lost) > 1L) {
        others <- count(length(some_lost) - 1L, "more security", "more securities")
        sprintf("it and %s have", others)
      } else {
        "it has"
      }
    ),
    remedy = "`carry` says for how many dates the last rate may stand in."
  )
}

rated <- function(prices, rate, told, origin) {
  fields <- prices$fields
  for (name in setdiff(names(fields), "volume")) {
    if (identical(dim(fields[[name]]), dim(rate))) fields[[name]] <- fields[[name]] * rate
  }
  made <- new_prices(
    prices$dates, prices$close * rate, paste0(prices$origin, ", ", origin), fields,
    measured = prices$measured, layout = prices$layout
  )
  made$universe <- prices$universe
  made$repairs <- c(prices$repairs, told)
  made
}
