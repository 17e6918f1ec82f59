# Results kept, cut and asked as models; what users register.

test_that("a picked row keeps its own series, and says what the whole says of it", {
  # One comes late, one has gaps.
  x <- demo_prices()[1100:1420, c("PELLAN", "TARROW", "BAYALL", "CORRACK")]
  data <- case_data(x, "BAYALL", methods = c("historical", "normal", "garch", "hill"))
  found <- lapply(case_calls(TRUE), function(call) {
    tryCatch(quietly(eval(call, data)), imbroglio_error = function(e) NULL)
  })
  found <- Filter(function(one) inherits(one, "imbroglio_result") && nrow(one) > 1L, found)
  expect_gt(length(found), 25L)
  shown <- function(result, row) {
    tryCatch(quietly(format(imbroglio:::working_of_row(result, row))),
             imbroglio_error = function(e) class(e)[1L])
  }
  size <- function(one) length(serialize(one, NULL))
  for (name in names(found)) {
    one <- found[[name]]
    rows <- unique(c(1L, 2L, nrow(one)))
    if (nzchar(Sys.getenv("IMBROGLIO_ALL"))) rows <- unique(c(rows, round(nrow(one) / 2)))
    for (i in rows) {
      expect_identical(shown(one[i, ], 1L), shown(one, i), info = paste(name, i))
      expect_identical(format(basis(one[i, ])), format(basis(one)), info = name)
    }
    light <- drop_data(one)
    expect_identical(
      tryCatch(quietly(in_words(light)), imbroglio_error = conditionMessage),
      tryCatch(quietly(in_words(one)), imbroglio_error = conditionMessage), info = name
    )
    expect_lt(size(light), size(one))
    expect_error(show_working(light), "left out", class = "imbroglio_error_argument", info = name)
    expect_error(ggplot2::autoplot(light), class = "imbroglio_error_argument", info = name)
    asked <- list(tidy = generics::tidy, ahead = function(x) as.data.frame(stats::predict(x)),
                  days = backtest_series)
    for (ask in asked) {
      whole <- tryCatch(quietly(as.data.frame(ask(one))), error = function(e) NULL)
      if (is.null(whole$security) || !is.null(one[["window"]])) next
      part <- one[2L, ]
      keys <- Reduce(intersect, list(
        c("security", "benchmark", "family", "innovations", "method", "level", "span", "rank",
          "lag", "side"),
        names(whole), names(part)
      ))
      own <- Reduce(`&`, lapply(keys, function(k) whole[[k]] %in% part[[k]]))
      said <- quietly(as.data.frame(ask(part)))
      expect_equal(said, whole[own, ], ignore_attr = TRUE, info = name)
    }
  }
})

test_that("what is kept of many securities is small: a row, a figure, a book", {
  n <- 1000L
  set.seed(3)
  x <- 100 * exp(apply(matrix(rnorm(n * 60L, 0, 0.01), n), 2L, cumsum))
  colnames(x) <- sprintf("S%02d", 1:60)
  prices <- as_prices(x, dates = as.Date("2015-01-01") + seq_len(n))
  size <- function(one) length(serialize(one, NULL))
  one_series <- size(as_returns(prices[, 1L]))
  for (f in list(measure_volatility, measure_var, measure_drawdown, measure_return)) {
    found <- quietly(f(prices))
    expect_lt(size(found[7L, ]), 1.5 * one_series)
    # A figure is of what it draws, however long the series are.
    drawn <- function(x) size(quietly(ggplot2::autoplot(f(x))))
    expect_lt(drawn(prices) / drawn(quietly(prices[1:500, ])), 1.05)
    expect_identical(found[7L, ]$security, "S07")
  }
  beside <- measure_beta(prices, "S01")[5L, ]
  expect_lt(size(beside), 2.5 * one_series)
  grouped <- dplyr::ungroup(dplyr::slice_max(dplyr::group_by(found, security), mean))
  expect_s3_class(grouped, "imbroglio_return")
  expect_identical(basis(grouped), basis(found))
  expect_error(in_words(dplyr::group_by(found, security)), class = "imbroglio_error_argument")
})

