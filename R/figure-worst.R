#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_worst <- function(object, start = NULL, end = NULL, ...) {
  refuse_others(...)
  need_ggplot(object)
  table <- as.data.frame(object)
  if (length(unique(table$security)) > 1L) {
    first <- table[table$rank == 1L & table$side == table$side[1L], ]
    dates <- sprintf(
      "   %s",
      ifelse(first$from == first$to, format(first$to), paste(first$from, "to", first$to))
    )
    picked <- new_result(as.list(first), "worst", basis(object), attr(object, "source"))
    return(ranking_figure(
      picked,
      "total_return",
      "Return",
      sprintf("The %s period of each, and its dates", first$side[1L]),
      notes = dates
    ))
  }
  periods_figure(object, table, start, end)
}

#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_worst_split <- function(object, ...) {
  refuse_others(...)
  need_ggplot(object)
  table <- as.data.frame(object)
  name <- basis(object)$book$name
  whole <- table[table$security == name, ]
  refuse_without_rows(nrow(whole) > 0L, nrow(whole) < nrow(table))
  title <- sprintf(
    "%s %s: %s",
    sentence_case(ifelse(whole$side == "worst", "worst", "best")),
    whole$rank,
    ifelse(whole$from == whole$to, format(whole$to), paste(whole$from, "to", whole$to))
  )
  title <- sprintf("%s, %s", title, percent(whole$component, 1L))
  key <- match(paste(table$side, table$rank), paste(whole$side, whole$rank))
  of <- table$security != name
  component_bars(
    object,
    factor(title[key], title)[of],
    table$security[of],
    table$component[of],
    "What each holding added to the return of the book"
  )
}

# What each holding added, a panel for each period.
component_bars <- function(object, panel, security, size, subtitle) {
  bars <- data.frame(panel = panel, security = security, size = size)
  # A row of its own for each bar, in their order from above.
  bars$row <- factor(seq_along(size), rev(seq_along(size)))
  universe <- attr(object, "source")$universe
  ggplot2::ggplot(bars, ggplot2::aes(.data$size, .data$row, fill = .data$security)) +
    ggplot2::geom_vline(xintercept = 0, colour = quiet, linewidth = 0.3) +
    ggplot2::geom_col(width = 0.62) +
    words_layer(
      ggplot2::aes(
        label = unit_text$points(.data$size),
        hjust = ifelse(.data$size < 0, 1.1, -0.1)
      ),
      size = 3.4,
      colour = ink
    ) +
    ggplot2::scale_y_discrete(labels = stats::setNames(bars$security, bars$row)) +
    ggplot2::scale_x_continuous(labels = percent_axis, expand = room_for_words(0.16)) +
    ggplot2::scale_fill_manual(
      values = colour_of(unique(bars$security), universe),
      na.value = faint
    ) +
    ggplot2::facet_wrap(ggplot2::vars(.data$panel), scales = "free_y") +
    titles(
      in_words(object)[1L],
      subtitle,
      basis(object),
      x = "Percentage points of the book"
    ) +
    imbroglio_theme()
}

# The path with the periods shaded, and all returns with those of the periods marked.
periods_figure <- function(object, table, start, end) {
  security <- table$security[1L]
  source <- attr(object, "source")
  horizon <- basis(object)$exact$horizon
  in_money <- counts_money(object)
  path <- within_dates(growth_path(source, security), "date", start, end)
  over <- within_dates(over_periods(source, security, horizon), "date", start, end)
  shown <- table[table$to >= min(path$date) & table$to <= max(path$date), ]
  panels <- period_panels(security, horizon, in_money)
  lines <- function(i, data, scale) {
    data.frame(panel = factor(panels[i], panels), date = data$date, value = data$value * scale)
  }
  returns <- lines(2L, over, if (in_money) 1 else 100)
  marks <- marks_of_periods(shown, path, returns$panel[1L], in_money)
  ggplot2::ggplot(mapping = ggplot2::aes(.data$date, .data$value)) +
    ggplot2::geom_rect(
      data = data.frame(
        from = shown$from - 1,
        to = shown$to,
        colour = ifelse(shown$side == "best", ink, loss)
      ),
      ggplot2::aes(
        xmin = .data$from,
        xmax = .data$to,
        ymin = -Inf,
        ymax = Inf,
        fill = .data$colour
      ),
      inherit.aes = FALSE,
      alpha = 0.28
    ) +
    ggplot2::scale_fill_identity() +
    ggplot2::geom_line(
      data = lines(1L, path, 1),
      colour = colour_of(security, source$universe),
      linewidth = 0.55
    ) +
    ggplot2::geom_segment(
      data = returns,
      ggplot2::aes(xend = .data$date, yend = 0),
      colour = faint,
      linewidth = 0.3
    ) +
    period_marks(marks) +
    ggplot2::facet_wrap(ggplot2::vars(.data$panel), ncol = 1L, scales = "free_y") +
    date_axis() +
    ggplot2::scale_y_continuous(
      labels = scales::label_number(big.mark = ","),
      expand = room_for_words(c(0.09, 0.05))
    ) +
    titles(
      in_words(object)[1L],
      "Shaded and numbered: the periods of the table, the worst first",
      basis(object)
    ) +
    imbroglio_theme()
}

period_panels <- function(security, horizon, in_money) {
  over <- if (horizon > 1L) {
    sprintf("Over %s, by the last date", count(horizon, "return"))
  } else {
    "Return"
  }
  c(
    if (in_money) "Sum of profits" else sprintf("%s, growth of 100", security),
    paste0(over, if (in_money) "" else ", %")
  )
}

marks_of_periods <- function(shown, path, panel, in_money) {
  low <- data.frame(
    trough = shown$to,
    drawdown = shown$total_return,
    rank = paste0(ifelse(shown$side == "best", "best ", ""), shown$rank)
  )
  lows <- lows_shown(low, range(path$date), in_money)
  lows$colour <- ifelse(shown$side == "best", ink, loss)
  lows$panel <- rep(panel, nrow(lows))
  lows
}

period_marks <- function(lows) {
  list(
    ggplot2::geom_point(data = lows, colour = lows$colour, size = 2.2),
    do.call(ggplot2::geom_label, c(
      list(
        data = lows,
        ggplot2::aes(y = .data$y, label = .data$label, hjust = .data$side),
        colour = lows$colour,
        size = 3.6,
        label.padding = ggplot2::unit(0.1, "lines"),
        fill = ggplot2::alpha("white", 0.8)
      ),
      no_border()
    ))
  )
}
