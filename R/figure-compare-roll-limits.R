#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_roll <- function(object, start = NULL, end = NULL, ...) {
  refuse_others(...)
  need_ggplot(object)
  table <- within_dates(as.data.frame(object), "to", start, end)
  table <- table[!is.na(table$estimate), ]
  if (!nrow(table)) {
    fail("too_short", "There is nothing to show: no security has as many returns as the window.")
  }
  source <- attr(object, "source")
  drawn <- rolled_lines(table, source)
  securities <- unique(table$security)
  lines <- drawn$lines
  ends <- rolled_ends(lines, length(securities) > 1L)
  colours <- colour_of(securities, source$universe)
  colours[is.na(colours)] <- ink
  ggplot2::ggplot(lines, ggplot2::aes(.data$date, .data$value, colour = .data$security)) +
    limit_lines(table, drawn$scale, drawn$titled, levels(lines$panel)) +
    ggplot2::geom_line(linewidth = 0.5) +
    words_layer(
      data = ends,
      ggplot2::aes(y = .data$label_at, label = .data$label),
      hjust = -0.1,
      size = 3.4
    ) +
    ggplot2::scale_colour_manual(values = colours) +
    ggplot2::facet_wrap(ggplot2::vars(.data$panel), ncol = 1L, scales = "free_y") +
    date_axis() +
    ggplot2::scale_y_continuous(labels = scales::label_number(big.mark = ",")) +
    ggplot2::coord_cartesian(clip = "off") +
    titles(
      headline(object),
      sprintf(
        "Each over the last %s returns%s",
        count(table$window[1L]),
        if (is.null(table[["limit"]])) "" else "; dashed: limits, shaded: days on which broken"
      ),
      basis(object)
    ) +
    imbroglio_theme() +
    ggplot2::theme(plot.margin = ggplot2::margin(14, 110, 10, 14))
}

# A panel for the growth, and one for each measure.
rolled_lines <- function(table, source) {
  known <- rolling_measures()
  scale <- ifelse(vapply(known[table$measure], `[[`, "", "unit") == "fraction", 100, 1)
  titled <- vapply(known[unique(table$measure)], function(r) {
    paste0(r$title, if (r$unit == "fraction") ", %" else "")
  }, "")
  priced <- intersect(unique(table$security), colnames(source$values))
  grown <- do.call(rbind, lapply(priced, function(s) {
    path <- growth_path(source, s)
    data.frame(security = s, panel = "Growth of 100", date = path$date, value = path$value)
  }))
  grown <- grown[grown$date >= min(table$to) & grown$date <= max(table$to), ]
  lines <- rbind(grown, data.frame(
    security = table$security,
    panel = titled[table$measure],
    date = table$to,
    value = table$estimate * scale
  ))
  lines$panel <- factor(lines$panel, unique(c(unique(grown$panel), titled)))
  list(lines = lines, scale = scale, titled = titled)
}

rolled_ends <- function(lines, several) {
  ends <- last_of_each(lines, c("panel", "security"))
  ends <- do.call(rbind, lapply(split(ends, ends$panel, drop = TRUE), function(of) {
    of$label_at <- apart(of$value, 0.14, of = lines$value[lines$panel == of$panel[1L]])
    of
  }))
  shares <- grepl(", %$|^Growth", ends$panel)
  written <- ifelse(shares, sprintf("%.1f", ends$value), sprintf("%.2f", ends$value))
  ends$label <- if (several) paste(ends$security, written) else written
  ends
}

# The limits as lines, and the days on which they were broken beneath.
limit_lines <- function(table, scale, titled, panels) {
  if (is.null(table[["limit"]])) return(NULL)
  depth <- vapply(rolling_measures()[table$measure], `[[`, NA, "depth")
  at <- data.frame(
    panel = factor(titled[table$measure], panels),
    limit = ifelse(depth, -abs(table$limit), table$limit) * scale,
    broken = table$broken,
    date = table$to
  )
  at <- at[!is.na(at$limit), ]
  broken <- at[at$broken %in% TRUE, ]
  first <- broken[!duplicated(broken$panel), ]
  first$label <- sprintf(" first broken %s ", first$date)
  ends <- range(table$to)
  first$side <- ifelse(first$date - ends[1L] < ends[2L] - first$date, 0, 1)
  list(
    ggplot2::geom_segment(
      data = broken,
      ggplot2::aes(x = .data$date, xend = .data$date, y = -Inf, yend = Inf),
      colour = loss,
      alpha = 0.06,
      inherit.aes = FALSE
    ),
    ggplot2::geom_hline(
      data = at[!duplicated(at$panel), ],
      ggplot2::aes(yintercept = .data$limit),
      colour = loss,
      linetype = "22",
      linewidth = 0.5
    ),
    words_layer(
      data = first,
      ggplot2::aes(
        x = .data$date, y = .data$limit, label = .data$label, hjust = .data$side
      ),
      colour = loss,
      size = 3.3,
      vjust = -0.5,
      inherit.aes = FALSE
    )
  )
}

