#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_beta <- function(object, start = NULL, end = NULL, ...) {
  refuse_others(...)
  need_ggplot(object)
  table <- as.data.frame(object)
  if (!is.null(table$window)) {
    table <- within_dates(table, "to", start, end)
    return(rolling_panels(
      object,
      table,
      "beta",
      paste("Beta against", some(unique(table$benchmark))),
      sprintf(
        "Least squares over the last %s shared %s returns",
        some(count(unique(table$window))),
        some(adverb_of(unique(every_by_row(object))))
      ),
      floor = FALSE
    ))
  }
  if (nrow(table) == 1L && !is.na(table$beta)) {
    line_figure(object, table)
  } else {
    betas_figure(object, table)
  }
}

# The benchmark on x, the security on y, over the whole width; beside the line that of beta 1.
line_figure <- function(object, line) {
  points <- points_of_line(object, line)
  across <- scales::expand_range(range(points$x, 0), 0.04)
  up <- scales::expand_range(range(points$y, 0), 0.08)
  confidence <- attr(object, "line")$confidence
  band <- band_of_line(points, line, across, confidence)
  colour <- colour_of(line$security, attr(object, "source")$universe)
  every <- every_in_all(object)
  excess <- if ("risk-free" %in% names(basis(object)$choices)) " above the risk-free one" else ""
  axis <- function(security) sprintf("%s, return a %s%s", security, every, excess)
  corner <- free_corner(points$x, points$y, across, up)
  ggplot2::ggplot(points, ggplot2::aes(.data$x, .data$y)) +
    ggplot2::geom_hline(yintercept = 0, colour = quiet, linewidth = 0.3) +
    ggplot2::geom_vline(xintercept = 0, colour = quiet, linewidth = 0.3) +
    ggplot2::geom_point(
      colour = colour,
      alpha = if (nrow(points) > 1000L) 0.3 else 0.6,
      size = if (nrow(points) > 1000L) 1.8 else 2.6,
      stroke = 0
    ) +
    ggplot2::geom_ribbon(
      data = band,
      ggplot2::aes(.data$x, ymin = .data$low, ymax = .data$high),
      inherit.aes = FALSE,
      fill = ink,
      alpha = 0.18
    ) +
    ggplot2::geom_abline(colour = quiet, linetype = "22", linewidth = 0.45) +
    ggplot2::geom_line(data = band, ggplot2::aes(y = .data$y), colour = ink, linewidth = 0.7) +
    ggplot2::annotate(
      "label",
      x = corner$x, y = corner$y, hjust = corner$hjust, vjust = corner$vjust,
      label = equation_of(line),
      size = 4.4,
      colour = ink,
      fill = "white",
      lineheight = 1.1
    ) +
    ggplot2::coord_cartesian(xlim = across, ylim = up, expand = FALSE) +
    ggplot2::scale_x_continuous(labels = percent_axis, breaks = scales::breaks_pretty(8)) +
    ggplot2::scale_y_continuous(labels = percent_axis, breaks = scales::breaks_pretty(6)) +
    titles(
      in_words(object),
      sprintf(
        paste0(
          "Each dot is one return of both. Line by least squares, with the %s band of the mean; ",
          "dashed: as the benchmark"
        ),
        unit_text$level(confidence)
      ),
      basis(object),
      x = axis(line$benchmark),
      y = axis(line$security)
    ) +
    imbroglio_theme()
}

equation_of <- function(line) {
  joined <- if (line$alpha < 0) "-" else "+"
  sprintf(
    "y = %.3f x %s %.3f %%\nR\u00b2 = %.2f\nbeta %.3f to %.3f",
    line$beta,
    joined,
    abs(100 * line$alpha),
    line$r_squared,
    line$beta_low,
    line$beta_high
  )
}

betas_figure <- function(object, table) {
  table <- table[!is.na(table$beta), ]
  several <- Filter(
    function(key) length(unique(table[[key]])) > 1L,
    intersect(c("security", "benchmark", "every", "span"), names(table))
  )
  label <- do.call(
    paste,
    c(unname(as.list(table[if (length(several)) several else "security"])), sep = ", ")
  )
  # Securities in order of size; frequencies and spans in their own.
  ordered <- !any(c("every", "span") %in% several)
  rows <- if (ordered) order(table$beta) else rev(seq_len(nrow(table)))
  table$row <- factor(label, label[rows])
  ggplot2::ggplot(table, ggplot2::aes(.data$beta, .data$row, colour = .data$security)) +
    ggplot2::geom_vline(
      xintercept = c(0, 1),
      colour = quiet,
      linewidth = 0.35,
      linetype = c("solid", "22")
    ) +
    ggplot2::geom_segment(
      ggplot2::aes(x = .data$beta_low, xend = .data$beta_high, yend = .data$row),
      linewidth = 1.3,
      alpha = 0.5
    ) +
    ggplot2::geom_point(size = 3.2) +
    words_layer(
      ggplot2::aes(.data$beta_high, label = sprintf("  %.2f", .data$beta)),
      hjust = 0,
      size = 3.7
    ) +
    ggplot2::scale_colour_manual(values = colour_of(
      unique(table$security),
      attr(object, "source")$universe
    )) +
    ggplot2::scale_x_continuous(expand = room_for_words(c(0.04, 0.1))) +
    titles(
      if (ordered) headline(object) else sides_in_words(table),
      sprintf(
        "Dot: beta; bar: its %s interval. Dashed: as the benchmark",
        unit_text$level(attr(object, "line")$confidence)
      ),
      basis(object),
      x = paste("Beta against", some(unique(table$benchmark)))
    ) +
    imbroglio_theme() +
    ggplot2::theme(
      panel.grid.major.y = ggplot2::element_blank(),
      axis.text.y = ggplot2::element_text(colour = ink)
    )
}

sides_in_words <- function(table) {
  how <- function(row) {
    paste0(
      adverb_of(table$every[row]),
      " returns",
      if (!is.null(table$span)) sprintf(" of the last %s", table$span[row])
    )
  }
  most <- which.max(table$beta)
  least <- which.min(table$beta)
  sprintf(
    "Beta is %.2f for %s by %s, and %.2f for %s by %s",
    table$beta[most],
    table$security[most],
    how(most),
    table$beta[least],
    table$security[least],
    how(least)
  )
}
