# Several securities, one number each, a column of the result: in order, with the numbers written
# in its unit.
ranking_figure <- function(object, column, what, subtitle, rows = NULL, notes = NULL,
                           digits = 1L) {
  table <- as.data.frame(object)
  ranked <- data.frame(
    security = table$security,
    size = table[[column]],
    few = stands_on_little(table),
    label = rows %||% table$security,
    note = notes %||% rep("", nrow(table))
  )
  ranked <- ranked[!is.na(ranked$size), ]
  ranked <- ranked[order(!ranked$few, if (all(ranked$size <= 0)) -ranked$size else ranked$size), ]
  ranked$row <- factor(seq_len(nrow(ranked)))
  colours <- colour_of(unique(ranked$security), attr(object, "source")$universe)
  side <- if (all(ranked$size <= 0)) -1 else 1
  ranked$beyond <- ifelse(ranked$size < 0, 1.2, -0.25)
  # Room for the numbers beyond the dots, and for the notes beside zero.
  room <- if (side > 0) {
    c(if (any(ranked$size < 0)) 0.1 else 0, 0.16)
  } else {
    c(0.12, if (is.null(notes)) 0 else 0.62)
  }
  breaks <- pretty(c(0, ranked$size), 5L)
  ggplot2::ggplot(ranked, ggplot2::aes(.data$size, .data$row, colour = .data$security)) +
    ggplot2::geom_segment(
      ggplot2::aes(x = 0, xend = .data$size, yend = .data$row),
      linewidth = 0.9,
      alpha = 0.55
    ) +
    ggplot2::geom_point(size = 3.4) +
    words_layer(
      ggplot2::aes(label = written_as(object, column, digits)(.data$size), hjust = .data$beyond),
      size = 3.7
    ) +
    words_layer(
      ggplot2::aes(x = 0, label = .data$note),
      hjust = 0,
      size = 3.6,
      colour = quiet
    ) +
    ggplot2::scale_colour_manual(values = colours) +
    ggplot2::scale_x_continuous(
      labels = axis_of(object, column),
      breaks = breaks,
      expand = room_for_words(room)
    ) +
    ggplot2::scale_y_discrete(labels = ranked$label) +
    titles(
      headline(object),
      subtitle,
      basis(object),
      x = if (counts_money(object)) sub("Return", "Profit", what) else what
    ) +
    imbroglio_theme() +
    ggplot2::theme(
      panel.grid.major.y = ggplot2::element_blank(),
      axis.text.y = ggplot2::element_text(colour = ink)
    )
}
