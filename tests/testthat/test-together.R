# What is done for many columns, rows or samples at once is what is done for each alone, to the
# last bit, on any number of threads; and both are what base R says.
gapped <- function(rows, columns, gaps, seed) {
  set.seed(seed)
  x <- matrix(0.01 * rt(rows * columns, 5), rows)
  holed <- sample(columns, columns %/% 3)
  x[cbind(sample(rows, gaps, TRUE), sample(holed, gaps, TRUE))] <- NA
  x
}
on_threads <- function(n, code) {
  RcppParallel::setThreadOptions(numThreads = n)
  withr::defer(RcppParallel::setThreadOptions(numThreads = RcppParallel::defaultNumThreads()))
  code()
}

test_that("rolling deviations of columns side by side are those of each alone", {
  # One, two, three, four and five columns without gaps beside each other, and with.
  for (columns in c(1:5, 11)) {
    x <- gapped(700, columns, 40 * (columns > 2), columns)
    for (window in c(2, 3, 59, 699, 700, 701, .Machine$integer.max)) {
      least <- if (window > 60) 20 else window
      whole <- imbroglio:::core_rolling_deviation(x, window, least)
      alone <- lapply(seq_len(columns), function(j) {
        imbroglio:::core_rolling_deviation(x[, j, drop = FALSE], window, least)
      })
      expect_identical(whole, do.call(cbind, alone))
      for (j in seq_len(columns)) {
        v <- x[!is.na(x[, j]), j]
        direct <- vapply(seq_along(v), function(i) {
          if (i < least) NA_real_ else sd(v[max(1, i - window + 1):i])
        }, 0)
        expect_equal(whole[!is.na(x[, j]), j], direct, tolerance = 1e-12)
        expect_true(all(is.na(whole[is.na(x[, j]), j])))
      }
    }
  }
  # A constant, a constant but for its rounding, and what is too large to be squared.
  flat <- cbind(rep(0.01, 50), 0.1 + rep(c(0, 2^-55), 25), 1e-9 * (1:50), 1e300 * sin(1:50))
  flat <- imbroglio:::core_rolling_deviation(flat, 10, 10)
  expect_equal(flat[10:50, 1:2], matrix(0, 41, 2))
  expect_equal(flat[10:50, 3], rep(1e-9 * sd(1:10), 41), tolerance = 1e-10)
  expect_false(any(is.finite(flat[10:50, 4])))
})

test_that("tracking error of columns side by side is that of each alone", {
  x <- gapped(400, 9, 30, 7)
  holed <- which(colSums(is.na(x)) > 0)
  colnames(x) <- LETTERS[1:9]
  returns <- sample_returns(x, names = LETTERS[1:9])
  for (benchmark in c(setdiff(1:9, holed)[1], holed[1])) {
    rolling <- function(columns) {
      table <- returns[, LETTERS[sort(unique(c(benchmark, columns)))]]
      m <- measure_tracking(table, LETTERS[benchmark], window = 30, total = FALSE)
      m[m$security %in% LETTERS[columns], c("security", "to", "tracking_error")]
    }
    whole <- as.data.frame(rolling(1:9))
    for (j in setdiff(1:9, benchmark)) {
      alone <- as.data.frame(rolling(j))
      own <- whole[whole$security == LETTERS[j], ]
      expect_identical(own$tracking_error, alone$tracking_error)
      both <- !is.na(x[, j]) & !is.na(x[, benchmark])
      apart <- (x[, j] - x[, benchmark])[both]
      last <- vapply(30:length(apart), function(i) sd(apart[(i - 29):i]), 0)
      expect_equal(own$tracking_error[!is.na(own$tracking_error)], last, tolerance = 1e-12)
    }
  }
})

