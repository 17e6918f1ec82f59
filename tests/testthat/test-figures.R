test_that("all panels of a figure are cut together, and show the data", {
  skip_if_not_installed("ggplot2")
  prices <- read_prices(demo_file("bay.csv"))
  returns <- as_returns(prices)
  figure <- ggplot2::autoplot(
    prices[, "TARROW"],
    window = 60,
    start = "2018-01-01",
    end = "2019-12-31"
  )
  layers <- ggplot2::ggplot_build(figure)$data[1:2]
  expect_equal(
    lapply(layers, function(l) range(as.Date(l$x, "1970-01-01"))),
    rep(list(as.Date(c("2018-01-02", "2019-12-31"))), 2)
  )
  shown <- layers[[2]]$y[as.Date(layers[[2]]$x, "1970-01-01") == as.Date("2019-06-03")]
  expect_equal(
    shown,
    100 *
      measure_volatility(returns[, "TARROW"], window = 60, as = "matrix")["2019-06-03", 1] *
      sqrt(252),
    ignore_attr = TRUE
  )
  # The same security has the same colour alone and among others.
  among <- ggplot2::ggplot_build(ggplot2::autoplot(returns))$data[[2]]
  expect_equal(
    unique(layers[[1]]$colour),
    unique(among$colour[among$group == match("TARROW", sort(colnames(prices)))])
  )
})

test_that("the line of a security on its benchmark is that of least squares, with its equation", {
  skip_if_not_installed("ggplot2")
  prices <- read_prices(demo_file("bay.csv"))
  returns <- as_returns(prices)
  line <- ggplot2::autoplot(measure_beta(returns[, c("BAYALL", "TARROW")], "BAYALL"))
  drawn <- ggplot2::ggplot_build(line)
  expect_equal(
    drawn$data[[3]][c("x", "y")],
    data.frame(x = as.matrix(returns)[, "BAYALL"], y = as.matrix(returns)[, "TARROW"]),
    ignore_attr = TRUE
  )
  words <- Filter(function(d) !is.null(d$label), drawn$data)[[1]]
  ranges <- lapply(c("x.range", "y.range"), function(n) drawn$layout$panel_params[[1]][[n]])
  near <- function(v, at, range) abs(v - at) < 0.25 * diff(range)
  covered <- near(drawn$data[[3]]$x, words$x, ranges[[1]]) & near(
    drawn$data[[3]]$y, words$y, ranges[[2]]
  )
  expect_lt(mean(covered), 0.02)
  fit <- lm(TARROW ~ BAYALL, as.data.frame(returns))
  band <- predict(fit, data.frame(BAYALL = drawn$data[[4]]$x), interval = "confidence")
  expect_equal(
    as.matrix(drawn$data[[4]][c("ymin", "ymax")]),
    band[, -1],
    ignore_attr = TRUE,
    tolerance = 1e-10
  )
  expect_match(
    words$label,
    sprintf("y = %.3f x + %.3f %%", coef(fit)[2], 100 * coef(fit)[1]),
    fixed = TRUE
  )
})

test_that("today's volatility stands in its own history", {
  skip_if_not_installed("ggplot2")
  returns <- as_returns(read_prices(demo_file("bay.csv")))
  windows <- measure_volatility(returns[, "TARROW"], window = c(6, 250))
  stands <- ggplot2::autoplot(windows, by_window = TRUE)$data
  for (i in 1:2) {
    v <- na.omit(windows$volatility_annual[windows$window == c(6, 250)[i]])
    expect_equal(
      unlist(stands[i, c("low", "middle", "high", "now", "below")], use.names = FALSE),
      c(quantile(v, c(0.05, 0.5, 0.95)), tail(v, 1), mean(v < tail(v, 1))),
      ignore_attr = TRUE
    )
  }
})

# What is written at a break is its number, or as a percentage a hundred times it.
expect_axis_in_units <- function(built, axis) {
  scale <- built$layout$panel_params[[1L]][[axis]]
  if (!is.numeric(scale$breaks) || inherits(scale$scale, "ScaleContinuousDate")) return()
  if (identical(scale$scale$trans$name, "log-10")) return()
  there <- !is.na(scale$breaks)
  text <- as.character(scale$get_labels())[there]
  number <- suppressWarnings(as.numeric(gsub("[ ,%]", "", sub("\u2212", "-", text))))
  times <- if (any(grepl("%", text))) 100 else 1
  expect_equal(number, times * scale$breaks[there], tolerance = 0.01)
}

