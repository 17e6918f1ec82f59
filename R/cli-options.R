comma <- function(text) trimws(strsplit(text, ",", fixed = TRUE)[[1L]])

# Numbers as people write them: 0.99 or 99%, 1000000 or 1,000,000 or 1m; several with commas
# between.
number <- function(text) {
  text <- trimws(text)
  parted <- grepl(
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
  if (length(ends)) as.numeric(ends[2L]):as.numeric(ends[3L]) else number(text)
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

# The files and the options of a command line, by name; options as R arguments
# are called (min_obs for --min-obs).
read_command_line <- function(words, allowed, command) {
  # A lone - is standard input, which optparse would read as an option.
  lone <- words == "-"
  words <- words[!lone]
  # A number below zero after an option is its value.
  value <- which(grepl("^-[0-9.]", words) & grepl("^--[a-z-]+$", c("", words[-length(words)])))
  if (length(value)) {
    words[value - 1L] <- paste0(words[value - 1L], "=", words[value])
    words <- words[-value]
  }
  given <- sub("=.*$", "", grep("^-", words, value = TRUE))
  refuse_unknown_options(given, allowed, command)
  # Only those on the line: to make an option takes a millisecond, and a command has fifty.
  named <- intersect(allowed, c(sub("^--", "", given), "help"))
  options <- lapply(named, made_option)
  name_of <- sub("^--", "", given)
  valued <- name_of[!vapply(name_of, function(name) is.null(options_known[[name]]$takes), NA)]
  if (anyDuplicated(valued)) {
    fail(
      "argument",
      sprintf("--%s is given more than once.", valued[duplicated(valued)][1L]),
      remedy = "Several values stand in one, with commas between them."
    )
  }
  parser <- optparse::OptionParser(option_list = options, add_help_option = FALSE)
  parsed <- tryCatch(
    optparse::parse_args(
      parser,
      args = words,
      positional_arguments = TRUE,
      print_help_and_exit = FALSE
    ),
    error = function(e) {
      fail("argument", sprintf("%s: %s.", command, sub("\\.$", "", conditionMessage(e))))
    }
  )
  flags <- Filter(function(name) is.null(options_known[[name]]$takes), setdiff(allowed, named))
  values <- c(
    parsed$options[intersect(names(parsed$options), allowed)],
    stats::setNames(rep(list(FALSE), length(flags)), flags)
  )
  for (name in names(values)) {
    if (is.null(options_known[[name]]$takes)) next
    if (!nzchar(gsub(if (name == "decimal") " " else "[ ,]", "", values[[name]]))) {
      fail("argument", sprintf("--%s has no value.", name))
    }
    values[[name]] <- options_known[[name]]$read(values[[name]])
  }
  names(values) <- gsub("-", "_", names(values), fixed = TRUE)
  list(
    given = sub("^--", "", intersect(given, paste0("--", allowed))),
    files = c(parsed$args, rep("-", sum(lone))),
    options = structure(values, class = "imbroglio_options")
  )
}

refuse_unknown_options <- function(given, allowed, command) {
  unknown <- setdiff(given, c(paste0("--", allowed), "-h"))
  if (length(unknown)) {
    elsewhere <- sub("^--", "", unknown[1L]) %in% names(options_known)
    near <- did_you_mean(unknown[1L], paste0("--", allowed))
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

made_option <- function(name) {
  takes <- options_known[[name]]$takes
  if (is.null(takes)) {
    optparse::make_option(
      c(if (name == "help") "-h", paste0("--", name)),
      action = "store_true",
      default = FALSE
    )
  } else {
    optparse::make_option(paste0("--", name), type = "character", metavar = takes)
  }
}

# `$` of a list would take --together for --to.
#' @export
`$.imbroglio_options` <- function(x, name) x[[name]]
