# How far it goes: time and memory against the number of securities, of days and of workers, each
# in a process of its own. Run with `make results` (a quarter of an hour); draws bench/results.png
# and writes bench/RESULTS.md.
source("bench/taken.R")
asked <- c(
  "volatility" = "measure_volatility(x)",
  "value at risk at two levels" = "measure_var(x, level = c(0.95, 0.99))",
  "summary" = "measure_summary(x)"
)
ways <- c(
  "in memory" = "as_prices(made_up(%d, %d, '8GB'))",
  "in blocks of 20 MB" = "made_up(%d, %d, '200MB')"
)
sizes <- rbind(
  data.frame(along = "securities", securities = c(1, 100, 1000, 5000, 20000), days = 1250),
  data.frame(along = "days", securities = 1000, days = c(250, 1000, 2500, 6250, 25000))
)
found <- merge(unique(sizes), expand.grid(asked = names(asked), way = names(ways)))
found[c("seconds", "memory")] <- do.call(rbind, lapply(seq_len(nrow(found)), function(i) {
  one <- found[i, ]
  if (i %% 6L == 1L) note(one$securities, " x ", one$days)
  # The lesser of two: another program may run meanwhile.
  x <- sprintf(ways[[one$way]], as.integer(one$securities), as.integer(one$days))
  t <- replicate(2L, taken(x, asked[[one$asked]], TRUE)[c("seconds", "memory")])
  data.frame(seconds = min(t["seconds", ]), memory = min(t["memory", ]))
}))
found$size <- ifelse(found$along == "securities", found$securities, found$days)

# The power of size that each grows by, from a million prices on.
power <- function(part, of) {
  part <- part[part$securities * part$days >= 1e6, ]
  part$of <- part[[of]]
  stats::coef(stats::lm(log(of) ~ log(size), part))[[2L]]
}
by_line <- split(found, found[c("asked", "way", "along")], sep = "|")
powers <- data.frame(
  do.call(rbind, lapply(by_line, function(part) part[1L, c("asked", "way", "along")])),
  seconds = vapply(by_line, power, 0, "seconds"), memory = vapply(by_line, power, 0, "memory")
)

# ---- workers ----------------------------------------------------------------------------------
workers <- c(1L, 2L, 4L, 8L)
note("workers")
by_workers <- lapply(stats::setNames(workers, workers), function(n) {
  set <- if (n > 1L) {
    "future::plan(future::multicore, workers = %d)"
  } else {
    "RcppParallel::setThreadOptions(%d)"
  }
  code <- sprintf("{%s; measure_var(x, method = 'student')}", sprintf(set, n))
  min(replicate(3L, taken("made_up(2000, 2500, '200MB')", code)[["seconds"]]))
})

# ---- figure -----------------------------------------------------------------------------------
long <- rbind(
  data.frame(found, value = found$seconds, what = "seconds"),
  data.frame(found, value = pmax(found$memory, 1), what = "memory, MB")
)
long$what <- factor(long$what, c("seconds", "memory, MB"))
long$along <- factor(
  long$along, c("securities", "days"), c("securities, of 1,250 days", "days, of 1,000 securities")
)
last <- stats::aggregate(size ~ along, long, max)
ends <- merge(long, last)
ends <- ends[ends$way == "in memory", ]
# The lines of memory lie on each other: of the first row alone is said which is which.
ends <- ends[ends$what == "seconds", ]
ends <- do.call(rbind, lapply(split(ends, ends$along), function(part) {
  part <- part[order(part$value), ]
  for (i in seq_len(nrow(part))[-1L]) part$value[i] <- max(part$value[i], 1.6 * part$value[i - 1L])
  part
}))
steepest <- max(powers$seconds)
plot <- ggplot2::ggplot(long, ggplot2::aes(size, value, colour = asked)) +
  ggplot2::geom_line(ggplot2::aes(linetype = way)) +
  ggplot2::geom_point(size = 1) +
  ggplot2::geom_text(
    data = ends, ggplot2::aes(label = asked), hjust = 0, nudge_x = 0.06, size = 3
  ) +
  ggplot2::facet_grid(what ~ along, scales = "free", switch = "both") +
  ggplot2::scale_x_log10(
    breaks = c(1, 10, 100, 1000, 10000),
    labels = function(x) format(x, big.mark = ",", scientific = FALSE, trim = TRUE),
    expand = ggplot2::expansion(c(0.03, 0.36))
  ) +
  ggplot2::scale_y_log10(labels = function(x) format(x, big.mark = ",", drop0trailing = TRUE)) +
  ggplot2::scale_colour_manual(values = c("#0072B2", "#D55E00", "#009E73"), guide = "none") +
  ggplot2::scale_linetype_manual(values = c("solid", "22")) +
  ggplot2::labs(
    title = sprintf(
      "Time grows at most by the power of %.2f of the data; in blocks memory hardly grows",
      steepest
    ),
    x = NULL, y = NULL, linetype = NULL
  ) +
  ggplot2::theme_minimal(base_size = 12) +
  ggplot2::theme(
    legend.position = "top", strip.placement = "outside",
    panel.grid.minor = ggplot2::element_blank()
  )
ggplot2::ggsave("bench/results.png", plot, width = 12.8, height = 8, dpi = 100, bg = "white")

# ---- page -------------------------------------------------------------------------------------
tables <- lapply(split(found, found$along)[c("securities", "days")], function(part) {
  key <- interaction(part$asked, part$way, sep = ", ")
  columns <- levels(droplevels(key))
  cells <- lapply(sort(unique(part$size)), function(size) {
    of <- vapply(columns, function(column) {
      one <- part[part$size == size & key == column, ]
      sprintf("%s s, %s MB", said(one$seconds, 2), said(max(one$memory, 0), 2))
    }, "")
    c(said(size, 6), of)
  })
  c(head_of(part$along[1L], columns), rows(cells))
})
power_rows <- rows(lapply(seq_len(nrow(powers)), function(i) {
  with(powers[i, ], c(
    as.character(asked), as.character(way), along, sprintf("%.2f", seconds),
    sprintf("%.2f", memory)
  ))
}))
writeLines(c(
  "# How far it goes",
  "",
  machine("bench/results.R"),
  "Seconds are of measuring, not for the first time, the lesser of two; memory is the most that",
  "a process ever had (resident), less what it had with the package loaded, and holds the table",
  "of results. Prices are made as they are read.",
  "",
  "![Time and memory against size](results.png)",
  "",
  "## More securities, of 1,250 days",
  "",
  tables$securities,
  "",
  "## More days, of 1,000 securities",
  "",
  tables$days,
  "",
  "## By what power of size they grow",
  "",
  "Fitted on logarithms, from a million prices on: 1 is in proportion.",
  "",
  head_of("measure", "how", "along", "seconds", "memory"),
  power_rows,
  "",
  "## More workers",
  "",
  sprintf(
    paste(
      "Student's distribution fitted to 2,000 securities of 2,500 days by forks of one thread",
      "each, on %d cores:"
    ),
    parallel::detectCores()
  ),
  "",
  head_of("workers", "seconds", "times as fast as one"),
  rows(lapply(workers, function(n) {
    t <- by_workers[[as.character(n)]]
    c(n, said(t), sprintf("%.2f", by_workers[["1"]] / t))
  })),
  "",
  "More workers than there are cores gain nothing; each costs the time in which it begins.",
  "What hosts and a scheduler gain is in [workers.md](workers.md), sources that are never whole",
  "in [opened.md](opened.md), how long a command takes to begin in [start.md](start.md);",
  "`docs/how-far.md` says what follows for larger ones."
), "bench/RESULTS.md")
