# Makes the demo data in inst/extdata: ten years on the invented Bay Exchange.
# The help page `?demo_data` tells the story; this script is what makes it true.
# Run with `make demo-data`. Same seed, same files.

suppressWarnings(RNGversion("4.1.0"))
set.seed(20160104)
out <- "inst/extdata"

# ---- calendar: weekdays but for the region's own holidays ---------------------
days <- seq(as.Date("2016-01-04"), as.Date("2025-12-31"), by = "day")
holiday <- format(days, "%m-%d") %in% c("01-01", "05-01", "08-14", "12-25", "12-26")
days <- days[!as.POSIXlt(days)$wday %in% c(0, 6) & !holiday]
n <- length(days)
on <- function(date) which(days >= as.Date(date))[1]

# ---- securities ------------------------------------------------------------------
securities <- read.csv(
  strip.white = TRUE,
  text = "
security,  name,                    currency, group,    benchmark, beta, own,  start, shares, yield
BAYALL,    Bay All-Share Index,     HBC,      index,    ,          NA,   NA,   NA,    NA,     0
OSSELL,    Ossell Ferries,          HBC,      shipping, BAYALL,    1.15, .0110, 42,   60,     .024
TARROW,    Tarrow Cranes,           HBC,      port,     BAYALL,    1.30, .0130, 88,   25,     .010
BRANNICK,  Brannick Salt,           HBC,      materials,BAYALL,    0.70, .0090, 31,   80,     .036
QUILLMOOR, Quillmoor Peat,          HBC,      materials,BAYALL,    0.80, .0120, 12.5, 90,     .030
VESSANY,   Vessany Post,            HBC,      services, BAYALL,    0.75, .0085, 24,   120,    .041
DUNLACE,   Dunlace Cable,           HBC,      services, BAYALL,    0.95, .0105, 53,   70,     .018
HOBBINS,   Hobbins Brewing,         HBC,      consumer, BAYALL,    0.60, .0080, 67,   45,     .028
MARRELL,   Marrell Nets,            HBC,      consumer, BAYALL,    0.85, .0125, 18,   55,     .015
CORRACK,   Corrack Rope,            HBC,      port,     BAYALL,    1.05, .0140, 36,   30,     0
EBBING,    Ebbing Lamp Oil,         HBC,      materials,BAYALL,    1.40, .0180, 6.4,  150,    0
ULVEROCK,  Ulverock Tiles,          HBC,      materials,BAYALL,    1.10, .0115, 29,   40,     .022
PELLAN,    Pellan Shipyard,         HBC,      port,     BAYALL,    1.25, .0160, 50,   35,     0
BAYBOND,   Harbour Bond Fund,       HBC,      fund,     ,          -.04, .0022, 100,  0,      .031
BAYMETAL,  Tinmoor Metal Fund,      HBC,      fund,     ,          0.10, .0095, 100,  0,      0
"
)
traded <- securities$security[-1]
k <- length(traded)
about <- securities[-1, ]

# ---- the common factor: clusters of volatility, fat tails, one crash ---------------
fat <- function(n, df) rt(n, df) / sqrt(df / (df - 2))
shock <- fat(n + 500, 6)
variance <- numeric(n + 500)
variance[1] <- .0085^2
for (t in 2:(n + 500)) {
  last <- sqrt(variance[t - 1]) * shock[t - 1]
  variance[t] <- .0085^2 * .02 + (.085 + .03 * (last < 0)) * last^2 + .88 * variance[t - 1]
}
sigma <- sqrt(variance)[-(1:500)]
common <- sigma * shock[-(1:500)] + .00022

silting <- on("2018-10-08"):on("2019-02-08")
common[silting] <- 1.9 * common[silting] - .0042
dredged <- on("2019-02-11"):on("2021-01-29")
common[dredged] <- common[dredged] + .00065

# ---- each security's own ---------------------------------------------------------------
# A security's own volatility follows the market's half way.
clustered <- sqrt(sigma / mean(sigma))
log_return <- sapply(seq_len(k), function(j) {
  about$beta[j] * common + about$own[j] * clustered * fat(n, 5) + .00006
})
colnames(log_return) <- traded
log_return[, "BAYBOND"] <- log_return[, "BAYBOND"] + .00009
log_return[on("2022-05-17"), "MARRELL"] <- log(1.334)
after_bid <- (on("2022-05-17") + 1):n
log_return[after_bid, "MARRELL"] <- .0016 * fat(length(after_bid), 5) + .00004
log_return[on("2021-04-19"), "CORRACK"] <- log(.772)
suspended <- which(days >= "2021-03-08" & days <= "2021-04-16")
log_return[suspended, "CORRACK"] <- 0
log_return[1, ] <- 0

