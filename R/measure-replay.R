record_of_replay <- function() {
  measure_record(
    150,
    title = "The past replayed",
    asks = "What would the book of today do if it came again?",
    measure = replay,
    columns = list(
      episode = column("episode", "text"),
      deepest = column("deepest", "fraction"),
      deepest_date = column("on", "date"),
      stood_in = column("stood in", "text", optional = TRUE),
      deepest_value = column("deepest in money, held today", "money")
    ),
    shares = c(
      "security", "from", "to", "n", "total_return", "benchmark", "benchmark_return", "led_by",
      "led_part", "return_value"
    ),
    tables = list(
      replay_series = table_record(
        "The past replayed, day by day",
        shares = c("security", "episode", "step", "date", "total_return", "return_value")
      ),
      replay_split = table_record(
        "The past replayed, by holding",
        columns = list(
          carried = column("carried", "count", detail = TRUE, working = FALSE)
        ),
        shares = c(
          "security", "episode", "weight", "total_return", "component", "share", "stood_in",
          "component_value"
        )
      )
    ),
    compares = NULL,
    command = command_record(
      "Compare, through time and with the past", 40,
      says = "what a period of the past, or a shock, would do to the book of today",
      options = c(
        choose, "every", "keep-unfinished", "periods", "worst", "found-by", "benchmark", "shock",
        "carried-by", "horizon", "confidence", "series", "split", "value", but_how_held,
        hand_on
      ),
      trade = list(
        trade(
          c("Stress test", "scenario", "historical scenario"),
          "the book of today through a period of the past, or under given moves",
          "imbroglio replay FILE --holdings FILE; --shock NAME=-10%"
        )
      ),
      help = c(
        worst = "how many of the deepest falls (3)",
        horizon = "over how many periods the moves of --shock take place (1)",
        split = "what each holding of the book adds"
      ),
      example = c(
        paste0(
          "imbroglio replay bay.csv bay-fund.csv --holdings bay-holdings.csv --benchmark BAYALL ",
          "--figure replay.png"
        ),
        paste0(
          "imbroglio replay bay.csv --weights OSSELL=0.6,BAYBOND=0.4 --periods ",
          "crash=2018-09:2019-01 --split"
        ),
        paste0(
          "imbroglio replay bay.csv --weights OSSELL=0.6,BAYBOND=0.4 --shock ",
          "BAYALL=-10%,BAYMETAL=+5%"
        )
      ),
      ways = c(
        "--weights SHAREX=6,INDEXX=4 --normalise",
        "BOOK --periods 2021-05 --benchmark INDEXX",
        "BOOK --shock INDEXX=-10%",
        "BOOK --periods 2021-05 --split"
      )
    ),
    parts = list(
      replay = part(
        "replay", 10, "whole", "book", c("lead", "figure", "table"), drafts = " {worst: 3}"
      )
    ),
    cases = quote(list(
      whole = replay(book, c(a = "2016-05", b = "2016-06"), benchmark = b),
      parts = split_replay(replay(book, worst = 1))
    ))
  )
}

