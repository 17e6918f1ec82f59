# Are values at risk and their intervals right, and do the tests of a backtest reject a right one
# as often as they say? Samples of returns whose true value at risk is known. Run with `make
# study`; writes bench/var-study.md.
library(imbroglio)
samples <- 1000L
size <- 1000L
table_of <- function(x) {
  as_returns(
    `dimnames<-`(
      x,
      list(format(as.Date("2000-01-03") + seq_len(nrow(x))), sprintf("S%04d", seq_len(ncol(x))))
    ),
    given = "returns",
    every = "day"
  )
}
# Each world: its samples, and the true quantile of the next day in each, over the quantile of the
# standard form.
worlds <- list(
  normal = function() {
    list(
      x = matrix(stats::rnorm(size * samples, 0, 0.01), size),
      scale = rep(0.01, samples),
      quantile = stats::qnorm
    )
  },
  "t(4)" = function() {
    list(
      x = matrix(0.007 * stats::rt(size * samples, 4), size),
      scale = rep(0.007, samples),
      quantile = function(p) stats::qt(p, 4)
    )
  },
  GARCH = function() {
    x <- matrix(0, size, samples)
    h <- rep(1e-4, samples)
    for (t in -250:size) {
      e <- sqrt(h) * stats::rnorm(samples)
      if (t > 0L) x[t, ] <- e
      h <- 2e-6 + 0.08 * e^2 + 0.9 * h
    }
    list(x = x, scale = sqrt(h), quantile = stats::qnorm)
  }
)
methods <- c(
  "historical", "age-weighted", "volatility-scaled", "filtered", "normal", "normal-relative",
  "cornish-fisher", "ewma", "garch", "garch-student", "student", "hill", "pareto", "bootstrap",
  "block-bootstrap", "stationary-bootstrap"
)
levels <- c(0.95, 0.99)
rows <- c()
for (world in names(worlds)) {
  set.seed(1)
  made <- worlds[[world]]()
  returns <- table_of(made$x)
  for (method in methods) {
    found <- as.data.frame(suppressWarnings(measure_var(returns, levels, method = method)))
    cells <- vapply(levels, function(level) {
      at <- found[found$level == level, ]
      truth <- -made$scale * made$quantile(1 - level)
      off <- at$var / truth - 1
      known <- !is.na(at$var_low) & !is.na(at$var_high)
      sprintf(
        "%+.1f | %.1f | %s",
        100 * mean(off, na.rm = TRUE),
        100 * stats::sd(off, na.rm = TRUE),
        if (sum(known) < samples / 2) {
          "-"
        } else {
          sprintf("%.1f", 100 * mean((at$var_low <= truth & truth <= at$var_high)[known]))
        }
      )
    }, "")
    rows <- c(
      rows,
      sprintf(
        "| %s | %s | %s | %d |",
        world,
        method,
        paste(cells, collapse = " | "),
        sum(!is.na(found$var_low[found$level == 0.99]))
      )
    )
    message(rows[length(rows)])
  }
}

# How large the errors are beside what the estimates stray by, and what the intervals hold, as
# samples grow: of one period, and drawn over ten, where also returns that lean on those before
# them.
few <- 400L
drawn_worlds <- list(
  normal = function(n) matrix(stats::rnorm(n * few, 0, 0.01), n),
  "t(5)" = function(n) matrix(0.0077 * stats::rt(n * few, 5), n),
  "AR 0.2" = function(n) {
    apply(matrix(stats::rnorm((n + 100L) * few, 0, 0.01), n + 100L), 2L, function(e) {
      as.numeric(stats::filter(e, 0.2, "recursive"))[-(1:100)]
    })
  }
)
true_tail <- function(world, h, level) {
  set.seed(9)
  m <- 200000L * h
  x <- switch(
    world,
    normal = stats::rnorm(m, 0, 0.01),
    "t(5)" = 0.0077 * stats::rt(m, 5),
    "AR 0.2" = as.numeric(stats::filter(stats::rnorm(m, 0, 0.01), 0.2, "recursive"))
  )
  losses <- sort(-expm1(colSums(log1p(matrix(x, h)))), decreasing = TRUE)
  k <- round(length(losses) * (1 - level))
  c(losses[k], mean(losses[seq_len(k)]))
}
error_rows <- NULL
one_period <- c(
  "historical", "age-weighted", "bootstrap", "student", "student, sandwich", "laplace",
  "laplace, sandwich"
)
over_ten <- c("bootstrap", "block-bootstrap", "stationary-bootstrap")
for (case in list(
  list(h = 1L, worlds = c("normal", "t(5)"), methods = one_period),
  list(h = 10L, worlds = names(drawn_worlds), methods = over_ten)
)) {
  for (world in case$worlds) {
    for (method in case$methods) {
      truth <- lapply(levels, function(level) true_tail(world, case$h, level))
      for (n in c(250L, 500L, 1000L)) {
        set.seed(4)
        parts <- strsplit(method, ", ", fixed = TRUE)[[1L]]
        found <- as.data.frame(suppressWarnings(measure_var(
          table_of(drawn_worlds[[world]](n)),
          levels,
          case$h,
          parts[1L],
          draws = 20000L,
          errors = if (length(parts) > 1L) "sandwich" else "model"
        )))
        cells <- vapply(seq_along(levels), function(i) {
          at <- found[found$level == levels[i], ]
          known <- !is.na(at$var_low) & !is.na(at$var_high)
          held <- (at$var_low <= truth[[i]][1L] & truth[[i]][1L] <= at$var_high)[known]
          sprintf(
            "%+.1f | %.2f | %s | %.2f | %.2f",
            100 * (mean(at$var, na.rm = TRUE) / truth[[i]][1L] - 1),
            mean(at$var_error, na.rm = TRUE) / stats::sd(at$var, na.rm = TRUE),
            if (sum(known) < few / 2) "-" else sprintf("%.1f", 100 * mean(held)),
            mean(at$es_error, na.rm = TRUE) / stats::sd(at$es, na.rm = TRUE),
            sqrt(mean(at$es_error^2, na.rm = TRUE)) / stats::sd(at$es, na.rm = TRUE)
          )
        }, "")
        error_rows <- c(
          error_rows,
          sprintf(
            "| %s | %d | %s | %d | %s |",
            world,
            case$h,
            method,
            n,
            paste(cells, collapse = " | ")
          )
        )
        message(error_rows[length(error_rows)])
      }
    }
  }
}

