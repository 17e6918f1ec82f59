# The workings of the measures of falls, and of what was earned for them.

#' @export
working_of.imbroglio_downside <- function(result, row) {
  this <- row_of_result(result, row)
  made <- falls_working(result, this)
  delta <- identical(basis(result)$exact$errors, "delta")
  drawn <- drawn_error_working(result, lapply(attr(result, "draws"), `[[`, this$security))
  list(
    rows = c(list(made$rows), drawn$rows),
    choices = made$choices,
    steps = c(
      made$steps,
      below_mean_steps(),
      below_target_steps(),
      partial_steps(basis(result)$exact$order),
      if (is.null(this$window)) size_steps(made$rows$priced),
      if (delta && is.null(this$window)) downside_error_steps(),
      drawn$steps
    ),
    main = "semi_deviation_annual"
  )
}

# What both begin with: the returns, their mean, the target of a period.
falls_working <- function(result, this) {
  returns <- attr(result, "source")
  rolling <- !is.null(this$window)
  sample <- rows_of_security(
    returns, this$security, if (rolling) this$from, if (rolling) this$to
  )
  target <- of_kind(
    returns$kind,
    quote((1 + target_annual)^(1 / per_year) - 1),
    quote(ln(1 + target_annual) / per_year),
    quote(target_annual / per_year)
  )
  list(
    rows = sample$rows,
    choices = list(
      year_choice(result, returns, this),
      choice("target_annual", "target, a year", basis(result)$exact$target, "fraction")
    ),
    steps = c(sample$steps, list(
      step("n", quote(count(return)), "how many returns", "count"),
      step("mean", quote(sum(return) / n), "mean of the returns", "fraction"),
      step("target", target$taken, "the target of a period", "fraction", target$others)
    ))
  )
}

below_mean_steps <- function() {
  list(
    step("below", quote(lower_of(return - mean, 0)), "how far below the mean", "fraction"),
    step(
      "semi_deviation",
      quote(sqrt(sum(below^2) / n)),
      "root of the mean square, of all",
      "fraction",
      list("only those below" = quote(sqrt(sum(below^2) / sum(below < 0))))
    ),
    step(
      "semi_deviation_annual", quote(semi_deviation * sqrt(per_year)), "a year", "fraction"
    )
  )
}

below_target_steps <- function() {
  list(
    step("lacking_return", quote(lower_of(return - target, 0)), "how far below it", "fraction"),
    step(
      "downside_deviation",
      quote(sqrt(sum(lacking_return^2) / n)),
      "root of the mean square, of all",
      "fraction",
      list("only those below" = quote(sqrt(sum(lacking_return^2) / sum(lacking_return < 0)))),
      source = "Sortino and van der Meer (1991)"
    ),
    step(
      "downside_deviation_annual", quote(downside_deviation * sqrt(per_year)), "a year",
      "fraction"
    )
  )
}

partial_steps <- function(power) {
  list(
    step(
      "lack",
      if (power == 1) quote(-lacking_return) else bquote(
        if_else(lacking_return < 0, (0 - lacking_return)^.(power), 0)
      ),
      "what is lacking, to the order of the moment"
    ),
    step("partial_moment", quote(sum(lack) / n), "its mean")
  )
}

size_steps <- function(priced) {
  # Of prices the row before the first return is in no run.
  run <- function(on) {
    first <- if (priced) 0 else bquote(if_else(.(on), 1, 0))
    bquote(recursion(.(first), if_else(.(on), previous + 1, 0)))
  }
  list(
    step(
      "average_gain",
      quote(sum(return * (return > 0)) / sum(return > 0)),
      "mean of those above 0",
      "fraction"
    ),
    step(
      "average_loss",
      quote(sum(return * (return < 0)) / sum(return < 0)),
      "mean of those below 0",
      "fraction"
    ),
    step("rises", run(quote(return > 0)), "how many in a row rose so far", "count"),
    step("longest_rise", quote(maximum(rises)), "the most", "count"),
    step("falls", run(quote(return < 0)), "how many in a row fell so far", "count"),
    step("longest_fall", quote(maximum(falls)), "the most", "count"),
    step("fall_row", quote(row_of(falls, longest_fall)), "the row on which it ended", "count"),
    step("fall_to", quote(value_at(date, fall_row)), "when that run ended", "date"),
    step(
      "fall_from",
      quote(value_at(date, fall_row - longest_fall + 1)),
      "when it began",
      "date"
    )
  )
}

