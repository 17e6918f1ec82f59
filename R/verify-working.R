#' Compute a working again
#'
#' Reads a working that [working_json()] wrote, this year or long ago, and computes each of its
#' numbers again from the data and the choices in the file, by the expressions that stand there:
#' the functions that measured are not asked. With prices, its closes and returns are first looked
#' up in these, so that the numbers are those of the prices.
#'
#' Of a study's folder, or the `record.json` in it, all workings of its report are computed again.
#'
#' @param file A file of [working_json()]; a folder that [run_study()] wrote, or its `record.json`.
#' @param prices A price table, or a returns table of given returns or profits: where the data are
#'   looked up. They are read as they were for the measure (adjusted, converted, put right).
#' @return A tibble of class `imbroglio_verified` with a row for each number: `working` (of what),
#'   `number`, `words`, `unit`, `state` (`"same"`; `"differs"`; `"entered"`: it has no expression,
#'   and is taken as it stands), `stated` (in the file), `again` (computed), `apart` (the
#'   difference, as a share of what is stated), `rows` (how many it has) and `rows_apart`. A number
#'   is the same within a billionth of itself. Of a column the row that is furthest apart is shown.
#' @section Errors: `imbroglio_error_file` for a file that is none of these, or is damaged;
#'   `imbroglio_error_working` for an expression that cannot be computed;
#'   `imbroglio_error_argument` for prices in which nothing of it can be looked up.
#' @family ways to hand on
#' @examples
#' prices <- read_prices(demo_file("bay.csv"))
#' file <- tempfile(fileext = ".json")
#' working_json(show_working(measure_var(prices[, "BAYALL"])), file)
#' verify_working(file, prices)
#' @export
verify_working <- function(file, prices = NULL) {
  if (!is.character(file) || length(file) != 1L || is.na(file)) {
    fail("argument", "`file` is the name of one.", where = sprintf("It is %s.", shown(file)))
  }
  if (!is.null(prices) && !inherits(prices, c("imbroglio_prices", "imbroglio_returns"))) {
    prices <- as_prices(prices)
  }
  read <- workings_in(file)
  looked_up <- list()
  made <- lapply(seq_along(read$workings), function(i) {
    one <- read$workings[[i]]
    if (!is.null(prices)) {
      found <- look_up(one, prices)
      one <- found$working
      looked_up[[i]] <<- found$found
    }
    numbers_again(one)
  })
  looked_up <- unique(do.call(rbind, looked_up))
  if (!is.null(prices) && !any(looked_up$there > 0L)) refuse_prices(looked_up, prices)
  structure(
    tibble::as_tibble(do.call(rbind, made)),
    class = c("imbroglio_verified", "tbl_df", "tbl", "data.frame"),
    file = basename(file),
    workings = length(read$workings),
    version = read$version,
    files = read$files,
    looked_up = looked_up,
    origin = if (inherits(prices, "imbroglio_returns")) prices$source$origin else prices$origin
  )
}

refuse_prices <- function(looked_up, prices) {
  named <- unique(looked_up$security)
  given <- inherits(prices, "imbroglio_returns")
  securities <- colnames(if (given) prices$values else prices$close)
  fail(
    "argument",
    "Nothing of it can be looked up in these prices.",
    where = c(
      if (length(named)) {
        sprintf("It is of %s, and these are of %s.", some(named), some(securities))
      } else {
        "It holds no closes and no returns as they were delivered."
      }
    )
  )
}

# Each number of a working, and what it comes to.
numbers_again <- function(one) {
  values <- tryCatch(values_of_working(one$written), error = function(e) {
    fail("working", "It cannot be computed.", where = c(one$title, conditionMessage(e)))
  })
  rows <- lapply(one$written$steps, function(s) {
    again <- as.numeric(values[[s$name]])
    stated <- one$stated[[s$name]]
    if (is.null(stated)) return(NULL)
    # What was measured is stated, too.
    if (length(one$measured[[s$name]])) stated <- c(stated, one$measured[[s$name]])
    again <- rep_len(again, max(length(again), length(stated)))
    length(stated) <- length(again)
    known <- is.finite(again) & is.finite(stated)
    off <- abs(again - stated) / pmax(abs(stated), 1e-6)
    off[!known] <- ifelse(is.finite(again) == is.finite(stated), -1, Inf)[!known]
    worst <- which.max(off)
    apart <- sum(off > 1e-9)
    data.frame(
      working = one$title, number = s$name, words = s$words, unit = s$unit,
      state = if (apart) "differs" else if (is.null(s$expression)) "entered" else "same",
      stated = stated[worst], again = again[worst], apart = max(off[worst], 0),
      rows = length(values[[s$name]]), rows_apart = as.integer(apart)
    )
  })
  do.call(rbind, c(rows, list(make.row.names = FALSE)))
}

# The data of a working as other prices have them. `found`: of each column how many rows are
# there, and how many are another number.
look_up <- function(one, prices) {
  found <- list()
  for (i in seq_along(one$written$rows)) {
    r <- one$written$rows[[i]]
    for (column in names(r$of)) {
      security <- r$of[[column]]
      was <- r$columns[[column]]
      now <- looked_up_column(r$dates, security, r$holds, prices)
      known <- which(is.finite(now))
      off <- known[abs(now[known] - was[known]) > 1e-12 * pmax(abs(was[known]), 1e-6) |
                     !is.finite(was[known])]
      r$columns[[column]][known] <- now[known]
      found[[length(found) + 1L]] <- data.frame(
        security = security, holds = r$holds, rows = length(was), there = length(known),
        apart = length(off), first = r$dates[off[1L]], was = was[off[1L]], now = now[off[1L]],
        from = r$dates[1L], to = r$dates[length(r$dates)]
      )
    }
    one$written$rows[[i]] <- r
  }
  list(working = one, found = do.call(rbind, found))
}

looked_up_column <- function(dates, security, holds, prices) {
  given <- inherits(prices, "imbroglio_returns")
  nothing <- rep(NA_real_, length(dates))
  if (holds == "close") {
    if (given) return(nothing)
    table <- list(dates = prices$dates, values = prices$close)
  } else {
    kind <- if (holds == "log") holds else "simple"
    table <- if (given) prices else as_returns(prices, kind = kind)
    if (table$kind != holds) return(nothing)
  }
  if (!security %in% colnames(table$values)) return(nothing)
  unname(table$values[match(as.numeric(dates), as.numeric(table$dates)), security])
}
