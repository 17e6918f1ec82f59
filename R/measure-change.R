record_of_change <- function() {
  measure_record(
    105,
    title = "What moved it",
    asks = "Why is it not what it was?",
    measure = explain_change,
    columns = list(
      cause = column("cause", "text", key = TRUE),
      moved = column("moved it by", "significant"),
      moved_value = column("in money", "money", optional = TRUE),
      mattered = column("above all", "text", optional = TRUE),
      number_before = column("before", "significant", detail = TRUE),
      number_after = column("after", "significant", detail = TRUE)
    ),
    shares = c("security", "measure", "unit"),
    compares = NULL,
    command = command_record(
      "Compare, through time and with the past", 25,
      says = "why a number is not what it was: days, prices, trades, choices, each with its part",
      takes = "FILE...  or  BEFORE.json AFTER.json  or  RUNS",
      options = c(
        choose, "every", "keep-unfinished", "kind", "measure", "since", "before", "benchmark",
        "level", "method", "horizon", "value", setdiff(book, c("parts", "held", "rebalance")),
        hand_on
      ),
      trade = list(
        trade(
          c("P&L explain", "risk attribution through time", "change of value at risk"),
          "why a number of risk moved, in parts that add up",
          "imbroglio change FILE --holdings FILE --since \"1 week\""
        )
      ),
      help = c(
        measure = "which number (var)",
        since = "a date, or how long ago, such as \"1 week\" (the date before)",
        before = "what was held then: a file of holdings",
        last = "of both sides the last so many returns, or so long"
      ),
      example = c(
        paste0(
          "imbroglio change bay.csv bay-fund.csv --holdings bay-holdings.csv ",
          "--last \"250 returns\" --since \"1 month\" --figure change.png"
        ),
        "imbroglio change bay.csv --security TARROW --measure volatility --last \"1 year\""
      ),
      ways = c(
        "--security SHAREX --since 2021-09-01 --measure es --level 0.95",
        "--security SHAREX --since 2021-09-01 --measure beta --benchmark INDEXX",
        "--since 2021-09-01 BOOK"
      )
    ),
    parts = list(
      change = part("more", 25, "whole", above = c("lead", "figure", "table"), usual = FALSE)
    ),
    cases = quote(list(
      whole = explain_change(x, measure = "volatility", since = "1 month"),
      window = explain_change(x[, colnames(x)[1]], since = "2 months", last = "100 returns"),
      of_book = explain_change(book_of_shares, since = "1 month", last = "120 returns"),
      choices = explain_change(
        book_of_shares, since = "1 week", choices = list(level = 0.95, method = "normal"),
        choices_before = list(level = 0.99, method = "historical")
      )
    ))
  )
}

