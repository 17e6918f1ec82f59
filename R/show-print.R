# The basis in one line.
#' @export
format.imbroglio_basis <- function(x, ...) {
  n <- if (length(x$observations)) range(x$observations) else c(0L, 0L)
  adverbs <- some(adverb_of(unique(x$every)))
  kind <- if (x$kind %in% c("price", "profit", "record")) x$kind else paste(x$kind, "return")
  what <- paste0(adverbs, " ", kind, if (any(n != 1L)) "s")
  left_out <- tapply(x$dropped$n, x$dropped$reason, sum)
  # An adjustment puts nothing right.
  adjusted <- grepl("^adjust(ed|ment)", x$repairs)
  parts <- c(
    if (!is.na(x$from)) sprintf("%s to %s", x$from, x$to),
    sprintf(
      "%s %s%s",
      if (n[1L] == n[2L]) count(n[1L]) else paste(count(n[1L]), "to", count(n[2L])),
      what,
      if (x$securities > 1L) " a security" else ""
    ),
    if (length(left_out)) sprintf("%s %s", count(as.vector(left_out)), names(left_out)),
    if (!is.na(x$per_year)) sprintf("%s periods a year", format(x$per_year)),
    if (length(x$choices)) paste(names(x$choices), x$choices),
    x$repairs[adjusted],
    if (any(!adjusted)) count(sum(!adjusted), "repair"),
    if (!is.na(x$seed)) sprintf("seed %s", x$seed),
    x$origin,
    paste("digest", x$digest),
    paste("imbroglio", x$version)
  )
  paste(parts, collapse = "; ")
}

#' @export
print.imbroglio_basis <- function(x, ...) {
  cat("Basis:\n", paste0("  ", strsplit(format(x), "; ", fixed = TRUE)[[1L]], "\n"), sep = "")
  if (nrow(x$dropped)) {
    cat("Left out:\n")
    print(x$dropped, row.names = FALSE)
  }
  if (length(x$repairs)) cat("Repairs:\n", paste0("  ", x$repairs, "\n"), sep = "")
  invisible(x)
}

#' @export
print.imbroglio_result <- function(x, ...) {
  loadNamespace("tibble")
  if (holds_result(x)) NextMethod() else print(plain_table(x), ...)
  invisible(x)
}

# In a document that is knitted: its sentences, its table and its basis.
#' @exportS3Method knitr::knit_print
knit_print.imbroglio_result <- function(x, ...) {
  if (!holds_result(x)) return(knitr::knit_print(plain_table(x), ...))
  most <- 20L
  said <- if (nrow(x)) tryCatch(in_words(x), imbroglio_error = function(e) NULL)
  shown <- utils::head(as.data.frame(x), most)
  knitr::asis_output(paste(c(
    "", if (length(said)) as_markdown_text(paste(utils::head(said, 3L), collapse = " ")), "",
    as_markdown(shown, x), "",
    if (nrow(x) > most) c(sprintf("%s of %s.", count(most), count(nrow(x), "row")), ""),
    paste("*Basis:*", as_markdown_text(format(basis(x)))), ""
  ), collapse = "\n"))
}

#' @exportS3Method pillar::tbl_sum
tbl_sum.imbroglio_result <- function(x, ...) {
  stats::setNames(
    c(
      paste(
        c(
          count(nrow(x), "row"),
          if (!is.null(x[["security"]])) {
            count(length(unique(x[["security"]])), "security", "securities")
          }
        ),
        collapse = " of "
      ),
      format(basis(x))
    ),
    c(title_of(x), "Basis")
  )
}

title_of <- function(result) title_of_result(attr(result, "measure"))

#' @export
print.imbroglio_prices <- function(x, ...) {
  print_panel(
    x,
    sprintf("Prices: %s, %s", count(ncol(x), "security", "securities"), count(nrow(x), "date")),
    x$close
  )
}

#' @export
print.imbroglio_returns <- function(x, ...) {
  print_panel(
    x,
    sprintf(
      "Returns: %s, %s, %s %s",
      count(ncol(x), "security", "securities"),
      count(nrow(x), "date"),
      some(adverb_of(unique(x$frequency$every))),
      x$kind
    ),
    x$values
  )
}

