# Which questions a feed is asked, by what is held of it.

# The names that are asked for, what is known about them, and those that the feed says it does not
# have.
asked_for <- function(feed, securities, known = character()) {
  asked <- securities_asked(securities)
  heard <- list(about = asked$about, days = NULL)
  hear <- function(rows) {
    heard$about <<- rbind(heard$about, about_of(rows))
    heard$days <<- c(heard$days, days_told(rows))
  }
  names <- asked$names
  for (query in asked$lists) {
    rows <- listed_by(feed, query)$rows
    hear(rows)
    names <- unique(c(names, rows$security))
  }
  check_securities(names, "the list of securities")
  lost <- list()
  ask_in_batches(
    feed,
    "/v1/securities",
    in_batches(setdiff(names, c(known, heard$about$security)), most_at_once, list()),
    took = function(batch, answer) hear(answer$rows),
    # Of the others their own questions will tell.
    lose = function(names, problem, tries) {
      if (isTRUE(problem$status == 404L) || isTRUE(problem$all)) {
        lost[names] <<- list(c(problem, tries = tries))
      }
    }
  )
  about <- heard$about
  list(names = names, about = about[!duplicated(about$security), ], days = heard$days, lost = lost)
}

# The names that are asked for, and the lists that the feed is asked for: of groups, or of all;
# what a table of securities says of them.
securities_asked <- function(securities) {
  about <- NULL
  of_file <- is.character(securities) && length(securities) == 1L && !is.na(securities) &&
    file.exists(securities)
  if (is.data.frame(securities) || of_file) {
    about <- read_securities(securities)
    securities <- about$security
  }
  if (is.null(securities)) return(list(about = about, names = NULL, lists = list(list())))
  if (!is.character(securities) || !length(securities) || anyNA(securities) ||
      !all(nzchar(securities))) {
    fail(
      "argument",
      "`securities` must be names, a file or a table of securities.",
      where = sprintf("It is %s.", shown(securities))
    )
  }
  grouped <- startsWith(securities, "group:")
  groups <- unique(substring(securities[grouped], 7L))
  list(
    about = about,
    names = unique(securities[!grouped]),
    lists = lapply(groups, function(g) list(group = g))
  )
}

listed_by <- function(feed, query) {
  answer <- ask_all(feed, list(list(path = "/v1/securities", query = query)))[[1L]]
  if (!is.null(answer$problem)) {
    fail(
      "feed",
      sprintf("The feed %s does not say which securities it has.", feed$address),
      where = sprintf("%s.", sentence_case(answer$problem$reason))
    )
  }
  if (!nrow(answer$rows)) {
    fail(
      "feed",
      sprintf(
        "The feed %s has %s.",
        feed$address,
        if (length(query)) paste("no group", query$group) else "no securities"
      )
    )
  }
  answer
}

about_of <- function(rows) {
  data.frame(lapply(stats::setNames(nm = about_columns), function(w) {
    as.character(rows[[w]] %||% rep(NA, nrow(rows)))
  }))
}

# How many days the feed says that it has of each.
days_told <- function(rows) {
  if (is.null(rows$from) || is.null(rows$to)) return(NULL)
  stats::setNames(rows$to - rows$from, rows$security)
}

rows_at_once <- 25000

# Questions for as many securities as fit an answer of some thousand rows; of one of which it is
# not known how long it is, for it alone.
plan_whole <- function(names, span, told = NULL) {
  if (!length(names)) return(list())
  asked <- if (is.null(span$from)) Inf else as.numeric((span$to %||% Sys.Date()) - span$from)
  days <- pmin(asked, if (is.null(told)) Inf else unname(told[names]), na.rm = TRUE)
  fit <- pmin(most_at_once, pmax(1, floor(rows_at_once / (days * 5 / 7 + 1))))
  # Of lengths that are nearly alike one size.
  size <- rep_len(2^floor(log2(fit)), length(names))
  unlist(
    lapply(unique(size), function(s) {
      in_batches(names[size == s], s, dates_asked(span$from, span$to))
    }),
    recursive = FALSE
  )
}

