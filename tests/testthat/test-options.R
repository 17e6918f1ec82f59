# No word is ignored: each option of each command, in each way of measuring, changes the answer or
# is refused.

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
    held = written("security,shares", "SHAREX,3", "INDEXX,2")
  )
}

test_that("each option of each command changes the answer, or is refused with the reason", {
  made <- walked()
  # A value that is not the default.
  values <- c(
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
    draws = "500",
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
    on = "pairwise",
    shrink = "identity",
    sort = "max_drawdown",
    weights = "SHAREX=0.6,INDEXX=0.3",
    shares = "SHAREX=3,INDEXX=2",
    values = "SHAREX=30,INDEXX=-2",
    holdings = made$held,
    held = "then",
    `stand-in` = "NEWXXX=INDEXX",
    rebalance = "month",
    cash = "0.1",
    rank = "down",
    value = "5000"
  )
  book <- c("--weights", "SHAREX=6,NEWXXX=4", "--normalise")
  ways <- list(
    summary = list(character(), c("--benchmark", "INDEXX"), book),
    returns = list(character(), "--measured", c("--window", "40"), book),
    volatility = list(
      character(),
      c("--method", "ewma"),
      c("--window", "40"),
      c("--series", "--method", "ewma"),
      "--parameters",
      c("--horizon", "3"),
      book
    ),
    beta = list(
      c("--benchmark", "INDEXX"),
      c("--benchmark", "INDEXX", "--window", "40"),
      c("--benchmark", "INDEXX", "--errors", "newey-west"),
      c("--benchmark", "INDEXX", "--every", "day,week")
    ),
    tracking = list(
      c("--benchmark", "INDEXX"),
      c("--benchmark", "INDEXX", "--window", "40"),
      c("--benchmark", "INDEXX", book)
    ),
    drawdown = list(character(), c("--window", "40"), c("--episodes", "2"), "--series", book),
    correlation = list(
      character(),
      c("--window", "40"),
      c("--decay", "0.95"),
      c("--shrink", "identity")
    ),
    fit = list(
      c("--test-draws", "0"),
      c("--test-draws", "30"),
      "--parameters",
      c("--level", "0.9")
    ),
    var = list(
      character(),
      c("--method", "normal"),
      c("--method", "bootstrap", "--draws", "300"),
      c("--method", "block-bootstrap", "--horizon", "3", "--draws", "300"),
      c("--method", "hill"),
      c("--method", "ewma"),
      book,
      c(book, "--split", "--level", "0.9"),
      c(book, "--draw", "--draws", "300"),
      c(book, "--paths", "2", "--draws", "300"),
      "--thresholds"
    ),
    backtest = list(
      c("--window", "50", "--level", "0.95"),
      c("--window", "60", "--method", "ewma"),
      c("--window", "50", "--level", "0.95", "--breaches"),
      c("--window", "50", "--level", "0.95", "--zones", "--zone-days", "60"),
      c("--window", "50", "--level", "0.95", "--series", book)
    )
  )
  # How a file is read and where an answer goes are tested with the readers and the writers.
  elsewhere <- c(
    "price", "dates", "decimal", "sheet", "strict", "as-of", "securities", "format", "out",
    "figure", "help", "keep-unfinished"
  )
  run <- function(words) {
    out <- tempfile(fileext = ".json")
    on.exit(unlink(out))
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
  on.exit({
    sink(type = "message")
    close(quiet)
  })
  ways <- lapply(ways, function(each) each[seq(1L, length(each), by = thorough(4L, 1L))])
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
        takes <- !is.null(imbroglio:::options_known[[option]]$takes)
        value <- if (takes) values[[option]]
        if (option == "held" &&
            command %in% c("summary", "returns", "volatility", "tracking", "drawdown")) {
          value <- "today"
        }
        if (option == "errors" && command == "beta") value <- "newey-west"
        got <- run(c(command, made$file, way, word, value))
        if (identical(got, base)) {
          ignored <- c(ignored, paste(c(command, way, word), collapse = " "))
        }
      }
    }
  }
  expect_equal(ignored, character())
})

