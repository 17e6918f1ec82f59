record_of_correlation <- function() {
  measure_record(
    170,
    title = "Correlation",
    asks = "Which securities move alike?",
    measure = correlate_returns,
    across = TRUE,
    columns = list(
      correlation = column("correlation", "ratio"),
      correlation_low = column("low", "ratio"),
      correlation_high = column("high", "ratio"),
      covariance = column("covariance", "scientific")
    ),
    shares = c("security", "other", "n", "benchmark", "window", "from", "to"),
    compares = compares(
      "correlation", "move most alike", "least", " correlation", write = "number"
    ),
    command = command_record(
      "Measure", 100,
      says = "which securities move alike; weighted, shrunk or rolling",
      options = c(
        choose, "every", "keep-unfinished", "kind", "on", "window", "min-obs", "decay",
        "half-life", "shrink", "confidence", book, hand_on
      ),
      example = "imbroglio correlation bay.csv --on pairwise --figure alike.png",
      ways = c(
        "",
        "--window 40",
        "--decay 0.95",
        "--shrink identity"
      )
    ),
    parts = list(correlation = part(
      "split", 30, "returns", c("returns", "several"), keeps = "window"
    )),
    follows = list(
      correlation = followed(
        110, "Correlation", "two", "[measure_tracking()]",
        column_over_time("correlation", measure_tracking), beside = TRUE
      ),
      mean_correlation = followed(
        130, "Mean correlation of all pairs", "two", paste(
          "the mean correlation of all pairs of securities, or of a book's holdings, on the dates",
          "that all have"
        ), mean_correlation_over_time
      )
    ),
    cases = quote(list(
      whole = correlate_returns(x),
      pairwise = correlate_returns(x, on = "pairwise"),
      weighted = correlate_returns(x, decay = 0.97),
      by_half_life = correlate_returns(x, half_life = 33),
      rolling = correlate_returns(x, window = 3),
      shrunk = correlate_returns(x, shrink = "identity")
    ))
  )
}

