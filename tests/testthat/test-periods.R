# The worst periods, the past replayed, shocks: against base R and by hand.

bay_closes <- function(securities) {
  read.csv(demo_file("bay.csv"), check.names = FALSE)[c("date", securities)]
}

test_that("the worst periods are those that base R finds, with what stood beside them", {
  closes <- bay_closes(c("BAYALL", "TARROW", "CORRACK"))
  closes <- closes[rowSums(is.na(closes)) == 0, ]
  prices <- as_prices(closes)
  for (h in c(1, 5)) {
    found <- worst_periods(prices, 4, 2, horizon = h, benchmark = "BAYALL", level = 0.95)
    for (name in c("TARROW", "CORRACK")) {
      p <- closes[[name]]
      n <- length(p)
      over <- p[(1 + h):n] / p[1:(n - h)] - 1
      picked <- integer()
      for (i in order(over)) {
        if (length(picked) < 4 && all(abs(picked - i) >= h)) picked <- c(picked, i)
      }
      rows <- found[found$security == name & found$side == "worst", ]
      expect_equal(rows$total_return, over[picked], tolerance = 1e-12)
      expect_equal(rows$to, as.Date(closes$date)[picked + h])
      expect_equal(rows$from, as.Date(closes$date)[picked + 1])
      expect_equal(rows$deviations, (over[picked] - mean(over)) / sd(over), tolerance = 1e-10)
      b <- closes$BAYALL
      expect_equal(rows$benchmark_return, b[picked + h] / b[picked] - 1, tolerance = 1e-12)
      r <- diff(p) / head(p, -1)
      line <- vapply(picked, function(i) {
        # The 13th worst of the 250 before, at 95 %: 12.5, half up.
        if (i > 250) -sort(r[(i - 250):(i - 1)])[13] * sqrt(h) else NA
      }, 0)
      expect_equal(rows$var_before, line, tolerance = 1e-12)
      expect_equal(rows$breach, -over[picked] > line)
      best <- found[found$security == name & found$side == "best", ]
      expect_equal(best$total_return[1], max(over), tolerance = 1e-12)
    }
  }
  shared <- worst_periods(prices, 4, horizon = 5, overlapping = TRUE)
  of <- shared[shared$security == "CORRACK", ]
  p <- closes$CORRACK
  expect_equal(of$total_return, sort(p[-(1:5)] / head(p, -5) - 1)[1:4], tolerance = 1e-12)
  logs <- worst_periods(as_returns(prices, "log"), 2, horizon = 5)
  expect_equal(logs$total_return, worst_periods(prices, 2, horizon = 5)$total_return)
})

test_that("a book's periods come from its holdings, as held then and as held today", {
  closes <- bay_closes(c("OSSELL", "TARROW", "BAYBOND"))
  prices <- as_prices(closes)
  w <- c(OSSELL = 0.5, TARROW = 0.3, BAYBOND = 0.1)
  P <- as.matrix(closes[names(w)])
  P <- P[rowSums(is.na(P)) == 0, ]
  n <- nrow(P)
  worth <- 0.1 + as.vector(sweep(P, 2, P[1, ], "/") %*% w)
  then <- as_portfolio(prices, weights = w, cash = 0.1, value = 1000)
  found <- quietly(worst_periods(then, 1, horizon = 10))
  over <- worth[11:n] / worth[1:(n - 10)] - 1
  i <- which.min(over)
  expect_equal(found$total_return, over[i], tolerance = 1e-12)
  expect_equal(found$return_value, 1000 * over[i], tolerance = 1e-12)
  split <- split_periods(found)
  by_hand <- w * (P[i + 10, ] - P[i, ]) / P[1, ] / worth[i]
  of <- split[match(names(w), split$security), ]
  expect_equal(of$component, unname(by_hand), tolerance = 1e-12)
  expect_equal(of$total_return, unname(P[i + 10, ] / P[i, ] - 1), tolerance = 1e-12)
  expect_equal(found$led_by, names(w)[which.min(by_hand)])
  # Rebalanced each month and as held today the parts still add up to what the book did.
  for (book in list(
    as_portfolio(prices, weights = w, cash = 0.1, rebalance = "month"),
    as_portfolio(prices, weights = w, cash = 0.1, held = "today")
  )) {
    split <- split_periods(quietly(worst_periods(book, 3, 1, horizon = 30)))
    whole <- split[split$security == "BOOK", ]
    for (k in seq_len(nrow(whole))) {
      of <- split$rank == whole$rank[k] & split$side == whole$side[k] & split$security != "BOOK"
      expect_equal(sum(split$component[of]), whole$total_return[k], tolerance = 1e-12)
    }
  }
  expect_error(split_periods(worst_periods(prices)), class = "imbroglio_error_argument")
  expect_error(worst_periods(prices, 0), class = "imbroglio_error_argument")
  expect_error(
    quietly(worst_periods(prices[1:5, ], horizon = 10)),
    class = "imbroglio_error_too_short"
  )
})

