# Asking a feed over HTTP: a few questions at once, again where an answer failed, never faster
# than the feed allows. An answer is a table that has proved whole, or a reason why there is none.

# Asks all questions; each a list of `path` and `query`. Gives for each the rows of all its pages
# and the feed's state, or a problem: `reason`, `status`, `securities` and whether it ends the
# work (`all`).
ask_all <- function(feed, questions, tell = function(text) NULL,
                    done = function(i, answer) NULL) {
  round <- new_round(feed, questions)
  while (length(open <- open_questions(round))) {
    step <- next_step(round, as.numeric(Sys.time()), feed$at_once)
    if (step$wait > 0) {
      pause_for(step$wait, tell)
      round$waited <- round$waited + step$wait
      next
    }
    asked <- round$questions[step$ask]
    began <- as.numeric(Sys.time())
    limit <- max(1, min(feed$time_limit, feed$patience - round$waited))
    answers <- perform_together(lapply(asked, function(q) request_of(feed, q$url, limit)))
    round$waited <- round$waited + as.numeric(Sys.time()) - began
    for (k in seq_along(asked)) {
      # A round that was given up has no use for what else came.
      if (!is.null(round$questions[[step$ask[k]]]$answer)) next
      told <- judge(feed, asked[[k]], answers[[k]])
      if (feed$verbose) log_answer(feed, asked[[k]], told)
      round <- after_answer(round, step$ask[k], told, feed, as.numeric(Sys.time()))
    }
    for (i in setdiff(open, open_questions(round))) done(i, round$questions[[i]]$answer)
  }
  lapply(round$questions, `[[`, "answer")
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

pause_for <- function(seconds, tell) {
  if (seconds >= 1) tell(sprintf("waiting %s s", format(ceiling(seconds))))
  Sys.sleep(seconds)
  tell("")
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
    # Newer versions do not have it any more.
    getExportedValue("httr2", "multi_req_perform")(requests)
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
    wait <- retry_after(answer)
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
retry_after <- function(answer) {
  wait <- tryCatch(suppressWarnings(httr2::resp_retry_after(answer)), error = function(e) NA_real_)
  if (is.finite(wait)) max(0.1, wait)
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
