# A file of limits: what each is of, which measure, where to warn and what must not be passed.

limit_needs <- c("of", "measure", "limit")

# `known`: the records of the measures, by name; `methods`: of value at risk. Gives `of`,
# `measure`, `warn`, `limit`, the choices of each, missing where nothing is said, and the currency
# of a limit in money (`unit`).
read_limits <- function(source, known, methods) {
  measures <- names(known)
  units <- vapply(known, `[[`, "", "unit")
  grid <- one_grid(source, "the limits")
  text <- text_of_limits(grid)
  place <- function(rows) sentence_case(grid$place(rows))
  measure <- lower_case(gsub("[- ]", "_", measure_of_words(text$measure)))
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
  unit <- money_of_limits(text, known, measure, place)
  for (name in c("warn", "limit")) text[[name]] <- without_money(text[[name]], unit)
  plain <- lapply(text, function(x) replace(x, !is.na(unit), NA))
  refuse_bare_percents(plain, known, measure, place)
  table <- data.frame(
    of = text$of,
    measure = measure,
    warn = limit_numbers(text$warn, place),
    limit = limit_numbers(text$limit, place),
    choices_of_limits(text, known, measure, place, methods),
    unit = unit
  )
  refuse_strange_limits(table, text, known, place)
  note_bare_fractions(table, plain, units[measure], grid$origin)
  twice <- which(duplicated(table[same_limit]))
  if (length(twice)) {
    fail(
      "limits",
      sprintf("%s of %s is limited twice.", table$measure[twice[1L]], table$of[twice[1L]]),
      where = paste0(place(twice[1L]), ".")
    )
  }
  table
}

# The cells of the columns that are known; what stands for nothing is missing.
text_of_limits <- function(grid) {
  headings <- plain_name(names(grid$columns))
  column <- vapply(limit_columns, first_heading, 0L, headings)
  lacking <- limit_needs[is.na(column[limit_needs])]
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
    cells <- trimmed(as.character(names_as_text(grid, names(grid$columns)[column[[name]]])))
    replace(cells, !nzchar(cells), NA_character_)
  })
  if (!length(text$of)) fail("limits", sprintf("There is no limit in %s.", grid$origin))
  empty <- which(is.na(text$of) | is.na(text$measure) | is.na(text$limit))
  if (length(empty)) {
    fail("limits", "A limit is of something, of a measure, and a number.", where = paste0(
      sentence_case(grid$place(empty)), "."
    ))
  }
  text
}

# A fraction above 1 is nearly always a percentage without its mark, and would limit nothing.
refuse_bare_percents <- function(text, known, measure, place) {
  unit <- vapply(known[measure], `[[`, "", "unit")
  for (name in c("warn", "limit")) {
    value <- suppressWarnings(as.numeric(text[[name]]))
    most <- ifelse(measure %in% with_trait("both_ways", known), 0.1, 1)
    bare <- which(unit %in% c("fraction", "share") & !is.na(value) & abs(value) > most)
    if (!length(bare)) next
    i <- bare[1L]
    fail(
      "limits",
      sprintf("%s would be %s %%.", text[[name]][i], format(100 * value[i], trim = TRUE)),
      where = paste0(place(i), "."),
      remedy = sprintf(
        "Write %s%%%s.", text[[name]][i],
        if (abs(value[i]) > 1) {
          ", or as a fraction"
        } else {
          sprintf(", or %s%%", format(100 * value[i], trim = TRUE))
        }
      )
    )
  }
}

# A limit that nothing can pass, or that is passed before its warning.
refuse_strange_limits <- function(table, text, known, place) {
  size <- function(x, depth) ifelse(depth, abs(x), x)
  records <- known[table$measure]
  depth <- vapply(records, `[[`, NA, "depth")
  above <- vapply(records, `[[`, "", "wrong") == "above"
  positive <- vapply(records, `[[`, NA, "positive")
  refuse <- function(i, name, problem, remedy) {
    fail(
      "limits",
      sprintf("%s of %s: %s", table$measure[i], table$of[i], problem),
      where = sprintf("%s.", place(i)), remedy = remedy, value = text[[name]][i]
    )
  }
  for (name in c("limit", "warn")) {
    below <- which(!is.na(table[[name]]) & table[[name]] < 0 & positive)
    if (length(below)) {
      refuse(below[1L], name, sprintf(
        "%s of %s is below 0, which it never is.",
        if (name == "limit") "a limit" else "a warning", text[[name]][below[1L]]
      ), "A loss is written as a positive number.")
    }
  }
  away <- (size(table$warn, depth) - size(table$limit, depth)) * ifelse(above, 1, -1)
  late <- which(!is.na(away) & away > 0)
  if (length(late)) {
    i <- late[1L]
    refuse(i, "warn", sprintf(
      "its warning, %s, lies beyond its limit, %s.", text$warn[i], text$limit[i]
    ), if (above[i]) "A warning is at most the limit." else "A warning is at least the limit.")
  }
}

# How a fraction was read is said once, with the first of them.
note_bare_fractions <- function(table, text, unit, origin) {
  bare <- which(
    unit %in% c("fraction", "share") & !is.na(text$limit) &
      !grepl("%", text$limit, fixed = TRUE) & table$limit != 0
  )
  if (!length(bare)) return(invisible())
  i <- bare[1L]
  note("limits", sprintf(
    "%s of %s without %% %s read as %s: %s of %s at %s is %s %%.",
    count(length(bare), "limit"), origin, if (length(bare) == 1L) "is" else "are",
    if (length(bare) == 1L) "a fraction" else "fractions",
    table$measure[i], table$of[i], text$limit[i], format(100 * table$limit[i], trim = TRUE)
  ))
}

