# The workings of a backtest: how often the value at risk of each day was exceeded, and whether
# that could be chance.

#' @export
working_of.imbroglio_backtest <- function(result, row) {
  this <- row_of_result(result, row)
  days <- days_of_backtest(result, this)
  returns <- attr(result, "source")
  log <- returns$kind == "log"
  list(
    rows = list(with_sources(rows_of_working(
      "days",
      sprintf("days of %s with the value at risk that was known before each", this$security),
      list(return = days$return, known_var = days$var, known_es = days$es),
      days$date,
      days$date[1L],
      days$date[length(days$date)],
      made_for = "level"
    ), returns, c(return = this$security), returns$kind), rows_of_working(
      "counts", "all numbers of breaches that there can be", list(number = as.numeric(0:this$n))
    )),
    choices = list(level_choice(this$level)),
    steps = c(
      breach_steps(log), kupiec_steps(), exact_steps(), independence_steps(), other_test_steps(),
      zone_steps(this$n, attr(result, "zone_days"))
    ),
    shows = list(list(
      title = "The breaches, the largest excess first",
      table = days_by(
        days$date,
        ifelse(days$breach, as_loss(days$return, log) - days$var, -Inf),
        return = days$return,
        "value at risk" = days$var,
        most = min(10L, sum(days$breach))
      )
    )),
    main = "breaches"
  )
}

days_of_backtest <- function(result, this) {
  days <- backtest_days(result)
  at <- days$security == this$security & days$method == this$method & days$level == this$level
  lapply(days, `[`, at)
}

breach_steps <- function(log) {
  list(
    step("n", quote(count(return)), "days that were tested", "count"),
    step(
      "loss",
      if (log) quote(1 - exp(return)) else quote(-return),
      "loss of each day",
      "fraction"
    ),
    step("breach", quote(1 * (loss > known_var)), "1 where it was more than the value at risk"),
    step("breaches", quote(sum(breach)), "how often", "count"),
    step("expected", quote(n * (1 - level)), "how often it should have been"),
    step("breach_rate", quote(breaches / n), "the share of the days", "share")
  )
}

# A number of times, times the logarithm of a share; nothing where it is never.
times_log <- function(n, share) bquote(if_else(.(n) == 0, 0, .(n) * ln(.(share) + (.(n) == 0))))

kupiec_steps <- function() {
  seen <- call(
    "+",
    times_log(quote(breaches), quote(breach_rate)),
    times_log(quote((n - breaches)), quote((1 - breach_rate)))
  )
  list(
    step("as_seen", seen, "log-likelihood of breaches as often as they were"),
    step(
      "as_meant",
      quote(breaches * ln(1 - level) + (n - breaches) * ln(level)),
      "log-likelihood of breaches as often as they should be"
    ),
    step(
      "kupiec",
      quote(2 * (as_seen - as_meant)),
      "twice the difference",
      "statistic",
      source = "Kupiec (1995)"
    ),
    step(
      "kupiec_p",
      quote(chi_squared_beyond(kupiec, 1)),
      "chance of as much where the level is right"
    )
  )
}

exact_steps <- function() {
  list(
    step("chance", quote(binomial_at(number, n, 1 - level)), "chance of each number of breaches"),
    step("seen_chance", quote(value_at(chance, breaches + 1)), "that of as many as there were"),
    step(
      "exact_p",
      quote(lower_of(1, sum(chance * (chance <= seen_chance * (1 + 1e-7))))),
      "chance of a number that is no likelier"
    )
  )
}

# Breaches of each run of so many days, and from how many on it is yellow, and red.
zone_steps <- function(n, days) {
  if (n < days) return(NULL)
  several <- n > days
  zone <- function(name, of_run, words) {
    whole <- of_run(quote(first_run))
    if (several) whole <- bquote(sum(.(of_run(quote(run)))) + .(whole))
    step(name, whole, words, "count")
  }
  list(
    step(
      "so_far", quote(recursion(breach, previous + breach)), "breaches up to each day", "count"
    ),
    step(
      "first_run", bquote(value_at(so_far, .(days))),
      sprintf("those of the first %s", count(days)), "count"
    ),
    if (several) {
      step("run", bquote(so_far - before(so_far, .(days))), "those of each later run", "count")
    },
    step(
      "recent", if (several) quote(value_at(run, count(run))) else quote(first_run + 0),
      "those of the last run", "count"
    ),
    step(
      "yellow_from", bquote(binomial_quantile(0.95, .(days), 1 - level)),
      "as many are yellow: they have a chance of 95 % to be no more", "count"
    ),
    step(
      "red_from", bquote(binomial_quantile(0.9999, .(days), 1 - level)),
      "as many are red: 99.99 %", "count"
    ),
    zone("green", function(run) bquote(1 * (.(run) < yellow_from)), "green runs"),
    zone(
      "yellow", function(run) bquote((.(run) >= yellow_from) * (.(run) < red_from)), "yellow runs"
    ),
    zone("red", function(run) bquote(1 * (.(run) >= red_from)), "red runs")
  )
}

