#' Make a book
#'
#' A book is what is held: shares, values or weights of securities, and cash. Every measure takes
#' it in place of a table of returns, and gives numbers of the book.
#'
#' A book has two readings, and every number of it says which one it is.
#' * **As held today**: what is held now, on every past day: \eqn{R_t = \sum_i w_i r_{i,t}}{R_t =
#'   sum(w_i r_i,t)} with today's weights, over the intervals for which all holdings have a
#'   return. It says what may happen from here, and is what [measure_var()], [backtest_var()],
#'   [fit_returns()], [fit_garch()], [tail_thresholds()], [split_var()] and [bootstrap_book()] are
#'   of.
#' * **As held then**: what the book has earned: bought at the start, drifting, and brought back
#'   to its weights at the close of the last date of every period of `rebalance`. It is what
#'   [measure_return()], [measure_volatility()], [measure_beta()], [measure_tracking()],
#'   [measure_drawdown()], [correlate_returns()] and [measure_summary()] are of.
#'
#' `held` turns either round. As held then, the book lives from the first date on which all its
#' securities have had a price to the last price of the one that ends first; on a date on which
#' one has no price it counts at its last one, unless it has prices much less often than the
#' others: then the book is valued only when it has one.
#'
#' @param x A price table, or a returns table.
#' @param weights Shares of the value, today and at each rebalancing: a named vector (`c(A = 0.6,
#'   B = 0.4)`; below 0 for a short position), a data frame with the columns `security` and
#'   `weight`, or a file of one, read as [read_prices()] reads. A security that is called `cash`
#'   and is no security of `x` is cash.
#' @param shares Instead of `weights`: numbers of shares, likewise (column `shares`); `cash` is
#'   then an amount of money.
#' @param values Instead: what each holding is worth, likewise (column `value`).
#' @param holdings Instead: a table or a file that has one of these columns, by the names that
#'   people use (quantity, units, market value, ...); shares are taken before values, values
#'   before weights. A column of dates says of which day they are: values and weights are moved
#'   with the prices from there.
#' @param value What a book of weights is worth, for losses in money; of shares and values it is
#'   known.
#' @param rebalance `"never"` (bought and held), `"day"` (every date), `"week"`, `"month"`,
#'   `"quarter"` or `"year"`.
#' @param cash The weight of cash (or the amount, beside `shares` and `values`); `"rest"`: what
#'   the weights leave of 1, which is borrowed where they are more.
#' @param cash_return What cash earns a year in the book as held then, as a fraction.
#' @param normalise Whether weights that do not add up to 1 are divided by their sum. Otherwise
#'   they are refused.
#' @param held `NULL`: each measure its own reading; `"today"` or `"then"`: this one.
#' @param parts Whether results show the holdings beside the book: each security for itself, held
#'   long. Money is not said of a short position, which loses when its security rises;
#'   [split_var()] says what it adds to the book.
#' @param stand_ins Series that stand in for holdings before their first price, by name: `c(NEWCO
#'   = "INDEX")`. The price of the holding is carried back by the returns of the other.
#' @param name What the book is called.
#' @param decimal The decimal mark of a file of holdings, `"."` or `","`, where it can be read
#'   both ways.
#' @return A book. `as.data.frame()` gives its holdings today: `security`, `weight`, and `value`
#'   where it is known; [as_returns()] its returns, as held then where `held` does not say
#'   otherwise.
#' @section Errors: `imbroglio_error_weights` for weights that do not add up to 1 (to 1e-6), a
#'   security twice, a weight that is no number, holdings of several dates;
#'   `imbroglio_error_security` for one that is not in `x`; `imbroglio_error_too_short` where the
#'   securities have fewer than two dates together; `imbroglio_error_ruin` where the value falls
#'   to zero. A warning (`imbroglio_warning_short_history`) where one holding costs the book more
#'   than a quarter of its history, or holdings of several frequencies have few dates together.
#' @examples
#' prices <- read_prices(demo_file("bay.csv"))
#' weights <- c(OSSELL = 0.5, TARROW = 0.3, BAYBOND = 0.2)
#' book <- as_portfolio(prices, weights = weights, rebalance = "month")
#' measure_drawdown(book)
#' measure_var(book)
#' fund <- as_portfolio(prices, shares = c(OSSELL = 100, TARROW = 50), name = "FUND")
#' measure_tracking(fund, benchmark = "BAYALL", total = FALSE)
#' split_var(fund)
#' @export
as_portfolio <- function(x, weights = NULL, shares = NULL, values = NULL, holdings = NULL,
                         value = NULL,
                         rebalance = c("never", "day", "week", "fortnight", "month", "quarter",
                                       "half-year", "year"),
                         cash = NULL, cash_return = 0, normalise = FALSE, held = NULL,
                         parts = FALSE, stand_ins = NULL, name = "BOOK", decimal = NULL) {
  returns <- take_returns(x)
  given <- is.null(returns$prices)
  rebalance <- one_of(rebalance, "rebalance", c("never", names(frequencies)))
  if (!is.null(held)) check_choice(held, "held", c("today", "then"))
  if (sum(!vapply(list(weights, shares, values, holdings), is.null, NA)) != 1L) {
    fail("argument", "Give `weights`, `shares`, `values` or `holdings`, one of them.")
  }
  if (!is.character(name) ||
      length(name) != 1L || is.na(name) || name %in% colnames(returns$values)) {
    fail(
      "argument",
      "`name` must be a name that no security has.",
      where = sprintf("It is %s.", shown(name))
    )
  }
  if (!is.numeric(cash_return) ||
      length(cash_return) != 1L || !is.finite(cash_return) || cash_return <= -1) {
    fail(
      "argument",
      "`cash_return` must be one yearly return, such as 0.02.",
      where = sprintf("It is %s.", shown(cash_return))
    )
  }
  what <- if (!is.null(weights)) {
    "weight"
  } else if (!is.null(shares)) {
    "shares"
  } else if (!is.null(values)) {
    "value"
  }
  own <- holdings_of(
    weights %||% shares %||% values %||% holdings,
    what,
    colnames(returns$values),
    cash,
    decimal
  )
  if (given && own$what == "shares") {
    fail("argument", "Numbers of shares need prices; these are given returns.")
  }
  if (own$what != "weight" && !is.null(value)) {
    fail(
      "argument",
      sprintf(
        "The value of %s is known: leave `value` out.",
        if (own$what == "shares") "shares" else "values"
      )
    )
  }
  returns <- with_stand_ins(returns, stand_ins, own$security)
  prices <- if (given) as_if_prices(returns) else returns$prices
  today <- held_today(own, prices, normalise, name)
  if (is.null(today$value)) today$value <- check_value(value, name)
  book <- structure(
    list(
      name = name,
      security = own$security,
      weights = today$weights,
      cash = today$cash,
      value = today$value,
      own = own,
      shares = today$shares,
      money = today$money,
      returns = returns,
      given = given,
      rebalance = rebalance,
      cash_return = cash_return,
      normalise = normalise,
      held = held,
      parts = isTRUE(parts),
      stand_ins = stand_ins
    ),
    class = "imbroglio_book"
  )
  book$holdings <- c(
    stats::setNames(book$weights, book$security),
    if (book$cash != 0) c(cash = book$cash)
  )
  book$history <- history_of(book)
  book
}

