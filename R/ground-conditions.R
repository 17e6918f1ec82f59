# What went wrong, where, and what to do. The texts are handed to cli as values, never as
# templates: they may hold text from a file, braces included. `...`: what a program may want to
# know of it: `argument`, `file`, `line`, `security`, `value`. An argument is named in backticks.
fail <- function(kind, problem, where = NULL, remedy = NULL, ...) {
  # What a damaged file or database is quoted with need not be text.
  problem <- in_utf8(problem)
  where <- if (length(where)) in_utf8(where)
  places <- sprintf("{where[%d]}", seq_along(where))
  cli::cli_abort(
    c(
      "{problem}", stats::setNames(places, rep("x", length(places))),
      i = if (length(remedy)) "{remedy}"
    ),
    class = c(paste0("imbroglio_error_", kind), "imbroglio_error"),
    call = users_call(),
    ...,
    argument = if ("argument" %in% kind) first_backticked(problem)
  )
}

# What only who writes R can ask for: its remedy speaks R, and no command has it.
fail_in_r <- function(...) fail(...)

first_backticked <- function(text) {
  parts <- regmatches(text, regexec("`([a-z_]+)`", text))[[1L]]
  if (length(parts)) parts[2L]
}

# The function of ours that was last called from outside, without what it was given: that can be a
# table of millions.
users_call <- function() {
  house <- topenv()
  is_ours <- function(frame) {
    outer <- if (frame) environment(sys.function(frame))
    !is.null(outer) && identical(topenv(outer), house)
  }
  callers <- sys.parents()
  for (i in rev(seq_along(callers))) {
    if (!is_ours(i) || is_ours(callers[i])) next
    name <- sys.call(i)[[1L]]
    # What do.call() was given may be the function itself.
    if (is.function(name)) {
      name <- as.name(
        Find(function(n) identical(get(n, house), name), getNamespaceExports(house)) %||% "FUN"
      )
    }
    if (is.name(name)) name <- as.name(sub("[.]imbroglio_.*$", "", as.character(name)))
    if (!identical(name, quote(FUN)) && (is.name(name) || identical(name[[1L]], quote(`::`)))) {
      return(as.call(list(name)))
    }
  }
}

# A function that a user registered: what it breaks with, or gives that cannot be, is told with
# the name of what it is of.
own_function <- function(run, what, can_be, wanted) {
  force(run)
  force(what)
  function(...) {
    answer <- tryCatch(run(...), error = function(e) {
      fail("own", sprintf("%s failed.", what), where = conditionMessage(e))
    })
    if (!can_be(answer, ...)) {
      fail(
        "own",
        sprintf("%s must give %s.", what, wanted),
        where = sprintf("It gave %s.", shown(answer))
      )
    }
    answer
  }
}

# What a condition says of a place in a file.
file_of <- function(origin) if (startsWith(origin, "file ")) substring(origin, 6L)

line_of <- function(place) {
  parts <- regmatches(place, regexec("(?:line|row) ([0-9,]+)", place, perl = TRUE))[[1L]]
  if (length(parts)) as.integer(gsub(",", "", parts[2L], fixed = TRUE))
}

in_utf8 <- function(text) {
  strange <- !validUTF8(text)
  text[strange] <- iconv(text[strange], "latin1", "UTF-8")
  text
}

# Text from a file for a message: control characters as they are written in programs.
visible <- function(text) {
  text <- in_utf8(text)
  # Also what turns the direction of writing.
  strange <- grepl("[[:cntrl:]\u202a-\u202e\u2066-\u2069]", text)
  text[strange] <- vapply(text[strange], function(piece) {
    codes <- utf8ToInt(piece)
    unseen <- codes < 32L |
      (codes >= 127L & codes < 160L) |
      codes %in% c(0x202a:0x202e, 0x2066:0x2069)
    paste(ifelse(unseen, sprintf("\\x%02x", codes), intToUtf8(codes, TRUE)), collapse = "")
  }, "")
  text
}

caution <- function(kind, problem, remedy = NULL) {
  cli::cli_warn(
    c("{problem}", i = if (length(remedy)) "{remedy}"),
    class = c(paste0("imbroglio_warning_", kind), "imbroglio_warning"),
    call = users_call()
  )
}

note <- function(kind, text, remedy = NULL) {
  cli::cli_inform(
    c(i = "{text}", if (!is.null(remedy)) c(" " = "{remedy}")),
    class = c(paste0("imbroglio_note_", kind), "imbroglio_note")
  )
}

# Of what only R can say.
note_in_r <- function(...) note(...)

# Progress is for who looks on: not in a document that is knitted, a log, or a script. One option
# says otherwise.
shows_progress <- function() {
  isTRUE(getOption(
    "imbroglio.progress", interactive() && !isTRUE(getOption("knitr.in.progress"))
  ))
}

progress_bar <- function(..., .envir = parent.frame()) {
  if (shows_progress()) cli::cli_progress_bar(..., .envir = .envir)
}
progress_step <- function(bar, ...) if (!is.null(bar)) cli::cli_progress_update(id = bar, ...)
progress_done <- function(bar) if (!is.null(bar)) cli::cli_progress_done(id = bar)

progress_along <- function(x, name) {
  if (!shows_progress()) return(seq_along(x))
  cli::cli_progress_along(x, name, .envir = parent.frame())
}

need_package <- function(package, what) {
  if (requireNamespace(package, quietly = TRUE)) return(invisible())
  fail(
    "package",
    sprintf("%s needs the package %s, which is not installed.", what, package),
    remedy = sprintf('Run install.packages("%s").', package)
  )
}

# "A, B, C and 12 more"
some <- function(x, most = 5L) {
  x <- as.character(x)
  if (length(x) > most) x <- c(x[seq_len(most)], sprintf("%s more", count(length(x) - most)))
  if (length(x) < 2L) return(x)
  paste(paste(x[-length(x)], collapse = ", "), "and", x[length(x)])
}

count <- function(n, unit = NULL, units = paste0(unit, "s")) {
  shown <- format(n, big.mark = ",", scientific = FALSE, trim = TRUE)
  if (is.null(unit)) shown else paste(shown, ifelse(n == 1, unit, units))
}

nearest_of <- function(word, words) {
  away <- utils::adist(word, words, ignore.case = TRUE)[1L, ]
  if (length(words) && min(away) <= max(2, nchar(word) %/% 3)) words[[which.min(away)]]
}

# For each of several its own.
did_you_mean <- function(word, words) {
  near <- lapply(utils::head(word, 20L), nearest_of, words)
  known <- lengths(near) > 0L
  if (!any(known)) return(NULL)
  meant <- unlist(near[known])
  if (length(word) > 1L) meant <- sprintf("%s for %s", meant, word[seq_along(near)][known])
  sprintf("Did you mean %s?", some(meant, 20L))
}

`%||%` <- function(a, b) if (is.null(a)) b else a
