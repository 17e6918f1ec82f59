# Sources that are never whole: whatever is measured of their blocks is as of the whole table.

# Securities as unlike as they come: one or two prices, months and weeks among days, late, early,
# with gaps.
unlike_universe <- function() {
  base <- demo_prices()[1:400, c("TARROW", "BAYALL", "OSSELL", "BAYBOND", "CORRACK")]
  m <- as.matrix(base)
  rownames(m) <- NULL
  n <- nrow(m)
  set.seed(4)
  walk <- function(start, sd) start * exp(cumsum(rnorm(n, 0, sd)))
  only <- function(x, rows) replace(x, setdiff(seq_len(n), rows), NA)
  ends <- which(!duplicated(format(base$dates, "%Y-%m"), fromLast = TRUE))
  m <- cbind(
    LONE = only(walk(5, 0), 200), LONER = only(walk(7, 0), 201), m,
    MONTHLY = only(walk(100, 0.03), pmax(ends - 3, 1)), LATE = only(walk(9, 0.01), 300:n),
    EARLY = only(walk(3, 0.02), 1:150), GAPS = only(walk(80, 0.01), sample(n, 250)),
    WEEKLY = only(walk(50, 0.02), seq(3, n, 5))
  )
  quietly(as_prices(m, dates = base$dates))
}

new_folder <- function() {
  above <- tempfile()
  dir.create(above)
  file.path(above, "prices")
}

# Two securities in each block, or as many as the memory has room for.
opened_small <- function(source, memory = 1, ...) {
  x <- quietly(open_prices(source, ...))
  x$memory <- memory
  x
}

both_of <- function(prices) {
  folder <- new_folder()
  write_prices(prices, folder)
  list(whole = quietly(read_prices(folder)), opened = opened_small(folder))
}

expect_as_whole <- function(blocks, whole, info) {
  if (is.matrix(whole)) return(expect_identical(blocks, whole, info = info))
  expect_identical(as.data.frame(blocks), as.data.frame(whole), info = info)
  a <- unclass(basis(blocks))
  b <- unclass(basis(whole))
  # Beside another table the digest is that of the source alone.
  for (name in setdiff(names(b), if (info == "separate") "digest")) {
    expect_identical(a[[name]], b[[name]], info = paste(info, name))
  }
  told <- function(x) tryCatch(quietly(in_words(x)), imbroglio_error_argument = conditionMessage)
  expect_identical(told(blocks), told(whole), info = info)
}

asked_of_blocks <- quote(list(
  by_week = measure_volatility(as_returns(x[, daily], "log", every = "week")),
  by_month = measure_beta(as_returns(x, every = "month"), b),
  span = measure_summary(window(x, start = "2016-09-01", end = "2017-04-30"), b),
  tracking_of_a_year = measure_tracking(window(x, last = "1 year"), b),
  fits = fit_returns(x, test_draws = 19),
  garch = fit_garch(x),
  backtest = backtest_var(x, window = 60),
  levels = measure_var(x, level = c(0.95, 0.99), horizon = c(1, 5)),
  methods = measure_var(x, method = c("student", "garch", "historical", "hill")),
  risk_free = measure_return(x, risk_free = "BAYBOND"),
  later = measure_return(window(as_returns(x, "log"), start = "2016-06-01")),
  during = measure_drawdown(window(x, during = "2016")),
  two = measure_beta(x, c("BAYALL", "BAYBOND"), window = 30),
  unlike = measure_beta(x, "MONTHLY"),
  side_by_side = measure_beta(x[, daily], b, every = c("week", "month"), last = "1 year"),
  together = measure_beta(x, c("BAYALL", "BAYBOND"), together = TRUE),
  bare = measure_volatility(x[, daily], window = 20, as = "matrix"),
  bare_pairs = measure_tracking(x, b, as = "matrix", window = 20),
  ranked = measure_summary(x, sort_by = "volatility_annual"),
  runs = worst_periods(x, 2, 1, horizon = 3, window = 30),
  memory = volatility_series(x, method = c("ewma", "garch")),
  falls = drawdown_series(x),
  weekly = measure_capture(x, "WEEKLY"),
  separate = measure_beta(x[, daily], benchmark_table)
))[-1L]

