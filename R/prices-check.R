#' Find what is wrong with prices
#'
#' Looks through prices as they were delivered, before anything is put in order, and lists all
#' that an analyst should know before measuring.
#'
#' | finding | severity | when |
#' |---|---|---|
#' | action line | warning | a split or dividend is told among the prices; it is taken out into the actions |
#' | unreadable | error | a cell is no number, or no date |
#' | not positive | error | a price is zero, negative or infinite |
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
#' @param today The last date that is not in the future.
#' @param price,dates,decimal See [read_prices()].
#' @return A table, errors first, of `security`, `date`, `finding`, `detail`, `severity`
#'   (`"error"`, `"warning"`, `"note"`),
#'   `remedy` (what [repair_prices()] would do: `"sort"`, `"drop"`, `"blank"`, `"divide"`,
#'   `"split"`, or `"none"`), `by` (what to
#'   divide by, or the split's new shares for one old) and `row` (of the delivery).
#' @examples
#' findings <- check_prices(demo_file("bay-delivery.csv.gz"))
#' findings[findings$severity == "error", c("security", "date", "finding", "detail")]
#' @export
check_prices <- function(source, actions = NULL, securities = NULL, today = Sys.Date(),
                         price = NULL, dates = NULL, decimal = NULL) {
  d <- delivery_from(source, list(price = price, dates = dates, decimal = decimal))
  if (!inherits(source, "imbroglio_prices") && !isTRUE(d$recorded)) d$lines <- d$actions
  d$actions <- rbind(d$actions, read_actions(actions, list(dates = dates, decimal = decimal)))
  d$about <- if (is.null(securities)) d$about else read_securities(securities)
  d$today <- as.numeric(check_date(today, "today"))
  d <- in_series(d)
  findings <- do.call(
    rbind,
    lapply(names(price_checks), function(name) {
      rows <- as.data.frame(price_checks[[name]]$find(d) %||% no_findings)
      if (!nrow(rows)) return(NULL)
      rows$finding <- name
      if (is.null(rows$severity)) rows$severity <- price_checks[[name]]$severity
      rows[names(no_findings)]
    })
  )
  findings <- explained(findings %||% no_findings)
  findings <- findings[
    order(
      match(findings$severity, c("error", "warning", "note")),
      match(findings$security, d$securities),
      findings$date
    ),
    
  ]
  new_result(
    as.list(findings[c(
      "security", "date", "finding", "detail", "severity", "remedy", "by", "row"
    )]),
    "findings",
    delivery_basis(d),
    d
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
  if (inherits(source, "imbroglio_delivery")) return(source)
  if (inherits(source, "imbroglio_prices")) return(rows_of_table(source))
  if (is.data.frame(source)) return(delivery_of(grid_of_frame(source, "a data frame"), how))
  read_delivery(source, how)
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
    data.frame(security = character(), reason = character(), n = integer()),
    "price",
    if (length(d$calendar) > 1L) calendar_every(.Date(d$calendar)) else "day",
    origin = d$origin,
    digest = digest::digest(list(d$securities, d$security, d$day, d$values), algo = "xxhash64")
  )
}

# ---- the delivery in order, and the days that its securities share ------------------------

in_series <- function(d) {
  price <- d$values[[d$measured]]
  usable <- which(
    !is.na(d$day) & !is.na(price) & price > 0 & is.finite(price) & !is.na(d$security)
  )
  o <- usable[order(d$security[usable], d$day[usable], usable)]
  o <- o[!duplicated(cell_of(d)[o])]
  d$series <- lapply(split(o, factor(d$security[o], seq_along(d$securities))), function(i) {
    list(row = i, day = d$day[i], price = price[i])
  })
  d$rhythm <- rhythms_of_series(d$series)
  d$calendar <- shared_days(d$series[!d$rhythm$rare])
  d$log_returns <- lapply(d$series, function(s) diff(log(s$price)))
  d$scale <- vapply(
    d$log_returns,
    function(x) if (length(x) > 20L) stats::mad(x) else NA_real_,
    0
  )
  d
}

# How often each security has a price; `rare`: much less often than the others.
rhythms_of_series <- function(series) {
  rhythms <- lapply(series, function(s) {
    if (length(s$day) > 1L) rhythms_of(.Date(s$day), matrix(1, length(s$day), 1L))
  })
  of <- function(part, none) {
    vapply(rhythms, function(r) if (is.null(r)) none else r[[part]][[1L]], none)
  }
  rhythm <- list(
    every = of("every", "day"),
    per_year = of("per_year", Inf),
    usual = of("usual", NA_real_)
  )
  known <- rhythm$per_year[is.finite(rhythm$per_year)]
  rhythm$rare <- if (length(known)) {
    rhythm$per_year < 0.6 * max(known)
  } else {
    logical(length(series))
  }
  rhythm
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
  if (length(parts)) as.data.frame(data.table::rbindlist(parts))
}

