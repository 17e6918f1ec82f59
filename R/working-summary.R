# The working of a summary: those of the measures that it is of.

#' @export
working_of.imbroglio_summary <- function(result, row) {
  this <- row_of_result(result, row)
  returns <- attr(result, "source")
  sample <- rows_of_security(returns, this$security)
  free <- risk_free_working(result, returns, this)
  level <- basis(result)$exact$level
  fall <- wealth_steps_of_rows(sample$rows, returns$kind)
  choices <- c(list(year_choice(result, returns, this), level_choice(level)), free$choices)
  list(
    rows = list(sample$rows),
    choices = choices,
    steps = without_kinds(c(
      sample$steps,
      growth_steps(result, returns, sample$rows),
      moment_steps()[1:3],
      list(step(
        "volatility_annual",
        quote(volatility * sqrt(per_year)),
        "volatility a year",
        "fraction"
      )),
      free$steps,
      ratio_steps(),
      fall,
      list(step("max_drawdown", quote(minimum(below)), "the deepest", "fraction")),
      # How many there are is known.
      rank_steps("nearest")[-1L],
      sample_loss_steps(returns$kind == "log")
    )),
    more = function() against_benchmark(result, this, choices)
  )
}

# Beta above a risk-free return, and the rest without: each over the rows that both have.
against_benchmark <- function(result, this, choices) {
  returns <- attr(result, "source")
  about <- basis(result)
  this$benchmark <- choice_of(about, "benchmark")[[1L]]
  known <- c(this$security, this$benchmark) %in% colnames(returns$values)
  if (is.na(this$benchmark) || !all(known) || is.na(this$beta)) return(NULL)
  without_rate <- about
  without_rate$choices <- about$choices[names(about$choices) != "risk-free"]
  line <- rows_of_pair(returns, this, about)
  apart <- rows_of_pair(returns, this, without_rate)
  part <- function(beside, steps, prefix, keep) {
    own <- c(beside$choices, list(year_choice(result, returns, this, beside$frequency)))
    said <- lapply(choices, `[`, c("name", "value"))
    made <- vapply(own, function(one) list(one[c("name", "value")]) %in% said, NA)
    renamed_part(
      list(
        rows = list(beside$rows), choices = own[!made],
        steps = without_kinds(c(beside$steps, steps))
      ),
      prefix,
      keep
    )
  }
  parts <- list(
    part(line, line_steps(), "line_", "beta"),
    part(
      apart,
      c(line_steps()[1:6], tracking_steps()),
      "apart_",
      c("correlation", "tracking_error_annual", "information_ratio")
    )
  )
  lapply(stats::setNames(nm = names(parts[[1L]])), function(of) {
    unlist(lapply(parts, `[[`, of), recursive = FALSE)
  })
}

# A working that stands in another: its names begin with `prefix`, but for those to `keep`.
renamed_part <- function(part, prefix, keep) {
  columns <- unlist(lapply(part$rows, function(r) names(r$columns)))
  own <- c(vapply(c(part$choices, part$steps), `[[`, "", "name"), columns)
  called <- stats::setNames(ifelse(own %in% keep, own, paste0(prefix, own)), own)
  as_names <- lapply(called, as.name)
  renamed <- function(e) if (!is.null(e)) do.call(substitute, list(e, as_names))
  renamed_other <- function(other) {
    if (!is.list(other)) return(renamed(other))
    stats::setNames(lapply(other, renamed), called[names(other)])
  }
  again <- function(record) {
    record$name <- called[[record$name]]
    # No part counts years.
    record$moves <- NULL
    record["expression"] <- list(renamed(record$expression))
    if (is.null(record$value)) record$others <- lapply(record$others, renamed_other)
    record
  }
  list(
    rows = lapply(part$rows, function(r) {
      r$name <- paste0(prefix, r$name)
      names(r$columns) <- called[names(r$columns)]
      names(r$of) <- called[names(r$of)]
      names(r$left_out) <- called[names(r$left_out)]
      r
    }),
    choices = lapply(part$choices, again),
    steps = lapply(part$steps, again)
  )
}
