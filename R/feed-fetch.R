#' Fetch prices from a feed
#'
#' Asks a price feed over HTTP for daily prices, splits and dividends. `fetch_prices()` gives them
#' as a price table; `update_store()` keeps them in a [price store][store_prices()] and asks only
#' for what the store does not have. Any service that answers as [feed_description()] says is a
#' feed; [serve_feed()] is one to try with.
#'
#' Nothing is taken for whole that is not: each answer says how many rows it has, how many there
#' are on all its pages, and a digest (SHA-256) of its bytes. What is cut off, announced wrongly
#' or no table is asked for again. Questions that fail, that are not answered in time, or are
#' answered by 429 or 503, are asked again after a pause that doubles each time, or as long as the
#' feed says (`Retry-After`); a feed that says "later" makes all questions wait. One security that
#' cannot be had does not keep the others back.
#'
#' A row with a price that is not above zero is left out and told. A price that a feed no longer
#' has stays in the store unless the feed says that it was withdrawn. A security comes with its
#' splits and dividends or not at all. The measured price is the close adjusted for them, see
#' [read_prices()].
#'
#' An **update** asks for all that came after the last date held, and for all that was restated
#' since the store was last brought up to date (the feed's state then is kept with the store).
#' What was restated is kept with both values, see [store_restatements()].
#'
#' @param securities The names of securities; `"group:NAME"`: those of a group, as the feed has
#'   it; a table or a file of securities, see [read_securities()]. `NULL`: all that the feed has;
#'   for an update, all that was asked of this feed before, had or not.
#' @param feed The address of the feed, `https://...` or `http://...`. A token is read from the
#'   environment, `IMBROGLIO_FEED_TOKEN`, is sent to that host only, and is shown nowhere.
#'   Certificates are always checked.
#' @param store See [store_prices()].
#' @param from,to First and last date, both included; without one, as far as the feed goes.
#' @param update Ask only for what is new or restated; otherwise for the whole span.
#' @param ... How the feed is to be asked:
#'   * `at_once`: how many questions at once (6),
#'   * `tries`: how often a question is asked before it is given up (8; 4 of a feed that has not
#'     answered at all),
#'   * `pause`: seconds before it is asked again, doubled each time up to 8 (0.25),
#'   * `time_limit`: seconds for one answer (30),
#'   * `patience`: for how many seconds in all nothing more may come, be it that a feed does not
#'     answer or asks to wait (120),
#'   * `allow`: names of hosts that the feed may redirect to; also a host to which the token may
#'     go unencrypted. Other redirections to another host, and any from https to http, are
#'     refused,
#'   * `verbose`: tell of each question and answer (`FALSE`).
#' @return `fetch_prices()`: a price table, with what came of each security in [fetch_outcomes()].
#'   `update_store()`: that table of outcomes, as a result: `security`, `outcome` (`"fetched"`,
#'   `"nothing new"` or `"failed"`), `from`, `to` and `rows` of what came, `new` and `restated`
#'   prices, `left_out` (prices not above zero), `tries` (of the question that took most) and
#'   `reason`.
#' @section Errors: `imbroglio_error_feed` if nothing could be had, with the reason; what fails in
#'   part is in the outcomes and a warning, `imbroglio_warning_feed`. `imbroglio_error_argument`
#'   for an address that is none, that holds a password, or to which a token would go unencrypted.
#'   Those of [store_prices()].
#' @eval concepts_in_docs("fetch_prices")
#' @family ways to get prices
#' @examples
#' \dontrun{
#' # In another R: serve_feed()
#' prices <- fetch_prices("http://127.0.0.1:8017", c("BAYALL", "TARROW"), from = "2024-01-01")
#' measure_volatility(as_returns(prices))
#' update_store("bay.sqlite", "http://127.0.0.1:8017")
#' read_prices("bay.sqlite")
#' }
#' @export
fetch_prices <- function(feed, securities = NULL, from = NULL, to = NULL, ...) {
  need_package("httr2", "A price feed")
  feed <- feed_at(feed, ...)
  span <- check_span(from, to)
  wanted <- asked_for(feed, securities)
  kept <- list()
  plan <- plan_whole(setdiff(wanted$names, names(wanted$lost)), span, wanted$days)
  outcomes <- fetch_planned(feed, plan, wanted, function(part) {
    kept <<- c(kept, list(part))
    NULL
  })
  tables <- unlist(lapply(kept, `[[`, "rows"), recursive = FALSE)
  rows <- filled_together(unlist(tables, recursive = FALSE))
  rows <- rows[!is.na(rows$close) | !is.na(rows$adjusted), ]
  chosen_names <- intersect(wanted$names, rows$security)
  if (!length(chosen_names)) {
    fail("feed", sprintf("The feed %s has no prices in that span.", feed$address))
  }
  rows <- rows[order(match(rows$security, chosen_names), rows$day), ]
  actions <- do.call(rbind, lapply(kept, `[[`, "actions"))
  delivery <- delivery_of_rows(
    chosen_names,
    match(rows$security, chosen_names),
    rows$day,
    rows[price_fields],
    actions[actions$security %in% chosen_names, ],
    wanted$about[match(chosen_names, wanted$about$security), ],
    paste("feed", feed$address),
    list()
  )
  prices <- table_told(delivery)
  prices$fetched <- outcomes
  prices
}

