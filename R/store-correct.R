# What was added is put right: withdrawn, or a security renamed, merged, ended, removed. Whatever
# is taken away is kept as what was replaced is, so that earlier states stay.

#' Put a price store right
#'
#' Each correction is an entry of its own in the list of additions, with who made it and why, and
#' can be withdrawn as any other. What it takes away is kept, so that `as_of` reads every earlier
#' state, with the names of then.
#'
#' | correction | what it does |
#' |---|---|
#' | `withdraw = 7` | undoes entry 7: what holds is what the other entries say, of each value the last that told another. A renaming, an end or a withdrawal is undone so, too. What was told again as it was held already is not kept, and goes with the entry that brought it |
#' | `rename = c(OLD = "NEW")` | OLD is called NEW from now on |
#' | `merge = c(OLD = "NEW")` | the prices, splits and dividends of OLD go to NEW, where it has none; where both have another price for a day, `prefer` says whose stays |
#' | `ended = c(NAME = "2025-03-14")` | NAME was traded for the last time on that day: what is held after it is taken away, `update_store()` asks for it no more, and what comes later is doubted |
#' | `remove = c("A", "B")` | all that is held of them is taken away |
#'
#' A feed is not asked again for what was withdrawn: `update_store()` asks for what is new;
#' `update_store(from = , update = FALSE)` fetches a span again.
#'
#' @param store See [store_prices()].
#' @param withdraw,rename,merge,ended,remove One of these, see there.
#' @param prefer The security whose prices stay where both have them.
#' @param why A few words, kept with the entry.
#' @param dry_run Whether only to tell what would be written.
#' @return Invisibly, a data frame of `security` and how many of its prices were `new` and
#'   `restated` (taken away, too), with the number of the entry as attribute `addition`.
#' @section Errors: `imbroglio_error_argument` for a correction that cannot be made,
#'   `imbroglio_error_security` for a security that the store does not hold, and those of
#'   [store_prices()].
#' @family ways to get prices
#' @examples
#' if (requireNamespace("RSQLite", quietly = TRUE)) {
#'   store <- tempfile(fileext = ".sqlite")
#'   prices <- read_prices(demo_file("bay.csv"))[, c("TARROW", "PELLAN")]
#'   store_prices(prices, store)
#'   correct_store(store, ended = c(PELLAN = "2024-06-28"), why = "taken over")
#'   correct_store(store, withdraw = 2, why = "it was another one")
#'   store_additions(store)
#' }
#' @export
correct_store <- function(store, withdraw = NULL, rename = NULL, merge = NULL, ended = NULL,
                          remove = NULL, prefer = NULL, why = NULL, dry_run = FALSE) {
  asked <- Filter(Negate(is.null), list(
    withdraw = withdraw, rename = rename, merge = merge, ended = ended, remove = remove
  ))
  if (length(asked) != 1L) {
    fail(
      "argument", "One correction is made at a time.",
      where = sprintf("%s asked for.", if (length(asked)) {
        paste(some(sprintf("`%s`", names(asked))), "are")
      } else {
        "None is"
      }),
      remedy = "Give one of `withdraw`, `rename`, `merge`, `ended` and `remove`."
    )
  }
  if (!is.null(prefer) && is.null(merge)) {
    fail("argument", "`prefer` is of `merge`.")
  }
  why <- check_why(why)
  made <- with_store(store, function(connection, address) {
    refuse_empty_store(connection, address)
    now <- next_addition(connection)
    change <- switch(
      names(asked),
      withdraw = withdraw_entry(connection, address, withdraw, now$addition),
      rename = rename_security(connection, rename, now$addition),
      merge = merge_securities(connection, address, merge, prefer, now$addition),
      ended = end_security(connection, address, ended, now$addition),
      remove = remove_securities(connection, address, remove)
    )
    corrected(connection, address, now, change, why)
  }, write = TRUE, keep = !dry_run)
  note("corrected", paste0(attr(made, "says"), if (dry_run) ": nothing was written." else "."))
  invisible(made)
}

refuse_empty_store <- function(connection, address) {
  if (nrow(DBI::dbGetQuery(connection, "select 1 from additions limit 1"))) return(invisible())
  fail("store", sprintf("There are no prices in the store %s yet.", address$shown))
}

