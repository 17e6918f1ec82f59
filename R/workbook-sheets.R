# The sheets of a workbook with live formulas.

workbook_style <- function(kind) {
  switch(
    kind,
    title = openxlsx::createStyle(fontSize = 14, textDecoration = "bold"),
    number = openxlsx::createStyle(fontSize = 24, textDecoration = "bold", halign = "left"),
    head = openxlsx::createStyle(
      textDecoration = "bold",
      border = "bottom",
      wrapText = TRUE,
      valign = "top"
    ),
    check = openxlsx::createStyle(textDecoration = "bold"),
    input = openxlsx::createStyle(fgFill = input_fill, border = "TopBottomLeftRight"),
    entered = openxlsx::createStyle(fgFill = entered_fill),
    disagrees = openxlsx::createStyle(fontColour = disagrees_ink, bgFill = disagrees_fill),
    words = openxlsx::createStyle(wrapText = TRUE, valign = "top"),
    openxlsx::createStyle(numFmt = kind)
  )
}

# Of profits what would be a fraction is money.
number_format <- function(unit, kind = "simple") {
  if (kind == "profit" && unit == "fraction") unit <- "money"
  switch(
    unit, fraction = "0.000000%", share = "0.00%", level = "0.0##%", date = "yyyy-mm-dd",
    count = "#,##0", money = "#,##0.00", "General"
  )
}

# Days of a spreadsheet are counted from 30 December 1899.
in_sheet <- function(value, unit) if (unit == "date") value + 25569 else value

# What stands where a number would that was made for a choice that is changed.
measure_again <- "needs measuring again"

measured_name <- function(input) paste0(input, "_measured")

# A formula of a step, or of a cell of its column, with what says that it does not follow.
followed_formula <- function(formula, name, plan) {
  held <- Filter(function(input) is_held(name, plan, input), names(plan$inputs))
  if (!length(held)) return(formula)
  changed <- vapply(held, changed_in_book, "", plan = plan)
  if (length(changed) > 1L) changed <- sprintf("OR(%s)", paste(changed, collapse = ","))
  sprintf("IF(%s,\"%s\",%s)", changed, measure_again, formula)
}

is_held_by_any <- function(name, plan) {
  any(vapply(names(plan$inputs), is_held, NA, name = name, plan = plan))
}

changed_in_book <- function(input, plan) {
  sprintf(
    "%s<>%s", name_in_book(input, plan$tag), name_in_book(measured_name(input), plan$tag)
  )
}

# With the expression that another choice brings.
step_formula <- function(s, plan, named) {
  formula <- expression_sheet(s$expression, named)
  moves <- moves_of(plan$written, s$name)
  for (input in names(moves)) {
    moved <- expression_sheet(moves[[input]], named)
    formula <- sprintf("IF(%s,%s,%s)", changed_in_book(input, plan), moved, formula)
  }
  formula
}

# What a name of a working is in its formulas.
names_in_formulas <- function(plan) {
  where <- function(name) {
    for (one in plan$rows) if (name %in% one$names) return(one)
    NULL
  }
  function(name, mode, rows_up, inside) {
    if (name == "pi") return("PI()")
    if (name == "previous") return("{previous}")
    one <- where(name)
    if (is.null(one)) return(name_in_book(name, plan$tag))
    if (mode == "cell") return(sprintf("$%s{%d}", one$letter[[name]], -rows_up))
    columns <- intersect(all.vars(inside), one$names)
    begins <- max(one$begins[columns])
    if (begins == one$begins[[name]]) return(name_in_book(name, plan$tag))
    range_formula(plan, one, name, begins)
  }
}