independence_steps <- function() {
  given <- function(breach, of) times_log(as.name(breach), bquote(.(as.name(breach)) / .(of)))
  rest <- function(breach, of) {
    times_log(bquote((.(of) - .(as.name(breach)))), bquote((1 - .(as.name(breach)) / .(of))))
  }
  list(
    step("before_breach", quote(before(breach)), "whether the day before was one"),
    step(
      "followed",
      quote(sum(breach * (before_breach == 1))),
      "breaches after a breach",
      "count"
    ),
    step("after_calm", quote(sum(breach * (before_breach == 0))), "breaches after none", "count"),
    step("of_breach", quote(sum(before_breach)), "days after a breach", "count"),
    step("of_calm", quote(n - 1 - of_breach), "days after none", "count"),
    step(
      "apart",
      call(
        "+",
        call("+", given("after_calm", quote(of_calm)), rest("after_calm", quote(of_calm))),
        call(
          "+",
          given("followed", quote(higher_of(of_breach, 1))),
          rest("followed", quote(of_breach))
        )
      ),
      "log-likelihood where it matters what the day before was"
    ),
    step("any", quote(followed + after_calm), "breaches after any day", "count"),
    step(
      "alike",
      call("+", given("any", quote((n - 1))), rest("any", quote((n - 1)))),
      "log-likelihood where it does not"
    ),
    step(
      "independence",
      quote(if_else(of_breach * of_calm == 0, 0, higher_of(0, 2 * (apart - alike)))),
      "twice the difference",
      "statistic",
      source = "Christoffersen (1998)"
    ),
    step("independence_p", quote(chi_squared_beyond(independence, 1)), "chance of as much"),
    step("coverage", quote(kupiec + independence), "both together", "statistic"),
    step("coverage_p", quote(chi_squared_beyond(coverage, 2)), "chance of as much")
  )
}

other_test_steps <- function() {
  list(
    step(
      "excess_share",
      quote(breach * loss / known_es),
      "loss over the expected shortfall of breaches"
    ),
    step(
      "es_z",
      quote(1 - sum(excess_share) / (n * (1 - level))),
      "how far the losses beyond are above what was expected: 0 where they are as expected",
      source = "Acerbi and Szekely (2014)"
    ),
    step(
      "penalty",
      quote((1 - level - breach) * (known_var - loss)),
      "how far each value at risk lay from the loss, weighted"
    ),
    step("score", quote(sum(penalty) / n), "mean of that: the lower, the better")
  )
}

#' @export
working_of.imbroglio_garch_forecast <- function(result, row) {
  this <- row_of_result(result, row)
  returns <- attr(result, "source")
  x <- returns$values[!is.na(returns$values[, this$security]), this$security]
  fitted <- garch_fit(x, this$innovations == "student")
  # Where nothing of a shock is lost, the variance grows by omega each period.
  lasts <- fitted$alpha + fitted$beta < 1
  sample <- rows_of_security(returns, this$security)
  list(
    rows = list(sample$rows),
    choices = list(
      year_choice(result, returns, this),
      choice("horizon", "periods ahead", this$horizon, "count")
    ),
    steps = c(
      sample$steps,
      garch_path_steps(fitted, !is.null(fitted$nu)),
      list(
        step("persistence", quote(garch_alpha + garch_beta), "how much of a variance goes on"),
        if (lasts) {
          step(
            "long_run_variance",
            quote(garch_omega / (1 - persistence)),
            "variance in the long run"
          )
        },
        step(
          "variance_then",
          if (lasts) {
            quote(
              long_run_variance + persistence^(horizon - 1) * (next_variance - long_run_variance)
            )
          } else {
            quote(next_variance + (horizon - 1) * garch_omega)
          },
          "variance of that period"
        ),
        step("volatility", quote(sqrt(variance_then)), "its volatility", "fraction"),
        step("volatility_annual", quote(volatility * sqrt(per_year)), "a year", "fraction"),
        step(
          "volatility_over",
          if (lasts) {
            quote(sqrt(
              horizon * long_run_variance +
                (next_variance - long_run_variance) * (1 - persistence^horizon) / (1 - persistence)
            ))
          } else {
            quote(sqrt(horizon * next_variance + horizon * (horizon - 1) / 2 * garch_omega))
          },
          "volatility over all periods up to it",
          "fraction"
        )
      )
    ),
    main = "volatility_annual"
  )
}