test_that("a span keeps the price before it and no more, in whatever way it is named", {
  prices <- as_prices(read.csv(walked()$file))
  days <- prices$dates
  first <- function(...) as_returns(window(prices, ...))
  whole <- as_returns(prices)
  for (start in c("2021-03-01", "2021-06-12", "2021-04-09")) {
    cut <- first(start = start)
    later <- whole$dates >= max(cut$dates[1], as.Date("2021-01-02"))
    expect_identical(cut$values, utils::head(whole$values[later, ], nrow(cut)))
    expect_identical(
      cut$dates[rowSums(!is.na(cut$values)) > 0][1],
      whole$dates[whole$dates >= as.Date(start)][1]
    )
    # A security that had no price just before has its return over the gap.
    expect_equal(
      measure_return(cut)$n,
      unname(colSums(!is.na(whole$values[whole$dates >= as.Date(start), ])))
    )
  }
  monthly <- suppressMessages(as_returns(window(prices, start = "2021-03-01"), every = "month"))
  expect_equal(
    as.matrix(monthly)[1, "INDEXX"],
    as.matrix(suppressMessages(as_returns(prices, every = "month")))["2021-03-31", "INDEXX"]
  )
  expect_identical(
    window(prices, during = "2021-05")$dates,
    window(prices, start = "2021-05-01", end = "2021-05-31")$dates
  )
  expect_identical(
    window(prices, start = "2021-05", end = "2021-06")$dates,
    window(prices, start = "2021-05-01", end = "2021-06-30")$dates
  )
  expect_identical(nrow(first(last = "50 returns")), 50L)
  expect_identical(
    nrow(window(suppressMessages(as_returns(prices, every = "week")), last = "5 returns")),
    5L
  )
  given <- as_returns(as.data.frame(whole), given = "returns")
  expect_identical(
    window(given, during = "2021-05")$values,
    whole$values[format(whole$dates, "%Y-%m") == "2021-05", ]
  )
  # A rolling measure from a date on has its windows filled from the days before.
  file <- walked()$file
  rolled <- function(...) {
    read.csv(
      text = imbroglio(
        "volatility", file, "--security", "INDEXX", "--window", "40", "--format", "csv", ...
      )$out
    )
  }
  all <- rolled()
  expect_equal(
    rolled("--from", "2021-08-02"),
    all[all$to >= "2021-08-02", ],
    tolerance = 1e-12,
    ignore_attr = TRUE
  )
  tested <- suppressWarnings(backtest_var(as_returns(prices)[, "INDEXX"], window = 50))
  part <- jsonlite::fromJSON(
    imbroglio(
      "backtest", file, "--security", "INDEXX", "--window", "50", "--from", "2021-08-02",
      "--format", "json"
    )$out
  )$results
  expect_identical(part$n, sum(backtest_series(tested)$date >= as.Date("2021-08-02")))
})

