# Who may do what in a store on a server, and what is said to those who may not.

#' Give the rights to a price store
#'
#' A store on a PostgreSQL server belongs to whoever first wrote to it. Others are given the
#' rights to read it, or to write to it, too: to all of its tables, and to none of another. Who
#' was given them before is given those that are new. A role is made by the server's own
#' `create role`.
#'
#' A newer version of this package may bring the tables up to date, which is for the owner: it
#' adds or fetches once, and gives the rights again.
#'
#' A store that is a file has the rights of its file and folder: who writes needs them of both.
#'
#' @param store A store on a server, see [store_prices()].
#' @param role A role of the server.
#' @param may `"read"` or `"write"` (which is to read, too).
#' @return Invisibly, the statements that were run.
#' @section Errors: `imbroglio_error_argument` for a file, `imbroglio_error_store` for a role that
#'   is not there, or for rights that are not ours to give.
#' @family ways to get prices
#' @examples
#' \dontrun{
#' grant_store("postgresql://owner@host/prices", "analysts")
#' grant_store("postgresql://owner@host/prices", "nightly", may = "write")
#' }
#' @export
grant_store <- function(store, role, may = c("read", "write")) {
  may <- one_of(may, "may", c("read", "write"))
  if (!is.character(role) || length(role) != 1L || is.na(role) || !nzchar(role)) {
    fail("argument", "`role` is one name.", where = sprintf("It is %s.", shown(role)))
  }
  address <- store_address(store)
  if (address$kind != "postgresql") {
    fail(
      "argument", sprintf("The store %s is a file: its rights are those of the file.",
                          address$shown),
      remedy = paste(
        "Give its group the right to read it; who writes needs it of the folder, too, as by",
        "chgrp and chmod g+rws."
      )
    )
  }
  done <- with_store(store, function(connection, address) {
    owner <- owner_of_tables(connection)
    if (!owner$own) {
      fail(
        "store", sprintf("The rights to the store %s are not ours to give.", address$shown),
        where = sprintf("It belongs to %s.", owner$owner),
        remedy = sprintf("Let %s run this.", owner$owner)
      )
    }
    there <- DBI::dbGetQuery(
      connection, "select 1 from pg_roles where rolname = $1", params = list(role)
    )
    quoted <- as.character(DBI::dbQuoteIdentifier(connection, role))
    if (!nrow(there)) {
      fail(
        "store", sprintf("The server has no role %s.", role),
        remedy = sprintf("Make it by: create role %s login;", quoted)
      )
    }
    statements <- grant_statements(connection, quoted, may)
    for (statement in statements) DBI::dbExecute(connection, statement)
    statements
  }, write = TRUE)
  note("granted", sprintf("%s may %s the store %s.", role, may, address$shown))
  invisible(done)
}

grant_statements <- function(connection, role, may) {
  database <- DBI::dbGetQuery(connection, "select current_database()::text as name")$name
  rights <- if (may == "read") "select" else "select, insert, update, delete"
  sprintf(
    c(
      "grant usage on schema imbroglio to %s",
      paste("grant", rights, "on all tables in schema imbroglio to %s"),
      # What rows are handed over in.
      if (may == "write") {
        sprintf("grant temporary on database %s to %%s", DBI::dbQuoteIdentifier(
          connection, database
        ))
      }
    ),
    role
  )
}

# Who had rights before the tables were brought up to date has them of those that are new.
grant_again <- function(connection) {
  held <- DBI::dbGetQuery(
    connection,
    "select pg_get_userbyid(a.grantee)::text as role,
       bool_or(a.privilege_type = 'INSERT') as writes
     from pg_class c join pg_namespace n on n.oid = c.relnamespace, aclexplode(c.relacl) a
     where n.nspname = 'imbroglio' and c.relname = 'additions' and a.grantee not in (0, c.relowner)
     group by a.grantee"
  )
  for (i in seq_len(nrow(held))) {
    role <- as.character(DBI::dbQuoteIdentifier(connection, held$role[i]))
    may <- if (held$writes[i]) "write" else "read"
    for (statement in grant_statements(connection, role, may)) {
      DBI::dbExecute(connection, statement)
    }
  }
}

# Of a store that is there, but not for this role, it is told whose it is and what to ask for.
refuse_without_rights <- function(connection, address, write) {
  rights <- if (write) c("select", "insert", "update", "delete") else "select"
  found <- DBI::dbGetQuery(connection, sprintf(
    "select min(pg_get_userbyid(c.relowner)::text) as owner, session_user::text as who,
       bool_and(has_schema_privilege(n.oid, 'usage') and %s) as may
     from pg_class c join pg_namespace n on n.oid = c.relnamespace
     where n.nspname = 'imbroglio' and c.relkind = 'r'",
    paste(sprintf("has_table_privilege(c.oid, '%s')", rights), collapse = " and ")
  ))
  if (is.na(found$may) || found$may) return(invisible())
  fail(
    c(if (write) "write", "store"),
    sprintf(
      "The role %s has no right to %s the store %s.", found$who,
      if (write) "write to" else "read", address$shown
    ),
    where = sprintf("It belongs to %s.", found$owner),
    remedy = sprintf(
      "Let %s run: imbroglio store STORE --grants %s%s", found$owner, found$who,
      if (write) " --may write" else ""
    )
  )
}

# Whose the tables are, and whether that is us; no row where there are none.
owner_of_tables <- function(connection) {
  DBI::dbGetQuery(
    connection,
    "select pg_get_userbyid(c.relowner)::text as owner, pg_has_role(c.relowner, 'usage') as own
     from pg_class c join pg_namespace n on n.oid = c.relnamespace
     where n.nspname = 'imbroglio' and c.relname = 'imbroglio_store'"
  )
}

# Tables are brought up to date by whose they are.
refuse_migration <- function(connection, address, version) {
  owner <- owner_of_tables(connection)
  if (!nrow(owner) || owner$own) return(invisible())
  fail(
    c("write", "store"),
    sprintf("The tables of the store %s are of an older version of this package.", address$shown),
    where = sprintf(
      "They are of version %d, and are brought to %d by the owner, %s.", version,
      length(store_migrations), owner$owner
    ),
    remedy = sprintf("Let %s add or fetch anything once with this version.", owner$owner)
  )
}
