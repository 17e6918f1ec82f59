delivery <- function() demo_file("bay-delivery.csv.xz")

test_that("every fault planted is found where it is, and nothing in the clean data", {
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
  for (file in c("bay.csv", "bay-daily.csv.xz")) {
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
})

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
    read_prices(demo_file("bay-daily.csv.xz"), price = "close"),
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

test_that("what cannot be read, of several files too, is repaired in its own cell", {
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
    demo_file("bay-daily.csv.xz"),
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
