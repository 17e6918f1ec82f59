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
  expect_match(brief$out, "^First: 100 x duplicate, differs .*is A 2024-01-01", all = FALSE)
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

test_that("each name that is misspelt has its nearest, beside the prices that nobody takes", {
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

test_that("a word of the trade is known, whatever its spelling, and what is run for it runs", {
  for (word in c("VaR", "CVaR", "ES", "max loss", "stdev", "sigma", "vol", "fx", "P&L", "R2",
                 "hit rate", "hedge", "ETL", "stress", "Jensen's alpha", "t-stat", "MaxDD",
                 "back-test", "corr", "10-day var")) {
    expect_gt(length(imbroglio:::entries_of_word(word)), 0L)
  }
  entries <- imbroglio:::glossary()
  expect_gt(sum(lengths(lapply(entries, `[[`, "words"))), 400)
  for (entry in entries) {
    for (word in entry$words) {
      found <- imbroglio:::entries_of_word(word)
      expect_true(entry$by %in% vapply(found, `[[`, "", "by"), info = word)
    }
    # What the command's help finds, R's finds.
    page <- readLines(source_file("man", paste0(entry$topic, ".Rd")), encoding = "UTF-8")
    concepts <- sub("^\\\\concept\\{(.*)\\}$", "\\1", grep("^\\\\concept", page, value = TRUE))
    concepts <- gsub("\\\\%", "%", concepts)
    expect_equal(setdiff(gsub("''", "'", entry$words), concepts), character(), info = entry$topic)
  }
  expect_null(imbroglio:::command_meant("qqqq"))
  expect_match(imbroglio("vol", "x.csv")$err, "imbroglio volatility FILE")
  expect_match(imbroglio("var", "x.csv", "--freq", "week")$err, "--every")
  expect_true(all(imbroglio:::options_meant %in% names(imbroglio:::options_known())))
  folder <- withr::local_tempdir()
  withr::local_dir(folder)
  file.copy(demo_file(c("bay.csv", "bay-fund.csv", "bay-daily.csv.xz", "bay-rates.csv.gz",
                        "bay-actions.csv")), folder)
  file.copy(demo_file("bay-mornings"), folder, recursive = TRUE)
  writeLines(c("security,shares", "TARROW,200", "CORRACK,300"), "held.csv")
  writeLines(c("date,security,shares", "2024-01-02,TARROW,200", "2024-06-03,CORRACK,30"),
             "trades.csv")
  writeLines(c("of,measure,limit", "TARROW,var,9%"), "limits.csv")
  writeLines(c("prices: bay.csv", "measures: {return: {}}", "report: {folder: report}",
               "morning: {folder: runs}"), "study.yml")
  all_of_them <- unlist(lapply(c(entries, imbroglio:::trade_words()), function(e) {
    strsplit(e$by, "; ")[[1L]]
  }))
  for (line in unique(all_of_them)) {
    # Of R, of a feed, and what only hints at a command.
    if (!startsWith(line, "imbroglio ") || grepl("FEED|\\.\\.\\.|--rates on", line)) next
    line <- sub("^imbroglio ", "", sub(", (column|or) .*$", "", line))
    line <- gsub("--holdings FILE", "--holdings held.csv", line)
    line <- gsub("--limits FILE", "--limits limits.csv", line)
    line <- gsub("--trades FILE", "--trades trades.csv", line)
    line <- gsub("--actions FILE", "--actions bay-actions.csv", line)
    rates <- "--rates bay-rates.csv.gz --base HBC --currencies TMC"
    line <- gsub("--rates FILE --base NAME", rates, line)
    line <- gsub("--from DATE --to DATE", "--from 2018-01-01 --to 2019-12-31", line)
    line <- gsub("NAME=", "BAYALL=", gsub("--(benchmark|against) NAME", "--\\1 BAYALL", line))
    line <- gsub("A=0.6,B=0.4", "TARROW=0.6,OSSELL=0.4", gsub("DATE", "2020-01-02", line))
    line <- sub("store FILE --add PRICES", "store new.sqlite --add bay.csv", line)
    line <- sub("STUDY", "study.yml", sub("FOLDER", "bay-fund.csv", line))
    daily <- grepl("^(selling|adjust)|parkinson", line)
    line <- sub("FILE", if (daily) "bay-daily.csv.xz" else "bay.csv", line)
    few <- grepl("^(fit|backtest|compare|var .*thresholds|choices|ratios|downside)|student", line)
    few <- few && !grepl("held|BAYALL", line)
    words <- scan(text = line, what = "", quiet = TRUE)
    if (few) words <- c(words, "--security", "TARROW")
    words <- c(words, if (words[1L] == "report") c("--only", "risk"),
               if (words[1L] == "morning") c("--today", "2026-01-02"))
    error <- NULL
    printed <- utils::capture.output(utils::capture.output(status <- tryCatch(
      imbroglio:::run_command(words), imbroglio_error = function(e) {
        error <<- conditionMessage(e)
        9L
      }
    ), type = "message"))
    expect_true(status %in% c(0L, 1L, 5L), info = paste(line, error))
  }
})

test_that("an option that is called otherwise elsewhere is met by its meaning, where it is", {
  meant <- imbroglio:::options_meant
  commands <- imbroglio:::commands()
  of <- function(command, option) {
    tryCatch(
      imbroglio:::run_command(c(command, "x.csv", paste0("--", option))),
      imbroglio_error = function(e) conditionMessage(e)
    )
  }
  for (command in c("var", "volatility", "backtest", "beta", "check", "prices", "limits")) {
    allowed <- commands[[command]]$options
    for (option in setdiff(names(meant), c(names(imbroglio:::options_known()), "h"))) {
      said <- of(command, option)
      expect_match(said, sprintf("%s has no option --%s", command, option), fixed = TRUE)
      if (meant[[option]] %in% allowed) {
        expect_match(said, sprintf("Did you mean --%s?", meant[[option]]), fixed = TRUE)
      }
    }
  }
  # Commands of another name, and what is none.
  for (word in c("vol", "cvar", "sharpe", "mdd", "corr", "fx", "te")) {
    said <- of(word, "help")
    expect_match(said, sprintf("For %s run: imbroglio ", word), fixed = TRUE)
    run <- sub("^.*run: imbroglio ([a-z]+) .*$", "\\1", gsub("\\s+", " ", said))
    expect_true(run %in% names(commands), info = word)
  }
  expect_match(of("qqqqqqq", "help"), "imbroglio --help lists them")
})
