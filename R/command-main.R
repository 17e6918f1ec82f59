# The command's entry: runs one command line and ends R with its status.
command <- function(words = commandArgs(trailingOnly = TRUE)) {
  # Steps of a progress bar are noise in a log.
  options(imbroglio.progress = isatty(stderr()))
  options(cli.width = 10000L)
  follow_terminal()
  if ("--quiet" %in% words) {
    options(imbroglio.quiet = TRUE)
    words <- words[words != "--quiet"]
  }
  interrupt_on_signals()
  quit(save = "no", status = status_of_line(words))
}

# Runs a command line; what goes wrong is told, and is its status.
status_of_line <- function(words) {
  told_before <- options(imbroglio.told_as = if (asks_for_json(words)) "json")
  on.exit(options(told_before))
  beside <- 0L
  # What several parts of one measure say is said once.
  said <- character()
  once <- function(prefix, condition) {
    words <- paste(prefix, conditionMessage(condition))
    if (!words %in% said) tell(prefix, condition)
    said <<- c(said, words)
  }
  status <- withCallingHandlers(
    tryCatch(
      run_command(words),
      interrupt = function(i) 128L + signal_to_end(),
      imbroglio_error = function(e) tell("Error: ", e, status_of_error(e)),
      error = function(e) tell("Something broke: ", e, status_of_error(e))
    ),
    imbroglio_warning = function(w) {
      beside <<- status_with(beside, status_of(
        inherits(w, "imbroglio_warning_disagrees"), inherits(w, "imbroglio_warning_skipped")
      ))
      once("Warning: ", w)
      invokeRestart("muffleWarning")
    },
    imbroglio_note = function(m) {
      if (!quiet_asked()) once("Note: ", m)
      invokeRestart("muffleMessage")
    }
  )
  status_with(status, beside)
}

run_command <- function(words) {
  known <- commands()
  name <- if (length(words)) words[1L] else "--help"
  if (name %in% c("help", "--help", "-h")) {
    if (length(words) > 1L) return(print_help(paste(words[-1L], collapse = " "), known))
    if (length(words)) show_lines(overview(known)) else writeLines(overview(known), stderr())
    return(if (length(words)) 0L else 2L)
  }
  if (name == "--version") {
    print_lines(version_lines())
    return(0L)
  }
  if (!name %in% names(known)) {
    fail(
      "argument",
      sprintf("There is no command %s.", name),
      remedy = command_for_word(name, names(known))
    )
  }
  if (name == "working") return(run_working(words[-1L], known))
  this <- known[[name]]
  line <- to_standard_output(read_command_line(words[-1L], this$options, name), this$writes)
  if (isTRUE(line$options$help)) {
    show_lines(command_help(name, this))
    return(0L)
  }
  refuse_idle(name, line$options, line$given)
  writes <- this$writes %||% "table"
  check_forms(line$options, if (is.function(writes)) writes(line$options) else writes)
  refuse_same_file(name, line$files, line$options)
  if (!is.null(line$options$record)) {
    refuse_record(line)
    line$options$record <- new_run(name, words[-1L], line)
  }
  status <- this$run(line$files, line$options)
  if (is_kept(line$options)) refuse_unkept(line$options$record)
  status
}

# The package, R, and the parts that numbers and files go through.
version_lines <- function() {
  parts <- c(
    "Rcpp", "RcppParallel", "data.table", "digest", "jsonlite", "tibble", "cli",
    "ggplot2", "svglite", "yaml", "openxlsx", "readxl", "nanoparquet", "httr2", "DBI", "RSQLite",
    "RPostgres"
  )
  c(
    paste("imbroglio", own_version()),
    sprintf("R %s, %s", getRversion(), R.version$platform),
    paste0("  ", formatC(parts, width = -14L), versions_of(parts))
  )
}

versions_of <- function(parts) {
  vapply(parts, function(part) {
    file <- system.file("DESCRIPTION", package = part)
    if (nzchar(file)) unname(read.dcf(file, "Version")[1L]) else "not installed"
  }, "")
}

# A file of prices written into a folder that is read would be read with it the next time.
refuse_into_folder <- function(files, written) {
  folders <- normalizePath(files[dir.exists(files)])
  for (name in names(written)) {
    path <- written[[name]]
    if (!grepl(price_files, path, ignore.case = TRUE)) next
    if (!normalizePath(dirname(path), mustWork = FALSE) %in% folders) next
    fail(
      "argument",
      sprintf("--%s would write %s into a folder that is read, as prices.", name, path),
      remedy = "Name a file elsewhere: it would be read with the others the next time."
    )
  }
}

# Nothing is written over what is read, nor twice to one file.
refuse_same_file <- function(command, files, options) {
  if (command == "store" &&
      !is.null(options$add) && length(files) == 1L && nzchar(file_identity(files)) &&
      identical(file_identity(files), file_identity(options$add))) {
    fail("argument", sprintf("%s would be added to itself.", files))
  }
  of <- function(paths_named) {
    Filter(is.character, options[intersect(paths_named, names(options))])
  }
  identities <- function(paths) {
    vapply(path.expand(as.character(unlist(paths))), file_identity, "")
  }
  read <- identities(c(
    as.list(files_behind(files)),
    of(c(
      "actions", "securities", ways_to_hold, "add", "limits", "rates", "held_by_date"
    ))
  ))
  written <- of(c("out", "figure", "repair", "workbook", "record"))
  onto <- identities(written)
  clash <- nzchar(onto) & onto %in% read & vapply(written, file_kind, "") != "other"
  if (any(clash)) {
    fail(
      "argument",
      sprintf(
        "--%s would be written over %s, which is read.",
        names(written)[clash][1L],
        written[clash][[1L]]
      ),
      remedy = "Name another file."
    )
  }
  refuse_into_folder(files, written)
  twice <- anyDuplicated(normalizePath(as.character(unlist(written)), mustWork = FALSE))
  if (twice) {
    fail(
      "argument",
      sprintf(
        "--%s is to be written to %s, as is another.",
        names(written)[twice],
        written[[twice]]
      )
    )
  }
}

# The commands: those of the measures, from their records, and those of their own, each a function
# `command_of_NAME()` beside what it runs.

# In the order of the groups, and in each of their places.
command_titles <- c(
  "Get prices", "Look at them, and put them right", "Measure",
  "Compare, through time and with the past", "Check the number, and hand it on"
)

commands <- function() {
  if (is.null(made_records$commands)) made_records$commands <- made_commands()
  made_records$commands
}

made_commands <- function() {
  house <- topenv()
  of_measures <- Filter(function(one) !is.null(one$command), measures())
  own <- ls(house, pattern = "^command_of_")
  known <- c(
    stats::setNames(lapply(names(of_measures), function(name) {
      command <- of_measures[[name]]$command
      own <- get0(paste0("run_", command$name %||% name), house)
      runs <- is.function(own) && identical(names(formals(own)), c("files", "options"))
      command$run <- if (runs) own else run_measure(name)
      command
    }), vapply(names(of_measures), function(name) of_measures[[name]]$command$name %||% name, "")),
    stats::setNames(
      lapply(own, function(name) get(name, house)()), sub("^command_of_", "", own)
    )
  )
  known[order(
    match(vapply(known, `[[`, "", "group"), command_titles),
    vapply(known, `[[`, 0, "place")
  )]
}

# The names of the commands, by group.
command_groups <- function(known) {
  titles <- vapply(known, `[[`, "", "group")
  split(names(known), factor(titles, unique(titles)))
}
