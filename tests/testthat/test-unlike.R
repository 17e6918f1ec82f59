# A book of unlike things: holdings of days, weeks and months, currencies, shorts, times of limits,
# what each holding added; against base R.

days_of_book <- function(n, seed = 3) {
  days <- as.Date("2021-01-04") + 0:(2 * n)
  days[as.POSIXlt(days)$wday %in% 1:5][seq_len(n)]
}

# INDEX and SHARE every day, FUND on Wednesdays, MONTH at the ends of months; `whole`: every day.
unlike_prices <- function(n = 700, seed = 3) {
  set.seed(seed)
  days <- days_of_book(n)
  index <- rnorm(n, 2e-4, 0.01)
  path <- function(r) 100 * exp(cumsum(r))
  whole <- data.frame(
    date = days, INDEX = path(index), SHARE = path(0.9 * index + rnorm(n, 0, 0.006)),
    FUND = path(0.6 * index + rnorm(n, 0, 0.005)), MONTH = path(0.4 * index + rnorm(n, 0, 0.003))
  )
  seen <- whole
  seen$FUND[as.POSIXlt(days)$wday != 3] <- NA
  seen$MONTH[duplicated(format(days, "%Y-%m"), fromLast = TRUE)] <- NA
  list(whole = as_prices(whole), seen = as_prices(seen), table = seen, days = days)
}

unlike_weights <- c(SHARE = 0.6, FUND = 0.25, MONTH = 0.15)

test_that("between its prices a fund is bridged: its own returns come back, its days move", {
  made <- unlike_prices(2600)
  book <- quietly(as_portfolio(made$seen, unlike_weights, benchmark = "INDEX", bridges = 3))
  expect_match(basis(quietly(measure_volatility(book)))$choices[["between"]], paste0(
    "FUND \\(weekly, 25.0 % of the book\\) bridged by INDEX, beta 0.[56].* on [0-9]+ returns .*",
    "MONTH \\(monthly, 15.0 % .* drawn 3 times, seed 1$"
  ))
  close <- as.matrix(made$seen)
  for (number in 1:3) {
    drawn <- as.matrix(imbroglio:::drawing_of(book, number)$returns$prices)
    for (fund in c("FUND", "MONTH")) {
      own <- which(!is.na(close[, fund]))
      expect_equal(drawn[own, fund], close[own, fund], tolerance = 1e-14)
      r <- diff(log(drawn[own[1]:nrow(drawn), fund]))
      true <- diff(log(as.matrix(made$whole)[, fund]))
      expect_equal(sd(r) / sd(true), 1, tolerance = 0.08)
      # Neither a stale price nor an even spread moves as much.
      even <- rep(diff(log(close[own, fund])) / diff(own), diff(own))
      expect_gt(sd(r), 1.1 * sd(even))
    }
  }
  truth <- quietly(as_portfolio(made$whole, unlike_weights))
  for (f in list(measure_volatility, measure_var)) {
    column <- if (identical(f, measure_var)) "var" else "volatility_annual"
    expect_equal(quietly(f(book))[[column]] / quietly(f(truth))[[column]], 1, tolerance = 0.06)
  }
  # Same seed, same numbers; another seed, others.
  again <- quietly(as_portfolio(made$seen, unlike_weights, benchmark = "INDEX", bridges = 3))
  expect_identical(quietly(measure_var(again))$var, quietly(measure_var(book))$var)
  other <- quietly(as_portfolio(made$seen, unlike_weights, benchmark = "INDEX", seed = 2))
  expect_false(quietly(measure_var(other))$var == quietly(measure_var(book))$var)
})

