# Fitting and testing distributions on samples of 2,500 returns, as ratios measured in one
# process. Run with `make bench`; writes bench/fit.md.
library(imbroglio)
source("bench/timing.R")
size <- 2500L
set.seed(1)
draw <- function(n) 4e-4 + 0.008 * stats::rt(n, 4)
table_of <- function(x) {
  as_returns(
    matrix(
      x,
      size,
      dimnames = list(
        format(as.Date("2010-01-01") + seq_len(size)),
        sprintf("S%02d", seq_len(length(x) / size))
      )
    ),
    "log",
    given = "returns",
    every = "day"
  )
}
one <- draw(size)
single <- table_of(one)
normal <- table_of(stats::rnorm(size, 0, 0.01))
normal_values <- as.vector(normal$values)
many <- table_of(draw(size * 100L))
dozen <- table_of(draw(size * 12L))
families <- c(
  "normal", "student", "cauchy", "laplace", "logistic", "ged", "johnson-su", "skew-student", "nig"
)
quiet <- function(...) suppressWarnings(fit_returns(...))
values <- many$values

RcppParallel::setThreadOptions(numThreads = 1L)
times <- timed(
  c(
    list(
      fitdistr = function() suppressWarnings(MASS::fitdistr(one, "t")),
      "fit, alone" = function() quiet(single, "student", test_draws = 0),
      ks = function() {
        for (i in 1:20) {
          stats::ks.test(normal_values, "pnorm", mean(normal_values), stats::sd(normal_values))
        }
      },
      draws = function() quiet(normal, "normal", stop_after = Inf)
    ),
    lapply(stats::setNames(nm = families), function(f) {
      function() imbroglio:::core_fit_family(values, f, FALSE)
    })
  ),
  5L
)
times[["ks"]] <- times[["ks"]] / 20
RcppParallel::setThreadOptions(numThreads = RcppParallel::defaultNumThreads())
two <- timed(list(draws = function() quiet(normal, "normal", stop_after = Inf)), 5L)
whole <- c(
  early = once(function() quiet(dozen, families)),
  all = once(function() quiet(dozen, families, stop_after = Inf))
)

# What is compared is as likely.
theirs <- suppressWarnings(MASS::fitdistr(one, "t"))$loglik
stopifnot(abs(quiet(single, "student", test_draws = 0)$log_likelihood - theirs) < 0.5)

each <- times[families] / 100
lines <- c(
  sprintf(
    "Samples of %s returns of Student's t; %s; %s threads at most",
    format(size, big.mark = ","),
    R.version.string,
    RcppParallel::defaultNumThreads()
  ),
  "",
  "| family | a fit with errors, of a table of 100, one thread, ms |",
  "|---|---|",
  sprintf("| %s | %.1f |", families, 1000 * each),
  "",
  sprintf(
    paste0(
      "A Student t fit is %.0f times as fast as `MASS::fitdistr(x, \"t\")`; ",
      "`fit_returns()` of a single security with all its distances and quantiles %.0f ",
      "times (%.0f and %.0f ms)."
    ),
    times[["fitdistr"]] / each[["student"]],
    times[["fitdistr"]] / times[["fit, alone"]],
    1000 * times[["fitdistr"]],
    1000 * times[["fit, alone"]]
  ),
  "",
  sprintf(
    paste0(
      "The p-values of the normal by 999 draws, each fitted again, with Anderson and ",
      "Darling's and Cramer and von Mises's: %.0f times one `ks.test()` of the sample ",
      "(%.2f ms) on one thread, %.0f on all."
    ),
    times[["draws"]] / times[["ks"]],
    1000 * times[["ks"]],
    two[["draws"]] / times[["ks"]]
  ),
  "",
  sprintf(
    paste0(
      "Nine families x 12 securities x %s returns with p-values by 999 draws: %.0f s ",
      "where tests end early, %.0f s with all draws, on %s threads."
    ),
    format(size, big.mark = ","),
    whole[["early"]],
    whole[["all"]],
    RcppParallel::defaultNumThreads()
  )
)
writeLines(lines, "bench/fit.md")
writeLines(lines)
