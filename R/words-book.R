# Sentences of where the risk of a book comes from.

#' @export
words_of.imbroglio_volatility_split <- function(result) {
  if (!is.null(result[["window"]])) return(rolling_in_words(result))
  table <- as.data.frame(result)
  name <- basis(result)$book$name
  whole <- table$security == name
  said <- sprintf(
    "%s: %s of the %s of %s, at a weight of %s.",
    table$security,
    unit_text$share(table$share),
    if (is.null(table$benchmark)) "volatility" else "tracking error",
    name,
    unit_text$share(table$weight)
  )
  said[whole] <- sprintf(
    if (is.null(table$benchmark)) {
      "%s: volatility %s a year."
    } else {
      paste0("%s: tracking error %s a year against ", table$benchmark[1L], ".")
    },
    name,
    percent(table$component[whole], 1L)
  )
  said
}

#' @export
headline_of.imbroglio_volatility_split <- function(result) {
  if (!is.null(result[["window"]])) {
    table <- as.data.frame(result)
    name <- basis(result)$book$name
    now <- table[table$to == max(table$to) & table$window == table$window[1L], ]
    now <- now[now$security != name & !is.na(now$share), ]
    if (!nrow(now)) return("The holdings have fewer returns than the window.")
    most <- which.max(now$share)
    return(sprintf(
      "%s bears most of the risk of %s now (%s, over %s returns).",
      now$security[most],
      name,
      unit_text$share(now$share[most]),
      count(now$window[most])
    ))
  }
  table <- as.data.frame(result)
  name <- basis(result)$book$name
  whole <- table[table$security == name, ]
  of <- table[table$security != name, ]
  sprintf(
    "%s, at a weight of %s, bears %s of the %s of %s%s, %s a year.",
    of$security[1L],
    unit_text$share(of$weight[1L]),
    unit_text$share(of$share[1L]),
    if (is.null(whole$benchmark)) "volatility" else "tracking error",
    name,
    if (is.null(whole$benchmark)) "" else paste(", against", whole$benchmark),
    percent(whole$component, 1L)
  )
}

#' @export
words_of.imbroglio_holdings <- function(result) {
  about <- basis(result)
  worth <- ifelse(is.na(result$value), "", sprintf(", %s", money(result$value, about$currency)))
  share <- unit_text$share(result$weight)
  sprintf("%s: %s of %s%s.", result$security, share, about$book$name, worth)
}

#' @export
headline_of.imbroglio_holdings <- function(result) {
  about <- basis(result)
  worth <- result$worth[1L]
  held <- result[result$security != "cash", ]
  sprintf(
    "%s holds %s%s; the largest is %s with %s.",
    about$book$name,
    count(nrow(held), "security", "securities"),
    if (is.na(worth)) "" else paste(", worth", money(worth, about$currency)),
    held$security[1L],
    unit_text$share(held$weight[1L])
  )
}

#' @export
words_of.imbroglio_concentration <- function(result) {
  if (!is.null(result[["window"]])) return(rolling_in_words(result))
  moved <- sprintf(
    paste0(
      "its variance is that of %s independent %s, and diversification takes %s off what the ",
      "holdings would have alone."
    ),
    unit_text$one(result$effective_bets),
    ifelse(round(result$effective_bets, 1L) == 1, "bet", "bets"),
    percent(1 - 1 / result$diversification_ratio, 0L)
  )
  sprintf(
    "%s: %s, by their weights as good as %s of one size; %s",
    result$security,
    count(result$holdings, "holding"),
    unit_text$one(result$effective_holdings),
    ifelse(is.na(result$effective_bets), "it does not move.", moved)
  )
}

#' @export
words_of.imbroglio_selling <- function(result) {
  table <- as.data.frame(result)
  name <- basis(result)$book$name
  whole <- table$security == name
  said <- sprintf(
    "%s: sold in %s; until then it may lose %s (%s), in one day %s.",
    table$security,
    count_days(table$days),
    percent(table$var_selling, 1L),
    money(table$var_selling_value, basis(result)$currency),
    percent(table$var_day, 1L)
  )
  said[is.na(table$days)] <- sprintf(
    "%s has no volume, so it is not known how soon it could be sold.", table$security
  )[is.na(table$days)]
  slowest <- table$security[!whole][which.max(table$days[!whole])]
  said[whole] <- sub(
    ";", sprintf(", by %s of the volume (%s takes longest);", unit_text$level(
      basis(result)$exact$share
    ), slowest),
    said[whole],
    fixed = TRUE
  )
  said
}

count_days <- function(days) {
  shown <- ifelse(days < 10, unit_text$one(days), count(ceiling(days)))
  paste(shown, ifelse(shown %in% c("1", "1.0"), "day", "days"))
}

# The book stands last, and is what was asked.
#' @export
headline_of.imbroglio_selling <- function(result) {
  words_of(result)[match(basis(result)$book$name, result$security, nomatch = 1L)]
}
