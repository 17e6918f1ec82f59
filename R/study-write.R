# The files of a run, written into a folder beside the one that is meant.

write_run <- function(folder, study, work, run, record) {
  own <- private_folder(dirname(folder), folder)
  on.exit(unlink(own, recursive = TRUE))
  part <- file.path(own, "run")
  made <- tryCatch(
    {
      files_of_run(part, study, work, run, record)
      write_days(part, folder, record, run$fragments$top)
      run_as_record(part, study, run, record)
      NULL
    },
    error = function(e) e
  )
  if (!is.null(made)) {
    if (inherits(made, "imbroglio_error")) stop(made)
    fail(
      "write",
      sprintf("%s could not be written; it is as it was.", folder),
      where = conditionMessage(made)
    )
  }
  replace_folder(part, folder, record)
}

files_of_run <- function(part, study, work, run, before) {
  for (made in c(part, file.path(part, c("tables", "figures")))) {
    if (!dir.create(made, showWarnings = FALSE)) {
      fail("write", sprintf("The folder %s cannot be made.", dirname(part)))
    }
  }
  for (f in run$fragments) {
    if (length(f$csv)) {
      write_lines(f$csv, file.path(part, "tables", paste0(f$name, ".csv")))
    }
    if (length(f$figure$file)) {
      write_lines(f$figure$file, file.path(part, "figures", paste0(f$name, ".svg")))
    }
  }
  page <- file.path(part, "report.html")
  book <- workbooks_of_study(
    run$fragments, known_data(run, before), file.path(part, "tables.xlsx")
  )
  write_lines(page_of_run(work, run, book), page)
  if (!made_whole(page, "html")) fail("write", "The page came out cut off.")
  if (report_asked(study)) write_pdf(page, file.path(part, "report.pdf"))
}

page_of_run <- function(work, run, workbook = NULL) {
  fragments <- run$fragments[names(run$fragments) != "top"]
  page_of(work, run$fragments$top, fragments, list(workbook = workbook))
}

# The columns that the workings are over, by their digests; those of what was kept are in the
# record of the run `before`.
known_data <- function(run, before) {
  of_parts <- lapply(unname(run$fragments), function(f) f$sums$data)
  c(unlist(of_parts), unlist(before$data))
}

run_as_record <- function(part, study, run, before = NULL) {
  sums <- lapply(run$fragments, `[[`, "sums")
  parts <- lapply(run$fragments, function(f) {
    f$sums$data <- NULL
    f
  })
  data <- known_data(run, before)
  needed <- unique(unlist(lapply(sums, `[[`, "needs")))
  files <- list.files(part, recursive = TRUE)
  record <- list(
    made_by = "imbroglio",
    form = 4L,
    version = own_version(),
    study = study$lines,
    report = report_asked(study),
    files = as.list(stats::setNames(
      vapply(file.path(part, files), file_digest, "", USE.NAMES = FALSE), files
    )),
    data = as.list(data[needed]),
    parts = parts
  )
  text <- jsonlite::toJSON(record, auto_unbox = TRUE, null = "null", digits = NA)
  write_lines(as.character(text), file.path(part, "record.json"))
}

# By the browser, without its window.
write_pdf <- function(page, file) {
  browser <- Sys.which(c("chromium", "chromium-browser", "google-chrome", "chrome"))
  browser <- browser[nzchar(browser)]
  if (!length(browser)) {
    fail(
      "package",
      "A PDF is made by Chromium, which is not installed.",
      remedy = "Install it (chromium, a Debian package), or print report.html from a browser."
    )
  }
  home <- tempfile("browser-")
  on.exit(unlink(home, recursive = TRUE))
  made <- tempfile("page-", fileext = ".pdf")
  on.exit(unlink(made), add = TRUE)
  said <- suppressWarnings(system2(browser[1L], shQuote(c(
    "--headless", "--disable-gpu", "--no-pdf-header-footer",
    # As root there is no sandbox to be had, and the page is our own.
    if (identical(Sys.info()[["user"]], "root")) "--no-sandbox",
    paste0("--user-data-dir=", home),
    paste0("--print-to-pdf=", made),
    paste0("file://", utils::URLencode(normalizePath(page)))
  )), stdout = TRUE, stderr = TRUE, timeout = 300))
  if (!file.exists(made) || !made_whole(made, "pdf") || !file.copy(made, file, overwrite = TRUE)) {
    fail("write", "The browser made no PDF.", where = some(utils::tail(said, 2L)))
  }
  without_moment(file)
}
