# What a command did is kept, done again, and told apart: the files, the prices, what was taken,
# what computes, and each number.

recorded <- function(line, file = "r.json") {
  words <- c(scan(text = line, what = "", quiet = TRUE), "--record", file)
  if (!"--out" %in% words) words <- c(words, "--out", tempfile(fileext = ".csv"))
  quietly(imbroglio:::run_command(words))
  file
}

moved <- function(found) unique(found$number[!found$state %in% c("same", "close")])
said_of <- function(found) paste(format(found), collapse = " ")

in_demo_folder <- function(frame = parent.frame()) {
  folder <- withr::local_tempdir(.local_envir = frame)
  file.copy(demo_file(demo_file()), folder, recursive = TRUE)
  withr::local_dir(folder, .local_envir = frame)
}

test_that("a result in R is kept by the schema, and compared with another", {
  in_demo_folder()
  prices <- quietly(read_prices("bay.csv"))
  then <- run_record(measure_var(prices), "then.json", inputs = "bay.csv", by = "Ada")
  expect_equal(refused_by_schema(then, c("record", "run.schema.json")), "")
  expect_equal(
    jsonlite::fromJSON(then)$inputs$sha256, digest::digest(file = "bay.csv", algo = "sha256")
  )
  again <- run_record(measure_var(prices), "again.json")
  expect_true(all(rerun(then, again)$state == "same"))
  closes <- as.matrix(prices)
  closes[100, "TARROW"] <- closes[100, "TARROW"] * 0.8
  other <- run_record(measure_var(as_prices(closes), level = 0.95), "other.json")
  found <- rerun(then, other)
  expect_match(said_of(found), paste("of TARROW on", rownames(closes)[100]))
  expect_true("var" %in% moved(found))
  book <- as_portfolio(prices, shares = c(OSSELL = 10, TARROW = 5))
  expect_equal(refused_by_schema(
    run_record(measure_volatility(book), "book.json"), c("record", "run.schema.json")
  ), "")
  expect_error(rerun(then), "has no line to do again", class = "imbroglio_error_argument")
  expect_error(run_record(measure_var(prices), "x.json", inputs = "no.csv"), "There is no file")
  expect_error(run_record(measure_var(prices), "x.csv"), "A record is written as .json")
  expect_error(run_record(mtcars, "x.json"), class = "imbroglio_error_argument")
})

test_that("what each command did is kept by the schema, and is the same bit for bit again", {
  in_demo_folder()
  known <- imbroglio:::commands()
  known <- Filter(function(one) "record" %in% one$options, known)
  expect_gt(length(known), 20)
  all_of <- nzchar(Sys.getenv("IMBROGLIO_TEST_ALL"))
  files <- character()
  for (name in names(known)) {
    lines <- sub("^imbroglio ", "", known[[name]]$example)
    lines <- sub(" --record [^ ]+", "", lines)
    for (line in if (all_of) lines else lines[1]) {
      files <- c(files, recorded(line, sprintf("r%d.json", length(files))))
      found <- rerun(utils::tail(files, 1))
      expect_setequal(unique(found$state), "same")
      expect_null(attr(found, "causes"), info = line)
      expect_gt(nrow(found), 3)
    }
  }
  expect_equal(refused_by_schema(files, c("record", "run.schema.json")), "")
})