# ---- the checks ------------------------------------------------------------------------------

price_checks <- list(
  `action line` = list(severity = "warning", find = function(d) {
    if (!NROW(d$lines)) return(NULL)
    what <- ifelse(
      is.na(d$lines$split),
      paste("a dividend of", d$lines$dividend),
      paste("a split of", d$lines$split)
    )
    list(
      security = d$lines$security,
      date = d$lines$date,
      detail = paste(what, "among the prices, taken into the actions"),
      remedy = rep("none", length(what)),
      by = NA_real_,
      row = NA_integer_
    )
  }),
  unreadable = list(severity = "error", find = function(d) {
    cells <- rbind(
      if (length(d$not_numbers)) {
        data.frame(d$not_numbers[c("row", "text")], remedy = rep("blank", nrow(d$not_numbers)))
      },
      data.frame(d$no_day, remedy = rep("drop", nrow(d$no_day)))
    )
    if (!NROW(cells)) return(NULL)
    hits <- told(
      d,
      cells$row,
      sprintf("\"%s\" at %s", cells$text, vapply(cells$row, d$place, "")),
      cells$remedy
    )
    # A row without a date is, in a wide table, of all securities.
    hits$security[cells$remedy == "drop" & !identical(d$rows, identity)] <- NA
    hits
  }),
  `not positive` = list(severity = "error", find = function(d) {
    price <- d$values[[d$measured]]
    bad <- which(!is.na(price) & !(price > 0 & is.finite(price)))
    told(d, bad, sprintf("%s is %s", d$measured, price[bad]), "blank")
  }),
  `duplicate, differs` = list(severity = "error", find = function(d) {
    repeats <- repeated(d)
    told(
      d,
      repeats$row[!repeats$same],
      sprintf("%s here, %s before", repeats$price, repeats$before)[!repeats$same]
    )
  }),
  duplicate = list(severity = "warning", find = function(d) {
    repeats <- repeated(d)
    told(d, repeats$row[repeats$same], rep("the same price again", sum(repeats$same)), "drop")
  }),
  unsorted = list(severity = "note", find = function(d) {
    steps <- diff(d$day)[diff(d$security) == 0L]
    steps <- if (length(steps)) steps else diff(d$day)
    if (!any(steps < 0, na.rm = TRUE)) {
      steps <- diff(d$day[order(d$security)])[diff(sort(d$security)) == 0L]
    }
    if (!any(steps < 0, na.rm = TRUE)) return(NULL)
    list(
      security = NA_character_,
      date = as.Date(NA),
      detail = if (all(steps <= 0, na.rm = TRUE)) {
        "newest first"
      } else {
        "rows are not in date order"
      },
      remedy = "sort",
      by = NA_real_,
      row = NA_integer_
    )
  }),
  `future date` = list(severity = "error", find = function(d) {
    ahead <- which(d$day > d$today)
    told(d, ahead, sprintf("after %s", rep(.Date(d$today), length(ahead))), "blank")
  }),
  `weekend date` = list(severity = "warning", find = function(d) {
    weekend <- as.POSIXlt(.Date(d$day))$wday %in% c(0L, 6L)
    # Where weekends are traded as a rule they are no fault.
    if (mean(weekend) > 0.1) return(NULL)
    told(d, which(weekend), weekdays(.Date(d$day[weekend])), "blank")
  }),
  sparse = list(severity = "note", find = function(d) {
    in_each(d, function(s, j) {
      if (!d$rhythm$rare[j]) return(NULL)
      late <- sum(diff(s$day) > 1.9 * d$rhythm$usual[j])
      told(
        d,
        s$row[1L],
        sprintf(
          "%s: %s, where the others have %s%s",
          adverb_of(d$rhythm$every[j]),
          count(length(s$day), "price"),
          count(sum(d$calendar >= s$day[1L] & d$calendar <= s$day[length(s$day)]), "trading day"),
          if (late) sprintf("; %s the next came late", count(late, "time")) else ""
        )
      )
    })
  }),
  gap = list(severity = "warning", find = function(d) {
    in_each(d, function(s, j) {
      if (d$rhythm$rare[j]) {
        usual <- d$rhythm$usual[j]
        long <- which(diff(s$day) > 4 * usual)
        return(told(
          d,
          s$row[long],
          sprintf(
            "the next price comes after %s, not %s",
            count(diff(s$day)[long], "day"),
            count(usual)
          )
        ))
      }
      ends <- findInterval(s$day[c(1L, length(s$day))], d$calendar)
      expected <- d$calendar[seq_len(max(0L, ends[2L] - ends[1L])) + ends[1L]]
      expected <- expected[expected < s$day[length(s$day)]]
      if (!length(expected) ||
          (length(s$day) == length(expected) + 2L && all(
            s$day[-c(1L, length(s$day))] == expected
          ))) {
        return(NULL)
      }
      gone <- expected[!expected %in% s$day]
      if (!length(gone)) return(NULL)
      runs <- cumsum(c(1, diff(match(gone, d$calendar)) != 1))
      size <- tabulate(runs)
      from <- .Date(gone[!duplicated(runs)])
      to <- .Date(gone[!duplicated(runs, fromLast = TRUE)])
      list(
        security = rep(d$securities[j], length(size)),
        date = from,
        detail = sprintf(
          "%s without a price%s",
          count(size, "trading day"),
          ifelse(size > 1L, paste(", to", to), "")
        ),
        remedy = rep("none", length(size)),
        by = NA_real_,
        row = NA_integer_,
        severity = ifelse(size >= 5L, "warning", "note")
      )
    })
  }),
  stale = list(severity = "warning", find = function(d) {
    in_each(d, function(s, j) {
      if (sum(diff(s$price) == 0) < 5L) return(NULL)
      runs <- rle(s$price)
      long <- which(runs$lengths >= 6L)
      end <- cumsum(runs$lengths)[long]
      told(
        d,
        s$row[end - runs$lengths[long] + 1L],
        sprintf("%s %s times, to %s", runs$values[long], runs$lengths[long], .Date(s$day[end]))
      )
    })
  }),
  range = list(severity = "error", find = function(d) {
    v <- d$values
    if (!all(c("high", "low") %in% names(v))) return(NULL)
    close <- v$close %||% v$high
    open <- v$open %||% close
    wrong <- which(
      v$high < v$low |
        close > v$high * (1 + 1e-9) | close < v$low * (1 - 1e-9) | open > v$high * (1 + 1e-9) |
        open < v$low * (1 - 1e-9)
    )
    told(
      d,
      wrong,
      sprintf("open %s, high %s, low %s, close %s", open, v$high, v$low, close)[wrong]
    )
  }),
  `decimal slip` = list(severity = "error", find = function(d) {
    in_each(d, function(s, j) {
      n <- length(s$price)
      # A slip by ten, to a factor of exp(0.25).
      if (n < 3L || max(abs(d$log_returns[[j]])) < log(10) - 0.25) return(NULL)
      hits <- lapply(seq_len(min(3L, n - 2L)), function(span) {
        start <- seq_len(n - span - 1L) + 1L
        before <- s$price[start - 1L]
        after <- s$price[start + span]
        power <- round(log10(s$price[start] / before))
        slip <- power != 0 &
          abs(power) <= 3 & abs(log(s$price[start] / before) - power * log(10)) < 0.25 &
          abs(log(after / before)) < 0.4 &
          (span == 1L | abs(log(s$price[start + span - 1L] / s$price[start])) < 0.25)
        at <- start[slip]
        data.frame(
          at = rep(at, each = span) + rep(seq_len(span) - 1L, length(at)),
          by = rep(10^power[slip], each = span)
        )
      })
      hits <- do.call(rbind, hits)
      hits <- hits[!duplicated(hits$at), ]
      told(
        d,
        s$row[hits$at],
        sprintf(
          "%s is about %s times its neighbours",
          s$price[hits$at],
          format(hits$by, trim = TRUE)
        ),
        "divide",
        hits$by
      )
    })
  }),
  split = list(severity = "error", find = function(d) {
    in_each(d, function(s, j) {
      if (!any(abs(d$log_returns[[j]]) > max(0.3, 8 * d$scale[j]), na.rm = TRUE)) return(NULL)
      ratio <- exp(-d$log_returns[[j]])
      usual <- c(1.5, 2:6, 8, 10, 20, 50, 100)
      usual <- c(usual, 1 / usual)
      nearest <- usual[vapply(ratio, function(q) which.min(abs(log(usual / q))), 0L)]
      room <- min(0.08, 4 * d$scale[j])
      recorded <- d$actions$date[d$actions$security %in% d$securities[j] &
        !is.na(d$actions$split)]
      at <- which(
        abs(log(ratio)) > max(0.3, 8 * d$scale[j]) &
          abs(log(nearest / ratio)) < room &
          !.Date(s$day[-1L]) %in% recorded
      )
      told(
        d,
        s$row[at + 1L],
        sprintf(
          "from %s to %s, as by a split of %s",
          s$price[at],
          s$price[at + 1L],
          format(nearest[at], digits = 3, trim = TRUE)
        ),
        "split",
        nearest[at]
      )
    })
  }),
  outlier = list(severity = "warning", find = function(d) {
    in_each(d, function(s, j) {
      x <- d$log_returns[[j]]
      if (!any(abs(x) > 6 * d$scale[j], na.rm = TRUE)) return(NULL)
      at <- which(abs(x - stats::median(x)) > 12 * d$scale[j])
      told(
        d,
        s$row[at + 1L],
        sprintf(
          "%s in a %s, %.0f times its scale",
          percent_of(expm1(x[at])),
          d$rhythm$every[j],
          abs(x[at]) / d$scale[j]
        )
      )
    })
  }),
  adjustment = list(severity = "error", find = function(d) {
    v <- d$values
    if (is.null(v$adjusted) || is.null(v$close) || !NROW(d$actions)) return(NULL)
    in_each(d, function(s, j) {
      multiplier <- v$adjusted[s$row] / v$close[s$row]
      own <- d$actions[d$actions$security == d$securities[j], ]
      told_by <- action_factors(own, s$day, v$close[s$row])
      off <- which(
        abs(log((multiplier[-1L] / multiplier[-length(multiplier)]) * told_by[-1L])) > 2e-3
      ) +
        1L
      told(
        d,
        s$row[off],
        sprintf(
          "the adjusted close steps by %.4f, the actions by %.4f",
          (multiplier[off - 1L] / multiplier[off]),
          told_by[off]
        )
      )
    })
  }),
  currencies = list(severity = "warning", find = function(d) {
    of <- d$about$currency[match(d$securities, d$about$security)]
    if (length(unique(stats::na.omit(of))) < 2L) return(NULL)
    list(
      security = NA_character_,
      date = as.Date(NA),
      detail = paste("there are", some(unique(stats::na.omit(of)))),
      remedy = "none",
      by = NA_real_,
      row = NA_integer_
    )
  }),
  `starts late` = list(severity = "note", find = function(d) {
    in_each(d, function(s, j) {
      late <- sum(d$calendar < s$day[1L])
      if (late >= 5L &&
          !(d$rhythm$rare[j] && s$day[1L] - d$calendar[1L] <= 2 * d$rhythm$usual[j])) {
        told(d, s$row[1L], sprintf("%s after the first", count(late, "trading day")))
      }
    })
  }),
  `ends early` = list(severity = "note", find = function(d) {
    in_each(d, function(s, j) {
      early <- sum(d$calendar > s$day[length(s$day)])
      if (early >= 5L &&
          !(d$rhythm$rare[j] &&
            d$calendar[length(d$calendar)] - s$day[length(s$day)] <= 2 * d$rhythm$usual[j])) {
        told(d, s$row[length(s$row)], sprintf("%s before the last", count(early, "trading day")))
      }
    })
  })
)

