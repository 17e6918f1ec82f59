record_of_concentration <- function() {
  measure_record(
    250,
    title = "Concentration",
    asks = "How many bets is the book?",
    measure = measure_concentration,
    columns = list(
      holdings = column("holdings", "count"),
      effective_holdings = column("as good as", "one"),
      effective_bets = column("bets", "one"),
      diversification_ratio = column("diversification ratio", "two"),
      volatility_added = column("volatility added up", "fraction"),
      largest = column("largest", "text"),
      largest_weight = column("its weight", "share")
    ),
    shares = c("security", "from", "to", "n", "volatility_annual", "window"),
    compares = compares("effective_bets", "is most bets", "least", " bets", " bets"),
    command = command_record(
      "Measure", 110,
      says = "how many holdings of one size, and how many bets, a book is",
      options = c(
        choose, "every", "keep-unfinished", "window", "min-obs", "per-year", but_how_held, hand_on
      ),
      trade = list(
        trade(
          c("Diversification ratio", "effective number of bets", "Herfindahl"),
          "how concentrated a book is",
          "imbroglio concentration FILE --holdings FILE"
        )
      ),
      example = "imbroglio concentration bay.csv bay-fund.csv --holdings bay-holdings.csv",
      ways = c(
        "BOOK",
        "BOOK --window 40"
      )
    ),
    parts = list(
      concentration = part("book", 20, "whole", "book", "lead", draws = NULL)
    ),
    follows = list(
      effective_holdings = followed(
        180, "Effective holdings", "one", "[measure_concentration()]", wrong = "below",
        positive = TRUE, of_book = TRUE,
        today = function(book, held) measure_concentration(book)$effective_holdings
      ),
      effective_bets = followed(
        190, "Effective bets", "one", "[measure_concentration()]", wrong = "below",
        positive = TRUE, of_book = TRUE,
        today = function(book, held) measure_concentration(book)$effective_bets
      )
    ),
    cases = quote(list(
      whole = measure_concentration(book),
      rolling = measure_concentration(book, window = 40)
    ))
  )
}

