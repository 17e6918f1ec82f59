# The measures on 5,000 securities over 6,300 days, as ratios to copying the same matrix in the
# same process. Run with `make bench`; writes bench/measures.md.
library(imbroglio)
source("bench/timing.R")
days <- 6300L
securities <- 5000L
set.seed(1)
market <- stats::rnorm(days, 0, 0.01)
values <- matrix(
  stats::rnorm(days * securities, 0, 0.01),
  days,
  dimnames = list(
    format(as.Date("2000-01-03") + seq_len(days)),
    sprintf("SECURITY%04d", seq_len(securities))
  )
)
values <- values + market
colnames(values)[1L] <- "MARKET"
returns <- as_returns(values, given = "returns", every = "day")
prices <- as_prices(100 * apply(1 + values, 2L, cumprod))
values <- returns$values

tasks <- list(
  "copy the matrix" = function() values + 0,
  "rolling beta, window 250" = function() {
    measure_beta(returns, "MARKET", window = 250, as = "matrix")
  },
  "rolling tracking error, window 250" = function() {
    measure_tracking(returns, "MARKET", window = 250, as = "matrix")
  },
  "tracking error and information ratio, whole sample" = function() {
    measure_tracking(returns, "MARKET", total = FALSE)
  },
  "drawdown series" = function() drawdown_series(prices, as = "matrix"),
  "exponentially weighted volatility" = function() volatility_series(returns, as = "matrix"),
  "alpha and beta with errors, up and down" = function() measure_beta(returns, "MARKET"),
  "return, skewness, kurtosis, best, worst, Sharpe" = function() measure_return(returns),
  "summary of all" = function() measure_summary(returns, "MARKET")
)
RcppParallel::setThreadOptions(numThreads = 1L)
one <- timed(tasks, 5L)
RcppParallel::setThreadOptions(numThreads = RcppParallel::defaultNumThreads())
two <- timed(tasks, 5L)

# A loop over some of the securities, for all of them.
some <- 500L
design <- cbind(1, values[, 1L])
loop <- timed(list(lm = function() for (j in seq_len(some)) .lm.fit(design, values[, j])), 5L) *
  securities /
  some
few <- 20L
rolled <- timed(
  list(runs = function() {
    for (j in seq_len(few)) {
      x <- values[, 1L]
      y <- values[, j]
      at <- 250:days
      vapply(
        at[at %% 20L == 0L],
        function(t) stats::cov(x[(t - 249L):t], y[(t - 249L):t]) / stats::var(x[(t - 249L):t]),
        0
      )
    }
  }),
  1L
) *
  20 * securities / few

# What is compared gives the same numbers.
found <- measure_beta(returns, "MARKET")
stopifnot(isTRUE(all.equal(
  found$beta[7L],
  .lm.fit(design, values[, 8L])$coefficients[2L],
  tolerance = 1e-10
)))
bare <- measure_beta(returns, "MARKET", window = 250, as = "matrix")
stopifnot(isTRUE(all.equal(
  bare[999L, 7L],
  stats::cov(values[750:999, 1L], values[750:999, 8L]) / stats::var(values[750:999, 1L]),
  tolerance = 1e-10
)))

# GARCH, against optim() on the same likelihood in compiled R code.
clustered <- matrix(stats::rnorm(2500L * 50L), 2500L) * 0.01
for (j in seq_len(50L)) {
  for (t in 2:2500L) {
    clustered[t, j] <- clustered[t, j] * sqrt(0.1 + 900 * clustered[t - 1L, j]^2 + 0.8)
  }
}
dimnames(clustered) <- list(format(as.Date("2010-01-01") + 1:2500), sprintf("S%02d", 1:50))
garch <- as_returns(clustered, given = "returns", every = "day")
likelihood <- compiler::cmpfun(function(p, x) {
  h <- mean((x - mean(x))^2)
  sum <- 0
  for (r in x) {
    sum <- sum + log(h) + (r - p[1L])^2 / h
    h <- exp(p[2L]) + stats::plogis(p[3L]) * (r - p[1L])^2 + stats::plogis(p[4L]) * h
  }
  sum
})
fits <- timed(
  list(
    ours = function() suppressWarnings(fit_garch(garch)),
    optim = function() {
      for (j in 1:2) {
        stats::optim(c(0, log(1e-5), -2, 2), likelihood, x = clustered[, j], method = "BFGS")
      }
    }
  ),
  3L
) /
  c(50, 2)

base <- one[["copy the matrix"]]
lines <- c(
  sprintf(
    "%s securities x %s days; %s; %s threads at most",
    format(securities, big.mark = ","),
    format(days, big.mark = ","),
    R.version.string,
    RcppParallel::defaultNumThreads()
  ),
  "",
  "| what | x the copy, one thread | x the copy, all threads | speed-up |",
  "|---|---|---|---|",
  sprintf(
    "| %s | %s | %s | %s |",
    names(one),
    ratio(one, base),
    ratio(two, base),
    ratio(one, two)
  ),
  "",
  sprintf(
    paste0(
      "Alpha and beta with their errors: %.0f times as fast as a loop of `.lm.fit` on ",
      "one thread, %.0f on all; rolling beta: %.0f times as fast as a loop of `cov() / ",
      "var()` on one thread."
    ),
    loop / one[["alpha and beta with errors, up and down"]],
    loop / two[["alpha and beta with errors, up and down"]],
    rolled / one[["rolling beta, window 250"]]
  ),
  "",
  sprintf(
    paste0(
      "The summary of all %s, with a benchmark: %.1f s. GARCH(1,1): %.1f ms a fit of ",
      "2,500 returns, %.0f times as fast as one search of `optim()` over the same ",
      "likelihood in R."
    ),
    format(securities, big.mark = ","),
    two[["summary of all"]],
    1000 * fits[["ours"]],
    fits[["optim"]] / fits[["ours"]]
  ),
  "",
  sprintf("The copy took %.0f ms.", 1000 * base)
)
writeLines(lines, "bench/measures.md")
writeLines(lines)
