# Getting prices: the commands fetch and feed.

command_of_fetch <- function() {
  list(
    group = "Get prices",
    place = 20,
    says = "prices from a feed into a store, or a file; only what is new",
    takes = "",
    options = c(
      "feed", "store", "securities", "from", "to", "update", "at-once", "tries", "time-limit",
      "patience", "allow", "verbose", "format", "out", "help"
    ),
    help = c(
      out = "write to a file: .csv, .xlsx or .parquet",
      securities = paste0(
        "A,B, or group:NAME, or a table of them (all of the feed; --update: all asked ",
        "for before)"
      )
    ),
    example = c(
      "imbroglio fetch --feed http://127.0.0.1:8017 --store bay.sqlite",
      "imbroglio fetch --feed http://127.0.0.1:8017 --store bay.sqlite --update",
      paste0(
        "imbroglio fetch --feed http://127.0.0.1:8017 --securities BAYALL,group:port ",
        "--from 2024-01-01 --out port.csv"
      )
    ),
    writes = function(options) if (is.null(options$store)) "prices" else "table",
    run = run_fetch
  )
}

run_fetch <- function(files, options) {
  if (length(files)) {
    fail(
      "argument",
      "fetch takes no file.",
      where = sprintf("%s was given.", files[1L]),
      remedy = "Name a store by --store."
    )
  }
  if (is.null(options$feed)) {
    fail(
      "argument",
      "Say which feed to ask, by --feed URL.",
      remedy = "imbroglio feed serves the demo data, to try with."
    )
  }
  if (is.null(options$store) && is.null(options$out)) {
    fail("argument", "Say where the prices shall go: --store STORE or --out FILE.")
  }
  securities <- options$securities
  if (!is.null(securities) && !file.exists(securities)) securities <- comma(securities)
  asked <- c(
    list(feed = options$feed, securities = securities, from = options$from, to = options$to),
    options[intersect(
      c("at_once", "tries", "time_limit", "patience", "allow", "verbose"),
      names(options)
    )]
  )
  if (is.null(options$store)) {
    if (options$update) {
      fail("argument", "--update is of a store.", remedy = "Name it by --store.")
    }
    prices <- without_warning(do.call(fetch_prices, asked))
    outcomes <- fetch_outcomes(prices)
    write_prices(prices, options$out)
    say("Wrote ", options$out)
    print_lines(visible(fetch_text(outcomes, options$out)))
  } else {
    outcomes <- without_warning(do.call(
      update_store,
      c(list(options$store, update = options$update), asked)
    ))
    hand_over(
      outcomes,
      options,
      text = fetch_text(outcomes, store_address(options$store)$shown),
      table = as.data.frame(outcomes),
      plot = NULL
    )
  }
  status_of(in_part = outcomes$outcome == "failed")
}

# What could not be had stands in the table.
without_warning <- function(code) {
  withCallingHandlers(code, imbroglio_warning_feed = function(w) invokeRestart("muffleWarning"))
}

fetch_text <- function(outcomes, into, most = 20L) {
  table <- as.data.frame(outcomes)
  notable <- table$outcome == "failed" | table$left_out > 0L | (table$restated %||% 0L) > 0L
  shown <- if (nrow(table) > most) utils::head(table[notable, ], most) else table
  if (!any(table$left_out)) shown$left_out <- NULL
  c(
    if (nrow(shown)) c(text_table(shown), ""),
    if (nrow(shown) < nrow(table)) {
      c(
        sprintf(
          "Not shown: %s. --format csv lists all.",
          count(nrow(table) - nrow(shown), "security", "securities")
        ),
        ""
      )
    },
    sub(
      "[.]$",
      sprintf("; from %s into %s.", sub("^feed ", "", basis(outcomes)$origin), into),
      in_words(outcomes)
    )
  )
}

command_of_feed <- function() {
  list(
    group = "Get prices",
    place = 30,
    says = "a price feed on this machine, to try with: the demo data or a store",
    takes = "[STORE]",
    options = c("port", "faults", "json", "page-rows", "seconds", "help"),
    example = c(
      "imbroglio feed --port 8017 --seconds 1",
      "imbroglio feed --faults fail=3,cut=4 --port 0 --seconds 1"
    ),
    run = run_feed
  )
}

run_feed <- function(files, options) {
  if (length(files) > 1L) fail("argument", "feed serves one store.")
  serve_feed(
    if (length(files)) files,
    port = options$port %||% 8017L,
    faults = options$faults,
    form = if (options$json) "json" else "csv",
    page_rows = options$page_rows %||% 25000L,
    seconds = options$seconds %||% Inf,
    ready = function(address) {
      print_lines(sprintf(
        "Serving %s at %s, until interrupted.",
        if (length(files)) files else "the demo data",
        address
      ))
    }
  )
  0L
}
