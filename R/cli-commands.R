# The commands: what each is for, the options it has beside those of its group, a worked
# example and what it does.
priced <- c(
  "from", "to", "last", "during", "security", "securities", "price", "dates", "decimal", "sheet",
  "strict", "as-of"
)
choose <- c("given", priced)
book <- c(
  "weights", "shares", "values", "holdings", "rebalance", "cash", "normalise", "held", "parts",
  "stand-in"
)
hand_on <- c("format", "out", "figure", "help")

commands <- function() {
  list(
    demo = list(
      says = "three risk figures and a picture, on the demo data",
      takes = "",
      options = c("security", "figure", "files", "help"),
      example = "imbroglio demo --figure demo.png",
      run = run_demo
    ),
    check = list(
      says = "all that is wrong with prices, and what can be done",
      takes = "FILE",
      options = c(
        "price", "dates", "decimal", "as-of", "actions", "securities", "repair", hand_on
      ),
      example = "imbroglio check bay-delivery.csv.gz --figure check.png --repair repaired.csv",
      run = run_check
    ),
    prices = list(
      says = "the prices as they were understood, chosen and written",
      takes = "FILE...",
      options = c(priced, "long", "format", "out", "figure", "help"),
      example = c(
        paste0(
          "imbroglio prices bay-daily.csv.gz --security TARROW --during 2024 --long --out ",
          "tarrow.csv"
        ),
        "imbroglio prices bay.csv bay-fund.csv --last \"1 year\" --out year.xlsx"
      ),
      run = run_prices
    ),
    adjust = list(
      says = "closes adjusted for splits and dividends",
      takes = "FILE",
      options = c(
        "price", "dates", "decimal", "as-of", "security", "actions", "form", "undo", "out", "help"
      ),
      example = paste0(
        "imbroglio adjust bay-daily.csv.gz --price close --actions bay-actions.csv --out ",
        "adjusted.csv"
      ),
      run = run_adjust
    ),
    fetch = list(
      says = "prices from a feed into a store, or a file; only what is new",
      takes = "",
      options = c(
        "feed", "store", "securities", "from", "to", "update", "at-once", "tries", "time-limit",
        "patience", "allow", "verbose", "format", "out", "help"
      ),
      example = c(
        "imbroglio fetch --feed http://127.0.0.1:8017 --store bay.sqlite",
        "imbroglio fetch --feed http://127.0.0.1:8017 --store bay.sqlite --update",
        paste0(
          "imbroglio fetch --feed http://127.0.0.1:8017 --securities BAYALL,group:port ",
          "--from 2024-01-01 --out port.csv"
        )
      ),
      run = run_fetch
    ),
    feed = list(
      says = "a price feed on this machine, to try with: the demo data or a store",
      takes = "[STORE]",
      options = c("port", "faults", "json", "page-rows", "seconds", "help"),
      example = c(
        "imbroglio feed --port 8017 --seconds 1",
        "imbroglio feed --faults fail=3,cut=4 --port 0 --seconds 1"
      ),
      run = run_feed
    ),
    store = list(
      says = "what a price store holds, what was restated, what was added",
      takes = "STORE",
      options = c(
        "add", "actions", "securities", "price", "dates", "decimal", "restatements", "additions",
        "verify", "format", "out", "help"
      ),
      example = c(
        paste0(
          "imbroglio store kept.sqlite --add bay-daily.csv.gz --price close --actions ",
          "bay-actions.csv --securities bay-securities.csv"
        ),
        "imbroglio store kept.sqlite",
        "imbroglio store kept.sqlite --restatements",
        "imbroglio store kept.sqlite --verify",
        "imbroglio volatility kept.sqlite --security group:port --as-of 1"
      ),
      run = run_store
    ),
    summary = list(
      says = "one page of a whole universe, sorted as you like",
      takes = "FILE...",
      options = c(
        choose, "every", "keep-unfinished", "kind", "benchmark", "level", "per-year", "risk-free",
        "sort", book, hand_on
      ),
      example = paste0(
        "imbroglio summary bay.csv --benchmark BAYALL --sort volatility_annual --out ",
        "universe.csv"
      ),
      run = run_measure("summary", c("benchmark", "level", "per_year", "risk_free"))
    ),
    returns = list(
      says = "returns from prices; measured: total, a year, mean, spread, best and worst",
      takes = "FILE...",
      options = c(
        choose, "every", "keep-unfinished", "kind", "measured", "window", "min-obs", "per-year",
        "risk-free", book, hand_on
      ),
      example = "imbroglio returns bay.csv --security BAYALL --every month --out monthly.csv",
      run = run_returns
    ),
    volatility = list(
      says = "volatility, of the whole sample or rolling, by eight methods",
      takes = "FILE...",
      options = c(
        choose, "every", "keep-unfinished", "kind", "window", "min-obs", "per-year", "method",
        "decay", "half-life", "errors", "confidence", "series", "parameters", "horizon",
        "by-window", book, hand_on
      ),
      example = c(
        "imbroglio volatility bay.csv --security TARROW --window 20,60 --figure tarrow.png",
        "imbroglio volatility bay.csv bay-fund.csv --security TARROW,REEFFUND --during 2024",
        "imbroglio volatility bay-daily.csv.gz --method deviation,yang-zhang,garch",
        paste0(
          "imbroglio volatility bay.csv --security TARROW --window 6,20,40,250 --by-window ",
          "--figure now.png"
        )
      ),
      run = run_volatility
    ),
    beta = list(
      says = "alpha and beta against a benchmark, with their errors",
      takes = "FILE...",
      options = c(
        choose, "benchmark", "every", "spans", "keep-unfinished", "kind", "window", "min-obs",
        "per-year", "risk-free", "errors", "lags", "together", "confidence", book, hand_on
      ),
      example = c(
        "imbroglio beta bay.csv --benchmark BAYALL --security TARROW --figure line.png",
        paste0(
          "imbroglio beta bay.csv --benchmark BAYALL --security TARROW --every ",
          "day,week,month --spans \"1 year,5 years\""
        )
      ),
      run = run_beta
    ),
    tracking = list(
      says = "tracking error and information ratio against a benchmark",
      takes = "FILE...",
      options = c(
        choose, "benchmark", "every", "keep-unfinished", "kind", "window", "min-obs", "per-year",
        book, hand_on
      ),
      example = "imbroglio tracking bay.csv --benchmark BAYALL --last \"1 year\"",
      run = run_measure("tracking", c("benchmark", "window", "min_obs", "per_year"))
    ),
    drawdown = list(
      says = "the deepest fall from a high, and when it was made good",
      takes = "FILE...",
      options = c(
        choose, "every", "keep-unfinished", "window", "min-obs", "level", "episodes", "series",
        book, hand_on
      ),
      example = c(
        "imbroglio drawdown bay.csv --security BAYALL --last \"8 years\" --figure fall.png",
        "imbroglio drawdown bay.csv --security BAYALL --episodes 5"
      ),
      run = run_drawdown
    ),
    correlation = list(
      says = "which securities move alike; weighted, shrunk or rolling",
      takes = "FILE...",
      options = c(
        choose, "every", "keep-unfinished", "kind", "on", "window", "min-obs", "decay",
        "half-life", "shrink", "confidence", book, hand_on
      ),
      example = "imbroglio correlation bay.csv --on pairwise --figure alike.png",
      run = run_measure(
        "correlation",
        c("on", "window", "min_obs", "decay", "half_life", "shrink", "confidence")
      )
    ),
    fit = list(
      says = "fitted distributions, and tests that know they were fitted",
      takes = "FILE...",
      options = c(
        choose, "every", "keep-unfinished", "kind", "families", "by", "test-draws", "stop-after",
        "reject-at", "rank-by", "seed", "parameters", "level", "view", book, hand_on
      ),
      example = c(
        paste0(
          "imbroglio fit bay.csv --security BAYALL --families normal,student,cauchy ",
          "--test-draws 999 --figure fit.png"
        ),
        paste0(
          "imbroglio fit bay.csv --security BAYALL --families all --view tail --figure ",
          "tail.png"
        ),
        "imbroglio fit bay.csv --security BAYALL --families student,nig --level 0.99,0.999"
      ),
      run = run_fit
    ),
    var = list(
      says = "value at risk by many methods; of a book: drawn, or split by holding",
      takes = "FILE...",
      options = c(
        choose, "every", "keep-unfinished", "kind", "level", "horizon", "horizon-by", "method",
        "rank", "value", "decay", "half-life", "tail", "block", "draws", "seed", "errors",
        "confidence", "thresholds", "draw", "paths", "split", "view", book, hand_on
      ),
      example = c(
        "imbroglio var bay.csv --security BAYALL --level 0.95,0.99 --value 1000000",
        paste0(
          "imbroglio var bay.csv --security BAYALL --method ",
          "historical,normal,student,garch,hill,pareto --figure methods.png"
        ),
        paste0(
          "imbroglio var bay.csv --security BAYALL --level 0.9,0.95,0.99,0.999 --horizon ",
          "1:20 --figure horizons.png"
        ),
        paste0(
          "imbroglio var bay.csv --shares OSSELL=2000,TARROW=500 --draw --horizon 10 ",
          "--draws 100000 --figure book.png"
        ),
        paste0(
          "imbroglio var bay.csv --weights OSSELL=0.5,TARROW=0.5 --split --method ",
          "historical,normal"
        ),
        "imbroglio var bay.csv bay-fund.csv --holdings bay-holdings.csv --parts",
        "imbroglio var bay.csv --security BAYALL --thresholds --figure tail.png"
      ),
      run = run_var
    ),
    backtest = list(
      says = "value at risk put to the test, day by day",
      takes = "FILE...",
      options = c(
        choose, "every", "keep-unfinished", "kind", "window", "level", "method", "expanding",
        "refit", "rank", "decay", "half-life", "tail", "block", "draws", "seed", "zone-days",
        "breaches", "zones", "series", book, hand_on
      ),
      example = c(
        paste0(
          "imbroglio backtest bay.csv --security BAYALL --method historical,normal,ewma ",
          "--figure backtest.png"
        ),
        paste0(
          "imbroglio backtest bay.csv --security BAYALL --window 500 --expanding --method ",
          "garch --refit 20 --breaches"
        )
      ),
      run = run_backtest
    ),
    report = list(
      says = "one page to send: sentences, tables and pictures",
      takes = "FILE...",
      options = c(priced, "window", "per-year", "level", "value", book, "out", "help"),
      example = "imbroglio report bay.csv --security BAYALL,TARROW --out risk.html",
      run = run_report
    )
  )
}

