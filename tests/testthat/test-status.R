# What commands end with: each status provoked, over all commands where all have it.
skip_if_not_installed("RSQLite")
folder <- withr::local_tempdir(.local_envir = teardown_env())
at <- function(name) file.path(folder, name)
status <- function(...) {
  said <- utils::capture.output(
    code <- suppressMessages(imbroglio:::status_of_line(c(...))), type = "output"
  )
  code
}
bay <- demo_file("bay.csv")
known <- imbroglio:::commands()

test_that("what is wrong is 1, what is left out 5, both 6; nothing is done of 2, 3 and 4", {
  lines <- function(name, ...) {
    writeLines(c(...), at(name))
    at(name)
  }
  errors <- lines("errors.csv", "date,A", "2024-01-02,1", "2024-01-03,0", "2024-01-04,2")
  broken <- lines("broken.csv", "of,measure,limit", "book,var,1%")
  within <- lines("within.csv", "of,measure,limit", "book,var,90%")
  unknown <- lines("unknown.csv", "of,measure,limit", "book,var,90%", "book,volatility,90%")
  short <- lines(
    "short.csv", "date,A", paste0("2024-01-", sprintf("%02d", 1:9), ",", 10 + (1:9) %% 3 / 10)
  )
  dir.create(at("some"))
  file.copy(c(bay, errors), at("some"))
  wrong <- lines("day.csv", "date,TARROW", "2026-01-02,5700")
  store <- at("kept.sqlite")
  book <- c("--weights", "OSSELL=0.6,BAYBOND=0.4")
  expect_equal(status("store", store, "--add", bay), 0L)
  damaged <- at("damaged.sqlite")
  file.copy(store, damaged)
  connection <- DBI::dbConnect(RSQLite::SQLite(), damaged)
  DBI::dbExecute(connection, "update securities set name = 'x' where id = 1")
  DBI::dbDisconnect(connection)
  record <- at("var.json")
  expect_equal(status("var", short, "--level", "0.5", "--record", record), 0L)
  cat("2024-01-10,10.9\n", file = short, append = TRUE)
  feed <- feed_process()
  withr::defer(feed$process$kill())
  fetch <- function(...) status("fetch", "--feed", feed$address, "--store", at("f.sqlite"), ...)
  cases <- list(
    list(0L, "check", bay), list(1L, "check", errors), list(3L, "volatility", errors),
    list(0L, "limits", bay, book, "--limits", within),
    list(1L, "limits", bay, book, "--limits", broken),
    list(5L, "limits", short, "--weights", "A=1", "--limits", unknown),
    list(6L, "limits", short, "--weights", "A=1", "--limits",
         lines("both.csv", "of,measure,limit", "book,var,90%", "A,weight,50%")),
    list(5L, "volatility", at("some"), "--security", "TARROW"),
    list(3L, "volatility", at("some"), "--strict"),
    list(1L, "store", store, "--add", wrong, "--dry-run"),
    list(3L, "store", store, "--add", wrong),
    list(0L, "store", store, "--add", wrong, "--doubts", "tell"),
    list(1L, "store", damaged, "--verify"), list(3L, "volatility", damaged),
    list(0L, "store", store, "--withdraw", "2"), list(2L, "store", store, "--withdraw", "9"),
    list(2L, "store", store, "--withdraw", "1", "--remove", "TARROW"),
    list(3L, "store", store, "--remove", "NOBODY"),
    list(1L, "rerun", record), list(3L, "rerun", bay),
    list(5L, "report", short, "--security", "A", "--out", at("r.html")),
    list(4L, "report", short, "--security", "A", "--out", at("no/r.html")),
    list(2L), list(2L, "volatilty", bay), list(0L, "--help"), list(0L, "help", "risk")
  )
  for (case in cases) {
    expect_equal(do.call(status, case[-1L]), case[[1L]], info = paste(basename(unlist(case)),
                                                                    collapse = " "))
  }
  expect_equal(fetch("--securities", "BAYALL"), 0L)
  expect_equal(fetch("--securities", "BAYALL,NOBODY"), 5L)
  expect_equal(fetch("--securities", "NOBODY"), 4L)
  feed$process$kill()
  expect_equal(fetch("--update", "--tries", "1"), 4L)
  expect_named(imbroglio:::statuses, as.character(0:6))
})

test_that("every command has the same status for the same fault", {
  for (name in names(known)) {
    command <- known[[name]]
    expect_equal(status(name, "--no-such-option"), 2L, info = name)
    expect_equal(status(name, "--help"), 0L, info = name)
    takes <- grepl("^FILE|STORE$", command$takes) && name != "feed"
    if (takes && name != "completion") {
      more <- switch(name, beta = , capture = , tracking = c("--benchmark", "A"), character())
      found <- status(name, at("not there.csv"), more)
      expect_true(found %in% 2:3, info = paste(name, found))
    }
  }
})

test_that("where nothing can be written the status is 4, whatever is to be written", {
  into <- list(
    c("volatility", bay, "--out"), c("volatility", bay, "--security", "TARROW", "--figure"),
    c("var", bay, "--security", "TARROW", "--record"), c("check", bay, "--repair"),
    c("prices", bay, "--out"), c("store", at("kept.sqlite"), "--export"),
    c("study", "new", bay, "--out"), c("report", bay, "--security", "TARROW", "--out"),
    c("working", "volatility", bay, "--security", "TARROW", "--out"), c("demo", "--files")
  )
  endings <- c("csv", "png", "json", "csv", "csv", "", "yml", "html", "html", "")
  for (i in seq_along(into)) {
    path <- sub("[.]$", "", paste0(at("none/x."), endings[i]))
    expect_equal(status(into[[i]], path), 4L, info = paste(into[[i]][1L], path))
  }
  expect_equal(status("store", at("none/s.sqlite"), "--add", bay), 4L)
})

test_that("the launcher has statuses of its own, not those of R or the shell", {
  launcher <- system.file("exec", "imbroglio", package = "imbroglio")
  run <- function(env) {
    suppressWarnings(system2("sh", shQuote(c(launcher, "volatility", bay)), env = env,
                             stdout = FALSE, stderr = FALSE))
  }
  expect_equal(run(c("R_LIBS=/nowhere", "R_LIBS_USER=/nowhere", "R_LIBS_SITE=/nowhere")), 4L)
  bare <- withr::local_tempdir()
  for (tool in c("sh", "dirname", "readlink", "locale", "env")) {
    file.symlink(Sys.which(tool), file.path(bare, tool))
  }
  expect_equal(run(paste0("PATH=", bare)), 4L)
})