test_that("whatever is measured in blocks is as of the whole table, to the bit", {
  two <- both_of(unlike_universe())
  across <- "^(correlation|change|choices|limits)[.]"
  calls <- case_calls(TRUE)
  calls <- c(calls[!grepl(across, names(calls))], as.list(asked_of_blocks))
  expect_gt(length(calls), 60)
  value_of <- function(call, x) {
    data <- case_data(x, "BAYALL", c("historical", "normal", "student", "ewma"))
    data$daily <- c("LATE", "TARROW", "BAYALL", "OSSELL", "BAYBOND")
    data$benchmark_table <- quietly(as_prices(stats::setNames(data.frame(
      demo_prices()$dates[1:400], as.matrix(demo_prices())[1:400, "DUNLACE"]
    ), c("date", "DUNLACE"))))
    quietly(eval(call, data))
  }
  for (name in names(calls)) {
    expect_as_whole(
      value_of(calls[[name]], two$opened), value_of(calls[[name]], two$whole), name
    )
  }
})

test_that("what goes across securities is refused beyond the memory, and right within it", {
  two <- both_of(unlike_universe()[, c("TARROW", "BAYALL", "OSSELL", "BAYBOND", "WEEKLY")])
  calls <- case_calls(TRUE)
  calls <- calls[grepl("^(correlation|change|choices|limits)[.]", names(calls))]
  expect_gt(length(calls), 5)
  roomy <- two$opened
  roomy$memory <- 1e8
  for (name in names(calls)) {
    of <- function(x) quietly(eval(calls[[name]], case_data(x, "BAYALL")))
    if (!grepl("window", name)) expect_error(of(two$opened), class = "imbroglio_error_memory")
    expect_identical(as.data.frame(of(roomy)), as.data.frame(of(two$whole)), info = name)
  }
  shares <- c(TARROW = 10, OSSELL = 5)
  book <- function(x) quietly(as_portfolio(x, shares = shares, benchmark = "BAYALL"))
  for (f in list(measure_volatility, measure_var, split_var)) {
    expect_identical(
      as.data.frame(quietly(f(book(roomy)))), as.data.frame(quietly(f(book(two$whole))))
    )
  }
  beside <- function(x) measure_beta(book(x), "BAYALL")
  expect_identical(as.data.frame(beside(roomy)), as.data.frame(beside(two$whole)))
  shares <- c(TARROW = 10, OSSELL = 5, BAYBOND = 20, WEEKLY = 4)
  expect_error(book(two$opened), class = "imbroglio_error_memory")
  expect_error(as_prices(two$opened), "Pick securities", class = "imbroglio_error_memory")
  expect_identical(as_prices(roomy)$close, two$whole$close)
  expect_error(as_prices(as_returns(roomy)), class = "imbroglio_error_argument")
  record <- tempfile(fileext = ".json")
  run_record(quietly(measure_volatility(roomy, window = 60))[50:60, ], record)
  expect_length(jsonlite::fromJSON(record)$answer$results$volatility, 11)
  page <- tempfile(fileext = ".html")
  quietly(write_report(as_returns(roomy, every = "week"), page, only = "volatility"))
  expect_match(paste(readLines(page), collapse = ""), "weekly")
  expect_error(as_prices(roomy)[, "NONE"], class = "imbroglio_error_security")
  expect_error(two$opened[, "NONE"], class = "imbroglio_error_security")
  expect_error(measure_beta(roomy, "NONE"), class = "imbroglio_error_security")
  expect_error(window(roomy, start = "2031"), class = "imbroglio_error_too_short")
  for (size in list("lots", "5KB", 12, c("1GB", "2GB"), "-1GB")) {
    expect_error(open_prices(tempdir(), memory = size), class = "imbroglio_error_argument")
  }
})

test_that("workings, figures and listings of blocks read what is shown, and say the same", {
  two <- both_of(unlike_universe()[, c("TARROW", "BAYALL", "OSSELL", "BAYBOND", "WEEKLY")])
  asked <- as.list(quote(list(
    measure_volatility(x), measure_beta(x, "BAYALL"), measure_var(x, method = "student"),
    measure_tracking(window(x, last = "1 year"), "BAYALL"), measure_drawdown(x),
    measure_volatility(x, window = 40), backtest_var(x, window = 60), fit_garch(x)
  )))[-1L]
  for (call in asked) {
    blocks <- quietly(eval(call, list(x = two$opened)))
    whole <- quietly(eval(call, list(x = two$whole)))
    row <- max(which(whole$security == "TARROW"))
    expect_identical(
      working_json(quietly(show_working(blocks[row, ]))),
      working_json(quietly(show_working(whole[row, ]))), info = deparse(call)
    )
    figure <- quietly(ggplot2::autoplot(blocks[blocks$security == "TARROW", ]))
    expect_s3_class(figure, "ggplot")
  }
  breaches <- lapply(two[c("opened", "whole")], function(x) {
    as.data.frame(backtest_breaches(quietly(backtest_var(x[, "TARROW"], window = 60))))
  })
  expect_identical(breaches$opened, breaches$whole)
  fits <- quietly(fit_garch(two$opened[, c("TARROW", "OSSELL")]))
  expect_equal(nrow(generics::tidy(fits)), 8)
  expect_equal(as.data.frame(predict(fits, 3)), as.data.frame(
    predict(quietly(fit_garch(two$whole[, c("TARROW", "OSSELL")])), 3)
  ))
  # What was measured is not there any more.
  found <- measure_volatility(two$opened)
  attr(found, "measured_by")$given[[1L]]$reader$parted <- function(field, names) {
    two$whole$close[, names, drop = FALSE] * seq_len(400)
  }
  expect_error(show_working(found[1, ]), "another now", class = "imbroglio_error_source")
})