#' What came of each security that was fetched
#'
#' @param prices A price table of [fetch_prices()], before anything was picked from it.
#' @return The table of outcomes that is described there.
#' @family ways to get prices
#' @examples
#' \dontrun{
#' fetch_outcomes(fetch_prices("http://127.0.0.1:8017", c("BAYALL", "NOSUCH")))
#' }
#' @export
fetch_outcomes <- function(prices) {
  if (is.null(prices$fetched)) {
    fail("argument", "These prices were not fetched, or were cut since.")
  }
  prices$fetched
}

#' @rdname fetch_prices
#' @export
update_store <- function(store, feed, securities = NULL, from = NULL, to = NULL, update = TRUE,
                         ...) {
  need_package("httr2", "A price feed")
  feed <- feed_at(feed, ...)
  span <- check_span(from, to)
  held <- held_of(store, feed$address)
  if (is.null(securities) && update && nrow(held)) {
    securities <- held$security
    note_ended(attr(held, "ended"))
  }
  had <- held$security[!is.na(held$last_day)]
  wanted <- asked_for(feed, securities, known = if (update) had)
  chosen_names <- setdiff(wanted$names, names(wanted$lost))
  note_now <- function(unknown = character()) {
    with_store(store, function(connection, address) {
      note_asked(connection, feed$address, c(chosen_names, unknown), unknown)
    }, write = TRUE)
  }
  if (length(setdiff(chosen_names, held$security))) note_now()
  held <- held[held$security %in% had, ]
  plan <- if (update) {
    plan_update(chosen_names, held, span, wanted$days)
  } else {
    plan_whole(chosen_names, span, wanted$days)
  }
  addition <- NA_integer_
  outcomes <- fetch_planned(feed, plan, wanted, function(part) {
    about <- wanted$about[wanted$about$security %in% part$came$security, ]
    counts <- with_store(store, function(connection, address) {
      add_to_store(
        connection,
        address,
        part$rows,
        part$actions,
        about,
        paste("feed", feed$address),
        held_after(part$came, held, span, feed$address),
        judge = function(...) doubts_of(connection, address, ..., named = FALSE)
      )
    }, write = TRUE)
    tell_doubts(attr(counts, "doubts"))
    if (!is.na(attr(counts, "addition"))) addition <<- attr(counts, "addition")
    counts
  })
  unknown <- intersect(
    outcomes$security[grepl("^404", outcomes$reason)],
    held_of(store, feed$address)$security
  )
  if (length(unknown)) note_now(unknown)
  attr(outcomes, "addition") <- addition
  outcomes
}

note_ended <- function(ended) {
  if (!length(ended)) return(invisible())
  note("ended", sprintf(
    "%s ended, and %s not asked for.", some(ended), if (length(ended) == 1L) "is" else "are"
  ))
}

check_span <- function(from, to) {
  from <- check_date(from, "from")
  to <- check_date(to, "to", last = TRUE)
  if (!is.null(from) && !is.null(to) && to < from) {
    fail("argument", sprintf("`to`, %s, is before `from`, %s.", to, from))
  }
  list(from = from, to = to)
}

# ---- which securities
# ---------------------------------------------------------------------------

about_columns <- c("security", "name", "currency", "group", "benchmark")

# ---- which questions
# ----------------------------------------------------------------------------

# ---- the work
# -----------------------------------------------------------------------------------