range_formula <- function(plan, one, name, begins = one$begins[[name]]) {
  column <- sprintf("'%s'!$%s", gsub("'", "''", one$sheet, fixed = TRUE), one$letter[[name]])
  if (!one$spanned) {
    return(sprintf(
      "%s$%d:$%s$%d", column, one$first + begins, one$letter[[name]], one$last
    ))
  }
  whole <- sprintf("%s$2:$%s$%d", column, one$letter[[name]], one$all + 1L)
  sprintf(
    "INDEX(%1$s,%2$s+%4$d):INDEX(%1$s,%3$s)",
    whole,
    name_in_book(paste0(one$record$name, "_first"), plan$tag),
    name_in_book(paste0(one$record$name, "_last"), plan$tag),
    begins
  )
}

# The formula of each row, from one template in which rows are marked.
row_formulas <- function(template, rows, letter) {
  template <- gsub("{previous}", sprintf("$%s{-1}", letter), template, fixed = TRUE)
  pieces <- strsplit(template, "{", fixed = TRUE)[[1L]]
  out <- rep(pieces[1L], length(rows))
  for (piece in pieces[-1L]) {
    up <- as.integer(sub("[}].*$", "", piece))
    # No row lies above the first; what would is in the branch that is not taken.
    out <- paste0(out, pmax(rows + up, 1L), sub("^[^}]*[}]", "", piece))
  }
  out
}

write_rows_sheet <- function(book, plan, one) {
  r <- one$record
  n <- one$all
  rows <- seq_len(n) + 1L
  table <- r$columns
  if (one$spanned) table <- c(list(row_in_span = rep(NA_real_, n)), table)
  if (one$dated) table <- c(list(date = r$dates), table)
  openxlsx::writeData(
    book,
    one$sheet,
    as.data.frame(table, check.names = FALSE, optional = TRUE),
    headerStyle = workbook_style("head")
  )
  named <- names_in_formulas(plan)
  if (one$spanned) {
    limit <- function(end) name_in_book(paste0(r$name, "_", end), plan$tag)
    openxlsx::writeFormula(
      book,
      one$sheet,
      sprintf(
        "IF(AND(ROW()-1>=%s,ROW()-1<=%s),ROW()-%s,0)",
        limit("first"),
        limit("last"),
        limit("first")
      )[rep(1L, n)],
      2L,
      2L
    )
  }
  for (name in one$computed) {
    s <- plan$written$steps[[name]]
    column <- match(name, names(one$letter))
    openxlsx::writeData(book, one$sheet, name, column, 1L)
    template <- row_template(s, one, plan, named)
    openxlsx::writeFormula(
      book,
      one$sheet,
      row_formulas(template, rows, one$letter[[name]]),
      column,
      2L
    )
  }
  style_rows_sheet(book, one)
}

row_template <- function(s, one, plan, named) {
  expression <- s$expression
  begins <- one$begins[[s$name]]
  place <- if (one$spanned) sprintf("$%s{0}", one$letter[["row_in_span"]]) else "(ROW()-1)"
  formula <- if (!is.call(expression) || !identical(expression[[1L]], quote(recursion))) {
    formula <- step_formula(s, plan, named)
    if (begins || one$spanned) {
      sprintf("IF(%s>%d,%s,\"\")", place, begins, formula)
    } else {
      formula
    }
  } else {
    sprintf(
      "IF(%1$s>%2$d,%3$s,IF(%1$s=%2$d,%4$s,\"\"))",
      place,
      begins + 1L,
      expression_sheet(expression[[3L]], named),
      expression_sheet(expression[[2L]], named)
    )
  }
  followed_formula(formula, s$name, plan)
}

style_rows_sheet <- function(book, one) {
  columns <- seq_along(one$letter)
  openxlsx::addStyle(
    book,
    one$sheet,
    workbook_style("head"),
    rows = 1L,
    cols = columns,
    stack = TRUE
  )
  openxlsx::freezePane(book, one$sheet, firstRow = TRUE, firstCol = one$dated)
  openxlsx::setColWidths(book, one$sheet, columns, 13)
  if (one$spanned) openxlsx::setColWidths(book, one$sheet, 2L, 8)
  openxlsx::pageSetup(
    book,
    one$sheet,
    orientation = "landscape",
    fitToWidth = TRUE,
    fitToHeight = FALSE,
    printTitleRows = 1L
  )
}

