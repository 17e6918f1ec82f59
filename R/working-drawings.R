# The working of a mean over drawings: that of the first in full, the numbers of the others as they
# were measured, and how they are put together.

#' @export
working_of.imbroglio_drawn <- function(result, row) {
  drawings <- attr(result, "drawings")
  row <- row_of_whole(result, row, drawings$whole)
  made <- working_of(drawings$first, row)
  names_of <- Filter(function(name) {
    if (is.character(drawings$first[[name]]) || is.logical(drawings$first[[name]])) return(FALSE)
    values <- vapply(drawings$each[[name]], function(v) as.numeric(v[row]), 0)
    whole <- as.numeric(drawings$whole[[name]][row])
    all(is.finite(c(values, whole))) && (length(unique(values)) > 1L || whole != values[1L])
  }, names(drawings$first))
  more <- made$more
  main <- made$steps
  made$steps <- with_drawings(main, names_of, drawings, row)
  if (!is.null(more)) {
    made$more <- function() {
      added <- more()
      added$steps <- with_drawings(added$steps, names_of, drawings, row, main)
      added
    }
  }
  made
}

# Where a row of what is left of a result stands in the whole.
row_of_whole <- function(result, row, whole) {
  same <- rep(TRUE, length(whole[[1L]]))
  for (name in names(whole)) same <- same & (whole[[name]] %in% result[[name]][row])
  which(same)[1L]
}

drawing_name <- function(name, number) paste0(name, "_drawing_", number)

# Steps of one drawing called so, and after each the mean over all.
# `earlier`: those that stand before them.
with_drawings <- function(steps, names_of, drawings, row, earlier = NULL) {
  steps <- Filter(Negate(is.null), steps)
  own <- intersect(vapply(steps, `[[`, "", "name"), names_of)
  before <- Filter(Negate(is.null), earlier)
  known <- union(own, intersect(vapply(before, `[[`, "", "name"), names_of))
  renamed <- renamed_steps(steps, stats::setNames(drawing_name(known, 1L), known))
  unlist(Map(function(s, was) {
    if (!was %in% own) return(list(s))
    s$words <- paste0(s$words, ", of the first drawing")
    c(list(s), steps_over_drawings(was, drawings, row, s$unit))
  }, renamed, vapply(steps, `[[`, "", "name")), FALSE)
}

steps_over_drawings <- function(name, drawings, row, unit) {
  columns <- names(drawings$first)
  most <- length(drawings$each[[name]])
  others <- others_drawn(name, drawings, row, unit)
  mean_of <- function(terms) bquote((.(added_up(terms))) / .(most))
  of_all <- function(name) lapply(drawing_name(name, seq_len(most)), as.name)
  of <- if (grepl("(^|_)(error|low|high)$", name) && name != "tracking_error") {
    estimate_named(name, columns)
  }
  counted <- !is.double(drawings$first[[name]]) || inherits(drawings$first[[name]], "Date")
  if (endsWith(name, "_p") || counted) {
    return(c(others, list(entered(
      name, as.numeric(drawings$whole[[name]][row]),
      if (counted) "the commonest over the drawings" else "the median over the drawings",
      unit, made_for = "*"
    ))))
  }
  if (is.null(of)) {
    return(c(others, list(step(name, mean_of(of_all(name)), "the mean over the drawings", unit))))
  }
  # What it is the error of may stand later, or nowhere: its drawings are entered here again.
  again <- entered_drawings(of, paste0(name, "_of"), drawings, row, unit)
  each <- lapply(paste0(name, "_of_", seq_len(most)), as.name)
  centre <- as.name(paste0(name, "_of_mean"))
  between <- as.name(paste0(name, "_between"))
  spread <- added_up(lapply(each, function(e) bquote((.(e) - .(centre))^2)))
  errors <- of_all(name)
  reach <- if (endsWith(name, "error")) {
    lapply(errors, function(e) bquote(.(e)^2))
  } else {
    Map(function(e, x) bquote((.(e) - .(x))^2), errors, each)
  }
  times <- stats::qnorm((1 + (attr(drawings$first, "basis")$exact$confidence %||% 0.95)) / 2)
  whole <- if (endsWith(name, "error")) {
    bquote(sqrt(.(mean_of(reach)) + .(between)))
  } else {
    sign <- if (endsWith(name, "low")) -1 else 1
    bquote(.(centre) + .(sign) * sqrt(.(mean_of(reach)) + .(times^2) * .(between)))
  }
  c(others, again, list(
    step(as.character(centre), mean_of(each), "the mean over the drawings", unit),
    step(
      as.character(between), bquote(.(1 + 1 / most) * (.(spread)) / .(most - 1)),
      "variance between the drawings, as far as it adds to the error", "number"
    ),
    step(name, whole, "of the drawings, and of what differs between them", unit,
         source = "Rubin (1987)")
  ))
}

others_drawn <- function(name, drawings, row, unit) {
  entered_drawings(name, paste0(name, "_drawing"), drawings, row, unit)[-1L]
}

entered_drawings <- function(name, called, drawings, row, unit) {
  values <- vapply(drawings$each[[name]], function(v) as.numeric(v[row]), 0)
  lapply(seq_along(values), function(i) {
    entered(
      paste0(called, "_", i), values[i], sprintf("%s as measured of drawing %d", name, i), unit,
      made_for = "*"
    )
  })
}