test_that("every result has a figure that is written without a word", {
  forget_registered()
  skip_if_not_installed("ggplot2")
  prices <- read_prices(demo_file("bay.csv"))
  returns <- as_returns(prices)
  register_volatility("absolute-test", function(r) mean(abs(r)))
  book <- as_portfolio(prices, c(OSSELL = 0.5, TARROW = 0.3), cash = 0.2, value = 1000)
  days <- read_prices(demo_file("bay-daily.csv.xz"))
  about <- case_data(methods = c("historical", "normal", "hill", "bootstrap"))
  figures <- c(lapply(case_calls(), function(call) quietly(eval(call, about))), list(
    prices,
    prices[, "CORRACK"],
    returns,
    measure_drawdown(returns[, "PELLAN"]),
    measure_var(returns),
    measure_var(returns[, "BAYALL"], level = c(0.95, 0.99), horizon = 10),
    measure_var(returns, rank = c("up", "down")),
    measure_var(
      returns[, "BAYALL"],
      method = c("historical", "normal", "student", "hill", "bootstrap")
    ),
    measure_var(returns[, "BAYALL"], c(0.9, 0.99, 0.999), 1:5, c("normal", "hill")),
    measure_return(returns),
    measure_return(returns[, "TARROW"]),
    measure_volatility(returns[, "TARROW"], window = c(20, 60), method = "absolute-test"),
    volatility_series(returns[, "TARROW"], method = c("ewma", "garch")),
    measure_beta(returns[, 1:2], "BAYALL", risk_free = 0.02),
    measure_tracking(returns[, c("CORRACK", "BAYALL")], "BAYALL", total = FALSE),
    measure_drawdown(as_returns(
      data.frame(date = as.Date("2024-01-01") + 0:99, P = sin(1:100)),
      given = "profits"
    )),
    measure_summary(returns[, 1]),
    as_portfolio(prices, weights = c(TARROW = 0.5, BAYBOND = 0.5)),
    worst_periods(returns[, "TARROW"], 3, 2, horizon = 5)
  ))
  for (i in seq_along(figures)) {
    path <- tempfile(fileext = c(".png", ".svg", ".pdf")[i %% 3 + 1])
    figure <- ggplot2::autoplot(figures[[i]])
    expect_no_warning(write_figure(figure, path))
    expect_gt(file.size(path), 2000)
    built <- suppressWarnings(ggplot2::ggplot_build(figure))
    for (axis in c("x", "y")) expect_axis_in_units(built, axis)
  }
  # As in any ggplot: other scales, facets, a line in the units of the column.
  rolled <- ggplot2::autoplot(measure_volatility(returns[, c("TARROW", "BAYALL")], window = 60))
  own <- rolled + ggplot2::geom_hline(yintercept = 0.2) +
    ggplot2::facet_grid(cols = ggplot2::vars(security))
  own <- suppressMessages(own + ggplot2::scale_y_continuous(limits = c(0, 0.5)))
  drawn <- ggplot2::ggplot_build(own)
  expect_equal(drawn$layout$layout$COL, 1:2)
  expect_equal(drawn$layout$panel_params[[1L]]$y$limits, c(0, 0.5))
  expect_equal(
    unique(drawn$data[[1L]]$colour), unique(ggplot2::ggplot_build(rolled)$data[[1L]]$colour)
  )
})

test_that("what is written is a file; the old name of it works with a word", {
  prices <- demo_prices()[1:100, c("TARROW", "BAYALL")]
  written <- list(
    "figure.png" = function(...) write_figure(ggplot2::autoplot(prices), ...),
    "prices.csv" = function(...) write_prices(prices, ...),
    "page.html" = function(...) write_report(prices, ..., only = "volatility")
  )
  for (name in names(written)) {
    both <- file.path(withr::local_tempdir(), c("new", "old"), name)
    for (at in dirname(both)) dir.create(at)
    quietly(written[[name]](file = both[1L]))
    quietly(expect_message(
      written[[name]](path = both[2L]), "called `file` now", class = "imbroglio_note_renamed"
    ))
    expect_equal(file.size(both[2L]), file.size(both[1L]))
  }
  # Of a figure that was drawn before its width was known, the words are wrapped to that.
  drawn <- ggplot2::autoplot(backtest_var(as_returns(prices), 30, 0.9, c("normal", "ewma")))
  withr::local_options(imbroglio.figure_width = 5)
  words <- imbroglio:::words_for_width(drawn)$labels[c("title", "subtitle", "caption")]
  longest <- vapply(words, function(text) max(nchar(strsplit(text, "\n")[[1L]])), 0)
  expect_true(all(longest < c(88, 110, 165) * 5 / 12.8 + 1))
  expect_equal(gsub("\n", " ", words$title), gsub("\n", " ", drawn$labels$title))
})

