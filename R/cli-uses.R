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
  records <- var_methods()[intersect(methods_chosen(o, command), names(var_methods()))]
  if (length(records) && !any_chance(records, horizons_of(o))) {
    "nothing is drawn by the chosen methods"
  }
}

# What the shares of a split err by is drawn, whatever the method.
of_chance_or_shares <- function(o, command) if (!isTRUE(o$split)) of_chance(o, command)

of_rank <- function(o, command) {
  if (drawn_book(o) && is.null(o$paths)) return(NULL)
  if (!is.null(o$paths)) return("the paths are listed as they were drawn")
  records <- var_methods()[intersect(methods_chosen(o, command), names(var_methods()))]
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

of_split <- unless(function(o, command) isTRUE(o$split), "it is of a --split")
# What each holding added is of its prices, day by day.
not_split_return <- unless(function(o, command) {
  command != "returns" || !isTRUE(o$split)
}, "a split is by the prices of each day")

idle_reasons <- list(
  actions = of_added,
  price = of_added,
  dates = of_added,
  decimal = of_added,
  sort = unless(function(o, command) {
    !has_book(o) || isTRUE(o$parts)
  }, "a book without its --parts is one row"),
  rebalance = first_reason(
    of_book,
    unless(function(o, command) {
      !of_today(o, command) || identical(o$held, "then")
    }, "the book as held today is not rebalanced; --held then is the book as it was")
  ),
  cash = of_book,
  parts = first_reason(of_book, unless(function(o, command) {
    !isTRUE(o$split)
  }, "a split shows the holdings"), not_drawn),
  `stand-in` = of_book,
  carried = of_book,
  between = of_book,
  bridges = first_reason(of_book, unless(function(o, command) {
    !isTRUE(o$between %in% c("priced", "carried"))
  }, "nothing is drawn that way")),
  held = first_reason(of_book, not_split, not_drawn),
  normalise = first_reason(
    of_book,
    unless(function(o, command) {
      !is.null(o$weights) || !is.null(o$holdings)
    }, "only weights are divided by their sum")
  ),
  value = first_reason(
    not_thresholds,
    function(o, command) if (command %in% c("worst", "replay", "limits")) of_book(o, command),
    unless(function(o, command) {
      is.null(o$shares) && is.null(o$values)
    }, "the book is worth what its holdings are")
  ),
  `min-obs` = only_rolling,
  `per-year` = function(o, command) {
    if (command == "returns" && !o$measured && is.null(o$window)) {
      "returns are listed as they are; --measured measures them"
    }
  },
  `risk-free` = function(o, command) {
    if (command == "roll") return(of_rolled(o, c("sharpe", "beta")))
    if (command == "compare") return(of_rolled(o, "sharpe", compare_measures))
    if (command == "returns" && !o$measured && is.null(o$window)) {
      "returns are listed as they are; --measured measures them"
    }
  },
  workbook = function(o, command) {
    if (command == "returns" && !o$measured && is.null(o$window) && !o$split) {
      "returns are listed as they are; --measured measures them, and --out FILE.xlsx writes them"
    }
  },
  measured = not_rolling,
  kind = first_reason(
    unless(function(o, command) !identical(o$given, "profits"), "profits add"),
    not_split,
    unless(function(o, command) !drawn_book(o), "a book is drawn by simple returns")
  ),
  `found-by` = first_reason(not_shock, unless(function(o, command) {
    is.null(o$periods) && !has_span(o)
  }, "the periods are named")),
  worst = unless(function(o, command) {
    command != "replay" || (is.null(o$periods) && is.null(o$shock) && !has_span(o))
  }, "what is replayed is named"),
  periods = first_reason(not_shock, unless(function(o, command) {
    !has_span(o)
  }, "--from, --to, --last or --during says what is replayed")),
  `carried-by` = of_shock,
  benchmark = function(o, command) {
    if (command == "replay") return(not_shock(o, command))
    if (command %in% c("roll", "compare")) {
      beside <- names(Filter(function(r) r$beside, rolling_measures()))
      of_rolled(o, beside)
    }
  },
  target = function(o, command) {
    if (command == "roll") return(of_rolled(o, "sortino"))
    if (command == "compare") of_rolled(o, "sortino", compare_measures)
  },
  by = unless(function(o, command) {
    command == "fit" || isTRUE(o$split)
  }, "it is of a --split"),
  over = first_reason(of_split, unless(function(o, command) {
    is.null(o$from) && is.null(o$to)
  }, "--from and --to say the span")),
  `held-by-date` = of_split,
  overlapping = unless(function(o, command) {
    any(horizons_of(o) > 1)
  }, "periods of one return share no day"),
  `keep-unfinished` = first_reason(
    of_given,
    unless(function(o, command) !is.null(o$every), "it is of the last period of --every")
  ),
  securities = first_reason(of_given, of_added),
  rates = of_given,
  base = of_given,
  currencies = of_base,
  carry = of_rates,
  `as-of` = of_given,
  level = function(o, command) {
    if (command == "roll") return(of_rolled(o, c("var", "es")))
    if (command == "compare") return(of_rolled(o, c("var", "es"), compare_measures))
    if (command == "drawdown" && (!is.null(o$window) || !is.null(o$episodes) || o$series)) {
      "only the measure of the whole sample has a drawdown at risk"
    } else if (command == "fit" && isTRUE(o$parameters)) {
      "the parameters have none"
    } else if (command == "var") {
      not_paths(o, command)
    }
  },
  decay = first_reason(
    not_thresholds,
    not_drawn,
    unless(function(o, command) {
      command != "correlation" || is.null(o$window)
    }, "a rolling window has its own weights"),
    of_no_method("decay")
  ),
  errors = function(o, command) {
    if (command == "volatility" &&
        (!is.null(o$window) || o$series || o$parameters || !is.null(o$horizon) || o$split)) {
      "only the measure of the whole sample has an interval"
    } else if (command %in% c("beta", "downside", "ratios", "tracking") && !is.null(o$window)) {
      "a rolling measure has no errors"
    } else if (command == "tracking" && isTRUE(o$split)) {
      "the parts of a split have no errors"
    } else if (command == "var") {
      first_reason(not_split, not_drawn, not_thresholds)(o, command)
    }
  },
  confidence = function(o, command) {
    if (command == "volatility") {
      idle_reasons$errors(o, command)
    } else if (command %in% c("beta", "correlation") && !is.null(o$window)) {
      "a rolling measure has no interval"
    } else if (command == "correlation" &&
        (!is.null(o$decay) || !is.null(o$half_life) || !is.null(o$shrink))) {
      "weighted and shrunk correlations have no interval"
    } else if (command == "var") {
      first_reason(not_split, not_paths)(o, command)
    } else if (command == "replay") {
      of_shock(o, command)
    }
  },
  lags = function(o, command) {
    if (!identical(o$errors, "newey-west")) {
      "it is of --errors newey-west"
    } else if (!is.null(o$window)) {
      "a rolling beta has no errors"
    }
  },
  together = first_reason(
    not_rolling,
    unless(function(o, command) length(o$benchmark) > 1L, "there is one benchmark")
  ),
  window = function(o, command) {
    if (command == "volatility" && (o$series || o$parameters || !is.null(o$horizon))) {
      "a series, a fit and a forecast have a memory of their own"
    } else if (command == "beta" && (!is.null(o$spans) || length(o$every) > 1L)) {
      "frequencies and spans are measured side by side, of the whole sample"
    } else if (command == "drawdown" && (!is.null(o$episodes) || o$series)) {
      "episodes and series are of the whole sample"
    }
  },
  series = function(o, command) {
    if (command == "volatility" && o$split) {
      "--window rolls a split"
    } else if (command == "volatility" && (o$parameters || !is.null(o$horizon))) {
      "a fit and a forecast are of the last date"
    } else if (command == "drawdown" && !is.null(o$episodes)) {
      "--episodes lists falls"
    } else if (command == "replay") {
      not_shock(o, command)
    }
  },
  parameters = function(o, command) {
    if (command == "volatility" && o$split) return("a split by holding has none")
    if (command == "volatility" && !is.null(o$horizon)) "--horizon forecasts"
  },
  `by-window` = first_reason(not_split, only_rolling, drawn_too),
  on = not_rolling,
  `test-draws` = shown_of_fit,
  `stop-after` = first_reason(tested, shown_of_fit),
  `reject-at` = first_reason(tested, shown_of_fit),
  seed = function(o, command) {
    if (command == "fit") {
      first_reason(tested, shown_of_fit)(o, command)
    } else {
      first_reason(of_samples, not_thresholds, of_chance_or_shares)(o, command)
    }
  },
  `rank-by` = shown_of_fit,
  view = drawn_too,
  method = first_reason(not_thresholds, not_split_volatility),
  horizon = first_reason(not_thresholds, not_split_volatility, function(o, command) {
    if (command == "replay") of_shock(o, command)
  }),
  `horizon-by` = first_reason(
    not_thresholds,
    not_split,
    not_drawn,
    unless(function(o, command) any(horizons_of(o) > 1), "the horizon is one period")
  ),
  rank = first_reason(not_thresholds, of_rank),
  tail = function(o, command) {
    if (isTRUE(o$thresholds)) {
      drawn_too(o, command)
    } else {
      first_reason(not_drawn, of_no_method("tail"))(o, command)
    }
  },
  block = first_reason(of_samples, of_blocks, not_thresholds, function(o, command) {
    if (!command %in% c("downside", "ratios")) of_no_method("block")(o, command)
  }),
  draws = first_reason(of_samples, not_thresholds, of_chance),
  thresholds = first_reason(not_split, not_drawn),
  split = first_reason(not_drawn, not_shock, function(o, command) {
    if (command != "var") of_book(o, command)
  }, unless(function(o, command) {
    command != "replay" || !o$series
  }, "--series lists days")),
  draw = not_paths,
  refit = function(o, command) {
    records <- var_methods()[intersect(methods_chosen(o, command), names(var_methods()))]
    fitted <- vapply(records, function(r) !r$empirical && !isFALSE(r$fitted), NA)
    if (length(records) && !any(fitted)) {
      "methods that go by the returns themselves have no parameters to fit"
    }
  },
  `zone-days` = function(o, command) {
    if (isTRUE(o$breaches) || isTRUE(o$series)) "zones are counted in the test, and by --zones"
  }
)
idle_reasons$long <- unless(function(o, command) {
  !is.null(o$out) || !is.null(o$format)
}, "it is of what is written: give --out or --format csv")
idle_reasons$`half-life` <- idle_reasons$decay

for (name in c("every", "kind", "measured", "per-year", "risk-free", "window", "min-obs")) {
  idle_reasons[[name]] <- do.call(first_reason, c(not_split_return, idle_reasons[[name]]))
}

refuse_idle <- function(command, options, given) {
  for (name in intersect(given, names(idle_reasons))) {
    reason <- idle_reasons[[name]](options, command)
    if (!is.null(reason)) {
      fail(
        "argument",
        sprintf("--%s is not used here: %s.", name, reason),
        remedy = "Leave it out."
      )
    }
  }
}
