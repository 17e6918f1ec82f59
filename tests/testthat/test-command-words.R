# What the command says: never in R, never swallowed; what it writes: a form that was named; what
# it takes: nothing from the folder that one stands in.

# All texts that are handed to a condition, of all functions of the package.
texts_said <- function() {
  house <- asNamespace("imbroglio")
  texts <- character()
  joined <- function(call) {
    parts <- as.list(call)[-1L]
    parts <- parts[!nzchar(names(parts) %||% rep("", length(parts)))]
    apart <- if (identical(call[[1L]], quote(paste))) " " else ""
    paste(vapply(parts, function(p) if (is.character(p)) p[1L] else "X", ""), collapse = apart)
  }
  strings <- function(x) {
    if (is.character(x)) return(x)
    if (!is.call(x)) return(NULL)
    pasted <- as.character(x[[1L]])[1L] %in% c("paste", "paste0")
    own <- if (pasted) joined(x)
    c(own, unlist(lapply(as.list(x)[-1L], function(part) {
      if (!missing(part) && !(pasted && is.character(part))) strings(part)
    })))
  }
  walk <- function(x) {
    if (is.call(x)) {
      if (as.character(x[[1L]])[1L] %in% c("fail", "caution", "note", "refuse_study")) {
        texts <<- c(texts, unlist(lapply(as.list(x)[-1L], strings)))
      }
      for (part in as.list(x)) if (!missing(part)) walk(part)
    }
  }
  for (name in ls(house, all.names = TRUE)) {
    f <- get(name, house)
    if (is.function(f) && !is.primitive(f)) walk(body(f))
    if (is.list(f)) rapply(f, function(g) walk(body(g)), classes = "function", how = "unlist")
  }
  unique(texts)
}

test_that("the manual names every variable that is read", {
  read <- character()
  walk <- function(x) {
    if (!is.call(x)) return()
    if (identical(x[[1L]], quote(Sys.getenv)) && is.character(x[[2L]])) read <<- c(read, x[[2L]])
    for (part in as.list(x)) if (!missing(part)) walk(part)
  }
  house <- asNamespace("imbroglio")
  for (name in ls(house, all.names = TRUE)) {
    if (is.function(get(name, house))) walk(body(get(name, house)))
  }
  expect_gt(length(read), 4L)
  expect_setequal(setdiff(read, names(imbroglio:::environment_words)), character())
})

test_that("no message speaks R to whoever uses the command", {
  texts <- gsub("%[0-9]*[$]?[sd]", "X", texts_said())
  expect_gt(length(texts), 900)
  said <- imbroglio:::in_shell_words(texts)
  speaks_r <- "= c\\(|\\b(TRUE|FALSE|NULL|NA)\\b|[a-z_]\\(|`| = \""
  odd <- grepl(speaks_r, said, perl = TRUE) |
    (grepl(" ", said) & grepl("\\b[a-z]+_[a-z]+\\b", said))
  # A key of a study; what means a missing value in a file.
  odd <- odd & !grepl("cash_return|words such as NA|or NA ", said)
  expect_equal(said[odd], character())
  # What a column is to be called is no option of that name.
  naming <- said[grepl("^Name (it|the column)", said)]
  expect_gt(length(naming), 3)
  expect_false(any(grepl("(it|dates) --", naming)))
})

test_that("--quiet keeps every error and warning, of every command", {
  known <- names(imbroglio:::commands())
  known <- setdiff(known, "working")
  wrong <- function(command) {
    switch(
      command,
      demo = c("demo", "--files", "/no/such"),
      feed = c("feed", "/no/such.sqlite"),
      fetch = c("fetch", "--out", "a.csv"),
      study = c("study", "run", "/no/such.yml"),
      c(command, "/no/such.csv")
    )
  }
  # Within this process all of them, as processes some.
  for (command in known) {
    said <- capture.output(type = "message", {
      withr::local_options(imbroglio.quiet = TRUE)
      tryCatch(imbroglio:::run_command(wrong(command)), imbroglio_error = function(e) {
        imbroglio:::tell("Error: ", e)
      })
    })
    expect_match(paste(said, collapse = " "), "Error: ", info = command)
  }
  for (command in thorough(c("volatility", "check", "store"), known)) {
    ran <- imbroglio(wrong(command), "--quiet")
    expect_true(ran$status %in% 2:4, info = command)
    expect_match(ran$err, "^Error: ", info = command)
  }
  short <- written("date,A", "2024-01-01,1", "2024-01-02,2", "2024-01-03,1")
  warned <- imbroglio("summary", short, "--quiet")
  expect_match(warned$err, "^Warning: ")
  expect_no_match(warned$err, "Note: |Wrote")
})

