# The first sheet of a workbook: what, the number, the choices as input cells, on what it stands;
# and the names of all that formulas speak of.

# The choices of a working, and the first and last date of its rows: one of each, for all of them.
inputs_of <- function(written, rows) {
  spans <- lapply(Filter(function(one) one$spanned, rows), `[[`, "record")
  dates <- if (length(spans)) {
    of <- paste(unique(vapply(spans, `[[`, "", "name")), collapse = " and ")
    of_all <- function(side) vapply(spans, function(r) as.numeric(r[[side]]), 0)
    list(
      choice("date_from", paste("first date of", of), min(of_all("from")), "date"),
      choice("date_to", paste("last date of", of), max(of_all("to")), "date")
    )
  }
  inputs <- c(unname(written$choices), dates)
  stats::setNames(inputs, vapply(inputs, `[[`, "", "name"))
}

# What of a working follows an input: any number, the number itself.
followed_by <- function(plan, input) {
  date <- plan$inputs[[input]]$unit == "date"
  of_rows <- Filter(function(one) one$spanned, plan$rows)
  hung <- if (date) unlist(lapply(of_rows, `[[`, "names")) else input
  hangs <- vapply(plan$hangs, function(on) any(hung %in% on), NA)
  still <- !vapply(names(plan$hangs), is_held, NA, plan = plan, input = input)
  names(plan$hangs)[hangs & still]
}

# Whether a number was made for an input, and does not follow it.
is_held <- function(name, plan, input) {
  token <- if (plan$inputs[[input]]$unit == "date") "return" else input
  any(c("*", token) %in% plan$held[[name]])
}

# One cell for the inputs that are the same in all workings.
workbook_inputs <- function(plans) {
  inputs <- list()
  for (plan in plans) {
    for (input in plan$inputs) {
      followed <- followed_by(plan, input$name)
      input$followed <- if (!length(followed)) {
        "none"
      } else if (attr(plan$working, "asked") %in% followed) {
        "all"
      } else {
        "some"
      }
      key <- paste(input$name, format(input$value, digits = 17L), input$followed)
      inputs[[key]]$choice <- input
      inputs[[key]]$tags <- c(inputs[[key]]$tags, plan$tag)
      inputs[[key]]$labels <- c(inputs[[key]]$labels, plan$label)
    }
  }
  inputs
}

# Where what stands on the first sheet stands.
answer_places <- function(plans, inputs) {
  first <- 4L + length(plans) + 3L
  list(
    answers = 3L + seq_along(plans),
    check = 4L + length(plans) + 1L,
    inputs = first + seq_along(inputs),
    changed = if (length(inputs)) {
      sprintf(
        "SUMPRODUCT(1*(Answer!$B$%1$d:$B$%2$d<>Answer!$C$%1$d:$C$%2$d))",
        first + 1L,
        first + length(inputs)
      )
    } else {
      "0"
    }
  )
}

write_answer_sheet <- function(book, plans, inputs, result) {
  sheet <- "Answer"
  first <- plans[[1L]]$working
  places <- answer_places(plans, inputs)
  said <- tryCatch(
    if (!inherits(result, "imbroglio_working")) headline(result),
    error = function(e) NULL
  )
  if (!length(said) || is.na(said)) said <- attr(first, "asks")
  openxlsx::writeData(book, sheet, attr(first, "title"), 1L, 1L)
  openxlsx::addStyle(book, sheet, workbook_style("title"), 1L, 1L)
  openxlsx::setRowHeights(book, sheet, 1L, 22)
  openxlsx::writeData(book, sheet, t(c("", "here", "as measured")), 1L, 3L, colNames = FALSE)
  openxlsx::addStyle(book, sheet, workbook_style("head"), 3L, 1:3)
  answers <- lapply(plans, answer_of_plan)
  write_answers(book, sheet, answers, places$answers)
  if (length(plans) == 1L) {
    openxlsx::addStyle(book, sheet, workbook_style("number"), 4L, 2L, stack = TRUE)
    openxlsx::setRowHeights(book, sheet, 4L, 36)
  }
  openxlsx::writeFormula(book, sheet, sentence_formula(said, answers, places), 1L, 2L)
  openxlsx::writeFormula(book, sheet, check_formula(plans), 1L, places$check)
  openxlsx::addStyle(book, sheet, workbook_style("check"), places$check, 1L)
  for (wrong in c("do not agree", "in error")) {
    openxlsx::conditionalFormatting(
      book, sheet, 1L, places$check, type = "contains", rule = wrong,
      style = workbook_style("disagrees")
    )
  }
  at <- write_inputs(
    book, sheet, inputs, places$check + 2L, attr(first, "basis")$kind
  )
  write_basis(book, sheet, first, at + 1L)
  openxlsx::setColWidths(book, sheet, 1:4, c(64, 22, 20, 26))
  openxlsx::pageSetup(
    book,
    sheet,
    orientation = "portrait",
    fitToWidth = TRUE,
    fitToHeight = FALSE
  )
}

