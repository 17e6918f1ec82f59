# The commands that set one thing beside another, and what follows: compare, limits, selling,
# currency.

compare_command <- function() {
  list(
    says = "two periods, two securities or two books: the difference, and whether it is chance",
    takes = "FILE...",
    options = c(
      choose, "every", "keep-unfinished", "at", "against", "measures", "benchmark", "level",
      "target", "risk-free", "per-year", "confidence", "draws", "seed",
      setdiff(book, "parts"), hand_on
    ),
    example = c(
      "imbroglio compare bay.csv --security TARROW,OSSELL --at 2020-01-01 --figure compare.png",
      paste0(
        "imbroglio compare bay.csv --weights TARROW=0.6,BAYBOND=0.4 --against BAYALL ",
        "--measures sharpe,drawdown,var"
      )
    ),
    run = run_compare
  )
}

# `--against`: a security of the files, or a file of another book's holdings.
run_compare <- function(files, options) {
  if (is.null(options$at) == is.null(options$against)) {
    fail(
      "argument",
      "What is compared?",
      remedy = "Give --at DATE for two periods, or --against NAME or FILE for another series."
    )
  }
  taken <- options
  if (!is.null(options$against)) {
    taken$benchmark <- unique(c(options$benchmark, options$against))
    if (is.null(options$security)) taken["benchmark"] <- list(options$benchmark)
  }
  prices <- chosen_prices(files, taken, "compare")
  x <- chosen_returns(prices, options, "compare")
  if (!is.null(options$against)) options$b <- other_side(prices, options)
  if (!is.null(options$against) && !is.null(options$security)) {
    x <- x[, unique(c(options$security, options$benchmark))]
  }
  hand_over_measured(call_with(compare_measures, x, options), options)
}

other_side <- function(prices, options) {
  plain <- options
  plain[c("weights", "shares", "values", "holdings")] <- list(NULL)
  returns <- chosen_returns(prices, plain, "compare")
  if (options$against %in% colnames(returns$values)) return(returns[, options$against])
  if (!file.exists(options$against)) {
    fail(
      "argument",
      sprintf("--against is %s, no security and no file.", options$against),
      remedy = did_you_mean(options$against, colnames(returns$values))
    )
  }
  as_portfolio(
    returns, holdings = options$against,
    benchmark = options$benchmark, between = options$between,
    name = tools::file_path_sans_ext(basename(options$against))
  )
}

limits_command <- function() {
  list(
    says = "the state of each limit of a file; status 1 where one is broken or not measurable",
    takes = "FILE...",
    options = c(
      choose, "every", "keep-unfinished", "kind", "limits", "window", "level", "benchmark",
      "before", "today", "stale", "value", setdiff(book, "parts"), hand_on
    ),
    example = paste0(
      "imbroglio limits bay.csv bay-fund.csv --holdings bay-holdings.csv --benchmark BAYALL ",
      "--limits bay-limits.csv --figure limits.png"
    ),
    run = run_limits
  )
}

run_limits <- function(files, options) {
  if (is.null(options$limits)) {
    fail("argument", "A file of limits is wanted.", remedy = "Give --limits FILE.")
  }
  x <- chosen_returns(chosen_prices(files, options, "limits"), options, "limits")
  found <- call_with(check_limits, x, options)
  ask <- attr(found, "ask")
  if (is_stale(ask$age, ask$stale)) caution("stale", stale_words(ask$age, ask$stale))
  said <- c(sprintf("The last price is of %s.", ask$age$text), "")
  status <- hand_over_measured(found, options, extra = said)
  # So that a scheduler can act on it: what cannot be known is not within either.
  if (any(!found$state %in% c("near", "within"))) 1L else status
}

selling_command <- function() {
  list(
    says = "how many days it takes to sell a book, and what may be lost meanwhile",
    takes = "FILE...",
    options = c(
      choose, "share", "window", "level", setdiff(but_how_held, c("weights", "normalise")), hand_on
    ),
    example = paste0(
      "imbroglio selling bay-daily.csv.gz --shares OSSELL=200000,TARROW=50000 --share 10% ",
      "--figure selling.png"
    ),
    run = run_measure("selling")
  )
}

currency_command <- function() {
  list(
    says = "returns in the own currency, of the currency, and of both",
    takes = "FILE...",
    options = c(choose, "per-year", hand_on),
    example = paste0(
      "imbroglio currency bay.csv --security BAYMETAL --rates bay-rates.csv --base HBC ",
      "--currencies BAYMETAL=TMC --figure currency.png"
    ),
    run = run_currency
  )
}

run_currency <- function(files, options) {
  if (is.null(options$rates)) {
    fail("argument", "Rates are wanted.", remedy = "Give --rates FILE and --base NAME.")
  }
  prices <- chosen_prices(files, options, "currency")
  hand_over_measured(call_with(measure_currency, prices, options), options)
}
