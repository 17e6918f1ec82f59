# What cannot be read in blocks is read once, a file or a piece of one at a time, and laid out as a
# folder of prices: rows go to one of several shares by their security, and each share is set in
# order by itself.

# `faults`: keeps what is wrong, where it is checked; else that is refused.
laid_out <- function(source, how, bytes, folder, faults = NULL) {
  parts <- parts_of_source(source, how, bytes)
  if (is.null(folder)) {
    folder <- tempfile("prices-")
    where <- "a temporary folder"
  } else {
    where <- folder
  }
  note("laid_out", sprintf("%s is laid out for reading in blocks first, in %s.",
                           sentence_case(parts$origin), where))
  spool <- private_folder(tempdir(), "the rows of the prices")
  on.exit(unlink(spool, recursive = TRUE))
  seen <- rows_spooled(parts, how, spool, faults)
  write_laid_out(seen, spool, folder, faults)
  reader <- folder_reader(folder)
  reader$origin <- parts$origin
  reader
}

shares_of_rows <- 64L

# The rows of a part, by the shares of their securities.
leave_rows <- function(d, security, number, spool) {
  rows <- data.frame(
    security = security, day = d$day, place = seq_along(security), d$values, check.names = FALSE
  )
  saveRDS(d$place, file.path(spool, sprintf("place-%06d.rds", number)), compress = FALSE)
  by <- split(rows, security %% shares_of_rows)
  for (share in names(by)) {
    saveRDS(by[[share]], file.path(spool, sprintf("%s-%06d.rds", share, number)), compress = FALSE)
  }
}

# Reads each part and leaves its rows in the spool, by shares. What the parts say of themselves is
# added up, and must be of one kind.
rows_spooled <- function(parts, how, spool, faults = NULL) {
  seen <- list(securities = character(), days = numeric(), pieces = 0L)
  parts$each(function(deliveries) {
    for (d in deliveries) {
      if (is.null(faults)) refuse_unread(d) else refuse_without_security(d)
      d <- in_rows(d)
      if (!is.null(faults)) d <- faults$without_unread(d, parts$one_file)
      seen <<- part_seen(seen, d, parts$origin, parts$one_file)
      leave_rows(d, match(d$securities, seen$securities)[d$security], seen$pieces, spool)
    }
  })
  if (!is.null(faults)) seen$left_out <- faults$without_price(seen$securities)
  # Of nothing there are no blocks.
  if (length(seen$left_out) && setequal(seen$left_out, seen$securities)) {
    refuse_without_price(seen$left_out, parts$origin)
  }
  if (!length(seen$days)) refuse_no_date(parts$origin)
  note_delivery(list(
    origin = parts$origin, layout = seen$layout, remarks = seen$remarks, taken = seen$taken,
    actions = seen$actions
  ))
  seen$origin <- parts$origin
  seen
}

part_seen <- function(seen, d, origin, one_file) {
  differ <- function(a, b, what) {
    if (is.null(a) || identical(a, b)) return(invisible())
    fail(
      if (one_file) "ambiguous" else "layout",
      sprintf("The parts of %s are not of one kind: %s differ.", origin, what),
      where = sprintf("%s, and %s.", some(a), some(b)),
      remedy = "Say which as `price =`, `dates =` and `decimal =`."
    )
  }
  reading <- sort(unique(gsub("[0-9]+", "", d$reading)))
  differ(seen$measured, d$measured, "the prices")
  if (one_file) {
    differ(seen$layout, d$layout, "the columns")
    if (seen$pieces > 0L) differ(seen$reading, reading, "the readings")
  }
  seen$securities <- union(seen$securities, d$securities)
  seen$days <- sort(unique(c(seen$days, d$day)))
  seen$fields <- union(seen$fields, setdiff(names(d$values), d$measured))
  seen$actions <- rbind(seen$actions, d$actions)
  seen$taken <- c(seen$taken, d$taken)
  seen$remarks <- union(seen$remarks, d$remarks)
  seen$about <- unique(rbind(seen$about, d$about))
  seen$measured <- d$measured
  seen$pieces <- seen$pieces + 1L
  seen$origins <- c(seen$origins, d$origin)
  seen$layout <- seen$layout %||% d$layout
  seen$reading <- seen$reading %||% reading
  seen
}