# The number of a working: what it is called, its formula, what was measured and how it is shown.
answer_of_plan <- function(plan) {
  asked <- attr(plan$working, "asked")
  unit <- plan$written$steps[[asked]]$unit
  label <- trimws(paste(c(label_of(asked, plan$working), plan$label), collapse = " "))
  list(
    label = label,
    formula = name_in_book(asked, plan$tag),
    measured = in_sheet(attr(plan$working, "measured"), unit),
    format = answer_format(
      unit, attr(plan$working, "basis")$kind, attr(plan$working, "measured")
    )
  )
}

write_answers <- function(book, sheet, answers, rows) {
  of <- function(part, type) vapply(answers, `[[`, type, part)
  openxlsx::writeData(book, sheet, of("label", ""), 1L, rows[1L])
  openxlsx::writeFormula(book, sheet, of("formula", ""), 2L, rows[1L])
  openxlsx::writeData(book, sheet, of("measured", 0), 3L, rows[1L])
  formats <- of("format", "")
  for (format in unique(formats)) {
    openxlsx::addStyle(
      book, sheet, workbook_style(format), rows[formats == format], 2:3, gridExpand = TRUE
    )
  }
}

# The headline while all stands as it was measured; else the first numbers as they are now.
sentence_formula <- function(said, answers, places, most = 3L) {
  now <- vapply(utils::head(seq_along(answers), most), function(i) {
    shown <- if (answers[[i]]$format == "General") "0.0000" else answers[[i]]$format
    sprintf(
      "%s&TEXT(B%d,\"%s\")",
      text_in_formula(paste0(answers[[i]]$label, ": ")), places$answers[i], shown
    )
  }, "")
  if (length(answers) > most) {
    now <- c(now, text_in_formula(sprintf("%s below", count(length(answers) - most, "more"))))
  }
  sprintf(
    "IF(choices_changed=0,%s,\"With other choices than were measured. \"&%s)",
    text_in_formula(said), paste(now, collapse = "&\"; \"&")
  )
}

# A text as a formula: a program takes no more than 255 characters of one.
text_in_formula <- function(text) {
  pieces <- substring(text, seq(1L, max(1L, nchar(text)), 120L),
                      pmin(nchar(text), seq(1L, max(1L, nchar(text)), 120L) + 119L))
  paste(sprintf("\"%s\"", gsub("\"", "\"\"", pieces, fixed = TRUE)), collapse = "&")
}

