#' A workbook whose formulas are alive
#'
#' Writes a result with its working as a workbook (`.xlsx`). The first sheet says what was
#' measured, on what and by which choices, shows the number, and whether all formulas agree with
#' it; the second has the steps, each as a formula of the spreadsheet beside our number and the
#' difference; one has what each working shows (the days that decided, the path of a search);
#' further sheets have the prices and what is made of them row by row, the same data once. The
#' choices (level, periods a year, first and last date, money) are input cells: changed there, the
#' workbook follows. What was searched or drawn for another choice, and all that stands on it,
#' then says that it needs measuring again.
#'
#' Nothing is cached: whatever opens the file computes it. What a spreadsheet cannot do (a search,
#' draws, an integral) is entered as a value and marked, with the steps that prove it.
#'
#' @param result A result, or a working of [show_working()]. Of a result each row is shown with
#'   all numbers that have a working; of a rolling one, or a series, where it stands at the end.
#' @param file The file to write, ending in `.xlsx`.
#' @return `file`, invisibly. It is written whole or not at all.
#' @section Errors: `imbroglio_error_argument` for another ending, or more than a spreadsheet
#'   holds (1,048,576 rows on a sheet) or computes in reasonable time (200 workings, 4,000,000
#'   cells), before anything is written; `imbroglio_error_package` without the package openxlsx.
#' @family ways to hand on
#' @examplesIf requireNamespace("openxlsx", quietly = TRUE)
#' prices <- read_prices(demo_file("bay.csv"))
#' write_workbook(measure_var(prices[, "BAYALL"]), tempfile(fileext = ".xlsx"))
#' @export
write_workbook <- function(result, file) {
  if (!identical(lower_case(tools::file_ext(file)), "xlsx")) {
    fail("argument", "A workbook is a file .xlsx.", where = sprintf("It is %s.", shown(file)))
  }
  need_package("openxlsx", "A workbook")
  workings <- if (inherits(result, "imbroglio_working")) list(result) else workings_of(result)
  refuse_too_many_cells(workings)
  # Made before it is saved: openxlsx changes how numbers are written while it saves.
  made <- workbook_of(workings, result)
  write_whole(file, function(part) {
    save_book(made$book, part)
    put_cells(part, openxlsx::sheets(made$book), made$cells)
  })
}

# Without relations to drawings that are not there: strict readers refuse these. When it was
# written the file system knows.
save_book <- function(book, file) {
  of_drawings <- function(x) grepl("drawing", x, ignore.case = TRUE)
  book$worksheets_rels <- lapply(book$worksheets_rels, function(one) one[!of_drawings(one)])
  book$Content_Types <- book$Content_Types[!of_drawings(book$Content_Types)]
  book$core <- sub("<dcterms:created.*</dcterms:created>", "", book$core)
  openxlsx::saveWorkbook(book, file, overwrite = TRUE)
}

# A working of each row with all of its numbers; of a rolling result and a series the last of
# each.
workings_of <- function(result, most = 200L) {
  table <- as.data.frame(result)
  rows <- seq_len(nrow(table))
  if (through_time(result)) rows <- rows[!duplicated(table[series_keys(table)], fromLast = TRUE)]
  if (length(rows) > most) {
    fail(
      "argument",
      sprintf(
        "A workbook holds %s; this result has %s.",
        count(most, "working"),
        count(length(rows))
      ),
      remedy = "Take some rows of it, such as result[1:100, ]."
    )
  }
  # A row may have none, such as that of a book of many mixtures: the others are written.
  made <- lapply(rows, function(row) {
    tryCatch(working_of_row(result, row, "all"), imbroglio_error_working = identity)
  })
  without <- vapply(made, inherits, NA, "condition")
  if (all(without)) stop(made[[1L]])
  if (any(without)) {
    note(
      "working",
      sprintf(
        "%s of %s %s no working, and %s not in the workbook.",
        count(sum(without)), count(length(rows), "row"),
        if (sum(without) == 1L) "has" else "have", if (sum(without) == 1L) "is" else "are"
      ),
      remedy = conditionMessage(made[[which(without)[1L]]])
    )
  }
  made <- made[!without & !vapply(made, is.null, NA)]
  if (!length(made)) fail("working", "No number of the result is known, so none has a working.")
  made
}

refuse_too_many_cells <- function(workings) {
  rows <- vapply(workings, function(w) {
    max(0, vapply(attr(w, "written")$rows, function(r) length(r$columns[[1L]]), 0L))
  }, 0)
  if (max(rows) > 1048570) {
    fail(
      "argument",
      "A sheet of a spreadsheet has 1,048,576 rows.",
      where = sprintf("This working is over %s.", count(max(rows))),
      remedy = "Measure a shorter span."
    )
  }
  columns <- vapply(workings, function(w) sum(lengths(attr(w, "values"))), 0)
  if (sum(columns) > 4e6) {
    fail(
      "argument",
      "The workbook would have more than 4,000,000 cells.",
      where = sprintf("It would have %s.", count(sum(columns))),
      remedy = "Take some rows of the result, such as result[1:20, ], or a shorter span."
    )
  }
}

