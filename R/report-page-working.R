# The workings in the appendix of a page. Rows whose workings have the same steps share them: the
# first is shown with its numbers put in, of the others the steps of which the value is another.
# Of a working no more is kept than its text: its columns are as long as the sample. What it can be
# computed again by goes into the record of a study.

# `most`: workings of one part that are shown, `room`: letters that their steps may take; what is
# left out is said.
workings_of_part <- function(result, id, most = 400L, room = 6e5) {
  none <- list(rows = NULL, columns = character(), html = character(), sums = NULL)
  if (!inherits(result, "imbroglio_result") || !nrow(result)) return(none)
  rows <- seq_len(nrow(result))
  if (through_time(result)) {
    rows <- rows[!duplicated(as.data.frame(result)[series_keys(result)], fromLast = TRUE)]
  }
  shown <- utils::head(rows, most)
  heads <- list()
  skipped <- 0L
  made <- lapply(shown, function(row) {
    if (sum(nchar(unlist(heads))) > room) {
      skipped <<- skipped + 1L
      return(NULL)
    }
    working <- tryCatch(
      suppressWarnings(suppressMessages(working_of_row(result, row, "all"))),
      imbroglio_error = function(e) NULL
    )
    if (is.null(working)) return(NULL)
    anchor <- sprintf("w-%s-%d", id, row)
    key <- working_key(working)
    if (is.null(heads[[key]])) heads[[key]] <<- head_of_workings(working, anchor)
    c(
      list(key = key, anchor = anchor, row = row, sums = sums_of_record(working, row)),
      values_in_text(working, names(result))
    )
  })
  made <- Filter(Negate(is.null), made)
  if (!length(made)) return(none)
  names_of <- rep(NA_character_, nrow(result))
  names_of[vapply(made, `[[`, 0L, "row")] <- vapply(made, `[[`, "", "anchor")
  groups <- split(made, factor(vapply(made, `[[`, "", "key"), names(heads)))
  left <- length(rows) - length(shown) + skipped
  list(
    rows = names_of,
    columns = unique(unlist(lapply(made, `[[`, "columns"))),
    sums = sums_together(lapply(made, `[[`, "sums")),
    html = c(
      unlist(lapply(names(groups), function(key) {
        c(heads[[key]], values_of_others(groups[[key]]), "</article>")
      })),
      if (left > 0L) {
        sprintf(
          "<p class=\"notes\">%s more of this part: <code>imbroglio working</code> shows any.</p>",
          count(left, "working")
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
  expressions <- vapply(working$expression, function(e) if (is.null(e)) "" else one_line(e), "")
  digest::digest(c(working$step, expressions), algo = "xxhash64")
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
values_in_text <- function(working, columns) {
  row <- attr(working, "row")
  keys <- intersect(c("security", "other", "method", "family", "level", "horizon"), names(row))
  keys <- keys[!vapply(row[keys], is.na, NA)]
  single <- which(lengths(working$value) == 1L)
  text <- vapply(single, function(k) value_text(working$value[[k]], working$unit[k]), "")
  text[text %in% c("NA", "NaN")] <- "-"
  list(
    of = paste(vapply(row[keys], format, ""), collapse = ", "),
    # Where it is from is said by the first.
    over = paste(utils::head(data_words(working), -1L), collapse = "; "),
    values = stats::setNames(text, working$step[single]),
    columns = intersect(working$step, columns)
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
  heads <- c("of", steps[differ], if (own_data) "data")
  c(
    "<div class=\"wide\" tabindex=\"0\" role=\"region\" aria-label=\"The same steps of others\">",
    sprintf(
      "<table class=\"plain\"><caption>The same steps of %s, where they differ</caption>", caption
    ),
    sprintf(
      "<thead><tr>%s</tr></thead><tbody>",
      paste0("<th scope=\"col\">", escaped(heads), "</th>", collapse = "")
    ),
    rows,
    "</tbody></table></div>"
  )
}
