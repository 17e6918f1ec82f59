# Value at risk, drawn books and backtests, as ratios measured in one process. Run with `make
# bench`; writes bench/var.md.
library(imbroglio)
source("bench/timing.R")
set.seed(1)
table_of <- function(days, securities) {
  x <- matrix(stats::rnorm(days * securities, 0, 0.01), days)
  as_returns(
    `dimnames<-`(
      x,
      list(format(as.Date("2000-01-03") + seq_len(days)), sprintf("S%03d", seq_len(securities)))
    ),
    given = "returns",
    every = "day"
  )
}
few <- table_of(2500L, 3L)
wide <- table_of(2500L, 500L)
tall <- table_of(6300L, 500L)
one <- few[, "S001"]
x <- as.vector(one$values)
draws <- 1000000L
weights <- c(S001 = 0.5, S002 = 0.3, S003 = 0.2)
even <- stats::setNames(rep(1 / 500, 500L), colnames(wide))

# The same drawing in vectors of base R: days, growth of each holding along them, the book, its
# quantile.
drawn_in_r <- function() {
  growth <- 1 + few$values
  days <- matrix(sample.int(nrow(growth), draws * 10L, TRUE), draws)
  value <- 0
  for (j in 1:3) {
    held <- weights[[j]]
    for (step in 1:10) held <- held * growth[days[, step], j]
    value <- value + held
  }
  1 - sort(value, partial = draws / 100L)[draws / 100L]
}
quantile_of <- function(data, rows) -sort(data[rows], partial = 25L)[25L]

RcppParallel::setThreadOptions(numThreads = 1L)
times <- timed(
  list(
    copy = function() tall$values + 0,
    "book, ours" = function() {
      bootstrap_book(as_portfolio(few, weights), level = 0.99, horizon = 10, draws = draws)
    },
    "book, base R" = drawn_in_r,
    wide = function() {
      bootstrap_book(as_portfolio(wide, even), level = 0.99, horizon = 10, draws = 100000L)
    },
    backtest = function() backtest_var(tall),
    "one, ours" = function() measure_var(one, horizon = 10, method = "bootstrap", draws = 10000L),
    "all, ours" = function() measure_var(tall)
  ),
  5L
)
# boot::boot resamples all n for each statistic: of the error of a quantile that is the task, of a
# path its first ten days.
theirs <- once(function() boot::boot(x, quantile_of, 10000L))
their_paths <- once(function() {
  sort(boot::boot(x, function(data, rows) prod(1 + data[rows[1:10]]) - 1, 10000L)$t)[100L]
})
jackknife <- once(function() for (i in 1:10) measure_var(one)) / 10
RcppParallel::setThreadOptions(numThreads = RcppParallel::defaultNumThreads())
two <- timed(
  list(
    book = function() {
      bootstrap_book(as_portfolio(few, weights), level = 0.99, horizon = 10, draws = draws)
    },
    backtest = function() backtest_var(tall)
  ),
  5L
)

# Ten years of one security, every method, those that are fitted again every 20 days.
methods <- setdiff(names(imbroglio:::known_var_methods()), c("bootstrap", "block-bootstrap"))
tested <- vapply(methods, function(m) {
  once(function() {
    suppressWarnings(backtest_var(one, method = m, window = 500, refit = 20L))
  })
}, 0)

# Memory of the process beside what is drawn.
peak <- function(horizon) {
  gc(reset = TRUE)
  bootstrap_book(as_portfolio(few, weights), horizon = horizon, draws = 200000L)
  sum(gc()[, 6L])
}
memory <- vapply(c(10L, 500L), peak, 0)

lines <- c(
  sprintf("%s; %s threads at most", R.version.string, RcppParallel::defaultNumThreads()),
  "",
  "| what | one thread, ms | all threads, ms |",
  "|---|---|---|",
  sprintf(
    "| a book of 3, 1,000,000 paths of 10 days, with its errors | %.0f | %.0f |",
    1000 * times[["book, ours"]],
    1000 * two[["book"]]
  ),
  sprintf("| the same drawing in vectors of base R | %.0f | |", 1000 * times[["book, base R"]]),
  sprintf("| a book of 500, 100,000 paths of 10 days | %.0f | |", 1000 * times[["wide"]]),
  sprintf(
    "| rolling 250-day historical backtest, 500 x 6,300 | %.0f | %.0f |",
    1000 * times[["backtest"]],
    1000 * two[["backtest"]]
  ),
  sprintf("| copying that matrix | %.1f | |", 1000 * times[["copy"]]),
  sprintf(
    "| historical value at risk of the same, with errors and intervals | %.0f | |",
    1000 * times[["all, ours"]]
  ),
  "",
  sprintf(
    paste0(
      "The book is drawn, valued and its value at risk taken %.1f times as fast as in ",
      "base R; the backtest costs %s copies of its matrix."
    ),
    times[["book, base R"]] / times[["book, ours"]],
    ratio(times[["backtest"]], times[["copy"]])
  ),
  "",
  sprintf(
    paste0(
      "The sampling error of the 99 %% quantile of %s returns by 10,000 resamples of ",
      "`boot::boot()`: %.0f ms; `measure_var()` gives what an infinity of resamples ",
      "would, in %.2f ms: %.0f times as fast."
    ),
    format(length(x), big.mark = ","),
    1000 * theirs,
    1000 * jackknife,
    theirs / jackknife
  ),
  sprintf(
    paste0(
      "The 99 %% quantile of 10,000 paths of 10 days of one security: %.0f ms by ",
      "`boot::boot()`, %.1f ms by `measure_var(method = \"bootstrap\")`, with its ",
      "errors: %.0f times as fast."
    ),
    1000 * their_paths,
    1000 * times[["one, ours"]],
    their_paths / times[["one, ours"]]
  ),
  "",
  "A backtest of one security over 2,500 days, window 500, fitted every 20 days, on all threads:",
  "",
  "| method | s |",
  "|---|---|",
  sprintf("| `%s` | %.2f |", methods, tested)[order(-tested)],
  "",
  sprintf(
    "Memory at most, of 200,000 paths of 10 days: %.0f MB; of 500 days: %.0f MB.",
    memory[1L],
    memory[2L]
  )
)
writeLines(lines, "bench/var.md")
writeLines(lines)
