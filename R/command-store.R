# The command of a price store: what it holds and held, what is added, corrected, granted.

command_of_store <- function() {
  list(
    group = "Get prices",
    place = 40,
    says = "what a price store holds, what was restated and added; correct it",
    takes = "STORE",
    options = c(
      "add", "actions", "securities", "price", "dates", "decimal", "doubts", "withdraw", "rename",
      "merge", "prefer", "ended", "remove", "why", "dry-run", "restatements", "additions",
      "verify", "grants", "may", "export", "memory", "format", "out", "help"
    ),
    example = c(
      paste0(
        "imbroglio store kept.sqlite --add bay-daily.csv.xz --price close --actions ",
        "bay-actions.csv --securities bay-securities.csv"
      ),
      "imbroglio store kept.sqlite",
      "imbroglio store kept.sqlite --rename OSSELL=OSSELL2 --why 'new name of the listing'",
      "imbroglio store kept.sqlite --withdraw 2 --why 'it was another security' --dry-run",
      "imbroglio store kept.sqlite --additions",
      "imbroglio store kept.sqlite --restatements",
      "imbroglio store kept.sqlite --verify",
      "imbroglio store kept.sqlite --export kept-prices --memory 500MB",
      "imbroglio volatility kept.sqlite --security group:port --as-of 1"
    ),
    run = run_store
  )
}

run_store <- function(files, options) {
  some_files(files, "store", most = 1)
  if (!is.null(options$grants)) return(run_grants(files, options))
  asked <- written_to_store(options)
  if (length(asked) > 1L) {
    fail(
      "argument", sprintf("%s are written one at a time.", some(paste0("--", asked)))
    )
  }
  put <- function() {
    if (identical(asked, "add")) return(add_file(files, options))
    given <- intersect(c(asked, "prefer", "why"), names(options))
    do.call(correct_store, c(list(files, dry_run = options$dry_run), unclass(options)[given]))
  }
  if (isTRUE(options$dry_run)) {
    # It stands below what would be written.
    said <- c("imbroglio_note_stored", "imbroglio_note_corrected")
    return(hand_over_arrival(suppressMessages(put(), classes = said), files, options))
  }
  if (length(asked)) put()
  if (!is.null(options$export)) {
    write_prices(
      open_prices(files, memory = options$memory %||% formals(open_prices)$memory), options$export
    )
    say("Wrote ", options$export)
  }
  hand_over_listing(files, options, corrected = length(asked) > 0L && asked != "add")
}

add_file <- function(store, options) {
  prices <- read_prices(
    options$add, price = options$price, dates = options$dates, decimal = options$decimal,
    securities = options$securities
  )
  store_prices(
    prices, store, actions = options$actions, dates = options$dates, decimal = options$decimal,
    doubts = options$doubts %||% "refuse", why = options$why, dry_run = options$dry_run
  )
}

# What would be written, and what of it is doubtful.
hand_over_arrival <- function(written, store, options) {
  table <- written[written$new > 0L | written$restated > 0L, ]
  result <- as_listed(table, "arrival", store_address(store))
  says <- attr(written, "says")
  attr(result, "says") <- if (is.null(says)) {
    stored_words(written, dry_run = TRUE)
  } else {
    paste0(says, ": nothing was written.")
  }
  # What was restated is worth more than what is new.
  by <- table$furthest %||% rep(NA_real_, nrow(table))
  shown <- table[order(-abs(replace(by, is.na(by), 0))), ]
  if (all(is.na(by))) shown$furthest <- NULL
  hand_over(
    result, options,
    text = c(
      if (nrow(table)) c(text_table(utils::head(shown, 20L)), ""),
      if (nrow(table) > 20L) c(sprintf("%d more.", nrow(table) - 20L), ""), in_words(result)
    ),
    table = as.data.frame(result), plot = NULL
  )
  status_of(NROW(attr(written, "doubts")) > 0L)
}

# After a correction the entries are listed, the new one with them.
hand_over_listing <- function(store, options, corrected) {
  listed <- c(
    restatements = options$restatements,
    additions = options$additions,
    verification = options$verify
  )
  if (sum(listed) > 1L) {
    fail(
      "argument",
      sprintf(
        "%s are listed one at a time.",
        some(c("--restatements", "--additions", "--verify"))
      )
    )
  }
  what <- if (any(listed)) names(which(listed)) else if (corrected) "additions" else "contents"
  result <- switch(
    what,
    contents = store_contents(store),
    restatements = store_restatements(store),
    additions = store_additions(store),
    verification = verify_store(store)
  )
  hand_over(
    result,
    options,
    text = store_text(result, what),
    table = as.data.frame(result),
    plot = NULL
  )
  status_of(what == "verification" && !all(result$sound))
}

run_grants <- function(store, options) {
  asked <- setdiff(names(Filter(Negate(is.null), unclass(options))), c("grants", "may", "help"))
  asked <- asked[!vapply(asked, function(name) isFALSE(options[[name]]), NA)]
  if (length(asked)) {
    fail("argument", sprintf("--%s is of no use beside --grants.", gsub("_", "-", asked[1L])))
  }
  grant_store(store, options$grants, options$may %||% "read")
  0L
}

store_text <- function(result, what) {
  table <- as.data.frame(result)
  # Of what is sound the number is enough.
  if (what == "verification") table <- table[!table$sound, ]
  # What nobody said needs no column.
  for (name in intersect(c("ended", "who", "grounds"), names(table))) {
    if (all(is.na(table[[name]]))) table[[name]] <- NULL
  }
  if (what == "additions" && all(table$entry == "addition")) table$entry <- NULL
  # Where all have the same, it is said below.
  for (name in c("source", "checked_at", "added_at", "addition")) {
    if (what == "contents" && length(unique(table[[name]])) == 1L) table[[name]] <- NULL
  }
  c(if (nrow(table)) c(text_table(table), ""), folded(in_words(result)))
}