some_files <- function(files, command, most = Inf) {
  if (!length(files) || length(files) > most) {
    fail(
      "argument",
      sprintf("%s takes %s of prices.", command, if (most == 1) "one file" else "files"),
      where = sprintf(
        "%s given.",
        if (length(files)) count(length(files), "was", "were") else "None was"
      ),
      remedy = sprintf("imbroglio %s --help shows an example.", command)
    )
  }
}

chosen_prices <- function(files, options, command) {
  some_files(files, command)
  reading <- list(
    price = options$price,
    dates = options$dates,
    decimal = options$decimal,
    sheet = options$sheet,
    strict = isTRUE(options$strict)
  )
  given <- check_choice(options$given %||% "prices", "--given", c("prices", "returns", "profits"))
  prices <- if (given == "prices") {
    do.call(
      read_prices,
      c(list(files, securities = options$securities, as_of = options$as_of), reading)
    )
  } else {
    do.call(
      as_returns,
      c(
        list(files, kind = options$kind %||% "simple", every = options$every, given = given),
        reading
      )
    )
  }
  prices <- cut_to_span(prices, options, command)
  if (is.null(options$security)) return(prices)
  if (has_book(options)) {
    fail(
      "argument",
      "--security picks securities out of a table; a book is of its holdings.",
      remedy = "Leave it out; --parts shows the holdings."
    )
  }
  # What is measured against stays in the table.
  prices[, unique(c(
    options$security,
    options$benchmark,
    if (is.character(options$risk_free)) options$risk_free
  ))]
}

