# The options of the command, each once: what it takes, how its text becomes a value, what it means
# (by itself, or of one command), and why it is of no use (`idle`, a function of the options and
# the command; NULL where it is of use).

option <- function(takes, type, help, idle = function(o, command) NULL) {
  list(takes = takes, read = option_types[[type]], help = help, idle = idle)
}

flag <- function(help, idle = function(o, command) NULL) list(help = help, idle = idle)

options_known <- function() {
  if (is.null(made_records$options)) {
    made_records$options <- c(
      options_of_reading(), options_of_books(), options_of_measures(), options_of_days(),
      options_of_feeds(), options_of_answers()
    )
  }
  made_records$options
}

takes_value <- function(names) {
  !vapply(names, function(name) is.null(options_known()[[name]]$takes), NA)
}

comma <- function(text) trimws(strsplit(text, ",", fixed = TRUE)[[1L]])

# Numbers as people write them: 0.99 or 99%, 1000000 or 1,000,000 or 1m. Where `several` may be
# meant a comma stands between them, and never within: 60,250 are two windows.
number <- function(text, several = FALSE) {
  text <- trimws(text)
  parted <- !several && grepl(
    "^[-+]?[0-9]{1,3}(,[0-9]{3})+([.][0-9]+)?( ?(k|m|bn))?$",
    text,
    ignore.case = TRUE
  )
  parts <- if (parted) gsub(",", "", text, fixed = TRUE) else comma(text)
  unit <- regmatches(parts, regexec("^(.*[0-9.]) ?(%|k|m|bn)$", parts, ignore.case = TRUE))
  values <- mapply(function(part, unit) {
    if (!length(unit)) return(suppressWarnings(as.numeric(part)))
    suppressWarnings(as.numeric(unit[2L])) * c(
      `%` = 0.01,
      k = 1e3,
      m = 1e6,
      bn = 1e9
    )[[lower_case(unit[3L])]]
  }, parts, unit, USE.NAMES = FALSE)
  if (!length(values) || anyNA(values)) fail("argument", sprintf("\"%s\" is not a number.", text))
  as.numeric(values)
}

# Numbers, or a run of whole ones: 1:20.
numbers <- function(text) {
  ends <- regmatches(text, regexec("^ *([0-9]{1,4}):([0-9]{1,4}) *$", text))[[1L]]
  if (length(ends)) as.numeric(ends[2L]):as.numeric(ends[3L]) else number(text, TRUE)
}

# Periods, or times.
times <- function(text) {
  parts <- comma(text)
  named <- vapply(parts, function(part) grepl("[a-z]", part, ignore.case = TRUE), NA)
  if (!any(named)) return(numbers(text))
  other <- parts[!vapply(parts, function(part) !is.null(parts_of_time(part)), NA)]
  if (length(other)) {
    fail("argument", sprintf("%s is no time.", shown(other[1L])),
         remedy = "Times are such as \"10 days\", \"2 weeks\", \"1 month\".")
  }
  parts
}

# A time is several periods, for all that is known before the returns are.
horizons_of <- function(o) {
  if (is.character(o$horizon)) 2L else as.integer(o$horizon %||% 1L)
}

number_or_name <- function(text) tryCatch(number(text), imbroglio_error = function(e) text)

# "A=0.6,B=0.4", or the name of a file.
amounts <- function(text) {
  if (!grepl("=", text, fixed = TRUE)) return(text)
  parts <- strsplit(comma(text), "=", fixed = TRUE)
  whole <- lengths(parts) == 2L
  amounts <- vapply(parts, function(p) {
    tryCatch(number(p[length(p)])[1L], imbroglio_error = function(e) NA_real_)
  }, 0)
  if (!all(whole) || anyNA(amounts)) {
    fail(
      "argument",
      sprintf("\"%s\" is no list of names and numbers.", text),
      remedy = "Write A=0.6,B=0.4, or the name of a file."
    )
  }
  stats::setNames(amounts, trimws(vapply(parts, `[`, "", 1L)))
}

