record_of_limits <- function() {
  measure_record(
    130,
    title = "Limits",
    asks = "Which are broken, since when, and what would help?",
    measure = check_limits,
    columns = list(
      warn = column("warn", "number", optional = TRUE, working = FALSE),
      since = column("since", "date", working = FALSE),
      trade = column("trade", "text", detail = TRUE),
      after = column("after", "price"),
      lookback = column("window", "count", optional = TRUE, working = FALSE),
      period = column("period", "text", optional = TRUE),
      was = column("was", "text", optional = TRUE),
      unit = column("in", "text", optional = TRUE),
      within_on = column("within on", "date", optional = TRUE, working = FALSE),
      untraded = column("without trades since", "price", detail = TRUE),
      of_market = column("of the market", "price", detail = TRUE),
      of_trades = column("of trades", "price", detail = TRUE),
      came_of = column("came of", "text", optional = TRUE)
    ),
    shares = c(
      "security", "measure", "to", "estimate", "limit", "state", "over", "horizon", "level",
      "method"
    ),
    compares = NULL,
    command = command_record(
      "Check the number, and hand it on", 20,
      says = paste(
        "the state of each limit of a file; status 1 where one is broken, 5 where one cannot be",
        "measured"
      ),
      options = c(
        choose, "every", "keep-unfinished", "kind", "limits", "window", "level", "benchmark",
        "before", "runs", "today", "stale", "value", setdiff(book, "parts"), hand_on
      ),
      help = c(
        limits = "a table of limits: of, measure, warn, limit",
        stale = "how many trading days the last price may be old; after that no limit is within",
        window = "the returns that are looked back on (250)"
      ),
      example = paste0(
        "imbroglio limits bay.csv bay-fund.csv --holdings bay-holdings.csv --benchmark BAYALL ",
        "--limits bay-limits.csv --figure limits.png"
      ),
      ways = "--limits LIMITS --window 40 --level 0.95 --benchmark INDEXX BOOK"
    ),
    parts = list(
      limits = part(
        "limits", 10, "whole", "limits", c("lead", "figure", "table"), says = FALSE,
        with = function(work) list(limits = work$limits, runs = work$days), keeps = "runs"
      )
    ),
    follows = list(
      weight = followed(
        160, "Weight", "share", "what a holding or a group is of the book today", positive = TRUE,
        today = weight_today, of_book = TRUE, trades = "weight"
      )
    ),
    cases = quote(list(
      whole = check_limits(
        x,
        data.frame(
          of = colnames(x)[1], limit = 0.01,
          measure = c("var", "volatility", "fall", "loss", "beta")
        ),
        window = 60, level = 0.95, benchmark = b
      ),
      of_book = check_limits(
        book, data.frame(of = "book", measure = c("var", "effective_bets"), limit = c(0.001, 1)),
        window = 60, level = 0.95
      ),
      with_days = check_limits(
        book, data.frame(of = "book", measure = "var", limit = 0.001), window = 60,
        runs = runs_folder
      ),
      in_money = check_limits(
        book, data.frame(of = "book", measure = "var", limit = "5000 money"), window = 60
      )
    ))
  )
}

