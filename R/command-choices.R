# The command that tells how much hangs on the choices.

run_choices <- function(files, options) {
  taken <- options
  taken[c("every", "last")] <- list(NULL)
  x <- input_returns(input_prices(files, taken, "choices"), taken, "choices")
  measure <- options$measure %||% "var"
  check_choice(measure, "--measure", names(explained_measures()))
  refuse_idle_choices(options, measure)
  chosen <- c(
    choices_of_line(options, measure, x), Filter(Negate(is.null), options[c("every", "last")])
  )
  hand_over_measured(vary_choices(
    x, measure, choices = chosen, over = varied_of_line(options$vary),
    benchmark = options$benchmark
  ), options)
}

# Choices and their values, as in the help.
varied_of_line <- function(text) {
  if (is.null(text)) return(NULL)
  parts <- strsplit(strsplit(text, ",", fixed = TRUE)[[1L]], "=", fixed = TRUE)
  if (any(lengths(parts) != 2L)) {
    fail(
      "argument", "--vary is choices and their values.", where = sprintf("It is %s.", shown(text)),
      remedy = "Such as every=day|week|month,last=1 year|all."
    )
  }
  values <- lapply(parts, function(part) trimws(strsplit(part[2L], "|", fixed = TRUE)[[1L]]))
  stats::setNames(values, gsub("-", "_", trimws(vapply(parts, `[[`, "", 1L)), fixed = TRUE))
}
