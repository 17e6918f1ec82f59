#' What a number stands on
#'
#' Every result of a measure carries its basis: what went in, what was left out
#' and why, and under which conventions the number was made. It is printed in
#' one line below the result; `basis()` gives all of it.
#'
#' @param result A result of a `measure_*()` function.
#' @return A list of class `imbroglio_basis` with
#'   * `from`, `to`: first and last date of the sample,
#'   * `securities`: how many, `observations`: the number used, by security,
#'   * `dropped`: a data frame of `security`, `reason` and `n`, a row for each
#'     kind of observation that was left out of one security's sample,
#'   * `kind`: `"simple"` or `"log"` returns, or `"price"`; `every`: the frequency, a name for
#'     each security where they have several; `per_year`: periods a year (`NA` where nothing is
#'     annualised, or where securities have several, which are then among the choices),
#'   * `choices`: the conventions chosen, by name, in words; `exact`: those that are numbers, with
#'     all digits,
#'   * `currency`: what money is counted in, where that is known,
#'   * `repairs`: what [repair_prices()] and [adjust_prices()] did to the prices,
#'   * `seed`: `NA` where there is no chance in the result,
#'   * `origin`: where the data came from, `digest`: the xxHash64 of the input prices or returns
#'     as they were handed in, and `version`: of this package.
#' @family what a result is
#' @examples
#' prices <- read_prices(demo_file("bay.csv"))
#' basis(measure_volatility(as_returns(prices)))
#' @export
basis <- function(result) {
  about <- basis_read(attr(result, "basis", exact = TRUE), attr(result, "source"))
  if (is.null(about)) {
    fail(
      "argument",
      "Only the result of a measure has a basis.",
      where = sprintf("This is %s.", shown(result)),
      remedy = paste0(
        "It is lost when columns of a result are taken out or changed, or rows of ",
        "another bound to it: see ?results."
      )
    )
  }
  if (inherits(result, "imbroglio_result") && !holds_result(result)) {
    fail(
      "argument",
      "These rows are not those of one measure any more.",
      remedy = "Take results as they were measured: see ?results."
    )
  }
  about
}

new_basis <- function(from, to, observations, dropped, kind, every, per_year = NA_real_,
                      choices = character(), seed = NA_integer_, repairs = character(), origin,
                      digest, exact = list(), version = own_version()) {
  if (length(unique(every)) == 1L) every <- every[[1L]]
  structure(
    list(
      from = from,
      to = to,
      securities = length(observations),
      observations = observations,
      dropped = dropped,
      kind = kind,
      every = every,
      per_year = per_year,
      choices = choices,
      exact = exact,
      seed = seed,
      repairs = repairs %||% character(),
      origin = origin,
      digest = digest,
      version = version
    ),
    class = "imbroglio_basis"
  )
}

# A basis that is made when it is read, by the function `makes` of what it is of and what it is
# given: in a loop over many short series nobody reads it, and it takes longer than the sum.
basis_later <- function(makes, of, given) {
  given$version <- own_version()
  every <- given$every
  one <- length(every) == 1L || length(unique(every)) == 1L
  structure(
    list(every = if (one) every[[1L]] else every, of = of, makes = makes, given = given),
    class = "imbroglio_basis_later"
  )
}

basis_read <- function(about, source) {
  if (!inherits(about, "imbroglio_basis_later")) return(about)
  makes <- get(about$makes, topenv(), mode = "function")
  do.call(makes, c(list(about$of %||% source), about$given))
}

# What was left out, of a basis: data.frame() takes longer than a short measure itself.
dropped_rows <- function(security = character(), reason = character(), n = integer()) {
  structure(
    list(security = security, reason = reason, n = n),
    class = "data.frame", row.names = .set_row_names(length(n))
  )
}

# As the namespace knows it: to read the package's description took a third of a short call.
own_version <- function() unname(getNamespaceVersion(topenv()))

# Taken when it is first looked at: of most tables, such as parts of one, nobody does.
digest_of <- function(dates, values) {
  force(dates)
  force(values)
  core_text_later(function() {
    digest::digest(
      list(as.numeric(dates), colnames(values), as.vector(values)),
      algo = "xxhash64"
    )
  })
}

# What a period of each row of a result is called.
every_by_row <- function(result) {
  every <- basis(result)$every
  if (!is.null(result[["every"]])) {
    result[["every"]]
  } else if (length(every) == 1L) {
    rep(every, nrow(result))
  } else {
    unname(every[result$security])
  }
}

# One word for the periods of all rows.
every_in_all <- function(result) {
  words <- unique(every_by_row(result))
  if (length(words) == 1L) words else "period"
}

# A choice of a basis, as text; NA where it was not made.
choice_of <- function(about, name) {
  taken <- about$choices[name]
  if (length(taken)) unname(taken) else NA_character_
}
