# The measures of falls and of what was earned for them: against base R, errors against resampling.

by_hand_falls <- function(x, g, m, years, k = 3) {
  w <- cumprod(c(1, 1 + x))
  below <- w / cummax(w) - 1
  under <- rle(below < -1e-12)
  ends <- cumsum(under$lengths)
  falls <- vapply(which(under$values), function(i) {
    min(below[(ends[i] - under$lengths[i] + 1):ends[i]])
  }, 0)
  earned <- prod(1 + x)^(1 / years) - 1
  d <- sqrt(mean(pmin(x - g, 0)^2))
  list(
    semi_deviation = sqrt(mean(pmin(x - mean(x), 0)^2)),
    downside_deviation = d,
    sortino_annual = (mean(x) - g) / d * sqrt(m),
    omega_ratio = mean(pmax(x - g, 0)) / mean(pmax(g - x, 0)),
    calmar = earned / -min(below),
    sterling = earned / -mean(sort(falls)[seq_len(min(k, length(falls)))]),
    gain_to_pain = sum(x) / sum(abs(pmin(x, 0)))
  )
}

test_that("deviations and ratios of falls are what base R has, whole and rolling", {
  prices <- stock_prices()
  closes <- as.data.frame(prices$close)
  target <- 0.04
  down <- measure_downside(prices, target, order = 2, per_year = 250)
  ratio <- measure_ratios(prices, target, per_year = 250)
  rolling <- measure_ratios(prices, target, window = 80, per_year = 250)
  rolling_down <- measure_downside(prices, target, window = 80, per_year = 250)
  g <- 1.04^(1 / 250) - 1
  for (name in colnames(closes)) {
    p <- closes[[name]]
    x <- diff(p) / head(p, -1)
    hand <- by_hand_falls(x, g, 250, length(x) / 250)
    at <- match(name, down$security)
    for (what in c("semi_deviation", "downside_deviation")) {
      expect_equal(down[[what]][at], hand[[what]], tolerance = 1e-10)
    }
    for (what in names(hand)[-(1:2)]) {
      expect_equal(ratio[[what]][at], hand[[what]], tolerance = 1e-10, info = what)
    }
    expect_equal(down$partial_moment[at], hand$downside_deviation^2, tolerance = 1e-10)
    runs <- rle(sign(x))
    expect_equal(down$longest_fall[at], max(runs$lengths[runs$values == -1]))
    expect_equal(down$average_loss[at], mean(x[x < 0]), tolerance = 1e-12)
    rows <- which(rolling$security == name)
    for (t in c(80, 500)) {
      window <- x[(t - 79):t]
      now <- by_hand_falls(window, g, 250, 80 / 250)
      expect_equal(rolling_down$semi_deviation[rows[t]], now$semi_deviation, tolerance = 1e-10)
      for (what in names(now)[-(1:2)]) {
        expect_equal(rolling[[what]][rows[t]], now[[what]], tolerance = 1e-10, info = what)
      }
    }
    expect_true(all(is.na(rolling$omega_ratio[rows[1:79]])))
  }
})

test_that("errors by the delta method and by blocks agree with resampling in base R", {
  set.seed(7)
  x <- 0.001 + 0.01 * rt(800, 5)
  returns <- as_returns(
    data.frame(date = as.Date("2020-01-01") + seq_along(x), A = x),
    given = "returns"
  )
  both <- function(...) {
    down <- measure_downside(returns, per_year = 1, ...)
    c(as.list(down), as.list(measure_ratios(returns, per_year = 1, ...)))
  }
  delta <- both(errors = "delta")
  blocks <- both(errors = "bootstrap", block = 1, draws = 4000)
  drawn <- replicate(4000, {
    unlist(by_hand_falls(sample(x, replace = TRUE), 0, 1, length(x)))
  })
  spread <- apply(drawn, 1, sd)
  pairs <- c(
    semi_annual_error = "semi_deviation", downside_annual_error = "downside_deviation",
    sortino_annual_error = "sortino_annual", omega_error = "omega_ratio",
    gain_to_pain_error = "gain_to_pain", calmar_error = "calmar", sterling_error = "sterling"
  )
  for (error in names(pairs)) {
    # A spread of 4,000 draws has an error of 1 in 90, of ratios with long tails of more.
    expect_equal(blocks[[error]], spread[[pairs[[error]]]], tolerance = 0.08, info = error)
    if (!error %in% c("calmar_error", "sterling_error")) {
      expect_equal(delta[[error]], spread[[pairs[[error]]]], tolerance = 0.08, info = error)
    }
  }
  expect_true(is.na(delta$calmar_error))
  again <- function() measure_ratios(returns, errors = "bootstrap", draws = 50)$calmar_error
  expect_identical(again(), again())
})

