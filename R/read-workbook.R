# The sheet of a workbook as a grid.

# A workbook: of several sheets each is a table. What it writes as numbers, dates and text is kept
# apart cell by cell.
read_workbook <- function(file, sheet = NULL) {
  need_package("readxl", "A workbook")
  path <- as_file(file$bytes, file$kind)
  on.exit(unlink(path))
  broken <- function(e) {
    fail(
      "file",
      sprintf("%s cannot be read as a workbook.", sentence_case(file$origin)),
      where = conditionMessage(e)
    )
  }
  if (file$kind == "xlsx") {
    why <- zip_fault(file$bytes, 2^31)
    if (nzchar(why)) {
      fail(
        "file",
        sprintf("%s is damaged: %s.", sentence_case(file$origin), why),
        remedy = "Get it again."
      )
    }
  }
  sheets <- tryCatch(readxl::excel_sheets(path), error = broken)
  own <- if (is.null(sheet)) {
    own_sheets(sheets)
  } else {
    check_choice(sheet, "sheet", sheets, several = TRUE)
  }
  parts <- if (file$kind == "xlsx") sheet_parts(path)
  grids <- lapply(own, function(sheet) {
    look_at_sheet(path, parts[[sheet]], sheet, file$origin)
    cells <- tryCatch(cells_of_sheet(path, sheet), error = broken)
    if (nrow(cells)) {
      grid_of_cells(unclass(cells), sprintf("sheet %s of %s", sheet, file$origin), sheet)
    }
  })
  grids <- Filter(length, grids)
  if (!length(grids)) fail("empty", sprintf("There are no prices in %s.", file$origin))
  if (length(grids) == 1L) {
    grids[[1L]]$origin <- file$origin
    grids[[1L]]$name <- file$name
  }
  if (is.null(sheet) && length(own) < length(sheets)) {
    grids[[1L]]$remarks <- c(
      grids[[1L]]$remarks,
      sprintf("the sheet %s only, beside returns made from it", own)
    )
  }
  grids
}

cells_of_sheet <- function(path, sheet) {
  suppressMessages(readxl::read_excel(
    path, sheet, col_types = "list", col_names = FALSE, na = "", .name_repair = "minimal",
    progress = FALSE
  ))
}

# Where in the file each sheet lies, by its name.
sheet_parts <- function(path) {
  text <- function(part) {
    tryCatch(rawToChar(zip_part(path, part)), error = function(e) "", warning = function(w) "")
  }
  tags <- function(xml, name) {
    regmatches(xml, gregexpr(sprintf("<([A-Za-z0-9]+:)?%s [^>]*>", name), xml))[[1L]]
  }
  attribute <- function(tags, name) {
    parts_of(tags, sprintf("\\s(?:[A-Za-z]+:)?%s=[\"']([^\"']*)[\"']", name))[, 1L]
  }
  plain <- function(x) {
    marks <- c("&lt;" = "<", "&gt;" = ">", "&quot;" = "\"", "&apos;" = "'", "&amp;" = "&")
    for (mark in names(marks)) x <- gsub(mark, marks[[mark]], x, fixed = TRUE)
    `Encoding<-`(x, "UTF-8")
  }
  sheets <- tags(text("xl/workbook.xml"), "sheet")
  links <- tags(text("xl/_rels/workbook.xml.rels"), "Relationship")
  if (!length(sheets) || !length(links)) return(list())
  targets <- attribute(links, "Target")[match(
    parts_of(sheets, "\\s[A-Za-z]+:id=[\"']([^\"']*)[\"']")[, 1L], attribute(links, "Id")
  )]
  targets <- ifelse(startsWith(targets, "/"), substring(targets, 2L), paste0("xl/", targets))
  stats::setNames(as.list(targets), plain(attribute(sheets, "name")))
}

zip_part <- function(path, part) {
  listed <- utils::unzip(path, list = TRUE)
  connection <- unz(path, part, "rb")
  on.exit(close(connection))
  readBin(connection, "raw", listed$Length[match(part, listed$Name)])
}

