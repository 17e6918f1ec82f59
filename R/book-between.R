# A book of holdings of which some are priced less often than others. Between its own prices such a
# holding is bridged (drawn), carried, or the book is left on the dates that all have.

ways_between <- c("bridged", "priced", "carried")

# A regression on fewer own returns says little.
least_bridged <- 8L

# `today`: the weights. Gives the `returns` with what is made in them, and `between`: the way, and
# what is to be said of it; NULL where all holdings are priced alike often.
with_between <- function(returns, security, today, request, name) {
  way <- request$between
  if (!is.null(way)) check_choice(way, "between", ways_between)
  columns <- match(security, colnames(returns$values))
  rare <- security[rarer_than_most(frequency_part(returns$frequency, columns))]
  if (!length(rare)) {
    if (!is.null(way)) {
      note("between", "All holdings are priced alike often: there is nothing between.")
    }
    return(list(returns = returns))
  }
  gaps <- list(
    returns = returns, rare = rare, often = setdiff(security, rare), request = request,
    name = name,
    weights = stats::setNames(today$weights, security),
    every = adverb_of(returns$frequency$every[rare]),
    n = shared_returns(returns, columns),
    n_often = shared_returns(returns, match(setdiff(security, rare), colnames(returns$values)))
  )
  gaps$weight <- sum(abs(gaps$weights[rare])) / sum(abs(gaps$weights))
  costly <- gaps$n < gaps$n_often / 2 && gaps$weight < 0.5
  own <- core_observed(returns$values[, rare, drop = FALSE])
  few <- rare[own < least_bridged]
  if (is.null(way)) {
    way <- if (costly && !length(few)) "bridged" else "priced"
    if (way == "bridged") say_bridged(gaps)
  }
  if (way == "bridged" && length(few)) {
    fail(
      "too_short",
      sprintf("%s cannot be bridged between its own prices.", some(few)),
      where = sprintf("It has %s.", count(min(own), "return")),
      remedy = sprintf("%s are needed; or take the book as priced.", count(least_bridged))
    )
  }
  made <- switch(
    way, bridged = bridged_between(gaps), carried = carried_between(gaps), list(returns = returns)
  )
  if (way == "priced") {
    made$returns <- pairs_on_rarest(returns, security)
    gaps$n <- shared_returns(made$returns, columns)
    gaps$returns <- made$returns
    made$between <- priced_between(gaps, costly, length(few) == 0L)
  }
  made$between$way <- way
  made$between$rare <- rare
  made$between$carried <- function() carried_prices(gaps)
  made
}

# The way was not asked for.
say_bridged <- function(gaps) {
  note(
    "between",
    sprintf(
      "%s, %s %% of %s, %s priced %s: in between %s bridged, so that the book stays daily.",
      some(gaps$rare), in_percent(gaps$weight), gaps$name,
      if (length(gaps$rare) == 1L) "is" else "are", some(unique(gaps$every)),
      if (length(gaps$rare) == 1L) "it is" else "they are"
    ),
    remedy = paste(
      "`between = \"priced\"` leaves it on the dates that all have, `between = \"carried\"`",
      "carries prices on."
    )
  )
}

# The book on the dates that all holdings have.
priced_between <- function(gaps, costly, can_be_bridged) {
  dates <- shared_dates(gaps$returns, names(gaps$weights))
  every <- frequencies_of(dates, matrix(1, length(dates), 1L))$every
  if (costly) warn_costly(gaps, every, can_be_bridged)
  list(
    words = sprintf(
      "as priced: %s, the dates that %s with the others", count(gaps$n, paste(
        adverb_of(every), "return"
      )),
      paste(some(gaps$rare), if (length(gaps$rare) == 1L) "shares" else "share")
    ),
    opening = sprintf(
      "By the %s, as %s priced: ", every,
      paste(some(gaps$rare, 2L), if (length(gaps$rare) == 1L) "is" else "are")
    )
  )
}

