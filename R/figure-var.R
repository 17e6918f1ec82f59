#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_var <- function(object, ...) {
  need_ggplot()
  table <- as.data.frame(object)
  if (length(unique(table$security)) > 1L) {
    several <- lengths(lapply(table[c("level", "rank")], unique)) > 1L
    if (any(several)) {
      which <- do.call(paste, c(list(unit_text$level(table$level)), if (several[["rank"]]) list(table$rank)))
      table$row <- paste(table$security, which, sep = ", ")
    }
    return(ranking_figure(object, table$var, "Value at risk", var_subtitle(object), rows = table[["row"]],
                          digits = 2L))
  }
  loss_histogram(object, table)
}

var_subtitle <- function(object) {
  table <- as.data.frame(object)
  period <- period_name(basis(object)$every, table$horizon[1L])
  sprintf("The loss of one %s that is exceeded once in so many, by historical simulation", period$one)
}

# All returns, the ones beyond the value at risk in the colour of losses.
loss_histogram <- function(object, table) {
  source <- attr(object, "source")
  r <- source$values[, table$security[1L]]
  shown <- if (table$horizon[1L] == 1L) r else if (table$horizon_by[1L] == "overlapping") {
    core_overlapping_returns(source$values[, table$security[1L], drop = FALSE], table$horizon[1L],
                             source$kind == "log")[, 1L]
  } else r * sqrt(table$horizon[1L])
  if (source$kind == "log") shown <- expm1(shown)
  shown <- shown[!is.na(shown)]
  lines <- unique(table[c("level", "rank", "var", "es")])
  lines <- lines[order(lines$var), ]
  breaks <- pretty(shown, n = 90)
  bins <- graphics::hist(shown, breaks = breaks, plot = FALSE)
  bars <- data.frame(from = bins$breaks[-length(bins$breaks)], to = bins$breaks[-1L], count = bins$counts)
  bars$beyond <- bars$to <= -min(lines$var) + 1e-12
  top <- max(bars$count)
  # One line for each; the labels step down so that none covers another.
  lines$label_at <- top * (1 - 0.085 * (seq_len(nrow(lines)) - 1L) %% 9)
  ranked <- length(unique(lines$rank)) > 1L
  lines$label <- sprintf("%s%s: %s  ", unit_text$level(lines$level), if (ranked) paste(",", lines$rank) else "",
                         percent(lines$var))
  ggplot2::ggplot(bars) +
    ggplot2::geom_rect(ggplot2::aes(xmin = .data$from, xmax = .data$to, ymin = 0, ymax = .data$count,
                                    fill = .data$beyond), colour = "white", linewidth = 0.15) +
    ggplot2::scale_fill_manual(values = c(`FALSE` = unname(colour_of(table$security[1L], source$universe)),
                                          `TRUE` = loss)) +
    ggplot2::geom_segment(data = lines,
                          ggplot2::aes(x = -.data$var, xend = -.data$var, y = 0, yend = .data$label_at),
                          colour = loss, linewidth = 0.6) +
    ggplot2::geom_text(data = lines, ggplot2::aes(x = -.data$var, y = .data$label_at, label = .data$label),
                       colour = loss, hjust = 1, vjust = 0.9, size = 3.9) +
    ggplot2::scale_x_continuous(labels = percent_axis, breaks = scales::breaks_pretty(9)) +
    ggplot2::scale_y_continuous(expand = ggplot2::expansion(c(0, 0.05))) +
    titles(in_words(object)[which.max(table$level)], var_subtitle(object), basis(object),
           x = paste(table$security[1L], "return"), y = "Observations") +
    imbroglio_theme()
}
