record_of_drawdown <- function() {
  measure_record(
    50,
    title = "Maximum drawdown",
    asks = "How far did it fall from its high, and when was it back?",
    measure = measure_drawdown,
    columns = list(
      max_drawdown = column("max drawdown", "fraction"),
      peak = column("peak", "date"),
      trough = column("trough", "date"),
      recovery = column("recovery", "date", working = FALSE),
      average_drawdown = column("average", "fraction"),
      under_water = column("below high", "share"),
      pain = column("pain", "fraction"),
      ulcer = column("ulcer", "fraction"),
      drawdown_at_risk = column("at risk", "fraction"),
      return_over_drawdown = column("return / max", "two")
    ),
    shares = c("security", "from", "to", "n", "window"),
    tables = list(
      drawdown_series = table_record(
        "Drawdown",
        columns = list(
          drawdown = column("drawdown", "fraction"),
          drawdown_ahead = column("still ahead", "fraction")
        ),
        shares = c("security", "date"),
        shows = "now"
      ),
      drawdown_episodes = table_record(
        "Falls below a high",
        columns = list(
          days_down = column("days down", "count"),
          days_to_recover = column("days to recover", "count")
        ),
        shares = c("security", "rank", "drawdown", "peak", "trough", "recovery")
      )
    ),
    compares = compares(
      "max_drawdown", "fell deepest", "least", " below its high", " below its high",
      falling = TRUE
    ),
    command = command_record(
      "Measure", 70,
      says = "the deepest fall from a high, and when it was made good",
      options = c(
        choose, "every", "keep-unfinished", "window", "min-obs", "level", "episodes", "series",
        book, hand_on
      ),
      trade = list(
        trade(
          c("Maximum drawdown", "ulcer", "pain", "under water"),
          "falls below the running high, how long and how deep",
          "imbroglio drawdown FILE"
        )
      ),
      help = c(
        level = "level of the drawdown at risk (0.99)"
      ),
      example = c(
        "imbroglio drawdown bay.csv --security BAYALL --last \"8 years\" --figure fall.png",
        "imbroglio drawdown bay.csv --security BAYALL --episodes 5"
      ),
      ways = c(
        "",
        "--window 40",
        "--episodes 2",
        "--series",
        "BOOK"
      )
    ),
    parts = list(
      drawdown = part(
        "falls", 10, above = c("lead", "figure", "table"), keeps = "window", draws = "first"
      )
    ),
    follows = list(
      drawdown = followed(
        40, "Deepest fall", "fraction", "[measure_drawdown()]: the deepest fall",
        column_over_time("max_drawdown", measure_drawdown), depth = TRUE, looks = "back"
      ),
      fall = followed(
        140, "Below its high", "fraction", "how far below its high the price (the book) stands",
        by_date = fallen_by_date, depth = TRUE, looks = "back"
      )
    ),
    cases = quote(list(
      whole = measure_drawdown(x),
      of_returns = measure_drawdown(as_returns(x)),
      rolling = measure_drawdown(x, window = 3),
      series = drawdown_series(x),
      episodes = drawdown_episodes(x, worst = 1),
      by_hand = measure_drawdown(x, level = 0.912345678901, per_year = 250.5)
    ))
  )
}

