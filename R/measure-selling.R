record_of_selling <- function() {
  measure_record(
    120,
    title = "How soon it could be sold",
    asks = "How many days does it take to sell, and what may be lost meanwhile?",
    measure = measure_selling,
    columns = list(
      shares = column("shares", "count"),
      volume = column("volume", "money"),
      days = column("days", "one"),
      var_day = column("VaR, one day", "fraction"),
      var_selling = column("VaR until sold", "fraction"),
      var_selling_value = column("in money", "money")
    ),
    shares = c("security", "weight"),
    compares = NULL,
    command = command_record(
      "Compare, through time and with the past", 50,
      says = "how many days it takes to sell a book, and what may be lost meanwhile",
      options = c(
        choose, "share", "window", "level",
        setdiff(but_how_held, c("weights", "normalise")), hand_on
      ),
      trade = list(
        trade(
          c("Liquidity", "days to sell", "days to liquidate"),
          "how many days it takes to sell at a share of the volume",
          "imbroglio selling FILE --holdings FILE"
        )
      ),
      help = c(
        window = "the days of which the volume is averaged (20)"
      ),
      example = paste0(
        "imbroglio selling bay-daily.csv.xz --shares OSSELL=200000,TARROW=50000 --share 10% ",
        "--figure selling.png"
      )
    ),
    parts = list(
      selling = part("book", 30, "whole", c("book", "volume"), usual = FALSE)
    ),
    cases = quote(list(whole = measure_selling(book_of_days)))
  )
}

#' How soon a book could be sold
#'
#' How many days it takes to sell each holding without taking more than a share of what is traded,
#' and what may be lost meanwhile.
#'
#' A holding of \eqn{N}{N} shares is sold in \eqn{T = N / (s \bar V)}{T = N / (s mean(V))} days,
#' with \eqn{s}{s} the share of the volume that is taken and \eqn{\bar V}{mean(V)} the average
#' volume of its last days; after \eqn{t}{t} days \eqn{\max(0, 1 - t/T)}{max(0, 1 - t/T)} of it is
#' left. Short positions are bought back likewise. The value at risk until all is sold is
#' \deqn{\sqrt{\sum_{t = 0, 1, \ldots} VaR(w_t)^2},}{sqrt(sum over t = 0, 1, ... of VaR(w_t)^2),}
#' the one-day historical value at risk (by the nearest rank) of what is left at the start of each
#' day, as if days were independent; of a holding alone that is its own one-day value at risk
#' times the root of the sum of the squares of what is left. Volumes are taken as the table has
#' them: [adjust_prices()] brings those of before a split to today's shares. What selling does to
#' the price is not in it.
#'
#' @param book A book of shares or values, of prices with volumes, see [as_portfolio()]; as it is
#'   held today.
#' @param share Of the volume that may be taken.
#' @param window How many of the last days that have a volume are averaged.
#' @param level Of the value at risk.
#' @return A table, a row for each holding, the slowest first, and one for the book (last):
#'   `security`, `shares`, `volume` (the average), `days` (of the book: of the slowest), `weight`,
#'   `var_day` (value at risk of one day), `var_selling` (until all is sold; both as a fraction of
#'   the holding, of the book), `var_selling_value` in money. Holdings without a volume have `NA`,
#'   are warned about, and are not in the book's days nor its value at risk.
#'
#'   `selling_profile()`: of each day from now (0) on, `left`: the share of the book's unsigned
#'   value that is not sold yet.
#' @eval columns_in_docs("selling")
#' @section Errors: `imbroglio_error_argument` for what is no book, or one whose numbers of shares
#'   are not known, or whose returns are not daily; `imbroglio_error_no_volume` where no holding
#'   has a volume.
#' @eval concepts_in_docs("measure_selling")
#' @family measures of a book
#' @examples
#' daily <- read_prices(demo_file("bay-daily.csv.xz"))
#' book <- as_portfolio(daily, shares = c(OSSELL = 200000, TARROW = 50000))
#' found <- measure_selling(book, share = 0.1)
#' in_words(found)
#' selling_profile(found)
#' @export
measure_selling <- function(book, share = 0.1, window = 20L, level = 0.99) {
  if (is_drawn(book)) return(over_drawings())
  share <- check_fraction(share, "share")
  window <- check_whole(window, "window")
  level <- check_fraction(level, "level")
  today <- book_today(book)
  check_to_sell(book, today$frequency$every[[1L]])
  volume <- average_volumes(book, window)
  days <- abs(book$shares) / (share * volume)
  warn_no_volume(book, days)
  known <- which(!is.na(days))
  one <- function(w) {
    R <- as.vector(today$r %*% w)
    core_historical_tail(matrix(R), level, rank_code("nearest"), FALSE, 1)$var[1L]
  }
  left <- what_is_left(days[known])
  w <- book$weights[known]
  k <- length(book$security)
  var_day <- vapply(seq_len(k), function(j) one(replace(numeric(k), j, sign(book$weights[j]))), 0)
  var_selling <- rep(NA_real_, k)
  var_selling[known] <- var_day[known] * sqrt(colSums(left^2))
  whole <- sqrt(sum(vapply(seq_len(nrow(left)), function(t) {
    one(replace(numeric(k), known, w * left[t, ]))^2
  }, 0)))
  in_order <- order(-days)
  columns <- list(
    security = c(book$security[in_order], book$name),
    shares = c(book$shares[in_order], NA),
    volume = c(volume[in_order], NA),
    days = c(days[in_order], max(days[known])),
    weight = c(book$weights[in_order], 1),
    var_day = c(var_day[in_order], one(replace(numeric(k), known, w))),
    var_selling = c(var_selling[in_order], whole)
  )
  money <- c(abs(book$weights[in_order]), 1) * book$value
  columns$var_selling_value <- columns$var_selling * money
  made <- new_result(
    lapply(columns, unname),
    "selling",
    book_basis(
      today,
      c(
        "of the volume" = unit_words(share),
        volume = sprintf("average of the last %s", count(window, "day")),
        level = format(level)
      ),
      exact = list(share = share, window = window, level = level)
    ),
    book$returns
  )
  attr(made, "held") <- list(days = days, weights = book$weights, security = book$security)
  made
}

