# The commands fetch, feed and store.
for (package in c("httr2", "httpuv", "RSQLite", "processx")) skip_if_not_installed(package)
traded <- suppressMessages(read_prices(demo_file("bay-daily.csv.xz"), price = "close"))
stand_in <- feed_process()
withr::defer(stand_in$process$kill(), teardown_env())

test_that("the commands fetch, feed and store work together, and their status can be relied on", {
  store <- new_store()
  fetch <- function(...) imbroglio("fetch", "--feed", stand_in$address, ...)
  first <- fetch("--store", store, "--securities", "group:port", "--to", "2025-11-28")
  expect_equal(c(first$status, first$err), c("0", ""))
  expect_match(
    tail(first$out, 1),
    paste0(
      "^3 of 3 securities: 6,419 prices new, 0 restated; from http://127.0.0.1:[0-9]+ ",
      "into .*sqlite\\.$"
    )
  )
  partly <- fetch(
    "--store", store, "--securities", "TARROW,NOSUCH", "--update", "--format", "csv"
  )
  expect_equal(partly$status, 5L)
  expect_equal(
    read.csv(text = partly$out)[c("security", "outcome", "new")],
    data.frame(
      security = c("TARROW", "NOSUCH"),
      outcome = c("fetched", "failed"),
      new = c(21L, 0L)
    )
  )
  expect_equal(partly$err, "")
  expect_match(
    tail(fetch("--store", store, "--update")$out, 1),
    "^3 of 3 securities: 42 prices new"
  )
  json <- jsonlite::fromJSON(imbroglio("store", store, "--format", "json")$out)
  expect_equal(json$results$to, rep("2025-12-31", 3))
  expect_match(
    imbroglio("store", store)$out[1],
    "^security +name +group +from +to +n +restated +actions +addition"
  )
  expect_match(tail(imbroglio("store", store, "--restatements")$out, 1), "Nothing was restated")
  expect_match(
    tail(imbroglio("store", store, "--additions")$out, 1),
    "3 additions: 6,482 prices new, 0 restated"
  )
  # Every other command reads it as it reads a file.
  from_store <- jsonlite::fromJSON(
    imbroglio("drawdown", store, "--security", "TARROW", "--format", "json")$out
  )
  from_file <- jsonlite::fromJSON(
    imbroglio(
      "drawdown",
      demo_file("bay-daily.csv.xz"),
      "--security",
      "TARROW",
      "--format",
      "json"
    )$out
  )
  expect_equal(from_store$results, from_file$results, tolerance = 1e-4)
  expect_equal(
    jsonlite::fromJSON(
      imbroglio("var", paste0("sqlite:", store), "--as-of", "1", "--format", "json")$out
    )$basis$to,
    "2025-11-28"
  )
  out <- tempfile(fileext = ".csv")
  expect_equal(fetch("--securities", "BAYALL", "--from", "2025-01-01", "--out", out)$status, 0L)
  expect_equal(ncol(read.csv(out)), 2L)
  cases <- list(
    list(2, "by --feed", "fetch", "--store", store),
    list(2, "--store STORE or --out", "fetch", "--feed", "http://127.0.0.1"),
    list(2, "takes no file", "fetch", store, "--feed", "http://127.0.0.1"),
    list(2, "is of a store", "fetch", "--feed", "http://127.0.0.1", "--out", out, "--update"),
    list(
      4, "Nothing could be fetched", "fetch", "--feed", "http://127.0.0.1:1", "--store", store,
      "--tries", "1", "--securities", "A"
    ),
    list(3, "no store", "store", "nowhere.sqlite"),
    list(2, "one at a time", "store", store, "--additions", "--restatements"),
    list(2, "faults", "feed", "--faults", "worse=3"),
    list(2, "names", "feed", "--faults", "3"),
    list(3, "no store", "feed", "nowhere.sqlite"),
    list(2, "--as-of must be", "var", store, "--as-of", "yesterday")
  )
  for (case in cases) {
    ran <- do.call(imbroglio, case[-(1:2)])
    expect_equal(ran$status, case[[1]], info = paste(unlist(case), collapse = " "))
    expect_match(ran$err, case[[2]], info = paste(unlist(case), collapse = " "))
  }
})

test_that("what a store lists is JSON, whatever it is of", {
  store <- new_store()
  suppressMessages(store_prices(traded[, "BAYALL"], store))
  for (what in list(character(), "--additions", "--verify")) {
    listed <- jsonlite::fromJSON(run_here("store", store, what))
    expect_gt(NROW(listed$results), 0)
  }
})

test_that("two commands that update the same store at once lose no row and double none", {
  store <- new_store()
  command <- system.file("exec", "imbroglio", package = "imbroglio")
  start <- function(...) {
    processx::process$new(
      command,
      c("fetch", "--feed", stand_in$address, "--store", store, "--update", ...),
      stdout = "|",
      stderr = "|",
      env = c("current", R_LIBS = paste(.libPaths(), collapse = .Platform$path.sep))
    )
  }
  part <- traded[traded$dates <= as.Date("2018-03-29"), ]
  for (to in c("2017-03-31", "2018-03-29")) {
    both <- list(start("--to", to), start("--to", to))
    for (one in both) {
      one$wait(120000)
      expect_equal(one$get_exit_status(), 0L, info = one$read_all_error())
    }
  }
  expect_identical(
    read_prices(store, price = "close")$close,
    part$close[, colSums(!is.na(part$close)) > 0]
  )
  expect_equal(
    c(sum(store_additions(store)$new), sum(store_additions(store)$restated)),
    c(sum(!is.na(part$close)), 0)
  )
})

test_that("what ended is asked for no more, and that is said", {
  feed <- feed_process()
  withr::defer(feed$process$kill())
  store <- tempfile(fileext = ".sqlite")
  quietly(update_store(store, feed$address, c("BAYALL", "TARROW"), from = "2025-06-01"))
  quietly(correct_store(store, ended = c(TARROW = "2025-12-31")))
  expect_message(
    again <- update_store(store, feed$address), "TARROW ended, and is not asked for"
  )
  expect_equal(again$security, "BAYALL")
})
