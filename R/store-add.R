#' Keep prices in a store
#'
#' A price store holds prices, splits and dividends once, so that work goes on without the feed or
#' the files that they came from: a file of SQLite's by default, a PostgreSQL database for a team.
#' [read_prices()] and every command read it as they read a file.
#'
#' Adding is atomic: other readers and a machine that fails see the whole of it or nothing. Adding
#' the same again changes nothing. A value that differs from one held is a **restatement**: the
#' new one holds, the old one is kept with the dates of both, is counted, and is read again by
#' `as_of`. What an addition does not have (a day, a field, a missing cell) stays as it is.
#'
#' Each series, each addition and all else has a checksum, which is tested when it is read: a
#' store that was damaged, or changed by another program, is refused with what is wrong in it.
#' [verify_store()] tests all.
#'
#' @param prices A price table, or what [as_prices()] makes one of.
#' @param store A file, `"sqlite:FILE"`, `"postgresql://USER@HOST:PORT/DATABASE"` (a socket:
#'   `"postgresql:///DATABASE?host=/FOLDER"`), or a `DBI` connection to either. A password stands
#'   in `PGPASSWORD` or `~/.pgpass`, never in the address. A store that is not there is made.
#' @param actions Splits and dividends beside those of the table, see [adjust_prices()].
#' @param source A few words on where the prices came from.
#' @param dates,decimal See [read_prices()], for actions that can be read two ways.
#' @return Invisibly, a data frame of `security` and how many of its prices were `new`, `restated`
#'   and the `same`; its attribute `addition` is the number of the addition, `NA` if nothing
#'   changed.
#' @section The tables of a store: One schema for both kinds of database; in PostgreSQL it is
#'   called `imbroglio`. What is long is packed; other programs read prices from what
#'   [write_prices()] or `imbroglio store --export` writes. One may write while any number read:
#'   each reader sees the store as it was when it began. A file of SQLite's is for programs of one
#'   machine (beside it stand files ending in `-wal` and `-shm` while it is used; copy it when it
#'   is not), PostgreSQL for several.
#'
#'   | table | holds |
#'   |---|---|
#'   | `additions` | number, time (UTC), source, prices new and restated |
#'   | `securities` | id, security, name, currency, group, benchmark |
#'   | `packed` | prices in parts of up to 2,048 of a security, compressed: their days, and their fields with the addition of each; a checksum with each part |
#'   | `prices`, `actions` | what is not packed: a row for each security and day (counted from 1970-01-01), with its addition |
#'   | `prices_before`, `actions_before` | what was restated, with the addition that brought it and the one that replaced it |
#'   | `held` | for each feed and security that was asked for: the span that was fetched, and the feed's state |
#'   | `sums` | the checksums of series and additions |
#' @section Errors: `imbroglio_error_store` for a store that cannot be opened, read or written, is
#'   damaged, or is of a newer version (with `imbroglio_error_write` where writing failed);
#'   `imbroglio_error_file` for a file that is none or not there.
#' @family ways to get prices
#' @examples
#' if (requireNamespace("RSQLite", quietly = TRUE)) {
#'   store <- tempfile(fileext = ".sqlite")
#'   prices <- read_prices(demo_file("bay-daily.csv.gz"), price = "close")
#'   store_prices(prices[, c("BAYALL", "TARROW")], store, actions = demo_file("bay-actions.csv"))
#'   read_prices(store)
#'   store_contents(store)
#' }
#' @export
store_prices <- function(prices, store, actions = NULL, source = prices$origin, dates = NULL,
                         decimal = NULL) {
  prices <- as_prices(prices)
  force(source)
  there <- which(!is.na(prices$close))
  rows <- list(
    security = colnames(prices$close)[(there - 1L) %/% nrow(prices$close) + 1L],
    day = as.integer(prices$dates)[(there - 1L) %% nrow(prices$close) + 1L]
  )
  measured <- if (prices$measured %in% price_fields) prices$measured else "close"
  rows[[measured]] <- prices$close[there]
  for (field in setdiff(intersect(names(prices$fields), price_fields), measured)) {
    rows[[field]] <- prices$fields[[field]][there]
  }
  actions <- rbind(prices$actions, read_actions(actions, list(dates = dates, decimal = decimal)))
  warn_adjusted_already(prices, actions)
  added <- with_store(store, function(connection, address) {
    add_to_store(
      connection,
      address,
      list(list(rows)),
      actions[actions$security %in% colnames(prices), ],
      prices$about,
      source
    )
  }, write = TRUE)
  note(
    "stored",
    sprintf(
      "%s new, %s restated, %s as they were.",
      count(sum(added$new), "price"),
      count(sum(added$restated)),
      count(sum(added$same))
    )
  )
  invisible(added)
}

