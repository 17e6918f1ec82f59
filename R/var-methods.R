# The methods of value at risk, each a record: what it is called, its formula and source, the
# `ways` it has to a horizon (the first is its own), whether it is `empirical` (knows only what
# was observed, and takes a rank), whether it is `still` between fits, whether `chance` is in it
# ("always", or where it looks "ahead"), what it `doubt`s of its own use, whether it is by a
# likelihood (`likely`), what `grows` by the root of time ("whole"; "mean": what is about the
# mean, which adds up; "moments": so too, with skewness and kurtosis that fade), its own
# `options`, the `least` returns it wants, and functions of what is asked (see requested()).
# slopes(book, whole, found, request): how value at risk and expected shortfall of a book grow
# with the weight of each holding (`var`, `es`), and `by` what that was found; see var-split.R.
# whole(values, request): a row for each security and level, levels fastest: n, var, es, their
# errors, an interval, how the fit ended. fit(x, request): what is estimated from one security's
# returns (none missing). tail(fit, x, a, request): value at risk and expected shortfall of the
# next period at each a, a row each, from what was fitted and the returns up to now.
# rolling(values, window, least, request): where there is a fast way, var and es of each row from
# the returns before it (window 0: from all of them).
known_var_methods <- function() {
  families <- setdiff(names(fit_families()), names(own_var_methods()))
  c(
    own_var_methods(),
    lapply(stats::setNames(nm = families), family_method),
    as.list(registered_var_methods)
  )
}

# The kind of blocks of the methods that draw paths, by name.
block_methods <- function() unlist(lapply(known_var_methods(), `[[`, "blocks"))

registered_var_methods <- new.env(parent = emptyenv())

own_var_methods <- function() {
  if (is.null(made_records$var_methods)) made_records$var_methods <- made_var_methods()
  made_records$var_methods
}

