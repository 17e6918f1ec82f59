# The trades that bring a broken limit of a book back within: of one holding, of the fewest, of all
# in proportion. What is sold becomes cash; what is bought back is paid with it.

# `words` and what the estimate would be `after` the first of them; NULL where there is none.
trade_within <- function(line, request) {
  book <- request$book
  if (is.null(book) || !is.null(book$held) && book$held != "today") return(NULL)
  if (is_neutral(book)) return(NULL)
  trades <- limit_measures()[[line$measure]]$trades
  if (trades == "weight") return(trade_of_weight(line, request))
  if (!line$of %in% book$name || trades != "measured") return(NULL)
  if (!is.na(line$period)) return(NULL)
  measured <- measured_by_weights(line, request)
  if (is.null(measured)) return(NULL)
  limit <- if (is.na(line$unit)) line$limit else line$limit / book$value
  ways <- Filter(Negate(is.null), list(
    by_one(book, measured, limit), by_fewest(book, measured, limit),
    in_proportion(book, measured, limit)
  ))
  if (!length(ways)) {
    least <- measured$value(0 * book$weights)
    return(list(
      words = "no sale of what is held brings it within",
      after = if (is.na(line$unit)) least else least * book$value
    ))
  }
  said <- vapply(ways, `[[`, "", "words")
  ways <- ways[!duplicated(said)]
  after <- measured$value(ways[[1L]]$weights)
  list(
    words = paste0(paste(unique(said), collapse = ", or "), cash_words(book, ways[[1L]]$weights)),
    after = if (is.na(line$unit)) after else after * book$value
  )
}

# The measure of the limit as a function of the weights: its `value`, and how it grows with each.
measured_by_weights <- function(line, request) {
  record <- if (line$measure != "volatility") known_var_methods()[[line$method]]
  if (length(record$chance) || !is.null(record$blocks)) return(NULL)
  samples <- lapply(request$books, function(book) {
    today <- suppressMessages(book_today(book), classes = "imbroglio_note")
    n <- nrow(today$r)
    today$X <- today$r[(n - line$window + 1L):n, , drop = FALSE]
    today
  })
  first <- samples[[1L]]
  in_logs <- request$book$returns$kind == "log"
  periods <- if (!is.null(record)) periods_of_time(line$horizon, first$frequency)
  how <- if (!is.null(record)) {
    requested(request$book$returns, line$level)
  }
  one <- function(sample, w) {
    R <- as.vector(sample$X %*% w)
    if (line$measure == "volatility") {
      return(stats::sd(if (in_logs) log1p(R) else R) * sqrt(first$frequency$per_year[[1L]]))
    }
    how$log <- FALSE
    how$errors <- "none"
    how$h <- periods
    how$scale <- sqrt(periods)
    how$by <- record$ways[1L]
    record$whole(matrix(R), how)[[line$measure]][1L]
  }
  list(
    value = function(w) mean(vapply(samples, one, 0, w = w)),
    # By the regression of each holding on the book.
    slope = function(w) {
      rowMeans(matrix(vapply(samples, function(sample) {
        R <- as.vector(sample$X %*% w)
        as.vector(stats::cov(sample$X, R)) / stats::var(R)
      }, numeric(length(w))), nrow = length(w)))
    }
  )
}

# Of single holdings the one that takes the smallest trade.
by_one <- function(book, measured, limit) {
  w <- book$weights
  tried <- lapply(which(w != 0), function(j) {
    if (measured$value(replace(w, j, 0)) > limit) return(NULL)
    replace(w, j, weight_within(w, j, measured$value, limit, book))
  })
  tried <- Filter(Negate(is.null), tried)
  if (!length(tried)) return(NULL)
  size <- vapply(tried, function(v) sum(abs(v - w)), 0)
  v <- tried[[which.min(size)]]
  list(words = traded_words(book, v), weights = v)
}

# Whole holdings, that of the highest marginal value first, and a part of the last.
by_fewest <- function(book, measured, limit) {
  w <- book$weights
  for (turn in seq_along(w)) {
    if (measured$value(w) <= limit) break
    gain <- ifelse(w == 0, -Inf, measured$slope(w) * sign(w))
    most <- which.max(gain)
    if (!(gain[most] > 0)) break
    w[most] <- weight_within(w, most, measured$value, limit, book)
  }
  if (measured$value(w) > limit) return(NULL)
  list(words = traded_words(book, w), weights = w)
}

