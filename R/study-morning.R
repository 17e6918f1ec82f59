# A morning: what is new is fetched, checked and measured, held against the limits and the day
# before; what came of it is kept by its date, and logged in a line.

#' A morning of a study
#'
#' Does what is to be done with a study each day: asks the feed for what is new, checks the prices,
#' measures ([run_study()]), holds the limits against the day before, and keeps page and records by
#' the date of the last price. Can be run by a scheduler: what can be measured is measured, then it
#' is told what could not.
#'
#' What it does besides measuring is said by the key `morning` of the study, all of which may be
#' left out:
#'
#' * `feed`: the address of a feed, asked for what is new into the store that `prices` names (see
#'   [update_store()]); `securities`: what it is asked for at first (all); `allow`: hosts that it
#'   may redirect to; `patience`: seconds for which nothing may come of it (60). Where it fails,
#'   what is held is measured, and the status is 5.
#' * `stale`: how many trading days the last price may be old (1). Where it is older, no limit is
#'   within, and it is an error of the check.
#' * `folder`: where all is written (`mornings`, beside the study).
#' * `keep`: for how long each day's page and tables are kept (`"3 months"`); of the time before
#'   the last of each month. `keep_workbooks`: the same of workbooks (`"2 weeks"`).
#'
#' The study's own key `repair` says which remedies of [repair_prices()] are taken by themselves.
#'
#' In the folder there are
#'
#' * `index.html`: all mornings, the newest first, with their pages;
#' * `report/`: the run of the study, see [run_study()]; `imbroglio change` and `imbroglio history`
#'   read it;
#' * `runs/2025-11-28/`: page, workbook, tables, the record of the day and `news.txt`, sentences
#'   that can be mailed, of each last date. A file that is the same as the one before is kept once;
#'   what others put there stays. The record of each day outlives its page;
#' * `log.jsonl`: a line for each run, whatever came of it, by the schema
#'   `system.file("record", "morning.schema.json", package = "imbroglio")`.
#'
#' Two mornings do not overlap: the second is refused. A run that was killed is told in the log by
#' the next, which removes what it left. A morning may be run again as often as one likes: that a
#' limit "was within" is of the last *day* before. An earlier day than one that is kept wants
#' another folder: the holdings are those of now, and would take the place of what was recorded.
#'
#' @param study A study file, or the result of [read_study()].
#' @param folder Where all is written; by default what the study says.
#' @param today The day on which it is run. Of an earlier day prices are taken up to it, as they
#'   are known now.
#' @param fetch Whether the feed is asked.
#' @return An `imbroglio_morning`, which prints as its sentences: `status` (as of the command, see
#'   below), `reasons`, `sentences`, and all that the log has: `started`, `ended`, `last_day`,
#'   `fetched`, `rows`, `findings`, `repaired`, `limits`, `parts`, `files`.
#' @section Status: 0, all is well; 1, a limit is broken, or the prices have errors, are too old,
#'   or those that the feed brought are doubtful (see [store_prices()]);
#'   5, the feed did not have all, a part or a limit could not be measured; 6, both.
#' @section Errors: Those of [read_study()], [run_study()] and, of a store that holds nothing yet,
#'   [update_store()]; `imbroglio_error_write` where another morning is at work in the folder, or
#'   it cannot be written to.
#' @seealso [run_study()], [explain_change()]
#' @eval concepts_in_docs("run_morning")
#' @family ways to hand on
#' @examplesIf all(vapply(c("yaml", "svglite", "RSQLite"), requireNamespace, NA, quietly = TRUE))
#' \donttest{
#' study <- read_study(demo_file("bay-study.yml"))
#' study$says$measures <- list(limits = NULL)
#' run_morning(study, tempfile("mornings"), today = "2026-01-02")
#' }
#' @export
run_morning <- function(study, folder = NULL, today = NULL, fetch = TRUE) {
  need_package("RSQLite", "A morning")
  need_ggplot()
  if (!isTRUE(fetch) && !isFALSE(fetch)) {
    fail("argument", "`fetch` is one truth value.", where = sprintf("It is %s.", shown(fetch)))
  }
  if (!inherits(study, "imbroglio_study")) study <- read_study(study)
  study <- study_of_today(study, today)
  folder <- folder_of_mornings(
    folder %||% study_path(study, study$says$morning$folder %||% "mornings")
  )
  lock <- lock_mornings(folder)
  on.exit(DBI::dbDisconnect(lock))
  morning <- begun_morning(study, folder)
  # Whatever ends it, it is logged.
  on.exit(end_morning(morning), add = TRUE, after = FALSE)
  tryCatch(
    withCallingHandlers(
      {
        morning$fetched <- fetched_for_morning(morning, fetch)
        check_for_morning(morning)
        measure_for_morning(morning)
        judge_morning(morning)
        keep_morning(morning)
      },
      imbroglio_warning = function(w) morning$said <- c(morning$said, condition_words(w))
    ),
    error = function(e) {
      morning$status <- status_of_error(e)
      morning$reasons <- condition_words(e)
      stop(e)
    }
  )
  end_morning(morning)
  structure(line_of_morning(morning), sentences = morning$sentences, class = "imbroglio_morning")
}

#' @export
print.imbroglio_morning <- function(x, ...) {
  cat(paste0(attr(x, "sentences"), "\n"), sep = "")
  invisible(x)
}

