# Writes beside the target and then renames, so that a file is whole or as it was.
write_whole <- function(path, write) {
  folder <- dirname(path)
  if (!dir.exists(folder)) fail("file", sprintf("There is no folder %s to write to.", folder))
  if (dir.exists(path)) fail("file", sprintf("%s is a folder.", path), remedy = "Name a file in it.")
  part <- tempfile(".imbroglio-", folder, paste0(".", tools::file_ext(path)))
  on.exit(unlink(part))
  tryCatch(write(part), imbroglio_error = stop, error = function(e) {
    fail("file", sprintf("%s could not be written.", path), where = conditionMessage(e))
  })
  if (!file.rename(part, path)) fail("file", sprintf("%s could not be written.", path))
  invisible(path)
}

# JSON by our own layout; the strings by jsonlite.
as_json <- function(result) {
  quoted <- function(x) {
    each <- unique(x)
    vapply(each, function(s) as.character(jsonlite::toJSON(s, auto_unbox = TRUE)), "",
           USE.NAMES = FALSE)[match(x, each)]
  }
  cells <- function(x) {
    if (inherits(x, "Date")) x <- core_iso_days(x)
    text <- if (is.numeric(x)) core_shortest(x) else if (is.logical(x)) tolower(x) else quoted(as.character(x))
    text[is.na(x) | (is.numeric(x) & !is.finite(x))] <- "null"
    text
  }
  object <- function(fields) paste0("{", paste0(quoted(names(fields)), ": ", fields, collapse = ", "), "}")
  rows <- function(table) {
    if (!nrow(table)) return("[]")
    fields <- Map(function(name, column) paste0(quoted(name), ": ", cells(column)), names(table), table)
    paste0("[\n    {", paste(do.call(paste, c(unname(fields), sep = ", ")), collapse = "},\n    {"), "}\n  ]")
  }
  found <- basis(result)
  simple <- found[c("from", "to", "securities", "kind", "every", "per_year", "seed", "origin", "digest")]
  about <- c(
    vapply(simple, cells, ""),
    observations = object(vapply(found$observations, cells, "")),
    dropped = rows(found$dropped),
    repairs = paste0("[", paste(cells(found$repairs), collapse = ", "), "]"),
    choices = if (length(found$choices)) object(vapply(found$choices, cells, "")) else "{}"
  )
  paste0("{\n  \"imbroglio\": ",
         object(c(version = quoted(found$version), measure = quoted(attr(result, "measure")))),
         ",\n  \"basis\": ", object(about), ",\n  \"results\": ", rows(as.data.frame(result)), "\n}")
}

# Spreadsheet programs run a cell that starts like a formula; text that does gets
# an apostrophe before it.
as_csv <- function(table) {
  guarded <- function(x) {
    risky <- grepl("^[=+@\t\r-]", x)
    x[risky] <- paste0("'", x[risky])
    x
  }
  cells <- lapply(table, function(x) {
    if (inherits(x, "Date")) return(core_iso_days(x))
    if (is.numeric(x)) return(ifelse(is.na(x), NA_character_, core_shortest(x)))
    guarded(as.character(x))
  })
  names(cells) <- guarded(names(cells))
  to <- tempfile()
  on.exit(unlink(to))
  data.table::fwrite(cells, to, na = "", quote = "auto")
  readLines(to, encoding = "UTF-8")
}
