record_of_history <- function() {
  measure_record(
    108,
    title = "The numbers day by day",
    asks = "How did they come to where they are, and by whom?",
    measure = history_of_runs,
    columns = list(
      what = column("what", "text", key = TRUE),
      by_market = column("by the market", "price"),
      by_trades = column("by trades", "price"),
      by_neither = column("by neither", "price", optional = TRUE),
      untraded_since = column("without trades", "price")
    ),
    shares = c("security", "measure", "date", "estimate", "moved", "unit"),
    compares = NULL,
    shows = "now",
    command = command_record(
      "Compare, through time and with the past", 26,
      says = "a study's numbers through its records of days, and what of them the trades did",
      takes = "FOLDER",
      options = c("since", "last", hand_on),
      trade = list(
        trade(
          c("history of value at risk", "risk through time", "daily risk log"),
          "what the book's numbers were on each day that was recorded",
          "imbroglio history bay-mornings"
        )
      ),
      help = c(
        since = "a date, or how long ago, such as \"1 month\": from the record then on",
        last = "so many records, or so long"
      ),
      example = "imbroglio history bay-mornings --figure history.png"
    ),
    parts = list(history = part(
      "days", 10, "days", "days", c("lead", "figure", "table"), says = FALSE,
      keeps = c("since", "last")
    )),
    cases = quote(list(
      whole = history_of_runs(runs_folder),
      since = history_of_runs(runs_folder, since = "1 week")
    ))
  )
}

#' A book's numbers through the days that were recorded
#'
#' A study keeps a record of each last date of its prices in the folder `runs` of its report: what
#' was held, the numbers at the top of the report, what moved each of them since the record before,
#' and the state of the limits. This reads them: each number on each day, and how much of its moves
#' was of the market (returns that came or left, prices, rates of currencies), of trades, and of
#' neither (restated prices, other choices, another version).
#'
#' The parts are those of [explain_change()] from record to record, so they add up to the move; of
#' the worth, the price, the fall from the high and the beta of a book there are two causes, the
#' market and the trades, each the mean of going first and of going last. Where a record was not
#' compared with the one before it in the folder, as where some were removed, what moved between
#' is not told apart: `NA`, with a note.
#'
#' Kept are all records of the last two years, and the last of each month before.
#'
#' @param runs The folder of a study's run, or its folder `runs`.
#' @param since A date, or how long ago such as `"1 month"`: the first record is the last one not
#'   after it.
#' @param last So many of the last records, or so long.
#' @return A table, a row for each number and day: `security`, `measure`, `what` (as it is called
#'   now), `date`, `estimate`, `moved` (since the record before), `by_market`, `by_trades`,
#'   `by_neither`, and `untraded_since`: the estimate but for all that trades did since the first
#'   record.
#' @eval columns_in_docs("history")
#' @section Errors: `imbroglio_error_file` for a folder without records of days, and for a record
#'   that is damaged.
#' @family measures through time
#' @examples
#' found <- history_of_runs(demo_file("bay-mornings"))
#' in_words(found)
#' explain_change(demo_file("bay-mornings"), measure = "worth", since = "1 week")
#' @export
history_of_runs <- function(runs, since = NULL, last = NULL) {
  days <- some_of_days(if (is.list(runs)) runs else read_days(runs), since, last)
  moves <- moves_recorded(days)
  numbers <- moves$numbers
  numbers <- numbers[order(match(numbers$name, unique(numbers$name)), numbers$day), ]
  by <- function(group) {
    ours <- moves$parts[moves$parts$group == group, ]
    key <- paste(numbers$name, numbers$day)
    sums <- tapply(ours$moved, factor(paste(ours$name, ours$day), key), sum)
    unname(ifelse(numbers$linked, ifelse(is.na(sums), 0, sums), NA_real_))
  }
  by_trades <- by("trades")
  first <- !duplicated(numbers$name)
  traded <- stats::ave(
    ifelse(is.na(by_trades), 0, by_trades), numbers$name, FUN = cumsum
  )
  latest <- days[[length(days)]]
  columns <- list(
    security = rep(latest$of, nrow(numbers)),
    measure = numbers$name,
    what = latest_titles(numbers),
    date = dates_of_days(days)[numbers$day],
    estimate = numbers$number,
    moved = ifelse(first, NA_real_, numbers$moved),
    by_market = by("market"),
    by_trades = by_trades,
    by_neither = by("other"),
    untraded_since = numbers$number - traded
  )
  columns$unit <- in_money_for(numbers, latest)
  # The working of one day is over all days before it, chosen or not.
  new_result(columns, "history", basis_of_days(days), list(days = as.data.frame(columns)))
}

dates_of_days <- function(days) .Date(vapply(days, function(day) as.numeric(day$date), 0))

