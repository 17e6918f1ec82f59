# A feed that is bad in ways that the stand-in is not: the first part of its path says how. Run as
# a process of its own: Rscript bad-feed.R FILE, into which it writes its port.
house <- asNamespace("imbroglio")
store <- tempfile(fileext = ".sqlite")
days <- as.Date("2024-01-01") + 0:39
suppressMessages(imbroglio::store_prices(
  data.frame(
    date = rep(days, 3),
    security = rep(c("ALPHA", "BETA", "GAMMA"), each = 40),
    close = 100 + 1:120
  ),
  store,
  actions = data.frame(security = "ALPHA", date = days[20], dividend = 1)
))
good <- house$answerer(
  imbroglio:::connect_store(imbroglio:::store_address(store), FALSE),
  list(),
  "csv",
  25L,
  ""
)
asked <- new.env()
# An answer with other text, or other headers, that says of itself that it is whole.
changed <- function(answer, change = identity, rows = 0L, total = rows, ...) {
  body <- charToRaw(change(rawToChar(answer$body)))
  number <- function(name, by) as.character(as.integer(answer$headers[[name]]) + by)
  answer$headers[["Feed-Rows"]] <- number("Feed-Rows", rows)
  answer$headers[["Feed-Total"]] <- number("Feed-Total", total)
  answer$headers[["Feed-Digest"]] <- digest::digest(body, "sha256", serialize = FALSE)
  answer$headers <- utils::modifyList(answer$headers, list(...))
  answer$body <- body
  answer
}
lines <- function(text, change) {
  paste0(paste(change(strsplit(text, "\n")[[1]]), collapse = "\n"), "\n")
}
of_beta <- function(request) {
  grepl("prices$", request$PATH_INFO) && grepl("security=BETA", request$QUERY_STRING)
}
ways <- list(
  good = function(request, answer) answer,
  one = function(request, answer) {
    if (of_beta(request)) house$problem(500L, "Not today.") else answer
  },
  # Until it is well.
  sick = function(request, answer) {
    if (of_beta(request) && !file.exists(paste0(commandArgs(TRUE)[1], "-health"))) {
      house$problem(500L, "Not today.")
    } else {
      answer
    }
  },
  never = function(request, answer) {
    if (of_beta(request)) list(status = 418L, headers = list(), body = "") else answer
  },
  half = function(request, answer) {
    if (of_beta(request)) {
      changed(
        answer,
        function(t) lines(t, function(l) l[seq_len(length(l) / 2)]),
        -13L,
        -13L,
        "Feed-Total" = "40"
      )
    } else {
      answer
    }
  },
  last = function(request, answer) {
    if (of_beta(request)) answer$headers[["Feed-Next"]] <- NULL
    answer
  },
  more = function(request, answer) if (of_beta(request)) changed(answer, total = 1L) else answer,
  less = function(request, answer) if (of_beta(request)) changed(answer, total = -1L) else answer,
  plain = function(request, answer) {
    answer$headers[["Feed-Digest"]] <- NULL
    answer
  },
  text = function(request, answer) {
    if (of_beta(request)) {
      changed(answer, function(t) sub("14[0-9],", "n/a,", sub(",14[0-9]\n", ",n/a\n", t)))
    } else {
      answer
    }
  },
  date = function(request, answer) {
    if (of_beta(request)) {
      changed(answer, function(t) sub("2024-01-05", "2024-02-31", t))
    } else {
      answer
    }
  },
  stranger = function(request, answer) changed(answer, function(t) gsub("BETA", "BETTY", t)),
  twice = function(request, answer) {
    if (of_beta(request)) {
      changed(answer, function(t) lines(t, function(l) c(l, l[2])), 1L, 1L)
    } else {
      answer
    }
  },
  echo = function(request, answer) {
    house$problem(400L, paste("What is", request$HTTP_AUTHORIZATION, "to me?"))
  },
  away = function(request, answer) {
    list(
      status = 302L,
      headers = list(Location = paste0(
        "http://localhost:",
        port,
        "/good",
        sub("^/away", "", request$FULL),
        request$QUERY_STRING
      )),
      body = ""
    )
  },
  round = function(request, answer) {
    list(
      status = 307L,
      headers = list(Location = paste0(request$FULL, request$QUERY_STRING)),
      body = ""
    )
  },
  near = function(request, answer) {
    list(
      status = 308L,
      headers = list(Location = paste0(
        "/good",
        sub("^/near", "", request$FULL),
        request$QUERY_STRING
      )),
      body = ""
    )
  },
  later = function(request, answer) {
    house$problem(503L, "Closed for the night.", headers = list("Retry-After" = "7200"))
  },
  soon = function(request, answer) {
    asked$n <- (asked$n %||% 0L) + 1L
    moment <- format(Sys.time() + 1, "%a, %d %b %Y %H:%M:%S GMT", tz = "GMT")
    if (asked$n %% 3L == 1L) {
      house$problem(
        429L,
        "Slowly.",
        headers = list("Retry-After" = if (asked$n == 1L) moment else "1")
      )
    } else {
      answer
    }
  },
  zero = function(request, answer) {
    if (of_beta(request)) {
      changed(answer, function(t) sub(",143\n", ",0\n", sub(",142\n", ",-5\n", t)))
    } else {
      answer
    }
  },
  shifting = function(request, answer) {
    asked$pages <- (asked$pages %||% 0L) + 1L
    if (asked$pages == 4L) answer$headers[["Feed-State"]] <- "another.9"
    answer
  },
  seen = function(request, answer) {
    asked$token <- c(asked$token, paste(request$HTTP_HOST, request$HTTP_AUTHORIZATION))
    answer
  },
  list = function(request, answer) {
    list(
      status = 200L,
      headers = list("Content-Type" = "text/plain"),
      body = paste(asked$token, collapse = "\n")
    )
  }
)
`%||%` <- function(a, b) if (is.null(a)) b else a
port <- httpuv::randomPort(host = "127.0.0.1")
server <- httpuv::startServer(
  "127.0.0.1",
  port,
  list(call = function(request) {
    request$FULL <- request$PATH_INFO
    way <- sub("^/([a-z]*)/.*$", "\\1", request$PATH_INFO)
    request$PATH_INFO <- sub("^/[a-z]*", "", request$PATH_INFO)
    answer <- good(request)
    if (is.raw(answer$body) || way %in% c("echo", "list")) {
      ways[[way]](request, answer)
    } else {
      answer
    }
  })
)
writeLines(as.character(port), commandArgs(TRUE)[1])
repeat httpuv::service(1000)
