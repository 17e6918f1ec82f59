# A month of mornings of a team, with what happens in a month: each has a status, and a line that
# it must have.
for (package in c("RSQLite", "yaml", "svglite", "httr2")) skip_if_not_installed(package)
withr::local_options(cli.progress_show_after = Inf, .local_envir = teardown_env())
folder <- withr::local_tempdir(.local_envir = teardown_env())
team <- team_mornings(folder)
withr::defer(team$feed$process$kill(), teardown_env())
days <- file.path(folder, "days")
log_lines <- function() lapply(readLines(file.path(days, "log.jsonl")), jsonlite::parse_json)
# In this process; a warning of R's own is a fault.
morning <- function(...) {
  said <- utils::capture.output(type = "message", status <- withCallingHandlers(
    imbroglio:::status_of_line(c("morning", team$at("study.yml"), ...)),
    simpleWarning = function(w) stop("R warns: ", conditionMessage(w))
  ))
  line <- utils::tail(log_lines(), 1L)[[1L]]
  kept <- line$kept
  list(
    status = status, line = line, said = paste(said, collapse = " "),
    news = if (length(kept)) paste(readLines(file.path(days, kept, "news.txt")), collapse = " ")
  )
}
# As a scheduler would: nothing in the environment but what is said.
morning_process <- function(..., env = character(), before = "") {
  command <- sprintf(
    "%s exec '%s' morning '%s' %s", before,
    system.file("exec", "imbroglio", package = "imbroglio"), team$at("study.yml"),
    paste(c(...), collapse = " ")
  )
  processx::run(
    "bash", c("-c", command), error_on_status = FALSE,
    env = c(
      PATH = Sys.getenv("PATH"), R_LIBS = paste(.libPaths(), collapse = ":"),
      TMPDIR = dirname(tempdir()), env
    )
  )
}

# What happens the evening before, the status, and what must be said.
month <- list(
  list("all is new", function() NULL, 0L, "had 359 new prices, 0 restated.*no error.*2 within"),
  list("the feed is late", function() NULL, 6L, "1 error among the prices.*old, 2 trading days",
       later = 2L),
  list("two days come", function() for (i in 1:2) team$next_day(), 0L, "6 new prices"),
  list("one is suspended", function() team$next_day("TARROW"), 5L, "2 limits cannot be measured"),
  list("a trade too much", function() {
    team$hold(1000)
    team$next_day()
  }, 1L, "2 limits are broken.*Weight .* trades broke it: with what was held"),
  list("the same once more", function() NULL, 1L, "Weight .* trades broke it"),
  list("it is traded back", function() {
    team$hold(100)
    team$next_day()
  }, 0L, "all is well.*2 within.*Weight .* is within its limit .*it was broken before"),
  list("the market falls", function() team$next_day(by = 0.9), 1L, "the market broke it"),
  list("a price is restated", function() team$restate("TARROW", 1.001), 1L, "1 restated"),
  list("a wrong unit", function() team$next_day(by = 100), 1L,
       "3 doubts about what the feed brought.*Doubtful: OSSELL"),
  list("and right again, with a rule for it", function() {
    team$next_day()
    team$say("repair: [blank, divide]")
  }, 1L, "3 findings were put right as the study says. The check found no error"),
  list("one that the feed does not have", function() {
    team$say("repair: [blank, divide]", more = "  securities: [OSSELL, TARROW, BAYBOND, NOBODY]")
    team$next_day()
  }, 6L, "could not be had of the feed.*Not had: NOBODY")
)

test_that("a month of mornings has the statuses and the news that it must have", {
  for (one in month) {
    one[[2L]]()
    found <- morning("--today", team$today(max(1L, one$later)))
    expect_equal(found$status, one[[3L]], info = one[[1L]])
    expect_match(found$news, one[[4L]], info = one[[1L]])
    expect_equal(found$line$status, one[[3L]], info = one[[1L]])
    files <- unlist(found$line$files)
    now <- vapply(file.path(days, names(files)), digest::digest, "", algo = "sha256", file = TRUE)
    expect_equal(unname(now), unname(files), info = one[[1L]])
    page <- digest::digest(file.path(days, found$line$kept, "report.html"), file = TRUE)
    if (one[[1L]] == "the same once more") expect_identical(page, page_before)
    page_before <- page
    # What somebody lays there stays, whatever is pruned.
    if (one[[1L]] == "two days come") {
      writeLines("seen", file.path(days, found$line$kept, "note.txt"))
    }
  }
  lines <- log_lines()
  expect_length(lines, length(month))
  files <- vapply(readLines(file.path(days, "log.jsonl")), written, "")
  expect_equal(refused_by_schema(files, c("record", "morning.schema.json")), "")
  # A week of pages, three of workbooks, the last of the month; of all days the record.
  dates <- unique(vapply(lines, `[[`, "", "last_day"))
  kept <- list.files(file.path(days, "runs"))
  newest <- as.Date(max(dates))
  noted <- lines[[3L]]$last_day
  expect_setequal(kept, c(dates[as.Date(dates) > newest - 7], noted))
  expect_setequal(
    list.files(file.path(days, "runs", noted)), c("note.txt", "record.json")
  )
  books <- list.files(file.path(days, "runs"), "tables.xlsx", recursive = TRUE)
  expect_setequal(dirname(books), dates[as.Date(dates) > newest - 3])
  expect_setequal(list.files(file.path(days, "report", "runs")), paste0(dates, ".json"))
  page <- paste(readLines(file.path(days, "index.html")), collapse = "\n")
  for (date in dates) expect_match(page, sprintf("runs/%s/report.html\"|>%s<", date, date))
})

