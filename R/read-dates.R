# Dates as people and programs write them. The order of day and month is decided from all dates of
# a column; what several readings fit is refused, with how to say which.

# In the languages of `?headings`, without accents; each is known by its first three letters or
# more, where those are of one month.
month_names <- list(
  "january januar janvier enero gennaio januari janeiro styczen stycznia",
  "february februar fevrier febrero febbraio februari fevereiro luty lutego",
  "march marz maerz mrz mars marzo maart mrt marco marzec marca",
  "april avril abril aprile kwiecien kwietnia",
  "may mai mayo maggio mei maio maj maja",
  "june juni juin junio giugno junho czerwiec czerwca",
  "july juli juillet julio luglio julho lipiec lipca",
  "august aout agosto augustus augusti sierpien sierpnia",
  "september septembre septiembre setiembre settembre setembro wrzesien wrzesnia",
  "october oktober octobre octubre ottobre outubro pazdziernik pazdziernika",
  "november novembre noviembre novembro listopad listopada",
  "december dezember decembre diciembre dicembre dezembro grudzien grudnia"
)
months_by_word <- local({
  known <- lapply(strsplit(unlist(month_names), " ", fixed = TRUE), function(words) {
    unique(unlist(lapply(words, function(word) substring(word, 1L, 3L:nchar(word)))))
  })
  words <- unlist(known)
  month <- rep(1:12, lengths(known))
  of_two <- words %in% words[duplicated(words)]
  stats::setNames(month[!of_two], words[!of_two])
})
date_orders <- c("day-first", "month-first", "year-first")
# Of a table of prices; others are slips.
first_year <- 1800L
last_year <- 2100L

# Days since 1970 of a column of dates, NA where there is none, and remarks on how they were read.
column_days <- function(x, day_order, name, origin) {
  if (!is.null(day_order)) check_choice(day_order, "dates", date_orders)
  if (inherits(x, month_classes)) {
    return(list(
      days = sensible(as.numeric(days_of_months(x))),
      remarks = "months or quarters, dated by their last day"
    ))
  }
  if (inherits(x, "POSIXt")) {
    # The day on the clock that the times are of.
    days <- as.numeric(as.Date(format(x, "%Y-%m-%d")))
    at_midnight <- all(format(x[!is.na(x)], "%H%M%S") == "000000")
    return(list(
      days = sensible(days),
      remarks = if (!at_midnight) sprintf("times left out of %s", name)
    ))
  }
  if (inherits(x, "Date")) {
    days <- as.numeric(x)
    if (any(days != floor(days), na.rm = TRUE)) days <- floor(days)
    return(list(days = sensible(days), remarks = NULL))
  }
  if (is.logical(x)) return(list(days = rep(NA_real_, length(x)), remarks = NULL))
  if (is.numeric(x)) return(number_days(as.numeric(x)))
  if (!is.factor(x)) x <- factor(as.character(x))
  read <- text_days(levels(x), day_order, name, origin)
  list(days = read$days[as.integer(x)], remarks = read$remarks)
}

sensible <- function(days) {
  first <- days_of_date(first_year, 1L, 1L)
  last <- days_of_date(last_year, 12L, 31L)
  if (min(days, Inf, na.rm = TRUE) >= first && max(days, -Inf, na.rm = TRUE) <= last) return(days)
  days[!is.na(days) & (days < first | days > last)] <- NA
  days
}

# Days since 1970; NA for days that no calendar has.
days_of_date <- function(year, month, day) {
  as.numeric(parse_iso_dates(sprintf("%04d-%02d-%02d", year, month, day)))
}

last_of_month <- function(year, month) {
  days_of_date(year + month %/% 12L, month %% 12L + 1L, 1L) - 1
}