test_that("each way is said first, and what it costs", {
  made <- unlike_prices()
  ways <- list(
    bridged = "^34 % of the book's returns are made", carried = "^With the last price of FUND",
    priced = "^By the month, as FUND and MONTH are priced: "
  )
  for (way in names(ways)) {
    said <- told_of(as_portfolio(made$seen, unlike_weights, between = way))
    book <- said$value
    expect_equal("imbroglio_warning_frequency" %in% said$told, way == "priced")
    expect_match(in_words(quietly(measure_var(book))), ways[[way]])
    every <- if (way == "priced") "month" else "day"
    expect_equal(unname(basis(quietly(measure_var(book)))$every), every)
  }
  expect_match(book$between$words, "32 monthly returns")
  # By the ends of months, of the others the last price in each: as base R has it.
  p <- zoo::na.locf(zoo::zoo(as.matrix(made$table[-1]), made$days))
  ends <- !is.na(made$table$MONTH)
  r <- diff(zoo::coredata(p)[ends, names(unlike_weights)])
  r <- r / head(zoo::coredata(p)[ends, names(unlike_weights)], -1)
  expect_equal(
    quietly(measure_var(book, 0.9, method = "normal-relative"))$var,
    -qnorm(0.1) * sd(r %*% unlike_weights),
    tolerance = 1e-10
  )
  # Carried, as base R carries.
  carried <- quietly(as_portfolio(made$seen, unlike_weights, between = "carried"))
  full <- zoo::coredata(p)[complete.cases(zoo::coredata(p)), names(unlike_weights)]
  moved <- diff(full) / head(full, -1)
  expect_equal(
    quietly(measure_var(carried, method = "normal-relative"))$var,
    -qnorm(0.01) * sd(moved %*% unlike_weights),
    tolerance = 1e-10
  )
  expect_match(carried$between$words[1], "^last prices of FUND .* % of it is hidden$")
  # Mostly of months it is left as it is priced; too short a fund is not bridged.
  mostly <- quietly(as_portfolio(made$seen, c(SHARE = 0.3, MONTH = 0.7)))
  expect_equal(mostly$between$way, "priced")
  expect_error(
    quietly(as_portfolio(made$seen[1:120, ], c(SHARE = 0.8, MONTH = 0.2), between = "bridged")),
    class = "imbroglio_error_too_short"
  )
  expect_message(as_portfolio(made$seen, c(SHARE = 1), between = "bridged"), "nothing between")
})

test_that("every measure of a drawn book is the mean over the drawings, with Rubin's error", {
  made <- unlike_prices()
  book <- quietly(as_portfolio(
    made$seen, unlike_weights, benchmark = "INDEX", bridges = 3, value = 1e5
  ))
  measures <- list(
    measure_volatility, measure_return, measure_downside, measure_ratios, measure_drawdown,
    measure_var, measure_concentration, split_volatility, split_var,
    function(b) measure_var(b, method = c("normal", "student"), horizon = "2 weeks"),
    function(b) measure_beta(b, "INDEX"), function(b) measure_tracking(b, "INDEX", total = FALSE),
    function(b) measure_capture(b, "INDEX"), function(b) measure_summary(b, "INDEX"),
    function(b) roll_measures(b, c("volatility", "es"), window = 100),
    function(b) compare_measures(b, at = "2022-06-01", draws = 100),
    function(b) bootstrap_book(b, draws = 500, horizon = 3),
    function(b) shock_book(b, c(INDEX = -0.1)),
    function(b) measure_autocorrelation(b, c(1, 4))
  )
  for (f in measures) {
    whole <- quietly(f(book))
    each <- lapply(1:3, function(i) as.data.frame(quietly(f(imbroglio:::drawing_of(book, i)))))
    expect_s3_class(whole, "imbroglio_drawn")
    key <- intersect(c("security", "method", "measure", "to", "lag"), names(whole))
    key_of <- function(table) do.call(paste, lapply(key, function(k) format(table[[k]])))
    each <- lapply(each, function(one) one[match(key_of(whole), key_of(one)), ])
    for (column in names(whole)) {
      values <- lapply(each, `[[`, column)
      if (!is.double(values[[1]]) || inherits(values[[1]], "Date")) next
      if (grepl("(_|^)(error|low|high)$|(_|^)p$", column) && column != "tracking_error") next
      if (column %in% c("position", "worse", "milder")) next
      expect_equal(whole[[column]], Reduce(`+`, values) / 3, tolerance = 1e-12)
    }
  }
  var <- quietly(measure_var(book, method = "normal"))
  each <- do.call(rbind, lapply(1:3, function(i) {
    as.data.frame(quietly(measure_var(imbroglio:::drawing_of(book, i), method = "normal")))
  }))
  expect_equal(
    var$var_error, sqrt(mean(each$var_error^2) + 4 / 3 * var(each$var)), tolerance = 1e-12
  )
  # Each number of the row shows its working, of some rows here, of all where all is tested.
  for (f in measures[seq(1, length(measures), by = thorough(4L, 1L))]) {
    whole <- quietly(f(book))
    working <- quietly(show_working(whole[nrow(whole), ], number = "all"))
    values <- attr(working, "values")
    for (name in intersect(names(values), names(whole))) {
      got <- as.numeric(values[[name]])[1]
      wanted <- as.numeric(whole[[name]][nrow(whole)])
      expect_lte(abs(got - wanted), 1e-9 * max(1, abs(wanted)))
    }
  }
  # What lists days is of the first, and says so.
  for (f in list(worst_periods, replay, backtest_var, function(b) drawdown_episodes(b, 2))) {
    expect_message(found <- suppressWarnings(f(book)), "first of 3 drawings")
    expect_match(basis(found)$choices[["between"]], "this is of the first$")
  }
})

