# A study: a whole piece of work in one file.

study_folder <- function(frame = parent.frame()) {
  folder <- withr::local_tempdir(.local_envir = frame)
  file.copy(demo_file(c(
    "bay.csv", "bay-fund.csv", "bay-book.csv", "bay-limits-book.csv", "bay-securities.csv",
    "bay-rates.csv.gz", "bay-study.yml"
  )), folder)
  folder
}

study_of <- function(..., folder = tempdir()) {
  path <- tempfile("study-", folder, ".yml")
  writeLines(c(...), path)
  path
}

refusal <- function(...) {
  tryCatch(read_study(study_of(...)), imbroglio_error_study = function(e) e)
}

test_that("what is no study is refused with its line, its key and the nearest that there is", {
  cases <- list(
    list(c("prices: a.csv", "benchmrk: X"), 2, "benchmrk is no key of a study", "benchmark"),
    list(
      c("prices: a.csv", "book:", "  holdngs: b.csv"), 3, "holdngs is no key of book", "holdings"
    ),
    list(c("prices: a.csv", "book: {holdngs: b}"), 2, "no key of book", "holdings"),
    list(c("prices: a.csv", "", "levels: [0.95, 1.5]"), 3, "levels: below 1|below 1; it is 1.5"),
    list(
      c("prices: a.csv", "levels: high"), 2, "levels must be a number or a list; it is \"high\""
    ),
    list(c("prices: a.csv", "kind: logs"), 2, "takes simple and log", "log"),
    list(c("prices: a.csv", "window: 2.5"), 2, "window must be a whole number; it is 2.5"),
    list(c("prices: a.csv", "measures:", "  var: {levl: 0.9}"), 3, "levl is no key", "level"),
    list(c("prices: a.csv", "measures:", "  vra:"), 3, "vra is no key of measures", "var"),
    list(
      c("prices: a.csv", "# measures", "seed: yes"), 3,
      "seed must be a whole number; it is \"yes\""
    ),
    list(c("prices: a.csv", "methods:", "  - historcal"), 2, "does not know", "historical"),
    list("title: no prices", NA, "must say prices"),
    list(c("prices: [a.csv,", "x: y"), 2, "no YAML"),
    list(c("prices: a.csv", "prices: b.csv"), 2, "prices stands there twice"),
    list(c("prices: a.csv", "\tseed: 2"), 2, "no YAML"),
    list(c("prices: a.csv", "title: !expr stop('ran')"), 2, "tags"),
    list("- prices", 1, "keys with values")
  )
  for (case in cases) {
    e <- refusal(case[[1]])
    said <- conditionMessage(e)
    expect_s3_class(e, "imbroglio_error_study")
    expect_match(said, case[[3]], info = case[[1]])
    if (is.na(case[[2]])) expect_null(e$line) else expect_equal(e$line, case[[2]], info = said)
    if (length(case) > 3) expect_match(said, sprintf("Did you mean %s?", case[[4]]), fixed = TRUE)
  }
  # No security is lost to a language in which no and y are words of another kind.
  says <- read_study(study_of("prices: a.csv", "choose: [NO, y, off, 010]"))$says
  expect_equal(says$choose, c("NO", "y", "off", "010"))
})

test_that("an unknown key is found on its line wherever it stands in the demo study", {
  lines <- readLines(demo_file("bay-study.yml"))
  for (i in grep("^ *[a-z_]+:", lines)) {
    broken <- lines
    broken[i] <- sub("^( *)[a-z_]+:", "\\1zzzz:", lines[i])
    e <- refusal(broken)
    # Without its prices it is no study, whatever else is wrong.
    if (grepl("^prices", lines[i])) next
    expect_equal(e$line, i, info = lines[i])
  }
})

test_that("the schema that ships is what files are checked by", {
  shipped <- system.file("study", "study.schema.json", package = "imbroglio")
  expect_equal(readLines(shipped), strsplit(imbroglio:::schema_text(), "\n")[[1]])
})

