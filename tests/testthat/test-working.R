# What a result holds beside its numbers, and what has no working of its own: errors of values at
# risk by filtered returns over several periods.
without_working <- names(Filter(function(one) !one$working, imbroglio:::known_columns()))
of_errors <- c("var_error", "es_error", "var_low", "var_high", "draw_error")
errors_lacking <- "filtered"

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
    for (shown_there in attr(working, "shows")) {
      days <- if (is.data.frame(shown_there$table)) shown_there$table[["date"]]
      if (!inherits(days, "Date") || is.null(result[["to"]])) next
      first <- result[["from"]][row]
      inside <- days <= result[["to"]][row] & (is.na(first) | days >= first)
      expect_true(all(inside), info = paste(info, row, shown_there$title))
    }
    steps <- computed_again(working_json(working))$values
    # Of a chance, the difference of two near 1, no more digits are known.
    apart <- Filter(function(s) {
      !near(s$value, s$given) && max(abs(s$value - s$given), na.rm = TRUE) > 1e-15
    }, steps)
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
  calls <- case_calls(on_any = TRUE)
  for (of in names(data)) {
    prices <- data[[of]]
    about <- case_data(prices, colnames(prices)[ncol(prices)], few)
    for (case in names(calls)) {
      result <- tryCatch(quietly(eval(calls[[case]], about)), imbroglio_error = identity)
      # Some measures want more than five returns, and say so.
      if (of == "five" && inherits(result, "condition")) next
      rows <- if (of == "demo") c(1L, nrow(result)) else nrow(result)
      # A row for each measure.
      if (is.data.frame(result) && !is.null(result[["measure"]])) rows <- seq_len(nrow(result))
      expect_workings(result, paste(of, case), unique(rows))
    }
  }
})

test_that("each measure, and each result that goes with it, has a working in all its cases", {
  about <- case_data()
  results <- lapply(case_calls(), function(call) quietly(eval(call, about)))
  # Of one family alone there is no place among others.
  ranks <- c("aic_rank", "bic_rank", "tail_rank")
  for (case in setdiff(names(results), names(case_calls(on_any = TRUE)))) {
    result <- results[[case]]
    every <- inherits(result, c("imbroglio_var", "imbroglio_fit", "imbroglio_volatility"))
    expect_workings(
      result, case, if (every) seq_len(nrow(result)) else unique(c(1L, nrow(result))),
      but = if (inherits(result, "imbroglio_fit")) ranks
    )
  }
  seen <- vapply(results, attr, "", "measure")
  expect_setequal(setdiff(names(imbroglio:::measures()), seen), character())
  families <- results$fit.whole
  expect_setequal(families$family, names(imbroglio:::own_families))
  placed <- show_working(families, number = "aic_rank")
  expect_equal(utils::tail(placed$value, 1)[[1]], families$aic_rank[1])
  expect_setequal(results$var.ahead$method, names(imbroglio:::known_var_methods()))
  joint <- quietly(measure_beta(
    about$prices[1:300, c("TARROW", "BAYALL", "BAYMETAL")],
    c("BAYALL", "BAYMETAL"),
    together = TRUE
  ))
  expect_workings(joint, "joint", but = names(joint))
})

test_that("each method and estimator of the registries has a working", {
  records <- c(
    imbroglio:::own_var_methods(),
    imbroglio:::own_estimators,
    imbroglio:::known_var_methods()[names(imbroglio:::own_families)]
  )
  expect_equal(names(Filter(function(record) is.null(record$working), records)), character())
})

