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
    openxlsx::createStyle(numFmt = kind, valign = "top")
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
  formula <- sheet_formula(s$expression, plan, named)
  moves <- moves_of(plan$written, s$name)
  for (input in names(moves)) {
    moved <- sheet_formula(moves[[input]], plan, named)
    formula <- sprintf("IF(%s,%s,%s)", changed_in_book(input, plan), moved, formula)
  }
  formula
}

# What the same expression of several workings reads as, but for its names, which have marks.
read_before <- function(expression, plan) {
  key <- one_line(expression)
  known <- plan$read[[key]]
  if (!is.null(known)) return(known)
  names <- list()
  marked <- function(name, mode, rows_up, inside) {
    names[[length(names) + 1L]] <<- list(name, mode, rows_up, beside_in(inside))
    sprintf("\001%d\002", length(names))
  }
  column <- is.call(expression) && identical(expression[[1L]], quote(recursion))
  sheet <- if (!column) expression_sheet(expression, marked)
  plan$read[[key]] <- c(list(text = expression_text(expression)), cut_at_marks(sheet, names))
  plan$read[[key]]
}

cut_at_marks <- function(sheet, names) {
  if (is.null(sheet)) return(NULL)
  marks <- gregexpr("\001[0-9]+\002", sheet)
  found <- as.integer(gsub("[^0-9]", "", regmatches(sheet, marks)[[1L]]))
  list(between = regmatches(sheet, marks, invert = TRUE)[[1L]], names = names[found])
}

sheet_formula <- function(expression, plan, named) {
  read <- read_before(expression, plan)
  names <- vapply(read$names, function(one) named(one[[1L]], one[[2L]], one[[3L]], one[[4L]]), "")
  paste0(c(rbind(read$between, c(names, ""))), collapse = "")
}

# What a name of a working is in its formulas.
names_in_formulas <- function(plan) {
  where <- function(name) {
    for (one in plan$rows) if (name %in% one$names) return(one)
    NULL
  }
  function(name, mode, rows_up, with) {
    if (name == "pi") return("PI()")
    if (name == "previous") return("{previous}")
    one <- where(name)
    if (is.null(one)) return(name_in_book(name, plan$tag))
    if (mode == "cell") return(sprintf("$%s{%d}", one$letter[[name]], -rows_up))
    beside <- Filter(function(b) b$name %in% one$names, with)
    begins <- max(vapply(beside, function(b) one$begins[[b$name]] + b$rows_up, 0))
    if (!rows_up && begins == one$begins[[name]]) return(name_in_book(name, plan$tag))
    range_formula(plan, one, name, begins, rows_up)
  }
}

# The names that stand beside each other in what makes one number, and how many rows up each is
# looked up: those of a call within it that makes one number itself are not.
beside_in <- function(call) {
  walk <- function(e, rows_up) {
    if (is.name(e)) return(list(list(name = as.character(e), rows_up = rows_up)))
    if (!is.call(e)) return(NULL)
    f <- if (!identical(e[[1L]], quote(`(`))) language_of(as.character(e[[1L]]))
    if (identical(f$shape, "one")) return(NULL)
    if (identical(e[[1L]], quote(before))) rows_up <- rows_up + rows_looked_up(e)
    unlist(lapply(as.list(e)[-1L], walk, rows_up), recursive = FALSE)
  }
  unlist(lapply(as.list(call)[-1L], walk, 0L), recursive = FALSE)
}

# The rows from so many behind the first that is used to the last, or as long a range so many rows
# further up.
range_formula <- function(plan, one, name, begins = one$begins[[name]], rows_up = 0L) {
  column <- sprintf("'%s'!$%s", gsub("'", "''", one$sheet, fixed = TRUE), one$letter[[name]])
  if (!one$spanned) {
    return(sprintf(
      "%s$%d:$%s$%d", column, one$first + begins - rows_up, one$letter[[name]], one$last - rows_up
    ))
  }
  whole <- sprintf("%s$2:$%s$%d", column, one$letter[[name]], one$all + 1L)
  sprintf(
    "INDEX(%1$s,%2$s+%4$d):INDEX(%1$s,%3$s%5$s)",
    whole,
    name_in_book(paste0(one$record$name, "_first"), plan$tag),
    name_in_book(paste0(one$record$name, "_last"), plan$tag),
    begins - rows_up,
    if (rows_up) sprintf("-%d", rows_up) else ""
  )
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
      sheet_formula(expression[[3L]], plan, named),
      sheet_formula(expression[[2L]], plan, named)
    )
  }
  followed_formula(formula, s$name, plan)
}

