# The workings of value at risk by returns made like today's, by the tail, and by draws.

age_weighted_working <- function(about) {
  x <- values_of(about)
  in_order <- order(x)
  rows <- rows_of_working(
    "sorted",
    "the returns from the worst on, with their age in periods",
    list(x = x[in_order], age = length(x) - in_order)
  )
  list(
    rows = list(about$rows, rows),
    choices = list(decay_choice(about, 0.99)),
    steps = c(
      weight_steps(), weighted_rank_steps(about$this), weighted_loss_steps(about),
      if (!is.na(about$this$observed %||% NA)) {
        list(step(
          "observed", quote(value_at(date, count(date) - value_at(age, k))),
          "the day on which it was, so many before the last", "date"
        ))
      }
    ),
    shows = list(worst_days(about))
  )
}

weight_steps <- function() {
  list(
    step("n", quote(count(x)), "how many returns", "count"),
    step("raw", quote(decay^age), "weight of each by its age"),
    step("whole", quote(sum(raw)), "all weights"),
    step("weight", quote(raw / whole), "its share of them"),
    step("total", quote(recursion(weight, previous + weight)), "shares added up")
  )
}

weighted_rank_steps <- function(this) {
  nearest <- quote(if_else(
    1 - level - value_at(total, k_down) < value_at(total, k_up) - (1 - level) - slack,
    k_down,
    k_up
  ))
  ways <- list(nearest = nearest, up = quote(k_up), down = quote(k_down))
  others <- ways[setdiff(names(ways), this$rank)]
  names(others) <- sprintf("rank \"%s\"", names(others))
  list(
    step("slack", quote(1e-9 * higher_of(1 - level, 1 / n)), "what counts as rounding"),
    step(
      "k_up",
      quote(lower_of(n, 1 + sum(total < 1 - level - slack))),
      "the first whose total is as much as is beyond the level",
      "count"
    ),
    step(
      "k_down",
      quote(higher_of(1, sum(total <= 1 - level + slack))),
      "the last whose total is not more",
      "count"
    ),
    if (between_ranks(this)) {
      entered(
        "k",
        this$position,
        "which of the worst stands for it, between two",
        made_for = c("level", "decay")
      )
    } else {
      step(
        "k",
        ways[[this$rank]],
        sprintf("which is taken, by rank \"%s\"", this$rank),
        "number",
        others
      )
    }
  )
}

weighted_loss_steps <- function(about) {
  loss <- function(value) loss_of(value, about$log)
  list(
    step(
      "at_rank",
      quote(value_at(x, round_down(k))),
      "the return that stands there",
      "fraction"
    ),
    step(
      "next_milder",
      quote(value_at(x, lower_of(round_down(k) + 1, n))),
      "the next milder one",
      "fraction"
    ),
    var_at_rank(loss, between_ranks(about$this)),
    step("place", quote(recursion(1 + 0 * x, previous + 1)), "place of each", "count"),
    step("loss", loss(quote(x)), "what each is as a loss", "fraction"),
    step(
      "es",
      quote(sum((place <= round_down(k)) * weight * loss) / value_at(total, round_down(k))),
      "expected shortfall: the weighted mean of those as bad or worse",
      "fraction"
    )
  )
}

# Each return as if today's volatility had been that of its own day.
volatility_scaled_working <- function(about) {
  if (any(weighted_path(values_of(about), 0.94) == 0)) return(NULL)
  losses <- losses_by_root(about, quote(scaled))
  list(
    choices = list(decay_choice(about)),
    moves = losses$moves,
    steps = c(
      list(
        step("mean_square", quote(sum(return^2) / count(return)), "mean square of the returns"),
        step(
          "variance",
          quote(recursion(
            mean_square + 0 * return,
            (1 - decay) * before(return)^2 + decay * previous
          )),
          "variance of each as known before it: from that on, weighted exponentially"
        ),
        step(
          "now",
          quote(sqrt(
            (1 - decay) * value_at(return, count(return))^2 +
              decay * value_at(variance, count(return))
          )),
          "volatility of the period after the last",
          "fraction"
        ),
        step(
          "scaled",
          quote(return * now / sqrt(variance)),
          "each return at that volatility",
          "fraction"
        )
      ),
      rank_steps(about$this$rank),
      losses$steps
    )
  )
}

filtered_working <- function(about) {
  x <- values_of(about)
  at <- garch_fit(x, FALSE)
  if (is.null(at) || about$this$horizon > 1) return(NULL)
  list(
    steps = c(
      garch_path_steps(at, FALSE),
      list(step(
        "filtered",
        quote(garch_mean + sqrt(next_variance) * e / sqrt(variance)),
        "each return, as it would be at the volatility of the next period",
        "fraction",
        made_for = "horizon"
      )),
      rank_steps(about$this$rank)[-1L],
      sample_loss_steps(about$log, quote(filtered), between = between_ranks(about$this))
    ),
    shows = garch_shown(x, at, FALSE)
  )
}

values_of <- function(about) {
  x <- about$returns$values[, about$this$security]
  unname(x[!is.na(x)])
}

ewma_var_working <- function(about) {
  list(
    choices = list(decay_choice(about)),
    steps = c(
      ewma_steps(),
      list(
        step("sd", quote(sqrt(value_at(squares, n))), "deviation of the next period", "fraction"),
        step("centre", 0, "the mean is taken as 0", "fraction")
      ),
      normal_loss_steps(about$log)
    )
  )
}

garch_periods <- function(about) {
  if (about$horizon > 1) {
    rows_of_working(
      "ahead",
      "the periods ahead",
      list(period = as.numeric(seq_len(about$horizon))),
      made_for = "horizon",
      of_data = FALSE
    )
  }
}