test_that("two series of unlike frequency are compared over the periods of the coarser one", {
  made <- unlike_prices()
  own <- function(name) which(!is.na(made$table[[name]]))
  ends <- own("MONTH")
  weekly <- own("FUND")
  at <- findInterval(ends, weekly)
  inside <- at > 0 & weekly[pmax(at, 1)] > c(0, head(ends, -1))
  x <- made$table$FUND[weekly[at[inside]]]
  y <- made$table$MONTH[ends[inside]]
  r <- data.frame(x = diff(x) / head(x, -1), y = diff(y) / head(y, -1))
  both <- made$seen[, c("MONTH", "FUND")]
  expect_message(found <- measure_beta(both, "FUND"), "over the monthly periods of MONTH")
  expect_equal(found$beta, unname(coef(lm(y ~ x, r))[2]), tolerance = 1e-10)
  expect_equal(found$n, nrow(r))
  expect_equal(
    quietly(correlate_returns(both))$correlation, cor(r$x, r$y), tolerance = 1e-10
  )
  te <- quietly(measure_tracking(both, "FUND", total = FALSE))
  expect_equal(te$tracking_error, sd(r$y - r$x), tolerance = 1e-10)
  expect_lt(abs(attr(show_working(te), "difference")), 1e-12)
  # Among others each on its own periods, and one table of all.
  all_of <- quietly(measure_beta(made$seen, "FUND"))
  expect_equal(all_of$beta[all_of$security == "MONTH"], found$beta, tolerance = 1e-12)
  for (i in 1:3) expect_lt(abs(attr(show_working(all_of[i, ]), "difference")), 1e-10)
  # A matrix has all of them, and of two benchmarks neither sees the other's dates.
  matrix_of <- quietly(measure_beta(made$seen, "FUND", window = 20, as = "matrix"))
  expect_setequal(colnames(matrix_of), c("INDEX", "SHARE", "MONTH"))
  expect_equal(
    max(matrix_of[, "MONTH"], na.rm = TRUE),
    max(quietly(measure_beta(both, "FUND", window = 20))$beta, na.rm = TRUE)
  )
  two <- quietly(measure_beta(made$seen[, c("FUND", "MONTH", "INDEX")], c("MONTH", "INDEX")))
  alone <- vapply(c("MONTH", "INDEX"), function(b) {
    quietly(measure_beta(made$seen[, c("FUND", b)], b))$beta
  }, 0)
  expect_equal(two$beta, unname(alone), tolerance = 1e-12)
  expect_warning(
    suppressMessages(correlate_returns(made$seen, on = "pairwise")), "few dates together"
  )
})

test_that("a horizon is time, in the periods of what is measured, or refused", {
  daily <- as_returns(unlike_prices()$whole[, "INDEX"])
  weekly <- quietly(as_returns(unlike_prices()$whole[, "INDEX"], every = "week"))
  cases <- list(
    list(daily, "10 days", 10), list(daily, "2 weeks", 10), list(daily, "1 month", 21),
    list(daily, "3", 3), list(weekly, "2 weeks", 2), list(weekly, "10 days", 2),
    list(weekly, "1 month", 4), list(weekly, "quarter", 13)
  )
  for (case in cases) {
    expect_equal(quietly(measure_var(case[[1]], horizon = case[[2]]))$horizon, case[[3]])
  }
  expect_equal(
    basis(quietly(measure_var(weekly, horizon = "10 days")))$choices[["horizon asked"]],
    "10 days: 2 weeks"
  )
  for (wrong in c("3 days", "8 days", "soon", "0 days")) {
    expect_error(quietly(measure_var(weekly, horizon = wrong)), class = "imbroglio_error_argument")
  }
  expect_message(measure_var(weekly, horizon = 10), "A horizon of 10 is 10 weeks")
})