test_that("a replay is today's weights carried by the prices of then", {
  # Three days by hand: 60 of 100 in A, 40 in B.
  prices <- as_prices(data.frame(
    date = as.Date("2024-01-01") + 0:5,
    A = c(10, 11, 9, 10, 10, 12),
    B = c(20, 20, 15, 18, 20, 20)
  ))
  book <- as_portfolio(prices, values = c(A = 60, B = 40))
  found <- quietly(replay(book, c(bad = "2024-01-02:2024-01-04"), benchmark = "B"))
  days <- replay_series(found)
  expect_equal(days$return_value, c(0, 6, 54 + 30 - 100, 60 + 36 - 100), tolerance = 1e-12)
  expect_equal(found$from, as.Date("2024-01-01"))
  expect_equal(found$deepest, -0.16, tolerance = 1e-12)
  expect_equal(found$deepest_date, as.Date("2024-01-03"))
  expect_equal(found$benchmark_return, -0.1, tolerance = 1e-12)
  expect_equal(split_replay(found)$component_value, c(-4, 0, -4), tolerance = 1e-12)

  closes <- bay_closes(c("BAYALL", "OSSELL", "PELLAN"))
  book <- quietly(as_portfolio(as_prices(closes), weights = c(OSSELL = 0.5, PELLAN = 0.5)))
  when <- c(crash = "2018-09:2019-01", late = "2020-09")
  expect_error(quietly(replay(book, when)), "PELLAN", class = "imbroglio_error_stand_in")
  found <- quietly(replay(book, when, benchmark = "BAYALL"))
  # Before its first price PELLAN moves by its beta, from then on by itself.
  both <- closes[!is.na(closes$PELLAN), ]
  r <- apply(both[c("PELLAN", "BAYALL")], 2, function(p) diff(p) / head(p, -1))
  beta <- coef(lm(r[, 1] ~ r[, 2]))[[2]]
  of <- closes[closes$date >= "2020-08-31" & closes$date <= "2020-09-30", ]
  b <- diff(of$BAYALL) / head(of$BAYALL, -1)
  first <- which(!is.na(of$PELLAN))[1]
  grown <- prod(1 + beta * b[1:(first - 1)]) * of$PELLAN[nrow(of)] / of$PELLAN[first]
  by_hand <- 0.5 * (grown - 1) + 0.5 * (of$OSSELL[nrow(of)] / of$OSSELL[1] - 1)
  expect_equal(found$total_return[found$episode == "late"], by_hand, tolerance = 1e-10)
  expect_match(found$stood_in, "PELLAN by .* times BAYALL")
  stood <- quietly(as_portfolio(
    as_prices(closes),
    weights = c(OSSELL = 0.5, PELLAN = 0.5),
    stand_ins = c(PELLAN = "BAYALL")
  ))
  expect_match(quietly(replay(stood, "2018"))$stood_in, "PELLAN by BAYALL")
  falls <- quietly(drawdown_episodes(as_prices(closes)[, "BAYALL"], worst = 2))
  by_index <- quietly(replay(stood, worst = 2, found_by = "benchmark", benchmark = "BAYALL"))
  expect_setequal(by_index$from, falls$peak)
  for (wrong in list("2018:2019:2020", "soon", "1999", c("2018", "2018"), 2018)) {
    expect_error(quietly(replay(stood, wrong)), class = "imbroglio_error_argument")
  }
  expect_error(replay(as_prices(closes)), class = "imbroglio_error_argument")
})

test_that("a shock is carried by the conditional mean, in closed form", {
  X <- EuStockMarkets
  prices <- as_prices(data.frame(date = as.Date("1991-07-01") + seq_len(nrow(X)), X))
  r <- apply(X, 2, function(p) diff(p) / head(p, -1))
  w <- c(SMI = 0.6, CAC = 0.3)
  book <- as_portfolio(prices, weights = w, cash = 0.1, value = 500)
  g <- c(DAX = -0.1, FTSE = -0.02)
  found <- shock_book(book, g, horizon = 5, confidence = 0.9)
  S <- cov(r)
  m <- colMeans(r) * 5
  rest <- names(w)
  K <- S[rest, names(g)] %*% solve(S[names(g), names(g)])
  move <- m[rest] + as.vector(K %*% (g - m[names(g)]))
  open <- 5 * (S[rest, rest] - K %*% S[names(g), rest])
  at <- match(rest, found$security)
  expect_equal(found$move[at], unname(move), tolerance = 1e-10)
  expect_equal(
    found$move_low[at],
    unname(move - qnorm(0.95) * sqrt(diag(open))),
    tolerance = 1e-10
  )
  whole <- found[found$security == "BOOK", ]
  expect_equal(whole$component, sum(w * move), tolerance = 1e-12)
  expect_equal(whole$component_value, 500 * sum(w * move), tolerance = 1e-12)
  reach <- qnorm(0.95) * sqrt(as.vector(w %*% open %*% w))
  expect_equal(whole$move_high - whole$move, reach, tolerance = 1e-10)
  one <- shock_book(book, c(DAX = -0.1), by = "beta")
  slope <- coef(lm(r[, "SMI"] ~ r[, "DAX"]))[[2]]
  expect_equal(one$move[one$security == "SMI"], -0.1 * slope, tolerance = 1e-10)
  # A holding whose move is given moves so, and nothing is left open of it.
  held <- shock_book(book, c(SMI = -0.2))
  ends <- unlist(held[1, c("move", "move_low", "move_high")], use.names = FALSE)
  expect_equal(ends, rep(-0.2, 3))
  for (wrong in list(c(DAX = -1), c(-0.1), c(DAX = NA), c(DAX = -0.1, DAX = -0.2), "DAX")) {
    expect_error(shock_book(book, wrong), class = "imbroglio_error_argument")
  }
  expect_error(shock_book(book, g, by = "beta"), class = "imbroglio_error_argument")
  expect_error(shock_book(book, c(NONE = -0.1)), class = "imbroglio_error_security")
})
