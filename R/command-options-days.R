# The options of the questions of every day: the worst, the past replayed, falls, limits,
# comparisons.

options_of_days <- function() {
  list(
    worst = option(
      "N", "number",
      "how many of the worst (5)",
      idle = unless(function(o, command) {
        command != "replay" || (is.null(o$periods) && is.null(o$shock) && !has_span(o))
      }, "what is replayed is named")
    ),
    best = option("N", "number", "how many of the best, too (0)"),
    periods = option(
      "A,B", "named list",
      paste0(
        "years, months or FROM:TO to replay, as 2018 or crash=2018-08-15:2019-01-10 ",
        "(the deepest falls)"
      ),
      idle = first_reason(not_shock, unless(function(o, command) {
        !has_span(o)
      }, "--from, --to, --last or --during says what is replayed"))
    ),
    `found-by` = option(
      "WHOSE", "text",
      "falls of the book, or of the benchmark (book)",
      idle = first_reason(not_shock, unless(function(o, command) {
        is.null(o$periods) && !has_span(o)
      }, "the periods are named"))
    ),
    shock = option(
      "A=R,B=R", "amounts",
      "moves that are given, as BAYALL=-10%,BAYMETAL=+5%, carried to the holdings"
    ),
    `carried-by` = option(
      "WAY", "text", "conditional mean, or beta (conditional)", idle = of_shock
    ),
    measures = option("A,B", "list", function() toString(names(rolling_measures()))),
    measure = option("NAME", "text", function() toString(names(explained_measures()))),
    vary = option(
      "A=X|Y,B=U|V", "text", "what else could be chosen, as every=day|week,last=1 year|all"
    ),
    since = option("DATE", "text", "a date, or how long ago, such as \"1 week\""),
    limits = option(
      "LIMITS", "amounts",
      "limits by measure, as var=3%,sharpe=0"),
    today = option(
      "DATE", "text",
      "the day on which it is asked, which the age of the last price is counted to (today)"
    ),
    stale = option(
      "N", "number",
      "how many trading days the last price may lie before today; more is an error found"),
    at = option("DATE", "text", "compare what was before with what is from it on"),
    against = option(
      "WHAT", "text",
      "compare with this security, or the book of this file of holdings"
    ),
    runs = option(
      "FOLDER", "text",
      "the folder of a study's run, whose records tell whether the market or a trade broke a limit"
    ),
    before = option("FILE", "text", "what this gave before, as CSV: the state then stands beside"),
    target = option(
      "R", "number",
      "what is wanted, a return a year, as 0.03 or 3% (0)",
      idle = function(o, command) {
        if (command == "roll") return(of_rolled(o, "sortino"))
        if (command == "compare") of_rolled(o, "sortino", compare_measures)
      }
    ),
    order = option("P", "number", "of the lower partial moment (1)"),
    deepest = option(
      "N", "number", "how many of the deepest falls the Sterling ratio averages (3)"
    ),
    rates = option(
      "FILE", "text",
      "rates of currencies, a column each: prices are converted to --base",
      idle = of_given
    ),
    base = option("NAME", "text", "the currency to count in", idle = of_given),
    currencies = option(
      "A=CUR,B=CUR", "names or name",
      "the currency of each, or of all (as --securities says), with --rates",
      idle = of_base
    ),
    carry = option(
      "N", "number",
      "for how many dates a rate may be carried on (0), with --rates",
      idle = of_rates
    ),
    share = option("S", "number", "of the volume that may be taken, as 0.1 or 10% (0.1)"),
    overlapping = flag(
      "periods may share days",
      idle = unless(function(o, command) {
        any(horizons_of(o) > 1)
      }, "periods of one return share no day")
    )
  )
}
