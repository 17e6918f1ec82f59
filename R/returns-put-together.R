# Tables of prices put together: beside each other, below each other, by their dates.

#' Put tables together
#'
#' `cbind()` sets securities beside each other, on all dates that any of the tables has; `rbind()`
#' sets later dates below earlier ones; `merge()` is `cbind()` on the dates that all have
#' (`all = TRUE`: that any has). Where tables of returns were taken of prices, their prices are put
#' together, and the returns taken again.
#'
#' @param x,y,... Price tables, or returns tables of one kind. What [as_prices()] takes counts as
#'   prices beside prices. `all = TRUE` of `merge()` keeps dates that not all of the tables have.
#' @param deparse.level Not used.
#' @return A table of the same class. Where a date and security stand in two tables, they must
#'   say the same.
#' @section Errors: `imbroglio_error_duplicate` for two prices that differ of one date and
#'   security; `imbroglio_error_security` where `cbind()` or `merge()` would set a name twice;
#'   `imbroglio_error_argument` for prices beside returns, for returns of unlike kinds, and for
#'   prices that were converted: put them together first, then convert them.
#' @family what measures are of
#' @examples
#' prices <- read_prices(demo_file("bay.csv"))
#' cbind(prices[, "TARROW"], prices[, "OSSELL"])
#' earlier <- window(prices, end = "2020-12-31")
#' later <- prices[prices$dates > as.Date("2020-12-31"), ]
#' rbind(earlier, later)
#' merge(prices[, "TARROW"], later[, "OSSELL"])
#' @name together
NULL

#' @rdname together
#' @export
cbind.imbroglio_panel <- function(..., deparse.level = 1) put_beside(list(...), any_date = TRUE)

#' @rdname together
#' @export
rbind.imbroglio_panel <- function(..., deparse.level = 1) put_together(list(...))

#' @rdname together
#' @export
merge.imbroglio_panel <- function(x, y, ...) {
  given <- list(...)
  put_beside(c(list(x, y), unname(given[!names(given) %in% "all"])), any_date = isTRUE(given$all))
}

put_beside <- function(tables, any_date) {
  names <- unlist(lapply(tables, colnames))
  twice <- unique(names[duplicated(names)])
  if (length(twice)) {
    fail_in_r(
      "security",
      sprintf("%s stands in several of the tables.", some(twice)),
      remedy = "rbind() sets dates of the same securities below each other."
    )
  }
  made <- put_together(tables)
  if (any_date) return(made)
  days <- lapply(tables, function(one) as.numeric(stats::time(one)))
  shared <- Reduce(intersect, days)
  if (!length(shared)) fail_in_r("too_short", "The tables have no date in common.")
  table_on_dates(made, made$dates[as.numeric(made$dates) %in% shared])
}

put_together <- function(tables) {
  tables <- tables[!vapply(tables, is.null, NA)]
  as_returned <- vapply(tables, inherits, NA, "imbroglio_returns")
  if (any(as_returned) && !all(as_returned)) {
    fail_in_r(
      "argument", "Prices and returns are not put into one table.",
      remedy = "Put prices together, then take returns."
    )
  }
  if (any(as_returned)) returns_put_together(tables) else prices_put_together(tables)
}

prices_put_together <- function(tables) {
  tables <- lapply(tables, as_prices)
  if (length(tables) == 1L) return(tables[[1L]])
  if (!all(vapply(tables, function(x) is.null(x$converted), NA))) {
    fail_in_r(
      "argument", "Prices that were converted are not put together.",
      remedy = "Put them together as they were quoted, then convert them all."
    )
  }
  of <- unique(vapply(tables, function(x) x$measured, ""))
  if (length(of) > 1L) {
    fail_in_r("argument", sprintf("Some of the tables are of %s prices, others of %s prices.",
                             of[1L], of[2L]))
  }
  dates <- .Date(sort(unique(unlist(lapply(tables, function(x) as.numeric(x$dates))))))
  securities <- unique(unlist(lapply(tables, colnames)))
  on_all <- function(pick) matrix_together(tables, pick, dates, securities)
  fields <- unique(unlist(lapply(tables, function(x) names(x$fields))))
  of_all <- function(name) {
    rows <- Filter(function(part) NROW(part) > 0L, lapply(tables, function(x) x[[name]]))
    if (length(rows)) as.data.frame(stacked(rows, ragged = TRUE))
  }
  made <- new_prices(
    dates, on_all(function(x) x$close),
    some(unique(vapply(tables, function(x) x$origin, ""))),
    lapply(stats::setNames(nm = fields), function(f) on_all(function(x) x$fields[[f]])),
    measured = of, actions = of_all("actions")
  )
  about <- of_all("about")
  if (!is.null(about)) made$about <- about[match(securities, about$security), ]
  made$repairs <- unique(unlist(lapply(tables, function(x) x$repairs)))
  made$read <- do.call(c, lapply(tables, read_of))
  made
}

