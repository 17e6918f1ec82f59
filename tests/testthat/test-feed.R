# Fetching from the stand-in feed, a process of its own.
for (package in c("httr2", "httpuv", "RSQLite", "processx")) skip_if_not_installed(package)
traded <- suppressMessages(read_prices(demo_file("bay-daily.csv.xz"), price = "close"))
stand_in <- feed_process()
withr::defer(stand_in$process$kill(), teardown_env())

test_that("what is fetched is what the feed has: adjusted, with names, in any form and page", {
  file <- read_prices(demo_file("bay-daily.csv.xz"))
  prices <- fetch_prices(stand_in$address)
  expect_equal(colnames(prices), colnames(file))
  expect_equal(prices$close, file$close, tolerance = 1e-5)
  expect_identical(prices$fields$close, traded$close)
  expect_identical(prices$fields[c("open", "volume")], file$fields[c("open", "volume")])
  expect_equal(basis(measure_var(as_returns(prices)))$origin, paste("feed", stand_in$address))
  told <- outcomes(fetch_outcomes(prices))
  expect_equal(told$rows, unname(colSums(!is.na(traded$close))))
  expect_equal(unique(told$outcome), "fetched")
  expect_error(fetch_outcomes(file), class = "imbroglio_error_argument")
  part <- fetch_prices(
    stand_in$address,
    c("BAYALL", "group:port", "BAYALL"),
    from = "2024-03-01",
    to = "2024-03-28"
  )
  expect_equal(colnames(part[, "group:port"]), c("TARROW", "CORRACK", "PELLAN"))
  expect_equal(range(part$dates), as.Date(c("2024-03-01", "2024-03-28")))
  listed <- fetch_prices(
    stand_in$address,
    data.frame(security = "TARROW", name = "Cranes"),
    from = "2024-03-01"
  )
  expect_equal(listed$about$name, "Cranes")
  json <- feed_process("form = 'json', page_rows = 700")
  withr::defer(json$process$kill())
  expect_identical(
    fetch_prices(json$address, c("TARROW", "EBBING"))$close,
    prices$close[, c("TARROW", "EBBING")]
  )
  expect_error(
    fetch_prices(stand_in$address, "group:prot"),
    "no group prot",
    class = "imbroglio_error_feed"
  )
  for (securities in list(character(), NA_character_, 3, "")) {
    expect_error(fetch_prices(stand_in$address, securities), class = "imbroglio_error_argument")
  }
  expect_error(
    fetch_prices(stand_in$address, "BAYALL", from = "2024-02-01", to = "2024-01-01"),
    "before",
    class = "imbroglio_error_argument"
  )
  expect_error(
    fetch_prices(stand_in$address, "BAYALL", from = "2030-01-01"),
    "no prices in that span",
    class = "imbroglio_error_feed"
  )
})

test_that("the stand-in answers as the description of a feed says", {
  skip_if_not_installed("yaml")
  described <- yaml::read_yaml(feed_description())
  ask <- function(path) curl::curl_fetch_memory(paste0(stand_in$address, path))
  expect_equal(
    rawToChar(ask("/v1/openapi.yaml")$content),
    paste0(paste(readLines(feed_description()), collapse = "\n"), "\n")
  )
  resolved <- function(part) {
    if (is.null(part[["$ref"]])) {
      part
    } else {
      Reduce(`[[`, strsplit(part[["$ref"]], "/")[[1]][-1], described)
    }
  }
  values <- c(
    security = "TARROW", group = "port", from = "2024-01-02", to = "2024-01-31",
    held_to = "2024-01-15"
  )
  expect_gte(length(described$paths), 3)
  for (path in names(described$paths)) {
    question <- described$paths[[path]]$get
    known <- vapply(question$parameters, function(p) resolved(p)$name, "")
    query <- values[intersect(known, names(values))]
    answer <- ask(paste0(path, "?", paste(names(query), query, sep = "=", collapse = "&")))
    expect_equal(answer$status_code, 200L, info = path)
    headers <- curl::parse_headers_list(answer$headers)
    for (header in names(question$responses[["200"]]$headers)) {
      if (isTRUE(resolved(question$responses[["200"]]$headers[[header]])$required)) {
        expect_true(tolower(header) %in% names(headers), info = header)
      }
    }
    expect_equal(
      headers[["feed-digest"]],
      digest::digest(answer$content, "sha256", serialize = FALSE)
    )
    row <- resolved(question$responses[["200"]]$content[["application/json"]]$schema$items)
    columns <- names(read.csv(text = rawToChar(answer$content)))
    expect_setequal(setdiff(columns, names(row$properties)), character())
    expect_setequal(setdiff(row$required, columns), character())
    expect_equal(ask(paste0(path, "?colour=red"))$status_code, 400L)
    if (path != "/v1/securities") {
      expect_equal(ask(paste0(path, "?held_to=2024-01-01&held_state=other.1"))$status_code, 410L)
    }
    expect_equal(ask(paste0(path, "?security=NOSUCH&security=TARROW"))$status_code, 404L)
  }
  for (wrong in c(
    "/v1/prices?from=yesterday",
    paste0("/v1/prices?", strrep("security=A&", 101))
  )) {
    problem <- ask(wrong)
    expect_equal(problem$status_code, 400L)
    expect_equal(names(jsonlite::fromJSON(rawToChar(problem$content))), c("status", "detail"))
  }
})

