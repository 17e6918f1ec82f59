# The workings of the errors of value at risk by weighted and scaled returns, and by drawn paths.

# As if so many returns had been drawn as the weights are worth.
weighted_errors <- function(about) {
  this <- about$this
  list(steps = c(
    list(
      step("worth", quote(1 / sum(weight^2)), "how many equally weighted returns they are worth"),
      step("at", quote(higher_of(worth * (1 - level), 1e-6)), "so many of these are beyond"),
      step(
        "by_there", quote(beta_below(lower_of(total, 1), at, worth - at + 1)),
        "chance that this loss or a worse one stands at the rank in a resample"
      ),
      step(
        "chance", quote(by_there - if_else(place > 1, before(by_there), 0)), "that this one does"
      ),
      step("usual", quote(sum(chance * loss)), "the mean over all resamples", "fraction"),
      with_proof("var", step(
        "var_error", quote(sqrt(sum(chance * (loss - usual)^2))),
        "its standard error: their deviation", "fraction",
        source = "Hutson and Ernst (2000)"
      ))
    ),
    weighted_shortfall_errors(),
    weighted_interval(is.finite(this$var_high)),
    list(
      step("position", quote(k), "the rank that is taken", "count"),
      if (is.finite(this$worse)) {
        step("worse", quote(value_at(loss, round_up(k) - 1)), "the next worse loss", "fraction")
      },
      if (is.finite(this$milder)) {
        step("milder", quote(value_at(loss, round_down(k) + 1)), "the next milder", "fraction")
      }
    )
  ))
}

weighted_shortfall_errors <- function() {
  list(
    step("whole_k", quote(round_down(k)), "so many whole losses are in the shortfall", "count"),
    step("part", quote((place <= whole_k) * weight), "the weight of each that is"),
    step("parts", quote(sum(part)), "all of these", "share"),
    step("worth_beyond", quote(parts^2 / sum(part^2)), "how many equally weighted ones they are"),
    step(
      "excess", quote(if_else(whole_k < n, es - value_at(loss, lower_of(whole_k + 1, n)), 0)),
      "how far expected shortfall is above the next loss", "fraction"
    ),
    step(
      "variance_beyond",
      quote(if_else(
        whole_k > 1,
        sum(part * (loss - es)^2) / parts * worth_beyond / (worth_beyond - 1),
        excess^2 / 2
      )),
      "variance of the losses beyond; of one that of a tail that is exponential"
    ),
    step(
      "es_error", quote(sqrt((variance_beyond + level * excess^2) / worth_beyond)),
      "standard error of expected shortfall", "fraction"
    )
  )
}

weighted_interval <- function(bounded) {
  # Where more than half of what is left of the confidence lies beyond the sample, nothing there
  # bounds the loss.
  side <- function(name, share, words) {
    reached <- paste0("reached_", name)
    loss <- bquote(value_at(loss, lower_of(n, 1 + sum(total < .(as.name(reached))))))
    if (name == "high") loss <- bquote(only_if(level^worth <= (1 - confidence) / 2, .(loss)))
    list(
      step(
        reached, bquote(beta_quantile(.(share), at, worth - at + 1)),
        sprintf("the share of the weights %s", words), "share"
      ),
      step(
        paste0("var_", name), loss, "the loss that stands there", "fraction"
      )
    )
  }
  c(
    side("low", quote((1 + confidence) / 2), "from which the interval goes"),
    if (bounded) side("high", quote((1 - confidence) / 2), "to which it goes")
  )
}