# A span of dates; windows that roll are filled from the days before it.
cut_to_span <- function(x, options, command) {
  span <- options[c("from", "to", "last", "during")]
  if (all(vapply(span, is.null, NA))) return(x)
  span <- stats::setNames(span, c("start", "end", "last", "during"))
  # A number of returns is of the returns that are measured, which come later.
  if (inherits(x, "imbroglio_prices") && counts_returns(options)) {
    if (!is.null(options$to)) x <- window(x, end = options$to)
    return(x)
  }
  longest <- if (command == "backtest") {
    options$window %||% formals(backtest_var)$window
  } else {
    max(options$window, 0L)
  }
  before <- if (command == "backtest" || !longest) longest else 2 * longest + 20
  chosen <- do.call(window, c(list(x), span, list(before = min(before, length(x$dates)))))
  if (longest) {
    chosen$shown_from <- span_of(
      x$dates, options$from, options$to, options$last, options$during
    )$from
  }
  chosen
}

counts_returns <- function(options) {
  grepl("return", options$last %||% "", fixed = TRUE) &&
    (!is.null(options$every) || has_book(options))
}

has_book <- function(options) {
  any(
    !vapply(
      options[intersect(c("weights", "shares", "values", "holdings"), names(options))],
      is.null,
      NA
    )
  )
}

