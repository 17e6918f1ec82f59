# A year of a store: a day's file a morning, a wrong upload, a new name, an end, a backup that is
# brought back, in each kind of database; every state is remembered, and read again at the end. Run
# with `make year`; writes bench/year.md.
Sys.setenv(TZ = "UTC")
library(imbroglio)
library(testthat)
source("tests/testthat/helper-parts.R")
source("bench/taken.R")
n <- as.integer(Sys.getenv("SECURITIES", "200"))
names_of <- sprintf("S%04d", seq_len(n))
all_days <- as.Date("2015-01-01") + 0:5000
all_days <- all_days[(as.numeric(all_days) + 3) %% 7 < 5]
before <- all_days[1:2520]
mornings <- all_days[2520 + 1:252]
set.seed(1)
walk <- apply(matrix(rnorm(2772 * n, 0, 0.01), 2772), 2L, cumsum)
closes <- `dimnames<-`(round(50 * exp(walk), 2), list(NULL, names_of))
quietly <- function(code) {
  suppressMessages(suppressWarnings(code, classes = "imbroglio_warning_doubt"))
}
seconds <- function(code) {
  start <- Sys.time()
  code
  as.numeric(Sys.time() - start, units = "secs")
}

# What is held, as it would be remembered: a matrix by day and security.
remember <- function(held) held[rowSums(!is.na(held)) > 0, colSums(!is.na(held)) > 0, drop = FALSE]
same <- function(store, as_of, held) {
  found <- quietly(read_prices(store, as_of = as_of))$close
  held <- remember(held)
  identical(unname(found[, colnames(held)]), unname(held))
}

one_year <- function(store, size, backup, restore) {
  held <- `dimnames<-`(matrix(NA_real_, 2772, n), list(NULL, names_of))
  held[1:2520, ] <- closes[1:2520, ]
  first <- seconds(quietly(store_prices(as_prices(closes[1:2520, ], dates = before), store)))
  sizes <- size()
  states <- list(held)
  took <- numeric()
  told <- NULL
  put <- function(code, state) {
    spent <- seconds(code)
    states[[length(states) + 1L]] <<- state
    spent
  }
  for (i in seq_along(mornings)) {
    row <- 2520L + i
    own <- colnames(held)[!colnames(held) %in% ended_of(told)]
    day <- as_prices(`dimnames<-`(
      closes[row, match(sub("^NEW", "S0", own), names_of), drop = FALSE], list(NULL, own)
    ), dates = mornings[i])
    if (i == 60L) {
      # A file in another unit: doubted, and taken all the same.
      wrong <- as_prices(as.matrix(day) * 100, dates = mornings[i])
      refused <- tryCatch(store_prices(wrong, store), imbroglio_error_doubt = identity)
      stopifnot(inherits(refused, "imbroglio_error_doubt"), nrow(refused$doubts) == length(own))
      state <- held
      state[row, own] <- as.matrix(wrong)
      put(quietly(store_prices(wrong, store, doubts = "tell", why = "by hand")), state)
      number <- length(states)
      told$withdrawn <- put(
        quietly(correct_store(store, withdraw = number, why = "prices in cents")), held
      )
    }
    held[row, own] <- as.matrix(day)
    took[i] <- put(quietly(store_prices(day, store)), held)
    if (i == 100L) {
      colnames(held)[7L] <- "NEW007"
      told$renamed <- put(quietly(correct_store(store, rename = c(S0007 = "NEW007"))), held)
    }
    if (i == 150L) {
      last <- 2520L + 148L
      held[seq_len(nrow(held)) > last, "S0009"] <- NA
      told$ended <- put(
        quietly(correct_store(store, ended = c(S0009 = all_days[last]), why = "taken over")), held
      )
    }
    if (i == 200L) {
      told$backup <- seconds(backup())
      put(quietly(correct_store(store, remove = own[1:100])), held)
      states <- states[-length(states)]
      told$restored <- seconds(restore())
    }
    sizes <- c(sizes, size())
  }
  right <- vapply(seq_along(states), function(i) same(store, i, states[[i]]), NA)
  told$read <- seconds(read_prices(store))
  told$then <- seconds(read_prices(store, as_of = 100))
  list(
    first = first, sizes = sizes, took = took, told = told, right = right,
    sound = all(verify_store(store)$sound), entries = nrow(store_additions(store))
  )
}

