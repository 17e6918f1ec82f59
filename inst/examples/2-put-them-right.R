# Stage 2: look at prices, and put them right, so that nothing is put right before it was seen.
library(imbroglio)

delivery <- demo_file("bay-delivery.csv.xz")
findings <- check_prices(delivery)
print(findings[c("security", "date", "finding", "severity", "remedy")])

# Only what has a remedy is repaired; the rest is told again.
repaired <- repair_prices(delivery, findings[findings$remedy != "none", ])
print(check_prices(repaired))

# Splits and dividends: closes as traded become closes that can be compared.
adjusted <- adjust_prices(
  read_prices(demo_file("bay-daily.csv.xz"), price = "close"),
  demo_file("bay-actions.csv")
)
shipped <- read_prices(demo_file("bay.csv"))
apart <- max(abs(adjusted[, "TARROW"]$close / shipped[, "TARROW"]$close - 1))
cat("TARROW adjusted here and as shipped are apart by", format(apart), "at most\n")

# The basis of all that is measured on them says what was done.
print(basis(measure_volatility(repaired[, "HOBBINS"])))
