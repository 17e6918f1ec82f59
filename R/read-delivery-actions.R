# Splits and dividends that stand among the prices. They are read from three places only: the very
# cell that should hold a price, a row of which a column says that it is no price, and columns of
# their own. Words elsewhere (a name, a note) are words.

unit_around <- "[^0-9.,:/-]*"
dividend_text <- sprintf("^%1$s([0-9]+(?:[.,][0-9]+)?)%1$s$", unit_around)
# A ratio of shares: 2:1, 2/1, "2 for 1", 2-for-1.
ratio_text <- "([0-9]+(?:[.,][0-9]+)?) *(?::|/|-?for-?|-?to-?|-) *([0-9]+(?:[.,][0-9]+)?)"
split_text <- paste0("^", unit_around, ratio_text, unit_around, "$")

ratio_of <- function(text, pattern) {
  parts <- parts_of(lower_case(text), pattern)
  number <- function(part) as.numeric(sub(",", ".", part, fixed = TRUE))
  number(parts[, 1L]) / number(parts[, 2L])
}

# What a cell in place of a price tells: the new shares for one old, or the cash a share; NA for
# what is neither. Three digits behind the other mark than the table's may be thousands.
action_of_text <- function(text, decimal) {
  plain <- lower_case(text)
  paid <- parts_of(ifelse(grepl("dividend", plain, fixed = TRUE), plain, ""), dividend_text)[, 1L]
  other <- setdiff(c(".", ","), decimal)
  paid[grepl(sprintf("[%s][0-9]{3}$", other), paid)] <- NA
  data.frame(
    split = ratio_of(ifelse(grepl("split", plain, fixed = TRUE), plain, ""), split_text),
    dividend = as.numeric(sub(",", ".", paid, fixed = TRUE))
  )
}

no_faults <- data.frame(row = integer(), column = character(), text = character())

# Columns that say what kind of row each is, and the words that they say it by.
kind_names <- c(
  "type", "kind", "rowtype", "rowkind", "recordtype", "recordkind", "entrytype", "entry", "record"
)
action_kinds <- c(
  dividend = "^((cash|special|interim|final|ordinary) )?(dividends?|distribution)$",
  split = "^((stock|share) )?splits?$",
  price = "^((closing|daily|end of day) )?(prices?|quotes?|close|nav|bar|trade)$"
)

kind_of_word <- function(words) {
  plain <- trimws(gsub("[^a-z]+", " ", lower_case(words)))
  kind <- rep(NA_character_, length(words))
  for (one in names(action_kinds)) kind[grepl(action_kinds[[one]], plain)] <- one
  kind[!nzchar(trimws(words))] <- ""
  kind
}

# Of what a column says the same in each row of a security, it says it of the security.
says_of_rows <- function(v, security) {
  if (!is.factor(v) || !nlevels(v)) return(FALSE)
  if (is.null(security)) return(nlevels(v) > 1L || anyNA(v))
  said <- unique(data.frame(as.integer(v), as.integer(factor(security))))
  anyDuplicated(said[[2L]]) > 0L
}

# The kind of each row, "" where nothing is said; NULL without a column that tells it.
# `security` of each row where the table is of prices.
kinds_of_rows <- function(grid, security, columns = kind_names) {
  x <- grid$columns
  of_prices <- !missing(security)
  chosen <- names(x)[plain_name(names(x)) %in% columns & vapply(x, is.factor, NA)]
  for (name in chosen) {
    v <- x[[name]]
    kind <- kind_of_word(levels(v))
    if (!any(kind %in% c("dividend", "split"))) next
    if (of_prices && !says_of_rows(v, security)) next
    if (anyNA(kind)) {
      row <- which(as.integer(v) %in% which(is.na(kind)))[1L]
      fail(
        "action",
        sprintf(
          "Column %s of %s says of a row that it is \"%s\".", name, grid$origin,
          visible(as.character(v)[row])
        ),
        where = sprintf(
          "%s. Elsewhere it says %s.", sentence_case(grid$place(row)),
          some(levels(v)[!is.na(kind)])
        ),
        remedy = paste(
          "Rows are prices, dividends or splits: take the others out, or name the column",
          "otherwise if it is not of rows."
        ),
        line = line_of(grid$place(row)), value = as.character(v)[row]
      )
    }
    kind <- kind[as.integer(v)]
    kind[is.na(kind)] <- ""
    return(list(column = name, kind = kind))
  }
}

