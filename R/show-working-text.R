# A working as text for a terminal.

#' @export
format.imbroglio_working <- function(x, ...) working_text(x)

#' @export
print.imbroglio_working <- function(x, ...) {
  writeLines(working_text(x))
  invisible(x)
}

# Some steps of a working are a table, and no working.
#' @export
`[.imbroglio_working` <- function(x, ...) {
  loadNamespace("tibble")
  plain_table(x)[...]
}

working_text <- function(working) {
  c(
    working_title(working),
    "",
    working_numbers(working),
    "",
    "Data",
    indented(data_words(working)),
    if (length(attr(working, "written")$choices)) c("", "Choices", choices_text(working)),
    "",
    "Steps",
    steps_text(working),
    shows_text(working),
    "",
    ending_text(working),
    "",
    folded(paste("Basis:", format(attr(working, "basis"))))
  )
}

working_title <- function(working) {
  row <- attr(working, "row")
  keys <- c("security", "other", "benchmark", "method", "family", "level", "window", "horizon")
  said <- row[intersect(keys, names(row))]
  said <- said[!vapply(said, is.na, NA)]
  extra <- said[setdiff(names(said), "security")]
  who <- if (is.null(said$security)) "" else paste(" of", said$security)
  with <- if (length(extra)) {
    paste0(", ", paste(names(extra), vapply(extra, format, ""), collapse = ", "))
  } else {
    ""
  }
  paste0(attr(working, "title"), who, with, ". ", attr(working, "asks"))
}

working_numbers <- function(working) {
  asked <- attr(working, "asked")
  sprintf(
    "%s: %s",
    label_of(asked, working),
    unit_value(attr(working, "measured"), asked, working)
  )
}

label_of <- function(name, working) {
  # In a table the ends of an interval stand beside what it is of.
  end <- sub("^.*_(low|high)$", "\\1", name)
  if (end != name) {
    of <- label_of(sub("_(low|high)$", "", name), working)
    return(sprintf("%s, %s end of its interval", of, end))
  }
  column_of(name, attr(working, "measured"), attr(working, "basis")$kind,
            attr(working, "basis")$currency)$label
}

unit_value <- function(value, name, working) {
  column <- column_of(name, value, attr(working, "basis")$kind)
  trimws(unit_text[[column$unit]](value))
}

indented <- function(lines, by = 2L) {
  paste0(strrep(" ", by), strwrap(lines, 118L - by, exdent = 2L))
}

data_words <- function(working) {
  written <- attr(working, "written")
  about <- attr(working, "basis")
  row <- attr(working, "row")
  rows <- vapply(written$rows, function(r) {
    used <- rows_used(r)
    n <- length(used)
    # What was put in stands before the first return.
    put_in <- isTRUE(r$put_in)
    first <- used[if (put_in) 2L else 1L]
    when <- if (is.null(r$dates) || !n) {
      ""
    } else {
      sprintf(", %s to %s", r$dates[first], r$dates[used[n]])
    }
    of_all <- length(r$columns[[1L]])
    sprintf(
      "%s: %s%s%s%s",
      r$words,
      count(n - put_in),
      when,
      if (put_in) ", and what was put in before" else "",
      if (n < of_all) sprintf(", of %s that there are", count(of_all - put_in)) else ""
    )
  }, "")
  c(
    unname(rows),
    left_out_words(written$rows, about, row),
    changed_before_words(about, row),
    # A digest is computed when it is looked at, which sprintf() does in the midst of its work.
    paste0(
      "From ", about$origin, "; digest of ", if (is.null(about$book)) "its table" else "the book",
      ": ", about$digest, "."
    )
  )
}

# What was put right or adjusted; not of other securities.
changed_before_words <- function(about, row) {
  dated <- grepl("^\\S+ [0-9]{4}-[0-9]{2}-[0-9]{2}:", about$repairs)
  own <- sub(" .*$", "", about$repairs) %in% unlist(row[c("security", "other", "benchmark")])
  here <- about$repairs[!dated | own | !is.null(about$book)]
  if (length(here)) sprintf("Changed before: %s.", some(here, 3L))
}

