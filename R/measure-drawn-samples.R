# What chance does to an estimate: samples drawn anew from what was fitted to the returns,
# Student's t and volatility that clusters where it does, and what is made of them.

# Below as many returns no test tells whether volatility clusters: then the fit stands as it is.
# Twice the log-likelihood ratio that clustering is found by. Both by bench/chance-study.md.
clusters_seen_from <- 250L
clustering_ratio <- 3
# Where it does, as many tell whether two samples of it differ, and as many by how much the level
# of one strays, if its memory is not too long.
difference_seen_from <- 500L
level_seen_from <- 2000L
# Of fatter tails than these (degrees of freedom) the volatility itself is hardly known.
fattest_tails <- 2.05

# A series as it is drawn, fitted to all of its sides as one. `x`: its returns; `side`: which of
# them belong together, each about its own mean.
chance_of_series <- function(x, side) {
  n <- length(x)
  own <- x - stats::ave(x, side)
  refused <- function(why) list(why = why)
  if (n < 20L) return(refused(sprintf("%s are too few", count(n, "return"))))
  if (any(tapply(x, side, function(s) all(s == s[1L])))) {
    return(refused("the returns do not differ"))
  }
  leaning <- leaning_of(own)
  e <- if (leaning$leans) c(own[1L], own[-1L] - leaning$slope * own[-n]) else own
  fit <- fitted_garch(cbind(e), TRUE)
  if (has_failed(fit$state)) {
    return(refused(sprintf("no volatility that clusters could be fitted (%s)", fit$state)))
  }
  taken <- clustered_or_flat(e, fit)
  if (taken$nu < fattest_tails) {
    return(refused(sprintf("their tails are too fat (%.1f degrees of freedom)", taken$nu)))
  }
  path <- core_garch_path(cbind(e), cbind(0, taken$model, taken$nu))[, 1L]
  list(
    series = c(
      mean(x), if (leaning$leans) leaning$slope else 0, taken$model, start = taken$variance
    ),
    nu = taken$nu,
    rest = e,
    fit = if (taken$clusters && fit$state %in% c("inside", normal_limit)) fit$estimate[1L, ],
    innovations = e / c(sqrt(taken$variance), path[-n]),
    leans = leaning$leans,
    clusters = taken$clusters,
    may_cluster = taken$clusters || n < clusters_seen_from,
    memory = 1 / (1 - min(taken$lasting, 1)),
    n = n
  )
}

# Volatility that clusters, where a test finds it or too few returns are there to tell; else
# Student's distribution of one variance.
clustered_or_flat <- function(e, fit) {
  at <- fit$estimate[1L, ]
  variance <- mean(e^2)
  flat <- core_fit_family(cbind(e), "student", FALSE)
  ratio <- 2 * (fit$log_likelihood - flat$log_likelihood)
  clusters <- at[[3L]] > 0 && (flat$ended < 0L || ratio > clustering_ratio)
  if (clusters || (length(e) < clusters_seen_from && at[[3L]] > 0)) {
    lasting <- at[[3L]] + at[[4L]]
    model <- about_variance(variance, lasting, at[[3L]] / lasting, length(e))
    return(list(
      clusters = clusters, lasting = lasting, model = model, nu = at[[5L]], variance = variance
    ))
  }
  list(
    clusters = FALSE, lasting = 0, model = cbind(variance, 0, 0), variance = variance,
    nu = if (flat$ended == 0L) flat$estimate[1L, 3L] else Inf
  )
}

normal_limit <- "at its limit of normal innovations"

# omega, alpha and beta that keep to the sample's own variance; nothing lasts longer than it.
about_variance <- function(variance, lasting, share, n) {
  lasting <- pmin(lasting, 1 - 1 / n)
  cbind(variance * (1 - lasting), lasting * share, lasting * (1 - share), deparse.level = 0L)
}

# Whether a return leans on the one before it: the autocorrelation beyond two errors that allow
# for changing volatility.
leaning_of <- function(x) {
  before <- x[-length(x)]
  after <- x[-1L]
  slope <- sum(before * after) / sum(x^2)
  error <- sqrt(sum((before * after)^2)) / sum(x^2)
  list(slope = slope, leans = abs(slope) > stats::qnorm(0.975) * error)
}

