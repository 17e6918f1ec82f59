test_that("prices are adjusted by the formula, and back", {
  raw <- read_prices(demo_file("bay-daily.csv.xz"), price = "close")
  actions <- demo_file("bay-actions.csv")
  adjusted <- adjust_prices(raw, actions)
  expect_equal(
    adjusted$close,
    read_prices(demo_file("bay.csv"))[, colnames(raw)]$close,
    tolerance = 1e-5
  )
  back <- raw_prices(adjusted, actions)
  expect_equal(back$close, raw$close, tolerance = 1e-12)
  expect_equal(back$fields$volume, raw$fields$volume, tolerance = 1e-12)
  # By hand: a split of 2 and a dividend of 1 on one date, then a dividend of 2.
  prices <- as_prices(data.frame(date = as.Date("2024-01-01") + 0:3, A = c(100, 110, 54, 50)))
  own <- data.frame(
    security = "A",
    date = as.Date("2024-01-01") + c(2, 2, 3),
    split = c(2, NA, NA),
    dividend = c(NA, 1, 2)
  )
  by_hand <- c(100, 110, 54, 50) * c(rep((1 - 2 / 54) * (1 - 1 / 55) / 2, 2), 1 - 2 / 54, 1)
  expect_equal(as.vector(adjust_prices(prices, own)$close), by_hand)
  expect_equal(as.vector(adjust_prices(prices, own, form = "price")$close), c(50, 55, 54, 50))
  expect_equal(as.vector(raw_prices(adjust_prices(prices, own), own)$close), c(100, 110, 54, 50))
  expect_equal(
    as_returns(adjust_prices(prices, own))$values[2, 1],
    (54 + 1) / 55 - 1,
    ignore_attr = TRUE,
    tolerance = 0.02
  )
  expect_error(
    adjust_prices(prices, transform(own, dividend = 200)),
    class = "imbroglio_error_action"
  )
  expect_error(
    adjust_prices(prices, transform(own, split = -1)),
    class = "imbroglio_error_action"
  )
  expect_error(adjust_prices(prices), class = "imbroglio_error_argument")
  expect_message(
    adjust_prices(prices, rbind(own, transform(own[1, ], security = "Z"))),
    "Z",
    class = "imbroglio_note_dropped"
  )
  daily <- check_prices(
    demo_file("bay-daily.csv.xz"),
    actions = transform(
      read.csv(actions),
      dividend = ifelse(date == "2019-05-13" & security == "BRANNICK", 2, dividend)
    )
  )
  expect_equal(daily[daily$finding == "adjustment", ]$security, "BRANNICK")
})

test_that("securities are lined up, averaged, rebased, written and converted", {
  bay <- read_prices(demo_file("bay.csv"))[, c("BAYALL", "BAYBOND", "CORRACK")]
  expect_message(
    common <- align_prices(bay, "common"),
    "36 dates dropped",
    class = "imbroglio_note_aligned"
  )
  expect_false(anyNA(common$close))
  carried <- suppressMessages(align_prices(bay, "carry", most = 2))
  expect_equal(colSums(is.na(carried$close)), c(BAYALL = 0, BAYBOND = 0, CORRACK = 28))
  expect_match(basis(measure_volatility(carried))$repairs, "8 prices carried")
  expect_equal(nrow(suppressMessages(align_prices(bay, "all"))), nrow(bay))
  # Against stats::filter, on the security's own prices.
  average <- average_prices(bay, 50)
  for (s in colnames(bay)) {
    own <- which(!is.na(bay$close[, s]))
    expect_equal(
      average$close[own, s],
      as.vector(stats::filter(bay$close[own, s], rep(1 / 50, 50), sides = 1)),
      ignore_attr = TRUE,
      tolerance = 1e-12
    )
  }
  from <- rebase_prices(bay, at = "2021-03-14")
  expect_equal(
    unname(from$close[match(as.Date("2021-03-12"), from$dates), c("BAYALL", "BAYBOND")]),
    c(100, 100)
  )
  expect_equal(
    from$close[match(as.Date("2021-03-05"), from$dates), "CORRACK"],
    100,
    ignore_attr = TRUE
  )
  expect_error(rebase_prices(bay, at = "2001-01-01"), class = "imbroglio_error_too_short")
  expect_error(average_prices(bay, 9999), class = "imbroglio_error_too_short")

  for (form in c("csv", "parquet")) {
    for (what in c("prices", "log")) {
      skip_if_not_installed("nanoparquet")
      path <- tempfile(fileext = paste0(".", form))
      write_prices(bay, path, what)
      expected <- if (what == "prices") bay$close else as_returns(bay, "log")$values
      again <- if (what == "prices") {
        read_prices(path)$close
      } else {
        as.matrix((if (form == "csv") {
          read.csv(path)
        } else {
          as.data.frame(nanoparquet::read_parquet(path))
        })[-1])
      }
      expect_identical(unname(again), unname(expected))
    }
  }
  book <- tempfile(fileext = ".xlsx")
  write_prices(bay, book, every = "month")
  expect_equal(readxl::excel_sheets(book), c("Prices", "Simple returns", "Log returns"))
  log <- as.data.frame(readxl::read_excel(book, "Log returns"))
  expect_s3_class(log$date, "POSIXct")
  expect_equal(as.matrix(log[-1]), as_returns(bay, "log", "month")$values, ignore_attr = TRUE)
  expect_error(write_prices(bay, "prices.doc"), class = "imbroglio_error_argument")

  monthly <- as_returns(bay, every = "month")
  series <- as.ts(monthly)
  expect_equal(list(start(series), frequency(series)), list(c(2016, 2), 12))
  closes <- read_prices(demo_file("bay.csv"))[, "BAYALL"]
  ends <- as_prices(ts(cbind(A = 1:24, B = 24:1), start = c(2020, 3), frequency = 12))
  expect_equal(format(ends$dates[c(1, 11, 24)]), c("2020-03-31", "2021-01-31", "2022-02-28"))
  expect_equal(
    as_prices(EuStockMarkets, dates = stock_dates())$close,
    stock_prices()$close,
    ignore_attr = TRUE
  )
  skip_if_not_installed("zoo")
  expect_equal(as_prices(zoo::as.zoo(bay))$close, bay$close)
  expect_equal(as.data.frame(tibble::as_tibble(bay)), as.data.frame(bay))
})
