#' Read a result in words
#'
#' One plain sentence for each row of a result (for a rolling one, for each security and
#' window), with the
#' number, its unit and what it means.
#'
#' @param result The result of a `measure_*()` function.
#' @return A character vector.
#' @family what a result is
#' @examples
#' returns <- as_returns(read_prices(demo_file("bay.csv")))
#' in_words(measure_var(returns[, "BAYALL"], level = c(0.95, 0.99), value = 1e6))
#' @export
in_words <- function(result) with_reading(words_of(result), basis(result)$book)

words_of <- function(result) UseMethod("words_of")

# Where a book is named first in a sentence, which reading of it is meant; before all else, that it
# ends before what is known.
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
  opening <- paste(c(book$until, book$opening), collapse = "")
  if (!nzchar(opening)) return(said)
  ifelse(startsWith(said, opening), said, paste0(opening, said))
}

# Several sentences of one book: what was made for all of them is said with the first.
opened_once <- function(said, result) {
  opening <- basis(result)$book$opening
  if (is.null(opening) || length(said) < 2L) return(said)
  c(said[1L], sub(opening, "", said[-1L], fixed = TRUE))
}

# How rolling results, and results of several securities, are read: the column, how a
# number of it is written, what it is, and the words for most and least of it.
readings <- function(result) {
  a_year <- function(x) writer_of(result)(x, 1L)
  plain <- unit_text$number
  benchmarks <- if (length(result[["benchmark"]])) some(unique(result[["benchmark"]]))
  against <- paste(" against", benchmarks)
  most_earned <- if (identical(basis(result)$kind, "profit")) "earned most" else "returned most"
  moves <- reading("volatility_annual", a_year, " a year", "moves most", "least", " a year")
  depth <- function(x) a_year(-x)
  sharpe <- function(x) paste("Sharpe ratio", unit_text$two(x))
  from <- paste(" a year from", benchmarks)
  high <- " below its high"
  switch(
    attr(result, "measure"),
    return = reading(
      "return_annual", a_year, " a year", most_earned, "least", " a year",
      losing = c("lost least", "most")
    ),
    volatility = moves,
    volatility_series = moves,
    garch = moves,
    beta = reading(
      "beta", plain, paste0(" beta", against), "has the highest beta", "the lowest", against
    ),
    tracking = reading(
      "tracking_error_annual", a_year, " tracking error a year", "strays furthest", "least", from
    ),
    drawdown = reading("max_drawdown", depth, high, "fell deepest", "least", high, TRUE),
    correlation = reading("correlation", plain, " correlation", "move most alike", "least", ""),
    summary = reading(
      "sharpe_annual", sharpe, "", "earned most for its risk", "least", " a year",
      losing = c("has the Sharpe ratio that is least below 0", "furthest")
    ),
    readings_of_days(attr(result, "measure"), a_year, benchmarks)
  )
}

# Those of the questions of every day.
readings_of_days <- function(measure, a_year, benchmarks) {
  switch(
    measure,
    downside = reading(
      "semi_deviation_annual", a_year, " a year below its mean", "falls furthest", "least",
      " a year below its mean"
    ),
    ratios = reading(
      "sortino_annual", function(x) paste("Sortino ratio", unit_text$two(x)), "",
      "earned most for its falls", "least", " a year",
      losing = c("has the Sortino ratio that is least below 0", "furthest")
    ),
    capture = reading(
      "up_capture", unit_text$share, " of its rises", "takes most of the rises", "least",
      paste(" of those of", benchmarks)
    ),
    volatility_split = reading(
      "share", unit_text$share, " of the risk", "adds most", "least", " of the risk"
    ),
    concentration = reading(
      "effective_bets", unit_text$one, " bets", "is most bets", "least", " bets"
    ),
    currency = reading(
      "total_return", a_year, "", "returned most", "least", "", losing = c("lost least", "most")
    )
  )
}

# `losing`: the words for most and least where all are below 0.
reading <- function(column, writer, is, most, least, of, falling = FALSE, losing = NULL) {
  list(
    column = column,
    write = writer,
    is = is,
    most = most,
    least = least,
    of = of,
    falling = falling,
    losing = losing
  )
}

series_keys <- function(table) {
  intersect(c("security", "benchmark", "measure", "window", "method"), names(table))
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

# One line that says the finding: the title of a figure, the first line of a text.
headline <- function(result) with_reading(headline_of(result), basis(result)$book)

# The measures whose finding is no comparison of rows.
own_headlines <- function() {
  list(
    fit = fit_headline,
    var = var_headline,
    split = split_headline,
    worst = worst_headline,
    shock = shock_headline,
    volatility_split = volatility_split_headline,
    return_split = return_split_headline,
    roll = roll_headline,
    limits = limits_headline,
    compare = compare_headline,
    selling = selling_headline,
    tail = thresholds_headline,
    backtest = backtest_headline
  )
}

headline_of <- function(result) {
  if (nrow(result) == 0L) return("There is nothing to show.")
  own <- own_headlines()[[attr(result, "measure")]]
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
  if (!is.null(reading$losing) && size[most] < 0) {
    reading[c("most", "least")] <- reading$losing
  }
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