#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_compare <- function(object, ...) {
  refuse_others(...)
  need_ggplot(object)
  table <- as.data.frame(object)
  known <- rolling_measures()
  scale <- ifelse(vapply(known[table$measure], `[[`, "", "unit") == "fraction", 100, 1)
  titled <- vapply(known[unique(table$measure)], function(r) {
    paste0(r$title, if (r$unit == "fraction") ", pp" else "")
  }, "")
  other <- sub("^from ", "before and from ", table$other)
  table$what <- paste(table$security, other, sep = ", ")
  points <- data.frame(
    panel = factor(titled[table$measure], titled),
    row = factor(table$what, rev(unique(table$what))),
    security = table$security,
    value = table$difference * scale,
    low = table$difference_low * scale,
    high = table$difference_high * scale,
    known = !is.na(table$p)
  )
  points$label <- sprintf("%.2f", points$value)
  colours <- colour_of(unique(points$security), attr(object, "source")$universe)
  colours[is.na(colours)] <- ink
  ggplot2::ggplot(points, ggplot2::aes(.data$value, .data$row, colour = .data$security)) +
    ggplot2::geom_vline(xintercept = 0, colour = quiet, linewidth = 0.4) +
    ggplot2::geom_segment(
      data = points[!is.na(points$low), ],
      ggplot2::aes(x = .data$low, xend = .data$high, yend = .data$row),
      linewidth = 1.8,
      alpha = 0.35
    ) +
    ggplot2::geom_point(ggplot2::aes(shape = .data$known), fill = "white", size = 3, stroke = 1) +
    ggplot2::scale_shape_manual(values = c(`TRUE` = 19, `FALSE` = 21), guide = "none") +
    ggplot2::scale_x_continuous(expand = room_for_words(0.12)) +
    words_layer(ggplot2::aes(label = .data$label), vjust = -1, size = 3.5) +
    ggplot2::scale_colour_manual(values = colours) +
    ggplot2::facet_wrap(ggplot2::vars(.data$panel), scales = "free_x") +
    titles(
      headline(object),
      paste0(
        sprintf(
          paste(
            "The first less the second (pp: percentage points), and its interval of %s; what",
            "crosses the line could be chance"
          ),
          unit_text$level(basis(object)$exact$confidence)
        ),
        if (anyNA(table$p)) ". Empty points: it cannot be said"
      ),
      basis(object),
      x = "Difference"
    ) +
    imbroglio_theme()
}

#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_limits <- function(object, ...) {
  refuse_others(...)
  need_ggplot(object)
  table <- as.data.frame(object)
  known <- limit_measures()
  table$use <- use_of_limits(table)
  table <- table[!is.na(table$use), ]
  if (!nrow(table)) fail("too_short", "There is no limit of which the state is known.")
  units <- vapply(known[table$measure], `[[`, "", "unit")
  titles <- vapply(seq_len(nrow(table)), function(i) limit_title(table[i, ]), "")
  table$what <- paste(table$security, titles, sep = ": ")
  counted <- table[["unit"]] %||% rep(NA_character_, nrow(table))
  table$row <- factor(seq_len(nrow(table)), rev(seq_len(nrow(table))))
  written <- vapply(seq_len(nrow(table)), function(i) {
    writer <- unit_text[[units[i]]]
    if (!is.na(counted[i])) writer <- function(x) money(x, counted_in(counted[i]))
    sprintf("%s of %s", writer(table$estimate[i]), writer(table$limit[i]))
  }, "")
  unknown <- table$state == "not measurable"
  written[unknown] <- sprintf("not measurable since %s: %s", table$to, written)[unknown]
  table$label <- paste0(written, ifelse(is.na(table$since), "", paste(" since", table$since)))
  ggplot2::ggplot(table, ggplot2::aes(.data$use, .data$row, colour = .data$state)) +
    ggplot2::geom_segment(
      ggplot2::aes(x = 0, xend = .data$use, yend = .data$row), linewidth = 1.4, alpha = 0.5
    ) +
    ggplot2::geom_vline(xintercept = 1, colour = loss, linetype = "22") +
    ggplot2::geom_point(size = 3) +
    words_layer(ggplot2::aes(label = paste0("   ", .data$label)), hjust = 0, size = 3.5) +
    ggplot2::scale_colour_manual(values = c(
      broken = loss, "not measurable" = doubtful, near = doubtful, within = quiet
    )) +
    ggplot2::scale_y_discrete(labels = stats::setNames(table$what, table$row)) +
    ggplot2::scale_x_continuous(
      labels = percent_axis,
      # Long names leave less of the picture for the panel.
      limits = c(0, room_for(
        table$use, table$label, 0.0093 / (1 - 0.0075 * min(80, max(nchar(table$what))))
      )),
      breaks = scales::breaks_pretty(6),
      expand = room_for_words(0)
    ) +
    titles(
      headline(object),
      "How much of each limit is used; beyond the line it is broken",
      basis(object),
      x = "Use of the limit"
    ) +
    imbroglio_theme()
}
