test_that("the command measures real prices as base R does", {
  file <- tempfile(fileext = ".csv")
  write.csv(data.frame(date = stock_dates(), stocks()), file, row.names = FALSE, quote = FALSE)
  answer <- function(...) {
    ran <- imbroglio(..., file, "--format", "json")
    expect_equal(ran$status, 0L)
    expect_equal(ran$err, "")
    jsonlite::fromJSON(ran$out)
  }
  returns <- stocks()[-1, ] / stocks()[-1860, ] - 1
  volatility <- answer("volatility")
  expect_equal(volatility$results$volatility, unname(apply(returns, 2, sd)), tolerance = 1e-12)
  expect_equal(
    volatility$basis[c("from", "to", "kind", "every", "per_year")],
    list(from = "1991-07-02", to = "1998-08-14", kind = "simple", every = "day", per_year = 252)
  )
  drawdown <- answer("drawdown")$results
  depth <- apply(stocks(), 2, function(p) p / cummax(p) - 1)
  expect_equal(drawdown$max_drawdown, unname(apply(depth, 2, min)), tolerance = 1e-12)
  expect_equal(drawdown$trough, format(stock_dates()[apply(depth, 2, which.min)]))
  back <- vapply(1:4, function(j) {
    low <- which.min(depth[, j])
    max(stocks()[low:1860, j]) >= max(stocks()[1:low, j])
  }, NA)
  expect_equal(!is.na(drawdown$recovery), back)
  var <- answer("var", "--level", "0.99")$results
  expect_equal(var$var, unname(apply(returns, 2, function(r) -sort(r)[19])), tolerance = 1e-12)
  # To the last bit: what R measures is what the command prints.
  expect_identical(var$var, measure_var(read_prices(file))$var)
  monthly <- answer(
    "returns", "--every", "month", "--kind", "log", "--security", "NORTH,ISLES", "--from",
    "1995-01-31", "--to", "1995-12-29"
  )$results
  expect_equal(names(monthly), c("security", "date", "return"))
  expect_equal(
    sum(monthly$return[monthly$security == "NORTH"]),
    log(stocks()["1995-12-29", "NORTH"] / stocks()["1995-01-31", "NORTH"]),
    ignore_attr = TRUE,
    tolerance = 1e-12
  )
  rolling <- imbroglio("volatility", file, "--window=20", "--security=NORTH", "--format=csv")
  table <- read.csv(text = rolling$out)
  expect_equal(table$volatility[1859], sd(returns[1840:1859, "NORTH"]), tolerance = 1e-12)
  expect_true(all(is.na(table$volatility[1:19])))
})

# The data that the command lines below are of, and how R's own are compared with what they print.
lines_data <- function() {
  prices <- read_prices(demo_file("bay.csv"))
  list(
    file = demo_file("bay.csv"),
    prices = prices,
    daily = suppressMessages(read_prices(demo_file("bay-daily.csv.xz"))),
    some = prices[, c("BAYALL", "TARROW", "CORRACK")],
    pick = c("--security", "TARROW,CORRACK"),
    weights = written("security,weight", "TARROW,0.6", "BAYBOND,0.4"),
    book = as_portfolio(prices, weights = c(TARROW = 0.6, BAYBOND = 0.4), rebalance = "month")
  )
}

expect_same_numbers <- function(cases) {
  for (case in cases) {
    got <- jsonlite::fromJSON(run_here(case[[1]], "--format", "json"))$results
    wanted <- as.data.frame(case[[2]])
    wanted[] <- lapply(wanted, function(v) if (inherits(v, "Date")) format(v) else v)
    expect_equal(names(got), names(wanted), info = case[[1]])
    for (name in names(wanted)) {
      # What is missing in every row has no type in JSON.
      if (all(is.na(wanted[[name]]))) {
        expect_true(all(is.na(got[[name]])), info = name)
      } else {
        expect_identical(
          as.vector(got[[name]]),
          as.vector(if (is.integer(got[[name]])) as.integer(wanted[[name]]) else wanted[[name]]),
          info = paste(case[[1]][1], name)
        )
      }
    }
  }
}

test_that("the command's returns and volatility are R's own numbers, to the last bit", {
  expect_same_numbers(with(lines_data(), list(
    list(
      c("summary", file, "--benchmark", "BAYALL", "--sort", "beta", "--level", "0.95"),
      measure_summary(prices, "BAYALL", level = 0.95, sort_by = "beta")
    ),
    list(
      c("returns", file, "--measured", "--risk-free", "0.02"),
      measure_return(prices, risk_free = 0.02)
    ),
    list(
      c("returns", file, "--window", "60", pick, "--risk-free", "BAYBOND"),
      measure_return(
        prices[, c("TARROW", "CORRACK", "BAYBOND")],
        window = 60,
        risk_free = "BAYBOND"
      )
    ),
    list(
      c(
        "volatility",
        demo_file("bay-daily.csv.xz"),
        "--security",
        "TARROW",
        "--method",
        "parkinson,ewma",
        "--half-life",
        "20"
      ),
      measure_volatility(daily[, "TARROW"], method = c("parkinson", "ewma"), half_life = 20)
    ),
    list(
      c("volatility", file, "--series", "--method", "garch", pick),
      volatility_series(some[, c("TARROW", "CORRACK")], method = "garch")
    ),
    list(
      c("volatility", file, "--parameters", "--method", "garch-student", "--security", "TARROW"),
      fit_garch(some[, "TARROW"], "student")
    ),
    list(
      c("volatility", file, "--horizon", "5", "--method", "garch", "--security", "TARROW"),
      predict(fit_garch(some[, "TARROW"]), 5)
    )
  )))
})

