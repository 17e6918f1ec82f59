# The two sides of a change, and what is measured of any mixture of them.

# `number` of a row of the measure, `money`, the same in money, and its standard `error`.
explained_measures <- function() {
  list(
    var = list(measure = measure_var, number = "var", money = "var_value", error = "var_error"),
    es = list(measure = measure_var, number = "es", money = "es_value", error = "es_error"),
    volatility = list(
      measure = measure_volatility, number = "volatility_annual", error = "volatility_error"
    ),
    drawdown = list(measure = measure_drawdown, number = "max_drawdown"),
    beta = list(measure = measure_beta, number = "beta", beside = TRUE, error = "beta_error"),
    tracking_error = list(
      measure = measure_tracking, number = "tracking_error_annual", beside = TRUE,
      error = "tracking_annual_error"
    )
  )
}

# One side: what is held, at which prices, and `sample()`: the simple returns of some securities
# over the intervals that they share, of each drawing. Of a single series `amounts` is 1.
book_side <- function(book, choices, benchmark, last) {
  refuse_neutral(book, "a change is asked in percent of the book")
  book$held <- "today"
  drawings <- drawings_of_book(book)
  prices <- priced_of(book)$prices
  from <- first_of_side(drawings[[1L]], benchmark, last)
  by_shares <- !is.null(book$shares)
  securities <- book$security
  list(
    name = book$name, x = drawings, held = securities, by_shares = by_shares,
    amounts = stats::setNames(if (by_shares) book$shares else book$weights, securities),
    cash = if (by_shares) book$money else book$cash,
    value = book$value, kind = book$returns$kind, stated = book$returns$stated,
    close = function(names) last_closes(prices, names),
    rate = function(names) last_rates(prices, names),
    choices = choices, benchmark = benchmark, from = from,
    sample = once_each(function(other, drawing) {
      this <- drawings[[(drawing - 1L) %% length(drawings) + 1L]]
      if (!identical(other$held, securities)) {
        this <- held_on(other$x[[(drawing - 1L) %% length(other$x) + 1L]], priced_of(this))
      }
      cut_to_start(shared_sample(this$returns, c(other$held, benchmark)), from)
    })
  )
}

series_side <- function(returns, security, choices, benchmark, last) {
  x <- returns[, unique(c(security, benchmark))]
  from <- first_of_side(x, benchmark, last)
  list(
    name = security, x = list(x), held = security,
    by_shares = FALSE, amounts = stats::setNames(1, security), cash = 0,
    value = choices$value, kind = returns$kind, stated = returns$stated,
    choices = choices, benchmark = benchmark, from = from,
    sample = once_each(function(other, drawing) {
      cut_to_start(shared_sample(returns, c(security, benchmark)), from)
    })
  )
}

# Each mixture asks for the same samples.
once_each <- function(made) {
  known <- new.env(parent = emptyenv())
  function(other, drawing) {
    key <- paste(c(drawing, other$held), collapse = "\r")
    if (is.null(known[[key]])) known[[key]] <- made(other, drawing)
    known[[key]]
  }
}

# Where the last so many returns of a side begin; NULL where all are taken.
first_of_side <- function(x, benchmark, last) {
  if (!is.null(last)) span_of(measured_table(x, benchmark)$dates, NULL, NULL, last, NULL)$from
}

measured_table <- function(x, benchmark) {
  returns <- take_returns(x, held = "today")
  if (is.null(benchmark)) returns else paired_with(returns, benchmark)$returns
}

cut_to_start <- function(sample, from) {
  if (is.null(from)) return(sample)
  keep <- which(sample$dates >= from)
  if (length(keep) && keep[1L] > 1L) sample$start <- sample$dates[keep[1L] - 1L]
  sample$dates <- sample$dates[keep]
  sample$r <- sample$r[keep, , drop = FALSE]
  sample
}

last_closes <- function(prices, names) {
  close <- prices$close[, names, drop = FALSE]
  stats::setNames(close[cbind(core_span(close)$last, seq_along(names))], names)
}

# What the last close of each was converted by: 1 of what is quoted in the base. Cash of another
# currency is its rate.
last_rates <- function(prices, names) {
  made <- prices$converted
  found <- stats::setNames(rep(1, length(names)), names)
  if (is.null(made$rates)) return(found)
  known <- intersect(names, colnames(made$rate))
  last <- prices$dates[core_span(prices$close[, known, drop = FALSE])$last]
  found[known] <- made$rate[cbind(match(as.numeric(last), as.numeric(made$dates)), match(
    known, colnames(made$rate)
  ))]
  cash <- setdiff(names, known)
  found[cash] <- last_closes(prices, cash)
  found
}

# What is measured where each of `on` is as it is after, and the rest as before: `drawing` of it.
# `dates`: some taken out of the sample, or put in; `flipped`: see mixed_weights().
measured_mixture <- function(on, sides, drawing, record, dates = list(), flipped = list()) {
  from <- function(cause) if (isTRUE(on[[cause]])) sides$after else sides$before
  held <- from("trades")
  series <- mixed_sample(on, sides, held, drawing, dates)
  weights <- mixed_weights(on, sides, held, flipped)
  own <- as.vector(series$r[, held$held, drop = FALSE] %*% weights$weights)
  rows <- rows_evened_out(own, series)
  # What is put in stands before all others.
  put_in <- length(rows) - length(unique(rows))
  series$dates <- c(series$dates[1L] - rev(seq_len(put_in)), series$dates[sort(unique(rows))])
  own <- own[rows]
  series$r <- series$r[rows, , drop = FALSE]
  values <- cbind(own, series$r[, setdiff(colnames(series$r), held$held), drop = FALSE])
  colnames(values)[1L] <- sides$after$name
  kind <- sides$after$kind
  if (kind == "log") values <- log1p(values)
  choices <- sides$before$choices
  for (name in intersect(names(sides$after$choices), names(on))) {
    choices[name] <- sides$after$choices[name]
  }
  for (name in setdiff(intersect(names(choices), names(on)), names(sides$after$choices))) {
    choices[[name]] <- NULL
  }
  if (!is.null(weights$value) && !is.null(record$money)) choices$value <- weights$value
  frequency <- lapply(frequencies_of(series$dates, values[, 1L, drop = FALSE]), function(x) {
    stats::setNames(rep(x, ncol(values)), colnames(values))
  })
  x <- new_returns(
    series$dates, values, kind, frequency, start = rep(series$start, ncol(values)), prices = NULL,
    origin = "a change", digest = ""
  )
  numbers_of_change(x, choices, sides$after, record)
}

