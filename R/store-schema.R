# The tables of a price store and how those of an older version are brought up to date.

columns_of <- function(fields) paste(paste(fields, "double precision"), collapse = ", ")

# Each takes a store one version further; none is ever changed once it has been released. `day`
# counts from 1970-01-01. What was restated is kept beside what holds, with the additions that
# brought and that replaced it.
store_migrations <- list(
  function(kind) {
    c(
      "create table additions (addition integer primary key, added_at text not null,
         source text not null,
       new_prices integer not null, restated_prices integer not null)",
      "create table securities (id integer primary key, security text not null unique,
         name text, currency text,
       security_group text, benchmark text)",
      sprintf(
        "create table prices (security_id integer not null, day integer not null, %s,
       addition integer not null, primary key (security_id, day))%s",
        columns_of(price_fields),
        if (kind == "sqlite") " without rowid" else ""
      ),
      "create index prices_by_addition on prices (addition)",
      sprintf(
        "create table prices_before (security_id integer not null, day integer not null, %s,
       addition integer not null, replaced_in integer not null, restated integer not null,
         primary key (security_id, day, addition))",
        columns_of(price_fields)
      ),
      sprintf(
        "create view daily_prices as select security, %s as date, %s, addition from prices
       join securities on id = security_id",
        c(
          sqlite = "date(day * 86400, 'unixepoch')",
          postgresql = "date '1970-01-01' + day"
        )[[kind]],
        paste(price_fields, collapse = ", ")
      )
    )
  },
  function(kind) {
    c(
      "create table actions (security_id integer not null, day integer not null,
         split double precision,
       dividend double precision, addition integer not null, primary key (security_id, day))",
      "create table actions_before (security_id integer not null, day integer not null,
         split double precision,
       dividend double precision, addition integer not null, replaced_in integer not null,
         restated integer not null,
       primary key (security_id, day, addition))",
      "create table held (feed text not null, security_id integer not null, first_day integer,
         last_day integer,
       state text not null, checked_at text not null, primary key (feed, security_id))"
    )
  },
  # SQLite hands out its rows one value at a time, which takes longer than reading a CSV file. A
  # security's long past is therefore kept a second time, packed; it is thrown away as soon as a
  # row of it changes.
  function(kind) {
    if (kind == "sqlite") {
      c(
        "create table packed (security_id integer primary key, addition integer not null,
           n integer not null,
       data blob not null)",
        "create trigger packed_updated after update on prices begin
       delete from packed where security_id = old.security_id; end",
        "create trigger packed_deleted after delete on prices begin
       delete from packed where security_id = old.security_id; end"
      )
    }
  },
  # What proves that all is as it was written; see store-seal.R.
  function(kind) {
    c(
      "create table sums (what text not null, id integer not null, n integer not null,
         sum text not null,
       primary key (what, id))",
      "alter table imbroglio_store add column seal text"
    )
  },
  # What is long is kept once, packed, in both kinds of database; see store-pack.R.
  function(kind) {
    c(
      if (kind == "sqlite") {
        c("drop trigger packed_updated", "drop trigger packed_deleted", "drop table packed")
      },
      # It would show what happens not to be packed.
      "drop view daily_prices",
      sprintf(
        "create table packed (security_id integer not null, first_day integer not null,
           last_day integer not null, n integer not null, addition integer not null,
           fields integer not null, days %1$s not null, data %1$s not null,
           primary key (security_id, first_day))",
        c(sqlite = "blob", postgresql = "bytea")[[kind]]
      ),
      # What is compressed already is not tried again.
      if (kind == "postgresql") "alter table packed alter column data set storage external"
    )
  },
  # What was put right: who did it and why, and what was said of securities before.
  function(kind) {
    c(
      "alter table additions add column kind text",
      "alter table additions add column by_whom text",
      "alter table additions add column why text",
      "alter table additions add column undoes integer",
      "alter table securities add column ended integer",
      "create table told_before (security_id integer not null, what text not null, before text,
         addition integer not null, primary key (security_id, what, addition))"
    )
  }
)

