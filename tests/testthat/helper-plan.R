# Other machines, for real: hosts over SSH and a batch scheduler, on this one. Each gives the text
# of a plan file; what was started ends with the file of tests.
machine_plan <- function(kind, where = parent.frame()) {
  script <- suppressWarnings(normalizePath(test_path("..", "machines", kind)))
  server <- c(hosts = "sshd", slurm = "slurmctld")[[kind]]
  there <- nzchar(Sys.which(server)) || file.exists(file.path("/usr/sbin", server))
  if (!there || !file.exists(script)) return(NULL)
  folder <- tempfile(kind, "/tmp")
  dir.create(folder)
  withr::defer({
    system2(script, c("stop", folder))
    unlink(folder, recursive = TRUE)
  }, where)
  expect_equal(system2(script, c("start", folder)), 0L)
  libraries <- sprintf("libraries: [%s]", paste(.libPaths(), collapse = ", "))
  if (kind == "hosts") {
    return(c("hosts: [desk1, desk2]", paste0("ssh: ", folder, "/config"), libraries))
  }
  withr::local_envvar(SLURM_CONF = file.path(folder, "slurm.conf"), .local_envir = where)
  dir.create(jobs <- file.path(folder, "jobs"))
  c("scheduler: slurm", "workers: 2", paste0("folder: ", jobs), libraries)
}

plan_file <- function(lines) {
  file <- tempfile(fileext = ".yml")
  writeLines(lines, file)
  file
}

# A study of two securities, and what it made.
small_study <- function(...) {
  folder <- tempfile("side-by-side-")
  dir.create(folder)
  prices <- as.matrix(demo_prices()[1:300, c("OSSELL", "TARROW", "BAYALL")])
  write.csv(
    data.frame(date = rownames(prices), prices), file.path(folder, "prices.csv"),
    row.names = FALSE
  )
  file <- file.path(folder, "study.yml")
  writeLines(c(
    "prices: prices.csv", "book: {shares: {OSSELL: 100, TARROW: 60}}", "benchmark: BAYALL",
    "measures: {return: , beta: }", ...
  ), file)
  file
}

digests_of <- function(folder) {
  files <- list.files(folder, recursive = TRUE)
  stats::setNames(tools::md5sum(file.path(folder, files)), files)
}