# What is held, from a vector, a table or a file: names, amounts, what they are, and cash.
holdings_of <- function(x, what, securities, cash, decimal = NULL) {
  date <- NULL
  if (is.data.frame(x) || (is.character(x) && length(x) == 1L && is.null(names(x)))) {
    read <- read_holdings(x, what, decimal)
    x <- read$amounts
    what <- read$what
    date <- read$date
  }
  if (is.null(what)) {
    fail(
      "argument",
      paste0(
        "`holdings` is a table or a file; amounts by name are `weights`, `shares` or ",
        "`values`."
      )
    )
  }
  if (!is.numeric(x) || is.null(names(x)) || !length(x) || any(!is.finite(x))) {
    fail(
      "weights",
      "Holdings are a number for each security, by its name.",
      remedy = "Such as c(A = 0.6, B = 0.4), or a table with the columns security and weight."
    )
  }
  twice <- names(x)[duplicated(names(x))]
  if (length(twice)) fail("weights", sprintf("%s stands twice in the holdings.", some(twice)))
  is_cash <- lower_case(names(x)) == "cash" & !names(x) %in% securities
  if (any(is_cash)) {
    if (!is.null(cash)) fail("weights", "Cash stands in the holdings and in `cash`.")
    cash <- unname(x[is_cash])
    x <- x[!is_cash]
  }
  if (identical(cash, "rest")) cash <- if (what == "weight") 1 - sum(x) else 0
  cash <- cash %||% 0
  if (!is.numeric(cash) || length(cash) != 1L || !is.finite(cash)) {
    fail(
      "weights",
      "`cash` must be one number, or \"rest\".",
      where = sprintf("It is %s.", shown(cash))
    )
  }
  if (!length(x)) fail("weights", "There is no security among the holdings, only cash.")
  columns <- pick_securities(names(x), securities)
  list(
    security = securities[columns],
    amount = as.numeric(x),
    cash = cash,
    what = what,
    date = date
  )
}

