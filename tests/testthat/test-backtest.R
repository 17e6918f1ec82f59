# Value at risk put to the test.
days <- function(x, gaps = NULL) {
  x <- as.matrix(x)
  x[gaps] <- NA
  dimnames(x) <- list(
    format(as.Date("2001-01-01") + seq_len(nrow(x))),
    if (ncol(x) > 26) seq_len(ncol(x)) else LETTERS[seq_len(ncol(x))]
  )
  as_returns(x, given = "returns", every = "day")
}
tested <- function(...) suppressWarnings(backtest_var(...))

test_that("rolling ranks are those of each window sorted, with gaps, ties and growth", {
  set.seed(2)
  x <- cbind(
    round(rnorm(700), 1) / 100,
    c(rnorm(350), rnorm(350) * 5) / 100,
    sort(rnorm(700)) / 100,
    -sort(rnorm(700)) / 100
  )
  returns <- days(x, sample(700, 60))
  for (kind in c("simple", "log")) {
    for (rank in c("nearest", "up", "down", "interpolate")) {
      for (level in c(0.5, 0.95, 0.99)) {
        for (expanding in c(FALSE, TRUE)) {
          r <- as_returns(as.data.frame(returns), kind, given = "returns", every = "day")
          series <- backtest_series(tested(r, 100, level, rank = rank, expanding = expanding))
          for (s in colnames(r)) {
            own <- as.matrix(r)[, s]
            own <- unname(own[!is.na(own)])
            mine <- series[series$security == s, ]
            expect_equal(nrow(mine), length(own) - 100)
            at <- c(1, 2, 57, 300, nrow(mine))
            loss <- function(q) if (kind == "log") -expm1(q) else -q
            for (i in at) {
              before <- sort(own[(if (expanding) 1 else i):(i + 99)])
              n <- length(before)
              a <- 1 - level
              k <- switch(
                rank,
                nearest = floor(n * a + 0.5 + 1e-9),
                up = ceiling(n * a - 1e-9),
                down = max(1, floor(n * a + 1e-9)),
                interpolate = (n - 1) * a + 1
              )
              q <- if (rank == "interpolate") {
                quantile(before, a, type = 7, names = FALSE)
              } else {
                before[k]
              }
              expect_equal(mine$var[i], loss(q), tolerance = 1e-12)
              expect_equal(
                mine$es[i],
                mean(loss(before[seq_len(floor(k + 1e-9))])),
                tolerance = 1e-12
              )
            }
          }
        }
      }
    }
  }
})

test_that("each day's line is of the days before, and the future changes nothing", {
  set.seed(9)
  x <- 0.01 * rt(330, 5)
  methods <- c(
    "historical", "age-weighted", "volatility-scaled", "filtered", "normal", "normal-relative",
    "cornish-fisher", "ewma", "garch", "hill", "pareto", "student", "laplace", "bootstrap",
    "stationary-bootstrap"
  )
  future <- replace(x, 311:330, -0.5)
  for (expanding in c(FALSE, TRUE)) {
    ask <- function(x, refit = 1) {
      as.data.frame(backtest_series(tested(
        days(x),
        250,
        c(0.95, 0.99),
        methods,
        expanding = expanding,
        refit = refit,
        draws = 500
      )))
    }
    series <- ask(x)
    for (t in c(251, 290)) {
      before <- days(x[(if (expanding) 1 else t - 250):(t - 1)])
      measured <- as.data.frame(suppressWarnings(measure_var(
        before,
        c(0.95, 0.99),
        method = methods,
        draws = 500
      )))
      mine <- series[series$date == as.Date("2001-01-01") + t, ]
      row <- match(paste(mine$method, mine$level), paste(measured$method, measured$level))
      expect_equal(mine$var, measured$var[row], tolerance = 1e-10)
      expect_equal(mine$es, measured$es[row], tolerance = 1e-8)
    }
    for (refit in c(1, 25)) {
      now <- ask(x, refit)
      later <- ask(future, refit)
      until <- function(series) {
        as.list(series[series$date <= as.Date("2001-01-01") + 311, c(
          "method",
          "date",
          "var",
          "es"
        )])
      }
      expect_identical(until(now), until(later))
      expect_false(identical(now$var, later$var))
    }
  }
  # Between fits parameters stand still; volatility does not.
  kept <- as.data.frame(backtest_series(tested(
    days(x),
    250,
    0.99,
    c("normal", "garch", "ewma"),
    refit = 40
  )))
  changes <- tapply(kept$var, kept$method, function(v) length(unique(v)))
  expect_equal(as.vector(changes[c("ewma", "normal")]), c(80, 2))
  expect_gt(changes[["garch"]], 30)
})