test_that("each kind of source is read in blocks as it is read whole", {
  folder <- tempfile()
  dir.create(folder)
  at <- function(name) file.path(folder, name)
  bay <- demo_prices()[2000:2573, 1:5]
  daily <- quietly(read_prices(demo_file("bay-daily.csv.xz")))[1:300, c("TARROW", "OSSELL")]
  traded <- quietly(read_prices(demo_file("bay-daily.csv.xz"), price = "close"))
  quietly(write_prices(bay, at("wide.parquet")))
  newest <- as.data.frame(bay)[nrow(bay):1, c(2, 3, 1, 4:6)]
  names(newest)[3] <- "__index_level_0__"
  newest[[3]] <- as.POSIXct(newest[[3]], tz = "UTC")
  nanoparquet::write_parquet(newest, at("frame.parquet"))
  expect_message(open_prices(at("frame.parquet")), "newest first")
  quietly(write_prices(bay, at("wide.csv")))
  quietly(write_prices(bay, at("long.csv"), layout = "long"))
  quietly(write_prices(daily, at("daily.csv"), layout = "long"))
  quietly(write_prices(daily, at("daily.parquet"), layout = "long"))
  close(con <- gzfile(at("daily.csv.gz"), "wb"))
  writeLines(readLines(at("daily.csv")), con <- gzfile(at("daily.csv.gz")))
  close(con)
  for (year in 2024:2025) {
    dir.create(at("years"), showWarnings = FALSE)
    write_prices(window(bay, during = year), at(sprintf("years/%d.csv", year)))
  }
  quietly(store_prices(traded[1:300, ], at("kept.sqlite"), demo_file("bay-actions.csv")))
  quietly(store_prices(bay, at("plain.sqlite")))
  write_prices(daily, at("folder"))
  sources <- list(
    list(at("wide.parquet")), list(at("frame.parquet")),
    list(at("wide.csv")), list(at("wide.csv"), "400KB"),
    list(at("long.csv")), list(at("long.csv"), "1MB"), list(at("daily.csv"), "1MB"),
    list(at("daily.csv.gz"), "400KB"), list(at("daily.parquet")), list(at("years")),
    list(at("kept.sqlite")), list(at("kept.sqlite"), price = "close"), list(at("plain.sqlite")),
    list(at("folder")), list(at("folder"), price = "close"),
    list(at(c("years/2024.csv", "years/2025.csv")))
  )
  asked <- list(
    measure_volatility, measure_drawdown, function(x) measure_beta(x, "OSSELL"),
    function(x) measure_volatility(x, method = "yang-zhang")
  )
  for (source in sources) {
    memory <- if (length(source) > 1L && is.null(names(source))) source[[2L]] else "1GB"
    info <- paste(c(basename(source[[1L]]), memory), collapse = " ")
    whole <- quietly(read_prices(source[[1L]], price = source$price))
    x <- quietly(open_prices(source[[1L]], memory = memory, price = source$price))
    expect_equal(dimnames(x), dimnames(whole), info = info)
    x$memory <- 1
    for (f in asked) {
      a <- tryCatch(quietly(f(whole)), imbroglio_error = class)
      b <- tryCatch(quietly(f(x)), imbroglio_error = class)
      if (is.character(a)) expect_identical(b, a) else expect_as_whole(b, a, info)
    }
  }
  expect_message(open_prices(at("long.csv")), "laid out", class = "imbroglio_note_laid_out")
})

