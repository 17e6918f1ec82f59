# Limits: states and dates by hand, trades measured again, the command's status, the morning.

limited_book <- function() {
  as_portfolio(
    stock_prices()[1:600, ],
    shares = c(NORTH = 40, ALPINE = 30, WESTERN = -10),
    cash = 20000
  )
}

test_that("each limit has the state, and the date, that base R finds", {
  book <- limited_book()
  limits <- data.frame(
    of = c("BOOK", "NORTH", "each", "BOOK", "ALPINE", "ISLES"),
    measure = c("var", "volatility", "weight", "fall", "loss", "sharpe"),
    warn = c("0.5%", NA, "20%", 0.01, NA, NA),
    limit = c("1%", "50%", "30%", "90%", "0.0001", "5")
  )
  found <- check_limits(book, limits, window = 100, level = 0.95)
  at <- function(of, measure) found[found$security == of & found$measure == measure, ]
  p <- as.matrix(as.data.frame(stock_prices()[1:600, ])[-1])
  r <- apply(p, 2, function(x) diff(x) / head(x, -1))
  held <- c(40, 30, -10) * p[600, 1:3]
  w <- held / (sum(held) + 20000)
  R <- as.vector(r[, 1:3] %*% w)
  line <- vapply(100:599, function(t) -sort(R[(t - 99):t])[5], 0)
  var <- at("BOOK", "var")
  expect_equal(var$estimate, line[500], tolerance = 1e-10)
  states <- ifelse(line > 0.01, "broken", ifelse(line > 0.005, "near", "within"))
  expect_equal(var$state, states[500])
  run <- if (var$state == "broken") line > 0.01 else line > 0.005
  since <- stock_prices()$dates[100 + max(0, which(!run)) + 1]
  expect_equal(var$since, since)
  expect_equal(var$over, line[500] - 0.01, tolerance = 1e-10)
  expect_equal(at("WESTERN", "weight")$estimate, w[[3]], tolerance = 1e-12)
  expect_equal(at("NORTH", "weight")$state, if (w[[1]] > 0.3) "broken" else "within")
  expect_equal(at("ALPINE", "loss")$estimate, -r[[599, 2]], tolerance = 1e-12)
  V <- as.vector(p[, 1:3] %*% c(40, 30, -10)) + 20000
  expect_equal(at("BOOK", "fall")$estimate, V[600] / max(V) - 1, tolerance = 1e-10)
  isles <- r[500:599, 4]
  sharpe <- mean(isles) / sd(isles) * sqrt(252)
  expect_equal(at("ISLES", "sharpe")$state, if (sharpe < 5) "broken" else "within")
  expect_equal(is.unsorted(match(found$state, c("broken", "near", "within"))), FALSE)
})

test_that("the trade brings the book within, and a share less would not", {
  book <- limited_book()
  now <- check_limits(
    book, data.frame(of = "book", measure = c("volatility", "var"), limit = 0.001), window = 100
  )
  for (i in 1:2) {
    limit <- now$estimate[i] * 0.9
    found <- check_limits(
      book, data.frame(of = "book", measure = now$measure[i], limit = limit), window = 100
    )
    expect_equal(found$state, "broken")
    expect_lte(found$after, limit)
    sold <- regmatches(found$trade, regexec("^sell ([0-9,]+) ([A-Z]+)", found$trade))[[1]]
    number <- as.numeric(gsub(",", "", sold[2]))
    traded <- function(n) {
      shares <- c(NORTH = 40, ALPINE = 30, WESTERN = -10)
      shares[sold[3]] <- shares[sold[3]] - n
      price <- stock_prices()$close[600, sold[3]]
      after <- as_portfolio(
        stock_prices()[1:600, ],
        shares = shares,
        cash = 20000 + n * price
      )
      check_limits(
        after, data.frame(of = "book", measure = now$measure[i], limit = limit), window = 100
      )
    }
    expect_equal(traded(number)$estimate, found$after, tolerance = 1e-10)
    expect_equal(traded(number - 1)$state, "broken")
  }
  weight <- check_limits(
    book, data.frame(of = "NORTH", measure = "weight", limit = 0.1), window = 100
  )
  expect_lte(weight$after, 0.1)
  before <- check_limits(
    book, data.frame(of = "book", measure = "var", limit = "99%"), window = 100
  )
  again <- check_limits(
    book, data.frame(of = "book", measure = "var", limit = 0.0001),
    window = 100, before = before
  )
  expect_equal(again$was, "within")
  expect_match(in_words(again), "it was within before")
})

