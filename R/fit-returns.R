record_of_fit <- function() {
  measure_record(
    180,
    title = "Fitted distributions",
    asks = "Which distribution could the returns come from?",
    measure = fit_returns,
    columns = list(
      family = column("family", "text"),
      converged = column("converged", "truth"),
      log_likelihood = column("log likelihood", "two"),
      aic = column("AIC", "one"),
      bic = column("BIC", "one"),
      aic_rank = column("by AIC", "count", detail = TRUE),
      bic_rank = column("by BIC", "count"),
      tail_rank = column("by tail", "count"),
      ks = column("KS", "four"),
      ks_p = column("KS p", "p"),
      ks_p_textbook = column("textbook", "p"),
      ad = column("AD", "two", detail = TRUE),
      ad_p = column("AD p", "p"),
      ad_p_textbook = column("textbook p", "p", detail = TRUE),
      cvm = column("CvM", "ratio", detail = TRUE),
      cvm_p = column("CvM p", "p"),
      cvm_p_textbook = column("textbook p", "p", detail = TRUE),
      tail = column("lower tail", "ratio", detail = TRUE),
      jarque_bera = column("Jarque-Bera", "two", detail = TRUE),
      jarque_bera_p = column("p", "p", detail = TRUE),
      quantile_1 = column("1 % quantile", "fraction"),
      observed_1 = column("observed", "fraction"),
      quantile_01 = column("0.1 % quantile", "fraction"),
      observed_01 = column("observed", "fraction"),
      verdict = column("verdict", "text")
    ),
    shares = c("security", "from", "to", "n", "state", "draws"),
    tables = list(
      fit_quantiles = table_record(
        "Value at risk by fitted distributions",
        columns = list(
          quantile = column("quantile", "fraction")
        ),
        shares = c("security", "family", "level", "var", "es")
      ),
      fit_parameters = table_record(
        "Fitted parameters",
        columns = list(
          term = column("parameter", "text"),
          error = column("error", "significant"),
          low = column("low", "significant"),
          high = column("high", "significant")
        ),
        shares = c("security", "family", "estimate")
      )
    ),
    compares = NULL,
    command = command_record(
      "Measure", 130,
      says = "fitted distributions, and tests that know they were fitted",
      options = c(
        choose, "every", "keep-unfinished", "kind", "families", "by", "test-draws", "stop-after",
        "reject-at", "rank-by", "seed", "parameters", "level", "view", book, hand_on
      ),
      trade = list(
        trade(
          c("Goodness of fit", "Kolmogorov-Smirnov", "Anderson-Darling", "Jarque-Bera"),
          "tests of fitted distributions",
          "imbroglio fit FILE"
        )
      ),
      help = c(
        view = "what --figure draws: distribution, density, quantiles or tail (distribution)",
        level = "value at risk by each family, at these levels",
        by = "likelihood, or moments and quantiles (likelihood)"
      ),
      example = c(
        paste0(
          "imbroglio fit bay.csv --security BAYALL --families normal,student,cauchy ",
          "--test-draws 999 --figure fit.png"
        ),
        paste0(
          "imbroglio fit bay.csv --security BAYALL --families all --test-draws 0 --view tail ",
          "--figure tail.png"
        ),
        "imbroglio fit bay.csv --security BAYALL --families student,nig --level 0.99,0.999"
      ),
      ways = c(
        "--test-draws 0",
        "--test-draws 30",
        "--parameters",
        "--level 0.9"
      )
    ),
    parts = list(
      fit = part(
        "distribution", 10, "whole", "returns", c("lead", "figure", "table"), draws = "first"
      )
    ),
    one_sentence = TRUE,
    cases = quote(list(whole = fit_returns(one, "all", test_draws = 99, stop_after = 20)))
  )
}

