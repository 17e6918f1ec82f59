# Stage 3: choose a window and a frequency, line securities up on common dates, take returns.
library(imbroglio)

prices <- read_prices(demo_file(c("bay.csv", "bay-fund.csv")))
year <- window(prices, start = "2024-01-01", end = "2024-12-31")
# The price before the first day is kept, so that January has its first return.
print(as_returns(year[, c("OSSELL", "REEFFUND")]))

# A period is time: the fund is weekly, the company daily, and each is measured by its own.
print(measure_volatility(year[, c("OSSELL", "REEFFUND")]))
print(measure_volatility(as_returns(prices[, c("OSSELL", "REEFFUND")], every = "month")))

# On the dates that all have, or carried forward for two days at most.
common <- align_prices(prices[, c("OSSELL", "BAYBOND")], "common")
carried <- align_prices(prices[, c("OSSELL", "BAYBOND")], "carry", most = 2)
cat(nrow(common), "dates are common,", sum(is.na(carried$close)), "are missing after carrying\n")

# Simple returns compound, log returns add up.
simple <- as_returns(prices[, "OSSELL"])$values
log_returns <- as_returns(prices[, "OSSELL"], kind = "log")$values
stopifnot(all.equal(prod(1 + simple), exp(sum(log_returns))))
