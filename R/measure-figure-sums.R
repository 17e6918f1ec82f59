# What figures draw of a result: shares of returns, curves of fitted families, paths and where the
# last value stands. Figures only place and colour it.

# The part of a sample that lies between two quantiles, `share` of it in all.
central <- function(x, share) {
  stats::quantile(x, c(1 - share, 1 + share) / 2, names = FALSE)
}

percentiles <- function(x, at = c(0.05, 0.25, 0.5, 0.75, 0.95)) {
  stats::quantile(x, at, names = FALSE)
}

# How many values, and which share of all, lie in each of about `steps` steps between `ends`.
histogram_of <- function(x, ends, steps) {
  inside <- x[x >= ends[1L] & x <= ends[2L]]
  bins <- graphics::hist(inside, breaks = pretty(inside, n = steps), plot = FALSE)
  data.frame(
    from = bins$breaks[-length(bins$breaks)],
    to = bins$breaks[-1L],
    middle = bins$mids,
    count = bins$counts,
    share = bins$counts / length(x)
  )
}

# The returns that a horizon makes of them, as simple ones.
returns_over <- function(source, security, h) {
  r <- source$values[, security, drop = FALSE]
  if (h > 1L) r <- core_overlapping_returns(r, h, source$kind != "simple")
  as_simple(r[!is.na(r)], source$kind)
}

# What 100 put in at the first date became, in each security of `lines`; profits are summed.
growth_of_100 <- function(lines) {
  100 * lines$growth / stats::ave(lines$growth, lines$security, FUN = function(g) g[1L])
}

# Wealth, its running high, and how far below.
fall_path <- function(source) {
  path <- as.data.frame(drawdown_series(source))
  priced <- inherits(source, "imbroglio_prices")
  wealth <- if (priced) source$close[, 1L] else core_wealth(source$values, source$kind)[, 1L]
  times <- if (priced || identical(source$kind, "profit")) 1 else 100
  path$wealth <- wealth[!is.na(wealth)] * times
  path$high <- cummax(path$wealth)
  path
}

# Where the last value of each series stands among all of its past.
standing_of <- function(table) {
  series <- list(factor(table$security, unique(table$security)), table$series)
  parts <- lapply(split(table, series, drop = TRUE), function(part) {
    value <- part$volatility_annual
    marks <- percentiles(value)
    now <- value[length(value)]
    data.frame(
      security = part$security[1L],
      series = part$series[1L],
      low = marks[1L],
      lower = marks[2L],
      middle = marks[3L],
      upper = marks[4L],
      high = marks[5L],
      now = now,
      below = mean(value < now)
    )
  })
  do.call(rbind, parts)
}

share_at_or_below <- function(record, at, x) exp(record$log_tail(x, at))

expected_share <- function(record, at, x, width) width * exp(record$log_density(x, at))

# Observed and fitted returns of the same rank, at `places`, with the band that 95 of 100 samples
# of the family stay in all along.
by_rank <- function(record, at, x, places, band) {
  points <- data.frame(
    fitted = record$quantile(log(places / (length(x) + 1)), at),
    observed = x[places],
    low = record$quantile(band$low, at),
    high = record$quantile(band$high, at)
  )
  points$beyond <- points$observed < points$low | points$observed > points$high
  points
}

# The tenth of the returns that lost most, and how often as much was lost.
worst_tenth <- function(x) {
  losses <- -x[x <= stats::quantile(x, 0.1, names = FALSE)]
  data.frame(x = losses, p = seq_along(losses) / length(x))
}

# What 100 became on the way; profits are summed.
growth_path <- function(source, security) {
  one <- source[, security]
  x <- one$values[, 1L]
  there <- which(!is.na(x))
  wealth <- core_wealth(one$values, one$kind)[-1L, 1L][there]
  from <- if (one$kind == "profit") 0 else 100
  grown <- if (one$kind == "profit") wealth else 100 * wealth
  path <- data.frame(date = c(one$start[1L], one$dates[there]), value = c(from, grown))
  path[!is.na(path$date), ]
}

# What each run of `h` returns came to, by its last date.
over_periods <- function(source, security, h) {
  x <- source$values[, security]
  there <- which(!is.na(x))
  over <- matrix(x[there])
  if (h > 1L) over <- core_overlapping_returns(over, h, source$kind != "simple")
  known <- !is.na(over[, 1L])
  value <- as_simple(over[known, 1L], source$kind)
  data.frame(date = source$dates[there][known], value = value)
}

# What each holding is of all that is held, and what each bet is of the variance, the largest
# first.
bets_of <- function(object, most = 12L) {
  w <- basis(object)$exact$weights
  r <- returns_together(attr(object, "source"), names(w))$r
  held <- sort(abs(w) / sum(abs(w)), decreasing = TRUE)
  q <- sort(shares_of_bets(stats::cov(r), w), decreasing = TRUE)
  k <- seq_len(min(most, length(w)))
  data.frame(
    panel = rep(c("Holdings", "Bets"), each = length(k)),
    name = c(names(held)[k], paste("component", k)),
    share = c(unname(held)[k], q[k])
  )
}

