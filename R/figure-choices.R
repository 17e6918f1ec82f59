# How far a number goes over a grid of choices: each alone, and all, beside the error of the
# sample.

#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_choices <- function(object, ...) {
  refuse_others(...)
  need_ggplot()
  table <- as.data.frame(object)
  spread <- tapply((table$grid_most - table$grid_least) / abs(table$estimate), table$security, max)
  shown <- names(utils::head(sort(spread, decreasing = TRUE), 2L))
  table <- table[table$security %in% shown, ]
  table <- table[order(match(table$security, shown), -table$share_together), ]
  record <- limit_measures()[[table$measure[1L]]]
  writer <- unit_text[[record$unit]]
  whole <- "all combinations"
  rows <- c(whole, unique(gsub("_", " ", table$choice)))
  table$row <- factor(gsub("_", " ", table$choice), rev(rows))
  table$panel <- factor(table$security, shown)
  still <- table$swing == 0
  table$least_at[still] <- ""
  table$most_at[still] <- "the same"
  grid <- attr(object, "grid")$numbers
  dots <- data.frame(
    panel = factor(rep(shown, each = nrow(grid)), shown),
    row = factor(whole, rev(rows)), value = as.vector(grid[, shown])
  )
  own <- table[!duplicated(table$security), ]
  own$shown_row <- factor(whole, rev(rows))
  own$chance_low <- own$estimate - 2 * own$chance_error
  own$chance_high <- own$estimate + 2 * own$chance_error
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
      ggplot2::aes(.data$value, .data$row), data = dots[!is.na(dots$value), ],
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
    ggplot2::scale_y_discrete(limits = rev(rows)) +
    ggplot2::scale_x_continuous(
      labels = if (percent) scales::label_percent(suffix = " %") else ggplot2::waiver(),
      breaks = scales::breaks_pretty(5), expand = ggplot2::expansion(c(0.16, 0.22))
    ) +
    titles(
      headline(object),
      paste(
        "Each choice alone, all else as chosen, and its share of the variance over all; the line",
        "is what was chosen, the band two standard errors of the sample"
      ),
      basis(object),
      x = record$title
    ) +
    imbroglio_theme()
}
