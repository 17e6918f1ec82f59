# What a result holds beside its numbers, and what has no working of its own: errors and intervals
# of values at risk that are weighted, scaled or drawn, intervals of tails, counts of a backtest.
without_working <- c(
  "from", "to", "level", "horizon", "window", "lookback", "date", "recovery", "rank", "peak_date",
  "best_date", "worst_date", "draw_error", "observed", "n", "draws", "place", "lacking", "exact_p",
  "recent", "green", "yellow", "red", "es_p", "drawdown_ahead", "hill_low", "hill_high",
  "excess_low", "excess_high", "pareto_shape", "pareto_low", "pareto_high", "pareto_scale",
  "weight", "carried", "limit", "warn", "since", "n_other"
)
of_errors <- c(
  "var_error", "es_error", "var_low", "var_high", "position", "worse", "milder", "rank_least",
  "rank_most"
)
errors_lacking <- c(
  "age-weighted", "volatility-scaled", "filtered", "bootstrap", "block-bootstrap",
  "stationary-bootstrap"
)

# All numbers of some rows: what the working gives, what the test computes of its JSON, the
# result. `but`: what has no working in this case only.
expect_workings <- function(result, info, rows = unique(c(1L, nrow(result))), but = character()) {
  numbers <- names(result)[vapply(result, function(x) is.numeric(x) || inherits(x, "Date"), NA)]
  shown <- 0L
  for (row in rows) {
    one <- result[row, ]
    # The parts of a split stand beside each other.
    working <- tryCatch(
      if (inherits(result, paste0("imbroglio_", c("split", "worst_split", "shock")))) {
        show_working(result, one$security, method = one[["method"]], number = "all")
      } else {
        show_working(one, number = "all")
      },
      imbroglio_error_working = function(e) NULL
    )
    if (is.null(working)) next
    steps <- computed_again(working_json(working))$values
    apart <- Filter(function(s) !near(s$value, s$given), steps)
    expect_equal(as.character(names(apart)), character(), info = paste(info, row))
    for (name in numbers) {
      if (!is.finite(as.numeric(one[[name]]))) next
      if (is.null(steps[[name]])) {
        lacks <- c(without_working, but, if (any(one[["method"]] %in% errors_lacking)) of_errors)
        expect_true(name %in% lacks, info = paste(info, one[["method"]], name))
        next
      }
      shown <- shown + 1L
      expect_true(
        near(steps[[name]]$value, as.numeric(one[[name]])),
        info = paste(info, row, name)
      )
    }
  }
  expect_gt(shown, 0L)
}

gaps <- function() {
  closes <- stocks()[1:400, ]
  closes[seq(3, 400, 5), "ALPINE"] <- NA
  closes[-seq(1, 400, 5), "WESTERN"] <- NA
  closes[1:300, "ISLES"] <- NA
  as_prices(closes)
}

five <- function() {
  dates <- as.Date("2024-01-01") + 0:5
  as_prices(data.frame(
    date = dates,
    ONE = c(10, 11, 10.5, 10.8, 10.1, 10.9),
    TWO = c(5, 5.1, 5.05, 5.2, 5, 5.3)
  ))
}

test_that("each number is what its working, computed again from JSON, comes to", {
  few <- c("historical", "normal", "cornish-fisher", "hill", "student", "bootstrap")
  data <- list(
    demo = demo_prices()[1:300, c("TARROW", "BAYALL")],
    stocks = stock_prices()[1:250, ],
    gaps = gaps(),
    five = five()
  )
  for (of in names(data)) {
    prices <- data[[of]]
    cases <- working_cases(colnames(prices)[ncol(prices)], few)
    for (case in names(cases)) {
      result <- tryCatch(quietly(cases[[case]](prices)), imbroglio_error = identity)
      # Some measures want more than five returns, and say so.
      if (of == "five" && inherits(result, "condition")) next
      rows <- if (of == "demo") c(1L, nrow(result)) else nrow(result)
      # A row for each measure.
      several <- case %in% c("roll", "limits", "compare")
      if (several && is.data.frame(result)) rows <- seq_len(nrow(result))
      expect_workings(result, paste(of, case), unique(rows))
    }
  }
})

