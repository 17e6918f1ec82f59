# Why the value at risk of the demo's book of unlike things moved, each of the last 250 days: that
# the parts add up, and what the ten largest moves came of. Writes bench/change-study.md.
suppressPackageStartupMessages(library(imbroglio))
quietly <- function(expr) suppressWarnings(suppressMessages(expr))

prices <- quietly(read_prices(
  demo_file(c("bay.csv", "bay-fund.csv", "bay-kelp.csv", "bay-tinmoor.csv.gz"))
))
own <- setNames(rep("HBC", ncol(prices)), colnames(prices))
own["TINROPE"] <- "TMC"
base <- quietly(translate_prices(prices, demo_file("bay-rates.csv.gz"), "HBC", own, carry = 3))
at <- function(day) {
  quietly(as_portfolio(
    window(base, end = day), holdings = demo_file("bay-unlike.csv"), benchmark = "BAYALL"
  ))
}
days <- tail(base$dates, 250)
found <- parallel::mclapply(seq_along(days), function(i) {
  result <- quietly(explain_change(at(days[i]), last = "250 returns"))
  data.frame(
    day = days[i], as.data.frame(result)[
      c("cause", "moved", "moved_value", "mattered", "number_before", "number_after")
    ]
  )
}, mc.cores = max(1L, parallel::detectCores()))
table <- do.call(rbind, found)
off <- tapply(seq_len(nrow(table)), table$day, function(rows) {
  abs(sum(table$moved[rows]) - (table$number_after[rows[1]] - table$number_before[rows[1]]))
})
changes <- vapply(found, function(one) one$number_after[1] - one$number_before[1], 0)
points <- function(x) sprintf("%+.3f", 100 * x)
largest <- order(-abs(changes))[1:10]
lines <- c(
  "# What moved the demo's book of unlike things",
  "",
  "Made by `make change-study`. Value at risk at 99 %, one day, by the last 250 returns; each day",
  "beside the day before; in points of the book.",
  "",
  sprintf(
    "On %d days, %s to %s, the parts add up to the change within %.1e. It did not move on %d.",
    length(days), days[1], days[length(days)], max(off), sum(changes == 0)
  ),
  "",
  "The ten largest moves:",
  "",
  "| day | from | to | moved | what moved it | above all |",
  "|---|---|---|---|---|---|"
)
for (i in largest) {
  one <- found[[i]][order(-abs(found[[i]]$moved)), ]
  first <- which(abs(one$moved) >= 0.1 * max(abs(one$moved)))
  lines <- c(lines, sprintf(
    "| %s | %.3f %% | %.3f %% | %s | %s | %s |", days[i], 100 * one$number_before[1],
    100 * one$number_after[1], points(changes[i]),
    paste(sprintf("%s %s", one$cause[first], points(one$moved[first])), collapse = "; "),
    if (is.na(one$mattered[1])) "" else one$mattered[1]
  ))
}
writeLines(lines, "bench/change-study.md")
cat(lines, sep = "\n")
