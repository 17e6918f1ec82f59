#' Adjust prices for splits and dividends
#'
#' Going back from the newest date, a split of \eqn{k} new shares for one old divides every
#' earlier price by \eqn{k} and multiplies
#' earlier volume; a dividend \eqn{D} with ex-date \eqn{d} multiplies every earlier price by
#' \eqn{1 - D / P_{d-1}}, with \eqn{P_{d-1}} the last raw close before it, on the same
#' share basis as \eqn{D}. The newest adjusted
#' close equals the newest close. `raw_prices()` goes the other way: what was traded.
#'
#' @param prices A price table of closes as they were traded (for `raw_prices()`, adjusted ones).
#' @param actions A data frame or a file of splits and dividends: `security`, `date` (the
#'   ex-date), `split` (new shares for one old), `dividend` (cash a share, on that date's share
#'   basis); or a column `type` that says split or dividend, and `amount`. If absent, those that
#'   were found among the prices. A split may be a ratio, `2:1` or `"2 for 1"`; a line that stands
#'   twice is one action, and said.
#' @param dates,decimal See [read_prices()], for actions that can be read two ways.
#' @param form `"total-return"`: for splits and dividends; `"price"`: for splits only.
#' @section Already adjusted: Closes that do not move by a split that is adjusted for are warned of
#'   (`imbroglio_warning_adjusted`), when they are adjusted and when they are stored.
#' @return A price table, with the close as it came in as field `close`, and volume
#'   adjusted. An action of a security that is not in the
#'   table is left out and said; one on a day without a price counts on the next day with one.
#' @section Errors: `imbroglio_error_action` for a split that is not above 0, a negative dividend,
#'   two splits of one day, or a dividend that is no less than the close before it; those of a
#'   file, see [read_prices()].
#' @eval concepts_in_docs("adjust_prices")
#' @family ways to put prices right
#' @examples
#' raw <- read_prices(demo_file("bay-daily.csv.xz"), price = "close")
#' adjusted <- adjust_prices(raw, demo_file("bay-actions.csv"))
#' measure_drawdown(adjusted[, "TARROW"])
#' @export
adjust_prices <- function(prices, actions = NULL, form = c("total-return", "price"), dates = NULL,
                          decimal = NULL) {
  rescaled(
    prices,
    read_actions(actions, list(dates = dates, decimal = decimal)),
    one_of(form, "form", c("total-return", "price")),
    back = FALSE
  )
}

#' @rdname adjust_prices
#' @export
raw_prices <- function(prices, actions = NULL, form = c("total-return", "price"), dates = NULL,
                       decimal = NULL) {
  rescaled(
    prices,
    read_actions(actions, list(dates = dates, decimal = decimal)),
    one_of(form, "form", c("total-return", "price")),
    back = TRUE
  )
}

rescaled <- function(prices, actions, form, back) {
  prices <- as_prices(prices)
  if (!is.null(prices$converted)) {
    fail(
      "argument",
      "These prices were converted, and dividends are paid in the currency they were in.",
      remedy = "Adjust first, then convert."
    )
  }
  actions <- actions %||% prices$actions
  if (!NROW(actions)) {
    fail(
      "argument",
      "There are no splits or dividends to adjust for.",
      remedy = "Hand them in as `actions`."
    )
  }
  # Securities that were left out on purpose are not unknown.
  say_unknown_actions(actions, union(colnames(prices), prices$universe))
  if (!back) warn_adjusted_already(prices, actions)
  if (form == "price") actions$dividend <- NA_real_
  made <- rescaled_columns(prices, actions, back)
  volume <- made$volume
  fields <- prices$fields[setdiff(names(prices$fields), if (back) "adjusted" else "close")]
  fields[[prices$measured]] <- prices$close
  if (!is.null(volume)) fields$volume <- volume
  made <- new_prices(
    prices$dates,
    made$close,
    prices$origin,
    fields,
    measured = if (back) "close" else "adjusted",
    actions = actions,
    layout = prices$layout
  )
  made$universe <- prices$universe
  made$about <- prices$about
  made$repaired <- prices$repaired
  made$repairs <- c(
    prices$repairs,
    adjustment_note(if (back) "adjustment undone" else "adjusted", actions)
  )
  made
}

say_unknown_actions <- function(actions, securities) {
  unknown <- setdiff(actions$security, securities)
  if (length(unknown)) {
    note(
      "dropped",
      sprintf(
        "%s %s no prices here; %s actions were left out.",
        some(unknown),
        if (length(unknown) == 1L) "has" else "have",
        if (length(unknown) == 1L) "its" else "their"
      )
    )
  }
}

