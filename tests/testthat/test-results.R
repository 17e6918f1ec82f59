test_that("a result is a tibble that keeps its basis through verbs", {
  returns <- as_returns(read_prices(demo_file("bay.csv")))
  result <- measure_var(returns, level = c(0.95, 0.99), value = 1e6)
  expect_s3_class(result[1:3, c("security", "var")], c("imbroglio_var", "tbl_df"))
  expect_identical(result[["var"]][2], as.data.frame(result)[2, "var"])
  expect_identical(class(as.data.frame(result)), "data.frame")
  expect_identical(class(tibble::as_tibble(result)), c("tbl_df", "tbl", "data.frame"))
  for (kept in list(
    result[result$level == 0.99, ],
    dplyr::arrange(dplyr::filter(result, level == 0.99), var)
  )) {
    expect_equal(nrow(kept), 15L)
    expect_identical(basis(kept), basis(result))
  }
  found <- basis(result)
  expect_equal(found$observations[["PELLAN"]], 1365L)
  expect_equal(
    found$dropped$n[match(c("PELLAN", "CORRACK", "BAYBOND"), found$dropped$security)],
    c(1207L, 30L, 6L)
  )
  expect_equal(found$version, as.character(packageVersion("imbroglio")))
  expect_equal(
    c(found$kind, found$every, found$choices[["rank"]]),
    c("simple", "day", "nearest")
  )
  # What is left out and what is used make up the calendar.
  left_out <- tapply(
    found$dropped$n,
    factor(found$dropped$security, colnames(returns)),
    sum,
    default = 0
  )
  expect_equal(as.vector(found$observations + left_out), rep(nrow(returns), 15))
  printed <- paste(capture.output(print(result)), collapse = " ")
  expect_match(printed, "Value at risk: 30 rows of 15 securities")
  expect_match(
    gsub("[ #]+", " ", printed),
    "2016-01-05 to 2025-12-31; 1,365 to 2,572 daily simple returns a security",
    fixed = TRUE
  )
  expect_output(print(found), "spanned by the next return")
  expect_no_warning(expect_output(print(result[c("level", "var")]), "A tibble: 30 x 2"))
  expect_output(print(returns), "CORRACK +2016-01-05 +2025-12-31 +2,542 +30")
})

test_that("a result reads itself aloud with its numbers and their meaning", {
  prices <- read_prices(demo_file("bay.csv"))
  returns <- as_returns(prices)
  expect_equal(
    in_words(measure_volatility(returns[, "BAYALL"])),
    paste0(
      "BAYALL: daily returns stray from their mean by 0.87 % (one standard deviation), ",
      "13.8 % a year."
    )
  )
  said <- in_words(measure_drawdown(prices))
  expect_equal(
    said[1],
    paste0(
      "BAYALL fell 34.9 % from its high on 2018-10-11 to its low on 2019-01-18, and ",
      "was back on 2019-10-14."
    )
  )
  expect_match(said[11], "EBBING fell 77.1 % .* still below it on 2025-12-31")
  cases <- list(
    list(
      0.99,
      1,
      paste0(
        "^With 99 % confidence BAYALL loses no more than 2.16 % in a day; one day in 100 ",
        "it loses more, 2.93 % on"
      )
    ),
    list(
      0.99,
      1,
      paste0(
        "26th worst of 2,572 returns, of 2023-08-28, after 2.18 % and before 2.16 %; the ",
        "conventions of rank range"
      )
    ),
    list(0.95, 10, "in 10 days; one 10-day period in 20 it loses more"),
    list(0.97, 1, "in a day; in 3 % of days it loses more"),
    list(0.3, 1, "gains at least 0.39 % in a day; in 70 % of days it gains less")
  )
  for (case in cases) {
    expect_match(
      in_words(measure_var(returns[, "BAYALL"], level = case[[1]], horizon = case[[2]])),
      case[[3]]
    )
  }
  flat <- as_prices(data.frame(date = as.Date("2024-01-01") + 0:2, A = 1:3))
  expect_equal(in_words(measure_drawdown(flat)), "A never fell below an earlier price.")
})

