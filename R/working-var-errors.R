# The workings of the errors of value at risk and of its interval.

# Asked for only where one of them is: what they are made of takes longer than the number itself.
error_working <- function(about, record) {
  level <- about$this$level
  if (is.na(about$this$var_error)) return(NULL)
  confidence <- choice(
    "confidence",
    "confidence of the interval",
    about$basis$exact$confidence,
    "level"
  )
  made <- if (!is.null(record$error_parts)) {
    parts <- record$error_parts(values_of(about), what_was_asked(about), 1 - level)
    if (!is.null(parts)) slope_errors(parts)
  } else if (identical(about$this$method, "historical")) {
    rank_errors(about)
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
      made_for = "*"
    )),
    steps = list(
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
      ),
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
  )
}

# Of the loss at a rank: how often each of the largest would stand there in a resample, and the
# ranks between which the loss lies.
rank_errors <- function(about) {
  x <- values_of(about)
  n <- length(x)
  k <- core_rank_position(n, about$this$level, rank_code(about$this$rank))
  weight <- diff(stats::pbeta(0:n / n, k, n - k + 1))
  used <- seq_len(max(which(weight > 0), min(n, floor(k) + 1)))
  loss <- function(value) loss_of(value, about$log)
  at_rank <- function(rank) {
    low <- loss(bquote(nth_smallest(return, round_down(.(rank)))))
    high <- loss(bquote(nth_smallest(return, round_up(.(rank)))))
    bquote(.(low) + (.(rank) - round_down(.(rank))) * (.(high) - .(low)))
  }
  list(
    rows = list(rows_of_working(
      "worst",
      "the largest losses, and the chance of each to stand at the rank in a resample",
      list(
        worst_loss = as_loss(sort(x)[used] * sqrt(about$horizon), about$log),
        chance = weight[used]
      ),
      made_for = "*"
    )),
    steps = c(
      list(
        step("usual", quote(sum(chance * worst_loss)), "the mean over all resamples", "fraction"),
        with_proof("var", step(
          "var_error",
          quote(sqrt(sum(chance * (worst_loss - usual)^2))),
          "its standard error: their deviation",
          "fraction",
          source = "Hutson and Ernst (2000)"
        ))
      ),
      shortfall_error_steps(floor(k), length(used) > floor(k)),
      rank_interval_steps(about, at_rank),
      list(
        step("position", quote(k), "the rank that is taken", "count"),
        if (k > 1) {
          step(
            "worse",
            loss(quote(nth_smallest(return, round_up(k) - 1))),
            "the next worse loss",
            "fraction"
          )
        },
        if (k < n) {
          step(
            "milder",
            loss(quote(nth_smallest(return, round_down(k) + 1))),
            "the next milder loss",
            "fraction"
          )
        }
      ),
      convention_steps(at_rank)
    )
  )
}

# What the reader has to have seen before a step.
with_proof <- function(name, s) {
  s$proof <- name
  s
}

shortfall_error_steps <- function(k, has_next) {
  list(
    step("which", quote(recursion(1 + 0 * worst_loss, previous + 1)), "place of each", "count"),
    step(
      "excess",
      if (has_next) quote(es - value_at(worst_loss, round_down(k) + 1)) else 0,
      "how far expected shortfall is above the next loss",
      "fraction"
    ),
    step(
      "variance_beyond",
      if (k > 1) {
        quote(
          sum((which <= round_down(k)) * (worst_loss - es)^2) / (round_down(k) - 1)
        )
      } else {
        quote(excess^2 / 2)
      },
      if (k > 1) "variance of the losses beyond" else "variance of a tail that is exponential"
    ),
    step(
      "es_error",
      quote(sqrt((variance_beyond + level * excess^2) / round_down(k))),
      "standard error of expected shortfall",
      "fraction"
    )
  )
}

rank_interval_steps <- function(about, at_rank) {
  ends <- interval_ranks(
    length(values_of(about)),
    1 - about$this$level,
    about$basis$exact$confidence
  )
  of <- function(name, rank, words) {
    if (is.na(rank)) return(NULL)
    at <- sub("var", "rank", name)
    list(
      entered(
        at,
        rank,
        sprintf("the rank %s, by the binomial distribution", words),
        proof = c("n", "level", "confidence"),
        source = "Nyblom (1992)",
        made_for = c("level", "confidence")
      ),
      step(name, at_rank(as.name(at)), "the loss that stands there", "fraction")
    )
  }
  c(
    of("var_low", ends[1L], "from which the interval goes"),
    of("var_high", ends[2L], "to which it goes")
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
