# The commands about what happened, and what of it would do today: worst.

worst_command <- function() {
  list(
    says = "the worst days, weeks or runs of days, and what they came from",
    takes = "FILE...",
    options = c(
      choose, "every", "keep-unfinished", "kind", "worst", "best", "horizon", "overlapping",
      "benchmark", "level", "window", "split", book, hand_on
    ),
    example = c(
      "imbroglio worst bay.csv --security BAYALL --best 3 --figure worst.png",
      paste0(
        "imbroglio worst bay.csv bay-fund.csv --holdings bay-holdings.csv --benchmark BAYALL ",
        "--horizon 10"
      ),
      "imbroglio worst bay.csv bay-fund.csv --holdings bay-holdings.csv --worst 1 --split"
    ),
    run = run_worst
  )
}

run_worst <- function(files, options) {
  returns <- chosen_returns(chosen_prices(files, options, "worst"), options, "worst")
  found <- call_with(worst_periods, returns, options)
  hand_over_measured(if (options$split) split_periods(found) else found, options)
}
