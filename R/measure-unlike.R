# Measures of securities that are unlike their benchmark: each on its own periods, and one table.

# What the function that this is called in gives for each security that is unlike its benchmark on
# its own periods, and for the others together; NULL where all are alike.
over_unlike <- function(returns, benchmark) {
  if (is.null(benchmark) || !inherits(returns, c("imbroglio_returns", "imbroglio_prices",
                                                 "imbroglio_book"))) {
    return(NULL)
  }
  returns <- suppressMessages(take_returns(returns), classes = "imbroglio_note")
  if (returns$every != "mixed" && is.null(returns$beside) && is.character(benchmark)) return(NULL)
  beside <- beside_benchmark(returns, benchmark)
  joint <- beside$returns
  rows <- setdiff(colnames(joint$values), beside$names)
  unlike <- rows[vapply(rows, function(row) {
    any(vapply(beside$names, function(b) are_unlike(joint, c(row, b)), NA))
  }, NA)]
  if (!length(unlike)) return(NULL)
  groups <- c(as.list(unlike), if (length(rows) > length(unlike)) list(setdiff(rows, unlike)))
  measure <- sys.function(-1L)
  outside <- parent.frame(2L)
  given <- as.list(match.call(measure, sys.call(-1L), envir = outside))[-1L]
  given <- lapply(given, eval, envir = outside)
  given$benchmark <- beside$names
  found <- lapply(groups, function(group) {
    part <- joint[, c(group, beside$names)]
    part$book <- joint$book
    if (length(group) == 1L && group %in% unlike) {
      for (b in beside$names) part <- beside_on_rarest(part, c(group, b))
    }
    given[[1L]] <- part
    do.call(measure, given)
  })
  if (length(found) == 1L || !inherits(found[[1L]], "imbroglio_result")) return(found[[1L]])
  parted(found, groups, rows, joint)
}

# Several results as one, in the order of their securities.
parted <- function(found, groups, rows, joint) {
  table <- lapply(found, function(one) as.list(as.data.frame(one)))
  shared <- Reduce(intersect, lapply(table, names))
  columns <- row_bound(lapply(table, `[`, shared))
  part <- rep(seq_along(table), lengths(lapply(table, `[[`, 1L)))
  in_order <- order(match(columns$security, rows))
  columns <- lapply(columns, `[`, in_order)
  bases <- lapply(found, attr, "basis")
  about <- bases[[length(bases)]]
  about$from <- min(do.call(c, lapply(bases, `[[`, "from")))
  about$to <- max(do.call(c, lapply(bases, `[[`, "to")))
  about$observations <- do.call(c, lapply(bases, `[[`, "observations"))
  about$dropped <- unique(do.call(rbind, lapply(bases, `[[`, "dropped")))
  about$choices <- c(about$choices, "unlike rhythms" = sprintf(
    "%s over the periods of the one with fewer prices",
    some(unlist(groups[lengths(groups) == 1L]))
  ))
  every <- unlist(Map(function(one, group) {
    own <- one$every
    if (length(own) == 1L) own <- rep(own, length(group))
    if (is.null(names(own))) stats::setNames(own, group) else own[group]
  }, bases, groups))
  about$every <- every[rows]
  columns$every <- NULL
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
