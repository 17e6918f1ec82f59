#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_summary <- function(object, ...) {
  refuse_others(...)
  need_ggplot()
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
      expand = ggplot2::expansion(c(0.01, 0.12))
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
