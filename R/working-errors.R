# The workings of errors by what each value adds to an estimate, and of those by drawn samples.

# By the delta method: what each return adds to the estimate, and the root of the mean square of
# that over the root of n.
error_step <- function(name, added, scale = NULL) {
  part <- paste0(name, "_added")
  error <- bquote(sqrt(sum(.(as.name(part))^2)) / n)
  list(
    step(part, added, "what each return adds to it"),
    step(
      name,
      if (is.null(scale)) error else bquote(.(error) * .(scale)),
      "its standard error, by the delta method"
    )
  )
}

# As they lean on those before them: the long-run variance of what each adds. `z`: what each adds,
# by which it is known how many lags are written out.
leaning_error_steps <- function(name, added, z, this, scale = NULL,
                                part = paste0(name, "_added")) {
  lags <- core_dependent_lags(z)
  if (lags > most_lags) {
    return(list(entered(
      name, this[[name]],
      sprintf("from the long-run variance of what each adds to it, over %s", count(lags, "lag")),
      source = "Andrews and Monahan (1992)", made_for = "*"
    )))
  }
  of <- function(...) as.name(paste0(name, "_", ...))
  rest <- of("rest")
  parzen <- function(k) {
    u <- bquote(.(k) / .(of("width")))
    bquote(if_else(.(u) <= 0.5, 1 - 6 * (.(u))^2 * (1 - .(u)), 2 * (1 - .(u))^3))
  }
  near <- lapply(as.numeric(seq_len(lags)), function(k) {
    bquote(2 * .(parzen(k)) * sum(.(rest) * before(.(rest), .(k))))
  })
  error <- bquote(sqrt(.(of("variance")) / n) / (1 - .(of("lean"))))
  c(
    if (part == paste0(name, "_added")) list(step(part, added, "what each return adds to it")),
    list(
      step(
        paste0(name, "_lean"), slope_on_before(as.name(part)),
        "slope of each on the one before"
      ),
      step(
        paste0(name, "_rest"), bquote(.(as.name(part)) - .(of("lean")) * before(.(as.name(part)))),
        "what is left"
      ),
      step(
        paste0(name, "_width"),
        bquote(
          2.6614 * (4 * (.(slope_on_before(rest)))^2 / (1 - .(slope_on_before(rest)))^4 *
            count(.(rest)))^0.2
        ),
        "how far what is left leans on what is before it, in returns", source = "Andrews (1991)"
      ),
      step(
        paste0(name, "_variance"),
        bquote(.(added_up(c(list(bquote(sum(.(rest)^2))), near))) / count(.(rest))),
        if (lags) {
          sprintf("its variance, and covariances over %s by Parzen's weights", count(lags, "lag"))
        } else {
          "its variance: hardly any leans on the one before"
        },
        made_for = "*"
      ),
      step(
        name, if (is.null(scale)) error else bquote(.(error) * .(scale)),
        "its standard error: the root of the long-run variance over n",
        source = "Andrews and Monahan (1992)", made_for = "*"
      )
    )
  )
}

# More are not written out.
most_lags <- 40L

slope_on_before <- function(column) {
  bquote(lower_of(
    0.97,
    higher_of(-0.97, sum(.(column) * before(.(column))) / sum(before(.(column))^2))
  ))
}

# The rows and the steps of errors by samples that were drawn: of each what the measure is in it.
# `draws`: by the number that errs, what was drawn, and how far pairs are `apart` that have all but
# the draw in common.
drawn_error_working <- function(result, draws) {
  about <- basis(result)
  by_blocks <- about$exact$errors == "bootstrap"
  columns <- list()
  steps <- list()
  for (number in names(draws)) {
    one <- draws[[number]]
    if (length(one$drawn) < 2L) next
    error <- errors_drawn[[number]]
    column <- paste0(error$name, "_drawn")
    columns[[column]] <- one$drawn
    relative <- error$relative && !by_blocks
    steps <- c(steps, list(
      if (relative) {
        step(paste0(column, "_ln"), bquote(ln(.(as.name(column)))), "their logarithms")
      },
      drawn_error_step(error, as.name(paste0(column, if (relative) "_ln")), relative, one$apart)
    ))
    if (length(one$apart)) columns[[paste0(error$name, "_apart")]] <- one$apart
  }
  if (!length(columns)) return(NULL)
  most <- max(lengths(columns))
  list(
    rows = list(rows_of_working(
      "draws",
      sprintf(
        "what the measures are in samples drawn %s, with seed %s",
        if (by_blocks) "in blocks" else "from returns as they are taken here", about$seed
      ),
      lapply(columns, function(x) c(x, rep(NA_real_, most - length(x)))),
      made_for = "*"
    )),
    steps = steps
  )
}

drawn_error_step <- function(error, column, relative, apart) {
  spread <- bquote(
    sqrt(sum((.(column) - sum(.(column)) / count(.(column)))^2) / (count(.(column)) - 1))
  )
  expression <- if (relative) {
    bquote(.(spread) * .(error$of))
  } else if (length(apart)) {
    apart <- as.name(paste0(error$name, "_apart"))
    # What the mean, hardly known, makes of it is taken out.
    bquote((.(spread))^2 / sqrt(sum(.(apart)^2) / count(.(apart)) / 2))
  } else if (error$a_year) {
    bquote(.(spread) * sqrt(per_year))
  } else {
    spread
  }
  step(
    error$name, expression,
    if (relative) {
      "their deviation, as a share of the number"
    } else if (length(apart)) {
      "their deviation, less what the mean makes of it, by pairs that have one mean"
    } else {
      "their deviation"
    },
    source = if (relative || length(apart)) "Bollerslev (1987)" else "Politis and Romano (1994)"
  )
}

# By the number that errs: the column of its error; of what a `relative` one is a share.
errors_drawn <- list(
  semi = list(
    name = "semi_annual_error", relative = TRUE, of = quote(semi_deviation_annual), a_year = TRUE
  ),
  downside = list(
    name = "downside_annual_error", relative = TRUE, of = quote(downside_deviation_annual),
    a_year = TRUE
  ),
  partial = list(
    name = "partial_error", relative = TRUE, of = quote(partial_moment), a_year = FALSE
  ),
  sortino = list(name = "sortino_annual_error", relative = FALSE, a_year = TRUE),
  omega = list(name = "omega_error", relative = FALSE, a_year = FALSE),
  calmar = list(name = "calmar_error", relative = FALSE, a_year = FALSE),
  sterling = list(name = "sterling_error", relative = FALSE, a_year = FALSE),
  gain_to_pain = list(name = "gain_to_pain_error", relative = FALSE, a_year = FALSE),
  tracking = list(
    name = "tracking_annual_error", relative = TRUE, of = quote(tracking_error_annual),
    a_year = TRUE
  )
)
