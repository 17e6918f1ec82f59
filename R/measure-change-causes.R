# What differs between two sides, what each cause is called, and what mattered above all in it.

# What differs, each with the flags that switch it.
causes_of_pair <- function(sides, record) {
  drawings <- seq_len(max(length(sides$before$x), length(sides$after$x)))
  of_sample <- Reduce(`|`, lapply(drawings, function(drawing) {
    Reduce(`|`, lapply(sides, sample_differs, sides, drawing))
  }))
  before <- sides$before
  after <- sides$after
  both <- held_by_both(sides)
  chosen <- setdiff(union(names(before$choices), names(after$choices)), "value")
  other <- Filter(function(name) {
    !isTRUE(all.equal(chosen_by(before, name, record), chosen_by(after, name, record)))
  }, chosen)
  differs <- c(
    of_sample,
    prices = after$by_shares && !nearly_same(
      before$close(both) / before$rate(both), after$close(both) / after$rate(both)
    ),
    rates = after$by_shares && !nearly_same(before$rate(both), after$rate(both)),
    trades = !nearly_same(before$amounts, after$amounts),
    cash = after$by_shares && before$cash != after$cash,
    value = !after$by_shares && !is.null(before$value) && !is.null(after$value) &&
      before$value != after$value
  )
  causes <- stats::setNames(as.list(names(differs)[differs]), names(differs)[differs])
  # Of samples that have little in common there is none without the one and the other.
  if (all(c("came", "left") %in% names(causes)) && in_common(sides) < room_for_mixtures(sides)) {
    rest <- causes[setdiff(names(causes), c("came", "left"))]
    causes <- c(list(window = c("came", "left")), rest)
  }
  if (length(causes) + length(other) > 8L) {
    return(c(causes, list(choices = other)))
  }
  c(causes, stats::setNames(as.list(other), other))
}

# What is not chosen is as the measure takes it.
chosen_by <- function(side, name, record) {
  x <- side$choices[[name]] %||% formals(record$measure)[[name]]
  if (is.language(x)) x <- eval(x, baseenv())
  if (name %in% names(side$choices)) x else x[1L]
}

room_for_mixtures <- function(sides) {
  30L + max(length(dates_of_cause("came", sides)), length(dates_of_cause("left", sides)))
}

in_common <- function(sides) {
  then <- sides$before$sample(sides$before, 1L)$dates
  now <- sides$after$sample(sides$after, 1L)$dates
  sum(then >= now[1L] & then %in% now)
}

nearly_same <- function(x, y) {
  identical(names(x), names(y)) && all(abs(x - y) <= 1e-13 * pmax(abs(x), abs(y)))
}

held_by_both <- function(sides) union(sides$before$held, sides$after$held)

sample_differs <- function(held, sides, drawing) {
  then <- sides$before$sample(held, drawing)
  now <- sides$after$sample(held, drawing)
  end <- then$dates[length(then$dates)]
  shared <- then$dates[then$dates >= now$dates[1L]]
  again <- now$dates[now$dates <= end]
  c(
    came = any(now$dates > end),
    left = any(then$dates < now$dates[1L]),
    restated = !identical(shared, again) || any(abs(
      now$r[match(shared, now$dates), , drop = FALSE] -
        then$r[match(shared, then$dates), , drop = FALSE]
    ) > 1e-12)
  )
}

