test_that("the two layouts, a data frame and a matrix give the same table", {
  wide <- data.frame(date = stock_dates(), stocks(), check.names = FALSE)
  long <- data.frame(
    security = rep(colnames(stocks()), each = 1860),
    Date = rep(stock_dates(), 4),
    close = as.vector(stocks()),
    volume = 1
  )
  from_file <- function(table, separator = ",", ending = ".csv") {
    path <- tempfile(fileext = ending)
    connection <- if (ending == ".csv.gz") gzfile(path, "w") else file(path, "w")
    write.table(
      format(table, digits = 15),
      connection,
      sep = separator,
      row.names = FALSE,
      quote = FALSE
    )
    close(connection)
    read_prices(path)
  }
  expected <- stocks()
  tables <- list(
    as_prices(stocks()),
    as_prices(
      unname(wide[-1]) |> as.matrix() |> `colnames<-`(colnames(stocks())),
      dates = stock_dates()
    ),
    as_prices(wide),
    as_prices(long),
    as_prices(tibble::as_tibble(wide)),
    from_file(wide),
    from_file(long),
    from_file(wide, ";"),
    from_file(long, "\t"),
    from_file(wide, ending = ".csv.gz")
  )
  for (prices in tables) expect_equal(as.matrix(prices), expected, tolerance = 1e-14)
  expect_equal(dim(tables[[1]]), c(1860L, 4L))
  expect_equal(as.data.frame(tables[[1]]), wide, ignore_attr = TRUE)
  # The digest is of the prices, wherever they came from.
  expect_equal(tables[[1]]$digest, tables[[3]]$digest)
  expect_false(tables[[1]]$digest == as_prices(stocks() * 1.0000001)$digest)
})

test_that("order and repeats are put right and said; gaps stay gaps", {
  newest_first <- written("date,A,B", "2024-01-04,3,", "2024-01-03,2,5", "2024-01-02,1,4")
  expect_message(
    prices <- read_prices(newest_first),
    "newest first",
    class = "imbroglio_note_order"
  )
  expect_equal(unname(as.matrix(prices)), cbind(1:3, c(4, 5, NA)))
  expect_message(
    read_prices(written("date,A", "2024-01-03,2", "2024-01-02,1", "2024-01-04,3")),
    "not in date order",
    class = "imbroglio_note_order"
  )
  expect_warning(
    once <- read_prices(written(
      "date,security,price",
      "2024-01-02,A,1",
      "2024-01-03,A,2",
      "2024-01-03,A,2"
    )),
    "line 4",
    class = "imbroglio_warning_duplicate"
  )
  expect_equal(dim(once), c(2L, 1L))
  expect_equal(unname(as.matrix(as_returns(prices))), cbind(c(1, 0.5), c(0.25, NA)))
})

test_that("each bad input has its own error, which says where and what to do", {
  good <- c("date,A,B", "2024-01-02,1,4", "2024-01-03,2,5", "2024-01-04,3,6")
  cases <- list(
    list("file", "/no/such/prices.csv", "no file"),
    list("file", R.home("bin"), "folder without a file of prices"),
    list("empty", tempfile(), "nothing in", ""),
    list("empty", "", "first line", "\n\n"),
    list("empty", "", "header line only", good[1]),
    list("no_date", "", "columns are when, A and B", c("when,A,B", "1,2,3", "2,3,4")),
    list("date", "", "Line 3: .*2024-02-30", sub("2024-01-03", "2024-02-30", good)),
    list("date", "", "Line 4: .*4th of Jan", sub("2024-01-04", "4th of Jan", good)),
    list("price", "", "column B.*Line 3: .*five", sub(",5", ",five", good)),
    list("price", "", "Line 2 and line 3|Line 2 and 3", sub(",(4|5)$", ",-x-", good)),
    list("not_positive", "", "Line 4: B on 2024-01-04 is 0", sub(",6", ",0", good)),
    list("not_positive", "", "Line 2: A on 2024-01-02 is -1", sub(",1,", ",-1,", good)),
    list("price", "", "Inf", sub(",1,", ",Inf,", good)),
    list("all_missing", "", "B has no price", sub(",[456]$", ",", good)),
    list("layout", "", "line 3|Line 3", sub("2,5", "2,5,9", good)),
    list("layout", "", "only one column", sub(",.*$", "", good)),
    list(
      "layout",
      "",
      "which column",
      c("date,security,first,second", "2024-01-02,A,1,2", "2024-01-03,A,1,2")
    ),
    list("duplicate", "", "A has two prices.*Line 2: 1; line 5: 9", c(good, "2024-01-02,9,4")),
    list(
      "duplicate",
      "",
      "Line 2: 1; line 3: 2",
      c("date,security,price", "2024-01-02,A,1", "2024-01-02,A,2")
    ),
    list("security", "", "A stands more than once", sub("A,B", "A,A", good))
  )
  for (case in cases) {
    path <- case[[2]]
    if (length(case) == 4) {
      path <- if (identical(case[[4]], "")) {
        file.create(path)
        path
      } else {
        written(case[[4]])
      }
    }
    said <- expect_error(
      read_prices(path),
      class = paste0("imbroglio_error_", case[[1]]),
      info = case[[3]]
    )
    expect_match(gsub("\\s+", " ", conditionMessage(said)), case[[3]])
    if (length(case) == 4) {
      expect_match(gsub("\\s+", "", conditionMessage(said)), basename(path), fixed = TRUE)
    }
  }
  damaged <- written("not gzip at all", ending = ".csv.gz")
  writeBin(as.raw(c(0x1f, 0x8b, 8, 0, 0, 0, 0, 0, 0, 3, 255, 255, 1)), damaged)
  expect_error(read_prices(damaged), class = "imbroglio_error_file")
  # By xz: whole, cut off, damaged, under any name.
  packed <- readBin(demo_file("bay-delivery.csv.xz"), "raw", 1e6)
  for (bytes in list(packed[1:4000], packed[1:8], replace(packed, 2000:2100, as.raw(7)))) {
    writeBin(bytes, damaged)
    expect_error(read_prices(damaged), "is damaged", class = "imbroglio_error_file")
  }
  table <- memCompress(charToRaw("date,A\n2024-01-02,1\n2024-01-03,2\n"), "xz")
  writeBin(table, damaged)
  expect_equal(read_prices(damaged)$close[, "A"], c(1, 2))
  expect_error(as_prices(stocks(), dates = 1:3), class = "imbroglio_error_argument")
  expect_error(as_prices(matrix(1:4, 2)), class = "imbroglio_error_no_date")
  expect_error(as_prices("bay.csv"), class = "imbroglio_error_argument")
  expect_error(stock_prices()[, "NORTHX"], "NORTH", class = "imbroglio_error_security")
  expect_error(stock_prices()[, 9], class = "imbroglio_error_security")
  # Text of a file is never taken for a template or a colour.
  expect_error(
    read_prices(written("date,A", "2024-01-02,{stop('run')}", "2024-01-03,2")),
    "stop\\('run'\\)",
    class = "imbroglio_error_price"
  )
  expect_error(
    read_prices(written("date,\033[31mA", "2024-01-02,1", "2024-01-03,2")),
    class = "imbroglio_error_security"
  )
})

