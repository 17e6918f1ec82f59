record_of_tracking <- function() {
  measure_record(
    40,
    title = "Tracking error",
    asks = "How far does it stray from the benchmark?",
    measure = measure_tracking,
    columns = list(
      active_return = column("active return", "small_points", detail = TRUE),
      active_return_annual = column("active a year", "points"),
      active_annual_error = column("error", "points", optional = TRUE),
      tracking_error = column("tracking error", "fraction"),
      tracking_error_annual = column("tracking error a year", "fraction"),
      tracking_annual_error = column("error", "points", optional = TRUE),
      information_ratio = column("information ratio", "two"),
      information_ratio_error = column("error", "two", optional = TRUE),
      ahead = column("ahead", "share"),
      active_return_total = column("active in total", "points"),
      information_ratio_total = column("total ratio", "two")
    ),
    shares = c("security", "benchmark", "from", "to", "n", "correlation", "window"),
    compares = compares(
      "tracking_error_annual", "strays furthest", "least", " tracking error a year",
      " a year from {benchmark}"
    ),
    command = command_record(
      "Measure", 50,
      says = "tracking error and information ratio against a benchmark",
      options = c(
        choose, "benchmark", "every", "keep-unfinished", "kind", "window", "min-obs", "per-year",
        "errors", "draws", "seed", "split", "by", book, hand_on
      ),
      trade = list(
        trade(
          c("Tracking error", "information ratio", "active return"),
          "how far a security strays from its benchmark",
          "imbroglio tracking FILE --benchmark NAME"
        )
      ),
      help = c(
        draws = "samples drawn for the error of the tracking error (500)",
        split = "split the tracking error of the book by holding",
        errors = "dependent or none (dependent)"
      ),
      example = c(
        "imbroglio tracking bay.csv --benchmark BAYALL --last \"1 year\"",
        paste0(
          "imbroglio tracking bay.csv --securities bay-securities.csv --weights ",
          "OSSELL=0.6,TARROW=0.4 --benchmark BAYALL --split --by group"
        )
      ),
      ways = c(
        "--benchmark INDEXX",
        "--benchmark INDEXX --window 40",
        "--benchmark INDEXX BOOK",
        "--benchmark INDEXX BOOK --split --window 40"
      )
    ),
    parts = list(
      tracking = part(
        "benchmark", 20, needs = c("returns", "benchmark"), above = "lead", keeps = "window"
      )
    ),
    follows = list(
      tracking_error = followed(
        120, "Tracking error, a year", "fraction", "[measure_tracking()], a year",
        column_over_time("tracking_error_annual", measure_tracking), beside = TRUE,
        both_ways = TRUE
      )
    ),
    cases = quote(list(
      whole = measure_tracking(x, b),
      rolling = measure_tracking(x, b, window = 3)
    ))
  )
}