# 0.03, 3% or 3 %; with a decimal comma where it can be nothing else (2,5 %, not 2,500).
limit_numbers <- function(text, place) {
  comma <- grepl("^[-+]?[0-9]*,([0-9]{1,2}|[0-9]{4,}) ?%?$", text)
  text[comma] <- sub(",", ".", text[comma], fixed = TRUE)
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
  value <- as.numeric(ifelse(nzchar(plain), plain, NA)) * ifelse(grepl("%$", text), 0.01, 1)
  endless <- which(is.infinite(value))
  if (length(endless)) {
    fail(
      "limits", sprintf("%s is more than a number can hold.", text[endless[1L]]),
      where = paste0(place(endless[1L]), ".")
    )
  }
  value
}

# Two lines that agree in these limit the same.
same_limit <- c("of", "measure", "horizon", "level", "method", "window", "period", "unit")

# What a limit is measured by, where its line says so.
choices_of_limits <- function(text, known, measure, place, methods) {
  in_time <- with_trait("in_time", known)
  refuse <- function(i, problem, remedy = NULL) {
    fail("limits", problem, where = sprintf("%s.", place(i)), remedy = remedy)
  }
  for (name in c("horizon", "level", "method")) {
    other <- which(!is.na(text[[name]]) & !measure %in% in_time)
    if (length(other)) {
      refuse(other[1L], sprintf(
        "A limit of %s has no %s: it is of %s.", measure[other[1L]], name, some(in_time)
      ))
    }
  }
  for (i in which(!is.na(text$horizon))) {
    if (is.null(parts_of_time(text$horizon[i]))) {
      refuse(i, sprintf("%s is no horizon.", shown(text$horizon[i])), "Write 1 day, 10 days.")
    }
  }
  level <- limit_numbers(text$level, place)
  wrong <- which(!is.na(level) & (level <= 0 | level >= 1))
  if (length(wrong)) {
    refuse(wrong[1L], sprintf("%s is no level.", text$level[wrong[1L]]), "Write 0.99, or 99%.")
  }
  method <- lower_case(gsub("[ _]", "-", text$method))
  wrong <- which(!is.na(method) & !method %in% methods)
  if (length(wrong)) {
    refuse(
      wrong[1L], sprintf("There is no method %s.", text$method[wrong[1L]]),
      did_you_mean(method[wrong[1L]], methods) %||%
        sprintf("There are %s.", some(methods, 30L))
    )
  }
  window <- limit_numbers(text$window, place)
  wrong <- which(!is.na(window) & (window != round(window) | window < 2 | window > 1e6))
  if (length(wrong)) {
    refuse(wrong[1L], sprintf("%s is no window of returns.", text$window[wrong[1L]]))
  }
  period <- vapply(seq_along(measure), function(i) {
    period_of_limit(text$period[i], measure[i], known, function(...) refuse(i, ...))
  }, "")
  data.frame(
    horizon = text$horizon, level = level, method = method, window = as.integer(window),
    period = period
  )
}

# Of a loss the time it is over, of others the period of the returns.
period_of_limit <- function(text, measure, known, refuse) {
  if (is.na(text)) return(NA_character_)
  plain <- lower_case(text)
  to_date <- c("month to date", "quarter to date", "year to date")
  if (measure == "loss") {
    if (plain %in% to_date || !is.null(parts_of_time(plain))) return(plain)
    refuse(sprintf("%s is no time of a loss.", shown(text)), sprintf(
      "Write 1 day, 1 week, 5 days, or %s.", some(to_date)
    ))
  }
  if (known[[measure]]$of_book || known[[measure]]$depth) {
    refuse(sprintf("A limit of %s has no period.", measure))
  }
  every <- sub("s$", "", sub("^1 ", "", plain))
  every <- c(names(frequencies), every)[match(
    plain, vapply(frequencies, `[[`, "", "adverb"), length(frequencies) + 1L
  )]
  if (!every %in% names(frequencies)) {
    refuse(sprintf("%s is no period of returns.", shown(text)), sprintf(
      "There are %s.", some(names(frequencies), 10L)
    ))
  }
  every
}

money_pattern <- "^([-+]?[0-9][0-9,]*([.][0-9]+)?) *([A-Za-z]{3}|money)$"

# The currency that a limit is in, or "money"; NA of all others.
money_of_limits <- function(text, known, measure, place) {
  unit_in <- function(x) ifelse(grepl(money_pattern, x), sub(money_pattern, "\\3", x), NA)
  unit <- unit_in(text$limit)
  in_money <- with_trait("in_money", known)
  other <- which(!is.na(unit) & !measure %in% in_money)
  if (length(other)) {
    fail(
      "limits", sprintf("A limit of %s is not in money.", measure[other[1L]]),
      where = sprintf("%s.", place(other[1L])),
      remedy = sprintf("%s are.", some(in_money))
    )
  }
  warned <- unit_in(text$warn)
  differ <- which(!is.na(text$warn) & !mapply(identical, warned, unit))
  if (length(differ)) {
    fail(
      "limits",
      sprintf(
        "The warning, %s, is not in what the limit is in, %s.", text$warn[differ[1L]],
        text$limit[differ[1L]]
      ),
      where = sprintf("%s.", place(differ[1L]))
    )
  }
  unit
}

without_money <- function(text, unit) {
  ifelse(is.na(unit), text, gsub(",", "", sub(money_pattern, "\\1", text), fixed = TRUE))
}
