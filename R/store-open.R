# Where a price store lives and how it is opened: a file of SQLite's or a PostgreSQL database.

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
# of a writer the whole or nothing, one writer at a time; `keep`: whether what was written stays.
with_store <- function(store, work, write = FALSE, least = readable_version, keep = write) {
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
  still <- if (!write && !is.null(address$file) && !may_write_beside(address$file)) {
    state_of_file(address$file)
  }
  tryCatch({
    result <- unmoved(
      address, still, in_transaction(connection, address, work, write, least, keep)
    )
    done <- keep
    if (keep && !is.null(address$file)) tidy_file(connection, address$file)
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
in_transaction <- function(connection, address, work, write, least, keep) {
  run <- function(statement) DBI::dbExecute(connection, statement)
  own <- address$kind == "sqlite"
  done <- FALSE
  on.exit(if (!done) {
    try(if (own) run("rollback") else DBI::dbRollback(connection), silent = TRUE)
  })
  begin_work(connection, address, run, write)
  if (write) {
    migrate_store(connection, address)
    check_rest(connection, address)
  } else {
    check_version(connection, address, least)
  }
  result <- work(connection, address)
  if (write && !keep) return(result)
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

# From its first prices on, a file is read while it is written: by a log of what is written. Where
# readers kept what stands in a long log from being put into the file, they are waited for a
# moment; room that was given up is given back.
tidy_file <- function(connection, file) {
  ask <- function(...) DBI::dbGetQuery(connection, paste("pragma", ...))[[1L]]
  ask("busy_timeout = 2000")
  try(silent = TRUE, {
    ask("journal_mode = wal")
    free <- ask("freelist_count")
    if (free > 1000 && free > 0.3 * ask("page_count")) DBI::dbExecute(connection, "vacuum")
    long <- file.size(paste0(file, "-wal")) > 2^25
    if (long %in% TRUE) ask("wal_checkpoint(truncate)")
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
    # To ask for it is a right of its own, even where it is there.
    here <- "select 1 from pg_namespace where nspname = 'imbroglio'"
    if (!nrow(DBI::dbGetQuery(connection, here))) run("create schema imbroglio")
  }
  refuse_without_rights(connection, address, write)
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
    return(in_some_zone({
      need_package("RPostgres", "A PostgreSQL store")
      tryCatch(
        do.call(DBI::dbConnect, c(list(RPostgres::Postgres()), address$given)),
        error = unopened
      )
    }))
  }
  need_package("RSQLite", "A price store in a file")
  if (!write && !file.exists(address$file)) {
    fail("file", sprintf("There is no store %s.", address$file))
  }
  if (!dir.exists(dirname(address$file))) {
    fail(
      c(if (write) "write", "file"),
      sprintf("There is no folder %s to keep a store in.", dirname(address$file))
    )
  }
  refuse_file_rights(address$file, write)
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

# Whoever is connected asks for the time zone, aloud where the machine does not know it.
in_some_zone <- function(code) {
  if (is.na(Sys.getenv("TZ", NA))) {
    Sys.setenv(TZ = "UTC")
    on.exit(Sys.unsetenv("TZ"))
  }
  code
}

# What is written is a file, and others beside it while it is.
refuse_file_rights <- function(file, write) {
  folder <- dirname(file)
  there <- file.exists(file)
  refused <- if (there && file.access(file, 4L) != 0L) {
    list(file, "read the store %s", "the right to read it")
  } else if (write && there && file.access(file, 2L) != 0L) {
    list(file, "write to the store %s", "the right to write it and its folder")
  } else if (write && file.access(folder, 2L) != 0L) {
    list(
      folder, if (there) "write beside the store %s" else "make the store %s",
      "the right to write the folder"
    )
  }
  if (is.null(refused)) return(invisible())
  fail(
    c(if (write) "write", if (there) "store", "file"),
    sprintf(paste0("You may not ", refused[[2L]], "."), basename(file)),
    where = whose(refused[[1L]]),
    remedy = sprintf("Ask its owner for %s.", refused[[3L]])
  )
}

may_write_beside <- function(file) {
  file.access(file, 2L) == 0L && file.access(dirname(file), 2L) == 0L
}

state_of_file <- function(file) {
  paste(file.info(file)[c("size", "mtime")], file.exists(paste0(file, "-wal")))
}

# A file that nothing can be locked beside is read as if nobody wrote it; whether somebody did is
# seen afterwards, whatever came of it.
unmoved <- function(address, still, code) {
  seen <- function() {
    if (is.null(still) || identical(still, state_of_file(address$file))) return()
    fail(
      "store", sprintf("The store %s was written while it was read.", address$shown),
      remedy = "Read it again; with the right to write in its folder, both go on side by side."
    )
  }
  result <- tryCatch(code, error = function(e) {
    seen()
    stop(e)
  })
  seen()
  result
}

# The journal of a writer that was killed is rolled back by whoever opens the file next, also to
# read.
connect_file <- function(file, write) {
  connect <- function(file, flags) {
    DBI::dbConnect(RSQLite::SQLite(), file, flags = flags, synchronous = NULL)
  }
  if (write) return(connect(file, RSQLite::SQLITE_RWC))
  if (may_write_beside(file)) return(connect(file, RSQLite::SQLITE_RW))
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
