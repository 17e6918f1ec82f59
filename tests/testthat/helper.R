# Real prices: four indices of R's own data, under names of ours, given weekday dates.
stock_dates <- function() {
  days <- as.Date("1991-07-01") + 0:3000
  head(days[!as.POSIXlt(days)$wday %in% c(0, 6)], nrow(EuStockMarkets))
}
stocks <- function() {
  matrix(
    EuStockMarkets,
    ncol = 4,
    dimnames = list(format(stock_dates()), c("NORTH", "ALPINE", "WESTERN", "ISLES"))
  )
}
stock_prices <- function() as_prices(stocks())

written <- function(..., ending = ".csv") {
  path <- tempfile(fileext = ending)
  writeBin(charToRaw(paste0(c(...), "\n", collapse = "")), path)
  path
}

# The command as a process: its status, what it printed and what it said.
imbroglio <- function(...) {
  out <- tempfile()
  err <- tempfile()
  command <- system.file("exec", "imbroglio", package = "imbroglio")
  libraries <- paste(.libPaths(), collapse = .Platform$path.sep)
  status <- system2(
    command,
    shQuote(c(...)),
    stdout = out,
    stderr = err,
    env = paste0("R_LIBS=", shQuote(libraries))
  )
  list(status = status, out = readLines(out), err = paste(readLines(err), collapse = "\n"))
}

# The same command line within this process, for the many of which only the numbers matter.
run_here <- function(...) {
  out <- tempfile(fileext = ".json")
  suppressWarnings(suppressMessages(utils::capture.output(
    imbroglio:::run_command(c(..., "--out", out)),
    type = "message"
  )))
  readLines(out)
}

# How often a long test repeats: usually, and of `make test` with IMBROGLIO_ALL set, which takes
# half an hour.
thorough <- function(usually, all) if (nzchar(Sys.getenv("IMBROGLIO_ALL"))) all else usually

# A value, and what was said while it was made: the class and the words of each.
told_of <- function(code) {
  told <- character()
  value <- withCallingHandlers(
    code,
    imbroglio_note = function(m) {
      told <<- c(told, class(m)[1L], conditionMessage(m))
      invokeRestart("muffleMessage")
    },
    imbroglio_warning = function(w) {
      told <<- c(told, class(w)[1L], conditionMessage(w))
      invokeRestart("muffleWarning")
    }
  )
  list(value = value, told = told)
}

# The package's own sources; not there when only the installed package is tested.
source_file <- function(...) {
  top <- Sys.getenv("IMBROGLIO_SOURCE")
  if (!nzchar(top)) testthat::skip("the sources are not here: `make test` runs this one")
  file.path(top, ...)
}

# What a test registers is not there in the next.
forget_registered <- function(frame = parent.frame()) {
  force(frame)
  kinds <- c("registered_families", "registered_estimators", "registered_var_methods")
  registries <- lapply(kinds, get, asNamespace("imbroglio"))
  before <- lapply(registries, ls)
  withr::defer(for (i in seq_along(registries)) {
    rm(list = setdiff(ls(registries[[i]]), before[[i]]), envir = registries[[i]])
  }, envir = frame)
}

# The book of the demo, with what it stands on.
demo_unlike <- function(...) {
  prices <- quietly(read_prices(
    demo_file(c("bay.csv", "bay-fund.csv", "bay-kelp.csv", "bay-tinmoor.csv.gz"))
  ))
  own <- setNames(rep("HBC", ncol(prices)), colnames(prices))
  own["TINROPE"] <- "TMC"
  base <- quietly(translate_prices(prices, demo_file("bay-rates.csv.gz"), "HBC", own, carry = 3))
  quietly(as_portfolio(base, holdings = demo_file("bay-unlike.csv"), benchmark = "BAYALL", ...))
}