# "A=B,C=D": names by names.
pairs <- function(text) {
  parts <- strsplit(comma(text), "=", fixed = TRUE)
  if (!all(lengths(parts) == 2L)) {
    fail("argument", sprintf("\"%s\" is no list of names by names.", text), remedy = "Write A=B.")
  }
  stats::setNames(trimws(vapply(parts, `[`, "", 2L)), trimws(vapply(parts, `[`, "", 1L)))
}

# "A,B" some of which have names: "crash=2018-08-15:2019-01-10,2020".
named_parts <- function(text) {
  parts <- comma(text)
  named <- grepl("=", parts, fixed = TRUE)
  stats::setNames(
    trimws(sub("^[^=]*=", "", parts)),
    ifelse(named, trimws(sub("=.*$", "", parts)), "")
  )
}

option_types <- list(
  text = identity,
  list = comma,
  number = number,
  `several numbers` = function(text) number(text, several = TRUE),
  times = times,
  amounts = amounts,
  pairs = pairs,
  `named list` = named_parts,
  `number or name` = number_or_name,
  `names or name` = function(x) if (grepl("=", x, fixed = TRUE)) pairs(x) else x
)

# The files and the options of a command line, by name; options as R arguments are called (min_obs
# for --min-obs).
read_command_line <- function(words, allowed, command) {
  line <- parted_line(words, allowed, command)
  values <- line$values
  for (name in names(values)[takes_value(names(values))]) {
    if (!nzchar(gsub(if (name == "decimal") " " else "[ ,]", "", values[[name]]))) {
      fail("argument", sprintf("--%s has no value.", name))
    }
    values[[name]] <- options_known()[[name]]$read(values[[name]])
  }
  flags <- setdiff(allowed[!takes_value(allowed)], names(values))
  values[flags] <- FALSE
  names(values) <- gsub("-", "_", names(values), fixed = TRUE)
  list(
    given = names(line$values),
    files = line$files,
    options = structure(values, class = "imbroglio_options")
  )
}

# The words that are files, and the options with their texts. What begins with - is an option, but
# for - alone, which is standard input; after an option, whatever is no option is its value, a
# number below zero too.
parted_line <- function(words, allowed, command) {
  is_option <- grepl("^-", words) & words != "-" & !grepl("^-[0-9.]", words)
  refuse_unknown_options(sub("=.*$", "", words[is_option]), allowed, command)
  values <- list()
  files <- character()
  at <- 1L
  while (at <= length(words)) {
    word <- words[at]
    at <- at + 1L
    if (!is_option[at - 1L]) {
      files <- c(files, word)
      next
    }
    name <- sub("^-h$", "help", sub("^--", "", sub("=.*$", "", word)))
    value <- if (grepl("=", word, fixed = TRUE)) sub("^[^=]*=", "", word)
    if (!takes_value(name)) {
      if (!is.null(value)) fail("argument", sprintf("--%s takes no value.", name))
      values[[name]] <- TRUE
      next
    }
    if (!is.null(values[[name]])) {
      fail(
        "argument",
        sprintf("--%s is given more than once.", name),
        remedy = "Several values stand in one, with commas between them."
      )
    }
    if (is.null(value)) {
      # What is written may go to standard output.
      if (at > length(words) || is_option[at] || (words[at] == "-" && name != "out")) {
        fail("argument", sprintf("%s: --%s wants a value.", command, name))
      }
      value <- words[at]
      at <- at + 1L
    }
    values[[name]] <- value
  }
  list(values = values, files = files)
}

refuse_unknown_options <- function(given, allowed, command) {
  unknown <- setdiff(given, c(paste0("--", allowed), "-h"))
  if (length(unknown)) {
    elsewhere <- sub("^--", "", unknown[1L]) %in% names(options_known())
    meant <- options_meant[sub("^--?", "", unknown[1L])]
    near <- if (meant %in% allowed) {
      sprintf("Did you mean --%s?", meant)
    } else {
      did_you_mean(unknown[1L], paste0("--", allowed))
    }
    fail(
      "argument",
      sprintf("%s has no option %s.", command, unknown[1L]),
      remedy = if (elsewhere || is.null(near)) {
        sprintf("imbroglio %s --help shows what it has.", command)
      } else {
        near
      }
    )
  }
}

# `$` of a list would take --together for --to.
#' @export
`$.imbroglio_options` <- function(x, name) x[[name]]
