record_of_return <- function() {
  measure_record(
    10,
    title = "Return",
    asks = "What was earned, and how was it spread?",
    measure = measure_return,
    columns = list(
      total_return = column("total", "fraction"),
      return_annual = column("return a year", "fraction"),
      mean = column("mean", "small"),
      mean_error = column("its error", "small_points", detail = TRUE),
      skewness = column("skewness", "two"),
      skewness_error = column("its error", "two", detail = TRUE),
      kurtosis = column("excess kurtosis", "two"),
      kurtosis_error = column("its error", "two", detail = TRUE),
      best = column("best", "fraction"),
      best_date = column("on", "date", detail = TRUE),
      worst = column("worst", "fraction"),
      worst_date = column("on", "date", detail = TRUE),
      rising = column("rising", "share"),
      sharpe = column("Sharpe", "ratio", detail = TRUE),
      sharpe_error = column("its error", "ratio", detail = TRUE),
      sharpe_annual = column("Sharpe a year", "two"),
      sharpe_annual_error = column("its error", "two")
    ),
    shares = c("security", "from", "to", "n", "volatility", "window"),
    tables = list(
      return_list = table_record(
        NULL,
        columns = list(
          return = column("return", "fraction")
        ),
        shares = c("security", "date")
      )
    ),
    compares = compares(
      "return_annual", "returned most", "least", " a year", " a year",
      losing = c("lost least", "most"), of_profits = "earned most"
    ),
    command = command_record(
      "Measure", 20,
      name = "returns",
      says = "returns from prices; measured: total, a year, mean, spread, best and worst",
      options = c(
        choose, "every", "keep-unfinished", "kind", "measured", "window", "min-obs", "per-year",
        "risk-free", "split", "over", "by", "held-by-date", book, hand_on
      ),
      trade = list(
        trade(
          "Sharpe ratio",
          "the return above the risk-free one over its deviation",
          "imbroglio returns FILE --measured --risk-free 0.02"
        ),
        trade(
          c("Skewness", "kurtosis"),
          "the shape of the returns",
          "imbroglio returns FILE --measured"
        )
      ),
      help = c(
        out = "write to a file: .csv, .json, .xlsx, .parquet, or text",
        split = "what each holding of the book added to its return and to its money",
        by = "security, group or currency (security)"
      ),
      example = c(
        "imbroglio returns bay.csv --security BAYALL --every month --out monthly.csv",
        paste0(
          "imbroglio returns bay.csv bay-fund.csv --holdings bay-holdings.csv --split --over ",
          "\"day,month,year to date\" --figure added.png"
        )
      ),
      ways = c(
        "",
        "--measured",
        "--window 40",
        "BOOK",
        "BOOK --split"
      )
    ),
    parts = list(return = part("returns", 20, above = c("lead", "table"), keeps = "window")),
    follows = list(
      return = followed(
        60, "Return, a year", "fraction", "[measure_return()], a year",
        column_over_time("return_annual", measure_return), wrong = "below", looks = "back"
      ),
      sharpe = followed(
        70, "Sharpe ratio, a year", "two", "[measure_return()], a year",
        column_over_time("sharpe_annual", measure_return), wrong = "below", looks = "back"
      ),
      skewness = followed(
        90, "Skewness", "two", "\\eqn{m_3 / m_2^{3/2}}{m3 / m2^1.5}",
        figure_over_time("skewness"), wrong = "below", looks = "back"
      ),
      loss = followed(
        150, "Loss", "fraction", "the loss of the last day, or of `period`", by_date = lost_over,
        looks = "back", in_money = TRUE, both_ways = TRUE
      )
    ),
    cases = quote(list(
      whole = measure_return(x, risk_free = 0.02),
      over_series = measure_return(x, risk_free = b),
      of_logs = measure_return(as_returns(x, "log")),
      rolling = measure_return(x, window = 3),
      by_hand = measure_return(x, risk_free = 0.0123456789012, per_year = 250.5),
      of_book = measure_return(book)
    ))
  )
}