made_var_methods <- function() {
  list(
    historical = list(
      title = "Historical",
      formula = "the k-th worst of n returns, k by the convention of rank",
      working = function(about) historical_working(about),
      error_steps = function(about) rank_errors(about),
      source = "",
      ways = c("sqrt", "overlapping"),
      empirical = TRUE,
      still = FALSE,
      slopes = function(book, whole, measured, request) {
        slopes_at_rank(book, rep(1 / nrow(book$r), nrow(book$r)), request)
      },
      whole = function(values, request) tail_of_samples(values, request, request$scale),
      fit = function(x, request) list(),
      tail = function(fit, x, a, request) {
        measured <- core_historical_tail(matrix(x), 1 - a, rank_code(request$rank), request$log, 1)
        cbind(measured$var, measured$es)
      },
      rolling = function(values, window, least, request) {
        core_rolling_tail(
          values, window, least, request$level, rank_code(request$rank), request$log
        )
      }
    ),
    "age-weighted" = list(
      options = "decay",
      weighted = TRUE,
      title = "Age-weighted",
      working = function(about) age_weighted_working(about),
      error_steps = function(about) weighted_errors(about),
      formula = "the worst returns whose weights (1 - d) d^age / (1 - d^n) add up to 1 - level",
      source = "Boudoukh, Richardson and Whitelaw (1998)",
      ways = c("sqrt", "overlapping"),
      empirical = TRUE,
      still = FALSE,
      slopes = function(book, whole, measured, request) {
        slopes_at_rank(book, age_weights(nrow(book$r), request$decay), request)
      },
      whole = function(values, request) {
        by_security(values, request, function(x, request) {
          weights <- age_weights(length(x), request$decay)
          measured <- tail_of_weighted(x, weights, request, request$scale)
          measured$row <- request$rows[measured$row]
          measured
        })
      },
      fit = function(x, request) list(),
      tail = function(fit, x, a, request) {
        worst_first <- weighted_losses(x, age_weights(length(x), request$decay), request)
        t(vapply(a, function(a) {
          weighted_tail(worst_first, a, request$rank)[c("var", "es")]
        }, c(0, 0)))
      }
    ),
    "volatility-scaled" = c(
      sample_method(
        "Volatility-scaled",
        "the k-th worst of r_t s_(n+1) / s_t, s exponentially weighted",
        "Hull and White (1998)",
        scenarios = function(fit, x, request) {
          s <- weighted_path(x, request$decay %||% 0.94)
          n <- length(x)
          if (any(s == 0)) x else x * s[n + 1L] / s[-(n + 1L)]
        },
        scale_error = function(x, request) {
          decay <- request$decay %||% 0.94
          s <- weighted_path(x, decay)[seq_along(x)]
          kurtosis <- if (any(s == 0)) 0 else core_moments(matrix(x / s), FALSE, FALSE)$kurtosis
          if (is.na(kurtosis)) {
            NA_real_
          } else {
            sqrt(max(0, 2 + kurtosis) * (1 - decay) / (1 + decay)) / 2
          }
        },
        slopes = volatility_scaled_slopes
      ),
      list(
        options = "decay", working = function(about) volatility_scaled_working(about),
        error_steps = function(about) scaled_errors(about)
      )
    ),
    filtered = local({
      # The volatility of a path goes on from its own drawn returns.
      method <- sample_method(
        "GARCH-filtered",
        "the k-th worst of mean + s_(n+1) e_t / s_t, s of GARCH(1,1)",
        "Barone-Adesi, Giannopoulos and Vosper (1999)",
        fit = function(x, request) garch_fit(x, FALSE),
        fits = function(values, request) garch_fits(values, FALSE),
        why = function(x, request) why_no_garch(x, FALSE),
        scenarios = function(fit, x, request) {
          s <- sqrt(garch_variances(fit, x))
          n <- length(x)
          fit$mean + s[n + 1L] * (x - fit$mean) / s[-(n + 1L)]
        }
      )
      of_one <- method$whole
      method$ways <- "paths"
      method$working <- function(about) filtered_working(about)
      method$error_steps <- function(about) filtered_errors(about)
      method$chance <- "ahead"
      method$whole <- function(values, request) {
        measured <- of_one(values, request)
        if (request$h == 1) return(measured)
        # The relative error is that of one period.
        relative <- lapply(
          measured[c("var_error", "es_error", "var_low", "var_high")],
          `/`,
          measured$var
        )
        ahead <- by_security(values, request, function(x, request) {
          fit <- garch_fit(x, FALSE)
          if (is.null(fit)) return(list(state = why_no_garch(x, FALSE)))
          variance <- garch_variances(fit, x)
          n <- length(x)
          drawn <- core_filtered_paths(
            (x - fit$mean) / sqrt(variance[-(n + 1L)]),
            unlist(fit),
            variance[n + 1L],
            request$h,
            request$draws,
            request$log || request$adds,
            request$seed
          )
          measured <- tail_of_samples(matrix(drawn), request)
          list(
            n = rep(n, length(request$level)),
            var = measured$var,
            es = measured$es,
            draw_error = measured$var_error,
            state = with_state(fit, request)
          )
        })
        c(ahead, lapply(relative, `*`, ahead$var))
      }
      method
    }),
    normal = normal_method("Normal", "-(mean h + z_a sd sqrt(h))", FALSE),
    "normal-relative" = normal_method("Normal, about the mean", "-z_a sd sqrt(h)", TRUE),
    "cornish-fisher" = cornish_fisher_method(),
    ewma = local({
      method <- smooth_method(
        "Exponentially weighted",
        "-z_a s sqrt(h), s2_t = d s2_(t-1) + (1 - d) r_t^2",
        "",
        fit = function(x, request) list(decay = request$decay %||% 0.94),
        now = function(fit, x) {
          list(
            mean = 0,
            sd = core_decayed_deviation(matrix(x), fit$decay)[length(x), 1L],
            decay = fit$decay
          )
        },
        covariance = function(fit, x, at, sandwich) {
          measured <- own_estimators$ewma$whole(
            matrix(x),
            list(decay = fit$decay, errors = "kurtosis")
          )
          named_square(matrix((at$sd * measured$spread / 2)^2), "sd")
        },
        quantile_of = normal_quantile,
        shortfall = normal_shortfall,
        slopes = ewma_slopes
      )
      method$options <- "decay"
      method$fitted <- FALSE
      method$working <- function(about) ewma_var_working(about)
      method$rolling <- function(values, window, least, request) {
        if (window) return(NULL)
        deviation <- core_before(core_decayed_deviation(values, request$decay %||% 0.94), values)
        tail_of_paths(0, deviation, request)
      }
      method
    }),
    garch = garch_method(
      "GARCH(1,1), normal",
      "-(mean h + z_a sqrt(sum of the variances ahead))",
      "Bollerslev (1986)",
      FALSE
    ),
    "garch-student" = garch_method(
      "GARCH(1,1), Student t",
      "the same with Student's t of variance 1",
      "Bollerslev (1987)",
      TRUE
    ),
    hill = c(
      tail_method(
        "Hill",
        "X_(k+1) (k / (n a))^xi, xi = mean(ln(X_i / X_(k+1)), i = 1..k)",
        "Hill (1975)",
        hill_tail,
        hill_quantile,
        function(at) at$covariance,
        slopes = hill_slopes
      ),
      list(
        options = "tail", says_none = TRUE, working = function(about) hill_working(about)
      )
    ),
    pareto = c(
      tail_method(
        "Generalised Pareto",
        paste0(
          "u + (scale / xi) ((n a / k)^-xi - 1), by maximum likelihood of the k losses ",
          "beyond u"
        ),
        "McNeil and Frey (2000)",
        pareto_tail,
        pareto_quantile,
        function(at) {
          covariance <- matrix(0, 3L, 3L)
          covariance[1:2, 1:2] <- pareto_covariance(at)
          covariance[3L, 3L] <- (1 - at$share) * at$share^2 / at$k
          named_square(covariance, c("shape", "scale", "share"))
        }
      ),
      list(
        options = "tail", says_none = TRUE, working = function(about) pareto_working(about)
      )
    ),
    bootstrap = draw_method(
      "Bootstrap",
      "the loss at the level over drawn paths of whole days",
      "Efron (1979)",
      "none"
    ),
    "block-bootstrap" = draw_method(
      "Block bootstrap",
      "the same, days drawn in blocks of a fixed length",
      "Kunsch (1989)",
      "fixed"
    ),
    "stationary-bootstrap" = draw_method(
      "Stationary bootstrap",
      "the same, in blocks of random length",
      "Politis and Romano (1994)",
      "stationary"
    )
  )
}
