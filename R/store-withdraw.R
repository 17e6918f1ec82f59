# An entry of a store that is withdrawn.

# What holds then is what the entries say that are left: of each value the last of their changes.
withdraw_entry <- function(connection, address, which, addition) {
  which <- check_whole(which, "withdraw", least = 1L)
  entries <- DBI::dbGetQuery(connection, "select * from additions order by addition")
  entry <- entries[entries$addition == which, ]
  if (!nrow(entry)) {
    fail(
      "argument", sprintf("There is no entry %d in the store %s.", which, address$shown),
      where = sprintf("Its entries go up to %d.", max(entries$addition)),
      remedy = "`store_additions()` lists them."
    )
  }
  by <- undone_by(entries)
  if (which %in% by$entry) {
    fail(
      "argument", sprintf("Entry %d is withdrawn already.", which),
      where = sprintf("Entry %d did.", by$by[by$entry == which]),
      remedy = "Withdraw that, and it holds again."
    )
  }
  more <- data.frame(addition = addition, kind = "withdrawal", undoes = which)
  entries <- rbind(entries[names(more)], more)
  counts <- entries$addition[
    !entries$addition %in% undone_by(entries)$entry & !entries$kind %in% "withdrawal"
  ]
  # A withdrawal changed what the entry did that it undid.
  while (!is.na(undone <- entries$undoes[entries$addition == which])) which <- undone
  prices <- left_by(connection, "prices", which, counts, function(ids) {
    live_rows(connection, address, of_ids(ids))
  }, live_rows(
    connection, address, sprintf("addition = %d", which), sprintf("addition >= %d", which)
  ))
  actions <- left_by(connection, "actions", which, counts, function(ids) {
    DBI::dbGetQuery(connection, paste("select * from actions where", of_ids(ids)))
  }, DBI::dbGetQuery(connection, sprintf("select * from actions where addition = %d", which)))
  told <- told_by(connection, which, counts, addition)
  if (!nrow(prices) && !nrow(actions) && !length(told)) {
    fail(
      "argument", sprintf("Nothing of entry %d holds any more.", entry$addition),
      where = "What it brought was replaced since."
    )
  }
  list(
    prices = prices, actions = actions, ids = told, entry = "withdrawal",
    undoes = entry$addition,
    source = sprintf("entry %d withdrawn (%s)", entry$addition, entry$source),
    says = paste(count(nrow(prices), "price"), "as without it")
  )
}

# Which entries are withdrawn, by which that are not.
undone_by <- function(entries) {
  found <- data.frame(entry = integer(), by = integer())
  for (i in rev(which(!is.na(entries$undoes)))) {
    if (entries$addition[i] %in% found$entry) next
    found[nrow(found) + 1L, ] <- list(entries$undoes[i], entries$addition[i])
  }
  found
}

# The rows among those that an entry brought which the entries that count leave otherwise.
left_by <- function(connection, table, entry, counts, now, of_entry) {
  fields <- kept_fields[[table]]
  columns <- c("security_id", "day", "addition", fields)
  numbers <- function(rows) as.data.frame(lapply(rows, as.numeric))[columns]
  key <- function(rows) order_key(rows$security_id, rows$day)
  ids <- unique(c(
    of_entry$security_id[of_entry$addition == entry],
    DBI::dbGetQuery(connection, sprintf(
      "select distinct security_id from %s_before where addition = %d", table, entry
    ))$security_id
  ))
  none <- as.data.frame(lapply(of_entry, as.numeric))[0L, c("security_id", "day", fields)]
  found <- lapply(in_lots(ids), function(some) {
    versions <- rbind(
      numbers(DBI::dbGetQuery(
        connection, sprintf("select * from %s_before where %s", table, of_ids(some))
      )),
      numbers(now(some))
    )
    versions <- versions[key(versions) %in% key(versions[versions$addition == entry, ]), ]
    versions <- versions[order(key(versions), versions$addition), ]
    of <- key(versions)
    first <- !duplicated(of)
    live <- versions[!duplicated(of, fromLast = TRUE), ]
    left <- live
    for (field in fields) {
      value <- versions[[field]]
      before <- ifelse(first, NA, c(NA, value[-length(value)]))
      at <- differs_from(value, before) & versions$addition %in% counts
      last <- which(at)[!duplicated(of[at], fromLast = TRUE)]
      left[[field]] <- value[last][match(key(live), of[last])]
    }
    moved <- Reduce(`|`, lapply(fields, function(f) differs_from(left[[f]], live[[f]])))
    left[moved, c("security_id", "day", fields)]
  })
  do.call(rbind, c(list(none), found))
}

differs_from <- function(a, b) is.na(a) != is.na(b) | (!is.na(a) & !is.na(b) & a != b)

# The same of what was said of securities; gives of which it is said otherwise now.
told_by <- function(connection, entry, counts, addition) {
  events <- DBI::dbGetQuery(
    connection, "select * from told_before order by security_id, what, addition"
  )
  now <- securities_at(connection, Inf)
  mine <- unique(events[events$addition == entry, c("security_id", "what")])
  changed <- lapply(seq_len(nrow(mine)), function(i) {
    id <- mine$security_id[i]
    what <- mine$what[i]
    own <- events[events$security_id == id & events$what == what, ]
    told <- c(own$before, as.character(now[[what]][now$id == id]))
    last <- which(own$addition %in% counts)
    left <- told[if (length(last)) max(last) + 1L else 1L]
    if (identical(left, told[length(told)])) return(NULL)
    if (what == "security") refuse_taken(connection, left)
    tell_of(connection, id, what, left, addition)
  })
  unlist(changed)
}
