# Numbers and dates as people and programs write them. Each is decided on the whole
# column, and what is ambiguous is refused, with how to say which it is.

# ---- numbers ------------------------------------------------------------------------

# Text freed of what goes around a number: spaces, currency signs and codes, the
# brackets of a negative.
bare_number <- function(text) {
  text <- gsub("[\u00a0\u202f ]", "", text, useBytes = FALSE)
  text <- sub("^([-+]?)(?:[$\u20ac\u00a3\u00a5]|[A-Z]{3}(?=[-+0-9]))", "\\1", text, perl = TRUE)
  text <- sub("(?:[$\u20ac\u00a3\u00a5]|(?<=[0-9])[A-Z]{3})$", "", text, perl = TRUE)
  text <- sub("^\\((.*)\\)$", "-\\1", text)
  gsub("(?<=[0-9])['\u2019](?=[0-9]{3})", "", text, perl = TRUE)
}

# Which mark is the decimal one: "." or ",", or NULL where nothing tells.
decimal_mark <- function(bare) {
  digits <- sub("%$", "", sub("^[-+]", "", bare))
  seen <- function(pattern) any(grepl(pattern, digits))
  grouped <- function(group, mark) seen(sprintf("^[0-9]{1,3}(\\%s[0-9]{3})+\\%s[0-9]+$", group, mark))
  twice <- function(mark) seen(sprintf("^[0-9]{1,3}(\\%s[0-9]{3}){2,}$", mark))
  # One mark that cannot part thousands: not three digits behind it, or more than three or a zero before.
  plain <- function(mark) {
    seen(sprintf("^[0-9]*\\%s([0-9]{1,2}|[0-9]{4,})$", mark)) || seen(sprintf("^(0|[0-9]{4,})?\\%s[0-9]{3}$", mark))
  }
  point <- grouped(",", ".") || twice(",") || plain(".")
  comma <- grouped(".", ",") || twice(".") || plain(",")
  if (point && comma) return("both")
  if (point) "." else if (comma) ","
}

# Numbers of a character vector; NA where there is none.
text_numbers <- function(text, decimal) {
  known <- unique(text)
  bare <- bare_number(known)
  group <- if (decimal == ".") "," else "."
  # A group mark is one only before three digits.
  plain <- gsub(sprintf("(?<=[0-9])\\%s(?=[0-9]{3}(\\D|$))", group), "", bare, perl = TRUE)
  if (decimal == ",") plain <- sub(",", ".", plain, fixed = TRUE)
  percent <- grepl("%$", plain)
  plain <- sub("%$", "", plain)
  plain[!grepl("^[-+]?([0-9]+\\.?[0-9]*|\\.[0-9]+)([eE][-+]?[0-9]+)?$", plain)] <- NA
  numbers <- as.numeric(plain)
  numbers[percent] <- numbers[percent] / 100
  numbers[match(text, known)]
}

# The decimal mark of a table: as it was said, as its text tells, or a point.
table_decimal <- function(columns, decimal, origin) {
  if (!is.null(decimal)) return(check_choice(decimal, "decimal", c(".", ",")))
  text <- unique(unlist(lapply(Filter(is.character, columns), unique)))
  bare <- bare_number(text)
  bare <- bare[grepl("^[-+]?[0-9][-+0-9.,]*%?$", bare) & grepl("[.,]", bare)]
  if (!length(bare)) return(".")
  found <- decimal_mark(bare)
  # Numbers that the reader took as they stand have a point, if they have any mark.
  if (is.null(found) && any(vapply(columns, function(x) is.double(x) && any(x %% 1 != 0, na.rm = TRUE),
                                   NA))) found <- "."
  if (is.null(found) || found == "both") {
    fail("ambiguous", sprintf("It is not clear whether point or comma is the decimal mark in %s.", origin),
         where = sprintf("There are numbers like %s.", some(sprintf('"%s"', bare), 3L)),
         remedy = 'Say which: decimal = "," or decimal = ".".')
  }
  found
}

# ---- dates -----------------------------------------------------------------------------

month_names <- c("jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec")

