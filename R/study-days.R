# The records of days that a study keeps beside its report, and which of them it keeps.

# Those that the run before wrote and that are as it wrote them, by their dates.
days_kept <- function(folder, record) {
  files <- files_of_days(folder, record)
  days <- lapply(file.path(folder, files), function(file) heard(read_day(file))$value)
  days <- stats::setNames(days, sub("[.]json$", "", basename(files)))
  Filter(Negate(is.null), days)
}

# With the day that the top was measured on.
days_up_to <- function(days, top) {
  if (!length(top$day)) return(days)
  c(days[names(days) < top$date], stats::setNames(
    list(day_of_json(parsed_json(top$day))), top$date
  ))
}

files_of_days <- function(folder, record) {
  if (is.null(record)) return(character())
  state <- state_of_files(folder, record)
  named <- names(state)[state == "written"]
  sort(named[grepl("^runs/", named)])
}

# All of the last two years; of those before, the last of each month.
days_to_keep <- function(dates) {
  dates <- sort(dates)
  recent <- dates > span_before(dates[length(dates)], "2 years")
  last_of_month <- !duplicated(format(dates, "%Y-%m"), fromLast = TRUE)
  dates[recent | last_of_month]
}

# Into the folder of the new run: those of before that are kept, and today's.
write_days <- function(part, folder, record, top) {
  files <- files_of_days(folder, record)
  today <- if (length(top$day)) sprintf("runs/%s.json", top$date)
  if (!length(files) && is.null(today)) return(invisible())
  dir.create(file.path(part, "runs"))
  all_dates <- as.Date(sub("[.]json$", "", basename(unique(c(files, today)))))
  kept <- sprintf("runs/%s.json", days_to_keep(all_dates))
  for (file in setdiff(intersect(files, kept), today)) {
    if (!file.copy(file.path(folder, file), file.path(part, file), copy.date = TRUE)) {
      unreplaced(folder)
    }
  }
  if (!is.null(today)) write_lines(top$day, file.path(part, today))
}

# What was held and measured on the last date, as text; NULL where it is of many.
day_as_json <- function(work, day, limits) {
  if (is.null(day)) return(NULL)
  text_or_null <- function(x) if (is.null(x) || is.na(x)) "null" else text_json(x)
  texts <- function(x) object_json(stats::setNames(as.list(text_json(x)), names(x)))
  numbers <- function(x) object_json(as.list(vapply(x, numbers_json, "", FALSE)))
  dates <- (work$prices %||% work$returns)$dates
  move <- day$move
  object_json(list(
    imbroglio = texts(c(
      kind = "day", form = form_of_day,
      version = own_version()
    )),
    date = text_json(format(dates[length(dates)])),
    since = text_or_null(if (!is.null(move)) format(move$day)),
    of = text_json(work$own),
    currency = text_or_null(work$book$currency),
    held = if (is.null(work$book)) "null" else held_json(amounts_of_book(work$book), numbers),
    choices = texts(choices_of_day(work)),
    prices = texts(digests_of_day(work$whole)),
    numbers = array_json(vapply(day$numbers, function(one) {
      value <- one$value %||% NA_real_
      object_json(list(
        name = text_json(one$name), title = text_json(one$label), unit = text_json(one$unit),
        number = numbers_json(value, FALSE)
      ))
    }, "")),
    parts = array_json(unlist(Map(parts_json, move$parts, names(move$parts)))),
    limits = array_json(limits_json(limits))
  ), lines = TRUE)
}

held_json <- function(held, numbers) {
  object_json(list(
    by = text_json(held$by), amounts = numbers(held$amounts),
    cash = numbers_json(held$cash, FALSE)
  ))
}

parts_json <- function(parts, name) {
  vapply(seq_len(NROW(parts)), function(i) {
    object_json(list(
      name = text_json(name), cause = text_json(parts$cause[i]), group = text_json(parts$group[i]),
      says = text_json(parts$says[i]), moved = numbers_json(parts$moved[i], FALSE),
      mattered = if (is.na(parts$mattered[i])) "null" else text_json(parts$mattered[i])
    ))
  }, "")
}

limits_json <- function(limits) {
  if (is.null(limits)) return(character())
  columns <- c(
    "security", "measure", "horizon", "level", "method", "lookback", "period", "unit", "estimate",
    "limit", "state"
  )
  table <- as.data.frame(limits)
  table <- table[intersect(columns, names(table))]
  cells <- lapply(table, function(x) {
    text <- if (is.numeric(x)) vapply(x, numbers_json, "", FALSE) else text_json(x)
    ifelse(is.na(x), "null", text)
  })
  vapply(seq_len(nrow(table)), function(i) object_json(lapply(cells, `[[`, i)), "")
}

# What all of its numbers hang on, but for prices and holdings.
choices_of_day <- function(work) {
  settings <- c(one_period_loss(work), work$settings[c("window", "per_year", "benchmark", "seed")])
  settings <- Filter(Negate(is.null), settings)
  c(
    vapply(settings, function(x) paste(as.character(x), collapse = ", "), ""),
    "kind of return" = work$returns$kind,
    period = work$returns$stated %||% "as priced",
    span = work$last %||% "all"
  )
}

# A digest of the returns of each of what the numbers are of: those of prices that only were scaled
# are the same.
digests_of_day <- function(x) {
  book <- inherits(x, "imbroglio_book")
  returns <- if (book) priced_of(x) else x
  names_of <- if (book) x$security else colnames(returns$values)
  vapply(stats::setNames(nm = names_of), function(name) {
    own <- returns$values[, name]
    there <- !is.na(own)
    digest::digest(
      list(as.numeric(returns$dates[there]), round(own[there], 9L)), algo = "xxhash32"
    )
  }, "")
}

# Why what was recorded is not what is measured of the same day now.
other_causes <- function(day, then, work) {
  if (is.null(day)) return("measured again")
  now <- choices_of_day(work)
  names_of <- union(names(now), names(day$choices))
  chosen <- function(x, name) if (name %in% names(x)) x[[name]] else "none"
  other <- Filter(function(name) chosen(now, name) != chosen(day$choices, name), names_of)
  digests <- digests_of_day(then)
  both <- intersect(names(digests), names(day$prices))
  restated <- both[digests[both] != day$prices[both]]
  version <- own_version()
  said <- c(
    vapply(other, function(name) {
      sprintf(
        "%s %s instead of %s", gsub("_", " ", name), chosen(now, name), chosen(day$choices, name)
      )
    }, ""),
    if (length(restated)) sprintf("%s restated", some(restated)),
    if (version != day$version) sprintf("version %s instead of %s", version, day$version)
  )
  if (length(said)) paste(said, collapse = "; ") else "measured again"
}