warn_costly <- function(gaps, every, can_be_bridged) {
  by_way <- c(
    sprintf("as priced %s %%", in_percent(book_deviation(gaps, gaps$returns))),
    if (can_be_bridged) {
      sprintf("bridged %s %%", in_percent(book_deviation(gaps, bridged_between(gaps)$returns)))
    },
    sprintf("carried %s %%", in_percent(book_deviation(gaps, carried_prices(gaps))))
  )
  caution(
    "frequency",
    sprintf(
      paste(
        "%s has %s as %s priced, and %s without %s, %s %% of it: a period of it is a %s.",
        "Volatility a year: %s."
      ),
      gaps$name, count(gaps$n, "return"),
      paste(some(gaps$rare), if (length(gaps$rare) == 1L) "is" else "are"),
      count(gaps$n_often), if (length(gaps$rare) == 1L) "it" else "them",
      in_percent(gaps$weight), every, paste(by_way, collapse = ", ")
    ),
    remedy = if (can_be_bridged) {
      "`between = \"bridged\"` keeps the book daily; its basis says what is made."
    }
  )
}

in_percent <- function(x) format(round(100 * x, 1L), trim = TRUE, nsmall = 1L)

# The dates of the returns that the holdings have together.
shared_dates <- function(returns, security) {
  columns <- match(security, colnames(returns$values))
  returns$dates[core_common(
    returns$values[, columns, drop = FALSE], starts_of(returns)[columns], spans_gaps(returns),
    returns$kind == "log"
  )$row]
}

# A year, of the book as held today.
book_deviation <- function(gaps, returns) {
  both <- returns_together(returns, names(gaps$weights))
  if (nrow(both$r) < 2L) return(NA_real_)
  frequency <- frequencies_of(both$dates, matrix(1, length(both$dates), 1L))
  stats::sd(as.vector(both$r %*% gaps$weights)) * sqrt(frequency$per_year[[1L]])
}

# The last price stands until the next, and after the last where the holding has not stopped.
carried_prices <- function(gaps) {
  close <- gaps$returns$prices$close
  for (holding in gaps$rare) {
    days <- days_between(gaps, holding)$rows
    carried <- core_carry(close[, holding, drop = FALSE], nrow(close))
    close[days, holding] <- carried[days]
  }
  with_closes(gaps$returns, close, gaps$rare)
}

carried_between <- function(gaps) {
  returns <- carried_prices(gaps)
  so <- book_deviation(gaps, returns)
  priced <- book_deviation(gaps, on_shared_dates(gaps))
  hidden <- 1 - so / priced
  each <- sprintf(
    "%s (%s, %s %% of the book)", gaps$rare, gaps$every,
    in_percent(abs(gaps$weights[gaps$rare]) / sum(abs(gaps$weights)))
  )
  list(returns = returns, between = list(
    words = sprintf(
      "last prices of %s carried: %s", some(each),
      if (is.finite(hidden)) {
        sprintf(
          "volatility a year %s %%, on the dates that all share %s %%%s",
          in_percent(so), in_percent(priced),
          if (hidden > 0) sprintf(": %s %% of it is hidden", in_percent(hidden)) else ""
        )
      } else {
        "how much volatility that hides is not known"
      }
    ),
    opening = sprintf(
      "With the last price of %s carried between its prices: ", some(gaps$rare, 2L)
    )
  ))
}

# The book as priced, by which the other ways are judged.
on_shared_dates <- function(gaps) {
  suppressMessages(
    pairs_on_rarest(gaps$returns, names(gaps$weights)), classes = "imbroglio_note"
  )
}

# Where a holding lives beside those that are priced more often: the `rows` of the table, and of
# each row the own period that it lies in (one more after the last price).
days_between <- function(gaps, holding) {
  close <- gaps$returns$prices$close
  own <- which(!is.na(close[, holding]))
  there <- rowSums(!is.na(close[, gaps$often, drop = FALSE])) > 0L
  there[own] <- TRUE
  last <- if (holding %in% gaps$request$stopped) max(own) else max(which(there))
  rows <- which(there)
  rows <- rows[rows >= own[1L] & rows <= last]
  list(rows = rows, own = own, period = findInterval(rows, own, left.open = TRUE)[-1L])
}

