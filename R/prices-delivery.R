# A delivery: the rows of a table of prices as they came, in order, repeats and all, each
# with its security, its day and the numbers of its fields. A price table is made of it by
# `table_of()`, which refuses what is wrong; check_prices() tells all that is.

price_fields <- c("open", "high", "low", "close", "adjusted", "volume")

# The field that a column's name means, or NA.
field_of <- function(names) {
  known <- c(
    open = "open",
    openprice = "open",
    high = "high",
    highprice = "high",
    low = "low",
    lowprice = "low",
    close = "close",
    closeprice = "close",
    closingprice = "close",
    price = "close",
    last = "close",
    lastprice = "close",
    nav = "close",
    settlement = "close",
    settle = "close",
    adjusted = "adjusted",
    adjclose = "adjusted",
    adjustedclose = "adjusted",
    adjustedprice = "adjusted",
    closeadjusted = "adjusted",
    volume = "volume",
    vol = "volume"
  )
  unname(known[plain_name(names)])
}

# Names of columns, the surest first.
date_names <- c(
  "date", "dates", "day", "datetime", "timestamp", "tradedate", "tradingdate", "tradingday",
  "pricedate", "valuationdate", "valuedate", "quotedate", "asofdate", "asof", "exdate", "time",
  "period", "month", "quarter", "week", "year"
)
security_names <- c(
  "security", "symbol", "ticker", "instrument", "asset", "isin", "securityid", "id",
  "securityname", "fund", "fundname", "name", "code"
)
# A column of numbers by one of these names is a security's prices.
weak_security_names <- c("fund", "name", "code")
# Columns of text that tell something about a security, not which one it is.
other_names <- c(
  "currency", "ccy", "curr", "exchange", "market", "mic", "country", "sector", "industry",
  "group", "type", "class", "assetclass", "source", "vendor", "provider", "note", "notes",
  "comment", "comments", "remark", "remarks", "status", "flag", "unit", "units", "description"
)
number_names <- c(
  "", "x", "unnamed0", "index", "row", "rows", "rownumber", "rownumbers", "no", "nr", "n", "v1",
  "id"
)

# `how`: what the reader was told: price, decimal, dates, and the name of the security where a
# table holds one without saying which.
delivery_of <- function(grid, how) {
  origin <- grid$origin
  if (!length(grid$columns) || !length(grid$columns[[1L]])) {
    fail(
      "empty",
      sprintf("There are no prices in %s.", origin),
      where = "It has a header line only."
    )
  }
  grid <- without_row_numbers(grid)
  x <- grid$columns
  check_column_names(names(x), origin)
  date_column <- date_column_of(x, origin)
  refuse_no_header(x, date_column, origin)
  security_column <- find_security_column(x, date_column, origin)
  others <- setdiff(names(x), c(date_column, security_column))
  # Names are text, whatever they look like.
  if (!is.null(security_column) && !is.factor(x[[security_column]])) {
    x[[security_column]] <- names_as_text(grid, security_column)
  }
  padded <- !is.null(security_column) && isTRUE(attr(x[[security_column]], "padded"))
  layout <- layout_of(x, others, security_column, how, origin)
  read <- columns_to_read(x, others, layout, how, origin)
  actions <- NULL
  place <- grid$place
  # Text that is neither a number nor a note of a split or dividend stays in a list of faults.
  lines <- action_lines(Filter(is.factor, x[others]))
  if (length(lines$rows)) {
    actions <- line_actions(x, lines, date_column, security_column, how, origin)
    x <- lapply(x, function(v) if (is.factor(v)) droplevels(v[-lines$rows]) else v[-lines$rows])
    kept <- setdiff(seq_len(length(x[[1L]]) + length(lines$rows)), lines$rows)
    given <- place
    place <- function(rows) given(kept[rows])
    again <- grid$again
    if (!is.null(again)) {
      grid$again <- function(reading) lapply(again(reading), function(v) droplevels(v[kept]))
    }
  }
  n <- length(x[[date_column]])
  dated <- column_days(x[[date_column]], how$dates, date_column, origin)
  if (!is.null(security_column)) {
    named <- one_name_each(x[[security_column]], padded)
    x[[security_column]] <- named$names
  }
  unused <- setdiff(others, read)
  grid$columns <- x
  numbers <- grid_numbers(grid, read, how$decimal)
  # The bytes of the file are not needed any more.
  grid$again <- NULL
  not_numbers <- numbers$faults
  if (NROW(not_numbers) && layout == "wide") {
    not_numbers$row <- not_numbers$row + (match(not_numbers$column, read) - 1L) * n
  }
  delivery <- switch(
    layout,
    wide = wide_rows(dated$days, numbers$values, read, place),
    long = long_rows(dated$days, numbers$values, read, x[[security_column]], how, origin, place),
    single = long_rows(dated$days, numbers$values, read, how$name, how, origin, place)
  )
  no_day <- which(is.na(dated$days))
  remarks <- c(
    grid$remarks,
    numbers$remarks,
    dated$remarks,
    if (!is.null(security_column)) named$remarks,
    if (!is.null(security_column) && !plain_name(security_column) %in% security_names) {
      sprintf("securities by column %s", security_column)
    }
  )
  beside <- setdiff(
    unused[is.na(field_of(unused))],
    others[plain_name(others) %in% c(date_names, other_names)]
  )
  if (layout == "single" && !is.null(how$price) && length(beside)) {
    remarks <- c(
      remarks,
      sprintf("%s as the price of %s (not used: %s)", how$price, how$name, some(beside))
    )
  }
  if (!is.null(grid$separator) && !grid$separator %in% c(",", "\t") && numbers$decimal == ",") {
    remarks <- c(sprintf("%s between columns", grid$separator), remarks)
  }
  structure(
    c(
      delivery,
      list(
        origin = origin,
        actions = actions,
        not_numbers = not_numbers,
        no_day = data.frame(row = no_day, text = as.character(x[[date_column]][no_day])),
        date_column = date_column,
        remarks = remarks,
        layout = paste(
          c(
            layout,
            if (layout != "wide") paste("measured on", delivery$measured),
            if (numbers$decimal == ",") "decimal comma",
            if (length(unused)) paste("not used:", some(unused))
          ),
          collapse = ", "
        )
      )
    ),
    class = "imbroglio_delivery"
  )
}