# ---- total-return growth to traded closes, with splits and dividends --------------------
split_of <- matrix(1, n, k, dimnames = list(NULL, traded))
split_of[on("2021-06-07"), "TARROW"] <- 4
split_of[on("2023-02-13"), "EBBING"] <- 0.2
close <- dividend <- matrix(0, n, k, dimnames = list(NULL, traded))
pays_on <- lapply(seq_len(k), function(j) {
  if (about$yield[j] == 0) return(integer())
  months <- if (about$group[j] == "fund") c("03", "06", "09", "12") else c("05", "11")
  day <- sprintf("%02d", 8 + j)
  unique(unlist(lapply(2016:2025, function(y) {
    vapply(months, function(m) on(paste(y, m, day, sep = "-")), 0L)
  })))
})
for (j in seq_len(k)) {
  price <- about$start[j]
  a_year <- if (about$group[j] == "fund") 4 else 2
  for (t in seq_len(n)) {
    if (t > 1) {
      if (t %in% pays_on[[j]]) {
        dividend[t, j] <- round(price / split_of[t, j] * about$yield[j] / a_year, 2)
      }
      price <- (price / split_of[t, j] - dividend[t, j]) * exp(log_return[t, j])
    }
    close[t, j] <- price <- max(.01, round(price, 2))
  }
}

# ---- the day's range and volume ------------------------------------------------------------
# The highest and lowest of a Brownian path between open and close, by its known law.
daily_sigma <- outer(clustered, about$own) + abs(outer(sigma, about$beta))
previous <- rbind(close[1, ], close[-n, ]) / split_of - dividend
open <- round(previous * exp(.35 * daily_sigma * matrix(rnorm(n * k), n)), 2)
extreme <- function(sign) {
  a <- log(open)
  b <- log(close)
  s2 <- (.8 * daily_sigma)^2
  exp((a + b + sign * sqrt((b - a)^2 - 2 * s2 * log(matrix(runif(n * k), n)))) / 2)
}
high <- pmax(round(extreme(1), 2), open, close)
low <- pmax(pmin(round(extreme(-1), 2), open, close), .01)
volume <- round(
  1000 *
    (40 + outer(rep(1, n), about$shares)) *
    exp(.45 * matrix(rnorm(n * k), n) + 12 * abs(log_return) - .3) * apply(split_of, 2, cumprod)
)
volume[, about$group == "fund"] <- round(volume[, about$group == "fund"] / 8)

there <- matrix(TRUE, n, k, dimnames = list(NULL, traded))
there[days < "2020-09-14", "PELLAN"] <- FALSE
there[suspended, "CORRACK"] <- FALSE
there[format(days, "%m-%d") == "08-13", "BAYBOND"] <- FALSE
dividend[!there] <- 0

# ---- the index: the companies' value, chained so that a listing does not move it -------------
companies <- traded[about$group != "fund"]
shares <- outer(rep(1, n), about$shares[match(companies, traded)]) *
  apply(split_of[, companies], 2, cumprod)
value <- close[, companies] * shares
index <- numeric(n)
index[1] <- 1000
for (t in 2:n) {
  both <- there[t - 1, companies] | companies == "CORRACK"
  index[t] <- round(index[t - 1] * sum(value[t, both]) / sum(value[t - 1, both]), 2)
}

# ---- adjusted closes ---------------------------------------------------------------------------
adjust <- function(close, split, dividend) {
  factor <- 1
  adjusted <- close
  for (t in rev(seq_along(close)[-1])) {
    factor <- factor * (1 - dividend[t] * split[t] / close[t - 1]) / split[t]
    adjusted[t - 1] <- close[t - 1] * factor
  }
  adjusted
}
adjusted <- sapply(traded, function(s) {
  result <- rep(NA_real_, n)
  seen <- there[, s]
  # A dividend or split on a day without a price goes to the next day with one; the story has
  # none.
  stopifnot(all(seen[split_of[, s] != 1 | dividend[, s] > 0]))
  result[seen] <- adjust(close[seen, s], split_of[seen, s], dividend[seen, s])
  result
})

