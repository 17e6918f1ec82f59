# Dates and prices of a security, as text.
shown <- function(prices, security = 1L) {
  paste(
    format(prices$dates),
    format(prices$close[, security], digits = 15, trim = TRUE),
    collapse = " "
  )
}
read_quietly <- function(path, ...) suppressMessages(read_prices(path, ...))