# How much of each limit is used: the estimate over it, or of one at least the other way round,
# of which what is far too little is drawn as twice the limit.
use_of_limits <- function(table) {
  wrong <- vapply(limit_measures()[table$measure], `[[`, "", "wrong")
  share <- table$estimate / table$limit
  used <- ifelse(wrong == "above", abs(share), 1 / share)
  used[wrong == "above" & table$estimate < 0 & table$over < 0 & table$measure != "drawdown" &
    table$measure != "fall" & table$measure != "weight"] <- 0
  low <- wrong == "below" & table$over > 0
  used[low & (used < 1 | used > 2)] <- 2
  pmin(pmax(used, 0), 3)
}

# Growth of 100 of converted securities: local, of the currency, of both.
currency_paths <- function(prices, securities) {
  do.call(rbind, lapply(securities, function(s) {
    both <- local_and_rate(prices, s)
    worth <- list(local = both$price, rate = both$cost, both = both$price * both$cost)
    do.call(rbind, lapply(names(worth), function(what) {
      value <- 100 * worth[[what]] / worth[[what]][1L]
      data.frame(security = s, what = what, date = both$dates, value = value)
    }))
  }))
}

# Of one change the steps from what it was to what it is, the largest first; what mattered stands
# under each.
steps_of_change <- function(one, falling) {
  one <- one[order(-abs(one$moved)), ]
  k <- nrow(one)
  at <- cumsum(c(one$number_before[1L], one$moved))
  named <- ifelse(is.na(one$mattered), "", paste0("\nabove all ", sub(";.*$", "", one$mattered)))
  data.frame(
    security = one$security[1L],
    said = c("before", paste0(sub(", ", ",\n", one$cause), named), "after"),
    from = c(at[1L], at[-(k + 1L)], at[k + 1L]),
    to = c(at[1L], at[-1L], at[k + 1L]),
    size = c(0, one$moved, 0),
    kind = c("end", ifelse((one$moved > 0) != falling, "worse", "better"), "end"),
    joined = c(rep(1, k + 1L), NA)
  )
}

# Of the two securities of which most hangs on choices: each choice, all combinations, and what was
# chosen with its error.
choices_to_draw <- function(object) {
  table <- as.data.frame(object)
  spread <- tapply((table$grid_most - table$grid_least) / abs(table$estimate), table$security, max)
  shown <- names(utils::head(sort(spread, decreasing = TRUE), 2L))
  table <- table[table$security %in% shown, ]
  table <- table[order(match(table$security, shown), -table$share_together), ]
  whole <- "all combinations"
  rows <- c(whole, unique(gsub("_", " ", table$choice)))
  table$row <- factor(gsub("_", " ", table$choice), rev(rows))
  table$panel <- factor(table$security, shown)
  still <- table$swing == 0
  table$least_at[still] <- ""
  table$most_at[still] <- "the same"
  grid <- attr(object, "grid")$numbers
  dots <- data.frame(
    panel = factor(rep(shown, each = nrow(grid)), shown),
    row = factor(whole, rev(rows)), value = as.vector(grid[, shown])
  )
  own <- table[!duplicated(table$security), ]
  own$chance_low <- own$estimate - 2 * own$chance_error
  own$chance_high <- own$estimate + 2 * own$chance_error
  list(table = table, dots = dots[!is.na(dots$value), ], own = own, rows = rows)
}

# Each number day by day in the unit of its panel, and but for the trades where there were any.
history_to_draw <- function(object) {
  table <- as.data.frame(object)
  table <- table[!table$measure %in% "var_money", ]
  units <- units_of_rows(table)
  scale <- ifelse(units %in% c("fraction", "share"), 100, 1)
  said <- c(fraction = ", %", share = ", %")[units]
  table$panel <- paste0(sentence_case(table$what), ifelse(is.na(said), "", said))
  table$panel <- factor(table$panel, unique(table$panel))
  traded <- stats::ave(
    abs(table$estimate - table$untraded_since) > 1e-12 * pmax(1e-3, abs(table$estimate)),
    table$measure, FUN = any
  )
  of <- function(line, value, rows) {
    data.frame(
      date = table$date[rows], panel = table$panel[rows], value = (value * scale)[rows],
      line = rep(line, sum(rows))
    )
  }
  lines <- rbind(
    of("was", table$estimate, rep(TRUE, nrow(table))),
    of("untraded", table$untraded_since, as.logical(traded))
  )
  ends <- lines[!duplicated(paste(lines$panel, lines$line), fromLast = TRUE), ]
  unit <- units[match(ends$panel, table$panel)]
  written <- vapply(seq_len(nrow(ends)), function(i) {
    trimws(unit_text[[unit[i]]](ends$value[i] / (if (unit[i] == "fraction") 100 else 1)))
  }, "")
  ends$label <- ifelse(ends$line == "was", written, paste0(written, "\nwithout trades"))
  list(
    lines = lines, ends = ends,
    untraded = paste0(
      "Each number as it was recorded; ",
      if (anyNA(table$by_trades[duplicated(table$measure)])) {
        "what trades did is not known of all days"
      } else {
        "no trade moved any of them"
      }
    ),
    alone = length(unique(table$date)) < 3L,
    nudge = as.numeric(diff(range(table$date))) / 60
  )
}
