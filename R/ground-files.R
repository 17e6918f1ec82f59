# Files and folders that are made beside others.

# A new folder that nobody else may enter: in one that many share a name can be guessed, and what
# lies there by it would be written into.
private_folder <- function(beside, path) {
  own <- tempfile(".imbroglio-", beside)
  if (!dir.create(own, showWarnings = FALSE, mode = "0700")) {
    fail(
      "write", sprintf("%s could not be written.", path),
      where = sprintf("Nothing can be made in %s.", beside)
    )
  }
  own
}

text_bytes <- function(lines) charToRaw(paste0(enc2utf8(lines), "\n", collapse = ""))

write_lines <- function(lines, path) {
  why <- write_bytes(path, text_bytes(lines), FALSE)
  if (nzchar(why)) fail("write", sprintf("%s could not be written.", basename(path)), where = why)
}

# Whose a file or folder is, and what to ask for; NULL where the system does not say.
whose <- function(path) {
  of <- file.info(path)
  if (is.null(of$uname) || is.na(of$uname)) return(NULL)
  sprintf(
    "%s belongs to %s (group %s, rights %s).", if (of$isdir) "The folder" else "It",
    of$uname, of$grname, format(of$mode)
  )
}

# What a function writes is its `file`; `path` was another name of it.
file_named <- function(file, path) {
  if (is.null(path)) return(file)
  note_in_r("renamed", "`path` is called `file` now; the old name goes with version 1.0.")
  path
}
