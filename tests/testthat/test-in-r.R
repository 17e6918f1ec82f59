# Tables, books and results in R's own words.

outside <- function(code, ...) eval(substitute(code), list(...), globalenv())

test_that("a moment has the day of its own zone, in every class and session", {
  skip_if_not_installed("zoo")
  days <- as.Date("2024-03-04") + c(0:4, 7:11)
  value <- 100 + seq_along(days)
  returned <- value / 1e4
  # An index as classes that are built on it keep it: seconds, beside their class and zone.
  indexed <- function(x, index, tclass, zone) {
    index <- structure(as.numeric(index), tclass = tclass, tzone = zone)
    structure(cbind(A = x), index = index, class = c("ours", "zoo"))
  }
  ways <- list(
    frame = function(t, x) data.frame(date = t, A = x),
    tibble = function(t, x) tibble::tibble(date = t, A = x),
    table = function(t, x) data.table::data.table(date = t, A = x),
    lt = function(t, x) {
      structure(
        list(date = as.POSIXlt(t), A = x), class = "data.frame", row.names = seq_along(x)
      )
    },
    zoo = function(t, x) zoo::zoo(cbind(A = x), t),
    index = function(t, x) indexed(x, t, c("POSIXct", "POSIXt"), attr(t, "tzone"))
  )
  for (session in c("UTC", "America/New_York", "Asia/Tokyo")) {
    withr::local_timezone(session)
    for (zone in c("UTC", "America/New_York", "Asia/Tokyo", "Pacific/Auckland", "Europe/London")) {
      for (clock in c("00:00", "16:00", "23:30")) {
        t <- as.POSIXct(paste(days, clock), tz = zone)
        for (way in names(ways)) {
          prices <- quietly(as_prices(ways[[way]](t, value)))
          returns <- quietly(as_returns(ways[[way]](t, returned), given = "returns"))
          where <- paste(session, zone, clock, way)
          expect_identical(as.numeric(time(prices)), as.numeric(days), info = where)
          expect_identical(as.numeric(time(returns)), as.numeric(days), info = where)
        }
        m <- quietly(as_prices(matrix(value, dimnames = list(NULL, "A")), dates = t))
        expect_identical(as.numeric(time(m)), as.numeric(days))
      }
    }
  }
  prices <- quietly(as_prices(indexed(value, as.numeric(days) * 86400, "Date", "UTC")))
  expect_identical(time(prices), days)
  ends <- as.Date(c("2024-01-31", "2024-02-29", "2024-03-31"))
  months <- zoo::as.yearmon("2024-01") + 0:2 / 12
  firsts <- as.POSIXct(paste0("2024-0", 1:3, "-01"), tz = "UTC")
  for (x in list(
    data.frame(month = months, A = 1:3), zoo::zoo(cbind(A = 1:3), months),
    ts(cbind(A = 1:3), start = 2024, frequency = 12), indexed(1:3, firsts, "yearmon", "UTC")
  )) expect_equal(time(quietly(as_prices(x))), ends)
  quarters <- zoo::as.yearqtr("2024-01") + 0:1 / 4
  expect_equal(
    time(quietly(as_prices(zoo::zoo(1:2, quarters)))), as.Date(c("2024-03-31", "2024-06-30"))
  )
  expect_error(as_prices(ts(1:9, frequency = 252)), class = "imbroglio_error_no_date")
  expect_error(as_prices(matrix("a", 2L, 2L)), class = "imbroglio_error_price")
  # What is given as one class is given as any.
  p <- demo_prices()[1:50, c("TARROW", "BAYALL")]
  expect_equal(as_prices(zoo::as.zoo(p))$close, p$close)
  expect_equal(measure_beta(quietly(as_prices(zoo::as.zoo(p))), "BAYALL")$beta[1L],
               measure_beta(p, "BAYALL")$beta[1L])
  at <- as.POSIXct("2016-02-01 08:00", tz = "Asia/Tokyo")
  expect_identical(time(window(p, start = at))[-1L], time(p)[time(p) >= as.Date("2016-02-01")])
  expect_identical(time(p[at, ]), as.Date("2016-02-01"))
})

