# An opened source, checked block by block: what its securities share (the trading days, which of
# them have fewer prices than most) is found in a first reading, what is wrong in a second.

# What would be refused when a file is laid out is found, and laid out without.
opened_to_check <- function(source, memory, how) {
  faults <- new_faults()
  x <- opened_source(source, memory, how, faults = faults)
  x$faults <- faults$found()
  x
}

new_faults <- function() {
  found <- list()
  priced <- character()
  keep <- function(d, names) {
    found <<- c(found, lapply(names, function(name) findings_of(d, name)))
  }
  list(
    without_unread = function(d, one_file) {
      if (!isTRUE(d$recorded)) d$lines <- d$actions
      named <- d
      if (!one_file) named$place <- function(i) sprintf("%s of %s", d$place(i), d$origin)
      keep(named, c("action line", "unreadable", "not positive", "unsorted"))
      lacking <- without_price(d)
      priced <<- union(priced, d$securities[setdiff(seq_along(d$securities), lacking)])
      price <- d$values[[d$measured]]
      d$values[[d$measured]][!is.na(price) & !is_price(price)] <- NA
      without_rows(d, which(is.na(d$day)))
    },
    # Of those that have not one in any part.
    without_price = function(securities) {
      d <- list(securities = setdiff(securities, priced), security = integer())
      keep(d, "no price")
      d$securities
    },
    without_repeats = function(d) {
      keep(d, c("duplicate, differs", "duplicate"))
      without_rows(d, repeated(d)$row)
    },
    found = function() {
      made <- do.call(rbind, found)
      if (is.null(made)) return(NULL)
      made$row <- NA_integer_
      # That a part is not in order is said once.
      made[!(made$finding == "unsorted" & duplicated(made$finding)), ]
    }
  )
}

check_opened <- function(x, actions, today, stale) {
  if (length(x$steps)) {
    fail(
      "argument", "Prices are checked as they are read.",
      remedy = "Check the source before anything is done to it."
    )
  }
  shared <- shared_of_blocks(x)
  shared$today <- as.numeric(today)
  shared$stale <- stale
  shared$age <- if (length(shared$calendar)) age_of(.Date(shared$calendar), today)
  by_security <- setdiff(names(price_checks), of_the_table)
  at <- before <- 0L
  found <- list()
  for (wanted in blocks_to_check(x)) {
    d <- block_to_check(x, wanted, actions, shared)
    k <- length(wanted)
    d$frequency <- lapply(shared$frequency, `[`, at + seq_len(k))
    found[[length(found) + 1L]] <- lapply(by_security, function(name) {
      rows <- findings_of(d, name)
      if (!is.null(rows)) rows$row <- rows$row + before
      rows
    })
    at <- at + k
    before <- before + length(d$day)
  }
  whole <- structure(
    c(list(securities = x$chosen, about = x$about), shared), class = "imbroglio_delivery"
  )
  findings <- lapply(names(price_checks), function(name) {
    if (name %in% of_the_table) return(findings_of(whole, name))
    do.call(rbind, lapply(found, `[[`, match(name, by_security)))
  })
  findings_result(
    do.call(rbind, c(list(x$faults), findings)), x$chosen, opened_basis(x, shared), x
  )
}

# Checks of which there is one finding for the whole table.
of_the_table <- c("currencies", "old")

# As rows, with the moves of each series beside them, prices take ten times as much.
blocks_to_check <- function(x) blocks_of(x, max(2L, block_size(x) %/% 10L))

block_to_check <- function(x, wanted, actions, shared = NULL) {
  d <- rows_of_table(block_table(x, wanted))
  d$actions <- rbind(d$actions, actions[actions$security %in% wanted, ])
  d[c("calendar", "today", "stale", "weekends")] <- shared[
    c("calendar", "today", "stale", "weekends")
  ]
  with_returns_of_series(with_series(d))
}

# What the securities share: how often each has a price, the trading days, how many dates are of
# a weekend.
shared_of_blocks <- function(x) {
  dates <- as.numeric(x$dates)
  weekend <- as.POSIXlt(x$dates)$wday %in% c(0L, 6L)
  usual <- list()
  listed <- new.env()
  n <- weekends <- 0
  for (wanted in blocks_to_check(x)) {
    d <- block_to_check(x, wanted, NULL)
    frequency <- frequencies_of_series(d$series)
    usual[[length(usual) + 1L]] <- c(frequency, list(n = lengths(lapply(d$series, `[[`, "day"))))
    weekends <- weekends + sum(weekend[match(d$day, dates)])
    n <- n + length(d$day)
    days_counted(listed, d$series, frequency$per_year, dates)
  }
  each <- function(part) do.call(c, unname(lapply(usual, `[[`, part)))
  frequency <- lapply(stats::setNames(nm = c("every", "per_year", "usual")), each)
  frequency$rare <- rare_of(frequency$per_year)
  list(
    frequency = frequency, calendar = days_listed(listed, frequency, dates), n = each("n"),
    weekends = weekends / n
  )
}

# On how many dates securities of one frequency have a price, and on how many they are listed.
days_counted <- function(listed, series, per_year, dates) {
  for (own in unique(per_year[lengths(lapply(series, `[[`, "day")) > 0L])) {
    key <- sprintf("%.17g", own)
    counts <- listed[[key]] %||% list(there = numeric(length(dates)), on = numeric(length(dates)))
    for (s in series[per_year == own]) {
      if (!length(s$day)) next
      at <- match(s$day, dates)
      counts$there[at] <- counts$there[at] + 1
      span <- at[1L]:at[length(at)]
      counts$on[span] <- counts$on[span] + 1
    }
    assign(key, counts, listed)
  }
}

days_listed <- function(listed, frequency, dates) {
  keys <- unique(sprintf("%.17g", frequency$per_year[!frequency$rare]))
  counts <- mget(intersect(keys, ls(listed)), listed)
  if (!length(counts)) return(numeric())
  there <- Reduce(`+`, lapply(counts, `[[`, "there"))
  on <- Reduce(`+`, lapply(counts, `[[`, "on"))
  dates[there > 0 & there >= on / 2]
}

opened_basis <- function(x, shared) {
  new_basis(
    x$dates[1L],
    x$dates[length(x$dates)],
    stats::setNames(shared$n, x$chosen),
    dropped_rows(),
    "price",
    if (length(shared$calendar) > 1L) calendar_every(.Date(shared$calendar)) else "day",
    choices = c("last price" = shared$age$text),
    origin = x$origin,
    digest = digest_of_opened(x)
  )
}
