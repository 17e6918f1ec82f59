# What moved the numbers of a study since a day: of what is measured as held today each cause, of
# all else the market and the trades.

# What is moved by whom: of returns and prices by the market, of what is held by trades.
group_of_cause <- function(cause) {
  market <- c("came", "left", "window", "prices", "rates", "market")
  trades <- c("trades", "cash", "value")
  ifelse(cause %in% market, "market", ifelse(cause %in% trades, "trades", "other"))
}

# Of two causes: `both` as now, `neither`, each alone.
parts_of_two <- function(neither, market, trades, both) {
  cbind(
    market = ((market - neither) + (both - trades)) / 2,
    trades = ((trades - neither) + (both - market)) / 2
  )
}

no_parts <- function() {
  data.frame(
    cause = character(), says = character(), moved = numeric(), mattered = character()
  )
}

# A book or a table with its numbers, each measured when it is first looked at; `numbers`: see
# numbers_of_top().
measured_side <- function(x, numbers) {
  found <- new.env(parent = emptyenv())
  for (number in numbers) {
    local({
      of <- number$of
      delayedAssign(number$name, of(x), assign.env = found)
    })
  }
  list(x = x, found = found)
}

number_on <- function(number, side) {
  found <- side$found[[number$name]]
  as.numeric(if (is.data.frame(found)) found[[number$column]] else found)
}

# The parts of a number between two sides: `sides` has it `now` and `then`, each with what was held
# there; where that is not the same, what was held then `held_on`, and what is held now as it would
# have been then, `traded_then`. `recorded`: what was kept of it. `known`: what was explained.
parts_of_move <- function(number, sides, recorded = NA_real_, otherwise = "measured again",
                          known = new.env(parent = emptyenv())) {
  then <- number_on(number, sides$then)
  moved <- number_on(number, sides$now) - then
  if (is.na(moved)) return(NULL)
  parts <- if (is.null(number$explain)) {
    parts_by_trade(number, sides)
  } else {
    parts_by_cause(number$explain, sides, known)
  }
  if (isTRUE(abs(sum(parts$moved) - moved) > 1e-9 * max(1e-3, abs(then)))) {
    fail("argument", sprintf("What moved the %s cannot be told apart.", number$label))
  }
  other <- then - recorded
  if (!is.na(other) && abs(other) > 1e-12 * max(1e-3, abs(recorded))) {
    parts <- rbind(parts, data.frame(
      cause = "other", says = otherwise, moved = other, mattered = NA_character_
    ))
  }
  parts$group <- group_of_cause(parts$cause)
  parts
}

parts_by_cause <- function(explain, sides, known) {
  key <- paste(explain$measure, explain$last)
  series <- identical(explain$held, "then") && inherits(sides$now$x, "imbroglio_book")
  if (is.null(known[[key]])) {
    own <- function(x) {
      # As it was held it is a series of its own.
      if (series) x <- take_returns(x, held = "then")
      if (inherits(x, "imbroglio_book")) x else x[, c(explain$security, explain$benchmark)]
    }
    known[[key]] <- explain_change(
      own(sides$then$x), own(sides$now$x), measure = explain$measure, choices = explain$choices,
      last = explain$last, benchmark = explain$benchmark
    )
  }
  found <- known[[key]]
  causes <- attr(found, "changes")[[1L]]$causes
  if (identical(causes, "none")) return(no_parts())
  said <- found$cause
  if (series) {
    # Of such a series only what is held can be another on the same days.
    traded <- !is.null(sides$traded_then)
    said[causes == "restated"] <- if (traded) "trades" else "weights that moved with prices"
    causes[causes == "restated"] <- if (traded) "trades" else "prices"
  }
  data.frame(
    cause = causes, says = said,
    moved = if (isTRUE(explain$money)) found$moved_value else found$moved,
    # In money it would be the same once more.
    mattered = if (isTRUE(explain$money)) NA_character_ else found$mattered
  )
}

parts_by_trade <- function(number, sides) {
  of_each <- function(value) {
    each <- lapply(sides, value)
    names_of <- unique(unlist(lapply(each, names)))
    if (!is.null(names_of)) each <- lapply(each, function(x) {
      stats::setNames(ifelse(is.na(x[names_of]), 0, x[names_of]), names_of)
    })
    if (is.null(sides$traded_then)) return(cbind(market = each$now - each$then))
    parts_of_two(each$then, each$held_on, each$traded_then, each$now)
  }
  parts <- of_each(function(side) number_on(number, side))[1L, ]
  if (is.null(sides$traded_then)) parts <- c(market = parts[[1L]])
  drawn <- if (is_drawn(sides$now$x)) ", and what lies between prices drawn anew"
  said <- c(market = paste0("the market", drawn), trades = "trades")
  each <- if (!is.null(number$each)) of_each(function(side) number$each(side$x))
  found <- data.frame(
    cause = names(parts), says = said[names(parts)], moved = unname(parts),
    mattered = vapply(names(parts), function(cause) {
      did_most(each, cause, parts[[cause]], number$unit)
    }, ""),
    row.names = NULL
  )
  found[found$moved != 0, ]
}

# What did most of a part, in its direction.
did_most <- function(each, cause, part, unit) {
  if (is.null(each)) return(NA_character_)
  most <- stats::setNames(each[, cause], rownames(each))
  most <- most[order(-abs(most))]
  most <- utils::head(most[sign(most) == sign(part)], 3L)
  if (!length(most)) return(NA_character_)
  paste(names(most), signed_difference(most, unit), collapse = "; ")
}

# The sides of a move since a day: `book` as it is on `prices` up to now, and what was `held` then
# (NULL where that is not known).
sides_since <- function(x, then_of, held) {
  sides <- list(now = x, then = then_of(x))
  if (is.null(held) || !inherits(x, "imbroglio_book") || same_amounts(x, held)) return(sides)
  refuse_other_amounts(x, held)
  before <- with_amounts(x, held$amounts, held$cash)
  list(
    now = x, then = then_of(before), traded_then = then_of(x),
    held_on = held_on(before, priced_of(x))
  )
}

amounts_of_book <- function(book) {
  in_shares <- !is.null(book$shares)
  list(
    by = if (in_shares) "shares" else "weights",
    amounts = stats::setNames(if (in_shares) book$shares else book$weights, book$security),
    cash = if (in_shares) book$money else book$cash
  )
}

same_amounts <- function(book, held) {
  own <- amounts_of_book(book)
  # Shares are what is worth, by the price.
  same <- function(a, b) all(abs(a - b) <= 1e-9 * pmax(abs(a), abs(b)))
  own$by == held$by && setequal(names(own$amounts), names(held$amounts)) &&
    same(own$amounts, held$amounts[names(own$amounts)]) && same(own$cash, held$cash)
}

refuse_other_amounts <- function(book, held) {
  if (amounts_of_book(book)$by != held$by) {
    fail("argument", sprintf("Then it was held in %s, which is not how it is now.", held$by))
  }
  lacking <- setdiff(names(held$amounts), colnames(priced_of(book)$values))
  if (length(lacking)) {
    fail("argument", sprintf("%s was held then, and has no prices now.", some(lacking)))
  }
}
