# How the benches take time: in turns, the least of each, which is what the work takes when
# nothing else is on the machine.
once <- function(task) {
  gc(FALSE)
  # Finer than system.time() tells.
  before <- Sys.time()
  task()
  as.numeric(Sys.time() - before, units = "secs")
}

timed <- function(tasks, rounds) {
  apply(do.call(rbind, lapply(seq_len(rounds), function(i) vapply(tasks, once, 0))), 2L, min)
}

# Rounds until the least of none has fallen by more than one in fifty for four of them.
least_of <- function(tasks, most = 25L) {
  least <- vapply(tasks, once, 0)
  stable <- 0L
  for (round in seq_len(most)) {
    now <- pmin(least, vapply(tasks, once, 0))
    stable <- if (any(now < 0.98 * least)) 0L else stable + 1L
    least <- now
    if (stable >= 4L) break
  }
  least
}

# Freed memory is kept by the process, so that what is written is not paged in first; without
# that ("cold") a copy takes about three times as long.
kept_memory <- c("MALLOC_MMAP_THRESHOLD_=4294967296", "MALLOC_TRIM_THRESHOLD_=80000000000")

threads <- function(n) RcppParallel::setThreadOptions(numThreads = n)

ratio <- function(x, to) sprintf("%.2f", x / to)
