record_of_autocorrelation <- function() {
  measure_record(
    175,
    title = "Autocorrelation",
    asks = "Do returns lean on those before them?",
    measure = measure_autocorrelation,
    columns = list(
      lag = column("lag", "count", working = FALSE, key = TRUE),
      autocorrelation = column("autocorrelation", "ratio"),
      autocorrelation_error = column("error", "ratio"),
      autocorrelation_p = column("p", "p", detail = TRUE),
      box = column("all lags", "two"),
      box_p = column("their p", "p")
    ),
    shares = c("security", "from", "to", "n"),
    compares = compares(
      "autocorrelation", "leans most on the return before", "least", " autocorrelation"
    ),
    command = command_record(
      "Measure", 105,
      says = "how returns lean on those before them, at several lags, and whether it is chance",
      options = c(
        choose, "every", "keep-unfinished", "kind", "lags", "errors", book, hand_on
      ),
      help = c(
        errors = "robust or independent (robust)",
        lags = "how many returns before, several as 1,2,5 (1 to 5)"
      ),
      example = paste0(
        "imbroglio autocorrelation bay.csv --security TARROW,BAYALL --lags 1,2,3,5,10 ",
        "--figure lean.png"
      ),
      trade = list(trade(
        c("Autocorrelation", "serial correlation", "Ljung-Box test", "portmanteau test"),
        "whether returns lean on those before, with errors that hold where volatility clusters",
        "imbroglio autocorrelation FILE"
      )),
      always = "lags",
      ways = c("", "--errors independent", "BOOK"),
      tries = c(errors = "independent")
    ),
    parts = list(autocorrelation = part("distribution", 20, usual = FALSE)),
    cases = quote(list(
      whole = measure_autocorrelation(x, lags = c(1, 3)),
      independent = measure_autocorrelation(as_returns(x, "log"), 2, errors = "independent"),
      of_book = measure_autocorrelation(book, 1:2)
    ))
  )
}

#' Autocorrelation
#'
#' How returns lean on those before them: at lag \eqn{k}
#' \deqn{\hat\rho_k = \frac{\sum_{t > k} (r_t - \bar r)(r_{t - k} - \bar r)}{\sum_t (r_t -
#' \bar r)^2}.}{rho_k = sum((r_t - m)(r_(t-k) - m)) / sum((r_t - m)^2).}
#'
#' The error is that of returns that do not lean, for `errors = "robust"` (White 1980; Diebold
#' 1986)
#' \deqn{\frac{\sqrt{\sum_{t > k} (r_t - \bar r)^2 (r_{t - k} - \bar r)^2}}{\sum_t (r_t -
#' \bar r)^2},}{sqrt(sum((r_t - m)^2 (r_(t-k) - m)^2)) / sum((r_t - m)^2),} which holds where
#' volatility clusters; for `"independent"` it is \eqn{\sqrt{(n - k) / (n (n + 2))}}{sqrt((n - k) /
#' (n (n + 2)))}, which on returns whose volatility clusters is too small.
#'
#' `box` tests all lags up to and with this one together, by the sum of \eqn{(\hat\rho_j /
#' s_j)^2}{(rho_j / s_j)^2} over them, \eqn{s_j}{s_j} the errors: with those of independent returns
#' the statistic of Ljung and Box (1978), with robust ones that of Lobato, Nankervis and Savin
#' (2001). It is compared with the chi-squared distribution of as many degrees of freedom.
#'
#' A security's returns are taken one after the other, as they are: over a gap, too.
#'
#' @param returns A returns table, a price table, whose simple returns are taken, or a book (as
#'   held then).
#' @param lags Whole numbers: how many returns before.
#' @param errors `"robust"` or `"independent"`, see below.
#' @return A table, a row for each security and lag: `security`, `from`, `to`, `n`, `lag`,
#'   `autocorrelation`, `autocorrelation_error`, `autocorrelation_p` (of this lag alone, two-sided,
#'   normal), `box` and `box_p`; `NA` of constant returns, and of fewer than four returns a lag.
#' @eval columns_in_docs("autocorrelation")
#' @section Errors: `imbroglio_error_argument` for lags that are no whole numbers above 0; those of
#'   [as_returns()].
#' @references
#' Diebold, F. X. (1986), Testing for serial correlation in the presence of ARCH, *Proceedings of
#' the Business and Economic Statistics Section*, American Statistical Association, 323-328.
#'
#' Ljung, G. M. and Box, G. E. P. (1978), On a measure of lack of fit in time series models,
#' *Biometrika* 65, 297-303.
#'
#' Lobato, I. N., Nankervis, J. C. and Savin, N. E. (2001), Testing for autocorrelation using a
#' modified Box-Pierce Q test, *International Economic Review* 42, 187-205.
#' @eval concepts_in_docs("measure_autocorrelation")
#' @family measures of returns
#' @examples
#' returns <- as_returns(read_prices(demo_file("bay.csv")))
#' found <- measure_autocorrelation(returns[, c("TARROW", "BAYALL")], lags = c(1, 5))
#' in_words(found)
#' @export
measure_autocorrelation <- function(returns, lags = 1:5, errors = c("robust", "independent")) {
  if (is_drawn(returns)) return(over_drawings())
  if (is_opened(returns)) return(over_blocks())
  returns <- take_returns(returns, profits = TRUE)
  lags <- check_lags(lags)
  errors <- one_of(errors, "errors", c("robust", "independent"))
  sample <- sample_of(returns$dates, returns$values)
  up_to <- seq_len(max(lags))
  found <- core_autocorrelations(returns$values, up_to)
  dim(found) <- c(length(up_to), 2L, ncol(returns$values))
  rho <- matrix(found[, 1L, ], length(up_to))
  # Four returns a lag, at least.
  rho[outer(up_to, sample$n, function(k, n) n < 4L * k)] <- NA
  error <- if (errors == "robust") {
    matrix(found[, 2L, ], length(up_to))
  } else {
    outer(up_to, sample$n, function(k, n) sqrt(pmax(n - k, 0) / (n * (n + 2))))
  }
  error[is.na(rho)] <- NA
  box <- matrix(apply((rho / error)^2, 2L, cumsum), length(up_to))
  each <- function(x) rep(x, each = length(lags))
  of_lags <- function(x) as.vector(x[lags, , drop = FALSE])
  new_result(
    list(
      security = each(colnames(returns$values)),
      from = each(sample$from),
      to = each(sample$to),
      n = each(sample$n),
      lag = rep(lags, ncol(returns$values)),
      autocorrelation = of_lags(rho),
      autocorrelation_error = of_lags(error),
      autocorrelation_p = 2 * stats::pnorm(-abs(of_lags(rho / error))),
      box = of_lags(box),
      box_p = stats::pchisq(of_lags(box), lags, lower.tail = FALSE)
    ),
    "autocorrelation",
    returns_basis_later(returns, sample, choices = c(lags = some(lags, 20L), errors = errors)),
    returns
  )
}

check_lags <- function(lags) {
  whole <- is.numeric(lags) && length(lags) && all(is.finite(lags)) && all(lags == round(lags))
  if (!whole || any(lags < 1) || any(lags > 1000)) {
    fail(
      "argument", sprintf("`lags` must be whole numbers from 1 to 1000, not %s.", shown(lags))
    )
  }
  sort(unique(as.integer(lags)))
}