percent_of <- function(x) sprintf("%+.0f %%", 100 * x)

# A number for each security and day.
cell_of <- function(d) d$security * 1e7 + d$day

repeated <- function(d) {
  cell <- cell_of(d)
  again <- which(duplicated(cell) & !is.na(d$day))
  first <- match(cell[again], cell)
  price <- d$values[[d$measured]]
  list(
    row = again,
    same = same(price[again], price[first]),
    price = price[again],
    before = price[first]
  )
}

# A jump that a slip or a split explains, or that lies within a slip, is told once.
explained <- function(findings) {
  key <- function(rows) paste(rows$security, rows$date)
  slips <- findings[findings$finding == "decimal slip", ]
  # A slip jumps twice: when it comes and on the next price.
  around <- c(
    key(slips),
    paste(slips$security, slips$date + 1),
    paste(slips$security, slips$date + 2),
    paste(slips$security, slips$date + 3)
  )
  findings <- findings[
    !(findings$finding %in% c("split", "outlier") & key(findings) %in% around),
    
  ]
  findings <- findings[!(findings$finding == "range" & key(findings) %in% key(slips)), ]
  findings[
    !(findings$finding == "outlier" &
      key(findings) %in% key(findings[findings$finding == "split", ])),
    
  ]
}

# By what each price before a date is multiplied, by the splits and dividends of that date:
# 1 / split, times 1 - dividend / (the last close before, on the dividend's share basis).
action_factors <- function(actions, day, close) {
  multiplier <- rep(1, length(day))
  for (i in seq_len(nrow(actions))) {
    # The first price on or after the ex-date; an action before the first price or after the last
    # changes nothing.
    at <- which(day >= as.numeric(actions$date[i]))[1L]
    if (is.na(at) || at == 1L) next
    ratio <- if (is.na(actions$split[i])) 1 else actions$split[i]
    paid <- if (is.na(actions$dividend[i])) 0 else actions$dividend[i]
    same_day <- actions$date == actions$date[i] & !is.na(actions$split)
    basis <- close[at - 1L] / if (is.na(actions$split[i]) && any(same_day)) {
      prod(actions$split[same_day])
    } else {
      ratio
    }
    multiplier[at] <- multiplier[at] * (1 - paid / basis) / ratio
  }
  multiplier
}