#' Replay the past with the book of today
#'
#' What the book as it is held today would do if a period of the past came again: each holding
#' is bought at today's weights at the close before the period and left alone, and moves as its
#' prices moved, \deqn{V_t = c + \sum_i w_i \frac{P_{i,t}}{P_{i,0}},}{V_t = c + sum of w_i P_i,t /
#' P_i,0,} with \eqn{c}{c} the cash and \eqn{V_0 = 1}{V_0 = 1}. A short position loses when its
#' security rises.
#'
#' On a day on which a holding has no price it counts at its last one; how many such days there
#' were stands in `carried`, and a holding without any price in a period is warned about. A
#' holding that did not exist at the start moves, up to its first price, as the stand-in that
#' [as_portfolio()] was given for it, or by its beta: \eqn{\beta_i}{beta_i} times the return of
#' the benchmark, with the beta of all simple returns that both have. Which one it was stands in
#' `stood_in`. Without either the period is refused.
#'
#' @param book A book, see [as_portfolio()]; always as it is held today.
#' @param periods Periods of the past: a year (`"2018"`), a month (`"2018-11"`), or two dates
#'   (`"2018-08-15:2019-01-10"`), which begins with the close before the first of them; names are
#'   what they are called. `NULL`: the worst falls are found.
#' @param worst Where no periods are named, how many of the deepest falls from a high to the low,
#'   see [drawdown_episodes()].
#' @param found_by Whose falls: of the book as it is held today, brought back to its weights each
#'   period, or of the benchmark.
#' @param benchmark `NULL`, or one security (or a table that holds one): what it did stands beside,
#'   and by it move the holdings that did not exist.
#' @return `replay()`: a row for each period, the one that would cost most first: `security` (the
#'   book), `episode`, `from` (the close at which it begins), `to`, `n` (days with a price of a
#'   holding), `total_return`, `deepest` and `deepest_date` (the least value on the way, and when),
#'   `benchmark` and `benchmark_return`, `led_by` and `led_part` (the holding that moved it most
#'   that way, and its part), `stood_in`, and where it is known what the book is worth,
#'   `return_value` and `deepest_value`.
#' @eval columns_in_docs("replay")
#' @section Errors: `imbroglio_error_argument` for what is no book, or no period;
#'   `imbroglio_error_stand_in` where a holding did not exist and nothing stands in for it. A
#'   warning (`imbroglio_warning_carried`) for a holding that has no price in a period.
#' @eval concepts_in_docs("replay")
#' @family measures of a book
#' @examples
#' prices <- read_prices(demo_file("bay.csv"))
#' weights <- c(OSSELL = 0.5, TARROW = 0.3, BAYBOND = 0.2)
#' book <- as_portfolio(prices, weights = weights, value = 1e6)
#' found <- replay(book, worst = 2, benchmark = "BAYALL")
#' in_words(found)
#' replay(book, periods = c(crash = "2018-09:2019-01"))
#' split_replay(found)
#' @export
replay <- function(book, periods = NULL, worst = 3L, found_by = c("book", "benchmark"),
                   benchmark = NULL) {
  found_by <- one_of(found_by, "found_by", c("book", "benchmark"))
  today <- book_today(book)
  if (found_by == "benchmark" && is.null(benchmark)) {
    fail("argument", "`found_by` is \"benchmark\", and there is none.", remedy = "Name one.")
  }
  beside <- if (!is.null(benchmark)) one_beside(book$returns, benchmark)
  closes <- closes_of_book(book, beside)
  spans <- if (is.null(periods)) {
    falls_to_replay(book, check_whole(worst, "worst"), found_by, beside)
  } else {
    named_periods(periods, closes$dates)
  }
  episodes <- lapply(seq_along(spans$from), function(i) {
    replayed(book, closes, spans$from[i], spans$to[i], spans$name[i], beside$name)
  })
  in_order <- order(vapply(episodes, function(e) e$value[length(e$value)], 0))
  episodes <- episodes[in_order]
  made <- new_result(
    replay_columns(book, episodes, beside$name),
    "replay",
    book_basis(
      today,
      c(
        episodes = spans$how,
        "bought" = "at today's weights at the start of each, and left alone",
        benchmark = beside$name
      )
    ),
    book$returns
  )
  attr(made, "episodes") <- episodes
  attr(made, "value") <- book$value
  made
}

# The closes of the holdings, and of the benchmark: on a date without one, the last.
closes_of_book <- function(book, beside) {
  returns <- if (is.null(beside)) book$returns else beside$returns
  prices <- if (is.null(returns$prices)) as_if_prices(returns) else returns$prices
  columns <- unique(c(book$security, beside$name))
  close <- prices$close[, columns, drop = FALSE]
  carried <- close
  for (j in seq_along(columns)) {
    carried[, j] <- core_carry(close[, j, drop = FALSE], nrow(close))
  }
  list(dates = prices$dates, close = close, carried = carried)
}

