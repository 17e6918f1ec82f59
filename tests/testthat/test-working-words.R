# What a working says of the data it is of, against what was put there.

data_of <- function(result, row = 1L) {
  text <- format(quietly(imbroglio:::working_of_row(result, row, "all")))
  from <- grep("^Data$", text)
  lines <- text[(from + 1L):length(text)]
  paste(trimws(lines[seq_len(which(!nzchar(lines))[1])]), collapse = " ")
}

test_that("what lies between the dates of longer periods is counted, and no other reason given", {
  prices <- demo_prices()[1:300, c("TARROW", "OSSELL")]
  weekly <- quietly(as_returns(prices, every = "week"))
  ends <- as.Date(c(weekly$start[1], weekly$dates))
  between <- sum(prices$dates > ends[1] & prices$dates < max(ends) & !prices$dates %in% ends)
  later <- sum(prices$dates > max(ends))
  expect_gt(later, 0)
  alone <- data_of(measure_volatility(weekly))
  pair <- data_of(measure_beta(weekly, benchmark = "OSSELL"))
  for (said in c(alone, pair)) {
    expect_match(said, sprintf("lie others that are not used: %d of TARROW", between))
    expect_match(said, sprintf("Behind them lie others that are not used: %d of TARROW", later))
    expect_no_match(said, "Nothing is left out|not all of them")
  }
  gaps <- as.data.frame(prices)
  gaps$TARROW[c(20, 100)] <- NA
  gaps <- as_prices(gaps)
  both <- data_of(measure_beta(gaps, benchmark = "OSSELL"))
  expect_match(both, "on dates that not all of them have: 2 of OSSELL")
  expect_no_match(both, "not used")
  expect_match(data_of(measure_volatility(prices)), "Nothing is left out")
  # One security that has ended before another.
  ended <- as.data.frame(prices)
  ended$OSSELL[251:300] <- NA
  shared <- data_of(measure_beta(as_prices(ended), benchmark = "OSSELL"))
  expect_match(shared, "Behind them lie others that are not used: 50 of TARROW")
})

test_that("each is called what it is: a book, one security, another span of it", {
  prices <- demo_prices()[1:300, ]
  book <- as_portfolio(prices, weights = c(TARROW = 1), rebalance = "never")
  expect_match(data_of(measure_volatility(book)), "digest of the book: [0-9a-f]{16}")
  expect_match(data_of(measure_volatility(prices)), "digest of its table: [0-9a-f]{16}")
  expect_no_match(data_of(split_var(book)), "all of them")
  free <- data_of(measure_return(prices[, c("TARROW", "BAYALL")], risk_free = "BAYALL"), 2L)
  expect_no_match(free, "BAYALL and BAYALL")
  halves <- compare_measures(prices[, "TARROW"], at = "2016-08-01", draws = 99)
  expect_match(data_of(halves), "simple returns of TARROW, from 2016-08-01: ")
  three <- correlate_returns(prices[, c("TARROW", "OSSELL", "BAYBOND")])
  expect_match(data_of(three, 2L), "closes of TARROW and BAYBOND on the dates that all 3 secur")
})

test_that("a basis names no draws where none were made", {
  prices <- demo_prices()[1:200, "TARROW"]
  for (measure in list(measure_downside, measure_ratios)) {
    rolled <- basis(measure(prices, window = 60))
    expect_false("draws" %in% names(rolled$choices))
    expect_true(is.na(rolled$seed))
    drawn <- basis(measure(prices))
    expect_equal(drawn$choices[["draws"]], "500")
    expect_equal(drawn$seed, 1L)
  }
})
