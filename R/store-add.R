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
#' @param doubts What to do where a person would doubt what comes, see there: `"refuse"` all of
#'   it, or `"tell"`.
#' @param why A few words, kept with the addition.
#' @param dry_run Whether only to tell what would be added and what is doubtful.
#' @return Invisibly, a data frame of `security`, how many of its prices were `new`, `restated`
#'   and the `same`, and by how much of what it was one was restated at most (`furthest`); its
#'   attribute `addition` is the number of the addition, `NA` if nothing
#'   changed, `doubts` a data frame of `security`, `date`, `doubt` and `detail`.
#' @section What is doubted: Prices are taken as they come, but a file of another unit, of another
#'   day or of other names is seen by what is held already. What was added wrongly is withdrawn by
#'   [correct_store()].
#'
#'   | doubt | where |
#'   |---|---|
#'   | jump | a new price is more than 3 times, or less than a third of, the one beside it, a recorded split counted |
#'   | restated | a price that is held is restated by more than half |
#'   | exchanged | one security's prices are restated to what another's were |
#'   | repeated | all prices of a new day, three or more, are those of the day before |
#'   | weekend, future | new prices of a weekend where those about it are of weekdays; of a day more than one ahead |
#'   | ended | prices after the day on which the security ended |
#'   | name | a new security with nearly the name of one that is held and did not come (digits are not looked at), or with the name that another had before |
#'   | currency, name | another currency, or another name, than the one that is held |
#' @section The tables of a store: One schema for both kinds of database; in PostgreSQL it is
#'   called `imbroglio`. What is long is packed; other programs read prices from what
#'   [write_prices()] or `imbroglio store --export` writes. One may write while any number read:
#'   each reader sees the store as it was when it began. A file of SQLite's is for programs of one
#'   machine (beside it stand files ending in `-wal` and `-shm` while it is used; copy it when it
#'   is not), PostgreSQL for several.
#'
#'   | table | holds |
#'   |---|---|
#'   | `additions` | number, time (UTC), source, prices new and restated; of which kind, by whom, why |
#'   | `securities` | id, security, name, currency, group, benchmark, the day on which it ended |
#'   | `told_before` | what was said of a security before an addition said otherwise |
#'   | `packed` | prices in parts of up to 2,048 of a security, compressed: their days, and their fields with the addition of each; a checksum with each part |
#'   | `prices`, `actions` | what is not packed: a row for each security and day (counted from 1970-01-01), with its addition |
#'   | `prices_before`, `actions_before` | what was restated, with the addition that brought it and the one that replaced it |
#'   | `held` | for each feed and security that was asked for: the span that was fetched, and the feed's state |
#'   | `sums` | the checksums of series and additions |
#' @section Errors: `imbroglio_error_store` for a store that cannot be opened, read or written, is
#'   damaged, or is of a newer version (with `imbroglio_error_write` where writing failed);
#'   `imbroglio_error_file` for a file that is none or not there; `imbroglio_error_doubt` for what
#'   is doubtful (its field `doubts` is their table).
#' @eval concepts_in_docs("store_prices")
#' @family ways to get prices
#' @examples
#' if (requireNamespace("RSQLite", quietly = TRUE)) {
#'   store <- tempfile(fileext = ".sqlite")
#'   prices <- read_prices(demo_file("bay-daily.csv.xz"), price = "close")
#'   store_prices(prices[, c("BAYALL", "TARROW")], store, actions = demo_file("bay-actions.csv"))
#'   read_prices(store)
#'   store_contents(store)
#' }
#' @export
store_prices <- function(prices, store, actions = NULL, source = prices$origin, dates = NULL,
                         decimal = NULL, doubts = c("refuse", "tell"), why = NULL,
                         dry_run = FALSE) {
  prices <- as_prices(prices)
  force(source)
  doubts <- one_of(doubts, "doubts", c("refuse", "tell"))
  why <- check_why(why)
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
    added <- add_to_store(
      connection, address, list(list(rows)), actions[actions$security %in% colnames(prices), ],
      prices$about, source, why = why, judge = function(...) doubts_of(connection, address, ...)
    )
    if (doubts == "refuse" && !dry_run) refuse_doubts(attr(added, "doubts"), address)
    added
  }, write = TRUE, keep = !dry_run)
  tell_doubts(attr(added, "doubts"))
  note("stored", stored_words(added, dry_run))
  invisible(added)
}

