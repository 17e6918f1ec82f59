#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_limits <- function(object, ...) {
  refuse_others(...)
  need_ggplot()
  table <- as.data.frame(object)
  known <- limit_measures()
  table$use <- use_of_limits(table)
  table <- table[!is.na(table$use), ]
  if (!nrow(table)) fail("too_short", "There is no limit of which the state is known.")
  units <- vapply(known[table$measure], `[[`, "", "unit")
  titles <- vapply(seq_len(nrow(table)), function(i) limit_title(table[i, ]), "")
  table$what <- paste(table$security, titles, sep = ": ")
  counted <- table[["unit"]] %||% rep(NA_character_, nrow(table))
  table$row <- factor(seq_len(nrow(table)), rev(seq_len(nrow(table))))
  written <- vapply(seq_len(nrow(table)), function(i) {
    writer <- unit_text[[units[i]]]
    if (!is.na(counted[i])) writer <- function(x) money(x, counted_in(counted[i]))
    sprintf("%s of %s", writer(table$estimate[i]), writer(table$limit[i]))
  }, "")
  unknown <- table$state == "not measurable"
  written[unknown] <- sprintf("not measurable since %s: %s", table$to, written)[unknown]
  table$label <- paste0(written, ifelse(is.na(table$since), "", paste(" since", table$since)))
  ggplot2::ggplot(table, ggplot2::aes(.data$use, .data$row, colour = .data$state)) +
    ggplot2::geom_segment(
      ggplot2::aes(x = 0, xend = .data$use, yend = .data$row), linewidth = 1.4, alpha = 0.5
    ) +
    ggplot2::geom_vline(xintercept = 1, colour = loss, linetype = "22") +
    ggplot2::geom_point(size = 3) +
    words_layer(ggplot2::aes(label = paste0("   ", .data$label)), hjust = 0, size = 3.5) +
    ggplot2::scale_colour_manual(values = c(
      broken = loss, "not measurable" = doubtful, near = doubtful, within = quiet
    )) +
    ggplot2::scale_y_discrete(labels = stats::setNames(table$what, table$row)) +
    ggplot2::scale_x_continuous(
      labels = percent_axis,
      # Long names leave less of the picture for the panel.
      limits = c(0, room_for(
        table$use, table$label, 0.0093 / (1 - 0.0075 * min(80, max(nchar(table$what))))
      )),
      breaks = scales::breaks_pretty(6),
      expand = ggplot2::expansion(0)
    ) +
    titles(
      headline(object),
      "How much of each limit is used; beyond the line it is broken",
      basis(object),
      x = "Use of the limit"
    ) +
    imbroglio_theme()
}
