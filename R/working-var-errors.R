# The workings of the errors of value at risk and of its interval.

# Asked for only where one of them is: what they are made of takes longer than the number itself.
error_working <- function(about, record) {
  level <- about$this$level
  drawn <- isTRUE(is.finite(about$this$draw_error)) && !is.null(record$blocks)
  if (is.na(about$this$var_error) && !drawn) return(NULL)
  confidence <- choice(
    "confidence",
    "confidence of the interval",
    about$basis$exact$confidence,
    "level"
  )
  made <- if (!is.null(record$error_parts)) {
    parts <- record$error_parts(values_of(about), what_was_asked(about), 1 - level)
    if (!is.null(parts)) slope_errors(parts)
  } else if (drawn) {
    drawn_errors(about, record$blocks)
  } else if (!is.null(record$error_steps)) {
    record$error_steps(about)
  }
  if (is.null(made)) return(NULL)
  c(made, list(choices = list(confidence)))
}

# By how value at risk moves with each parameter, and how these err together.
slope_errors <- function(parts) {
  names <- rownames(parts$covariance)
  pairs <- expand.grid(a = seq_along(names), b = seq_along(names))
  along <- function(row, which) unname(parts$slope[row, which])
  list(
    rows = list(rows_of_working(
      "parameters",
      sprintf(
        paste0(
          "pairs of parameters (%s): the slopes of value at risk and of expected shortfall along ",
          "both, by differences, and their covariance"
        ),
        paste(names, collapse = ", ")
      ),
      list(
        var_slope = along(1L, pairs$a),
        var_slope_other = along(1L, pairs$b),
        es_slope = along(2L, pairs$a),
        es_slope_other = along(2L, pairs$b),
        covariance = unname(parts$covariance[cbind(pairs$a, pairs$b)])
      ),
      made_for = c("level", "horizon", "decay", "tail")
    )),
    steps = c(list(
      step(
        "var_error",
        quote(sqrt(sum(var_slope * var_slope_other * covariance))),
        "its standard error, by the delta method",
        "fraction"
      ),
      step(
        "es_error",
        quote(sqrt(sum(es_slope * es_slope_other * covariance))),
        "that of expected shortfall",
        "fraction"
      )
    ), interval_above_zero_steps())
  )
}

interval_above_zero_steps <- function() {
  list(
    step("reach", quote(normal_quantile((1 + confidence) / 2)), "errors to either side"),
    step(
      "var_low",
      quote(if_else(var > 0, var * exp(-reach * var_error / var), var - reach * var_error)),
      "from: even steps of its logarithm, as a loss is above 0",
      "fraction"
    ),
    step(
      "var_high",
      quote(if_else(var > 0, var * exp(reach * var_error / var), var + reach * var_error)),
      "to",
      "fraction"
    )
  )
}

# Of the loss at a rank: how often each loss would stand there in a resample, and the ranks between
# which the loss lies. `of`: the column of returns whose order it is by.
rank_errors <- function(about, of = quote(return),
                        loss = function(value) loss_of(value, about$log)) {
  x <- values_of(about)
  n <- length(x)
  k <- core_rank_position(n, about$this$level, rank_code(about$this$rank))
  at_rank <- function(rank) {
    low <- loss(bquote(nth_smallest(.(of), round_down(.(rank)))))
    high <- loss(bquote(nth_smallest(.(of), round_up(.(rank)))))
    bquote(.(low) + (.(rank) - round_down(.(rank))) * (.(high) - .(low)))
  }
  beside <- function(name, rank, words) step(name, loss(rank), words, "fraction")
  most <- places_with_a_chance(n, about$this$level)
  list(
    rows = list(rows_of_working(
      "worst", "places of the returns from the worst on", list(which = as.numeric(seq_len(most)))
    )),
    steps = c(
      lapply(c(resample_steps(loss, of), shortfall_error_steps()), function(s) {
        if (most < n && s$name %in% c("var_error", "es_error")) {
          s$expression <- bquote(only_if(level >= .(least_level), .(s$expression)))
        }
        s
      }),
      rank_interval_steps(about, at_rank),
      list(
        step("position", quote(k), "the rank that is taken", "count"),
        if (k > 1) {
          beside("worse", bquote(nth_smallest(.(of), round_up(k) - 1)), "the next worse loss")
        },
        if (k < n) {
          beside("milder", bquote(nth_smallest(.(of), round_down(k) + 1)), "the next milder loss")
        }
      ),
      convention_steps(at_rank)
    )
  )
}

