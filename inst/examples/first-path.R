# From prices to a page that can be sent, on the demo data.
# Run with: Rscript first-path.R [FOLDER]; the page and the picture go to FOLDER.
library(imbroglio)
folder <- c(commandArgs(trailingOnly = TRUE), ".")[1]

prices <- read_prices(demo_file("bay.csv"))
print(prices)

# Three figures of one company, and what each stands on.
tarrow <- as_returns(prices[, "TARROW"])
volatility <- measure_volatility(tarrow)
drawdown <- measure_drawdown(prices[, "TARROW"])
var <- measure_var(tarrow, level = 0.99, value = 1e6)
writeLines(c(in_words(volatility), in_words(drawdown), in_words(var)))
print(basis(var))

# All securities beside each other; a result is a table like any other.
everyone <- measure_volatility(as_returns(prices))
print(everyone[order(-everyone$volatility_annual), c("security", "volatility_annual")])

# The picture: price above rolling volatility, both cut to the years of the silting.
picture <- ggplot2::autoplot(
  prices[, "TARROW"],
  window = 60,
  start = "2017-06-01",
  end = "2020-06-30"
)
write_figure(picture, file.path(folder, "tarrow.png"))

# The page.
write_report(
  prices[, c("BAYALL", "TARROW", "BAYBOND")],
  file.path(folder, "bay-risk.html"),
  value = 1e6
)
