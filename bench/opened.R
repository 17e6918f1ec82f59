# Sources that are never whole: time and memory of prices that are read in blocks, each in a
# process of its own, beside the same in memory. Run with `make opened` (a quarter of an hour,
# 1.3 GB of disk); writes bench/opened.md.
library(imbroglio)
folder <- tempfile("opened-")
dir.create(folder)
at <- function(name) file.path(folder, name)

# Prices that are made as they are read: sums of two of 64 random walks.
made_up <- '
made_up <- function(n, days, memory) {
  dates <- as.Date("2000-01-03") + 0:(ceiling(days * 7 / 5) + 6)
  dates <- dates[!as.POSIXlt(dates)$wday %in% c(0, 6)][seq_len(days)]
  securities <- sprintf("S%07d", seq_len(n))
  set.seed(1)
  pool <- apply(matrix(rnorm(days * 64, 2e-4, 0.012), days), 2, cumsum)
  tables <- function(names) {
    i <- as.integer(substring(names, 2))
    a <- pool[, i %% 64 + 1, drop = FALSE]
    b <- pool[, (i %/% 64) %% 64 + 1, drop = FALSE]
    close <- 100 * exp(a + b * rep(0.2 + (i %% 7) / 10, each = days))
    function(field, names) `colnames<-`(close, names)
  }
  reader <- list(
    securities = securities, dates = dates, origin = "prices made as they are read",
    measured = "close", fields = character(), layout = "wide", tables = tables, digest = "none"
  )
  imbroglio:::new_opened(list(
    dates = dates, chosen = securities, universe = securities, steps = list(),
    memory = imbroglio:::bytes_of(memory), reader = reader, measured = "close",
    origin = reader$origin
  ))
}
'

# What `code` takes in a process of its own, where `x` is made before: seconds, and by how many MB
# the most memory that it ever had is above what it had at the start.
taken <- function(x, code) {
  file <- at("run.R")
  writeLines(c(
    "suppressMessages(library(imbroglio))", "options(cli.progress_show_after = Inf)",
    "peak <- function() as.numeric(gsub('[^0-9]', '',",
    "  grep('VmHWM', readLines('/proc/self/status'), value = TRUE))) / 1024",
    "quiet <- function(x) suppressWarnings(suppressMessages(x))",
    made_up, "start <- peak()", "before <- proc.time()[[3]]", paste("x <- quiet(", x, ")"),
    "opened <- proc.time()[[3]]", paste("made <- quiet(", code, ")"),
    "done <- proc.time()[[3]]",
    "cat('taken', done - opened, opened - before, peak() - start, NROW(made))"
  ), file)
  out <- system2("Rscript", file, stdout = TRUE)
  values <- strsplit(tail(out, 1L), " ", fixed = TRUE)[[1L]]
  if (values[1L] != "taken") stop(paste(out, collapse = "\n"))
  stats::setNames(as.numeric(values[-1L]), c("seconds", "opening", "memory", "rows"))
}

rows <- function(cells) {
  line <- function(x) paste0("| ", paste(x, collapse = " | "), " |")
  unname(apply(do.call(rbind, cells), 1L, line))
}
head_of <- function(...) {
  c(paste0("| ", paste(c(...), collapse = " | "), " |"), paste0("|", strrep("---|", ...length())))
}
said <- function(x, digits = 3) format(signif(x, digits), big.mark = ",", scientific = FALSE)
note <- function(...) message(format(Sys.time(), "%H:%M:%S "), ...)

# ---- 20,000 securities of 6,300 days ----------------------------------------------------------
note("writing")
written <- taken("made_up(20000, 6300, '1GB')", sprintf("write_prices(x, '%s')", at("large")))
size <- sum(file.size(list.files(at("large"), recursive = TRUE, full.names = TRUE)))
asked <- c(
  "volatility" = "measure_volatility(x)",
  "beta" = "measure_beta(x, 'S0000001')",
  "tracking error" = "measure_tracking(x, 'S0000001')",
  "drawdown" = "measure_drawdown(x)",
  "value at risk at two levels" = "measure_var(x, level = c(0.95, 0.99))",
  "the summary, with a benchmark" = "measure_summary(x, 'S0000001')",
  "all six" = paste(
    "{measure_volatility(x); measure_beta(x, 'S0000001'); measure_tracking(x, 'S0000001');",
    "measure_drawdown(x); measure_var(x, level = c(0.95, 0.99));",
    "measure_summary(x, 'S0000001')}"
  )
)
large <- lapply(asked, function(code) {
  note(code)
  c(
    taken(sprintf("open_prices('%s', memory = '1GB')", at("large")), code),
    taken(sprintf("read_prices('%s')", at("large")), code)
  )
})
large_rows <- rows(Map(function(name, t) {
  c(name, said(t[1L]), said(t[3L]), said(t[6L]), said(t[5L]), said(t[7L]),
    sprintf("%.2f", t[1L] / t[5L]), sprintf("%.2f", t[1L] / (t[5L] + t[6L])))
}, names(large), large))