# The returns that are to be measured, or the book of them.
chosen_returns <- function(prices, options, command) {
  returns <- if (inherits(prices, "imbroglio_returns")) {
    prices
  } else {
    as_returns(
      prices,
      kind = options$kind %||% "simple",
      every = options$every,
      keep_unfinished = isTRUE(options$keep_unfinished)
    )
  }
  if (counts_returns(options)) {
    returns <- cut_to_span(returns, options[setdiff(names(options), "to")], command)
  }
  if (has_book(options)) book_of(returns, options) else returns
}

book_of <- function(x, options) {
  taken <- c(
    "weights", "shares", "values", "holdings", "rebalance", "cash", "normalise", "held", "parts",
    "decimal"
  )
  by_weight <- !is.null(options$weights)
  do.call(
    as_portfolio,
    c(
      list(x),
      options[intersect(taken, names(options))],
      list(
        stand_ins = options$stand_in,
        value = if (by_weight || !is.null(options$holdings)) options$value
      )
    )
  )
}

run_measure <- function(name, own, measure = measures()[[name]]$measure) {
  force(name)
  force(own)
  function(files, options) {
    returns <- chosen_returns(chosen_prices(files, options, name), options, name)
    arguments <- options[intersect(own, names(options))]
    if (!is.null(options$sort)) arguments$sort_by <- options$sort
    hand_over_measured(do.call(measure, c(list(returns), arguments)), options)
  }
}

hand_over_measured <- function(result, options, plot = result, extra = NULL) {
  shown_from <- attr(result, "source")$shown_from
  if (!is.null(shown_from) && !is.null(result[["window"]]) && !is.null(result[["to"]])) {
    same <- identical(plot, result)
    result <- rows_from(result, shown_from)
    if (same) plot <- result
  }
  hand_over(
    result,
    options,
    text = measure_text(result, extra),
    table = as.data.frame(result),
    plot = plot
  )
}

rows_from <- function(result, date) {
  keep <- result$to >= date
  about <- basis(result)
  about$from <- date
  about$choices <- c(about$choices, "shown from" = format(date))
  new_result(
    lapply(as.list(as.data.frame(result)), `[`, keep),
    attr(result, "measure"),
    about,
    attr(result, "source")
  )
}

run_volatility <- function(files, options) {
  returns <- chosen_returns(chosen_prices(files, options, "volatility"), options, "volatility")
  given <- function(...) options[intersect(c(...), names(options))]
  if (options$parameters || !is.null(options$horizon)) {
    kinds <- c(garch = "normal", "garch-student" = "student")[options$method %||% "garch"]
    if (anyNA(kinds)) {
      fail("argument", "--parameters and --horizon are of --method garch and garch-student.")
    }
    fit <- do.call(fit_garch, c(list(returns, innovations = unname(kinds)), given("per_year")))
    return(hand_over_measured(
      if (is.null(options$horizon)) fit else stats::predict(fit, options$horizon),
      options
    ))
  }
  if (options$series) {
    return(hand_over_measured(
      do.call(
        volatility_series,
        c(list(returns), given("method", "per_year", "decay", "half_life"))
      ),
      options
    ))
  }
  result <- do.call(
    measure_volatility,
    c(
      list(returns),
      given(
        "window", "min_obs", "per_year", "method", "decay", "half_life", "errors", "confidence"
      )
    )
  )
  if (options$by_window) {
    draw_to(result, options$figure, by_window = TRUE)
    options$figure <- NULL
  }
  hand_over_measured(result, options)
}

run_fit <- function(files, options) {
  returns <- chosen_returns(chosen_prices(files, options, "fit"), options, "fit")
  own <- c("families", "by", "test_draws", "stop_after", "reject_at", "rank_by", "seed")
  # Parameters and quantiles are no tests, unless they are drawn.
  if ((options$parameters || !is.null(options$level)) && is.null(options$figure)) {
    options$test_draws <- 0L
  }
  fit <- do.call(fit_returns, c(list(returns), options[intersect(own, names(options))]))
  draw_to(fit, options$figure, view = options$view %||% "distribution")
  options$figure <- NULL
  if (options$parameters) {
    fit <- new_result(parameters_of(fit), "fit_parameters", basis(fit), attr(fit, "source"))
  } else if (!is.null(options$level)) {
    fit <- stats::predict(fit, options$level)
  }
  hand_over_measured(fit, options)
}

