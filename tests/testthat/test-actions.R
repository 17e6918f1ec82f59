# Splits and dividends among prices: read where they stand in place of a price, told by name, and
# never out of a word beside one. tests/attack/texts.R makes thousands of such files.

days <- format(as.Date("2024-01-01") + 0:29)
a <- round(100 * cumprod(c(1, rep(c(1.01, 0.995), 15)))[1:30], 2)
b <- round(50 * cumprod(c(1, rep(c(0.99, 1.012), 15)))[1:30], 2)
a[15:30] <- round(a[15:30] / 2, 2)
b[20:30] <- round(b[20:30] / 5, 2)

test_that("a word in another column takes nothing away", {
  cases <- list(
    names = c("date,security,name,close", sprintf(
      "%s,%s,%s,%s", days, rep(c("AAA", "BBB"), each = 30),
      rep(c("Global Dividend 100", "Split Share 3 to 1 Trust"), each = 30), c(a, b)
    )),
    note = c("date,AAA,BBB,note", sprintf(
      "%s,%s,%s,%s", days, a, b, ifelse(seq_along(days) == 15, "split 2:1", "")
    )),
    row_note = c("date,security,close,comment", sprintf(
      "%s,%s,%s,%s", days, rep(c("AAA", "BBB"), each = 30), c(a, b),
      ifelse(rep(seq_along(days), 2) == 15, "dividend 0.47", "")
    ))
  )
  for (name in names(cases)) {
    read <- told_of(read_prices(written(cases[[name]])))
    expect_equal(unname(read$value$close), cbind(a, b), ignore_attr = TRUE, info = name)
    expect_null(read$value$actions, info = name)
    # A note that tells of an action is named as one that is not used.
    expect_equal(any(grepl("not used, though it says", read$told)), name != "names", info = name)
  }
  # The rates of a day are kept too.
  rates <- written("date,TMC,remark", sprintf(
    "%s,%s,%s", days, a, ifelse(a == a[3], "stock split 1:2", "")
  ))
  expect_equal(nrow(suppressMessages(read_prices(rates))$close), 30L)
})

test_that("what stands in a price's place is an action, named, and the jump is not silent", {
  plain <- sprintf("%s,%s,%s", days, rep(c("AAA", "BBB"), each = 30), c(a, b))
  forms <- list(
    cell = c(
      "date,security,close", append(plain, c(
        paste0(days[15], ",AAA,Split 2:1"), paste0(days[10], ",AAA,0.47 dividend")
      ), 4)
    ),
    kind = c(
      "date,security,close,type", append(paste0(plain, ",PRICE"), c(
        paste0(days[15], ",AAA,2,SPLIT"), paste0(days[10], ",AAA,0.47,Cash dividend")
      ), 4)
    ),
    columns = c("date,security,close,dividend,split", sprintf(
      "%s,%s,%s", plain, ifelse(plain == plain[10], 0.47, 0), ifelse(plain == plain[15], "2:1", "")
    )),
    wide = c("date,AAA,BBB", append(sprintf("%s,%s,%s", days, a, b), c(
      paste0(days[15], ",Split 2:1,"), paste0(days[10], ",Dividend 0.47,")
    ), 9))
  )
  for (name in names(forms)) {
    file <- written(forms[[name]])
    read <- told_of(read_prices(file))
    prices <- read$value
    expect_equal(unname(prices$close), cbind(a, b), ignore_attr = TRUE, info = name)
    actions <- prices$actions[order(prices$actions$date), ]
    expect_equal(actions$security, c("AAA", "AAA"), info = name)
    expect_equal(format(actions$date), days[c(10, 15)], info = name)
    expect_equal(actions$split, c(NA, 2), info = name)
    expect_equal(actions$dividend, c(0.47, NA), info = name)
    expect_match(paste(read$told, collapse = " "), "AAA split 2 of 2024-01-15", info = name)
    measured <- told_of(measure_return(prices))
    expect_true("imbroglio_warning_unadjusted" %in% measured$told, info = name)
    adjusted <- told_of(measure_return(adjust_prices(prices)))
    expect_false("imbroglio_warning_unadjusted" %in% adjusted$told, info = name)
    # By hand: each close before the split halved, before the dividend by its share of the close.
    factor <- c(rep((1 - 0.47 / a[9]) / 2, 9), rep(0.5, 5), rep(1, 16))
    by_hand <- diff(a * factor) / utils::head(a * factor, -1)
    own <- as.matrix(as_returns(adjust_prices(prices)))[, "AAA"]
    expect_equal(unname(own), by_hand, tolerance = 1e-12, info = name)
    # What is put right keeps its actions, and reads back as it was.
    findings <- suppressMessages(check_prices(file))
    repaired <- suppressMessages(repair_prices(file, findings[findings$remedy != "split", ]))
    kept <- tempfile(fileext = ".csv")
    write_prices(repaired, kept, layout = "long")
    back <- suppressMessages(read_prices(kept))
    expect_equal(back$close, repaired$close, info = name)
    kept <- back$actions[order(back$actions$date), ]
    expect_equal(kept, actions, ignore_attr = TRUE, info = name)
    expect_message(write_prices(repaired, tempfile(fileext = ".csv")), "no place in a wide table")
  }
  # Where only some rows say what they are, a split may be the price of the day.
  half <- written("date,close,type", sprintf("%s,%s,%s", days, a, ifelse(a == a[15], "split", "")))
  expect_error(
    read_prices(half), "holds the price of the day", class = "imbroglio_error_ambiguous"
  )
  odd <- written(
    "date,security,close,type", paste0(plain, ",PRICE"), paste0(days[3], ",AAA,0.05,RIGHTS"),
    paste0(days[15], ",AAA,2,SPLIT")
  )
  expect_error(read_prices(odd), "RIGHTS", class = "imbroglio_error_action")
})

