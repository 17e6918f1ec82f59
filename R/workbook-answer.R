# The first sheet of a workbook: what, the number, the choices as input cells, on what it stands;
# and the names of all that formulas speak of.

# The choices of all workings, and the first and last date of their rows: one cell for those that
# are the same in all.
workbook_inputs <- function(plans) {
  inputs <- list()
  for (plan in plans) {
    dates <- unlist(
      lapply(plan$rows, function(one) {
        if (!one$dated) return(NULL)
        r <- one$record
        list(
          choice(paste0(r$name, "_from"), paste("first date of", r$name), r$from, "date"),
          choice(paste0(r$name, "_to"), paste("last date of", r$name), r$to, "date")
        )
      }),
      recursive = FALSE
    )
    # What the number itself hangs on and does not follow: parameters found on these dates.
    written <- plan$written
    written <- written_working(
      attr(plan$working, "asked"), written$rows, written$choices, written$steps
    )
    fixed <- made_for(written)
    for (choice in c(plan$written$choices, dates)) {
      choice$fixed <- any(c("*", choice$name, if (choice$unit == "date") "return") %in% fixed)
      key <- paste(choice$name, format(choice$value, digits = 17L), choice$fixed)
      inputs[[key]]$choice <- choice
      inputs[[key]]$tags <- c(inputs[[key]]$tags, plan$tag)
      inputs[[key]]$labels <- c(inputs[[key]]$labels, plan$label)
    }
  }
  inputs
}

write_answer_sheet <- function(book, plans, inputs, result) {
  sheet <- "Answer"
  first <- plans[[1L]]$working
  said <- tryCatch(
    if (inherits(result, "imbroglio_working")) attr(first, "asks") else headline(result),
    error = function(e) attr(first, "asks")
  )
  openxlsx::writeData(book, sheet, attr(first, "title"), 1L, 1L)
  openxlsx::addStyle(book, sheet, workbook_style("title"), 1L, 1L)
  openxlsx::setRowHeights(book, sheet, 1L, 22)
  openxlsx::writeData(book, sheet, said, 1L, 2L)
  at <- 4L
  for (plan in plans) {
    asked <- attr(plan$working, "asked")
    label <- paste(c(label_of(asked, plan$working), plan$label), collapse = " ")
    openxlsx::writeData(book, sheet, trimws(label), 1L, at)
    openxlsx::writeFormula(book, sheet, name_in_book(asked, plan$tag), 2L, at)
    unit <- plan$written$steps[[asked]]$unit
    style <- answer_format(unit, attr(plan$working, "basis")$kind)
    openxlsx::addStyle(book, sheet, workbook_style(style), at, 2L)
    if (length(plans) == 1L) {
      openxlsx::addStyle(book, sheet, workbook_style("number"), at, 2L, stack = TRUE)
      openxlsx::setRowHeights(book, sheet, at, 36)
    }
    at <- at + 1L
  }
  last <- max(vapply(plans, function(p) p$top + 1L + length(p$written$steps), 0))
  apart <- sprintf("Working!$F$1:$F$%d", last)
  openxlsx::writeFormula(
    book,
    sheet,
    sprintf(
      paste0(
        paste0(
          "IF(SUMPRODUCT(1*ISERROR(%1$s))>0,SUMPRODUCT(1*ISERROR(%1$s))&\" formulas are in ",
          "error\","
        ),
        paste0(
          "IF(COUNTIF(%1$s,\">1E-10\")=0,\"All \"&COUNT(%1$s)&\" agree with our numbers to ",
          "1e-10\","
        ),
        "COUNTIF(%1$s,\">1E-10\")&\" of \"&COUNT(%1$s)&\" do not agree with our numbers\"))"
      ),
      apart
    ),
    1L,
    at + 1L
  )
  openxlsx::addStyle(book, sheet, workbook_style("head"), at + 1L, 1L)
  at <- write_inputs(book, sheet, inputs, at + 3L)
  write_basis(book, sheet, first, at + 1L)
  openxlsx::setColWidths(book, sheet, 1:4, c(40, 20, 20, 26))
  openxlsx::pageSetup(
    book,
    sheet,
    orientation = "portrait",
    fitToWidth = TRUE,
    fitToHeight = FALSE
  )
}