#' Correlation and covariance
#'
#' Of every two securities, over the intervals between the dates that all of them have (`on =
#' "common"`), or that the two have (`"pairwise"`): the sample covariance (divisor n - 1) and
#' Pearson's correlation; exponentially weighted about zero, \eqn{s_t = d s_{t-1} + (1 - d) x_t
#' y_t}{s_t = d s_(t-1) + (1 - d) x_t y_t}; shrunk; or rolling.
#'
#' @section Shrinking: With few dates for many securities the sample covariance \eqn{S}{S} is
#'   mostly noise. \eqn{(1 - \delta) S + \delta F}{(1 - delta) S + delta F} pulls it towards a
#'   target \eqn{F}{F}: `"constant-correlation"`, every correlation the average one (Ledoit and
#'   Wolf, Honey), or `"identity"`, every variance the average one and no correlation (Ledoit and
#'   Wolf, A well-conditioned estimator). The share \eqn{\delta}{delta} is the one that they
#'   estimate from the data to be best; it is in the basis. Both use the divisor n. `on` must be
#'   `"common"`.
#'
#' @param returns A returns table, or a price table, whose simple returns are taken.
#' @param on `"common"` or `"pairwise"`.
#' @param window The number of shared intervals in a rolling window: each security with the first
#'   one.
#' @param min_obs How many will do before the window is full, at least 3. By default the whole
#'   window.
#' @param decay,half_life Exponential weights, by decay or half-life.
#' @param shrink `"none"`, `"constant-correlation"` or `"identity"`.
#' @param confidence Of the interval.
#' @param as `"table"`; `"correlation"` or `"covariance"`: the bare matrix.
#' @return A table, one row for each two securities: `security`, `other`, `n`, `correlation`,
#'   `correlation_low`, `correlation_high` (by Fisher's transformation; `NA` where weighted or
#'   shrunk) and `covariance` (a period). Rolling: `security`, `benchmark` (the first one),
#'   `window`, `from`, `to`, `n`, `correlation`.
#' @eval columns_in_docs("correlation")
#' @section Errors: `imbroglio_error_argument` for fewer than two securities, or choices that
#'   exclude each other; `imbroglio_error_too_short` where the securities have fewer than three
#'   dates in common. A warning (`imbroglio_warning_few_common`) where a few securities cost the
#'   others a quarter or more of what they share.
#' @references Ledoit and Wolf (2004), Honey, I shrunk the sample covariance matrix, Journal of
#'   Portfolio Management 30; Ledoit and Wolf (2004), A well-conditioned estimator for
#'   large-dimensional covariance matrices, Journal of Multivariate Analysis 88.
#' @eval concepts_in_docs("correlate_returns")
#' @family measures beside others
#' @examples
#' returns <- as_returns(read_prices(demo_file("bay.csv")))
#' correlate_returns(returns, on = "pairwise")
#' correlate_returns(returns[, c("OSSELL", "TARROW", "BAYBOND")], as = "correlation")
#' correlate_returns(returns, shrink = "constant-correlation")
#' correlate_returns(returns[, c("BAYALL", "TARROW")], window = 250)
#' @export
correlate_returns <- function(returns, on = c("common", "pairwise"), window = NULL,
                              min_obs = NULL, decay = NULL, half_life = NULL,
                              shrink = c("none", "constant-correlation", "identity"),
                              confidence = 0.95, as = c("table", "correlation", "covariance")) {
  if (is_drawn(returns)) return(over_drawings())
  returns <- take_returns(returns)
  as <- one_of(as, "as", c("table", "correlation", "covariance"))
  on <- one_of(on, "on", c("common", "pairwise"))
  shrink <- one_of(shrink, "shrink", c("none", names(shrink_targets)))
  decay <- check_decay(decay, half_life)
  confidence <- check_fraction(confidence, "confidence")
  if (ncol(returns) < 2L) {
    fail("argument", "A correlation is of two securities.", where = "There is one.")
  }
  if (!is.null(window)) {
    if (!is.null(decay) || shrink != "none" || as != "table") {
      fail("argument", "A rolling correlation is neither weighted nor shrunk, and a table.")
    }
    return(rolling_correlation_of(returns, check_windows(window, min_obs, least = 3L)))
  }
  refuse_without_window(min_obs)
  returns <- on_dates_to_share(returns, on)
  if (shrink != "none" && (on == "pairwise" || !is.null(decay))) {
    fail("argument", "Only an unweighted covariance of common dates can be shrunk.")
  }
  pairs <- pairs_of(returns, on, decay, shrink)
  if (on == "common") warn_few_common(returns, length(pairs$row))
  if (as != "table") return(`dimnames<-`(pairs[[as]], rep(list(colnames(returns$values)), 2L)))
  correlation_table(returns, pairs, on, decay, shrink, confidence)
}

# A row for each pair; an interval by Fisher's transformation where nothing is weighted or shrunk.
correlation_table <- function(returns, pairs, on, decay, shrink, confidence) {
  pair <- which(lower.tri(pairs$correlation), arr.ind = TRUE)
  r <- pairs$correlation[pair]
  n <- pairs$n[pair]
  plain <- is.null(decay) && shrink == "none"
  reach <- ifelse(
    plain & n > 3L,
    stats::qnorm(1 - (1 - confidence) / 2) / sqrt(pmax(n - 3, 1)),
    NA_real_
  )
  exact <- list(
    decay = decay, confidence = confidence, share = pairs$share, common = pairs$common
  )
  choices <- c(
    on = on,
    if (!is.null(decay)) c(decay = format(decay)),
    if (shrink != "none") c(shrink = shrink, share = format(pairs$share, digits = 4L))
  )
  new_result(
    Filter(
      Negate(is.null),
      list(
        security = colnames(returns$values)[pair[, 2L]],
        other = colnames(returns$values)[pair[, 1L]],
        every = if (on == "pairwise" && returns$every == "mixed") {
          rarer_of(returns$frequency, pair)
        },
        n = n,
        correlation = r,
        correlation_low = tanh(atanh(r) - reach),
        correlation_high = tanh(atanh(r) + reach),
        covariance = pairs$covariance[pair]
      )
    ),
    "correlation",
    correlation_basis(returns, on, n, choices, pairs$row, exact),
    returns
  )
}

