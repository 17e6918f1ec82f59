# No word is ignored: each option of each command, in each way of measuring, changes the answer or
# is refused.

test_that("a span keeps the price before it and no more, in whatever way it is named", {
  prices <- as_prices(read.csv(walked()$file))
  days <- prices$dates
  first <- function(...) as_returns(window(prices, ...))
  whole <- as_returns(prices)
  for (start in c("2021-03-01", "2021-06-12", "2021-04-09")) {
    cut <- first(start = start)
    later <- whole$dates >= max(cut$dates[1], as.Date("2021-01-02"))
    expect_identical(cut$values, utils::head(whole$values[later, ], nrow(cut)))
    expect_identical(
      cut$dates[rowSums(!is.na(cut$values)) > 0][1],
      whole$dates[whole$dates >= as.Date(start)][1]
    )
    # A security that had no price just before has its return over the gap.
    expect_equal(
      measure_return(cut)$n,
      unname(colSums(!is.na(whole$values[whole$dates >= as.Date(start), ])))
    )
  }
  monthly <- suppressMessages(as_returns(window(prices, start = "2021-03-01"), every = "month"))
  expect_equal(
    as.matrix(monthly)[1, "INDEXX"],
    as.matrix(suppressMessages(as_returns(prices, every = "month")))["2021-03-31", "INDEXX"]
  )
  expect_identical(
    window(prices, during = "2021-05")$dates,
    window(prices, start = "2021-05-01", end = "2021-05-31")$dates
  )
  expect_identical(
    window(prices, start = "2021-05", end = "2021-06")$dates,
    window(prices, start = "2021-05-01", end = "2021-06-30")$dates
  )
  expect_identical(nrow(first(last = "50 returns")), 50L)
  expect_identical(
    nrow(window(suppressMessages(as_returns(prices, every = "week")), last = "5 returns")),
    5L
  )
  given <- as_returns(as.data.frame(whole), given = "returns")
  expect_identical(
    window(given, during = "2021-05")$values,
    whole$values[format(whole$dates, "%Y-%m") == "2021-05", ]
  )
  # A rolling measure from a date on has its windows filled from the days before.
  file <- walked()$file
  rolled <- function(...) {
    read.csv(
      text = imbroglio(
        "volatility", file, "--security", "INDEXX", "--window", "40", "--format", "csv", ...
      )$out
    )
  }
  all <- rolled()
  expect_equal(
    rolled("--from", "2021-08-02"),
    all[all$to >= "2021-08-02", ],
    tolerance = 1e-12,
    ignore_attr = TRUE
  )
  tested <- suppressWarnings(backtest_var(as_returns(prices)[, "INDEXX"], window = 50))
  part <- jsonlite::fromJSON(
    imbroglio(
      "backtest", file, "--security", "INDEXX", "--window", "50", "--from", "2021-08-02",
      "--format", "json"
    )$out
  )$results
  expect_identical(part$n, sum(backtest_series(tested)$date >= as.Date("2021-08-02")))
})

test_that("returns and profits that are given, and chosen prices, go through the command", {
  fund <- written(
    "date,Fund,Index", "2023-01,1.50%,1.00%", "2023-02,-2.00%,-1.50%", "2023-03,0.50%,0.70%",
    "2023-04,1.00%,0.60%"
  )
  json <- function(...) jsonlite::fromJSON(imbroglio(..., "--format", "json")$out)
  earned <- json("returns", fund, "--given", "returns", "--measured")
  expect_equal(
    earned$results$total_return[1],
    prod(1 + c(1.5, -2, 0.5, 1) / 100) - 1,
    tolerance = 1e-12
  )
  expect_equal(earned$basis$every[[1]], "month")
  expect_equal(json("beta", fund, "--given", "returns", "--benchmark", "Index")$results$n, 4L)
  expect_equal(
    json("returns", fund, "--given", "returns", "--from", "2023-03")$results$date,
    rep(c("2023-03-31", "2023-04-30"), 2)
  )
  # A column that is called what it holds has the name of its file.
  desk <- written(
    "date,profit",
    paste0(as.Date("2024-01-01") + 0:59, ",", round(1e4 * sin(1:60)))
  )
  loss <- json("var", desk, "--given", "profits", "--level", "0.95")$results
  expect_equal(loss$security, sub("[.]csv$", "", basename(desk)))
  expect_equal(loss$var, -sort(round(1e4 * sin(1:60)))[3])
  said <- imbroglio("var", desk, "--given", "profits", "--level", "0.95")$out
  expect_false(any(grepl("[0-9] %", sub("95 %", "", said, fixed = TRUE)[1:6])))
  for (words in list(
    c("beta", desk, "--given", "profits", "--benchmark", "A"),
    c("returns", desk, "--given", "returns"),
    c("returns", desk, "--given", "profits", "--kind", "log"),
    c("returns", fund, "--given", "rates")
  )) {
    expect_true(do.call(imbroglio, as.list(words))$status %in% 2:3)
  }
  # Long and wide, in every form, they are read back as they were.
  daily <- demo_file("bay-daily.csv.xz")
  prices <- read_prices(daily, price = "close")[, c("TARROW", "OSSELL")]
  span <- prices[format(prices$dates, "%Y") == "2024", ]
  for (ending in c(".csv", ".xlsx", ".parquet")) {
    for (long in list(NULL, "--long")) {
      out <- tempfile(fileext = ending)
      ran <- do.call(
        imbroglio,
        as.list(c(
          "prices", daily, "--price", "close", "--security", "TARROW,OSSELL", "--during", "2024",
          long, "--out", out
        ))
      )
      expect_equal(ran$status, 0L, info = ran$err)
      again <- read_prices(out, price = if (!is.null(long)) "close")[, c("TARROW", "OSSELL")]
      expect_equal(again$close, span$close)
      expect_identical(again$dates, span$dates)
      if (!is.null(long)) expect_equal(again$fields$volume, span$fields$volume)
    }
  }
})

