# Files that are written differently, each read as a sources file says.

providers <- function() {
  folder <- withr::local_tempdir(.local_envir = parent.frame())
  put <- function(name, ...) writeLines(c(...), file.path(folder, name))
  put("one.csv", "Datum;Papier;Kurs;Umsatz", "02.01.2024;AA;10,5;3", "15.01.2024;AA;11,5;4",
      "02.01.2024;BB;20,5;3", "15.01.2024;BB;21,5;4")
  for (name in c("CC", "DD")) {
    put(paste0(name, ".csv"), "Date,Open,High,Low,Close,Volume", "2024-01-02,10,11,9,10,0.62M",
        "2024-01-15,11,12,10,11,0.7M")
  }
  put("both.txt", "date\tEE\tFF", "01/02/2024\t1.5\t2.5", "01/03/2024\t1.5\t2.5")
  put("papers.csv", "Handelsdatum;Id X;Kurs", "2024-01-02;1;5,2", "2024-01-02;2;6,2",
      "2024-01-15;1;5,2", "2024-01-15;2;7,2")
  folder
}

test_that("a draft says how each file was understood, and what was lacking is asked for", {
  skip_if_not_installed("yaml")
  folder <- providers()
  file <- file.path(folder, "sources.yml")
  ran <- imbroglio("read", folder, "--out", file)
  expect_equal(ran$status, 1L)
  expect_match(ran$out, "5 files: 3 understood, 2 not", all = FALSE)
  text <- readLines(file)
  expect_true("- file: [CC.csv, DD.csv]" %in% text)
  expect_match(text, "^  columns: [{]security|^  # columns: [{]security: \"Id X\"[}]", all = FALSE)
  # Nothing is read past what is not clear.
  expect_error(quietly(read_prices(file)), class = "imbroglio_error_ambiguous")
  text <- sub("^  # (dates: day-first|columns: [{]security.*)", "  \\1", text)
  writeLines(text, file)
  prices <- quietly(read_prices(file))
  expect_equal(
    as.matrix(prices)[1, ],
    c(AA = 10.5, BB = 20.5, CC = 10, DD = 10, `1` = 5.2, `2` = 6.2, EE = NA, FF = NA)[
      colnames(prices)]
  )
  expect_equal(unclass(prices)$fields$volume[1, "CC"], c(CC = 620000))
  expect_equal(prices$EE[time(prices) == as.Date("2024-02-01")], 1.5)
  # A table that is no prices is named as what it is, and left out of the draft.
  writeLines(c("Titre;Quantit\u00e9;Valeur", "AA;3;9"), file.path(folder, "held.csv"))
  writeLines(c("of;measure;limit", "book;var;2%"), file.path(folder, "limits.csv"))
  also <- draft_sources(file.path(folder, c("held.csv", "limits.csv", "CC.csv")),
                        file.path(folder, "also.yml"))
  expect_match(also$problem[1:2], "holdings, not of prices|limits, not of prices")
  expect_equal(colnames(quietly(read_prices(file.path(folder, "also.yml")))), "CC")
  # One that was changed by hand is not written over.
  expect_error(draft_sources(folder, file), "changed by hand", class = "imbroglio_error_write")
  # What a draft was understood as is what it says: read by it, it is read the same.
  unlink(file)
  draft <- draft_sources(file.path(folder, c("one.csv", "CC.csv")), file)
  expect_equal(draft$securities, 2:1)
  alone <- quietly(read_prices(file.path(folder, c("one.csv", "CC.csv"))))
  by_file <- quietly(read_prices(file))
  expect_identical(as.data.frame(by_file), as.data.frame(alone))
  expect_identical(by_file$digest, alone$digest)
})

test_that("an entry says columns, currency, unit and name; the first that names a file counts", {
  skip_if_not_installed("yaml")
  folder <- withr::local_tempdir()
  put <- function(name, ...) writeLines(c(...), file.path(folder, name))
  put("p[1].csv", "date|Date|settle|mid|units", "x1|2024-03-04|1000|990|12k",
      "x2|2024-03-05|1100|1050|13k")
  put("q.csv", "date,close", "2024-03-04,5", "2024-03-05,6")
  put("sources.yml", "files:", "- file: p[1].csv", "  separator: \"|\"",
      "  columns: {date: Date, price: mid, volume: units}", "  security: PP",
      "  currency: GBP", "  divide: 100", "- file: \"*.csv\"", "  security: QQ")
  file <- file.path(folder, "sources.yml")
  prices <- quietly(read_prices(file))
  expect_equal(as.data.frame(prices)[-1], data.frame(PP = c(9.9, 10.5), QQ = 5:6))
  expect_equal(unclass(prices)$fields$volume[, "PP"], c(12000, 13000))
  expect_equal(unclass(prices)$about$currency, c("GBP", NA))
  ran <- imbroglio("var", file, "--record", file.path(folder, "r.json"))
  run <- jsonlite::read_json(file.path(folder, "r.json"))
  named <- unlist(lapply(run$inputs %||% run$files, `[[`, "path"))
  expect_setequal(basename(named), c("sources.yml", "p[1].csv", "q.csv"))
  clash <- imbroglio("prices", file, "--out", file.path(folder, "q.csv"))
  expect_match(clash$err, "which is read")
  expect_equal(readLines(file.path(folder, "q.csv"))[1L], "date,close")
  # A study of them is measured anew when one of them changes.
  study <- c("prices: sources.yml", "measures: {volatility: {}}", "report: {folder: report}")
  put("study.yml", study)
  sources <- imbroglio:::study_sources(quietly(read_study(file.path(folder, "study.yml"))))
  put("q.csv", "date,close", "2024-03-04,5", "2024-03-05,7")
  later <- imbroglio:::study_sources(quietly(read_study(file.path(folder, "study.yml"))))
  expect_equal(names(sources)[sources != later], "q.csv")
  given <- quietly(as_returns(file, given = "profits"))
  expect_equal(given$QQ, c(5, 7))
})