write_laid_out <- function(seen, spool, folder, faults = NULL) {
  tables <- function(work) {
    for (share in seq_len(shares_of_rows) - 1L) {
      files <- list.files(spool, sprintf("^%d-", share), full.names = TRUE)
      table <- if (length(files)) table_of_share(seen, files, faults)
      if (!is.null(table)) work(table)
    }
  }
  about <- if (NROW(seen$about)) about_of_all(list(seen$about), seen$securities, seen$origin)
  write_price_folder(
    list(
      dates = .Date(seen$days), securities = setdiff(seen$securities, seen$left_out),
      tables = tables, about = about,
      actions = seen$actions
    ),
    folder
  )
}

table_of_share <- function(seen, files, faults = NULL) {
  pieces <- as.integer(sub("^.*-([0-9]+)[.]rds$", "\\1", files))
  read <- lapply(files, readRDS)
  rows <- stacked(read, ragged = TRUE)
  piece <- rep(pieces, vapply(read, nrow, 0L))
  read <- NULL
  own <- sort(unique(rows$security))
  fields <- c(seen$measured, seen$fields)
  place <- rows$place
  where <- function(i) {
    place_then <- readRDS(file.path(dirname(files[1L]), sprintf("place-%06d.rds", piece[i])))
    sprintf("%s of %s", place_then(place[i]), seen$origins[piece[i]])
  }
  d <- structure(
    list(
      securities = seen$securities[own],
      security = match(rows$security, own),
      day = rows$day,
      values = lapply(stats::setNames(nm = fields), function(f) {
        rows[[f]] %||% rep(NA_real_, length(place))
      }),
      measured = seen$measured,
      place = function(i) some(vapply(i, where, "")),
      rows = identity,
      origin = seen$origin,
      actions = seen$actions,
      no_day = data.frame(row = integer(), text = character()),
      layout = seen$layout
    ),
    class = "imbroglio_delivery"
  )
  if (!is.null(faults)) d <- faults$without_repeats(without_securities(d, seen$left_out))
  if (!length(d$securities)) return(NULL)
  on_dates(table_of(d), .Date(seen$days))
}

# The table with a row for each of these dates.
on_dates <- function(table, dates) {
  if (identical(table$dates, dates)) return(table)
  at <- match(as.numeric(dates), as.numeric(table$dates))
  altered(
    table,
    dates = dates,
    close = table$close[at, , drop = FALSE],
    fields = lapply(table$fields, function(m) m[at, , drop = FALSE])
  )
}

# ---- parts -------------------------------------------------------------------------------------

# What is read at a time: each file of a folder, or pieces of one that is large. `each(work)` runs
# it on the deliveries of each part.
parts_of_source <- function(source, how, bytes) {
  files <- files_of_source(source)
  origin <- if (identical(source, "-")) {
    "standard input"
  } else if (length(source) == 1L) {
    paste(if (dir.exists(source)) "folder" else "file", basename(source))
  } else {
    count(length(source), "file")
  }
  for (file in setdiff(files, "-")) {
    if (file_kind(path.expand(file)) == "none") refuse_no_file(file)
  }
  list(
    each = function(work) {
      for (file in files) {
        if (in_pieces(file, bytes)) {
          over_text_pieces(file, how, bytes / 40, work)
        } else {
          refuse_large(file, bytes)
          work(read_file(file, how))
        }
      }
    },
    origin = origin, one_file = length(files) == 1L
  )
}