#' Return
#'
#' What was earned, and how it was spread: total return \eqn{\prod (1 + r) - 1}{prod(1 + r) - 1},
#' a year \eqn{(1 + total)^{1 / y} - 1}{(1 + total)^(1 / y) - 1}, with the years \eqn{y} by the
#' calendar from the price before the first return to the last (whole years to the same day of the
#' year, and the share of the one that is left), or \eqn{n / m} where `per_year` is given, and of
#' returns that came without prices; mean and standard deviation a period; skewness \eqn{m_3 /
#' m_2^{3/2}}{m3 / m2^1.5} and excess kurtosis \eqn{m_4 / m_2^2 - 3}{m4 / m2^2 - 3} (moments with
#' divisor n); the best and the worst period; the share of periods that rose; and the Sharpe
#' ratio, mean return above the risk-free one over its standard deviation.
#'
#' Standard errors: of the mean \eqn{s / \sqrt n}{s / sqrt(n)}; of skewness \eqn{\sqrt{6 (n - 2) /
#' ((n + 1)(n + 3))}}{sqrt(6 (n - 2) / ((n + 1)(n + 3)))} and of kurtosis \eqn{\sqrt{24 n (n -
#' 2)(n - 3) / ((n + 1)^2 (n + 3)(n + 5))}}{sqrt(24 n (n - 2)(n - 3) / ((n + 1)^2 (n + 3)(n +
#' 5)))}, which are what normal returns would give; of the Sharpe ratio \eqn{S}{S} a period
#' \eqn{\sqrt{(1 + S^2 / 2) / n}}{sqrt((1 + S^2 / 2) / n)} (Lo). A year both go with \eqn{\sqrt
#' m}{sqrt(m)}.
#'
#' @param returns A returns table, or a price table, whose simple returns are taken.
#' @param window The number of returns in a rolling window, or several such numbers. `NULL`: the
#'   whole sample.
#' @param min_obs How many returns will do before the window is full. By default the whole window.
#' @param per_year Periods a year, of all securities; by default each its own, see
#'   [measure_volatility()].
#' @param risk_free The risk-free return: a number, the return of a year (0.02); or a series: the
#'   name of a security of the table, or a table of prices or returns that holds one. A number
#'   \eqn{f} is \eqn{(1 + f)^{1/m} - 1}{(1 + f)^(1/m) - 1} a period, or \eqn{\ln(1 + f) / m}{log(1
#'   + f) / m} of log returns.
#' @return A table, one row for each security: `security`, `from`, `to`, `n`, `total_return`,
#'   `return_annual`, `mean`, `mean_error`, `volatility` (all a period), `skewness`,
#'   `skewness_error`, `kurtosis`, `kurtosis_error`, `best`, `best_date`, `worst`, `worst_date`,
#'   `rising`, `sharpe` and `sharpe_error` (a period), `sharpe_annual`, `sharpe_annual_error`.
#'   Total and yearly returns are simple ones, of log returns too. Rolling: a row for each
#'   security, window and return, without skewness, kurtosis, best, worst, rising and errors.
#' @eval columns_in_docs("return")
#' @section Errors: `imbroglio_error_argument` for a window, `per_year` or risk-free return that
#'   cannot be; a warning (`imbroglio_warning_short_sample`) where less than a quarter of a year
#'   is multiplied out to a year.
#' @references Lo (2002), The statistics of Sharpe ratios, Financial Analysts Journal 58.
#' @eval concepts_in_docs("measure_return")
#' @family measures of returns
#' @examples
#' returns <- as_returns(read_prices(demo_file("bay.csv")))
#' measure_return(returns)
#' measure_return(returns[, "TARROW"], window = 250, risk_free = 0.02)
#' @export
measure_return <- function(returns, window = NULL, min_obs = NULL, per_year = NULL,
                           risk_free = NULL) {
  if (is_drawn(returns)) return(over_drawings())
  if (is_opened(returns)) return(over_blocks())
  returns <- take_returns(returns, profits = TRUE)
  adds <- returns$kind == "profit"
  if (adds && !is.null(risk_free)) {
    fail("argument", "`risk_free` is of returns; these are profits.", remedy = "Leave it out.")
  }
  by_hand <- !is.null(per_year)
  exact <- list(risk_free = yearly_rate(risk_free), per_year = per_year)
  per_year <- check_per_year(per_year, returns)
  with_free <- paired_risk_free(returns, risk_free)
  choices <- c(if (!is.null(with_free$name)) c("risk-free" = with_free$name))
  if (!is.null(window)) {
    return(rolling_return(
      returns,
      check_windows(window, min_obs),
      per_year,
      by_hand,
      with_free,
      choices,
      exact
    ))
  }
  refuse_without_window(min_obs)
  columns <- return_columns(returns, with_free, per_year, by_hand)
  new_result(
    columns,
    "return",
    returns_basis_later(
      returns,
      sample_of(returns$dates, returns$values, columns$n),
      per_year = per_year,
      choices = choices,
      exact = exact
    ),
    returns
  )
}

