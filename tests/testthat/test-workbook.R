# The number is the first in its column.
answer_of <- function(file) {
  numbers <- suppressWarnings(as.numeric(sheet(file, "Answer")[[2]]))
  numbers[!is.na(numbers)][1]
}

# The value of an input cell changed in the file itself, as a user would.
with_input <- function(file, words, value) {
  folder <- tempfile("parts-")
  utils::unzip(file, exdir = folder)
  cells <- readxl::read_excel(
    file,
    "Answer",
    range = "A1:A60",
    col_names = FALSE,
    .name_repair = "minimal"
  )[[1]]
  row <- which(cells == words | startsWith(cells, paste0(words, ", which")))
  path <- file.path(folder, "xl", "worksheets", "sheet1.xml")
  text <- paste(readLines(path, warn = FALSE), collapse = "\n")
  cell <- sprintf("(<c r=\"B%d\"[^>]*><v>)[^<]*(</v>)", row)
  expect_match(text, cell)
  writeLines(sub(cell, sprintf("\\1%s\\2", format(value, digits = 17)), text), path)
  changed <- tempfile(fileext = ".xlsx")
  zip::zip(changed, list.files(folder, all.files = TRUE, no.. = TRUE), root = folder)
  changed
}

book_cases <- function() {
  prices <- demo_prices()[1:180, c("TARROW", "BAYALL")]
  one <- prices[, "TARROW"]
  methods <- names(imbroglio:::known_var_methods())
  about <- case_data(prices, "BAYALL", methods)
  # Of rolling results and series the last row of each security would be shown; the parts of a
  # split stand beside each other.
  cases <- lapply(case_calls(), function(call) {
    result <- eval(call, about)
    if (inherits(result, paste0("imbroglio_", c("split", "worst_split", "shock")))) return(result)
    # The row of a book may have no working.
    if (inherits(result, "imbroglio_selling")) result[1, ] else utils::tail(result, 1)
  })
  cases$var.whole <- measure_var(one, 0.95, method = methods, draws = 300, value = 1e6)
  days <- read_prices(demo_file("bay-daily.csv.xz"))[1:120, "TARROW"]
  adjusted <- adjust_prices(
    read_prices(demo_file("bay-daily.csv.xz"), price = "close")[, "TARROW"],
    demo_file("bay-actions.csv")
  )
  book <- as_portfolio(prices, weights = c(TARROW = 0.6, BAYALL = 0.4), value = 1e6)
  c(
    cases,
    list(
      ahead = measure_var(
        as_returns(one, "log"),
        horizon = 5,
        method = c("historical", "garch-student", "pareto")
      ),
      overlapping = measure_var(one, horizon = 3, horizon_by = "overlapping"),
      estimators = measure_volatility(days, method = names(imbroglio:::volatility_estimators())),
      garch = fit_garch(one, innovations = c("normal", "student")),
      families = fit_returns(one, "all", test_draws = 50),
      price = show_working(adjusted, date = "2020-03-20"),
      tested = backtest_var(one, window = 100, method = c("historical", "normal")),
      of_book = measure_var(book, method = c("historical", "normal")),
      split = split_var(book),
      bootstrap = bootstrap_book(book, horizon = 5, draws = 300),
      tail = tail_thresholds(one)[10, ],
      shrunk = correlate_returns(prices, shrink = "identity"),
      joint = measure_beta(
        demo_prices()[1:100, c("TARROW", "BAYALL", "BAYMETAL")],
        c("BAYALL", "BAYMETAL"),
        together = TRUE
      )
    )
  )
}

