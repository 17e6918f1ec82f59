# Every measure, once. The command, the report and the docs read this list: a new
# measure is a file of its own and one line here.
measures <- function() {
  list(
    volatility = list(title = "Volatility", measure = measure_volatility,
                      asks = "How much do returns differ from their mean?"),
    drawdown = list(title = "Maximum drawdown", measure = measure_drawdown,
                    asks = "How far did it fall from its high, and when was it back?"),
    var = list(title = "Value at risk", measure = measure_var,
               asks = "What loss is exceeded only once in a given number of periods?")
  )
}