# yyyymmdd, years, months as yyyymm, the day numbers of a spreadsheet, or Unix times: whichever
# all of them are.
number_days <- function(x) {
  there <- x[!is.na(x)]
  inside <- function(low, high, whole = TRUE) {
    length(there) && all(there >= low & there < high) && (!whole || all(there == floor(there)))
  }
  told <- function(days, ...) list(days = sensible(days), remarks = c(...))
  parts <- function(unit) {
    list(as.integer(x %/% (unit * 100)), as.integer(x %/% unit %% 100), as.integer(x %% unit))
  }
  if (inside(first_year * 1e4, (last_year + 1) * 1e4)) {
    p <- parts(100)
    return(told(days_of_date(p[[1L]], p[[2L]], p[[3L]])))
  }
  if (inside(first_year * 100, (last_year + 1) * 100)) {
    month <- as.integer(x %% 100)
    month[!month %in% 1:12] <- NA
    return(told(last_of_month(as.integer(x %/% 100), month), "months, dated by their last day"))
  }
  if (inside(first_year, last_year + 1)) {
    return(told(days_of_date(as.integer(x), 12L, 31L), "years, dated by their last day"))
  }
  if (inside(20000, 73051, whole = FALSE)) {
    return(told(floor(x) - 25569, "dates as a spreadsheet's day numbers (from 1900)"))
  }
  unit <- c(1, 1e3, 1e6, 1e9)[c(
    inside(1e8, 4.2e9),
    inside(1e11, 4.2e12),
    inside(1e14, 4.2e15),
    inside(1e17, 4.2e18, whole = FALSE)
  )]
  if (length(unit)) {
    return(told(floor(x / unit / 86400), "dates as Unix times, by the days of UTC"))
  }
  list(days = rep(NA_real_, length(x)), remarks = NULL)
}

weekday_words <- paste0(
  "^((mon|tue|wed|thu|fri|sat|sun)[a-z]*[.,]* +|(mo|di|mi|do|fr|sa|so)[.,]+ *|",
  "((mon|diens|mitt|donners|frei|sams|sonn)(tag|woch|abend)|(lun|mar|mercre|jeu|vendre|same)di|",
  "dimanche|lunes|martes|miercoles|jueves|viernes|sabado|domingo|",
  "(lune|marte|mercole|giove|vener)di|sabato|domenica)[.,]* +)"
)
# Letters that stand between the parts of a date: 1er janvier, 2 de enero de 2024.
plain_date <- function(text) {
  text <- unaccented(lower_case(trimmed(text)))
  text <- sub(weekday_words, "", text)
  gsub(" de ", " ", sub("^1er ", "1 ", text), fixed = TRUE)
}
# A time of the day, with whatever zone: the date is the local one that is written before it.
clock_words <- paste0(
  paste0(
    "(t| +|, *)([01]?[0-9]|2[0-4]):[0-5][0-9](:[0-6][0-9]([.,][0-9]+)?)?( ",
    "?[ap]\\.?m\\.?)?"
  ),
  paste0(
    " ?(z|[a-z]{2,5}|(utc|gmt)?[+-][0-9]{1,2}:?([0-9]{2})?)?( ",
    "?[\\[(][a-z/_+:0-9-]+[\\])])?$|(?<=[0-9]{8})t[0-9]{4,6}z?$"
  )
)

text_days <- function(text, day_order, name, origin) {
  days <- core_days_of_iso(text)
  if (length(text) && !anyNA(days)) return(list(days = sensible(days), remarks = NULL))
  text <- plain_date(text)
  timed <- grepl(clock_words, text, perl = TRUE)
  midnight <- grepl("(t| )0?0:00(:00([.,]0+)?)? ?z?$", text)
  zoned <- timed &
    grepl("[0-9] ?(z|[a-z]{3,5}|(utc|gmt)?[+-][0-9]{1,2}:?([0-9]{2})?)$", text) &
    !grepl("z$", text)
  text <- sub(clock_words, "", text, perl = TRUE)
  if (length(text) && all(grepl("^[0-9]+([.][0-9]+)?$", text))) {
    numbered <- number_days(as.numeric(text))
    return(numbered)
  }
  whole <- whole_days(text, day_order, name, origin)
  period <- if (any(is.na(whole$days))) period_days(text)
  if (!is.null(period) && sum(!is.na(period$days)) > sum(!is.na(whole$days))) whole <- period
  list(
    days = sensible(whole$days),
    remarks = c(
      whole$remarks,
      if (any(timed & !midnight) || any(zoned)) sprintf("times left out of %s", name)
    )
  )
}

# Texts of a pattern: its parts by column; NA where it does not match.
parts_of <- function(text, pattern) {
  match_at <- regexpr(pattern, text, perl = TRUE)
  start <- attr(match_at, "capture.start")
  parts <- substring(rep(text, ncol(start)), start, start + attr(match_at, "capture.length") - 1L)
  parts <- matrix(parts, nrow = length(text), ncol = ncol(start))
  parts[match_at < 0L, ] <- NA
  parts
}

