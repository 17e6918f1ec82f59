# The workings of what is held: shares by the last price, or what was held on an earlier day by
# what its prices have become since.

#' @export
working_of.imbroglio_holdings <- function(result, row) {
  this <- row_of_result(result, row)
  book <- attr(result, "source")$today$book
  by_weights <- book$own$what == "weight"
  own <- if (by_weights) whole_weights(book$own, book$normalise) else book$own
  short <- c(unique_names(own$security), "cash")
  parts <- lapply(paste0(short, "_part"), as.name)
  j <- match(this$security, c(own$security, "cash"))
  sizes <- parts
  if (!is.null(book$net)) {
    sizes <- lapply(parts[seq_along(own$security)], function(one) call("abs", one))
  }
  list(
    rows = list(closes_of_holdings(book, own, short)),
    choices = list(if (by_weights && !is.na(this$worth)) {
      choice("worth", "what all is worth, in money", this$worth, "money")
    }),
    steps = c(
      unlist(lapply(seq_along(own$security), held_part_steps, book, own, short), FALSE),
      list(
        entered("cash_part", own$cash, "cash, as it is held"),
        step("whole", added_up(sizes), if (is.null(book$net)) {
          "all that is held"
        } else {
          "all that is held, whether long or short"
        }),
        step("weight", call("/", parts[[j]], quote(whole)), "what it weighs", "share"),
        if (!is.na(this$price)) {
          step("price", as.name(paste0(short[j], "_price")), "its last price", "price")
        },
        if (!is.na(this$shares)) {
          step("shares", if (own$what == "shares") {
            as.name(paste0(short[j], "_shares"))
          } else {
            call("/", parts[[j]], quote(price))
          }, "how many of it")
        },
        if (!is.na(this$worth) && !by_weights) step("worth", quote(whole), "all of it", "money"),
        if (!is.na(this$worth)) {
          of_worth <- if (by_weights) quote(weight * worth) else parts[[j]]
          step("value", of_worth, "its value", "money")
        }
      )
    ),
    main = "weight"
  )
}

# The closes from the day that the holdings are of to the last; of shares the last of each.
closes_of_holdings <- function(book, own, short) {
  prices <- priced_of(book)$prices
  if (is.null(prices)) return(NULL)
  close <- prices$close[, own$security, drop = FALSE]
  last <- core_span(close)$last
  began <- if (is_grown(book, own)) {
    findInterval(as.numeric(own$date), as.numeric(prices$dates))
  }
  rows <- min(last, began):max(last)
  closes <- paste0(short[seq_along(own$security)], "_close")
  columns <- stats::setNames(lapply(seq_along(closes), function(j) unname(close[rows, j])), closes)
  dates <- prices$dates[rows]
  with_sources(
    rows_of_prices(
      closes_text(own$security), columns, dates, dates[1L], dates[length(dates)],
      window = TRUE, priced = FALSE
    ),
    priced_of(book), stats::setNames(own$security, closes)
  )
}

# Whether what was held on an earlier day is moved to the last by closes that are all there then.
is_grown <- function(book, own) {
  if (own$what == "shares" || is.null(own$date)) return(FALSE)
  prices <- priced_of(book)$prices
  row <- match(as.numeric(own$date), as.numeric(prices$dates))
  !is.na(row) && !anyNA(prices$close[row, own$security])
}

# What one holding comes to, in money or as a share of what all were then.
held_part_steps <- function(j, book, own, short) {
  of <- function(what) paste0(short[j], "_", what)
  close <- as.name(of("close"))
  priced <- if (!is.null(priced_of(book)$prices)) {
    list(step(
      of("price"), bquote(value_at(.(close), count(.(close)))),
      paste("last close of", own$security[j]), "price"
    ))
  }
  given <- function(name, words) {
    entered(of(name), own$amount[[j]], paste(words, own$security[j]), of_data = FALSE)
  }
  part <- function(expression, words) step(of("part"), expression, words)
  if (own$what == "shares") {
    return(c(priced, list(
      given("shares", "shares of"),
      part(call("*", as.name(of("shares")), as.name(of("price"))), "shares by that")
    )))
  }
  noun <- if (own$what == "weight") "weight of" else "value of"
  if (is.null(own$date)) return(c(priced, list(given("part", noun))))
  if (!is_grown(book, own)) {
    now <- if (own$what == "weight") book$weights[[j]] else book$weights[[j]] * book$value
    said <- sprintf("%s %s, moved from %s to the last price", noun, own$security[j], own$date)
    return(c(priced, list(entered(of("part"), now, said))))
  }
  c(priced, list(
    given("held", noun),
    part(
      bquote(.(as.name(of("held"))) * .(as.name(of("price"))) / value_at(.(close), 1)),
      sprintf("as its price moved since %s", own$date)
    )
  ))
}