# What was decided in reading, where it could have been otherwise.
note_remarks <- function(remarks, what) {
  # The same of several files is told once, by its first example.
  remarks <- remarks[!duplicated(sub(" [(].*[)]$", "", remarks))]
  if (length(remarks)) {
    note("reading", sprintf("%s read with %s.", sentence_case(what), some(remarks, 9L)))
  }
}

check_column_names <- function(names, origin) {
  nameless <- which(!nzchar(names))
  if (length(nameless)) {
    fail(
      "layout",
      sprintf("Column %s of %s has no name.", some(nameless), origin),
      remedy = "Name it, or take it out."
    )
  }
  twice <- unique(names[duplicated(names)])
  if (length(twice)) {
    fail("security", sprintf("%s stands more than once in %s.", some(twice), origin))
  }
}

# A column that counts the rows, as programs write it beside a table, and empty columns at the end
# of each line.
without_row_numbers <- function(grid) {
  # Of a table that a program made, a nameless one only.
  known <- if (is.null(grid$separator)) "" else number_names
  counts <- vapply(seq_along(grid$columns), function(j) {
    v <- grid$columns[[j]]
    plain_name(names(grid$columns)[j]) %in% known &&
      is.numeric(v) && !inherits(v, "Date") && length(v) > 1L && !anyNA(v) &&
      v[1L] %in% c(0, 1) && all(diff(v) == 1)
  }, NA)
  hollow <- !nzchar(names(grid$columns)) & vapply(grid$columns, function(v) all(is.na(v)), NA)
  gone <- counts | hollow
  if (all(gone) || !any(gone)) return(grid)
  grid$columns <- grid$columns[!gone]
  if (!is.null(grid$marks)) grid$marks <- lapply(grid$marks, `[`, !gone)
  again <- grid$again
  if (!is.null(again)) grid$again <- function(which) again(seq_along(gone)[!gone][which])
  if (any(counts)) grid$remarks <- c(grid$remarks, "row numbers left out")
  grid
}

names_as_text <- function(grid, column) {
  v <- grid$columns[[column]]
  if (is.factor(v)) return(v)
  if (!is.null(grid$again)) return(grid$again(match(column, names(grid$columns)))[[1L]])
  text <- if (is.numeric(v) && !inherits(v, "Date")) core_shortest(v) else as.character(v)
  text[is.na(v)] <- NA
  factor(text, unique(text[!is.na(text)]))
}

# Spaces around a name are no part of it. `padded`: the reader took some away.
one_name_each <- function(v, padded = isTRUE(attr(v, "padded"))) {
  names <- trimmed(levels(v))
  if (identical(names, levels(v))) {
    return(list(names = v, remarks = if (padded) "spaces around names left out"))
  }
  known <- unique(names[nzchar(names)])
  list(
    names = structure(match(names, known)[as.integer(v)], levels = known, class = "factor"),
    remarks = "spaces around names left out"
  )
}

