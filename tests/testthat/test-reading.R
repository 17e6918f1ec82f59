# What ordinary files say, and what they must never be taken for.

# A column of two prices; each case is a file, what it holds or how it is refused, and what is
# said of how to read it.
two <- function(a, b, first = "10", second = "11", head = "date,A") {
  c(head, paste(a, first, sep = ","), paste(b, second, sep = ","))
}

expect_read <- function(cases) {
  for (case in cases) {
    path <- written(case[[1]])
    how <- case[-(1:2)]
    got <- tryCatch(
      shown(do.call(read_quietly, c(list(path), how))),
      imbroglio_error = function(e) class(e)[1]
    )
    wanted <- if (grepl("^[a-z]", case[[2]])) paste0("imbroglio_error_", case[[2]]) else case[[2]]
    expect_equal(got, wanted, info = paste(c(case[[1]], names(how)), collapse = " / "))
  }
}

test_that("dates are read as they were meant, or refused; never otherwise", {
  iso <- "2024-01-02 10 2024-01-03 11"
  month_end <- "2019-01-31 10 2019-02-28 11"
  expect_read(list(
    list(two("2024-01-02T00:00:00+01:00", "2024-01-03T00:00:00+01:00"), iso),
    list(two("2024-01-02 23:30:00-05:00", "2024-01-03 23:30:00-05:00"), iso),
    list(two("20240102T093000Z", "20240103T093000Z"), iso),
    list(two("2024-01-02 4:00 PM", "2024-01-03 4:00 PM"), iso),
    list(two("24-01-02", "24-01-03"), "ambiguous"),
    list(two("24-01-02", "24-01-03"), iso, dates = "year-first"),
    list(two("24/01/02", "24/01/31"), "2024-01-02 10 2024-01-31 11"),
    list(two("02.01.24", "31.01.24"), "2024-01-02 10 2024-01-31 11"),
    list(two("01/02/2024", "01/03/2024"), "ambiguous"),
    list(two("0024-01-02", "0024-01-03"), "date"),
    list(two("2924-01-02", "2924-01-03"), "date"),
    list(two("2019-01", "2019-02"), month_end),
    list(two("Jan 2019", "Feb 2019"), month_end),
    list(two("201901", "201902"), month_end),
    list(two("2019-Q1", "2019-Q2"), "2019-03-31 10 2019-06-30 11"),
    list(two("2020-W53", "2021-W01"), "2021-01-03 10 2021-01-10 11"),
    list(two("2019-W54", "2021-W01"), "date"),
    list(two("2018", "2019"), "2018-12-31 10 2019-12-31 11"),
    list(two("1704153600", "1704240000"), iso),
    list(two("45293", "45294"), iso),
    list(two("45293", "45294", head = "A,B"), "no_date"),
    list(two("2024-01-02", "2024-01"), "date"),
    list(two("2 January 2024", "3rd Jan 2024"), iso),
    list(two("Tue 2-Jan-24", "Wed 3-Jan-24"), iso)
  ))
})

