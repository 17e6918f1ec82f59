record_of_check <- function() {
  table_record(
    "What was found",
    tables = list(findings = table_record(
      "Findings",
      columns = list(
        finding = column("finding", "text"),
        detail = column("detail", "text"),
        severity = column("severity", "text"),
        remedy = column("remedy", "text"),
        by = column("by", "number", detail = TRUE),
        row = column("row", "count", detail = TRUE)
      ),
      shares = c("security", "date")
    )),
    parts = list(check = part(
      "quality", 10, "prices", "prices", c("lead", "figure", "table"), runs = check_prices
    ))
  )
}

#' Find what is wrong with prices
#'
#' Looks through prices as they were delivered, before anything is put in order, and lists all
#' that an analyst should know before measuring.
#'
#' | finding | severity | when |
#' |---|---|---|
#' | action line | warning | a split or dividend is told among the prices; it is taken out into the actions |
#' | unreadable | error | a cell is no number, or no date |
#' | not positive | error | a price is zero, negative, or beyond all bounds (1e-60 to 1e60) |
#' | no price | error | a security has not one that can be used; to drop it is to leave it out |
#' | duplicate, differs | error | two prices for one date |
#' | duplicate | warning | the same row again |
#' | unsorted | note | rows are newest first, or in no order |
#' | future date | error | after `today` |
#' | weekend date | warning | a Saturday or Sunday, where weekdays are the rule |
#' | gap | warning, note | five or more (fewer: note) of the shared trading days without a price |
#' | sparse | note | priced much less often than the others; its gaps are then by its own spacing (four times, a warning) |
#' | stale | warning | the same price six or more times running |
#' | range | error | high below low, or open or close outside them |
#' | decimal slip | error | about 10, 100 or 1,000 times its neighbours for up to three days, and back |
#' | split | error | a jump by nearly 1/2, 1/3, 2, ... that stays, far beyond the security's own scale, and is not among the actions |
#' | outlier | warning | a return more than 12 robust standard deviations from the median |
#' | adjustment | error | adjusted and raw close disagree with the recorded actions |
#' | currencies | warning | securities in several currencies |
#' | old | error | the last price lies more than `stale` trading days before `today` |
#' | starts late, ends early | note | against the shared trading days |
#'
#' The shared trading days are those on which at least half of the securities that are
#' listed have a price. The
#' robust scale is 1.4826 times the median absolute deviation of the security's log returns.
#'
#' @param source A price table, a data frame, or what [read_prices()] reads.
#' @param actions A data frame of recorded splits and dividends (`security`, `date`,
#'   `split`, `dividend`), or a file of one.
#' @param securities A table of securities, see [read_securities()].
#' @param today The last date that is not in the future. The basis says how many trading days the
#'   last price lies before it, by the table's own calendar.
#' @param stale How many of them are no finding; if absent, any number is said and none is found.
#' @param price,dates,decimal See [read_prices()].
#' @param memory Where all at once are too many: how much memory may be taken, such as `"1GB"`. The
#'   source is read in blocks, see [open_prices()], and what `open_prices()` would refuse is found.
#' @return A table, errors first, of `security`, `date`, `finding`, `detail`, `severity`
#'   (`"error"`, `"warning"`, `"note"`),
#'   `remedy` (what [repair_prices()] would do: `"sort"`, `"drop"`, `"blank"`, `"divide"`,
#'   `"split"`, or `"none"`), `by` (what to
#'   divide by, or the split's new shares for one old) and `row` (of the delivery).
#' @eval concepts_in_docs("check_prices")
#' @family ways to put prices right
#' @examples
#' findings <- check_prices(demo_file("bay-delivery.csv.xz"))
#' findings[findings$severity == "error", c("security", "date", "finding", "detail")]
#' @export
check_prices <- function(source, actions = NULL, securities = NULL, today = Sys.Date(),
                         price = NULL, dates = NULL, decimal = NULL, stale = NULL,
                         memory = NULL) {
  if (!is.null(memory)) {
    how <- list(price = price, dates = dates, decimal = decimal)
    source <- opened_to_check(source, memory, how)
  }
  if (is_opened(source)) {
    if (!is.null(securities)) source$about <- read_securities(securities)
    told <- read_actions(actions, list(dates = dates, decimal = decimal))
    return(check_opened(source, told, check_date(today, "today"), check_stale(stale)))
  }
  d <- delivery_from(source, list(price = price, dates = dates, decimal = decimal))
  refuse_no_column(d)
  if (!inherits(source, "imbroglio_prices") && !isTRUE(d$recorded)) d$lines <- d$actions
  d$actions <- rbind(d$actions, read_actions(actions, list(dates = dates, decimal = decimal)))
  d$about <- if (is.null(securities)) d$about else read_securities(securities)
  today <- check_date(today, "today")
  d$today <- as.numeric(today)
  d$stale <- check_stale(stale)
  d <- in_series(d)
  d$age <- if (length(d$calendar)) age_of(.Date(d$calendar), today)
  findings <- do.call(rbind, lapply(names(price_checks), findings_of, d = d))
  findings_result(findings, d$securities, delivery_basis(d), d)
}

