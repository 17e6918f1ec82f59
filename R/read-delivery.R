# A delivery: the rows of a table of prices as they came, in order, repeats and all, each
# with its security, its day and the numbers of its fields. A price table is made of it by
# `table_of()`, which refuses what is wrong; check_prices() tells all that is.

# `how`: what the reader was told: price, decimal, dates, and the name of the security where a
# table holds one without saying which.
delivery_of <- function(grid, how) {
  origin <- grid$origin
  if (!length(grid$columns) || !length(grid$columns[[1L]])) refuse_empty(origin)
  if (length(how$columns)) {
    grid <- named_columns(grid, how$columns)
    how$price <- attr(grid, "price") %||% how$price
  }
  grid <- without_row_numbers(grid)
  found <- columns_of_delivery(grid, how)
  grid$columns <- found$x
  grid$days <- column_days(found$x[[found$date]], how$dates, found$date, origin)
  numbers <- divided(grid_numbers(grid, found$read, how$decimal), how$divide)
  security <- if (found$layout == "long") found$x[[found$security]]
  acted <- divided_actions(actions_among(grid, numbers, found$layout, security, how), how$divide)
  told <- currencies_told(grid, found, numbers, security, how$name)
  if (!is.null(how$currency)) told <- currency_stated(told, found, security, how)
  # The bytes of the file are not needed any more.
  grid$again <- NULL
  rows <- rows_that_stay(grid, found, numbers, security, acted)
  delivery <- if (found$layout == "wide") {
    wide_rows(rows$days, rows$values, found$read, rows$place)
  } else {
    named <- rows$security %||% how$name
    long_rows(rows$days, rows$values, found$read, named, how, origin, rows$place)
  }
  faults <- faults_of(
    rows$faults, found$layout, found$read, length(rows$days), delivery$measured
  )
  unused <- setdiff(found$others, c(found$read, acted$columns, attr(told, "column")))
  no_day <- which(is.na(rows$days))
  about <- list(
    origin = origin,
    actions = acted$actions,
    taken = acted$taken,
    about = told,
    not_numbers = faults,
    no_day = data.frame(row = no_day, text = as.character(rows$date_text[no_day])),
    date_column = found$date,
    # How numbers and dates were understood.
    reading = c(
      parted_remark(grid$separator, numbers$decimal), numbers$remarks, grid$days$remarks
    ),
    remarks = c(
      parted_remark(grid$separator, numbers$decimal),
      grid$remarks,
      numbers$remarks,
      grid$days$remarks,
      if (!is.null(found$security)) c(found$remarks, column_remark(found$security)),
      used_remark(found$layout, how, found$others, unused),
      currency_remark(told),
      acted$remarks,
      spared_remark(faults)
    ),
    layout = layout_text(found$layout, delivery$measured, numbers$decimal, unused),
    understood = what_was_understood(grid, found, numbers, delivery$measured)
  )
  structure(c(delivery, about), class = "imbroglio_delivery")
}

# Prices that came in another unit than they are to be in.
divided <- function(numbers, by) {
  if (is.null(by)) return(numbers)
  prices <- !field_of(names(numbers$values)) %in% "volume"
  numbers$values[prices] <- lapply(numbers$values[prices], `/`, by)
  numbers$remarks <- c(numbers$remarks, sprintf("prices divided by %s", format(by)))
  numbers
}

# A dividend is in the unit of its price.
divided_actions <- function(acted, by) {
  if (!is.null(by) && NROW(acted$actions)) acted$actions$dividend <- acted$actions$dividend / by
  acted
}

what_was_understood <- function(grid, found, numbers, measured) {
  list(
    layout = found$layout, separator = grid$separator, decimal = numbers$decimal,
    order = date_orders[sub("-", " ", date_orders) %in% grid$days$remarks],
    columns = columns_understood(found, measured)
  )
}

# Which header means what, of a long table or one of a single security.
columns_understood <- function(found, measured) {
  fields <- field_of(found$read)
  own <- ifelse(is.na(fields), found$read, fields) == measured
  fields[own] <- "price"
  columns <- c(date = found$date, security = found$security)
  if (found$layout == "wide") return(columns)
  known <- !is.na(fields)
  c(columns, stats::setNames(found$read[known], fields[known]))
}

# Which columns hold the date, the security and the prices.
columns_of_delivery <- function(grid, how) {
  x <- grid$columns
  origin <- grid$origin
  check_column_names(names(x), origin)
  date_column <- date_column_of(x, origin)
  refuse_no_header(x, date_column, origin)
  security_column <- find_security_column(x, date_column, origin)
  others <- setdiff(names(x), c(date_column, security_column))
  named <- NULL
  if (!is.null(security_column)) {
    # Names are text, whatever they look like.
    if (!is.factor(x[[security_column]])) {
      x[[security_column]] <- names_as_text(grid, security_column)
    }
    named <- one_name_each(x[[security_column]])
  }
  if (is.null(security_column) && !is.null(how$name)) {
    refuse_merged(x, date_column, others, origin)
  }
  layout <- layout_of(x, others, security_column, how, origin)
  read <- columns_to_read(x, others, layout, how, origin)
  if (!is.null(named)) x[[security_column]] <- named$names
  list(
    x = x, date = date_column, security = security_column, others = others, layout = layout,
    read = read, remarks = named$remarks
  )
}

