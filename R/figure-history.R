# A study's numbers day by day: as they were, and but for all that was traded since the first.

#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_history <- function(object, ...) {
  refuse_others(...)
  need_ggplot(object)
  drawn <- history_to_draw(object)
  drawn$ends$label_at <- drawn$ends$value
  for (panel in levels(drawn$lines$panel)) {
    here <- drawn$ends$panel == panel
    drawn$ends$label_at[here] <- apart(
      drawn$ends$value[here], 0.2, of = drawn$lines$value[drawn$lines$panel == panel]
    )
  }
  plot <- ggplot2::ggplot(drawn$lines, ggplot2::aes(.data$date, .data$value)) +
    ggplot2::geom_line(
      ggplot2::aes(colour = .data$line, linewidth = .data$line), lineend = "round"
    ) +
    (if (drawn$alone) ggplot2::geom_point(ggplot2::aes(colour = .data$line))) +
    words_layer(
      ggplot2::aes(label = .data$label, y = .data$label_at, colour = .data$line),
      data = drawn$ends, hjust = 0, nudge_x = drawn$nudge, size = 3.4, lineheight = 0.9
    ) +
    ggplot2::scale_colour_manual(values = c(was = book_colour, untraded = doubtful)) +
    ggplot2::scale_linewidth_manual(values = c(was = 0.8, untraded = 0.5)) +
    ggplot2::facet_wrap(ggplot2::vars(.data$panel), scales = "free_y", ncol = 2L) +
    ggplot2::scale_x_date(
      breaks = scales::breaks_pretty(4), expand = room_for_words(c(0.02, 0.26))
    ) +
    ggplot2::scale_y_continuous(
      labels = scales::label_comma(), breaks = scales::breaks_pretty(4),
      expand = room_for_words(0.13)
    )
  plot +
    titles(
      headline(object),
      if (any(drawn$lines$line == "untraded")) {
        "Each number as it was recorded, and but for all that trades did to it since the first day"
      } else {
        drawn$untraded
      },
      basis(object)
    ) +
    imbroglio_theme()
}