test_that("three commands lead from a folder of files and a holdings file to a report", {
  home <- withr::local_tempdir()
  prices <- file.path(home, "prices")
  dir.create(prices)
  bay <- read.csv(demo_file("bay.csv"))
  for (name in c("OSSELL", "TARROW", "BAYBOND", "BAYALL")) {
    one <- tail(bay[c("date", name)], 700)
    write.csv(one, file.path(prices, paste0(name, ".csv")), row.names = FALSE, quote = FALSE)
  }
  writeLines(
    c("security,shares", "OSSELL,100", "TARROW,50", "BAYBOND,30"), file.path(home, "held.csv")
  )
  withr::local_dir(home)
  drafted <- imbroglio(
    "study", "new", "prices", "--holdings", "held.csv", "--benchmark", "BAYALL", "--out",
    "study.yml"
  )
  expect_equal(drafted$status, 0L, info = drafted$err)
  expect_equal(imbroglio("study", "check", "study.yml")$status, 0L)
  # The example of the command runs one whole; here a few measures are enough.
  lines <- readLines("study.yml")
  writeLines(
    lines[!grepl("^  [a-z_]+:.*# ", lines) | grepl("^  (var|worst|split|holdings)", lines)],
    "study.yml"
  )
  ran <- imbroglio("study", "run", "study.yml")
  expect_equal(ran$status, 0L, info = ran$err)
  expect_setequal(
    list.files("report"),
    c("report.html", "tables", "figures", "tables.xlsx", "record.json", "runs")
  )
  # Its numbers are those of the functions, to the bit.
  held <- as_portfolio(read_prices("prices"), holdings = "held.csv")
  expected <- measure_var(
    held, level = c(0.95, 0.99), method = c("historical", "normal", "student", "ewma")
  )
  shown <- read.csv("report/tables/var.csv")
  for (column in c("var", "es", "var_low", "var_value")) {
    expect_identical(shown[[column]], expected[[column]], info = column)
  }
  expect_match(paste(readLines("report/report.html"), collapse = ""), "BOOK, as held today")

  # A second run measures nothing; a change of one measure that; of a file all.
  run <- function(...) imbroglio("study", "run", "study.yml", ...)
  before <- tools::md5sum(list.files("report", recursive = TRUE, full.names = TRUE))
  expect_match(run()$err, "0 parts measured, [0-9]+ unchanged")
  expect_equal(tools::md5sum(names(before)), before)
  lines <- readLines("study.yml")
  writeLines(sub("worst: \\{worst: 5\\}", "worst: {worst: 2}", lines), "study.yml")
  expect_match(run()$err, "1 part measured")
  expect_equal(nrow(read.csv("report/tables/worst.csv")), 2L)
  # What is tested and split is the value at risk as it is measured.
  lines <- readLines("study.yml")
  writeLines(c(sub("^  var:", "  var: {method: normal}", lines)), "study.yml")
  expect_match(run()$err, "4 parts measured")
  expect_equal(unique(read.csv("report/tables/split.csv")$method), "normal")
  expect_equal(unique(read.csv("report/tables/var_each.csv")$method), "normal")
  cat("NOWHERE,1\n", file = "held.csv", append = TRUE)
  unknown <- run()
  expect_equal(unknown$status, 3L)
  expect_match(unknown$err, "NOWHERE")
  # What failed left the report as it was.
  expect_equal(nrow(read.csv("report/tables/worst.csv")), 2L)
  writeLines(c("security,shares", "OSSELL,100", "TARROW,50", "BAYBOND,31"), "held.csv")
  expect_match(run("--only", "risk")$err, "2 parts measured\\.")
})

test_that("what cannot be measured is a note in the page and status 5, and the rest is there", {
  home <- study_folder()
  short <- read.csv(file.path(home, "bay.csv"))[c("date", "OSSELL", "PELLAN", "BAYALL")]
  short$PELLAN[seq_len(nrow(short) - 4)] <- NA
  write.csv(short, file.path(home, "short.csv"), row.names = FALSE, na = "")
  study <- study_of(
    "prices: short.csv", "benchmark: BAYALL", "book: {shares: {OSSELL: 10, PELLAN: 5}}",
    "measures: {var: , drawdown: , backtest: }",
    folder = home
  )
  ran <- imbroglio("study", "run", study, "--out", file.path(home, "out"))
  expect_equal(ran$status, 5L)
  expect_match(ran$err, "not to be had")
  page <- paste(readLines(file.path(home, "out", "report.html")), collapse = "")
  expect_match(page, "PELLAN costs BOOK much of its history")
  expect_match(page, "Of 3 returns that is no more than a guess")
  expect_match(page, "Not measured: Value at risk put to the test", fixed = TRUE)
  expect_match(page, "id=\"t-drawdown\"", fixed = TRUE)
  # A choice that cannot be is no matter of the data, and has its line.
  wrong <- study_of(
    "prices: bay.csv", "choose: TARROW", "measures:", "  var:", "    draws: -1", folder = home
  )
  e <- tryCatch(
    run_study(wrong, file.path(home, "out2"), only = "var"), imbroglio_error_study = identity
  )
  expect_equal(e$line, 5L)
  expect_false(dir.exists(file.path(home, "out2")))
  # It is as broken a second time, when nothing is measured again.
  again <- imbroglio("study", "run", study, "--out", file.path(home, "out"))
  expect_equal(again$status, 5L)
  expect_match(again$err, "0 parts measured, .* not to be had")
  # Of a folder that holds anything else nothing is replaced.
  kept <- file.path(home, "mine")
  dir.create(kept)
  writeLines("precious", file.path(kept, "notes.txt"))
  expect_error(run_study(study, kept), class = "imbroglio_error_file")
  expect_equal(list.files(kept), "notes.txt")
})

