# Sentences of measures through time, and of limits.

#' @export
words_of.imbroglio_roll <- function(result) {
  table <- as.data.frame(result)
  known <- rolling_measures()
  every <- every_by_row(result)
  key <- do.call(paste, c(unname(as.list(table[series_keys(table)])), sep = "\r"))
  parts <- split(seq_along(key), factor(key, unique(key)))
  unname(vapply(parts, function(rows) {
    part <- table[rows, ]
    record <- known[[part$measure[1L]]]
    beside <- part[["benchmark"]][1L]
    what <- sprintf(
      "%s. %s%s over %s %s returns",
      part$security[1L],
      record$title,
      if (length(beside) && !is.na(beside)) paste(" with", beside) else "",
      count(part$window[1L]),
      adverb_of(every[rows[1L]])
    )
    part <- part[!is.na(part$estimate), ]
    if (!nrow(part)) return(sprintf("%s: never as many returns.", what))
    writer <- unit_text[[record$unit]]
    size <- part$estimate
    said <- sprintf(
      "%s: %s on %s; highest %s on %s, lowest %s on %s",
      what,
      writer(size[length(size)]),
      part$to[length(size)],
      writer(max(size)),
      part$to[which.max(size)],
      writer(min(size)),
      part$to[which.min(size)]
    )
    paste0(said, limit_words(part, writer))
  }, ""))
}

# When a limit was first broken, and where it stands now.
limit_words <- function(part, writer) {
  limit <- part[["limit"]][1L]
  if (is.null(limit) || is.na(limit)) return(".")
  broken <- which(part$broken)
  if (!length(broken)) return(sprintf("; its limit of %s was never broken.", writer(limit)))
  sprintf(
    "; its limit of %s was first broken on %s, on %s of %s days%s.",
    writer(limit),
    part$to[broken[1L]],
    count(length(broken)),
    count(nrow(part)),
    if (part$broken[nrow(part)]) ", and is now" else ""
  )
}

# A limit that is broken now is what matters, then the first.
roll_headline <- function(result) {
  said <- words_of(result)
  now <- grep("and is now.$", said)
  said[if (length(now)) now[1L] else 1L]
}
