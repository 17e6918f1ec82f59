# A part of a report, measured and written: what the page, the tables, the figures and the
# workbook take of it. It is text only, so that it can be kept, and results need not be.

fragment_of <- function(work, name, part) {
  ran <- run_part(work, part)
  # A choice that cannot be is no matter of the data.
  chosen <- names(work$choices[[part$measure]])
  if (inherits(ran$condition, "imbroglio_error_argument") &&
      any(ran$condition$argument %in% chosen)) {
    stop(ran$condition)
  }
  title <- part$title
  made <- list(
    name = name,
    section = part$section,
    above = part$above,
    says = part$says,
    title = title,
    notes = ran$notes,
    failed = ran$failed
  )
  if (!is.null(ran$failed)) return(made)
  if (!NROW(ran$value)) {
    made$lead <- if (part$measure == "check") in_words(ran$value) else "There is nothing to show."
    return(made)
  }
  drawn <- heard(figure_of_part(ran$value, work, name, part))
  if (!is.null(drawn$failed)) made$notes <- c(made$notes, paste("No figure:", drawn$failed))
  c(made, written_part(ran$value, name, title, work), list(figure = drawn$value))
}

figure_of_part <- function(result, work, name, part) {
  if (is.null(part$draws)) return(NULL)
  colours <- colour_of(c(work$own, setdiff(work$securities, work$own)), universe_of(result, work))
  plot <- suppressWarnings(drawn_of_part(result, work, part$draws))
  page_figure(plot, name, lead_of(result, work), colours, height = part$height)
}

universe_of <- function(result, work) {
  attr(result, "source")$universe %||% c(work$securities, book = work$book$name)
}

# `most`: rows of a table in the page; its CSV has all.
written_part <- function(result, name, title, work, most = 300L) {
  table <- as.data.frame(result)
  kind <- if (inherits(result, "imbroglio_result")) basis(result)$kind
  workings <- workings_of_part(result, name)
  shown <- if (through_time_of(result)) {
    table[!duplicated(table[series_keys(table)], fromLast = TRUE), , drop = FALSE]
  } else {
    table
  }
  kept <- match(rownames(shown), rownames(table))
  all_rows <- nrow(shown)
  shown <- utils::head(shown, most)
  kept <- utils::head(kept, most)
  exact <- shown
  caption <- if (all_rows > most) {
    sprintf("%s: %s of %s rows, the CSV has all", title, count(most), count(all_rows))
  } else {
    title
  }
  if (!is.null(shown[["measure"]])) {
    shown <- written_by_measure(shown)
    titles <- vapply(limit_measures(), `[[`, "", "title")
    shown$measure <- ifelse(
      shown$measure %in% names(titles), titles[shown$measure], shown$measure
    )
  }
  workings$rows <- workings$rows[kept]
  list(
    lead = lead_of(result, work),
    table = page_table(
      shown, name, kind, workings, caption, exact,
      if (inherits(result, "imbroglio_result")) basis(result)$currency else work$book$currency
    ),
    workings = workings$html,
    sums = workings$sums,
    csv = as_csv(table),
    units = unname(vapply(table, unit_of_column, "")),
    basis = if (inherits(result, "imbroglio_result")) format(basis(result))
  )
}

unit_of_column <- function(x) {
  if (inherits(x, "Date")) "date" else if (is.numeric(x)) "number" else "text"
}

through_time_of <- function(result) inherits(result, "imbroglio_result") && through_time(result)

# The finding, in a sentence: of a book and its holdings that of the book, then how they compare.
lead_of <- function(result, work) {
  book <- work$book$name
  beside <- !is.null(book) && !is.null(result[["security"]]) &&
    # A finding may be of no one security.
    sum(result$security %in% book) == 1L && nrow(result) > 1L &&
    !has_own_headline(result)
  if (!beside) {
    said <- headline(result)
    return(if (length(said)) said[1L] else "Nothing of it is known.")
  }
  paste(headline(result[result$security == book, ]), headline(result[result$security != book, ]))
}