#' Fit distributions to returns, and test the fits
#'
#' Fits families of distributions to each security's returns, says how well each describes them,
#' with p-values that know that the parameters were fitted on the same returns, and ranks the
#' families.
#'
#' @section Fitting: By maximum likelihood, from several starts, by the
#'   Broyden-Fletcher-Goldfarb-Shanno method with exact gradients on returns scaled to middle 0
#'   (normal, whose sd is over n, and Laplace in closed form; the generalised error by location
#'   and shape in turns).
#'
#'   A family whose shapes grow without bound comes to a plainer one, its limit: Student's t to
#'   the normal, the generalised error to the uniform, the skewed Student t to the two-piece
#'   normal, Johnson's to a lognormal with an end to either side, the normal inverse Gaussian to
#'   an inverse Gaussian with an end or to Cauchy's, and these to the normal. Where the limit is
#'   at least as likely, it is what is fitted: `state` names it, and parameters, errors and
#'   quantiles are those of the plainer family (see [return_family()]); its criteria count the
#'   parameters of the family that was searched. So no fit is less likely than what its family
#'   holds. Standard errors are of the observed information, for Laplace and the
#'   generalised error of the expected one. `by = "moments"` takes the usual estimates by moments
#'   or quantiles, which have no errors here: mean and standard deviation (normal), with the
#'   kurtosis (`student`, `ged`), with skewness too (`nig`), median and half the interquartile
#'   range (`cauchy`), four quantiles (`johnson-su`: Slifker and Shapiro 1980); `skew-student` has
#'   none.
#'
#' @section Distances: With \eqn{u_i}{u_i} the fitted distribution function at the i-th of n
#'   sorted returns: Kolmogorov-Smirnov \eqn{\max_i \max(i/n - u_i, u_i - (i-1)/n)}{max(i / n -
#'   u_i, u_i - (i - 1) / n)}; Anderson-Darling \eqn{-n - \frac1n \sum (2i-1)(\ln u_i +
#'   \ln(1-u_{n+1-i}))}{-n - sum((2 i - 1) (ln u_i + ln(1 - u_(n + 1 - i)))) / n}; Cramer-von
#'   Mises \eqn{\frac1{12n} + \sum (u_i - \frac{2i-1}{2n})^2}{1 / (12 n) + sum((u_i - (2 i - 1) /
#'   (2 n))^2)}; and of the lower tail alone (Sinclair, Spurr and Ahmad 1990) \eqn{-\frac{3n}2 +
#'   2\sum u_i - \frac1n\sum(2i-1)\ln u_i}{-3 n / 2 + 2 sum(u_i) - sum((2 i - 1) ln u_i) / n}.
#'
#' @section The p-values: A family that was fitted to the returns is nearer to them than the right
#'   one would be, so the textbook p-values, which are for a distribution known beforehand, are
#'   far too large: they stand beside, as `ks_p_textbook` and so on. The p-value is by parametric
#'   bootstrap (Stute, Gonzalez Manteiga and Presedo Quindimil 1993): `test_draws` samples of n
#'   from the fitted family, each fitted again; p is the share of distances as large as the
#'   observed one, counting it as one of them. A test ends early when `stop_after` such draws have
#'   been seen, and p is then their number over the draws so far, which is as exact a test (Besag
#'   and Clifford 1991); `Inf` draws all. The draws depend on the seed and on the names of the
#'   security and the family, not on threads or on what else is fitted. Draws from a family fitted
#'   by moments that cannot be fitted again are left out.
#'
#' The draws are independent of each other, as the textbook's samples are. Returns whose
#' volatility clusters are not, and stray further from their own distribution: the stronger it
#' clusters, the more often a right family is rejected. So is it where prices move in coarse steps
#' and many returns are equal. A family that is not rejected may still be wrong: the sample may be
#' too short to tell.
#'
#' @param returns A returns table, or a price table, whose simple returns are taken.
#' @param families Names of families, see [return_family()], or `"all"` of the package's.
#' @param by `"likelihood"` or `"moments"`.
#' @param test_draws Draws for the p-values; 0 for none.
#' @param stop_after How many distances as large as the observed one end a test early.
#' @param reject_at The level of the tests, as 0.1.
#' @param rank_by `"aic"`, `"bic"` or `"tail"`: the order of each security's rows.
#' @param seed A whole number.
#' @param object,x A result of `fit_returns()`.
#' @param level Confidence levels of value at risk.
#' @param confidence Of the intervals of `tidy()`: as many standard errors to either side of the
#'   estimate, of its logarithm for parameters that are above 0.
#' @param ... Must be empty.
#' @return A table, one row for each security and family: `security`, `family`, `from`, `to`, `n`,
#'   `converged`, `state`, `log_likelihood`, `aic`, `bic` and the rank by each (`aic_rank`,
#'   `bic_rank`, `tail_rank`, 1 the best), the distances `ks`, `ad`, `cvm` with their p-values
#'   (`ks_p`, `ks_p_textbook`, and so on), `tail` (the lower tail's), `jarque_bera` and
#'   `jarque_bera_p` (on the normal's rows; chi-squared with 2 degrees of freedom), `quantile_1`,
#'   `observed_1`, `quantile_01`, `observed_01` (the fitted 1 % and 0.1 % quantiles beside the
#'   returns of that rank), `draws` and the `verdict`, which says which tests reject.
#'
#'   `state` is `"inside"`, `"at its normal limit"` (or which), or `"failed: "` and why: fewer than
#'   20 returns or 10 different ones, too many alike (the likelihood then grows without bound
#'   about them), a likelihood that grows towards an edge of the family. What failed has
#'   `converged` `FALSE`, no parameters, no errors and no p-values, no rank, and a warning says
#'   so; the others stand.
#'
#'   `tidy()`: the parameters, a row for each `term`, with `estimate`, `std.error`,
#'   `conf.low` and `conf.high`.
#'   `glance()`: the quality of fit. `predict()`: for each level the `quantile` of returns, and
#'   value at risk and expected shortfall of one period, positive losses (`Inf` where the family
#'   has no mean).
#' @eval columns_in_docs("fit")
#' @section Errors: `imbroglio_error_argument` for an unknown family or choice, a seed that is no
#'   whole number, `by = "moments"` for a family that has none. Warning
#'   `imbroglio_warning_not_converged`.
#' @references Stute, Gonzalez Manteiga and Presedo Quindimil (1993), Bootstrap based
#'   goodness-of-fit-tests, Metrika
#'   40. Besag and Clifford (1991), Sequential Monte Carlo p-values, Biometrika 78. Sinclair,
#'      Spurr and Ahmad (1990), Modified Anderson Darling test, Communications in Statistics 19.
#'      Marsaglia and Marsaglia (2004), Evaluating the Anderson-Darling distribution, Journal of
#'      Statistical Software 9. Csorgo and Faraway (1996), The exact and asymptotic distributions
#'      of Cramer-von Mises statistics, Journal of the Royal Statistical Society B 58.
#' @eval concepts_in_docs("fit_returns")
#' @family fits
#' @examples
#' prices <- read_prices(demo_file("bay.csv"))
#' fit <- fit_returns(as_returns(prices[, "BAYALL"], kind = "log"), test_draws = 99)
#' fit
#' generics::tidy(fit)
#' predict(fit, level = c(0.95, 0.99))
#' @export
fit_returns <- function(returns, families = c("normal", "student", "cauchy"),
                        by = c("likelihood", "moments"), test_draws = 999L, stop_after = 50,
                        reject_at = 0.1, rank_by = c("aic", "bic", "tail"), seed = 1L) {
  if (is_opened(returns)) return(over_blocks())
  returns <- take_returns(returns, held = "today")
  if (identical(families, "all")) families <- names(own_families)
  check_choice(families, "families", names(fit_families()), several = TRUE)
  families <- unique(families)
  by <- one_of(by, "by", c("likelihood", "moments"))
  test_draws <- check_whole(test_draws, "test_draws", least = 0L, most = 1e6)
  if (!identical(stop_after, Inf)) stop_after <- check_whole(stop_after, "stop_after")
  reject_at <- check_fraction(reject_at, "reject_at")
  rank_by <- one_of(rank_by, "rank_by", c("aic", "bic", "tail"))
  seed <- check_whole(seed, "seed", least = -.Machine$integer.max)
  records <- fit_families()[families]
  if (by == "moments") refuse_without_moments(records)

  values <- returns$values
  sample <- sample_of(returns$dates, values)
  fits <- fitted_by(records, values, by)
  tests <- tests_of(records, fits, values, by, test_draws, stop_after, seed)
  result <- ranked(
    c(
      list(
        security = rep(colnames(values), length(families)),
        family = rep(families, each = ncol(values)),
        from = rep(sample$from, length(families)),
        to = rep(sample$to, length(families)),
        n = rep(sample$n, length(families))
      ),
      quality_of(fits, records, sample$n),
      tests
    ),
    rank_by
  )
  result$verdict <- verdict_of(result, reject_at)
  warn_failed_fits(result$security, result$family, result$state)
  choices <- c(
    "fitted by" = by,
    if (test_draws) {
      c(
        draws = test_draws,
        "each test until" = sprintf("%s were as far", stop_after),
        "tested at" = unit_share(reject_at)
      )
    },
    "ranked by" = rank_by
  )
  result <- new_result(
    result,
    "fit",
    returns_basis_later(
      returns,
      sample,
      choices = c(choices, states_choice(result$state, result$security)),
      exact = list(test_draws = test_draws, stop_after = stop_after),
      seed = if (test_draws) seed else NA_integer_
    ),
    returns
  )
  attr(result, "fits") <- fits
  result
}

