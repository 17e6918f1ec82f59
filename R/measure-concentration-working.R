# The working of how concentrated a book is.

#' @export
working_of.imbroglio_concentration <- function(result, row) {
  this <- row_of_result(result, row)
  weights <- basis(result)$exact$weights
  rolling <- !is.null(this$window)
  if (is.na(this$effective_bets)) {
    fail("working", "The book has no variance there, so there is nothing to show.")
  }
  made <- book_sample(
    result, names(weights), NULL, if (rolling) this$from, if (rolling) this$to
  )
  short <- unique_names(names(weights))
  r <- made$values
  if (attr(result, "source")$kind == "log") r <- expm1(r)
  if (rolling) r <- r[made$dates >= this$from & made$dates <= this$to, , drop = FALSE]
  list(
    rows = list(made$rows),
    choices = list(year_of_book(result)),
    steps = c(
      made$steps,
      holding_weight_steps(weights, short),
      spread_steps(short),
      bet_steps(shares_of_bets(stats::cov(r), weights)),
      list(
        entered("holdings", sum(weights != 0), "holdings that weigh something", "count"),
        entered("largest_weight", this$largest_weight %||% NA, "weight of the largest", "share")
      )
    ),
    main = "effective_bets"
  )
}

holding_weight_steps <- function(weights, short) {
  of <- lapply(paste0(short, "_weight"), as.name)
  c(
    lapply(seq_along(short), function(j) {
      said <- paste("weight of", names(weights)[j])
      entered(paste0(short[j], "_weight"), weights[[j]], said, "share")
    }),
    list(
      step("gross", added_up(lapply(of, function(w) call("abs", w))), "all of them, unsigned"),
      step(
        "effective_holdings",
        bquote(gross^2 / (.(added_up(lapply(of, function(w) bquote(.(w)^2)))))),
        "holdings of one size that this comes to"
      )
    )
  )
}

spread_steps <- function(short) {
  weights <- lapply(paste0(short, "_weight"), as.name)
  returns <- lapply(paste0(short, "_return"), as.name)
  deviation <- function(x) {
    bquote(sqrt(sum((.(x) - sum(.(x)) / count(.(x)))^2) / (count(.(x)) - 1)))
  }
  alone <- Map(function(w, x) bquote(abs(.(w)) * .(deviation(x))), weights, returns)
  whole <- added_up(Map(function(w, x) call("*", w, x), weights, returns))
  list(
    step("whole", whole, "return of the book", "fraction"),
    step(
      "volatility_annual",
      bquote(.(deviation(quote(whole))) * sqrt(per_year)),
      "its volatility, a year",
      "fraction"
    ),
    step(
      "volatility_added",
      bquote((.(added_up(alone))) * sqrt(per_year)),
      "what the holdings would have alone, a year",
      "fraction"
    ),
    step(
      "diversification_ratio",
      quote(volatility_added / volatility_annual),
      "how much more that is",
      source = "Choueifaty and Coignard (2008)"
    )
  )
}

# Eigenvectors are no step of the language: their shares are entered, and add up to 1.
bet_steps <- function(q) {
  bets <- paste0("bet_", seq_along(q))
  terms <- lapply(bets[q > 0], function(b) bquote(.(as.name(b)) * ln(.(as.name(b)))))
  c(
    lapply(seq_along(q), function(k) {
      entered(
        bets[k],
        q[k],
        sprintf("share of the variance along principal component %s", k),
        "share",
        proof = "bets_in_all",
        made_for = "*"
      )
    }),
    list(
      step("bets_in_all", added_up(lapply(bets, as.name)), "all shares"),
      step(
        "effective_bets",
        bquote(exp(-(.(added_up(terms))))),
        "independent bets that this comes to",
        source = "Meucci (2009)"
      )
    )
  )
}
