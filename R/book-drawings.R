# A book of which something was drawn several times: what is measured of it is the mean over the
# drawings, and its errors hold the spread between them.

is_drawn <- function(x) {
  inherits(x, "imbroglio_book") && !is.null(x$between$drawing) && is.null(x$between$number)
}

drawing_of <- function(book, number) {
  book$returns <- book$between$drawing(number)
  book$between$number <- number
  book
}

drawings_of_book <- function(book) {
  if (!is_drawn(book)) return(list(book))
  lapply(seq_len(book$between$drawings), drawing_of, book = book)
}

# For what lists days, and cannot be a mean.
first_drawing <- function(book) {
  if (!is_drawn(book)) return(book)
  most <- book$between$drawings
  if (most > 1L) {
    note("drawing", sprintf(
      "This is of the first of %s of what lies between prices.", count(most, "drawing")
    ))
    book$between$words <- sprintf("%s; this is of the first", book$between$words)
  }
  drawing_of(book, 1L)
}

# The function that called the one that asks, and what it was given.
called_with <- function() {
  measure <- sys.function(-2L)
  outside <- parent.frame(3L)
  given <- as.list(match.call(measure, sys.call(-2L), envir = outside))[-1L]
  list(measure = measure, given = lapply(given, eval, envir = outside))
}

# The function that this is called in, of each drawing of the books that it was given.
over_drawings <- function() {
  called <- called_with()
  measure <- called$measure
  given <- called$given
  drawn <- which(vapply(given, is_drawn, NA))
  most <- max(vapply(given[drawn], function(book) book$between$drawings, 0L))
  found <- lapply(seq_len(most), function(number) {
    given[drawn] <- lapply(given[drawn], function(book) {
      drawing_of(book, (number - 1L) %% book$between$drawings + 1L)
    })
    if (number == 1L) return(do.call(measure, given))
    suppressWarnings(
      suppressMessages(do.call(measure, given), classes = "imbroglio_note"),
      classes = "imbroglio_warning"
    )
  })
  if (is.matrix(found[[1L]])) return(Reduce(`+`, found) / most)
  if (!inherits(found[[1L]], "imbroglio_result") || most == 1L) return(found[[1L]])
  pooled(found)
}

# What an error, or an end of an interval, is of, where its name does not say it.
estimate_of_error <- c(
  error = "estimate", low = "estimate", high = "estimate", mean_error = "mean",
  semi_annual_error = "semi_deviation_annual",
  downside_annual_error = "downside_deviation_annual", partial_error = "partial_moment",
  draw_error = "var",
  active_annual_error = "active_return_annual",
  tracking_annual_error = "tracking_error_annual"
)

estimate_named <- function(column, columns) {
  named <- estimate_of_error[column]
  if (is.na(named)) {
    named <- sub("_(error|low|high)$", "", column)
    if (!named %in% columns) named <- paste0(named, "_annual")
  }
  if (named %in% columns && named != column) unname(named)
}

# Of results with the same rows: means of numbers, medians of p-values, the commonest of counts,
# days and words. Where they have not the same rows, the first.
pooled <- function(found) {
  first <- found[[1L]]
  keys <- Filter(function(name) isTRUE(known_columns()[[name]]$key), names(first))
  rows_of <- function(one) {
    do.call(paste, c(lapply(keys, function(k) as.character(one[[k]])), sep = "\r"))
  }
  named <- lapply(found, rows_of)
  same <- mapply(function(one, rows) {
    identical(names(one), names(first)) && !anyDuplicated(rows) && setequal(rows, named[[1L]])
  }, found, named)
  about <- basis(first)
  said <- about$choices[["between"]]
  if (!all(same)) {
    about$choices[["between"]] <- sprintf("%s; this is of the first", said)
    attr(first, "basis") <- about
    return(first)
  }
  # The largest part stands first, which may be another in each.
  at <- lapply(named, function(rows) match(named[[1L]], rows))
  each <- lapply(stats::setNames(nm = names(first)), function(name) {
    Map(function(one, rows) one[[name]][rows], found, at)
  })
  columns <- lapply(each, pooled_column)
  errors <- grep("(^|_)(error|low|high)$", names(first), value = TRUE)
  for (name in setdiff(errors, "tracking_error")) {
    of <- estimate_named(name, names(first))
    if (is.null(of) || !is.double(first[[name]])) next
    columns[[name]] <- pooled_error(
      each[[name]], each[[of]], columns[[of]], name, about$exact$confidence %||% 0.95
    )
  }
  for (name in grep("(^|_)p$", names(first), value = TRUE)) {
    columns[[name]] <- apply(do.call(cbind, each[[name]]), 1L, stats::median)
  }
  columns <- with_reasons(columns, each)
  # A mean is of no one day.
  if (!is.null(first[["observed"]])) {
    differ <- Reduce(`|`, lapply(each$observed, function(one) {
      !mapply(identical, as.numeric(one), as.numeric(each$observed[[1L]]))
    }))
    columns$observed[differ] <- NA
    for (name in c("position", "worse", "milder")) columns[[name]][is.na(columns$observed)] <- NA
  }
  kept <- attributes(first)
  if (any(grepl("(^|_)p$", names(first)))) {
    about$choices[["p-values"]] <- "the median over the drawings"
  }
  kept$basis <- about
  kept$drawings <- list(first = first, each = each, whole = columns)
  kept$class <- c("imbroglio_drawn", kept$class)
  attributes(columns) <- kept
  columns
}

# A mean over drawings of which one has no fit, or no p, is none.
with_reasons <- function(columns, each) {
  for (one in each[["state"]]) {
    columns$state <- ifelse(startsWith(one, "failed") %in% TRUE, one, columns$state)
  }
  for (one in each[["why"]]) columns$why <- ifelse(is.na(one), columns$why, one)
  if (!is.null(columns[["why"]])) columns$p[!is.na(columns$why)] <- NA_real_
  columns
}

pooled_column <- function(values) {
  first <- values[[1L]]
  if (is.double(first) && !inherits(first, c("Date", "POSIXct"))) {
    return(rowMeans(do.call(cbind, values)))
  }
  if (all(vapply(values, identical, NA, first))) return(first)
  rows <- lapply(seq_along(first), function(i) {
    one <- do.call(c, lapply(values, `[`, i))
    distinct <- unique(one)
    distinct[which.max(tabulate(match(one, distinct)))]
  })
  if (length(rows)) do.call(c, rows) else first
}

# Rubin (1987): the mean of the squared errors, and the spread between the drawings. An end of an
# interval moves out likewise, on its own side.
pooled_error <- function(errors, estimates, estimate, name, confidence) {
  most <- length(errors)
  between <- apply(do.call(cbind, estimates), 1L, stats::var) * (1 + 1 / most)
  if (endsWith(name, "error")) return(sqrt(rowMeans(do.call(cbind, errors)^2) + between))
  reach <- rowMeans((do.call(cbind, errors) - do.call(cbind, estimates))^2)
  side <- if (endsWith(name, "low")) -1 else 1
  estimate + side * sqrt(reach + stats::qnorm((1 + confidence) / 2)^2 * between)
}
