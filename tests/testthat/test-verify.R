differing <- function(found) found$number[found$state == "differs"]

test_that("every working is written by the schema, and is the same when computed again", {
  files <- character()
  kinds <- list()
  each_working(function(working, result, row, info) {
    files <<- c(files, file_of_working(working))
    kinds[[length(files)]] <<- kinds_of_numbers(result, row, working)
    found <- verify_working(utils::tail(files, 1))
    expect_equal(differing(found), character(), info = info)
    derived <- working$step[!vapply(working$expression, is.null, NA)]
    expect_length(unlist(lapply(working$expression, not_for_a_sheet)), 0L)
    expect_setequal(found$number[found$state == "same"], derived)
  })
  expect_gt(length(files), 100)
  expect_equal(refused_by_schema(files), "")
  broken <- sub("\"number\"", "\"numero\"", readLines(files[1]))
  expect_match(refused_by_schema(written(broken, ending = ".json")), "numero")
  # What the docs say of each number is so.
  said <- readLines(source_file("docs", "workings.md"))
  expect_equal(said, lines_of_kinds(do.call(rbind, kinds)), info = "make workings")
  # Each function has a meaning in words, and no other has.
  expect_setequal(names(imbroglio:::language_meanings), names(imbroglio:::language_functions))
})

test_that("what was changed in the file, or in the prices, is found with its size", {
  prices <- demo_prices()[1:300, c("TARROW", "BAYALL")]
  file <- file_of_working(show_working(measure_volatility(prices), "TARROW", number = "all"))
  text <- paste(readLines(file), collapse = "\n")
  with_change <- function(from, to) {
    expect_match(text, from)
    verify_working(written(sub(from, to, text), ending = ".json"))
  }
  whole <- verify_working(file, prices)
  expect_equal(differing(whole), character())
  expect_true(imbroglio:::is_verified(whole))
  # A choice, an expression, a datum, a number.
  year <- with_change("(\"periods a year\", \"value\": )[0-9.]+", "\\1365")
  was <- as.numeric(whole$again[whole$number == "volatility_annual"])
  own <- basis(measure_volatility(prices))$per_year
  expect_true("volatility_annual" %in% differing(year))
  expect_equal(year$again[year$number == "volatility_annual"], was * sqrt(365 / own))
  expect_true("volatility" %in% differing(with_change("\"sqrt\\(", "\"2 * sqrt(")))
  expect_true("return" %in% differing(with_change("(\"price\": \\[)[0-9.]+", "\\11")))
  expect_equal(differing(with_change("(\"measured\": )[0-9.]+", "\\10.5")), "volatility_annual")
  # Other prices: told where, and what the numbers are by these.
  closes <- as.matrix(as.data.frame(prices)[c("TARROW", "BAYALL")])
  closes[150, "TARROW"] <- closes[150, "TARROW"] * 1.5
  other <- as_prices(data.frame(date = prices$dates, closes))
  moved <- verify_working(file, other)
  again <- as.data.frame(measure_volatility(other))
  expect_equal(
    moved$again[moved$number == "volatility_annual"],
    again$volatility_annual[again$security == "TARROW"]
  )
  expect_match(paste(format(moved), collapse = " "), format(prices$dates[150]))
  short <- verify_working(file, prices[1:250, ])
  expect_false(imbroglio:::is_verified(short))
  expect_match(paste(format(short), collapse = " "), "50 are not there")
  expect_error(verify_working(file, prices[, "BAYALL"]), class = "imbroglio_error_argument")
  given <- as_returns(data.frame(date = prices$dates, R = sin(1:300) / 50), given = "returns")
  of_given <- file_of_working(show_working(measure_var(given)))
  expect_true(imbroglio:::is_verified(verify_working(of_given, given)))
  expect_error(verify_working(of_given, prices), class = "imbroglio_error_argument")
})

