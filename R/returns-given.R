# Returns and profits that were given, without prices.

given_returns <- function(x, kind, every, origin, ...) {
  words <- if (kind == "profit") "profits" else "returns"
  if (is.character(x)) {
    d <- given_file(x, words, ...)
    origin <- origin %||% d$origin
  } else if (is.list(x) && !is.data.frame(x) && is.null(attr(x, "class"))) {
    refuse_others(...)
    made <- lapply(frames_of_list(x), function(one) {
      given_returns(one$frame, kind, every, origin)
    })
    return(put_beside(made, any_date = TRUE))
  } else {
    refuse_others(...)
    origin <- origin %||% paste("given", words)
    d <- given_delivery(x, words, origin)
  }
  refuse_unread(d)
  columns <- d$securities
  check_securities(columns, origin)
  grid <- bound_columns(d) %||% scattered_returns(in_rows(d), origin)
  dates <- grid$dates
  values <- grid$values
  if (!grid$rising) note_order(grid$falling, origin)
  range <- core_range(values, least_doubted)
  if (any(range$low == -Inf | range$high == Inf | (kind == "simple" & range$low < -1))) {
    refuse_impossible(dates, values, kind, origin)
  }
  own <- frequencies_of(dates, values)
  if (kind != "profit") warn_percentages(values, own$per_year, range$beyond)
  read <- list(dates = dates, values = values)
  gathered <- gathered_returns(dates, values, kind, every, own)
  dates <- gathered$dates
  values <- gathered$values
  frequency <- if (is.null(every)) own else stated_frequency(every, columns)
  made <- new_returns(
    dates,
    values,
    kind,
    frequency,
    start = rep(as.Date(NA), ncol(values)),
    prices = NULL,
    origin = origin,
    digest = digest_of(dates, values)
  )
  made$read <- read
  made
}

# Given returns by a longer period than theirs: compounded, of profits added up. What the dates
# contradict is refused.
gathered_returns <- function(dates, values, kind, every, own) {
  as_they_are <- list(dates = dates, values = values)
  if (is.null(every)) return(as_they_are)
  check_every(check_choice(every, "every", names(frequencies)), own)
  finer <- !is.na(own$usual) & own$usual < frequencies[[every]]$gap[1L]
  if (!any(finer) || every == "day") return(as_they_are)
  ends <- period_ends(dates, every, FALSE)
  if (!length(ends)) {
    fail("too_short", sprintf("There is not one whole %s in the returns.", every))
  }
  note("gathered", sprintf(
    "The returns are %s: they are gathered by the %s.", adverb_of(every_of_all(own)), every
  ))
  part <- findInterval(seq_along(dates), ends, left.open = TRUE) + 1L
  kept <- part <= length(ends)
  sums <- function(x) {
    there <- rowsum(as.numeric(!is.na(x)), part[kept])
    whole <- rowsum(ifelse(is.na(x), 0, x), part[kept])
    ifelse(there > 0, whole, NA_real_)
  }
  grown <- if (kind == "simple") log1p(values) else values
  made <- apply(grown[kept, , drop = FALSE], 2L, sums)
  made <- matrix(made, ncol = ncol(values), dimnames = list(NULL, colnames(values)))
  list(dates = dates[ends], values = if (kind == "simple") expm1(made) else made)
}

given_delivery <- function(x, words, origin) {
  if (is.matrix(x) || stats::is.ts(x) || inherits(x, "zoo")) {
    x <- frame_of_series(x, NULL, origin)
  }
  if (!is.data.frame(x)) {
    fail(
      "argument",
      sprintf(
        "Given %s must be a data frame, a matrix, a time series or the path of a file.", words
      ),
      where = sprintf("They are %s.", shown(x))
    )
  }
  delivery <- delivery_of(grid_of_frame(x, origin), list())
  note_delivery(delivery)
  delivery
}

scattered_returns <- function(d, origin) {
  calendar <- days_of(d$day)
  grid <- core_scatter(
    calendar$row,
    d$security,
    d$values[[d$measured]],
    length(calendar$days),
    length(d$securities)
  )
  if (length(grid$again)) {
    fail(
      "duplicate",
      sprintf("%s stands more than once in %s.", .Date(d$day[grid$again[1L]]), origin)
    )
  }
  colnames(grid$values) <- d$securities
  c(grid, list(dates = .Date(calendar$days)))
}

refuse_impossible <- function(dates, values, kind, origin) {
  bad <- which(is.infinite(values) | (kind == "simple" & !is.na(values) & values < -1))
  at <- arrayInd(bad[1L], dim(values))
  security <- colnames(values)[at[2L]]
  fail(
    "return",
    sprintf("%s of %s cannot be.", count(length(bad), "number"), origin),
    where = sprintf("%s on %s: %s.", security, dates[at[1L]], values[bad[1L]]),
    remedy = if (kind == "simple") {
      paste(
        "A simple return is -1 (a loss of everything) or more. If they are percentages, write",
        "the percent sign, or divide them by 100."
      )
    } else {
      sprintf("A %s is a finite number.", if (kind == "log") "log return" else "profit")
    },
    file = file_of(origin),
    security = security,
    value = values[bad[1L]]
  )
}

# A file of returns or profits is read as one of prices is; a column that is called what it holds
# has the name of its file.
given_file <- function(path, words, price = NULL, dates = NULL, decimal = NULL, sheet = NULL,
                       strict = TRUE) {
  how <- list(price = price, dates = dates, decimal = decimal, sheet = sheet, strict = strict)
  if (holds_store(path, how)) fail("argument", sprintf("A price store holds no %s.", words))
  d <- read_delivery(path, how)
  if (length(d$securities) == 1L &&
      plain_name(d$securities) %in% c(
        "return", "returns", "profit", "profits", "pnl", "amount", "value"
      )) {
    d$securities <- file_name(path[1L])
  }
  d
}

# 1.2 for 1.2 % is taken by its word, and would measure everything a hundred times too large.
# Hardly any series has half of its returns beyond what is 100 % a year by the root of time, or
# earns 150 % a year throughout.
# `beyond`: how many of each security's returns are beyond the least that is doubted, of any.
least_doubted <- 0.05

warn_percentages <- function(values, per_year, beyond) {
  observed <- core_observed(values)
  drift <- abs(colMeans(values, na.rm = TRUE)) * per_year
  size <- numeric(ncol(values))
  doubted <- which(observed >= 2L & (2 * beyond >= observed | drift > 1.5))
  size[doubted] <- apply(
    abs(values[, doubted, drop = FALSE]), 2L, stats::median, na.rm = TRUE
  )
  large <- doubted[
    (size * sqrt(per_year) > 1 | drift > 1.5 | size > 0.2)[doubted]
  ]
  if (!length(large)) return(invisible())
  most <- large[which.max(size[large] * sqrt(per_year[large]))]
  caution(
    "large_returns",
    sprintf(
      paste(
        "Half of the returns of %s are beyond %s, as fractions %s %%, which hardly any series",
        "has: 0.01 is one percent."
      ),
      some(colnames(values)[large]),
      format(signif(min(size[large]), 2L)),
      format(signif(100 * size[[most]], 2L), trim = TRUE)
    ),
    remedy = "If they are percentages, divide them by 100, or write the percent sign."
  )
}
