record_of_currency <- function() {
  measure_record(
    110,
    title = "What a currency adds",
    asks = "What was earned in its own currency, and what by the rate?",
    measure = measure_currency,
    columns = list(
      currency = column("currency", "text"),
      base = column("base", "text"),
      local_return = column("local", "fraction"),
      rate_return = column("of the rate", "fraction"),
      local_volatility_annual = column("local volatility", "fraction"),
      rate_volatility_annual = column("of the rate", "fraction")
    ),
    shares = c(
      "security", "from", "to", "n", "total_return", "volatility_annual", "correlation"
    ),
    compares = compares(
      "total_return", "returned most", "least", losing = c("lost least", "most")
    ),
    command = command_record(
      "Measure", 120,
      says = "returns in the own currency, of the currency, and of both",
      options = c(choose, "per-year", hand_on),
      trade = list(
        trade(
          c("Currency", "exchange rate", "hedged", "real return", "inflation-adjusted"),
          "prices in one currency, and what the currency adds; in R also in the money of one day",
          paste(
            "imbroglio currency FILE --rates FILE --base NAME; --rates on every command that",
            "measures"
          )
        )
      ),
      example = paste0(
        "imbroglio currency bay.csv --security BAYMETAL --rates bay-rates.csv.gz --base HBC ",
        "--currencies BAYMETAL=TMC --figure currency.png"
      )
    ),
    parts = list(currency = part("returns", 70, "prices", "rates")),
    cases = quote(list(whole = measure_currency(translated)))
  )
}

#' What a currency adds
#'
#' The returns of securities in their own currency, of the currency, and of both to who counts in
#' another: \eqn{1 + r = (1 + r_{local})(1 + r_{rate})}{1 + r = (1 + r_local)(1 + r_rate)}; over
#' the dates on which there is a price and a rate. Volatilities are of simple returns, a year: that
#' of both is no sum, but hangs on how price and rate move together, \eqn{\rho}{correlation}.
#'
#' @param prices A table that [translate_prices()] (or [deflate_prices()]) gave.
#' @param per_year Periods a year; by default each security's own, see [measure_volatility()].
#' @return A table, a row for each security that was converted: `security`, `currency`, `base`,
#'   `from`, `to`, `n`, `local_return`, `rate_return` and `total_return` (all in all),
#'   `local_volatility_annual`, `rate_volatility_annual`, `volatility_annual` and `correlation` (of
#'   local and rate returns).
#' @eval columns_in_docs("currency")
#' @section Errors: `imbroglio_error_argument` for prices that were not converted, or nothing of
#'   which is foreign.
#' @eval concepts_in_docs("measure_currency")
#' @family measures of returns
#' @examples
#' prices <- read_prices(demo_file("bay.csv"))
#' abroad <- translate_prices(
#'   prices[, c("TARROW", "BAYMETAL")], demo_file("bay-rates.csv.gz"),
#'   base = "HBC", currency = c(TARROW = "HBC", BAYMETAL = "TMC")
#' )
#' in_words(measure_currency(abroad))
#' @export
measure_currency <- function(prices, per_year = NULL) {
  made <- if (inherits(prices, "imbroglio_prices")) prices$converted
  if (is.null(made)) {
    fail(
      "argument",
      "This is asked of prices that were converted.",
      remedy = "translate_prices(prices, rates, base) does."
    )
  }
  foreign <- intersect(colnames(prices$close), names(made$currency)[made$currency != made$base])
  if (!length(foreign)) {
    fail("argument", sprintf("All securities are quoted in %s.", made$base))
  }
  returns <- as_returns(prices[, foreign])
  own <- check_per_year(per_year, returns)
  parts <- lapply(foreign, function(s) {
    both <- local_and_rate(prices, s)
    n <- length(both$local)
    year <- sqrt(own[[s]])
    spread <- function(x) if (n > 1L) stats::sd(x) * year else NA_real_
    known <- n > 1L && stats::sd(both$local) > 0 && stats::sd(both$rate) > 0
    list(
      security = s,
      currency = made$currency[[s]],
      base = made$base,
      from = both$dates[2L],
      to = both$dates[n + 1L],
      n = n,
      local_return = prod(1 + both$local) - 1,
      rate_return = prod(1 + both$rate) - 1,
      total_return = prod(1 + both$both) - 1,
      local_volatility_annual = spread(both$local),
      rate_volatility_annual = spread(both$rate),
      volatility_annual = spread(both$both),
      correlation = if (known) stats::cor(both$local, both$rate) else NA_real_
    )
  })
  new_result(
    stacked(parts),
    "currency",
    returns_basis(
      returns,
      sample_of(returns$dates, returns$values),
      per_year = own,
      choices = c(base = made$base),
      exact = list(per_year = per_year)
    ),
    prices
  )
}

# Over the dates of the table on which there is a price in the base.
local_and_rate <- function(prices, security) {
  made <- prices$converted
  there <- which(!is.na(prices$close[, security]))
  dates <- prices$dates[there]
  rows <- match(as.numeric(dates), as.numeric(made$dates))
  local <- made$local[rows, security]
  rate <- made$rate[rows, security]
  list(
    dates = dates,
    price = unname(local),
    cost = unname(rate),
    local = unname(diff(local) / local[-length(local)]),
    rate = unname(diff(rate) / rate[-length(rate)]),
    both = unname(diff(local * rate) / (local * rate)[-length(rate)])
  )
}
