# What a report has, in its order: sections, each a title and a question, and the parts of each,
# from the records of what they measure: see part().

report_sections <- function() {
  list(
    limits = list(title = "Limits", asks = "Which are broken, since when, and what would help?"),
    days = list(title = "Day by day", asks = "How did the numbers come to where they are?"),
    universe = list(title = "All beside each other", asks = "What does the whole look like?"),
    quality = list(title = "The prices", asks = "Can the data be trusted?"),
    book = list(title = "The book", asks = "What is held, and how many bets is it?"),
    returns = list(
      title = "Returns and volatility",
      asks = "What was earned, and how much did it move?"
    ),
    benchmark = list(
      title = "Against the benchmark",
      asks = "How does it move with the benchmark, and how far does it stray?"
    ),
    falls = list(
      title = "Falls and worst days",
      asks = "How far did it fall, when was it back, and which days were worst?"
    ),
    distribution = list(
      title = "The distribution of returns",
      asks = "Are the tails fatter than the normal distribution's?"
    ),
    risk = list(
      title = "Value at risk",
      asks = "What may be lost, and was that right in the past?"
    ),
    split = list(title = "Where the risk comes from", asks = "Which holding adds how much?"),
    replay = list(
      title = "The past replayed",
      asks = "What would today's holdings do if it came again?"
    ),
    more = list(title = "Also asked for", asks = "What else does the study measure?")
  )
}

# All parts by name, in the order of their sections: each with what it measures, by what and under
# which title.
report_parts <- function() {
  parts <- unlist(unname(lapply(names(all_records()), function(name) {
    record <- all_records()[[name]]
    lapply(record$parts, function(one) {
      one$measure <- name
      one$title <- one$title %||% record$title
      one$runs <- one$runs %||% record$measure
      one
    })
  })), FALSE)
  parts[order(
    match(vapply(parts, `[[`, "", "section"), names(report_sections())),
    vapply(parts, `[[`, 0, "place")
  )]
}

# The parts of this work: what it has what they need for, and the study asks for.
parts_to_show <- function(work) {
  has <- names(which(work_has(work)))
  Filter(function(one) {
    all(one$needs %in% has) && if (is.null(work$wanted)) {
      one$usual
    } else {
      one$measure %in% c(work$wanted, "check", "holdings", "history") ||
        (one$measure == "limits" && one$usual)
    }
  }, report_parts())
}

# What the study asks for and cannot have, each a part that failed.
lacking_parts <- function(work) {
  has <- names(which(work_has(work)))
  shown <- vapply(parts_to_show(work), `[[`, "", "measure")
  all_parts <- report_parts()
  first <- vapply(all_parts, `[[`, "", "measure")
  lapply(stats::setNames(nm = setdiff(work$wanted, shown)), function(measure) {
    name <- names(first)[first == measure][1L]
    asked <- all_parts[[name]]
    list(
      name = name, section = asked$section, says = FALSE, title = asked$title %||% measure,
      failed = sprintf("It needs %s.", some(need_words[setdiff(asked$needs, has)]))
    )
  })
}

need_words <- c(
  prices = "prices", returns = "returns, not profits", book = "a book",
  benchmark = "a benchmark", limits = "a file of limits",
  several = "several securities", universe = "several securities and no book",
  volume = "volumes", rates = "prices converted by rates", days = "records of two days"
)

# Of a book and its holdings the book is drawn, which stands first.
drawn_of_part <- function(result, work, draws) {
  if (draws == "first" && !is.null(work$book)) {
    result <- result[result$security == work$book$name, ]
  }
  ggplot2::autoplot(result)
}