test_that("a feed that is silent costs what was said, and what is held is measured", {
  team$say("repair: [blank, divide]", feed = "http://127.0.0.1:9")
  found <- morning("--today", team$today())
  expect_equal(found$status, 6L)
  expect_match(found$line$feed, "Failed to connect")
  expect_equal(morning("--today", team$today(), "--no-fetch")$line$feed, "not asked")
  # One that takes the question and says nothing.
  silent <- NULL
  # Below the ports that a system hands out by itself; one that is taken is passed over.
  for (port in sample(20000:32000, 50)) {
    silent <- tryCatch(suppressWarnings(serverSocket(port)), error = function(e) NULL)
    if (!is.null(silent)) break
  }
  withr::defer(close(silent))
  spent <- system.time(expect_error(
    fetch_prices(sprintf("http://127.0.0.1:%d", port), "A", patience = 3),
    class = "imbroglio_error_feed"
  ))[["elapsed"]]
  expect_gt(spent, 2.5)
  expect_lt(spent, 10)
})

test_that("it runs where nothing is set, twice at once it does not, and a full disk is told", {
  before <- morning("--today", team$today(), "--no-fetch")
  found <- morning_process("--no-fetch", "--today", team$today(), env = c(LANG = "C"))
  expect_equal(found$status, before$status)
  expect_equal(paste(strsplit(found$stdout, "\n")[[1L]], collapse = " "), before$news)
  expect_no_match(found$stderr, "[Ww]arning|HOME")
  as_json <- morning_process("--no-fetch", "--today", team$today(), "--format", "json")
  line <- jsonlite::parse_json(as_json$stdout)
  expect_equal(line$limits, before$line$limits)
  expect_equal(line$files, before$line$files)
  logged <- length(log_lines())
  lock <- imbroglio:::lock_mornings(days)
  found <- morning_process("--no-fetch", "--today", team$today())
  DBI::dbDisconnect(lock)
  expect_equal(found$status, 4L)
  expect_match(found$stderr, "Another morning is at work in .*days")
  expect_length(log_lines(), logged)
  # No file may be longer than this: what was there stays, and the log, for which there is room,
  # says it.
  page <- file.path(days, "report", "report.html")
  there <- digest::digest(page, file = TRUE)
  team$hold(120)
  found <- morning_process(
    "--no-fetch", "--today", team$today(), before = "trap '' XFSZ; ulimit -f 100;"
  )
  expect_equal(found$status, 4L)
  expect_match(found$stderr, "could not be written")
  expect_equal(digest::digest(page, file = TRUE), there)
  expect_equal(utils::tail(log_lines(), 1L)[[1L]]$status, 4L)
  index <- paste(readLines(file.path(days, "index.html")), collapse = "\n")
  expect_match(index, "gave no numbers")
})

test_that("what a killed run left is told and swept, and nothing of the days is lost", {
  known <- list.files(file.path(days, "report", "runs"))
  for (wait in c(0, 2, 4)) {
    team$hold(100 + wait)
    process <- r_process(sprintf(
      "imbroglio::run_morning('%s', today = '%s', fetch = FALSE)", team$at("study.yml"),
      team$today()
    ))
    running <- file.path(days, ".running.json")
    until <- Sys.time() + 60
    while (!file.exists(running) && Sys.time() < until) Sys.sleep(0.02)
    Sys.sleep(wait)
    at_work <- if (file.exists(running)) jsonlite::read_json(running)
    process$kill_tree()
    process$kill()
    if (is.null(at_work)) next
    logged <- length(log_lines())
    found <- morning("--no-fetch", "--today", team$today())
    lines <- log_lines()
    expect_length(lines, logged + 2L)
    expect_null(lines[[logged + 1L]]$status)
    expect_match(lines[[logged + 1L]]$reasons[[1L]], "killed")
    expect_false(dir.exists(at_work$temporary))
    expect_true(found$status %in% c(1L, 6L))
    expect_length(list.files(days, "^[.]imbroglio", all.files = TRUE), 0L)
    expect_setequal(list.files(file.path(days, "report", "runs")), known)
  }
  # Between the two steps in which a folder takes the place of another.
  file.rename(file.path(days, "report"), file.path(days, ".imbroglio-aside"))
  morning("--no-fetch", "--today", team$today())
  expect_setequal(list.files(file.path(days, "report", "runs")), known)
})