some_of_days <- function(days, since, last) {
  latest <- days[[length(days)]]
  days <- days_alike(days, latest$of, latest$currency)
  dates <- dates_of_days(days)
  if (!is.null(since)) {
    if (length(days) < 2L) fail("too_short", "There is one record: no number has moved yet.")
    end <- dates[length(dates)]
    day <- day_of_since(end, since)
    if (day >= end) fail("argument", sprintf("The last record is of %s, not after `since`.", end))
    if (day < dates[1L]) note("history", sprintf("The records begin on %s.", dates[1L]))
    days <- days[max(1L, which(dates <= day)):length(days)]
  }
  if (!is.null(last)) {
    days <- if (grepl("^\\s*[0-9]+\\s*(records?)?\\s*$", last)) {
      utils::tail(days, as.integer(sub("\\D*$", "", trimws(last))))
    } else {
      days[dates_of_days(days) > span_before(dates[length(dates)], last)]
    }
  }
  days
}

# Those of one book in one currency: others may stand in the same folder.
days_alike <- function(days, of, currency) {
  alike <- vapply(days, function(day) day$of %in% of && identical(day$currency, currency), NA)
  if (!all(alike)) {
    note("history", sprintf(
      "%s of %s or in another currency left out: this is of %s.",
      count(sum(!alike), "record"), if (sum(!alike) == 1L) "another book" else "other books",
      some(c(of, currency))
    ))
  }
  days[alike]
}

# Each number of each day, by how much it moved since the record before, and the parts of that. A
# record whose parts are since another is not linked to the one before it.
moves_recorded <- function(days) {
  of_all <- function(what) {
    each <- lapply(seq_along(days), function(i) {
      table <- days[[i]][[what]]
      if (nrow(table)) cbind(day = i, table)
    })
    do.call(rbind, each)
  }
  numbers <- of_all("numbers")
  dates <- dates_of_days(days)
  since <- .Date(vapply(days, function(day) as.numeric(day$since), 0))
  linked <- c(FALSE, since[-1L] %in% dates[-length(dates)] & since[-1L] == dates[-length(dates)])
  key <- paste(numbers$name, numbers$day)
  before <- numbers$number[match(paste(numbers$name, numbers$day - 1L), key)]
  numbers$moved <- numbers$number - before
  numbers$linked <- linked[numbers$day] & !is.na(numbers$moved)
  parts <- of_all("parts") %||% cbind(day = integer(), days[[1L]]$parts)
  parts <- parts[linked[parts$day] & paste(parts$name, parts$day) %in% key[numbers$linked], ]
  told <- tapply(parts$moved, factor(paste(parts$name, parts$day), key), sum)
  rest <- numbers$moved - ifelse(is.na(told), 0, told)
  left <- !is.na(rest) & abs(rest) > 1e-12 * pmax(1e-3, abs(numbers$number))
  if (any(left)) {
    parts <- rbind(parts, data.frame(
      day = numbers$day[left], name = numbers$name[left],
      cause = ifelse(numbers$linked[left], "other", "gap"), group = "other",
      says = ifelse(numbers$linked[left], "measured again", "days without a record"),
      moved = rest[left], mattered = NA_character_
    ))
  }
  if (any(!linked[-1L])) {
    at <- which(!linked)[-1L]
    note("history", sprintf(
      "What moved the numbers up to %s is not told apart: %s.", some(format(dates[at])),
      "the record before it is not the one that it was compared with"
    ))
  }
  list(numbers = numbers, parts = parts)
}

# A number goes by what it is called now.
latest_titles <- function(numbers) {
  latest <- numbers[!duplicated(numbers$name, fromLast = TRUE), ]
  # Not beside the number that it is the same as.
  latest$title <- sub("^the same in ", "value at risk in ", latest$title)
  latest$title[match(numbers$name, latest$name)]
}

basis_of_days <- function(days) {
  dates <- dates_of_days(days)
  latest <- days[[length(days)]]
  latest$choices["level"] <- unit_text$level(as.numeric(latest$choices[["level"]]))
  made <- new_basis(
    from = dates[1L], to = dates[length(dates)],
    observations = stats::setNames(length(days), latest$of),
    dropped = dropped_rows(),
    kind = "record", every = "day", choices = latest$choices, origin = "runs of a study",
    digest = digest::digest(lapply(days, `[[`, "numbers"), "xxhash64")
  )
  made$currency <- latest$currency
  made
}

# The numbers of a record that are no measure by themselves.
kept_numbers <- function() {
  list(
    worth = list(title = "Worth", unit = "money"),
    price = list(title = "Price", unit = "price"),
    var_money = list(title = "Value at risk in money", unit = "money"),
    recent = list(title = "Volatility of late, a year", unit = "fraction")
  )
}

told_measures <- function() c(limit_measures(), kept_numbers())

# Of a book without a worth, and of profits, the currency that what else is a share is in; NULL
# where nothing is.
in_money_for <- function(numbers, day) {
  usual <- vapply(told_measures()[numbers$name], `[[`, "", "unit")
  if (all(numbers$unit != "money" | usual == "money")) return(NULL)
  ifelse(numbers$unit == "money" & usual != "money", day$currency %||% "money", NA)
}

