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
  made_data <- character()
  made <- lapply(seq_along(read$workings), function(i) {
    one <- read$workings[[i]]
    if (!is.null(prices)) {
      found <- look_up(one, prices)
      one <- found$working
      looked_up[[i]] <<- found$found
      made_data <<- c(made_data, found$made)
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
    made_data = unique(made_data),
    origin = prices$origin
  )
}

refuse_prices <- function(looked_up, prices) {
  given <- inherits(prices, "imbroglio_returns")
  securities <- colnames(if (given) prices$values else prices$close)
  there <- sprintf(
    "%s of %s", if (!given) "closes" else held_words[[prices$kind]], some(securities)
  )
  held <- if (NROW(looked_up)) {
    paste(unique(held_words[looked_up$holds]), "of", some(unique(looked_up$security)))
  }
  fail(
    "argument",
    "Nothing of it can be looked up in these prices.",
    where = if (length(held)) {
      sprintf("It holds %s, and there are %s.", some(held), there)
    } else {
      "It holds no closes and no returns as they were delivered."
    }
  )
}

held_words <- c(
  close = "closes", simple = "simple returns", log = "log returns", profit = "profits"
)

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
# there, how many are another number, and how many values lie between that were not there then.
# `made`: columns that are in no table, as what is drawn or carried is.
look_up <- function(one, prices) {
  found <- list()
  for (i in seq_along(one$written$rows)) {
    r <- one$written$rows[[i]]
    for (column in intersect(names(r$of), names(r$columns))) {
      if (is.null(r$dates)) next
      was <- r$columns[[column]]
      series <- series_there(r$of[[column]], r$holds, prices)
      now <- series$values[match(as.numeric(r$dates), as.numeric(series$dates))]
      known <- which(is.finite(now))
      # What was put in before the first return is in no table.
      rows <- which(is.finite(was) | is.finite(now))
      if (!length(rows)) next
      off <- known[!is.finite(was[known]) |
                     abs(now[known] - was[known]) > 1e-12 * pmax(abs(was[known]), 1e-6)]
      span <- r$dates[range(rows)]
      between <- is.finite(series$values) & series$dates >= span[1L] & series$dates <= span[2L] &
        !as.numeric(series$dates) %in% as.numeric(r$dates)
      r$columns[[column]][known] <- now[known]
      found[[length(found) + 1L]] <- data.frame(
        security = r$of[[column]], holds = r$holds, rows = length(rows), there = length(known),
        apart = length(off), more = sum(between) - (r$left_out[column] %||% NA)[[1L]],
        first = r$dates[off[1L]], was = was[off[1L]], now = now[off[1L]],
        from = span[1L], to = span[2L]
      )
    }
    one$written$rows[[i]] <- r
  }
  columns <- unlist(lapply(one$written$rows, function(r) setdiff(names(r$columns), names(r$of))))
  list(working = one, found = do.call(rbind, found), made = columns)
}

# The closes or the returns of a security in these prices; none where they have none.
series_there <- function(security, holds, prices) {
  given <- inherits(prices, "imbroglio_returns")
  none <- list(dates = .Date(numeric()), values = numeric())
  if (holds == "close") {
    if (given) return(none)
    table <- list(dates = prices$dates, values = prices$close)
  } else {
    kind <- if (holds == "log") holds else "simple"
    table <- if (given) prices else as_returns(prices, kind = kind)
    if (table$kind != holds) return(none)
  }
  if (!security %in% colnames(table$values)) return(none)
  list(dates = table$dates, values = unname(table$values[, security]))
}
