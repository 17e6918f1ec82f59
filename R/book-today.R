# A book as held today: the returns of its holdings over the past, by the weights of today.

# The simple returns of the holdings over the intervals for which all have one.
book_today <- function(book) {
  if (!inherits(book, "imbroglio_book")) refuse_no_book(book)
  refuse_neutral(book, "this is asked in percent of the book")
  sample_today(first_drawing(book))
}

sample_today <- function(book) {
  returns <- book$returns
  columns <- match(book$security, colnames(returns$values))
  shared <- shared_sample(returns, book$security)
  if (!length(shared$dates)) {
    fail(
      "too_short",
      "The holdings have no return together.",
      where = sprintf("They are %s.", some(book$security))
    )
  }
  frequency <- frequency_together(book, columns, shared$dates)
  list(
    name = book$name,
    security = book$security,
    weights = book$weights,
    cash = book$cash,
    value = book$value,
    r = shared$r,
    dates = shared$dates,
    start = shared$start,
    frequency = lapply(frequency, stats::setNames, book$name),
    book = book
  )
}

# How often the book has a return: of holdings of several frequencies, what their dates together
# make.
frequency_together <- function(book, columns, dates) {
  returns <- book$returns
  frequency <- frequency_part(returns$frequency, columns)
  if (every_of_all(frequency) != "mixed") return(frequency_part(frequency, 1L))
  # In the life of the book: what came late is another matter.
  span <- core_span(returns$values[, columns, drop = FALSE])
  alive <- seq_len(nrow(returns$values)) >= max(span$first) &
    seq_len(nrow(returns$values)) <= min(span$last)
  own <- core_observed(returns$values[alive, columns, drop = FALSE])
  rarest <- which.min(own)
  if (length(dates) < 0.75 * own[rarest]) {
    caution(
      "short_history",
      sprintf(
        "The holdings of %s have prices together on few dates: %s has %s, the book %s.",
        book$name,
        book$security[rarest],
        count(own[rarest], "return"),
        count(length(dates))
      ),
      remedy = sprintf(
        "Take returns by a longer period that all have: every = \"%s\".",
        frequency$every[rarest]
      )
    )
  }
  frequency <- frequencies_of(dates, matrix(1, length(dates), 1L))
  note(
    "frequency",
    sprintf(
      paste0(
        "The holdings have %s returns together: a period of the book, and of its ",
        "horizon, is a %s."
      ),
      adverb_of(frequency$every),
      frequency$every
    )
  )
  frequency
}

returns_today <- function(book) {
  if (is_neutral(book)) return(profits_today(book))
  today <- book_today(book)
  R <- as.vector(today$r %*% today$weights)
  in_logs <- book$returns$kind == "log"
  simple <- `colnames<-`(
    cbind(R, if (book$parts) today$r * rep(sign(book$weights), each = nrow(today$r))),
    c(book$name, if (book$parts) names_of_parts(book))
  )
  values <- if (in_logs) log1p(pmax(simple, -1)) else simple
  each <- function(x) stats::setNames(rep(x, ncol(values)), colnames(values))
  frequency <- lapply(today$frequency, each)
  made <- new_returns(
    today$dates,
    values,
    book$returns$kind,
    frequency,
    start = rep(today$start, ncol(values)),
    prices = NULL,
    origin = book$returns$origin,
    digest = book_digest(book)
  )
  # As a path from 100 it can be set beside a benchmark over the same intervals, unless it would
  # have lost all.
  if (!book$given && all(simple > -1)) {
    path <- 100 * rbind(1, apply(1 + simple, 2L, cumprod))
    made$prices <- new_prices(
      c(today$start, today$dates),
      `colnames<-`(path, colnames(values)),
      book$returns$origin
    )
    made$prices$repairs <- book$returns$prices$repairs
    made$prices$read <- read_of(book$returns$prices)
  }
  made$universe <- c(book$returns$universe, book = book$name, short_name(book$security))
  made$stated <- book$returns$stated
  made$today <- today
  made
}

