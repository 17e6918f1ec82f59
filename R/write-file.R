# Writes beside the target and then renames, so that a file is whole or as it was. What `write`
# made must end as files of its form end, and reach the medium; a link is followed, a pipe or
# device written into.
write_whole <- function(path, writer) {
  target <- write_target(path)
  ending <- lower_case(tools::file_ext(path))
  beside <- if (target$kind == "other") tempdir() else dirname(target$path)
  own <- private_folder(beside, path)
  on.exit(unlink(own, recursive = TRUE))
  part <- file.path(own, paste0("part.", ending))
  unwritten <- function(why) {
    fail(
      "write",
      sprintf(
        "%s could not be written%s.",
        path,
        if (target$kind == "file") "; it is as it was" else ""
      ),
      where = why
    )
  }
  # What a library warns of when its file cannot be written is no more than that.
  tryCatch(suppressWarnings(writer(part)), error = function(e) {
    if (inherits(e, "imbroglio_error") && !inherits(e, "imbroglio_error_write")) stop(e)
    unwritten(
      if (inherits(e, "imbroglio_error_write")) {
        e$body[["x"]] %||% conditionMessage(e)
      } else {
        conditionMessage(e)
      }
    )
  })
  if (!made_whole(part, ending)) {
    unwritten(sprintf(
      "It came out cut off; there may be no room in %s or %s.",
      dirname(target$path),
      tempdir()
    ))
  }
  if (target$kind == "other") {
    why <- write_bytes(target$path, readBin(part, "raw", file.size(part)), TRUE)
    if (nzchar(why)) unwritten(why)
    return(invisible(path))
  }
  why <- reach_medium(part)
  if (nzchar(why)) unwritten(why)
  if (target$kind == "file") Sys.chmod(part, file.mode(target$path), use_umask = FALSE)
  if (!suppressWarnings(file.rename(part, target$path))) unwritten("It cannot be replaced.")
  invisible(path)
}

# Where a path leads to, and what is there.
write_target <- function(path) {
  if (!is.character(path) || length(path) != 1L || is.na(path) || !nzchar(path)) {
    fail("argument", "A file to write must be named.", where = sprintf("It is %s.", shown(path)))
  }
  at <- path.expand(path)
  for (step in 1:40) {
    link <- Sys.readlink(at)
    if (is.na(link) || !nzchar(link) || file_kind(at) == "other") break
    at <- if (startsWith(link, "/")) link else file.path(dirname(at), link)
  }
  kind <- file_kind(at)
  if (kind == "folder") {
    fail("file", sprintf("%s is a folder.", path), remedy = "Name a file in it.")
  }
  if (!dir.exists(dirname(at))) {
    fail(c("write", "file"), sprintf("There is no folder %s to write to.", dirname(at)))
  }
  if (is_sqlite(at)) {
    fail(
      "argument",
      sprintf("%s is a database, such as a price store; nothing else is written over it.", path),
      remedy = "Name another file."
    )
  }
  list(path = at, kind = kind)
}

# Lines to standard output. A reader that has read enough is none of our business; a full disk is.
print_lines <- function(lines) {
  flush(stdout())
  why <- write_standard_output(text_bytes(lines))
  if (nzchar(why)) fail("write", "Standard output could not be written.", where = why)
}

# How files of a form end.
made_whole <- function(path, ending) {
  size <- file.size(path)
  if (is.na(size) || size == 0) return(FALSE)
  endmark <- function(n) {
    connection <- file(path, "rb")
    on.exit(close(connection))
    seek(connection, max(0, size - n))
    readBin(connection, "raw", n)
  }
  ends <- function(text) {
    grepl(text, rawToChar(endmark(64L)[endmark(64L) != 0L]), fixed = TRUE, useBytes = TRUE)
  }
  switch(
    ending,
    png = identical(endmark(12L)[5:8], charToRaw("IEND")),
    pdf = ends("%%EOF"),
    svg = ends("</svg>"),
    html = ends("</html>"),
    parquet = ends("PAR1"),
    xlsx = workbook_whole(path),
    TRUE
  )
}

# Every part of a workbook can be unpacked and ends with the tag that it began with.
workbook_whole <- function(path) {
  parts <- tryCatch(
    utils::unzip(path, list = TRUE),
    error = function(e) NULL,
    warning = function(w) NULL
  )
  if (is.null(parts) || !nrow(parts)) return(FALSE)
  all(vapply(which(grepl("[.](xml|rels)$", parts$Name)), function(i) {
    connection <- unz(path, parts$Name[i], "rb")
    on.exit(close(connection))
    bytes <- tryCatch(
      readBin(connection, "raw", parts$Length[i]),
      error = function(e) raw(),
      warning = function(w) raw()
    )
    length(bytes) == parts$Length[i] && closes_its_root(bytes)
  }, NA))
}

