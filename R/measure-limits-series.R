# What a limit is held against: the estimate on each date, of what it is of, in the time and by the
# method that it says.

# Whether long and short of a group nearly cancel: there is no whole to be in percent of.
neutral_group <- function(line, request) {
  if (!startsWith(line$of, "group:") || limit_measures()[[line$measure]]$of_book) return(FALSE)
  members <- expand_groups(line$of, request$returns$prices)
  w <- request$book$weights[request$book$security %in% members]
  length(w) > 0L && abs(sum(w)) < 0.1 * sum(abs(w))
}

profits_of_group <- function(line, request, held_of, w) {
  if (is.na(line$unit)) {
    fail(
      "limits",
      sprintf("What is held of %s is nearly neutral: it has no percentages.", line$of),
      remedy = "Limit its loss, value at risk or shortfall in money, such as 5000 EUR."
    )
  }
  both <- returns_together(request$returns, held_of)
  group <- request$book
  group$name <- line$of
  profits_of(
    group, both$dates, as.vector(both$r %*% w) * request$book$value,
    frequencies_of(both$dates, matrix(1, length(both$dates), 1L))
  )
}

is_held_short <- function(security, book) {
  isTRUE(book$weights[match(security, book$security)] < 0)
}

# What is held of what a limit in money is of.
worth_of_limit <- function(line, request) {
  book <- request$book
  if (is.null(book$value)) {
    fail(
      "limits", sprintf("A limit of %s in money is of a book whose value is known.", line$measure),
      remedy = "Give shares or values; of weights `value`."
    )
  }
  counted <- book$currency
  if (line$unit != "money" && !is.null(counted) && line$unit != counted) {
    fail("limits", sprintf("The limit of %s is in %s, the book in %s.", line$measure, line$unit,
                           counted))
  }
  # Profits are in money already.
  booked <- line$measure == "loss" && line$of %in% book$name
  neutral <- is_neutral(book) && line$of %in% book$name
  if (neutral || booked || neutral_group(line, request)) return(1)
  if (line$of %in% book$name) return(book$value)
  members <- if (startsWith(line$of, "group:")) {
    expand_groups(line$of, request$returns$prices)
  } else {
    line$of
  }
  abs(sum(book$weights[book$security %in% members])) * book$value
}

# The date of which a limit is asked where its numbers end before it; NULL where they do not.
known_of_limit <- function(line, request) {
  if (is_stale(request$age, request$stale)) return(request$age$today)
  members <- if (startsWith(line$of, "group:")) {
    intersect(expand_groups(line$of, request$returns$prices), request$book$security)
  } else {
    line$of
  }
  whole <- line$of %in% request$book$name || limit_measures()[[line$measure]]$of_book
  ended <- if (whole) request$book$ended else ended_holdings(request$returns, members)
  if (!is.null(ended)) max(ended$known)
}

# The mean over the drawings of a book, where there are several.
limited_over_drawings <- function(line, request) {
  if (length(request$books) < 2L) return(limited_series(line, request))
  each <- lapply(request$books, function(book) {
    request$book <- book
    request$returns <- book$returns
    limited_series(line, request)
  })
  made <- each[[1L]]
  made$estimate <- rowMeans(do.call(cbind, lapply(each, `[[`, "estimate")))
  made
}

# The estimate on each date, the last one now.
limited_series <- function(line, request) {
  record <- limit_measures()[[line$measure]]
  if (record$of_book) return(book_number(line, request, record$today))
  returns <- limited_returns(line, request)
  if (!is.null(record$by_date)) return(record$by_date(line, returns))
  if (!is.na(line$period)) {
    returns <- suppressMessages(
      as_returns(returns, kind = returns$kind, every = line$period), classes = "imbroglio_note"
    )
  }
  periods <- if (record$in_time) periods_of_limit(line, returns)
  if (max(core_observed(returns$values)) < line$window) {
    return(list(to = max(returns$dates), estimate = NA_real_))
  }
  by_root <- line$method %in% "historical" && (periods == 1L || returns$kind != "log")
  if (record$in_time && !by_root) return(latest_loss(line, returns, periods))
  found <- suppressMessages(roll_measures(
    returns, line$measure, line$window,
    benchmark = if (record$beside) request$benchmark,
    level = if (is.na(line$level)) 0.99 else line$level
  ), classes = "imbroglio_note")
  list(to = found$to, estimate = found$estimate * sqrt(periods %||% 1L))
}

# The periods of the returns that the time of a limit is.
periods_of_limit <- function(line, returns, time = line$horizon) {
  what <- sprintf("The limit of %s of %s", line$measure, line$of)
  tryCatch(
    periods_of_time(time, returns$frequency, what),
    imbroglio_error_argument = function(e) {
      every <- adverb_of(every_of_all(returns$frequency))
      fail(
        "limits",
        sprintf("%s is of %s, and its returns are %s.", what, time, every),
        remedy = sprintf(paste(
          "Write its %s as they are priced, such as 1 %s; or take a book with a fund that is",
          "priced less often by `between = \"bridged\"`."
        ), if (line$measure == "loss") "period" else "horizon", every_of_all(returns$frequency))
      )
    }
  )
}

