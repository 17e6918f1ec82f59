# The workings of value at risk. A method's record has its own, made here: `working(about)` gives
# steps to `var` and `es` of one period, or of the horizon.

#' @export
working_of.imbroglio_var <- function(result, row) {
  this <- row_of_result(result, row)
  returns <- attr(result, "source")
  record <- known_var_methods()[[this$method]]
  overlapping <- this$horizon_by == "overlapping" && this$horizon > 1
  sample <- rows_of_security(
    returns,
    this$security,
    name = if (overlapping) "one_period_return" else "return"
  )
  if (overlapping) {
    over <- core_overlapping_returns(returns$values, this$horizon, returns$kind != "simple")
    returns <- altered(returns, values = `dimnames<-`(over, dimnames(returns$values)))
  }
  about <- list(
    returns = returns,
    this = this,
    basis = basis(result),
    log = returns$kind == "log",
    adds = returns$kind == "profit",
    rows = sample$rows,
    horizon = if (overlapping) 1 else this$horizon
  )
  made <- if (!is.null(record$working)) record$working(about)
  if (is.null(made)) made <- own_working(this[c("var", "es")], record)
  list(
    rows = made$rows %||% list(sample$rows),
    choices = c(
      list(
        level_choice(this$level),
        choice(
          "horizon", "periods ahead", if (overlapping) 1 else this$horizon, "count",
          moves = made$moves %||% list()
        )
      ),
      if (!is.na(this$var_value %||% NA)) {
        list(choice("value", "what is held, in money", this$var_value / this$var, "money"))
      },
      made$choices
    ),
    steps = c(
      # Of simple and log returns alike a loss is a share of what is held: the kind is no choice.
      without_others(sample_steps(sample, made$rows %||% list(sample$rows))),
      if (overlapping) overlapping_steps(this$horizon, about),
      made$steps,
      if (!is.na(this$var_value %||% NA)) {
        list(
          step("var_value", quote(var * value), "in money", "money"),
          step("es_value", quote(es * value), "expected shortfall, in money", "money")
        )
      }
    ),
    shows = made$shows,
    more = function() error_working(about, record),
    main = if (is.na(this$var_value %||% NA)) "var" else "var_value"
  )
}

# The conventions of rank: which of n ordered returns stands at the level.
rank_expressions <- list(
  nearest = quote(higher_of(1, lower_of(n, round_half_up(expected)))),
  up = quote(higher_of(1, lower_of(n, round_up(expected)))),
  down = quote(higher_of(1, lower_of(n, round_down(expected)))),
  interpolate = quote((n - 1) * (1 - level) + 1)
)

rank_steps <- function(rank, column = quote(return)) {
  # Between two returns only where that is what was chosen: the steps are others then.
  others <- rank_expressions[setdiff(c("nearest", "up", "down"), rank)]
  names(others) <- sprintf("rank \"%s\"", names(others))
  list(
    step("n", bquote(count(.(column))), "how many there are", "count"),
    step(
      "expected",
      quote(round_half_up(n * (1 - level) * 1e9) / 1e9),
      "so many of them are beyond the level, freed of rounding"
    ),
    step(
      "k",
      rank_expressions[[rank]],
      sprintf("which of the worst stands for it, by rank \"%s\"", rank),
      "number",
      others
    )
  )
}

# The loss that a return of `column` is, over the horizon by the root of time.
loss_of <- function(value, log) {
  if (log) bquote(1 - exp(.(value) * sqrt(horizon))) else bquote(-(.(value) * sqrt(horizon)))
}

# Value at risk and expected shortfall by the order of a column of returns.
sample_loss_steps <- function(log, column = quote(return), horizon = FALSE, between = FALSE) {
  loss <- function(value) {
    if (horizon) {
      loss_of(value, log)
    } else if (log) {
      bquote(1 - exp(.(value)))
    } else {
      call("-", value)
    }
  }
  first <- if (between) quote(round_down(k)) else quote(k)
  worse <- bquote(nth_smallest(.(column), .(first)))
  milder <- bquote(nth_smallest(.(column), lower_of(round_down(k) + 1, n)))
  list(
    step("at_rank", worse, "the return that stands there", "fraction"),
    if (between) step("next_milder", milder, "the next milder one", "fraction"),
    var_at_rank(loss, between),
    if (log) {
      step(
        "loss",
        if (horizon) bquote(exp(.(column) * sqrt(horizon)) - 1) else bquote(exp(.(column)) - 1),
        "what each log return is of what is held",
        "fraction"
      )
    },
    step(
      "es",
      if (log) {
        bquote(-mean_of_smallest(loss, .(first)))
      } else if (horizon) {
        bquote(-(mean_of_smallest(.(column), .(first)) * sqrt(horizon)))
      } else {
        bquote(-mean_of_smallest(.(column), .(first)))
      },
      "expected shortfall: the mean loss of those as bad or worse",
      "fraction"
    )
  )
}

# The day on which the loss at the rank was made; of equal ones the first.
observed_step <- function(about) {
  day <- about$this$observed %||% NA
  dates <- about$rows$dates[rows_used(about$rows)]
  if (is.na(day) || is.null(dates)) return(NULL)
  ahead <- length(dates) - length(values_of(about))
  if (!isTRUE(ahead %in% 0:1)) return(NULL)
  x <- values_of(about)
  k <- core_rank_position(length(x), about$this$level, rank_code(about$this$rank))
  if (!isTRUE(dates[match(sort(x)[k], x) + ahead] == day)) return(NULL)
  step(
    "observed", bquote(value_at(date, row_of(return, at_rank) + .(ahead))),
    "the day on which it was", "date"
  )
}