# Days since 1970 of a column of dates in any of the ways known; NA where there is none.
text_days <- function(x, order, name, origin) {
  if (inherits(x, "POSIXt")) return(as.numeric(as.Date(format(x, "%Y-%m-%d"))))
  if (inherits(x, "Date")) return(as.numeric(x))
  if (is.numeric(x)) return(number_days(as.numeric(x)))
  if (!is.factor(x)) x <- factor(x, unique(x))
  known_days(trimws(levels(x)), order, name, origin)[as.integer(x)]
}

# yyyymmdd, Unix seconds or milliseconds, or the day numbers of a spreadsheet (1900 system).
number_days <- function(x) {
  way <- function(low, high) all(x >= low & x < high, na.rm = TRUE) && any(!is.na(x))
  if (way(19000101,
          21010101)) return(as.numeric(parse_iso_dates(gsub("^(....)(..)(..)$", "\\1-\\2-\\3", sprintf("%.0f", x)))))
  if (way(20000, 80000)) return(floor(x) - 25569)
  if (way(1e8, 1e10)) return(floor(x / 86400))
  if (way(1e11, 1e13)) return(floor(x / 86400000))
  rep(NA_real_, length(x))
}

known_days <- function(text, order, name, origin) {
  # The time of the day is none of a daily price's.
  text <- sub("[T ][0-9]{1,2}:[0-9]{2}.*$", "", text)
  if (all(grepl("^[0-9]+(\\.[0-9]+)?$", text[!is.na(text)]))) return(number_days(as.numeric(text)))
  days <- as.numeric(parse_iso_dates(gsub("/", "-", text)))
  named <- named_month(text)
  days[is.na(days)] <- named[is.na(days)]
  parts <- regmatches(text, regexec("^([0-9]{1,2})[-/.]([0-9]{1,2})[-/.]([0-9]{4}|[0-9]{2})$", text))
  numbered <- which(lengths(parts) == 4L)
  if (!length(numbered)) return(days)
  first <- as.integer(vapply(parts[numbered], `[`, "", 2L))
  second <- as.integer(vapply(parts[numbered], `[`, "", 3L))
  year <- as.integer(vapply(parts[numbered], `[`, "", 4L))
  year <- year + ifelse(year < 70L, 2000L, ifelse(year < 100L, 1900L, 0L))
  day_first <- day_comes_first(first, second, order, name, origin, text[numbered])
  days[numbered] <- as.numeric(parse_iso_dates(sprintf("%04d-%02d-%02d", year, if (day_first) second else first,
                                                       if (day_first) first else second)))
  days
}

# "31 Dec 2024", "31-Dec-24", "Dec 31, 2024"
named_month <- function(text) {
  pattern <- "^([0-9]{1,2})[- ./]+([A-Za-z]{3})[A-Za-z]*\\.?[- ./,]+([0-9]{4}|[0-9]{2})$"
  turned <- sub("^([A-Za-z]{3})[A-Za-z]*\\.?[- ./]+([0-9]{1,2}),?[- ./]+([0-9]{4})$", "\\2 \\1 \\3", text)
  there <- grepl(pattern, turned)
  out <- rep(NA_real_, length(text))
  part <- function(i) sub(pattern, paste0("\\", i), turned[there])
  year <- as.integer(part(3L))
  year <- year + ifelse(year < 70L, 2000L, ifelse(year < 100L, 1900L, 0L))
  out[there] <- as.numeric(parse_iso_dates(sprintf("%04d-%02d-%02d", year, match(tolower(part(2L)), month_names),
                                                   as.integer(part(1L)))))
  out
}

day_comes_first <- function(first, second, order, name, origin, text) {
  if (!is.null(order)) return(check_choice(order, "dates", c("day-first", "month-first")) == "day-first")
  day <- any(first > 12L)
  month <- any(second > 12L)
  if (day != month) return(day)
  fail("ambiguous", sprintf("It is not clear whether day or month comes first in column %s of %s.", name, origin),
       where = if (day) "Some dates can only be day-first, others only month-first."
               else sprintf("All dates can be read both ways, such as %s.", text[1L]),
       remedy = 'Say which: dates = "day-first" or dates = "month-first".')
}
