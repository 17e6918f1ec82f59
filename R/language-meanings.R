# What each function of the language means, in words for who has a working and not this package.

language_meanings <- c(
  "+" = "the sum of two numbers",
  "-" = "their difference; of one number: the same with the other sign",
  "*" = "their product",
  "/" = "their quotient",
  "^" = "the first raised to the power of the second",
  "<" = "1 where the first is below the second, else 0",
  "<=" = "1 where the first is not above the second, else 0",
  ">" = "1 where the first is above the second, else 0",
  ">=" = "1 where the first is not below the second, else 0",
  "==" = "1 where both are equal, else 0",
  sqrt = "square root",
  ln = "natural logarithm",
  exp = "e raised to that power",
  sinh = "hyperbolic sine",
  asinh = "inverse of the hyperbolic sine",
  tanh = "hyperbolic tangent",
  atanh = "inverse of the hyperbolic tangent",
  tan = "tangent of an angle in radians",
  ln_gamma = "natural logarithm of the gamma function",
  abs = "the number without its sign",
  round_down = "the next whole number that is not above it",
  round_up = "the next whole number that is not below it",
  round_half_up = "the nearest whole number; halves go up",
  if_else = "(test, yes, no): yes where the test is not 0, else no; unknown where the test is",
  only_if = "(test, x): x where the test is not 0, else unknown",
  years_between = paste(
    "(from, to): whole years of the calendar between two dates, and of the year that is left its",
    "share of days; dates are days since 1970-01-01"
  ),
  lower_of = "the lower of two numbers, row by row",
  higher_of = "the higher of two numbers, row by row",
  in_order = "(x, place): the known values of x from the smallest on, that of the place, from 1",
  normal_quantile = "(p): the standard normal quantile of probability p",
  normal_below = "(x): probability of a standard normal number not above x",
  normal_density = "(x): standard normal density at x",
  student_quantile = "(p, degrees): quantile of Student's t; degrees need not be whole",
  student_beyond = "(x, degrees): probability of Student's t further from 0 than x, on both sides",
  chi_squared_quantile = "(p, degrees): quantile of the chi-squared distribution",
  chi_squared_beyond = "(x, degrees): probability of a chi-squared number above x",
  binomial_at = "(k, n, p): probability of exactly k successes in n, each of probability p",
  binomial_below = "(k, n, p): probability of at most k successes in n, each of probability p",
  binomial_quantile = "(q, n, p): the fewest successes that at most have at least probability q",
  beta_below = "(x, a, b): probability of a beta number (a, b) not above x",
  beta_quantile = "(p, a, b): quantile of the beta distribution",
  gamma_quantile = "(p, shape): quantile of the gamma distribution with scale 1",
  sum = "(x): the sum over all rows in which x is known",
  count = "(x): in how many rows x is known",
  minimum = "(x): the smallest known value",
  maximum = "(x): the largest known value",
  nth_smallest = "(x, k): the k-th smallest known value",
  mean_of_smallest = "(x, k): the mean of the k smallest known values",
  value_at = "(x, row): the known value of that place, of those that are known, counted from 1",
  row_of = "(x, value): the place of the first equal value, of those that are known, from 1",
  before = paste(
    "(x) or (x, rows): the value of x in the row above, or so many rows above; unknown in the",
    "first rows"
  ),
  recursion = paste(
    "(first, then): in the first row in which `first` is known, that; in each later row `then`,",
    "in which `previous` is the result of the row above; unknown earlier"
  )
)

# Of the functions that some expressions use.
meanings_of <- function(expressions) {
  used <- unique(unlist(lapply(expressions, function(e) {
    setdiff(all.names(e), c(all.vars(e), "("))
  })))
  language_meanings[intersect(names(language_meanings), used)]
}
