record_of_shock <- function() {
  measure_record(
    160,
    title = "A shock",
    asks = "What would such moves do to the book of today?",
    measure = shock_book,
    columns = list(
      given = column("given", "truth"),
      move = column("move", "fraction"),
      move_low = column("low", "fraction"),
      move_high = column("high", "fraction")
    ),
    shares = c("security", "weight", "component", "component_value"),
    compares = NULL,
    command = NULL,
    parts = list(
      shock = part(
        "more", 30, "whole", "book", above = c("lead", "figure", "table"), usual = FALSE
      )
    ),
    cases = quote(list(
      whole = shock_book(book, stats::setNames(-0.1, b)),
      of_two = shock_book(book_of_one, c(BAYALL = -0.1, TARROW = -0.1))
    ))
  )
}

#' What a shock would do to a book
#'
#' Moves that are given for some securities are carried to the holdings of the book, as it is held
#' today, and added up: what the book would do, and between which bounds.
#'
#' By `"conditional"`, each other holding is expected at its conditional mean given the moves,
#' \deqn{E(r \mid g) = h m_r + S_{rg} S_{gg}^{-1} (g - h m_g),}{E(r | g) = h m_r + S_rg S_gg^-1 (g
#' - h m_g),} with means \eqn{m}{m} and covariances \eqn{S}{S} of the simple returns that all of
#' them have together, and \eqn{h}{h} the periods that the moves take; what is left open has the
#' covariance \eqn{h (S_{rr} - S_{rg} S_{gg}^{-1} S_{gr})}{h (S_rr - S_rg S_gg^-1 S_gr)}. By
#' `"beta"`, of one given move, \eqn{\beta_i g}{beta_i g}: the same slope without the means. The
#' interval is that of a normal distribution about the usual slopes. Neither says how likely the
#' shock is, and slopes are of all days: in a crash holdings move more alike. Of moves further
#' from the usual than any of the sample's the interval is not said to hold in so many of 100
#' times: the words then tell how far they are.
#'
#' @param book A book, see [as_portfolio()].
#' @param moves Simple returns by security: `c(BAYALL = -0.1, BAYMETAL = 0.05)`. They may be
#'   holdings or other securities of the table.
#' @param by How they are carried: `"conditional"` or `"beta"`.
#' @param horizon Over how many periods, or what time, the moves take place.
#' @param confidence Of the interval.
#' @return A table: a row for each security whose move is given, then for each other holding, the
#'   one that would cost most first, and one for the book (last): `security`, `given`, `weight`,
#'   `move` (a simple return), `move_low`, `move_high`, `component` (weight times move; they add
#'   up), and where it is known what the book is worth `component_value`.
#' @eval columns_in_docs("shock")
#' @section Errors: `imbroglio_error_argument` for moves that are none, several moves by beta, and
#'   moves of securities whose returns are a combination of each other;
#'   `imbroglio_error_too_short` where there are fewer shared returns than securities.
#' @references Kupiec (1998), Stress testing in a value at risk framework, Journal of Derivatives
#'   6.
#' @family measures of a book
#' @examples
#' prices <- read_prices(demo_file("bay.csv"))
#' weights <- c(OSSELL = 0.5, TARROW = 0.3, BAYBOND = 0.2)
#' book <- as_portfolio(prices, weights = weights, value = 1e6)
#' shock_book(book, c(BAYALL = -0.1))
#' in_words(shock_book(book, c(BAYALL = -0.1, BAYMETAL = 0.05), horizon = 10))
#' @export
shock_book <- function(book, moves, by = c("conditional", "beta"), horizon = 1L,
                       confidence = 0.95) {
  if (is_drawn(book)) return(over_drawings())
  by <- one_of(by, "by", c("conditional", "beta"))
  confidence <- check_fraction(confidence, "confidence")
  today <- book_today(book)
  horizon <- check_horizon(horizon, today$frequency)
  moves <- check_moves(moves, colnames(book$returns$values), by)
  sample <- returns_for_shock(book, names(moves))
  carried <- carried_moves(sample$r, names(moves), moves, by, horizon)
  weight <- stats::setNames(rep(0, ncol(sample$r)), colnames(sample$r))
  weight[book$security] <- book$weights
  reach <- stats::qnorm((1 + confidence) / 2)
  error <- sqrt(diag(carried$covariance))
  whole <- sum(weight * carried$move)
  whole_error <- sqrt(sum(weight * as.vector(carried$covariance %*% weight)))
  given <- names(weight) %in% names(moves)
  in_order <- order(!given, weight * carried$move)
  columns <- list(
    security = c(names(weight)[in_order], book$name),
    given = c(given[in_order], FALSE),
    weight = c(unname(weight)[in_order], 1),
    move = c(carried$move[in_order], whole),
    move_low = c((carried$move - reach * error)[in_order], whole - reach * whole_error),
    move_high = c((carried$move + reach * error)[in_order], whole + reach * whole_error),
    # Of what is not held plain 0, which has no sign.
    component = c((weight * carried$move)[in_order] + 0, whole)
  )
  if (!is.null(book$value)) columns$component_value <- columns$component * book$value
  moved <- sprintf("%s %s %%", names(moves), format(100 * moves, trim = TRUE, digits = 6L))
  today$dates <- sample$dates
  new_result(
    lapply(columns, unname),
    "shock",
    book_basis(
      today,
      c(
        shock = some(moved, 8L),
        "carried by" = if (by == "beta") "beta" else "conditional mean",
        horizon = horizon,
        interval = paste0(unit_words(confidence), ", normal")
      ),
      exact = list(
        moves = moves,
        by = by,
        horizon = horizon,
        confidence = confidence,
        deviations = how_usual(sample$r[, names(moves), drop = FALSE], moves, horizon)
      )
    ),
    book$returns
  )
}

