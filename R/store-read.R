# What a store holds, read as it is now or was then.

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
    if (anyNA(rows$close)) {
      there <- !is.na(rows$close) | !is.na(rows$adjusted)
      rows <- lapply(rows, `[`, there)
    }
    if (!length(rows$day)) {
      fail("empty", sprintf("There are no prices in the store %s.", address$shown))
    }
    securities <- securities_at(connection, state$addition)
    owner <- groups_of(rows$security_id)
    securities <- securities[match(owner$keys, securities$id), ]
    delivery <- delivery_of_rows(
      securities$security,
      owner$of,
      rows$day,
      rows[price_fields],
      actions_of_store(connection, state, securities),
      about_of_store(securities),
      origin_of_store(address, state),
      how
    )
    delivery$ended <- if (has_told(connection)) {
      stats::setNames(securities$ended, securities$security)
    }
    delivery
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
    until <- end_of_time(as_of)
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

# As text that sorts by time; a day or a minute counts to its end.
end_of_time <- function(as_of) {
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
  sub("Z$", "", until)
}

# Each series is tested against its checksum; `ids`: of which securities, `NULL`: all.
rows_now <- function(connection, address, sealed, ids = NULL) {
  series <- live_rows(connection, address, of_ids(ids))
  if (!sealed) return(series)
  check_series(connection, address, series, ids)
  series
}

# The prices as they stood after an addition: what each addition brought and replaced until then
# is tested first; of some securities, what holds of them now.
rows_known <- function(connection, address, addition, sealed, ids = NULL) {
  wanted <- name_of_ids(connection)
  live <- rows_now(connection, address, sealed && !is.null(ids), ids)
  now <- rows_where(live, function(rows) rows$addition <= addition)
  before <- rows_to_sum(
    connection,
    "prices_before",
    sprintf("addition <= %d and %s", addition, of_ids(ids)),
    c("replaced_in", "restated")
  )
  called <- function(what) function(id) sprintf("the prices %s by addition %s", what, some(id))
  if (sealed && is.null(ids)) {
    compare_sums(
      connection,
      address,
      "addition",
      brought_sums(Map(c, now, before[names(now)]), wanted),
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
  later <- before[before$replaced_in > addition, names(now)]
  merged_rows(now, as.list(later[order(later$security_id, later$day), ]))
}

rows_where <- function(rows, holds) {
  keep <- holds(rows)
  if (all(keep)) rows else lapply(rows, `[`, keep)
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

# The splits and dividends of these securities, as they were known after an addition.
actions_of_store <- function(connection, state, securities) {
  acted <- rows_before(connection, "actions", state$addition)
  acted <- acted[
    acted$security_id %in% securities$id & !(is.na(acted$split) & is.na(acted$dividend)),
  ]
  data.frame(
    security = securities$security[match(acted$security_id, securities$id)],
    date = .Date(acted$day),
    split = as.numeric(acted$split),
    dividend = as.numeric(acted$dividend)
  )
}

# What a store says of securities; NULL where that is nothing.
about_of_store <- function(securities) {
  about <- securities[c("security", "name", "currency", "security_group", "benchmark")]
  names(about)[4L] <- "group"
  if (any(!is.na(about[-1L]))) `rownames<-`(about, NULL)
}

origin_of_store <- function(address, state) {
  sprintf("store %s, addition %d of %s", address$shown, state$addition, state$added_at)
}

# A delivery of rows that are already in order. A close as it was traded is adjusted by the
# actions, so that none is measured by oversight; `price = "close"` measures it all the same.
delivery_of_rows <- function(securities, security, day, values, actions, about, origin, how) {
  values <- lapply(values, as.numeric)
  values <- values[vapply(values, function(v) !anyNA(v) || !all(is.na(v)), NA)]
  told <- if (nrow(actions)) actions[order(match(actions$security, securities), actions$date), ]
  adjusted <- with_adjusted(values, securities, security, day, told, isTRUE(how$adjusting))
  values <- adjusted$values
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
      repairs = if (adjusted$counted && measured == "adjusted") adjustment_note("adjusted", told)
    ),
    class = "imbroglio_delivery"
  )
}

# An adjusted close wherever the actions tell of one, or the rows have it; `adjusting`: those of
# other securities do.
with_adjusted <- function(values, securities, security, day, told, adjusting = FALSE) {
  counted <- FALSE
  partly <- NULL
  if (!is.null(values$close) && (adjusting || NROW(told) || !is.null(values$adjusted))) {
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
  list(values = values, counted = counted)
}
