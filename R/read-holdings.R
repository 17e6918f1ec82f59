# A table of holdings, from a data frame or a file: `amounts` for each security, by its name;
# `what` they are, shares, values or weights; and the `date` they are of, where it says. `what`:
# which is wanted; if NULL, the first that is there.
read_holdings <- function(source, what = NULL, decimal = NULL, dated = FALSE) {
  grid <- one_grid(source, "the holdings")
  columns <- names(grid$columns)
  headings <- plain_name(columns)
  security <- security_at(grid)
  column <- numbers_at(grid, holding_columns)
  taken <- if (is.null(what)) names(column)[!is.na(column)][1L] else what
  if (is.na(security) || is.na(taken) || is.na(column[[taken]])) {
    refuse_columns_of_holdings(columns, column, is.na(security), taken, what)
  }
  at <- column[[taken]]
  date <- which(headings %in% c(date_names, holding_date_names))[1L]
  read <- if_unclear(function(mark) grid_numbers(grid, columns[at], mark), decimal)
  named <- one_name_each(names_as_text(grid, columns[security]))
  empty <- which(is.na(named$names) | is.na(read$values[[1L]]))
  if (length(empty)) {
    fail(
      "weights",
      sprintf(
        "A holding is a security and a number; in %s %s not both.",
        grid$origin,
        if (length(empty) == 1L) {
          "one row has"
        } else {
          sprintf("%s have", count(length(empty), "row"))
        }
      ),
      where = sprintf("%s.", sentence_case(grid$place(empty)))
    )
  }
  told <- which(headings %in% currency_names)[1L]
  idle <- setdiff(seq_along(columns), c(security, at, date, told))
  remarks <- if (length(idle)) {
    sprintf(
      "the %s of %s; not used: %s",
      if (taken == "shares") taken else paste0(taken, "s"),
      columns[at],
      some(columns[idle], 6L)
    )
  }
  note_remarks(c(grid$remarks, read$remarks, named$remarks, remarks), grid$origin)
  list(
    amounts = stats::setNames(read$values[[1L]], as.character(named$names)),
    what = taken,
    date = if (!is.na(date) && !dated) date_of_holdings(grid, columns[date]),
    currency = currency_in_holdings(grid, columns[told], read, taken, named$names)
  )
}

refuse_columns_of_holdings <- function(columns, column, nameless, taken, what) {
  lacking <- c(
    if (nameless) "security",
    if (is.na(taken)) "shares, value or weight" else if (is.na(column[[taken]])) taken
  )
  fail(
    "weights",
    sprintf("The holdings have no column %s.", some(lacking)),
    where = sprintf("They have %s.", some(columns)),
    remedy = if (!is.null(what) && any(!is.na(column))) {
      "Give them as `holdings`: then their column says what they are."
    }
  )
}

# The currency of each holding: by a column, or by the unit that all values are written in.
currency_in_holdings <- function(grid, column, read, taken, names_of) {
  unit <- unlist(read$units)
  told <- if (!is.na(column)) {
    cells <- currency_codes(grid, column)
    cells$names[cells$code]
  } else if (taken == "value" && length(unit) == 1L) {
    rep(unit, length(names_of))
  }
  if (!is.null(told)) stats::setNames(told, as.character(names_of))
}

date_of_holdings <- function(grid, column) {
  days <- column_days(grid$columns[[column]], NULL, column, grid$origin)$days
  one <- unique(stats::na.omit(days))
  if (length(one) > 1L) {
    fail(
      "weights",
      sprintf("The holdings in %s are of %s.", grid$origin, count(length(one), "date")),
      where = sprintf("From %s to %s.", .Date(min(one)), .Date(max(one))),
      remedy = "Keep those of one date; they are moved with the prices from there."
    )
  }
  if (length(one)) .Date(as.numeric(one))
}

# A table, or the path of a file of one; not amounts by name.
is_table_of_holdings <- function(x) {
  is.data.frame(x) || (is.character(x) && length(x) == 1L && is.null(names(x)))
}

# Where the securities stand: by the word that means nothing else, else by one that may, such as
# the French for a security, which is also that for a value.
security_at <- function(grid) {
  rank <- match(plain_name(names(grid$columns)), security_names)
  weak <- security_names[rank] %in% weak_security_names & vapply(grid$columns, holds_amounts, NA)
  rank[weak] <- NA
  if (all(is.na(rank))) NA_integer_ else which.min(rank)
}

# Where each of some kinds of numbers stands, by its words; NA where it is not there.
numbers_at <- function(grid, words) {
  headings <- plain_name(names(grid$columns))
  numbers <- vapply(grid$columns, holds_numbers, NA)
  headings[!numbers] <- NA
  vapply(words, first_heading, 0L, headings)
}

# Where the first of the words is that there is.
first_heading <- function(words, headings) {
  at <- match(words, headings)
  at[!is.na(at)][1L]
}