# The prices without what is none, and what that tells: `rows` that stay, `actions` with the row
# of each, and the faults that are left.
actions_among <- function(grid, numbers, layout, security, how) {
  wide <- layout == "wide"
  days <- grid$days$days
  n <- length(days)
  faults <- numbers$faults %||% no_faults
  told <- action_of_text(faults$text, numbers$decimal)
  in_cells <- !(is.na(told$split) & is.na(told$dividend))
  # A column of words alone is no column of prices.
  for (column in unique(faults$column[in_cells])) {
    if (all(is.na(numbers$values[[column]]))) in_cells[faults$column == column] <- FALSE
  }
  cells <- cbind(faults[in_cells, , drop = FALSE], told[in_cells, , drop = FALSE])
  cells$security <- if (!NROW(cells)) {
    character()
  } else if (wide) {
    cells$column
  } else if (is.null(security)) {
    rep(how$name %||% NA_character_, nrow(cells))
  } else {
    as.character(security)[cells$row]
  }
  kinds <- if (!wide) kinds_of_rows(grid, security)
  by_kind <- if (!is.null(kinds)) rows_of_kinds(grid, kinds, numbers, security, days, how)
  beside <- if (!wide) actions_in_columns(grid, numbers, security, how)
  found <- rbind(cells[c("security", "row", "split", "dividend")], by_kind, beside$actions)
  gone <- union(
    by_kind$row,
    rows_without_prices(numbers$values, union(cells$row, beside$actions$row), wide)
  )
  actions <- actions_table(found, days, grid)
  list(
    rows = if (length(gone)) setdiff(seq_len(n), gone) else seq_len(n),
    faults = faults[!in_cells & !faults$row %in% gone, , drop = FALSE],
    actions = actions$table,
    taken = actions$taken,
    columns = c(if (NROW(by_kind)) kinds$column, beside$columns),
    remarks = words_of_actions(grid, numbers, security, kinds$column)
  )
}

# Rows that hold an action and no price beside it.
rows_without_prices <- function(values, rows, wide) {
  rows <- unique(rows)
  if (!wide) values <- values[!field_of(names(values)) %in% "volume"]
  rows[!Reduce(`|`, lapply(values, function(v) !is.na(v[rows])), logical(length(rows)))]
}

# Rows of which a column says that they are dividends or splits: their amount stands where the
# price would, or in a column of amounts.
rows_of_kinds <- function(grid, kinds, numbers, security, days, how) {
  rows <- which(kinds$kind %in% c("dividend", "split"))
  refuse_unclear_kinds(grid, kinds, rows, security, days)
  amount <- ratio <- rep(NA_real_, length(rows))
  faults <- numbers$faults %||% no_faults
  take <- function(values, faults) {
    amount[is.na(amount)] <<- values[rows][is.na(amount)]
    text <- faults$text[match(rows, faults$row)]
    text[is.na(text)] <- ""
    ratio[is.na(ratio)] <<- ratio_of(text, split_text)[is.na(ratio)]
    own <- action_of_text(text, numbers$decimal)$dividend
    amount[is.na(amount)] <<- own[is.na(amount)]
  }
  prices <- names(numbers$values)[order(match(
    field_of(names(numbers$values)), c("close", "adjusted", "open", "high", "low")
  ))]
  for (name in setdiff(prices, names(numbers$values)[field_of(prices) %in% "volume"])) {
    take(numbers$values[[name]], faults[faults$column == name, ])
  }
  beside <- setdiff(names(grid$columns), names(numbers$values))
  for (name in beside[plain_name(beside) %in% amount_names]) {
    read <- grid_numbers(grid, name, how$decimal %||% numbers$decimal)
    take(read$values[[1L]], read$faults %||% no_faults)
  }
  split <- kinds$kind[rows] == "split"
  ratio[is.na(ratio)] <- amount[is.na(ratio)]
  none <- which(is.na(ifelse(split, ratio, amount)))
  if (length(none)) {
    row <- rows[none[1L]]
    fail(
      "action",
      sprintf(
        "Column %s of %s says of a row that it is a %s, but the row has no amount of it.",
        kinds$column, grid$origin, kinds$kind[row]
      ),
      where = sentence_case(grid$place(row)),
      line = line_of(grid$place(row))
    )
  }
  data.frame(
    security = named_by_row(security, rows, how),
    row = rows,
    split = ifelse(split, ratio, NA_real_),
    dividend = ifelse(split, NA_real_, amount)
  )
}

