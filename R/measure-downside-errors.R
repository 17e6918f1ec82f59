# The errors of measures of the falls.

# `parts`: by name what each return adds, and the number of figures, of the column j, `by_ratio`
# where it strays by a share of itself. Gives each its errors and, where these are of draws, what
# was drawn of each security.
errors_of_falls <- function(asked, parts) {
  none <- rep(NA_real_, ncol(asked$returns$values))
  made <- switch(
    asked$errors,
    none = lapply(parts, function(p) list(error = none)),
    bootstrap = errors_by_blocks(asked, parts),
    dependent = errors_by_chance(asked, parts),
    lapply(parts, function(p) {
      if (is.null(p$adds)) return(list(error = none))
      list(error = errors_by_influence(asked, p$adds, independent_error))
    })
  )
  list(error = lapply(made, `[[`, "error"), draws = lapply(made, `[[`, "draws"))
}

errors_by_blocks <- function(asked, parts) {
  figures <- figures_drawn(
    asked$returns, asked$target, asked$ask, asked$draws, asked$block, asked$seed
  )
  names(figures) <- colnames(asked$returns$values)
  lapply(parts, function(p) {
    drawn <- values_of_draws(figures, p$of_figures)
    list(error = spread_of_draws(drawn), draws = lapply(drawn, function(x) list(drawn = x)))
  })
}

# What was fitted to each column, see measure-drawn-samples.R.
chances_of_falls <- function(asked) {
  if (asked$errors != "dependent") return(NULL)
  values <- asked$returns$values
  lapply(stats::setNames(seq_len(ncol(values)), colnames(values)), function(j) {
    x <- values[!is.na(values[, j]), j]
    chance_of(list(x), rep(1L, length(x)), FALSE)
  })
}

# What hangs on the level of volatility, and on the path, by samples drawn from what was fitted;
# what is a mean or a ratio of means by what each return adds to it, as far as they lean on each
# other.
errors_by_chance <- function(asked, parts) {
  chances <- asked$chances
  level <- any(vapply(parts, function(p) isTRUE(p$by_ratio), NA))
  none <- lapply(chances, if (level) no_level else no_path)
  note_no_errors(none, if (level) "the deviations and the moment" else "the ratios over falls")
  figures_drawn_of <- function(as_drawn, seed = asked$seed) {
    lapply(stats::setNames(seq_along(chances), names(chances)), function(j) {
      if (!is.null(none[[j]])) return(NULL)
      found <- figures_by_chance(
        as_drawn(chances[[j]]), FALSE, FALSE, asked$target[j], asked$ask, asked$draws, seed
      )
      `rownames<-`(matrix(found, length(figure_names)), figure_names)
    })
  }
  figures <- figures_drawn_of(function(chance) {
    if (level) as_known(chance, asked$draws, asked$seed) else chance
  })
  # The error of a ratio over falls grows with the mean return, which is itself hardly known: by
  # how much more than here it is on average over what the mean may be, so much it is too large.
  elsewhere <- if (!level) {
    lapply(1:2, function(i) {
      figures_drawn_of(function(chance) with_other_means(chance, asked), asked$seed + i)
    })
  }
  lapply(parts, function(p) {
    if (!is.null(p$adds) && !isTRUE(p$by_ratio)) {
      return(list(error = errors_by_influence(asked, p$adds, core_dependent_error)))
    }
    drawn <- values_of_draws(figures, p$of_figures)
    if (isTRUE(p$by_ratio)) {
      drawn <- lapply(drawn, function(x) x[x > 0])
      return(list(
        error = spread_of_draws(lapply(drawn, log)) * p$estimate,
        draws = lapply(drawn, function(x) list(drawn = x))
      ))
    }
    apart <- Map(function(one, other) {
      apart <- one - other
      apart[is.finite(apart)]
    }, values_of_draws(elsewhere[[1L]], p$of_figures, FALSE),
    values_of_draws(elsewhere[[2L]], p$of_figures, FALSE))
    list(
      error = spread_of_draws(drawn)^2 / spread_of_pairs(apart),
      draws = Map(function(x, d) list(drawn = x, apart = d), drawn, apart)
    )
  })
}

# `error_of`: of the mean of what each return adds.
errors_by_influence <- function(asked, adds, error_of) {
  values <- asked$returns$values
  vapply(seq_len(ncol(values)), function(j) {
    x <- values[!is.na(values[, j]), j]
    if (length(x) < 2L) return(NA_real_)
    error <- error_of(adds(x, asked$target[j], asked$order))
    if (is.finite(error)) error else NA_real_
  }, 0)
}

independent_error <- function(added) sqrt(mean(added^2) / length(added))

# What each return adds to an estimate: the derivative along it.
influence_of_semi <- function(x, g, p) {
  d <- x - mean(x)
  low <- pmin(d, 0)
  v <- mean(low^2)
  (low^2 - v - 2 * mean(low) * d) / (2 * sqrt(v))
}

influence_of_downside <- function(x, g, p) {
  low <- pmin(x - g, 0)^2
  (low - mean(low)) / (2 * sqrt(mean(low)))
}

influence_of_partial <- function(x, g, p) {
  lack <- ifelse(x < g, abs(g - x)^p, 0)
  lack - mean(lack)
}

influence_of_sortino <- function(x, g, p) {
  d <- sqrt(mean(pmin(x - g, 0)^2))
  (x - mean(x)) / d - (mean(x) - g) / d^2 * influence_of_downside(x, g, p)
}

influence_of_ratio <- function(over, under) {
  ratio <- mean(over) / mean(under)
  (over - ratio * under) / mean(under)
}

influence_of_omega <- function(x, g, p) influence_of_ratio(pmax(x - g, 0), pmax(g - x, 0))

influence_of_pain <- function(x, g, p) influence_of_ratio(x, pmax(-x, 0))
