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
  lines <- in_utf8(readLines(file, warn = FALSE))
  lines[1L] <- sub("^\ufeff", "", lines[1L])
  says <- parsed_study(lines, file)
  if (!is.list(says) || inherits(says, "study_list")) {
    refuse_study(file, 1L, "A study has keys with values, such as prices: FILE.")
  }
  problem <- against_schema(says, study_schema())
  if (is.null(problem)) problem <- unknown_method(says$methods)
  if (!is.null(problem)) refuse_key(problem, file, lines)
  structure(
    list(says = plain_values(says), file = file, folder = dirname(file), lines = lines),
    class = "imbroglio_study"
  )
}

# Methods may be registered, so the schema cannot list them.
unknown_method <- function(methods) {
  known <- names(var_methods())
  unknown <- setdiff(unlist(methods), known)
  if (!length(unknown)) return(NULL)
  list(
    path = "methods",
    text = sprintf("does not know %s", said_value(unknown[1L])),
    remedy = did_you_mean(unknown[1L], known) %||% sprintf("There are %s.", some(known, 40L))
  )
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

refuse_key <- function(problem, file, lines) {
  place <- problem$path[!grepl("^[0-9]+$", problem$path)]
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
  refuse_study(file, line_of_key(lines, problem$path), paste0(text, "."), problem$remedy)
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

# The line of a key: keys of a key stand below it, deeper; or within its braces.
line_of_key <- function(lines, path) {
  from <- 1L
  to <- length(lines)
  found <- NA_integer_
  bare <- sub("#.*$", "", lines)
  for (key in path) {
    item <- grepl("^[0-9]+$", key)
    span <- seq_len(to)[seq_len(to) >= from]
    # In an expression: all in it that is no letter.
    plain <- gsub("([^[:alnum:]_])", "\\\\\\1", key)
    at <- if (item) {
      span[grepl("^\\s*- ", bare[span])][as.integer(key)]
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
