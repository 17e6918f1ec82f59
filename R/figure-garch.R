#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_garch <- function(object, ...) {
  refuse_others(...)
  kinds <- vapply(volatility_estimators()[garch_methods()], `[[`, "", "innovations")
  method <- names(kinds)[match(unique(object$innovations), kinds)]
  ggplot2::autoplot(
    volatility_series(
      attr(object, "source"),
      method = unname(method),
      per_year = basis(object)$per_year
    ),
    ...
  )
}

#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_garch_forecast <- function(object, ...) {
  refuse_others(...)
  need_ggplot()
  table <- as.data.frame(object)
  table$series <- if (length(unique(table$innovations)) > 1L) {
    paste(table$security, table$innovations, sep = ", ")
  } else {
    table$security
  }
  ends <- table[!duplicated(table$series, fromLast = TRUE) & !is.na(table$volatility_annual), ]
  ends$label_at <- apart(ends$volatility_annual, 0.04, of = c(0, table$volatility_annual))
  ggplot2::ggplot(
    table[!is.na(table$volatility_annual), ],
    ggplot2::aes(
      .data$horizon,
      .data$volatility_annual,
      colour = .data$security,
      group = .data$series
    )
  ) +
    ggplot2::geom_line(linewidth = 0.7) +
    words_layer(
      data = ends,
      ggplot2::aes(y = .data$label_at, label = paste0("  ", .data$series)),
      hjust = 0,
      size = 3.7
    ) +
    ggplot2::scale_colour_manual(values = colour_of(
      unique(table$security),
      attr(object, "source")$universe
    )) +
    ggplot2::scale_x_continuous(expand = ggplot2::expansion(c(0.01, 0.16))) +
    ggplot2::scale_y_continuous(labels = percent_axis, limits = c(0, NA)) +
    titles(
      in_words(object)[1L],
      "Volatility of each period ahead, on its way to the long-run level",
      basis(object),
      x = sprintf("%ss ahead", sentence_case(every_in_all(object))),
      y = "Volatility a year"
    ) +
    imbroglio_theme()
}
