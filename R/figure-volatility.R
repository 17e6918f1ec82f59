#' Figures
#'
#' `autoplot()` of a result, a price table or a returns table gives a ggplot: a title that
#' says the finding, and the
#' basis below. `plot()` draws the same.
#'
#' * A price table: the prices above their rolling volatility, on one date axis (for
#'   several securities: growth from 100).
#' * Returns: growth of 100 put in before the first return, on a ratio scale.
#' * Volatility, rolling or on each date: for one security the price above it; for several a panel
#'   each. `by_window`: how it stands today in its own history, for each window.
#' * Other rolling results: lines, a panel for each security.
#' * Beta: of one security the points, the line with its band, and the equation; of several, and
#'   of several frequencies, the betas with their intervals.
#' * Tracking: growth of both, and of one over the other. Correlation: the matrix, like beside
#'   like. Summary: return against volatility.
#' * Fitted distributions: of one security a panel for each family, by `view`: the
#'   `"distribution"` functions with the largest distance marked, the `"density"` over the
#'   histogram, the `"quantiles"` with a band by simulation, or the lower `"tail"` of all on a log
#'   scale; of several securities which families are rejected.
#' * Value at risk: of one security, by `view`, its returns with each of the `"methods"` below
#'   them on the same axis (value at risk, interval and expected shortfall), or the `"horizons"`,
#'   a line for each level; of several `"securities"` the numbers, in order. The tail: by its
#'   size, the choice `tail` marked. A drawn book: its values, with percentiles and losses. A
#'   split: the parts of each holding. A backtest: of one `security` the returns, the lines and
#'   the breaches, with the runs and their zones; of several how often each was breached.
#' * Drawdown: wealth with its running high, the depth below it, and the deepest falls shaded and
#'   numbered.
#' * Anything else of the whole sample: of one security the series that the number comes from, of
#'   several the numbers, in order.
#'
#' Axes are in the units of the columns: a line at 0.2 stands at 20 %. Where panels of one figure
#' are of several units, each says its own (`Volatility, % a year`, `growth of 100`), and a line
#' goes by that. Scales, facets and themes are replaced as those of any ggplot; the colours of
#' securities stay unless they are.
#'
#' @param object,x A result, a price table or a returns table.
#' @param window The rolling window, in returns.
#' @param start,end First and last date to show; all panels are cut to them together.
#' @param averages Windows of moving averages to draw over one security's price.
#' @param per_year Periods a year, see [measure_volatility()].
#' @param by_window Whether to draw today's volatility in its own history.
#' @param worst How many of the deepest falls to shade.
#' @param view,family What to draw: of fitted distributions, and of which families (all); of value
#'   at risk.
#' @param tail The size of the tail to mark, a share of the returns or how many.
#' @param security Of a backtest: which security to draw.
#' @param ... For methods; of `plot()`, arguments for `autoplot()`.
#' @return A ggplot.
#' @eval concepts_in_docs("figures")
#' @family what a result is
#' @examplesIf all(vapply(c("ggplot2", "scales"), requireNamespace, NA, quietly = TRUE))
#' prices <- read_prices(demo_file("bay.csv"))
#' ggplot2::autoplot(prices[, "TARROW"], window = 60, start = "2018-01-01", end = "2020-12-31")
#' ggplot2::autoplot(measure_drawdown(prices))
#' @name figures
NULL

#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_prices <- function(object, window = 60L, start = NULL, end = NULL,
                                      per_year = NULL, averages = NULL, ...) {
  refuse_others(...)
  need_ggplot()
  if (ncol(object) > 1L) return(ggplot2::autoplot(as_returns(object), start = start, end = end))
  figure <- ggplot2::autoplot(
    measure_volatility(object, window = window, per_year = per_year),
    start = start,
    end = end
  )
  figure + lapply(averages, average_layer, object, levels(figure$data$panel), start, end)
}

# A moving average over the price, named at its end.
average_layer <- function(window, prices, panels, start, end) {
  average <- average_prices(prices, window)
  line <- data.frame(
    panel = factor(panels[1L], panels),
    date = average$dates,
    value = average$close[, 1L]
  )
  line <- within_dates(line[!is.na(line$value), ], "date", start, end)
  last <- line[nrow(line), ]
  list(
    ggplot2::geom_line(
      data = line,
      ggplot2::aes(group = NULL),
      colour = ink,
      linewidth = 0.4,
      alpha = 0.8
    ),
    words_layer(
      data = last,
      ggplot2::aes(label = sprintf("  mean of %s", count(window)), group = NULL),
      hjust = 0,
      size = 3.2,
      colour = ink
    )
  )
}

