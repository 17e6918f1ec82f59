# How far apart chance alone would put two samples, by draws of what was fitted to them.

# Compared by their ratio, so that what is large may stray by more.
compared_by_ratio <- c("volatility", "semi_deviation", "tracking_error", "var", "es", "drawdown")

# Two periods are fitted as one sample, as if nothing had changed between them; two series each by
# itself, and drawn together.
chance_of_pair <- function(pair, beside) {
  if (!beside) pair$a$beside <- pair$b$beside <- NULL
  if (pair$paired) {
    columns <- list(pair$a$x, pair$b$x)
    side <- rep(1L, length(pair$a$x))
    if (!is.null(pair$a$beside)) columns <- c(columns, list(pair$a$beside))
  } else {
    columns <- list(c(pair$a$x, pair$b$x))
    side <- rep(1:2, c(length(pair$a$x), length(pair$b$x)))
    if (!is.null(pair$a$beside)) columns <- c(columns, list(c(pair$a$beside, pair$b$beside)))
  }
  chance_of(columns, side, beside)
}

# Of each measure: the error of the difference, its interval and p, or why there is none. `apart`
# is how far the two are from each other on the scale on which they are compared, `strays` how far
# such differences stray, `reach` how far at the confidence, `as_far` how many draws were as far
# apart, of how many.
apart_by_chance <- function(pair, chances, a, b, per_year, request) {
  k <- length(request$measures)
  none <- rep(NA_real_, k)
  out <- list(
    why = rep(NA_character_, k), error = none, low = none, high = none, p = none, apart = none,
    strays = none, reach = none, as_far = none, of = none
  )
  for (beside in c(FALSE, TRUE)) {
    these <- which(request$beside == beside)
    if (!length(these)) next
    chance <- chances[[1L + beside]]
    for (i in these) {
      why <- not_compared(request$measures[i], pair, chance, a[i], b[i], request)
      out$why[i] <- why %||% NA_character_
    }
    these <- these[is.na(out$why[these])]
    if (!length(these)) next
    strayed <- strayed_by_chance(pair, chance, these, beside, per_year, request)
    for (i in these) {
      found <- one_apart(strayed[[match(i, these)]], a[i], b[i], request$measures[i], request)
      for (name in names(found)) out[[name]][i] <- found[[name]]
    }
  }
  out
}

on_its_scale <- function(measure) {
  if (measure %in% compared_by_ratio) function(x) suppressWarnings(log(abs(x))) else identity
}

# How far apart the two are in each draw.
strayed_by_chance <- function(pair, chance, these, beside, per_year, request) {
  n <- c(length(pair$a$x), length(pair$b$x))
  drawn <- figures_by_chance(
    chance, pair$paired, beside, target_a_period(request$target, per_year, "simple"),
    compared_ask(request), request$draws, request$seed
  )
  request$measures <- request$measures[these]
  sides <- lapply(1:2, function(s) {
    compared_numbers(matrix(drawn[, s, ], dim(drawn)[1L]), n[s], per_year[s], request)
  })
  lapply(seq_along(these), function(i) {
    on_scale <- on_its_scale(request$measures[i])
    strayed <- on_scale(sides[[1L]][i, ]) - on_scale(sides[[2L]][i, ])
    strayed <- strayed[is.finite(strayed)]
    # Two periods were drawn as if alike, two series as they are.
    if (pair$paired) strayed - mean(strayed) else strayed
  })
}

one_apart <- function(strayed, a, b, measure, request) {
  m <- length(strayed)
  if (m < request$draws / 2) return(list(why = "most samples drawn have no such number"))
  strayed <- sort(abs(strayed))
  on_scale <- on_its_scale(measure)
  apart <- on_scale(a) - on_scale(b)
  strays <- sqrt(mean(strayed^2))
  reach <- strayed[min(m, ceiling(request$confidence * (m + 1)))]
  as_far <- sum(strayed >= abs(apart))
  ends <- apart + c(-1, 1) * reach
  ratio <- measure %in% compared_by_ratio
  if (ratio) ends <- sort(2 * sign(a) * sqrt(a * b) * sinh(ends / 2))
  list(
    error = if (ratio) (abs(a) + abs(b)) / 2 * strays else strays,
    low = ends[1L],
    high = ends[2L],
    p = (1 + as_far) / (1 + m),
    apart = apart,
    strays = strays,
    reach = reach,
    as_far = as_far,
    of = m
  )
}

# Where no p would be sound.
not_compared <- function(measure, pair, chance, a, b, request) {
  if (is.null(chance$series)) return(chance$why)
  if (!is.finite(a) || !is.finite(b)) return("one of the two is not known")
  n <- c(length(pair$a$x), length(pair$b$x))
  if (measure %in% c("var", "es") && min(n) * (1 - request$level) < 1) {
    return(sprintf(
      "%s are too few to see beyond %s", count(min(n), "return"), unit_words(request$level)
    ))
  }
  whole <- nrow(chance$ranks)
  if (measure %in% c(compared_by_ratio, "correlation") && chance$clusters &&
      whole < difference_seen_from) {
    return(sprintf(
      "volatility clusters, and %s are too few to tell", count(whole, "return")
    ))
  }
  if (measure == "drawdown" && max(n) > 1.2 * min(n)) {
    return("a drawdown grows with the length of the sample, and these differ")
  }
  if (measure %in% compared_by_ratio && !(a * b > 0)) {
    return("they are compared by their ratio, and one is not on the same side of 0")
  }
  NULL
}

# What was fitted to each pair; beside a benchmark only where nothing else was measured.
chances_of_pairs <- function(compared) {
  found <- lapply(compared, function(c) Filter(Negate(is.null), c$pair$chances)[[1L]])
  stats::setNames(found, vapply(compared, function(c) c$pair$name, ""))
}
