record_of_backtest <- function() {
  measure_record(
    270,
    title = "Value at risk put to the test",
    asks = "Was it breached as often as it should be?",
    measure = backtest_var,
    columns = list(
      expected = column("expected", "one"),
      breaches = column("breaches", "count"),
      breach_rate = column("rate", "share"),
      kupiec = column("Kupiec", "two", detail = TRUE),
      kupiec_p = column("Kupiec p", "p"),
      exact_p = column("exact p", "p"),
      independence = column("independence", "two", detail = TRUE),
      independence_p = column("clusters p", "p"),
      coverage = column("both", "two", detail = TRUE),
      coverage_p = column("both p", "p"),
      zone = column("zone", "text"),
      recent = column("recent", "count", detail = TRUE),
      green = column("green", "count"),
      yellow = column("yellow", "count"),
      red = column("red", "count"),
      es_z = column("ES z", "two"),
      es_p = column("ES p", "p", working = FALSE),
      score = column("score", "significant"),
      lacking = column("lacking", "count", detail = TRUE, working = FALSE),
      place = column("place", "count", working = FALSE)
    ),
    shares = c("security", "method", "level", "from", "to", "n"),
    tables = list(
      backtest_breaches = table_record(
        "Breaches of the value at risk",
        columns = list(
          loss = column("loss", "fraction"),
          excess = column("excess", "points")
        ),
        shares = c("security", "method", "level", "date", "return", "var", "es"),
        shows = 40L
      ),
      backtest_zones = table_record(
        "Breaches, run by run",
        shares = c("security", "method", "level", "from", "to", "breaches", "zone")
      ),
      backtest_series = table_record(
        "Value at risk, day by day",
        columns = list(
          breach = column("breach", "truth")
        ),
        shares = c("security", "method", "level", "date", "return", "var", "es"),
        shows = 40L
      )
    ),
    compares = NULL,
    command = command_record(
      "Check the number, and hand it on", 10,
      says = "value at risk put to the test, day by day",
      options = c(
        choose, "every", "keep-unfinished", "kind", "window", "level", "method", "expanding",
        "refit", "rank", "decay", "half-life", "tail", "block", "draws", "seed", "zone-days",
        "breaches", "zones", "series", book, hand_on
      ),
      trade = list(
        trade(
          c("Kupiec test", "Christoffersen test", "traffic light", "exceptions"),
          "value at risk against what happened, day by day",
          "imbroglio backtest FILE"
        )
      ),
      example = c(
        paste0(
          "imbroglio backtest bay.csv --security BAYALL --method historical,normal,ewma ",
          "--figure backtest.png"
        ),
        paste0(
          "imbroglio backtest bay.csv --security BAYALL --window 500 --expanding --method ",
          "garch --refit 20 --breaches"
        )
      ),
      ways = c(
        "--window 50 --level 0.95",
        "--window 60 --method ewma",
        "--window 50 --level 0.95 --breaches",
        "--window 50 --level 0.95 --zones --zone-days 60",
        "--window 50 --level 0.95 --series BOOK"
      )
    ),
    parts = list(
      backtest = part(
        "risk", 20, "whole", above = "lead", height = 6.8, drafts = " {window: 250}",
        with = function(work) {
          list(method = work$choices$var$method %||% work$settings$method, level = top_level(work))
        }
      )
    ),
    cases = quote(list(
      whole = backtest_var(
        prices[1:500, "TARROW"], window = 100, method = c("historical", "normal")
      )
    ))
  )
}

