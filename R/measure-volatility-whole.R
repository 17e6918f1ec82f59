# The volatility of whole samples, and of windows.

whole_volatility <- function(returns, per_year, choices) {
  ranges <- NULL
  dependent <- NULL
  samples <- list()
  parts <- lapply(choices$method, function(m) {
    record <- volatility_estimators()[[m]]
    data <- if (record$needs == "ranges") {
      ranges <<- ranges %||% ranges_of(returns)
    } else {
      returns$values
    }
    measured <- record$whole(data, choices)
    if (!is.null(measured$chances)) dependent <<- measured
    values <- if (record$needs == "ranges") data$night else data
    sample <- sample_of(returns$dates, values, measured$n %||% core_observed(values))
    samples[[m]] <<- sample
    interval <- volatility_interval(measured, sample$n, m, choices)
    list(
      security = colnames(returns$values),
      from = sample$from,
      to = sample$to,
      n = sample$n,
      volatility = measured$volatility,
      volatility_annual = measured$volatility * sqrt(unname(per_year)),
      volatility_error = measured$volatility * measured$spread / 2,
      volatility_low = interval$low,
      volatility_high = interval$high,
      method = rep(m, length(sample$n)),
      state = measured$state %||% rep(NA_character_, length(sample$n))
    )
  })
  errors <- c("errors by" = choices$errors, "returns taken as" = "independent")
  if (!is.null(dependent)) {
    errors[["returns taken as"]] <- words_of_chances(dependent$chances) %||% "not fitted"
    errors <- c(errors, draws = count(choices$draws))
    note_no_errors(dependent$why, "the volatility")
  }
  columns <- stacked(parts)
  warn_failed_fits(columns$security, columns$method, columns$state)
  if (all(is.na(columns$state))) columns$state <- NULL
  new_result(
    columns,
    "volatility",
    returns_basis_later(
      returns,
      samples[[1L]],
      per_year = per_year,
      choices = c(choices$words, errors, states_choice(columns$state, columns$security)),
      exact = choices[c("decay", "confidence")],
      seed = if (is.null(dependent)) NA_integer_ else choices$seed
    ),
    returns
  )
}

# `spread` is the relative error of the variance; that of its root is half of it.
volatility_interval <- function(measured, n, method, choices) {
  s <- measured$volatility
  tail <- (1 - choices$confidence) / 2
  if (choices$errors == "normal" && isTRUE(volatility_estimators()[[method]]$chi_squared)) {
    degrees <- ifelse(n > 1L, n - 1, NA_real_)
    return(list(
      low = s * sqrt(degrees / stats::qchisq(1 - tail, degrees)),
      high = s * sqrt(degrees / stats::qchisq(tail, degrees))
    ))
  }
  room <- exp(-stats::qnorm(tail) * measured$spread / 2)
  list(low = s / room, high = s * room)
}

rolling_volatility_of <- function(returns, windows, per_year, choices, as) {
  ranges <- NULL
  sample <- NULL
  longest <- 0L
  each <- expand.grid(
    i = seq_along(windows$window),
    method = choices$method,
    stringsAsFactors = FALSE
  )
  parts <- lapply(seq_len(nrow(each)), function(row) {
    record <- volatility_estimators()[[each$method[row]]]
    ranged <- record$needs == "ranges"
    data <- if (ranged) ranges <<- ranges %||% ranges_of(returns) else returns$values
    measured <- if (ranged) altered(returns, values = data$night) else returns
    longest <<- max(longest, most_observed(measured$values, min(windows$least)))
    window <- windows$window[each$i[row]]
    volatility <- record$rolling(data, window, windows$least[each$i[row]], choices)
    # Named here: in a list it would be copied to be named.
    if (as == "matrix") return(`dimnames<-`(volatility, dimnames(returns)))
    frame <- window_frame(measured)
    sample <<- sample %||% sample_of(measured$dates, measured$values, frame$n)
    volatility <- frame$pick(volatility)
    columns <- frame$columns(window)
    c(
      columns,
      list(
        volatility = volatility,
        volatility_annual = frame$scaled(volatility, sqrt(per_year))
      ),
      if (!choices$usual) {
        list(method = rep(each$method[row], length(volatility)))
      }
    )
  })
  warn_short(longest, min(windows$least))
  if (as == "matrix") return(parts[[1L]])
  words <- if (!choices$usual) choices$words
  new_result(
    stacked(parts),
    "volatility",
    returns_basis_later(returns, sample, per_year = per_year, choices = c(windows$words, words)),
    returns
  )
}
