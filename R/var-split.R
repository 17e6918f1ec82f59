record_of_split <- function() {
  measure_record(
    220,
    title = "Value at risk by holding",
    asks = "Which holding does it come from?",
    measure = split_var,
    columns = list(
      split_by = column("split by", "text"),
      var_alone = column("alone", "fraction"),
      share_error = column("share, error", "share"),
      share_low = column("share, low", "share"),
      share_high = column("share, high", "share"),
      share_near_low = column("share, near days, low", "share", detail = TRUE),
      share_near_high = column("share, near days, high", "share", detail = TRUE),
      share_smooth = column("share, by regression", "share", detail = TRUE),
      incremental = column("incremental", "points"),
      saved = column("saved", "points"),
      es_component = column("ES component", "fraction"),
      es_component_value = column("ES component, money", "money")
    ),
    shares = c(
      "security", "weight", "level", "horizon", "method", "component", "share", "marginal",
      "component_value"
    ),
    compares = NULL,
    command = NULL,
    parts = list(
      split = part(
        "split", 10, "whole", "book", c("lead", "figure", "table"),
        with = function(work) first_method(work)
      )
    ),
    cases = quote(list(
      whole = split_var(book, method = c("historical", "normal")),
      normal = split_var(book, method = "normal", horizon = 5)
    ))
  )
}

#' Split the value at risk of a book among its holdings
#'
#' What each holding of a book, as it is held today, adds to its value at risk and expected
#' shortfall. The components add up to the whole exactly.
#'
#' The book's value at risk grows in proportion with its holdings, so that by Euler's theorem it
#' is the sum of \deqn{w_i \frac{\partial VaR}{\partial w_i}}{w_i dVaR / dw_i} over the holdings:
#' the component of each. The marginal value at risk is \eqn{\partial VaR / \partial w_i}{dVaR /
#' dw_i}: of one more unit of weight. The incremental one is the book's value at risk less that of
#' the book without the holding (its share put into cash), measured afresh. `saved` is what
#' diversification saves: the value at risk of the holding alone less its component; of the book,
#' the sum of those alone less the whole.
#'
#' How the slope is found stands in `split_by`:
#' * `observation`: the book's return at the rank is the sum of what its holdings returned that
#'   day (`historical`, `age-weighted`); of the shortfall, the mean of such days. One day is a
#'   noisy witness: look at the expected shortfall too.
#' * `derivative`: of the formula (`normal`, `normal-relative`, `ewma`, `cornish-fisher`, `hill`,
#'   `volatility-scaled`); of a method of one's own, by what it says of the book with a little
#'   more of each holding.
#' * `paths`: the mean of the holdings' losses on the drawn paths about the rank, within one
#'   standard deviation of it (the bootstraps).
#' * `regression`: of each holding on the book, \eqn{-\bar r_i h + \beta_i (VaR + \bar R
#'   h)}{-mean(r_i) h + beta_i (VaR + mean(R) h)}, which is exact where returns have an elliptical
#'   distribution (all other methods, and one of one's own that does not grow with the book).
#'
#' Everything is of simple returns, on the days that all holdings have; across holdings only these
#' add.
#'
#' What a share errs by stands beside it: the book's days are drawn anew 200 times, in blocks as
#' long as the cube root of their number, and each share is measured again; the interval is
#' between the 2.5 % and the 97.5 % of these. It needs 40 days and two holdings. Of a split by
#' observation `share_near_low` to `share_near_high` is what the five days on either side of the
#' rank give, and `share_smooth` what the regression on the book does.
#'
#' @inheritParams bootstrap_book
#' @inheritParams measure_var
#' @param level Confidence levels.
#' @param horizon Periods, one whole number, or a time such as `"10 days"`. Each method goes its
#'   own way to it.
#' @param rank A convention of rank.
#' @return A table, for each method and level a row for each holding and one for the book (last):
#'   `security`, `weight`, `level`, `horizon`, `method`, `split_by`, `var_alone` (of the book: the
#'   sum), `component` (of the book: its value at risk), `share` of the whole with `share_error`,
#'   `share_low` and `share_high`, `share_near_low`, `share_near_high`, `share_smooth`, `marginal`,
#'   `incremental`, `saved`, `es_component` (of the book: its expected shortfall), and with a
#'   value `component_value` and `es_component_value` in money. `autoplot()` draws it.
#' @eval columns_in_docs("split")
#' @section Errors: Those of [measure_var()], and `imbroglio_error_argument` for what is no book.
#' @references Tasche (1999), Risk contributions and performance measurement. Euler's theorem on
#'   homogeneous functions.
#' @eval concepts_in_docs("split_var")
#' @family measures of a book
#' @examples
#' prices <- read_prices(demo_file("bay.csv"))
#' book <- as_portfolio(prices, weights = c(OSSELL = 0.5, TARROW = 0.3, BAYBOND = 0.2))
#' split_var(book, method = c("historical", "normal"))
#' @export
split_var <- function(book, level = 0.99, horizon = 1L, method = "historical", rank = "nearest",
                      decay = NULL, half_life = NULL, tail = 0.1, block = NULL, draws = 10000L,
                      seed = 1L) {
  if (is_drawn(book)) return(over_drawings())
  book <- book_today(book)
  horizon <- check_horizon(horizon, book$frequency)
  records <- check_methods(method)
  request <- requested(
    book$book$returns, level, decay, half_life, tail, block, draws, seed, rank = rank
  )
  if (any_chance(records, horizon)) refuse_too_many_steps(request$draws, horizon, ncol(book$r))
  request$log <- FALSE
  request$errors <- "none"
  request$h <- horizon
  request$scale <- sqrt(horizon)
  parts <- list()
  for (method in names(records)) {
    request$by <- records[[method]]$ways[1L]
    for (level in request$level) {
      parts[[length(parts) + 1L]] <- split_by_method(
        book,
        records[[method]],
        method,
        replace(request, "level", level)
      )
    }
  }
  columns <- stacked(parts)
  if (!is.null(book$value)) {
    columns <- c(
      columns,
      list(
        component_value = columns$component * book$value,
        es_component_value = columns$es_component * book$value
      )
    )
  }
  made <- new_result(
    columns,
    "split",
    book_basis(
      book,
      var_choices(records, horizon, lapply(records, function(r) r$ways[1L]), rank, request),
      seed = request$seed
    ),
    book$book$returns
  )
  attr(made, "held") <- book
  made
}