falls_to_replay <- function(book, worst, found_by, beside) {
  path <- if (found_by == "book") {
    suppressMessages(returns_today(book), classes = "imbroglio_note")
  } else {
    beside$returns[, beside$name]
  }
  falls <- as.data.frame(drawdown_episodes(path, worst = worst))
  falls <- falls[!is.na(falls$peak), ]
  if (!nrow(falls)) {
    fail("too_short", "There is no fall from a high to replay.", remedy = "Name `periods`.")
  }
  whose <- if (found_by == "book") book$name else beside$name
  began <- sprintf("fall of %s", format(falls$peak, "%Y-%m"))
  list(
    from = falls$peak,
    to = falls$trough,
    name = if (anyDuplicated(began)) sprintf("fall of %s", falls$peak) else began,
    how = sprintf("the %s deepest falls of %s", count(nrow(falls)), whose)
  )
}

named_periods <- function(periods, dates) {
  if (!is.character(periods) || !length(periods) || anyNA(periods)) {
    fail(
      "argument",
      "`periods` are years, months or two dates, such as \"2018-08-15:2019-01-10\".",
      where = sprintf("They are %s.", shown(periods))
    )
  }
  ends <- lapply(strsplit(periods, ":", fixed = TRUE), function(one) {
    if (length(one) > 2L) {
      fail("argument", sprintf("`periods` has %s, which is not two dates.", shown(one)))
    }
    from <- check_date(one[1L], "periods")
    to <- check_date(one[length(one)], "periods", last = TRUE)
    rows <- which(dates >= from & dates <= to)
    if (!length(rows) || to < from) {
      fail(
        "argument",
        sprintf("`periods`: there is no price from %s to %s.", from, to),
        where = sprintf("The prices run from %s to %s.", dates[1L], dates[length(dates)])
      )
    }
    # It begins with the close before, as all spans do.
    dates[c(max(1L, rows[1L] - 1L), rows[length(rows)])]
  })
  named <- names(periods) %||% rep("", length(periods))
  named <- ifelse(nzchar(named), named, periods)
  if (anyDuplicated(named)) {
    fail("argument", sprintf("`periods` has %s twice.", named[duplicated(named)][1L]))
  }
  list(
    from = .Date(vapply(ends, function(e) as.numeric(e[1L]), 0)),
    to = .Date(vapply(ends, function(e) as.numeric(e[2L]), 0)),
    name = named,
    how = "as named"
  )
}

# One period, day by day: the value of the book, of 1, and what each holding added.
replayed <- function(book, closes, from, to, name, benchmark) {
  held <- closes$close[, book$security, drop = FALSE]
  start <- findInterval(as.numeric(from), as.numeric(closes$dates))
  on <- which(closes$dates > from & closes$dates <= to & rowSums(!is.na(held)) > 0)
  if (!start || !length(on)) {
    fail("argument", sprintf("There are no prices of the book from %s to %s.", from, to))
  }
  rows <- c(start, on)
  close <- closes$carried[rows, book$security, drop = FALSE]
  stood <- rep(NA_character_, length(book$security))
  own <- book$begins[book$security] <= from
  if (length(book$stand_ins)) stood[!own] <- unname(book$stand_ins[book$security[!own]])
  for (j in which(is.na(close[1L, ]))) {
    made <- by_beta(book, closes, rows, j, benchmark, from)
    close[, j] <- made$close
    stood[j] <- made$words
  }
  carried <- colSums(is.na(held[on, , drop = FALSE]))
  warn_carried(book, carried - ifelse(own, 0L, Inf), length(on), from, to)
  grown <- close / rep(close[1L, ], each = nrow(close))
  part <- (grown - 1) * rep(book$weights, each = nrow(grown))
  list(
    name = name,
    dates = closes$dates[rows],
    close = close,
    weights = book$weights,
    part = part,
    value = 1 + rowSums(part),
    stood = stood,
    carried = carried,
    beside = if (!is.null(benchmark)) unname(closes$carried[rows, benchmark])
  )
}