run_var <- function(files, options) {
  given <- function(...) options[intersect(c(...), names(options))]
  returns <- chosen_returns(chosen_prices(files, options, "var"), options, "var")
  booked <- inherits(returns, "imbroglio_book")
  common <- c(if (!booked) "value", "level", "horizon", "rank", "block", "draws", "seed")
  if (isTRUE(options$draw) || isTRUE(options$split) || !is.null(options$paths)) {
    if (!booked) {
      fail(
        "argument",
        "--draw, --paths and --split are of a book.",
        remedy = "Give --weights A=0.6,B=0.4, --shares A=100,B=50 or --holdings FILE."
      )
    }
    if (isTRUE(options$split)) {
      return(hand_over_measured(
        do.call(
          split_var,
          c(list(returns), given(common, "method", "decay", "half_life", "tail"))
        ),
        options
      ))
    }
    method <- options$method %||% "bootstrap"
    if (!is.null(options$paths)) {
      check_whole(
        options$paths,
        "--paths",
        most = options$draws %||% formals(bootstrap_book)$draws
      )
    }
    blocks <- c(
      bootstrap = "none",
      "block-bootstrap" = "fixed",
      "stationary-bootstrap" = "stationary"
    )
    check_choice(method, "method", names(blocks))
    drawn <- do.call(
      bootstrap_book,
      c(list(returns), given(common, "confidence"), list(blocks = unname(blocks[method])))
    )
    if (is.null(options$paths)) {
      return(hand_over_measured(drawn, options, extra = book_text(drawn)))
    }
    listed <- drawn_paths(drawn, seq_len(options$paths))
    result <- new_result(as.list(listed), "paths", basis(drawn), attr(drawn, "source"))
    return(hand_over_measured(result, options, drawn))
  }
  if (isTRUE(options$thresholds)) {
    chosen_tail <- do.call(
      tail_thresholds,
      c(list(returns), lapply(given("level"), max), given("confidence"))
    )
    draw_to(chosen_tail, options$figure, tail = options$tail %||% formals(measure_var)$tail)
    options$figure <- NULL
    return(hand_over_measured(chosen_tail, options))
  }
  own <- c("horizon_by", "method", "decay", "half_life", "tail", "errors", "confidence")
  result <- do.call(measure_var, c(list(returns), given(common, own)))
  draw_to(result, options$figure, view = options$view)
  options$figure <- NULL
  hand_over_measured(result, options)
}

# Percentiles of the final value, and how the holdings move together.
book_text <- function(drawn) {
  at <- as.list(stats::quantile(drawn))
  together <- if (length(basis(drawn)$observations) &&
      length(attr(drawn, "drawn")$book$security) > 1L) {
    drawn_correlation(drawn)
  }
  percentiles <- sprintf(
    "%s %%: %s",
    format(100 * at$prob, trim = TRUE),
    if (is.null(drawn[["var_value"]])) percent(at$return) else money(at$value)
  )
  c(
    folded(paste0("Percentiles of the final value: ", paste(percentiles, collapse = "; "), ".")),
    if (!is.null(together)) {
      c(
        "",
        "Correlation of the holdings, in the history and in the drawn days:",
        text_table(as.data.frame(together))
      )
    },
    ""
  )
}

run_backtest <- function(files, options) {
  returns <- chosen_returns(chosen_prices(files, options, "backtest"), options, "backtest")
  own <- c(
    "window", "level", "method", "expanding", "refit", "rank", "decay", "half_life", "tail",
    "block", "draws", "seed", "zone_days"
  )
  tested <- do.call(backtest_var, c(list(returns), options[intersect(own, names(options))]))
  listing <- c(
    breaches = "backtest_breaches",
    zones = "backtest_zones",
    series = "backtest_series"
  )
  asked <- names(listing)[vapply(names(listing), function(name) isTRUE(options[[name]]), NA)]
  if (!length(asked)) return(hand_over_measured(tested, options))
  if (length(asked) > 1L) {
    fail("argument", sprintf("%s are listed one at a time.", some(paste0("--", asked))))
  }
  listed <- switch(
    asked,
    breaches = backtest_breaches(tested),
    zones = backtest_zones(tested),
    series = backtest_series(tested)
  )
  hand_over_measured(
    new_result(
      as.list(listed),
      paste0("backtest_", asked),
      basis(tested),
      attr(tested, "source")
    ),
    options,
    tested
  )
}

