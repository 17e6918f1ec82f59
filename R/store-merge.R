# How rows that arrive are merged with those that are there: what is new, what is restated,
# what was before.

# Puts rows into a table: what differs from what is there goes to its history first. Gives for
# each security how many were new and how many restated. `exact`: a missing field is told, too.
merge_rows <- function(connection, table, arriving, fields, addition, exact = FALSE) {
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
  for (field in if (table == "prices" && !exact) fields) {
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
  differs <- function(old, new) {
    paste(sprintf("%s.%s is distinct from %s.%s", old, fields, new, fields), collapse = " or ")
  }
  keep_replaced(run, table, fields, addition, differs("t", "a"))
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
  changed <- rows_changed(connection, table, addition)
  run("drop table arriving")
  changed[is.na(changed)] <- 0L
  data.frame(
    id = changed$id,
    new = changed$changed - changed$replaced,
    restated = changed$restated
  )
}

# The rows of prices that arrive, as they will stand in the table, where it has none of any of
# their securities; else NULL.
rows_of_new <- function(connection, columns, ids, addition) {
  if (!NROW(columns)) return(NULL)
  id <- unname(ids)[match(columns$security, names(ids))]
  there <- DBI::dbGetQuery(
    connection,
    "select id from securities where exists (select 1 from prices where security_id = id)
       or exists (select 1 from packed where security_id = id)"
  )$id
  if (any(unique(id) %in% there)) return(NULL)
  rows <- list(security_id = id, day = as.integer(columns$day))
  for (field in price_fields) {
    rows[[field]] <- as.numeric(columns[[field]] %||% rep(NA_real_, length(rows$day)))
  }
  rows$addition <- rep(addition, length(rows$day))
  none <- Reduce(`&`, lapply(rows[price_fields], is.na))
  in_order <- order(rows$security_id, rows$day)
  if (any(none)) in_order <- in_order[!none[in_order]]
  if (length(in_order) < length(id) || is.unsorted(in_order)) rows <- lapply(rows, `[`, in_order)
  # What stands twice is for the database to settle.
  twice <- any(diff(rows$security_id) == 0L & diff(rows$day) == 0L)
  if (twice || !length(in_order)) return(NULL)
  structure(
    rows,
    class = "data.frame",
    row.names = .set_row_names(length(in_order)),
    first = !length(there)
  )
}

# What is long is packed at once.
insert_new <- function(connection, rows) {
  # An index over many rows is made faster than it is kept while they come.
  ids <- unique(rows$security_id)
  n <- tabulate(match(rows$security_id, ids), length(ids))
  priced <- !is.na(rows$close) | !is.na(rows$adjusted)
  long <- priced & rows$security_id %in% ids[n >= rows_left_loose(ids)]
  write_parts(connection, if (all(long)) rows else lapply(rows, `[`, long))
  loose <- rows[!long, ]
  anew <- attr(rows, "first") && nrow(loose) && inherits(connection, "SQLiteConnection")
  if (anew) {
    index <- "select sql from sqlite_master where name = 'prices_by_addition'"
    made_by <- DBI::dbGetQuery(connection, index)$sql
    DBI::dbExecute(connection, "drop index prices_by_addition")
  }
  if (nrow(loose)) DBI::dbAppendTable(connection, "prices", loose)
  if (anew) DBI::dbExecute(connection, made_by)
  data.frame(id = ids, new = n, restated = integer(length(ids)))
}

# What is replaced goes to a table of its own.
keep_replaced <- function(run, table, fields, addition, differ) {
  every_row <- paste(c("security_id", "day", kept_fields[[table]], "addition"), collapse = ", ")
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
    differ,
    restated
  )
}

rows_changed <- function(connection, table, addition) {
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
  merge(
    here("cast(count(*) as integer) as changed", table, "addition"),
    here(
      "cast(count(*) as integer) as replaced, cast(sum(restated) as integer) as restated",
      paste0(table, "_before"),
      "replaced_in"
    ),
    all.x = TRUE
  )
}

# Splits and dividends as the store keeps them: one row a security and day.
one_a_day <- function(actions) {
  if (!NROW(actions)) return(NULL)
  key <- paste(actions$security, as.numeric(actions$date))
  first <- !duplicated(key)
  together <- function(amount, combine) {
    vapply(
      split(amount, factor(key, key[first])),
      function(a) if (all(is.na(a))) NA_real_ else combine(a[!is.na(a)]),
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

# Runs statements beside rows that are handed over as a table of their own.
with_arriving <- function(connection, rows, ...) {
  DBI::dbWriteTable(connection, "arriving", rows, temporary = TRUE, row.names = FALSE)
  for (statement in c(..., "drop table arriving")) DBI::dbExecute(connection, statement)
}

kept_fields <- list(prices = price_fields, actions = c("split", "dividend"))
