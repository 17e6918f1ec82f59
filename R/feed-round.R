# A round of questions to a feed: its state, which step comes next, and what an answer makes of
# it. Nothing here asks or waits; that is in feed-ask.R.

# `waited`: seconds since a page came, asking and pausing; `answered`: whether anything ever did. A
# question is open until it has an `answer`.
new_round <- function(feed, questions) {
  list(
    waited = 0,
    answered = FALSE,
    questions = lapply(questions, function(q) {
      url <- question_url(feed, q)
      list(
        url = url,
        start = url,
        asked = q$query,
        columns = feed_tables()[[q$path]],
        tries = 1L,
        failures = 0L,
        restarts = 0L,
        at = 0,
        hops = 0L,
        pages = list()
      )
    })
  )
}

open_questions <- function(round) which(lengths(lapply(round$questions, `[[`, "answer")) == 0L)

# Which questions to ask `now`, or how long to wait until one is due.
next_step <- function(round, now, at_once) {
  open <- open_questions(round)
  due <- vapply(round$questions[open], `[[`, 0, "at")
  if (length(open) && all(due > now)) return(list(ask = integer(), wait = min(due) - now))
  list(ask = utils::head(open[due <= now], at_once), wait = 0)
}

# The round after question `i` was answered by what judge() made of it.
after_answer <- function(round, i, told, feed, now) {
  question <- round$questions[[i]]
  if (told$kind != "silent") round$answered <- TRUE
  if (told$kind %in% c("page", "whole")) round$waited <- 0
  if (told$kind == "elsewhere") {
    question$url <- told$url
    question$hops <- question$hops + 1L
  } else if (told$kind == "page") {
    question[c("url", "hops", "failures")] <- list(told$url, 0L, 0L)
    question$pages <- c(question$pages, list(told$page))
  } else if (told$kind == "whole") {
    pages <- c(lapply(question$pages, `[[`, "rows"), list(told$page$rows))
    rows <- as.data.frame(stacked(pages, ragged = TRUE), optional = TRUE)
    question$answer <- list(rows = rows, state = told$page$state, tries = question$tries)
  } else if (told$kind == "no") {
    question$answer <- list(problem = told, tries = question$tries)
  } else {
    return(after_failure(round, i, told, feed, now))
  }
  round$questions[[i]] <- question
  if (isTRUE(question$answer$problem$all)) round <- given_up(round, told)
  round
}

# Asked again later, or lost. A feed that only says "later" has not failed.
after_failure <- function(round, i, told, feed, now) {
  question <- round$questions[[i]]
  if (told$kind != "later") question$failures <- question$failures + 1L
  wait <- told$after %||% min(feed$pause * 2^(question$failures - 1), 8)
  # What has never answered is not there, or not yet.
  most <- if (round$answered) feed$tries else min(feed$tries, 4L)
  over <- question$failures >= most || (told$kind == "again" && question$restarts + 1L >= most)
  impatient <- round$waited + wait > feed$patience
  if (over || impatient) {
    if (!over) told$reason <- paste0(told$reason, impatient_words(told, feed))
    told$all <- (impatient && told$kind %in% c("later", "silent")) ||
      (told$kind == "silent" && !round$answered)
    question$answer <- list(problem = told, tries = question$tries)
    round$questions[[i]] <- question
    return(if (told$all) given_up(round, told) else round)
  }
  question$tries <- question$tries + 1L
  question$at <- now + wait
  if (told$kind == "again") {
    question$url <- question$start
    question$pages <- list()
    question$restarts <- question$restarts + 1L
  }
  round$questions[[i]] <- question
  # What limits one question limits them all.
  if (told$kind == "later") {
    for (j in open_questions(round)) {
      round$questions[[j]]$at <- max(round$questions[[j]]$at, now + wait)
    }
  }
  round
}

impatient_words <- function(told, feed) {
  sprintf(
    "; %s %s", if (told$kind == "later") "it asks to wait longer than" else "no more within",
    count(feed$patience, "second")
  )
}

# All that is open is lost for the same reason.
given_up <- function(round, problem) {
  for (j in open_questions(round)) {
    round$questions[[j]]$answer <- list(problem = problem, tries = round$questions[[j]]$tries)
  }
  round
}
