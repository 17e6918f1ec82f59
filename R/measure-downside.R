record_of_downside <- function() {
  measure_record(
    60,
    title = "Only the falls",
    asks = "How far does it fall below its mean, and below a target?",
    measure = measure_downside,
    columns = list(
      semi_deviation = column("semi-deviation", "fraction", detail = TRUE),
      semi_deviation_annual = column("semi-deviation a year", "fraction"),
      semi_annual_error = column("error", "points"),
      downside_deviation = column("downside deviation", "fraction", detail = TRUE),
      downside_deviation_annual = column("below target a year", "fraction"),
      downside_annual_error = column("error", "points"),
      partial_moment = column("partial moment", "significant"),
      partial_error = column("error", "significant", detail = TRUE),
      average_gain = column("mean gain", "fraction"),
      average_loss = column("mean loss", "fraction"),
      longest_rise = column("rises in a row", "count"),
      longest_fall = column("falls in a row", "count"),
      fall_from = column("from", "date", detail = TRUE),
      fall_to = column("to", "date", detail = TRUE)
    ),
    shares = c("security", "from", "to", "n", "window"),
    compares = compares(
      "semi_deviation_annual", "falls furthest", "least", " a year below its mean",
      " a year below its mean"
    ),
    command = command_record(
      "Measure", 80,
      says = "only the falls: below the mean, below a target, gains and losses, runs",
      options = c(
        choose, "every", "keep-unfinished", "kind", "target", "order", "window", "min-obs",
        "per-year", "errors", "draws", "block", "seed", book, hand_on
      ),
      trade = list(
        trade(
          c("Semi-deviation", "downside deviation", "lower partial moment", "semivariance"),
          "how far returns lie below their mean, and below a target",
          "imbroglio downside FILE"
        )
      ),
      help = c(
        draws = "samples drawn for the errors (500)",
        errors = "dependent, delta, bootstrap or none (dependent)"
      ),
      example = "imbroglio downside bay.csv --target 3% --figure falls.png",
      tries = c(errors = "none"),
      ways = c(
        "--errors bootstrap --draws 50",
        "--window 40",
        "BOOK"
      )
    ),
    parts = list(downside = part("returns", 50, keeps = "window")),
    follows = list(
      semi_deviation = followed(
        50, "Semi-deviation, a year", "fraction", "[measure_downside()], a year",
        column_over_time("semi_deviation_annual", measure_downside)
      )
    ),
    cases = quote(list(
      whole = measure_downside(x, target = 0.03, order = 2),
      of_logs = measure_downside(
        as_returns(x, "log"), errors = "bootstrap", draws = 20, per_year = 250
      ),
      rolling = measure_downside(x, window = 3),
      delta = measure_downside(x, errors = "delta")
    ))
  )
}