test_that("what is not as it was is named before the numbers that moved by it", {
  in_demo_folder()
  bay <- utils::read.csv("bay.csv")
  recorded("var bay.csv --security BAYALL --method historical,normal --level 0.95,0.99")
  with_prices <- function(change) {
    utils::write.csv(change(bay), "bay.csv", row.names = FALSE, quote = FALSE)
    found <- rerun("r.json")
    file.copy(demo_file("bay.csv"), "bay.csv", overwrite = TRUE)
    found
  }
  tick <- with_prices(function(x) {
    x$BAYALL[2000] <- x$BAYALL[2000] + 0.01
    x
  })
  expect_match(said_of(tick), "Another file: bay.csv")
  expect_match(said_of(tick), paste("Another close of BAYALL on", bay$date[2000]))
  expect_true("var" %in% moved(tick[grepl("normal", tick$of), ]))
  then <- as.numeric(tick$then[tick$number == "var"])
  now <- as.numeric(tick$now[tick$number == "var"])
  expect_equal(tick$apart[tick$number == "var"], abs(now - then) / then)
  other <- with_prices(function(x) {
    x$TARROW[5] <- x$TARROW[5] * 2
    x
  })
  expect_equal(moved(other), character())
  expect_match(said_of(other), "Another close of TARROW on .* All [0-9]+ numbers are the same")
  later <- with_prices(function(x) {
    x <- x[c(seq_len(nrow(x)), nrow(x)), ]
    x$date[nrow(x)] <- "2026-01-02"
    x
  })
  expect_match(said_of(later), "Dates that are new: 2026-01-02")
  expect_true(all(c("to", "n") %in% moved(later)))
  fewer <- with_prices(function(x) x[names(x) != "PELLAN"])
  expect_match(said_of(fewer), "Securities that are gone: PELLAN")
  expect_no_match(said_of(fewer), "Another close")
  # What comes and goes does not hide a close that was restated.
  restated <- function(x) {
    x$BAYALL[2000] <- x$BAYALL[2000] * 1.01
    x
  }
  for (both in list(
    list(function(x) rbind(x, replace(x[nrow(x), ], "date", "2026-01-02")), "BAYALL on 2023"),
    list(function(x) cbind(x, NEWXXX = 1:nrow(x) + 100), "BAYALL on 2023"),
    list(function(x) x[names(x) != "PELLAN"], "Another close of BAYALL"),
    list(function(x) x[-7, ], "Another close on 2023")
  )) {
    expect_match(said_of(with_prices(function(x) both[[1]](restated(x)))), both[[2]])
  }
  expect_match(
    said_of(with_prices(function(x) restated(x)[-7, names(x) != "PELLAN"])), "cannot be told"
  )
  turned <- with_prices(function(x) x[c(1, ncol(x):2)])
  expect_equal(moved(turned), character())
  expect_no_match(said_of(turned), "Another close")
  # What stands in the record otherwise: a version, a default, an option's meaning, a number.
  with_record <- function(from, to) {
    text <- readLines("r.json")
    expect_true(any(grepl(from, text)), info = from)
    rerun(written(sub(from, to, text), ending = ".json"))
  }
  version <- with_record("\"Rcpp\": \"[^\"]*\"", "\"Rcpp\": \"0.0.1\"")
  expect_match(said_of(version), "Rcpp was 0.0.1, and is .* All [0-9]+ numbers are the same")
  expect_match(said_of(with_record("\"tail\": \"0.1\"", "\"tail\": \"0.2\"")), "--tail is where")
  expect_match(said_of(with_record("\"rank\": \"nearest\", \"h", "\"rank\": \"up\", \"h")), "rank")
  number <- with_record("(\"es\": 0[.][0-9]{5})", "\\17")
  expect_equal(moved(number), "es")
  # Two records: nothing is done again.
  quietly(recorded("var bay.csv --security BAYALL --level 0.99", "s.json"))
  beside <- rerun("r.json", "s.json")
  expect_true(all(c("new", "gone") %in% beside$state | "gone" %in% beside$state))
  expect_match(said_of(beside), "--level was 0.95, 0.99, and is 0.99")
})

test_that("a record is done again beside its files, and of a store as it was known then", {
  in_demo_folder()
  record <- normalizePath(recorded("drawdown bay-kelp.csv"))
  withr::with_dir(tempdir(), expect_setequal(rerun(record)$state, "same"))
  book <- recorded(
    "var bay.csv bay-fund.csv --holdings bay-holdings.csv --between carried", "book.json"
  )
  book <- normalizePath(book)
  found <- withr::with_dir(tempdir(), rerun(book))
  expect_setequal(found$state, "same")
  expect_null(attr(found, "causes"))
  # The age of the last price is counted to the day on which it was asked.
  recorded("limits bay.csv --shares OSSELL=5 --limits bay-limits-book.csv --benchmark BAYALL")
  text <- readLines("r.json")
  dated <- sub("\"today\": \"[0-9-]+\"", "\"today\": \"2026-01-05\"", text)
  expect_match(said_of(rerun(written(dated, ending = ".json"))), "before 2026-01-05")
  # Of a listing as a workbook too; of no rows nothing is said to be the same.
  recorded("returns bay-kelp.csv --out r.xlsx", "x.json")
  expect_setequal(rerun("x.json")$state, "same")
  recorded("backtest bay.csv --security BAYBOND --level 0.9999 --window 2000 --breaches", "n.json")
  none <- quietly(rerun("n.json"))
  expect_equal(nrow(none), 0L)
  expect_match(said_of(none), "no row, then and now")
  store <- "s.sqlite"
  bay <- demo_prices()[1:200, c("TARROW", "OSSELL")]
  quietly(store_prices(bay, store))
  recorded("volatility s.sqlite --security TARROW", "store.json")
  later <- as.data.frame(bay)
  later$TARROW[100] <- later$TARROW[100] * 1.1
  Sys.sleep(1.1)
  quietly(store_prices(as_prices(later), store))
  again <- rerun("store.json")
  expect_setequal(again$state, "same")
  expect_equal(attr(again, "causes"), NULL)
})

