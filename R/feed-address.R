# Where a feed is, and the question that is put to it.

# What is known of a feed before it is asked. The token is read from the environment, goes into
# one header and nowhere else.
feed_at <- function(feed, at_once = 6L, tries = 8L, time_limit = 30, patience = 120, pause = 0.25,
                    allow = character(), verbose = FALSE) {
  if (!is.character(feed) || length(feed) != 1L || is.na(feed)) {
    fail(
      "argument",
      "`feed` must be the address of a price feed.",
      where = sprintf("It is %s.", shown(feed))
    )
  }
  if (grepl("^[a-z]+://[^/]*@", feed, ignore.case = TRUE)) {
    fail(
      "argument",
      "There is a name or a password in the address of the feed.",
      remedy = "Leave it out, and set IMBROGLIO_FEED_TOKEN."
    )
  }
  parts <- split_address(feed)
  if (is.null(parts)) {
    fail(
      "argument",
      "The address of a feed begins with https:// or http:// and has no ? or #.",
      where = sprintf("It is %s.", shown(feed))
    )
  }
  token <- Sys.getenv("IMBROGLIO_FEED_TOKEN")
  if (grepl("[^!-~]", token)) {
    fail(
      "argument",
      paste0(
        "IMBROGLIO_FEED_TOKEN has a space, a line's end or another character that no ",
        "token has."
      )
    )
  }
  if (nzchar(token) &&
      parts$scheme == "http" && !is_loopback(parts$host) && !parts$host %in% allow) {
    fail(
      "argument",
      sprintf("The token would go to %s unencrypted.", parts$host),
      remedy = "Use https://, take IMBROGLIO_FEED_TOKEN away, or allow that host."
    )
  }
  list(
    address = sub("/+$", "", feed),
    origin = parts$origin,
    token = token,
    allow = lower_case(allow),
    verbose = isTRUE(verbose),
    at_once = check_whole(at_once, "at_once"),
    tries = check_whole(tries, "tries"),
    time_limit = check_positive(time_limit, "time_limit"),
    patience = check_positive(patience, "patience"),
    pause = check_positive(pause, "pause")
  )
}

split_address <- function(address) {
  parts <- regmatches(
    address,
    regexec(
      "^(https?)://(\\[[0-9a-fA-F:]+\\]|[A-Za-z0-9._-]+)(:[0-9]+)?(/[^?#[:space:]]*)?$",
      sub("[?].*$", "", address)
    )
  )[[1L]]
  if (!length(parts) || grepl("#", address, fixed = TRUE)) return(NULL)
  host <- lower_case(parts[3L])
  list(scheme = parts[2L], host = host, origin = paste0(parts[2L], "://", host, parts[4L]))
}

is_loopback <- function(host) {
  host == "localhost" || host == "[::1]" || grepl("^127(\\.[0-9]{1,3}){3}$", host)
}

question_url <- function(feed, question) {
  query <- question$query[lengths(question$query) > 0L]
  escaped <- function(x) {
    vapply(enc2utf8(as.character(x)), utils::URLencode, "", reserved = TRUE, USE.NAMES = FALSE)
  }
  pairs <- unlist(Map(
    function(name, values) paste0(name, "=", escaped(values)),
    names(query),
    query
  ))
  paste0(
    feed$address,
    question$path,
    if (length(pairs)) paste0("?", paste(pairs, collapse = "&"))
  )
}

request_of <- function(feed, url, time_limit = feed$time_limit) {
  request <- httr2::request(url)
  request <- httr2::req_headers(
    request,
    Accept = "text/csv, application/json;q=0.9, application/problem+json;q=0.8"
  )
  request <- httr2::req_user_agent(
    request,
    paste0("imbroglio/", own_version())
  )
  request <- httr2::req_timeout(request, time_limit)
  # When to ask again is decided here, and only here; newer versions would wait as long as a feed
  # says.
  request <- httr2::req_retry(request, max_tries = 2L, is_transient = function(response) FALSE)
  # A redirection is followed by judge(), or not.
  # An answer is unpacked here, to no more than a page can be, and one without an end is cut.
  request <- httr2::req_options(
    request,
    followlocation = FALSE,
    accept_encoding = "gzip",
    http_content_decoding = 0L,
    maxfilesize = most_answer,
    noprogress = FALSE,
    xferinfofunction = function(down, up) down[2L] <= most_answer
  )
  own <- Sys.getenv("CURL_CA_BUNDLE")
  if (nzchar(own)) request <- httr2::req_options(request, cainfo = own)
  # Wherever it was sent on to, the token stays with the feed's own host.
  if (nzchar(feed$token) && identical(split_address(url)$origin, feed$origin)) {
    request <- httr2::req_auth_bearer_token(request, feed$token)
  }
  request
}

redirected <- function(feed, pending, location) {
  no <- function(reason) list(kind = "no", reason = clean_text(feed, reason), all = TRUE)
  if (is.null(location)) return(no("it redirects to nowhere"))
  if (pending$hops >= 5L) return(no("it redirects without end"))
  from <- split_address(pending$url)
  if (startsWith(location, "/") && !startsWith(location, "//")) {
    location <- paste0(from$origin, location)
  }
  to <- split_address(location)
  if (is.null(to)) return(no("it redirects to what is no address of a feed"))
  if (from$scheme == "https" && to$scheme == "http") {
    return(no("it redirects from https to http, which is refused"))
  }
  same <- to$origin == from$origin ||
    to$origin == feed$origin ||
    (to$host == from$host && from$scheme == "http" && to$scheme == "https")
  if (!same && !to$host %in% feed$allow) {
    return(no(sprintf(
      "it redirects to another host, %s, which is refused unless allowed",
      to$host
    )))
  }
  list(kind = "elsewhere", url = location)
}