#' Drawdown
#'
#' The deepest fall of wealth below its running high, \deqn{\min_t D_t, \quad D_t = W_t / \max_{s
#' \le t} W_s - 1,}{min over t of D_t = W_t / max(W_s, s <= t) - 1,} with the dates of the high
#' before it, of its low, and of the recovery. Wealth is the price; of returns, it is what one
#' unit put in before the first return becomes, that unit included: a loss on the first day
#' counts. Of profits that add ([as_returns()] with `given = "profits"`) it is their sum from 0,
#' and a drawdown \eqn{S_t - \max S_s}{S_t - max(S_s)} in their own units.
#'
#' `drawdown_series()` gives \eqn{D_t}{D_t} on each date, and the worst that still lay ahead of
#' it, \eqn{\min_{s \ge t} W_s / W_t - 1}{min(W_s, s >= t) / W_t - 1}; the least of either is the
#' maximum drawdown. `drawdown_episodes()` lists the falls, each from a high to the day it is
#' reached again.
#'
#' @param returns A price table, whose prices are taken as they are, or a returns table.
#' @param window The number of returns in a rolling window, or several such numbers: the deepest
#'   fall within it. `NULL`: the whole sample.
#' @param min_obs How many returns will do before the window is full. By default the whole window.
#' @param level Of `drawdown_at_risk`.
#' @param per_year Periods a year, for `return_over_drawdown`. By default that is by the calendar,
#'   see [measure_return()].
#' @return `measure_drawdown()`: a table, one row for each security: `security`, `from`, `to`, `n`
#'   (the prices or returns used), `max_drawdown` (a fraction, negative; 0 where the price never
#'   fell), `peak` (the last date at the high), `trough` (the first date at the low), `recovery`
#'   (the first date at or above the old high again; `NA` while still below it), and over all
#'   dates after the first: `average_drawdown` (mean depth of the episodes), `under_water` (share
#'   of dates below the high), `pain` (mean of \eqn{|D_t|}{|D_t|}), `ulcer` (its root mean
#'   square), `drawdown_at_risk` (its quantile, type 7, at the level) and `return_over_drawdown`
#'   (return a year over \eqn{|}{|}maximum drawdown\eqn{|}{|}). `peak` is `NA` too where it is the
#'   start of returns that were given without prices. Rolling: `security`, `window`, `from`, `to`,
#'   `n` (returns) and `max_drawdown`, a row for each return.
#' @eval columns_in_docs("drawdown")
#' @eval concepts_in_docs("measure_drawdown")
#' @family measures of returns
#' @examples
#' prices <- read_prices(demo_file("bay.csv"))
#' measure_drawdown(prices)
#' measure_drawdown(as_returns(prices, every = "month"))
#' drawdown_episodes(prices[, "BAYALL"], worst = 3)
#' drawdown_series(prices[, "BAYALL"])
#' @export
measure_drawdown <- function(returns, window = NULL, min_obs = NULL, level = 0.99,
                             per_year = NULL) {
  if (is_drawn(returns)) return(over_drawings())
  if (is_opened(returns)) return(over_blocks())
  level <- check_fraction(level, "level")
  wealth <- wealth_of(returns, if (is.null(window)) level)
  by_hand <- !is.null(per_year)
  exact <- list(level = level, per_year = per_year)
  per_year <- check_per_year(per_year, wealth)
  if (!is.null(window)) {
    return(rolling_drawdown_of(wealth, check_windows(window, min_obs, least = 1L)))
  }
  refuse_without_window(min_obs)
  falls <- wealth$falls
  growth <- wealth_growth(wealth, unname(per_year), by_hand)
  new_result(
    list(
      security = colnames(wealth$values),
      from = wealth$sample$from,
      to = wealth$sample$to,
      n = wealth$sample$n,
      max_drawdown = falls$depth,
      peak = wealth$date(falls$peak),
      trough = wealth$date(falls$trough),
      recovery = wealth$date(falls$recovery),
      average_drawdown = falls$average,
      under_water = falls$under_water,
      pain = falls$pain,
      ulcer = falls$ulcer,
      drawdown_at_risk = falls$at_risk,
      return_over_drawdown = ifelse(falls$depth < 0, growth / -falls$depth, NA_real_)
    ),
    "drawdown",
    wealth$basis(
      per_year = per_year,
      choices = c("at risk" = format(level)),
      exact = exact
    ),
    wealth$x
  )
}

#' @rdname measure_drawdown
#' @param as `"table"` or `"matrix"`: bare drawdowns, dates in rows.
#' @param form Of the bare matrix: `"below-high"` or `"still-ahead"`.
#' @return `drawdown_series()`: `security`, `date`, `drawdown` and `drawdown_ahead`.
#' @export
drawdown_series <- function(returns, as = c("table", "matrix"),
                            form = c("below-high", "still-ahead")) {
  if (is_opened(returns)) return(over_blocks())
  as <- one_of(as, "as", c("table", "matrix"))
  form <- one_of(form, "form", c("below-high", "still-ahead"))
  wealth <- wealth_of(returns)
  if (as == "matrix") {
    series <- core_drawdown_series(wealth$values, wealth$additive, form == "still-ahead")
    return(`dimnames<-`(series, list(core_iso_days(wealth$dates), colnames(wealth$values))))
  }
  cells <- which(!is.na(wealth$values))
  column <- (cells - 1L) %/% nrow(wealth$values) + 1L
  row <- (cells - 1L) %% nrow(wealth$values) + 1L
  new_result(
    list(
      security = colnames(wealth$values)[column],
      date = wealth$date(row, column),
      drawdown = core_drawdown_series(wealth$values, wealth$additive, FALSE)[cells],
      drawdown_ahead = core_drawdown_series(wealth$values, wealth$additive, TRUE)[cells]
    ),
    "drawdown_series",
    wealth$basis(),
    wealth$x
  )
}