test_that("a limit is judged in its own time: of 1 and 10 days, in money, never by weeks", {
  book <- demo_unlike()
  limits <- data.frame(
    of = c("book", "book", "book", "EBBING", "book", "book"),
    measure = c("var", "var", "es", "var", "loss", "volatility"),
    horizon = c(NA, "10 days", "2 weeks", "1 day", NA, NA),
    level = c(NA, "95%", NA, "95%", NA, NA), window = c(NA, 500, NA, NA, NA, 100),
    period = c(NA, NA, NA, NA, "5 days", NA),
    limit = c("1%", "2%", "90%", "1%", "100 HBC", "1%")
  )
  found <- quietly(check_limits(book, limits, today = "2026-01-02"))
  at <- function(i) {
    found[found$measure == limits$measure[i] & found$security ==
      c("BOOK", "EBBING short")[1 + (limits$of[i] == "EBBING")] &
      (is.na(limits$horizon[i]) | found$horizon %in% limits$horizon[i]) &
      (!is.na(limits$horizon[i]) | found$horizon %in% c(NA, "1 day")), ]
  }
  # By hand, of each drawing.
  tail_of <- function(x, level, k = round(length(x) * (1 - level))) -sort(x)[k]
  drawn <- lapply(1:5, function(i) {
    one <- imbroglio:::drawing_of(book, i)$returns
    r <- imbroglio:::returns_together(one, book$security)$r
    as.vector(r %*% book$weights)
  })
  mean_of <- function(f) mean(vapply(drawn, f, 0))
  expect_equal(
    at(1)$estimate, mean_of(function(R) tail_of(tail(R, 250), 0.99, 3)), tolerance = 1e-10
  )
  expect_equal(
    at(2)$estimate, mean_of(function(R) tail_of(tail(R, 500), 0.95)) * sqrt(10), tolerance = 1e-10
  )
  expect_equal(
    at(3)$estimate, mean_of(function(R) mean(-head(sort(tail(R, 250)), 3))) * sqrt(10),
    tolerance = 1e-10
  )
  p <- as.matrix(priced_of(book)$prices)[, "EBBING"]
  short <- unname(-diff(p) / head(p, -1))
  expect_equal(at(4)$estimate, tail_of(tail(short, 250), 0.95, 13), tolerance = 1e-10)
  added <- quietly(split_return(book, over = "5 days"))
  expect_equal(at(5)$estimate, -added$component_value[nrow(added)], tolerance = 1e-9)
  for (i in seq_len(nrow(found))) {
    off <- attr(quietly(show_working(found[i, ])), "difference")
    expect_lt(abs(off), 1e-9 * max(1, abs(found$estimate[i])))
  }
  # The text shows each of them, and what it was before is found by all that tells them apart.
  again <- quietly(check_limits(book, limits, today = "2026-01-02", before = written(
    imbroglio:::as_csv(as.data.frame(found))
  )))
  expect_equal(again$was, again$state)
  labels <- imbroglio:::working_labels(lapply(seq_len(nrow(found)), function(i) {
    quietly(show_working(found[i, ]))
  }))
  expect_false(anyDuplicated(labels) > 0 || any(grepl("NA", labels)))
  lines <- grep("^(BOOK|EBBING)", imbroglio:::measure_text(found), value = TRUE)
  expect_length(lines, nrow(found))
  # Each of the trades brings it within, measured again.
  broken <- at(1)
  expect_match(broken$trade, "^sell .* HBC\\), or all in proportion by .*, into cash$")
  weeks <- demo_unlike(between = "priced")
  wrong <- data.frame(of = "book", measure = "var", limit = "2%")
  expect_error(quietly(check_limits(weeks, wrong)), "bridged", class = "imbroglio_error_limits")
  lines <- list(
    list("book,beta,1 day,0.5", "of,measure,horizon,limit"),
    list("book,var,soon,5%", "of,measure,horizon,limit"),
    list("book,var,nrml,5%", "of,measure,method,limit"),
    list("book,var,1.5,5%", "of,measure,level,limit"),
    list("book,beta,5 EUR", "of,measure,limit"), list("book,var,5 EUR", "of,measure,limit")
  )
  for (line in lines) {
    expect_error(
      quietly(check_limits(book, written(line[[2]], line[[1]]), benchmark = "BAYALL")),
      class = "imbroglio_error_limits"
    )
  }
})

