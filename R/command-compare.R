# The commands that set one thing beside another, and what follows: compare, limits, selling,
# currency.

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
  prices <- input_prices(files, taken, "compare")
  x <- input_returns(prices, options, "compare")
  if (!is.null(options$against)) options$b <- other_side(prices, options)
  if (!is.null(options$against) && !is.null(options$security)) {
    x <- x[, unique(c(options$security, options$benchmark))]
  }
  hand_over_measured(call_with(compare_measures, x, options), options)
}

other_side <- function(prices, options) {
  plain <- options
  plain[ways_to_hold] <- list(NULL)
  returns <- input_returns(prices, plain, "compare")
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

run_limits <- function(files, options) {
  if (is.null(options$limits)) {
    fail("argument", "A file of limits is wanted.", remedy = "Give --limits FILE.")
  }
  x <- input_returns(input_prices(files, options, "limits"), options, "limits")
  found <- call_with(check_limits, x, options)
  request <- attr(found, "request")
  if (is_stale(request$age, request$stale)) {
    caution("stale", stale_words(request$age, request$stale))
  }
  said <- c(sprintf("The last price is of %s.", request$age$text), "")
  status <- hand_over_measured(found, options, extra = said)
  # So that a scheduler can act on it: what cannot be known is not within either.
  unknown <- found$state %in% c("not measurable", "unknown")
  status_with(status, status_of(!unknown & !found$state %in% c("near", "within"), unknown))
}

run_currency <- function(files, options) {
  if (is.null(options$rates)) {
    fail("argument", "Rates are wanted.", remedy = "Give --rates FILE and --base NAME.")
  }
  prices <- input_prices(files, options, "currency")
  hand_over_measured(call_with(measure_currency, prices, options), options)
}
