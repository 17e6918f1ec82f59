# The records of a study's days: what moved the numbers, by whom, and who broke a limit.

# A study of three securities and a benchmark, run on some days; `each` changes the files before.
morning_study <- function(prices, shares, limits = NULL, more = character()) {
  folder <- tempfile("mornings-")
  dir.create(folder)
  place <- function(name) file.path(folder, name)
  made <- list(
    folder = place("report"), runs = place("report/runs"),
    hold = function(shares, cash = 0) {
      rows <- paste(c(names(shares), "cash"), c(unname(shares), cash), sep = ",")
      writeLines(c("security,quantity", rows), place("held.csv"))
    },
    price = function(table) {
      write.csv(data.frame(date = rownames(table), table), place("prices.csv"), row.names = FALSE)
    },
    say = function(...) {
      writeLines(c(
        "prices: prices.csv", "book: {holdings: held.csv}", "benchmark: BAYALL",
        if (!is.null(limits)) "limits: limits.csv", ...
      ), place("study.yml"))
    }
  )
  made$run <- function(day, only = "top", ...) {
    made$price(prices[rownames(prices) <= day, ])
    quietly(run_study(place("study.yml"), made$folder, only = only, today = day, ...))
    imbroglio:::read_day(file.path(made$runs, paste0(day, ".json")))
  }
  made$change <- function(day, row, security, by) {
    prices[row, security] <<- prices[row, security] * by
  }
  if (!is.null(limits)) write.csv(limits, place("limits.csv"), row.names = FALSE)
  made$hold(shares)
  made$say(more)
  made
}

days_of_bay <- function(rows = 1:330) {
  as.matrix(demo_prices()[rows, c("OSSELL", "TARROW", "BAYBOND", "BAYALL")])
}

group_of <- function(day, name, group) {
  sum(day$parts$moved[day$parts$name == name & day$parts$group == group])
}

number_of <- function(day, name) day$numbers$number[day$numbers$name == name]

test_that("what is recorded of each day adds up, and is of what did it", {
  prices <- days_of_bay()
  dates <- rownames(prices)
  # The last two days are alike, and so are all prices on them.
  prices[330, ] <- prices[329, ]
  held <- c(OSSELL = 100, TARROW = 60, BAYBOND = 40)
  study <- morning_study(prices, held, more = "window: 40")
  first <- study$run(dates[320])
  expect_true(is.na(first$since))
  expect_equal(nrow(first$parts), 0L)
  second <- study$run(dates[321])
  expect_equal(format(second$since), dates[320])
  names_of <- c("worth", "var", "var_money", "recent", "volatility", "fall", "beta")
  expect_setequal(second$numbers$name, names_of)
  moved <- function(now, then) {
    for (name in names_of) {
      expect_equal(
        sum(now$parts$moved[now$parts$name == name]), number_of(now, name) - number_of(then, name),
        tolerance = 1e-9, info = name
      )
    }
  }
  moved(second, first)
  expect_true(all(second$parts$group == "market"))
  # Against the measures, and prices times shares.
  book <- quietly(as_portfolio(read_prices(file.path(dirname(study$folder), "prices.csv")),
                               holdings = file.path(dirname(study$folder), "held.csv")))
  expect_equal(number_of(second, "var"), quietly(measure_var(book))$var)
  expect_equal(number_of(second, "worth"), sum(prices[321, names(held)] * held))
  yearly <- quietly(measure_volatility(book))$volatility_annual
  expect_equal(number_of(second, "volatility"), yearly)

  # A trade and a day: the worth by hand, the mean of going first and of going last.
  other <- held * c(2, 1, 1)
  study$hold(other)
  third <- study$run(dates[329])
  moved(third, second)
  worth <- function(row, held) sum(prices[row, names(held)] * held)
  expect_equal(group_of(third, "worth", "trades"), mean(c(
    worth(321, other) - worth(321, held), worth(329, other) - worth(329, held)
  )))
  expect_true(all(vapply(setdiff(names_of, "var_money"), function(name) {
    abs(group_of(third, name, "trades")) > 0
  }, NA)))
  expect_match(third$parts$mattered[third$parts$name == "worth"], "OSSELL", all = FALSE)
  # A trade on a day on which no price moved: nothing is worth more by the market.
  study$hold(held)
  fourth <- study$run(dates[330])
  moved(fourth, third)
  expect_equal(group_of(fourth, "worth", "market"), 0)
  # Once more on the same day, as before: its record is of the day before again.
  again <- study$run(dates[330], fresh = TRUE)
  expect_equal(again, fourth)
  files <- list.files(study$runs, full.names = TRUE)
  expect_equal(refused_by_schema(files, c("record", "day.schema.json")), "")

  # The same through the days, in a table, in words and as one change.
  found <- quietly(history_of_runs(study$folder))
  last <- found[found$measure == "var", ]
  expect_equal(last$estimate, vapply(list(first, second, third, fourth), number_of, 0, "var"))
  expect_equal(last$moved[-1], last$by_market[-1] + last$by_trades[-1] + last$by_neither[-1])
  expect_equal(last$estimate[4] - last$untraded_since[4], sum(last$by_trades[-1]))
  for (measure in c("var", "recent", "worth", "beta", "fall")) {
    change <- quietly(explain_change(study$runs, measure = measure, since = dates[320]))
    expect_equal(
      sum(change$moved), number_of(fourth, measure) - number_of(first, measure), tolerance = 1e-9
    )
  }
  two <- quietly(explain_change(
    file.path(study$runs, paste0(dates[321], ".json")),
    file.path(study$runs, paste0(dates[329], ".json")), measure = "worth"
  ))
  expect_equal(two$moved[two$cause == "trades"], group_of(third, "worth", "trades"))
  expect_match(in_words(found)[1], "Worth: ")
  expect_match(
    paste(imbroglio("history", study$folder)$out, collapse = " "), "by trades.*BOOK. Value at"
  )
  expect_match(
    paste(imbroglio("change", study$folder, "--measure", "worth")$out, collapse = " "), "trades"
  )
})

