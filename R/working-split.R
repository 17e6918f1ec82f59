# The workings of a value at risk by holding, of a book's bootstrap and of a tail by its
# threshold.

#' @export
working_of.imbroglio_split <- function(result, row) {
  this <- row_of_result(result, row)
  table <- as.data.frame(result)
  same <- table$level == this$level & table$method == this$method
  of_book <- table$security == basis(result)$book$name
  holdings <- table[same & !of_book, ]
  whole <- table[same & of_book, ]
  if (!nrow(whole) ||
      abs(sum(holdings$component) - whole$component) > 1e-6 * abs(whole$component)) {
    fail(
      "working",
      "The parts of a split are shown beside each other, and rows of this one are missing.",
      remedy = "Ask the whole result."
    )
  }
  short <- unique_names(holdings$security)
  own <- match(this$security, holdings$security)
  value <- this$component_value %||% NA
  by_days <- split_by_days(result, this, holdings)
  list(
    rows = list(by_days$rows),
    choices = c(by_days$choices, if (!is.na(value)) {
      list(choice("value", "what is held, in money", value / this$component, "money"))
    }),
    steps = c(
      by_days$steps,
      if (is.null(by_days)) {
        c(
          split_loss_steps(short, own, holdings, whole),
          split_shortfall_steps(short, own, holdings, whole),
          split_part_steps(this, short[own])
        )
      },
      if (!is.na(own)) {
        share_error_steps(this, basis(result)$seed, if (!is.null(by_days)) short[own])
      },
      if (!is.na(value)) {
        list(
          step("component_value", quote(component * value), "in money", "money"),
          step("es_component_value", quote(es_component * value), "in money", "money")
        )
      }
    ),
    main = "component"
  )
}

sum_of <- function(names) added_up(lapply(names, as.name))

split_loss_steps <- function(short, own, holdings, whole) {
  parts <- paste0(short, "_component")
  c(
    unlist(lapply(seq_along(short), holding_steps, short, holdings), recursive = FALSE),
    list(
      step("in_all", sum_of(parts), "all components added up", "fraction"),
      entered("var_whole", whole$component, "value at risk of the book, as measured", "fraction"),
      step("left", quote(in_all - var_whole), "what is left between them"),
      step(
        "component",
        if (is.na(own)) quote(in_all) else as.name(parts[own]),
        "the part asked for",
        "fraction"
      ),
      step("share", quote(component / in_all), "its share of the whole", "share")
    )
  )
}

# Of one holding, or of the book: what it is by itself, and without the others.
split_part_steps <- function(this, name) {
  list(
    entered("var_alone", this$var_alone, "value at risk of it alone", "fraction"),
    step("saved", quote(var_alone - component), "what the others save", "fraction"),
    entered(
      "incremental",
      this$incremental,
      "value at risk of the book less that of the book without it, both measured",
      "fraction"
    ),
    step(
      "weight", if (is.na(name)) 1 else as.name(paste0(name, "_weight")), "its weight", "share"
    ),
    if (!is.na(name)) {
      step(
        "marginal",
        as.name(paste0(name, "_slope")),
        "how value at risk grows with its weight"
      )
    }
  )
}

# The same of expected shortfall, whose slopes are entered with the weights in them.
split_shortfall_steps <- function(short, own, holdings, whole) {
  parts <- paste0(short, "_es_component")
  c(
    lapply(seq_along(short), function(j) {
      entered(
        parts[j],
        holdings$es_component[j],
        sprintf(
          "what %s bears of expected shortfall, by %s",
          holdings$security[j],
          holdings$split_by[j]
        ),
        "fraction",
        proof = "es_left"
      )
    }),
    list(
      step(
        "es_in_all",
        sum_of(parts),
        "all added up",
        "fraction"
      ),
      entered(
        "es_whole",
        whole$es_component,
        "expected shortfall of the book, as measured",
        "fraction"
      ),
      step("es_left", quote(es_in_all - es_whole), "what is left between them"),
      step(
        "es_component",
        if (is.na(own)) quote(es_in_all) else as.name(parts[own]),
        "the part asked for",
        "fraction"
      )
    )
  )
}

