# The calls that take longest: all that measure, on 100 securities over ten years and on a book of
# them, beside reading those prices from a file. Run with `make bench`; writes bench/slowest.md.
library(imbroglio)
source("bench/timing.R")
days <- 2520L
securities <- 100L
set.seed(1)
market <- 0.008 * stats::rt(days, 5)
moves <- vapply(seq_len(securities), function(j) market + 0.008 * stats::rt(days, 5), market)
names <- c("MARKET", sprintf("SECURITY%03d", seq_len(securities - 1L)))
dates <- format(as.Date("2016-01-04") + seq_len(days))
close <- round(100 * apply(1 + moves, 2L, cumprod), 2)
dimnames(close) <- list(dates, names)
csv <- tempfile(fileext = ".csv")
data.table::fwrite(data.frame(date = dates, close), csv)
prices <- as_prices(close)
returns <- as_returns(prices)
held <- names[-1L]
book <- as_portfolio(prices, weights = stats::setNames(rep(1 / length(held), length(held)), held))
quiet <- function(code) suppressWarnings(suppressMessages(code))
of <- function(call) {
  later <- substitute(call)
  function() quiet(eval(later, globalenv()))
}

methods <- c(
  "historical", "age-weighted", "volatility-scaled", "filtered", "normal", "cornish-fisher",
  "ewma", "garch", "garch-student", "hill", "pareto", "bootstrap", "stationary-bootstrap",
  "student", "ged", "johnson-su", "skew-student", "nig"
)
by_method <- function(title, call) {
  stats::setNames(
    lapply(methods, function(m) function() quiet(call(m))),
    sprintf("%s, `%s`", title, methods)
  )
}
tasks <- c(
  list(
    "read the file" = function() read_prices(csv),
    "check_prices()" = of(check_prices(prices)),
    "measure_return()" = of(measure_return(returns)),
    "measure_volatility(), rolling" = of(measure_volatility(returns, window = 250)),
    "measure_beta()" = of(measure_beta(returns, "MARKET")),
    "measure_beta(), rolling" = of(measure_beta(returns, "MARKET", window = 250)),
    "measure_capture()" = of(measure_capture(returns, "MARKET")),
    "measure_tracking(), rolling" = of(measure_tracking(returns, "MARKET", window = 250)),
    "measure_drawdown()" = of(measure_drawdown(prices)),
    "measure_drawdown(), rolling" = of(measure_drawdown(prices, window = 250)),
    "drawdown_episodes()" = of(drawdown_episodes(prices)),
    "measure_downside()" = of(measure_downside(returns)),
    "measure_ratios()" = of(measure_ratios(returns)),
    "measure_ratios(), errors by resampling" = of(measure_ratios(returns, errors = "bootstrap")),
    "measure_summary()" = of(measure_summary(returns, "MARKET")),
    "correlate_returns()" = of(correlate_returns(returns)),
    "correlate_returns(), rolling" = of(correlate_returns(returns, window = 250)),
    "compare_measures()" = of(compare_measures(returns[, 2:3], at = "2020-01-02")),
    "roll_measures()" = of(roll_measures(returns)),
    "worst_periods()" = of(worst_periods(returns)),
    "fit_garch()" = of(fit_garch(returns)),
    "fit_returns(), nine families, no draws" = of(fit_returns(returns, "all", test_draws = 0)),
    "fit_returns() of one, nine families, 999 draws" = of(fit_returns(returns[, 2L], "all")),
    "measure_concentration()" = of(measure_concentration(book)),
    "measure_concentration(), rolling" = of(measure_concentration(book, window = 250)),
    "split_volatility()" = of(split_volatility(book)),
    "split_var(), historical" = of(split_var(book)),
    "split_var(), normal" = of(split_var(book, method = "normal"))
  ),
  by_method("measure_var()", function(m) measure_var(returns, method = m)),
  by_method("backtest_var() of ten, fitted every 20 days", function(m) {
    backtest_var(returns[, 1:10], window = 500L, method = m, refit = 20L)
  })
)
least <- function(n) {
  threads(n)
  vapply(tasks, function(task) min(once(task), once(task)), 0)
}
one <- least(1L)
all <- least(RcppParallel::defaultNumThreads())
reading <- one[["read the file"]]
in_order <- utils::head(order(all, decreasing = TRUE), 25L)
lines <- c(
  sprintf(
    "The 25 slowest of %d calls on %d securities and %s days (backtests: ten of them), x reading",
    length(tasks) - 1L,
    securities,
    format(days, big.mark = ",")
  ),
  "their prices from a file on one thread:",
  "",
  "| call | one thread | all threads | speed-up |",
  "|---|---|---|---|",
  sprintf(
    "| %s | %.0f | %.0f | %.1f |",
    sub("^([a-z_]+[(][)])", "`\\1`", names(tasks)[in_order]),
    one[in_order] / reading,
    all[in_order] / reading,
    one[in_order] / all[in_order]
  ),
  "",
  sprintf(
    "Reading took %.0f ms; %.0f of the calls take no longer than five times that.",
    1000 * reading,
    sum(all <= 5 * reading) - 1
  )
)
writeLines(lines, "bench/slowest.md")
writeLines(lines)
