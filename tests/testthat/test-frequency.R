# A period is time, not a row: each security goes by its own dates.

weekdays_from <- function(from, n) {
  days <- as.Date(from) + seq_len(2 * n) - 1
  head(days[!as.POSIXlt(days)$wday %in% c(0, 6)], n)
}
walk <- function(n, seed = 1) {
  set.seed(seed)
  100 * exp(cumsum(rnorm(n, 0.0004, 0.01)))
}
# A daily index, a daily share and one that is priced on Wednesdays.
mixed_prices <- function() {
  days <- weekdays_from("2019-01-01", 1300)
  wednesday <- as.POSIXlt(days)$wday == 3
  fund <- walk(1300, 3)
  as_prices(data.frame(
    date = days,
    INDEXX = walk(1300),
    SHAREX = walk(1300, 2),
    FUNDXX = ifelse(wednesday, fund, NA)
  ))
}

test_that("a weekly security beside daily ones measures as it does alone, in weeks", {
  prices <- mixed_prices()
  wednesdays <- as_prices(as.data.frame(prices)[!is.na(prices$close[, "FUNDXX"]), ])
  measured <- list(
    function(p) measure_return(p, risk_free = 0.02),
    function(p) measure_return(p, window = 50, risk_free = 0.02),
    function(p) measure_volatility(p),
    function(p) measure_volatility(p, window = 30),
    function(p) measure_volatility(p, method = "ewma"),
    function(p) measure_drawdown(p),
    function(p) fit_garch(p),
    function(p) measure_var(p, horizon = 4, method = c("historical", "normal")),
    function(p) predict(fit_garch(p), 3),
    function(p) measure_summary(p),
    function(p) volatility_series(p),
    function(p) measure_beta(p, "INDEXX", risk_free = 0.02),
    function(p) measure_beta(p, "INDEXX", window = 30, risk_free = 0.02),
    function(p) measure_tracking(p, "INDEXX", total = FALSE),
    function(p) measure_tracking(p, "INDEXX", window = 30)
  )
  for (measure in measured) {
    beside <- suppressWarnings(measure(prices), classes = "imbroglio_warning_not_converged")
    alone <- suppressWarnings(measure(wednesdays), classes = "imbroglio_warning_not_converged")
    here <- beside$security == "FUNDXX"
    columns <- setdiff(names(alone), c("security", "window", "observed"))
    expect_equal(
      as.data.frame(beside)[here, columns],
      as.data.frame(alone)[alone$security == "FUNDXX", columns],
      tolerance = 1e-12,
      ignore_attr = TRUE,
      info = deparse(measure)
    )
    expect_identical(unique(beside$every[here]), "week")
    said <- in_words(beside)
    expect_false(any(grepl(" days?\\b|daily", said[grepl("^FUNDXX|with .* FUNDXX", said)])))
  }
  expect_equal(
    basis(measured[[3L]](prices))$choices[["periods a year"]],
    "252 (INDEXX, SHAREX), 52 (FUNDXX)"
  )
  # The numbers themselves, from base R.
  own <- diff(log(prices$close[!is.na(prices$close[, "FUNDXX"]), c("FUNDXX", "INDEXX")]))
  r <- as_returns(prices, kind = "log")
  expect_equal(
    measure_volatility(r)$volatility_annual[3],
    sd(own[, 1]) * sqrt(52),
    tolerance = 1e-12
  )
  expect_equal(
    measure_tracking(r, "INDEXX", total = FALSE)$tracking_error_annual[2],
    sd(own[, 1] - own[, 2]) * sqrt(52),
    tolerance = 1e-12
  )
  expect_identical(correlate_returns(prices, "pairwise")$every, c("day", "week", "week"))
  expect_identical(basis(correlate_returns(prices))$every, "week")
  expect_error(
    as_returns(prices, every = "day"),
    "FUNDXX is weekly",
    class = "imbroglio_error_argument"
  )
  expect_identical(
    unique(suppressMessages(as_returns(prices, every = "week"))$frequency$every),
    "week"
  )
})

