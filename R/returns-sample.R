# What each security's sample is: the dates of its first and last observation,
# how many there are, and what is not there.
sample_of <- function(dates, values, n = core_observed(values)) {
  days <- unclass(dates)
  # What has a value on every date need not be looked through for its first and last.
  span <- if (all(n == length(days)) && length(days)) {
    list(first = rep(1L, length(n)), last = rep(length(days), length(n)))
  } else {
    core_span(values)
  }
  sample <- list(
    from = .Date(days[span$first]),
    to = .Date(days[span$last]),
    first = span$first,
    last = span$last,
    n = n,
    inside = span$last - span$first + 1L - n,
    before = span$first - 1L,
    after = length(days) - span$last
  )
  none <- n == 0L
  if (any(none)) {
    sample$inside[none] <- 0L
    sample$before[none] <- length(days)
    sample$after[none] <- 0L
  }
  sample
}

# `rare`: securities that have prices less often than the others of their table, which lack
# nothing on dates in between.
dropped_of <- function(securities, sample, inside, rare) {
  if (!sum(sample$before, sample$after, sample$inside)) return(dropped_rows())
  reasons <- list(
    "before the first price" = sample$before,
    "after the last price" = sample$after,
    "dates of others between its own" = ifelse(rare, sample$inside, 0L)
  )
  reasons[[inside]] <- ifelse(rare, 0L, sample$inside)
  some <- lapply(reasons, function(n) which(n > 0L))
  dropped_rows(
    securities[unlist(some, use.names = FALSE)],
    rep(names(reasons), lengths(some)),
    as.integer(unlist(Map(`[`, reasons, some), use.names = FALSE))
  )
}

# The basis of a measure of returns, made when it is read.
returns_basis_later <- function(returns, sample, ..., per_year = NA_real_,
                                every = returns$frequency$every) {
  if (under_way$blocks) {
    return(returns_basis(returns, sample, ..., per_year = per_year, every = every))
  }
  basis_later("returns_basis", returns, list(
    sample = sample, ..., per_year = per_year, every = every
  ))
}

returns_basis <- function(returns, sample, ..., per_year = NA_real_, choices = character(),
                          every = returns$frequency$every, securities = colnames(returns$values)) {
  known <- as.numeric(c(sample$from, sample$to))
  known <- known[!is.na(known)]
  # Of no dates there are no ends.
  ends <- .Date(if (length(known)) range(known) else c(NA_real_, NA_real_))
  made <- new_basis(
    from = ends[1L],
    to = ends[2L],
    observations = stats::setNames(sample$n, securities),
    dropped = dropped_of(
      securities,
      sample,
      if (returns$kind == "profit") {
        "without a number"
      } else if (is.null(returns$prices)) {
        "without a return"
      } else {
        "without a price, spanned by the next return"
      },
      rarer_than_most(returns$frequency)[securities] %in% TRUE
    ),
    kind = returns$kind,
    every = every,
    per_year = if (length(unique(per_year)) == 1L) per_year[[1L]] else NA_real_,
    choices = c(
      book_words(returns$book),
      conversion_words(
        if (is.null(returns$prices$converted)) beside_of(returns)$prices else returns$prices,
        c(securities, names(returns$book$weights))
      ),
      choices,
      if (!anyNA(per_year)) year_words(returns$frequency, per_year)
    ),
    repairs = returns$prices$repairs,
    origin = returns$origin,
    digest = returns$digest,
    ...
  )
  made$currency <- currency_of(returns, securities)
  made$book <- returns$book[intersect(
    c("name", "held", "until", "opening"), names(returns$book)
  )]
  asked_of_block(made, list(
    x = returns, frequency = returns$frequency, sample = sample, per_year = per_year,
    choices = choices, every = every, securities = securities, more = list(...)
  ))
}

