# A book is what is held: one object, two readings, and what each number is of.

long_and_late <- function() {
  set.seed(5)
  days <- as.Date("2015-01-01") + seq_len(2600)
  days <- days[!as.POSIXlt(days)$wday %in% c(0, 6)]
  r <- matrix(rnorm(length(days) * 3, 0.0003, 0.01), ncol = 3)
  p <- 100 * exp(apply(r, 2, cumsum))
  p[seq_len(1500), 3] <- NA
  as_prices(`dimnames<-`(p, list(format(days), c("OLDXXX", "INDEXX", "NEWXXX"))))
}

test_that("a book gives one number by value at risk, split and backtest, and its reading", {
  prices <- stock_prices()
  held <- c(NORTH = 0.5, ALPINE = 0.7, cash = -0.2)
  book <- as_portfolio(prices, held, value = 2000)
  r <- as.matrix(as_returns(prices))
  R <- drop(r[, c("NORTH", "ALPINE")] %*% held[1:2])
  methods <- setdiff(names(imbroglio:::own_var_methods()), "cauchy")
  for (h in c(1L, 5L)) {
    var <- suppressWarnings(measure_var(book, 0.95, h, methods, draws = 2000))
    split <- suppressWarnings(split_var(book, 0.95, h, methods, draws = 2000))
    whole <- split[split$security == "BOOK", ]
    expect_equal(var$var[match(whole$method, var$method)], whole$component, tolerance = 1e-12)
    expect_equal(var$es[match(whole$method, var$method)], whole$es_component, tolerance = 1e-12)
    expect_equal(var$var_value, 2000 * var$var)
  }
  expect_equal(measure_var(book)$var, unname(-sort(R)[19]), tolerance = 1e-12)
  days <- backtest_series(backtest_var(book, window = 500))
  expect_equal(
    days$var,
    vapply(500 + seq_len(nrow(days)), function(t) -sort(R[(t - 500):(t - 1)])[5], 0),
    tolerance = 1e-12
  )
  # Drawn as a whole and by measure_var() alike.
  expect_identical(
    bootstrap_book(book, 0.95, 5, draws = 2000)$var,
    measure_var(book, 0.95, 5, "bootstrap", draws = 2000)$var
  )
  then <- drop(
    t(t(stocks()[, c("NORTH", "ALPINE")]) / stocks()[1, c("NORTH", "ALPINE")]) %*% held[1:2]
  ) -
    0.2
  of <- function(book) measure_volatility(book)$volatility
  expect_equal(of(book), sd(diff(then) / then[-1860]), tolerance = 1e-10)
  expect_equal(of(as_portfolio(prices, held, held = "today")), sd(R), tolerance = 1e-12)
  expect_equal(
    measure_var(as_portfolio(prices, held, held = "then"))$var,
    measure_var(as_returns(book))$var
  )
  said <- list(
    list(measure_var(book), "^With .* BOOK, as held today, loses"),
    list(split_var(book), "BOOK, as held today, by historical"),
    list(backtest_var(book), "^BOOK, as held today, historical"),
    list(bootstrap_book(book, draws = 100), "BOOK, as held today, loses"),
    list(measure_return(book), "^BOOK, as held then, never rebalanced, returned"),
    list(
      measure_drawdown(as_portfolio(prices, held, rebalance = "month")),
      "^BOOK, as held then, rebalanced every month, fell"
    ),
    list(
      measure_tracking(book, "WESTERN", total = FALSE),
      "^BOOK, as held then, never rebalanced, was"
    ),
    list(measure_summary(book, "WESTERN"), "^BOOK, as held then, never rebalanced: ")
  )
  for (case in said) {
    last <- utils::tail(suppressWarnings(in_words(case[[1]])), 1)
    expect_match(last, case[[2]])
    expect_match(
      basis(case[[1]])$choices[["BOOK"]],
      paste0(
        "as held (today|then, never rebalanced|then, rebalanced every month): NORTH 50 ",
        "%, ALPINE 70 % and cash -20 %"
      )
    )
  }
  parts <- measure_var(as_portfolio(prices, held, value = 2000, parts = TRUE))
  expect_equal(parts$security, c("BOOK", "NORTH", "ALPINE"))
  expect_equal(parts$var_value, parts$var * 2000 * c(1, 0.5, 0.7))
  short <- measure_var(as_portfolio(
    prices,
    c(NORTH = 1.3, ALPINE = -0.3),
    value = 2000,
    parts = TRUE
  ))
  expect_equal(short$var_value, short$var * 2000 * c(1, 1.3, 0.3))
})