# Whether all that is derived agrees with our numbers; once a choice is changed, what follows it.
check_formula <- function(plans) {
  last <- max(vapply(plans, function(p) p$top + 1L + length(p$written$steps), 0))
  column <- function(letter) sprintf("Working!$%1$s$1:$%1$s$%2$d", letter, last)
  entered <- sum(vapply(plans, function(plan) {
    sum(vapply(plan$written$steps, function(s) is.null(s$expression), NA))
  }, 0L))
  # What is not known under other choices is #N/A.
  unknown <- sprintf("SUMPRODUCT(1*ISNA(%s))", column("D"))
  parts <- c(
    errors = sprintf(
      "(SUMPRODUCT(1*ISERROR(%s))-IF(choices_changed>0,%s,0))", column("D"), unknown
    ),
    changed = "choices_changed",
    stale = sprintf("(COUNTIF(%s,\"%s\")+%s)", column("D"), measure_again, unknown),
    derived = sprintf("COUNT(%s)", column("F")),
    apart = sprintf("COUNTIF(%s,\">1E-10\")", column("F"))
  )
  sprintf(
    paste0(
      "IF(%1$s>0,%1$s&\" formulas are in error\",IF(%2$s>0,",
      "\"Choices are changed: nothing here is compared with what was measured. \"&%3$s&",
      "\" of the numbers need measuring again\",IF(%5$s>0,%5$s&\" of \"&%4$s&",
      "\" derived numbers do not agree with ours\",\"All \"&%4$s&",
      "\" derived numbers agree with ours to 1e-10; %6$s\")))"
    ),
    parts[["errors"]], parts[["changed"]], parts[["stale"]], parts[["derived"]],
    parts[["apart"]],
    if (entered) sprintf("entered: %s", count(entered, "number")) else "none is entered"
  )
}

write_inputs <- function(book, sheet, inputs, at, kind) {
  many <- any(nzchar(unlist(lapply(inputs, `[[`, "labels"))))
  openxlsx::writeData(
    book,
    sheet,
    t(if (length(inputs)) {
      c("choices: change them here", "", "as measured", if (many) "of" else "")
    } else {
      c("no choice of it can be changed here", "", "", "")
    }),
    1L,
    at,
    colNames = FALSE
  )
  openxlsx::addStyle(book, sheet, workbook_style("head"), at, 1:4)
  for (i in seq_along(inputs)) {
    one <- inputs[[i]]
    value <- in_sheet(one$choice$value, one$choice$unit)
    row <- at + i
    words <- paste0(one$choice$words, switch(
      one$choice$followed,
      none = ", which nothing here follows",
      some = ", which the number does not follow",
      ""
    ))
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
    # As many digits as were chosen.
    unit <- number_format(one$choice$unit, kind)
    unit <- workbook_style(if (unit == number_format("fraction")) "0.00####%" else unit)
    openxlsx::addStyle(book, sheet, unit, row, 2:3, gridExpand = TRUE)
    if (one$choice$followed != "none") {
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
      "Shaded numbers, and columns of data, are entered: they were searched, drawn or delivered. ",
      "All others are formulas. What was made for a choice that is changed since says so."
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
  places <- answer_places(plans, inputs)
  cells <- places$inputs
  define("choices_changed", places$changed)
  for (plan in plans) {
    rows <- plan$top + 1L + seq_along(plan$written$steps)
    at <- stats::setNames(rows, names(plan$written$steps))
    for (name in plan$scalars) {
      define(name_in_book(name, plan$tag), sprintf("Working!$D$%d", at[[name]]))
    }
    for (i in seq_along(inputs)) {
      if (!plan$tag %in% inputs[[i]]$tags) next
      name <- inputs[[i]]$choice$name
      define(name_in_book(name, plan$tag), sprintf("Answer!$B$%d", cells[i]))
      define(name_in_book(measured_name(name), plan$tag), sprintf("Answer!$C$%d", cells[i]))
    }
    for (one in plan$rows) {
      if (one$spanned) {
        sheet <- gsub("'", "''", one$sheet, fixed = TRUE)
        for (end in names(one$ends)) {
          at <- sprintf("'%s'!$%s$2", sheet, one$ends[[end]])
          define(name_in_book(paste0(one$record$name, "_", end), plan$tag), at)
        }
      }
      for (name in one$names) {
        define(name_in_book(name, plan$tag), range_formula(plan, one, name))
      }
    }
  }
  book$workbook$definedNames <- c(book$workbook$definedNames, defined)
}

# Fewer digits than among the steps; of what is small those that there are.
answer_format <- function(unit, kind, value) {
  if (unit == "fraction" && kind != "profit") return("0.00%")
  usual <- number_format(unit, kind)
  if (usual == "General" && isTRUE(abs(value) >= 0.01)) "#,##0.0000" else usual
}