test_that("what is no record is refused, and what cannot be done again says why", {
  in_demo_folder()
  recorded("beta bay.csv --benchmark BAYALL --security TARROW --recorded-by 'A. Analyst'")
  text <- paste(readLines("r.json"), collapse = "\n")
  expect_match(text, "\"by\": \"A. Analyst\"")
  cases <- c(
    "x", "{}", "[1]", "{\"imbroglio\": {\"kind\": \"run\", \"form\": \"1\"}}",
    sub("\"form\": \"1\"", "\"form\": \"2\"", text), sub("\"kind\": \"run\"", "\"kind\": 1", text),
    sub("\"command\": \"beta\"", "\"command\": \"alpha\"", text), substr(text, 1, 300)
  )
  # A record from anywhere runs nothing but what measures, and writes nothing.
  as_line <- function(command, ...) {
    words <- sprintf("\"words\": [%s]", paste(sprintf("\"%s\"", c(...)), collapse = ", "))
    text <- sub("\"command\": \"beta\"", sprintf("\"command\": \"%s\"", command), text)
    sub("\"words\": \\[[^]]*\\]", words, text)
  }
  cases <- c(
    cases, as_line("demo", "--files", "evil"), as_line("store", "s.sqlite", "--add", "bay.csv"),
    as_line("rerun", "r.json"), as_line("check", "bay.csv", "--repair", "evil.csv")
  )
  quietly(rerun(written(as_line(
    "volatility", "bay.csv", "--out", "evil.csv", "--figure", "evil.png",
    "--workbook", "evil.xlsx", "--record", "evil.json"
  ), ending = ".json")))
  for (case in cases) {
    expect_error(
      rerun(written(case, ending = ".json")), class = "imbroglio_error_file",
      info = substr(case, 1, 50)
    )
  }
  expect_equal(list.files(pattern = "evil|sqlite"), character())
  expect_error(rerun(tempfile()), class = "imbroglio_error_file")
  expect_error(rerun(1), class = "imbroglio_error_argument")
  unlink("bay.csv")
  expect_error(rerun("r.json"), class = "imbroglio_error")
  ran <- imbroglio("volatility", "-", "--record", "x.json")
  expect_equal(ran$status, 2L)
  expect_false(file.exists("x.json"))
  expect_equal(imbroglio("volatility", "bay-kelp.csv", "--record", "x.csv")$status, 2L)
  expect_equal(imbroglio("volatility", "bay-kelp.csv", "--recorded-by", "me")$status, 2L)
})

test_that("the command says it with a status, as text, CSV and JSON", {
  in_demo_folder()
  recorded("volatility bay-kelp.csv", "v.json")
  same <- imbroglio("rerun", "v.json")
  expect_equal(same$status, 0L)
  expect_match(paste(same$out, collapse = " "), "All [0-9]+ numbers are the same, bit for bit")
  kelp <- readLines("bay-kelp.csv")
  writeLines(sub("49.67", "49.68", kelp), "bay-kelp.csv")
  other <- imbroglio("rerun", "v.json", "--format", "json")
  expect_equal(other$status, 1L)
  said <- jsonlite::fromJSON(other$out)
  expect_false(said$same)
  expect_match(said$causes, "KELPFUND on 2016-02-29", all = FALSE)
  expect_equal(imbroglio("rerun", "v.json", "--out", "v.csv")$status, 1L)
  expect_true("volatility" %in% read.csv("v.csv")$number)
  expect_equal(imbroglio("rerun")$status, 2L)
})

test_that("records of versions before run, and give the same", {
  in_demo_folder()
  kept <- list.files(source_file("tests", "testthat", "records"), full.names = TRUE)
  expect_gte(length(kept), 3L)
  for (file in kept) {
    file.copy(file, "kept.json", overwrite = TRUE)
    found <- rerun("kept.json")
    expect_setequal(setdiff(found$state, "close"), "same")
    expect_no_match(said_of(found), "nother")
  }
})
