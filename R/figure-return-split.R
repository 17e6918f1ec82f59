#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_return_split <- function(object, ...) {
  refuse_others(...)
  need_ggplot()
  table <- as.data.frame(object)
  name <- basis(object)$book$name
  in_money <- !is.null(table[["component_value"]])
  table$size <- if (in_money) table$component_value else table$component
  whole <- table[table$security == name, ]
  table <- table[table$security != name & (table$security != "cash" | table$size != 0), ]
  amount <- added_writer(object)
  table$label <- amount(table)
  titles_of <- sprintf(
    "%s: %s", ifelse(whole$over == "day", format(whole$to), sentence_case(whole$over)),
    amount(whole)
  )
  panel <- function(rows) {
    at <- match(paste(rows$over, rows$from), paste(whole$over, whole$from))
    factor(titles_of[at], unique(titles_of))
  }
  table$panel <- panel(table)
  order_of <- unique(table$security)
  table$row <- factor(table$security, rev(order_of))
  colours <- colour_of(order_of, attr(object, "source")$universe)
  colours[is.na(colours)] <- ink
  names(colours) <- order_of
  table$side <- ifelse(table$size < 0, 1.15, -0.15)
  ggplot2::ggplot(table, ggplot2::aes(.data$size, .data$row, colour = .data$security)) +
    ggplot2::geom_vline(xintercept = 0, colour = quiet, linewidth = 0.3) +
    ggplot2::geom_segment(
      ggplot2::aes(x = 0, xend = .data$size, yend = .data$row), linewidth = 2.4, alpha = 0.6
    ) +
    ggplot2::geom_point(size = 2.6) +
    words_layer(ggplot2::aes(label = .data$label, hjust = .data$side), size = 3.5) +
    ggplot2::facet_wrap(ggplot2::vars(.data$panel), scales = "free_x") +
    ggplot2::scale_colour_manual(values = colours) +
    ggplot2::scale_x_continuous(
      labels = if (in_money) scales::label_comma() else percent_axis,
      breaks = scales::breaks_pretty(4), expand = ggplot2::expansion(0.28)
    ) +
    titles(
      headline(object),
      "What each holding added; below 0 it cost",
      basis(object),
      x = if (in_money) {
        sprintf("Added, %s", basis(object)$currency %||% "money")
      } else {
        "Part of the return of the book"
      }
    ) +
    imbroglio_theme()
}