#' @rdname measure_drawdown
#' @param worst How many of each security's episodes, the deepest first; `NULL`: all.
#' @param least Episodes less deep than this are left out: a fraction such as 0.05; of profits, in
#'   their units.
#' @return `drawdown_episodes()`: `security`, `rank` (1 the deepest), `drawdown`, `peak`,
#'   `trough`, `recovery`, `days_down` and `days_to_recover` (calendar days from peak to trough,
#'   from trough to recovery).
#' @export
drawdown_episodes <- function(returns, worst = NULL, least = 0) {
  if (is_opened(returns)) return(over_blocks())
  if (!is.null(worst)) worst <- check_whole(worst, "worst")
  if (!is.numeric(least) || length(least) != 1L || is.na(least) || least < 0) {
    fail(
      "argument",
      "`least` must be one depth, such as 0.05.",
      where = sprintf("It is %s.", shown(least))
    )
  }
  wealth <- wealth_of(returns)
  episodes <- core_drawdown_episodes(wealth$values, wealth$additive)
  # Of falls as deep, but for rounding, the earlier is first.
  in_order <- order(
    episodes$column,
    round(episodes$depth / max(-episodes$depth, 0), 10L),
    episodes$peak
  )
  episodes <- lapply(episodes, `[`, in_order)
  rank <- sequence(tabulate(episodes$column, ncol(wealth$values)))
  keep <- rank <= (worst %||% Inf) & -episodes$depth >= least
  episodes <- lapply(episodes, `[`, keep)
  peak <- wealth$date(episodes$peak, episodes$column)
  trough <- wealth$date(episodes$trough, episodes$column)
  recovery <- wealth$date(episodes$recovery, episodes$column)
  new_result(
    list(
      security = colnames(wealth$values)[episodes$column],
      rank = rank[keep],
      drawdown = episodes$depth,
      peak = peak,
      trough = trough,
      recovery = recovery,
      days_down = as.integer(trough - peak),
      days_to_recover = as.integer(recovery - trough)
    ),
    "drawdown_episodes",
    wealth$basis(),
    wealth$x
  )
}

# Prices or returns as wealth: its values, the date of each row, and the basis.
# With a `level` its falls too, which count what is there on their way.
wealth_of <- function(x, level = NULL) {
  if (inherits(x, "imbroglio_prices")) return(wealth_of_prices(x, level))
  x <- take_returns(x, profits = TRUE)
  additive <- x$kind == "profit"
  values <- core_wealth(x$values, x$kind)
  colnames(values) <- colnames(x$values)
  falls <- if (!is.null(level)) core_falls(values, "wealth", additive, level)
  # The first row is what was put in.
  n <- if (is.null(falls)) core_observed(x$values) else falls$n - 1L
  sample <- sample_of(x$dates, x$values, n)
  start <- min(x$start)
  list(
    x = x,
    values = values,
    additive = additive,
    dates = c(start, x$dates),
    frequency = x$frequency,
    start = x$start,
    sample = sample,
    falls = falls,
    # The first row is the capital put in, at each security's own first price.
    date = function(row, column = seq_along(row)) {
      on <- c(as.Date(NA), x$dates)[row]
      first <- which(row == 1L)
      on[first] <- x$start[column[first]]
      on
    },
    basis = function(...) returns_basis_later(x, sample, ...)
  )
}

wealth_of_prices <- function(x, level) {
  refuse_one_date(x)
  falls <- if (!is.null(level)) core_falls(x$close, "wealth", FALSE, level)
  sample <- sample_of(x$dates, x$close, falls$n %||% core_observed(x$close))
  frequency <- frequencies_of(x$dates, x$close, sample$n, x$others)
  list(
    x = x,
    values = x$close,
    additive = FALSE,
    dates = x$dates,
    frequency = frequency,
    start = sample$from,
    sample = sample,
    falls = falls,
    date = function(row, column = NULL) x$dates[row],
    basis = function(...) prices_basis_later(x, sample, frequency, ...)
  )
}

# The return a year; of profits, the profit a year.
wealth_growth <- function(wealth, per_year, by_hand) {
  sample <- wealth$sample
  priced <- nrow(wealth$values) == length(wealth$x$dates)
  # Of returns, the first row is the capital put in.
  periods <- sample$n - priced
  last <- if (priced) sample$last else ifelse(is.na(sample$last), 0L, sample$last) + 1L
  first <- if (priced) sample$first else rep(1L, length(last))
  end <- wealth$values[cbind(last, seq_along(last))]
  start <- wealth$values[cbind(first, seq_along(first))]
  years <- if (by_hand) {
    periods / per_year
  } else {
    years_of(wealth$start, wealth$sample$to, periods, per_year)
  }
  if (wealth$additive) {
    (end - start) / years
  } else {
    ifelse(periods > 0L, (end / start)^(1 / years) - 1, NA_real_)
  }
}

rolling_drawdown_of <- function(wealth, windows) {
  returns <- if (inherits(wealth$x, "imbroglio_returns")) wealth$x else as_returns(wealth$x)
  frame <- window_frame(returns)
  parts <- lapply(seq_along(windows$window), function(i) {
    deepest <- core_rolling_drawdown(
      wealth$values,
      windows$window[i],
      windows$least[i],
      wealth$additive
    )
    c(
      frame$columns(windows$window[i]),
      list(max_drawdown = frame$pick(deepest[-1L, , drop = FALSE]))
    )
  })
  warn_short(max(frame$n), min(windows$least))
  new_result(stacked(parts), "drawdown", wealth$basis(choices = windows$words), wealth$x)
}
