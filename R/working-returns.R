# What the working of a measure of returns begins with: the prices of one security, and the step
# from them to its returns.

# `from`, `to`: the first and last return that is used, where not all are.
rows_of_security <- function(returns, security, from = NULL, to = NULL, name = "return") {
  if (identical(returns$today$name, security)) return(rows_of_book(returns, from, to, name))
  there <- which(!is.na(returns$values[, security]))
  dates <- returns$dates[there]
  r <- unname(returns$values[there, security])
  prices <- prices_behind(returns, security, dates, r)
  # Of the whole sample the basis says what is missing.
  gaps <- 0L
  if (!is.null(from)) {
    span <- returns$dates >= from & returns$dates <= to %||% dates[length(dates)]
    gaps <- sum(is.na(returns$values[span, security]))
  }
  if (is.null(prices)) {
    rows <- rows_of_working(
      "returns",
      sprintf("%s of %s", kind_words(returns), security),
      stats::setNames(list(r), name),
      dates,
      from %||% dates[1L],
      to %||% dates[length(dates)],
      window = !is.null(from) || !is.null(to)
    )
    rows$gaps <- gaps
    own <- stats::setNames(security, name)
    return(list(rows = with_sources(rows, returns, own, returns$kind), steps = list()))
  }
  # The price before the first return is a row of its own.
  all_dates <- c(prices$start, dates)
  first <- if (is.null(from)) 1L else match(as.numeric(from), as.numeric(dates))
  held <- held_then(returns, security, all_dates, first)
  rows <- rows_of_prices(
    closes_text(security, held),
    held$columns %||% list(price = prices$close),
    all_dates,
    all_dates[first],
    to %||% all_dates[length(all_dates)],
    window = !is.null(from) || !is.null(to),
    stood = held$stood,
    gaps = gaps
  )
  list(
    rows = with_sources(rows, returns, held$of %||% c(price = security)),
    steps = c(held$steps, list(return_step(returns$kind, name)))
  )
}

# With whose each column is (`own`, by its name), where it stands so in what was read: not where a
# book made, carried or drew it. `left_out`: how many of these values lie between the dates in use
# and are none of the rows; `later`: behind the last of all rows.
with_sources <- function(rows, returns, own, holds = "close") {
  used <- rows_used(rows)
  dates <- as.numeric(rows$dates)
  rows$holds <- holds
  for (column in names(own)) {
    x <- rows$columns[[column]]
    there <- which(is.finite(x))
    for (series in series_read(returns, own[[column]], holds)) {
      at <- match(dates[there], as.numeric(series$dates))
      as_read <- length(there) > 0L && !anyNA(at) &&
        all(abs(series$values[at] - x[there]) <= 1e-13 * pmax(1, abs(x[there])))
      if (!as_read) next
      span <- rows$dates[range(intersect(there, used))]
      between <- series$dates >= span[1L] & series$dates <= span[2L]
      rows$of[column] <- own[[column]]
      rows$left_out[column] <- sum(between) - sum(is.finite(x[used]))
      if (!rows$window && span[2L] == rows$dates[length(rows$dates)]) {
        rows$later[own[[column]]] <- sum(series$dates > span[2L])
      }
    }
  }
  rows
}

# What was read of a security: its closes, or the returns between them, or those that were given.
series_read <- function(returns, security, holds) {
  given <- is.null(returns$prices)
  tables <- if (given) list(returns$read) else read_of(returns$prices)
  tables <- Filter(function(table) security %in% colnames(table$values), tables)
  lapply(tables, function(table) {
    known <- which(is.finite(table$values[, security]))
    x <- unname(table$values[known, security])
    if (given || holds == "close") return(list(dates = table$dates[known], values = x))
    each <- x[-1L] / x[-length(x)]
    list(dates = table$dates[known[-1L]], values = if (holds == "log") log(each) else each - 1)
  })
}

# Of a book its holdings have the prices.
rows_of_prices <- function(words, columns, dates, from, to, window, priced = TRUE,
                           unused = NULL, stood = NULL, gaps = 0L) {
  rows <- rows_of_working("prices", words, columns, dates, from, to, window = window)
  rows$priced <- priced
  rows$unused <- unused
  rows$stood <- stood
  rows$gaps <- gaps
  rows
}

# How many values of each series between the first and the last of `dates` are on none of them.
unused_of <- function(values, dates, used) {
  span <- dates >= used[1L] & dates <= used[length(used)]
  other <- span & !as.numeric(dates) %in% as.numeric(used)
  found <- colSums(!is.na(values[other, , drop = FALSE]))
  found[found > 0]
}

