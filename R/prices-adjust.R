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
#'   ex-date), `split` (new shares for one old),
#'   `dividend` (cash a share, on that date's share basis). If absent, those that were found
#'   among the prices.
#' @param form `"total-return"`: for splits and dividends; `"price"`: for splits only.
#' @return A price table, with the close as it came in as field `close`, and volume
#'   adjusted. An action of a security that is not in the
#'   table is left out and said; one on a day without a price counts on the next day with one.
#' @section Errors:
#'   `imbroglio_error_action` for a split that is not above 0, a negative dividend, or a
#'   dividend that is no less than the close before it.
#' @examples
#' raw <- read_prices(demo_file("bay-daily.csv.gz"), price = "close")
#' adjusted <- adjust_prices(raw, demo_file("bay-actions.csv"))
#' measure_drawdown(adjusted[, "TARROW"])
#' @export
adjust_prices <- function(prices, actions = NULL, form = c("total-return", "price")) {
  rescaled(prices, actions, check_choice(form[1L], "form", c("total-return", "price")), back = FALSE)
}

#' @rdname adjust_prices
#' @export
raw_prices <- function(prices, actions = NULL, form = c("total-return", "price")) {
  rescaled(prices, actions, check_choice(form[1L], "form", c("total-return", "price")), back = TRUE)
}

rescaled <- function(prices, actions, form, back) {
  prices <- as_prices(prices)
  actions <- if (is.null(actions)) prices$actions else read_actions(actions)
  if (!NROW(actions)) fail("argument", "There are no splits or dividends to adjust for.",
                           remedy = "Hand them in as `actions`.")
  unknown <- setdiff(actions$security, colnames(prices))
  if (length(unknown)) {
    note("dropped",
         sprintf("%s %s no prices here; %s actions were left out.", some(unknown),
                 if (length(unknown) == 1L) "has" else "have",
                            if (length(unknown) == 1L) "its" else "their"))
  }
  if (form == "price") actions$dividend <- NA_real_
  close <- prices$close
  volume <- prices$fields$volume
  for (s in intersect(colnames(close), actions$security)) {
    seen <- which(!is.na(close[, s]))
    own <- actions[actions$security == s & !(is.na(actions$split) & is.na(actions$dividend)), ]
    if (!nrow(own)) next
    day <- as.numeric(prices$dates)[seen]
    shares <- action_factors(transform(own, dividend = NA_real_), day, close[seen, s])
    if (back) {
      factor <- steps_back(own, day, close[seen, s], s)
      refuse_large_dividend(factor, day, s)
      close[seen, s] <- close[seen, s] / before_each(factor)
    } else {
      close[seen, s] <- adjusted_close(own, day, close[seen, s], s)
    }
    if (!is.null(volume)) volume[seen, s] <- if (back) volume[seen, s] * before_each(shares) else volume[seen, s] / before_each(shares)
  }
  fields <- prices$fields[setdiff(names(prices$fields), if (back) "adjusted" else "close")]
  fields[[prices$measured]] <- prices$close
  if (!is.null(volume)) fields$volume <- volume
  made <- new_prices(prices$dates, close, prices$origin, fields, measured = if (back) "close" else "adjusted",
                     actions = actions, layout = prices$layout)
  made$universe <- prices$universe
  made$about <- prices$about
  made$repairs <- c(prices$repairs,
                    adjustment_note(if (back) "adjustment undone" else "adjusted", actions))
  made
}

adjustment_note <- function(what, actions) {
  sprintf("%s for %s splits and %s dividends", what, sum(!is.na(actions$split)), sum(!is.na(actions$dividend)))
}

# Closes of one security, none missing, adjusted for its own actions.
adjusted_close <- function(actions, day, close, security) {
  factor <- action_factors(actions, day, close)
  refuse_large_dividend(factor, day, security)
  close * before_each(factor)
}

refuse_large_dividend <- function(factor, day, security) {
  if (any(factor <= 0)) {
    fail("action", sprintf("A dividend of %s is no less than the price before it.", security),
         where = sprintf("On %s.", .Date(day[factor <= 0][1L])))
  }
}

# Everything before an action is multiplied by its factor.
before_each <- function(factor) rev(cumprod(rev(c(factor[-1L], 1))))

# The factors of adjusted prices: the raw close before a dividend is not known before all later
# steps are undone, so they are found from the newest date back.
steps_back <- function(actions, day, adjusted, security) {
  factor <- rep(1, length(day))
  later <- 1
  at <- vapply(as.numeric(actions$date), function(t) which(day >= t)[1L], 0L)
  for (t in sort(unique(at[!is.na(at) & at > 1L]), decreasing = TRUE)) {
    here <- which(at == t)
    split <- prod(actions$split[here], na.rm = TRUE)
    paid <- sum(actions$dividend[here], na.rm = TRUE)
    # The close before, on the new share basis: adjusted = (before - paid) * later.
    before <- adjusted[t - 1L] / later + paid
    factor[t] <- (1 - paid / before) / split
    later <- later * factor[t]
  }
  factor
}
