record_of_ratios <- function() {
  measure_record(
    70,
    title = "What was earned for the falls",
    asks = "Was it worth the falls?",
    measure = measure_ratios,
    columns = list(
      sortino = column("Sortino", "ratio", detail = TRUE),
      sortino_annual = column("Sortino a year", "two"),
      sortino_annual_error = column("error", "two"),
      omega_ratio = column("Omega", "two"),
      omega_error = column("error", "two"),
      calmar = column("Calmar", "two"),
      calmar_error = column("error", "two", optional = TRUE),
      sterling = column("Sterling", "two"),
      sterling_error = column("error", "two", optional = TRUE),
      gain_to_pain = column("gain to pain", "two"),
      gain_to_pain_error = column("error", "two")
    ),
    shares = c("security", "from", "to", "n", "window"),
    compares = compares(
      "sortino_annual", "earned most for its falls", "least", of = " a year",
      before = "Sortino ratio ",
      losing = c("has the Sortino ratio that is least below 0", "furthest")
    ),
    command = command_record(
      "Measure", 90,
      says = "what was earned for the falls: Sortino, Omega, Calmar, Sterling, gain to pain",
      options = c(
        choose, "every", "keep-unfinished", "kind", "target", "deepest", "window", "min-obs",
        "per-year", "errors", "draws", "block", "seed", book, hand_on
      ),
      trade = list(
        trade(
          c(
            "Calmar ratio", "Sterling ratio", "Sortino ratio", "Omega ratio", "gain to pain",
            "return over maximum drawdown"
          ),
          "what was earned over how far it fell, with errors",
          "imbroglio ratios FILE"
        )
      ),
      help = c(
        draws = "samples drawn for the errors (500)",
        errors = "dependent, delta, bootstrap or none (dependent)"
      ),
      example = "imbroglio ratios bay.csv --errors bootstrap --figure ratios.png",
      tries = c(errors = "none"),
      ways = c(
        "",
        "--errors bootstrap --draws 50",
        "BOOK"
      )
    ),
    parts = list(ratios = part("returns", 60, keeps = "window")),
    follows = list(
      sortino = followed(
        80, "Sortino ratio, a year", "two", "[measure_ratios()], a year",
        column_over_time("sortino_annual", measure_ratios), wrong = "below", looks = "back"
      )
    ),
    cases = quote(list(
      whole = measure_ratios(x, target = 0.01),
      delta = measure_ratios(x, errors = "delta"),
      of_logs = measure_ratios(as_returns(x, "log"), deepest = 1),
      rolling = measure_ratios(x, window = 40)
    ))
  )
}

