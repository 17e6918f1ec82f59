#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_bootstrap <- function(object, ...) {
  refuse_others(...)
  need_ggplot(object)
  drawn <- attr(object, "drawn")
  table <- as.data.frame(object)
  worth <- drawn$book$value
  per <- worth %||% 100
  value <- drawn$value * per
  seen <- central(value, 0.999)
  bars <- histogram_of(value, seen, 100L)
  bars$beyond <- bars$to <= per * (1 - min(table$var)) + 1e-9 * per
  top <- max(bars$share)
  period <- period_name(every_in_all(object), table$horizon[1L])
  ggplot2::ggplot(bars) +
    shares_layer(bars, "share", security_colours[1L]) +
    ggplot2::annotate(
      "segment", x = per, xend = per, y = 0, yend = Inf, colour = ink, linewidth = 0.5,
      linetype = 2
    ) +
    ggplot2::annotate(
      "text",
      x = per,
      y = top * 1.07,
      label = "  today",
      hjust = 0,
      colour = ink,
      size = 3.7
    ) +
    loss_lines(table, per, top, money = !is.null(worth), nudge = -0.006 * (seen[2L] - seen[1L])) +
    percentile_ticks(value, top) +
    ggplot2::scale_x_continuous(
      labels = scales::label_comma(),
      breaks = scales::breaks_pretty(max(4, round(8 * figure_width() / usual_width))),
      expand = room_for_words(0.05)
    ) +
    ggplot2::scale_y_continuous(
      labels = percent_axis,
      expand = room_for_words(c(0.04, 0.08)),
      breaks = not_below_zero(top, 5)
    ) +
    titles(
      paste0(loss_sentence(table[which.max(table$level), ], every_in_all(object)), "."),
      sprintf(
        "What %s is worth after %s drawn paths of %s; ticks below: percentiles",
        drawn$book$name,
        count(drawn$how$draws),
        period$within
      ),
      basis(object),
      x = sprintf(
        "Value after %s%s",
        period$within,
        if (is.null(worth)) ", of 100 today" else ""
      ),
      y = "Share of paths"
    ) + imbroglio_theme()
}

# The innermost line is the highest, so that no label crosses another line.
loss_lines <- function(table, per, top, money, nudge) {
  written <- if (money) unit_text$money else unit_text$one
  lines <- table[order(table$var), ]
  lines$x <- per * (1 - lines$var)
  lines$y <- top * (1 - 0.16 * (seq_len(nrow(lines)) - 1))
  lines$label <- sprintf(
    "%s: %s left\na loss of %s (%s)",
    unit_text$level(lines$level),
    written(lines$x),
    written(per - lines$x),
    percent(lines$var)
  )
  list(
    ggplot2::geom_segment(
      data = lines,
      ggplot2::aes(x = .data$x, xend = .data$x, y = 0, yend = .data$y),
      colour = loss,
      linewidth = 0.6
    ),
    words_layer(
      data = lines,
      ggplot2::aes(x = .data$x, y = .data$y, label = .data$label),
      colour = loss,
      hjust = 1,
      vjust = 1,
      size = 3.8,
      lineheight = 0.95,
      nudge_x = nudge
    )
  )
}

percentile_ticks <- function(value, top) {
  marks <- data.frame(
    x = percentiles(value),
    label = paste(c("5", "25", "50", "75", "95"), "%")
  )
  list(
    ggplot2::geom_segment(
      data = marks,
      ggplot2::aes(x = .data$x, xend = .data$x, y = -top * 0.012, yend = -top * 0.035),
      colour = quiet
    ),
    words_layer(
      data = marks,
      ggplot2::aes(x = .data$x, y = -top * 0.06, label = .data$label),
      colour = quiet,
      size = 3.4
    )
  )
}

# What each holding adds, over what it would risk alone.
#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_split <- function(object, ...) {
  refuse_others(...)
  need_ggplot(object)
  table <- as.data.frame(object)
  table <- table[table$level == max(table$level), ]
  parts <- table[!table$security == names(basis(object)$observations), ]
  parts$method <- factor(parts$method, unique(parts$method))
  parts$row <- sprintf("%s, %s", parts$security, percent(parts$weight, 0L))
  parts$row <- factor(parts$row, rev(unique(parts$row[order(parts$method, -parts$component)])))
  parts$label <- sub(
    " (",
    "\n(",
    sprintf("%s of VaR%s", percent(parts$share, 0L), share_interval(parts)),
    fixed = TRUE
  )
  parts$at <- pmax(parts$component, parts$var_alone, 0)
  colours <- colour_of(unique(parts$security), attr(object, "source")$universe)
  ggplot2::ggplot(parts, ggplot2::aes(y = .data$row)) +
    ggplot2::geom_col(ggplot2::aes(x = .data$var_alone), fill = rule, width = 0.72) +
    ggplot2::geom_col(ggplot2::aes(x = .data$component, fill = .data$security), width = 0.42) +
    ggplot2::geom_vline(xintercept = 0, colour = quiet, linewidth = 0.3) +
    words_layer(
      ggplot2::aes(x = .data$at, label = gsub("(^|\n)", "\\1  ", .data$label)),
      hjust = 0,
      colour = ink,
      lineheight = 0.95,
      size = if (nlevels(parts$method) > 3L) 3 else 3.7
    ) +
    ggplot2::scale_fill_manual(values = colours) +
    ggplot2::scale_x_continuous(
      labels = percent_axis,
      breaks = scales::breaks_pretty(if (nlevels(parts$method) > 2L) 3 else 5),
      expand = room_for_words(c(0.02, c(0.22, 0.35, 0.6)[min(nlevels(parts$method), 3L)]))
    ) +
    ggplot2::facet_wrap(ggplot2::vars(.data$method)) +
    titles(
      headline_of(object),
      paste0(
        "Coloured: what the holding adds to the value at risk of the book; grey: what it ",
        "would be alone; in brackets: 95 of 100 draws of the days"
      ),
      basis(object),
      x = sprintf("Value at risk at %s, of the book", unit_text$level(max(table$level)))
    ) +
    ggplot2::labs(y = NULL) +
    imbroglio_theme() +
    ggplot2::theme(
      axis.text.y = ggplot2::element_text(colour = ink),
      panel.grid.major.y = ggplot2::element_blank()
    )
}
