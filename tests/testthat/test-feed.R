# Fetching from the stand-in feed and from worse ones, each a process of its own.
for (package in c("httr2", "httpuv", "RSQLite", "processx")) skip_if_not_installed(package)
quiet <- function(code) suppressMessages(code)
new_store <- function() tempfile(fileext = ".sqlite")
outcomes <- function(x) as.data.frame(x)
traded <- quiet(read_prices(demo_file("bay-daily.csv.gz"), price = "close"))
stand_in <- feed_process()
withr::defer(stand_in$process$kill(), teardown_env())
bad <- local({
  port <- tempfile()
  process <- processx::process$new(
    file.path(R.home("bin"), "Rscript"),
    c("--no-init-file", test_path("bad-feed.R"), port),
    env = c("current", R_LIBS = paste(.libPaths(), collapse = .Platform$path.sep)),
    stderr = "|"
  )
  while (!file.exists(port) || !length(readLines(port))) {
    if (!process$is_alive()) stop(process$read_all_error())
    Sys.sleep(0.05)
  }
  list(
    port = readLines(port),
    process = process,
    health = paste0(port, "-health"),
    at = function(way) sprintf("http://127.0.0.1:%s/%s", readLines(port), way)
  )
})
withr::defer(bad$process$kill(), teardown_env())

