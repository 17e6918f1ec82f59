# The folder of a study's runs. A run owns the files that its record names with their digests, as
# long as they are as it wrote them. Whatever else lies in the folder stays: what came from others
# where it is, what was changed since under a name of its own.

own_files <- paste0(
  "^(report[.](html|pdf)|tables[.]xlsx|(tables|figures)/[^/]+[.](csv|svg)",
  "|news[.]txt|runs/[-0-9]+[.]json)$"
)

# The folder itself, of a link what it leads to; there, or to be made.
named_folder <- function(folder) {
  if (!is.character(folder) || length(folder) != 1L || is.na(folder) || !nzchar(folder)) {
    fail("argument", "`folder` is the name of one.", where = sprintf("It is %s.", shown(folder)))
  }
  folder <- sub("(.)/+$", "\\1", path.expand(folder))
  if (!Sys.readlink(folder) %in% c("", NA)) {
    target <- suppressWarnings(normalizePath(folder))
    if (!file.exists(target)) fail("file", sprintf("%s is a link that leads nowhere.", folder))
    folder <- target
  }
  if (file.exists(folder) && !dir.exists(folder)) {
    fail("file", sprintf("%s is a file.", folder), remedy = "Name a folder.")
  }
  if (!dir.exists(dirname(folder))) {
    fail(c("write", "file"), sprintf("There is no folder %s to write to.", dirname(folder)))
  }
  folder
}

# Refused where it is not a run's or empty.
check_folder <- function(folder) {
  folder <- named_folder(folder)
  there <- list.files(folder, all.files = TRUE, no.. = TRUE)
  if (!length(there)) return(folder)
  record <- record_in(folder)
  if (is.null(record)) {
    fail(
      "file",
      sprintf(
        "%s holds files and no record of a run: %s.", folder,
        some(c(setdiff(there, "record.json"), there)[1L])
      ),
      where = if ("record.json" %in% there) "Its record.json is not of a run.",
      remedy = "Name another folder, or an empty one."
    )
  }
  folder
}

# The record of the run that made the folder, where it is one of ours.
record_in <- function(folder) {
  file <- file.path(folder, "record.json")
  if (!file.exists(file) || dir.exists(file)) return(NULL)
  record <- tryCatch(
    jsonlite::read_json(file, simplifyVector = FALSE),
    error = function(e) NULL
  )
  if (!is.list(record)) return(NULL)
  files <- record$files
  ours <- identical(record$made_by, "imbroglio") && isTRUE(record$form %in% 2:4) &&
    is.list(record$parts) && is.list(files) &&
    all(grepl(own_files, names(files))) && all(vapply(files, is.character, NA))
  if (!ours) return(NULL)
  record$files <- vapply(files, function(f) f[[1L]], "")
  record$parts <- lapply(record$parts, as_vectors)
  record
}

file_digest <- function(path) {
  if (!file.exists(path) || dir.exists(path)) return(NA_character_)
  digest::digest(file = path, algo = "sha256")
}

# Lists without names were vectors.
as_vectors <- function(x) {
  if (!is.list(x)) return(x)
  if (length(x) && is.null(names(x))) unlist(x) else lapply(x, as_vectors)
}

# How each file that a record names is found: as it was written, changed, or gone.
state_of_files <- function(folder, record) {
  now <- vapply(file.path(folder, names(record$files)), file_digest, "")
  state <- ifelse(is.na(now), "gone", ifelse(now == record$files, "written", "changed"))
  stats::setNames(state, names(record$files))
}

