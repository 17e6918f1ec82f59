# The options of the questions of every day: the worst, the past replayed, falls, limits,
# comparisons.

options_of_days <- list(
  worst = list(
    takes = "N",
    help = c("how many of the worst (5)", replay = "how many of the deepest falls (3)"),
    read = function(x) number(x)
  ),
  best = list(takes = "N", help = "how many of the best, too (0)", read = function(x) number(x)),
  periods = list(
    takes = "A,B",
    help = paste0(
      "years, months or FROM:TO to replay, as 2018 or crash=2018-08-15:2019-01-10 ",
      "(the deepest falls)"
    ),
    read = function(x) named_parts(x)
  ),
  `found-by` = list(
    takes = "WHOSE",
    help = "falls of the book, or of the benchmark (book)",
    read = identity
  ),
  shock = list(
    takes = "A=R,B=R",
    help = "moves that are given, as BAYALL=-10%,BAYMETAL=+5%, carried to the holdings",
    read = function(x) amounts(x)
  ),
  `carried-by` = list(
    takes = "WAY",
    help = "conditional mean, or beta (conditional)",
    read = identity
  ),
  measures = list(
    takes = "A,B",
    help = function() toString(names(rolling_measures())),
    read = function(x) comma(x)
  ),
  limits = list(
    takes = "LIMITS",
    help = c(
      "limits by measure, as var=3%,sharpe=0",
      limits = "a table of limits: of, measure, warn, limit",
      report = "a table of limits: of, measure, warn, limit",
      study = "a table of limits: of, measure, warn, limit"
    ),
    read = function(x) amounts(x)
  ),
  today = list(
    takes = "DATE",
    help = "the day on which it is asked, which the age of the last price is counted to (today)",
    read = identity
  ),
  stale = list(
    takes = "N",
    help = c(
      "how many trading days the last price may lie before today; more is an error found",
      limits = "how many trading days the last price may be old; after that no limit is within"
    ),
    read = function(x) number(x)
  ),
  at = list(
    takes = "DATE",
    help = "compare what was before with what is from it on",
    read = identity
  ),
  against = list(
    takes = "WHAT",
    help = "compare with this security, or the book of this file of holdings",
    read = identity
  ),
  before = list(
    takes = "FILE",
    help = "what this gave before, as CSV: the state then stands beside",
    read = identity
  ),
  target = list(
    takes = "R",
    help = "what is wanted, a return a year, as 0.03 or 3% (0)",
    read = function(x) number(x)
  ),
  order = list(
    takes = "P",
    help = "of the lower partial moment (1)",
    read = function(x) number(x)
  ),
  deepest = list(
    takes = "N",
    help = "how many of the deepest falls the Sterling ratio averages (3)",
    read = function(x) number(x)
  ),
  rates = list(
    takes = "FILE",
    help = "rates of currencies, a column each: prices are converted to --base",
    read = identity
  ),
  base = list(takes = "NAME", help = "the currency to count in", read = identity),
  currencies = list(
    takes = "A=CUR,B=CUR",
    help = "the currency of each, or of all (as --securities says), with --rates",
    read = function(x) if (grepl("=", x, fixed = TRUE)) pairs(x) else x
  ),
  carry = list(
    takes = "N",
    help = "for how many dates a rate may be carried on (0), with --rates",
    read = function(x) number(x)
  ),
  share = list(
    takes = "S",
    help = "of the volume that may be taken, as 0.1 or 10% (0.1)",
    read = function(x) number(x)
  ),
  overlapping = list(help = "periods may share days")
)