# Written a column at a time for all workings together: a call takes longer than its cells.
write_working_sheet <- function(book, plans) {
  head <- c(
    "step", "in words", "formula", "value here", "our number", "apart", "unit", "source"
  )
  tops <- vapply(plans, `[[`, 0, "top")
  cells <- lapply(plans, step_cells)
  all_of <- function(part) unlist(lapply(cells, `[[`, part), use.names = FALSE)
  rows <- all_of("rows")
  words <- matrix(NA_character_, max(rows), length(head))
  words[tops, 1L] <- vapply(plans, function(plan) working_title(plan$working), "")
  words[tops + 1L, ] <- rep(head, each = length(tops))
  for (column in c(1:3, 7:8)) words[rows, column] <- all_of(head[column])
  # What begins a working is text, what follows in the middle columns is numbers and formulas.
  openxlsx::writeData(book, "Working", words[, 1:3], 1L, 1L, colNames = FALSE)
  openxlsx::writeData(book, "Working", words[, 7:8], 7L, 1L, colNames = FALSE)
  for (top in tops) {
    openxlsx::writeData(book, "Working", t(head[4:6]), 4L, top + 1L, colNames = FALSE)
  }
  write_runs(book, all_of("formula here"), 4L, rows, openxlsx::writeFormula)
  write_runs(book, all_of("entered here"), 4L, rows, openxlsx::writeData)
  write_runs(book, all_of("place"), 4L, rows, openxlsx::writeData)
  write_runs(book, all_of("our number"), 5L, rows, openxlsx::writeData)
  write_runs(book, all_of("apart"), 6L, rows, openxlsx::writeFormula)
  openxlsx::setRowHeights(book, "Working", rows, 15 * pmin(all_of("lines"), 20))
  style_steps(book, tops, rows, all_of("format"), rows[all_of("is entered")])
  openxlsx::setColWidths(book, "Working", 1:8, c(22, 36, 42, 22, 18, 9, 9, 24))
  openxlsx::freezePane(book, "Working", firstCol = TRUE)
  openxlsx::pageSetup(
    book,
    "Working",
    orientation = "landscape",
    fitToWidth = TRUE,
    fitToHeight = FALSE
  )
}

# What stands in the rows of one working, by the heads of the columns.
step_cells <- function(plan) {
  steps <- plan$written$steps
  rows <- plan$top + 1L + seq_along(steps)
  is_entered <- vapply(steps, function(s) is.null(s$expression), NA)
  is_column <- !names(steps) %in% plan$scalars
  of <- function(part) vapply(steps, `[[`, "", part)
  formula <- rep("entered", length(steps))
  formula[!is_entered] <- vapply(steps[!is_entered], function(s) {
    expression_text(s$expression)
  }, "")
  ours <- our_numbers(plan)
  # A difference of two likelihoods has no more digits than they have.
  least <- ifelse(of("unit") == "statistic", "1", "1E-6")
  # Of changed choices nothing is compared with what was measured.
  apart <- sprintf(
    "IF(AND(choices_changed=0,ISNUMBER(D%1$d)),ABS(D%1$d-E%1$d)/MAX(ABS(E%1$d),%2$s),\"\")",
    rows, least
  )
  here <- place <- rep(NA_character_, length(steps))
  computed <- !is_entered & !is_column
  named <- names_in_formulas(plan)
  here[computed] <- vapply(steps[computed], function(s) {
    followed_formula(step_formula(s, plan, named), s$name, plan)
  }, "")
  # A value that was made for a choice is a formula, too: it says when it is no more.
  constant <- is_entered & is.finite(ours)
  constant[constant] <- vapply(names(steps)[constant], is_held_by_any, NA, plan = plan)
  here[constant] <- vapply(names(steps)[constant], function(name) {
    followed_formula(number_exact(ours[[name]]), name, plan)
  }, "")
  place[is_column] <- vapply(names(steps)[is_column], column_place, "", plan = plan)
  kind <- attr(plan$working, "basis")$kind
  list(
    rows = rows,
    step = names(steps),
    "in words" = of("words"),
    formula = formula,
    "formula here" = here,
    "entered here" = ifelse(is_entered & !constant, ours, NA),
    place = place,
    "our number" = ours,
    apart = ifelse(computed, apart, NA),
    unit = of("unit"),
    source = of("source"),
    lines = pmax(1, ceiling(nchar(of("words")) / 36), ceiling(nchar(formula) / 42)),
    format = vapply(of("unit"), number_format, "", kind = kind),
    "is entered" = is_entered
  )
}

