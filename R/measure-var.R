#' Value at risk
#'
#' The loss that is not exceeded with the confidence `level` over `horizon` periods, as a positive
#' fraction (or in money, for a `value`), with the expected shortfall: the mean of the
#' losses from there on.
#'
#' @section Historical:
#' The k-th worst of the n observed returns. Which k is a convention, and a choice of
#' `rank`, with \eqn{a = 1 -}{a = 1 -} `level`:
#'
#' | rank | k |
#' |---|---|
#' | `"nearest"` | \eqn{n a} rounded, a half upwards |
#' | `"up"` | \eqn{n a} rounded up |
#' | `"down"` | \eqn{n a} rounded down, at least 1 |
#' | `"interpolate"` | \eqn{(n - 1) a + 1}, between two observations (type 7 of [stats::quantile()]) |
#'
#' The loss of a simple return \eqn{r} is \eqn{-r}, of a log return \eqn{x} it is \eqn{1 -
#' e^x}. The expected shortfall is the mean of the
#' k worst losses (of the whole ones, where k is between two).
#'
#' The horizon is reached in one of two ways, named in `horizon_by`: `"sqrt"` stretches
#' each return by
#' \eqn{\sqrt h}; `"overlapping"` takes the returns over every run of h periods, so that n
#' is h - 1 less.
#'
#' @param returns A returns table, or a price table, whose simple returns are taken.
#' @param level Confidence levels, fractions such as 0.99.
#' @param horizon Periods, a whole number.
#' @param method The way of estimation: `"historical"`.
#' @param rank Conventions of rank, one or several: see below.
#' @param horizon_by `"sqrt"` or `"overlapping"`.
#' @param value The value of the position in money, one number or one for each security.
#' @return A table, one row for each security, level and rank: `security`, `from`, `to`,
#'   `n`, `level`, `horizon`, `var`, `es` (fractions),
#'   `var_value` and `es_value` (money, if `value` is given), `method`, `rank`, `horizon_by`,
#'   and the working: `position` (k), `observed`
#'   (the date of the k-th worst return; `NA` between two), `worse` and `milder` (the losses
#'   next to it in rank).
#' @section Errors:
#'   `imbroglio_error_argument` for a level outside (0, 1), a horizon that is no
#'   whole number above 0, a value that is not above 0; a warning
#'   (`imbroglio_warning_few_observations`) where fewer than one observation lies
#'   beyond the level.
#' @examples
#' returns <- as_returns(read_prices(demo_file("bay.csv")))
#' measure_var(returns, level = c(0.95, 0.99), value = 1e6)
#' measure_var(returns[, "BAYALL"], rank = c("nearest", "up", "down", "interpolate"))
#' @export
measure_var <- function(returns, level = 0.99, horizon = 1L, method = "historical",
                        rank = "nearest", horizon_by = "sqrt", value = NULL) {
  returns <- take_returns(returns)
  level <- check_level(level)
  horizon <- check_whole(horizon, "horizon")
  check_choice(method, "method", names(var_methods))
  check_choice(rank, "rank", rank_conventions, several = TRUE)
  check_choice(horizon_by, "horizon_by", c("sqrt", "overlapping"))
  value <- check_value(value, colnames(returns$values))

  overlapping <- horizon_by == "overlapping" && horizon > 1L
  log <- returns$kind == "log"
  values <- if (overlapping) core_overlapping_returns(returns$values, horizon, log) else returns$values
  sample <- sample_of(returns$dates, returns$values)
  scale <- if (overlapping) 1 else sqrt(horizon)
  parts <- lapply(rank, function(convention) {
    found <- var_methods[[method]]$measure(values, level, convention, log, scale)
    each <- rep(seq_len(ncol(values)), each = length(level))
    worth <- if (!is.null(value)) list(var_value = found$var * value[each], es_value = found$es * value[each])
    c(list(security = colnames(values)[each], from = sample$from[each], to = sample$to[each], n = found$n,
           level = rep(level, ncol(values)), horizon = rep(horizon, length(each)), var = found$var, es = found$es),
      worth,
      list(method = rep(method, length(each)), rank = rep(convention, length(each)),
           horizon_by = rep(horizon_by, length(each)), position = found$position,
           observed = returns$dates[found$row], worse = found$worse, milder = found$milder))
  })
  columns <- if (length(parts) == 1L) parts[[1L]] else as.list(data.table::rbindlist(parts))
  warn_few(columns, horizon)
  choices <- c(method = method, rank = paste(rank, collapse = ", "),
               horizon = if (horizon == 1L) "1" else paste(horizon, "by", horizon_by))
  new_result(columns, "var", returns_basis(returns, sample, choices = choices), returns)
}

rank_conventions <- c("nearest", "up", "down", "interpolate")

# A method is a record: what it is called, how it measures, its formula and its source.
var_methods <- list(
  historical = list(
    title = "Historical",
    measure = function(values, level, rank, log, scale) {
      core_historical_tail(values, level, match(rank, rank_conventions) - 1L, log, scale)
    },
    formula = "the k-th worst of n returns, k by the convention of rank"
  )
)

check_value <- function(value, securities) {
  if (is.null(value)) return(NULL)
  ok <- is.numeric(value) && length(value) %in% c(1L, length(securities)) && all(is.finite(value)) && all(value > 0)
  if (!ok) {
    fail("argument", "`value` must be above 0: one number, or one for each security.",
         where = sprintf("It is %s.", shown(value)))
  }
  if (!is.null(names(value))) value <- value[pick_securities(securities, names(value))]
  rep_len(as.numeric(value), length(securities))
}

warn_few <- function(columns, horizon) {
  few <- columns$n * (1 - columns$level) < 1 - 1e-9
  if (!any(few)) return(invisible())
  i <- which(few)[1L]
  what <- if (columns$n[i] == 0L) "no return" else sprintf("only %s", count(columns$n[i], "return"))
  caution("few_observations",
          sprintf("%s has %s: fewer than one lies beyond the level %s, so the worst one is what is shown.",
                  columns$security[i], what, format(columns$level[i])),
          remedy = sprintf("This level wants %s or more.",
                           count(ceiling(1 / (1 - columns$level[i]) - 1e-9), "return")))
}