# The weights of today, and what the whole is worth where that is known; of shares and values also
# how many shares.
held_today <- function(own, prices, normalise, name) {
  close <- prices$close[, own$security, drop = FALSE]
  last <- close[cbind(core_span(close)$last, seq_along(own$security))]
  # Values and weights of an earlier day are moved with the prices to the last.
  grown <- rep(1, length(last))
  if (!is.null(own$date) && own$what != "shares") {
    grown <- last / close_on(close, prices$dates, own$date, own$security)
  }
  if (own$what == "weight") {
    held <- whole_weights(own, normalise)
    worth <- held$amount * grown
    whole <- sum(worth) + held$cash
    if (!(whole > 0)) fail("ruin", sprintf("The value of %s falls to zero or below.", name))
    return(list(weights = worth / whole, cash = held$cash / whole))
  }
  worth <- own$amount * if (own$what == "shares") last else grown
  whole <- sum(worth) + own$cash
  if (!is.finite(whole)) {
    fail(
      "weights",
      "The holdings are worth more than a number can hold.",
      where = sprintf("%s are held.", some(own$amount))
    )
  }
  if (!(whole > 0)) fail("ruin", sprintf("The holdings are worth %s.", format(whole)))
  list(
    weights = worth / whole,
    cash = own$cash / whole,
    value = whole,
    shares = worth / last,
    money = own$cash
  )
}

close_on <- function(close, dates, date, securities) {
  row <- findInterval(as.numeric(date), as.numeric(dates))
  if (!row || date > dates[length(dates)] + 7) {
    fail(
      "weights",
      sprintf(
        "The holdings are of %s, the prices run from %s to %s.",
        date,
        dates[1L],
        dates[length(dates)]
      )
    )
  }
  carried <- core_carry(close[seq_len(row), , drop = FALSE], row)[row, ]
  if (anyNA(carried)) {
    fail(
      "weights",
      sprintf(
        "%s has no price yet on %s, of which the holdings are.",
        some(securities[is.na(carried)]),
        date
      )
    )
  }
  carried
}

whole_weights <- function(held, normalise) {
  total <- sum(held$amount) + held$cash
  if (!is.finite(total)) fail("weights", "The weights add up to more than a number can hold.")
  if (abs(total - 1) <= 1e-6) return(held)
  if (!normalise || total <= 0) {
    fail(
      "weights",
      sprintf("The weights add up to %s, not to 1.", format(round(total, 6))),
      remedy = paste(
        paste0(
          "normalise = TRUE divides them by their sum; cash = \"rest\" makes up the ",
          "difference."
        ),
        if (abs(total - 100) < 0.5) "If they are percentages, write them with a %."
      )
    )
  }
  held$amount <- held$amount / total
  held$cash <- held$cash / total
  held
}

