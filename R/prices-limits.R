# A file of limits: what each is of, which measure, where to warn and what must not be passed.

limit_columns <- list(
  of = c("of", "security", "holding", "subject"),
  measure = "measure",
  warn = c("warn", "warnat", "warning"),
  limit = c("limit", "limitat", "most", "atmost")
)

# `units`: of the measures that are known, by name. Gives `of`, `measure`, `warn`, `limit`.
read_limits <- function(source, units) {
  measures <- names(units)
  grid <- one_grid(source, "the limits")
  headings <- plain_name(names(grid$columns))
  column <- vapply(limit_columns, function(known) match(TRUE, headings %in% known), 0L)
  lacking <- names(column)[is.na(column) & names(column) != "warn"]
  if (length(lacking)) {
    fail(
      "limits",
      sprintf("The limits have no column %s.", some(lacking)),
      where = sprintf("They have %s.", some(names(grid$columns))),
      remedy = "A line is such as: BOOK,var,2.5%,3% under of,measure,warn,limit."
    )
  }
  idle <- setdiff(seq_along(headings), column)
  if (length(idle)) {
    note("limits", sprintf("Not used of the limits: %s.", some(names(grid$columns)[idle])))
  }
  text <- lapply(stats::setNames(nm = names(column)), function(name) {
    if (is.na(column[[name]])) return(rep(NA_character_, length(grid$columns[[1L]])))
    trimmed(as.character(names_as_text(grid, names(grid$columns)[column[[name]]])))
  })
  place <- function(rows) sentence_case(grid$place(rows))
  if (!length(text$of)) fail("limits", sprintf("There is no limit in %s.", grid$origin))
  empty <- which(is.na(text$of) | is.na(text$measure) | is.na(text$limit))
  if (length(empty)) {
    fail("limits", "A limit is of something, of a measure, and a number.", where = paste0(
      place(empty), "."
    ))
  }
  measure <- lower_case(gsub("[- ]", "_", text$measure))
  other <- which(!measure %in% measures)
  if (length(other)) {
    fail(
      "limits",
      sprintf("There is no measure %s to limit.", text$measure[other[1L]]),
      where = paste0(place(other[1L]), "."),
      remedy = did_you_mean(measure[other[1L]], measures) %||%
        sprintf("There are %s.", some(measures, 30L))
    )
  }
  refuse_bare_percents(text, units[measure], place)
  table <- data.frame(
    of = text$of,
    measure = measure,
    warn = limit_numbers(text$warn, place),
    limit = limit_numbers(text$limit, place)
  )
  twice <- which(duplicated(table[c("of", "measure")]))
  if (length(twice)) {
    fail(
      "limits",
      sprintf("%s of %s is limited twice.", table$measure[twice[1L]], table$of[twice[1L]]),
      where = paste0(place(twice[1L]), ".")
    )
  }
  table
}

# A fraction above 1 is nearly always a percentage without its mark, and would limit nothing.
refuse_bare_percents <- function(text, unit, place) {
  for (name in c("warn", "limit")) {
    value <- suppressWarnings(as.numeric(text[[name]]))
    bare <- which(unit %in% c("fraction", "share") & !is.na(value) & abs(value) > 1)
    if (!length(bare)) next
    i <- bare[1L]
    fail(
      "limits",
      sprintf("%s would be %s %%.", text[[name]][i], format(100 * value[i], trim = TRUE)),
      where = paste0(place(i), "."),
      remedy = sprintf("Write %s%%, or as a fraction.", text[[name]][i])
    )
  }
}

# 0.03, 3% or 3 %.
limit_numbers <- function(text, place) {
  plain <- sub(" ?%$", "", text)
  number <- "^[-+]?([0-9]+[.]?[0-9]*|[.][0-9]+)(e[-+]?[0-9]+)?$"
  ok <- is.na(text) | !nzchar(text) | grepl(number, plain)
  if (!all(ok)) {
    wrong <- which(!ok)[1L]
    fail(
      "limits",
      sprintf("%s is no number of a limit.", shown(text[wrong])),
      where = paste0(place(wrong), "."),
      remedy = "Write 0.03, or 3%, with a decimal point."
    )
  }
  as.numeric(ifelse(nzchar(plain), plain, NA)) * ifelse(grepl("%$", text), 0.01, 1)
}
