record_of_volatility <- function() {
  measure_record(
    20,
    title = "Volatility",
    asks = "How much do returns differ from their mean?",
    measure = measure_volatility,
    columns = list(
      volatility = column("volatility", "fraction"),
      volatility_annual = column("volatility a year", "fraction"),
      volatility_error = column("error", "small_points"),
      volatility_low = column("low", "fraction"),
      volatility_high = column("high", "fraction")
    ),
    shares = c("security", "from", "to", "n", "method", "window", "state"),
    tables = list(
      volatility_series = table_record(
        "Volatility",
        shares = c("security", "from", "to", "n", "volatility", "volatility_annual", "method"),
        compared = TRUE,
        shows = "now"
      ),
      garch = table_record(
        "GARCH(1,1)",
        columns = list(
          long_run = column("long run", "fraction"),
          long_run_annual = column("long run a year", "fraction"),
          persistence = column("persistence", "ratio"),
          half_life = column("half-life", "number"),
          omega = column("omega", "scientific"),
          garch_alpha = column("alpha", "ratio"),
          garch_beta = column("beta", "ratio"),
          nu = column("nu", "number"),
          innovations = column("innovations", "text")
        ),
        shares = c(
          "security", "from", "to", "n", "volatility", "volatility_annual", "converged", "state",
          "log_likelihood", "mean", "aic", "bic"
        ),
        compared = TRUE
      ),
      garch_forecast = table_record(
        "Volatility ahead, by GARCH(1,1)",
        columns = list(
          volatility_over = column("over all", "fraction")
        ),
        shares = c("security", "innovations", "horizon", "volatility", "volatility_annual")
      )
    ),
    compares = compares(
      "volatility_annual", "moves most", "least", " a year", " a year"
    ),
    command = command_record(
      "Measure", 30,
      says = "volatility, of the whole sample or rolling, by many methods",
      options = c(
        choose, "every", "keep-unfinished", "kind", "window", "min-obs", "per-year", "method",
        "decay", "half-life", "errors", "draws", "seed", "confidence", "series", "parameters",
        "horizon", "by-window", "split", "by", book, hand_on
      ),
      trade = list(
        trade(
          c("Contribution to risk", "risk budget", "contribution to tracking error"),
          "what each holding adds to volatility, or tracking error",
          "imbroglio volatility FILE --holdings FILE --split; imbroglio tracking ... --split"
        ),
        trade(
          c("Standard deviation", "annualised volatility"),
          "how far returns stray from their mean",
          "imbroglio volatility FILE"
        )
      ),
      help = c(
        horizon = "forecast so many periods (or a time) ahead, by garch",
        draws = "samples of --errors dependent (500)",
        split = "split the volatility of the book by holding",
        parameters = "the fitted parameters of GARCH"
      ),
      example = c(
        paste0(
          "imbroglio volatility bay.csv bay-fund.csv --holdings bay-holdings.csv --split ",
          "--figure split.png"
        ),
        "imbroglio volatility bay.csv --security TARROW --window 20,60 --figure tarrow.png",
        "imbroglio volatility bay.csv bay-fund.csv --security TARROW,REEFFUND --during 2024",
        "imbroglio volatility bay-daily.csv.xz --method deviation,yang-zhang,garch",
        paste0(
          "imbroglio volatility bay.csv --security TARROW --window 6,20,40,250 --by-window ",
          "--figure now.png"
        )
      ),
      ways = c(
        "",
        "--method ewma",
        "--window 40",
        "--series --method ewma",
        "--parameters",
        "--horizon 3",
        "BOOK --split",
        "BOOK"
      )
    ),
    parts = list(
      volatility_rolling = part(
        "returns", 10, "whole", above = "figure", title = "Volatility through time", says = FALSE,
        with = function(work) list(window = work$settings$window)
      ),
      volatility = part("returns", 30, above = "lead", keeps = "window")
    ),
    follows = list(
      volatility = followed(
        10, "Volatility, a year", "fraction", "[measure_volatility()], a year",
        column_over_time("volatility_annual", measure_volatility), trades = "measured"
      )
    ),
    cases = quote(list(
      whole = measure_volatility(x, method = c("deviation", "ewma")),
      normal = measure_volatility(x, errors = "normal"),
      dependent = measure_volatility(x, errors = "dependent", draws = 20),
      rolling = measure_volatility(as_returns(x, "log"), window = 3),
      series = volatility_series(x),
      by_half_life = measure_volatility(x, method = "ewma", half_life = 23),
      estimators = measure_volatility(days, method = names(volatility_estimators())),
      garch = fit_garch(one, innovations = c("normal", "student")),
      ahead = predict(fit_garch(one, innovations = c("normal", "student")), 5)
    ))
  )
}

