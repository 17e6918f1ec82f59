# The commands of a whole piece of work: study and report.

command_of_study <- function() {
  list(
    group = "Check the number, and hand it on",
    place = 50,
    says = "a whole piece of work in one file: new writes one, run measures it, check reads it",
    takes = "new PRICES... | run STUDY | check STUDY",
    options = c(
      "price", "dates", "decimal", "sheet", "holdings", "benchmark", "limits", "securities",
      "base", "rates", "currencies", "carry", "title", "only", "fresh", "today", "workers",
      "plan", "out",
      "help"
    ),
    help = c(
      out = "where it is written: of new the study file, of run the folder",
      limits = "a table of limits: of, measure, warn, limit"
    ),
    example = c(
      paste0(
        "imbroglio study new bay.csv bay-fund.csv --holdings bay-holdings.csv --benchmark BAYALL ",
        "--out study.yml"
      ),
      "imbroglio study run study.yml",
      "imbroglio study run bay-study.yml --only limits,falls --out today"
    ),
    writes = "itself",
    run = run_study_command
  )
}

run_study_command <- function(files, options) {
  verbs <- list(new = draft_the_study, run = run_the_study, check = check_the_study)
  verb <- if (length(files)) files[1L] else ""
  if (grepl("[.]ya?ml$", verb)) {
    files <- c("run", files)
    verb <- "run"
  }
  if (!verb %in% names(verbs)) {
    fail(
      "argument",
      if (nzchar(verb)) sprintf("study does not know %s.", verb) else "study new, run or check?",
      remedy = if (nzchar(verb)) did_you_mean(verb, names(verbs)) %||% "It is new, run or check."
      else "imbroglio study new PRICES --holdings FILE --out study.yml is the way to begin."
    )
  }
  verbs[[verb]](files[-1L], options)
}

draft_the_study <- function(files, options) {
  refuse_options(options, c("only", "fresh", "today", "workers", "plan"), "study new")
  some_files(files, "study new")
  out <- options$out %||% "study.yml"
  arguments <- options[intersect(
    c("holdings", "benchmark", "limits", "securities", "title", "base", "rates", "carry"),
    names(options)
  )]
  arguments$currency <- options$currencies
  arguments <- Filter(Negate(is.null), arguments)
  reading <- options[intersect(how_read, names(options))]
  do.call(new_study, c(list(files, out, read = reading), arguments))
  say("Wrote ", out, ". Next: imbroglio study run ", out)
  0L
}

one_study <- function(files, verb) {
  if (length(files) != 1L) {
    fail(
      "argument",
      sprintf("study %s takes one study file.", verb),
      where = sprintf("%s given.", count(length(files), "was", "were")),
      remedy = "imbroglio study new PRICES --out study.yml writes one."
    )
  }
  read_study(files)
}

how_read <- c("price", "dates", "decimal", "sheet")
only_in_new <- c(
  how_read, "holdings", "benchmark", "limits", "securities", "base", "rates", "currencies",
  "carry", "title"
)

run_the_study <- function(files, options) {
  refuse_options(options, only_in_new, "study run")
  attach_usual()
  use_workers(options)
  study <- one_study(files, "run")
  folder <- options$out %||% study_path(study, study$says$report$folder %||% "report")
  run <- run_study(
    study, folder, only = options$only, fresh = isTRUE(options$fresh),
    today = options$today %||% Sys.Date()
  )
  say_run(run)
  say("Wrote ", file.path(folder, "report.html"))
  status_of(in_part = run$state == "failed")
}

# All cores, where nothing else is asked and the package future is there.
use_workers <- function(options, workers = options$workers) {
  if (!is.null(options$plan)) {
    if (!is.null(options$workers)) {
      fail("argument", "--plan says how many workers there are.", remedy = "Leave out --workers.")
    }
    # What a scheduler's package would ask for aloud.
    attach_usual()
    return(set_plan_of_file(options$plan))
  }
  if (is.null(workers)) {
    workers <- if (requireNamespace("parallelly", quietly = TRUE)) {
      parallelly::availableCores()
    } else {
      1L
    }
  } else {
    check_whole(workers, "workers")
    if (workers > 1) need_package("future", "More than one worker")
  }
  base::options(imbroglio.workers = as.integer(workers))
}

check_the_study <- function(files, options) {
  refuse_options(
    options, c(only_in_new, "only", "fresh", "today", "workers", "plan", "out"), "study check"
  )
  study <- one_study(files, "check")
  refuse_absent_files(study)
  print_lines(sprintf("%s is a study: %s.", study$file, some(names(study$says), 30L)))
  0L
}

refuse_options <- function(options, names, command) {
  given <- Filter(function(name) !is.null(options[[name]]) && !isFALSE(options[[name]]), names)
  if (length(given)) {
    fail("argument", sprintf("--%s is not of %s.", given[1L], command), remedy = "Leave it out.")
  }
}

# What was measured, in a line; what could not be, in one each.
say_run <- function(run) {
  counts <- table(factor(run$state, c("measured", "kept", "failed")))
  say(
    sprintf("%s measured", count(counts[["measured"]], "part")),
    if (counts[["kept"]]) sprintf(", %s unchanged", count(counts[["kept"]])),
    if (counts[["failed"]]) sprintf(", %s not to be had", count(counts[["failed"]])),
    "."
  )
  for (i in which(run$state == "failed")) speak("  ", run$part[i], ": ", visible(run$detail[i]))
}

command_of_report <- function() {
  list(
    group = "Check the number, and hand it on",
    place = 40,
    says = "one page to send: what is held, what may be lost, what changed, and why",
    takes = "FILE... | STUDY",
    options = c(
      choose, "every", "kind", "benchmark", "limits", "method", "window", "per-year", "level",
      "value", "title", "only", "today", book, "out", "help"
    ),
    help = c(
      out = "the page: a file that ends in .html or .pdf",
      limits = "a table of limits: of, measure, warn, limit"
    ),
    example = c(
      paste0(
        "imbroglio report bay.csv --holdings bay-book.csv --benchmark BAYALL --only top,risk ",
        "--out risk.html"
      ),
      "imbroglio report bay.csv --security TARROW --only top,falls --out tarrow.pdf"
    ),
    writes = "itself",
    run = run_report
  )
}

run_report <- function(files, options) {
  attach_usual()
  use_workers(options)
  of_study <- length(files) == 1L && grepl("[.]ya?ml$", files, ignore.case = TRUE)
  out <- options$out %||% paste0(
    sub("\\.(csv|sqlite|ya?ml)(\\.[gx]z)?$", "", basename(files[1L])),
    "-report.html"
  )
  check_page(out)
  arguments <- options[intersect(
    c("window", "per_year", "level", "benchmark", "limits", "method", "title", "only", "today",
      if (!has_book(options)) "value"),
    names(options)
  )]
  x <- if (of_study) {
    refuse_options(
      options,
      setdiff(
        gsub("-", "_", command_of_report()$options, fixed = TRUE),
        c("only", "today", "workers", "plan", "out", "help")
      ),
      "a report of a study, which says it itself"
    )
    files
  } else {
    input_returns(input_prices(files, options, "report"), options, "report")
  }
  run <- do.call(write_report, c(list(x, out), arguments))
  say_run(run)
  say("Wrote ", out)
  status_of(in_part = run$state == "failed")
}