# How a store is updated from a feed, and how many rows and questions that took.
updating <- function(own, address) {
  function(...) {
    said <- character()
    result <- withCallingHandlers(
      update_store(own, address, verbose = TRUE, ...),
      message = function(m) {
        said <<- c(said, gsub("\\s+", " ", conditionMessage(m)))
        invokeRestart("muffleMessage")
      }
    )
    list(
      result = outcomes(result),
      rows = sum(result$rows),
      questions = sum(grepl("^. /v1/prices", said)),
      addition = attr(result, "addition")
    )
  }
}

test_that("an update asks only for what is new or restated, and a past state can be read", {
  feed <- new_store()
  days <- as.Date("2024-01-01") + 0:299
  walk <- function(n, start) {
    data.frame(
      date = rep(days[1:n], 2),
      security = rep(c("A & B", "\u00c4=1"), each = n),
      close = c(1:n, 501:(500 + n)) + start
    )
  }
  suppressMessages(store_prices(walk(290, 0), feed))
  served <- feed_process(sprintf("'%s'", feed))
  withr::defer(served$process$kill())
  own <- new_store()
  update <- updating(own, served$address)
  first <- update(to = days[280])
  expect_equal(c(first$rows, first$result$new), c(560, 280, 280))
  # What lies behind the first end is new; asked for together.
  expect_equal(unlist(update()[c("rows", "questions")]), c(rows = 20, questions = 1))
  nothing <- update()
  expect_equal(
    unlist(nothing[c("rows", "questions", "addition")]),
    c(rows = 0, questions = 1, addition = NA)
  )
  expect_equal(nothing$result$outcome, rep("nothing new", 2))
  suppressMessages(store_prices(walk(300, 0), feed))
  restated <- walk(3, 0.5)
  suppressMessages(store_prices(
    restated,
    feed,
    actions = data.frame(security = "A & B", date = days[100], split = 2)
  ))
  both <- update()
  expect_equal(
    both$result[c("rows", "new", "restated")],
    data.frame(rows = c(13L, 13L), new = 10L, restated = 3L)
  )
  expect_identical(
    read_prices(own, price = "close")$close,
    read_prices(feed, price = "close")$close
  )
  expect_identical(read_prices(own)$close, read_prices(feed)$close)
  expect_equal(read_prices(own, price = "close", as_of = 2)$close[1:3, 1], 1:3)
  expect_equal(store_restatements(own)$before, c(1:3, 501:503))
  # Asked again for a short span, nothing of what is held is forgotten.
  suppressMessages(store_prices(walk(1, 0.25) |> rbind(walk(2, 0.25)) |> unique(), feed))
  expect_equal(update(from = days[250], update = FALSE)$rows, 102)
  expect_equal(update(to = days[1])$result$restated, c(1, 1))
  expect_equal(update()$result$restated, c(1, 1))
  # A security more; an earlier start than before; another feed at the same address that knows no
  # state of ours.
  suppressMessages(store_prices(data.frame(date = days, C = 1:300), feed))
  late <- update(securities = "C", from = days[200])
  expect_equal(late$rows, 101)
  expect_equal(update()$rows, 0)
  expect_equal(
    update(securities = "C", from = days[100])$result[c("rows", "new")],
    data.frame(rows = 201L, new = 100L)
  )
  suppressMessages(imbroglio:::with_store(feed, write = TRUE, function(connection, address) {
    DBI::dbExecute(connection, "update imbroglio_store set identity = 'another'")
    # Withdrawn at the source.
    DBI::dbExecute(
      connection,
      paste0(
        "update prices set close = null, volume = null, addition = 99 where security_id ",
        "= 1 and day = (select min(day) from prices)"
      )
    )
    DBI::dbExecute(
      connection,
      paste(
        "insert into additions (addition, added_at, source, new_prices, restated_prices)",
        "values (99, '2999-01-01T00:00:00Z', 'by hand', 0, 1)"
      )
    )
  }))
  # What was changed by hand is not served as what was written, until it is sealed anew.
  expect_error(
    fetch_prices(served$address, "A & B", tries = 1),
    "The store behind this feed cannot be read",
    class = "imbroglio_error_feed"
  )
  imbroglio:::with_store(feed, write = TRUE, function(connection, address) {
    imbroglio:::seal_all(connection)
  })
  again <- update()
  expect_equal(sum(again$result$new), 0)
  expect_equal(again$result$restated[1], 1)
  expect_true(is.na(read_prices(own, price = "close")$close[1, 1]))
  expect_equal(again$rows, 300 + 300 + 201)
})