closes_its_root <- function(bytes) {
  head <- rawToChar(utils::head(bytes, 4096L))
  root <- regmatches(head, regexpr("<[A-Za-z][A-Za-z0-9:]*", head, useBytes = TRUE))
  length(root) == 1L && grepl(
    sprintf("(</%1$s *>|<%1$s[^<]*/>)[ \r\n]*$", substring(root, 2L)),
    rawToChar(utils::tail(bytes, 4096L)),
    useBytes = TRUE
  )
}

# What is written again is the same file: a PDF says when it was made, as the file system does.
without_moment <- function(path) {
  bytes <- readBin(path, "raw", file.size(path))
  for (at in grepRaw("/(CreationDate|ModDate) [(]D:[0-9]{14}", bytes, all = TRUE)) {
    digits <- grepRaw("[0-9]{14}", bytes, offset = at)
    bytes[digits - 1L + seq_len(14L)] <- charToRaw("19800102000000")
  }
  why <- write_bytes(path, bytes, FALSE)
  if (nzchar(why)) fail("write", sprintf("%s could not be written.", basename(path)), where = why)
}

# Grows where what stands in an answer is understood otherwise; a column more, at the end, is not.
form_of_answers <- "1"

# JSON by our own layout; the strings by jsonlite.
as_json <- function(result, columns = names(result)) {
  object <- function(fields) {
    if (!length(fields)) return("{}")
    paste0("{", paste0(quoted_json(names(fields)), ": ", fields, collapse = ", "), "}")
  }
  rows <- function(table) {
    if (!nrow(table)) return("[]")
    fields <- Map(
      function(name, column) paste0(quoted_json(name), ": ", cells_json(column)),
      names(table),
      table
    )
    paste0(
      "[\n    {",
      paste(do.call(paste, c(unname(fields), sep = ", ")), collapse = "},\n    {"),
      "}\n  ]"
    )
  }
  origin <- basis(result)
  made_by <- c(
    version = quoted_json(origin$version), measure = quoted_json(attr(result, "measure")),
    form = quoted_json(form_of_answers)
  )
  simple <- origin[c("from", "to", "securities", "kind", "per_year", "seed", "origin", "digest")]
  about <- c(
    vapply(simple, cells_json, ""),
    every = if (length(origin$every) == 1L) {
      cells_json(origin$every)
    } else {
      object(vapply(origin$every, cells_json, ""))
    },
    observations = object(vapply(origin$observations, cells_json, "")),
    dropped = rows(origin$dropped),
    currency = if (!is.null(origin$currency)) cells_json(origin$currency),
    repairs = paste0("[", paste(cells_json(origin$repairs), collapse = ", "), "]"),
    choices = object(vapply(origin$choices, cells_json, ""))
  )
  paste0(
    "{\n  \"imbroglio\": ",
    object(made_by),
    ",\n  \"basis\": ",
    object(about),
    ",\n  \"results\": ",
    rows(as.data.frame(result)[columns]),
    "\n}"
  )
}

quoted_json <- function(x) {
  each <- unique(x)
  vapply(each, function(s) {
    as.character(jsonlite::toJSON(s, auto_unbox = TRUE))
  }, "", USE.NAMES = FALSE)[match(x, each)]
}

cells_json <- function(x) {
  if (inherits(x, "Date")) x <- core_iso_days(x)
  text <- if (is.numeric(x)) {
    core_shortest(x)
  } else if (is.logical(x)) {
    lower_case(x)
  } else {
    quoted_json(as.character(x))
  }
  text[is.na(x) | (is.numeric(x) & !is.finite(x))] <- "null"
  text
}

# Spreadsheet programs run a cell that starts like a formula; text that does gets
# an apostrophe before it.
as_csv <- function(table) {
  safe <- function(x) {
    risky <- grepl("^[=+@\t\r-]", x)
    x[risky] <- paste0("'", x[risky])
    x <- enc2utf8(x)
    x[is.na(x)] <- ""
    needed <- grepl("[\",\r\n]|^ | $", x)
    x[needed] <- paste0("\"", gsub("\"", "\"\"", x[needed], fixed = TRUE), "\"")
    x
  }
  cells <- lapply(table, function(x) {
    if (inherits(x, "Date") || is.numeric(x)) {
      text <- if (is.numeric(x) && !inherits(x, "Date")) core_shortest(x) else core_iso_days(x)
      text[is.na(x)] <- ""
      return(text)
    }
    # Names and methods stand in many rows.
    x <- as.character(x)
    known <- unique(x)
    safe(known)[match(x, known)]
  })
  # Not by a file of another's: what has no room there would be cut off.
  header <- paste(safe(names(cells)), collapse = ",")
  c(
    header,
    if (length(cells) && length(cells[[1L]])) do.call(paste, c(unname(cells), sep = ","))
  )
}
