record_of_choices <- function() {
  measure_record(
    107,
    title = "What hangs on the choices",
    asks = "How far would it be another number, had others chosen?",
    measure = vary_choices,
    columns = list(
      choice = column("choice", "text", key = TRUE),
      taken = column("taken", "text"),
      swing_low = column("least", "significant"),
      least_at = column("with", "text"),
      swing_high = column("most", "significant"),
      most_at = column("with", "text"),
      swing = column("swing", "significant"),
      share_alone = column("of the variance, alone", "share"),
      share_together = column("and with others", "share"),
      grid_least = column("least of all", "significant", detail = TRUE),
      grid_most = column("most of all", "significant", detail = TRUE),
      grid_below = column("share of all below it", "share", detail = TRUE),
      chance_error = column("standard error of it", "significant", detail = TRUE, optional = TRUE)
    ),
    shares = c("security", "measure", "estimate"),
    compares = NULL,
    command = command_record(
      "Check the number, and hand it on", 12,
      says = "how much of a number hangs on choices that others would make otherwise",
      takes = "FILE...",
      options = c(
        choose, "measure", "vary", "benchmark", "level", "horizon", setdiff(
          book, c("parts", "held", "rebalance")
        ), hand_on
      ),
      trade = list(
        trade(
          c("Sensitivity to assumptions", "model risk", "robustness"),
          "how much hangs on each choice, beside the error of the sample",
          "imbroglio choices FILE --measure var"
        )
      ),
      help = c(measure = "which number (var)"),
      example = c(
        "imbroglio choices bay.csv --security BAYALL --figure choices.png",
        paste0(
          "imbroglio choices bay.csv --security TARROW --measure beta --benchmark BAYALL ",
          "--vary \"every=day|week|month,last=1 year|3 years|all\""
        )
      ),
      ways = c(
        "--security SHAREX --vary method=historical|normal,kind=simple|log",
        "--security SHAREX --measure beta --benchmark INDEXX --vary every=day|week,kind=simple|log"
      )
    ),
    parts = list(
      choices = part("more", 27, "whole", above = c("lead", "figure", "table"), usual = FALSE)
    ),
    cases = quote(list(
      whole = vary_choices(x, over = list(
        method = c("historical", "normal"), last = c("100 returns", "all"),
        kind = c("simple", "log")
      )),
      of_book = vary_choices(
        book, "volatility", over = list(last = c("120 returns", "all"), kind = c("simple", "log"))
      )
    ))
  )
}