check_to_sell <- function(book, every) {
  if (is.null(book$shares)) {
    fail(
      "argument",
      "How many shares are held is not known.",
      remedy = "Give shares or values to as_portfolio(), not weights."
    )
  }
  if (every != "day") {
    fail(
      "argument",
      "Selling goes by days.",
      where = sprintf("The returns of the book are %s.", adverb_of(every)),
      remedy = "Make the book of daily prices."
    )
  }
}

# The mean volume of the last days that have one.
average_volumes <- function(book, window) {
  volume <- book$returns$prices$fields$volume
  if (is.null(volume)) {
    fail(
      "no_volume",
      "The prices have no volumes.",
      remedy = "Read a long file with a column of volumes."
    )
  }
  vapply(book$security, function(s) {
    x <- volume[, s]
    x <- x[!is.na(x)]
    if (!length(x)) return(NA_real_)
    average <- mean(utils::tail(x, window))
    if (average > 0) average else NA_real_
  }, 0, USE.NAMES = FALSE)
}

warn_no_volume <- function(book, days) {
  none <- which(is.na(days))
  if (length(none) == length(days)) fail("no_volume", "No holding has a volume.")
  if (!length(none)) return(invisible())
  caution(
    "no_volume",
    sprintf(
      "%s %s no volume: how soon it could be sold is not known, and it is left out.",
      some(book$security[none]),
      if (length(none) == 1L) "has" else "have"
    )
  )
}

# A row for each day, the first of which is now; a column for each holding.
what_is_left <- function(days) {
  day <- seq(0, max(ceiling(max(days)) - 1, 0))
  matrix(vapply(days, function(d) pmax(0, 1 - day / d), numeric(length(day))), length(day))
}

#' @rdname measure_selling
#' @param result A result of `measure_selling()`.
#' @export
selling_profile <- function(result) {
  held <- attr(result, "held")
  if (!inherits(result, "imbroglio_selling") || is.null(held)) {
    fail("argument", "This is asked of a result of measure_selling().")
  }
  known <- !is.na(held$days)
  days <- held$days[known]
  part <- abs(held$weights[known])
  left <- rbind(what_is_left(days), 0)
  tibble::tibble(day = seq_len(nrow(left)) - 1L, left = as.vector(left %*% part) / sum(part))
}
