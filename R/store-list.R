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
    sound = column("sound", "truth")
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
    data.frame(security = character(), reason = character(), n = integer()),
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
#'     `checked_at` (when a feed was last asked for it), `source`.
#'   * `store_restatements()`: `security`, `date`, `field`, `before`, `after`, `known_from`,
#'     `restated_at` (UTC), `addition` (the one that restated), `source`.
#'   * `store_additions()`: `addition`, `added_at`, `source`, `new`, `restated`.
#' @inheritSection store_prices Errors
#' @inherit store_prices examples
#' @family ways to get prices
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