# ---- write
# ---------------------------------------------------------------------------------------
write <- function(table, name) {
  path <- file.path(out, name)
  packed <- grepl("[gx]z$", name)
  plain <- sub("[.][gx]z$", "", path)
  connection <- file(plain, "wb")
  write.csv(table, connection, row.names = FALSE, quote = FALSE, na = "", eol = "\n")
  close(connection)
  # A tenth less than gzip makes of it: the package is to stay below 5 MB.
  if (packed && grepl("xz$", name)) stopifnot(system2("xz", c("-9ef", shQuote(plain))) == 0L)
  if (packed && grepl("gz$", name)) {
    stopifnot(system2("zopfli", c("--i30", shQuote(plain))) == 0L, file.remove(plain))
  }
}
dir.create(out, showWarnings = FALSE, recursive = TRUE)

bay <- data.frame(date = days, BAYALL = index, round(adjusted, 4), check.names = FALSE)
write(bay, "bay.csv")

one <- function(s) {
  i <- there[, s]
  data.frame(
    date = days[i],
    security = s,
    open = open[i, s],
    high = high[i, s],
    low = low[i, s],
    close = close[i, s],
    adjusted = round(adjusted[i, s], 4),
    volume = volume[i, s]
  )
}
daily <- do.call(
  rbind,
  c(
    list(data.frame(
      date = days, security = "BAYALL", open = NA, high = NA, low = NA, close = index,
      adjusted = index, volume = NA
    )),
    lapply(traded, one)
  )
)
daily$volume <- format(daily$volume, scientific = FALSE, trim = TRUE)
daily$volume[daily$volume == "NA"] <- ""
daily <- daily[order(daily$date, match(daily$security, securities$security)), ]
write(daily, "bay-daily.csv.xz")

acts <- which(split_of != 1 | dividend > 0, arr.ind = TRUE)
actions <- data.frame(
  security = traded[acts[, 2]],
  date = days[acts[, 1]],
  split = split_of[acts],
  dividend = dividend[acts]
)
actions$split[actions$split == 1] <- NA
actions$dividend[actions$dividend == 0] <- NA
write(actions[order(actions$date, actions$security), ], "bay-actions.csv")
write(securities[c("security", "name", "currency", "group", "benchmark")], "bay-securities.csv")

# ---- the delivery: the daily table as it would arrive
# -------------------------------------------------
delivery <- daily[daily$security != "BAYALL", names(daily) != "adjusted"]
numbers <- c("open", "high", "low", "close")
delivery[numbers] <- lapply(delivery[numbers], function(v) {
  format(v, trim = TRUE, nsmall = 2, scientific = FALSE)
})
at <- function(s, from, to = from) {
  which(delivery$security == s & delivery$date >= from & delivery$date <= to)
}

stale <- at("QUILLMOOR", "2017-03-06", "2017-03-17")
for (column in numbers) delivery[stale, column] <- delivery$close[stale[1]]
typo <- at("HOBBINS", "2024-02-20")
delivery$close[typo] <- format(100 * as.numeric(delivery$close[typo]), nsmall = 2)
gap <- at("VESSANY", "2020-02-03", "2020-02-21")
twice <- delivery[at("DUNLACE", "2023-09-05"), ]
paid <- actions[actions$security == "BRANNICK" & actions$date >= "2019-05-01", ][1, ]
line <- data.frame(
  date = paid$date,
  security = "BRANNICK",
  open = sprintf("Dividend %.2f", paid$dividend),
  high = "",
  low = "",
  close = "",
  volume = ""
)
delivery <- rbind(delivery[-gap, ], twice, line)
delivery <- delivery[
  order(delivery$date, match(delivery$security, rev(securities$security)), decreasing = TRUE),
]
write(delivery, "bay-delivery.csv.xz")
write(
  data.frame(
    security = c(
      "", "BRANNICK", "VESSANY", "DUNLACE", "QUILLMOOR", "TARROW", "EBBING", "HOBBINS"
    ),
    from = as.Date(c(
      NA, format(paid$date), "2020-02-03", "2023-09-05", "2017-03-06", "2021-06-07", "2023-02-13",
      "2024-02-20"
    )),
    to = as.Date(c(
      NA, format(paid$date), "2020-02-21", "2023-09-05", "2017-03-17", "2021-06-07", "2023-02-13",
      "2024-02-20"
    )),
    fault = c(
      "newest first", "a dividend line among the prices", "a gap", "a duplicate", "a stale run",
      "an unadjusted split", "an unadjusted split", "a typo a hundred times too large"
    )
  ),
  "bay-faults.csv"
)