test_that("the tests are those of their papers", {
  set.seed(1)
  x <- rnorm(800) / 100
  result <- tested(days(x), 250, c(0.9, 0.99))
  for (i in 1:2) {
    one <- as.data.frame(backtest_series(result))
    one <- one[one$level == result$level[i], ]
    hit <- -one$return > one$var
    n <- length(hit)
    a <- 1 - result$level[i]
    expect_equal(result$breaches[i], sum(hit))
    likelihood <- function(p) sum(dbinom(hit, 1, p, log = TRUE))
    expect_equal(result$kupiec[i], 2 * (likelihood(mean(hit)) - likelihood(a)), tolerance = 1e-10)
    expect_equal(result$exact_p[i], binom.test(sum(hit), n, a)$p.value, tolerance = 1e-10)
    after <- hit[-1]
    before <- hit[-n]
    p <- ifelse(before, mean(after[before]), mean(after[!before]))
    ratio <- 2 * sum(dbinom(after, 1, p, log = TRUE)) -
      2 * sum(dbinom(after, 1, mean(after), log = TRUE))
    expect_equal(result$independence[i], ratio, tolerance = 1e-10)
    expect_equal(result$coverage_p[i], pchisq(result$kupiec[i] + ratio, 2, lower.tail = FALSE))
    expect_equal(result$es_z[i], 1 - sum((-one$return / one$es)[hit]) / (n * a))
    expect_equal(result$score[i], mean((a - hit) * (one$var + one$return)))
    runs <- vapply(250:n, function(t) sum(hit[(t - 249):t]), 0)
    bounds <- qbinom(c(0.95, 0.9999), 250, a)
    expect_equal(
      unlist(as.data.frame(result)[i, c("green", "yellow", "red")], use.names = FALSE),
      as.vector(table(cut(runs, c(-1, bounds - 1, 250))))
    )
    expect_equal(result$recent[i], sum(tail(hit, 250)))
    expect_equal(
      nrow(backtest_breaches(result)[backtest_breaches(result)$level == result$level[i], ]),
      sum(hit)
    )
    zones <- backtest_zones(result)
    zones <- zones[zones$level == result$level[i], ]
    expect_equal(zones$breaches, c(sum(hit[51:300]), sum(hit[301:550])))
    expect_equal(zones$to, one$date[c(300, 550)])
  }
  # The committee's table: green to 4, yellow to 9, red from 10.
  expect_equal(imbroglio:::zone_limits(250, 0.01), c(5L, 10L))
  never <- tested(days(c(rnorm(250), abs(rnorm(50))) / 100), 250)
  expect_equal(c(never$breaches, never$independence, never$es_z), c(0, 0, 1))
  expect_equal(never$kupiec, -2 * 50 * log(0.99))
})

test_that("the test of expected shortfall is the chance of as bad a sum", {
  set.seed(3)
  for (case in list(c(500, 0.01, 0.85), c(250, 0.025, 0.7), c(2000, 0.01, 0.6))) {
    n <- case[1]
    drawn <- replicate(20000, {
      k <- rbinom(1, n, case[2])
      k * case[3] + sum(rexp(k)) * (1 - case[3])
    })
    for (at in quantile(drawn, c(0.2, 0.8, 0.99))) {
      p <- imbroglio:::shortfall_p(at, n, case[2], case[3])
      expect_lt(abs(mean(drawn >= at) - p), 4 * sqrt(p * (1 - p) / 20000))
    }
  }
  # A model whose losses are right is rarely rejected, one that says too little is.
  set.seed(5)
  right <- days(matrix(rnorm(900 * 100), 900) / 100)
  expect_lt(mean(tested(right, 400, 0.95, "normal", refit = 50)$es_p < 0.05), 0.13)
  wild <- days(matrix(rt(900 * 40, 3), 900) / 100)
  expect_gt(mean(tested(wild, 400, 0.99, "normal", refit = 50)$es_p < 0.05), 0.5)
})

