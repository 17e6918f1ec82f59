# Series as R keeps them, laid out as a data frame: a column of dates and one for each security.

# `dates`: of what does not say them itself.
frame_of_series <- function(x, dates, origin) {
  if (inherits(x, "zoo")) {
    # The parts of it are taken as they lie: its package need not be there.
    dates <- days_of_index(attr(x, "index"), origin)
  } else if (stats::is.ts(x)) {
    dates <- dates %||% days_of_ts(x)
  }
  values <- if (is.matrix(x)) unclass(x) else matrix(as.vector(unclass(x)), ncol = 1L)
  if (!is.numeric(values)) fail("price", sprintf("The numbers of %s are text.", origin))
  if (!is.double(values)) storage.mode(values) <- "double"
  names <- colnames(values)
  dates <- dates %||% rownames(values)
  if (is.null(dates)) {
    fail(
      "no_date",
      sprintf("There are no dates in %s.", origin),
      remedy = "Give them as `dates =`, or as row names."
    )
  }
  if (length(dates) != nrow(values)) {
    fail(
      "argument",
      sprintf("There are %s for %s.", count(length(dates), "date"), count(nrow(values), "row"))
    )
  }
  structure(
    c(list(dates), core_column_views(values)),
    names = c("date", names %||% sprintf("SECURITY%d", seq_len(ncol(values)))),
    class = "data.frame",
    row.names = .set_row_names(nrow(values))
  )
}

# What an index says its days are: dates, moments, months and quarters; or seconds, beside which
# stand the class that they are of and the time zone.
days_of_index <- function(index, origin) {
  told <- attr(index, "tclass") %||% attr(index, ".indexCLASS")
  if (is.numeric(index) && length(told) && !inherits(index, c("Date", month_classes))) {
    seconds <- as.vector(unclass(index))
    zone <- (attr(index, "tzone") %||% "")[1L]
    if ("Date" %in% told) zone <- "UTC"
    moment <- .POSIXct(seconds, zone)
    if (!any(month_classes %in% told)) return(moment)
    utc <- as.POSIXlt(.POSIXct(seconds, "UTC"))
    return(end_of_month(
      (utc$year + 1900) * 12 + utc$mon + if ("yearqtr" %in% told) 2 else 0
    ))
  }
  if (inherits(index, c("Date", "POSIXt", month_classes))) return(index)
  fail(
    "no_date",
    sprintf("The index of %s is no date.", origin),
    where = sprintf("It is %s.", shown(index)),
    remedy = "Give the values as a matrix, and `dates`."
  )
}

# Years and their twelfths or quarters, as numbers.
month_classes <- c("yearmon", "yearqtr")

days_of_months <- function(x) {
  end_of_month(round(as.numeric(unclass(x)) * 12) + if (inherits(x, "yearqtr")) 2 else 0)
}

# The last day of months that are counted from the year 0.
end_of_month <- function(month) {
  last <- rep(NA_real_, length(month))
  known <- which(!is.na(month))
  last[known] <- last_of_month(
    as.integer(month[known] %/% 12), as.integer(month[known] %% 12 + 1)
  )
  .Date(last)
}

# The last day of each period.
days_of_ts <- function(x) {
  a_year <- stats::frequency(x)
  if (!a_year %in% c(1, 4, 12)) {
    fail(
      "no_date",
      "The dates of a time series are known only for months, quarters and years.",
      where = sprintf("This has %s a year.", count(a_year)),
      remedy = "Give them as `dates =`."
    )
  }
  end_of_month(round(as.vector(stats::time(x)) * 12) + 12 / a_year - 1)
}
