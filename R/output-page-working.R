# The workings in the appendix of a page. Rows whose workings have the same steps share them: the
# first is shown with its numbers put in, of the others the value of each step.

# `most`: workings of one part that are shown; what is left out is said.
workings_of_part <- function(result, id, most = 400L) {
  none <- list(rows = NULL, columns = character(), html = character())
  if (!inherits(result, "imbroglio_result") || !nrow(result)) return(none)
  rows <- seq_len(nrow(result))
  if (through_time(result)) {
    rows <- rows[!duplicated(as.data.frame(result)[series_keys(result)], fromLast = TRUE)]
  }
  shown <- utils::head(rows, most)
  made <- lapply(shown, function(row) {
    tryCatch(
      suppressWarnings(suppressMessages(working_of_row(result, row, "all"))),
      imbroglio_error = function(e) NULL
    )
  })
  known <- !vapply(made, is.null, NA)
  if (!any(known)) return(none)
  names_of <- rep(NA_character_, nrow(result))
  names_of[shown[known]] <- sprintf("w-%s-%d", id, shown[known])
  made <- made[known]
  same <- vapply(made, function(w) {
    paste(c(w$step, vapply(w$expression, expression_key, "")), collapse = "\r")
  }, "")
  groups <- split(seq_along(made), factor(same, unique(same)))
  anchors <- names_of[shown[known]]
  columns <- unique(unlist(lapply(made, function(w) intersect(w$step, names(result)))))
  left <- length(rows) - length(shown)
  list(
    rows = names_of,
    columns = columns,
    html = c(
      unlist(lapply(groups, function(g) group_of_workings(made[g], anchors[g]))),
      if (left > 0L) {
        sprintf(
          "<p class=\"notes\">%s more of this part: <code>imbroglio working</code> shows any.</p>",
          count(left, "working")
        )
      }
    )
  )
}

expression_key <- function(expression) if (is.null(expression)) "" else one_line(expression)

group_of_workings <- function(made, anchors) {
  first <- made[[1L]]
  c(
    sprintf("<article id=\"%s\">", anchors[1L]),
    sprintf("<h4>%s</h4>", escaped(working_title(first))),
    sprintf("<p>%s</p>", escaped(data_words(first))),
    "<ol class=\"steps\">",
    steps_part(first),
    "</ol>",
    sprintf(
      "<p class=\"notes\">Measured %s; by this working apart by %s.</p>",
      number_exact(attr(first, "measured")),
      format(abs(attr(first, "difference")), digits = 2L)
    ),
    if (length(made) > 1L) values_of_others(made[-1L], anchors[-1L]),
    "</article>"
  )
}

# Of the others each step's value, a column a step.
values_of_others <- function(made, anchors) {
  first <- made[[1L]]
  single <- vapply(first$value, length, 0L) == 1L
  steps <- which(single)
  heads <- paste0("<th scope=\"col\">", c("of", first$step[steps]), "</th>", collapse = "")
  rows <- vapply(seq_along(made), function(i) {
    working <- made[[i]]
    row <- attr(working, "row")
    keys <- intersect(c("security", "other", "method", "family", "level", "horizon"), names(row))
    of <- paste(vapply(row[keys], format, ""), collapse = ", ")
    cells <- vapply(steps, function(k) {
      value <- working$value[[k]]
      if (length(value) == 1L) value_text(value, working$unit[k]) else ""
    }, "")
    sprintf(
      "<tr id=\"%s\"><th scope=\"row\">%s</th>%s</tr>",
      anchors[i],
      escaped(of),
      paste0("<td class=\"r\">", escaped(cells), "</td>", collapse = "")
    )
  }, "")
  c(
    "<div class=\"wide\" tabindex=\"0\" role=\"region\" aria-label=\"The same steps of others\">",
    sprintf("<table class=\"plain\"><caption>The same steps of %s</caption>",
            if (length(made) == 1L) "another row" else "the other rows"),
    sprintf("<thead><tr>%s</tr></thead><tbody>", heads),
    rows,
    "</tbody></table></div>"
  )
}