test_that("words in a column of that name are no amounts, and thousands no fractions", {
  funds <- written("date,security,close,distribution,split", sprintf(
    "%s,AAA,%s,accumulating,no", days, a
  ))
  expect_equal(unname(read_prices(funds)$close[, 1]), a)
  expect_null(read_prices(funds)$actions)
  plain <- sprintf("%s,%s", days, a)
  thousands <- written("date,AAA", plain, paste0(days[9], ",\"Dividend 1,200\""))
  expect_error(read_prices(thousands), "1,200", class = "imbroglio_error_price")
  for_one <- written("date,AAA", plain, paste0(days[15], ",2-for-1 split"))
  expect_equal(suppressMessages(read_prices(for_one))$actions$split, 2)
})

test_that("a kind that is written in a file of actions is obeyed", {
  prices <- as_prices(data.frame(date = as.Date(days), AAA = a))
  kinds <- written("date,security,type,amount", paste0(days[15], ",AAA,SPLIT,2:1"),
                   paste0(days[10], ",AAA,Dividend,0.47"))
  plain <- written(
    "date,security,split,dividend", paste0(days[15], ",AAA,2,"), paste0(days[10], ",AAA,,0.47")
  )
  expect_equal(adjust_prices(prices, kinds)$close, adjust_prices(prices, plain)$close)
  # Closes that are adjusted already are not adjusted again in silence.
  already <- as_prices(data.frame(date = as.Date(days), AAA = a * rep(c(0.5, 1), c(14, 16))))
  expect_warning(adjust_prices(already, plain), class = "imbroglio_warning_adjusted")
  expect_warning(
    store_prices(already, tempfile(fileext = ".sqlite"), actions = plain),
    class = "imbroglio_warning_adjusted"
  )
  expect_no_warning(adjust_prices(prices, plain))
  for (line in c("AAA,SPLIT,", "AAA,,2", "AAA,merger,2")) {
    bad <- written("date,security,type,amount", paste0(days[15], ",", line),
                   paste0(days[10], ",AAA,DIVIDEND,0.47"))
    expect_error(adjust_prices(prices, bad), class = "imbroglio_error_action", info = line)
  }
})

test_that("prices make no column of names, formulas without values are told, bombs refused", {
  torn <- written("date,AAA,BBB", sprintf("%s,%s p/st,%s", days, a, b))
  expect_error(read_prices(torn), "AAA", class = "imbroglio_error_price")
  skip_if_not_installed("openxlsx")
  sheet <- function(fill) {
    path <- tempfile(fileext = ".xlsx")
    book <- openxlsx::createWorkbook()
    openxlsx::addWorksheet(book, "P & Q")
    openxlsx::writeData(book, 1, data.frame(date = as.Date(days), AAA = a, BBB = b))
    fill(book)
    openxlsx::saveWorkbook(book, path)
    path
  }
  unvalued <- sheet(function(book) openxlsx::writeFormula(book, 1, c("B3*2", "B4*2"), 3, 4))
  read <- told_of(read_prices(unvalued))
  expect_true("imbroglio_warning_formula" %in% read$told)
  expect_match(paste(read$told, collapse = " "), "C4 and C5")
  expect_equal(which(is.na(read$value$close[, "BBB"])), 3:4)
  far <- sheet(function(book) {
    openxlsx::writeData(book, 1, 1, startCol = 16384, startRow = 1048576, colNames = FALSE)
  })
  took <- system.time(
    expect_error(read_prices(far), "XFD1048576", class = "imbroglio_error_layout")
  )
  expect_lt(took[["elapsed"]], 10)
  columns <- written(paste0("date,", paste0("S", 1:100001, collapse = ",")), "2024-01-01,1")
  expect_error(read_prices(columns), "100,000 at most", class = "imbroglio_error_layout")
})
