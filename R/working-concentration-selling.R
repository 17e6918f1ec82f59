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
        step(
          "holdings",
          added_up(lapply(paste0(short, "_weight"), function(w) bquote((abs(.(as.name(w))) > 0)))),
          "holdings that weigh something", "count"
        ),
        step("longest", most_of("higher_of", short), "the weight that is most", "share"),
        step("shortest", most_of("lower_of", short), "the weight that is least", "share"),
        step(
          "largest_weight", quote(if_else(longest >= -shortest, longest, shortest)),
          "the one of both that is larger, unsigned", "share"
        )
      )
    ),
    main = "effective_bets"
  )
}

most_of <- function(f, short) {
  Reduce(function(a, b) call(f, a, b), lapply(paste0(short, "_weight"), as.name))
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

# The working of how soon a holding could be sold, and what may be lost meanwhile.

#' @export
working_of.imbroglio_selling <- function(result, row) {
  this <- row_of_result(result, row)
  name <- basis(result)$book$name
  exact <- basis(result)$exact
  if (this$security == name) {
    fail(
      "working",
      "The days of a book are those of its slowest holding, its value at risk of many mixtures.",
      remedy = "Ask the working of a holding."
    )
  }
  source <- attr(result, "source")
  volume <- source$prices$fields$volume[, this$security]
  there <- utils::tail(which(!is.na(volume)), exact$window)
  days <- seq(0, max(ceiling(this$days) - 1, 0))
  held <- attr(result, "held")
  sample <- book_sample(result, held$security, NULL)
  short <- unique_names(held$security)[match(this$security, held$security)]
  own <- as.name(paste0(short, "_return"))
  list(
    rows = list(
      sample$rows,
      rows_of_working("volumes", paste("volumes of", this$security),
                      list(traded = unname(volume[there])), source$prices$dates[there]),
      rows_of_working("selling", "days from now", list(day = days), made_for = "share")
    ),
    choices = list(
      choice("share", "share of the volume that is taken", exact$share, "share"),
      level_choice(exact$level)
    ),
    steps = c(
      sample$steps,
      list(
        entered("shares", this$shares, "shares held", "count"),
        entered("weight", this$weight, "its weight", "share"),
        step("volume", quote(sum(traded) / count(traded)), "average volume", "count"),
        step("days", quote(abs(shares) / (share * volume)), "days that it takes to sell it"),
        step("left", quote(higher_of(0, 1 - day / days)), "what is left at the start of each day"),
        step("held_return", bquote(.(sign(this$weight)) * .(own)), "return as it is held")
      ),
      rank_steps("nearest", quote(held_return)),
      list(
        step("var_day", quote(-nth_smallest(held_return, k)), "value at risk of one day",
          "fraction"),
        step("var_selling", quote(var_day * sqrt(sum(left^2))), "until all is sold", "fraction"),
        entered("var_selling_value", this$var_selling_value, "in money", "money", made_for = "*")
      )
    ),
    main = "days"
  )
}