test_that("a text in pieces is read as a whole, or refused", {
  dates <- format(as.Date("2023-01-02") + 0:599, "%d/%m/%Y")
  lines <- sprintf("%s,%s,%.2f", rep(dates, 2), rep(c("\"A, B\"", "C"), each = 600), 100 + 1:1200)
  file <- written("date,security,close", lines)
  whole <- quietly(read_prices(file))
  x <- quietly(open_prices(file, memory = "400KB"))
  expect_identical(as_prices(x)$close, whole$close)
  expect_identical(as_prices(x)$digest, whole$digest)
  # Days of the first twelve of a month alone do not say what they are.
  early <- lines[as.integer(substr(lines, 1, 2)) <= 12]
  unclear <- written("date,security,close", lines[1:10], rep(early, 4), lines[11:20])
  expect_error(
    quietly(open_prices(unclear, memory = "400KB")), class = "imbroglio_error_ambiguous"
  )
  expect_error(
    quietly(open_prices(unclear, memory = "400KB", dates = "day-first")),
    NA
  )
  twice <- written("date,security,close", lines, sub(",[0-9.]+$", ",1.00", lines[5]))
  expect_error(
    quietly(open_prices(twice, memory = "400KB")), "Line .* of file",
    class = "imbroglio_error_duplicate"
  )
  wide <- tempfile(fileext = ".csv")
  con <- file(wide, "w", encoding = "UTF-16LE")
  writeLines(c("date,security,close", lines), con)
  close(con)
  expect_error(open_prices(wide, memory = "400KB"), class = "imbroglio_error_encoding")
  # What stands below, or in one piece alone, does not part the pieces; what stands above does.
  days <- as.Date("2023-01-02") + 0:399
  rows <- sprintf("%s,%.2f,%.2f", days, 100 + sin(1:400), 50 + cos(1:400))
  units <- sprintf("%s,%s,%.2f,%s", rep(days, each = 3), c("A", "B", "C"), 100 + sin(1:1200),
                   c("HBC", "TMC", "HBC"))
  euro <- gsub("[.]", ",", gsub(",", ";", rows))
  for (text in list(
    c("date,A,B", rev(rows), "", "Source: the desk"),
    c("date,security,close,currency", units),
    c("\ufeffdate;A;B", paste0(euro, "\r")),
    c("Prices of the desk", "as of, 2024-02-05", "", "date,A,B", rows)
  )) {
    file <- written(text)
    whole <- quietly(read_prices(file))
    x <- quietly(open_prices(file, memory = "100KB"))
    expect_equal(x$about, whole$about, info = text[1], ignore_attr = TRUE)
    expect_as_whole(measure_volatility(x), measure_volatility(whole), text[1])
  }
  long <- tempfile(fileext = ".parquet")
  write_prices(quietly(read_prices(demo_file("bay.csv"))), long, layout = "long")
  expect_error(open_prices(long, memory = "100KB"), class = "imbroglio_error_memory")
  expect_error(open_prices("there-is-none.csv"), class = "imbroglio_error_file")
  expect_error(open_prices(7), class = "imbroglio_error_argument")
  kept <- new_folder()
  quietly(open_prices(file, memory = "400KB", folder = kept))
  expect_identical(quietly(read_prices(kept))$close, whole$close)
})

test_that("what is wrong in a text is said of its line and found, in pieces as whole", {
  days <- as.Date("2023-01-02") + 0:399
  texts <- list(
    "date,A,B" = sprintf("%s,%.2f,%.2f", days, 100 + sin(1:400), 50 + cos(1:400)),
    "The desk's prices\n\ndate,security,close" = sprintf(
      "%s,%s,%.2f", rep(days, each = 3), c("A", "B", "C"), 100 + sin(1:1200)
    )
  )
  faults <- list(
    function(x, i) replace(x, i, sub("[^,]+$", "x", x[i])),
    function(x, i) replace(x, i, sub("^[^,]+", "soon", x[i])),
    function(x, i) replace(x, i, sub("[^,]+$", "-3", x[i])),
    function(x, i) append(x, x[i], i),
    function(x, i) append(x, sub("[^,]+$", "7", x[i]), i + 150L)
  )
  open_quote <- function(x, i) replace(x, i, sub(",", ",\"", x[i]))
  places <- c(31L, 163L, 331L, 390L)
  key <- function(found) {
    found <- as.data.frame(found)[c("security", "date", "finding", "detail", "severity", "remedy")]
    sort(do.call(paste, found))
  }
  for (head in names(texts)) {
    for (fault in c(faults, open_quote)) {
      file <- written(head, fault(texts[[head]], places[3]))
      refused <- function(code) tryCatch(quietly(code), imbroglio_error = identity)
      a <- refused(read_prices(file))
      b <- refused(open_prices(file, memory = "100KB"))
      # The same row again is only said.
      if (!inherits(a, "condition")) next
      expect_identical(class(b), class(a), info = head)
      expect_identical(b$line, a$line, info = paste(head, conditionMessage(b)))
    }
    with_none <- if (startsWith(head, "date")) {
      sub(",", ",,", texts[[head]])
    } else {
      c(texts[[head]], "2023-03-01,NONE,")
    }
    of_all <- function(faults) {
      written(sub("A,", "NONE,A,", head), Reduce(function(x, i) {
        faults[[i]](x, places[1L + i %% 4L] - 7L * i)
      }, seq_along(faults), with_none))
    }
    whole <- quietly(check_prices(of_all(faults)))
    expect_true(all(c("unreadable", "no price", "duplicate, differs") %in% whole$finding))
    pieces <- quietly(check_prices(of_all(faults), memory = "100KB"))
    expect_equal(key(pieces), key(whole), info = head)
    nothing <- written("date,A,B", paste0(days, ",,"))
    expect_error(
      quietly(check_prices(nothing, memory = "100KB")), "A and B have no price",
      class = "imbroglio_error_all_missing"
    )
    none <- written("date,note", paste0(days, ",seen"))
    for (memory in list(NULL, "100KB")) {
      expect_error(
        quietly(check_prices(none, memory = memory)), "no column of prices",
        class = "imbroglio_error_layout"
      )
    }
    # All can be put right but for two prices for one day.
    few <- of_all(faults[1:4])
    right <- quietly(repair_prices(few, check_prices(few)))
    expect_false("NONE" %in% colnames(right))
    expect_false(any(quietly(check_prices(right))$severity == "error"))
  }
})