test_that("every measure of every kind is read in words", {
  prices <- read_prices(demo_file("bay.csv"))
  returns <- as_returns(prices)
  one <- returns[, c("BAYALL", "TARROW")]
  cases <- list(
    list(
      measure_return(one),
      paste0(
        "^BAYALL returned 160.6 % in all, 10.1 % a year; its best day was 4.50 % ",
        "\\(2021-07-14\\)"
      )
    ),
    list(
      measure_return(one, window = 250),
      "^BAYALL, over 250 daily returns: .* a year on 2025-12-31; highest"
    ),
    list(
      measure_beta(one, "BAYALL"),
      "^When BAYALL moves 1 %, TARROW moves 1.27 % \\(1.22 to 1.33\\), and 42 % of"
    ),
    list(
      measure_beta(one, "BAYALL", window = 250),
      "^TARROW, over 250 daily returns: 1.26 beta against BAYALL on"
    ),
    list(
      measure_tracking(one, "BAYALL", total = FALSE),
      paste0(
        "^TARROW was ahead of BAYALL by 3.64 percentage points a year .error 6.40 percentage ",
        "points., with a tracking error of 20.8 %"
      )
    ),
    list(
      measure_volatility(one, method = "ewma"),
      "^BAYALL: volatility 0.86 % a day, 13.6 % a year \\(ewma\\)"
    ),
    list(
      volatility_series(one, method = "garch"),
      "^BAYALL, by garch: 14.6 % a year on 2025-12-31; highest"
    ),
    list(
      fit_garch(one),
      paste0(
        "^BAYALL: volatility 14.6 % a year now, 14.2 % in the long run; half of a shock ",
        "is gone after"
      )
    ),
    list(predict(fit_garch(one), 3), "^BAYALL: 14.6 % a year in 3 days, 1.59 % over all of them"),
    list(
      measure_drawdown(one, window = 250),
      "^BAYALL, over 250 daily returns: .* below its high on"
    ),
    list(
      drawdown_episodes(one, worst = 1),
      "^BAYALL, number 1: 34.9 % in 99 days, made good after 269 days"
    ),
    list(correlate_returns(one), "^BAYALL and TARROW: correlation 0.65"),
    list(
      correlate_returns(one, window = 250),
      "^TARROW, over 250 daily returns: .* correlation on"
    ),
    list(
      measure_summary(one),
      "^BAYALL: 10.1 % a year at a volatility of 13.8 %, at worst 34.9 % below its high"
    )
  )
  for (case in cases) expect_match(in_words(case[[1]])[1], case[[2]])
  found <- lapply(
    list(
      measure_return(returns),
      measure_beta(returns, "BAYALL"),
      measure_tracking(returns, "BAYALL", total = FALSE),
      measure_summary(returns),
      correlate_returns(returns, "pairwise"),
      measure_beta(returns, "BAYALL", window = 250)
    ),
    imbroglio:::headline
  )
  expect_equal(
    unlist(found),
    c(
      "DUNLACE returned most (24.0 % a year), EBBING least (-1.9 %).",
      "TARROW has the highest beta (1.27 against BAYALL), BAYBOND the lowest (-0.03).",
      "EBBING strays furthest (28.6 % a year from BAYALL), DUNLACE least (11.9 %).",
      paste0(
        "DUNLACE earned most for its risk (Sharpe ratio 1.13 a year), EBBING least ",
        "(Sharpe ratio 0.11)."
      ),
      "BAYALL and DUNLACE move most alike (0.83), BAYALL and BAYBOND least (-0.13).",
      paste0(
        "DUNLACE has the highest beta now over 250 returns (1.38 against BAYALL), ",
        "BAYBOND the lowest (-0.03)."
      )
    )
  )
})

test_that("what is printed is in the order of reading, and has all columns", {
  for (result in answers_of_cases()) {
    order <- imbroglio:::order_of_reading(result)
    expect_equal(sort(unname(order)), seq_along(result), info = class(result)[1L])
  }
  withr::local_options(width = 80)
  returns <- as_returns(demo_prices()[1:400, c("TARROW", "BAYALL", "OSSELL", "BAYBOND")])
  found <- measure_var(returns, method = c("historical", "normal"))
  shown <- utils::capture.output(print(found))
  expect_match(shown, "security level horizon method .*var .*es ", all = FALSE)
  expect_equal(names(found)[1:5], c("security", "from", "to", "n", "level"))
  expect_match(utils::capture.output(print(measure_volatility(returns, window = 60))),
               "security window to +volatility", all = FALSE)
  # A matrix of correlations is that of the measure.
  file <- file.path(withr::local_tempdir(), "p.csv")
  write_prices(demo_prices()[1:400, setdiff(names(demo_prices()), "PELLAN")], file)
  lines <- imbroglio("correlation", file)$out
  rows <- lines[grepl("^ *[0-9]+ [A-Z]+ ", lines)]
  said <- do.call(rbind, lapply(strsplit(trimws(rows), " +"), function(x) {
    `length<-`(as.numeric(x[-(1:2)]), length(rows))
  }))
  r <- correlate_returns(as_returns(quietly(read_prices(file))), as = "correlation")
  r[upper.tri(r)] <- NA
  expect_equal(said, unname(round(r, 2)), tolerance = 1e-8)
  expect_length(
    grep("^[A-Z]+ +[A-Z]+ ", imbroglio("correlation", file, "--columns",
                                      "security,other,correlation")$out),
    nrow(r) * (nrow(r) - 1) / 2
  )
})