test_that(
  paste0(
    "what a function or a command does not know is refused, and what people write is ",
    "taken"
  ),
  {
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
    expect_equal(
      imbroglio("volatility", file, "--weights", "INDEXX=1.2", "--cash", "-0.2")$status,
      0L
    )
    expect_match(
      imbroglio("report", file, "--out", tempfile(fileext = ".pdf"))$err,
      "one page of HTML"
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
  }
)

test_that("returns and profits that are given, and chosen prices, go through the command", {
  fund <- written(
    "date,Fund,Index", "2023-01,1.50%,1.00%", "2023-02,-2.00%,-1.50%", "2023-03,0.50%,0.70%",
    "2023-04,1.00%,0.60%"
  )
  json <- function(...) jsonlite::fromJSON(imbroglio(..., "--format", "json")$out)
  earned <- json("returns", fund, "--given", "returns", "--measured")
  expect_equal(
    earned$results$total_return[1],
    prod(1 + c(1.5, -2, 0.5, 1) / 100) - 1,
    tolerance = 1e-12
  )
  expect_equal(earned$basis$every[[1]], "month")
  expect_equal(json("beta", fund, "--given", "returns", "--benchmark", "Index")$results$n, 4L)
  expect_equal(
    json("returns", fund, "--given", "returns", "--from", "2023-03")$results$date,
    rep(c("2023-03-31", "2023-04-30"), 2)
  )
  # A column that is called what it holds has the name of its file.
  desk <- written(
    "date,profit",
    paste0(as.Date("2024-01-01") + 0:59, ",", round(1e4 * sin(1:60)))
  )
  loss <- json("var", desk, "--given", "profits", "--level", "0.95")$results
  expect_equal(loss$security, sub("[.]csv$", "", basename(desk)))
  expect_equal(loss$var, -sort(round(1e4 * sin(1:60)))[3])
  said <- imbroglio("var", desk, "--given", "profits", "--level", "0.95")$out
  expect_false(any(grepl("[0-9] %", sub("95 %", "", said, fixed = TRUE)[1:6])))
  for (words in list(
    c("beta", desk, "--given", "profits", "--benchmark", "A"),
    c("returns", desk, "--given", "returns"),
    c("returns", desk, "--given", "profits", "--kind", "log"),
    c("returns", fund, "--given", "rates")
  )) {
    expect_true(do.call(imbroglio, as.list(words))$status %in% 2:3)
  }
  # Long and wide, in every form, they are read back as they were.
  daily <- demo_file("bay-daily.csv.gz")
  prices <- read_prices(daily, price = "close")[, c("TARROW", "OSSELL")]
  span <- prices[format(prices$dates, "%Y") == "2024", ]
  for (ending in c(".csv", ".xlsx", ".parquet")) {
    for (long in list(NULL, "--long")) {
      out <- tempfile(fileext = ending)
      ran <- do.call(
        imbroglio,
        as.list(c(
          "prices", daily, "--price", "close", "--security", "TARROW,OSSELL", "--during", "2024",
          long, "--out", out
        ))
      )
      expect_equal(ran$status, 0L, info = ran$err)
      again <- read_prices(out, price = if (!is.null(long)) "close")[, c("TARROW", "OSSELL")]
      expect_equal(again$close, span$close)
      expect_identical(again$dates, span$dates)
      if (!is.null(long)) expect_equal(again$fields$volume, span$fields$volume)
    }
  }
})

test_that("a log return is told as the move that it was", {
  prices <- as_prices(matrix(
    c(100, 90.82, 95, 94),
    dimnames = list(format(as.Date("2024-01-01") + 1:4), "FALLEN")
  ))
  expect_match(
    in_words(suppressWarnings(measure_return(as_returns(prices, "log")))),
    "its worst -9.18 % (2024-01-03)",
    fixed = TRUE
  )
  expect_match(in_words(measure_volatility(as_returns(prices, "log"))), "daily log returns stray")
})

test_that("of several files one that cannot be read is named, and the others are measured", {
  folder <- tempfile()
  dir.create(folder)
  one <- function(name, ...) {
    writeLines(c(sprintf("date,%s", name), ...), file.path(folder, paste0(name, ".csv")))
  }
  one("ALPHAX", "2024-01-02,10", "2024-01-03,11", "2024-01-04,12")
  one("BETAXX", "2024-01-02,20", "2024-01-03,21", "2024-01-04,20")
  one("BADXXX", "2024-01-02,20", "2024-01-03,halted", "2024-01-04,20")
  ran <- imbroglio("tracking", folder, "--benchmark", "ALPHAX")
  expect_equal(ran$status, 1L)
  expect_match(ran$err, "BADXXX.csv was left out: 1 value in column BADXXX")
  expect_match(paste(ran$out, collapse = " "), "BETAXX")
  expect_equal(imbroglio("tracking", folder, "--benchmark", "ALPHAX", "--strict")$status, 3L)
  expect_error(read_prices(folder), class = "imbroglio_error_price")
  expect_equal(
    imbroglio(
      "tracking",
      file.path(folder, "ALPHAX.csv"),
      file.path(folder, "BETAXX.csv"),
      "--benchmark",
      "ALPHAX"
    )$status,
    0L
  )
  book <- tempfile(fileext = ".xlsx")
  sheets <- openxlsx::createWorkbook()
  for (s in c("First", "Second")) {
    openxlsx::addWorksheet(sheets, s)
    openxlsx::writeData(
      sheets,
      s,
      data.frame(date = as.Date("2024-01-01") + 1:3, A = if (s == "First") 1:3 else 4:6)
    )
  }
  openxlsx::saveWorkbook(sheets, book)
  expect_equal(as.vector(read_prices(book, sheet = "Second")$close), 4:6)
  expect_error(
    read_prices(book, sheet = "Third"),
    "First and Second",
    class = "imbroglio_error_argument"
  )
})
