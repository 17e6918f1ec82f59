# Work in pieces, side by side: whatever the plan, the same.

test_that("a study is the same to the byte on any plan, and by the command", {
  study <- small_study()
  run <- function(plan, ...) {
    before <- future::plan(plan, ...)
    withr::defer(future::plan(before))
    folder <- file.path(tempfile(), "report")
    dir.create(dirname(folder))
    states <- quietly(run_study(study, folder, today = "2017-06-01"))
    expect_true(all(states$state == "measured"))
    digests_of(folder)
  }
  one <- run(future::sequential)
  expect_true(all(c("report.html", "tables.xlsx", "record.json") %in% names(one)))
  expect_equal(run(future::multicore, workers = 2), one)
  expect_equal(run(future::multisession, workers = 2), one)
  folder <- file.path(tempfile(), "report")
  dir.create(dirname(folder))
  done <- imbroglio(
    "study", "run", study, "--out", folder, "--today", "2017-06-01", "--workers", "2"
  )
  expect_equal(done$status, 0L)
  expect_equal(digests_of(folder), one)
  none <- imbroglio("study", "run", study, "--workers", "0")
  expect_equal(none$status, 2L)
  expect_match(paste(none$err, collapse = " "), "workers")
})

test_that("a report of what is in memory, by what was registered, is the same on any plan", {
  forget_registered()
  third <- 3
  register_var_method("third-worst", local(function(r, level) c(-sort(r)[third], NA)))
  here <- Sys.getpid()
  register_var_method("deadly", function(r, level) {
    if (Sys.getpid() != here) tools::pskill(Sys.getpid(), tools::SIGKILL)
    1
  })
  book <- as_portfolio(demo_prices()[1:300, ], shares = c(OSSELL = 100, TARROW = 60))
  page <- function(method, plan, ...) {
    before <- future::plan(plan, ...)
    withr::defer(future::plan(before))
    file <- tempfile(fileext = ".html")
    states <- quietly(write_report(
      book, file, only = c("return", "var"), method = method, today = "2017-06-01"
    ))
    list(states = states, page = readLines(file))
  }
  one <- page("third-worst", future::sequential)
  expect_true(all(one$states$state == "measured"))
  expect_match(one$page, "third-worst", fixed = TRUE, all = FALSE)
  expect_equal(page("third-worst", future::multisession, workers = 2), one)
  # A part of which each worker dies is told in the page, and the rest is there.
  dead <- page("deadly", future::multicore, workers = 2)
  expect_equal(dead$states$state[dead$states$part == "var"], "failed")
  expect_equal(dead$states$state[dead$states$part == "return"], "measured")
  expect_match(dead$page, "measured it ended, three times", all = FALSE)
})

test_that("a changed choice is measured alone on any plan, and gives the page of a fresh run", {
  study <- small_study()
  before <- future::plan(future::multicore, workers = 2)
  withr::defer(future::plan(before))
  run <- function(folder, ...) quietly(run_study(study, folder, today = "2017-06-01", ...))
  folder <- file.path(dirname(study), "report")
  run(folder)
  writeLines(sub("beta: ", "beta: {confidence: 0.9}", readLines(study)), study)
  states <- run(folder)
  expect_equal(states$part[states$state == "measured"], "beta")
  other <- file.path(dirname(study), "fresh")
  fresh <- run(other, fresh = TRUE)
  expect_true(all(fresh$state == "measured"))
  same <- c("report.html", "tables.xlsx", "tables/beta.csv", "figures/return.svg")
  same <- intersect(same, list.files(other, recursive = TRUE))
  expect_gte(length(same), 3)
  expect_equal(digests_of(folder)[same], digests_of(other)[same])
  # The number stands alike in table, page and workbook.
  low <- read.csv(file.path(folder, "tables", "beta.csv"))$beta_low[1]
  expect_equal(low, quietly(measure_beta(
    as_portfolio(read_prices(file.path(dirname(study), "prices.csv")),
      shares = c(OSSELL = 100, TARROW = 60)),
    benchmark = "BAYALL", confidence = 0.9
  ))$beta_low[1])
  page <- paste(readLines(file.path(folder, "report.html")), collapse = "")
  expect_match(page, sprintf("data-v=\"%s\"", imbroglio:::core_shortest(low)), fixed = TRUE)
})

