# The ways to estimate volatility, each a record: what it is called, what it needs (`returns`, or
# the `ranges` of the days), its formula and source, and up to three functions: `whole` of the
# sample, `rolling` over a window, and `path`, of what is known on each date by a memory of its
# own. `whole` gives the volatilities and the standard error of each variance, over its square.
# `options`: those of its own; `chi_squared`: of normal returns its square has that distribution.
volatility_estimators <- function() c(own_estimators, as.list(registered_estimators))

garch_methods <- function() {
  names(Filter(function(record) !is.null(record$innovations), volatility_estimators()))
}

registered_estimators <- new.env(parent = emptyenv())

own_estimators <- list(
  deviation = list(
    title = "Standard deviation",
    chi_squared = TRUE,
    needs = "returns",
    formula = "sqrt(sum((r - mean)^2) / (n - 1))",
    source = "",
    working = function(about) deviation_working(about),
    whole = function(values, choices) {
      moments <- core_moments(values, FALSE, FALSE)
      made <- list(n = moments$n, volatility = moments$deviation)
      if (choices$errors == "dependent") return(c(made, level_errors(values, choices)))
      kurtosis <- if (choices$errors == "normal") 0 else moments$kurtosis
      made$spread <- sqrt(pmax(0, 2 / (moments$n - 1) + kurtosis / moments$n))
      made
    },
    rolling = function(values, window, least, choices) {
      core_rolling_deviation(values, window, least)
    }
  ),
  ewma = list(
    title = "Exponentially weighted",
    options = "decay",
    working = function(about) ewma_working(about),
    needs = "returns",
    formula = "s2_t = d s2_(t-1) + (1 - d) r_t^2, s2_1 = r_1^2, of the period after t",
    source = "",
    whole = function(values, choices) {
      moments <- core_moments(values, FALSE, FALSE)
      kurtosis <- if (choices$errors == "normal") 0 else moments$kurtosis
      # The squares of the weights: (1 - d) d^k going back, d^(n - 1) of the first.
      d <- choices$decay
      first <- d^(2 * (moments$n - 1))
      weights <- (1 - d) / (1 + d) * (1 - first) + first
      list(
        n = moments$n,
        volatility = last_of(core_decayed_deviation(values, d)),
        spread = sqrt(pmax(0, (2 + kurtosis) * weights))
      )
    },
    path = function(values, choices) core_decayed_deviation(values, choices$decay)
  ),
  parkinson = list(
    title = "Parkinson's",
    working = function(about) parkinson_working(about),
    needs = "ranges",
    formula = "sqrt(mean(ln(H / L)^2) / (4 ln 2))",
    source = "Parkinson (1980)",
    whole = function(ranges, choices) of_terms(parkinson_terms(ranges)),
    rolling = function(ranges, window, least, choices) {
      sqrt(core_rolling_mean(parkinson_terms(ranges), window, least))
    }
  ),
  "garman-klass" = list(
    title = "Garman and Klass's",
    working = function(about) garman_klass_working(about),
    needs = "ranges",
    formula = "sqrt(mean(ln(H / L)^2 / 2 - (2 ln 2 - 1) ln(C / O)^2))",
    source = "Garman and Klass (1980)",
    whole = function(ranges, choices) of_terms(garman_klass_terms(ranges)),
    rolling = function(ranges, window, least, choices) {
      sqrt(core_rolling_mean(garman_klass_terms(ranges), window, least))
    }
  ),
  "rogers-satchell" = list(
    title = "Rogers and Satchell's",
    working = function(about) rogers_satchell_working(about),
    needs = "ranges",
    formula = "sqrt(mean(ln(H / C) ln(H / O) + ln(L / C) ln(L / O)))",
    source = "Rogers and Satchell (1991)",
    whole = function(ranges, choices) of_terms(rogers_satchell_terms(ranges)),
    rolling = function(ranges, window, least, choices) {
      sqrt(pmax(core_rolling_mean(rogers_satchell_terms(ranges), window, least), 0))
    }
  ),
  "yang-zhang" = list(
    title = "Yang and Zhang's",
    working = function(about) yang_zhang_working(about),
    needs = "ranges",
    formula = paste(
      paste0(
        "sqrt(v_o + k v_c + (1 - k) v_rs), k = 0.34 / (1.34 + (n + 1) / (n - 1)); v_o ",
        "the variance of"
      ),
      "ln(O_t / C_(t-1)), v_c of ln(C / O), v_rs Rogers and Satchell's"
    ),
    source = "Yang and Zhang (2000)",
    whole = function(ranges, choices) {
      n <- core_observed(ranges$night)
      k <- rep(yang_zhang_share(n), each = nrow(ranges$night))
      squared <- function(x) {
        sweep(x, 2L, core_moments(x, FALSE, FALSE)$mean)^2 * rep(n / (n - 1), each = nrow(x))
      }
      of_terms(
        squared(ranges$night) +
          k * squared(ranges$close) +
          (1 - k) * rogers_satchell_terms(ranges)
      )
    },
    rolling = function(ranges, window, least, choices) {
      seen <- !is.na(ranges$night)
      n <- pmin(apply(seen, 2L, cumsum), window)
      k <- ifelse(seen, yang_zhang_share(n), NA_real_)
      sqrt(
        core_rolling_deviation(ranges$night, window, least)^2 +
          k * core_rolling_deviation(ranges$close, window, least)^2 +
          (1 - k) * core_rolling_mean(rogers_satchell_terms(ranges), window, least)
      )
    }
  ),
  garch = list(
    title = "GARCH(1,1), normal",
    working = function(about) garch_volatility_working(about, FALSE),
    needs = "returns",
    innovations = "normal",
    formula = "h_t = omega + alpha e_(t-1)^2 + beta h_(t-1)",
    source = "Bollerslev (1986)",
    whole = function(values, choices) whole_garch(values, FALSE),
    path = function(values, choices) garch_path(values, FALSE)
  ),
  "garch-student" = list(
    title = "GARCH(1,1), Student t",
    working = function(about) garch_volatility_working(about, TRUE),
    needs = "returns",
    innovations = "student",
    formula = "h_t = omega + alpha e_(t-1)^2 + beta h_(t-1), e / sqrt(h) of Student's t",
    source = "Bollerslev (1987)",
    whole = function(values, choices) whole_garch(values, TRUE),
    path = function(values, choices) garch_path(values, TRUE)
  )
)

