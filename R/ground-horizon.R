# A horizon is time: "10 days", "2 weeks", "1 month", or a number of periods of what is measured.

time_pattern <- paste0(
  "^ *([0-9]+)? *-?(trading day|day|week|fortnight|month|quarter|half-year|year|period|return)",
  "s? *$"
)

is_time <- function(text) grepl(time_pattern, text, ignore.case = TRUE)

# How many of what: "10 days" is 10 and "day"; NULL of what is no time.
parts_of_time <- function(text) {
  if (grepl("^ *[0-9]+ *$", text)) return(list(number = as.numeric(text), unit = "period"))
  parts <- regmatches(text, regexec(time_pattern, text, ignore.case = TRUE))[[1L]]
  if (!length(parts)) return(NULL)
  unit <- sub("trading ", "", tolower(parts[3L]))
  if (unit == "return") unit <- "period"
  list(number = if (nzchar(parts[2L])) as.numeric(parts[2L]) else 1, unit = unit)
}

# The periods that a horizon is, of series of this frequency; with what was asked, in words, where
# the two differ. `several`: more than one horizon.
check_horizon <- function(horizon, frequency = NULL, several = FALSE) {
  if (!is.character(horizon)) {
    horizon <- check_whole(horizon, "horizon", several = several, most = most_periods)
    every <- unique(frequency$every)
    if (length(every) == 1L && !every %in% c("day", "period") && any(horizon > 1L)) {
      note("horizon", sprintf(
        "A horizon of %s is %s.", some(horizon),
        if (length(horizon) == 1L) count(horizon, every) else sprintf("in %ss", every)
      ))
    }
    return(horizon)
  }
  if (!length(horizon) || anyNA(horizon) || (length(horizon) > 1L && !several)) {
    fail("argument", "`horizon` must be one time, such as \"10 days\".", where = sprintf(
      "It is %s.", shown(horizon)
    ))
  }
  periods <- vapply(horizon, periods_of_time, 0L, frequency = frequency, USE.NAMES = FALSE)
  own <- c("period", frequency$every)
  differ <- vapply(horizon, function(h) !parts_of_time(h)$unit %in% own, NA)
  if (any(differ)) {
    each <- sprintf("%s: %s", horizon, count(periods, frequency$every[[1L]]))[differ]
    attr(periods, "asked") <- paste(each, collapse = ", ")
    note("horizon", sprintf("Horizons are in the periods of what is measured: %s.", some(each)))
  }
  periods
}

periods_of_time <- function(text, frequency, what = "`horizon`") {
  parts <- parts_of_time(text)
  if (is.null(parts)) {
    fail(
      "argument",
      sprintf("%s must be a number of periods, or a time.", what),
      where = sprintf("It is %s.", shown(text)),
      remedy = "Such as \"10 days\", \"2 weeks\" or \"1 month\"."
    )
  }
  periods <- parts$number
  if (parts$unit != "period") {
    every <- unique(frequency$every)
    if (length(every) != 1L || every == "period") {
      fail(
        "argument",
        sprintf("%s cannot be said in a time here: a period is not the same for all.", what),
        where = sprintf("There are %s.", some(unique(adverb_of(frequency$every)))),
        remedy = "Give it as a number of periods, or take returns by one period for all."
      )
    }
    if (parts$unit != every) {
      periods <- parts$number * frequency$per_year[[1L]] / frequencies[[parts$unit]]$per_year
    }
    whole <- max(1, round(periods))
    if (abs(periods / whole - 1) > 0.1) {
      fail(
        "argument",
        sprintf(
          "%s of %s cannot be measured of %s returns.", what, text, adverb_of(every)
        ),
        where = sprintf("It is %s %ss.", format(round(periods, 2L)), every),
        remedy = if (whole == 1 && periods < 1) {
          paste(
            "Take returns by a shorter period; a book with a fund that is priced less often is",
            "kept daily by `between = \"bridged\"`."
          )
        } else {
          sprintf("Ask for %s, or take returns by a shorter period.", count(whole, every))
        }
      )
    }
    periods <- whole
  }
  if (periods < 1 || periods > most_periods) {
    fail("argument", sprintf("%s must be 1 to %s periods.", what, count(most_periods)),
         where = sprintf("It is %s.", shown(text)))
  }
  as.integer(periods)
}
