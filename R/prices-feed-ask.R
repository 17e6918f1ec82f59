# Asking a feed over HTTP: a few questions at once, again where an answer failed, never faster
# than the feed allows. An answer is a table that has proved whole, or a reason why there is none.

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

# Asks all questions; each a list of `path` and `query`. Gives for each the rows of all its pages
# and the feed's state, or a problem: `reason`, `status`, `securities` and whether it ends the
# work (`all`).
ask_all <- function(feed, questions, tell = function(text) NULL,
                    done = function(i, answer) NULL) {
  run <- new.env()
  run$waited <- 0
  run$answered <- FALSE
  pending <- lapply(questions, function(q) {
    list(
      url = question_url(feed, q),
      start = question_url(feed, q),
      asked = q$query,
      columns = feed_tables[[q$path]],
      tries = 1L,
      failures = 0L,
      restarts = 0L,
      at = 0,
      hops = 0L,
      pages = list()
    )
  })
  answers <- vector("list", length(questions))
  open <- seq_along(questions)
  finish <- function(i, answer) {
    open <<- setdiff(open, i)
    answers[[i]] <<- answer
    done(i, answer)
  }
  while (length(open)) {
    now <- as.numeric(Sys.time())
    due <- vapply(pending[open], `[[`, 0, "at")
    if (all(due > now)) {
      wait_for(run, min(due) - now, tell)
      next
    }
    asked <- utils::head(open[due <= now], feed$at_once)
    got <- perform_together(lapply(pending[asked], function(p) request_of(feed, p$url)))
    for (k in seq_along(asked)) {
      i <- asked[k]
      told <- judge(feed, pending[[i]], got[[k]])
      if (feed$verbose) log_answer(feed, pending[[i]], told)
      if (told$kind != "silent") run$answered <- TRUE
      if (told$kind == "page") {
        run$waited <- 0
        pending[[i]][c("url", "hops", "failures")] <- list(told$url, 0L, 0L)
        pending[[i]]$pages <- c(pending[[i]]$pages, list(told$page))
      } else if (told$kind == "elsewhere") {
        pending[[i]]$url <- told$url
        pending[[i]]$hops <- pending[[i]]$hops + 1L
      } else if (told$kind == "whole") {
        run$waited <- 0
        pages <- c(lapply(pending[[i]]$pages, `[[`, "rows"), list(told$page$rows))
        rows <- data.table::setDF(data.table::rbindlist(pages, use.names = TRUE, fill = TRUE))
        finish(i, list(rows = rows, state = told$page$state, tries = pending[[i]]$tries))
      } else if (told$kind == "no") {
        finish(i, list(problem = told, tries = pending[[i]]$tries))
      } else {
        # A feed that only says "later" has not failed.
        if (told$kind != "later") pending[[i]]$failures <- pending[[i]]$failures + 1L
        wait <- told$after %||% min(feed$pause * 2^(pending[[i]]$failures - 1), 8)
        # What has never answered is not there, or not yet.
        most <- if (run$answered) feed$tries else min(feed$tries, 4L)
        over <- pending[[i]]$failures >= most ||
          (told$kind == "again" && pending[[i]]$restarts + 1L >= most)
        impatient <- run$waited + wait > feed$patience
        if (over || impatient) {
          if (!over) {
            told$reason <- sprintf(
              "%s; it asks to wait longer than %s",
              told$reason,
              count(feed$patience, "second")
            )
          }
          told$all <- (impatient && told$kind == "later") ||
            (told$kind == "silent" && !run$answered)
          finish(i, list(problem = told, tries = pending[[i]]$tries))
        } else {
          pending[[i]]$tries <- pending[[i]]$tries + 1L
          if (told$kind == "again") {
            pending[[i]][c("url", "pages", "restarts")] <- list(
              pending[[i]]$start,
              list(),
              pending[[i]]$restarts + 1L
            )
          }
          later <- as.numeric(Sys.time()) + wait
          pending[[i]]$at <- later
          # What limits one question limits them all.
          if (told$kind == "later") for (j in open) pending[[j]]$at <- max(pending[[j]]$at, later)
        }
      }
      if (isTRUE(answers[[i]]$problem$all)) {
        for (j in open) {
          finish(j, list(problem = answers[[i]]$problem, tries = pending[[j]]$tries))
        }
        break
      }
    }
  }
  answers
}