# How far the given moves are from the usual ones of so many periods, in deviations (Mahalanobis's
# distance), and the furthest that as many periods of the sample in a row were.
how_usual <- function(r, moves, horizon) {
  centre <- colMeans(r)
  inverse <- solve(stats::cov(r))
  distance <- function(off) sqrt(rowSums((off %*% inverse) * off))
  off <- sweep(r, 2L, centre)
  ahead <- matrix(stats::filter(off, rep(1, horizon), sides = 1L), nrow(r))
  c(
    asked = distance(rbind(moves - horizon * centre)),
    most = if (nrow(r) < horizon) 0 else max(distance(ahead[horizon:nrow(r), , drop = FALSE]))
  ) / sqrt(horizon)
}

check_moves <- function(moves, securities, by) {
  ok <- is.numeric(moves) && length(moves) && !is.null(names(moves)) && all(is.finite(moves)) &&
    all(moves > -1)
  if (!ok) {
    fail(
      "argument",
      "`moves` are returns above -1 by security, such as c(BAYALL = -0.1).",
      where = sprintf("They are %s.", shown(moves))
    )
  }
  columns <- pick_securities(names(moves), securities)
  moves <- stats::setNames(as.numeric(moves), securities[columns])
  if (anyDuplicated(names(moves))) {
    fail("argument", sprintf("`moves` has %s twice.", names(moves)[duplicated(names(moves))][1L]))
  }
  if (by == "beta" && length(moves) > 1L) {
    fail(
      "argument",
      "By beta one move is carried on.",
      where = sprintf("`moves` has %s.", some(names(moves))),
      remedy = "Carry several by their correlations: by = \"conditional\"."
    )
  }
  moves
}

# The simple returns that the given securities and the holdings have together.
returns_for_shock <- function(book, given) {
  returns <- book$returns
  names <- unique(c(given, book$security))
  together <- returns_together(returns, names)
  r <- together$r
  if (NROW(r) < length(names) + 2L) {
    fail(
      "too_short",
      sprintf("%s have too few returns together to carry a move.", some(names)),
      where = sprintf("They have %s.", count(NROW(r)))
    )
  }
  together
}

# Expected moves, and the covariance of what is left open.
carried_moves <- function(r, given, moves, by, horizon) {
  S <- stats::cov(r)
  at <- match(given, colnames(r))
  slopes <- slopes_on_given(S, at)
  centre <- if (by == "beta") rep(0, ncol(r)) else colMeans(r) * horizon
  move <- centre + as.vector(slopes %*% (moves - centre[at]))
  move[at] <- moves
  open <- horizon * (S - slopes %*% S[at, , drop = FALSE])
  open[at, ] <- open[, at] <- 0
  list(move = move, covariance = open)
}

slopes_on_given <- function(S, at) {
  own <- S[at, at, drop = FALSE]
  if (any(diag(own) == 0) || rcond(stats::cov2cor(own)) < 1e-10) {
    fail(
      "argument",
      "The moves cannot be told apart: the returns of these securities are the same, or constant.",
      where = sprintf("They are of %s.", some(colnames(S)[at])),
      remedy = "Leave one of them out."
    )
  }
  t(solve(own, S[at, , drop = FALSE]))
}