last_of <- function(m) m[cbind(core_span(m)$last, seq_len(ncol(m)))]

of_path <- function(path) list(volatility = last_of(path), spread = rep(NA_real_, ncol(path)))

whole_garch <- function(values, student) {
  fit <- fitted_garch(values, student)
  c(of_path(core_garch_path(values, fit$estimate)), fit["state"])
}

garch_path <- function(values, student) {
  core_garch_path(values, fitted_garch(values, student)$estimate)
}

# A variance that is the mean of a term for each day: its error is that of the mean.
of_terms <- function(series) {
  moments <- core_moments(series, FALSE, FALSE)
  list(
    volatility = sqrt(pmax(moments$mean, 0)),
    spread = moments$deviation / sqrt(moments$n) / moments$mean
  )
}

# Logarithms, all from the day's open: high, low, close; and the night before it.
parkinson_terms <- function(ranges) (ranges$high - ranges$low)^2 / (4 * log(2))

garman_klass_terms <- function(ranges) {
  (ranges$high - ranges$low)^2 / 2 - (2 * log(2) - 1) * ranges$close^2
}

rogers_satchell_terms <- function(ranges) {
  (ranges$high - ranges$close) * ranges$high + (ranges$low - ranges$close) * ranges$low
}

yang_zhang_share <- function(n) ifelse(n > 1, 0.34 / (1.34 + (n + 1) / (n - 1)), NA_real_)

