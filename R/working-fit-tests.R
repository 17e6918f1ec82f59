# The workings of how well a fit fits: distances of what was observed from it, the chance of as
# much by draws, and its place among others.

sorted_returns <- function(record, x, at) {
  rows_of_working(
    "sorted",
    paste0(
      "the returns in ascending order, with the logarithm of the fitted density, ",
      "and of the fitted share below and above each"
    ),
    list(
      x = x,
      ln_density = unname(record$log_density(x, at)),
      ln_below = unname(record$log_tail(x, at)),
      ln_above = unname(record$log_tail(x, at, FALSE))
    )
  )
}

distance_words <- c(
  ks = "Kolmogorov and Smirnov's distances",
  ad = "Anderson and Darling's distances",
  cvm = "Cramer and von Mises's distances"
)

distance_steps <- function() {
  list(
    step(
      "place",
      quote(recursion(1 + 0 * x, previous + 1)),
      "place of each in that order",
      "count"
    ),
    step("fitted", quote(exp(ln_below)), "the fitted share below each"),
    step(
      "distance",
      quote(higher_of(place / n - fitted, fitted - (place - 1) / n)),
      "distance of what is observed and fitted, on either side of the step"
    ),
    step("ks", quote(maximum(distance)), "the largest: Kolmogorov and Smirnov's distance"),
    step(
      "ad",
      quote(-n - sum((2 * place - 1) * ln_below + (2 * n + 1 - 2 * place) * ln_above) / n),
      "squares that weigh the tails: Anderson and Darling's distance",
      source = "Anderson and Darling (1952)"
    ),
    step(
      "cvm",
      quote(1 / (12 * n) + sum((fitted - (2 * place - 1) / (2 * n))^2)),
      "plain squares: Cramer and von Mises's distance"
    ),
    step(
      "tail",
      quote(2 * sum(fitted) - 1.5 * n - sum((2 * place - 1) * ln_below) / n),
      "as Anderson and Darling's, of the lower tail",
      source = "Sinclair, Spurr and Ahmad (1990)"
    )
  )
}

# The distances of draws from the fit, each fitted again: rows and steps for each test.
drawn_again <- function(result, this, family, fit, n) {
  about <- basis(result)
  if (is.na(this$draws %||% NA)) return(NULL)
  by <- about$choices[["fitted by"]]
  again <- family$refitted(
    as.list(fit$at),
    n,
    by,
    0L,
    about$exact$test_draws,
    seed_of_fit(this, about$seed),
    fit$limit
  )
  again <- again[!is.na(again[, 1L]), , drop = FALSE]
  parts <- lapply(distance_names, function(test) {
    distances <- again[, match(test, distance_names)]
    stopped <- which(cumsum(distances >= this[[test]]) >= about$exact$stop_after)[1L]
    column <- as.name(paste0(test, "_drawn"))
    of <- function(name) paste0(test, "_", name)
    as_far <- as.name(of("as_far"))
    list(
      rows = rows_of_working(
        of("draws"),
        sprintf(
          "%s of draws from the fit, each fitted again, in ascending order",
          distance_words[[test]]
        ),
        stats::setNames(
          list(sort(if (is.na(stopped)) distances else distances[seq_len(stopped)])),
          of("drawn")
        )
      ),
      steps = list(
        step(
          of("as_far"),
          bquote(sum(.(column) >= .(as.name(test)))),
          "draws that are as far from their fit as what was observed",
          "count"
        ),
        if (is.na(stopped)) {
          step(
            of("p"),
            bquote((.(as_far) + 1) / (count(.(column)) + 1)),
            "their share, the sample itself counted in: the chance of as much"
          )
        } else {
          step(
            of("p"),
            bquote(.(as_far) / count(.(column))),
            sprintf("their share, when %s were", about$exact$stop_after),
            source = "Besag and Clifford (1991)"
          )
        }
      )
    )
  })
  list(
    rows = unname(lapply(parts, `[[`, "rows")),
    steps = unlist(lapply(unname(parts), `[[`, "steps"), recursive = FALSE)
  )
}

