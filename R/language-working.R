# A working as it is written down: the rows it is over, what was chosen, and the steps, each an
# expression over what stands before it. Its values come of evaluating them, with the functions of
# the language and nothing else.

# `columns`: data, a value for each row. `from`, `to`: the rows that are used, of all that are
# there. `made_for`: choices and steps that the data hang on and do not follow: what others would
# have given cannot be told by them; "*": any. What has no dates was made of returns (`of_data`),
# and follows neither their dates nor their kind. Of a `window` the dates are no choice: they come
# of its length. `priced`: whether the series has a price, and so a
# row before its first return. `unused`: by security, closes or returns in the span that are none
# of the rows; `stood`: rows on which its last close stands; `gaps`: dates of a window without one.
# `of`: whose each column is, by its name, where it is as it stands in the table that was measured:
# what it `holds` is a close, or a return of that kind; `left_out`, where known, how many of them
# lie between these dates and are none of the rows, by column; `later`, by security, behind all.
rows_of_working <- function(name, words, columns, dates = NULL, from = NULL, to = NULL,
                            made_for = character(), of_data = is.null(from), window = FALSE,
                            of = character(), holds = "close") {
  list(
    name = name, words = words, columns = columns, dates = dates, from = from, to = to,
    made_for = c(if (of_data) "return", made_for), window = window,
    priced = !is.null(columns$price), unused = integer(), stood = integer(), gaps = 0L, of = of,
    holds = holds, left_out = integer(), later = integer()
  )
}

# `others`: what else could have been chosen, by what it is called. `moves`: the steps that are
# other expressions once another is chosen, by name.
choice <- function(name, words, value, unit = "number", others = NULL, source = "",
                   moves = list()) {
  list(
    name = name,
    words = words,
    value = as.numeric(value),
    unit = unit,
    others = as.list(others),
    source = source,
    moves = moves
  )
}

# `others`: expressions that the trade writes instead, by what they are called; a list by the names
# of steps where several change together. `made_for` as of rows, where its form hangs on a choice.
step <- function(name, expression, words, unit = "number", others = NULL, source = "",
                 made_for = character()) {
  list(
    name = name,
    expression = expression,
    words = words,
    unit = unit,
    others = as.list(others),
    source = source,
    made_for = made_for
  )
}

# A value that cannot be derived in a few lines: it was searched or drawn. `proof`: the names of
# the steps by which it can be checked; `made_for` and `of_data` as of rows.
entered <- function(name, value, words, unit = "number", proof = character(), source = "",
                    made_for = character(), of_data = TRUE) {
  list(
    name = name,
    expression = NULL,
    value = value,
    words = words,
    unit = unit,
    proof = proof,
    made_for = c(if (of_data) "return", made_for),
    others = list(),
    source = source
  )
}

without_others <- function(steps) {
  lapply(steps, function(s) {
    s$others <- list()
    s
  })
}

# What was written down, put in order: only what the number `asked` needs.
written_working <- function(asked, rows, choices, steps) {
  steps <- steps[!vapply(steps, is.null, NA)]
  choices <- Filter(Negate(is.null), as.list(choices))
  rows <- Filter(Negate(is.null), rows)
  names(steps) <- vapply(steps, `[[`, "", "name")
  names(choices) <- vapply(choices, `[[`, "", "name")
  names(rows) <- vapply(rows, `[[`, "", "name")
  own <- c(names(choices), names(steps), unlist(lapply(rows, function(r) names(r$columns))))
  if (anyDuplicated(own)) {
    fail("working", sprintf("%s stands twice in this working.", own[anyDuplicated(own)]))
  }
  written <- list(rows = rows, choices = choices, steps = steps)
  needed <- needed_for(asked, written)
  written$steps <- steps[names(steps) %in% needed]
  written$choices <- choices[names(choices) %in% needed]
  written$rows <- Filter(
    function(r) any(c("date", "row", names(r$columns)) %in% needed),
    rows
  )
  written
}

# The expressions that may stand for a step, by the choice that brings them.
moves_of <- function(written, name) {
  moves <- lapply(written$choices, function(choice) choice$moves[[name]])
  moves[!vapply(moves, is.null, NA)]
}

# What each step and each column of data hangs on and does not follow, by name: choices that the
# data and the entered values under it were made for.
made_for <- function(written) {
  held <- list()
  for (r in written$rows) held[c("date", names(r$columns))] <- list(r$made_for)
  for (s in written$steps) {
    used <- unlist(lapply(c(s$expression, moves_of(written, s$name)), all.vars))
    held[[s$name]] <- unique(as.character(c(s$made_for, unlist(held[used]))))
  }
  held
}

# What each step hangs on, by name: choices and columns of data, through all steps before it.
hangs_on <- function(written) {
  found <- list()
  for (s in written$steps) {
    used <- unlist(lapply(c(s$expression, moves_of(written, s$name)), all.vars))
    found[[s$name]] <- unique(c(
      setdiff(used, names(written$steps)), unlist(found[used]), names(moves_of(written, s$name))
    ))
  }
  found
}