test_that("numbers are read as they were meant, or refused; never otherwise", {
  iso <- "2024-01-02 10 2024-01-03 11"
  expect_read(list(
    list(c("date;A", "2024-01-02;998", "2024-01-03;1.002"), "ambiguous"),
    list(
      c("date;A", "2024-01-02;998", "2024-01-03;1.002"),
      "2024-01-02 998 2024-01-03 1002",
      decimal = ","
    ),
    list(
      c("date;A", "2024-01-02;998", "2024-01-03;1.002"),
      "2024-01-02 998.000 2024-01-03 1.002",
      decimal = "."
    ),
    list(
      c("date;A;B", "2024-01-02;998;1,5", "2024-01-03;1.002;1,6"),
      "2024-01-02 998 2024-01-03 1002"
    ),
    list(c("date;A;B", "2024-01-02;998;1,5", "2024-01-03;1.02;1,6"), "ambiguous"),
    list(two("2024-01-02", "2024-01-03", "0.998", "1.002"), "2024-01-02 0.998 2024-01-03 1.002"),
    list(two("2024-01-02", "2024-01-03", "1.001", "1.002"), "2024-01-02 1.001 2024-01-03 1.002"),
    list(two("2024-01-02", "2024-01-03", '"1,001"', '"1,002"'), "ambiguous"),
    list(two("2024-01-02", "2024-01-03", "9 8"), "price"),
    list(two("2024-01-02", "2024-01-03", "9 800", "9 900"), "2024-01-02 9800 2024-01-03 9900"),
    list(c(two("2024-01-02", "2024-01-03"), "2024-01-04,11.5%"), "price"),
    list(two("2024-01-02", "2024-01-03", "USD 10.5", "EUR 11.5"), "price"),
    list(
      two("2024-01-02", "2024-01-03", "USD 10.5", "USD 11.5"),
      "2024-01-02 10.5 2024-01-03 11.5"
    ),
    list(two("2024-01-02", "2024-01-03", "1,2,3"), "layout"),
    list(two("2024-01-02", "2024-01-03", "0x1A"), "price"),
    list(two("2024-01-02", "2024-01-03", "1e1", "1.1E+01"), iso),
    list(two("2024-01-02", "2024-01-03", "Inf"), "price"),
    list(two("2024-01-02", "2024-01-03", "1e999"), "not_positive"),
    list(two("2024-01-02", "2024-01-03", "(10)"), "not_positive")
  ))
})

test_that("columns are read as they were meant, or refused; never otherwise", {
  iso <- "2024-01-02 10 2024-01-03 11"
  expect_read(list(
    list(
      c("date,nav,price", "2024-01-02,10,20", "2024-01-03,11,21"),
      "2024-01-02 20 2024-01-03 21",
      price = "price"
    ),
    list(c("date,nav,price", "2024-01-02,10,20", "2024-01-03,11,21"), iso, price = "nav"),
    list(c("date,price,close", "2024-01-02,20,10", "2024-01-03,21,11"), iso, price = "close"),
    list(c("date,price,close", "2024-01-02,20,10", "2024-01-03,21,11"), "layout"),
    list(c("date,close,A", "2024-01-02,20,10", "2024-01-03,21,11"), "layout"),
    list(c(",date,A", "1,2024-01-02,10", "2,2024-01-03,11"), iso),
    list(c("date,id,last_px", "2024-01-02,0700,10", "2024-01-03,0700,11"), iso),
    list(c(",date,A", "7,2024-01-02,10", "9,2024-01-03,11"), "layout"),
    list(c("2024-01-02,10", "2024-01-03,11"), "layout"),
    list(c("20240102,10", "20240103,11"), "layout"),
    list(c("A,20240102,10", "A,20240103,11"), "no_date"),
    list(c("date,A", "2024-01-02,10", "2024-01-03,11,12", "2024-01-04,12,13"), "layout"),
    list(c("date,A,B", "2024-01-02,10", "2024-01-03,11,12"), "layout"),
    list(c("date,A,B", "2024-01-02,10,5", "2024-01-0"), "layout"),
    list(c("date,A,B", "2024-01-02,10,null", "2024-01-03,11,null"), "all_missing"),
    list(
      c(
        "Prices of the Bay", "", "date,A", "2024-01-02,10", "2024-01-03,11", "",
        "Source: the exchange"
      ),
      iso
    ),
    list(c("Fund;Bay Growth", "date;A;B", "2024-01-02;10;1", "2024-01-03;11;2"), iso),
    list(c("date,A", "2024-01-02,10", "2024-01-03,11", "Source: the exchange"), "layout"),
    list(c("date,\"A", "2024-01-02,10", "2024-01-03,11"), "layout"),
    list(c("date,A,note", "2024-01-02,10,ex day", "2024-01-03,11,ex day"), iso),
    list(c("date,A,currency", "2024-01-02,10,EUR", "2024-01-03,11,EUR"), iso),
    list(c("date,A,x1,x2", "2024-01-02,10,b,c", "2024-01-03,11,b,c"), "layout"),
    list(c("date\tA", "2024-01-02\t10", "2024-01-03\t11"), iso),
    list(paste0(two("2024-01-02", "2024-01-03"), "\r"), iso)
  ))
})

