# Pages of the manual and completion for shells, made from what the commands say of themselves.
# `install_command()` puts them where the system looks for them.

write_manual <- function(folder) {
  dir.create(folder, FALSE, TRUE)
  known <- commands()
  write_lines(manual_overview(known), file.path(folder, "imbroglio.1"))
  for (name in names(known)) {
    write_lines(
      manual_page(name, known[[name]], known),
      file.path(folder, sprintf("imbroglio-%s.1", name))
    )
  }
}

# Text for the manual's own language.
roff <- function(text) {
  text <- gsub("\\", "\\e", text, fixed = TRUE)
  text <- gsub("-", "\\-", text, fixed = TRUE)
  sub("^([.'])", "\\\\&\\1", text)
}

manual_head <- function(name, says) {
  c(
    sprintf(
      ".TH %s 1 \"\" \"imbroglio %s\" \"Risk from historical prices\"",
      toupper(roff(name)), own_version()
    ),
    ".SH NAME",
    sprintf("%s \\- %s", roff(name), roff(says))
  )
}

manual_overview <- function(known) {
  groups <- command_groups(known)
  c(
    manual_head("imbroglio", "risk from historical prices; every number can show its working"),
    ".SH SYNOPSIS",
    ".B imbroglio",
    roff("COMMAND FILE... [options]"),
    unlist(lapply(names(groups), function(title) {
      c(
        sprintf(".SH %s", toupper(title)),
        unlist(lapply(groups[[title]], function(name) {
          c(".TP", sprintf(".B %s", roff(name)), roff(known[[name]]$says))
        }))
      )
    })),
    ".SH EXIT STATUS",
    unlist(lapply(names(statuses), function(name) {
      c(".TP", sprintf(".B %s", name), roff(statuses[[name]]))
    })),
    ".PP",
    "What a signal ended has 128 and its number.",
    ".SH ENVIRONMENT",
    unlist(lapply(names(environment_words), function(name) {
      c(".TP", sprintf(".B %s", name), roff(environment_words[[name]]))
    })),
    ".SH SEE ALSO",
    paste(sprintf(".BR %s (1)", roff(paste0("imbroglio-", names(known)))), collapse = "\n")
  )
}

manual_page <- function(name, command, known) {
  groups <- grouped_options(command)
  near <- Filter(function(group) name %in% group, command_groups(known))
  c(
    manual_head(paste0("imbroglio-", name), command$says),
    ".SH SYNOPSIS",
    sprintf(".B imbroglio %s", roff(name)),
    roff(paste(command$takes, "[options]")),
    unlist(lapply(names(groups), function(title) {
      if (!length(groups[[title]])) return(NULL)
      c(
        sprintf(".SH %s", toupper(title)),
        unlist(lapply(groups[[title]], function(option) {
          takes <- options_known()[[option]]$takes
          c(
            ".TP",
            sprintf(".B %s", roff(trimws(paste0("--", option, " ", takes)))),
            roff(option_help(option, name))
          )
        }))
      )
    })),
    ".SH EXAMPLES",
    unlist(lapply(command$example, function(example) c(".PP", ".nf", roff(example), ".fi"))),
    ".SH SEE ALSO",
    paste(sprintf(
      ".BR %s (1)", roff(c("imbroglio", paste0("imbroglio-", setdiff(near[[1L]], name))))
    ), collapse = "\n")
  )
}

environment_words <- list(
  IMBROGLIO_FEED_TOKEN = "the token that a price feed wants; it is shown nowhere",
  PGPASSWORD = paste(
    "the password of a store on a server, where ~/.pgpass (PGPASSFILE) has none;",
    "never a part of its address"
  ),
  RCPP_PARALLEL_NUM_THREADS = "how many threads measure (all cores); results do not depend on it",
  https_proxy = paste(
    "the way to a price feed through a proxy; http_proxy likewise, no_proxy for hosts without one"
  ),
  CURL_CA_BUNDLE = paste(
    "a file of certificates to test that of a price feed against, instead of the system's"
  ),
  R_LIBS = "folders where R looks for the package first",
  TMPDIR = "where what is not kept is written meanwhile (/tmp)",
  TZ = "the time zone of what is today; times of a store and a feed are UTC in any",
  LC_ALL = "text is UTF-8; where no locale says so, C.UTF-8 is taken",
  NO_COLOR = "no colours, also on a terminal that has them",
  TERM = "dumb: a terminal without colours",
  PAGER = "what shows a text longer than the terminal; cat for none (less)"
)

# Completion: a command, then its options, and files.
completion_of <- function(shell) {
  known <- commands()
  shell <- check_choice(shell, "shell", c("bash", "zsh", "fish"))
  switch(shell, bash = bash_completion(known), zsh = zsh_completion(known),
         fish = fish_completion(known))
}

options_of_command <- function(command) paste0("--", c(command$options, "quiet"))

bash_completion <- function(known) {
  c(
    "# imbroglio: completion for bash",
    "_imbroglio() {",
    "  local word=${COMP_WORDS[COMP_CWORD]} command=${COMP_WORDS[1]} options=",
    "  if [ \"$COMP_CWORD\" -eq 1 ]; then",
    sprintf(
      "    COMPREPLY=($(compgen -W '%s' -- \"$word\"))", paste(names(known), collapse = " ")
    ),
    "    return",
    "  fi",
    "  case $command in",
    vapply(names(known), function(name) {
      sprintf(
        "    %s) options='%s' ;;", name, paste(options_of_command(known[[name]]), collapse = " ")
      )
    }, ""),
    "  esac",
    "  if [[ $word == -* ]]; then",
    "    COMPREPLY=($(compgen -W \"$options\" -- \"$word\"))",
    "  else",
    "    COMPREPLY=($(compgen -f -- \"$word\"))",
    "  fi",
    "}",
    "complete -o filenames -F _imbroglio imbroglio"
  )
}

# A text between single quotes of a shell.
in_quotes <- function(text) gsub("'", "'\\''", text, fixed = TRUE)

zsh_completion <- function(known) {
  bare <- function(text) gsub("[\\[\\]:]", " ", in_quotes(text), perl = TRUE)
  c(
    "#compdef imbroglio",
    "_imbroglio() {",
    "  if (( CURRENT == 2 )); then",
    "    local -a commands=(",
    sprintf("      '%s:%s'", names(known), bare(vapply(known, `[[`, "", "says"))),
    "    )",
    "    _describe command commands",
    "    return",
    "  fi",
    "  case $words[2] in",
    vapply(names(known), function(name) {
      options <- c(known[[name]]$options, "quiet")
      sprintf("    %s) _arguments %s '*:file:_files' ;;", name, paste(sprintf(
        "'--%s[%s]%s'",
        options,
        bare(vapply(options, option_help, "", name)),
        ifelse(
          takes_value(options), ":value:_files", ""
        )
      ), collapse = " "))
    }, ""),
    "  esac",
    "}",
    "_imbroglio \"$@\""
  )
}

fish_completion <- function(known) {
  c(
    "# imbroglio: completion for fish",
    sprintf(
      "complete -c imbroglio -n __fish_use_subcommand -a %s -d '%s'",
      names(known),
      in_quotes(vapply(known, `[[`, "", "says"))
    ),
    unlist(lapply(names(known), function(name) {
      options <- c(known[[name]]$options, "quiet")
      sprintf(
        "complete -c imbroglio -n '__fish_seen_subcommand_from %s' -l %s -d '%s'%s",
        name,
        options,
        in_quotes(vapply(options, option_help, "", name)),
        ifelse(takes_value(options), " -r", "")
      )
    }))
  )
}
