# Sentences of the measures of falls, and of what was earned for them.

#' @export
words_of.imbroglio_downside <- function(result) {
  if (!is.null(result[["window"]])) return(rolling_in_words(result))
  writer <- function(x) writer_of(result)(x, 1L)
  profits <- identical(basis(result)$kind, "profit")
  every <- every_by_row(result)
  said <- sprintf(
    paste0(
      "%s strays below its mean by %s a year, and below %s a year by %s; a %s that fell lost %s, ",
      "one that rose made %s, and %s%s."
    ),
    result$security,
    writer(result$semi_deviation_annual),
    writer(basis(result)$exact$target),
    writer(result$downside_deviation_annual),
    every,
    writer_of(result)(-result$average_loss),
    writer_of(result)(result$average_gain),
    sprintf("%s in a row fell", result$longest_fall),
    ifelse(
      is.na(result$fall_to),
      "",
      sprintf(" (to %s)", result$fall_to)
    )
  )
  none <- is.na(result$semi_deviation)
  said[none] <- sprintf(
    "%s has no %s to measure.", result$security, if (profits) "profit" else "return"
  )[none]
  said
}

#' @export
words_of.imbroglio_ratios <- function(result) {
  if (!is.null(result[["window"]])) return(rolling_in_words(result))
  with_error <- function(value, error) {
    ifelse(
      is.na(error),
      unit_text$two(value),
      sprintf("%s (error %s)", unit_text$two(value), unit_text$two(error))
    )
  }
  sprintf(
    "%s: Sortino ratio %s a year, Omega %s, Calmar %s, Sterling %s, gain to pain %s.",
    result$security,
    with_error(result$sortino_annual, result$sortino_annual_error),
    with_error(result$omega_ratio, result$omega_error),
    with_error(result$calmar, result$calmar_error),
    with_error(result$sterling, result$sterling_error),
    with_error(result$gain_to_pain, result$gain_to_pain_error)
  )
}

#' @export
words_of.imbroglio_capture <- function(result) {
  if (!is.null(result[["window"]])) return(rolling_in_words(result))
  said <- sprintf(
    "%s took %s of the rises of %s and %s of its falls, and did better in %s of %ss.",
    result$security,
    percent(result$up_capture, 0L),
    result$benchmark,
    percent(result$down_capture, 0L),
    percent(result$ahead, 0L),
    every_by_row(result)
  )
  none <- is.na(result$up_capture) & is.na(result$down_capture)
  said[none] <- sprintf(
    "%s and %s have no returns together.", result$security, result$benchmark
  )[none]
  said
}
