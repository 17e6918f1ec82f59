# A delivery: the rows of a table of prices as they came, in order, repeats and all, each
# with its security, its day and the numbers of its fields. A price table is made of it by
# `table_of()`, which refuses what is wrong; check_prices() tells all that is.

price_fields <- c("open", "high", "low", "close", "adjusted", "volume")

# The field that a column's name means, or NA.
field_of <- function(names) {
  plain <- gsub("[^a-z]", "", tolower(names))
  known <- c(open = "open", high = "high", low = "low", close = "close", price = "close", last = "close",
             nav = "close",
             adjusted = "adjusted", adjclose = "adjusted", adjustedclose = "adjusted", adjustedprice = "adjusted",
             closeadjusted = "adjusted", volume = "volume", vol = "volume")
  unname(known[plain])
}

# `how`: what the reader was told: price, decimal, dates, and the name of the security
# where a table holds one without saying which.
delivery_of <- function(x, origin, how, place = row_place(origin)) {
  if (!nrow(x)) fail("empty", sprintf("There are no prices in %s.", origin), where = "It has a header line only.")
  x <- as.list(x)
  check_column_names(names(x), origin)
  date_column <- date_column_of(x, how, origin)
  security_column <- find_security_column(x, date_column)
  others <- setdiff(names(x), c(date_column, security_column))
  textual <- vapply(x[others], function(v) is.character(v) || is.factor(v), NA)
  x[others[textual]] <- lapply(x[others[textual]], as.character)
  layout <- layout_of(x, others, security_column, how)
  actions <- NULL
  # Text that is neither a number nor a note of a split or dividend stays in a list of faults.
  if (any(textual)) {
    lines <- action_lines(x[others[textual]])
    if (length(lines$rows)) {
      actions <- line_actions(x, lines, date_column, security_column, how, origin)
      x <- lapply(x, function(v) if (is.factor(v)) droplevels(v[-lines$rows]) else v[-lines$rows])
      kept <- setdiff(seq_len(length(x[[1L]]) + length(lines$rows)), lines$rows)
      given <- place
      place <- function(rows) given(kept[rows])
    }
  }
  n <- length(x[[date_column]])
  days <- text_days(x[[date_column]], how$dates, date_column, origin)
  read <- if (layout == "wide") others else others[!is.na(field_of(others)) | others %in% how$price]
  if (!length(read)) read <- others[!textual]
  unused <- setdiff(others, read)
  decimal <- table_decimal(x[read], how$decimal, origin)
  numbers <- lapply(x[read], function(v) if (is.numeric(v)) as.numeric(v) else text_numbers(as.character(v), decimal))
  not_numbers <- do.call(rbind, lapply(which(!vapply(x[read], is.numeric, NA)), function(j) {
    v <- as.character(x[[read[j]]])
    rows <- which(!is.na(v) & is.na(numbers[[j]]))
    data.frame(row = rows + if (layout == "wide") (j - 1L) * n else 0L, column = rep(read[j], length(rows)), text = v[rows])
  }))
  delivery <- switch(layout, wide = wide_rows(days, numbers, read, place),
                     long = long_rows(days, numbers, read, x[[security_column]], how, origin, place),
                     single = long_rows(days, numbers, read, how$name, how, origin, place))
  no_day <- which(is.na(days))
  structure(c(delivery, list(
    origin = origin, actions = actions, not_numbers = not_numbers,
    no_day = data.frame(row = no_day, text = as.character(x[[date_column]][no_day])), date_column = date_column,
    layout = paste(c(layout, if (layout != "wide") paste("measured on", delivery$measured),
                     if (decimal == ",") "decimal comma",
                     if (length(unused)) paste("not used:", some(unused))), collapse = ", ")
  )), class = "imbroglio_delivery")
}

row_place <- function(origin) {
  if (startsWith(origin, "file ")) function(rows) sprintf("line %s", some(rows + 1L))
  else function(rows) sprintf("row %s", some(rows))
}