#' Limits, and which of them are broken
#'
#' The state of each limit of a small table: within, near, or broken, since when and by how much;
#' and for a broken limit of the book the trade that would bring it back within.
#'
#' A limit is `of` a security of the table, of the book (by its name, `book` or `portfolio`), of a
#' group (`group:port`), or of `each` holding (of a table without a book, each security). It is
#' `near` from `warn` on, and `broken` beyond `limit`.
#'
#' Of a book, what looks ahead (volatility, value at risk, shortfall, semi-deviation, beta,
#' correlation, tracking error) is of the book as held today, what looks back (drawdown, fall,
#' loss, return, its ratios, skewness) as held then; where the book says how it is held, all is
#' that. A loss is what was booked, at the prices that were known, see [split_return()]. A group is
#' its holdings by today's weights, made up to 1 (held short, to -1). What is held short is limited
#' as what it earns. A group, or a book, whose long and short sides nearly cancel is limited in
#' money only.
#'
#' A limit is judged in its own time, over the periods of the returns, or refused: one of a day is
#' never judged by weeks. Over a horizon the historical method goes by the root, the others each
#' their own way.
#'
#' What ends before the last date that is known, such as a book with a holding that has stopped,
#' and prices older than `stale`, are not judged by what they were: what would be `within` or
#' `near` is `not measurable`.
#'
#' `since` is the first date of the run, up to now, over which the state was as bad. Of weights,
#' shares and concentration the past is not known: `NA`.
#'
#' The trade is for limits of the book on volatility, value at risk and shortfall, and of weights,
#' in up to three ways, each measured again: of the one holding of which least must be traded; of
#' the fewest, that of the highest marginal value first (by the regression of each holding on the
#' book, see [split_var()]); of all in proportion. What is sold becomes cash, what is held short is
#' bought back. Where the numbers of shares are known, whole shares.
#'
#' @eval followed_in_docs(limit_measures())
#' @param x A book, a price table or a returns table.
#' @param limits A file, or a data frame, with the columns `of`, `measure`, `limit` and, if
#'   wanted, `warn`; numbers as 0.03 or `"3%"`. A fraction above 1 without its mark is refused, and
#'   of losses and tracking errors one above 0.1, which could be meant either way; how the others
#'   are read is noted. Refused too: a warning beyond its limit, and a limit below 0 of what is
#'   never below 0. Of value at risk, shortfall and loss `"5000 EUR"` is in money. Columns that may
#'   be there: `horizon` (`"10 days"`, `"1 month"`; a number is of days; 1 day), `level` and
#'   `method` of value at risk and shortfall (historical), `window`, and `period`: of a loss the
#'   time it is over (`"5 days"`, `"month to date"`; 1 day), of other measures the period of the
#'   returns (`"week"`). What was taken stands in the columns of the result.
#' @param window,level Of the measures: the number of returns, and of value at risk the level.
#' @param benchmark Of `beta`, `correlation` and `tracking_error`.
#' @param today The date of which is asked; the basis says how many trading days the last price
#'   lies before it.
#' @param stale How many of them may lie between; if absent, any number.
#' @param before What this function gave before (or a file of it, as CSV): `was` is the state then.
#'   Without it, of the last day before in `runs`: however often a day is asked of, its news are
#'   the same.
#' @param runs The folder of a study's run, or its folder of records of days: by what was held when
#'   a limit that is broken was last within, it is told whether the market or a trade broke it.
#' @return A table, a row for each limit, the broken first, then the near: `security` (what it is
#'   of), `measure`, `to`, `estimate`, `warn`, `limit`, `state`, `over` (how far beyond the limit;
#'   below 0 what is left to it), `since`, `trade` and `after` (what the estimate would be after
#'   the first of the trades), `horizon`, `level`, `method`, `lookback` (the window), `period`, and
#'   where a limit is in money `unit`, its currency; `was`. With `runs`, of what is broken:
#'   `within_on` (the last day of which the records say that it was within or near), `untraded`
#'   (the estimate with what was held then, at the prices of now), `of_market` and `of_trades` (how
#'   much of the move since is of prices and of trades, each the mean of going first and of going
#'   last),
#'   `came_of`: `"the market"` or `"trades"`, which alone would have broken it; `"either"` of them;
#'   `"both"`, neither alone; `"another limit"` or `"restated prices"`, by which it was beyond it
#'   then already; `"before the records"`; `"not known"`.
#' @eval columns_in_docs("limits")
#' @section Errors: `imbroglio_error_limits` for a table of limits that cannot be read, with its
#'   line; `imbroglio_error_security` for one of what is not there; `imbroglio_error_argument` for
#'   limits of a book where there is none, or of a benchmark.
#' @eval concepts_in_docs("check_limits")
#' @family measures of risk
#' @family measures of a book
#' @examples
#' prices <- read_prices(demo_file("bay.csv"), securities = demo_file("bay-securities.csv"))
#' book <- as_portfolio(prices, shares = c(OSSELL = 2000, TARROW = 500, BAYBOND = 1000))
#' limits <- data.frame(
#'   of = c("book", "book", "group:port", "each"),
#'   measure = c("var", "fall", "weight", "volatility"),
#'   warn = c("2%", "5%", "15%", NA), limit = c("2.5%", "10%", "20%", "40%")
#' )
#' found <- check_limits(book, limits)
#' in_words(found)
#' @export
check_limits <- function(x, limits, window = 250L, level = 0.99, benchmark = NULL,
                         before = NULL, today = Sys.Date(), stale = NULL, runs = NULL) {
  window <- check_whole(window, "window", least = 2L)
  level <- check_fraction(level, "level")
  known <- limit_measures()
  table <- read_limits(limits, known, names(known_var_methods()))
  check_one_benchmark(benchmark)
  book <- if (inherits(x, "imbroglio_book")) x
  books <- drawings_of_book(book)
  book <- books[[1L]]
  subjects <- if (is.null(book)) take_returns(x) else book$returns
  table <- limits_of_each(with_usual_choices(table, window, level), book, subjects)
  age <- age_of(subjects$dates, check_date(today, "today"))
  stale <- check_stale(stale)
  beside <- table$measure[vapply(known[table$measure], `[[`, NA, "beside")]
  if (length(beside) && is.null(benchmark)) {
    fail("argument", sprintf("A limit of %s is against a `benchmark`.", beside[1L]))
  }
  request <- list(
    book = book, books = books, returns = subjects, window = window, level = level,
    benchmark = benchmark,
    age = age, stale = stale
  )
  states <- lapply(seq_len(nrow(table)), function(i) state_of_limit(table[i, ], request, known))
  columns <- stacked(states)
  in_order <- order(match(columns$state, limit_states))
  columns <- lapply(columns, `[`, in_order)
  days <- if (is.character(runs)) read_days(runs) else runs
  last <- subjects$dates[length(subjects$dates)]
  columns$was <- states_before(before %||% limits_of_day_before(days, last), columns)
  # What only some limits have stands at the end.
  unit <- columns$unit
  columns$unit <- NULL
  if (!all(is.na(unit))) columns$unit <- unit
  causes <- causes_of_limits(columns, days, request)
  about <- limits_basis(request, book, subjects, benchmark)
  made <- new_result(c(columns, causes$columns), "limits", about, subjects)
  attr(made, "request") <- request
  attr(made, "sides") <- causes$numbers
  made
}