# Series of unlike frequency on the periods of the rarest; of many pairs by themselves it is told.
on_dates_to_share <- function(returns, on) {
  if (on == "common" || ncol(returns) == 2L) {
    return(pairs_on_rarest(returns, colnames(returns$values)))
  }
  warn_unlike_pairs(returns)
  returns
}

# Pairs of unlike frequency that have few dates together.
warn_unlike_pairs <- function(returns) {
  if (returns$every != "mixed") return(invisible())
  pairs <- utils::combn(colnames(returns$values), 2L, simplify = FALSE)
  unlike <- Filter(function(pair) are_unlike(returns, pair), pairs)
  if (!length(unlike)) return(invisible())
  caution(
    "frequency",
    sprintf(
      "%s %s few dates together: %s.", count(length(unlike), "pair"),
      if (length(unlike) == 1L) "has" else "have", some(vapply(unlike, function(pair) {
        n <- shared_returns(returns, match(pair, colnames(returns$values)))
        sprintf("%s, %s", paste(pair, collapse = " and "), count(n, "return"))
      }, ""))
    ),
    remedy = "Take returns by a period that all have: `every = \"month\"`."
  )
}

# That a few securities cost all the others much of what they share is said, and by whom.
warn_few_common <- function(returns, n) {
  columns <- seq_len(ncol(returns$values))
  short <- short_ones(returns, columns)
  gained <- if (length(short)) shared_returns(returns, setdiff(columns, short)) else 0L
  if (n >= 0.75 * gained) return(invisible())
  names <- colnames(returns$values)[short]
  caution(
    "few_common",
    sprintf(
      "All pairs are of the %s that all have: %s %s the others much, which share %s without %s.",
      count(n, "return"), some(names), if (length(names) == 1L) "costs" else "cost",
      count(gained), if (length(names) == 1L) "it" else "them"
    ),
    remedy = sprintf(
      "`on = \"pairwise\"` takes each two for themselves%s.",
      if (length(columns) > length(short) + 1L) "; or leave out what is short" else ""
    )
  )
}

# Two securities share returns as often as the one that has fewer.
rarer_of <- function(frequency, pair) {
  first <- frequency$per_year[pair[, 1L]] <= frequency$per_year[pair[, 2L]]
  unname(ifelse(first, frequency$every[pair[, 1L]], frequency$every[pair[, 2L]]))
}

correlation_basis <- function(returns, on, n, choices, rows, exact) {
  sample <- sample_of(returns$dates, returns$values)
  made <- returns_basis(
    returns,
    sample,
    choices = choices,
    exact = exact,
    every = if (on == "pairwise" || returns$every != "mixed") {
      returns$frequency$every
    } else {
      calendar_every(returns$dates[rows])
    }
  )
  if (on == "pairwise") return(made)
  made$dropped <- rbind(
    made$dropped,
    not_shared(colnames(returns$values), sample$n, n[1L], "all the others")
  )
  made$observations[] <- n[1L]
  made
}

pairs_of <- function(returns, on, decay, shrink) {
  values <- returns$values
  starts <- starts_of(returns)
  rows <- NULL
  if (on == "common") {
    common <- core_common(values, starts, spans_gaps(returns), returns$kind == "log")
    if (length(common$row) < 3L) {
      fail(
        "too_short",
        sprintf("The securities share only %s.", count(length(common$row), "return")),
        remedy = "on = \"pairwise\" takes each two for themselves."
      )
    }
    values <- common$values
    rows <- common$row
    starts <- integer(ncol(values))
  }
  if (shrink == "none") {
    pairs <- core_pairs(
      values,
      starts,
      on == "pairwise" && spans_gaps(returns),
      returns$kind == "log",
      decay %||% 1
    )
    return(c(pairs, list(row = rows)))
  }
  pair <- shrunk(values, shrink_targets[[shrink]])
  spread <- sqrt(diag(pair$covariance))
  list(
    covariance = pair$covariance,
    correlation = pair$covariance / tcrossprod(spread),
    share = pair$share,
    common = pair$common,
    n = matrix(nrow(values), ncol(values), ncol(values)),
    row = rows
  )
}

