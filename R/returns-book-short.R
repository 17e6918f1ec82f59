# What is held short earns when its security falls: as a series of its own it is that.

short_name <- function(security) paste(security, "short")

names_of_parts <- function(book) {
  ifelse(book$weights < 0, short_name(book$security), book$security)
}

# A path from 100 that returns the opposite, each period anew; it ends where nothing is left.
short_path <- function(close) {
  there <- which(!is.na(close))
  if (length(there) < 2L) return(close)
  earned <- -diff(close[there]) / close[there][-length(there)]
  path <- 100 * cumprod(c(1, 1 + earned))
  ruined <- which(path <= 0)[1L]
  if (!is.na(ruined)) path[ruined:length(path)] <- NA_real_
  replace(close, there, path)
}

# Closes of the parts of a book, as they are held.
held_closes <- function(close, book) {
  for (j in which(book$weights < 0)) close[, j] <- short_path(close[, j])
  `colnames<-`(close, names_of_parts(book))
}

# One security of a table, as it is held: short.
held_short <- function(returns, security) {
  if (is.null(returns$prices)) {
    values <- returns$values
    values[, security] <- if (returns$kind == "log") {
      log1p(pmax(-expm1(values[, security]), -1))
    } else {
      -values[, security]
    }
    return(altered(returns, values = values))
  }
  close <- returns$prices$close
  close[, security] <- short_path(close[, security])
  as_returns(
    altered(returns$prices, close = close),
    kind = returns$kind, every = returns$stated,
    keep_unfinished = isTRUE(returns$keep_unfinished)
  )
}
