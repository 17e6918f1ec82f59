# What a backtest lists: days, breaches, runs.

#' @rdname backtest_var
#' @export
backtest_series <- function(result) listed_of(result, backtest_days(result), "backtest_series")

listed_of <- function(result, columns, measure) {
  new_result(columns, measure, basis(result), attr(result, "source"))
}

backtest_days <- function(result) {
  check_backtest(result)
  result <- table_again(result)
  source <- attr(result, "source")
  table <- as.data.frame(result)[c("security", "method", "level")]
  stacked(lapply(seq_len(nrow(table)), function(i) {
    security <- table$security[i]
    line <- attr(result, "lines")[[table$method[i]]][[match(
      table$level[i],
      attr(result, "levels")
    )]]
    r <- source$values[, security]
    rows <- which(!is.na(line$var[, security]) & !is.na(r))
    m <- length(rows)
    estimate <- line$var[rows, security]
    list(
      security = rep(security, m),
      method = rep(table$method[i], m),
      level = rep(table$level[i], m),
      date = source$dates[rows],
      return = r[rows],
      var = estimate,
      es = line$es[rows, security],
      breach = as_loss(r[rows], source$kind == "log") > estimate
    )
  }))
}

check_backtest <- function(result) {
  if (!inherits(result, "imbroglio_backtest")) {
    fail(
      "argument",
      "This is asked of a result of backtest_var().",
      where = sprintf("This is %s.", shown(result))
    )
  }
}

#' @rdname backtest_var
#' @export
backtest_breaches <- function(result) listed_of(result, breach_rows(result), "backtest_breaches")

breach_rows <- function(result) {
  result <- table_again(result)
  days <- backtest_days(result)
  days <- lapply(days, `[`, days$breach)
  loss <- as_loss(days$return, attr(result, "source")$kind == "log")
  c(
    days[c("security", "method", "level", "date", "return")],
    list(loss = loss, var = days$var, excess = loss - days$var, es = days$es)
  )
}

#' @rdname backtest_var
#' @export
backtest_zones <- function(result) listed_of(result, zone_rows(result), "backtest_zones")

zone_rows <- function(result) {
  check_backtest(result)
  result <- table_again(result)
  days <- backtest_days(result)
  span <- attr(result, "zone_days")
  key <- paste(days$security, days$method, days$level, sep = "\r")
  left <- stats::ave(seq_along(key), match(key, unique(key)), FUN = function(i) {
    rev(seq_along(i)) - 1L
  })
  # Counted back from the last day; what is left over at the start is no whole run.
  run <- left %/% span
  group <- paste(key, run, sep = "\r")
  groups <- factor(group, unique(group))
  first <- !duplicated(group)
  zones <- list(
    security = days$security[first],
    method = days$method[first],
    level = days$level[first],
    from = days$date[first],
    to = days$date[!duplicated(group, fromLast = TRUE)],
    breaches = as.integer(rowsum(as.integer(days$breach), as.integer(groups))[, 1L])
  )
  whole <- as.vector(table(groups)) == span
  zones <- lapply(zones, `[`, whole)
  limits <- vapply(zones$level, function(level) zone_limits(span, 1 - level), c(0L, 0L))
  zones$zone <- zone_names[1L +
    (zones$breaches >= limits[1L, ]) +
    (zones$breaches >= limits[2L, ])]
  zones
}
