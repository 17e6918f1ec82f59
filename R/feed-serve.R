#' Serve prices as a feed
#'
#' Answers the questions of a price feed (see [feed_description()]) on this machine, from the demo
#' data or from a price store: to try [fetch_prices()] and [update_store()], to test what stands
#' on them, or to hand a store to programs on the same machine. Only this machine can reach it.
#'
#' It can be told to be as bad as feeds are. Each fault is counted by answers, so that a run can
#' be repeated:
#'
#' | fault | what it does |
#' |---|---|
#' | `fail = 3` | every third answer is an error 500 |
#' | `limit = 20` | more than 20 answers within a second are refused by 429, with Retry-After |
#' | `slow = 0.5` | each answer takes half a second |
#' | `cut = 4` | every fourth table ends in the middle |
#' | `lie = 5` | every fifth table is announced longer or shorter than it is, by turns |
#' | `rubbish = 6` | every sixth answer is a page of something else |
#'
#' @param store A price store, see [store_prices()]; what is added to it is served at once.
#'   Without one: the demo data, as traded, with its splits and dividends.
#' @param port The port; 0 for any that is free.
#' @param faults Numbers, named as above.
#' @param form `"csv"`, or `"json"` for a feed that has no CSV.
#' @param page_rows The most rows in one answer.
#' @param seconds How long to serve.
#' @param ready A function that is called with the address when the feed answers.
#' @return Nothing; it serves until `seconds` are over or it is interrupted. If the environment
#'   has `IMBROGLIO_FEED_TOKEN`, only who has the same token is answered.
#' @section What is served: Whole series come from the store as [read_prices()] reads them, tested
#'   against their checksums; of a store that was damaged or changed by another program the answer
#'   is 500.
#' @section Errors: `imbroglio_error_argument` for a fault that is not known,
#'   `imbroglio_error_feed` for a port that is taken, and those of [store_prices()].
#' @family ways to get prices
#' @examples
#' if (all(vapply(c("httpuv", "RSQLite"), requireNamespace, NA, quietly = TRUE))) {
#'   say <- function(address) message("Serving at ", address)
#'   serve_feed(port = 0, seconds = 0.1, ready = say)
#' }
#' @export
serve_feed <- function(store = NULL, port = 8017L, faults = NULL, form = c("csv", "json"),
                       page_rows = 25000L, seconds = Inf, ready = function(address) NULL) {
  need_package("httpuv", "A feed")
  need_package("DBI", "A feed")
  port <- check_whole(port, "port", 0L)
  page_rows <- check_whole(page_rows, "page_rows")
  form <- one_of(form, "form", c("csv", "json"))
  faults <- check_faults(faults)
  if (is.null(store)) {
    store <- tempfile(fileext = ".sqlite")
    on.exit(unlink(store), add = TRUE)
    traded <- read_prices(
      demo_file("bay-daily.csv.xz"),
      price = "close",
      securities = demo_file("bay-securities.csv")
    )
    traded$fields$adjusted <- NULL
    suppressMessages(store_prices(traded, store, actions = demo_file("bay-actions.csv")))
  }
  # Refused now, not at the first question; and open as long as it is served.
  with_store(store, function(connection, address) NULL)
  connection <- connect_store(store_address(store), write = FALSE)
  if (!inherits(store, "DBIConnection")) on.exit(DBI::dbDisconnect(connection), add = TRUE)
  if (!port) port <- httpuv::randomPort(host = "127.0.0.1")
  answer <- answerer(connection, faults, form, page_rows, Sys.getenv("IMBROGLIO_FEED_TOKEN"))
  server <- tryCatch(
    httpuv::startServer("127.0.0.1", port, list(call = answer), quiet = TRUE),
    error = function(e) {
      fail(
        "feed",
        sprintf("Port %d cannot be served at.", port),
        where = "Another program may be using it.",
        remedy = "Name another, or 0 for any that is free."
      )
    }
  )
  on.exit(httpuv::stopServer(server), add = TRUE)
  ready(sprintf("http://127.0.0.1:%d", port))
  until <- Sys.time() + min(seconds, 1e9)
  while ((left <- as.numeric(until - Sys.time(), units = "secs")) > 0) {
    httpuv::service(min(1000, 1000 * left))
  }
  invisible()
}

