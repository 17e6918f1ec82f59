# One small table in every form it may come in; each must give the same prices.
days <- as.Date(c("2024-01-30", "2024-01-31", "2024-02-01", "2024-02-02"))
alpha <- c(1234.5, 1240, 1238.25, 0.75)
beta <- c(10, 11, 10.5, 12)
expected <- cbind(ALPHA = alpha, BETA = beta)
rows <- function(dates, a, b, separator = ",") {
  c(paste("date", "ALPHA", "BETA", sep = separator), paste(dates, a, b, sep = separator))
}
quoted <- function(x) paste0('"', x, '"')

test_that("numbers and dates are read in whatever way they are written", {
  plain <- c("1234.5", "1240", "1238.25", "0.75")
  forms <- list(
    semicolons = rows(
      days,
      chartr(".", ",", plain),
      chartr(".", ",", format(beta, nsmall = 1)),
      ";"
    ),
    tabs = rows(days, plain, beta, "\t"),
    bars = rows(days, plain, beta, "|"),
    thousands = rows(days, quoted(c("1,234.5", "1,240", "1,238.25", "0.75")), beta),
    german = rows(
      format(days, "%d.%m.%Y"),
      c("1.234,5", "1.240", "1.238,25", "0,75"),
      c("10", "11", "10,5", "12"),
      ";"
    ),
    swiss = rows(days, c("1'234.5", "1'240", "1'238.25", "0.75"), beta),
    currency = rows(days, paste0("$", plain), paste("EUR", beta)),
    behind = rows(days, paste(plain, "\u20ac"), beta),
    percent = rows(days, paste0(alpha * 100, "%"), beta),
    quotes = rows(quoted(days), quoted(plain), quoted(beta)),
    crlf = sub("$", "\r", rows(days, plain, beta)),
    bom = sub("^date", "\ufeffdate", rows(days, plain, beta)),
    slashes = rows(format(days, "%Y/%m/%d"), plain, beta),
    compact = rows(format(days, "%Y%m%d"), plain, beta),
    day_first = rows(format(days, "%d/%m/%Y"), plain, beta),
    month_first = rows(format(days, "%m/%d/%Y"), plain, beta),
    short = rows(format(days, "%d.%m.%y"), plain, beta),
    named = rows(c("30 Jan 2024", "31 Jan 2024", "1 Feb 2024", "2 Feb 2024"), plain, beta),
    american = rows(
      quoted(c("Jan 30, 2024", "Jan 31, 2024", "Feb 1, 2024", "Feb 2, 2024")),
      plain,
      beta
    ),
    serial = rows(as.numeric(days) + 25569, plain, beta),
    unix = rows(as.numeric(days) * 86400 + 3600, plain, beta),
    timed = rows(paste0(days, "T16:30:00Z"), plain, beta)
  )
  for (form in names(forms)) {
    prices <- read_prices(written(forms[[form]]))
    expect_equal(prices$dates, days, info = form)
    expect_equal(prices$close, expected, tolerance = 1e-14, info = form)
  }
  latin <- tempfile(fileext = ".csv")
  writeBin(
    iconv("date,M\u00dcHLE\n2024-01-30,1\n2024-01-31,2\n", "UTF-8", "latin1", toRaw = TRUE)[[1]],
    latin
  )
  expect_equal(colnames(read_prices(latin)), "M\u00dcHLE")
})

test_that("what can be read two ways is refused until it is said", {
  dates <- written(rows(c("01/02/2024", "02/02/2024", "05/02/2024", "06/02/2024"), alpha, beta))
  expect_error(read_prices(dates), "day-first", class = "imbroglio_error_ambiguous")
  expect_equal(
    read_prices(dates, dates = "day-first")$dates[1:2],
    as.Date(c("2024-02-01", "2024-02-02"))
  )
  expect_equal(
    read_prices(dates, dates = "month-first")$dates[1:2],
    as.Date(c("2024-01-02", "2024-02-02"))
  )
  expect_error(
    read_prices(written(rows(
      c("13/02/2024", "02/13/2024", "05/02/2024", "06/02/2024"),
      alpha,
      beta
    ))),
    class = "imbroglio_error_ambiguous"
  )
  numbers <- written(rows(days, c("1,234", "1,240", "1,238", "1,250"), 10:13, ";"))
  expect_error(read_prices(numbers), "decimal", class = "imbroglio_error_ambiguous")
  expect_equal(read_prices(numbers, decimal = ",")$close[1, 1], 1.234, ignore_attr = TRUE)
  expect_equal(read_prices(numbers, decimal = ".")$close[1, 1], 1234, ignore_attr = TRUE)
})