test_that("errors allow for what leans on what was before, and for the tails", {
  # The long-run variance, from its definition: prewhitened, Parzen's kernel, the bandwidth of
  # Andrews (1991).
  by_hand <- function(z) {
    n <- length(z)
    lean <- sum(z[-1] * z[-n]) / sum(z[-n]^2)
    u <- z[-1] - lean * z[-n]
    m <- n - 1
    rest <- sum(u[-1] * u[-m]) / sum(u[-m]^2)
    width <- 2.6614 * (4 * rest^2 / (1 - rest)^4 * m)^0.2
    parzen <- function(q) if (q <= 0.5) 1 - 6 * q^2 + 6 * q^3 else 2 * (1 - q)^3
    total <- sum(u^2)
    for (k in seq_len(floor(width))) {
      total <- total + 2 * parzen(k / width) * sum(u[-seq_len(k)] * u[seq_len(m - k)])
    }
    sqrt(total / m / (1 - lean)^2 / n)
  }
  set.seed(14)
  leaning <- as.numeric(stats::filter(0.01 * rnorm(1500), 0.3, "recursive"))
  fat <- 0.007 * rt(1500, 4)
  returns <- as_returns(
    data.frame(date = as.Date("2010-01-01") + 1:1500, LEANING = leaning, FAT = fat, OTHER = 0.01 *
      rnorm(1500)),
    given = "returns"
  )
  ratio <- measure_ratios(returns, per_year = 1, draws = 2000)
  x <- leaning
  pain <- mean(x) / mean(pmax(-x, 0))
  expect_equal(
    ratio$gain_to_pain_error[1], by_hand((x - pain * pmax(-x, 0)) / mean(pmax(-x, 0))),
    tolerance = 1e-10
  )
  # As samples drawn afresh stray.
  fresh <- replicate(2000, {
    x <- 0.007 * rt(1500, 4)
    path <- cumprod(c(1, 1 + x))
    c(
      log(sqrt(mean(pmin(x - mean(x), 0)^2))),
      (prod(1 + x)^(1 / 1500) - 1) / -min(path / cummax(path) - 1)
    )
  })
  down <- measure_downside(returns, per_year = 1, draws = 2000)
  expect_equal(
    (down$semi_annual_error / down$semi_deviation)[2], sd(fresh[1, ]),
    tolerance = 0.35
  )
  # Of t(4) the delta method has a third too little.
  delta <- measure_downside(returns, per_year = 1, errors = "delta")
  expect_gt(down$semi_annual_error[2], 1.1 * delta$semi_annual_error[2])
  expect_equal(ratio$calmar_error[2], sd(fresh[2, ]), tolerance = 0.3)
  expect_match(basis(down)$choices[["returns taken as"]], "LEANING: each leaning on the one")

  apart <- suppressWarnings(measure_tracking(returns, "OTHER", per_year = 4, draws = 2000))
  d <- leaning - returns$values[, "OTHER"]
  expect_equal(
    apart$active_annual_error[1], 4 * by_hand(unname(d - mean(d))), tolerance = 1e-10
  )
  added <- (d - mean(d)) / sqrt(mean((d - mean(d))^2))
  added <- added - mean(d) / sqrt(mean((d - mean(d))^2)) / 2 * (added^2 - 1)
  expect_equal(apart$information_ratio_error[1], 2 * by_hand(unname(added)), tolerance = 1e-10)
  independent <- measure_tracking(
    returns[, c("OTHER", "LEANING")], "LEANING", per_year = 4, draws = 2000, total = FALSE
  )
  # What moves by the normal distribution: nearly 1 over the root of 2 n.
  expect_equal(
    independent$tracking_annual_error / independent$tracking_error_annual, 1 / sqrt(3000),
    tolerance = 0.2
  )
  none <- measure_tracking(returns, "OTHER", errors = "none", total = FALSE)
  expect_true(all(is.na(none$active_annual_error)))
  # What clusters has no such error of a short sample, and that is said.
  expect_message(
    short <- measure_downside(
      window(read_prices(demo_file("bay.csv"))[, "TARROW"], end = "2018-12-31")
    ),
    class = "imbroglio_note_errors"
  )
  expect_true(is.na(short$semi_annual_error))
})