# Series that are drawn together. `columns`: their returns on the same dates. Beside a benchmark,
# the last of them, each other is drawn as what the benchmark makes of it and the rest, which may
# cluster each by itself.
chance_of <- function(columns, side, beside) {
  load <- rep(0, length(columns))
  if (beside) {
    benchmark <- columns[[length(columns)]]
    apart <- benchmark - stats::ave(benchmark, side)
    for (j in seq_len(length(columns) - 1L)) {
      load[j] <- sum(columns[[j]] * apart) / sum(apart^2)
      columns[[j]] <- columns[[j]] - load[j] * benchmark
    }
    if (!all(is.finite(load))) return(list(why = "the benchmark does not move"))
  }
  fitted <- lapply(columns, chance_of_series, side)
  why <- unlist(lapply(fitted, `[[`, "why"))
  if (length(why)) return(list(why = why[1L]))
  list(
    series = cbind(do.call(rbind, lapply(fitted, `[[`, "series")), load),
    quantiles = vapply(fitted, function(f) innovation_quantiles(f$nu), numeric(801L)),
    ranks = vapply(fitted, function(f) {
      rank(f$innovations, ties.method = "first")
    }, integer(length(side))),
    first = sum(side == side[1L]),
    clusters = any(vapply(fitted, `[[`, NA, "clusters")),
    may_cluster = any(vapply(fitted, `[[`, NA, "may_cluster")),
    leans = any(vapply(fitted, `[[`, NA, "leans")),
    memory = max(vapply(fitted, `[[`, 0, "memory")),
    one = if (length(fitted) == 1L) fitted[[1L]],
    nu = min(vapply(fitted, `[[`, 0, "nu"))
  )
}

# Of Student's t of variance 1, at steps of log(p / (1 - p)), as src/core/clustered.h has them.
innovation_quantiles <- function(nu) {
  log_p <- stats::plogis(seq(-20, 20, length.out = 801L), log.p = TRUE)
  if (is.infinite(nu)) return(stats::qnorm(log_p, log.p = TRUE))
  stats::qt(log_p, nu, log.p = TRUE) * sqrt((nu - 2) / nu)
}

# As a model of one series is known: its persistence and the share of alpha in it drawn too, each
# as the likelihood has it.
as_known <- function(chance, draws, seed) {
  one <- chance$one
  if (is.null(one$fit)) return(chance)
  known <- core_garch_lasting(one$rest, one$fit)
  if (!length(known)) return(chance)
  root <- chol(matrix(known[c(3:4, 4:5)], 2L))
  drawn <- with_seed(seed, matrix(stats::rnorm(2L * draws), draws)) %*% root
  model <- about_variance(
    one$series[["start"]], stats::plogis(known[1L] + drawn[, 1L]),
    stats::plogis(known[2L] + drawn[, 2L]), one$n
  )
  series <- chance$series[rep(1L, draws), ]
  series[, 3:5] <- model
  chance$series <- series
  chance
}

# A mean of its own for each draw, as the sample's is known.
with_other_means <- function(chance, asked) {
  one <- chance$one
  error <- sqrt(one$series[["start"]] / one$n) / (1 - one$series[[2L]])
  series <- chance$series[rep(1L, asked$draws), ]
  series[, 1L] <- series[, 1L] + with_seed(asked$seed, stats::rnorm(asked$draws)) * error
  chance$series <- series
  chance
}

# Why it is not known by how much the level of a sample's volatility strays; or nothing.
no_level <- function(chance) {
  if (is.null(chance$series)) return(chance$why)
  n <- nrow(chance$ranks)
  if (!chance$clusters) return(NULL)
  if (n < level_seen_from) {
    return(sprintf(
      "volatility clusters, and %s are too few to know how far it strays", count(n, "return")
    ))
  }
  if (chance$memory > n / 10) {
    return("the memory of volatility is longer than a tenth of the sample")
  }
  NULL
}

# Nor by how much what hangs on the path does, if volatility outlasts the sample.
no_path <- function(chance) {
  if (is.null(chance$series)) return(chance$why)
  if (chance$memory > nrow(chance$ranks)) "the memory of volatility is longer than the sample"
}

# The figures of the sides in each draw: an array of figures, sides and draws.
figures_by_chance <- function(chance, paired, beside, target, ask, draws, seed) {
  found <- core_clustered_figures(
    chance$series, chance$quantiles, chance$ranks, chance$first, paired, beside, draws, seed,
    target, ask
  )
  dimnames(found) <- list(figure_names, NULL, NULL)
  found
}

