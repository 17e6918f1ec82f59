# The parts that tests are run against: a feed and a PostgreSQL server, each a process of its own.

# R in a process of its own, with the libraries of this one.
r_process <- function(code, ...) {
  processx::process$new(
    file.path(R.home("bin"), "Rscript"),
    c("--no-init-file", "-e", code),
    stdout = "|",
    stderr = "|",
    env = c("current", R_LIBS = paste(.libPaths(), collapse = .Platform$path.sep), ...)
  )
}

# A stand-in feed: its address, and the process to kill. `...`: its environment.
feed_process <- function(arguments = "", ..., port = 0L) {
  for (package in c("httr2", "httpuv", "RSQLite", "processx")) skip_if_not_installed(package)
  address <- tempfile()
  process <- r_process(
    sprintf(
      "imbroglio::serve_feed(%s port = %d, ready = function(a) writeLines(a, '%s'))",
      if (nzchar(arguments)) paste0(arguments, ",") else "",
      port,
      address
    ),
    ...
  )
  until <- Sys.time() + 60
  while (!file.exists(address) || !length(readLines(address))) {
    if (!process$is_alive() || Sys.time() > until) {
      stop("the feed does not start: ", process$read_all_error())
    }
    Sys.sleep(0.05)
  }
  list(address = readLines(address), process = process)
}

# A cluster of its own on a socket; its superuser is who owns it, as a server refuses to be run by
# root.
postgres_process <- function() {
  for (package in c("RPostgres", "processx")) skip_if_not_installed(package)
  programs <- c(Sys.glob("/usr/lib/postgresql/*/bin"), dirname(Sys.which("initdb")))
  programs <- programs[nzchar(programs) & file.exists(file.path(programs, "initdb"))]
  if (!length(programs)) skip("PostgreSQL is not installed")
  folder <- tempfile("pg", "/tmp")
  dir.create(folder, mode = "0700")
  as_owner <- identity
  if (Sys.info()[["effective_user"]] == "root") {
    if (system2("id", "postgres", stdout = FALSE, stderr = FALSE)) {
      skip("there is no user to run PostgreSQL as")
    }
    system2("chown", c("postgres", folder))
    as_owner <- function(command) c("runuser", "-u", "postgres", "--", command)
  }
  program <- function(name) file.path(programs[length(programs)], name)
  data <- file.path(folder, "data")
  words <- as_owner(c(
    program("initdb"), "-D", data, "-U", "tester", "-A", "trust", "-N", "-E", "UTF8"
  ))
  made <- processx::run(words[1], words[-1], wd = folder)
  words <- as_owner(c(
    program("postgres"),
    "-D",
    file.path(folder, "data"),
    "-k",
    folder,
    "-h",
    "",
    "-F"
  ))
  process <- processx::process$new(words[1], words[-1], wd = folder, stdout = "|", stderr = "|")
  address <- sprintf("postgresql://tester@/postgres?host=%s", folder)
  until <- Sys.time() + 60
  repeat {
    connection <- tryCatch(
      DBI::dbConnect(RPostgres::Postgres(), user = "tester", host = folder, dbname = "postgres"),
      error = function(e) NULL
    )
    if (!is.null(connection)) break
    if (!process$is_alive() || Sys.time() > until) {
      stop("PostgreSQL does not start: ", process$read_all_error())
    }
    Sys.sleep(0.1)
  }
  list(address = address, connection = connection, process = process, folder = folder)
}

stop_postgres <- function(server) {
  DBI::dbDisconnect(server$connection)
  server$process$signal(2L)
  server$process$wait(10000)
  server$process$kill_tree()
  unlink(server$folder, recursive = TRUE)
}
