# The working of a measure at a date of its way through time: that of the measure itself, of the
# window that ends there.

#' @export
working_of.imbroglio_roll <- function(result, row) {
  this <- row_of_result(result, row)
  made <- switch(
    this$measure,
    var = ,
    es = tail_over_time(result, this),
    skewness = skewness_over_time(result, this),
    mean_correlation = mean_correlation_over_windows(result, this),
    column_working(result, this)
  )
  made$main <- "estimate"
  made
}

named_estimate <- function(steps, name) {
  lapply(Filter(Negate(is.null), steps), function(s) {
    if (s$name == name) s$name <- "estimate"
    s
  })
}

column_working <- function(result, this) {
  over <- rolling_measures()[[this$measure]]$over
  about <- basis(result)$exact
  returns <- attr(result, "source")
  free <- about$risk_free
  column <- attr(over, "column")
  needed <- c(this$security, this$benchmark)
  # What there was to say was said when it was measured.
  found <- suppressWarnings(suppressMessages(attr(over, "measure")(list(
    returns = returns[, unique(needed[!is.na(needed)])], window = this$window,
    min_obs = about$min_obs, benchmark = this$benchmark, target = about$target,
    risk_free = free, per_year = about$per_year
  ))), classes = "imbroglio_warning")
  at <- match(
    paste(this$security, as.numeric(this$to)),
    paste(found$security, as.numeric(found$to))
  )
  made <- working_of(found, at)
  part <- list(
    rows = made$rows, choices = Filter(Negate(is.null), made$choices),
    steps = Filter(Negate(is.null), made$steps)
  )
  made$steps <- named_estimate(part$steps, column)
  made$choices <- part$choices
  made$shows <- NULL
  made
}

tail_over_time <- function(result, this) {
  returns <- attr(result, "source")
  sample <- rows_of_security(returns, this$security, this$from, this$to)
  steps <- c(
    without_kinds(sample$steps),
    rank_steps("nearest"),
    sample_loss_steps(returns$kind == "log")
  )
  list(
    rows = list(sample$rows),
    choices = list(level_choice(basis(result)$exact$level)),
    steps = named_estimate(steps, this$measure)
  )
}

skewness_over_time <- function(result, this) {
  sample <- rows_of_security(attr(result, "source"), this$security, this$from, this$to)
  steps <- c(
    sample$steps,
    list(step("n", quote(count(return)), "how many returns", "count")),
    moment_steps()
  )
  list(rows = list(sample$rows), choices = list(), steps = named_estimate(steps, "skewness"))
}

# The variance of the sum of all, each scaled to variance 1: their number, and all correlations
# twice.
mean_correlation_over_windows <- function(result, this) {
  returns <- attr(result, "holdings") %||% attr(result, "source")
  names <- setdiff(colnames(returns$values), basis(result)$exact$benchmark)
  short <- unique_names(names)
  made <- rows_of_several(
    returns, stats::setNames(names, paste0(short, "_")), this$from, this$to,
    kind = "simple"
  )
  if (!length(made$steps) && returns$kind == "log") {
    made$rows$columns <- lapply(made$rows$columns, expm1)
  }
  scaled <- lapply(seq_along(short), function(j) {
    x <- as.name(paste0(short[j], "_return"))
    apart <- bquote(.(x) - sum(.(x)) / count(.(x)))
    step(
      paste0(short[j], "_scaled"),
      bquote((.(apart)) / sqrt(sum((.(apart))^2))),
      paste(names[j], "about its mean, scaled to a sum of squares of 1")
    )
  })
  k <- length(names)
  together <- added_up(lapply(paste0(short, "_scaled"), as.name))
  list(
    rows = list(made$rows),
    choices = list(),
    steps = c(without_others(made$steps), scaled, list(
      step("together", together, "all added up"),
      step(
        "estimate",
        bquote((sum(together^2) - .(k)) / (.(k) * .(k - 1))),
        "mean correlation of all pairs"
      )
    ))
  )
}