test_that("a currency that is stated is used: by a column of prices, of holdings, of cash", {
  days <- days_of_book(300)
  set.seed(8)
  p <- lapply(c(A = 50, B = 20), function(x) round(x * exp(cumsum(rnorm(300, 0, 0.01))), 4))
  rate <- round(0.9 * exp(cumsum(rnorm(300, 0, 0.004))), 5)
  cell <- function(name, unit) paste(days, name, unit, p[[name]], sep = ",")
  long <- written("Date,Symbol,Ccy,Close", cell("A", "EUR"), cell("B", "USD"))
  wide <- written("date,A,B", paste(days, p$A, p$B, sep = ","))
  rates <- written("date,USD", paste(days, rate, sep = ",")[-c(10, 11)])
  held <- written(
    "Security,Shares,Ccy", "A,100,EUR", "B,-50,USD", "cash,1000,EUR", "cash,500,USD"
  )
  expect_equal(quietly(read_prices(long))$about$currency, c("EUR", "USD"))
  for (file in c(long, wide)) {
    refused <- imbroglio("var", file, "--holdings", held)
    expect_equal(refused$status, 3L)
    expect_match(refused$err, "--rates FILE --base NAME", fixed = TRUE)
    said <- jsonlite::fromJSON(imbroglio(
      "var", file, "--holdings", held, "--base", "EUR", "--rates", rates, "--carry", "2",
      "--format", "json", "--quiet"
    )$out)
    carried <- replace(rate, 10:11, rate[9])
    worth <- c(100, -50, 500) * c(p$A[300], p$B[300] * rate[300], rate[300])
    held_prices <- cbind(p$A, p$B * carried, carried)
    R <- (held_prices[-1, ] / held_prices[-300, ] - 1) %*% (worth / (sum(worth) + 1000))
    expect_equal(said$results$var, -sort(R)[3], tolerance = 1e-10)
    expect_equal(said$results$var_value, -sort(R)[3] * (sum(worth) + 1000), tolerance = 1e-10)
    expect_equal(
      said$basis$choices$currency, "EUR: B and cash in USD from USD, its rate carried over 2 dates"
    )
    expect_length(said$basis$repairs, 0)
    expect_equal(said$basis$currency, "EUR")
  }
  text <- imbroglio("var", long, "--holdings", held, "--base", "EUR", "--rates", rates)$out
  expect_match(paste(text, collapse = " "), "VaR, EUR .* In EUR: no more than")
  expect_error(
    quietly(as_portfolio(read_prices(long), holdings = written("security,shares,ccy", "A,1,GBP"))),
    "GBP by the holdings, in EUR by its prices", class = "imbroglio_error_currency"
  )
  # Codes beside numbers are a currency too, and a holding that says none is named.
  half <- written("date,A,B", paste0(days, ",USD ", p$A, ",", p$B))
  expect_message(
    as_portfolio(quietly(read_prices(half)), shares = c(A = 1, B = 1)),
    "B says no currency: taken as USD"
  )
  twice <- written("Date,Symbol,Ccy,Close", cell("A", "EUR"), "2030-01-01,A,USD,4")
  expect_error(quietly(read_prices(twice)), class = "imbroglio_error_currency")
})

test_that("a nearly neutral book is in money, and its percentages are refused", {
  prices <- stock_prices()
  v <- c(NORTH = 1e5, ALPINE = -98000)
  expect_message(book <- as_portfolio(prices, values = v), "nearly neutral")
  r <- stocks()[-1, names(v)] / stocks()[-1860, names(v)] - 1
  expect_equal(measure_var(book)$var, -sort(r %*% v)[19], tolerance = 1e-10)
  for (f in list(split_var, split_volatility, replay, measure_summary, bootstrap_book)) {
    expect_error(f(book), class = "imbroglio_error_neutral")
  }
  expect_error(as_portfolio(prices, weights = c(NORTH = 50, ALPINE = -49)), "nearly neutral")
  limit <- function(x) {
    quietly(check_limits(book, data.frame(of = "book", measure = "var", limit = x)))
  }
  expect_error(limit("3%"), class = "imbroglio_error_neutral")
  expect_equal(limit("1 money")$estimate, -sort(tail(r, 250) %*% v)[3], tolerance = 1e-10)
})