#' Why a number is not what it was
#'
#' The change of a number between two days, two books, two tables or two sets of choices, in parts
#' that add up to it: days that came into the sample and days that left it, prices that were
#' restated, weights that moved with prices and with rates of currencies, trades, cash, and each
#' choice.
#'
#' Each cause has its Shapley value: what the number moves by when that cause goes from what it was
#' before to what it is after, the mean over all orders in which the causes could have gone. All
#' \eqn{2^k}{2^k} mixtures of \eqn{k}{k} causes are measured; where more than eight differ, the
#' choices go together. The parts add up to the change, and whatever has no effect has no part. A
#' mixture holds what is held at the prices of its side, as today's weights through the past.
#'
#' Where returns came and others left, every mixture has as many returns as the windows: what is
#' not there is replaced by a return from the middle of the sample. Otherwise a quiet day that
#' leaves would change which of the losses is the k-th. Where two windows have little in common
#' they are one cause.
#'
#' What mattered above all is named beside each cause: of days what one of them does by itself, of
#' weights and trades what those of one holding do, each the mean of going first and of going
#' last. These do not add up to the part.
#'
#' That both ends, put together in this way, are what the measure itself gives is checked to 1e-9
#' each time; where they are not, as where holdings and benchmark have prices on unlike dates, the
#' change is refused.
#'
#' @section Formula: \deqn{\phi_c = \sum_{S \not\ni c} \frac{|S|!\,(k - |S| - 1)!}{k!} [f(S + c) -
#'   f(S)]}{phi_c = sum over S without c of |S|! (k - |S| - 1)! / k! (f(S + c) - f(S))} with
#'   \eqn{f(S)}{f(S)} the number where the causes in S are as they are after, all else as before.
#' @param before,after Books, returns or price tables. Without `after`, `before` is what is now,
#'   and is compared with itself as it was `since`. Or records of days that a study kept: two of
#'   their files, or the folder of them and `since`, see [history_of_runs()]: the parts are then
#'   the sums of those from each record to the next, and no prices are read. Or two results of one
#'   measure: they are of what they were measured of, by the choices that they keep; refused
#'   where that does not give their numbers again.
#' @param measure `"var"`, `"es"`, `"volatility"`, `"drawdown"`, `"beta"` or `"tracking_error"`; of
#'   records of days `"var"`, `"volatility"` (all), `"recent"` (of the last returns), `"fall"`,
#'   `"beta"`, `"worth"` or `"price"`.
#' @param choices What the measure takes, by name, such as `list(level = 0.95)`.
#' @param choices_before The same of before, where it is another.
#' @param since A date, or how long ago such as `"1 week"`; by default the date before the last.
#' @param last Of each side so many returns, or so long, see [window.imbroglio_returns()].
#' @param benchmark Of `beta` and `tracking_error`: one security of the tables.
#' @param held_before What was held then, where `after` is not given: a file or table of holdings.
#' @return A table, a row for each cause of each security: `security`, `measure`, `cause`, `moved`
#'   (by how much, in the number's unit), `moved_value` (value at risk and shortfall, where the
#'   value is known: by how much in money), `mattered` (what did it
#'   above all), `number_before` and `number_after`.
#' @eval columns_in_docs("change")
#' @section Errors: `imbroglio_error_argument` for sides that cannot be compared, and for choices
#'   that give several numbers; those of the measure.
#' @references Shapley (1953), A value for n-person games, Contributions to the Theory of Games II.
#' @eval concepts_in_docs("explain_change")
#' @family measures of returns
#' @examples
#' prices <- read_prices(demo_file("bay.csv"))
#' book <- as_portfolio(prices, shares = c(OSSELL = 100, TARROW = 50))
#' explain_change(book, since = "1 month", last = "250 returns")
#' @export
explain_change <- function(before, after = NULL, measure = "var", choices = list(),
                           choices_before = choices, since = NULL, last = NULL, benchmark = NULL,
                           held_before = NULL) {
  if (is.character(before) || inherits(before, "imbroglio_result")) {
    # What either holds was measured by its own choices.
    given <- setdiff(names(match.call())[-1L], c("before", "after", "measure", "since", ""))
    if (inherits(before, "imbroglio_result") && !is.null(since)) given <- c("since", given)
    if (length(given)) {
      fail("argument", sprintf("`%s` is of no use beside records or results.", given[1L]))
    }
    if (is.character(before)) return(change_of_runs(before, after, measure, since))
    return(change_of_results(before, after, if (!missing(measure)) measure))
  }
  known <- explained_measures()
  check_choice(measure, "measure", names(known))
  record <- c(known[[measure]], follows = measure)
  check_named_choices(choices, record)
  check_named_choices(choices_before, record)
  if (is.null(after)) {
    after <- before
    before <- as_it_was(after, since, held_before)
  } else if (!is.null(since) || !is.null(held_before)) {
    fail("argument", "Of two sides there is no date before, and what was held then is known.")
  }
  if (isTRUE(record$beside) && is.null(benchmark)) {
    fail("argument", sprintf("`%s` is measured against a benchmark.", measure))
  }
  pairs <- paired_sides(before, after, choices_before, choices, benchmark, last)
  made <- lapply(pairs, change_of_pair, record)
  columns <- lapply(made, function(one) {
    n <- length(one$causes)
    list(
      security = rep(one$name, n),
      measure = rep(measure, n),
      cause = unname(one$said),
      moved = unname(one$parts[, "number"]),
      moved_value = unname(one$parts[, "money"]),
      mattered = one$mattered,
      number_before = rep(one$ends[["before", "number"]], n),
      number_after = rep(one$ends[["after", "number"]], n)
    )
  })
  result <- new_result(
    stacked(columns), "change", with_level(basis_of_change(made), choices, record),
    made[[1L]]$source
  )
  attr(result, "changes") <- stats::setNames(made, vapply(made, `[[`, "", "name"))
  result
}