# Reading takes some ten times the bytes of a text, of which one that is compressed has some eight
# times its own.
in_pieces <- function(file, bytes) {
  if (file_kind(file) != "file") return(FALSE)
  packed <- grepl("[.]gz$", lower_case(file))
  file.size(file) * (if (packed) 8 else 1) > bytes / 40 &&
    grepl("[.](csv|tsv|txt)([.]gz)?$", lower_case(file))
}

refuse_large <- function(file, bytes) {
  if (file_kind(file) != "file" || file.size(file) * 10 <= bytes) return(invisible())
  fail(
    "memory",
    sprintf("%s is read whole, and may take more than %s.", basename(file), in_bytes(bytes)),
    remedy = "Give more `memory`, or the same as a CSV file or several smaller files."
  )
}

# Pieces of whole lines, each with the header before it, as files of their own that are there
# while they are read.
over_text_pieces <- function(file, how, size, work) {
  connection <- gzfile(file, "rb")
  on.exit(close(connection))
  name <- sub("[.](csv|tsv|txt)([.]gz)?$", "", basename(file), ignore.case = TRUE)
  how$name <- how$name %||% name
  header <- NULL
  rest <- raw()
  lines <- 0
  repeat {
    bytes <- readBin(connection, "raw", size)
    held <- c(rest, bytes)
    if (!length(held)) return(invisible())
    if (is.null(header)) refuse_wide_text(held, file)
    last <- if (length(bytes)) whole_lines(held) else length(held)
    rest <- held[-seq_len(last)]
    if (last > 0L) {
      piece <- held[seq_len(last)]
      read <- read_file_piece(file, c(header, piece), how, lines)
      lines <- lines + sum(piece == as.raw(10L))
      if (is.null(header) && length(bytes)) {
        header <- lines_to_header(piece, file)
        lines <- lines - sum(header == as.raw(10L))
        refuse_later_header(header, read, file)
      }
      work(read)
    }
  }
}

# Pieces after the first are read by the header of the file, with what stands above it.
refuse_later_header <- function(header, read, file) {
  named <- vapply(read, function(d) {
    any(grepRaw(charToRaw(enc2utf8(d$date_column)), header, fixed = TRUE) > 0L)
  }, NA)
  if (all(named)) return(invisible())
  fail(
    "layout", sprintf("Of %s no pieces are read: its first lines have no header.", basename(file)),
    remedy = "Name the columns in a line above them, or give more `memory`."
  )
}

refuse_wide_text <- function(bytes, file) {
  if (!any(utils::head(bytes, 4L) == 0L) &&
      !identical(utils::head(bytes, 2L), as.raw(c(0xff, 0xfe)))) {
    return(invisible())
  }
  fail(
    "encoding", sprintf("%s is in UTF-16, of which no pieces are read.", basename(file)),
    remedy = "Save it as UTF-8, or give more `memory`."
  )
}

# `lines`: of the file before the piece, less its header.
read_file_piece <- function(file, bytes, how, lines) {
  piece_of_text$lines_before <- lines
  on.exit(piece_of_text$lines_before <- NULL)
  folder <- private_folder(tempdir(), "a piece of the prices")
  on.exit(unlink(folder, recursive = TRUE), add = TRUE)
  part <- file.path(folder, sub("[.]gz$", "", basename(file), ignore.case = TRUE))
  writeBin(bytes, part)
  read_file(part, how)
}

lines_to_header <- function(bytes, file) {
  shape <- shape_of_text(as_utf8(bytes, basename(file))$bytes, basename(file))
  end <- which(bytes == as.raw(10L))[shape$line - 1L]
  if (!length(end) || is.na(end)) {
    fail("layout", sprintf("%s has no lines to be cut at.", basename(file)))
  }
  bytes[seq_len(end)]
}

# Up to the last end of a line that is not within quotes.
whole_lines <- function(bytes) {
  breaks <- which(bytes == as.raw(10L))
  quotes <- which(bytes == charToRaw("\""))
  if (length(quotes)) breaks <- breaks[findInterval(breaks, quotes) %% 2L == 0L]
  if (length(breaks)) breaks[length(breaks)] else 0L
}