# The same numbers of all tables on all dates; what two say of one date and security is the same.
matrix_together <- function(tables, pick, dates, securities) {
  whole <- matrix(NA_real_, length(dates), length(securities), dimnames = list(NULL, securities))
  for (table in tables) {
    values <- pick(table)
    if (is.null(values)) next
    rows <- match(as.numeric(table$dates), as.numeric(dates))
    columns <- match(colnames(values), securities)
    there <- whole[rows, columns, drop = FALSE]
    differs <- which(!is.na(there) & !is.na(values) & there != values, arr.ind = TRUE)
    if (nrow(differs)) {
      first <- differs[1L, ]
      fail_in_r(
        "duplicate",
        sprintf(
          "%s in several of the tables, and differ.", count(nrow(differs), "price stands",
                                                            "prices stand")
        ),
        where = sprintf(
          "%s on %s: %s and %s.", colnames(values)[first[2L]], table$dates[first[1L]],
          there[first[1L], first[2L]], values[first[1L], first[2L]]
        )
      )
    }
    known <- !is.na(values)
    there[known] <- values[known]
    whole[rows, columns] <- there
  }
  whole
}

# Returns put together: by their prices, where they have some.
returns_put_together <- function(tables) {
  one <- tables[[1L]]
  if (length(tables) == 1L) return(one)
  alike <- function(part) length(unique(lapply(tables, part))) == 1L
  priced <- vapply(tables, function(x) !is.null(x$prices) && is.null(x$book), NA)
  given <- vapply(tables, function(x) is.null(x$prices) && is.null(x$book), NA)
  if (!alike(function(x) x$kind) || !(all(priced) || all(given)) ||
      !alike(function(x) x$stated)) {
    fail_in_r(
      "argument",
      "Only returns of one kind, taken alike, are put into one table.",
      where = sprintf("These are %s.", some(vapply(tables, function(x) {
        how <- if (is.null(x$prices)) "given" else "taken"
        sprintf("%s %s %s", adverb_of(x$every), x$kind, how)
      }, ""))),
      remedy = "Put prices together, then take returns."
    )
  }
  if (all(priced)) {
    return(as_returns(
      prices_put_together(lapply(tables, function(x) x$prices)), kind = one$kind,
      every = one$stated, keep_unfinished = isTRUE(one$keep_unfinished)
    ))
  }
  dates <- .Date(sort(unique(unlist(lapply(tables, function(x) as.numeric(x$dates))))))
  values <- matrix_together(
    tables, function(x) x$values, dates, unique(unlist(lapply(tables, colnames)))
  )
  as_returns(
    data.frame(date = dates, values, check.names = FALSE),
    kind = if (one$kind == "profit") "simple" else one$kind,
    given = if (one$kind == "profit") "profits" else "returns",
    origin = some(unique(vapply(tables, function(x) x$origin, "")))
  )
}

#' @rdname as_prices
#' @export
as_prices.list <- function(x, ...) {
  refuse_others(...)
  put_beside(lapply(frames_of_list(x), function(one) {
    do.call(as_prices, c(list(one$frame), if (one$named) list(name = one$name)))
  }), any_date = TRUE)
}

# Of a list of tables each as a data frame, a single column of numbers by the name it has in the
# list; `named`: whether a table of open, high, low and close is to be called by that.
frames_of_list <- function(x) {
  named <- names(x) %||% rep("", length(x))
  if (!length(x) || !all(nzchar(named)) || anyDuplicated(named)) {
    fail_in_r(
      "argument", "A list of tables has a name for each, and none twice.",
      where = if (length(x)) sprintf("They are named %s.", some(shown(named)))
    )
  }
  Map(function(one, name) {
    frame <- if (is.data.frame(one)) one else frame_of_series(one, NULL, name)
    if (ncol(frame) == 2L) {
      numbers <- vapply(frame, is.numeric, NA)
      if (sum(numbers) == 1L) names(frame)[numbers] <- name
    }
    list(frame = frame, name = name, named = is.data.frame(one) && ncol(frame) > 2L)
  }, x, named)
}
