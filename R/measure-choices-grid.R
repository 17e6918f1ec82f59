# The grid of choices, what is measured at each of its points, and what hangs on each choice.

spans_of_years <- c("1 year", "2 years", "3 years", "5 years", "all")

usual_grids <- list(
  var = list(
    method = c("historical", "age-weighted", "volatility-scaled", "normal", "student", "ewma"),
    rank = c("nearest", "up", "down"), last = spans_of_years, kind = c("simple", "log")
  ),
  es = list(
    method = c("historical", "age-weighted", "volatility-scaled", "normal", "student", "ewma"),
    last = spans_of_years, kind = c("simple", "log")
  ),
  volatility = list(
    every = c("day", "week", "month"), last = spans_of_years, kind = c("simple", "log"),
    method = c("deviation", "ewma")
  ),
  drawdown = list(every = c("day", "week", "month"), last = spans_of_years),
  beta = list(
    every = c("day", "week", "month"), last = spans_of_years, kind = c("simple", "log")
  ),
  tracking_error = list(
    every = c("day", "week", "month"), last = spans_of_years, kind = c("simple", "log")
  )
)

# But for spans that are longer than the history, which are all of it, and periods that are shorter
# than those of the prices.
usual_grid <- function(measure, side) {
  grid <- usual_grids[[measure]]
  dates <- side$prices$dates
  fits <- vapply(grid$last, function(span) {
    span == "all" || span_before(dates[length(dates)], span) > dates[1L]
  }, NA)
  grid$last <- grid$last[fits]
  if (!is.null(grid$every)) {
    own <- match(side$usual, names(frequencies), nomatch = 1L)
    grid$every <- intersect(grid$every, names(frequencies)[own:length(frequencies)])
  }
  grid
}

of_sample <- c("kind", "every", "last")

# What each is varied of: the prices, of a book its holdings.
varied_side <- function(x, benchmark) {
  book <- if (inherits(x, "imbroglio_book")) x
  if (!is.null(book)) refuse_neutral(book, "choices are varied in percent of the book")
  returns <- if (is.null(book)) take_returns(x) else priced_of(book)
  if (is.null(returns$prices)) {
    fail(
      "argument", "Choices are varied of prices.", remedy = "Hand in prices, or a book of them."
    )
  }
  if (!is.null(book)) book$held <- "today"
  list(
    book = book, prices = returns$prices, kind = returns$kind, every = returns$stated,
    usual = returns$every, benchmark = benchmark
  )
}

# All combinations: a column for each choice, as text; `own`: the row that was chosen.
grid_of_choices <- function(over, choices, record, side) {
  taken <- names(formals(record$measure))
  taken <- setdiff(taken, c("returns", "benchmark", "window", "min_obs", "as", "value"))
  refuse_unknown_choices(c(names(over), names(choices)), c(of_sample, taken))
  usual <- list(
    kind = side$kind, last = "all",
    every = side$every %||% if (side$usual %in% names(frequencies)) side$usual else "as the prices"
  )
  own <- lapply(stats::setNames(nm = names(over)), function(name) {
    as_said(choices[[name]] %||% usual[[name]] %||% plain_default(record$measure, name))
  })
  values <- Map(function(name, each) unique(c(own[[name]], as_said(each))), names(over), over)
  values <- Filter(function(each) length(each) > 1L, values)
  if (!length(values)) {
    fail("argument", "No choice has more than one value.", remedy = "Name several of each.")
  }
  size <- prod(lengths(values))
  if (size > 20000) {
    fail("argument", sprintf("%s combinations are more than 20,000.", count(size)))
  }
  table <- expand.grid(values, stringsAsFactors = FALSE, KEEP.OUT.ATTRS = FALSE)
  list(values = values, taken = unlist(own[names(values)]), table = table, own = 1L)
}

as_said <- function(x) if (is.numeric(x)) number_exact(x) else as.character(x)

plain_default <- function(measure, name) {
  x <- formals(measure)[[name]]
  if (is.language(x)) x <- eval(x, baseenv())
  if (is.null(x)) "as by default" else x[1L]
}

# A rank convention is of methods by rank alone: beside others it is measured once.
without_idle <- function(row) {
  if (!is.null(row$rank) && !is.null(row$method)) {
    if (!isTRUE(known_var_methods()[[row$method]]$empirical)) row$rank <- "nearest"
  }
  row
}

# Each point once, all securities together. What fails is a row with its reason.
measured_grid <- function(grid, choices, record, side) {
  rows <- lapply(seq_len(nrow(grid$table)), function(i) {
    without_idle(as.list(grid$table[i, , drop = FALSE]))
  })
  keys <- vapply(rows, function(row) paste(unlist(row), collapse = "\r"), "")
  first <- which(!duplicated(keys))
  samples <- new.env(parent = emptyenv())
  found <- lapply(progress_along(first, "Measuring"), function(k) {
    i <- first[k]
    measured <- function() point_of_grid(rows[[i]], choices, record, side, samples)
    # What is chosen is told what there is to tell of it, and must be measurable.
    if (i == grid$own) return(measured())
    tryCatch(quietly_done(measured()), imbroglio_error = one_line_of)
  })
  own <- found[[1L]]
  table <- as.data.frame(own)
  securities <- setdiff(unique(table$security), side$benchmark)
  at <- match(keys, keys[first])
  numbers <- vapply(stats::setNames(nm = securities), function(security) {
    vapply(found, number_of_point, 0, security, record)[at]
  }, numeric(length(keys)))
  numbers <- matrix(numbers, length(keys), dimnames = list(NULL, securities))
  why <- vapply(found, function(one) if (is.character(one)) one else NA_character_, "")[at]
  errors <- lapply(stats::setNames(nm = securities), function(security) {
    error_of_row(table[table$security == security, ], record)
  })
  said <- sprintf(
    "%s of %s", count(length(keys), "combination"),
    some(sprintf("%s (%s)", names(grid$values), lengths(grid$values)), 12L)
  )
  if (length(first) < length(keys)) {
    idle <- count(length(keys) - length(first))
    said <- sprintf("%s; %s measured once, as others are the same", said, idle)
  }
  failed <- sum(!is.na(why))
  if (failed) said <- sprintf("%s; %s could not be measured", said, count(failed))
  list(
    securities = securities, numbers = numbers, why = why, errors = errors, said = said,
    basis = basis(own), source = attr(own, "source")
  )
}