# Its place by each criterion beside the other families that were fitted to the same returns: the
# rows of these, and the steps. Of a result that lacks some of them there is none.
criteria <- c(aic_rank = "aic", bic_rank = "bic", tail_rank = "tail")

place_among_families <- function(result, this) {
  table <- as.data.frame(result)
  others <- table[
    table$security == this$security & table$family != this$family & table$converged,
  ]
  # What is apart by rounding is level.
  ahead <- vapply(criteria, function(by) {
    sum(others[[by]] < this[[by]] - 1e-9 * abs(this[[by]]))
  }, 0)
  if (!nrow(others) || !identical(unname(ahead + 1), as.numeric(this[names(criteria)]))) {
    return(NULL)
  }
  list(
    rows = list(rows_of_working(
      "families",
      sprintf("the other families that were fitted: %s", some(others$family, 12L)),
      stats::setNames(lapply(criteria, function(by) others[[by]]), paste0(criteria, "_of_others"))
    )),
    steps = lapply(names(criteria), function(name) {
      by <- criteria[[name]]
      own <- as.name(by)
      step(
        name,
        bquote(1 + sum(.(as.name(paste0(by, "_of_others"))) < .(own) - 1e-9 * abs(.(own)))),
        sprintf("place among the families by %s: one behind those with less", by),
        "count"
      )
    })
  )
}

textbook_steps <- function(this) {
  sources <- c(
    ks = "Marsaglia, Tsang and Wang (2003)",
    ad = "Marsaglia and Marsaglia (2004)",
    cvm = "Csorgo and Faraway (1996)"
  )
  lapply(names(sources), function(test) {
    entered(
      paste0(test, "_p_textbook"),
      this[[paste0(test, "_p_textbook")]],
      "the chance of as much, were the distribution known beforehand, by its series",
      proof = test,
      source = sources[[test]]
    )
  })
}

# The fitted quantiles at 1 % and 0.1 %, and the returns of those ranks.
quantile_steps <- function(record, at) {
  parameters <- record$parameters
  shares <- c("1" = 0.01, "01" = 0.001)
  unlist(
    lapply(names(shares), function(name) {
      share <- shares[[name]]
      fitted <- paste0("quantile_", name)
      list(
        if (is.null(record$at_level)) {
          entered(
            fitted,
            unname(record$quantile(log(share), as.list(at))),
            sprintf("the fitted return below which %s are, by search", unit_share(share)),
            "fraction"
          )
        } else {
          standard <- do.call(substitute, list(record$at_level, list(level = 1 - share)))
          step(
            fitted,
            bquote(.(as.name(parameters[1L])) + .(as.name(parameters[2L])) * .(standard)),
            sprintf("the fitted return below which %s are", unit_share(share)),
            "fraction"
          )
        },
        step(
          paste0("observed_", name),
          bquote(nth_smallest(return, higher_of(1, round_down(n * .(share) + 0.5)))),
          "the return of that rank",
          "fraction"
        )
      )
    }),
    recursive = FALSE
  )
}

jarque_bera_steps <- function() {
  list(
    step("off", quote(return - sum(return) / n), "each less the mean of all", "fraction"),
    step("spread", quote(sum(off^2) / n), "mean square of these"),
    step(
      "jarque_bera",
      quote(n / 6 * (
        (sum(off^3) / n / spread^1.5)^2 + (sum(off^4) / n / spread^2 - 3)^2 / 4
      )),
      "skewness and excess kurtosis, squared and weighted",
      source = "Jarque and Bera (1980)"
    ),
    step(
      "jarque_bera_p",
      quote(chi_squared_beyond(jarque_bera, 2)),
      "the chance of as much, were returns normal"
    )
  )
}
