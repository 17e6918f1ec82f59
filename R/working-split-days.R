# The working of a value at risk by holding, by the days of the book: by the day at the rank, or by
# how holdings move with the book.

# NULL for other methods, and where the day at the rank is not one alone.
split_by_days <- function(result, this, holdings) {
  book <- attr(result, "held")
  rank <- choice_of(basis(result), "rank")
  by_rank <- this$method == "historical"
  if (!this$method %in% c("historical", "normal") || book$book$returns$kind == "log") return(NULL)
  if (by_rank && (rank == "interpolate" || !one_at_rank(book, this, rank))) return(NULL)
  made <- rows_of_book(list(today = book))
  short <- unique_names(holdings$security)
  own <- match(this$security, holdings$security)
  made$choices <- list(
    level_choice(this$level), choice("horizon", "periods ahead", this$horizon, "count")
  )
  parts <- unlist(
    lapply(short, if (by_rank) holding_on_days_steps else holding_slope_steps), FALSE
  )
  # Those of which a row wants its own only stand last, so that they do at the same place in all.
  of_shortfall <- endsWith(vapply(parts, `[[`, "", "name"), "_es_component")
  made$steps <- c(
    made$steps,
    if (by_rank) days_at_rank_steps(rank) else moments_of_book_steps(),
    parts[!of_shortfall], parts[of_shortfall],
    list(
      step("in_all", sum_of(paste0(short, "_component")), "all components added up", "fraction"),
      step(
        "component",
        if (is.na(own)) quote(in_all + 0) else as.name(paste0(short[own], "_component")),
        "the part asked for", "fraction"
      ),
      step("share", quote(component / in_all), "its share of the whole", "share"),
      step(
        "es_component",
        sum_of(paste0(if (is.na(own)) short else short[own], "_es_component")),
        "what it bears of expected shortfall", "fraction"
      )
    ),
    alone_steps(short, own, if (by_rank) loss_at_rank else loss_by_moments)
  )
  made
}

one_at_rank <- function(book, this, rank) {
  r <- as.vector(book$r %*% book$weights)
  k <- core_rank_position(length(r), this$level, rank_code(rank))
  sum(r == sort(r)[k]) == 1L
}

days_at_rank_steps <- function(rank) {
  c(without_others(rank_steps(rank)), list(
    step("at_rank", quote(nth_smallest(return, k)), "the return that stands there", "fraction"),
    step("day", quote(row_of(return, at_rank)), "which day it was", "count"),
    step("beyond", quote(return <= at_rank), "whether a day was as bad or worse"),
    step("var_whole", quote(-at_rank * sqrt(horizon)), "value at risk of the book", "fraction")
  ))
}

# What it did on that day, and on the worst days.
holding_on_days_steps <- function(name) {
  of <- function(suffix) as.name(paste0(name, "_", suffix))
  r <- of("return")
  holding_part_steps(
    name, bquote(-value_at(.(r), day) * sqrt(horizon)),
    bquote(-(sum(beyond * .(r)) / k) * sqrt(horizon)), "what one unit of it lost on that day"
  )
}

holding_part_steps <- function(name, slope, es_slope, words) {
  of <- function(suffix) as.name(paste0(name, "_", suffix))
  list(
    step(paste0(name, "_slope"), slope, words),
    step(
      paste0(name, "_component"), call("*", of("weight"), of("slope")), "times its weight",
      "fraction"
    ),
    step(
      paste0(name, "_es_component"), call("*", of("weight"), es_slope),
      "and of expected shortfall", "fraction"
    )
  )
}

moments_of_book_steps <- function() {
  list(
    step("n", quote(count(return)), "how many days", "count"),
    step("centre", quote(sum(return) / n), "mean of the book", "fraction"),
    step("squares", quote(sum((return - centre)^2)), "squares about it"),
    step("sd", quote(sqrt(squares / (n - 1))), "standard deviation", "fraction"),
    step("z", quote(normal_quantile(1 - level)), "quantile of the standard normal distribution"),
    step(
      "var_whole", quote(-(centre * horizon + z * sd * sqrt(horizon))),
      "value at risk of the book", "fraction"
    ),
    step(
      "es_whole",
      quote(sd * sqrt(horizon) * normal_density(z) / (1 - level) - centre * horizon),
      "its expected shortfall", "fraction"
    )
  )
}

