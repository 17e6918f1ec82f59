# How far a number goes over a grid of choices: each alone, and all, beside the error of the
# sample.

#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_choices <- function(object, ...) {
  refuse_others(...)
  need_ggplot(object)
  drawn <- choices_to_draw(object)
  table <- drawn$table
  own <- drawn$own
  record <- limit_measures()[[table$measure[1L]]]
  percent <- record$unit %in% c("fraction", "share")
  ggplot2::ggplot(table, ggplot2::aes(y = .data$row)) +
    ggplot2::geom_rect(
      ggplot2::aes(
        xmin = .data$chance_low, xmax = .data$chance_high, ymin = -Inf, ymax = Inf
      ),
      data = own[!is.na(own$chance_error), ], inherit.aes = FALSE, fill = rule, alpha = 0.7
    ) +
    ggplot2::geom_vline(ggplot2::aes(xintercept = .data$estimate), data = own, colour = ink) +
    ggplot2::geom_point(
      ggplot2::aes(.data$value, .data$row), data = drawn$dots,
      colour = book_colour, alpha = 0.35, size = 2.4,
      position = ggplot2::position_jitter(0, 0.18, seed = 1L)
    ) +
    ggplot2::geom_segment(
      ggplot2::aes(.data$swing_low, xend = .data$swing_high, yend = .data$row),
      colour = book_colour, linewidth = 2.4
    ) +
    words_layer(
      ggplot2::aes(.data$swing_low, label = .data$least_at), hjust = 1.1, size = 3.5, colour = ink
    ) +
    words_layer(
      ggplot2::aes(.data$swing_high, label = sprintf(
        "%s   %s", .data$most_at,
        ifelse(is.na(.data$share_together), "", unit_text$share(.data$share_together))
      )),
      hjust = -0.08, size = 3.5, colour = ink
    ) +
    ggplot2::facet_wrap(ggplot2::vars(.data$panel), scales = "free_x") +
    ggplot2::scale_y_discrete(limits = rev(drawn$rows)) +
    ggplot2::scale_x_continuous(
      labels = if (percent) scales::label_percent(suffix = " %") else ggplot2::waiver(),
      breaks = scales::breaks_pretty(5), expand = room_for_words(c(0.16, 0.22))
    ) +
    titles(
      headline(object),
      paste(
        "Each choice alone, all else as chosen, and its share of the variance over all; the line",
        "is what was chosen, the band two standard errors of the sample"
      ),
      basis(object),
      x = title_at_level(object)
    ) +
    imbroglio_theme()
}
