#' Read a result in words
#'
#' One plain sentence for each row of a result (for a rolling one, for each security and
#' window), with the
#' number, its unit and what it means.
#'
#' @param result The result of a `measure_*()` function.
#' @return A character vector.
#' @family what a result is
#' @examples
#' returns <- as_returns(read_prices(demo_file("bay.csv")))
#' in_words(measure_var(returns[, "BAYALL"], level = c(0.95, 0.99), value = 1e6))
#' @export
in_words <- function(result) {
  said <- words_of(result)
  if (!length(said) && nrow(result)) {
    fail(
      "argument", sprintf("There are no sentences of this: %s.", lower_case(title_of(result))),
      remedy = "Read the measure that it is a listing of."
    )
  }
  with_reading(said, basis(result)$book)
}

words_of <- function(result) UseMethod("words_of")

#' @export
words_of.default <- function(result) {
  fail_in_r(
    "argument",
    "Only the result of a measure is read in words.",
    where = sprintf("This is %s.", shown(result)),
    remedy = if (inherits(result, "imbroglio_grouped")) {
      "Ungroup it first."
    } else {
      "Columns that were taken out or changed make it a plain table: see ?results."
    }
  )
}

# A number a row, by the record.
#' @export
words_of.imbroglio_result <- function(result) {
  if (!is.null(result[["window"]])) return(rolling_in_words(result))
  reading <- readings(result)
  if (is.null(reading)) return(character())
  sprintf("%s: %s%s.", result$security, reading$write(result[[reading$column]]), reading$is)
}

# Where a book is named first in a sentence, which reading of it is meant; before all else, that it
# ends before what is known.
with_reading <- function(said, book) {
  if (is.null(book$name)) return(said)
  at <- regexpr(
    sprintf("(?<![[:alnum:]])\\Q%s\\E(?![[:alnum:]])", gsub("\\E", "", book$name, fixed = TRUE)),
    said,
    perl = TRUE
  )
  untold <- at > 0L & !grepl(book$held, said, fixed = TRUE)
  ends <- at + attr(at, "match.length")
  after <- substring(said, ends)
  comma <- ifelse(grepl("^[[:punct:]]", after), "", ",")
  said[untold] <- paste0(substr(said, 1L, ends - 1L), ", ", book$held, comma, after)[untold]
  opening <- paste(c(book$until, book$opening), collapse = "")
  if (!nzchar(opening)) return(said)
  ifelse(startsWith(said, opening), said, paste0(opening, said))
}

# Several sentences of one book: what was made for all of them is said with the first.
opened_once <- function(said, result) {
  opening <- basis(result)$book$opening
  if (is.null(opening) || length(said) < 2L) return(said)
  c(said[1L], sub(opening, "", said[-1L], fixed = TRUE))
}

# How the rows of a result are told apart, by its record; NULL where they are not.
readings <- function(result) {
  name <- attr(result, "measure")
  told <- table_of_record(name)
  reading <- if (isTRUE(told$compared)) record_of(name)$compares else told$compares
  if (is.null(reading)) return(NULL)
  benchmarks <- paste(some(unique(result[["benchmark"]])), collapse = "")
  for (words in c("is", "of")) {
    reading[[words]] <- gsub("{benchmark}", benchmarks, reading[[words]], fixed = TRUE)
  }
  if (identical(basis(result)$kind, "profit")) reading$most <- reading$of_profits
  reading$write <- reading_writer(result, reading)
  reading
}

# A number of it by its unit; what is a share of wealth, with one digit.
reading_writer <- function(result, reading) {
  unit <- reading$write %||% known_columns()[[reading$column]]$unit
  plain <- if (unit %in% c("fraction", "small", "points")) {
    function(x) writer_of(result)(x, 1L)
  } else {
    unit_text[[unit]]
  }
  side <- if (reading$falling) -1 else 1
  function(x) paste0(reading$before, plain(side * x))
}

series_keys <- function(table) {
  intersect(c("security", "benchmark", "measure", "window", "method"), names(table))
}

