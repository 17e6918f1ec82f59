# Reading 5,000 securities over 1,260 days, long: 6.3 million rows, as CSV and as Parquet, in
# ratios to data.table::fread of the same CSV. Run with `make bench`; writes bench/reading.md.
library(imbroglio)
days <- 1260L
securities <- 5000L
set.seed(2)
folder <- tempfile()
dir.create(folder)
table <- data.table::data.table(
  date = rep(as.Date("2020-01-01") + seq_len(days), securities),
  security = rep(sprintf("SEC%05d", seq_len(securities)), each = days),
  close = round(
    100 * exp(as.vector(apply(matrix(rnorm(days * securities, 0, 0.01), days), 2, cumsum))),
    4
  )
)
csv <- file.path(folder, "prices.csv")
parquet <- file.path(folder, "prices.parquet")
data.table::fwrite(table, csv)
nanoparquet::write_parquet(as.data.frame(table), parquet)
size <- as.numeric(utils::object.size(table))
last <- table$close[nrow(table)]
rm(table)

# The most memory that R held while it ran, above what it held before, in sizes of the table.
peak <- function(task) {
  before <- sum(gc(reset = TRUE)[, 2L])
  task()
  (sum(gc()[, 6L]) - before) * 2^20 / size
}
tasks <- list(
  "data.table::fread of the CSV" = function() data.table::fread(csv),
  "read_prices() of the CSV" = function() read_prices(csv),
  "read_prices() of the Parquet" = function() read_prices(parquet)
)
once <- function(task) {
  gc(FALSE)
  unname(system.time(task())[["elapsed"]])
}
times <- apply(do.call(rbind, lapply(1:5, function(i) vapply(tasks, once, 0))), 2L, stats::median)
memory <- vapply(tasks, peak, 0)
stopifnot(
  identical(unname(read_prices(csv)$close[days, securities]), last),
  identical(read_prices(csv)$close, read_prices(parquet)$close)
)
lines <- c(
  sprintf(
    "%s rows, %.0f MB as CSV, %.0f MB as a table in memory",
    format(days * securities, big.mark = ","),
    file.size(csv) / 2^20,
    size / 2^20
  ),
  "",
  "| what | x fread | memory at most, x the table |",
  "|---|---|---|",
  sprintf("| %s | %.2f | %.1f |", names(tasks), times / times[[1L]], memory),
  "",
  sprintf("fread took %.0f ms.", 1000 * times[[1L]])
)
writeLines(lines, "bench/reading.md")
writeLines(lines)
unlink(folder, recursive = TRUE)