#' Put value at risk to the test
#'
#' For each day the value at risk is taken from the returns before it only, and set against what
#' happened. How often it was breached, whether breaches come in clusters, whether they were as
#' bad as the expected shortfall says, and which method did best.
#'
#' With n days tested, x breaches and \eqn{a = 1 -}{a = 1 -} `level`:
#' * `kupiec`: \eqn{2 \ln \frac{(x/n)^x (1-x/n)^{n-x}}{a^x (1-a)^{n-x}}}{2 ln[(x/n)^x (1 -
#'   x/n)^(n-x) / (a^x (1-a)^(n-x))]}, chi-squared with 1 degree of freedom. With few breaches
#'   that is not close: `exact_p` adds up the binomial chances of all numbers of breaches that are
#'   no likelier.
#' * `independence`: the same kind of ratio for breaches being as frequent after a breach as after
#'   none (1 degree of freedom), and `coverage`, the sum of both (2).
#' * `zone`: of the last `zone_days`, and how many runs of so many days were `green`, `yellow` or
#'   `red`. Yellow begins where so many breaches or fewer have a chance of 95 %, red where it is
#'   99.99 %: of 250 days at 99 %, from 5 and from 10.
#' * `es_z`: \eqn{1 - \sum L_t / (n a\, ES_t)}{1 - sum(L_t / (n a ES_t))} over the breaches, L the
#'   loss: 0 is expected, below it losses were worse or more frequent. `es_p` is the chance of as
#'   bad a sum if all is right and what lies beyond the value at risk is exponential.
#' * `score`: the mean of \eqn{(a - 1\{L_t > VaR_t\})(VaR_t - L_t)}{(a - [L_t > VaR_t]) (VaR_t -
#'   L_t)}, which is least for the true quantile; `place` orders the methods by it, on the days
#'   that all of them have; `lacking` says how many of the days that any of them has a method does
#'   not have.
#'
#' @section Refitting: What has parameters (`normal`, the families, GARCH, `hill`, `pareto`,
#'   methods of one's own) is fitted again every `refit` periods. What follows the returns without
#'   (ranks, exponential weights, the volatility of GARCH given its parameters) moves every day.
#'
#' @inheritParams measure_var
#' @param method One or several methods of [measure_var()].
#' @param window How many returns are looked at.
#' @param expanding Whether all returns so far are looked at; `window` is then how many come
#'   before the first test.
#' @param refit After how many periods parameters are fitted again.
#' @param rank A convention of rank.
#' @param zone_days The length of a run for the zones.
#' @param result A result of `backtest_var()`.
#' @return A table, a row for each security, level and method: `security`, `method`, `level`,
#'   `from`, `to`, `n` (days tested), `expected`, `breaches`, `breach_rate`, `kupiec`, `kupiec_p`,
#'   `exact_p`, `independence`, `independence_p`, `coverage`, `coverage_p`, `zone`, `recent`
#'   (breaches of the last `zone_days`), `green`, `yellow`, `red`, `es_z`, `es_p`, `score`,
#'   `lacking`, `place`.
#'
#'   `backtest_series()`: a row for each day tested: `security`, `method`, `level`, `date`,
#'   `return`, `var`, `es`, `breach`; `backtest_breaches()`: the breaches, with the `loss` and its
#'   `excess` over the value at risk; `backtest_zones()`: runs of `zone_days` side by side, the
#'   last one ending on the last day: `from`, `to`, `breaches`, `zone`. `autoplot()` draws losses,
#'   lines and breaches.
#' @eval columns_in_docs("backtest")
#' @section Errors: Those of [measure_var()]; `imbroglio_error_too_short` where no security has
#'   more returns than the window. Warning `imbroglio_warning_few_observations` where fewer than
#'   one return of the window lies beyond the level.
#' @references Kupiec (1995), Techniques for verifying the accuracy of risk measurement models,
#'   Journal of Derivatives 3. Christoffersen (1998), Evaluating interval forecasts, International
#'   Economic Review 39. Basel Committee on Banking Supervision (1996), Supervisory framework for
#'   the use of backtesting. Acerbi and Szekely (2014), Backtesting expected shortfall, Risk 27.
#' @eval concepts_in_docs("backtest_var")
#' @family measures of risk
#' @examples
#' returns <- as_returns(read_prices(demo_file("bay.csv")))[, "BAYALL"]
#' test <- backtest_var(returns, method = c("historical", "normal", "ewma"))
#' test
#' backtest_breaches(test)
#' @export
backtest_var <- function(returns, window = 250L, level = 0.99, method = "historical",
                         rank = "nearest", decay = NULL, half_life = NULL, tail = 0.1,
                         block = NULL, draws = 10000L, seed = 1L, expanding = FALSE, refit = 1L,
                         zone_days = 250L) {
  if (is_opened(returns)) return(over_blocks())
  returns <- take_returns(returns, profits = TRUE, held = "today")
  window <- check_whole(window, "window", least = 2L)
  refit <- check_whole(refit, "refit")
  zone_days <- check_whole(zone_days, "zone_days")
  records <- check_methods(method)
  request <- requested(returns, level, decay, half_life, tail, block, draws, seed, rank = rank)
  empirical <- any(vapply(records, `[[`, NA, "empirical"))
  check_backtest_window(returns, window, empirical, request)
  lines <- var_lines_of(returns, records, window, expanding, refit, request)
  columns <- backtest_columns(returns, lines, records, request, zone_days)
  common <- scores_of_common_days(returns, lines, columns, request)
  columns$lacking <- common$all - columns$n
  columns$place <- as.integer(stats::ave(
    common$score,
    columns$security,
    columns$level,
    FUN = function(s) rank(s, na.last = "keep", ties.method = "min")
  ))
  choices <- c(
    method = paste(names(records), collapse = ", "),
    if (empirical) c(rank = rank),
    window = sprintf("%s %s", if (expanding) "from" else "of", count(window)),
    if (refit > 1L) c("fitted every" = refit),
    if (!is.null(request$decay)) c(decay = format(request$decay)),
    "zones of" = zone_days
  )
  result <- new_result(
    columns,
    "backtest",
    returns_basis_later(
      returns,
      sample_of(returns$dates, returns$values),
      choices = choices,
      seed = if (any_chance(records, 1L)) request$seed else NA_integer_
    ),
    returns
  )
  attr(result, "lines") <- lapply(lines, lapply, lapply, function(one) {
    if (is.matrix(one)) colnames(one) <- names(returns)
    one
  })
  attr(result, "levels") <- request$level
  attr(result, "zone_days") <- zone_days
  result
}