#' Only the falls
#'
#' How far returns lie below their mean, and below a target; how large gains and losses are, and
#' how long their runs.
#'
#' * The semi-deviation is \eqn{\sqrt{\frac1n \sum \min(r_t - \bar r, 0)^2}}{sqrt(mean(min(r -
#'   mean(r), 0)^2))}, the downside deviation below a target \eqn{g}{g} \eqn{\sqrt{\frac1n \sum
#'   \min(r_t - g, 0)^2}}{sqrt(mean(min(r - g, 0)^2))}: of **all** \eqn{n}{n} returns, not only
#'   those below. A year both go with \eqn{\sqrt m}{sqrt(m)}.
#' * The lower partial moment of order \eqn{p}{p} is \eqn{\frac1n \sum \max(g - r_t,
#'   0)^p}{mean(max(g - r, 0)^p)}: of order 1 the mean of what is lacking, of
#'   order 0 how often something is.
#'
#' @section Errors of the estimates: Returns lean on those before them, and volatility clusters: as
#'   if they were independent errors are a quarter of what the deviations of daily returns stray
#'   by. By default (`errors = "dependent"`)
#'   GARCH with innovations of Student's t is fitted, as [compare_measures()] has it, and the error
#'   is the estimate times the standard deviation of its logarithm over `draws` samples that are
#'   drawn from it; where volatility clusters, each from a persistence as likely as the sample has
#'   it. The basis says what the returns were taken as.
#'
#'   Of 100 intervals of 1.96 errors to either side, by `bench/chance-study.md` of the sources, 89
#'   to 100 hold the true deviation where returns do not cluster (250 to 2,500 normal returns, of
#'   t(4), leaning by 0.2), 89 to 93 of 2,500 where they do. Where they do and there are fewer than
#'   2,000, or the memory of volatility is longer than a tenth of the sample, there is no error,
#'   and a note. Of 250 returns that cluster the fit takes 18 of 100 samples as if they did not.
#'
#'   Otherwise by the delta method (`"delta"`): the root of the mean square of what each return
#'   adds to the estimate, over \eqn{\sqrt n}{sqrt(n)}, of returns that are taken as independent;
#'   or the standard deviation of what samples drawn in blocks of random length give
#'   (`"bootstrap"`), which keeps what of one return there is in the next, but hardly what of its
#'   volatility.
#'
#' @param returns A returns table, a price table, whose simple returns are taken, or a book (as
#'   held then).
#' @param target What is wanted, a year: a return (0.02), \eqn{(1 + g)^{1/m} - 1}{(1 + g)^(1/m) -
#'   1} a period, or \eqn{\ln(1 + g) / m}{log(1 + g) / m} of log returns; of profits an amount.
#' @param order Of the lower partial moment, 0 or more.
#' @param window,min_obs The number of returns in a rolling window, or several such numbers, and
#'   how many will do before it is full (at least 2; all).
#' @param per_year Periods a year; by default each security's own, see [measure_volatility()].
#' @param errors `"dependent"`, `"delta"`, `"bootstrap"` or `"none"`. By default dependent ones, of
#'   which each takes a tenth of a second for ten years of days, for up to 50 securities; of more
#'   none, which is noted.
#' @param draws,seed How many samples are drawn, and where chance begins.
#' @param block Of the bootstrap: the mean length of a block (by default the cube root of n).
#' @return A table, one row for each security: `security`, `from`, `to`, `n`, `semi_deviation` and
#'   `downside_deviation` (a period), `semi_deviation_annual`, `semi_annual_error`,
#'   `downside_deviation_annual`, `downside_annual_error`, `partial_moment` (a period, in returns
#'   to the power `order`), `partial_error`, `average_gain` and `average_loss` (the mean of the
#'   returns above 0, and of those below), `longest_rise` and `longest_fall` (how many in a row
#'   were above 0, below 0) and `fall_from`, `fall_to` (the dates of the latter). Rolling: a row
#'   for each security, window and return, with the two deviations and the partial moment.
#' @eval columns_in_docs("downside")
#' @section Errors: `imbroglio_error_argument` for numbers that cannot be.
#' @references Sortino and van der Meer (1991), Downside risk, Journal of Portfolio Management 17.
#'   Fishburn (1977), Mean-risk analysis with risk associated with below-target returns, American
#'   Economic Review 67. Politis and Romano (1994), The stationary bootstrap.
#' @eval concepts_in_docs("measure_downside")
#' @family measures of returns
#' @examples
#' prices <- read_prices(demo_file("bay.csv"))
#' measure_downside(prices, target = 0.03)
#' measure_downside(prices[, "TARROW"], window = 250)
#' @export
measure_downside <- function(returns, target = 0, order = 1, window = NULL, min_obs = NULL,
                             per_year = NULL, errors = NULL, draws = 500L, block = NULL,
                             seed = 1L) {
  if (is_drawn(returns)) return(over_drawings())
  if (is_opened(returns)) return(over_blocks())
  asked <- asked_of_falls(returns, target, order, 3L, per_year, errors, draws, block, seed,
                          !is.null(window))
  if (!is.null(window)) {
    return(rolling_falls(asked, "downside", check_windows(window, min_obs), function(f, m) {
      list(
        semi_deviation = f$semi_deviation,
        semi_deviation_annual = f$semi_deviation * sqrt(m),
        downside_deviation = f$downside_deviation,
        downside_deviation_annual = f$downside_deviation * sqrt(m),
        partial_moment = f$partial_moment
      )
    }, c("semi_deviation", "downside_deviation", "partial_moment")))
  }
  refuse_without_window(min_obs)
  figures <- figures_of(asked$returns, asked$target, asked$ask)
  part <- function(name, adds) {
    list(
      adds = adds, of_figures = function(of, j) of(name), by_ratio = TRUE,
      estimate = figures[[name]]
    )
  }
  found <- errors_of_falls(asked, list(
    semi = part("semi_deviation", influence_of_semi),
    downside = part("downside_deviation", influence_of_downside),
    partial = part("partial_moment", influence_of_partial)
  ))
  error <- found$error
  year <- sqrt(asked$per_year)
  sample <- sample_of(asked$returns$dates, asked$returns$values)
  structure(new_result(
    c(
      list(
        security = colnames(asked$returns$values),
        from = sample$from,
        to = sample$to,
        n = sample$n,
        semi_deviation = figures$semi_deviation,
        semi_deviation_annual = figures$semi_deviation * year,
        semi_annual_error = error$semi * year,
        downside_deviation = figures$downside_deviation,
        downside_deviation_annual = figures$downside_deviation * year,
        downside_annual_error = error$downside * year,
        partial_moment = figures$partial_moment,
        partial_error = error$partial
      ),
      sizes_and_runs(asked$returns)
    ),
    "downside",
    basis_of_falls(asked, sample),
    asked$returns
  ), draws = found$draws)
}

