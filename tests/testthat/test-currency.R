# Prices in several currencies, and in the money of one day: by hand and against base R.

abroad <- function() {
  dates <- as.Date("2024-01-01") + c(0:3, 6)
  list(
    prices = as_prices(data.frame(date = dates, A = c(10, 11, 12, 12, 15), B = c(5, 5, 6, 6, 6))),
    rates = as_prices(data.frame(date = dates[c(1, 2, 4)], CUR = c(2, 2.5, 3)))
  )
}

test_that("prices are converted by the rate of their date, and a missing one is never 1", {
  x <- abroad()
  units <- c(A = "CUR", B = "OWN")
  expect_message(
    made <- translate_prices(x$prices, x$rates, "OWN", units),
    "CUR has no rate on 2 dates of A",
    class = "imbroglio_note_rates"
  )
  expect_equal(unname(made$close[, "A"]), c(20, 27.5, NA, 36, NA))
  expect_equal(made$close[, "B"], x$prices$close[, "B"])
  expect_length(made$repairs, 0)
  said <- basis(quietly(measure_volatility(made)))$choices
  expect_equal(said[["currency"]], "OWN: A from CUR")
  carried <- quietly(translate_prices(x$prices, x$rates, "OWN", units, carry = 1))
  expect_equal(unname(carried$close[, "A"]), c(20, 27.5, 30, 36, 45))
  # The return of both is that of price and rate together; logarithms add.
  r <- as_returns(carried[, "A"])$values[, 1]
  local <- c(1.1, 12 / 11, 1, 15 / 12)
  rate <- c(1.25, 1, 1.2, 1)
  expect_equal(unname(r), local * rate - 1, tolerance = 1e-12)
  found <- measure_currency(carried, per_year = 250)
  expect_equal(found$local_return, 0.5, tolerance = 1e-12)
  expect_equal(found$rate_return, 0.5, tolerance = 1e-12)
  expect_equal(found$total_return, 1.25, tolerance = 1e-12)
  expect_equal(found$volatility_annual, sd(local * rate) * sqrt(250), tolerance = 1e-10)
  expect_equal(found$correlation, cor(local, rate), tolerance = 1e-10)
  shown <- show_working(carried, security = "A", date = "2024-01-04")
  expect_equal(attr(shown, "values")$price, 36)
  expect_error(
    adjust_prices(carried, data.frame(security = "A", date = "2024-01-03", split = 2)),
    class = "imbroglio_error_argument"
  )
  real <- deflate_prices(x$prices, x$rates, carry = 1)
  expect_equal(unname(real$close[, "A"]), c(10, 11, 12, 12, 15) * 3 / c(2, 2.5, 2.5, 3, 3))
})

test_that("a book across currencies wants them converted", {
  table <- data.frame(security = c("A", "B"), currency = c("CUR", "OWN"))
  x <- abroad()
  closes <- as.data.frame(x$prices)
  prices <- quietly(read_prices(
    written("date,A,B", do.call(paste, c(closes, sep = ","))),
    securities = table
  ))
  expect_error(
    as_portfolio(prices, shares = c(A = 1, B = 1)),
    "do not add",
    class = "imbroglio_error_currency"
  )
  made <- quietly(translate_prices(prices, x$rates, "OWN", carry = 1))
  book <- as_portfolio(made, shares = c(A = 1, B = 1))
  expect_equal(book$value, 15 * 3 + 6)
  wrong <- list(
    function() translate_prices(x$prices, x$rates, "OWN"),
    function() translate_prices(x$prices, x$rates, "OWN", c(A = "XYZ", B = "OWN"))
  )
  for (f in wrong) expect_error(quietly(f()), class = "imbroglio_error_currency")
  for (f in list(
    function() translate_prices(x$prices, x$rates, 1, "CUR"),
    function() measure_currency(x$prices),
    function() deflate_prices(x$prices, x$prices)
  )) {
    expect_error(quietly(f()), class = "imbroglio_error_argument")
  }
})

test_that("each command counts in the base", {
  bay <- demo_file("bay.csv")
  rates <- c("--rates", demo_file("bay-rates.csv.gz"), "--base", "HBC")
  said <- jsonlite::fromJSON(run_here(
    "volatility", bay, "--security", "BAYMETAL", rates, "--currencies", "BAYMETAL=TMC"
  ))
  both <- merge(
    read.csv(bay)[c("date", "BAYMETAL")],
    read.csv(demo_file("bay-rates.csv.gz"))
  )
  p <- both$BAYMETAL * both$TMC
  expect_equal(said$results$volatility, sd(diff(p) / head(p, -1)), tolerance = 1e-10)
  expect_equal(said$basis$choices$currency, "HBC: BAYMETAL from TMC")
  carried <- jsonlite::fromJSON(run_here(
    "volatility", bay, "--security", "BAYMETAL", rates, "--currencies", "TMC", "--carry", "2"
  ))
  expect_gt(carried$results$n, said$results$n)
  expect_match(carried$basis$choices$currency, "its rate carried over [0-9]+ dates?$")
  expect_equal(imbroglio("currency", bay)$status, 2L)
  expect_equal(imbroglio("volatility", bay, "--base", "HBC")$status, 3L)
})