test_that("what is wrong in one file of several is found there", {
  folder <- tempfile("many-")
  dir.create(folder)
  days <- as.Date("2023-01-02") + 0:99
  rows <- list(A = sprintf("%s,%.2f", days, 100 + sin(1:100)), NONE = paste0(days, ","))
  rows$B <- replace(rows$A, c(50, 70), paste0(days[c(50, 70)], c(",oops", ",0")))
  for (name in names(rows)) {
    writeLines(c("date,close", rows[[name]]), file.path(folder, paste0(name, ".csv")))
  }
  columns <- c("security", "date", "finding", "detail", "severity", "remedy")
  sorted <- function(found) found[order(found$security, found$date, found$finding), columns]
  whole <- as.data.frame(check_prices(folder))
  pieces <- as.data.frame(quietly(check_prices(folder, memory = "100KB")))
  expect_match(whole$detail[whole$finding == "unreadable"], "line 51 of file B.csv")
  expect_equal(sorted(pieces), sorted(whole), ignore_attr = TRUE)
})

test_that("a folder of prices keeps all that is known, and is tested when it is read", {
  store <- tempfile(fileext = ".sqlite")
  traded <- quietly(read_prices(demo_file("bay-daily.csv.xz"), price = "close"))
  quietly(store_prices(traded[1:200, 1:6], store, demo_file("bay-actions.csv")))
  daily <- quietly(read_prices(store, securities = demo_file("bay-securities.csv")))
  folder <- new_folder()
  write_prices(daily, folder)
  again <- read_prices(folder)
  for (part in c("dates", "close", "fields", "measured", "about", "actions", "repairs")) {
    expect_equal(again[[part]], daily[[part]], info = part)
  }
  digest <- imbroglio:::digest_of(daily$dates, daily$close)
  expect_identical(again$digest, digest)
  expect_gt(nrow(again$actions), 0)
  expect_identical(as_prices(open_prices(folder, price = "open"))$close, daily$fields$open)
  expect_error(open_prices(folder, price = "none"), class = "imbroglio_error_argument")
  expect_error(write_prices(daily, folder), class = "imbroglio_error_file")
  nowhere <- file.path(folder, "no", "where")
  expect_error(write_prices(daily, nowhere), class = "imbroglio_error_file")
  dated <- as_prices(data.frame(date = daily$dates[1:3], security = "date", close = 1:3))
  expect_error(write_prices(dated, new_folder()), class = "imbroglio_error_security")
  expect_error(write_prices(as_returns(open_prices(folder)), new_folder()), "of prices")
  # A copy, block by block, is the same to the byte but for what is said of the source.
  copy <- new_folder()
  write_prices(opened_small(folder), copy)
  expect_identical(read_prices(copy)$digest, digest)
  x <- opened_small(folder)
  x$reader["digest"] <- list(NULL)
  expect_identical(basis(measure_volatility(x))$digest, digest)
  damage <- function(name, change) {
    broken <- new_folder()
    dir.create(broken)
    file.copy(list.files(folder, full.names = TRUE), broken, recursive = TRUE)
    file <- file.path(broken, name)
    writeBin(change(readBin(file, "raw", file.size(file))), file)
    expect_error(read_prices(broken), class = "imbroglio_error_file", info = name)
  }
  flip <- function(bytes) {
    middle <- length(bytes) %/% 2
    bytes[middle] <- xor(bytes[middle], as.raw(4))
    bytes
  }
  for (name in c("close/00001.parquet", "dates.parquet", "actions.parquet", "about.parquet")) {
    # A byte may stand for nothing that is read, such as a least value of names.
    if (name != "about.parquet") damage(name, flip)
    damage(name, function(bytes) head(bytes, 100))
  }
  damage("prices.json", function(bytes) head(bytes, 40))
  for (change in list(c("form 1", "form 9"), c("\"dates\": 200", "\"dates\": 2"))) {
    damage("prices.json", function(bytes) charToRaw(sub(change[1], change[2], rawToChar(bytes))))
  }
})