write_inputs <- function(book, sheet, inputs, at) {
  many <- any(nzchar(unlist(lapply(inputs, `[[`, "labels"))))
  openxlsx::writeData(
    book,
    sheet,
    t(c("choices: change them here", "", "as measured", if (many) "of" else "")),
    1L,
    at,
    colNames = FALSE
  )
  openxlsx::addStyle(book, sheet, workbook_style("head"), at, 1:4)
  for (i in seq_along(inputs)) {
    one <- inputs[[i]]
    value <- in_sheet(one$choice$value, one$choice$unit)
    row <- at + i
    words <- paste0(one$choice$words, if (one$choice$fixed) ", for which numbers were entered")
    openxlsx::writeData(book, sheet, words, 1L, row)
    openxlsx::writeData(book, sheet, value, 2L, row)
    openxlsx::writeData(book, sheet, value, 3L, row)
    openxlsx::writeData(
      book,
      sheet,
      some(one$labels[nzchar(one$labels)], 3L) %||% "",
      4L,
      row
    )
    unit <- workbook_style(number_format(one$choice$unit))
    openxlsx::addStyle(book, sheet, unit, row, 2:3, gridExpand = TRUE)
    if (!one$choice$fixed) {
      openxlsx::addStyle(book, sheet, workbook_style("input"), row, 2L, stack = TRUE)
    }
  }
  at + length(inputs) + 1L
}

write_basis <- function(book, sheet, working, at) {
  about <- attr(working, "basis")
  lines <- c(
    data_words(working),
    paste("Basis:", format(about))
  )
  openxlsx::writeData(book, sheet, "on what", 1L, at)
  openxlsx::addStyle(book, sheet, workbook_style("head"), at, 1L)
  for (i in seq_along(lines)) {
    openxlsx::writeData(book, sheet, lines[i], 1L, at + i)
    openxlsx::mergeCells(book, sheet, 1:4, at + i)
    openxlsx::addStyle(book, sheet, workbook_style("words"), at + i, 1L)
    openxlsx::setRowHeights(book, sheet, at + i, 15 * ceiling(nchar(lines[i]) / 95))
  }
  openxlsx::writeData(
    book,
    sheet,
    paste0(
      "Shaded numbers, and columns of data, are entered: they were searched, drawn or delivered, ",
      "and do not follow the choices. All others are formulas."
    ),
    1L,
    at + length(lines) + 2L
  )
}

# Names: of every number, every column, every choice, and of the first and last row in use.
names_of_workbook <- function(book, plans, inputs) {
  defined <- character()
  define <- function(name, formula) {
    text <- sprintf(
      "<definedName name=\"%s\">%s</definedName>",
      escaped(name),
      escaped(formula)
    )
    defined <<- c(defined, text)
  }
  first_input <- 4L + length(plans) + 3L
  for (plan in plans) {
    rows <- plan$top + 1L + seq_along(plan$written$steps)
    at <- stats::setNames(rows, names(plan$written$steps))
    for (name in plan$scalars) {
      define(name_in_book(name, plan$tag), sprintf("Working!$D$%d", at[[name]]))
    }
    for (i in seq_along(inputs)) {
      if (!plan$tag %in% inputs[[i]]$tags) next
      define(
        name_in_book(inputs[[i]]$choice$name, plan$tag),
        sprintf("Answer!$B$%d", first_input + i)
      )
    }
    for (one in plan$rows) {
      if (one$dated) {
        dates <- sprintf(
          "'%s'!$A$2:$A$%d",
          gsub("'", "''", one$sheet, fixed = TRUE),
          one$all + 1L
        )
        own <- function(end) name_in_book(paste0(one$record$name, "_", end), plan$tag)
        define(own("first"), sprintf("COUNTIF(%s,\"<\"&%s)+1", dates, own("from")))
        define(own("last"), sprintf("COUNTIF(%s,\"<=\"&%s)", dates, own("to")))
      }
      for (name in one$names) {
        define(name_in_book(name, plan$tag), range_formula(plan, one, name))
      }
    }
  }
  book$workbook$definedNames <- c(book$workbook$definedNames, defined)
}

# Fewer digits than among the steps.
answer_format <- function(unit, kind) {
  if (unit == "fraction" && kind != "profit") "0.00%" else number_format(unit, kind)
}
