# What several workers gain: one process with one thread and with two, two forks, two sessions, two
# hosts over SSH and two nodes of a scheduler, all on this machine. Run with `make workers` (ten
# minutes, 130 MB of disk; `tools/setup machines` installs the servers); writes bench/workers.md.
source("bench/taken.R")
suppressMessages(library(imbroglio))
folder <- tempfile("workers-", "/tmp")
dir.create(folder)
market <- file.path(folder, "market")
written <- taken("made_up(4000, 4000, '1GB')", sprintf("write_prices(x, '%s')", market))
asked <- c(
  "summary beside a benchmark" = "measure_summary(x, 'S0000001')",
  "historical value at risk" = "measure_var(x)",
  "Student's distribution, of 1,000" = "measure_var(x[, 1:1000], method = 'student')"
)

start <- function(kind) {
  place <- file.path(folder, kind)
  if (system2(file.path("tests", "machines", kind), c("start", place)) != 0L) return(NULL)
  place
}
hosts <- start("hosts")
slurm <- start("slurm")
plan_by <- function(kind, lines) {
  file <- file.path(folder, paste0(kind, ".yml"))
  writeLines(c(lines, sprintf("libraries: [%s]", paste(.libPaths(), collapse = ", "))), file)
  sprintf("quiet(imbroglio:::set_plan_of_file('%s'))", file)
}
ways <- c(
  "one process, one thread" = "RcppParallel::setThreadOptions(1L)",
  "one process, two threads" = "RcppParallel::setThreadOptions(2L)",
  "two forks" = "future::plan(future::multicore, workers = 2L)",
  "two sessions" = "future::plan(future::multisession, workers = 2L)",
  "two hosts over SSH" = if (!is.null(hosts)) {
    plan_by("hosts", c("hosts: [desk1, desk2]", paste0("ssh: ", hosts, "/config")))
  },
  "two nodes of a scheduler" = if (!is.null(slurm)) {
    Sys.setenv(SLURM_CONF = file.path(slurm, "slurm.conf"))
    dir.create(jobs <- file.path(slurm, "jobs"))
    plan_by("slurm", c("scheduler: slurm", "workers: 2", paste0("folder: ", jobs)))
  }
)

# Seconds, and a digest of what came: NA where it did not end within five minutes.
by_way <- function(way, code) {
  file <- tempfile(fileext = ".R")
  on.exit(unlink(file))
  writeLines(c(
    "suppressMessages(library(imbroglio))", "options(cli.progress_show_after = Inf)",
    "quiet <- function(x) suppressWarnings(suppressMessages(x))",
    sprintf("x <- open_prices('%s', memory = '300MB')", market), way,
    # Workers that are begun once are begun before.
    "if (!inherits(future::plan('list')[[1]], 'batchtools')) quiet(measure_volatility(x[, 1:40]))",
    "before <- proc.time()[[3]]", sprintf("made <- quiet(%s)", code),
    "cat('taken', proc.time()[[3]] - before, digest::digest(as.data.frame(made)))"
  ), file)
  out <- suppressWarnings(system2("Rscript", file, stdout = TRUE, timeout = 300))
  values <- strsplit(paste(tail(out, 1L), ""), " ", fixed = TRUE)[[1L]]
  if (!identical(values[1L], "taken")) return(list(seconds = NA_real_, digest = NA_character_))
  list(seconds = as.numeric(values[2L]), digest = values[3L])
}
found <- lapply(asked, function(code) {
  lapply(ways, function(way) {
    note(way)
    twice <- lapply(1:2, function(i) by_way(way, code))
    twice[[order(vapply(twice, `[[`, 0, "seconds"))[1L]]]
  })
})
for (kind in c("hosts", "slurm")) {
  system2(file.path("tests", "machines", kind), c("stop", file.path(folder, kind)))
}
unlink(folder, recursive = TRUE)
same <- vapply(found, function(by) {
  length(unique(stats::na.omit(vapply(by, `[[`, "", "digest")))) == 1L
}, NA)
if (!all(same)) stop("the results differ: ", toString(names(asked)[!same]))
cells <- lapply(names(ways), function(way) {
  c(way, vapply(found, function(by) {
    seconds <- by[[way]]$seconds
    if (is.na(seconds)) return("did not end within five minutes")
    sprintf("%s s, %.2f", said(seconds, 2), by[[1L]]$seconds / seconds)
  }, ""))
})
writeLines(c(
  "# What several workers gain",
  "",
  machine("bench/workers.R"),
  "4,000 securities of 4,000 days in a folder, `--memory 300MB`; the lesser of two. Seconds, and",
  "how many times as fast as one process with one thread. All results are the same to the bit.",
  "",
  head_of("", names(asked)),
  rows(cells),
  "",
  "A fork or a host has one thread here, since there are two cores for two of them. The first",
  "block is measured before the others are handed out; a job of the scheduler takes some seconds",
  "to begin, which is what its short runs are made of."
), "bench/workers.md")
