# The store, in a SQLite file and on a PostgreSQL server, each test on both.
skip_if_not_installed("RSQLite")
# A package of RPostgres's asks for the time zone, loudly where nobody knows it.
withr::local_envvar(TZ = "UTC", .local_envir = teardown_env())
server <- tryCatch(postgres_process(), skip = function(why) conditionMessage(why))
if (is.list(server)) withr::defer(stop_postgres(server), teardown_env())

test_that("what was stored is read as from a file, and storing it again changes nothing", {
  traded <- bay()
  file <- read_prices(demo_file("bay-daily.csv.xz"))
  each_store(function(store, kind) {
    expect_message(
      added <- store_prices(traded, store, actions = actions),
      "37,352 prices new, 0 restated"
    )
    expect_equal(added$new, unname(colSums(!is.na(traded$close))), info = kind)
    expect_equal(attr(added, "addition"), 1L)
    found <- read_prices(store)
    # Adjusted here by the actions; those of the file are rounded to four digits.
    expect_equal(found$close, file$close, tolerance = 1e-5, info = kind)
    expect_equal(
      max(abs(found$close / adjust_prices(traded, actions)$close - 1), na.rm = TRUE),
      0,
      tolerance = 1e-14
    )
    expect_identical(
      found$fields[c("open", "high", "low", "close", "volume")],
      c(
        file$fields["open"],
        file$fields["high"],
        file$fields["low"],
        list(close = traded$close),
        file$fields["volume"]
      ),
      info = kind
    )
    expect_identical(read_prices(store, price = "close")$close, traded$close, info = kind)
    expect_equal(colnames(found[, "group:port"]), c("TARROW", "CORRACK", "PELLAN"))
    expect_equal(found$repairs, "adjusted for 2 splits and 220 dividends")
    expect_match(basis(measure_var(as_returns(found)))$origin, "^store .*, addition 1 of 20")
    expect_setequal(
      check_prices(store)$finding,
      setdiff(check_prices(traded, actions)$finding, "split")
    )
    before <- state_of(store)
    again <- quiet(store_prices(traded, store, actions = actions))
    expect_equal(again[c("new", "restated")], data.frame(new = rep(0L, 15), restated = 0L))
    expect_identical(attr(again, "addition"), NA_integer_)
    expect_identical(state_of(store), before)
    held <- store_contents(store)
    expect_equal(held$n, added$new)
    expect_equal(c(held$from[15], held$to[15]), as.Date(c("2020-09-14", "2025-12-31")))
    expect_equal(nrow(store_additions(store)), 1)
    expect_equal(nrow(store_restatements(store)), 0)
    expect_silent(utils::capture.output(print(store_restatements(store))))
    # A field that nobody told before is none that was restated, and was not known before.
    if (kind == "PostgreSQL") {
      filled <- quiet(store_prices(file, store))
      expect_equal(c(sum(filled$new), sum(filled$restated), attr(filled, "addition")), c(0, 0, 2))
      expect_equal(nrow(store_restatements(store)), 0)
      expect_identical(read_prices(store)$close, file$close)
      expect_identical(read_prices(store, as_of = 1)$close, found$close)
      return()
    }
    # Long, short, a field less, a security more: only what is new is new.
    part <- traded[2500:2573, c("TARROW", "PELLAN")]
    part$fields$open <- NULL
    part$fields$volume[3:5, ] <- NA
    quiet(store_prices(part, store))
    expect_identical(state_of(store), before)
    stored(data.frame(date = as.Date("2026-01-01") + 1:2, OTHER = 1:2, TARROW = 3:4), store)
    more <- read_prices(store)
    expect_equal(dim(more), c(2575L, 16L))
    expect_equal(tail(more$close[, "TARROW"], 2), 3:4)
    expect_identical(more$fields$volume[1:2573, 1:15], found$fields$volume)
  })
})

test_that("a restatement keeps both values and both dates, and any earlier state is read again", {
  days <- as.Date("2024-01-01") + 0:2
  first <- data.frame(
    date = rep(days, 2),
    security = rep(c("A", "B"), each = 3),
    close = c(10, 11, 12, 20, 21, 22),
    volume = 100
  )
  each_store(function(store, kind) {
    quiet(store_prices(
      first,
      store,
      actions = data.frame(security = "A", date = days[2], dividend = 1),
      source = "first"
    ))
    Sys.sleep(0.01)
    between <- Sys.time()
    Sys.sleep(0.01)
    second <- transform(
      first,
      close = replace(close, 5, 21.5),
      volume = replace(volume, c(1, 5), 101)
    )
    told <- quiet(store_prices(
      second[-3, ],
      store,
      actions = data.frame(security = "A", date = days[2], dividend = 2),
      source = "second"
    ))
    expect_equal(
      told[c("security", "new", "restated", "same")],
      data.frame(security = c("A", "B"), new = 0L, restated = 1L, same = c(1L, 2L)),
      ignore_attr = TRUE,
      info = kind
    )
    quiet(store_prices(first[5, ], store, source = "third"))
    found <- as.data.frame(store_restatements(store))
    expect_equal(
      found[c("security", "date", "field", "before", "after", "addition", "source")],
      data.frame(
        security = c("A", "A", "B", "B", "B", "B"),
        date = days[c(1, 2, 2, 2, 2, 2)],
        field = c("volume", "dividend", "close", "volume", "close", "volume"),
        before = c(100, 1, 21, 100, 21.5, 101),
        after = c(101, 2, 21.5, 101, 21, 100),
        addition = c(2, 2, 2, 2, 3, 3),
        source = rep(c("second", "third"), c(4, 2))
      ),
      ignore_attr = TRUE,
      info = kind
    )
    expect_true(all(found$known_from < found$restated_at))
    expect_equal(store_contents(store)$restated, c(1L, 2L))
    expect_equal(store_additions(store)$restated, c(0L, 2L, 1L))
    raw <- function(as_of) read_prices(store, price = "close", as_of = as_of)
    for (when in list(1, "1", between, format(between, "%Y-%m-%d %H:%M:%OS3", tz = "UTC"))) {
      expect_equal(unname(raw(when)$close), cbind(10:12, 20:22), info = kind)
      expect_equal(raw(when)$fields$volume[1, "A"], 100, ignore_attr = TRUE)
      expect_equal(
        read_prices(store, as_of = when)$close[1, "A"],
        10 * (1 - 1 / 10),
        ignore_attr = TRUE
      )
    }
    expect_equal(raw(2)$close[, "B"], c(20, 21.5, 22))
    expect_equal(
      read_prices(store, as_of = 2)$close[1, "A"],
      10 * (1 - 2 / 10),
      ignore_attr = TRUE
    )
    for (when in list(
      NULL,
      3,
      99,
      Sys.Date() + 1,
      "2999-12-31",
      format(Sys.time(), "%Y-%m-%d", tz = "UTC")
    )) {
      expect_equal(raw(when)$close[, "B"], c(20, 21, 22), info = kind)
    }
    for (when in list(0, "2001-01-01", as.Date("2001-01-01"))) {
      expect_error(raw(when), "held nothing yet", class = "imbroglio_error_store")
    }
    for (when in list("yesterday", "2024-13", NA, c(1, 2), TRUE)) {
      expect_error(raw(when), "as_of", class = "imbroglio_error_argument")
    }
  })
  expect_error(read_prices(demo_file("bay.csv"), as_of = 1), class = "imbroglio_error_argument")
})

