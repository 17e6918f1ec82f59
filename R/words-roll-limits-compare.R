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
#' @export
headline_of.imbroglio_roll <- function(result) {
  said <- words_of(result)
  now <- grep("and is now.$", said)
  said[if (length(now)) now[1L] else 1L]
}

# What is limited, with the choices that tell it from others.
limit_title <- function(line) {
  title <- limit_measures()[[line$measure]]$title
  if (limit_measures()[[line$measure]]$in_time) {
    return(sprintf(
      "%s of %s at %s%s", title, line$horizon, unit_text$level(line$level),
      if (line$method == "historical") "" else sprintf(" by %s", line$method)
    ))
  }
  if (line$measure == "loss") {
    named <- sub("^([a-z].*)", "the \\1", line$period)
    return(sprintf("Loss of %s", sub("^1 ", "the last ", named)))
  }
  if (is.na(line$period)) title else sprintf("%s by %s returns", title, adverb_of(line$period))
}

#' @export
words_of.imbroglio_limits <- function(result) {
  table <- as.data.frame(result)
  known <- limit_measures()
  vapply(seq_len(nrow(table)), function(i) {
    line <- table[i, ]
    record <- known[[line$measure]]
    title <- limit_title(line)
    unit <- line[["unit"]] %||% NA
    writer <- unit_text[[record$unit]]
    if (!is.na(unit)) writer <- function(x) money(x, counted_in(unit))
    if (line$state == "unknown") {
      return(sprintf("%s. %s is not known: too few returns.", line$security, title))
    }
    if (line$state == "not measurable") {
      return(sprintf(
        "%s. %s is not measurable as of now: its numbers end on %s, at %s of a limit of %s.",
        line$security, title, line$to, writer(line$estimate), writer(line$limit)
      ))
    }
    said <- sprintf("%s. %s %s", line$security, title, writer(line$estimate))
    said <- paste0(said, switch(
      line$state,
      broken = sprintf(
        " is %s its limit of %s by %s%s",
        if (record$wrong == "above") "over" else "under",
        writer(line$limit),
        if (is.na(unit)) {
          difference_words(line$over, record$unit)
        } else {
          money(line$over, counted_in(unit))
        },
        since_words(line)
      ),
      near = sprintf(
        " is near its limit of %s (from %s)%s",
        writer(line$limit), writer(line$warn), since_words(line)
      ),
      sprintf(" is within its limit of %s", writer(line$limit))
    ))
    # Where it is told what broke it, it is told since when.
    if (!is.na(line$was) && line$was != line$state && is.na(line[["within_on"]] %||% NA)) {
      said <- paste0(said, sprintf("; it was %s before", line$was))
    }
    said <- paste0(said, came_of_words(line, writer))
    if (!is.na(line$trade)) {
      said <- paste0(said, sprintf("; %s: then %s", line$trade, writer(line$after)))
    }
    paste0(said, ".")
  }, "")
}

# Whether the market or a trade broke it.
came_of_words <- function(line, writer) {
  came <- line[["came_of"]] %||% NA
  if (is.na(came)) return("")
  if (came == "before the records") return("; it was so on each day that is recorded")
  if (came == "not known") {
    return(sprintf("; what broke it since %s is not known", line$within_on))
  }
  if (came %in% c("another limit", "restated prices")) {
    return(sprintf(
      "; it was within on %s, but with the prices and holdings of then it is beyond it: %s",
      line$within_on,
      if (came == "another limit") "the limit is another since" else "prices were restated since"
    ))
  }
  with_then <- sprintf(
    "with what was held on %s, when it was within, it would be %s", line$within_on,
    writer(line$untraded)
  )
  if (line$of_trades == 0) {
    return(sprintf(
      "; the market broke it: since %s, when it was within, no trade moved it", line$within_on
    ))
  }
  paste0("; ", switch(
    came,
    "the market" = sprintf("the market broke it: %s, broken too", with_then),
    trades = sprintf("trades broke it: %s", with_then),
    either = sprintf("the market broke it, and trades alone would have: %s", with_then),
    sprintf("the market and trades broke it together: %s", with_then)
  ))
}

# Of a limit that says only that it is in money the currency is not said.
counted_in <- function(unit) if (!unit %in% "money") unit

# Of what was recorded as within after that it is told what the date is of.
since_words <- function(line) {
  if (is.na(line$since)) return("")
  recorded <- line[["within_on"]] %||% NA
  if (is.na(recorded) || recorded < line$since) return(sprintf(" since %s", line$since))
  looks <- limit_measures()[[line$measure]]$looks
  held <- if (looks == "back") "as held then" else "what is held today"
  sprintf(" (%s since %s)", held, line$since)
}

# How many are broken, and the first of them.
#' @export
headline_of.imbroglio_limits <- function(result) {
  broken <- sum(result$state == "broken")
  near <- sum(result$state == "near")
  unknown <- sum(result$state %in% c("not measurable", "unknown"))
  verb <- function(n) if (n == 1L) "is" else "are"
  said <- sprintf(
    "%s of %s %s broken, %s %s near%s.",
    if (broken) count(broken) else "None",
    count(nrow(result), "limit"),
    verb(broken),
    if (near) count(near) else "none",
    verb(near),
    if (unknown) sprintf(", %s %s not to be known", count(unknown), verb(unknown)) else ""
  )
  if (!broken && !unknown) return(said)
  paste(said, words_of(result)[1L])
}

#' @export
words_of.imbroglio_compare <- function(result) {
  table <- as.data.frame(result)
  known <- rolling_measures()
  confidence <- basis(result)$exact$confidence
  vapply(seq_len(nrow(table)), function(i) {
    line <- table[i, ]
    record <- known[[line$measure]]
    writer <- unit_text[[record$unit]]
    apart <- function(x) difference_words(x, record$unit)
    chance <- if (is.na(line$p)) {
      sprintf("; whether it is more than chance cannot be said: %s", line$why)
    } else {
      sprintf(
        " (%s to %s), %s (p %s)",
        apart(line$difference_low),
        apart(line$difference_high),
        if (line$p <= 1 - confidence) "more than chance" else "which could be chance",
        unit_text$p(line$p)
      )
    }
    sprintf(
      "%s. %s %s%s, %s%s: a difference of %s%s.",
      line$security,
      record$title,
      writer(line$estimate),
      side_words(result, line, "a"),
      if (startsWith(line$other, "from ")) "" else sprintf("of %s ", line$other),
      paste0(writer(line$estimate_other), side_words(result, line, "b")),
      apart(line$difference),
      chance
    )
  }, "")
}

# Of one security in two periods, which is which.
side_words <- function(result, line, side) {
  pair <- attr(result, "pairs")[[paste(line$security, line$other)]]
  if (!startsWith(line$other, "from ") || is.null(pair)) return("")
  dates <- pair[[side]]$dates
  sprintf(" from %s to %s", dates[1L], dates[length(dates)])
}

# What is least likely chance, and of how many: where nothing differs, some do by chance.
#' @export
headline_of.imbroglio_compare <- function(result) {
  first <- which.min(result$p)
  said <- words_of(result)[if (length(first)) first else 1L]
  tested <- sum(!is.na(result$p))
  level <- 1 - basis(result)$exact$confidence
  if (tested < 2L) return(said)
  sprintf(
    "Of %s, %s more than chance (%s would be where nothing differs). %s",
    count(tested, "difference"),
    are(sum(result$p <= level, na.rm = TRUE)),
    format(round(tested * level, 1L)),
    said
  )
}

are <- function(n) sprintf("%s %s", if (n) count(n) else "none", if (n > 1L) "are" else "is")