check_backtest_window <- function(returns, window, empirical, request) {
  most <- max(core_observed(returns$values))
  if (most <= window) {
    fail(
      "too_short",
      "No security has more returns than the window.",
      where = sprintf(
        "The window is %s, the longest has %s.",
        count(window),
        count(most, "return")
      )
    )
  }
  if (empirical) warn_few_beyond(window, max(request$level))
}

backtest_columns <- function(returns, lines, records, request, zone_days) {
  parts <- list()
  for (i in seq_along(request$level)) {
    for (name in names(records)) {
      parts[[length(parts) + 1L]] <- tested_columns(
        returns, lines[[name]][[i]], name, request$level[i], zone_days
      )
    }
  }
  columns <- stacked(parts)
  in_order <- order(
    match(columns$security, colnames(returns$values)),
    match(columns$level, request$level),
    match(columns$method, names(records))
  )
  lapply(columns, `[`, in_order)
}

# For each method and level, value at risk and expected shortfall on each row, from the returns
# before it.
var_lines_of <- function(returns, records, window, expanding, refit, request) {
  values <- returns$values
  lapply(records, function(record) {
    if (!is.null(record$rolling) && (refit == 1L || record$empirical)) {
      fast <- lapply(request$level, function(level) {
        record$rolling(
          values,
          if (expanding) 0L else window,
          window,
          replace(request, "level", level)
        )
      })
      if (!is.null(fast[[1L]])) return(fast)
    }
    as_said <- function(code) if (is.null(record$said)) code else said_once(code, record$said)
    line_of <- function(x) var_line_of(x, record, window, expanding, refit, request)
    lines <- as_said(lines_of_each(values, line_of, window, length(request$level), record$title))
    lapply(seq_along(request$level), function(i) {
      list(var = array(lines[, , i, 1L], dim(values)), es = array(lines[, , i, 2L], dim(values)))
    })
  })
}

lines_of_each <- function(values, line_of, window, levels, title) {
  lines <- array(NA_real_, c(dim(values), levels, 2L))
  bar <- progress_bar(title, total = ncol(values))
  for (j in seq_len(ncol(values))) {
    rows <- which(!is.na(values[, j]))
    if (length(rows) > window) lines[rows, j, , ] <- line_of(values[rows, j])
    progress_step(bar)
  }
  progress_done(bar)
  lines
}