# What there is between the first and the last row and is none of them; on which rows a last price
# stands.
left_out_words <- function(rows, about, row) {
  of_each <- function(field) {
    found <- unlist(lapply(unname(rows), `[[`, field))
    found <- found[found > 0]
    found[!duplicated(paste(names(found), found))]
  }
  unused <- of_each("unused")
  stood <- of_each("stood")
  gaps <- sum(unlist(lapply(rows, `[[`, "gaps")))
  window <- any(vapply(rows, function(r) isTRUE(r$window), NA))
  dropped <- about$dropped[about$dropped$security %in% unlist(row$security), , drop = FALSE]
  said <- c(
    # What is said of the whole sample is not said of a window of it.
    if (nrow(dropped) && !window) {
      sprintf("Left out: %s.", paste(count(dropped$n), dropped$reason, collapse = "; "))
    },
    if (length(unused)) {
      sprintf(
        "Left out, on dates that not all of them have: %s.",
        some(sprintf("%s of %s", count(unused), names(unused)), 12L)
      )
    },
    not_used_words(rows, unused),
    if (gaps) sprintf("The window has %s without a return.", count(gaps, "date")),
    if (length(stood)) {
      sprintf(
        "The last price stands: %s.",
        some(sprintf("on %s of %s", count(stood, "date"), names(stood)), 12L)
      )
    }
  )
  said %||% if (length(rows)) "Nothing is left out."
}

# What lies between the dates in use, or behind the last, as within a week of weekly returns.
not_used_words <- function(rows, unused) {
  of_each <- function(found) {
    found <- unlist(unname(found))
    found[!duplicated(names(found))]
  }
  between <- of_each(lapply(rows, function(r) {
    stats::setNames(r$left_out, r$of[names(r$left_out)])
  }))
  shared <- intersect(names(between), names(unused))
  between[shared] <- between[shared] - unused[shared]
  later <- of_each(lapply(rows, `[[`, "later"))
  listed <- function(found) {
    some(sprintf("%s of %s", count(found[found > 0]), names(found)[found > 0]), 12L)
  }
  c(
    if (any(between > 0)) {
      sprintf("Between these dates lie others that are not used: %s.", listed(between))
    },
    if (any(later > 0)) {
      sprintf("Behind them lie others that are not used: %s.", listed(later))
    }
  )
}

choices_text <- function(working) {
  written <- attr(working, "written")
  others <- other_choices(working)
  asked <- attr(working, "asked")
  lines <- vapply(written$choices, function(choice) {
    sprintf("%s = %s, %s", choice$name, value_text(choice$value, choice$unit), choice$words)
  }, "")
  taken <- c(names(written$choices), setdiff(unique(others$choice), names(written$choices)))
  unlist(lapply(taken, function(name) {
    these <- others[others$choice == name, , drop = FALSE]
    head <- if (name %in% names(lines)) {
      lines[[name]]
    } else {
      s <- written$steps[[name]]
      sprintf("%s, %s", name, s$words)
    }
    otherwise <- sprintf(
      "%s: %s",
      these$otherwise,
      vapply(these$number, unit_value, "", name = asked, working = working)
    )
    indented(c(
      head,
      if (length(otherwise)) paste("  otherwise", paste(otherwise, collapse = "; "))
    ))
  }))
}

value_text <- function(x, unit) {
  switch(
    unit,
    date = format(.Date(x)),
    count = count(x),
    # A step beside the estimate changes the last of its digits.
    likelihood = format(x, digits = 12L, big.mark = ","),
    number_text(x)
  )
}