# ---- what a short history costs, and what stands in for it
# ----------------------------------------

with_stand_ins <- function(returns, stand_ins, securities) {
  if (is.null(stand_ins)) return(returns)
  if (!is.character(stand_ins) || is.null(names(stand_ins))) {
    fail(
      "argument",
      paste0(
        "`stand_ins` are names of series by the holdings they stand in for, such as ",
        "c(NEWCO = \"INDEX\")."
      ),
      where = sprintf("They are %s.", shown(stand_ins))
    )
  }
  columns <- colnames(returns$values)
  pick_securities(stand_ins, columns)
  other <- setdiff(names(stand_ins), securities)
  if (length(other)) fail("argument", sprintf("%s is no holding of the book.", some(other)))
  if (is.null(returns$prices)) {
    values <- returns$values
    for (holding in names(stand_ins)) {
      before <- seq_len(core_span(values[, holding, drop = FALSE])$first - 1L)
      values[before, holding] <- values[before, stand_ins[[holding]]]
    }
    return(altered(returns, values = values))
  }
  prices <- returns$prices
  close <- prices$close
  for (holding in names(stand_ins)) {
    first <- core_span(close[, holding, drop = FALSE])$first
    series <- close[, stand_ins[[holding]]]
    if (is.na(series[first])) {
      fail(
        "argument",
        sprintf(
          "%s has no price on %s, the first date of %s, to stand in from.",
          stand_ins[[holding]],
          prices$dates[first],
          holding
        )
      )
    }
    before <- seq_len(first - 1L)
    close[before, holding] <- close[first, holding] * series[before] / series[first]
  }
  as_returns(
    altered(prices, close = close),
    kind = returns$kind,
    every = returns$stated,
    keep_unfinished = isTRUE(returns$keep_unfinished)
  )
}

# How many returns the holdings have together, and whether one of them costs the book much of its
# history.
history_of <- function(book) {
  returns <- book$returns
  columns <- match(book$security, colnames(returns$values))
  shared <- function(some) {
    length(
      core_common(
        returns$values[, some, drop = FALSE],
        starts_of(returns)[some],
        spans_gaps(returns),
        returns$kind == "log"
      )$row
    )
  }
  n <- shared(columns)
  said <- if (length(book$stand_ins)) {
    sprintf("%s stands in for %s before its first price", book$stand_ins, names(book$stand_ins))
  }
  # A holding that is priced less often than the others costs no history; of the others those with
  # the fewest returns may.
  rare <- rarer_than_most(rhythm_part(returns$rhythm, columns))
  own <- core_observed(returns$values[, columns, drop = FALSE])
  most <- max(if (any(rare)) own[rare] else own)
  doubtful <- utils::head(setdiff(order(own), which(rare)), 5L)
  if (length(columns) > 1L && length(doubtful) && n < 0.98 * most) {
    without <- vapply(doubtful, function(j) shared(columns[-j]), 0L)
    gained <- max(without)
    j <- doubtful[which.max(without)]
    if (gained > n * 1.02) {
      span <- core_span(returns$values[, columns[j], drop = FALSE])
      cost <- sprintf(
        "%s of %s returns: %s has them from %s to %s only",
        count(n),
        count(gained),
        book$security[j],
        returns$dates[span$first],
        returns$dates[span$last]
      )
      said <- c(said, cost)
      if (n < 0.75 * gained) {
        caution(
          "short_history",
          sprintf(
            paste0(
              "%s costs %s much of its history: the holdings have %s returns together, %s ",
              "without it."
            ),
            book$security[j],
            book$name,
            count(n),
            count(gained)
          ),
          remedy = sprintf(
            paste0(
              "Name a series that stands in for it before its first price: stand_ins = c(%s = ",
              "\"...\")."
            ),
            book$security[j]
          )
        )
      }
    }
  }
  said
}

# ---- the book as it was held then
# ------------------------------------------------------------------

