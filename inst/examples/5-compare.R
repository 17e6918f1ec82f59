# Stage 5: compare methods, periods, and today with the past; look at the picture, then at the
# number.
library(imbroglio)
folder <- c(commandArgs(trailingOnly = TRUE), tempdir())[1]

prices <- read_prices(demo_file("bay.csv"))
index <- as_returns(prices[, "BAYALL"])

# One loss by five methods, with what each leaves to chance.
found <- measure_var(index, method = c("historical", "normal", "student", "garch", "pareto"))
print(found[c("method", "var", "var_low", "var_high", "es")])
write_figure(ggplot2::autoplot(found), file.path(folder, "methods.png"))

# Two periods: is the difference more than chance?
print(in_words(compare_measures(prices[, "TARROW"], at = "2020-01-01", measures = "volatility")))

# The worst days, and what the deepest falls of the past would do to the book of today.
book <- as_portfolio(prices, holdings = demo_file("bay-book.csv"))
print(worst_periods(book, worst = 3, benchmark = "BAYALL")[c("to", "total_return", "led_by")])
print(in_words(replay(book, benchmark = "BAYALL")))
write_figure(ggplot2::autoplot(replay(book)), file.path(folder, "replay.png"))