check_named_choices <- function(choices, record) {
  taken <- setdiff(names(formals(record$measure)), c("returns", "benchmark", "window", "as"))
  if (!is.list(choices) || (length(choices) && is.null(names(choices)))) {
    fail("argument", "Choices are a list of values by name.")
  }
  refuse_unknown_choices(names(choices), taken)
}

refuse_unknown_choices <- function(names, taken) {
  unknown <- setdiff(names, taken)
  if (length(unknown)) {
    fail(
      "argument", sprintf("There is no choice %s here.", some(unknown)),
      where = sprintf("What can be chosen: %s.", some(taken, 30L)),
      remedy = did_you_mean(unknown[1L], taken)
    )
  }
}

# The same book or table as it was on a day: with its prices up to it, and what was held then.
as_it_was <- function(now, since, held_before) {
  book <- inherits(now, "imbroglio_book")
  if (!book && !is.null(held_before)) {
    fail("argument", "What was held before is asked of a book.")
  }
  table <- if (book) priced_of(now) else take_returns(now)
  dates <- if (is.null(table$prices)) table$dates else table$prices$dates
  then <- as_on_day(now, day_before(dates, since))
  if (is.null(held_before)) return(then)
  as_portfolio(
    priced_of(then), holdings = held_before, rebalance = now$rebalance,
    cash_return = now$cash_return, name = now$name, between = now$between$way,
    benchmark = now$bridged_by, bridges = now$between$drawings %||% 1L, seed = now$seed,
    carried = then$carried
  )
}

# Each side of a book, or of each security that both tables have.
paired_sides <- function(before, after, choices_before, choices, benchmark, last) {
  books <- c(inherits(before, "imbroglio_book"), inherits(after, "imbroglio_book"))
  if (any(books) && !all(books)) {
    fail("argument", "A book is compared with a book, a table with a table.")
  }
  if (all(books)) {
    if (xor(is.null(before$shares), is.null(after$shares))) {
      fail(
        "argument", "One book is held in weights, the other in shares or values.",
        remedy = "Say what is held alike on both sides."
      )
    }
    refuse_other_tables(before, after)
    return(list(list(
      before = book_side(before, choices_before, benchmark, last),
      after = book_side(after, choices, benchmark, last)
    )))
  }
  before <- take_returns(before)
  after <- take_returns(after)
  both <- setdiff(intersect(colnames(after$values), colnames(before$values)), benchmark)
  if (!length(both)) fail("argument", "The two have no security that both have.")
  if (before$kind != after$kind) {
    fail("argument", "One has simple returns, the other logarithms.")
  }
  lapply(both, function(security) {
    list(
      before = series_side(before, security, choices_before, benchmark, last),
      after = series_side(after, security, choices, benchmark, last)
    )
  })
}

# What one holds must have a price in the table of the other, too.
refuse_other_tables <- function(before, after) {
  lacking <- c(
    setdiff(before$security, colnames(priced_of(after)$values)),
    setdiff(after$security, colnames(priced_of(before)$values))
  )
  if (length(lacking)) {
    fail(
      "argument", sprintf("%s has no prices on the other side.", some(lacking)),
      remedy = "Make both books of tables that have all holdings of both."
    )
  }
}

change_of_pair <- function(sides, record) {
  ends <- Map(end_of_side, sides, list(record), names(sides) == "after")
  for (side in names(sides)) {
    if ("per_year" %in% names(formals(record$measure))) {
      sides[[side]]$choices$per_year <- sides[[side]]$choices$per_year %||% ends[[side]]$per_year
    }
  }
  known <- rbind(before = ends$before$numbers, after = ends$after$numbers)
  if (anyNA(known[, "number"])) {
    fail("too_short", sprintf("%s has no such number on one of the sides.", sides$after$name))
  }
  causes <- causes_of_pair(sides, record)
  mixed <- function(on, ...) mean_mixture(on, sides, record, ...)
  k <- length(causes)
  values <- t(vapply(seq_len(2^k) - 1L, function(mask) {
    mixed(flags_of(causes[bitwAnd(mask, 2^(seq_len(k) - 1L)) > 0]))
  }, c(number = 0, money = 0)))
  refuse_other_ends(known, values, sides$after$name)
  if (anyNA(values[, "number"])) {
    fail("too_short", sprintf(
      "Of %s some mixtures of before and after have too few returns to be measured.",
      sides$after$name
    ))
  }
  parts <- if (k) shapley_parts(values, k) else 0 * values
  list(
    name = sides$after$name,
    causes = if (k) names(causes) else "none",
    said = if (k) {
      vapply(names(causes), cause_words, "", sides, causes, record)
    } else {
      "nothing differs"
    },
    ends = known,
    values = values,
    parts = parts,
    mattered = if (k) {
      mattered <- function(cause, part) {
        mattered_of(cause, part, sides, record, flags_of(causes), mixed)
      }
      unname(mapply(mattered, names(causes), parts[, "number"]))
    } else {
      NA_character_
    },
    basis = ends$after$basis,
    source = ends$after$source
  )
}

