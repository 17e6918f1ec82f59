# Books whose holdings are known by date, against sums in base R.

dated_prices <- function() demo_prices()[2001:2573, c("TARROW", "OSSELL", "BAYBOND")]
filled <- function(p) apply(as.matrix(p), 2L, function(x) zoo::na.locf(x, na.rm = FALSE))
quietly_noted <- function(code) suppressMessages(code, classes = "imbroglio_note")
on_days <- function(p) time(p)[c(1, 100, 250, 400)]

test_that("shares by date are what was held, and what came from outside is no return", {
  skip_if_not_installed("zoo")
  p <- dated_prices()
  P <- filled(p)
  days <- on_days(p)
  table <- data.frame(
    date = rep(days, each = 3L), security = colnames(p),
    shares = c(10, 0, 5, 3, 8, 0, 3, 9, 2, 0, 9, 4)
  )
  held <- matrix(table$shares, 4L, byrow = TRUE)[findInterval(time(p), days), ]
  n <- nrow(P)
  want <- rowSums(held[-n, ] * diff(P)) / rowSums(held[-n, ] * P[-n, ])
  file <- withr::local_tempfile(fileext = ".csv")
  write.csv(table, file, row.names = FALSE)
  wide <- cbind(date = days, as.data.frame(matrix(table$shares, 4L, byrow = TRUE)))
  names(wide)[-1L] <- colnames(p)
  books <- quietly(list(
    as_portfolio(p, shares = table), as_portfolio(p, holdings = file),
    as_portfolio(p, shares = wide), as_portfolio(p, shares = zoo::zoo(wide[-1L], days))
  ))
  for (book in books) {
    expect_equal(as.vector(as_returns(book)$values), unname(want), tolerance = 1e-12)
    expect_equal(book$shares[match(names(book), c("OSSELL", "BAYBOND"))], c(9, 4))
  }
  book <- books[[1L]]
  expect_equal(measure_return(book)$total_return, prod(1 + want) - 1, tolerance = 1e-12)
  expect_match(basis(measure_return(book))$choices[["BOOK"]], "as it was held: 4 dates.*outside")
  expect_equal(measure_var(book)$var, measure_var(as_portfolio(p, shares = c(OSSELL = 9,
                                                                           BAYBOND = 4)))$var)
  split <- quietly(split_return(book, from = days[1L], to = time(p)[n]))
  expect_equal(split$total_return[split$security == "BOOK"], prod(1 + want) - 1, tolerance = 1e-12)
  expect_equal(sum(split$component[split$security != "BOOK"]), prod(1 + want) - 1)
  cut <- quietly(window(book, end = days[3L]))
  expect_equal(as.vector(as_returns(cut)$values), unname(want[time(p)[-1L] <= days[3L]]))
  # What comes after the last price is not known yet; at a weekend it is that of the last close.
  before <- quietly(window(book, end = days[4L] - 1))
  expect_equal(before$shares[match(names(before), colnames(p))], c(3, 9, 2))
  later <- transform(table, date = date + 3650)
  expect_error(quietly(as_portfolio(p, shares = later)), class = "imbroglio_error_weights")
  expect_message(as_portfolio(p, shares = rbind(table, later)), "12 rows are of the holdings")
  weekend <- rbind(table, data.frame(date = max(time(p)) + 3, security = "TARROW", shares = 7))
  expect_equal(quietly(as_portfolio(p, shares = weekend))$shares, 7)
  one_date <- quietly(split_return(book, from = days[3L], to = days[4L], holdings = table[7:9, ]))
  expect_equal(one_date$total_return[one_date$security == "BOOK"],
               prod(1 + (rowSums(t(c(3, 9, 2) * t(diff(P)))) /
                           (P[-n, ] %*% c(3, 9, 2)))[250:399]) - 1)
  for (one in list(measure_return(book), measure_drawdown(book), measure_volatility(book))) {
    expect_s3_class(show_working(one), "imbroglio_working")
  }
  quietly(for (f in list(worst_periods, measure_summary, split_var, backtest_var, roll_measures,
                         split_volatility, measure_concentration)) {
    expect_s3_class(f(book), "imbroglio_result")
  })
})