#' How concentrated a book is
#'
#' How many holdings of one size the weights of a book come to, how many independent bets its
#' variance, and what diversification takes off its volatility; of the book as it is held today.
#'
#' * The effective number of holdings is \eqn{1 / \sum p_i^2}{1 / sum(p_i^2)}, with \eqn{p_i =
#'   |w_i| / \sum |w|}{p_i = |w_i| / sum(|w|)}: as many as there are where all weigh the same, 1 where
#'   one is all. Cash is none.
#' * The effective number of bets is \eqn{\exp(-\sum q_k \ln q_k)}{exp(-sum(q_k ln q_k))}, with
#'   \eqn{q_k}{q_k} the share of the book's variance along the \eqn{k}{k}-th principal component of
#'   its holdings' covariances, \eqn{q_k = (e_k' w)^2 \lambda_k / w' S w}{q_k = (e_k' w)^2
#'   lambda_k / w' S w}.
#' * The diversification ratio is \eqn{\sum |w_i| s_i / sd(R)}{sum(|w_i| s_i) / sd(R)}: 1 where all
#'   move as one.
#'
#' Where two principal components have the same variance, they are not unique, nor is what is
#' counted along them.
#'
#' @param book A book, see [as_portfolio()].
#' @param window,min_obs The number of returns in a rolling window, and how many will do before it
#'   is full: today's weights through the past. It takes an eigenvalue problem a date.
#' @param per_year Periods a year; by default those of the book, see [measure_volatility()].
#' @return A table of one row: `security` (the book), `from`, `to`, `n`, `holdings`,
#'   `effective_holdings`, `effective_bets`, `diversification_ratio`, `volatility_annual`,
#'   `volatility_added` (the sum of what the holdings would have alone, by their weights, a year),
#'   `largest` (the holding that weighs most) and `largest_weight`. Rolling: a row for each date
#'   and `window`, without the last two.
#' @eval columns_in_docs("concentration")
#' @section Errors: `imbroglio_error_argument` for what is no book; `imbroglio_error_too_short`
#'   with fewer than two returns.
#' @references Meucci (2009), Managing diversification, Risk 22. Choueifaty and Coignard (2008),
#'   Toward maximum diversification, Journal of Portfolio Management 35.
#' @eval concepts_in_docs("measure_concentration")
#' @family measures of a book
#' @examples
#' prices <- read_prices(demo_file("bay.csv"))
#' book <- as_portfolio(prices, weights = c(OSSELL = 0.5, TARROW = 0.3, BAYBOND = 0.2))
#' measure_concentration(book)
#' @export
measure_concentration <- function(book, window = NULL, min_obs = NULL, per_year = NULL) {
  if (is_drawn(book)) return(over_drawings())
  today <- book_today(book)
  n <- nrow(today$r)
  if (n < 2L) fail("too_short", "The holdings have fewer than two returns together.")
  own <- year_of_today(today, per_year)
  w <- today$weights
  p <- abs(w) / sum(abs(w))
  holdings <- sum(w != 0)
  if (is.null(window)) {
    refuse_without_window(min_obs)
    columns <- c(
      list(
        security = book$name,
        from = today$dates[1L],
        to = today$dates[n],
        n = n,
        holdings = holdings,
        effective_holdings = 1 / sum(p^2)
      ),
      spread_of(stats::cov(today$r), w, own),
      list(largest = today$security[which.max(p)], largest_weight = w[[which.max(p)]])
    )
  } else {
    windows <- check_windows(window, min_obs)
    warn_short(n, min(windows$least))
    columns <- stacked(lapply(seq_along(windows$window), function(i) {
      at <- rolling_spread(today, w, own, windows$window[i], windows$least[i])
      inside <- pmin(seq_len(n), windows$window[i])
      c(
        list(
          security = rep(book$name, n),
          window = rep(windows$window[i], n),
          from = today$dates[seq_len(n) - inside + 1L],
          to = today$dates,
          n = inside,
          holdings = rep(holdings, n),
          effective_holdings = rep(1 / sum(p^2), n)
        ),
        at
      )
    }))
  }
  about <- book_basis(
    today,
    c(if (!is.null(window)) windows$words, year_words(today$frequency, own)),
    exact = list(per_year = per_year, weights = stats::setNames(w, today$security))
  )
  about$per_year <- own
  new_result(columns, "concentration", about, book$returns)
}

# Of a covariance and weights.
spread_of <- function(S, w, per_year) {
  variance <- sum(w * as.vector(S %*% w))
  alone <- sum(abs(w) * sqrt(diag(S)))
  year <- sqrt(per_year)
  if (!isTRUE(variance > 0)) {
    none <- NA_real_
    return(list(
      effective_bets = none, diversification_ratio = none, volatility_annual = 0,
      volatility_added = alone * year
    ))
  }
  q <- shares_of_bets(S, w)
  q <- q[q > 0]
  list(
    effective_bets = exp(-sum(q * log(q))),
    diversification_ratio = alone / sqrt(variance),
    volatility_annual = sqrt(variance) * year,
    volatility_added = alone * year
  )
}

# The share of the variance along each principal component, the largest component first.
shares_of_bets <- function(S, w) {
  principal <- eigen(S, symmetric = TRUE)
  along <- as.vector(crossprod(principal$vectors, w))^2 * pmax(principal$values, 0)
  along / sum(along)
}

rolling_spread <- function(today, w, per_year, window, least) {
  spread <- vapply(seq_len(nrow(today$r)), function(i) {
    if (i < least) return(rep(NA_real_, 4L))
    rows <- max(1L, i - window + 1L):i
    unlist(spread_of(stats::cov(today$r[rows, , drop = FALSE]), w, per_year))
  }, numeric(4L))
  list(
    effective_bets = spread[1L, ],
    diversification_ratio = spread[2L, ],
    volatility_annual = spread[3L, ],
    volatility_added = spread[4L, ]
  )
}