#' Tracking error and information ratio
#'
#' How a security's returns differ from a benchmark's, \eqn{d_t = r_{i,t} - r_{b,t}}{d_t = r_i,t -
#' r_b,t}, over the same intervals: from one date on which both have a price to the next. The
#' tracking error is the standard deviation of \eqn{d}{d} (divisor n - 1), a year \eqn{\sqrt
#' m}{sqrt(m)} times that; the active return a year is \eqn{m}{m} times their mean; the
#' information ratio is the second over the first, both a year.
#'
#' Another ratio goes by the same word: total return less the benchmark's, over the tracking error
#' of a year. It is in `information_ratio_total`, and means what it seems to only of a sample of a
#' year: of any other there is a warning.
#'
#' @section Errors of the estimates: Those of the mean active return and of the information ratio
#'   are by what each return adds to them, and the long-run variance of that (prewhitened, Andrews
#'   and Monahan 1992); that of the tracking error as [measure_downside()] has its deviations':
#'   where volatility clusters, by samples drawn from GARCH; `NA`, with a note, where the sample
#'   does not tell.
#'
#' @inheritParams measure_beta
#' @param errors `"dependent"` or `"none"`; by default dependent ones for up to 50 securities, of
#'   more none, which is noted.
#' @param draws,seed How many samples are drawn for the error of the tracking error, and where
#'   chance begins.
#' @param window The number of shared intervals in a rolling window, or several such numbers.
#'   `NULL`: the whole sample.
#' @param min_obs How many will do before the window is full, at least 2. By default the whole
#'   window.
#' @param total Whether to give the two columns of the total period.
#' @param as `"table"`, or for one rolling window and benchmark `"matrix"`: the bare tracking
#'   errors, dates in rows.
#' @return A table, one row for each security that is no benchmark, and benchmark: `security`,
#'   `benchmark`, `from`, `to` (the dates of the first and last shared return), `n`,
#'   `active_return` (a period), `active_return_annual` and `active_annual_error`,
#'   `tracking_error`, `tracking_error_annual` and `tracking_annual_error`, `information_ratio` and
#'   `information_ratio_error`, `correlation`, `ahead` (the share of periods in
#'   which the security did better), and `active_return_total`, `information_ratio_total`.
#'   Rolling: a row for each shared return, with `window`, without the total.
#' @eval columns_in_docs("tracking")
#' @section Errors: Those of [measure_beta()]; a warning (`imbroglio_warning_not_a_year`) where
#'   the total period is not a year, to 1 period in 20.
#' @eval concepts_in_docs("measure_tracking")
#' @family measures beside others
#' @examples
#' prices <- read_prices(demo_file("bay.csv"))
#' measure_tracking(prices, benchmark = "BAYALL", total = FALSE)
#' measure_tracking(window(prices, last = "1 year"), benchmark = "BAYALL")
#' measure_tracking(prices[, c("BAYALL", "TARROW")], "BAYALL", window = 250)
#' @export
measure_tracking <- function(returns, benchmark, window = NULL, min_obs = NULL, per_year = NULL,
                             total = TRUE, as = c("table", "matrix"),
                             errors = NULL, draws = 500L, seed = 1L) {
  if (is_drawn(returns)) return(over_drawings())
  if (is_opened(returns)) return(over_blocks_unlike())
  apart <- over_unlike(returns, if (missing(benchmark)) NULL else benchmark)
  if (!is.null(apart)) return(apart)
  as <- one_of(as, "as", c("table", "matrix"))
  beside <- paired_with(take_returns(returns), if (missing(benchmark)) NULL else benchmark)
  returns <- beside$returns
  rows <- besides(returns, beside$names)
  errors <- list(
    by = check_drawn_errors(
      errors, c("dependent", "none"),
      in_whole_table(returns, length(rows)) * length(beside$names), !is.null(window)
    ),
    draws = check_draws(draws),
    seed = check_whole(seed, "seed", least = 0L)
  )
  if (!is.null(window)) {
    return(rolling_tracking_of(
      beside,
      rows,
      check_windows(window, min_obs, several = as == "table"),
      per_year,
      as
    ))
  }
  refuse_without_window(min_obs, as)
  erring <- lapply(stats::setNames(nm = beside$names), function(b) {
    tracking_errors(returns, rows, b, errors)
  })
  parts <- lapply(beside$names, function(b) {
    tracking_of(returns, rows, b, per_year, total, erring[[b]])
  })
  columns <- stacked(parts)
  if (total) warn_not_a_year(columns)
  found <- unlist(unname(erring), recursive = FALSE)
  note_no_errors(lapply(found, `[[`, "why"), "the tracking error")
  made <- pair_result(
    columns,
    "tracking",
    returns,
    rows,
    columns$per_year,
    c(
      benchmark = paste(beside$names, collapse = ", "),
      errors = errors$by,
      if (errors$by == "dependent") c(draws = count(errors$draws)),
      "active returns taken as" = words_of_chances(lapply(found, `[[`, "chance"))
    ),
    list(per_year = per_year, errors = errors$by),
    seed = if (errors$by == "dependent") errors$seed else NA_integer_
  )
  attr(made, "draws") <- lapply(erring, function(of) {
    lapply(of, function(one) if (length(one$drawn)) list(drawn = one$drawn))
  })
  made
}

# Of each security: the errors of its mean active return, of the ratio of that to the tracking
# error, and of the latter as a share of it.
tracking_errors <- function(returns, rows, benchmark, errors) {
  securities <- colnames(returns$values)[rows]
  lapply(stats::setNames(nm = securities), function(name) {
    none <- list(mean = NA_real_, ratio = NA_real_, share = NA_real_)
    if (errors$by == "none") return(none)
    both <- returns_together(returns, c(name, benchmark))$r
    active <- if (returns$kind == "log") {
      log1p(both[, 1L]) - log1p(both[, 2L])
    } else {
      both[, 1L] - both[, 2L]
    }
    n <- length(active)
    if (n < 3L || all(active == active[1L])) return(none)
    c(
      list(
        mean = core_dependent_error(active - mean(active)),
        ratio = core_dependent_error(added_to_ratio(active))
      ),
      level_error(active, errors$draws, errors$seed)
    )
  })
}

# What each active return adds to their mean over their deviation.
added_to_ratio <- function(active) {
  apart <- active - mean(active)
  s <- sqrt(mean(apart^2))
  apart / s - mean(active) / (2 * s^3) * (apart^2 - s^2)
}