test_that("weights by date are set on their dates and drift between", {
  skip_if_not_installed("zoo")
  p <- dated_prices()
  P <- filled(p)
  days <- on_days(p)
  w <- data.frame(date = days, TARROW = c(0.5, 0.2, 0, 0.3), OSSELL = c(0.5, 0.8, 1, 0.6))
  worth <- 100
  shares <- cash <- 0
  want <- numeric()
  for (i in seq_len(nrow(P))) {
    if (i > 1L) {
      now <- sum(shares * P[i, 1:2]) + cash
      want <- c(want, now / worth - 1)
      worth <- now
    }
    k <- match(time(p)[i], days)
    if (!is.na(k)) {
      shares <- unlist(w[k, 2:3]) * worth / P[i, 1:2]
      cash <- worth * (1 - sum(w[k, 2:3]))
    }
  }
  book <- quietly(as_portfolio(p, weights = w, cash = "rest"))
  expect_equal(as.vector(as_returns(book)$values), want, tolerance = 1e-12)
  expect_error(as_portfolio(p, weights = w), "2025", class = "imbroglio_error_weights")
  expect_error(as_portfolio(p, holdings = w), class = "imbroglio_error_weights")
  # Between two dates of the prices, as at a weekend, it is that of the earlier.
  saturday <- replace(w, 2:3, list(c(0.5, 0.2, 0, 0.3), c(0.5, 0.8, 1, 0.7)))
  friday <- which(weekdays(time(p), TRUE) == "Fri" & seq_along(time(p)) > 200)[1L]
  saturday$date[3L] <- time(p)[friday]
  moved <- saturday
  moved$date[3L] <- moved$date[3L] + 1
  of <- function(table) as_returns(quietly(as_portfolio(p, weights = table)))$values
  expect_identical(of(moved), of(saturday))
})

test_that("trades earn from their price, are paid from outside or from cash, and lots add up", {
  p <- dated_prices()
  P <- as.matrix(p)
  at <- c(1L, 100L, 250L)
  trades <- data.frame(
    date = time(p)[at], security = c("TARROW", "OSSELL", "TARROW"), shares = c(100, 50, -40),
    price = c(P[1L, 1L] * 0.99, P[100L, 2L] * 1.01, P[250L, 1L] * 1.02)
  )
  held <- sapply(c("TARROW", "OSSELL"), function(s) {
    own <- trades$security == s
    vapply(seq_len(nrow(P)), function(i) sum(trades$shares[own & at <= i]), 0)
  })
  close <- P[, c("TARROW", "OSSELL")]
  paid <- vapply(seq_len(nrow(P)), function(i) {
    sum((trades$shares * trades$price)[at == i])
  }, 0)
  worth <- rowSums(held * close)
  n <- nrow(P)
  of_trades <- vapply(seq_len(nrow(P)), function(i) {
    sum((trades$shares * (P[i, trades$security] - trades$price))[at == i])
  }, 0)
  want <- rowSums(held[-n, ] * diff(close)) / worth[-n] +
    of_trades[-1L] / (worth[-n] + pmax(paid[-1L], 0))
  # The table of prices begins with the day of the first trade.
  book <- quietly(as_portfolio(p, trades = trades))
  expect_equal(as.vector(as_returns(book)$values), unname(want), tolerance = 1e-12)
  # A first trade whose price is not known made nothing on its day, which is no return of 0.
  unknown <- transform(trades, price = replace(price, 1L, NA))
  late <- as_returns(quietly(as_portfolio(p, trades = unknown)))
  plain <- as_returns(quietly(as_portfolio(p, trades = trades[c("date", "security", "shares")])))
  expect_equal(start(late), start(plain))
  expect_equal(as.vector(late$values)[1:50], as.vector(plain$values)[1:50], tolerance = 1e-12)
  sides <- transform(trades, shares = abs(shares), side = c("Buy", "B", "sold"))
  expect_equal(as_returns(quietly(as_portfolio(p, trades = sides)))$values,
               as_returns(book)$values)
  funded <- quietly(as_portfolio(p, trades = trades, cash = 20000))
  with_cash <- worth + 20000 - cumsum(paid)
  expect_equal(as.vector(as_returns(funded)$values), unname(diff(with_cash) / with_cash[-n]),
               tolerance = 1e-12)
  expect_equal(as.data.frame(funded)$value[3L], with_cash[[n]] - worth[[n]])
  # What is bought at the close earns nothing on its day, however much it is.
  large <- data.frame(
    date = time(p)[c(1L, 50L)], security = "TARROW", shares = c(1, 1e6), price = P[c(1L, 50L), 1L]
  )
  expect_equal(as.vector(as_returns(quietly(as_portfolio(p, trades = large)))$values),
               unname(diff(P[, 1L]) / P[-n, 1L]))
  half_told <- transform(large, price = c(P[1L, 1L], NA))
  expect_equal(as_returns(quietly(as_portfolio(p, trades = half_told)))$values,
               as_returns(quietly(as_portfolio(p, trades = large)))$values)
  early <- quietly(as_portfolio(demo_prices()[1990:2573, ], trades = trades))
  expect_equal(as_returns(early)$values[[1L]], 1 / 0.99 - 1, tolerance = 1e-12)
  expect_message(
    lots <- as_portfolio(p, shares = data.frame(
      security = c("TARROW", "OSSELL", "TARROW"), shares = c(10, 5, 7)
    )), "TARROW is held in several lots", class = "imbroglio_note_lots"
  )
  expect_equal(lots$shares, c(17, 5))
  bad <- list(
    argument = list(trades = trades, rebalance = "month"),
    argument = list(trades = trades, shares = c(TARROW = 1)),
    weights = list(trades = transform(sides, side = "hold")),
    weights = list(trades = transform(sides, shares = -1)),
    weights = list(trades = trades[-1L]),
    weights = list(trades = transform(trades, shares = c(1, 0, -1), security = "TARROW")),
    security = list(trades = transform(trades, security = "NONE"))
  )
  for (i in seq_along(bad)) {
    expect_error(quietly(do.call(as_portfolio, c(list(p), bad[[i]]))),
                 class = paste0("imbroglio_error_", names(bad)[i]), info = i)
  }
})