limits_basis <- function(request, book, subjects, benchmark) {
  choices <- c(
    window = count(request$window),
    level = format(request$level),
    benchmark = if (is.character(benchmark)) benchmark,
    "last price" = request$age$text
  )
  if (!is.null(book)) {
    today <- suppressMessages(sample_today(book), classes = "imbroglio_note")
    about <- book_basis(today, c(choices, "looking back" = then_words(book)))
    about$exact <- list(window = request$window, level = request$level)
    return(about)
  }
  returns_basis(
    subjects,
    sample_of(subjects$dates, subjects$values),
    choices = choices,
    exact = list(window = request$window, level = request$level)
  )
}

# A line of `each` becomes one of every holding; the book goes by its name.
limits_of_each <- function(table, book, returns) {
  securities <- if (is.null(book)) colnames(returns$values) else book$security
  rows <- lapply(seq_len(nrow(table)), function(i) {
    line <- table[i, ]
    if (line$of == "each") {
      line <- line[rep(1L, length(securities)), ]
      line$of <- securities
    }
    line
  })
  table <- do.call(rbind, rows)
  # A limit of one security goes before that of each.
  twice <- duplicated(table[same_limit]) | duplicated(table[same_limit], fromLast = TRUE)
  named <- paste(table$of, table$measure)
  counts <- vapply(rows, nrow, 0L)
  of_each <- rep(counts > 1L, counts)
  table <- table[!(twice & of_each), ]
  as_given <- table$of
  is_book <- plain_name(table$of) %in% whole_book_words & !table$of %in% colnames(returns$values)
  if (any(is_book) && is.null(book)) {
    fail(
      "argument",
      "A limit is of the book, and there is none.",
      remedy = "Make one: as_portfolio()."
    )
  }
  if (any(is_book)) table$of[is_book] <- book$name
  again <- which(duplicated(table[same_limit]))[1L]
  if (!is.na(again)) {
    both <- which(table$of == table$of[again] & table$measure == table$measure[again])
    fail(
      "limits",
      sprintf("%s of %s is limited twice.", table$measure[again], table$of[again]),
      where = sprintf("As %s.", some(unique(as_given[both])))
    )
  }
  only <- which(table$measure %in% with_trait("of_book") & is.null(book))
  if (length(only)) {
    said <- sprintf("A limit of %s is of a book, and there is none.", table$measure[only[1L]])
    fail("argument", said)
  }
  named <- !startsWith(table$of, "group:") & !(table$of %in% book$name)
  pick_securities(table$of[named], colnames(returns$values))
  table
}

