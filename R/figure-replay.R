#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_replay <- function(object, ...) {
  refuse_others(...)
  need_ggplot(object)
  days <- as.data.frame(replay_series(object))
  table <- as.data.frame(object)
  days$episode <- factor(days$episode, table$episode)
  deepest <- data.frame(
    episode = factor(table$episode, table$episode),
    date = table$deepest_date,
    value = table$deepest,
    side = ifelse(deepest_late(table), 1.05, -0.05)
  )
  # In narrow panels one below the other.
  across <- ggplot2::wrap_dims(nrow(table))[2L]
  between <- if (figure_width() / across < 4) "\n" else " "
  deepest$label <- sprintf("%s%son %s", percent(deepest$value, 1L), between, deepest$date)
  if (!is.null(table[["deepest_value"]])) {
    worth <- money(table$deepest_value, basis(object)$currency)
    deepest$label <- sprintf("%s%s(%s)", deepest$label, between, worth)
  }
  panels <- sprintf("%s: %s", table$episode, percent(table$total_return, 1L))
  panels <- stats::setNames(panels, table$episode)
  ggplot2::ggplot(days, ggplot2::aes(.data$date, .data$total_return)) +
    ggplot2::geom_hline(yintercept = 0, colour = quiet, linewidth = 0.3) +
    ggplot2::geom_area(position = "identity", fill = loss, alpha = 0.14) +
    ggplot2::geom_line(colour = ink, linewidth = 0.5) +
    ggplot2::geom_point(
      data = deepest, ggplot2::aes(y = .data$value), colour = loss, size = 2.4
    ) +
    words_layer(
      data = deepest,
      ggplot2::aes(y = .data$value, label = .data$label, hjust = .data$side),
      colour = loss,
      size = 3.6,
      vjust = 1.4,
      lineheight = 0.9
    ) +
    ggplot2::facet_wrap(
      ggplot2::vars(.data$episode),
      scales = "free_x",
      labeller = ggplot2::as_labeller(panels)
    ) +
    ggplot2::scale_x_date(
      date_labels = "%Y-%m", breaks = scales::breaks_pretty(if (between == " ") 4 else 2)
    ) +
    ggplot2::scale_y_continuous(
      labels = percent_axis,
      expand = room_for_words(c(if (between == " ") 0.12 else 0.2, 0.05))
    ) +
    titles(
      in_words(object)[1L],
      paste0(
        "What the book of today would have done since the start of each, the worst first; above, ",
        "where it ended"
      ),
      basis(object)
    ) +
    imbroglio_theme()
}

# Whether the deepest point lies in the right half of its episode.
deepest_late <- function(table) {
  as.numeric(table$deepest_date - table$from) > 0.5 * as.numeric(table$to - table$from)
}

#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_replay_split <- function(object, ...) {
  refuse_others(...)
  need_ggplot(object)
  table <- as.data.frame(object)
  name <- basis(object)$book$name
  whole <- table[table$security == name, ]
  of <- table[table$security != name, ]
  refuse_without_rows(nrow(whole) > 0L, nrow(of) > 0L)
  titled <- sprintf("%s: %s", whole$episode, percent(whole$component, 1L))
  component_bars(
    object,
    factor(titled[match(of$episode, whole$episode)], titled),
    of$security,
    of$component,
    "What each holding adds to the return of the book of today"
  )
}

#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_shock <- function(object, ...) {
  refuse_others(...)
  need_ggplot(object)
  table <- as.data.frame(object)
  name <- basis(object)$book$name
  table$what <- ifelse(
    table$security == name, "the book", ifelse(table$given, "given", "carried")
  )
  table$row <- factor(seq_len(nrow(table)), rev(seq_len(nrow(table))))
  colours <- colour_of(table$security, attr(object, "source")$universe)
  colours[name] <- ink
  table$label <- sprintf(
    "%s%s",
    percent(table$move, 1L),
    ifelse(table$weight == 0, "", sprintf(", %s", unit_text$points(table$component)))
  )
  ggplot2::ggplot(table, ggplot2::aes(.data$move, .data$row, colour = .data$security)) +
    ggplot2::geom_vline(xintercept = 0, colour = quiet, linewidth = 0.3) +
    ggplot2::geom_segment(
      ggplot2::aes(x = .data$move_low, xend = .data$move_high, yend = .data$row),
      linewidth = 2.4,
      alpha = 0.35
    ) +
    ggplot2::geom_point(ggplot2::aes(shape = .data$what), size = 3.4) +
    words_layer(
      ggplot2::aes(x = .data$move_high, label = .data$label),
      hjust = -0.16,
      size = 3.6,
      colour = ink
    ) +
    ggplot2::scale_shape_manual(values = c("the book" = 18, given = 15, carried = 16)) +
    ggplot2::scale_colour_manual(values = colours) +
    ggplot2::scale_y_discrete(labels = stats::setNames(
      sprintf("%s%s", table$security, ifelse(table$given, " (given)", "")),
      table$row
    )) +
    ggplot2::scale_x_continuous(
      labels = percent_axis,
      expand = room_for_words(c(0.06, 0.22))
    ) +
    titles(
      headline(object),
      "Dots: expected moves; bars: their interval; beside them the part of the book",
      basis(object),
      x = "Move"
    ) +
    imbroglio_theme()
}
