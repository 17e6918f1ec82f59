# What the docs say that stands in the records, as roxygen reads it.

units_in_docs <- c(
  text = "text", written = "text", date = "date", moment = "time, UTC", truth = "TRUE or FALSE",
  count = "count", price = "price", money = "money", p = "p-value", level = "fraction",
  share = "fraction", fraction = "fraction", small = "fraction", points = "fraction",
  small_points = "fraction", ratio = "number", one = "number", two = "number", four = "number",
  significant = "number", scientific = "number", number = "number"
)

# The columns of a result, and of the tables that go with it.
columns_in_docs <- function(name) {
  record <- record_of(name)
  said <- function(columns, shares) {
    units <- vapply(c(known_columns()[shares], columns), `[[`, "", "unit")
    paste0(paste(sprintf("`%s` (%s)", names(units), units_in_docs[units]), collapse = ", "), ".")
  }
  tables <- Filter(function(table) length(c(table$columns, table$shares)) > 0L, record$tables)
  c(
    "@section Columns and their units:",
    if (length(c(record$columns, record$shares))) said(record$columns, record$shares),
    unlist(lapply(names(tables), function(table) {
      c("", sprintf(
        "Of %s: %s", title_of_result(table), said(tables[[table]]$columns, tables[[table]]$shares)
      ))
    }))
  )
}

# What can be followed through time, or limited.
followed_in_docs <- function(known) {
  rows <- vapply(names(known), function(name) {
    one <- known[[name]]
    sprintf(
      "| `%s` | %s | at %s%s |", name, one$says, if (one$wrong == "above") "most" else "least",
      if (one$depth) ", by size" else ""
    )
  }, "")
  c("@details", "| measure | what it is | a limit is |", "|---|---|---|", rows)
}
