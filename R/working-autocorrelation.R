# The working of an autocorrelation, and of the test of all lags up to it.

#' @export
working_of.imbroglio_autocorrelation <- function(result, row) {
  this <- row_of_result(result, row)
  sample <- rows_of_security(attr(result, "source"), this$security)
  robust <- basis(result)$choices[["errors"]] == "robust"
  at <- function(name, k) as.name(paste0(name, "_", k))
  product <- function(k) bquote(deviation * before(deviation, .(k)))
  of_lag <- function(k) {
    list(
      step(
        paste0("rho_", k), bquote(sum(.(product(k))) / squares),
        sprintf("with the return %s before", count(k)), "number"
      ),
      step(
        paste0("error_", k),
        if (robust) {
          bquote(sqrt(sum((.(product(k)))^2)) / squares)
        } else {
          bquote(sqrt((n - .(k)) / (n * (n + 2))))
        },
        "its error where none leans", "number",
        others = if (robust) {
          list("as of independent returns" = bquote(sqrt((n - .(k)) / (n * (n + 2)))))
        } else {
          list("robust" = bquote(sqrt(sum((.(product(k)))^2)) / squares))
        }
      )
    )
  }
  lags <- as.numeric(seq_len(this$lag))
  added <- Reduce(
    function(sum, term) bquote(.(sum) + .(term)),
    lapply(lags, function(k) bquote((.(at("rho", k)) / .(at("error", k)))^2))
  )
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
      unlist(lapply(lags, of_lag), FALSE),
      list(
        step("autocorrelation", at("rho", this$lag), "at this lag", "number"),
        step("autocorrelation_error", at("error", this$lag), "its error", "number"),
        step(
          "autocorrelation_p",
          quote(2 * normal_below(0 - abs(autocorrelation / autocorrelation_error))),
          "how often chance is as far, by the normal distribution", "number"
        ),
        step("box", added, "all lags up to this one, in their errors, squared", "statistic"),
        step(
          "box_p", bquote(chi_squared_beyond(box, .(as.numeric(this$lag)))),
          "how often chance is as far", "number"
        )
      )
    ),
    main = "autocorrelation"
  )
}