test_that("what a sources file must not say is refused, with the entry and what there may be", {
  skip_if_not_installed("yaml")
  folder <- withr::local_tempdir()
  writeLines(c("date,close", "2024-03-04,5", "2024-03-05,6"), file.path(folder, "q.csv"))
  said <- function(...) {
    file <- file.path(folder, "s.yml")
    writeLines(c(...), file)
    tryCatch(quietly(read_prices(file)), imbroglio_error = function(e) e)
  }
  bad <- list(
    "says `files:`" = "prices: q.csv", "says `files:`" = "files: q.csv", "no YAML" = "files: [",
    "Entry 1: it names no file" = c("files:", "- decimal: \".\""),
    "says \"decmal\"" = c("files:", "- file: q.csv", "  decmal: \".\""),
    "decimal is" = c("files:", "- file: q.csv", "  decimal: \";\""),
    "dates is" = c("files:", "- file: q.csv", "  dates: dmy"),
    "separator is" = c("files:", "- file: q.csv", "  separator: \":\""),
    "columns say" = c("files:", "- file: q.csv", "  columns: {cost: close}"),
    "not lines of" = c("files:", "- file: q.csv", "  columns: [close]"),
    "no column shut" = c("files:", "- file: q.csv", "  columns: {price: shut}"),
    "divide is no" = c("files:", "- file: q.csv", "  divide: none"),
    "no file fits" = c("files:", "- file: \"*.txt\""),
    "currency is no text" = c("files:", "- file: q.csv", "  currency: {a: b}")
  )
  for (i in seq_along(bad)) {
    found <- said(bad[[i]])
    expect_s3_class(found, "imbroglio_error_sources")
    expect_match(conditionMessage(found), names(bad)[i], info = i)
  }
  expect_s3_class(said("files:", "- file: gone.csv"), "imbroglio_error_file")
  expect_s3_class(said("files:", "- file: !expr 1 + 1"), "imbroglio_error_file")
  good <- c("files:", "- file: q.csv")
  expect_s3_class(said(good), "imbroglio_prices")
  file <- file.path(folder, "s.yml")
  expect_error(open_prices(file), class = "imbroglio_error_argument")
  expect_error(draft_sources(file), class = "imbroglio_error_argument")
  expect_error(draft_sources(file.path(folder, "q.csv"), file.path(folder, "s.txt")),
               class = "imbroglio_error_argument")
  # What is said is not gainsaid by the file.
  writeLines(c("date,close,currency", "2024-03-04,5,USD"), file.path(folder, "q.csv"))
  expect_s3_class(said(good, "  currency: EUR"), "imbroglio_error_currency")
})

test_that("of several prices the one that is measured is named; dividends are in its unit", {
  skip_if_not_installed("yaml")
  folder <- withr::local_tempdir()
  csv <- file.path(folder, "A.csv")
  file <- file.path(folder, "s.yml")
  writeLines(c(
    "Date,Open,Close,Adj Close,Volume,Dividend", "2024-01-15,990,1000,900,5,",
    "2024-01-16,1000,1100,1000,6,50"
  ), csv)
  draft_sources(csv, file)
  alone <- unclass(quietly(read_prices(csv)))
  told <- unclass(quietly(read_prices(file)))
  parts <- c("close", "fields", "measured", "actions", "digest")
  expect_identical(told[parts], alone[parts])
  cases <- list(
    "columns: {price: Close}" = c(1000, 1100), "columns: {price: Open}" = c(990, 1000),
    "columns: {price: Adj Close, close: Open}" = c(900, 1000),
    "columns: {close: Adj Close}" = c(900, 1000)
  )
  for (line in names(cases)) {
    writeLines(c("files:", "- file: A.csv", paste0("  ", line)), file)
    expect_equal(quietly(read_prices(file))$A, cases[[line]], info = line)
    writeLines(c("files:", "- file: A.csv", paste0("  ", line), "  divide: 100"), file)
    pounds <- quietly(read_prices(file))
    expect_equal(pounds$A, cases[[line]] / 100, info = line)
    expect_equal(unclass(pounds)$actions$dividend, 0.5, info = line)
    expect_equal(unclass(pounds)$fields$volume[, 1], c(5, 6), info = line)
  }
  # Said of the file, it goes before what is said of all.
  writeLines(c("files:", "- file: A.csv", "  columns: {price: Close}"), file)
  expect_equal(quietly(read_prices(file, price = "Open"))$A, c(1000, 1100))
  # A return, and a value at risk, do not hang on the unit; a book's worth does.
  expect_equal(quietly(as_portfolio(pounds, shares = c(A = 10)))$value, 100)
})