life_of <- function(prices, securities) {
  span <- core_span(prices$close[, securities, drop = FALSE])
  from <- max(span$first)
  to <- min(span$last)
  if (to - from < 1L) {
    fail(
      "too_short",
      "The securities of the book have fewer than two dates together.",
      where = sprintf("%s starts on %s.", securities[which.max(span$first)], prices$dates[from])
    )
  }
  if (from > min(span$first) || to < max(span$last)) {
    note(
      "book_life",
      sprintf(
        "The book lives from %s to %s, between the first price of %s and the last of %s.",
        prices$dates[from],
        prices$dates[to],
        securities[which.max(span$first)],
        securities[which.min(span$last)]
      )
    )
  }
  from:to
}

# Where a holding has prices less often than the others, the book is valued only when it has one:
# in between it would stand still while the others move.
life_together <- function(prices, securities, life) {
  close <- prices$close[life, securities, drop = FALSE]
  rhythm <- rhythms_of(prices$dates[life], close)
  rare <- rarer_than_most(rhythm)
  if (!any(rare)) return(life)
  kept <- life[rowSums(is.na(close[, rare, drop = FALSE])) == 0L]
  if (length(kept) < 2L) {
    fail(
      "too_short",
      sprintf("%s have fewer than two dates together.", some(securities[rare])),
      where = sprintf("They are %s.", some(adverb_of(unique(rhythm$every[rare]))))
    )
  }
  note(
    "frequency",
    sprintf(
      "The book is valued on %s of its %s, those on which %s a price: it is %s.",
      count(length(kept)),
      count(length(life), "date"),
      paste(some(securities[rare]), if (sum(rare) == 1L) "has" else "have"),
      adverb_of(calendar_every(prices$dates[kept]))
    ),
    remedy = "Take returns by a longer period, or carry prices forward, for another calendar."
  )
  kept
}

rebalanced <- function(dates, rebalance) {
  if (rebalance == "never") return(logical(length(dates)))
  period <- frequencies[[rebalance]]$period(dates)
  c(period[-1L] != period[-length(period)], FALSE)
}

# Given returns as prices from 1; where a return is missing, so is the price.
as_if_prices <- function(returns) {
  values <- core_wealth(returns$values, returns$kind)
  colnames(values) <- colnames(returns$values)
  before <- returns$dates[1L] - stats::median(diff(as.numeric(returns$dates)))
  list(dates = c(before, returns$dates), close = values)
}

# The value of the book on each date of its life.
value_then <- function(book) {
  prices <- if (book$given) as_if_prices(book$returns) else book$returns$prices
  life <- life_of(prices, book$security)
  life <- life_together(prices, book$security, life)
  values <- prices$close[life, book$security, drop = FALSE]
  for (j in seq_len(ncol(values))) {
    values[, j] <- core_carry(values[, j, drop = FALSE], nrow(values))
  }
  dates <- prices$dates[life]
  if (is.null(book$shares)) {
    held <- whole_weights(book$own, book$normalise)
    held$start <- 100
  } else {
    start <- sum(book$shares * values[1L, ]) + book$money
    if (!(start > 0)) {
      fail(
        "ruin",
        sprintf("The holdings of %s are worth %s at the start.", book$name, format(start))
      )
    }
    held <- list(
      amount = book$shares * values[1L, ] / start,
      cash = book$money / start,
      start = start
    )
  }
  per_year <- rhythms_of(dates, values[, 1L, drop = FALSE])$per_year[[1L]]
  worth <- core_book_value(
    values,
    held$amount,
    held$cash,
    (1 + book$cash_return)^(1 / per_year),
    rebalanced(dates, book$rebalance),
    held$start
  )
  if (!is.na(worth$ruin)) {
    fail(
      "ruin",
      sprintf("The value of %s falls to zero or below.", book$name),
      where = sprintf("On %s.", dates[worth$ruin])
    )
  }
  list(dates = dates, value = worth$value)
}

# ---- the book as it is held today
# ------------------------------------------------------------------

