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

# Of each security, method and level that a listing of a backtest has, its rows.
listed_lines <- function(result, said_of) {
  table <- as.data.frame(result)
  key <- paste(table$security, table$method, table$level, sep = "\r")
  unname(vapply(split(table, factor(key, unique(key))), function(rows) {
    first <- rows[1L, ]
    sprintf(
      "%s, %s at %s: %s.", first$security, first$method, unit_text$level(first$level),
      said_of(rows)
    )
  }, ""))
}

#' @export
words_of.imbroglio_backtest_series <- function(result) {
  writer <- writer_of(result)
  listed_lines(result, function(rows) {
    sprintf(
      "%s in %s; value at risk was between %s and %s, on the last day %s",
      count(sum(rows$breach), "breach", "breaches"), count(nrow(rows), "day"),
      writer(min(rows$var)), writer(max(rows$var)), writer(rows$var[nrow(rows)])
    )
  })
}

#' @export
words_of.imbroglio_backtest_breaches <- function(result) {
  writer <- writer_of(result)
  listed_lines(result, function(rows) {
    worst <- rows[which.max(rows$excess), ]
    sprintf(
      "%s; the worst on %s, a loss of %s at a value at risk of %s",
      count(nrow(rows), "breach", "breaches"), worst$date, writer(worst$loss), writer(worst$var)
    )
  })
}

#' @export
words_of.imbroglio_backtest_zones <- function(result) {
  listed_lines(result, function(rows) {
    of <- table(factor(rows$zone, zone_names))
    most <- rows[which.max(rows$breaches), ]
    sprintf(
      "%s: %s; the most breaches %s, from %s to %s", count(nrow(rows), "run"),
      some(paste(of[of > 0], names(of)[of > 0])), count(most$breaches), most$from, most$to
    )
  })
}

#' @export
headline_of.imbroglio_backtest_series <- function(result) {
  headline_of_lines(result, function(rows) sum(rows$breach))
}

#' @export
headline_of.imbroglio_backtest_breaches <- function(result) headline_of_lines(result, nrow)

#' @export
headline_of.imbroglio_backtest_zones <- function(result) {
  headline_of_lines(result, function(rows) sum(rows$breaches))
}

# Of several lines the breaches of each.
headline_of_lines <- function(result, breaches_of) {
  said <- words_of(result)
  if (!length(said)) return("There is no row.")
  if (length(said) == 1L) return(said)
  table <- as.data.frame(result)
  line <- paste0(table$security, " by ", table$method, " at ", unit_text$level(table$level))
  found <- vapply(split(table, factor(line, unique(line))), breaches_of, 0L)
  sprintf("Breaches: %s.", some(paste(names(found), found), 6L))
}
