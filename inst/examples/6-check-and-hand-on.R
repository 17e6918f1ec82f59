# Stage 6: check the number, and hand it on: a backtest, limits, a workbook, a page.
library(imbroglio)
folder <- c(commandArgs(trailingOnly = TRUE), tempdir())[1]

prices <- read_prices(demo_file("bay.csv"))
book <- as_portfolio(prices, holdings = demo_file("bay-book.csv"))

# Was it breached as often as it should be?
tested <- backtest_var(book, method = c("historical", "normal", "ewma"))
print(tested[c("method", "expected", "breaches", "kupiec_p", "zone")])

# Which limits are near or broken?
limits <- check_limits(book, demo_file("bay-limits-book.csv"), benchmark = "BAYALL")
print(in_words(limits)[limits$state != "within"])

# A workbook with live formulas, and one page for who decides.
write_workbook(measure_var(book), file.path(folder, "var.xlsx"))
run <- write_report(
  book, file.path(folder, "risk.html"),
  benchmark = "BAYALL", limits = demo_file("bay-limits-book.csv"),
  only = c("top", "limits", "risk")
)
stopifnot(all(run$state == "measured"))