# What a holding moves with between its own prices: the log returns on `rows`, and its name. That
# which is named stands in; else the benchmark, unless what it leaves of the holding moves with the
# rest of the book, which is then taken.
moves_with <- function(gaps, holding, rows) {
  named <- gaps$request$stand_ins[holding]
  asked <- length(named) && !is.na(named)
  series <- if (asked) named[[1L]] else gaps$request$benchmark
  if (is.null(series) || series %in% c(gaps$rare, holding)) return(moves_of_rest(gaps, rows))
  prices <- gaps$returns$prices
  close <- carried_on(prices$close[, series])[rows]
  if (anyNA(close)) {
    if (!asked) return(moves_of_rest(gaps, rows))
    fail(
      "argument",
      sprintf("%s has no price yet on %s, to stand in from.", series, prices$dates[rows[1L]]),
      remedy = "Name another series, or none: the rest of the book."
    )
  }
  list(by = series, moves = diff(log(close)), named = asked)
}

moves_of_rest <- function(gaps, rows) {
  prices <- gaps$returns$prices
  close <- vapply(gaps$often, function(one) carried_on(prices$close[, one]), prices$close[, 1L])
  close <- close[rows, , drop = FALSE]
  r <- close[-1L, , drop = FALSE] / close[-nrow(close), , drop = FALSE] - 1
  weight <- rep(gaps$weights[gaps$often], each = nrow(r)) * !is.na(r)
  r[is.na(r)] <- 0
  whole <- pmax(rowSums(abs(weight)), 1e-12)
  list(by = "the rest of the book", moves = log1p(rowSums(weight * r) / whole), named = FALSE)
}

carried_on <- function(x) as.vector(core_carry(cbind(x), length(x)))

# The holding on its own periods: R = a m + b S + e, the variance of e in proportion to m.
bridge_of <- function(gaps, holding) {
  at <- days_between(gaps, holding)
  beside <- moves_with(gaps, holding, at$rows)
  bridge <- bridge_by(gaps, holding, at, beside)
  alike <- correlation_with_rest(gaps, bridge)
  if (is.na(alike)) return(bridge)
  if (!beside$named) return(bridge_by(gaps, holding, at, moves_of_rest(gaps, at$rows)))
  caution(
    "bridge",
    sprintf(
      paste(
        "What %s leaves of %s moves with the rest of the book (correlation %s), which a bridge",
        "by it does not know of."
      ),
      bridge$by, holding, format(round(alike, 2L))
    ),
    remedy = sprintf("Without a stand-in %s is bridged by the rest of the book.", holding)
  )
  bridge
}

bridge_by <- function(gaps, holding, at, beside) {
  close <- gaps$returns$prices$close[, holding]
  inside <- at$period <= length(at$own) - 1L
  days <- as.numeric(table(at$period[inside]))
  sums <- as.vector(rowsum(beside$moves[inside], at$period[inside]))
  own <- diff(log(close[at$own]))
  X <- cbind(days, sums)
  if (!any(sums != 0)) X <- X[, 1L, drop = FALSE]
  fit <- stats::lm.wfit(X, own, 1 / days)
  spread <- chol2inv(qr.R(fit$qr))
  slopes <- c(unname(fit$coefficients), 0)[1:2]
  list(
    holding = holding, by = beside$by, at = at, moves = beside$moves, days = days, sums = sums,
    own = own, X = X, slopes = slopes, root = t(chol(spread)), beta = slopes[2L],
    left = sum(fit$residuals^2 / days), residual = fit$residuals,
    start = log(close[at$own[1L]])
  )
}

# One drawing of its log prices on the days between. Slopes and variance are drawn too, so that the
# drawings differ by as much as is not known; the root of the variance is right in the mean.
bridged_close <- function(bridge, number, seed) {
  free <- length(bridge$own) - ncol(bridge$X)
  days <- bridge$at$period
  drawn <- with_seed(digest::digest2int(paste(bridge$holding, number), seed), list(
    scale = stats::rchisq(1L, free), slopes = stats::rnorm(ncol(bridge$X)),
    days = stats::rnorm(length(days))
  ))
  variance <- bridge$left / length(bridge$own) * (free - 1.5) / drawn$scale
  slopes <- bridge$slopes
  drawn_slopes <- seq_len(ncol(bridge$X))
  slopes[drawn_slopes] <- slopes[drawn_slopes] +
    sqrt(variance) * as.vector(bridge$root %*% drawn$slopes)
  left <- bridge$own - slopes[1L] * bridge$days - slopes[2L] * bridge$sums
  z <- sqrt(variance) * drawn$days
  inside <- days <= length(bridge$own)
  at <- days[inside]
  z[inside] <- z[inside] - as.vector(rowsum(z[inside], at))[at] / bridge$days[at] +
    left[at] / bridge$days[at]
  exp(bridge$start + cumsum(slopes[1L] + slopes[2L] * bridge$moves + z))
}