log_answer <- function(feed, pending, told) {
  came <- if (is.null(told$page)) {
    told$reason %||% told$kind
  } else {
    count(nrow(told$page$rows), "row")
  }
  asked <- utils::URLdecode(sub(feed$address, "", pending$url, fixed = TRUE))
  if (nchar(asked) > 90L) {
    asked <- paste0(substr(asked, 1L, 42L), " ... ", substring(asked, nchar(asked) - 42L))
  }
  note("feed", clean_text(feed, sprintf("%s: %s", asked, came)))
}

wait_for <- function(run, seconds, tell) {
  if (seconds >= 1) tell(sprintf("waiting %s s", format(ceiling(seconds))))
  run$waited <- run$waited + seconds
  Sys.sleep(seconds)
  tell("")
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

request_of <- function(feed, url) {
  request <- httr2::request(url)
  request <- httr2::req_headers(
    request,
    Accept = "text/csv, application/json;q=0.9, application/problem+json;q=0.8"
  )
  request <- httr2::req_user_agent(
    request,
    paste0("imbroglio/", utils::packageVersion("imbroglio"))
  )
  request <- httr2::req_timeout(request, feed$time_limit)
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
  # Wherever it was sent on to, the token stays with the feed's own host.
  if (nzchar(feed$token) && identical(split_address(url)$origin, feed$origin)) {
    request <- httr2::req_auth_bearer_token(request, feed$token)
  }
  request
}

# The bytes of an answer, unpacked, at most.
most_answer <- 2^28

body_of <- function(answer) {
  body <- answer$body
  if (!is.raw(body)) return(raw())
  packed <- httr2::resp_header(answer, "Content-Encoding")
  if (is.null(packed) || packed %in% c("identity", "")) return(body)
  if (!packed %in% c("gzip", "x-gzip")) {
    fail("page", sprintf("the answer is packed by %s, which was not asked for", packed))
  }
  done <- unpack_gzip(body, most_answer)
  if (is.null(done$wrong)) return(done$bytes)
  fail(
    "page",
    if (done$wrong == "more") {
      sprintf("the answer unpacks to more than %s MB", most_answer / 2^20)
    } else {
      paste("the answer cannot be unpacked:", done$wrong)
    }
  )
}

# Answers, whatever their status, and for what got none a condition.
perform_together <- function(requests) {
  answers <- if ("req_perform_parallel" %in% getNamespaceExports("httr2") &&
      utils::packageVersion("httr2") >= "1.1.0") {
    getExportedValue("httr2", "req_perform_parallel")(
      requests,
      on_error = "continue",
      progress = FALSE,
      max_active = length(requests)
    )
  } else {
    httr2::multi_req_perform(requests)
  }
  lapply(answers, function(a) if (inherits(a, "error") && !is.null(a$resp)) a$resp else a)
}

# What an answer means: "whole" or a "page" of it, "elsewhere", "no", or that it must be asked for
# once more: "failed", "silent", "later", or "again", from the first page.
judge <- function(feed, pending, answer) {
  if (inherits(answer, "error")) {
    # The innermost message is curl's; an outer one may have the request in it.
    why <- innermost(answer)
    if (grepl("aborted|file size", why)) {
      why <- sprintf("the answer is larger than %s MB", most_answer / 2^20)
    }
    return(list(kind = "silent", reason = clean_text(feed, paste("no answer:", why))))
  }
  status <- httr2::resp_status(answer)
  header <- function(name) httr2::resp_header(answer, name)
  if (status %in% c(301L, 302L, 303L, 307L, 308L)) {
    return(redirected(feed, pending, header("Location")))
  }
  if (status == 200L) {
    doubted <- function(kind) {
      function(e) list(kind = kind, reason = clean_text(feed, conditionMessage(e)))
    }
    return(tryCatch(
      read_page(pending, answer),
      imbroglio_error_pages = doubted("again"),
      imbroglio_error_page = doubted("failed")
    ))
  }
  said <- said_problem(answer)
  reason <- clean_text(feed, paste0(status, if (nzchar(said$detail)) paste(",", said$detail)))
  if (status %in% c(429L, 503L)) {
    wait <- retry_after(header("Retry-After"))
    if (!is.null(wait)) {
      return(list(kind = "later", reason = reason, after = wait, status = status))
    }
  }
  if (status %in% c(408L, 425L, 429L, 500L, 502L, 503L, 504L)) {
    return(list(kind = "failed", reason = reason, status = status))
  }
  # Of pages whose state has passed, the first is asked for again.
  if (status == 410L && length(pending$pages)) {
    return(list(kind = "again", reason = reason, status = status))
  }
  if (status %in% c(401L, 403L)) {
    reason <- paste0(
      reason,
      "; ",
      if (nzchar(feed$token)) {
        "it does not take IMBROGLIO_FEED_TOKEN"
      } else {
        "IMBROGLIO_FEED_TOKEN is not set"
      }
    )
  }
  list(
    kind = "no",
    reason = reason,
    status = status,
    securities = said$securities,
    all = status %in% c(401L, 403L)
  )
}

innermost <- function(condition) {
  while (inherits(condition$parent, "condition")) condition <- condition$parent
  sub("\\s+$", "", gsub("\\s+", " ", conditionMessage(condition)))
}

# Seconds, or a date.
retry_after <- function(text) {
  if (is.null(text)) return(NULL)
  if (grepl("^\\s*[0-9]{1,9}\\s*$", text)) return(max(0.1, as.numeric(text)))
  # A date in English, whatever the language here.
  parts <- regmatches(
    text,
    regexec("([0-9]{1,2}) ([A-Z][a-z]{2}) ([0-9]{4}) ([0-9:]{8}) GMT", text)
  )[[1L]]
  if (!length(parts)) return(NULL)
  moment <- as.POSIXct(
    sprintf("%s-%02d-%s %s", parts[4L], match(parts[3L], month.abb), parts[2L], parts[5L]),
    tz = "UTC",
    format = "%Y-%m-%d %H:%M:%S"
  )
  if (is.na(moment)) NULL else max(0.1, as.numeric(moment - Sys.time(), units = "secs"))
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

# What a feed says of itself is shown in part, on one line, and never with our token in it.
clean_text <- function(feed, text) {
  if (nzchar(feed$token)) text <- gsub(feed$token, "[token]", text, fixed = TRUE)
  text <- gsub("[[:cntrl:][:space:]]+", " ", text)
  if (nchar(text) > 200L) paste0(substr(text, 1L, 197L), "...") else text
}

said_problem <- function(answer) {
  text <- tryCatch(rawToChar(body_of(answer)), error = function(e) "")
  said <- if (grepl("^application/(problem[+])?json", httr2::resp_content_type(answer))) {
    tryCatch(jsonlite::fromJSON(text), error = function(e) NULL)
  }
  detail <- if (is.list(said) && is.character(said$detail)) in_utf8(said$detail[1L]) else ""
  list(
    detail = sub("[.]$", "", detail),
    securities = if (is.list(said)) as.character(unlist(said$securities))
  )
}

# One page of a table that is what the feed says it is; anything else is a condition of class
# imbroglio_error_page.
read_page <- function(pending, answer) {
  columns <- pending$columns
  doubt <- function(...) fail("page", sprintf(...))
  # Each page is what it says, and together they are not.
  disagree <- function(...) fail("pages", sprintf(...))
  header <- function(name) httr2::resp_header(answer, name)
  type <- httr2::resp_content_type(answer)
  if (!type %in% c("text/csv", "application/json")) {
    doubt("the answer is %s, not a table", if (is.na(type)) "of no type" else type)
  }
  body <- body_of(answer)
  rows <- suppressWarnings(as.numeric(c(header("Feed-Rows"), header("Feed-Total"))))
  if (length(rows) != 2L ||
      anyNA(rows) || is.null(header("Feed-Digest")) || is.null(header("Feed-State"))) {
    doubt("the answer does not say how many rows it has, or of which state it is")
  }
  if (!identical(
      lower_case(header("Feed-Digest")),
      digest::digest(body, algo = "sha256", serialize = FALSE)
    )) {
    doubt("the answer was cut off or changed on its way: its digest does not agree")
  }
  table <- tryCatch(
    if (type == "text/csv") page_csv(body) else page_json(body),
    error = function(e) doubt("the table in the answer cannot be read")
  )
  table <- tryCatch(page_columns(table, columns), error = function(e) {
    doubt("%s", conditionMessage(e))
  })
  if (nrow(table) != rows[1L]) {
    doubt("the answer has %s instead of %s", count(nrow(table), "row"), count(rows[1L]))
  }
  if (nrow(table)) {
    tryCatch(check_asked(table, pending), error = function(e) disagree("%s", conditionMessage(e)))
  }
  page <- list(rows = table, state = header("Feed-State"))
  other <- unique(vapply(pending$pages, `[[`, "", "state"))
  if (length(other) && !identical(other, page$state)) {
    disagree("the prices changed between two pages")
  }
  total <- sum(vapply(pending$pages, function(p) nrow(p$rows), 0L)) + nrow(table)
  if (total > rows[2L]) disagree("%s came of %s", count(total, "row"), count(rows[2L]))
  following <- header("Feed-Next")
  if (!is.null(following)) {
    if (!nrow(table)) doubt("the answer has no row and says there are more")
    cursor <- paste0("next=", utils::URLencode(following, reserved = TRUE))
    url <- paste0(
      pending$start,
      if (grepl("?", pending$start, fixed = TRUE)) "&" else "?",
      cursor
    )
    if (identical(url, pending$url)) doubt("the answer names itself as the next page")
    return(list(kind = "page", page = page, url = url))
  }
  if (total != rows[2L]) disagree("%s came of %s", count(total, "row"), count(rows[2L]))
  list(kind = "whole", page = page)
}

# Only what was asked for, and nothing twice.
check_asked <- function(table, pending) {
  asked <- pending$asked
  strange <- setdiff(table$security, asked$security %||% table$security)
  if (length(strange)) {
    stop(sprintf("there are rows of %s, which was not asked for", some(strange)))
  }
  if (is.null(table$date)) return(invisible())
  low <- if (is.null(asked$from)) -Inf else as.numeric(as.Date(asked$from))
  high <- if (is.null(asked$to)) Inf else as.numeric(as.Date(asked$to))
  if (any(table$date < low | table$date > high)) stop("there are dates that were not asked for")
  every_one <- do.call(
    rbind,
    c(
      lapply(pending$pages, function(p) p$rows[c("security", "date")]),
      list(table[c("security", "date")])
    )
  )
  twice <- anyDuplicated(
    match(every_one$security, unique(every_one$security)) * 1e7 + every_one$date
  )
  if (twice) stop("there are two rows for the same date")
}

page_csv <- function(body) {
  text <- rawToChar(body)
  Encoding(text) <- "UTF-8"
  if (!validUTF8(text)) stop("encoding")
  named <- strsplit(sub("[\r\n].*$", "", text), ",", fixed = TRUE)[[1L]]
  textual <- intersect(named, c("security", "name", "currency", "group", "benchmark"))
  withCallingHandlers(
    data.table::fread(
      text = text,
      header = TRUE,
      na.strings = "",
      colClasses = list(character = textual),
      data.table = FALSE,
      showProgress = FALSE,
      strip.white = FALSE,
      encoding = "UTF-8",
      integer64 = "double"
    ),
    warning = function(w) stop(conditionMessage(w))
  )
}

page_json <- function(body) {
  text <- rawToChar(body)
  Encoding(text) <- "UTF-8"
  if (!jsonlite::validate(text)) stop("no JSON")
  table <- jsonlite::fromJSON(text)
  if (identical(table, list())) return(data.frame())
  if (!is.data.frame(table)) stop("no table")
  table
}

# The columns that are known, as what they should be: days as numbers, prices as numbers.
page_columns <- function(table, columns) {
  if (!nrow(table)) {
    return(stats::setNames(as.data.frame(rep(list(numeric()), length(columns))), columns))
  }
  lacking <- setdiff(intersect(c("security", "date"), columns), names(table))
  if (length(lacking)) stop(sprintf("the table has no column %s", lacking[1L]))
  out <- lapply(stats::setNames(nm = intersect(columns, names(table))), function(name) {
    v <- table[[name]]
    if (name %in% c("security", "name", "currency", "group", "benchmark")) return(as.character(v))
    if (name %in% c("date", "from", "to")) {
      day <- if (inherits(v, "Date")) {
        as.numeric(v)
      } else {
        as.numeric(parse_iso_dates(as.character(v)))
      }
      if (name == "date" && anyNA(day)) stop("there is a date in the table that is none")
      return(day)
    }
    if (all(is.na(v))) return(rep(NA_real_, length(v)))
    if (!is.numeric(v)) stop(sprintf("%s in the table is no number", name))
    as.numeric(v)
  })
  if (anyNA(out$security) || !all(nzchar(out$security))) stop("there is a row without a security")
  as.data.frame(out, check.names = FALSE, stringsAsFactors = FALSE)
}
