# Where a price store lives, what its tables are, and how it is opened: a file of SQLite's or a
# PostgreSQL database, one schema for both.

# A store as a user names it: a file, "sqlite:FILE", "postgresql://...", or a DBI connection.
store_address <- function(store) {
  if (inherits(store, "DBIConnection")) {
    return(list(
      kind = if (inherits(store, "SQLiteConnection")) "sqlite" else "postgresql",
      connection = store,
      shown = "of the connection"
    ))
  }
  if (!is.character(store) || length(store) != 1L || is.na(store) || !nzchar(store)) {
    fail(
      "argument",
      "A store is a file, \"sqlite:FILE\", \"postgresql://...\" or a DBI connection.",
      where = sprintf("It is %s.", shown(store))
    )
  }
  if (grepl("^postgres(ql)?:", store)) return(postgresql_address(store))
  file <- sub("^sqlite:", "", store)
  list(kind = "sqlite", file = file, shown = basename(file))
}

is_store_address <- function(text) grepl("^(sqlite|postgres|postgresql):", text)

postgresql_address <- function(text) {
  form <- paste0(
    "^postgres(?:ql)?://(?:([^/?#]*)@)?(\\[[^]]*\\]|[^:/?#@]*)(?::([0-9]+))?",
    "/([^?#]+)(?:\\?([^#]*))?$"
  )
  parts <- regmatches(text, regexec(form, text, perl = TRUE))[[1L]]
  if (!length(parts)) {
    fail(
      "argument",
      "An address of a PostgreSQL store is postgresql://USER@HOST:PORT/DATABASE.",
      remedy = "A socket is given as postgresql:///DATABASE?host=/FOLDER."
    )
  }
  plain <- vapply(parts[-1L], utils::URLdecode, "", USE.NAMES = FALSE)
  options <- strsplit(strsplit(parts[6L], "&", fixed = TRUE)[[1L]], "=", fixed = TRUE)
  more <- lapply(options, function(o) utils::URLdecode(o[2L]))
  names(more) <- vapply(options, `[`, "", 1L)
  # Whoever lists the processes of a machine would read it.
  if (grepl(":", parts[2L], fixed = TRUE) || "password" %in% names(more)) {
    fail(
      "argument",
      "There is a password in the address of the store.",
      remedy = "Leave it out, and set PGPASSWORD or write it to ~/.pgpass."
    )
  }
  given <- list(user = plain[1L], host = plain[2L], port = plain[3L], dbname = plain[4L])
  given <- utils::modifyList(given[vapply(given, nzchar, NA)], more)
  list(
    kind = "postgresql",
    given = given,
    shown = sprintf("%s on %s", given$dbname, given$host %||% "this machine")
  )
}

# Runs `work` with a connection, all of it in one transaction: of a reader one state of the store,
# of a writer the whole or nothing, one writer at a time.
with_store <- function(store, work, write = FALSE, least = readable_version) {
  need_package("DBI", "A price store")
  address <- store_address(store)
  done <- FALSE
  fresh <- write && !is.null(address$file) && file_kind(address$file) == "none"
  connection <- connect_store(address, write)
  # A new store whose first writing failed is not left behind as a ruin.
  if (fresh) on.exit(if (!done) remove_ruin(address$file))
  if (is.null(address$connection)) {
    on.exit(DBI::dbDisconnect(connection), add = TRUE, after = FALSE)
  }
  tryCatch({
    result <- in_transaction(connection, address, work, write, least)
    done <- TRUE
    if (write && !is.null(address$file)) tidy_file(connection)
    result
  }, error = function(e) {
    if (inherits(e, "imbroglio_error") || inherits(e, "interrupt")) stop(e)
    fail(
      c(if (write) "write", "store"),
      sprintf(
        "The store %s could not be %s; it is as it was.", address$shown,
        if (write) "written" else "read"
      ),
      where = conditionMessage(e)
    )
  })
}

# What `work` gives, all of it or nothing: read of one state, or written and sealed.
in_transaction <- function(connection, address, work, write, least) {
  run <- function(statement) DBI::dbExecute(connection, statement)
  own <- address$kind == "sqlite"
  done <- FALSE
  begin_work(connection, address, run, write)
  on.exit(if (!done) {
    try(if (own) run("rollback") else DBI::dbRollback(connection), silent = TRUE)
  })
  if (write) {
    migrate_store(connection, address)
    check_rest(connection, address)
  } else {
    check_version(connection, address, least)
  }
  result <- work(connection, address)
  if (write) seal_rest(connection)
  if (own) run("commit") else DBI::dbCommit(connection)
  done <- TRUE
  result
}

