# Sentences of fits.

#' @export
words_of.imbroglio_fit <- function(result) {
  at <- unit_text$number(100 * result$ks)
  tested <- !is.na(result$ks_p)
  said <- sprintf(
    paste0(
      "%s, %s: the fitted distribution function is at most %s points of a hundred from ",
      "the observed one; the 1 %% quantile is %s, the observed one %s"
    ),
    result$security,
    result$family,
    at,
    percent(move_of(result$quantile_1, result)),
    percent(move_of(result$observed_1, result))
  )
  p <- sprintf(
    "; %s (Kolmogorov-Smirnov p %s, not the textbook's %s)",
    result$verdict,
    unit_text$p(result$ks_p),
    unit_text$p(result$ks_p_textbook)
  )
  said <- paste0(said, ifelse(tested, p, ""), ".", limit_sentence(result$family, result$state))
  said[!result$converged] <- sprintf(
    "%s, %s: the fit %s.",
    result$security,
    result$family,
    result$state
  )[!result$converged]
  said
}

# The first family, and which are not rejected; of several securities how often.
#' @export
headline_of.imbroglio_fit <- function(result) {
  fits <- as.data.frame(result)
  by <- basis(result)$choices[["ranked by"]]
  first <- fits[fits[[paste0(by, "_rank")]] %in% 1L, ]
  if (!nrow(first)) return("All fits failed.")
  ranking <- c(aic = "AIC", bic = "BIC", tail = "the lower tail")[[by]]
  kept <- fits[startsWith(fits$verdict, "not rejected"), ]
  tested <- any(!is.na(fits$ks_p))
  if (length(unique(fits$security)) == 1L) {
    families <- unique(fits$family)
    verdict <- if (!tested) {
      ""
    } else if (nrow(kept)) {
      sprintf("; not rejected: %s", some(kept$family, 9L))
    } else {
      "; all are rejected"
    }
    return(sprintf(
      "%s: %s is first of %s by %s%s.",
      first$security[1L],
      first$family[1L],
      count(length(families), "family", "families"),
      ranking,
      verdict
    ))
  }
  often <- sort(table(first$family), decreasing = TRUE)
  securities <- length(unique(fits$security))
  unfit <- securities - length(unique(fits$security[fits$converged]))
  lost <- securities - unfit - length(unique(kept$security))
  sprintf(
    "By %s %s is first for %s of %s securities%s%s.",
    ranking,
    names(often)[1L],
    often[[1L]],
    count(securities),
    if (unfit) sprintf("; for %s none could be fitted", count(unfit)) else "",
    if (!tested) {
      ""
    } else if (lost) {
      sprintf("; for %s all families are rejected", count(lost))
    } else {
      paste0("; each", if (unfit) " of the others", " has a family that is not rejected")
    }
  )
}

#' @export
words_of.imbroglio_fit_quantiles <- function(result) {
  every <- every_by_row(result)
  centre <- ifelse(
    is.infinite(result$es),
    "the mean of such losses is infinite",
    sprintf("such returns lose %s on average", percent(result$es))
  )
  sprintf(
    "%s, by %s: %s, expect to lose more than %s; %s.",
    result$security,
    result$family,
    one_in(result$level, every, paste0(every, "s")),
    percent(result$var),
    centre
  )
}