# How many places, from the worst on, have a chance to be the rank at any level from `least_level`
# on; of a lower one all are there.
places_with_a_chance <- function(n, level) {
  a <- 1 - least_level
  if (level < least_level) n else min(n, ceiling(2 * n * a + 9 * sqrt(n * a) + 25))
}

least_level <- 0.9

# The spread of the loss at the rank over all resamples.
resample_steps <- function(loss, of) {
  list(
    step(
      "worst_loss", loss(bquote(in_order(.(of), which))),
      "what each return is as a loss, the worst first", "fraction"
    ),
    step(
      "by_there", quote(beta_below(which / n, k, n - k + 1)),
      "chance that this loss or a worse one stands at the rank in a resample"
    ),
    step(
      "chance", quote(by_there - if_else(which > 1, before(by_there), 0)), "that this one does"
    ),
    step("usual", quote(sum(chance * worst_loss)), "the mean over all resamples", "fraction"),
    with_proof("var", step(
      "var_error",
      quote(sqrt(sum(chance * (worst_loss - usual)^2))),
      "its standard error: their deviation",
      "fraction",
      source = "Hutson and Ernst (2000)"
    ))
  )
}

# What the reader has to have seen before a step.
with_proof <- function(name, s) {
  s$proof <- name
  s
}

shortfall_error_steps <- function() {
  list(
    step("whole_k", quote(round_down(k)), "so many whole losses are in the shortfall", "count"),
    step(
      "excess",
      quote(if_else(whole_k < n, es - value_at(worst_loss, lower_of(whole_k + 1, n)), 0)),
      "how far expected shortfall is above the next loss",
      "fraction"
    ),
    step(
      "variance_beyond",
      quote(if_else(
        whole_k > 1,
        sum((which <= whole_k) * (worst_loss - es)^2) / higher_of(whole_k - 1, 1),
        excess^2 / 2
      )),
      "variance of the losses beyond; of one that of a tail that is exponential"
    ),
    step(
      "es_error",
      quote(sqrt((variance_beyond + level * excess^2) / whole_k)),
      "standard error of expected shortfall",
      "fraction"
    )
  )
}

# An end of the interval: so many of the returns lie below the quantile with at least its share of
# the chance, by the binomial distribution; between two of them it is shared out.
rank_interval_steps <- function(about, at_rank) {
  ends <- interval_ranks(
    length(values_of(about)),
    1 - about$this$level,
    about$basis$exact$confidence
  )
  of <- function(end, share, words) {
    called <- function(name) as.name(paste0(name, "_", end))
    r <- called("fewest")
    list(
      step(paste0("share_", end), share, "share of the chance beyond this end", "share"),
      step(
        paste0("fewest_", end),
        bquote(n - binomial_quantile(.(called("share")), n, level)),
        sprintf("the whole rank %s", words),
        "count"
      ),
      step(
        paste0("reached_", end), bquote(1 - binomial_below(.(r) - 1, n, 1 - level)),
        "chance that as many returns lie below the quantile", "share"
      ),
      step(
        paste0("passed_", end), bquote(1 - binomial_below(.(r), n, 1 - level)),
        "chance that one more does", "share"
      ),
      step(
        paste0("rank_", end),
        bquote(only_if(
          .(r) * (n - .(r)) > 0,
          .(r) + 1 / (1 + .(r) * level / ((n - .(r)) * (1 - level)) *
            (.(called("share")) - .(called("passed"))) /
            (.(called("reached")) - .(called("share"))))
        )),
        "the rank between both that has the share",
        source = "Nyblom (1992)"
      ),
      step(
        paste0("var_", end), at_rank(called("rank")), "the loss that stands there", "fraction"
      )
    )
  }
  c(
    if (!is.na(ends[1L])) of("low", quote((1 - confidence) / 2), "from which the interval goes"),
    if (!is.na(ends[2L])) of("high", quote((1 + confidence) / 2), "to which it goes")
  )
}

# The least and the most that the conventions of rank give.
convention_steps <- function(at_rank) {
  by <- sprintf("by_%s", names(rank_expressions))
  end_of <- function(f) Reduce(function(a, b) call(f, a, b), lapply(by, as.name))
  c(
    lapply(seq_along(by), function(i) {
      expression <- do.call(
        substitute,
        list(at_rank(quote(rank)), list(rank = rank_expressions[[i]]))
      )
      step(
        by[i],
        expression,
        sprintf("the loss by rank \"%s\"", names(rank_expressions)[i]),
        "fraction"
      )
    }),
    list(
      step("rank_least", end_of("lower_of"), "the least of them", "fraction"),
      step("rank_most", end_of("higher_of"), "the most", "fraction")
    )
  )
}
