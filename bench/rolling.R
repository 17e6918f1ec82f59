# Rolling volatility and maximum drawdown of 2,000 securities over 6,300 days, as ratios to
# copying the same matrix in the same process. Run with `make bench`; writes bench/rolling.md.
library(imbroglio)
source("bench/timing.R")
days <- 6300L
securities <- 2000L
window <- 60L
set.seed(1)
values <- matrix(
  stats::rnorm(days * securities, 0, 0.01),
  days,
  dimnames = list(
    format(as.Date("2000-01-03") + seq_len(days)),
    sprintf("SECURITY%04d", seq_len(securities))
  )
)
returns <- as_returns(values, given = "returns", every = "day")
prices <- as_prices(100 * apply(1 + values, 2, cumprod))

# A copy that R cannot put off: every value is read and written once.
copied <- function() values + 0
tasks <- list(
  "copy the matrix" = copied,
  "rolling volatility, bare matrix" = function() {
    measure_volatility(returns, window = window, as = "matrix")
  },
  "rolling volatility, table of 12.6 million rows" = function() {
    measure_volatility(returns, window = window)
  },
  "maximum drawdown" = function() measure_drawdown(prices)
)
RcppParallel::setThreadOptions(numThreads = 1L)
one <- timed(tasks, 9L)
RcppParallel::setThreadOptions(numThreads = RcppParallel::defaultNumThreads())
two <- timed(tasks, 9L)
peers <- timed(
  list(
    "RcppRoll::roll_sd" = function() {
      RcppRoll::roll_sd(values, window, fill = NA, align = "right")
    },
    "matrixStats::colSds (whole sample)" = function() matrixStats::colSds(values)
  ),
  1L
)
whole <- timed(list("whole-sample volatility" = function() measure_volatility(returns)), 5L)

# What is compared gives the same numbers.
a <- measure_volatility(returns, window = window, as = "matrix")
b <- RcppRoll::roll_sd(values, window, fill = NA, align = "right")
stopifnot(isTRUE(all.equal(unname(a), unname(b), tolerance = 1e-9)))

command <- file.path("exec", "imbroglio")
file <- demo_file("bay.csv")
starts <- timed(
  list(
    "Rscript -e 'library(data.table)'" = function() {
      system2("Rscript", c("-e", shQuote("library(data.table)")), stdout = FALSE, stderr = FALSE)
    },
    "imbroglio volatility bay.csv" = function() {
      system2(command, c("volatility", file), stdout = FALSE)
    }
  ),
  11L
)

base <- one[["copy the matrix"]]
lines <- c(
  sprintf(
    "%s securities x %s days, window %s; %s; %s threads at most",
    format(securities, big.mark = ","),
    format(days, big.mark = ","),
    window,
    R.version.string,
    RcppParallel::defaultNumThreads()
  ),
  "",
  "| what | x the copy, one thread | x the copy, all threads |",
  "|---|---|---|",
  sprintf("| %s | %s | %s |", names(one), ratio(one, base), ratio(two, two[["copy the matrix"]])),
  sprintf("| whole-sample volatility | | %s |", ratio(whole, two[["copy the matrix"]])),
  sprintf("| %s | %s | |", names(peers), ratio(peers, base)),
  "",
  sprintf(
    "Rolling volatility on one thread is %.0f times as fast as RcppRoll::roll_sd.",
    peers[[1L]] / one[["rolling volatility, bare matrix"]]
  ),
  "",
  sprintf(
    paste0(
      "`imbroglio volatility bay.csv` starts and answers in %s x the time of `Rscript ",
      "-e 'library(data.table)'`."
    ),
    ratio(starts[[2L]], starts[[1L]])
  ),
  "",
  sprintf("The copy took %.0f ms on one thread.", 1000 * base)
)
writeLines(lines, "bench/rolling.md")
writeLines(lines)
