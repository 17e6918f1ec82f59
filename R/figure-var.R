#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_var <- function(object, view = NULL, ...) {
  refuse_others(...)
  need_ggplot(object)
  table <- as.data.frame(object)
  one <- length(unique(table$security)) == 1L
  usual <- if (length(unique(table$horizon)) > 1L && one) {
    "horizons"
  } else if (one) {
    "methods"
  } else {
    "securities"
  }
  view <- check_choice(view %||% usual, "view", c("methods", "horizons", "securities"))
  if (view != "securities" && !one) {
    fail(
      "argument",
      sprintf("The view \"%s\" is of one security.", view),
      where = sprintf("There are %s.", length(unique(table$security)))
    )
  }
  switch(
    view,
    methods = methods_figure(object, table),
    horizons = horizons_figure(object, table),
    securities = {
      several <- lengths(lapply(table[c("level", "rank", "method", "horizon")], unique)) > 1L
      words <- list(
        if (several[["level"]]) unit_text$level(table$level),
        if (several[["rank"]]) table$rank,
        if (several[["method"]]) table$method,
        if (several[["horizon"]]) paste(table$horizon, every_by_row(object))
      )
      words <- words[!vapply(words, is.null, NA)]
      if (length(words)) {
        table$row <- paste(table$security, do.call(paste, c(words, sep = ", ")), sep = ", ")
      }
      ranking_figure(
        object,
        "var",
        "Value at risk",
        var_subtitle(object),
        rows = table[["row"]],
        digits = 2L
      )
    }
  )
}

var_subtitle <- function(object) {
  table <- as.data.frame(object)
  period <- period_name(every_in_all(object), table$horizon[1L])
  methods <- unique(table$method)
  sprintf(
    "The loss of %s that is exceeded once in so many%s",
    if (length(unique(table$horizon)) > 1L) "a period" else paste("one", period$one),
    if (length(methods) == 1L) paste(", method", methods) else ""
  )
}

# The returns, and below them, on the same axis, each method's value at risk with its interval and
# expected shortfall.
methods_figure <- function(object, table) {
  drawn <- methods_drawn(object, table)
  table <- drawn$table
  single <- nrow(table) == 1L
  what <- if (counts_money(object)) "profit" else "return"
  period <- period_name(every_in_all(object), table$horizon[1L])
  ggplot2::ggplot(table) +
    shares_layer(drawn$bars, "count", colour_of(table$security[1L], drawn$universe)) +
    ggplot2::geom_segment(
      ggplot2::aes(x = -.data$var, xend = -.data$var, y = .data$y),
      yend = drawn$top * if (single) 0.9 else 0.3,
      colour = loss,
      linewidth = if (single) 0.6 else 0.3,
      alpha = if (single) 1 else 0.45
    ) +
    method_rows(object, drawn) +
    ggplot2::geom_hline(yintercept = 0, colour = rule) +
    ggplot2::scale_x_continuous(
      labels = amount_axis(object),
      breaks = scales::breaks_pretty(9),
      limits = drawn$ends,
      expand = c(0.005, 0)
    ) +
    ggplot2::scale_y_continuous(
      breaks = not_below_zero(drawn$top, 4),
      expand = room_for_words(c(0.02, 0.05))
    ) +
    titles(
      headline_of(object),
      sprintf(
        "Bars: %ss of %s, red beyond the least of the lines%s%s",
        what,
        period$within,
        "; dot: value at risk, bar: its interval, diamond: expected shortfall",
        means_beside(table)
      ),
      basis(object),
      x = paste(table$security[1L], what),
      y = "Observations"
    ) +
    imbroglio_theme() +
    ggplot2::theme(axis.title.y = ggplot2::element_text(hjust = 0.75))
}