feed_faults <- c("fail", "limit", "slow", "cut", "lie", "rubbish")

check_faults <- function(faults) {
  if (is.null(faults)) return(list())
  if (is.null(names(faults)) ||
      !is.numeric(unlist(faults)) || anyNA(unlist(faults)) || any(unlist(faults) <= 0)) {
    fail(
      "argument",
      "Faults are numbers above 0 with names, such as fail = 3.",
      where = sprintf("There are %s.", some(feed_faults, 9L))
    )
  }
  check_choice(names(faults), "faults", feed_faults, several = TRUE)
  as.list(faults)
}

# The answer to one request, faults and all.
answerer <- function(connection, faults, form, page_rows, token) {
  answers <- tables <- lies <- in_time <- 0
  second <- 0
  every <- function(n, fault) !is.null(faults[[fault]]) && n %% faults[[fault]] == 0
  function(request) {
    answers <<- answers + 1
    if (!is.null(faults$slow)) Sys.sleep(faults$slow)
    if (nzchar(token) && !identical(request$HTTP_AUTHORIZATION, paste("Bearer", token))) {
      return(problem(401L, "This feed answers those who have its token."))
    }
    now <- floor(as.numeric(Sys.time()))
    if (now != second) in_time <<- 0
    second <<- now
    in_time <<- in_time + 1
    if (!is.null(faults$limit) && in_time > faults$limit) {
      return(problem(
        429L,
        "Too many questions in a second.",
        headers = list("Retry-After" = "1")
      ))
    }
    if (every(answers, "fail")) return(problem(500L, "This feed fails every so often."))
    if (every(answers, "rubbish")) {
      return(list(
        status = 200L,
        headers = list("Content-Type" = "text/html"),
        body = "<html><body>We are making our site better for you.</body></html>"
      ))
    }
    answer <- tryCatch(
      table_asked(connection, request, form, page_rows),
      imbroglio_error = function(e) {
        # Whoever serves it should know why; whoever asks need not.
        note("feed", sprintf("Not served: %s", conditionMessage(e)))
        problem(500L, "The store behind this feed cannot be read.")
      }
    )
    if (answer$status == 200L && is.raw(answer$body)) {
      tables <<- tables + 1
      whole <- length(answer$body)
      # A length of our own is sent only where nothing is compressed.
      answer$headers[["Content-Encoding"]] <- "identity"
      if (every(tables, "cut")) answer$body <- answer$body[seq_len(whole %/% 2L)]
      if (every(tables, "lie")) {
        lies <<- lies + 1
        answer$headers[["Content-Length"]] <- as.character(
          if (lies %% 2) whole * 2L else whole %/% 2L
        )
      }
    }
    answer
  }
}

problem <- function(status, detail, securities = NULL, headers = list()) {
  body <- list(status = status, detail = detail)
  if (length(securities)) body$securities <- I(securities)
  list(
    status = status,
    headers = c(list("Content-Type" = "application/problem+json"), headers),
    body = as.character(jsonlite::toJSON(body, auto_unbox = TRUE))
  )
}

#' How a price feed is asked
#'
#' The open description of a price feed, as an OpenAPI document: any service that answers so can
#' be fetched from. [serve_feed()] hands it out at `/v1/openapi.yaml`.
#'
#' @return The path of the file.
#' @family ways to get prices
#' @examples
#' head(readLines(feed_description()), 4)
#' @export
feed_description <- function() system.file("feed", "openapi.yaml", package = "imbroglio")
