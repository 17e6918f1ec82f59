# A backtest in words.

# Whether so few breaches are expected that a line with three times as many would not be told from
# a right one half of the time.
tells_little <- function(table) told_of_thrice(table$n, 1 - table$level) < 0.5

#' @export
words_of.imbroglio_backtest <- function(result) {
  table <- as.data.frame(result)
  verdict <- ifelse(
    is.na(table$exact_p),
    "not tested",
    ifelse(
      table$exact_p >= 0.05,
      ifelse(
        tells_little(table),
        sprintf(
          "which says nothing: one with three times as many is rejected in %s of 100 such samples",
          format(round(100 * told_of_thrice(table$n, 1 - table$level)))
        ),
        "not rejected at 5 %"
      ),
      ifelse(table$breaches > table$expected, "rejected: too often", "rejected: too seldom")
    )
  )
  clusters <- ifelse(
    table$independence_p %in% NA | table$independence_p >= 0.05,
    "",
    ", and the breaches come in clusters"
  )
  losses <- ifelse(
    is.na(table$es_p) | table$es_p >= 0.05,
    "",
    "; the losses beyond are worse than its expected shortfall"
  )
  lacking <- ifelse(
    table$lacking > 0L,
    sprintf("; it lacks %s that others have", count(table$lacking, every_by_row(result))),
    ""
  )
  sprintf(
    "%s, %s at %s: %s in %s, where %s are expected; %s (exact p %s)%s%s%s.",
    table$security,
    table$method,
    unit_text$level(table$level),
    count(table$breaches, "breach", "breaches"),
    count(table$n, every_by_row(result)),
    unit_text$one(table$expected),
    verdict,
    unit_text$p(table$exact_p),
    clusters,
    losses,
    lacking
  )
}

#' @export
headline_of.imbroglio_backtest <- function(result) {
  table <- as.data.frame(result)
  table <- table[table$level == max(table$level) & !is.na(table$score), ]
  if (!nrow(table)) return("There is nothing to show.")
  level <- unit_text$level(table$level[1L])
  if (length(unique(table$security)) > 1L) {
    rejected <- tapply(
      table$exact_p < 0.05,
      table$method,
      sum,
      na.rm = TRUE
    )[unique(table$method)]
    securities <- length(unique(table$security))
    return(sprintf(
      "At %s the breaches of %s: %s.",
      level,
      count(securities, "security", "securities"),
      some(sprintf("%s is rejected for %s", names(rejected), rejected), 12L)
    ))
  }
  if (nrow(table) == 1L) return(words_of(result)[which.max(result$level)])
  best <- table[table$place %in% 1L, ][1L, ]
  kept <- table$method[table$exact_p >= 0.05]
  little <- all(tells_little(table))
  sprintf(
    "%s at %s: %s has the best line; %s.",
    best$security,
    level,
    best$method,
    if (little && length(kept)) {
      sprintf(
        "of the number of breaches nothing can be said, as only %s are expected",
        unit_text$one(best$expected)
      )
    } else if (length(kept)) {
      sprintf(
        "%s the right number of breaches",
        paste(some(kept, 12L), if (length(kept) == 1L) "has" else "have")
      )
    } else {
      "none has the right number of breaches"
    }
  )
}
