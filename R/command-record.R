# What a command did, kept so that it can be done again: the line as it was typed, what was read,
# what came of it.

# Filled while the command runs, see keep_input() and keep_result(). `again`: it is done once more,
# and nothing is printed or written.
new_run <- function(command, words, line, again = FALSE) {
  run <- new.env(parent = emptyenv())
  run$command <- command
  # Where an answer went is no part of it.
  run$words <- words_without(words, c(names_of_record, "out", "figure", "workbook"))
  run$files <- line$files
  run$options <- line$options
  run$given <- setdiff(line$given, hand_on)
  run$understood <- understood(line$options, run$given)
  run$to <- line$options$record
  run$again <- again
  run
}

#' Keep what was measured
#'
#' The record that `--record` of a command writes, of a result that was measured in R: its choices
#' and basis, a digest of each security and date that it read, the versions of what computes, and
#' the numbers with all digits. R keeps no command line, so it cannot be done again by itself:
#' measure again, keep that too, and [rerun()] compares the two, with what differs first.
#'
#' @param result What a `measure_*()` function or another that gives results returned.
#' @param file Where to write it, a `.json`.
#' @param inputs Files that were read; their SHA-256 is kept.
#' @param by A name to keep with it.
#' @return The path, invisibly. The form is that of `system.file("record", "run.schema.json",
#'   package = "imbroglio")`, with the command `"R"`.
#' @section Errors: `imbroglio_error_argument` for what is no result; `imbroglio_error_file` for an
#'   input that is not there.
#' @family ways to hand on
#' @examples
#' prices <- read_prices(demo_file("bay-kelp.csv"))
#' then <- run_record(measure_var(prices), tempfile(fileext = ".json"))
#' now <- run_record(measure_var(prices, level = 0.95), tempfile(fileext = ".json"))
#' rerun(then, with = now)
#' @export
run_record <- function(result, file, inputs = character(), by = NULL) {
  result <- table_again(result)
  about <- basis(result)
  refuse_form("`file`", file, "json", "A record is")
  lacking <- inputs[!file.exists(inputs)]
  if (length(lacking)) fail("file", sprintf("There is no file %s.", some(lacking)))
  run <- new.env(parent = emptyenv())
  run$command <- made_in_r
  run$words <- character()
  run$files <- inputs
  run$options <- list(recorded_by = by)
  run$given <- character()
  run$understood <- about$choices
  source <- attr(result, "source")
  run$read <- source$prices %||% if (inherits(source, "imbroglio_returns")) source
  run$answer <- as_json(result)
  write_whole(file, function(part) write_lines(run_json(run), part))
  invisible(file)
}

# The command of a record that no command wrote.
made_in_r <- "R"

names_of_record <- c("record", "recorded-by")

# The words of a line but for some options and their values.
words_without <- function(words, names) {
  option <- sub("=.*$", "", words) %in% paste0("--", names)
  value <- c(FALSE, (option & !grepl("=", words, fixed = TRUE))[-length(words)])
  words[!option & !value]
}

is_kept <- function(options) is.environment(options$record)

# What was read, before it is cut or measured.
keep_input <- function(options, read) if (is_kept(options)) options$record$read <- read

# What is measured: a table of returns or prices, or a book.
keep_measured <- function(options, x) {
  if (is_kept(options)) options$record$measured <- x
  x
}

# Whether that is all that is to be done with it.
keep_result <- function(options, result) {
  if (!is_kept(options)) return(FALSE)
  run <- options$record
  run$answer <- as_json(result)
  if (!run$again) {
    write_whole(run$to, function(part) write_lines(run_json(run), part))
    say("Wrote ", run$to)
  }
  run$again
}

refuse_record <- function(line) {
  if ("-" %in% line$files) {
    fail(
      "argument", "What comes from standard input cannot be read again.",
      remedy = "Write it to a file, and name that."
    )
  }
}

# What wrote no answer has none to keep.
refuse_unkept <- function(run) {
  if (is.null(run$answer)) {
    fail("argument", sprintf("%s gave nothing that a record could keep.", run$command))
  }
}

