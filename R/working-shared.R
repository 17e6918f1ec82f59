# What the workings of the measures share. working_of() gives, of one row of a result: the
# `rows` it is over, the `choices` made, the `steps` to all of its numbers, each named
# as its column, and what it `shows`: tables of the observations that decided.

working_of <- function(result, row) UseMethod("working_of")

#' @export
working_of.default <- function(result, row) {
  fail(
    "working",
    sprintf("There is no working of %s.", gsub("_", " ", attr(result, "measure"))),
    remedy = "Ask the measure that it was made of."
  )
}

row_of_result <- function(result, row) lapply(as.list(as.data.frame(result)), `[`, row)

# Periods a year: those of the basis, else the security's own.
year_choice <- function(result, returns, this,
                        frequency = frequency_part(returns$frequency, this$security)) {
  about <- basis(result)
  taken <- about$exact$per_year %||% about$per_year
  if (is.na(taken)) taken <- frequency$per_year[[1L]]
  every <- frequency$every[[1L]]
  usual <- if (every == "day") c(250, 252, 260, 365) else frequencies[[every]]$per_year
  usual <- stats::setNames(as.list(usual), usual)
  own <- frequency$own[[1L]]
  if (!is.na(own)) usual[[sprintf("%s by its own dates", format(own, digits = 4L))]] <- own
  choice(
    "per_year",
    "periods a year",
    taken,
    others = usual[abs(unlist(usual) / taken - 1) > 1e-9],
    # Another number than the calendar's is what years are counted by, too.
    moves = list(years = quote(n / per_year))
  )
}

level_choice <- function(level, others = c(0.95, 0.99, 0.999)) {
  others <- others[abs(others - level) > 1e-9]
  choice(
    "level",
    "share of the outcomes that are no worse",
    level,
    "level",
    stats::setNames(as.list(others), paste("level", others))
  )
}

# Of the interval of an estimate; a rolling one has none.
confidence_choice <- function(result) {
  taken <- basis(result)$exact$confidence
  choice("confidence", "confidence of the interval", taken %||% NA, "level")
}

# Of what a user registered, or what was drawn along paths of its own, only what it says of itself
# is known. `numbers`: by name.
own_working <- function(numbers, record) {
  said <- paste0(
    record$title,
    if (nzchar(record$formula)) paste0(": ", record$formula),
    if (is.null(record$working)) ", as a function that was registered gives it"
  )
  numbers <- numbers[!vapply(numbers, is.na, NA)]
  list(steps = lapply(names(numbers), function(name) {
    entered(name, numbers[[name]], said, source = record$source, made_for = "*")
  }))
}

# The rows whose dates lie in the window of a row; of no window all.
in_window <- function(dates, this) {
  if (is.null(this$window)) return(seq_along(dates))
  which(dates >= this$from & dates <= this$to)
}

# The days on which a column is most: what they were and what they counted.
days_by <- function(dates, by, ..., most = 10L) {
  first <- utils::head(order(by, decreasing = TRUE), most)
  columns <- lapply(list(...), `[`, first)
  do.call(data.frame, c(list(date = dates[first]), columns, list(check.names = FALSE)))
}

# Steps by other names, wherever they are used. `names_of`: the new, by the old.
renamed_steps <- function(steps, names_of) {
  called <- lapply(names_of, as.name)
  renamed <- function(e) {
    if (is.list(e)) return(lapply(e, renamed))
    if (is.null(e)) NULL else do.call(substitute, list(e, called))
  }
  by_name <- function(x) {
    known <- x %in% names(names_of)
    x[known] <- names_of[x[known]]
    unname(x)
  }
  lapply(Filter(Negate(is.null), steps), function(s) {
    if (!is.null(s$expression)) s$expression <- renamed(s$expression)
    s$others <- lapply(s$others, function(other) {
      if (!is.list(other)) return(renamed(other))
      stats::setNames(renamed(other), by_name(names(other)))
    })
    s$proof <- by_name(s$proof)
    s$name <- by_name(s$name)
    s
  })
}
