record_of_fetch <- function() {
  table_record("What came of a feed", columns = list(
    outcome = column("outcome", "text"),
    left_out = column("left out", "count"),
    tries = column("tries", "count"),
    reason = column("reason", "text", optional = TRUE)
  ), shares = c("security", "from", "to", "rows", "new", "restated"))
}

# What comes of a fetch, collected in parts that memory can hold.

# Asks for actions, then for prices, hands what is whole to `keep` in parts that memory can hold,
# and tells what came of each security.
fetch_planned <- function(feed, plan, wanted, keep) {
  outcomes <- no_outcomes(wanted$names)
  row_of <- function(chosen_names) match(chosen_names, wanted$names)
  progress <- fetch_progress(length(wanted$names))
  on.exit(progress$done())
  lose <- function(chosen_names, problem, tries) {
    outcomes$reason[row_of(chosen_names)] <<- problem$reason
    outcomes$tries[row_of(chosen_names)] <<- tries
    progress$settle(chosen_names, failed = TRUE)
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
  }, lose, progress$tell)

  part <- empty_part()
  keep_part <- function() {
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
  plan <- plan[lengths(lapply(plan, `[[`, "names")) > 0L]
  ask_in_batches(feed, "/v1/prices", plan, function(batch, answer) {
    came <- what_came(batch, answer, acted[batch$names])
    at <- row_of(batch$names)
    outcomes[at, names(came$outcomes)] <<- came$outcomes
    part <<- with_what_came(part, came)
    progress$settle(batch$names)
    if (part$n > 250000L) keep_part()
  }, lose, progress$tell)
  keep_part()
  outcome_result(feed, outcomes)
}

no_outcomes <- function(securities) {
  data.frame(
    security = securities,
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
}

fetch_progress <- function(n) {
  settled <- lost <- 0L
  waiting <- ""
  bar <- progress_bar(
    total = n,
    .auto_close = FALSE,
    format = paste0(
      "Fetching {cli::pb_bar} {settled} of {cli::pb_total} securities",
      "{if (lost) paste(',', lost, 'failed') else ''}{waiting}"
    )
  )
  list(
    tell = function(text) {
      waiting <<- if (nzchar(text)) paste(",", text) else ""
      progress_step(bar, set = settled, force = TRUE)
    },
    settle = function(securities, failed = FALSE) {
      settled <<- settled + length(securities)
      if (failed) lost <<- lost + length(securities)
      progress_step(bar, set = settled)
    },
    done = function() progress_done(bar)
  )
}

# What came of a batch: its rows and actions, what is told of each security, and the state that is
# held of it from now on.
what_came <- function(batch, answer, acted) {
  told <- good_rows(answer$rows, batch$names)
  actions <- do.call(rbind, lapply(unname(acted), `[[`, "rows"))
  n_actions <- tabulate(match(actions$security, batch$names), length(batch$names))
  anything <- told$came$rows + told$came$left_out + n_actions > 0L
  list(
    rows = told$rows,
    actions = actions,
    outcomes = data.frame(
      outcome = ifelse(anything, "fetched", "nothing new"),
      tries = pmax(answer$tries, vapply(acted, `[[`, 0L, "tries")),
      told$came
    ),
    # The older of two states: what came between them will be told again.
    came = data.frame(
      security = batch$names,
      state = vapply(acted, `[[`, "", "state"),
      last_day = as.numeric(told$came$to),
      whole = is.null(batch$query$held_state)
    )
  )
}

# Rows with the same fields stay together.
with_what_came <- function(part, came) {
  fields <- paste(names(came$rows), collapse = " ")
  part$rows[[fields]] <- c(part$rows[[fields]], list(came$rows))
  part$actions <- c(part$actions, list(came$actions))
  part$came <- rbind(part$came, came$came)
  part$n <- part$n + nrow(came$rows)
  part
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