test_that("returns are doubted by their size, and gathered by a longer period", {
  days <- days_of_book(300)
  set.seed(4)
  bond <- data.frame(date = days, BOND = round(rnorm(300, 0.01, 0.15), 2))
  expect_warning(as_returns(bond, given = "returns"), class = "imbroglio_warning_large_returns")
  bond$BOND <- bond$BOND * 20
  expect_error(
    as_returns(bond, given = "returns"), "percent sign", class = "imbroglio_error_return"
  )
  r <- data.frame(date = days, A = rnorm(300, 0, 0.01))
  month <- format(days, "%Y-%m")
  ends <- head(unique(month), -1)
  taken <- function(given) quietly(as_returns(r, given = given, every = "month"))
  whole <- tapply(r$A, month, function(x) prod(1 + x) - 1)[ends]
  expect_equal(taken("returns")$values[, 1], as.vector(whole), tolerance = 1e-12)
  expect_equal(
    taken("profits")$values[, 1], as.vector(tapply(r$A, month, sum)[ends]), tolerance = 1e-12
  )
  expect_error(
    as_returns(data.frame(date = as.Date("2020-01-31") + 30 * 0:20, A = 0.01), given = "returns",
               every = "day"),
    class = "imbroglio_error_argument"
  )
})

test_that("what each holding added is to the cent, adds up, and follows trades and rates", {
  book <- demo_unlike()
  close <- as.matrix(priced_of(book)$prices)
  close <- zoo::na.locf(close[, book$security], na.rm = FALSE)
  n <- nrow(close)
  found <- quietly(split_return(book, over = c("day", "10 days", "year to date")))
  whole <- found$security == "BOOK"
  for (span in list(list("day", n - 1), list("10 days", n - 10))) {
    own <- found[found$over == span[[1]] & !whole & found$security != "cash", ]
    wanted <- book$shares * (close[n, ] - close[span[[2]], ])
    expect_equal(own$component_value, unname(wanted[own$security]), tolerance = 1e-10)
    expect_equal(own$component_value, own$local_value + own$rate_value, tolerance = 1e-12)
  }
  # Of 250 days, each alone.
  dates <- tail(rownames(close), 251)
  off <- vapply(seq_len(thorough(60L, 250L)), function(i) {
    one <- quietly(split_return(book, from = dates[i], to = dates[i + 1]))
    k <- nrow(one)
    abs(sum(one$component[-k]) - one$component[k])
  }, 0)
  expect_lt(max(off), 1e-12)
  by <- quietly(split_return(book, over = "month", by = "currency"))
  expect_equal(sum(by$component_value[1:2]), by$component_value[3], tolerance = 1e-10)
  for (result in list(found[1, ], found[whole, ][2, ], by[1, ])) {
    for (number in c("component", "component_value", "rate_value")) {
      shown <- quietly(show_working(result, number = number))
      expect_lt(abs(attr(shown, "difference")), 1e-8)
    }
  }
  expect_match(in_words(found)[whole][1], "^On 2025-12-31 BOOK, .* earned 1,793 HBC \\(0.22 %")
  # Rebalanced weights, and holdings by date, by hand.
  prices <- stock_prices()
  w <- c(NORTH = 0.6, ALPINE = 0.4)
  monthly <- as_portfolio(prices, weights = w, rebalance = "month", value = 1e6)
  parts <- split_return(monthly, over = "year to date")
  expect_equal(sum(parts$component[1:2]), parts$component[3], tolerance = 1e-12)
  d <- format(tail(prices$dates, 3))
  held <- data.frame(
    date = d[c(1, 1, 2, 2, 2)], security = c("NORTH", "cash", "NORTH", "ALPINE", "cash"),
    shares = c(10, 100, 5, 7, 50)
  )
  p <- tail(stocks(), 3)
  traded <- split_return(monthly, from = d[1], to = d[3], holdings = held)
  expect_equal(
    traded$component_value[match(c("NORTH", "ALPINE"), traded$security)],
    unname(c(10 * (p[2, "NORTH"] - p[1, "NORTH"]) + 5 * (p[3, "NORTH"] - p[2, "NORTH"]),
             7 * (p[3, "ALPINE"] - p[2, "ALPINE"]))),
    tolerance = 1e-10
  )
  flow <- -50 - 5 * p[2, "NORTH"] + 7 * p[2, "ALPINE"]
  expect_match(basis(traded)$choices[["from outside"]], sprintf(
    "^%s at the close of 1 date", format(round(flow, 2), big.mark = ",", nsmall = 2)
  ))
})

