# What the command says of itself: its commands, the options of one in groups, and what a method
# or a word of the trade is.
option_groups <- list(
  "What is read" = c(
    "given", "price", "dates", "decimal", "sheet", "strict", "as-of", "securities", "actions",
    "feed", "store", "files"
  ),
  "What is chosen" = c(
    "from", "to", "last", "during", "security", "every", "keep-unfinished", "kind"
  ),
  "Of a book" = c(
    "weights", "shares", "values", "holdings", "rebalance", "cash", "normalise", "held", "parts",
    "stand-in", "carried"
  ),
  "What comes out" = c(
    "long", "date", "number", "columns", "format", "out", "figure", "workbook", "view",
    "by-window",
    "repair", "verbose", "help"
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
    "  imbroglio check bay-delivery.csv.gz        what is wrong with prices",
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
  words <- options_known()[[option]]$help
  if (is.function(words)) return(words())
  own <- words[names(words) == command]
  if (length(own)) own[[1L]] else words[[1L]]
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
    if (length(command$example) > 1L) "Examples:" else "Example:",
    paste0("  ", command$example)
  )
}

methods_of <- function(command) {
  if (command == "volatility") volatility_estimators() else var_methods()
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
  entries <- c(
    described("Volatility", "imbroglio volatility --method", volatility_estimators(), word),
    described(
      "Value at risk",
      "imbroglio var --method",
      var_methods()[setdiff(names(var_methods()), names(fit_families()))],
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
        names(var_methods()),
        unlist(lapply(trade_words, `[[`, "words"))
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
  asked <- plain_name(sub("'s? ", " ", word))
  # A letter or two are in nearly all of them.
  if (nchar(asked) < 4L) return(NULL)
  unlist(lapply(trade_words, function(entry) {
    if (any(grepl(asked, plain_name(entry$words), fixed = TRUE))) {
      c(paste0(entry$words[1L], ": ", entry$says), paste0("  ", entry$by), "")
    }
  }))
}

# Where the words of the trade are found.
trade_words <- list(
  list(
    words = c("Extreme value theory", "peaks over threshold", "tail index"),
    says = "the tail beyond a threshold, by the generalised Pareto distribution or Hill's shape",
    by = "imbroglio var FILE --method pareto,hill; imbroglio var FILE --thresholds"
  ),
  list(
    words = c(
      "Calmar ratio", "Sterling ratio", "Sortino ratio", "Omega ratio", "gain to pain",
      "return over maximum drawdown"
    ),
    says = "what was earned over how far it fell, with errors",
    by = "imbroglio ratios FILE"
  ),
  list(
    words = c("Semi-deviation", "downside deviation", "lower partial moment", "semivariance"),
    says = "how far returns lie below their mean, and below a target",
    by = "imbroglio downside FILE"
  ),
  list(
    words = c("Up capture", "down capture", "batting average"),
    says = "how much of a benchmark's rises and falls a security takes",
    by = "imbroglio capture FILE --benchmark NAME"
  ),
  list(
    words = c("Stress test", "scenario", "historical scenario"),
    says = "the book of today through a period of the past, or under given moves",
    by = "imbroglio replay FILE --holdings FILE; --shock NAME=-10%"
  ),
  list(
    words = c("Worst days", "best days", "worst week"),
    says = "the worst and best periods, and what they came from",
    by = "imbroglio worst FILE"
  ),
  list(
    words = c("Contribution to risk", "risk budget", "contribution to tracking error"),
    says = "what each holding adds to volatility, or tracking error",
    by = "imbroglio volatility FILE --holdings FILE --split; imbroglio tracking ... --split"
  ),
  list(
    words = c("Diversification ratio", "effective number of bets", "Herfindahl"),
    says = "how concentrated a book is",
    by = "imbroglio concentration FILE --holdings FILE"
  ),
  list(
    words = c("Limit breach", "risk limit", "rolling value at risk", "rolling correlation"),
    says = "measures through time, and limits on them",
    by = "imbroglio roll FILE --measures var --limits var=3%; imbroglio limits FILE --limits FILE"
  ),
  list(
    words = c("Currency", "exchange rate", "hedged", "real return", "inflation-adjusted"),
    says = "prices in one currency, and what the currency adds; in R also in the money of one day",
    by = "imbroglio currency FILE --rates FILE --base NAME; --rates on every command that measures"
  ),
  list(
    words = c("Liquidity", "days to sell", "days to liquidate"),
    says = "how many days it takes to sell at a share of the volume",
    by = "imbroglio selling FILE --holdings FILE"
  ),
  list(
    words = c("Levene test", "difference of Sharpe ratios", "before and after"),
    says = "two periods, securities or books, and whether they differ by more than chance",
    by = "imbroglio compare FILE --at DATE, or --against NAME"
  ),
  list(
    words = c("Maximum drawdown", "ulcer", "pain", "under water"),
    says = "falls below the running high, how long and how deep",
    by = "imbroglio drawdown FILE"
  ),
  list(
    words = c("Expected shortfall", "conditional value at risk", "tail loss"),
    says = "the mean of the losses from the value at risk on",
    by = "imbroglio var FILE, column ES"
  ),
  list(
    words = "Historical simulation",
    says = "value at risk by the order of the observed returns",
    by = "imbroglio var FILE --method historical"
  ),
  list(
    words = c("Variance-covariance", "parametric value at risk", "delta-normal"),
    says = "value at risk of the normal distribution",
    by = "imbroglio var FILE --method normal"
  ),
  list(
    words = c("Monte Carlo", "bootstrap", "resampling"),
    says = "paths drawn from whole days of the history",
    by = "imbroglio var FILE --weights A=0.6,B=0.4 --draw --horizon 10"
  ),
  list(
    words = c("Component, marginal and incremental value at risk", "risk contribution"),
    says = "what each holding adds",
    by = "imbroglio var FILE --weights A=0.6,B=0.4 --split"
  ),
  list(
    words = c("Kupiec test", "Christoffersen test", "traffic light", "exceptions"),
    says = "value at risk against what happened, day by day",
    by = "imbroglio backtest FILE"
  ),
  list(
    words = "Sharpe ratio",
    says = "the return above the risk-free one over its deviation",
    by = "imbroglio returns FILE --measured --risk-free 0.02"
  ),
  list(
    words = c("Jensen alpha", "alpha", "R squared", "downside beta"),
    says = "the line of a security on its benchmark, with its errors",
    by = "imbroglio beta FILE --benchmark NAME"
  ),
  list(
    words = c("Tracking error", "information ratio", "active return"),
    says = "how far a security strays from its benchmark",
    by = "imbroglio tracking FILE --benchmark NAME"
  ),
  list(
    words = c("Standard deviation", "annualised volatility"),
    says = "how far returns stray from their mean",
    by = "imbroglio volatility FILE"
  ),
  list(
    words = c("Skewness", "kurtosis"),
    says = "the shape of the returns",
    by = "imbroglio returns FILE --measured"
  ),
  list(
    words = c("Goodness of fit", "Kolmogorov-Smirnov", "Anderson-Darling", "Jarque-Bera"),
    says = "tests of fitted distributions",
    by = "imbroglio fit FILE"
  ),
  list(
    words = c("Total return", "split adjustment", "dividend adjustment"),
    says = "closes adjusted for splits and dividends",
    by = "imbroglio adjust FILE --actions FILE"
  )
)
