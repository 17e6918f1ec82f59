# The command as people meet it: on a terminal, in a pipe, in their shell.

# A command line on a terminal of its own.
on_a_terminal <- function(words, columns = 80L, ...) {
  skip_if(!nzchar(Sys.which("script")), "there is no script(1)")
  command <- system.file("exec", "imbroglio", package = "imbroglio")
  line <- sprintf(
    "stty cols %d rows 20; exec %s %s 2>/dev/null", columns, command,
    paste(shQuote(words), collapse = " ")
  )
  settings <- c(
    paste0("R_LIBS=", shQuote(paste(.libPaths(), collapse = ":"))), "TERM=xterm", ...
  )
  # Of a status above 0 it warns.
  out <- suppressWarnings(system2(
    "script", c("-qec", shQuote(line), "/dev/null"),
    stdout = TRUE, stdin = "/dev/null", env = settings
  ))
  sub("\r$", "", out)
}

plain <- function(lines) gsub("\033\\[[0-9;]*m", "", lines)

test_that("a terminal has colours and its own width, a pipe has neither, and NO_COLOR holds", {
  words <- c("var", demo_file("bay.csv"), "--security", "BAYALL", "--method", "historical,normal")
  shown <- on_a_terminal(words, 70L, "PAGER=cat")
  expect_match(shown[1], "^\033\\[1m")
  expect_lte(max(nchar(plain(shown))), 70)
  # Parted tables still hold all that a wide one says.
  piped <- do.call(imbroglio, as.list(words))$out
  expect_false(any(grepl("\033", piped)))
  expect_gt(max(nchar(piped)), 70)
  parts <- function(lines) unique(unlist(strsplit(trimws(plain(lines)), " +")))
  expect_setequal(setdiff(parts(piped), parts(shown)), character())
  expect_false(any(grepl("\033", on_a_terminal(words, 70L, "PAGER=cat", "NO_COLOR=1"))))
  # States have their colour, a heading of the same word has none.
  states <- on_a_terminal(c("check", demo_file("bay-delivery.csv.xz")), 130L, "PAGER=cat")
  expect_true(any(grepl("  \033\\[31merror", states)))
  heads <- on_a_terminal(c("volatility", demo_file("bay.csv")), 120L, "PAGER=cat")
  expect_false(any(grepl("\033\\[3", heads)))
  # What is longer than the terminal goes to the pager.
  paged <- on_a_terminal(
    c("summary", demo_file("bay.csv")), 60L, paste0("PAGER=", shQuote("wc -l"))
  )
  expect_match(paste(paged, collapse = " "), "^ *[0-9]+ ")
})

test_that("columns are chosen in every form, and --quiet leaves the answer", {
  file <- demo_file("bay.csv")
  words <- c("volatility", file, "--columns", "n,security,volatility_annual")
  columns <- c("n", "security", "volatility_annual")
  expected <- as.data.frame(measure_volatility(read_prices(file)))[columns]
  out <- function(ending, ...) {
    path <- tempfile(fileext = ending)
    expect_equal(do.call(imbroglio, as.list(c(words, "--out", path, ...)))$status, 0L)
    path
  }
  as_plain <- function(table) as.list(table)[names(expected)]
  expect_equal(as_plain(read.csv(out(".csv"))), as.list(expected))
  expect_equal(names(jsonlite::fromJSON(out(".json"))$results), names(expected))
  expect_equal(as_plain(nanoparquet::read_parquet(out(".parquet"))), as.list(expected))
  rows <- strsplit(sub("^\\| | \\|$", "", readLines(out(".md"))), " \\| ")
  expect_equal(lengths(rows), rep(3L, nrow(expected) + 2L))
  expect_equal(vapply(rows[-(1:2)], `[`, "", 2), expected$security)
  wrong <- imbroglio("volatility", file, "--columns", "volatilty")
  expect_equal(wrong$status, 2L)
  expect_match(wrong$err, "Did you mean volatility?", fixed = TRUE)
  expect_match(imbroglio("volatility", file, "--format", "parquet")$err, "written to a file")
  # A name with the mark of a column stays in its own.
  odd <- written("date,A|B", "2024-01-01,1", "2024-01-02,2", "2024-01-03,1.5")
  expect_match(
    paste(imbroglio("volatility", odd, "--format", "markdown")$out, collapse = "\n"), "A\\|B",
    fixed = TRUE
  )
  noisy <- c(
    "var", demo_file("bay.csv"), demo_file("bay-fund.csv"), "--holdings",
    demo_file("bay-holdings.csv")
  )
  expect_match(do.call(imbroglio, as.list(noisy))$err, "Note: ")
  quiet <- do.call(imbroglio, as.list(c(noisy, "--quiet")))
  expect_equal(quiet$err, "")
  # A word that stands twice is no word too many.
  year <- c("volatility", file, "--from", "2020", "--to", "2020", "--quiet")
  expect_equal(do.call(imbroglio, as.list(year))$status, 0L)
  expect_equal(quiet$out, do.call(imbroglio, as.list(noisy))$out)
})

test_that("each command says the next step, and stands once in its place, manual and completion", {
  known <- imbroglio:::commands()
  groups <- imbroglio:::command_groups(known)
  expect_equal(sort(unlist(groups, use.names = FALSE)), sort(names(known)))
  expect_length(groups$More, 0)
  lost <- imbroglio("drawdown")
  expect_equal(lost$status, 2L)
  expect_match(lost$err, "Next: imbroglio drawdown prices.csv")
  expect_match(imbroglio("study")$err, "study new PRICES")
  expect_match(
    imbroglio("--version")$out[1], as.character(packageVersion("imbroglio")), fixed = TRUE
  )
  folder <- withr::local_tempdir()
  imbroglio:::write_manual(folder)
  expect_setequal(list.files(folder), c("imbroglio.1", sprintf("imbroglio-%s.1", names(known))))
  for (name in names(known)) {
    page <- gsub("\\\\-", "-", readLines(file.path(folder, sprintf("imbroglio-%s.1", name))))
    options <- sprintf("^[.]B --%s( |$)", known[[name]]$options)
    expect_true(all(vapply(options, function(o) any(grepl(o, page)), NA)), info = name)
    # No line is taken for an order of the manual's language but its own.
    orders <- sub(" .*$", "", grep("^[.']", page, value = TRUE))
    expect_setequal(
      setdiff(orders, c(".TH", ".SH", ".B", ".BR", ".TP", ".PP", ".nf", ".fi")), character()
    )
  }
  script <- written(imbroglio:::completion_of("bash"), ending = ".sh")
  completed <- function(...) {
    words <- c(...)
    line <- sprintf(
      "source %s; COMP_WORDS=(%s); COMP_CWORD=%d; _imbroglio; printf '%%s\\n' \"${COMPREPLY[@]}\"",
      script, paste(shQuote(words), collapse = " "), length(words) - 1L
    )
    system2("bash", c("-c", shQuote(line)), stdout = TRUE)
  }
  expect_equal(completed("imbroglio", "vola"), "volatility")
  expect_setequal(completed("imbroglio", "var", "--le"), "--level")
  for (shell in c("zsh", "fish")) {
    text <- paste(imbroglio:::completion_of(shell), collapse = "\n")
    expect_true(all(vapply(names(known), grepl, NA, x = text, fixed = TRUE)))
  }
})
