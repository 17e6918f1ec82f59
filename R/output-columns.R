# What each column of a result is called for people, and its unit. `detail` columns
# are for the working and stay out of text tables.
known_columns <- list(
  security = list(label = "security", unit = "text"),
  window = list(label = "window", unit = "count"),
  from = list(label = "from", unit = "date"),
  to = list(label = "to", unit = "date"),
  date = list(label = "date", unit = "date"),
  n = list(label = "n", unit = "count"),
  volatility = list(label = "volatility", unit = "fraction"),
  volatility_annual = list(label = "a year", unit = "fraction"),
  max_drawdown = list(label = "max drawdown", unit = "fraction"),
  peak = list(label = "peak", unit = "date"),
  trough = list(label = "trough", unit = "date"),
  recovery = list(label = "recovery", unit = "date"),
  method = list(label = "method", unit = "text"),
  rank = list(label = "rank", unit = "text"),
  level = list(label = "level", unit = "level"),
  horizon = list(label = "horizon", unit = "count"),
  horizon_by = list(label = "by", unit = "text"),
  var = list(label = "VaR", unit = "fraction"),
  es = list(label = "ES", unit = "fraction"),
  var_value = list(label = "VaR, money", unit = "money"),
  es_value = list(label = "ES, money", unit = "money"),
  position = list(label = "k", unit = "number"),
  observed = list(label = "observed", unit = "date"),
  worse = list(label = "next worse", unit = "fraction", detail = TRUE),
  milder = list(label = "next milder", unit = "fraction", detail = TRUE),
  finding = list(label = "finding", unit = "text"),
  detail = list(label = "detail", unit = "text"),
  severity = list(label = "severity", unit = "text"),
  remedy = list(label = "remedy", unit = "text"),
  by = list(label = "by", unit = "number", detail = TRUE),
  row = list(label = "row", unit = "count", detail = TRUE)
)

unit_text <- list(
  text = function(x) ifelse(is.na(x), "-", x),
  date = function(x) ifelse(is.na(x), "-", format(x)),
  count = function(x) count(x),
  number = function(x) format(round(x, 2), trim = TRUE, drop0trailing = TRUE),
  level = function(x) paste(trimws(formatC(100 * x, digits = 6, format = "fg")), "%"),
  fraction = function(x) percent(x),
  money = function(x) money(x)
)

percent <- function(x, digits = 2L) {
  shown <- paste(formatC(100 * x, format = "f", digits = digits, big.mark = ","), "%")
  ifelse(is.na(x), "-", sub("^-(0\\.?0* %)$", "\\1", shown))
}

money <- function(x) {
  digits <- ifelse(abs(x) < 1000, 2L, 0L)
  shown <- mapply(function(v, d) formatC(v, format = "f", digits = d, big.mark = ","), x, digits)
  ifelse(is.na(x), "-", as.character(shown))
}

# A choice that is the same in every row stands in the basis and need not be repeated.
columns_to_show <- function(table) {
  constant <- vapply(table, function(v) length(unique(v)) <= 1L, NA)
  choice <- names(table) %in% c("method", "rank", "horizon", "horizon_by", "window")
  detail <- vapply(names(table), function(name) isTRUE(known_columns[[name]]$detail), NA)
  names(table)[!detail & !(choice & constant)]
}

# The table as text: a header line, then a line a row. Numbers to the right.
text_table <- function(table) {
  shown <- lapply(stats::setNames(nm = columns_to_show(table)), function(name) {
    column <- known_columns[[name]] %||% list(label = name,
                                              unit = if (is.numeric(table[[name]])) "number" else "text")
    cells <- c(column$label, unit_text[[column$unit]](table[[name]]))
    formatC(cells, width = if (column$unit %in% c("text", "date")) -max(nchar(cells)) else max(nchar(cells)))
  })
  sub(" +$", "", do.call(paste, c(unname(shown), sep = "  ")))
}
