#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_volatility_split <- function(object, start = NULL, end = NULL, ...) {
  refuse_others(...)
  need_ggplot(object)
  table <- as.data.frame(object)
  name <- basis(object)$book$name
  table <- table[table$security != name, ]
  refuse_without_rows(TRUE, nrow(table) > 0L)
  if (!is.null(table$window)) {
    table <- within_dates(table, "to", start, end)
    return(shares_through_time(object, table))
  }
  weights_and_shares(object, table)
}

# What a holding weighs, and what it bears.
weights_and_shares <- function(object, table) {
  table$row <- factor(seq_len(nrow(table)), rev(seq_len(nrow(table))))
  colours <- colour_of(table$security, attr(object, "source")$universe)
  colours[is.na(colours)] <- ink
  table$ahead <- table$share >= table$weight
  ends <- data.frame(
    row = rep(table$row, 2L),
    security = rep(table$security, 2L),
    x = c(table$weight, table$share),
    shape = rep(c("weight", "share of the risk"), each = nrow(table)),
    side = c(ifelse(table$ahead, 1.25, -0.25), ifelse(table$ahead, -0.25, 1.25))
  )
  ends$label <- unit_text$share(ends$x)
  first <- ends[c(1L, nrow(table) + 1L), ]
  what <- if (is.null(table$benchmark)) "volatility" else "tracking error"
  ggplot2::ggplot(ends, ggplot2::aes(.data$x, .data$row, colour = .data$security)) +
    ggplot2::geom_vline(xintercept = 0, colour = quiet, linewidth = 0.3) +
    ggplot2::geom_segment(
      data = table,
      ggplot2::aes(x = .data$weight, xend = .data$share, yend = .data$row),
      linewidth = 1.1,
      alpha = 0.5
    ) +
    ggplot2::geom_point(ggplot2::aes(shape = .data$shape), size = 3.6, fill = "white") +
    words_layer(ggplot2::aes(label = .data$label, hjust = .data$side), size = 3.6) +
    words_layer(
      data = first,
      ggplot2::aes(label = .data$shape),
      vjust = -1.2,
      size = 3.4,
      colour = quiet
    ) +
    ggplot2::scale_shape_manual(values = c(weight = 21, "share of the risk" = 16)) +
    ggplot2::scale_colour_manual(values = colours) +
    ggplot2::scale_y_discrete(
      labels = stats::setNames(table$security, table$row),
      expand = room_for_words(c(0.08, 0.12))
    ) +
    ggplot2::scale_x_continuous(
      labels = percent_axis,
      expand = room_for_words(0.12),
      breaks = scales::breaks_pretty(6)
    ) +
    titles(
      headline(object),
      sprintf("Hollow: weight in the book; full: share of its %s", what),
      basis(object),
      x = "Share of the book"
    ) +
    imbroglio_theme()
}

# The share that each holding bears, with today's weights through the past.
shares_through_time <- function(object, table) {
  table <- table[!is.na(table$share) & table$window == max(table$window), ]
  if (!nrow(table)) {
    fail("too_short", "There is nothing to show: the book has fewer returns than the window.")
  }
  ends <- table[table$to == max(table$to), ]
  ends$label_at <- apart(ends$share, 0.045, of = table$share)
  ends$label <- sprintf("%s %s", ends$security, unit_text$share(ends$share))
  colours <- colour_of(unique(table$security), attr(object, "source")$universe)
  colours[is.na(colours)] <- ink
  ggplot2::ggplot(table, ggplot2::aes(.data$to, .data$share, colour = .data$security)) +
    ggplot2::geom_hline(yintercept = 0, colour = quiet, linewidth = 0.3) +
    ggplot2::geom_line(linewidth = 0.6) +
    words_layer(
      data = ends,
      ggplot2::aes(y = .data$label_at, label = .data$label),
      hjust = -0.06,
      size = 3.6
    ) +
    ggplot2::scale_colour_manual(values = colours) +
    date_axis() +
    ggplot2::scale_y_continuous(labels = percent_axis) +
    ggplot2::coord_cartesian(clip = "off") +
    titles(
      headline(object),
      sprintf(
        "Share of the risk of the book that each bears, over the last %s returns",
        count(table$window[1L])
      ),
      basis(object),
      y = "Share of the risk"
    ) +
    imbroglio_theme() +
    ggplot2::theme(plot.margin = ggplot2::margin(14, 130, 10, 14))
}