# That of a volatility is of one period.
error_of_row <- function(row, record) {
  error <- if (!is.null(record$error)) row[[record$error]]
  if (length(error) != 1L) return(NA_real_)
  if (record$error == "volatility_error") error * row$volatility_annual / row$volatility else error
}

number_of_point <- function(one, security, record) {
  if (is.character(one)) return(NA_real_)
  table <- as.data.frame(one)
  x <- table[[record$number]][table$security == security]
  if (length(x) > 1L) {
    fail(
      "argument", "Choices are varied of one number.", remedy = "Choose one level and one horizon."
    )
  }
  if (length(x)) x else NA_real_
}

one_line_of <- function(e) sub("\n.*$", "", conditionMessage(e))

point_of_grid <- function(row, choices, record, side, samples) {
  chosen <- utils::modifyList(choices, row)
  sample <- chosen[intersect(of_sample, names(chosen))]
  key <- paste(c("of", names(sample), unlist(sample)), collapse = "\r")
  if (is.null(samples[[key]])) samples[[key]] <- varied_sample(sample, side)
  chosen <- chosen[setdiff(names(chosen), of_sample)]
  chosen <- chosen[!vapply(chosen, identical, NA, "as by default")]
  usual <- formals(record$measure)
  # The grid is of text.
  for (name in intersect(names(row), names(chosen))) {
    number <- suppressWarnings(as.numeric(chosen[[name]]))
    if (!is.character(usual[[name]]) && !is.na(number)) chosen[[name]] <- number
  }
  do.call(record$measure, c(
    list(samples[[key]]), if (isTRUE(record$beside)) list(benchmark = side$benchmark), chosen
  ))
}

varied_sample <- function(sample, side) {
  prices <- side$prices
  if (!is.null(sample$last) && sample$last != "all") prices <- window(prices, last = sample$last)
  every <- sample$every
  if (identical(every, "as the prices") || identical(every, side$usual)) every <- NULL
  returns <- as_returns(prices, kind = sample$kind %||% side$kind, every = every %||% side$every)
  if (is.null(side$book)) returns else held_on(side$book, returns)
}

# Of each choice its swing beside what was chosen, and its shares of the variance.
effects_of_grid <- function(numbers, grid, security) {
  table <- grid$table
  swings <- lapply(names(grid$values), function(name) {
    others <- setdiff(names(grid$values), name)
    beside <- Reduce(`&`, lapply(others, function(o) table[[o]] == grid$taken[[o]]), TRUE)
    rows <- which(rep_len(beside, nrow(table)) & !is.na(numbers))
    least <- rows[which.min(numbers[rows])]
    most <- rows[which.max(numbers[rows])]
    list(numbers[least], table[[name]][least], numbers[most], table[[name]][most])
  })
  part <- function(k, kind) vapply(swings, `[[`, kind, k)
  whole <- whole_grid(numbers, grid)
  shares <- vapply(names(grid$values), function(name) shares_of_choice(name, whole), c(0, 0))
  list(
    swing_low = part(1L, 0), least_at = part(2L, ""), swing_high = part(3L, 0),
    most_at = part(4L, ""), swing = part(3L, 0) - part(1L, 0),
    share_alone = unname(shares[1L, ]), share_together = unname(shares[2L, ])
  )
}

# The values with most holes are left out until there is none.
whole_grid <- function(numbers, grid) {
  table <- grid$table
  repeat {
    holes <- is.na(numbers)
    if (!any(holes)) break
    counts <- unlist(lapply(names(table), function(name) {
      each <- tapply(holes, table[[name]], mean)
      stats::setNames(each, paste(name, names(each), sep = "\r"))
    }))
    worst <- strsplit(names(which.max(counts)), "\r", fixed = TRUE)[[1L]]
    keep <- table[[worst[1L]]] != worst[2L]
    table <- table[keep, , drop = FALSE]
    numbers <- numbers[keep]
  }
  list(table = table, numbers = numbers)
}

shares_of_choice <- function(name, whole) {
  f <- whole$numbers
  m <- mean(f)
  total <- sum((f - m)^2)
  if (!length(f) || !(total > 0)) return(c(NA_real_, NA_real_))
  others <- whole$table[setdiff(names(whole$table), name)]
  group <- if (length(others)) do.call(paste, c(others, sep = "\r")) else rep("", length(f))
  c(
    sum((stats::ave(f, whole$table[[name]]) - m)^2) / total,
    sum((f - stats::ave(f, group))^2) / total
  )
}
