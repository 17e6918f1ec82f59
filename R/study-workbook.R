# The workbook of a study: a sheet for each table of its report. Where a number has a working its
# cell is a formula, over the sheets of steps and of data behind the tables. The page has the same
# tables as values.

# Gives the bytes of the one with values; NULL where openxlsx is missing. Forks make both side by
# side: to others all that is in them would have to be sent.
workbooks_of_study <- function(fragments, data, file, most = 2.2e6) {
  has <- Filter(function(f) length(f$csv) > 1L, fragments)
  if (!length(has)) return(NULL)
  if (!requireNamespace("openxlsx", quietly = TRUE)) {
    note("report", "The workbook needs the package openxlsx, which is not installed.")
    return(NULL)
  }
  made <- done_by_forks(list(
    live = function() live_workbook(has, data, file, most),
    values = function() values_workbook(has)
  ))
  if (!made_whole(file, "xlsx")) fail("write", "The workbook came out cut off.")
  made$values
}

values_workbook <- function(has) {
  file <- tempfile(fileext = ".xlsx")
  on.exit(unlink(file))
  save_book(tables_book(has)$book, file)
  put_cells(file, character(), list())
  readBin(file, "raw", file.size(file))
}

live_workbook <- function(has, data, file, most) {
  live <- tables_book(has)
  plans <- plans_of_record(has, data, most)
  cells <- list()
  if (length(plans$taken)) {
    placed <- sheets_of_workings(live$book, plans$taken, list(), live$sheets)
    cells <- c(placed$cells, linked_cells(has, live$sheets, placed$plans))
    names_of_workbook(live$book, placed$plans, list())
    openxlsx::writeFormula(live$book, "Tables", check_formula(placed$plans), 1L, live$next_row)
  }
  openxlsx::writeData(
    live$book, "Tables", linked_words(plans), 1L, live$next_row + 1L, colNames = FALSE
  )
  save_book(live$book, file)
  put_cells(file, openxlsx::sheets(live$book), cells)
}

linked_words <- function(plans) {
  left <- plans$all - length(plans$taken)
  c(
    sprintf(
      "Numbers of %s are formulas over the data here: their steps are on the sheet Working.",
      count(length(plans$taken), "row")
    ),
    if (left) sprintf(
      paste(
        "Those of %s, whose steps go through too many cells for one workbook, are values:",
        "--workbook of their command writes them."
      ),
      count(left, "row")
    )
  )
}

# The tables as values, a sheet each; the first lists them.
tables_book <- function(has) {
  book <- openxlsx::createWorkbook(creator = "imbroglio")
  openxlsx::addWorksheet(book, "Tables", gridLines = FALSE)
  bold <- openxlsx::createStyle(textDecoration = "bold")
  sheets <- character()
  for (f in has) {
    sheet <- sheet_name(f$title, c("Tables", sheets))
    sheets <- c(sheets, sheet)
    table <- table_of_csv(f$csv, f$units)
    openxlsx::addWorksheet(book, sheet)
    openxlsx::writeData(book, sheet, table, headerStyle = bold)
    openxlsx::freezePane(book, sheet, firstRow = TRUE)
    openxlsx::setColWidths(book, sheet, seq_along(table), 14)
    # Of a part that was kept they are lists, which would stand beside each other.
    said <- as.character(unlist(c(f$lead, f$notes, f$basis)))
    openxlsx::writeData(book, sheet, said, startRow = nrow(table) + 3L, colNames = FALSE)
  }
  titles <- vapply(has, function(f) f$lead %||% f$title, "")
  openxlsx::writeData(
    book, "Tables", data.frame(sheet = sheets, says = unname(titles)), headerStyle = bold
  )
  openxlsx::setColWidths(book, "Tables", 1:2, c(30, 100))
  list(book = book, sheets = sheets, next_row = length(sheets) + 3L)
}

# The workings of the parts, as plans of a workbook: those with the fewest cells first, as long as
# there are no more than `most`.
plans_of_record <- function(fragments, data, most) {
  data <- lapply(data, function(text) {
    column <- parsed_json(text)
    if (is.character(column)) as.numeric(as.Date(column, format = "%Y-%m-%d")) else column
  })
  read <- unlist(lapply(seq_along(fragments), function(i) {
    lapply(as.character(fragments[[i]]$sums$workings), function(text) {
      one <- working_of_record(parsed_json(text), data)
      c(one, list(part = i))
    })
  }), FALSE)
  known <- new.env()
  cells <- vapply(read, function(one) sum(lengths(one$values)), 0)
  in_order <- order(cells)
  taken <- sort(in_order[cumsum(cells[in_order]) <= most])
  list(
    all = length(read),
    taken = lapply(seq_along(taken), function(i) plan_of_record(read[[taken[i]]], i, known))
  )
}

# `known`: the expressions that are read once for all.
plan_of_record <- function(one, number, known) {
  written <- one$written
  c(
    plan_of_working(written, one$values),
    list(
      working = structure(
        list(), asked = one$asked, row = Filter(length, one$measured), title = one$title,
        asks = "", basis = list(kind = one$kind)
      ),
      tag = paste0("w", number), sheet_tag = "", label = one$title, read = known,
      inputs = list(), part = one$part, row = one$row
    )
  )
}

# A formula for each number of a table that has one.
linked_cells <- function(fragments, sheets, plans) {
  cells <- list()
  for (i in seq_along(fragments)) {
    columns <- names(table_of_csv(fragments[[i]]$csv[1:2], fragments[[i]]$units))
    own <- Filter(function(plan) plan$part == i, plans)
    contents <- unlist(lapply(own, function(plan) {
      derived <- Filter(function(name) {
        !is.null(plan$written$steps[[name]]$expression)
      }, intersect(plan$scalars, columns))
      stats::setNames(
        formula_cells(vapply(derived, name_in_book, "", tag = plan$tag)),
        paste0(openxlsx::int2col(match(derived, columns)), plan$row + 1L)
      )
    }))
    if (!length(contents)) next
    cells[[sheets[i]]] <- local({
      own <- contents
      function(xml) with_contents(xml, own)
    })
  }
  cells
}

# A table as it was before it became CSV: what its columns are is known.
table_of_csv <- function(csv, units) {
  table <- utils::read.csv(
    text = csv, colClasses = "character", check.names = FALSE, na.strings = "", encoding = "UTF-8"
  )
  for (i in seq_along(table)) {
    table[[i]] <- switch(
      units[i],
      date = as.Date(table[[i]]),
      number = as.numeric(table[[i]]),
      # Text of a workbook is no formula, and needs no apostrophe.
      sub("^'(?=[=+@\t\r-])", "", table[[i]], perl = TRUE)
    )
  }
  table
}