test_that("each measure, method and family of the registries has a working", {
  prices <- demo_prices()[1:300, c("TARROW", "BAYALL")]
  one <- prices[, "TARROW"]
  methods <- names(imbroglio:::var_methods())
  ahead <- quietly(measure_var(one, horizon = 5, method = methods, draws = 300))
  of_logs <- quietly(measure_var(as_returns(one, "log"), method = methods, draws = 300))
  expect_workings(ahead, "var over 5", seq_along(methods))
  expect_workings(of_logs, "var of logs", seq_along(methods))
  expect_setequal(ahead$method, methods)
  records <- c(
    imbroglio:::own_var_methods,
    imbroglio:::own_estimators,
    imbroglio:::var_methods()[names(imbroglio:::own_families)]
  )
  expect_equal(names(Filter(function(record) is.null(record$working), records)), character())
  over <- quietly(measure_var(
    one,
    horizon = 5,
    horizon_by = "overlapping",
    method = c("historical", "normal", "pareto")
  ))
  expect_workings(over, "overlapping", 1:3)
  estimators <- names(imbroglio:::volatility_estimators())
  days <- quietly(read_prices(demo_file("bay-daily.csv.gz")))[1:400, "TARROW"]
  expect_workings(
    quietly(measure_volatility(days, method = estimators)),
    "estimators",
    seq_along(estimators)
  )
  # Of one family alone there is no place among others.
  families <- quietly(fit_returns(one, "all", test_draws = 99, stop_after = 20))
  ranks <- c("aic_rank", "bic_rank", "tail_rank")
  expect_workings(families, "families", seq_len(nrow(families)), but = ranks)
  placed <- show_working(families, number = "aic_rank")
  expect_equal(utils::tail(placed$value, 1)[[1]], families$aic_rank[1])
  expect_setequal(families$family, names(imbroglio:::own_families))
  book <- quietly(as_portfolio(prices, weights = c(TARROW = 0.6, BAYALL = 0.4), value = 1e6))
  others <- list(
    garch = quietly(fit_garch(one, innovations = c("normal", "student"))),
    tested = quietly(backtest_var(
      demo_prices()[1:500, "TARROW"],
      window = 100,
      method = c("historical", "normal")
    )),
    of_book = quietly(measure_var(book, method = c("historical", "normal", "bootstrap"))),
    book_return = quietly(measure_return(book)),
    of_worst = quietly(worst_periods(book, 2, window = 60, horizon = 3)),
    worst_parts = split_periods(quietly(worst_periods(book, 1, window = 60))),
    replay = quietly(replay(book, c(a = "2016-05", b = "2016-06"), benchmark = "BAYALL")),
    replay_parts = split_replay(quietly(replay(book, worst = 1))),
    shock = shock_book(book, c(BAYALL = -0.1)),
    limits_of_book = check_limits(
      book, data.frame(of = "book", measure = c("var", "effective_bets"), limit = c(0.001, 1)),
      window = 60, level = 0.95
    ),
    selling = quietly(measure_selling(as_portfolio(
      read_prices(demo_file("bay-daily.csv.gz"))[1:300, ], shares = c(OSSELL = 1e5, TARROW = -5e4)
    ))),
    currency = quietly(measure_currency(translate_prices(
      demo_prices()[1:300, c("TARROW", "BAYMETAL")], demo_file("bay-rates.csv"), "HBC",
      c(TARROW = "HBC", BAYMETAL = "TMC")
    ))),
    likeness = quietly(roll_measures(book, "likeness", 40))[100, ],
    volatility_parts = split_volatility(book, per_year = 250),
    return_parts = quietly(split_return(book, over = c("day", "month"))),
    return_parts_of_shares = quietly(split_return(
      as_portfolio(prices, shares = c(TARROW = 60, BAYALL = -4), cash = 1e4, cash_return = 0.02),
      over = c("day", "month to date")
    )),
    tracking_parts = split_volatility(
      quietly(as_portfolio(prices, weights = c(TARROW = 0.9), cash = 0.1)),
      benchmark = "BAYALL"
    ),
    rolling_parts = split_volatility(book, window = 40),
    concentration = measure_concentration(book),
    rolling_concentration = measure_concentration(book, window = 40),
    shock_of_two = shock_book(
      quietly(as_portfolio(demo_prices()[1:300, ], weights = c(OSSELL = 1))),
      c(BAYALL = -0.1, TARROW = -0.1)
    ),
    split = quietly(split_var(book, method = c("historical", "normal"))),
    bootstrap = quietly(bootstrap_book(book, horizon = 5, draws = 500)),
    tail = quietly(tail_thresholds(one))[10, ],
    shrunk = quietly(correlate_returns(prices, shrink = "identity")),
    sides = quietly(measure_beta(prices, "BAYALL", every = c("day", "month"), last = "1 year"))
  )
  others$ahead <- predict(others$garch, 5)
  for (of in names(others)) expect_workings(others[[of]], of)
  joint <- quietly(measure_beta(
    demo_prices()[1:300, c("TARROW", "BAYALL", "BAYMETAL")],
    c("BAYALL", "BAYMETAL"),
    together = TRUE
  ))
  expect_workings(joint, "joint", but = names(joint))
  cases <- c(
    lapply(working_cases("BAYALL", "normal"), function(case) quietly(case(prices))),
    others
  )
  seen <- c(vapply(cases, attr, "", "measure"), "fit", "var")
  expect_setequal(setdiff(names(imbroglio:::measures()), seen), character())
})