amount_names <- c("amount", "value", "dividend", "dividends", "split", "splits", "ratio")

# Where only some rows say what they are, one that says "split" may be the price of the day.
refuse_unclear_kinds <- function(grid, kinds, rows, security, days) {
  if (!any(!nzchar(kinds$kind))) return(invisible())
  key <- paste(if (is.null(security)) 1L else as.integer(factor(security)), days)
  alone <- rows[!key[rows] %in% key[!nzchar(kinds$kind)]]
  if (!length(alone)) return(invisible())
  row <- alone[1L]
  fail(
    "ambiguous",
    sprintf(
      "It is not clear whether a row of %s that says \"%s\" holds the price of the day or the %s.",
      grid$origin, as.character(grid$columns[[kinds$column]])[row], kinds$kind[row]
    ),
    where = sprintf("%s, in column %s.", sentence_case(grid$place(row)), kinds$column),
    remedy = sprintf(
      "Say \"price\" in the rows of prices, or name column %s `note`.", kinds$column
    ),
    line = line_of(grid$place(row))
  )
}

named_by_row <- function(security, rows, how) {
  if (is.null(security)) {
    rep(how$name %||% NA_character_, length(rows))
  } else {
    as.character(security)[rows]
  }
}

# Columns beside the prices that tell the split and the dividend of a date.
split_names <- c("split", "splits", "splitratio", "splitfactor", "stocksplit", "sharesplit")
dividend_names <- c("dividend", "dividends", "dividendamount", "cashdividend", "distribution")

tells_amounts <- function(v) {
  holds_numbers(v) || (is.factor(v) && any(!is.na(ratio_of(levels(v), split_text))))
}

actions_in_columns <- function(grid, numbers, security, how) {
  x <- grid$columns
  column <- function(known) {
    own <- setdiff(names(x), names(numbers$values))
    own <- own[plain_name(own) %in% known]
    # A column of words alone, such as how a fund distributes, tells no amount.
    own[vapply(x[own], tells_amounts, NA)][1L]
  }
  columns <- c(split = column(split_names), dividend = column(dividend_names))
  columns <- columns[!is.na(columns)]
  if (!length(columns)) return(NULL)
  ratios <- if ("split" %in% names(columns)) split_ratios(grid, columns[["split"]])
  table <- if (is.null(ratios)) grid else ratios$grid
  read <- grid_numbers(table, unname(columns), how$decimal %||% numbers$decimal)
  if (NROW(read$faults)) refuse_no_number(read$faults, grid)
  of <- function(what) {
    if (!what %in% names(columns)) return(rep(NA_real_, length(x[[1L]])))
    read$values[[columns[[what]]]]
  }
  split <- of("split")
  if (!is.null(ratios)) split <- ifelse(is.na(ratios$values), split, ratios$values)
  split[split %in% c(0, 1)] <- NA
  dividend <- of("dividend")
  dividend[dividend %in% 0] <- NA
  rows <- which(!is.na(split) | !is.na(dividend))
  list(
    actions = data.frame(
      security = named_by_row(security, rows, how),
      row = rows, split = split[rows], dividend = dividend[rows]
    ),
    columns = unname(columns)
  )
}

actions_table <- function(found, days, grid) {
  if (!NROW(found)) return(NULL)
  table <- data.frame(
    security = found$security,
    date = .Date(days[found$row]),
    split = found$split,
    dividend = found$dividend
  )
  at <- found$row
  refuse_bad_actions(table, list(origin = grid$origin, place = function(i) grid$place(at[i])))
  # A line that came twice tells one action.
  kept <- which(!duplicated(table))
  table <- `rownames<-`(table[kept, ], NULL)
  shown <- utils::head(kept, 3L)
  places <- c(
    sprintf(" (%s)", vapply(at[shown], grid$place, "")),
    rep("", length(kept) - length(shown))
  )
  list(table = table, taken = sprintf(
    "%s %s of %s%s", table$security, words_of_action(table), format(table$date), places
  ))
}