test_that("a book of three dates has its top, with nothing before it", {
  prices <- demo_prices()[1:3, c("OSSELL", "TARROW")]
  for (x in list(prices, prices[, "TARROW"], as_portfolio(prices, shares = c(TARROW = 10)))) {
    file <- tempfile(fileext = ".html")
    states <- quietly(write_report(x, file, only = "top", today = "2016-01-07"))
    expect_equal(states$state, "measured")
    rows <- grep("<tr><th scope=\"row\">", readLines(file), value = TRUE)
    expect_gte(length(rows), if (inherits(x, "imbroglio_prices")) 1L else 2L)
    expect_true(all(lengths(regmatches(rows, gregexpr("data-v", rows))) == 1L))
  }
})

test_that("a worker that dies has its piece done again; one that dies thrice is named", {
  does <- function(piece) {
    died <- length(list.files(piece$place, pattern = piece$name))
    if (died < piece$dies) {
      file.create(file.path(piece$place, paste0(piece$name, died)))
      tools::pskill(Sys.getpid(), tools::SIGKILL)
      Sys.sleep(60)
    }
    if (piece$name == "wrong") stop("no such thing", call. = FALSE)
    list(Sys.getpid(), piece$name)
  }
  for (plan in c(future::multicore, future::multisession)) {
    before <- future::plan(plan, workers = 2)
    place <- tempfile("dying-")
    dir.create(place)
    pieces <- lapply(stats::setNames(nm = letters[1:4]), function(name) {
      list(name = name, place = place, dies = c(a = 0, b = 1, c = 9, d = 0)[[name]])
    })
    told <- character()
    expect_silent(done <- imbroglio:::done_by_plan(
      pieces, does, function(piece, why) list(0L, paste("lost", piece$name)),
      function(name) told <<- c(told, name)
    ))
    expect_equal(vapply(done, `[[`, "", 2), c(a = "a", b = "b", c = "lost c", d = "d"))
    expect_false(Sys.getpid() %in% vapply(done, `[[`, 0L, 1))
    expect_setequal(told, names(pieces))
    expect_length(list.files(place), 1 + 3)
    # What is wrong with a piece is no matter of its worker.
    pieces$a$name <- "wrong"
    expect_error(imbroglio:::done_by_plan(pieces[c("a", "d")], does, identity), "no such thing")
    future::plan(before)
  }
})

test_that("a worker that finds other files than the first does not measure them", {
  study <- read_study(small_study())
  work <- quietly(imbroglio:::work_of_study(study))
  source <- imbroglio:::source_of_work(work, study)
  imbroglio:::forget_work()
  expect_equal(imbroglio:::work_of_source(source)$returns, work$returns)
  imbroglio:::forget_work()
  cat("2030-01-02,1,1,1\n", file = file.path(dirname(study$file), "prices.csv"), append = TRUE)
  expect_error(
    quietly(imbroglio:::work_of_source(source)), "changed", class = "imbroglio_error_file"
  )
})

test_that("progress is shown to whoever asked for it, of all pieces by any plan", {
  for (package in c("progressr", "nanoparquet")) skip_if_not_installed(package)
  withr::local_options(progressr.enable = TRUE)
  prices <- as_prices(as.matrix(demo_prices()[1:100, 1:6]))
  write_prices(prices, folder <- tempfile("progress-"))
  x <- quietly(open_prices(folder))
  x$memory <- 1
  for (plan in c(future::sequential, future::multicore)) {
    before <- future::plan(plan)
    steps <- 0
    withCallingHandlers(
      measure_volatility(x),
      progression = function(p) steps <<- steps + (p$type == "update") * p$amount
    )
    future::plan(before)
    # The first block says what the others go by.
    expect_equal(steps, length(imbroglio:::blocks_of(x)) - 1)
  }
})
