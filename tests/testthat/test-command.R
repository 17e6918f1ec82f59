test_that("text for people is aligned, has units and a sentence", {
  file <- demo_file("bay.csv")
  ran <- imbroglio("var", file, "--security", "BAYALL,EBBING", "--value", "1000000")
  expect_match(
    ran$out[3],
    "^security +n +level +VaR +ES +low +high +k +observed +VaR, money +ES, money"
  )
  expect_match(
    ran$out[4],
    paste0(
      "BAYALL +2,572 +99 % +2\\.16 % +2\\.93 % +1\\.97 % +2\\.54 % +26 +2023-08-28 ",
      "+21,579 +29,293"
    )
  )
  expect_true(any(grepl(
    "With 99 % confidence BAYALL loses no more than 2.16 %",
    ran$out,
    fixed = TRUE
  )))
  expect_equal(nchar(sub("2023.*", "", ran$out[4])), nchar(sub("2021-.*", "", ran$out[5])))
  demo <- imbroglio("demo", "--figure", picture <- tempfile(fileext = ".png"))
  expect_equal(demo$status, 0L)
  for (figure in c("13.8 % a year", "fell 34.9 %", "loses no more than 2.16 %")) {
    expect_true(any(grepl(figure, demo$out, fixed = TRUE)), info = figure)
  }
  expect_gt(file.size(picture), 20000)
  expect_match(imbroglio("returns", file)$out[3], "date +BAYALL +OSSELL")
})

test_that("the exit status says whose fault it is, and the message what to do", {
  file <- demo_file("bay.csv")
  bad <- written("date,A", "2024-01-02,1", "2024-01-03,zero")
  cases <- list(
    list(2, "COMMAND", character()),
    list(2, "Did you mean volatility", "volatilty", file),
    list(2, "Did you mean --level", "var", file, "--levl", "0.9"),
    list(2, "has no option --window", "var", file, "--window", "20"),
    list(2, "0.95", "var", file, "--level", "95"),
    list(2, "not a number", "var", file, "--level", "high"),
    list(2, "takes files of prices", "var"),

    list(2, "wants a value", "var", file, "--level"),
    list(2, "wants a value", "var", file, "--figure", "-"),
    list(2, "takes no value", "var", file, "--split=yes"),
    list(2, "json", "var", file, "--format", "xml"),
    list(2, "such as 2024-12-31", "var", file, "--from", "yesterday"),
    list(2, "Did you mean month", "returns", file, "--every", "monht"),
    list(3, "no file", "var", "nowhere.csv"),
    list(3, "Did you mean TARROW", "drawdown", file, "--security", "TARROV"),
    list(3, "(?s)column A.*Line 3", "volatility", bad),
    list(4, "no folder", "var", file, "--out", "/no/such/folder/a.json")
  )
  for (case in cases) {
    ran <- do.call(imbroglio, case[-(1:2)][lengths(case[-(1:2)]) > 0])
    expect_equal(ran$status, case[[1]], info = paste(unlist(case), collapse = " "))
    expect_match(ran$err, case[[2]], perl = TRUE)
    expect_equal(ran$out, character())
  }
  # Notes and warnings go beside the result, not into it.
  unsorted <- written("date,A", "2024-01-04,3", "2024-01-03,2", "2024-01-02,4")
  ran <- imbroglio("var", unsorted, "--format", "json")
  expect_match(ran$err, "(?s)newest first.*fewer than one", perl = TRUE)
  expect_equal(jsonlite::fromJSON(ran$out)$results$var, 0.5)
})

test_that("a result is written whole, in the form its ending names, over what was there", {
  file <- demo_file("bay.csv")
  folder <- tempfile()
  dir.create(folder)
  expected <- measure_drawdown(read_prices(file)[, c("PELLAN", "VESSANY")])
  for (form in c("json", "csv", "txt")) {
    out <- file.path(folder, paste0("result.", form))
    writeLines("old", out)
    ran <- imbroglio("drawdown", file, "--security", "PELLAN,VESSANY", "--out", out)
    expect_equal(c(ran$status, length(ran$out)), c(0L, 0L))
    found <- switch(
      form,
      json = jsonlite::fromJSON(out)$results,
      csv = read.csv(out),
      txt = NULL
    )
    if (form == "txt") {
      expect_match(readLines(out)[5], "PELLAN +2020-09-14 +1,366 +-56.95 %")
    } else {
      expect_equal(names(found), names(expected))
      expect_identical(found$max_drawdown, expected$max_drawdown)
      expect_equal(found$recovery, c("2025-03-07", if (form == "json") NA else ""))
    }
  }
  expect_setequal(
    list.files(folder, all.files = TRUE, no.. = TRUE),
    paste0("result.", c("json", "csv", "txt"))
  )
  # What could not be measured leaves what was there.
  expect_equal(imbroglio("var", file, "--level", "2", "--out", out)$status, 2L)
  expect_match(readLines(out)[1], "^Maximum drawdown")
  basis <- jsonlite::fromJSON(file.path(folder, "result.json"))$basis
  expect_equal(
    basis$dropped,
    data.frame(security = "PELLAN", reason = "before the first price", n = 1207L)
  )
  expect_equal(basis$digest, read_prices(file)$digest)
  short <- imbroglio("returns", file, "--last", "1 month", "--format", "csv")
  expect_equal(range(read.csv(text = short$out)$date), c("2025-12-01", "2025-12-31"))
})