closes_text <- function(series, held = NULL) {
  series <- unique(series)
  if (is.null(held)) return(sprintf("closes of %s", some(series)))
  sprintf(
    "closes of %s, of which %s is made", some(c(held$security, setdiff(series, held$name)), 12L),
    held$name
  )
}

return_step <- function(kind, name = "return", price = quote(price), of = NULL) {
  simple <- bquote(.(price) / before(.(price)) - 1)
  in_logs <- bquote(ln(.(price) / before(.(price))))
  words <- paste(c(if (kind == "log") "log return" else "return", of), collapse = " of ")
  if (kind == "log") {
    step(name, in_logs, words, "fraction", list("simple returns" = simple))
  } else {
    step(name, simple, words, "fraction", list("log returns" = in_logs))
  }
}

# What is another expression of simple returns than of log returns: the one that is taken, and the
# other as what it could be. Profits have one kind only, `added`.
of_kind <- function(kind, simple, log, added = simple) {
  switch(
    kind,
    log = list(taken = log, others = list("simple returns" = simple)),
    profit = list(taken = added),
    list(taken = simple, others = list("log returns" = log))
  )
}

# Where not all that follows is another expression of the other kind, the kind is no choice.
without_kinds <- function(steps) {
  lapply(Filter(Negate(is.null), steps), function(s) {
    s$others <- s$others[setdiff(names(s$others), c("simple returns", "log returns"))]
    s
  })
}

kind_words <- function(returns) {
  every <- unique(returns$frequency$every)
  paste(
    if (length(every) == 1L) sentence_case(adverb_of(every)) else "All",
    if (returns$kind == "profit") "profits" else paste(returns$kind, "returns")
  )
}

# The closes that returns were taken of, where they give the same numbers: the price before the
# first, and those of the dates.
prices_behind <- function(returns, security, dates, r) {
  prices <- returns$prices
  start <- returns$start[match(security, colnames(returns$values))]
  if (is.null(prices) || is.na(start) || !length(r) || !security %in% colnames(prices$close)) {
    return(NULL)
  }
  rows <- match(as.numeric(c(start, dates)), as.numeric(prices$dates))
  if (anyNA(rows)) return(NULL)
  close <- unname(prices$close[rows, security])
  again <- if (returns$kind == "log") {
    log(close[-1L] / close[-length(close)])
  } else {
    close[-1L] / close[-length(close)] - 1
  }
  same <- !anyNA(again) && all(abs(again - r) <= 1e-13 * pmax(1, abs(r)))
  if (same) list(start = start, close = close)
}

# Several series over the intervals that all have. `series`: which, by what they are called in the
# steps; the first has plain names. `among`: those that must have the intervals, more than these
# where more were measured together.
rows_of_several <- function(returns, series, from = NULL, to = NULL, kind = returns$kind,
                            among = unname(series)) {
  at <- match(among, colnames(returns$values))
  common <- core_common(
    returns$values[, at, drop = FALSE],
    starts_of(returns)[at],
    spans_gaps(returns),
    returns$kind == "log"
  )
  dates <- returns$dates[common$row]
  of_these <- match(series, among)
  values <- common$values[, of_these, drop = FALSE]
  prices <- shared_prices(returns, at, common$row, common$values)
  prices$close <- prices$close[, of_these, drop = FALSE]
  shared <- if (length(among) > length(series)) count(length(among), "security", "securities")
  made <- if (is.null(prices)) {
    rows_of_shared_returns(returns, series, values, dates, from, to, shared)
  } else {
    rows_of_shared_closes(
      returns, series, prices, c(prices$start, dates), from, to, kind, shared, among
    )
  }
  c(made, list(dates = dates, values = values))
}

rows_of_shared_returns <- function(returns, series, values, dates, from, to, shared) {
  begins <- from %||% dates[1L]
  ends <- to %||% dates[length(dates)]
  columns <- stats::setNames(
    lapply(seq_along(series), function(j) values[, j]), paste0(names(series), "return")
  )
  rows <- rows_of_working(
    "returns",
    sprintf(
      "%s of %s over the intervals that %s share", kind_words(returns), some(series),
      if (is.null(shared)) "they" else paste("all", shared)
    ),
    columns,
    dates,
    begins,
    ends,
    window = !is.null(from) || !is.null(to)
  )
  rows$unused <- unused_of(
    returns$values[, series, drop = FALSE], returns$dates, dates[dates >= begins & dates <= ends]
  )
  own <- stats::setNames(unname(series), names(columns))
  list(rows = with_sources(rows, returns, own, returns$kind), steps = list())
}

