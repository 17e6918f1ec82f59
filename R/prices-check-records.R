# The checks, each a record: its severity, and a function that finds it.

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
        needed <- d$not_numbers[!d$not_numbers$spared, ]
        data.frame(needed[c("row", "text")], remedy = rep("blank", nrow(needed)))
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
    bad <- which(!is.na(price) & !is_price(price))
    told(d, bad, sprintf("%s is %s", d$measured, price[bad]), "blank")
  }),
  # In a wide table its column is empty.
  `no price` = list(severity = "error", find = function(d) {
    lacking <- without_price(d)
    if (!length(lacking)) return(NULL)
    list(
      security = d$securities[lacking],
      date = as.Date(NA),
      detail = "not one price",
      remedy = "drop",
      by = NA_real_,
      row = match(lacking, d$security)
    )
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
    if (d$weekends %||% mean(weekend) > 0.1) return(NULL)
    told(d, which(weekend), weekdays(.Date(d$day[weekend])), "blank")
  }),
  sparse = list(severity = "note", find = function(d) {
    in_each(d, function(s, j) {
      if (!d$frequency$rare[j]) return(NULL)
      late <- sum(diff(s$day) > 1.9 * d$frequency$usual[j])
      told(
        d,
        s$row[1L],
        sprintf(
          "%s: %s, where the others have %s%s",
          adverb_of(d$frequency$every[j]),
          count(length(s$day), "price"),
          count(sum(d$calendar >= s$day[1L] & d$calendar <= s$day[length(s$day)]), "trading day"),
          if (late) sprintf("; %s the next came late", count(late, "time")) else ""
        )
      )
    })
  }),
  gap = list(severity = "warning", find = function(d) {
    in_each(d, function(s, j) {
      if (d$frequency$rare[j]) {
        usual <- d$frequency$usual[j]
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
          d$frequency$every[j],
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
  old = list(severity = "error", find = function(d) {
    if (is.null(d$age) || !is_stale(d$age, d$stale)) return(NULL)
    list(
      security = NA_character_,
      date = d$age$last,
      detail = sprintf("%s before %s", count(d$age$missed, "trading day"), d$age$today),
      remedy = "none",
      by = NA_real_,
      row = NA_integer_
    )
  }),
  `starts late` = list(severity = "note", find = function(d) {
    in_each(d, function(s, j) {
      late <- sum(d$calendar < s$day[1L])
      if (late >= 5L &&
          !(d$frequency$rare[j] && s$day[1L] - d$calendar[1L] <= 2 * d$frequency$usual[j])) {
        told(d, s$row[1L], sprintf("%s after the first", count(late, "trading day")))
      }
    })
  }),
  `ends early` = list(severity = "note", find = function(d) {
    in_each(d, function(s, j) {
      early <- sum(d$calendar > s$day[length(s$day)])
      if (early >= 5L &&
          !(d$frequency$rare[j] &&
            d$calendar[length(d$calendar)] - s$day[length(s$day)] <= 2 * d$frequency$usual[j])) {
        end <- d$ended[d$securities[j]]
        told(d, s$row[length(s$row)], paste0(
          count(early, "trading day"), " before the last",
          if (length(end) && !is.na(end)) sprintf("; it ended on %s", .Date(as.numeric(end)))
        ))
      }
    })
  })
)

percent_of <- function(x) sprintf("%+.0f %%", 100 * x)

# A number for each security and day.
cell_of <- function(d) d$security * 1e7 + d$day

without_price <- function(d) {
  price <- d$values[[d$measured]]
  usable <- !is.na(d$day) & !is.na(price) & is_price(price)
  which(tabulate(d$security[usable], length(d$securities)) == 0L)
}

repeated <- function(d) {
  cell <- cell_of(d)
  again <- which(duplicated(cell) & !is.na(d$day) & !d$security %in% without_price(d))
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
