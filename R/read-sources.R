# Files that are written differently, each read as a small file says, once.

source_columns <- c("date", "security", "price", price_fields)
# What an entry may say, and what it means.
says_of_entry <- c(
  file = "the file, or several as a list; * stands for any letters",
  separator = "what parts the columns: \",\", \";\", \"\\t\" or \"|\"",
  decimal = "the decimal mark, \".\" or \",\"",
  dates = "day-first, month-first or year-first",
  sheet = "of a workbook, one or several",
  columns = paste(
    "which header is the date, security, price (what is measured), open, high, low, close,",
    "adjusted, volume: {date: Datum, price: Kurs}"
  ),
  security = "what the one security of a file is called",
  currency = "what its prices are in",
  divide = "by how much prices are divided: 100 of pence that are to be pounds"
)
source_words <- names(says_of_entry)

entry_in_docs <- function() {
  escaped <- gsub("([{}])", "\\\\\\1", gsub("\\", "\\\\", says_of_entry, fixed = TRUE))
  c(
    "@section An entry may say:", "\\describe{",
    sprintf("\\item{%s}{%s.}", names(says_of_entry), escaped), "}"
  )
}

is_sources_file <- function(source) {
  is.character(source) & !is.na(source) & grepl("[.]ya?ml$", source, ignore.case = TRUE)
}

# What is to be read: each file, with what is said of it (`how` counts where it says nothing).
files_told <- function(files, how) {
  unlist(lapply(files, function(file) {
    if (!is_sources_file(file)) return(list(list(path = file, how = how)))
    lapply(entries_of_sources(file), function(entry) {
      entry$how <- c(entry$how, how[setdiff(names(how), names(entry$how))])
      entry
    })
  }), FALSE)
}

# The files that stand in a sources file, and others, such as a study, as they are.
files_behind <- function(files) {
  unlist(lapply(files, function(file) {
    listed <- is_sources_file(file) && file.exists(file) &&
      any(startsWith(readLines(file, warn = FALSE), "files:"))
    if (listed) c(file, vapply(entries_of_sources(file), `[[`, "", "path")) else file
  }))
}

entries_of_sources <- function(file) {
  need_package("yaml", "A sources file")
  if (!file.exists(file)) fail("file", sprintf("There is no sources file %s.", file))
  says <- tryCatch(
    yaml::yaml.load(paste(readLines(file, warn = FALSE), collapse = "\n"), eval.expr = FALSE),
    error = function(e) refuse_sources(file, "It is no YAML: %s", conditionMessage(e))
  )
  if (!is.list(says) || !identical(names(says), "files") || !is.list(says$files) ||
      !length(says$files) || !is.null(names(says$files))) {
    refuse_sources(file, "It says `files:` and below a list of entries, each with its `- file:`.")
  }
  found <- unlist(lapply(seq_along(says$files), function(i) {
    files_of_entry(says$files[[i]], i, file)
  }), FALSE)
  # The first entry that names a file counts.
  found[!duplicated(vapply(found, function(one) normalizePath(one$path), ""))]
}

refuse_sources <- function(file, ...) {
  fail("sources", sprintf("%s cannot be read as a sources file.", visible(basename(file))),
       where = sprintf(...), remedy = "A draft of one shows what it says: draft_sources().")
}