downside_error_steps <- function() {
  c(
    error_step(
      "semi_annual_error",
      quote(
        (below^2 - sum(below^2) / n - 2 * sum(below) / n * (return - mean)) /
          (2 * semi_deviation)
      ),
      quote(sqrt(per_year))
    ),
    error_step(
      "downside_annual_error",
      quote((lacking_return^2 - downside_deviation^2) / (2 * downside_deviation)),
      quote(sqrt(per_year))
    ),
    error_step("partial_error", quote(lack - partial_moment))
  )
}

#' @export
working_of.imbroglio_ratios <- function(result, row) {
  this <- row_of_result(result, row)
  returns <- attr(result, "source")
  made <- falls_working(result, this)
  drawn <- drawn_error_working(result, lapply(attr(result, "draws"), `[[`, this$security))
  list(
    rows = c(list(made$rows), drawn$rows),
    choices = made$choices,
    steps = c(
      made$steps,
      below_target_steps(),
      growth_steps(result, returns, made$rows)[-1L],
      fall_steps_of(made$rows, returns$kind),
      deep_fall_steps(basis(result)$exact$deepest),
      ratio_of_falls_steps(),
      ratio_error_steps(result, this),
      drawn$steps
    ),
    main = "sortino_annual"
  )
}

# Wealth and how far below its high; of profits their sum.
fall_steps_of <- function(rows, kind) {
  if (kind != "profit") return(wealth_steps_of_rows(rows, kind))
  c(
    list(step("wealth", quote(recursion(return, previous + return)), "the sum so far")),
    below_steps(TRUE, FALSE, quote(recursion(higher_of(0, wealth), higher_of(previous, wealth))))
  )
}

# The mean of the deepest falls: of those that ended, and of one that goes on.
deep_fall_steps <- function(deepest) {
  made <- average_fall_steps()[1:2]
  made[[1L]] <- step(
    "deepest",
    quote(recursion(lower_of(below, 0), if_else(below < 0, lower_of(previous, below), 0))),
    "the deepest of a fall so far",
    "fraction"
  )
  c(list(step("max_drawdown", quote(minimum(below)), "the deepest fall", "fraction")), made, list(
    step("last_fall", quote(value_at(deepest, count(deepest))), "the fall that goes on"),
    step(
      "k",
      bquote(lower_of(.(deepest), sum(ended < 0) + (last_fall < 0))),
      "how many of the deepest are averaged",
      "count"
    ),
    step(
      "deep_falls",
      quote(if_else(
        last_fall < nth_smallest(ended, k),
        if_else(
          k > 1,
          mean_of_smallest(ended, higher_of(k - 1, 1)) * (k - 1) + last_fall,
          last_fall
        ) / k,
        mean_of_smallest(ended, k)
      )),
      "their mean",
      "fraction"
    )
  ))
}

ratio_of_falls_steps <- function() {
  list(
    step("sortino", quote((mean - target) / downside_deviation), "Sortino's ratio, a period"),
    step("sortino_annual", quote(sortino * sqrt(per_year)), "a year"),
    step("above", quote(higher_of(return - target, 0)), "how far above the target", "fraction"),
    step(
      "omega_ratio",
      quote(sum(above) / -sum(lacking_return)),
      "what was gained over what was lacking",
      source = "Keating and Shadwick (2002)"
    ),
    step("calmar", quote(return_annual / -max_drawdown), "return a year over the deepest fall"),
    step("sterling", quote(return_annual / -deep_falls), "over the mean of the deepest"),
    step("losses", quote(lower_of(return, 0)), "those below 0", "fraction"),
    step("gain_to_pain", quote(sum(return) / -sum(losses)), "all returns over the losses")
  )
}