run_beta <- function(files, options) {
  side_by_side <- length(options$every) > 1L || !is.null(options$spans)
  once <- options
  if (side_by_side) once["every"] <- list(NULL)
  returns <- chosen_returns(chosen_prices(files, once, "beta"), once, "beta")
  own <- c(
    "benchmark", "window", "min_obs", "per_year", "risk_free", "errors", "lags", "together",
    "confidence"
  )
  arguments <- options[intersect(own, names(options))]
  if (side_by_side) arguments <- c(arguments, list(every = options$every, last = options$spans))
  hand_over_measured(do.call(measure_beta, c(list(returns), arguments)), options)
}

# Drawdown is of prices, unless a frequency is asked for.
run_drawdown <- function(files, options) {
  prices <- chosen_prices(files, options, "drawdown")
  data <- if (is.null(options$every) && !has_book(options)) {
    prices
  } else {
    chosen_returns(prices, options, "drawdown")
  }
  if (options$series) {
    return(hand_over_measured(drawdown_series(data), options, measure_drawdown(data)))
  }
  if (!is.null(options$episodes)) {
    return(hand_over_measured(
      drawdown_episodes(data, worst = options$episodes),
      options,
      measure_drawdown(data)
    ))
  }
  hand_over_measured(
    do.call(
      measure_drawdown,
      c(list(data), options[intersect(c("window", "min_obs", "level"), names(options))])
    ),
    options
  )
}

measure_text <- function(result, extra = NULL) {
  name <- attr(result, "measure")
  measure <- measures()[[name]]
  table <- as.data.frame(result)
  # Of a rolling measure or a series people read where it stands now; the files have all of it.
  if (!is.null(table$window) ||
      name %in% c("volatility_series", "drawdown_series", "correlation_series")) {
    table <- table[!duplicated(table[series_keys(table)], fromLast = TRUE), ]
  }
  said <- if (is.null(utils::getS3method("words_of", class(result)[1L], optional = TRUE))) {
    character()
  } else {
    in_words(result)
  }
  ends <- if (length(said) > 4L || name == "fit") headline(result) else said
  # Of a long list people read how it ends; of a tail, some sizes of it.
  hidden <- if (name %in% c("paths", "backtest_series", "backtest_breaches")) {
    max(0L, nrow(table) - 40L)
  } else {
    0L
  }
  if (hidden) table <- utils::tail(table, 40L)
  if (name == "tail" && nrow(table) > 24L) {
    table <- table[seq(1L, nrow(table), ceiling(nrow(table) / 20)), ]
  }
  crossed <- name == "var" && length(unique(table$horizon)) > 1L && nrow(table) > 12L
  if (crossed) table <- crossed_table(table)
  # What each holding returned, what each level comes to.
  kind <- basis(result)$kind
  if (crossed || name == "paths") kind <- if (kind == "profit") "amounts" else "fractions"
  c(
    paste0(title_of(result), ".", if (!is.null(measure)) paste0(" ", measure$asks)),
    "",
    text_table(table, kind),
    if (hidden) sprintf("and %s before. --out FILE.csv writes all.", count(hidden, "row")),
    "",
    folded(ends),
    if (length(ends)) "",
    extra,
    folded(paste("Basis:", format(basis(result))))
  )
}

run_returns <- function(files, options) {
  prices <- chosen_prices(files, options, "returns")
  if (options$measured || !is.null(options$window)) {
    own <- c("window", "min_obs", "per_year", "risk_free")
    return(hand_over_measured(
      do.call(
        measure_return,
        c(
          list(chosen_returns(prices, options, "returns")),
          options[intersect(own, names(options))]
        )
      ),
      options
    ))
  }
  returns <- take_returns(chosen_returns(prices, options, "returns"), profits = TRUE)
  if (is.null(options$format) &&
      lower_case(tools::file_ext(options$out %||% "")) %in% c("xlsx", "parquet")) {
    if (is.null(returns$prices)) {
      fail(
        "argument",
        "Returns that were given are written as CSV.",
        where = sprintf("--out is %s.", options$out)
      )
    }
    write_prices(returns$prices, options$out, returns$kind, returns$stated)
    say("Wrote ", options$out)
    draw_to(returns, options$figure)
    return(0L)
  }
  sample <- sample_of(returns$dates, returns$values)
  there <- which(!is.na(returns$values), arr.ind = TRUE)
  result <- new_result(
    list(
      security = colnames(returns)[there[, 2L]],
      date = returns$dates[there[, 1L]],
      return = returns$values[there]
    ),
    "return_list",
    returns_basis(returns, sample),
    returns
  )
  hand_over(
    result,
    options,
    text = returns_text(returns, result),
    table = as.data.frame(result),
    plot = returns
  )
}

