test_that("closed forms agree with base R, in either kind of return, over a horizon too", {
  for (kind in c("simple", "log")) {
    for (h in c(1, 10)) {
      for (a in c(0.05, 0.01, 0.001)) {
        returns <- as_returns(stock_prices(), kind)[, "NORTH"]
        r <- as.vector(as.matrix(returns))
        n <- length(r)
        loss <- if (kind == "log") function(q) 1 - exp(q) else function(q) -q
        z <- qnorm(a)
        m <- mean(r)
        s <- sd(r)
        S <- basis(measure_return(returns)) |> (\(b) measure_return(returns)$skewness)() / sqrt(h)
        K <- measure_return(returns)$kurtosis / h
        cf <- function(z) {
          z + (z^2 - 1) * S / 6 + (z^3 - 3 * z) * K / 24 - (2 * z^3 - 5 * z) * S^2 / 36
        }
        s2 <- r[1]^2
        for (x in r[-1]) s2 <- 0.94 * s2 + 0.06 * x^2
        X <- sort(-r, decreasing = TRUE)
        k <- ceiling(n * 0.1)
        xi <- mean(log(X[1:k] / X[k + 1]))
        hill <- function(p) -X[k + 1] * (k / n / p)^xi
        weights <- 0.98^((n - 1):0) / sum(0.98^((n - 1):0))
        path <- mean(r^2)
        for (x in r) path <- c(path, 0.94 * path[length(path)] + 0.06 * x^2)
        scaled <- sort(r * sqrt(path[n + 1] / path[1:n]))
        worst <- max(1, floor(n * a + 0.5))
        tail <- function(quantile) {
          integrate(function(p) {
            loss(quantile(p))
          }, 0, a, rel.tol = 1e-11, subdivisions = 2000)$value /
            a
        }
        root <- sqrt(h)
        normal <- function(p) m * h + qnorm(p) * s * root
        by_hand <- list(
          historical = c(loss(sort(r)[worst] * root), mean(loss(sort(r)[1:worst] * root))),
          normal = c(loss(normal(a)), tail(normal)),
          "normal-relative" = c(loss(z * s * root), tail(function(p) qnorm(p) * s * root)),
          "cornish-fisher" = c(
            loss(m * h + cf(z) * s * root),
            tail(function(p) m * h + cf(qnorm(p)) * s * root)
          ),
          ewma = c(loss(z * sqrt(s2) * root), tail(function(p) qnorm(p) * sqrt(s2) * root)),
          hill = c(
            loss(hill(a) * root),
            if (kind == "simple") {
              -hill(a) * root / (1 - xi)
            } else {
              tail(function(p) hill(p) * root)
            }
          ),
          "volatility-scaled" = c(loss(scaled[worst] * root), mean(loss(scaled[1:worst] * root)))
        )
        for (method in names(by_hand)) {
          found <- var_of(returns, 1 - a, h, method)
          expect_equal(
            found$var,
            by_hand[[method]][1],
            tolerance = 1e-10,
            info = paste(method, kind, h, a)
          )
          expect_equal(
            found$es,
            by_hand[[method]][2],
            tolerance = 1e-8,
            info = paste(method, kind, h, a)
          )
        }
        aged <- var_of(returns, 1 - a, h, "age-weighted", rank = "up", decay = 0.98)
        order <- order(r)
        at <- which(cumsum(weights[order]) >= a)[1]
        expect_equal(aged$var, loss(r[order][at] * root), tolerance = 1e-10)
        expect_equal(aged$observed, stock_dates()[-1][order[at]])
        expect_equal(
          aged$es,
          weighted.mean(loss(r[order][1:at] * root), weights[order][1:at]),
          tolerance = 1e-10
        )
        power <- var_of(returns, 1 - a, h, "hill", horizon_by = "power")
        expect_equal(power$var, loss(hill(a) * h^xi), tolerance = 1e-10)
      }
    }
  }
})

test_that("equal weights give the four conventions of rank", {
  returns <- as_returns(stock_prices())[, 1:2]
  for (rank in c("nearest", "up", "down", "interpolate")) {
    for (level in c(0.9, 0.99, 0.995)) {
      both <- var_of(
        returns,
        level,
        method = c("historical", "age-weighted"),
        rank = rank,
        decay = 1 - 1e-12
      )
      expect_equal(
        both$var[both$method == "age-weighted"],
        both$var[both$method == "historical"],
        tolerance = 1e-8
      )
    }
  }
  ranks <- var_of(returns[, "NORTH"], rank = c("nearest", "up", "down", "interpolate"))
  expect_equal(ranks$rank_least, rep(min(ranks$var), 4))
  expect_equal(ranks$rank_most, rep(max(ranks$var), 4))
})

test_that("every method is larger for a larger loss, in proportion, and knows nothing of gaps", {
  set.seed(8)
  x <- 0.01 * rt(400, 5) + 2e-4
  base <- var_of(sample_returns(x), c(0.95, 0.99), method = all_methods, draws = 2000)
  expect_equal(base$method, rep(all_methods, 2))
  expect_true(all(is.na(base$rank) == !base$method %in% all_methods[c(1:4, 13:15)]))
  at <- function(level) base$var[base$level == level]
  expect_true(all(at(0.99) > at(0.95)))
  # No shortfall is below its value at risk, no interval beside it.
  expect_true(all(base$es >= base$var))
  expect_true(all(
    (base$var_low <= base$var & base$var <= base$var_high) |
      base$method == "age-weighted" |
      is.na(base$var_high)
  ))
  twice <- var_of(sample_returns(2 * x), c(0.95, 0.99), method = all_methods, draws = 2000)
  expect_equal(twice$var, 2 * base$var, tolerance = 2e-5)
  gaps <- rep(NA, 500)
  gaps[sort(sample(500, 400))] <- x
  with_gaps <- var_of(sample_returns(gaps), c(0.95, 0.99), method = all_methods, draws = 2000)
  same <- setdiff(names(base), c("from", "to", "observed"))
  expect_equal(with_gaps[same], base[same])
  RcppParallel::setThreadOptions(numThreads = 1)
  expect_identical(var_of(sample_returns(x), method = all_methods, draws = 30000, horizon = 3), {
    RcppParallel::setThreadOptions()
    var_of(sample_returns(x), method = all_methods, draws = 30000, horizon = 3)
  })
})

