record_of_bootstrap <- function() {
  measure_record(
    210,
    title = "Bootstrap of a book",
    asks = "What may the book be worth?",
    measure = bootstrap_book,
    columns = list(),
    shares = c(
      "security", "from", "to", "n", "level", "horizon", "var", "es", "var_value", "es_value",
      "method", "draws", "rank", "var_error", "es_error", "var_low", "var_high", "draw_error"
    ),
    tables = list(
      paths = table_record(
        "Drawn paths",
        columns = list(
          path = column("path", "count"),
          value = column("value", "money")
        ),
        shares = c("step", "date", "return"),
        shows = 40L,
        wide = TRUE
      ),
      drawn_correlation = table_record(
        "Correlation of the holdings, in the history and in the drawn days",
        columns = list(
          history = column("history", "ratio"),
          drawn = column("drawn", "ratio"),
          drawn_error = column("error", "four")
        ),
        shares = c("security", "other")
      )
    ),
    compares = NULL,
    command = NULL,
    parts = list(
      bootstrap = part(
        "more", 40, "whole", "book", above = c("lead", "figure", "table"), usual = FALSE
      )
    ),
    cases = quote(list(
      whole = bootstrap_book(book, horizon = 5, draws = 500),
      days = bootstrap_book(book, level = 0.9, draws = 500),
      blocks = bootstrap_book(book, 0.9, horizon = 3, blocks = "stationary", draws = 2000)
    ))
  )
}

#' Draw what a book may be worth
#'
#' The bootstrap of a book: whole days of the history are drawn with replacement, as many as the
#' horizon is long, each holding is compounded along them, and the book is valued; again and
#' again. A day brings the returns of all holdings, so that they move together as they did.
#'
#' @section How it is computed: \eqn{V = c + \sum_i w_i \prod_{t \le h} (1 + r_{i, d_t})}{V = c +
#'   sum_i(w_i prod_(t <= h)(1 + r_i on day d_t))}, with \eqn{d_1, \ldots, d_h}{d_1 to d_h} drawn
#'   days, all as likely. `blocks = "fixed"` draws runs of `block` days that follow each other,
#'   `"stationary"` runs of random length with that mean (Politis and Romano 1994); after the last
#'   day of the history comes the first. Value at risk is the loss at the level by the convention
#'   of rank, see [measure_var()].
#'
#' Each path has random numbers of its own, by the seed and its number: it is the same on any
#' number of threads, and can be drawn again by itself, which is how `drawn_paths()` lists it. The
#' memory does not depend on the days.
#'
#' `var_error` is what another history of the same length would move (by the infinitesimal
#' jackknife: how often the paths in the tail passed each day), `draw_error` what other draws
#' would.
#'
#' @param book A book, of [as_portfolio()]. It is drawn as it is held today; the days are those
#'   that all holdings have.
#' @param level Confidence levels.
#' @param horizon Periods, one whole number, or a time such as `"10 days"`.
#' @param blocks `"none"`, `"fixed"` or `"stationary"`.
#' @param block The (mean) length of the blocks, by default the cube root of the number of days.
#' @param rank A convention of rank.
#' @param draws,seed Paths drawn, and a whole number that they depend on.
#' @param confidence Of the interval.
#' @param result,x A result of `bootstrap_book()`.
#' @param paths Which paths: numbers from 1 to `draws`.
#' @param probs Probabilities.
#' @param ... Must be empty.
#' @return A table, a row for each level, with the columns of [measure_var()] and `draws`.
#'   `quantile()` of it gives percentiles of the final `value` and of the `return` (the median's
#'   and so on); `generics::glance()` the mean and the standard deviation of the final value, and
#'   what they should be (`mean_exact`, `sd_exact`, known where there are no blocks);
#'   `drawn_paths()` the days of some paths (`path`, `step`, the `date` drawn, the `return` of the
#'   book on that step, its `value` after it, and the return of each holding on that date);
#'   `drawn_correlation()` the correlation of each two holdings in the drawn days (`drawn`) beside
#'   that of the `history`, and `drawn_error`, the standard error that the draws alone give it.
#'   `autoplot()` shows the distribution.
#' @eval columns_in_docs("bootstrap")
#' @section Errors: `imbroglio_error_argument` for what is no book, a horizon, level, seed or
#'   number of draws that cannot be.
#' @references Efron (1979), Bootstrap methods, Annals of Statistics 7. Politis and Romano (1994),
#'   The stationary bootstrap, Journal of the American Statistical Association 89. Efron (2014),
#'   Estimation and accuracy after model selection, the same journal 109.
#' @eval concepts_in_docs("bootstrap_book")
#' @family measures of risk
#' @family measures of a book
#' @examples
#' prices <- read_prices(demo_file("bay.csv"))
#' book <- as_portfolio(prices, shares = c(OSSELL = 2000, TARROW = 500, BAYBOND = 1000))
#' drawn <- bootstrap_book(book, level = c(0.95, 0.99), horizon = 10, draws = 5000)
#' drawn
#' quantile(drawn)
#' drawn_paths(drawn, paths = 1:2)
#' drawn_correlation(drawn)
#' @export
bootstrap_book <- function(book, level = 0.99, horizon = 1L, rank = "nearest",
                           blocks = c("none", "fixed", "stationary"), block = NULL,
                           draws = 10000L, seed = 1L, confidence = 0.95) {
  if (is_drawn(book)) return(over_drawings())
  book <- book_today(book)
  horizon <- check_horizon(horizon, book$frequency)
  blocks <- one_of(blocks, "blocks", block_kinds)
  request <- requested(
    book$book$returns,
    level,
    block = block,
    draws = draws,
    seed = seed,
    confidence = confidence,
    rank = rank
  )
  refuse_too_many_steps(request$draws, horizon, ncol(book$r))
  how <- drawing(nrow(book$r), horizon, blocks, request)
  drawn <- core_draw_book(
    1 + book$r, book$weights, book$cash, how$horizon, how$draws, how$code, how$length, how$seed
  )
  measured <- of_draws(drawn$value - 1, how, request, as.vector(book$r %*% book$weights))
  columns <- bootstrap_columns(book, measured, how, request, horizon, rank)
  record <- known_var_methods()[columns$method[1L]]
  warn_few(columns, record, how$draws)
  note_withheld(columns, record)
  result <- new_result(
    columns,
    "bootstrap",
    book_basis(
      book,
      c(
        horizon = horizon,
        draws = count(how$draws),
        if (blocks != "none") c(blocks = paste(blocks, format(how$length))),
        rank = rank
      ),
      seed = how$seed,
      exact = list(confidence = request$confidence)
    ),
    book$book$returns
  )
  attr(result, "drawn") <- c(drawn, list(book = book, how = how))
  result
}

