# A team on one store: sixteen that read and two that write, for MINUTES (ten) in each kind of
# database. Every state that is read is tested against what was to be written. Run with `make
# readers`; writes bench/readers.md.
Sys.setenv(TZ = "UTC")
library(imbroglio)
library(testthat)
source("tests/testthat/helper-parts.R")
minutes <- as.numeric(Sys.getenv("MINUTES", "10"))
securities <- sprintf("%s%03d", rep(c("A", "B"), each = 100L), seq_len(100L))
days <- as.Date("2016-01-01") + 0:2499

# What a price is once it was restated `times` times, so that a reader can tell.
price <- function(security, day, times) {
  rest <- 100 + match(security, securities) / 4 + (as.numeric(day) %% 97) / 2
  round(rest, 2) + 1000 * times
}
table_of <- function(own, days, times) {
  values <- outer(days, own, function(d, s) price(s, d, 0)) + 1000 * times
  as_prices(`dimnames<-`(values, list(NULL, own)), dates = days)
}
quiet <- function(code) {
  suppressMessages(suppressWarnings(code, classes = "imbroglio_warning_doubt"))
}
# Restated by a thousand, which is doubted.
keep <- function(table, store) quiet(store_prices(table, store, doubts = "tell"))
seconds <- function(code) {
  before <- Sys.time()
  code
  as.numeric(Sys.time() - before, units = "secs")
}

# Each writer has half of the securities: a day more of all of them, or the last five again.
write_on <- function(store, half, until) {
  own <- securities[startsWith(securities, half)]
  last <- max(days)
  times <- stats::setNames(integer(5), format(last - 4:0))
  took <- NULL
  while (Sys.time() < until) {
    if (length(took) %% 3L == 2L) {
      times[] <- pmin(times + 1L, 8L)
      took <- c(took, seconds(keep(table_of(own, last - 4:0, times), store)))
    } else {
      last <- last + 1
      times <- stats::setNames(c(times[-1L], 0L), format(last - 4:0))
      took <- c(took, seconds(keep(table_of(own, last, times[5]), store)))
    }
    Sys.sleep(0.2)
  }
  list(took = took, last = last, times = times)
}

# What is wrong with a state, if anything: each half is whole, of one last day, restated as one.
wrong_with <- function(table) {
  wrong <- character()
  for (half in c("A", "B")) {
    own <- table$close[, startsWith(colnames(table), half), drop = FALSE]
    if (!ncol(own)) next
    there <- !is.na(own)
    if (any(there != there[, 1L])) wrong <- c(wrong, "days of some only")
    times <- own %/% 1000
    if (any(times != times[, 1L], na.rm = TRUE)) wrong <- c(wrong, "restated in part")
    told <- outer(table$dates, colnames(own), function(d, s) price(s, d, 0)) + 1000 * times
    if (any(told != own, na.rm = TRUE)) wrong <- c(wrong, "another price")
  }
  wrong
}

read_on <- function(store, until) {
  took <- list()
  wrong <- character()
  known <- 0
  while (Sys.time() < until) {
    result <- tryCatch(
      {
        took$whole <- c(took$whole, seconds(table <- read_prices(store)))
        took$contents <- c(took$contents, seconds(held <- store_contents(store)))
        now <- as.numeric(sub(".*addition ([0-9]+) of.*", "\\1", table$origin))
        earlier <- max(1, now - 5)
        took$past <- c(took$past, seconds(past <- read_prices(store, as_of = earlier)))
        c(
          wrong_with(table), wrong_with(past), if (now < known) "an older state",
          if (max(held$addition) < now) "older contents"
        )
      },
      error = conditionMessage
    )
    known <- max(known, now)
    wrong <- c(wrong, result)
  }
  list(took = took, wrong = wrong)
}

run <- function(store, named) {
  for (half in c("A", "B")) {
    own <- securities[startsWith(securities, half)]
    keep(table_of(own, days, rep(0, 2500)), store)
  }
  alone <- c(seconds(read_prices(store)), seconds(read_prices(store)))
  until <- Sys.time() + 60 * minutes
  jobs <- c(
    lapply(c("A", "B"), function(half) parallel::mcparallel(write_on(store, half, until))),
    lapply(seq_len(16L), function(i) parallel::mcparallel(read_on(store, until)))
  )
  done <- parallel::mccollect(jobs)
  lost <- !vapply(done, is.list, NA)
  writers <- done[1:2]
  readers <- done[-(1:2)]
  end <- wrong_with(read_prices(store))
  verified <- all(verify_store(store)$sound)
  wrong <- c(unlist(lapply(readers, `[[`, "wrong")), end)
  if (length(wrong)) print(table(wrong))
  stopifnot(!any(lost), !length(wrong), verified)
  row <- function(what, took) {
    at <- stats::quantile(took, c(0.5, 0.95, 1), names = FALSE)
    sprintf(
      "| %s | %s | %s | %.2f | %.2f | %.2f |", named, what, format(length(took), big.mark = ","),
      at[1L], at[2L], at[3L]
    )
  }
  taken <- function(what) unlist(lapply(readers, function(r) r$took[[what]]))
  c(
    row("reads all, alone", alone), row("reads all, now", taken("whole")),
    row("reads all as it was five additions ago", taken("past")),
    row("lists what is held", taken("contents")),
    row("adds a day or restates five", unlist(lapply(writers, `[[`, "took")))
  )
}

file <- tempfile(fileext = ".sqlite")
rows <- run(file, "SQLite file")
size <- file.size(file) / 1e6
database <- postgres_process()
rows <- c(rows, run(database$address, "PostgreSQL"))
stop_postgres(database)
lines <- c(
  sprintf(paste(
    "Sixteen readers and two writers on one store of 200 securities x 2,500 days, for %g minutes",
    "in each kind of database, all on one machine of %d cores (%s). Every state that was read was",
    "whole: each writer's securities of one last day, restated together, each price as it was to",
    "be; none older than the one before; and all checksums right at the end."
  ), minutes, parallel::detectCores(), format(Sys.Date())),
  "",
  "| store | what | times | median, s | 19 of 20 within, s | longest, s |",
  "|---|---|---|---|---|---|", rows, "",
  sprintf("The file had %.1f MB at the end.", size)
)
writeLines(lines, "bench/readers.md")
writeLines(lines)
