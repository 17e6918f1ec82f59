# The command that says what an answer in JSON is.

command_of_schema <- function() {
  list(
    group = "Check the number, and hand it on",
    place = 90,
    says = "what an answer in JSON is made of: its columns, their types and units",
    takes = "[RESULT]",
    options = c("out", "help"),
    help = c(out = "write to a file: .json"),
    example = c("imbroglio schema var", "imbroglio schema"),
    writes = "table",
    run = run_schema
  )
}

run_schema <- function(files, options) {
  known <- results_known()
  if (length(files) > 1L) fail("argument", "schema takes one result.")
  if (!length(files)) {
    titles <- gsub("_", " ", vapply(known, title_of_result, ""), fixed = TRUE)
    names_shown <- formatC(known, width = -max(nchar(known)))
    hand_over_lines(paste0(names_shown, "  ", titles), options, "text")
    return(0L)
  }
  if (!files %in% known) {
    fail(
      "argument", sprintf("There is no result %s.", files),
      remedy = did_you_mean(files, known) %||% "imbroglio schema lists them."
    )
  }
  hand_over_lines(answer_schema(files), options, "json")
  0L
}

# Those that have columns: some records only gather what belongs together.
results_known <- function() {
  records <- all_records()
  of_tables <- unlist(lapply(records, function(one) names(one$tables)), use.names = FALSE)
  Filter(function(name) {
    table <- table_of_record(name)
    length(c(table$columns, table$shares)) > 0L
  }, sort(unique(c(names(records), of_tables))))
}