return_columns <- function(returns, with_free, per_year, by_hand) {
  adds <- returns$kind == "profit"
  moments <- core_moments(returns$values, TRUE, returns$kind == "log")
  sample <- sample_of(returns$dates, returns$values, moments$n)
  if (adds) {
    moments$growth <- ifelse(moments$n > 0L, colSums(returns$values, na.rm = TRUE), NA_real_)
  }
  n <- moments$n
  excess <- excess_of(returns, with_free, moments, per_year)
  sharpe <- ifelse(excess$deviation > 0, excess$mean / excess$deviation, NA_real_)
  sharpe_error <- sqrt((1 + sharpe^2 / 2) / excess$n)
  there <- ifelse(n > 0L, 1, NA_real_)
  years <- if (by_hand) {
    n / unname(per_year)
  } else {
    years_of(returns$start, sample$to, n, unname(per_year))
  }
  warn_short_sample(colnames(returns$values), n, years, adds)
  a_root_year <- sqrt(unname(per_year))
  cells <- function(row) returns$values[cbind(row, seq_along(row))]
  list(
    security = colnames(returns$values),
    from = sample$from,
    to = sample$to,
    n = n,
    total_return = moments$growth,
    return_annual = a_year(moments$growth, years, adds),
    mean = moments$mean,
    mean_error = moments$deviation / sqrt(n),
    volatility = moments$deviation,
    skewness = moments$skewness,
    skewness_error = skewness_error(n),
    kurtosis = moments$kurtosis,
    kurtosis_error = kurtosis_error(n),
    best = cells(moments$best),
    best_date = returns$dates[moments$best],
    worst = cells(moments$worst),
    worst_date = returns$dates[moments$worst],
    rising = there * moments$rising / n,
    sharpe = sharpe,
    sharpe_error = sharpe_error,
    sharpe_annual = sharpe * a_root_year,
    sharpe_annual_error = sharpe_error * a_root_year
  )
}

a_year <- function(growth, years, adds) {
  if (adds) growth / years else expm1(log1p(growth) * (1 / years))
}

# The years of returns: by the calendar from the price before the first to the last; of returns
# that were given without prices by their number.
years_of <- function(from, to, n, per_year) {
  years <- n / per_year
  known <- which(!is.na(from) & !is.na(to) & n > 0L)
  years[known] <- years_between(from[known], to[known])
  years
}

warn_short_sample <- function(securities, n, years, adds) {
  short <- which(n > 0L & years < 0.25)
  if (!length(short)) return(invisible())
  i <- short[1L]
  caution(
    "short_sample",
    sprintf(
      "%s has %s over %s: what it earned is multiplied out to a year all the same.",
      securities[i],
      count(n[i], if (adds) "profit" else "return"),
      count(round(years[i] * days_a_year), "day")
    ),
    remedy = paste0(
      "Read its total instead.",
      if (length(short) > 1L) {
        sprintf(
          " So it is with %s.",
          count(length(short) - 1L, "more security", "more securities")
        )
      }
    )
  )
}

