# From a delivery to a price table: what is wrong is refused.

table_of <- function(d) {
  refuse_unread(d)
  bound <- bound_columns(d)
  if (!is.null(bound) && all(is_price(bound$low) & is_price(bound$high))) {
    if (!bound$rising) note_order(bound$falling, d$origin)
    return(new_prices(bound$dates, bound$values, d$origin, actions = d$actions, layout = d$layout))
  }
  d <- in_rows(d)
  origin <- d$origin
  calendar <- days_of(d$day)
  spread <- function(field) {
    core_scatter(
      calendar$row,
      d$security,
      d$values[[field]],
      length(calendar$days),
      length(d$securities)
    )
  }
  close <- spread(d$measured)
  price <- d$values[[d$measured]]
  if (length(close$bad)) fail_not_positive(close$bad, price, d)
  if (length(close$again)) settle_repeats(close$again, calendar$row, price, d)
  if (!close$rising) note_order(close$falling, origin)
  other <- setdiff(names(d$values), d$measured)
  fields <- lapply(stats::setNames(nm = other), function(f) {
    `colnames<-`(spread(f)$values, d$securities)
  })
  new_prices(
    .Date(calendar$days),
    `colnames<-`(close$values, d$securities),
    origin,
    fields = fields,
    measured = d$measured,
    actions = d$actions,
    layout = d$layout
  )
}

# A wide delivery in which no day stands twice, its columns set side by side in the order of days;
# NULL of all others.
bound_columns <- function(d) {
  days <- d$wide$days
  if (is.null(days) || anyDuplicated(days)) return(NULL)
  refuse_wide_span(min(days), max(days))
  rising <- !is.unsorted(days)
  in_order <- if (rising) integer() else order(days)
  bound <- core_bound(d$wide$columns, in_order)
  list(
    dates = .Date(sort(days)),
    values = `colnames<-`(bound$values, d$securities),
    low = bound$low,
    high = bound$high,
    rising = rising,
    falling = !rising && !is.unsorted(-days)
  )
}

refuse_wide_span <- function(from, to) {
  if (to - from < 1e6) return(invisible())
  fail(
    "date",
    sprintf("The dates run from %s to %s.", .Date(from), .Date(to)),
    remedy = "One of them cannot be right."
  )
}

# With what a store or feed tells beside the prices.
table_told <- function(d) {
  prices <- table_of(d)
  prices$about <- d$about
  prices$repairs <- d$repairs
  prices
}

# The sorted days and, for each observation, the row of its own.
days_of <- function(day) {
  low <- min(day)
  span <- max(day) - low + 1
  refuse_wide_span(low, max(day))
  slot <- as.integer(day - low) + 1L
  there <- tabulate(slot, span) > 0L
  list(days = which(there) + low - 1, row = cumsum(there)[slot])
}

# Beyond these no price lies, and the squares of returns would not fit a number
# (src/core/scatter.h).
is_price <- function(x) x >= 1e-60 & x <= 1e60

fail_not_positive <- function(bad, price, d) {
  i <- bad[1L]
  name <- function(i) d$securities[d$security[i]]
  fail(
    "not_positive",
    sprintf(
      "%s of %s in %s %s.",
      count(length(bad), "price"),
      some(unique(name(bad))),
      d$origin,
      if (price[i] > 0) {
        "cannot be: prices lie between 1e-60 and 1e60"
      } else if (length(bad) == 1L) {
        "is not above zero"
      } else {
        "are not above zero"
      }
    ),
    where = sprintf(
      "%s: %s on %s is %s.",
      sentence_case(d$place(i)),
      name(i),
      .Date(d$day[i]),
      price[i]
    ),
    remedy = paste0(
      "No return can be taken from it: correct it, or leave the cell empty; ",
      "check_prices() lists all that is wrong."
    ),
    file = file_of(d$origin),
    line = line_of(d$place(i)),
    security = name(i),
    value = price[i]
  )
}

# Repeats that agree are dropped and said; two prices that differ are an error.
settle_repeats <- function(again, row, price, d) {
  cell <- paste(d$security, row)
  first <- match(cell[again], cell)
  differ <- which(!same(price[again], price[first]))
  if (length(differ)) {
    i <- again[differ[1L]]
    j <- first[differ[1L]]
    fail(
      "duplicate",
      sprintf(
        "%s has two prices that differ on %s in %s.",
        d$securities[d$security[i]],
        .Date(d$day[i]),
        d$origin
      ),
      where = sprintf(
        "%s: %s; %s: %s.",
        sentence_case(d$place(j)),
        price[j],
        d$place(i),
        price[i]
      ),
      remedy = "Keep the right one; check_prices() lists all that is wrong.",
      file = file_of(d$origin),
      line = line_of(d$place(i)),
      security = d$securities[d$security[i]],
      value = price[i]
    )
  }
  lines <- unique(d$rows(again))
  caution(
    "duplicate",
    sprintf(
      "%s of %s repeated an earlier one and %s dropped (%s).",
      count(length(lines), "row"),
      d$origin,
      if (length(lines) == 1L) "was" else "were",
      d$place(lines)
    )
  )
}

# What no table can be made of.
refuse_unread <- function(d) {
  origin <- d$origin
  if (nrow(d$no_day)) {
    fail(
      "date",
      sprintf(
        "%s in column %s of %s cannot be read as a date.",
        count(nrow(d$no_day), "value"),
        d$date_column,
        origin
      ),
      where = sprintf("%s: \"%s\".", sentence_case(d$place(d$no_day$row)), d$no_day$text[1L]),
      remedy = "Dates are written like 2024-12-31, 31.12.2024, 12/31/2024 or 31 Dec 2024.",
      file = file_of(origin),
      line = line_of(d$place(d$no_day$row[1L])),
      value = d$no_day$text[1L]
    )
  }
  needed <- if (length(d$not_numbers)) d$not_numbers[!d$not_numbers$spared, ]
  if (NROW(needed)) {
    first <- needed[needed$column == needed$column[1L], ]
    fail(
      "price",
      sprintf(
        "%s in column %s of %s %s no number.",
        count(nrow(first), "value"),
        first$column[1L],
        origin,
        if (nrow(first) == 1L) "is" else "are"
      ),
      where = sprintf("%s: \"%s\".", sentence_case(d$place(first$row)), first$text[1L]),
      remedy = paste0(
        "Correct it, or leave the cell empty where there was no price; check_prices() ",
        "lists all that is wrong."
      ),
      file = file_of(origin),
      line = line_of(d$place(first$row[1L])),
      value = first$text[1L]
    )
  }
  refuse_without_security(d)
}

refuse_no_column <- function(d) {
  if (length(d$securities)) return(invisible())
  fail("layout", sprintf("There is no column of prices beside the dates in %s.", d$origin))
}

refuse_without_security <- function(d) {
  refuse_no_column(d)
  if (anyNA(d$security) || anyNA(d$securities)) {
    fail(
      "layout",
      sprintf("There is a price without a security in %s.", d$origin),
      where = sentence_case(d$place(which(is.na(d$securities[d$security]))))
    )
  }
}
