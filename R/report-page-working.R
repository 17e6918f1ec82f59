# The workings in the appendix of a page. Rows whose workings have the same steps share them: the
# first is shown with its numbers put in, of the others the steps of which the value is another.
# Of a working no more is kept than its text: its columns are as long as the sample. What it can be
# computed again by goes into the record of a study.

workings_of_part <- function(result, id) {
  if (!inherits(result, "imbroglio_result") || !nrow(result)) return(workings_together(list()))
  rows <- seq_len(nrow(result))
  if (through_time(result)) {
    rows <- rows[!duplicated(as.data.frame(result)[series_keys(result)], fromLast = TRUE)]
  }
  made <- workings_together(lapply(rows, function(row) {
    list(result = result, row = row, anchor = sprintf("w-%s-%d", id, row))
  }))
  if (length(made$html)) made$rows <- made$anchors[match(seq_len(nrow(result)), rows)]
  made
}

# Of rows of results, those of one kind beside each other. `most`: workings that are shown, `room`:
# letters that their steps may take; what is left out is said. `anchors`: where each stands, NA
# where it has none; `columns`: the numbers that have one
# anywhere, `columns_of` an anchor.
workings_together <- function(items, most = 400L, room = 6e5) {
  heads <- list()
  skipped <- max(0L, length(items) - most)
  made <- lapply(utils::head(items, most), function(item) {
    if (sum(nchar(unlist(heads))) > room) {
      skipped <<- skipped + 1L
      return(NULL)
    }
    working <- tryCatch(
      suppressWarnings(suppressMessages(working_of_row(item$result, item$row, "all"))),
      imbroglio_error = function(e) NULL
    )
    if (is.null(working)) return(NULL)
    key <- working_key(working)
    if (is.null(heads[[key]])) heads[[key]] <<- head_of_workings(working, item$anchor)
    c(
      list(key = key, anchor = item$anchor, sums = sums_of_record(working, item$row)),
      values_in_text(working, names(item$result), item$called)
    )
  })
  has <- !vapply(made, is.null, NA)
  anchors <- rep(NA_character_, length(items))
  anchors[which(has)] <- vapply(items[which(has)], `[[`, "", "anchor")
  made <- made[has]
  if (!length(made)) return(list(anchors = anchors, columns = character(), html = character()))
  groups <- split(made, factor(vapply(made, `[[`, "", "key"), names(heads)))
  list(
    anchors = anchors,
    columns = unique(unlist(lapply(made, `[[`, "columns"))),
    columns_of = stats::setNames(lapply(made, `[[`, "columns"), anchors[has]),
    sums = sums_together(lapply(made, `[[`, "sums")),
    html = c(
      unlist(lapply(names(groups), function(key) {
        others <- groups[[key]][-1L]
        c(
          heads[[key]], values_of_others(groups[[key]]),
          unlist(lapply(others, `[[`, "disagrees")), "</article>"
        )
      })),
      if (skipped) {
        sprintf(
          "<p class=\"notes\">%s more of this part: <code>imbroglio working</code> shows any.</p>",
          count(skipped, "working")
        )
      }
    )
  )
}

# `needs`: the digests of their data.
sums_together <- function(sums) {
  data <- unlist(lapply(unname(sums), `[[`, "data"))
  list(
    workings = unlist(lapply(unname(sums), `[[`, "workings")),
    needs = unique(names(data)),
    data = data[!duplicated(names(data))]
  )
}

working_key <- function(working) {
  digest::digest(unlist(steps_of_any(working)[c("names", "text")]), algo = "xxhash64")
}

# The steps as they are of each row: what is of the row's own security is its, but for what the
# working has of the others too. `own`: how that begins, NA where there is none.
steps_of_any <- function(working) {
  names_of <- working$step
  text <- vapply(working$expression, function(e) if (is.null(e)) "" else one_line(e), "")
  security <- attr(working, "row")$security
  own <- if (length(security) && !is.na(security)) paste0(unique_names(security), "_") else NA
  if (!any(grepl(own, text, fixed = TRUE) %in% TRUE)) {
    return(list(names = names_of, text = text, own = NA_character_))
  }
  begins <- startsWith(names_of, own)
  alone <- begins & !vapply(names_of, among_others, NA, names_of, own)
  names_of[alone] <- sub(own, "its ", names_of[alone], fixed = TRUE)
  of_row <- (!begins | alone) & !vapply(text, function(one) {
    words <- regmatches(one, gregexpr("[A-Za-z][A-Za-z0-9_]*", one))[[1L]]
    any(vapply(unique(words[startsWith(words, own)]), among_others, NA, words, own))
  }, NA)
  text[of_row] <- gsub(paste0("\\b", own), "its ", text[of_row])
  list(names = names_of, text = text, own = own)
}