skewness_error <- function(n) {
  suppressWarnings(ifelse(n > 2, sqrt(6 * (n - 2) / ((n + 1) * (n + 3))), NA_real_))
}

kurtosis_error <- function(n) {
  n <- as.numeric(n)
  suppressWarnings(ifelse(
    n > 3,
    sqrt(24 * n * (n - 2) * (n - 3) / ((n + 1)^2 * (n + 3) * (n + 5))),
    NA_real_
  ))
}

# Mean, deviation and number of the returns above the risk-free ones; of a series over
# the intervals that both have.
excess_of <- function(returns, with_free, excess, per_year) {
  if (!with_free$series) {
    return(list(
      mean = excess$mean - with_free$rate_of(per_year),
      deviation = excess$deviation,
      n = excess$n
    ))
  }
  both <- with_free$returns
  rows <- match(colnames(returns$values), colnames(both$values))
  beside <- core_tracking(
    both$values,
    starts_of(both),
    match(with_free$name, colnames(both$values)) - 1L,
    rows,
    spans_gaps(both),
    both$kind == "log"
  )
  list(mean = beside$active, deviation = beside$error, n = beside$n)
}

rolling_return <- function(returns, windows, per_year, by_hand, with_free, choices, exact) {
  in_logs <- returns$kind == "log"
  adds <- returns$kind == "profit"
  frame <- window_frame(returns)
  wealth <- core_wealth(returns$values, returns$kind)[-1L, , drop = FALSE]
  parts <- lapply(seq_along(windows$window), function(i) {
    window <- windows$window[i]
    least <- windows$least[i]
    columns <- frame$columns(window)
    growth <- core_overlapping_returns(returns$values, window, in_logs || adds)
    growth <- frame$pick(if (in_logs) expm1(growth) else growth)
    early <- columns$n < window & columns$n >= least
    growth[early] <- frame$pick(wealth)[early] - if (adds) 0 else 1
    centre <- frame$pick(core_rolling_mean(returns$values, window, least))
    deviation <- frame$pick(core_rolling_deviation(returns$values, window, least))
    excess <- if (with_free$series) {
      rolling_excess(returns, with_free, frame, window, least)
    } else {
      rate <- with_free$rate_of(frame$each(per_year))
      list(mean = centre - rate, deviation = deviation)
    }
    sharpe <- ifelse(excess$deviation > 0, excess$mean / excess$deviation, NA_real_)
    m <- frame$each(per_year)
    years <- if (by_hand) {
      columns$n / m
    } else {
      years_of(frame$price_before(window), columns$to, columns$n, m)
    }
    c(
      columns,
      list(
        total_return = growth,
        return_annual = a_year(growth, years, adds),
        mean = centre,
        volatility = deviation,
        sharpe = sharpe,
        sharpe_annual = sharpe * sqrt(m)
      )
    )
  })
  warn_short(max(core_observed(returns$values)), min(windows$least))
  sample <- sample_of(returns$dates, returns$values)
  new_result(
    stacked(parts),
    "return",
    returns_basis_later(
      returns,
      sample,
      per_year = per_year,
      choices = c(windows$words, choices),
      exact = exact
    ),
    returns
  )
}

# Above a risk-free series, which may have dates of its own.
rolling_excess <- function(returns, with_free, frame, window, least) {
  both <- with_free$returns
  beside <- core_rolling_tracking(
    both$values,
    starts_of(both),
    match(with_free$name, colnames(both$values)) - 1L,
    match(colnames(returns$values), colnames(both$values)),
    spans_gaps(both),
    returns$kind == "log",
    window,
    least
  )
  own <- function(m) frame$pick(m[match(returns$dates, both$dates), , drop = FALSE])
  list(mean = own(beside$active), deviation = own(beside$error))
}