bootstrap_columns <- function(book, measured, how, request, horizon, rank) {
  m <- length(request$level)
  kinds <- block_methods()
  c(
    list(
      security = rep(book$name, m),
      from = rep(book$dates[1L], m),
      to = rep(book$dates[length(book$dates)], m),
      n = rep(how$days, m),
      level = request$level,
      horizon = rep(horizon, m),
      var = measured$var,
      es = measured$es
    ),
    if (!is.null(book$value)) {
      list(var_value = measured$var * book$value, es_value = measured$es * book$value)
    },
    list(
      method = rep(names(kinds)[match(how$blocks, kinds)], m),
      draws = rep(how$draws, m),
      rank = rep(rank, m)
    ),
    measured[c("var_error", "es_error", "var_low", "var_high", "draw_error")]
  )
}

book_basis <- function(today, choices, seed = NA_integer_, exact = list()) {
  n <- length(today$dates)
  sample <- list(
    from = today$dates[1L],
    to = today$dates[n],
    n = n,
    inside = 0L,
    before = 0L,
    after = 0L
  )
  returns <- today$book$returns
  returns$kind <- "simple"
  returns <- altered(returns, digest = book_digest(today$book))
  returns$book <- list(
    name = today$name,
    held = today_words(today$book),
    text = holdings_text(today),
    history = today$book$history,
    between = today$book$between$words,
    until = until_words(today$book$ended),
    opening = today$book$between$opening,
    currency = today$book$currency,
    weights = stats::setNames(today$book$weights, today$book$security)
  )
  returns_basis(
    returns,
    sample,
    choices = choices,
    seed = seed,
    exact = exact,
    every = today$frequency$every,
    securities = today$name
  )
}