test_that("what is fetched is what the feed has: adjusted, with names, in any form and page", {
  file <- read_prices(demo_file("bay-daily.csv.gz"))
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
  on.exit(json$process$kill())
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
  quiet(store_prices(walk(290, 0), feed))
  served <- feed_process(sprintf("'%s'", feed))
  on.exit(served$process$kill())
  own <- new_store()
  update <- function(...) {
    said <- character()
    result <- withCallingHandlers(
      update_store(own, served$address, verbose = TRUE, ...),
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
  quiet(store_prices(walk(300, 0), feed))
  restated <- walk(3, 0.5)
  quiet(store_prices(
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
  quiet(store_prices(walk(1, 0.25) |> rbind(walk(2, 0.25)) |> unique(), feed))
  expect_equal(update(from = days[250], update = FALSE)$rows, 102)
  expect_equal(update(to = days[1])$result$restated, c(1, 1))
  expect_equal(update()$result$restated, c(1, 1))
  # A security more; an earlier start than before; another feed at the same address that knows no
  # state of ours.
  quiet(store_prices(data.frame(date = days, C = 1:300), feed))
  late <- update(securities = "C", from = days[200])
  expect_equal(late$rows, 101)
  expect_equal(update()$rows, 0)
  expect_equal(
    update(securities = "C", from = days[100])$result[c("rows", "new")],
    data.frame(rows = 201L, new = 100L)
  )
  quiet(imbroglio:::with_store(feed, write = TRUE, function(connection, address) {
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
      "insert into additions values (99, '2999-01-01T00:00:00Z', 'by hand', 0, 1)"
    )
  }))
  again <- update()
  expect_equal(sum(again$result$new), 0)
  expect_equal(again$result$restated[1], 1)
  expect_true(is.na(read_prices(own, price = "close")$close[1, 1]))
  expect_equal(again$rows, 300 + 300 + 201)
})

test_that("a feed that fails, limits, cuts off and lies gives all that can be had, exactly", {
  some <- c("BAYALL", "TARROW", "PELLAN")
  cases <- list(
    "fail = 3", "cut = 2", "rubbish = 3", "limit = 3", "lie = 2", "slow = 0.05",
    "fail = 3, limit = 5, cut = 4, rubbish = 5, lie = 7"
  )
  for (faults in cases) {
    feed <- feed_process(
      sprintf("faults = c(%s), page_rows = 1300,", faults) |> sub(",$", "", x = _)
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
  on.exit(slow$process$kill())
  expect_error(
    fetch_prices(slow$address, "BAYALL", time_limit = 0.2, tries = 2),
    "(?i)time",
    class = "imbroglio_error_feed"
  )
})

test_that("what is not whole is never taken for whole; the rest is had, and the reason told", {
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
  # What failed is not forgotten: the next update has it, at the same address.
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
  # A connection that ends in the middle of a body.
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
  on.exit(server$kill())
  while (!file.exists(cut) || !length(readLines(cut))) Sys.sleep(0.05)
  expect_error(
    fetch_prices(paste0("http://127.0.0.1:", readLines(cut)), tries = 2),
    "(?i)no answer",
    class = "imbroglio_error_feed"
  )
})

test_that(
  paste0(
    "only what is a feed's address is asked, and a token goes nowhere else and is ",
    "shown nowhere"
  ),
  {
    # Put together here, as the code of a test stands in the traces of its errors.
    token <- paste(c("hush", "4711", "hush"), collapse = "-")
    withr::local_envvar(IMBROGLIO_FEED_TOKEN = token)
    refused <- list(
      "ftp://host/x" = "https://",
      "file:///etc/passwd" = "https://",
      "prices.example" = "https://",
      "http://" = "https://",
      "http://host/?key=1" = "https://",
      "http://me:pw@host/" = "password",
      "http://prices.example" = "unencrypted"
    )
    for (address in names(refused)) {
      expect_error(
        fetch_prices(address, "A"),
        refused[[address]],
        class = "imbroglio_error_argument"
      )
    }
    expect_error(fetch_prices(c("http://a", "http://b"), "A"), class = "imbroglio_error_argument")
    withr::with_envvar(
      c(IMBROGLIO_FEED_TOKEN = "a b"),
      expect_error(
        fetch_prices("http://127.0.0.1", "A"),
        "TOKEN",
        class = "imbroglio_error_argument"
      )
    )
    guarded <- feed_process("", IMBROGLIO_FEED_TOKEN = token)
    on.exit(guarded$process$kill())
    store <- new_store()
    folder <- tempfile()
    dir.create(folder)
    run <- function(...) imbroglio("fetch", "--verbose", "--tries", "2", ...)
    shown <- list(
      run(
        "--feed", guarded$address, "--store", store, "--securities", "BAYALL,NOSUCH", "--from",
        "2025-01-01"
      ),
      run("--feed", bad$at("echo"), "--store", store, "--securities", "ALPHA"),
      run("--feed", bad$at("away"), "--store", store, "--securities", "ALPHA"),
      run("--feed", "http://127.0.0.1:1", "--store", store, "--securities", "ALPHA"),
      imbroglio("store", store, "--format", "json")
    )
    expect_equal(vapply(shown, function(s) as.integer(s$status), 0L), c(1L, 4L, 4L, 4L, 0L))
    expect_match(shown[[2]]$err, "What is Bearer [token] to me", fixed = TRUE)
    # At the highest verbosity of what asks.
    loud <- utils::capture.output(
      type = "message",
      said <- utils::capture.output({
        old <- options(httr2_verbosity = 3, cli.default_handler = NULL)
        error <- tryCatch(
          fetch_prices(bad$at("echo"), "ALPHA", verbose = TRUE, tries = 1),
          error = identity
        )
        prices <- fetch_prices(guarded$address, "BAYALL", verbose = TRUE)
        options(old)
      })
    )
    saved <- tempfile()
    saveRDS(list(error, prices), saved, compress = FALSE)
    everything <- c(
      unlist(lapply(shown, `[`, c("out", "err"))),
      loud,
      said,
      conditionMessage(error),
      utils::capture.output(print(error)),
      utils::capture.output(print(rlang::last_trace))
    )
    expect_false(any(grepl(token, everything, fixed = TRUE)))
    holds <- function(file) {
      grepl(
        token,
        paste(
          readBin(file, "raw", file.size(file)) |> (\(r) rawToChar(r[r != 0]))(),
          collapse = ""
        ),
        fixed = TRUE,
        useBytes = TRUE
      )
    }
    expect_false(holds(store))
    expect_false(holds(saved))
    # Sent to the feed, and not to where it redirects.
    fetch_prices(bad$at("seen"), "ALPHA")
    withr::with_envvar(c(IMBROGLIO_FEED_TOKEN = ""), fetch_prices(bad$at("seen"), "ALPHA"))
    listed <- rawToChar(curl::curl_fetch_memory(bad$at("list/"))$content)
    expect_match(listed, paste("127.0.0.1:[0-9]+ Bearer", token))
    expect_match(listed, "127.0.0.1:[0-9]+ *\n")
    request <- imbroglio:::request_of(
      imbroglio:::feed_at("https://prices.example"),
      "https://prices.example.other/v1/prices"
    )
    expect_null(request$headers$Authorization)
    withr::with_envvar(c(IMBROGLIO_FEED_TOKEN = "wrong"), {
      expect_error(
        fetch_prices(guarded$address, "BAYALL"),
        "401.*does not take IMBROGLIO_FEED_TOKEN",
        class = "imbroglio_error_feed"
      )
    })
    withr::with_envvar(c(IMBROGLIO_FEED_TOKEN = ""), {
      expect_error(
        fetch_prices(guarded$address, "BAYALL"),
        "IMBROGLIO_FEED_TOKEN is not set",
        class = "imbroglio_error_feed"
      )
    })
  }
)

test_that("certificates are checked", {
  if (!nzchar(Sys.which("openssl"))) skip("openssl is not installed")
  folder <- tempfile()
  dir.create(folder)
  old <- setwd(folder)
  on.exit(setwd(old))
  processx::run(
    "openssl",
    c(
      "req", "-x509", "-newkey", "rsa:2048", "-nodes", "-keyout", "key.pem", "-out", "cert.pem",
      "-days", "2", "-subj", "/CN=localhost", "-addext", "subjectAltName=DNS:localhost"
    )
  )
  port <- httpuv::randomPort()
  server <- processx::process$new(
    "openssl",
    c("s_server", "-quiet", "-accept", port, "-cert", "cert.pem", "-key", "key.pem", "-WWW")
  )
  on.exit(server$kill(), add = TRUE)
  Sys.sleep(0.5)
  address <- sprintf("https://localhost:%d", port)
  expect_error(
    fetch_prices(address, "A", tries = 1),
    "self-signed certificate",
    class = "imbroglio_error_feed"
  )
})

test_that("the commands fetch, feed and store work together, and their status can be relied on", {
  store <- new_store()
  fetch <- function(...) imbroglio("fetch", "--feed", stand_in$address, ...)
  first <- fetch("--store", store, "--securities", "group:port", "--to", "2025-11-28")
  expect_equal(c(first$status, first$err), c("0", ""))
  expect_match(
    tail(first$out, 1),
    paste0(
      "^3 of 3 securities: 6,419 prices new, 0 restated; from http://127.0.0.1:[0-9]+ ",
      "into .*sqlite\\.$"
    )
  )
  partly <- fetch(
    "--store", store, "--securities", "TARROW,NOSUCH", "--update", "--format", "csv"
  )
  expect_equal(partly$status, 1L)
  expect_equal(
    read.csv(text = partly$out)[c("security", "outcome", "new")],
    data.frame(
      security = c("TARROW", "NOSUCH"),
      outcome = c("fetched", "failed"),
      new = c(21L, 0L)
    )
  )
  expect_equal(partly$err, "")
  expect_match(
    tail(fetch("--store", store, "--update")$out, 1),
    "^3 of 3 securities: 42 prices new"
  )
  json <- jsonlite::fromJSON(imbroglio("store", store, "--format", "json")$out)
  expect_equal(json$results$to, rep("2025-12-31", 3))
  expect_match(
    imbroglio("store", store)$out[1],
    "^security +name +group +from +to +n +restated +actions +addition"
  )
  expect_match(tail(imbroglio("store", store, "--restatements")$out, 1), "Nothing was restated")
  expect_match(
    tail(imbroglio("store", store, "--additions")$out, 1),
    "3 additions: 6,482 prices new, 0 restated"
  )
  # Every other command reads it as it reads a file.
  from_store <- jsonlite::fromJSON(
    imbroglio("drawdown", store, "--security", "TARROW", "--format", "json")$out
  )
  from_file <- jsonlite::fromJSON(
    imbroglio(
      "drawdown",
      demo_file("bay-daily.csv.gz"),
      "--security",
      "TARROW",
      "--format",
      "json"
    )$out
  )
  expect_equal(from_store$results, from_file$results, tolerance = 1e-4)
  expect_equal(
    jsonlite::fromJSON(
      imbroglio("var", paste0("sqlite:", store), "--as-of", "1", "--format", "json")$out
    )$basis$to,
    "2025-11-28"
  )
  out <- tempfile(fileext = ".csv")
  expect_equal(fetch("--securities", "BAYALL", "--from", "2025-01-01", "--out", out)$status, 0L)
  expect_equal(ncol(read.csv(out)), 2L)
  cases <- list(
    list(2, "by --feed", "fetch", "--store", store),
    list(2, "--store STORE or --out", "fetch", "--feed", "http://127.0.0.1"),
    list(2, "takes no file", "fetch", store, "--feed", "http://127.0.0.1"),
    list(2, "is of a store", "fetch", "--feed", "http://127.0.0.1", "--out", out, "--update"),
    list(
      4, "Nothing could be fetched", "fetch", "--feed", "http://127.0.0.1:1", "--store", store,
      "--tries", "1", "--securities", "A"
    ),
    list(3, "no store", "store", "nowhere.sqlite"),
    list(2, "one at a time", "store", store, "--additions", "--restatements"),
    list(2, "faults", "feed", "--faults", "worse=3"),
    list(2, "names", "feed", "--faults", "3"),
    list(3, "no store", "feed", "nowhere.sqlite"),
    list(2, "--as-of must be", "var", store, "--as-of", "yesterday")
  )
  for (case in cases) {
    ran <- do.call(imbroglio, case[-(1:2)])
    expect_equal(ran$status, case[[1]], info = paste(unlist(case), collapse = " "))
    expect_match(ran$err, case[[2]], info = paste(unlist(case), collapse = " "))
  }
})

test_that("two commands that update the same store at once lose no row and double none", {
  store <- new_store()
  command <- system.file("exec", "imbroglio", package = "imbroglio")
  start <- function(...) {
    processx::process$new(
      command,
      c("fetch", "--feed", stand_in$address, "--store", store, "--update", ...),
      stdout = "|",
      stderr = "|",
      env = c("current", R_LIBS = paste(.libPaths(), collapse = .Platform$path.sep))
    )
  }
  for (round in list(c("--to", "2020-12-31"), character())) {
    both <- list(do.call(start, as.list(round)), do.call(start, as.list(round)))
    for (one in both) {
      one$wait(120000)
      expect_equal(one$get_exit_status(), 0L, info = one$read_all_error())
    }
  }
  expect_identical(read_prices(store, price = "close")$close, traded$close)
  expect_equal(
    c(sum(store_additions(store)$new), sum(store_additions(store)$restated)),
    c(sum(!is.na(traded$close)), 0)
  )
})

test_that("an answer is unpacked no further than a page can be", {
  skip_if_not_installed("httr2")
  packed <- function(megabytes) {
    path <- tempfile()
    connection <- gzfile(path, "wb")
    for (i in seq_len(megabytes)) writeBin(raw(2^20), connection)
    close(connection)
    httr2::response(
      headers = list(`Content-Encoding` = "gzip"),
      body = readBin(path, "raw", file.size(path))
    )
  }
  expect_length(imbroglio:::body_of(packed(3)), 3 * 2^20)
  expect_error(
    imbroglio:::body_of(packed(300)),
    "more than 256 MB",
    class = "imbroglio_error_page"
  )
  expect_error(
    imbroglio:::body_of(httr2::response(
      headers = list(`Content-Encoding` = "br"),
      body = raw(3)
    )),
    class = "imbroglio_error_page"
  )
})
