# The working of what a currency adds.

#' @export
working_of.imbroglio_currency <- function(result, row) {
  this <- row_of_result(result, row)
  prices <- attr(result, "source")
  both <- local_and_rate(prices, this$security)
  taken <- basis(result)$exact$per_year %||% basis(result)$per_year
  if (is.na(taken)) taken <- frequencies_of(prices$dates, prices$close)$per_year[[this$security]]
  deviation <- function(of) {
    of <- as.name(of)
    bquote(sqrt(sum((.(of) - sum(.(of)) / n)^2) / (n - 1)))
  }
  list(
    rows = list(rows_of_working(
      "prices",
      sprintf("closes of %s in %s, and what it costs", this$security, this$currency),
      list(price = both$price, cost = both$cost),
      both$dates,
      both$dates[1L],
      both$dates[length(both$dates)]
    )),
    choices = list(choice("per_year", "periods a year", taken)),
    steps = list(
      step("local", quote(price / before(price) - 1), "return in its own currency", "fraction"),
      step("rate", quote(cost / before(cost) - 1), "return of the currency", "fraction"),
      step("both", quote((1 + local) * (1 + rate) - 1), "of both", "fraction"),
      step("n", quote(count(both)), "how many", "count"),
      step(
        "local_return", quote(value_at(price, n + 1) / value_at(price, 1) - 1), "in all, local",
        "fraction"
      ),
      step(
        "rate_return", quote(value_at(cost, n + 1) / value_at(cost, 1) - 1), "of the currency",
        "fraction"
      ),
      step(
        "total_return", quote((1 + local_return) * (1 + rate_return) - 1), "of both", "fraction"
      ),
      step(
        "local_volatility_annual", bquote(.(deviation("local")) * sqrt(per_year)),
        "volatility of the local returns, a year", "fraction"
      ),
      step(
        "rate_volatility_annual", bquote(.(deviation("rate")) * sqrt(per_year)),
        "of the currency", "fraction"
      ),
      step(
        "volatility_annual", bquote(.(deviation("both")) * sqrt(per_year)), "of both", "fraction"
      ),
      step("local_apart", quote(local - sum(local) / n), "local, about the mean", "fraction"),
      step("rate_apart", quote(rate - sum(rate) / n), "the currency, about the mean", "fraction"),
      step(
        "correlation",
        quote(
          sum(local_apart * rate_apart) / sqrt(sum(local_apart^2) * sum(rate_apart^2))
        ),
        "how they move together"
      )
    ),
    main = "total_return"
  )
}
