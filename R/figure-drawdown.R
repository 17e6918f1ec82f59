#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_drawdown <- function(object, start = NULL, end = NULL, worst = 3L, ...) {
  refuse_others(...)
  need_ggplot(object)
  table <- as.data.frame(object)
  if (!is.null(table$window)) {
    table <- within_dates(table, "to", start, end)
    return(rolling_panels(
      object,
      table,
      "max_drawdown",
      "Deepest fall",
      sprintf("Deepest fall within the last %s returns", some(count(unique(table$window)))),
      floor = FALSE
    ))
  }
  if (nrow(table) > 1L) {
    dates <- sprintf(
      "   %s to %s%s",
      format(table$peak),
      format(table$trough),
      ifelse(
        is.na(table$recovery),
        ", still below",
        sprintf(", back %s", format(table$recovery))
      )
    )
    dates[is.na(table$trough)] <- ""
    return(ranking_figure(
      object,
      "max_drawdown",
      "Maximum drawdown",
      "The deepest fall below the running high, from peak to trough",
      notes = dates
    ))
  }
  depth_figure(object, table, start, end, worst)
}

#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_drawdown_episodes <- function(object, ...) {
  refuse_others(...)
  need_ggplot(object)
  securities <- unique(object$security)
  if (!length(securities)) fail("too_short", "There is no fall to show.")
  most <- max(table(object$security))
  ggplot2::autoplot(measure_drawdown(attr(object, "source")[, securities]), worst = most, ...)
}

#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_drawdown_series <- function(object, start = NULL, end = NULL, ...) {
  refuse_others(...)
  need_ggplot(object)
  if (!nrow(object)) fail("too_short", "There is no date to show.")
  # The dates of its rows; what they fell from may lie before.
  shown <- range(object$date, na.rm = TRUE)
  whole <- measure_drawdown(attr(object, "source")[, unique(object$security)])
  ggplot2::autoplot(whole, start = start %||% shown[1L], end = end %||% shown[2L])
}

# Wealth with its running high above, its depth below the high beneath; the deepest falls
# shaded and numbered.
depth_figure <- function(object, deepest, start, end, worst) {
  security <- deepest$security
  source <- attr(object, "source")[, security]
  additive <- basis(object)$kind == "profit"
  path <- fall_path(source)
  path <- within_dates(path[!is.na(path$date), ], "date", start, end)
  falls <- falls_shown(source, worst, range(path$date), deepest$to)
  what <- if (inherits(source, "imbroglio_prices")) {
    "price"
  } else if (additive) {
    "sum of profits"
  } else {
    "growth of 100"
  }
  panels <- c(
    sprintf("%s %s, and its running high", security, what),
    if (additive) "Below the high" else "Below the high, %"
  )
  lines <- function(i, value) {
    data.frame(panel = factor(panels[i], panels), date = path$date, value = value)
  }
  depth <- lines(2L, path$drawdown * if (additive) 1 else 100)
  lows <- lows_shown(falls, range(path$date), additive)
  lows$panel <- rep(depth$panel[1L], nrow(lows))
  ggplot2::ggplot(mapping = ggplot2::aes(.data$date, .data$value)) +
    (if (nrow(falls)) {
      ggplot2::geom_rect(
        data = falls,
        ggplot2::aes(xmin = .data$from, xmax = .data$until, ymin = -Inf, ymax = Inf),
        inherit.aes = FALSE,
        fill = loss,
        alpha = 0.09
      )
    }) +
    ggplot2::geom_line(
      data = lines(1L, path$high),
      colour = quiet,
      linewidth = 0.4,
      linetype = "22"
    ) +
    ggplot2::geom_line(
      data = lines(1L, path$wealth),
      colour = colour_of(security, source$universe),
      linewidth = 0.55
    ) +
    depth_layers(depth, lows) +
    ggplot2::facet_wrap(ggplot2::vars(.data$panel), ncol = 1L, scales = "free_y") +
    date_axis() +
    ggplot2::scale_y_continuous(
      labels = scales::label_number(big.mark = ","),
      expand = room_for_words(c(0.09, 0.05))
    ) +
    titles(
      in_words(object),
      sprintf("Shaded: from the high before each of the %s deepest falls to its recovery", worst),
      basis(object)
    ) +
    imbroglio_theme()
}

# The deepest falls, as far as they lie in what is shown.
falls_shown <- function(source, worst, shown, last) {
  falls <- as.data.frame(drawdown_episodes(source, worst = worst))
  falls$from <- pmax(falls$peak, shown[1L], na.rm = TRUE)
  falls$until <- falls$recovery
  falls$until[is.na(falls$until)] <- last
  falls$until <- pmin(falls$until, shown[2L])
  falls[falls$from < falls$until, ]
}

# A label for each low, on the side on which there is room.
lows_shown <- function(falls, shown, additive) {
  lows <- falls[falls$trough >= shown[1L] & falls$trough <= shown[2L], ]
  width <- as.numeric(shown[2L] - shown[1L])
  right <- as.numeric(lows$trough - shown[1L]) < 0.78 * width
  written <- if (additive) money(lows$drawdown) else percent(lows$drawdown, 1L)
  lows <- data.frame(
    date = lows$trough,
    value = lows$drawdown * if (additive) 1 else 100,
    label = if (nrow(lows)) {
      sprintf("%s: %s on %s", lows$rank, written, lows$trough)
    } else {
      character()
    },
    side = ifelse(right, -0.05, 1.05)
  )
  # Labels that would lie over each other are moved apart.
  left <- as.numeric(lows$date) - ifelse(right, 0, 0.22 * width)
  crowded <- vapply(seq_along(left), function(i) any(abs(left[-i] - left[i]) < 0.22 * width), NA)
  lows$y <- lows$value
  lows$y[crowded] <- apart(lows$value[crowded], 0.065, of = c(0, lows$value))
  lows
}

depth_layers <- function(depth, lows) {
  list(
    ggplot2::geom_area(position = "identity", data = depth, fill = loss, alpha = 0.25),
    ggplot2::geom_line(data = depth, colour = loss, linewidth = 0.4),
    ggplot2::geom_point(data = lows, colour = loss, size = 2.4),
    do.call(ggplot2::geom_label, c(
      list(
        data = lows,
        ggplot2::aes(y = .data$y, label = .data$label, hjust = .data$side),
        colour = loss,
        size = 3.7,
        vjust = 1,
        label.padding = ggplot2::unit(0.12, "lines"),
        fill = ggplot2::alpha("white", 0.8)
      ),
      no_border()
    ))
  )
}
