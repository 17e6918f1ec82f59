# The working of how soon a holding could be sold, and what may be lost meanwhile.

#' @export
working_of.imbroglio_selling <- function(result, row) {
  this <- row_of_result(result, row)
  name <- basis(result)$book$name
  exact <- basis(result)$exact
  if (this$security == name) {
    fail(
      "working",
      "The days of a book are those of its slowest holding, its value at risk of many mixtures.",
      remedy = "Ask the working of a holding."
    )
  }
  source <- attr(result, "source")
  volume <- source$prices$fields$volume[, this$security]
  there <- utils::tail(which(!is.na(volume)), exact$window)
  days <- seq(0, max(ceiling(this$days) - 1, 0))
  held <- attr(result, "held")
  sample <- book_sample(result, held$security, NULL)
  short <- unique_names(held$security)[match(this$security, held$security)]
  own <- as.name(paste0(short, "_return"))
  list(
    rows = list(
      sample$rows,
      rows_of_working("volumes", paste("volumes of", this$security),
                      list(traded = unname(volume[there])), source$prices$dates[there]),
      rows_of_working("selling", "days from now", list(day = days), made_for = "share")
    ),
    choices = list(
      chosen("share", "share of the volume that is taken", exact$share, "share"),
      level_choice(exact$level)
    ),
    steps = c(
      sample$steps,
      list(
        entered("shares", this$shares, "shares held", "count"),
        entered("weight", this$weight, "its weight", "share"),
        step("volume", quote(sum(traded) / count(traded)), "average volume", "count"),
        step("days", quote(abs(shares) / (share * volume)), "days that it takes to sell it"),
        step("left", quote(higher_of(0, 1 - day / days)), "what is left at the start of each day"),
        step("held_return", bquote(.(sign(this$weight)) * .(own)), "return as it is held")
      ),
      rank_steps("nearest", quote(held_return)),
      list(
        step("var_day", quote(-nth_smallest(held_return, k)), "value at risk of one day",
          "fraction"),
        step("var_selling", quote(var_day * sqrt(sum(left^2))), "until all is sold", "fraction"),
        entered("var_selling_value", this$var_selling_value, "in money", "money", made_for = "*")
      )
    ),
    main = "days"
  )
}
