# A record of a command, done again: what it read, how, and what came of it, then and now.

#' Do again what a record says
#'
#' `imbroglio COMMAND ... --record FILE.json` keeps what a command read, how, and what came of it.
#' [run_record()] keeps the same of a result in R, to be compared with another.
#' This reads the same files again, measures the same in the same way, and says of each number
#' whether it is the same; where it is not, first what else is not: a file, a price in it, a
#' default, a version.
#'
#' Files are looked for where they were, by the names that they had, and else beside the record.
#' A price store is read as it was known when the record was made.
#'
#' @param record A file that `--record` wrote.
#' @param with Another: what both hold is compared, and nothing is done again.
#' @return A tibble of class `imbroglio_rerun` with a row for each number: `of` (of which row of
#'   the answer), `number` (its column), `then`, `now`, `state` (`"same"`, bit for bit; `"close"`,
#'   within 1e-12 of it; `"moved"`; `"gone"` or `"new"`, where only one has it) and `apart` (the
#'   difference, as a share of what it was). What is no number is compared as text, and has no
#'   `apart`.
#' @section Errors: `imbroglio_error_file` for a file that is no record, is damaged, or of a form
#'   that this version does not read; and those of the command, where it cannot be done again.
#' @family ways to hand on
#' @examples
#' # imbroglio var bay-kelp.csv --method historical,normal,student --record var.json
#' folder <- tempfile()
#' dir.create(folder)
#' file.copy(demo_file("bay-kelp.csv"), folder)
#' file.copy(system.file("record", "var.json", package = "imbroglio"), folder)
#' rerun(file.path(folder, "var.json"))
#' @export
rerun <- function(record, with = NULL) {
  then <- read_run(record)
  if (is.null(with) && then$command == made_in_r) {
    fail(
      "argument", sprintf("%s was measured in R, and has no line to do again.", basename(record)),
      remedy = "Measure it there again, keep that too, and compare the two."
    )
  }
  now <- if (is.null(with)) run_again(then, record) else read_run(with)
  structure(
    numbers_compared(then$answer, now$answer),
    class = c("imbroglio_rerun", "tbl_df", "tbl", "data.frame"),
    file = basename(record),
    with = if (!is.null(with)) basename(with),
    line = line_of_run(then),
    made = then$made,
    version = then$imbroglio$version,
    causes = causes_of_change(then, now)
  )
}

line_of_run <- function(run) {
  if (run$command == made_in_r) return("measured in R")
  paste("imbroglio", run$command, paste(shell_quoted(run$words), collapse = " "))
}

shell_quoted <- function(words) {
  ifelse(grepl("^[A-Za-z0-9_./:=,%@+-]+$", words), words, shQuote(words))
}

read_run <- function(file) {
  if (!is.character(file) || length(file) != 1L || is.na(file)) {
    fail(
      "argument", "A record is the name of one file.", where = sprintf("It is %s.", shown(file))
    )
  }
  run <- read_record(
    file, "run", form_of_run, "a command",
    "imbroglio COMMAND ... --record FILE.json writes one."
  )
  undamaged(file, {
    of_text <- list(run$command, run$made$at, run$made$today)
    of_parts <- list(run$answer$results, run$inputs)
    whole <- all(vapply(of_text, function(x) is.character(x) && length(x) == 1L, NA)) &&
      all(vapply(of_parts, is.list, NA))
    if (!whole) stop("What a record has is not there.")
    run$words <- as.character(unlist(run$words))
    run
  })
}

# What would be the record of it now, and in `common` the digests of what both have read.
run_again <- function(then, file) {
  run <- run_once_more(then, file)
  c(parsed_json(run_json(run)), list(common = digests_in_common(then$read, run$read)))
}

