# What is asked of a feed, and what is taken from it.
for (package in c("httr2", "httpuv", "RSQLite", "processx")) skip_if_not_installed(package)
traded <- suppressMessages(read_prices(demo_file("bay-daily.csv.xz"), price = "close"))
stand_in <- feed_process()
withr::defer(stand_in$process$kill(), teardown_env())
bad <- bad_feed()
withr::defer(bad$process$kill(), teardown_env())

test_that("only a feed's address is asked", {
  withr::local_envvar(IMBROGLIO_FEED_TOKEN = "hush")
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
})

test_that("a token is not shown, nor kept", {
  # Put together here, as the code of a test stands in the traces of its errors.
  token <- paste(c("hush", "4711", "hush"), collapse = "-")
  withr::local_envvar(IMBROGLIO_FEED_TOKEN = token)
  guarded <- feed_process("", IMBROGLIO_FEED_TOKEN = token)
  withr::defer(guarded$process$kill())
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
  expect_equal(vapply(shown, function(s) as.integer(s$status), 0L), c(5L, 4L, 4L, 4L, 0L))
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
})

test_that("a token goes to the feed and nowhere else, and one that is wrong is said", {
  # Put together here, as the code of a test stands in the traces of its errors.
  token <- paste(c("hush", "4711", "hush"), collapse = "-")
  withr::local_envvar(IMBROGLIO_FEED_TOKEN = token)
  guarded <- feed_process("", IMBROGLIO_FEED_TOKEN = token)
  withr::defer(guarded$process$kill())
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
})

test_that("certificates are checked", {
  if (!nzchar(Sys.which("openssl"))) skip("openssl is not installed")
  folder <- tempfile()
  dir.create(folder)
  old <- setwd(folder)
  withr::defer(setwd(old))
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
  withr::defer(server$kill())
  Sys.sleep(0.5)
  address <- sprintf("https://localhost:%d", port)
  expect_error(
    fetch_prices(address, "A", tries = 1),
    "self-signed certificate",
    class = "imbroglio_error_feed"
  )
  # One's own are taken where they are named: then it is the answer that is none.
  withr::local_envvar(CURL_CA_BUNDLE = file.path(folder, "cert.pem"))
  said <- expect_error(fetch_prices(address, "A", tries = 1), class = "imbroglio_error_feed")
  expect_no_match(conditionMessage(said), "certificate")
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