#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_volatility <- function(object, start = NULL, end = NULL, by_window = FALSE,
                                          ...) {
  refuse_others(...)
  need_ggplot(object)
  table <- as.data.frame(object)
  if (is.null(table$window)) {
    if (by_window) {
      fail(
        "argument",
        "A picture by window is of a rolling volatility.",
        remedy = "Give `window`."
      )
    }
    rows <- if (length(unique(table$method)) > 1L) paste(table$security, table$method, sep = ", ")
    return(ranking_figure(
      object,
      "volatility_annual",
      "Volatility a year",
      "Volatility a period, times the root of the periods a year",
      rows = rows
    ))
  }
  table <- within_dates(table, "to", start, end)
  if (!any(!is.na(table$volatility_annual))) {
    fail("too_short", "There is no volatility to show in these dates.")
  }
  if (by_window) {
    standing_figure(object, table)
  } else {
    volatility_lines(object, table, start, end)
  }
}

# Of one security below its price, of several a panel each.
volatility_lines <- function(object, table, start, end) {
  if (length(unique(table$security)) == 1L) {
    return(price_and_volatility(object, table, start, end))
  }
  subtitle <- window_subtitle(object, table)
  rolling_panels(object, table, "volatility_annual", "Volatility a year", subtitle)
}

#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_volatility_series <- function(object, start = NULL, end = NULL, ...) {
  refuse_others(...)
  need_ggplot(object)
  table <- within_dates(as.data.frame(object), "to", start, end)
  volatility_lines(object, table, start, end)
}

# What a line is called beside the others of its security: by what differs.
series_of <- function(table) {
  keys <- Filter(
    function(key) length(unique(table[[key]])) > 1L,
    setdiff(series_keys(table), c("security", "benchmark"))
  )
  labels <- lapply(keys, function(key) if (key == "window") count(table$window) else table[[key]])
  if (!length(labels)) return(factor(rep("", nrow(table))))
  label <- do.call(paste, c(labels, sep = ", "))
  factor(label, unique(label))
}

price_and_volatility <- function(object, table, start, end) {
  source <- attr(object, "source")
  security <- table$security[1L]
  scale <- if (counts_money(object)) 1 else 100
  level <- within_dates(level_of(source, security, scale), "date", start, end)
  table$series <- series_of(table)
  names <- levels(table$series)
  panels <- c(
    paste(
      security,
      if (!is.null(source$prices)) {
        "price"
      } else if (scale == 1) {
        "sum of profits"
      } else {
        "growth of 100"
      }
    ),
    if (scale == 1) "Volatility a year" else "Volatility, % a year"
  )
  lines <- rbind(
    data.frame(panel = panels[1L], date = level$date, value = level$value, series = NA),
    data.frame(panel = panels[2L], with_gaps(table, source$dates, "volatility_annual", scale))
  )
  lines$panel <- factor(lines$panel, panels)
  lines$run <- run_of_known(lines$value, paste(lines$panel, lines$series))
  ends <- last_of_each(lines[!is.na(lines$series) & !is.na(lines$value), ], "series")
  below <- lines$panel == panels[2L]
  ends$label_at <- apart(ends$value, 0.065, of = c(0, lines$value[below]))
  ends$label <- sprintf(
    "  %s%s",
    if (length(names) > 1L) paste0(ends$series, ": ") else "",
    writer_of(object)(ends$value / scale, 1L)
  )
  floor <- data.frame(panel = factor(panels[2L], panels), date = ends$date[1L], value = 0)
  colour <- colour_of(security, source$universe)
  by_method <- length(unique(table$method)) > 1L
  shades <- series_shades(length(names), colour, by_method)
  known <- lines[!is.na(lines$value), ]
  ggplot2::ggplot(known, ggplot2::aes(.data$date, .data$value, group = .data$run)) +
    ggplot2::geom_line(data = known[is.na(known$series), ], colour = colour, linewidth = 0.55) +
    ggplot2::geom_line(
      data = known[!is.na(known$series), ],
      ggplot2::aes(colour = factor(.data$series, names)),
      linewidth = 0.65
    ) +
    words_layer(
      data = ends,
      ggplot2::aes(y = .data$label_at, label = .data$label, colour = factor(.data$series, names)),
      hjust = 0,
      size = 3.8
    ) + ggplot2::geom_blank(data = floor, ggplot2::aes(group = NULL)) +
    ggplot2::scale_colour_manual(values = stats::setNames(shades, names)) +
    ggplot2::facet_wrap(ggplot2::vars(.data$panel), ncol = 1L, scales = "free_y") + date_axis() +
    ggplot2::scale_y_continuous(labels = scales::label_number(big.mark = ",")) +
    ggplot2::coord_cartesian(clip = "off") +
    titles(words_between(object, table)[1L], window_subtitle(object, table), basis(object)) +
    imbroglio_theme() +
    ggplot2::theme(plot.margin = ggplot2::margin(14, if (by_method) 150 else 78, 10, 14))
}

