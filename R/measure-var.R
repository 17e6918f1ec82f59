historical_by_window <- paste(
  "the historical one at `level`, by the nearest rank, of the window up to and with its last",
  "date (that of [backtest_var()] is of the returns before it)"
)

record_of_var <- function() {
  measure_record(
    200,
    title = "Value at risk",
    asks = "What loss is exceeded only once in a given number of periods?",
    measure = measure_var,
    columns = list(
      var = column("VaR", "fraction"),
      es = column("ES", "fraction"),
      horizon_by = column("by", "text"),
      var_error = column("its error", "small_points", detail = TRUE),
      es_error = column("ES error", "small_points", detail = TRUE),
      var_low = column("low", "fraction", optional = TRUE),
      var_high = column("high", "fraction", optional = TRUE),
      draw_error = column("draw error", "small_points", optional = TRUE),
      position = column("k", "number", optional = TRUE),
      observed = column("observed", "date", optional = TRUE, working = FALSE),
      worse = column("next worse", "fraction", detail = TRUE),
      milder = column("next milder", "fraction", detail = TRUE),
      rank_least = column("least by rank", "fraction", detail = TRUE),
      rank_most = column("most by rank", "fraction", detail = TRUE),
      var_value = column("VaR, money", "money"),
      es_value = column("ES, money", "money")
    ),
    shares = c("security", "from", "to", "n", "level", "horizon", "method", "rank", "state"),
    compares = NULL,
    command = command_record(
      "Measure", 140,
      says = "value at risk by many methods; of a book: drawn, or split by holding",
      options = c(
        choose, "every", "keep-unfinished", "kind", "level", "horizon", "horizon-by", "method",
        "rank", "value", "decay", "half-life", "tail", "block", "draws", "seed", "errors",
        "confidence", "thresholds", "draw", "paths", "split", "view", book, hand_on
      ),
      trade = list(
        trade(
          c("Extreme value theory", "peaks over threshold", "tail index"),
          "the tail beyond a threshold, by the generalised Pareto distribution or Hill's shape",
          "imbroglio var FILE --method pareto,hill; imbroglio var FILE --thresholds"
        ),
        trade(
          c("Expected shortfall", "conditional value at risk", "tail loss"),
          "the mean of the losses from the value at risk on",
          "imbroglio var FILE, column ES"
        ),
        trade(
          "Historical simulation",
          "value at risk by the order of the observed returns",
          "imbroglio var FILE --method historical"
        ),
        trade(
          c("Variance-covariance", "parametric value at risk", "delta-normal"),
          "value at risk of the normal distribution",
          "imbroglio var FILE --method normal"
        ),
        trade(
          c("Monte Carlo", "bootstrap", "resampling"),
          "paths drawn from whole days of the history",
          "imbroglio var FILE --weights A=0.6,B=0.4 --draw --horizon 10"
        ),
        trade(
          c("Component, marginal and incremental value at risk", "risk contribution"),
          "what each holding adds",
          "imbroglio var FILE --weights A=0.6,B=0.4 --split"
        )
      ),
      help = c(
        errors = "model, or sandwich, which does not take garch or a family as right (model)"
      ),
      example = c(
        "imbroglio var bay.csv --security BAYALL --level 0.95,0.99 --value 1000000",
        "imbroglio var bay.csv --security BAYALL --record record.json",
        paste0(
          "imbroglio var bay.csv --security BAYALL --method ",
          "historical,normal,student,garch,hill,pareto --figure methods.png"
        ),
        paste0(
          "imbroglio var bay.csv --security BAYALL --level 0.9,0.95,0.99,0.999 --horizon ",
          "1:20 --figure horizons.png"
        ),
        paste0(
          "imbroglio var bay.csv --shares OSSELL=2000,TARROW=500 --draw --horizon 10 ",
          "--draws 100000 --figure book.png"
        ),
        paste0(
          "imbroglio var bay.csv --weights OSSELL=0.5,TARROW=0.5 --split --method ",
          "historical,normal"
        ),
        "imbroglio var bay.csv bay-fund.csv --holdings bay-holdings.csv --parts",
        "imbroglio var bay.csv --security BAYALL --thresholds --figure tail.png"
      ),
      ways = c(
        "",
        "--method normal",
        "--method bootstrap --draws 300",
        "--method block-bootstrap --horizon 3 --draws 300",
        "--method hill",
        "--method ewma",
        "BOOK",
        "BOOK --split --level 0.9",
        "BOOK --draw --draws 300",
        "BOOK --paths 2 --draws 300",
        "--thresholds"
      )
    ),
    parts = list(
      var = part(
        "risk", 10, "whole", above = c("lead", "figure", "table"),
        with = function(work) {
          work$settings[intersect(c("method", "horizon", "level"), names(work$settings))]
        }
      ),
      var_each = part(
        "risk", 30, needs = "book", keeps = c("method", "level", "horizon"),
        title = "Of each holding alone",
        with = one_period_loss
      )
    ),
    follows = list(
      var = followed(
        20, "Value at risk", "fraction", historical_by_window, figure_over_time("var"),
        in_money = TRUE, in_time = TRUE, both_ways = TRUE, trades = "measured"
      ),
      es = followed(
        30, "Expected shortfall", "fraction", historical_by_window, figure_over_time("es"),
        in_money = TRUE, in_time = TRUE, both_ways = TRUE, trades = "measured"
      )
    ),
    cases = quote(list(
      whole = measure_var(x, 0.9, method = methods, draws = 400, value = 1e6),
      by_rank = measure_var(
        x, 0.95, method = c("historical", "age-weighted"), rank = c("up", "down", "interpolate")
      ),
      by_half_life = measure_var(x, 0.9, method = c("age-weighted", "ewma"), half_life = 37),
      ahead = measure_var(one, horizon = 5, method = names(known_var_methods()), draws = 300),
      of_logs = measure_var(
        as_returns(one, "log"), method = names(known_var_methods()), draws = 300
      ),
      overlapping = measure_var(
        one, horizon = 5, horizon_by = "overlapping",
        method = c("historical", "normal", "pareto")
      ),
      of_book = measure_var(book, method = c("historical", "normal", "bootstrap"))
    ))
  )
}