# Cells far out take room for all between; a formula of which no value was stored reads as empty.
look_at_sheet <- function(path, part, sheet, origin) {
  if (is.null(part)) return(invisible())
  xml <- tryCatch(zip_part(path, part), error = function(e) NULL, warning = function(w) NULL)
  if (is.null(xml)) return(invisible())
  extent <- core_sheet_extent(xml)
  spans <- extent$rows * extent$columns
  if (spans > most_cells || (spans > 1e7 && extent$filled < spans / 100)) {
    fail(
      "layout",
      sprintf(
        "Sheet %s of %s spans %s by %s, of which %s %s filled.",
        visible(sheet), origin, count(extent$rows, "row"), count(extent$columns, "column"),
        count(extent$filled, "cell"), if (extent$filled == 1) "is" else "are"
      ),
      where = if (nzchar(extent$last)) sprintf("The last is %s.", extent$last),
      remedy = "Clear what lies far from the table, or save the table alone."
    )
  }
  cells <- extent$unvalued
  if (length(cells)) {
    caution(
      "formula",
      sprintf(
        "%s of sheet %s of %s %s without a stored value and %s as missing: %s.",
        count(length(cells), "formula", "formulas"), visible(sheet), origin,
        if (length(cells) == 1L) "is" else "are",
        if (length(cells) == 1L) "counts" else "count",
        some(cells, 20L)
      ),
      remedy = "Open the workbook in a spreadsheet program and save it: that stores the values."
    )
  }
}

# Of a sheet as it is read: a list of cells each.
most_cells <- 2e8

# The sheets that write_prices() makes: the returns beside the prices are no prices.
written_sheets <- c(prices = "Prices", simple = "Simple returns", log = "Log returns")

own_sheets <- function(sheets) {
  if (setequal(sheets, written_sheets)) written_sheets[["prices"]] else sheets
}

# Cells of a sheet, each of a type of its own, below a header.
grid_of_cells <- function(cells, origin, name) {
  text <- lapply(cells, function(column) vapply(column, cell_as_text, ""))
  lines <- do.call(cbind, text)
  head <- list(cells = lapply(seq_len(min(nrow(lines), 200L)), function(i) {
    ifelse(is.na(lines[i, ]), "", lines[i, ])
  }))
  n <- length(head$cells)
  head$next_line <- seq_len(n) + 1L
  head$rest <- seq_len(n)
  top <- header_of(head)
  rows <- seq_len(nrow(lines))
  rows <- rows[rows > top$start & rowSums(!is.na(lines)) > 0L]
  if (!length(rows)) return(NULL)
  columns <- Map(function(column, text) {
    column <- column[rows]
    text <- text[rows]
    there <- !is.na(text)
    of <- function(class) all(vapply(column[there], inherits, NA, class))
    if (!any(there)) return(rep(NA, length(rows)))
    if (of("POSIXct")) {
      days <- rep(NA_real_, length(rows))
      days[there] <- floor(vapply(column[there], as.numeric, 0) / 86400)
      return(.Date(days))
    }
    if (of("numeric")) {
      numbers <- rep(NA_real_, length(rows))
      numbers[there] <- vapply(column[there], as.numeric, 0)
      return(numbers)
    }
    factor(text, unique(text[there]))
  }, cells, text)
  headings <- top$names
  names(columns) <- headings
  # Columns that are wholly empty were never written.
  columns <- columns[nzchar(headings) | vapply(columns, function(v) !all(is.na(v)), NA)]
  new_grid(
    columns,
    origin,
    function(at) sprintf("row %s", some(rows[at])),
    remarks = if (top$titles) {
      sprintf("%s above the header left out", count(top$titles, "row"))
    } else {
      character()
    },
    name = name
  )
}

cell_as_text <- function(cell) {
  if (!length(cell) || is.na(cell)) return(NA_character_)
  if (inherits(cell, "POSIXct")) return(format(cell, "%Y-%m-%d", tz = "UTC"))
  if (is.numeric(cell)) return(core_shortest(cell))
  as.character(cell)
}
