#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_currency <- function(object, ...) {
  refuse_others(...)
  need_ggplot()
  table <- as.data.frame(object)
  shown <- utils::head(table$security, 6L)
  lines <- currency_paths(attr(object, "source"), shown)
  named <- c(local = "in its own currency", rate = "the currency", both = "to who counts in %s")
  ends <- last_of_each(lines, c("security", "what"))
  ends <- do.call(rbind, lapply(split(ends, ends$security, drop = TRUE), function(of) {
    of$label_at <- apart(of$value, 0.07, of = lines$value[lines$security == of$security[1L]])
    of
  }))
  ends$label <- sprintf("%s %.0f", sprintf(named[ends$what], table$base[1L]), ends$value)
  ggplot2::ggplot(lines, ggplot2::aes(.data$date, .data$value, colour = .data$what)) +
    ggplot2::geom_hline(yintercept = 100, colour = quiet, linewidth = 0.3) +
    ggplot2::geom_line(linewidth = 0.55) +
    words_layer(
      data = ends,
      ggplot2::aes(y = .data$label_at, label = .data$label),
      hjust = -0.04,
      size = 3.4
    ) +
    ggplot2::scale_colour_manual(values = c(
      local = method_colours[2L], rate = faint, both = ink
    )) +
    ggplot2::facet_wrap(ggplot2::vars(.data$security), ncol = 1L, scales = "free_y") +
    date_axis() +
    ggplot2::coord_cartesian(clip = "off") +
    titles(
      in_words(object)[1L],
      "Growth of 100: in its own currency, of the currency, and of both",
      basis(object)
    ) +
    imbroglio_theme() +
    ggplot2::theme(plot.margin = ggplot2::margin(14, 170, 10, 14))
}
