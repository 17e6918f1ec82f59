# The log of mornings, a line of JSON for each; the lock; what a run that was killed left.

form_of_morning <- "1"

# Held by a database file, whose locks end with the process that has them.
lock_mornings <- function(folder) {
  lock <- DBI::dbConnect(RSQLite::SQLite(), file.path(folder, ".lock"))
  taken <- tryCatch(
    {
      DBI::dbGetQuery(lock, "pragma busy_timeout = 0")
      DBI::dbExecute(lock, "begin exclusive")
    },
    error = function(e) e
  )
  if (!inherits(taken, "error")) return(lock)
  suppressWarnings(DBI::dbDisconnect(lock))
  busy <- grepl("locked|busy", conditionMessage(taken))
  at_work <- what_runs(folder)
  fail(
    "write",
    sprintf(if (busy) "Another morning is at work in %s." else "%s cannot be locked.", folder),
    where = if (!busy) {
      conditionMessage(taken)
    } else if (!is.null(at_work)) {
      sprintf(
        "It began at %s, as process %s on %s.", at_work$started, at_work$process, at_work$host
      )
    },
    remedy = if (busy) "Nothing was done; let it end."
  )
}

running_file <- function(folder) file.path(folder, ".running.json")
what_runs <- function(folder) {
  file <- running_file(folder)
  if (file.exists(file)) tryCatch(jsonlite::read_json(file), error = function(e) NULL)
}

log_file <- function(folder) file.path(folder, "log.jsonl")

begun_morning <- function(study, folder) {
  sweep_killed(folder)
  morning <- new.env()
  morning$study <- study
  morning$folder <- folder
  morning$started <- utc_now()
  running <- list(
    started = morning$started, process = Sys.getpid(), host = Sys.info()[["nodename"]],
    study = study$file, today = format(study$today), temporary = tempdir()
  )
  write_whole(running_file(folder), function(part) {
    write_lines(as.character(jsonlite::toJSON(running, auto_unbox = TRUE)), part)
  })
  morning
}

# The log has a line of each run that began, and its folders are no longer of use; where none was
# killed they are of another who writes there. A killed run may have put the folder of the run
# before aside and not yet its own in its place.
sweep_killed <- function(folder) {
  file <- running_file(folder)
  killed <- what_runs(folder)
  left <- list.files(folder, "^[.]imbroglio-", all.files = TRUE, full.names = TRUE)
  report <- file.path(folder, "report")
  if (!dir.exists(report)) {
    whole <- Filter(function(one) !is.null(record_in(one)), left)
    if (length(whole)) file.rename(whole[1L], report)
  }
  if (!file.exists(file)) return(invisible())
  unlink(left, recursive = TRUE)
  temporary <- killed$temporary %||% ""
  ours <- identical(killed$host, Sys.info()[["nodename"]]) && temporary != tempdir() &&
    dirname(temporary) == dirname(tempdir()) && grepl("^Rtmp[A-Za-z0-9]+$", basename(temporary))
  if (ours) unlink(temporary, recursive = TRUE)
  log_line(folder, c(head_of_line(killed$study, killed$started, NULL, killed$today), list(
    status = NULL, reasons = list("It did not end: it was killed, or the machine went down.")
  )))
  unlink(file)
}

head_of_line <- function(study, started, ended, today) {
  list(
    imbroglio = list(
      kind = "morning", form = form_of_morning,
      version = own_version()
    ),
    study = study, started = started, ended = ended, today = today
  )
}

line_of_morning <- function(morning) {
  fetched <- morning$fetched
  findings <- morning$findings
  c(
    head_of_line(
      morning$study$file, morning$started, morning$ended, format(morning$study$today)
    ),
    list(
      status = morning$status, reasons = as.list(morning$reasons), last_day = morning$top$date,
      feed = if (is.character(fetched)) fetched,
      fetched = if (is.data.frame(fetched)) {
        as.list(table(factor(fetched$outcome, c("fetched", "nothing new", "failed"))))
      },
      rows = if (is.data.frame(fetched)) {
        lapply(fetched[c("new", "restated", "left_out")], function(n) sum(n, na.rm = TRUE))
      },
      doubtful = if (is.data.frame(fetched)) length(morning$doubts),
      findings = if (!is.null(findings)) {
        as.list(table(factor(findings$severity, c("error", "warning", "note"))))
      },
      repaired = morning$repaired,
      limits = morning$top$limits$states,
      parts = if (!is.null(morning$run)) {
        as.list(table(factor(morning$run$state, c("measured", "kept", "failed"))))
      },
      said = as.list(unique(morning$said)),
      kept = morning$kept, files = as.list(morning$files)
    )
  )
}

# Once, and also where it breaks: what ended it is passed on. A line is whole or not there.
end_morning <- function(morning) {
  if (isTRUE(morning$logged)) return(invisible())
  morning$logged <- TRUE
  morning$ended <- utc_now()
  if (is.null(morning$status)) morning$reasons <- "It was interrupted."
  unwritten <- tryCatch(
    {
      write_index(morning)
      NULL
    },
    error = function(e) e
  )
  if (!is.null(unwritten)) {
    morning$status <- 4L
    morning$reasons <- c(morning$reasons, condition_words(unwritten))
  }
  log_line(morning$folder, line_of_morning(morning))
  unlink(running_file(morning$folder))
  if (!is.null(unwritten)) stop(unwritten)
}

log_line <- function(folder, line) {
  file <- log_file(folder)
  before <- if (file.exists(file)) readBin(file, "raw", file.size(file))
  own <- text_bytes(as.character(
    jsonlite::toJSON(line, auto_unbox = TRUE, null = "null", digits = NA)
  ))
  write_whole(file, function(part) {
    why <- write_bytes(part, c(before, own), FALSE)
    if (nzchar(why)) fail("write", "The log could not be written.", where = why)
  })
}

# All that the log says, a list for each line that is one.
logged_mornings <- function(folder) {
  file <- log_file(folder)
  if (!file.exists(file)) return(list())
  lines <- readLines(file, encoding = "UTF-8", warn = FALSE)
  Filter(Negate(is.null), lapply(lines, function(line) {
    tryCatch(jsonlite::parse_json(line), error = function(e) NULL)
  }))
}
