# The workings of what is measured against a benchmark: the line, and how far the returns stray.

#' @export
working_of.imbroglio_beta <- function(result, row) {
  this <- row_of_result(result, row)
  about <- basis(result)
  if (!is.na(choice_of(about, "together"))) return(joint_working(result, this))
  returns <- source_of_row(result, this)
  beside <- rows_of_pair(returns, this, about)
  newey <- choice_of(about, "errors") %in% "newey-west"
  list(
    rows = list(beside$rows),
    choices = c(
      beside$choices,
      list(
        year_choice(result, returns, this, beside$frequency),
        confidence_choice(result)
      )
    ),
    steps = c(
      beside$steps,
      line_steps(),
      if (newey) newey_west_steps(about$choices[["lags"]], this$n) else ordinary_error_steps(),
      interval_steps("beta"),
      interval_steps("alpha"),
      side_steps()
    ),
    shows = list(
      list(title = "The days that pull beta most", table = pulls(beside, this))
    )
  )
}

# Of several frequencies and spans side by side each row has returns of its own.
source_of_row <- function(result, this) {
  returns <- attr(result, "source")
  prices <- attr(result, "prices")
  if (is.null(prices)) return(returns)
  if (!is.null(this$span)) prices <- window(prices, last = this$span)
  as_returns(prices, kind = returns$kind, every = this$every)
}

rows_of_pair <- function(returns, this, about) {
  free <- choice_of(about, "risk-free")
  rate <- about$exact$risk_free
  by_series <- !is.na(free) && is.null(rate)
  series <- c(
    this$security,
    benchmark_ = this$benchmark,
    if (by_series) c(risk_free_ = free[[1L]])
  )
  names(series)[1L] <- ""
  windowed <- !is.null(this$window)
  made <- rows_of_several(
    returns,
    series,
    if (windowed) this$from,
    if (windowed) this$to
  )
  # A span is counted from the last date on.
  if (!is.null(this$span)) made$rows$window <- TRUE
  made$frequency <- shared_frequency(
    returns,
    match(this$security, colnames(returns$values)),
    this$benchmark,
    NULL
  )
  if (is.na(free)) {
    made$steps <- c(made$steps, excess_steps(NULL))
  } else if (by_series) {
    made$steps <- c(made$steps, excess_steps(quote(risk_free_return)))
  } else {
    made$choices <- list(choice("risk_free", "risk-free return a year", rate, "fraction"))
    rate <- of_kind(
      returns$kind, quote((1 + risk_free)^(1 / per_year) - 1), quote(ln(1 + risk_free) / per_year)
    )
    made$steps <- c(
      made$steps,
      list(step("rate", rate$taken, "risk-free return a period", "fraction", rate$others)),
      excess_steps(quote(rate))
    )
  }
  made
}

excess_steps <- function(less) {
  of <- function(name) if (is.null(less)) as.name(name) else call("-", as.name(name), less)
  above <- if (is.null(less)) "" else ", above the risk-free one"
  list(
    step("y", of("return"), paste0("return of the security", above), "fraction"),
    step("x", of("benchmark_return"), paste0("return of the benchmark", above), "fraction")
  )
}

line_steps <- function() {
  list(
    step("n", quote(count(y)), "how many they share", "count"),
    step("mean_y", quote(sum(y) / n), "mean of the security", "fraction"),
    step("mean_x", quote(sum(x) / n), "mean of the benchmark", "fraction"),
    step("squares_x", quote(sum((x - mean_x)^2)), "squares of the benchmark about its mean"),
    step("squares_y", quote(sum((y - mean_y)^2)), "squares of the security about its mean"),
    step("products", quote(sum((x - mean_x) * (y - mean_y))), "products of both"),
    step("beta", quote(products / squares_x), "slope of the line by least squares", "ratio"),
    step("alpha", quote(mean_y - beta * mean_x), "where the line crosses 0", "fraction"),
    step("alpha_annual", quote(alpha * per_year), "as much a year", "fraction"),
    step("correlation", quote(products / sqrt(squares_x * squares_y)), "correlation", "ratio"),
    step("r_squared", quote(correlation^2), "share of the squares that the line explains"),
    step("e", quote(y - alpha - beta * x), "what the line leaves of each return", "fraction"),
    step(
      "residual_volatility",
      quote(sqrt(sum(e^2) / (n - 2))),
      "deviation about the line",
      "fraction",
      list("divisor n - 1" = quote(sqrt(sum(e^2) / (n - 1))))
    ),
    step(
      "residual_volatility_annual",
      quote(residual_volatility * sqrt(per_year)),
      "as much a year",
      "fraction"
    ),
    step("beta_adjusted", quote((2 * beta + 1) / 3), "drawn towards 1")
  )
}

ordinary_error_steps <- function() {
  list(
    step(
      "beta_error",
      quote(residual_volatility / sqrt(squares_x)),
      "standard error of beta",
      "ratio"
    ),
    step(
      "alpha_error",
      quote(residual_volatility * sqrt(1 / n + mean_x^2 / squares_x)),
      "standard error of alpha",
      "fraction"
    )
  )
}