# The library has the looks: a cell of each kind, over which the rows are put. Gives the function
# that puts them.
write_working_sheet <- function(book, plans) {
  tops <- vapply(plans, `[[`, 0, "top")
  cells <- lapply(plans, step_cells)
  all_of <- function(part) unlist(lapply(cells, `[[`, part), use.names = FALSE)
  rows <- all_of("rows")
  looks <- working_looks(book, unique(all_of("format")), c(min(rows), max(rows)))
  openxlsx::setColWidths(book, "Working", 1:8, c(16, 34, 36, 20, 18, 9, 9, 24))
  openxlsx::freezePane(book, "Working", firstCol = TRUE)
  openxlsx::pageSetup(
    book,
    "Working",
    orientation = "landscape",
    fitToWidth = TRUE,
    fitToHeight = FALSE
  )
  titles <- vapply(plans, function(plan) working_title(plan$working), "")
  function(xml) {
    look <- vapply(looks, look_of, "", xml = xml)
    heads <- c(
      "step", "in words", "formula", "value here", "our number", "apart", "unit", "source"
    )
    here <- paste0(
      number_cells(all_of("entered here")), formula_cells(all_of("formula here")),
      text_cells(all_of("place"))
    )
    plain <- look[paste(all_of("format"), "plain")]
    content <- list(
      text_cells(all_of("step")), text_cells(all_of("in words")), text_cells(all_of("formula")),
      here, number_cells(all_of("our number")), formula_cells(all_of("apart")),
      text_cells(all_of("unit")), text_cells(all_of("source"))
    )
    of_words <- rep(look[["words"]], length(rows))
    style <- list(
      of_words, of_words, of_words,
      ifelse(all_of("is entered"), look[paste(all_of("format"), "entered")], plain), plain,
      rep(look[["apart"]], length(rows)), rep("", length(rows)), rep("", length(rows))
    )
    lines <- rbind(
      data.frame(row = tops, xml = cells_xml("A", tops, look[["title"]], text_cells(titles))),
      data.frame(row = tops + 1L, xml = do.call(paste0, lapply(1:8, function(j) {
        cells_xml(LETTERS[j], tops + 1L, look[["head"]], text_cells(heads[j]))
      }))),
      data.frame(row = rows, xml = do.call(paste0, lapply(1:8, function(j) {
        cells_xml(LETTERS[j], rows, style[[j]], content[[j]])
      })))
    )
    high <- c(rep(NA, 2L * length(tops)), 15 * pmin(all_of("lines"), 20))
    lines$xml <- sprintf(
      "<row r=\"%d\"%s>%s</row>", as.integer(lines$row),
      ifelse(is.na(high), "", sprintf(" ht=\"%g\" customHeight=\"1\"", high)), lines$xml
    )
    with_sheet_data(xml, "", paste(lines$xml[order(lines$row)], collapse = ""))
  }
}

# Where a cell of each kind stands, by its name, in the sheet as the library writes it.
working_looks <- function(book, formats, rows) {
  kinds <- c(title = "title", head = "head", words = "words", apart = "0.0E+00")
  looks <- stats::setNames(paste0("A", seq_along(kinds)), names(kinds))
  style <- function(kind, row, column) {
    openxlsx::addStyle(book, "Working", workbook_style(kind), row, column, stack = TRUE)
  }
  for (i in seq_along(kinds)) style(kinds[[i]], i, 1L)
  for (i in seq_along(formats)) {
    style(formats[i], i, 4L)
    style(formats[i], i, 5L)
    style("entered", i, 5L)
    looks[paste(formats[i], c("plain", "entered"))] <- paste0(c("D", "E"), i)
  }
  openxlsx::conditionalFormatting(
    book, "Working", 6L, rows[1L]:rows[2L], type = "expression",
    rule = sprintf("AND(ISNUMBER($F%1$d),$F%1$d>1E-9)", rows[1L]),
    style = workbook_style("disagrees")
  )
  looks
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
    read_before(s$expression, plan)$text
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

# The tables that the workings show, one below the other: the observations that decided, the path
# of a search, the first paths that were drawn. As of the sheet of the working, gives what puts
# them.
write_shown_sheet <- function(book, workings) {
  looks <- c(title = "title", head = "head", date = number_format("date"))
  for (i in seq_along(looks)) {
    openxlsx::addStyle(book, "Shown", workbook_style(looks[[i]]), i, 1L)
  }
  openxlsx::setColWidths(book, "Shown", 1:8, 15)
  openxlsx::pageSetup(book, "Shown", orientation = "landscape", fitToWidth = TRUE)
  lines <- unlist(lapply(workings, lines_shown), FALSE)
  function(xml) {
    look <- c(vapply(paste0("A", seq_along(looks)), look_of, "", xml = xml), "")
    names(look) <- c(names(looks), "plain")
    rows <- vapply(seq_along(lines), function(row) {
      line <- lines[[row]]
      if (is.null(line)) return("")
      letters <- openxlsx::int2col(seq_along(line$cells))
      sprintf(
        "<row r=\"%d\">%s</row>", row,
        paste(cells_xml(letters, row, look[line$looks], line$cells), collapse = "")
      )
    }, "")
    with_sheet_data(xml, "", paste(rows, collapse = ""))
  }
}

# Line by line its cells and their looks; NULL: an empty line.
lines_shown <- function(working) {
  shows <- attr(working, "shows")
  if (!length(shows)) return(NULL)
  tables <- lapply(shows, function(one) {
    columns <- lapply(one$table, function(x) {
      if (inherits(x, "Date")) return(number_cells(in_sheet(as.numeric(x), "date")))
      if (is.numeric(x)) number_cells(x) else text_cells(format(x))
    })
    looks <- ifelse(vapply(one$table, inherits, NA, "Date"), "date", "plain")
    c(
      list(
        list(cells = text_cells(one$title), looks = "plain"),
        list(cells = text_cells(names(one$table)), looks = rep("head", length(columns)))
      ),
      lapply(seq_len(nrow(one$table)), function(i) {
        list(cells = vapply(columns, `[[`, "", i), looks = looks)
      }),
      list(NULL)
    )
  })
  title <- list(cells = text_cells(working_title(working)), looks = "title")
  c(list(title), unlist(tables, FALSE), list(NULL))
}