test_that("tables answer to what one types, or say how", {
  p <- demo_prices()[1:300, c("TARROW", "BAYALL", "OSSELL")]
  r <- as_returns(p)
  frame <- as.data.frame(p)
  same <- list(
    list(outside(p$TARROW, p = p), frame$TARROW),
    list(outside(p[["BAYALL"]], p = p), frame$BAYALL),
    list(outside(r$OSSELL, r = r), as.data.frame(r)$OSSELL),
    list(p[[2L]], frame$BAYALL),
    list(names(p), names(frame)[-1L]), list(length(r), 3L),
    list(range(p), range(frame[-1L])), list(max(r), max(as.matrix(r))),
    list(time(r), frame$date[-1L]), list(c(start(p), end(p)), range(frame$date)),
    list(time(tail(p, 3L)), tail(frame$date, 3L)), list(time(head(r, 5L)), frame$date[2:6]),
    list(as.matrix(r[11:20, ]), as.matrix(r)[11:20, ]),
    list(as.matrix(tail(r, -290L)), tail(as.matrix(r), -290L)),
    list(sapply(r, sd), apply(as.matrix(r), 2L, sd)),
    list(sd(r[, "TARROW"]), sd(as.data.frame(r)$TARROW)),
    list(mean(p[, "TARROW"]), mean(frame$TARROW)), list(frequency(r), 252),
    list(with(p, TARROW / OSSELL), frame$TARROW / frame$OSSELL),
    list(is.na(p), is.na(as.matrix(p))), list(anyNA(p), FALSE)
  )
  for (i in seq_along(same)) expect_identical(same[[i]][[1L]], same[[i]][[2L]], info = i)
  # A security may be called like a part of the table.
  odd <- quietly(as_prices(data.frame(date = time(p), close = frame$TARROW, dates = frame$BAYALL)))
  expect_identical(outside(x$dates, x = odd), frame$BAYALL)
  expect_identical(measure_volatility(odd)$volatility, measure_volatility(p)$volatility[1:2])
  asked <- expression(
    sum(p), p * 2, log(p), diff(p), c(p, p), lag(p), unique(p), mean(p), as.numeric(r),
    median(r), p[c(TRUE, NA), ], r[c(1L, 5L), ], p["2024-13-01", ], p[[1:2]], rbind(p, r),
    na.omit(r), book$TARROW, book[["nothing"]], book["TARROW"], book * 2, range(book),
    c(book, book)
  )
  book <- as_portfolio(p, weights = c(TARROW = 0.5, OSSELL = 0.5))
  for (i in seq_along(asked)) {
    expect_error(eval(asked[[i]], list(p = p, r = r, book = book), globalenv()),
                 class = "imbroglio_error_argument", info = deparse(asked[[i]]))
  }
  for (code in expression(p$NONE, p[["NONE"]], r$NONE, p[[9L]])) {
    expect_error(eval(code, list(p = p, r = r), globalenv()), class = "imbroglio_error_security")
  }
  expect_identical(names(book), c("TARROW", "OSSELL"))
  expect_identical(head(book, 1L)$security, "TARROW")
  cut <- as_portfolio(window(p, during = "2016"), weights = c(TARROW = 0.5, OSSELL = 0.5))
  expect_equal(
    measure_return(window(book, during = "2016"))$total_return, measure_return(cut)$total_return
  )
})

test_that("tables are put together by their dates, and what differs is refused", {
  p <- demo_prices()[1:300, c("TARROW", "BAYALL", "OSSELL")]
  whole <- rbind(p[1:200, ], p[201:300, ])
  expect_equal(whole$close, p$close)
  expect_equal(rbind(p[1:200, ], p[150:300, ])$close, p$close)
  expect_equal(cbind(p[, "TARROW"], p[, c("BAYALL", "OSSELL")])$close, p$close)
  merged <- merge(p[1:200, "TARROW"], p[150:300, "OSSELL"])
  expect_equal(time(merged), time(p)[150:200])
  expect_length(time(merge(p[1:200, "TARROW"], p[150:300, "OSSELL"], all = TRUE)), 300)
  r <- as_returns(p, kind = "log")
  expect_equal(cbind(r[, "TARROW"], r[, "OSSELL"])$values, r$values[, c("TARROW", "OSSELL")])
  given <- function(x) as_returns(data.frame(date = time(r), as.matrix(x)), given = "returns")
  expect_equal(
    cbind(given(r[, "TARROW"]), given(r[, "OSSELL"]))$values, r$values[, c("TARROW", "OSSELL")],
    ignore_attr = TRUE
  )
  other <- as.data.frame(p[1:10, ])
  other$TARROW[3L] <- 1
  other <- quietly(as_prices(other))
  expect_error(rbind(p, other), "2016-01-06", class = "imbroglio_error_duplicate")
  expect_error(cbind(p, p), class = "imbroglio_error_security")
  expect_error(merge(p[1:10, 1L], p[20:30, 2L]), class = "imbroglio_error_too_short")
  expect_error(cbind(r[, 1L], as_returns(p)[, 2L]), class = "imbroglio_error_argument")
})

test_that("a list of tables is one table, and a condition picks dates", {
  d <- as.Date("2024-01-01") + 0:5
  each <- list(
    AA = data.frame(date = d, open = 1, high = 9, low = 1, close = 1:6, volume = 4),
    BB = zoo::zoo(6:1, d + 1), CC = data.frame(Datum = d, px = 3:8), DD = ts(1:3, start = 2021)
  )
  prices <- as_prices(each[1:3])
  expect_equal(
    as.matrix(prices), cbind(AA = c(1:6, NA), BB = c(NA, 6:1), CC = c(3:8, NA)),
    ignore_attr = TRUE
  )
  expect_equal(
    as.data.frame(subset(prices, date > as.Date("2024-01-03") & BB > 2))$CC, c(6, 7)
  )
  expect_silent(expect_identical(na.omit(prices[2:6, ]), prices[2:6, ]))
  expect_equal(as_returns(each[1:3])$AA, c(1 / 1:5, NA))
  r <- list(A = data.frame(date = d, r = 1:6 / 1e3), B = zoo::zoo(6:1 / 1e3, d))
  given <- as_returns(r, given = "returns")
  expect_equal(given$A + given$B, rep(0.007, 6))
  for (bad in list(list(), unname(each[1:2]), each[c(1, 1)])) {
    expect_error(as_prices(bad), class = "imbroglio_error_argument")
  }
  expect_error(subset(prices, 1:2), class = "imbroglio_error_argument")
})

test_that("nothing touches R's random state where nothing is drawn", {
  had <- get0(".Random.seed", globalenv(), inherits = FALSE)
  withr::defer(if (is.null(had)) NULL else assign(".Random.seed", had, globalenv()))
  suppressWarnings(rm(".Random.seed", envir = globalenv()))
  p <- demo_prices()[1:300, c("TARROW", "BAYALL")]
  quietly({
    as_returns(as_prices(as.data.frame(p)))
    book <- as_portfolio(p, weights = c(TARROW = 1))
    for (measure in c(measure_volatility, measure_var, measure_return, measure_drawdown)) {
      measure(p)
      measure(book)
    }
    measure_var(p, method = "bootstrap", horizon = 5, draws = 50)
    fit_returns(p, "normal")
    backtest_var(p)
  })
  expect_false(exists(".Random.seed", globalenv(), inherits = FALSE))
})
