# Are the p-values right? 2,500 samples of 250 returns from each family as it is fitted to the demo's
# index, each fitted and tested with the defaults. A right p-value rejects one in ten at 10 %. Run with `make study`; writes bench/fit-study.md.
library(imbroglio)
samples <- 2500L
size <- 250L
index <- as_returns(read_prices(demo_file("bay.csv"))[, "BAYALL"], "log")
terms <- generics::tidy(fit_returns(index, "all", test_draws = 0))
days <- format(as.Date("2000-01-03") + seq_len(size))
started <- proc.time()[["elapsed"]]
rows <- vapply(unique(terms$family), function(name) {
  part <- terms[terms$family == name, ]
  at <- stats::setNames(part$estimate, part$term)
  set.seed(1)
  x <- matrix(return_family(name)$random(samples * size, at), size, dimnames = list(days, sprintf("S%04d", seq_len(samples))))
  fit <- suppressWarnings(fit_returns(as_returns(x, "log", given = "returns", every = "day"), name))
  fit <- fit[fit$converged, ]
  share <- function(column, level = 0.1) sprintf("%.1f", 100 * mean(fit[[column]] <= level))
  message(name)
  sprintf("| %s | %d | %s | %s | %s | %s | %s | %s |", name, nrow(fit), share("ks_p"), share("ad_p"), share("cvm_p"), share("ad_p", 0.01),
          share("ks_p_textbook"), share("ad_p_textbook"))
}, "")
lines <- c(
  sprintf("%s samples of %s returns from each family, fitted to the demo's index; the share in %% that is rejected", format(samples, big.mark = ","), size), "",
  "| family | converged | KS at 10 % | AD at 10 % | CvM at 10 % | AD at 1 % | textbook KS at 10 % | textbook AD at 10 % |", "|---|---|---|---|---|---|---|---|",
  unname(rows), "",
  sprintf("A share of 10 %% of these has a standard error of 0.6. All of it took %.0f min on %d threads.",
          (proc.time()[["elapsed"]] - started) / 60, RcppParallel::defaultNumThreads()))
writeLines(lines, "bench/fit-study.md")
writeLines(lines)