# Where everything stands, before anything is written: the names of each working's numbers, the
# sheet of its rows.
workbook_of <- function(workings, result) {
  book <- openxlsx::createWorkbook(creator = "imbroglio")
  plans <- workbook_plans(workings)
  inputs <- workbook_inputs(plans)
  openxlsx::addWorksheet(book, "Answer", gridLines = FALSE)
  made <- sheets_of_workings(book, plans, inputs, shown = workings)
  write_answer_sheet(book, made$plans, inputs, result)
  names_of_workbook(book, made$plans, inputs)
  list(book = book, cells = made$cells)
}

# The sheets of steps, of what is shown, and of rows. `plans` with where all of it stands, and
# `cells`: by sheet what puts its cells.
sheets_of_workings <- function(book, plans, inputs, taken = character(), shown = list()) {
  placed <- rows_in_sheets(plans, inputs, taken)
  plans <- placed$plans
  cells <- list()
  openxlsx::addWorksheet(book, "Working", gridLines = FALSE)
  if (any(lengths(lapply(shown, attr, "shows")))) {
    openxlsx::addWorksheet(book, "Shown", gridLines = FALSE)
    cells$Shown <- write_shown_sheet(book, shown)
  }
  rows <- 1L
  for (i in seq_along(plans)) {
    plans[[i]]$top <- rows
    rows <- rows + length(plans[[i]]$written$steps) + 3L
  }
  cells$Working <- write_working_sheet(book, plans)
  for (sheet in placed$sheets) {
    openxlsx::addWorksheet(book, sheet$name)
    write_rows_sheet(book, sheet)
    cells[[sheet$name]] <- local({
      own <- sheet
      function(xml) with_rows(xml, own)
    })
  }
  list(plans = plans, cells = cells)
}

workbook_plans <- function(workings) {
  many <- length(workings) > 1L
  labels <- working_labels(workings)
  tags <- unique_names(labels)
  read <- new.env()
  lapply(seq_along(workings), function(i) {
    working <- workings[[i]]
    written <- attr(working, "written")
    values <- attr(working, "values")
    tag <- if (many) tags[i] else ""
    label <- if (many) labels[i] else ""
    made <- plan_of_working(written, values)
    c(made, list(
      working = working, tag = tag, sheet_tag = tag, label = label, read = read,
      inputs = inputs_of(written, made$rows)
    ))
  })
}

plan_of_working <- function(written, values) {
  rows <- lapply(written$rows, plan_of_rows, written = written, values = values)
  scalars <- names(written$steps)[vapply(names(written$steps), function(name) {
    !any(vapply(rows, function(r) name %in% r$names, NA))
  }, NA)]
  list(
    rows = rows, scalars = scalars, written = written, values = values, held = made_for(written),
    hangs = hangs_on(written)
  )
}

# "TARROW historical 0.99": what tells this working from the others.
# What tells the rows apart: whose each is, and what is not the same in all. A level that is, is a
# choice that may be changed.
working_labels <- function(workings) {
  parts <- lapply(workings, label_parts)
  all_of <- function(part) vapply(parts, function(p) p[part], "", USE.NAMES = FALSE)
  named <- unique(unlist(lapply(parts, names)))
  told <- Filter(function(part) part == "security" || length(unique(all_of(part))) > 1L, named)
  vapply(parts, function(p) paste(p[intersect(names(p), told)], collapse = " "), "")
}

label_parts <- function(working) {
  row <- attr(working, "row")
  keys <- c(
    "security", "other", "measure", "benchmark", "method", "family", "rank", "window", "level",
    # The horizon of a limit is a time.
    if (is.character(row$horizon) || isTRUE(row$horizon > 1)) "horizon"
  )
  parts <- vapply(row[intersect(keys, names(row))], function(x) as.character(x)[1L], "")
  parts[!is.na(parts)]
}

# A sheet's name has 31 characters, and none of []:*?/\.
sheet_name <- function(wanted, taken) {
  plain <- substr(gsub("[^[:alnum:] ._-]", " ", wanted), 1L, 31L)
  name <- plain
  i <- 1L
  while (tolower(name) %in% tolower(c(taken, "Answer", "Working", "Shown"))) {
    i <- i + 1L
    name <- paste0(substr(plain, 1L, 31L - nchar(i) - 1L), " ", i)
  }
  name
}

