# Sentences of the measures of returns.

#' @export
words_of.imbroglio_return <- function(result) {
  if (!is.null(result[["window"]])) return(rolling_in_words(result))
  every <- every_by_row(result)
  writer <- writer_of(result)
  profits <- basis(result)$kind == "profit"
  said <- sprintf(
    paste0(
      "%s %s %s in all, %s a year; its best %s was %s (%s), its worst %s (%s); %s of ",
      "%ss %s."
    ),
    result$security,
    if (profits) "earned" else "returned",
    writer(result$total_return, 1L),
    writer(result$return_annual, 1L),
    every,
    writer(move_of(result$best, result)),
    result$best_date,
    writer(move_of(result$worst, result)),
    result$worst_date,
    percent(result$rising, 0L),
    every,
    if (profits) "made a profit" else "rose"
  )
  said[result$n == 0L] <- sprintf("%s has no return to measure.", result$security[result$n == 0L])
  said
}

#' @export
words_of.imbroglio_volatility <- function(result) {
  if (!is.null(result[["window"]])) return(rolling_in_words(result))
  kind <- basis(result)$kind
  what <- c(simple = "returns", log = "log returns", profit = "profits")[[kind]]
  every <- adverb_of(every_by_row(result))
  writer <- writer_of(result)
  plain <- is.null(result[["method"]]) | result[["method"]] == usual_method(measure_volatility)
  said <- ifelse(
    plain,
    sprintf(
      "%s: %s %s stray from their mean by %s (one standard deviation), %s a year.",
      result$security,
      every,
      what,
      writer(result$volatility),
      writer(result$volatility_annual, 1L)
    ),
    sprintf(
      "%s: volatility %s a %s, %s a year (%s).",
      result$security,
      writer(result$volatility),
      every_by_row(result),
      writer(result$volatility_annual, 1L),
      result[["method"]]
    )
  )
  state <- result[["state"]]
  if (!is.null(state)) said <- paste0(said, limit_sentence(result[["method"]], state))
  none <- is.na(result$volatility)
  said[none] <- sprintf(
    "%s: %s has no %s.",
    result$security,
    count(result$n, "return"),
    ifelse(plain, "standard deviation", paste("volatility by", result[["method"]]))
  )[none]
  failed <- has_failed(state %||% rep(NA_character_, length(said)))
  said[failed] <- sprintf(
    "%s has no volatility by %s: its fit %s.",
    result$security,
    result[["method"]],
    result[["state"]]
  )[failed]
  said
}

#' @export
words_of.imbroglio_volatility_series <- function(result) rolling_in_words(result)

#' @export
words_of.imbroglio_garch <- function(result) {
  goes_on <- ifelse(
    is.na(result$long_run_annual),
    "no level in the long run: of a shock nothing is ever lost",
    sprintf(
      "%s in the long run; half of a shock is gone after %s",
      percent(result$long_run_annual, 1L),
      count(signif(result$half_life, 2L), every_by_row(result))
    )
  )
  still <- result$garch_alpha %in% 0
  # It then begins at the sample's and goes where omega and beta take it.
  goes_on[still] <- ifelse(
    result$garch_beta %in% 0,
    "and no other before or after: no clustering was found",
    "where it came by itself, from the sample's on: no clustering was found"
  )[still]
  said <- sprintf(
    "%s: volatility %s a year now, %s.%s",
    result$security,
    percent(result$volatility_annual, 1L),
    goes_on,
    limit_sentence(paste("GARCH,", result$innovations), result$state)
  )
  failed <- has_failed(result$state)
  said[failed] <- sprintf("%s: the fit %s.", result$security, result$state)[failed]
  said
}

#' @export
words_of.imbroglio_garch_forecast <- function(result) {
  ends <- result[!duplicated(paste(result$security, result$innovations), fromLast = TRUE), ]
  sprintf(
    "%s: %s a year in %s, %s over all of them.",
    ends$security,
    percent(ends$volatility_annual, 1L),
    count(ends$horizon, every_by_row(ends)),
    percent(ends$volatility_over)
  )
}