test_that("what was restated, chosen or lost between the days is neither market nor trade", {
  prices <- days_of_bay(1:150)
  dates <- rownames(prices)
  study <- morning_study(prices, c(OSSELL = 100, TARROW = 60), more = "levels: 0.9")
  first <- study$run(dates[147])
  study$change(1, 100, "OSSELL", 0.8)
  second <- study$run(dates[148])
  ours <- second$parts[second$parts$group == "other", ]
  expect_true("var" %in% ours$name && all(ours$says == "OSSELL restated"))
  # By hand: the number of the day before with the restated price, less what was recorded.
  was <- as_prices(prices[1:147, ])
  other <- prices
  other[100, "OSSELL"] <- other[100, "OSSELL"] * 0.8
  now <- quietly(measure_var(
    as_portfolio(as_prices(other[1:147, ]), shares = c(OSSELL = 100, TARROW = 60)), 0.9
  ))$var
  expect_equal(ours$moved[ours$name == "var"], now - number_of(first, "var"))
  # Prices that only were scaled have the same returns, and are not restated.
  study$say("levels: 0.95")
  third <- study$run(dates[149])
  ours <- third$parts[third$parts$group == "other", ]
  expect_setequal(ours$name, c("var", "var_money"))
  expect_equal(unique(ours$says), "level 0.95 instead of 0.9")

  # A day that is gone: what moved between is not told apart.
  fourth <- study$run(dates[150])
  file.remove(file.path(study$runs, paste0(dates[149], ".json")))
  told <- told_of(history_of_runs(study$runs))
  expect_match(told$told, "is not told apart", all = FALSE)
  var <- told$value[told$value$measure == "var", ]
  expect_true(is.na(var$by_market[3]))
  change <- quietly(explain_change(study$runs, since = dates[147]))
  expect_true("days without a record" %in% change$cause)
  expect_equal(sum(change$moved), number_of(fourth, "var") - number_of(first, "var"))
  expect_match(in_words(told$value)[2], "what is not told apart")
  # A number that some days lack; what is of no use; what is of another folder.
  days <- lapply(list.files(study$runs, full.names = TRUE), imbroglio:::read_day)
  days[[2]]$numbers <- days[[2]]$numbers[days[[2]]$numbers$name != "var", ]
  moves <- quietly(imbroglio:::moves_recorded(days))
  whole <- imbroglio:::with_lost_days(moves$parts, moves$numbers, "var")
  expect_equal(sum(whole$moved), number_of(days[[3]], "var") - number_of(days[[1]], "var"))
  expect_error(explain_change(study$runs, choices = list(level = 0.9)), "`choices` is of no use")
  file <- list.files(study$runs, full.names = TRUE)[1]
  elsewhere <- file.path(withr::local_tempdir(), basename(file))
  file.copy(file, elsewhere)
  expect_error(explain_change(file, elsewhere), "of one folder")
  # What others changed is no record any more, and stays beside.
  file <- file.path(study$runs, paste0(dates[148], ".json"))
  writeLines(sub("\"OSSELL\": 100", "\"OSSELL\": 900", readLines(file)), file)
  study$say("levels: 0.95", "window: 30")
  expect_warning(run_study(file.path(dirname(study$folder), "study.yml"), study$folder, "top"),
                 class = "imbroglio_warning_kept")
  expect_setequal(list.files(study$runs), c(
    paste0(dates[c(147, 150)], ".json"), paste0(dates[148], ".json.as-found")
  ))
  writeLines("{}", file.path(study$runs, "2000-01-01.json"))
  expect_error(history_of_runs(study$runs), "no record of a day", class = "imbroglio_error_file")
  expect_error(history_of_runs(tempdir()), "no records of days", class = "imbroglio_error_file")
  kept <- imbroglio:::days_to_keep(as.Date("2026-01-02") - 0:1400)
  recent <- as.Date("2026-01-02") - as.Date("2024-01-02")
  expect_equal(sum(kept > as.Date("2024-01-02")), as.numeric(recent))
  expect_false(anyDuplicated(format(kept[kept <= as.Date("2024-01-02")], "%Y-%m")) > 0)
})

