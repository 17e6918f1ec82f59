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
  drawings <- if (is_drawn(book)) {
    lapply(seq_len(book$between$drawings), drawing_of, book = book)
  } else {
    list(book)
  }
  prices <- book$priced$prices
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
        this <- held_on(other$x[[(drawing - 1L) %% length(other$x) + 1L]], this$priced)
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

shared_sample <- function(returns, securities) {
  securities <- unique(securities)
  columns <- match(securities, colnames(returns$values))
  common <- core_common(
    returns$values[, columns, drop = FALSE], starts_of(returns)[columns], spans_gaps(returns),
    returns$kind == "log"
  )
  r <- common$values
  if (returns$kind == "log") r <- expm1(r)
  colnames(r) <- securities
  list(dates = returns$dates[common$row], r = r, start = max(returns$start[columns]))
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
  numbers_of_row(result_of_side(x, side, record), side, record)
}

result_of_side <- function(x, side, record) {
  arguments <- Filter(Negate(is.null), c(
    list(returns = x), if (isTRUE(record$beside)) list(benchmark = side$benchmark), side$choices
  ))
  arguments <- arguments[names(arguments) %in% names(formals(record$measure))]
  suppressWarnings(
    suppressMessages(do.call(record$measure, arguments), classes = "imbroglio_note"),
    classes = "imbroglio_warning"
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
  left <- (left | as.character(then$dates) %in% dates$in_left) &
    !as.character(then$dates) %in% dates$out
  came <- (came | as.character(now$dates) %in% dates$in_came) &
    !as.character(now$dates) %in% dates$out
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
    start = if (any(left)) then$start else if (any(overlap) && isTRUE(on$restated)) {
      now$start
    } else {
      max(then$start, now$start[now$start < old$dates[overlap][1L]])
    }
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

# What differs, each with the flags that switch it.
causes_of_pair <- function(sides) {
  drawings <- seq_len(max(length(sides$before$x), length(sides$after$x)))
  of_sample <- Reduce(`|`, lapply(drawings, function(drawing) {
    Reduce(`|`, lapply(sides, sample_differs, sides, drawing))
  }))
  before <- sides$before
  after <- sides$after
  both <- held_by_both(sides)
  chosen <- union(names(before$choices), names(after$choices))
  other <- Filter(function(name) {
    !identical(before$choices[[name]], after$choices[[name]])
  }, chosen)
  differs <- c(
    of_sample,
    prices = after$by_shares && !nearly_same(
      before$close(both) / before$rate(both), after$close(both) / after$rate(both)
    ),
    rates = after$by_shares && !nearly_same(before$rate(both), after$rate(both)),
    trades = !nearly_same(before$amounts, after$amounts),
    cash = after$by_shares && before$cash != after$cash,
    value = !after$by_shares && !is.null(before$value) && !is.null(after$value) &&
      before$value != after$value
  )
  causes <- stats::setNames(as.list(names(differs)[differs]), names(differs)[differs])
  # Of samples that have little in common there is none without the one and the other.
  if (all(c("came", "left") %in% names(causes)) && in_common(sides) < room_for_mixtures(sides)) {
    rest <- causes[setdiff(names(causes), c("came", "left"))]
    causes <- c(list(window = c("came", "left")), rest)
  }
  if (length(causes) + length(other) > 8L) {
    return(c(causes, list(choices = other)))
  }
  c(causes, stats::setNames(as.list(other), other))
}

room_for_mixtures <- function(sides) {
  30L + max(length(dates_of_cause("came", sides)), length(dates_of_cause("left", sides)))
}

in_common <- function(sides) {
  then <- sides$before$sample(sides$before, 1L)$dates
  now <- sides$after$sample(sides$after, 1L)$dates
  sum(then >= now[1L] & then %in% now)
}

nearly_same <- function(x, y) {
  identical(names(x), names(y)) && all(abs(x - y) <= 1e-13 * pmax(abs(x), abs(y)))
}

held_by_both <- function(sides) union(sides$before$held, sides$after$held)

sample_differs <- function(held, sides, drawing) {
  then <- sides$before$sample(held, drawing)
  now <- sides$after$sample(held, drawing)
  end <- then$dates[length(then$dates)]
  shared <- then$dates[then$dates >= now$dates[1L]]
  again <- now$dates[now$dates <= end]
  c(
    came = any(now$dates > end),
    left = any(then$dates < now$dates[1L]),
    restated = !identical(shared, again) || any(abs(
      now$r[match(shared, now$dates), , drop = FALSE] -
        then$r[match(shared, then$dates), , drop = FALSE]
    ) > 1e-12)
  )
}

cause_words <- function(cause, sides, causes, record) {
  if (cause %in% c("came", "left")) {
    dates <- dates_of_cause(cause, sides)
    span <- range(dates)
    return(sprintf(
      "%s that %s, %s", count(length(dates), "return"), cause,
      if (length(dates) == 1L) span[1L] else sprintf("%s to %s", span[1L], span[2L])
    ))
  }
  if (cause == "window") {
    spans <- vapply(sides, function(side) {
      dates <- side$sample(side, 1L)$dates
      sprintf("%s from %s", count(length(dates), "return"), dates[1L])
    }, "")
    return(sprintf("%s instead of %s", spans[["after"]], spans[["before"]]))
  }
  if (cause == "choices") return(some(unlist(causes$choices), 12L))
  chosen <- function(side) choice_text(side$choices[[cause]] %||% formals(record$measure)[[cause]])
  switch(
    cause,
    restated = if (length(sides$after$x) > 1L || !is.null(sides$after$x[[1L]]$between$number)) {
      "what lies between prices, drawn anew"
    } else {
      "prices that were restated"
    },
    prices = "weights that moved with prices",
    trades = if (sides$after$by_shares) "trades" else "other weights",
    rates = "rates of currencies, in what is held",
    cash = "cash",
    value = "another value",
    sprintf(
      "%s %s instead of %s", gsub("_", " ", cause), chosen(sides$after), chosen(sides$before)
    )
  )
}

choice_text <- function(x) {
  if (is.language(x)) x <- eval(x, baseenv())
  if (is.null(x)) "none" else if (is.numeric(x)) number_text(x[1L]) else as.character(x[1L])
}

dates_of_cause <- function(cause, sides) {
  then <- sides$before$sample(sides$before, 1L)$dates
  now <- sides$after$sample(sides$after, 1L)$dates
  if (cause == "came") now[now > then[length(then)]] else then[then < now[1L]]
}

# What did most of a part by itself, in its direction: the mean of what it does first and of what
# it does last.
mattered_of <- function(cause, part, sides, record, whole, mixed) {
  found <- if (cause %in% c("came", "left")) {
    days_that_mattered(cause, sides, whole, mixed)
  } else if (cause %in% c("prices", "trades") && length(held_by_both(sides)) > 1L) {
    holdings_that_mattered(cause, sides, whole, mixed)
  }
  if (cause == "trades") {
    other <- came_and_went(sides)
    if (length(other)) return(paste(other, collapse = "; "))
  }
  found <- if (is.null(found)) numeric() else found[sign(found) == sign(part)]
  first <- utils::head(found[order(-abs(found))], 3L)
  said <- signed_difference(first, limit_measures()[[record$follows]]$unit)
  first <- grepl("[1-9]", said)
  if (!any(first)) return(NA_character_)
  paste(sprintf("%s %s", names(said), said)[first], collapse = "; ")
}

# Holdings that only one side has.
came_and_went <- function(sides) {
  new <- setdiff(sides$after$held, sides$before$held)
  gone <- setdiff(sides$before$held, sides$after$held)
  c(
    if (length(new)) paste("new:", some(new, 4L)),
    if (length(gone)) paste("gone:", some(gone, 4L))
  )
}

# Of many days only those of the largest returns are tried.
days_that_mattered <- function(cause, sides, whole, mixed, most = 12L) {
  dates <- dates_of_cause(cause, sides)
  side <- if (cause == "came") sides$after else sides$before
  sample <- side$sample(side, 1L)
  weights <- mixed_weights(if (cause == "came") whole else list(), sides, side)$weights
  r <- as.vector(sample$r[match(dates, sample$dates), side$held, drop = FALSE] %*% weights)
  days <- as.character(utils::head(dates[order(-abs(r))], most))
  first <- mixed(list())[["number"]]
  last <- mixed(whole)[["number"]]
  came <- cause == "came"
  stats::setNames(vapply(days, function(day) {
    there <- stats::setNames(list(day), if (came) "in_came" else "out")
    gone <- stats::setNames(list(day), if (came) "out" else "in_left")
    (mixed(list(), dates = there)[["number"]] - first +
      last - mixed(whole, dates = gone)[["number"]]) / 2
  }, 0), days)
}

holdings_that_mattered <- function(cause, sides, whole, mixed) {
  both <- intersect(sides$before$held, sides$after$held)
  first <- mixed(list())[["number"]]
  last <- mixed(whole)[["number"]]
  stats::setNames(vapply(both, function(security) {
    flip <- stats::setNames(list(security), cause)
    (mixed(list(), flipped = flip)[["number"]] - first +
      last - mixed(whole, flipped = flip)[["number"]]) / 2
  }, 0), both)
}
