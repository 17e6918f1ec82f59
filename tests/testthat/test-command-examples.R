# The examples of the command's help and of the package, run as they stand.

test_that("each command has help with an example that runs", {
  overview <- imbroglio("--help")
  expect_equal(overview$status, 0L)
  folder <- tempfile()
  dir.create(folder)
  expect_equal(imbroglio("demo", "--files", folder)$status, 0L)
  expect_setequal(list.files(folder), demo_file())
  old <- setwd(folder)
  withr::defer(setwd(old))
  # The examples of fetch ask a feed where `imbroglio feed` serves.
  feed <- feed_process(port = 8017L)
  withr::defer(feed$process$kill())
  for (name in names(imbroglio:::commands())) {
    expect_true(any(grepl(paste0("^  ", name, " "), overview$out)))
    help <- imbroglio:::command_help(name, imbroglio:::commands()[[name]])
    examples <- sub("^ +", "", help[-seq_len(grep("^Examples?:", help))])
    for (example in examples) {
      if (name == "feed") feed$process$kill()
      words <- scan(text = sub("^imbroglio ", "", example), what = "", quiet = TRUE)
      # The first as a process, the others without starting one.
      if (example == examples[1]) {
        ran <- do.call(imbroglio, as.list(words))
        expect_false(grepl("Warning", ran$err), info = ran$err)
        status <- ran$status
      } else {
        expect_no_warning(utils::capture.output(
          status <- suppressMessages(imbroglio:::run_command(words))
        ))
      }
      # The demo's delivery has errors, and two of its limits are broken.
      expect_equal(status, as.integer(name %in% c("check", "limits", "morning")), info = example)
    }
  }
  expect_true(all(file.exists(
    "demo.png", "monthly.csv", "tarrow.png", "now.png", "line.png", "fall.png", "fit.png",
    "tail.png", "alike.png", "universe.csv"
  )))
  expect_equal(ncol(read.csv("monthly.csv")), 3L)
})

test_that("there is a script for each stage of the work, and each runs as it stands", {
  scripts <- list.files(system.file("examples", package = "imbroglio"), "[.]R$", full.names = TRUE)
  expect_equal(substr(basename(scripts), 1, 1), as.character(1:6))
  folder <- withr::local_tempdir()
  for (script in scripts) {
    err <- tempfile()
    status <- system2(
      file.path(R.home("bin"), "Rscript"),
      c(script, folder),
      stdout = FALSE,
      stderr = err,
      env = paste0("R_LIBS=", shQuote(paste(.libPaths(), collapse = .Platform$path.sep)))
    )
    expect_equal(
      status, 0L, info = paste(basename(script), paste(readLines(err), collapse = "\n"))
    )
    # A page each.
    expect_lte(length(readLines(script)), 60)
  }
  expect_true(all(file.exists(file.path(
    folder, c("bay.sqlite", "methods.png", "replay.png", "var.xlsx", "risk.html")
  ))))
})
