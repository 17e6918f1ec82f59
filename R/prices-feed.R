#' Fetch prices from a feed
#'
#' Asks a price feed over HTTP for daily prices, splits and dividends. `fetch_prices()` gives them
#' as a price table; `update_store()` keeps them in a [price store][store_prices()] and asks only
#' for what the store does not have. Any service that answers as [feed_description()] says is a
#' feed; [serve_feed()] is one to try with.
#'
#' Nothing is taken for whole that is not: each answer says how many rows it has, how many there
#' are on all its pages, and a digest (SHA-256) of its bytes. What is cut off, announced wrongly
#' or no table is asked for again. Questions that fail, that are not answered in time, or are
#' answered by 429 or 503, are asked again after a pause that doubles each time, or as long as the
#' feed says (`Retry-After`); a feed that says "later" makes all questions wait. One security that
#' cannot be had does not keep the others back.
#'
#' A row with a price that is not above zero is left out and told. A price that a feed no longer
#' has stays in the store unless the feed says that it was withdrawn. A security comes with its
#' splits and dividends or not at all. The measured price is the close adjusted for them, see
#' [read_prices()].
#'
#' An **update** asks for all that came after the last date held, and for all that was restated
#' since the store was last brought up to date (the feed's state then is kept with the store).
#' What was restated is kept with both values, see [store_restatements()].
#'
#' @param securities The names of securities; `"group:NAME"`: those of a group, as the feed has
#'   it; a table or a file of securities, see [read_securities()]. `NULL`: all that the feed has;
#'   for an update, all that was asked of this feed before, had or not.
#' @param feed The address of the feed, `https://...` or `http://...`. A token is read from the
#'   environment, `IMBROGLIO_FEED_TOKEN`, is sent to that host only, and is shown nowhere.
#'   Certificates are always checked.
#' @param store See [store_prices()].
#' @param from,to First and last date, both included; without one, as far as the feed goes.
#' @param update Ask only for what is new or restated; otherwise for the whole span.
#' @param ... How the feed is to be asked:
#'   * `at_once`: how many questions at once (6),
#'   * `tries`: how often a question is asked before it is given up (8; 4 of a feed that has not
#'     answered at all),
#'   * `pause`: seconds before it is asked again, doubled each time up to 8 (0.25),
#'   * `time_limit`: seconds for one answer (30),
#'   * `patience`: how many seconds in all a feed may make us wait before anything more comes
#'     (120),
#'   * `allow`: names of hosts that the feed may redirect to; also a host to which the token may
#'     go unencrypted. Other redirections to another host, and any from https to http, are
#'     refused,
#'   * `verbose`: tell of each question and answer (`FALSE`).
#' @return `fetch_prices()`: a price table, with what came of each security in [fetch_outcomes()].
#'   `update_store()`: that table of outcomes, as a result: `security`, `outcome` (`"fetched"`,
#'   `"nothing new"` or `"failed"`), `from`, `to` and `rows` of what came, `new` and `restated`
#'   prices, `left_out` (prices not above zero), `tries` (of the question that took most) and
#'   `reason`.
#' @section Errors: `imbroglio_error_feed` if nothing could be had, with the reason; what fails in
#'   part is in the outcomes and a warning, `imbroglio_warning_feed`. `imbroglio_error_argument`
#'   for an address that is none, that holds a password, or to which a token would go unencrypted.
#'   Those of [store_prices()].
#' @examples
#' \dontrun{
#' # In another R: serve_feed()
#' prices <- fetch_prices("http://127.0.0.1:8017", c("BAYALL", "TARROW"), from = "2024-01-01")
#' measure_volatility(as_returns(prices))
#' update_store("bay.sqlite", "http://127.0.0.1:8017")
#' read_prices("bay.sqlite")
#' }
#' @export
fetch_prices <- function(feed, securities = NULL, from = NULL, to = NULL, ...) {
  need_package("httr2", "A price feed")
  feed <- feed_at(feed, ...)
  span <- check_span(from, to)
  wanted <- asked_for(feed, securities)
  kept <- list()
  plan <- plan_whole(setdiff(wanted$names, names(wanted$lost)), span)
  outcomes <- fetch_planned(feed, plan, wanted, function(part) {
    kept <<- c(kept, list(part))
    NULL
  })
  tables <- unlist(lapply(kept, `[[`, "rows"), recursive = FALSE)
  rows <- filled_together(unlist(tables, recursive = FALSE))
  rows <- rows[!is.na(rows$close) | !is.na(rows$adjusted), ]
  chosen_names <- intersect(wanted$names, rows$security)
  if (!length(chosen_names)) {
    fail("feed", sprintf("The feed %s has no prices in that span.", feed$address))
  }
  rows <- rows[order(match(rows$security, chosen_names), rows$day), ]
  actions <- do.call(rbind, lapply(kept, `[[`, "actions"))
  delivery <- delivery_of_rows(
    chosen_names,
    match(rows$security, chosen_names),
    rows$day,
    rows[price_fields],
    actions[actions$security %in% chosen_names, ],
    wanted$about[match(chosen_names, wanted$about$security), ],
    paste("feed", feed$address),
    list()
  )
  prices <- table_told(delivery)
  prices$fetched <- outcomes
  prices
}