test_that("groups are limited, and a table of limits that is wrong says where", {
  prices <- quietly(read_prices(
    demo_file("bay.csv"),
    securities = demo_file("bay-securities.csv")
  ))
  book <- as_portfolio(prices, weights = c(OSSELL = 0.5, TARROW = 0.3, CORRACK = 0.2))
  found <- quietly(check_limits(book, data.frame(
    of = "group:port", measure = c("weight", "share", "volatility"), limit = c(0.4, 0.9, 0.5)
  )))
  expect_equal(found$estimate[found$measure == "weight"], 0.5, tolerance = 1e-12)
  parts <- split_volatility(book)
  port <- parts$security %in% c("TARROW", "CORRACK")
  expect_equal(found$estimate[found$measure == "share"], sum(parts$share[port]), tolerance = 1e-12)
  expect_match(found$trade[1], "^sell TARROW, 6.00 % of the book, sell CORRACK, 4.00 %")
  # A group that is held short loses when it rises.
  short <- as_portfolio(prices, weights = c(OSSELL = 1.4, TARROW = -0.4))
  lost <- check_limits(short, data.frame(of = "group:port", measure = "var", limit = 0.001))
  p <- prices$close[!is.na(prices$close[, "OSSELL"] + prices$close[, "TARROW"]), "TARROW"]
  r <- diff(p) / head(p, -1)
  expect_equal(lost$estimate, sort(tail(r, 250), decreasing = TRUE)[3], tolerance = 1e-10)
  wrong <- list(
    written("of,measure", "book,var"),
    written("of,measure,limit", "book,vr,3%"),
    written("of,measure,limit", "book,var,much"),
    written("of,measure,limit", "book,var,"),
    written("of,measure,limit", "book,var,3"),
    written("of,measure,limit", "book,var,1%", "book,var,2%")
  )
  for (file in wrong) {
    expect_error(quietly(check_limits(book, file)), class = "imbroglio_error_limits")
  }
  # In people's words, with a decimal comma that can be nothing else.
  said <- quietly(check_limits(book, written(
    "Gegenstand;Kennzahl;Warnung;Grenze", "Portfolio;VaR;2,5%;3,25%", "TARROW;Gewicht;;60 %",
    "Depot;Volatilit\u00e4t;;0,2"
  )))
  expect_equal(said$measure, c("var", "weight", "volatility"))
  expect_equal(said$limit, c(0.0325, 0.6, 0.2))
  expect_error(quietly(check_limits(book, written("of;measure;limit", "book;var;2,500"))),
               class = "imbroglio_error_limits")
  expect_error(check_limits(book, wrong[[3]]), "Line 2")
  expect_error(check_limits(book, wrong[[5]]), "3 would be 300 %")
  line <- function(of, measure) data.frame(of = of, measure = measure, limit = 0.1)
  expect_error(check_limits(prices, line("book", "var")), class = "imbroglio_error_argument")
  expect_error(check_limits(prices, line("OSSELL", "weight")), class = "imbroglio_error_argument")
  expect_error(check_limits(book, line("book", "beta")), class = "imbroglio_error_argument")
  expect_error(check_limits(book, line("NONE", "var")), class = "imbroglio_error_security")
})

test_that("the command's status says whether a limit is broken", {
  book <- c("--weights", "OSSELL=0.6,BAYBOND=0.4")
  bay <- demo_file("bay.csv")
  broken <- imbroglio("limits", bay, book, "--limits", written("of,measure,limit", "book,var,1%"))
  expect_equal(broken$status, 1L)
  expect_match(paste(broken$out, collapse = " "), "2.13 % is over its limit of 1.00 %")
  within <- imbroglio("limits", bay, book, "--limits", written("of,measure,limit", "book,var,9%"))
  expect_equal(within$status, 0L)
  expect_equal(imbroglio("limits", bay, book)$status, 2L)
})
