# What is measured: the prices of the files, cut and chosen as the options say, their returns
# or the book of them.

some_files <- function(files, command, most = Inf) {
  if (!length(files) || length(files) > most) {
    fail(
      "argument",
      sprintf("%s takes %s of prices.", command, if (most == 1) "one file" else "files"),
      where = sprintf(
        "%s given.",
        if (length(files)) count(length(files), "was", "were") else "None was"
      ),
      remedy = sprintf(
        "Next: imbroglio %s prices.csv; with the demo's: imbroglio demo --files ., then %s",
        command,
        sub(" --figure.*$| --out.*$", "", commands()[[sub(" .*$", "", command)]]$example[1L])
      )
    )
  }
}

input_prices <- function(files, options, command) {
  some_files(files, command)
  reading <- list(
    price = options$price,
    dates = options$dates,
    decimal = options$decimal,
    sheet = options$sheet,
    strict = isTRUE(options$strict)
  )
  # What other files beside a store are read by is not of the store.
  if (length(files) == 1L && holds_store(files, list()) && reads_beside(options)) {
    reading[c("dates", "decimal")] <- NULL
  }
  if (!is.null(options$memory)) return(input_opened(files, options, reading, command))
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
  keep_input(options, prices)
  chosen_prices(prices, options, command)
}

# Read in blocks.
input_opened <- function(files, options, reading, command) {
  unused <- if (!is.null(options$sheet)) "sheet"
  if (isTRUE(options$strict)) unused <- c(unused, "strict")
  if (is_kept(options)) unused <- c(unused, "record")
  if (length(unused)) {
    fail(
      "argument",
      sprintf("--memory reads in blocks, and not with --%s.", sub("_", "-", unused[1L])),
      remedy = "Leave one of them out."
    )
  }
  # One process has a thread for each core, and the whole of the memory.
  use_workers(options, options$workers %||% 1L)
  x <- do.call(open_prices, c(
    list(
      files, memory = options$memory, securities = options$securities, as_of = options$as_of,
      resume = options$resume
    ),
    reading[c("price", "dates", "decimal")]
  ))
  keep_input(options, x)
  chosen_prices(x, options, command)
}

# What is measured of what was read.
chosen_prices <- function(prices, options, command) {
  if (!is.null(options$rates) || !is.null(options$base)) {
    if (is_opened(prices)) prices <- as_prices(prices)
    prices <- converted_prices(prices, options)
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

# Whether the line names another file of numbers or days.
reads_beside <- function(options) {
  named <- c(ways_to_hold, "actions", "rates", "limits")
  any(vapply(named, function(name) is.character(options[[name]]), NA))
}

# Prices in the base. Of a security that is not asked for it need not be known what it is in.
converted_prices <- function(prices, options) {
  if (is.null(options$base)) {
    fail("argument", "--rates convert to a currency.", remedy = "Name it: --base NAME.")
  }
  book <- options[ways_to_hold]
  book <- Filter(Negate(is.null), book)
  held <- if (length(book)) {
    currency_of_holdings(book[[1L]], colnames(prices), options$decimal)
  }
  wanted <- c(
    options$security, options$benchmark, unname(options$stand_in),
    if (is.character(options$risk_free)) options$risk_free
  )
  prices_in_base(
    prices, options$rates, options$base, options$currencies, options$carry %||% 0L, held,
    expand_groups(wanted, prices)
  )
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
  any(!vapply(options[intersect(ways_to_hold, names(options))], is.null, NA))
}

# The returns that are to be measured, or the book of them.
input_returns <- function(prices, options, command) {
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
    ways_to_hold, "rebalance", "cash", "normalise", "held", "parts", "carried", "decimal",
    "between", "bridges", "seed"
  )
  options <- Filter(Negate(is.null), options)
  by_weight <- !is.null(options$weights)
  do.call(
    as_portfolio,
    c(
      list(x),
      options[intersect(taken, names(options))],
      list(
        stand_ins = options$stand_in,
        benchmark = options$benchmark,
        value = if (by_weight || !is.null(options$holdings)) options$value
      )
    )
  )
}

# Calls a function with `x` and those of the options that are arguments of it.
call_with <- function(f, x, options, but = character()) {
  do.call(f, c(list(x), options[setdiff(intersect(names(formals(f)), names(options)), but)]))
}

# What the chosen methods of value at risk use, and of volatility.
methods_chosen <- function(o, command) {
  usual <- switch(
    command,
    volatility = if (isTRUE(o$series)) {
      usual_method(volatility_series)
    } else if (isTRUE(o$parameters) || !is.null(o$horizon)) {
      garch_methods()[1L]
    } else {
      usual_method(measure_volatility)
    },
    var = if (drawn_book(o)) names(block_methods())[1L] else usual_method(measure_var),
    usual_method(backtest_var)
  )
  o$method %||% usual
}

# The methods whose own option it is.
methods_with <- function(option, command) {
  records <- if (command == "volatility") volatility_estimators() else known_var_methods()
  names(records)[vapply(records, function(r) option %in% r$options, NA)]
}
