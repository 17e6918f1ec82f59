# Holdings by date, as a function of dates: what was held at each close.
shares_by_date <- function(source, book) {
  grid <- one_grid(source, "the holdings by date")
  headings <- plain_name(names(grid$columns))
  at <- c(
    date = match(TRUE, headings %in% date_names),
    security = match(TRUE, headings %in% security_names),
    shares = match(TRUE, headings %in% holding_columns$shares)
  )
  if (anyNA(at)) {
    fail(
      "weights", sprintf("The holdings by date have no column %s.", some(names(at)[is.na(at)])),
      where = sprintf("They have %s.", some(names(grid$columns)))
    )
  }
  days <- column_days(grid$columns[[at[["date"]]]], NULL, "date", grid$origin)$days
  name <- trimmed(as.character(names_as_text(grid, names(grid$columns)[at[["security"]]])))
  number <- grid_numbers(grid, names(grid$columns)[at[["shares"]]], NULL)$values[[1L]]
  bad <- which(is.na(days) | is.na(name) | is.na(number))
  if (length(bad)) {
    fail(
      "weights", "A holding by date is a date, a security and a number.",
      where = sprintf("%s.", sentence_case(grid$place(bad)))
    )
  }
  known <- colnames(book$returns$values)
  is_cash <- lower_case(name) == "cash" & !name %in% known
  name[!is_cash] <- known[pick_securities(name[!is_cash], known)]
  again <- which(duplicated(data.frame(days, name)))
  if (length(again)) {
    fail("weights", sprintf("%s stands twice on %s.", name[again[1L]], .Date(days[again[1L]])),
         where = sprintf("%s.", sentence_case(grid$place(again))))
  }
  told <- sort(unique(days))
  security <- unique(name[!is_cash])
  table <- matrix(0, length(told), length(security), dimnames = list(NULL, security))
  table[cbind(match(days[!is_cash], told), match(name[!is_cash], security))] <- number[!is_cash]
  cash <- numeric(length(told))
  cash[match(days[is_cash], told)] <- number[is_cash]
  row_on <- function(dates) pmax(findInterval(as.numeric(dates), told), 1L)
  list(
    security = security, from = .Date(told[1L]),
    on = function(dates) unname(table[row_on(dates), , drop = FALSE]),
    cash = function(dates) cash[row_on(dates)],
    said = c("holdings by date" = sprintf(
      "%s of %s, the first of %s", count(length(told), "date"), grid$origin, .Date(told[1L])
    ))
  )
}