# By the order of the scaled returns, and by how well the volatility of the next period is known.
scaled_errors <- function(about) {
  ranked <- rank_errors(about, quote(scaled))
  ranked$steps <- Filter(
    function(s) !s$name %in% c("position", "worse", "milder"),
    renamed_steps(ranked$steps, c(
      var_error = "order_error", es_error = "order_es_error", var_low = "order_low",
      var_high = "order_high"
    ))
  )
  both <- function(name, ranked_error, of, words) {
    added <- bquote(sqrt(.(as.name(ranked_error))^2 + (scale_error * .(of))^2))
    step(name, added, words, "fraction")
  }
  side <- function(name, sign, reach) {
    if (!is.finite(about$this[[name]])) return(NULL)
    step(
      name, call(sign, quote(var), bquote(sqrt((.(reach))^2 + (reach * scale_error * var)^2))),
      "as far as the interval by the order, and the volatility", "fraction"
    )
  }
  list(rows = ranked$rows, steps = c(ranked$steps, list(
    step("standard", quote(return / sqrt(variance)), "each return in its own volatilities"),
    step("centre", quote(sum(standard) / n), "their mean"),
    step("spread", quote(sum((standard - centre)^2) / n), "their mean square about it"),
    step(
      "tails", quote(sum((standard - centre)^4) / n / spread^2 - 3), "their excess kurtosis"
    ),
    step(
      "scale_error",
      quote(sqrt(higher_of(0, 2 + tails) * (1 - decay) / (1 + decay)) / 2),
      "error of a volatility that is weighted so, as a share of it"
    ),
    both("var_error", "order_error", quote(var), "both: of the order and of the volatility"),
    both("es_error", "order_es_error", quote(es), "that of expected shortfall"),
    step("reach", quote(normal_quantile((1 + confidence) / 2)), "errors to either side"),
    side("var_low", "-", quote(var - order_low)),
    side("var_high", "+", quote(order_high - var))
  )))
}

# Of several periods they are entered with the number.
filtered_errors <- function(about) {
  if (about$horizon > 1) return(NULL)
  log <- about$log
  rank_errors(about, quote(filtered), function(value) {
    if (log) bquote(1 - exp(.(value))) else call("-", value)
  })
}

# Of drawn paths: what other draws would have given, and another history.
drawn_errors <- function(about, blocks) {
  of_draws <- errors_of_drawing(about$this$level, about$basis$exact$draws)
  if (is.na(about$this$var_error)) return(of_draws)
  of_history <- if (about$this$horizon == 1) {
    errors_of_drawn_days(about)
  } else {
    exact <- about$basis$exact
    request <- list(
      block = exact$block, draws = exact$draws, seed = about$basis$seed, log = about$log,
      adds = about$adds
    )
    errors_by_begun_days(about$this, drawn_ends(about, blocks, request))
  }
  list(
    rows = c(of_draws$rows, of_history$rows),
    steps = c(of_draws$steps, of_history$steps)
  )
}

# The rank is among the paths: the largest losses, as far as they have a chance to stand there.
errors_of_drawing <- function(level, draws) {
  a <- 1 - level
  most <- min(draws, ceiling(2 * draws * a + 9 * sqrt(draws * a) + 25))
  part <- renamed_part(
    list(
      rows = list(rows_of_working(
        "worst", "places of the paths from the worst on",
        list(which = as.numeric(seq_len(most))), made_for = c("level", "horizon")
      )),
      choices = list(),
      steps = lapply(
        c(resample_steps(function(value) call("-", value), quote(ends)), shortfall_error_steps()),
        with_paths
      )
    ),
    "draw_",
    c("ends", "level", "k", "es", "drawn")
  )
  part$steps <- renamed_steps(part$steps, c(draw_var_error = "draw_error"))
  part[c("rows", "steps")]
}

# Of one period the paths are the days themselves: the errors of these by their order.
errors_of_drawn_days <- function(about) {
  own <- if (about$log) quote(exp(return) - 1) else quote(return)
  ranked <- rank_errors(about, quote(day), function(value) call("-", value))
  part <- renamed_part(
    list(
      rows = ranked$rows, choices = list(),
      steps = c(
        without_others(rank_steps(about$this$rank, quote(day))),
        Filter(Negate(is.null), c(
          sample_loss_steps(FALSE, quote(day), between = between_ranks(about$this)), ranked$steps
        ))
      )
    ),
    "day_",
    c("day", "level", "confidence")
  )
  error <- function(name, day, draw, words) {
    step(name, bquote(sqrt(.(as.name(day))^2 + .(as.name(draw))^2)), words, "fraction")
  }
  side <- function(name, sign, reach) {
    if (!is.finite(about$this[[name]])) return(NULL)
    step(
      name, call(sign, quote(var), bquote(sqrt((.(reach))^2 + (reach * draw_error)^2))),
      "as far as the interval of the days, and the draws", "fraction"
    )
  }
  # The rank among the days does not follow another that is chosen for the paths.
  part$steps <- lapply(part$steps, function(s) {
    if (s$name == "day_k") s$made_for <- "k"
    s
  })
  list(rows = part$rows, steps = c(
    list(step("day", own, "return of each day that was drawn from", "fraction")),
    part$steps,
    list(
      error("var_error", "day_var_error", "draw_error", "both: another history and other draws"),
      error("es_error", "day_es_error", "draw_es_error", "that of expected shortfall"),
      step("reach", quote(normal_quantile((1 + confidence) / 2)), "errors to either side"),
      side("var_low", "-", quote(day_var - day_var_low)),
      side("var_high", "+", quote(day_var_high - day_var))
    )
  ))
}