test_that("a price shows its repairs, and the splits and dividends that it is adjusted for", {
  traded <- quietly(read_prices(demo_file("bay-daily.csv.gz"), price = "close"))[, "TARROW"]
  adjusted <- adjust_prices(traded, demo_file("bay-actions.csv"))
  for (prices in list(adjusted, raw_prices(adjusted))) {
    for (row in c(1, 600, 1400, nrow(prices))) {
      working <- show_working(prices, date = prices$dates[row])
      again <- computed_again(working_json(working))$values
      expect_true(near(again$price$value, prices$close[[row, 1]]))
      expect_true(near(again[[1]]$value, working$value[[1]]))
    }
  }
  # Cut before its actions, a table cannot say how; it does not claim that this was delivered.
  cut <- show_working(adjusted[1:600, ], date = adjusted$dates[300])
  expect_match(cut$words, sprintf("its close as traded is %s", format(traded$close[[300, 1]])))
  early <- show_working(adjusted, date = "2025-09-30")
  # The dividend of 2025-11-10, by hand.
  before <- traded$close[[which(traded$dates == "2025-11-07"), 1]]
  close <- traded$close[[which(traded$dates == "2025-09-30"), 1]]
  expect_equal(attr(early, "values")$price, close * (1 - 0.3 / before), tolerance = 1e-14)
  findings <- check_prices(demo_file("bay-delivery.csv.gz"))
  repaired <- repair_prices(demo_file("bay-delivery.csv.gz"), findings)
  slip <- findings[findings$remedy == "divide", ]
  shown <- show_working(repaired, slip$security, slip$date)
  expect_equal(shown$value[[1]] / slip$by, attr(shown, "measured"))
  expect_match(format(shown), "decimal slip", all = FALSE)
  emptied <- findings[0, ]
  emptied[1, c("security", "date", "finding", "remedy")] <- list(
    slip$security, slip$date, "stale", "blank"
  )
  emptied$row <- slip$row
  without <- quietly(repair_prices(demo_file("bay-delivery.csv.gz"), rbind(
    findings[findings$remedy != "divide", ], emptied
  )))
  expect_error(
    show_working(without, slip$security, slip$date),
    "emptied",
    class = "imbroglio_error_working"
  )
  expect_error(show_working(adjusted, number = "price"), class = "imbroglio_error_argument")
})