# The ranges of the days on which there is a return and open, high and low.
ranges_of <- function(returns) {
  prices <- returns$prices
  known <- !is.null(prices) && all(c("open", "high", "low") %in% names(prices$fields))
  if (!known) {
    fail(
      "no_range",
      paste0(
        "The range estimators need the open, high and low of each day, and these prices ",
        "do not have them."
      ),
      remedy = "Read a long file with the columns open, high, low and close."
    )
  }
  if (length(returns$dates) != length(prices$dates) - 1L) {
    fail(
      "argument",
      sprintf(
        "The ranges are of the days of the prices, the returns are %s.",
        adverb_of(returns$every)
      ),
      remedy = "Leave `every` out."
    )
  }
  field <- function(name) prices$fields[[name]][-1L, , drop = FALSE]
  # Open, high and low are on the basis of the close that was traded.
  traded <- if (is.null(prices$fields$close)) {
    prices$close[-1L, , drop = FALSE]
  } else {
    field("close")
  }
  ranges <- list(
    high = log(field("high") / field("open")),
    low = log(field("low") / field("open")),
    close = log(traded / field("open"))
  )
  night <- (if (returns$kind == "log") returns$values else log1p(returns$values)) - ranges$close
  wrong <- which(
    ranges$high < pmax(0, ranges$close) - 1e-9 | ranges$low > pmin(0, ranges$close) + 1e-9
  )
  if (length(wrong)) {
    at <- arrayInd(wrong[1L], dim(night))
    fail(
      "range",
      sprintf(
        "%s an open or close outside high and low.",
        count(length(wrong), "day has", "days have")
      ),
      where = sprintf("%s on %s.", colnames(returns$values)[at[2L]], returns$dates[at[1L]]),
      remedy = "check_prices() lists them, repair_prices() empties them."
    )
  }
  ranges$night <- night
  gaps <- which(is.na(ranges$high + ranges$low + night))
  lapply(ranges, function(m) {
    m[gaps] <- NA_real_
    `dimnames<-`(m, list(NULL, colnames(returns$values)))
  })
}

#' Add a volatility estimator of one's own
#'
#' @param name What [measure_volatility()] calls it as a `method`.
#' @param estimate A function of one security's returns (a vector without missing values) that
#'   gives one number, the volatility a period.
#' @param title,formula,source Words for people.
#' @return The name, invisibly. It is known until R ends; a rolling window calls `estimate` for
#'   each window.
#' @section Errors: `imbroglio_error_argument` for a name that is taken by an estimator of the
#'   package, or for an `estimate` that is no function.
#' @family what can be registered
#' @examples
#' register_volatility("absolute", function(r) sqrt(pi / 2) * mean(abs(r)),
#'                     title = "Mean absolute return", formula = "sqrt(pi / 2) mean(|r|)")
#' prices <- read_prices(demo_file("bay.csv"))
#' measure_volatility(prices, method = c("deviation", "absolute"))
#' @export
register_volatility <- function(name, estimate, title = name, formula = "", source = "") {
  if (!is.character(name) ||
      length(name) != 1L || !nzchar(name) || name %in% names(own_estimators)) {
    fail("argument", "`name` must be a new name.", where = sprintf("It is %s.", shown(name)))
  }
  if (!is.function(estimate)) fail("argument", "`estimate` must be a function of returns.")
  what <- sprintf("The estimator %s", name)
  own <- own_function(estimate, what, function(answer, r) {
    is.numeric(answer) &&
      length(answer) == 1L && !is.nan(answer) && (is.na(answer) || answer >= 0)
  }, "one number of 0 or more")
  one <- function(r) if (length(r)) as.numeric(own(r)) else NA_real_
  say_registered_again(name, registered_estimators)
  registered_estimators[[name]] <- list(
    title = title,
    needs = "returns",
    formula = formula,
    source = source,
    whole = function(values, choices) {
      list(
        volatility = said_once(
          unname(apply(values, 2L, function(r) one(r[!is.na(r)]))), what
        ),
        spread = rep(NA_real_, ncol(values))
      )
    },
    rolling = function(values, window, least, choices) {
      said_once(apply(values, 2L, function(r) {
        there <- which(!is.na(r))
        last <- seq_along(there)
        r[there] <- vapply(last, function(row) {
          if (row < least) NA_real_ else one(r[there[max(1L, row - window + 1L):row]])
        }, 0)
        r
      }), what)
    }
  )
  invisible(name)
}