test_that("the command and a study take a file of trades as R does", {
  p <- dated_prices()
  folder <- withr::local_tempdir()
  write_prices(p, file.path(folder, "prices.csv"))
  days <- on_days(p)
  trades <- data.frame(
    date = days[c(1, 2, 4)], security = c("OSSELL", "BAYBOND", "OSSELL"), shares = c(10, 5, -4),
    price = ""
  )
  file <- file.path(folder, "trades.csv")
  write.csv(trades, file, row.names = FALSE)
  prices <- quietly(read_prices(file.path(folder, "prices.csv")))
  book <- quietly(as_portfolio(prices, trades = file))
  ran <- imbroglio("volatility", file.path(folder, "prices.csv"), "--trades", file, "--format",
                   "json")
  expect_equal(jsonlite::fromJSON(ran$out)$results$volatility, measure_volatility(book)$volatility)
  study <- file.path(folder, "study.yml")
  writeLines(c(
    "prices: prices.csv", "book: {trades: trades.csv}", "measures: {var: {}}",
    "report: {folder: report}"
  ), study)
  quietly(run_study(read_study(study)))
  table <- utils::read.csv(file.path(folder, "report", "tables", "var.csv"))
  expect_equal(table$var[table$security == "BOOK"], measure_var(book)$var)
  expect_match(imbroglio("var", file.path(folder, "prices.csv"), "--trades", file, "--out",
                         file)$err, "trades")
  expect_equal(nrow(utils::read.csv(file)), 3L)
})

test_that("what a table of holdings or trades says besides is used, told or refused", {
  p <- dated_prices()
  days <- on_days(p)
  close <- as.matrix(p)[, "TARROW"]
  trades <- data.frame(date = days[1:2], ticker = "TARROW", qty = c(10, 5), commission = 3)
  expect_message(as_portfolio(p, trades = trades), "not used: commission")
  # A price of another unit, or before a split that was adjusted, is doubted; a usual one is not.
  at <- match(as.numeric(days[1:2]), as.numeric(time(p)))
  expect_no_warning(quietly_noted(
    as_portfolio(p, trades = transform(trades, price = close[at] * c(0.97, 1.03)))
  ))
  for (off in c(100, 0.5)) {
    expect_warning(
      quietly_noted(as_portfolio(p, trades = transform(trades, price = close[at] * c(1, off)))),
      "1 trade is at a price more than a fifth", class = "imbroglio_warning_trade_price"
    )
  }
  expect_message(
    as_portfolio(p, trades = trades[1:2, 1:3], cash = 10 * close[at[1L]]),
    "cash is below 0 on [0-9]+ dates"
  )
  held <- data.frame(
    date = rep(days[1:2], each = 2L), security = c("TARROW", "cash"), value = c(10, 5, 20, 5)
  )
  converted <- quietly(translate_prices(
    demo_prices()[, c("TARROW", "BAYMETAL")], demo_file("bay-rates.csv.gz"), "HBC",
    c(TARROW = "HBC", BAYMETAL = "TMC")
  ))
  mixed <- list(
    list(p, values = transform(held, currency = c("HBC", "TMC"))),
    list(p, values = transform(held, currency = c("HBC", "HBC", "TMC", "HBC"))),
    list(converted, trades = transform(trades[1:3], price = 50)),
    list(converted, values = transform(held, security = "BAYMETAL", currency = "TMC"))
  )
  for (i in seq_along(mixed)) {
    expect_error(quietly(do.call(as_portfolio, mixed[[i]])), class = "imbroglio_error_currency",
                 info = i)
  }
  # A fund of Wednesdays among daily prices stands at its last price, in what did happen.
  both <- quietly(cbind(demo_prices()[, "TARROW"], read_prices(demo_file("bay-fund.csv"))))
  table <- data.frame(date = days, TARROW = 0.4, REEFFUND = 0.6)
  book <- quietly(as_portfolio(both, weights = table))
  said <- basis(measure_volatility(book))$choices
  expect_match(said[["BOOK"]], "REEFFUND at the last price that was known")
  expect_false("between" %in% names(said))
  expect_identical(as_returns(book)$every, "day")
})

