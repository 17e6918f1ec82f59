# Of log returns.
wealth_depth <- function(returns) {
  w <- exp(cumsum(c(0, as.matrix(returns)[, 1])))
  w / cummax(w) - 1
}

apart_book <- function() {
  as_prices(data.frame(
    date = as.Date("2024-01-01") + 0:4,
    A = c(1, 1, 1.5, NA, 2),
    B = c(NA, 2, NA, 3, NA),
    C = c(NA, NA, NA, NA, 1)
  ))
}

test_that("a book is its weights times its parts, rebalanced every day or held", {
  prices <- stock_prices()
  r <- stocks()[-1, ] / stocks()[-1860, ] - 1
  w <- c(NORTH = 0.5, ISLES = 0.7, ALPINE = -0.2)
  in_returns <- function(...) as_returns(as_portfolio(prices, ..., parts = TRUE))
  every_day <- as_portfolio(prices, weights = w, rebalance = "day")
  expect_equal(colnames(as_returns(every_day)), "BOOK")
  # What is held short earns when its security falls.
  parts <- in_returns(weights = w)
  expect_equal(colnames(parts), c("BOOK", "NORTH", "ISLES", "ALPINE short"))
  expect_equal(unname(as.matrix(parts)[, 4]), -unname(r[, "ALPINE"]), tolerance = 1e-11)
  expect_equal(
    unname(as.matrix(as_returns(every_day))[, 1]),
    unname(drop(r[, names(w)] %*% w)),
    tolerance = 1e-11
  )
  expect_equal(every_day$holdings, w)
  held <- as_portfolio(as_returns(prices, "log"), weights = w)
  value <- drop(t(t(stocks()[, names(w)]) / stocks()[1, names(w)]) %*% w)
  expect_equal(
    unname(as.matrix(as_returns(held))[, 1]),
    unname(diff(log(value))),
    tolerance = 1e-11
  )
})

test_that("a book that is rebalanced each month is so by hand, and every measure takes it", {
  prices <- stock_prices()
  w <- c(NORTH = 0.5, ISLES = 0.7, ALPINE = -0.2)
  # By the month: within one the holdings drift, at its last close they are brought back.
  monthly <- as_portfolio(prices, weights = w, rebalance = "month")
  month <- format(stock_dates(), "%Y-%m")
  wealth <- 1
  units <- w / stocks()[1, names(w)]
  for (t in 2:1860) {
    wealth[t] <- sum(units * stocks()[t, names(w)])
    if (t < 1860 && month[t] != month[t + 1]) units <- w * wealth[t] / stocks()[t, names(w)]
  }
  expect_equal(
    unname(as.matrix(as_returns(monthly))[, 1]),
    wealth[-1] / wealth[-1860] - 1,
    tolerance = 1e-11
  )
  every_day <- as_portfolio(prices, weights = w, rebalance = "day")
  held <- as_portfolio(as_returns(prices, "log"), weights = w)
  # Every measure takes it.
  volatility <- measure_volatility(monthly)
  expect_equal(
    volatility$volatility[1],
    sd(as.matrix(as_returns(monthly))[, 1]),
    tolerance = 1e-12
  )
  expect_equal(
    measure_beta(every_day, "WESTERN")$beta[1],
    sum(w * measure_beta(prices, "WESTERN")$beta[c(1, 3, 2)]),
    tolerance = 1e-10
  )
  expect_equal(
    measure_drawdown(held)$max_drawdown[1],
    min(wealth_depth(as_returns(held))),
    tolerance = 1e-10
  )
  weekly <- as_returns(monthly, every = "week")
  friday <- which(!duplicated(format(stock_dates(), "%G-%V"), fromLast = TRUE))
  expect_equal(
    unname(as.matrix(weekly)[, 1]),
    diff(wealth[friday]) / wealth[head(friday, -1)],
    tolerance = 1e-10
  )
})

