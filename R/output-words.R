#' Read a result in words
#'
#' One plain sentence for each row of a result (for a rolling one, for each security and
#' window), with the
#' number, its unit and what it means.
#'
#' @param result The result of a `measure_*()` function.
#' @return A character vector.
#' @examples
#' returns <- as_returns(read_prices(demo_file("bay.csv")))
#' in_words(measure_var(returns[, "BAYALL"], level = c(0.95, 0.99), value = 1e6))
#' @export
in_words <- function(result) with_reading(words_of(result), basis(result)$book)

words_of <- function(result) UseMethod("words_of")

# Where a book is named first in a sentence, which reading of it is meant.
with_reading <- function(said, book) {
  if (is.null(book$name)) return(said)
  at <- regexpr(
    sprintf("(?<![[:alnum:]])\\Q%s\\E(?![[:alnum:]])", gsub("\\E", "", book$name, fixed = TRUE)),
    said,
    perl = TRUE
  )
  untold <- at > 0L & !grepl(book$held, said, fixed = TRUE)
  ends <- at + attr(at, "match.length")
  after <- substring(said, ends)
  comma <- ifelse(grepl("^[[:punct:]]", after), "", ",")
  said[untold] <- paste0(substr(said, 1L, ends - 1L), ", ", book$held, comma, after)[untold]
  said
}

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
  plain <- is.null(result[["method"]]) | result[["method"]] == "deviation"
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
  none <- is.na(result$volatility)
  said[none] <- sprintf(
    "%s: %s has no %s.",
    result$security,
    count(result$n, "return"),
    ifelse(plain, "standard deviation", paste("volatility by", result[["method"]]))
  )[none]
  said
}

#' @export
words_of.imbroglio_volatility_series <- function(result) rolling_in_words(result)

#' @export
words_of.imbroglio_garch <- function(result) {
  said <- sprintf(
    "%s: volatility %s a year now, %s in the long run; half of a shock is gone after %s.",
    result$security,
    percent(result$volatility_annual, 1L),
    percent(result$long_run_annual, 1L),
    count(signif(result$half_life, 2L), every_by_row(result))
  )
  said[!result$converged] <- sprintf(
    "%s: the fit did not converge, or ran into a bound.",
    result$security[!result$converged]
  )
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
  said <- paste0(said, ifelse(tested, p, ""), ".")
  said[!result$converged] <- sprintf(
    "%s, %s: the fit did not converge.",
    result$security,
    result$family
  )[!result$converged]
  said
}