test_that("a working begins with the question and ends with the number", {
  prices <- demo_prices()
  found <- measure_var(prices, level = c(0.95, 0.99), method = c("historical", "normal"))
  working <- show_working(found, security = "BAYALL", level = 0.99, method = "historical")
  text <- format(working)
  expect_match(text[1], "^Value at risk of BAYALL, method historical, level 0.99")
  expect_true(any(grepl("26  2023-08-28 +-0.021579  <-", text)))
  # The conventions of rank, by hand.
  r <- sort(diff(prices$close[, "BAYALL"]) / head(prices$close[, "BAYALL"], -1))
  expect_true(any(grepl(sprintf("rank \"down\": %.2f %%", -100 * r[25]), text)))
  expect_equal(attr(working, "measured"), -r[[26]], tolerance = 1e-14)
  expect_s3_class(working, "tbl_df")
  expect_true(all(c("step", "words", "expression", "value", "unit") %in% names(working)))
  expect_type(working$expression[[1]], "language")
  # A date of a rolling result is the last on or before it.
  rolling <- measure_volatility(prices, window = 20)
  then <- show_working(rolling, security = "TARROW", date = "2020-03-22")
  expect_equal(attr(then, "row")$to, as.Date("2020-03-20"))
  now <- show_working(rolling, security = "TARROW")
  expect_equal(attr(now, "row")$to, max(prices$dates))
  series <- show_working(volatility_series(prices), security = "TARROW", date = "2020-03-22")
  expect_equal(attr(series, "row")$to, as.Date("2020-03-20"))
  latex <- working_latex(show_working(found, security = "BAYALL", method = "normal"))
  expect_match(latex[["sd"]], "\\\\sqrt\\{\\\\frac\\{\\\\sum_t", fixed = FALSE)
  page <- working_page(working)
  expect_match(page, "<math>")
  expect_no_match(page, "<script|https?://")
  marked <- as.data.frame(prices[, "TARROW"])
  names(marked)[2] <- "<b>x</b>"
  expect_no_match(working_page(show_working(measure_return(as_prices(marked)))), "<b>x")
})

test_that("what cannot be shown is told", {
  prices <- demo_prices()[1:100, ]
  found <- measure_volatility(prices)
  expect_error(show_working(found, security = "NONE"), class = "imbroglio_error_argument")
  expect_error(show_working(found, date = "2020-01-01"), class = "imbroglio_error_argument")
  expect_error(show_working(found, number = "beta"), class = "imbroglio_error_argument")
  expect_error(show_working(found, number = "from"), class = "imbroglio_error_working")
  expect_error(show_working(found[0, ]), class = "imbroglio_error_argument")
  expect_error(show_working(mtcars), class = "imbroglio_error_argument")
  few <- quietly(measure_var(prices[1:6, "TARROW"], 0.8, method = "nig"))
  expect_error(show_working(few), class = "imbroglio_error_working")
  early <- measure_volatility(prices, window = 20)
  expect_error(show_working(early[1, ]), class = "imbroglio_error_working")
  register_volatility("halved", function(r) sd(r) / 2, title = "Half", formula = "sd / 2")
  own <- show_working(measure_volatility(prices, method = "halved"))
  expect_match(own$words[1], "sd / 2, as a function that was registered gives it")
  # Nothing but the language is evaluated.
  written <- imbroglio:::written_working(
    "a",
    list(),
    list(),
    list(imbroglio:::step("a", quote(system("true")), ""))
  )
  expect_error(imbroglio:::values_of_working(written), class = "imbroglio_error_argument")
})

test_that("the command shows workings, in all forms", {
  bay <- demo_file("bay.csv")
  ran <- imbroglio("working", "var", bay, "--security", "BAYALL", "--method", "normal")
  expect_equal(ran$status, 0L)
  expect_match(ran$out[1], "Value at risk of BAYALL, method normal")
  read <- jsonlite::fromJSON(run_here(
    "working", "volatility", bay, "--security", "TARROW", "--window", "60", "--date", "2020-03-20"
  ))
  expect_equal(read$number, "volatility_annual")
  expect_lt(abs(read$difference), 1e-15)
  page <- tempfile(fileext = ".html")
  imbroglio:::run_command(c("working", "drawdown", bay, "--security", "BAYALL", "--out", page))
  expect_match(paste(readLines(page), collapse = ""), "</math>")
  expect_equal(imbroglio("working", "check", bay)$status, 2L)
  expect_equal(imbroglio("working")$status, 0L)
})
