test_that("distances and textbook p-values are those of their formulas and tables", {
  stocks <- as_returns(stock_prices(), "log")
  fit <- fit_returns(stocks[, "ALPINE"], "all", test_draws = 0)
  x <- sort(as.matrix(stocks)[, "ALPINE"])
  n <- length(x)
  i <- seq_len(n)
  terms <- generics::tidy(fit)
  for (name in fit$family) {
    row <- fit[fit$family == name, ]
    part <- terms[terms$family == name, ]
    family <- return_family(name)
    at <- setNames(part$estimate, part$term)
    u <- family$distribution(x, at)
    base <- suppressWarnings(ks.test(x, function(q) family$distribution(q, at)))
    expect_equal(
      c(row$ks, row$ks_p_textbook),
      unname(c(base$statistic, base$p.value)),
      tolerance = 1e-9
    )
    expect_equal(
      row$ad,
      -n - mean((2 * i - 1) * (log(u) + log(rev(family$distribution(x, at, lower = FALSE))))),
      tolerance = 1e-9
    )
    expect_equal(row$cvm, 1 / 12 / n + sum((u - (2 * i - 1) / 2 / n)^2), tolerance = 1e-9)
    expect_equal(row$tail, -1.5 * n + 2 * sum(u) - mean((2 * i - 1) * log(u)), tolerance = 1e-8)
    expect_equal(c(row$quantile_1, row$quantile_01), family$quantile(c(0.01, 0.001), at))
  }
  expect_equal(
    unlist(fit[1, c("observed_1", "observed_01")], use.names = FALSE),
    unname(x[c(19, 2)])
  )
  # The usual tables: 10, 5 and 1 %.
  expect_equal(
    vapply(c(1.933, 2.492, 3.857), imbroglio:::ad_textbook, 0),
    c(0.1, 0.05, 0.01),
    tolerance = 2e-3
  )
  expect_equal(
    vapply(c(0.34730, 0.46136, 0.74346), imbroglio:::cvm_textbook, 0),
    c(0.1, 0.05, 0.01),
    tolerance = 1e-4
  )
  d <- x - mean(x)
  size <- n / 6 * (mean(d^3)^2 / mean(d^2)^3 + (mean(d^4) / mean(d^2)^2 - 3)^2 / 4)
  normal <- fit[fit$family == "normal", ]
  expect_equal(
    c(normal$jarque_bera, normal$jarque_bera_p),
    c(size, pchisq(size, 2, lower.tail = FALSE))
  )
})

test_that("a test by draws rejects as often as it says, the textbook's almost never", {
  set.seed(21)
  shapes <- list(normal = c(mean = 0, sd = 0.01), student = c(location = 0, scale = 0.01, nu = 5))
  for (name in names(shapes)) {
    x <- as_sample(matrix(return_family(name)$random(100 * 200, shapes[[name]]), 100))
    fit <- quiet_fit(x, name, test_draws = 99, stop_after = 20)
    fit <- fit[fit$converged, ]
    # 10 % of 200: as many as come in 998 of 1,000 such trials.
    within <- qbinom(c(0.001, 0.999), nrow(fit), 0.1)
    for (p in c("ks_p", "ad_p", "cvm_p")) {
      rejected <- sum(fit[[p]] <= 0.1)
      expect_true(rejected >= within[1] && rejected <= within[2], info = paste(name, p, rejected))
      expect_lte(sum(fit[[paste0(p, "_textbook")]] <= 0.1), 2)
    }
  }
  # Ended early or not: by hand from the same draws.
  stocks <- as_returns(stock_prices(), "log")[, "ISLES"]
  at <- generics::tidy(fit_returns(stocks, "student", test_draws = 0))$estimate
  draws <- imbroglio:::core_refitted(
    "student",
    0L,
    c(at[3], 0),
    1859L,
    FALSE,
    0L,
    300L,
    digest::digest2int("ISLES student", 5L)
  )
  for (stop_after in c(10, Inf)) {
    fit <- fit_returns(stocks, "student", test_draws = 300, stop_after = stop_after, seed = 5)
    for (test in 1:3) {
      far <- cumsum(draws[, test] >= fit[[c("ks", "ad", "cvm")[test]]])
      ended <- which(far >= stop_after)[1]
      expect_equal(
        fit[[c("ks_p", "ad_p", "cvm_p")[test]]],
        if (is.na(ended)) (far[300] + 1) / 301 else stop_after / ended
      )
    }
  }
  RcppParallel::setThreadOptions(numThreads = 1)
  withr::defer(RcppParallel::setThreadOptions(numThreads = RcppParallel::defaultNumThreads()))
  for (name in names(tried)) {
    shape <- c(tried[[name]][[1]][-(1:2)], 0, 0)[1:2]
    RcppParallel::setThreadOptions(numThreads = 1)
    one <- imbroglio:::core_refitted(name, 0L, shape, 1000L, FALSE, 0L, 12L, 7L)
    RcppParallel::setThreadOptions(numThreads = 2)
    expect_identical(imbroglio:::core_refitted(name, 0L, shape, 1000L, FALSE, 0L, 12L, 7L), one)
    # The draws of a seed do not depend on where one begins.
    expect_identical(
      imbroglio:::core_refitted(name, 0L, shape, 1000L, FALSE, 4L, 8L, 7L),
      one[5:12, ]
    )
    expect_false(anyNA(one))
  }
  verdicts <- fit_returns(
    stocks,
    c("normal", "student"),
    test_draws = 99,
    reject_at = 0.05
  )$verdict
  expect_equal(verdicts[2], "rejected at 5 % by all")
  expect_equal(basis(fit)$seed, 5L)
})