# `rows`: lists of tables of security, day and fields, those with the same fields together;
# `feed`: what is held of which feed from now on.
add_to_store <- function(connection, address, rows, actions, about, source, feed = NULL) {
  rows <- lapply(rows, function(tables) {
    fields <- intersect(price_fields, names(tables[[1L]]))
    filled_together(tables, fields)
  })
  arrived <- unlist(lapply(rows, `[[`, "security"), use.names = FALSE)
  wanted <- unique(c(feed$security, arrived, actions$security))
  ids <- securities_in_store(connection, wanted, about)
  last <- DBI::dbGetQuery(
    connection,
    "select max(addition) as addition, max(added_at) as added_at from additions"
  )
  addition <- if (is.na(last$addition)) 1L else as.integer(last$addition) + 1L
  # A clock may go back; the order of additions does not.
  at <- max(last$added_at, utc_now(), na.rm = TRUE)
  merge_with <- function(table, columns) {
    if (!NROW(columns)) return(NULL)
    fields <- setdiff(names(columns), c("security", "day"))
    arriving <- data.frame(
      security_id = ids[columns$security],
      day = as.integer(columns$day),
      columns[fields]
    )
    if (table == "prices") arriving <- meet_packed(connection, address, arriving, fields)
    if (nrow(arriving)) merge_rows(connection, table, arriving, fields, addition)
  }
  # Of securities of which there is nothing yet, nothing need be compared or read back.
  fresh <- if (length(rows) == 1L) rows_of_new(connection, rows[[1L]], ids, addition)
  changed <- if (is.null(fresh)) {
    do.call(rbind, lapply(rows, function(table) merge_with("prices", table)))
  } else {
    insert_new(connection, fresh)
  }
  acted <- merge_with("actions", one_a_day(actions))
  counts <- counted_changes(changed, wanted, ids, arrived)
  anything <- NROW(changed) > 0L || NROW(acted) > 0L
  if (anything) {
    DBI::dbAppendTable(
      connection,
      "additions",
      data.frame(
        addition = addition,
        added_at = at,
        source = source,
        new_prices = sum(counts$new),
        restated_prices = sum(counts$restated)
      )
    )
  }
  if (NROW(changed)) seal_addition(connection, addition, fresh)
  if (length(feed$security)) note_held(connection, feed, ids, at)
  if (is.null(fresh) && NROW(changed)) pack_due(connection, address, changed$id)
  structure(counts, addition = if (anything) addition else NA_integer_)
}

counted_changes <- function(changed, wanted, ids, arrived) {
  sums <- function(n) {
    if (!NROW(changed)) return(integer(length(wanted)))
    as.integer(tapply(n, factor(changed$id, ids[wanted]), sum, default = 0L))
  }
  counts <- data.frame(
    security = wanted,
    new = sums(changed$new),
    restated = sums(changed$restated)
  )
  counts$same <- tabulate(match(arrived, wanted), length(wanted)) - counts$new - counts$restated
  counts
}

utc_now <- function() format(Sys.time(), "%Y-%m-%dT%H:%M:%OS3Z", tz = "UTC")

# The ids of securities, by name; those not yet known are entered, and what is said about any is
# kept.
securities_in_store <- function(connection, wanted, about) {
  known <- DBI::dbGetQuery(connection, "select id, security from securities")
  fresh <- setdiff(wanted, known$security)
  if (length(fresh)) {
    entered <- data.frame(
      id = max(0L, known$id) + seq_along(fresh),
      security = fresh,
      name = NA_character_,
      currency = NA_character_,
      security_group = NA_character_,
      benchmark = NA_character_
    )
    DBI::dbAppendTable(connection, "securities", entered)
    known <- rbind(known, entered[c("id", "security")])
  }
  ids <- stats::setNames(as.integer(known$id), known$security)
  about <- about[about$security %in% names(ids), ]
  if (NROW(about)) {
    with_arriving(
      connection,
      data.frame(id = ids[about$security], about[c("name", "currency", "group", "benchmark")]),
      'update securities set name = coalesce(a.name, securities.name),
      currency = coalesce(a.currency, securities.currency), benchmark = coalesce(a.benchmark,
        securities.benchmark),
      security_group = coalesce(a."group", securities.security_group) from arriving a
        where a.id = securities.id'
    )
  }
  ids
}

note_held <- function(connection, feed, ids, at) {
  rows <- data.frame(
    feed = feed$feed,
    security_id = ids[feed$security],
    first_day = feed$first_day,
    last_day = feed$last_day,
    state = feed$state,
    checked_at = at
  )
  with_arriving(
    connection,
    rows,
    "insert into held select * from arriving where true
    on conflict (feed, security_id) do update set first_day = excluded.first_day,
      last_day = excluded.last_day,
      state = excluded.state, checked_at = excluded.checked_at"
  )
}

# What is to be fetched is noted before it is asked for, so that an update goes on where a fetch
# was cut off; what the feed does not know is forgotten.
note_asked <- function(connection, feed, securities, unknown = character()) {
  ids <- securities_in_store(connection, securities, NULL)[securities]
  rows <- data.frame(
    feed = feed,
    security_id = ids,
    unknown = as.integer(securities %in% unknown),
    asked_at = utc_now()
  )
  with_arriving(
    connection,
    rows,
    "insert into held select feed, security_id, null, null, '', asked_at from arriving
       where unknown = 0
                   on conflict do nothing",
    "delete from held where last_day is null and exists (select 1 from arriving a
                   where a.feed = held.feed and a.security_id = held.security_id
                     and a.unknown = 1)"
  )
}