findings_of <- function(d, name) {
  rows <- as.data.frame(price_checks[[name]]$find(d) %||% no_findings)
  if (!nrow(rows)) return(NULL)
  rows$finding <- name
  if (is.null(rows$severity)) rows$severity <- price_checks[[name]]$severity
  rows[names(no_findings)]
}

findings_result <- function(findings, securities, basis, source) {
  findings <- explained(findings %||% no_findings)
  findings <- findings[
    order(
      match(findings$severity, c("error", "warning", "note")),
      match(findings$security, securities),
      findings$date
    ),
  ]
  new_result(
    as.list(findings[c(
      "security", "date", "finding", "detail", "severity", "remedy", "by", "row"
    )]),
    "findings",
    basis,
    source
  )
}

no_findings <- data.frame(
  security = character(),
  date = as.Date(character()),
  finding = character(),
  detail = character(),
  severity = character(),
  remedy = character(),
  by = numeric(),
  row = integer()
)

delivery_from <- function(source, how) {
  if (inherits(source, "imbroglio_delivery")) return(in_rows(source))
  if (inherits(source, "imbroglio_prices")) return(rows_of_table(source))
  in_rows(
    if (is.data.frame(source)) {
      delivery_of(grid_of_frame(source, "a data frame"), how)
    } else {
      read_delivery(source, how)
    }
  )
}

# A price table as a delivery: a row for each date and security that has a price.
rows_of_table <- function(prices) {
  there <- which(!is.na(prices$close), arr.ind = TRUE)
  values <- c(list(prices$close[there]), lapply(prices$fields, function(m) m[there]))
  structure(
    list(
      securities = colnames(prices),
      security = as.integer(there[, 2L]),
      day = as.numeric(prices$dates)[there[, 1L]],
      values = stats::setNames(values, c(prices$measured, names(prices$fields))),
      measured = prices$measured,
      place = function(i) sprintf("row %s", some(i)),
      rows = identity,
      origin = prices$origin,
      actions = prices$actions,
      not_numbers = NULL,
      no_day = data.frame(row = integer(), text = character()),
      date_column = "date",
      layout = prices$layout,
      about = prices$about
    ),
    class = "imbroglio_delivery"
  )
}

delivery_basis <- function(d) {
  n <- tabulate(d$security, length(d$securities))
  days <- d$day[!is.na(d$day)]
  new_basis(
    .Date(min(days)),
    .Date(max(days)),
    stats::setNames(n, d$securities),
    dropped_rows(),
    "price",
    if (length(d$calendar) > 1L) calendar_every(.Date(d$calendar)) else "day",
    choices = c("last price" = d$age$text),
    origin = d$origin,
    digest = digest::digest(list(d$securities, d$security, d$day, d$values), algo = "xxhash64")
  )
}

# ---- the delivery in order, and the days that its securities share ------------------------

in_series <- function(d) {
  d <- with_series(d)
  d$frequency <- frequencies_of_series(d$series)
  d$calendar <- shared_days(d$series[!d$frequency$rare])
  with_returns_of_series(d)
}

with_series <- function(d) {
  price <- d$values[[d$measured]]
  usable <- which(
    !is.na(d$day) & !is.na(price) & is_price(price) & !is.na(d$security)
  )
  o <- usable[order(d$security[usable], d$day[usable], usable)]
  o <- o[!duplicated(cell_of(d)[o])]
  d$series <- lapply(split(o, factor(d$security[o], seq_along(d$securities))), function(i) {
    list(row = i, day = d$day[i], price = price[i])
  })
  d
}

with_returns_of_series <- function(d) {
  d$log_returns <- lapply(d$series, function(s) diff(log(s$price)))
  d$scale <- vapply(
    d$log_returns,
    function(x) if (length(x) > 20L) stats::mad(x) else NA_real_,
    0
  )
  d
}

