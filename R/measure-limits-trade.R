# The trade that brings a broken limit of a book back within: what is sold is put into cash.

# `words` and what the estimate would be `after` it; NULL where there is none.
trade_within <- function(line, ask) {
  book <- ask$book
  if (is.null(book) || !is.null(book$held) && book$held != "today") return(NULL)
  if (line$measure == "weight") return(trade_of_weight(line, ask))
  if (!line$of %in% book$name || !line$measure %in% c("volatility", "var", "es")) return(NULL)
  today <- suppressMessages(book_today(book), classes = "imbroglio_note")
  n <- nrow(today$r)
  X <- today$r[(n - ask$window + 1L):n, , drop = FALSE]
  year <- sqrt(today$rhythm$per_year[[1L]])
  in_logs <- book$returns$kind == "log"
  measured <- function(w) {
    R <- as.vector(X %*% w)
    if (line$measure == "volatility") return(stats::sd(if (in_logs) log1p(R) else R) * year)
    tail <- core_historical_tail(matrix(R), ask$level, rank_code("nearest"), FALSE, 1)
    tail[[line$measure]][1L]
  }
  w <- book$weights
  for (turn in seq_along(w)) {
    if (measured(w) <= line$limit) break
    R <- as.vector(X %*% w)
    marginal <- as.vector(stats::cov(X, R)) * measured(w) / stats::var(R)
    gain <- ifelse(w == 0, -Inf, marginal * sign(w))
    most <- which.max(gain)
    if (!(gain[most] > 0)) break
    w[most] <- weight_within(w, most, measured, line$limit, book)
  }
  if (measured(w) > line$limit) {
    return(list(words = "no sale of what is held brings it within", after = measured(w)))
  }
  list(words = traded_words(book, w), after = measured(w))
}

# The weight nearest to what is held at which the book is within, to the hundredth of a basis
# point or the whole share; nothing of it where none is.
weight_within <- function(w, j, measured, limit, book) {
  at <- function(left) measured(replace(w, j, w[j] * left))
  steps <- seq(1, 0, length.out = 201L)
  inside <- which(vapply(steps, at, 0) <= limit)
  if (!length(inside)) return(0)
  low <- steps[inside[1L]]
  high <- if (inside[1L] > 1L) steps[inside[1L] - 1L] else 1
  for (i in seq_len(40L)) {
    middle <- (low + high) / 2
    if (at(middle) <= limit) low <- middle else high <- middle
  }
  whole_shares(low, w[j], j, book)
}

# What is left of a holding, in whole shares where these are known: rounded towards nothing.
whole_shares <- function(left, weight, j, book) {
  if (is.null(book$shares) || abs(book$shares[j]) < 1) return(weight * left)
  shares <- abs(book$shares[j])
  weight * floor(shares * left + 1e-9) / shares
}

trade_of_weight <- function(line, ask) {
  book <- ask$book
  members <- if (startsWith(line$of, "group:")) {
    match(intersect(expand_groups(line$of, ask$returns$prices), book$security), book$security)
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
  list(words = traded_words(book, w), after = sum(w[members]))
}

# What is sold, or bought back, from the book of today to these weights.
traded_words <- function(book, w) {
  changed <- which(abs(w - book$weights) > 1e-12)
  parts <- vapply(changed, function(j) {
    part <- abs(w[j] - book$weights[j])
    verb <- if (book$weights[j] > 0) "sell" else "buy back"
    money <- if (!is.null(book$value)) {
      sprintf(" (%s)", format(round(part * book$value), big.mark = ",", scientific = FALSE))
    }
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
