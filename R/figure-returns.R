#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_returns <- function(object, start = NULL, end = NULL, ...) {
  refuse_others(...)
  need_ggplot()
  lines <- growth_lines(object, start, end)
  if (object$kind == "profit") return(sums_figure(object, lines))
  # From 100 at the first date shown.
  lines$growth <- growth_of_100(lines)
  securities <- colnames(object)
  ends <- lines[!duplicated(lines$security, fromLast = TRUE), ]
  ends$label_at <- apart(ends$growth, 0.032, of = lines$growth, ratio = TRUE)
  sample <- sample_of(object$dates, object$values)
  ggplot2::ggplot(lines, ggplot2::aes(.data$date, .data$growth, colour = .data$security)) +
    ggplot2::geom_hline(yintercept = 100, colour = quiet, linewidth = 0.3) +
    ggplot2::geom_line(linewidth = 0.55) +
    words_layer(
      data = ends,
      ggplot2::aes(
        x = max(lines$date),
        y = .data$label_at,
        label = sprintf("  %s %.0f", .data$security, .data$growth)
      ),
      hjust = 0,
      size = 3.4
    ) +
    ggplot2::scale_colour_manual(values = colour_of(securities, object$universe)) +
    date_axis() +
    ggplot2::scale_y_log10(
      breaks = scales::breaks_log(8),
      labels = scales::label_number(big.mark = ",")
    ) +
    ggplot2::coord_cartesian(clip = "off") +
    titles(
      growth_headline(ends, lines$date[1L]),
      paste0(
        "Growth of 100 put in at the first price shown, on a ratio scale: equal steps ",
        "are equal returns"
      ),
      returns_basis(object, sample),
      y = "Growth of 100"
    ) +
    imbroglio_theme() +
    ggplot2::theme(plot.margin = ggplot2::margin(14, 112, 10, 14))
}

# How wealth grew in each security, from what it was before the first return.
growth_lines <- function(object, start, end) {
  wealth <- core_wealth(object$values, object$kind)
  parts <- lapply(seq_len(ncol(object)), function(j) {
    growth <- data.frame(
      security = colnames(object)[j],
      date = c(object$start[j], object$dates),
      growth = wealth[, j]
    )
    # Where it began, one period before, is not known of what was given without prices.
    if (is.na(object$start[j])) growth <- growth[-1L, ]
    within_dates(growth[!is.na(growth$growth) & !is.na(growth$date), ], "date", start, end)
  })
  do.call(rbind, parts)
}

growth_headline <- function(ends, from) {
  best <- ends[which.max(ends$growth), ]
  worst <- ends[which.min(ends$growth), ]
  if (nrow(ends) == 1L) {
    return(sprintf(
      "100 in %s on %s became %.0f on %s",
      best$security,
      from,
      best$growth,
      best$date
    ))
  }
  sprintf(
    "100 became %.0f in %s, the most, and %.0f in %s, the least",
    best$growth,
    best$security,
    worst$growth,
    worst$security
  )
}

# Profits add: their sum, in their own units, from nothing.
sums_figure <- function(object, lines) {
  ends <- lines[!duplicated(lines$security, fromLast = TRUE), ]
  ends$label_at <- apart(ends$growth, 0.032, of = c(0, lines$growth))
  best <- ends[which.max(ends$growth), ]
  worst <- ends[which.min(ends$growth), ]
  made <- function(end) {
    sprintf(
      "%s %s %s",
      end$security,
      if (end$growth < 0) "lost" else "made",
      money(abs(end$growth))
    )
  }
  ggplot2::ggplot(lines, ggplot2::aes(.data$date, .data$growth, colour = .data$security)) +
    ggplot2::geom_hline(yintercept = 0, colour = quiet, linewidth = 0.3) +
    ggplot2::geom_line(linewidth = 0.55) +
    words_layer(
      data = ends,
      ggplot2::aes(
        x = max(lines$date),
        y = .data$label_at,
        label = sprintf("  %s %s", .data$security, money(.data$growth))
      ),
      hjust = 0,
      size = 3.4
    ) +
    ggplot2::scale_colour_manual(values = colour_of(colnames(object), object$universe)) +
    date_axis() +
    ggplot2::scale_y_continuous(labels = scales::label_number(big.mark = ",")) +
    ggplot2::coord_cartesian(clip = "off") +
    titles(
      if (nrow(ends) == 1L) {
        sprintf("%s from %s to %s", made(best), lines$date[1L], best$date)
      } else {
        sprintf("%s, the most, and %s, the least", made(best), made(worst))
      },
      "Profits added up from the first date shown",
      returns_basis(object, sample_of(object$dates, object$values)),
      y = "Sum of profits"
    ) +
    imbroglio_theme() +
    ggplot2::theme(plot.margin = ggplot2::margin(14, 132, 10, 14))
}

#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_return <- function(object, start = NULL, end = NULL, ...) {
  refuse_others(...)
  need_ggplot(object)
  table <- as.data.frame(object)
  if (!is.null(table$window)) {
    table <- within_dates(table, "to", start, end)
    return(rolling_panels(
      object,
      table,
      "return_annual",
      "Return a year",
      sprintf("Over the last %s returns, a year", some(count(unique(table$window)))),
      floor = FALSE
    ))
  }
  if (nrow(table) == 1L) {
    return(ggplot2::autoplot(attr(object, "source")[, table$security], start = start, end = end))
  }
  ranking_figure(
    object,
    "return_annual",
    "Return a year",
    "Total return over the sample, as a yearly one"
  )
}

#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_book <- function(object, ...) ggplot2::autoplot(as_returns(object), ...)

#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_currency <- function(object, ...) {
  refuse_others(...)
  need_ggplot(object)
  table <- as.data.frame(object)
  shown <- utils::head(table$security, 6L)
  lines <- currency_paths(attr(object, "source"), shown)
  named <- c(local = "in its own currency", rate = "the currency", both = "to who counts in %s")
  ends <- last_of_each(lines, c("security", "what"))
  ends <- do.call(rbind, lapply(split(ends, ends$security, drop = TRUE), function(of) {
    of$label_at <- apart(of$value, 0.07, of = lines$value[lines$security == of$security[1L]])
    of
  }))
  ends$label <- sprintf("%s %.0f", sprintf(named[ends$what], table$base[1L]), ends$value)
  ggplot2::ggplot(lines, ggplot2::aes(.data$date, .data$value, colour = .data$what)) +
    ggplot2::geom_hline(yintercept = 100, colour = quiet, linewidth = 0.3) +
    ggplot2::geom_line(linewidth = 0.55) +
    words_layer(
      data = ends,
      ggplot2::aes(y = .data$label_at, label = .data$label),
      hjust = -0.04,
      size = 3.4
    ) +
    ggplot2::scale_colour_manual(values = c(
      local = method_colours[2L], rate = faint, both = ink
    )) +
    ggplot2::facet_wrap(ggplot2::vars(.data$security), ncol = 1L, scales = "free_y") +
    date_axis() +
    ggplot2::coord_cartesian(clip = "off") +
    titles(
      in_words(object)[1L],
      "Growth of 100: in its own currency, of the currency, and of both",
      basis(object)
    ) +
    imbroglio_theme() +
    ggplot2::theme(plot.margin = ggplot2::margin(14, 170, 10, 14))
}
