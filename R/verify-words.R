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
    all(looked_up$apart == 0L & looked_up$there == looked_up$rows) &&
    all(attr(x, "files") == "written")
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
    files_text(attr(x, "files"))
  )
}

from_words <- function(x) {
  if (is.null(attr(x, "origin"))) " from the data in the file" else " from these prices"
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

# What of the data is in the prices, in a sentence for each security.
looked_up_text <- function(found, origin) {
  if (!NROW(found)) return(NULL)
  lines <- vapply(seq_len(nrow(found)), function(i) {
    one <- found[i, ]
    held <- if (one$holds == "close") "close" else "return"
    what <- sprintf(
      "%s of %s, %s to %s", count(one$rows, held), one$security, one$from, one$to
    )
    if (!one$there) return(sprintf("None of the %s is there.", what))
    lacking <- if (one$there < one$rows) {
      sprintf("; %s not there", count(one$rows - one$there, "is", "are"))
    } else {
      ""
    }
    if (!one$apart) return(sprintf("%s: the same%s.", what, lacking))
    sprintf(
      "%s: %s, first on %s: %s here, %s there%s.", what,
      count(one$apart, "is another number", "are other numbers"), one$first,
      number_exact(one$was), number_exact(one$now), lacking
    )
  }, "")
  c("", folded(sprintf("Looked up in %s:", origin)), indented(lines))
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
