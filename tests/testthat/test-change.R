# Why a number moved: parts that add up, and are those of a known truth.

change_of <- function(...) quietly(explain_change(...))

parts_of <- function(result) stats::setNames(result$moved, sub(",? [0-9].*$", "", result$cause))

all_orders <- function(x) {
  if (length(x) < 2L) return(list(x))
  begun <- function(one) lapply(all_orders(setdiff(x, one)), function(rest) c(one, rest))
  unlist(lapply(x, begun), FALSE)
}

test_that("parts add up to the change between what the measure gives, each day", {
  prices <- demo_prices()[1:420, c("OSSELL", "TARROW", "BAYBOND", "BAYALL")]
  shares <- c(OSSELL = 100, TARROW = 60, BAYBOND = 40)
  book_at <- function(day) quietly(as_portfolio(window(prices, end = day), shares = shares))
  by_hand <- function(day, measure) {
    book <- book_at(day)
    x <- if (measure == "var") {
      measure_var(book)
    } else {
      today <- as.matrix(as_returns(prices))[, names(shares)]
      rows <- prices$dates[-1] <= day & stats::complete.cases(today)
      # Volatility and falls are of the book as it is held today, as the limits are.
      path <- as.vector(today[rows, ] %*% as.data.frame(book)$weight)
      made <- as_returns(data.frame(date = prices$dates[-1][rows], BOOK = path), given = "returns")
      if (measure == "drawdown") measure_drawdown(made) else measure_volatility(made)
    }
    columns <- c(var = "var", drawdown = "max_drawdown", volatility = "volatility_annual")
    as.data.frame(quietly(x))[[columns[[measure]]]]
  }
  for (row in seq(400, 420, by = 4)) {
    day <- prices$dates[row]
    book <- book_at(day)
    before <- prices$dates[row - 1L]
    for (measure in c("var", "volatility", "drawdown")) {
      found <- change_of(book, measure = measure)
      expect_equal(sum(found$moved), by_hand(day, measure) - by_hand(before, measure),
                   tolerance = 1e-9, info = paste(day, measure))
      expect_equal(sum(found$moved), found$number_after[1] - found$number_before[1],
                   tolerance = 1e-12)
    }
    money <- change_of(book, last = "200 returns", since = "1 month")
    expect_setequal(sub("^[0-9]+ returns? that ([a-z]+),.*$", "\\1", money$cause), c(
      "came", "left", "weights that moved with prices"
    ))
    values <- attr(money, "changes")$BOOK$ends[, "money"]
    expect_equal(sum(money$moved_value), diff(values)[[1]], tolerance = 1e-12)
  }
})

test_that("a cause that differs alone has all of the change, and nothing else has a part", {
  prices <- demo_prices()[1:400, c("OSSELL", "TARROW", "BAYALL")]
  book <- as_portfolio(prices, shares = c(OSSELL = 100, TARROW = 60), cash = 500)
  other <- as.matrix(prices)
  other[200, "OSSELL"] <- other[200, "OSSELL"] * 0.9
  restated <- as_prices(other)
  cases <- list(
    "level" = list(book, book, choices = list(level = 0.95), choices_before = list(level = 0.99)),
    "method" = list(book, book, choices = list(method = "normal"), choices_before = list()),
    "trades" = list(book, as_portfolio(prices, shares = c(OSSELL = 100, TARROW = 80), cash = 500)),
    "trades" = list(book, as_portfolio(prices, shares = c(OSSELL = 100, BAYALL = 2), cash = 500)),
    "cash" = list(book, as_portfolio(prices, shares = c(OSSELL = 100, TARROW = 60), cash = 900)),
    "prices that were restated" = list(
      book, as_portfolio(restated, shares = c(OSSELL = 100, TARROW = 60), cash = 500)
    ),
    "other weights" = list(
      as_portfolio(prices, weights = c(OSSELL = 0.5, TARROW = 0.5)),
      as_portfolio(prices, weights = c(OSSELL = 0.2, TARROW = 0.8))
    )
  )
  for (i in seq_along(cases)) {
    found <- do.call(change_of, cases[[i]])
    of <- function(book, chosen) {
      as.data.frame(quietly(do.call(measure_var, c(list(book), chosen))))$var
    }
    one <- cases[[i]]
    change <- of(one[[2]], one$choices) - of(one[[1]], one$choices_before)
    expect_match(found$cause, names(cases)[i])
    expect_equal(found$moved, change, tolerance = 1e-12, info = names(cases)[i])
    expect_gt(abs(change), 0)
    # The other way it is the same the other way round.
    back <- cases[[i]]
    back[1:2] <- back[2:1]
    back[c("choices", "choices_before")] <- cases[[i]][c("choices_before", "choices")]
    back <- back[!vapply(back, is.null, NA)]
    if (is.null(back$choices_before)) back$choices_before <- list()
    expect_equal(do.call(change_of, back)$moved, -found$moved, tolerance = 1e-12)
  }
  same <- change_of(book, book)
  expect_equal(same$cause, "nothing differs")
  expect_identical(same$moved, 0)
  expect_match(imbroglio:::headline(same), "nothing moved it")
})

