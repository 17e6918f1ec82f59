# What was added to a store is put right, doubted before it is added, and granted; on both kinds of
# database.
skip_if_not_installed("RSQLite")
withr::local_envvar(TZ = "UTC", .local_envir = teardown_env())
server <- tryCatch(postgres_process(), skip = function(why) conditionMessage(why))
if (is.list(server)) withr::defer(stop_postgres(server), teardown_env())

days <- as.Date("2024-01-01") + which((0:399 + as.numeric(as.Date("2024-01-01")) + 3) %% 7 < 5) - 1
series_of <- function(security, at, level = 100, volume = 5) {
  steps <- withr::with_seed(sum(utf8ToInt(security)), rnorm(length(at), 0, 0.01))
  data.frame(
    date = days[at], security = security, close = round(level * exp(cumsum(steps)), 2),
    volume = volume + at
  )
}
# What is held of closes and volumes, by security and day, now or as of an entry.
held <- function(store, as_of = NULL) {
  prices <- quiet(read_prices(store, price = "close", as_of = as_of))
  volumes <- prices$fields$volume %||% (NA * prices$close)
  table <- data.frame(
    date = rep(prices$dates, ncol(prices$close)),
    security = rep(colnames(prices$close), each = length(prices$dates)),
    close = as.vector(prices$close), volume = as.vector(volumes)
  )
  table <- table[!is.na(table$close), ]
  `rownames<-`(table[order(table$security, table$date, method = "radix"), ], NULL)
}
correct <- function(...) quiet(correct_store(...))

test_that("withdrawing any addition leaves what the others would have brought, and every past", {
  each_store(function(store, kind) {
    set.seed(7)
    # Long series, which are packed, and short ones; closes alone and with volumes, never the same
    # value again.
    told <- lapply(1:9, function(i) {
      of <- sample(c("A", "B", "C"), 2L)
      at <- if (i == 1L) 1:200 else sort(sample(260L, 30L))
      table <- rbind(series_of(of[1L], at, 100, i / 10), series_of(of[2L], at, 100, i / 10))
      table$close <- round(table$close + i / 1000, 3L)
      if (i %% 3L == 0L) table$volume <- NULL
      table
    })
    for (table in told) stored(table, store)
    replayed <- function(tables) {
      all <- NULL
      for (table in tables) {
        if (is.null(table$volume)) table$volume <- NA
        key <- function(t) paste(t$security, t$date)
        at <- match(key(table), key(all))
        again <- !is.na(at)
        all$close[at[again]] <- table$close[again]
        told <- again & !is.na(table$volume)
        all$volume[at[told]] <- table$volume[told]
        all <- rbind(all, table[!again, ])
      }
      `rownames<-`(all[order(all$security, all$date, method = "radix"), ], NULL)
    }
    gone <- integer()
    for (one in c(4L, 9L, 1L, 6L)) {
      correct(store, withdraw = one, why = "wrong file")
      gone <- c(gone, one)
      expect_equal(held(store), replayed(told[-gone]), info = paste(kind, one))
      for (then in 1:9) {
        expect_equal(held(store, then), replayed(told[1:then]), info = paste(kind, one, then))
      }
      expect_true(all(verify_store(store)$sound))
    }
    # A withdrawal is withdrawn as anything else.
    correct(store, withdraw = 13L)
    expect_equal(held(store), replayed(told[-gone[1:3]]), info = kind)
    expect_error(correct(store, withdraw = 13L), "withdrawn already",
                 class = "imbroglio_error_argument")
    correct(store, withdraw = 10L)
    expect_equal(held(store), replayed(told[-gone[2:3]]), info = kind)
    entries <- store_additions(store)
    expect_equal(entries$entry, rep(c("addition", "withdrawal"), c(9L, 6L)))
    expect_equal(entries$grounds[10:14], c(rep("wrong file", 4L), NA))
    expect_true(all(nzchar(entries$who)))
  })
})