test_that("shares, values, weights and files of any wording make the same book", {
  prices <- stock_prices()
  last <- stocks()[1860, ]
  shares <- c(NORTH = 10, ISLES = -4)
  worth <- shares * last[names(shares)]
  whole <- sum(worth) + 500
  book <- as_portfolio(prices, shares = shares, cash = 500)
  same <- function(other) {
    expect_equal(unname(other$holdings), unname(c(worth, 500) / whole), tolerance = 1e-12)
    expect_equal(other$value, whole, tolerance = 1e-12)
    expect_equal(
      measure_drawdown(other)$max_drawdown,
      measure_drawdown(book)$max_drawdown,
      tolerance = 1e-10
    )
    expect_equal(measure_var(other)$var_value, measure_var(book)$var_value, tolerance = 1e-10)
  }
  same(as_portfolio(prices, values = worth, cash = 500))
  file <- function(...) written(..., ending = ".csv")
  day <- stock_dates()[1200]
  earlier <- shares * stocks()[1200, names(shares)]
  forms <- list(
    file("Ticker,Quantity,Price", "NORTH,10,1", "ISLES,-4,1", "Cash,500,1"),
    file("symbol;units", "NORTH;10", "ISLES;-4", "cash;500"),
    file("security,Market value", sprintf("%s,%.10f", names(worth), worth), "cash,500"),
    file(
      "As of,security,value",
      sprintf("%s,%s,%.10f", day, names(earlier), earlier),
      sprintf("%s,cash,500", day)
    ),
    file("security,number,market value,weight", "NORTH,10,1,2", "ISLES,-4,3,4", "CASH,500,5,6")
  )
  for (form in forms) same(suppressMessages(as_portfolio(prices, holdings = form)))
  expect_message(
    as_portfolio(prices, holdings = forms[[5]]),
    "shares of number; not used: market value and weight"
  )
  weights <- as_portfolio(prices, holdings = file("name,allocation", "NORTH,60%", "ALPINE,40%"))
  expect_equal(weights$holdings, c(NORTH = 0.6, ALPINE = 0.4))
  bad <- list(
    weights = file("security,weight", "NORTH,60", "ALPINE,40"),
    weights = file("security,price", "NORTH,60"),
    weights = file("date,security,shares", "1992-01-01,NORTH,1", "1992-01-02,ALPINE,x"),
    weights = file("date,security,value", "1980-01-01,NORTH,1"),
    security = file("security,shares", "NORTHX,1")
  )
  for (i in seq_along(bad)) {
    expect_error(
      suppressMessages(as_portfolio(prices, holdings = bad[[i]])),
      class = paste0("imbroglio_error_", names(bad)[i])
    )
  }
  expect_error(
    as_portfolio(prices, shares = shares, value = 5),
    "known",
    class = "imbroglio_error_argument"
  )
  expect_error(measure_var(book, value = 5), "known", class = "imbroglio_error_argument")
  ran <- imbroglio(
    "var",
    written(
      "date,NORTH,ISLES",
      paste(stock_dates(), stocks()[, "NORTH"], stocks()[, "ISLES"], sep = ",")
    ),
    "--holdings",
    forms[[1]]
  )
  expect_match(
    paste(ran$out, collapse = " "),
    "BOOK, as held today, loses no more than .* In money: no more than"
  )
})

test_that("what a late holding costs is said, and a series may stand in for it", {
  prices <- long_and_late()
  held <- c(OLDXXX = 0.5, NEWXXX = 0.5)
  n <- sum(!is.na(prices$close[, "NEWXXX"])) - 1L
  expect_warning(
    book <- as_portfolio(prices, held),
    sprintf("the holdings have %s returns together", n),
    class = "imbroglio_warning_short_history"
  )
  for (result in list(measure_var(book), split_var(book), bootstrap_book(book, draws = 100))) {
    expect_match(
      basis(result)$choices[["history"]],
      sprintf("%s of 1,855 returns: NEWXXX has them from 2020-", n)
    )
  }
  expect_no_warning(with <- as_portfolio(prices, held, stand_ins = c(NEWXXX = "INDEXX")))
  close <- prices$close[, "NEWXXX"]
  close[1:1500] <- close[1501] * prices$close[1:1500, "INDEXX"] / prices$close[1501, "INDEXX"]
  R <- rowMeans(
    diff(cbind(prices$close[, "OLDXXX"], close)) / cbind(
      prices$close[, "OLDXXX"],
      close
    )[-length(close), ]
  )
  expect_equal(measure_var(with)$var, -sort(R)[19], tolerance = 1e-12)
  expect_match(
    basis(measure_var(with))$choices[["history"]],
    "INDEXX stands in for NEWXXX before its first price"
  )
  # It is found beside one that is priced on Wednesdays, too.
  wednesdays <- as.data.frame(prices)
  wednesdays$INDEXX[as.POSIXlt(prices$dates)$wday != 3] <- NA
  prices <- as_prices(wednesdays)
  expect_warning(
    as_portfolio(prices, c(OLDXXX = 0.4, NEWXXX = 0.3, INDEXX = 0.3)),
    "^NEWXXX costs BOOK",
    class = "imbroglio_warning_short_history"
  )
  for (wrong in list(c(OTHERX = "INDEXX"), "INDEXX", c(NEWXXX = "NONE"))) {
    expect_error(
      suppressWarnings(as_portfolio(prices, held, stand_ins = wrong)),
      class = "imbroglio_error"
    )
  }
})
