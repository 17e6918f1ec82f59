#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_downside <- function(object, start = NULL, end = NULL, ...) {
  refuse_others(...)
  need_ggplot(object)
  table <- as.data.frame(object)
  if (!is.null(table$window)) {
    table <- within_dates(table, "to", start, end)
    return(rolling_panels(
      object,
      table,
      "semi_deviation_annual",
      "Semi-deviation a year",
      sprintf(
        "How far returns lay below their mean over the last %s returns, a year",
        some(count(unique(table$window)))
      )
    ))
  }
  ranking_figure(
    object,
    "semi_deviation_annual",
    "Semi-deviation a year",
    "Root of the mean square of what lies below the mean, of all returns"
  )
}

#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_ratios <- function(object, start = NULL, end = NULL, ...) {
  refuse_others(...)
  need_ggplot(object)
  table <- as.data.frame(object)
  if (!is.null(table$window)) {
    table <- within_dates(table, "to", start, end)
    return(rolling_panels(
      object,
      table,
      "sortino_annual",
      "Sortino ratio a year",
      sprintf("Over the last %s returns", some(count(unique(table$window)))),
      floor = FALSE
    ))
  }
  named <- c(
    sortino_annual = "Sortino, a year",
    omega_ratio = "Omega",
    calmar = "Calmar",
    sterling = "Sterling",
    gain_to_pain = "Gain to pain"
  )
  in_order <- table$security[order(table$sortino_annual, na.last = FALSE)]
  points <- do.call(rbind, lapply(names(named), function(name) {
    data.frame(
      ratio = factor(named[[name]], named),
      security = factor(table$security, in_order),
      value = table[[name]],
      reach = 2 * table[[paste0(sub("_ratio", "", name), "_error")]]
    )
  }))
  points <- points[!is.na(points$value), ]
  points$reach[is.na(points$reach)] <- 0
  base <- data.frame(ratio = factor(named, named), none = c(0, 1, 0, 0, 0))
  ggplot2::ggplot(points, ggplot2::aes(.data$value, .data$security, colour = .data$security)) +
    ggplot2::geom_vline(
      data = base, ggplot2::aes(xintercept = .data$none), colour = quiet, linewidth = 0.3
    ) +
    ggplot2::geom_segment(
      ggplot2::aes(
        x = .data$value - .data$reach,
        xend = .data$value + .data$reach,
        yend = .data$security
      ),
      linewidth = 1.6,
      alpha = 0.3
    ) +
    ggplot2::geom_point(size = 2.4) +
    ggplot2::scale_colour_manual(
      values = colour_of(table$security, attr(object, "source")$universe)
    ) +
    ggplot2::scale_x_continuous(breaks = scales::breaks_pretty(3)) +
    ggplot2::facet_wrap(ggplot2::vars(.data$ratio), nrow = 1L, scales = "free_x") +
    titles(
      headline(object),
      "Bars: two standard errors to each side; the line is where nothing was earned for the falls",
      basis(object)
    ) +
    imbroglio_theme()
}

#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_capture <- function(object, start = NULL, end = NULL, ...) {
  refuse_others(...)
  need_ggplot(object)
  table <- as.data.frame(object)
  if (!is.null(table$window)) {
    table <- within_dates(table, "to", start, end)
    return(rolling_panels(
      object,
      table,
      "capture_ratio",
      paste("Up over down capture, against", some(unique(table$benchmark))),
      sprintf(
        "Share taken of its rises over that of its falls, the last %s shared returns",
        some(count(unique(table$window)))
      ),
      floor = FALSE
    ))
  }
  table <- table[!is.na(table$up_capture) & !is.na(table$down_capture), ]
  if (!nrow(table)) fail("too_short", "There is no capture to show.")
  several <- length(unique(table$benchmark)) > 1L
  table$label <- if (several) paste(table$security, table$benchmark) else table$security
  ends <- range(c(table$up_capture, table$down_capture, 0, 1))
  place <- beside_dots(table$down_capture, table$up_capture)
  table$label_at <- place$y
  table$side <- place$side
  ggplot2::ggplot(
    table, ggplot2::aes(.data$down_capture, .data$up_capture, colour = .data$security)
  ) +
    ggplot2::annotate(
      "segment", x = ends[1L], y = ends[1L], xend = ends[2L], yend = ends[2L], colour = faint
    ) +
    capture_bars() +
    ggplot2::geom_point(size = 2.8) +
    words_layer(
      ggplot2::aes(y = .data$label_at, label = .data$label, hjust = .data$side),
      size = 3.6
    ) +
    ggplot2::scale_colour_manual(
      values = colour_of(table$security, attr(object, "source")$universe)
    ) +
    ggplot2::scale_x_continuous(labels = percent_axis) +
    ggplot2::scale_y_continuous(labels = percent_axis) +
    titles(
      headline(object),
      "Above the line more is taken of the rises than of the falls; bars: two standard errors",
      basis(object),
      x = paste("Share taken of the falls of", some(unique(table$benchmark))),
      y = "Share taken of its rises"
    ) +
    imbroglio_theme()
}

# Two standard errors to each side, both ways.
capture_bars <- function() {
  list(
    ggplot2::geom_segment(
      ggplot2::aes(
        xend = .data$down_capture,
        y = .data$up_capture - 2 * .data$up_capture_error,
        yend = .data$up_capture + 2 * .data$up_capture_error
      ),
      alpha = 0.3,
      linewidth = 1
    ),
    ggplot2::geom_segment(
      ggplot2::aes(
        yend = .data$up_capture,
        x = .data$down_capture - 2 * .data$down_capture_error,
        xend = .data$down_capture + 2 * .data$down_capture_error
      ),
      alpha = 0.3,
      linewidth = 1
    )
  )
}