# What the line leaves, and that times the benchmark, beside themselves so many rows later.
newey_west_steps <- function(lags, n) {
  most <- if (lags == "by sample") floor(4 * (n / 100)^(2 / 9)) else as.numeric(lags)
  most <- min(most, n - 1)
  column <- function(name, lag) as.name(if (lag) paste0(name, "_", lag) else name)
  lagged <- unlist(
    lapply(seq_len(most), function(lag) {
      lapply(c("e", "g"), function(name) {
        step(
          as.character(column(name, lag)),
          bquote(before(.(column(name, lag - 1L)))),
          sprintf("%s, %s earlier", name, count(lag, "row"))
        )
      })
    }),
    recursive = FALSE
  )
  total <- function(a, b) {
    terms <- lapply(0:most, function(lag) {
      one <- if (lag == 0 || a == b) {
        bquote(sum(.(as.name(a)) * .(column(b, lag))))
      } else {
        bquote(
          (sum(.(as.name(a)) * .(column(b, lag))) + sum(.(as.name(b)) * .(column(a, lag)))) / 2
        )
      }
      if (lag) bquote(2 * (1 - .(lag) / (lags + 1)) * .(one)) else one
    })
    added_up(terms)
  }
  source <- "Newey and West (1987)"
  c(
    list(
      step("g", quote(e * (x - mean_x)), "times the benchmark about its mean"),
      entered("lags", most, "rows that are taken to depend on each other", "count")
    ),
    lagged,
    list(
      step("spread_a", total("e", "e"), "weighted squares and products of what is left"),
      step("spread_b", total("g", "g"), "of that times the benchmark"),
      step("spread_ab", total("e", "g"), "of one with the other"),
      step(
        "beta_error",
        quote(sqrt(spread_b) / squares_x),
        "standard error of beta",
        source = source
      ),
      step(
        "alpha_error",
        quote(sqrt(
          spread_a / n^2 +
            mean_x^2 * spread_b / squares_x^2 -
            2 * mean_x * spread_ab / n / squares_x
        )),
        "standard error of alpha",
        source = source
      )
    )
  )
}

interval_steps <- function(name) {
  of <- function(suffix) as.name(paste0(name, suffix))
  named <- function(suffix) paste0(name, suffix)
  list(
    step(named("_t"), bquote(.(of("")) / .(of("_error"))), "so many errors from 0"),
    step(
      named("_p"),
      bquote(student_beyond(.(of("_t")), n - 2)),
      "chance of as many where there is none"
    ),
    step(
      named("_reach"),
      bquote(student_quantile(1 - (1 - confidence) / 2, n - 2) * .(of("_error"))),
      "half of the interval"
    ),
    step(named("_low"), bquote(.(of("")) - .(of("_reach"))), "from"),
    step(named("_high"), bquote(.(of("")) + .(of("_reach"))), "to")
  )
}

# The slope on the days on which the benchmark rose, and fell.
side_steps <- function() {
  side <- function(name, inside, words) {
    n <- as.name(paste0("n_", name))
    mean_x <- as.name(paste0("mean_x_", name))
    mean_y <- as.name(paste0("mean_y_", name))
    list(
      step(paste0("n_", name), bquote(sum(.(inside))), paste("days on which it", words), "count"),
      step(
        paste0("mean_x_", name),
        bquote(sum(x * .(inside)) / .(n)),
        "mean of the benchmark then"
      ),
      step(
        paste0("mean_y_", name),
        bquote(sum(y * .(inside)) / .(n)),
        "mean of the security then"
      ),
      step(
        paste0("beta_", name),
        bquote(
          sum(.(inside) * (x - .(mean_x)) * (y - .(mean_y))) / sum(.(inside) * (x - .(mean_x))^2)
        ),
        paste("slope on the days on which the benchmark", words)
      )
    )
  }
  c(side("up", quote((x > 0)), "rose"), side("down", quote((x < 0)), "fell"))
}

pulls <- function(beside, this) {
  inside <- rows_used(beside$rows)
  dates <- beside$rows$dates[inside]
  if (beside$rows$priced) dates <- dates[-1L]
  at <- match(as.numeric(dates), as.numeric(beside$dates))
  y <- beside$values[at, 1L]
  x <- beside$values[at, 2L]
  pull <- (x - mean(x)) * (y - mean(y)) / sum((x - mean(x))^2)
  days_by(dates, abs(pull), security = y, benchmark = x, "part of beta" = pull)
}

# Of several benchmarks at once the slopes are entered; what is left is at right angles to each.
joint_working <- function(result, this) {
  returns <- attr(result, "source")
  table <- as.data.frame(result)
  all_of <- table[table$security == this$security, ]
  series <- c(this$security, all_of$benchmark)
  short <- paste0("x", seq_along(all_of$benchmark))
  names(series) <- c("", paste0(short, "_"))
  made <- rows_of_several(returns, series)
  slopes <- paste0("beta_", short)
  fitted <- Reduce(
    function(a, b) call("+", a, b),
    lapply(seq_along(short), function(j) {
      call("*", as.name(slopes[j]), as.name(paste0(short[j], "_return")))
    }),
    quote(alpha)
  )
  own <- match(this$benchmark, all_of$benchmark)
  list(
    rows = list(made$rows),
    steps = c(
      made$steps,
      lapply(seq_along(short), function(j) {
        entered(
          slopes[j],
          all_of$beta[j],
          paste("slope on", all_of$benchmark[j], "by least squares"),
          proof = paste0("right_angle_", j)
        )
      }),
      list(
        entered("alpha", this$alpha, "where the line crosses 0", "fraction"),
        step("e", call("-", quote(return), call("(", fitted)), "what they leave of each return")
      ),
      lapply(seq_along(short), function(j) {
        step(
          paste0("right_angle_", j),
          bquote(sum(e * .(as.name(paste0(short[j], "_return"))))),
          sprintf("products of that with %s: 0 at least squares", all_of$benchmark[j])
        )
      }),
      list(step("beta", as.name(slopes[own]), "the slope asked for", "ratio"))
    )
  )
}
