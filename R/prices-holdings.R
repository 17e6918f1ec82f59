# A table of holdings, from a data frame or a file: a number for each security, by its name. `what`: weight or shares.
read_holdings <- function(source, what, decimal = NULL) {
  grid <- one_grid(source, "the holdings")
  names <- plain_name(names(grid$columns))
  at <- c(security = match(TRUE, names %in% security_names), match(what, names))
  lacking <- c("security", what)[is.na(at)]
  if (length(lacking)) {
    fail("weights", sprintf("The holdings have no column %s.", some(lacking)),
         where = sprintf("They have %s.", some(names(grid$columns))))
  }
  at[[1L]] <- which.min(match(names, security_names))
  read <- if_unclear(function(mark) grid_numbers(grid, names(grid$columns)[at[[2L]]], mark), decimal)
  named <- one_name_each(names_as_text(grid, names(grid$columns)[at[[1L]]]))
  empty <- which(is.na(named$names) | is.na(read$values[[1L]]))
  if (length(empty)) {
    fail("weights", sprintf("A holding is a security and a number; in %s %s not both.", grid$origin,
                            if (length(empty) == 1L) "one row has" else sprintf("%s have", count(length(empty), "row"))),
         where = sprintf("%s.", sentence_case(grid$place(empty))))
  }
  note_remarks(c(grid$remarks, read$remarks, named$remarks), grid$origin)
  stats::setNames(read$values[[1L]], as.character(named$names))
}