cause_words <- function(cause, sides, causes, record) {
  if (cause %in% c("came", "left")) {
    dates <- dates_of_cause(cause, sides)
    span <- range(dates)
    return(sprintf(
      "%s that %s, %s", count(length(dates), "return"), cause,
      if (length(dates) == 1L) span[1L] else sprintf("%s to %s", span[1L], span[2L])
    ))
  }
  if (cause == "window") {
    spans <- vapply(sides, function(side) {
      dates <- side$sample(side, 1L)$dates
      sprintf("%s from %s", count(length(dates), "return"), dates[1L])
    }, "")
    return(sprintf("%s instead of %s", spans[["after"]], spans[["before"]]))
  }
  if (cause == "choices") return(some(unlist(causes$choices), 12L))
  chosen <- function(side) choice_text(chosen_by(side, cause, record))
  switch(
    cause,
    restated = if (length(sides$after$x) > 1L || !is.null(sides$after$x[[1L]]$between$number)) {
      "what lies between prices, drawn anew"
    } else {
      "prices that were restated"
    },
    prices = "weights that moved with prices",
    trades = if (sides$after$by_shares) "trades" else "other weights",
    rates = "rates of currencies, in what is held",
    cash = "cash",
    value = "another value",
    sprintf(
      "%s %s instead of %s", gsub("_", " ", cause), chosen(sides$after), chosen(sides$before)
    )
  )
}

choice_text <- function(x) {
  if (is.null(x)) "none" else if (is.numeric(x)) number_text(x[1L]) else as.character(x[1L])
}

dates_of_cause <- function(cause, sides) {
  then <- sides$before$sample(sides$before, 1L)$dates
  now <- sides$after$sample(sides$after, 1L)$dates
  if (cause == "came") now[now > then[length(then)]] else then[then < now[1L]]
}

# What did most of a part by itself, in its direction: the mean of what it does first and of what
# it does last.
mattered_of <- function(cause, part, sides, record, whole, mixed) {
  found <- if (cause %in% c("came", "left")) {
    days_that_mattered(cause, sides, whole, mixed)
  } else if (cause %in% c("prices", "trades") && length(held_by_both(sides)) > 1L) {
    holdings_that_mattered(cause, sides, whole, mixed)
  }
  if (cause == "trades") {
    other <- came_and_went(sides)
    if (length(other)) return(paste(other, collapse = "; "))
  }
  found <- if (is.null(found)) numeric() else found[sign(found) == sign(part)]
  first <- utils::head(found[order(-abs(found))], 3L)
  said <- signed_difference(first, limit_measures()[[record$follows]]$unit)
  first <- grepl("[1-9]", said)
  if (!any(first)) return(NA_character_)
  paste(sprintf("%s %s", names(said), said)[first], collapse = "; ")
}

# Holdings that only one side has.
came_and_went <- function(sides) {
  new <- setdiff(sides$after$held, sides$before$held)
  gone <- setdiff(sides$before$held, sides$after$held)
  c(
    if (length(new)) paste("new:", some(new, 4L)),
    if (length(gone)) paste("gone:", some(gone, 4L))
  )
}

# Of many days only those of the largest returns are tried.
days_that_mattered <- function(cause, sides, whole, mixed, most = 12L) {
  dates <- dates_of_cause(cause, sides)
  side <- if (cause == "came") sides$after else sides$before
  sample <- side$sample(side, 1L)
  weights <- mixed_weights(if (cause == "came") whole else list(), sides, side)$weights
  r <- as.vector(sample$r[match(dates, sample$dates), side$held, drop = FALSE] %*% weights)
  days <- utils::head(dates[order(-abs(r))], most)
  first <- mixed(list())[["number"]]
  last <- mixed(whole)[["number"]]
  came <- cause == "came"
  stats::setNames(vapply(seq_along(days), function(i) {
    there <- stats::setNames(list(days[i]), if (came) "in_came" else "out")
    gone <- stats::setNames(list(days[i]), if (came) "out" else "in_left")
    (mixed(list(), dates = there)[["number"]] - first +
      last - mixed(whole, dates = gone)[["number"]]) / 2
  }, 0), format(days))
}

holdings_that_mattered <- function(cause, sides, whole, mixed) {
  both <- intersect(sides$before$held, sides$after$held)
  first <- mixed(list())[["number"]]
  last <- mixed(whole)[["number"]]
  stats::setNames(vapply(both, function(security) {
    flip <- stats::setNames(list(security), cause)
    (mixed(list(), flipped = flip)[["number"]] - first +
      last - mixed(whole, flipped = flip)[["number"]]) / 2
  }, 0), both)
}
