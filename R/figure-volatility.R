#' Figures
#'
#' `autoplot()` of a result, a price table or a returns table gives a ggplot: a title that
#' says the finding, and the
#' basis below. `plot()` draws the same.
#'
#' * A price table: the prices above their rolling volatility, on one date axis (for
#'   several securities: growth from 100).
#' * Returns: growth of 100 put in before the first return, on a ratio scale.
#' * Rolling volatility: for one security the price above it; for several a panel each.
#' * Volatility of the whole sample, drawdown and value at risk: of one security the series
#'   that the number comes from, of several
#'   the numbers, in order.
#'
#' @param object,x A result, a price table or a returns table.
#' @param window The rolling window, in returns.
#' @param start,end First and last date to show; all panels are cut to them together.
#' @param averages Windows of moving averages to draw over one security's price.
#' @param per_year Periods a year, see [measure_volatility()].
#' @param ... For methods; of `plot()`, arguments for `autoplot()`.
#' @return A ggplot.
#' @examplesIf requireNamespace("ggplot2", quietly = TRUE) && requireNamespace("scales", quietly = TRUE)
#' prices <- read_prices(demo_file("bay.csv"))
#' ggplot2::autoplot(prices[, "TARROW"], window = 60, start = "2018-01-01", end = "2020-12-31")
#' ggplot2::autoplot(measure_drawdown(prices))
#' @name figures
NULL

#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_prices <- function(object, window = 60L, start = NULL, end = NULL, per_year = NULL,
                                      averages = NULL, ...) {
  need_ggplot()
  if (ncol(object) > 1L) return(ggplot2::autoplot(as_returns(object), start = start, end = end))
  figure <- ggplot2::autoplot(measure_volatility(object, window = window, per_year = per_year), start = start,
                              end = end)
  figure + lapply(averages, average_layer, object, levels(figure$data$panel), start, end)
}

# A moving average over the price, named at its end.
average_layer <- function(window, prices, panels, start, end) {
  average <- average_prices(prices, window)
  line <- data.frame(panel = factor(panels[1L], panels), date = average$dates, value = average$close[, 1L])
  line <- within_dates(line[!is.na(line$value), ], "date", start, end)
  last <- line[nrow(line), ]
  list(
    ggplot2::geom_line(data = line, ggplot2::aes(group = NULL), colour = ink, linewidth = 0.4, alpha = 0.8),
    ggplot2::geom_text(data = last, ggplot2::aes(label = sprintf("  mean of %s", count(window)), group = NULL),
                       hjust = 0,
                       size = 3.2, colour = ink)
  )
}

#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_volatility <- function(object, start = NULL, end = NULL, ...) {
  need_ggplot()
  table <- as.data.frame(object)
  source <- attr(object, "source")
  if (is.null(table$window)) {
    return(ranking_figure(object, table$volatility_annual, "Volatility a year",
                          "Standard deviation of returns, times the root of the periods a year"))
  }
  table <- within_dates(table, "to", start, end)
  if (!any(!is.na(table$volatility_annual))) fail("too_short", "There is no volatility to show in these dates.")
  if (length(unique(table$security)) == 1L) price_and_volatility(object, table, source, start, end)
  else volatility_panels(object, table, source)
}

price_and_volatility <- function(object, table, source, start, end) {
  security <- table$security[1L]
  priced <- !is.null(source$prices)
  level <- if (priced) {
    data.frame(date = source$prices$dates, value = source$prices$close[, security])
  } else {
    data.frame(date = source$dates,
               value = 100 * core_wealth(source$values[, security, drop = FALSE], source$kind == "log")[-1L])
  }
  level <- within_dates(level, "date", start, end)
  windows <- unique(table$window)
  panels <- c(if (priced) paste(security, "price") else paste(security, "growth of 100"), "Volatility, % a year")
  lines <- rbind(
    data.frame(panel = panels[1L], date = level$date, value = level$value, window = NA_integer_),
    data.frame(panel = panels[2L], with_gaps(table, source$dates))
  )
  lines$panel <- factor(lines$panel, panels)
  lines$series <- run_of_known(lines$value, paste(lines$panel, lines$window))
  ends <- lines[!is.na(lines$window) & !is.na(lines$value), ]
  ends <- ends[!duplicated(ends$window, fromLast = TRUE), ]
  ends$label_at <- apart(ends$value, 0.065 * max(lines$value[lines$panel == panels[2L]], na.rm = TRUE))
  ends$label <- sprintf("  %s%.1f %%", if (length(windows) > 1L) paste0(count(ends$window), ": ") else "", ends$value)
  floor <- data.frame(panel = factor(panels[2L], panels), date = ends$date[1L], value = 0)
  colour <- colour_of(security, source$universe)
  shades <- scales::seq_gradient_pal(colour, ink)(seq(0, 1, length.out = length(windows)))
  known <- lines[!is.na(lines$value), ]
  ggplot2::ggplot(known, ggplot2::aes(.data$date, .data$value, group = .data$series)) +
    ggplot2::geom_line(data = known[is.na(known$window), ], colour = colour, linewidth = 0.55) +
    ggplot2::geom_line(data = known[!is.na(known$window), ], ggplot2::aes(colour = factor(.data$window, windows)),
                       linewidth = 0.65) +
    ggplot2::geom_text(data = ends,
                       ggplot2::aes(y = .data$label_at, label = .data$label, colour = factor(.data$window, windows)),
                       hjust = 0, size = 3.8) +
    ggplot2::geom_blank(data = floor, ggplot2::aes(group = NULL)) +
    ggplot2::scale_colour_manual(values = stats::setNames(shades, windows)) +
    ggplot2::facet_wrap(ggplot2::vars(.data$panel), ncol = 1L, scales = "free_y") +
    date_axis() +
    ggplot2::scale_y_continuous(labels = scales::label_number(big.mark = ",")) +
    ggplot2::coord_cartesian(clip = "off") +
    titles(headline_between(object, table), window_subtitle(object, windows), basis(object)) +
    imbroglio_theme() + ggplot2::theme(plot.margin = ggplot2::margin(14, 78, 10, 14))
}