# A record may come from anywhere: only what has one is run, and only what is read is taken from
# its line.
run_once_more <- function(then, file) {
  this <- commands()[[then$command]]
  if (!"record" %in% this$options) {
    fail("file", sprintf("%s names %s, which has no record.", file, shown(then$command)))
  }
  line <- read_command_line(then$words, this$options, then$command)
  run <- new_run(then$command, then$words, line, again = TRUE)
  options <- line$options
  paths <- intersect(file_options, names(options))
  options[paths] <- lapply(options[paths], beside_record, file)
  run$files <- beside_record(line$files, file)
  run$options <- options
  options[c("out", "figure", "workbook", "format", "columns")] <- list(NULL)
  options$record <- run
  if ("today" %in% this$options) options$today <- options$today %||% then$made$today
  stored <- length(run$files) == 1L && holds_store(run$files, list())
  if (stored && "as-of" %in% this$options) options$as_of <- options$as_of %||% then$made$at
  suppressMessages(this$run(run$files, options), classes = "imbroglio_note")
  refuse_unkept(run)
  run
}

# Files that are not where they were may lie beside the record.
beside_record <- function(paths, file) {
  if (!is.character(paths)) return(paths)
  there <- file.path(dirname(file), paths)
  moved <- !file.exists(paths) & file.exists(there)
  paths[moved] <- there[moved]
  paths
}

# Of a date by all securities that it had, of a security by all its dates: of what came the digests
# then know nothing, and where something is gone they cannot be made again.
digests_in_common <- function(then, read) {
  if (is.null(then) || is.null(read)) return(NULL)
  dates <- names(then$dates)
  securities <- names(then$securities)
  there <- colnames(if (inherits(read, "imbroglio_returns")) read$values else read$close)
  still <- intersect(dates, format(read$dates))
  list(
    dates = if (all(securities %in% there)) digests_of_table(read, still, securities)$dates,
    securities = if (length(still) == length(dates)) {
      digests_of_table(read, still, intersect(securities, there))$securities
    }
  )
}

# By the names of its rows, which what is no measure has.
numbers_compared <- function(then, now) {
  a <- answer_table(then)
  b <- answer_table(now)
  columns <- union(names(a), names(b))
  keys <- row_names_of(a)
  keys_now <- row_names_of(b)
  rows <- union(keys, keys_now)
  parts <- lapply(setdiff(columns, attr(keys, "columns")), function(column) {
    x <- a[[column]][match(rows, keys)]
    y <- b[[column]][match(rows, keys_now)]
    number <- is.numeric(x) || is.numeric(y)
    if (is.null(x)) x <- rep(NA, length(rows))
    if (is.null(y)) y <- rep(NA, length(rows))
    apart <- if (number) abs(as.numeric(y) - as.numeric(x)) / abs(as.numeric(x)) else NA_real_
    same <- x == y | (is.na(x) & is.na(y))
    data.frame(
      of = rows, number = column, then = value_as_text(x), now = value_as_text(y),
      state = ifelse(
        same %in% TRUE, "same",
        ifelse(is.na(x), "new", ifelse(is.na(y), "gone", ifelse(
          apart %in% NA | apart > 1e-12, "moved", "close"
        )))
      ),
      apart = ifelse(same %in% TRUE, 0, apart)
    )
  })
  none <- data.frame(
    of = character(), number = character(), then = character(), now = character(),
    state = character(), apart = numeric()
  )
  found <- do.call(rbind, c(list(none), parts))
  found <- found[!(is.na(found$then) & is.na(found$now)), ]
  tibble::as_tibble(found[order(match(found$of, rows)), ])
}

value_as_text <- function(x) {
  if (is.numeric(x)) ifelse(is.na(x), NA, number_exact(x)) else as.character(x)
}

answer_table <- function(answer) {
  rows <- answer$results
  columns <- unique(unlist(lapply(rows, names)))
  as.data.frame(lapply(stats::setNames(nm = columns), function(column) {
    unlist(lapply(rows, function(row) if (is.null(row[[column]])) NA else row[[column]]))
  }), check.names = FALSE)
}

# What tells the rows of an answer apart.
row_names_of <- function(table) {
  named <- c(
    "level", "horizon", "window", "rank", "lag", "date", "every",
    names(table)[vapply(table, is.character, NA) & !vapply(table, is_dates, NA)]
  )
  columns <- intersect(names(table), named)
  keys <- if (length(columns)) do.call(paste, unname(table[columns])) else rep("", nrow(table))
  structure(make.unique(keys, sep = " #"), columns = columns)
}