test_that("one table, a folder, a workbook, Parquet and a database give the same prices", {
  single <- function(close) {
    data.frame(
      Date = days,
      Open = close,
      High = close * 1.1,
      Low = close * 0.9,
      Close = close * 2,
      `Adj Close` = close,
      Volume = 5L,
      check.names = FALSE
    )
  }
  folder <- tempfile()
  dir.create(folder)
  write.csv(single(alpha), file.path(folder, "ALPHA.csv"), row.names = FALSE)
  write.csv(single(beta), file.path(folder, "BETA.csv"), row.names = FALSE)
  long <- data.frame(
    date = rep(days, 2),
    symbol = rep(c("ALPHA", "BETA"), each = 4),
    close = c(alpha, beta)
  )
  tables <- list(
    folder = read_prices(folder),
    files = read_prices(file.path(folder, c("ALPHA.csv", "BETA.csv")))
  )
  if (requireNamespace("openxlsx", quietly = TRUE) && requireNamespace(
      "readxl",
      quietly = TRUE
    )) {
    sheets <- tempfile(fileext = ".xlsx")
    openxlsx::write.xlsx(list(ALPHA = single(alpha), BETA = single(beta)), sheets)
    one <- tempfile(fileext = ".xlsx")
    openxlsx::write.xlsx(long, one)
    tables <- c(tables, list(sheets = read_prices(sheets), one = read_prices(one)))
    expect_error(
      read_prices(written("not a workbook", ending = ".xlsx")),
      class = "imbroglio_error_file"
    )
  }
  if (requireNamespace("nanoparquet", quietly = TRUE)) {
    parquet <- tempfile(fileext = ".parquet")
    nanoparquet::write_parquet(long, parquet)
    tables$parquet <- read_prices(parquet)
    expect_error(
      read_prices(written("not parquet", ending = ".parquet")),
      class = "imbroglio_error_file"
    )
  }
  if (requireNamespace("RSQLite", quietly = TRUE)) {
    connection <- DBI::dbConnect(RSQLite::SQLite(), tempfile(fileext = ".sqlite"))
    withr::defer(DBI::dbDisconnect(connection))
    DBI::dbWriteTable(connection, "quotes", transform(long, date = format(date)))
    tables$table <- read_prices(connection, table = "quotes")
    tables$query <- read_prices(
      connection,
      query = "select * from quotes where symbol <> ?",
      parameters = list("x' or '1' = '1")
    )
    expect_error(
      read_prices(connection, query = "select * from nowhere"),
      class = "imbroglio_error_file"
    )
    expect_error(read_prices(connection), class = "imbroglio_error_argument")
  }
  expect_gte(length(tables), 2)
  for (form in names(tables)) {
    expect_equal(
      tables[[form]]$close[, c("ALPHA", "BETA")],
      expected,
      info = form,
      tolerance = 1e-14
    )
    expect_equal(tables[[form]]$dates, days, info = form)
  }
  expect_equal(tables$folder$fields$close[, "BETA"], 2 * beta)
  expect_equal(tables$folder[2:3, "BETA"]$fields$volume, cbind(BETA = c(5, 5)))
  expect_equal(read_prices(folder, price = "Close")$close, 2 * expected)
  expect_output(print(tables$folder), "folder .* \\(2 tables: single, measured on adjusted\\)")
  expect_error(
    read_prices(
      c(file.path(folder, "ALPHA.csv"), file.path(folder, "ALPHA.csv")) |>
        c(written("date,BETA", "2024-01-30,oops", "2024-01-31,1"))
    ),
    class = "imbroglio_error"
  )
})

test_that("splits and dividends among the prices are taken out; names and groups are had", {
  prices <- read_prices(written(
    "date,symbol,close", "2024-01-30,ALPHA,10", "2024-01-31,ALPHA,Dividend 0.47",
    "2024-01-31,ALPHA,11", "2024-02-01,ALPHA,Stock split 4:1", "2024-02-01,ALPHA,3"
  ))
  expect_equal(
    prices$actions,
    data.frame(
      security = "ALPHA",
      date = as.Date(c("2024-01-31", "2024-02-01")),
      split = c(NA, 4),
      dividend = c(0.47, NA)
    )
  )
  expect_equal(prices$close[, 1], c(10, 11, 3))
  expect_message(
    bay <- read_prices(
      demo_file("bay.csv"),
      securities = data.frame(symbol = c("TARROW", "PELLAN", "NOSUCH"), group = "port")
    ),
    "NOSUCH"
  ) |>
    suppressMessages()
  expect_equal(colnames(bay), c("TARROW", "PELLAN"))
  all <- read_prices(demo_file("bay.csv"), securities = demo_file("bay-securities.csv"))
  expect_equal(colnames(all[, "group:port"]), c("TARROW", "CORRACK", "PELLAN"))
  expect_equal(
    colnames(as_returns(all)[, c("BAYALL", "group:shipping")]),
    c("BAYALL", "OSSELL")
  )
  expect_error(all[, "group:prot"], "port", class = "imbroglio_error_security")
  expect_error(read_securities(data.frame(a = 1)), class = "imbroglio_error_layout")
})