test_that("the command's what is beside a benchmark are R's own numbers, to the last bit", {
  expect_same_numbers(with(lines_data(), list(
    list(
      c(
        "beta", file, "--benchmark", "BAYALL", pick, "--errors", "newey-west", "--lags", "3",
        "--confidence", "0.9"
      ),
      measure_beta(some, "BAYALL", errors = "newey-west", lags = 3, confidence = 0.9)
    ),
    list(
      c("beta", file, "--benchmark", "BAYALL,BAYBOND", "--security", "TARROW", "--together"),
      measure_beta(
        prices[, c("BAYALL", "BAYBOND", "TARROW")],
        c("BAYALL", "BAYBOND"),
        together = TRUE
      )
    ),
    list(
      c(
        "beta", file, "--benchmark", "BAYALL", pick, "--every", "day,month", "--spans",
        "1 year,3 years"
      ),
      quietly(measure_beta(
        some,
        "BAYALL",
        every = c("day", "month"),
        last = c("1 year", "3 years")
      ))
    ),
    list(
      c("beta", file, "--benchmark", "BAYALL", pick, "--window", "60"),
      measure_beta(some, "BAYALL", window = 60)
    ),
    list(
      c("tracking", file, "--benchmark", "BAYALL", pick),
      quietly(measure_tracking(some, "BAYALL"))
    )
  )))
})

test_that("the command's falls and correlation are R's own numbers, to the last bit", {
  expect_same_numbers(with(lines_data(), list(
    list(c("drawdown", file, "--episodes", "2", pick), drawdown_episodes(some[, -1], worst = 2)),
    list(
      c("drawdown", file, "--series", "--security", "TARROW"),
      drawdown_series(some[, "TARROW"])
    ),
    list(c("drawdown", file, "--window", "60", pick), measure_drawdown(some[, -1], window = 60)),
    list(
      c("correlation", file, "--on", "pairwise", "--half-life", "60"),
      correlate_returns(prices, "pairwise", half_life = 60)
    )
  )))
})

test_that("the command's books are R's own numbers, to the last bit", {
  expect_same_numbers(with(lines_data(), list(
    list(c("var", file, "--weights", weights), measure_var(book)),
    list(
      c(
        "var", file, "--weights", weights, "--rebalance", "month", "--held", "then", "--parts",
        "--value", "1000"
      ),
      measure_var(as_portfolio(
        prices, weights = weights, rebalance = "month", held = "then", parts = TRUE, value = 1000
      ))
    ),
    list(
      c("tracking", file, "--values", "TARROW=600,BAYBOND=-100,cash=50", "--benchmark", "BAYALL"),
      quietly(measure_tracking(
        as_portfolio(prices, values = c(TARROW = 600, BAYBOND = -100), cash = 50),
        "BAYALL"
      ))
    ),
    list(
      c("backtest", file, "--weights", "TARROW=0.5,PELLAN=0.5", "--stand-in", "PELLAN=BAYALL"),
      backtest_var(as_portfolio(
        prices,
        c(TARROW = 0.5, PELLAN = 0.5),
        stand_ins = c(PELLAN = "BAYALL")
      ))
    ),
    list(
      c(
        "var", file, "--weights", weights, "--draw", "--draws", "2000", "--horizon", "5",
        "--method", "stationary-bootstrap"
      ),
      bootstrap_book(
        as_portfolio(prices, c(TARROW = 0.6, BAYBOND = 0.4)),
        draws = 2000,
        horizon = 5,
        blocks = "stationary"
      )
    ),
    list(
      c(
        "var", file, "--weights", weights, "--split", "--method", "historical,normal", "--value",
        "1000"
      ),
      split_var(
        as_portfolio(prices, c(TARROW = 0.6, BAYBOND = 0.4), value = 1000),
        method = c("historical", "normal")
      )
    ),
    list(
      c("var", file, "--shares", "TARROW=10,BAYBOND=20", "--paths", "3"),
      drawn_paths(
        bootstrap_book(as_portfolio(prices, shares = c(TARROW = 10, BAYBOND = 20))),
        1:3
      )
    ),
    list(
      c("drawdown", file, "--shares", "TARROW=10,BAYBOND=20"),
      measure_drawdown(as_portfolio(prices, shares = c(TARROW = 10, BAYBOND = 20)))
    )

  )))
})

test_that("the command's value at risk and its test are R's own numbers, to the last bit", {
  expect_same_numbers(with(lines_data(), list(
    list(
      c(
        "var", file, "--method", "historical,normal,hill", "--horizon", "1:3", "--level",
        "0.95,0.99", "--tail", "0.08", pick
      ),
      measure_var(some[, -1], c(0.95, 0.99), 1:3, c("historical", "normal", "hill"), tail = 0.08)
    ),
    list(
      c("var", file, "--thresholds", "--level", "0.995", pick),
      tail_thresholds(some[, -1], level = 0.995)
    ),
    list(
      c("backtest", file, "--method", "historical,ewma", "--window", "500", "--expanding", pick),
      backtest_var(some[, -1], 500, method = c("historical", "ewma"), expanding = TRUE)
    ),
    list(
      c(
        "backtest", file, "--method", "normal", "--refit", "20", "--level", "0.95", "--breaches",
        pick
      ),
      backtest_breaches(backtest_var(some[, -1], method = "normal", refit = 20, level = 0.95))
    ),
    list(
      c("backtest", file, "--zones", "--zone-days", "500", pick),
      backtest_zones(backtest_var(some[, -1], zone_days = 500))
    )
  )))
})