test_that("a window is cut by dates or by the span that ends it", {
  prices <- stock_prices()
  cut <- function(...) range(window(prices, ...)$dates)
  expect_equal(
    cut(start = "1993-01-01", end = "1993-12-31"),
    as.Date(c("1992-12-31", "1993-12-31"))
  )
  expect_equal(cut(last = "1 year"), as.Date(c("1997-08-14", "1998-08-14")))
  expect_equal(cut(end = "1996-05-31", last = "3 months"), as.Date(c("1996-02-29", "1996-05-31")))
  # The last price on or before a Sunday is Friday's.
  expect_equal(cut(last = "5 days"), as.Date(c("1998-08-07", "1998-08-14")))
  expect_equal(cut(last = "99 years"), range(stock_dates()))
  expect_error(cut(start = "2001-01-01"), class = "imbroglio_error_too_short")
  bay <- read_prices(demo_file("bay.csv"))
  expect_message(
    early <- window(bay, end = "2018-12-31"),
    "PELLAN",
    class = "imbroglio_note_dropped"
  )
  expect_equal(ncol(early), 14L)
  expect_equal(early$digest, bay$digest)
})

test_that("the demo data is as its help page tells", {
  bay <- read_prices(demo_file("bay.csv"))
  daily <- read.csv(demo_file("bay-daily.csv.xz"))
  expect_equal(
    as.matrix(read_prices(demo_file("bay-daily.csv.xz")))[, colnames(bay)],
    as.matrix(bay)
  )
  expect_true(all(
    with(daily, low <= pmin(open, close) & high >= pmax(open, close)),
    na.rm = TRUE
  ))
  companies <- read.csv(demo_file("bay-securities.csv"))
  expect_equal(companies$security, colnames(bay))
  expect_true(all(nchar(companies$security) >= 6))
  silting <- measure_drawdown(bay[, "BAYALL"])
  expect_lt(silting$max_drawdown, -1 / 3)
  expect_equal(format(c(silting$peak, silting$recovery), "%Y-%m"), c("2018-10", "2019-10"))
  returns <- as.matrix(as_returns(bay))
  expect_gt(returns["2022-05-17", "MARRELL"], 0.3)
  expect_lt(returns["2021-04-19", "CORRACK"], -0.2)
  expect_equal(which.max(!is.na(bay$close[, "PELLAN"])), match(as.Date("2020-09-14"), bay$dates))
  # Adjusted from the traded closes and the actions, by the formula, one security at a time.
  actions <- read.csv(demo_file("bay-actions.csv"))
  for (s in c("TARROW", "EBBING", "BRANNICK", "BAYBOND")) {
    own <- daily[daily$security == s, ]
    act <- actions[actions$security == s, ]
    at <- match(act$date, own$date)
    split <- ifelse(is.na(act$split), 1, act$split)
    paid <- ifelse(is.na(act$dividend), 0, act$dividend)
    factor <- (1 - paid * split / own$close[at - 1]) / split
    before <- vapply(seq_len(nrow(own)), function(t) prod(factor[at > t]), 0)
    expect_equal(own$adjusted, own$close * before, tolerance = 1e-5)
  }
  delivery <- readLines(demo_file("bay-delivery.csv.xz"))
  expect_equal(sum(grepl("Dividend", delivery)), 1L)
  expect_equal(sum(duplicated(delivery)), 1L)
  expect_warning(
    expect_message(delivered <- read_prices(demo_file("bay-delivery.csv.xz")), "newest first"),
    "repeated"
  )
  expect_equal(
    delivered$actions,
    data.frame(
      security = "BRANNICK",
      date = as.Date("2019-05-13"),
      split = NA_real_,
      dividend = 0.47
    )
  )
})