# Those of which the same is held are asked for together. Of one of which an earlier start is
# wanted, the whole is.
plan_update <- function(names, held, span, told) {
  start <- if (is.null(span$from)) -Inf else as.numeric(span$from)
  held <- held[held$security %in% names, ]
  if (!is.null(span$from)) held <- held[is.na(held$first_day) | held$first_day <= start, ]
  alike <- split(held, paste(held$first_day, held$last_day, held$state))
  known <- lapply(unname(alike), function(h) {
    first <- h$first_day[1L]
    in_batches(
      h$security,
      most_at_once,
      c(
        dates_asked(if (!is.na(first)) .Date(first), span$to),
        list(held_to = format(.Date(h$last_day[1L])), held_state = h$state[1L])
      )
    )
  })
  c(unlist(known, recursive = FALSE), plan_whole(setdiff(names, held$security), span, told))
}

dates_asked <- function(from, to) {
  asked <- list(from = from, to = to)
  lapply(asked[lengths(asked) > 0L], format)
}

in_batches <- function(names, size, query) {
  lapply(unname(split(names, (seq_along(names) - 1L) %/% size)), function(n) {
    list(names = n, query = query)
  })
}

# The same questions, with as many securities in each as a feed takes.
widened <- function(plan) {
  of <- vapply(plan, function(batch) {
    paste(names(batch$query), unlist(batch$query), collapse = "&")
  }, "")
  alike <- split(plan, factor(of, unique(of)))
  unlist(
    lapply(unname(alike), function(batches) {
      in_batches(unlist(lapply(batches, `[[`, "names")), most_at_once, batches[[1L]]$query)
    }),
    recursive = FALSE
  )
}

held_of <- function(store, feed) {
  none <- data.frame(
    security = character(),
    first_day = integer(),
    last_day = integer(),
    state = character()
  )
  address <- store_address(store)
  if (address$kind == "sqlite" &&
      is.null(address$connection) &&
      (!file.exists(address$file) || file.size(address$file) == 0)) {
    return(none)
  }
  with_store(store, function(connection, address) {
    if (store_version(connection) < 2L) return(none)
    held <- DBI::dbGetQuery(connection, paste(
      "select h.feed, s.security, h.first_day, h.last_day, h.state,",
      if (has_told(connection)) "s.ended" else "null", "as ended",
      "from held h join securities s on s.id = h.security_id order by s.id"
    ))
    held <- held[held$feed == feed, -1L]
    structure(
      held[is.na(held$ended), names(none)], ended = held$security[!is.na(held$ended)]
    )
  }, least = 0L)
}

# What is held of each security from now on. An answer that leaves out a part of what was held
# says nothing of restatements there; the older state stays, and they are asked for again.
held_after <- function(came, held, span, feed) {
  before <- held[match(came$security, held$security), ]
  end <- if (is.null(span$to)) Inf else as.numeric(span$to)
  start <- if (is.null(span$from)) -Inf else as.numeric(span$from)
  was <- function(day, none) ifelse(is.na(before$security), none, ifelse(is.na(day), -Inf, day))
  covers <- end >= was(before$last_day, -Inf) &
    (!came$whole | start <= was(before$first_day, Inf))
  last <- pmax(ifelse(is.na(came$last_day), -Inf, came$last_day), was(before$last_day, -Inf))
  first <- ifelse(came$whole, start, was(before$first_day, -Inf))
  known <- covers & is.finite(last)
  list(
    feed = feed,
    security = came$security[known],
    first_day = as.integer(ifelse(is.finite(first), first, NA))[known],
    last_day = as.integer(ifelse(is.finite(last), last, NA))[known],
    state = came$state[known]
  )
}