check_column_names <- function(names, origin) {
  twice <- unique(names[duplicated(names)])
  if (length(twice)) fail("security", sprintf("%s stands more than once in %s.", some(twice), origin))
}

# By its name, its type, or as the first that holds nothing but dates.
date_column_of <- function(x, how, origin) {
  named <- which(gsub("[^a-z]", "", tolower(names(x))) %in% c("date", "day", "dates", "datetime", "timestamp",
                                                              "tradingday"))
  typed <- which(vapply(x, function(v) inherits(v, c("Date", "POSIXt")), NA))
  found <- c(named, typed)
  if (!length(found)) {
    looks <- vapply(x, function(v) {
      v <- unique(as.character(v))
      v <- v[!is.na(v)]
      length(v) > 0L && all(grepl("^[0-9]{1,4}[-/.][0-9A-Za-z]{1,3}[-/.][0-9]{1,4}([T ].*)?$", v))
    }, NA)
    found <- which(looks & !vapply(x, is.numeric, NA))
  }
  if (!length(found)) {
    fail("no_date", sprintf("There is no date column in %s.", origin),
         where = sprintf("Its columns are %s.", some(names(x), 8L)), remedy = "Name the column of dates `date`.")
  }
  names(x)[found[1L]]
}

layout_of <- function(x, others, security_column, how) {
  if (!is.null(security_column)) return("long")
  fields <- field_of(others)
  numeric <- vapply(x[others], function(v) is.numeric(v) || is.logical(v), NA)
  one_security <- any(fields %in% c("close", "adjusted")) && !any(is.na(fields) & numeric)
  if (one_security && !is.null(how$name)) "single" else "wide"
}

wide_rows <- function(days, numbers, securities, place) {
  n <- length(days)
  if (!length(securities)) return(list(securities = character()))
  list(securities = securities, security = rep(seq_along(securities), each = n), day = rep(days, length(securities)),
       values = list(close = unlist(numbers, use.names = FALSE)), measured = "close",
       place = function(i) place((i - 1L) %% n + 1L), rows = function(i) (i - 1L) %% n + 1L)
}

long_rows <- function(days, numbers, columns, name, how, origin, place) {
  fields <- field_of(columns)
  names(numbers) <- ifelse(is.na(fields), columns, fields)
  measured <- measured_column(numbers, columns, how, origin)
  numbers <- numbers[!duplicated(names(numbers))]
  if (!is.factor(name)) name <- factor(rep_len(as.character(name), length(days)), unique(as.character(name)),
                                       exclude = NULL)
  list(securities = levels(name), security = as.integer(name), day = days, values = numbers,
       measured = measured, place = place, rows = identity)
}

measured_column <- function(numbers, columns, how, origin) {
  if (!is.null(how$price)) {
    check_choice(how$price, "price", columns)
    return(names(numbers)[match(how$price, columns)])
  }
  usual <- intersect(c("adjusted", "close"), names(numbers))
  if (length(usual)) return(usual[1L])
  if (length(numbers) == 1L) return(names(numbers))
  fail("layout", sprintf("It is not clear which column of %s holds the price.", origin),
       where = if (length(columns)) sprintf("There are %s.",
                                            some(columns)) else "It has no column of numbers that is known.",
       remedy = "Say which as `price =`.")
}

# ---- splits and dividends that stand among the prices ------------------------------------

dividend_pattern <- "(?i)dividend[^0-9]*([0-9]+([.,][0-9]+)?)"
split_pattern <- "(?i)split[^0-9]*([0-9]+([.,][0-9]+)?) *(:|/|for|to|-) *([0-9]+([.,][0-9]+)?)"

