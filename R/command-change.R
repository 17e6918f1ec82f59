# The command that tells why a number moved: of one book or table between two days, or of two
# records.

run_change <- function(files, options) {
  records <- length(files) == 2L && all(grepl("[.]json$", files, ignore.case = TRUE))
  result <- if (records) change_of_records(files, options) else change_of_files(files, options)
  hand_over_measured(result, options)
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
  runs <- Map(run_once_more, records, files)
  sides <- lapply(runs, `[[`, "measured")
  choices <- Map(function(run, x) choices_of_line(run$options, measure, x), runs, sides)
  benchmarks <- unique(lapply(runs, function(run) run$options$benchmark))
  if (length(benchmarks) > 1L) {
    fail("argument", "The two are measured against different benchmarks.")
  }
  explain_change(
    sides[[1L]], sides[[2L]], measure = measure, choices = choices[[2L]],
    choices_before = choices[[1L]], last = options$last, benchmark = benchmarks[[1L]]
  )
}