# What both measures are asked.
asked_of_falls <- function(returns, target, power, deepest, per_year, errors, draws, block, seed,
                           rolling) {
  returns <- take_returns(returns, profits = TRUE)
  if (!is.numeric(power) || length(power) != 1L || !is.finite(power) || power < 0) {
    fail(
      "argument",
      "`order` must be one number of 0 or more.",
      where = sprintf("It is %s.", shown(power))
    )
  }
  own <- check_per_year(per_year, returns)
  asked <- list(
    returns = returns,
    target = unname(target_a_period(target, unname(own), returns$kind)),
    yearly = target,
    order = power,
    per_year = unname(own),
    named_years = own,
    by_hand = per_year,
    errors = check_drawn_errors(
      errors, c("dependent", "delta", "bootstrap", "none"), in_whole_table(returns, length(own)),
      rolling
    ),
    draws = check_draws(draws),
    block = block,
    seed = check_whole(seed, "seed", least = 0L),
    ask = figures_ask(returns, power, deepest)
  )
  if (!rolling) asked$chances <- chances_of_falls(asked)
  asked
}

basis_of_falls <- function(asked, sample, more = NULL) {
  drawn <- isTRUE(asked$errors %in% c("dependent", "bootstrap"))
  returns_basis_later(
    asked$returns,
    sample,
    per_year = asked$named_years,
    choices = c(
      target = sprintf("%s a year", format(asked$yearly)),
      if (asked$order != 1) c(order = format(asked$order)),
      errors = asked$errors,
      if (drawn) c(draws = count(asked$draws)),
      "returns taken as" = if (!is.null(asked$errors)) switch(
        asked$errors, delta = "independent", dependent = words_of_chances(asked$chances)
      ),
      more
    ),
    seed = if (drawn) asked$seed else NA_integer_,
    exact = list(
      target = asked$yearly,
      order = asked$order,
      per_year = asked$by_hand,
      errors = asked$errors,
      deepest = asked$ask$deepest
    )
  )
}

# The mean gain and loss, and the longest runs of either.
sizes_and_runs <- function(returns) {
  found <- lapply(seq_len(ncol(returns$values)), function(j) {
    there <- which(!is.na(returns$values[, j]))
    x <- returns$values[there, j]
    runs <- rle(sign(x))
    ends <- cumsum(runs$lengths)
    longest <- function(side) max(0L, runs$lengths[runs$values == side])
    falls <- which(runs$values == -1 & runs$lengths == longest(-1))
    at <- if (length(falls)) ends[falls[1L]] else NA_integer_
    list(
      average_gain = if (any(x > 0)) mean(x[x > 0]) else NA_real_,
      average_loss = if (any(x < 0)) mean(x[x < 0]) else NA_real_,
      longest_rise = longest(1),
      longest_fall = longest(-1),
      fall_from = as.numeric(returns$dates[there[at - longest(-1) + 1L]]),
      fall_to = as.numeric(returns$dates[there[at]])
    )
  })
  columns <- columns_of_rows(found)
  for (name in c("longest_rise", "longest_fall")) columns[[name]] <- as.integer(columns[[name]])
  for (name in c("fall_from", "fall_to")) columns[[name]] <- .Date(columns[[name]])
  columns
}

# Each window of each security, by what `make` makes of its figures.
rolling_falls <- function(asked, measure, windows, make, wanted) {
  returns <- asked$returns
  frame <- window_frame(returns)
  grown <- grown_of(returns$values, returns$kind)
  parts <- lapply(seq_along(windows$window), function(i) {
    columns <- frame$columns(windows$window[i])
    found <- core_rolling_figures(
      returns$values, grown, asked$target, asked$ask, windows$window[i], windows$least[i],
      match(wanted, figure_names) - 1L
    )
    f <- lapply(stats::setNames(seq_along(wanted), wanted), function(w) {
      frame$pick(matrix(found[, w, ], nrow(returns$values)))
    })
    m <- frame$each(asked$per_year)
    f$target <- frame$each(asked$target)
    f$years <- if (is.null(asked$by_hand)) {
      years_of(frame$price_before(windows$window[i]), columns$to, columns$n, m)
    } else {
      columns$n / m
    }
    c(columns, make(f, m))
  })
  warn_short(max(core_observed(returns$values)), min(windows$least))
  asked$errors <- NULL
  about <- basis_of_falls(asked, sample_of(returns$dates, returns$values), windows$words)
  new_result(stacked(parts), measure, about, returns)
}
