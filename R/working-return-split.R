# The working of what a holding added: of each day its shares times the change of its price.

#' @export
working_of.imbroglio_return_split <- function(result, row) {
  this <- row_of_result(result, row)
  days <- attr(result, "days")
  steps <- match(as.numeric(this$from), as.numeric(days$dates)):
    (match(as.numeric(this$to), as.numeric(days$dates)) - 1L)
  j <- match(this$security, days$security)
  earned <- rowSums(days$made[steps, , drop = FALSE]) + days$cash_made[steps]
  rows <- c(steps, steps[length(steps)] + 1L)
  # A column has a row for each close; what is of a day stands at its end.
  ends <- function(x) c(NA, x)
  columns <- list(worth = days$worth[rows], earned = ends(earned))
  whole <- this$security == basis(result)$book$name
  made <- if (whole) {
    list(step("part", quote(earned), "earned in all"))
  } else if (is.na(j) || is.null(days$close)) {
    own <- if (this$security == "cash") {
      days$cash_made[steps]
    } else {
      rowSums(days$made[steps, members_of(result, this$security, days), drop = FALSE])
    }
    columns$made <- ends(own)
    list(step("part", quote(made), "what it made each day"))
  } else {
    columns$price <- days$close[rows, j]
    columns$held <- days$shares[rows, j]
    list(step(
      "part", quote(before(held) * (price - before(price))),
      "shares at the close before, times the change of the price", "money"
    ))
  }
  if (!is.null(this[["rate_value"]])) {
    columns$by_rate <- ends(rate_each_day(result, this$security, days, steps, whole))
    rated <- list(
      step("rate_value", quote(sum(by_rate)), "what the rate made of it", "money"),
      step("local_value", quote(component_value - rate_value), "what is left", "money")
    )
  } else {
    rated <- NULL
  }
  list(
    rows = list(with_sources(
      rows_of_working(
        "days", sprintf("closes from %s to %s", this$from, this$to), columns,
        days$dates[rows], days$dates[rows[1L]], days$dates[rows[length(rows)]],
        window = TRUE
      ),
      attr(result, "source"),
      if (!is.null(columns$price)) c(price = this$security)
    )),
    steps = c(made, added_steps(days$in_money), rated, own_steps(this, whole, columns)),
    main = if (days$in_money) "component_value" else "component"
  )
}

# From what was made each day to the parts.
added_steps <- function(in_money) {
  list(
    if (in_money) step("component_value", quote(sum(part)), "added up", "money"),
    step("worth_before", quote(before(worth)), "what the book was worth at the close before"),
    step("day_return", quote(earned / worth_before), "return of the book, each day"),
    step(
      "grown", quote(recursion(earned * 0 + 1, previous * (1 + before(day_return)))),
      "how much the book had grown at the close before"
    ),
    step(
      "component", quote(sum(grown * part / worth_before)),
      "its part of the return, each day as often as the book had grown", "fraction"
    )
  )
}

# What it weighed, and what it returned by itself.
own_steps <- function(this, whole, columns) {
  numbers <- if (whole) {
    list(
      step("weight", quote(component * 0 + 1), "the whole", "share"),
      step("total_return", quote(component), "as its parts add up to", "fraction")
    )
  } else if (!is.null(columns$price)) {
    list(
      step(
        "weight", quote(value_at(held, 1) * value_at(price, 1) / value_at(worth, 1)),
        "what is held at the start of what the book is worth", "share"
      ),
      step(
        "total_return", quote(value_at(price, count(price)) / value_at(price, 1) - 1),
        "return of its price", "fraction"
      )
    )
  } else {
    list(
      entered("weight", this$weight, "what it is of the book at the start", "share"),
      entered("total_return", this$total_return, "what it returned by itself", "fraction")
    )
  }
  Filter(function(s) !is.null(s$expression) || !is.na(s$value), numbers)
}

rate_each_day <- function(result, security, days, steps, whole) {
  if (whole) return(rowSums(days$rate_made[steps, , drop = FALSE]))
  if (security == "cash") return(rep(0, length(steps)))
  rowSums(days$rate_made[steps, members_of(result, security, days), drop = FALSE])
}

# The columns that a row is of: a holding, or those of a group or currency.
members_of <- function(result, name, days) {
  if (name %in% days$security) return(days$security == name)
  by <- basis(result)$choices[["split by"]]
  prices <- attr(result, "source")$prices
  of <- if (by == "group") {
    prices$about$group[match(days$security, prices$about$security)]
  } else {
    unname(prices$converted$currency[days$security]) %||%
      prices$about$currency[match(days$security, prices$about$security)]
  }
  of[is.na(of)] <- paste("no", by)
  of == name
}
