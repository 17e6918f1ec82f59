# A grid: the columns of a table as they were handed over, before anything is known of what they
# mean: numbers, days, or text as a factor, and where each row stood. Files of prices, actions,
# securities and holdings all are read into one.

new_grid <- function(columns, origin, place = row_place, separator = NULL, remarks = character(),
                     name = NULL, again = NULL, marks = NULL) {
  structure(
    list(
      columns = columns, origin = origin, place = place, separator = separator, remarks = remarks,
      name = name, again = again, marks = marks
    ),
    class = "imbroglio_grid"
  )
}

row_place <- function(rows) sprintf("row %s", some(rows))

# The grids of a file: one, but for a workbook of several sheets.
read_grids <- function(path, sheet = NULL, separator = NULL) {
  file <- read_bytes(path)
  if (!is.null(sheet) && !file$kind %in% c("xlsx", "xls")) {
    fail("argument", sprintf("%s is no workbook, and has no sheets.", sentence_case(file$origin)))
  }
  switch(
    file$kind,
    xlsx = ,
    xls = read_workbook(file, sheet),
    parquet = list(read_parquet_grid(file)),
    sqlite = fail("file", sprintf("%s is a database, not a table.", sentence_case(file$origin))),
    text = list(read_text_grid(
      file, lower_case(tools::file_ext(sub("\\.[gx]z$", "", path))), separator
    ))
  )
}

# The one table of a file, or of a data frame, that is no table of prices.
one_grid <- function(source, what) {
  if (is.data.frame(source)) return(grid_of_frame(source, what))
  if (!is.character(source) || length(source) != 1L || is.na(source)) {
    fail(
      "argument",
      sprintf("%s must be a file or a data frame.", sentence_case(what)),
      where = sprintf("It is %s.", shown(source))
    )
  }
  grids <- read_grids(source)
  if (length(grids) > 1L) {
    fail(
      "layout",
      sprintf("There are %s in %s.", count(length(grids), "sheet"), basename(source)),
      remedy = sprintf("Keep %s in a file of one.", what)
    )
  }
  grids[[1L]]
}

grid_of_frame <- function(x, origin, place = row_place, ...) {
  refuse_nested_columns(x, origin)
  columns <- lapply(as.list(x), function(v) {
    if (is.factor(v)) v <- as.character(v)
    if (inherits(v, c("Date", "POSIXt", month_classes))) return(v)
    if (is.character(v)) {
      said <- unique(v)
      text <- in_utf8(enc2utf8(said))
      texts <- setdiff(text, c(NA, ""))
      return(structure(match(text, texts)[match(v, said)], levels = texts, class = "factor"))
    }
    if (is.logical(v) && all(is.na(v))) return(v)
    if (is.numeric(v)) as.numeric(v) else factor(as.character(v))
  })
  names(columns) <- trimmed(names(x) %||% rep("", length(columns)))
  new_grid(columns, origin, place, ...)
}

refuse_nested_columns <- function(x, origin) {
  nested <- vapply(as.list(x), function(v) {
    !is.null(dim(v)) || (is.list(v) && !inherits(v, "POSIXt"))
  }, NA)
  if (!any(nested)) return(invisible())
  fail(
    "layout",
    sprintf("Column %s of %s holds several values a row.", names(x)[nested][1L], origin),
    remedy = "Make a column of each."
  )
}

# What was said of how the prices are written counts for a table beside them where that can be
# read two ways.
if_unclear <- function(read, said) {
  tryCatch(read(NULL), imbroglio_error_ambiguous = function(e) {
    if (is.null(said)) stop(e) else read(said)
  })
}

trimmed <- function(text) {
  text <- in_utf8(enc2utf8(as.character(text)))
  gsub("^[ \t\u00a0\u202f]+|[ \t\u00a0\u202f]+$", "", text)
}

# Letters of the alphabet in lower case, in any language that R runs in.
lower_case <- function(text) {
  chartr("ABCDEFGHIJKLMNOPQRSTUVWXYZ", "abcdefghijklmnopqrstuvwxyz", text)
}

plain_name <- function(names) gsub("[^a-z0-9]", "", unaccented(lower_case(names)))