# Writes a change: `prices` and `actions` as rows that hold from now on, whole.
corrected <- function(connection, address, now, change, why) {
  changed <- if (NROW(change$prices)) {
    merge_into(connection, address, "prices", change$prices, now$addition, exact = TRUE)
  }
  if (NROW(change$actions)) {
    merge_into(connection, address, "actions", change$actions, now$addition, exact = TRUE)
  }
  ids <- unique(c(change$ids, changed$id))
  known <- DBI::dbGetQuery(connection, "select id, security from securities order by id")
  ids <- stats::setNames(ids, known$security[match(ids, known$id)])
  counts <- counted_changes(changed, names(ids), ids, character())
  counts$same <- NULL
  enter_addition(connection, now, change$entry, change$source, why, counts, change$undoes)
  if (NROW(changed)) {
    seal_addition(connection, now$addition)
    pack_due(connection, address, changed$id)
  }
  structure(
    counts, addition = now$addition,
    says = sprintf(
      "Entry %d: %s%s", now$addition, change$source,
      if (is.null(change$says)) "" else paste0("; ", change$says)
    )
  )
}

# ---- renamed, merged, ended, removed; withdrawn: store-withdraw.R -------------------------------

# The id of a security that something is held of.
held_id <- function(connection, security) {
  known <- DBI::dbGetQuery(connection, sprintf(
    "select id, security from securities where id in
       (select security_id from %s)", spans_of_prices(connection)
  ))
  unknown <- setdiff(security, known$security)
  if (length(unknown)) {
    fail(
      "security", sprintf("The store holds nothing of %s.", some(unknown)),
      remedy = did_you_mean(unknown[1L], known$security)
    )
  }
  known$id[match(security, known$security)]
}

one_pair <- function(pair, name) {
  texts <- is.character(pair) || inherits(pair, "Date")
  if (!texts || length(pair) != 1L || is.null(names(pair)) || is.na(pair) ||
      !nzchar(trimws(pair)) || !nzchar(names(pair))) {
    fail(
      "argument", sprintf("`%s` is one name and what becomes of it.", name),
      where = sprintf("It is %s.", shown(pair)),
      remedy = sprintf(
        "Write `%s = c(NAME = \"%s\")`.", name, if (name == "ended") "2025-03-14" else "OTHER"
      )
    )
  }
  list(from = names(pair), to = if (inherits(pair, "Date")) unname(pair) else unname(trimws(pair)))
}

refuse_taken <- function(connection, names) {
  known <- DBI::dbGetQuery(connection, "select security from securities")$security
  taken <- intersect(names, known)
  if (!length(taken)) return(invisible())
  fail(
    "security", sprintf("There is a %s in the store already.", taken[1L]),
    remedy = "Two names of one security are put together by `merge`."
  )
}

rename_security <- function(connection, pair, addition) {
  pair <- one_pair(pair, "rename")
  id <- held_id(connection, pair$from)
  check_securities(pair$to, "`rename`")
  refuse_taken(connection, pair$to)
  list(
    ids = tell_of(connection, id, "security", pair$to, addition), entry = "renaming",
    source = sprintf("%s is called %s", pair$from, pair$to)
  )
}

# Rows of nothing, for what is to be taken away.
without_values <- function(rows, table) {
  rows <- as.data.frame(rows)[c("security_id", "day", kept_fields[[table]])]
  rows[kept_fields[[table]]] <- rep(list(rep(NA_real_, nrow(rows))), length(kept_fields[[table]]))
  rows
}

rows_of <- function(connection, address, ids) {
  rows <- as.data.frame(live_rows(connection, address, of_ids(ids)))
  actions <- DBI::dbGetQuery(connection, paste("select * from actions where", of_ids(ids)))
  list(
    prices = rows[rowSums(!is.na(rows[price_fields])) > 0L, ],
    actions = actions[rowSums(!is.na(actions[kept_fields$actions])) > 0L, ]
  )
}