test_that("what clusters is seen through by the errors that say so, and not by others", {
  set.seed(3)
  garch <- function(n, k) {
    x <- matrix(0, n, k)
    h <- rep(1e-4, k)
    for (t in -500:n) {
      e <- sqrt(h) * rt(k, 6) * sqrt(4 / 6)
      if (t > 0) x[t, ] <- e
      h <- 2e-6 + 0.08 * e^2 + 0.9 * h
    }
    x
  }
  x <- garch(2500, 300)
  returns <- as_sample(`colnames<-`(x, sprintf("S%d", 1:300)))
  down <- quietly(measure_downside(returns, per_year = 1, errors = "delta"))
  # As the help says: of independent errors a quarter, and a third of the intervals.
  expect_equal(mean(down$semi_annual_error) / sd(down$semi_deviation), 0.25, tolerance = 0.25)
  found <- quietly(measure_volatility(returns, per_year = 1))
  held <- mean(found$volatility_low <= 0.01 & 0.01 <= found$volatility_high)
  expect_equal(held, 1 / 3, tolerance = 0.3)
  # Of many securities none is drawn unasked.
  expect_message(measure_downside(returns), "they take minutes", class = "imbroglio_note_errors")
  few <- quietly(measure_downside(returns[, 1:12], per_year = 1))
  known <- !is.na(few$semi_annual_error)
  expect_gt(sum(known), 6)
  share <- (few$semi_annual_error / few$semi_deviation)[known]
  expect_lt(abs(log(median(share) / sd(log(down$semi_deviation)))), log(1.6))

  # How well persistence is known, by the curvature of the likelihood as R finds it.
  y <- x[, 1]
  at <- quietly(fit_garch(returns[, 1], "student"))
  minus <- function(p) {
    h <- mean((y - mean(y))^2)
    persistence <- plogis(p[3])
    alpha <- persistence * plogis(p[4])
    nu <- 2 + exp(p[5])
    sum <- 0
    for (e in y - p[1]) {
      sum <- sum - dt(e / sqrt(h * (nu - 2) / nu), nu, log = TRUE) + 0.5 * log(h * (nu - 2) / nu)
      h <- exp(p[2]) + alpha * e^2 + (persistence - alpha) * h
    }
    sum
  }
  own <- c(at$mean, log(at$omega), qlogis(at$persistence), qlogis(at$garch_alpha / at$persistence),
           log(at$nu - 2))
  covariance <- solve(optimHess(own, minus))[3:4, 3:4]
  lasting <- imbroglio:::core_garch_lasting(
    y, c(at$mean, at$omega, at$garch_alpha, at$garch_beta, at$nu)
  )
  expect_equal(lasting[1:2], own[3:4], tolerance = 1e-10)
  expect_equal(lasting[3:5], covariance[c(1, 2, 4)], tolerance = 0.01)
  # Volatility that outlasts the sample leaves the falls without errors.
  expect_identical(imbroglio:::no_path(
    list(series = 1, memory = 301, ranks = matrix(1, 300))
  ), "the memory of volatility is longer than the sample")
})

test_that("captures are geometric means over each other, and by arithmetic ones", {
  prices <- stock_prices()
  r <- apply(as.matrix(stocks()), 2, function(p) diff(p) / head(p, -1))
  b <- r[, 4]
  x <- r[, 1]
  found <- measure_capture(prices, colnames(r)[4])
  one <- found[found$security == colnames(r)[1], ]
  geometric <- function(v) prod(1 + v)^(1 / length(v)) - 1
  expect_equal(one$up_capture, geometric(x[b > 0]) / geometric(b[b > 0]), tolerance = 1e-10)
  expect_equal(one$down_capture, geometric(x[b < 0]) / geometric(b[b < 0]), tolerance = 1e-10)
  expect_equal(one$up_capture_mean, mean(x[b > 0]) / mean(b[b > 0]), tolerance = 1e-10)
  expect_equal(one$ahead, mean(x > b), tolerance = 1e-12)
  expect_equal(one$ahead_down, mean((x > b)[b < 0]), tolerance = 1e-12)
  set.seed(3)
  drawn <- replicate(2000, {
    i <- sample(length(b), replace = TRUE)
    geometric(x[i][b[i] > 0]) / geometric(b[i][b[i] > 0])
  })
  expect_equal(one$up_capture_error, sd(drawn), tolerance = 0.08)
  rolling <- measure_capture(prices, colnames(r)[4], window = 60)
  rows <- 301:360
  now <- rolling[rolling$security == colnames(r)[1], ][360, ]
  up <- rows[b[rows] > 0]
  expect_equal(now$up_capture, geometric(x[up]) / geometric(b[up]), tolerance = 1e-10)
  logs <- measure_capture(as_returns(prices, "log"), colnames(r)[4])
  expect_equal(logs$up_capture, found$up_capture, tolerance = 1e-10)
})

test_that("what has no falls has no ratio, and what cannot be is refused", {
  dates <- as.Date("2024-01-01") + 0:4
  rising <- as_prices(data.frame(date = dates, A = c(1, 2, 3, 4, 5), B = 7))
  found <- quietly(measure_ratios(rising))
  ratios <- c("sortino_annual", "omega_ratio", "calmar", "sterling", "gain_to_pain")
  expect_true(all(is.na(unlist(found[ratios]))))
  down <- measure_downside(rising)
  expect_equal(down$downside_deviation, c(0, 0))
  expect_equal(down$longest_rise, c(4L, 0L))
  expect_equal(down$semi_deviation[2], 0)
  one <- quietly(measure_downside(rising[1:2, ]))
  expect_equal(one$semi_deviation, c(0, 0))
  profits <- as_returns(data.frame(date = dates, A = c(5, -2, -3, 4, 1)), given = "profits")
  expect_equal(quietly(measure_downside(profits))$downside_deviation, sqrt(13 / 5))
  expect_equal(quietly(measure_ratios(profits, per_year = 5))$calmar, 5 / 5)
  for (wrong in list(
    function() measure_downside(rising, target = "a"),
    function() measure_downside(rising, order = -1),
    function() measure_downside(rising, errors = "none", draws = 0),
    function() measure_ratios(rising, deepest = 0),
    function() measure_capture(rising),
    function() measure_downside(rising, min_obs = 3)
  )) {
    expect_error(wrong(), class = "imbroglio_error_argument")
  }
})