# What is said of the dates shown, not of the whole sample.
headline_between <- function(object, table) {
  shown <- object
  attributes(shown) <- NULL
  shown <- new_result(as.list(table), "volatility", basis(object), attr(object, "source"))
  in_words(shown)[1L]
}

window_subtitle <- function(object, windows) {
  sprintf("Rolling standard deviation of the last %s %s %s returns, a year", some(count(windows)),
          frequencies[[basis(object)$every]]$adverb, basis(object)$kind)
}

volatility_panels <- function(object, table, source) {
  securities <- unique(table$security)
  lines <- do.call(rbind, lapply(securities, function(s) {
    data.frame(security = factor(s, securities), with_gaps(table[table$security == s, ], source$dates))
  }))
  lines$series <- run_of_known(lines$value, paste(lines$security, lines$window))
  known <- lines[!is.na(lines$value), ]
  ends <- known[!duplicated(known[c("security", "window")], fromLast = TRUE), ]
  colours <- colour_of(securities, source$universe)
  stacked <- length(securities) <= 4L
  ggplot2::ggplot(known, ggplot2::aes(.data$date, .data$value, colour = .data$security, group = .data$series)) +
    ggplot2::geom_line(ggplot2::aes(linewidth = .data$window == max(.data$window))) +
    ggplot2::geom_text(data = ends[ends$window == max(ends$window), ],
                       ggplot2::aes(label = sprintf("%.0f %%", .data$value)), hjust = -0.15, size = 3.2) +
    ggplot2::scale_linewidth_manual(values = c(0.3, 0.55)) +
    ggplot2::scale_colour_manual(values = colours) +
    ggplot2::facet_wrap(ggplot2::vars(.data$security), ncol = if (stacked) 1L else NULL) +
    ggplot2::scale_x_date(date_labels = "%Y", breaks = scales::breaks_pretty(if (stacked) 9 else 4),
                          expand = ggplot2::expansion(c(0.01, if (stacked) 0.05 else 0.14))) +
    ggplot2::scale_y_continuous(limits = c(0, NA)) +
    titles(headline(object), window_subtitle(object, unique(table$window)), basis(object),
           y = "Volatility, % a year") +
    imbroglio_theme()
}

within_dates <- function(table, column, start, end) {
  start <- check_date(start, "start")
  end <- check_date(end, "end")
  keep <- rep(TRUE, nrow(table))
  if (!is.null(start)) keep <- keep & table[[column]] >= start
  if (!is.null(end)) keep <- keep & table[[column]] <= end
  if (!any(keep)) {
    fail("too_short", sprintf("There is nothing to show from %s to %s.", start %||% "the start", end %||% "the end"),
         where = sprintf("There is data from %s to %s.", min(table[[column]]), max(table[[column]])))
  }
  table[keep, , drop = FALSE]
}

# The windows' volatilities in percent on every date of the calendar that they span,
# missing where the security has no return.
with_gaps <- function(table, dates) {
  dates <- dates[dates >= min(table$to) & dates <= max(table$to)]
  do.call(rbind, lapply(unique(table$window), function(w) {
    part <- table[table$window == w, ]
    data.frame(date = dates, value = 100 * part$volatility_annual[match(dates, part$to)], window = w)
  }))
}

# Numbers the runs of values that are there, so that no line bridges a gap.
run_of_known <- function(value, series) {
  paste(series, stats::ave(as.numeric(is.na(value)), series, FUN = cumsum))
}
