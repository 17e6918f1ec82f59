record_of_worst <- function() {
  measure_record(
    140,
    title = "The worst periods",
    asks = "Which days were worst, and why?",
    measure = worst_periods,
    columns = list(
      side = column("side", "text"),
      deviations = column("deviations", "one"),
      var_before = column("VaR before", "fraction"),
      return_value = column("in money, held today", "money")
    ),
    shares = c(
      "security", "rank", "from", "to", "total_return", "benchmark", "benchmark_return", "breach",
      "led_by", "led_part"
    ),
    tables = list(
      worst_split = table_record(
        "The worst periods, by holding",
        shares = c(
          "security", "side", "rank", "from", "to", "weight", "total_return", "component", "share"
        )
      )
    ),
    compares = NULL,
    command = command_record(
      "Compare, through time and with the past", 30,
      says = "the worst days, weeks or runs of days, and what they came from",
      options = c(
        choose, "every", "keep-unfinished", "kind", "worst", "best", "horizon", "overlapping",
        "benchmark", "level", "window", "split", "value", book, hand_on
      ),
      trade = list(
        trade(
          c("Worst days", "best days", "worst week"),
          "the worst and best periods, and what they came from",
          "imbroglio worst FILE"
        )
      ),
      help = c(
        window = "of the value at risk of the day before, how many returns (250)",
        horizon = "how many returns a period has (1), or a time",
        split = "what each holding of the book added to each period"
      ),
      example = c(
        "imbroglio worst bay.csv --security BAYALL --best 3 --figure worst.png",
        paste0(
          "imbroglio worst bay.csv bay-fund.csv --holdings bay-holdings.csv --benchmark BAYALL ",
          "--horizon 10"
        ),
        "imbroglio worst bay.csv bay-fund.csv --holdings bay-holdings.csv --worst 1 --split"
      ),
      ways = c(
        "--window 50 --level 0.95",
        "--horizon 5 --window 50 --level 0.95",
        "BOOK --split --worst 2"
      )
    ),
    parts = list(worst = part("falls", 20, "whole", above = "lead", drafts = " {worst: 5}")),
    cases = quote(list(
      whole = worst_periods(x, 2, 1, window = 60, benchmark = b),
      runs = worst_periods(as_returns(x, "log"), 1, 1, horizon = 4, window = 60),
      of_book = worst_periods(book, 2, window = 60, horizon = 3),
      parts = split_periods(worst_periods(book, 1, window = 60))
    ))
  )
}

