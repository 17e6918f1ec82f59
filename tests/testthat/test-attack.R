# A short form of `make attack`: files whose truth is known, changed bytes, nasty command lines,
# writing without room.
batch <- function(kind, from, to) {
  out <- tempfile(fileext = ".rds")
  before <- setwd(dirname(source_file("DESCRIPTION")))
  withr::defer(setwd(before))
  status <- system2(
    file.path(R.home("bin"), "Rscript"),
    c("--no-init-file", "tests/attack/attack.R", shQuote(kind), from, to, out),
    stdout = FALSE,
    stderr = FALSE,
    env = paste0("R_LIBS=", paste(.libPaths(), collapse = ":"))
  )
  expect_equal(status, 0L, info = kind)
  readRDS(out)
}
bad <- function(outcomes) grep("^(WRONG|FAILURE|bare)", outcomes, value = TRUE)

test_that("of files whose truth is known none is read wrong, and bytes that changed are found", {
  files <- batch("files", 1L, thorough(50L, 1000L))
  expect_equal(bad(files), character())
  # It reads, and it refuses what is faulty.
  expect_gt(mean(startsWith(files, "right")), 0.6)
  for (format in c("csv", "gz", "xlsx", "parquet", "store", "holdings", "actions")) {
    if (format == "parquet") skip_if_not_installed("nanoparquet")
    outcomes <- batch(paste0("bytes:", format), 1L, thorough(6L, 200L))
    expect_equal(bad(outcomes), character(), info = format)
    expect_true("refused" %in% outcomes, info = format)
  }
})

test_that("no row is lost to a word, no study or limit breaks, no folder loses a file", {
  texts <- batch("texts", 1L, thorough(60L, 2000L))
  expect_equal(bad(texts), character())
  expect_gt(mean(startsWith(texts, "right")), 0.9)
  for (kind in c("studies", "folders")) {
    found <- batch(kind, 1L, if (kind == "studies") thorough(40L, 1000L) else thorough(8L, 200L))
    expect_equal(bad(found), character(), info = kind)
    expect_true("refused" %in% found && any(c("read", "done") %in% found), info = kind)
  }
})

test_that("no command line breaks, and none that cannot write says that it wrote", {
  lines <- batch("options", 1L, thorough(40L, 400L))
  expect_equal(bad(lines), character())
  expect_setequal(unique(lines), c("done", "refused"))
  skip_on_os("windows")
  source(source_file("tests", "attack", "writes.R"), local = TRUE)
  found <- attack_writes(
    command_runner(system.file("exec", "imbroglio", package = "imbroglio")),
    demo_file("bay.csv"),
    demo_file("bay-daily.csv.xz")
  )
  expect_equal(
    bad(found$outcome),
    character(),
    info = paste(found$case[startsWith(found$outcome, "FAILURE")], collapse = ", ")
  )
  if (Sys.info()[["effective_user"]] == "root" &&
      Sys.info()[["sysname"]] == "Linux" &&
      !is.null(disk <- small_disk(10L))) {
    system2("umount", disk)
    expect_gt(nrow(found), 15)
  }
})