test_that("a name, an end, a merger, a removal hold from then on and are undone by number", {
  each_store(function(store, kind) {
    quiet(store_prices(rbind(
      series_of("OLD", 1:150), series_of("NEW", 140:220, 30), series_of("C", 1:220)
    ), store, actions = data.frame(
      security = c("OLD", "OLD"), date = days[c(50, 145)], dividend = c(1, 2)
    )))
    before <- held(store)
    own <- function(table, name) `rownames<-`(table[table$security == name, -2L], NULL)
    # A dry run writes nothing.
    state <- state_of(store)
    for (change in list(list(rename = c(OLD = "X")), list(ended = c(C = "2024-03-01")))) {
      expect_message(
        do.call(correct_store, c(list(store, dry_run = TRUE), change)), "nothing was written"
      )
    }
    expect_identical(state_of(store), state)
    correct(store, rename = c(OLD = "OLDER"))
    expect_equal(own(held(store), "OLDER"), own(before, "OLD"))
    expect_setequal(unique(held(store, 1)$security), c("OLD", "NEW", "C"))
    expect_error(
      store_prices(series_of("OLD", 151:152), store), "what OLDER was called before",
      class = "imbroglio_error_doubt"
    )
    expect_error(
      correct(store, merge = c(OLDER = "NEW")), "other prices on 11 of 11 days",
      class = "imbroglio_error_argument"
    )
    correct(store, merge = c(OLDER = "NEW"), prefer = "NEW")
    merged <- own(held(store), "NEW")
    expect_equal(merged, rbind(
      own(before, "OLD")[1:139, ], `rownames<-`(own(before, "NEW"), 140:220)
    ))
    expect_equal(quiet(read_prices(store))$actions$dividend, c(1, 2))
    expect_setequal(unique(held(store)$security), c("NEW", "C"))
    correct(store, ended = c(C = days[100]))
    expect_equal(max(own(held(store), "C")$date), days[100])
    contents <- store_contents(store)
    expect_equal(contents$ended[contents$security == "C"], days[100])
    found <- quiet(check_prices(store))
    expect_match(found$detail[found$finding == "ends early"], "it ended on", all = FALSE)
    late <- stored(series_of("C", 218:222), store, why = "late")
    expect_equal(attr(late, "doubts")$doubt, "ended")
    correct(store, remove = "NEW")
    expect_equal(unique(held(store)$security), "C")
    expect_true(all(verify_store(store)$sound))
    # In blocks each state is as read whole, by its names.
    for (then in seq_len(nrow(store_additions(store)))) {
      measured <- lapply(list(read_prices, open_prices), function(read) {
        prices <- quiet(read(store, price = "close", as_of = then))
        as.data.frame(quietly(measure_volatility(as_returns(prices))))
      })
      expect_identical(measured[[1L]], measured[[2L]], info = paste(kind, then))
    }
    for (entry in 6:2) correct(store, withdraw = entry)
    expect_equal(held(store), before)
    expect_true(all(is.na(store_contents(store)$ended)))
    expect_equal(own(held(store, 3), "NEW"), merged, ignore_attr = TRUE)
    expect_true(all(verify_store(store)$sound))
    refused <- list(
      list("argument", "One correction"),
      list("argument", "One", rename = c(C = "D"), remove = "C"),
      list("argument", "no entry 99", withdraw = 99), list("argument", "`prefer`", remove = "C",
                                                           prefer = "C"),
      list("security", "nothing of X", rename = c(X = "Y")),
      list("security", "There is a C", rename = c(OLD = "C")),
      list("security", "control characters", rename = c(OLD = "a\nb")),
      list("argument", "`ended` must be one date", ended = c(C = "2025-13-01")),
      list("argument", "one name and what", ended = "2024-01-01"),
      list("argument", "cannot have ended", ended = c(C = "2001-01-01")),
      list("argument", "with itself", merge = c(C = "C")),
      list("argument", "a few words", remove = "C", why = "")
    )
    state <- state_of(store)
    for (case in refused) {
      expect_error(
        do.call(correct, c(list(store), case[-(1:2)])), case[[2L]],
        class = paste0("imbroglio_error_", case[[1L]])
      )
    }
    expect_identical(state_of(store), state)
  })
})