# Value at risk of books of given holdings, a column each; of drawn paths with those of the first.
measured_held <- function(book, record, request, held) {
  X <- book$r
  if (is.null(record$blocks)) return(record$whole(X %*% held, request))
  how <- drawing(nrow(X), request$h, record$blocks, request)
  drawn <- lapply(seq_len(ncol(held)), function(j) {
    core_draw_book(
      1 + X, held[, j], 0, how$horizon, how$draws, how$code, how$length, how$seed
    )$value -
      sum(held[, j])
  })
  measured <- lapply(
    columns_of_rows(lapply(drawn, function(r) {
      tail <- core_historical_tail(matrix(r), request$level, rank_code(request$rank), FALSE, 1)
      c(var = tail$var, es = tail$es)
    })),
    as.numeric
  )
  attr(measured, "drawn") <- list(how = how, r = drawn[[1L]])
  measured
}

split_by_method <- function(book, record, method, request) {
  w <- book$weights
  X <- book$r
  k <- length(w)
  # The whole, the book without each, and each alone.
  measured <- measured_held(book, record, request, cbind(w, w * (1 - diag(k)), diag(w, k)))
  whole <- c(measured$var[1L], measured$es[1L])
  slopes <- record$slopes(book, whole, measured, request)
  component <- w * slopes$var
  alone <- measured$var[1L + k + seq_len(k)]
  drawn <- shares_drawn(book, record, request)
  near <- if (slopes$by == "observation" && isTRUE(whole[1L] > 0)) {
    shares_near(book, whole, request)
  } else {
    lapply(list(low = 0, high = 0, smooth = 0), function(v) rep(NA_real_, k))
  }
  with_book <- function(each, of_book) c(unname(each), of_book)
  rows <- k + 1L
  list(
    security = c(book$security, book$name),
    weight = c(w, 1),
    level = rep(request$level, rows),
    horizon = rep(request$h, rows),
    method = rep(method, rows),
    split_by = rep(slopes$by, rows),
    var_alone = with_book(alone, sum(alone)),
    component = with_book(component, whole[1L]),
    share = with_book(component / whole[1L], 1),
    share_error = with_book(drawn$error, NA),
    share_low = with_book(drawn$low, NA),
    share_high = with_book(drawn$high, NA),
    share_near_low = with_book(near$low, NA),
    share_near_high = with_book(near$high, NA),
    share_smooth = with_book(near$smooth, NA),
    marginal = with_book(slopes$var, NA),
    incremental = with_book(whole[1L] - measured$var[1L + seq_len(k)], whole[1L]),
    saved = with_book(alone - component, sum(alone) - whole[1L]),
    es_component = with_book(w * slopes$es, whole[2L])
  )
}