# The columns of a sheet of rows: date, the place in the span, data, and what is computed; for
# each in which row, counted from the first that is used, it begins.
plan_of_rows <- function(r, written, values) {
  if (r$window) r <- cut_to_window(r)
  used <- rows_used(r)
  n <- length(used)
  own_dates <- owns_dates(r, written)
  computed <- columns_made(r, written)
  dated <- !is.null(r$dates)
  # Of which the first and the last date can be chosen.
  spanned <- dated && !is.null(r$from)
  data <- names(r$columns)
  begins <- vapply(c(data, computed), function(name) {
    known <- which(!is.na(values[[name]]))
    if (length(known)) known[1L] - 1L else 0L
  }, 0L)
  list(
    record = r,
    dated = dated,
    spanned = spanned,
    data = data,
    computed = computed,
    begins = c(begins, if (own_dates) c(date = 0L)),
    names = c(data, computed, if (own_dates) "date"),
    first = used[1L] + 1L,
    last = used[n] + 1L,
    all = length(r$columns[[1L]])
  )
}

# Its rows alone: there is no other first or last date to choose.
cut_to_window <- function(r) {
  used <- rows_used(r)
  r$columns <- lapply(r$columns, `[`, used)
  r$dates <- r$dates[used]
  r["from"] <- r["to"] <- list(NULL)
  r
}

# A date in a formula is one of the first rows that have any.
owns_dates <- function(r, written) {
  dated <- Filter(function(one) !is.null(one$dates), written$rows)
  length(dated) > 0L && identical(r$name, dated[[1L]]$name)
}

# The steps that have a value for each of these rows: they stand on a column of them, other than
# within what makes one number of it.
columns_made <- function(r, written) {
  columns <- c(names(r$columns), if (owns_dates(r, written)) "date")
  by_row <- function(e) {
    if (is.name(e)) return(as.character(e) %in% columns)
    if (!is.call(e) || !any(all.vars(e) %in% columns)) return(FALSE)
    head <- as.character(e[[1L]])
    args <- as.list(e)[-1L]
    if (head != "(") {
      f <- language_of(head)
      if (f$shape == "one") return(FALSE)
      args <- args[!seq_along(args) %in% f$whole]
    }
    any(vapply(args, by_row, NA))
  }
  of_data <- length(columns)
  for (s in written$steps) if (by_row(s$expression)) columns <- c(columns, s$name)
  columns[-seq_len(of_data)]
}

name_in_book <- function(name, tag) {
  named <- if (nzchar(tag)) paste0(name, "_", tag) else name
  # What looks like a cell, or a row or column of another notation, cannot be a name.
  like_a_cell <- nchar(named) < 11L && grepl("^([A-Za-z]{1,3}[0-9]+|[rRcC][0-9]*)$", named)
  if (like_a_cell) paste0(named, "_") else named
}

# A table as a workbook: a sheet of it, and one of what it stands on.
write_table_workbook <- function(table, result, path) {
  need_package("openxlsx", "A workbook")
  book <- openxlsx::createWorkbook(creator = "imbroglio")
  bold <- openxlsx::createStyle(textDecoration = "bold")
  sheets <- list(Table = table, Basis = basis_table(basis(result)))
  for (name in names(sheets)) {
    openxlsx::addWorksheet(book, name)
    openxlsx::writeData(book, name, sheets[[name]], headerStyle = bold)
    openxlsx::freezePane(book, name, firstRow = TRUE)
    openxlsx::setColWidths(book, name, seq_along(sheets[[name]]), 16)
  }
  save_book(book, path)
  put_cells(path, openxlsx::sheets(book), list())
}

# A basis as lines of two cells, all of it.
basis_table <- function(about) {
  named <- function(x, prefix) {
    if (!length(x)) return(NULL)
    stats::setNames(as.character(x), trimws(paste(prefix, names(x) %||% "")))
  }
  dropped <- about$dropped
  cells <- c(
    from = format(about$from), to = format(about$to),
    securities = count(about$securities),
    named(about$observations, "observations of"),
    if (nrow(dropped)) {
      stats::setNames(
        as.character(dropped$n), sprintf("left out of %s, %s", dropped$security, dropped$reason)
      )
    },
    kind = about$kind,
    named(about$every, if (length(about$every) > 1L) "every, of" else "every"),
    "periods a year" = if (!is.na(about$per_year)) core_shortest(about$per_year),
    named(about$choices, ""),
    if (length(about$repairs)) {
      stats::setNames(about$repairs, rep("put right", length(about$repairs)))
    },
    seed = if (!is.na(about$seed)) format(about$seed),
    origin = about$origin, digest = about$digest, version = about$version
  )
  data.frame(what = names(cells), value = unname(cells))
}
