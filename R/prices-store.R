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
#'   called `imbroglio`. The view `daily_prices` gives names and dates to those who query it.
#'
#'   | table | holds |
#'   |---|---|
#'   | `additions` | number, time (UTC), source, prices new and restated |
#'   | `securities` | id, security, name, currency, group, benchmark |
#'   | `prices`, `actions` | a row for each security and day (counted from 1970-01-01), with its addition |
#'   | `prices_before`, `actions_before` | what was restated, with the addition that brought it and the one that replaced it |
#'   | `held` | for each feed and security that was asked for: the span that was fetched, and the feed's state |
#'   | `sums` | the checksums of series and additions |
#'   | `packed` (SQLite) | long series a second time, for speed; dropped when a row of them changes |
#' @section Errors: `imbroglio_error_store` for a store that cannot be opened, read or written, is
#'   damaged, or is of a newer version (with `imbroglio_error_write` where writing failed);
#'   `imbroglio_error_file` for a file that is none or not there.
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
  added <- with_store(store, function(connection, address) {
    add_to_store(
      connection,
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
add_to_store <- function(connection, rows, actions, about, source, feed = NULL) {
  rows <- lapply(rows, function(tables) {
    fields <- intersect(price_fields, names(tables[[1L]]))
    filled_together(tables, fields)
  })
  arrived <- unlist(lapply(rows, `[[`, "security"))
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
    merge_rows(connection, table, arriving, fields, addition)
  }
  changed <- do.call(rbind, lapply(rows, function(table) merge_with("prices", table)))
  acted <- merge_with("actions", one_a_day(actions))
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
  if (NROW(changed)) seal_addition(connection, addition)
  if (length(feed$security)) note_held(connection, feed, ids, at)
  if (inherits(connection, "SQLiteConnection")) {
    pack_series(connection, ids[wanted], counts$new, addition)
  }
  structure(counts, addition = if (anything) addition else NA_integer_)
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

# Runs statements beside rows that are handed over as a table of their own.
with_arriving <- function(connection, rows, ...) {
  DBI::dbWriteTable(connection, "arriving", rows, temporary = TRUE, row.names = FALSE)
  for (statement in c(..., "drop table arriving")) DBI::dbExecute(connection, statement)
}

kept_fields <- list(prices = price_fields, actions = c("split", "dividend"))

# Puts rows into a table: what differs from what is there goes to its history first. Gives for
# each security how many were new and how many restated.
merge_rows <- function(connection, table, arriving, fields, addition) {
  run <- function(...) DBI::dbExecute(connection, sprintf(...))
  DBI::dbWriteTable(connection, "arriving", arriving, temporary = TRUE, row.names = FALSE)
  gone <- rowSums(!is.na(arriving[fields])) == 0L
  same <- "t.security_id = arriving.security_id and t.day = arriving.day"
  none <- paste(fields, "is null", collapse = " and ")
  # A withdrawal of what was never there.
  if (any(gone)) {
    run(
      "delete from arriving where %s and not exists (select 1 from %s t where %s)",
      none,
      table,
      same
    )
  }
  # A price without a volume, say, says nothing of the volume.
  for (field in if (table == "prices") fields) {
    if (anyNA(arriving[[field]][!gone])) {
      run(
        paste0(
          "update arriving set %1$s = (select %1$s from prices t where %2$s) where %1$s is ",
          "null and not (%3$s)"
        ),
        field,
        same,
        none
      )
    }
  }
  every_row <- paste(c("security_id", "day", kept_fields[[table]], "addition"), collapse = ", ")
  differs <- function(old, new) {
    paste(sprintf("%s.%s is distinct from %s.%s", old, fields, new, fields), collapse = " or ")
  }
  # A value where there was none is no restatement, but it was not known before.
  restated <- paste(
    sprintf("t.%1$s is not null and t.%1$s is distinct from a.%1$s", fields),
    collapse = " or "
  )
  run(
    "insert into %1$s_before (%2$s, replaced_in, restated) select %3$s, %4$d,
       case when %6$s then 1 else 0 end
       from %1$s t join arriving a on a.security_id = t.security_id and a.day = t.day
       where %5$s",
    table,
    every_row,
    gsub("(\\w+)", "t.\\1", every_row),
    addition,
    differs("t", "a"),
    restated
  )
  listed <- paste(fields, collapse = ", ")
  run(
    "insert into %1$s (security_id, day, %2$s, addition) select security_id, day, %2$s,
       %3$d from arriving
       where true order by security_id, day
       on conflict (security_id, day) do update set %4$s,
       addition = excluded.addition where %5$s",
    table,
    listed,
    addition,
    paste(sprintf("%1$s = excluded.%1$s", fields), collapse = ", "),
    differs(table, "excluded")
  )
  here <- function(counted, table, which) {
    DBI::dbGetQuery(
      connection,
      sprintf(
        "select security_id as id, %s from %s where %s = %d
      and security_id in (select security_id from arriving) group by security_id",
        counted,
        table,
        which,
        addition
      )
    )
  }
  changed <- merge(
    here("cast(count(*) as integer) as changed", table, "addition"),
    here(
      "cast(count(*) as integer) as replaced, cast(sum(restated) as integer) as restated",
      paste0(table, "_before"),
      "replaced_in"
    ),
    all.x = TRUE
  )
  run("drop table arriving")
  changed[is.na(changed)] <- 0L
  data.frame(
    id = changed$id,
    new = changed$changed - changed$replaced,
    restated = changed$restated
  )
}

# Splits and dividends as the store keeps them: one row a security and day.
one_a_day <- function(actions) {
  if (!NROW(actions)) return(NULL)
  key <- paste(actions$security, as.numeric(actions$date))
  first <- !duplicated(key)
  together <- function(amount, field) {
    vapply(
      split(amount, factor(key, key[first])),
      function(a) if (all(is.na(a))) NA_real_ else by(a[!is.na(a)]),
      0,
      USE.NAMES = FALSE
    )
  }
  data.frame(
    security = actions$security[first],
    day = as.integer(actions$date[first]),
    split = together(actions$split, prod),
    dividend = together(actions$dividend, sum)
  )
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

# Series of which a good part is not packed yet. Counting takes as long as the series are, so it
# is done only where many rows came at once or in many additions.
pack_series <- function(connection, ids, new, addition) {
  packed <- DBI::dbGetQuery(connection, "select security_id, addition, n from packed")
  at <- match(ids, packed$security_id)
  likely <- ids[is.na(at) | new > 250L | addition - packed$addition[at] > 250L]
  if (!length(likely)) return(invisible())
  due <- DBI::dbGetQuery(
    connection,
    sprintf(
      "select security_id, count(*) as n from prices p where security_id in (%s) and addition >
       coalesce((select addition from packed where security_id = p.security_id), 0)
         group by security_id",
      paste(likely, collapse = ", ")
    )
  )
  before <- packed$n[match(due$security_id, packed$security_id)]
  due <- due$security_id[due$n > pmax(250, 0.2 * ifelse(is.na(before), 0, before))]
  if (!length(due)) return(invisible())
  rows <- DBI::dbGetQuery(
    connection,
    sprintf(
      "select security_id, day, %s from prices where security_id in (%s)
    order by security_id, day",
      paste(price_fields, collapse = ", "),
      paste(due, collapse = ", ")
    )
  )
  values <- as.matrix(rows[-1L])
  of <- split(seq_len(nrow(rows)), rows$security_id)
  DBI::dbExecute(
    connection,
    "insert or replace into packed values (?, ?, ?, ?)",
    params = list(
      as.integer(names(of)),
      rep(addition, length(of)),
      lengths(of, use.names = FALSE),
      unname(lapply(of, function(i) writeBin(as.vector(values[i, ]), raw(), endian = "little")))
    )
  )
}

# ---- reading
# ------------------------------------------------------------------------------------

# The delivery that a store holds, now or as it was known at an earlier time.
read_store <- function(store, how) {
  with_store(store, function(connection, address) {
    sealed <- is_sealed(connection)
    if (sealed) {
      check_rest(connection, address)
    } else {
      note(
        "store",
        sprintf(
          "The store %s has no checksums yet; adding or fetching anything makes them.",
          address$shown
        )
      )
    }
    state <- state_at(connection, how$as_of, address)
    rows <- if (is.null(how$as_of)) {
      rows_now(connection, address, sealed)
    } else {
      rows_known(connection, address, state$addition, sealed)
    }
    there <- !is.na(rows$close) | !is.na(rows$adjusted)
    if (!all(there)) rows <- lapply(rows, `[`, there)
    if (!length(rows$day)) {
      fail("empty", sprintf("There are no prices in the store %s.", address$shown))
    }
    securities <- DBI::dbGetQuery(connection, "select * from securities order by id")
    securities <- securities[securities$id %in% unique(rows$security_id), ]
    acted <- rows_before(connection, "actions", state$addition)
    acted <- acted[
      acted$security_id %in% securities$id & !(is.na(acted$split) & is.na(acted$dividend)),
    ]
    about <- securities[c("security", "name", "currency", "security_group", "benchmark")]
    names(about)[4L] <- "group"
    delivery_of_rows(
      securities$security,
      match(rows$security_id, securities$id),
      rows$day,
      rows[price_fields],
      data.frame(
        security = securities$security[match(acted$security_id, securities$id)],
        date = .Date(acted$day),
        split = as.numeric(acted$split),
        dividend = as.numeric(acted$dividend)
      ),
      if (any(!is.na(about[-1L]))) `rownames<-`(about, NULL),
      sprintf("store %s, addition %d of %s", address$shown, state$addition, state$added_at),
      how
    )
  })
}

# The last addition there was at a time: a date (to its end), a time (both UTC) or the number of
# an addition.
state_at <- function(connection, as_of, address) {
  additions <- DBI::dbGetQuery(
    connection,
    "select addition, added_at from additions order by addition"
  )
  if (is.null(as_of)) as_of <- Inf
  if (is.character(as_of) && length(as_of) == 1L && grepl("^[0-9]{1,9}$", as_of)) {
    as_of <- as.numeric(as_of)
  }
  if (is.numeric(as_of) && length(as_of) == 1L && !inherits(as_of, c("Date", "POSIXt"))) {
    known <- additions[additions$addition <= as_of, ]
  } else {
    until <- if (inherits(as_of, "POSIXt")) {
      format(as_of, "%Y-%m-%dT%H:%M:%OS3Z", tz = "UTC")
    } else if (inherits(as_of, "Date")) {
      format(as_of)
    } else {
      sub(" ", "T", as.character(as_of), fixed = TRUE)
    }
    if (length(until) != 1L ||
        is.na(until) ||
        !grepl(
          "^[0-9]{4}-[0-9]{2}-[0-9]{2}(T[0-9]{2}:[0-9]{2}(:[0-9]{2}([.][0-9]+)?)?Z?)?$",
          until
        )) {
      fail(
        "argument",
        "`as_of` must be a date, a time in UTC, or the number of an addition.",
        where = sprintf("It is %s.", shown(as_of)),
        remedy = "Write 2024-12-31, or \"2024-12-31 14:30\"."
      )
    }
    # A day of the calendar and a time of the day.
    clock <- as.numeric(strsplit(
      paste0(substring(sub("Z$", "", until), 12L), ":0:0:0"),
      ":",
      fixed = TRUE
    )[[1L]])
    if (nchar(until) < 12L) clock <- c(0, 0, 0)
    if (is.na(parse_iso_dates(substr(until, 1L, 10L))) || any(clock[1:3] >= c(24, 60, 60))) {
      fail(
        "argument",
        "`as_of` is no time that there is.",
        where = sprintf("It is %s.", shown(as_of))
      )
    }
    # A day or a minute counts to its end.
    until <- sub("Z$", "", until)
    known <- additions[substr(additions$added_at, 1L, nchar(until)) <= until, ]
  }
  if (!nrow(known)) {
    fail(
      "store",
      sprintf("The store %s held nothing yet.", address$shown),
      where = if (nrow(additions)) {
        sprintf("Its first prices were added at %s.", additions$added_at[1L])
      }
    )
  }
  known[nrow(known), ]
}

# Each series is tested against its checksum.
rows_now <- function(connection, address, sealed) {
  series <- series_now(connection, address)
  if (!sealed) return(series)
  securities <- DBI::dbGetQuery(connection, "select id, security from securities")
  summed <- lapply(series, as.numeric)
  check_series(connection, address, summed, securities)
  series
}

# The prices as they stood after an addition: what each addition brought and replaced until then
# is tested first.
rows_known <- function(connection, address, addition, sealed) {
  wanted <- name_of_ids(connection)
  now <- rows_to_sum(connection, "prices", sprintf("addition <= %d", addition))
  before <- rows_to_sum(
    connection,
    "prices_before",
    sprintf("addition <= %d", addition),
    c("replaced_in", "restated")
  )
  called <- function(what) function(id) sprintf("the prices %s by addition %s", what, some(id))
  brought <- rbind(now, before[names(now)])
  if (sealed) {
    compare_sums(
      connection,
      address,
      "addition",
      brought_sums(brought, wanted),
      called("brought"),
      until = addition
    )
    replaced <- before[before$replaced_in <= addition, ]
    compare_sums(
      connection,
      address,
      "replaced",
      replaced_sums(replaced, wanted),
      called("replaced"),
      until = addition
    )
  }
  rows <- rbind(now, before[before$replaced_in > addition, names(now)])
  rows <- rows[order(rows$security_id, rows$day), c("security_id", "day", price_fields)]
  rows$security_id <- as.integer(rows$security_id)
  rows$day <- as.integer(rows$day)
  as.list(rows)
}

series_now <- function(connection, address) {
  kind <- address$kind
  rows <- function(...) {
    DBI::dbGetQuery(
      connection,
      paste(
        "select security_id, day, ",
        paste(price_fields, collapse = ", "),
        "from prices",
        ...
      )
    )
  }
  packed <- if (kind == "sqlite") {
    DBI::dbGetQuery(connection, "select security_id, n, data from packed")
  }
  if (!NROW(packed)) return(rows("order by security_id, day"))
  # Rows that came later, and those of securities that are not packed.
  late <- rbind(
    rows(
      "where addition > (select min(addition) from packed)
            and addition > (select addition from packed
              where packed.security_id = prices.security_id)"
    ),
    rows(paste0(
      "where security_id in (select id from securities where id not in (select ",
      "security_id from packed))"
    ))
  )
  late_of <- split(seq_len(nrow(late)), late$security_id)
  late <- as.matrix(late[-1L])
  ids <- sort(unique(c(packed$security_id, as.integer(names(late_of)))))
  width <- length(price_fields) + 1L
  series <- lapply(ids, function(id) {
    i <- match(id, packed$security_id)
    long <- if (!is.na(i)) {
      if (length(packed$data[[i]]) != packed$n[i] * width * 8) {
        refuse_damaged(address, "packed prices")
      }
      matrix(
        readBin(packed$data[[i]], "double", packed$n[i] * width, endian = "little"),
        ncol = width
      )
    }
    long <- rbind(long, late[late_of[[as.character(id)]], , drop = FALSE])
    if (is.unsorted(long[, 1L])) long[order(long[, 1L]), , drop = FALSE] else long
  })
  column <- function(k) unlist(lapply(series, function(long) long[, k]))
  c(
    list(security_id = rep(ids, vapply(series, nrow, 0L)), day = as.integer(column(1L))),
    lapply(stats::setNames(seq_along(price_fields) + 1L, price_fields), column)
  )
}

# The rows of a table as they stood after an addition.
rows_before <- function(connection, table, addition) {
  fields <- paste(c("security_id", "day", kept_fields[[table]]), collapse = ", ")
  DBI::dbGetQuery(
    connection,
    sprintf(
      "select %1$s from %2$s where addition <= %3$d union all
     select %1$s from %2$s_before where addition <= %3$d and replaced_in > %3$d
     order by 1, 2",
      fields,
      table,
      addition
    )
  )
}

# A delivery of rows that are already in order. A close as it was traded is adjusted by the
# actions, so that none is measured by oversight; `price = "close"` measures it all the same.
delivery_of_rows <- function(securities, security, day, values, actions, about, origin, how) {
  values <- lapply(values, as.numeric)
  values <- values[vapply(values, function(v) any(!is.na(v)), NA)]
  told <- if (nrow(actions)) actions[order(match(actions$security, securities), actions$date), ]
  counted <- FALSE
  partly <- NULL
  if (!is.null(values$close) && (NROW(told) || !is.null(values$adjusted))) {
    adjusted <- values$adjusted %||% rep(NA_real_, length(day))
    at <- split(seq_along(day), security)
    for (s in names(at)) {
      i <- at[[s]]
      told_adjusted <- !is.na(adjusted[i])
      if (all(told_adjusted)) next
      if (any(told_adjusted)) partly <- c(partly, securities[as.integer(s)])
      own <- told[told$security == securities[as.integer(s)], ]
      adjusted[i] <- values$close[i]
      seen <- i[!is.na(values$close[i])]
      if (NROW(own) && length(seen)) {
        adjusted[seen] <- adjusted_close(
          own,
          day[seen],
          values$close[seen],
          securities[as.integer(s)]
        )
        counted <- TRUE
      }
    }
    values$adjusted <- adjusted
  }
  if (length(partly)) {
    caution(
      "adjusted",
      sprintf(
        paste0(
          "%s %s an adjusted close on some dates only; the close adjusted for the recorded ",
          "splits and dividends is taken."
        ),
        some(partly),
        if (length(partly) == 1L) "has" else "have"
      )
    )
  }
  measured <- measured_column(values, names(values), how, origin)
  structure(
    list(
      securities = securities,
      security = security,
      day = as.numeric(day),
      values = values,
      measured = measured,
      place = function(i) "what is held",
      rows = identity,
      origin = origin,
      actions = told,
      about = about,
      recorded = TRUE,
      no_day = data.frame(row = integer(), text = character()),
      date_column = "date",
      layout = paste("measured on", measured),
      repairs = if (counted && measured == "adjusted") adjustment_note("adjusted", told)
    ),
    class = "imbroglio_delivery"
  )
}

# ---- what a store holds ---------------------------------------------------------------------

#' What a price store holds
#'
#' `store_contents()` lists the securities with their spans and when each was last changed,
#' `store_restatements()` what was restated, with both values and both dates, and
#' `store_additions()` what was added when.
#'
#' @param store See [store_prices()].
#' @return Results, as those of measures: tables that carry a [basis()].
#'   * `store_contents()`: `security`, `name`, `group`, `from`, `to`, `n`, `restated`, `actions`
#'     (splits and dividends), `addition` and `added_at` (the latest that changed it, UTC),
#'     `checked_at` (when a feed was last asked for it), `source`.
#'   * `store_restatements()`: `security`, `date`, `field`, `before`, `after`, `known_from`,
#'     `restated_at` (UTC), `addition` (the one that restated), `source`.
#'   * `store_additions()`: `addition`, `added_at`, `source`, `new`, `restated`.
#' @inheritSection store_prices Errors
#' @inherit store_prices examples
#' @export
store_contents <- function(store) {
  with_store(store, function(connection, address) {
    held <- DBI::dbGetQuery(
      connection,
      "select s.security, s.name, s.security_group as \"group\", p.first_day, p.last_day, p.n,
        coalesce(b.n, 0) as restated, coalesce(a.n, 0) as actions, p.addition, d.added_at,
          h.checked_at, d.source
      from (select security_id, min(day) as first_day, max(day) as last_day,
        cast(count(*) as integer) as n,
            max(addition) as addition
            from prices where coalesce(close, adjusted) is not null group by security_id) p
      join securities s on s.id = p.security_id join additions d on d.addition = p.addition
      left join (select security_id,
                 cast(sum(restated) as integer) as n from prices_before
                   group by security_id) b on b.security_id = s.id
      left join (select security_id,
                 cast(count(*) as integer) as n from actions where coalesce(split,
                   dividend) is not null
                 group by security_id) a on a.security_id = s.id
      left join (select security_id,
                 max(checked_at) as checked_at from held
                   group by security_id) h on h.security_id = s.id
      order by s.id"
    )
    as_listed(held, "contents", address, c(first_day = "from", last_day = "to"))
  })
}

#' @rdname store_contents
#' @export
store_restatements <- function(store) {
  with_store(store, function(connection, address) {
    # What replaced a value is the next one in its history, or the one that holds now.
    each <- function(table, fields) {
      vapply(fields, function(field) {
        sprintf(
          "select s.security, b.day, '%1$s' as field, b.%1$s as \"before\", n.%1$s as after,
             f.added_at as known_from,
         r.added_at as restated_at, b.replaced_in as addition, r.source
       from %2$s_before b join (select security_id, day, addition, %1$s from %2$s union all
         select security_id, day, addition, %1$s from %2$s_before) n
         on n.security_id = b.security_id and n.day = b.day and n.addition = b.replaced_in
       join securities s on s.id = b.security_id join additions f on f.addition = b.addition
       join additions r on r.addition = b.replaced_in where b.%1$s is not null
         and b.%1$s is distinct from n.%1$s",
          field,
          table
        )
      }, "")
    }
    parts <- c(each("prices", price_fields), each("actions", c("split", "dividend")))
    as_listed(
      DBI::dbGetQuery(
        connection,
        paste(paste(parts, collapse = " union all "), "order by 8, 1, 2, 3")
      ),
      "restatements",
      address,
      c(day = "date")
    )
  })
}

#' @rdname store_contents
#' @export
store_additions <- function(store) {
  with_store(store, function(connection, address) {
    as_listed(
      DBI::dbGetQuery(
        connection,
        "select addition, added_at, source, new_prices as \"new\",
      restated_prices as restated from additions order by addition"
      ),
      "additions",
      address
    )
  })
}

# A listing as a result, its days as dates.
as_listed <- function(table, what, address, days = character()) {
  table[names(days)] <- lapply(table[names(days)], function(day) .Date(as.numeric(day)))
  names(table)[match(names(days), names(table))] <- days
  edge <- function(pick, column) if (NROW(table[[column]])) pick(table[[column]]) else as.Date(NA)
  of_contents <- what == "contents"
  about <- new_basis(
    edge(min, if (of_contents) "from" else "date"),
    edge(max, if (of_contents) "to" else "date"),
    stats::setNames(if (of_contents) table$n else rep(1L, nrow(table)), table$security),
    data.frame(security = character(), reason = character(), n = integer()),
    "price",
    "day",
    origin = paste("store", address$shown),
    digest = digest::digest(as.list(table), algo = "xxhash64")
  )
  new_result(as.list(table), what, about, NULL)
}
