# What is measured of an opened source: each block by itself, and the rows and bases put together
# as those of the whole table.

# The function that this is called in, of each block of the opened source that it was given; `...`:
# arguments that are another for the blocks.
over_blocks <- function(...) {
  called <- called_with()
  changed <- list(...)
  called$given[names(changed)] <- changed
  measured_in_blocks(called)
}

measured_in_blocks <- function(called) {
  given <- called$given
  at <- which(vapply(given, is_opened, NA))
  x <- given[[at[1L]]]
  # What else is opened is a benchmark.
  given[at[-1L]] <- lapply(given[at[-1L]], as_prices)
  beside <- securities_beside(x, given)
  # Rows that are written as they come take several times their prices.
  size <- max(block_size(x) %/% (if (is.null(under_way$sink)) 1L else 10L), 2L + length(beside))
  found <- measured_blocks(x, blocks_of(x, size), beside, function(block) {
    given[[at[1L]]] <- block
    do.call(called$measure, given)
  })
  if (is.matrix(found$made[[1L]])) return(do.call(cbind, found$made))
  result <- results_together(found, x)
  in_blocks(result, called, found$others)
}

# What is to be measured again where a working or a figure wants the table.
in_blocks <- function(result, called, others = NULL) {
  attr(result, "measured_by") <- c(called, list(others = others))
  class(result) <- unique(c("imbroglio_in_blocks", class(result)))
  result
}

# The securities that each block is measured beside: benchmarks, the risk-free return.
securities_beside <- function(x, given) {
  named <- Filter(is.character, given[names(given) %in% c("benchmark", "risk_free")])
  named <- unlist(named, use.names = FALSE)
  x$chosen[pick_securities_or_none(expand_groups(named, x), x$chosen)]
}

pick_securities_or_none <- function(wanted, known) {
  if (length(wanted)) pick_securities(wanted, known) else integer()
}

# What `measure` makes of each block, less the rows of what stood beside it.
measured_blocks <- function(x, blocks, beside, measure) {
  was <- under_way$blocks
  on.exit(under_way$blocks <- was)
  under_way$blocks <- TRUE
  made <- vector("list", length(blocks))
  others <- first_error <- NULL
  heard <- new_hearing(length(blocks))
  progress <- cli::cli_progress_bar("Blocks", total = length(blocks), .envir = environment())
  # Whether it could be measured, beside `more` of the table.
  measure_one <- function(i, at_last, more = NULL) {
    wanted <- unique(c(blocks[[i]], beside, more))
    table <- if_priced(block_table(x, wanted, others))
    if (is.null(table)) return(TRUE)
    if (is.null(others)) others <<- first_frequency(table)
    if (is.null(others) && !at_last) return(FALSE)
    under_way$told <- NULL
    result <- if_priced(measure(table))
    if (is.null(result)) return(TRUE)
    own <- intersect(blocks[[i]], colnames(table))
    made[[i]] <<- list(result = kept_of(result, own, x), own = own, told = under_way$told)
    cli::cli_progress_update(id = progress)
    table <- result <- NULL
    free_block(x)
    TRUE
  }
  # What no security of a block has enough prices for, those of another block may have.
  tried <- function(i, ...) {
    tryCatch(heard$listen(measure_one(i, ...)), imbroglio_error_too_short = function(e) {
      first_error <<- first_error %||% e
      FALSE
    })
  }
  done <- vapply(seq_along(blocks), tried, NA, at_last = FALSE)
  for (i in which(!done)) {
    there <- Filter(function(one) length(one$own) > 0L, made)
    if (!tried(i, at_last = TRUE, more = if (length(there)) there[[1L]]$own[1L])) next
    done[i] <- TRUE
  }
  cli::cli_progress_done(id = progress)
  if (!all(done)) stop(first_error)
  heard$say()
  made <- made[!vapply(made, is.null, NA)]
  if (!length(made)) fail("too_short", sprintf("No security of %s has prices for this.", x$origin))
  list(
    made = lapply(made, `[[`, "result"), own = lapply(made, `[[`, "own"),
    told = lapply(made, `[[`, "told"), others = others
  )
}

# Nothing where no security of a block has a price in the span.
if_priced <- function(expr) {
  tryCatch(expr, imbroglio_block_without_prices = function(c) NULL)
}

# A security with fewer than two prices goes by the frequency of the others: the first of the
# whole table that is known.
first_frequency <- function(table) {
  frequency <- table$frequency %||% frequencies_of(table$dates, table$close)
  known <- which(!is.na(frequency$usual) | !is.null(table$stated))
  if (length(known)) lapply(frequency[c("every", "per_year")], function(f) f[[known[1L]]])
}

# What is kept of a block: nothing of rows that are written as they come.
kept_of <- function(result, own, x) {
  kept <- of_own(result, own)
  if (is.null(under_way$sink) || is.matrix(kept)) return(kept)
  if (length(slower_than_security(kept$columns))) {
    fail(
      "argument",
      "Rows are written as they come, and would come in another order.",
      remedy = "Ask for one method, one window and one level at a time."
    )
  }
  under_way$sink(kept$columns, x)
  kept$columns <- lapply(kept$columns, `[`, 0L)
  kept
}