# The bars, and a row below them for each method.
methods_drawn <- function(object, table) {
  table <- table[!is.na(table$var) & table$horizon == table$horizon[1L], ]
  if (!nrow(table)) fail("argument", "There is no value at risk to draw.")
  source <- attr(object, "source")
  shown <- returns_over(source, table$security[1L], table$horizon[1L])
  bars <- histogram_of(shown, range(shown), 90L)
  bars$beyond <- bars$to <= -min(table$var) + 1e-12
  table <- table[order(table$var), ]
  distinct <- lengths(lapply(table[c("level", "rank")], function(v) unique(stats::na.omit(v))))
  table$name <- paste0(
    table$method,
    if (distinct[["level"]] > 1L) paste0(", ", unit_text$level(table$level)),
    if (distinct[["rank"]] > 1L) ifelse(is.na(table$rank), "", paste0(", ", table$rank))
  )
  top <- max(bars$count)
  # In the unit of the histogram.
  step <- top * min(0.13, 1.5 / nrow(table))
  table$y <- -step * (seq_len(nrow(table)) + 0.4)
  # Expected shortfalls that lie beyond all returns do not stretch the picture.
  edge <- max(
    if (counts_money(object)) -Inf else -1,
    min(shown, -1.05 * table$var, -table$var_high, na.rm = TRUE)
  )
  right <- central(shown, 0.99)[2L]
  bars <- bars[bars$to > edge & bars$to <= right, ]
  edge <- min(edge, bars$from)
  table$es_x <- ifelse(is.finite(table$es) & -table$es > edge, -table$es, NA_real_)
  list(table = table, bars = bars, top = top, ends = c(edge, right), universe = source$universe)
}

# Value at risk, its interval and expected shortfall of each method, with its name.
method_rows <- function(object, drawn) {
  table <- drawn$table
  edge <- drawn$ends[1L]
  list(
    ggplot2::geom_segment(
      data = table[!is.na(table$var_low) & !is.na(table$var_high), ],
      ggplot2::aes(
        x = pmax(-.data$var_high, edge),
        xend = -.data$var_low,
        y = .data$y,
        yend = .data$y
      ),
      colour = loss,
      linewidth = 1,
      alpha = 0.55
    ),
    ggplot2::geom_point(ggplot2::aes(x = -.data$var, y = .data$y), colour = loss, size = 2.4),
    ggplot2::geom_point(
      ggplot2::aes(x = .data$es_x, y = .data$y),
      colour = loss,
      shape = 5,
      size = 2,
      stroke = 0.8,
      na.rm = TRUE
    ),
    words_layer(
      ggplot2::aes(
        x = 0,
        y = .data$y,
        label = sprintf("%s  %s", writer_of(object)(.data$var), .data$name)
      ),
      colour = ink,
      hjust = 0,
      size = if (nrow(table) > 14L) 3.1 else 3.7,
      nudge_x = (drawn$ends[2L] - edge) * 0.004
    )
  )
}

# Value at risk as the horizon grows, a line for each level, a panel for each method.
horizons_figure <- function(object, table) {
  table <- table[
    !is.na(table$var) & table$rank %in% table$rank[!is.na(table$rank)][1L] | is.na(table$rank),
  ]
  steps <- sort(unique(table$level))
  table$label <- unit_text$level(table$level)
  table$method <- factor(table$method, unique(table$method))
  ends <- table[table$horizon == max(table$horizon), ]
  ends$y <- stats::ave(ends$var, ends$method, FUN = function(y) {
    apart(y, 0.035, of = c(0, table$var))
  })
  shades <- grDevices::colorRampPalette(loss_shades)(length(steps))
  colours <- stats::setNames(shades, unit_text$level(steps))
  every <- every_in_all(object)
  ggplot2::ggplot(table, ggplot2::aes(.data$horizon, .data$var, colour = .data$label)) +
    ggplot2::geom_line(linewidth = 0.8) + ggplot2::geom_point(size = 1.2) +
    words_layer(
      data = ends,
      ggplot2::aes(
        y = .data$y,
        label = sprintf("  %s: %s", .data$label, writer_of(object)(.data$var, 1L))
      ),
      hjust = 0,
      size = 3.4
    ) + ggplot2::scale_colour_manual(values = colours) +
    ggplot2::scale_x_continuous(
      breaks = unique(round(seq(
        1,
        max(table$horizon),
        length.out = min(max(table$horizon), 8L)
      ))),
      expand = room_for_words(c(0.01, if (nlevels(table$method) > 1L) 0.34 else 0.16))
    ) +
    ggplot2::scale_y_continuous(
      labels = amount_axis(object),
      limits = c(0, NA),
      expand = room_for_words(c(0, 0.05))
    ) + ggplot2::facet_wrap(ggplot2::vars(.data$method)) +
    titles(
      sprintf("%s: %s", table$security[1L], horizons_finding(table, every, writer_of(object))),
      paste0("Value at risk by horizon and level", means_beside(table)),
      basis(object),
      x = sprintf("Horizon, %ss", every),
      y = "Value at risk"
    ) + imbroglio_theme() +
    ggplot2::theme(
      strip.text = if (nlevels(table$method) == 1L) {
        ggplot2::element_blank()
      } else {
        ggplot2::element_text(face = "bold", hjust = 0)
      }
    )
}