test_that("names of securities are text", {
  long <- c(
    "date,security,close",
    paste0(
      "2024-01-0",
      rep(2:3, 4),
      ",",
      rep(c("0700", "1E5", "000005", "A "), each = 2),
      ",",
      10:17
    )
  )
  expect_message(
    prices <- read_prices(written(c(long, "2024-01-04,A,18"))),
    "spaces around names left out"
  )
  expect_equal(colnames(prices), c("0700", "1E5", "000005", "A"))
  expect_equal(sum(!is.na(prices$close[, "A"])), 3L)
  digits <- read_quietly(written(sub("A $|A ,", "0007,", long[1:7])))
  expect_equal(colnames(digits), c("0700", "1E5", "000005"))
  expect_equal(
    colnames(read_quietly(written("date,0700,1E5", "2024-01-02,1,2", "2024-01-03,1,2"))),
    c("0700", "1E5")
  )
  old <- Sys.getlocale("LC_CTYPE")
  withr::defer(Sys.setlocale("LC_CTYPE", old))
  suppressWarnings(Sys.setlocale("LC_CTYPE", "tr_TR.UTF-8"))
  expect_named(
    read_quietly(written("DATE,HIGH,LOW,CLOSE", "2024-01-02,3,1,2", "2024-01-03,3,1,2"))$fields,
    c("high", "low")
  )
})

test_that("numbers are read to the last bit, and days as the calendar has them", {
  set.seed(31)
  x <- c(abs(stats::rnorm(2998)) * 10^sample(-8:12, 2998, TRUE), 0.1, 123456789.123456789)
  days <- sort(sample(seq(as.Date("1800-01-01"), as.Date("2100-12-31"), by = 1), 3000))
  # 17 digits are a number's own.
  prices <- read_quietly(written("date,A", paste0(format(days), ",", sprintf("%.17g", x))))
  expect_identical(prices$close[, 1], x)
  expect_identical(as.numeric(prices$dates), as.numeric(days))
  # Text that the grammar reads.
  x <- x + 1
  german <- read_quietly(written(
    "date;A",
    paste0(
      format(days, "%d.%m.%Y"),
      ";",
      formatC(x, format = "f", digits = 6, big.mark = ".", decimal.mark = ",")
    )
  ))
  expect_equal(
    german$close[, 1],
    as.numeric(formatC(x, format = "f", digits = 6)),
    tolerance = 1e-15
  )
  expect_identical(as.numeric(german$dates), as.numeric(days))
})