print_panel <- function(x, title, values, most = 20L) {
  columns <- seq_len(min(most, ncol(values)))
  sample <- sample_of(x$dates, values[, columns, drop = FALSE])
  table <- data.frame(
    security = colnames(values)[columns],
    from = sample$from,
    to = sample$to,
    n = sample$n,
    missing = sample$inside
  )
  if (!any(table$missing)) table$missing <- NULL
  cat(title, "; ", x$origin, if (!is.null(x$layout)) sprintf(" (%s)", x$layout), "\n", sep = "")
  writeLines(paste0("  ", text_table(table)))
  if (ncol(values) > most) {
    cat("  and ", count(ncol(values) - most, "more security", "more securities"), "\n", sep = "")
  }
  invisible(x)
}

#' @export
print.imbroglio_book <- function(x, ...) {
  cat(sprintf(
    "Book %s: %s%s; %s\n",
    x$name,
    count(length(x$security), "holding"),
    if (is.null(x$value)) {
      ""
    } else if (is_neutral(x)) {
      sprintf(", %s, worth %s", long_and_short(x), money(x$net, x$currency))
    } else {
      paste(", worth", money(x$value, x$currency))
    },
    x$returns$origin
  ))
  writeLines(paste0("  ", text_table(as.data.frame(x), currency = x$currency)))
  cat(
    "What did happen is of the book ",
    then_words(x),
    "; what may happen of the book as held today.\n",
    sep = ""
  )
  if (length(x$history)) writeLines(x$history)
  invisible(x)
}

# A choice that is the same in every row stands in the basis and need not be repeated, nor that
# all converged or ended inside, nor what no row has; of a wide table, so do the dates. Of fits the
# criteria are said by one and the ranks.
columns_to_show <- function(table) {
  constant <- vapply(table, function(v) length(unique(v)) <= 1L, NA)
  choice <- names(table) %in% c(
    "method", "rank", "horizon", "horizon_by", "window", "benchmark", "innovations", "side"
  )
  choice <- choice | vapply(table, function(v) is.logical(v) && !anyNA(v) && all(v), NA)
  detail <- vapply(names(table), function(name) isTRUE(known_columns()[[name]]$detail), NA)
  nothing <- vapply(
    names(table),
    function(name) isTRUE(known_columns()[[name]]$optional) && all(is.na(table[[name]])),
    NA
  )
  nothing <- nothing | (names(table) == "state" & all(table[["state"]] %in% c("inside", NA)))
  # A state says more than whether there is a fit.
  nothing <- nothing | (names(table) == "converged" & "state" %in% names(table))
  # A rank is the same for all that take one.
  same_rank <- names(table) == "rank" &
    length(unique(stats::na.omit(as.character(table[["rank"]])))) <= 1L
  # All ways lead to a horizon of one period.
  no_way <- names(table) == "horizon_by" & all(table[["horizon"]] %in% 1L)
  shown <- !detail & !(choice & constant) & !nothing & !same_rank & !no_way
  if (sum(shown) > 12L) {
    if (nrow(table) > 1L) shown <- shown & !(names(table) %in% c("from", "to") & constant)
    if ("family" %in% names(table)) {
      shown <- shown & !names(table) %in% c("from", "to", "log_likelihood", "bic")
    }
  }
  names(table)[shown]
}

# In the order of reading: who, by what, the number with its error and interval; what explains it
# last. A table has its columns in the order of its docs all the same.
#' @exportS3Method pillar::tbl_format_setup
tbl_format_setup.imbroglio_result <- function(x, width = NULL, ...) {
  shown <- tibble::as_tibble(as.data.frame(x))[order_of_reading(x)]
  setup <- pillar::tbl_format_setup(shown, width = width, ...)
  setup$tbl_sum <- pillar::tbl_sum(x)
  setup
}

order_of_reading <- function(x) {
  columns <- names(x)
  known <- known_columns()
  is <- function(what) vapply(columns, function(name) isTRUE(known[[name]][[what]]), NA)
  by <- c(
    "every", "window", "measure", "family", "innovations", "method", "level", "horizon", "lag",
    "episode", "side", "choice", "cause", "date"
  )
  spans <- c("from", "to", "n")
  lead <- (is("key") | columns %in% by) & !columns %in% spans
  text_rank <- columns == "rank" & is.character(x[["rank"]])
  twice <- function() anyDuplicated(as.data.frame(x)[lead & !text_rank]) > 0L
  # Of windows the day is what tells them apart; of spans, the span; of ranks, the rank.
  if (!is.null(x[["window"]]) || twice()) lead <- lead | columns == "to"
  if (twice()) lead <- lead | columns == "from"
  if (!twice()) lead <- lead & !text_rank
  last <- (is("detail") | columns %in% c(spans, "rank", "horizon_by", "converged")) & !lead
  c(which(lead), which(!lead & !last), which(last & !is("detail")), which(last & is("detail")))
}