test_that("the demo's book goes through the commands, and each says what was made", {
  files <- demo_file(c("bay.csv", "bay-fund.csv", "bay-kelp.csv", "bay-tinmoor.csv.gz"))
  book <- c(
    "--holdings", demo_file("bay-unlike.csv"), "--base", "HBC", "--rates",
    demo_file("bay-rates.csv.gz"), "--carry", "3", "--currencies", "BAYALL=HBC", "--bridges", "2"
  )
  lines <- list(
    "var", c("var", "--split"), "volatility", c("volatility", "--split"),
    c("returns", "--measured"), c("beta", "--benchmark", "BAYALL"),
    c("returns", "--split", "--workbook", tempfile(fileext = ".xlsx")),
    "drawdown", "downside", "ratios",
    c("tracking", "--benchmark", "BAYALL"), c("capture", "--benchmark", "BAYALL"), "concentration",
    c("worst", "--benchmark", "BAYALL"), "replay", c("roll", "--measures", "volatility,var"),
    c("summary", "--benchmark", "BAYALL"), "backtest",
    c("limits", "--limits", demo_file("bay-limits-unlike.csv"), "--today", "2026-01-02"),
    c("fit", "--families", "normal", "--test-draws", "0")
  )
  for (line in lines[seq(1, length(lines), by = thorough(4L, 1L))]) {
    said <- imbroglio(line[1], files, line[-1], book)
    expect_true(said$status %in% c(0L, 1L))
    text <- gsub("\\s+", " ", paste(said$out, collapse = " "))
    expect_match(text, "HBC: TINROPE and cash in TMC from TMC")
    expect_match(text, "bridged by|at the last price that was known")
  }
})

test_that("what is said of the ways between prices is what the study measured", {
  lines <- readLines(source_file("bench", "bridge-study.md"))
  rows <- gsub("^\\| | \\|$|[+%]", "", grep("^\\| (week|month)", lines, value = TRUE))
  rows <- strsplit(rows, " \\| ")
  study <- do.call(rbind, lapply(rows, function(row) as.numeric(trimws(row[-1]))))
  fund <- vapply(rows, `[`, "", 1)
  expect_equal(dim(study), c(54L, 15L))
  # days, beta, weight; bridged: volatility, VaR, TE; carried: the same; priced: volatility, TE;
  # apart: bridged, priced; intervals that hold: bridged, all days.
  bias <- apply(abs(study[, 4:6]), 1, max)
  repeated <- grep("^Again", lines, value = TRUE)
  expect_equal(sum(bias > 3), length(repeated))
  again <- as.numeric(regmatches(repeated, gregexpr("[-+][0-9.]+", repeated))[[1]])
  vignette <- paste(readLines(source_file("vignettes", "unlike-things.Rmd")), collapse = " ")
  said <- function(pattern) {
    as.numeric(regmatches(vignette, regexec(pattern, vignette))[[1]][-1])
  }
  expect_equal(
    said("of at most ([0-9.]+) % in ([0-9]+) of 54 cases"), c(max(bias[bias <= 3]), sum(bias <= 3))
  )
  expect_equal(
    said("it was ([0-9.]+) % of 150 samples and ([0-9.]+) % of 800"), c(max(bias), max(abs(again)))
  )
  expect_equal(said("too small by up to ([0-9.]+) %"), -min(study[, 7]))
  expect_equal(said("too large by up to ([0-9.]+) %"), max(study[, 9]))
  expect_match(vignette, "farther from that of all days in each of the 54 cases")
  expect_true(all(study[, 13] > study[, 12]))
  rough <- fund == "month" & study[, 1] == 250 & study[, 3] == 60
  expect_equal(said("held the truth in ([0-9]+) to ([0-9]+) of 100"), range(study[rough, 14]))
})