# A holding that did not exist: before its first price it moves by its beta.
by_beta <- function(book, closes, rows, j, benchmark, from) {
  security <- book$security[j]
  if (is.null(benchmark)) {
    fail(
      "stand_in",
      sprintf("%s has no price yet on %s, where the period begins.", security, from),
      remedy = sprintf(
        paste0(
          "Name a series that stands in for it: stand_ins = c(%s = \"...\"); or a `benchmark`, ",
          "by which it then moves with its beta."
        ),
        security
      )
    )
  }
  pair <- closes$close[, c(security, benchmark)]
  pair <- pair[rowSums(is.na(pair)) == 0, , drop = FALSE]
  if (nrow(pair) < 4L) {
    fail("stand_in", sprintf("%s and %s share too few prices for a beta.", security, benchmark))
  }
  r <- core_returns(pair, FALSE)
  beta <- stats::cov(r[, 1L], r[, 2L]) / stats::var(r[, 2L])
  beside <- closes$carried[rows, benchmark]
  if (is.na(beside[1L])) {
    fail("stand_in", sprintf("%s has no price on %s either.", benchmark, from))
  }
  path <- cumprod(c(1, 1 + beta * (beside[-1L] / beside[-length(beside)] - 1)))
  own <- closes$carried[rows, security]
  first <- which(!is.na(own))[1L]
  if (!is.na(first)) {
    path <- path * own[first] / path[first]
    path[first:length(path)] <- own[first:length(own)]
  }
  list(close = unname(path), words = sprintf("%s times %s", format(round(beta, 2L)), benchmark))
}

warn_carried <- function(book, carried, days, from, to) {
  never <- which(carried >= days)
  if (!length(never)) return(invisible())
  caution(
    "carried",
    sprintf(
      "%s has no price from %s to %s, and stands still in it.",
      some(book$security[never]),
      from,
      to
    ),
    remedy = "Name a stand-in for it, or another period."
  )
}

replay_columns <- function(book, episodes, benchmark) {
  each <- function(f, type = 0) vapply(episodes, f, type)
  ends <- function(e) length(e$value)
  on <- function(f) .Date(each(function(e) as.numeric(f(e))))
  total <- each(function(e) e$value[ends(e)] - 1)
  lead <- each(function(e) {
    part <- e$part[ends(e), ]
    if (e$value[ends(e)] < 1) which.min(part) else which.max(part)
  }, 0L)
  columns <- list(
    security = rep(book$name, length(episodes)),
    episode = each(function(e) e$name, ""),
    from = on(function(e) e$dates[1L]),
    to = on(function(e) e$dates[ends(e)]),
    n = each(ends, 0L) - 1L,
    total_return = total,
    deepest = each(function(e) min(e$value) - 1),
    deepest_date = on(function(e) e$dates[which.min(e$value)])
  )
  if (!is.null(benchmark)) {
    columns$benchmark <- rep(benchmark, length(episodes))
    columns$benchmark_return <- each(function(e) e$beside[ends(e)] / e$beside[1L] - 1)
  }
  columns$led_by <- book$security[lead]
  columns$led_part <- each(function(e) {
    part <- e$part[ends(e), ]
    if (e$value[ends(e)] < 1) min(part) else max(part)
  })
  columns$stood_in <- each(function(e) stood_words(book, e$stood), "")
  if (!is.null(book$value)) {
    columns$return_value <- columns$total_return * book$value
    columns$deepest_value <- columns$deepest * book$value
  }
  columns
}

stood_words <- function(book, stood) {
  some_did <- !is.na(stood)
  if (!any(some_did)) return(NA_character_)
  some(sprintf("%s by %s", book$security, stood)[some_did], 4L)
}