#' @rdname bootstrap_book
#' @importFrom stats quantile
#' @export
quantile.imbroglio_bootstrap <- function(
    x, probs = c(0.01, 0.05, 0.1, 0.25, 0.5, 0.75, 0.9, 0.95, 0.99), ...) {
  refuse_others(...)
  ok <- is.numeric(probs) && length(probs) && !anyNA(probs) && all(probs >= 0 & probs <= 1)
  if (!ok) {
    fail(
      "argument",
      "`probs` must be probabilities.",
      where = sprintf("They are %s.", shown(probs))
    )
  }
  drawn <- attr(x, "drawn")
  at <- unname(stats::quantile(drawn$value, probs))
  tibble::tibble(prob = probs, value = at * (drawn$book$value %||% 1), return = at - 1)
}

#' @rdname bootstrap_book
#' @exportS3Method generics::glance
glance.imbroglio_bootstrap <- function(x, ...) {
  refuse_others(...)
  drawn <- attr(x, "drawn")
  book <- drawn$book
  h <- drawn$how$horizon
  per <- book$value %||% 1
  exact <- c(NA_real_, NA_real_)
  if (drawn$how$blocks == "none") {
    growth <- 1 + book$r
    centre <- colMeans(growth)^h
    both <- (crossprod(growth) / nrow(growth))^h
    of_parts <- sum(book$weights * centre)
    exact <- c(
      book$cash + of_parts,
      sqrt(max(0, sum(outer(book$weights, book$weights) * both) - of_parts^2))
    )
  }
  tibble::tibble(
    draws = drawn$how$draws,
    mean = mean(drawn$value) * per,
    mean_exact = exact[1L] * per,
    sd = stats::sd(drawn$value) * per,
    sd_exact = exact[2L] * per,
    least = min(drawn$value) * per,
    most = max(drawn$value) * per
  )
}

#' @rdname bootstrap_book
#' @export
drawn_paths <- function(result, paths = 1:5) {
  drawn <- attr(result, "drawn")
  if (is.null(drawn)) {
    fail(
      "argument",
      "Paths are listed of a result of bootstrap_book().",
      where = sprintf("This is %s.", shown(result))
    )
  }
  paths <- check_whole(paths, "paths", several = TRUE)
  if (any(paths > drawn$how$draws)) {
    fail(
      "argument",
      sprintf("There are %s.", count(drawn$how$draws, "path")),
      where = sprintf("Asked for %s.", some(paths))
    )
  }
  book <- drawn$book
  h <- drawn$how$horizon
  if (length(paths) * h > 1e7) {
    fail(
      "argument",
      sprintf("%s of %s are too many to list.", count(length(paths), "path"), count(h, "period")),
      where = "10,000,000 steps can be."
    )
  }
  days <- as.vector(days_of_paths(drawn$how, paths))
  step <- rep(seq_len(h), length(paths))
  path <- rep(paths, each = h)
  r <- book$r[days, , drop = FALSE]
  grown <- apply(1 + r, 2L, function(g) stats::ave(g, path, FUN = cumprod))
  value <- book$cash + as.vector(matrix(grown, length(days)) %*% book$weights)
  before <- ifelse(step == 1L, 1, c(NA, value[-length(value)]))
  tibble::as_tibble(
    c(
      list(
        path = path,
        step = step,
        date = book$dates[days],
        return = value / before - 1,
        value = value * (book$value %||% 1)
      ),
      as.list(as.data.frame(r))
    ),
    .name_repair = "minimal"
  )
}

#' @rdname bootstrap_book
#' @export
drawn_correlation <- function(result) {
  drawn <- attr(result, "drawn")
  if (is.null(drawn)) {
    fail(
      "argument",
      "This is asked of a result of bootstrap_book().",
      where = sprintf("This is %s.", shown(result))
    )
  }
  book <- drawn$book
  if (length(book$security) < 2L) fail("argument", "A book of one holding has no correlation.")
  pairs <- which(upper.tri(diag(length(book$security))), arr.ind = TRUE)
  history <- stats::cor(book$r)[pairs]
  weighted <- stats::cov.wt(book$r, drawn$drawn / sum(drawn$drawn), cor = TRUE)$cor[pairs]
  error <- (1 - history^2) / sqrt(sum(drawn$drawn))
  tibble::tibble(
    security = book$security[pairs[, 1L]],
    other = book$security[pairs[, 2L]],
    history = history,
    drawn = weighted,
    drawn_error = error
  )
}