run_json <- function(run) {
  texts <- function(x) object_json(stats::setNames(as.list(text_json(x)), names(x)))
  list_of <- function(x) sprintf("[%s]", paste(text_json(x), collapse = ", "))
  object_json(list(
    imbroglio = texts(c(
      kind = "run", form = form_of_run,
      version = own_version()
    )),
    made = object_json(list(
      at = text_json(format(Sys.time(), "%Y-%m-%dT%H:%M:%SZ", tz = "UTC")),
      today = text_json(run$options$today %||% format(Sys.Date())),
      by = if (is.null(run$options$recorded_by)) "null" else text_json(run$options$recorded_by)
    )),
    command = text_json(run$command),
    words = list_of(run$words),
    understood = texts(run$understood),
    defaults = texts(defaults_taken(run)),
    inputs = array_json(vapply(inputs_of_run(run), function(one) {
      object_json(list(
        path = text_json(one$path), as = text_json(one$as),
        sha256 = if (is.na(one$sha256)) "null" else text_json(one$sha256),
        bytes = if (is.na(one$bytes)) "null" else number_exact(one$bytes)
      ))
    }, "")),
    read = digests_json(run$read),
    machine = texts(c(
      R = as.character(getRversion()), platform = R.version$platform,
      versions_of(parts_of_numbers)
    )),
    answer = run$answer
  ), lines = TRUE)
}

form_of_run <- "1"

# The options as they were read, in words.
understood <- function(options, given) {
  values <- options[gsub("-", "_", given, fixed = TRUE)]
  stats::setNames(vapply(values, function(x) {
    paste(if (is.numeric(x)) number_exact(x) else as.character(x), collapse = ", ")
  }, ""), given)
}

# What the options that were not given stand at, as the help says in brackets.
defaults_taken <- function(run) {
  this <- commands()[[run$command]]
  left <- setdiff(this$options[takes_value(this$options)], c(run$given, hand_on))
  said <- vapply(left, option_help, "", run$command)
  told <- grepl("\\([^()]*\\)$", said)
  stats::setNames(sub("^.*\\(([^()]*)\\)$", "\\1", said[told]), left[told])
}

# The files that a line names: those of prices, in a folder each, and those of its options. Of a
# store there is no digest: it is read as it was known then.
inputs_of_run <- function(run) {
  named <- Filter(is.character, run$options[intersect(file_options, names(run$options))])
  named <- lapply(named, function(x) x[file.exists(x)])
  paths <- c(run$files, unlist(named, use.names = FALSE))
  as <- c(rep("prices", length(run$files)), rep(names(named), lengths(named)))
  unlist(Map(function(path, as) {
    if (holds_store(path, list())) return(list(input_of_run(path, "store", NA)))
    if (!dir.exists(path)) return(lapply(files_behind(path), input_of_run, as))
    inside <- list.files(path, price_files, ignore.case = TRUE, full.names = TRUE)
    lapply(inside, input_of_run, as)
  }, paths, as, USE.NAMES = FALSE), recursive = FALSE)
}

input_of_run <- function(path, as, sha256 = file_digest(path)) {
  list(
    path = path, as = as, sha256 = sha256,
    bytes = if (is.na(sha256)) NA_real_ else file.size(path)
  )
}

file_options <- c(
  "actions", "securities", "weights", "shares", "values", "holdings", "trades", "limits", "rates",
  "held_by_date", "currencies", "runs"
)

# A digest of each security and of each date of what was read, by which it can be told where
# another table is another; of some `dates` and `securities`, in that order.
digests_of_table <- function(read, dates = format(read$dates), securities = NULL) {
  given <- inherits(read, "imbroglio_returns")
  values <- if (given) read$values else read$close
  rows <- match(dates, format(read$dates))
  values <- values[rows, securities %||% colnames(values), drop = FALSE]
  of <- function(x) digest::digest(as.vector(x), "xxhash32")
  list(
    holds = if (given) read$kind else "close",
    securities = vapply(stats::setNames(nm = colnames(values)), function(s) of(values[, s]), ""),
    dates = vapply(stats::setNames(seq_along(dates), dates), function(i) of(values[i, ]), "")
  )
}

digests_json <- function(read) {
  if (is.null(read)) return("null")
  found <- digests_of_table(read)
  of <- function(x) object_json(stats::setNames(as.list(text_json(x)), names(x)))
  object_json(list(
    holds = text_json(found$holds), securities = of(found$securities), dates = of(found$dates)
  ))
}

# Those that numbers go through, from a file to the answer.
parts_of_numbers <- c(
  "Rcpp", "RcppParallel", "data.table", "readxl", "nanoparquet", "DBI", "RSQLite", "RPostgres"
)