# Stores from this version on can be read; the next has checksums, the one after packed parts, the
# one after what was said of securities before.
readable_version <- 3L
is_sealed <- function(connection) store_version(connection) >= 4L
has_parts <- function(connection) store_version(connection) >= 5L
has_told <- function(connection) store_version(connection) >= 6L

store_version <- function(connection) {
  if (!has_versions(connection)) return(0L)
  version <- DBI::dbGetQuery(connection, "select version from imbroglio_store")$version
  if (length(version) != 1L || !is.numeric(version) || is.na(version)) {
    fail(
      "store",
      "The store is damaged: it does not say of which version it is.",
      remedy = "Go back to a copy, or fetch again."
    )
  }
  as.integer(version)
}

# What lists all tables takes longer than the question of one.
has_versions <- function(connection) {
  if (!inherits(connection, "SQLiteConnection")) {
    return(DBI::dbExistsTable(connection, "imbroglio_store"))
  }
  found <- "select 1 from sqlite_master where name = 'imbroglio_store'"
  nrow(DBI::dbGetQuery(connection, found)) > 0L
}

has_store <- function(connection) {
  table <- if (inherits(connection, "SQLiteConnection")) {
    "imbroglio_store"
  } else {
    DBI::Id(schema = "imbroglio", table = "imbroglio_store")
  }
  DBI::dbExistsTable(connection, table)
}

check_version <- function(connection, address, least) {
  version <- store_version(connection)
  if (version > length(store_migrations)) {
    fail(
      "store",
      sprintf("The store %s was written by a newer version of this package.", address$shown),
      where = sprintf(
        "Its tables are of version %s; this one knows up to %s.",
        version,
        length(store_migrations)
      ),
      remedy = "Install the newer version."
    )
  }
  if (!version && least) {
    fail(
      "store",
      sprintf("There are no prices in the store %s yet.", address$shown),
      remedy = "Fetch some, or add a file of them."
    )
  }
  if (version < least) {
    fail(
      "store",
      sprintf("The store %s was written by an older version of this package.", address$shown),
      remedy = "Adding or fetching anything brings its tables up to date."
    )
  }
  version
}

migrate_store <- function(connection, address) {
  version <- check_version(connection, address, least = 0L)
  if (version == length(store_migrations)) return(invisible())
  if (!version) {
    others <- setdiff(DBI::dbListTables(connection), "sqlite_sequence")
    if (address$kind == "sqlite" && length(others)) {
      fail(
        "store",
        sprintf("%s is a database of something else.", sentence_case(address$shown)),
        where = sprintf("It has a table %s.", others[1L]),
        remedy = "Name a new file."
      )
    }
    DBI::dbExecute(
      connection,
      "create table imbroglio_store (version integer not null, identity text not null)"
    )
    DBI::dbExecute(
      connection,
      sprintf("insert into imbroglio_store values (0, '%s')", new_identity())
    )
  }
  if (version && address$kind == "postgresql") refuse_migration(connection, address, version)
  if (version >= 4L) check_all(connection, address)
  for (step in seq(version + 1L, length(store_migrations))) {
    for (statement in store_migrations[[step]](address$kind)) {
      DBI::dbExecute(connection, statement)
    }
  }
  DBI::dbExecute(
    connection,
    sprintf("update imbroglio_store set version = %d", length(store_migrations))
  )
  if (!version) return(invisible())
  if (address$kind == "postgresql") grant_again(connection)
  if (version < 5L) pack_all(connection, address)
  if (version < 4L) seal_all(connection, address)
  seal_rest(connection)
}

# Tells one store from another, so that what one feed calls its state is not taken for that of the
# next.
new_identity <- function() {
  substr(digest::digest(list(Sys.time(), Sys.getpid(), tempfile()), algo = "sha256"), 1L, 12L)
}
