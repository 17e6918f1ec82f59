# What is written twice is the same file to the byte, in every form; what is kept in a store is not
# one: it says when.

test_that("the same answer, figure, workbook and page are the same bytes at any time", {
  folder <- withr::local_tempdir()
  bay <- demo_file("bay.csv")
  one <- c(bay, "--security", "TARROW")
  lines <- list(
    c("var", one, "--out", "var.csv"), c("var", one, "--out", "var.json"),
    c("var", one, "--out", "var.md"), c("var", one, "--out", "var.xlsx"),
    c("var", one, "--out", "var.parquet"), c("var", one, "--workbook", "steps.xlsx"),
    c("prices", one, "--out", "prices.xlsx"), c("prices", one, "--out", "prices"),
    c("prices", one, "--out", "prices.parquet"), c("working", "var", one, "--out", "working.html"),
    c("var", one, "--figure", "var.png"), c("var", one, "--figure", "var.svg"),
    c("var", one, "--figure", "var.pdf"),
    c("report", one, "--only", "top", "--today", "2026-01-05", "--out", "report.html"),
    c("report", one, "--only", "top", "--today", "2026-01-05", "--out", "report.pdf")
  )
  run <- function() {
    into <- tempfile(tmpdir = folder)
    dir.create(into)
    for (line in lines) {
      line[length(line)] <- file.path(into, line[length(line)])
      utils::capture.output(status <- quietly(imbroglio:::status_of_line(line)))
      expect_equal(status, 0L, info = paste(line, collapse = " "))
    }
    files <- list.files(into, recursive = TRUE)
    stats::setNames(unname(tools::md5sum(file.path(into, files))), files)
  }
  first <- run()
  expect_gt(length(first), length(lines))
  # A time is told to the second.
  Sys.sleep(2)
  expect_identical(run(), first)
})
