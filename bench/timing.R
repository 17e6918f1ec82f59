# How the benches take time: in turns, the least of each, which is what the work takes when
# nothing else is on the machine.
once <- function(task) {
  gc(FALSE)
  unname(system.time(task())[["elapsed"]])
}

timed <- function(tasks, rounds) {
  apply(do.call(rbind, lapply(seq_len(rounds), function(i) vapply(tasks, once, 0))), 2L, min)
}

ratio <- function(x, to) sprintf("%.2f", x / to)
