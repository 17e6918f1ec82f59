# From the body of an answer to a page of a table, checked.

# One page of a table that is what the feed says it is; anything else is a condition of class
# imbroglio_error_page.
read_page <- function(pending, answer) {
  said <- said_of_page(answer)
  table <- rows_of_page(answer, pending, said)
  page <- list(rows = table, state = said$state)
  # Each page is what it says, and together they are not.
  disagree <- function(...) fail("pages", sprintf(...))
  other <- unique(vapply(pending$pages, `[[`, "", "state"))
  if (length(other) && !identical(other, page$state)) {
    disagree("the prices changed between two pages")
  }
  total <- sum(vapply(pending$pages, function(p) nrow(p$rows), 0L)) + nrow(table)
  if (total > said$total || (is.null(said$following) && total != said$total)) {
    disagree("%s came of %s", count(total, "row"), count(said$total))
  }
  if (is.null(said$following)) return(list(kind = "whole", page = page))
  list(kind = "page", page = page, url = url_of_next(pending, said$following, nrow(table)))
}

doubt_page <- function(...) fail("page", sprintf(...))

# What the headers of an answer say: its form, its rows and those of all pages, its digest, its
# state, and where the next page begins.
said_of_page <- function(answer) {
  header <- function(name) httr2::resp_header(answer, name)
  type <- httr2::resp_content_type(answer)
  if (!type %in% c("text/csv", "application/json")) {
    doubt_page("the answer is %s, not a table", if (is.na(type)) "of no type" else type)
  }
  rows <- suppressWarnings(as.numeric(c(header("Feed-Rows"), header("Feed-Total"))))
  if (length(rows) != 2L ||
      anyNA(rows) || is.null(header("Feed-Digest")) || is.null(header("Feed-State"))) {
    doubt_page("the answer does not say how many rows it has, or of which state it is")
  }
  list(
    type = type, rows = rows[1L], total = rows[2L], digest = lower_case(header("Feed-Digest")),
    state = header("Feed-State"), following = header("Feed-Next")
  )
}

# The table of an answer: whole by its digest, of the columns and rows that were asked for.
rows_of_page <- function(answer, pending, said) {
  body <- body_of(answer)
  if (!identical(said$digest, digest::digest(body, algo = "sha256", serialize = FALSE))) {
    doubt_page("the answer was cut off or changed on its way: its digest does not agree")
  }
  table <- tryCatch(
    if (said$type == "text/csv") page_csv(body) else page_json(body),
    error = function(e) doubt_page("the table in the answer cannot be read")
  )
  table <- tryCatch(page_columns(table, pending$columns), error = function(e) {
    doubt_page("%s", conditionMessage(e))
  })
  if (nrow(table) != said$rows) {
    doubt_page("the answer has %s instead of %s", count(nrow(table), "row"), count(said$rows))
  }
  if (nrow(table)) {
    tryCatch(check_asked(table, pending), error = function(e) {
      fail("pages", conditionMessage(e))
    })
  }
  table
}

url_of_next <- function(pending, following, rows) {
  if (!rows) doubt_page("the answer has no row and says there are more")
  cursor <- paste0("next=", utils::URLencode(following, reserved = TRUE))
  joint <- if (grepl("?", pending$start, fixed = TRUE)) "&" else "?"
  url <- paste0(pending$start, joint, cursor)
  if (identical(url, pending$url)) doubt_page("the answer names itself as the next page")
  url
}

# Only what was asked for, and nothing twice.
check_asked <- function(table, pending) {
  asked <- pending$asked
  strange <- setdiff(table$security, asked$security %||% table$security)
  if (length(strange)) {
    stop(sprintf("there are rows of %s, which was not asked for", some(strange)))
  }
  if (is.null(table$date)) return(invisible())
  low <- if (is.null(asked$from)) -Inf else as.numeric(as.Date(asked$from))
  high <- if (is.null(asked$to)) Inf else as.numeric(as.Date(asked$to))
  if (any(table$date < low | table$date > high)) stop("there are dates that were not asked for")
  every_one <- do.call(
    rbind,
    c(
      lapply(pending$pages, function(p) p$rows[c("security", "date")]),
      list(table[c("security", "date")])
    )
  )
  twice <- anyDuplicated(
    match(every_one$security, unique(every_one$security)) * 1e7 + every_one$date
  )
  if (twice) stop("there are two rows for the same date")
}

page_csv <- function(body) {
  text <- rawToChar(body)
  Encoding(text) <- "UTF-8"
  if (!validUTF8(text)) stop("encoding")
  first <- utils::head(body, 65536L)
  ends <- which(first == as.raw(10L) | first == as.raw(13L))
  named <- strsplit(
    if (length(ends)) substr(text, 1L, ends[1L] - 1L) else text,
    ",",
    fixed = TRUE
  )[[1L]]
  textual <- intersect(named, c("security", "name", "currency", "group", "benchmark"))
  table_of_text(text, textual)
}

page_json <- function(body) {
  text <- rawToChar(body)
  Encoding(text) <- "UTF-8"
  if (!jsonlite::validate(text)) stop("no JSON")
  table <- jsonlite::fromJSON(text)
  if (identical(table, list())) return(data.frame())
  if (!is.data.frame(table)) stop("no table")
  table
}

# The columns that are known, as what they should be: days as numbers, prices as numbers.
page_columns <- function(table, columns) {
  if (!nrow(table)) {
    return(stats::setNames(as.data.frame(rep(list(numeric()), length(columns))), columns))
  }
  lacking <- setdiff(intersect(c("security", "date"), columns), names(table))
  if (length(lacking)) stop(sprintf("the table has no column %s", lacking[1L]))
  out <- lapply(stats::setNames(nm = intersect(columns, names(table))), function(name) {
    v <- table[[name]]
    if (name %in% c("security", "name", "currency", "group", "benchmark")) return(as.character(v))
    if (name %in% c("date", "from", "to")) {
      day <- if (inherits(v, "Date")) {
        as.numeric(v)
      } else {
        as.numeric(parse_iso_dates(as.character(v)))
      }
      if (name == "date" && anyNA(day)) stop("there is a date in the table that is none")
      return(day)
    }
    if (all(is.na(v))) return(rep(NA_real_, length(v)))
    if (!is.numeric(v)) stop(sprintf("%s in the table is no number", name))
    as.numeric(v)
  })
  if (anyNA(out$security) || !all(nzchar(out$security))) stop("there is a row without a security")
  as.data.frame(out, check.names = FALSE, stringsAsFactors = FALSE)
}
