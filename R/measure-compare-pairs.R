# The two sides of a comparison: which series, over which intervals.

# The two tables, and what is said of the second.
two_sides <- function(a, b, at) {
  a <- if (is.null(at)) take_returns(a) else a
  if (is.null(b) == is.null(at)) {
    fail("argument", "Give `b`, another table, or `at`, the date that cuts this one.")
  }
  if (is.null(at)) {
    b <- take_returns(b)
    if (a$kind != b$kind) {
      fail("argument", sprintf("The returns are %s and %s.", a$kind, b$kind))
    }
    return(list(a = a, b = b, words = some(colnames(b$values)), cut = FALSE))
  }
  at <- check_date(at, "at")
  returns <- take_returns(a)
  if (at <= returns$dates[1L] || at > returns$dates[length(returns$dates)]) {
    fail(
      "argument",
      sprintf("`at` is %s, outside the sample.", at),
      where = sprintf("It runs from %s to %s.", returns$dates[1L], max(returns$dates))
    )
  }
  early <- returns$dates < at
  part <- function(keep) {
    altered(
      returns, values = returns$values[keep, , drop = FALSE], dates = returns$dates[keep]
    )
  }
  list(
    a = part(early), b = part(!early), words = sprintf("before %s and from it on", at), cut = TRUE,
    whole = returns, at = at
  )
}

# Which is compared with which: their simple returns, and the benchmark's.
pairs_of_sides <- function(sides, benchmark) {
  mine <- colnames(sides$a$values)
  theirs <- colnames(sides$b$values)
  alike <- setequal(mine, theirs) && !overlapping_dates(sides)
  if (sides$cut || alike) {
    if (!is.null(benchmark)) mine <- setdiff(mine, benchmark)
    other <- if (sides$cut) sprintf("from %s", sides$at) else NULL
    return(lapply(mine, function(name) {
      list(
        name = name,
        other = other %||% sprintf("from %s", min(sides$b$dates)),
        a = own_side(sides$a, name, benchmark, sides$whole),
        b = own_side(sides$b, name, benchmark, sides$whole),
        paired = FALSE,
        benchmark = benchmark
      )
    }))
  }
  if (length(theirs) != 1L) {
    fail(
      "argument",
      "`b` has one security, or those of `a` in another period.",
      where = sprintf("It has %s, `a` has %s.", some(theirs), some(mine))
    )
  }
  # Two books may have one name.
  rest <- setdiff(mine, c(benchmark, theirs))
  if (!length(rest)) rest <- mine
  lapply(rest, function(name) paired_side(sides, name, benchmark))
}

overlapping_dates <- function(sides) any(sides$a$dates %in% sides$b$dates)

own_side <- function(side, name, benchmark, whole) {
  if (is.null(benchmark)) {
    x <- as_simple(side$values[, name], side$kind)
    there <- !is.na(x)
    return(list(x = unname(x[there]), dates = side$dates[there]))
  }
  both <- returns_together(whole %||% side, c(name, benchmark))
  keep <- both$dates %in% side$dates
  list(
    x = unname(both$r[keep, 1L]),
    beside = unname(both$r[keep, 2L]),
    dates = both$dates[keep]
  )
}

paired_side <- function(sides, name, benchmark) {
  other <- colnames(sides$b$values)
  a <- sides$a
  if (!is.null(benchmark)) a <- paired_with(a, benchmark)$returns
  b <- sides$b
  # A book by the same name as the other is told apart.
  if (other %in% colnames(a$values) && !other %in% name) {
    joint <- a
    second <- other
  } else {
    second <- if (other %in% colnames(a$values)) paste(other, "2") else other
    b <- renamed_series(b, second)
    joint <- with_columns_of(a[, unique(c(name, benchmark))], b)
  }
  compared <- unique(c(name, second, benchmark))
  both <- returns_together(pairs_on_rarest(spanned_beside(joint), compared), compared)
  if (length(both$dates) < 10L) {
    fail("too_short", sprintf("%s and %s have fewer than ten returns together.", name, other))
  }
  side <- function(column) {
    list(
      x = unname(both$r[, column]),
      beside = if (!is.null(benchmark)) unname(both$r[, benchmark]),
      dates = both$dates
    )
  }
  list(
    name = name, other = second, a = side(name), b = side(second), paired = TRUE,
    benchmark = benchmark
  )
}

renamed_series <- function(returns, name) {
  values <- `colnames<-`(returns$values, name)
  returns <- altered(returns, values = values)
  returns$frequency <- lapply(returns$frequency, stats::setNames, name)
  if (!is.null(returns$prices)) {
    close <- `colnames<-`(returns$prices$close, name)
    returns$prices <- new_prices(returns$prices$dates, close, returns$prices$origin)
  }
  returns
}