# By its name, its type, or as the only one that holds nothing but dates.
date_column_of <- function(x, origin) {
  rank <- match(plain_name(names(x)), date_names)
  if (any(!is.na(rank))) return(names(x)[which.min(rank)])
  dated <- vapply(x, inherits, NA, c("Date", "POSIXt"))
  dated <- dated | vapply(x, function(v) is.factor(v) && is_date_text(levels(v)), NA)
  if (sum(dated) == 1L) return(names(x)[dated])
  if (!any(dated)) {
    if (all(is_number_text(names(x)))) refuse_headless(names(x), origin)
    fail(
      "no_date",
      sprintf("There is no date column in %s.", origin),
      where = sprintf("Its columns are %s.", some(names(x), 8L)),
      remedy = "Name the column of dates `date`."
    )
  }
  fail(
    "no_date",
    sprintf("It is not clear which column of %s holds the dates.", origin),
    where = sprintf("There are %s.", some(names(x)[dated])),
    remedy = "Name the column of dates `date`."
  )
}

# A first line of data in place of a header would be lost as names.
refuse_no_header <- function(x, date_column, origin) {
  numbered <- grepl("^[0-9]+$", date_column) && !is.na(number_days(as.numeric(date_column))$days)
  if (numbered || is_date_text(date_column)) refuse_headless(names(x), origin)
}

refuse_headless <- function(names, origin) {
  fail(
    "layout",
    sprintf("%s has no header.", sentence_case(origin)),
    where = sprintf("Its first line begins with %s.", some(names, 3L)),
    remedy = "Name the columns in a line of its own: date, and the securities."
  )
}

layout_of <- function(x, others, security_column, how, origin) {
  if (!is.null(security_column)) return("long")
  if (is.null(how$name)) return("wide")
  if (!is.null(how$price)) return("single")
  fields <- field_of(others)
  if (!any(!is.na(fields))) return("wide")
  strange <- others[is.na(fields) &
    !plain_name(others) %in% c(date_names, other_names) &
    vapply(x[others], holds_numbers, NA)]
  if (length(unique(fields[!is.na(fields)])) == 1L && length(strange)) {
    fail(
      "layout",
      sprintf(
        "It is not clear whether %s of %s is the price of one security or a security.",
        others[!is.na(fields)][1L],
        origin
      ),
      where = sprintf(
        "Beside it there %s %s.",
        if (length(strange) == 1L) "is" else "are",
        some(strange)
      ),
      remedy = sprintf(
        "Say price = \"%s\", or name the column otherwise.",
        others[!is.na(fields)][1L]
      )
    )
  }
  "single"
}

# The columns of prices, and of other fields of known names.
columns_to_read <- function(x, others, layout, how, origin) {
  told <- plain_name(others) %in% c(date_names, other_names)
  if (layout == "wide") return(others[!(told & vapply(x[others], is.factor, NA))])
  fields <- field_of(others)
  if (!is.null(how$price)) {
    chosen <- others[chosen_column(how$price, others)]
    # Another column by the same field's name is not it.
    rival <- !is.na(fields) & others != chosen & fields %in% field_of(chosen)
    return(others[(!is.na(fields) & !rival & !duplicated(fields)) | others == chosen])
  }
  of_numbers <- others[vapply(x[others], holds_numbers, NA)]
  read <- others[!is.na(fields)]
  if (!length(read) && length(of_numbers) == 1L) return(of_numbers)
  several <- unique(fields[duplicated(fields, incomparables = NA)])
  if (length(several)) {
    rivals <- others[fields %in% several[1L]]
    fail(
      "layout",
      sprintf("It is not clear which column of %s holds the price.", origin),
      where = sprintf("There are %s.", some(rivals)),
      remedy = sprintf("Say which as `price =`, such as price = \"%s\".", rivals[1L])
    )
  }
  read
}

