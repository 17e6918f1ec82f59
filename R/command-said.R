# What is said beside the answer, on standard error: errors, warnings, notes, and what was done;
# for people, or a line of JSON each for programs that ask for the answer in JSON.

tell <- function(prefix, condition, status = NULL) {
  if (told_as_json()) {
    speak_json(told_in_json(condition, tolower(sub(":? *$", "", prefix)), status))
    return(status)
  }
  # Colours are for R's own console.
  lines <- strsplit(
    trimws(cli::ansi_strip(conditionMessage(condition))),
    "\n",
    fixed = TRUE
  )[[1L]]
  # cli's marks mean nothing without its colours.
  lines[1L] <- sub("^(\u2139|i) ", "", lines[1L])
  lines[-1L] <- sub("^\\S (?=\\S)", "", lines[-1L], perl = TRUE)
  # One sentence a line, folded only after its words are those of the command.
  lines <- in_shell_words(visible(lines))
  # A word longer than any path or name would push the rest out of sight.
  lines <- gsub("(\\S{60})\\S{340,}", "\\1...", lines)
  speak(paste(
    unlist(lapply(seq_along(lines), function(i) {
      strwrap(
        paste0(if (i == 1L) prefix, lines[i]),
        110,
        indent = if (i == 1L) 0 else 2,
        exdent = if (i == 1L) 2 else 4
      )
    })),
    collapse = "\n"
  ))
  status
}

# What was done, which --quiet leaves out.
say <- function(...) if (!quiet_asked()) speak(...)

# What is wrong, which nothing leaves out.
speak <- function(...) {
  if (told_as_json()) {
    speak_json(c(told_head("said"), list(text = paste0(..., collapse = ""))))
  } else {
    cat(..., "\n", sep = "", file = stderr())
  }
}

quiet_asked <- function() isTRUE(getOption("imbroglio.quiet"))

told_as_json <- function() identical(getOption("imbroglio.told_as"), "json")

asks_for_json <- function(words) {
  "--format=json" %in% words || "json" %in% words[which(words == "--format") + 1L]
}

speak_json <- function(told) {
  cat(
    as.character(jsonlite::toJSON(told, auto_unbox = TRUE, null = "null", digits = NA)), "\n",
    sep = "", file = stderr()
  )
}

told_head <- function(kind) {
  version <- own_version()
  list(imbroglio = list(kind = kind, form = form_of_answers, version = version))
}

condition_fields <- function(condition) {
  fields <- c("file", "line", "security", "value")
  lapply(stats::setNames(nm = fields), function(name) condition[[name]])
}

# What is wrong, where, what to do, and the fields that the condition has for programs.
told_in_json <- function(condition, kind, status) {
  plain <- function(text) unname(in_shell_words(visible(cli::ansi_strip(text))))
  body <- condition$body
  # A note is its text, and what to do.
  lines <- strsplit(conditionMessage(condition), "\n *")[[1L]]
  of_note <- inherits(condition, "imbroglio_note")
  problem <- if (of_note) sub("^\\S ", "", lines[1L]) else condition$message
  remedy <- if (of_note) lines[-1L] else body[names(body) == "i"]
  named <- grep("^imbroglio_[a-z]+_", class(condition), value = TRUE)
  c(
    told_head(if (kind %in% c("warning", "note")) kind else "error"),
    list(
      class = if (length(named)) sub("^imbroglio_[a-z]+_", "", named[1L]) else "broke",
      problem = plain(problem),
      where = as.list(plain(body[names(body) == "x"])),
      remedy = if (length(remedy)) plain(paste(remedy, collapse = " "))
    ),
    if (!is.null(status)) list(status = status),
    Filter(Negate(is.null), condition_fields(condition))
  )
}
