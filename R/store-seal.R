# What proves that a store holds what was written: for each series, and for what each addition
# brought and replaced, a sum of its rows that does not ask for their order (src/core/rowsum.h);
# for all else a digest.

no_sum <- strrep("0", 16L)

# Securities as numbers, by their names: a name that changed changes all sums.
name_numbers <- function(names) {
  vapply(names, function(n) {
    strtoi(substr(digest::digest(n, algo = "xxhash32", serialize = FALSE), 1L, 7L), 16L)
  }, 0L, USE.NAMES = FALSE)
}

# Rows of prices with what they are summed by.
rows_to_sum <- function(connection, table, where, more = character()) {
  rows <- DBI::dbGetQuery(
    connection,
    sprintf(
      "select security_id, day, addition, %s from %s where %s",
      paste(c(kept_fields$prices, more), collapse = ", "),
      table,
      where
    )
  )
  rows[] <- lapply(rows, as.numeric)
  rows
}

# Sums are by the name that a security came with: another name later changes none.
name_of_ids <- function(connection) {
  known <- DBI::dbGetQuery(connection, "select id, security from securities")
  first <- securities_at(connection, 0)
  list(
    id = known$id, security = known$security,
    number = name_numbers(first$security[match(known$id, first$id)])
  )
}

sum_rows <- function(rows, names, fields, by) {
  if (!length(rows[[by]])) return(data.frame(id = integer(), n = integer(), sum = character()))
  groups <- groups_of(rows[[by]])
  owner <- if (by == "security_id") groups else groups_of(rows$security_id)
  number <- names$number[match(owner$keys, names$id)][owner$of]
  data.frame(
    id = as.integer(groups$keys),
    n = tabulate(groups$of, length(groups$keys)),
    sum = core_row_sums(
      c(list(as.numeric(number)), unname(as.list(rows[fields]))),
      groups$of,
      length(groups$keys)
    )
  )
}

# What numbers there are, rising, and which of them each is: by their runs where they rise.
groups_of <- function(x) {
  if (is.unsorted(x)) {
    keys <- sort(unique(x))
    return(list(keys = keys, of = match(x, keys)))
  }
  core_runs(x)
}

series_sums <- function(rows, names) {
  sum_rows(rows, names, c("day", kept_fields$prices), "security_id")
}
brought_sums <- function(rows, names) {
  sum_rows(rows, names, c("day", "addition", kept_fields$prices), "addition")
}
replaced_sums <- function(rows, names) {
  sum_rows(
    rows,
    names,
    c("day", "addition", "replaced_in", "restated", kept_fields$prices),
    "replaced_in"
  )
}

# Brings the sums up to date with an addition that has just been merged. `fresh`: its rows, where
# all of them are of securities of which there was nothing.
seal_addition <- function(connection, addition, fresh = NULL) {
  parts <- name_of_ids(connection)
  now <- fresh %||% rows_to_sum(connection, "prices", sprintf("addition = %d", addition))
  gone <- rows_to_sum(
    connection,
    "prices_before",
    sprintf("replaced_in = %d", addition),
    c("replaced_in", "restated")
  )
  again <- gone[gone$addition == addition, ]
  brought <- if (nrow(again)) rbind(now, again[names(now)]) else now
  write_sums(connection, "addition", brought_sums(brought, parts))
  write_sums(connection, "replaced", replaced_sums(gone, parts))
  came <- series_sums(now, parts)
  went <- series_sums(gone[gone$addition < addition, ], parts)
  before <- DBI::dbGetQuery(connection, "select id, n, sum from sums where what = 'series'")
  of <- function(table, what, none) {
    ifelse(is.na(at <- match(came$id, table$id)), none, table[[what]][at])
  }
  write_sums(
    connection,
    "series",
    data.frame(
      id = came$id,
      n = as.integer(of(before, "n", 0L) + came$n - of(went, "n", 0L)),
      sum = core_change_sums(of(before, "sum", no_sum), came$sum, of(went, "sum", no_sum))
    )
  )
}

