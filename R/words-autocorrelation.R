# Whether returns lean on those before them, in words.

#' @export
words_of.imbroglio_autocorrelation <- function(result) {
  every <- every_by_row(result)
  away <- result$autocorrelation_p < 0.05
  said <- sprintf(
    "%s: a return and the one %s before have a correlation of %s (error %s)%s; %s (p %s).",
    result$security,
    count(result$lag, every),
    unit_text$ratio(result$autocorrelation),
    unit_text$ratio(result$autocorrelation_error),
    ifelse(away, "", ", no more than chance"),
    ifelse(
      result$box_p < 0.05,
      "up to there returns lean on those before",
      "up to there none is found to lean on those before"
    ),
    unit_text$p(result$box_p)
  )
  none <- is.na(result$autocorrelation)
  said[none] <- sprintf(
    "%s has too few returns, or only one kind, for a correlation with the one %s before.",
    result$security, count(result$lag, every)
  )[none]
  said
}

# The lag by lag reading of one security; of several who leans most at the first.
#' @export
headline_of.imbroglio_autocorrelation <- function(result) {
  if (length(unique(result$security)) == 1L) {
    return(words_of(result)[nrow(result)])
  }
  # Of each security, all its lags together.
  whole <- result[!duplicated(result$security, fromLast = TRUE) & !is.na(result$box_p), ]
  if (!nrow(whole)) return(words_of(result)[1L])
  lean <- whole[whole$box_p < 0.05, ]
  every <- unique(every_by_row(whole))
  over <- paste("over", count(max(whole$lag), if (length(every) == 1L) every else "return"))
  if (!nrow(lean)) {
    return(sprintf(
      "None of %s leans on its own past %s by more than chance.",
      count(nrow(whole), "security", "securities"), over
    ))
  }
  first <- lean[which.min(lean$box_p), ]
  sprintf(
    "%s of %s %s on %s own past %s at 5 %%, which 5 in 100 do by chance; %s most plainly (p %s).",
    count(nrow(lean)), count(nrow(whole), "security", "securities"),
    if (nrow(lean) == 1L) "leans" else "lean", if (nrow(lean) == 1L) "its" else "their", over,
    first$security, unit_text$p(first$box_p)
  )
}
