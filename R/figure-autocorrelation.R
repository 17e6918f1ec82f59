#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_autocorrelation <- function(object, ...) {
  refuse_others(...)
  need_ggplot(object)
  table <- as.data.frame(object)
  table <- table[!is.na(table$autocorrelation), ]
  if (!nrow(table)) fail("too_short", "There is no autocorrelation to show.")
  securities <- unique(table$security)
  table$security <- factor(table$security, securities)
  table$place <- factor(table$lag)
  ggplot2::ggplot(table, ggplot2::aes(.data$place, .data$autocorrelation)) +
    ggplot2::geom_linerange(
      ggplot2::aes(
        ymin = -1.96 * .data$autocorrelation_error, ymax = 1.96 * .data$autocorrelation_error
      ),
      colour = faint, linewidth = 7, alpha = 0.55
    ) +
    ggplot2::geom_hline(yintercept = 0, colour = quiet, linewidth = 0.3) +
    ggplot2::geom_segment(
      ggplot2::aes(xend = .data$place, yend = 0, colour = .data$security), linewidth = 0.9
    ) +
    ggplot2::geom_point(ggplot2::aes(colour = .data$security), size = 2.8) +
    ggplot2::scale_colour_manual(values = colour_of(securities, attr(object, "source")$universe)) +
    ggplot2::facet_wrap(ggplot2::vars(.data$security)) +
    titles(
      headline(object),
      "Bands: where 95 in 100 lie of returns that do not lean on those before them",
      basis(object),
      x = "Returns before", y = "Autocorrelation"
    ) +
    imbroglio_theme() +
    ggplot2::theme(panel.grid.major.x = ggplot2::element_blank())
}