test_that("falls are those of a walk in base R, however long and wherever they end", {
  walk <- function(w, additive, level) {
    high <- cummax(w)
    depth <- if (additive) w - high else (w - high) / high
    below <- depth < 0
    runs <- rle(below)
    ends <- cumsum(runs$lengths)[runs$values]
    starts <- ends - runs$lengths[runs$values] + 1
    deep <- mapply(function(a, b) min(depth[a:b]), starts, ends)
    trough <- if (any(below)) which.min(depth) else NA
    back <- which(seq_along(w) > trough & w >= high[trough])
    list(
      depth = min(depth),
      trough = trough,
      peak = if (is.na(trough)) NA else max(which(w == high[trough] & seq_along(w) < trough)),
      recovery = if (is.na(trough)) NA else back[1],
      average = if (any(below)) mean(deep) else 0,
      under_water = mean(below[-1]),
      pain = mean(-depth[-1]),
      ulcer = sqrt(mean(depth[-1]^2)),
      at_risk = unname(quantile(-depth[-1], level)),
      n = length(w)
    )
  }
  set.seed(4)
  paths <- c(
    lapply(2:26, function(n) 100 * cumprod(1 + c(0, round(rnorm(n - 1, 0, 0.02), 3)))),
    lapply(c(31, 500, 3000), function(n) 100 * exp(cumsum(rnorm(n, 0, 0.01)))),
    list(100 + 1:40, 140 - 1:40, rep(7, 20), c(5, rep(4, 30), 5, 6), c(9, 8:1, 2:9, 8.5))
  )
  for (path in paths) {
    for (additive in c(FALSE, TRUE)) {
      w <- if (additive) path - 101 else path
      found <- imbroglio:::core_falls(matrix(w), "wealth", additive, 0.9)
      direct <- walk(w, additive, 0.9)
      for (what in names(direct)) {
        expect_equal(found[[what]], as.numeric(direct[[what]]), tolerance = 1e-12, info = what)
      }
    }
  }
  # Gaps are passed over, and counted.
  w <- replace(paths[[28]], c(1:3, 77, 200:230), NA)
  found <- imbroglio:::core_falls(cbind(w, paths[[28]]), "wealth", FALSE, 0.9)
  seen <- walk(w[!is.na(w)], FALSE, 0.9)
  expect_equal(found$n, c(length(w) - 35, 3000))
  expect_equal(found$ulcer[1], seen$ulcer, tolerance = 1e-12)
  expect_equal(found$trough[1], which(!is.na(w))[seen$trough])
})

test_that("fits made ahead are those of each sample alone, in value at risk and its backtest", {
  # More columns than are fitted at once, one of them empty, one too short to be fitted.
  x <- gapped(260, 70, 300, 9)
  x[, 5] <- NA
  x[1:250, 66] <- NA
  returns <- sample_returns(x, names = sprintf("S%d", 1:70))
  for (method in c("student", "ged", "garch", "filtered")) {
    whole <- on_threads(2, function() var_of(returns, method = method, level = c(0.95, 0.99)))
    expect_identical(
      on_threads(1, function() var_of(returns, method = method, level = c(0.95, 0.99))),
      whole
    )
    for (j in c(1, 5, 64, 65, 66, 70)) {
      alone <- var_of(returns[, j], method = method, level = c(0.95, 0.99))
      expect_equal(whole[whole$security == sprintf("S%d", j), ], alone, ignore_attr = TRUE)
    }
  }
  one <- sample_returns(0.01 * rt(400, 5), names = "S")
  for (expanding in c(FALSE, TRUE)) {
    told <- suppressWarnings(
      backtest_var(one, window = 120, method = "student", refit = 3, expanding = expanding)
    )
    line <- backtest_series(told)
    at <- 121 + 3 * c(0, 1, 63, 64, 65, 92)
    by_hand <- vapply(at, function(row) {
      before <- one$values[(if (expanding) 1 else row - 120):(row - 1), ]
      var_of(sample_returns(before), method = "student")$var
    }, 0)
    expect_equal(line$var[match(one$dates[at], line$date)], by_hand, tolerance = 1e-9)
  }
})
