# No word is ignored: each option of each command, in each way of measuring, changes the answer or
# is refused.

test_that("each option of each command changes the answer, or is refused with the reason", {
  made <- walked()
  values <- other_values(made)
  book <- c("--weights", "SHAREX=6,NEWXXX=4", "--normalise")
  ways <- lapply(imbroglio:::commands(), function(command) {
    lapply(command$ways, function(way) {
      words <- strsplit(way, " ", fixed = TRUE)[[1]]
      unlist(lapply(words, function(word) {
        switch(word, BOOK = book, LIMITS = made$limits, word)
      }))
    })
  })
  # `selling` wants volumes, which the file of this test has not, and `currency` rates: tested with
  # the books. A command that lists or writes has no ways.
  measuring <- names(Filter(function(one) "workbook" %in% one$options, imbroglio:::commands()))
  # `history` reads what a study kept.
  elsewhere <- c("selling", "currency", "working", "history")
  expect_setequal(names(Filter(length, ways)), setdiff(measuring, elsewhere))
  # How a file is read and where an answer goes are tested with the readers and the writers.
  elsewhere <- c(
    "price", "dates", "decimal", "sheet", "strict", "as-of", "securities", "format", "out",
    "figure", "workbook", "columns", "help", "record", "recorded-by", "keep-unfinished", "rates",
    "base", "currencies", "carry",
    # The same answers, and a store written to a folder: test-opened.R.
    "memory", "export", "workers", "plan", "resume",
    # Of books of unlike things: test-unlike.R.
    "between", "bridges", "over", "held-by-date",
    # Of what stops or is old: test-ended.R; of the days before: test-days.R.
    "carried", "today", "stale", "runs"
  )
  run <- function(words) {
    out <- tempfile(fileext = ".json")
    withr::defer(unlink(out))
    status <- suppressWarnings(suppressMessages(tryCatch(
      imbroglio:::run_command(c(words, "--out", out)),
      imbroglio_error = function(e) "refused"
    )))
    if (identical(status, "refused")) return(status)
    found <- jsonlite::fromJSON(out, simplifyVector = FALSE)
    # A quantile is the same of simple and of log returns, and a ranking is in the words.
    paste(
      deparse(c(found$results, found$basis$kind, found$basis$choices[["ranked by"]])),
      collapse = ""
    )
  }
  quiet <- file(tempfile(), "w")
  sink(quiet, type = "message")
  withr::defer({
    sink(type = "message")
    close(quiet)
  })
  ways <- lapply(Filter(length, ways), function(each) {
    each[seq(1L, length(each), by = thorough(5L, 1L))]
  })
  ignored <- character()
  for (command in names(ways)) {
    for (way in ways[[command]]) {
      base <- run(c(command, made$file, way))
      if (identical(base, "refused")) {
        ignored <- c(ignored, paste(command, paste(way, collapse = " "), "IS REFUSED"))
      }
      for (option in setdiff(imbroglio:::commands()[[command]]$options, elsewhere)) {
        word <- paste0("--", option)
        if (word %in% way) next
        takes <- !is.null(imbroglio:::options_known()[[option]]$takes)
        own <- as.list(imbroglio:::commands()[[command]]$tries)
        value <- if (takes) own[[option]] %||% values[[option]]
        # There are no groups in the file.
        if (option == "by" && command != "fit") value <- "group"
        if (option == "held" &&
            command %in% c("summary", "returns", "volatility", "tracking", "drawdown")) {
          value <- "today"
        }
        got <- run(c(command, made$file, way, word, value))
        if (identical(got, base)) {
          ignored <- c(ignored, paste(c(command, way, word), collapse = " "))
        }
      }
    }
  }
  expect_equal(ignored, character())
})

test_that("what is not known is refused, and what people write is taken", {
  prices <- as_prices(read.csv(walked()$file))
  fit <- fit_returns(prices[, "INDEXX"], test_draws = 0)
  wrong <- list(
    function() window(prices, to = "2021-05-01"),
    function() predict(fit, horizon = 10),
    function() generics::tidy(fit, conf.level = 0.8),
    function() ggplot2::autoplot(prices, color = 1),
    function() as_prices(data.frame(date = prices$dates, A = 1), pricing = "A"),
    function() as_returns(prices, kind = c("log", "simple")),
    function() measure_volatility(prices, errors = c("normal", "kurtosis"))
  )
  for (f in wrong) {
    expect_error(f(), "no argument|takes one value", class = "imbroglio_error_argument")
  }
  expect_error(
    ggplot2::autoplot(prices, strat = "2021"),
    "Did you mean start",
    class = "imbroglio_error_argument"
  )
  file <- walked()$file
  var <- function(...) {
    jsonlite::fromJSON(
      imbroglio("var", file, "--security", "INDEXX", "--format", "json", ...)$out
    )$results
  }
  expect_equal(var("--level", "95%,99%")$level, c(0.95, 0.99))
  for (value in c("1,500,000", "1.5m", "1500k", "1500000")) {
    expect_equal(var("--value", value)$var_value, 1.5e6 * var()$var, tolerance = 1e-12)
  }
  # A comma is between numbers wherever several are taken, and within one elsewhere.
  options <- imbroglio:::options_known()
  for (name in names(Filter(function(option) identical(option$takes, "N"), options))) {
    taken <- if (name == "lags") c(1, 250) else 1250
    expect_equal(options[[name]]$read("1,250"), taken, info = name)
  }
  for (name in c("window", "level", "horizon")) {
    expect_equal(options[[name]]$read("1,250"), c(1, 250), info = name)
  }
  expect_equal(
    imbroglio("volatility", file, "--weights", "INDEXX=1.2", "--cash", "-0.2")$status,
    0L
  )
  expect_match(
    imbroglio("report", file, "--out", tempfile(fileext = ".docx"))$err,
    "A report is a page"
  )
  expect_match(
    imbroglio("drawdown", file, "--window", "40", "--episodes", "2")$err,
    "not used here"
  )
  expect_match(
    imbroglio("var", file, "--shares", "INDEXX=2", "--value", "5")$err,
    "worth what its holdings are"
  )
  expect_match(
    imbroglio("returns", file, "--during", "2024-13")$err,
    "--during must be one date",
    fixed = TRUE
  )
  # Advice in the words of the command.
  expect_match(
    imbroglio("volatility", written("date;A", "2024-01-02;998", "2024-01-03;1.002"))$err,
    "--decimal ',' or --decimal '.'",
    fixed = TRUE
  )
  expect_match(
    imbroglio("volatility", file, "--weights", "INDEXX=0.5")$err,
    "--normalise divides them",
    fixed = TRUE
  )
})
