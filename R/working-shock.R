# The working of a shock: the slopes, the expected moves, what is left open.

#' @export
working_of.imbroglio_shock <- function(result, row) {
  this <- row_of_result(result, row)
  table <- as.data.frame(result)
  name <- basis(result)$book$name
  whole <- table$security == name
  if (sum(whole) != 1L || abs(sum(table$component[!whole]) - table$component[whole]) > 1e-9) {
    fail(
      "working",
      "The holdings are shown beside each other, and rows of this result are missing.",
      remedy = "Ask the whole result."
    )
  }
  exact <- basis(result)$exact
  table <- table[!whole, ]
  short <- unique_names(table$security)
  returns <- attr(result, "source")
  made <- rows_of_several(
    returns,
    stats::setNames(table$security, paste0(short, "_")),
    kind = "simple"
  )
  # Returns that were given as logarithms were made simple.
  if (!length(made$steps) && returns$kind == "log") {
    made$rows$columns <- lapply(made$rows$columns, expm1)
  }
  own <- if (this$security == name) "whole" else short[match(this$security, table$security)]
  value <- this$component_value %||% NA
  list(
    rows = list(made$rows),
    choices = list(
      choice("horizon", "periods that the moves take", exact$horizon, "count"),
      choice("confidence", "confidence of the interval", exact$confidence, "level"),
      if (!is.na(value)) {
        choice("value", "what is held, in money", value / this$component, "money")
      }
    ),
    steps = c(
      without_others(made$steps),
      given_steps(table, short),
      unlist(lapply(which(!table$given), function(j) {
        carried_steps(j, table, short, exact, returns, made)
      }), recursive = FALSE),
      whole_steps(table, short),
      shock_number_steps(this, own, value),
      list(step(
        "weight", if (own == "whole") 1 else as.name(paste0(own, "_weight")), "its weight", "share"
      ))
    ),
    main = "component"
  )
}

given_steps <- function(table, short) {
  unlist(lapply(seq_along(short), function(j) {
    of <- function(suffix) paste0(short[j], "_", suffix)
    c(
      list(entered(of("weight"), table$weight[j], paste("weight of", table$security[j]), "share")),
      if (table$given[j]) {
        list(
          entered(of("move"), table$move[j], paste("given:", table$security[j]), "fraction"),
          step(of("mean"), mean_of(of("return")), "its mean return", "fraction"),
          step(of("error"), quote(0 + 0), "nothing is left open of it", "fraction")
        )
      }
    )
  }), recursive = FALSE)
}

mean_of <- function(name) bquote(sum(.(as.name(name))) / count(.(as.name(name))))

# Of a holding that is not given: its slope on each that is.
carried_steps <- function(j, table, short, exact, returns, made) {
  of <- function(suffix, i = j) paste0(short[i], "_", suffix)
  name <- function(suffix, i = j) as.name(of(suffix, i))
  given <- which(table$given)
  centred <- exact$by == "conditional"
  slopes <- if (length(given) > 1L) {
    r <- made$values
    if (returns$kind == "log") r <- expm1(r)
    slopes_on_given(stats::cov(r), given)[j, ]
  }
  slope_name <- function(i) as.name(paste0(short[j], "_on_", short[i]))
  slope_steps <- lapply(seq_along(given), function(k) {
    i <- given[k]
    said <- sprintf("slope of %s on %s", table$security[j], table$security[i])
    if (length(given) > 1L) {
      return(entered(as.character(slope_name(i)), slopes[[k]], paste(said, "beside the others")))
    }
    apart <- bquote(.(name("return", i)) - .(name("mean", i)))
    step(as.character(slope_name(i)), bquote(
      sum((.(name("return")) - .(name("mean"))) * (.(apart))) / sum((.(apart))^2)
    ), said)
  })
  move <- added_up(c(
    if (centred) list(bquote(.(name("mean")) * horizon)),
    lapply(given, function(i) {
      from <- name("move", i)
      if (centred) from <- bquote((.(from) - .(name("mean", i)) * horizon))
      bquote(.(slope_name(i)) * .(from))
    })
  ))
  open <- Reduce(function(a, b) call("-", a, b), c(
    list(bquote(.(name("return")) - .(name("mean")))),
    lapply(given, function(i) {
      bquote(.(slope_name(i)) * (.(name("return", i)) - .(name("mean", i))))
    })
  ))
  c(
    list(step(of("mean"), mean_of(of("return")), paste("mean of", table$security[j]), "fraction")),
    slope_steps,
    list(
      step(of("move"), move, paste("expected:", table$security[j]), "fraction"),
      step(of("open"), open, "what the given returns do not explain", "fraction"),
      step(
        of("error"),
        bquote(sqrt(horizon * sum(.(name("open"))^2) / (count(.(name("open"))) - 1))),
        "its standard deviation",
        "fraction"
      )
    )
  )
}

whole_steps <- function(table, short) {
  products <- function(suffix, of = seq_along(short)) {
    added_up(lapply(of, function(j) {
      call("*", as.name(paste0(short[j], "_weight")), as.name(paste0(short[j], "_", suffix)))
    }))
  }
  open <- which(!table$given)
  c(
    list(step("whole_move", products("move"), "what the book would do", "fraction")),
    if (length(open)) {
      list(
        step("whole_open", products("open", open), "what is left open of the book", "fraction"),
        step(
          "whole_error",
          quote(sqrt(horizon * sum(whole_open^2) / (count(whole_open) - 1))),
          "its standard deviation",
          "fraction"
        )
      )
    } else {
      list(step("whole_error", quote(0 + 0), "nothing is left open", "fraction"))
    }
  )
}

shock_number_steps <- function(this, own, value) {
  move <- as.name(paste0(own, "_move"))
  error <- as.name(paste0(own, "_error"))
  component <- if (own == "whole") {
    bquote(.(move) + 0)
  } else {
    bquote(.(as.name(paste0(own, "_weight"))) * .(move))
  }
  reach <- quote(normal_quantile((1 + confidence) / 2))
  list(
    step("move", bquote(.(move) + 0), "the move asked for", "fraction"),
    step("move_low", bquote(move - .(reach) * .(error)), "its lower bound", "fraction"),
    step("move_high", bquote(move + .(reach) * .(error)), "its upper bound", "fraction"),
    step("component", component, "its part of what the book would do", "fraction"),
    if (!is.na(value)) {
      step("component_value", quote(component * value), "in money", "money")
    }
  )
}