ended_of <- function(told) if (!is.null(told$ended)) "S0009"

folder <- tempfile("year")
dir.create(folder)
file <- file.path(folder, "kept.sqlite")
copy <- file.path(folder, "copy.sqlite")
found <- list(`a file` = one_year(
  file, function() file.size(file) / 1e6,
  backup = function() {
    stopifnot(!system2("sqlite3", c(file, shQuote(sprintf(".backup '%s'", copy)))))
  },
  restore = function() {
    unlink(paste0(file, c("-wal", "-shm")))
    stopifnot(file.copy(copy, file, overwrite = TRUE))
  }
))
server <- postgres_process()
program <- function(name) {
  file.path(dirname(Sys.glob("/usr/lib/postgresql/*/bin/pg_dump")[1L]), name)
}
dump <- file.path(server$folder, "kept.dump")
reach <- c("-U", "tester", "-h", server$folder, "-d", "postgres")
found$PostgreSQL <- one_year(
  server$address,
  function() {
    DBI::dbGetQuery(
      server$connection,
      "select sum(pg_total_relation_size(c.oid)) / 1e6 as mb from pg_class c
       join pg_namespace n on n.oid = c.relnamespace
       where n.nspname = 'imbroglio' and c.relkind = 'r'"
    )$mb
  },
  backup = function() {
    stopifnot(!system2(program("pg_dump"), c(reach, "-Fc", "-n", "imbroglio", "-f", dump)))
  },
  restore = function() {
    stopifnot(!system2(program("pg_restore"), c(reach, "--clean", "--if-exists", dump)))
  }
)
stop_postgres(server)

row <- function(what, of) {
  paste0("| ", paste(c(what, vapply(found, of, "")), collapse = " | "), " |")
}
s <- function(x) sprintf("%.2f s", x)
mb <- function(x) sprintf("%.1f MB", x)
lines <- c(
  "# A year of a store", "",
  sub(", each line.*", ".", machine("make year")), "",
  sprintf(
    paste(
      "%d made-up securities, ten years at first, then a file of one day on each of 252 mornings.",
      "On the 60th a file in another unit: refused, added by `doubts = \"tell\"`, withdrawn. On",
      "the 100th one security is renamed, on the 150th one ended two days before; on the 200th a",
      "backup is made, a hundred securities removed, and the backup brought back."
    ), n
  ), "",
  head_of("", names(found)),
  row("the ten years, at first", function(f) s(f$first)),
  row("a day of all, the first 20", function(f) s(stats::median(utils::head(f$took, 20L)))),
  row("a day of all, the last 20", function(f) s(stats::median(utils::tail(f$took, 20L)))),
  row("the slowest day (what is due is packed)", function(f) s(max(f$took))),
  row("a day withdrawn", function(f) s(f$told$withdrawn)),
  row("renamed", function(f) s(f$told$renamed)),
  row("ended", function(f) s(f$told$ended)),
  row("backup", function(f) s(f$told$backup)),
  row("brought back", function(f) s(f$told$restored)),
  row("all read, as it is", function(f) s(f$told$read)),
  row("all read, as after entry 100", function(f) s(f$told$then)),
  row("size at first", function(f) mb(f$sizes[1L])),
  row("size after a year", function(f) mb(utils::tail(f$sizes, 1L))),
  row("entries", function(f) format(f$entries)),
  row("states read again as they were", function(f) {
    sprintf("%d of %d", sum(f$right), length(f$right))
  }),
  row("checksums", function(f) if (f$sound) "all as written" else "damaged")
)
writeLines(lines, "bench/year.md")
writeLines(lines)
if (!all(unlist(lapply(found, `[[`, "right")))) stop("A state is not as it was.")
