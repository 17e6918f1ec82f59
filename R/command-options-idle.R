# No option is ignored: one that the chosen way of measuring does not use is refused with the
# reason.

drawn_book <- function(o) isTRUE(o$draw) || !is.null(o$paths)

of_no_method <- function(what) {
  function(o, command) {
    chosen <- methods_chosen(o, command)
    having <- methods_with(what, command)
    if (command == "correlation" || any(chosen %in% having)) return(NULL)
    sprintf(
      "%s %s none; %s",
      some(chosen),
      if (length(chosen) == 1L) "has" else "have",
      paste(some(having), if (length(having) == 1L) "has one" else "have one")
    )
  }
}

of_samples <- function(o, command) {
  if (command == "volatility") {
    return(if (!identical(o$errors, "dependent")) "it is of --errors dependent")
  }
  if (!command %in% c("downside", "ratios", "tracking")) return(NULL)
  if (command == "tracking" && isTRUE(o$split)) {
    "the parts of a split have no errors"
  } else if (!is.null(o$window)) {
    "a rolling measure has no errors"
  } else if (isTRUE(o$errors %in% c("delta", "none"))) {
    sprintf("nothing is drawn for --errors %s", o$errors)
  }
}
of_blocks <- function(o, command) {
  if (!command %in% c("downside", "ratios")) return(NULL)
  if (!identical(o$errors, "bootstrap")) "it is of --errors bootstrap"
}

of_chance <- function(o, command) {
  if (!command %in% c("var", "backtest") || drawn_book(o)) return(NULL)
  records <- known_var_methods()[intersect(methods_chosen(o, command), names(known_var_methods()))]
  if (length(records) && !any_chance(records, horizons_of(o))) {
    "nothing is drawn by the chosen methods"
  }
}

# What the shares of a split err by is drawn, whatever the method.
of_chance_or_shares <- function(o, command) if (!isTRUE(o$split)) of_chance(o, command)

of_rank <- function(o, command) {
  if (drawn_book(o) && is.null(o$paths)) return(NULL)
  if (!is.null(o$paths)) return("the paths are listed as they were drawn")
  records <- known_var_methods()[intersect(methods_chosen(o, command), names(known_var_methods()))]
  if (length(records) && !any(vapply(records, `[[`, NA, "empirical"))) {
    "none of the chosen methods goes by rank"
  }
}

of_today <- function(o, command) {
  command %in% c("var", "fit", "backtest", "replay", "concentration", "selling") ||
    (command != "worst" && isTRUE(o$split)) ||
    (command == "volatility" && (isTRUE(o$parameters) || !is.null(o$horizon)))
}

of_book <- function(o, command) {
  if (!has_book(o)) "it is of a book: give --weights, --shares, --values or --holdings"
}

first_reason <- function(...) {
  tests <- list(...)
  function(o, command) {
    for (test in tests) {
      reason <- test(o, command)
      if (!is.null(reason)) return(reason)
    }
  }
}

of_given <- function(o, command) {
  if (!is.null(o$given) && o$given != "prices") {
    sprintf("it is of prices, and %s are given", o$given)
  }
}

unless <- function(used, reason) function(o, command) if (!used(o, command)) reason

only_rolling <- unless(function(o, command) !is.null(o$window), "it is of a rolling --window")
not_rolling <- unless(function(o, command) is.null(o$window), "a rolling --window has none")
not_split <- unless(function(o, command) {
  !isTRUE(o$split) || command == "worst"
}, "a split by holding has none")
# Of measures through time, those that take it.
of_rolled <- function(o, measures, asked = roll_measures) {
  chosen <- o$measures %||% eval(formals(asked)$measures)
  if (!any(chosen %in% measures)) sprintf("it is of %s", some(measures))
}

not_split_volatility <- unless(function(o, command) {
  command != "volatility" || !o$split
}, "a split is of the standard deviation")
has_span <- function(o) {
  !all(vapply(o[c("from", "to", "last", "during")], is.null, NA))
}
of_base <- unless(function(o, command) !is.null(o$base), "it is of --base")
of_rates <- unless(function(o, command) !is.null(o$rates), "it is of --rates")
not_shock <- unless(function(o, command) is.null(o$shock), "a --shock has none")
of_shock <- unless(function(o, command) !is.null(o$shock), "it is of a --shock")
not_drawn <- unless(function(o, command) !drawn_book(o), "the drawn paths of the book have none")
not_thresholds <- unless(function(o, command) !isTRUE(o$thresholds), "--thresholds has none")
not_paths <- unless(function(o, command) {
  is.null(o$paths)
}, "the paths are listed as they were drawn")
drawn_too <- unless(function(o, command) {
  !is.null(o$figure)
}, "it is of the picture: give --figure too")
tested <- unless(function(o, command) {
  !identical(as.numeric(o$test_draws %||% 999), 0)
}, "--test-draws is 0")
shown_of_fit <- unless(function(o, command) {
  !(isTRUE(o$parameters) || !is.null(o$level)) || !is.null(o$figure)
}, "the parameters and quantiles are no test and no ranking")

# Of a store only what is added is read so.
of_added <- function(o, command) {
  if (command == "store" && is.null(o$add)) "it is of what is added: give --add FILE"
}

of_written <- unless(
  function(o, command) length(written_to_store(o)) > 0L,
  "it is of what is written: --add, --withdraw, --rename, --merge, --ended or --remove"
)

written_to_store <- function(o) {
  asked <- c("add", "withdraw", "rename", "merge", "ended", "remove")
  asked[!vapply(asked, function(name) is.null(o[[name]]), NA)]
}

# A store is read in blocks where it is written to a folder.
of_export <- function(o, command) {
  if (command == "store" && is.null(o$export)) "it is of --export FOLDER"
}

of_split <- unless(function(o, command) isTRUE(o$split), "it is of a --split")
# What each holding added is of its prices, day by day.
not_split_return <- unless(function(o, command) {
  command != "returns" || !isTRUE(o$split)
}, "a split is by the prices of each day")

refuse_idle <- function(command, options, given) {
  known <- options_known()
  for (name in setdiff(intersect(given, names(known)), commands()[[command]]$always)) {
    reason <- known[[name]]$idle(options, command)
    if (!is.null(reason)) {
      fail(
        "argument",
        sprintf("--%s is not used here: %s.", name, reason),
        remedy = "Leave it out."
      )
    }
  }
}