# All sums anew: of a store that had none.
seal_all <- function(connection, address) {
  sums <- all_sums(connection, live_rows(connection, address), name_of_ids(connection))
  DBI::dbExecute(connection, "delete from sums")
  for (what in unique(sums$what)) {
    write_sums(connection, what, sums[sums$what == what, c("id", "n", "sum")])
  }
}

# `now`: the rows that hold.
all_sums <- function(connection, now, parts) {
  before <- rows_to_sum(connection, "prices_before", "true", c("replaced_in", "restated"))
  of <- function(what, sums) data.frame(what = rep(what, nrow(sums)), sums)
  rbind(
    of("series", series_sums(now, parts)),
    of("addition", brought_sums(Map(c, now, before[names(now)]), parts)),
    of("replaced", replaced_sums(before, parts))
  )
}

write_sums <- function(connection, what, sums) {
  if (!nrow(sums)) return(invisible())
  with_arriving(
    connection,
    data.frame(what = what, sums),
    "insert into sums select what, id, n, sum from arriving where true
                   on conflict (what, id) do update set n = excluded.n, sum = excluded.sum"
  )
}

# Everything but prices: names, actions, the list of additions, what is held of which feed, the
# sums themselves, and what is known of packed parts.
digest_of_rest <- function(connection) {
  kept <- DBI::dbGetQuery(connection, "select version, identity from imbroglio_store")
  tables <- c(
    additions = "addition",
    securities = "id",
    actions = "security_id, day",
    actions_before = "security_id, day, addition",
    held = "feed, security_id",
    sums = "what, id",
    if (kept$version >= 5L) c(packed = "security_id, first_day"),
    if (kept$version >= 6L) c(told_before = "security_id, what, addition")
  )
  text <- unlist(lapply(names(tables), function(table) {
    # SQLite warns of a damaged cell that is no text among text.
    rows <- suppressWarnings(DBI::dbGetQuery(
      connection,
      sprintf(
        "select %s from %s order by %s",
        if (table == "packed") "security_id, first_day, last_day, n, addition, fields" else "*",
        table, tables[[table]]
      )
    ))
    cells <- lapply(rows, function(v) {
      if (!is.character(v)) return(core_shortest(as.numeric(v)))
      # What is damaged need not be text.
      if (all(validUTF8(v))) v
    })
    if (any(vapply(cells, is.null, NA))) return(NA_character_)
    lines <- do.call(paste, c(unname(cells), sep = "\x1f"))
    # The order of text is another in another database.
    c(table, sort(lines, method = "radix"))
  }))
  if (anyNA(text)) return(NA_character_)
  text <- c(as.character(kept$version), kept$identity, text)
  digest::digest(paste(text, collapse = "\x1e"), algo = "sha256", serialize = FALSE)
}

seal_rest <- function(connection) {
  DBI::dbExecute(
    connection,
    sprintf("update imbroglio_store set seal = '%s'", digest_of_rest(connection))
  )
}

# A store that is new has no seal yet. It is tested before anything is added too: what is damaged
# would be sealed anew.
check_rest <- function(connection, address) {
  seal <- DBI::dbGetQuery(connection, "select seal from imbroglio_store")$seal
  if (is.na(seal)) return(invisible())
  if (!identical(seal, digest_of_rest(connection))) {
    refuse_damaged(address, "its names, actions, additions or list of parts")
  }
}

refuse_damaged <- function(address, what) {
  fail(
    "store",
    sprintf("The store %s is damaged: %s not as written.", address$shown, paste(what, "are")),
    where = "Their checksum differs from the one that was written with them.",
    remedy = paste0(
      "imbroglio store --verify (verify_store()) tells all that is damaged; go back to ",
      "a copy, or fetch again."
    )
  )
}

# Series as they are read, against the sums written with them.
check_series <- function(connection, address, rows, ids) {
  names <- name_of_ids(connection)
  sums <- series_sums(rows, names)
  compare_sums(connection, address, "series", sums, function(id) {
    sprintf("the prices of %s", some(names$security[match(id, names$id)]))
  }, among = ids)
}