# The last few dates, as many securities as a line holds.
returns_text <- function(returns, result, rows = 8L, most = 8L) {
  last <- utils::tail(seq_along(returns$dates), rows)
  shown <- seq_len(min(most, ncol(returns)))
  writer <- writer_of(result)
  cells <- lapply(shown, function(j) c(colnames(returns)[j], writer(returns$values[last, j])))
  body <- c(list(c("date", format(returns$dates[last]))), cells)
  lines <- do.call(
    paste,
    c(lapply(body, function(v) formatC(v, width = max(nchar(v)))), sep = "  ")
  )
  every <- some(adverb_of(unique(returns$rhythm$every)))
  hidden <- c(
    if (nrow(returns) > rows) count(nrow(returns) - rows, "earlier date"),
    if (ncol(returns) > most) count(ncol(returns) - most, "more security", "more securities")
  )
  c(
    sprintf(
      "%s %s, the last %s",
      sentence_case(every),
      if (returns$kind == "profit") "profits" else paste(returns$kind, "returns"),
      count(length(last), "date")
    ),
    "",
    lines,
    "",
    if (length(hidden)) {
      sprintf("Not shown: %s. --out FILE.csv writes all.", paste(hidden, collapse = " and "))
    },
    folded(paste("Basis:", format(basis(result))))
  )
}

# Prints or writes a result in the form asked for, and draws it.
hand_over <- function(result, options, text, table, plot) {
  form <- options$format
  if (is.null(form)) {
    ending <- lower_case(tools::file_ext(options$out %||% ""))
    form <- if (ending %in% c("json", "csv")) ending else "text"
  }
  check_choice(form, "--format", c("text", "json", "csv"))
  lines <- switch(form, text = text, json = as_json(result), csv = as_csv(table))
  if (is.null(options$out)) {
    print_lines(if (form == "text") visible(lines) else lines)
  } else {
    write_whole(options$out, function(part) write_lines(lines, part))
    say("Wrote ", options$out)
  }
  draw_to(plot, options$figure)
  0L
}

draw_to <- function(what, path, ...) {
  if (is.null(path)) return(invisible())
  attach_usual()
  need_ggplot()
  # Made before a file is opened for it.
  figure <- ggplot2::autoplot(what, ...)
  write_figure(figure, path)
  say("Drew ", path)
}

# The command starts R without the packages that are attached as a rule, which halves its
# start. Packages that draw may count on them being there.
attach_usual <- function() {
  for (package in c("methods", "utils", "grDevices", "graphics", "stats")) {
    library(package, character.only = TRUE)
  }
}

run_demo <- function(files, options) {
  if (length(files)) {
    fail(
      "argument",
      "demo brings its own data and takes no file.",
      remedy = sprintf("Try: imbroglio volatility %s", files[1L])
    )
  }
  if (!is.null(options$files)) {
    if (!dir.exists(options$files)) fail("file", sprintf("There is no folder %s.", options$files))
    taken <- file.exists(file.path(options$files, demo_file()))
    if (any(taken)) {
      fail(
        "file",
        sprintf("%s is already in %s.", some(demo_file()[taken]), options$files),
        remedy = "Name an empty folder."
      )
    }
    for (name in demo_file()) {
      bytes <- readBin(demo_file(name), "raw", file.size(demo_file(name)))
      write_whole(file.path(options$files, name), function(part) {
        why <- write_bytes(part, bytes, FALSE)
        if (nzchar(why)) fail("write", sprintf("%s could not be written.", name), where = why)
      })
    }
    say("Copied ", some(demo_file(), 20L), " to ", options$files)
  }
  prices <- read_prices(demo_file("bay.csv"))[, options$security %||% "BAYALL"]
  returns <- as_returns(prices)
  figures <- list(measure_volatility(returns), measure_drawdown(prices), measure_var(returns))
  print_lines(c(
    sprintf(
      "Ten years on the Bay Exchange, an invented market (%s to %s)",
      prices$dates[1L],
      prices$dates[nrow(prices)]
    ),
    "",
    unlist(lapply(figures, function(f) strwrap(in_words(f), 100, indent = 2, exdent = 4))),
    "",
    strwrap(paste("Basis:", format(basis(figures[[1L]]))), 110, exdent = 2),
    ""
  ))
  draw_to(if (ncol(prices) == 1L) prices else returns, options$figure)
  print_lines(c(
    "The same on prices of your own:",
    "  imbroglio volatility prices.csv --window 60 --figure volatility.png",
    "  imbroglio drawdown prices.csv", "  imbroglio var prices.csv --value 1000000",
    "  imbroglio report prices.csv --out risk.html"
  ))
  0L
}