unit_share <- function(x) paste(format(100 * x), "%")

refuse_without_moments <- function(records) {
  without <- names(records)[vapply(records, function(r) is.na(r$moments_by), NA)]
  if (length(without)) {
    fail(
      "argument",
      sprintf("%s has no usual estimates by moments or quantiles.", some(without)),
      remedy = 'Fit it by = "likelihood".'
    )
  }
}

# A fit for each family: estimates and errors, a row for each security.
fitted_by <- function(records, values, by) {
  lapply(records, function(record) {
    fit <- record$fit(values, by)
    names(fit$ended) <- rownames(fit$estimate) <- rownames(fit$error) <- colnames(values)
    fit$state <- state_of_ended(record, unname(fit$ended), as.integer(colSums(!is.na(values))))
    names(fit$state) <- colnames(values)
    fit
  })
}

# At a limit the family's own parameters count, which were searched.
quality_of <- function(fits, records, n) {
  each <- function(f) unlist(lapply(fits, f), use.names = FALSE)
  likelihood <- each(function(fit) fit$log_likelihood)
  free <- rep(unname(lengths(lapply(records, `[[`, "parameters"))), each = length(n))
  list(
    converged = each(function(fit) fit$ended >= 0L),
    state = each(function(fit) fit$state),
    log_likelihood = likelihood,
    aic = 2 * free - 2 * likelihood,
    bic = log(rep(n, length(fits))) * free - 2 * likelihood
  )
}

