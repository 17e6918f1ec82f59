# The record of a day, which a study keeps of each last date of its prices: what was held then, and
# its numbers, what moved each of them, the limits.

form_of_day <- "1"

day_file <- "^[0-9]{4}-[0-9]{2}-[0-9]{2}[.]json$"

# All days of a folder, in their order; `path` may be that of a study's run, too.
read_days <- function(path) {
  if (!is.character(path) || length(path) != 1L || is.na(path)) {
    fail("argument", "Records of days are one folder.", where = sprintf("It is %s.", shown(path)))
  }
  if (!dir.exists(path)) fail("file", sprintf("There is no folder %s.", path))
  days <- function(folder) list.files(folder, day_file, full.names = TRUE)
  files <- days(path)
  if (!length(files)) files <- days(file.path(path, "runs"))
  if (!length(files)) {
    fail(
      "file", sprintf("%s holds no records of days.", path),
      remedy = "`imbroglio study run` keeps them in the folder runs of what it writes."
    )
  }
  lapply(files, read_day)
}

read_day <- function(file) {
  day <- read_record(
    file, "day", form_of_day, "a day",
    "`imbroglio study run` keeps them in the folder runs of what it writes."
  )
  undamaged(file, day_of_json(day))
}

is_day <- function(path) {
  is.character(path) && length(path) == 1L && grepl(day_file, basename(path)) && file.exists(path)
}

day_of_json <- function(day) {
  amounts <- unlist(day$held$amounts)
  whole <- is.character(day$of) && grepl("^[0-9]{4}(-[0-9]{2}){2}$", day$date) &&
    (is.null(amounts) || is.numeric(amounts)) && length(day$numbers) > 0L
  if (!isTRUE(whole)) stop("What a record has is not there.")
  day$date <- as.Date(day$date)
  day$since <- as.Date(day$since %||% NA)
  day$version <- day$imbroglio$version
  day$held$amounts <- amounts
  day$choices <- unlist(day$choices)
  day$prices <- unlist(day$prices)
  day$numbers <- table_of_rows(
    day$numbers, c(name = "", title = "", unit = "", number = NA_real_)
  )
  day$parts <- table_of_rows(
    day$parts, c(name = "", cause = "", group = "", says = "", moved = NA_real_, mattered = "")
  )
  day$limits <- table_of_rows(day$limits, c(
    security = "", measure = "", horizon = "", level = NA_real_, method = "", lookback = NA_real_,
    period = "", unit = "", estimate = NA_real_, limit = NA_real_, state = ""
  ))
  day
}

# Rows as a table of the columns of `kinds`, each of the kind that stands there.
table_of_rows <- function(rows, kinds) {
  kinds <- as.list(kinds)
  as.data.frame(Map(function(name, kind) {
    number <- is.na(kind)
    none <- if (number) NA_real_ else NA_character_
    vapply(rows, function(row) {
      value <- row[[name]]
      if (is.null(value)) none else if (number) as.numeric(value) else as.character(value)
    }, none)
  }, names(kinds), kinds))
}
