# Where the volatility of today stands among all windows.

# Today's volatility in its own history, for each window: the span of nine in ten of its
# values, of half of them, the median, and where it stands now.
standing_figure <- function(object, table) {
  table <- table[!is.na(table$volatility_annual), ]
  table$series <- series_of(table)
  stands <- standing_of(table)
  stands$security <- factor(stands$security, unique(table$security))
  stands$label <- sprintf(
    if (figure_width() < 9) "%s\nabove %.0f %%\nof its past" else "%s\nabove %.0f %% of its past",
    writer_of(object)(stands$now, 1L),
    100 * stands$below
  )
  far <- stands[which.max(abs(stands$below - 0.5)), ]
  colours <- colour_of(levels(stands$security), attr(object, "source")$universe)
  one <- nlevels(stands$security) == 1L
  ggplot2::ggplot(stands) +
    standing_bar(stands, 0.06, "low", "high", 0.25) +
    standing_bar(stands, 0.16, "lower", "upper", 0.35) +
    standing_marks(object, one) +
    ggplot2::facet_wrap(ggplot2::vars(.data$security)) +
    ggplot2::scale_fill_manual(values = colours) +
    ggplot2::scale_x_continuous(
      breaks = seq_along(levels(stands$series)),
      labels = levels(stands$series),
      expand = ggplot2::expansion(add = c(0.4, if (one) 0.9 else 0.8))
    ) +
    ggplot2::scale_y_continuous(limits = c(0, NA), labels = amount_axis(object)) +
    titles(
      sprintf(
        "%s: over %s returns volatility stands at %s, above %.0f %% of its past",
        far$security,
        far$series,
        writer_of(object)(far$now, 1L),
        100 * far$below
      ),
      paste0(
        "Thin bar: nine in ten of the past values of that window; thick bar: half of ",
        "them; white: the median; dot: now"
      ),
      basis(object),
      x = "Window, returns",
      y = "Volatility a year"
    ) +
    imbroglio_theme() +
    ggplot2::theme(panel.grid.major.x = ggplot2::element_blank()) +
    (if (one) ggplot2::theme(strip.text = ggplot2::element_blank()))
}

# The median, and where it stands now.
standing_marks <- function(object, one) {
  list(
    ggplot2::geom_segment(
      ggplot2::aes(
        x = as.numeric(.data$series) - 0.16,
        xend = as.numeric(.data$series) + 0.16,
        y = .data$middle,
        yend = .data$middle
      ),
      colour = "white",
      linewidth = 1
    ),
    ggplot2::geom_point(
      ggplot2::aes(as.numeric(.data$series), .data$now),
      colour = ink,
      size = 3.4
    ),
    words_layer(
      ggplot2::aes(
        as.numeric(.data$series) + 0.2,
        .data$now,
        label = if (one) .data$label else writer_of(object)(.data$now, 0L)
      ),
      hjust = 0,
      size = if (one) 3.7 else 3,
      colour = ink,
      lineheight = 0.95
    )
  )
}

standing_bar <- function(stands, half, low, high, alpha) {
  box <- data.frame(
    stands,
    left = as.numeric(stands$series) - half,
    right = as.numeric(stands$series) + half,
    bottom = stands[[low]],
    top = stands[[high]]
  )
  ggplot2::geom_rect(
    data = box,
    ggplot2::aes(
      xmin = .data$left,
      xmax = .data$right,
      ymin = .data$bottom,
      ymax = .data$top,
      fill = .data$security
    ),
    alpha = alpha
  )
}