#' What was earned for the falls
#'
#' The ratios of what was earned to how far it fell on the way, each with a standard error.
#'
#' * Sortino's ratio: \eqn{(\bar r - g) / d}{(mean(r) - g) / d}, with \eqn{d}{d} the downside
#'   deviation below the target \eqn{g}{g}, see [measure_downside()]; a year times \eqn{\sqrt
#'   m}{sqrt(m)}.
#' * Omega: \eqn{\sum \max(r_t - g, 0) / \sum \max(g - r_t, 0)}{sum(max(r - g, 0)) / sum(max(g - r,
#'   0))}.
#' * Calmar's ratio: the return a year, see [measure_return()], over the maximum drawdown;
#'   Sterling's: over the mean of the deepest drawdowns.
#' * Gain to pain: \eqn{\sum r_t / \sum |\min(r_t, 0)|}{sum(r) / sum(|min(r, 0)|)}.
#'
#' @section Errors of the estimates: By default (`errors = "dependent"`) those of Sortino's ratio,
#'   of omega and of gain to pain are by what each return adds to them, and the long-run variance
#'   of that (prewhitened by an autoregression, Parzen's kernel, the bandwidth of Andrews 1991).
#'   Those of Calmar's and Sterling's ratio are the standard deviation over `draws` samples drawn
#'   from GARCH with innovations of Student's t, as [compare_measures()] has it. Such a deviation
#'   grows with the mean return, which is itself hardly known: it is divided by how much larger it
#'   is on average over what the mean may be. There are none, and a note, where the memory of
#'   volatility is longer than the sample.
#'
#'   Of 100 intervals of 1.96 errors to either side, by `bench/chance-study.md` of the sources, 89
#'   to 99 hold the true ratio; Calmar's and Sterling's errors are 0.8 to 1.2 of what these ratios
#'   stray by, but as they stray further up than down 79 to 95 hold their mean (250 to 2,500
#'   returns, see [measure_downside()]). `"delta"` and `"bootstrap"` are as there; by the delta
#'   method Calmar's and Sterling's ratio have none.
#'
#' @inheritParams measure_downside
#' @param deepest How many of the deepest drawdowns Sterling's ratio averages.
#' @return A table, one row for each security: `security`, `from`, `to`, `n`, `sortino` (a
#'   period), `sortino_annual`, `sortino_annual_error`, `omega_ratio`, `omega_error`, `calmar`,
#'   `calmar_error`, `sterling`, `sterling_error`, `gain_to_pain`, `gain_to_pain_error`. A ratio
#'   over nothing is `NA`. Rolling: a row for each security, window and return, without errors.
#' @eval columns_in_docs("ratios")
#' @section Errors: `imbroglio_error_argument` for numbers that cannot be.
#' @references Andrews and Monahan (1992), An improved heteroskedasticity and autocorrelation
#'   consistent covariance matrix estimator, Econometrica 60. Sortino and van der Meer (1991).
#'   Keating and Shadwick (2002), A universal performance measure, Journal of Performance
#'   Measurement 6.
#' @eval concepts_in_docs("measure_ratios")
#' @family measures of returns
#' @examples
#' prices <- read_prices(demo_file("bay.csv"))
#' measure_ratios(prices, target = 0.03)
#' measure_ratios(prices[, "TARROW"], errors = "bootstrap", draws = 200)
#' @export
measure_ratios <- function(returns, target = 0, deepest = 3L, window = NULL, min_obs = NULL,
                           per_year = NULL, errors = NULL, draws = 500L, block = NULL, seed = 1L) {
  if (is_drawn(returns)) return(over_drawings())
  if (is_opened(returns)) return(over_blocks())
  deepest <- check_whole(deepest, "deepest")
  asked <- asked_of_falls(returns, target, 1, deepest, per_year, errors, draws, block, seed,
                          !is.null(window))
  if (!is.null(window)) return(rolling_ratios(asked, check_windows(window, min_obs)))
  refuse_without_window(min_obs)
  sample <- sample_of(asked$returns$dates, asked$returns$values)
  n <- sample$n
  years <- if (is.null(asked$by_hand)) {
    years_of(asked$returns$start, sample$to, n, unname(asked$per_year))
  } else {
    n / unname(asked$per_year)
  }
  figures <- figures_of(asked$returns, asked$target, asked$ask)
  ratio <- ratios_from(figures, asked$target, years, asked$returns$kind)
  drawn_ratio <- function(name) {
    function(of, j) {
      f <- stats::setNames(lapply(figure_names, of), figure_names)
      ratios_from(f, asked$target[j], years[j], asked$returns$kind)[[name]]
    }
  }
  found <- errors_of_falls(asked, list(
    sortino = list(adds = influence_of_sortino, of_figures = drawn_ratio("sortino")),
    omega = list(adds = influence_of_omega, of_figures = drawn_ratio("omega_ratio")),
    calmar = list(of_figures = drawn_ratio("calmar")),
    sterling = list(of_figures = drawn_ratio("sterling")),
    gain_to_pain = list(adds = influence_of_pain, of_figures = drawn_ratio("gain_to_pain"))
  ))
  year <- sqrt(asked$per_year)
  known <- function(value, error) ifelse(is.na(value), NA_real_, error)
  structure(new_result(
    list(
      security = colnames(asked$returns$values),
      from = sample$from,
      to = sample$to,
      n = n,
      sortino = ratio$sortino,
      sortino_annual = ratio$sortino * year,
      sortino_annual_error = known(ratio$sortino, found$error$sortino * year),
      omega_ratio = ratio$omega_ratio,
      omega_error = known(ratio$omega_ratio, found$error$omega),
      calmar = ratio$calmar,
      calmar_error = known(ratio$calmar, found$error$calmar),
      sterling = ratio$sterling,
      sterling_error = known(ratio$sterling, found$error$sterling),
      gain_to_pain = ratio$gain_to_pain,
      gain_to_pain_error = known(ratio$gain_to_pain, found$error$gain_to_pain)
    ),
    "ratios",
    basis_of_falls(asked, sample, c("deepest falls of Sterling" = deepest)),
    asked$returns
  ), draws = found$draws)
}

rolling_ratios <- function(asked, windows) {
  wanted <- c(
    "mean", "downside_deviation", "gain", "shortfall", "pain", "growth", "max_drawdown",
    "deep_falls"
  )
  rolling_falls(asked, "ratios", windows, function(f, m) {
    made <- ratios_from(f, f$target, f$years, asked$returns$kind)
    c(made["sortino"], list(sortino_annual = made$sortino * sqrt(m)), made[-1L])
  }, wanted)
}

ratios_from <- function(f, target, years, kind) {
  over <- function(a, b) ifelse(!is.na(b) & b > 0, a / b, NA_real_)
  earned <- a_year(f$growth, years, kind == "profit")
  list(
    sortino = over(f$mean - target, f$downside_deviation),
    omega_ratio = over(f$gain, f$shortfall),
    calmar = over(earned, -f$max_drawdown),
    sterling = over(earned, -f$deep_falls),
    gain_to_pain = over(f$mean, f$pain)
  )
}