test_that("a book by trades is one number in each place that says it, by days and by weeks", {
  p <- dated_prices()
  folder <- withr::local_tempdir()
  at <- function(name) file.path(folder, name)
  write_prices(p, at("prices.csv"))
  days <- on_days(p)
  # By hand from base R: what was held on each day, and its weekly returns by the last day of each.
  P <- filled(p)[, c("OSSELL", "BAYBOND")]
  held <- cbind(c(10, 10, 10, 6), c(0, 5, 5, 5))[findInterval(time(p), days), ]
  n <- nrow(P)
  r <- rowSums(held[-n, ] * diff(P)) / rowSums(held[-n, ] * P[-n, ])
  write.csv(data.frame(
    date = days[c(1, 2, 4)], security = c("OSSELL", "BAYBOND", "OSSELL"), shares = c(10, 5, -4)
  ), at("trades.csv"), row.names = FALSE)
  said <- function(...) imbroglio(..., at("prices.csv"), "--trades", at("trades.csv"))
  want <- sd(r)
  got <- jsonlite::fromJSON(said("volatility", "--format", "json")$out)$results
  expect_equal(got$volatility, want, tolerance = 1e-12)
  expect_equal(got$n, n - 1L)
  printed <- said("volatility")$out
  expect_match(printed, sprintf("stray from their mean by %.2f %%", 100 * want), all = FALSE)
  working <- said("working", "volatility", "--number", "volatility")$out
  measured <- sub("^Measured +", "", grep("^Measured", working, value = TRUE))
  expect_equal(as.numeric(measured), want, tolerance = 1e-12)
  expect_match(said("volatility", "--workbook", at("book.xlsx"))$err, "Wrote")
  answer <- as.data.frame(sheet(recalculated(at("book.xlsx")), "Answer"))
  answer <- as.numeric(answer[answer[[1]] %in% "volatility a year", 2:3])
  expect_equal(answer, rep(want * sqrt(252), 2), tolerance = 1e-10)
  writeLines(c("of,measure,limit,window", "book,volatility,99%,60"), at("limits.csv"))
  limit <- said("limits", "--limits", at("limits.csv"), "--format", "json")$out
  # Ahead, the book is what is held today.
  worth <- P[n, ] * c(6, 5)
  today <- (diff(P) / P[-n, ]) %*% (worth / sum(worth))
  expect_equal(jsonlite::fromJSON(limit)$results$estimate, sd(tail(today, 60)) * sqrt(252),
               tolerance = 1e-10)
  book <- quietly(as_portfolio(quietly(read_prices(at("prices.csv"))), trades = at("trades.csv")))
  quietly(write_report(book, at("page.html"), only = "volatility"))
  page <- paste(readLines(at("page.html")), collapse = "\n")
  expect_match(page, sprintf("%.2f", 100 * want), fixed = TRUE)
  week <- cumsum(c(TRUE, diff(as.integer(format(time(p)[-1], "%u"))) <= 0 | diff(time(p)[-1]) > 6))
  weekly <- tapply(1 + r, week, prod) - 1
  by_week <- said("volatility", "--every", "week", "--format", "json")$out
  by_week <- jsonlite::fromJSON(by_week)$results
  # The first and the last week are not whole.
  expect_lt(abs(by_week$n - length(weekly)), 3)
  whole <- weekly[seq(length(weekly) - by_week$n, length(weekly) - 1)]
  expect_equal(by_week$volatility, sd(whole), tolerance = 0.02)
})
