# Are the p-values right? 1,000 samples of 500 returns from each family as it is fitted to the
# demo's index, each fitted and tested with the defaults. A right p-value rejects one in ten at 10
# %. Run with `make study`; writes bench/fit-study.md.
library(imbroglio)
samples <- 1000L
size <- 500L
index <- as_returns(read_prices(demo_file("bay.csv"))[, "BAYALL"], "log")
terms <- generics::tidy(fit_returns(index, "all", test_draws = 0))
days <- format(as.Date("2000-01-03") + seq_len(size))
row_of <- function(name, samples, seed, called = name) {
  part <- terms[terms$family == name, ]
  at <- stats::setNames(part$estimate, part$term)
  set.seed(seed)
  x <- matrix(
    return_family(name)$random(samples * size, at),
    size,
    dimnames = list(days, sprintf("S%04d", seq_len(samples)))
  )
  fit <- suppressWarnings(fit_returns(
    as_returns(x, "log", given = "returns", every = "day"),
    name
  ))
  fit <- fit[fit$converged, ]
  share <- function(column, level = 0.1) sprintf("%.1f", 100 * mean(fit[[column]] <= level))
  message(called)
  sprintf(
    "| %s | %d | %s | %s | %s | %s | %s | %s |",
    called,
    nrow(fit),
    share("ks_p"),
    share("ad_p"),
    share("cvm_p"),
    share("ad_p", 0.01),
    share("ks_p_textbook"),
    share("ad_p_textbook")
  )
}
rows <- vapply(unique(terms$family), row_of, "", samples, 1)
# The normal's is the quickest: a share of more samples, to tell chance from fault.
rows <- c(rows, row_of("normal", 5L * samples, 2, "normal, 5,000 others"))
lines <- c(
  sprintf(
    paste0(
      "%s samples of %s returns from each family, fitted to the demo's index; the ",
      "share in %% that is rejected"
    ),
    format(samples, big.mark = ","),
    size
  ),
  "",
  paste0(
    "| family | converged | KS at 10 % | AD at 10 % | CvM at 10 % | AD at 1 % | ",
    "textbook KS at 10 % | textbook AD at 10 % |"
  ),
  "|---|---|---|---|---|---|---|---|",
  unname(rows),
  "",
  "A share of 10 % of 1,000 has a standard error of 0.9, of 5,000 one of 0.4."
)
writeLines(lines, "bench/fit-study.md")
writeLines(lines)
