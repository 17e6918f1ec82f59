# Writes docs/workings.md: how each number of each measure comes about.
`%||%` <- function(x, y) if (is.null(x)) y else x # nolint
library(imbroglio)
for (file in c("helper.R", "helper-cases.R", "helper-working.R")) {
  source(file.path("tests", "testthat", file))
}
found <- list()
each_working(function(working, result, row, info) {
  found[[length(found) + 1L]] <<- kinds_of_numbers(result, row, working)
})
writeLines(lines_of_kinds(do.call(rbind, found)), "docs/workings.md")
