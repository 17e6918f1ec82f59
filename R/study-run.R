#' Run a study
#'
#' Measures all that a study says and writes it into one folder: `report.html` (and `report.pdf`
#' where asked for), `tables/` as CSV, `figures/` as SVG, `tables.xlsx`, whose numbers are formulas
#' over data of its own as far as they have workings and a workbook bears it, and `record.json`, by
#' which the next run knows what has not changed and need not be measured again: files, settings,
#' and the choices of each measure are compared by their digests.
#'
#' The record also names what the run wrote. Only that is replaced or removed by the next run, and
#' only where it is still as it was written: what others put into the folder stays, and what was
#' changed there stays as `NAME.as-found`, with a warning (`imbroglio_warning_kept`). A file that
#' is gone or was cut is made again.
#'
#' Of a book, or of one security, a record of the last date is kept in `runs/`, a small file for
#' each day: what was held, the numbers at the top, what moved each since the record before, the
#' limits. By these the next day's page says why each number moved, and whether a trade broke a
#' limit; see
#' [history_of_runs()]. Kept are all of the last two years, and the last of each month before.
#'
#' What cannot be measured (too little history, a method that does not fit) is a note in the page,
#' and the rest is there.
#'
#' By a plan of the package future, such as `future::plan(future::multisession, workers = 4)`, the
#' parts are measured side by side; each worker opens the study's files itself. Page, tables,
#' figures and workbook are the same to the byte on any plan. A worker that dies has its part done
#' again; a part of which three died is a note in the page. What was registered is known to all, as
#' far as its function holds all that it needs.
#'
#' @param study A study file, or the result of [read_study()].
#' @param folder Where it is written; by default what the study says, or `report` beside it: a
#'   new or empty folder, or one with the record of a run before; any other is refused. A link is
#'   followed.
#' @param only Names of sections or measures: the others are left out.
#' @param fresh Whether all is measured again, whatever is known.
#' @param today The day on which it is run: the page says how many trading days the last price lies
#'   before it.
#' @return A data frame, invisibly: `part`, `state` (`"measured"`, `"kept"`, `"failed"`), `detail`.
#' @section Errors: Those of reading prices and books, before anything is measured;
#'   `imbroglio_error_write` where the folder cannot be written, `imbroglio_error_file` where it is
#'   not of a run, or holds another's file where one would be written: it is then as it was.
#' @seealso [read_study()], [write_report()]
#' @family ways to hand on
#' @examplesIf all(vapply(c("yaml", "svglite"), requireNamespace, NA, quietly = TRUE))
#' \donttest{
#' run_study(demo_file("bay-study.yml"), tempfile("report"), only = "split")
#' }
#' @export
run_study <- function(study, folder = NULL, only = NULL, fresh = FALSE, today = Sys.Date()) {
  if (!inherits(study, "imbroglio_study")) study <- read_study(study)
  study$today <- check_date(today, "today")
  need_ggplot()
  folder <- folder %||% study_path(study, study$says$report$folder %||% "report")
  folder <- check_folder(folder)
  record <- record_in(folder)
  before <- if (!fresh) record
  sources <- study_sources(study)
  shared <- shared_digest(study, sources, only)
  whole <- !is.null(before) && all(state_of_files(folder, before) == "written")
  if (whole && nothing_changed(study, before, shared)) {
    failed <- vapply(before$parts, function(f) !is.null(f$failed), NA)
    return(invisible(state_of_run(before$parts, ifelse(failed, "failed", "kept"))))
  }
  work <- loaded(work_of_study(study))
  if (length(work$own) == 1L) {
    work$days <- days_alike(days_kept(folder, record), work$own, work$book$currency)
  }
  run <- measured_parts(work, before, shared, only, study)
  write_run(folder, study, work, run, record)
  invisible(state_of_run(run$fragments, run$states))
}

# What every part hangs on: the files, what is shared by all, the package.
shared_digest <- function(study, sources, only) {
  says <- study$says
  says$measures <- names(says$measures)
  says$report <- NULL
  built <- utils::packageDescription("imbroglio")[c("Version", "Built")]
  digest::digest(list(unname(sources), says, only, built, study$stale), algo = "xxhash64")
}

part_digest <- function(shared, name, choices) {
  digest::digest(list(shared, name, choices), algo = "xxhash64")
}

nothing_changed <- function(study, before, shared) {
  parts <- report_parts()
  now <- vapply(names(before$parts), function(name) {
    part_digest(shared, name, choices_behind(study, parts, name))
  }, "")
  identical(before$report, report_asked(study)) &&
    identical(unname(now), unname(vapply(before$parts, `[[`, "", "digest")))
}

report_asked <- function(study) isTRUE(study$says$report$pdf)

# The choices that a part hangs on: those of its measure, and what is tested and split is the value
# at risk as it is measured.
choices_behind <- function(study, parts, name) {
  measured <- study$says$measures
  of <- if (name == "top") "limits" else parts[[name]]$measure
  if (of %in% c("limits", "backtest", "split")) of <- c(of, "var")
  c(
    measured[intersect(of, names(measured))],
    # How old the prices are stands at the top.
    if (name == "top") list(today = format(study$today))
  )
}