test_that("what a person would doubt is refused before it is written, and nothing else is", {
  each_store(function(store, kind) {
    names <- c("TARRING", "OSSELL", "KELP1", "KELP2")
    all <- do.call(rbind, Map(series_of, names, list(1:120), c(100, 40, 7, 900)))
    quiet(store_prices(all[all$date < days[118], ], store))
    at <- function(i) all[all$date %in% days[i], ]
    with_close <- function(table, which, by) {
      i <- table$security %in% which
      table$close[i] <- by(table$close[i])
      table
    }
    cases <- list(
      list(character(), at(118)),
      list(character(), at(116:119)),
      list(character(), with_close(at(115), "OSSELL", function(x) x * 1.2)),
      list("jump", with_close(at(118), "OSSELL", function(x) x * 100)),
      list(c("jump", "jump"), with_close(at(118), c("OSSELL", "KELP2"), function(x) x / 10)),
      list(c("restated", "restated"), with_close(at(100:102), names[1:2], function(x) x / 100)),
      list("repeated", transform(at(117), date = days[118])),
      list("weekend", transform(at(118), date = days[117] + 5 - (as.numeric(days[117]) + 3) %% 7)),
      list("future", transform(at(118), date = Sys.Date() + 30)),
      list("name", transform(at(118), security = sub("OSSELL", "OSSEL", security))),
      list("name", transform(at(118), security = sub("OSSELL", "ossell.", security))),
      list(character(), transform(at(118), security = sub("KELP2", "KELP3", security)))
    )
    swapped <- at(110:112)
    swapped$security <- ifelse(swapped$security == "KELP1", "OSSELL",
                               ifelse(swapped$security == "OSSELL", "KELP1", swapped$security))
    cases <- c(cases, list(list(c("restated", "restated", "exchanged", "exchanged"), swapped)))
    state <- state_of(store)
    for (case in cases) {
      table <- case[[2L]]
      told <- NULL
      seen <- withCallingHandlers(
        quiet(store_prices(table, store, dry_run = TRUE)),
        imbroglio_warning_doubt = function(w) {
          told <<- c(told, conditionMessage(w))
          invokeRestart("muffleWarning")
        }
      )
      expect_equal(attr(seen, "doubts")$doubt, case[[1L]], info = kind)
      expect_length(told, length(case[[1L]]))
      expect_equal(sum(seen$new, seen$restated, seen$same), nrow(table))
      expect_identical(state_of(store), state)
      if (!length(case[[1L]])) next
      wrong <- expect_error(quiet(store_prices(table, store)), class = "imbroglio_error_doubt")
      expect_identical(wrong$doubts, attr(seen, "doubts"))
      expect_identical(state_of(store), state)
    }
    # A recorded split explains its jump.
    split <- with_close(at(118), "OSSELL", function(x) x / 10)
    quiet(store_prices(
      split, store, actions = data.frame(security = "OSSELL", date = days[118], split = 10)
    ))
    seen <- quiet(store_prices(with_close(at(117), "KELP2", function(x) x * 0.9), store))
    expect_equal(seen$furthest, c(NA, NA, NA, -0.1), tolerance = 1e-3)
    # Two names of a script without our letters are no more alike than others.
    for (name in c("\u4eac\u90fd", "\u5927\u962a")) {
      own <- quiet(store_prices(transform(at(117)[1L, ], security = name), store))
      expect_equal(nrow(attr(own, "doubts")), 0L, info = kind)
    }
  })
})

test_that("a role of the server may do what it was granted, and is told what it may not", {
  if (!is.list(server)) skip(server)
  ask <- function(...) DBI::dbExecute(server$connection, paste0(...))
  ask("set client_min_messages to warning")
  ask("drop schema if exists imbroglio cascade")
  roles <- c("reader", "writer", "stranger")
  for (role in roles) ask("create role ", role, " login")
  withr::defer(for (role in roles) {
    ask("drop owned by ", role)
    ask("drop role ", role)
  })
  as_role <- function(role) sub("tester@", paste0(role, "@"), server$address)
  table <- rbind(series_of("A", 1:100), series_of("B", 1:100))
  quiet(store_prices(table, server$address))
  quiet(grant_store(server$address, "reader"))
  quiet(grant_store(server$address, "writer", may = "write"))
  reads <- list(
    function(s) quiet(read_prices(s)), store_contents, store_additions, store_restatements,
    verify_store, function(s) quiet(open_prices(s)), function(s) quiet(check_prices(s))
  )
  for (read in reads) {
    for (role in c("reader", "writer")) expect_no_error(read(as_role(role)))
    expect_error(
      read(as_role("stranger")), "no right to read.*belongs to tester.*--grants stranger",
      class = "imbroglio_error_store"
    )
  }
  # Long enough that what is added is packed.
  quiet(store_prices(series_of("A", 101:240), as_role("writer")))
  correct(as_role("writer"), withdraw = 2L)
  expect_equal(store_additions(server$address)$who, c("tester", "writer", "writer"))
  writes <- list(
    function(s) stored(table, s), function(s) correct(s, remove = "A"),
    function(s) grant_store(s, "stranger")
  )
  for (write in writes) {
    expect_error(write(as_role("reader")), "no right to write to", class = "imbroglio_error_write")
  }
  expect_error(grant_store(as_role("writer"), "stranger"), "not ours to give",
               class = "imbroglio_error_store")
  expect_error(grant_store(server$address, "nobody"), "has no role nobody",
               class = "imbroglio_error_store")
  # Of an older version the owner brings the tables up to date; the others keep their rights.
  ask("set search_path to imbroglio")
  ask("drop table told_before")
  for (column in c("kind", "by_whom", "why", "undoes")) {
    ask("alter table additions drop column ", column)
  }
  ask("alter table securities drop column ended")
  ask("update imbroglio_store set version = 5, seal = null")
  expect_error(correct(as_role("writer"), remove = "A"), "by the owner, tester",
               class = "imbroglio_error_write")
  expect_equal(nrow(store_additions(as_role("reader"))), 3L)
  correct(server$address, remove = "A")
  expect_equal(unique(held(as_role("reader"))$security), "B")
  correct(as_role("writer"), withdraw = 4L)
  expect_true(all(verify_store(as_role("reader"))$sound))
  expect_error(grant_store(tempfile(), "reader"), "rights are those of the file",
               class = "imbroglio_error_argument")
})

