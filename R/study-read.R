#' A study: a whole piece of work in one file
#'
#' A study file (YAML) says what is measured and how: prices, book, benchmark, limits, levels,
#' methods, the measures with their choices, and where the report goes. `read_study()` reads and
#' checks it against the schema that ships (`system.file("study", "study.schema.json", package =
#' "imbroglio")`), `new_study()` looks at prices and writes one that runs, with a comment beside
#' each key, [run_study()] measures all of it, and [write_report()] makes the page alone.
#'
#' Nothing in the file is evaluated. Paths go from the folder of the file. Beside texts, numbers,
#' `true` and `false` there are lists (`[a, b]`) and keys with values; `no`, `off` and the like
#' are texts, so that securities may be called so.
#'
#' @param file A study file, ending in `.yml` or `.yaml`.
#' @return `read_study()`: an `imbroglio_study`, a list of what the file says. `new_study()`:
#'   `file`, invisibly.
#' @section Errors: `imbroglio_error_study` for what is no study: with the line, the key and the
#'   nearest key that there is; `imbroglio_error_file` for a file that cannot be read.
#' @seealso [run_study()], [write_report()]
#' @family ways to hand on
#' @examplesIf requireNamespace("yaml", quietly = TRUE)
#' study <- read_study(demo_file("bay-study.yml"))
#' names(study$says)
#' @export
read_study <- function(file) {
  need_package("yaml", "A study file")
  if (!is.character(file) || length(file) != 1L || is.na(file)) {
    fail("argument", "A study is a file.", where = sprintf("It is %s.", shown(file)))
  }
  if (!file.exists(file) || dir.exists(file)) {
    fail("file", sprintf("There is no study %s.", file))
  }
  lines <- lines_of_study(file)
  says <- parsed_study(lines, file)
  if (!is.list(says) || inherits(says, "study_list")) {
    refuse_study(file, 1L, "A study has keys with values, such as prices: FILE.")
  }
  problems <- against_schema(says, study_schema())
  if (!length(problems)) problems <- unknown_method(says$methods)
  if (length(problems)) refuse_keys(problems, file, lines)
  structure(
    list(says = plain_values(says), file = file, folder = dirname(file), lines = lines),
    class = "imbroglio_study"
  )
}

# A study is written by hand: what is much larger, or deeper, is no study, and is not parsed.
most_of_study <- list(bytes = 2^20, deep = 20L, values = 5000L)

lines_of_study <- function(file) {
  if (file.size(file) > most_of_study$bytes) {
    refuse_study(file, NA, sprintf(
      "A study has %s bytes at most; this file has %s.",
      count(most_of_study$bytes), count(file.size(file))
    ))
  }
  bytes <- readBin(file, "raw", file.size(file))
  nul <- match(as.raw(0L), bytes)
  if (!is.na(nul)) {
    line <- sum(bytes[seq_len(nul)] == as.raw(10L)) + 1L
    refuse_study(file, line, "A study is text; there is a NUL in it.")
  }
  lines <- in_utf8(strsplit(rawToChar(bytes), "\r?\n", useBytes = TRUE)[[1L]])
  if (!length(lines)) refuse_study(file, 1L, "There is nothing in this study.")
  lines[1L] <- sub("^\ufeff", "", lines[1L])
  # Without quoted texts and comments.
  bare <- gsub("\"([^\"\\\\]|\\\\.)*\"|'[^']*'", "\"\"", lines)
  bare <- sub("(^|\\s)#.*$", "", bare)
  refuse_at <- function(at, problem, remedy = NULL) {
    if (length(at)) refuse_study(file, at[1L], problem, remedy)
  }
  refuse_at(
    grep("(^|[:,[{?-])\\s*[&*][^\\s,}\\]]", bare, perl = TRUE),
    "A study is plain: anchors (&) and aliases (*) have no place in it.",
    "Write the value itself; a text that begins so stands in quotes."
  )
  begun <- which(nzchar(trimws(bare)))[1L]
  marks <- grep("^(---|[.]{3})(\\s|$)", bare)
  refuse_at(
    marks[marks != begun],
    "A study is one document; another begins here.",
    "Take it out, or put it into a file of its own."
  )
  refuse_deep(bare, refuse_at)
  lines
}