#' @export
words_of.imbroglio_beta <- function(result) {
  if (!is.null(result[["window"]])) return(rolling_in_words(result))
  known <- !is.na(result$beta)
  how <- rep("", nrow(result))
  if (!is.null(result[["every"]])) how <- sprintf(", %s returns", adverb_of(result$every))
  if (!is.null(result[["span"]])) how <- sprintf("%s, last %s", how, result$span)
  moved <- sprintf(
    paste0(
      "When %s moves 1 %%, %s moves %s %% (%s to %s%s), and %s %% of its variance is ",
      "explained; alpha %s a year%s (p %s)."
    ),
    result$benchmark,
    result$security,
    unit_text$number(result$beta),
    unit_text$number(result$beta_low),
    unit_text$number(result$beta_high),
    how,
    round(100 * result$r_squared),
    percent(result$alpha_annual, 1L),
    in_log_returns(result),
    unit_text$p(result$alpha_p)
  )
  ifelse(
    known,
    moved,
    sprintf("%s and %s share too few returns for a line.", result$security, result$benchmark)
  )
}

#' @export
words_of.imbroglio_tracking <- function(result) {
  if (!is.null(result[["window"]])) return(rolling_in_words(result))
  sprintf(
    paste0(
      "%s was %s %s by %s a year%s%s, with a tracking error of %s a year: information ",
      "ratio %s; ahead in %s of %ss."
    ),
    result$security,
    ifelse(result$active_return_annual < 0, "behind", "ahead of"),
    result$benchmark,
    points(abs(result$active_return_annual)),
    in_log_returns(result),
    ifelse(
      is.na(result$active_annual_error),
      "",
      sprintf(" (error %s)", points(result$active_annual_error))
    ),
    percent(result$tracking_error_annual, 1L),
    unit_text$number(result$information_ratio),
    percent(result$ahead, 0L),
    every_by_row(result)
  )
}

# A difference of log returns is no move that it could be told as.
in_log_returns <- function(result) {
  if (identical(basis(result)$kind, "log")) " in log returns" else ""
}

#' @export
words_of.imbroglio_correlation <- function(result) {
  if (!is.null(result[["window"]])) return(rolling_in_words(result))
  sprintf(
    "%s and %s: correlation %s.",
    result$security,
    result$other,
    unit_text$number(result$correlation)
  )
}

#' @export
words_of.imbroglio_summary <- function(result) {
  sprintf(
    "%s: %s a year at a volatility of %s, at worst %s below its high.",
    result$security,
    percent(result$return_annual, 1L),
    percent(result$volatility_annual, 1L),
    percent(-result$max_drawdown, 1L)
  )
}

#' @export
words_of.imbroglio_drawdown <- function(result) {
  if (!is.null(result[["window"]])) return(rolling_in_words(result))
  depth <- result$max_drawdown
  writer <- readings(result)$write
  fell <- sprintf(
    "%s fell %s from its high%s to its low on %s, and %s.",
    result$security,
    writer(depth),
    ifelse(is.na(result$peak), " at the start", sprintf(" on %s", result$peak)),
    result$trough,
    ifelse(
      is.na(result$recovery),
      sprintf("was still below it on %s", result$to),
      sprintf("was back on %s", result$recovery)
    )
  )
  fell[depth %in% 0] <- sprintf(
    "%s never fell below an earlier %s.",
    result$security,
    if (basis(result)$kind == "profit") "sum" else "price"
  )[depth %in% 0]
  fell[is.na(depth)] <- sprintf("%s has no price to fall from.", result$security[is.na(depth)])
  fell
}

#' @export
words_of.imbroglio_drawdown_episodes <- function(result) {
  writer <- function(x) writer_of(result)(x, 1L)
  sprintf(
    "%s, number %s: %s in %s, %s.",
    result$security,
    result$rank,
    writer(-result$drawdown),
    ifelse(is.na(result$days_down), "a fall from the start", count(result$days_down, "day")),
    ifelse(
      is.na(result$recovery),
      "not yet made good",
      sprintf("made good after %s", count(result$days_to_recover, "day"))
    )
  )
}

#' @export
words_of.imbroglio_currency <- function(result) {
  sprintf(
    paste0(
      "%s returned %s in %s, which itself returned %s: %s in %s; its volatility is %s a year, ",
      "in its own currency %s."
    ),
    result$security,
    percent(result$local_return, 1L),
    result$currency,
    percent(result$rate_return, 1L),
    percent(result$total_return, 1L),
    result$base,
    percent(result$volatility_annual, 1L),
    percent(result$local_volatility_annual, 1L)
  )
}
