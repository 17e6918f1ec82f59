# The sheets of rows of a workbook: prices, returns, and what is made of them row by row. Workings
# over the same rows share a sheet, and what is the same column of several stands there once.

# The plans of the workings with the `sheet` and the `letter` of all of their columns, and the
# sheets: of each its rows and its columns.
rows_in_sheets <- function(plans, inputs, taken) {
  keys <- lapply(plans, function(plan) {
    vapply(plan$rows, rows_key, "", plan = plan, inputs = inputs)
  })
  sheets <- new_sheets(plans, keys, taken)
  for (i in seq_along(plans)) {
    for (j in seq_along(plans[[i]]$rows)) {
      key <- keys[[i]][[j]]
      placed <- place_columns(plans[[i]], j, sheets[[key]])
      plans[[i]] <- placed$plan
      sheets[[key]] <- placed$sheet
    }
  }
  ends <- lapply(sheets, function(sheet) {
    if (!sheet$spanned) return(character())
    stats::setNames(openxlsx::int2col(length(sheet$heads) + 1:2), c("first", "last"))
  })
  for (i in seq_along(plans)) {
    for (j in seq_along(plans[[i]]$rows)) {
      plans[[i]]$rows[[j]]$ends <- ends[[keys[[i]][[j]]]]
    }
  }
  sheets <- lapply(sheets, with_ends)
  names(sheets) <- vapply(sheets, `[[`, "", "name")
  list(plans = plans, sheets = sheets)
}

# Behind all columns the first and the last row in use, which formulas over all rows look up.
with_ends <- function(sheet) {
  if (!sheet$spanned) return(sheet)
  k <- length(sheet$heads)
  dates <- sprintf("$A$2:$A$%d", max(sheet$rows))
  sheet$heads <- c(sheet$heads, "first row in use", "last row in use")
  sheet$users <- c(sheet$users, list(character(), character()))
  sheet$columns[[k + 1L]] <- list(sprintf("COUNTIF(%s,\"<\"&%s)+1", dates, sheet$from))
  sheet$columns[[k + 2L]] <- list(sprintf("COUNTIF(%s,\"<=\"&%s)", dates, sheet$to))
  sheet
}

# What rows share that can stand beside each other: their dates, and the cells of the first and
# the last.
rows_key <- function(one, plan, inputs) {
  own <- vapply(inputs, function(input) {
    one$spanned && input$choice$unit == "date" && plan$tag %in% input$tags
  }, NA)
  digest::digest(
    list(one$record$name, one$record$dates, one$all, one$spanned, one$first, one$last, which(own)),
    algo = "xxhash64"
  )
}

# Named as its rows; by the first working where several have rows of that name.
new_sheets <- function(plans, keys, taken) {
  firsts <- !duplicated(unlist(keys))
  rows <- unlist(lapply(plans, `[[`, "rows"), FALSE)[firsts]
  of_plans <- function(part) rep(vapply(plans, `[[`, "", part), lengths(keys))[firsts]
  tags <- of_plans("tag")
  own <- of_plans("sheet_tag")
  names_of <- vapply(rows, function(one) sentence_case(one$record$name), "")
  again <- names_of %in% names_of[duplicated(names_of)]
  sheets <- lapply(seq_along(rows), function(i) {
    one <- rows[[i]]
    name <- sheet_name(trimws(paste(names_of[i], if (again[i]) own[i])), taken)
    taken <<- c(taken, name)
    heads <- c(if (one$dated) "date", if (one$spanned) "row_in_span")
    list(
      name = name, rows = seq_len(one$all) + 1L, dated = one$dated, spanned = one$spanned,
      from = name_in_book("date_from", tags[i]), to = name_in_book("date_to", tags[i]),
      heads = heads, columns = list(), contents = rep("", length(heads)),
      users = rep(list(character()), length(heads))
    )
  })
  stats::setNames(sheets, unlist(keys)[firsts])
}

# The columns of a working in their sheet: as new ones, or those that stand there.
place_columns <- function(plan, j, sheet) {
  one <- plan$rows[[j]]
  one$sheet <- sheet$name
  put <- function(name, column, content) {
    at <- match(content, sheet$contents)
    if (is.na(at)) {
      at <- length(sheet$heads) + 1L
      sheet$heads[at] <<- name
      sheet$contents[at] <<- content
      sheet$columns[[at]] <<- column
      sheet$users[[at]] <<- character()
    }
    sheet$users[[at]] <<- c(sheet$users[[at]], plan$label)
    one$letter[[name]] <<- openxlsx::int2col(at)
    plan$rows[[j]] <<- one
  }
  one$letter <- stats::setNames(openxlsx::int2col(seq_along(sheet$heads)), sheet$heads)
  one$letter <- one$letter[intersect(names(one$letter), c("date", "row_in_span"))]
  plan$rows[[j]] <- one
  r <- one$record
  if (one$dated) sheet$columns[[1L]] <- in_sheet(as.numeric(r$dates), "date")
  if (one$spanned && length(sheet$columns) < 2L) {
    limit <- function(end) name_in_book(paste0(r$name, "_", end), plan$tag)
    sheet$columns[[2L]] <- sprintf(
      "IF(AND(ROW()-1>=%1$s,ROW()-1<=%2$s),ROW()-%1$s,0)", limit("first"), limit("last")
    )
  }
  for (name in one$data) {
    put(name, r$columns[[name]], digest::digest(unname(r$columns[[name]]), algo = "xxhash64"))
  }
  for (name in one$computed) {
    template <- row_template(plan$written$steps[[name]], one, plan, names_in_formulas(plan))
    put(name, template, template)
  }
  list(plan = plan, sheet = sheet)
}

# The head of a sheet of rows, and the looks of its columns by one row; the rows are its cells.
write_rows_sheet <- function(book, sheet) {
  columns <- seq_along(sheet$heads)
  heads <- vapply(columns, function(i) {
    # What the labels of all that use it have in common.
    words <- Reduce(intersect, strsplit(sheet$users[[i]], " ", fixed = TRUE))
    paste(c(sheet$heads[i], words), collapse = " ")
  }, "")
  openxlsx::writeData(book, sheet$name, t(heads), colNames = FALSE)
  openxlsx::addStyle(book, sheet$name, workbook_style("head"), 1L, columns)
  openxlsx::setRowHeights(book, sheet$name, 1L, 15 * ceiling(max(nchar(heads)) / 12))
  if (sheet$dated) {
    openxlsx::addStyle(book, sheet$name, workbook_style(number_format("date")), 2L, 1L)
  }
  openxlsx::freezePane(book, sheet$name, firstRow = TRUE, firstCol = sheet$dated)
  openxlsx::setColWidths(book, sheet$name, columns, ifelse(heads == "row_in_span", 8, 13))
  openxlsx::pageSetup(
    book,
    sheet$name,
    orientation = "landscape",
    fitToWidth = TRUE,
    fitToHeight = FALSE,
    printTitleRows = 1L
  )
}