# All holdings by the same share.
in_proportion <- function(book, measured, limit) {
  w <- book$weights
  if (sum(w != 0) < 2L) return(NULL)
  left <- left_within(function(left) measured$value(w * left), limit)
  if (is.na(left) || left <= 0) return(NULL)
  v <- vapply(seq_along(w), function(j) whole_shares(left, w[j], j, book), 0)
  # Whole shares of a hedge may leave a hair too much.
  for (turn in seq_len(20L)) {
    if (measured$value(v) <= limit) break
    left <- left * (1 - 1e-4)
    v <- vapply(seq_along(w), function(j) whole_shares(left, w[j], j, book), 0)
  }
  if (measured$value(v) > limit) return(NULL)
  moved <- sum(abs(v - w))
  list(
    words = sprintf(
      "all in proportion by %s %%%s", formatC(100 * (1 - left), format = "f", digits = 1L),
      if (is.null(book$value)) "" else sprintf(" (%s)", amount_of(book, moved))
    ),
    weights = v
  )
}

# The largest share that may be left for what it measures to be within, from above.
left_within <- function(at, limit) {
  steps <- seq(1, 0, length.out = 51L)
  inside <- which(vapply(steps, at, 0) <= limit)
  if (!length(inside)) return(NA_real_)
  low <- steps[inside[1L]]
  high <- if (inside[1L] > 1L) steps[inside[1L] - 1L] else 1
  for (i in seq_len(40L)) {
    middle <- (low + high) / 2
    if (at(middle) <= limit) low <- middle else high <- middle
  }
  low
}

# The weight nearest to what is held at which the book is within, to the hundredth of a basis
# point or the whole share; nothing of it where none is.
weight_within <- function(w, j, measured, limit, book) {
  left <- left_within(function(left) measured(replace(w, j, w[j] * left)), limit)
  if (is.na(left)) return(0)
  whole_shares(left, w[j], j, book)
}

# What is left of a holding, in whole shares where these are known: rounded towards nothing.
whole_shares <- function(left, weight, j, book) {
  if (is.null(book$shares) || abs(book$shares[j]) < 1) return(weight * left)
  shares <- abs(book$shares[j])
  weight * floor(shares * left + 1e-9) / shares
}

trade_of_weight <- function(line, request) {
  book <- request$book
  members <- if (startsWith(line$of, "group:")) {
    match(intersect(expand_groups(line$of, request$returns$prices), book$security), book$security)
  } else {
    match(line$of, book$security)
  }
  members <- members[!is.na(members)]
  whole <- sum(book$weights[members])
  if (!length(members) || whole == 0) return(NULL)
  # Each of a group by as much of its own.
  w <- book$weights
  for (j in members) {
    w[j] <- whole_shares(max(0, line$limit / abs(whole)), w[j], j, book)
  }
  list(words = paste0(traded_words(book, w), cash_words(book, w)), after = sum(w[members]))
}

amount_of <- function(book, part) {
  amount <- format(round(part * book$value), big.mark = ",", scientific = FALSE)
  paste0(amount, if (!is.null(book$currency)) paste0(" ", book$currency))
}

cash_words <- function(book, w) {
  if (sum(w) <= sum(book$weights)) ", into cash" else ", out of cash"
}

# What is sold, or bought back, from the book of today to these weights.
traded_words <- function(book, w) {
  changed <- which(abs(w - book$weights) > 1e-12)
  parts <- vapply(changed, function(j) {
    part <- abs(w[j] - book$weights[j])
    verb <- if (book$weights[j] > 0) "sell" else "buy back"
    money <- if (!is.null(book$value)) sprintf(" (%s)", amount_of(book, part))
    if (is.null(book$shares)) {
      return(sprintf(
        "%s %s, %s %% of the book%s", verb, book$security[j],
        formatC(100 * part, format = "f", digits = 2L), money %||% ""
      ))
    }
    shares <- abs(book$shares[j]) * part / abs(book$weights[j])
    sprintf(
      "%s %s %s%s", verb, format(round(shares, 2L), big.mark = ",", trim = TRUE),
      book$security[j], money %||% ""
    )
  }, "")
  paste(parts, collapse = ", ")
}