full_year <- function(text) {
  year <- as.integer(text)
  ifelse(nchar(text) > 2L, year, year + ifelse(year < 70L, 2000L, 1900L))
}

month_of_name <- function(text) unname(months_by_word[text])
# The longest first, so that none is taken for the beginning of another.
month_word <- sprintf(
  "(%s)", paste(names(months_by_word)[order(-nchar(names(months_by_word)))], collapse = "|")
)

whole_days <- function(text, day_order, name, origin) {
  days <- rep(NA_real_, length(text))
  remarks <- NULL
  take <- function(pattern, make) {
    p <- parts_of(text, pattern)
    there <- which(is.na(days) & !is.na(p[, 1L]))
    if (length(there)) days[there] <<- make(p[there, , drop = FALSE])
    there
  }
  whole <- function(p, year, month, day) {
    days_of_date(full_year(p[, year]), month, as.integer(p[, day]))
  }
  take("^([0-9]{4})[-/. ]([0-9]{1,2})[-/. ]([0-9]{1,2})$", function(p) {
    whole(p, 1L, as.integer(p[, 2L]), 3L)
  })
  take("^([0-9]{4})([0-9]{2})([0-9]{2})$", function(p) whole(p, 1L, as.integer(p[, 2L]), 3L))
  named <- sprintf(
    "^([0-9]{1,2})(?:st|nd|rd|th)?[-/. ]*%s[-/., ]*([0-9]{4}|[0-9]{2})$",
    month_word
  )
  short <- take(named, function(p) whole(p, 3L, month_of_name(p[, 2L]), 1L))
  if (any(grepl("[^0-9][0-9]{2}$", text[short]))) remarks <- "years of two digits"
  take(
    sprintf("^%s[-/. ]*([0-9]{1,2})(?:st|nd|rd|th)?[-/., ]+([0-9]{4})$", month_word),
    function(p) whole(p, 3L, month_of_name(p[, 1L]), 2L)
  )
  take(sprintf("^([0-9]{4})[-/. ]*%s[-/. ]*([0-9]{1,2})$", month_word), function(p) {
    whole(p, 1L, month_of_name(p[, 2L]), 3L)
  })
  numbered <- parts_of(text, "^([0-9]{1,2})[-/. ]([0-9]{1,2})[-/. ]([0-9]{4}|[0-9]{2})$")
  at <- which(!is.na(numbered[, 1L]))
  if (!length(at)) return(list(days = days, remarks = remarks))
  ordered <- ordered_days(numbered[at, , drop = FALSE], day_order, name, origin, text[at])
  days[at] <- ordered$days
  list(days = days, remarks = c(remarks, ordered$remarks))
}

# Dates of three numbers, in whatever order all of them can be in.
ordered_days <- function(p, day_order, name, origin, text) {
  n <- array(as.integer(p), dim(p))
  short <- all(nchar(p[, 3L]) == 2L)
  readings <- list(
    `day-first` = days_of_date(full_year(p[, 3L]), n[, 2L], n[, 1L]),
    `month-first` = days_of_date(full_year(p[, 3L]), n[, 1L], n[, 2L])
  )
  if (short) {
    readings$`year-first` <- days_of_date(full_year(sprintf("%02d", n[, 1L])), n[, 2L], n[, 3L])
    # With years of two digits nearly all fit; what would lie in the future does not.
    readings <- lapply(readings, function(d) ifelse(d > as.numeric(Sys.Date()) + 1, NA, d))
  }
  remarks <- function(way) {
    c(sub("-", " ", way, fixed = TRUE), if (any(nchar(p[, 3L]) == 2L)) "years of two digits")
  }
  if (!is.null(day_order)) {
    if (is.null(readings[[day_order]])) {
      fail(
        "argument",
        sprintf("The dates of %s do not have the year first.", origin),
        where = sprintf("There is \"%s\".", text[1L])
      )
    }
    return(list(days = readings[[day_order]], remarks = remarks(day_order)))
  }
  some_way <- Reduce(`|`, lapply(readings, function(d) !is.na(d)))
  fits <- vapply(readings, function(d) all(!is.na(d[some_way])), NA)
  ways <- names(readings)[fits]
  # Readings that give the same days are one.
  ways <- ways[!duplicated(lapply(readings[ways], function(d) d[some_way]))]
  if (length(ways) == 1L) return(list(days = readings[[ways]], remarks = remarks(ways)))
  possible <- if (length(ways)) ways else setdiff(names(readings), "year-first")
  fail(
    "ambiguous",
    sprintf(
      "It is not clear whether %s comes first in column %s of %s.",
      paste(sub("-first", "", possible), collapse = " or "),
      name,
      origin
    ),
    where = if (!length(ways)) {
      "Some dates can only be read one way, others only another."
    } else {
      sprintf(
        "All dates can be read in %s ways, such as %s.",
        c("", "both", "three")[length(ways)],
        text[1L]
      )
    },
    remedy = sprintf(
      "Say which: %s.",
      paste(sprintf('dates = "%s"', possible), collapse = " or ")
    )
  )
}