# Rows of a result, or columns of a matrix; of a result its columns and its basis, without the
# table that they were measured on.
of_own <- function(made, own) {
  if (is.matrix(made)) return(made[, colnames(made) %in% own, drop = FALSE])
  keep <- made$security %in% own
  columns <- as.list(as.data.frame(made))
  if (!all(keep)) columns <- lapply(columns, `[`, keep)
  about <- attr(made, "basis")
  asked <- attr(about, "asked")
  asked$x <- without_numbers(asked$x)
  attr(about, "asked") <- asked
  list(columns = columns, basis = about, measure = attr(made, "measure"))
}

without_numbers <- function(x) {
  if (inherits(x, "imbroglio_prices")) {
    return(altered(x, close = NULL, fields = list(), read = NULL, others = NULL, block = NULL))
  }
  prices <- if (!is.null(x$prices)) without_numbers(x$prices)
  altered(x, values = NULL, prices = prices)
}

# Notes and warnings of several blocks: each text once, three of a kind, the others counted. That
# no security has as many returns as a window is said where no block has one.
new_hearing <- function(blocks) {
  said <- list()
  short <- 0L
  keep <- function(condition) {
    if (inherits(condition, "imbroglio_warning_window")) {
      short <<- short + 1L
      if (short < blocks) return(invisible())
    }
    text <- conditionMessage(condition)
    if (!text %in% vapply(said, conditionMessage, "")) said[[length(said) + 1L]] <<- condition
  }
  list(
    listen = function(expr) {
      withCallingHandlers(
        expr,
        imbroglio_note = function(c) {
          keep(c)
          invokeRestart("muffleMessage")
        },
        imbroglio_warning = function(c) {
          keep(c)
          invokeRestart("muffleWarning")
        }
      )
    },
    say = function() {
      kinds <- vapply(said, function(c) class(c)[1L], "")
      for (kind in unique(kinds)) {
        own <- said[kinds == kind]
        for (c in utils::head(own, 3L)) if (inherits(c, "warning")) warning(c) else message(c)
        more <- length(own) - 3L
        if (more <= 0L) next
        text <- sprintf("%s like the last, of other securities.", count(more, "more", "more"))
        if (inherits(own[[1L]], "warning")) caution("more", text) else note("more", text)
      }
    }
  )
}

# ---- together ----------------------------------------------------------------------------------

results_together <- function(found, x) {
  made <- found$made
  tables <- with_one_shape(made)
  # A column that says something of a few rows only is in some blocks.
  fullest <- names(tables[[which.max(lengths(tables))]])
  columns <- stacked(tables, ragged = TRUE)
  columns <- columns[union(fullest, names(columns))]
  block <- rep(seq_along(tables), lengths(lapply(tables, `[[`, 1L)))
  in_order <- rows_in_order(columns, block)
  columns <- lapply(columns, `[`, in_order)
  basis <- bases_together(lapply(made, `[[`, "basis"), found, x)
  new_result(columns, made[[1L]]$measure, basis, x)
}

# Where the periods of the blocks are not of one length, each row says of which its own is.
with_one_shape <- function(made) {
  tables <- lapply(made, `[[`, "columns")
  have <- vapply(tables, function(t) !is.null(t[["every"]]), NA)
  each <- lapply(made, function(one) {
    every <- one$basis$every
    if (length(every) == 1L) every else unname(every[one$columns$security])
  })
  if (all(have) || (!any(have) && length(unique(unlist(each[!have]))) == 1L)) return(tables)
  tables[!have] <- Map(function(table, every) {
    every <- list(every = rep_len(every, length(table$security)))
    append(table, every, match("security", names(table)))
  }, tables[!have], each[!have])
  tables
}

# The order of the rows of the whole table: by whatever in a block changes less often than the
# security does, and then by block.
rows_in_order <- function(columns, block) {
  sizes <- tapply(columns$security, block, function(s) length(unique(s)))
  widest <- block == as.integer(names(sizes)[which.max(sizes)])
  of_block <- lapply(columns, `[`, widest)
  slow <- slower_than_security(of_block)
  if (!length(slow)) return(seq_along(block))
  # As the values come in the block that has most securities, then as they come.
  rank <- lapply(slow, function(key) {
    match(columns[[key]], unique(c(of_block[[key]], columns[[key]])))
  })
  do.call(order, c(unname(rank), list(block, seq_along(block))))
}

