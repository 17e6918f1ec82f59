walked <- function() {
  set.seed(8)
  days <- as.Date("2021-01-01") + seq_len(300)
  days <- days[!as.POSIXlt(days)$wday %in% c(0, 6)]
  r <- matrix(rt(length(days) * 3, 4) * 0.01, ncol = 3)
  r[, 2:3] <- r[, 2:3] + r[, 1]
  p <- round(100 * exp(apply(r, 2, cumsum)), 4)
  p[1:40, 3] <- NA
  p[60:63, 2] <- NA
  list(
    file = written(
      "date,INDEXX,SHAREX,NEWXXX",
      paste(days, p[, 1], p[, 2], ifelse(is.na(p[, 3]), "", p[, 3]), sep = ",")
    ),
    limits = written(
      "of,measure,limit", "book,var,0.1%", "book,fall,1%", "book,beta,0.1", "book,loss,90%"
    ),
    before = written("security,measure,state", "BOOK,var,near"),
    held = written("security,shares", "SHAREX,3", "INDEXX,2"),
    trades = written("date,security,shares", "2021-03-01,SHAREX,3", "2021-06-01,INDEXX,2")
  )
}

# Of each option a value that is not the default.
other_values <- function(made) {
  c(
    given = "profits",
    from = "2021-08-01",
    to = "2021-09-15",
    last = "60 days",
    during = "2021-08",
    security = "SHAREX,INDEXX",
    every = "week",
    kind = "log",
    window = "40",
    `min-obs` = "20",
    `per-year` = "300",
    level = "0.9",
    horizon = "3",
    `horizon-by` = "overlapping",
    method = "normal",
    tail = "0.15",
    block = "4",
    draws = "200",
    paths = "2",
    refit = "5",
    `zone-days` = "100",
    decay = "0.9",
    `half-life` = "15",
    families = "laplace",
    by = "moments",
    `test-draws` = "20",
    `stop-after` = "5",
    `reject-at` = "0.2",
    `rank-by` = "bic",
    seed = "3",
    view = "density",
    benchmark = "INDEXX",
    `risk-free` = "0.03",
    errors = "normal",
    lags = "3",
    spans = "6 months,1 year",
    confidence = "0.8",
    episodes = "2",
    target = "0.05",
    order = "2",
    deepest = "2",
    before = made$before,
    at = "2021-07-01",
    since = "2021-09-20",
    measure = "volatility",
    against = "INDEXX",
    worst = "4",
    measures = "skewness",
    limits = "es=0.02",
    periods = "2021-06",
    `found-by` = "benchmark",
    shock = "INDEXX=-5%",
    `carried-by` = "beta",
    best = "2",
    on = "pairwise",
    shrink = "identity",
    sort = "max_drawdown",
    weights = "SHAREX=0.6,INDEXX=0.3",
    shares = "SHAREX=3,INDEXX=2",
    values = "SHAREX=30,INDEXX=-2",
    holdings = made$held,
    trades = made$trades,
    held = "then",
    `stand-in` = "NEWXXX=INDEXX",
    rebalance = "month",
    cash = "0.1",
    rank = "down",
    value = "5000"
  )
}
