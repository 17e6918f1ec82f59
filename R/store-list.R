record_of_store <- function() {
  table_record(columns = list(
    addition = column("addition", "count"),
    added_at = column("added (UTC)", "moment"),
    checked_at = column("asked for (UTC)", "moment", optional = TRUE),
    source = column("source", "text"),
    field = column("field", "text"),
    known_from = column("known from (UTC)", "moment"),
    restated_at = column("restated (UTC)", "moment"),
    price = column("price", "price"),
    part = column("part", "text"),
    item = column("of", "text"),
    sound = column("sound", "truth"),
    ended = column("ended", "date", optional = TRUE),
    furthest = column("by at most", "fraction", optional = TRUE),
    entry = column("entry", "text"),
    who = column("by", "text", optional = TRUE),
    grounds = column("why", "text", optional = TRUE)
  ), tables = list(
    contents = table_record("What a store holds", shares = c(
      "security", "name", "group", "from", "to", "n", "restated", "actions", "addition",
      "added_at", "checked_at", "source", "ended"
    )),
    restatements = table_record("What was restated", shares = c(
      "security", "date", "field", "before", "after", "known_from", "restated_at", "addition",
      "source"
    )),
    additions = table_record("The entries of a store", shares = c(
      "addition", "added_at", "source", "new", "restated", "entry", "who", "grounds"
    )),
    verification = table_record("Whether a store is as it was written", shares = c(
      "part", "item", "n", "sound"
    ))
  ))
}

# Tables of what a store holds, what was restated, what was added.

# A listing as a result, its days as dates.
as_listed <- function(table, what, address, days = character()) {
  table[names(days)] <- lapply(table[names(days)], function(day) .Date(as.numeric(day)))
  names(table)[match(names(days), names(table))] <- days
  edge <- function(pick, column) if (NROW(table[[column]])) pick(table[[column]]) else as.Date(NA)
  of_contents <- what == "contents"
  # What is not of securities is counted whole.
  observations <- if (is.null(table$security)) {
    stats::setNames(nrow(table), what)
  } else {
    stats::setNames(if (of_contents) table$n else rep(1L, nrow(table)), table$security)
  }
  about <- new_basis(
    edge(min, if (of_contents) "from" else "date"),
    edge(max, if (of_contents) "to" else "date"),
    observations,
    dropped_rows(),
    "price",
    "day",
    origin = paste("store", address$shown),
    digest = digest::digest(as.list(table), algo = "xxhash64")
  )
  new_result(as.list(table), what, about, NULL)
}

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
#'     `checked_at` (when a feed was last asked for it), `source`, `ended` (when it was traded for
#'     the last time, if that is known).
#'   * `store_restatements()`: `security`, `date`, `field`, `before`, `after`, `known_from`,
#'     `restated_at` (UTC), `addition` (the one that restated), `source`.
#'   * `store_additions()`: `addition`, `added_at`, `source`, `new`, `restated`, `entry` (an
#'     addition, or a correction: see [correct_store()]), `who` (the user of the machine or of the
#'     server; not known of what an older version wrote), `grounds` (the words of `why`).
#' @inheritSection store_prices Errors
#' @inherit store_prices examples
#' @family ways to get prices
#' @export
store_contents <- function(store) {
  with_store(store, function(connection, address) {
    held <- DBI::dbGetQuery(connection, sprintf(
      "select s.security, s.name, s.security_group as \"group\", p.first_day, p.last_day, p.n,
        coalesce(b.n, 0) as restated, coalesce(a.n, 0) as actions, p.addition, d.added_at,
          h.checked_at, d.source, %s as ended
      from (select security_id, min(first_day) as first_day, max(last_day) as last_day,
        cast(sum(n) as integer) as n, max(addition) as addition from %s group by security_id) p
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
      order by s.id",
      if (has_told(connection)) "s.ended" else "cast(null as integer)",
      spans_of_prices(connection)
    ))
    held$ended <- .Date(as.numeric(held$ended))
    listed <- as_listed(held, "contents", address, c(first_day = "from", last_day = "to"))
    attr(listed, "changed") <- DBI::dbGetQuery(
      connection, "select * from additions order by addition desc limit 1"
    )
    listed
  })
}

