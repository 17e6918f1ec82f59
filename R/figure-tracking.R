#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_tracking <- function(object, start = NULL, end = NULL, ...) {
  refuse_others(...)
  need_ggplot(object)
  table <- as.data.frame(object)
  against <- some(unique(table$benchmark))
  if (!is.null(table$window)) {
    table <- within_dates(table, "to", start, end)
    return(rolling_panels(
      object,
      table,
      "tracking_error_annual",
      paste("Tracking error against", against, "a year"),
      sprintf(
        "Standard deviation of the difference of the last %s shared returns, a year",
        some(count(unique(table$window)))
      )
    ))
  }
  if (nrow(table) > 1L) {
    return(ranking_figure(
      object,
      "tracking_error_annual",
      paste("Tracking error a year, against", against),
      paste0(
        "Standard deviation of the difference of returns, times the root of the periods ",
        "a year"
      ),
      rows = if (length(unique(table$benchmark)) > 1L) {
        paste(table$security, table$benchmark, sep = " - ")
      }
    ))
  }
  growth_beside(object, table, start, end)
}

# Growth of both, and of the security over the benchmark.
growth_beside <- function(object, row, start, end) {
  source <- attr(object, "source")
  both <- common_growth(source, c(row$security, row$benchmark))
  panels <- c("Growth of 100", sprintf("%s over %s, from 100", row$security, row$benchmark))
  lines <- rbind(
    data.frame(
      panel = panels[1L],
      series = row$security,
      date = both$dates,
      value = 100 * both$wealth[, 1L]
    ),
    data.frame(
      panel = panels[1L],
      series = row$benchmark,
      date = both$dates,
      value = 100 * both$wealth[, 2L]
    ),
    data.frame(
      panel = panels[2L],
      series = "over",
      date = both$dates,
      value = 100 * both$wealth[, 1L] / both$wealth[, 2L]
    )
  )
  lines$panel <- factor(lines$panel, panels)
  lines <- within_dates(lines, "date", start, end)
  ends <- lines[!duplicated(lines[c("panel", "series")], fromLast = TRUE), ]
  ends$label <- paste0(
    "  ",
    ifelse(ends$series == "over", "", paste0(ends$series, " ")),
    round(ends$value)
  )
  first <- ends$panel == panels[1L]
  ends$value[first] <- apart(
    ends$value[first],
    0.07,
    of = lines$value[lines$panel == panels[1L]]
  )
  colours <- c(colour_of(c(row$security, row$benchmark), source$universe), over = ink)
  ggplot2::ggplot(lines, ggplot2::aes(.data$date, .data$value, colour = .data$series)) +
    ggplot2::geom_hline(yintercept = 100, colour = quiet, linewidth = 0.3) +
    ggplot2::geom_line(linewidth = 0.55) +
    words_layer(data = ends, ggplot2::aes(label = .data$label), hjust = 0, size = 3.7) +
    ggplot2::facet_wrap(ggplot2::vars(.data$panel), ncol = 1L, scales = "free_y") +
    ggplot2::scale_colour_manual(values = colours) +
    date_axis() +
    ggplot2::coord_cartesian(clip = "off") +
    titles(
      in_words(object),
      "Below, the line rises while the security does better than the benchmark",
      basis(object)
    ) +
    imbroglio_theme() +
    ggplot2::theme(plot.margin = ggplot2::margin(14, 100, 10, 14))
}