#' The worst periods
#'
#' The worst (and the best) days, weeks or runs of days that were seen, each with its dates, how
#' far from the usual it was, what the benchmark did, whether the value at risk of the day before
#' was breached, and for a book what it would be in money and which holding it came from.
#'
#' A period is `horizon` returns, compounded: \eqn{\prod_{t} (1 + r_t) - 1}{prod(1 + r_t) - 1}; of
#' profits their sum. Log returns are summed, and told as the simple return that this was; only
#' `deviations` are of the sums themselves. Weeks and months are the returns of `as_returns(prices,
#' every = "week")`. Unless they may overlap, the worst is taken first, then the worst of those
#' that share no day with it, and so on.
#'
#' A book looks back as it was held then, see [as_portfolio()]; `held = "today"` asks what its
#' holdings of today would have done. `split_periods()` gives each holding's part of each period,
#' \eqn{\sum_t \frac{W_{t-1}}{W_0} w_{i,t-1} r_{i,t}}{sum over t of W_(t-1) / W_0 w_i,(t-1)
#' r_i,t}, with \eqn{W}{W} the value of the book and \eqn{w}{w} the weights at the close before;
#' the parts add up to what the book did.
#'
#' @param returns A returns table, a price table, whose simple returns are taken, or a book.
#' @param worst,best How many of the worst, and of the best, of each security.
#' @param horizon The length of a period, in returns, or a time such as `"2 weeks"`.
#' @param overlapping Whether periods may share days.
#' @param benchmark `NULL`, or one security of the table (or a table that holds one) whose return
#'   from the same close to the same close stands beside.
#' @param level,window Of the value at risk of the day before: the historical one of the `window`
#'   returns before the period, over several periods times the root of their number.
#' @return A table, for each security a row for each period, the worst first, then the best:
#'   `security`, `side` (`"worst"` or `"best"`), `rank`, `from`, `to` (the dates of its first and
#'   last return), `total_return`, `deviations` (how many standard deviations of all such periods
#'   it was from their mean), `benchmark` and `benchmark_return` (`NA`
#'   where the benchmark lacks a price on either day), `var_before` (a loss; `NA` before the
#'   window is full), `breach` (whether the loss was larger), and of a book `led_by` and
#'   `led_part` (the holding that moved it most that way, and its part, of the simple return) and,
#'   where it is known what the book is worth today, `return_value`.
#' @eval columns_in_docs("worst")
#' @section Errors: `imbroglio_error_argument` for numbers that cannot be, or several benchmarks;
#'   `imbroglio_error_too_short` where no security has as many returns as a period.
#' @eval concepts_in_docs("worst_periods")
#' @family measures of returns
#' @examples
#' prices <- read_prices(demo_file("bay.csv"))
#' worst_periods(prices[, "BAYALL"], worst = 3, best = 1)
#' weights <- c(OSSELL = 0.5, TARROW = 0.3, BAYBOND = 0.2)
#' book <- as_portfolio(prices, weights = weights, value = 1e6)
#' found <- worst_periods(book, worst = 3, horizon = 10, benchmark = "BAYALL")
#' in_words(found)
#' split_periods(found)
#' @export
worst_periods <- function(returns, worst = 5L, best = 0L, horizon = 1L, overlapping = FALSE,
                          benchmark = NULL, level = 0.99, window = 250L) {
  book <- if (inherits(returns, "imbroglio_book")) returns
  if (is_opened(returns)) return(over_blocks())
  returns <- take_returns(returns, profits = TRUE)
  worst <- check_whole(worst, "worst", least = 0L)
  best <- check_whole(best, "best", least = 0L)
  if (worst + best == 0L) fail("argument", "`worst` and `best` are both 0.")
  horizon <- check_horizon(horizon, returns$frequency)
  level <- check_fraction(level, "level")
  window <- check_whole(window, "window", least = 2L)
  warn_few_beyond(window, level)
  beside <- if (!is.null(benchmark)) one_beside(returns, benchmark)
  securities <- setdiff(colnames(returns$values), beside$name)
  if (!length(securities)) fail("argument", "There is no security but the benchmark.")
  own <- returns$values
  if (!is.null(beside)) own <- own[, securities, drop = FALSE]
  request <- list(worst = worst, best = best, h = horizon, overlapping = isTRUE(overlapping))
  tail <- core_rolling_tail(returns$values, window, window, level, rank_code("nearest"), FALSE)
  before <- `colnames<-`(tail$var, colnames(returns$values))
  rm(tail)
  parts <- lapply(securities, function(security) {
    periods_of_security(returns, security, before[, security], beside, request)
  })
  columns <- stacked(parts)
  if (!length(columns$security)) {
    fail(
      "too_short",
      sprintf("No security has as many as %s.", count(horizon, "return")),
      remedy = "Ask for a shorter period."
    )
  }
  if (!is.null(book) && is_neutral(book)) book <- NULL
  parts <- if (!is.null(book)) parts_of_book(book)
  if (!is.null(book)) columns <- c(columns, led_by(columns, parts, book$name))
  if (!is.null(returns$money)) {
    columns$return_value <- columns$total_return * unname(returns$money[columns$security])
  }
  columns$base <- NULL
  made <- new_result(
    columns,
    "worst",
    returns_basis_later(
      returns,
      sample_of(returns$dates, own),
      securities = securities,
      choices = worst_choices(request, level, window, beside$name),
      exact = list(horizon = horizon, window = window, level = level)
    ),
    if (is.null(beside)) returns else beside$returns
  )
  attr(made, "parts") <- parts
  made
}

worst_choices <- function(request, level, window, benchmark) {
  several <- request$h > 1L
  how <- if (request$overlapping) "which may overlap" else "apart from each other"
  c(
    periods = if (several) {
      sprintf("of %s, %s", count(request$h, "return"), how)
    } else {
      "of one return"
    },
    benchmark = benchmark,
    "value at risk before" = sprintf(
      "historical, %s, of %s before%s",
      unit_words(level),
      count(window, "return"),
      if (several) sprintf(", times the root of %s", request$h) else ""
    )
  )
}

unit_words <- function(level) paste(format(100 * level, digits = 6L), "%")

# One benchmark, and the returns with it among them.
one_beside <- function(returns, benchmark) {
  beside <- paired_with(returns, benchmark)
  check_one_benchmark(beside$names)
  list(returns = beside$returns, name = beside$names)
}

check_one_benchmark <- function(benchmark) {
  if (is.character(benchmark) && length(benchmark) != 1L) {
    fail(
      "argument",
      "`benchmark` must be one security here.",
      where = sprintf("It is %s.", some(benchmark))
    )
  }
}

