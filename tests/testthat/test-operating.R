# docs/operating.md: every line of it is run, in order, and its table is what commands end with.
page <- test_path("../../docs/operating.md")
skip_if_not(file.exists(page), "the docs are not here")
lines <- readLines(page)

test_that("the table of statuses is the one that commands end with", {
  rows <- regmatches(lines, regexec("^\\| ([0-9]) \\| (.*) \\|$", lines))
  rows <- do.call(rbind, rows[lengths(rows) > 0L])
  expect_identical(stats::setNames(rows[, 3L], rows[, 2L]), imbroglio:::statuses)
})

test_that("each line of the page does what it says", {
  skip_if_not_installed("RSQLite")
  withr::local_envvar(TZ = "UTC")
  server <- postgres_process()
  withr::defer(stop_postgres(server))
  for (role in c("reader", "writer")) {
    DBI::dbExecute(server$connection, sprintf("create role %s login", role))
  }
  folder <- withr::local_tempdir()
  expect_equal(imbroglio("demo", "--files", folder)$status, 0L)
  all <- utils::read.csv(file.path(folder, "bay-daily.csv.xz"))
  last <- all$date == max(all$date)
  write <- function(table, name) data.table::fwrite(table, file.path(folder, name))
  write(all[!last, ], "history.csv")
  write(all[last, ], "day.csv")
  priced <- c("open", "high", "low", "close", "adjusted")
  write(replace(all[last, ], priced, all[last, priced] * 100), "cents.csv")
  fences <- cumsum(grepl("^```", lines))
  fenced <- fences %% 2L == 1L & !grepl("^```", lines)
  of_study <- fences == fences[grep("^```yaml", lines)]
  writeLines(lines[fenced & of_study], file.path(folder, "morning.yml"))
  code <- lines[fenced & !of_study]
  expect_gt(length(code), 20L)
  command <- dirname(system.file("exec", "imbroglio", package = "imbroglio"))
  programs <- dirname(Sys.glob("/usr/lib/postgresql/*/bin/pg_dump"))
  withr::local_envvar(
    R_LIBS = paste(.libPaths(), collapse = ":"), STORE = server$address,
    PATH = paste(c(command, programs, Sys.getenv("PATH")), collapse = ":")
  )
  for (line in code) {
    if (startsWith(line, "sqlite3") && !nzchar(Sys.which("sqlite3"))) {
      skip("sqlite3 is not installed")
    }
    wanted <- regmatches(line, regexec("# status ([0-9])", line))[[1L]][2L]
    said <- file.path(folder, "said.txt")
    status <- withr::with_dir(folder, suppressWarnings(system2(
      "sh", c("-c", shQuote(line)), stdout = said, stderr = said
    )))
    expect_equal(
      status, if (is.na(wanted)) 0L else as.integer(wanted),
      info = paste(c(line, readLines(said)), collapse = "\n")
    )
  }
  expect_equal(nrow(store_additions(file.path(folder, "kept.sqlite"))), 6L)
  for (role in c("reader", "writer")) {
    expect_no_error(quiet(read_prices(sub("tester@", paste0(role, "@"), server$address))))
  }
})
