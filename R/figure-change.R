# What moved a number: from what it was to what it is, a step for each cause.

#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_change <- function(object, ...) {
  refuse_others(...)
  need_ggplot(object)
  table <- as.data.frame(object)
  sizes <- tapply(abs(table$number_after - table$number_before), table$security, max)
  shown <- names(utils::head(sort(sizes, decreasing = TRUE), 4L))
  record <- told_measures()[[table$measure[1L]]]
  unit <- units_of_rows(table)[1L]
  steps <- do.call(rbind, lapply(shown, function(s) {
    # Less of a fall is above it.
    steps_of_change(table[table$security == s, ], isTRUE(record$depth))
  }))
  ends <- steps$kind == "end"
  steps$label <- ifelse(
    ends, trimws(unit_text[[unit]](steps$to)), signed_difference(steps$size, unit)
  )
  steps$panel <- factor(steps$security, shown)
  steps$row <- factor(seq_len(nrow(steps)), rev(seq_len(nrow(steps))))
  steps$below <- factor(c(as.character(steps$row)[-1L], NA), levels(steps$row))
  steps$right <- pmax(steps$from, steps$to)
  colours <- c(end = ink, worse = loss, better = present)
  rows_said <- stats::setNames(steps$said, steps$row)
  percent <- unit %in% c("fraction", "share")
  ggplot2::ggplot(steps, ggplot2::aes(.data$to, .data$row)) +
    ggplot2::geom_blank() +
    ggplot2::geom_segment(
      ggplot2::aes(.data$to, xend = .data$to, yend = .data$below),
      data = steps[!is.na(steps$joined), ], colour = faint, linewidth = 0.4
    ) +
    ggplot2::geom_segment(
      ggplot2::aes(.data$from, xend = .data$to, yend = .data$row, colour = .data$kind),
      data = steps[!ends, ], linewidth = 6
    ) +
    ggplot2::geom_point(data = steps[ends, ], size = 4, colour = ink) +
    words_layer(
      ggplot2::aes(.data$right, label = .data$label), hjust = -0.25, size = 3.8, colour = ink
    ) +
    ggplot2::scale_colour_manual(values = colours, guide = "none") +
    ggplot2::scale_y_discrete(labels = rows_said) +
    ggplot2::scale_x_continuous(
      labels = if (percent) scales::label_percent(suffix = " %") else ggplot2::waiver(),
      breaks = scales::breaks_pretty(4),
      expand = room_for_words(c(0.08, 0.2 + 0.12 * min(2, length(shown) - 1)))
    ) +
    ggplot2::facet_wrap(ggplot2::vars(.data$panel), scales = "free") +
    titles(
      headline(object),
      "From what it was to what it is: each cause by its Shapley value, above all what is named",
      basis(object),
      x = title_at_level(object)
    ) +
    imbroglio_theme()
}