# Months, quarters and ISO weeks, dated by their last day; all of a column are of one kind.
period_days <- function(text) {
  month <- function(p, year, month) {
    m <- as.integer(month)
    m[!m %in% 1:12] <- NA
    last_of_month(full_year(year), m)
  }
  kinds <- list(
    months = list(
      list("^([0-9]{4})[-/.]?m?([0-9]{2})$", function(p) month(p, p[, 1L], p[, 2L])),
      list("^([0-9]{1,2})[-/.]([0-9]{4})$", function(p) month(p, p[, 2L], p[, 1L])),
      list(sprintf("^%s[-/., ]*([0-9]{4}|[0-9]{2})$", month_word), function(p) {
        month(p, p[, 2L], month_of_name(p[, 1L]))
      }),
      list(sprintf("^([0-9]{4})[-/. ]*%s$", month_word), function(p) {
        month(p, p[, 1L], month_of_name(p[, 2L]))
      })
    ),
    quarters = list(
      list("^([0-9]{4})[-/. ]?q([1-4])$", function(p) {
        month(p, p[, 1L], 3L * as.integer(p[, 2L]))
      }),
      list("^q([1-4])[-/. ]?([0-9]{4})$", function(p) {
        month(p, p[, 2L], 3L * as.integer(p[, 1L]))
      })
    ),
    weeks = list(
      list("^([0-9]{4})[- ]?w([0-9]{2})$", function(p) {
        week_day(as.integer(p[, 1L]), as.integer(p[, 2L]), 7L)
      }),
      list("^([0-9]{4})-?w([0-9]{2})-?([1-7])$", function(p) {
        week_day(as.integer(p[, 1L]), as.integer(p[, 2L]), as.integer(p[, 3L]))
      })
    )
  )
  read <- lapply(kinds, function(forms) {
    days <- rep(NA_real_, length(text))
    for (form in forms) {
      p <- parts_of(text, form[[1L]])
      there <- which(!is.na(p[, 1L]))
      if (length(there)) days[there] <- form[[2L]](p[there, , drop = FALSE])
    }
    days
  })
  best <- which.max(vapply(read, function(d) sum(!is.na(d)), 0L))
  list(days = read[[best]], remarks = sprintf("%s, dated by their last day", names(read)[best]))
}

# The week 1 of a year is the one with 4 January in it, and begins on a Monday.
week_day <- function(year, week, day) {
  fourth <- days_of_date(year, 1L, 4L)
  monday <- fourth - (fourth + 3) %% 7
  last <- days_of_date(year, 12L, 28L)
  weeks <- (last - (last + 3) %% 7 - monday) / 7 + 1
  ifelse(week >= 1L & week <= weeks, monday + 7 * (week - 1L) + day - 1L, NA)
}

# Whether all texts are dates in a form that nothing else has.
is_date_text <- function(text) {
  text <- sub(clock_words, "", plain_date(text), perl = TRUE)
  form <- sprintf(
    paste0(
      "^([0-9]{1,4}[-/.][0-9]{1,2}[-/.][0-9]{1,4}|[0-9]{1,2}[-/. ]*%1$s[-/., ",
      "]*[0-9]{2,4}|%1$s[-/. ]*[0-9]{1,2}[-/., ",
      "]+[0-9]{4}|[0-9]{4}-?w[0-9]{2}(-?[1-7])?|[0-9]{4}[-/. ]?q[1-4]|q[1-4][-/. ",
      "]?[0-9]{4}|[0-9]{4}[-/]m?[0-9]{2}|[0-9]{4}m[0-9]{2}|%1$s[-/., ]*[0-9]{4})$"
    ),
    month_word
  )
  length(text) > 0L && all(grepl(form, text, perl = TRUE))
}
