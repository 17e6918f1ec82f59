#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_backtest <- function(object, security = NULL, ...) {
  refuse_others(...)
  need_ggplot(object)
  table <- as.data.frame(object)
  securities <- unique(table$security)
  if (is.null(security) && length(securities) > 1L) return(backtest_matrix(object, table))
  security <- check_choice(security %||% securities[1L], "security", securities)
  drawn <- backtest_drawn(object, table[table$security == security, ])
  money <- counts_money(object)
  ggplot2::ggplot(drawn$days) +
    ggplot2::geom_rect(
      data = drawn$zones,
      ggplot2::aes(
        xmin = .data$from, xmax = .data$to, ymin = -Inf, ymax = Inf, fill = .data$zone
      ),
      alpha = 0.75
    ) +
    ggplot2::geom_segment(
      ggplot2::aes(x = .data$date, xend = .data$date, y = 0, yend = .data$return),
      colour = faint,
      linewidth = 0.25
    ) +
    ggplot2::geom_line(ggplot2::aes(.data$date, -.data$var), colour = ink, linewidth = 0.5) +
    ggplot2::geom_point(
      data = drawn$breaches,
      ggplot2::aes(.data$date, .data$return),
      colour = loss,
      size = 1.3
    ) +
    words_layer(
      data = drawn$zones,
      ggplot2::aes(x = .data$from, y = -Inf, label = paste0(" ", .data$breaches)),
      colour = quiet,
      hjust = 0,
      vjust = -0.4,
      size = 3
    ) +
    ggplot2::facet_wrap(
      ggplot2::vars(.data$row), ncol = if (nlevels(drawn$days$row) > 4L) 2L else 1L
    ) +
    ggplot2::scale_fill_manual(values = zone_colours) +
    date_axis() +
    ggplot2::scale_y_continuous(labels = amount_axis(object), breaks = scales::breaks_pretty(4)) +
    titles(
      headline_of(object),
      sprintf(
        paste0(
          "Grey: %s %s; line: value at risk at %s, from the returns before; red: ",
          "breaches. Behind: runs of %s days with their breaches, blue where they are few ",
          "enough, amber or red where not"
        ),
        adverb_of(every_in_all(object)),
        if (money) "profits" else "returns",
        unit_text$level(max(table$level)),
        count(attr(object, "zone_days"))
      ),
      basis(object),
      y = paste(security, if (money) "profit" else "return")
    ) +
    imbroglio_theme()
}

# The days at the highest level, with the breaches and zones of each method.
backtest_drawn <- function(object, table) {
  highest <- function(rows) {
    rows[rows$security == table$security[1L] & rows$level == max(table$level), ]
  }
  table <- highest(table)
  days <- highest(as.data.frame(backtest_days(object)))
  days$return <- as_simple(days$return, attr(object, "source")$kind)
  labels <- sprintf(
    "%s: %s, %s expected",
    table$method,
    count(table$breaches, "breach", "breaches"),
    unit_text$one(table$expected)
  )
  with_row <- function(rows) {
    rows$row <- factor(labels[match(rows$method, table$method)], labels)
    rows
  }
  zones <- highest(as.data.frame(backtest_zones(object)))
  days <- with_row(days)
  list(days = days, breaches = days[days$breach, ], zones = with_row(zones))
}

# Of several securities: the exact p of each method, rejected or not.
backtest_matrix <- function(object, table) {
  table <- table[table$level == max(table$level), ]
  table$found <- ifelse(
    is.na(table$exact_p),
    "not tested",
    ifelse(
      table$exact_p >= 0.05,
      "as expected",
      ifelse(table$breaches > table$expected, "too many", "too few")
    )
  )
  table$label <- ifelse(is.na(table$breach_rate), "", percent(table$breach_rate, 1L))
  table$column <- factor(table$method, unique(table$method))
  table$row <- factor(table$security, rev(unique(table$security)))
  best <- table[table$place %in% 1L, ]
  ggplot2::ggplot(table, ggplot2::aes(.data$column, .data$row)) +
    ggplot2::geom_tile(ggplot2::aes(fill = .data$found), colour = "white", linewidth = 1.2) +
    (if (length(unique(table$method)) > 1L) {
      ggplot2::geom_tile(
        data = best, fill = NA, colour = ink, linewidth = 0.9, width = 0.94, height = 0.9
      )
    }) +
    words_layer(
      ggplot2::aes(label = .data$label),
      colour = ink,
      size = if (nrow(table) > 200L) 2.4 else 3.5
    ) +
    ggplot2::scale_fill_manual(values = verdict_colours) +
    ggplot2::scale_x_discrete(position = "top") +
    titles(
      headline_of(object),
      paste0(
        paste0(
          "Share of days with a breach; blue: not rejected at 5 %, red: too many, grey: ",
          "too few"
        ),
        if (length(unique(table$method)) > 1L) "; framed: the best line"
      ),
      basis(object)
    ) +
    ggplot2::labs(x = NULL, y = NULL) +
    imbroglio_theme() +
    ggplot2::theme(
      panel.grid.major = ggplot2::element_blank(),
      axis.text = ggplot2::element_text(colour = ink)
    )
}