# Tables as they come, with what reads them and what is measured of them.
looked_up_cases <- function() {
  two <- c("TARROW", "OSSELL")
  bay <- as.data.frame(demo_prices()[1:300, c(two, "BAYBOND")])
  gaps <- bay
  gaps$TARROW[c(40, 41, 200)] <- NA
  rare <- bay
  rare$BAYBOND[-seq(1, 300, 5)] <- NA
  odd <- stats::setNames(bay[c("date", two, "BAYBOND")], c("date", "NA", "=1+1", "a\"b\\c"))
  moves <- data.frame(date = bay$date[-1], TARROW = diff(log(bay$TARROW)))
  money <- data.frame(date = bay$date[-1], TARROW = 1e4 * diff(bay$TARROW))
  given <- function(what, kind = "simple") function(x) as_returns(x, given = what, kind = kind)
  book <- function(shares, ...) function(x) as_portfolio(x, shares = shares, seed = 1, ...)
  pair <- c(TARROW = 20, OSSELL = 10)
  three <- c(pair, BAYBOND = 5)
  of_one <- list(
    measure_volatility, measure_var, worst_periods, function(x) roll_measures(x, window = 50)
  )
  of_two <- list(correlate_returns, function(x) measure_beta(x, benchmark = "OSSELL"))
  of_any <- c(of_one, backtest_var)
  of_book <- list(measure_volatility, measure_var, measure_return)
  case <- function(table, measures, made = identity, read = as_prices) {
    list(table = table, measures = measures, made = made, read = read)
  }
  list(
    whole = case(bay, c(of_any, of_two)),
    gaps = case(gaps, c(of_any, of_two)),
    weeks = case(bay, c(of_one, of_two), function(x) as_returns(x, every = "week")),
    log = case(bay, c(of_any, of_two), function(x) as_returns(x, kind = "log")),
    odd = case(odd, of_any),
    given = case(moves, of_any, read = given("returns")),
    given_log = case(moves, of_any, read = given("returns", "log")),
    profits = case(money, of_any, read = given("profits")),
    book = case(bay, of_book, book(pair)),
    held = case(bay, of_book, book(pair, rebalance = "never")),
    short = case(bay, of_book, book(c(TARROW = 20, OSSELL = -5), rebalance = "never")),
    priced = case(rare, of_book, book(three, between = "priced")),
    bridged = case(rare, of_book, book(three, between = "bridged")),
    carried = case(rare, of_book, book(three, between = "carried"))
  )
}

test_that("data are looked up in whatever was read, and what is not as it was is told", {
  cases <- looked_up_cases()
  looked_up <- 0L
  for (name in names(cases)) {
    case <- cases[[name]]
    read <- function(table) quietly(case$read(table))
    for (i in seq_along(case$measures)) {
      result <- quietly(case$measures[[i]](case$made(read(case$table))))
      last <- nrow(as.data.frame(result))
      for (row in unique(c(1L, last))) {
        info <- paste(name, i, row)
        file <- file_of_working(imbroglio:::working_of_row(result, row, "all"))
        found <- quietly(verify_working(file, read(case$table)))
        expect_true(imbroglio:::is_verified(found), info = info)
        there <- attr(found, "looked_up")
        looked_up <- looked_up + nrow(there)
        # A value that is used, in the middle, is taken away, is another, or stands twice.
        first <- there[which.max(there$rows), ]
        if (first$rows < 10L) next
        days <- case$table$date
        of_it <- case$table[[first$security]]
        rows <- which(days >= first$from & days <= first$to & is.finite(of_it))
        step <- length(rows) %/% first$rows
        used <- rows[length(rows) %/% 2L + seq_len(step)]
        gone <- other <- case$table
        gone[used, first$security] <- NA
        other[used, first$security] <- other[used, first$security] * 1.01
        said <- c("not there", "another number|other numbers")
        for (k in 1:2) {
          moved <- quietly(verify_working(file, read(list(gone, other)[[k]])))
          expect_false(imbroglio:::is_verified(moved), info = info)
          expect_match(paste(format(moved), collapse = " "), said[k], info = info)
        }
      }
    }
  }
  expect_gt(looked_up, 90L)
  # What was left out of the file then, and is there now.
  whole <- cases$gaps$table
  whole$TARROW[c(40, 41, 200)] <- 20
  file <- file_of_working(show_working(measure_var(as_prices(cases$gaps$table)), "TARROW"))
  found <- verify_working(file, as_prices(whole))
  expect_false(imbroglio:::is_verified(found))
  expect_match(paste(format(found), collapse = " "), "3 more lie between, not there then")
})