test_that("any study has mornings, of securities as of a book, with what it says or the usual", {
  file.copy(demo_file("bay.csv"), folder)
  plain <- team$at("plain.yml")
  writeLines(c("prices: bay.csv", "choose: [OSSELL, TARROW]", "measures: {drawdown: }"), plain)
  found <- quietly(run_morning(plain, today = "2026-01-02"))
  expect_equal(found$status, 0L)
  expect_null(found$limits)
  expect_output(
    print(found), "2025-12-31: nothing is wrong; it has no limits[.].*TARROW risks most"
  )
  expect_true(all(file.exists(file.path(folder, "mornings", names(found$files)))))
  # A day before those that are kept would be one of today's holdings in their place.
  expect_error(
    quietly(run_morning(plain, today = "2025-12-30")), "is kept there",
    class = "imbroglio_error_argument"
  )
  # Prices that went back are no news of that day only.
  dir.create(file.path(folder, "mornings/runs/2026-01-05"))
  expect_match(
    unlist(quietly(run_morning(plain))$reasons), "prices end before the morning of 2026-01-05",
    all = FALSE
  )
  # Where a day cannot be kept, that is said, and not taken for a day without news.
  earlier <- file.path(folder, "earlier")
  dir.create(file.path(earlier, "runs"), recursive = TRUE)
  writeLines("mine", file.path(earlier, "runs", "2025-12-30"))
  expect_error(
    quietly(run_morning(plain, earlier, today = "2025-12-30")), "is a file",
    class = "imbroglio_error_file"
  )
  index <- paste(readLines(file.path(earlier, "index.html")), collapse = "\n")
  expect_match(index, "gave no numbers.*is a file")
})

test_that("beside a store the decimal mark is of the holdings; a day that is asked for is kept", {
  place <- file.path(folder, "store")
  dir.create(place)
  at <- function(name) file.path(place, name)
  quietly(store_prices(demo_prices()[2300:2573, c("OSSELL", "TARROW")], at("kept.sqlite")))
  writeLines(c("security;quantity", "OSSELL;100,5", "TARROW;60"), at("held.csv"))
  writeLines(c(
    "prices: kept.sqlite", "read: {decimal: \",\"}", "book: {holdings: held.csv}",
    "measures: {drawdown: }", "repair: blank", "morning: {keep: 1 week, keep_workbooks: 1 day}"
  ), at("study.yml"))
  for (day in c("2025-11-12", "2025-11-26", "2025-12-31")) {
    found <- quietly(run_morning(at("study.yml"), today = day))
    expect_equal(found$status, 0L, info = day)
    # What comes after the day is neither found nor mended.
    expect_equal(found$repaired, 0L, info = day)
    expect_true(file.exists(file.path(at("mornings"), found$kept, "report.html")), info = day)
  }
  expect_setequal(list.files(at("mornings/runs")), c("2025-11-26", "2025-12-31"))
  held <- jsonlite::read_json(file.path(at("mornings"), found$kept, "runs/2025-12-31.json"))$held
  expect_equal(held$amounts$OSSELL, 100.5)
  last <- demo_prices()$close[2573, c("OSSELL", "TARROW")]
  worth <- trimws(format(round(sum(last * c(100.5, 60))), big.mark = ","))
  expect_output(print(found), paste("worth", worth))
})

test_that("what cannot be a morning is refused with its line", {
  study <- function(...) {
    writeLines(c(...), team$at("other.yml"))
    team$at("other.yml")
  }
  cases <- list(
    list("imbroglio_error_study", "prices is none", quote(run_morning(
      study("prices: bay.csv", "morning: {feed: \"http://127.0.0.1:9\"}"), file.path(folder, "o")
    ))),
    list("imbroglio_error_study", "earlier day", quote(run_morning(
      study("prices: bay.csv", "period: {to: 2024-01-31}"), today = "2025-01-31"
    ))),
    list("imbroglio_error_study", "time such as", quote(run_morning(
      study("prices: bay.csv", "morning: {keep: 1 fortnight}")
    ))),
    list("imbroglio_error_study", "does not know", quote(run_morning(
      study("prices: bay.csv", "repair: [guess]")
    ))),
    list("imbroglio_error_write", "no folder", quote(run_morning(
      study("prices: bay.csv"), file.path(folder, "no", "where")
    ))),
    list("imbroglio_error_file", "is a file", quote(run_morning(
      study("prices: bay.csv"), file.path(folder, "bay.csv")
    ))),
    list("imbroglio_error_argument", "one truth value", quote(run_morning(
      study("prices: bay.csv"), fetch = "no"
    )))
  )
  for (case in cases) {
    expect_error(eval(case[[3L]]), case[[2L]], class = case[[1L]])
  }
  # What was begun is logged, also where it broke.
  line <- jsonlite::parse_json(readLines(file.path(folder, "o", "log.jsonl")))
  expect_equal(line$status, 3L)
  expect_match(line$reasons[[1L]], "prices is none")
})
