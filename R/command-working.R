# The command that shows how the number of another command came about.

command_of_working <- function() {
  list(
    group = "Check the number, and hand it on",
    place = 30,
    says = "how a number came about, step by step: of any measure",
    takes = "COMMAND FILE...",
    options = c("date", "number", "workbook", "format", "out", "help"),
    help = c(
      format = "text, json or html (text, or as --out ends)"
    ),
    example = c(
      "imbroglio working volatility bay.csv --security TARROW",
      "imbroglio working var bay.csv --security BAYALL --method normal --workbook var.xlsx",
      "imbroglio working var bay.csv --security BAYALL --out var.json",
      "imbroglio working beta bay.csv --benchmark BAYALL --security TARROW --out beta.html",
      paste0(
        "imbroglio working adjust bay-daily.csv.xz --price close --actions bay-actions.csv ",
        "--security TARROW --date 2020-03-20"
      )
    ),
    run = function(files, options) fail("argument", "Of which command? Name it first.")
  )
}

# Those whose results have a working, and those whose prices have one.
working_commands <- function(known) {
  names(Filter(
    function(command) "workbook" %in% command$options || isTRUE(command$of_prices),
    known[names(known) != "working"]
  ))
}

run_working <- function(words, known) {
  this <- known$working
  of <- if (length(words)) words[1L] else "--help"
  if (of %in% c("--help", "-h")) {
    print_lines(command_help("working", this))
    return(0L)
  }
  measuring <- working_commands(known)
  if (!of %in% measuring) {
    fail(
      "argument",
      sprintf("There is no working of %s.", of),
      remedy = did_you_mean(of, measuring) %||% sprintf(
        "There is one of %s.",
        some(measuring, 20L)
      )
    )
  }
  takes <- setdiff(
    union(known[[of]]$options, this$options), c("figure", "columns", names_of_record)
  )
  line <- to_standard_output(read_command_line(words[-1L], takes, of), "table")
  if (isTRUE(line$options$help)) {
    print_lines(command_help("working", this))
    return(0L)
  }
  # Returns that are only listed have no working.
  if ("measured" %in% takes) line$options$measured <- TRUE
  refuse_idle(of, line$options, line$given)
  refuse_same_file(of, line$files, line$options)
  line$options$working <- TRUE
  check_forms(line$options, "table")
  known[[of]]$run(line$files, line$options)
}