var_line_of <- function(x, record, window, expanding, refit, request) {
  a <- 1 - request$level
  out <- array(NA_real_, c(length(x), length(a), 2L))
  sample_at <- function(row) x[(if (expanding) 1L else row - window):(row - 1L)]
  refitted <- seq.int(window + 1L, length(x), refit)
  # Of samples of different lengths, missing at the end.
  samples <- function(j) {
    most <- length(sample_at(refitted[max(j)]))
    vapply(refitted[j], function(row) `length<-`(sample_at(row), most), numeric(most))
  }
  fit_of <- fits_ahead(record, NULL, request, length(refitted), samples)
  fit <- now <- NULL
  for (at_row in (window + 1L):length(x)) {
    before <- sample_at(at_row)
    fresh <- (at_row - window - 1L) %% refit == 0L
    if (fresh) fit <- fit_of((at_row - window - 1L) %/% refit + 1L, before)
    if (fresh || !record$still) now <- record$tail(fit, before, a, request)
    out[at_row, , ] <- now
  }
  out
}

# Methods are compared on the days that all of them have; `all`: how many days any of them has.
scores_of_common_days <- function(returns, lines, columns, request) {
  common <- list(score = columns$score, all = columns$n)
  # A method alone shares all of its days with itself.
  if (length(lines) == 1L) return(common)
  groups <- split(
    seq_along(columns$score),
    paste(columns$security, match(columns$level, request$level))
  )
  for (rows in groups) {
    j <- match(columns$security[rows[1L]], colnames(returns$values))
    at <- match(columns$level[rows[1L]], request$level)
    r <- returns$values[, j]
    known <- vapply(
      columns$method[rows],
      function(m) !is.na(lines[[m]][[at]]$var[, j]) & !is.na(r),
      logical(length(r))
    )
    first <- sum(rowSums(known) > 0)
    common$all[rows] <- first
    if (all(colSums(known) == first)) next
    shared <- rowSums(known) == ncol(known)
    loss <- as_loss(r[shared], request$log)
    common$score[rows] <- vapply(columns$method[rows], function(m) {
      estimate <- lines[[m]][[at]]$var[shared, j]
      if (any(shared)) {
        mean((1 - request$level[at] - (loss > estimate)) * (estimate - loss))
      } else {
        NA_real_
      }
    }, 0)
  }
  common
}

tested_columns <- function(returns, line, method, level, zone_days) {
  a <- 1 - level
  in_logs <- returns$kind == "log"
  tested <- core_backtest(
    returns$values,
    line$var,
    line$es,
    level,
    in_logs,
    zone_days,
    zone_limits(zone_days, a)
  )
  n <- tested$n
  x <- tested$breaches
  span <- core_span(line$var)
  kupiec <- ifelse(n > 0L, kupiec_ratio(x, n, a), NA_real_)
  independence <- independence_ratio(tested$follow)
  k <- length(n)
  last <- ifelse(n >= zone_days, tested$recent, NA_integer_)
  limits <- zone_limits(zone_days, a)
  list(
    security = colnames(returns$values),
    method = rep(method, k),
    level = rep(level, k),
    from = returns$dates[span$first],
    to = returns$dates[span$last],
    n = n,
    expected = n * a,
    breaches = x,
    breach_rate = ifelse(n > 0L, x / n, NA_real_),
    kupiec = kupiec,
    kupiec_p = by_chi_squared(kupiec, 1),
    exact_p = exact_p(x, n, a),
    independence = independence,
    independence_p = by_chi_squared(independence, 1),
    coverage = kupiec + independence,
    coverage_p = by_chi_squared(kupiec + independence, 2),
    zone = zone_names[1L + (last >= limits[1L]) + (last >= limits[2L])],
    recent = last,
    green = tested$zones[, 1L],
    yellow = tested$zones[, 2L],
    red = tested$zones[, 3L],
    es_z = ifelse(n > 0L, 1 - tested$expected_losses / (n * a), NA_real_),
    es_p = shortfall_p(tested$expected_losses, n, a, tested$var_to_es),
    score = tested$score
  )
}
