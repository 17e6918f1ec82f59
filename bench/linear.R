# Time against size: each measure on more and more securities, and on longer and longer histories.
# Run with `make bench`; draws bench/linear.png and writes bench/linear.md.
source("bench/timing.R")
# With room for all, so that no full garbage collection (some 50 ms) falls into some calls only.
if (!length(commandArgs(TRUE))) {
  again <- c("--min-vsize=4G", "bench/linear.R", "warm")
  quit(status = system2("Rscript", again, env = kept_memory))
}
library(imbroglio)
threads(1L)
returns_of <- function(days, securities) {
  set.seed(1)
  as_returns(
    matrix(
      stats::rnorm(days * securities, 0, 0.01),
      days,
      dimnames = list(
        format(as.Date("1990-01-01") + seq_len(days)),
        sprintf("S%04d", seq_len(securities))
      )
    ),
    given = "returns",
    every = "day"
  )
}
measures <- list(
  "volatility" = function(x) measure_volatility(x),
  "rolling volatility" = function(x) measure_volatility(x, window = 60, as = "matrix"),
  "rolling volatility, table" = function(x) measure_volatility(x, window = 60),
  "drawdown" = function(x) measure_drawdown(x),
  "tracking error" = function(x) measure_tracking(x, "S0001", total = FALSE),
  "beta" = function(x) measure_beta(x, "S0001"),
  "rolling beta" = function(x) measure_beta(x, "S0001", window = 250, as = "matrix"),
  "summary" = function(x) measure_summary(x, "S0001"),
  "value at risk, historical" = function(x) measure_var(x),
  "value at risk, normal" = function(x) measure_var(x, method = "normal"),
  "value at risk, Cornish-Fisher" = function(x) measure_var(x, method = "cornish-fisher"),
  "backtest, historical" = function(x) backtest_var(x, window = 250)
)
sizes <- rbind(
  data.frame(along = "more securities, 2,000 days", days = 2000L, securities = 125L * 2L^(0:4)),
  data.frame(along = "more days, 250 securities", days = 1000L * 2L^(0:4), securities = 250L)
)
rows <- do.call(rbind, lapply(seq_len(nrow(sizes)), function(i) {
  x <- returns_of(sizes$days[i], sizes$securities[i])
  least <- least_of(lapply(measures, function(f) function() suppressWarnings(f(x))), most = 8L)
  data.frame(sizes[i, ], measure = names(measures), time = least, row.names = NULL)
}))
rows$cells <- rows$days * rows$securities
# The power of size that time grows by.
power <- do.call(rbind, by(rows, rows[c("measure", "along")], function(r) {
  fit <- stats::lm(log(time) ~ log(cells), r[r$cells >= 1e6, ])
  data.frame(r[1L, c("measure", "along")], power = stats::coef(fit)[[2L]])
}))
plot <- ggplot2::ggplot(rows, ggplot2::aes(cells / 1e6, 1000 * time)) +
  ggplot2::geom_abline(
    data = data.frame(intercept = c(0, 1, 2)),
    ggplot2::aes(intercept = intercept, slope = 1),
    colour = "grey80"
  ) +
  ggplot2::geom_line(ggplot2::aes(linetype = along)) +
  ggplot2::geom_point(size = 1) +
  ggplot2::facet_wrap("measure", ncol = 4L) +
  ggplot2::scale_x_log10() +
  ggplot2::scale_y_log10() +
  ggplot2::labs(
    title = "No measure takes longer than in proportion to its data (grey)",
    x = "returns, millions",
    y = "ms, one thread",
    linetype = NULL
  ) +
  ggplot2::theme_minimal(base_size = 12) +
  ggplot2::theme(legend.position = "bottom")
ggplot2::ggsave("bench/linear.png", plot, width = 12.8, height = 8, dpi = 100, bg = "white")
wide <- split(power$power, power$measure)
lines <- c(
  "The power of size that time grows by, from a million returns on (1 is linear):",
  "",
  "| measure | with securities | with days |",
  "|---|---|---|",
  vapply(names(measures), function(m) {
    of <- power[power$measure == m, ]
    sprintf(
      "| %s | %.2f | %.2f |",
      m,
      of$power[grepl("securities, ", of$along, fixed = TRUE)],
      of$power[grepl("days, ", of$along, fixed = TRUE)]
    )
  }, "")
)
writeLines(lines, "bench/linear.md")
writeLines(lines)