test_that("each part is the mean over all orders, whatever the holdings are called", {
  prices <- demo_prices()[1:300, c("OSSELL", "TARROW")]
  earlier <- window(prices, end = prices$dates[260])
  then <- as_portfolio(earlier, shares = c(OSSELL = 100, TARROW = 60))
  now <- as_portfolio(prices, shares = c(OSSELL = 80, TARROW = 90), cash = 300)
  asked <- list(
    then, now, last = "150 returns", choices = list(level = 0.9),
    choices_before = list(level = 0.97)
  )
  found <- do.call(change_of, asked)
  values <- attr(found, "changes")$BOOK$values[, "number"]
  k <- log2(length(values))
  expect_equal(k, nrow(found))
  expect_gt(k, 5)
  by_order <- vapply(all_orders(seq_len(k)), function(order) {
    on <- cumsum(c(0, 2^(order - 1)))
    stats::setNames(diff(values[on + 1]), order)[as.character(seq_len(k))]
  }, numeric(k))
  expect_equal(found$moved, unname(rowMeans(by_order)), tolerance = 1e-12)
  # Other names and another order of the same.
  renamed <- as.matrix(prices)[, 2:1]
  colnames(renamed) <- c("A", "B")
  renamed <- as_prices(renamed)
  asked[[1]] <- as_portfolio(window(renamed, end = prices$dates[260]), shares = c(A = 60, B = 100))
  asked[[2]] <- as_portfolio(renamed, shares = c(B = 80, A = 90), cash = 300)
  expect_equal(do.call(change_of, asked)$moved, found$moved, tolerance = 1e-10)
})

test_that("the day and the holding that did it are named", {
  prices <- as.matrix(demo_prices()[1:300, c("OSSELL", "TARROW")])
  prices[300, ] <- prices[299, ] * c(0.7, 1)
  table <- as_prices(prices)
  book <- as_portfolio(table, shares = c(OSSELL = 100, TARROW = 60))
  found <- change_of(book, measure = "volatility")
  expect_match(found$mattered[1], paste0("^", rownames(prices)[300]))
  expect_match(found$mattered[2], "^OSSELL")
  # A day that leaves the window takes away what it brought.
  late <- as.matrix(demo_prices()[1:300, "TARROW"])
  late[101, ] <- late[100, ] * 0.7
  late[102:300, ] <- late[102:300, ] * 0.7
  left <- change_of(as_prices(late), measure = "volatility", last = "199 returns")
  expect_match(left$cause, "that left", all = FALSE)
  expect_equal(left$mattered[grepl("left", left$cause)], sprintf(
    "%s %s", rownames(late)[101],
    unname(imbroglio:::signed_difference(left$moved[grepl("left", left$cause)], "fraction"))
  ))
})