# Of several periods: how often the paths of the tail began at each day, and what that day would
# have moved had it been a little more likely (the infinitesimal jackknife).
errors_by_begun_days <- function(this, drawn) {
  how <- drawn$how
  tail <- which(drawn$ends <= -this$var)
  begun <- core_begun_days(
    how$days, how$horizon, tail, -drawn$ends[tail] - this$var, how$code, how$length, how$seed
  )
  lags <- lags_of_blocks(how)
  # After the last day comes the first: the last ones stand before it once more.
  again <- if (length(lags$lags)) utils::tail(seq_len(how$days), max(lags$lags))
  there <- c(again, seq_len(how$days))
  k <- floor(core_rank_position(how$draws, this$level, rank_code(this$rank)))
  ranks <- c(max(1, round(k / 2)), max(2, round(1.5 * k)))
  list(
    rows = list(rows_of_working(
      "begun",
      "days that were drawn from: how often a path of the tail, or a block of it, began there",
      list(
        inside = rep(c(0, 1), c(length(again), how$days)), begun = begun$count[there],
        begun_by_depth = begun$weighed[there]
      ),
      made_for = c("horizon", "level", "k")
    )),
    steps = begun_steps(begun, ranks, lags)
  )
}

begun_steps <- function(begun, ranks, lags) {
  made_for <- c("level", "horizon", "k")
  c(
    list(step("days", quote(sum(inside)), "how many days", "count")),
    moved_by_days("begun", quote(begun), quote(begun_all), lags),
    list(
      step(
        "per_density",
        bquote(
          (nth_smallest(ends, .(ranks[2L])) - nth_smallest(ends, .(ranks[1L]))) /
            .(diff(ranks)) * drawn
        ),
        "what one share of the paths is of loss, about the rank",
        made_for = made_for
      ),
      entered(
        "depth_squares", begun$squares,
        "squares of how far each path of the tail is beyond, for each day it began at",
        proof = "depth_spread", made_for = made_for
      )
    ),
    moved_by_days("depth", quote(begun_by_depth), quote(depth_squares), lags),
    list(
      step(
        "var_error", quote(sqrt((begun_spread * per_density)^2 + draw_error^2)),
        "both: another history and other draws", "fraction", source = "Efron (2014)"
      ),
      step(
        "es_error", quote(sqrt((depth_spread / (1 - level))^2 + draw_es_error^2)),
        "that of expected shortfall", "fraction"
      )
    ),
    interval_above_zero_steps()
  )
}

# By the weights of the covariances of days that blocks share.
moved_by_days <- function(name, column, squares, lags) {
  of <- function(suffix) as.name(paste0(name, "_", suffix))
  moved <- of("moved")
  near <- Map(function(lag, weight) {
    bquote(.(2 * weight) * before(.(moved), .(lag)))
  }, lags$lags, lags$weights)
  left <- 1 + 2 * sum(lags$weights)
  list(
    step(paste0(name, "_all"), bquote(sum(inside * .(column))), "all of them"),
    step(
      paste0(name, "_moved"), bquote((days * .(column) - .(of("all"))) / drawn),
      "what each day moved"
    ),
    step(
      paste0(name, "_beside"),
      if (length(near)) {
        # The rows before the first day are there for those that follow.
        bquote(if_else(inside, .(moved) * .(added_up(c(list(moved), near))), 0))
      } else {
        bquote(.(moved)^2)
      },
      if (length(near)) "with what the days of the same blocks moved" else "its square"
    ),
    step(
      paste0(name, "_summed"),
      bquote(sum(.(of("beside"))) - days^2 * .(squares) / drawn^2),
      "all of it, less what is due to the number of draws"
    ),
    step(
      paste0(name, "_spread"),
      bquote(sqrt(if_else(
        .(of("summed")) > 0, .(of("summed")) / (1 - .(left) / days),
        sum(inside * .(moved)^2)
      )) / days),
      "their deviation"
    )
  )
}