# The error of a standard deviation as a share of it; or none, and why.
level_error <- function(x, draws, seed) {
  chance <- chance_of(list(x), rep(1L, length(x)), FALSE)
  why <- no_level(chance)
  if (!is.null(why)) return(list(chance = chance, share = NA_real_, why = why))
  ask <- list(order = 1, additive = 1L, log = 0L, deepest = 1L, level = 0)
  drawn <- figures_by_chance(
    as_known(chance, draws, seed), FALSE, FALSE, 0, ask, draws, seed
  )["deviation", 1L, ]
  list(chance = chance, share = stats::sd(log(drawn)), drawn = drawn)
}

# Of each column: twice that share, the error of the variance over it.
level_errors <- function(values, choices) {
  found <- lapply(stats::setNames(seq_len(ncol(values)), colnames(values)), function(j) {
    level_error(values[!is.na(values[, j]), j], choices$draws, choices$seed)
  })
  list(
    spread = 2 * unname(vapply(found, `[[`, 0, "share")),
    chances = lapply(found, `[[`, "chance"),
    why = lapply(found, `[[`, "why")
  )
}

# What the returns were taken as, in words.
chance_words <- function(chance) {
  said <- c(
    if (chance$clusters) {
      if (is.finite(chance$memory)) {
        sprintf(
          "volatility that clusters, with a memory of %s",
          count(round(chance$memory), "period")
        )
      } else {
        "volatility that clusters and forgets nothing"
      }
    } else if (chance$may_cluster) {
      sprintf("volatility that may cluster (fewer than %s)", count(clusters_seen_from, "return"))
    },
    if (chance$leans) "each leaning on the one before"
  )
  tails <- if (is.finite(chance$nu)) sprintf("tails of t(%.1f)", chance$nu) else "normal tails"
  paste(c(if (length(said)) said else "independent", tails), collapse = ", ")
}

# What all returns were taken as: those of each security, or of many in sum. `chances`: by the
# names of these.
words_of_chances <- function(chances) told_together(chances, words_of_all_chances)

words_of_all_chances <- function(chances) {
  chances <- Filter(function(chance) !is.null(chance$series), chances)
  said <- vapply(chances, chance_words, "")
  if (length(unique(said)) < 2L) return(if (length(said)) said[[1L]])
  if (length(said) < 4L) return(paste(sprintf("%s: %s", names(said), said), collapse = "; "))
  of_all <- function(name) vapply(chances, function(chance) as.numeric(chance[[name]]), 0)
  clusters <- of_all("clusters") > 0
  memory <- of_all("memory")[clusters]
  paste(c(
    if (any(clusters)) sprintf(
      "volatility that clusters in %d of %d, with a memory of %s", sum(clusters), length(clusters),
      spread_words(memory, function(m) {
        if (is.finite(m)) count(round(m), "period") else "no end"
      })
    ),
    if (any(!clusters & of_all("may_cluster") > 0)) {
      sprintf("that may cluster in %d", sum(!clusters & of_all("may_cluster") > 0))
    },
    if (any(of_all("leans") > 0)) {
      sprintf("each leaning on the one before in %d", sum(of_all("leans")))
    },
    paste("tails of", spread_words(of_all("nu"), function(nu) {
      if (is.finite(nu)) sprintf("t(%.1f)", nu) else "the normal"
    }))
  ), collapse = ", ")
}

spread_words <- function(x, written) {
  paste(unique(vapply(range(x), written, "")), collapse = " to ")
}

# `why`: by the names of those that have none.
note_no_errors <- function(why, what) {
  why <- unlist(why)
  if (!length(why)) return(invisible())
  alike <- names(why)[why == why[[1L]]]
  others <- setdiff(names(why), alike)
  note("errors", sprintf(
    "There are no errors of %s for %s: %s.%s", what, some(alike), why[[1L]],
    if (length(others)) sprintf(" Nor, for other reasons, for %s.", some(others)) else ""
  ))
}

# Errors that are drawn take a tenth of a second each: of many securities they are asked for.
drawn_unasked <- 50L
check_drawn_errors <- function(errors, known, securities, rolling) {
  if (!is.null(errors)) return(one_of(errors, "errors", known))
  if (rolling || securities <= drawn_unasked) return(known[1L])
  note(
    "errors",
    sprintf(
      "There are no errors: of %s they take minutes.", count(securities, "security", "securities")
    ),
    remedy = sprintf("errors = \"%s\" gives them.", known[1L])
  )
  "none"
}
