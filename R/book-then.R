# A book as it was held: bought, drifted, rebalanced.

# How many returns these have together.
shared_returns <- function(returns, some) {
  if (!length(some)) return(0L)
  length(core_common(
    returns$values[, some, drop = FALSE],
    starts_of(returns)[some],
    spans_gaps(returns),
    returns$kind == "log"
  )$row)
}

# Those that have much fewer returns than most of their kind.
short_ones <- function(returns, columns) {
  rare <- rarer_than_most(frequency_part(returns$frequency, columns))
  own <- core_observed(returns$values[, columns, drop = FALSE])
  usual <- stats::median(own[!rare])
  columns[!rare & own < 0.75 * usual]
}

# How many returns the holdings have together, and whether one of them costs the book much of its
# history.
history_of <- function(book) {
  returns <- book$returns
  columns <- match(book$security, colnames(returns$values))
  shared <- function(some) shared_returns(returns, some)
  n <- shared(columns)
  said <- if (length(book$stand_ins)) {
    sprintf(
      "%s stands in for %s before its first price and after its last",
      book$stand_ins, names(book$stand_ins)
    )
  }
  # A holding that is priced less often than the others costs no history; of the others those with
  # the fewest returns may.
  rare <- rarer_than_most(frequency_part(returns$frequency, columns))
  own <- core_observed(returns$values[, columns, drop = FALSE])
  most <- max(if (any(rare)) own[rare] else own)
  doubtful <- utils::head(setdiff(order(own), which(rare)), 5L)
  if (length(columns) > 1L && length(doubtful) && n < 0.98 * most) {
    without <- vapply(doubtful, function(j) shared(columns[-j]), 0L)
    gained <- max(without)
    j <- doubtful[which.max(without)]
    # Several that came late together cost nothing one by one.
    several <- match(short_ones(returns, columns), columns)
    if (length(several) > 1L && shared(columns[-several]) > gained * 1.02) {
      j <- several
      gained <- shared(columns[-several])
    }
    if (gained > n * 1.02) {
      span <- core_span(returns$values[, columns[j], drop = FALSE])
      cost <- sprintf(
        "%s of %s returns: %s them from %s to %s only",
        count(n),
        count(gained),
        paste(some(book$security[j]), if (length(j) == 1L) "has" else "have"),
        returns$dates[max(span$first)],
        returns$dates[min(span$last)]
      )
      said <- c(said, cost)
      if (n < 0.75 * gained) warn_short_history(book, j, n, gained)
    }
  }
  said
}

warn_short_history <- function(book, j, n, gained) {
  caution(
    "short_history",
    sprintf(
      paste0(
        "%s %s %s much of its history: the holdings have %s returns together, %s ",
        "without %s."
      ),
      some(book$security[j]),
      if (length(j) == 1L) "costs" else "cost",
      book$name,
      count(n),
      count(gained),
      if (length(j) == 1L) "it" else "them"
    ),
    remedy = sprintf(
      paste0(
        "Name a series that stands in for it before its first price: `stand_ins = c(%s = ",
        "\"INDEX\")`."
      ),
      book$security[j[1L]]
    )
  )
}

life_of <- function(prices, securities) {
  span <- core_span(prices$close[, securities, drop = FALSE])
  from <- max(span$first)
  to <- min(span$last)
  if (to - from < 1L) {
    fail(
      "too_short",
      "The securities of the book have fewer than two dates together.",
      where = sprintf("%s starts on %s.", securities[which.max(span$first)], prices$dates[from])
    )
  }
  if (from > min(span$first) || to < max(span$last)) {
    note(
      "book_life",
      sprintf(
        "The book lives from %s to %s, between the first price of %s and the last of %s.",
        prices$dates[from],
        prices$dates[to],
        securities[which.max(span$first)],
        securities[which.min(span$last)]
      )
    )
  }
  from:to
}

