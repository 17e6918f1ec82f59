# The working of a choice: the number at each combination, and what lies between those in which it
# is another.

#' @export
working_of.imbroglio_choices <- function(result, row) {
  this <- row_of_result(result, row)
  grid <- attr(result, "grid")
  numbers <- grid$numbers[, this$security]
  if (anyNA(numbers)) fail("working", "Some combinations could not be measured.")
  values <- grid$values[[this$choice]]
  size <- length(values)
  others <- setdiff(names(grid$values), this$choice)
  # Those that differ in this choice alone stand together.
  together <- do.call(order, c(
    lapply(others, function(o) match(grid$table[[o]], grid$values[[o]])),
    list(match(grid$table[[this$choice]], values))
  ))
  taken <- Reduce(
    `&`, lapply(others, function(o) grid$table[[o]] == grid$taken[[o]]), rep(TRUE, length(numbers))
  )
  columns <- list(
    measured = numbers[together],
    place = as.numeric(match(grid$table[[this$choice]], values)[together]),
    others_as_taken = as.numeric(taken[together])
  )
  list(
    rows = list(rows_of_working(
      "combinations",
      sprintf(
        "%s; %s is %s", count(length(numbers), "combination"), this$choice,
        some(sprintf("%d: %s", seq_along(values), values), 12L)
      ),
      columns
    )),
    steps = c(
      list(
        step("estimate", quote(sum(others_as_taken * (place == 1) * measured)), "as chosen"),
        step(
          "beside", quote(if_else(others_as_taken, measured, estimate)),
          "those with all else as chosen; in place of the others that"
        ),
        step("swing_low", quote(minimum(beside)), "the least, all else as chosen"),
        step("swing_high", quote(maximum(beside)), "the most"),
        step("swing", quote(swing_high - swing_low), "how far it goes"),
        step("grid_least", quote(minimum(measured)), "the least of all"),
        step("grid_most", quote(maximum(measured)), "the most of all"),
        step(
          "grid_below", quote(sum(measured < estimate) / count(measured)),
          "share of all below what was chosen", "share"
        ),
        if (!is.na(this$chance_error)) {
          entered(
            "chance_error", this$chance_error,
            "standard error of it, of which the working of the measure itself has the steps"
          )
        }
      ),
      if (!is.na(this$share_alone)) share_steps(this$choice, values)
    ),
    main = "swing"
  )
}

# What of the distances from the mean lies between the values of a choice, and what within those in
# which all else is the same.
share_steps <- function(choice, values) {
  size <- length(values)
  mean_at <- lapply(seq_len(size), function(l) {
    step(
      paste0("mean_", l), bquote(sum((place == .(l)) * measured) / sum(place == .(l))),
      sprintf("mean where %s is %s", choice, values[l])
    )
  })
  between <- added_up(lapply(seq_len(size), function(l) {
    bquote(sum(place == .(l)) * (.(as.name(paste0("mean_", l))) - mean)^2)
  }))
  group <- added_up(lapply(seq_len(size) - 1L, function(back) {
    if (back) bquote(before(measured, .(back))) else quote(measured)
  }))
  c(
    list(
      step("mean", quote(sum(measured) / count(measured)), "mean of all"),
      step("total", quote(sum((measured - mean)^2)), "how far all lie from it, squared")
    ),
    mean_at,
    list(
      step("between", between, "of that between the values of the choice"),
      step("share_alone", quote(between / total), "its share", "share"),
      step(
        "group_mean", bquote((.(group)) / .(size)),
        "in the last of those in which only this choice differs: their mean"
      ),
      step(
        "share_together",
        bquote(1 - sum((place == .(size)) * .(size) * (group_mean - mean)^2) / total),
        "the share that lies within those", "share"
      )
    )
  )
}
