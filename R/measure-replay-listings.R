# What a replay lists: days, and holdings.

#' @rdname replay
#' @param result A result of `replay()`.
#' @return `replay_series()`: `security`, `episode`, `step` (days since the start, 0 first),
#'   `date`, `total_return` since the start, and with a value `return_value`.
#' @export
replay_series <- function(result) {
  episodes <- episodes_of(result)
  name <- basis(result)$book$name
  value <- attr(result, "value")
  columns <- stacked(lapply(episodes, function(e) {
    n <- length(e$value)
    list(
      security = rep(name, n),
      episode = rep(e$name, n),
      step = seq_len(n) - 1L,
      date = e$dates,
      total_return = e$value - 1
    )
  }))
  if (!is.null(value)) columns$return_value <- columns$total_return * value
  new_result(columns, "replay_series", basis(result), attr(result, "source"))
}

#' @rdname replay
#' @return `split_replay()`: for each period a row for each holding, the one that costs most first,
#'   and one for the book (last): `security`, `episode`, `weight` (today), `total_return` (its
#'   own), `component` (its part of the return of the book; they add up), `share`, `carried`,
#'   `stood_in`, and with a value `component_value`.
#' @export
split_replay <- function(result) {
  episodes <- episodes_of(result)
  value <- attr(result, "value")
  name <- basis(result)$book$name
  columns <- stacked(lapply(episodes, split_episode, name))
  if (!is.null(value)) columns$component_value <- columns$component * value
  made <- new_result(columns, "replay_split", basis(result), attr(result, "source"))
  attr(made, "episodes") <- episodes
  made
}

split_episode <- function(e, name) {
  n <- length(e$value)
  part <- unname(e$part[n, ])
  own <- unname(e$close[n, ] / e$close[1L, ]) - 1
  in_order <- order(part)
  whole <- e$value[n] - 1
  rows <- length(part) + 1L
  list(
    security = c(colnames(e$close)[in_order], name),
    episode = rep(e$name, rows),
    weight = c(unname(e$weights)[in_order], 1),
    total_return = c(own[in_order], whole),
    component = c(part[in_order], whole),
    share = c(part[in_order] / whole, 1),
    carried = c(as.integer(unname(e$carried)[in_order]), NA),
    stood_in = c(e$stood[in_order], NA)
  )
}

episodes_of <- function(result) {
  episodes <- attr(result, "episodes")
  if (!inherits(result, "imbroglio_replay") || is.null(episodes)) {
    fail("argument", "This is asked of a result of replay().")
  }
  # Rows may have been chosen.
  names <- vapply(episodes, `[[`, "", "name")
  episodes[match(unique(result$episode), names)]
}
