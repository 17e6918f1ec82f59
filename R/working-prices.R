# The working of a price: as it was delivered, what was put right in it, and the splits and
# dividends that it is adjusted for.

# The last price on or before the date; what was emptied on that very date is told.
place_of_price <- function(prices, security, date) {
  names <- colnames(prices$close)
  security <- security %||% names[1L]
  check_choice(security, "security", names)
  day <- if (is.null(date)) max(prices$dates) else check_date(date, "date", last = TRUE)
  cells <- prices$repaired$cells
  emptied <- cells[cells$security == security & cells$date == day, ]
  row <- match(as.numeric(day), as.numeric(prices$dates))
  if (NROW(emptied) && (is.na(row) || is.na(prices$close[[row, security]]))) {
    fail(
      "working",
      sprintf("%s has no price on %s: it was emptied.", security, day),
      where = sprintf("Delivered was %s.", number_text(emptied$was[1L]))
    )
  }
  known <- which(!is.na(prices$close[, security]) & prices$dates <= day)
  if (!length(known)) {
    fail("argument", sprintf("%s has no price on or before %s.", security, day))
  }
  row <- known[length(known)]
  list(security = security, row = row, date = prices$dates[row])
}

price_steps <- function(prices, at) {
  if (!is.null(prices$converted)) return(converted_steps(prices$converted, at))
  price <- prices$close[[at$row, at$security]]
  undone <- prices$measured == "close" && !is.null(prices$fields$adjusted)
  came_in <- prices$fields[[if (undone) "adjusted" else "close"]]
  traded <- if (is.null(came_in)) price else came_in[[at$row, at$security]]
  actions <- actions_after(prices, at, undone)
  adjusted <- length(actions$rows) > 0L && abs(
    if (undone) traded / actions$factor - price else traded * actions$factor - price
  ) <= 1e-10 * abs(price)
  if (!adjusted) {
    # Of a table that was cut after it was adjusted, or came in with both, the way is not known.
    words <- if (abs(traded - price) > 1e-10 * abs(price)) {
      sprintf(
        "as this table has it; its %s is %s, and what leads from one to the other is not in it",
        if (undone) "adjusted close" else "close as traded",
        number_text(traded)
      )
    }
    return(list(rows = list(), steps = delivered_steps(prices, at, price, "price", words)))
  }
  begin <- delivered_steps(prices, at, traded, if (undone) "adjusted" else "close")
  list(
    rows = list(actions$rows),
    steps = c(begin, list(
      step(
        "factor",
        quote((1 - dividend * shares / close_before) / split),
        "what each split or dividend does to the prices before it"
      ),
      step("so_far", quote(recursion(factor, previous * factor)), "all up to each, multiplied"),
      step(
        "price",
        if (undone) {
          quote(adjusted / value_at(so_far, count(so_far)))
        } else {
          quote(close * value_at(so_far, count(so_far)))
        },
        if (undone) "the close as it was traded" else "the close, adjusted for what came after",
        "price"
      )
    )),
    shows = list(list(
      title = "The splits and dividends after that date",
      table = function(values) {
        data.frame(
          date = actions$rows$dates,
          actions$rows$columns[c("split", "dividend", "close_before")],
          factor = values$factor,
          so_far = values$so_far
        )
      }
    ))
  )
}

# The splits and dividends of a security after a date, with the close before each and the new
# shares that the dividend counts an old one as.
actions_after <- function(prices, at, undone) {
  own <- prices$actions[prices$actions$security %in% at$security, , drop = FALSE]
  # A table adjusted for splits only keeps the dates of the dividends.
  own <- own[!(is.na(own$split) & is.na(own$dividend)), , drop = FALSE]
  if (!NROW(own)) return(NULL)
  traded <- if (undone) prices$close else prices$fields$close
  if (is.null(traded)) return(NULL)
  known <- which(!is.na(traded[, at$security]))
  day <- as.numeric(prices$dates)[known]
  first <- vapply(as.numeric(own$date), function(d) which(day >= d)[1L], 0L)
  counts <- which(!is.na(first) & first > 1L & known[first] > at$row)
  counts <- counts[order(own$date[counts])]
  if (!length(counts)) return(NULL)
  own <- own[counts, ]
  split <- ifelse(is.na(own$split), 1, own$split)
  dividend <- ifelse(is.na(own$dividend), 0, own$dividend)
  same_day <- vapply(own$date, function(d) prod(split[own$date == d]), 0)
  shares <- ifelse(is.na(own$split), same_day, split)
  close_before <- unname(traded[known[first[counts] - 1L], at$security])
  list(
    rows = rows_of_working(
      "actions",
      sprintf("splits and dividends of %s after that date", at$security),
      list(split = split, dividend = dividend, shares = shares, close_before = close_before),
      own$date,
      own$date[1L],
      own$date[nrow(own)]
    ),
    factor = prod((1 - dividend * shares / close_before) / split)
  )
}

# From what was delivered to the price of the table, by the repairs that were accepted.
delivered_steps <- function(prices, at, price, name, words = NULL) {
  usual <- if (name == "adjusted") "adjusted, as it came in" else "as it was delivered"
  words <- words %||% usual
  as_given <- list(entered(name, price, words, "price"))
  cells <- prices$repaired$cells
  was <- cells$was[cells$security == at$security & cells$date == at$date][1L]
  if (is.na(was %||% NA)) return(as_given)
  todo <- prices$repaired$remedies
  slips <- todo[todo$remedy == "divide" & todo$security == at$security & todo$date == at$date, ]
  splits <- todo[todo$remedy == "split" & todo$security == at$security & todo$date > at$date, ]
  by <- c(slips$by, splits$by)
  if (abs(was / prod(by) - price) > 1e-10 * abs(price)) return(as_given)
  put_right <- c(
    sprintf("put right: %s", slips$finding),
    sprintf("put right: %s of %s", splits$finding, splits$date)
  )
  names <- c(sprintf("repaired_%d", seq_along(by)[-length(by)]), name)
  before <- c("delivered", names)
  c(
    list(entered("delivered", was, words, "price")),
    lapply(seq_along(by), function(i) {
      step(names[i], bquote(.(as.name(before[i])) / .(by[i])), put_right[i], "price")
    })
  )
}

# Of a converted table: what it was before, and the rate.
converted_steps <- function(made, at) {
  row <- match(as.numeric(at$date), as.numeric(made$dates))
  unit <- made$currency[[at$security]]
  list(rows = list(), steps = list(
    entered("local", made$local[[row, at$security]], paste("as it was before, in", unit)),
    entered(
      "rate", made$rate[[row, at$security]], sprintf("what it is multiplied by, for %s", made$base)
    ),
    step("price", quote(local * rate), paste("in", made$base))
  ))
}