#' What hangs on the choices
#'
#' One number over the grid of choices that reasonable people make: how far it goes, which choice
#' moves it most, and how that compares with the error of the sample.
#'
#' The grid is of all combinations. A choice that has no effect beside another (a rank convention
#' beside a normal distribution) is measured once, and counted. What cannot be measured is told;
#' where it leaves holes, the values of a choice with most holes are left out of the shares until
#' there is none.
#'
#' * `swing` is how far the number goes when one choice alone is another, all else as chosen.
#' * `share_alone` is the share of the variance over the grid that lies between the means of the
#'   values of one choice; `share_together` adds all that it does together with others (what is
#'   left within the same choice of all others). Where choices do not act on each other both are
#'   equal and add up to 1.
#'
#' @section Formula: With \eqn{f}{f} over all \eqn{N}{N} combinations and mean \eqn{m}{m}: alone
#'   \deqn{S_i = \sum_l n_l (m_{il} - m)^2 / \sum (f - m)^2}{S_i = sum over its values l of
#'   n_l (m_il - m)^2 / sum((f - m)^2)} together \deqn{T_i = \sum (f - m_{-i})^2 / \sum (f - m)^2
#'   }{T_i = sum((f - m_-i)^2) / sum((f - m)^2)} with \eqn{m_{-i}}{m_-i} the mean over choice i
#'   where all others are the same.
#' @param x A price table, returns of prices, or a book (as held today).
#' @param measure `"var"`, `"es"`, `"volatility"`, `"drawdown"`, `"beta"` or `"tracking_error"`.
#' @param choices What is chosen, by name: what the measure takes, and `kind`, `every`, `last`.
#'   What is not named is as the measure takes it by default, of all prices.
#' @param over What else could be chosen: values by name, of the same; by default a grid of the
#'   measure: kinds of return, frequencies that the prices have, one to five years as far as there
#'   are any, methods, rank conventions. What was chosen is always among them.
#' @param benchmark Of `beta` and `tracking_error`.
#' @return A table, a row for each choice of each security: `security`, `measure`, `choice`,
#'   `taken`, `swing_low` and `swing_high` with the values that give them (`least_at`, `most_at`),
#'   `swing`, `share_alone`, `share_together`, `estimate` (as chosen), `grid_least`, `grid_most`,
#'   `grid_below` (the share of the grid below what was chosen) and `chance_error` (the standard
#'   error of the estimate, where the measure gives one). [choices_grid()] gives all combinations.
#' @eval columns_in_docs("choices")
#' @section Errors: `imbroglio_error_argument` for a choice that is not known, or that has one
#'   value everywhere; those of the measure, where what was chosen cannot be measured.
#' @references Saltelli et al. (2008), Global sensitivity analysis.
#' @eval concepts_in_docs("vary_choices")
#' @family measures of returns
#' @examples
#' prices <- read_prices(demo_file("bay.csv"))[, "BAYALL"]
#' found <- vary_choices(prices, over = list(
#'   method = c("historical", "normal", "student"), last = c("2 years", "5 years", "all")
#' ))
#' found
#' choices_grid(found)
#' @export
vary_choices <- function(x, measure = "var", choices = list(), over = NULL, benchmark = NULL) {
  known <- explained_measures()
  check_choice(measure, "measure", names(known))
  record <- c(known[[measure]], follows = measure)
  if (isTRUE(record$beside) && is.null(benchmark)) {
    fail("argument", sprintf("`%s` is measured against a benchmark.", measure))
  }
  side <- varied_side(x, benchmark)
  grid <- grid_of_choices(over %||% usual_grid(measure, side), choices, record, side)
  found <- measured_grid(grid, choices, record, side)
  securities <- found$securities
  made <- lapply(securities, function(security) {
    effects_of_grid(found$numbers[, security], grid, security)
  })
  columns <- Map(function(one, security) {
    n <- length(grid$values)
    estimate <- found$numbers[[grid$own, security]]
    least <- range(found$numbers[, security], na.rm = TRUE)
    known <- found$numbers[!is.na(found$numbers[, security]), security]
    c(
      list(security = rep(security, n), measure = rep(measure, n), choice = names(grid$values)),
      list(taken = unname(grid$taken)),
      one,
      list(
        estimate = rep(estimate, n), grid_least = rep(least[1L], n), grid_most = rep(least[2L], n),
        grid_below = rep(mean(known < estimate), n),
        chance_error = rep(found$errors[[security]], n)
      )
    )
  }, made, securities)
  about <- if (is.null(grid$values$level)) {
    with_level(found$basis, choices, record)
  } else {
    found$basis
  }
  about$choices <- c(about$choices, varied = found$said)
  result <- new_result(stacked(columns), "choices", about, found$source)
  attr(result, "grid") <- c(grid, found[c("numbers", "why")])
  result
}

#' All combinations of varied choices
#'
#' @param result What [vary_choices()] gave.
#' @return A tibble with a row for each combination: a column for each choice, one for each
#'   security with its number, and `why` where there is none.
#' @family measures of returns
#' @examples
#' found <- vary_choices(
#'   read_prices(demo_file("bay.csv"))[, "BAYALL"], over = list(method = c("historical", "normal"))
#' )
#' choices_grid(found)
#' @export
choices_grid <- function(result) {
  grid <- attr(result, "grid")
  if (is.null(grid)) fail("argument", "All combinations are of varied choices.")
  numbers <- as.data.frame(grid$numbers, check.names = FALSE)
  # A security may be called as a choice is.
  also <- names(numbers) %in% c(names(grid$table), "why")
  names(numbers)[also] <- paste("security", names(numbers)[also])
  tibble::as_tibble(c(as.list(grid$table), as.list(numbers), list(why = grid$why)))
}
