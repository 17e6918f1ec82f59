#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_roll <- function(object, start = NULL, end = NULL, ...) {
  refuse_others(...)
  need_ggplot()
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