test_that("methods are placed on the days that all of them have, and the others are counted", {
  set.seed(11)
  # At first there are too few losses for a tail; on its own days it would look better than it is.
  x <- c(abs(rnorm(300, 0, 0.01)), rnorm(600, 0, 0.03))
  result <- suppressWarnings(tested(days(matrix(x)), 250, 0.95, c("historical", "hill")))
  lacking <- result$lacking[result$method == "hill"]
  expect_gt(lacking, 0)
  expect_equal(result$lacking, max(result$n) - result$n)
  series <- as.data.frame(backtest_series(result))
  hill <- series[series$method == "hill", ]
  other <- series[series$method == "historical" & series$date %in% hill$date, ]
  score <- function(s) mean((0.05 - (-s$return > s$var)) * (s$var + s$return))
  expect_equal(result$place, as.integer(rank(c(score(other), score(hill)))))
  expect_match(in_words(result)[2], sprintf("it lacks %d days that others have", lacking))
})

test_that("methods are placed by their line, and the result is read and drawn", {
  set.seed(7)
  h <- 1e-4
  x <- vapply(1:1500, function(t) {
    e <- sqrt(h) * rnorm(1)
    h <<- 2e-6 + 0.12 * e^2 + 0.86 * h
    e
  }, 0)
  result <- tested(
    days(cbind(x, x[1500:1])),
    300,
    method = c("normal", "ewma", "garch"),
    refit = 100
  )
  first <- result[result$security == "A", ]
  expect_equal(first$place[first$method == "normal"], 3L)
  expect_equal(sort(first$place), 1:3)
  said <- in_words(result)
  expect_match(
    said[1],
    "^A, normal at 99 %: [0-9]+ breaches in 1,200 days, where 12.0 are expected; "
  )
  expect_s3_class(ggplot2::autoplot(result), "ggplot")
  expect_silent(built <- ggplot2::ggplot_build(ggplot2::autoplot(result, security = "B")))
  marks <- built$data[[which(vapply(
    built$plot$layers,
    function(l) inherits(l$geom, "GeomPoint"),
    NA
  ))[1]]]
  everywhere <- as.data.frame(backtest_breaches(result))
  expect_equal(nrow(marks), sum(everywhere$security == "B"))
})

test_that("what a backtest lists is a result, with words and a figure", {
  returns <- as_returns(demo_prices()[1:800, c("TARROW", "BAYALL")])
  result <- backtest_var(returns, 200, c(0.9, 0.95), c("historical", "normal"))
  listed <- list(
    backtest_series = backtest_series(result), backtest_breaches = backtest_breaches(result),
    backtest_zones = backtest_zones(result)
  )
  for (name in names(listed)) {
    one <- listed[[name]]
    expect_s3_class(one, paste0("imbroglio_", name))
    expect_length(in_words(one), 8L)
    expect_match(imbroglio:::headline(one), "^Breaches: TARROW by historical at 90 % [0-9]+, ")
    part <- one[one$security == "BAYALL" & one$level == 0.95 & one$method == "normal", ]
    expect_match(in_words(part), "^BAYALL, normal at 95 %: ", info = name)
    figure <- ggplot2::autoplot(part)
    expect_no_warning(built <- ggplot2::ggplot_build(figure))
    expect_error(ggplot2::autoplot(one[0, ]), class = "imbroglio_error_too_short", info = name)
  }
  sums <- result$breaches[result$security == "BAYALL" & result$level == 0.95 &
    result$method == "normal"]
  expect_match(in_words(listed$backtest_breaches)[8], sprintf(": %d breaches; the worst", sums))
  expect_error(ggplot2::autoplot(listed$backtest_series), class = "imbroglio_error_argument")
  expect_error(show_working(listed$backtest_zones, "TARROW"), class = "imbroglio_error_working")
})