# The unit of each row of a table of several measures.
units_of_rows <- function(table) {
  unit <- vapply(
    unname(told_measures()[table$measure]), function(one) one$unit %||% "number", ""
  )
  unit[!is.na(table[["unit"]] %||% NA)] <- "money"
  unit
}

# What moved a number between two records, by cause: the sum of what did from each to the next.
change_of_runs <- function(before, after, measure, since) {
  days <- if (is.null(after)) {
    read_days(before)
  } else {
    records_between(before, after)
  }
  days <- some_of_days(days, NULL, NULL)
  if (length(days) < 2L) fail("too_short", "Two records are wanted, the first before the second.")
  if (is.null(after)) days <- some_of_days(days, since %||% days[[length(days) - 1L]]$date, NULL)
  moves <- moves_recorded(days)
  own <- moves$numbers[moves$numbers$name == measure & !is.na(moves$numbers$number), ]
  known <- unique(moves$numbers$name)
  if (nrow(own) < 2L) {
    fail(
      "argument", sprintf("The records have no `%s` to compare.", measure),
      where = sprintf("They have %s.", some(known, 12L))
    )
  }
  of <- function(name) with_lost_days(moves$parts, moves$numbers, name)
  columns <- parts_added_up(
    of(measure), if (measure == "var") of("var_money"), days, own$unit[nrow(own)]
  )
  columns <- c(
    list(
      security = rep(days[[1L]]$of, length(columns$cause)),
      measure = rep(measure, length(columns$cause))
    ),
    columns,
    list(
      number_before = rep(own$number[1L], length(columns$cause)),
      number_after = rep(own$number[nrow(own)], length(columns$cause))
    )
  )
  columns$unit <- rep(
    in_money_for(own[nrow(own), ], days[[length(days)]]), length(columns$cause)
  )
  made <- new_result(columns, "change", basis_of_days(days), NULL)
  steps <- of(measure)
  steps$date <- dates_of_days(days)[steps$day]
  attr(made, "changes") <- stats::setNames(
    list(list(
      name = days[[1L]]$of, steps = steps, causes = unique(steps$cause), said = columns$cause
    )),
    days[[1L]]$of
  )
  made
}

records_between <- function(before, after) {
  if (!is_day(after) || normalizePath(dirname(before)) != normalizePath(dirname(after))) {
    fail("argument", "Two records of days are wanted, of one folder.")
  }
  ends <- c(read_day(before)$date, read_day(after)$date)
  Filter(function(day) day$date >= ends[1L] && day$date <= ends[2L], read_days(dirname(before)))
}

# The parts of a number, and what it moved by over days that have none of it.
with_lost_days <- function(parts, numbers, name) {
  parts <- parts[parts$name == name, ]
  own <- numbers[numbers$name == name & !is.na(numbers$number), ]
  if (nrow(own) < 2L) return(parts)
  lost <- own$number[nrow(own)] - own$number[1L] - sum(parts$moved)
  if (abs(lost) <= 1e-9 * max(1e-3, abs(own$number))) return(parts)
  rbind(parts, data.frame(
    day = own$day[nrow(own)], name = name, cause = "gap", group = "other",
    says = "days without this number", moved = lost, mattered = NA_character_
  ))
}

# Each cause with all that it did.
parts_added_up <- function(parts, in_money, days, unit) {
  causes <- unique(parts$cause)
  if (!length(causes)) {
    return(list(
      cause = "nothing differs", moved = 0, moved_value = NA_real_, mattered = NA_character_
    ))
  }
  dates <- dates_of_days(days)
  each <- lapply(causes, function(cause) parts[parts$cause == cause, ])
  summed <- function(parts, cause) sum(parts$moved[parts$cause == cause])
  list(
    cause = vapply(each, said_of_days, ""),
    moved = vapply(causes, function(cause) summed(parts, cause), 0, USE.NAMES = FALSE),
    moved_value = if (NROW(in_money)) {
      vapply(causes, function(cause) summed(in_money, cause), 0, USE.NAMES = FALSE)
    } else {
      rep(NA_real_, length(causes))
    },
    mattered = vapply(each, days_of_cause, "", dates, unit)
  )
}

# What is added up over days is called without them.
said_of_days <- function(parts) {
  fixed <- c(
    came = "returns that came", left = "returns that left", window = "another window"
  )
  cause <- parts$cause[1L]
  if (cause %in% names(fixed)) fixed[[cause]] else some(unique(parts$says), 3L)
}

days_of_cause <- function(parts, dates, unit) {
  by_day <- tapply(parts$moved, parts$day, sum)
  most <- by_day[order(-abs(by_day))]
  most <- utils::head(most[sign(most) == sign(sum(by_day))], 3L)
  said <- signed_difference(unname(most), unit)
  seen <- grepl("[1-9]", said)
  if (!any(seen)) return(NA_character_)
  paste(sprintf("%s %s", format(dates[as.integer(names(most))]), said)[seen], collapse = "; ")
}
