record_of_volatility_split <- function() {
  measure_record(
    230,
    title = "Volatility by holding",
    asks = "Where does the volatility come from?",
    measure = split_volatility,
    columns = list(),
    shares = c(
      "security", "weight", "volatility_annual", "correlation", "marginal", "component", "share",
      "window", "benchmark", "from", "to", "n"
    ),
    compares = compares(
      "share", "adds most", "least", " of the risk", " of the risk"
    ),
    command = NULL,
    parts = list(
      volatility_split = part(
        "split", 20, "whole", "book", keeps = c("window", "benchmark")
      )
    ),
    follows = list(
      share = followed(
        170, "Share of the volatility", "share",
        "its share of the volatility of the book, [split_volatility()]", today = share_today,
        of_book = TRUE
      )
    ),
    cases = quote(list(
      whole = split_volatility(book, per_year = 250),
      tracking = split_volatility(book_and_cash, benchmark = b),
      rolling = split_volatility(book, window = 40)
    ))
  )
}

#' Where the volatility of a book comes from
#'
#' What each holding of a book, as it is held today, adds to its volatility, or to its tracking
#' error against a benchmark. The components add up to the whole exactly.
#'
#' The volatility of the book is the sum over its holdings of \deqn{w_i \frac{cov(r_i, R)}{sd(R)}
#' \sqrt m}{w_i cov(r_i, R) / sd(R) sqrt(m)}; the fraction is the marginal volatility, of one more
#' unit of weight. Against a benchmark \eqn{b}{b} the same is told of \eqn{R - b}{R - b}: each
#' holding stands there in place of the benchmark, \eqn{w_i cov(r_i - b, R - b) / sd(R - b)}{w_i
#' cov(r_i - b, R - b) / sd(R - b)}, and so does cash. Where the benchmark is a book itself, its
#' holdings are known, and active weights \eqn{w_i - w_{b,i}}{w_i - w_b,i} take the place of
#' weights. The risk of a group is the sum of that of its members.
#'
#' All is of simple returns, on the days that all of them have; \eqn{m}{m} are the periods a year.
#'
#' @param book A book, see [as_portfolio()].
#' @param benchmark `NULL`, one security of the table, a table that holds one, or a book.
#' @param by `"security"`, or `"group"`, as [read_securities()] gives groups; what has none is
#'   `"no group"`.
#' @param window,min_obs The number of returns in a rolling window, and how many will do before it
#'   is full: today's weights through the past.
#' @param per_year Periods a year; by default those of the book, see [measure_volatility()].
#' @return A table, a row for each holding (or group), the one that adds most first, and one for
#'   the book (last): `security`, `benchmark`, `weight` (active, against a book),
#'   `volatility_annual` (of it alone; of the book its own), `correlation` (with the book, or what
#'   it is ahead of the benchmark with what the book is), `marginal`, `component` (both a year),
#'   `share`. Rolling: `security`, `window`, `from`, `to`, `n`, `component` and `share`.
#' @eval columns_in_docs("volatility_split")
#' @section Errors: `imbroglio_error_argument` for what is no book, and for groups that are not
#'   known; `imbroglio_error_too_short` with fewer than two returns.
#' @family measures of a book
#' @examples
#' prices <- read_prices(demo_file("bay.csv"), securities = demo_file("bay-securities.csv"))
#' book <- as_portfolio(prices, weights = c(OSSELL = 0.5, TARROW = 0.3, BAYBOND = 0.2))
#' split_volatility(book)
#' split_volatility(book, benchmark = "BAYALL", by = "group")
#' @export
split_volatility <- function(book, benchmark = NULL, by = c("security", "group"), window = NULL,
                             min_obs = NULL, per_year = NULL) {
  if (is_drawn(book) || is_drawn(benchmark)) return(over_drawings())
  by <- one_of(by, "by", c("security", "group"))
  today <- book_today(book)
  own <- year_of_today(today, per_year)
  moved <- moves_of_holdings(book, benchmark)
  if (by == "group") moved <- by_group(moved, book)
  today$dates <- moved$dates
  choices <- c(
    benchmark = moved$benchmark,
    "split by" = by,
    if (!is.null(window)) check_windows(window, min_obs)$words,
    year_words(today$frequency, own)
  )
  columns <- if (is.null(window)) {
    refuse_without_window(min_obs)
    volatility_parts(moved, book$name, own)
  } else {
    rolling_parts(moved, book$name, own, check_windows(window, min_obs))
  }
  about <- book_basis(today, choices, exact = list(per_year = per_year, by = by))
  about$per_year <- own
  made <- new_result(columns, "volatility_split", about, book$returns)
  attr(made, "moved") <- moved
  made
}

# Periods a year: those of the book, or the number given.
year_of_today <- function(today, per_year) {
  if (is.null(per_year)) return(today$frequency$per_year[[1L]])
  check_positive(per_year, "per_year")
}