test_that("one day is kept, checked and written as any table, and refused where it is measured", {
  day <- as_prices(data.frame(date = days[1], A = 10, B = 20))
  expect_error(as_portfolio(day, shares = c(A = 1, B = 2)), class = "imbroglio_error_too_short")
  folder <- withr::local_tempdir()
  for (ending in c(".csv", ".parquet", ".xlsx")) {
    file <- file.path(folder, paste0("day", ending))
    quiet(write_prices(day, file))
    expect_equal(as.matrix(quiet(read_prices(file))), as.matrix(day))
    expect_equal(nrow(quiet(check_prices(file))), 0L)
  }
  expect_equal(as.matrix(quiet(repair_prices(day, check_prices(day)))), as.matrix(day))
  for (name in names(imbroglio:::measures())) {
    record <- imbroglio:::measures()[[name]]
    if (!is.function(record$measure) || is.null(formals(record$measure)$returns)) next
    expect_error(quietly(record$measure(day)), class = "imbroglio_error", info = name)
  }
  expect_error(as_returns(day), "only one date", class = "imbroglio_error_too_short")
})

test_that("a store of which only the first question was asked says that it holds nothing", {
  each_store(function(store, kind) {
    imbroglio:::with_store(store, write = TRUE, function(connection, address) {
      imbroglio:::note_asked(connection, "feed", c("A", "B"))
    })
    expect_match(imbroglio:::in_words(store_contents(store)), "holds no prices yet")
    expect_true(all(verify_store(store)$sound))
    for (use in list(read_prices, open_prices, check_prices)) {
      expect_error(use(store), "held nothing yet|no prices", class = "imbroglio_error_store")
    }
    expect_error(correct(store, withdraw = 1L), "no prices", class = "imbroglio_error_store")
  })
})

test_that("who may not read or write a file is told whose it is and what to ask for", {
  skip_if_not_installed("processx")
  folder <- withr::local_tempdir(tmpdir = "/tmp")
  Sys.chmod(folder, "755")
  file <- file.path(folder, "kept.sqlite")
  quiet(store_prices(series_of("A", 1:5), file))
  as_other <- identity
  if (Sys.info()[["effective_user"]] == "root") {
    as_other <- function(words) c("runuser", "-u", "nobody", "--", words)
  } else {
    Sys.chmod(folder, "555")
    withr::defer(Sys.chmod(folder, "755"))
  }
  rscript <- file.path(R.home("bin"), "Rscript")
  run_r <- function(code) {
    words <- as_other(c(rscript, "-e", code))
    processx::run(
      words[1L], words[-1L], error_on_status = FALSE, wd = "/",
      env = c("current", OURS = dirname(system.file(package = "imbroglio")))
    )
  }
  if (run_r("library(imbroglio, lib.loc = Sys.getenv('OURS'))")$status != 0L) {
    skip("the library is not for others to read")
  }
  code <- paste(
    ".libPaths(Sys.getenv('OURS')); library(imbroglio); tryCatch(%s,",
    "imbroglio_error = function(e) cat(class(e)[1:2], conditionMessage(e)))"
  )
  cases <- list(
    list("444", "read_prices('%s')", "1 security"),
    list("444", "correct_store('%s', remove = 'A')", "write_?.*not write to the store.*belongs"),
    list("000", "store_contents('%s')", "not read the store kept.sqlite.*rights 0.*Ask its owner"),
    list("444", "store_prices(read_prices('%1$s'), '%1$s2')", "not make the store.*folder")
  )
  for (case in cases) {
    Sys.chmod(file, case[[1L]])
    said <- run_r(sprintf(code, sprintf(case[[2L]], file)))
    expect_match(gsub("\\s+", " ", said$stdout), case[[3L]], info = said$stderr)
  }
})