test_that("what is asked for and cannot be had is said, and reading is drafted as it was told", {
  home <- study_folder()
  study <- study_of(
    "prices: bay.csv", "choose: TARROW", "measures: {var: , beta: , split: }", folder = home
  )
  ran <- suppressMessages(run_study(study, file.path(home, "out")))
  failed <- ran[ran$state == "failed", ]
  expect_setequal(failed$part, c("beta", "split"))
  expect_match(failed$detail[failed$part == "beta"], "needs a benchmark")
  page <- paste(readLines(file.path(home, "out", "report.html")), collapse = "")
  expect_match(page, "Not measured: Beta", fixed = TRUE)
  expect_s3_class(refusal("prices: a.csv", "measures: {return: {window: 60}}"), "imbroglio_error")
  odd <- file.path(home, "odd.csv")
  writeLines(c("date;A", sprintf("%s;1.%03d", as.Date("2024-01-01") + 1:40, 1:40)), odd)
  drafted <- file.path(home, "odd.yml")
  expect_error(new_study(odd, drafted), class = "imbroglio_error")
  expect_equal(
    imbroglio("study", "new", odd, "--decimal", ",", "--out", drafted, "--quiet")$status, 0L
  )
  expect_equal(read_study(drafted)$says$read, list(decimal = ","))
})

test_that("currency, period, given returns, one security and a universe each have a page", {
  home <- study_folder()
  cases <- list(
    one = c("prices: bay.csv", "choose: TARROW", "period: {last: \"3 years\"}"),
    many = c("prices: [bay.csv, bay-fund.csv]", "choose: [OSSELL, REEFFUND]", "benchmark: BAYALL"),
    money = c(
      "prices: bay.csv", "choose: [BAYMETAL, OSSELL]",
      "currency: {base: HBC, rates: bay-rates.csv.gz, of: {BAYMETAL: TMC, OSSELL: HBC}}",
      "period: {during: 2023}", "measures: {currency: , var: {method: normal}}"
    ),
    returns = c(
      "prices: monthly.csv", "given: returns", "measures: {var: , roll: {measures: var}}"
    )
  )
  monthly <- as.data.frame(as_returns(
    read_prices(demo_file("bay.csv"))[, c("OSSELL", "TARROW")], every = "month"
  ))
  write.csv(monthly, file.path(home, "monthly.csv"), row.names = FALSE)
  expected <- list(
    one = measure_var(window(read_prices(demo_file("bay.csv"))[, "TARROW"], last = "3 years")),
    money = measure_var(
      window(translate_prices(
        read_prices(demo_file("bay.csv"))[, c("BAYMETAL", "OSSELL")],
        demo_file("bay-rates.csv.gz"),
        "HBC", c(BAYMETAL = "TMC", OSSELL = "HBC")
      ), during = "2023"),
      method = "normal"
    ),
    returns = measure_var(as_returns(file.path(home, "monthly.csv"), given = "returns"))
  )
  for (name in names(cases)) {
    study <- study_of(cases[[name]], folder = home)
    out <- file.path(home, name)
    ran <- suppressMessages(run_study(study, out, only = if (name != "money") {
      c("top", "var", if (name == "returns") "roll", if (name == "book") c("shock", "compare"))
    }))
    expect_false(any(ran$state == "failed"), info = paste(name, ran$detail))
    shown <- read.csv(file.path(out, "tables", "var.csv"))
    if (!is.null(expected[[name]])) expect_identical(shown$var, expected[[name]]$var, info = name)
  }
})

