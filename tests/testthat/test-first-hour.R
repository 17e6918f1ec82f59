# What a new user meets in the first hour: much that is wrong, names that are misspelt, words of
# the trade.

test_that("of many findings the first of each kind is shown, and what to do first", {
  day <- rep(as.Date("2024-01-01") + 0:99, each = 2)
  bad <- written(
    "date,security,close", paste(day, "A", rep(c(10, 11), 100), sep = ","), "2024-05-06,B,-3",
    paste(as.Date("2024-01-01") + 0:99, "B", 20, sep = ",")
  )
  brief <- imbroglio("check", bad)
  expect_equal(brief$status, 1L)
  expect_lt(length(brief$out), 40)
  expect_match(brief$out, "^First: 100 x duplicate, differs .*the first is A 2024-01-01", all = FALSE)
  expect_match(brief$out, "^duplicate, differs +error +none +100 +1 +A +2024-01-01", all = FALSE)
  expect_match(brief$out, "^not positive +error +blank +1 ", all = FALSE)
  every <- imbroglio("check", bad, "--all")
  expect_gt(length(every$out), 100)
  whole <- imbroglio("check", bad, "--format", "csv")
  expect_equal(nrow(utils::read.csv(text = whole$out)), nrow(quietly(check_prices(bad))))
  # A folder and files together.
  folder <- withr::local_tempdir()
  writeLines(c("date,C", "2024-01-01,1", "2024-01-02,2"), file.path(folder, "c.csv"))
  expect_setequal(colnames(quietly(read_prices(c(folder, demo_file("bay-fund.csv"))))),
                  c("C", colnames(read_prices(demo_file("bay-fund.csv")))))
})

test_that("each name that is misspelt has its nearest, and who has no prices stands beside whose", {
  prices <- demo_prices()[1:50, c("TARROW", "OSSELL", "BAYBOND", "EBBING")]
  said <- tryCatch(prices[, c("TAROW", "OSELL", "XXXXXXXX")], imbroglio_error = conditionMessage)
  expect_match(said, "TAROW, OSELL and XXXXXXXX")
  expect_match(gsub("\\s+", " ", said), "Did you mean TARROW for TAROW and OSSELL for OSELL\\?")
  held <- data.frame(security = c("TAROW", "OSSELL", "BAYBONDS"), shares = 1:3)
  dated <- rbind(cbind(date = "2016-01-08", held), cbind(date = "2016-02-01", held))
  for (table in list(held, dated)) {
    said <- tryCatch(as_portfolio(prices, holdings = table), imbroglio_error = conditionMessage)
    said <- gsub("\\s+", " ", said)
    expect_match(said, "2 of 3 holdings have no prices: TAROW and BAYBONDS")
    expect_match(said, "no holding takes: TARROW, BAYBOND and EBBING")
    expect_match(said, "TARROW for TAROW and BAYBOND for BAYBONDS")
  }
})
