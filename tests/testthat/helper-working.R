# A working read back from its JSON and computed again, by R's own functions and by what these
# lines say; nothing of the package's language is used.
again_functions <- local({
  there <- function(x) x[!is.na(x)]
  list(
    ln = log,
    ln_gamma = lgamma,
    round_down = floor,
    round_up = ceiling,
    round_half_up = function(x) trunc(x + 0.5),
    if_else = function(test, yes, no) {
      n <- max(length(test), length(yes), length(no))
      pick <- rep_len(as.logical(test), n)
      out <- rep_len(no, n)
      out[which(pick)] <- rep_len(yes, n)[which(pick)]
      out[is.na(pick)] <- NA
      out
    },
    lower_of = pmin,
    higher_of = pmax,
    years_between = function(from, to) {
      birthdays <- as.numeric(seq(.Date(from), by = "year", length.out = 200))
      whole <- base::sum(birthdays <= to) - 1
      whole + (to - birthdays[whole + 1]) / (birthdays[whole + 2] - birthdays[whole + 1])
    },
    normal_quantile = stats::qnorm,
    normal_below = stats::pnorm,
    normal_density = function(z) exp(-z^2 / 2) / sqrt(2 * base::pi),
    student_quantile = function(p, nu) {
      x <- stats::qbeta(2 * min(p, 1 - p), nu / 2, 0.5)
      sign(p - 0.5) * sqrt(nu * (1 / x - 1))
    },
    student_beyond = function(x, nu) stats::pbeta(nu / (nu + x^2), nu / 2, 0.5),
    chi_squared_beyond = function(x, k) stats::pgamma(x / 2, k / 2, lower.tail = FALSE),
    chi_squared_quantile = function(p, k) 2 * stats::qgamma(p, k / 2),
    gamma_quantile = function(p, shape) stats::qchisq(p, 2 * shape) / 2,
    sum = function(x) base::sum(there(x)),
    count = function(x) length(there(x)),
    minimum = function(x) base::min(there(x)),
    maximum = function(x) base::max(there(x)),
    nth_smallest = function(x, k) sort(there(x), partial = k)[k],
    mean_of_smallest = function(x, k) mean(sort(there(x))[1:k]),
    value_at = function(x, i) there(x)[i],
    row_of = function(x, v) which(there(x) == v)[1],
    before = function(x, rows = 1) c(rep(NA, rows), x)[seq_along(x)]
  )
})

computed_again <- function(json, choices = list()) {
  read <- jsonlite::fromJSON(json, simplifyDataFrame = FALSE)
  scope <- list2env(again_functions, parent = baseenv())
  as_numbers <- function(x) vapply(x, function(v) if (is.null(v)) NA_real_ else as.numeric(v), 0)
  for (rows in read$data) {
    for (name in names(rows$columns)) {
      assign(name, as_numbers(as.list(rows$columns[[name]])), scope)
    }
    if (!is.null(rows$dates) && !exists("date", scope, inherits = FALSE)) {
      assign("date", as.numeric(rows$dates), scope)
    }
  }
  for (choice in read$choices) {
    assign(choice$name, as.numeric(choices[[choice$name]] %||% choice$value), scope)
  }
  values <- list()
  for (step in read$steps) {
    given <- as_numbers(as.list(step$value))
    value <- given
    if (!is.null(step$expression)) {
      tree <- str2lang(step$expression)
      value <- if (is.call(tree) && identical(tree[[1]], quote(recursion))) {
        row_by_row(tree[[2]], tree[[3]], length(given), scope)
      } else {
        eval(tree, scope)
      }
    }
    values[[step$name]] <- list(value = as.numeric(value), given = given)
    assign(step$name, as.numeric(value), scope)
  }
  list(read = read, values = values)
}

# A column each row of which knows the one above: read at each row as if that were all there is.
row_by_row <- function(first, then, n, scope) {
  start <- rep_len(eval(first, scope), n)
  at <- which(!is.na(start))[1]
  out <- rep(NA_real_, n)
  out[at] <- start[at]
  names_of <- setdiff(all.vars(then), "previous")
  long <- Filter(function(name) length(scope[[name]]) == n && n > 1, names_of)
  place <- function(e, lag) {
    if (is.name(e) && as.character(e) %in% long) {
      return(call("[", as.name(paste0(e, if (lag) "_lagged_")), quote(row_)))
    }
    if (!is.call(e)) return(e)
    if (identical(e[[1]], quote(before))) return(place(e[[2]], TRUE))
    e[-1] <- lapply(as.list(e)[-1], place, lag)
    e
  }
  inner <- new.env(parent = scope)
  for (name in long) assign(paste0(name, "_lagged_"), c(NA, scope[[name]][-n]), inner)
  body <- place(then, FALSE)
  for (row in seq_len(n)[seq_len(n) > at]) {
    assign("row_", row, inner)
    assign("previous", out[row - 1], inner)
    out[row] <- eval(body, inner)
  }
  out
}

near <- function(a, b, digits = 1e-10) {
  same_holes <- identical(is.na(a), is.na(b))
  known <- !is.na(a) & !is.na(b)
  same_holes && all(
    abs(a[known] - b[known]) <= digits * pmax(abs(b[known]), 1e-12) | a[known] == b[known]
  )
}

