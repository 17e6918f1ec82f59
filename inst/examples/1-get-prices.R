# Stage 1: get prices, from wherever they come, and see how they were read.
library(imbroglio)
folder <- c(commandArgs(trailingOnly = TRUE), tempdir())[1]

# One wide file; one long one, as it was traded; a folder of files.
closes <- read_prices(demo_file("bay.csv"))
traded <- read_prices(demo_file("bay-daily.csv.xz"), price = "close")
print(closes)
each <- file.path(folder, "each")
dir.create(each, showWarnings = FALSE)
for (name in c("OSSELL", "TARROW")) {
  write_prices(closes[, name], file.path(each, paste0(name, ".csv")))
}
stopifnot(identical(colnames(read_prices(each)), c("OSSELL", "TARROW")))

# What can be read in two ways is refused, until it is said which.
unclear <- file.path(folder, "unclear.csv")
writeLines(c("date;A", "2024-01-02;1.002", "2024-01-03;1.003"), unclear)
said <- tryCatch(read_prices(unclear), imbroglio_error = conditionMessage)
print(read_prices(unclear, decimal = "."))

# A store keeps them, with what was restated and when.
store <- file.path(folder, "bay.sqlite")
unlink(store)
store_prices(traded[, c("OSSELL", "TARROW")], store)
print(store_contents(store))
stopifnot(
  all.equal(read_prices(store, price = "close")$close, traded[, c("OSSELL", "TARROW")]$close)
)
