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