demo_prices <- function() quietly(read_prices(demo_file("bay.csv")))

quietly <- function(expr) suppressWarnings(suppressMessages(expr))

# Results of everything that has a working, on a table of prices: each a function of it.
working_cases <- function(b, methods = names(imbroglio:::var_methods())) {
  list(
    return = function(x) measure_return(x, risk_free = 0.02),
    return_over_series = function(x) measure_return(x, risk_free = b),
    return_of_logs = function(x) measure_return(as_returns(x, "log")),
    return_rolling = function(x) measure_return(x, window = 3),
    volatility = function(x) measure_volatility(x, method = c("deviation", "ewma")),
    volatility_normal = function(x) measure_volatility(x, errors = "normal"),
    volatility_dependent = function(x) measure_volatility(x, errors = "dependent", draws = 20),
    volatility_rolling = function(x) measure_volatility(as_returns(x, "log"), window = 3),
    volatility_series = function(x) volatility_series(x),
    beta = function(x) measure_beta(x, b),
    beta_newey_west = function(x) measure_beta(x, b, errors = "newey-west", risk_free = 0.01),
    beta_rolling = function(x) measure_beta(x, b, window = 4),
    tracking = function(x) measure_tracking(x, b),
    tracking_rolling = function(x) measure_tracking(x, b, window = 3),
    drawdown = function(x) measure_drawdown(x),
    drawdown_of_returns = function(x) measure_drawdown(as_returns(x)),
    drawdown_rolling = function(x) measure_drawdown(x, window = 3),
    drawdown_series = function(x) drawdown_series(x),
    drawdown_episodes = function(x) drawdown_episodes(x, worst = 1),
    downside = function(x) measure_downside(x, target = 0.03, order = 2),
    downside_of_logs = function(x) {
      measure_downside(as_returns(x, "log"), errors = "bootstrap", draws = 20, per_year = 250)
    },
    downside_rolling = function(x) measure_downside(x, window = 3),
    downside_delta = function(x) measure_downside(x, errors = "delta"),
    ratios = function(x) measure_ratios(x, target = 0.01),
    ratios_delta = function(x) measure_ratios(x, errors = "delta"),
    ratios_of_logs = function(x) measure_ratios(as_returns(x, "log"), deepest = 1),
    ratios_rolling = function(x) measure_ratios(x, window = 40),
    capture = function(x) measure_capture(x, b),
    capture_rolling = function(x) measure_capture(as_returns(x, "log"), b, window = 40),
    roll = function(x) {
      found <- roll_measures(
        x, setdiff(names(imbroglio:::rolling_measures()), c("drawdown", "likeness")), 40, 20,
        benchmark = b, level = 0.9, target = 0.01
      )
      found[!duplicated(found$measure, fromLast = TRUE), ]
    },
    roll_of_logs = function(x) {
      roll_measures(as_returns(x, "log"), "es", 40, level = 0.9, limits = c(es = 0.02))
    },
    compare = function(x) {
      compare_measures(
        x[, c(colnames(x)[1], b)], at = x$dates[floor(0.9 * nrow(x$close))],
        level = 0.9, target = 0.01, risk_free = 0.02,
        measures = setdiff(names(imbroglio:::rolling_measures()), "likeness"),
        benchmark = b, draws = 20
      )
    },
    limits = function(x) {
      measured <- c("var", "volatility", "fall", "loss", "beta")
      check_limits(
        x, data.frame(of = colnames(x)[1], measure = measured, limit = 0.01),
        window = 60, level = 0.95, benchmark = b
      )
    },
    worst = function(x) worst_periods(x, 2, 1, window = 60, benchmark = b),
    worst_runs = function(x) worst_periods(as_returns(x, "log"), 1, 1, horizon = 4, window = 60),
    correlation = function(x) correlate_returns(x),
    correlation_pairwise = function(x) correlate_returns(x, on = "pairwise"),
    correlation_weighted = function(x) correlate_returns(x, decay = 0.97),
    correlation_rolling = function(x) correlate_returns(x, window = 3),
    summary = function(x) measure_summary(x, benchmark = b, risk_free = 0.01),
    # Numbers of more digits than the words of a basis have, and periods a year by hand.
    by_half_life = function(x) measure_volatility(x, method = "ewma", half_life = 23),
    weighted_by_half_life = function(x) correlate_returns(x, half_life = 33),
    var_by_half_life = function(x) {
      measure_var(x, 0.9, method = c("age-weighted", "ewma"), half_life = 37)
    },
    return_by_hand = function(x) measure_return(x, risk_free = 0.0123456789012, per_year = 250.5),
    beta_by_hand = function(x) {
      measure_beta(x, b, risk_free = 0.0123456789012, per_year = 250.5, confidence = 0.9)
    },
    drawdown_by_hand = function(x) measure_drawdown(x, level = 0.912345678901, per_year = 250.5),
    var = function(x) measure_var(x, 0.9, method = methods, draws = 400, value = 1e6),
    var_by_rank = function(x) {
      measure_var(
        x,
        0.95,
        method = c("historical", "age-weighted"),
        rank = c("up", "down", "interpolate")
      )
    }
  )
}
