record_of_roll <- function() {
  measure_record(
    90,
    title = "Measures through time",
    asks = "How did they change, and when was a limit broken?",
    measure = roll_measures,
    columns = list(
      broken = column("broken", "truth")
    ),
    shares = c(
      "security", "benchmark", "measure", "window", "from", "to", "n", "estimate", "limit"
    ),
    compares = NULL,
    command = command_record(
      "Compare, through time and with the past", 10,
      says = "measures through time, beside each other and under their limits",
      options = c(
        choose, "every", "keep-unfinished", "kind", "measures", "window", "min-obs", "benchmark",
        "level", "limits", "target", "risk-free", "per-year", book, hand_on
      ),
      trade = list(
        trade(
          c("Limit breach", "risk limit", "rolling value at risk", "rolling correlation"),
          "measures through time, and limits on them",
          "imbroglio roll FILE --measures var --limits var=3%; imbroglio limits FILE --limits FILE"
        )
      ),
      help = c(
        window = "the returns of a window (250)"
      ),
      example = paste0(
        "imbroglio roll bay.csv --security TARROW --measures volatility,var,drawdown --limits ",
        "var=4%,drawdown=20% --figure roll.png"
      ),
      ways = c(
        "--window 40 --measures es,sortino --level 0.95",
        "--window 40 --measures beta,es,sharpe --benchmark INDEXX"
      )
    ),
    parts = list(
      roll = part(
        "more", 10, "whole", above = c("lead", "figure", "table"), usual = FALSE
      )
    ),
    cases = quote(list(
      all = last_of_each(roll_measures(
        x, setdiff(followed_names, c("drawdown", "mean_correlation")), 40, 20,
        benchmark = b, level = 0.9, target = 0.01
      )),
      of_logs = roll_measures(as_returns(x, "log"), "es", 40, level = 0.9, limits = c(es = 0.02)),
      of_pairs = roll_measures(book, "mean_correlation", 40)[100, ]
    ))
  )
}