# The basis of a measure of prices, made when it is read.
prices_basis_later <- function(prices, sample, frequency, ..., per_year = NA_real_,
                               every = frequency$every) {
  if (under_way$blocks) {
    return(prices_basis(prices, sample, frequency, ..., per_year = per_year, every = every))
  }
  basis_later("prices_basis", prices, list(
    sample = sample, frequency = frequency, ..., per_year = per_year, every = every
  ))
}

prices_basis <- function(prices, sample, frequency, ..., per_year = NA_real_,
                         choices = character(), every = frequency$every,
                         securities = colnames(prices$close)) {
  made <- new_basis(
    per_year = if (length(unique(per_year)) == 1L) per_year[[1L]] else NA_real_,
    choices = c(choices, if (!anyNA(per_year)) year_words(frequency, per_year)),
    from = min(sample$from),
    to = max(sample$to),
    observations = stats::setNames(sample$n, securities),
    dropped = dropped_of(securities, sample, "without a price", rarer_than_most(frequency)),
    kind = "price",
    every = every,
    repairs = prices$repairs,
    origin = prices$origin,
    digest = prices$digest,
    ...
  )
  asked_of_block(made, list(
    x = prices, frequency = frequency, sample = sample, per_year = per_year,
    choices = choices, every = every, securities = securities, more = list(...)
  ))
}

# While blocks are measured a basis says what it was made of, so that that of the whole can be made
# of several.
under_way <- new.env(parent = emptyenv())
under_way$blocks <- FALSE

# What is said of several securities together, by `words`, of `data` by their names.
told_together <- function(data, words) {
  text <- words(data)
  if (under_way$blocks) {
    under_way$told <- c(under_way$told, list(list(text = text, data = data, words = words)))
  }
  text
}

# How many of the whole table these `n` securities of it are, less what stands beside them.
in_whole_table <- function(returns, n) {
  whole <- returns$prices$block
  if (is.null(whole)) n else whole - (ncol(returns$values) - n)
}

asked_of_block <- function(made, asked) {
  if (under_way$blocks) attr(made, "asked") <- c(asked, list(made = made))
  made
}

# What money is counted in, where that is known to be one currency for all.
currency_of <- function(returns, securities) {
  if (!is.null(returns$book$currency)) return(returns$book$currency)
  prices <- returns$prices
  if (!is.null(prices$converted$rates)) return(prices$converted$base)
  own <- unique(prices$about$currency[match(securities, prices$about$security)])
  if (length(own) == 1L && !is.na(own)) own
}

book_words <- function(book) {
  if (is.null(book)) return(NULL)
  c(
    stats::setNames(sprintf("%s: %s", book$held, book$text), book$name),
    if (length(book$history)) c(history = paste(book$history, collapse = "; ")),
    if (length(book$between)) c(between = paste(book$between, collapse = "; ")),
    if (length(book$until)) {
      c("ends early" = sub("^Up to (.*) only, (.*): $", "\\1, \\2", book$until))
    }
  )
}

# Periods a year of each security: those of its own, or the number given for all.
check_per_year <- function(per_year, x) {
  own <- x$frequency$per_year
  if (is.null(per_year)) own else replace(own, TRUE, check_positive(per_year, "per_year"))
}

# `known`: what a book, and its holdings, are worth.
check_value <- function(value, securities, known = NULL) {
  if (!is.null(known)) {
    if (!is.null(value)) {
      fail(
        "argument",
        "What the book is worth is known: leave `value` out.",
        where = sprintf("It is %s.", format(known[[1L]], big.mark = ",", nsmall = 0L))
      )
    }
    return(unname(known[securities]))
  }
  if (is.null(value)) return(NULL)
  ok <- is.numeric(value) &&
    length(value) %in% c(1L, length(securities)) && all(is.finite(value)) && all(value > 0)
  if (!ok) {
    fail(
      "argument",
      "`value` must be above 0: one number, or one for each security.",
      where = sprintf("It is %s.", shown(value))
    )
  }
  if (!is.null(names(value))) value <- value[pick_securities(securities, names(value))]
  rep_len(as.numeric(value), length(securities))
}

# The simple returns of some securities over the intervals that they share.
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