numbers_of_change <- function(x, choices, side, record) {
  side$choices <- choices
  numbers_of_row(quietly_done(result_of_side(x, side, record)), side, record)
}

result_of_side <- function(x, side, record) {
  arguments <- Filter(Negate(is.null), c(
    list(returns = x), if (isTRUE(record$beside)) list(benchmark = side$benchmark), side$choices
  ))
  arguments <- arguments[names(arguments) %in% names(formals(record$measure))]
  do.call(record$measure, arguments)
}

quietly_done <- function(code) {
  suppressWarnings(
    suppressMessages(code, classes = "imbroglio_note"), classes = "imbroglio_warning"
  )
}

numbers_of_row <- function(result, side, record) {
  row <- as.list(as.data.frame(result)[result$security == side$name, ])
  if (length(row[[1L]]) != 1L) {
    fail(
      "argument", "A change is of one number.",
      where = sprintf("With these choices there are %s.", count(length(row[[1L]]))),
      remedy = "Choose one level, one method, one horizon."
    )
  }
  money <- if (!is.null(record$money)) row[[record$money]]
  c(number = row[[record$number]], money = if (is.null(money)) NA_real_ else money)
}

# The returns before the last date of `before` are of its table, unless they were restated.
mixed_sample <- function(on, sides, held, drawing, dates) {
  then <- sides$before$sample(held, drawing)
  now <- sides$after$sample(held, drawing)
  end <- then$dates[length(then$dates)]
  old <- if (isTRUE(on$restated)) now else then
  overlap <- old$dates >= now$dates[1L] & old$dates <= end
  left <- then$dates < now$dates[1L] & !isTRUE(on$left)
  came <- now$dates > end & isTRUE(on$came)
  left <- (left | then$dates %in% dates$in_left) & !then$dates %in% dates$out
  came <- (came | now$dates %in% dates$in_came) & !now$dates %in% dates$out
  n_came <- sum(now$dates > end)
  n_left <- sum(then$dates < now$dates[1L])
  more <- length(now$dates) - length(then$dates)
  list(
    dates = c(then$dates[left], old$dates[overlap], now$dates[came]),
    stays = rep(c(FALSE, TRUE, FALSE), c(sum(left), sum(overlap), sum(came))),
    size = if (n_came > 0L && n_left > 0L) {
      length(then$dates) + round(more * sum(came) / n_came)
    },
    r = rbind(
      then$r[left, , drop = FALSE], old$r[overlap, , drop = FALSE], now$r[came, , drop = FALSE]
    ),
    start = if (any(left)) then$start else now$start
  )
}

# Where some came and some left, all mixtures have as many returns as the windows: else a quiet day
# that leaves would move the rank of a loss, and the divisor of a mean. What is taken out or put in
# is from the middle of the sample.
rows_evened_out <- function(own, series) {
  rows <- seq_along(own)
  if (is.null(series$size) || length(rows) == series$size) return(rows)
  stays <- which(series$stays)
  middle <- stays[order(abs(own[stays] - stats::median(own[stays])))]
  over <- length(rows) - series$size
  if (over > 0) rows[-middle[seq_len(over)]] else c(rep(middle[1L], -over), rows)
}

# Of shares by prices; of weights as they are. `flipped`: securities whose amount (`trades`) or
# price (`prices`) is that of the other side.
mixed_weights <- function(on, sides, held, flipped = list()) {
  from <- function(cause) if (isTRUE(on[[cause]])) sides$after else sides$before
  against <- function(cause) if (isTRUE(on[[cause]])) sides$before else sides$after
  amounts <- held$amounts
  amounts[flipped$trades] <- against("trades")$amounts[flipped$trades]
  if (!held$by_shares) return(list(weights = amounts, value = from("value")$value))
  local <- from("prices")$close(held$held) / from("prices")$rate(held$held)
  other <- against("prices")$close(flipped$prices) / against("prices")$rate(flipped$prices)
  local[flipped$prices] <- other
  worth <- amounts * local * from("rates")$rate(held$held)
  whole <- sum(worth) + from("cash")$cash
  list(weights = worth / whole, value = whole)
}

# The date before the last, or the one that is asked for.
day_before <- function(dates, since) {
  last <- dates[length(dates)]
  day <- if (is.null(since)) dates[max(1L, length(dates) - 1L)] else day_of_since(last, since)
  if (day >= last || day <= dates[1L]) {
    fail(
      "argument", "`since` must lie between the first and the last date.",
      where = sprintf("It is %s; the dates run from %s to %s.", day, dates[1L], last)
    )
  }
  day
}

# A date, or so long before the last.
day_of_since <- function(last, since) {
  span <- is.character(since) && grepl("^\\s*[0-9]+\\s*[a-z]", since[1L])
  if (span) span_before(last, since) else check_date(since, "since", last = TRUE)
}