test_that("a form that is not written is refused by name before anything is read", {
  table <- c("docx", "ods", "xls", "html", "pdf", "rtf", "zip", "2024")
  cases <- c(
    lapply(table, function(ending) c("summary", "none.csv", "--out", paste0("x.", ending))),
    list(
      c("var", "none.csv", "--figure", "x.gif"), c("var", "none.csv", "--workbook", "x.ods"),
      c("prices", "none.csv", "--out", "x.json"), c("check", "none.csv", "--repair", "x.txt"),
      c("summary", "none.csv", "--format", "csv", "--out", "x.xlsx"),
      c("working", "var", "none.csv", "--out", "x.pdf")
    )
  )
  for (words in cases) {
    e <- tryCatch(imbroglio:::run_command(words), imbroglio_error = identity)
    expect_s3_class(e, "imbroglio_error_argument")
    ending <- tools::file_ext(words[length(words)])
    expect_match(conditionMessage(e), ending, fixed = TRUE, info = toString(words))
  }
  skip_if_not_installed("openxlsx")
  out <- tempfile(fileext = ".xlsx")
  quietly(imbroglio:::run_command(c(
    "summary", demo_file("bay.csv"), "--security", "BAYALL,TARROW", "--out", out
  )))
  found <- measure_summary(read_prices(demo_file("bay.csv"))[, c("BAYALL", "TARROW")])
  sheet <- openxlsx::read.xlsx(out, "Table", detectDates = TRUE)
  expect_equal(sheet$volatility_annual, found$volatility_annual, tolerance = 1e-15)
  expect_equal(as.Date(sheet$to), found$to)
  about <- openxlsx::read.xlsx(out, "Basis")
  expect_equal(about$value[about$what == "digest"], basis(found)$digest)
})

test_that("names are data in Markdown too, and nothing is written into a folder that is read", {
  folder <- withr::local_tempdir()
  name <- "<script>a</script>[x](http://e.org) www.e.org *b*|`c` d_e"
  rows <- data.frame(date = as.Date("2024-01-01") + 0:9, x = 1:10 + 0.5)
  names(rows)[2] <- name
  write.csv(rows, file.path(folder, "a.csv"), row.names = FALSE)
  said <- capture.output(quietly(imbroglio:::run_command(c(
    "drawdown", file.path(folder, "a.csv"), "--format", "markdown"
  ))))
  page <- paste(said, collapse = "\n")
  for (raw in c("<script", "](http", "://", "www.", " *b", "`c`")) {
    expect_no_match(gsub("\\\\[][*`(_|)]", "", page), raw, fixed = TRUE)
  }
  into <- imbroglio("prices", folder, "--out", file.path(folder, "b.csv"))
  expect_equal(into$status, 2L)
  expect_match(into$err, "into a folder that is read")
  expect_equal(list.files(folder), "a.csv")
})

test_that("which side is which, and as of when a book is held, is said", {
  file <- demo_file("bay.csv")
  shown <- function(...) paste(imbroglio(...)$out, collapse = " ")
  compared <- shown("compare", file, "--security", "TARROW", "--at", "2020-01-01")
  expect_match(compared, "% from 2016-01-05 to 2019-12-31, .*% +from 2020-01-02 +to 2025-12-31")
  held <- c("--holdings", demo_file("bay-book.csv"))
  replayed <- imbroglio("replay", file, held, "--from", "2020-01-01", "--to", "2020-06-30")
  now <- replay(
    as_portfolio(read_prices(file), holdings = demo_file("bay-book.csv")),
    periods = "2020-01-01:2020-06-30"
  )
  expect_match(paste(replayed$out, collapse = " "), imbroglio:::percent(now$total_return, 1L))
  expect_match(shown("var", file, held, "--to", "2020-06-30"), "BOOK, as held on 2020-06-30,")
})

test_that("nothing is taken from the folder one stands in, and a signal ends what waits", {
  skip_on_os("windows")
  folder <- withr::local_tempdir()
  trap <- file.path(folder, "trap")
  dir.create(file.path(folder, "library", "imbroglio"), recursive = TRUE)
  writeLines(
    c(paste0("R_LIBS=", folder, "/library"), paste0("R_PROFILE_USER=", folder, "/.Rprofile")),
    file.path(folder, ".Renviron")
  )
  writeLines(sprintf("file.create('%s')", trap), file.path(folder, ".Rprofile"))
  writeLines(c("#!/bin/sh", sprintf("touch '%s'", trap)), file.path(folder, "Rscript"))
  Sys.chmod(file.path(folder, "Rscript"))
  site <- file.path(folder, "site.R")
  writeLines("options(warn = 2)", site)
  command <- system.file("exec", "imbroglio", package = "imbroglio")
  prices <- written("date,A", "2024-01-01,1", "2024-01-02,2", "2024-01-03,1.5")
  out <- tempfile()
  status <- withr::with_dir(folder, system2(
    command, c("summary", shQuote(prices), "--format", "json"), stdout = out, stderr = out,
    env = c(
      paste0("R_LIBS=", shQuote(paste(.libPaths(), collapse = ":"))),
      paste0("PATH=", shQuote(paste0(".:", Sys.getenv("PATH"), ":"))),
      paste0("R_PROFILE=", shQuote(site)), "TMPDIR=."
    )
  ))
  expect_equal(status, 0L, info = paste(readLines(out), collapse = "\n"))
  expect_false(file.exists(trap))
  expect_match(paste(readLines(out), collapse = ""), "total_return", fixed = TRUE)
  # A pipe that somebody holds open and nobody reads.
  skip_if_not_installed("processx")
  pipe <- file.path(folder, "pipe")
  expect_equal(system2("mkfifo", shQuote(pipe)), 0L)
  held <- processx::process$new("sh", c("-c", sprintf("sleep 60 <'%s'", pipe)))
  withr::defer(held$kill())
  blocked <- processx::process$new(
    command, c("returns", demo_file("bay.csv"), "--format", "csv"), stdout = pipe, stderr = NULL,
    env = c("current", R_LIBS = paste(.libPaths(), collapse = ":"))
  )
  Sys.sleep(3)
  expect_true(blocked$is_alive())
  blocked$signal(15L)
  blocked$wait(5000)
  expect_false(blocked$is_alive())
  expect_equal(blocked$get_exit_status(), 143L)
})
