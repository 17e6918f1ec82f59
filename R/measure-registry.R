# Every measure, once. The command, the report and the docs read this list: a new
# measure is a file of its own and one line here.
measures <- function() {
  list(
    return = list(
      title = "Return",
      measure = measure_return,
      asks = "What was earned, and how was it spread?"
    ),
    volatility = list(
      title = "Volatility",
      measure = measure_volatility,
      asks = "How much do returns differ from their mean?"
    ),
    beta = list(
      title = "Beta",
      measure = measure_beta,
      asks = "How does it move when the benchmark moves?"
    ),
    tracking = list(
      title = "Tracking error",
      measure = measure_tracking,
      asks = "How far does it stray from the benchmark?"
    ),
    drawdown = list(
      title = "Maximum drawdown",
      measure = measure_drawdown,
      asks = "How far did it fall from its high, and when was it back?"
    ),
    downside = list(
      title = "Only the falls",
      measure = measure_downside,
      asks = "How far does it fall below its mean, and below a target?"
    ),
    ratios = list(
      title = "What was earned for the falls",
      measure = measure_ratios,
      asks = "Was it worth the falls?"
    ),
    capture = list(
      title = "Up and down with the benchmark",
      measure = measure_capture,
      asks = "How much of its rises and falls does it take?"
    ),
    roll = list(
      title = "Measures through time",
      measure = roll_measures,
      asks = "How did they change, and when was a limit broken?"
    ),
    compare = list(
      title = "Compared",
      measure = compare_measures,
      asks = "Is the difference more than chance?"
    ),
    currency = list(
      title = "What a currency adds",
      measure = measure_currency,
      asks = "What was earned in its own currency, and what by the rate?"
    ),
    selling = list(
      title = "How soon it could be sold",
      measure = measure_selling,
      asks = "How many days does it take to sell, and what may be lost meanwhile?"
    ),
    limits = list(
      title = "Limits",
      measure = check_limits,
      asks = "Which are broken, since when, and what would help?"
    ),
    worst = list(
      title = "The worst periods",
      measure = worst_periods,
      asks = "Which days were worst, and why?"
    ),
    replay = list(
      title = "The past replayed",
      measure = replay,
      asks = "What would the book of today do if it came again?"
    ),
    shock = list(
      title = "A shock",
      measure = shock_book,
      asks = "What would such moves do to the book of today?"
    ),
    correlation = list(
      title = "Correlation",
      measure = correlate_returns,
      asks = "Which securities move alike?"
    ),
    fit = list(
      title = "Fitted distributions",
      measure = fit_returns,
      asks = "Which distribution could the returns come from?"
    ),
    summary = list(
      title = "Summary",
      measure = measure_summary,
      asks = "What does the whole universe look like?"
    ),
    var = list(
      title = "Value at risk",
      measure = measure_var,
      asks = "What loss is exceeded only once in a given number of periods?"
    ),
    bootstrap = list(
      title = "Bootstrap of a book",
      measure = bootstrap_book,
      asks = "What may the book be worth?"
    ),
    split = list(
      title = "Value at risk by holding",
      measure = split_var,
      asks = "Which holding does it come from?"
    ),
    volatility_split = list(
      title = "Volatility by holding",
      measure = split_volatility,
      asks = "Where does the volatility come from?"
    ),
    return_split = list(
      title = "Return by holding",
      measure = split_return,
      asks = "What did each holding add, to the return and to the money?"
    ),
    concentration = list(
      title = "Concentration",
      measure = measure_concentration,
      asks = "How many bets is the book?"
    ),
    tail = list(
      title = "The tail, by where it begins",
      measure = tail_thresholds,
      asks = "From which size on does the answer no longer depend on it?"
    ),
    backtest = list(
      title = "Value at risk put to the test",
      measure = backtest_var,
      asks = "Was it breached as often as it should be?"
    )
  )
}

# The method that a function takes when none is asked for.
usual_method <- function(f) formals(f)$method
