delivery <- function() demo_file("bay-delivery.csv.gz")

test_that(
  paste0(
    "every fault planted in the delivery is found where it is, and nothing is an ",
    "error in the clean data"
  ),
  {
    found <- check_prices(delivery())
    planted <- read.csv(demo_file("bay-faults.csv"))
    told_as <- c(
      "newest first" = "unsorted",
      "a dividend line among the prices" = "action line",
      "a gap" = "gap",
      "a duplicate" = "duplicate",
      "a stale run" = "stale",
      "an unadjusted split" = "split",
      "a typo a hundred times too large" = "decimal slip"
    )
    for (i in seq_len(nrow(planted))) {
      same <- found$finding == told_as[[planted$fault[i]]] &
        (planted$security[i] == "" | found$security %in% planted$security[i]) &
        (planted$from[i] == "" | format(found$date) %in% planted$from[i])
      expect_equal(sum(same), 1L, info = planted$fault[i])
    }
    expect_equal(found$security[found$severity == "error"], c("TARROW", "HOBBINS", "EBBING"))
    for (file in c("bay.csv", "bay-daily.csv.gz")) {
      clean <- check_prices(
        demo_file(file),
        actions = demo_file("bay-actions.csv"),
        securities = demo_file("bay-securities.csv")
      )
      expect_false(any(clean$severity == "error"), info = file)
    }
    expect_equal(
      check_prices(read_prices(demo_file("bay.csv")))$finding,
      check_prices(demo_file("bay.csv"))$finding
    )
  }
)

test_that("each kind of fault has its finding and remedy", {
  day <- as.Date("2024-01-01") + 0:129
  day <- day[!as.POSIXlt(day)$wday %in% c(0, 6)]
  set.seed(8)
  base <- data.frame(
    date = day,
    security = "A",
    close = round(100 * exp(cumsum(rnorm(length(day), 0, 0.01))), 2)
  )
  base <- rbind(
    base,
    transform(base, security = "B", close = round(close / 2, 2)),
    transform(base, security = "C")
  )
  base <- transform(base, open = close, high = close + 1, low = close - 1, volume = 10)
  set <- function(rows, column, value) {
    base[[column]][rows] <- value
    base
  }
  at <- which(base$security == "B")[40]
  cases <- list(
    list("not positive", "blank", set(at, "close", 0)),
    list("not positive", "blank", set(at, "close", -5)),
    list("range", "none", set(at, "high", base$low[at] - 1)),
    list("range", "none", set(at, "close", base$high[at] + 1)),
    list("decimal slip", "divide", set(at + 0:1, "close", base$close[at + 0:1] * 10)),
    list("decimal slip", "divide", set(at, "close", base$close[at] / 100)),
    list("duplicate, differs", "none", rbind(base, transform(base[at, ], close = close + 1))),
    list("duplicate", "drop", rbind(base, base[at, ])),
    list(
      "future date",
      "blank",
      rbind(base, transform(base[at, ], date = as.Date("2031-01-02")))
    ),
    list(
      "weekend date",
      "blank",
      rbind(base, transform(base[at, ], date = as.Date("2024-03-02")))
    ),
    list("gap", "none", base[-(at + 0:6), ]),
    list("stale", "none", set(at + 0:6, "close", 50)),
    list(
      "outlier",
      "none",
      transform(set(at, "close", base$close[at] * 1.25), high = 1000, low = 1)
    ),
    list(
      "split",
      "split",
      set(
        which(base$security == "B")[1:39],
        "close",
        base$close[which(base$security == "B")[1:39]] * 3
      )
    ),
    list("starts late", "none", base[-which(base$security == "B")[1:10], ]),
    list("ends early", "none", base[-tail(which(base$security == "B"), 10), ]),
    list("unreadable", "blank", {
      v <- base
      v$close <- as.character(v$close)
      v$close[at] <- "n.a."
      v
    }),
    list("unsorted", "sort", base[rev(seq_len(nrow(base))), ])
  )
  quiet <- check_prices(base, today = "2026-01-01")
  expect_equal(nrow(quiet), 0L)
  expect_match(in_words(quiet), "Nothing is wrong")
  for (case in cases) {
    found <- check_prices(case[[3]], today = "2026-01-01")
    hit <- found[found$finding == case[[1]] & (found$security %in% "B" | is.na(found$security)), ]
    expect_gte(nrow(hit), 1L)
    expect_equal(unique(hit$remedy), case[[2]], info = case[[1]])
    if (case[[2]] == "none") next
    repaired <- suppressWarnings(repair_prices(case[[3]], found))
    expect_equal(repaired$dates, sort(unique(base$date)), info = case[[1]])
    # What was put right is as if it had never been wrong, or is a price less.
    truth <- as_prices(base)$close
    left <- repaired$close[
      match(format(day[seq_along(unique(base$date))]), format(repaired$dates)),
    ]
    expect_true(all(abs(left / truth - 1) < 1e-9 | is.na(left)), info = case[[1]])
    expect_lte(sum(is.na(left)), as.integer(case[[2]] == "blank"))
  }
  currencies <- data.frame(security = c("A", "B", "C"), currency = c("HBC", "HBC", "XYZ"))
  expect_equal(check_prices(base, securities = currencies)$finding, "currencies")
})