needed_for <- function(asked, written) {
  needed <- character()
  open <- asked
  while (length(open)) {
    needed <- c(needed, open)
    step_open <- written$steps[intersect(open, names(written$steps))]
    used <- unlist(lapply(step_open, function(s) {
      c(
        all.vars(s$expression),
        unlist(rapply(s$others, all.vars, how = "list")),
        unlist(lapply(moves_of(written, s$name), all.vars)),
        s$proof
      )
    }))
    open <- setdiff(unique(as.character(used)), needed)
  }
  needed
}

# The rows that are used: those from the first date to the last.
rows_used <- function(r) {
  n <- length(r$columns[[1L]])
  if (is.null(r$from)) return(seq_len(n))
  which(r$dates >= r$from & r$dates <= r$to)
}

# The values of all steps by name: one number, or a value for each row that is used. `instead`:
# numbers or expressions that stand for others. `known`: the values without them; what hangs on
# none of them is as it was.
values_of_working <- function(written, instead = list(), known = NULL) {
  scope <- language_scope()
  own <- list()
  for (r in written$rows) {
    used <- rows_used(r)
    for (name in names(r$columns)) own[[name]] <- r$columns[[name]][used]
    if (!is.null(r$dates) && is.null(own[["date"]])) own[["date"]] <- as.numeric(r$dates[used])
  }
  for (choice in written$choices) {
    own[[choice$name]] <- instead[[choice$name]] %||% choice$value
  }
  list2env(own, scope)
  instead <- with_moves(written, instead)
  moved <- names(instead)
  for (s in written$steps) {
    expression <- instead[[s$name]] %||% s$expression
    same <- !is.null(known) && !any(c(s$name, all.vars(expression)) %in% moved)
    value <- if (same) {
      known[[s$name]]
    } else if (is.null(expression)) {
      s$value
    } else {
      moved <- c(moved, s$name)
      value_of(expression, scope)
    }
    assign(s$name, value, scope)
  }
  mget(c(names(own), names(written$steps)), scope)
}

# With what moves where another value is chosen.
with_moves <- function(written, instead) {
  for (choice in written$choices) {
    chosen <- instead[[choice$name]]
    if (is.null(chosen) || isTRUE(chosen == choice$value)) next
    instead <- c(instead, choice$moves[setdiff(names(choice$moves), names(instead))])
  }
  instead
}

# What steps are named in, over what all of them may call.
language_scope <- function() {
  if (is.null(made_records$language)) {
    functions <- lapply(language_functions, `[[`, "value")
    functions$`(` <- `(`
    functions$recursion <- NULL
    made_records$language <- list2env(Filter(Negate(is.null), functions), parent = emptyenv())
  }
  scope <- new.env(parent = made_records$language)
  assign("pi", pi, scope)
  scope
}

value_of <- function(expression, scope) {
  refuse_unknown(expression, scope)
  if (is.call(expression) && identical(expression[[1L]], quote(recursion))) {
    return(value_of_recursion(expression[[2L]], expression[[3L]], scope))
  }
  eval(expression, scope)
}

refuse_unknown <- function(expression, scope) {
  walk <- function(e) {
    if (is.call(e)) {
      if (!identical(e[[1L]], quote(`(`))) language_of(as.character(e[[1L]]))
      for (part in as.list(e)[-1L]) walk(part)
    } else if (is.name(e)) {
      known <- as.character(e) == "previous" || exists(as.character(e), scope, inherits = FALSE)
      if (!known) {
        fail("argument", sprintf("A working has no step %s before this.", as.character(e)))
      }
    } else if (!is.numeric(e)) {
      fail("argument", sprintf("A working has only numbers, not %s.", shown(e)))
    }
  }
  walk(expression)
}

# Row by row: what stands in `then` is read at its row, what stands before one above. What does not
# hang on the row before is computed of all rows at once.
value_of_recursion <- function(first, then, scope) {
  starts <- eval(first, scope)
  columns <- list()
  at_row <- function(e) {
    if (identical(e, quote(previous))) return(e)
    if ("previous" %in% all.vars(e)) {
      e[-1L] <- lapply(as.list(e)[-1L], at_row)
      return(e)
    }
    value <- eval(e, scope)
    if (length(value) == 1L) return(value)
    columns[[length(columns) + 1L]] <<- value
    call("[", as.name(sprintf("column_%d", length(columns))), quote(row))
  }
  then <- at_row(then)
  n <- max(length(starts), lengths(columns))
  starts <- rep_len(starts, n)
  at <- which(!is.na(starts))[1L]
  out <- rep(NA_real_, n)
  if (is.na(at)) return(out)
  out[at] <- starts[at]
  names(columns) <- sprintf("column_%d", seq_along(columns))
  by_row <- eval(
    call("function", as.pairlist(list(row = NULL, previous = NULL)), then),
    list2env(c(of_one_row, columns), parent = scope)
  )
  for (row in seq_len(n)[seq_len(n) > at]) out[row] <- by_row(row, out[row - 1L])
  out
}

# Functions of single numbers, which take a tenth of the time of those of columns.
of_one_row <- list(
  `[` = `[`,
  `function` = `function`,
  if_else = function(test, yes, no) if (is.na(test)) NA_real_ else if (test != 0) yes else no,
  higher_of = max,
  lower_of = min
)