#' What came of each security that was fetched
#'
#' @param prices A price table of [fetch_prices()], before anything was picked from it.
#' @return The table of outcomes that is described there.
#' @examples
#' \dontrun{
#' fetch_outcomes(fetch_prices("http://127.0.0.1:8017", c("BAYALL", "NOSUCH")))
#' }
#' @export
fetch_outcomes <- function(prices) {
  if (is.null(prices$fetched)) {
    fail("argument", "These prices were not fetched, or were cut since.")
  }
  prices$fetched
}

#' @rdname fetch_prices
#' @export
update_store <- function(store, feed, securities = NULL, from = NULL, to = NULL, update = TRUE,
                         ...) {
  need_package("httr2", "A price feed")
  feed <- feed_at(feed, ...)
  span <- check_span(from, to)
  held <- held_of(store, feed$address)
  if (is.null(securities) && update && nrow(held)) securities <- held$security
  had <- held$security[!is.na(held$last_day)]
  wanted <- asked_for(feed, securities, known = if (update) had)
  chosen_names <- setdiff(wanted$names, names(wanted$lost))
  note_now <- function(unknown = character()) {
    with_store(store, function(connection, address) {
      note_asked(connection, feed$address, c(chosen_names, unknown), unknown)
    }, write = TRUE)
  }
  if (length(setdiff(chosen_names, held$security))) note_now()
  held <- held[held$security %in% had, ]
  plan <- if (update) plan_update(chosen_names, held, span) else plan_whole(chosen_names, span)
  addition <- NA_integer_
  outcomes <- fetch_planned(feed, plan, wanted, function(part) {
    about <- wanted$about[wanted$about$security %in% part$came$security, ]
    counts <- with_store(store, function(connection, address) {
      add_to_store(
        connection,
        part$rows,
        part$actions,
        about,
        paste("feed", feed$address),
        held_after(part$came, held, span, feed$address)
      )
    }, write = TRUE)
    if (!is.na(attr(counts, "addition"))) addition <<- attr(counts, "addition")
    counts
  })
  unknown <- intersect(
    outcomes$security[grepl("^404", outcomes$reason)],
    held_of(store, feed$address)$security
  )
  if (length(unknown)) note_now(unknown)
  attr(outcomes, "addition") <- addition
  outcomes
}

check_span <- function(from, to) {
  from <- check_date(from, "from")
  to <- check_date(to, "to", last = TRUE)
  if (!is.null(from) && !is.null(to) && to < from) {
    fail("argument", sprintf("`to`, %s, is before `from`, %s.", to, from))
  }
  list(from = from, to = to)
}

# ---- which securities
# ---------------------------------------------------------------------------

about_columns <- c("security", "name", "currency", "group", "benchmark")