periods_of_security <- function(returns, security, var_line, beside, request) {
  there <- which(!is.na(returns$values[, security]))
  x <- unname(returns$values[there, security])
  h <- request$h
  over <- if (h > 1L && length(x)) {
    core_overlapping_returns(matrix(x), h, returns$kind != "simple")[, 1L]
  } else {
    x
  }
  low <- chosen_apart(over, request$worst, request)
  high <- chosen_apart(-over, request$best, request)
  at <- c(low, high)
  dates <- returns$dates[there]
  first <- at - h + 1L
  known <- core_moments(matrix(over[!is.na(over)]), FALSE, FALSE)
  start <- returns$start[match(security, colnames(returns$values))]
  base <- c(start, dates)[first]
  line <- var_line[there][first] * sqrt(h)
  if (returns$kind == "log") line <- -expm1(-line)
  k <- length(at)
  columns <- list(
    security = rep(security, k),
    side = rep(c("worst", "best"), c(length(low), length(high))),
    rank = c(seq_along(low), seq_along(high)),
    from = dates[first],
    to = dates[at],
    base = base,
    total_return = as_simple(over[at], returns$kind),
    deviations = if (isTRUE(known$deviation > 0)) {
      (over[at] - known$mean) / known$deviation
    } else {
      rep(NA_real_, k)
    }
  )
  columns$var_before <- line
  columns$breach <- -columns$total_return > line
  if (!is.null(beside)) {
    columns$benchmark <- rep(beside$name, k)
    columns$benchmark_return <- between_closes(beside, base, dates[at], dates[first])
  }
  columns
}

# The rows of the least values; unless they may overlap, none within h rows of a lesser one.
chosen_apart <- function(x, most, request) {
  in_order <- order(x, na.last = NA)
  if (request$overlapping || request$h == 1L) return(utils::head(in_order, most))
  taken <- integer()
  for (i in in_order) {
    if (length(taken) == most) break
    if (all(abs(taken - i) >= request$h)) taken <- c(taken, i)
  }
  taken
}

# What the benchmark did from the close of one date to that of another; of returns that were given
# without prices, over the same rows.
between_closes <- function(beside, base, to, from) {
  returns <- beside$returns
  if (is.null(returns$prices)) {
    x <- returns$values[, beside$name]
    return(vapply(seq_along(to), function(i) {
      r <- x[returns$dates >= from[i] & returns$dates <= to[i]]
      if (returns$kind == "simple") prod(1 + r) - 1 else as_simple(sum(r), returns$kind)
    }, 0))
  }
  close_of <- function(on) {
    returns$prices$close[match(as.numeric(on), as.numeric(returns$prices$dates)), beside$name]
  }
  was <- unname(close_of(base))
  is <- unname(close_of(to))
  (is - was) / was
}

# Of the periods of the book, the holding that moved it most that way.
led_by <- function(columns, parts, name) {
  led <- list(
    led_by = rep(NA_character_, length(columns$to)),
    led_part = rep(NA_real_, length(columns$to))
  )
  for (i in which(columns$security == name)) {
    part <- parts_between(parts, base_of(columns, parts, i), columns$to[i])$part
    most <- if (columns$side[i] == "worst") which.min(part) else which.max(part)
    led$led_by[i] <- parts$security[most]
    led$led_part[i] <- part[[most]]
  }
  led
}

# Of returns that were given, the close before the first is on no date that is known.
base_of <- function(columns, parts, i) {
  if (is.na(columns$base[i])) parts$dates[1L] - 1 else columns$base[i]
}

#' @rdname worst_periods
#' @param result A result of `worst_periods()` of a book.
#' @return `split_periods()`: a row for each period and holding, the one that lost most first (of
#'   a best period, gained most), the book last: `security`, `side`, `rank`, `from`, `to`,
#'   `weight` (at the close before the period), `total_return` (its own), `component` (its part
#'   of the simple return of the book) and `share` of it. What is left of a sum is of cash, which
#'   has a row where it is more than rounding.
#' @export
split_periods <- function(result) {
  parts <- attr(result, "parts")
  if (!inherits(result, "imbroglio_worst") || is.null(parts)) {
    fail("argument", "This is asked of the worst periods of a book.")
  }
  name <- basis(result)$book$name
  table <- as.data.frame(result)
  table <- table[table$security == name, ]
  source <- attr(result, "source")
  own <- which(!is.na(source$values[, name]))
  bases <- c(source$start[match(name, colnames(source$values))], source$dates[own])
  table$base <- bases[match(as.numeric(table$from), as.numeric(source$dates[own]))]
  columns <- stacked(lapply(seq_len(nrow(table)), function(i) {
    split_period(table[i, ], parts_between(parts, base_of(table, parts, i), table$to[i]), parts)
  }))
  new_result(columns, "worst_split", basis(result), source)
}

split_period <- function(period, of, parts) {
  name <- c(parts$security, if (abs(of$whole - sum(of$part)) > 1e-12) "cash")
  part <- c(of$part, of$whole - sum(of$part))[seq_along(name)]
  weight <- c(of$weight, 1 - sum(of$weight))[seq_along(name)]
  own <- c(of$own, part[length(part)] / weight[length(part)])[seq_along(name)]
  in_order <- order(if (period$side == "worst") part else -part)
  k <- length(name) + 1L
  list(
    security = c(name[in_order], period$security),
    side = rep(period$side, k),
    rank = rep(period$rank, k),
    from = rep(period$from, k),
    to = rep(period$to, k),
    weight = c(unname(weight)[in_order], 1),
    total_return = c(unname(own)[in_order], of$whole),
    component = c(unname(part)[in_order], of$whole),
    share = c(unname(part)[in_order] / of$whole, 1)
  )
}
