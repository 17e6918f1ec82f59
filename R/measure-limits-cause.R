# Whether a limit was broken by the market or by a trade: by the records of the days before, what
# the estimate would be with what was held when it was not broken.

# A row for each limit: by the last day of which the records say that it was within. NULL without
# records.
causes_of_limits <- function(columns, days, request) {
  if (is.null(days)) return(NULL)
  last <- request$returns$dates[length(request$returns$dates)]
  days <- Filter(function(day) day$date < last, days)
  known <- new.env(parent = emptyenv())
  rows <- lapply(seq_along(columns$state), function(i) lapply(columns, `[[`, i))
  found <- lapply(rows, cause_of_limit, days, request, known)
  list(
    columns = stacked(lapply(found, `[[`, "columns")),
    numbers = stats::setNames(lapply(found, `[[`, "numbers"), vapply(rows, key_of_limit, ""))
  )
}

key_of_limit <- function(row) {
  paste(vapply(keys_of_limit, function(key) as.character(row[[key]] %||% NA), ""), collapse = "|")
}

cause_of_limit <- function(row, days, request, known) {
  none <- list(
    within_on = as.Date(NA), untraded = NA_real_, of_market = NA_real_, of_trades = NA_real_,
    came_of = NA_character_
  )
  if (row$state != "broken") return(list(columns = none))
  states <- vapply(days, state_on_day, "", row)
  within <- which(states %in% c("within", "near"))
  if (!length(within)) {
    if (any(states %in% "broken")) none$came_of <- "before the records"
    return(list(columns = none))
  }
  day <- days[[max(within)]]
  none$within_on <- day$date
  numbers <- estimates_of_sides(line_of_row(row, request), row$estimate, day, request, known)
  if (is.null(numbers)) {
    none$came_of <- "not known"
    return(list(columns = none))
  }
  parts <- parts_of_two(numbers$neither, numbers$market, numbers$trades, row$estimate)
  list(
    columns = list(
      within_on = day$date, untraded = numbers$market, of_market = parts[[1L, "market"]],
      of_trades = parts[[1L, "trades"]], came_of = who_broke_it(row, numbers, day)
    ),
    numbers = numbers
  )
}

keys_of_limit <- c(
  "security", "measure", "horizon", "level", "method", "lookback", "period", "unit"
)

# The row of a day's record that is of the same limit; NA where there is none.
limit_in_record <- function(day, row) {
  table <- day$limits
  same <- rep(TRUE, nrow(table))
  for (key in keys_of_limit) {
    own <- row[[key]] %||% NA
    same <- same & (if (is.na(own)) is.na(table[[key]]) else table[[key]] %in% own)
  }
  which(same)[1L]
}

state_on_day <- function(day, row) day$limits$state[limit_in_record(day, row)]

# Of a depth the limit is told by its size.
limit_on_day <- function(day, row) abs(day$limits$limit[limit_in_record(day, row)])

line_of_row <- function(row, request) {
  of <- row$security
  # What is held short is called so.
  if (!is.null(request$book)) {
    short <- match(of, short_name(request$book$security))
    if (!is.na(short)) of <- request$book$security[short]
  }
  list(
    of = of, measure = row$measure, limit = row$limit, warn = row$warn, horizon = row$horizon,
    level = row$level, method = row$method, window = row$lookback, period = row$period,
    unit = row$unit %||% NA_character_
  )
}

# The estimate with the prices and holdings of then, with one of the two as now; NULL where it
# cannot be measured.
estimates_of_sides <- function(line, now, day, request, known) {
  key <- format(day$date)
  if (is.null(known[[key]])) known[[key]] <- requests_since(day, request)
  each <- lapply(known[[key]], function(one) {
    tryCatch(
      suppressWarnings(suppressMessages({
        series <- estimated_limit(line, one)
        series$estimate[length(series$estimate)]
      }, classes = "imbroglio_note"), classes = "imbroglio_warning"),
      imbroglio_error = function(e) NA_real_
    )
  })
  if (!length(each) || anyNA(unlist(each))) return(NULL)
  list(
    neither = each$then, market = each$held_on %||% now,
    trades = each$traded_then %||% each$then, traded = !is.null(each$held_on)
  )
}

requests_since <- function(day, request) {
  x <- request$book %||% request$returns
  made <- tryCatch(
    suppressWarnings(suppressMessages(
      sides_since(x, function(x) as_on_day(x, day$date), day$held), classes = "imbroglio_note"
    ), classes = "imbroglio_warning"),
    imbroglio_error = function(e) NULL
  )
  lapply(made[setdiff(names(made), "now")], function(x) {
    book <- inherits(x, "imbroglio_book")
    request["books"] <- list(if (book) drawings_of_book(x) else list(NULL))
    request["book"] <- list(request$books[[1L]])
    request$returns <- if (book) request$book$returns else x
    request
  })
}

# By whom: who would have broken it alone. What was within then, and is beyond the limit of now
# with the prices and holdings of then, was held against another limit, or other prices.
who_broke_it <- function(row, numbers, day) {
  record <- limit_measures()[[row$measure]]
  breaks <- function(estimate) {
    judged_series(row, list(estimate = estimate, to = row$to), record, NULL)$state == "broken"
  }
  if (breaks(numbers$neither)) {
    same_limit <- isTRUE(all.equal(limit_on_day(day, row), abs(row$limit)))
    return(if (same_limit) "restated prices" else "another limit")
  }
  market <- breaks(numbers$market)
  trades <- breaks(numbers$trades)
  if (!numbers$traded || (market && !trades)) {
    "the market"
  } else if (trades && !market) {
    "trades"
  } else if (market) {
    "either"
  } else {
    "both"
  }
}

# Those of the last day before.
limits_of_day_before <- function(days, date) {
  days <- Filter(function(day) day$date < date, days)
  if (length(days)) days[[length(days)]]$limits
}