merge_securities <- function(connection, address, pair, prefer, addition) {
  pair <- one_pair(pair, "merge")
  ids <- held_id(connection, c(pair$from, pair$to))
  if (ids[1L] == ids[2L]) fail("argument", sprintf("%s is to be merged with itself.", pair$from))
  if (!is.null(prefer)) check_choice(prefer, "prefer", c(pair$from, pair$to))
  held <- rows_of(connection, address, ids)
  moved <- lapply(names(held), function(table) {
    rows <- held[[table]]
    old <- rows[rows$security_id == ids[1L], ]
    new <- rows[rows$security_id == ids[2L], ]
    at <- match(old$day, new$day)
    if (table == "prices" && is.null(prefer)) refuse_unlike(old, new, at, pair)
    coming <- if (identical(prefer, pair$from)) old else old[is.na(at), ]
    coming <- coming[c("security_id", "day", kept_fields[[table]])]
    coming$security_id <- rep(ids[2L], nrow(coming))
    rbind(coming, without_values(old, table))
  })
  names(moved) <- names(held)
  told <- securities_at(connection, Inf)
  own <- told[match(ids, told$id), ]
  for (what in setdiff(told_columns, c("security", "ended"))) {
    if (is.na(own[[what]][2L]) && !is.na(own[[what]][1L])) {
      tell_of(connection, ids[2L], what, own[[what]][1L], addition)
    }
  }
  forget_held(connection, ids[1L])
  list(
    prices = moved$prices, actions = moved$actions, entry = "merger",
    source = sprintf("%s merged into %s", pair$from, pair$to),
    says = sprintf(
      "%s of %s went over", count(sum(moved$prices$security_id == ids[2L]), "price"),
      count(sum(held$prices$security_id == ids[1L]))
    )
  )
}

refuse_unlike <- function(old, new, at, pair) {
  price <- function(rows) ifelse(is.na(rows$close), rows$adjusted, rows$close)
  unlike <- which(price(old) != price(new)[at])
  if (!length(unlike)) return(invisible())
  i <- unlike[1L]
  fail(
    "argument",
    sprintf(
      "%s and %s have other prices on %s of %s that both have.", pair$from, pair$to,
      count(length(unlike)), count(sum(!is.na(at)), "day")
    ),
    where = sprintf(
      "The first is %s: %s and %s.", .Date(old$day[i]), exact_price(price(old)[i]),
      exact_price(price(new)[at][i])
    ),
    remedy = sprintf(
      "Say whose stays: `prefer = \"%s\"` or `prefer = \"%s\"`.", pair$from, pair$to
    )
  )
}

end_security <- function(connection, address, pair, addition) {
  pair <- one_pair(pair, "ended")
  id <- held_id(connection, pair$from)
  day <- as.integer(check_date(pair$to, "ended", last = TRUE))
  held <- rows_of(connection, address, id)
  if (day < min(held$prices$day)) {
    fail(
      "argument",
      sprintf("%s cannot have ended on %s.", pair$from, .Date(day)),
      where = sprintf("Its first price is of %s.", .Date(min(held$prices$day))),
      remedy = "`remove` takes away all that is held of it."
    )
  }
  after <- lapply(held, function(rows) rows[rows$day > day, ])
  tell_of(connection, id, "ended", day, addition)
  list(
    prices = without_values(after$prices, "prices"),
    actions = without_values(after$actions, "actions"), ids = id, entry = "end",
    source = sprintf("%s ended on %s", pair$from, .Date(day)),
    says = paste(count(nrow(after$prices), "price"), "after it taken away")
  )
}

remove_securities <- function(connection, address, securities) {
  if (!is.character(securities) || !length(securities) || anyNA(securities)) {
    fail("argument", "`remove` is names of securities.",
         where = sprintf("It is %s.", shown(securities)))
  }
  ids <- held_id(connection, unique(securities))
  held <- rows_of(connection, address, ids)
  forget_held(connection, ids)
  list(
    prices = without_values(held$prices, "prices"),
    actions = without_values(held$actions, "actions"), entry = "removal",
    source = sprintf("%s removed", some(unique(securities))),
    says = paste(count(nrow(held$prices), "price"), "taken away")
  )
}

# No feed is asked for it any more.
forget_held <- function(connection, ids) {
  DBI::dbExecute(connection, paste("delete from held where", of_ids(ids)))
}