test_that("blocks are measured by any plan, and one that dies is named", {
  forget_registered()
  third <- 3
  register_var_method("third-worst", local(function(r, level) c(-sort(r)[third], NA)))
  two <- both_of(unlike_universe())
  asked <- list(
    function(x) measure_beta(x, "BAYALL"), function(x) measure_beta(x, "WEEKLY"),
    function(x) measure_summary(x, "BAYALL", sort_by = "var"),
    function(x) measure_var(x, method = c("historical", "third-worst"))
  )
  by <- function(x, plan, ...) {
    before <- future::plan(plan, ...)
    withr::defer(future::plan(before))
    lapply(asked, function(f) told_of(f(x)))
  }
  one <- by(two$opened, future::sequential)
  for (plan in list(future::multicore, future::multisession)) {
    several <- by(two$opened, plan, workers = 2)
    for (i in seq_along(asked)) {
      expect_as_whole(several[[i]]$value, quietly(asked[[i]](two$whole)), i)
      expect_identical(several[[i]]$told, one[[i]]$told)
    }
  }
  here <- Sys.getpid()
  register_var_method("deadly", function(r, level) {
    if (Sys.getpid() != here && length(r) < 200) tools::pskill(Sys.getpid(), tools::SIGKILL)
    c(1, NA)
  })
  long <- c("TARROW", "BAYALL", "OSSELL", "BAYBOND")
  alike <- both_of(unlike_universe()[, c(long, "LATE", "EARLY")])
  before <- future::plan(future::multicore, workers = 2)
  withr::defer(future::plan(before))
  expect_warning(
    found <- measure_var(alike$opened, method = "deadly"), "LATE and EARLY",
    class = "imbroglio_warning_lost"
  )
  expect_equal(found$security, long)
})

server <- tryCatch(postgres_process(), skip = function(why) conditionMessage(why))
if (is.list(server)) withr::defer(stop_postgres(server), teardown_env())

test_that("a store is read in blocks as it was when it was opened, or earlier", {
  traded <- quietly(read_prices(demo_file("bay-daily.csv.xz"), price = "close"))[1:300, 1:7]
  each_store(function(store, kind) {
    quietly(store_prices(traded[1:280, ], store, demo_file("bay-actions.csv")))
    x <- opened_small(store)
    whole <- quietly(read_prices(store))
    expect_as_whole(measure_volatility(x), measure_volatility(whole), kind)
    chosen <- opened_small(store, securities = demo_file("bay-securities.csv"))
    expect_identical(chosen$about, quietly(
      read_prices(store, securities = demo_file("bay-securities.csv"))
    )$about)
    # Five days are restated, twenty come, and one that was not there before.
    restated <- traded$close
    restated[270:274, ] <- restated[270:274, ] * 1.01
    late <- imbroglio:::altered(traded, close = restated)
    quietly(store_prices(late, store, data.frame(
      security = "TARROW", date = traded$dates[275], split = 2
    )))
    came <- data.frame(date = traded$dates[1:300], LATER = 1:300 + sin(1:300))
    quietly(store_prices(came, store))
    expect_as_whole(measure_volatility(x), measure_volatility(whole), kind)
    for (then in 1:3) {
      past <- opened_small(store, as_of = then)
      all <- quietly(read_prices(store, as_of = then))
      expect_as_whole(measure_beta(past, "BAYALL"), measure_beta(all, "BAYALL"), paste(kind, then))
      past$memory <- 1e9
      expect_identical(as_prices(past)$fields, all$fields, info = paste(kind, then))
      expect_identical(past$reader$repairs, all$repairs)
    }
    expect_error(opened_small(store, as_of = "2001-01-01"), class = "imbroglio_error_store")
    # Another store under the same name.
    if (kind == "SQLite") {
      unlink(store)
      quietly(store_prices(traded, store))
      expect_error(measure_volatility(x), "Open it again", class = "imbroglio_error_store")
      file <- demo_file("bay.csv")
      expect_error(open_prices(file, as_of = 1), class = "imbroglio_error_argument")
    }
  })
})