# The simple returns of the holdings over the intervals for which all have one.
book_today <- function(book) {
  if (!inherits(book, "imbroglio_book")) {
    fail(
      "argument",
      "This is asked of a book.",
      where = sprintf("This is %s.", shown(book)),
      remedy = paste0(
        "Make one with as_portfolio(prices, weights = c(A = 0.6, B = 0.4)), or shares =, ",
        "values = or holdings =."
      )
    )
  }
  returns <- book$returns
  columns <- match(book$security, colnames(returns$values))
  common <- core_common(
    returns$values[, columns, drop = FALSE],
    starts_of(returns)[columns],
    spans_gaps(returns),
    returns$kind == "log"
  )
  if (!length(common$row)) {
    fail(
      "too_short",
      "The holdings have no return together.",
      where = sprintf("They are %s.", some(book$security))
    )
  }
  r <- if (returns$kind == "log") expm1(common$values) else common$values
  colnames(r) <- book$security
  dates <- returns$dates[common$row]
  rhythm <- rhythm_part(returns$rhythm, columns)
  if (every_of_all(rhythm) == "mixed") {
    own <- core_observed(returns$values[, columns, drop = FALSE])
    rarest <- which.min(own)
    if (length(dates) < 0.75 * own[rarest]) {
      caution(
        "short_history",
        sprintf(
          "The holdings of %s have prices together on few dates: %s has %s, the book %s.",
          book$name,
          book$security[rarest],
          count(own[rarest], "return"),
          count(length(dates))
        ),
        remedy = sprintf(
          "Take returns by a longer period that all have: every = \"%s\".",
          rhythm$every[rarest]
        )
      )
    }
    rhythm <- rhythms_of(dates, matrix(1, length(dates), 1L))
    note(
      "frequency",
      sprintf(
        paste0(
          "The holdings have %s returns together: a period of the book, and of its ",
          "horizon, is a %s."
        ),
        adverb_of(rhythm$every),
        rhythm$every
      )
    )
  } else {
    rhythm <- rhythm_part(rhythm, 1L)
  }
  list(
    name = book$name,
    security = book$security,
    weights = book$weights,
    cash = book$cash,
    value = book$value,
    r = r,
    dates = dates,
    start = max(returns$start[columns]),
    rhythm = lapply(rhythm, stats::setNames, book$name),
    book = book
  )
}

holdings_text <- function(book) {
  shares <- c(
    stats::setNames(book$weights, book$security),
    if (abs(book$cash) > 1e-12) c(cash = book$cash)
  )
  some(
    sprintf(
      "%s %s %%",
      names(shares),
      format(round(100 * shares, 2), trim = TRUE, drop0trailing = TRUE)
    ),
    12L
  )
}

# The weights that were given, which holdings of an earlier day no longer have today.
weights_then_text <- function(book) {
  held <- whole_weights(book$own, book$normalise)
  holdings_text(list(security = held$security, weights = held$amount, cash = held$cash))
}

shares_text <- function(book) {
  held <- c(
    sprintf(
      "%s %s",
      format(
        round(book$shares, 2L),
        big.mark = ",",
        trim = TRUE,
        drop0trailing = TRUE,
        scientific = FALSE
      ),
      book$security
    ),
    if (book$money != 0) sprintf("%s cash", format(book$money, big.mark = ",", trim = TRUE))
  )
  some(held, 12L)
}

# ---- a book as returns, for the measures
# -----------------------------------------------------------

# `held`: the reading that a measure takes by itself.
book_returns <- function(book, held) {
  held <- book$held %||% held
  made <- if (held == "today") returns_today(book) else returns_then(book)
  made$book <- list(
    name = book$name,
    held = if (held == "today") "as held today" else then_words(book),
    text = if (held == "today") {
      holdings_text(book)
    } else if (is.null(book$shares)) {
      weights_then_text(book)
    } else {
      shares_text(book)
    },
    history = book$history
  )
  # A short position loses when its security rises: what the security may lose is no money of it.
  money <- c(
    book$value,
    if (book$parts && !is.null(book$value)) {
      ifelse(book$weights > 0, book$weights * book$value, NA_real_)
    }
  )
  if (!is.null(money)) {
    made$money <- stats::setNames(money, c(book$name, if (book$parts) book$security))
  }
  made$beside <- book$returns
  made$shown_from <- book$returns$shown_from
  made
}

