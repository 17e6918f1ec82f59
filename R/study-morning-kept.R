# Mornings by their dates: what is kept of each, for how long, and the index of all.

usual_keep <- list(keep = "3 months", keep_workbooks = "2 weeks")

kept_for <- function(study) {
  says <- study$says$morning
  utils::modifyList(usual_keep, as.list(says[intersect(names(usual_keep), names(says))]))
}

keep_morning <- function(morning) {
  folder <- morning$folder
  runs <- file.path(folder, "runs")
  if (!dir.exists(runs) && !dir.create(runs, showWarnings = FALSE)) {
    fail("write", sprintf("The folder %s cannot be made.", runs))
  }
  morning$kept <- file.path("runs", morning$top$date)
  keep_day(morning, file.path(folder, morning$kept))
  dates <- dates_kept(folder)
  keep <- kept_for(morning$study)
  # What was made just now is what was asked for.
  for (date in setdiff(dates, morning$top$date)) {
    prune_day(file.path(runs, date), is_due(as.Date(date), as.Date(dates), keep))
  }
  digests <- record_in(file.path(folder, morning$kept))$files
  morning$files <- stats::setNames(digests, file.path(morning$kept, names(digests)))
}

write_index <- function(morning) {
  write_whole(file.path(morning$folder, "index.html"), function(part) {
    lines <- c(logged_mornings(morning$folder), list(line_of_morning(morning)))
    write_lines(index_of_mornings(lines, morning$study, morning$folder), part)
  })
}

dates_kept <- function(folder) {
  sort(list.files(file.path(folder, "runs"), "^[0-9]{4}-[0-9]{2}-[0-9]{2}$"))
}

# What is no longer kept of a day: nothing, the workbook, all.
is_due <- function(date, dates, keep) {
  newest <- max(dates)
  last_of_month <- date == max(dates[format(dates, "%Y-%m") == format(date, "%Y-%m")])
  if (last_of_month) return("nothing")
  if (date <= span_before(newest, keep$keep)) return("all")
  if (date <= span_before(newest, keep$keep_workbooks)) "workbook" else "nothing"
}

# The page and its tables, whose figures are in the page, the record of the day, and the news.
keep_day <- function(morning, folder) {
  report <- file.path(morning$folder, "report")
  folder <- check_folder(folder)
  own <- private_folder(morning$folder, folder)
  on.exit(unlink(own, recursive = TRUE))
  part <- file.path(own, "day")
  named <- names(morning$record$files)
  day <- sprintf("runs/%s.json", morning$top$date)
  named <- named[!grepl("^(figures|runs)/", named) | named == day]
  before <- utils::tail(setdiff(dates_kept(morning$folder), basename(folder)), 1L)
  for (sub in c("", unique(dirname(named)))) {
    dir.create(file.path(part, sub), showWarnings = FALSE, recursive = TRUE)
  }
  for (file in named) {
    same <- if (length(before)) file.path(morning$folder, "runs", before, file) else ""
    alike <- identical(file_digest(same), morning$record$files[[file]])
    # What others change in the report is not to change what is kept.
    taken <- (alike && suppressWarnings(file.link(same, file.path(part, file)))) ||
      file.copy(file.path(report, file), file.path(part, file), copy.date = TRUE)
    if (!taken) unreplaced(folder)
  }
  write_lines(morning$sentences, file.path(part, "news.txt"))
  write_record_of_day(part, c(named, "news.txt"))
  replace_folder(part, folder, record_in(folder))
}

# A record of a run without its parts, so that what is as it was written can be told.
write_record_of_day <- function(part, named) {
  digests <- vapply(file.path(part, named), file_digest, "", USE.NAMES = FALSE)
  write_lines(as.character(jsonlite::toJSON(list(
    made_by = "imbroglio", form = 4L,
    version = own_version(),
    files = as.list(stats::setNames(digests, named)), parts = stats::setNames(list(), character())
  ), auto_unbox = TRUE)), file.path(part, "record.json"))
}

# Only what is as it was written; a folder goes when nothing else is in it.
prune_day <- function(folder, due) {
  if (due == "nothing") return(invisible())
  record <- record_in(folder)
  if (is.null(record)) return(invisible())
  state <- state_of_files(folder, record)
  due_files <- names(state)[state == "written" & (due == "all" | grepl("[.]xlsx$", names(state)))]
  unlink(file.path(folder, due_files))
  if (due != "all") return(invisible())
  for (below in file.path(folder, unique(dirname(due_files)))) {
    if (!length(list.files(below, all.files = TRUE, no.. = TRUE))) unlink(below, recursive = TRUE)
  }
  left <- list.files(folder, all.files = TRUE, recursive = TRUE, no.. = TRUE)
  if (identical(left, "record.json")) unlink(folder, recursive = TRUE)
}
