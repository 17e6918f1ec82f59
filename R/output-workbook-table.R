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
  openxlsx::saveWorkbook(book, path, overwrite = TRUE)
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