# Each security's families, the best first, with the rank by each measure.
ranked <- function(columns, rank_by) {
  group <- function(v) {
    v[!columns$converged] <- NA
    as.integer(stats::ave(v, columns$security, FUN = function(x) {
      rank(x, na.last = "keep", ties.method = "min")
    }))
  }
  ranks <- list(
    aic_rank = group(columns$aic),
    bic_rank = group(columns$bic),
    tail_rank = group(columns$tail)
  )
  columns <- append(columns, ranks, match("bic", names(columns)))
  universe <- unique(columns$security)
  in_order <- order(match(columns$security, universe), columns[[paste0(rank_by, "_rank")]])
  lapply(columns, `[`, in_order)
}

verdict_of <- function(columns, reject_at) {
  p <- do.call(cbind, columns[paste0(distance_names, "_p")])
  rejects <- p <= reject_at
  at <- sprintf("at %s", unit_share(reject_at))
  said <- apply(rejects, 1L, function(r) {
    if (anyNA(r)) return("not tested")
    if (!any(r)) return(paste("not rejected", at))
    sprintf(
      "rejected %s by %s",
      at,
      if (all(r)) "all" else paste(names(distance_names)[r], collapse = ", ")
    )
  })
  said[!columns$converged] <- columns$state[!columns$converged]
  said
}