test_that("a line, a fit and GARCH answer to R's verbs as R's own models do", {
  returns <- as_returns(demo_prices()[, c("TARROW", "BAYALL")])
  frame <- as.data.frame(returns)
  line <- measure_beta(returns, "BAYALL")[1L, ]
  own <- lm(TARROW ~ BAYALL, frame)
  for (verb in list(coef, confint, vcov, residuals, fitted, nobs, logLik, AIC, BIC)) {
    expect_equal(c(unname(unclass(verb(line)))), c(unname(unclass(verb(own)))),
                 ignore_attr = TRUE, tolerance = 1e-9)
  }
  at <- data.frame(BAYALL = c(-0.02, 0.02))
  ahead <- predict(own, at, interval = "confidence", se.fit = TRUE)
  mine <- predict(line, c(-0.02, 0.02))
  expect_equal(as.matrix(mine[c(".fitted", ".lower", ".upper")]), ahead$fit, ignore_attr = TRUE)
  expect_equal(mine$.se.fit, unname(ahead$se.fit))
  tidied <- generics::tidy(line)
  expect_equal(unname(as.matrix(tidied[c("estimate", "std.error", "statistic", "p.value")])),
               unname(summary(own)$coefficients))
  lagged <- measure_beta(returns, "BAYALL", errors = "newey-west", lags = 3)[1L, ]
  expect_equal(unname(sqrt(diag(vcov(lagged)))), c(lagged$alpha_error, lagged$beta_error))
  expect_equal(generics::augment(line)$.resid, unname(residuals(own)))

  x <- frame$TARROW
  n <- length(x)
  s2 <- mean((x - mean(x))^2)
  fit <- fit_returns(returns[, "TARROW"], c("normal", "student"), test_draws = 0)
  normal <- fit[fit$family == "normal", ]
  expect_equal(unname(vcov(normal)), diag(c(s2 / n, s2 / (2 * n))), tolerance = 1e-5)
  expect_equal(c(logLik(normal)), sum(dnorm(x, mean(x), sqrt(s2), log = TRUE)))
  student <- fit[fit$family == "student", ]
  at <- coef(student)
  minus <- function(v) -sum(dt((x - v[1L]) / v[2L], v[3L], log = TRUE) - log(v[2L]))
  expect_equal(c(logLik(student)), -minus(at))
  inverse <- solve(optimHess(at, minus, control = list(parscale = c(1e-2, 1e-2, 5))))
  expect_equal(cov2cor(vcov(student)), cov2cor(inverse), tolerance = 1e-2, ignore_attr = TRUE)
  expect_equal(AIC(student), student$aic)

  garch <- fit_garch(returns[, "TARROW"], "student")
  z <- generics::augment(garch)
  nu <- garch$nu
  expect_equal(c(logLik(garch)), sum(
    dt(z$.std.resid * sqrt(nu / (nu - 2)), nu, log = TRUE) + log(nu / (nu - 2)) / 2 - log(z$.sigma)
  ))
  expect_equal(unname(sqrt(diag(vcov(garch)))), generics::tidy(garch)$std.error)
  expect_equal(dimnames(coef(fit)), list(
    paste("TARROW", fit$family), unique(generics::tidy(fit)$term)
  ))
  several <- measure_var(returns, method = c("historical", "normal"))
  rows <- generics::tidy(several)
  expect_equal(rows$std.error[rows$term == "es"], several$es_error)
  for (code in expression(
    vcov(fit), coef(measure_beta(returns, "BAYALL", window = 50)),
    generics::tidy(worst_periods(returns)), confint(student, "mean"),
    residuals(measure_beta(returns, "BAYALL", every = c("day", "week"))[1, ])
  )) {
    expect_error(quietly(eval(code)), class = "imbroglio_error_argument", info = deparse(code))
  }
})