bridged_returns <- function(gaps, bridges, number) {
  close <- gaps$returns$prices$close
  for (bridge in bridges) {
    rows <- bridge$at$rows[-1L]
    made <- is.na(close[rows, bridge$holding])
    drawn <- bridged_close(bridge, number, gaps$request$seed)
    close[rows[made], bridge$holding] <- drawn[made]
  }
  with_closes(gaps$returns, close, gaps$rare)
}

bridged_between <- function(gaps) {
  bridges <- lapply(gaps$rare, function(holding) bridge_of(gaps, holding))
  of_days <- vapply(bridges, function(b) mean(!b$at$rows %in% b$at$own), 0)
  weight <- abs(gaps$weights[gaps$rare]) / sum(abs(gaps$weights))
  made <- sum(weight * of_days)
  by <- vapply(bridges, `[[`, "", "by")
  most <- gaps$request$bridges
  list(
    returns = bridged_returns(gaps, bridges, 1L),
    between = list(
      words = paste0(
        paste(sprintf(
          "%s (%s, %s %% of the book) bridged by %s, beta %s on %s of its own",
          gaps$rare, gaps$every, in_percent(weight), by,
          format(round(vapply(bridges, `[[`, 0, "beta"), 2L), trim = TRUE, nsmall = 2L),
          vapply(bridges, function(b) count(length(b$own), "return"), "")
        ), collapse = ", "),
        sprintf(
          ": %s %% of the book's returns are made, drawn %s, seed %s",
          in_percent(made), if (most == 1L) "once" else sprintf("%s times", count(most)),
          gaps$request$seed
        )
      ),
      opening = sprintf(
        "%s %% of the book's returns are made (%s): ",
        format(signif(100 * made, 2L), trim = TRUE), bridged_words(gaps$rare, by)
      ),
      made = made,
      drawings = most,
      drawing = function(number) bridged_returns(gaps, bridges, number)
    )
  )
}

bridged_words <- function(rare, by) {
  each <- vapply(unique(by), function(series) {
    sprintf("%s bridged by %s", some(rare[by == series], 3L), series)
  }, "")
  paste(each, collapse = ", ")
}

# How much what is left of the holding moves with what is left of the rest of the book: on the days
# between it is drawn by itself. NA where it is too little to tell.
correlation_with_rest <- function(gaps, bridge) {
  if (bridge$by == "the rest of the book" || !length(gaps$often)) return(NA_real_)
  rest <- moves_of_rest(gaps, bridge$at$rows)$moves
  inside <- bridge$at$period <= length(bridge$own)
  rest <- as.vector(rowsum(rest[inside], bridge$at$period[inside]))
  root <- 1 / sqrt(bridge$days)
  apart <- stats::lm.fit(bridge$X * root, rest * root)$residuals
  left <- bridge$residual * root
  alike <- sum(apart * left) / sqrt(sum(apart^2) * sum(left^2))
  seen <- is.finite(alike) && abs(alike) >= 0.2 && abs(alike) * sqrt(length(bridge$own)) >= 3
  if (seen) alike else NA_real_
}

# The returns with other closes of some of their securities.
with_closes <- function(returns, close, securities) {
  columns <- match(securities, colnames(returns$values))
  own <- close[, securities, drop = FALSE]
  values <- returns$values
  values[, columns] <- core_returns(own, returns$kind == "log")
  of_own <- frequencies_of(returns$prices$dates, own)
  frequency <- returns$frequency
  for (part in names(of_own)) frequency[[part]][columns] <- of_own[[part]]
  altered(
    returns,
    values = values, prices = with_other_closes(returns$prices, close), frequency = frequency,
    every = every_of_all(frequency)
  )
}
