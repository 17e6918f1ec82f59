# What hangs on the choices: the grid is what the measure gives, and its shares are those of an
# analysis of variance.

varied <- function(...) quietly(vary_choices(...))

change_for_sheet <- function(prices) {
  book <- as_portfolio(prices, shares = c(OSSELL = 9, TARROW = 5))
  quietly(explain_change(book, since = "1 month", last = "200 returns"))
}

test_that("shares are those of an analysis of variance, each point what the measure gives", {
  prices <- demo_prices()[1:700, c("TARROW", "BAYALL")]
  over <- list(
    method = c("historical", "normal", "student"), last = c("1 year", "2 years", "all"),
    kind = c("simple", "log"), rank = c("nearest", "down")
  )
  found <- varied(prices, over = over, choices = list(level = 0.975))
  grid <- choices_grid(found)
  expect_equal(nrow(grid), 36L)
  for (security in colnames(prices$close)) {
    f <- grid[[security]]
    factors <- lapply(grid[names(over)], factor)
    fit <- suppressWarnings(
      stats::anova(stats::lm(f ~ method * last * kind * rank, c(list(f = f), factors)))
    )
    squares <- stats::setNames(fit[["Sum Sq"]], rownames(fit))
    total <- sum((f - mean(f))^2)
    own <- found[found$security == security, ]
    for (name in names(over)) {
      row <- own[own$choice == name, ]
      expect_equal(row$share_alone, squares[[name]] / total, tolerance = 1e-9, info = name)
      with_others <- squares[grepl(name, names(squares))]
      expect_equal(row$share_together, sum(with_others) / total, tolerance = 1e-9, info = name)
      # All else as chosen.
      rest <- setdiff(names(over), name)
      taken <- stats::setNames(own$taken, own$choice)
      line <- Reduce(`&`, lapply(rest, function(o) grid[[o]] == taken[[o]]))
      expect_equal(row$swing, diff(range(f[line])))
      expect_equal(f[line][grid[[name]][line] == row$most_at], row$swing_high)
    }
    expect_equal(own$grid_most[1], max(f))
    expect_equal(own$grid_below[1], mean(f < own$estimate[1]))
  }
  for (i in seq(1, 36, by = 5)) {
    row <- grid[i, ]
    cut <- if (row$last == "all") prices else window(prices, last = row$last)
    by_hand <- quietly(measure_var(
      as_returns(cut, row$kind), 0.975, method = row$method, rank = row$rank
    ))
    expect_equal(unlist(row[colnames(prices$close)], use.names = FALSE), by_hand$var, info = i)
  }
  # A rank of a normal distribution is none: measured once.
  expect_match(format(basis(found)), "12 measured once, as others are the same", all = FALSE)
})

test_that("each measure has a grid, of securities and of a book, with what is chosen", {
  prices <- demo_prices()[, c("OSSELL", "TARROW", "BAYALL")]
  book <- as_portfolio(prices, shares = c(OSSELL = 100, TARROW = 60))
  book$held <- "today"
  for (measure in names(imbroglio:::explained_measures())) {
    record <- imbroglio:::explained_measures()[[measure]]
    for (x in list(prices, book)) {
      beside <- if (isTRUE(record$beside)) "BAYALL"
      found <- varied(x, measure, benchmark = beside)
      asked <- c(list(x), if (!is.null(beside)) list(benchmark = beside))
      own <- quietly(do.call(record$measure, asked))
      own <- own[own$security %in% found$security, ]
      first <- found[!duplicated(found$security), ]
      expect_equal(first$estimate, own[[record$number]][match(first$security, own$security)])
      expect_true(all(found$share_alone <= found$share_together + 1e-12), info = measure)
      expect_lte(sum(found$share_alone[found$security == found$security[1]]), 1 + 1e-12)
      expect_true(all(found$grid_least <= found$estimate & found$estimate <= found$grid_most))
      expect_length(unique(found$choice), ncol(choices_grid(found)) - 1 - nrow(first))
    }
  }
  volatility <- varied(prices, "volatility")
  by_hand <- measure_volatility(prices)
  expect_equal(
    volatility$chance_error[1], (by_hand$volatility_error * sqrt(basis(by_hand)$per_year))[1]
  )
})