# What each holding returned, or was ahead of the benchmark by, and its weight; the sum of them is
# what the book did.
moves_of_holdings <- function(book, benchmark) {
  names <- book$security
  weight <- book$weights
  other <- if (inherits(benchmark, "imbroglio_book")) benchmark
  returns <- book$returns
  series <- NULL
  if (!is.null(other)) {
    outside <- setdiff(other$security, colnames(returns$values))
    if (length(outside)) returns <- with_columns_of(returns, other$returns[, outside])
    names <- union(names, other$security)
    weight <- c(weight, rep(0, length(names) - length(weight)))
    at <- match(other$security, names)
    weight[at] <- weight[at] - other$weights
  } else if (!is.null(benchmark)) {
    beside <- one_beside(returns, benchmark)
    returns <- beside$returns
    series <- beside$name
  }
  common <- returns_together(returns, unique(c(names, series)))
  r <- common$r
  if (nrow(r) < 2L) fail("too_short", "The holdings have fewer than two returns together.")
  moves <- r[, names, drop = FALSE]
  if (!is.null(series)) {
    moves <- cbind(moves, if (book$cash != 0) c(cash = 0)) - r[, series]
    if (book$cash != 0) colnames(moves) <- c(names, "cash")
    weight <- c(weight, if (book$cash != 0) book$cash)
  }
  list(
    moves = moves,
    weight = unname(weight),
    own = book$weights,
    name = colnames(moves),
    dates = common$dates,
    # All there is, cash among it; beside another book what one has more the other has less.
    total = if (is.null(other)) 1 else 0,
    benchmark = series %||% other$name,
    whole = as.vector(r[, book$security, drop = FALSE] %*% book$weights),
    alone = cbind(r[, names, drop = FALSE], if (ncol(moves) > length(names)) 0)
  )
}

# The members of a group as one: its weight is theirs, what it returned theirs by their weights.
by_group <- function(moved, book) {
  about <- book$returns$prices$about
  if (is.null(about)) {
    fail(
      "argument",
      "The prices have no groups.",
      remedy = "Read them with `securities =`, a table that has a column group."
    )
  }
  group <- about$group[match(moved$name, about$security)]
  group[is.na(group)] <- ifelse(moved$name[is.na(group)] == "cash", "cash", "no group")
  groups <- unique(group)
  weight <- as.vector(rowsum(moved$weight, factor(group, groups)))
  together <- function(x) {
    vapply(seq_along(groups), function(g) {
      members <- group == groups[g]
      whole <- as.vector(x[, members, drop = FALSE] %*% moved$weight[members])
      # Of weights that add up to nothing there is no return of one unit.
      if (weight[g] == 0) whole else whole / weight[g]
    }, numeric(nrow(x)))
  }
  flat <- weight == 0
  moved$moves <- `colnames<-`(together(moved$moves), groups)
  moved$alone <- together(moved$alone)
  # Such a group counts as it is, once.
  moved$size <- ifelse(flat, 1, weight)
  moved$weight <- weight
  moved$name <- groups
  moved$group <- group
  moved
}

volatility_parts <- function(moved, name, per_year) {
  size <- moved$size %||% moved$weight
  whole <- as.vector(moved$moves %*% size)
  year <- sqrt(per_year)
  deviation <- core_moments(matrix(whole), FALSE, FALSE)$deviation
  along <- as.vector(stats::cov(moved$moves, whole))
  marginal <- if (isTRUE(deviation > 0)) along / deviation else rep(0, length(along))
  own <- apply(moved$moves, 2L, stats::sd)
  component <- size * marginal * year
  in_order <- order(-component)
  total <- sum(component)
  k <- length(size) + 1L
  columns <- list(
    security = c(moved$name[in_order], name),
    benchmark = if (!is.null(moved$benchmark)) rep(moved$benchmark, k),
    weight = c(moved$weight[in_order], moved$total),
    volatility_annual = c(
      apply(moved$alone, 2L, stats::sd)[in_order] * year,
      stats::sd(moved$whole) * year
    ),
    correlation = c(ifelse(own > 0, marginal / own, NA_real_)[in_order], 1),
    marginal = c(marginal[in_order] * year, NA),
    component = c(component[in_order], total),
    share = c(component[in_order] / total, 1)
  )
  lapply(Filter(Negate(is.null), columns), unname)
}

rolling_parts <- function(moved, name, per_year, windows) {
  size <- moved$size %||% moved$weight
  whole <- as.vector(moved$moves %*% size)
  values <- cbind(moved$moves, whole)
  k <- length(size)
  n <- length(whole)
  parts <- lapply(seq_along(windows$window), function(i) {
    window <- windows$window[i]
    slopes <- core_rolling_beta(
      values, rep(0L, k + 1L), k, seq_len(k), 0, 0L, FALSE, FALSE, window, windows$least[i]
    )
    deviation <- core_rolling_deviation(cbind(whole), window, windows$least[i])[, 1L]
    share <- cbind(slopes * rep(size, each = n), ifelse(is.na(deviation), NA, 1))
    inside <- pmin(seq_len(n), window)
    list(
      security = rep(c(moved$name, name), each = n),
      window = rep(window, n * (k + 1L)),
      from = rep(moved$dates[seq_len(n) - inside + 1L], k + 1L),
      to = rep(moved$dates, k + 1L),
      n = rep(inside, k + 1L),
      component = as.vector(share * deviation) * sqrt(per_year),
      share = as.vector(share)
    )
  })
  warn_short(n, min(windows$least))
  stacked(parts)
}