# The slopes of the methods: how value at risk and expected shortfall grow with the weight of each
# holding.

slopes_by_regression <- function(book, whole, measured, request) {
  c(by_regression(book, whole, request$h), by = "regression")
}

by_regression <- function(book, whole, h, relative = FALSE) {
  X <- book$r
  R <- as.vector(X %*% book$weights)
  centre <- mean(R)
  squares <- sum((R - centre)^2)
  slopes <- as.vector((R - centre) %*% X) / squares
  # Constant returns have no slope: each holding bears what it returned.
  if (!isTRUE(core_moments(matrix(R), FALSE, FALSE)$deviation > 0)) {
    return(list(var = -colMeans(X) * h, es = -colMeans(X) * h))
  }
  means <- if (relative) 0 else colMeans(X) * h
  centre <- if (relative) 0 else centre * h
  list(var = -means + slopes * (whole[1L] + centre), es = -means + slopes * (whole[2L] + centre))
}

# Weights of days: the return of the book at the rank, and the mean of those beyond.
slopes_at_rank <- function(book, weight, request) {
  days <- days_at_rank(as.vector(book$r %*% book$weights), weight, 1 - request$level, request$rank)
  list(
    var = -as.vector(days$at %*% book$r) * request$scale,
    es = -as.vector(days$beyond %*% book$r) * request$scale,
    by = "observation"
  )
}

volatility_scaled_slopes <- function(book, whole, measured, request) {
  X <- book$r
  R <- as.vector(X %*% book$weights)
  n <- length(R)
  decay <- request$decay %||% 0.94
  s <- weighted_path(R, decay)
  if (any(s == 0)) return(slopes_by_regression(book, whole, measured, request))
  days <- days_at_rank(
    R * s[n + 1L] / s[-(n + 1L)], rep(1 / n, n), 1 - request$level, request$rank
  )
  # How each path of volatility grows: s times that is half of the growth of its square.
  grown <- apply(X, 2L, function(x) {
    product <- R * x
    c(
      mean(product),
      stats::filter((1 - decay) * product, decay, "recursive", init = mean(product))
    ) /
      s
  })
  before <- s[-(n + 1L)]
  grown_before <- grown[-(n + 1L), ]
  moved <- X * s[n + 1L] / before +
    (R / before) * (rep(grown[n + 1L, ], each = n) - grown_before * s[n + 1L] / before)
  list(
    var = -as.vector(days$at %*% moved) * request$scale,
    es = -as.vector(days$beyond %*% moved) * request$scale,
    by = "derivative"
  )
}

ewma_slopes <- function(book, whole, measured, request) {
  X <- book$r
  R <- as.vector(X %*% book$weights)
  n <- length(R)
  decay <- request$decay %||% 0.94
  weight <- c(decay^(n - 1), (1 - decay) * decay^((n - 2):0))[seq_len(n)]
  slopes <- as.vector((weight * R) %*% X) / sum(weight * R^2)
  list(var = slopes * whole[1L], es = slopes * whole[2L], by = "derivative")
}

hill_slopes <- function(book, whole, measured, request) {
  X <- book$r
  R <- as.vector(X %*% book$weights)
  n <- length(R)
  k <- tail_size(n, request$tail)
  in_order <- order(R)
  # The threshold is one day; its neighbours, within a standard deviation of its rank, tell more
  # of what makes a loss of that size. Each day's parts add up to 1.
  reach <- ceiling(sqrt(k * (1 - k / n)))
  near <- in_order[max(1, k + 1 - reach):min(n, k + 1 + reach)]
  parts <- function(days) colMeans(X[days, , drop = FALSE] / R[days])
  at_threshold <- parts(near[R[near] < 0])
  by_shape <- parts(in_order[seq_len(k)]) - at_threshold
  shape <- mean(log(R[in_order[seq_len(k)]] / R[in_order[k + 1L]]))
  grown <- at_threshold + log(k / (n * (1 - request$level))) * by_shape
  list(
    var = whole[1L] * grown,
    es = whole[2L] * (grown + by_shape / (1 - shape)),
    by = "derivative"
  )
}

