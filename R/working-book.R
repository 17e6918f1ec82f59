# What the working of a book begins with: its holdings and their prices.

# A book as held today: the returns of its holdings, by today's weights.
rows_of_book <- function(returns, from = NULL, to = NULL, name = "return") {
  today <- returns$today
  short <- unique_names(today$security)
  series <- stats::setNames(today$security, paste0(short, "_"))
  days <- range(today$dates)
  made <- rows_of_several(
    today$book$returns, series, from %||% days[1L], to %||% days[2L], kind = "simple"
  )
  made$rows$window <- !is.null(from) || !is.null(to)
  held <- lapply(seq_along(short), function(j) {
    entered(
      paste0(short[j], "_weight"),
      today$weights[[j]],
      sprintf("weight of %s %s", today$security[j], today_words(today$book)),
      "share",
      # What is held in shares has other weights on another day.
      of_data = !is.null(today$book$shares)
    )
  })
  # Returns that were given as logarithms are made simple: only these add across holdings.
  in_logs <- today$book$returns$kind == "log"
  plain <- !length(made$steps) && in_logs
  parts <- lapply(short, function(one) {
    r <- as.name(paste0(one, "_return"))
    call("*", as.name(paste0(one, "_weight")), if (plain) bquote((exp(.(r)) - 1)) else r)
  })
  whole <- added_up(parts)
  made$steps <- c(
    # Only simple returns add up across holdings.
    without_others(made$steps),
    held,
    list(step(
      name,
      if (in_logs) bquote(ln(1 + .(call("(", whole)))) else whole,
      "return of the book: those of its holdings by their weights",
      "fraction"
    ))
  )
  made
}

# The value of a book as it was held, on `dates`, as a price: what its holdings were worth since
# its weights were last set right. `columns` of data and `steps`; NULL where `security` is no such
# book, or was set right on a date between. Rows begin with the row `first`.
held_then <- function(returns, security, dates, first, price = "price") {
  then <- returns$prices$then
  if (is.null(then) || then$name != security) return(NULL)
  at <- match(as.numeric(dates), as.numeric(then$dates))
  if (anyNA(at)) return(NULL)
  span <- at[first:length(at)]
  set <- which(then$again)
  set <- set[set > span[1L] & set < span[length(span)]]
  if (!all(set %in% span)) return(NULL)
  begun <- max(c(1L, which(then$again[seq_len(span[1L])])))
  short <- paste0(sub("price$", "", price), unique_names(then$security))
  closes <- paste0(short, "_close")
  columns <- stats::setNames(
    lapply(seq_along(short), function(j) unname(then$close[at, j])), closes
  )
  earns <- then$cash != 0 && then$rate != 1
  if (earns) columns$cash_grown <- then$rate^(at - begun)
  if (length(set)) columns$set_right <- as.numeric(then$again[at])
  when <- if (begun == 1L) "at the start" else sprintf("set right on %s", then$dates[begun])
  # Given weights are those of any first date.
  own <- is.null(then$shares)
  weights <- c(lapply(seq_along(short), function(j) {
    said <- sprintf("weight of %s %s", then$security[j], when)
    entered(paste0(short[j], "_weight"), then$amount[[j]], said, "share", of_data = !own)
  }), if (then$cash != 0) {
    list(entered("cash", then$cash, paste("weight of cash", when), "share", of_data = !own))
  })
  parts <- stats::setNames(closes, paste0(short, "_weight"))
  # Where the rows begin later than the weights, what each stood at then is entered.
  before <- if (begun < span[1L]) {
    lapply(seq_along(short), function(j) {
      said <- sprintf("close of %s when its weight was %s", then$security[j], when)
      entered(paste0(closes[j], "_first"), then$close[[begun, j]], said)
    })
  }
  list(
    name = then$name,
    security = then$security,
    stood = colSums(then$stood[span, , drop = FALSE]),
    columns = columns,
    of = stats::setNames(then$security, closes),
    steps = c(weights, before, worth_steps(
      c(parts, if (earns) c(cash = "cash_grown")), price, length(set) > 0L, length(before) > 0L,
      if (then$cash != 0 && !earns) "cash"
    ))
  )
}

# `parts`: the column of each part by the name of its weight; `again`: whether weights are set
# right on the way; `begun`: whether what each stood at is entered; `still`: the weight of cash
# that earns nothing.
worth_steps <- function(parts, price, again, begun, still) {
  first_of <- function(name) {
    if (!begun) return(bquote(value_at(.(as.name(name)), 1)))
    if (name == "cash_grown") 1 else as.name(paste0(name, "_first"))
  }
  since <- function(name) paste0(name, "_then")
  whole <- added_up(c(
    lapply(names(parts), function(weight) {
      name <- parts[[weight]]
      stood <- if (again) as.name(since(name)) else first_of(name)
      bquote(.(as.name(weight)) * .(as.name(name)) / .(stood))
    }),
    lapply(still, as.name)
  ))
  if (!again) {
    said <- "value of what is held, from 100 at the start"
    return(list(step(price, bquote(100 * .(call("(", whole))), said)))
  }
  c(
    lapply(unname(parts), function(name) {
      column <- as.name(name)
      step(
        since(name),
        bquote(recursion(
          .(first_of(name)) + 0 * .(column),
          if_else(before(set_right), before(.(column)), previous)
        )),
        sprintf("%s when weights were last set right", gsub("_", " ", name))
      )
    }),
    list(
      step("grown", whole, "value of what is held, from 1 when weights were last set right"),
      step(
        "grown_before", quote(if_else(before(set_right), 1, before(grown))),
        "that of the row before; 1 where they were set right then"
      ),
      step(
        price, quote(recursion(100 * grown, previous * grown / grown_before)),
        "value of what is held, from 100 when weights were first set right"
      )
    )
  )
}
