# A book of a daily holding and a fund that is priced once a week or a month: how near is each way
# between its prices to what the same book would be if the fund were priced every day? Simulated,
# so that this is known. Run with `make bridge-study`, writes bench/bridge-study.md; on its own,
# `Rscript bench/bridge-study.R`. The number of samples is the first argument (150).
library(imbroglio)

samples <- as.integer(c(commandArgs(TRUE), 150L)[1L])
index_day <- 0.01
fund_day <- 0.008
other_day <- 0.005

dates_of <- function(n) {
  days <- as.Date("2010-01-04") + 0:(2 * n)
  days[as.POSIXlt(days)$wday %in% 1:5][seq_len(n + 1L)]
}

priced_on <- function(dates, frequency) {
  ends <- if (frequency == "week") {
    as.POSIXlt(dates)$wday == 3
  } else {
    !duplicated(format(dates, "%Y-%m"), fromLast = TRUE)
  }
  ends[1L] <- TRUE
  ends
}

one_sample <- function(cell, ways = c("bridged", "carried", "priced")) {
  dates <- dates_of(cell$n)
  path <- function(r) 100 * exp(c(0, cumsum(r)))
  index <- stats::rnorm(cell$n, 2e-4, index_day)
  fund <- 1e-4 + cell$beta * index + stats::rnorm(cell$n, 0, fund_day)
  other <- 0.9 * index + stats::rnorm(cell$n, 0, other_day)
  table <- data.frame(date = dates, INDEX = path(index), OTHER = path(other), FUND = path(fund))
  seen <- table
  seen$FUND[!priced_on(dates, cell$frequency)] <- NA
  numbers <- function(table, way) {
    book <- as_portfolio(
      as_prices(table), weights = c(FUND = cell$weight, OTHER = 1 - cell$weight),
      between = way, benchmark = "INDEX", rebalance = "day", held = "today", seed = cell$seed
    )
    moved <- measure_volatility(book)
    c(
      moved$volatility_annual, measure_var(book)$var,
      measure_tracking(book, "INDEX", total = FALSE)$tracking_error_annual,
      moved$volatility_low * sqrt(252), moved$volatility_high * sqrt(252)
    )
  }
  suppressMessages(suppressWarnings(do.call(rbind, c(
    list(truth = numbers(table, NULL)),
    lapply(stats::setNames(nm = ways), function(way) numbers(seen, way))
  ))))
}

# A year, of simple returns nearly.
true_volatility <- function(cell) {
  w <- cell$weight
  sqrt(252 * (
    (w * cell$beta + (1 - w) * 0.9)^2 * index_day^2 + w^2 * fund_day^2 +
      (1 - w)^2 * other_day^2
  ))
}

cells <- expand.grid(
  weight = c(0.05, 0.2, 0.6), beta = c(0.2, 0.8, 1.5), n = c(250L, 1000L, 2500L),
  frequency = c("week", "month"), stringsAsFactors = FALSE
)

study_cell <- function(i) {
  cell <- as.list(cells[i, ])
  set.seed(i)
  found <- simplify2array(lapply(seq_len(samples), function(k) {
    one_sample(c(cell, seed = k))
  }))
  means <- apply(found[, 1:3, ], 1:2, mean)
  bias <- t(t(means[-1L, ]) / means[1L, ] - 1)
  # As priced, a value at risk is of a week or a month.
  bias["priced", 2L] <- NA
  # How far a single number is from the one of all days.
  spread <- function(way) {
    sqrt(mean((found[way, 1L, ] / found["truth", 1L, ] - 1)^2))
  }
  truth <- true_volatility(cell)
  covers <- mean(found["bridged", 4L, ] <= truth & found["bridged", 5L, ] >= truth)
  list(
    cell = cell, bias = bias, error = c(bridged = spread("bridged"), priced = spread("priced")),
    covers = covers, of_all = mean(found["truth", 4L, ] <= truth & found["truth", 5L, ] >= truth)
  )
}

done <- parallel::mclapply(seq_len(nrow(cells)), study_cell, mc.cores = 2L)
failed <- vapply(done, inherits, NA, "try-error")
if (any(failed)) stop(done[[which(failed)[1L]]])

# A bias beyond 3 % is looked at again, with 800 samples of other seeds.
again <- function(one) {
  if (max(abs(one$bias["bridged", ])) <= 0.03) return(NULL)
  cell <- one$cell
  found <- simplify2array(parallel::mclapply(seq_len(800L), function(k) {
    set.seed(1e5 + k)
    one_sample(c(cell, seed = k), "bridged")
  }, mc.cores = 2L))
  means <- apply(found[, 1:3, ], 1:2, mean)
  bias <- 100 * (means[2L, ] / means[1L, ] - 1)
  error <- 100 * stats::sd(found[2L, 1L, ] - found[1L, 1L, ]) / sqrt(800) / means[1L, 1L]
  sprintf(
    paste(
      "Again, %s, %d days, beta %g, %g %%, with 800 samples: bridged %+.1f %+.1f %+.1f",
      "(one error %.1f)."
    ),
    cell$frequency, cell$n, cell$beta, 100 * cell$weight, bias[1L], bias[2L], bias[3L], error
  )
}
repeated <- unlist(lapply(done, again))

percent <- function(x) ifelse(is.na(x), "", sprintf("%+.1f", 100 * x))
rows <- vapply(done, function(one) {
  cell <- one$cell
  b <- one$bias
  paste0("| ", paste(c(
    cell$frequency, format(cell$n), format(cell$beta), sprintf("%g %%", 100 * cell$weight),
    percent(b["bridged", ]), percent(b["carried", ]), percent(b["priced", c(1L, 3L)]),
    sprintf("%.1f", 100 * one$error), sprintf("%.0f", 100 * c(one$covers, one$of_all))
  ), collapse = " | "), " |")
}, "")
most <- function(way, columns) {
  max(abs(unlist(lapply(done, function(one) one$bias[way, columns]))), na.rm = TRUE)
}
writeLines(c(
  "# Between the prices of a fund",
  "",
  sprintf(paste(
    "A book of a daily holding and a fund that is priced on Wednesdays or at the end of a month,",
    "simulated, so that the book of all days is known; %d samples a row. Bias in %% of volatility",
    "a year, of value at risk of a day at 99 %% and of tracking error a year, against the same",
    "measures of all days; then how far a single volatility is from that of all days (root of the",
    "mean square, %%), and how many of 100 intervals of 95 %% hold the true volatility: bridged,",
    "and of all days. Made by `make bridge-study`."
  ), samples),
  "",
  sprintf(
    "Largest bias: bridged %.1f %%, carried %.1f %%, as priced %.1f %%.",
    100 * most("bridged", 1:3), 100 * most("carried", 1:3), 100 * most("priced", c(1L, 3L))
  ),
  "",
  paste(
    "| fund | days | beta | weight | bridged: volatility | VaR | TE | carried: volatility | VaR |",
    "TE | priced: volatility | TE | apart, bridged | priced | covers, bridged | all days |"
  ),
  paste0("|", strrep("---|", 16L)),
  rows,
  if (length(repeated)) c("", repeated)
), "bench/bridge-study.md")