# Where each day comes again and again and an unknown column tells the rows apart, that names the
# securities, and their prices are not those of one.
refuse_merged <- function(x, date_column, others, origin) {
  days <- x[[date_column]]
  if (2L * length(unique(days)) > length(days)) return(invisible())
  others <- others[!plain_name(others) %in% c(date_names, other_names, kind_names) &
    is.na(field_of(others))]
  telling <- others[vapply(x[others], function(cells) {
    # Numbers with a fraction are prices, not names.
    if (is.numeric(cells) && any(cells != round(cells), na.rm = TRUE)) return(FALSE)
    2L * length(unique(cells)) <= length(cells) && length(unique(cells)) > 1L &&
      !anyNA(cells) && !anyDuplicated(data.frame(days, cells))
  }, NA)]
  if (!length(telling)) return(invisible())
  fail(
    "layout",
    sprintf(
      "A day stands up to %s times in %s, and no column is known to name the securities.",
      count(max(tabulate(match(days, unique(days))))), origin
    ),
    where = sprintf(
      "%s %s from row to row of a day.", some(telling),
      if (length(telling) == 1L) "differs" else "differ"
    ),
    remedy = sprintf(
      "Name it `security` in the header%s.",
      if (length(telling) > 1L) ", the one that names them" else ""
    )
  )
}

# The rows of a delivery without those that hold an action and no price.
rows_that_stay <- function(grid, found, numbers, security, acted) {
  made <- list(
    days = grid$days$days, date_text = found$x[[found$date]], values = numbers$values,
    security = security, faults = acted$faults, place = grid$place
  )
  rows <- acted$rows
  if (length(rows) < length(made$days)) {
    made$place <- place_of_rows(made$place, rows)
    made$days <- made$days[rows]
    made$date_text <- made$date_text[rows]
    made$values <- lapply(made$values, `[`, rows)
    made$faults$row <- match(made$faults$row, rows)
    if (!is.null(security)) made$security <- droplevels(security[rows])
  }
  if (!length(made$days)) refuse_empty(grid$origin)
  made
}

# Functions of their own, so that they keep no more than they need.
place_of_rows <- function(place, rows) {
  force(place)
  force(rows)
  function(i) place(rows[i])
}

refuse_empty <- function(origin) {
  fail(
    "empty",
    sprintf("There are no prices in %s.", origin),
    where = "It has a header line only."
  )
}

# A wide table has a row for each security and day. Of a long one only prices are needed: what is
# wrong in another column is `spared`, and missing.
faults_of <- function(faults, layout, read, n, measured) {
  if (!NROW(faults)) return(NULL)
  if (layout == "wide") {
    faults$row <- faults$row + (match(faults$column, read) - 1L) * n
    faults$spared <- FALSE
  } else {
    field <- field_of(read)[match(faults$column, read)]
    faults$spared <- ifelse(is.na(field), faults$column, field) != measured
  }
  faults
}

spared_remark <- function(faults) {
  spared <- faults[faults$spared, ]
  if (!NROW(spared)) return(NULL)
  sprintf(
    "%s of %s that %s no number left empty (\"%s\")",
    count(nrow(spared), "cell"), some(unique(spared$column)),
    if (nrow(spared) == 1L) "is" else "are", visible(spared$text[1L])
  )
}

parted_remark <- function(separator, decimal) {
  if (is.null(separator) || separator %in% c(",", "\t") || decimal != ",") return(NULL)
  sprintf("%s between columns", separator)
}

layout_text <- function(layout, measured, decimal, unused) {
  paste(
    c(
      layout,
      if (layout != "wide") paste("measured on", measured),
      if (decimal == ",") "decimal comma",
      if (length(unused)) paste("not used:", some(unused))
    ),
    collapse = ", "
  )
}

column_remark <- function(security_column) {
  if (plain_name(security_column) %in% c(security_names, currency_names)) return(NULL)
  sprintf("securities by column %s", security_column)
}

# Of a single price that was named: what stands beside it.
used_remark <- function(layout, how, others, unused) {
  beside <- setdiff(
    unused[is.na(field_of(unused))],
    others[plain_name(others) %in% c(date_names, other_names)]
  )
  if (layout != "single" || is.null(how$price) || !length(beside)) return(NULL)
  sprintf("%s as the price of %s (not used: %s)", how$price, how$name, some(beside))
}

# What was decided in reading, where it could have been otherwise, and what is no price.
note_delivery <- function(delivery) {
  note_remarks(delivery$remarks, delivery$origin)
  note_actions(delivery$taken, delivery$origin)
}