test_that("of a limit that is broken it is told whether the market or a trade did it", {
  prices <- days_of_bay(1:120)
  prices[, c("OSSELL", "TARROW", "BAYBOND")] <- 100 # nolint
  prices[, "OSSELL"] <- 100 + (seq_len(120) %% 2) * 0.1
  prices[, "TARROW"] <- 100 + (seq_len(120) %% 3) * 0.1
  prices[120, "OSSELL"] <- 130
  dates <- rownames(prices)
  limits <- function(limit) {
    data.frame(of = c("OSSELL", "TARROW"), measure = "weight", limit = c(limit, 0.2))
  }
  study <- morning_study(prices, c(OSSELL = 50, TARROW = 50), limits(0.55))
  study$run(dates[119])
  # OSSELL is 50 % then; by price 56.5 %, by trades 60 %, by both 66.1 %.
  cases <- list(
    list(limit = 0.55, held = c(OSSELL = 50, TARROW = 50), came = "the market"),
    list(limit = 0.58, held = c(OSSELL = 60, TARROW = 40), came = "trades"),
    list(limit = 0.63, held = c(OSSELL = 60, TARROW = 40), came = "both"),
    list(limit = 0.55, held = c(OSSELL = 60, TARROW = 40), came = "either")
  )
  said <- c(
    "the market" = "the market broke it: since", trades = "; trades broke it",
    both = "the market and trades broke it together", either = "trades alone would have"
  )
  weight <- function(row, held) {
    held[[1]] * prices[row, 1] / sum(held * prices[row, 1:2])
  }
  for (case in cases) {
    book <- as_portfolio(as_prices(prices), shares = case$held)
    found <- quietly(check_limits(
      book, limits(case$limit), runs = study$folder, today = dates[120]
    ))
    expect_equal(found$came_of, c(case$came, "before the records"))
    expect_match(in_words(found)[1], said[[case$came]], fixed = TRUE)
    expect_match(in_words(found)[2], "it was so on each day that is recorded")
    now <- weight(120, case$held)
    expect_equal(found$untraded[1], weight(120, c(50, 50)))
    expect_equal(found$of_market[1] + found$of_trades[1], now - weight(119, c(50, 50)))
    expect_equal(unname(unlist(show_working(found, "OSSELL")$value)), now)
    expect_equal(format(found$within_on[1]), dates[119])
  }
  # A limit that is another since was beyond it then already, and no one traded or moved it so.
  lower <- quietly(check_limits(book, limits(0.45), runs = study$folder, today = dates[120]))
  expect_equal(lower$came_of[1], "another limit")
  expect_match(in_words(lower)[1], "the limit is another since")
  # A trade that does not move what is limited is no trade of it.
  file <- list.files(study$runs, full.names = TRUE)
  day <- imbroglio:::read_day(file)
  day$limits[1, c("security", "measure", "lookback", "state")] <- list(
    "OSSELL", "volatility", 50, "within"
  )
  own <- data.frame(of = "OSSELL", measure = "volatility", limit = 0.1)
  other <- quietly(check_limits(book, own, window = 50, runs = list(day), today = dates[120]))
  expect_equal(other$of_trades, 0)
  expect_match(in_words(other), "no trade moved it")
  study$hold(case$held)
  day <- study$run(dates[120])
  expect_equal(day$limits$state, c("broken", "broken"))
  page <- paste(readLines(file.path(study$folder, "report.html")), collapse = " ")
  expect_match(page, said[["either"]], fixed = TRUE)
  out <- imbroglio(
    "limits", file.path(dirname(study$folder), "prices.csv"), "--runs", study$folder, "--limits",
    file.path(dirname(study$folder), "limits.csv"), "--shares", "OSSELL=60,TARROW=40"
  )$out
  expect_match(paste(out, collapse = " "), said[["either"]], fixed = TRUE)
  expect_true(all(is.na(found$came_of[found$state != "broken"])))
})

