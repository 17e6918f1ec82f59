# The options of what is read and chosen.

options_of_reading <- function() {
  list(
    from = option(
      "DATE", "text",
      paste0(
        "first date, as 2019-01-31, 2019-01 or 2019; the price before it is kept for the ",
        "first return"
      )
    ),
    to = option("DATE", "text", "last date"),
    last = option(
      "SPAN", "text",
      "instead of --from: the last \"2 years\", \"90 days\", \"250 returns\""
    ),
    during = option("WHEN", "text", "a year or a month, as 2023 or 2023-04"),
    security = option("A,B", "list", "only these securities"),
    securities = option(
      "FILE", "text",
      paste0(
        "a table of securities, with their names and groups: only these; then --security ",
        "group:NAME"
      ),
      idle = first_reason(of_given, of_added)
    ),
    `as-of` = option(
      "WHEN", "text",
      "of a price store: its state at a date, a time (UTC) or an addition's number",
      idle = of_given
    ),
    memory = option(
      "SIZE", "text",
      paste0(
        "read in blocks of securities, and take no more than this, as 500MB or 2GB (read whole)"
      ),
      idle = first_reason(of_given, of_export)
    ),
    given = option(
      "WHAT", "text",
      paste0(
        "what the files hold: prices, returns, or profits, which are measured in money ",
        "(prices)"
      )
    ),
    sheet = option("NAME", "list", "the sheet of a workbook"),
    strict = flag(
      paste0(
        "stop at a file that cannot be read (otherwise it is named, left out, and the ",
        "status is 5)"
      )
    ),
    dates = option(
      "ORDER", "text",
      "day-first, month-first or year-first, where dates can be read in several ways",
      idle = of_added
    ),
    decimal = option(
      "MARK", "text",
      "the decimal mark, . or , where numbers can be read both ways",
      idle = of_added
    ),
    price = option(
      "COLUMN", "text",
      "the column of prices in a long file (adjusted, else close)",
      idle = of_added
    ),
    every = option(
      "PERIOD", "list",
      paste0(
        "returns by day, week, fortnight, month, quarter, half-year or year (as often as ",
        "there are prices)"
      ),
      idle = not_split_return
    ),
    `keep-unfinished` = flag(
      "keep a last week, month ... that the prices do not finish",
      idle = first_reason(
        of_given,
        unless(function(o, command) !is.null(o$every), "it is of the last period of --every")
      )
    ),
    kind = option(
      "KIND", "text",
      "simple or log returns (simple)",
      idle = first_reason(not_split_return, unless(function(o, command) {
        !identical(o$given, "profits")
      }, "profits add"),
        not_split,
        unless(function(o, command) !drawn_book(o), "a book is drawn by simple returns")
      )
    )
  )
}

# The options of feeds and stores.

options_of_feeds <- function() {
  list(
    `no-fetch` = flag("ask no feed, measure what is held"),
    feed = option(
      "URL", "text",
      "the address of the price feed; its token is read from IMBROGLIO_FEED_TOKEN"
    ),
    store = option(
      "STORE", "text",
      "a file, or postgresql://USER@HOST/DATABASE; made if it is not there"
    ),
    update = flag("ask only for what is new or restated since the last time"),
    `at-once` = option("N", "number", "questions at once (6)"),
    tries = option("N", "number", "how often a question is asked before it is given up (8)"),
    `time-limit` = option("S", "number", "seconds for one answer (30)"),
    patience = option(
      "S", "number",
      "seconds for which nothing more may come of the feed (120)"
    ),
    allow = option("HOST,HOST", "list", "hosts that the feed may redirect to"),
    verbose = flag("tell of each question and answer"),
    port = option("N", "number", "the port; 0 for any that is free (8017)"),
    faults = option(
      "A=N,B=N", "amounts",
      "be a bad feed: fail=3 (every third answer), limit=20 (a second), slow=0.5
      (seconds), cut=4, lie=5, rubbish=6"
    ),
    json = flag("answer in JSON only"),
    `page-rows` = option("N", "number", "most rows in one answer (25,000)"),
    seconds = option("S", "number", "stop after so many seconds"),
    add = option("FILE", "text", "add the prices of a file"),
    restatements = flag("list what was restated, with both values and both dates"),
    additions = flag("list what was added when"),
    verify = flag("test all checksums of the store"),
    withdraw = option("N", "number", "undo an entry of the store, by its number"),
    rename = option("OLD=NEW", "pairs", "call a security otherwise from now on"),
    merge = option("OLD=NEW", "pairs", "put what is held of OLD to NEW, of which it is"),
    ended = option("NAME=DATE", "pairs", "say when a security was traded for the last time"),
    remove = option("A,B", "list", "take away all that is held of these securities"),
    prefer = option(
      "NAME", "text", "whose prices stay where both have them",
      idle = unless(function(o, command) !is.null(o$merge), "it is of --merge OLD=NEW")
    ),
    why = option(
      "TEXT", "text", "a few words that are kept with the entry", idle = of_written
    ),
    `dry-run` = flag("say what would be written, and write nothing", idle = of_written),
    doubts = option(
      "WHAT", "text",
      "refuse what a person would doubt, or tell of it and add it all the same (refuse)",
      idle = first_reason(of_added, unless(
        function(o, command) !isTRUE(o$dry_run), "a --dry-run tells of all of them"
      ))
    ),
    grants = option("ROLE", "text", "give a role of the server the rights to read the store"),
    may = option(
      "WHAT", "text", "read, or write: what the role may do (read)",
      idle = unless(function(o, command) !is.null(o$grants), "it is of --grants ROLE")
    ),
    export = option(
      "FOLDER", "text", "write all prices to a new folder, which is read in blocks by --memory"
    )
  )
}