# The files of a run, made in `part` beside the folder, take its place together with all that is
# not the run's own: the folder is whole, or as it was.
replace_folder <- function(part, folder, record) {
  if (!dir.exists(folder)) {
    if (!suppressWarnings(file.rename(part, folder))) unreplaced(folder)
    return(invisible())
  }
  state <- if (is.null(record)) character() else state_of_files(folder, record)
  kept <- keep_foreign(folder, part, state)
  old <- tempfile(".imbroglio-", dirname(folder))
  moved <- suppressWarnings(file.rename(folder, old))
  if (moved && !suppressWarnings(file.rename(part, folder))) {
    file.rename(old, folder)
    moved <- FALSE
  }
  if (!moved) unreplaced(folder)
  remove_known(old, c(names(state), "record.json", kept$from), folder)
  changed <- kept$to[kept$to != kept$from]
  if (length(changed)) {
    caution(
      "kept",
      sprintf(
        "%s in %s %s changed since the run before and %s kept: %s.",
        count(length(changed), "file"), folder,
        if (length(changed) == 1L) "was" else "were",
        if (length(changed) == 1L) "is" else "are",
        some(changed)
      )
    )
  }
  invisible()
}

unreplaced <- function(folder) {
  fail("write", sprintf("%s could not be replaced; it is as it was.", folder))
}

# All below the folder that the run did not write as it is now, brought into its new place; `from`
# where it was, `to` where it is.
keep_foreign <- function(folder, part, state) {
  there <- list.files(
    folder, all.files = TRUE, recursive = TRUE, include.dirs = TRUE, no.. = TRUE
  )
  # What a linked folder leads to is not below this one.
  links <- there[nzchar(Sys.readlink(file.path(folder, there)))]
  below <- vapply(there, function(p) any(startsWith(p, paste0(links, "/"))), NA)
  there <- there[!below]
  own <- c("record.json", names(state)[state == "written"])
  foreign <- setdiff(there, own)
  to <- foreign
  folders <- foreign[dir.exists(file.path(folder, foreign)) & !foreign %in% links]
  if (any(folders %in% names(state))) {
    refuse_in_the_way(folder, intersect(folders, names(state))[1L])
  }
  changed <- foreign %in% names(state)
  to[changed] <- vapply(foreign[changed], function(p) unused_name(p, c(there, own)), "")
  for (i in seq_along(foreign)) {
    from <- file.path(folder, foreign[i])
    into <- file.path(part, to[i])
    is_link <- foreign[i] %in% links
    if (foreign[i] %in% folders) {
      if (file.exists(into) && !dir.exists(into)) refuse_in_the_way(folder, foreign[i])
      dir.create(into, showWarnings = FALSE, mode = format(file.mode(from)))
      next
    }
    if (file.exists(into)) refuse_in_the_way(folder, foreign[i])
    taken <- if (is_link) {
      file.symlink(Sys.readlink(from), into)
    } else {
      suppressWarnings(file.link(from, into)) || file.copy(from, into, copy.date = TRUE)
    }
    if (!isTRUE(taken)) unreplaced(folder)
  }
  list(from = foreign, to = to)
}

unused_name <- function(path, taken) {
  name <- paste0(path, ".as-found")
  for (i in 2:1000) {
    if (!name %in% taken) break
    name <- sprintf("%s.as-found-%d", path, i)
  }
  name
}

refuse_in_the_way <- function(folder, path) {
  fail(
    "file",
    sprintf("%s holds %s, which no run wrote, where this one would write.", folder, path),
    remedy = "Move it, or name another folder; nothing was changed."
  )
}

# What is known is removed; what was put into the folder in the meantime moves to its new place.
remove_known <- function(old, known, folder) {
  is_folder <- function(p) dir.exists(p) && !nzchar(Sys.readlink(p))
  paths <- file.path(old, known)
  unlink(paths[!vapply(paths, is_folder, NA)])
  left <- list.files(old, all.files = TRUE, recursive = TRUE, no.. = TRUE)
  for (p in left) {
    dir.create(dirname(file.path(folder, p)), showWarnings = FALSE, recursive = TRUE)
    taken <- list.files(folder, all.files = TRUE, recursive = TRUE)
    file.rename(
      file.path(old, p),
      file.path(folder, if (p %in% taken) unused_name(p, taken) else p)
    )
  }
  if (!length(list.files(old, all.files = TRUE, recursive = TRUE, no.. = TRUE))) {
    unlink(old, recursive = TRUE)
  }
}