# What a line does not say: a day, the level and the window of the call, historical.
with_usual_choices <- function(table, window, level) {
  ahead <- table$measure %in% with_trait("in_time")
  rolled <- table$measure %in% names(rolling_measures())
  usual <- function(x, where, value) ifelse(is.na(x) & where, value, x)
  table$horizon <- usual(table$horizon, ahead, "1 day")
  # A number alone is of days: those of a limit do not hang on how often a fund is priced.
  table$horizon <- ifelse(
    grepl("^ *[0-9]+ *$", table$horizon),
    count(as.numeric(table$horizon), "day"), table$horizon
  )
  table$level <- usual(table$level, ahead, level)
  table$method <- usual(table$method, ahead, "historical")
  table$window <- as.integer(usual(table$window, rolled, window))
  table$period <- usual(table$period, table$measure == "loss", "1 day")
  table
}

state_of_limit <- function(line, request, known) {
  record <- known[[line$measure]]
  in_share <- is.na(line$unit) && record$unit %in% c("fraction", "share")
  if (line$of %in% request$book$name && in_share) {
    refuse_neutral(request$book, "its limits are in money, such as 5000 EUR")
  }
  series <- estimated_limit(line, request)
  if (record$depth) line[c("warn", "limit")] <- abs(line[c("warn", "limit")])
  judged <- judged_series(line, series, record, known_of_limit(line, request))
  trade <- if (judged$state == "broken") trade_within(line, request) else NULL
  short <- is_held_short(line$of, request$book) && !limit_measures()[[line$measure]]$of_book
  c(
    list(
      security = if (short) short_name(line$of) else line$of,
      measure = line$measure,
      to = series$to[length(series$to)],
      estimate = series$estimate[length(series$estimate)],
      warn = line$warn,
      limit = line$limit
    ),
    judged,
    list(trade = trade$words %||% NA_character_, after = trade$after %||% NA_real_),
    as.list(line[c("horizon", "level", "method")]),
    # By a name of its own: a result with a `window` has a row for each date.
    list(lookback = line$window),
    as.list(line[c("period", "unit")])
  )
}

estimated_limit <- function(line, request) {
  series <- limited_over_drawings(line, request)
  if (!is.na(line$unit)) series$estimate <- series$estimate * worth_of_limit(line, request)
  series
}

# The state now, by how much it is beyond, and since when. `known`: the date of which is asked,
# where the numbers end before it.
judged_series <- function(line, series, record, known) {
  size <- function(x) if (record$depth) -x else if (line$measure == "weight") abs(x) else x
  # A number that is the limit but for its last digits is at it.
  against <- function(x, mark, from) {
    if (is.na(mark)) return(rep(FALSE, length(x)))
    away <- (size(x) - mark) * if (record$wrong == "above") 1 else -1
    away > from * 1e-12 * abs(mark)
  }
  broken <- against(series$estimate, line$limit, 1)
  near <- against(series$estimate, line$warn, -1) | broken
  now <- length(broken)
  estimate <- series$estimate[now]
  state <- if (is.na(estimate)) {
    "unknown"
  } else if (broken[now]) {
    "broken"
  } else if (near[now]) {
    "near"
  } else {
    "within"
  }
  if (state %in% c("near", "within") && !is.null(known)) state <- "not measurable"
  run <- if (state == "broken") broken else near
  since <- as.Date(NA)
  if (state %in% c("broken", "near") && now > 1L) {
    first <- max(0L, which(!(run %in% TRUE))) + 1L
    since <- series$to[first]
  }
  list(
    state = state,
    over = (size(estimate) - line$limit) * if (record$wrong == "above") 1 else -1,
    since = since
  )
}

limit_states <- c("broken", "not measurable", "near", "within", "unknown")

# The state of the same limits before, by what they are of, their measure and its choices.
states_before <- function(before, columns) {
  none <- rep(NA_character_, length(columns$measure))
  if (is.null(before)) return(none)
  keys <- c("security", "measure", "horizon", "level", "period", "unit")
  if (is.character(before)) {
    grid <- one_grid(before, "the limits of before")
    if (!all(c("security", "measure", "state") %in% names(grid$columns))) {
      fail(
        "limits",
        "The limits of before have no columns security, measure and state.",
        remedy = "They are what this gave then, written as CSV."
      )
    }
    there <- intersect(c(keys, "state"), names(grid$columns))
    before <- lapply(stats::setNames(nm = there), function(name) {
      as.character(names_as_text(grid, name))
    })
  }
  keys <- intersect(keys, intersect(names(before), names(columns)))
  key_of <- function(table) {
    do.call(paste, c(lapply(keys, function(name) {
      text <- as.character(table[[name]])
      if (name == "level") text <- format(round(as.numeric(text), 10L), trim = TRUE)
      replace(text, is.na(text) | text == "NA", "")
    }), sep = "\r"))
  }
  as.character(before$state)[match(key_of(columns), key_of(before))]
}
