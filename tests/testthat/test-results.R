test_that("a result is a tibble that keeps its basis through verbs, and sheds it as a data frame", {
  returns <- as_returns(read_prices(demo_file("bay.csv")))
  result <- measure_var(returns, level = c(0.95, 0.99), value = 1e6)
  expect_s3_class(result[1:3, c("security", "var")], c("imbroglio_var", "tbl_df"))
  expect_identical(result[["var"]][2], as.data.frame(result)[2, "var"])
  expect_identical(class(as.data.frame(result)), "data.frame")
  expect_identical(class(tibble::as_tibble(result)), c("tbl_df", "tbl", "data.frame"))
  for (kept in list(result[result$level == 0.99, ],
                    dplyr::arrange(dplyr::filter(result, level == 0.99), var))) {
    expect_equal(nrow(kept), 15L)
    expect_identical(basis(kept), basis(result))
  }
  found <- basis(result)
  expect_equal(found$observations[["PELLAN"]], 1365L)
  expect_equal(found$dropped$n[match(c("PELLAN", "CORRACK", "BAYBOND"),
                                     found$dropped$security)], c(1207L, 30L, 6L))
  expect_equal(found$version, as.character(packageVersion("imbroglio")))
  expect_equal(c(found$kind, found$every, found$choices[["rank"]]),
               c("simple", "day", "nearest"))
  # What is left out and what is used make up the calendar.
  left_out <- tapply(found$dropped$n, factor(found$dropped$security, colnames(returns)),
                     sum, default = 0)
  expect_equal(as.vector(found$observations + left_out), rep(nrow(returns), 15))
  printed <- paste(capture.output(print(result)), collapse = " ")
  expect_match(printed, "Value at risk: 30 rows of 15 securities")
  expect_match(gsub("[ #]+", " ", printed),
               "2016-01-05 to 2025-12-31; 1,365 to 2,572 daily simple returns a security",
               fixed = TRUE)
  expect_output(print(found), "spanned by the next return")
  expect_output(print(returns), "CORRACK +2016-01-05 +2025-12-31 +2,542 +30")
})

test_that("a result reads itself aloud with its numbers and their meaning", {
  prices <- read_prices(demo_file("bay.csv"))
  returns <- as_returns(prices)
  expect_equal(in_words(measure_volatility(returns[, "BAYALL"])),
               "BAYALL: daily returns stray from their mean by 0.87 % (one standard deviation), 13.8 % a year.")
  said <- in_words(measure_drawdown(prices))
  expect_equal(said[1], "BAYALL fell 34.9 % from its high on 2018-10-11 to its low on 2019-01-18, and was back on 2019-10-14.")
  expect_match(said[11], "EBBING fell 77.1 % .* still below it on 2025-12-31")
  cases <- list(list(0.99, 1, "^One day in 100, expect to lose more than 2.16 % with BAYALL; such returns lose 2.93 %"),
                list(0.95, 10, "^One 10-day period in 20, "),
                list(0.97, 1, "^In 3 % of days, "),
                list(0.3, 1, "gain less than"))
  for (case in cases) expect_match(in_words(measure_var(returns[, "BAYALL"], level = case[[1]],
                                                        horizon = case[[2]])), case[[3]])
  flat <- as_prices(data.frame(date = as.Date("2024-01-01") + 0:2, A = 1:3))
  expect_equal(in_words(measure_drawdown(flat)), "A never fell below an earlier price.")
})

test_that("figures show the data, cut all panels together and are written whole", {
  skip_if_not_installed("ggplot2")
  prices <- read_prices(demo_file("bay.csv"))
  returns <- as_returns(prices)
  figure <- ggplot2::autoplot(prices[, "TARROW"], window = 60, start = "2018-01-01",
                              end = "2019-12-31")
  layers <- ggplot2::ggplot_build(figure)$data[1:2]
  expect_equal(lapply(layers, function(l) range(as.Date(l$x, "1970-01-01"))),
               rep(list(as.Date(c("2018-01-02", "2019-12-31"))), 2))
  shown <- layers[[2]]$y[as.Date(layers[[2]]$x, "1970-01-01") == as.Date("2019-06-03")]
  expect_equal(shown, 100 * measure_volatility(returns[, "TARROW"], window = 60,
                                               as = "matrix")["2019-06-03",
                                                                                                1] * sqrt(252),
                                                                                                ignore_attr = TRUE)
  # The same security has the same colour alone and among others.
  among <- ggplot2::ggplot_build(ggplot2::autoplot(returns))$data[[2]]
  expect_equal(unique(layers[[1]]$colour),
               unique(among$colour[among$group == match("TARROW", sort(colnames(prices)))]))
  figures <- list(prices, prices[, "CORRACK"], returns, measure_volatility(returns),
                  measure_volatility(returns, window = 60),
                  measure_volatility(returns[, "CORRACK"], window = c(20, 250)),
                  measure_drawdown(prices),
                  measure_drawdown(returns[, "PELLAN"]),
                  measure_var(returns),
                  measure_var(returns[, "BAYALL"], level = c(0.95, 0.99), horizon = 10),
                  measure_var(returns, rank = c("up", "down")))
  for (i in seq_along(figures)) {
    path <- tempfile(fileext = c(".png", ".svg", ".pdf")[i %% 3 + 1])
    expect_no_warning(write_figure(ggplot2::autoplot(figures[[i]]), path))
    expect_gt(file.size(path), 5000)
  }
  expect_error(ggplot2::autoplot(prices[, "TARROW"], start = "2030-01-01"),
               class = "imbroglio_error_too_short")
  expect_error(write_figure(figure, "figure.bmp"), class = "imbroglio_error_argument")
  expect_error(write_figure(figure, "/no/such/folder/a.png"), class = "imbroglio_error_file")
  # A figure that fails half way leaves the old file as it was, and nothing beside it.
  folder <- tempfile()
  dir.create(folder)
  old <- file.path(folder, "old.png")
  writeLines("old", old)
  expect_error(write_figure(figure + ggplot2::geom_line(ggplot2::aes(y = not_there)), old))
  expect_equal(readLines(old), "old")
  expect_equal(list.files(folder, all.files = TRUE, no.. = TRUE), "old.png")
})

test_that("the report is one page, whole, with every table and nothing that runs", {
  if (!rmarkdown::pandoc_available()) skip("pandoc is not installed")
  hostile <- matrix(EuStockMarkets, ncol = 4,
                    dimnames = list(format(stock_dates()),
                                    c("<script>alert(1)</script>", "=1+1", "`r stop()`",
                                      "A & B")))
  path <- tempfile(fileext = ".html")
  write_report(as_prices(hostile), path, level = c(0.95, 0.99), value = 1e6)
  page <- paste(readLines(path), collapse = "\n")
  expect_false(grepl("<script", page, fixed = TRUE))
  expect_match(page, "&lt;script&gt;alert(1)&lt;/script&gt;", fixed = TRUE)
  expect_equal(lengths(regmatches(page, gregexpr("<table", page))), 3L)
  expect_equal(lengths(regmatches(page, gregexpr("data:image/png;base64", page))), 3L)
  expect_false(grepl("(src|href)=\"(http|//)", page))
  expect_error(write_report(as_prices(hostile), path, level = 2),
               class = "imbroglio_error_argument")
})