test_that("a book of shares, with cash, in any unit and from a file is the same", {
  prices <- stock_prices()
  r <- stocks()[-1, ] / stocks()[-1860, ] - 1
  in_returns <- function(...) as_returns(as_portfolio(prices, ..., parts = TRUE))
  # Shares, with money beside them that earns.
  shares <- as_portfolio(
    prices,
    shares = c(NORTH = 10, WESTERN = 2),
    cash = 5000,
    cash_return = 0.03,
    name = "FUND"
  )
  value <- drop(stocks()[, c("NORTH", "WESTERN")] %*% c(10, 2)) + 5000 * 1.03^((0:1859) / 252)
  expect_equal(
    unname(as.matrix(as_returns(shares))[, "FUND"]),
    unname(value[-1] / value[-1860] - 1),
    tolerance = 1e-11
  )
  expect_equal(
    shares$holdings[["cash"]],
    5000 / (sum(c(10, 2) * stocks()[1860, c("NORTH", "WESTERN")]) + 5000)
  )
  # The rest in cash, or borrowed; or weights in any unit.
  rest <- as_portfolio(prices, weights = c(NORTH = 1.5), cash = "rest", rebalance = "day")
  expect_equal(
    unname(as.matrix(as_returns(rest))[, 1]),
    unname(1.5 * r[, "NORTH"]),
    tolerance = 1e-11
  )
  whole <- as_portfolio(prices, weights = c(NORTH = 30, ALPINE = 10), normalise = TRUE)
  expect_equal(whole$holdings, c(NORTH = 0.75, ALPINE = 0.25))
  # A file, a table and a vector say the same, with cash among the holdings.
  file <- written("security,weight", "NORTH,0.6", "ALPINE,0.3", "cash,0.1")
  expect_identical(
    in_returns(weights = file)$values,
    in_returns(weights = c(NORTH = 0.6, ALPINE = 0.3), cash = 0.1)$values
  )
  expect_identical(
    in_returns(weights = data.frame(
      security = c("ALPINE", "NORTH"),
      weight = c(0.4, 0.6)
    ))$values,
    in_returns(weights = c(ALPINE = 0.4, NORTH = 0.6))$values
  )
})

test_that("given returns make a book, which lives while its parts do; what is none is refused", {
  prices <- stock_prices()
  w <- c(NORTH = 0.5, ISLES = 0.7, ALPINE = -0.2)
  file <- written("security,weight", "NORTH,0.6", "ALPINE,0.3", "cash,0.1")
  # Given returns make a book too.
  given <- as_returns(as.data.frame(as_returns(prices)), given = "returns")
  expect_equal(
    as.matrix(as_returns(as_portfolio(given, weights = w)))[, 1],
    as.matrix(as_returns(as_portfolio(prices, weights = w)))[, 1],
    tolerance = 1e-10
  )
  # It lives while all its parts do; where one has no price, the last one counts.
  gaps <- apart_book()
  expect_message(
    book <- as_returns(suppressWarnings(as_portfolio(gaps, weights = c(A = 0.5, B = 0.5)))),
    class = "imbroglio_note_book_life"
  )
  expect_equal(as.vector(book$prices$close), c(100, 125, 150))
  bad <- list(
    weights = function() as_portfolio(prices, weights = c(NORTH = 0.5, ALPINE = 0.4)),
    weights = function() as_portfolio(prices, weights = c(0.5, 0.5)),
    weights = function() as_portfolio(prices, weights = c(NORTH = NA)),
    weights = function() as_portfolio(prices, weights = data.frame(what = "NORTH", weight = 1)),
    weights = function() as_portfolio(prices, weights = file, cash = 0.1),
    security = function() as_portfolio(prices, weights = c(NORTHX = 1)),
    argument = function() as_portfolio(prices),
    argument = function() as_portfolio(prices, weights = c(NORTH = 1), name = "ALPINE"),
    argument = function() as_portfolio(given, shares = c(NORTH = 1)),
    argument = function() as_portfolio(prices, weights = c(NORTH = 1), rebalance = "hour"),
    file = function() as_portfolio(prices, weights = "no-such-file.csv"),
    ruin = function() as_returns(as_portfolio(prices, weights = c(NORTH = 5, ALPINE = -4))),
    too_short = function() {
      as_returns(suppressWarnings(as_portfolio(gaps, weights = c(A = 0.5, C = 0.5))))
    }
  )
  for (i in seq_along(bad)) {
    expect_error(bad[[i]](), class = paste0("imbroglio_error_", names(bad)[i]), info = i)
  }
})

test_that("the summary is what its measures say, sorted", {
  prices <- read_prices(demo_file("bay.csv"))
  found <- measure_summary(prices, benchmark = "BAYALL", risk_free = 0.01, sort_by = "beta")
  expect_false(is.unsorted(-found$beta[1:14]))
  expect_equal(found$security[15], "BAYALL")
  row <- function(result) match(found$security, result$security)
  beta <- measure_beta(prices, "BAYALL", risk_free = 0.01)
  apart <- measure_tracking(prices, "BAYALL", total = FALSE)
  earned <- measure_return(prices, risk_free = 0.01)
  expect_identical(found$beta, beta$beta[row(beta)])
  expect_identical(found$information_ratio, apart$information_ratio[row(apart)])
  expect_identical(found$sharpe_annual, earned$sharpe_annual[row(earned)])
  expect_identical(
    found$volatility_annual,
    measure_volatility(prices)$volatility_annual[row(earned)]
  )
  expect_identical(
    found$max_drawdown,
    measure_drawdown(as_returns(prices))$max_drawdown[row(earned)]
  )
  expect_identical(found$es, measure_var(prices)$es[row(earned)])
  expect_false(is.unsorted(measure_summary(prices, sort_by = "max_drawdown")$max_drawdown))
  expect_false(is.unsorted(measure_summary(prices, sort_by = "security")$security))
  expect_error(measure_summary(prices, sort_by = "size"), class = "imbroglio_error_argument")
})
