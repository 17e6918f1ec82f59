# Measures of securities that are unlike their benchmark: each on its own periods, and one table.

# What the function that this is called in gives for each security that is unlike its benchmark on
# its own periods, and for the others together; NULL where all are alike.
over_unlike <- function(returns, benchmark) {
  if (is.null(benchmark) || !inherits(returns, c("imbroglio_returns", "imbroglio_prices",
                                                 "imbroglio_book"))) {
    return(NULL)
  }
  returns <- suppressMessages(take_returns(returns), classes = "imbroglio_note")
  alone <- returns$every != "mixed" && is.null(beside_of(returns))
  if (alone && is.character(benchmark)) return(NULL)
  beside <- paired_with(returns, benchmark)
  joint <- beside$returns
  rows <- setdiff(colnames(joint$values), beside$names)
  unlike <- function(row, b) are_unlike(joint, c(row, b))
  apart <- Filter(function(pair) unlike(pair[1L], pair[2L]), unlist(lapply(rows, function(row) {
    lapply(beside$names, function(b) c(row, b))
  }), FALSE))
  if (!length(apart)) return(NULL)
  called <- called_with()
  called$given$benchmark <- beside$names
  if (under_way$blocks) return(without_strange(called, joint, apart, rows))
  strange <- unique(vapply(apart, `[`, "", 1L))
  # A price that stands on the dates of one benchmark must not be seen by another, but for one
  # regression on all.
  sets <- if (isTRUE(called$given$together)) list(beside$names) else as.list(beside$names)
  groups <- c(
    unlist(lapply(strange, function(row) {
      lapply(sets, function(set) list(rows = row, benchmarks = set))
    }), FALSE),
    if (length(rows) > length(strange)) {
      list(list(rows = setdiff(rows, strange), benchmarks = beside$names))
    }
  )
  found <- lapply(groups, function(group) {
    part <- joint[, c(group$rows, group$benchmarks)]
    part$book <- joint$book
    if (all(group$rows %in% strange)) part <- pairs_on_rarest(part, colnames(part$values))
    called$given$benchmark <- group$benchmarks
    called$given[[1L]] <- part
    do.call(called$measure, called$given)
  })
  if (!inherits(found[[1L]], "imbroglio_result")) {
    whole <- do.call(cbind, found)
    return(whole[, order(match(colnames(whole), rows)), drop = FALSE])
  }
  if (length(found) == 1L) return(found[[1L]])
  parted(found, strange, rows, beside$names, joint)
}

# Of a block the securities that are unlike their benchmark are remembered, to be measured one by
# one.
without_strange <- function(called, joint, apart, rows) {
  strange <- unique(vapply(apart, `[`, "", 1L))
  under_way$strange <- c(under_way$strange, strange)
  if (!length(setdiff(rows, strange))) signal_empty_block()
  called$given[[1L]] <- joint[, setdiff(colnames(joint), strange)]
  do.call(called$measure, called$given)
}

# The function that this is called in, of each block of an opened source: the securities that are
# unlike their benchmark by themselves, as over_unlike() has them, the others in blocks.
over_blocks_unlike <- function() {
  called <- called_with()
  under_way$strange <- NULL
  others <- tryCatch(measured_in_blocks(called), imbroglio_error_too_short = function(e) {
    if (is.null(under_way$strange)) stop(e)
  })
  strange <- unique(under_way$strange)
  if (!length(strange)) return(others)
  x <- called$given[[1L]]
  benchmarks <- securities_beside(x, called$given)
  found <- lapply(strange, function(security) {
    called$given[[1L]] <- whole_table(x[, unique(c(security, benchmarks))], Inf)
    own <- do.call(called$measure, called$given)
    if (is.matrix(own)) return(list(own))
    attr(own, "parted")$found %||% list(own)
  })
  found <- c(unlist(found, recursive = FALSE), if (!is.null(others)) list(others))
  rows <- setdiff(x$chosen, benchmarks)
  if (is.matrix(found[[1L]])) {
    whole <- do.call(cbind, found)
    return(whole[, order(match(colnames(whole), rows)), drop = FALSE])
  }
  made <- parted(found, strange, rows, benchmarks, x)
  class(made) <- setdiff(class(made), "imbroglio_parted")
  attr(made, "parted") <- NULL
  in_blocks(made, called, attr(others, "measured_by")$others)
}

# Several results as one, in the order of their securities.
parted <- function(found, strange, rows, benchmarks, joint) {
  table <- lapply(found, function(one) as.list(as.data.frame(one)))
  shared <- Reduce(intersect, lapply(table, names))
  columns <- stacked(lapply(table, `[`, shared))
  part <- rep(seq_along(table), lengths(lapply(table, `[[`, 1L)))
  in_order <- order(match(columns$security, rows), match(columns$benchmark, benchmarks))
  columns <- lapply(columns, `[`, in_order)
  bases <- lapply(found, basis)
  about <- bases[[length(bases)]]
  about$from <- min(do.call(c, lapply(bases, `[[`, "from")))
  about$to <- max(do.call(c, lapply(bases, `[[`, "to")))
  observations <- do.call(c, lapply(bases, `[[`, "observations"))
  about$observations <- observations[!duplicated(names(observations))]
  about$dropped <- unique(do.call(rbind, lapply(bases, `[[`, "dropped")))
  about$choices <- c(about$choices, "unlike frequencies" = sprintf(
    "%s over the periods of the one with fewer prices",
    some(strange)
  ))
  # A security may have another period beside each benchmark.
  every <- unlist(lapply(found, every_by_row))[in_order]
  about$every <- tapply(every, columns$security, `[`, 1L)[rows]
  columns <- with_periods(columns, every)
  made <- new_result(columns, attr(found[[1L]], "measure"), about, joint)
  for (name in setdiff(names(attributes(found[[1L]])), names(attributes(made)))) {
    attr(made, name) <- attr(found[[1L]], name)
  }
  attr(made, "parted") <- list(found = found, part = part[in_order], whole = unclass(columns))
  class(made) <- c("imbroglio_parted", class(made))
  made
}

#' @export
working_of.imbroglio_parted <- function(result, row) {
  parts <- attr(result, "parted")
  at <- row_of_whole(result, row, parts$whole)
  one <- parts$found[[parts$part[at]]]
  working_of(one, sum(parts$part[seq_len(at)] == parts$part[at]))
}
