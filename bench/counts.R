# Instructions of the core's loops and of whole calls, by valgrind, which are the same on every
# run but for a hair. `make counts` compares them with bench/counts.csv: one that has grown by
# more than a tenth fails. `make counts UPDATE=yes` writes the file anew.
calls <- c("summary", "value at risk", "rolling volatility", "backtest", "prices of a matrix")
if (identical(commandArgs(TRUE)[1L], "calls")) {
  dyn.load(commandArgs(TRUE)[2L])
  library(imbroglio)
  RcppParallel::setThreadOptions(numThreads = 1L)
  days <- 1500L
  set.seed(1)
  values <- matrix(
    stats::rnorm(days * 40L, 0, 0.01),
    days,
    dimnames = list(format(as.Date("2015-01-01") + seq_len(days)), sprintf("S%02d", 1:40))
  )
  returns <- as_returns(values, given = "returns", every = "day")
  whole <- list(
    function() measure_summary(returns, "S01"),
    function() measure_var(returns, method = c("historical", "normal", "cornish-fisher")),
    function() measure_volatility(returns, window = 60),
    function() backtest_var(returns[, 1:5], window = 250),
    function() as_prices(100 + values)
  )
  for (i in seq_along(whole)) {
    # What is compiled when it is used twice is no part of the call.
    for (warm in 1:3) suppressWarnings(whole[[i]]())
    gc(FALSE)
    .C("count_from_here")
    suppressWarnings(whole[[i]]())
    .C("count_to_here", calls[i])
  }
  quit()
}

folder <- tempfile()
dir.create(folder)
at <- function(name) file.path(folder, name)
must <- function(command, arguments) {
  said <- suppressWarnings(system2(command, arguments, stdout = TRUE, stderr = TRUE))
  if (!is.null(attr(said, "status"))) {
    writeLines(utils::tail(said, 20L), stderr())
    stop(command, " failed")
  }
  invisible(said)
}
compiler <- strsplit(system2("R", c("CMD", "config", "CXX17"), stdout = TRUE), " ")[[1L]][1L]
must(compiler, c("-std=gnu++17 -O2 -g -I src/core bench/core-loops.cpp -o", at("loops")))
must("cc", c("-shared -fPIC -O1 bench/marks.c -o", at("marks.so")))

# Of one run of measured(), or of what was dumped under a name.
total <- function(file) {
  line <- grep("^(summary|totals):", readLines(file), value = TRUE)
  as.numeric(sub("^[a-z]+: *([0-9]+).*", "\\1", line[1L]))
}
valgrind <- function(out, ...) {
  must("valgrind", c("--tool=callgrind", paste0("--callgrind-out-file=", at(out)), ...))
}
loops <- system2(at("loops"), stdout = TRUE)
counted <- vapply(loops, function(name) {
  valgrind("out", "--toggle-collect=measured", at("loops"), shQuote(name))
  total(at("out"))
}, 0)
home <- system2("R", "RHOME", stdout = TRUE)
libraries <- paste0(file.path(home, "lib"), ":", Sys.getenv("LD_LIBRARY_PATH"))
Sys.setenv(R_HOME = home, LD_LIBRARY_PATH = libraries)
valgrind(
  "calls",
  file.path(home, "bin", "exec", "R"),
  "--no-echo --no-restore --vanilla --file=bench/counts.R --args calls",
  at("marks.so")
)
dumps <- list.files(folder, "^calls\\.[0-9]+$", full.names = TRUE)
named <- vapply(dumps, function(f) {
  marked <- grep("Client Request:", readLines(f, 40L), value = TRUE)
  sub("^desc: Trigger: Client Request: ", "", marked[1L])
}, "")
whole <- vapply(calls, function(name) total(dumps[match(name, named)]), 0)
found <- data.frame(
  what = c(loops, calls),
  kind = rep(c("loop", "call"), c(length(loops), length(calls))),
  instructions = c(counted, whole)
)
kept <- "bench/counts.csv"
if (nzchar(Sys.getenv("UPDATE")) || !file.exists(kept)) {
  found$instructions <- sprintf("%.0f", found$instructions)
  utils::write.csv(found, kept, row.names = FALSE, quote = FALSE)
  writeLines(paste("wrote", kept))
} else {
  before <- utils::read.csv(kept)
  grown <- found$instructions / before$instructions[match(found$what, before$what)] - 1
  writeLines(sprintf("%-28s %14.0f %+7.2f %%", found$what, found$instructions, 100 * grown))
  worse <- found$what[is.na(grown) | grown > 0.1]
  if (length(worse)) stop("more than a tenth worse, or new: ", paste(worse, collapse = ", "))
}
