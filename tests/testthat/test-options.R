# No word is ignored: each option of each command, in each way of measuring, changes the answer or is refused.

walked <- function() {
  set.seed(8)
  days <- as.Date("2021-01-01") + seq_len(300)
  days <- days[!as.POSIXlt(days)$wday %in% c(0, 6)]
  r <- matrix(rt(length(days) * 3, 4) * 0.01, ncol = 3)
  r[, 2:3] <- r[, 2:3] + r[, 1]
  p <- round(100 * exp(apply(r, 2, cumsum)), 4)
  p[1:40, 3] <- NA
  p[60:63, 2] <- NA
  list(file = written("date,INDEXX,SHAREX,NEWXXX", paste(days, p[, 1], p[, 2], ifelse(is.na(p[, 3]), "", p[, 3]), sep = ",")),
       held = written("security,shares", "SHAREX,3", "INDEXX,2"))
}

test_that("each option of each command changes the answer, or is refused with the reason", {
  made <- walked()
  # A value that is not the default.
  values <- c(from = "2021-08-01", to = "2021-09-15", last = "60 days", during = "2021-08", security = "SHAREX,INDEXX", every = "week",
              kind = "log", window = "40", `min-obs` = "20", `per-year` = "300", level = "0.9", horizon = "3", `horizon-by` = "overlapping",
              method = "normal", tail = "0.15", block = "4", draws = "500", paths = "2", refit = "5", `zone-days` = "100", decay = "0.9",
              `half-life` = "15", families = "laplace", by = "moments", `test-draws` = "20", `stop-after` = "5", `reject-at` = "0.2",
              `rank-by` = "bic", seed = "3", view = "density", benchmark = "INDEXX", `risk-free` = "0.03", errors = "normal", lags = "3",
              spans = "6 months,1 year", confidence = "0.8", episodes = "2", on = "pairwise", shrink = "identity", sort = "max_drawdown",
              weights = "SHAREX=0.6,INDEXX=0.3", shares = "SHAREX=3,INDEXX=2", values = "SHAREX=30,INDEXX=-2", holdings = made$held,
              held = "then", `stand-in` = "NEWXXX=INDEXX", rebalance = "month", cash = "0.1", rank = "down", value = "5000")
  book <- c("--weights", "SHAREX=6,NEWXXX=4", "--normalise")
  ways <- list(
    summary = list(character(), c("--benchmark", "INDEXX"), book),
    returns = list(character(), "--measured", c("--window", "40"), book),
    volatility = list(character(), c("--method", "ewma"), c("--window", "40"), c("--series", "--method", "ewma"), c("--series", "--method", "garch"), "--parameters",
                      c("--horizon", "3"), book),
    beta = list(c("--benchmark", "INDEXX"), c("--benchmark", "INDEXX", "--window", "40"), c("--benchmark", "INDEXX", "--errors", "newey-west"),
                c("--benchmark", "INDEXX", "--every", "day,week")),
    tracking = list(c("--benchmark", "INDEXX"), c("--benchmark", "INDEXX", "--window", "40"), c("--benchmark", "INDEXX", book)),
    drawdown = list(character(), c("--window", "40"), c("--episodes", "2"), "--series", book),
    correlation = list(character(), c("--window", "40"), c("--decay", "0.95"), c("--shrink", "identity")),
    fit = list(c("--test-draws", "0"), c("--test-draws", "30"), "--parameters", c("--level", "0.9")),
    var = list(character(), c("--method", "normal"), c("--method", "bootstrap", "--draws", "300"), c("--method", "block-bootstrap", "--horizon", "3", "--draws", "300"),
               c("--method", "hill"), c("--method", "ewma"), book, c(book, "--split", "--level", "0.9"), c(book, "--split", "--method", "ewma"), c(book, "--draw", "--draws", "300"),
               c(book, "--paths", "2", "--draws", "300"), "--thresholds"),
    backtest = list(c("--window", "50", "--level", "0.95"), c("--window", "60", "--method", "ewma"), c("--window", "50", "--level", "0.95", "--breaches"),
                    c("--window", "50", "--level", "0.95", "--zones", "--zone-days", "60"), c("--window", "50", "--level", "0.95", "--series", book))
  )
  # How a file is read and where an answer goes are tested with the readers and the writers.
  elsewhere <- c("price", "dates", "decimal", "sheet", "strict", "as-of", "securities", "format", "out", "figure", "help", "keep-unfinished")
  run <- function(words) {
    out <- tempfile(fileext = ".json")
    on.exit(unlink(out))
    status <- suppressWarnings(suppressMessages(tryCatch(imbroglio:::run_command(c(words, "--out", out)), imbroglio_error = function(e) "refused")))
    if (identical(status, "refused")) return(status)
    found <- jsonlite::fromJSON(out, simplifyVector = FALSE)
    # A quantile is the same of simple and of log returns, and a ranking is in the words.
    paste(deparse(c(found$results, found$basis$kind, found$basis$choices[["ranked by"]])), collapse = "")
  }
  quiet <- file(tempfile(), "w")
  sink(quiet, type = "message")
  on.exit({
    sink(type = "message")
    close(quiet)
  })
  ignored <- character()
  for (command in names(ways)) for (way in ways[[command]]) {
    base <- run(c(command, made$file, way))
    if (identical(base, "refused")) ignored <- c(ignored, paste(command, paste(way, collapse = " "), "IS REFUSED"))
    for (option in setdiff(imbroglio:::commands()[[command]]$options, elsewhere)) {
      word <- paste0("--", option)
      if (word %in% way) next
      takes <- !is.null(imbroglio:::options_known[[option]]$takes)
      value <- if (takes) values[[option]]
      if (option == "held" && command %in% c("summary", "returns", "volatility", "tracking", "drawdown")) value <- "today"
      if (option == "errors" && command == "beta") value <- "newey-west"
      got <- run(c(command, made$file, way, word, value))
      if (identical(got, base)) ignored <- c(ignored, paste(c(command, way, word), collapse = " "))
    }
  }
  expect_equal(ignored, character())
})