# How often each security has a price; `rare`: much less often than the others.
frequencies_of_series <- function(series) {
  found <- lapply(series, function(s) {
    if (length(s$day) > 1L) frequencies_of(.Date(s$day), matrix(1, length(s$day), 1L))
  })
  of <- function(part, none) {
    vapply(found, function(r) if (is.null(r)) none else r[[part]][[1L]], none)
  }
  frequency <- list(
    every = of("every", "day"),
    per_year = of("per_year", Inf),
    usual = of("usual", NA_real_)
  )
  frequency$rare <- rare_of(frequency$per_year)
  frequency
}

rare_of <- function(per_year) {
  known <- per_year[is.finite(per_year)]
  if (length(known)) per_year < 0.6 * max(known) else logical(length(per_year))
}

shared_days <- function(series) {
  days <- sort(unique(unlist(lapply(series, `[[`, "day"))))
  if (!length(days)) return(days)
  there <- listed <- numeric(length(days))
  for (s in series[lengths(lapply(series, `[[`, "day")) > 0L]) {
    at <- match(s$day, days)
    there[at] <- there[at] + 1
    listed[at[1L]:at[length(at)]] <- listed[at[1L]:at[length(at)]] + 1
  }
  days[there >= listed / 2]
}

# Findings of one security: rows of the delivery and what is to be said of them.
told <- function(d, row, detail, remedy = "none", by = NA_real_, severity = NULL) {
  if (!length(row)) return(NULL)
  c(
    list(
      security = d$securities[d$security[row]],
      date = .Date(d$day[row]),
      detail = detail,
      remedy = rep_len(remedy, length(row)),
      by = rep_len(by, length(row)),
      row = as.integer(row)
    ),
    if (!is.null(severity)) list(severity = severity)
  )
}

in_each <- function(d, finder) {
  parts <- lapply(seq_along(d$series), function(j) {
    if (length(d$series[[j]]$row)) finder(d$series[[j]], j)
  })
  parts <- Filter(function(part) length(part) && length(part[[1L]]), parts)
  if (length(parts)) as.data.frame(stacked(parts))
}

# ---- the checks ------------------------------------------------------------------------------

# How old the last price is, by the calendar of the table itself.

# Of these days those on which a table of daily dates would have one: its own days of the week that
# are no holiday in it.
expected_days <- function(dates, days) {
  last <- dates[length(dates)]
  parts <- as.POSIXlt(dates)
  traded <- tabulate(parts$wday + 1L, 7L) > 0.1 * length(dates) / 7
  # Of a few dates the days of the week are not to be known yet.
  if (length(dates) < 10L) traded[2:6] <- TRUE
  # Days of the year on which the table never had a date, though it was a day of the week that it
  # has, twice or more.
  span <- seq(dates[1L], last, by = "day")
  missed <- span[!span %in% dates]
  of_year <- function(d) format(d, "%m-%d")
  weekday <- function(d) traded[as.POSIXlt(d)$wday + 1L]
  holidays <- names(which(table(of_year(missed[weekday(missed)])) >= 2L))
  holidays <- setdiff(holidays, of_year(dates))
  days[weekday(days) & !of_year(days) %in% holidays]
}

# The dates that lie between the last one and today, today's own among them.
age_of <- function(dates, today) {
  # A date that has not come yet is a slip, and hides no age.
  if (any(dates <= today)) dates <- dates[dates <= today]
  last <- dates[length(dates)]
  away <- as.numeric(today - last)
  usual <- if (length(dates) > 1L) stats::median(diff(as.numeric(dates))) else 1
  missed <- if (away <= 0) {
    0L
  } else if (usual > 4) {
    as.integer(away %/% usual)
  } else {
    length(expected_days(dates, last + seq_len(away)))
  }
  unit <- if (usual > 4) "date of its own" else "trading day"
  list(
    last = last, today = today, missed = missed,
    text = sprintf(
      "%s, %s before %s", last,
      count(missed, unit, if (usual > 4) "dates of its own" else "trading days"), today
    )
  )
}

check_stale <- function(stale) {
  if (is.null(stale)) NULL else check_whole(stale, "stale", least = 0L)
}

is_stale <- function(age, stale) !is.null(stale) && age$missed > stale

stale_words <- function(age, stale) {
  sprintf("The last price is of %s; no more than %s is asked for.", age$text, count(stale))
}
