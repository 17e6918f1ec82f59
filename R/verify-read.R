# Workings read back from files: of working_json(), or from the record of a study.

# `workings`, each with its `title`, what is `written` as show_working() writes it, what its steps
# are `stated` to be and were `measured`.
workings_in <- function(file) {
  if (dir.exists(file)) file <- file.path(file, "record.json")
  if (!file.exists(file)) fail("file", sprintf("There is no file %s.", file))
  read <- read_json_of(file)
  if (is.list(read) && identical(read$made_by, "imbroglio")) return(workings_of_record(file))
  if (!is.list(read) || !is.list(read$imbroglio) || is.null(read$steps)) {
    fail(
      "file",
      sprintf("%s is no working, and no record of a study.", file),
      remedy = "imbroglio working COMMAND ... --out FILE.json writes one."
    )
  }
  list(
    workings = list(undamaged(file, working_read(read, file))),
    version = as.character(read$imbroglio$version)
  )
}

workings_of_record <- function(file) {
  folder <- dirname(file)
  record <- record_in(folder)
  if (is.null(record) || basename(file) != "record.json") {
    fail("file", sprintf("%s is no record of a study's run, or one of an older form.", file))
  }
  data <- undamaged(file, lapply(record$data, parsed_json))
  texts <- unlist(lapply(record$parts, function(f) f$sums$workings), use.names = FALSE)
  if (!length(texts)) {
    fail(
      "file", sprintf("%s holds no working.", file),
      remedy = "imbroglio study run STUDY --fresh writes them, where it measures anything."
    )
  }
  list(
    workings = undamaged(file, lapply(texts, function(text) {
      working_read(with_columns(parsed_json(text), data), file)
    })),
    version = record$version,
    files = state_of_files(folder, record)
  )
}

# With the columns and the steps that a record has by their digests.
with_columns <- function(read, data) {
  if (is.character(read$steps)) {
    numbers <- read[c("values", "rows", "begins", "measured_steps")]
    read$steps <- do.call(Map, c(list(step_of_record, data[[read$steps]]), unname(numbers)))
  }
  read$data <- lapply(read$data, function(r) {
    r$columns <- lapply(r$columns, function(key) data[[key]])
    if (!is.null(r$dates)) r$dates <- data[[r$dates]]
    r
  })
  read
}

step_of_record <- function(one, value, rows, begins, measured) {
  if (!is.na(rows)) one$value <- list(rows = rows, begins = begins)
  if (!is.na(value)) one$value <- value
  if (!is.na(measured)) one$measured <- measured
  one
}

# As a workbook wants it, which computes it: its choices are numbers like others, and of a column
# it is known where it begins.
working_of_record <- function(read, data) {
  read <- with_columns(read, data)
  made <- working_read(read, "record.json")
  chosen <- lapply(made$written$choices, function(one) {
    entered(one$name, one$value, paste("chosen:", one$words), one$unit)
  })
  made$written$steps <- c(chosen, made$written$steps)
  made$written["choices"] <- list(list())
  columns <- lapply(made$written$rows, function(r) {
    c(r$columns, if (!is.null(r$dates)) list(date = as.numeric(r$dates)))
  })
  values <- c(unlist(unname(columns), FALSE), lapply(chosen, `[[`, "value"))
  of_steps <- lapply(read$steps, function(one) {
    if (!is.list(one$value)) return(numbers_read(one$value, stop))
    rep(c(NA, 0), c(one$value$begins, one$value$rows - one$value$begins))
  })
  names(of_steps) <- vapply(read$steps, `[[`, "", "name")
  list(
    title = made$title, written = made$written, values = c(values, of_steps),
    measured = lapply(made$measured, utils::head, 1L), asked = read$number, row = read$row,
    kind = read$imbroglio$kind
  )
}

working_read <- function(read, file) {
  damaged <- function(what) fail("file", sprintf("%s is damaged: %s.", file, what))
  if (!isTRUE(read$imbroglio$form == form_of_working)) {
    fail(
      "file",
      sprintf("%s is a working of another form than this version reads.", file),
      where = sprintf(
        "It is of form %s, this version writes form %d.", read$imbroglio$form %||% "1",
        form_of_working
      ),
      remedy = "Let the version verify it that wrote it."
    )
  }
  rows <- lapply(names(read$data), function(name) {
    r <- read$data[[name]]
    columns <- lapply(r$columns, numbers_read, damaged)
    dates <- if (length(r$dates)) .Date(numbers_read(r$dates, damaged))
    if (length(unique(c(lengths(columns), if (length(dates)) length(dates)))) > 1L) {
      damaged(sprintf("the columns of %s have different lengths", name))
    }
    made <- rows_of_working(
      name, r$words, columns, dates, of = unlist(r$of), holds = r$holds %||% "close"
    )
    made$left_out <- unlist(r$left_out)
    made
  })
  choices <- lapply(read$choices, function(one) {
    choice(one$name, one$words, numbers_read(one$value, damaged), one$unit)
  })
  steps <- lapply(read$steps, function(one) {
    value <- if (!is.list(one$value)) numbers_read(one$value, damaged)
    if (is.null(one$expression)) {
      if (is.null(value)) damaged(sprintf("%s has neither value nor expression", one$name))
      return(entered(one$name, value, one$words, one$unit, unlist(one$proof)))
    }
    step(one$name, expression_read(one$expression, damaged), one$words, one$unit)
  })
  named <- function(x) stats::setNames(x, vapply(x, `[[`, "", "name"))
  stated <- lapply(read$steps, function(one) {
    if (is.list(one$value) && length(one$value)) NULL else numbers_read(one$value, damaged)
  })
  measured <- lapply(read$steps, function(one) numbers_read(one$measured, damaged))
  names(stated) <- names(measured) <- vapply(read$steps, `[[`, "", "name")
  if (!read$number %in% names(stated)) damaged(sprintf("it has no step %s", read$number))
  measured[[read$number]] <- c(measured[[read$number]], numbers_read(read$measured, damaged))
  list(
    title = working_read_title(read),
    written = list(rows = named(rows), choices = named(choices), steps = named(steps)),
    stated = stated,
    measured = measured
  )
}

working_read_title <- function(read) {
  measure <- read$imbroglio$measure
  measure <- measures()[[measure]]$title %||% gsub("_", " ", measure, fixed = TRUE)
  keys <- unlist(read[c("security", "method", "benchmark", "family")])
  paste(c(measure, if (length(keys)) paste("of", paste(keys, collapse = ", "))), collapse = " ")
}

# Numbers, dates and nulls as numbers.
numbers_read <- function(x, damaged) {
  if (is.null(x)) return(numeric())
  if (is.list(x)) x <- unlist(lapply(x, function(one) if (is.null(one)) NA else one))
  if (is.numeric(x) || is.logical(x)) return(as.numeric(x))
  days <- as.Date(as.character(x), format = "%Y-%m-%d")
  if (anyNA(days[!is.na(x)])) damaged(sprintf("%s is no number and no date", shown(x[1L])))
  as.numeric(days)
}

# Text is parsed, never run: what it may call is looked at before it is computed.
expression_read <- function(text, damaged) {
  tryCatch(str2lang(text), error = function(e) {
    damaged(sprintf("%s is no expression", shown(text)))
  })
}