# With what a morning says besides: its day, how old prices may be, and of an earlier day that no
# later price is taken.
study_of_today <- function(study, today) {
  study$today <- check_date(today %||% Sys.Date(), "today")
  study$stale <- study$says$morning$stale %||% 1L
  if (study$today < Sys.Date()) {
    fixed <- intersect(c("to", "during"), names(study$says$period))
    if (length(fixed) || (study$says$given %||% "prices") != "prices") {
      path <- if (length(fixed)) c("period", fixed[1L]) else "given"
      refuse_study(
        study$file, line_of_key(study$lines, path),
        sprintf("%s: a morning of an earlier day takes prices up to it.", some(path)),
        "Leave out the day, or this key."
      )
    }
    study$until <- study$today
    study$says$period$to <- format(study$today)
  }
  study
}

folder_of_mornings <- function(folder) {
  folder <- named_folder(folder)
  if (!dir.exists(folder) && !dir.create(folder, showWarnings = FALSE)) {
    fail("write", sprintf("The folder %s cannot be made.", folder), where = whose(dirname(folder)))
  }
  if (file.access(folder, 2L) != 0L) {
    fail("write", sprintf("%s cannot be written to.", folder), where = whose(folder))
  }
  normalizePath(folder)
}

# What came of the feed; a text where nothing did.
fetched_for_morning <- function(morning, fetch) {
  says <- morning$study$says
  if (is.null(says$morning$feed)) return("there is no feed")
  store <- store_of_morning(morning$study)
  if (!fetch) return("not asked")
  asked <- Filter(Negate(is.null), list(
    securities = unlist(says$morning$securities), allow = unlist(says$morning$allow)
  ))
  outcomes <- tryCatch(
    withCallingHandlers(
      do.call(update_store, c(
        list(store, says$morning$feed, patience = says$morning$patience %||% 60), asked
      )),
      # It stands among the outcomes.
      imbroglio_warning_feed = function(w) invokeRestart("muffleWarning"),
      imbroglio_warning_doubt = function(w) morning$doubts <- c(morning$doubts, condition_words(w))
    ),
    imbroglio_error = function(e) e
  )
  if (!inherits(outcomes, "error")) return(as.data.frame(outcomes))
  held <- tryCatch(nrow(store_contents(store)) > 0L, imbroglio_error = function(e) FALSE)
  if (!held) stop(outcomes)
  condition_words(outcomes)
}

store_of_morning <- function(study) {
  store <- study_path(study, study$says$prices)
  is_store <- length(store) == 1L &&
    (is_store_address(store) || !file.exists(store) || is_sqlite(store))
  if (is_store) return(store)
  refuse_study(
    study$file, line_of_key(study$lines, "prices"),
    "A feed is asked into a price store, and prices is none.",
    "Name a store: a file such as prices.sqlite, or postgresql://USER@HOST/DATABASE."
  )
}

# What is found, and what of it is put right by itself.
check_for_morning <- function(morning) {
  study <- morning$study
  refuse_absent_files(study)
  if ((study$says$given %||% "prices") != "prices") return(invisible())
  delivery <- delivery_of_study(study)
  morning$later <- days_later_than(delivery, morning)
  findings <- as.data.frame(findings_of_study(study, delivery))
  mended <- findings$remedy %in% study$says$repair
  morning$repaired <- sum(mended)
  morning$findings <- findings[!mended, ]
}

# The days that are recorded, or kept, after the last price: a morning of before would be one of
# today's holdings in their place.
days_later_than <- function(delivery, morning) {
  recorded <- list.files(file.path(morning$folder, "report", "runs"), day_file)
  days <- union(sub("[.]json$", "", recorded), dates_kept(morning$folder))
  last <- suppressWarnings(max(delivery$day, na.rm = TRUE))
  later <- days[as.numeric(as.Date(days)) > last]
  if (length(later) && !is.null(morning$study$until)) {
    fail(
      "argument",
      sprintf(
        "`today` is %s, and the morning of %s is kept there.", morning$study$until, max(later)
      ),
      where = "What is held now would take the place of what was recorded of then.",
      remedy = "Name another folder for an earlier day."
    )
  }
  later
}

measure_for_morning <- function(morning) {
  report <- file.path(morning$folder, "report")
  morning$run <- run_study(morning$study, report, today = morning$study$today)
  morning$record <- record_in(report)
  morning$top <- morning$record$parts$top
}

# What is wrong, and what could not be had or measured.
judge_morning <- function(morning) {
  states <- unlist(morning$top$limits$states)
  some_of <- function(n, what, says) if (isTRUE(n > 0)) paste(count(n, what), says)
  fetched <- morning$fetched
  table <- is.data.frame(fetched)
  failed <- if (table) sum(fetched$outcome == "failed") else 0L
  asked <- !is.null(morning$study$says$morning$feed) && !identical(fetched, "not asked")
  errors <- sum(morning$findings$severity == "error")
  state <- function(name) if (is.null(states)) 0L else states[[name]]
  broken <- state("broken")
  unmeasured <- state("not measurable") + state("unknown")
  parts <- morning$run$state == "failed"
  wrong <- c(
    if (length(morning$later)) {
      sprintf("the prices end before the morning of %s", max(morning$later))
    },
    some_of(broken, "limit", if (broken == 1L) "is broken" else "are broken"),
    some_of(length(morning$doubts), "doubt", "about what the feed brought"),
    some_of(errors, "error", "among the prices")
  )
  part <- c(
    if (asked && !table) paste("nothing could be fetched:", fetched),
    some_of(failed, "security", "could not be had of the feed"),
    some_of(unmeasured, "limit", "cannot be measured"),
    some_of(
      sum(parts), "part", paste("of the report not measured:", some(morning$run$part[parts]))
    )
  )
  morning$reasons <- c(wrong, part)
  morning$status <- status_of(length(wrong) > 0L, length(part) > 0L)
  morning$sentences <- visible(news_of_morning(morning))
}