# By methods whose past is not measured day by day: how it stands now.
latest_loss <- function(line, returns, periods) {
  last <- stats::window(returns, last = count(line$window, "return"))
  found <- suppressWarnings(suppressMessages(
    measure_var(last, line$level, periods, line$method), classes = "imbroglio_note"
  ), classes = "imbroglio_warning")
  list(to = max(returns$dates), estimate = found[[line$measure]][1L])
}

# The loss over a time that ends on each date, or since the end of the last month or year.
lost_over <- function(line, returns) {
  there <- which(!is.na(returns$values[, 1L]))
  dates <- returns$dates[there]
  adds <- returns$kind == "profit"
  grown <- returns$values[there, 1L]
  if (returns$kind == "simple") grown <- log1p(grown)
  if (grepl(" to date$", line$period)) {
    part <- frequencies[[sub(" to date$", "", line$period)]]$period(dates)
    over <- stats::ave(grown, part, FUN = cumsum)
  } else {
    n <- periods_of_limit(line, returns, line$period)
    if (length(grown) < n) return(list(to = max(dates), estimate = NA_real_))
    if (n == 1L) {
      lost <- as_loss(returns$values[there, 1L], returns$kind == "log")
      return(list(to = dates, estimate = lost))
    }
    sums <- cumsum(grown)
    ends <- n:length(grown)
    over <- sums[ends] - c(0, sums)[ends - n + 1L]
    dates <- dates[ends]
  }
  list(to = dates, estimate = if (adds) -over else -expm1(over))
}

limited_returns <- function(line, request) {
  of_book <- line$of %in% request$book$name
  if (line$measure == "loss" && of_book) return(booked_returns(line, request))
  quietly_told <- function(expr) {
    suppressWarnings(
      suppressMessages(expr, classes = "imbroglio_note"), classes = "imbroglio_warning_ended"
    )
  }
  record <- limit_measures()[[line$measure]]
  held <- if (record$looks == "back") "then" else "today"
  if (startsWith(line$of, "group:")) {
    members <- expand_groups(line$of, request$returns$prices)
    held_of <- intersect(members, request$book$security)
    if (is.null(request$book) || !length(held_of)) {
      fail("argument", sprintf("The book holds nothing of %s.", line$of))
    }
    w <- request$book$weights[match(held_of, request$book$security)]
    if (neutral_group(line, request)) return(profits_of_group(line, request, held_of, w))
    # A group that is held short stays so.
    group <- quietly_told(as_portfolio(
      request$book$returns, weights = stats::setNames(w / abs(sum(w)), held_of), cash = "rest",
      name = line$of
    ))
    return(quietly_told(book_returns(group, held)))
  }
  if (line$of %in% request$book$name) return(quietly_told(book_returns(request$book, held)))
  needed <- c(line$of, if (is.character(request$benchmark)) request$benchmark)
  if (is_held_short(line$of, request$book)) request$returns <- held_short(request$returns, line$of)
  request$returns[, if (record$beside) unique(needed) else line$of]
}

# What was lost is what was booked: at the prices that were known, in money that of each day.
booked_returns <- function(line, request) {
  book <- suppressMessages(carried_book(request$book), classes = "imbroglio_note")
  told <- function(expr) {
    suppressWarnings(
      suppressMessages(expr, classes = "imbroglio_note"), classes = "imbroglio_warning_ended"
    )
  }
  if (is.na(line$unit)) return(told(book_returns(book, "then")))
  days <- told(if (in_fixed_shares(book)) days_by_shares(book) else days_by_weights(book))
  profits_of(
    book, days$dates[-1L], rowSums(days$made) + days$cash_made,
    frequencies_of(days$dates, matrix(1, length(days$dates), 1L))
  )
}

# What the book is today: a group or a holding of it, or (`held` is NULL) the whole.
book_number <- function(line, request, today) {
  book <- request$book
  held <- if (startsWith(line$of, "group:")) {
    intersect(expand_groups(line$of, request$returns$prices), book$security)
  } else {
    intersect(line$of, book$security)
  }
  quiet <- function(expr) suppressMessages(expr, classes = "imbroglio_note")
  if (line$of %in% book$name) held <- NULL
  list(to = max(quiet(book_today(book))$dates), estimate = quiet(today(book, held)))
}

fallen_by_date <- function(line, returns) {
  found <- drawdown_series(returns)
  list(to = found$date, estimate = found$drawdown)
}

share_today <- function(book, held) {
  if (is.null(held)) return(1)
  parts <- split_volatility(book)
  sum(parts$share[parts$security %in% held])
}

weight_today <- function(book, held) {
  if (is.null(held)) 1 else sum(book$weights[book$security %in% held])
}
