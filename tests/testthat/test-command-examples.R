# The examples of the command's help and of the package, run as they stand.

test_that("each command has help with an example that runs", {
  overview <- imbroglio("--help")
  expect_equal(overview$status, 0L)
  folder <- tempfile()
  dir.create(folder)
  expect_equal(imbroglio("demo", "--files", folder)$status, 0L)
  expect_setequal(list.files(folder), demo_file())
  old <- setwd(folder)
  on.exit(setwd(old))
  # The examples of fetch ask a feed where `imbroglio feed` serves.
  feed <- feed_process(port = 8017L)
  on.exit(feed$process$kill(), add = TRUE)
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
      expect_equal(status, as.integer(name %in% c("check", "limits")), info = example)
    }
  }
  expect_true(all(file.exists(
    "demo.png", "monthly.csv", "tarrow.png", "now.png", "line.png", "fall.png", "fit.png",
    "tail.png", "alike.png", "universe.csv"
  )))
  expect_equal(ncol(read.csv("monthly.csv")), 3L)
})

test_that("the example script runs as it stands", {
  folder <- tempfile()
  dir.create(folder)
  script <- system.file("examples", "first-path.R", package = "imbroglio")
  status <- system2(
    file.path(R.home("bin"), "Rscript"),
    c(script, folder),
    stdout = FALSE,
    stderr = FALSE,
    env = paste0("R_LIBS=", shQuote(paste(.libPaths(), collapse = .Platform$path.sep)))
  )
  expect_equal(status, 0L)
  expect_setequal(list.files(folder), c("tarrow.png", "bay-risk.html"))
})