test_that("what is registered is held to what it must be, with its name", {
  own <- c("signed", "named", "other", "less", "loud")
  withr::defer(for (name in own) try(unregister(name), TRUE))
  r <- as_returns(demo_prices()[1:400, c("TARROW", "BAYALL")])
  low <- function(r, level) quantile(r, 1 - level, names = FALSE)
  bad <- list(
    signed = low, other = function(r, level) c(one = 1, two = 2),
    less = function(r, level) c(0.05, 0.03), named = function(r, level) c(var = 0.05, es = 0.03)
  )
  for (name in names(bad)) {
    register_var_method(name, bad[[name]])
    expect_error(measure_var(r, method = name), name, class = "imbroglio_error_own")
  }
  expect_message(
    register_var_method("named", function(r, level) {
      c(es = -2 * low(r, level), var = -low(r, level))
    }),
    "named was registered before", class = "imbroglio_note_registered"
  )
  found <- measure_var(r, method = "named")
  expect_equal(found$es, 2 * found$var)
  register_var_method("loud", function(r, level) {
    warning("of what it is")
    print("said")
    -low(r, level)
  })
  expect_output(
    expect_warning(
      measure_var(r, method = "loud"), "loud warned .* times", class = "imbroglio_warning_own"
    ),
    "^.1. .said.$"
  )
  expect_output(expect_warning(
    backtest_var(r[, 1], method = "loud", window = 100, refit = 20), "loud warned [0-9]+ times",
    class = "imbroglio_warning_own"
  ))
  expect_true(all(c("historical", "student", "loud") %in% var_methods()$name))
  expect_identical(var_methods()$own[var_methods()$name == "loud"], TRUE)
  kept <- registered()
  unregister("loud")
  expect_error(measure_var(r, method = "loud"), class = "imbroglio_error_argument")
  register_again(unserialize(serialize(kept, NULL)))
  expect_identical(suppressWarnings(quietly(measure_var(r, method = "loud")))$var, found$var)
  expect_error(unregister("nothing"), class = "imbroglio_error_argument")
  expect_error(register_again(list()), class = "imbroglio_error_argument")
  d <- function(x, at) dnorm(x, at[["m"]], at[["s"]])
  p <- function(x, at) pnorm(x, at[["m"]], at[["s"]])
  tried <- list(
    "integrates to 5" = list(function(x, at) 5 * d(x, at), p),
    "must give" = list(d, function(x, at) 2 * p(x, at)),
    "do not agree" = list(d, function(x, at) p(x, at)^2),
    "falls" = list(d, function(x, at) 1 - p(x, at))
  )
  for (text in names(tried)) {
    expect_error(
      register_family("own", tried[[text]][[1L]], tried[[text]][[2L]],
                      function(x) c(m = mean(x), s = sd(x)), c(-Inf, 0)),
      text, class = "imbroglio_error_own"
    )
  }
  # What is narrow, or counted in thousands, is no less a density.
  withr::defer(unregister("own"))
  register_family("own", d, p, function(x) c(m = mean(x), s = sd(x)), c(-Inf, 0))
  for (size in c(0.05, 1, 1e5)) {
    x <- data.frame(date = stock_dates()[1:300], A = size * qnorm(ppoints(300)) / 100)
    fit <- fit_returns(
      quietly(as_returns(x, given = "returns", kind = "log")), c("own", "normal"), test_draws = 0
    )
    expect_equal(fit$aic[1L], fit$aic[2L], tolerance = 1e-6)
  }
  # A small gain in the middle of the returns is no wrong sign.
  register_var_method("signed", function(r, level) -0.0001)
  middle <- suppressWarnings(measure_var(r[, 1L], level = 0.5, method = "signed"))
  expect_identical(middle$var, -1e-4)
  expect_true(all(c("student", "nig") %in% return_families()$name))
  expect_true(all(c("deviation", "garch") %in% volatility_methods()$name))
})

test_that("results in a knitted document are a table with their sentence, as data", {
  skip_if_not_installed("knitr")
  p <- demo_prices()[1:100, c("TARROW", "BAYALL")]
  odd <- quietly(as_prices(setNames(as.data.frame(p), c("date", "<b>|x", "BAYALL"))))
  shown <- knitr::knit_print(measure_volatility(odd))
  expect_match(shown, "| volatility |", fixed = TRUE)
  expect_match(shown, "moves most|stray", perl = TRUE)
  expect_match(shown, "*Basis:*", fixed = TRUE)
  expect_no_match(shown, "<b>|", fixed = TRUE)
  expect_match(shown, "&lt;b&gt;\\|x", fixed = TRUE)
  # Of every result, with the reading of its book.
  found <- answers_of_cases()
  for (name in names(found)) {
    expect_match(knitr::knit_print(found[[name]]), "| ---", fixed = TRUE, info = name)
  }
  expect_match(knitr::knit_print(found$return.of_book), "BOOK, as held then", fixed = TRUE)
  # Words are broken to the width that is drawn, progress is not shown.
  withr::local_options(imbroglio.figure_width = 7)
  narrow <- quietly(ggplot2::autoplot(measure_volatility(p, window = 20)))$labels
  expect_lte(max(nchar(strsplit(narrow$title, "\n")[[1L]])), 66)
  withr::local_options(imbroglio.figure_width = "wide")
  expect_error(ggplot2::autoplot(measure_volatility(p)), class = "imbroglio_error_argument")
  expect_false(imbroglio:::shows_progress())
  withr::local_options(imbroglio.figure_width = NULL, imbroglio.progress = TRUE)
  returns <- as_returns(p)
  shown <- quietly(list(
    backtest_var(returns, method = "garch", window = 60, refit = 20),
    measure_var(returns, method = "student"), fit_returns(returns, "normal", test_draws = 20)
  ))
  withr::local_options(imbroglio.progress = FALSE)
  expect_identical(as.data.frame(shown[[2L]]),
                   as.data.frame(quietly(measure_var(returns, method = "student"))))
})
