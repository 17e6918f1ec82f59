# A rolling result of any measure as lines: for one security all its windows, for several a
# panel each.
rolling_panels <- function(object, table, column, y, subtitle, floor = TRUE) {
  source <- attr(object, "source")
  percents <- counts_percent(object, column) && !counts_money(object)
  if (counts_money(object)) {
    y <- sub("Return", "Profit", y)
    subtitle <- sub("returns", "profits", subtitle)
  }
  securities <- unique(table$security)
  table$series <- series_of(table)
  lines <- do.call(rbind, lapply(securities, function(s) {
    part <- with_gaps(table[table$security == s, ], source$dates, column, 1)
    data.frame(security = factor(s, securities), part)
  }))
  lines$run <- run_of_known(lines$value, paste(lines$security, lines$series))
  known <- lines[!is.na(lines$value), ]
  if (!nrow(known)) {
    fail("too_short", "There is nothing to show: no security has as many returns as the window.")
  }
  last <- levels(table$series)[nlevels(table$series)]
  ends <- rolling_ends(object, known, levels(table$series), percents)
  one <- length(securities) == 1L
  stacked <- length(securities) <= 4L
  ggplot2::ggplot(
    known,
    ggplot2::aes(.data$date, .data$value, colour = .data$security, group = .data$run)
  ) +
    (if (!floor) ggplot2::geom_hline(yintercept = 0, colour = quiet, linewidth = 0.3)) +
    ggplot2::geom_line(ggplot2::aes(
      linewidth = .data$series == last,
      alpha = .data$series == last
    )) +
    words_layer(
      data = ends,
      ggplot2::aes(y = .data$label_at, label = .data$label),
      hjust = -0.12,
      size = if (one) 3.8 else 3.2
    ) +
    ggplot2::scale_linewidth_manual(values = c("FALSE" = 0.35, "TRUE" = 0.65)) +
    ggplot2::scale_alpha_manual(values = c("FALSE" = 0.55, "TRUE" = 1)) +
    ggplot2::scale_colour_manual(values = colour_of(securities, source$universe)) +
    ggplot2::facet_wrap(ggplot2::vars(.data$security), ncol = if (stacked) 1L else NULL) +
    ggplot2::scale_x_date(
      date_labels = "%Y",
      breaks = scales::breaks_pretty(if (stacked) 9 else 4),
      expand = room_for_words(c(0.01, if (stacked) 0.09 else 0.16))
    ) +
    ggplot2::scale_y_continuous(
      limits = if (floor) c(0, NA),
      labels = if (percents) percent_axis else scales::label_number(big.mark = ",")
    ) +
    titles(words_between(object, table)[1L], subtitle, basis(object), y = y) +
    imbroglio_theme()
}

# The last value of each line: of one security of all its windows, else of the longest.
rolling_ends <- function(object, known, series, percents) {
  ends <- last_of_each(known, c("security", "series"))
  one <- length(unique(known$security)) == 1L
  if (!one) ends <- ends[ends$series == series[length(series)], ]
  written <- if (percents) {
    percent(ends$value, 1L)
  } else if (counts_money(object)) {
    money(ends$value)
  } else {
    sprintf("%.2f", ends$value)
  }
  ends$label <- paste0(if (one && length(series) > 1L) paste0(ends$series, ": ") else "", written)
  ends$label_at <- if (one) apart(ends$value, 0.04, of = known$value) else ends$value
  ends
}

# What is said of the dates shown, not of the whole sample.
words_between <- function(object, table) {
  table$series <- NULL
  shown <- new_result(
    as.list(table),
    attr(object, "measure"),
    basis(object),
    attr(object, "source")
  )
  if (length(unique(table$security)) == 1L) in_words(shown) else headline(shown)
}

# Of a measure whose record says how several are told apart, and which has no picture of its own.
#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_result <- function(object, start = NULL, end = NULL, ...) {
  refuse_others(...)
  need_ggplot(object)
  reading <- readings(object)
  if (is.null(reading)) {
    fail("argument", sprintf("There is no figure of %s.", lower_case(title_of(object))))
  }
  table <- as.data.frame(object)
  label <- sentence_case(known_columns()[[reading$column]]$label)
  if (is.null(table$window)) {
    return(ranking_figure(object, reading$column, label, record_of(attr(object, "measure"))$asks))
  }
  rolling_panels(
    object, within_dates(table, "to", start, end), reading$column, label,
    sprintf("Over the last %s returns", some(count(unique(table$window)))), floor = FALSE
  )
}