test_that("a delivery repaired is the clean data, and its basis lists what was done", {
  findings <- check_prices(delivery())
  repaired <- repair_prices(delivery(), findings)
  expect_equal(length(repaired$repairs), 5L)
  expect_true(any(grepl(
    "TARROW 2021-06-07: split (split 4)",
    basis(measure_volatility(repaired))$repairs,
    fixed = TRUE
  )))
  clean <- adjust_prices(
    read_prices(demo_file("bay-daily.csv.gz"), price = "close"),
    demo_file("bay-actions.csv"),
    form = "price"
  )
  both <- intersect(format(repaired$dates), format(clean$dates))
  stale <- repaired$dates >= as.Date("2017-03-06") & repaired$dates <= as.Date("2017-03-17")
  for (s in setdiff(colnames(repaired), "QUILLMOOR")) {
    expect_equal(
      repaired$close[, s][!is.na(repaired$close[, s])],
      as.matrix(clean)[format(repaired$dates), s][!is.na(repaired$close[, s])],
      ignore_attr = TRUE,
      tolerance = 1e-12,
      info = s
    )
  }
  expect_equal(sum(is.na(repaired$close[, "VESSANY"])), 15L)
  # Only what was accepted is done.
  some <- suppressMessages(suppressWarnings(repair_prices(
    delivery(),
    findings[findings$finding == "decimal slip", ]
  )))
  expect_gt(min(as_returns(some)$values[, "EBBING"] |> max()), 3)
  expect_error(
    repair_prices(read_prices(demo_file("bay.csv"))[1:10, 1], findings),
    class = "imbroglio_error_argument"
  )
})

test_that(
  paste0(
    "what cannot be read in a wide table, or in several files, is repaired in its ",
    "own cell"
  ),
  {
    wide <- written(
      "date,A,B", "2024-01-02,1,4", "2024-01-03,2,n.a.", "oops,9,9", "2024-01-04,3,6"
    )
    folder <- tempfile()
    dir.create(folder)
    file.copy(wide, file.path(folder, "one.csv"))
    writeLines(c("date,C,D", "2024-01-02,5,six", "2024-01-03,7,8"), file.path(folder, "two.csv"))
    for (source in list(wide, folder)) {
      findings <- check_prices(source)
      unread <- findings[findings$finding == "unreadable", ]
      expect_match(unread$detail, "\"(n.a.|oops|six)\" at line [234]")
      expect_equal(unread$security[grepl("n.a.", unread$detail)], "B")
      expect_error(read_prices(source), class = "imbroglio_error_date")
      repaired <- repair_prices(source, findings)
      expect_equal(repaired$dates, as.Date("2024-01-02") + 0:2)
      expect_equal(unname(repaired$close[, c("A", "B")]), cbind(c(1, 2, 3), c(4, NA, 6)))
    }
    expect_equal(unname(repaired$close[, c("C", "D")]), cbind(c(5, 7, NA), c(NA, 8, NA)))
  }
)

test_that("prices are adjusted by the formula, and back", {
  raw <- read_prices(demo_file("bay-daily.csv.gz"), price = "close")
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
    demo_file("bay-daily.csv.gz"),
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

test_that("the commands check and adjust do the same", {
  out <- tempfile(fileext = ".csv")
  ran <- imbroglio("check", delivery(), "--format", "json", "--repair", out)
  expect_equal(ran$status, 1L)
  found <- jsonlite::fromJSON(ran$out)$results
  expect_equal(found$finding, check_prices(delivery())$finding)
  expect_equal(
    read_prices(out)$close,
    repair_prices(delivery(), check_prices(delivery()))$close,
    tolerance = 1e-14
  )
  expect_equal(imbroglio("check", demo_file("bay.csv"))$status, 0L)
  adjust <- imbroglio(
    "adjust",
    demo_file("bay-daily.csv.gz"),
    "--price",
    "close",
    "--security",
    "TARROW",
    "--actions",
    demo_file("bay-actions.csv")
  )
  expect_equal(
    read.csv(text = adjust$out)$TARROW,
    unname(read_prices(demo_file("bay.csv"))$close[, "TARROW"]),
    tolerance = 1e-5
  )
  expect_equal(imbroglio("adjust", demo_file("bay.csv"))$status, 2L)
  book <- tempfile(fileext = ".xlsx")
  expect_equal(
    imbroglio(
      "returns", demo_file("bay.csv"), "--security", "TARROW", "--every", "year", "--out", book
    )$status,
    0L
  )
  expect_equal(nrow(readxl::read_excel(book, "Log returns")), 9L)
  figure <- ggplot2::autoplot(check_prices(delivery()))
  expect_equal(sum(ggplot2::ggplot_build(figure)$data[[2]]$shape == 4), 3L)
})