# The names that are asked for, what is known about them, and those that the feed says it does not
# have.
asked_for <- function(feed, securities, known = character()) {
  about <- NULL
  if (is.data.frame(securities) ||
      (is.character(securities) &&
        length(securities) == 1L && !is.na(securities) && file.exists(securities))) {
    about <- read_securities(securities)
    securities <- about$security
  }
  names_given <- is.character(securities) &&
    length(securities) && !anyNA(securities) && all(nzchar(securities))
  if (!is.null(securities) && !names_given) {
    fail(
      "argument",
      "`securities` must be names, a file or a table of securities.",
      where = sprintf("It is %s.", shown(securities))
    )
  }
  grouped <- startsWith(securities %||% character(), "group:")
  names <- unique(securities[!grouped])
  groups <- unique(substring(securities[grouped], 7L))
  lists <- if (is.null(securities)) list(list()) else lapply(groups, function(g) list(group = g))
  for (query in lists) {
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
    about <- rbind(about, about_of(answer$rows))
    names <- unique(c(names, answer$rows$security))
  }
  check_securities(names, "the list of securities")
  lost <- list()
  ask_in_batches(
    feed,
    "/v1/securities",
    in_batches(setdiff(names, c(known, about$security)), most_at_once, list()),
    took = function(batch, answer) about <<- rbind(about, about_of(answer$rows)),
    # Of the others their own questions will tell.
    lose = function(names, problem, tries) {
      if (isTRUE(problem$status == 404L) || isTRUE(problem$all)) {
        lost[names] <<- list(c(problem, tries = tries))
      }
    }
  )
  list(names = names, about = about[!duplicated(about$security), ], lost = lost)
}

about_of <- function(rows) {
  data.frame(lapply(stats::setNames(nm = about_columns), function(w) {
    as.character(rows[[w]] %||% rep(NA, nrow(rows)))
  }))
}

# ---- which questions
# ----------------------------------------------------------------------------

# Questions for one security each, or for as many as fit an answer of some thousand rows.
plan_whole <- function(names, span) {
  days <- if (is.null(span$from)) Inf else as.numeric((span$to %||% Sys.Date()) - span$from)
  in_batches(
    names,
    min(most_at_once, max(1, floor(5000 / (days * 5 / 7 + 1)))),
    dates_asked(span$from, span$to)
  )
}

