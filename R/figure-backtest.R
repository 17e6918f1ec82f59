#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_backtest <- function(object, security = NULL, ...) {
  refuse_others(...)
  need_ggplot()
  table <- as.data.frame(object)
  securities <- unique(table$security)
  if (is.null(security) && length(securities) > 1L) return(backtest_matrix(object, table))
  security <- check_choice(security %||% securities[1L], "security", securities)
  drawn <- backtest_drawn(object, table[table$security == security, ])
  money <- counts_money(object)
  ggplot2::ggplot(drawn$days) +
    ggplot2::geom_segment(
      data = drawn$seen,
      ggplot2::aes(x = .data$date, xend = .data$date, y = 0, yend = .data$return),
      colour = faint,
      linewidth = 0.25
    ) +
    ggplot2::geom_line(
      ggplot2::aes(.data$date, -.data$var, colour = .data$method),
      linewidth = 0.55
    ) +
    ggplot2::geom_point(
      data = drawn$worst,
      ggplot2::aes(.data$date, .data$return),
      colour = loss,
      size = 1.3
    ) +
    method_strips(drawn) +
    ggplot2::scale_colour_manual(values = drawn$colours) +
    ggplot2::scale_fill_manual(values = zone_colours) +
    date_axis() +
    ggplot2::scale_y_continuous(labels = amount_axis(object), breaks = function(limits) {
      Filter(function(y) y > drawn$least - drawn$step, scales::breaks_pretty(8)(limits))
    }) +
    ggplot2::coord_cartesian(clip = "off") +
    titles(
      backtest_headline(object),
      sprintf(
        paste0(
          "Grey: %s %s; lines: value at risk at %s, from the returns before; red: ",
          "breaches. Boxes: runs of %s days, blue where the breaches are few enough, amber ",
          "or red where not"
        ),
        adverb_of(every_in_all(object)),
        if (money) "profits" else "returns",
        unit_text$level(max(table$level)),
        count(attr(object, "zone_days"))
      ),
      basis(object),
      y = paste(security, if (money) "profit" else "return"),
      share = 0.85
    ) +
    imbroglio_theme() +
    ggplot2::theme(plot.margin = ggplot2::margin(14, 210, 10, 14))
}

# The days at the highest level, and below them a row for each method, with its breaches and the
# zones of its runs.
backtest_drawn <- function(object, table) {
  highest <- function(rows) {
    rows[rows$security == table$security[1L] & rows$level == max(table$level), ]
  }
  table <- highest(table)
  days <- highest(as.data.frame(backtest_days(object)))
  days$return <- as_simple(days$return, attr(object, "source")$kind)
  methods <- unique(table$method)
  seen <- days[days$method == methods[1L], ]
  least <- min(seen$return, -days$var, na.rm = TRUE)
  step <- abs(least) * 0.085
  rows <- data.frame(method = methods, y = least - step * (seq_along(methods) + 0.2))
  rows$label <- sprintf(
    "%s: %s, %s expected",
    methods,
    count(table$breaches, "breach", "breaches"),
    unit_text$one(table$expected)
  )
  breaches <- days[days$breach, ]
  breaches$y <- rows$y[match(breaches$method, methods)]
  zones <- highest(as.data.frame(backtest_zones(object)))
  zones$y <- rows$y[match(zones$method, methods)]
  list(
    days = days,
    seen = seen,
    worst = seen[seen$return <= -apply(matrix(days$var, nrow(seen)), 1L, min), ],
    rows = rows,
    breaches = breaches,
    zones = zones,
    least = least,
    step = step,
    colours = stats::setNames(rep_len(method_colours, length(methods)), methods)
  )
}

# A mark for each breach, on the colour of the zone of its run.
method_strips <- function(drawn) {
  step <- drawn$step
  list(
    ggplot2::geom_rect(
      data = drawn$zones,
      ggplot2::aes(
        xmin = .data$from,
        xmax = .data$to,
        ymin = .data$y - step * 0.36,
        ymax = .data$y + step * 0.36,
        fill = .data$zone
      ),
      colour = "white",
      linewidth = 0.6
    ),
    ggplot2::geom_text(
      data = drawn$zones,
      ggplot2::aes(x = .data$from, y = .data$y, label = paste0(" ", .data$breaches)),
      colour = quiet,
      hjust = 0,
      size = 3
    ),
    ggplot2::geom_segment(
      data = drawn$breaches,
      ggplot2::aes(
        x = .data$date,
        xend = .data$date,
        y = .data$y - step * 0.34,
        yend = .data$y + step * 0.34
      ),
      colour = loss,
      linewidth = 0.45
    ),
    ggplot2::geom_text(
      data = drawn$rows,
      ggplot2::aes(
        x = max(drawn$days$date),
        y = .data$y,
        label = paste0("  ", .data$label),
        colour = .data$method
      ),
      hjust = 0,
      size = 3.6
    )
  )
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
    ggplot2::geom_text(
      ggplot2::aes(label = .data$label),
      colour = ink,
      size = if (nrow(table) > 200L) 2.4 else 3.5
    ) +
    ggplot2::scale_fill_manual(values = verdict_colours) +
    ggplot2::scale_x_discrete(position = "top") +
    titles(
      backtest_headline(object),
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