# What one holding bears: its weight times the slope of the whole along it.
holding_steps <- function(j, short, holdings) {
  of <- function(suffix) paste0(short[j], "_", suffix)
  list(
    entered(of("weight"), holdings$weight[j], paste("weight of", holdings$security[j]), "share"),
    entered(
      of("slope"),
      holdings$marginal[j],
      sprintf(
        "how value at risk grows with that of %s, by %s",
        holdings$security[j],
        holdings$split_by[j]
      ),
      proof = "left"
    ),
    step(
      of("component"),
      call("*", as.name(of("weight")), as.name(of("slope"))),
      paste("what it bears:", holdings$security[j]),
      "fraction"
    )
  )
}

#' @export
working_of.imbroglio_bootstrap <- function(result, row) {
  this <- row_of_result(result, row)
  drawn <- attr(result, "drawn")
  about <- basis(result)
  errors <- book_errors(this, drawn, about)
  list(
    rows = c(list(rows_of_working(
      "paths",
      sprintf("values of the book over drawn paths, of 1, with seed %s", about$seed),
      list(worth = as.numeric(drawn$value))
    )), errors$rows),
    choices = c(
      list(level_choice(this$level), confidence_choice(result)),
      if (!is.na(this$var_value %||% NA)) {
        list(choice("value", "what is held, in money", this$var_value / this$var, "money"))
      }
    ),
    steps = c(
      list(
        step("ends", quote(worth - 1), "return of each path", "fraction"),
        step("drawn", quote(count(ends)), "how many paths", "count")
      ),
      lapply(rank_steps(this$rank, quote(ends))[-1L], with_paths),
      lapply(
        sample_loss_steps(FALSE, quote(ends), between = between_ranks(this)),
        with_paths
      ),
      errors$steps,
      if (!is.na(this$var_value %||% NA)) {
        list(
          step("var_value", quote(var * value), "in money", "money"),
          step("es_value", quote(es * value), "expected shortfall, in money", "money")
        )
      }
    ),
    shows = list(list(
      title = "The first paths: which days were drawn",
      table = first_paths(drawn)
    )),
    main = "var"
  )
}

# Of its days, and what is due to the draws; where that is none, the days alone.
book_errors <- function(this, drawn, basis) {
  days <- rows_of_working(
    "days",
    sprintf("returns of %s on the days that are drawn from, by its weights", this$security),
    list(return = as.vector(drawn$book$r %*% drawn$book$weights)), drawn$book$dates,
    of_data = TRUE
  )
  of_draws <- errors_of_drawing(this$level, drawn$how$draws)
  span <- list(
    step("from", quote(value_at(date, 1)), "the first day", "date"),
    step("to", quote(value_at(date, count(date))), "the last", "date"),
    step("n", quote(count(return)), "how many days", "count")
  )
  of_history <- if (!is.na(this$var_error)) {
    if (drawn$how$horizon == 1L) {
      history <- matrix(days$columns$return, dimnames = list(NULL, this$security))
      errors_of_drawn_days(list(
        returns = list(values = history), this = this, basis = basis, log = FALSE
      ))
    } else {
      errors_by_begun_days(this, list(ends = drawn$value - 1, how = drawn$how))
    }
  }
  list(
    rows = c(list(days), of_draws$rows, of_history$rows),
    steps = c(of_draws$steps, span, of_history$steps)
  )
}

first_paths <- function(drawn) {
  paths <- seq_len(min(5L, drawn$how$draws))
  days <- matrix(days_of_paths(drawn$how, paths), ncol = length(paths))
  data.frame(
    path = paths,
    worth = drawn$value[paths],
    days = apply(days, 2L, function(d) {
      paste0(
        paste(drawn$book$dates[utils::head(d, 3L)], collapse = ", "),
        if (length(d) > 3L) ", ..."
      )
    })
  )
}

