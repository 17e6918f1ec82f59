#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_compare <- function(object, ...) {
  refuse_others(...)
  need_ggplot()
  table <- as.data.frame(object)
  known <- rolling_measures()
  scale <- ifelse(vapply(known[table$measure], `[[`, "", "unit") == "fraction", 100, 1)
  titled <- vapply(known[unique(table$measure)], function(r) {
    paste0(r$title, if (r$unit == "fraction") ", pp" else "")
  }, "")
  other <- sub("^from ", "before and from ", table$other)
  table$what <- paste(table$security, other, sep = ", ")
  points <- data.frame(
    panel = factor(titled[table$measure], titled),
    row = factor(table$what, rev(unique(table$what))),
    security = table$security,
    value = table$difference * scale,
    low = table$difference_low * scale,
    high = table$difference_high * scale,
    known = !is.na(table$p)
  )
  points$label <- sprintf("%.2f", points$value)
  colours <- colour_of(unique(points$security), attr(object, "source")$universe)
  colours[is.na(colours)] <- ink
  ggplot2::ggplot(points, ggplot2::aes(.data$value, .data$row, colour = .data$security)) +
    ggplot2::geom_vline(xintercept = 0, colour = quiet, linewidth = 0.4) +
    ggplot2::geom_segment(
      data = points[!is.na(points$low), ],
      ggplot2::aes(x = .data$low, xend = .data$high, yend = .data$row),
      linewidth = 1.8,
      alpha = 0.35
    ) +
    ggplot2::geom_point(ggplot2::aes(shape = .data$known), fill = "white", size = 3, stroke = 1) +
    ggplot2::scale_shape_manual(values = c(`TRUE` = 19, `FALSE` = 21), guide = "none") +
    ggplot2::scale_x_continuous(expand = ggplot2::expansion(mult = 0.12)) +
    words_layer(ggplot2::aes(label = .data$label), vjust = -1, size = 3.5) +
    ggplot2::scale_colour_manual(values = colours) +
    ggplot2::facet_wrap(ggplot2::vars(.data$panel), scales = "free_x") +
    titles(
      headline(object),
      paste0(
        sprintf(
          paste(
            "The first less the second (pp: percentage points), and its interval of %s; what",
            "crosses the line could be chance"
          ),
          unit_text$level(basis(object)$exact$confidence)
        ),
        if (anyNA(table$p)) ". Empty points: it cannot be said"
      ),
      basis(object),
      x = "Difference"
    ) +
    imbroglio_theme()
}