test_that("a study is bounded before it is parsed, and all that is wrong is told at once", {
  base <- "prices: a.csv"
  cases <- list(
    list("levels: .nan", "it is \".nan\""), list("horizons: 3000000000", "at most 2,147,483,647"),
    list("seed: 99999999999", "at most 2,147,483,647"),
    list("book: {shares: {A: 1,000}}", "000 must be a number; it is empty"),
    list("value: 1,000,000", "it is \"1,000,000\""),
    list(paste0("levels: ", strrep("[", 500), strrep("]", 500)), "more than 20 deep"),
    list(strrep("- ", 500), "more than 20 deep"), list("title: *x", "aliases"),
    list("title: &x y", "anchors"), list(c("---", "seed: 1"), "another begins here"),
    list(sprintf("S%d: 1", 1:6000), "5,000 values at most"),
    list(paste0("choose: ", strrep("[]", 50000)), "5,000 values at most"),
    list(strrep("x", 2^20), "1,048,576 bytes at most")
  )
  for (case in cases) {
    took <- system.time(e <- refusal(base, case[[1]]))
    expect_s3_class(e, "imbroglio_error_study")
    expect_match(conditionMessage(e), case[[2]], fixed = TRUE, info = case[[1]][1])
    if (!grepl("bytes", case[[2]])) expect_gte(e$line, 2L)
    expect_lt(took[["elapsed"]], 5)
  }
  nul <- tempfile(fileext = ".yml")
  writeBin(c(charToRaw("prices: a.csv\n"), as.raw(0), charToRaw("seed: x\n")), nul)
  expect_error(read_study(nul), "NUL", class = "imbroglio_error_study")
  several <- refusal(base, "levls: 3", "horizons: x", "kind: logs", "0700: 2")
  for (said in c("4 things", "Line 2: levls", "Did you mean levels", "Line 3", "Line 4", "0700")) {
    expect_match(conditionMessage(several), said, fixed = TRUE)
  }
  # What a person writes plainly is taken.
  says <- read_study(study_of("---", base, "title: \"a *b & c\" # d", "seed: 7"))$says
  expect_equal(says[c("title", "seed")], list(title = "a *b & c", seed = 7))
  lacking <- study_of("prices: a.csv", "currency: {base: A, rates: none.csv}", folder = tempdir())
  checked <- imbroglio("study", "check", lacking)
  expect_equal(checked$status, 3L)
  expect_match(checked$err, "Line 1: prices names a.csv, which is not there")
  expect_match(checked$err, "Line 2: currency: rates names none.csv")
})

test_that("a run replaces what it wrote and is as it wrote it, and nothing else", {
  home <- study_folder()
  study <- study_of("prices: bay.csv", "choose: TARROW", "measures: {var: }", folder = home)
  folder <- file.path(home, "out")
  run <- function(where = folder, ...) told_of(run_study(study, where, ..., today = "2026-01-02"))
  expect_true(all(run()$value$state == "measured"))
  table <- file.path(folder, "tables", "var.csv")
  whole <- readLines(table)
  writeLines("mine", file.path(folder, "tables", "master.csv"))
  unlink(table)
  page <- file.path(folder, "report.html")
  size <- file.size(page)
  writeBin(readBin(page, "raw", 100), page)
  again <- run()
  expect_true(all(again$value$state == "kept"))
  expect_equal(readLines(table), whole)
  expect_gt(file.size(page), 0.9 * size)
  expect_equal(readLines(file.path(folder, "tables", "master.csv")), "mine")
  expect_match(paste(again$told, collapse = " "), "report.html.as-found")
  expect_equal(file.size(file.path(folder, "report.html.as-found")), 100)
  # Nothing to do is nothing done, and a link leads to the folder.
  before <- file.mtime(page)
  link <- file.path(home, "link")
  file.symlink(folder, link)
  expect_true(all(run(link)$value$state == "kept"))
  expect_equal(file.mtime(page), before)
  # The head says how old the prices are, so a day later it is made again.
  head <- paste(readLines(page), collapse = "")
  expect_match(head, "2025-12-31, 1 trading day before 2026-01-02")
  later <- run_study(study, link, today = "2026-01-05")
  expect_equal(later$state[later$part == "top"], "measured")
  expect_true(nzchar(Sys.readlink(link)))
  # A stranger's record is no leave to write.
  strange <- file.path(home, "strange")
  dir.create(file.path(strange, "tables"), recursive = TRUE)
  writeLines("{\"form\": 1, \"parts\": []}", file.path(strange, "record.json"))
  writeLines("mine", file.path(strange, "tables", "master.csv"))
  expect_error(run_study(study, strange), "not of a run", class = "imbroglio_error_file")
  expect_equal(readLines(file.path(strange, "tables", "master.csv")), "mine")
})