# `dates`: with that of the close before the first return.
rows_of_shared_closes <- function(returns, series, prices, dates, from, to, kind, shared,
                                  among) {
  prefix <- names(series)
  first <- if (is.null(from)) 1L else match(as.numeric(from), as.numeric(dates[-1L]))
  ends <- to %||% dates[length(dates)]
  # Of longer periods only the last closes count.
  at_ends <- as.numeric(returns$prices$dates) %in% as.numeric(c(returns$start, returns$dates))
  held <- NULL
  columns <- own <- list()
  for (j in seq_along(series)) {
    name <- paste0(prefix[j], "price")
    of_book <- held_then(returns, series[j], dates, first, name)
    held <- held %||% of_book
    own <- c(own, of_book$of %||% stats::setNames(series[[j]], name))
    columns <- c(columns, of_book$columns %||% stats::setNames(list(prices$close[, j]), name))
  }
  rows <- rows_of_prices(
    if (length(unique(among)) > 1L) {
      sprintf(
        "%s on the dates that all %s have", closes_text(series, held), shared %||% "of them"
      )
    } else {
      closes_text(series, held)
    },
    columns,
    dates,
    dates[first],
    ends,
    window = !is.null(from) || !is.null(to),
    priced = "" %in% prefix,
    unused = unused_of(
      returns$prices$close[at_ends, series, drop = FALSE], returns$prices$dates[at_ends],
      dates[dates >= dates[first] & dates <= ends]
    ),
    stood = held$stood
  )
  list(
    rows = with_sources(rows, returns, unlist(own)),
    steps = c(held$steps, return_steps(kind, prefix, series))
  )
}

# Of one kind all of them: the other kind is one choice.
return_steps <- function(kind, prefix, series) {
  steps <- lapply(seq_along(series), function(j) {
    name <- paste0(prefix[j], c("return", "price"))
    return_step(kind, name[1L], as.name(name[2L]), series[j])
  })
  together <- stats::setNames(
    lapply(steps, function(s) s$others[[1L]]),
    vapply(steps, `[[`, "", "name")
  )
  otherwise <- names(steps[[1L]]$others)
  steps <- without_others(steps)
  steps[[1L]]$others <- stats::setNames(list(together), otherwise)
  steps
}

# Closes on shared dates, where they give the returns over shared intervals.
shared_prices <- function(returns, at, rows, r) {
  prices <- returns$prices
  if (is.null(prices) || !length(rows) || !spans_gaps(returns)) return(NULL)
  series <- colnames(returns$values)[at]
  if (!all(series %in% colnames(prices$close))) return(NULL)
  close <- prices$close[, series, drop = FALSE]
  days <- as.numeric(prices$dates)
  ends <- match(as.numeric(returns$dates[rows]), days)
  known <- which(rowSums(is.na(close)) == 0)
  earlier <- known[known %in% match(as.numeric(c(returns$start[at], returns$dates)), days)]
  earlier <- earlier[earlier < ends[1L]]
  if (anyNA(ends) || !length(earlier)) return(NULL)
  close <- unname(close[c(max(earlier), ends), , drop = FALSE])
  n <- nrow(close)
  again <- close[-1L, , drop = FALSE] / close[-n, , drop = FALSE]
  again <- if (returns$kind == "log") log(again) else again - 1
  same <- !anyNA(again) && all(abs(again - r) <= 1e-12 * pmax(1, abs(r)))
  if (same) list(start = prices$dates[max(earlier)], close = close)
}

# The steps to the returns, where the rows that a working is over have the prices they are of.
sample_steps <- function(sample, rows) {
  begins <- names(sample$rows$columns)[1L]
  if (any(vapply(rows, function(r) begins %in% names(r$columns), NA))) sample$steps
}

# Names that can stand in a formula, of which a spreadsheet tells no letters apart by their case;
# none with which a step begins ("total_return" is no return of TOTAL).
unique_names <- function(x) {
  plain <- gsub("[^A-Za-z0-9]+", "_", x)
  plain <- ifelse(grepl("^[A-Za-z]", plain), plain, paste0("s", plain))
  begins <- tolower(plain) %in% step_beginnings
  plain[begins] <- paste0("s_", plain[begins])
  paste0(plain, substring(make.unique(tolower(plain), sep = "_"), nchar(plain) + 1L))
}

step_beginnings <- c(
  "active", "average", "benchmark", "beside", "book", "cash", "cash_grown", "component", "day",
  "excess", "gross", "index", "largest", "local", "one_period", "other", "over", "own", "rate",
  "risk_free", "shared", "total", "whole", "worth"
)

# An expression that adds others up.
added_up <- function(terms) Reduce(function(a, b) call("+", a, b), terms)