#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_concentration <- function(object, start = NULL, end = NULL, ...) {
  refuse_others(...)
  need_ggplot(object)
  table <- as.data.frame(object)
  if (!is.null(table$window)) {
    table <- within_dates(table, "to", start, end)
    return(rolling_panels(
      object,
      table,
      "effective_bets",
      "Independent bets",
      sprintf(
        "Effective number of bets of the book of today, over the last %s returns",
        some(count(unique(table$window)))
      )
    ))
  }
  bars <- bets_of(object)
  bars$panel <- factor(bars$panel, unique(bars$panel))
  bars$row <- factor(seq_len(nrow(bars)), rev(seq_len(nrow(bars))))
  colours <- colour_of(bars$name, attr(object, "source")$universe)
  colours[is.na(colours)] <- quiet
  ggplot2::ggplot(bars, ggplot2::aes(.data$share, .data$row, fill = .data$name)) +
    ggplot2::geom_col(width = 0.6) +
    words_layer(
      ggplot2::aes(label = unit_text$share(.data$share)),
      hjust = -0.12,
      size = 3.5,
      colour = ink
    ) +
    ggplot2::scale_fill_manual(values = colours) +
    ggplot2::scale_y_discrete(labels = stats::setNames(bars$name, bars$row)) +
    ggplot2::scale_x_continuous(
      labels = percent_axis,
      limits = c(0, NA),
      expand = room_for_words(c(0, 0.18))
    ) +
    ggplot2::facet_wrap(ggplot2::vars(.data$panel), scales = "free_y") +
    titles(
      in_words(object),
      "Left: what each holding is of all that is held; right: the variance by principal component",
      basis(object),
      x = "Share"
    ) +
    imbroglio_theme()
}

#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_return_split <- function(object, ...) {
  refuse_others(...)
  need_ggplot(object)
  table <- as.data.frame(object)
  name <- basis(object)$book$name
  in_money <- !is.null(table[["component_value"]])
  table$size <- if (in_money) table$component_value else table$component
  whole <- table[table$security == name, ]
  table <- table[table$security != name & (table$security != "cash" | table$size != 0), ]
  amount <- added_writer(object)
  table$label <- amount(table)
  titles_of <- sprintf(
    "%s: %s", ifelse(whole$over == "day", format(whole$to), sentence_case(whole$over)),
    amount(whole)
  )
  panel <- function(rows) {
    at <- match(paste(rows$over, rows$from), paste(whole$over, whole$from))
    factor(titles_of[at], unique(titles_of))
  }
  table$panel <- panel(table)
  order_of <- unique(table$security)
  table$row <- factor(table$security, rev(order_of))
  colours <- colour_of(order_of, attr(object, "source")$universe)
  colours[is.na(colours)] <- ink
  names(colours) <- order_of
  table$side <- ifelse(table$size < 0, 1.15, -0.15)
  ggplot2::ggplot(table, ggplot2::aes(.data$size, .data$row, colour = .data$security)) +
    ggplot2::geom_vline(xintercept = 0, colour = quiet, linewidth = 0.3) +
    ggplot2::geom_segment(
      ggplot2::aes(x = 0, xend = .data$size, yend = .data$row), linewidth = 2.4, alpha = 0.6
    ) +
    ggplot2::geom_point(size = 2.6) +
    words_layer(ggplot2::aes(label = .data$label, hjust = .data$side), size = 3.5) +
    ggplot2::facet_wrap(ggplot2::vars(.data$panel), scales = "free_x") +
    ggplot2::scale_colour_manual(values = colours) +
    ggplot2::scale_x_continuous(
      labels = if (in_money) scales::label_comma() else percent_axis,
      breaks = scales::breaks_pretty(4), expand = room_for_words(0.28)
    ) +
    titles(
      headline(object),
      "What each holding added; below 0 it cost",
      basis(object),
      x = if (in_money) {
        sprintf("Added, %s", basis(object)$currency %||% "money")
      } else {
        "Part of the return of the book"
      }
    ) +
    imbroglio_theme()
}

#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_selling <- function(object, ...) {
  refuse_others(...)
  need_ggplot(object)
  profile <- selling_profile(object)
  table <- as.data.frame(object)
  name <- basis(object)$book$name
  done <- table[table$security != name & !is.na(table$days), ]
  refuse_without_rows(TRUE, nrow(done) > 0L)
  done$y <- 0
  done$label <- sprintf("%s, %s", done$security, count_days(done$days))
  done$height <- apart(rep(0.08, nrow(done)), 0.07, of = c(0, 1))
  # Late ones have their words on the left, above the line.
  late <- done$days > 0.6 * max(profile$day)
  done$side <- ifelse(late, 1.05, -0.05)
  before <- stats::approx(profile, xout = done$days[late] - 0.3 * max(profile$day), rule = 2)$y
  done$height[late] <- pmax(done$height[late], apart(before + 0.04, 0.07, of = c(0, 1)))
  ggplot2::ggplot(profile, ggplot2::aes(.data$day, .data$left)) +
    ggplot2::geom_area(position = "identity", fill = present, alpha = 0.6) +
    ggplot2::geom_line(colour = ink, linewidth = 0.7) +
    ggplot2::geom_segment(
      data = done,
      ggplot2::aes(
        x = .data$days, xend = .data$days, y = 0, yend = .data$height, colour = .data$security
      ),
      linewidth = 0.8
    ) +
    words_layer(
      data = done,
      ggplot2::aes(
        x = .data$days, y = .data$height, label = .data$label, colour = .data$security,
        hjust = .data$side
      ),
      size = 3.6
    ) +
    ggplot2::scale_colour_manual(
      values = colour_of(done$security, attr(object, "source")$universe)
    ) +
    ggplot2::scale_y_continuous(labels = percent_axis) +
    ggplot2::scale_x_continuous(expand = room_for_words(c(0.01, 0.05))) +
    titles(
      headline(object),
      "The share of the book that is not sold yet; marks: when each holding is sold",
      basis(object),
      x = "Trading days from now",
      y = "Left"
    ) +
    imbroglio_theme()
}