#' Volatility
#'
#' The sample standard deviation of returns, \deqn{s = \sqrt{\frac{1}{n - 1} \sum_t (r_t - \bar
#' r)^2},}{s = sqrt(sum((r - mean(r))^2) / (n - 1)),} or another estimate of it, a period and a
#' year (\eqn{s \sqrt{m}}{s sqrt(m)}), for the whole sample or for a window that rolls over it.
#'
#' A window is the last `window` returns of the security itself: a day on which it has no return
#' is no part of any. Before the window is full there is no result, unless `min_obs` says that
#' fewer returns will do. One return has no standard deviation.
#'
#' @section Methods:
#' | method | volatility a period | source |
#' |---|---|---|
#' | `deviation` | the standard deviation above | |
#' | `ewma` | \eqn{s^2_t = d s^2_{t-1} + (1 - d) r_t^2}{s2_t = d s2_(t-1) + (1 - d) r_t^2} from \eqn{s^2_1 = r_1^2}{s2_1 = r_1^2}: of the period after t | |
#' | `parkinson` | \eqn{\ln(H/L)^2 / (4 \ln 2)}{ln(H/L)^2 / (4 ln 2)}, the root of its mean | Parkinson (1980) |
#' | `garman-klass` | \eqn{\ln(H/L)^2 / 2 - (2 \ln 2 - 1) \ln(C/O)^2}{ln(H/L)^2 / 2 - (2 ln 2 - 1) ln(C/O)^2}, likewise | Garman and Klass (1980) |
#' | `rogers-satchell` | \eqn{\ln(H/C) \ln(H/O) + \ln(L/C) \ln(L/O)}{ln(H/C) ln(H/O) + ln(L/C) ln(L/O)}, likewise | Rogers and Satchell (1991) |
#' | `yang-zhang` | \eqn{\sqrt{v_o + k v_c + (1 - k) v_{rs}}}{sqrt(v_o + k v_c + (1 - k) v_rs)}: variances of the nights, of open to close, and Rogers and Satchell's; \eqn{k = 0.34 / (1.34 + (n + 1)/(n - 1))}{k = 0.34 / (1.34 + (n + 1)/(n - 1))} | Yang and Zhang (2000) |
#' | `garch`, `garch-student` | of the period after the last return, see [fit_garch()] | Bollerslev (1986, 1987) |
#'
#' The four that read the day's range need open, high and low (of a long file), and are of log
#' returns; all but Yang and Zhang's leave the nights out. [register_volatility()] adds one of
#' your own.
#'
#' @section Errors of the estimate: `volatility_error` is its standard error: of the standard
#'   deviation, for `errors = "normal"`, \eqn{s \sqrt{1 / (2 (n - 1))}}{s sqrt(1 / (2 (n - 1)))},
#'   with the interval of the chi-squared distribution; for `errors = "kurtosis"`, which is what
#'   fat tails ask for, with the sample's excess kurtosis \eqn{K}{K}, \eqn{\frac{s}{2} \sqrt{2 /
#'   (n - 1) + K / n}}{s/2 sqrt(2 / (n - 1) + K / n)}, and the interval \eqn{s \exp(\pm z\, error
#'   / s)}{s exp(+- z error / s)}. Exponentially weighted, the sum of the squared weights, near
#'   \eqn{(1 - d)/(1 + d)}{(1 - d)/(1 + d)}, stands for \eqn{1/n}{1/n}. Of the range estimators it
#'   is that of the mean of their daily terms. GARCH has those of its parameters instead. All
#'   of these take returns as independent; where volatility clusters a third of such intervals
#'   holds the long-run volatility. `errors = "dependent"`, of the standard deviation, allows for
#'   that, for fat tails and for what leans, as [measure_downside()] has it, in a tenth of a second
#'   for each ten years of days; where the sample does not tell it is `NA`, with a note.
#'
#' @section How it is computed: The whole sample in two passes. Rolling in time linear in the
#'   data: the sample is cut into blocks of the window's length, each window is the tail of one
#'   and the head of the next, and the two are joined by the update of Chan, Golub and LeVeque.
#'   Nothing is subtracted from a running sum, so the last window is as exact as the first at any
#'   level of the data.
#'
#' @param returns A returns table, see [as_returns()]; or a price table, whose simple returns are
#'   taken.
#' @param window The number of returns in a rolling window, or several such numbers. `NULL`: the
#'   whole sample.
#' @param min_obs How many returns will do before the window is full, at least 2. By default the
#'   whole window.
#' @param per_year Periods a year, of all securities. By default each security's own, found from
#'   the spacing of its dates: 252 for daily ones, 52, 26, 12, 4, 2 and 1 for weekly to yearly
#'   ones, and where its dates contradict that by more than a tenth (seven days a week, every
#'   second day), or are of none of these frequencies, as many as they make. The basis says so,
#'   and where the dates differ from the conventional number by more than a fiftieth.
#' @param method One or several of the methods below.
#' @param decay The decay of `ewma`, between 0 and 1: by default 0.94.
#' @param half_life Instead of `decay`: after how many periods a return weighs half.
#' @param errors `"kurtosis"`, `"normal"` or `"dependent"`, see below.
#' @param draws,seed Of dependent errors: how many samples are drawn, and where chance begins.
#' @param confidence Of the interval.
#' @param as `"table"`, or for one rolling window (in `volatility_series()`, for one method)
#'   `"matrix"`: the bare volatilities a period, dates in rows, which for thousands of securities
#'   is several times less to write.
#' @return `measure_volatility()`: a table of `security`, `window` (if rolling), `from`, `to` (the
#'   dates of the first and last return used), `n` (how many), `volatility` (a period) and
#'   `volatility_annual`, both fractions; of the whole sample also `volatility_error`,
#'   `volatility_low` and `volatility_high` (a period); and `method`. One row for each security
#'   and method, or for each of these, window and return. Fewer than two returns have `NA`.
#'
#'   `volatility_series()`: of the methods that have a memory of their own (`ewma`, `garch`,
#'   `garch-student`) the volatility of the next period as it is known on each date, in the same
#'   columns. The parameters of GARCH are fitted on the whole sample.
#' @eval columns_in_docs("volatility")
#' @section Errors: `imbroglio_error_argument` for a window, `min_obs`, `per_year`, decay or
#'   method that cannot be; `imbroglio_error_no_range` where a method needs open, high and low
#'   that are not there; `imbroglio_error_range` for a day whose open or close is outside its
#'   range; a warning (`imbroglio_warning_window`) where no security has as many returns as the
#'   window.
#' @references Chan, Golub and LeVeque (1983), Algorithms for computing the sample variance, The
#'   American Statistician 37.
#' @eval concepts_in_docs("measure_volatility")
#' @family measures of returns
#' @examples
#' returns <- as_returns(read_prices(demo_file("bay.csv")))
#' measure_volatility(returns)
#' measure_volatility(returns[, "TARROW"], window = c(20, 250), min_obs = 10)
#' measure_volatility(returns, method = "ewma", half_life = 20)
#' daily <- read_prices(demo_file("bay-daily.csv.xz"))
#' measure_volatility(daily[, "TARROW"], method = c("deviation", "parkinson", "yang-zhang"))
#' volatility_series(returns[, "TARROW"], method = c("ewma", "garch"))
#' @export
measure_volatility <- function(returns, window = NULL, min_obs = NULL, per_year = NULL,
                               method = "deviation", decay = NULL, half_life = NULL,
                               errors = c("kurtosis", "normal", "dependent"),
                               confidence = 0.95, as = c("table", "matrix"), draws = 500L,
                               seed = 1L) {
  if (is_drawn(returns)) return(over_drawings())
  if (is_opened(returns)) return(over_blocks())
  returns <- take_returns(returns, profits = TRUE)
  as <- one_of(as, "as", c("table", "matrix"))
  per_year <- check_per_year(per_year, returns)
  choices <- volatility_choices(method, decay, half_life, errors, confidence)
  choices$draws <- check_draws(draws)
  choices$seed <- check_whole(seed, "seed", least = 0L)
  if (is.null(window)) {
    refuse_without_window(min_obs, as)
    return(whole_volatility(returns, per_year, choices))
  }
  windows <- check_windows(window, min_obs, several = as == "table")
  if (as == "matrix" && length(choices$method) > 1L) {
    fail("argument", "A bare matrix is of one method.")
  }
  without <- Filter(function(m) is.null(volatility_estimators()[[m]]$rolling), choices$method)
  if (length(without)) {
    fail(
      "argument",
      sprintf("%s has a memory of its own, and no window.", without[1L]),
      remedy = "volatility_series() gives what is known on each date."
    )
  }
  rolling_volatility_of(returns, windows, per_year, choices, as)
}