is_dates <- function(x) all(is.na(x) | grepl("^[0-9]{4}-[0-9]{2}-[0-9]{2}$", x))

# What is not as it was, in sentences: the files and the prices in them, what was taken where
# nothing was said, what computes.
causes_of_change <- function(then, now) {
  c(
    inputs_changed(then$inputs, now$inputs),
    prices_changed(then, now),
    fields_changed(then$understood, now$understood, "--%s"),
    fields_changed(then$defaults, now$defaults, "what --%s is where it is not given"),
    fields_changed(then$answer$basis$choices, now$answer$basis$choices, "%s, as it was measured"),
    fields_changed(
      c(list(imbroglio = then$imbroglio$version), then$machine),
      c(list(imbroglio = now$imbroglio$version), now$machine), "%s"
    )
  )
}

fields_changed <- function(then, now, said) {
  unlist(lapply(union(names(then), names(now)), function(name) {
    x <- then[[name]]
    y <- now[[name]]
    if (identical(x, y)) return(NULL)
    what <- sprintf(said, name)
    if (is.null(x)) return(sprintf("%s is %s, and was not there.", what, y))
    if (is.null(y)) return(sprintf("%s was %s, and is gone.", what, x))
    sprintf("%s was %s, and is %s.", what, x, y)
  }))
}

# A file is another where its bytes are.
inputs_changed <- function(then, now) {
  path <- function(inputs) {
    make.unique(vapply(inputs, function(one) basename(one$path), ""), sep = " #")
  }
  digest <- function(inputs) {
    vapply(inputs, function(one) if (is.null(one$sha256)) "" else one$sha256, "")
  }
  was <- stats::setNames(digest(then), path(then))
  is <- stats::setNames(digest(now), path(now))
  both <- intersect(names(was), names(is))
  other <- both[was[both] != is[both]]
  gone <- setdiff(names(was), names(is))
  new <- setdiff(names(is), names(was))
  c(
    if (length(other)) {
      sprintf(
        "%s: %s.", if (length(other) > 1L) "Other files" else "Another file", some(other, 12L)
      )
    },
    if (length(gone)) sprintf("No more there: %s.", some(gone, 12L)),
    if (length(new)) sprintf("New: %s.", some(new, 12L))
  )
}

# Where in the table that was read: by the securities and the dates that have another digest.
prices_changed <- function(then, now) {
  if (is.null(then$read) || is.null(now$read)) return(NULL)
  common <- now$common %||% list(
    dates = if (identical(names(then$read$securities), names(now$read$securities))) now$read$dates,
    securities = if (identical(names(then$read$dates), names(now$read$dates))) {
      now$read$securities
    }
  )
  other <- function(part) {
    x <- unlist(then$read[[part]])
    y <- unlist(common[[part]])
    both <- intersect(names(x), names(y))
    both[x[both] != y[both]]
  }
  came <- function(part, said) {
    x <- names(then$read[[part]])
    y <- names(now$read[[part]])
    c(
      if (length(setdiff(x, y))) sprintf("%s that are gone: %s.", said, some(setdiff(x, y), 8L)),
      if (length(setdiff(y, x))) sprintf("%s that are new: %s.", said, some(setdiff(y, x), 8L))
    )
  }
  held <- held_words[[now$read$holds]]
  found <- c(
    if (length(other("securities"))) paste(" of", some(other("securities"), 8L)),
    if (length(other("dates"))) paste(" on", some(other("dates"), 8L))
  )
  c(
    came("securities", "Securities"),
    came("dates", "Dates"),
    if (length(found)) {
      sprintf("Another %s%s.", sub("s$", "", held), paste(found, collapse = ""))
    },
    if (!length(common$securities) && !length(common$dates)) {
      sprintf("Whether %s that both have are the same cannot be told.", held)
    }
  )
}