historical_working <- function(about) {
  losses <- losses_by_root(about)
  list(
    steps = c(rank_steps(about$this$rank), losses$steps, list(observed_step(about))),
    moves = losses$moves,
    shows = list(worst_days(about))
  )
}

# The losses of one period as they are, and what they are of another horizon by the root of time.
losses_by_root <- function(about, column = quote(return)) {
  steps <- function(horizon) {
    sample_loss_steps(about$log, column, horizon, between = between_ranks(about$this))
  }
  if (about$horizon > 1) return(list(steps = steps(TRUE)))
  list(steps = steps(FALSE), moves = changed_steps(steps(FALSE), steps(TRUE)))
}

# The expressions of the later steps that are others than the former, by name.
changed_steps <- function(former, later) {
  moved <- lapply(Filter(Negate(is.null), later), function(s) {
    before <- Find(function(known) identical(known$name, s$name), former)
    if (!identical(before$expression, s$expression)) stats::setNames(list(s$expression), s$name)
  })
  unlist(moved, recursive = FALSE)
}

# The loss at the rank; between two returns where the rank is. loss(value): what a return is as
# one.
var_at_rank <- function(loss, between) {
  expression <- loss(quote(at_rank))
  if (between) {
    expression <- bquote(
      .(expression) + (k - round_down(k)) * (.(loss(quote(next_milder))) - .(expression))
    )
  }
  step("var", expression, "value at risk: the loss that this is", "fraction")
}

# Whether the rank lies between two returns.
between_ranks <- function(this) identical(this$rank, "interpolate")

# The worst days, and which is taken.
worst_days <- function(about) {
  x <- about$returns$values[, about$this$security]
  k <- floor(about$this$position %||% NA)
  if (is.na(k)) return(NULL)
  first <- utils::head(order(x), min(k + 3, 30))
  list(
    title = sprintf("The worst days; the %s is taken", paste0(count(k), nth_ending(k))),
    table = data.frame(
      rank = seq_along(first),
      date = about$returns$dates[first],
      return = x[first],
      taken = ifelse(seq_along(first) == k, "<-", "")
    )
  )
}

nth_ending <- function(k) {
  if (k %% 100 %in% 11:13) return("th")
  switch(as.character(k %% 10), "1" = "st", "2" = "nd", "3" = "rd", "th")
}

# Returns over several periods that overlap, each of as many as the horizon is long.
overlapping_steps <- function(h, about) {
  lags_of <- c("one_period_return", sprintf("return_%d_before", seq_len(h - 1)))
  lags <- lapply(seq_len(h - 1), function(i) {
    step(
      lags_of[i + 1L],
      bquote(before(.(as.name(lags_of[i])))),
      sprintf("%s before", count(i, "row"))
    )
  })
  grown <- lapply(lags_of, function(name) {
    if (about$log || about$adds) as.name(name) else bquote((1 + .(as.name(name))))
  })
  how <- if (about$log || about$adds) "+" else "*"
  whole <- Reduce(function(a, b) call(how, a, b), grown)
  if (!about$log && !about$adds) whole <- call("-", whole, 1)
  # As many rows are looked back as the horizon is long.
  c(lags, list(step(
    "return", whole, sprintf("over %s", count(h, "period")), "fraction", made_for = "horizon"
  )))
}

# By a normal distribution of mean and deviation.
normal_working <- function(about, relative = FALSE, steps = NULL) {
  moments <- steps %||% c(
    list(step("n", quote(count(return)), "how many returns", "count")),
    list(
      step("average", quote(sum(return) / n), "their mean", "fraction"),
      step(
        "sd",
        quote(sqrt(sum((return - average)^2) / (n - 1))),
        "their standard deviation",
        "fraction",
        list("divisor n" = quote(sqrt(sum((return - average)^2) / n)))
      ),
      if (relative) {
        chosen_zero("centre", "the mean is taken as 0", about)
      } else {
        step("centre", quote(average), "the mean is kept", "fraction")
      }
    )
  )
  list(steps = c(moments, normal_loss_steps(about$log)))
}

chosen_zero <- function(name, words, about) {
  step(name, 0, words, "fraction", list("with the mean" = quote(average)))
}

normal_loss_steps <- function(log) {
  whole <- list(
    step("z", quote(normal_quantile(1 - level)), "quantile of the standard normal distribution"),
    step("centre_ahead", quote(centre * horizon), "mean over the horizon", "fraction"),
    step("sd_ahead", quote(sd * sqrt(horizon)), "deviation over it", "fraction"),
    step("quantile", quote(centre_ahead + z * sd_ahead), "the return at the level", "fraction")
  )
  ends <- if (log) {
    list(
      step("var", quote(1 - exp(quantile)), "value at risk: the loss that this is", "fraction"),
      step(
        "es",
        quote(
          1 - exp(centre_ahead + sd_ahead^2 / 2) * normal_below(z - sd_ahead) / (1 - level)
        ),
        "expected shortfall: the mean loss beyond",
        "fraction"
      )
    )
  } else {
    list(
      step("var", quote(-quantile), "value at risk: the loss that this is", "fraction"),
      step(
        "es",
        quote(sd_ahead * normal_density(z) / (1 - level) - centre_ahead),
        "expected shortfall: the mean loss beyond",
        "fraction"
      )
    )
  }
  c(whole, ends)
}