refuse_deep <- function(bare, refuse_at) {
  bytes <- charToRaw(paste0(bare, "\n", collapse = ""))
  is <- function(marks) bytes %in% charToRaw(marks)
  line <- cumsum(c(0L, utils::head(is("\n"), -1L))) + 1L
  deep <- cumsum(is("[{") - is("]}"))
  listed <- nchar(gsub("[^-]", "", sub("^((\\s*-\\s)*).*$", "\\1", bare)))
  indent <- nchar(sub("\\S.*$", "", bare))
  refuse_at(
    sort(c(
      line[deep > most_of_study$deep][1L], which(listed > most_of_study$deep | indent > 200L)
    )),
    sprintf("Values stand within each other more than %s deep.", count(most_of_study$deep))
  )
  values <- cumsum(is("[{,\n"))
  refuse_at(
    line[which(values > most_of_study$values)[1L]][values[length(values)] > most_of_study$values],
    sprintf("A study has %s values at most.", count(most_of_study$values)),
    "Long lists, such as of holdings, stand in a file of their own, which it names."
  )
}

refuse_absent_files <- function(study) {
  absent <- absent_files(study)
  if (length(absent)) refuse_keys(absent, study$file, study$lines)
}

# The files that a study names and that are not there.
absent_files <- function(study) {
  says <- study$says
  named <- function(path, files) {
    files <- files[is.character(files) & !grepl("^([a-z]+:|-$)", files)]
    gone <- files[!file.exists(path.expand(study_path(study, files)))]
    lapply(gone, function(f) {
      list(path = path, text = sprintf("names %s, which is not there", visible(f)))
    })
  }
  book <- says$book
  c(
    if (is.character(says$prices)) named("prices", says$prices),
    unlist(lapply(c("actions", "securities", "limits"), function(key) {
      if (is.character(says[[key]])) named(key, says[[key]])
    }), FALSE),
    if (is.character(says$currency$rates)) named(c("currency", "rates"), says$currency$rates),
    unlist(lapply(ways_to_hold, function(key) {
      if (is.character(book[[key]])) named(c("book", key), book[[key]])
    }), FALSE)
  )
}

# Methods may be registered, so the schema cannot list them.
unknown_method <- function(methods) {
  known <- names(known_var_methods())
  unknown <- setdiff(unlist(methods), known)
  lapply(unknown, function(name) {
    list(
      path = "methods",
      text = sprintf("does not know %s", said_value(name)),
      remedy = did_you_mean(name, known) %||% sprintf("There are %s.", some(known, 40L))
    )
  })
}

refuse_study <- function(file, line, problem, remedy = NULL) {
  fail(
    "study",
    problem,
    where = sprintf("%s%s.", file, if (is.na(line)) "" else sprintf(", line %s", count(line))),
    remedy = remedy,
    file = file,
    line = if (!is.na(line)) as.integer(line)
  )
}

# All that is wrong at once, in the order of the lines.
refuse_keys <- function(problems, file, lines) {
  if (length(problems) == 1L) {
    one <- problems[[1L]]
    refuse_study(file, line_of_key(lines, one$path), words_of_problem(one), one$remedy)
  }
  at <- vapply(problems, function(one) line_of_key(lines, one$path), 0L)
  in_order <- order(at)
  said <- vapply(problems, words_of_problem, "")
  remedies <- vapply(problems, function(one) one$remedy %||% "", "")
  said <- sprintf(
    "%s%s%s", ifelse(is.na(at), "", sprintf("Line %s: ", at)), said,
    ifelse(nzchar(remedies) & grepl("^Did you", remedies), paste0(" ", remedies), "")
  )[in_order]
  shown <- utils::head(said, 20L)
  fail(
    "study",
    sprintf("%s are wrong in %s.", count(length(said), "thing"), file),
    where = c(shown, if (length(said) > 20L) sprintf("And %s more.", count(length(said) - 20L))),
    file = file,
    line = at[in_order][1L]
  )
}

words_of_problem <- function(problem) {
  place <- problem$path[!grepl(list_item, problem$path)]
  key <- paste(place, collapse = ": ")
  text <- if (isTRUE(problem$unknown)) {
    within <- place[-length(place)]
    sub(" is no key there", if (length(within)) {
      sprintf(" is no key of %s", paste(within, collapse = ": "))
    } else {
      " is no key of a study"
    }, problem$text, fixed = TRUE)
  } else {
    sprintf("%s %s", if (nzchar(key)) key else "A study", problem$text)
  }
  paste0(text, ".")
}

