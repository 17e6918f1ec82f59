# What is said of values at risk that should not be trusted.

# What stands for less than one observation beyond the level. Paths of several periods are of
# sums, of which there are as many as were drawn.
warn_few <- function(columns, records, draws, unit = "return") {
  record <- records[columns$method]
  empirical <- vapply(record, `[[`, NA, "empirical")
  drawn <- vapply(record, function(r) "paths" %in% r$ways, NA) & columns$horizon > 1L
  weighted <- vapply(record, function(r) isTRUE(r$weighted), NA)
  beyond <- ifelse(drawn, draws, columns$n) * (1 - columns$level)
  few <- which(
    empirical &
      columns$n > 0L &
      (beyond < 1 - 1e-9 | (weighted & (columns$position %||% rep(NA, length(weighted))) %in% 1))
  )
  if (!length(few)) return(invisible())
  i <- few[1L]
  level <- format(columns$level[i])
  wanted <- count(ceiling(1 / (1 - columns$level[i]) - 1e-9), if (drawn[i]) "path" else unit)
  shown <- if (isTRUE(columns$rank[i] == "interpolate")) {
    "what is shown lies between the two worst"
  } else {
    "the worst one is what is shown"
  }
  caution(
    "few_observations",
    if (drawn[i]) {
      sprintf(
        "Of %s fewer than one lies beyond the level %s, so %s.",
        count(draws, "drawn path"),
        level,
        shown
      )
    } else if (weighted[i]) {
      sprintf(
        paste0(
          "By their weights about one or fewer of the %s of %s lies beyond the level %s, ",
          "so %s."
        ),
        count(columns$n[i], unit),
        columns$security[i],
        level,
        shown
      )
    } else {
      sprintf(
        "%s has only %s: fewer than one lies beyond the level %s, so %s.",
        columns$security[i],
        count(columns$n[i], unit),
        level,
        shown
      )
    },
    remedy = if (weighted[i]) {
      "Take a decay nearer to 1, or a lower level."
    } else {
      sprintf("This level wants %s or more.", wanted)
    }
  )
}

# A mean of losses from the value at risk on is no less than it, but for rounding; where a method
# says so, its distribution is none.
with_shortfall_beyond <- function(columns) {
  below <- which(columns$es < columns$var)
  rounding <- columns$var[below] - columns$es[below] <= 1e-9 * abs(columns$var[below]) + 1e-14
  columns$es[below[rounding]] <- columns$var[below[rounding]]
  none <- below[!rounding]
  if (length(none)) {
    caution(
      "method",
      sprintf(
        paste0(
          "%s puts the expected shortfall of %s below its value at risk, at %s: it is not ",
          "shown."
        ),
        columns$method[none[1L]],
        columns$security[none[1L]],
        format(columns$level[none[1L]])
      )
    )
    columns$es[none] <- NA_real_
    columns$es_error[none] <- NA_real_
  }
  columns
}

# The root of time knows no bottom.
warn_more_than_all <- function(columns, kind) {
  over <- which(columns$var > 1 | (columns$es > 1 & is.finite(columns$es)))
  if (kind != "simple" || !length(over)) return(invisible())
  i <- over[1L]
  caution(
    "more_than_all",
    sprintf(
      "The loss of %s over %s by %s is put at more than everything.",
      columns$security[i],
      count(columns$horizon[i], "period"),
      columns$method[i]
    ),
    remedy = paste0(
      "Simple returns do not grow with the root of time for so long: take log returns, ",
      "a shorter horizon, or a method that draws paths."
    )
  )
}

# Methods that are fitted want 20 returns or more; those that doubt themselves say so themselves.
warn_not_fitted <- function(columns, records) {
  says_so <- vapply(records[columns$method], function(r) isTRUE(r$says_none), NA)
  none <- which(is.na(columns$var) & columns$n > 0L & !says_so)
  if (!length(none)) return(invisible())
  one <- none[1L]
  others <- unique(columns$security[none])[-1L]
  caution(
    "method",
    sprintf(
      "%s has no value at risk by %s%s.",
      columns$security[one],
      some(unique(columns$method[none][columns$security[none] == columns$security[one]])),
      if (has_failed(columns$state[one])) {
        paste0(": its fit failed, ", sub("^failed: ", "", columns$state[one]))
      } else {
        ""
      }
    ),
    remedy = paste(
      c(
        if (!has_failed(columns$state[one])) {
          sprintf(
            "It has %s; %s are wanted, not all alike.",
            count(columns$n[one], "return"),
            records[[columns$method[one]]]$least %||% 20L
          )
        },
        if (length(others)) {
          sprintf("Nor %s %s.", if (length(others) > 1L) "have" else "has", some(others))
        },
        if (has_failed(columns$state[one])) "The others stand; another method may do."
      ),
      collapse = " "
    )
  )
}

# Where alpha is 0 the volatility does not follow the returns: what it then does over the sample
# goes on from how it began.
warn_no_clustering <- function(columns) {
  drifts <- which(grepl("alpha 0", columns$state, fixed = TRUE))
  if (!length(drifts)) return(invisible())
  caution(
    "method",
    sprintf(
      "%s finds no clustering in the returns of %s.",
      columns$method[drifts[1L]],
      some(unique(columns$security[drifts]))
    ),
    remedy = paste0(
      "Its volatility then drifts from the sample's by itself, whatever the returns: ",
      "another method says more."
    )
  )
}

# What a method itself says against its use on these returns, over the first horizon of which it
# has something to say.
warn_doubts <- function(returns, records, horizon, ways, request) {
  for (name in names(records)) {
    if (is.null(records[[name]]$doubt)) next
    for (h in if (ways[[name]] == "overlapping") 1L else unique(horizon)) {
      request$h <- h
      said <- vector("list", ncol(returns$values))
      perhaps <- records[[name]]$doubtful %||% function(values, request) seq_along(said)
      said[] <- list(NULL)
      for (j in perhaps(returns$values, request)) {
        x <- returns$values[!is.na(returns$values[, j]), j]
        doubt <- if (length(x)) records[[name]]$doubt(x, request)
        if (!is.null(doubt)) said[[j]] <- doubt
      }
      doubted <- which(!vapply(said, is.null, NA))
      if (length(doubted)) break
    }
    if (!length(doubted)) next
    over <- if (length(unique(horizon)) > 1L) sprintf(" over %s", count(h, "period")) else ""
    caution(
      "method",
      sprintf(
        "%s for %s%s %s.",
        name,
        colnames(returns$values)[doubted[1L]],
        over,
        said[[doubted[1L]]]
      ),
      remedy = if (length(doubted) > 1L) {
        sprintf(
          "So it is, in its own way, for %s.",
          count(length(doubted) - 1L, "more security", "more securities")
        )
      }
    )
  }
}

# A window in which less than one return lies beyond the level.
warn_few_beyond <- function(window, level) {
  if (window * (1 - level) >= 1 - 1e-9) return(invisible())
  caution(
    "few_observations",
    sprintf(
      paste0(
        "Of a window of %s fewer than one return lies beyond the level %s: methods by ",
        "rank show the worst one."
      ),
      count(window),
      format(level)
    )
  )
}

# Of numbers that stand and whose errors would not.
note_withheld <- function(columns, records) {
  for (name in names(records)) {
    said <- records[[name]]$no_errors
    without <- columns$method == name & is.finite(columns$var) & is.na(columns$var_error)
    if (is.null(said) || !any(without)) next
    note("errors", sprintf(
      "There are no errors of %s at %s for %s: it %s.", name,
      some(unique(unit_words(columns$level[without]))), some(unique(columns$security[without])),
      said
    ))
  }
}
