record_of_tail <- function() {
  measure_record(
    260,
    title = "The tail, by where it begins",
    asks = "From which size on does the answer no longer depend on it?",
    measure = tail_thresholds,
    columns = list(
      k = column("k", "count"),
      threshold = column("threshold", "fraction"),
      hill_shape = column("Hill", "ratio"),
      hill_low = column("low", "ratio"),
      hill_high = column("high", "ratio"),
      mean_excess = column("mean excess", "fraction"),
      excess_low = column("low", "fraction", detail = TRUE),
      excess_high = column("high", "fraction", detail = TRUE),
      pareto_shape = column("Pareto", "ratio"),
      pareto_low = column("low", "ratio"),
      pareto_high = column("high", "ratio"),
      pareto_scale = column("scale", "significant", detail = TRUE),
      hill_var = column("VaR by Hill", "fraction"),
      pareto_var = column("VaR by Pareto", "fraction")
    ),
    shares = "security",
    compares = NULL,
    command = NULL,
    parts = list(
      tail = part(
        "more", 50, "whole", above = c("lead", "figure", "table"), usual = FALSE
      )
    ),
    shows = "sizes",
    cases = quote(list(whole = tail_thresholds(one)[10, ]))
  )
}

# The tail beyond a threshold, by Hill and by the generalised Pareto distribution.

# How many of n returns are the tail: a share of them, or a number.
tail_size <- function(n, tail) if (tail < 1) ceiling(n * tail - 1e-9) else tail

check_tail <- function(tail) {
  ok <- is.numeric(tail) &&
    length(tail) == 1L && is.finite(tail) && tail > 0 && (tail < 1 || tail == round(tail))
  if (!ok) {
    fail(
      "argument",
      "`tail` must be a share of the returns, such as 0.1, or a whole number of them.",
      where = sprintf("It is %s.", shown(tail))
    )
  }
  as.numeric(tail)
}

# Losses from the largest, in the unit of the returns; NULL where the tail is not all losses.
largest_losses <- function(x, k) {
  if (length(x) < k + 1L || k < 2L) return(NULL)
  # Some more than the tail, for the error of the threshold.
  losses <- -core_worst(matrix(x), as.integer(min(length(x), k + 25 + 9 * sqrt(k))))[, 1L]
  if (losses[k + 1L] > 0) losses
}

# xi is the mean of ln(X_i / X_(k+1)).
hill_tail <- function(x, k) {
  losses <- largest_losses(x, k)
  if (is.null(losses)) return(NULL)
  excess <- log(losses[seq_len(k)] / losses[k + 1L])
  at <- list(shape = mean(excess), threshold = losses[k + 1L], share = k / length(x), k = k)
  at$covariance <- hill_covariance(at, excess, rank_error(matrix(losses), length(x), k + 1L))
  at
}

# Of shape and threshold: of a mean and of a rank, which holds also where the tail is no pure
# power. There the shape of what lies beyond changes with the threshold, by shape / (shape at the
# threshold) - 1.
hill_covariance <- function(at, excess, threshold_error) {
  of_log <- (threshold_error / at$threshold)^2
  there <- sqrt(of_log * at$k / (1 - at$share))
  change <- if (isTRUE(there > 0)) at$shape / there - 1 else 0
  together <- change * of_log * at$threshold
  named_square(
    matrix(
      c(stats::var(excess) / at$k + change^2 * of_log, together, together, threshold_error^2),
      2L
    ),
    c("shape", "threshold")
  )
}

pareto_tail <- function(x, k) {
  losses <- largest_losses(x, k)
  if (is.null(losses)) return(NULL)
  fit <- core_fit_pareto(losses[seq_len(k)] - losses[k + 1L])
  if (anyNA(fit)) return(NULL)
  list(
    shape = fit[1L],
    scale = fit[2L],
    threshold = losses[k + 1L],
    share = k / length(x),
    k = k,
    log_likelihood = fit[3L]
  )
}

# Of shape and scale, by the expected information (Smith 1987).
pareto_covariance <- function(at) {
  if (at$shape <= -0.5) return(matrix(NA_real_, 2L, 2L))
  (1 + at$shape) / at$k * matrix(c(1 + at$shape, -at$scale, -at$scale, 2 * at$scale^2), 2L)
}

