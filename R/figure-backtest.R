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
  days_drawn(object, drawn, security, max(table$level), sprintf(
    paste0(
      "Behind: runs of %s days with their breaches, blue where they are few enough, amber or red ",
      "where not"
    ),
    count(attr(object, "zone_days"))
  ))
}

#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_backtest_series <- function(object, security = NULL, ...) {
  refuse_others(...)
  need_ggplot(object)
  days <- as.data.frame(object)
  if (!nrow(days)) refuse_no_rows()
  securities <- unique(days$security)
  if (is.null(security) && length(securities) > 1L) {
    fail_in_r(
      "argument", "The days of one security are drawn.",
      where = sprintf("The result has %s.", some(securities)),
      remedy = "Name it: `security`; or draw the backtest itself, which compares them."
    )
  }
  security <- check_choice(security %||% securities[1L], "security", securities)
  shown <- days$security == security & days$level == max(days$level)
  object <- object[shown, ]
  days <- days[shown, ]
  days$return <- as_simple(days$return, basis(object)$kind)
  breaches <- tapply(days$breach, factor(days$method, unique(days$method)), sum)
  labels <- sprintf("%s: %s", names(breaches), count(breaches, "breach", "breaches"))
  days$row <- factor(labels[match(days$method, names(breaches))], labels)
  drawn <- list(days = days, breaches = days[days$breach, ])
  days_drawn(object, drawn, security, days$level[1L])
}

#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_backtest_breaches <- function(object, ...) {
  refuse_others(...)
  need_ggplot(object)
  table <- as.data.frame(object)
  if (!nrow(table)) refuse_no_rows()
  table$row <- paste0(table$security, ", ", table$method, " at ", unit_text$level(table$level))
  table$row <- factor(table$row, unique(table$row))
  across <- if (nlevels(table$row) > 4L) 2L else 1L
  worst <- table[table$excess == stats::ave(table$excess, table$row, FUN = max), ]
  ggplot2::ggplot(table, ggplot2::aes(.data$date, .data$excess)) +
    ggplot2::geom_segment(
      ggplot2::aes(xend = .data$date, yend = 0), colour = loss, linewidth = 0.5
    ) +
    ggplot2::geom_point(colour = loss, size = 1.5) +
    words_layer(
      data = worst,
      ggplot2::aes(label = .data$date),
      colour = loss, size = 3.2, vjust = -0.7
    ) +
    ggplot2::facet_wrap(ggplot2::vars(.data$row), ncol = across) +
    date_axis(across = across) +
    ggplot2::scale_y_continuous(
      limits = c(0, NA), labels = amount_axis(object), expand = room_for_words(c(0.01, 0.2))
    ) +
    titles(
      headline_of(object), "Each breach by what the loss was beyond the value at risk",
      basis(object), y = "Loss beyond the value at risk"
    ) +
    imbroglio_theme()
}

#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_backtest_zones <- function(object, ...) {
  refuse_others(...)
  need_ggplot(object)
  table <- as.data.frame(object)
  if (!nrow(table)) refuse_no_rows()
  table$row <- paste0(table$security, ", ", table$method, " at ", unit_text$level(table$level))
  table$row <- factor(table$row, rev(unique(table$row)))
  table$middle <- table$from + (table$to - table$from) / 2
  ggplot2::ggplot(table, ggplot2::aes(y = .data$row)) +
    ggplot2::geom_segment(
      ggplot2::aes(x = .data$from, xend = .data$to, yend = .data$row, colour = .data$zone),
      linewidth = 12
    ) +
    words_layer(
      ggplot2::aes(x = .data$middle, label = .data$breaches), colour = ink, size = 3.6
    ) +
    ggplot2::scale_colour_manual(values = zone_colours) +
    date_axis() +
    titles(
      headline_of(object),
      "Breaches of each run, blue where they are few enough, amber or red where not",
      basis(object)
    ) +
    ggplot2::labs(x = NULL, y = NULL) +
    imbroglio_theme()
}

refuse_no_rows <- function() fail("too_short", "There is nothing to draw: the result has no row.")

# Each day's return below the line of value at risk, of each method; behind, where they are known,
# the runs with their zones.
days_drawn <- function(object, drawn, security, level, behind = NULL) {
  money <- counts_money(object)
  across <- if (nlevels(drawn$days$row) > 4L) 2L else 1L
  ggplot2::ggplot(drawn$days) +
    (if (!is.null(drawn$zones)) {
      ggplot2::geom_rect(
        data = drawn$zones,
        ggplot2::aes(
          xmin = .data$from, xmax = .data$to, ymin = -Inf, ymax = Inf, fill = .data$zone
        ),
        alpha = 0.75
      )
    }) +
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
    (if (!is.null(drawn$zones)) {
      words_layer(
        data = drawn$zones,
        ggplot2::aes(x = .data$from, y = -Inf, label = paste0(" ", .data$breaches)),
        colour = quiet,
        hjust = 0,
        vjust = -0.4,
        size = 3
      )
    }) +
    ggplot2::facet_wrap(ggplot2::vars(.data$row), ncol = across) +
    ggplot2::scale_fill_manual(values = zone_colours) +
    date_axis(across = across) +
    ggplot2::scale_y_continuous(labels = amount_axis(object), breaks = scales::breaks_pretty(4)) +
    titles(
      headline_of(object),
      paste(c(
        sprintf(
          "Grey: %s %s; line: value at risk at %s, from the returns before; red: breaches",
          adverb_of(every_in_all(object)), if (money) "profits" else "returns",
          unit_text$level(level)
        ),
        behind
      ), collapse = ". "),
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
  zones <- highest(as.data.frame(zone_rows(object)))
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
