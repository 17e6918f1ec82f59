# The workings of a replay: today's weights, carried along by the prices of then.

#' @export
working_of.imbroglio_replay <- function(result, row) {
  this <- row_of_result(result, row)
  value <- this$return_value %||% NA
  made <- replay_steps(result, this$episode)
  beside <- this$benchmark_return %||% NA
  list(
    rows = list(made$rows),
    choices = list(if (!is.na(value)) {
      choice("value", "what is held, in money", value / this$total_return, "money")
    }),
    steps = c(
      made$steps,
      list(
        step("total_return", quote(value_at(worth, count(worth)) - 1), "at its end", "fraction"),
        step("deepest", quote(minimum(worth) - 1), "the least on the way", "fraction"),
        step("deepest_date", quote(value_at(date, row_of(worth, minimum(worth)))), "when", "date"),
        step("n", quote(count(worth) - 1), "days with a price of a holding", "count"),
        step(
          "led_part",
          as.name(made$parts[[match(this$led_by, made$security)]]),
          paste("what", this$led_by, "added"),
          "fraction"
        )
      ),
      if (!is.na(beside)) {
        list(step(
          "benchmark_return",
          quote(value_at(beside_price, count(beside_price)) / value_at(beside_price, 1) - 1),
          paste(this$benchmark, "over the same"),
          "fraction"
        ))
      },
      if (!is.na(value)) {
        list(
          step("return_value", quote(total_return * value), "in money", "money"),
          step("deepest_value", quote(deepest * value), "in money", "money")
        )
      }
    ),
    main = "total_return"
  )
}

# `worth`: the value of the book on each day of an episode, of 1.
replay_steps <- function(result, episode) {
  episodes <- attr(result, "episodes")
  e <- episodes[[match(episode, vapply(episodes, `[[`, "", "name"))]]
  securities <- colnames(e$close)
  short <- unique_names(securities)
  columns <- stats::setNames(
    lapply(seq_along(short), function(j) unname(e$close[, j])),
    paste0(short, "_price")
  )
  if (!is.null(e$beside)) columns$beside_price <- e$beside
  of <- function(j, suffix) as.name(paste0(short[j], "_", suffix))
  parts <- paste0(short, "_part")
  worth <- Reduce(function(a, b) call("+", a, b), lapply(seq_along(short), function(j) {
    price <- of(j, "price")
    bquote(.(of(j, "weight")) * (.(price) / value_at(.(price), 1) - 1))
  }), quote(1))
  list(
    security = securities,
    parts = parts,
    rows = with_sources(
      rows_of_working(
        "prices",
        "closes of the holdings; on a day without one, the last, or what stood in for it",
        columns,
        e$dates,
        e$dates[1L],
        e$dates[length(e$dates)],
        window = TRUE
      ),
      attr(result, "source"),
      c(
        stats::setNames(securities, paste0(short, "_price")),
        if (!is.null(e$beside)) c(beside_price = basis(result)$choices[["benchmark"]])
      )
    ),
    steps = c(
      lapply(seq_along(short), function(j) {
        said <- sprintf("weight of %s %s", securities[j], basis(result)$book$held)
        entered(as.character(of(j, "weight")), e$weights[[j]], said, "share")
      }),
      list(step("worth", worth, "value of the book, of 1 at the start")),
      lapply(seq_along(short), function(j) {
        price <- of(j, "price")
        step(
          parts[j],
          bquote(
            .(of(j, "weight")) *
              (value_at(.(price), count(.(price))) / value_at(.(price), 1) - 1)
          ),
          paste("what", securities[j], "added"),
          "fraction"
        )
      })
    )
  )
}

#' @export
working_of.imbroglio_replay_split <- function(result, row) {
  this <- row_of_result(result, row)
  made <- replay_steps(result, this$episode)
  value <- this$component_value %||% NA
  own <- match(this$security, made$security)
  whole <- quote(value_at(worth, count(worth)) - 1)
  own_return <- if (is.na(own)) {
    whole
  } else {
    price <- as.name(sub("_part$", "_price", made$parts[own]))
    bquote(value_at(.(price), count(.(price))) / value_at(.(price), 1) - 1)
  }
  list(
    rows = list(made$rows),
    choices = list(if (!is.na(value)) {
      choice("value", "what is held, in money", value / this$component, "money")
    }),
    steps = c(
      made$steps,
      list(
        step("total_return", own_return, "what it returned itself", "fraction"),
        step(
          "component",
          if (is.na(own)) whole else as.name(made$parts[own]),
          "its part of what the book did",
          "fraction"
        ),
        step("share", bquote(component / .(call("(", whole))), "its share of it", "share"),
        entered("weight", this$weight, "its weight today", "share")
      ),
      if (!is.na(value)) {
        list(step("component_value", quote(component * value), "in money", "money"))
      }
    ),
    main = "component"
  )
}
