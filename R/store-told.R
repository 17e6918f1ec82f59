# What a store says of securities beside their prices: their names, currencies, groups, benchmarks
# and ends, now and before.

told_columns <- c("security", "name", "currency", "security_group", "benchmark", "ended")

# As it was after an addition (0: as each of them came).
securities_at <- function(connection, addition) {
  securities <- DBI::dbGetQuery(connection, "select * from securities order by id")
  if (!has_told(connection)) return(securities)
  later <- told_after(connection, addition)
  for (what in unique(later$what)) {
    these <- later[later$what == what, ]
    before <- if (what == "ended") as.integer(these$before) else these$before
    securities[[what]][match(these$security_id, securities$id)] <- before
  }
  securities
}

# The first change of each thing that was told after an addition, with what held before it.
told_after <- function(connection, addition) {
  changes <- DBI::dbGetQuery(connection, sprintf(
    "select security_id, what, before, addition from told_before where addition > %.0f
     order by addition", min(addition, 2^31 - 1)
  ))
  changes[!duplicated(changes[c("security_id", "what")]), ]
}

# Says another thing of securities, and keeps what was said; gives which of them it was another
# thing of.
tell_of <- function(connection, ids, what, values, addition) {
  told <- DBI::dbGetQuery(
    connection, sprintf("select id, %s as told from securities where %s", what, told_of(ids))
  )
  was <- as.character(told$told[match(ids, told$id)])
  differs <- !mapply(identical, was, as.character(values), USE.NAMES = FALSE)
  if (!any(differs)) return(integer())
  rows <- data.frame(
    security_id = ids[differs], what = what, before = was[differs], addition = addition,
    now = as.character(values)[differs]
  )
  with_arriving(
    connection, rows,
    "insert into told_before select security_id, what, before, addition from arriving where true
     on conflict do nothing",
    sprintf(
      "update securities set %s = %s from arriving a where a.security_id = securities.id", what,
      if (what == "ended") "cast(a.now as integer)" else "a.now"
    )
  )
  ids[differs]
}

told_of <- function(ids) gsub("security_id", "id", of_ids(ids), fixed = TRUE)

# The ids of securities, by name. Those not yet known are entered with what is told of them, of
# others that is told from now on; attributes say which were `entered`, and what they `changed`.
securities_in_store <- function(connection, wanted, about, addition = NULL) {
  known <- DBI::dbGetQuery(connection, "select id, security from securities")
  fresh <- setdiff(wanted, known$security)
  about <- about[about$security %in% wanted, ]
  if (length(fresh)) {
    told <- about[match(fresh, about$security), c("name", "currency", "group", "benchmark")]
    if (is.null(told)) {
      told <- as.list(stats::setNames(rep(NA_character_, 4L), about_columns[-1L]))
    }
    entered <- data.frame(
      id = max(0L, known$id) + seq_along(fresh), security = fresh, name = told$name,
      currency = told$currency, security_group = told$group, benchmark = told$benchmark
    )
    DBI::dbAppendTable(connection, "securities", entered)
    known <- rbind(known, entered[c("id", "security")])
  }
  ids <- stats::setNames(as.integer(known$id), known$security)
  changed <- list()
  about <- about[!about$security %in% fresh, ]
  for (column in if (NROW(about)) c("name", "currency", "group", "benchmark")) {
    said <- about[!is.na(about[[column]]), ]
    if (!nrow(said)) next
    what <- if (column == "group") "security_group" else column
    changed[[column]] <- tell_of(
      connection, unname(ids[said$security]), what, said[[column]], addition
    )
  }
  structure(ids, arrived = wanted, entered = fresh, changed = unlist(changed))
}
