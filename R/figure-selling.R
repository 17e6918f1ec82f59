#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_selling <- function(object, ...) {
  refuse_others(...)
  need_ggplot()
  profile <- selling_profile(object)
  table <- as.data.frame(object)
  name <- basis(object)$book$name
  done <- table[table$security != name & !is.na(table$days), ]
  done$y <- 0
  done$label <- sprintf("%s, %s", done$security, count_days(done$days))
  done$height <- apart(rep(0.08, nrow(done)), 0.07, of = c(0, 1))
  ggplot2::ggplot(profile, ggplot2::aes(.data$day, .data$left)) +
    ggplot2::geom_area(position = "identity", fill = present, alpha = 0.6) +
    ggplot2::geom_line(colour = ink, linewidth = 0.7) +
    ggplot2::geom_segment(
      data = done,
      ggplot2::aes(
        x = .data$days, xend = .data$days, y = 0, yend = .data$height, colour = .data$security
      ),
      linewidth = 0.8
    ) +
    words_layer(
      data = done,
      ggplot2::aes(
        x = .data$days, y = .data$height, label = .data$label, colour = .data$security
      ),
      hjust = -0.05,
      size = 3.6
    ) +
    ggplot2::scale_colour_manual(
      values = colour_of(done$security, attr(object, "source")$universe)
    ) +
    ggplot2::scale_y_continuous(labels = percent_axis) +
    ggplot2::scale_x_continuous(expand = ggplot2::expansion(c(0.01, 0.2))) +
    titles(
      headline(object),
      "The share of the book that is not sold yet; marks: when each holding is sold",
      basis(object),
      x = "Trading days from now",
      y = "Left"
    ) +
    imbroglio_theme()
}
