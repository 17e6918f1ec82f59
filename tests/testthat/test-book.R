# A book: drawn, and its value at risk split by holding.
drawn_book <- function(..., level = c(0.95, 0.99)) bootstrap_book(..., level = level)
held <- c(NORTH = 0.5, ALPINE = 0.3, ISLES = 0.4, cash = -0.2)

test_that("with one day in the history the answer is exact", {
  one <- as_returns(
    data.frame(date = as.Date("2020-01-02"), A = -0.02, B = 0.01),
    given = "returns",
    every = "day"
  )
  for (blocks in c("none", "fixed", "stationary")) {
    book <- suppressWarnings(drawn_book(
      as_portfolio(one, c(A = 0.6, B = 0.4), value = 1000),
      horizon = 3,
      draws = 20,
      blocks = blocks
    ))
    end <- 0.6 * 0.98^3 + 0.4 * 1.01^3
    expect_equal(quantile(book)$value, rep(1000 * end, 9), tolerance = 1e-14)
    expect_equal(book$var, rep(1 - end, 2), tolerance = 1e-12)
    expect_equal(book$es_value, rep(1000 * (1 - end), 2), tolerance = 1e-12)
  }
})

test_that("mean, spread and correlation are the history's, within the error of the draws", {
  prices <- stock_prices()
  r <- as.matrix(as_returns(prices))[, names(held)[1:3]]
  for (h in c(1, 10)) {
    book <- drawn_book(as_portfolio(prices, held), horizon = h, draws = 40000, seed = h)
    look <- generics::glance(book)
    # By hand: the moments of products of independent days.
    w <- held[1:3]
    mean <- sum(w * colMeans(1 + r)^h) - 0.2
    square <- 0
    for (i in 1:3) {
      for (j in 1:3) square <- square + w[i] * w[j] * mean((1 + r[, i]) * (1 + r[, j]))^h
    }
    sd <- sqrt(square - (mean + 0.2)^2)
    expect_equal(c(look$mean_exact, look$sd_exact), unname(c(mean, sd)), tolerance = 1e-10)
    expect_lt(abs(look$mean - mean), 3 * sd / sqrt(40000))
    value <- attr(book, "drawn")$value
    expect_lt(abs(look$sd - sd), 3 * sd((value - mean(value))^2) / (2 * sd) / sqrt(40000))
    together <- drawn_correlation(book)
    expect_lt(max(abs(together$drawn - together$history) / together$drawn_error), 4.5)
    expect_equal(together$history[1], cor(r[, 1], r[, 2]))
    expect_equal(book$var, 1 - sort(value)[c(2000, 400)], tolerance = 1e-12)
    expect_equal(book$es[2], mean(1 - sort(value)[1:400]), tolerance = 1e-12)
    expect_equal(quantile(book, 0.3)$value, quantile(value, 0.3, names = FALSE))
    counts <- attr(book, "drawn")$drawn
    expect_equal(sum(counts), 40000 * h)
    expect_gt(chisq.test(counts)$p.value, 1e-4)
  }
})

test_that("a path can be followed by hand, on any number of threads and holdings", {
  prices <- stock_prices()
  set.seed(6)
  wide <- matrix(
    rnorm(300 * 11, 0, 0.01),
    300,
    dimnames = list(format(as.Date("2001-01-01") + 1:300), LETTERS[1:11])
  )
  for (k in c(1, 2, 3, 6, 9, 11)) {
    for (blocks in c("none", "fixed", "stationary")) {
      w <- stats::setNames(seq_len(k) / sum(seq_len(k)), LETTERS[seq_len(k)])
      drawn <- lapply(1:2, function(threads) {
        RcppParallel::setThreadOptions(numThreads = threads)
        drawn_book(
          as_portfolio(as_returns(wide, given = "returns"), w),
          level = 0.95,
          horizon = 7,
          draws = 3000,
          blocks = blocks,
          block = 4,
          seed = -3
        )
      })
      RcppParallel::setThreadOptions()
      expect_identical(drawn[[1]], drawn[[2]])
      paths <- c(1, 17, 3000)
      listed <- drawn_paths(drawn[[1]], paths)
      for (p in paths) {
        one <- listed[listed$path == p, ]
        growth <- 1 + wide[format(one$date), names(w), drop = FALSE]
        end <- sum(w * apply(growth, 2, prod))
        expect_equal(attr(drawn[[1]], "drawn")$value[p], end, tolerance = 1e-14)
        expect_equal(one$value[7], end, tolerance = 1e-14)
        expect_equal(prod(1 + one$return), end, tolerance = 1e-13)
        step <- diff(match(format(one$date), rownames(wide)))
        if (blocks == "fixed") expect_true(all(step[c(1:3, 5, 6)] %in% c(1, -299)))
      }
    }
  }
  long <- drawn_paths(
    drawn_book(
      as_portfolio(as_returns(wide, given = "returns"), c(A = 1)),
      level = 0.95,
      horizon = 500,
      draws = 60,
      blocks = "stationary",
      block = 10
    ),
    1:60
  )
  day <- match(format(long$date), rownames(wide))
  fresh <- long$step == 1 | c(TRUE, (diff(day) - 1) %% 300 != 0)
  # Runs have a mean length of 10: of 30,000 days 3,000 begin one, give or take 52.
  expect_lt(abs(sum(fresh) - 3000 * 299 / 300), 4 * 52)
  other <- drawn_book(
    as_portfolio(as_returns(wide, given = "returns"), c(A = 1)),
    draws = 1000,
    seed = 2
  )
  expect_false(identical(
    attr(other, "drawn")$value,
    attr(
      drawn_book(as_portfolio(as_returns(wide, given = "returns"), c(A = 1)), draws = 1000),
      "drawn"
    )$value
  ))
  single <- measure_var(
    as_returns(wide, given = "returns")[, "A"],
    c(0.95, 0.99),
    7,
    "bootstrap",
    draws = 3000,
    seed = 4
  )
  as_book <- drawn_book(
    as_portfolio(as_returns(wide, given = "returns"), c(A = 1)),
    horizon = 7,
    draws = 3000,
    seed = 4
  )
  same <- c("var", "es", "var_error", "es_error", "var_low", "draw_error")
  expect_identical(as.data.frame(single)[same], as.data.frame(as_book)[same])
})