horizons_finding <- function(table, every, writer) {
  top <- table[table$level == max(table$level) & table$method == levels(table$method)[1L], ]
  ends <- range(top$horizon)
  sprintf(
    "at %s, %s in %s become %s in %s",
    top$label[1L],
    writer(top$var[top$horizon == ends[1L]]),
    period_name(every, ends[1L])$within,
    writer(top$var[top$horizon == ends[2L]]),
    period_name(every, ends[2L])$within
  )
}

#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_tail <- function(object, tail = NULL, ...) {
  refuse_others(...)
  need_ggplot(object)
  table <- as.data.frame(object)
  if (length(unique(table$security)) > 1L) {
    fail("argument", "The tail of one security at a time is drawn.")
  }
  drawn <- tail_drawn(object, table)
  estimate <- drawn$estimate
  colour <- unname(colour_of(table$security[1L], attr(object, "source")$universe))
  tail <- if (!is.null(tail)) {
    tail_size(basis(object)$observations[[table$security[1L]]], check_tail(tail))
  }
  ggplot2::ggplot(drawn$lines, ggplot2::aes(.data$k, .data$y)) +
    (if (!is.null(tail)) {
      ggplot2::geom_vline(xintercept = tail, colour = loss, linewidth = 0.5, linetype = 2)
    }) +
    ggplot2::geom_ribbon(
      ggplot2::aes(ymin = .data$low, ymax = .data$high),
      fill = colour,
      alpha = 0.18
    ) +
    ggplot2::geom_line(colour = colour, linewidth = 0.8) +
    ggplot2::geom_line(
      data = estimate,
      ggplot2::aes(group = .data$by, linetype = .data$by),
      colour = ink,
      linewidth = 0.7,
      na.rm = TRUE
    ) +
    words_layer(
      data = drawn$ends,
      ggplot2::aes(label = paste0("  ", .data$by)),
      colour = ink,
      hjust = 0,
      size = 3.6
    ) +
    ggplot2::facet_wrap(ggplot2::vars(.data$panel), scales = "free_y") +
    ggplot2::scale_x_continuous(
      breaks = scales::breaks_pretty(7),
      expand = room_for_words(c(0.01, 0.12))
    ) +
    titles(
      headline_of(object),
      paste0(
        "By how many losses are taken for the tail, with 95 % bands; where a line is ",
        "level the choice matters little",
        if (!is.null(tail)) sprintf("; dashed: the choice of %s", count(tail))
      ),
      basis(object),
      x = "Losses in the tail"
    ) +
    ggplot2::labs(y = NULL) +
    imbroglio_theme()
}

# Three shapes by where the tail begins, and the value at risk that comes of them.
tail_drawn <- function(object, table) {
  unit <- if (counts_money(object)) "" else ", in %"
  scale <- if (counts_money(object)) 1 else 100
  panel <- function(name, y, low, high) {
    data.frame(panel = name, k = table$k, y = y, low = low, high = high)
  }
  names <- c(
    "Hill's shape",
    paste0("Mean excess over the threshold", unit),
    "Shape by the generalised Pareto distribution",
    sprintf(
      "Value at risk at %s%s",
      unit_text$level(as.numeric(basis(object)$choices[["level"]])),
      unit
    )
  )
  lines <- rbind(
    panel(names[1L], table$hill_shape, table$hill_low, table$hill_high),
    panel(
      names[2L],
      scale * table$mean_excess,
      scale * table$excess_low,
      scale * table$excess_high
    ),
    panel(names[3L], table$pareto_shape, table$pareto_low, table$pareto_high)
  )
  estimate <- rbind(
    data.frame(k = table$k, y = scale * table$hill_var, by = "Hill"),
    data.frame(k = table$k, y = scale * table$pareto_var, by = "Pareto")
  )
  estimate$panel <- names[4L]
  ends <- estimate[!duplicated(estimate$by, fromLast = TRUE), ]
  ends$y <- apart(ends$y, 0.06, of = estimate$y)
  lines$panel <- factor(lines$panel, names)
  estimate$panel <- factor(estimate$panel, names)
  ends$panel <- factor(ends$panel, names)
  list(lines = lines, estimate = estimate, ends = ends)
}