test_that("a file cut short or changed gives a table or one error of ours", {
  good <- c(rows(days, format(alpha, nsmall = 2), beta), paste(days + 7, "1,2", sep = ","))
  bytes <- charToRaw(paste0(good, "\n", collapse = ""))
  long <- charToRaw(paste0(
    c(
      "date,symbol,open,high,low,close,volume",
      sprintf("%s,\"A %s\",10.5,11,9.5,10.25,1000", rep(days, 2), rep(1:2, each = 4))
    ),
    "\n",
    collapse = ""
  ))
  path <- tempfile(fileext = ".csv")
  outcome <- function(raw) {
    writeBin(raw, path)
    tryCatch(
      suppressMessages(withCallingHandlers(
        {
          p <- read_prices(path)
          stopifnot(all(is.na(p$close) | p$close > 0), !is.unsorted(p$dates), !anyNA(p$dates))
          "table"
        },
        warning = function(w) {
          if (inherits(w, "imbroglio_warning")) invokeRestart("muffleWarning")
        }
      )),
      imbroglio_error = function(e) "refused",
      warning = function(w) paste("bare", conditionMessage(w)),
      error = function(e) paste("bare", conditionMessage(e))
    )
  }
  set.seed(20)
  for (whole in list(bytes, long)) {
    cut <- vapply(
      unique(round(seq(0, length(whole), length.out = thorough(60, 200)))),
      function(n) outcome(whole[seq_len(n)]),
      ""
    )
    changed <- vapply(seq_len(thorough(80, 300)), function(i) {
      at <- sample(length(whole), sample(3, 1))
      whole[at] <- as.raw(sample(0:255, length(at)))
      outcome(whole)
    }, "")
    expect_equal(unique(grep("^bare", c(cut, changed), value = TRUE)), character())
    expect_setequal(c(cut, changed), c("table", "refused"))
  }
})

test_that("no plain columns, classes without their package, prices of no use: all told", {
  days <- as.Date("2024-01-01") + 0:9
  nested <- list(
    matrix = function(x) {
      x$A <- matrix(1:20 + 0, 10)
      x
    },
    list = function(x) {
      x$A <- as.list(1:10)
      x
    },
    table = function(x) {
      x$A <- data.frame(a = 1:10, b = 1:10)
      x
    }
  )
  for (name in names(nested)) {
    expect_error(
      as_prices(nested[[name]](data.frame(date = days))), "several values a row",
      class = "imbroglio_error_layout", info = name
    )
  }
  of_zoo <- function(values, index) structure(values, index = index, class = c("ours", "zoo"))
  expect_equal(as_prices(of_zoo(1:10 + 0, days))$close[, 1], 1:10 + 0, ignore_attr = TRUE)
  both <- matrix(1:20 + 0, 10, dimnames = list(NULL, c("A", "B")))
  expect_equal(as_prices(of_zoo(both, as.POSIXct(days, tz = "UTC")))$close, both)
  months <- structure(2020 + 0:9 / 12, class = "yearmon")
  expect_equal(
    as_prices(of_zoo(1:10 + 0, months))$dates,
    seq(as.Date("2020-02-01"), by = "month", length.out = 10) - 1
  )
  expect_error(as_prices(of_zoo(1:10 + 0, 1:10)), class = "imbroglio_error_no_date")
  for (price in c(5e-324, 1e-61, 1e61, 1e308)) {
    for (as in list(
      data.frame(date = days, A = c(price, 2:10)),
      data.frame(date = days, security = "A", close = c(price, 2:10))
    )) {
      expect_error(as_prices(as), "cannot be", class = "imbroglio_error_not_positive")
      expect_true("not positive" %in% check_prices(as)$finding)
    }
  }
  given <- as_returns(data.frame(date = days, A = rep(c(0.01, -0.02), 5)), given = "returns")
  series <- drawdown_series(given)
  for (shown in list(series[1, ], series[5, ], series)) {
    made <- utils::capture.output(print(show_working(shown)))
    expect_match(paste(made, collapse = " "), "Apart by +(0|-?[0-9.]+e-1[0-9])")
  }
})
