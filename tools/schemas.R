# Writes inst/answer/columns.json: the columns that every answer of a measure has, of all cases of
# all records.
house <- new.env(parent = asNamespace("imbroglio"))
for (file in list.files("tests/testthat", "^helper", full.names = TRUE)) sys.source(file, house)
results <- house$answers_of_cases()
columns <- imbroglio:::columns_of_answers(results)
writeLines(jsonlite::toJSON(columns, auto_unbox = TRUE), "inst/answer/columns.json")
