# Where the risk of a book comes from, and how concentrated it is: against base R.

test_that("components of volatility and tracking error add up, as base R has them", {
  prices <- stock_prices()
  r <- apply(as.matrix(stocks()), 2, function(p) diff(p) / head(p, -1))
  names <- colnames(r)
  w <- stats::setNames(c(0.5, 0.4, -0.2), names[1:3])
  book <- as_portfolio(prices, weights = w, cash = "rest")
  R <- as.vector(r[, names(w)] %*% w)
  found <- split_volatility(book, per_year = 250)
  at <- match(names(w), found$security)
  by_hand <- w * as.vector(cov(r[, names(w)], R)) / sd(R) * sqrt(250)
  expect_equal(found$component[at], unname(by_hand), tolerance = 1e-12)
  expect_equal(sum(found$component[at]), sd(R) * sqrt(250), tolerance = 1e-12)
  expect_equal(found$share[found$security == "BOOK"], 1)
  expect_equal(found$correlation[at], unname(cor(r[, names(w)], R)[, 1]), tolerance = 1e-12)
  expect_equal(found$volatility_annual[at], unname(apply(r[, names(w)], 2, sd) * sqrt(250)))

  b <- r[, names[4]]
  active <- R - b
  against <- split_volatility(book, names[4], per_year = 250)
  at <- match(names(w), against$security)
  by_hand <- w * as.vector(cov(r[, names(w)] - b, active)) / sd(active) * sqrt(250)
  expect_equal(against$component[at], unname(by_hand), tolerance = 1e-12)
  whole <- against[against$security == "BOOK", ]
  expect_equal(sum(against$component[against$security != "BOOK"]), whole$component)
  expect_equal(whole$component, sd(active) * sqrt(250), tolerance = 1e-12)
  expect_equal(
    whole$component,
    measure_tracking(
      as_portfolio(prices, weights = w, cash = "rest", held = "today"),
      names[4],
      per_year = 250,
      total = FALSE
    )$tracking_error_annual,
    tolerance = 1e-10
  )
  # Against a book weights are active.
  other <- as_portfolio(prices, weights = stats::setNames(c(0.5, 0.5), names[c(1, 4)]), name = "B")
  active <- R - as.vector(r[, names[c(1, 4)]] %*% c(0.5, 0.5))
  beside <- split_volatility(book, other, per_year = 250)
  expect_equal(beside$weight[match(names[4], beside$security)], -0.5)
  expect_equal(beside$component[beside$security == "BOOK"], sd(active) * sqrt(250))
  # Through time each window is the measure of its rows.
  rolling <- split_volatility(book, window = 60, per_year = 250)
  one <- rolling[rolling$security == names[2], ]
  rows <- 441:500
  expect_equal(
    one$component[500],
    w[[2]] * cov(r[rows, names[2]], R[rows]) / sd(R[rows]) * sqrt(250),
    tolerance = 1e-10
  )
  expect_true(all(is.na(one$component[1:59])))
})

test_that("groups are their members, and what has none is told", {
  prices <- quietly(read_prices(
    demo_file("bay.csv"),
    securities = demo_file("bay-securities.csv")
  ))
  w <- c(OSSELL = 0.4, TARROW = 0.3, CORRACK = 0.3)
  book <- as_portfolio(prices, weights = w)
  alone <- split_volatility(book)
  together <- split_volatility(book, by = "group")
  port <- alone$security %in% c("TARROW", "CORRACK")
  expect_equal(
    together$component[together$security == "port"],
    sum(alone$component[port]),
    tolerance = 1e-12
  )
  expect_equal(sum(together$component[together$security != "BOOK"]), alone$component[4])
  plain <- as_portfolio(demo_prices(), weights = w)
  expect_error(split_volatility(plain, by = "group"), class = "imbroglio_error_argument")
  expect_error(split_volatility(prices), class = "imbroglio_error_argument")
})