#' @rdname store_contents
#' @export
store_restatements <- function(store) {
  with_store(store, function(connection, address) {
    prices <- restated_values(
      DBI::dbGetQuery(connection, "select * from prices_before"), price_fields,
      function(ids) as_frame(live_rows(connection, address, of_ids(ids)))
    )
    actions <- restated_values(
      DBI::dbGetQuery(connection, "select * from actions_before"), kept_fields$actions,
      function(ids) DBI::dbGetQuery(connection, paste("select * from actions where", of_ids(ids)))
    )
    found <- rbind(prices, actions)
    securities <- DBI::dbGetQuery(connection, "select id, security from securities")
    additions <- DBI::dbGetQuery(connection, "select addition, added_at, source from additions")
    brought <- match(found$known, additions$addition)
    restated <- match(found$addition, additions$addition)
    table <- data.frame(
      security = securities$security[match(found$security_id, securities$id)],
      found[c("date", "field", "before", "after")],
      known_from = additions$added_at[brought], restated_at = additions$added_at[restated],
      addition = found$addition, source = additions$source[restated]
    )
    table <- table[with(table, order(addition, security, date, field, method = "radix")), ]
    as_listed(table, "restatements", address, c(date = "date"))
  })
}

# Each value that another one replaced: the next in its history, or the one that `now` gives of
# some securities.
restated_values <- function(before, fields, now) {
  before[] <- lapply(before, as.numeric)
  replaced <- function(rows, field, i = integer()) {
    value <- rows[[field]]
    data.frame(
      security_id = rows$security_id[i], date = rows$day[i], field = rep(field, length(i)),
      before = value[i], known = rows$addition[i], addition = as.integer(rows$replaced_in[i])
    )
  }
  if (!nrow(before)) return(cbind(replaced(before, fields[1L]), after = numeric()))
  key <- order_key(before$security_id, before$day)
  holds <- now(unique(before$security_id))
  holds <- holds[order_key(holds$security_id, holds$day) %in% key, ]
  columns <- c("security_id", "day", "addition", fields)
  history <- rbind(before[columns], as.data.frame(lapply(holds[columns], as.numeric)))
  next_one <- match(
    paste(key, before$replaced_in),
    paste(order_key(history$security_id, history$day), history$addition)
  )
  do.call(rbind, lapply(fields, function(field) {
    after <- history[[field]][next_one]
    was <- before[[field]]
    i <- which(!is.na(was) & (is.na(after) | was != after))
    cbind(replaced(before, field, i), after = after[i])
  }))
}

# Where prices are, rows and parts alike: a subquery of first_day, last_day, n and addition.
spans_of_prices <- function(connection, rows = is_priced) {
  sprintf(
    "(select security_id, day as first_day, day as last_day, 1 as n, addition from prices
       where %s%s) spans", rows,
    if (has_parts(connection)) {
      " union all select security_id, first_day, last_day, n, addition from packed"
    } else {
      ""
    }
  )
}

#' @rdname store_contents
#' @export
store_additions <- function(store) {
  with_store(store, function(connection, address) {
    as_listed(
      DBI::dbGetQuery(
        connection,
        sprintf(
          "select addition, added_at, source, new_prices as \"new\", restated_prices as restated,
             %s from additions order by addition",
          if (has_told(connection)) {
            "coalesce(kind, 'addition') as entry, by_whom as who, why as grounds"
          } else {
            paste(
              "'addition' as entry, cast(null as varchar(1)) as who,",
              "cast(null as varchar(1)) as grounds"
            )
          }
        )
      ),
      "additions",
      address
    )
  })
}

# What a store is known by: its entries, each of which changes it. That what they brought is as
# they brought it is tested when it is read.
state_of_store <- function(store) {
  entries <- as.data.frame(store_additions(store))
  sprintf(
    "store of %s, digest %s", count(nrow(entries), "entry", "entries"),
    digest::digest(lapply(entries, format), algo = "xxhash64")
  )
}