#' Measures through time
#'
#' Any of the rolling measures, one beside the other, by one way of asking: volatility, value at
#' risk and expected shortfall, the deepest fall, semi-deviation, return, Sharpe and Sortino ratio,
#' skewness, and beside a benchmark beta, correlation and tracking error; of several securities
#' the mean correlation of all pairs. Limits are laid over them, and the date is found on which
#' one was first broken.
#'
#' @eval followed_in_docs(rolling_measures())
#' @param returns A returns table, a price table, whose simple returns are taken, or a book (as
#'   held then; `held = "today"` follows its holdings of today through the past).
#' @param measures Names of the table below.
#' @param window,min_obs The number of returns in a window, and how many will do before it is full.
#' @param benchmark For `beta`, `correlation` and `tracking_error`: one security, or a table that
#'   holds one.
#' @param level Of value at risk and expected shortfall.
#' @param limits Numbers by the name of a measure: `c(var = 0.03, sharpe = 0)`.
#' @param target A year, of `sortino`; `risk_free` of `sharpe` and `beta`.
#' @param risk_free,per_year See [measure_return()].
#' @return A table, a row for each security, measure and date: `security`, `benchmark` (where one
#'   is asked for), `measure`, `window`, `from`, `to`, `n`, `estimate`, and with limits `limit` and
#'   `broken`.
#' @eval columns_in_docs("roll")
#' @section Errors: `imbroglio_error_argument` for a measure that is not known, one that lacks its
#'   benchmark, or a limit of what is not measured.
#' @eval concepts_in_docs("roll_measures")
#' @family measures of returns
#' @examples
#' prices <- read_prices(demo_file("bay.csv"))
#' found <- roll_measures(prices[, "TARROW"], c("volatility", "var"), limits = c(var = 0.04))
#' in_words(found)
#' @export
roll_measures <- function(returns, measures = c("volatility", "var"), window = 250L,
                          min_obs = NULL, benchmark = NULL, level = 0.99, limits = NULL,
                          target = 0, risk_free = NULL, per_year = NULL) {
  if (is_drawn(returns)) return(over_drawings())
  if (is_opened(returns)) return(over_blocks())
  known <- rolling_measures()
  measures <- check_choice(measures, "measures", names(known), several = TRUE)
  windows <- check_windows(window, min_obs, several = FALSE)
  level <- check_fraction(level, "level")
  limits <- check_rolling_limits(limits, measures)
  beside <- measures[vapply(known[measures], `[[`, NA, "beside")]
  if (length(beside) && is.null(benchmark)) {
    fail("argument", sprintf("%s %s against a `benchmark`.", some(beside),
                             if (length(beside) == 1L) "is" else "are"))
  }
  if (any(c("var", "es") %in% measures)) warn_few_beyond(windows$least, level)
  request <- list(
    returns = take_returns(returns, profits = TRUE),
    of_holdings = if (inherits(returns, "imbroglio_book")) returns$returns[, returns$security],
    book_name = if (inherits(returns, "imbroglio_book")) returns$name,
    window = windows$window, min_obs = min_obs, benchmark = benchmark, level = level,
    target = target, risk_free = risk_free, per_year = per_year
  )
  parts <- lapply(measures, function(name) {
    found <- known[[name]]$over(request)
    c(found[1:2], list(measure = rep(name, length(found$to))),
      list(window = rep(windows$window, length(found$to))), found[-(1:2)])
  })
  columns <- stacked(parts)
  if (all(is.na(columns$benchmark))) columns$benchmark <- NULL
  if (!is.null(limits)) {
    columns$limit <- unname(limits[columns$measure])
    columns$broken <- is_broken(columns$measure, columns$estimate, columns$limit)
  }
  # What it is beside is among the prices that the working begins with.
  source <- request$returns
  if (length(beside)) source <- paired_with(source, benchmark)$returns
  made <- new_result(
    columns,
    "roll",
    returns_basis_later(
      request$returns,
      sample_of(request$returns$dates, request$returns$values),
      choices = c(
        windows$words,
        if (any(c("var", "es") %in% measures)) c(level = format(level)),
        if (length(beside)) c(benchmark = some(unique(stats::na.omit(columns$benchmark)))),
        if (!is.null(limits)) c(limits = some(paste(names(limits), format(limits)), 12L))
      ),
      exact = list(
        level = level, limits = limits, risk_free = risk_free, target = target,
        per_year = per_year, min_obs = min_obs,
        benchmark = unique(stats::na.omit(columns[["benchmark"]]))
      )
    ),
    source
  )
  attr(made, "holdings") <- request$of_holdings
  made
}

check_rolling_limits <- function(limits, measures) {
  if (is.null(limits)) return(NULL)
  if (!is.numeric(limits) || is.null(names(limits)) || any(!is.finite(limits))) {
    fail(
      "argument",
      "`limits` are numbers by the name of a measure, such as c(var = 0.03).",
      where = sprintf("They are %s.", shown(limits))
    )
  }
  other <- setdiff(names(limits), measures)
  if (length(other)) {
    fail(
      "argument",
      sprintf("`limits` has %s, which is not measured.", some(other)),
      remedy = "Name it in `measures` too."
    )
  }
  unit <- vapply(rolling_measures()[names(limits)], `[[`, "", "unit")
  high <- which(unit == "fraction" & abs(limits) > 1)
  if (length(high)) {
    caution(
      "limits",
      sprintf(
        "A limit of %s is %s %%.", names(limits)[high[1L]], format(100 * limits[[high[1L]]])
      ),
      remedy = "Write 4 percent as 0.04."
    )
  }
  limits
}

# Whether an estimate is on the wrong side of its limit; of what is told below 0 the size counts.
is_broken <- function(measure, estimate, limit) {
  known <- rolling_measures()[unique(measure)]
  wrong <- vapply(known, `[[`, "", "wrong")[measure]
  depth <- vapply(known, `[[`, NA, "depth")[measure]
  size <- ifelse(depth, -estimate, estimate)
  unname(ifelse(wrong == "above", size > abs_if(limit, depth), size < limit))
}

abs_if <- function(limit, depth) ifelse(depth, abs(limit), limit)
