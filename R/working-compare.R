# The working of a comparison: the same steps on either side, and the difference.

#' @export
working_of.imbroglio_compare <- function(result, row) {
  this <- row_of_result(result, row)
  pair <- attr(result, "pairs")[[paste(this$security, this$other)]]
  # Another date of one table, not another security.
  beside <- if (!pair$paired) this$security
  sides <- list(
    side_working(pair$a, result, this$measure, pair$per_year[1L], "", this$security),
    side_working(pair$b, result, this$measure, pair$per_year[2L], "other_", this$other, beside)
  )
  request <- pair$request
  i <- match(this$measure, request$measures)
  found <- lapply(pair$apart, `[`, i)
  list(
    rows = unlist(lapply(sides, `[[`, "rows"), recursive = FALSE),
    choices = c(
      list(
        level_choice(request$level),
        choice("target_annual", "target, a year", request$target, "fraction"),
        choice("risk_free", "risk-free return a year", request$risk_free, "fraction")
      ),
      lapply(sides, `[[`, "choice")
    ),
    steps = c(
      unlist(lapply(sides, `[[`, "steps"), recursive = FALSE),
      list(
        step("estimate", quote(number + 0), "the one"),
        step("estimate_other", quote(other_number + 0), "the other"),
        step("n_other", quote(other_n + 0), "how many returns the other has", "count"),
        step("difference", quote(estimate - estimate_other), "the one less the other")
      ),
      if (is.na(this$why)) {
        chance_steps(found, pair$chances[[1L + request$beside[i]]], this$measure, basis(result))
      },
      own_test_steps(this, pair)
    ),
    main = "difference"
  )
}

# What the draws make of the difference.
chance_steps <- function(found, chance, measure, about) {
  of_draws <- sprintf(
    "of %s, with seed %s, of returns with %s", count(found$of, "drawn sample"), about$seed,
    chance_words(chance)
  )
  drawn <- function(name, value, says, unit = "number") {
    entered(name, value, sprintf("%s, %s", says, of_draws), unit, made_for = "*")
  }
  ratio <- measure %in% compared_by_ratio
  falls <- measure == "drawdown"
  apart <- function(end) {
    if (!ratio) return(end)
    grown <- bquote(exp(.(end) / 2) - exp(-.(end) / 2))
    if (falls) bquote(-middle * (.(grown))) else bquote(middle * (.(grown)))
  }
  # Of falls, which are below 0, the larger ratio is the lower difference.
  ends <- list(quote((distance - reach)), quote((distance + reach)))
  if (falls) ends <- rev(ends)
  c(
    if (ratio) {
      list(
        step("distance", quote(ln(estimate / estimate_other)), "the logarithm of their ratio"),
        step("middle", quote(sqrt(estimate * estimate_other)), "their geometric mean")
      )
    } else {
      list(step("distance", quote(difference + 0), "compared by their difference"))
    },
    list(
      drawn("strays", found$strays, "by how much this strays where there is no difference"),
      drawn("reach", found$reach, sprintf(
        "how far it strays in %s", unit_words(about$exact$confidence)
      )),
      drawn("as_far", found$as_far, "how often it strays as far as here", "count"),
      drawn("drawn", found$of, "how many samples have the measure", "count"),
      step(
        "difference_error",
        if (ratio) {
          quote((abs(estimate) + abs(estimate_other)) / 2 * strays)
        } else {
          quote(strays + 0)
        },
        "error of the difference"
      ),
      step("difference_low", apart(ends[[1L]]), "lower bound"),
      step("difference_high", apart(ends[[2L]]), "upper bound"),
      step(
        "p", quote((1 + as_far) / (1 + drawn)), "how often chance alone would make as much", "p"
      )
    )
  )
}

# One side: its returns, and the steps to the number, by names that begin with `prefix`.
# `beside`: whose it is, where that is another span of it.
side_working <- function(side, result, measure, per_year, prefix, called, whose = NULL) {
  columns <- list(return = side$x)
  own <- c(return = whose %||% called)
  if (!is.null(whose)) called <- sprintf("%s, %s", whose, called)
  if (!is.null(side$beside)) {
    columns$benchmark_return <- side$beside
    own["benchmark_return"] <- basis(result)$choices[["benchmark"]]
  }
  steps <- compared_steps(measure)
  part <- renamed_part(
    list(
      rows = list(with_sources(
        rows_of_working(
          "returns",
          sprintf("simple returns of %s", called),
          columns,
          side$dates,
          side$dates[1L],
          side$dates[length(side$dates)],
          window = TRUE
        ),
        attr(result, "source"), own, "simple"
      )),
      choices = list(choice("per_year", "periods a year", per_year)),
      steps = steps
    ),
    prefix,
    character()
  )
  list(rows = part$rows, choice = part$choices[[1L]], steps = part$steps)
}

compared_steps <- function(measure) {
  first <- list(
    step("n", quote(count(return)), "how many returns", "count"),
    step("mean", quote(sum(return) / n), "their mean", "fraction"),
    step("apart", quote(return - mean), "distance of each from it", "fraction"),
    step("deviation", quote(sqrt(sum(apart^2) / (n - 1))), "standard deviation", "fraction")
  )
  own <- compared_formulas()[[measure]]
  c(first, own$needs, list(step("number", own$number, "the measure")))
}

# Each number by the steps that all have, and those that it needs beside them.
compared_formulas <- function() {
  target <- quote((1 + target_annual)^(1 / per_year) - 1)
  tail <- without_others(rank_steps("nearest")[-1L])
  beside <- list(step(
    "apart_beside",
    quote(benchmark_return - sum(benchmark_return) / n),
    "distance of the benchmark's from their mean",
    "fraction"
  ))
  number <- function(number, needs = NULL) list(number = number, needs = needs)
  list(
    volatility = number(quote(deviation * sqrt(per_year))),
    sharpe = number(quote(
      (mean - ((1 + risk_free)^(1 / per_year) - 1)) / deviation * sqrt(per_year)
    )),
    return = number(quote(grown^(per_year / n) - 1), list(step(
      "grown", quote(exp(sum(ln(1 + return)))), "what 1 put in became"
    ))),
    semi_deviation = number(quote(sqrt(sum(low^2) / n) * sqrt(per_year)), list(
      step("low", quote(lower_of(apart, 0)), "how far below the mean", "fraction")
    )),
    sortino = number(quote((mean - target) / sqrt(sum(lack^2) / n) * sqrt(per_year)), list(
      step("target", target, "the target of a period", "fraction"),
      step("lack", quote(lower_of(return - target, 0)), "how far below it", "fraction")
    )),
    skewness = number(quote((sum(apart^3) / n) / (sum(apart^2) / n)^1.5)),
    var = number(quote(-nth_smallest(return, k)), tail),
    es = number(quote(-mean_of_smallest(return, k)), tail),
    drawdown = number(
      quote(minimum(below)), wealth_steps_of_rows(list(columns = list()), "simple")
    ),
    beta = number(quote(sum(apart * apart_beside) / sum(apart_beside^2)), beside),
    correlation = number(
      quote(sum(apart * apart_beside) / sqrt(sum(apart^2) * sum(apart_beside^2))), beside
    ),
    tracking_error = number(
      quote(sqrt(sum((apart - apart_beside)^2) / (n - 1)) * sqrt(per_year)), beside
    )
  )
}

own_test_steps <- function(this, pair) {
  if (is.na(this$test_p)) return(NULL)
  said <- sprintf("p of the test of %s, of the returns of both", this$test)
  list(entered("test_p", this$test_p, said, "p", made_for = "*"))
}
