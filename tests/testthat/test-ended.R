# What stops, and what is old: a book that ends before its others says so before any number, and
# nothing is within a limit that cannot be measured as of now.

stopped <- function(last = 20L) {
  set.seed(11)
  n <- 300L
  days <- seq(as.Date("2023-01-02"), by = "day", length.out = 2 * n)
  days <- head(days[!as.POSIXlt(days)$wday %in% c(0, 6)], n)
  p <- 100 * exp(apply(matrix(rnorm(3 * n, 0, 0.004), n), 2, cumsum))
  fall <- (n - last + 1):n
  p[fall, 1:2] <- p[rep(n - last, last), 1:2] * 0.97^seq_len(last)
  p[fall, 3] <- NA
  as_prices(`dimnames<-`(p, list(format(days), c("ONE", "TWO", "STOP"))), dates = days)
}

test_that("a holding that stops ends the book aloud, and the ways on lead on", {
  prices <- stopped()
  last <- prices$dates[280]
  shares <- c(ONE = 10, TWO = 10, STOP = 10)
  expect_warning(
    book <- as_portfolio(prices, shares = shares), "STOP has no price after .* .20 trading days.",
    class = "imbroglio_warning_ended"
  )
  words <- quietly(list(
    in_words(measure_var(book)), in_words(measure_drawdown(book)), in_words(split_var(book)),
    in_words(replay(book, worst = 1)), headline = imbroglio:::headline(measure_volatility(book)),
    in_words(measure_summary(book)), in_words(worst_periods(book, worst = 1))
  ))
  for (said in unlist(words)) {
    expect_match(said, sprintf("^Up to %s only, the last price of STOP: ", last))
  }
  limits <- data.frame(
    of = c("book", "book", "each", "ONE"), measure = c("fall", "var", "volatility", "weight"),
    limit = c("10%", "20%", "200%", "90%")
  )
  json <- jsonlite::fromJSON(imbroglio:::as_json(quietly(measure_var(book))))
  expect_equal(json$basis$choices[["ends early"]], sprintf("%s, the last price of STOP", last))
  found <- quietly(check_limits(book, limits, window = 50, today = max(prices$dates)))
  state <- stats::setNames(found$state, paste(found$security, found$measure))
  unknown <- c("BOOK fall", "BOOK var", "STOP volatility", "ONE weight")
  expect_equal(unname(state[unknown]), rep("not measurable", 4))
  expect_equal(unname(state[c("ONE volatility", "TWO volatility")]), c("within", "within"))
  expect_match(imbroglio:::headline(found), "4 are not to be known")

  # Carried: the value of the book by hand.
  carried <- expect_no_warning(as_portfolio(prices, shares = shares, carried = "STOP"))
  p <- prices$close
  p[281:300, "STOP"] <- p[280, "STOP"]
  by_hand <- rowSums(10 * p)
  expect_equal(
    min(drawdown_series(carried)$drawdown), min(by_hand / cummax(by_hand) - 1), tolerance = 1e-12
  )
  expect_equal(max(as_returns(carried)$dates), max(prices$dates))
  about <- format(basis(measure_var(carried)))
  expect_match(about, "last price of STOP, of .* carried over 20 dates")
  over <- quietly(check_limits(carried, limits, window = 50))
  expect_equal(over$state[over$security == "BOOK" & over$measure == "fall"], "broken")
  # A stand-in: its returns from the last price on.
  stood <- as_portfolio(prices, shares = shares, stand_ins = c(STOP = "ONE"))
  p[281:300, "STOP"] <- p[280, "STOP"] * p[281:300, "ONE"] / p[280, "ONE"]
  expect_equal(
    measure_return(stood)$total_return,
    sum(p[300, ]) / sum(p[1, ]) - 1,
    tolerance = 1e-12
  )
  # One day late is late; a fund that is priced on Wednesdays is not.
  expect_warning(as_portfolio(stopped(1L), shares = shares), "1 trading day")
  weekly <- stopped(1L)
  close <- weekly$close
  close[as.POSIXlt(weekly$dates)$wday != 3, "STOP"] <- NA
  weekly <- as_prices(close, dates = weekly$dates)
  said <- told_of(as_portfolio(weekly, shares = shares))$told
  expect_false("imbroglio_warning_ended" %in% said)
  # Nor where another stands in for it before it came, and no day of the other is added to it.
  close[1:100, "STOP"] <- NA
  late <- as_prices(close, dates = weekly$dates)
  stood <- told_of(as_portfolio(
    late, shares = shares, stand_ins = c(STOP = "ONE"), between = "priced"
  ))
  expect_false("imbroglio_warning_ended" %in% stood$told)
  last <- max(which(!is.na(close[, "STOP"])))
  expect_equal(max(quietly(as_returns(stood$value))$dates), weekly$dates[last])
})