# What it loses with the book, by its slope on it.
holding_slope_steps <- function(name) {
  r <- as.name(paste0(name, "_return"))
  lean <- as.name(paste0(name, "_lean"))
  slope <- function(whole) {
    bquote(.(lean) * (.(as.name(whole)) + centre * horizon) - sum(.(r)) / n * horizon)
  }
  c(
    list(step(
      paste0(name, "_lean"), bquote(sum((return - centre) * .(r)) / squares),
      "its slope on the book"
    )),
    holding_part_steps(
      name, slope("var_whole"), slope("es_whole"), "how value at risk grows with it"
    )
  )
}

loss_at_rank <- function(column) bquote(-nth_smallest(.(column), k) * sqrt(horizon))

loss_by_moments <- function(column) {
  bquote(
    -(sum(.(column)) / n * horizon) - z * sqrt(horizon) *
      sqrt(sum((.(column) - sum(.(column)) / n)^2) / (n - 1))
  )
}

# By itself, and the book without it; of the book all by themselves.
alone_steps <- function(short, own, loss) {
  weighed <- lapply(short, function(name) {
    call("*", as.name(paste0(name, "_weight")), as.name(paste0(name, "_return")))
  })
  whole <- is.na(own)
  c(
    if (whole) {
      unlist(Map(function(name, r) {
        part <- paste0(name, "_part")
        list(
          step(part, r, "its part of the return", "fraction"),
          step(
            paste0(name, "_alone"), loss(as.name(part)), "value at risk of it alone", "fraction"
          )
        )
      }, short, weighed), FALSE, FALSE)
    } else {
      list(
        step("own_return", weighed[[own]], "its part of the return", "fraction"),
        step("rest_return", quote(return - own_return), "of all others", "fraction")
      )
    },
    list(
      step(
        "var_alone",
        if (whole) sum_of(paste0(short, "_alone")) else loss(quote(own_return)),
        if (whole) "all of them alone" else "value at risk of it alone", "fraction"
      ),
      step("saved", quote(var_alone - component), "what the others save", "fraction"),
      step(
        "incremental",
        if (whole) quote(var_whole + 0) else bquote(var_whole - .(loss(quote(rest_return)))),
        "value at risk of the book less that of the book without it", "fraction"
      ),
      step(
        "weight", if (whole) 1 else as.name(paste0(short[own], "_weight")), "its weight", "share"
      ),
      if (!whole) {
        step("marginal", as.name(paste0(short[own], "_slope")), "how it grows with its weight")
      }
    )
  )
}

# `name`: of the holding where its days are there, else NULL.
share_error_steps <- function(this, seed, name) {
  words <- c(
    share_error = "deviation of the share over draws of the book's days, with seed %s",
    share_low = "the share that 2.5 %% of these are below, with seed %s",
    share_high = "the share that 2.5 %% of these are above, with seed %s",
    share_near_low = "the least share that the five days on either side of the rank give",
    share_near_high = "the most",
    share_smooth = "the share by the regression of the holding on the book"
  )
  made <- if (!is.null(name) && !is.na(this$share_near_low)) near_share_steps(name)
  there <- vapply(made, `[[`, "", "name")
  c(lapply(setdiff(names(words), there), function(column) {
    if (is.na(this[[column]])) return(NULL)
    entered(column, this[[column]], sprintf(words[[column]], seed), "share", made_for = "*")
  }), made)
}

# The share by the days about the rank, and by the slope of the holding on the book.
near_share_steps <- function(name) {
  r <- as.name(paste0(name, "_return"))
  place <- function(rank) bquote(nth_smallest(return, .(rank)))
  about <- bquote(
    (return >= .(place(quote(higher_of(1, k - 5))))) *
      (return <= .(place(quote(lower_of(n, k + 5))))) * (return < 0)
  )
  list(
    step("about", about, "whether a day is within five of the rank, and a loss"),
    step(
      "about_low", quote(if_else(about, own_return / return, 1e9)),
      "its share on these days; all others out of the way", "share"
    ),
    step("about_high", quote(if_else(about, own_return / return, -1e9)), "and below", "share"),
    step(
      "share_near_low", quote(minimum(about_low)), "the least share that these days give", "share"
    ),
    step("share_near_high", quote(maximum(about_high)), "the most", "share"),
    step("centre", quote(sum(return) / n), "mean of the book", "fraction"),
    step(
      "lean", bquote(sum((return - centre) * .(r)) / sum((return - centre)^2)),
      "slope of the holding on the book"
    ),
    step(
      "share_smooth",
      bquote(
        .(as.name(paste0(name, "_weight"))) *
          (lean * (var_whole + centre * horizon) - sum(.(r)) / n * horizon) / var_whole
      ),
      "the share by that slope", "share"
    )
  )
}
