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
in_words <- function(result) UseMethod("in_words")

#' @export
in_words.imbroglio_volatility <- function(result) {
  every <- frequencies[[basis(result)$every]]$adverb
  if (!is.null(result[["window"]])) return(rolling_in_words(result, every))
  known <- !is.na(result$volatility)
  ifelse(
    known,
    sprintf("%s: %s returns stray from their mean by %s (one standard deviation), %s a year.",
            result$security, every, percent(result$volatility), percent(result$volatility_annual, 1L)),
    sprintf("%s: %s has no standard deviation.", result$security, count(result$n, "return"))
  )
}

rolling_in_words <- function(result, every) {
  table <- as.data.frame(result)
  parts <- split(table, list(table$window, factor(table$security, unique(table$security))), drop = TRUE)
  unname(vapply(parts, function(part) {
    what <- sprintf("%s, over %s %s returns", part$security[1L], count(part$window[1L]), every)
    part <- part[!is.na(part$volatility), ]
    if (!nrow(part)) return(sprintf("%s: never as many returns.", what))
    annual <- part$volatility_annual
    sprintf("%s: %s a year on %s; highest %s on %s, lowest %s on %s.", what,
            percent(annual[length(annual)], 1L), part$to[length(annual)],
            percent(max(annual), 1L), part$to[which.max(annual)], percent(min(annual), 1L),
            part$to[which.min(annual)])
  }, ""))
}

#' @export
in_words.imbroglio_drawdown <- function(result) {
  depth <- result$max_drawdown
  fell <- sprintf(
    "%s fell %s from its high%s to its low on %s, and %s.",
    result$security, percent(-depth, 1L),
    ifelse(is.na(result$peak), " at the start", sprintf(" on %s", result$peak)), result$trough,
    ifelse(is.na(result$recovery), sprintf("was still below it on %s", result$to),
           sprintf("was back on %s", result$recovery))
  )
  fell[depth %in% 0] <- sprintf("%s never fell below an earlier price.", result$security[depth %in% 0])
  fell[is.na(depth)] <- sprintf("%s has no price to fall from.", result$security[is.na(depth)])
  fell
}

#' @export
in_words.imbroglio_var <- function(result) {
  period <- period_name(basis(result)$every, result$horizon)
  said <- sprintf("%s, expect to %s than %s with %s; such returns lose %s on average.",
                  sentence_case(one_in(result$level, period$one, period$many)),
                  ifelse(result$var < 0, "gain less", "lose more"), percent(abs(result$var)), result$security,
                  percent(result$es))
  if (!is.null(result[["var_value"]])) {
    said <- sub("\\.$", "", said)
    said <- sprintf("%s. In money: %s, and %s.", said, money(result$var_value), money(result$es_value))
  }
  if (length(unique(result$rank)) > 1L) said <- sprintf("Rank %s: %s", result$rank, said)
  said[is.na(result$var)] <- sprintf("%s has no return to measure.", result$security[is.na(result$var)])
  said
}

#' @export
in_words.imbroglio_findings <- function(result) {
  if (!nrow(result)) return("Nothing is wrong with these prices that can be seen from them.")
  n <- table(factor(result$severity, c("error", "warning", "note")))
  said <- sprintf("There are %s, %s and %s.", count(n[["error"]], "error"), count(n[["warning"]], "warning"),
                  count(n[["note"]], "note"))
  can <- sum(result$remedy != "none")
  if (can) said <- paste(said, sprintf("%s of them can be put right.", count(can)))
  said
}

period_name <- function(every, horizon) {
  list(one = ifelse(horizon == 1L, every, sprintf("%s-%s period", count(horizon), every)),
       many = ifelse(horizon == 1L, paste0(every, "s"), sprintf("%s-%s periods", count(horizon), every)))
}

# "one day in 100", or "in 2.3 % of days" where one in so many is not a whole number
one_in <- function(level, one, many) {
  out_of <- 1 / (1 - level)
  whole <- abs(out_of - round(out_of)) < 1e-6 * out_of
  ifelse(whole, sprintf("one %s in %s", one, count(round(out_of))),
         sprintf("in %s of %s", unit_text$level(1 - level), many))
}

# One line that says the finding: the title of a figure, the first line of a text.
headline <- function(result) {
  said <- in_words(result)
  if (length(said) == 1L) return(said)
  # The last row of a rolling security and window is where it stands now.
  table <- as.data.frame(result)
  if (!is.null(table$window)) {
    table <- table[!is.na(table$volatility), ]
    if (!nrow(table)) return("No security has as many returns as the window.")
    table <- table[!duplicated(table[c("security", "window")], fromLast = TRUE), ]
  }
  if (!is.null(table$level)) table <- table[table$level == max(table$level) & table$rank == table$rank[1L], ]
  size <- switch(attr(result, "measure"), volatility = table$volatility_annual, drawdown = -table$max_drawdown,
                 var = table$var)
  most <- which.max(size)
  least <- which.min(size)
  if (!length(most)) return(said[1L])
  words <- switch(attr(result, "measure"),
                  volatility = if (is.null(table$window)) c("moves most", "least", " a year")
                               else c("moves most now", "least",
                                      sprintf(" a year over %s returns", count(table$window[most]))),
                  drawdown = c("fell deepest", "least", " below its high"),
                  var = c("risks most", "least", paste(" at", unit_text$level(table$level[most]))))
  sprintf("%s %s (%s%s), %s %s (%s).", table$security[most], words[1L], percent(size[most], 1L), words[3L],
          table$security[least], words[2L], percent(size[least], 1L))
}
