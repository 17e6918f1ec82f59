# The command that tells why a number moved: of one book or table between two days, or of two
# records.

run_change <- function(files, options) {
  records <- length(files) == 2L && all(grepl("[.]json$", files, ignore.case = TRUE))
  result <- if (all(vapply(files, is_of_runs, NA)) && length(files)) {
    change_through_runs(files, options)
  } else if (records) {
    change_of_records(files, options)
  } else {
    change_of_files(files, options)
  }
  hand_over_measured(result, options)
}

# A study's records of days.
is_of_runs <- function(path) {
  is_day(path) || length(list.files(c(path, file.path(path, "runs")), day_file)) > 0L
}

change_through_runs <- function(files, options) {
  refuse_beside_records(options, c("measure", "since", hand_on))
  folder <- dir.exists(files[1L])
  if (length(files) > 2L || (length(files) == 2L && any(dir.exists(files)))) {
    fail("argument", "Of records of days one folder is taken, or two of its files.")
  }
  if (length(files) == 1L && !folder) {
    fail("argument", "One record is no change.", remedy = "Name a second, or their folder.")
  }
  explain_change(
    files[1L], if (length(files) == 2L) files[2L], measure = options$measure %||% "var",
    since = options$since
  )
}

run_history <- function(files, options) {
  if (length(files) != 1L) {
    fail(
      "argument", "`history` takes one folder: that of a study's run, or its records of days.",
      remedy = "imbroglio history report"
    )
  }
  hand_over_measured(history_of_runs(files, options$since, options$last), options)
}

change_of_files <- function(files, options) {
  taken <- options
  taken["last"] <- list(NULL)
  x <- input_returns(input_prices(files, taken, "change"), taken, "change")
  measure <- options$measure %||% "var"
  check_choice(measure, "--measure", names(explained_measures()))
  refuse_idle_choices(options, measure)
  explain_change(
    x, measure = measure, choices = choices_of_line(options, measure, x), since = options$since,
    last = options$last, benchmark = options$benchmark, held_before = options$before
  )
}

refuse_idle_choices <- function(options, measure) {
  record <- explained_measures()[[measure]]
  taken <- c(names(formals(record$measure)), if (isTRUE(record$beside)) "benchmark")
  if (is.null(record$money)) taken <- setdiff(taken, "value")
  idle <- setdiff(c("level", "method", "horizon", "value", "benchmark"), taken)
  given <- idle[!vapply(options[idle], is.null, NA)]
  if (length(given)) {
    fail("argument", sprintf("--%s is of no use to --measure %s.", given[1L], measure))
  }
}

# What the line chooses for the measure.
choices_of_line <- function(options, measure, x) {
  taken <- names(formals(explained_measures()[[measure]]$measure))
  taken <- setdiff(taken, c("returns", "benchmark", "window", "min_obs", "last", "every", "as"))
  # What a book is worth is known of it.
  if (inherits(x, "imbroglio_book")) taken <- setdiff(taken, "value")
  Filter(Negate(is.null), options[intersect(names(options), taken)])
}

# What a record measured stands in it, and nothing of it can be another.
refuse_beside_records <- function(options, free = c("measure", "last", hand_on)) {
  others <- gsub("-", "_", setdiff(commands()$change$options, free), fixed = TRUE)
  given <- Filter(function(name) {
    !is.null(options[[name]]) && !isFALSE(options[[name]])
  }, others)
  if (length(given)) {
    fail(
      "argument", sprintf(
        "--%s is of no use beside records.", gsub("_", "-", given[1L], fixed = TRUE)
      ),
      remedy = "Each measures by its own line."
    )
  }
}

# Done again, and the same: what was read then is no longer there where a file has gone on.
run_of_record <- function(record, file) {
  words <- sub("=.*$", "", record$words)
  through <- c("window", "series", "split", "parameters", "spans", "episodes", "draw", "paths")
  other <- intersect(words, paste0("--", through))
  if (length(other)) {
    fail(
      "argument", sprintf("%s has no one number: it has %s.", basename(file), some(other)),
      remedy = "Keep the record of a line without it."
    )
  }
  run <- run_once_more(record, file)
  found <- numbers_compared(record$answer, parsed_json(run$answer))
  moved <- sum(!found$state %in% c("same", "close"))
  if (moved) {
    fail(
      "file", sprintf(
        "%s cannot be done again: %s of it %s another now.", basename(file),
        count(moved, "number"), if (moved == 1L) "is" else "are"
      ),
      remedy = paste(
        "`imbroglio rerun` says why. Keep the files of each day beside its record, or read from a",
        "price store, which is read as it was known then."
      )
    )
  }
  run
}

# Both are done again; what each measured, by its own line, is a side.
change_of_records <- function(files, options) {
  records <- lapply(files, read_run)
  commands <- vapply(records, `[[`, "", "command")
  named <- c(
    var = "var", volatility = "volatility", drawdown = "drawdown", beta = "beta",
    tracking = "tracking_error"
  )
  if (commands[1L] != commands[2L] || !commands[1L] %in% names(named)) {
    fail(
      "argument", "Two records of one measure are wanted.",
      where = sprintf("These are of %s and %s.", commands[1L], commands[2L]),
      remedy = sprintf("It knows those of %s.", some(names(named)))
    )
  }
  measure <- options$measure %||% named[[commands[1L]]]
  check_choice(measure, "--measure", names(explained_measures()))
  refuse_beside_records(options)
  runs <- Map(run_of_record, records, files)
  sides <- lapply(runs, `[[`, "measured")
  choices <- Map(function(run, x) choices_of_line(run$options, measure, x), runs, sides)
  benchmarks <- unique(lapply(runs, function(run) run$options$benchmark))
  if (length(benchmarks) > 1L) {
    fail("argument", "The two are measured against different benchmarks.")
  }
  found <- explain_change(
    sides[[1L]], sides[[2L]], measure = measure, choices = choices[[2L]],
    choices_before = choices[[1L]], last = options$last, benchmark = benchmarks[[1L]]
  )
  say_held_today(found, records[[2L]], measure, options$last)
  found
}

# The records of what did happen have a book as it was held then.
say_held_today <- function(found, record, measure, last) {
  column <- explained_measures()[[measure]]$number
  table <- answer_table(record$answer)
  own <- table[[column]][match(found$security[1L], table$security)]
  if (is.null(last) && length(own) == 1L && isTRUE(abs(own - found$number_after[1L]) > 1e-9)) {
    note("change", sprintf(
      "The record has %s, of the book as it was held then; this is of the book as held today.",
      trimws(unit_text[[limit_measures()[[measure]]$unit]](own))
    ))
  }
}
