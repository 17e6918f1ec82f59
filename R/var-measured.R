# Value at risk as it is asked for, and measured by one method.

check_methods <- function(method) {
  known <- known_var_methods()
  check_choice(method, "method", names(known), several = TRUE)
  known[unique(method)]
}

check_errors <- function(errors, records) {
  if (errors == "sandwich" && !any(is_likely(records, errors))) {
    fail(
      "argument",
      sprintf("%s %s no errors by the sandwich.", some(names(records)),
              if (length(records) > 1L) "have" else "has"),
      remedy = "\"sandwich\" is for the families of distributions; leave `errors` out."
    )
  }
  errors
}

# Whose errors are by a likelihood; and by the sandwich too.
is_likely <- function(records, errors = "model") {
  vapply(records, function(r) {
    isTRUE(r$likely) && (errors != "sandwich" || !isFALSE(r$sandwich))
  }, NA)
}

any_chance <- function(records, horizon) {
  chance <- unlist(lapply(records, `[[`, "chance"))
  "always" %in% chance || ("ahead" %in% chance && any(horizon > 1L))
}

# How each method reaches the horizon.
ways_of <- function(records, horizon_by) {
  if (is.null(horizon_by)) return(lapply(records, function(r) r$ways[1L]))
  check_choice(horizon_by, "horizon_by", c("sqrt", "overlapping", "power", "paths", "forecast"))
  lacking <- names(records)[!vapply(records, function(r) horizon_by %in% r$ways, NA)]
  if (length(lacking)) {
    fail(
      "argument",
      sprintf("%s cannot reach a horizon by \"%s\".", some(lacking), horizon_by),
      where = sprintf(
        "%s goes by %s.",
        lacking[1L],
        some(sprintf('"%s"', records[[lacking[1L]]]$ways))
      ),
      remedy = "Leave `horizon_by` out for each method's own way."
    )
  }
  lapply(records, function(r) horizon_by)
}

# What is asked of a method, checked.
requested <- function(returns, level, decay = NULL, half_life = NULL, tail = 0.1, block = NULL,
                  draws = 10000L, seed = 1L, confidence = 0.95, rank = "nearest") {
  level <- unique(check_level(level))
  block <- if (!is.null(block)) check_positive(block, "block")
  if (!is.null(block) && block < 1) {
    fail("argument", "`block` must be 1 or more.", where = sprintf("It is %s.", block))
  }
  list(
    level = level,
    log = returns$kind == "log",
    adds = returns$kind == "profit",
    rank = check_choice(rank, "rank", rank_conventions),
    decay = check_decay(decay, half_life),
    tail = check_tail(tail),
    block = block,
    draws = check_draws(draws),
    seed = check_whole(seed, "seed", least = -.Machine$integer.max),
    confidence = check_fraction(confidence, "confidence"),
    errors = "model",
    h = 1L,
    by = "sqrt",
    scale = 1
  )
}

measured_var <- function(returns, record, name, h, rank, way, request) {
  values <- returns$values
  if (way == "overlapping" && h > 1L) {
    values <- core_overlapping_returns(values, h, request$log || request$adds)
  } else {
    request$h <- h
    request$by <- way
    request$scale <- sqrt(h)
  }
  request$rank <- rank
  measured <- record$whole(values, request)
  if (!is.null(record$blocks) && !is.null(returns$today) && h > 1L) {
    measured <- by_holdings_drawn(measured, returns$today, h, record$blocks, request)
  }
  each <- rep(seq_len(ncol(values)), each = length(request$level))
  sample <- sample_of(returns$dates, returns$values)
  nothing <- rep(NA_real_, length(each))
  of <- function(column) if (length(measured[[column]])) measured[[column]] else nothing
  list(
    security = colnames(returns$values)[each],
    from = sample$from[each],
    to = sample$to[each],
    n = as.integer(measured$n),
    level = rep(request$level, ncol(values)),
    horizon = rep(h, length(each)),
    var = measured$var,
    es = of("es"),
    method = rep(name, length(each)),
    rank = rep(as.character(rank), length(each)),
    horizon_by = rep(way, length(each)),
    var_error = of("var_error"),
    es_error = of("es_error"),
    var_low = of("var_low"),
    var_high = of("var_high"),
    draw_error = of("draw_error"),
    position = of("position"),
    observed = returns$dates[as.integer(of("row"))],
    worse = of("worse"),
    milder = of("milder"),
    rank_least = of("rank_least"),
    rank_most = of("rank_most"),
    state = as.character(of("state"))
  )
}

# A book's paths are those of its holdings, which drift along them.
by_holdings_drawn <- function(measured, today, h, blocks, request) {
  how <- drawing(nrow(today$r), h, blocks, request)
  drawn <- core_draw_book(
    1 + today$r, today$weights, today$cash, how$horizon, how$draws, how$code, how$length, how$seed
  )
  of_book <- of_draws(drawn$value - 1, how, request, as.vector(today$r %*% today$weights))
  for (name in intersect(names(measured), names(of_book))) {
    measured[[name]][seq_along(request$level)] <- of_book[[name]]
  }
  measured
}

var_choices <- function(records, horizon, ways, rank, request) {
  chance <- any_chance(records, horizon)
  c(
    method = paste(names(records), collapse = ", "),
    if (any(vapply(records, `[[`, NA, "empirical"))) {
      c(rank = paste(unique(rank), collapse = ", "))
    },
    horizon = if (identical(as.integer(horizon), 1L)) {
      "1"
    } else {
      paste(
        if (length(horizon) > 2L) {
          paste(min(horizon), "to", max(horizon))
        } else {
          paste(horizon, collapse = ", ")
        },
        "by",
        paste(unique(unlist(ways)), collapse = ", ")
      )
    },
    if (!is.null(attr(horizon, "asked"))) c("horizon asked" = attr(horizon, "asked")),
    if (!is.null(request$decay)) c(decay = format(request$decay)),
    if ("tail" %in% unlist(lapply(records, `[[`, "options"))) c(tail = format(request$tail)),
    if (!is.null(request$block)) c(block = format(request$block)),
    if (chance) c(draws = count(request$draws)),
    if (request$errors != "none" && any(is_likely(records, request$errors))) {
      c(errors = sprintf(
        if (request$errors == "model") {
          "of %s as if the returns were of that kind"
        } else {
          "of %s by the sandwich, which does not take that kind of returns as given"
        },
        some(names(records)[is_likely(records, request$errors)])
      ))
    }
  )
}