garch_ahead_steps <- function(about, periods) {
  list(
    step("persistence", quote(garch_alpha + garch_beta), "how much of a variance goes on"),
    # No geometric series: near a persistence of 1 it has few digits.
    if (!is.null(periods)) {
      step(
        "variance_then",
        quote(recursion(next_variance + 0 * period, garch_omega + persistence * previous)),
        "variance of each period ahead"
      )
    },
    step(
      "variance_ahead",
      if (is.null(periods)) quote(next_variance) else quote(sum(variance_then)),
      "variance of all periods ahead",
      made_for = "horizon"
    ),
    step("sd_ahead", quote(sqrt(variance_ahead)), "deviation over the horizon", "fraction"),
    step("centre_ahead", quote(garch_mean * horizon), "mean over it", "fraction")
  )
}

garch_var_working <- function(about, student) {
  at <- garch_fit(values_of(about), student)
  if (is.null(at)) return(NULL)
  student <- !is.null(at$nu)
  periods <- garch_periods(about)
  ahead <- garch_ahead_steps(about, periods)
  if (!student) {
    ends <- normal_loss_steps(about$log)
    return(list(
      rows = list(about$rows, periods),
      steps = c(
        garch_path_steps(at, FALSE),
        ahead,
        Filter(function(s) !s$name %in% c("centre_ahead", "sd_ahead"), ends)
      ),
      shows = garch_shown(values_of(about), at, FALSE)
    ))
  }
  beyond <- beyond_the_level(about)
  list(
    rows = list(about$rows, periods, beyond$rows),
    steps = c(
      garch_path_steps(at, TRUE),
      ahead,
      list(
        step(
          "z",
          quote(student_quantile(1 - level, garch_nu) * sqrt((garch_nu - 2) / garch_nu)),
          "quantile of Student's t of variance 1"
        ),
        step(
          "quantile",
          quote(centre_ahead + z * sd_ahead),
          "the return at the level",
          "fraction"
        ),
        loss_at_quantile(about),
        beyond$step
      )
    ),
    shows = garch_shown(values_of(about), at, TRUE)
  )
}

family_working <- function(about, name) {
  fit <- family_fits(matrix(values_of(about)), fit_families()[[name]])[[1L]]
  if (is.null(fit)) return(NULL)
  record <- attr(fit, "record")
  at <- unlist(fit)
  of <- if (at_a_limit(attr(fit, "state"))) paste(name, attr(fit, "state"))
  centre <- record$moments(as.list(at))[["mean"]]
  if (!is.finite(centre)) centre <- at[[1L]]
  parameters <- record$parameters
  at_level <- if (is.null(record$at_level)) {
    p <- as.list(stats::setNames(at, parameters))
    entered(
      "standard",
      (record$quantile(log(1 - about$this$level), p) - at[[1L]]) / at[[2L]],
      "quantile of the family at the level, at location 0 and scale 1, by search",
      made_for = "level"
    )
  } else {
    step("standard", record$at_level, "quantile of the family, at location 0 and scale 1")
  }
  beyond <- beyond_the_level(about)
  over_horizon <- quote(centre * horizon + (one_period - centre) * sqrt(horizon))
  list(
    rows = list(about$rows, beyond$rows),
    steps = c(
      list(step("n", quote(count(return)), "how many returns", "count")),
      family_steps(record, at, of = of),
      list(
        at_level,
        step(
          "one_period",
          bquote(.(as.name(parameters[1L])) + .(as.name(parameters[2L])) * standard),
          "the return at the level over one period",
          "fraction"
        )
      ),
      list(
        entered(
          "centre",
          centre,
          "mean of the fitted distribution, or where none, its location"
        ),
        if (about$horizon > 1) {
          step(
            "quantile",
            over_horizon,
            "over the horizon: the mean grows with it, the rest with its root",
            "fraction"
          )
        } else {
          step("quantile", quote(one_period), "the return at the level", "fraction")
        },
        loss_at_quantile(about),
        beyond$step
      )
    ),
    moves = if (about$horizon == 1) list(quantile = over_horizon),
    shows = family_shown(record, values_of(about), at)
  )
}

cornish_fisher_working <- function(about) {
  moments <- moment_steps()
  names(moments) <- vapply(moments, `[[`, "", "name")
  at <- moments[c(
    "mean", "apart", "volatility", "moment_2", "moment_3", "moment_4", "skewness", "kurtosis"
  )]
  beyond <- beyond_the_level(about)
  made <- c(
    list(step("n", quote(count(return)), "how many returns", "count")),
    unname(at),
    list(
      step("S", quote(skewness / sqrt(horizon)), "skewness over the horizon"),
      step("K", quote(kurtosis / horizon), "excess kurtosis over it"),
      step(
        "z",
        quote(normal_quantile(1 - level)),
        "quantile of the standard normal distribution"
      ),
      step(
        "z_expanded",
        quote(
          z + (z^2 - 1) * S / 6 + (z^3 - 3 * z) * K / 24 - (2 * z^3 - 5 * z) * S^2 / 36
        ),
        "with skewness and kurtosis",
        source = "Cornish and Fisher (1938)",
        others = list("the normal quantile as it is" = quote(z))
      ),
      step(
        "quantile",
        quote(mean * horizon + volatility * sqrt(horizon) * z_expanded),
        "the return at the level",
        "fraction"
      )
    ),
    list(loss_at_quantile(about), beyond$step)
  )
  list(rows = list(about$rows, beyond$rows), steps = made)
}