# What a table goes by before it goes by security: a method, a window.
slower_than_security <- function(columns) {
  keys <- Filter(function(name) {
    isTRUE(known_columns()[[name]]$key) && !name %in% c("security", "to", "other")
  }, names(columns))
  runs <- function(id) sum(id[-1L] != id[-length(id)]) + 1L
  if (!length(columns$security)) return(character())
  if (runs(columns$security) == length(unique(columns$security))) return(character())
  slow <- character()
  repeat {
    slower <- Filter(function(key) {
      id <- vctrs::vec_group_id(columns[c(slow, key)])
      length(unique(columns[[key]])) > 1L && runs(id) == length(unique(id))
    }, setdiff(keys, slow))
    if (!length(slower)) break
    slow <- c(slow, slower[1L])
  }
  if (!length(slow)) stop("the rows of a block are in no order that is known")
  slow
}

# The basis of the whole, from what those of the blocks were made of.
bases_together <- function(bases, found, x) {
  own <- found$own
  asked <- lapply(bases, attr, "asked")
  if (any(vapply(asked, is.null, NA))) stop("a basis of a block does not say what it was made of")
  one <- asked[[1L]]
  days <- sort(unique(unlist(lapply(asked, function(a) as.numeric(c(a$x$first, a$x$dates))))))
  # The first price of the whole table has no return.
  if (inherits(one$x, "imbroglio_returns")) days <- days[-1L]
  frequency <- lapply(stats::setNames(nm = names(one$frequency)), function(part) {
    do.call(c, unname(Map(function(a, own) {
      f <- a$frequency[[part]]
      f[names(f) %in% own]
    }, asked, own)))
  })
  # Of what is by security, that of each block's own.
  together <- function(what = "", values = lapply(asked, `[[`, what)) {
    named <- what %in% c("per_year", "every") && !is.null(names(values[[1L]]))
    if (!named && length(values[[1L]]) != length(asked[[1L]]$securities)) return(values[[1L]])
    do.call(c, unname(Map(function(v, a, own) {
      v[(if (named) names(v) else a$securities) %in% own]
    }, values, asked, own)))
  }
  dates <- .Date(days)
  if (inherits(one$x, "imbroglio_returns")) {
    whole <- altered(
      one$x, values = NULL, dates = dates, frequency = frequency, every = every_of_all(frequency),
      prices = altered(one$x$prices, about = x$about, actions = x$actions)
    )
    basis_of <- function(...) returns_basis(whole, ...)
  } else {
    basis_of <- function(...) prices_basis(one$x, frequency = frequency, ...)
  }
  made <- do.call(basis_of, c(
    list(
      sample = sample_together(lapply(names(one$sample), function(part) {
        together(values = lapply(asked, function(a) a$sample[[part]]))
      }), names(one$sample), dates),
      per_year = together("per_year"), choices = choices_together(asked, found),
      every = together("every"),
      securities = together("securities")
    ),
    one$more
  ))
  made$digest <- digest_of_opened(x)
  with_changes_of(made, bases, asked, own)
}

# What is said of all securities together is said anew of those of all blocks.
choices_together <- function(asked, found) {
  fullest <- which.max(mapply(function(a, told) {
    length(a$choices) + sum(lengths(lapply(told, `[[`, "text")))
  }, asked, found$told))
  choices <- asked[[fullest]]$choices
  for (i in seq_along(found$told[[fullest]])) {
    one <- found$told[[fullest]][[i]]
    at <- which(choices %in% one$text)
    data <- Map(function(told, own) told[[i]]$data[names(told[[i]]$data) %in% own],
                found$told, found$own)
    if (length(at)) choices[at] <- one$words(do.call(c, unname(data)))
  }
  choices
}

# Each security's own sample, on the dates of the whole table.
sample_together <- function(parts, called, dates) {
  sample <- stats::setNames(parts, called)
  there <- sample$n > 0L
  first <- match(as.numeric(sample$from), as.numeric(dates))
  last <- match(as.numeric(sample$to), as.numeric(dates))
  sample$first <- first
  sample$last <- last
  sample$inside <- ifelse(there, last - first + 1L - sample$n, 0L)
  sample$before <- ifelse(there, first - 1L, length(dates))
  sample$after <- ifelse(there, length(dates) - last, 0L)
  sample
}

with_rows_of <- function(a, b) `rownames<-`(rbind(a, b), NULL)

# What a measure changed in its basis after that was made.
with_changes_of <- function(made, bases, asked, own) {
  changed <- unique(unlist(lapply(seq_along(bases), function(i) {
    was <- asked[[i]]$made
    Filter(function(name) !identical(bases[[i]][[name]], was[[name]]), names(bases[[i]]))
  })))
  for (name in changed) {
    made[[name]] <- switch(
      name,
      dropped = with_rows_of(made$dropped, do.call(rbind, Map(function(basis, a, own) {
        more <- basis$dropped[seq_len(nrow(basis$dropped)) > nrow(a$made$dropped), ]
        more[more$security %in% own, ]
      }, bases, asked, own))),
      observations = unlist(Map(function(basis, own) {
        basis$observations[names(basis$observations) %in% own]
      }, bases, own)),
      from = min(do.call(c, lapply(bases, `[[`, "from"))),
      to = max(do.call(c, lapply(bases, `[[`, "to"))),
      bases[[1L]][[name]]
    )
  }
  attr(made, "asked") <- NULL
  made
}