test_that("prices are checked in blocks as a whole", {
  faulty <- unlike_universe()
  m <- as.matrix(faulty)
  m[50, "TARROW"] <- m[50, "TARROW"] * 100
  m[200:400, "CORRACK"] <- m[200, "CORRACK"] / 2
  two <- both_of(quietly(as_prices(m, dates = faulty$dates)))
  a <- check_prices(two$opened, today = "2017-12-01", stale = 3)
  b <- check_prices(two$whole, today = "2017-12-01", stale = 3)
  expect_gt(nrow(b), 50)
  expect_identical(as.data.frame(a), as.data.frame(b))
  expect_identical(basis(a)$choices, basis(b)$choices)
  cut <- window(two$opened, during = "2016")
  expect_error(check_prices(cut), class = "imbroglio_error_argument")
  expect_error(ggplot2::autoplot(a), "in blocks", class = "imbroglio_error_argument")
})

test_that("rows are written as they are measured, whole or not at all", {
  two <- both_of(unlike_universe()[, c("TARROW", "BAYALL", "OSSELL", "LATE")])
  file <- tempfile(fileext = ".csv")
  write <- function(x, ...) write_rows(measure_volatility(x, window = 20), file, ...)
  n <- write(two$opened)
  expect_identical(readLines(file), imbroglio:::as_csv(as.data.frame(
    measure_volatility(two$whole, window = 20)
  )))
  expect_equal(n, length(readLines(file)) - 1L)
  alone <- readLines(file)
  before <- future::plan(future::multicore, workers = 2)
  expect_equal(write(two$opened), n)
  future::plan(before)
  expect_identical(readLines(file), alone)
  write(two$whole, columns = c("security", "volatility"))
  kept <- readLines(file)
  write(two$opened, columns = c("security", "volatility"))
  expect_identical(readLines(file), kept)
  expect_error(
    write_rows(measure_volatility(two$opened, window = c(20, 40)), file), "another order",
    class = "imbroglio_error_argument"
  )
  expect_error(write(two$opened, columns = "nothing"), class = "imbroglio_error_argument")
  expect_identical(readLines(file), kept)
  expect_error(write_rows(measure_volatility(two$whole), "rows.json"), class = "imbroglio_error")
  # A block may have no row: the benchmark alone, a security that came later.
  few <- function(x) measure_beta(x[, c("BAYALL", "LATE", "TARROW")], "BAYALL", window = 150)
  expect_equal(write_rows(few(two$opened), file), nrow(few(two$whole)))
  early <- window(two$opened[, c("LATE", "TARROW", "BAYALL", "OSSELL")], end = "2017-01-31")
  early$shown_from <- as.Date("2017-01-20")
  expect_gt(quietly(write_rows(measure_volatility(early, window = 20), file)), 10)
  expect_true(all(as.Date(read.csv(file)$to) >= as.Date("2017-01-20")))
  # What is asked next is measured as ever.
  expect_equal(nrow(measure_volatility(two$opened)), 4)
})

