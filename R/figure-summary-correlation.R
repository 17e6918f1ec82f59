#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_correlation <- function(object, start = NULL, end = NULL, ...) {
  refuse_others(...)
  need_ggplot(object)
  table <- as.data.frame(object)
  if (!is.null(table$window)) {
    table <- within_dates(table, "to", start, end)
    return(rolling_panels(
      object,
      table,
      "correlation",
      paste("Correlation with", table$benchmark[1L]),
      sprintf("Over the last %s shared returns", some(count(unique(table$window)))),
      floor = FALSE
    ))
  }
  cells <- correlation_cells(table)
  few <- nlevels(cells$x) <= 20L
  # Blue together, orange apart: told apart by the colour-blind too.
  ggplot2::ggplot(cells, ggplot2::aes(.data$x, .data$y, fill = .data$r)) +
    ggplot2::geom_tile(colour = "white", linewidth = if (few) 1 else 0) +
    (if (few) {
      words_layer(
        ggplot2::aes(
          label = sub("0.", ".", sprintf("%.2f", .data$r), fixed = TRUE),
          colour = abs(.data$r) > 0.55
        ),
        size = 3.5
      )
    }) +
    ggplot2::scale_colour_manual(values = c("FALSE" = ink, "TRUE" = "white")) +
    ggplot2::scale_fill_gradient2(
      low = alike_shades[["against"]],
      mid = alike_shades[["neither"]],
      high = alike_shades[["together"]],
      limits = c(-1, 1),
      na.value = rule
    ) +
    ggplot2::scale_x_discrete(position = "top", expand = c(0, 0)) +
    ggplot2::scale_y_discrete(expand = c(0, 0)) +
    titles(
      headline(object),
      paste0(
        "Correlation of returns; those that move alike stand together. Blue: together, ",
        "orange: against each other"
      ),
      basis(object)
    ) +
    imbroglio_theme() +
    ggplot2::theme(
      panel.grid.major = ggplot2::element_blank(),
      axis.text.x = if (few) {
        ggplot2::element_text(colour = ink, angle = 40, hjust = 0)
      } else {
        ggplot2::element_blank()
      },
      plot.margin = ggplot2::margin(14, 44, 10, 14),
      axis.text.y = if (few) ggplot2::element_text(colour = ink) else ggplot2::element_blank()
    )
}

# Every pair both ways, those beside each other that move alike.
correlation_cells <- function(table) {
  names <- unique(c(table$security, table$other))
  full <- matrix(NA_real_, length(names), length(names), dimnames = list(names, names))
  full[cbind(table$security, table$other)] <- table$correlation
  full[cbind(table$other, table$security)] <- table$correlation
  diag(full) <- 1
  in_order <- names[like_beside_like(full)]
  cells <- data.frame(
    x = factor(rep(names, each = length(names)), in_order),
    y = factor(rep(names, length(names)), rev(in_order)),
    r = as.vector(full)
  )
  cells[cells$x != cells$y, ]
}

#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_summary <- function(object, ...) {
  refuse_others(...)
  need_ggplot(object)
  table <- as.data.frame(object)
  table <- table[!is.na(table$volatility_annual) & !is.na(table$return_annual), ]
  few <- nrow(table) <= 40L
  if (!nrow(table)) {
    fail(
      "too_short",
      "No security has a volatility and a return a year to draw.",
      remedy = "Take a longer sample."
    )
  }
  sharpe <- table$sharpe_annual[!is.na(table$sharpe_annual)]
  labels <- beside_dots(table$volatility_annual, table$return_annual)
  ggplot2::ggplot(
    table,
    ggplot2::aes(.data$volatility_annual, .data$return_annual, colour = .data$security)
  ) +
    ggplot2::geom_hline(yintercept = 0, colour = quiet, linewidth = 0.35) +
    ggplot2::geom_point(size = if (few) 3.4 else 1.4, alpha = if (few) 1 else 0.5) +
    (if (few) {
      words_layer(
        ggplot2::aes(y = labels$y, label = .data$security, hjust = labels$side),
        vjust = 0.4,
        size = 3.6
      )
    }) +
    ggplot2::scale_colour_manual(values = colour_of(
      table$security,
      attr(object, "source")$universe
    )) +
    ggplot2::scale_x_continuous(
      labels = percent_axis,
      limits = c(0, NA),
      expand = room_for_words(c(0.01, 0.12))
    ) +
    ggplot2::scale_y_continuous(labels = percent_axis) +
    titles(
      headline(object),
      paste0(
        "Each dot is a security",
        if (length(sharpe)) {
          sprintf("; Sharpe ratios from %.2f to %.2f", min(sharpe), max(sharpe))
        }
      ),
      basis(object),
      x = "Volatility a year",
      y = "Return a year"
    ) +
    imbroglio_theme()
}
