# The figures of samples, and of samples that are drawn from them: what the measures of falls and
# the comparison of two samples are made of.

# As the core has them.
figure_names <- c(
  "mean", "deviation", "semi_deviation", "downside_deviation", "partial_moment", "gain",
  "shortfall", "pain", "growth", "max_drawdown", "deep_falls", "skewness", "var", "es", "beta",
  "correlation", "tracking_error"
)

# `level`: of value at risk by the nearest rank, 0: none.
figures_ask <- function(returns, power = 1, deepest = 3L, level = 0) {
  list(
    order = as.numeric(power),
    additive = as.integer(returns$kind == "profit"),
    log = as.integer(returns$kind == "log"),
    deepest = as.integer(deepest),
    level = level
  )
}

grown_of <- function(values, kind) {
  switch(kind, simple = 1 + values, log = exp(values), profit = values)
}

# A named list, a number for each column.
figures_of <- function(returns, target, ask) {
  values <- returns$values
  found <- core_figures(values, grown_of(values, returns$kind), target, ask)
  found <- lapply(seq_along(figure_names), function(i) found[i, ])
  found <- stats::setNames(found, figure_names)
  found
}

# A target of a year as one of a period of each column.
target_a_period <- function(target, per_year, kind) {
  if (!is.numeric(target) || length(target) != 1L || !is.finite(target) ||
      (kind != "profit" && target <= -1)) {
    fail(
      "argument",
      "`target` must be one return a year, such as 0.02.",
      where = sprintf("It is %s.", shown(target))
    )
  }
  switch(
    kind,
    profit = target / per_year,
    log = log1p(target) / per_year,
    simple = expm1(log1p(target) / per_year)
  )
}

# How samples are drawn from n returns in blocks of random length, so that what follows each other
# stays together.
resampling <- function(n, draws, block, seed) {
  drawing(n, n, "stationary", list(block = block, draws = draws, seed = seed))
}

# The figures of `draws` samples of each column: for each column a matrix of figures by draw.
# Columns of one length are drawn alike.
figures_drawn <- function(returns, target, ask, draws, block, seed) {
  values <- returns$values
  sizes <- core_observed(values)
  out <- vector("list", ncol(values))
  for (n in unique(sizes[sizes > 1L])) {
    these <- which(sizes == n)
    x <- matrix(0, n, length(these))
    for (i in seq_along(these)) {
      column <- values[, these[i]]
      x[, i] <- column[!is.na(column)]
    }
    rows <- days_of_paths(resampling(n, draws, block, seed), seq_len(draws))
    found <- core_figures_drawn(
      x, grown_of(x, returns$kind), numeric(), rows, target[these], ask
    )
    for (i in seq_along(these)) {
      out[[these[i]]] <- `rownames<-`(matrix(found[, , i], dim(found)[1L]), figure_names)
    }
  }
  out
}

# Of each column something made of the figures of each draw; of those that are known.
values_of_draws <- function(drawn, made_of, known = TRUE) {
  Map(function(figures, j) {
    if (is.null(figures)) return(numeric())
    value <- made_of(function(name) figures[name, ], j)
    if (known) value[is.finite(value)] else value
  }, drawn, seq_along(drawn))
}

# Their standard deviations.
spread_of_draws <- function(drawn) {
  unname(vapply(drawn, function(x) if (length(x) < 2L) NA_real_ else stats::sd(x), 0))
}

# The standard deviation of samples that were drawn twice, from a model that changes from draw to
# draw, by how far they are apart: of what is left when it stays as it is.
spread_of_pairs <- function(apart) {
  unname(vapply(apart, function(x) if (length(x)) sqrt(mean(x^2) / 2) else NA_real_, 0))
}