test_that("what cannot be measured is a row with its reason, and leaves no hole in the shares", {
  prices <- demo_prices()[1:500, "TARROW"]
  over <- list(
    method = c("historical", "student", "pareto"), last = c("2 returns", "1 year", "all")
  )
  found <- varied(prices, over = over)
  grid <- choices_grid(found)
  lost <- is.na(grid$TARROW)
  expect_gt(sum(lost), 0)
  expect_true(all(nzchar(grid$why[!is.na(grid$why)])))
  kept <- grid[grid$last != "2 returns", ]
  total <- sum((kept$TARROW - mean(kept$TARROW))^2)
  means <- stats::ave(kept$TARROW, kept$method)
  expect_equal(found$share_alone[found$choice == "method"], sum((means - mean(means))^2) / total)
  expect_error(show_working(found), class = "imbroglio_error_working")
  given <- data.frame(date = 1:50 + as.Date("2020-01-01"), A = sin(1:50) / 50)
  refused <- list(
    quote(vary_choices(prices, "sharpe")), quote(vary_choices(prices, "beta")),
    quote(vary_choices(prices, over = list(method = "historical"))),
    quote(vary_choices(prices, over = list(colour = c("red", "blue")))),
    quote(vary_choices(prices, over = list(draws = 1:30000))),
    quote(vary_choices(as_returns(given, given = "returns"))),
    quote(choices_grid(measure_var(prices)))
  )
  for (call in refused) expect_error(quietly(eval(call)), class = "imbroglio_error_argument")
})

test_that("a usual grid is as long as the history, and names are names", {
  named <- as.matrix(demo_prices()[1:300, c("TARROW", "OSSELL")])
  colnames(named) <- c("last", "why")
  found <- varied(as_prices(named))
  grid <- choices_grid(found)
  expect_setequal(unique(grid$last), c("1 year", "all"))
  expect_equal(max(grid[["security last"]]), found$grid_most[1])
  expect_type(grid[["security why"]], "double")
  weekly <- quietly(read_prices(demo_file("bay-fund.csv")))
  of_weeks <- varied(weekly, "volatility")
  expect_setequal(unique(choices_grid(of_weeks)$every), c("week", "month"))
  expect_equal(of_weeks$taken[of_weeks$choice == "every"], "week")
  expect_equal(of_weeks$estimate[1], quietly(measure_volatility(weekly))$volatility_annual[1])
  said <- imbroglio:::headline(found)
  expect_match(said, "Value at risk at 99 %")
  expect_match(said, "over 72 combinations; most hangs on method")
  own <- found[found$security == sub("[.].*$", "", said), ][1, ]
  width <- (own$grid_most - own$grid_least) / own$chance_error
  expect_match(said, sprintf("spread is %.1f standard errors", width))
  told <- told_of(vary_choices(as_prices(named[1:60, ]), choices = list(level = 0.999)))$told
  expect_match(told, "fewer than one lies beyond", all = FALSE)
})

test_that("changes and choices are the same numbers in a spreadsheet", {
  prices <- demo_prices()[1:400, c("OSSELL", "TARROW")]
  results <- list(
    change.xlsx = change_for_sheet(prices), choices.xlsx = varied(prices[, "TARROW"], over = list(
      method = c("historical", "normal"), last = c("1 year", "all")
    ))
  )
  folder <- withr::local_tempdir()
  files <- file.path(folder, names(results))
  Map(write_workbook, results, files)
  expect_equal(refused_strictly(files), character())
  again <- recalculated(files)
  for (i in seq_along(files)) {
    said <- unlist(lapply(readxl::excel_sheets(again[i]), function(name) {
      unlist(readxl::read_xlsx(again[i], name, col_types = "text", .name_repair = "minimal"))
    }))
    expect_match(said, "agree", all = FALSE)
    expect_false(any(grepl("do not agree|#N/A|#VALUE|#NAME|Err:", said)))
  }
})

test_that("the command asks the same", {
  line <- c(
    "choices", demo_file("bay.csv"), "--security", "BAYALL", "--level", "0.95",
    "--vary", "method=historical|normal,last=1 year|all"
  )
  found <- jsonlite::fromJSON(paste(run_here(line), collapse = "\n"))$results
  again <- varied(
    demo_prices()[, "BAYALL"], choices = list(level = 0.95),
    over = list(method = c("historical", "normal"), last = c("1 year", "all"))
  )
  expect_equal(found$swing, again$swing, tolerance = 1e-12)
  expect_error(run_here("choices", demo_file("bay.csv"), "--vary", "method"), "their values")
  # Nothing of the sample is varied.
  methods <- varied(
    demo_prices()[, "BAYALL"], over = list(tail = c("0.05", "0.1")),
    choices = list(method = "hill", level = 0.99)
  )
  expect_equal(nrow(choices_grid(methods)), 2L)
  expect_equal(methods$estimate, quietly(measure_var(
    demo_prices()[, "BAYALL"], method = "hill"
  ))$var)
})
