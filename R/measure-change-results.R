# Two results of one measure: what each was measured of, and by which choices, are the sides.

measures_of_results <- c(
  var = "var", volatility = "volatility", drawdown = "drawdown", beta = "beta",
  tracking = "tracking_error"
)

change_of_results <- function(before, after, measure) {
  if (!inherits(before, "imbroglio_result") || !inherits(after, "imbroglio_result")) {
    fail("argument", "A result is compared with a result.")
  }
  of <- c(attr(before, "measure"), attr(after, "measure"))
  if (of[1L] != of[2L] || !of[1L] %in% names(measures_of_results)) {
    fail(
      "argument", "Two results of one measure are wanted.",
      where = sprintf("These are of %s and %s.", of[1L], of[2L]),
      remedy = sprintf("It knows those of %s.", some(names(measures_of_results)))
    )
  }
  measure <- measure %||% measures_of_results[[of[1L]]]
  benchmark <- unique(c(before[["benchmark"]], after[["benchmark"]]))
  if (length(benchmark) > 1L) {
    fail("argument", "The two are measured against different benchmarks.")
  }
  found <- explain_change(
    measured_of_result(before), measured_of_result(after), measure = measure,
    choices = choices_of_result(after, measure),
    choices_before = choices_of_result(before, measure), benchmark = benchmark
  )
  column <- explained_measures()[[measure]]$number
  for (side in list(list(before, "number_before"), list(after, "number_after"))) {
    result <- side[[1L]]
    apart <- result[[column]] - found[[side[[2L]]]][match(result$security, found$security)]
    if (any(abs(apart) > 1e-9 * pmax(1e-3, abs(result[[column]])), na.rm = TRUE)) {
      fail(
        "argument", "One of them was measured with choices that it does not keep.",
        remedy = "Give the tables or books that they were measured of, and the choices."
      )
    }
  }
  found
}

# A table, or the book as it is held today.
measured_of_result <- function(result) {
  if (!is.null(result[["window"]])) {
    fail("argument", "A rolling result has no one number.")
  }
  source <- attr(result, "source")
  if (!is.null(source$today$book)) return(source$today$book)
  if (!is.null(source$book)) {
    fail(
      "argument", "One of them is of a book as it was held then.",
      remedy = "Give the two books: their change is of what is held on either side."
    )
  }
  source
}

choices_of_result <- function(result, measure) {
  exact <- basis(result)$exact
  columns <- intersect(c("level", "horizon", "method"), names(result))
  taken <- c(
    lapply(as.data.frame(result)[columns], unique),
    exact[intersect(c("per_year", "decay", "rank"), names(exact))]
  )
  taken <- Filter(Negate(is.null), taken)
  taken[intersect(names(taken), names(formals(explained_measures()[[measure]]$measure)))]
}