rescaled_columns <- function(prices, actions, back) {
  close <- prices$close
  volume <- prices$fields$volume
  for (s in intersect(colnames(close), actions$security)) {
    seen <- which(!is.na(close[, s]))
    own <- actions[actions$security == s & !(is.na(actions$split) & is.na(actions$dividend)), ]
    if (!nrow(own)) next
    day <- as.numeric(prices$dates)[seen]
    shares <- action_factors(transform(own, dividend = NA_real_), day, close[seen, s])
    if (back) {
      multiplier <- steps_back(own, day, close[seen, s], s)
      refuse_large_dividend(multiplier, day, s)
      close[seen, s] <- close[seen, s] / before_each(multiplier)
    } else {
      close[seen, s] <- adjusted_close(own, day, close[seen, s], s)
    }
    if (!is.null(volume)) {
      volume[seen, s] <- if (back) {
        volume[seen, s] * before_each(shares)
      } else {
        volume[seen, s] / before_each(shares)
      }
    }
  }
  list(close = close, volume = volume)
}

# A table of splits and dividends, from a data frame or a file.
read_actions <- function(actions, how = list()) {
  if (is.null(actions)) return(NULL)
  grid <- one_grid(actions, "the actions")
  origin <- grid$origin
  columns <- action_columns(grid)
  read <- action_amounts(grid, columns$amounts, how, is.null(columns$kinds))
  amounts <- if (is.null(columns$kinds)) {
    list(split = read$values$split, dividend = read$values$dividend %||% read$values$amount)
  } else {
    amounts_by_kind(grid, read$values, columns$kinds)
  }
  none <- rep(NA_real_, length(grid$columns[[1L]]))
  dated <- if_unclear(
    function(day_order) {
      column_days(grid$columns[[columns$date]], day_order, columns$date, origin)
    },
    how$dates
  )
  named <- one_name_each(names_as_text(grid, columns$security))
  table <- data.frame(
    security = as.character(named$names),
    date = .Date(dated$days),
    split = amounts$split %||% none,
    dividend = amounts$dividend %||% none
  )
  note_remarks(c(grid$remarks, read$remarks, dated$remarks, named$remarks), origin)
  refuse_bad_actions(table, grid)
  each_once(table, grid)
}

action_columns <- function(grid) {
  headings <- plain_name(names(grid$columns))
  column <- function(known) names(grid$columns)[match(known, headings, nomatch = 0L)][1L]
  security <- column(security_names)
  date <- column(c("exdate", date_names))
  kinds <- kinds_of_rows(grid, columns = c(kind_names, "action", "event", "actiontype"))
  amounts <- c(
    split = column(c(split_names, "ratio")),
    dividend = column(dividend_names),
    amount = column(c("amount", if (!is.null(kinds)) "value"))
  )
  amounts <- amounts[!is.na(amounts)]
  if (anyNA(c(security, date)) || !length(amounts)) {
    fail(
      "layout",
      sprintf("The columns of %s must be security, date, and split or dividend.", grid$origin),
      where = sprintf("They are %s.", some(names(grid$columns), 8L)),
      remedy = "Or a column `type` that says split or dividend, and a column `amount`."
    )
  }
  list(security = security, date = date, amounts = amounts, kinds = kinds)
}

# A ratio of shares is written 2:1, 2/1, "2 for 1" or 2.
action_amounts <- function(grid, amounts, how, plain) {
  ratios <- list()
  for (what in setdiff(names(amounts), c("dividend", if (plain) "amount"))) {
    found <- split_ratios(grid, amounts[[what]])
    grid <- found$grid
    ratios[[what]] <- found$values
  }
  read <- if_unclear(function(mark) grid_numbers(grid, unname(amounts), mark), how$decimal)
  if (NROW(read$faults)) refuse_no_number(read$faults, grid)
  values <- stats::setNames(read$values[unname(amounts)], names(amounts))
  for (what in names(ratios)) {
    values[[what]] <- ifelse(is.na(ratios[[what]]), values[[what]], ratios[[what]])
  }
  list(values = values, remarks = read$remarks)
}

# Of rows that say what they are the amount stands in a column of that kind, or of either.
amounts_by_kind <- function(grid, values, kinds) {
  kind <- kinds$kind
  none <- rep(NA_real_, length(kind))
  of <- function(what) {
    own <- values[[what]] %||% none
    either <- values$amount %||% none
    ifelse(kind == what, ifelse(is.na(own), either, own), NA_real_)
  }
  amounts <- list(split = of("split"), dividend = of("dividend"))
  there <- !is.na(amounts$split) | !is.na(amounts$dividend)
  bad <- which(!kind %in% c("split", "dividend") | !there)
  if (length(bad)) {
    row <- bad[1L]
    fail(
      "action",
      if (nzchar(kind[row])) {
        sprintf(
          "Column %s of %s says of a row that it is a %s, but the row has no amount of one.",
          kinds$column, grid$origin, kind[row]
        )
      } else {
        sprintf(
          "Column %s of %s does not say of a row whether it is a split or a dividend.",
          kinds$column, grid$origin
        )
      },
      where = sprintf("%s.", sentence_case(grid$place(row))),
      line = line_of(grid$place(row))
    )
  }
  amounts
}