test_that("a book of a weekly fund counts each share at its last price, not at last week's", {
  set.seed(5)
  days <- as.Date("2022-01-03") + 0:500
  days <- days[!as.POSIXlt(days)$wday %in% c(0, 6)]
  p <- 100 * exp(apply(matrix(rnorm(2 * length(days), 0, 0.01), ncol = 2), 2, cumsum))
  wednesday <- as.POSIXlt(days)$wday == 3
  p[!wednesday, 2] <- NA
  # No price of the share on every third of the fund's days.
  p[which(wednesday)[c(FALSE, FALSE, TRUE)], 1] <- NA
  prices <- as_prices(`dimnames<-`(p, list(format(days), c("SHARE", "FUND"))), dates = days)
  book <- quietly(as_portfolio(prices, shares = c(SHARE = 1, FUND = 1)))
  got <- quietly(as_returns(book))
  filled <- p[, 1]
  for (i in seq_along(filled)[-1]) if (is.na(filled[i])) filled[i] <- filled[i - 1]
  value <- (filled + p[, 2])[wednesday]
  expect_equal(unname(got$values[, 1]), diff(value) / head(value, -1), tolerance = 1e-12)
})

test_that("the age of the last price is counted by the table's own calendar, too old is told", {
  prices <- read_prices(demo_file("bay.csv"))
  # 2026-01-01 is a holiday of the table; the 3rd and 4th are a weekend.
  ages <- c(
    "2025-12-31" = 0L, "2026-01-01" = 0L, "2026-01-02" = 1L, "2026-01-05" = 2L,
    "2026-01-07" = 4L
  )
  for (day in names(ages)) {
    found <- suppressWarnings(check_prices(prices, today = day, stale = 1))
    expect_match(
      basis(found)$choices[["last price"]], sprintf("^2025-12-31, %d trading day", ages[[day]])
    )
    expect_equal(any(found$finding == "old"), ages[[day]] > 1L, info = day)
  }
  expect_false(any(check_prices(prices, today = "2026-06-01")$finding == "old"))
  # A date that has not come yet hides no age.
  slip <- data.frame(date = as.Date(c("2024-01-08", "2024-01-09", "2099-01-10")), A = 1:3)
  expect_match(
    basis(check_prices(slip, today = "2024-01-12"))$choices[["last price"]],
    "^2024-01-09, 3 trading days before 2024-01-12"
  )
  limits <- data.frame(of = "each", measure = "volatility", limit = "300%")
  late <- check_limits(prices[, "BAYALL"], limits, today = "2026-01-07", stale = 1)
  expect_equal(late$state, "not measurable")
  # As a command: what a scheduler sees.
  file <- written("of,measure,limit", "BAYALL,volatility,300%")
  ran <- function(...) imbroglio("limits", demo_file("bay.csv"), "--limits", file, ...)
  expect_equal(ran("--security", "BAYALL", "--today", "2026-01-02", "--stale", "1")$status, 0L)
  old <- ran("--security", "BAYALL", "--today", "2026-01-07", "--stale", "1", "--quiet")
  expect_equal(old$status, 5L)
  expect_match(old$err, "4 trading days before 2026-01-07; no more than 1 is asked for")
})

test_that("limits that cannot be meant are refused, with the line", {
  book <- as_portfolio(stock_prices(), weights = c(NORTH = 0.5, ISLES = 0.5))
  refused <- list(
    "late warning" = c("book,var,4%,3%", "beyond its limit"),
    "early warning" = c("book,sharpe,0.2,0.5", "beyond its limit"),
    "negative" = c("book,var,,-2%", "below 0"),
    "both ways" = c("book,var,,0.5", "Write 0.5%, or 50%"),
    "endless" = c("book,beta,,1e999", "more than a number can hold")
  )
  for (name in names(refused)) {
    file <- written("of,measure,warn,limit", refused[[name]][1])
    expect_error(
      check_limits(book, file, benchmark = "ALPINE"), refused[[name]][2],
      class = "imbroglio_error_limits", info = name
    )
  }
  twice <- written("of,measure,limit", "book,var,3%", "BOOK,var,4%")
  expect_error(check_limits(book, twice), "As book and BOOK", class = "imbroglio_error_limits")
  # A warning begins at its level, and a limit holds at its own.
  weight <- data.frame(of = "NORTH", measure = "weight", warn = "50%", limit = "60%")
  expect_equal(check_limits(book, weight)$state, "near")
  expect_equal(check_limits(book, transform(weight, warn = NA, limit = "50%"))$state, "within")
  bare <- data.frame(of = "NORTH", measure = "weight", limit = "0.6")
  expect_message(check_limits(book, bare), "0.6 is 60 %")
})