#' Choose where the tail begins
#'
#' What Hill's estimate and the generalised Pareto distribution say for every size of the tail, so
#' that a threshold can be chosen where they no longer depend on it, and shown with the number
#' that came of it.
#'
#' With \eqn{X_1 \ge X_2 \ge \ldots}{X_1 >= X_2 >= ...} the losses from the largest:
#' * Hill: \eqn{\xi = \frac1k \sum_{i \le k} \ln(X_i / X_{k+1})}{xi = mean(ln(X_i / X_(k+1)), i =
#'   1..k)}, standard error that of the mean and of the loss at which the tail begins. The choice
#'   is good where the line is level.
#' * Mean excess: \eqn{e(u) = \frac1k\sum_{i \le k} (X_i - u)}{e(u) = mean(X_i - u, i = 1..k)},
#'   \eqn{u = X_{k+1}}{u = X_(k+1)}. Beyond a good threshold it is a straight line: upwards for a
#'   heavy tail, level for an exponential one.
#' * Generalised Pareto of the excesses over u by maximum likelihood: its shape should be stable
#'   from a good threshold on.
#'
#' @param returns A returns table, or a price table, whose simple returns are taken.
#' @param from,to The smallest and the largest tail, as shares of the returns or whole numbers.
#' @param steps How many sizes in between.
#' @param level The level of the value at risk by each size.
#' @param confidence Of the intervals.
#' @return A table, a row for each security and size of the tail: `security`, `k`, `threshold` (a
#'   loss), `hill_shape` with `hill_low` and `hill_high`, `mean_excess` with `excess_low` and
#'   `excess_high`, `pareto_shape` with `pareto_low` and `pareto_high`, `pareto_scale`, and by
#'   either the value at risk of one period, `hill_var` and `pareto_var` (`NA` where the level is
#'   not in the tail). Losses are in the unit of the returns (of log returns, logarithms), values
#'   at risk fractions. `autoplot()` draws the three.
#' @eval columns_in_docs("tail")
#' @section Errors: `imbroglio_error_argument` for a share or a level that cannot be;
#'   `imbroglio_error_too_short` for fewer than 20 losses.
#' @references Hill (1975), A simple general approach to inference about the tail of a
#'   distribution, Annals of Statistics 3. McNeil and Frey (2000), Estimation of tail-related risk
#'   measures for heteroscedastic financial time series, Journal of Empirical Finance 7.
#' @eval concepts_in_docs("tail_thresholds")
#' @family measures of risk
#' @examples
#' returns <- as_returns(read_prices(demo_file("bay.csv")))
#' tail_thresholds(returns[, "BAYALL"], steps = 5)
#' @export
tail_thresholds <- function(returns, from = 15, to = 0.2, steps = 60L, level = 0.99,
                            confidence = 0.95) {
  returns <- take_returns(returns, held = "today")
  from <- check_tail(from)
  to <- check_tail(to)
  steps <- check_whole(steps, "steps", least = 2L, most = 10000L)
  level <- check_fraction(level, "level")
  confidence <- check_fraction(confidence, "confidence")
  z <- stats::qnorm((1 + confidence) / 2)
  parts <- lapply(colnames(returns$values), function(security) {
    x <- returns$values[!is.na(returns$values[, security]), security]
    tails_by_size(x, security, c(from, to), steps, 1 - level, z, returns$kind)
  })
  columns <- stacked(parts)
  columns$k <- as.integer(columns$k)
  new_result(
    columns,
    "tail",
    returns_basis_later(
      returns,
      sample_of(returns$dates, returns$values),
      choices = c(level = format(level)),
      exact = list(level = level, confidence = confidence)
    ),
    returns
  )
}

tails_by_size <- function(x, security, ends, steps, a, z, kind) {
  losses <- sort(-x[x < 0], decreasing = TRUE)
  if (length(losses) < 20L) {
    fail(
      "too_short",
      sprintf(
        "%s has %s; a tail wants 20 or more.",
        security,
        count(length(losses), "loss", "losses")
      )
    )
  }
  most <- min(tail_size(length(x), ends[[2L]]), length(losses) - 1L)
  sizes <- unique(round(seq(
    min(max(tail_size(length(x), ends[[1L]]), 5), most),
    most,
    length.out = steps
  )))
  rows <- lapply(sizes, tail_of_size, x, losses, a, z, kind)
  numbers <- do.call(rbind, rows)
  colnames(numbers) <- c(
    "k", "threshold", "hill_shape", "hill_low", "hill_high", "mean_excess", "excess_low",
    "excess_high", "pareto_shape", "pareto_low", "pareto_high", "pareto_scale", "hill_var",
    "pareto_var"
  )
  c(list(security = rep(security, nrow(numbers))), as.list(as.data.frame(numbers)))
}

tail_of_size <- function(k, x, losses, a, z, kind) {
  hill <- hill_tail(x, k)
  pareto <- pareto_tail(x, k)
  excess <- losses[seq_len(k)] - losses[k + 1L]
  inside <- function(centre, error) c(centre, centre - z * error, centre + z * error)
  shape <- if (is.null(pareto)) {
    rep(NA_real_, 3L)
  } else {
    inside(pareto$shape, sqrt(pareto_covariance(pareto)[1L, 1L]))
  }
  reached <- a <= k / length(x) * (1 + 1e-9)
  estimate <- function(at, quantile_of) {
    if (is.null(at) || !reached) {
      NA_real_
    } else {
      as_loss(quantile_of(log(a), at), kind == "log")
    }
  }
  c(
    k,
    losses[k + 1L],
    inside(hill$shape, sqrt(hill$covariance[1L, 1L])),
    inside(mean(excess), stats::sd(excess) / sqrt(k)),
    shape,
    pareto$scale %||% NA_real_,
    estimate(hill, hill_quantile),
    estimate(pareto, pareto_quantile)
  )
}

hill_quantile <- function(log_p, at) -at$threshold * exp(at$shape * (log(at$share) - log_p))

pareto_quantile <- function(log_p, at) {
  further <- log(at$share) - log_p
  -at$threshold -
    at$scale * (if (abs(at$shape) < 1e-10) further else expm1(at$shape * further) / at$shape)
}