steps_text <- function(working) {
  values <- attr(working, "values")
  scope <- list2env(values, language_scope())
  unlist(lapply(seq_len(nrow(working)), function(i) {
    name <- working$step[i]
    value <- values[[name]]
    expression <- working$expression[[i]]
    formula <- if (is.null(expression)) {
      sprintf("entered: %s", value_text(value[1L], working$unit[i]))
    } else {
      written_as <- sprintf("%s = %s", name, expression_text(expression))
      filled <- numbers_put_in(expression, values, scope)
      shown <- if (length(value) == 1L) value_text(value, working$unit[i]) else column_text(value)
      same <- is.null(filled) || filled == shown
      c(written_as, if (!same) sprintf("= %s", filled), sprintf("= %s", shown))
    }
    c(
      sprintf(
        "%3d  %s%s",
        i,
        working$words[i],
        if (nzchar(working$source[i])) sprintf("; %s", working$source[i]) else ""
      ),
      indented(formula, 7L)
    )
  }))
}

# The first values of a column and its last.
column_text <- function(value) {
  known <- value[!is.na(value)]
  shown <- number_text(known[unique(c(seq_len(min(3L, length(known))), length(known)))])
  if (length(known) > 4L) shown <- append(shown, "...", length(shown) - 1L)
  sprintf("%s in %s", paste(shown, collapse = "; "), count(length(known), "row"))
}

# The formula with the numbers in place of names, and of what makes one number of columns; of a
# column there is none.
numbers_put_in <- function(expression, values, scope = list2env(values, language_scope())) {
  is_number <- function(name) length(values[[name]]) == 1L
  put <- function(e) {
    if (is.numeric(e)) return(e)
    if (is.name(e)) {
      name <- as.character(e)
      if (!name %in% names(values)) return(e)
      return(if (is_number(name)) as.numeric(values[[name]]) else NULL)
    }
    if (identical(e[[1L]], quote(recursion))) return(NULL)
    if (!identical(e[[1L]], quote(`(`)) && language_of(as.character(e[[1L]]))$shape == "one") {
      return(eval(e, scope))
    }
    for (i in seq_along(e)[-1L]) {
      part <- put(e[[i]])
      if (is.null(part)) return(NULL)
      e[[i]] <- part
    }
    e
  }
  filled <- put(expression)
  if (is.null(filled)) NULL else expression_text(filled)
}

shows_text <- function(working) {
  unlist(lapply(attr(working, "shows"), function(one) {
    table <- one$table
    c("", one$title, paste0("  ", plain_text_table(table)))
  }))
}

plain_text_table <- function(table) {
  cells <- lapply(names(table), function(name) {
    x <- table[[name]]
    shown <- if (is.numeric(x)) number_text(x) else format(x)
    formatC(c(name, shown), width = max(nchar(c(name, shown))) * if (is.character(x)) -1L else 1L)
  })
  sub(" +$", "", do.call(paste, c(cells, sep = "  ")))
}

ending_text <- function(working) {
  asked <- attr(working, "asked")
  value <- attr(working, "values")[[asked]]
  measured <- attr(working, "measured")
  apart <- attr(working, "difference")
  c(
    sprintf("Measured     %s", number_exact(measured)),
    sprintf("This working %s", number_exact(value)),
    sprintf(
      "Apart by     %s%s",
      format(apart, digits = 2L),
      if (isTRUE(apart != 0) && measured != 0) {
        sprintf(", %s of it", format(abs(apart / measured), digits = 2L))
      } else {
        ""
      }
    ),
    if (length(attr(working, "disagrees"))) {
      sprintf("THE WORKING DISAGREES: %s", some(attr(working, "disagrees")))
    }
  )
}

# Which row of a result it is of, in a few words.
working_of_which <- function(working) {
  row <- attr(working, "row")
  keys <- c("security", "other", "benchmark", "method", "family", "level", "window", "to", "date")
  said <- row[intersect(keys, names(row))]
  some(vapply(said[!vapply(said, is.na, NA)], format, ""), 10L)
}