# What is known of some rows of a column, in as few calls as there are runs of them.
write_runs <- function(book, cells, column, rows, put) {
  known <- which(!is.na(cells))
  if (!length(known)) return(invisible())
  for (run in split(known, cumsum(c(1L, diff(rows[known])) != 1L))) {
    put(book, "Working", cells[run], column, rows[run[1L]])
  }
}

column_place <- function(name, plan) {
  one <- Find(function(one) name %in% one$names, plan$rows)
  sprintf("column %s of %s", one$letter[[name]], one$sheet)
}

# Of each step the number of the result, where it is one of it; else that of the working in R.
our_numbers <- function(plan) {
  row <- attr(plan$working, "row")
  steps <- plan$written$steps
  vapply(names(steps), function(name) {
    value <- plan$values[[name]]
    if (length(value) != 1L) return(NA_real_)
    measured <- row[[name]]
    if (length(measured) == 1L && is.finite(as.numeric(measured))) value <- as.numeric(measured)
    in_sheet(value, steps[[name]]$unit)
  }, 0)
}

style_steps <- function(book, tops, rows, formats, entered_rows) {
  style <- function(kind, rows, columns) {
    openxlsx::addStyle(
      book,
      "Working",
      workbook_style(kind),
      rows,
      columns,
      gridExpand = TRUE,
      stack = TRUE
    )
  }
  style("title", tops, 1L)
  style("head", tops + 1L, 1:8)
  for (format in unique(formats)) style(format, rows[formats == format], 4:5)
  if (length(entered_rows)) style("entered", entered_rows, 4L)
  style("words", rows, 1:3)
  style("0.0E+00", rows, 6L)
  openxlsx::conditionalFormatting(
    book, "Working", 6L, min(rows):max(rows), type = "expression",
    rule = sprintf("AND(ISNUMBER($F%1$d),$F%1$d>1E-9)", min(rows)),
    style = workbook_style("disagrees")
  )
}

# The tables that the workings show, one below the other: the observations that decided, the path
# of a search, the first paths that were drawn.
write_shown_sheet <- function(book, workings) {
  row <- 1L
  put <- function(x, kind, columns = 1L) {
    openxlsx::writeData(book, "Shown", x, 1L, row, colNames = FALSE)
    if (!is.null(kind)) openxlsx::addStyle(book, "Shown", workbook_style(kind), row, columns)
  }
  for (working in workings) {
    shows <- attr(working, "shows")
    if (!length(shows)) next
    put(working_title(working), "title")
    row <- row + 1L
    for (one in shows) {
      put(one$title, NULL)
      row <- row + 1L
      put(t(names(one$table)), "head", seq_along(one$table))
      row <- row + 1L
      put(one$table, NULL)
      row <- row + nrow(one$table) + 1L
    }
    row <- row + 1L
  }
  openxlsx::setColWidths(book, "Shown", 1:8, 15)
  openxlsx::pageSetup(book, "Shown", orientation = "landscape", fitToWidth = TRUE)
}
