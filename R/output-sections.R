# What a report has, in its order: sections, and the parts of each. A section is a record (its
# title and its question), a part another: what it measures (`measure`, of the registry), of what
# (`of`: the `whole`, or `each` holding beside it), what there must be (`needs`), its arguments
# (`with`; those in `keeps` the study does not change), how it is drawn (`draws`), and what of it
# is seen at once (`above`: `lead`, `figure`, `table`); the rest stands under "more".

report_sections <- function() {
  list(
    limits = list(title = "Limits", asks = "Which are broken, since when, and what would help?"),
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

part <- function(section, measure, of = "each", needs = character(), above = character(),
                 with = NULL, keeps = character(), draws = draw_all, usual = TRUE, says = TRUE,
                 height = 5.4,
                 runs = measures()[[measure]]$measure, title = measures()[[measure]]$title) {
  list(
    section = section, measure = measure, of = of, needs = needs, above = above, with = with,
    keeps = keeps, draws = draws, usual = usual, says = says, height = height,
    runs = runs, title = title
  )
}

report_parts <- function() {
  shown <- c("lead", "figure", "table")
  said <- c("lead", "table")
  own <- list(
    limits = part("limits", "limits", "whole", "limits", shown, with = limits_with, says = FALSE),
    summary = part("universe", "summary", "whole", "universe", shown, keeps = "window"),
    check = part(
      "quality", "check", "prices", "prices", shown, runs = check_prices, title = "What was found"
    ),
    holdings = part(
      "book", "holdings", "book", "book", "table", runs = holdings_table, draws = NULL,
      title = "What is held", says = FALSE
    ),
    concentration = part("book", "concentration", "whole", "book", "lead", draws = NULL),
    selling = part("book", "selling", "whole", c("book", "volume"), usual = FALSE),
    volatility_rolling = part(
      "returns", "volatility", "whole", character(), "figure", with = rolling_with,
      title = "Volatility through time", says = FALSE
    ),
    return = part("returns", "return", above = said, keeps = "window"),
    volatility = part("returns", "volatility", above = "lead", keeps = "window"),
    return_split = part("returns", "return_split", "whole", "book", shown, with = added_with),
    downside = part("returns", "downside", keeps = "window"),
    ratios = part("returns", "ratios", keeps = "window"),
    currency = part("returns", "currency", "prices", "rates"),
    beta = part("benchmark", "beta", "each", "benchmark", shown, draws = draw_first),
    tracking = part("benchmark", "tracking", "each", "benchmark", "lead", keeps = "window"),
    capture = part("benchmark", "capture", "each", "benchmark", keeps = "window"),
    drawdown = part("falls", "drawdown", above = shown, keeps = "window", draws = draw_first),
    worst = part("falls", "worst", "whole", above = "lead"),
    fit = part("distribution", "fit", "whole", above = shown, draws = draw_first),
    var = part("risk", "var", "whole", above = shown, with = var_with),
    backtest = part(
      "risk", "backtest", "whole", above = "lead", with = backtest_with, height = 6.8
    ),
    var_each = part(
      "risk", "var", "each", "book", with = var_each_with, keeps = c("method", "level", "horizon"),
      title = "Of each holding alone"
    ),
    split = part("split", "split", "whole", "book", shown, with = split_with),
    volatility_split = part(
      "split", "volatility_split", "whole", "book", keeps = c("window", "benchmark")
    ),
    correlation = part(
      "split", "correlation", "returns", "several", keeps = "window"
    ),
    replay = part("replay", "replay", "whole", "book", shown)
  )
  # What has no place of its own here is shown where the study asks for it.
  placed <- vapply(own, `[[`, "", "measure")
  others <- lapply(stats::setNames(nm = setdiff(names(measures()), placed)), function(name) {
    of_book <- names(formals(measures()[[name]]$measure))[1L] == "book"
    part("more", name, "whole", if (of_book) "book", shown, usual = FALSE)
  })
  c(own, others)
}

# The parts of this work: what it has what they need for, and the study asks for.
parts_to_show <- function(work) {
  has <- names(which(work_has(work)))
  Filter(function(one) {
    all(one$needs %in% has) && if (is.null(work$wanted)) {
      one$usual
    } else {
      one$measure %in% c(work$wanted, "check", "holdings") ||
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
  prices = "prices", book = "a book", benchmark = "a benchmark", limits = "a file of limits",
  several = "several securities", universe = "several securities and no book",
  volume = "volumes", rates = "prices converted by rates"
)

limits_with <- function(work) {
  list(limits = work$limits)
}

added_with <- function(work) list(over = c("day", "month to date", "year to date"))

rolling_with <- function(work) list(window = work$settings$window)

var_with <- function(work) {
  work$settings[intersect(c("method", "horizon", "level"), names(work$settings))]
}

# The methods that the study measures by, each of which can be put to the test, one period ahead.
backtest_with <- function(work) {
  method <- work$choices$var$method %||% work$settings$method
  list(method = method, level = top_level(work))
}

var_each_with <- function(work) {
  method <- work$choices$var$method %||% work$settings$method
  list(method = method[1L], level = top_level(work), horizon = 1L)
}

split_with <- function(work) var_each_with(work)[c("method", "level")]

# What is held, as a table.
holdings_table <- function(book) {
  table <- as.data.frame(book)
  table[order(-abs(table$weight)), , drop = FALSE]
}

draw_all <- function(result, work) ggplot2::autoplot(result)

# Of a book and its holdings the book is drawn, which stands first.
draw_first <- function(result, work) {
  if (is.null(work$book)) return(ggplot2::autoplot(result))
  ggplot2::autoplot(result[result$security == work$book$name, ])
}