# Where a holding has prices less often than the others, the book is valued only when it has one:
# in between it would stand still while the others move.
life_together <- function(prices, securities, life) {
  close <- prices$close[life, securities, drop = FALSE]
  frequency <- frequencies_of(prices$dates[life], close)
  rare <- rarer_than_most(frequency)
  if (!any(rare)) return(life)
  kept <- life[rowSums(is.na(close[, rare, drop = FALSE])) == 0L]
  if (length(kept) < 2L) {
    fail(
      "too_short",
      sprintf("%s have fewer than two dates together.", some(securities[rare])),
      where = sprintf("They are %s.", some(adverb_of(unique(frequency$every[rare]))))
    )
  }
  note(
    "frequency",
    sprintf(
      "The book is valued on %s of its %s, those on which %s a price: it is %s.",
      count(length(kept)),
      count(length(life), "date"),
      paste(some(securities[rare]), if (sum(rare) == 1L) "has" else "have"),
      adverb_of(calendar_every(prices$dates[kept]))
    ),
    remedy = "Take returns by a longer period, or carry prices forward, for another calendar."
  )
  kept
}

rebalanced <- function(dates, rebalance) {
  if (rebalance == "never") return(logical(length(dates)))
  period <- frequencies[[rebalance]]$period(dates)
  c(period[-1L] != period[-length(period)], FALSE)
}

# Given returns as prices from 1; where a return is missing, so is the price.
as_if_prices <- function(returns) {
  values <- core_wealth(returns$values, returns$kind)
  colnames(values) <- colnames(returns$values)
  before <- returns$dates[1L] - stats::median(diff(as.numeric(returns$dates)))
  list(dates = c(before, returns$dates), close = values)
}

# The value of the book on each date of its life.
value_then <- function(book) {
  prices <- if (book$given) as_if_prices(book$returns) else book$returns$prices
  whole <- life_of(prices, book$security)
  life <- life_together(prices, book$security, whole)
  # The last price before a date counts, also one of a date on which the book is not valued.
  known <- seq_len(whole[length(whole)])
  values <- prices$close[known, book$security, drop = FALSE]
  stood <- is.na(values[life, , drop = FALSE])
  for (j in seq_len(ncol(values))) {
    values[, j] <- core_carry(values[, j, drop = FALSE], nrow(values))
  }
  values <- values[life, , drop = FALSE]
  dates <- prices$dates[life]
  if (is.null(book$shares)) {
    held <- whole_weights(book$own, book$normalise)
    held$start <- 100
  } else {
    start <- sum(book$shares * values[1L, ]) + book$money
    if (!(start > 0)) {
      fail(
        "ruin",
        sprintf("The holdings of %s are worth %s at the start.", book$name, format(start))
      )
    }
    held <- list(
      amount = book$shares * values[1L, ] / start,
      cash = book$money / start,
      start = start
    )
  }
  per_year <- frequencies_of(dates, values[, 1L, drop = FALSE])$per_year[[1L]]
  rate <- (1 + book$cash_return)^(1 / per_year)
  worth <- core_book_value(
    values,
    held$amount,
    held$cash,
    rate,
    rebalanced(dates, book$rebalance),
    held$start
  )
  if (!is.na(worth$ruin)) {
    fail(
      "ruin",
      sprintf("The value of %s falls to zero or below.", book$name),
      where = sprintf("On %s.", dates[worth$ruin])
    )
  }
  list(
    dates = dates,
    value = worth$value,
    close = values,
    stood = stood,
    amount = held$amount,
    cash = held$cash,
    rate = rate,
    again = rebalanced(dates, book$rebalance)
  )
}