test_that("any past state of many additions is what one would remember", {
  set.seed(41)
  days <- as.Date("2020-01-01") + 0:599
  each_store(function(store, kind) {
    held <- matrix(NA_real_, 600, 3, dimnames = list(NULL, c("A", "B", "C")))
    remembered <- list()
    for (i in 1:12) {
      at <- sample(600 * 3, if (i %% 4 == 1) 900 else 40)
      fresh <- held
      fresh[] <- NA
      fresh[at] <- round(exp(rnorm(length(at))), sample(0:4, 1)) + 1
      gone <- !is.na(fresh)
      rows <- which(rowSums(gone) > 0)
      columns <- colSums(gone) > 0
      held[gone] <- fresh[gone]
      stored(as_prices(fresh[rows, columns, drop = FALSE], dates = days[rows]), store)
      remembered[[i]] <- held
    }
    for (i in c(NA, 12:1)) {
      found <- read_prices(store, as_of = if (!is.na(i)) i)
      expected <- remembered[[if (is.na(i)) 12 else i]]
      expected <- expected[rowSums(!is.na(expected)) > 0, ]
      expect_identical(
        unname(found$close[, c("A", "B", "C")]),
        unname(expected),
        info = paste(kind, i)
      )
    }
  })
})

test_that("packed series, late rows and short series are read as one, and some of them too", {
  each_store(function(store, kind) {
    days <- as.Date("2015-01-01") + 0:4999
    set.seed(31)
    table_of <- function(security, at) {
      data.frame(
        date = days[at],
        security = security,
        close = round(runif(length(at), 50, 150), 2),
        volume = replace(round(runif(length(at), 1, 1e6)), at %% 7 == 0, NA)
      )
    }
    # Long ones at once; days before and after; one on a day in between; a value restated; short
    # ones beside them; parts that are full, and more days within, between and behind them.
    told <- list(
      rbind(table_of("A", 101:500), table_of("C", 150:450), table_of("B", 1:3)),
      rbind(table_of("A", c(7, 501:520)), table_of("D", 600:700), table_of("B", 2:9)),
      rbind(table_of("C", c(12, 300)), table_of("A", 11)),
      rbind(table_of("D", 1:599), table_of("C", 451:700)),
      rbind(table_of("E", seq(2, 5000, 2)), table_of("D", 701:702)),
      rbind(table_of("E", seq(1001, 1401, 2)), table_of("D", c(350, 703:800))),
      rbind(table_of("E", c(seq(3901, 4601, 2), 2:4)), table_of("B", 10:900)),
      rbind(table_of("E", 1:5000), table_of("C", 12:13))
    )
    known <- NULL
    for (table in told) {
      stored(table, store)
      known <- rbind(known, table)
      known <- known[!duplicated(known[c("security", "date")], fromLast = TRUE), ]
      found <- quiet(read_prices(store))
      at <- cbind(match(known$date, found$dates), match(known$security, colnames(found$close)))
      expect_equal(sum(!is.na(found$close)), nrow(known), info = kind)
      expect_identical(found$close[at], known$close, info = kind)
      expect_identical(found$fields$volume[at], known$volume, info = kind)
      imbroglio:::with_store(store, function(connection, address) {
        held <- DBI::dbGetQuery(connection, "select id, security from securities")
        ids <- held$id
        for (some in list(ids, ids[1], rev(ids[-1]))) {
          series <- imbroglio:::rows_now(connection, address, TRUE, some)
          own <- known[match(known$security, held$security) %in% match(some, held$id), ]
          own$id <- held$id[match(own$security, held$security)]
          own <- own[order(own$id, own$date), ]
          expect_identical(
            unname(series[c("security_id", "day", "close", "volume")]),
            list(as.numeric(own$id), as.numeric(own$date), own$close, own$volume),
            info = kind
          )
        }
      })
      expect_true(all(verify_store(store)$sound))
    }
  })
})