remove_ruin <- function(file) {
  journal <- paste0(file, "-journal")
  if (file.exists(file) && (file.size(file) == 0 || file.exists(journal))) {
    unlink(c(file, journal))
  }
}

# From its first prices on, a file is read while it is written: by a log of what is written. What
# stands in the log is put into the file, and room that was given up is given back, unless others
# are reading just now; then the next writer does.
tidy_file <- function(connection) {
  ask <- function(...) DBI::dbGetQuery(connection, paste("pragma", ...))[[1L]]
  ask("busy_timeout = 2000")
  try(silent = TRUE, {
    ask("journal_mode = wal")
    free <- ask("freelist_count")
    if (free > 1000 && free > 0.3 * ask("page_count")) DBI::dbExecute(connection, "vacuum")
    ask("wal_checkpoint(truncate)")
  })
}

begin_work <- function(connection, address, run, write) {
  if (address$kind == "sqlite") return(run(if (write) "begin immediate" else "begin"))
  # By a call of its own: what writes tables there would otherwise begin and commit by itself.
  DBI::dbBegin(connection)
  if (!write) run("set transaction isolation level repeatable read, read only")
  run("set local client_min_messages to warning")
  if (write) {
    # Any number will do that no other program locks by.
    run("select pg_advisory_xact_lock(817254036)")
    run("create schema if not exists imbroglio")
  }
  run("set local search_path to imbroglio")
}

connect_store <- function(address, write) {
  if (!is.null(address$connection)) return(address$connection)
  unopened <- function(e) {
    fail(
      "store",
      sprintf("The store %s cannot be opened.", address$shown),
      where = conditionMessage(e)
    )
  }
  if (address$kind == "postgresql") {
    need_package("RPostgres", "A PostgreSQL store")
    return(tryCatch(
      do.call(DBI::dbConnect, c(list(RPostgres::Postgres()), address$given)),
      error = unopened
    ))
  }
  need_package("RSQLite", "A price store in a file")
  if (!write && !file.exists(address$file)) {
    fail("file", sprintf("There is no store %s.", address$file))
  }
  if (!dir.exists(dirname(address$file))) {
    fail("file", sprintf("There is no folder %s to keep a store in.", dirname(address$file)))
  }
  if (file.exists(address$file) && file.size(address$file) > 0 && !is_sqlite(address$file)) {
    fail("file", sprintf("%s is not a price store.", address$file))
  }
  connection <- tryCatch(connect_file(address$file, write), error = unopened)
  tryCatch(
    {
      DBI::dbGetQuery(connection, "pragma busy_timeout = 120000")
      DBI::dbExecute(connection, "pragma synchronous = full")
    },
    error = function(e) {
      DBI::dbDisconnect(connection)
      unopened(e)
    }
  )
  connection
}

# The journal of a writer that was killed is rolled back by whoever opens the file next, also to
# read. Where nothing may be written beside it, nobody writes it either.
connect_file <- function(file, write) {
  connect <- function(file, flags) {
    DBI::dbConnect(RSQLite::SQLite(), file, flags = flags, synchronous = NULL)
  }
  may_write <- file.access(file, 2L) == 0L && file.access(dirname(file), 2L) == 0L
  if (write) return(connect(file, RSQLite::SQLITE_RWC))
  if (may_write) return(connect(file, RSQLite::SQLITE_RW))
  if (file.exists(paste0(file, "-wal"))) return(connect(file, RSQLite::SQLITE_RO))
  path <- utils::URLencode(normalizePath(file, winslash = "/"))
  still <- paste0("file:", gsub("[?]", "%3f", gsub("#", "%23", path)), "?immutable=1")
  connect(still, bitwOr(RSQLite::SQLITE_RO, 0x40L))
}

is_sqlite <- function(path) {
  file_kind(path.expand(path)) == "file" &&
    file.access(path, 4L) == 0L &&
    kind_of_bytes(readBin(path, "raw", 16L)) == "sqlite"
}

# ---- the schema -------------------------------------------------------------------------------

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
  }
)

# Stores from this version on can be read; the next has checksums, the one after packed parts.
readable_version <- 3L
is_sealed <- function(connection) store_version(connection) >= 4L
has_parts <- function(connection) store_version(connection) >= 5L

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
  if (version < 5L) pack_all(connection, address)
  if (version < 4L) seal_all(connection, address)
  seal_rest(connection)
}

# Tells one store from another, so that what one feed calls its state is not taken for that of the
# next.
new_identity <- function() {
  substr(digest::digest(list(Sys.time(), Sys.getpid(), tempfile()), algo = "sha256"), 1L, 12L)
}