# What each return adds to the ratios that are of means.
ratio_error_steps <- function(result, this) {
  errors <- basis(result)$exact$errors
  if (!is.null(this$window) || !errors %in% c("delta", "dependent")) return(NULL)
  added <- list(
    sortino_annual_error = quote(
      (return - mean) / downside_deviation - (mean - target) / downside_deviation^2 *
        (lacking_return^2 - downside_deviation^2) / (2 * downside_deviation)
    ),
    omega_error = quote((above + omega_ratio * lacking_return) / (-sum(lacking_return) / n)),
    gain_to_pain_error = quote((return + gain_to_pain * losses) / (-sum(losses) / n))
  )
  scale <- list(quote(sqrt(per_year)), NULL, NULL)
  if (errors == "delta") return(unlist(Map(error_step, names(added), added, scale), FALSE))
  returns <- attr(result, "source")
  x <- returns$values[, this$security]
  x <- x[!is.na(x)]
  exact <- basis(result)$exact
  year <- check_per_year(exact$per_year, returns)[[this$security]]
  target <- target_a_period(exact$target, year, returns$kind)
  adds <- list(influence_of_sortino, influence_of_omega, influence_of_pain)
  unlist(Map(function(name, expression, adds, scale) {
    if (is.na(this[[name]])) return(NULL)
    leaning_error_steps(name, expression, adds(x, target), this, scale)
  }, names(added), added, adds, scale), FALSE, FALSE)
}

#' @export
working_of.imbroglio_capture <- function(result, row) {
  this <- row_of_result(result, row)
  returns <- attr(result, "source")
  beside <- rows_of_pair(returns, this, basis(result))
  in_logs <- returns$kind == "log"
  logs <- function(of) if (in_logs) bquote(.(of) + 0) else bquote(ln(1 + .(of)))
  both <- as_simple(beside$values, returns$kind)
  adds <- function(on) added_to_capture(both[, 1L], both[, 2L], on)
  list(
    rows = list(beside$rows),
    choices = list(),
    steps = c(
      without_others(beside$steps),
      list(
        step("own", logs(quote(return)), "logarithm of what the security grew by"),
        step("other", logs(quote(benchmark_return)), "of the benchmark"),
        step("n", quote(count(own)), "how many periods", "count")
      ),
      capture_steps("up", quote(other > 0), "rose", this, adds(both[, 2L] > 0)),
      capture_steps("down", quote(other < 0), "fell", this, adds(both[, 2L] < 0)),
      list(
        if (!is.na(this$capture_ratio)) {
          step("capture_ratio", quote(up_capture / down_capture), "the one over the other")
        },
        step("ahead", quote(sum(own > other) / n), "share in which it did better", "share")
      )
    ),
    main = "up_capture"
  )
}

# Those in which the benchmark rose, or fell; `z`: what each period adds.
capture_steps <- function(side, on, verb, this, z) {
  of <- function(...) as.name(paste0(side, "_", ...))
  mean_log <- function(of_whom) bquote(sum(.(of_whom) * .(of("on"))) / .(of("periods")))
  own <- quote(own)
  other <- quote(other)
  error <- paste0(side, "_capture_error")
  c(list(
    step(paste0(side, "_on"), on, paste("whether the benchmark", verb)),
    step(paste0(side, "_periods"), bquote(sum(.(of("on")))), "how often", "count"),
    step(paste0(side, "_own"), mean_log(own), "mean logarithm of the security's then"),
    step(paste0(side, "_other"), mean_log(other), "and of the benchmark's"),
    step(
      paste0(side, "_capture"),
      bquote((exp(.(of("own"))) - 1) / (exp(.(of("other"))) - 1)),
      "geometric means over each other",
      "share"
    ),
    step(
      paste0(side, "_added"),
      bquote(
        .(of("on")) * (exp(.(of("own"))) * (own - .(of("own"))) -
          .(of("capture")) * exp(.(of("other"))) * (other - .(of("other")))) /
          (exp(.(of("other"))) - 1)
      ),
      "what each period adds to it"
    )
  ), if (isTRUE(is.finite(this[[error]]))) {
    leaning_error_steps(
      error, quote(0), z, this, bquote(n / .(of("periods"))), paste0(side, "_added")
    )
  }, list(
    step(
      paste0(side, "_capture_mean"),
      bquote(
        sum(.(of("on")) * (exp(own) - 1)) / sum(.(of("on")) * (exp(other) - 1))
      ),
      "arithmetic means over each other",
      "share"
    ),
    step(
      paste0("ahead_", side),
      bquote(sum((own > other) * .(of("on"))) / .(of("periods"))),
      "share of them in which it did better",
      "share"
    )
  ))
}