then_words <- function(book) {
  how <- if (book$rebalance == "never") {
    "never rebalanced"
  } else {
    sprintf("rebalanced every %s", book$rebalance)
  }
  paste("as held then,", how)
}

returns_then <- function(book) {
  worth <- value_then(book)
  kind <- book$returns$kind
  columns <- if (book$parts) book$security
  if (book$given) {
    values <- `colnames<-`(core_returns(cbind(worth$value), kind == "log"), book$name)
    dates <- worth$dates[-1L]
    if (book$parts) {
      values <- cbind(
        values,
        book$returns$values[match(dates, book$returns$dates), columns, drop = FALSE]
      )
    }
    return(new_returns(
      dates,
      values,
      kind,
      Map(
        c,
        rhythms_of(dates, values[, 1L, drop = FALSE]),
        rhythm_part(book$returns$rhythm, columns)
      ),
      start = rep(as.Date(NA), ncol(values)),
      prices = NULL,
      origin = book$returns$origin,
      digest = book_digest(book)
    ))
  }
  prices <- book$returns$prices
  close <- cbind(
    worth$value,
    if (book$parts) prices$close[match(worth$dates, prices$dates), columns, drop = FALSE]
  )
  as_book_returns(
    book,
    worth$dates,
    `colnames<-`(close, c(book$name, columns)),
    book$returns$stated
  )
}

as_book_returns <- function(book, dates, close, every) {
  prices <- book$returns$prices
  made <- new_prices(dates, close, prices$origin, layout = prices$layout)
  made$universe <- c(prices$universe, book$name)
  made$repairs <- prices$repairs
  made <- altered(made, digest = book_digest(book))
  as_returns(
    made,
    kind = book$returns$kind,
    every = every,
    keep_unfinished = isTRUE(book$returns$keep_unfinished)
  )
}

# Of what was measured, what is held and how.
book_digest <- function(book) {
  digest::digest(
    list(
      book$returns$digest,
      book$security,
      book$own$amount,
      book$own$cash,
      book$own$what,
      book$weights,
      book$rebalance,
      book$cash_return,
      unname(book$stand_ins)
    ),
    algo = "xxhash64"
  )
}

returns_today <- function(book) {
  today <- book_today(book)
  R <- as.vector(today$r %*% today$weights)
  in_logs <- book$returns$kind == "log"
  simple <- `colnames<-`(
    cbind(R, if (book$parts) today$r),
    c(book$name, if (book$parts) book$security)
  )
  values <- if (in_logs) log1p(pmax(simple, -1)) else simple
  each <- function(x) stats::setNames(rep(x, ncol(values)), colnames(values))
  rhythm <- lapply(today$rhythm, each)
  made <- new_returns(
    today$dates,
    values,
    book$returns$kind,
    rhythm,
    start = rep(today$start, ncol(values)),
    prices = NULL,
    origin = book$returns$origin,
    digest = book_digest(book)
  )
  # As a path from 100 it can be set beside a benchmark over the same intervals, unless it would
  # have lost all.
  if (!book$given && all(simple > -1)) {
    path <- 100 * rbind(1, apply(1 + simple, 2L, cumprod))
    made$prices <- new_prices(
      c(today$start, today$dates),
      `colnames<-`(path, colnames(values)),
      book$returns$origin
    )
    made$prices$repairs <- book$returns$prices$repairs
  }
  made$universe <- c(book$returns$universe, book$name)
  made$stated <- book$returns$stated
  made$today <- today
  made
}

#' @export
as.data.frame.imbroglio_book <- function(x, ...) {
  table <- data.frame(security = names(x$holdings), weight = unname(x$holdings))
  if (!is.null(x$value)) table$value <- table$weight * x$value
  table
}
