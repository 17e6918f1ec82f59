# Stage 4: measure a book, and let the numbers speak.
library(imbroglio)

prices <- read_prices(demo_file("bay.csv"))
book <- as_portfolio(prices, holdings = demo_file("bay-book.csv"))
print(book)

writeLines(c(
  in_words(measure_return(book, risk_free = 0.01)),
  in_words(measure_volatility(book)),
  in_words(measure_beta(book, benchmark = "BAYALL")),
  in_words(measure_drawdown(book)),
  in_words(measure_var(book, level = c(0.95, 0.99)))
))

# Which holding the risk comes from; the parts add up to the whole.
parts <- split_var(book)
print(parts[c("security", "weight", "component", "share")])
holdings <- parts$security != "BOOK"
stopifnot(all.equal(sum(parts$component[holdings]), parts$component[!holdings]))

# How a number came about, step by step.
print(show_working(measure_var(book)))