test_that("a spreadsheet program comes to the same numbers, and follows its input cells", {
  folder <- tempfile("books-")
  dir.create(folder)
  cases <- quietly(book_cases())
  files <- file.path(folder, paste0(names(cases), ".xlsx"))
  for (i in seq_along(cases)) quietly(write_workbook(cases[[i]], files[i]))
  for (file in files) {
    text <- readLines(unz(file, "xl/workbook.xml"), warn = FALSE)
    names <- regmatches(text, gregexpr("definedName name=\"[^\"]*", text))
    # A spreadsheet tells no letters apart by their case.
    expect_equal(anyDuplicated(tolower(unlist(names))), 0L, info = basename(file))
  }
  expect_equal(refused_strictly(files), character())
  one <- demo_prices()[1:300, "TARROW"]
  found <- measure_var(one, 0.95)
  basic <- file.path(folder, "basic.xlsx")
  write_workbook(found, basic)
  changed <- c(
    level = with_input(basic, "share of the outcomes that are no worse", 0.9),
    last = with_input(basic, "last date of prices", as.numeric(one$dates[200]) + 25569)
  )
  yearly <- file.path(folder, "yearly.xlsx")
  write_workbook(measure_volatility(one), yearly)
  changed["year"] <- with_input(yearly, "periods a year", 260)
  done <- recalculated(c(files, basic, changed))
  cells <- 0L
  for (file in done[seq_len(length(files) + 1L)]) {
    working <- sheet(file, "Working")
    apart <- working[[6]][!is.na(working[[6]]) & working[[6]] != "apart"]
    numbers <- suppressWarnings(as.numeric(apart))
    expect_false(anyNA(numbers), info = basename(file))
    expect_lt(max(numbers), 1e-10, label = basename(file))
    expect_true(
      any(grepl("^All [0-9]+ derived numbers agree", sheet(file, "Answer")[[1]])),
      info = basename(file)
    )
    cells <- cells + length(numbers)
  }
  expect_gt(cells, 1000)
  again <- stats::setNames(utils::tail(done, 3), names(changed))
  expect_equal(answer_of(again[["level"]]), measure_var(one, 0.9)$var, tolerance = 1e-12)
  expect_equal(answer_of(again[["last"]]), measure_var(one[1:200, ], 0.95)$var, tolerance = 1e-12)
  expect_equal(
    answer_of(again[["year"]]),
    measure_volatility(one, per_year = 260)$volatility_annual,
    tolerance = 1e-12
  )
})

# The numbers of a working where an input is changed; NA of what does not follow it.
numbers_with <- function(plan, input, value) {
  written <- plan$written
  instead <- list()
  if (plan$inputs[[input]]$unit == "date") {
    end <- sub("^date_", "", input)
    written$rows <- lapply(written$rows, function(r) {
      if (!r$window && !is.null(r$from)) r[[end]] <- .Date(value)
      r
    })
  } else {
    instead[[input]] <- value
  }
  values <- imbroglio:::values_of_working(written, instead)[plan$scalars]
  held <- vapply(plan$scalars, imbroglio:::is_held, NA, plan = plan, input = input)
  ifelse(held, NA_real_, vapply(values, function(x) as.numeric(x)[1], 0))
}

test_that("each input cell is followed by every number, or told not to be", {
  folder <- tempfile("changed-")
  dir.create(folder)
  cases <- quietly(book_cases())
  cases <- cases[seq(1, length(cases), thorough(8, 1))]
  asked <- list()
  for (case in names(cases)) {
    result <- cases[[case]]
    workings <- if (inherits(result, "imbroglio_working")) {
      list(result)
    } else {
      quietly(imbroglio:::workings_of(result))
    }
    plan <- imbroglio:::workbook_plans(workings[1])[[1]]
    file <- file.path(folder, paste0(case, ".xlsx"))
    quietly(write_workbook(workings[[1]], file))
    for (input in names(plan$inputs)) {
      choice <- plan$inputs[[input]]
      date <- choice$unit == "date"
      rows <- Filter(function(one) one$spanned, plan$rows)
      value <- if (!date) {
        another(choice)
      } else {
        dates <- rows[[1]]$record$dates
        as.numeric(if (grepl("_from$", input)) dates[3] else dates[length(dates) - 2])
      }
      changed <- with_input(file, choice$words, imbroglio:::in_sheet(value, choice$unit))
      asked[[changed]] <- list(
        what = paste(case, input), plan = plan, expected = numbers_with(plan, input, value)
      )
    }
  }
  done <- recalculated(names(asked))
  for (i in seq_along(done)) {
    working <- sheet(done[i], "Working")
    at <- match(asked[[i]]$plan$scalars, working[[1]])
    told <- working[[4]][at]
    expected <- asked[[i]]$expected
    units <- vapply(asked[[i]]$plan$written$steps[names(expected)], `[[`, "", "unit")
    found <- suppressWarnings(as.numeric(told))
    found <- found - ifelse(units == "date", 25569, 0)
    held <- is.na(expected)
    wrong <- names(expected)[
      ifelse(held, !is.na(found), !(abs(found - expected) <= 1e-9 * pmax(abs(expected), 1e-6)))
    ]
    expect_equal(wrong, character(), info = asked[[i]]$what)
    text <- sheet(done[i], "Answer")[[1]]
    expect_match(text, "^With other choices than were measured", all = FALSE)
    expect_match(text, "^Choices are changed", all = FALSE)
  }
  expect_gt(length(done), 30)
})

