# What a call takes, in a process of its own: seconds, and memory.

# Prices that are made as they are read: sums of two of 64 random walks.
made_up <- '
made_up <- function(n, days, memory) {
  first <- as.Date(if (days > 6500) "1928-01-02" else "2000-01-03")
  dates <- first + 0:(ceiling(days * 7 / 5) + 6)
  dates <- dates[!as.POSIXlt(dates)$wday %in% c(0, 6)][seq_len(days)]
  securities <- sprintf("S%07d", seq_len(n))
  set.seed(1)
  pool <- apply(matrix(rnorm(days * 64, 2e-4, 0.012), days), 2, cumsum)
  tables <- function(names) {
    i <- as.integer(substring(names, 2))
    a <- pool[, i %% 64 + 1, drop = FALSE]
    b <- pool[, (i %/% 64) %% 64 + 1, drop = FALSE]
    close <- 100 * exp(a + b * rep(0.2 + (i %% 7) / 10, each = days))
    function(field, names) `colnames<-`(close, names)
  }
  reader <- list(
    securities = securities, dates = dates, origin = "prices made as they are read",
    measured = "close", fields = character(), layout = "wide", tables = tables, digest = "none"
  )
  imbroglio:::new_opened(list(
    dates = dates, chosen = securities, universe = securities, steps = list(),
    memory = imbroglio:::bytes_of(memory), reader = reader, measured = "close",
    origin = reader$origin
  ))
}
'

# What `code` takes in a process of its own, where `x` is made before: seconds, and by how many MB
# the most memory that it ever had is above what it had at the start. `warm`: whether it is done of
# two securities first, so that what R loads once (half a second) is not counted.
taken <- function(x, code, warm = FALSE) {
  # As the command: what R would compile on the way is not worth it.
  before <- Sys.getenv("R_ENABLE_JIT", NA)
  Sys.setenv(R_ENABLE_JIT = "0")
  on.exit(if (is.na(before)) Sys.unsetenv("R_ENABLE_JIT") else Sys.setenv(R_ENABLE_JIT = before))
  file <- tempfile(fileext = ".R")
  on.exit(unlink(file), add = TRUE)
  writeLines(c(
    "suppressMessages(library(imbroglio))", "options(cli.progress_show_after = Inf)",
    "peak <- function() as.numeric(gsub('[^0-9]', '',",
    "  grep('VmHWM', readLines('/proc/self/status'), value = TRUE))) / 1024",
    "quiet <- function(x) suppressWarnings(suppressMessages(x))",
    made_up, "start <- peak()", "before <- proc.time()[[3]]", paste("x <- quiet(", x, ")"),
    if (warm) sprintf("all <- x; x <- x[, seq_len(min(2L, ncol(x)))]; quiet(%s); x <- all", code),
    "opened <- proc.time()[[3]]", paste("made <- quiet(", code, ")"),
    "done <- proc.time()[[3]]",
    "cat('taken', done - opened, opened - before, peak() - start, NROW(made))"
  ), file)
  out <- system2("Rscript", file, stdout = TRUE)
  values <- strsplit(tail(out, 1L), " ", fixed = TRUE)[[1L]]
  if (values[1L] != "taken") stop(paste(out, collapse = "\n"))
  stats::setNames(as.numeric(values[-1L]), c("seconds", "opening", "memory", "rows"))
}

rows <- function(cells) {
  line <- function(x) paste0("| ", paste(x, collapse = " | "), " |")
  unname(apply(do.call(rbind, cells), 1L, line))
}
head_of <- function(...) {
  names <- c(...)
  c(paste0("| ", paste(names, collapse = " | "), " |"), paste0("|", strrep("---|", length(names))))
}
said <- function(x, digits = 3) format(signif(x, digits), big.mark = ",", scientific = FALSE)
note <- function(...) message(format(Sys.time(), "%H:%M:%S "), ...)

machine <- function(script) {
  processor <- sub("^.*: ", "", grep("model name", readLines("/proc/cpuinfo"), value = TRUE)[1L])
  sprintf(
    "%s, %d cores; %s; imbroglio %s; %s. By `%s`, each line in a process of its own.",
    processor, parallel::detectCores(), R.version.string, utils::packageVersion("imbroglio"),
    format(Sys.Date()), script
  )
}
