test_that("the command measures real prices as base R does", {
  file <- tempfile(fileext = ".csv")
  write.csv(data.frame(date = stock_dates(), stocks()), file, row.names = FALSE, quote = FALSE)
  answer <- function(...) {
    ran <- imbroglio(..., file, "--format", "json")
    expect_equal(ran$status, 0L)
    expect_equal(ran$err, "")
    jsonlite::fromJSON(ran$out)
  }
  returns <- stocks()[-1, ] / stocks()[-1860, ] - 1
  volatility <- answer("volatility")
  expect_equal(volatility$results$volatility, unname(apply(returns, 2, sd)), tolerance = 1e-12)
  expect_equal(volatility$basis[c("from", "to", "kind", "every", "per_year")],
               list(from = "1991-07-02", to = "1998-08-14", kind = "simple", every = "day",
                    per_year = 252))
  drawdown <- answer("drawdown")$results
  depth <- apply(stocks(), 2, function(p) p / cummax(p) - 1)
  expect_equal(drawdown$max_drawdown, unname(apply(depth, 2, min)), tolerance = 1e-12)
  expect_equal(drawdown$trough, format(stock_dates()[apply(depth, 2, which.min)]))
  back <- vapply(1:4, function(j) {
    low <- which.min(depth[, j])
    max(stocks()[low:1860, j]) >= max(stocks()[1:low, j])
  }, NA)
  expect_equal(!is.na(drawdown$recovery), back)
  var <- answer("var", "--level", "0.99")$results
  expect_equal(var$var, unname(apply(returns, 2, function(r) -sort(r)[19])), tolerance = 1e-12)
  # To the last bit: what R measures is what the command prints.
  expect_identical(var$var, measure_var(read_prices(file))$var)
  monthly <- answer("returns", "--every", "month", "--kind", "log", "--security",
                    "DAX,FTSE", "--from",
                    "1995-01-31", "--to", "1995-12-29")$results
  expect_equal(names(monthly), c("security", "date", "return"))
  expect_equal(sum(monthly$return[monthly$security == "DAX"]),
               log(stocks()["1995-12-29", "DAX"] / stocks()["1995-01-31", "DAX"]),
               ignore_attr = TRUE,
               tolerance = 1e-12)
  rolling <- imbroglio("volatility", file, "--window=20", "--security=DAX", "--format=csv")
  table <- read.csv(text = rolling$out)
  expect_equal(table$volatility[1859], sd(returns[1840:1859, "DAX"]), tolerance = 1e-12)
  expect_true(all(is.na(table$volatility[1:19])))
})

test_that("text for people is aligned, has units and a sentence", {
  file <- demo_file("bay.csv")
  ran <- imbroglio("var", file, "--security", "BAYALL,EBBING", "--value", "1000000")
  expect_match(ran$out[3], "^security +from +to +n +level +VaR +ES +VaR, money +ES, money")
  expect_match(ran$out[4],
               "BAYALL +2016-01-05 +2025-12-31 +2,572 +99 % +2\\.16 % +2\\.93 % +21,579 +29,293 +26 +2023-08-28")
  expect_true(any(grepl("One day in 100, expect to lose more than 2.16 %", ran$out,
                        fixed = TRUE)))
  expect_equal(nchar(sub("2023.*", "", ran$out[4])), nchar(sub("2021-.*", "", ran$out[5])))
  demo <- imbroglio("demo", "--figure", picture <- tempfile(fileext = ".png"))
  expect_equal(demo$status, 0L)
  for (figure in c("13.8 % a year", "fell 34.9 %",
                   "lose more than 2.16 %")) expect_true(any(grepl(figure, demo$out,
                                                                   fixed = TRUE)),
                                                                   info = figure)
  expect_gt(file.size(picture), 20000)
  expect_match(imbroglio("returns", file)$out[3], "date +BAYALL +OSSELL")
})

test_that("each command has help with an example that runs", {
  overview <- imbroglio("--help")
  expect_equal(overview$status, 0L)
  folder <- tempfile()
  dir.create(folder)
  expect_equal(imbroglio("demo", "--files", folder)$status, 0L)
  expect_setequal(list.files(folder), demo_file())
  old <- setwd(folder)
  on.exit(setwd(old))
  commands <- c("demo", "check", "adjust", "returns", "volatility", "drawdown", "var",
                if (rmarkdown::pandoc_available()) "report")
  for (name in commands) {
    expect_true(any(grepl(paste0("^  ", name, " "), overview$out)))
    help <- imbroglio(name, "--help")
    example <- sub("^ +", "", tail(help$out, 1))
    ran <- do.call(imbroglio,
                   as.list(scan(text = sub("^imbroglio ", "", example), what = "",
                                quiet = TRUE)))
    expect_equal(ran$status, as.integer(name == "check"), info = paste(example, ran$err))
    expect_false(grepl("Warning", ran$err), info = ran$err)
  }
  expect_true(all(file.exists("demo.png", "monthly.csv", "tarrow.png")))
  expect_equal(ncol(read.csv("monthly.csv")), 3L)
})