test_that("a book of several frequencies is measured when all have a price, and says so", {
  prices <- mixed_prices()
  held <- c(SHAREX = 0.5, FUNDXX = 0.5)
  book <- as_portfolio(prices, held)
  expect_message(
    measured <- suppressMessages(
      measure_volatility(book),
      classes = "imbroglio_note_book_life"
    ),
    "valued on .* FUNDXX has a price: it is weekly",
    class = "imbroglio_note_frequency"
  )
  at <- which(!is.na(prices$close[, "FUNDXX"]))
  growth <- rowMeans(sweep(
    prices$close[at, names(held)],
    2,
    prices$close[at[1], names(held)],
    `/`
  ))
  expect_equal(
    measured$volatility_annual,
    sd(growth[-1] / growth[-length(growth)] - 1) * sqrt(52),
    tolerance = 1e-12
  )
  expect_message(
    drawn <- bootstrap_book(book, horizon = 10, draws = 500),
    "horizon, is a week",
    class = "imbroglio_note_frequency"
  )
  expect_match(in_words(drawn)[1], "in 10 weeks")
  expect_match(
    suppressMessages(in_words(split_var(as_portfolio(prices, held), horizon = 2)))[3],
    "in 2 weeks"
  )
  found <- check_prices(prices)
  expect_identical(found$finding[found$security %in% "FUNDXX"], "sparse")
  # Wednesdays and the ends of months seldom meet.
  days <- prices$dates
  month <- !duplicated(format(days, "%Y-%m"), fromLast = TRUE)
  seldom <- as_prices(data.frame(
    as.data.frame(prices)[c("date", "INDEXX", "FUNDXX")],
    MONTHX = ifelse(month, walk(1300, 5), NA)
  ))
  book <- as_portfolio(seldom, c(INDEXX = 0.4, FUNDXX = 0.3, MONTHX = 0.3))
  expect_match(basis(quietly(measure_var(book, 0.5)))$choices[["between"]], "monthly returns")
  monthly <- suppressMessages(as_portfolio(
    as_returns(seldom, every = "month"),
    c(INDEXX = 0.4, FUNDXX = 0.3, MONTHX = 0.3)
  ))
  expect_equal(measure_var(monthly, 0.5)$n, sum(month) - 2L)
})

test_that("dates that are of no usual frequency have periods a year of their own", {
  start <- as.Date("2015-01-02")
  cases <- list(
    list(days = start + 2 * 0:400, every = "period", own = TRUE),
    list(days = start + 0:900, every = "day", own = TRUE),
    list(days = start + 14 * 0:90, every = "fortnight", per_year = 26),
    list(
      days = seq(start, by = "6 months", length.out = 12),
      every = "half-year",
      per_year = 2
    ),
    list(days = start + 10 * 0:90, every = "period", own = TRUE),
    list(days = weekdays_from(start, 900), every = "day", per_year = 252),
    list(days = seq(start, by = "month", length.out = 30), every = "month", per_year = 12),
    list(days = start + 7 * 0:60, every = "week", per_year = 52),
    list(days = seq(start, by = "quarter", length.out = 12), every = "quarter", per_year = 4),
    list(days = seq(start, by = "year", length.out = 6), every = "year", per_year = 1),
    list(days = start + c(0, 3, 4, 5), every = "day", per_year = 252),
    list(days = c(start + 0:300, start + 1000 + 0:300), every = "day", own = 365.2425)
  )
  for (case in cases) {
    n <- length(case$days)
    wanted <- if (isTRUE(case$own)) {
      365.2425 / mean(diff(as.numeric(case$days)))
    } else {
      case$per_year %||% case$own
    }
    found <- suppressWarnings(measure_volatility(as_prices(data.frame(
      date = case$days,
      A = walk(n)
    ))))
    expect_identical(basis(found)$every, case$every)
    expect_equal(basis(found)$per_year, wanted, tolerance = 1e-12)
    expect_equal(found$volatility_annual, found$volatility * sqrt(wanted), tolerance = 1e-12)
    # What doubles in a year returns 100 % a year, on any calendar.
    twice <- case$days[case$days >= start &
      case$days <= seq(start, by = "year", length.out = 2)[2]]
    twice <- c(twice[twice < start + 365], as.Date("2016-01-02"))
    if (length(twice) < 3) next
    doubled <- measure_return(as_prices(data.frame(
      date = twice,
      A = seq(1, 2, length.out = length(twice))
    )))
    expect_equal(doubled$return_annual, 1, tolerance = 1e-12)
  }
  told <- function(days) {
    basis(measure_volatility(as_prices(data.frame(
      date = days,
      A = walk(length(days))
    ))))$choices
  }
  expect_equal(
    told(weekdays_from(start, 900))[["dates a year"]],
    "260.8, not 252: by them volatility a year is 1.7 % more"
  )
  expect_equal(told(start + 0:900)[["periods a year"]], "365.2 by their own dates")
  expect_false("dates a year" %in% names(told(start + 7 * 0:90)))
  expect_equal(
    measure_volatility(
      as_prices(data.frame(date = start + 0:99, A = walk(100))),
      per_year = 100
    )$volatility_annual,
    measure_volatility(as_prices(data.frame(date = start + 0:99, A = walk(100))))$volatility *
      10
  )
})

