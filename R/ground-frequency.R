# How often a series has a value: of each frequency how many a year by convention, what one is
# called, which period a date belongs to, the usual gaps in days that it is known by, and the
# longest usual gap of a series it can be taken from.
frequencies <- list(
  day = list(
    per_year = 252,
    adverb = "daily",
    period = function(d) as.numeric(d),
    gap = c(0, 1),
    longest = 4
  ),
  week = list(
    per_year = 52,
    adverb = "weekly",
    period = function(d) (as.numeric(d) + 3) %/% 7,
    gap = c(5, 9),
    longest = 10
  ),
  fortnight = list(
    per_year = 26,
    adverb = "fortnightly",
    period = function(d) (as.numeric(d) + 3) %/% 14,
    gap = c(13, 16),
    longest = 20
  ),
  month = list(
    per_year = 12,
    adverb = "monthly",
    period = function(d) month_number(d),
    gap = c(26, 36),
    longest = 45
  ),
  quarter = list(
    per_year = 4,
    adverb = "quarterly",
    period = function(d) month_number(d) %/% 3,
    gap = c(84, 99),
    longest = 135
  ),
  "half-year" = list(
    per_year = 2,
    adverb = "half-yearly",
    period = function(d) month_number(d) %/% 6,
    gap = c(172, 194),
    longest = 250
  ),
  year = list(
    per_year = 1,
    adverb = "yearly",
    period = function(d) month_number(d) %/% 12,
    gap = c(345, 386),
    longest = Inf
  )
)

conventional_per_year <- vapply(frequencies, `[[`, 0, "per_year")

# Every second day, every ten days: a series that has none of these frequencies has periods of its
# own; a table of several frequencies is mixed.
adverb_of <- function(every) {
  known <- c(
    vapply(frequencies, `[[`, "", "adverb"),
    period = "irregular",
    mixed = "daily to yearly"
  )
  unname(known[every])
}

month_number <- function(dates) {
  parts <- as.POSIXlt(dates)
  parts$year * 12 + parts$mon
}

days_a_year <- 365.2425

# Of each column how often it has a value: what a period of it is called, and how many a year it
# has, which is the conventional number unless the dates contradict it by more than a tenth;
# `own`: how many the dates make, where there are enough to tell. `others`: what a series with one
# value goes by, where that is not the first of these that has more.
frequencies_of <- function(dates, values, observed = core_observed(values), others = NULL) {
  frequency <- frequency_of_days(as.numeric(dates), values, observed)
  few <- frequency$gaps < 10L
  every <- rep("period", length(frequency$gaps))
  for (name in names(frequencies)) {
    gap <- frequencies[[name]]$gap
    every[frequency$usual >= gap[1L] & frequency$usual <= gap[2L]] <- name
  }
  every[few & frequency$usual <= frequencies$day$longest] <- "day"
  known <- frequency$gaps >= 20L | (frequency$gaps > 0L & frequency$gaps * frequency$mean >= 730)
  own <- days_a_year / frequency$mean
  convention <- conventional_per_year[every]
  contradicted <- is.na(convention) | (known & abs(log(own / convention)) > log(1.1))
  per_year <- ifelse(contradicted, own, convention)
  # A series with one value, or none, goes by the others.
  lone <- is.na(frequency$usual)
  if (any(lone)) {
    every_date <- if (!is.null(others)) {
      others
    } else if (all(lone) && length(dates) > 1L) {
      frequencies_of(dates, matrix(1, length(dates), 1L))
    } else {
      list(every = every[!lone][1L], per_year = per_year[!lone][1L])
    }
    every[lone] <- if (is.na(every_date$every)) "day" else every_date$every
    per_year[lone] <- if (is.na(every_date$per_year)) {
      frequencies$day$per_year
    } else {
      every_date$per_year
    }
  }
  named <- function(x) stats::setNames(x, colnames(values))
  list(
    every = named(every),
    per_year = named(as.vector(per_year)),
    own = named(ifelse(known, own, NA_real_)),
    usual = named(frequency$usual)
  )
}

# Columns that have a value on every date share its frequency.
frequency_of_days <- function(days, values, observed) {
  whole <- observed == length(days)
  if (sum(whole) < 2L) return(core_frequency(values, days))
  shared <- core_frequency(matrix(1, length(days), 1L), days)
  if (all(whole)) return(lapply(shared, rep, length(whole)))
  Map(
    function(all_days, own) replace(rep(all_days, length(whole)), which(!whole), own),
    shared,
    core_frequency(values[, !whole, drop = FALSE], days)
  )
}

