# What the command says of itself: its commands, the options of one in groups, and what a method
# or a word of the trade is.
option_groups <- list(
  "What is read" = c(
    "given", "price", "dates", "decimal", "sheet", "strict", "as-of", "memory", "securities",
    "actions",
    "feed", "store", "files"
  ),
  "What is chosen" = c(
    "from", "to", "last", "during", "security", "every", "keep-unfinished", "kind"
  ),
  "Of a book" = c(
    "weights", "shares", "values", "holdings", "trades", "rebalance", "cash", "normalise", "held",
    "parts", "stand-in", "carried"
  ),
  "What is written to a store, and put right" = c(
    "add", "doubts", "withdraw", "rename", "merge", "prefer", "ended", "remove", "why", "dry-run",
    "grants", "may"
  ),
  "What comes out" = c(
    "long", "date", "number", "columns", "format", "out", "figure", "workbook", "record",
    "recorded-by", "view",
    "by-window",
    "repair", "all", "verbose", "help"
  )
)

overview <- function(known) {
  width <- -max(nchar(names(known)))
  groups <- command_groups(known)
  c(
    "imbroglio: risk from historical prices; every number can show its working",
    "",
    "Usage: imbroglio COMMAND FILE... [options]",
    "",
    unlist(lapply(names(groups), function(title) {
      c(
        paste0(title, ":"),
        paste0(
          "  ", formatC(groups[[title]], width = width), "  ",
          vapply(known[groups[[title]]], `[[`, "", "says")
        ),
        ""
      )
    })),
    "The first steps:",
    "  imbroglio demo --files .                   the demo's files, here",
    "  imbroglio check bay-delivery.csv.xz        what is wrong with prices",
    "  imbroglio volatility bay.csv               a number, its sentence, its basis",
    "  imbroglio study new bay.csv --holdings bay-book.csv --out study.yml",
    "  imbroglio study run study.yml              a report of the whole book",
    "",
    folded(paste(
      "imbroglio COMMAND --help shows its options and an example; imbroglio help WORD what a",
      "method, or a word of the trade, is. Prices are a file (CSV, workbook, Parquet), - for",
      "standard input, a folder of files, or a price store (a file, postgresql://...): a date",
      "column and one for each security, or one row for each date and security. --quiet says no",
      "more than the answer, warnings and errors."
    )),
    folded(paste("Status:", status_words))
  )
}

grouped_options <- function(command) {
  grouped <- lapply(option_groups, function(group) intersect(group, command$options))
  rest <- setdiff(command$options, unlist(grouped))
  c(grouped[1:2], list("What is measured, and how" = rest), grouped[-(1:2)])
}

# What an option does, in the words for this command.
option_help <- function(option, command) {
  own <- as.list(commands()[[command]]$help)[[option]]
  words <- own %||% options_known()[[option]]$help
  if (is.function(words)) words() else words
}

command_help <- function(name, command) {
  grouped <- grouped_options(command)
  methods <- if ("method" %in% command$options) methods_of(name)
  c(
    sprintf("imbroglio %s: %s", name, command$says),
    "",
    trimws(sprintf("Usage: imbroglio %s %s [options]", name, command$takes)),
    "",
    unlist(lapply(names(grouped), function(title) {
      if (length(grouped[[title]])) {
        c(paste0(title, ":"), option_lines(grouped[[title]], name), "")
      }
    })),
    if (length(methods)) {
      c(
        "Methods (imbroglio help NAME shows the formula):",
        paste0(
          "  ",
          formatC(names(methods), width = -max(nchar(names(methods)))),
          "  ",
          vapply(methods, `[[`, "", "title")
        ),
        ""
      )
    },
    command$more,
    if (length(command$example) > 1L) "Examples:" else "Example:",
    paste0("  ", command$example)
  )
}

methods_of <- function(command) {
  if (command == "volatility") volatility_estimators() else known_var_methods()
}

option_lines <- function(allowed, command) {
  flags <- vapply(allowed, function(name) {
    trimws(paste0("--", name, " ", options_known()[[name]]$takes))
  }, "")
  helps <- vapply(allowed, option_help, "", command)
  margin <- max(nchar(flags), 24L) + 4L
  unlist(
    Map(function(flag, help) {
      lines <- strwrap(help, 118L - margin)
      paste0(
        c(
          paste0("  ", formatC(flag, width = -margin + 4L), "  "),
          rep(strrep(" ", margin), length(lines) - 1L)
        ),
        lines
      )
    }, flags, helps),
    use.names = FALSE
  )
}

# A command, a method, a family, or a word of the trade.
print_help <- function(word, known) {
  if (word %in% names(known)) return(run_command(c(word, "--help")))
  # An option, as --level.
  if (sub("^--", "", word) %in% names(options_known()) && startsWith(word, "--")) {
    show_lines(option_lines(sub("^--", "", word), "var"))
    return(0L)
  }
  entries <- c(
    described("Volatility", "imbroglio volatility --method", volatility_estimators(), word),
    described(
      "Value at risk",
      "imbroglio var --method",
      known_var_methods()[setdiff(names(known_var_methods()), names(fit_families()))],
      word
    ),
    described("Distribution", "imbroglio fit --families", fit_families(), word),
    trade_lines(word)
  )
  if (!length(entries)) {
    near <- did_you_mean(
      word,
      c(
        names(known),
        names(volatility_estimators()),
        names(known_var_methods()),
        unlist(lapply(c(glossary(), trade_words()), `[[`, "words"))
      )
    )
    fail(
      "argument",
      sprintf("There is nothing called %s.", word),
      remedy = near %||% "imbroglio --help lists the commands."
    )
  }
  show_lines(entries)
  0L
}

described <- function(what, how, records, word) {
  word <- lower_case(word)
  record <- records[[word]]
  if (is.null(record)) return(NULL)
  also <- if (what == "Distribution") sprintf("  imbroglio var --method %s", word)
  c(
    sprintf("%s: %s", what, record$title),
    if (nzchar(record$formula)) paste0("  ", folded(record$formula, 116L)),
    if (nzchar(record$source %||% "")) paste0("  ", record$source),
    sprintf("  %s %s", how, word),
    also,
    ""
  )
}

trade_lines <- function(word) {
  unlist(lapply(entries_of_word(word), function(entry) {
    c(folded(paste0(entry$words[1L], ": ", entry$says), 116L), paste0("  ", entry$by), "")
  }))
}

# Where the words of the trade are found: what commands are looked for under.
trade_words <- function() unlist(unname(lapply(commands(), `[[`, "trade")), FALSE)