# A note that tells of a split or a dividend beside a price is told; the price stays one.
words_of_actions <- function(grid, numbers, security, kind_column) {
  x <- grid$columns
  beside <- setdiff(names(x), c(names(numbers$values), kind_column))
  beside <- beside[plain_name(beside) %in% c(other_names, kind_names, "action", "event")]
  unlist(lapply(beside, function(name) {
    v <- x[[name]]
    if (!is.factor(v) || !says_of_rows(v, security)) return(NULL)
    tells <- grepl("dividend|split", lower_case(levels(v)))
    if (!any(tells)) return(NULL)
    sprintf(
      "column %s not used, though it says \"%s\" (%s)",
      name, visible(levels(v)[tells][1L]),
      grid$place(which(as.integer(v) %in% which(tells))[1L])
    )
  }))
}

# What was taken out of the prices is named, always.
note_actions <- function(taken, origin) {
  if (!length(taken)) return(invisible())
  note(
    "actions",
    sprintf(
      "%s in %s, not taken as %s: %s.",
      count(length(taken), "split or dividend", "splits and dividends"),
      origin,
      if (length(taken) == 1L) "a price" else "prices",
      some(taken, 3L)
    )
  )
}

words_of_action <- function(actions) {
  trimws(paste(
    ifelse(is.na(actions$split), "", paste("split", shortest(actions$split))),
    ifelse(is.na(actions$dividend), "", paste("dividend", shortest(actions$dividend)))
  ))
}

shortest <- function(x) core_shortest(as.numeric(x))

# ---- closes and the splits that are known of them ---------------------------------------------

# Splits large enough to be told from a day's move, with how the close moves on their day; none of
# adjusted closes.
moves_at_splits <- function(prices, actions) {
  if (!NROW(actions) || identical(prices$measured, "adjusted")) return(NULL)
  actions <- actions[!is.na(actions$split) & abs(log(actions$split)) > log(1.2), ]
  actions$move <- vapply(seq_len(nrow(actions)), function(i) {
    if (!actions$security[i] %in% colnames(prices$close)) return(NA_real_)
    close <- prices$close[, actions$security[i]]
    seen <- which(!is.na(close))
    at <- which(prices$dates[seen] >= actions$date[i])[1L]
    if (is.na(at) || at == 1L) return(NA_real_)
    log(close[[seen[at]]] / close[[seen[at - 1L]]])
  }, 0)
  actions[!is.na(actions$move), ]
}

and_more <- function(words, n) {
  if (n > 1L) sprintf(", %s at %s", words, count(n - 1L, "more split")) else ""
}

# Closes that move by a split, nearer to the whole of it than to none, are not adjusted for it.
warn_unadjusted <- function(prices) {
  splits <- moves_at_splits(prices, prices$actions)
  if (is.null(splits)) return(invisible())
  found <- splits[abs(splits$move + log(splits$split)) < abs(log(splits$split)) / 2, ]
  if (!NROW(found)) return(invisible())
  caution(
    "unadjusted",
    sprintf(
      "%s moves by %.0f %% on %s, the day of its split of %s: closes as traded are measured%s.",
      found$security[1L], 100 * expm1(found$move[1L]), found$date[1L],
      shortest(found$split[1L]), and_more("also", nrow(found))
    ),
    remedy = "adjust_prices() takes its splits and dividends out of them first."
  )
}

# Those that do not move look adjusted already, and would be so twice.
warn_adjusted_already <- function(prices, actions) {
  splits <- moves_at_splits(prices, actions)
  if (is.null(splits)) return(invisible())
  found <- splits[abs(splits$move) < abs(log(splits$split)) / 2, ]
  if (!NROW(found)) return(invisible())
  caution(
    "adjusted",
    sprintf(
      "%s does not move by its split of %s on %s%s: its closes look adjusted already.",
      found$security[1L], shortest(found$split[1L]), found$date[1L], and_more("nor", nrow(found))
    ),
    remedy = "Adjusting them divides what was divided before: leave such splits out."
  )
}
