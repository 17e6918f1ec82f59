# What was verified, in words.

#' @export
format.imbroglio_verified <- function(x, ...) verified_text(x)

#' @export
print.imbroglio_verified <- function(x, ...) {
  writeLines(verified_text(x))
  invisible(x)
}

# Some of its rows are a table.
#' @export
`[.imbroglio_verified` <- function(x, ...) {
  loadNamespace("tibble")
  plain_table(x)[...]
}

# Whether all numbers are the same, from data that are those of the prices, and the files as they
# were written.
is_verified <- function(x) {
  looked_up <- attr(x, "looked_up")
  !any(x$state == "differs") &&
    all(is_as_it_was(looked_up)) &&
    all(attr(x, "files") == "written")
}

# `more` is unknown where it is not said how many lay between.
is_as_it_was <- function(looked_up) {
  looked_up$apart == 0L & looked_up$there == looked_up$rows & looked_up$more %in% c(0, NA)
}

verified_text <- function(x, most = 20L) {
  many <- attr(x, "workings") > 1L
  apart <- which(x$state == "differs")
  entered <- which(x$state == "entered")
  c(
    folded(sprintf(
      "%s: %s, written by imbroglio %s.", attr(x, "file"),
      if (many) count(attr(x, "workings"), "working") else x$working[1L], attr(x, "version")
    )),
    "",
    folded(if (length(apart)) {
      sprintf(
        "%s of %s %s when computed again%s.", count(length(apart)), count(nrow(x), "number"),
        if (length(apart) == 1L) "differs" else "differ", from_words(x)
      )
    } else {
      sprintf(
        "All %s derived %s the same, computed again%s.",
        count(nrow(x) - length(entered)),
        if (nrow(x) - length(entered) == 1L) "number is" else "numbers are", from_words(x)
      )
    }),
    if (length(apart)) c("", apart_table(x, utils::head(apart, most), many)),
    if (length(apart) > most) sprintf("and %s more.", count(length(apart) - most)),
    if (length(entered)) {
      folded(sprintf(
        "%s entered, and taken as %s: %s.", count(length(entered), "is", "are"),
        if (length(entered) == 1L) "it stands" else "they stand",
        some(unique(x$number[entered]), 12L)
      ))
    },
    looked_up_text(attr(x, "looked_up"), attr(x, "origin")),
    made_data_text(attr(x, "made_data")),
    files_text(attr(x, "files"))
  )
}

verified_json <- function(x) {
  files <- attr(x, "files")
  object_json(c(
    list(
      verified = lower_case(is_verified(x)),
      file = text_json(attr(x, "file")),
      version = text_json(attr(x, "version")),
      numbers = table_json(as.data.frame(x)),
      looked_up = table_json(attr(x, "looked_up")),
      made_data = array_json(text_json(attr(x, "made_data")))
    ),
    if (length(files)) {
      list(files = object_json(stats::setNames(as.list(text_json(files)), names(files))))
    }
  ), lines = TRUE)
}

table_json <- function(table) {
  if (!NROW(table)) return("[]")
  cells <- lapply(table, function(column) {
    if (inherits(column, "Date")) return(vapply(column, value_json, "", unit = "date"))
    if (is.numeric(column)) numbers_json(column, FALSE) else text_json(column)
  })
  fields <- Map(function(name, cell) paste0(text_json(name), ": ", cell), names(cells), cells)
  array_json(sprintf("{%s}", do.call(paste, c(unname(fields), sep = ", "))))
}

from_words <- function(x) {
  if (is.null(attr(x, "origin"))) return(" from the data in the file")
  found <- attr(x, "looked_up")
  whole <- !length(attr(x, "made_data")) && all(found$there == found$rows)
  sprintf(" from these prices%s", if (whole) "" else ", and from the file what they do not have")
}

apart_table <- function(x, rows, many) {
  shown <- data.frame(
    number = x$number[rows],
    stated = verified_value(x$stated[rows], x$unit[rows]),
    again = verified_value(x$again[rows], x$unit[rows]),
    apart = ifelse(
      is.finite(x$apart[rows]), paste(number_text(signif(100 * x$apart[rows], 3L)), "%"),
      "unknown in one"
    ),
    rows = ifelse(
      x$rows[rows] > 1L, sprintf("%s of %s", count(x$rows_apart[rows]), count(x$rows[rows])), ""
    )
  )
  if (all(x$rows[rows] == 1L)) shown$rows <- NULL
  if (many) shown <- cbind(working = x$working[rows], shown)
  text_table(shown)
}

verified_value <- function(value, unit) {
  vapply(seq_along(value), function(i) value_text(value[i], unit[i]), "")
}

# What of the data is in the prices: what is as it was together, in the longest span of each
# security; all else in a sentence of its own.
looked_up_text <- function(found, origin) {
  if (!NROW(found)) return(NULL)
  same <- is_as_it_was(found)
  whole <- found[same, ]
  whole <- whole[order(-whole$rows), ]
  whole <- whole[!duplicated(whole[c("security", "holds")]), ]
  alike <- unname(split(whole, paste(whole$holds, whole$from, whole$to, whole$rows)))
  lines <- c(
    vapply(alike, function(one) {
      several <- if (nrow(one) > 1L) " each" else ""
      sprintf("%s%s: the same.", values_found(one, some(one$security, 8L)), several)
    }, ""),
    vapply(which(!same), function(i) other_data(found[i, ]), "")
  )
  c("", folded(sprintf("Looked up in %s:", origin)), indented(lines))
}

made_data_text <- function(columns) {
  if (!length(columns)) return(NULL)
  folded(sprintf(
    "Not looked up, as no table has what was drawn, carried or made: %s.", some(columns, 8L)
  ))
}

values_found <- function(one, of) {
  held <- held_words[[one$holds[1L]]]
  if (one$rows[1L] == 1L) held <- sub("s$", "", held)
  sprintf("%s %s of %s, %s to %s", count(one$rows[1L]), held, of, one$from[1L], one$to[1L])
}

other_data <- function(one) {
  what <- values_found(one, one$security)
  if (!one$there) return(sprintf("%s: none is there.", what))
  said <- c(
    if (one$apart) sprintf(
      "%s, first on %s: %s here, %s there",
      count(one$apart, "is another number", "are other numbers"), one$first,
      number_exact(one$was), number_exact(one$now)
    ),
    if (one$there < one$rows) count(one$rows - one$there, "is not there", "are not there"),
    if (isTRUE(one$more > 0)) {
      count(one$more, "more lies between, not there then", "more lie between, not there then")
    },
    if (isTRUE(one$more < 0)) {
      sprintf("%s between that were left out are gone", count(-one$more))
    }
  )
  sprintf("%s: %s.", what, paste(said, collapse = "; "))
}

files_text <- function(files) {
  if (is.null(files)) return(NULL)
  other <- files[files != "written"]
  c("", folded(if (length(other)) {
    sprintf(
      "Of %s in the folder %s not as written: %s.", count(length(files), "file"),
      count(length(other), "is", "are"),
      some(sprintf("%s (%s)", names(other), other), 12L)
    )
  } else {
    sprintf("The %s in the folder are as they were written.", count(length(files), "file"))
  }))
}
