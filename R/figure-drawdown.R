#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_drawdown <- function(object, start = NULL, end = NULL, ...) {
  need_ggplot()
  table <- as.data.frame(object)
  if (nrow(table) > 1L) {
    dates <- sprintf("   %s to %s%s", format(table$peak), format(table$trough),
                     ifelse(is.na(table$recovery), ", still below", sprintf(", back %s", format(table$recovery))))
    dates[is.na(table$trough)] <- ""
    return(ranking_figure(object, table$max_drawdown, "Maximum drawdown",
                          "The deepest fall below the running high, from peak to trough", notes = dates))
  }
  depth_figure(object, table, start, end)
}

# Wealth with its running high above, its depth below the high beneath.
depth_figure <- function(object, worst, start, end) {
  source <- attr(object, "source")
  security <- worst$security
  priced <- inherits(source, "imbroglio_prices")
  path <- if (priced) {
    data.frame(date = source$dates, wealth = source$close[, security])
  } else {
    data.frame(date = c(source$start, source$dates),
               wealth = 100 * core_wealth(source$values[, security, drop = FALSE], source$kind == "log")[, 1L])
  }
  path <- path[!is.na(path$wealth) & !is.na(path$date), ]
  path$high <- cummax(path$wealth)
  path <- within_dates(path, "date", start, end)
  panels <- c(sprintf("%s %s, and its running high", security, if (priced) "price" else "growth of 100"),
              "Below the high, %")
  panel <- function(i) factor(panels[i], panels)
  depth <- data.frame(panel = panel(2L), date = path$date, value = 100 * (path$wealth / path$high - 1))
  high <- data.frame(panel = panel(1L), date = path$date, value = path$high)
  wealth <- data.frame(panel = panel(1L), date = path$date, value = path$wealth)
  colour <- colour_of(security, source$universe)
  shaded <- data.frame(from = worst$peak, to = if (is.na(worst$recovery)) worst$to else worst$recovery)
  shaded <- shaded[!is.na(shaded$from), ]
  low <- data.frame(panel = panel(2L), date = worst$trough, value = 100 * worst$max_drawdown)
  low <- low[low$date %in% path$date, ]
  ggplot2::ggplot(mapping = ggplot2::aes(.data$date, .data$value)) +
    ggplot2::geom_rect(data = shaded,
                       ggplot2::aes(xmin = pmax(.data$from, min(path$date)),
                                    xmax = pmin(.data$to, max(path$date)), ymin = -Inf, ymax = Inf),
                       inherit.aes = FALSE, fill = loss, alpha = 0.07) +
    ggplot2::geom_line(data = high, colour = quiet, linewidth = 0.4, linetype = "22") +
    ggplot2::geom_line(data = wealth, colour = colour, linewidth = 0.55) +
    ggplot2::geom_area(data = depth, fill = loss, alpha = 0.25) +
    ggplot2::geom_line(data = depth, colour = loss, linewidth = 0.4) +
    ggplot2::geom_point(data = low, colour = loss, size = 2.4) +
    ggplot2::geom_text(data = low, ggplot2::aes(label = sprintf("%.1f %% on %s", .data$value, .data$date)),
                       colour = loss, size = 3.7, hjust = -0.06, vjust = 0.9) +
    ggplot2::facet_wrap(ggplot2::vars(.data$panel), ncol = 1L, scales = "free_y") +
    date_axis() +
    ggplot2::scale_y_continuous(labels = scales::label_number(big.mark = ",")) +
    titles(in_words(object), "Shaded: from the high before the deepest fall to the recovery", basis(object)) +
    imbroglio_theme()
}
