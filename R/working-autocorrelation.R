# The working of an autocorrelation, and of the test of all lags up to it.

#' @export
working_of.imbroglio_autocorrelation <- function(result, row) {
  this <- row_of_result(result, row)
  sample <- rows_of_security(attr(result, "source"), this$security)
  lags <- as.numeric(seq_len(this$lag))
  robust <- basis(result)$choices[["errors"]] == "robust"
  squared <- lapply(lags, function(k) bquote((.(at_lag("rho", k)) / .(at_lag("error", k)))^2))
  list(
    rows = list(sample$rows),
    choices = list(),
    steps = c(
      sample$steps,
      list(
        step("n", quote(count(return)), "how many returns", "count"),
        step("deviation", quote(return - sum(return) / n), "how far from their mean"),
        step("squares", quote(sum(deviation^2)), "their squares, added up")
      ),
      unlist(lapply(lags, lag_steps, robust = robust), FALSE),
      list(
        step("autocorrelation", at_lag("rho", this$lag), "at this lag"),
        step("autocorrelation_error", at_lag("error", this$lag), "its error"),
        step(
          "autocorrelation_p",
          quote(2 * normal_below(0 - abs(autocorrelation / autocorrelation_error))),
          "how often chance is as far, by the normal distribution"
        ),
        step(
          "box", Reduce(function(x, y) bquote(.(x) + .(y)), squared),
          "all lags up to this one, in their errors, squared", "statistic"
        ),
        step(
          "box_p", bquote(chi_squared_beyond(box, .(as.numeric(this$lag)))),
          "how often chance is as far"
        )
      )
    ),
    main = "autocorrelation"
  )
}

at_lag <- function(name, k) as.name(paste0(name, "_", k))

# The correlation with the return so many before, and its error where none leans.
lag_steps <- function(k, robust) {
  both <- at_lag("both", k)
  by_products <- bquote(sqrt(sum(.(both)^2)) / squares)
  by_number <- bquote(sqrt((n - .(k)) / (n * (n + 2))))
  list(
    step(
      paste0("both_", k), bquote(deviation * before(deviation, .(k))),
      sprintf("times that %s before", count(k))
    ),
    step(paste0("rho_", k), bquote(sum(.(both)) / squares), "of their squares"),
    step(
      paste0("error_", k), if (robust) by_products else by_number, "its error where none leans",
      others = if (robust) {
        list("as of independent returns" = by_number)
      } else {
        list("as volatility clusters" = by_products)
      }
    )
  )
}