test_that("shares are worth the last prices; holdings with gaps are drawn over shared spans", {
  p <- data.frame(
    date = as.Date("2024-01-01") + 0:5,
    A = c(10, 11, NA, 12, 13, 12),
    B = c(5, 5, 6, 5, NA, 4)
  )
  book <- suppressWarnings(drawn_book(
    as_portfolio(as_prices(p), shares = c(A = 10, B = 20), cash = 100),
    draws = 50,
    horizon = 1
  ))
  expect_equal(attr(book, "drawn")$book$value, 10 * 12 + 20 * 4 + 100)
  expect_equal(
    attr(book, "drawn")$book$r,
    cbind(A = c(11 / 10, 12 / 11, 12 / 12) - 1, B = c(0, 0, 4 / 5 - 1)),
    tolerance = 1e-14
  )
  expect_equal(book$n, c(3L, 3L))
  ends <- 1 + (as.vector(cbind(120, 80) %*% t(attr(book, "drawn")$book$r))) / 300
  expect_true(all(vapply(attr(book, "drawn")$value, function(v) min(abs(v - ends)), 0) < 1e-12))
  logs <- suppressWarnings(drawn_book(
    as_portfolio(as_returns(as_prices(p), "log"), c(A = 0.6, B = 0.4)),
    draws = 50,
    horizon = 1
  ))
  plain <- suppressWarnings(drawn_book(
    as_portfolio(as_prices(p), c(A = 0.6, B = 0.4)),
    draws = 50,
    horizon = 1
  ))
  expect_equal(logs$var, plain$var, tolerance = 1e-12)
})

test_that("the parts of a book's value at risk add up, are slopes, and measure what they say", {
  prices <- stock_prices()
  returns <- as_returns(prices)
  r <- as.matrix(returns)
  series <- function(w) {
    as_returns(
      `dimnames<-`(r[, names(w), drop = FALSE] %*% w, list(rownames(r), "X")),
      given = "returns",
      every = "day"
    )
  }
  w <- held[1:3]
  methods <- c(
    "historical", "age-weighted", "volatility-scaled", "filtered", "normal", "normal-relative",
    "cornish-fisher", "ewma", "garch", "hill", "pareto", "student", "bootstrap", "block-bootstrap"
  )
  for (h in c(1L, 5L)) {
    split <- as.data.frame(split_var(
      as_portfolio(prices, held, value = 50),
      horizon = h,
      method = methods,
      draws = 3000,
      level = c(0.95, 0.99)
    ))
    for (part in base::split(split, list(split$method, split$level))) {
      parts <- part[1:3, ]
      book <- part[4, ]
      info <- paste(book$method, h)
      expect_lt(abs(sum(parts$component) / book$component - 1), 1e-12)
      expect_lt(abs(sum(parts$es_component) / book$es_component - 1), 1e-12)
      expect_equal(parts$component, parts$weight * parts$marginal, tolerance = 1e-12)
      expect_equal(sum(parts$saved), book$saved, tolerance = 1e-12)
      expect_equal(book$component_value, 50 * book$component)
      if (grepl("bootstrap|filtered", book$method)) next
      measured <- function(w) suppressWarnings(measure_var(series(w), book$level, h, book$method))
      expect_equal(book$component, measured(w)$var, tolerance = 1e-9, info = info)
      expect_equal(book$es_component, measured(w)$es, tolerance = 1e-7, info = info)
      expect_equal(parts$var_alone[2], measured(w[2])$var, tolerance = 1e-6, info = info)
      expect_equal(
        parts$incremental[2],
        book$component - measured(w[-2])$var,
        tolerance = 1e-5,
        info = info
      )
      if (!book$method %in% c(
          "volatility-scaled", "normal", "normal-relative", "cornish-fisher", "ewma", "historical"
        )) {
        next
      }
      step <- 1e-6 * c(0, 1, 0)
      slope <- function(what) (measured(w + step)[[what]] - measured(w - step)[[what]]) / 2e-6
      expect_equal(parts$marginal[2], slope("var"), tolerance = 1e-5, info = info)
      expect_equal(parts$es_component[2] / w[[2]], slope("es"), tolerance = 1e-5, info = info)
    }
  }
  day <- measure_var(series(w))$observed
  expect_equal(
    as.data.frame(split_var(as_portfolio(prices, held)))$component[1:3],
    unname(-w * r[format(day), names(w)]),
    tolerance = 1e-12
  )
  # One holding bears all; a hedge takes away.
  alone <- split_var(
    as_portfolio(prices, c(NORTH = 1)),
    method = c("normal", "bootstrap"),
    draws = 500
  )
  expect_equal(alone$share, rep(1, 4))
  hedged <- split_var(
    as_portfolio(prices, c(NORTH = 1, ISLES = -0.5), cash = "rest"),
    method = "normal"
  )
  expect_lt(hedged$component[2], 0)
  expect_match(
    in_words(split_var(as_portfolio(prices, c(NORTH = 0.5, ALPINE = 0.5))))[3],
    "diversification saves"
  )
})