# Those of which the same is held are asked for together. Of one of which an earlier start is
# wanted, the whole is.
plan_update <- function(names, held, span) {
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
  c(unlist(known, recursive = FALSE), plan_whole(setdiff(names, held$security), span))
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
    held <- DBI::dbGetQuery(
      connection,
      "select h.feed, s.security, h.first_day, h.last_day, h.state from held h
      join securities s on s.id = h.security_id order by s.id"
    )
    held[held$feed == feed, -1L]
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

# ---- the work
# -----------------------------------------------------------------------------------

# Asks for actions, then for prices, hands what is whole to `keep` in parts that memory can hold,
# and tells what came of each security.
fetch_planned <- function(feed, plan, wanted, keep) {
  outcomes <- data.frame(
    security = wanted$names,
    outcome = "failed",
    from = as.Date(NA),
    to = as.Date(NA),
    rows = 0L,
    new = 0L,
    restated = 0L,
    left_out = 0L,
    tries = 0L,
    reason = NA_character_
  )
  row_of <- function(chosen_names) match(chosen_names, wanted$names)
  settled <- failed <- 0L
  waiting <- ""
  bar <- cli::cli_progress_bar(
    total = length(wanted$names),
    format = paste0(
      "Fetching {cli::pb_bar} {settled} of {cli::pb_total} securities",
      "{if (failed) paste(',', failed, 'failed') else ''}{waiting}"
    )
  )
  tell <- function(text) {
    waiting <<- if (nzchar(text)) paste(",", text) else ""
    cli::cli_progress_update(set = settled, id = bar, force = TRUE)
  }
  settle <- function(chosen_names) {
    settled <<- settled + length(chosen_names)
    cli::cli_progress_update(set = settled, id = bar)
  }
  lose <- function(chosen_names, problem, tries) {
    outcomes$reason[row_of(chosen_names)] <<- problem$reason
    outcomes$tries[row_of(chosen_names)] <<- tries
    failed <<- failed + length(chosen_names)
    settle(chosen_names)
  }
  for (name in names(wanted$lost)) lose(name, wanted$lost[[name]], wanted$lost[[name]]$tries)

  acted <- list()
  ask_in_batches(feed, "/v1/actions", widened(plan), function(batch, answer) {
    for (name in batch$names) {
      acted[[name]] <<- list(
        rows = answer$rows[answer$rows$security == name, ],
        state = answer$state,
        tries = answer$tries
      )
    }
  }, lose, tell)

  part <- empty_part()
  keep_rows <- function() {
    if (!length(part$rows) && !nrow(part$came)) return()
    part$actions <<- actions_of(part$actions)
    # In the order they were asked for, not that in which they came.
    part$came <<- part$came[order(row_of(part$came$security)), ]
    counts <- keep(part)
    if (is.null(counts)) {
      outcomes[c("new", "restated")] <<- NULL
    } else {
      outcomes[row_of(counts$security), c("new", "restated")] <<- counts[c("new", "restated")]
    }
    part <<- empty_part()
  }
  plan <- lapply(plan, function(batch) {
    list(names = intersect(batch$names, names(acted)), query = batch$query)
  })
  ask_in_batches(
    feed,
    "/v1/prices",
    plan[lengths(lapply(plan, `[[`, "names")) > 0L],
    function(batch, answer) {
      own <- acted[batch$names]
      told <- good_rows(answer$rows, batch$names)
      at <- row_of(batch$names)
      actions <- do.call(rbind, lapply(unname(own), `[[`, "rows"))
      anything <- told$came$rows +
        told$came$left_out +
        tabulate(match(actions$security, batch$names), length(at)) >
        0L
      outcomes$outcome[at] <<- ifelse(anything, "fetched", "nothing new")
      outcomes$tries[at] <<- pmax(answer$tries, vapply(own, `[[`, 0L, "tries"))
      outcomes[at, names(told$came)] <<- told$came
      fields <- paste(names(told$rows), collapse = " ")
      part$rows[[fields]] <<- c(part$rows[[fields]], list(told$rows))
      part$actions <<- c(part$actions, list(actions))
      # The older of two states: what came between them will be told again.
      part$came <<- rbind(
        part$came,
        data.frame(
          security = batch$names,
          state = vapply(own, `[[`, "", "state"),
          last_day = as.numeric(told$came$to),
          whole = is.null(batch$query$held_state)
        )
      )
      part$n <<- part$n + nrow(told$rows)
      settle(batch$names)
      if (part$n > 250000L) keep_rows()
    },
    lose,
    tell
  )
  keep_rows()
  cli::cli_progress_done(id = bar)
  outcome_result(feed, outcomes)
}

# `rows`: lists of tables, by the fields they have.
empty_part <- function() list(rows = list(), actions = list(), came = data.frame(), n = 0L)

# The rows of an answer without those with a price that cannot be one; a row without any price
# withdraws one.
good_rows <- function(rows, wanted) {
  fields <- intersect(price_fields, names(rows))
  prices <- as.matrix(rows[setdiff(fields, "volume")])
  wrong <- rowSums(!is.na(prices) & !(is.finite(prices) & prices > 0)) > 0
  of <- factor(match(rows$security, wanted), seq_along(wanted))
  first <- match(seq_along(wanted), as.integer(of)[wrong])
  i <- which(wrong)[first]
  left_out <- tabulate(of[wrong], length(wanted))
  reason <- rep(NA_character_, length(wanted))
  reason[!is.na(i)] <- sprintf(
    "%s left out; on %s a price is %s",
    count(left_out[!is.na(i)], "row"),
    .Date(rows$date[i[!is.na(i)]]),
    apply(prices[i[!is.na(i)], , drop = FALSE], 1L, function(p) {
      p[!is.na(p) & !(is.finite(p) & p > 0)][1L]
    })
  )
  rows <- rows[!wrong, ]
  of <- of[!wrong]
  edge <- function(pick) {
    .Date(vapply(
      split(rows$day, of),
      function(d) if (length(d)) pick(d) else NA_real_,
      0,
      USE.NAMES = FALSE
    ))
  }
  names(rows)[names(rows) == "date"] <- "day"
  # A field that no row has is one that the feed does not have.
  has <- fields == "close" | vapply(rows[fields], function(v) any(!is.na(v)), NA)
  list(
    rows = rows[c("security", "day", fields[has])],
    came = data.frame(
      from = edge(min),
      to = edge(max),
      rows = tabulate(of, length(wanted)),
      left_out = left_out,
      reason = reason
    )
  )
}

actions_of <- function(tables) {
  told <- filled_together(tables, c("split", "dividend"), "date")
  data.frame(
    security = told$security,
    date = .Date(told$date),
    split = told$split,
    dividend = told$dividend
  )
}

# Tables as one, with all fields.
filled_together <- function(tables, fields = price_fields, day = "day") {
  columns <- lapply(stats::setNames(nm = c("security", day, fields)), function(name) {
    none <- if (name == "security") NA_character_ else NA_real_
    unlist(lapply(tables, function(shown) shown[[name]] %||% rep(none, nrow(shown))))
  })
  columns[lengths(columns) == 0L] <- list(numeric())
  data.frame(columns)
}

# Asks about batches of securities. Of a batch that fails, those that are named are lost and the
# others asked again; if none is named, the halves are, down to the security that cannot be had.
ask_in_batches <- function(feed, path, batches, took, lose, tell = function(text) NULL) {
  while (length(batches)) {
    again <- list()
    questions <- lapply(batches, function(b) {
      list(path = path, query = c(list(security = b$names), b$query))
    })
    ask_all(feed, questions, tell, function(i, answer) {
      batch <- batches[[i]]
      problem <- answer$problem
      if (is.null(problem)) return(took(batch, answer))
      # A state that the feed does not know: all of it, then.
      if (isTRUE(problem$status == 410L) && !is.null(batch$query$held_state)) {
        batch$query[c("held_state", "held_to")] <- NULL
        again <<- c(again, in_batches(batch$names, 1L, batch$query))
        return()
      }
      unknown <- intersect(batch$names, problem$securities)
      if (!length(unknown) && (length(batch$names) == 1L || isTRUE(problem$all))) {
        unknown <- batch$names
      }
      if (length(unknown)) lose(unknown, problem, answer$tries)
      rest <- setdiff(batch$names, unknown)
      if (length(rest)) {
        again <<- c(
          again,
          in_batches(
            rest,
            if (length(unknown)) length(rest) else ceiling(length(rest) / 2),
            batch$query
          )
        )
      }
    })
    batches <- again
  }
}

outcome_result <- function(feed, outcomes) {
  failed <- outcomes[outcomes$outcome == "failed", ]
  if (nrow(failed) == nrow(outcomes)) {
    fail(
      "feed",
      sprintf("Nothing could be fetched from %s.", feed$address),
      where = sprintf("%s: %s.", failed$security[1L], failed$reason[1L])
    )
  }
  if (nrow(failed)) {
    caution(
      "feed",
      sprintf(
        "%s of %s could not be fetched.",
        count(nrow(failed)),
        count(nrow(outcomes), "security", "securities")
      ),
      paste0(some(sprintf("%s: %s", failed$security, failed$reason), 3L), ".")
    )
  }
  span <- function(pick, days) if (any(!is.na(days))) pick(days, na.rm = TRUE) else as.Date(NA)
  about <- new_basis(
    span(min, outcomes$from),
    span(max, outcomes$to),
    stats::setNames(outcomes$rows, outcomes$security),
    data.frame(security = outcomes$security, reason = "not above zero", n = outcomes$left_out)[
      outcomes$left_out > 0L,
    ],
    "price",
    "day",
    origin = paste("feed", feed$address),
    digest = digest::digest(as.list(outcomes), algo = "xxhash64")
  )
  new_result(as.list(outcomes), "fetch", about, NULL)
}