test_that("with another choice all rows of a workbook are what the function gives for it", {
  book <- as_portfolio(
    demo_prices()[1:400, ], shares = c(TARROW = 20, OSSELL = 10, BAYBOND = -5)
  )
  falls <- demo_prices()[1:600, "TARROW"]
  level <- "share of the outcomes that are no worse"
  cases <- list(
    list(split_var(book), level, 0.95, split_var(book, level = 0.95)$component),
    list(
      split_var(book, method = "normal"), "periods ahead", 10,
      split_var(book, method = "normal", horizon = 10)$component
    ),
    list(bootstrap_book(book, draws = 500), level, 0.9,
         bootstrap_book(book, level = 0.9, draws = 500)$var),
    list(
      drawdown_episodes(falls, worst = 3), "last date of prices",
      as.numeric(falls$dates[500]) + 25569, drawdown_episodes(falls[1:500, ], worst = 3)$drawdown
    ),
    list(
      measure_ratios(falls), "target, a year", 0.05,
      measure_ratios(falls, target = 0.05)$sortino_annual
    ),
    list(
      measure_tracking(demo_prices()[1:300, c("TARROW", "BAYALL")], "BAYALL", total = FALSE),
      "periods a year", 260,
      measure_tracking(
        demo_prices()[1:300, c("TARROW", "BAYALL")], "BAYALL", total = FALSE, per_year = 260
      )$tracking_error_annual
    )
  )
  files <- vapply(cases, function(case) {
    file <- tempfile(fileext = ".xlsx")
    write_workbook(case[[1]], file)
    with_input(file, case[[2]], case[[3]])
  }, "")
  done <- recalculated(files)
  for (i in seq_along(done)) {
    answer <- sheet(done[i], "Answer")
    wanted <- cases[[i]][[4]]
    shown <- as.numeric(answer[[2]][3 + seq_along(wanted)])
    expect_true(near(shown, wanted, 1e-9), info = i)
    expect_no_match(answer[[1]], "in error")
    values <- sheet(done[i], "Working")[[4]]
    expect_false(any(grepl("^#(VALUE|REF|NAME|DIV|NUM)", values)), info = i)
  }
  # Rows are called by what tells them apart: a level that all have is a choice, and may change.
  labels <- sheet(done[1], "Answer")[[1]]
  expect_true("component OSSELL" %in% labels)
  several <- tempfile(fileext = ".xlsx")
  write_workbook(split_var(book, level = c(0.95, 0.99)), several)
  expect_true("component OSSELL 0.95" %in% sheet(several, "Answer")[[1]])
  # What is not known under another choice is told apart from a fault.
  rare <- tempfile(fileext = ".xlsx")
  write_workbook(show_working(measure_var(falls), number = "var_error"), rare)
  low <- recalculated(with_input(rare, level, 0.8))
  expect_match(sheet(low, "Answer")[[1]], "[1-9][0-9]* of the numbers need measuring", all = FALSE)
  expect_no_match(sheet(low, "Answer")[[1]], "in error")
})

test_that("a workbook is of text and formulas, whole, and not too large", {
  prices <- demo_prices()[1:60, c("TARROW", "BAYALL")]
  marked <- as.data.frame(prices)
  names(marked)[2] <- "=1+1"
  path <- tempfile(fileext = ".xlsx")
  quietly(write_workbook(measure_return(as_prices(marked))[1, ], path))
  answer <- sheet(path, "Answer")
  expect_true(any(grepl("=1+1", unlist(answer), fixed = TRUE)))
  prices_sheet <- readxl::read_excel(path, "Prices")
  expect_s3_class(prices_sheet$date, "POSIXct")
  expect_equal(prices_sheet$price, unname(prices$close[, 1]))
  expect_error(
    write_workbook(measure_return(prices), "x.csv"),
    class = "imbroglio_error_argument"
  )
  many <- measure_volatility(as_prices(
    stocks()[1:30, rep(1:4, 60)] |> `colnames<-`(paste0("S", 1:240))
  ))
  expect_error(write_workbook(many, path), class = "imbroglio_error_argument")
  expect_true(any(grepl("=1+1", unlist(sheet(path, "Answer")), fixed = TRUE)))
  ran <- tempfile(fileext = ".xlsx")
  quietly(imbroglio:::run_command(c(
    "beta",
    demo_file("bay.csv"),
    "--security",
    "TARROW",
    "--benchmark",
    "BAYALL",
    "--out",
    tempfile(fileext = ".csv"),
    "--workbook",
    ran
  )))
  expect_setequal(readxl::excel_sheets(ran), c("Answer", "Working", "Shown", "Prices"))
  expect_true("The days that pull beta most" %in% sheet(ran, "Shown")[[1]])
})