# Of a method of which nothing else is known: by what it says of a book with a little more of each
# holding. Where the parts do not add up to the whole, what it measures does not grow with the
# book, and the regression stands for it.
slopes_by_change <- function(book, whole, tail_of, request) {
  R <- as.vector(book$r %*% book$weights)
  step <- 1e-5
  slope <- vapply(
    seq_along(book$weights),
    function(j) (tail_of(R + step * book$r[, j]) - tail_of(R - step * book$r[, j])) / (2 * step),
    c(0, 0)
  )
  sums <- as.vector(slope %*% book$weights)
  if (!isTRUE(abs(sums[1L] - whole[1L]) <= 0.01 * abs(whole[1L]))) {
    return(slopes_by_regression(book, whole, NULL, request))
  }
  list(
    var = slope[1L, ] * whole[1L] / sums[1L],
    es = slope[2L, ] * whole[2L] / sums[2L],
    by = "derivative"
  )
}

# The days whose returns make the quantile and the mean beyond it, as weights.
days_at_rank <- function(r, weight, a, rank) {
  in_order <- order(r)
  n <- length(r)
  k <- if (max(weight) == min(weight)) {
    core_historical_tail(matrix(r), 1 - a, rank_code(rank), FALSE, 1)$position
  } else {
    weighted_rank(cumsum(weight[in_order]), a, rank)
  }
  whole <- in_order[seq_len(floor(k))]
  part <- k - floor(k)
  at <- beyond <- numeric(n)
  at[in_order[floor(k)]] <- 1 - part
  if (part > 0) at[in_order[floor(k) + 1]] <- part
  beyond[whole] <- weight[whole] / sum(weight[whole])
  list(at = at, beyond = beyond)
}

# Skewness and kurtosis do not change with the size of the book, so that only mean and deviation
# carry it; their slopes say how much the shape of the tail moves.
cornish_fisher_slopes <- function(book, whole, measured, request) {
  X <- book$r
  R <- as.vector(X %*% book$weights)
  at <- moments_fit(R)
  u <- (R - at$mean) / at$sd
  centre <- colMeans(X)
  centred <- X - rep(centre, each = nrow(X))
  # The divisors of the moments cancel: at$sd is over n - 1, the others by the moments over n.
  deviation <- as.vector((R - at$mean) %*% centred) / sum((R - at$mean)^2) * at$sd
  of_shape <- function(power) {
    powers <- as.vector(u^(power - 1) %*% centred) / nrow(X) / at$sd * power
    size <- mean(u^power)
    scale <- (if (power == 3) at$skewness else at$kurtosis + 3) / size
    scale * (powers - power * size * deviation / at$sd)
  }
  bend <- function(name, value, f) {
    step <- 1e-5
    up <- down <- at
    up[[name]] <- at[[name]] + step
    down[[name]] <- at[[name]] - step
    (f(up) - f(down)) / (2 * step) * value
  }
  record <- own_var_methods()[["cornish-fisher"]]
  tail_of <- function(column) {
    function(at) record$tail(at, R, 1 - request$level, request)[1L, column]
  }
  along <- function(column) {
    size <- whole[column] + at$mean * request$h
    -centre * request$h +
      deviation / at$sd * size + bend("skewness", of_shape(3), tail_of(column)) +
      bend("kurtosis", of_shape(4), tail_of(column))
  }
  list(var = along(1L), es = along(2L), by = "derivative")
}

slopes_of_paths <- function(book, whole, measured, request) {
  drawn <- attr(measured, "drawn")
  how <- drawn$how
  a <- 1 - request$level
  in_order <- order(drawn$r)
  k <- core_historical_tail(matrix(drawn$r), 1 - a, rank_code(request$rank), FALSE, 1)$position
  reach <- max(0, round(how$draws * sqrt(a * (1 - a) / how$days)))
  near <- in_order[max(1, floor(k) - reach):min(how$draws, ceiling(k) + reach)]
  beyond <- in_order[seq_len(floor(k))]
  # What one unit of each holding lost along the paths.
  lost <- function(paths) {
    1 - core_mean_growth(1 + book$r, how$horizon, paths, how$code, how$length, how$seed)
  }
  scaled <- function(slope, to) slope * to / sum(slope * book$weights)
  list(var = scaled(lost(near), whole[1L]), es = scaled(lost(beyond), whole[2L]), by = "paths")
}
