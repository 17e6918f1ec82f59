# What several workers gain: one process with a thread for each core, and with one thread; forks,
# sessions, two hosts over SSH and two nodes of a scheduler on this machine. Run with `make
# workers`; writes bench/workers.md.
library(imbroglio)
options(cli.progress_show_after = Inf)
set.seed(2)
folder <- tempfile("workers-")
dir.create(folder)
market <- file.path(folder, "market")
n <- 4000L
size <- c(4000L, n)
days <- seq(as.Date("2005-01-01"), by = "day", length.out = 1.5 * size[1L])
days <- days[!as.POSIXlt(days)$wday %in% c(0, 6)][seq_len(size[1L])]
prices <- 100 * exp(apply(matrix(rnorm(prod(size), 0, 0.01), size[1L]), 2L, cumsum))
colnames(prices) <- sprintf("S%04d", seq_len(n))
quiet <- function(code) suppressWarnings(suppressMessages(code))
quiet(write_prices(as_prices(prices, dates = days), market))
rm(prices)
x <- open_prices(market, memory = "300MB")
asked <- list(
  "summary beside a benchmark" = function() measure_summary(x, "S0001"),
  "value at risk of losses" = function() measure_var(x, method = "historical"),
  "fits of 64" = function() fit_returns(x[, seq_len(64L)])
)
seconds <- function(code) system.time(code, gcFirst = FALSE)[["elapsed"]]
libraries <- sprintf("libraries: [%s]", paste(.libPaths(), collapse = ", "))
plan_by <- function(lines) {
  writeLines(c(lines, libraries), file.path(folder, "plan.yml"))
  quiet(imbroglio:::set_plan_of_file(file.path(folder, "plan.yml")))
}
start <- function(kind) {
  place <- file.path(folder, kind)
  stopifnot(system2(file.path("tests", "machines", kind), c("start", place)) == 0L)
  place
}
hosts <- start("hosts")
slurm <- start("slurm")
Sys.setenv(SLURM_CONF = file.path(slurm, "slurm.conf"))
dir.create(jobs <- file.path(slurm, "jobs"))
ways <- list(
  "one process, one thread" = function() RcppParallel::setThreadOptions(1L),
  "one process, two threads" = function() RcppParallel::setThreadOptions(2L),
  "two forks" = function() future::plan(future::multicore, workers = 2L),
  "two sessions" = function() future::plan(future::multisession, workers = 2L),
  "two hosts over SSH" = function() {
    plan_by(c("hosts: [desk1, desk2]", paste0("ssh: ", hosts, "/config")))
  },
  "two nodes of a scheduler" = function() {
    plan_by(c("scheduler: slurm", "workers: 2", paste0("folder: ", jobs)))
  }
)
first <- made <- NULL
took <- vapply(ways, function(set) {
  set()
  # Workers that are begun once are begun before.
  if (inherits(future::plan("list")[[1L]], "cluster")) quiet(measure_volatility(x[, 1:40]))
  each <- vapply(asked, function(f) seconds(made <<- c(made, list(as.data.frame(quiet(f()))))), 0)
  same <- made
  made <<- NULL
  if (is.null(first)) first <<- same
  stopifnot(identical(first, same))
  each
}, numeric(length(asked)))
for (kind in c("hosts", "slurm")) {
  system2(file.path("tests", "machines", kind), c("stop", file.path(folder, kind)))
}
unlink(folder, recursive = TRUE)
lines <- c(
  sprintf(
    "%s securities x %s days in a folder, %s; two cores (%s). The same bits each time.",
    format(n, big.mark = ","), format(size[1L], big.mark = ","), "--memory 300MB",
    format(Sys.Date())
  ),
  "", sprintf("| | %s |", paste(names(asked), collapse = " | ")), "|---|---|---|---|",
  sprintf(
    "| one process, one thread: seconds | %s |",
    paste(sprintf("%.1f", took[, 1L]), collapse = " | ")
  ),
  vapply(names(ways)[-1L], function(way) {
    sprintf("| %s: times as fast | %s |", way, paste(
      sprintf("%.2f", took[, 1L] / took[, way]), collapse = " | "
    ))
  }, "", USE.NAMES = FALSE),
  "",
  "A worker has one thread here, since there are two cores. The first block is measured before",
  "the others are handed out; a job of the scheduler takes some seconds to begin, which is what",
  "its short runs are made of."
)
writeLines(lines, "bench/workers.md")
writeLines(lines)