#' @export
working_of.imbroglio_tail <- function(result, row) {
  this <- row_of_result(result, row)
  returns <- attr(result, "source")
  this$level <- basis(result)$exact$level
  sample <- rows_of_security(returns, this$security)
  about <- list(
    returns = returns,
    this = this,
    basis = basis(result),
    log = returns$kind == "log",
    horizon = 1,
    rows = sample$rows
  )
  about$basis$exact$tail <- this$k
  hill <- hill_working(about)
  keep <- function(steps, wanted) Filter(function(s) s$name %in% wanted, steps)
  at_threshold <- threshold_error_part(length(largest_losses(values_of(about), this$k)))
  list(
    rows = c(hill$rows, at_threshold$rows),
    choices = list(level_choice(this$level), confidence_choice(result)),
    steps = c(
      sample$steps,
      keep(hill$steps, c("n", "k", "threshold")),
      hill_shape_steps(about$log),
      pareto_shape_steps(about, keep),
      list(
        step(
          "mean_excess",
          quote(sum(tail_loss - threshold) / k),
          "mean of the losses beyond, over it",
          "fraction"
        )
      ),
      at_threshold$steps,
      tail_interval_steps()
    ),
    main = "hill_var"
  )
}

hill_shape_steps <- function(log) {
  list(
    step(
      "hill_shape",
      quote(sum(ln(tail_loss / threshold)) / k),
      "Hill's shape",
      source = "Hill (1975)"
    ),
    step(
      "by_hill",
      quote(threshold * (k / (n * (1 - level)))^hill_shape),
      "the loss by it",
      "fraction"
    ),
    step(
      "hill_var",
      if (log) quote(1 - exp(-by_hill)) else quote(by_hill),
      "value at risk by it",
      "fraction"
    )
  )
}

# The steps of the generalised Pareto distribution by the names that this result has.
pareto_shape_steps <- function(about, keep) {
  pareto <- pareto_working(about)
  if (is.null(pareto)) return(NULL)
  proof <- proof_names(c("shape", "scale"))
  steps <- keep(pareto$steps, c("shape", "scale", proof, "one_period", "ahead", "var"))
  steps <- renamed_steps(steps, c(shape = "pareto_shape", scale = "pareto_scale"))
  lapply(steps, function(s) {
    if (s$name == "var") s$name <- "pareto_var"
    s
  })
}

# How the loss at the threshold errs, by its rank; `most`: losses from the largest on.
threshold_error_part <- function(most) {
  part <- renamed_part(
    list(
      rows = list(rows_of_working(
        "worst", "places of the losses from the largest on",
        list(which = as.numeric(seq_len(most))), made_for = "tail"
      )),
      choices = list(),
      steps = lapply(resample_steps(function(value) call("-", value), quote(return)), function(s) {
        s$proof <- character()
        s
      })
    ),
    "threshold_", c("return", "n")
  )
  part$steps <- c(
    list(step("threshold_k", quote(k + 1), "the rank of the threshold", "count")),
    renamed_steps(part$steps, c(threshold_var_error = "threshold_error", k = "threshold_k"))
  )
  part
}

# What the mean and both shapes may be, by their errors.
tail_interval_steps <- function() {
  about_it <- function(name, of, error) {
    side <- function(end, sign, words) {
      expression <- call(sign, as.name(of), bquote(reach * .(as.name(error))))
      step(paste0(name, "_", end), expression, words)
    }
    list(side("low", "-", "from"), side("high", "+", "to"))
  }
  c(
    list(
      step("reach", quote(normal_quantile((1 + confidence) / 2)), "errors to either side"),
      step("of_log", quote((threshold_error / threshold)^2), "its square, of the logarithm"),
      step(
        "there", quote(sqrt(of_log * k / (1 - k / n))),
        "the shape that the returns about the threshold have"
      ),
      step(
        "change", quote(if_else(there > 0, hill_shape / there - 1, 0)),
        "how the shape changes with the threshold"
      ),
      step(
        "hill_error",
        quote(sqrt(
          sum((ln(tail_loss / threshold) - hill_shape)^2) / (k - 1) / k + change^2 * of_log
        )),
        "error of Hill's shape: of a mean, and of where the tail begins"
      ),
      step("pareto_error", quote((1 + pareto_shape) / sqrt(k)), "error of the fitted shape"),
      step(
        "excess_error",
        quote(sqrt(sum((tail_loss - threshold - mean_excess)^2) / (k - 1)) / sqrt(k)),
        "error of the mean excess"
      )
    ),
    about_it("hill", "hill_shape", "hill_error"),
    about_it("pareto", "pareto_shape", "pareto_error"),
    about_it("excess", "mean_excess", "excess_error")
  )
}