#' Value at risk
#'
#' The loss that is not exceeded with the confidence `level` over `horizon` periods, as a positive
#' fraction (or in money, for a `value`, or of profits), with the expected shortfall (the mean of
#' the losses from there on), a standard error and an interval; by one method or several side by
#' side.
#'
#' The loss of a simple return \eqn{r} is \eqn{-r}, of a log return \eqn{x} it is \eqn{1 - e^x}.
#' Below, \eqn{a = 1 -}{a = 1 -} `level`, \eqn{h} is the horizon, \eqn{z_a} the a-quantile of the
#' standard normal (negative).
#'
#' @section Historical:
#' The k-th worst of the n observed returns. Which k is a convention, and a choice of `rank`:
#'
#' | rank | k |
#' |---|---|
#' | `"nearest"` | \eqn{n a} rounded, a half upwards |
#' | `"up"` | \eqn{n a} rounded up |
#' | `"down"` | \eqn{n a} rounded down, at least 1 |
#' | `"interpolate"` | \eqn{(n - 1) a + 1}, between two observations (type 7 of [stats::quantile()]) |
#'
#' The expected shortfall is the mean of the k worst losses (of the whole ones, where k is between
#' two). The result names the observation and its neighbours, and `rank_least` and `rank_most` say
#' what the other conventions give.
#'
#' @section Methods:
#' | method | value at risk | source |
#' |---|---|---|
#' | `historical` | the k-th worst return | |
#' | `age-weighted` | the worst returns whose weights \eqn{(1-d) d^{age} / (1-d^n)}{(1 - d) d^age / (1 - d^n)} add up to a; decay 0.99 | Boudoukh, Richardson and Whitelaw (1998) |
#' | `volatility-scaled` | the k-th worst of \eqn{r_t s_{n+1} / s_t}{r_t s_(n+1) / s_t}, s exponentially weighted from the mean square on | Hull and White (1998) |
#' | `filtered` | the k-th worst of \eqn{\mu + s_{n+1} (r_t - \mu) / s_t}{m + s_(n+1) (r_t - m) / s_t}, s of GARCH(1,1) | Barone-Adesi, Giannopoulos and Vosper (1999) |
#' | `normal` | \eqn{-(\bar r h + z_a s \sqrt h)}{-(mean h + z_a s sqrt(h))} | |
#' | `normal-relative` | \eqn{-z_a s \sqrt h}{-z_a s sqrt(h)} | |
#' | `cornish-fisher` | the same with \eqn{z + (z^2-1) S/6 + (z^3-3z) K/24 - (2z^3-5z) S^2/36}{z + (z^2 - 1) S / 6 + (z^3 - 3 z) K / 24 - (2 z^3 - 5 z) S^2 / 36}, S the skewness, K the excess kurtosis | Cornish and Fisher (1938) |
#' | `ewma` | \eqn{-z_a s \sqrt h}{-z_a s sqrt(h)}, s exponentially weighted; decay 0.94 | |
#' | `garch`, `garch-student` | the mean, and the quantile times the root of the variances ahead, see [fit_garch()] | Bollerslev (1986, 1987) |
#' | a family of [return_family()] | the quantile of the family, fitted by maximum likelihood: `student`, `laplace`, `nig`, ... | |
#' | `hill` | \eqn{X_{k+1} (k / (n a))^\xi}{X_(k+1) (k / (n a))^xi}, \eqn{\xi = \frac1k\sum\ln(X_i / X_{k+1})}{xi = mean(ln(X_i / X_(k+1)))}, X the losses from the largest, k by `tail` | Hill (1975) |
#' | `pareto` | \eqn{u + \frac\beta\xi ((n a / k)^{-\xi} - 1)}{u + beta / xi ((n a / k)^-xi - 1)}: the generalised Pareto distribution of the k losses beyond u | McNeil and Frey (2000) |
#' | `bootstrap`, `block-bootstrap`, `stationary-bootstrap` | the loss at the level over drawn paths, see [bootstrap_book()] | Efron (1979); Kunsch (1989); Politis and Romano (1994) |
#'
#' [register_var_method()] adds one of your own; [tail_thresholds()] shows what `tail` does;
#' [backtest_var()] puts them to the test; [split_var()] says which holding of a book it comes
#' from.
#'
#' @section The horizon: `horizon_by` names how it is reached: `"sqrt"` stretches by \eqn{\sqrt
#'   h}{sqrt(h)}: of `historical`, `age-weighted`, `volatility-scaled`, `normal-relative`, `ewma`,
#'   `hill` and `pareto` the whole return; of `normal` and the families what is about the mean,
#'   while the mean counts h times; of `cornish-fisher` so too, with \eqn{S / \sqrt h}{S / sqrt(h)}
#'   for S and \eqn{K / h}{K / h} for K. So methods side by side may differ by the mean alone,
#'   which words and figures say; `"overlapping"` takes the returns over every run of h periods,
#'   so that n is h - 1 less and its errors, which take returns as independent, are too small;
#'   `"power"` (`hill`, `pareto`) multiplies the loss by \eqn{h^\xi}{h^xi}; `"paths"` (the
#'   bootstraps, `filtered`) draws paths; `"forecast"` (GARCH) adds up the variances ahead. Each
#'   method has one of its own.
#'
#' @section Errors of the estimate: `var_error` and `es_error` are standard errors and `var_low`
#'   to `var_high` an interval, for returns that are independent. Of the methods by rank: the
#'   error over all resamples, which has a closed form (Hutson and Ernst 2000), and the interval
#'   between two order statistics, interpolated so that it has its confidence (Nyblom 1992); `NA`
#'   where the history is too short to bound the loss (of `age-weighted`, what its weights leave
#'   of it). The error of the mean of the k worst losses is \eqn{\sqrt{(s^2 + (1 - a) e^2) /
#'   k}}{sqrt((s^2 + (1 - a) e^2) / k)}, \eqn{s}{s} their standard deviation, \eqn{e}{e} how far
#'   their mean lies above the next loss (of a single one, the tail is taken as exponential). For
#'   `volatility-scaled` the error of the volatility is added, for `filtered` it is not.
#'
#' Of methods with parameters: the delta method, and \eqn{VaR\, e^{\pm z\, error / VaR}}{VaR
#' exp(+- z error / VaR)}. `errors = "model"` takes the family, or GARCH, as right; `"sandwich"`
#' does not (White 1982): use it where a family was rejected. GARCH has no errors by it, whose
#' intervals hold too few. Nor has `cornish-fisher` any above 97.5 \% where there are fewer than
#' 1,000 returns or their excess kurtosis is above 2, and a bootstrap of several periods where the
#' history says too little of the tail: fewer than one return, over the horizon, is beyond the
#' level, or fewer than three blocks. That is noted.
#'
#' Of the bootstraps: of one period those of `historical`, of several how much the tail of the
#' paths depends on each day of the history (the infinitesimal jackknife). `draw_error` is the
#' part that more draws would remove; errors and interval hold both. Beyond one period `filtered`
#' has the relative error of one.
#'
#' How well all of this holds, on samples whose value at risk is known, stands in
#' `bench/var-study.md` of the sources: of 100 intervals of 95 % (250 to 1,000 returns) those of
#' `historical` hold it in 93 to 97, `age-weighted` at 95 % in 93 to 96, `volatility-scaled` in 96
#' to 100, `filtered` in 87 to 93 (what its fit errs by is left out), `cornish-fisher` on normal
#' returns in 92 to 95, the bootstrap over 10 periods in 92 to 98, the block bootstraps over 10
#' periods at 95 % in 88 to 94. Days drawn by themselves where returns lean on those before them
#' (an autocorrelation of 0.2) give a value at risk that is a sixth too small over 10 periods: draw
#' blocks.
#'
#' @param returns A returns table, or a price table, whose simple returns are taken.
#' @param level Confidence levels, fractions such as 0.99.
#' @param horizon Periods, one or several whole numbers; or times: `"10 days"`, `"2 weeks"`,
#'   `"1 month"`. A time is over the periods of what is measured, in whole ones of them, which is
#'   noted; one that is more than a tenth away from whole ones is refused.
#' @param method One or several methods, see below.
#' @param rank Conventions of rank, one or several, of the methods that take a rank: see below.
#' @param horizon_by How a horizon is reached, see below. `NULL`: each method's own way.
#' @param value The value of the position in money, one number or one for each security.
#' @param decay The decay of the exponential weights of `age-weighted`, `volatility-scaled` and
#'   `ewma`.
#' @param half_life Instead of `decay`: after how many periods a return weighs half.
#' @param tail The tail of `hill` and `pareto`: a share of the returns, or a whole number of them.
#' @param block The length of the blocks of the block bootstraps, by default the cube root of n.
#' @param draws,seed Paths drawn, and a whole number that they depend on.
#' @param errors `"model"`, or `"sandwich"` for the families: see below.
#' @param confidence Of the interval.
#' @return A table, a row for each security, horizon, level, method and rank: `security`, `from`,
#'   `to`, `n`, `level`, `horizon`, `var`, `es` (fractions), `var_value` and `es_value` (money, if
#'   `value` is given), `method`, `rank` (`NA` where none is taken), `horizon_by`, `var_error`,
#'   `es_error`, `var_low`, `var_high`, `draw_error`; and the working of `historical`: `position`
#'   (k), `observed` (the date of the k-th worst return; `NA` between two), `worse` and `milder`
#'   (the losses next to it in rank), `rank_least` and `rank_most` (the least and the most of the
#'   four conventions); and `state`, how the fit of GARCH or of a family ended (see
#'   [fit_returns()]): a fit at a limit is that of the plainer model, with its errors; one that
#'   failed has `NA`, the reason in `state`, and a warning, and the other securities stand.
#' @eval columns_in_docs("var")
#' @section Errors: `imbroglio_error_argument` for a level outside (0, 1), a horizon that is no
#'   whole number above 0, a value that is not above 0, a method or a way to the horizon that is
#'   not known, a seed that is no whole number; a warning (`imbroglio_warning_few_observations`)
#'   where fewer than one observation lies beyond the level, for methods that only know what was
#'   observed; a warning (`imbroglio_warning_method`) where a method should not be trusted: where
#'   Cornish and Fisher's expansion falls, a tail that does not reach to the level, a family
#'   without a variance over a horizon; a warning (`imbroglio_warning_more_than_all`) where simple
#'   returns are stretched to a loss of more than everything.
#' @references Hutson and Ernst (2000), The exact bootstrap mean and variance of an L-estimator,
#'   Journal of the Royal Statistical Society B 62. Nyblom (1992), Note on interpolated order
#'   statistics, Statistics and Probability Letters 14. Boudoukh, Richardson and Whitelaw (1998),
#'   The best of both worlds, Risk 11. Hull and White (1998), Incorporating volatility updating
#'   into the historical simulation method for value at risk, Journal of Risk 1. White (1982),
#'   Maximum likelihood estimation of misspecified models, Econometrica 50. Barone-Adesi,
#'   Giannopoulos and Vosper (1999), VaR without correlations for portfolios of derivative
#'   securities, Journal of Futures Markets 19. McNeil and Frey (2000), Journal of Empirical
#'   Finance 7.
#' @eval concepts_in_docs("measure_var")
#' @family measures of risk
#' @examples
#' returns <- as_returns(read_prices(demo_file("bay.csv")))
#' measure_var(returns, level = c(0.95, 0.99), value = 1e6)
#' measure_var(returns[, "BAYALL"], rank = c("nearest", "up", "down", "interpolate"))
#' market <- returns[, "BAYALL"]
#' measure_var(market, method = c("historical", "normal", "student", "hill", "garch"))
#' measure_var(market, horizon = c(1, 10), method = c("historical", "bootstrap"), draws = 2000)
#' @export
measure_var <- function(returns, level = 0.99, horizon = 1L, method = "historical",
                        rank = "nearest", horizon_by = NULL, value = NULL, decay = NULL,
                        half_life = NULL, tail = 0.1, block = NULL, draws = 10000L, seed = 1L,
                        errors = c("model", "sandwich"), confidence = 0.95) {
  if (is_drawn(returns)) return(over_drawings())
  if (is_opened(returns)) return(over_blocks())
  returns <- take_returns(returns, profits = TRUE, held = "today")
  horizon <- check_horizon(horizon, returns$frequency, several = TRUE)
  records <- check_methods(method)
  errors <- check_errors(one_of(errors, "errors", c("model", "sandwich")), records)
  check_choice(rank, "rank", rank_conventions, several = TRUE)
  ways <- ways_of(records, horizon_by)
  if (returns$kind == "profit" && !is.null(value)) {
    fail("argument", "Profits are in money already.", remedy = "Leave `value` out.")
  }
  value <- check_value(value, colnames(returns$values), returns$money)
  request <- requested(returns, level, decay, half_life, tail, block, draws, seed, confidence)
  request$errors <- errors
  if (any_chance(records, horizon)) refuse_too_many_steps(request$draws, horizon)
  parts <- list()
  for (name in names(records)) {
    for (h in unique(horizon)) {
      for (convention in if (records[[name]]$empirical) unique(rank) else NA) {
        parts[[length(parts) + 1L]] <- measured_var(
          returns, records[[name]], name, h, convention, ways[[name]], request
        )
      }
    }
  }
  columns <- stacked(parts, ragged = TRUE)
  security <- match(columns$security, colnames(returns$values))
  in_order <- order(
    security,
    match(columns$horizon, horizon),
    match(columns$level, request$level),
    match(columns$method, names(records)),
    match(columns$rank, rank)
  )
  columns <- with_shortfall_beyond(lapply(columns, `[`, in_order))
  if (!is.null(value)) columns <- with_money(columns, value[security[in_order]])
  warn_few(columns, records, request$draws, if (request$adds) "profit" else "return")
  warn_more_than_all(columns, returns$kind)
  warn_not_fitted(columns, records)
  warn_no_clustering(columns)
  note_withheld(columns, records)
  warn_doubts(returns, records, horizon, ways, request)
  new_result(
    columns,
    "var",
    returns_basis_later(
      returns,
      sample_of(returns$dates, returns$values),
      choices = c(
        var_choices(records, horizon, ways, rank, request),
        states_choice(columns$state, columns$security)
      ),
      exact = request[c("decay", "tail", "block", "draws", "confidence", "errors")],
      seed = if (any_chance(records, horizon)) request$seed else NA_integer_
    ),
    returns
  )
}

with_money <- function(columns, value) {
  # What was asked for besides stands at the end.
  c(columns, list(var_value = columns$var * value, es_value = columns$es * value))
}
