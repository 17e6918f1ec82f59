# The whole calls of issue after issue, as ratios to copying the same matrix in the same process:
# warm on one thread and on all, and cold. Run with `make bench`; writes bench/calls.md.
how <- commandArgs(TRUE)
source("bench/timing.R")
if (!length(how)) {
  run <- function(what, env) {
    file <- tempfile()
    system2("Rscript", c("bench/calls.R", what, file), env = env)
    readRDS(file)
  }
  warm <- run("warm", kept_memory)
  cold <- run("cold", character())
  peak <- run("peak", character())
} else {
  library(imbroglio)
  days <- 6300L
  securities <- if (how[1L] == "peak") 5000L else 2000L
  set.seed(1)
  market <- stats::rnorm(days, 0, 0.01)
  values <- matrix(0, days, securities)
  for (j in seq_len(securities)) values[, j] <- market + stats::rnorm(days, 0, 0.01)
  names <- list(
    format(as.Date("2000-01-03") + seq_len(days)),
    c("MARKET", sprintf("SECURITY%04d", seq_len(securities - 1L)))
  )
  prices_of <- function(values) {
    for (j in seq_len(ncol(values))) values[, j] <- 100 * cumprod(1 + values[, j])
    values
  }
}

if (identical(how[1L], "peak")) {
  values <- prices_of(values)
  dimnames(values) <- names
  gc(FALSE)
  # The most memory of this process from here on, the matrix itself in it.
  writeLines("5", "/proc/self/clear_refs")
  status <- function(what) {
    line <- grep(what, readLines("/proc/self/status"), value = TRUE)
    as.numeric(gsub("[^0-9]", "", line)) * 1024
  }
  before <- status("VmRSS")
  summary <- measure_summary(as_prices(values), "MARKET")
  size <- 8 * length(values)
  saveRDS((status("VmHWM") - before + size) / size, how[2L])
  quit()
}

if (length(how)) {
  dimnames(values) <- names
  returns <- as_returns(values, given = "returns", every = "day")
  matrix_of_prices <- prices_of(values)
  prices <- as_prices(matrix_of_prices)
  some <- returns[, seq_len(500L)]
  # As returns are, with tails.
  tailed <- matrix(0.01 * stats::rt(days * 4L, 5), days)
  dimnames(tailed) <- list(names[[1L]], sprintf("TAIL%d", 1:4))
  few <- as_returns(tailed, given = "returns", every = "day")
  quiet <- suppressWarnings
  tasks <- list(
    "copy" = function() values + 0,
    "as_prices()" = function() as_prices(matrix_of_prices),
    "as_returns(given)" = function() as_returns(values, given = "returns", every = "day"),
    "rolling, table" = function() measure_volatility(returns, window = 60),
    "rolling, bare" = function() measure_volatility(returns, window = 60, as = "matrix"),
    "volatility" = function() measure_volatility(returns),
    "drawdown" = function() measure_drawdown(prices),
    "tracking" = function() measure_tracking(returns, "MARKET", total = FALSE),
    "summary" = function() measure_summary(returns, "MARKET"),
    "historical" = function() quiet(measure_var(returns)),
    "normal" = function() quiet(measure_var(returns, method = "normal")),
    "cornish-fisher" = function() quiet(measure_var(returns, method = "cornish-fisher")),
    "correlations" = function() correlate_returns(some)
  )
  families <- c(
    "student", "cauchy", "laplace", "logistic", "ged", "johnson-su", "skew-student", "nig"
  )
  by_family <- lapply(stats::setNames(nm = families), function(family) {
    force(family)
    function() quiet(measure_var(few, method = family))
  })
  threads(1L)
  one <- least_of(tasks)
  if (how[1L] == "cold") {
    saveRDS(list(one = one), how[2L])
    quit()
  }
  each <- least_of(by_family) / ncol(few)
  threads(RcppParallel::defaultNumThreads())
  saveRDS(list(one = one, all = least_of(tasks), families = each), how[2L])
  quit()
}

wanted <- data.frame(
  task = c(
    "as_prices()", "as_returns(given)", "rolling, table", "rolling, bare", "volatility",
    "drawdown", "tracking", "summary", "historical", "normal", "cornish-fisher", "correlations"
  ),
  what = c(
    "`as_prices()` of a matrix", "`as_returns()` of a matrix of given returns",
    "rolling volatility, the long table (12.6 million rows)", "rolling volatility, bare",
    "volatility of the whole sample", "`measure_drawdown()`",
    "tracking error of the whole sample", "`measure_summary()` with a benchmark",
    "historical value at risk, errors and shortfalls", "the same, normal",
    "the same, Cornish-Fisher", "`correlate_returns()` of 500"
  ),
  was = c(54, 125, 67, 4.6, 5, 13.3, 4.5, 28.6, 14.6, 148, 583, 96),
  aim = c(8, NA, 15, 2.5, 2, 4, 3, 15, 15, 10, 15, 30)
)
shown <- function(x, form = "%g") ifelse(is.na(x), "", sprintf(form, x))
warm_ratio <- warm$one[wanted$task] / warm$one[["copy"]]
lines <- c(
  "2,000 securities x 6,300 days, ratios to copying the same matrix in the same process on one",
  "thread, each the least of rounds until it is stable. Warm: freed memory is kept by the process",
  "(`bench/timing.R`). Cold: it is paged in again, by the copy as well as by the call.",
  "",
  "| what | was | aim | one thread | all threads | speed-up | cold |",
  "|---|---|---|---|---|---|---|",
  sprintf(
    "| %s | %s | %s | %.1f | %.1f | %.1f | %.1f |",
    wanted$what,
    shown(wanted$was),
    shown(wanted$aim),
    warm_ratio,
    warm$all[wanted$task] / warm$one[["copy"]],
    warm$one[wanted$task] / warm$all[wanted$task],
    cold$one[wanted$task] / cold$one[["copy"]]
  ),
  "",
  "Value at risk by a fitted family, of 6,300 returns, fit, errors and shortfall, one thread:",
  "",
  "| family | ms a security |",
  "|---|---|",
  sprintf("| %s | %.1f |", names(warm$families), 1000 * warm$families),
  "",
  sprintf(
    paste0(
      "The warm copy took %.0f ms, the cold one %.0f. 5,000 x 6,300 as prices and summed up: %.1f",
      " times the matrix in memory, at most and with the matrix itself."
    ),
    1000 * warm$one[["copy"]],
    1000 * cold$one[["copy"]],
    peak
  ),
  "",
  sprintf("%s; %s threads at most.", R.version.string, RcppParallel::defaultNumThreads())
)
writeLines(lines, "bench/calls.md")
writeLines(lines)