# The true line, put to the test.
days <- 1000L
series <- 4000L
register_var_method("known", function(r, level) {
  c(-0.01 * stats::qnorm(1 - level), 0.01 * stats::dnorm(stats::qnorm(1 - level)) / (1 - level))
})
set.seed(2)
returns <- table_of(matrix(stats::rnorm((days + 2L) * series, 0, 0.01), days + 2L))
tests <- unlist(lapply(levels, function(level) {
  found <- suppressWarnings(backtest_var(returns, 2L, level, "known", refit = days))
  share <- function(p) sprintf("%.1f", 100 * mean(p < 0.05, na.rm = TRUE))
  # How often each rejects by the chances of all numbers of breaches.
  all <- 0:days
  chance <- stats::dbinom(all, days, 1 - level)
  kupiec <- stats::pchisq(imbroglio:::kupiec_ratio(all, days, 1 - level), 1, lower.tail = FALSE)
  exact <- imbroglio:::exact_p(all, rep(days, length(all)), 1 - level)
  exactly <- function(p) sprintf("%.1f", 100 * sum(chance[p < 0.05]))
  sprintf(
    "| %s %% | %s | %s | %s | %s | %s | %s |",
    100 * level,
    share(found$kupiec_p),
    exactly(kupiec),
    share(found$exact_p),
    exactly(exact),
    share(found$independence_p),
    share(found$es_p)
  )
}))

lines <- c(
  sprintf(
    paste0(
      "%s samples of %s returns from each world; value at risk of the next day against ",
      "the true one. Bias and spread in %% of the true one, then how many of 100 ",
      "intervals of 95 %% hold it."
    ),
    format(samples, big.mark = ","),
    format(size, big.mark = ",")
  ),
  "",
  paste0(
    "| world | method | bias, 95 % | spread | covers | bias, 99 % | spread | covers ",
    "| with an interval |"
  ),
  "|---|---|---|---|---|---|---|---|---|",
  rows,
  "",
  paste0(
    "A share of 95 of 1,000 has a standard error of 0.7. In the GARCH world the true ",
    "one moves from day to day; methods that look at the whole sample are not about ",
    "it, and so their intervals do not hold it."
  ),
  "",
  sprintf(
    paste0(
      "Errors and intervals as samples grow, %s samples each: bias of the value at ",
      "risk in %%, the mean of its error over what it strays by, how many of 100 ",
      "intervals of 95 %% hold the true one, and of the expected shortfall the mean ",
      "and the root mean square of its error over what it strays by."
    ),
    few
  ),
  "",
  paste0(
    "| world | periods | method | returns | bias, 95 % | error | covers | ES error | ",
    "its rms | bias, 99 % | error | covers | ES error | its rms |"
  ),
  "|---|---|---|---|---|---|---|---|---|---|---|---|---|---|",
  error_rows,
  "",
  paste0(
    "`-`: most samples have no interval, as the history does not bound the loss or says too ",
    "little of it. A share ",
    "of 95 of 400 has a standard error of 1.1, a ratio of 3.5 % (more where tails ",
    "are heavy: what a shortfall strays by is then a matter of few samples). ",
    "Laplace's family is not right in either world; its interval about the wrong ",
    "quantile cannot hold the true one, but its error says by how much it strays."
  ),
  "",
  sprintf(
    paste0(
      "The true line of %s normal series of %s days, put to the test; rejected at 5 ",
      "%%, in %%:"
    ),
    format(series, big.mark = ","),
    format(days, big.mark = ",")
  ),
  "",
  paste0(
    "| level | Kupiec, simulated | by the binomial chances | exact, simulated | by ",
    "the binomial chances | independence | expected shortfall |"
  ),
  "|---|---|---|---|---|---|---|",
  tests,
  "",
  "A share of 5 of 4,000 has a standard error of 0.3."
)
writeLines(lines, "bench/var-study.md")
writeLines(lines)