wide_rows <- function(days, numbers, securities, place) {
  n <- length(days)
  if (!length(securities)) return(list(securities = character()))
  list(
    securities = securities,
    security = rep(seq_along(securities), each = n),
    day = rep(days, length(securities)),
    values = list(close = unlist(numbers, use.names = FALSE)),
    measured = "close",
    place = function(i) place((i - 1L) %% n + 1L),
    rows = function(i) (i - 1L) %% n + 1L
  )
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

# Where the column stands that was asked for: by its very name, else by its letters.
chosen_column <- function(price, columns) {
  chosen <- which(columns == price)
  if (!length(chosen)) chosen <- which(plain_name(columns) == plain_name(price))
  if (length(chosen) != 1L) check_choice(price, "price", columns)
  chosen
}

measured_column <- function(numbers, columns, how, origin) {
  if (!is.null(how$price)) {
    return(names(numbers)[chosen_column(how$price, columns)])
  }
  usual <- intersect(c("adjusted", "close"), names(numbers))
  if (length(usual)) return(usual[1L])
  if (length(numbers) == 1L) return(names(numbers))
  fail(
    "layout",
    sprintf("It is not clear which column of %s holds the price.", origin),
    where = if (length(columns)) {
      sprintf("There are %s.", some(columns))
    } else {
      "It has no column of numbers that is known."
    },
    remedy = "Say which as `price =`."
  )
}

# ---- splits and dividends that stand among the prices ------------------------------------

dividend_pattern <- "(?i)dividend[^0-9]*([0-9]+([.,][0-9]+)?)"
split_pattern <- "(?i)split[^0-9]*([0-9]+([.,][0-9]+)?) *(:|/|for|to|-) *([0-9]+([.,][0-9]+)?)"

action_lines <- function(columns) {
  lines <- lapply(columns, function(v) {
    text <- levels(v)
    told <- grepl(dividend_pattern, text, perl = TRUE) | grepl(split_pattern, text, perl = TRUE)
    rows <- if (any(told)) which(as.integer(v) %in% which(told)) else integer()
    stats::setNames(as.character(v)[rows], rows)
  })
  text <- unlist(unname(lines))
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
  days <- column_days(x[[date_column]], how$dates, date_column, origin)$days[lines$rows]
  data.frame(
    security = if (is.null(security_column)) {
      how$name %||% NA_character_
    } else {
      as.character(x[[security_column]])[lines$rows]
    },
    date = .Date(days),
    split = new / old,
    dividend = ifelse(is.na(new), matched(dividend_pattern, 2L), NA_real_)
  )
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
    fail(
      "layout",
      sprintf("The files of %s do not hold the same kind of price.", origin),
      where = sprintf("There are %s.", some(measured)),
      remedy = "Say which as `price =`."
    )
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
  structure(
    list(
      securities = securities,
      security = column(function(d) match(d$securities, securities)[d$security]),
      day = column(function(d) d$day),
      values = lapply(stats::setNames(nm = fields), function(f) {
        column(function(d) d$values[[f]] %||% rep(NA_real_, length(d$day)))
      }),
      measured = measured,
      place = place,
      rows = rows,
      origin = origin,
      actions = do.call(rbind, lapply(deliveries, `[[`, "actions")),
      not_numbers = do.call(
        rbind,
        Map(
          function(d, start) {
            if (length(d$not_numbers)) transform(d$not_numbers, row = row + start)
          },
          deliveries,
          ends - sizes
        )
      ),
      no_day = do.call(
        rbind,
        Map(function(d, start) transform(d$no_day, row = row + start), deliveries, ends - sizes)
      ),
      date_column = deliveries[[1L]]$date_column,
      remarks = unique(unlist(lapply(deliveries, `[[`, "remarks"))),
      layout = sprintf("%s: %s", count(length(deliveries), "table"), deliveries[[1L]]$layout)
    ),
    class = "imbroglio_delivery"
  )
}

# ---- a price table -------------------------------------------------------------------------

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
  if (length(d$not_numbers) && nrow(d$not_numbers)) {
    first <- d$not_numbers[d$not_numbers$column == d$not_numbers$column[1L], ]
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
  if (!length(d$securities)) {
    fail("layout", sprintf("There is no column of prices beside the dates in %s.", origin))
  }
  if (anyNA(d$security) || anyNA(d$securities)) {
    fail(
      "layout",
      sprintf("There is a price without a security in %s.", origin),
      where = sentence_case(d$place(which(is.na(d$securities[d$security]))))
    )
  }
}

table_of <- function(d) {
  refuse_unread(d)
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
  if (span > 1e6) {
    fail(
      "date",
      sprintf("The dates run from %s to %s.", .Date(low), .Date(max(day))),
      remedy = "One of them cannot be right."
    )
  }
  slot <- as.integer(day - low) + 1L
  there <- tabulate(slot, span) > 0L
  list(days = which(there) + low - 1, row = cumsum(there)[slot])
}

fail_not_positive <- function(bad, price, d) {
  i <- bad[1L]
  name <- function(i) d$securities[d$security[i]]
  fail(
    "not_positive",
    sprintf(
      "%s of %s in %s %s not above zero.",
      count(length(bad), "price"),
      some(unique(name(bad))),
      d$origin,
      if (length(bad) == 1L) "is" else "are"
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
