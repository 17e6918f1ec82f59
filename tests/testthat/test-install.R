# The package below a folder of its own, beside another version, and away again.
skip_on_os("windows")
bare <- function(command, ...) {
  processx::run(
    command, c(...), error_on_status = FALSE, env = c(PATH = "/usr/bin:/bin:/usr/local/bin")
  )
}
below <- function(prefix) list.files(prefix, recursive = TRUE)

test_that("a package that is installed gives its command a place, and takes it away again", {
  prefix <- file.path(withr::local_tempdir(), "a place")
  files <- install_command(prefix)
  # Of the library that it is in, whatever R would find by itself.
  found <- bare(
    file.path(prefix, "bin", "imbroglio"), "var", demo_file("bay.csv"), "--security", "TARROW"
  )
  expect_equal(found$status, 0L)
  expect_match(found$stdout, "^Value at risk")
  expect_setequal(file.path(prefix, below(prefix)), files)
  pages <- list.files(file.path(prefix, "share/man/man1"))
  expect_setequal(
    pages, c("imbroglio.1", sprintf("imbroglio-%s.1", names(imbroglio:::commands())))
  )
  expect_equal(install_command(prefix), files)
  install_command(prefix, remove = TRUE)
  expect_length(below(prefix), 0L)
  # Another's file stays, and then nothing is changed.
  dir.create(file.path(prefix, "bin"), FALSE)
  writeLines("#!/bin/sh", file.path(prefix, "bin", "imbroglio"))
  expect_error(install_command(prefix), "in the way", class = "imbroglio_error_file")
  expect_equal(below(prefix), "bin/imbroglio")
  expect_error(install_command(NA), class = "imbroglio_error_argument")
})

test_that("make install is whole or not at all, keeps other versions, and is undone", {
  top <- source_file()
  sources <- file.path(withr::local_tempdir(), "sources of ours")
  dir.create(sources)
  named <- c(
    "DESCRIPTION", "NAMESPACE", "R", "src", "exec", "inst", "man", "tools", "Makefile", "LICENSE"
  )
  file.copy(file.path(top, named), sources, recursive = TRUE, copy.date = TRUE)
  prefix <- file.path(withr::local_tempdir(), "team's place")
  run <- function(tool, ...) {
    processx::run(
      file.path(sources, "tools", tool), c(prefix, ...), error_on_status = FALSE
    )
  }
  of_version <- function(version) {
    file <- file.path(sources, "DESCRIPTION")
    writeLines(sub("^Version:.*", paste("Version:", version), readLines(file)), file)
  }
  said <- function(name = "imbroglio") {
    bare(file.path(prefix, "bin", name), "--version")$stdout
  }
  first <- run("install")
  expect_equal(first$status, 0L, info = first$stderr)
  version <- as.character(packageVersion("imbroglio"))
  expect_match(said(), paste("imbroglio", version))
  of_version("9.8.7")
  expect_equal(run("install")$status, 0L)
  expect_match(said(), "^imbroglio 9.8.7")
  expect_match(said(paste0("imbroglio-", version)), paste("imbroglio", version))
  # A build that breaks leaves what was there.
  before <- below(prefix)
  cat("stop(", file = file.path(sources, "R", "zzz.R"))
  broken <- run("install")
  expect_gt(broken$status, 0L)
  expect_match(broken$stderr, "Nothing was installed")
  expect_equal(below(prefix), before)
  expect_match(said(), "^imbroglio 9.8.7")
  expect_equal(run("uninstall", "9.8.7")$status, 0L)
  expect_match(said(), paste("imbroglio", version))
  expect_equal(run("uninstall")$status, 0L)
  expect_length(list.files(prefix, all.files = TRUE, no.. = TRUE), 0L)
})
