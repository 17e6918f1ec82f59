# JSON files.

# What is another kind of thing than belongs there is told of the file.
undamaged <- function(file, reading) {
  tryCatch(reading, error = function(e) {
    if (inherits(e, "imbroglio_error")) stop(e)
    fail("file", sprintf("%s is damaged.", file), where = conditionMessage(e))
  })
}

read_json_of <- function(file) {
  tryCatch(
    parsed_json(file),
    error = function(e) {
      said <- strsplit(conditionMessage(e), "\n", fixed = TRUE)[[1L]]
      fail("file", sprintf("%s is no JSON.", file), where = said[1L])
    }
  )
}

parsed_json <- function(text) {
  jsonlite::fromJSON(text, simplifyDataFrame = FALSE, simplifyMatrix = FALSE)
}

# A record of ours, by its kind and form; `what` it is called.
read_record <- function(file, kind, form, what, remedy) {
  if (!file.exists(file)) fail("file", sprintf("There is no file %s.", file))
  record <- read_json_of(file)
  made_by <- if (is.list(record)) record$imbroglio
  if (!is.list(made_by) || !identical(made_by$kind, kind)) {
    fail("file", sprintf("%s is no record of %s.", file, what), remedy = remedy)
  }
  if (!identical(made_by$form, form)) {
    fail(
      "file", sprintf(
        "%s is of form %s, and this version reads %s.", file, shown(made_by$form), form
      ),
      where = sprintf("imbroglio %s wrote it.", shown(made_by$version))
    )
  }
  record
}