test_that("a price shows its repairs, and the splits and dividends that it is adjusted for", {
  traded <- quietly(read_prices(demo_file("bay-daily.csv.xz"), price = "close"))[, "TARROW"]
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
  findings <- check_prices(demo_file("bay-delivery.csv.xz"))
  repaired <- repair_prices(demo_file("bay-delivery.csv.xz"), findings)
  slip <- findings[findings$remedy == "divide", ]
  shown <- show_working(repaired, slip$security, slip$date)
  expect_equal(shown$value[[1]] / slip$by, attr(shown, "measured"))
  expect_match(format(shown), "decimal slip", all = FALSE)
  emptied <- findings[0, ]
  emptied[1, c("security", "date", "finding", "remedy")] <- list(
    slip$security, slip$date, "stale", "blank"
  )
  emptied$row <- slip$row
  without <- quietly(repair_prices(demo_file("bay-delivery.csv.xz"), rbind(
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

test_that("a number and its working that disagree are loud, in every form", {
  prices <- demo_prices()[1:100, "TARROW"]
  right <- measure_volatility(prices)
  wrong <- right
  wrong[["volatility"]] <- right$volatility * (1 + 4e-9)
  attributes(wrong) <- attributes(right)
  expect_warning(
    working <- show_working(wrong), "volatility of TARROW is",
    class = "imbroglio_warning_disagrees"
  )
  expect_match(format(working), "THE WORKING DISAGREES: volatility", all = FALSE)
  expect_match(working_page(working), "class=\"disagrees\"")
  expect_no_warning(show_working(right))
  expect_no_match(working_page(show_working(right)), "class=\"disagrees\"")
})

test_that("given returns and profits, rolling and whole, are what their workings come to", {
  prices <- demo_prices()[1:300, c("TARROW", "BAYALL")]
  listed <- as.data.frame(as_returns(prices))
  in_money <- listed
  in_money[-1] <- in_money[-1] * 1e5
  kinds <- list(
    simple = as_returns(listed, given = "returns", every = "day"),
    logs = as_returns(
      as.data.frame(as_returns(prices, "log")), "log", given = "returns", every = "day"
    ),
    profits = as_returns(in_money, given = "profits", every = "day"),
    weeks = as_returns(prices, every = "week")
  )
  calls <- case_calls(on_any = TRUE)
  for (kind in names(kinds)) {
    about <- case_data(kinds[[kind]], "BAYALL", c("historical", "normal", "student"))
    for (case in names(calls)) {
      result <- tryCatch(quietly(eval(calls[[case]], about)), imbroglio_error = identity)
      if (inherits(result, "condition")) next
      told <- character()
      for (row in unique(c(1L, nrow(result)))) {
        withCallingHandlers(
          tryCatch(
            show_working(result[row, ], number = "all"), imbroglio_error_working = identity
          ),
          imbroglio_warning_disagrees = function(w) told <<- c(told, conditionMessage(w))
        )
      }
      expect_equal(told, character(), info = paste(kind, case))
    }
  }
})

test_that("what is held is shown from its prices, however the holdings came in", {
  prices <- demo_prices()[1:300, c("TARROW", "OSSELL")]
  dated <- function(what, date) {
    stats::setNames(
      data.frame(c("TARROW", "OSSELL", "cash"), c(0.5, 0.4, 0.1), date),
      c("security", what, "date")
    )
  }
  given <- data.frame(date = as.Date("2020-01-01") + 1:50, A = sin(1:50) / 50, B = cos(1:50) / 50)
  about <- case_data()
  books <- quietly(list(
    about$book, about$book_and_cash, about$book_of_shares, about$book_of_days,
    about$book_of_currencies,
    as_portfolio(prices, shares = c(OSSELL = 100, TARROW = -83)),
    as_portfolio(prices, shares = c(OSSELL = 100, TARROW = -123.2)),
    as_portfolio(prices, values = c(OSSELL = 5000, TARROW = 2500), cash = 100),
    as_portfolio(prices, holdings = dated("weight", "2016-06-01")),
    as_portfolio(prices, holdings = dated("value", "2016-06-01")),
    as_portfolio(prices, holdings = dated("value", "2016-06-05")),
    as_portfolio(prices, weights = c(OSSELL = 2, TARROW = 3), normalise = TRUE),
    as_portfolio(as_returns(given, given = "returns"), weights = c(A = 0.3, B = 0.7), value = 10)
  ))
  for (i in seq_along(books)) {
    held <- as.data.frame(books[[i]])
    close <- books[[i]]$returns$prices$close
    for (security in held$security) {
      working <- quietly(show_working(books[[i]], security, number = "all"))
      expect_true(imbroglio:::is_verified(verify_working(file_of_working(working))), info = i)
      number <- function(name) as.numeric(working$value[working$step == name])
      own <- held$security == security
      expect_equal(number("weight"), held$weight[own], tolerance = 1e-14, info = i)
      if (!is.null(close) && security != "cash") {
        expect_equal(number("price"), unname(tail(close[, security], 1)), info = i)
      }
      if (!is.null(held$value)) {
        expect_equal(number("value"), held$value[own], tolerance = 1e-14, info = i)
      }
    }
  }
})

test_that("what cannot be shown is told", {
  forget_registered()
  prices <- demo_prices()[1:100, ]
  found <- measure_volatility(prices)
  expect_error(show_working(found, security = "NONE"), class = "imbroglio_error_argument")
  expect_error(show_working(found, date = "2020-01-01"), class = "imbroglio_error_argument")
  expect_error(show_working(found, number = "beta"), class = "imbroglio_error_argument")
  begun <- show_working(found, number = "from")
  expect_equal(as.numeric(utils::tail(begun$value, 1)), as.numeric(found$from[1]))
  tested <- quietly(backtest_var(prices[, "TARROW"], window = 60))
  expect_error(show_working(tested, number = "es_p"), class = "imbroglio_error_working")
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

test_that("a book has its working whatever its holdings are called, and however it is held", {
  closes <- as.data.frame(demo_prices()[1:200, ])[, 1:7]
  names(closes)[-1] <- c("TOTAL", "one_period", "benchmark", "Abc", "ABC", "cash_grown")
  prices <- quietly(as_prices(closes))
  weights <- c(TOTAL = 0.3, one_period = 0.2, Abc = 0.2, ABC = 0.15, cash_grown = 0.05)
  books <- list(
    still = list(), month = list(rebalance = "month", cash_return = 0.03),
    today = list(held = "today")
  )
  for (way in names(books)) {
    book <- quietly(do.call(
      as_portfolio, c(list(prices, weights = weights, cash = 0.1), books[[way]])
    ))
    results <- quietly(list(
      measure_return(book), measure_volatility(book, window = 50), measure_drawdown(book),
      measure_drawdown(book, window = 50), measure_beta(book, "benchmark"),
      measure_tracking(book, "TOTAL", window = 60), split_volatility(book),
      measure_var(book, horizon = 3, horizon_by = "overlapping")
    ))
    for (result in results) {
      expect_no_warning(
        working <- suppressMessages(show_working(result, number = "all")),
        class = "imbroglio_warning_disagrees"
      )
      # It begins from the closes of the holdings.
      data <- unlist(lapply(attr(working, "written")$rows, `[[`, "columns"), recursive = FALSE)
      expect_false("price" %in% names(data), info = paste(way, attr(result, "measure")))
    }
  }
})