# What the measure gives of one side.
end_of_side <- function(side, record, now) {
  found <- lapply(side$x, function(x) {
    if (!is.null(side$from)) x <- cut_side(x, side)
    # What is to be said of what is measured is said of what is so now.
    if (now) result_of_side(x, side, record) else quietly_done(result_of_side(x, side, record))
  })
  numbers <- vapply(found, numbers_of_row, c(number = 0, money = 0), side, record)
  about <- basis(found[[1L]])
  list(
    numbers = rowMeans(numbers), basis = about, per_year = about$per_year,
    source = attr(found[[1L]], "source")
  )
}

# Beside a benchmark the prices are cut, which both have; what was drawn between prices would be
# drawn anew.
cut_side <- function(x, side) {
  by_prices <- !is.null(side$benchmark) && inherits(x, "imbroglio_book") && is.null(x$between)
  if (!by_prices) return(stats::window(measured_table(x, side$benchmark), start = side$from))
  cut <- stats::window(priced_of(x)$prices, start = side$from)
  held_on(x, as_returns(cut, kind = x$returns$kind, every = x$returns$stated))
}

mean_mixture <- function(on, sides, record, ...) {
  drawings <- max(length(sides$before$x), length(sides$after$x))
  found <- vapply(seq_len(drawings), function(drawing) {
    measured_mixture(on, sides, drawing, record, ...)
  }, c(number = 0, money = 0))
  rowMeans(found)
}

flags_of <- function(causes) {
  names <- unlist(causes, use.names = FALSE)
  stats::setNames(rep(list(TRUE), length(names)), names)
}

refuse_other_ends <- function(known, values, name) {
  ends <- values[c(1L, nrow(values)), , drop = FALSE]
  apart <- abs(ends - known) / pmax(abs(known), 1e-12)
  if (any(apart > 1e-9, na.rm = TRUE)) {
    fail(
      "argument",
      sprintf("What %s is made of cannot be put together again, so no part can be told.", name),
      where = sprintf(
        "Measured is %s and %s, put together %s and %s.", number_text(known[1L, "number"]),
        number_text(known[2L, "number"]), number_text(ends[1L, "number"]),
        number_text(ends[2L, "number"])
      ),
      remedy = "Holdings and benchmark may have prices on unlike dates: take `every = \"week\"`."
    )
  }
}

# The Shapley value of each of `k` causes: `values` of all mixtures, of which the bits of the row
# say what is as it is after.
shapley_parts <- function(values, k) {
  masks <- seq_len(2^k) - 1L
  sizes <- vapply(masks, function(mask) sum(bitwAnd(mask, 2^(seq_len(k) - 1L)) > 0), 0)
  t(vapply(seq_len(k), function(cause) {
    bit <- 2^(cause - 1L)
    without <- which(bitwAnd(masks, bit) == 0L)
    weight <- exp(lfactorial(sizes[without]) + lfactorial(k - sizes[without] - 1) - lfactorial(k))
    colSums(weight * (values[without + bit, , drop = FALSE] - values[without, , drop = FALSE]))
  }, c(number = 0, money = 0)))
}

# At which level, which is no column here.
with_level <- function(about, choices, record) {
  if (is.null(record$money)) return(about)
  level <- as.numeric(choices$level %||% formals(record$measure)$level)
  about$choices <- c(level = unit_text$level(level), about$choices)
  about
}

basis_of_change <- function(made) {
  about <- made[[1L]]$basis
  for (one in made[-1L]) {
    about$observations <- c(about$observations, one$basis$observations)
    about$to <- max(about$to, one$basis$to)
    about$from <- min(about$from, one$basis$from)
  }
  about$securities <- length(made)
  about
}