# ---- separated text ---------------------------------------------------------------------------

separators <- c(tab = "\t", `;` = ";", `|` = "|", comma = ",")

# Of a file that is read in pieces: how many lines stand before this one.
piece_of_text <- new.env(parent = emptyenv())

read_text_grid <- function(file, ending, separator = NULL) {
  if (ending %in% c("xlsx", "xls", "parquet")) {
    fail(
      "file",
      sprintf(
        "%s cannot be read as %s.",
        sentence_case(file$origin),
        if (ending == "parquet") "Parquet" else "a workbook"
      )
    )
  }
  text <- as_utf8(file$bytes, file$origin)
  bytes <- text$bytes
  shape <- shape_of_text(bytes, file$origin, separators[separators %in% separator])
  if (shape$malformed) refuse_open_quote(shape, file$origin)
  separator <- shape$separator
  refuse_columns(length(shape$names), file$origin)
  line <- shape$line + (piece_of_text$lines_before %||% 0)
  read <- core_delimited(bytes, shape$start, separator, line, length(shape$names))
  if (read$bad_line > 0) refuse_line(read, length(shape$names), file$origin)
  if (!read$rows) refuse_empty(file$origin)
  again <- text_again(bytes, shape$start, separator, read$rows)
  columns <- read$values
  headings <- trimmed(shape$names)
  # Names are text, whatever they look like.
  as_text <- which(
    read$torn |
      (plain_name(headings) %in% setdiff(security_names, weak_security_names) &
        vapply(columns, is.numeric, NA))
  )
  if (length(as_text)) columns[as_text] <- again(as_text)
  names(columns) <- headings
  # Numbers that have a decimal point for certain, between commas, need not be looked at again:
  # the file is let go, unless some of them may be names.
  if (separator == "," &&
      any(read$certain) &&
      !any(plain_name(headings) %in% security_names & vapply(columns, is.numeric, NA))) {
    again <- NULL
  }
  remarks <- c(
    text$remark,
    shape$remarks,
    if (length(read$below)) {
      sprintf("%s below the table left out", count(length(read$below), "line"))
    }
  )
  new_grid(
    columns,
    file$origin,
    line_place(read$lines),
    separator,
    remarks,
    file$name,
    again,
    list(point = read$point, certain = read$certain, words = read$words)
  )
}

# A column is a vector of its own, which takes more than the few numbers that are in one then.
most_columns <- 100000L

refuse_columns <- function(n, origin) {
  if (n <= most_columns) return(invisible())
  fail(
    "layout",
    sprintf("%s has %s; a wide table has %s at most.", sentence_case(origin),
            count(n, "column"), count(most_columns)),
    remedy = "Write it long: a row for each date and security."
  )
}

refuse_open_quote <- function(shape, origin) {
  fail(
    "layout",
    sprintf("The header of %s has a quote that does not end its cell.", origin),
    where = sprintf(
      "It begins \"%s\".",
      visible(substr(paste(shape$names, collapse = shape$separator), 1L, 80L))
    ),
    remedy = "Close the quote, or leave it out."
  )
}

# Functions of their own, so that they keep no more than they need.
text_again <- function(bytes, start, separator, rows) {
  force(rows)
  function(which) core_delimited_text(bytes, start, separator, rows, which)
}

line_place <- function(lines) {
  force(lines)
  if (length(lines) > 1L) {
    function(rows) sprintf("line %s", some(lines[rows]))
  } else {
    function(rows) sprintf("line %s", some(lines + rows - 1L))
  }
}

refuse_line <- function(read, columns, origin) {
  fail(
    "layout",
    if (read$malformed) {
      sprintf(
        "Line %s of %s has a quote that does not end its cell.",
        count(read$bad_line),
        origin
      )
    } else {
      sprintf(
        "Line %s of %s has %s; the header has %s.",
        count(read$bad_line),
        origin,
        count(read$bad_cells, "cell"),
        count(columns)
      )
    },
    where = sprintf("It begins \"%s\".", visible(read$bad_text)),
    remedy = if (read$malformed) {
      "Close the quote, or leave it out."
    } else {
      paste0(
        "Every line of a table has as many cells as its header; a number with a comma in ",
        "it stands in quotes."
      )
    }
  )
}