test_that("the exit status says whose fault it is, and the message what to do", {
  file <- demo_file("bay.csv")
  bad <- written("date,A", "2024-01-02,1", "2024-01-03,zero")
  cases <- list(
    list(2, "COMMAND", character()), list(2, "Did you mean volatility", "volatilty", file),
    list(2, "Did you mean --level", "var", file, "--levl", "0.9"),
    list(2, "has no option --window", "var", file, "--window", "20"),
    list(2, "0.95", "var", file, "--level", "95"),
    list(2, "not a number", "var", file, "--level", "high"), list(2, "takes one file", "var"),
    list(2, "takes one file", "var", file, file),
    list(2, "requires an argument|requires", "var", file, "--level"),
    list(2, "json", "var", file, "--format", "xml"),
    list(2, "such as 2024-12-31", "var", file, "--from", "yesterday"),
    list(2, "Did you mean month", "returns", file, "--every", "monht"),
    list(3, "no file", "var", "nowhere.csv"),
    list(3, "Did you mean TARROW", "drawdown", file, "--security", "TARROV"),
    list(3, "(?s)column A.*Line 3", "volatility", bad),
    list(3, "no folder", "var", file, "--out", "/no/such/folder/a.json")
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

test_that("a result is written whole, in the form its ending names, and replaces what was there", {
  file <- demo_file("bay.csv")
  folder <- tempfile()
  dir.create(folder)
  expected <- measure_drawdown(read_prices(file)[, c("PELLAN", "VESSANY")])
  for (form in c("json", "csv", "txt")) {
    out <- file.path(folder, paste0("result.", form))
    writeLines("old", out)
    ran <- imbroglio("drawdown", file, "--security", "PELLAN,VESSANY", "--out", out)
    expect_equal(c(ran$status, length(ran$out)), c(0L, 0L))
    found <- switch(form, json = jsonlite::fromJSON(out)$results, csv = read.csv(out),
                    txt = NULL)
    if (form == "txt") expect_match(readLines(out)[4],
                                    "PELLAN +2020-09-14 +2025-12-31 +1,366 +-56.95 %")
    else {
      expect_equal(names(found), names(expected))
      expect_identical(found$max_drawdown, expected$max_drawdown)
      expect_equal(found$recovery, c("2025-03-07", if (form == "json") NA else ""))
    }
  }
  expect_setequal(list.files(folder, all.files = TRUE, no.. = TRUE),
                  paste0("result.", c("json", "csv", "txt")))
  # What could not be measured leaves what was there.
  expect_equal(imbroglio("var", file, "--level", "2", "--out", out)$status, 2L)
  expect_match(readLines(out)[1], "^Maximum drawdown")
  basis <- jsonlite::fromJSON(file.path(folder, "result.json"))$basis
  expect_equal(basis$dropped,
               data.frame(security = "PELLAN", reason = "before the first price", n = 1207L))
  expect_equal(basis$digest, read_prices(file)$digest)
  short <- imbroglio("returns", file, "--last", "1 month", "--format", "csv")
  expect_equal(range(read.csv(text = short$out)$date), c("2025-12-01", "2025-12-31"))
})

test_that("names from a file are data in every form of output", {
  file <- written('date,"=cmd(1)","-1+2","a ""b"", c"', "2024-01-02,1,2,3",
                  "2024-01-03,2,3,4", "2024-01-04,1,4,5")
  expect_equal(jsonlite::fromJSON(imbroglio("volatility", file, "--format",
                                            "json")$out)$results$security,
               c("=cmd(1)", "-1+2", 'a "b", c'))
  out <- tempfile(fileext = ".csv")
  imbroglio("volatility", file, "--out", out)
  expect_equal(read.csv(out)$security, c("'=cmd(1)", "'-1+2", 'a "b", c'))
})

test_that("the example script runs as it stands", {
  if (!rmarkdown::pandoc_available()) skip("pandoc is not installed")
  folder <- tempfile()
  dir.create(folder)
  script <- system.file("examples", "first-path.R", package = "imbroglio")
  status <- system2(file.path(R.home("bin"), "Rscript"), c(script, folder), stdout = FALSE,
                    stderr = FALSE,
                    env = paste0("R_LIBS=",
                                 shQuote(paste(.libPaths(), collapse = .Platform$path.sep))))
  expect_equal(status, 0L)
  expect_setequal(list.files(folder), c("tarrow.png", "bay-risk.html"))
})