test_that("a file from anywhere is data: it is read, never run, and refused with its reason", {
  file <- file_of_working(show_working(measure_var(demo_prices()[1:300, "TARROW"])))
  text <- paste(readLines(file), collapse = "\n")
  flag <- tempfile()
  of_expression <- function(x) {
    sub("\"expression\": \"[^\"]*\"", paste0("\"expression\": \"", x, "\""), text)
  }
  cases <- c(
    working = of_expression(sprintf("file.create('%s')", flag)),
    working = of_expression("(function(x) x)(price)"),
    working = of_expression("return"),
    working = of_expression("price[1]"),
    working = of_expression("'a'"),
    file = of_expression("1 +"),
    file = sub("\"form\": 2", "\"form\": 3", text),
    file = sub("\"dates\": \\[\"[0-9-]*\", ", "\"dates\": [", text),
    file = sub("\"dates\": \\[\"[0-9-]*\"", "\"dates\": [\"soon\"", text),
    file = substr(text, 1, 500), file = "{}", file = "[1, 2]",
    file = "{\"imbroglio\": {\"form\": 2}, \"steps\": 1}",
    file = "date,A\n2024-01-01,1"
  )
  for (i in seq_along(cases)) {
    expect_error(
      verify_working(written(cases[i], ending = ".json")),
      class = paste0("imbroglio_error_", names(cases)[i]), info = substr(cases[i], 1, 60)
    )
  }
  expect_false(file.exists(flag))
  expect_error(verify_working(tempfile()), class = "imbroglio_error_file")
})

test_that("the command says it, with a status, and computes a study's record again", {
  home <- withr::local_tempdir()
  withr::local_dir(home)
  quietly(write_prices(demo_prices()[, c("TARROW", "OSSELL", "BAYALL")], "bay.csv"))
  working_json(show_working(measure_var(demo_prices()[, "BAYALL"])), "var.json")
  same <- imbroglio("verify", "var.json", "bay.csv")
  expect_equal(same$status, 0L)
  expect_match(paste(same$out, collapse = " "), "All 6 derived numbers are the same")
  lower <- sub("(\"level\".*?\"value\": )0.99", "\\10.95", readLines("var.json"), perl = TRUE)
  writeLines(lower, "o.json")
  other <- imbroglio("verify", "o.json", "--format", "json")
  expect_equal(other$status, 1L)
  said <- jsonlite::fromJSON(other$out)
  expect_false(said$verified)
  expect_true("var" %in% differing(said$numbers))
  expect_equal(imbroglio("verify", "var.json", "--price", "close")$status, 2L)
  study <- c("prices: bay.csv", "benchmark: BAYALL", "measures:", "  volatility:", "  beta:")
  writeLines(study, "s.yml")
  quietly(run_study("s.yml", "r", only = c("volatility", "beta", "top")))
  found <- verify_working("r")
  expect_equal(differing(found), character())
  expect_true(imbroglio:::is_verified(found))
  expect_gt(sum(found$state == "same"), 50)
  # The workbook has them as formulas over data of its own, and is what strict readers take.
  book <- recalculated(file.path(home, "r", "tables.xlsx"))
  expect_match(paste(unlist(sheet(book, "Tables")), collapse = " "), "All [0-9]+ derived numbers")
  expect_equal(refused_strictly(file.path(home, "r", "tables.xlsx")), character())
  there <- suppressMessages(readxl::read_excel(book, "Volatility"))
  measured <- utils::read.csv("r/tables/volatility.csv")
  shown <- utils::head(as.numeric(there$volatility_annual), nrow(measured))
  expect_true(near(shown, measured$volatility_annual))
  parts <- utils::unzip(file.path(home, "r", "tables.xlsx"), exdir = "x")
  formulas <- unlist(lapply(parts, readLines, warn = FALSE))
  expect_true(any(grepl("<f>volatility_annual_w[0-9]+</f>", formulas)))
  # What is kept from the run before is there with its data.
  writeLines(sub("beta:", "beta: {per_year: 252}", study), "s.yml")
  quietly(run_study("s.yml", "r", only = c("volatility", "beta", "top")))
  expect_equal(nrow(verify_working("r", demo_prices())), nrow(found))
  # Profits are money, in the record and in the workbook; names are no code.
  table <- data.frame(date = as.Date("2024-01-01") + 1:300, a = 1e3 * sin(1:300), b = cos(1:300))
  names(table)[-1] <- c("=1+1", "NA")
  utils::write.csv(table, "money.csv", row.names = FALSE)
  writeLines(c("prices: money.csv", "given: profits", "measures:", "  var:"), "m.yml")
  quietly(run_study("m.yml", "m", only = c("var", "top")))
  money <- imbroglio("verify", "m", "money.csv", "--given", "profits")
  expect_equal(money$status, 0L)
  expect_match(paste(money$out, collapse = " "), "profits of =1\\+1 and NA")
  sums <- unlist(sheet(recalculated(file.path(home, "m", "tables.xlsx")), "Tables"))
  expect_match(paste(sums, collapse = " "), "All [0-9]+ derived numbers")
  cat("x", file = "r/report.html", append = TRUE)
  changed <- imbroglio("verify", "r")
  expect_equal(changed$status, 1L)
  expect_match(paste(changed$out, collapse = " "), "report.html \\(changed\\)")
})
