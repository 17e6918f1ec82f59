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
#' @section Errors: `imbroglio_error_argument` for a fault that is not known,
#'   `imbroglio_error_feed` for a port that is taken, and those of [store_prices()].
#' @examples
#' if (all(vapply(c("httpuv", "RSQLite"), requireNamespace, NA, quietly = TRUE))) {
#'   say <- function(address) message("Serving at ", address)
#'   serve_feed(port = 0, seconds = 0.1, ready = say)
#' }
#' @export
serve_feed <- function(store = NULL, port = 8017L, faults = NULL, form = c("csv", "json"),
                       page_rows = 5000L, seconds = Inf, ready = function(address) NULL) {
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
      demo_file("bay-daily.csv.gz"),
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
      imbroglio_error = function(e) problem(500L, "The store behind this feed cannot be read.")
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

table_asked <- function(connection, request, form, page_rows) {
  if (request$REQUEST_METHOD != "GET") return(problem(405L, "A feed is only asked, by GET."))
  path <- sub("/$", "", request$PATH_INFO)
  if (path == "/v1/openapi.yaml") {
    return(list(
      status = 200L,
      headers = list("Content-Type" = "application/yaml"),
      body = c(file = feed_description())
    ))
  }
  if (!path %in% names(feed_tables)) return(problem(404L, sprintf("There is no %s here.", path)))
  asked <- query_of(request$QUERY_STRING)
  unknown <- setdiff(
    names(asked),
    c("security", "group", "from", "to", "held_to", "held_state", "next")
  )
  if (length(unknown)) return(problem(400L, sprintf("There is no parameter %s.", unknown[1L])))
  days <- lapply(asked[intersect(c("from", "to", "held_to"), names(asked))], parse_iso_dates)
  if (anyNA(unlist(days)) || any(lengths(days) != 1L)) {
    return(problem(400L, "A date is written like 2024-12-31."))
  }
  if (length(asked$security) > most_at_once) {
    return(problem(400L, sprintf("At most %d securities at once.", most_at_once)))
  }
  with_store(connection, function(connection, address) {
    asked_rows <- rows_asked(connection, path, asked, lapply(days, as.integer))
    if (!is.null(asked_rows$problem)) return(asked_rows$problem)
    total <- nrow(asked_rows$rows)
    page <- if (is.null(asked[["next"]])) 1 else as.numeric(sub("^.*\\.", "", asked[["next"]]))
    if (!is.null(asked[["next"]]) &&
        !identical(sub("\\.[0-9]+$", "", asked[["next"]]), asked_rows$state)) {
      return(problem(410L, "The prices have changed since the first page; ask for it again."))
    }
    rows <- asked_rows$rows[
      seq_len(total) > (page - 1) * page_rows & seq_len(total) <= page * page_rows,
    ]
    as_json <- form == "json" || grepl("^application/json", request$HTTP_ACCEPT %||% "")
    body <- charToRaw(enc2utf8(if (as_json) feed_json(rows) else feed_csv(rows)))
    list(
      status = 200L,
      body = body,
      headers = c(
        list(
          "Content-Type" = if (as_json) "application/json" else "text/csv; charset=utf-8",
          "Feed-State" = asked_rows$state,
          "Feed-Rows" = as.character(nrow(rows)),
          "Feed-Total" = as.character(total),
          "Feed-Digest" = digest::digest(body, algo = "sha256", serialize = FALSE)
        ),
        if (page * page_rows < total) {
          list("Feed-Next" = sprintf("%s.%.0f", asked_rows$state, page + 1))
        }
      )
    )
  })
}

# What a feed is asked for, and how its answer's columns are called.
feed_tables <- list(
  "/v1/securities" = c("security", "name", "currency", "group", "benchmark", "from", "to"),
  "/v1/prices" = c("security", "date", price_fields),
  "/v1/actions" = c("security", "date", "split", "dividend")
)

most_at_once <- 100L

query_of <- function(text) {
  parts <- strsplit(strsplit(sub("^\\?", "", text), "&", fixed = TRUE)[[1L]], "=", fixed = TRUE)
  plain <- function(i) {
    vapply(parts, function(p) {
      utils::URLdecode(gsub(
        "+",
        " ",
        if (length(p) < i) "" else paste(p[if (i == 1L) 1L else -1L], collapse = "="),
        fixed = TRUE
      ))
    }, "")
  }
  values <- plain(2L)
  Encoding(values) <- "UTF-8"
  split(values, plain(1L))
}

rows_asked <- function(connection, path, asked, days) {
  version <- DBI::dbGetQuery(
    connection,
    "select identity, (select coalesce(max(addition), 0) from additions) as addition
    from imbroglio_store"
  )
  state <- sprintf("%s.%d", version$identity, as.integer(version$addition))
  known <- DBI::dbGetQuery(connection, "select * from securities order by id")
  if (!is.null(asked$security)) {
    unknown <- setdiff(asked$security, known$security)
    if (length(unknown)) {
      return(list(problem = problem(
        404L,
        sprintf("There is no security %s.", some(unknown)),
        unknown
      )))
    }
    known <- known[known$security %in% asked$security, ]
  }
  if (!is.null(asked$group)) known <- known[known$security_group %in% asked$group, ]
  if (path == "/v1/securities") {
    spans <- DBI::dbGetQuery(
      connection,
      paste0(
        "select security_id, min(day) as low, max(day) as high from prices group by ",
        "security_id"
      )
    )
    day <- function(column) {
      core_iso_days(.Date(as.numeric(spans[[column]][match(known$id, spans$security_id)])))
    }
    rows <- data.frame(
      known[c("security", "name", "currency")],
      group = known$security_group,
      benchmark = known$benchmark,
      from = day("low"),
      to = day("high")
    )
    return(list(state = state, rows = rows))
  }
  if (!nrow(known)) return(list(problem = problem(404L, "There is no such security.")))
  table <- sub("^/v1/", "", path)
  fields <- setdiff(feed_tables[[path]], c("security", "date"))
  since <- NULL
  if (!is.null(asked$held_state)) {
    if (!identical(sub("\\.[0-9]+$", "", asked$held_state), version$identity) ||
        is.null(days$held_to)) {
      return(list(problem = problem(410L, "That state is not known here; ask for the whole.")))
    }
    since <- as.numeric(sub("^.*\\.", "", asked$held_state))
  }
  in_time <- c(
    sprintf("security_id in (%s)", paste(known$id, collapse = ", ")),
    if (!is.null(days$from)) sprintf("day >= %d", days$from),
    if (!is.null(days$to)) sprintf("day <= %d", days$to)
  )
  select <- function(...) {
    paste(
      "select security_id, day, ",
      paste(fields, collapse = ", "),
      "from",
      table,
      "where",
      paste(c(in_time, ...), collapse = " and ")
    )
  }
  query <- if (is.null(since)) {
    select()
  } else {
    # Apart, so that each can go by its own index.
    paste(
      select(sprintf("day > %d", days$held_to)),
      "union all",
      select(sprintf("day <= %d", days$held_to), sprintf("addition > %.0f", since))
    )
  }
  rows <- DBI::dbGetQuery(connection, paste(query, "order by 1, 2"))
  rows <- data.frame(
    security = known$security[match(rows$security_id, known$id)],
    date = core_iso_days(.Date(as.numeric(rows$day))),
    lapply(rows[fields], as.numeric)
  )
  list(
    state = state,
    rows = rows[c(
      TRUE,
      TRUE,
      vapply(rows[fields], function(v) any(!is.na(v)), NA) |
        fields %in% c("close", "split", "dividend")
    )]
  )
}

feed_csv <- function(rows) {
  cells <- lapply(rows, function(v) {
    each <- unique(v)
    text <- if (is.numeric(v)) core_shortest(each) else as.character(each)
    text[is.na(each)] <- ""
    marked <- !is.numeric(v) & grepl("[\",\r\n]|^ | $", text)
    text[marked] <- paste0('"', gsub('"', '""', text[marked], fixed = TRUE), '"')
    text[match(v, each)]
  })
  paste0(
    paste(names(rows), collapse = ","),
    "\n",
    if (nrow(rows)) paste0(do.call(paste, c(unname(cells), sep = ",")), "\n", collapse = "")
  )
}

feed_json <- function(rows) as.character(jsonlite::toJSON(rows, digits = I(17), na = "null"))

#' How a price feed is asked
#'
#' The open description of a price feed, as an OpenAPI document: any service that answers so can
#' be fetched from. [serve_feed()] hands it out at `/v1/openapi.yaml`.
#'
#' @return The path of the file.
#' @examples
#' head(readLines(feed_description()), 4)
#' @export
feed_description <- function() system.file("feed", "openapi.yaml", package = "imbroglio")
