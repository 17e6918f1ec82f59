# What was measured of blocks, put together as the result of the whole table.

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
  have <- vapply(tables, function(one) !is.null(one[["every"]]), NA)
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
# Tables of blocks have no digest, see measured_block().
with_digest <- function(made_of, digest) {
  if (!is.null(made_of$prices)) {
    made_of <- altered(made_of, prices = with_digest(made_of$prices, digest))
  }
  if (is.null(made_of$digest)) altered(made_of, digest = digest) else made_of
}

bases_together <- function(bases, found, x) {
  own <- found$own
  asked <- lapply(bases, attr, "asked")
  if (any(vapply(asked, is.null, NA))) stop("a basis of a block does not say what it was made of")
  one <- asked[[1L]]
  one$x <- with_digest(one$x, digest_of_opened(x))
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