# YAML, of which only plain values are taken: nothing is evaluated, no tag has a meaning.
parsed_study <- function(lines, file) {
  tagged <- grep("(^|[:,[{-])\\s+![^ ]", gsub("\"[^\"]*\"|'[^']*'|#.*$", "", lines))
  if (length(tagged)) {
    refuse_study(file, tagged[1L], "A study is plain: tags (!) have no place in it.")
  }
  as_text <- function(x) x
  truth <- function(x) if (lower_case(x) %in% c("true", "false")) lower_case(x) == "true" else x
  parsed <- tryCatch(
    yaml::yaml.load(paste(lines, collapse = "\n"), eval.expr = FALSE, handlers = list(
      seq = function(x) structure(list(x), class = "study_seq"),
      `bool#yes` = truth,
      `bool#no` = truth,
      int = plain_number,
      `float#fix` = plain_number,
      `float#exp` = plain_number,
      `float#nan` = as_text,
      `float#inf` = as_text,
      `float#neginf` = as_text,
      `bool#na` = as_text,
      `int#na` = as_text,
      `float#na` = as_text,
      `str#na` = as_text,
      `int#oct` = as_text,
      `int#hex` = as_text,
      `int#base60` = as_text,
      `float#base60` = as_text
    )),
    error = function(e) {
      said <- conditionMessage(e)
      line <- regmatches(said, gregexpr("line [0-9]+", said))[[1L]]
      line <- as.integer(sub("line ", "", utils::tail(line, 1L)))
      key <- regmatches(said, regexec("Duplicate map key: '(.*)'", said))[[1L]]
      if (length(key)) {
        at <- grep(sprintf("(^|[ {,])\\Q%s\\E\\s*:", key[2L]), lines, perl = TRUE)
        refuse_study(
          file, if (length(at) > 1L) at[2L] else NA, sprintf("%s stands there twice.", key[2L])
        )
      }
      refuse_study(
        file,
        if (length(line)) min(line, length(lines)) else NA,
        "This is no YAML.",
        sentence_case(gsub("\\s+", " ", sub("^\\w+ error: ", "", said)))
      )
    }
  )
  with_lists(parsed)
}

# A number as it is written everywhere; what only YAML takes for one, such as 1,000, stays text.
plain_number <- function(x) {
  if (grepl("^[-+]?([0-9]+[.]?[0-9]*|[.][0-9]+)([eE][-+]?[0-9]+)?$", x)) as.numeric(x) else x
}

# Lists keep that they are lists, also of one.
with_lists <- function(x) {
  if (inherits(x, "study_seq")) {
    return(structure(lapply(x[[1L]], with_lists), class = "study_list"))
  }
  if (is.list(x)) lapply(x, with_lists) else x
}

# Lists of plain values as vectors.
plain_values <- function(x) {
  if (!is.list(x)) return(x)
  listed <- inherits(x, "study_list")
  x <- lapply(x, plain_values)
  if (listed && all(vapply(x, function(v) is.atomic(v) && length(v) == 1L, NA))) unlist(x) else x
}

# In a path, the place in a list.
list_item <- "^\\[[0-9]+\\]$"

# The line of a key: keys of a key stand below it, deeper; or within its braces.
line_of_key <- function(lines, path) {
  from <- 1L
  to <- length(lines)
  found <- NA_integer_
  bare <- sub("#.*$", "", lines)
  for (key in path) {
    item <- grepl(list_item, key)
    span <- seq_len(to)[seq_len(to) >= from]
    # In an expression: all in it that is no letter.
    plain <- gsub("([^[:alnum:]_])", "\\\\\\1", key)
    at <- if (item) {
      span[grepl("^\\s*- ", bare[span])][as.integer(gsub("[^0-9]", "", key))]
    } else {
      span[grepl(sprintf("(^\\s*(- )?|[{,]\\s*)[\"']?%s[\"']?\\s*:", plain), bare[span])][1L]
    }
    if (is.na(at)) break
    found <- at
    depth <- nchar(sub("\\S.*$", "", bare[at]))
    later <- seq_len(to)[seq_len(to) > at]
    ends <- later[nzchar(trimws(bare[later])) & nchar(sub("\\S.*$", "", bare[later])) <= depth]
    to <- if (length(ends) && !item) ends[1L] - 1L else to
    from <- at
  }
  found
}

#' @export
print.imbroglio_study <- function(x, ...) {
  cat("Study ", x$file, "\n", sep = "")
  writeLines(paste0("  ", x$lines[nzchar(trimws(sub("#.*$", "", x$lines)))]))
  invisible(x)
}