#' @rdname measure_volatility
#' @export
volatility_series <- function(returns, method = "ewma", per_year = NULL, decay = NULL,
                              half_life = NULL, as = c("table", "matrix")) {
  if (is_opened(returns)) return(over_blocks())
  returns <- take_returns(returns, profits = TRUE)
  as <- one_of(as, "as", c("table", "matrix"))
  per_year <- check_per_year(per_year, returns)
  choices <- volatility_choices(method, decay, half_life, "kurtosis", 0.95)
  without <- Filter(function(m) is.null(volatility_estimators()[[m]]$path), choices$method)
  if (length(without)) {
    fail(
      "argument",
      sprintf("%s has no memory of its own.", without[1L]),
      remedy = "measure_volatility() with a `window` gives its series."
    )
  }
  path <- function(m) {
    `dimnames<-`(volatility_estimators()[[m]]$path(returns$values, choices), dimnames(returns))
  }
  if (as == "matrix") {
    if (length(choices$method) > 1L) fail("argument", "A bare matrix is of one method.")
    return(path(choices$method))
  }
  frame <- window_frame(returns)
  parts <- lapply(choices$method, function(m) {
    columns <- frame$columns(max(frame$n, 1L))
    columns$window <- NULL
    volatility <- frame$pick(path(m))
    c(
      columns,
      list(
        volatility = volatility,
        volatility_annual = frame$scaled(volatility, sqrt(per_year)),
        method = rep(m, length(volatility))
      )
    )
  })
  sample <- sample_of(returns$dates, returns$values, frame$n)
  new_result(
    stacked(parts),
    "volatility_series",
    returns_basis_later(
      returns,
      sample,
      per_year = per_year,
      choices = choices$words,
      exact = choices["decay"]
    ),
    returns
  )
}

volatility_choices <- function(method, decay, half_life, errors, confidence) {
  known <- volatility_estimators()
  check_choice(method, "method", names(known), several = TRUE)
  errors <- one_of(errors, "errors", c("kurtosis", "normal", "dependent"))
  if (errors == "dependent" && !"deviation" %in% method) {
    fail(
      "argument",
      "Errors by \"dependent\" are of the method \"deviation\".",
      where = sprintf("Chosen is %s.", some(method))
    )
  }
  decay <- check_decay(decay, half_life) %||% 0.94
  check_fraction(confidence, "confidence")
  method <- unique(method)
  decays <- any(vapply(known[method], function(record) "decay" %in% record$options, NA))
  list(
    method = method,
    usual = identical(method, formals(measure_volatility)$method),
    decay = decay,
    errors = errors,
    confidence = confidence,
    words = c(
      method = paste(method, collapse = ", "),
      decay = if (decays) format(decay)
    )
  )
}