# ---- a fund that is priced on Wednesdays, and what a small office holds
# --------------------------------
wednesday <- as.POSIXlt(days)$wday == 3
reef <- 100 * exp(cumsum(.55 * common + .0035 * fat(n, 5)))
write(data.frame(date = days[wednesday], REEFFUND = round(reef[wednesday], 2)), "bay-fund.csv")
write(
  data.frame(
    security = c("OSSELL", "TARROW", "BAYBOND", "REEFFUND", "EBBING", "cash"),
    quantity = c(2000, 500, 1000, 400, -1500, 12000)
  ),
  "bay-holdings.csv"
)

# ---- the limits that it keeps
# ------------------------------------------------------------------
write(
  data.frame(
    of = c("book", "book", "book", "book", "book", "TARROW", "OSSELL", "each"),
    measure = c(
      "var", "volatility", "fall", "beta", "effective_bets", "weight", "weight", "volatility"
    ),
    warn = c("2.5%", "12%", "8%", "0.5", "3", "8%", "40%", "25%"),
    limit = c("3%", "15%", "12%", "0.7", "2", "12%", "50%", "35%")
  ),
  "bay-limits.csv"
)

# ---- the book of twelve of the demo study, and its limits
# ------------------------------------------------------------------
write(
  data.frame(
    security = c(
      "OSSELL", "TARROW", "BRANNICK", "QUILLMOOR", "VESSANY", "DUNLACE", "HOBBINS", "MARRELL",
      "CORRACK", "ULVEROCK", "BAYBOND", "BAYMETAL"
    ),
    quantity = c(1200, 400, 900, 1500, 700, 250, 500, 600, 1100, 1300, 900, 400)
  ),
  "bay-book.csv"
)
write(
  data.frame(
    of = c("book", "book", "book", "book", "book", "DUNLACE", "OSSELL", "each"),
    measure = c(
      "var", "volatility", "fall", "beta", "effective_bets", "weight", "weight", "volatility"
    ),
    warn = c("1.6%", "9%", "6%", "0.7", "3", "12%", "12%", "30%"),
    limit = c("2%", "12%", "10%", "0.9", "2", "15%", "15%", "38%")
  ),
  "bay-limits-book.csv"
)

# ---- what a Tinmoor crown costs, on days on which its bank is open
# ------------------------------------------------------------------
set.seed(77)
open <- days[!format(days, "%m-%d") %in% c("01-06", "06-24")]
crown <- 1.8 * exp(cumsum(0.004 * rnorm(length(open))))
write(data.frame(date = open, TMC = round(crown, 4)), "bay-rates.csv.gz")

# ---- a book of unlike things: a share of Tinmoor in crowns, a fund of months, a short, two cashes
# ------------------------------------------------------------------
set.seed(78)
rope <- 24 * exp(cumsum(.7 * common + .009 * fat(n, 5)))
write(
  data.frame(date = days, security = "TINROPE", currency = "TMC", close = round(rope, 2)),
  "bay-tinmoor.csv.gz"
)
month_end <- !duplicated(format(days, "%Y-%m"), fromLast = TRUE)
kelp <- 50 * exp(cumsum(.4 * common + .003 * fat(n, 5)))
write(data.frame(date = days[month_end], KELPFUND = round(kelp[month_end], 2)), "bay-kelp.csv")
write(
  data.frame(
    security = c(
      "OSSELL", "TARROW", "BRANNICK", "QUILLMOOR", "VESSANY", "DUNLACE", "HOBBINS", "MARRELL",
      "CORRACK", "ULVEROCK", "EBBING", "TINROPE", "REEFFUND", "KELPFUND", "cash", "cash"
    ),
    shares = c(
      1200, 400, 900, 1500, 700, 250, 500, 600, 1100, 1300, -1500, 2000, 500, 600, 12000, 4000
    ),
    currency = c(rep("HBC", 11), "TMC", "HBC", "HBC", "HBC", "TMC")
  ),
  "bay-unlike.csv"
)
write(
  data.frame(
    of = c("book", "book", "book", "book", "book", "TINROPE", "EBBING", "each"),
    measure = c("var", "var", "es", "loss", "volatility", "weight", "var", "volatility"),
    horizon = c("1 day", "10 days", "10 days", NA, NA, NA, "1 day", NA),
    level = c("99%", "99%", "95%", NA, NA, NA, "95%", NA),
    period = c(NA, NA, NA, "month to date", NA, NA, NA, NA),
    warn = c("1.2%", "4%", "3.5%", "8000 HBC", "9%", "12%", NA, "30%"),
    limit = c("1.6%", "5%", "4.5%", "10000 HBC", "12%", "15%", "4%", "45%")
  ),
  "bay-limits-unlike.csv"
)
