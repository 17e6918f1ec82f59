# Sentences about prices: what is wrong with them, what was fetched, what a store holds.

#' @export
words_of.imbroglio_findings <- function(result) {
  if (!nrow(result)) return("Nothing is wrong with these prices that can be seen from them.")
  n <- table(factor(result$severity, c("error", "warning", "note")))
  said <- sprintf(
    "There are %s, %s and %s.",
    count(n[["error"]], "error"),
    count(n[["warning"]], "warning"),
    count(n[["note"]], "note")
  )
  can <- sum(result$remedy != "none")
  if (can) said <- paste(said, sprintf("%s of them can be put right.", count(can)))
  said
}

#' @export
words_of.imbroglio_fetch <- function(result) {
  failed <- sum(result$outcome == "failed")
  counts <- if (!is.null(result[["new"]])) {
    sprintf("%s new, %s restated", count(sum(result$new), "price"), count(sum(result$restated)))
  } else {
    count(sum(result$rows), "row")
  }
  sprintf(
    "%s of %s: %s%s%s.",
    count(nrow(result) - failed),
    count(nrow(result), "security", "securities"),
    counts,
    if (any(result$left_out > 0L)) sprintf(", %s left out", count(sum(result$left_out))) else "",
    if (failed) {
      sprintf(
        ", %s failed (%s)",
        count(failed),
        some(result$security[result$outcome == "failed"])
      )
    } else {
      ""
    }
  )
}

#' @export
words_of.imbroglio_contents <- function(result) {
  if (!nrow(result)) return("It holds no prices yet.")
  newest <- which.max(result$addition)
  changed <- attr(result, "changed") %||% list(
    added_at = result$added_at[newest], addition = result$addition[newest], kind = NA,
    source = result$source[newest]
  )
  asked <- stats::na.omit(result$checked_at)
  sprintf(
    "%s, %s from %s to %s, %s restated; last changed %s UTC by %s %s (%s)%s.",
    count(nrow(result), "security", "securities"),
    count(sum(result$n), "price"),
    min(result$from),
    max(result$to),
    count(sum(result$restated)),
    unit_text$moment(changed$added_at),
    if (changed$kind %in% c(NA, "addition")) "addition" else "correction",
    changed$addition,
    changed$source,
    if (length(asked)) {
      sprintf("; a feed was last asked %s UTC", unit_text$moment(max(asked)))
    } else {
      ""
    }
  )
}

#' @export
words_of.imbroglio_restatements <- function(result) {
  if (!nrow(result)) return("Nothing was restated.")
  sprintf(
    "%s restated, of %s, in %s.",
    count(nrow(result), "value"),
    some(unique(result$security)),
    count(length(unique(result$addition)), "addition")
  )
}

#' @export
words_of.imbroglio_verification <- function(result) {
  wrong <- sum(!result$sound)
  if (!wrong) return(sprintf("All as written: %s tested.", count(nrow(result), "checksum")))
  sprintf(
    "Damaged: %s of %s %s not as written. Go back to a copy, or fetch again.",
    count(wrong),
    count(nrow(result), "part"),
    if (wrong == 1L) "is" else "are"
  )
}

#' @export
words_of.imbroglio_additions <- function(result) {
  if (!nrow(result)) return("Nothing was added yet.")
  corrected <- sum(result$entry != "addition")
  sprintf(
    "%s%s: %s new, %s restated.",
    count(nrow(result) - corrected, "addition"),
    if (corrected) paste(" and", count(corrected, "correction")) else "",
    count(sum(result$new), "price"),
    count(sum(result$restated))
  )
}

#' @export
words_of.imbroglio_arrival <- function(result) attr(result, "says")
