# The working of where the volatility of a book comes from.

#' @export
working_of.imbroglio_volatility_split <- function(result, row) {
  this <- row_of_result(result, row)
  moved <- attr(result, "moved")
  if (!is.null(moved$group)) {
    fail(
      "working",
      "The risk of a group is the sum of that of its members.",
      remedy = "Ask the working of a split by security."
    )
  }
  name <- basis(result)$book$name
  rolling <- !is.null(this$window)
  made <- book_sample(
    result, moved$name[moved$name != "cash"], moved$benchmark,
    if (rolling) this$from, if (rolling) this$to
  )
  short <- unique_names(moved$name)
  own <- match(this$security, moved$name)
  list(
    rows = list(made$rows),
    choices = list(year_of_book(result)),
    steps = c(
      made$steps,
      moved_steps(moved, short, result),
      list(
        step("whole_mean", quote(sum(whole) / count(whole)), "its mean", "fraction"),
        step(
          "whole_deviation",
          quote(sqrt(sum((whole - whole_mean)^2) / (count(whole) - 1))),
          "its standard deviation",
          "fraction"
        )
      ),
      if (is.na(own)) book_part_steps(moved, short) else part_of_volatility(moved, short, own),
      list(step(
        "share",
        quote(component / (whole_deviation * sqrt(per_year))),
        "its share of the whole",
        "share"
      ))
    ),
    main = "component"
  )
}

# The returns of the holdings, and of a benchmark that is a series, over shared intervals.
book_sample <- function(result, names, benchmark, from = NULL, to = NULL) {
  returns <- attr(result, "source")
  series <- unique(c(names, intersect(benchmark, colnames(returns$values))))
  absent <- setdiff(series, colnames(returns$values))
  if (length(absent)) {
    fail(
      "working",
      sprintf("The prices of %s are not among those of the book.", some(absent)),
      remedy = "Measure with them in one table, for a working."
    )
  }
  short <- unique_names(names)
  called <- c(short, if (length(series) > length(names)) "beside")
  made <- rows_of_several(
    returns, stats::setNames(series, paste0(called, "_")), from, to,
    kind = "simple"
  )
  if (!length(made$steps) && returns$kind == "log") {
    made$rows$columns <- lapply(made$rows$columns, expm1)
  }
  held <- match(benchmark, names)
  made$steps <- c(without_others(made$steps), if (length(held) && !is.na(held)) {
    own <- as.name(paste0(short[held], "_return"))
    list(step(
      "beside_return", bquote(.(own) + 0), "return of the benchmark, which is held", "fraction"
    ))
  })
  made
}

year_of_book <- function(result) {
  taken <- basis(result)$per_year
  others <- setdiff(c(250, 252, 260, 365), taken)
  choice("per_year", "periods a year", taken, others = stats::setNames(as.list(others), others))
}

# What each holding is ahead by, and what the book is.
moved_steps <- function(moved, short, result) {
  beside <- !is.null(moved$benchmark) &&
    moved$benchmark %in% colnames(attr(result, "source")$values)
  moves <- lapply(seq_along(short), function(j) {
    own <- as.name(paste0(short[j], "_return"))
    expression <- if (moved$name[j] == "cash") {
      quote(0 - beside_return)
    } else if (beside) {
      bquote(.(own) - beside_return)
    } else {
      bquote(.(own) + 0)
    }
    said <- if (beside) "%s, ahead of the benchmark by" else "return of %s"
    step(paste0(short[j], "_ahead"), expression, sprintf(said, moved$name[j]), "fraction")
  })
  weights <- lapply(seq_along(short), function(j) {
    said <- paste(if (is.null(moved$benchmark)) "weight of" else "weight held of", moved$name[j])
    entered(paste0(short[j], "_weight"), moved$weight[j], said, "share")
  })
  products <- lapply(short, function(one) {
    call("*", as.name(paste0(one, "_weight")), as.name(paste0(one, "_ahead")))
  })
  c(moves, weights, list(step(
    "whole",
    added_up(products),
    if (is.null(moved$benchmark)) "return of the book" else "the book, ahead by",
    "fraction"
  )))
}

along_of <- function(name) {
  own <- as.name(paste0(name, "_ahead"))
  bquote(
    sum((.(own) - sum(.(own)) / count(.(own))) * (whole - whole_mean)) / (count(whole) - 1)
  )
}

part_of_volatility <- function(moved, short, own) {
  ahead <- as.name(paste0(short[own], "_ahead"))
  alone <- as.name(paste0(short[own], if (moved$name[own] == "cash") "_ahead" else "_return"))
  deviation <- function(of) {
    bquote(sqrt(sum((.(of) - sum(.(of)) / count(.(of)))^2) / (count(.(of)) - 1)))
  }
  list(
    step("along", along_of(short[own]), "its covariance with the whole"),
    step("marginal", quote(along / whole_deviation * sqrt(per_year)), "of one more of it, a year"),
    step("weight", as.name(paste0(short[own], "_weight")), "its weight", "share"),
    step("component", quote(weight * marginal), "what it adds, a year", "fraction"),
    if (moved$name[own] == "cash") {
      step("volatility_annual", quote(0 * per_year), "of it alone, a year", "fraction")
    } else {
      step(
        "volatility_annual", bquote(.(deviation(alone)) * sqrt(per_year)), "of it alone, a year",
        "fraction"
      )
    },
    step(
      "correlation",
      bquote(along / (whole_deviation * .(deviation(ahead)))),
      "its correlation with the whole"
    )
  )
}

# Of the book: all components added up.
book_part_steps <- function(moved, short) {
  added <- lapply(short, function(one) {
    bquote(.(as.name(paste0(one, "_weight"))) * .(along_of(one)))
  })
  weights <- lapply(short, function(one) as.name(paste0(one, "_weight")))
  list(
    step(
      "component",
      bquote(
        (.(added_up(added))) / whole_deviation * sqrt(per_year)
      ),
      "all components added up, a year",
      "fraction"
    ),
    # Cash that earns the same each day moves nothing, but is a part of it.
    if (abs(sum(moved$weight) - 1) > 1e-12 && is.null(moved$benchmark)) {
      entered("cash", 1 - sum(moved$weight), "weight of cash", "share")
    },
    step(
      "weight",
      if (abs(sum(moved$weight) - 1) > 1e-12 && is.null(moved$benchmark)) {
        call("+", added_up(weights), quote(cash))
      } else {
        added_up(weights)
      },
      "all weights", "share"
    ),
    step("correlation", quote(1 + 0), "with itself"),
    own_volatility_step(moved, short)
  )
}

# The volatility of the book itself, which has cash without a return.
own_volatility_step <- function(moved, short) {
  if (is.null(moved$benchmark)) {
    expression <- quote(whole_deviation * sqrt(per_year))
    return(step("volatility_annual", expression, "as a deviation, a year", "fraction"))
  }
  held <- which(moved$name != "cash")
  if (!isTRUE(all.equal(moved$weight[held], unname(moved$own), tolerance = 0))) return(NULL)
  products <- lapply(held, function(j) {
    call("*", as.name(paste0(short[j], "_weight")), as.name(paste0(short[j], "_return")))
  })
  return_of <- added_up(products)
  expression <- bquote(
    sqrt(sum((.(call("(", return_of)) - sum(.(return_of)) / count(whole))^2) /
      (count(whole) - 1)) * sqrt(per_year)
  )
  step("volatility_annual", expression, "volatility of the book itself, a year", "fraction")
}