test_that("concentration counts holdings and bets", {
  # Four that do not move together, of one variance: as many bets as holdings by hand.
  X <- unclass(stats::poly(1:200, 4))[, 1:4] / 10
  returns <- as_returns(
    data.frame(date = as.Date("2024-01-01") + 0:199, a = X[, 1], b = 2 * X[, 2], c = X[, 3]),
    given = "returns"
  )
  book <- as_portfolio(returns, weights = c(a = 0.5, b = 0.25, c = -0.25), cash = "rest")
  found <- measure_concentration(book, per_year = 1)
  expect_equal(found$effective_holdings, 1 / (0.5^2 + 0.25^2 + 0.25^2), tolerance = 1e-12)
  q <- c(0.25, 0.25, 0.0625) / 0.5625
  expect_equal(found$effective_bets, exp(-sum(q * log(q))), tolerance = 1e-8)
  s <- sd(X[, 1])
  expect_equal(found$diversification_ratio, (0.5 + 0.5 + 0.25) / sqrt(0.5625), tolerance = 1e-10)
  expect_equal(found$volatility_annual, s * 0.75, tolerance = 1e-10)
  expect_equal(found$largest, "a")
  one <- measure_concentration(as_portfolio(returns, weights = c(a = 1)))
  expect_equal(c(one$effective_holdings, one$effective_bets), c(1, 1), tolerance = 1e-12)
  rolling <- measure_concentration(book, window = 50)
  rows <- 151:200
  again <- measure_concentration(as_portfolio(
    as_returns(
      data.frame(
        date = as.Date("2024-01-01") + 0:49, a = X[rows, 1], b = 2 * X[rows, 2], c = X[rows, 3]
      ),
      given = "returns"
    ),
    weights = c(a = 0.5, b = 0.25, c = -0.25), cash = "rest"
  ))
  expect_equal(rolling$effective_bets[200], again$effective_bets, tolerance = 1e-10)
})

test_that("a book is sold by a share of the volume, and loses meanwhile", {
  daily <- quietly(read_prices(demo_file("bay-daily.csv.xz")))[1:400, ]
  held <- c(OSSELL = 90000, TARROW = -4000)
  book <- as_portfolio(daily, shares = held)
  found <- measure_selling(book, share = 0.2, window = 10, level = 0.95)
  table <- read.csv(demo_file("bay-daily.csv.xz"))
  volume <- vapply(names(held), function(s) {
    own <- table[table$security == s & table$date <= format(max(daily$dates)), ]
    mean(tail(own$volume[order(own$date)], 10))
  }, 0)
  at <- match(names(held), found$security)
  expect_equal(found$volume[at], unname(volume), tolerance = 1e-12)
  expect_equal(found$days[at], unname(abs(held) / (0.2 * volume)), tolerance = 1e-12)
  expect_equal(found$days[3], max(found$days[at]))
  r <- apply(daily$close[, names(held)], 2, function(p) diff(p) / head(p, -1))
  w <- book$weights
  days <- found$days[at]
  left <- sapply(days, function(d) pmax(0, 1 - (0:(ceiling(max(days)) - 1)) / d))
  one <- function(w) -sort(as.vector(r %*% w))[floor(0.05 * nrow(r) + 0.5)]
  by_day <- apply(left, 1, function(l) one(w * l))
  expect_equal(found$var_selling[3], sqrt(sum(by_day^2)), tolerance = 1e-10)
  expect_equal(found$var_selling[at[1]], one(c(1, 0)) * sqrt(sum(left[, 1]^2)), tolerance = 1e-10)
  profile <- selling_profile(found)
  expect_equal(profile$left[c(1, nrow(profile))], c(1, 0))
  expect_equal(profile$left[2], sum(abs(w) * left[2, ]) / sum(abs(w)), tolerance = 1e-12)
  expect_error(
    measure_selling(as_portfolio(demo_prices(), shares = held)),
    class = "imbroglio_error_no_volume"
  )
  weekly <- quietly(as_portfolio(as_returns(daily, every = "week"), shares = held))
  expect_error(measure_selling(weekly), "weekly", class = "imbroglio_error_argument")
  expect_error(
    measure_selling(as_portfolio(daily, weights = c(OSSELL = 1))),
    class = "imbroglio_error_argument"
  )
})