action_lines <- function(columns) {
  found <- lapply(columns, function(v) {
    rows <- which(grepl("dividend|split", v, ignore.case = TRUE) & grepl("[0-9]", v))
    rows <- rows[grepl(dividend_pattern, v[rows], perl = TRUE) | grepl(split_pattern, v[rows], perl = TRUE)]
    stats::setNames(v[rows], rows)
  })
  text <- unlist(unname(found))
  list(rows = as.integer(names(text)), text = unname(text))
}

line_actions <- function(x, lines, date_column, security_column, how, origin) {
  number <- function(text) as.numeric(sub(",", ".", text, fixed = TRUE))
  matched <- function(pattern, i) {
    parts <- regmatches(lines$text, regexec(pattern, lines$text, perl = TRUE))
    vapply(parts, function(p) if (length(p)) number(p[i]) else NA_real_, 0)
  }
  new <- matched(split_pattern, 2L)
  old <- matched(split_pattern, 5L)
  days <- text_days(x[[date_column]], how$dates, date_column, origin)[lines$rows]
  data.frame(security = if (is.null(security_column)) how$name %||% NA_character_ else as.character(x[[security_column]])[lines$rows],
             date = .Date(days), split = new / old,
             dividend = ifelse(is.na(new), matched(dividend_pattern, 2L), NA_real_))
}

# ---- several deliveries as one ------------------------------------------------------------

joined <- function(deliveries, origin) {
  if (length(deliveries) == 1L) return(deliveries[[1L]])
  securities <- unique(unlist(lapply(deliveries, `[[`, "securities")))
  fields <- unique(unlist(lapply(deliveries, function(d) names(d$values))))
  sizes <- vapply(deliveries, function(d) length(d$day), 0L)
  ends <- cumsum(sizes)
  measured <- unique(vapply(deliveries, `[[`, "", "measured"))
  if (length(measured) > 1L) {
    fail("layout", sprintf("The files of %s do not hold the same kind of price.", origin),
         where = sprintf("There are %s.", some(measured)), remedy = "Say which as `price =`.")
  }
  column <- function(f) unlist(lapply(deliveries, f), use.names = FALSE)
  place <- function(i) {
    shown <- vapply(utils::head(i, 5L), function(one) {
      d <- which(one <= ends)[1L]
      sprintf("%s of %s", deliveries[[d]]$place(one - ends[d] + sizes[d]), deliveries[[d]]$origin)
    }, "")
    some(c(shown, rep("", max(0L, length(i) - 5L))))
  }
  rows <- function(i) {
    of <- findInterval(i - 1L, ends) + 1L
    for (d in unique(of)) {
      start <- ends[d] - sizes[d]
      i[of == d] <- start + deliveries[[d]]$rows(i[of == d] - start)
    }
    i
  }
  structure(list(
    securities = securities, security = column(function(d) match(d$securities, securities)[d$security]),
    day = column(function(d) d$day),
    values = lapply(stats::setNames(nm = fields),
                    function(f) column(function(d) d$values[[f]] %||% rep(NA_real_, length(d$day)))),
    measured = measured, place = place, rows = rows, origin = origin,
    actions = do.call(rbind, lapply(deliveries, `[[`, "actions")),
    not_numbers = do.call(rbind, Map(function(d, start) if (length(d$not_numbers)) transform(d$not_numbers,
                                                                                             row = row + start),
                                     deliveries, ends - sizes)),
    no_day = do.call(rbind, Map(function(d, start) transform(d$no_day, row = row + start), deliveries, ends - sizes)),
    date_column = deliveries[[1L]]$date_column,
    layout = sprintf("%s: %s", count(length(deliveries), "table"), deliveries[[1L]]$layout)
  ), class = "imbroglio_delivery")
}

# ---- a price table -------------------------------------------------------------------------