# Whether the same is there of others.
among_others <- function(name, names_of, own) {
  any(endsWith(names_of[!startsWith(names_of, own)], substring(name, nchar(own))))
}

head_of_workings <- function(working, anchor) {
  c(
    sprintf("<article id=\"%s\">", anchor),
    sprintf("<h4>%s</h4>", escaped(working_title(working))),
    sprintf("<p>%s</p>", escaped(data_words(working))),
    choices_part(working, "h5"),
    "<ol class=\"steps\">",
    steps_part(working),
    "</ol>",
    sprintf(
      "<p class=\"notes\">Measured %s; by this working apart by %s.</p>",
      number_exact(attr(working, "measured")),
      format(abs(attr(working, "difference")), digits = 2L)
    ),
    disagrees_part(working)
  )
}

# What is kept of a working: whose it is, and the value of each step that is one number.
values_in_text <- function(working, columns, called = NULL) {
  row <- attr(working, "row")
  keys <- intersect(c("security", "other", "method", "family", "level", "horizon"), names(row))
  keys <- keys[!vapply(row[keys], is.na, NA)]
  single <- which(lengths(working$value) == 1L)
  text <- vapply(single, function(k) value_text(working$value[[k]], working$unit[k]), "")
  text[text %in% c("NA", "NaN")] <- "-"
  any_row <- steps_of_any(working)
  list(
    own = any_row$own,
    of = if (length(called) && !is.na(called)) {
      called
    } else {
      paste(vapply(row[keys], format, ""), collapse = ", ")
    },
    # Where it is from is said by the first.
    over = paste(utils::head(data_words(working), -1L), collapse = "; "),
    values = stats::setNames(text, any_row$names[single]),
    columns = intersect(working$step, columns),
    disagrees = disagrees_part(working)
  )
}

# Of the others each step's value, a column a step, where it is not that of all.
values_of_others <- function(group) {
  if (length(group) < 2L) return(NULL)
  steps <- Reduce(intersect, lapply(group, function(one) names(one$values)))
  values <- vapply(group, function(one) unname(one$values[steps]), character(length(steps)))
  values <- matrix(values, length(steps))
  differ <- apply(values, 1L, function(v) length(unique(v)) > 1L)
  others <- group[-1L]
  cells <- values[differ, -1L, drop = FALSE]
  over <- vapply(others, `[[`, "", "over")
  own_data <- any(over != group[[1L]]$over)
  rows <- vapply(seq_along(others), function(i) {
    sprintf(
      "<tr id=\"%s\"><th scope=\"row\">%s</th>%s%s</tr>",
      others[[i]]$anchor,
      escaped(others[[i]]$of),
      paste0("<td class=\"r\">", escaped(cells[, i]), "</td>", collapse = ""),
      if (own_data) sprintf("<td class=\"said\">%s</td>", escaped(over[i])) else ""
    )
  }, "")
  caption <- if (length(others) == 1L) "another row" else "the other rows"
  own <- group[[1L]]$own
  aside <- if (is.na(own)) "" else sprintf("; each has its own for %s", escaped(own))
  heads <- c("of", steps[differ], if (own_data) "data")
  c(
    "<div class=\"wide\" tabindex=\"0\" role=\"region\" aria-label=\"The same steps of others\">",
    sprintf(
      "<table class=\"plain\"><caption>The same steps of %s, where they differ%s</caption>",
      caption, aside
    ),
    sprintf(
      "<thead><tr>%s</tr></thead><tbody>",
      paste0("<th scope=\"col\">", escaped(heads), "</th>", collapse = "")
    ),
    rows,
    "</tbody></table></div>"
  )
}
