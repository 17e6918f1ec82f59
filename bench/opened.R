# Sources that are never whole: time and memory of prices that are read in blocks, each in a
# process of its own, beside the same in memory. Run with `make opened` (a quarter of an hour,
# 1.3 GB of disk); writes bench/opened.md.
library(imbroglio)
folder <- tempfile("opened-")
dir.create(folder)
at <- function(name) file.path(folder, name)
source("bench/taken.R")

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

writeLines(c(
  "# Sources that are never whole",
  "",
  machine("bench/opened.R"),
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