# The first family, and which are not rejected; of several securities how often.
fit_headline <- function(result) {
  fits <- as.data.frame(result)
  by <- basis(result)$choices[["ranked by"]]
  first <- fits[fits[[paste0(by, "_rank")]] %in% 1L, ]
  if (!nrow(first)) return("No fit converged.")
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
  lost <- securities - length(unique(kept$security))
  sprintf(
    "By %s %s is first for %s of %s securities%s.",
    ranking,
    names(often)[1L],
    often[[1L]],
    count(securities),
    if (!tested) {
      ""
    } else if (lost) {
      sprintf("; for %s all families are rejected", count(lost))
    } else {
      "; each has a family that is not rejected"
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
      "%s was %s %s by %s a year%s, with a tracking error of %s a year: information ",
      "ratio %s; ahead in %s of %ss."
    ),
    result$security,
    ifelse(result$active_return_annual < 0, "behind", "ahead of"),
    result$benchmark,
    points(abs(result$active_return_annual)),
    in_log_returns(result),
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

# How rolling results, and results of several securities, are read: the column, how a
# number of it is written, what it is, and the words for most and least of it.
readings <- function(result) {
  a_year <- function(x) writer_of(result)(x, 1L)
  plain <- unit_text$number
  against <- function() paste("against", some(unique(result$benchmark)))
  switch(
    attr(result, "measure"),
    return = list(
      column = "return_annual",
      write = a_year,
      is = " a year",
      most = if (identical(basis(result)$kind, "profit")) "earned most" else "returned most",
      least = "least",
      of = " a year"
    ),
    volatility = ,
    volatility_series = ,
    garch = list(
      column = "volatility_annual",
      write = a_year,
      is = " a year",
      most = "moves most",
      least = "least",
      of = " a year"
    ),
    beta = list(
      column = "beta",
      write = plain,
      is = paste(" beta", against()),
      most = "has the highest beta",
      least = "the lowest",
      of = paste("", against())
    ),
    tracking = list(
      column = "tracking_error_annual",
      write = a_year,
      is = " tracking error a year",
      most = "strays furthest",
      least = "least",
      of = paste(" a year from", some(unique(result$benchmark)))
    ),
    drawdown = list(
      column = "max_drawdown",
      write = function(x) a_year(-x),
      is = " below its high",
      most = "fell deepest",
      least = "least",
      of = " below its high",
      falling = TRUE
    ),
    correlation = list(
      column = "correlation",
      write = plain,
      is = " correlation",
      most = "move most alike",
      least = "least",
      of = ""
    ),
    summary = list(column = "sharpe_annual", write = function(x) {
      paste("Sharpe ratio", unit_text$two(x))
    }, is = "", most = "earned most for its risk", least = "least", of = " a year")
  )
}

series_keys <- function(table) {
  intersect(c("security", "benchmark", "window", "method"), names(table))
}

rolling_in_words <- function(result) {
  table <- as.data.frame(result)
  reading <- readings(result)
  table$period <- adverb_of(every_by_row(result))
  key <- do.call(paste, c(unname(as.list(table[series_keys(table)])), sep = "\r"))
  parts <- split(table, factor(key, unique(key)))
  unname(vapply(parts, function(part) {
    how <- c(
      if (!is.null(part$window)) {
        sprintf(
          "over %s %s %s",
          count(part$window[1L]),
          part$period[1L],
          if (identical(basis(result)$kind, "profit")) "profits" else "returns"
        )
      },
      if (!is.null(part$method)) sprintf("by %s", part$method[1L])
    )
    what <- paste(c(part$security[1L], how), collapse = ", ")
    part <- part[!is.na(part[[reading$column]]), ]
    if (!nrow(part)) return(sprintf("%s: never as many returns.", what))
    value <- part[[reading$column]]
    size <- if (isTRUE(reading$falling)) -value else value
    sprintf(
      "%s: %s%s on %s; highest %s on %s, lowest %s on %s.",
      what,
      reading$write(value[length(value)]),
      reading$is,
      part$to[length(value)],
      reading$write(value[which.max(size)]),
      part$to[which.max(size)],
      reading$write(value[which.min(size)]),
      part$to[which.min(size)]
    )
  }, ""))
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

# One line that says the finding: the title of a figure, the first line of a text.
headline <- function(result) with_reading(headline_of(result), basis(result)$book)

headline_of <- function(result) {
  if (nrow(result) == 0L) return("There is nothing to show.")
  own <- list(
    fit = fit_headline,
    var = var_headline,
    split = split_headline,
    tail = thresholds_headline,
    backtest = backtest_headline
  )
  own <- own[[attr(result, "measure")]]
  if (!is.null(own)) return(own(result))
  said <- words_of(result)
  if (length(said) == 1L) return(said)
  reading <- readings(result)
  if (is.null(reading)) return(said[1L])
  # The last row of a rolling security and window is where it stands now.
  table <- as.data.frame(result)
  rolling <- !is.null(table$window) || attr(result, "measure") == "volatility_series"
  table <- table[!is.na(table[[reading$column]]), ]
  if (!nrow(table)) {
    return(if (rolling) "No security has as many returns as the window." else said[1L])
  }
  if (rolling) table <- table[!duplicated(table[series_keys(table)], fromLast = TRUE), ]
  # Of several ways to measure the same securities, the first is named.
  for (key in c("method", "every", "span", "innovations")) {
    if (!is.null(table[[key]])) table <- table[table[[key]] == table[[key]][1L], ]
  }
  if (length(unique(table$security)) == 1L &&
      !identical(attr(result, "measure"), "correlation")) {
    return(said[1L])
  }
  if (!rolling) table <- table[!stands_on_little(table), ]
  size <- if (isTRUE(reading$falling)) -table[[reading$column]] else table[[reading$column]]
  most <- which.max(size)
  least <- which.min(size)
  name <- if (is.null(table$other)) table$security else paste(table$security, "and", table$other)
  now <- if (rolling) {
    sprintf(
      " now%s",
      if (is.null(table$window)) "" else sprintf(" over %s returns", count(table$window[most]))
    )
  } else {
    ""
  }
  sprintf(
    "%s %s%s (%s%s), %s %s (%s).",
    name[most],
    reading$most,
    now,
    reading$write(table[[reading$column]][most]),
    reading$of,
    name[least],
    reading$least,
    reading$write(table[[reading$column]][least])
  )
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
  last <- result$added_at[which.max(result$addition)]
  asked <- stats::na.omit(result$checked_at)
  sprintf(
    "%s, %s from %s to %s, %s restated; last changed %s UTC by addition %s (%s)%s.",
    count(nrow(result), "security", "securities"),
    count(sum(result$n), "price"),
    min(result$from),
    max(result$to),
    count(sum(result$restated)),
    unit_text$moment(last),
    max(result$addition),
    result$source[which.max(result$addition)],
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
  sprintf(
    "%s: %s new, %s restated.",
    count(nrow(result), "addition"),
    count(sum(result$new), "price"),
    count(sum(result$restated))
  )
}