# By what the cells are separated, where the header is, and what stands above it.
shape_of_text <- function(bytes, origin, stated = character()) {
  if (length(stated)) separators <- stated
  if (all(bytes[seq_len(min(length(bytes), 4096L))] %in% as.raw(c(9L, 10L, 13L, 32L)))) {
    fail(
      "empty",
      sprintf("The first lines of %s are empty; one should name the columns.", origin)
    )
  }
  heads <- lapply(separators, function(separator) header_of(core_head(bytes, separator, 200L)))
  wide <- vapply(heads, function(h) h$columns >= 2L, NA)
  agree <- vapply(heads, `[[`, 0, "agree")
  if (!any(wide)) {
    last <- heads[[length(heads)]]
    if (any(last$malformed)) return(last)
    fail(
      "layout",
      sprintf("There is only one column in %s.", origin),
      where = sprintf("Its header is \"%s\".", visible(last$names[1L])),
      remedy = "Columns are separated by comma, semicolon, tab or |."
    )
  }
  # A comma may also be a decimal mark or stand in a text, so it comes last.
  best <- which(wide & agree == max(agree[wide]))[1L]
  head <- heads[[best]]
  rivals <- setdiff(names(which(wide & agree == 1)), names(separators)[best])
  list(
    separator = separators[[best]],
    names = head$names,
    start = head$start,
    line = head$line,
    malformed = head$malformed,
    remarks = c(
      if (length(rivals)) sprintf("%s between columns", names(separators)[best]),
      if (head$titles) sprintf("%s above the header left out", count(head$titles, "line"))
    )
  )
}

header_of <- function(head) {
  # All lines at once: cell by cell would take longer than reading a small file.
  lines <- factor(rep(seq_along(head$cells), lengths(head$cells)), seq_along(head$cells))
  flat <- trimmed(unlist(head$cells))
  cells <- unname(split(flat, lines))
  filled <- vapply(cells, function(line) sum(nzchar(line)), 0L)
  there <- which(filled > 0L)
  widths <- lengths(cells)
  usual <- widths[there[filled[there] >= 2L]]
  usual <- if (length(usual)) as.integer(names(which.max(table(usual)))) else 1L
  plain <- plain_name(flat)
  words <- tabulate(as.integer(lines[plain %in% all_header_words]), length(cells))
  known <- seq_along(cells) %in% as.integer(lines[plain %in% header_words]) | words >= 2L
  at <- if (length(there)) there[1L] else 1L
  for (i in utils::head(there, 30L)) {
    at <- i
    if (known[i]) break
    later <- there[there > i & there <= i + 30L]
    title <- filled[i] == 1L && usual >= 2L && !is_date_text(cells[[i]][nzchar(cells[[i]])])
    title <- title || (widths[i] != usual && any(known[later] & widths[later] == usual))
    # A line with empty cells, such as of the day of a list, above one that names columns.
    title <- title || any(words[later] >= 2L & filled[later] > filled[i])
    if (!title) break
  }
  body <- there[there > at]
  # Below the table, behind an empty line, stand lines of one cell.
  after_blank <- body > at + 1L & !(body - 1L) %in% there
  foot <- which(after_blank & filled[body] == 1L)
  if (length(foot)) body <- body[seq_len(foot[1L] - 1L)]
  list(
    names = cells[[at]],
    columns = widths[at],
    line = head$next_line[at],
    start = head$rest[at],
    titles = sum(there < at),
    malformed = any(head$malformed[seq_len(at)]),
    agree = if (length(body)) mean(widths[body] == widths[at]) else 0
  )
}

# ---- other formats
# ------------------------------------------------------------------------------

read_parquet_grid <- function(file) {
  need_package("nanoparquet", "A Parquet file")
  path <- as_file(file$bytes, "parquet")
  on.exit(unlink(path))
  # As factors, columns of names come back from the child as whole numbers.
  grid <- in_child(grid_of_frame(nanoparquet::read_parquet(path), file$origin), function(why) {
    fail(
      "file",
      sprintf("%s cannot be read as Parquet.", sentence_case(file$origin)),
      where = why
    )
  })
  grid$name <- file$name
  grid
}