test_that("names from a file are data in every form of output", {
  file <- written(
    'date,"=cmd(1)","-1+2","a ""b"", c"',
    "2024-01-02,1,2,3",
    "2024-01-03,2,3,4",
    "2024-01-04,1,4,5"
  )
  expect_equal(
    jsonlite::fromJSON(imbroglio("volatility", file, "--format", "json")$out)$results$security,
    c("=cmd(1)", "-1+2", 'a "b", c')
  )
  out <- tempfile(fileext = ".csv")
  imbroglio("volatility", file, "--out", out)
  expect_equal(read.csv(out)$security, c("'=cmd(1)", "'-1+2", 'a "b", c'))
})

test_that("the summary reads as a table, and is written out", {
  file <- demo_file("bay.csv")
  out <- tempfile(fileext = ".csv")
  ran <- imbroglio("summary", file, "--benchmark", "BAYALL", "--sort", "volatility_annual")
  expect_lt(max(nchar(ran$out[-seq(length(ran$out) - 6, length(ran$out))])), 150)
  expect_match(
    ran$out[6],
    "^EBBING +2016-01-05 +2,572 +-17.25 % +-1.88 % +32.89 % +0.11 +-77.07 %"
  )
  expect_equal(
    imbroglio(
      "summary",
      file,
      "--out",
      out,
      "--figure",
      picture <- tempfile(fileext = ".png")
    )$status,
    0L
  )
  expect_equal(
    read.csv(out)$volatility_annual,
    measure_summary(read_prices(file))$volatility_annual
  )
  expect_gt(file.size(picture), 20000)
  by_window <- imbroglio(
    "volatility", file, "--security", "TARROW", "--window", "6,20", "--by-window", "--figure",
    picture
  )
  expect_match(by_window$err, "Drew")
  # --together is no short form of --to.
  expect_equal(imbroglio("beta", file, "--benchmark", "BAYALL", "--to", "2020-12-31")$status, 0L)
  wrong <- list(
    c("beta", file),
    c("beta", file, "--benchmark", "NONE"),
    c("summary", file, "--sort", "size"),
    c("var", file, "--weights", "TARROW"),
    c("var", file, "--weights", "TARROW=x"),
    c("volatility", file, "--parameters", "--method", "ewma"),
    c("var", file, "--split"),
    c("var", file, "--horizon", "0"),
    c("var", file, "--horizon", "3:1:2"),
    c("var", file, "--weights", "NOBODY=1", "--draw"),
    c("backtest", file, "--breaches", "--zones"),
    c("var", file, "--weights", "TARROW=1", "--draw", "--seed", "1.5"),
    c("var", file, "--method", "guess")
  )
  for (words in wrong) {
    expect_error(imbroglio:::run_command(words), class = "imbroglio_error", info = words)
  }
})

test_that("value at risk, books and backtests read as tables in the terminal", {
  file <- demo_file("bay.csv")
  said <- function(...) {
    ran <- imbroglio(...)
    expect_equal(ran$status, 0L, info = ran$err)
    ran$out
  }
  crossed <- said(
    "var", file, "--security", "BAYALL", "--level", "0.9,0.99", "--horizon", "1:10", "--method",
    "normal,hill"
  )
  expect_match(crossed[3], "^method +horizon +90 % +99 %$")
  expect_equal(sum(grepl("^(normal|hill) ", crossed)), 20L)
  expect_match(crossed[4], "^normal +1 +1.07 % +1.98 %$")
  drawn <- said(
    "var", file, "--shares", "OSSELL=2000,TARROW=500", "--draw", "--draws", "5000", "--horizon",
    "5"
  )
  expect_true(any(grepl("^Percentiles of the final value: 1 %: 1", drawn)))
  expect_true(any(grepl("^OSSELL +TARROW +0.39", drawn)))
  paths <- said(
    "var", file, "--shares", "OSSELL=2000,TARROW=500", "--horizon", "10", "--paths", "20"
  )
  expect_true(any(grepl("and 160 rows before", paths)))
  split <- said(
    "var", file, "--weights", "OSSELL=0.5,BAYBOND=0.5", "--split", "--value", "1000000"
  )
  expect_true(any(grepl("^BAYBOND +50.0 % +99 % +observation", split)))
  expect_true(any(grepl("diversification saves", split)))
  tested <- said("backtest", file, "--security", "BAYALL", "--method", "historical,normal")
  expect_match(tested[4], "^BAYALL +historical +99 % +2,322 +23.2 +30 +1.3 % +0.176 +0.173 +")
  expect_true(any(grepl(
    paste0(
      "normal at 99 %: 36 breaches in 2,322 days, where 23.2 are expected; rejected: ",
      "too often"
    ),
    tested
  )))
  expect_match(
    said("backtest", file, "--security", "BAYALL", "--zones")[4],
    "^BAYALL +99 % +2017-03-31 +2018-03-22 +5 +yellow"
  )
  refused <- imbroglio("var", file, "--level", "95")
  expect_equal(refused$status, 2L)
  expect_match(refused$err, "For 95 % write 0.95")
})