# What no table can be made of.
refuse_unread <- function(d) {
  origin <- d$origin
  if (nrow(d$no_day)) {
    fail("date", sprintf("%s in column %s of %s cannot be read as a date.", count(nrow(d$no_day), "value"),
                         d$date_column, origin),
         where = sprintf("%s: \"%s\".", sentence_case(d$place(d$no_day$row)), d$no_day$text[1L]),
         remedy = "Dates are written like 2024-12-31, 31.12.2024, 12/31/2024 or 31 Dec 2024.")
  }
  if (length(d$not_numbers) && nrow(d$not_numbers)) {
    first <- d$not_numbers[d$not_numbers$column == d$not_numbers$column[1L], ]
    fail("price", sprintf("%s in column %s of %s %s no number.", count(nrow(first), "value"), first$column[1L],
                          origin,
                          if (nrow(first) == 1L) "is" else "are"),
         where = sprintf("%s: \"%s\".", sentence_case(d$place(first$row)), first$text[1L]),
         remedy = "Correct it, or leave the cell empty where there was no price; check_prices() lists all that is wrong.")
  }
  if (!length(d$securities)) fail("layout", sprintf("There is no column of prices beside the dates in %s.", origin))
  if (anyNA(d$security) || anyNA(d$securities)) {
    fail("layout", sprintf("There is a price without a security in %s.", origin),
         where = sentence_case(d$place(which(is.na(d$securities[d$security])))))
  }
}

table_of <- function(d) {
  refuse_unread(d)
  origin <- d$origin
  calendar <- days_of(d$day)
  spread <- function(field) core_scatter(calendar$row, d$security, d$values[[field]], length(calendar$days),
                                         length(d$securities))
  found <- spread(d$measured)
  price <- d$values[[d$measured]]
  if (length(found$bad)) fail_not_positive(found$bad, price, d)
  if (length(found$again)) settle_repeats(found$again, calendar$row, price, d)
  if (!found$rising) note_order(found$falling, origin)
  other <- setdiff(names(d$values), d$measured)
  fields <- lapply(stats::setNames(nm = other), function(f) `colnames<-`(spread(f)$values, d$securities))
  new_prices(.Date(calendar$days), `colnames<-`(found$values, d$securities), origin, fields = fields,
             measured = d$measured,
             actions = d$actions, layout = d$layout)
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
  if (span > 1e6) fail("date", sprintf("The dates run from %s to %s.", .Date(low), .Date(max(day))),
                       remedy = "One of them cannot be right.")
  slot <- as.integer(day - low) + 1L
  there <- tabulate(slot, span) > 0L
  list(days = which(there) + low - 1, row = cumsum(there)[slot])
}

fail_not_positive <- function(bad, price, d) {
  i <- bad[1L]
  name <- function(i) d$securities[d$security[i]]
  fail("not_positive",
       sprintf("%s of %s in %s %s not above zero.", count(length(bad), "price"), some(unique(name(bad))), d$origin,
               if (length(bad) == 1L) "is" else "are"),
       where = sprintf("%s: %s on %s is %s.", sentence_case(d$place(i)), name(i), .Date(d$day[i]), price[i]),
       remedy = "No return can be taken from it: correct it, or leave the cell empty; check_prices() lists all that is wrong.")
}

# Repeats that agree are dropped and said; two prices that differ are an error.
settle_repeats <- function(again, row, price, d) {
  cell <- paste(d$security, row)
  first <- match(cell[again], cell)
  differ <- which(!same(price[again], price[first]))
  if (length(differ)) {
    i <- again[differ[1L]]
    j <- first[differ[1L]]
    fail("duplicate",
         sprintf("%s has two prices that differ on %s in %s.", d$securities[d$security[i]], .Date(d$day[i]),
                 d$origin),
         where = sprintf("%s: %s; %s: %s.", sentence_case(d$place(j)), price[j], d$place(i), price[i]),
         remedy = "Keep the right one; check_prices() lists all that is wrong.")
  }
  lines <- unique(d$rows(again))
  caution("duplicate",
          sprintf("%s of %s repeated an earlier one and %s dropped (%s).", count(length(lines), "row"), d$origin,
                               if (length(lines) == 1L) "was" else "were", d$place(lines)))
}