files_of_entry <- function(entry, i, file) {
  refuse <- function(...) refuse_sources(file, "Entry %s: %s", i, sprintf(...))
  if (!is.list(entry) || is.null(names(entry)) || is.null(entry$file)) refuse("it names no file.")
  unknown <- setdiff(names(entry), source_words)
  if (length(unknown)) {
    refuse("it says \"%s\"; there may be %s.", visible(unknown[1L]), some(source_words, 9L))
  }
  for (word in setdiff(names(entry), c("columns", "divide"))) {
    ok <- is.character(entry[[word]]) || is.numeric(entry[[word]])
    if (!ok || !length(entry[[word]]) || anyNA(entry[[word]])) refuse("its %s is no text.", word)
    entry[[word]] <- as.character(entry[[word]])
  }
  known <- list(separator = separators, decimal = c(".", ","), dates = date_orders)
  for (word in intersect(names(known), names(entry))) {
    if (!all(entry[[word]] %in% known[[word]])) {
      refuse("its %s is %s, not %s.", word, shown(entry[[word]]),
             some(shown_each(known[[word]]), 9L))
    }
  }
  if (!is.null(entry$divide) && !(is.numeric(entry$divide) && entry$divide > 0)) {
    refuse("its divide is no number above 0.")
  }
  how <- entry[intersect(c("separator", "decimal", "dates", "sheet", "currency", "divide"),
                         names(entry))]
  how$columns <- columns_of_entry(entry$columns, refuse)
  how$name <- entry$security
  paths <- unlist(lapply(entry$file, files_by_name, dirname(file), refuse))
  lapply(paths, function(path) list(path = path, how = how))
}

columns_of_entry <- function(columns, refuse) {
  if (is.null(columns)) return(NULL)
  if (!is.list(columns) || is.null(names(columns)) || !all(lengths(columns) == 1L)) {
    refuse("its columns are not lines of \"word: header\".")
  }
  unknown <- setdiff(names(columns), source_columns)
  if (length(unknown)) {
    refuse("its columns say \"%s\"; there may be %s.", visible(unknown[1L]),
           some(source_columns, 9L))
  }
  lapply(columns, as.character)
}

shown_each <- function(x) sprintf("\"%s\"", sub("\t", "\\\\t", x))

# By its name, or where it has a star all that fit; brackets and the like are letters.
files_by_name <- function(name, folder, refuse) {
  path <- if (grepl("^(/|~|[A-Za-z]:)", name)) path.expand(name) else file.path(folder, name)
  if (!grepl("*", basename(path), fixed = TRUE)) {
    if (!file.exists(path)) {
      fail("file", sprintf("There is no file %s, which a sources file names.", visible(name)))
    }
    return(path)
  }
  there <- list.files(dirname(path))
  pattern <- gsub("*", "\\E.*\\Q", basename(path), fixed = TRUE)
  fits <- there[grepl(sprintf("^\\Q%s\\E$", pattern), there, perl = TRUE)]
  if (!length(fits)) refuse("no file fits %s.", visible(name))
  file.path(dirname(path), fits)
}

# The columns that were named, by the words that are known; others of the same meaning by no such
# word.
named_columns <- function(grid, columns) {
  headings <- names(grid$columns)
  at <- vapply(names(columns), function(role) {
    chosen_heading(columns[[role]], headings, role, grid$origin)
  }, 0L)
  roles <- names(columns)
  # The price keeps the field that its header says, unless that is another column's.
  own <- field_of(headings[at])
  priced <- roles == "price"
  roles[priced & !is.na(own) & !own %in% roles] <- own[priced & !is.na(own) & !own %in% roles]
  rival <- meaning_of(headings) %in% roles & !seq_along(headings) %in% at
  headings[rival] <- paste("other", headings[rival])
  headings[at] <- roles
  names(grid$columns) <- headings
  if (any(priced)) attr(grid, "price") <- roles[priced]
  grid
}

meaning_of <- function(headings) {
  plain <- plain_name(headings)
  other <- ifelse(plain %in% security_names, "security", field_of(headings))
  ifelse(plain %in% date_names, "date", other)
}

chosen_heading <- function(header, headings, role, origin) {
  at <- which(headings == header)
  if (!length(at)) at <- which(plain_name(headings) == plain_name(header))
  if (length(at) == 1L) return(at)
  fail(
    "sources",
    sprintf(
      "%s has %s column %s, which its sources file names as its %s.", sentence_case(origin),
      if (length(at)) "more than one" else "no", visible(header), role
    ),
    where = sprintf("It has %s.", some(headings, 8L))
  )
}