test_that("books of unlike things, what is beside a benchmark, and tables are explained", {
  mixed <- demo_unlike()
  found <- change_of(mixed, since = "1 week")
  expect_equal(found$number_after[1], quietly(measure_var(mixed))$var, tolerance = 1e-9)
  expect_match(found$cause, "drawn anew", all = FALSE)
  table <- demo_prices()[1:400, c("OSSELL", "TARROW", "BAYALL")]
  book <- as_portfolio(table, shares = c(OSSELL = 100, TARROW = 60))
  for (measure in c("beta", "tracking_error")) {
    for (x in list(book, table)) {
      found <- change_of(
        x, measure = measure, benchmark = "BAYALL", since = "1 month", last = "300 returns"
      )
      ends <- vapply(attr(found, "changes"), function(one) diff(one$ends[, "number"]), 0)
      expect_equal(as.vector(tapply(found$moved, found$security, sum)[names(ends)]), unname(ends))
    }
  }
  apart <- change_of(table[, "TARROW"], measure = "es", last = "50 returns", since = "4 months")
  expect_match(apart$cause, "50 returns from .* instead of 50 returns from")
})

test_that("two records of one measure are explained by what differs between them", {
  folder <- withr::local_tempdir()
  file.copy(demo_file(c("bay.csv", "bay-fund.csv", "bay-holdings.csv")), folder)
  withr::local_dir(folder)
  ran <- function(...) {
    line <- strsplit(paste(...), " ")[[1]]
    quietly(imbroglio:::run_command(c(line, "--out", "out.json")))
    jsonlite::fromJSON("out.json")$results
  }
  book <- "bay.csv bay-fund.csv --holdings bay-holdings.csv"
  then <- ran("var", book, "--to 2025-11-28 --record then.json")
  now <- ran("var", book, "--level 0.95 --record now.json")
  found <- ran("change then.json now.json")
  expect_equal(sum(found$moved), now$var - then$var, tolerance = 1e-12)
  expect_match(found$cause, "level 0.95 instead of 0.99", all = FALSE)
  ran("volatility", book, "--record other.json")
  expect_error(ran("change then.json other.json"), "Two records of one measure")
  alone <- ran("change", book, "--since 2025-11-28 --level 0.95")
  expect_equal(alone$number_after[1], now$var)
})

test_that("a record of which the files went on is refused, and what a book was then is told", {
  folder <- withr::local_tempdir()
  withr::local_dir(folder)
  closes <- as.data.frame(demo_prices()[1:601, c("TARROW", "OSSELL")])
  ran <- function(...) {
    words <- c(scan(text = paste(...), what = "", quiet = TRUE), "--out", "out.json")
    told_of(imbroglio:::run_command(words))$told
  }
  write.csv(closes[1:600, ], "p.csv", row.names = FALSE)
  ran("var p.csv --security TARROW --record then.json")
  ran("volatility p.csv --shares TARROW=5,OSSELL=9 --to 2017-06-30 --record moved.json")
  ran("volatility p.csv --shares TARROW=5,OSSELL=9 --record held.json")
  ran("volatility p.csv --security TARROW --window 50 --record rolled.json")
  told <- ran("change moved.json held.json")
  expect_match(told, "as it was held then; this is of the book as held today", all = FALSE)
  expect_error(ran("change then.json then.json --since 2018-01-01"), "of no use beside records")
  expect_error(ran("change rolled.json rolled.json"), "has no one number")
  # The next morning the same file has a day more.
  write.csv(closes, "p.csv", row.names = FALSE)
  ran("var p.csv --security TARROW --record now.json")
  expect_error(ran("change then.json now.json"), "cannot be done again")
})