note_remarks <- function(remarks, what) {
  # The same of several files is told once, by its first example.
  remarks <- remarks[!duplicated(sub(" [(].*[)]$", "", remarks))]
  if (length(remarks)) {
    note("reading", sprintf("%s read with %s.", sentence_case(what), some(remarks, 9L)))
  }
}

# A wide table is kept as its columns: most are only set side by side, and have no need of a row
# for each security and day.
wide_rows <- function(days, numbers, securities, place) {
  n <- length(days)
  if (!length(securities)) return(list(securities = character()))
  list(
    securities = securities,
    wide = list(days = days, columns = unname(numbers)),
    measured = "close",
    place = place_of_cells(place, n),
    rows = function(i) (i - 1L) %% n + 1L
  )
}

# A function of its own, so that it keeps no more than it needs.
place_of_cells <- function(place, n) {
  force(place)
  function(i) place((i - 1L) %% n + 1L)
}

# A delivery with a row for each security and day, whatever it came as.
in_rows <- function(d) {
  wide <- d$wide
  if (is.null(wide)) return(d)
  d$security <- rep(seq_along(d$securities), each = length(wide$days))
  d$day <- rep(wide$days, length(d$securities))
  d$values <- list(close = unlist(wide$columns, use.names = FALSE))
  d$wide <- NULL
  d
}

long_rows <- function(days, numbers, columns, name, how, origin, place) {
  fields <- field_of(columns)
  names(numbers) <- ifelse(is.na(fields), columns, fields)
  measured <- measured_column(numbers, columns, how, origin)
  if (!is.factor(name)) {
    name <- factor(
      rep_len(as.character(name), length(days)),
      unique(as.character(name)),
      exclude = NULL
    )
  }
  list(
    securities = levels(name),
    security = as.integer(name),
    day = days,
    values = numbers,
    measured = measured,
    place = place,
    rows = identity
  )
}

# ---- several deliveries as one ------------------------------------------------------------

joined <- function(deliveries, origin) {
  if (length(deliveries) == 1L) return(deliveries[[1L]])
  deliveries <- lapply(deliveries, in_rows)
  securities <- unique(unlist(lapply(deliveries, `[[`, "securities")))
  fields <- unique(unlist(lapply(deliveries, function(d) names(d$values))))
  sizes <- vapply(deliveries, function(d) length(d$day), 0L)
  measured <- unique(vapply(deliveries, `[[`, "", "measured"))
  if (length(measured) > 1L) {
    fail(
      "layout",
      sprintf("The files of %s do not hold the same kind of price.", origin),
      where = sprintf("There are %s.", some(measured)),
      remedy = "Say which as `price =`."
    )
  }
  # Rows of a part are numbered on from those of the parts before it.
  moved <- function(what) {
    do.call(rbind, Map(function(d, start) {
      if (length(d[[what]])) transform(d[[what]], row = row + start)
    }, deliveries, cumsum(sizes) - sizes))
  }
  column <- function(f) unlist(lapply(deliveries, f), use.names = FALSE)
  structure(
    list(
      securities = securities,
      security = column(function(d) match(d$securities, securities)[d$security]),
      day = column(function(d) d$day),
      values = lapply(stats::setNames(nm = fields), function(f) {
        column(function(d) d$values[[f]] %||% rep(NA_real_, length(d$day)))
      }),
      measured = measured,
      place = joined_place(deliveries, sizes),
      rows = joined_rows(deliveries, sizes),
      origin = origin,
      actions = do.call(rbind, lapply(deliveries, `[[`, "actions")),
      taken = unlist(lapply(deliveries, `[[`, "taken")),
      about = about_of_all(lapply(deliveries, `[[`, "about"), securities, origin),
      not_numbers = moved("not_numbers"),
      no_day = moved("no_day"),
      date_column = deliveries[[1L]]$date_column,
      remarks = unique(unlist(lapply(deliveries, `[[`, "remarks"))),
      layout = sprintf("%s: %s", count(length(deliveries), "table"), deliveries[[1L]]$layout)
    ),
    class = "imbroglio_delivery"
  )
}

joined_place <- function(deliveries, sizes) {
  ends <- cumsum(sizes)
  function(i) {
    shown <- vapply(utils::head(i, 5L), function(one) {
      d <- which(one <= ends)[1L]
      sprintf("%s of %s", deliveries[[d]]$place(one - ends[d] + sizes[d]), deliveries[[d]]$origin)
    }, "")
    some(c(shown, rep("", max(0L, length(i) - 5L))))
  }
}

joined_rows <- function(deliveries, sizes) {
  ends <- cumsum(sizes)
  function(i) {
    of <- findInterval(i - 1L, ends) + 1L
    for (d in unique(of)) {
      start <- ends[d] - sizes[d]
      i[of == d] <- start + deliveries[[d]]$rows(i[of == d] - start)
    }
    i
  }
}

# ---- a price table -------------------------------------------------------------------------