# What a book holds, on other returns; `carried`: see as_portfolio().
held_on <- function(book, returns, carried = book$carried) {
  if (!is.null(book$dated)) return(dated_on(book, returns))
  amounts <- if (is.null(book$shares)) book$weights else book$shares
  arguments <- list(
    returns,
    rebalance = book$rebalance,
    cash_return = book$cash_return,
    cash = if (is.null(book$shares)) book$cash else book$money,
    value = if (is.null(book$shares)) book$value,
    held = book$held,
    name = book$name,
    stand_ins = book$stand_ins,
    carried = carried,
    between = book$between$way,
    benchmark = book$bridged_by,
    bridges = book$between$drawings %||% 1L,
    seed = book$seed
  )
  arguments[[if (is.null(book$shares)) "weights" else "shares"]] <- stats::setNames(
    amounts, book$security
  )
  do.call(as_portfolio, arguments)
}

# A book that holds other amounts, by their names: to be made anew by held_on().
with_amounts <- function(book, amounts, cash) {
  # Other amounts are of today.
  book["dated"] <- list(NULL)
  in_shares <- !is.null(book$shares)
  book$security <- names(amounts)
  book[[if (in_shares) "shares" else "weights"]] <- unname(amounts)
  book[[if (in_shares) "money" else "cash"]] <- cash
  book["stand_ins"] <- list(book$stand_ins[names(book$stand_ins) %in% names(amounts)])
  book["carried"] <- list(if (!is.null(book$carried)) intersect(book$carried, names(amounts)))
  book
}

# A book or a table as it was on a day; `uncut`: its prices from the beginning, where it is only of
# the `last` of them.
as_on_day <- function(x, day, uncut = NULL, last = NULL) {
  book <- inherits(x, "imbroglio_book")
  own <- if (book) priced_of(x) else take_returns(x, profits = TRUE)
  then <- stats::window(uncut %||% own$prices %||% own, end = day, last = last)
  if (!inherits(then, "imbroglio_returns")) {
    then <- as_returns(then, kind = own$kind, every = own$stated)
  }
  if (!book) return(then)
  held_on(x, then, if (!is.null(then$prices)) stopped_by(then$prices, x$carried))
}

# Of these holdings those that have no price on the last date.
stopped_by <- function(prices, carried) {
  own <- core_span(prices$close[, carried, drop = FALSE])$last
  if (any(own < nrow(prices$close))) carried[own < nrow(prices$close)]
}

# What each holding of a book added to each of its returns: its weight at the close before, times
# its own return. Parts add up to the simple return of the book; what is left is of its cash.

# `dates`: the close at which each return ends; `start`: the close before the first; `weight`: at
# the close before each.
parts_of_book <- function(book, held = "then") {
  held <- book$held %||% held
  if (held == "today") {
    today <- suppressMessages(book_today(book), classes = "imbroglio_note")
    weight <- matrix(today$weights, nrow(today$r), length(today$weights), byrow = TRUE)
    return(list(
      dates = today$dates,
      start = today$start,
      security = today$security,
      weight = weight,
      own = today$r,
      part = weight * today$r,
      whole = as.vector(today$r %*% today$weights)
    ))
  }
  if (!is.null(book$dated)) return(parts_dated(book))
  # What is to be said of its life was said when the book was measured.
  worth <- suppressMessages(value_then(book), classes = "imbroglio_note")
  n <- length(worth$dates)
  # The row at which each row's weights were last set right.
  set <- cummax(ifelse(c(TRUE, worth$again[-1L]), seq_len(n), 0L))[-n]
  close <- worth$close
  before <- worth$value[-n]
  shares <- rep(worth$amount, each = n - 1L) * worth$value[set] / close[set, , drop = FALSE]
  earlier <- close[-n, , drop = FALSE]
  list(
    dates = worth$dates[-1L],
    start = worth$dates[1L],
    security = book$security,
    weight = shares * earlier / before,
    own = (close[-1L, , drop = FALSE] - earlier) / earlier,
    part = shares * (close[-1L, , drop = FALSE] - earlier) / before,
    whole = worth$value[-1L] / before - 1
  )
}

# The same over several returns, from the close of `from` to that of `to`: what was earned on the
# way is earned on.
parts_between <- function(parts, from, to) {
  rows <- which(parts$dates > from & parts$dates <= to)
  grown <- cumprod(c(1, 1 + parts$whole[rows]))
  list(
    weight = parts$weight[rows[1L], ],
    own = apply(1 + parts$own[rows, , drop = FALSE], 2L, prod) - 1,
    part = colSums(grown[-length(grown)] * parts$part[rows, , drop = FALSE]),
    whole = grown[length(grown)] - 1
  )
}