# What stands above: the price, or what the returns made of 100.
level_of <- function(source, security, scale) {
  if (!is.null(source$prices)) {
    return(data.frame(date = source$prices$dates, value = source$prices$close[, security]))
  }
  wealth <- core_wealth(source$values[, security, drop = FALSE], source$kind)
  data.frame(date = source$dates, value = scale * wealth[-1L])
}

# Windows are shades of one colour; methods, which have no order, are told apart by more.
series_shades <- function(n, colour, by_method) {
  if (by_method) return(rep_len(c(colour, ink, setdiff(security_colours[1:7], colour)), n))
  scales::seq_gradient_pal(colour, ink)(seq(0, 1, length.out = n))
}

window_subtitle <- function(object, table) {
  about <- basis(object)
  what <- if (is.null(table$window)) {
    sprintf("by %s, of the next period", some(unique(table$method)))
  } else {
    sprintf(
      "of the last %s %s %s",
      some(count(unique(table$window))),
      some(adverb_of(unique(every_by_row(object)))),
      if (about$kind == "profit") "profits" else paste(about$kind, "returns")
    )
  }
  sprintf(
    "%s %s, a year",
    if (is.null(table$method)) "Rolling standard deviation" else "Volatility",
    what
  )
}

#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_garch <- function(object, ...) {
  refuse_others(...)
  kinds <- vapply(volatility_estimators()[garch_methods()], `[[`, "", "innovations")
  method <- names(kinds)[match(unique(object$innovations), kinds)]
  ggplot2::autoplot(
    volatility_series(
      attr(object, "source"),
      method = unname(method),
      per_year = basis(object)$per_year
    ),
    ...
  )
}

#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_garch_forecast <- function(object, ...) {
  refuse_others(...)
  need_ggplot(object)
  table <- as.data.frame(object)
  table$series <- if (length(unique(table$innovations)) > 1L) {
    paste(table$security, table$innovations, sep = ", ")
  } else {
    table$security
  }
  ends <- table[!duplicated(table$series, fromLast = TRUE) & !is.na(table$volatility_annual), ]
  ends$label_at <- apart(ends$volatility_annual, 0.04, of = c(0, table$volatility_annual))
  ggplot2::ggplot(
    table[!is.na(table$volatility_annual), ],
    ggplot2::aes(
      .data$horizon,
      .data$volatility_annual,
      colour = .data$security,
      group = .data$series
    )
  ) +
    ggplot2::geom_line(linewidth = 0.7) +
    words_layer(
      data = ends,
      ggplot2::aes(y = .data$label_at, label = paste0("  ", .data$series)),
      hjust = 0,
      size = 3.7
    ) +
    ggplot2::scale_colour_manual(values = colour_of(
      unique(table$security),
      attr(object, "source")$universe
    )) +
    ggplot2::scale_x_continuous(expand = room_for_words(c(0.01, 0.16))) +
    ggplot2::scale_y_continuous(labels = percent_axis, limits = c(0, NA)) +
    titles(
      in_words(object)[1L],
      "Volatility of each period ahead, on its way to the long-run level",
      basis(object),
      x = sprintf("%ss ahead", sentence_case(every_in_all(object))),
      y = "Volatility a year"
    ) +
    imbroglio_theme()
}