test_that("a figure that cannot be is refused, and one that fails leaves the old file", {
  skip_if_not_installed("ggplot2")
  prices <- read_prices(demo_file("bay.csv"))
  figure <- ggplot2::autoplot(prices[, "TARROW"])
  expect_error(
    ggplot2::autoplot(prices[, "TARROW"], start = "2030-01-01"),
    class = "imbroglio_error_too_short"
  )
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

test_that("figures of value at risk put each number where it is", {
  returns <- as_returns(read_prices(demo_file("bay.csv")))
  index <- returns[, "BAYALL"]
  points <- function(plot, geom = "GeomPoint") {
    built <- ggplot2::ggplot_build(plot)
    built$data[vapply(plot$layers, function(l) inherits(l$geom, geom), NA)]
  }
  found <- measure_var(index, method = c("historical", "normal", "hill", "bootstrap"))
  marks <- points(ggplot2::autoplot(found))
  expect_equal(sort(marks[[1]]$x), sort(-found$var))
  expect_equal(sort(marks[[2]]$x), sort(-found$es))
  bars <- points(ggplot2::autoplot(found), "GeomRect")[[1]]
  expect_lte(max(bars$xmax[bars$fill == imbroglio:::loss]), -min(found$var) + 1e-9)
  grown <- measure_var(index, c(0.9, 0.99), 1:4, c("normal", "historical"))
  lines <- points(ggplot2::autoplot(grown), "GeomLine")[[1]]
  expect_equal(sort(lines$y), sort(grown$var))
  drawn <- bootstrap_book(
    as_portfolio(returns, c(OSSELL = 0.5, TARROW = 0.5), value = 500),
    draws = 4000
  )
  at <- points(ggplot2::autoplot(drawn), "GeomSegment")
  expect_equal(at[[1]]$x, 500)
  expect_equal(sort(at[[2]]$x), sort(500 * (1 - drawn$var)))
  expect_equal(at[[3]]$x, quantile(drawn, c(0.05, 0.25, 0.5, 0.75, 0.95))$value)
  split <- split_var(as_portfolio(returns, c(OSSELL = 0.5, TARROW = 0.5)), method = "normal")
  parts <- points(ggplot2::autoplot(split), "GeomBar")
  expect_equal(sort(parts[[2]]$x), sort(split$component[1:2]))
  tails <- tail_thresholds(index, steps = 8)
  expect_equal(
    sort(points(ggplot2::autoplot(tails), "GeomLine")[[1]]$y)[1:8],
    sort(c(tails$hill_shape, tails$pareto_shape, 100 * tails$mean_excess))[1:8]
  )
  expect_equal(
    points(ggplot2::autoplot(tails, tail = 0.1), "GeomVline")[[1]]$xintercept[1],
    258
  )
  wrong <- list(
    function() ggplot2::autoplot(found, view = "pie"),
    function() ggplot2::autoplot(measure_var(returns), view = "methods"),
    function() ggplot2::autoplot(tail_thresholds(returns[, 1:2], steps = 3)),
    function() ggplot2::autoplot(backtest_var(index), security = "NONE")
  )
  for (f in wrong) expect_error(f(), class = "imbroglio_error_argument")
  expect_match(
    in_words(drawn)[1],
    paste0(
      "In money: no more than .* Another history and other draws would move that by .* ",
      "percentage points"
    )
  )
  expect_match(
    in_words(split)[1],
    paste0(
      "^OSSELL, by normal at 99 %: 50.0 % of the book makes .* of its value at risk ",
      "\\(.* % to .* %\\); without it that is .* less"
    )
  )
  expect_match(in_words(tails)[1], "^BAYALL, the 15 largest losses: shape 0.2")
})