# ---- memory of every measure, in blocks -------------------------------------------------------
block <- 50
each <- c(
  "returns" = "measure_return(x)", "volatility" = "measure_volatility(x)",
  "volatility, EWMA" = "measure_volatility(x, method = 'ewma')",
  "beta" = "measure_beta(x, 'S0000001')", "tracking" = "measure_tracking(x, 'S0000001')",
  "capture" = "measure_capture(x, 'S0000001')", "drawdown" = "measure_drawdown(x)",
  "episodes" = "drawdown_episodes(x, worst = 3)", "downside" = "measure_downside(x)",
  "ratios" = "measure_ratios(x)", "worst days" = "worst_periods(x)",
  "autocorrelation" = "measure_autocorrelation(x)", "summary" = "measure_summary(x, 'S0000001')",
  "fits" = "fit_returns(x, 'normal', test_draws = 0)",
  "value at risk, historical" = "measure_var(x)",
  "value at risk, normal" = "measure_var(x, method = 'normal')",
  "value at risk, Cornish-Fisher" = "measure_var(x, method = 'cornish-fisher')",
  "backtest" = "backtest_var(x)",
  "rolling volatility, written" = sprintf(
    "write_rows(measure_volatility(x, window = 60), '%s')", at("rolling.csv")
  ),
  "rolling beta, written" = sprintf(
    "write_rows(measure_beta(x, 'S0000001', window = 60), '%s')", at("rolling.csv")
  ),
  "check" = "check_prices(x)"
)
memory_rows <- rows(Map(function(name, code) {
  note(code)
  # A rolling table has 2,500 rows for each.
  n <- if (grepl("write_rows", code)) 500 else 7500
  t <- taken(sprintf("made_up(%d, 2500, '500MB')", n), code)
  c(name, said(t[["seconds"]]), said(t[["memory"]]), sprintf("%.1f", t[["memory"]] / block))
}, names(each), each))

# ---- time and memory against size -------------------------------------------------------------
sizes <- c(1000, 3000, 10000, 30000, 100000, 300000, 1000000)
note("sizes")
found <- lapply(sizes, function(n) {
  taken(sprintf("made_up(%d, 1250, '1GB')", as.integer(n)), "measure_volatility(x)")
})
seconds <- vapply(found, `[[`, 0, "seconds")
slope <- stats::coef(stats::lm(log(seconds[-(1:2)]) ~ log(sizes[-(1:2)])))[[2L]]
size_rows <- rows(Map(function(n, t) {
  c(said(n, 7), said(t[["seconds"]]), said(t[["memory"]]))
}, sizes, found))

# ---- a database -------------------------------------------------------------------------------
source("tests/testthat/helper-parts.R")
library(testthat)
database <- tryCatch(postgres_process(), skip = function(e) NULL)
database_lines <- if (!is.null(database)) {
  note("PostgreSQL")
  adding <- taken(
    "as_prices(made_up(1000, 2500, '1GB'))", sprintf("store_prices(x, '%s')", database$address)
  )
  reading <- taken(sprintf("open_prices('%s', memory = '200MB')", database$address),
                   "measure_volatility(x)")
  stop_postgres(database)
  sprintf(
    paste(
      "From PostgreSQL, 1,000 securities of 2,500 days, 2.5 million prices: volatility in blocks",
      "in %s s (opening %s s), %s prices a second; adding them took %s s."
    ),
    said(reading[["seconds"]]), said(reading[["opening"]]),
    said(2.5e6 / reading[["seconds"]]), said(adding[["seconds"]])
  )
}

processor <- sub("^.*: ", "", grep("model name", readLines("/proc/cpuinfo"), value = TRUE)[1L])
writeLines(c(
  "# Sources that are never whole",
  "",
  sprintf(
    "%s, %d cores; %s; imbroglio %s; %s. By `bench/opened.R`, each line in a process of its own.",
    processor, parallel::detectCores(), R.version.string, utils::packageVersion("imbroglio"),
    format(Sys.Date())
  ),
  paste(
    "Memory is the most that a process ever had (resident), less what it had with the package",
    "loaded."
  ),
  "",
  "## 20,000 securities of 6,300 days",
  "",
  sprintf(
    paste(
      "A folder of %s GB, written in %s s with %s MB of memory from prices made as they are read.",
      "In blocks of a tenth of `memory = \"1GB\"`, beside `read_prices()` of all of it."
    ),
    said(size / 1e9), said(written[["seconds"]]), said(written[["memory"]])
  ),
  "",
  head_of(
    "measure", "in blocks, s", "MB", "in memory: reading, s", "measuring, s", "MB",
    "blocks / measuring", "blocks / reading and measuring"
  ),
  large_rows,
  "",
  "## Memory against the block",
  "",
  sprintf(
    paste(
      "7,500 securities of 2,500 days (150 MB) by `memory = \"500MB\"`: blocks of %d MB;",
      "500 where 2,500 rows of each are written."
    ), block
  ),
  "",
  head_of("measure", "seconds", "MB", "blocks"),
  memory_rows,
  "",
  "## Time against size",
  "",
  "Volatility of 1,250 days of prices that are made as they are read, by `memory = \"1GB\"`.",
  "",
  head_of("securities", "seconds", "MB"),
  size_rows,
  "",
  sprintf("From 10,000 on, seconds grow as securities to the power of %.2f.", slope),
  "What memory grows by is the table of results, with the name of each security and its sample.",
  if (!is.null(database_lines)) c("", "## A database", "", database_lines)
), "bench/opened.md")
unlink(folder, recursive = TRUE)