tracking_of <- function(returns, rows, benchmark, per_year, total, erring) {
  shared <- shared_frequency(returns, rows, benchmark, per_year)
  per_year <- unname(shared$per_year)
  place <- match(benchmark, colnames(returns$values)) - 1L
  apart <- core_tracking(
    returns$values,
    starts_of(returns),
    place,
    rows,
    spans_gaps(returns),
    returns$kind == "log"
  )
  active <- apart$active * per_year
  error <- apart$error * sqrt(per_year)
  ratio <- function(over) ifelse(error > 0, over / error, NA_real_)
  of <- function(what) unname(vapply(erring, `[[`, 0, what))
  c(
    list(
      security = colnames(returns$values)[rows],
      benchmark = rep(benchmark, length(rows)),
      every = unname(shared$every),
      per_year = per_year,
      from = returns$dates[apart$first],
      to = returns$dates[apart$last],
      n = apart$n,
      active_return = apart$active,
      active_return_annual = active,
      active_annual_error = of("mean") * per_year,
      tracking_error = apart$error,
      tracking_error_annual = error,
      tracking_annual_error = of("share") * error,
      information_ratio = ratio(active),
      information_ratio_error = ifelse(error > 0, of("ratio") * sqrt(per_year), NA_real_),
      correlation = apart$correlation,
      ahead = apart$ahead
    ),
    if (total) {
      list(
        active_return_total = apart$growth - apart$growth_of_benchmark,
        information_ratio_total = ratio(apart$growth - apart$growth_of_benchmark)
      )
    }
  )
}

warn_not_a_year <- function(columns) {
  other <- which(abs(columns$n / columns$per_year - 1) > 0.05)
  if (!length(other)) return(invisible())
  years <- columns$n[other[1L]] / columns$per_year[other[1L]]
  caution(
    "not_a_year",
    sprintf(
      paste0(
        "The sample of %s is %s years long: its information_ratio_total sets a total ",
        "over that time against a tracking error of one year."
      ),
      columns$security[other[1L]],
      format(round(years, 2))
    ),
    remedy = paste0(
      "Read information_ratio, both parts of which are a year; `total = FALSE` leaves ",
      "the other out."
    )
  )
}

rolling_tracking_of <- function(beside, rows, windows, per_year, as) {
  returns <- beside$returns
  in_logs <- returns$kind == "log"
  starts <- starts_of(returns)
  track <- function(core, benchmark, window, least) {
    core(
      returns$values,
      starts,
      match(benchmark, colnames(returns$values)) - 1L,
      rows,
      spans_gaps(returns),
      in_logs,
      window,
      least
    )
  }
  if (as == "matrix") {
    if (length(beside$names) > 1L) fail("argument", "A bare matrix is of one benchmark.")
    error <- track(core_rolling_tracking_error, beside$names, windows$window, windows$least)
    return(named_by_date(error, returns, rows))
  }
  shared <- 0L
  parts <- list()
  for (b in beside$names) {
    shared_by <- shared_frequency(returns, rows, b, per_year)
    for (i in seq_along(windows$window)) {
      window <- windows$window[i]
      apart <- track(core_rolling_tracking, b, window, windows$least[i])
      line <- track(line_without_rate, b, window, windows$least[i])
      frame <- window_frame(returns, line$place, colnames(returns$values)[rows])
      shared <- max(shared, frame$n)
      columns <- pair_columns(frame, window, b, shared_by)
      m <- columns$per_year
      active <- frame$pick(apart$active)
      error <- frame$pick(apart$error)
      parts[[length(parts) + 1L]] <- c(
        columns,
        list(
          active_return = active,
          active_return_annual = active * m,
          tracking_error = error,
          tracking_error_annual = error * sqrt(m),
          information_ratio = ifelse(error > 0, active / error * sqrt(m), NA_real_),
          correlation = frame$pick(line$correlation),
          ahead = frame$pick(apart$ahead)
        )
      )
    }
  }
  warn_short(shared, min(windows$least))
  columns <- stacked(parts)
  words <- c(benchmark = paste(beside$names, collapse = ", "), windows$words)
  pair_result(
    columns, "tracking", returns, rows, columns$per_year, words, list(per_year = per_year)
  )
}

line_without_rate <- function(values, starts, benchmark, rows, ...) {
  core_rolling_line(values, starts, benchmark, rows, numeric(), 0L, ...)
}

# Growth of several securities from 1, on the dates that all have.
common_growth <- function(returns, securities) {
  columns <- match(securities, colnames(returns$values))
  common <- core_common(
    returns$values[, columns, drop = FALSE],
    starts_of(returns)[columns],
    spans_gaps(returns),
    returns$kind == "log"
  )
  # The growth before the first shared return is not on any row of its own.
  list(
    dates = returns$dates[common$row],
    wealth = core_wealth(common$values, returns$kind)[-1L, , drop = FALSE]
  )
}