rolling_in_words <- function(result) {
  table <- as.data.frame(result)
  reading <- readings(result)
  table$period <- adverb_of(every_by_row(result))
  key <- do.call(paste, c(unname(as.list(table[series_keys(table)])), sep = "\r"))
  parts <- split(table, factor(key, unique(key)))
  unname(vapply(parts, function(part) {
    how <- c(
      if (!is.null(part$window)) {
        sprintf(
          "over %s %s %s",
          count(part$window[1L]),
          part$period[1L],
          if (identical(basis(result)$kind, "profit")) "profits" else "returns"
        )
      },
      if (!is.null(part$method)) sprintf("by %s", part$method[1L])
    )
    what <- paste(c(part$security[1L], how), collapse = ", ")
    part <- part[!is.na(part[[reading$column]]), ]
    if (!nrow(part)) return(sprintf("%s: never as many returns.", what))
    value <- part[[reading$column]]
    size <- if (isTRUE(reading$falling)) -value else value
    sprintf(
      "%s: %s%s on %s; highest %s on %s, lowest %s on %s.",
      what,
      reading$write(value[length(value)]),
      reading$is,
      part$to[length(value)],
      reading$write(value[which.max(size)]),
      part$to[which.max(size)],
      reading$write(value[which.min(size)]),
      part$to[which.min(size)]
    )
  }, ""))
}

# One line that says the finding: the title of a figure, the first line of a text.
headline <- function(result) {
  if (nrow(result) == 0L) return("There is nothing to show.")
  with_reading(headline_of(result), basis(result)$book)
}

# Of measures whose finding is no comparison of rows it is a method of their own.
headline_of <- function(result) UseMethod("headline_of")

has_own_headline <- function(result) {
  any(vapply(class(result), function(name) {
    !is.null(utils::getS3method("headline_of", name, optional = TRUE))
  }, NA))
}

#' @export
headline_of.default <- function(result) {
  said <- words_of(result)
  if (!length(said)) return(paste0(title_of(result), "."))
  reading <- readings(result)
  if (length(said) == 1L || is.null(reading)) return(said[1L])
  table <- as.data.frame(result)
  rolling <- !is.null(table$window) || inherits(result, "imbroglio_volatility_series")
  table <- rows_to_compare(table, reading, rolling)
  if (!nrow(table)) {
    return(if (rolling) "No security has as many returns as the window." else said[1L])
  }
  one <- unique(table$security)
  if (length(one) == 1L && is.null(table[["other"]])) {
    # Others may stand on too little to be beside it.
    return(words_of(result[result$security == one, ])[1L])
  }
  most_and_least(table, reading, rolling)
}

# The rows that stand beside each other: of a rolling result the last of each security and window,
# where it stands now; of several ways to measure the first; none that stands on little.
rows_to_compare <- function(table, reading, rolling) {
  table <- table[!is.na(table[[reading$column]]), ]
  if (rolling) table <- table[!duplicated(table[series_keys(table)], fromLast = TRUE), ]
  for (key in c("method", "every", "span", "innovations")) {
    if (!is.null(table[[key]])) table <- table[table[[key]] == table[[key]][1L], ]
  }
  if (rolling || length(unique(table$security)) == 1L) table else table[!stands_on_little(table), ]
}

most_and_least <- function(table, reading, rolling) {
  size <- table[[reading$column]] * if (reading$falling) -1 else 1
  most <- which.max(size)
  least <- which.min(size)
  if (!is.null(reading$losing) && size[most] < 0) {
    reading[c("most", "least")] <- reading$losing
  }
  name <- if (is.null(table$other)) table$security else paste(table$security, "and", table$other)
  now <- if (rolling) {
    paste0(" now", if (!is.null(table$window)) {
      sprintf(" over %s returns", count(table$window[most]))
    })
  }
  sprintf(
    "%s %s%s (%s%s), %s %s (%s).",
    name[most],
    reading$most,
    now %||% "",
    reading$write(table[[reading$column]][most]),
    reading$of,
    name[least],
    reading$least,
    reading$write(table[[reading$column]][least])
  )
}
