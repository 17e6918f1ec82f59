# What holdings make of a value at risk, in words.

#' @export
words_of.imbroglio_split <- function(result) {
  table <- as.data.frame(result)
  book <- is_book(result)
  ifelse(
    book,
    sprintf(
      paste0(
        "%s, by %s at %s: %s in %s; its holdings alone add up to %s, so that ",
        "diversification saves %s."
      ),
      table$security,
      table$method,
      unit_text$level(table$level),
      percent(table$component),
      period_name(every_by_row(result), table$horizon)$within,
      percent(table$var_alone),
      points(table$saved)
    ),
    sprintf(
      paste0(
        "%s, by %s at %s: %s of the book makes %s of its value at risk%s; without it that ",
        "is %s %s.%s"
      ),
      table$security,
      table$method,
      unit_text$level(table$level),
      percent(table$weight, 1L),
      percent(table$share, 1L),
      share_interval(table),
      points(abs(table$incremental)),
      ifelse(table$incremental < 0, "more", "less"),
      near_days_sentence(table)
    )
  )
}

share_interval <- function(table) {
  ifelse(
    is.na(table$share_low),
    "",
    sprintf(" (%s to %s)", percent(table$share_low, 0L), percent(table$share_high, 0L))
  )
}

# A split by the rank rests on one day.
near_days_sentence <- function(table) {
  ifelse(
    is.na(table$share_near_low),
    "",
    sprintf(
      paste0(
        " That rests on the one day of that rank: the five days on either side give %s to %s, ",
        "the regression on the book %s."
      ),
      percent(table$share_near_low, 0L),
      percent(table$share_near_high, 0L),
      percent(table$share_smooth, 0L)
    )
  )
}

# The rows of the book itself are the last of each method and level.
is_book <- function(result) result$security == names(basis(result)$observations)

#' @export
headline_of.imbroglio_split <- function(result) {
  table <- as.data.frame(result)
  table <- table[table$method == table$method[1L] & table$level == max(table$level), ]
  parts <- table[-nrow(table), ]
  book <- table[nrow(table), ]
  most <- parts[which.max(parts$share), ]
  sprintf(
    "%s, %s of %s, makes %s%s of its %s value at risk of %s; diversification saves %s.",
    most$security,
    percent(most$weight, 0L),
    book$security,
    percent(most$share, 0L),
    share_interval(most),
    unit_text$level(book$level),
    percent(book$component),
    points(book$saved)
  )
}