# The frequency of a calendar, whoever has a value on it.
calendar_every <- function(dates) unname(frequencies_of(dates, matrix(1, length(dates), 1L))$every)

# A frequency that was asked for; `own` only where the series were not taken at the ends of its
# periods.
stated_frequency <- function(every, securities, own = NULL) {
  each <- function(x) stats::setNames(rep(x, length(securities)), securities)
  list(
    every = each(every),
    per_year = each(frequencies[[every]]$per_year),
    own = own %||% each(NA_real_),
    usual = each(NA_real_)
  )
}

frequency_part <- function(frequency, columns) lapply(frequency, `[`, columns)

# Whether a series has values much less often than the one that has most.
rarer_than_most <- function(frequency) frequency$per_year < 0.6 * max(frequency$per_year)

# One word for all series, where they have one.
every_of_all <- function(frequency) {
  words <- unique(frequency$every)
  if (length(words) == 1L) words else "mixed"
}

# How many periods a year a result went by, in words for its basis; nothing where it is the
# convention and the dates agree with it to one in fifty.
year_words <- function(frequency, per_year) {
  of_each <- names(per_year)[names(per_year) %in% names(frequency$per_year)]
  if (!length(of_each) ||
      !identical(unname(per_year[of_each]), unname(frequency$per_year[of_each]))) {
    return(NULL)
  }
  per_year <- per_year[of_each]
  convention <- unname(conventional_per_year[frequency$every[of_each]])
  by_dates <- is.na(convention) | per_year != convention
  own <- frequency$own[of_each]
  off <- which(!is.na(own) & !by_dates & abs(own / convention - 1) > 0.02)
  c(
    if (any(by_dates) || any(per_year != per_year[[1L]])) {
      c("periods a year" = periods_in_words(per_year, by_dates))
    },
    if (length(off)) {
      c("dates a year" = dates_a_year(own[off], convention[off], length(off) == length(of_each)))
    }
  )
}

# A number of periods as it is said.
some_a_year <- function(x) as.character(round(x, 1L))

periods_in_words <- function(per_year, by_dates) {
  groups <- split(names(per_year), factor(per_year, unique(per_year)))
  of <- function(group) {
    if (length(groups) < 2L) {
      ""
    } else {
      sprintf(
        " (%s)",
        if (length(group) > 3L) {
          count(length(group), "security", "securities")
        } else {
          paste(group, collapse = ", ")
        }
      )
    }
  }
  first <- vapply(groups, `[[`, "", 1L)
  paste0(
    vapply(per_year[first], some_a_year, ""),
    vapply(groups, of, ""),
    ifelse(by_dates[match(first, names(per_year))], " by their own dates", ""),
    collapse = ", "
  )
}

dates_a_year <- function(own, convention, of_all) {
  most <- which.max(abs(log(own / convention)))
  ratio <- sqrt(own[[most]] / convention[[most]])
  sprintf(
    "%s%s, not %s: by them volatility a year is %s %% %s",
    some_a_year(own[[most]]),
    if (of_all) {
      ""
    } else {
      sprintf(
        " (%s%s)",
        names(own)[most],
        if (length(own) > 1L) sprintf(" and %s more", count(length(own) - 1L)) else ""
      )
    },
    some_a_year(convention[[most]]),
    some_a_year(100 * abs(ratio - 1)),
    if (ratio > 1) "more" else "less"
  )
}

# Years from one date to another by the calendar: whole ones to the same day of the year, and of
# the one that is left its share.
years_between <- function(from, to) {
  parts <- function(d) {
    d <- as.numeric(d)
    days <- unique(d)
    lt <- as.POSIXlt(.Date(days))
    at <- match(d, days)
    list(year = (lt$year + 1900)[at], month = (lt$mon + 1)[at], day = lt$mday[at])
  }
  a <- parts(from)
  b <- parts(to)
  whole <- b$year - a$year - (b$month * 100 + b$day < a$month * 100 + a$day)
  last <- day_number(a$year + whole, a$month, a$day)
  whole + (as.numeric(to) - last) / (day_number(a$year + whole + 1, a$month, a$day) - last)
}

# The day of a date of the Gregorian calendar, counted from 1970; 29 February is 1 March where
# there is none.
day_number <- function(year, month, day) {
  year <- year - (month <= 2)
  era <- year %/% 400
  in_era <- year - era * 400
  in_year <- (153 * (month + ifelse(month > 2, -3, 9)) + 2) %/% 5 + day - 1
  era * 146097 + in_era * 365 + in_era %/% 4 - in_era %/% 100 + in_year - 719468
}