test_that("holdings and actions are read as prices are", {
  prices <- as_prices(data.frame(
    date = as.Date("2024-01-01") + 0:3,
    A = c(10, 11, 12, 13),
    B = c(5, 6, 7, 8)
  ))
  held <- function(..., what = "weights") {
    found <- tryCatch(
      suppressMessages(
        do.call(
          as_portfolio,
          c(list(prices), stats::setNames(list(written(...)), what))
        )$holdings
      ),
      imbroglio_error = function(e) class(e)[1]
    )
    if (is.character(found)) {
      sub("imbroglio_error_", "", found)
    } else {
      paste(names(found), signif(found, 6), collapse = " ")
    }
  }
  expect_equal(held("security,weight", "A,50,core", "B,50"), "layout")
  expect_equal(held("security,weight", "A,0.5", "", "B,0.5", "", "Total"), "A 0.5 B 0.5")
  expect_equal(held("security,weight", "A,0.5", "B"), "layout")
  expect_equal(held("security,weight", "A,0.5", "B,"), "weights")
  expect_equal(held("security,weight", "A,50%", "B,50%"), "A 0.5 B 0.5")
  expect_equal(held("security;weight", "A ;0,5", "B;0,5"), "A 0.5 B 0.5")
  expect_equal(held("security;shares", "A;1.000", "B;2.000", what = "shares"), "ambiguous")
  expect_equal(
    held("security;shares", "A;1.000", "B;2.000,0", what = "shares"),
    "A 0.448276 B 0.551724"
  )
  acted <- function(...) {
    found <- tryCatch(
      suppressWarnings(suppressMessages(adjust_prices(prices, written(...))$actions)),
      imbroglio_error = function(e) class(e)[1]
    )
    if (is.character(found)) {
      sub("imbroglio_error_", "", found)
    } else {
      paste(found$security, found$date, found$split, found$dividend, collapse = " ")
    }
  }
  expect_equal(
    acted("security,date,split", "A,2024-01-02,2:1", "B,2024-01-02,1/10"),
    "A 2024-01-02 2 NA B 2024-01-02 0.1 NA"
  )
  expect_equal(
    acted("security;date;dividend", "A;2024-01-03;1,5", "A;2024-01-03;1,5"),
    "A 2024-01-03 NA 1.5"
  )
  expect_equal(
    acted("security,date,split", "A,2024-01-03T00:00:00+01:00,4 for 1"),
    "A 2024-01-03 4 NA"
  )
  expect_equal(acted("security,date,split", "A,2024-01-03,two"), "action")
  expect_equal(acted("security,date,split", "A,2024-01-03,1e999"), "action")
  expect_equal(acted("security,date,split", "A,2024-01-03,2", "A,2024-01-03,3"), "action")
  expect_equal(acted("security,date,split", "A,2024-01-03,2,5"), "layout")
})

test_that("columns are known by every word of nine languages, and an unknown one is asked for", {
  words <- function(role, language) {
    text <- imbroglio:::heading_words[[role]]
    text <- if (is.na(text[language])) text[["en"]] else text[[language]]
    strsplit(trimws(text), "[ \n]+")[[1L]]
  }
  roles <- c("date", "security", "open", "high", "low", "close", "adjusted", "volume")
  n <- 6L
  truth <- data.frame(
    date = rep(as.Date("2024-03-04") + 0:2, 2), security = rep(c("AA", "BB"), each = 3),
    open = 10, high = 20, low = 5, close = 11:16, adjusted = 1:6, volume = c("0.62M", "12k", "7")
  )
  for (language in names(imbroglio:::heading_languages)) {
    first <- vapply(roles, function(role) words(role, language)[1L], "")
    for (role in c(roles, "name", "high_short", "low_short")) {
      of <- sub("_short", "", sub("name", "security", role))
      for (word in words(role, language)) {
        names <- replace(first, of, word)
        # Where two roles share a word, another of the same language stands in.
        if (anyDuplicated(names)) next
        file <- written(paste(names, collapse = ","), do.call(paste, c(truth, sep = ",")))
        read <- quietly(read_prices(file))
        parts <- unclass(read)
        expect_equal(
          list(colnames(parts$close), parts$close[, "BB"], parts$fields$volume[, "AA"],
               parts$fields$high[1, "AA"], parts$dates[3]),
          list(c("AA", "BB"), c(4, 5, 6), c(620000, 12000, 7), c(AA = 20), truth$date[3]),
          ignore_attr = TRUE, info = paste(language, role, word)
        )
      }
    }
  }
  # What a table may hold at once has no word in common, but a security and its value.
  once <- imbroglio:::heading_names[c(setdiff(roles, "security"), "currency", "security")]
  expect_equal(anyDuplicated(unlist(once)), 0L)
  amounts <- imbroglio:::heading_names[c("shares", "value", "weight", "security", "currency")]
  expect_equal(anyDuplicated(unlist(amounts)), 0L)
  # A number that tells rows of a day apart names securities; a date by another word has dates.
  days <- rep(as.Date("2024-01-01") + 0:9, 3)
  papers <- written("date;paper x;price", paste(days, rep(840400 + 1:3, each = 10), 12, sep = ";"))
  expect_error(read_prices(papers), "paper x differs", class = "imbroglio_error_layout")
  wide <- written("date,data,rok", paste(days[1:5], 101:105 / 4, 5:9, sep = ","))
  expect_equal(quietly(read_prices(wide))$rok, 5:9)
  rates <- written("date,currency,rate", paste(days, rep(c("EUR", "GBP", "USD"), each = 10), 1:30,
                                               sep = ","))
  expect_equal(quietly(read_prices(rates))$GBP, 11:20)
  kurse <- written("Datum;W\u00e4hrung;Kurs", paste(days, rep(c("EUR", "GBP", "USD"), each = 10),
                                               "1,5", sep = ";"))
  expect_equal(colnames(quietly(read_prices(kurse))), c("EUR", "GBP", "USD"))
})

