# The command where a shell finds it, with its manual and completion, of the package as it is
# installed.

#' The command, in a place of its own
#'
#' Puts the command `imbroglio`, its pages of the manual and its completion for bash, zsh and fish
#' below a folder: `bin/imbroglio` and `bin/imbroglio-VERSION`, `share/man/man1` and the folders of
#' `share` where shells look. The command is a link into the library that the package was installed
#' into, and uses that library whatever else there is. Several versions may be in several
#' libraries: `imbroglio` is the one that was put there last, each is there by its
#' `imbroglio-VERSION`.
#'
#' `bin` should be on the `PATH`. `make install PREFIX=FOLDER` in the sources puts the package
#' itself below the folder, too.
#'
#' @param prefix A folder; made if it is not there.
#' @param remove Whether what was put there is taken away: of this package's version, and what
#'   stands there for all versions if it is of this one.
#' @return Invisibly, the files.
#' @section Errors: `imbroglio_error_write` for a folder that cannot be written to;
#'   `imbroglio_error_file` where another's file is in the way: nothing is changed then.
#' @family ways to hand on
#' @examples
#' place <- tempfile("place-")
#' basename(install_command(place))
#' install_command(place, remove = TRUE)
#' @export
install_command <- function(prefix = "~/.local", remove = FALSE) {
  if (!is.character(prefix) || length(prefix) != 1L || is.na(prefix) || !nzchar(prefix)) {
    fail("argument", "`prefix` is a folder.", where = sprintf("It is %s.", shown(prefix)))
  }
  prefix <- path.expand(prefix)
  target <- system.file("exec", "imbroglio", package = "imbroglio")
  version <- own_version()
  links <- file.path(prefix, "bin", c("imbroglio", paste0("imbroglio-", version)))
  texts <- command_texts()
  files <- file.path(prefix, names(texts))
  foreign <- Filter(Negate(is_of_command), c(links, files))
  if (length(foreign)) {
    fail(
      "file", sprintf("%s is in the way, and not of this package.", foreign[1L]),
      remedy = "Move it, or name another folder; nothing was changed."
    )
  }
  if (remove) return(invisible(remove_command(links, files, target)))
  for (made in unique(dirname(c(links, files)))) {
    dir.create(made, showWarnings = FALSE, recursive = TRUE)
    if (file.access(made, 2L) != 0L) {
      fail("write", sprintf("%s cannot be written to.", made), where = whose(prefix))
    }
  }
  for (i in seq_along(files)) {
    write_whole(files[i], function(part) write_lines(texts[[i]], part))
  }
  for (link in links) {
    own <- tempfile(".imbroglio-", dirname(link))
    if (!file.symlink(target, own) || !file.rename(own, link)) {
      unlink(own)
      fail("write", sprintf("%s could not be made.", link))
    }
  }
  invisible(c(links, files))
}

# Of each file below a prefix what is in it.
command_texts <- function() {
  folder <- tempfile("manual-")
  on.exit(unlink(folder, recursive = TRUE))
  write_manual(folder)
  pages <- list.files(folder)
  manual <- lapply(file.path(folder, pages), readLines, encoding = "UTF-8")
  completion <- c(
    bash = "share/bash-completion/completions/imbroglio",
    zsh = "share/zsh/site-functions/_imbroglio",
    fish = "share/fish/vendor_completions.d/imbroglio.fish"
  )
  c(
    stats::setNames(manual, file.path("share/man/man1", pages)),
    stats::setNames(lapply(names(completion), completion_of), completion)
  )
}

# Not there, a link to a command of ours, or what some version of us wrote.
is_of_command <- function(path) {
  link <- Sys.readlink(path)
  if (!is.na(link) && nzchar(link)) return(grepl("/imbroglio/exec/imbroglio$", link))
  if (!file.exists(path)) return(TRUE)
  !dir.exists(path) && any(grepl("imbroglio", readLines(path, 40L, warn = FALSE), fixed = TRUE))
}

# Those of this version by its name; what has no version's name only if it is of this one.
remove_command <- function(links, files, target) {
  ours <- Sys.readlink(links) == target
  gone <- c(links[ours], if (isTRUE(ours[1L])) files[file.exists(files)])
  unlink(gone)
  gone
}
