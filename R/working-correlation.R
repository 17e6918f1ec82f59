# The workings of a correlation and of a summary of a universe.

#' @export
working_of.imbroglio_correlation <- function(result, row) {
  this <- row_of_result(result, row)
  about <- basis(result)
  returns <- attr(result, "source")
  if (!is.null(this$window)) {
    this$other <- this$security
    this$security <- this$benchmark
    pair <- rows_of_several(returns, pair_names(this), this$from, this$to)
  } else if (about$choices[["on"]] == "common" && ncol(returns$values) > 2L) {
    pair <- rows_of_several(returns, pair_names(this), among = colnames(returns$values))
  } else {
    pair <- rows_of_several(returns, pair_names(this))
  }
  decay <- about$exact$decay
  weighted <- !is.null(decay)
  shrunk <- choice_of(about, "shrink")
  list(
    rows = list(pair$rows),
    choices = c(
      if (weighted) list(choice("decay", "decay of the weights", decay)),
      list(confidence_choice(result))
    ),
    steps = c(
      if (is.na(shrunk)) pair$steps else without_kinds(pair$steps),
      if (!is.na(shrunk)) {
        shrunk_steps(shrunk, about$exact)
      } else if (weighted) {
        weighted_pair_steps()
      } else {
        c(pair_steps(), correlation_interval())
      }
    ),
    main = "correlation"
  )
}

pair_names <- function(this) c(a_ = this$security, b_ = this$other)

pair_steps <- function() {
  list(
    step("n", quote(count(a_return)), "how many they share", "count"),
    step("mean_a", quote(sum(a_return) / n), "mean of the one", "fraction"),
    step("mean_b", quote(sum(b_return) / n), "mean of the other", "fraction"),
    step("squares_a", quote(sum((a_return - mean_a)^2)), "squares of the one about its mean"),
    step("squares_b", quote(sum((b_return - mean_b)^2)), "squares of the other"),
    step("products", quote(sum((a_return - mean_a) * (b_return - mean_b))), "products of both"),
    step("correlation", quote(products / sqrt(squares_a * squares_b)), "correlation"),
    step(
      "covariance",
      quote(products / (n - 1)),
      "covariance",
      others = list(
        "divisor n" = quote(products / n)
      )
    )
  )
}

correlation_interval <- function() {
  reach <- quote(normal_quantile(1 - (1 - confidence) / 2) / sqrt(n - 3))
  list(
    step("reach", reach, "half of the interval of its inverse hyperbolic tangent"),
    step("correlation_low", quote(tanh(atanh(correlation) - reach)), "from"),
    step("correlation_high", quote(tanh(atanh(correlation) + reach)), "to")
  )
}

weighted_pair_steps <- function() {
  weighed <- function(name, product, words) {
    column <- paste0("weighed_", name)
    list(
      step(
        column,
        bquote(recursion(.(product), decay * previous + (1 - decay) * .(product))),
        words
      ),
      step(name, bquote(value_at(.(as.name(column)), n)), "the last of them")
    )
  }
  c(
    list(step("n", quote(count(a_return)), "how many they share", "count")),
    weighed("squares_a", quote(a_return^2), "squares of the one, weighted exponentially"),
    weighed("squares_b", quote(b_return^2), "squares of the other"),
    weighed("covariance", quote(a_return * b_return), "products of both"),
    list(step("correlation", quote(covariance / sqrt(squares_a * squares_b)), "correlation"))
  )
}

# What a covariance is shrunk to depends on all pairs: it and the share are entered.
# Towards one correlation of all pairs, or one variance and no correlation.
shrunk_steps <- function(shrink, exact) {
  alike <- shrink == "constant-correlation"
  variance <- function(squares) bquote(share * common + (1 - share) * .(squares) / n)
  c(
    pair_steps()[1:6],
    list(
      entered("share", exact$share, "how far all are shrunk", "share"),
      entered(
        "common", exact$common, if (alike) "mean correlation of all pairs" else "mean variance"
      ),
      step("covariance_sample", quote(products / n), "covariance of the sample, divisor n"),
      step(
        "covariance",
        if (alike) {
          quote(share * common * sqrt(squares_a * squares_b) / n + (1 - share) * covariance_sample)
        } else {
          quote((1 - share) * covariance_sample)
        },
        "covariance, shrunk towards what all pairs have in common",
        source = "Ledoit and Wolf (2004)"
      ),
      step(
        "correlation",
        if (alike) {
          quote(covariance / (sqrt(squares_a * squares_b) / n))
        } else {
          bquote(covariance / sqrt(.(variance(quote(squares_a))) * .(variance(quote(squares_b)))))
        },
        "correlation, of shrunk covariances"
      )
    )
  )
}
