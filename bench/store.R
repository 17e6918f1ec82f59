# Fetching 500 securities of ten years from a feed on this machine, keeping them, bringing them up
# to date by a day, and reading them back. Run with `make bench`; writes bench/store.md.
library(imbroglio)
source("bench/timing.R")
securities <- 500L
last <- as.Date("2025-12-31")
dates <- seq(last - 3660, last, by = "day")
dates <- dates[!as.POSIXlt(dates)$wday %in% c(0, 6)]
set.seed(7)
names <- sprintf("SEC%05d", seq_len(securities))
n <- length(dates)
walk <- function() 100 * exp(apply(matrix(rnorm(n * securities, 0, 0.01), n), 2L, cumsum))
close <- round(walk(), 2)
beside <- function(by) round(close * by, 2)
traded <- data.frame(
  date = rep(dates, securities),
  security = rep(names, each = n),
  open = as.vector(beside(0.999)),
  high = as.vector(beside(1.01)),
  low = as.vector(beside(0.99)),
  close = as.vector(close),
  volume = round(runif(n * securities, 1e4, 1e6))
)
folder <- tempfile()
dir.create(folder)
file <- function(name) file.path(folder, name)
csv <- file("prices.csv")
data.table::fwrite(traded, csv)
quiet <- function(code) suppressMessages(code)
# The feed is a process of its own that serves a store; its last day comes later.
before <- traded$date < last
quiet(store_prices(as_prices(traded[before, ]), file("feed.sqlite")))
job <- sprintf(
  "imbroglio::serve_feed('%s', port = 0, ready = function(a) writeLines(a, '%s'))",
  file("feed.sqlite"),
  file("address")
)
pid <- file("pid")
system2(
  "Rscript",
  c("-e", shQuote(sprintf("writeLines(format(Sys.getpid()), '%s'); %s", pid, job))),
  wait = FALSE,
  stdout = FALSE,
  stderr = FALSE
)
while (!file.exists(file("address")) || !length(address <- readLines(file("address")))) {
  Sys.sleep(0.1)
}

# Loading what is loaded once is no part of the work.
invisible(fetch_prices(address, names[1L]))
store <- file("own.sqlite")
whole <- once(function() update_store(store, address))
quiet(store_prices(as_prices(traded[traded$date >= last - 5, ]), file("feed.sqlite")))
day <- once(function() updated <<- update_store(store, address))
stopifnot(nrow(updated) == securities, updated$new == 1L, updated$restated == 0L)
nothing <- once(function() update_store(store, address))
added <- once(function() quiet(store_prices(read_prices(csv), file("again.sqlite"))))

reading <- timed(
  list(
    csv = function() read_prices(csv),
    store = function() read_prices(store),
    earlier = function() read_prices(store, as_of = attr(updated, "addition") - 1)
  ),
  5L
)
stopifnot(
  identical(read_prices(store)$close, read_prices(csv)$close),
  identical(read_prices(store)$fields$volume, read_prices(csv)$fields$volume)
)
tools::pskill(as.integer(readLines(pid)))
lines <- c(
  sprintf(
    "%d securities, %s days, %s rows, %.0f MB as CSV, %.0f MB as a store",
    securities,
    format(n, big.mark = ","),
    format(nrow(traded), big.mark = ","),
    file.size(csv) / 2^20,
    file.size(store) / 2^20
  ),
  "",
  "| what | x fetching all |",
  "|---|---|",
  "| fetch all from a feed on this machine and store it | 1 |",
  sprintf("| one day's update of all | 1/%.0f |", whole / day),
  sprintf("| an update with nothing new | 1/%.0f |", whole / nothing),
  sprintf("| read the CSV and store it, without a feed | %.2f |", added / whole),
  "",
  "| what | x reading the CSV |",
  "|---|---|",
  sprintf("| read the store | %.2f |", reading[["store"]] / reading[["csv"]]),
  sprintf(
    "| read it as it was before the last day | %.2f |",
    reading[["earlier"]] / reading[["csv"]]
  ),
  "",
  sprintf("Fetching all took %.1f s, reading the CSV %.0f ms.", whole, 1000 * reading[["csv"]])
)

# Five million closes with all their digits, in both kinds of database.
Sys.setenv(TZ = "UTC")
library(testthat)
source("tests/testthat/helper-parts.R")
n <- 2500L
days <- dates[seq_len(n)]
many <- sprintf("SEC%05d", seq_len(2000L))
closes <- 100 * exp(apply(matrix(rnorm(n * 2000L, 0, 0.01), n), 2L, cumsum))
large <- file("large.csv")
data.table::fwrite(stats::setNames(data.frame(days, closes), c("date", many)), large)
prices <- NULL
read <- min(vapply(1:3, function(i) once(function() prices <<- quiet(read_prices(large))), 0))
table_on <- function(values, days) as_prices(`colnames<-`(values, many), dates = days)
of_large <- function(store, size) {
  # Nobody would believe what is made up here.
  keep <- function(table) {
    once(function() suppressWarnings(quiet(store_prices(table, store, doubts = "tell"))))
  }
  later <- function(i) {
    table_on(rbind(seq_along(many) / 7 + i, seq_along(many) / 7), max(days) + 2 * i - 1:0)
  }
  took <- c(
    "store them" = keep(prices), "and reading the CSV" = 0,
    "two days more of all" = stats::median(vapply(1:5, function(i) keep(later(i)), 0)),
    "all again, nothing new" = keep(prices),
    "five days restated" = keep(table_on(closes[n - 4:0, ] + 1, days[n - 4:0]))
  )
  took[2L] <- took[1L] + read
  size <- size()
  then <- NULL
  took <- c(
    took, "read all" = once(function() read_prices(store)),
    "read all as at first" = once(function() then <<- read_prices(store, as_of = 1)),
    "test all (verify)" = once(function() stopifnot(all(verify_store(store)$sound)))
  )
  stopifnot(identical(then$close, prices$close))
  list(took = took, size = size)
}
sqlite <- file("large.sqlite")
database <- postgres_process()
found <- list(
  of_large(sqlite, function() file.size(sqlite) / 1e6),
  of_large(database$address, function() {
    DBI::dbGetQuery(database$connection, paste(
      "select sum(pg_total_relation_size(c.oid))::float8 as n from pg_class c join pg_namespace s",
      "on s.oid = c.relnamespace where s.nspname = 'imbroglio' and c.relkind = 'r'"
    ))$n / 1e6
  })
)
stop_postgres(database)
lines <- c(
  lines, "",
  "Five million closes with all their digits (2,000 securities, 2,500 days):", "",
  "| | SQLite, x reading the CSV | PostgreSQL, x reading the CSV |", "|---|---|---|",
  sprintf(
    "| %s | %.2f | %.2f |", names(found[[1L]]$took),
    found[[1L]]$took / read, found[[2L]]$took / read
  ),
  "",
  sprintf(
    "They take %.0f MB in SQLite, %.0f MB in PostgreSQL; reading the CSV (%.0f MB) took %.1f s.",
    found[[1L]]$size, found[[2L]]$size, file.size(large) / 1e6, read
  )
)
writeLines(lines, "bench/store.md")
writeLines(lines)
unlink(folder, recursive = TRUE)