test_that("months are known by their names in nine languages", {
  days <- as.Date(sprintf("2023-%02d-15", 1:12))
  written_as <- list(
    de = c("15. Januar 2023", "15. Feb 2023", "15. M\u00e4rz 2023", "15.Apr.2023", "15 Mai 2023",
           "15 Juni 2023", "15-Jul-2023", "15 Aug 2023", "15 Sept 2023", "15 Okt. 2023",
           "15 Nov 2023", "Fr., 15. Dez 2023"),
    fr = c("15 janv. 2023", "15 f\u00e9vr. 2023", "mercredi 15 mars 2023", "15 avr. 2023",
           "15 mai 2023", "15 juin 2023", "15 juil. 2023", "15 ao\u00fbt 2023", "15 sept. 2023",
           "15 oct. 2023", "15 nov. 2023", "15 d\u00e9cembre 2023"),
    es = c("15 de enero de 2023", "15 feb 2023", "15 mar 2023", "15 abr 2023", "15 mayo 2023",
           "15 jun 2023", "15 jul 2023", "15 ago 2023", "15 sep 2023", "15 oct 2023",
           "15 nov 2023", "15 dic 2023"),
    it = paste(15, c("gennaio", "feb", "mar", "apr", "mag", "giu", "lug", "ago", "set", "ott",
                     "nov", "dic"), 2023),
    nl = paste(15, c("jan", "feb", "mrt", "apr", "mei", "jun", "jul", "aug", "sep", "okt", "nov",
                     "dec"), 2023),
    pt = paste(15, c("jan", "fev", "mar", "abr", "mai", "jun", "jul", "ago", "set", "out", "nov",
                     "dez"), 2023),
    pl = paste(15, c("sty", "lut", "marca", "kwi", "maja", "cze", "lip", "sie", "wrz",
                     "pa\u017adziernika", "lis", "gru"), 2023)
  )
  for (language in names(written_as)) {
    file <- written("date;A", paste(written_as[[language]], 1:12, sep = ";"))
    expect_equal(time(quietly(read_prices(file))), days, info = language)
  }
  titled <- written("Kursliste;;", "Stand;31.12.2023;", "Datum;Wertpapier;Schlusskurs",
                    "15. Mai 2023;AA;1,5", "16. Mai 2023;AA;2,5")
  expect_equal(quietly(read_prices(titled))$AA, c(1.5, 2.5))
  # What is of two months is none.
  expect_error(quietly(read_prices(written("date;A", "15 jui 2023;1", "16 jui 2023;2"))),
               class = "imbroglio_error_date")
})

test_that("a cell that is not needed is left empty and told, one that is refuses", {
  lines <- c("2024-01-02,A,10,5", "2024-01-03,A,11,unknown", "2024-01-04,A,12,7 pieces")
  file <- written("date,security,close,volume", lines)
  expect_message(
    prices <- read_prices(file), "2 cells of volume that are no number left empty .*unknown"
  )
  expect_equal(unclass(prices)$fields$volume[, 1], c(5, NA, NA))
  expect_false("unreadable" %in% quietly(check_prices(file))$finding)
  needed <- written("date,security,close,volume", sub(",11,", ",eleven,", lines))
  expect_error(quietly(read_prices(needed)), "column close", class = "imbroglio_error_price")
})