# Ends with status 1 where there are errors.
run_check <- function(files, options) {
  some_files(files, "check")
  how <- options[intersect(c("price", "dates", "decimal", "as_of"), names(options))]
  # Read once, for the check and for the repair.
  delivery <- read_delivery(files, how)
  findings <- do.call(
    check_prices,
    c(list(delivery), options[intersect(c("actions", "securities"), names(options))])
  )
  hand_over(
    findings,
    options,
    text = findings_text(findings),
    table = as.data.frame(findings),
    plot = findings
  )
  if (!is.null(options$repair)) {
    write_prices(repair_prices(delivery, findings), options$repair)
    say("Wrote the prices repaired to ", options$repair)
  }
  as.integer(any(findings$severity == "error"))
}

findings_text <- function(findings) {
  c(
    in_words(findings),
    "",
    if (nrow(findings)) c(text_table(as.data.frame(findings)), ""),
    strwrap(paste("Basis:", format(basis(findings))), 110, exdent = 2)
  )
}

run_prices <- function(files, options) {
  prices <- chosen_prices(files, options, "prices")
  # Written are the dates that were asked for, without the price before them that a return would
  # want.
  span <- span_of(prices$dates, options$from, options$to, options$last, options$during)
  prices <- prices[prices$dates >= span$from, ]
  layout <- if (isTRUE(options$long)) "long" else "wide"
  form <- check_choice(options$format %||% "text", "--format", c("text", "csv"))
  if (!is.null(options$out)) {
    if (!is.null(options$format)) {
      fail(
        "argument",
        "--out says the form by how the file ends.",
        remedy = "Leave --format out."
      )
    }
    write_prices(prices, options$out, layout = layout)
    say("Wrote ", options$out)
  } else if (form == "csv") {
    print_lines(as_csv(if (layout == "long") long_table(prices) else as.data.frame(prices)))
  } else {
    print_lines(visible(c(
      utils::capture.output(print(prices)),
      "",
      paste("Digest", prices$digest)
    )))
  }
  draw_to(prices, options$figure)
  0L
}

run_adjust <- function(files, options) {
  some_files(files, "adjust")
  prices <- read_prices(
    files,
    price = options$price,
    dates = options$dates,
    decimal = options$decimal,
    as_of = options$as_of
  )
  if (!is.null(options$security)) prices <- prices[, options$security]
  rescale <- if (isTRUE(options$undo)) raw_prices else adjust_prices
  made <- rescale(
    prices,
    options$actions,
    options$form %||% "total-return",
    options$dates,
    options$decimal
  )
  if (is.null(options$out)) {
    print_lines(as_csv(as.data.frame(made)))
  } else {
    write_prices(made, options$out)
    say("Wrote ", options$out)
  }
  0L
}

run_report <- function(files, options) {
  attach_usual()
  prices <- chosen_prices(files, options, "report")
  if (has_book(options)) prices <- book_of(prices, options)
  out <- options$out %||% paste0(
    sub("\\.(csv|sqlite)(\\.gz)?$", "", basename(files[1L])),
    "-report.html"
  )
  if (!lower_case(tools::file_ext(out)) %in% c("html", "htm")) {
    fail(
      "argument",
      "A report is one page of HTML.",
      where = sprintf("--out is %s.", out),
      remedy = "Name a file that ends in .html."
    )
  }
  arguments <- options[intersect(
    c("window", "per_year", "level", if (!has_book(options)) "value"),
    names(options)
  )]
  do.call(write_report, c(list(prices, out), arguments))
  say("Wrote ", out)
  0L
}

say <- function(...) cat(..., "\n", sep = "", file = stderr())
