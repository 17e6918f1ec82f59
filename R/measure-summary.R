record_of_summary <- function() {
  measure_record(
    190,
    title = "Summary",
    asks = "What does the whole universe look like?",
    measure = measure_summary,
    columns = list(),
    shares = c(
      "security", "from", "to", "n", "total_return", "return_annual", "volatility_annual",
      "sharpe_annual", "max_drawdown", "var", "es", "beta", "correlation", "tracking_error_annual",
      "information_ratio"
    ),
    compares = compares(
      "sharpe_annual", "earned most for its risk", "least", of = " a year",
      before = "Sharpe ratio ",
      losing = c("has the Sharpe ratio that is least below 0", "furthest")
    ),
    command = command_record(
      "Measure", 10,
      says = "one page of a whole universe, sorted as you like",
      options = c(
        choose, "every", "keep-unfinished", "kind", "benchmark", "level", "per-year", "risk-free",
        "sort", book, hand_on
      ),
      example = paste0(
        "imbroglio summary bay.csv --benchmark BAYALL --sort volatility_annual --out ",
        "universe.csv"
      ),
      ways = c(
        "",
        "--benchmark INDEXX",
        "BOOK"
      )
    ),
    parts = list(
      summary = part(
        "universe", 10, "whole", c("returns", "universe"), c("lead", "figure", "table"),
        keeps = "window"
      )
    ),
    cases = quote(list(whole = measure_summary(x, benchmark = b, risk_free = 0.01)))
  )
}

#' One page of a whole universe
#'
#' The numbers that an analyst looks at first, a row for each security: return and volatility a
#' year, the Sharpe ratio, the deepest fall, value at risk and expected shortfall, and against a
#' benchmark beta, correlation, tracking error and information ratio. Each is what the measure of
#' its name gives.
#'
#' @param returns A returns table, or a price table, whose simple returns are taken.
#' @param benchmark The name of a security in the table, or a table of prices or returns with one,
#'   or `NULL`.
#' @param level Of value at risk and expected shortfall (historical, nearest rank).
#' @param per_year Periods a year, of all securities; by default each its own, see
#'   [measure_volatility()].
#' @param risk_free The risk-free return, a number a year or a series, see [measure_return()].
#' @param sort_by A column of the table to sort by, the largest number (of drawdowns the deepest,
#'   of texts and dates the first) first; securities with few returns beside the others stand
#'   last. `NULL`: as the securities stand in `returns`.
#' @return A table: `security`, `from`, `to`, `n`, `total_return`, `return_annual`,
#'   `volatility_annual`, `sharpe_annual`, `max_drawdown`, `var`, `es` (a period) and with a
#'   benchmark `beta`, `correlation`, `tracking_error_annual` and `information_ratio` (`NA` for
#'   the benchmark itself).
#' @eval columns_in_docs("summary")
#' @section Errors: Those of the measures; `imbroglio_error_argument` for a column to sort by that
#'   is not there.
#' @eval concepts_in_docs("measure_summary")
#' @family measures of returns
#' @examples
#' prices <- read_prices(demo_file("bay.csv"))
#' measure_summary(prices, benchmark = "BAYALL", sort_by = "volatility_annual")
#' @export
measure_summary <- function(returns, benchmark = NULL, level = 0.99, per_year = NULL,
                            risk_free = NULL, sort_by = NULL) {
  if (is_drawn(returns)) return(over_drawings())
  if (is_opened(returns)) {
    whole <- over_blocks(sort_by = NULL)
    return(rows_sorted(whole, sort_by))
  }
  returns <- take_returns(returns)
  given <- per_year
  per_year <- check_per_year(per_year, returns)
  level <- check_fraction(level, "level")
  earned <- measure_return(returns, per_year = given, risk_free = risk_free)
  fallen <- core_falls(returns$values, returns$kind, FALSE, numeric())
  tail <- core_historical_tail(
    returns$values,
    level,
    rank_code("nearest"),
    returns$kind == "log",
    1
  )
  k <- length(tail$n)
  warn_few(
    list(
      security = colnames(returns$values),
      n = tail$n,
      level = rep(level, k),
      method = rep("historical", k),
      horizon = rep(1L, k),
      rank = rep("nearest", k)
    ),
    known_var_methods()["historical"],
    0L
  )
  columns <- columns_of_summary(earned, fallen, tail, per_year)
  if (!is.null(benchmark)) columns <- c(columns, against(returns, benchmark, given, risk_free))
  if (!is.null(sort_by)) columns <- sorted(columns, sort_by)
  choices <- c(
    basis(earned)$choices[names(basis(earned)$choices) == "risk-free"],
    level = format(level),
    if (!is.null(benchmark)) {
      c(benchmark = if (is.character(benchmark)) benchmark else colnames(benchmark))
    }
  )
  new_result(
    columns,
    "summary",
    returns_basis_later(
      returns,
      sample_of(returns$dates, returns$values, tail$n),
      per_year = per_year,
      choices = choices,
      exact = list(level = level, risk_free = yearly_rate(risk_free), per_year = given)
    ),
    returns
  )
}

columns_of_summary <- function(earned, fallen, tail, per_year) {
  c(
    as.list(earned)[c("security", "from", "to", "n", "total_return", "return_annual")],
    list(
      volatility_annual = earned$volatility * sqrt(unname(per_year)),
      sharpe_annual = earned$sharpe_annual,
      max_drawdown = fallen$depth,
      var = tail$var,
      es = tail$es
    )
  )
}

against <- function(returns, benchmark, per_year, risk_free) {
  line <- measure_beta(returns, benchmark, per_year = per_year, risk_free = risk_free)
  if (length(unique(line$benchmark)) != 1L) fail("argument", "A summary takes one benchmark.")
  apart <- measure_tracking(returns, benchmark, per_year = per_year, total = FALSE)
  columns <- function(result) match(colnames(returns$values), result$security)
  list(
    beta = line$beta[columns(line)],
    correlation = apart$correlation[columns(apart)],
    tracking_error_annual = apart$tracking_error_annual[columns(apart)],
    information_ratio = apart$information_ratio[columns(apart)]
  )
}

rows_sorted <- function(result, by) {
  if (is.null(by)) return(result)
  `attributes<-`(sorted(as.list(as.data.frame(result)), by), attributes(result))
}

sorted <- function(columns, by) {
  check_choice(by, "sort_by", names(columns))
  key <- columns[[by]]
  falling <- is.numeric(key) && by != "max_drawdown"
  in_order <- order(stands_on_little(columns), if (falling) -key else key, na.last = TRUE)
  lapply(columns, `[`, in_order)
}