test_that("a book without a worth is told in money, a price by its digits", {
  prices <- days_of_bay(1:130)
  dates <- rownames(prices)
  # Short as much as long.
  hedge <- 100 * prices[[129, "OSSELL"]] / prices[[129, "TARROW"]]
  neutral <- morning_study(prices, c(OSSELL = 100, TARROW = -hedge))
  first <- neutral$run(dates[129])
  second <- neutral$run(dates[130])
  expect_equal(unique(second$numbers$unit[second$numbers$name != "beta"]), "money")
  found <- quietly(history_of_runs(neutral$folder))
  expect_false(any(grepl("%|pp", in_words(found)[-2])))
  said <- in_words(quietly(explain_change(neutral$folder)))
  expect_false(any(grepl("%|pp", sub("at 99 %", "", said, fixed = TRUE))))
  expect_equal(
    group_of(second, "worth", "market"), number_of(second, "worth") - number_of(first, "worth")
  )
  one <- morning_study(prices, c(OSSELL = 1))
  file <- file.path(dirname(one$folder), "study.yml")
  writeLines(c("prices: prices.csv", "choose: [TARROW]"), file)
  one$run(dates[129])
  day <- one$run(dates[130])
  expect_equal(group_of(day, "price", "market"), prices[[130, "TARROW"]] - prices[[129, "TARROW"]])
  page <- paste(readLines(file.path(one$folder, "report.html")), collapse = " ")
  expect_match(page, "Why they moved")
  expect_false(grepl("[0-9][.][0-9]{9}", sub("^.*Why they moved(.*?)</dl>.*$", "\\1", page)))
  # Of another series in the same folder nothing is compared.
  writeLines(c("prices: prices.csv", "choose: [OSSELL]"), file)
  write.csv(data.frame(date = dates, prices), file.path(dirname(file), "prices.csv"),
            row.names = FALSE)
  expect_message(run_study(file, one$folder, "top"), "2 records of other books")
  expect_equal(unique(quietly(history_of_runs(one$folder))$security), "OSSELL")
  # A book that is younger than a month has no month before, and all else.
  late <- prices
  late[1:118, "BAYBOND"] <- NA
  young <- morning_study(late, c(OSSELL = 10, BAYBOND = 20))
  young$run(dates[130])
  page <- paste(readLines(file.path(young$folder, "report.html")), collapse = " ")
  has <- function(pattern) grepl(pattern, page)
  expect_true(has("id=\"t-changes\".*Since [-0-9]+: 1 of [0-9]+ holdings has no prices: BAYBOND"))
  expect_true(has("<dt>Volatility a year, all</dt>"))
  # Where there are too few returns for a number there is none, and nothing that moved it.
  expect_false(has("<dt>Volatility a year, last 60 returns</dt>"))
  writeLines("prices: prices.csv", file)
  quietly(run_study(file, file.path(dirname(one$folder), "many"), "top"))
  expect_false(dir.exists(file.path(dirname(one$folder), "many", "runs")))
})