# `held`: the reading that a measure takes by itself.
book_returns <- function(book, held) {
  held <- book$held %||% held
  made <- if (held == "today") {
    returns_today(book)
  } else if (is.null(book$dated)) {
    returns_then(book)
  } else {
    returns_dated(book)
  }
  # As it was held by dates, what lies between prices is the last that was known, and said there.
  dated <- held == "then" && !is.null(book$dated)
  made$book <- list(
    name = book$name,
    between = if (!dated) book$between$words,
    held = if (held == "today") today_words(book) else then_words(book),
    text = if (held == "today") {
      holdings_text(book)
    } else if (!is.null(book$dated)) {
      dated_text(book)
    } else if (is.null(book$shares)) {
      weights_then_text(book)
    } else {
      shares_text(book)
    },
    history = book$history,
    until = until_words(book$ended),
    opening = book$between$opening,
    currency = book$currency,
    weights = stats::setNames(book$weights, book$security)
  )
  money <- c(
    book$value, if (book$parts && !is.null(book$value)) abs(book$weights) * book$value
  )
  if (!is.null(money) && !is_neutral(book)) {
    made$money <- stats::setNames(money, c(book$name, if (book$parts) names_of_parts(book)))
  }
  # What stands beside a book as held today is in the book.
  if (is.null(made$today)) made$beside <- book$returns
  made$shown_from <- book$returns$shown_from
  made
}

# Of prices that were cut before their last date, today is the date of the cut.
today_words <- function(book) {
  prices <- book$returns$prices
  if (is.null(prices$ends_before)) return("as held today")
  sprintf("as held on %s", prices$dates[length(prices$dates)])
}

then_words <- function(book) {
  if (!is.null(book$dated)) return("as it was held")
  how <- if (book$rebalance == "never") {
    "never rebalanced"
  } else {
    sprintf("rebalanced every %s", book$rebalance)
  }
  paste("as held then,", how)
}

returns_then <- function(book) {
  if (is_neutral(book)) return(profits_then(book))
  worth <- value_then(book)
  kind <- book$returns$kind
  columns <- if (book$parts) book$security
  if (book$given) {
    values <- `colnames<-`(core_returns(cbind(worth$value), kind == "log"), book$name)
    dates <- worth$dates[-1L]
    if (book$parts) {
      own <- book$returns$values[match(dates, book$returns$dates), columns, drop = FALSE]
      own <- own * rep(sign(book$weights), each = nrow(own))
      columns <- names_of_parts(book)
      values <- cbind(values, `colnames<-`(own, columns))
    }
    return(new_returns(
      dates,
      values,
      kind,
      Map(
        c,
        frequencies_of(dates, values[, 1L, drop = FALSE]),
        lapply(frequency_part(book$returns$frequency, book$security), stats::setNames, columns)
      ),
      start = rep(as.Date(NA), ncol(values)),
      prices = NULL,
      origin = book$returns$origin,
      digest = book_digest(book)
    ))
  }
  prices <- book$returns$prices
  parts <- if (book$parts) {
    held_closes(prices$close[match(worth$dates, prices$dates), columns, drop = FALSE], book)
  }
  as_book_returns(
    book,
    worth$dates,
    `colnames<-`(cbind(worth$value, parts), c(book$name, colnames(parts))),
    book$returns$stated,
    c(worth, list(name = book$name, security = book$security, shares = book$shares))
  )
}

# `then`: what it was worth, and how that came, for its working.
as_book_returns <- function(book, dates, close, every, then = NULL) {
  prices <- book$returns$prices
  made <- new_prices(dates, close, prices$origin, layout = prices$layout)
  made$universe <- c(prices$universe, book = book$name, short_name(book$security))
  made$repairs <- prices$repairs
  made$read <- read_of(prices)
  made$then <- then
  made <- altered(made, digest = book_digest(book))
  as_returns(
    made,
    kind = book$returns$kind,
    every = every,
    keep_unfinished = isTRUE(book$returns$keep_unfinished)
  )
}

# Of what was measured, what is held and how.
book_digest <- function(book) {
  digest::digest(
    list(
      book$returns$digest,
      book$security,
      book$own$amount,
      book$own$cash,
      book$own$what,
      book$weights,
      book$rebalance,
      book$cash_return,
      unname(book$stand_ins),
      book$carried,
      book$between$words,
      book$between$number,
      if (!is.null(book$dated)) unname(book$dated[c("told", "table", "cash", "trades")])
    ),
    algo = "xxhash64"
  )
}
