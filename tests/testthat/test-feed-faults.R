# Fetching from feeds that fail, each a process of its own.
for (package in c("httr2", "httpuv", "RSQLite", "processx")) skip_if_not_installed(package)
traded <- suppressMessages(read_prices(demo_file("bay-daily.csv.xz"), price = "close"))
stand_in <- feed_process()
withr::defer(stand_in$process$kill(), teardown_env())
bad <- bad_feed()
withr::defer(bad$process$kill(), teardown_env())

test_that("a feed that fails, limits, cuts off and lies gives all that can be had, exactly", {
  some <- c("BAYALL", "TARROW", "PELLAN")
  cases <- list(
    "fail = 3", "cut = 2", "rubbish = 3", "limit = 3", "lie = 2", "slow = 0.05",
    "fail = 3, limit = 5, cut = 4, rubbish = 5, lie = 7"
  )
  # The last has all but the slow one.
  for (faults in thorough(cases[6:7], cases)) {
    feed <- feed_process(
      sprintf("faults = c(%s), page_rows = 1300", faults)
    )
    store <- new_store()
    told <- outcomes(update_store(
      store,
      feed$address,
      some,
      time_limit = 0.8,
      tries = 15,
      pause = 0.01,
      at_once = 2
    ))
    feed$process$kill()
    expect_equal(
      told$outcome,
      rep("fetched", 3),
      info = paste(faults, paste(told$reason, collapse = "; "))
    )
    expect_identical(
      read_prices(store, price = "close")$close,
      traded$close[, some],
      info = faults
    )
    if (!grepl("^slow|^limit", faults)) expect_gt(max(told$tries), 1)
  }
  slow <- feed_process("faults = c(slow = 1)")
  withr::defer(slow$process$kill())
  expect_error(
    fetch_prices(slow$address, "BAYALL", time_limit = 0.2, tries = 2),
    "(?i)time",
    class = "imbroglio_error_feed"
  )
})

# What an update of a bad feed has, or fails of.
have <- function(way, ..., store = new_store()) {
  result <- tryCatch(
    outcomes(suppressWarnings(update_store(
      store,
      bad$at(way),
      tries = 2,
      at_once = 3,
      pause = 0.02,
      ...
    ))),
    imbroglio_error_feed = function(e) gsub("\\s+", " ", conditionMessage(e))
  )
  list(result = result, held = if (is.data.frame(result)) as.data.frame(store_contents(store)))
}

test_that("what is not whole is never taken for whole; the rest is had, and the reason told", {
  beta <- list(
    one = "500, Not today",
    never = "418",
    half = "came of 40|instead",
    last = "25 rows came of 40",
    more = "40 rows came of 41",
    less = "40 rows came of 39",
    text = "close in the table is no number",
    date = "no date|is none|cannot be read",
    twice = "two rows for the same date"
  )
  for (way in names(beta)) {
    found <- have(way)
    expect_equal(found$result$outcome, c("fetched", "failed", "fetched"), info = way)
    expect_match(found$result$reason[2], beta[[way]], info = way)
    expect_equal(found$held$security, c("ALPHA", "GAMMA"), info = way)
    expect_equal(found$held$n, c(40, 40), info = way)
  }
})

test_that("what failed is not forgotten: the next update has it", {
  own <- new_store()
  told <- have("sick", store = own)$result
  expect_equal(told$outcome, c("fetched", "failed", "fetched"))
  writeLines("well", bad$health)
  told <- have("sick", store = own)$result
  expect_equal(
    told[c("outcome", "new")],
    data.frame(outcome = c("nothing new", "fetched", "nothing new"), new = c(0L, 40L, 0L))
  )
  # What the feed does not know is.
  expect_equal(
    have("sick", store = own, securities = c("BETA", "NOSUCH"))$result$outcome,
    c("nothing new", "failed")
  )
  expect_equal(have("sick", store = own)$result$security, c("ALPHA", "BETA", "GAMMA"))
})

test_that("a feed that answers with nothing, or something else, is told apart", {
  nothing <- list(
    plain = "does not say how many rows",
    stranger = "BETTY",
    echo = "400",
    later = "7,?200|Closed for the night.*wait longer than 120 seconds",
    away = "redirects to another host, localhost, which is refused unless allowed",
    round = "redirects without end"
  )
  for (way in setdiff(names(nothing), "stranger")) {
    expect_match(have(way)$result, nothing[[way]], info = way)
  }
  expect_match(
    have("stranger", securities = c("ALPHA", "BETA"))$result$reason[2],
    "BETTY, which was not asked for"
  )
  for (way in c("good", "near", "soon", "shifting")) {
    found <- have(way)
    expect_equal(found$result$rows, c(40, 40, 40), info = way)
  }
  expect_equal(have("away", allow = "localhost")$held$n, c(40, 40, 40))
  zero <- have("zero")
  expect_equal(
    zero$result[2, c("outcome", "rows", "left_out")],
    data.frame(outcome = "fetched", rows = 38L, left_out = 2L),
    ignore_attr = TRUE
  )
  expect_match(zero$result$reason[2], "2 rows left out; on 2024-01-02 a price is -5")
  expect_match(have("nowhere")$result, "404|500")
})

test_that("a connection that ends in the middle of a body is no answer", {
  cut <- tempfile()
  server <- r_process(sprintf(
    "
    port <- httpuv::randomPort(host = '127.0.0.1')
    socket <- serverSocket(port)
    writeLines(as.character(port), '%s')
    begun <- c('HTTP/1.1 200 OK', 'Content-Type: text/csv', 'Content-Length: 5000', '',
      'security,name', 'A,')
    repeat {
      one <- socketAccept(socket, open = 'r+b', timeout = 60)
      while (nzchar(readLines(one, 1))) NULL
      writeBin(charToRaw(paste(begun, collapse = '\\r\\n')), one)
      close(one)
    }",
    cut
  ))
  withr::defer(server$kill())
  while (!file.exists(cut) || !length(readLines(cut))) Sys.sleep(0.05)
  expect_error(
    fetch_prices(paste0("http://127.0.0.1:", readLines(cut)), tries = 2),
    "(?i)no answer",
    class = "imbroglio_error_feed"
  )
})