refuse_no_number <- function(faults, grid) {
  fail(
    "action",
    sprintf(
      "%s in column %s of %s %s no number.",
      count(nrow(faults), "value"),
      faults$column[1L],
      grid$origin,
      if (nrow(faults) == 1L) "is" else "are"
    ),
    where = sprintf(
      "%s: \"%s\".",
      sentence_case(grid$place(faults$row)),
      faults$text[1L]
    )
  )
}

refuse_bad_actions <- function(table, grid) {
  bad <- which(
    is.na(table$security) |
      is.na(table$date) | (!is.na(table$split) & !(table$split > 0 & is.finite(table$split))) |
      (!is.na(table$dividend) & !(table$dividend >= 0 & is.finite(table$dividend)))
  )
  if (length(bad)) {
    fail(
      "action",
      sprintf(
        "A split must be above 0, a dividend 0 or more, of a security and on a date, in %s.",
        grid$origin
      ),
      where = sprintf("%s.", sentence_case(grid$place(bad)))
    )
  }
}

split_ratios <- function(grid, column) {
  v <- grid$columns[[column]]
  values <- rep(NA_real_, length(v))
  if (!is.factor(v)) return(list(grid = grid, values = values))
  ratio <- ratio_of(levels(v), paste0("^", ratio_text, "$"))
  grid$columns[[column]] <- droplevels(v, exclude = c(NA, levels(v)[!is.na(ratio)]))
  list(grid = grid, values = ratio[as.integer(v)])
}

# A line that stands twice is one action; two splits of one day are a question.
each_once <- function(table, grid) {
  again <- duplicated(table)
  if (any(again)) {
    caution(
      "duplicate",
      sprintf(
        "%s of %s repeated an earlier one and %s dropped (%s).",
        count(sum(again), "row"),
        grid$origin,
        if (sum(again) == 1L) "was" else "were",
        grid$place(which(again))
      )
    )
  }
  ratio <- !again & !is.na(table$split)
  twice <- which(ratio)[duplicated(table[ratio, c("security", "date")])]
  if (length(twice)) {
    fail(
      "action",
      sprintf(
        "%s has two splits that differ on %s in %s.",
        table$security[twice[1L]],
        table$date[twice[1L]],
        grid$origin
      ),
      where = sprintf("%s.", sentence_case(grid$place(twice)))
    )
  }
  structure(`rownames<-`(table[!again, ], NULL), origin = grid$origin)
}

adjustment_note <- function(what, actions) {
  origin <- attr(actions, "origin")
  of_file <- if (!is.null(origin) && startsWith(origin, "file ")) paste(" of", origin)
  sprintf(
    "%s for %s and %s%s",
    what,
    count(sum(!is.na(actions$split)), "split"),
    count(sum(!is.na(actions$dividend)), "dividend"),
    of_file %||% ""
  )
}

# Closes of one security, none missing, adjusted for its own actions.
adjusted_close <- function(actions, day, close, security) {
  multiplier <- action_factors(actions, day, close)
  refuse_large_dividend(multiplier, day, security)
  close * before_each(multiplier)
}

refuse_large_dividend <- function(multiplier, day, security) {
  if (any(multiplier <= 0)) {
    fail(
      "action",
      sprintf("A dividend of %s is no less than the price before it.", security),
      where = sprintf("On %s.", .Date(day[multiplier <= 0][1L]))
    )
  }
}

# Everything before an action is multiplied by its factor.
before_each <- function(multiplier) rev(cumprod(rev(c(multiplier[-1L], 1))))

# The factors of adjusted prices: the raw close before a dividend is not known before all later
# steps are undone, so they are found from the newest date back.
steps_back <- function(actions, day, adjusted, security) {
  multiplier <- rep(1, length(day))
  later <- 1
  at <- vapply(as.numeric(actions$date), function(step_at) which(day >= step_at)[1L], 0L)
  for (step_at in sort(unique(at[!is.na(at) & at > 1L]), decreasing = TRUE)) {
    here <- which(at == step_at)
    ratio <- prod(actions$split[here], na.rm = TRUE)
    paid <- sum(actions$dividend[here], na.rm = TRUE)
    # The close before, on the new share basis: adjusted = (before - paid) * later.
    before <- adjusted[step_at - 1L] / later + paid
    multiplier[step_at] <- (1 - paid / before) / ratio
    later <- later * multiplier[step_at]
  }
  multiplier
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
