# The options of the measures.

options_of_measures <- function() {
  list(
    window = option(
      "N,N", "several numbers",
      "roll over the last N returns; several side by side",
      idle = first_reason(not_split_return, function(o, command) {
        if (command == "volatility" && (o$series || o$parameters || !is.null(o$horizon))) {
          "a series, a fit and a forecast have a memory of their own"
        } else if (command == "beta" && (!is.null(o$spans) || length(o$every) > 1L)) {
          "frequencies and spans are measured side by side, of the whole sample"
        } else if (command == "drawdown" && (!is.null(o$episodes) || o$series)) {
          "episodes and series are of the whole sample"
        }
      })
    ),
    `min-obs` = option(
      "N", "number",
      "returns that will do before the window is full (all)",
      idle = first_reason(not_split_return, only_rolling)
    ),
    `per-year` = option(
      "N", "number",
      paste0(
        "periods a year (of each security its own: 252 days, 52 weeks, 12 months, or ",
        "what its dates make)"
      ),
      idle = first_reason(not_split_return, function(o, command) {
        if (command == "returns" && !o$measured && is.null(o$window)) {
          "returns are listed as they are; --measured measures them"
        }
      })
    ),
    level = option(
      "P,P", "several numbers",
      "confidence levels (0.99)",
      idle = function(o, command) {
        if (command == "roll") return(of_rolled(o, c("var", "es")))
        if (command == "compare") return(of_rolled(o, c("var", "es"), compare_measures))
        if (command == "drawdown" && (!is.null(o$window) || !is.null(o$episodes) || o$series)) {
          "only the measure of the whole sample has a drawdown at risk"
        } else if (command == "fit" && isTRUE(o$parameters)) {
          "the parameters have none"
        } else if (command == "var") {
          not_paths(o, command)
        }
      }
    ),
    horizon = option(
      "H", "times",
      "periods (1), or a time: \"10 days\", \"2 weeks\"; several, as 1,10 or 1:20",
      idle = first_reason(not_thresholds, not_split_volatility, function(o, command) {
        if (command == "replay") of_shock(o, command)
      })
    ),
    `horizon-by` = option(
      "WAY", "text",
      "sqrt, overlapping, power, paths or forecast (each method's own)",
      idle = first_reason(
        not_thresholds,
        not_split,
        not_drawn,
        unless(function(o, command) any(horizons_of(o) > 1), "the horizon is one period")
      )
    ),
    method = option(
      "METHOD", "list",
      "how it is estimated, several side by side: see Methods below",
      idle = first_reason(not_thresholds, not_split_volatility)
    ),
    tail = option(
      "K", "number",
      "tail of hill and pareto, a share of the returns or how many (0.1)",
      idle = function(o, command) {
        if (isTRUE(o$thresholds)) {
          drawn_too(o, command)
        } else {
          first_reason(not_drawn, of_no_method("tail"))(o, command)
        }
      }
    ),
    block = option(
      "N", "number",
      "length of the blocks of the bootstraps (cube root of n)",
      idle = first_reason(of_samples, of_blocks, not_thresholds, function(o, command) {
        if (!command %in% c("downside", "ratios")) of_no_method("block")(o, command)
      })
    ),
    draws = option(
      "N", "number",
      "drawn paths (10,000)",
      idle = first_reason(of_samples, not_thresholds, of_chance)
    ),
    draw = flag("bootstrap the book as it is held today: what it may be worth", idle = not_paths),
    paths = option("N", "number", "list the first N drawn paths of the book, day by day"),
    split = flag(
      "split the value at risk of the book by holding",
      idle = first_reason(not_drawn, not_shock, function(o, command) {
        if (command != "var") of_book(o, command)
      }, unless(function(o, command) {
        command != "replay" || !o$series
      }, "--series lists days"))
    ),
    over = option(
      "SPAN,SPAN", "list",
      paste(
        "of a --split of returns: day, week, month, quarter, year, \"10 days\",",
        "\"month to date\",",
        "\"year to date\" (day); --from and --to name another"
      ),
      idle = first_reason(of_split, unless(function(o, command) {
        is.null(o$from) && is.null(o$to)
      }, "--from and --to say the span"))
    ),
    `held-by-date` = option(
      "FILE", "text",
      "of a --split of returns: what was held when, with columns date, security and shares",
      idle = of_split
    ),
    thresholds = flag(
      "the tail by where it begins, to choose --tail",
      idle = first_reason(not_split, not_drawn)
    ),
    expanding = flag(
      "look at all returns so far; --window is how many come before the first test"
    ),
    refit = option(
      "N", "number",
      "fit parameters again every N periods (1)",
      idle = function(o, command) {
        records <- known_var_methods()
        records <- records[intersect(methods_chosen(o, command), names(records))]
        fitted <- vapply(records, function(r) !r$empirical && !isFALSE(r$fitted), NA)
        if (length(records) && !any(fitted)) {
          "methods that go by the returns themselves have no parameters to fit"
        }
      }
    ),
    `zone-days` = option(
      "N", "number",
      "length of the runs for green, yellow, red (250)",
      idle = function(o, command) {
        if (isTRUE(o$breaches) || isTRUE(o$series)) "zones are counted in the test, and by --zones"
      }
    ),
    breaches = flag("list the breaches"),
    zones = flag("list the runs with their zones"),
    decay = option(
      "D", "number",
      "decay of exponential weights (0.94)",
      idle = first_reason(
        not_thresholds,
        not_drawn,
        unless(function(o, command) {
          command != "correlation" || is.null(o$window)
        }, "a rolling window has its own weights"),
        of_no_method("decay")
      )
    ),
    `half-life` = option(
      "N", "number",
      "instead of --decay: after how many periods a return weighs half",
      idle = first_reason(
        not_thresholds,
        not_drawn,
        unless(function(o, command) {
          command != "correlation" || is.null(o$window)
        }, "a rolling window has its own weights"),
        of_no_method("decay")
      )
    ),
    series = flag(
      "what it was on each date",
      idle = function(o, command) {
        if (command == "volatility" && o$split) {
          "--window rolls a split"
        } else if (command == "volatility" && (o$parameters || !is.null(o$horizon))) {
          "a fit and a forecast are of the last date"
        } else if (command == "drawdown" && !is.null(o$episodes)) {
          "--episodes lists falls"
        } else if (command == "replay") {
          not_shock(o, command)
        }
      }
    ),
    parameters = flag(
      "the fitted parameters",
      idle = function(o, command) {
        if (command == "volatility" && o$split) return("a split by holding has none")
        if (command == "volatility" && !is.null(o$horizon)) "--horizon forecasts"
      }
    ),
    families = option(
      "A,B", "list",
      function() {
        usual <- eval(formals(fit_returns)$families)
        sprintf("%s, or all (%s)", toString(names(fit_families())), toString(usual))
      }
    ),
    by = option(
      "WAY", "text",
      "security, or group (security)",
      idle = unless(function(o, command) {
        command == "fit" || isTRUE(o$split)
      }, "it is of a --split")
    ),
    `test-draws` = option(
      "N", "number",
      "draws for the p-values, each fitted again; 0 for none (999)",
      idle = shown_of_fit
    ),
    `stop-after` = option(
      "N", "number",
      "end a test when so many draws were as far as observed; Inf for none (50)",
      idle = first_reason(tested, shown_of_fit)
    ),
    `reject-at` = option(
      "P", "number",
      "level of the tests (0.1)",
      idle = first_reason(tested, shown_of_fit)
    ),
    `rank-by` = option("WHAT", "text", "aic, bic or tail (aic)", idle = shown_of_fit),
    seed = option(
      "N", "number",
      "of the draws (1)",
      idle = function(o, command) {
        if (command == "fit") {
          first_reason(tested, shown_of_fit)(o, command)
        } else {
          first_reason(of_samples, not_thresholds, of_chance_or_shares)(o, command)
        }
      }
    ),
    benchmark = option(
      "A,B", "list",
      "the security to measure against, or several",
      idle = function(o, command) {
        if (command == "replay") return(not_shock(o, command))
        if (command %in% c("roll", "compare")) {
          beside <- names(Filter(function(r) r$beside, rolling_measures()))
          of_rolled(o, beside)
        }
      }
    ),
    `risk-free` = option(
      "R", "number or name",
      "risk-free return: a number a year, as 0.02, or a security",
      idle = first_reason(not_split_return, function(o, command) {
        if (command == "roll") return(of_rolled(o, c("sharpe", "beta")))
        if (command == "compare") return(of_rolled(o, "sharpe", compare_measures))
        if (command == "returns" && !o$measured && is.null(o$window)) {
          "returns are listed as they are; --measured measures them"
        }
      })
    ),
    errors = option(
      "KIND", "text",
      "kurtosis, normal or dependent (kurtosis)",
      idle = function(o, command) {
        if (command == "volatility" &&
            (!is.null(o$window) || o$series || o$parameters || !is.null(o$horizon) || o$split)) {
          "only the measure of the whole sample has an interval"
        } else if (!is.null(o$window) &&
            command %in% c("beta", "downside", "ratios", "tracking")) {
          "a rolling measure has no errors"
        } else if (command == "tracking" && isTRUE(o$split)) {
          "the parts of a split have no errors"
        } else if (command == "var") {
          first_reason(not_split, not_drawn, not_thresholds)(o, command)
        }
      }
    ),
    lags = option(
      "N", "several numbers",
      "of newey-west errors (by the length of the sample)",
      idle = function(o, command) {
        if (!identical(o$errors, "newey-west")) {
          "it is of --errors newey-west"
        } else if (!is.null(o$window)) {
          "a rolling beta has no errors"
        }
      }
    ),
    together = flag(
      "all benchmarks in one regression",
      idle = first_reason(
        not_rolling,
        unless(function(o, command) length(o$benchmark) > 1L, "there is one benchmark")
      )
    ),
    spans = option("SPAN,SPAN", "list", "measure over several spans, \"1 year,5 years\""),
    confidence = option(
      "P", "number",
      "of the intervals (0.95)",
      idle = function(o, command) {
        if (command == "volatility") {
          options_known()$errors$idle(o, command)
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
      }
    ),
    episodes = option("N", "number", "the N deepest falls of each security"),
    on = option("DATES", "text", "common dates of all, or pairwise (common)", idle = not_rolling),
    shrink = option("TARGET", "text", "constant-correlation or identity (none)"),
    measured = flag(
      "what was earned, measured, in place of the returns",
      idle = first_reason(not_split_return, not_rolling)
    ),
    rank = option(
      "RANK", "list",
      "nearest, up, down, interpolate; several side by side (nearest)",
      idle = first_reason(not_thresholds, of_rank)
    ),
    value = option(
      "MONEY", "number",
      "value of the position, or of a book of weights: losses in money too",
      idle = first_reason(
        not_thresholds,
        function(o, command) if (command %in% c("worst", "replay", "limits")) of_book(o, command),
        unless(function(o, command) {
          is.null(o$shares) && is.null(o$values)
        }, "the book is worth what its holdings are")
      )
    )
  )
}