check_why <- function(why) {
  if (is.null(why)) return(NULL)
  if (!is.character(why) || length(why) != 1L || is.na(why) || !nzchar(trimws(why))) {
    fail("argument", "`why` is a few words.", where = sprintf("It is %s.", shown(why)))
  }
  trimws(why)
}

stored_words <- function(added, dry_run) {
  words <- sprintf(
    "%s new, %s restated, %s as they were", count(sum(added$new), "price"),
    count(sum(added$restated)), count(sum(added$same))
  )
  paste0(words, if (dry_run) ": nothing was written." else ".")
}

# `rows`: lists of tables of security, day and fields, those with the same fields together;
# `feed`: what is held of which feed from now on; `judge`: looks at what came before it is kept.
add_to_store <- function(connection, address, rows, actions, about, source, feed = NULL,
                         why = NULL, judge = NULL) {
  rows <- lapply(rows, function(tables) {
    fields <- intersect(price_fields, names(tables[[1L]]))
    filled_together(tables, fields)
  })
  arrived <- unlist(lapply(rows, `[[`, "security"), use.names = FALSE)
  wanted <- unique(c(feed$security, arrived, actions$security))
  now <- next_addition(connection)
  ids <- securities_in_store(connection, wanted, about, now$addition)
  merge_with <- function(table, columns) {
    if (!NROW(columns)) return(NULL)
    fields <- setdiff(names(columns), c("security", "day"))
    merge_into(connection, address, table, data.frame(
      security_id = ids[columns$security], day = as.integer(columns$day), columns[fields]
    ), now$addition)
  }
  # Of securities of which there is nothing yet, nothing need be compared or read back.
  fresh <- if (length(rows) == 1L) rows_of_new(connection, rows[[1L]], ids, now$addition)
  changed <- if (is.null(fresh)) {
    do.call(rbind, lapply(rows, function(table) merge_with("prices", table)))
  } else {
    insert_new(connection, fresh)
  }
  acted <- merge_with("actions", one_a_day(actions))
  counts <- counted_changes(changed, wanted, ids, arrived)
  judged <- if (!is.null(judge)) judge(now$addition, ids, changed, is.null(fresh))
  counts$furthest <- as.numeric(judged$furthest[counts$security] %||% NA)
  anything <- NROW(changed) > 0L || NROW(acted) > 0L || length(attr(ids, "changed"))
  if (anything) enter_addition(connection, now, "addition", source, why, counts)
  if (NROW(changed)) seal_addition(connection, now$addition, fresh)
  if (length(feed$security)) note_held(connection, feed, ids, now$at)
  if (is.null(fresh) && NROW(changed)) pack_due(connection, address, changed$id)
  structure(
    counts, addition = if (anything) now$addition else NA_integer_, doubts = judged$doubts
  )
}

# The number and the time of what is written next.
next_addition <- function(connection) {
  last <- DBI::dbGetQuery(
    connection,
    "select max(addition) as addition, max(added_at) as added_at from additions"
  )
  list(
    addition = if (is.na(last$addition)) 1L else as.integer(last$addition) + 1L,
    # A clock may go back; the order of additions does not.
    at = max(last$added_at, utc_now(), na.rm = TRUE)
  )
}

merge_into <- function(connection, address, table, arriving, addition, exact = FALSE) {
  fields <- setdiff(names(arriving), c("security_id", "day"))
  if (table == "prices") arriving <- meet_packed(connection, address, arriving, fields, exact)
  if (nrow(arriving)) merge_rows(connection, table, arriving, fields, addition, exact)
}

enter_addition <- function(connection, now, entry, source, why, counts, undoes = NULL) {
  DBI::dbAppendTable(connection, "additions", data.frame(
    addition = now$addition, added_at = now$at, source = source,
    new_prices = sum(counts$new), restated_prices = sum(counts$restated),
    kind = entry, by_whom = who_writes(connection), why = why %||% NA_character_,
    undoes = undoes %||% NA_integer_
  ))
}

# The user of the machine; of a server, the one it knows.
who_writes <- function(connection) {
  if (inherits(connection, "SQLiteConnection")) return(Sys.info()[["user"]])
  DBI::dbGetQuery(connection, "select session_user::text as who")$who
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
