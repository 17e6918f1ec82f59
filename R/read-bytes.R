# The bytes of whatever is handed over to be read: a file, a pipe, standard input; unpacked, and
# text in UTF-8.

# More than this, unpacked, is no table of prices.
most_bytes <- 2^33

refuse_no_file <- function(path) {
  fail(
    "file",
    sprintf("There is no file %s.", path),
    remedy = did_you_mean(basename(path), list.files(dirname(path)))
  )
}

# What a path or "-" holds: its bytes, what they are by how they begin, and what to call it.
read_bytes <- function(path) {
  if (path == "-") {
    bytes <- all_bytes(file("stdin", "rb", raw = TRUE), "standard input")
    path <- "standard input"
    origin <- path
  } else {
    origin <- paste("file", visible(basename(path)))
    kind <- file_kind(path.expand(path))
    if (kind == "none") refuse_no_file(path)
    if (kind == "folder") {
      fail("file", sprintf("%s is a folder.", path), remedy = "Name a file in it.")
    }
    if (file.access(path, 4L) != 0L) {
      fail("file", sprintf("You may not read %s.", origin), where = whose(path))
    }
    bytes <- if (kind == "file") {
      tryCatch(
        readBin(path, "raw", file.size(path)),
        error = unreadable(origin),
        warning = unreadable(origin)
      )
    } else {
      all_bytes(
        tryCatch(
          file(path, "rb", raw = TRUE),
          error = unreadable(origin),
          warning = unreadable(origin)
        ),
        origin
      )
    }
  }
  if (starts_with(bytes, 0x1f, 0x8b)) bytes <- unpacked(bytes, origin)
  if (starts_with(bytes, 0xfd, 0x37, 0x7a, 0x58, 0x5a, 0)) bytes <- unpacked_xz(bytes, origin)
  if (!length(bytes)) fail("empty", sprintf("There is nothing in %s.", origin))
  list(bytes = bytes, kind = kind_of_bytes(bytes), origin = origin, name = file_name(path))
}

# The name of a file without its ending, which is that of the security in it.
file_name <- function(path) sub("\\.[A-Za-z]+(\\.[gx]z)?$", "", basename(path))

unreadable <- function(origin) {
  function(condition) {
    fail(
      "file",
      sprintf("%s cannot be read.", sentence_case(origin)),
      where = conditionMessage(condition)
    )
  }
}

all_bytes <- function(connection, origin) {
  on.exit(close(connection))
  pieces <- list()
  repeat {
    piece <- tryCatch(
      readBin(connection, "raw", 2^22),
      error = unreadable(origin),
      warning = unreadable(origin)
    )
    if (!length(piece)) break
    pieces <- c(pieces, list(piece))
  }
  do.call(c, c(list(raw()), pieces))
}

starts_with <- function(bytes, ...) {
  start <- as.raw(c(...))
  length(bytes) >= length(start) && identical(bytes[seq_along(start)], start)
}

unpacked <- function(bytes, origin) {
  done <- unpack_gzip(bytes, most_bytes)
  if (is.null(done$wrong)) return(done$bytes)
  if (done$wrong == "more") refuse_more_than_fits(origin)
  refuse_packed(origin, done$wrong)
}

# R unpacks this by a connection, of a file; what is cut off ends early, with a warning.
unpacked_xz <- function(bytes, origin) {
  path <- as_file(bytes, "xz")
  connection <- xzfile(path, "rb")
  on.exit({
    close(connection)
    unlink(path)
  })
  pieces <- list()
  size <- 0
  repeat {
    piece <- tryCatch(
      readBin(connection, "raw", 2^22),
      error = function(e) refuse_packed(origin, conditionMessage(e)),
      warning = function(w) refuse_packed(origin, conditionMessage(w))
    )
    if (!length(piece)) break
    size <- size + length(piece)
    if (size > most_bytes) refuse_more_than_fits(origin)
    pieces <- c(pieces, list(piece))
  }
  if (!size) refuse_packed(origin, "it is cut off")
  do.call(c, pieces)
}

refuse_more_than_fits <- function(origin) {
  fail(
    "file",
    sprintf("%s unpacks to more than %s GB.", sentence_case(origin), most_bytes / 2^30)
  )
}

refuse_packed <- function(origin, wrong) {
  fail(
    "file",
    sprintf("%s is damaged: %s.", sentence_case(origin), wrong),
    remedy = "Get it again."
  )
}