test_that("what is said names the level, the numbers and the parts, and what is so now is told", {
  prices <- as.matrix(demo_prices()[1:300, "TARROW"])
  prices[300, ] <- prices[299, ] * 0.5
  table <- as_prices(prices)
  found <- change_of(table, choices = list(level = 0.995), last = "250 returns")
  said <- imbroglio:::headline(found)
  expect_match(said, "^TARROW. Value at risk at 99.5 %: ")
  number <- function(x) trimws(imbroglio:::unit_text$fraction(x))
  ends <- paste0(number(found$number_after[1]), ", and was ", number(found$number_before[1]))
  expect_match(said, ends, fixed = TRUE)
  expect_match(said, "1 return that came \\+")
  expect_false(grepl("that left", said))
  expect_equal(found$number_after[1], quietly(
    measure_var(window(as_returns(table), last = "250 returns"), 0.995)
  )$var)
  drawn <- ggplot2::layer_data(ggplot2::autoplot(found), 3L)
  expect_equal(drawn$xend - drawn$x, found$moved[order(-abs(found$moved))])
  told <- told_of(explain_change(table[201:300, ], choices = list(level = 0.999)))$told
  expect_match(told, "fewer than one lies beyond", all = FALSE)
  # A value beside the numbers is a cause of the money alone.
  valued <- change_of(
    table, table, choices = list(value = 300), choices_before = list(value = 100)
  )
  expect_equal(valued$cause, "another value")
  expect_equal(valued$moved_value, 200 * quietly(measure_var(table))$var)
  # What stands at its default is no other choice.
  expect_equal(
    change_of(table, table, choices = list(level = 0.99), choices_before = list())$cause,
    "nothing differs"
  )
  logs <- as_returns(table, kind = "log")
  expect_equal(
    sum(change_of(logs)$moved),
    quietly(measure_var(logs)$var - measure_var(window(logs, end = rownames(prices)[299]))$var)
  )
})

test_that("two results are explained by what they were measured of", {
  prices <- demo_prices()[1:300, c("OSSELL", "TARROW", "BAYALL")]
  book_at <- function(row, shares) quietly(as_portfolio(prices[1:row, ], shares = shares))
  then <- book_at(290, c(OSSELL = 100, TARROW = 60))
  now <- book_at(300, c(OSSELL = 50, TARROW = 60))
  var <- function(x, ...) quietly(measure_var(x, ...))
  # As the books with the choices.
  found <- change_of(var(then, 0.95), var(now, 0.99, method = "normal"))
  expect_equal(as.data.frame(found), as.data.frame(change_of(
    then, now, choices = list(level = 0.99, method = "normal"),
    choices_before = list(level = 0.95, method = "historical")
  )))
  expect_true(all(c("trades", "method normal instead of historical") %in% found$cause))
  tail_loss <- change_of(var(then), var(now), measure = "es")
  expect_equal(tail_loss$number_after[1], var(now)$es)
  beta <- function(row) measure_beta(prices[1:row, ], benchmark = "BAYALL")
  moved <- change_of(beta(290), beta(300))
  expect_equal(
    as.vector(tapply(moved$moved, moved$security, sum)), beta(300)$beta - beta(290)$beta
  )
  refused <- list(
    quote(explain_change(var(then), beta(300))),
    quote(explain_change(var(then), now)),
    quote(explain_change(var(then), var(now), choices = list(level = 0.9))),
    quote(explain_change(var(then), var(now), since = "1 week")),
    quote(explain_change(var(then, c(0.9, 0.95)), var(now))),
    quote(explain_change(measure_volatility(then), measure_volatility(now))),
    quote(explain_change(
      measure_volatility(prices, window = 20), measure_volatility(prices, window = 20)
    )),
    quote(explain_change(measure_beta(prices, "TARROW"), measure_beta(prices, "BAYALL")))
  )
  for (call in refused) {
    expect_error(quietly(eval(call)), class = "imbroglio_error_argument", info = deparse(call)[1])
  }
})

test_that("what cannot be explained is refused", {
  prices <- demo_prices()[1:100, c("OSSELL", "TARROW")]
  book <- as_portfolio(prices, shares = c(OSSELL = 100, TARROW = 60))
  refused <- list(
    quote(explain_change(book, measure = "sharpe")),
    quote(explain_change(book, choices = list(level = c(0.9, 0.95)))),
    quote(explain_change(book, choices = list(levels = 0.9))),
    quote(explain_change(book, since = "2100-01-01")),
    quote(explain_change(book, since = "9 years")),
    quote(explain_change(book, prices)),
    quote(explain_change(book, book, since = "1 week")),
    quote(explain_change(prices, held_before = "x.csv")),
    quote(explain_change(book, measure = "beta")),
    quote(explain_change(book, as_portfolio(prices, weights = c(OSSELL = 1)))),
    quote(explain_change(prices[, "OSSELL"], prices[, "TARROW"]))
  )
  for (call in refused) expect_error(eval(call), class = "imbroglio_error_argument")
  expect_error(explain_change(mtcars), class = "imbroglio_error")
})
