# How a column of a result is shown.

# `currency`: what money is counted in, where that is known.
column_of <- function(name, values, kind = NULL, currency = NULL) {
  column <- known_columns()[[name]] %||% list(
    label = name,
    unit = if (is.numeric(values)) "number" else "text"
  )
  # Numbers that were written already.
  if (is.character(values) && !column$unit %in% c("text", "moment")) column$unit <- "written"
  if (is.null(known_columns()[[name]]) && any(kind == c("fractions", "amounts"))) {
    column$unit <- c(fractions = "fraction", amounts = "money")[[kind]]
  }
  # Of profits everything is in their own units.
  if (identical(kind, "profit") &&
      column$unit %in% c("fraction", "small", "points", "small_points")) {
    column$unit <- "money"
  }
  if (identical(kind, "profit")) {
    column$label <- sub("return", "profit", column$label, fixed = TRUE)
  }
  if (column$unit == "money" && !is.null(currency) && name != "volume") {
    column$label <- counted_label(column$label, currency)
  }
  column
}

# Estimates of several measures in one column, each in its own unit, as text.
written_columns <- c(
  "estimate", "warn", "limit", "over", "after", "estimate_other", "difference", "difference_error",
  "difference_low", "difference_high"
)

written_by_measure <- function(table) {
  known <- limit_measures()
  for (name in intersect(written_columns, names(table))) {
    unit <- vapply(table$measure, function(m) known[[m]]$unit %||% "number", "")
    # Differences of percentages.
    if (startsWith(name, "difference")) unit[unit %in% c("fraction", "share")] <- "points"
    unit[!is.na(table[["unit"]] %||% NA)] <- "money"
    table[[name]] <- vapply(seq_along(unit), function(i) {
      unit_text[[unit[i]]](table[[name]][i])
    }, "")
  }
  table
}