test_that("many levels, horizons, methods and securities are one table", {
  returns <- as_returns(stock_prices())
  table <- measure_var(
    returns,
    c(0.9, 0.99),
    1:20,
    c("historical", "normal"),
    rank = c("up", "down"),
    value = c(1, 2, 3, 4)
  )
  expect_equal(nrow(table), 4 * 2 * 20 * 3)
  expect_false(
    anyDuplicated(as.data.frame(table)[c("security", "level", "horizon", "method", "rank")]) > 0
  )
  expect_equal(table$var_value, table$var * match(table$security, colnames(returns)))
  one <- var_of(returns, 0.99, 7, "normal")
  expect_equal(
    table$var[table$level == 0.99 & table$horizon == 7 & table$method == "normal"],
    one$var
  )
  long <- as.matrix(as_returns(stock_prices()))
  overlapping <- var_of(returns, 0.99, 5, c("normal", "student"), horizon_by = "overlapping")
  five <- apply(1 + long, 2, function(g) zoo::rollapply(g, 5, prod)) - 1
  expect_equal(
    overlapping$var[overlapping$method == "normal"],
    unname(-colMeans(five) - qnorm(0.01) * apply(five, 2, sd)),
    tolerance = 1e-10
  )
})

test_that("profits are measured in money, and by themselves", {
  returns <- as_returns(stock_prices())[, "NORTH"]
  money <- as_returns(
    data.frame(date = returns$dates, DESK = 1e6 * as.matrix(returns)[, 1]),
    given = "profits"
  )
  methods <- c(
    "historical", "age-weighted", "volatility-scaled", "normal", "cornish-fisher", "ewma",
    "student", "hill", "pareto", "garch"
  )
  for (h in c(1, 5)) {
    of <- function(x) {
      suppressWarnings(var_of(x, level = c(0.95, 0.99), horizon = h, method = methods))
    }
    columns <- c("var", "es", "var_error", "var_low", "var_high")
    expect_equal(of(money)[columns], 1e6 * of(returns)[columns], tolerance = 1e-4)
  }
  expect_equal(
    var_of(money, horizon = 5, horizon_by = "overlapping")$var,
    -sort(rowSums(embed(1e6 * as.matrix(returns)[, 1], 5)))[19]
  )
  drawn <- var_of(
    money,
    level = 0.5,
    horizon = 10,
    method = c("bootstrap", "filtered"),
    draws = 20000
  )
  expect_equal(drawn$var, rep(-10 * mean(1e6 * as.matrix(returns)), 2), tolerance = 0.2)
  total <- measure_return(money)
  expect_equal(
    c(total$total_return, total$worst),
    1e6 * c(sum(as.matrix(returns)), min(as.matrix(returns)))
  )
  expect_match(in_words(total), "made a profit")
  expect_equal(
    measure_volatility(money)$volatility_annual,
    1e6 * measure_volatility(returns)$volatility_annual
  )
  tested <- backtest_breaches(backtest_var(money))
  expect_equal(tested$loss, 1e6 * backtest_breaches(backtest_var(returns))$loss)
  expect_match(in_words(measure_var(money)), "loses no more than [0-9]+,[0-9]+ in a day")
  drawn <- ggplot2::ggplot_build(ggplot2::autoplot(measure_var(money)))
  expect_false(any(grepl("%", drawn$layout$panel_params[[1]]$x$get_labels())))
  expect_error(measure_var(money, value = 5), class = "imbroglio_error_argument")
  expect_error(fit_returns(money), class = "imbroglio_error_argument")
  # A file of percentages without their signs would be a hundred times too large.
  wrong <- data.frame(
    date = as.Date("2020-01-01") + 0:9,
    FUND = c(1.2, -0.4, 0.9, -0.8, 2, 1, 0.3, -0.5, 0.7, 1.1)
  )
  expect_warning(
    as_returns(wrong, given = "returns"),
    "divide them by 100",
    class = "imbroglio_warning_large_returns"
  )
})

test_that("a number that is stretched says so, and never loses more than everything in silence", {
  prices <- stock_prices()
  said <- in_words(measure_var(prices[, "NORTH"], horizon = 10))
  expect_match(
    said,
    paste0(
      "It is that of one day, stretched by the root of 10: no return of 10 days was ",
      "looked at"
    )
  )
  expect_no_match(said, "That is the")
  expect_match(
    in_words(measure_var(prices[, "NORTH"], horizon = 10, horizon_by = "overlapping")),
    "That is the"
  )
  expect_warning(
    measure_var(prices[, "NORTH"], horizon = 3000),
    "more than everything",
    class = "imbroglio_warning_more_than_all"
  )
  expect_no_warning(measure_var(as_returns(prices[, "NORTH"], "log"), horizon = 3000))
})