test_that("the command reads in blocks by --memory, with the same answers", {
  folder <- tempfile()
  dir.create(folder)
  at <- function(name) file.path(folder, name)
  bay <- demo_file("bay.csv")
  expect_equal(imbroglio("prices", bay, "--last", "3 years", "--out", at("bay"))$status, 0L)
  for (line in list(
    c("fit", "--families", "student", "--parameters", "--security", "TARROW,OSSELL,DUNLACE"),
    c("summary", "--benchmark", "BAYALL"), c("volatility", "--last", "1 year"),
    c("var", "--security", "TARROW,OSSELL,DUNLACE"), c("worst", "--worst", "2")
  )) {
    whole <- run_here(line[1], at("bay"), line[-1])
    blocks <- run_here(line[1], at("bay"), line[-1], "--memory", "100KB", "--workers", "1")
    expect_identical(blocks, whole, info = line[1])
  }
  beside <- c("beta", at("bay"), "--benchmark", "BAYALL", "--format", "csv")
  expect_identical(
    imbroglio(beside, "--memory", "100KB", "--workers", "2")$out, imbroglio(beside)$out
  )
  piped <- system2(
    "sh", c("-c", shQuote(sprintf(
      "cat '%s' | R_LIBS='%s' '%s' volatility - --memory 1GB --security TARROW --format csv",
      bay, paste(.libPaths(), collapse = ":"),
      system.file("exec", "imbroglio", package = "imbroglio")
    ))), stdout = TRUE, stderr = FALSE
  )
  expect_identical(
    piped, imbroglio("volatility", bay, "--security", "TARROW", "--format", "csv")$out
  )
  rolling <- c("volatility", at("bay"), "--window", "60", "--during", "2025", "--out")
  expect_match(imbroglio(rolling, at("b.csv"), "--memory", "100KB")$err, "Wrote 3,[0-9]+ rows")
  imbroglio(rolling, at("a.csv"))
  expect_identical(readLines(at("b.csv")), readLines(at("a.csv")))
  both <- read.csv(text = imbroglio(
    "volatility", at("bay"), "--security", "TARROW", "--window", "60,250", "--format", "csv"
  )$out)
  expect_setequal(both$window, c(60, 250))
  store <- at("s.sqlite")
  quietly(store_prices(demo_prices()[1:60, 1:5], store))
  expect_equal(imbroglio("store", store, "--export", at("kept"))$status, 0L)
  expect_identical(read_prices(at("kept"))$close, quietly(read_prices(store))$close)
  checked <- imbroglio("check", at("bay"), "--memory", "100KB", "--format", "csv")
  expect_identical(checked$out, imbroglio("check", at("bay"), "--format", "csv")$out)
  refused <- list(
    c("volatility", bay, "--memory", "1GB", "--as-of", "1"),
    c("volatility", bay, "--memory", "1GB", "--record", at("r.json")),
    c("volatility", bay, "--memory", "1GB", "--given", "returns"),
    c("check", bay, "--memory", "1GB", "--repair", at("r.csv")),
    c("volatility", bay, "--memory", "some"), c("store", store, "--memory", "1GB"),
    c("volatility", bay, "--workers", "2")
  )
  for (line in refused) expect_equal(imbroglio(line)$status, 2L, info = line[4])
  past <- c("volatility", store, "--as-of", "1", "--format", "csv")
  expect_identical(imbroglio(past, "--memory", "100KB")$out, imbroglio(past)$out)
  abroad <- c(
    "volatility", at("bay"), "--security", "BAYMETAL", "--rates", demo_file("bay-rates.csv.gz"),
    "--base", "HBC", "--currencies", "BAYMETAL=TMC", "--format", "csv"
  )
  expect_identical(imbroglio(abroad, "--memory", "100MB")$out, imbroglio(abroad)$out)
  expect_equal(imbroglio(abroad, "--memory", "100KB")$status, 3L)
  too_much <- imbroglio("correlation", at("bay"), "--memory", "100KB")
  expect_equal(too_much$status, 3L)
  expect_match(too_much$err, "--memory")
})

test_that("memory does not grow with the number of securities", {
  skip_if_not(file.exists("/proc/self/status"))
  r_process <- function(n) {
    code <- sprintf("
      library(imbroglio)
      dates <- as.Date('2000-01-03') + 0:999
      reader <- list(
        securities = sprintf('S%%06d', seq_len(%d)), dates = dates, origin = 'made up',
        measured = 'close', fields = character(), layout = 'wide', digest = '',
        tables = function(names) {
          i <- as.numeric(substring(names, 2))
          close <- outer(1:1000, i, function(t, i) 100 + (t * i) %%%% 97)
          function(field, names) `colnames<-`(close, names)
        }
      )
      x <- imbroglio:::new_opened(list(
        dates = dates, chosen = reader$securities, universe = reader$securities, steps = list(),
        memory = 5e7, reader = reader, measured = 'close', origin = 'made up'
      ))
      peak <- function() {
        line <- grep('VmHWM', readLines('/proc/self/status'), value = TRUE)
        as.numeric(gsub('[^0-9]', '', line)) / 1e3
      }
      invisible(measure_volatility(x[, 1:10]))
      before <- peak()
      stopifnot(nrow(measure_volatility(x)) == %d)
      cat(peak() - before)", n, n)
    file <- tempfile(fileext = ".R")
    writeLines(code, file)
    as.numeric(system2(
      file.path(R.home("bin"), "Rscript"), file, stdout = TRUE,
      env = paste0("R_LIBS=", paste(.libPaths(), collapse = ":"))
    ))
  }
  # A block is 5 MB; the prices of all are 24 and 96 MB.
  grown <- vapply(c(3000, 12000), r_process, 0)
  expect_lt(max(grown), 60)
  expect_lt(grown[2] - grown[1], 20)
})
