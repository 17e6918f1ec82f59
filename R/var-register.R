#' Add a method of value at risk of one's own
#'
#' @param name What [measure_var()] and [backtest_var()] call it as a `method`.
#' @param estimate A function of one security's returns (a vector without missing values) and a
#'   confidence level that gives value at risk of one period as a positive fraction, or that and
#'   the expected shortfall; two numbers with names are taken by these, `var` and `es`.
#' @param title,formula,source Words for people.
#' @return The name, invisibly. It is known until R ends. Its errors are by 200 resamples of the
#'   returns; over a horizon its losses are stretched by the root of time.
#' @section Errors: `imbroglio_error_argument` for a name that is taken, or an `estimate` that is
#'   no function; where it is used `imbroglio_error_own`, with the name, if it fails or gives
#'   something else: a gain where the worst returns are losses, an expected shortfall below value
#'   at risk, other names. What it warns of or prints in many calls is said once. A name that was
#'   registered before is noted; [unregister()] forgets it.
#' @family what can be registered
#' @examples
#' twice_mean <- function(r, level) 2 * mean(-r[r < 0]) / (2 * (1 - level))^0.2
#' register_var_method("twice-mean", twice_mean, title = "Twice the mean loss")
#' prices <- read_prices(demo_file("bay.csv"))
#' measure_var(prices[, "BAYALL"], method = c("historical", "twice-mean"))
#' @export
register_var_method <- function(name, estimate, title = name, formula = "", source = "") {
  taken <- c(names(own_var_methods()), names(fit_families()))
  new <- is.character(name) && length(name) == 1L && !is.na(name) && nzchar(name)
  if (!new || name %in% taken) {
    fail("argument", "`name` must be a new name.", where = sprintf("It is %s.", shown(name)))
  }
  if (!is.function(estimate)) {
    fail("argument", "`estimate` must be a function of returns and a level.")
  }
  what <- sprintf("The method %s", name)
  own <- own_function(
    estimate, what, function(measured, x, level) can_be_loss(measured, x, level, what),
    "value at risk, or that and the expected shortfall (`var` and `es`, where they are named)"
  )
  in_order <- function(measured) {
    if (!is.null(names(measured))) measured <- measured[c("var", "es")]
    unname(c(measured, NA_real_)[1:2])
  }
  tail_of <- function(x, a) t(vapply(a, function(a) in_order(own(x, 1 - a)), c(0, 0)))
  say_registered_again(name, registered_var_methods)
  registered_var_methods[[name]] <- list(
    title = title,
    formula = formula,
    source = source,
    ways = c("sqrt", "overlapping"),
    empirical = FALSE,
    still = TRUE,
    chance = "always",
    said = what,
    slopes = function(book, whole, measured, request) {
      slopes_by_change(book, whole, function(r) {
        tail_of(r, 1 - request$level)[1L, ] * request$scale
      }, request)
    },
    whole = function(values, request) {
      said_once(by_security(values, request, whole_of_registered(tail_of)), what)
    },
    fit = function(x, request) list(found = tail_of(x, 1 - request$level)),
    tail = function(fit, x, a, request) {
      if (identical(a, 1 - request$level)) fit$found else tail_of(x, a)
    }
  )
  invisible(name)
}

# One number or two, of losses: a mean loss beyond value at risk that is smaller than that, and a
# gain where the worst returns are losses, are none.
can_be_loss <- function(measured, x, level, what) {
  named <- names(measured)
  ok <- is.numeric(measured) && length(measured) %in% 1:2 && !any(is.nan(measured)) &&
    (is.null(named) || (all(named %in% c("var", "es")) && "var" %in% named))
  if (!ok) return(FALSE)
  if (!is.null(named)) measured <- measured[intersect(c("var", "es"), named)]
  if (is.na(measured[1L]) || is.infinite(measured[1L])) return(is.na(measured[1L]))
  refuse_no_loss(unname(measured), x, level, what)
  TRUE
}

refuse_no_loss <- function(measured, x, level, what) {
  there <- stats::quantile(-x, level, names = FALSE)
  # Far out, and about as far on the other side: nearer the middle a small gain may be right.
  if (level >= 0.9 && there > 0 && measured[1L] < -0.5 * there) {
    fail_in_r(
      "own", sprintf("%s gives value at risk with the wrong sign.", what),
      where = sprintf("It gave %s, where %s of the losses are up to %s.",
                      format(measured[[1L]]), unit_words(level), format(there)),
      remedy = "A loss is a positive fraction: minus the quantile of the returns."
    )
  }
  if (length(measured) == 2L && !is.na(measured[2L]) &&
      measured[2L] < measured[1L] - 1e-9 * abs(measured[1L])) {
    fail_in_r(
      "own", sprintf("%s gives an expected shortfall below value at risk.", what),
      where = sprintf("It gave %s and %s.", format(measured[[1L]]), format(measured[[2L]])),
      remedy = "Name them, c(var = , es = ), or give value at risk first."
    )
  }
}

# What it measures of a sample, and its errors by 200 samples drawn from that.
whole_of_registered <- function(tail_of) {
  function(x, request) {
    measured <- tail_of(x, 1 - request$level)
    columns <- list(
      n = rep(length(x), length(request$level)),
      var = measured[, 1L] * request$scale,
      es = measured[, 2L] * request$scale
    )
    if (request$errors == "none") return(columns)
    again <- with_seed(
      request$seed,
      replicate(200L, tail_of(sample(x, replace = TRUE), 1 - request$level))
    )
    error <- apply(array(again, c(length(request$level), 2L, 200L)), 1:2, stats::sd)
    reach <- stats::qnorm((1 + request$confidence) / 2) * error[, 1L]
    errors <- list(
      var_error = error[, 1L] * request$scale,
      es_error = error[, 2L] * request$scale,
      var_low = (measured[, 1L] - reach) * request$scale,
      var_high = (measured[, 1L] + reach) * request$scale
    )
    lapply(c(columns, errors), as.numeric)
  }
}