kind_of_bytes <- function(bytes) {
  if (starts_with(bytes, 0x50, 0x4b, 3, 4)) return("xlsx")
  if (starts_with(bytes, 0xd0, 0xcf, 0x11, 0xe0)) return("xls")
  if (starts_with(bytes, charToRaw("PAR1"))) return("parquet")
  if (starts_with(bytes, charToRaw("SQLite format 3"), 0)) return("sqlite")
  "text"
}

# Libraries that read formats of their own want a file.
as_file <- function(bytes, ending) {
  path <- tempfile(fileext = paste0(".", ending))
  wrong <- write_bytes(path, bytes, FALSE)
  if (nzchar(wrong)) {
    unlink(path)
    fail(
      "file",
      "There is no room for a temporary file.",
      where = sprintf("%s: %s.", dirname(path), wrong)
    )
  }
  path
}

# Runs code that a damaged file may crash in a process of its own, where there are such.
in_child <- function(code, failed) {
  if (.Platform$OS.type == "windows") {
    return(tryCatch(code, error = function(e) failed(conditionMessage(e))))
  }
  job <- parallel::mcparallel({
    end_quietly()
    tryCatch(list(value = code), error = function(e) list(why = conditionMessage(e)))
  }, silent = TRUE)
  done <- suppressWarnings(parallel::mccollect(job))[[1L]]
  if (is.null(done)) {
    failed("It is damaged: it made its reader crash.")
  } else if (!is.list(done)) {
    failed(in_utf8(as.character(done)))
  } else if (!is.null(done$why)) {
    failed(in_utf8(done$why))
  } else {
    done$value
  }
}

# Text in UTF-8, without a byte order mark, and how it was encoded where it was otherwise.
as_utf8 <- function(bytes, origin) {
  encoding <- NULL
  assumed <- FALSE
  if (starts_with(bytes, 0xff, 0xfe, 0, 0)) {
    encoding <- "UTF-32LE"
  } else if (starts_with(bytes, 0, 0, 0xfe, 0xff)) {
    encoding <- "UTF-32BE"
  } else if (starts_with(bytes, 0xff, 0xfe)) {
    encoding <- "UTF-16LE"
  } else if (starts_with(bytes, 0xfe, 0xff)) {
    encoding <- "UTF-16BE"
  } else if (starts_with(bytes, 0xef, 0xbb, 0xbf)) {
    bytes <- bytes[-(1:3)]
  } else if (length(encoding <- without_mark(bytes))) {
    assumed <- TRUE
  }
  if (length(encoding)) {
    converted <- iconv(list(bytes), encoding, "UTF-8", toRaw = TRUE)[[1L]]
    if (is.null(converted)) {
      fail(
        "encoding",
        sprintf("%s begins as %s, but is damaged or cut off.", sentence_case(origin), encoding),
        remedy = "Get it again, or save it as CSV in UTF-8."
      )
    }
    bytes <- if (starts_with(converted, 0xef, 0xbb, 0xbf)) converted[-(1:3)] else converted
  }
  kind <- text_kind(bytes)
  if (kind == "none") {
    fail(
      "encoding",
      sprintf("%s is not a text file: there are zero bytes in it.", sentence_case(origin)),
      remedy = "Save it as CSV in UTF-8."
    )
  }
  if (kind == "bytes") {
    if (length(encoding)) {
      fail("encoding", sprintf("%s is not text in %s.", sentence_case(origin), encoding))
    }
    encoding <- "Windows-1252"
    assumed <- TRUE
    # Five bytes are no letters of it, but control characters in Latin-1.
    unknown <- any(bytes %in% as.raw(c(0x81, 0x8d, 0x8f, 0x90, 0x9d)))
    bytes <- iconv(
      list(bytes),
      if (unknown) "ISO-8859-1" else "CP1252",
      "UTF-8",
      toRaw = TRUE
    )[[1L]]
  }
  list(bytes = bytes, remark = if (assumed) sprintf("text in %s", encoding))
}

# UTF-16 without a byte order mark: the letters of a header have a zero beside each.
without_mark <- function(bytes) {
  start <- bytes[seq_len(min(length(bytes) %/% 2L * 2L, 400L))]
  if (length(start) < 8L) return(NULL)
  zero <- matrix(start == 0L, nrow = 2L)
  share <- rowMeans(zero)
  if (share[2L] > 0.8 && share[1L] == 0) {
    "UTF-16LE"
  } else if (share[1L] > 0.8 && share[2L] == 0) {
    "UTF-16BE"
  }
}