# Each part measured, or taken from the run before; by the plan that is set, side by side.
measured_parts <- function(work, before, shared, only, study = NULL) {
  parts <- only_parts(parts_to_show(work), only)
  names_of <- c(if (is.null(only) || "top" %in% only) "top", names(parts))
  all_parts <- report_parts()
  keys <- vapply(names_of, function(name) {
    if (is.null(study)) "" else part_digest(shared, name, choices_behind(study, all_parts, name))
  }, "")
  kept <- Filter(Negate(is.null), lapply(stats::setNames(nm = names_of), function(name) {
    one <- before$parts[[name]]
    if (identical(one$digest, keys[[name]])) one
  }))
  source <- source_of_work(work, study)
  on.exit(forget_work())
  bar <- progress_bar(
    "Measuring", total = length(names_of), format = "{cli::pb_bar} {cli::pb_extra$at}",
    extra = list(at = "")
  )
  told <- function(name) progress_step(bar, extra = list(at = name))
  asked <- setdiff(names_of, names(kept))
  # What is told of days has today's among them, which is of the top.
  of_days <- Filter(function(name) "days" %in% all_parts[[name]]$needs, asked)
  made <- measured_side_by_side(setdiff(asked, of_days), source, work$days, told)
  top <- kept$top %||% made$top
  days <- if (is.null(top)) work$days else days_up_to(work$days, top)
  made <- c(made, measured_side_by_side(of_days, source, days, told))
  progress_done(bar)
  fragments <- lapply(stats::setNames(nm = names_of), function(name) {
    one <- kept[[name]] %||% made[[name]]
    one$digest <- keys[[name]]
    one
  })
  failed <- vapply(fragments, function(f) !is.null(f$failed), NA)
  states <- ifelse(failed, "failed", ifelse(names_of %in% names(kept), "kept", "measured"))
  names(states) <- names_of
  if (is.null(only)) {
    for (one in lacking_parts(work)) {
      one$digest <- part_digest(shared, one$name, choices_behind(study, all_parts, one$name))
      fragments[[one$name]] <- one
      states[one$name] <- "failed"
    }
  }
  list(fragments = fragments, states = states)
}

measured_side_by_side <- function(names_of, source, days, told) {
  pieces <- lapply(stats::setNames(nm = names_of), function(name) {
    with_days <- name == "top" || any(c("limits", "history") %in% report_parts()[[name]]$measure)
    list(name = name, source = source, days = if (with_days) days)
  })
  done_by_plan(pieces, part_of_work, part_that_died, told)
}

part_of_work <- function(piece) {
  Map(list2env, piece$source$registered, registries())
  work <- work_of_source(piece$source)
  work$days <- piece$days
  if (piece$name == "top") return(top_fragment(work))
  part <- report_parts()[[piece$name]]
  with_line_of(piece$source$study, part$measure, fragment_of(work, piece$name, part))
}

part_that_died <- function(piece, why) {
  part <- report_parts()[[piece$name]]
  list(
    name = piece$name, section = part$section %||% "top", above = part$above, says = FALSE,
    title = part$title %||% "At a glance",
    failed = "The process that measured it ended, three times: is there room in memory?"
  )
}

# Where a worker has the work from: it opens the study itself, once for all parts. What is not of
# files, or of a state that another may not find, is sent along.
source_of_work <- function(work, study) {
  # Others may write to a store in the meantime.
  again <- !is.null(study) && !any(startsWith(work$sources, "store"))
  key <- digest::digest(list(study$says, study$folder, work$sources, tempfile()))
  forget_work()
  opened$key <- key
  opened$work <- work
  list(
    key = key, study = study, work = if (!again) work, files = work$sources, at = getwd(),
    registered = lapply(registries(), as.list)
  )
}

opened <- new.env(parent = emptyenv())

forget_work <- function() {
  for (known in list(opened, columns_written)) rm(list = ls(known), envir = known)
}

work_of_source <- function(source) {
  if (!is.null(source$work)) return(source$work)
  if (identical(opened$key, source$key)) return(opened$work)
  before <- setwd(source$at)
  on.exit(setwd(before))
  work <- suppressWarnings(suppressMessages(work_of_study(source$study)))
  if (!identical(work$sources, source$files)) {
    fail("file", "The files of the study changed while it was measured.")
  }
  forget_work()
  opened$key <- source$key
  opened$work <- work
  work
}

# A choice of a measure that cannot be is told with its line in the study.
with_line_of <- function(study, measure, making) {
  if (is.null(study)) return(making)
  tryCatch(making, imbroglio_error_argument = function(e) {
    path <- c("measures", measure, e$argument)
    refuse_study(
      study$file, line_of_key(study$lines, path), sprintf(
        "measures: %s: %s", measure, condition_words(e)
      )
    )
  })
}

only_parts <- function(parts, only) {
  if (is.null(only)) return(parts)
  named <- unique(c(
    "top", names(parts), vapply(parts, `[[`, "", "section"), vapply(parts, `[[`, "", "measure")
  ))
  unknown <- setdiff(only, named)
  if (length(unknown)) {
    fail(
      "argument",
      sprintf("`only` does not know %s.", shown(unknown[1L])),
      where = sprintf("This study has %s.", some(named, 60L)),
      remedy = did_you_mean(unknown[1L], named)
    )
  }
  parts[names(parts) %in% only | vapply(parts, function(part) {
    any(c(part$section, part$measure) %in% only)
  }, NA)]
}

state_of_run <- function(fragments, states) {
  data.frame(
    part = names(fragments),
    state = unname(states),
    detail = vapply(fragments, function(f) f$failed %||% f$lead %||% "", ""),
    row.names = NULL
  )
}