test_that("holdings, trades, limits and securities are read in people's words", {
  prices <- demo_prices()[1:60, c("TARROW", "OSSELL")]
  shared <- imbroglio:::heading_words
  for (language in names(imbroglio:::heading_languages)) {
    words <- function(role) strsplit(trimws(shared[[role]][[language]]), "[ \n]+")[[1L]]
    for (role in c("shares", "value", "weight")) {
      if (!language %in% names(shared[[role]])) next
      for (word in words(role)) {
        name <- setdiff(words("name"), word)[1L]
        file <- written(paste(name, word, sep = ";"), "TARROW;0.25", "OSSELL;0.75")
        book <- quietly(as_portfolio(prices, holdings = file))
        kind <- c(shares = "shares", value = "value", weight = "weight")[[role]]
        got <- if (kind == "shares") book$shares else book$weights
        expect_equal(unname(got), c(0.25, 0.75), info = paste(language, role, word))
      }
    }
    # Bought, then sold, by each word for it.
    for (i in seq_along(words("buy"))) {
      sell <- rep_len(words("sell"), i)[i]
      trades <- written(
        paste("date", words("side")[1L], words("name")[1L], "quantity", sep = ";"),
        paste(time(prices)[3], words("buy")[i], "TARROW", 10, sep = ";"),
        paste(time(prices)[9], sell, "TARROW", 4, sep = ";")
      )
      expect_equal(quietly(as_portfolio(prices, trades = trades))$shares, 6, info = language)
    }
    limits <- written(
      paste(vapply(c("of", "measure", "warn", "limit"), function(w) words(w)[1L], ""),
            collapse = ","),
      "TARROW,var,3%,9%"
    )
    got <- quietly(check_limits(prices, limits))
    expect_equal(c(got$warn, got$limit), c(0.03, 0.09), info = language)
    about <- read_securities(written(
      paste(words("security")[1L], words("currency")[1L], sep = ";"), "TARROW;HBC", "OSSELL;TMC"
    ))
    expect_equal(about$currency, c("HBC", "TMC"), info = language)
  }
})

test_that("of several columns that could be meant the surest is taken, and the others are told", {
  prices <- demo_prices()[1:60, c("TARROW", "OSSELL")]
  # A number of a row, a name and an id stand before what is meant.
  held <- written("position,name,security,shares,value", "1,one,TARROW,30,9", "2,two,OSSELL,10,9")
  expect_message(
    book <- as_portfolio(prices, holdings = held), "not used: position,\\s+name and value"
  )
  expect_equal(book$shares, c(30, 10))
  limits <- written("id,name,of,measure,limit,cap", "7,first,TARROW,var,5%,9%")
  expect_message(found <- check_limits(prices, limits), "Not used of the limits: id, name and cap")
  expect_equal(c(found$security, found$limit), c("TARROW", "0.05"))
  priced <- written("id,isin,symbol,date,close", "1,X,A,2024-01-02,5", "2,X,A,2024-01-03,6")
  expect_equal(colnames(quietly(read_prices(priced))), "A")
})

test_that("volumes in words are as many pieces as they say, by either mark, and nothing else is", {
  times <- c(k = 1e3, tsd = 1e3, M = 1e6, Mio = 1e6, `Mio.` = 1e6, mln = 1e6, bn = 1e9, Mrd = 1e9)
  for (mark in c(".", ",")) {
    for (unit in names(times)) {
      text <- paste0(c("1", "0#5", "12#25"), c("", " ", "\u00a0"), unit)
      expect_equal(
        imbroglio:::large_numbers(gsub("#", mark, text, fixed = TRUE), mark),
        times[[unit]] * c(1, 0.5, 12.25), info = paste(mark, unit)
      )
    }
  }
  # "mil" is a thousand here and a million there.
  other <- c("mil", "12 pieces", "M", "", "1 2 M x", "5 %", "n/a")
  expect_true(all(is.na(imbroglio:::large_numbers(other, "."))))
  # A price is never counted so.
  expect_error(quietly(read_prices(written("date,security,close", "2024-01-02,A,1.2M"))),
               class = "imbroglio_error_price")
})