# A target is a record of its own: from the sample covariance and the centred returns, the matrix
# what all have in common by it, and the distance of what is shrunk that the target itself shares
# (rho).
shrink_targets <- list(
  "constant-correlation" = function(s, x) {
    n <- nrow(x)
    p <- ncol(x)
    spread <- sqrt(diag(s))
    mean_correlation <- (sum(s / tcrossprod(spread)) - p) / (p * (p - 1))
    target <- mean_correlation * tcrossprod(spread)
    diag(target) <- diag(s)
    # theta[i, j]: how the error of s_ii moves with that of s_ij.
    theta <- crossprod(x^3, x) / n - diag(s) * s
    diag(theta) <- 0
    list(
      target = target,
      common = mean_correlation,
      shared = sum(pi_terms(s, x)[cbind(1:p, 1:p)]) +
        mean_correlation * sum(outer(1 / spread, spread) * theta)
    )
  },
  identity = function(s, x) {
    list(target = diag(mean(diag(s)), ncol(s)), common = mean(diag(s)), shared = 0)
  }
)

# How much each element of the sample covariance varies from sample to sample, times n.
pi_terms <- function(s, x) crossprod(x^2) / nrow(x) - s^2

shrunk <- function(values, target) {
  n <- nrow(values)
  x <- sweep(values, 2L, colMeans(values))
  s <- crossprod(x) / n
  flat <- sum(diag(s) == 0)
  if (flat) {
    fail(
      "argument",
      sprintf(
        "%s did not move at all, so there is no correlation to shrink.",
        count(flat, "security", "securities")
      ),
      remedy = "Leave out what is constant, or do without `shrink`."
    )
  }
  aim <- target(s, x)
  off <- sum((s - aim$target)^2)
  share <- if (off > 0) max(0, min(1, (sum(pi_terms(s, x)) - aim$shared) / off / n)) else 1
  list(
    covariance = share * aim$target + (1 - share) * s, share = share, common = aim$common
  )
}

rolling_correlation_of <- function(returns, windows) {
  pair_line <- function(i) {
    core_rolling_line(
      returns$values,
      starts_of(returns),
      0L,
      seq_len(ncol(returns))[-1L],
      numeric(),
      0L,
      spans_gaps(returns),
      returns$kind == "log",
      windows$window[i],
      windows$least[i]
    )
  }
  others <- colnames(returns$values)[-1L]
  shared <- 0L
  parts <- lapply(seq_along(windows$window), function(i) {
    rolled <- pair_line(i)
    frame <- window_frame(returns, rolled$place, others)
    shared <<- max(shared, frame$n)
    columns <- frame$columns(windows$window[i])
    c(
      columns[1L],
      list(benchmark = rep(colnames(returns$values)[1L], length(columns$n))),
      columns[-1L],
      list(correlation = frame$pick(rolled$correlation))
    )
  })
  warn_short(shared, min(windows$least))
  columns <- stacked(parts)
  new_result(
    columns,
    "correlation",
    returns_basis_later(
      returns,
      lapply(sample_of(returns$dates, returns$values), `[`, -1L),
      choices = windows$words,
      securities = others
    ),
    returns
  )
}

# An order in which those that move alike stand beside each other.
like_beside_like <- function(correlation) {
  apart <- 1 - correlation
  apart[is.na(apart)] <- 1
  if (ncol(apart) < 3L) {
    seq_len(ncol(apart))
  } else {
    stats::hclust(stats::as.dist(apart), method = "average")$order
  }
}