test_that("a few returns are not multiplied out in silence, and lead no ranking", {
  prices <- as_prices(data.frame(
    date = weekdays_from("2023-01-02", 300),
    LONGXX = walk(300),
    SHORTX = c(rep(NA, 295), 100, 110, 120, 130, 140)
  ))
  expect_warning(
    found <- measure_return(prices),
    "SHORTX has 4 returns over 4 days",
    class = "imbroglio_warning_short_sample"
  )
  expect_match(imbroglio:::headline(found), "^LONGXX returned [0-9.]+ % in all")
  other_first <- suppressWarnings(measure_return(prices[, c("SHORTX", "LONGXX")]))
  expect_match(imbroglio:::headline(other_first), "^LONGXX returned [0-9.]+ % in all")
  expect_identical(
    suppressWarnings(measure_summary(prices, sort_by = "return_annual"))$security,
    c("LONGXX", "SHORTX")
  )
})

test_that("a last period is finished when the table has no date to come in it", {
  monthly <- function(days, ...) {
    as_returns(as_prices(data.frame(date = days, A = walk(length(days)))), every = "month", ...)
  }
  days <- weekdays_from("2020-01-01", 1100)
  thursdays <- days[as.POSIXlt(days)$wday == 4]
  holiday <- days[!format(days, "%m-%d") %in% c("12-30", "12-31")]
  cases <- list(
    list(days = days[days <= as.Date("2023-06-30")], left_out = FALSE),
    list(days = days[days <= as.Date("2023-06-29")], left_out = TRUE),
    # Traded on Thursdays: 29 June is the last of the month.
    list(days = thursdays[thursdays <= as.Date("2023-06-29")], left_out = FALSE),
    list(days = thursdays[thursdays <= as.Date("2023-06-22")], left_out = TRUE),
    # Never a price on the last two days of a year.
    list(days = holiday[holiday <= as.Date("2022-12-29")], left_out = FALSE),
    list(days = days[days <= as.Date("2022-12-29")], left_out = TRUE),
    # Seven days a week.
    list(days = as.Date("2022-01-01") + 0:180, left_out = FALSE),
    list(days = as.Date("2022-01-01") + 0:179, left_out = TRUE)
  )
  for (case in cases) {
    said <- if (case$left_out) {
      expect_message(r <- monthly(case$days), class = "imbroglio_note_unfinished")
    } else {
      expect_no_message(r <- monthly(case$days))
    }
    months <- length(unique(format(case$days, "%Y-%m")))
    expect_identical(nrow(r), months - 1L - case$left_out)
    expect_no_message(kept <- monthly(case$days, keep_unfinished = TRUE))
    expect_identical(nrow(kept), months - 1L)
  }
  file <- written(
    "date,A",
    paste(
      days[days <= as.Date("2023-06-29")],
      round(walk(sum(days <= as.Date("2023-06-29"))), 2),
      sep = ","
    )
  )
  rows <- function(...) {
    length(imbroglio("returns", file, "--every", "month", "--format", "csv", ...)$out)
  }
  expect_identical(rows("--keep-unfinished") - rows(), 1L)
})