test_that("a log return is told as the move that it was", {
  prices <- as_prices(matrix(
    c(100, 90.82, 95, 94),
    dimnames = list(format(as.Date("2024-01-01") + 1:4), "FALLEN")
  ))
  expect_match(
    in_words(suppressWarnings(measure_return(as_returns(prices, "log")))),
    "its worst -9.18 % (2024-01-03)",
    fixed = TRUE
  )
  expect_match(in_words(measure_volatility(as_returns(prices, "log"))), "daily log returns stray")
})

test_that("of several files one that cannot be read is named, and the others are measured", {
  folder <- tempfile()
  dir.create(folder)
  one <- function(name, ...) {
    writeLines(c(sprintf("date,%s", name), ...), file.path(folder, paste0(name, ".csv")))
  }
  one("ALPHAX", "2024-01-02,10", "2024-01-03,11", "2024-01-04,12")
  one("BETAXX", "2024-01-02,20", "2024-01-03,21", "2024-01-04,20")
  one("BADXXX", "2024-01-02,20", "2024-01-03,halted", "2024-01-04,20")
  ran <- imbroglio("tracking", folder, "--benchmark", "ALPHAX")
  expect_equal(ran$status, 5L)
  expect_match(ran$err, "BADXXX.csv was left out: 1 value in column BADXXX")
  expect_match(paste(ran$out, collapse = " "), "BETAXX")
  expect_equal(imbroglio("tracking", folder, "--benchmark", "ALPHAX", "--strict")$status, 3L)
  expect_error(read_prices(folder), class = "imbroglio_error_price")
  expect_equal(
    imbroglio(
      "tracking",
      file.path(folder, "ALPHAX.csv"),
      file.path(folder, "BETAXX.csv"),
      "--benchmark",
      "ALPHAX"
    )$status,
    0L
  )
  book <- tempfile(fileext = ".xlsx")
  sheets <- openxlsx::createWorkbook()
  for (s in c("First", "Second")) {
    openxlsx::addWorksheet(sheets, s)
    openxlsx::writeData(
      sheets,
      s,
      data.frame(date = as.Date("2024-01-01") + 1:3, A = if (s == "First") 1:3 else 4:6)
    )
  }
  openxlsx::saveWorkbook(sheets, book)
  expect_equal(as.vector(read_prices(book, sheet = "Second")$close), 4:6)
  expect_error(
    read_prices(book, sheet = "Third"),
    "First and Second",
    class = "imbroglio_error_argument"
  )
})

test_that("a report of profits has what can be had of profits, and nothing else is missed", {
  skip_if_not_installed("svglite")
  set.seed(3)
  desks <- as_returns(data.frame(
    date = as.Date("2022-01-03") + 0:299, RATES = rnorm(300, 0, 9e3), CREDIT = rnorm(300, 0, 5e3)
  ), given = "profits")
  made <- quietly(write_report(desks, file.path(withr::local_tempdir(), "page.html")))
  expect_equal(unique(made$state), "measured")
  expect_true(all(c("var", "backtest", "drawdown", "volatility") %in% made$part))
  page <- file.path(withr::local_tempdir(), "page.html")
  asked <- quietly(write_report(desks, page, only = "var"))
  expect_equal(unique(asked$state), "measured")
})
