# The commands, each a record beside what it runs: what it `says` it is for, what it `takes`, its
# `options`, an `example` or several, and what it does (`run`). Groups of options stand here.
priced <- c(
  "from", "to", "last", "during", "security", "securities", "price", "dates", "decimal", "sheet",
  "strict", "as-of"
)
choose <- c("given", priced, "rates", "base", "currencies", "carry")
book <- c(
  "weights", "shares", "values", "holdings", "rebalance", "cash", "normalise", "held", "parts",
  "stand-in", "carried", "between", "bridges"
)
# A book that is as it is held today whatever is asked.
but_how_held <- setdiff(book, c("held", "rebalance", "parts"))
hand_on <- c("columns", "format", "out", "figure", "workbook", "help")

commands <- function() {
  list(
    demo = demo_command(),
    check = check_command(),
    prices = prices_command(),
    adjust = adjust_command(),
    fetch = fetch_command(),
    feed = feed_command(),
    store = store_command(),
    summary = summary_command(),
    returns = returns_command(),
    volatility = volatility_command(),
    beta = beta_command(),
    tracking = tracking_command(),
    drawdown = drawdown_command(),
    downside = downside_command(),
    ratios = ratios_command(),
    capture = capture_command(),
    roll = roll_command(),
    compare = compare_command(),
    limits = limits_command(),
    selling = selling_command(),
    currency = currency_command(),
    worst = worst_command(),
    replay = replay_command(),
    correlation = correlation_command(),
    concentration = concentration_command(),
    fit = fit_command(),
    var = var_command(),
    backtest = backtest_command(),
    study = study_command(),
    report = report_command(),
    working = working_command()
  )
}