# Before a store is brought up to date: what is damaged would be sealed anew.
check_all <- function(connection, address) {
  check_rest(connection, address)
  sums <- all_sums(connection, live_rows(connection, address), name_of_ids(connection))
  for (what in c("series", "addition", "replaced")) {
    of <- sums[sums$what == what, c("id", "n", "sum")]
    compare_sums(connection, address, what, of, function(id) sprintf("its prices (%s)", what))
  }
}

compare_sums <- function(connection, address, what, sums, called, until = Inf, among = NULL) {
  written <- DBI::dbGetQuery(
    connection,
    sprintf("select id, n, sum from sums where what = '%s'", what)
  )
  written <- written[written$id <= until & (is.null(among) | written$id %in% among), ]
  both <- merge(written, sums, by = "id", all = TRUE)
  wrong <- both$id[!(both$sum.x == both$sum.y & both$n.x == both$n.y) %in% TRUE]
  if (length(wrong)) refuse_damaged(address, called(wrong))
}

#' Test whether a price store is as it was written
#'
#' A store keeps checksums of each series, of what each addition brought and replaced, and of all
#' else. [read_prices()] tests those of what it reads; this tests all, and the database itself.
#'
#' @param store See [store_prices()].
#' @return A table of `part` (`"database"`, `"rest"`, `"series"`, `"addition"`, `"replaced"`,
#'   `"packed"`), `item` (which of them: a security or the number of an addition), `n` (rows) and
#'   `sound`.
#' @inheritSection store_prices Errors
#' @family ways to get prices
#' @examples
#' if (requireNamespace("RSQLite", quietly = TRUE)) {
#'   store <- tempfile(fileext = ".sqlite")
#'   store_prices(read_prices(demo_file("bay.csv"))[, "TARROW"], store)
#'   verify_store(store)
#' }
#' @export
verify_store <- function(store) {
  with_store(store, function(connection, address) {
    if (!is_sealed(connection)) {
      fail(
        "store",
        sprintf("The store %s has no checksums yet.", address$shown),
        remedy = "Adding or fetching anything makes them."
      )
    }
    verdict <- function(part, item, n, sound) {
      data.frame(part = part, item = item, n = as.integer(n), sound = sound)
    }
    names <- name_of_ids(connection)
    packed <- sound_parts(connection)
    whole <- if (address$kind == "sqlite") {
      identical(DBI::dbGetQuery(connection, "pragma integrity_check")[[1L]], "ok")
    }
    rest <- identical(
      DBI::dbGetQuery(connection, "select seal from imbroglio_store")$seal,
      digest_of_rest(connection)
    )
    both <- merge(
      DBI::dbGetQuery(connection, "select what, id, n, sum from sums"),
      all_sums(connection, merged_rows(packed$rows, loose_rows(connection, "true")), names),
      by = c("what", "id"),
      all = TRUE
    )
    sound <- (both$sum.x == both$sum.y & both$n.x == both$n.y) %in% TRUE
    item <- ifelse(both$what == "series", names$security[match(both$id, names$id)], both$id)
    table <- rbind(
      if (!is.null(whole)) verdict("database", address$shown, NA, whole),
      verdict("rest", address$shown, NA, rest),
      verdict(both$what, item, ifelse(is.na(both$n.y), 0L, both$n.y), sound),
      verify_packed(packed, names, verdict)
    )
    table <- table[
      order(match(table$part, c("database", "rest", "series", "packed", "addition", "replaced"))),
    ]
    as_listed(table, "verification", address)
  })
}

# The packed parts of each series.
verify_packed <- function(packed, names, verdict) {
  if (!length(packed$sound)) return(NULL)
  ids <- unique(packed$id)
  of <- factor(packed$id, ids)
  verdict(
    "packed", names$security[match(ids, names$id)], tapply(packed$n, of, sum),
    as.vector(tapply(packed$sound, of, all))
  )
}
