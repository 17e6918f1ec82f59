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
